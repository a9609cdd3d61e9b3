//! Files that somebody sent, checked in memory: limits, no disk, JSON out.
//!
//! `cargo run -p felting-view --example check_in_memory`

#![allow(clippy::print_stdout, reason = "an example prints")]

use felting::source::Memory;
use felting::{Condition, Limits, Loader, Progress, State};
use felting_view::{Checked, findings_json};

fn main() {
    // What came with the request: names and bytes, of which nothing is believed.
    let upload = [
        ("fabric.toml", "[fabric]\nname = \"shore\"\ninclude = \"leaves.toml\"\n"),
        (
            "leaves.toml",
            "[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-2] 25G\"\n\n\
             [[port]]\non = \"kelp-*\"\nports = \"p1\"\nuntagged = 310\n\
             differs = [{ on = \"kelp-b\", untagged = 311 }]\n\n\
             [[segment]]\nname = \"web\"\nvlan = 310\non = \"kelp-*\"\n\n\
             [[segment]]\nname = \"store\"\nvlan = 311\non = \"kelp-*\"\n\n\
             [cabling]\nruns = \"kelp-a p1 -- kelp-b p1\"\n",
        ),
    ];
    let mut files = Memory::default();
    for (name, bytes) in upload {
        files.insert(name, bytes);
    }
    let limits = Limits::default().file_bytes(1 << 20).files(100);
    let progress = Progress::default();
    let fabric = Loader::files(&files, "fabric.toml").limits(limits).progress(&progress).load();
    let state = State::of(&fabric, &Condition::default(), &progress);
    let report = state.check(None, &progress);
    print!("{}", findings_json(&[Checked::new(&fabric, &report)], &progress));
}
