//! What the protocols of the layer 2 plant cost, without reading and compiling: LAG selection for
//! up to 1,000,000 members, and a spanning tree of up to 20,000 bridges.

use std::fmt::Write as _;

use divan::Bencher;
use divan::counter::ItemsCount;
use felting::{Condition, Fabric, Progress, State};

fn main() {
    divan::main();
}

/// Pairs of switches with 48 LAGs of four members between them.
fn bundles(members: usize) -> Fabric {
    let switches = members / (2 * 192);
    let mut text = format!(
        "[[switch]]\nname = \"kelp-[00001-{switches:05}]\"\nnumber = 1\nports = \"p[1-192] 25G\"\n\
         [[switch]]\nname = \"reed-[00001-{switches:05}]\"\nnumber = 100000\nports = \"p[1-192] 25G\"\n\
         [cabling]\nruns = \"kelp-[00001-{switches:05}] p[1-192] -- reed-[00001-{switches:05}] p[1-192]\"\n"
    );
    for lag in 0..48 {
        // Writing to a String cannot fail.
        let _ = write!(
            text,
            "[[lag]]\non = \"*\"\nname = \"across-{lag}\"\nports = \"p[{}-{}]\"\n",
            lag * 4 + 1,
            lag * 4 + 4
        );
    }
    whole(&text)
}

/// Bridges in a ring with chords: four times as many links as bridges.
fn bridges(bridges: usize) -> Fabric {
    let mut text = format!(
        "[[switch]]\nname = \"mud-[1-{bridges}]\"\nnumber = 1\nports = \"p[1-8] 10G\"\n\
         [[port]]\non = \"*\"\nports = \"p[1-8]\"\nuntagged = 10\n[cabling]\nruns = [\n"
    );
    for (index, chord) in [1, 37, 411, bridges / 3].into_iter().enumerate() {
        let _ = writeln!(
            text,
            "\"mud-[1-{bridges}] p{} -- mud-[{}-{bridges},1-{chord}] p{}\",",
            index * 2 + 1,
            chord + 1,
            index * 2 + 2,
        );
    }
    text.push_str("]\n");
    whole(&text)
}

fn whole(text: &str) -> Fabric {
    let fabric = Fabric::from_text("plant.toml", text);
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    fabric
}

#[divan::bench(args = [125_000, 250_000, 500_000, 1_000_000], sample_count = 5)]
fn lag_selection_by_members(bencher: Bencher, members: usize) {
    let fabric = bundles(members);
    bencher
        .counter(ItemsCount::new(fabric.members().len()))
        .bench(|| State::of(&fabric, &Condition::default(), &Progress::default()));
}

#[divan::bench(args = [2_500, 5_000, 10_000, 20_000], sample_count = 5)]
fn spanning_tree_by_bridges(bencher: Bencher, count: usize) {
    let fabric = bridges(count);
    bencher
        .counter(ItemsCount::new(fabric.cables().len()))
        .bench(|| State::of(&fabric, &Condition::default(), &Progress::default()));
}
