//! Two spines and eight leaves built in Rust, and what is wrong with them.
//!
//! `cargo run -p felting --example build_a_fabric`

#![allow(clippy::print_stdout, reason = "an example prints")]

use felting::build::{Builder, Overlay, Pool, Router, Segment, Session, Switch, Underlay};
use felting::value::{Area, Asn, IpPrefix, Number, PoolKind, Role, TargetPattern, VlanId, Vni};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut builder = Builder::new("shore")
        .switch(
            Switch::new()
                .name("crest-[1-2]")
                .number(Number::new(1)?)
                .role(Role::Spine)
                .ports("p[1-8] 100G"),
        )
        .switch(
            Switch::new()
                .name("kelp-[1-8]")
                .number(Number::new(11)?)
                .role(Role::Leaf)
                .ports(vec!["p[1-48] 25G", "p[49-50] 100G"]),
        )
        .pool(
            Pool::new()
                .name("links")
                .gives(PoolKind::Links)
                .prefix("10.64.0.0/22".parse::<IpPrefix>()?),
        )
        .pool(
            Pool::new()
                .name("loopbacks")
                .gives(PoolKind::Loopbacks)
                .prefix("10.64.8.0/24".parse::<IpPrefix>()?),
        )
        .pool(
            Pool::new()
                .name("vteps")
                .gives(PoolKind::Vteps)
                .prefix("10.64.9.0/24".parse::<IpPrefix>()?),
        )
        // One leaf is in another area: it becomes nobody's neighbour.
        .underlay(
            Underlay::new()
                .on(vec!["crest-*", "kelp-*"])
                .differs(Underlay::new().on("kelp-7").area("10".parse::<Area>()?)),
        )
        .router(Router::new().on(vec!["crest-*", "kelp-*"]).as_number(Asn::new(4_204_100_000)?))
        .session(Session::new().on("kelp-*").to("crest-*"))
        .session(Session::new().on("crest-*").to("kelp-*").client(true))
        .overlay(
            Overlay::new().on("kelp-*").target_pattern("42041:{vni}".parse::<TargetPattern>()?),
        )
        // Another has the segment with a VNI of its own.
        .segment(
            Segment::new()
                .name("tides-web")
                .number(Number::new(310)?)
                .vlan(VlanId::new(310)?)
                .vni(Vni::new(23_310)?)
                .on("kelp-*")
                .differs(Segment::new().on("kelp-3").vni(Vni::new(23_301)?)),
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
