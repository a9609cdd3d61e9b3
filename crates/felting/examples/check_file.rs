//! Checks a fabric file and prints a line a finding.
//!
//! `cargo run -p felting --example check_file demo/saltmarsh-stormy/fabric.toml`

#![allow(clippy::print_stdout, reason = "an example shows its answer")]

use felting::Fabric;

fn main() {
    let path =
        std::env::args().nth(1).unwrap_or_else(|| "demo/saltmarsh-stormy/fabric.toml".into());
    let fabric = Fabric::from_path(path);
    for fault in fabric.faults() {
        println!("{}: {}", fabric.sources().location(fault.at()), fault.what.message);
    }
    for finding in fabric.check().findings {
        let place = fabric.sources().location(finding.what.primary.span);
        println!("{place}: {}[{}]: {}", finding.severity, finding.rule.id, finding.what.message);
    }
}
