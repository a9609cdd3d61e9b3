//! Any bytes as a fabric file: read, compiled, checked, and every place of a fault told.

#![no_main]

use felting::Fabric;
use felting::source::Memory;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let mut files = Memory::default();
    files.insert("fabric.toml", bytes);
    let fabric = Fabric::from_files(&files, "fabric.toml");
    for fault in fabric.faults() {
        let _ = fabric.sources().location(fault.at());
    }
    for finding in fabric.check().findings {
        let _ = fabric.sources().location(finding.what.primary.span);
    }
});
