//! Two spines and eight leaves built in Rust, and what is wrong with them.
//!
//! `cargo run -p felting --example build_a_fabric`

#![allow(clippy::print_stdout, reason = "an example prints")]

use felting::build::{Builder, overlay, pool, router, segment, session, switch, underlay};
use felting::value::{Area, IpPrefix, PoolKind, Role, TargetPattern};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut builder = Builder::new("shore")
        .switch(switch().name("crest-[1-2]").number(1).role(Role::Spine).ports("p[1-8] 100G"))
        .switch(
            switch()
                .name("kelp-[1-8]")
                .number(11)
                .role(Role::Leaf)
                .ports(vec!["p[1-48] 25G", "p[49-50] 100G"]),
        )
        .pool(
            pool().name("links").gives(PoolKind::Links).prefix("10.64.0.0/22".parse::<IpPrefix>()?),
        )
        .pool(
            pool()
                .name("loopbacks")
                .gives(PoolKind::Loopbacks)
                .prefix("10.64.8.0/24".parse::<IpPrefix>()?),
        )
        .pool(
            pool().name("vteps").gives(PoolKind::Vteps).prefix("10.64.9.0/24".parse::<IpPrefix>()?),
        )
        // One leaf is in another area: it becomes nobody's neighbour.
        .underlay(
            underlay()
                .on(vec!["crest-*", "kelp-*"])
                .differs(underlay().on("kelp-7").area("10".parse::<Area>()?)),
        )
        .router(router().on(vec!["crest-*", "kelp-*"]).as_number(4_204_100_000_u32))
        .session(session().on("kelp-*").to("crest-*"))
        .session(session().on("crest-*").to("kelp-*").client(true))
        .overlay(overlay().on("kelp-*").target_pattern("42041:{vni}".parse::<TargetPattern>()?))
        // Another has the segment with a VNI of its own.
        .segment(
            segment()
                .name("tides-web")
                .number(310)
                .vlan(310)
                .vni(23_310)
                .on("kelp-*")
                .differs(segment().on("kelp-3").vni(23_301)),
        );
    for leaf in 1..=8 {
        builder = builder.cables(format!("kelp-{leaf} p[49-50] -- crest-[1-2] p{leaf}"));
    }
    let fabric = builder.fabric();
    for fault in fabric.faults() {
        println!("{}: {}", fabric.sources().location(fault.at()), fault.what.message);
    }
    for finding in &fabric.check().findings {
        println!("{}[{}]: {}", finding.severity, finding.rule.id, finding.what.message);
        println!("  {}", finding.wire);
        println!("  {}", finding.what.remedy);
    }
    Ok(())
}
