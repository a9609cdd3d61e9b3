//! Walks, expectations and who reaches whom in a fabric of three tiers: pods of 32 pairs of leaves with four
//! spines, four super-spines, 64 segments of eight tenants on all leaves, and 2,000 hosts on two leaves each
//! with a machine.

#![allow(missing_docs, reason = "a program")]

use std::fmt::Write as _;

use divan::Bencher;
use felting::progress::Progress;
use felting::scaffold::Scaffold;
use felting::walk::{self, Choice, Options, Walker};
use felting::{Condition, Fabric, State};

const LEAVES: [u32; 3] = [256, 512, 1024];

/// How many pairs of leaves a pod has.
const POD: u32 = 32;

const SEGMENTS: u32 = 64;
const MACHINES: u32 = 2000;

fn main() {
    divan::main();
}

fn text(leaves: u32, expectations: u32) -> String {
    let plan = Scaffold {
        name: "wide".to_owned(),
        spines: 4,
        super_spines: 4,
        pods: leaves / 2 / POD,
        pairs: POD,
        leaves: 0,
        hosts: MACHINES,
        tenants: 8,
        segments: SEGMENTS,
    };
    let text = plan.to_toml().expect("the numbers go together");
    let mut text = text
        .split(
            "\n# ---------------------------------------------------------------- what must hold",
        )
        .next()
        .unwrap_or_default()
        .to_owned();
    for machine in 0..MACHINES {
        let (net, place) = (1 + machine % SEGMENTS, 11 + machine / SEGMENTS);
        let _ = writeln!(
            text,
            "\n[[endpoint]]\nname = \"m-{machine}\"\nhost = \"host-{:03}\"\ntag = {}\n\
             address = \"10.64.{net}.{place}/24\"\ngateway = \"10.64.{net}.1\"",
            machine + 1,
            100 + net,
        );
    }
    for expectation in 0..expectations {
        // Machines of one tenant, far apart.
        let (from, to) =
            (expectation % MACHINES, (expectation * 8 + expectation + 1000) % MACHINES);
        let to = to - to % 8 + from % 8;
        if from != to {
            let _ = writeln!(
                text,
                "\n[[expect]]\nfrom = \"m-{from}\"\nto = \"m-{to}\"\ndespite = \"any-cable-or-switch\""
            );
        }
    }
    text
}

fn made(leaves: u32, expectations: u32) -> (Fabric, State) {
    let fabric = Fabric::from_text("wide.toml", &text(leaves, expectations));
    assert!(fabric.is_complete(), "{:#?}", fabric.faults().first());
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    (fabric, state)
}

/// One walk between segments, with nothing known from earlier ones.
#[divan::bench(args = LEAVES)]
fn one(bencher: Bencher<'_, '_>, leaves: u32) {
    let (fabric, state) = made(leaves, 0);
    let ends = ["m-0", "m-1992"].map(|name| fabric.terminal(name).expect("an endpoint"));
    bencher.bench(|| {
        let walk = Walker::new(&state).walk(ends[0], ends[1], Options::default());
        assert!(walk.expect("two ends").arrives());
    });
}

/// The same over all equal ways.
#[divan::bench(args = LEAVES)]
fn one_by_all_ways(bencher: Bencher<'_, '_>, leaves: u32) {
    let (fabric, state) = made(leaves, 0);
    let ends = ["m-0", "m-1992"].map(|name| fabric.terminal(name).expect("an endpoint"));
    let options = Options { choice: Choice::All, ..Options::default() };
    bencher.bench(|| {
        let walk = Walker::new(&state).walk(ends[0], ends[1], options);
        assert!(walk.expect("two ends").arrives());
    });
}

/// The state that walks go through.
#[divan::bench(args = LEAVES, sample_count = 10)]
fn state(bencher: Bencher<'_, '_>, leaves: u32) {
    let (fabric, _) = made(leaves, 0);
    bencher.bench(|| State::of(&fabric, &Condition::default(), &Progress::default()));
}

/// Every ordered pair of all machines.
#[divan::bench(args = LEAVES, sample_count = 1)]
fn every_pair(bencher: Bencher<'_, '_>, leaves: u32) {
    let (fabric, state) = made(leaves, 0);
    let all: Vec<_> = fabric.endpoints().map(|(id, _)| id).collect();
    bencher.bench(|| walk::reach(&state, &all, &Progress::default()).count());
}

/// A thousand expectations, each despite the loss of any one cable or switch.
#[divan::bench(args = LEAVES, sample_count = 1)]
fn expectations(bencher: Bencher<'_, '_>, leaves: u32) {
    let (_, state) = made(leaves, 1000);
    bencher.bench(|| {
        assert!(walk::judge(&state, &Progress::default()).is_empty());
    });
}
