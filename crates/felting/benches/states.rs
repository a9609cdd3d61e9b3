//! A state from another, and expectations despite losses: what planning asks over and over.
//!
//! `given` is one loss in the fabrics of the series, with hosts on pairs; `despite` judges expectations between guests
//! of one segment in a fabric of 512 leaves, over OSPF and over BGP.

#![allow(missing_docs, reason = "a program")]

use std::fmt::Write as _;

use divan::Bencher;
use felting::fabric::{CableId, DeviceKind};
use felting::generator::LargeFabric;
use felting::source::Memory;
use felting::value::Role;
use felting::walk::judge;
use felting::{Condition, Fabric, Progress, State};

const LEAVES: [u32; 2] = [512, 4096];

fn main() {
    divan::main();
}

/// eBGP between the tiers, an AS number a pair.
const BY_BGP: [(&str, &str); 6] = [
    ("protocol = \"ospf\"", "protocol = \"bgp\""),
    (
        "as_number = 65000\n",
        r#"policy_required = false
differs = [{ on = "top-*", as_number = 65001 }]

[[pool]]
name = "spines"
gives = "as-numbers"
base = 65100
on = "spine-*"

[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4200000000
by = "pair"
on = "leaf-*"
"#,
    ),
    ("client = true", "next_hop = \"kept\""),
    ("to = \"spine-", "multihop = 3\nto = \"spine-"),
    ("to = \"leaf-", "multihop = 3\nto = \"leaf-"),
    ("to = \"top-*\"", "multihop = 3\nnext_hop = \"kept\"\nto = \"top-*\""),
];

fn made(plan: &LargeFabric, bgp: bool, more: &str) -> State {
    let made = plan.write(&Progress::default()).expect("the numbers go together");
    let mut files = Memory::default();
    for (path, mut text) in made.files {
        for (ospf, by_bgp) in BY_BGP.iter().filter(|_| bgp) {
            text = text.replace(ospf, by_bgp);
        }
        if path == "fabric.toml" {
            text.push_str(more);
        }
        files.insert(path, text);
    }
    let fabric = Fabric::from_files(&files, "fabric.toml");
    assert!(fabric.is_complete(), "{:#?}", fabric.faults().first());
    State::of(&fabric, &Condition::default(), &Progress::default())
}

fn series(leaves: u32) -> State {
    made(&LargeFabric::of_series(leaves), false, "")
}

/// The first cable between a leaf and what is of another kind than a leaf.
fn cable(fabric: &Fabric, to_host: bool) -> CableId {
    let found = fabric.cables().find(|(_, cable)| {
        let ends = cable.ends.map(|end| fabric.device(fabric.port(end.value).device));
        let host = ends.iter().any(|end| end.kind == DeviceKind::Host);
        let leaf = ends.iter().any(|end| end.role.is_some_and(|role| role.value == Role::Leaf));
        let spine = ends.iter().any(|end| end.role.is_some_and(|role| role.value == Role::Spine));
        if to_host { host } else { leaf && spine }
    });
    found.expect("the fabric has such a cable").0
}

fn given(bencher: Bencher<'_, '_>, leaves: u32, loss: impl Fn(&Fabric) -> Condition) {
    let whole = series(leaves);
    let lost = loss(whole.fabric());
    bencher.bench_local(|| whole.given(&lost));
}

#[divan::bench(args = LEAVES, sample_count = 20, sample_size = 1)]
fn given_a_host_cable(bencher: Bencher<'_, '_>, leaves: u32) {
    given(bencher, leaves, |fabric| Condition::default().cable(cable(fabric, true)));
}

#[divan::bench(args = LEAVES, sample_count = 20, sample_size = 1)]
fn given_an_uplink(bencher: Bencher<'_, '_>, leaves: u32) {
    given(bencher, leaves, |fabric| Condition::default().cable(cable(fabric, false)));
}

#[divan::bench(args = LEAVES, sample_count = 20, sample_size = 1)]
fn given_a_spine(bencher: Bencher<'_, '_>, leaves: u32) {
    given(bencher, leaves, |fabric| {
        let spine = |role: Option<felting::diagnostic::At<Role>>| {
            role.is_some_and(|role| role.value == Role::Spine)
        };
        let found = fabric.devices().find(|(_, device)| spine(device.role));
        Condition::default().device(found.expect("the fabric has spines").0)
    });
}

/// Expectations, each between two guests of one segment.
fn expected(bencher: Bencher<'_, '_>, bgp: bool, count: u32) {
    let plan = LargeFabric {
        pods: 8,
        pairs: 32,
        hosts: 512,
        segments: 1024,
        guests: 4096,
        ..LargeFabric::default()
    };
    let bare = made(&plan, bgp, "");
    let fabric = bare.fabric();
    let mut more = String::new();
    let ends = fabric.segments().filter_map(|(id, _)| {
        let mut own = fabric.endpoints().filter(|(end, _)| bare.segments_of(*end)[..] == [id]);
        Some((own.next()?.1.name.to_string(), own.next_back()?.1.name.to_string()))
    });
    for (from, to) in ends.take(count as usize) {
        let _ = write!(
            more,
            "\n[[expect]]\nfrom = \"{from}\"\nto = \"{to}\"\ndespite = \"any-cable-or-switch\"\n"
        );
    }
    let state = made(&plan, bgp, &more);
    assert_eq!(state.fabric().expectations().len(), count as usize);
    bencher.bench_local(|| judge(&state, &Progress::default()));
}

#[divan::bench(args = [1, 10], sample_count = 3, sample_size = 1)]
fn despite_over_ospf(bencher: Bencher<'_, '_>, count: u32) {
    expected(bencher, false, count);
}

#[divan::bench(args = [1, 10], sample_count = 3, sample_size = 1)]
fn despite_over_bgp(bencher: Bencher<'_, '_>, count: u32) {
    expected(bencher, true, count);
}
