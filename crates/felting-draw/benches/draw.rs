//! Drawings and the report of a fabric of three tiers: pods of 32 pairs of leaves, eight hosts a leaf.

#![allow(missing_docs, reason = "a program")]

use divan::Bencher;
use felting::scaffold::Scaffold;
use felting::{Condition, Fabric, Progress, State};
use felting_draw::{self as draw, Reported, Theme, report};

const LEAVES: [u32; 3] = [256, 512, 1024];

fn main() {
    divan::main();
}

fn made(leaves: u32) -> State {
    let plan = Scaffold {
        pods: leaves / 64,
        pairs: 32,
        spines: 4,
        super_spines: 4,
        hosts: leaves * 8,
        tenants: 8,
        segments: 64,
        ..Scaffold::default()
    };
    let text = plan.to_toml().expect("the plan fits");
    let fabric = Fabric::from_text("bench.toml", &text);
    assert!(fabric.is_complete(), "{:?}", fabric.faults().first());
    State::of(&fabric, &Condition::default(), &Progress::default())
}

#[divan::bench(args = LEAVES, sample_count = 5, sample_size = 1)]
fn cabling(bencher: Bencher<'_, '_>, leaves: u32) {
    let state = made(leaves);
    bencher.bench(|| draw::cabling(&state, None).map(|drawing| drawing.svg(Theme::Light)));
}

#[divan::bench(args = LEAVES, sample_count = 5, sample_size = 1)]
fn cabling_png(bencher: Bencher<'_, '_>, leaves: u32) {
    let state = made(leaves);
    bencher.bench(|| {
        draw::cabling(&state, None)
            .map(|drawing| drawing.png(Theme::Light, 1.0, &Progress::default()))
    });
}

#[divan::bench(args = LEAVES, sample_count = 5, sample_size = 1)]
fn overlay(bencher: Bencher<'_, '_>, leaves: u32) {
    let state = made(leaves);
    bencher.bench(|| draw::overlay(&state, None).map(|drawing| drawing.svg(Theme::Light)));
}

#[divan::bench(args = LEAVES, sample_count = 3, sample_size = 1)]
fn whole_report(bencher: Bencher<'_, '_>, leaves: u32) {
    let state = made(leaves);
    let found = state.fabric().check();
    let bytes = || {
        let reported = Reported {
            only: None,
            state: &state,
            report: &found,
            failures: &[],
            down: &[],
            left_out: 0,
            day: "",
        };
        report(&reported, &Progress::default()).len()
    };
    assert!(bytes() < 20_000_000, "{} bytes", bytes());
    bencher.bench(bytes);
}
