//! Any bytes as a cable list between a few switches and hosts.

#![no_main]

use felting::Fabric;
use felting::source::Memory;
use libfuzzer_sys::fuzz_target;

const ROOT: &str = r#"
[[switch]]
name = "kelp-[a-b]"
ports = ["p[1-8] 25G", "p9 4x25G"]
[[host]]
name = "hull-[01-02]"
nics = "nic[1-2] 25G"
[cabling]
csv = "cables.csv"
"#;

fuzz_target!(|bytes: &[u8]| {
    let mut files = Memory::default();
    files.insert("fabric.toml", ROOT);
    files.insert("cables.csv", bytes);
    let fabric = Fabric::from_files(&files, "fabric.toml");
    for fault in fabric.faults() {
        let _ = fabric.sources().location(fault.at());
    }
    fabric.check();
});
