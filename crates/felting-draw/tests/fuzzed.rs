//! What a fuzzer has kept, done again: inputs that each take another way through what reads and what writes.
//!
//! `cargo +nightly fuzz run asked` and the like go on from `fuzz/corpus`, with the same functions.

#![allow(missing_docs, reason = "a test")]

use std::path::Path;

#[path = "../../../fuzz/src/lib.rs"]
#[allow(unreachable_pub, clippy::pedantic, reason = "it is a library elsewhere")]
mod fuzz;

/// What is kept for a target: each file with its name.
fn corpus(target: &str) -> Vec<(String, Vec<u8>)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus").join(target);
    let files = std::fs::read_dir(&folder).expect("a corpus");
    let read = |file: std::io::Result<std::fs::DirEntry>| {
        let path = file.expect("a file").path();
        (path.display().to_string(), std::fs::read(&path).expect("what is in it"))
    };
    let mut all: Vec<_> = files.map(read).collect();
    all.sort();
    assert!(!all.is_empty(), "{target} has none");
    all
}

#[test]
fn fabric_files() {
    for (_, bytes) in corpus("fabric_file") {
        fuzz::fabric_file(&bytes);
    }
}

#[test]
fn cable_lists() {
    for (_, bytes) in corpus("cable_list") {
        fuzz::cable_list(&bytes);
    }
}

#[test]
fn ranges() {
    for (_, bytes) in corpus("ranges") {
        fuzz::ranges(&String::from_utf8_lossy(&bytes));
    }
}

#[test]
fn what_is_asked() {
    for (_, bytes) in corpus("asked") {
        fuzz::asked(&String::from_utf8_lossy(&bytes));
    }
}

#[test]
fn renderers() {
    for (_, bytes) in corpus("renderers") {
        fuzz::renderers(&String::from_utf8_lossy(&bytes));
    }
}
