//! Underlay, sessions and EVPN of a fabric of three tiers: pods of 64 leaves with four spines, four
//! super-spines; four segments a leaf, each on sixteen leaves.
//!
//! The time of `state` is for everything that protocols make of the fabric; the memory that it keeps is
//! in proportion to the presences of segments. `rules` adds the catalogue.

#![allow(missing_docs, reason = "a program")]

use std::fmt::Write as _;

use divan::{AllocProfiler, Bencher};
use felting::scaffold::Scaffold;
use felting::{Condition, Fabric, Progress, State};

#[global_allocator]
static ALLOC: AllocProfiler = AllocProfiler::system();

const LEAVES: [u32; 4] = [128, 256, 512, 1024];

/// How many leaves a pod has.
const POD: u32 = 64;

/// On how many leaves a segment is.
const SPREAD: u32 = 16;

fn main() {
    divan::main();
}

fn text(leaves: u32) -> String {
    let plan = Scaffold {
        name: "wide".to_owned(),
        spines: 4,
        super_spines: 4,
        pods: leaves / POD,
        pairs: 0,
        leaves: POD,
        hosts: 0,
        tenants: 1,
        segments: 1,
    };
    let mut text = plan.to_toml().expect("the numbers go together");
    let segments = leaves * 4;
    for segment in 0..segments {
        let on = (0..SPREAD).map(|step| {
            // Sixteen leaves, spread over the pods.
            let leaf = (segment + step * (leaves / SPREAD)) % leaves;
            format!("\"leaf-{}-{:02}\"", leaf / POD + 1, leaf % POD + 1)
        });
        let on = on.collect::<Vec<_>>().join(", ");
        let (vlan, vni) = (200 + segment % 3600, 100_000 + segment);
        let _ = writeln!(
            text,
            "\n[[segment]]\nname = \"s{segment}\"\nvlan = {vlan}\nvni = {vni}\non = [{on}]"
        );
    }
    text
}

#[divan::bench(args = LEAVES)]
fn read(bencher: Bencher<'_, '_>, leaves: u32) {
    let text = text(leaves);
    bencher.bench(|| Fabric::from_text("wide.toml", &text));
}

#[divan::bench(args = LEAVES)]
fn state(bencher: Bencher<'_, '_>, leaves: u32) {
    let fabric = Fabric::from_text("wide.toml", &text(leaves));
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    bencher.bench(|| State::of(&fabric, &Condition::default(), &Progress::default()));
}

#[divan::bench(args = LEAVES)]
fn rules(bencher: Bencher<'_, '_>, leaves: u32) {
    let fabric = Fabric::from_text("wide.toml", &text(leaves));
    bencher.bench(|| fabric.check());
}

/// To whom one leaf floods, in all its segments.
#[divan::bench(args = LEAVES)]
fn flood_lists_of_a_leaf(bencher: Bencher<'_, '_>, leaves: u32) {
    let fabric = Fabric::from_text("wide.toml", &text(leaves));
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let leaf = fabric.find_device("leaf-1-01").expect("the first leaf");
    bencher.bench(|| {
        let own = fabric.presences_on(leaf).iter();
        own.filter_map(|&presence| state.floods(presence))
            .map(|list| list.targets.len())
            .sum::<usize>()
    });
}
