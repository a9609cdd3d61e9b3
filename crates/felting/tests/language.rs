//! What statements mean: ranges, deviations, overlays, places, and the same words from Rust.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use std::net::IpAddr;

use felting::build::{
    Builder, bond, hardware, host, keepalive, lag, member, network, pair, segment, switch, vrf,
};
use felting::fabric::DeviceKind;
use felting::source::Memory;
use felting::value::{Activity, Domain, GroupNumber, Number, Protocol, VlanId, VlanSet, Vni};
use felting::{Condition, Fabric, Progress, State};

fn read(text: &str) -> Fabric {
    let fabric = Fabric::from_text("f.toml", text);
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    fabric
}

fn with(text: &str, overlay: &str) -> Fabric {
    let files = Memory::from([("f.toml", text), ("over.toml", overlay)]);
    let fabric = felting::Statements::read(
        &[(&files, "f.toml"), (&files, "over.toml")],
        &Progress::default(),
    )
    .compile(&Progress::default());
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    fabric
}

fn cables(fabric: &Fabric) -> Vec<String> {
    let label = |(_, cable): (_, &felting::fabric::Cable)| {
        let [near, far] = cable.ends.map(|end| fabric.port_label(end.value));
        format!("{near} -- {far}")
    };
    fabric.cables().map(label).collect()
}

const PAIR: &str = r#"
[[switch]]
name = "kelp-[a-b]"
number = 11
ports = ["p[1-4] 25G"]
[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[3-4]"
tagged = "310-319"
mtu = 9216
[[lag]]
on = "kelp-*"
name = "hull-01"
group = 101
ports = "p1"
tagged = "310-312"
mtu = 9000
differs = [{ on = "kelp-b", tagged = "310-311", without = "mtu" }]
[[pair]]
name = "kelp"
domain = 11
vtep = "2001:db8:9::11"
peer_link = "peer"
keepalive = { from = "192.0.2.11", to = "192.0.2.12" }
[[pair.side]]
switch = "kelp-a"
[[pair.side]]
switch = "kelp-b"
domain = 12
without = "vtep"
keepalive = { from = "2001:db8::12", to = "2001:db8::11" }
"#;

#[test]
fn the_left_range_of_a_run_is_the_slowest() {
    let fabric = read(
        "[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-4] 1G\"\n\
         [[switch]]\nname = \"crest-[1-2]\"\nports = \"p[1-4] 1G\"\n\
         [cabling]\nruns = \"kelp-[a-b] p[1-2] -- crest-1 p[1-4]\"\n",
    );
    assert_eq!(
        cables(&fabric),
        [
            "kelp-a p1 -- crest-1 p1",
            "kelp-a p2 -- crest-1 p2",
            "kelp-b p1 -- crest-1 p3",
            "kelp-b p2 -- crest-1 p4"
        ]
    );
}

#[test]
fn deviations_override_and_take_out_and_keep_their_places() {
    let fabric = read(PAIR);
    let kelp_b = fabric.find_device("kelp-b").unwrap();
    let lag = fabric.lag(fabric.find_lag(kelp_b, "hull-01").unwrap());
    assert_eq!(lag.tagged.to_string(), "310-311");
    assert_eq!(fabric.sources().text(lag.tagged.span), "310-311");
    assert_eq!(lag.mtu, None);
    assert_eq!(lag.group_number.unwrap().get(), 101);
    let (_, pair) = fabric.pairs().next().unwrap();
    let [a, b] = &pair.sides;
    assert_eq!((a.domain.unwrap().get(), b.domain.unwrap().get()), (11, 12));
    assert_eq!((a.vtep.is_some(), b.vtep.is_some()), (true, false));
    assert_eq!(b.keepalive.as_ref().unwrap().from.to_string(), "2001:db8::12");
}

#[test]
fn every_place_is_the_text_that_made_the_value() {
    let fabric = read(
        "[[switch]]\nname = \"kelp-[a-b]\"\nports = [\"p[1-2] 25G\", 'm1 1G']\n\
         [cabling]\nruns = [\"kelp-a p[1-2] -- kelp-b p[1-2]\", \"\"\"\nkelp-a m1 -- kelp-b m1\"\"\"]\n",
    );
    let text = |span| fabric.sources().text(span).to_owned();
    let (_, cable) = fabric.cables().nth(1).unwrap();
    assert_eq!(cable.ends.map(|end| text(end.span)), ["p[1-2]", "p[1-2]"]);
    assert_ne!(cable.ends[0].span, cable.ends[1].span);
    let (_, kelp_b) = fabric.devices().nth(1).unwrap();
    assert_eq!(text(kelp_b.name.span), "kelp-[a-b]");
    let ports: Vec<_> = kelp_b.ports.iter().map(|port| text(fabric.port(port).span.0)).collect();
    assert_eq!(ports, ["p[1-2] 25G", "p[1-2] 25G", "m1 1G"]);
    // Behind a line break the bytes are not those of the file, so the whole text is the place.
    let (_, odd) = fabric.cables().nth(2).unwrap();
    assert_eq!(text(odd.ends[0].span).trim(), "kelp-a m1 -- kelp-b m1");
}

#[test]
fn numbers_follow_from_what_is_written_not_from_the_order() {
    let macs = |text: &str| -> Vec<String> {
        let fabric = read(text);
        let mut macs: Vec<_> =
            fabric.devices().map(|(_, d)| format!("{} {}", d.name.value, d.mac.value)).collect();
        macs.sort();
        macs
    };
    let one = "[[switch]]\nname = \"kelp-[a-b]\"\nnumber = 11\n[[host]]\nname = \"hull-1\"\n";
    let more = format!("[[host]]\nname = \"a\"\n[[switch]]\nname = \"b\"\nnumber = 3\n{one}");
    let (before, after) = (macs(one), macs(&more));
    assert!(before.iter().all(|mac| after.contains(mac)), "{before:?} {after:?}");
    assert_eq!(before[1], "kelp-a 02:46:00:00:00:0b");
}

#[test]
fn overlays_replace_keys_and_cables_and_add_things() {
    let runs = "[cabling]\nruns = [\"kelp-a p1 -- kelp-b p1\", \"kelp-a p2 -- kelp-b p2\"]\n";
    let fabric = with(
        &format!("{PAIR}{runs}"),
        "[[lag]]\non = \"kelp-b\"\nname = \"hull-01\"\ntagged = 400\nwithout = \"group\"\n\
         [[pair]]\nname = \"kelp\"\n[[pair.side]]\nswitch = \"kelp-b\"\ndomain = 11\n\
         [[switch]]\nname = \"dune-a\"\nports = \"p1 25G\"\n\
         [cabling]\nruns = \"kelp-a p1 -- dune-a p1\"\n",
    );
    let lag = |switch: &str| {
        let device = fabric.find_device(switch).unwrap();
        fabric.lag(fabric.find_lag(device, "hull-01").unwrap())
    };
    assert_eq!(lag("kelp-b").tagged.to_string(), "400");
    assert_eq!((lag("kelp-b").group_number, lag("kelp-b").mtu), (None, None));
    assert_eq!(lag("kelp-a").tagged.to_string(), "310-312");
    let (_, pair) = fabric.pairs().next().unwrap();
    assert_eq!(pair.sides[1].domain.unwrap().get(), 11);
    assert_eq!(cables(&fabric), ["kelp-a p2 -- kelp-b p2", "kelp-a p1 -- dune-a p1"]);
}

#[test]
fn an_overlay_shows_what_a_mend_would_do() {
    let rule = felting::rules::find("segment-vni-clash").unwrap();
    let mend = "[[segment]]\nname = \"tides-web\"\ndiffers = [{ on = \"kelp-c\", vni = 23310 }]\n";
    assert_eq!(read(rule.broken).check().findings.len(), 1);
    assert!(with(rule.broken, mend).check().findings.is_empty());
}

#[test]
fn a_broken_out_port_has_lanes_and_cables_reach_them_both_ways() {
    let fabric = read(
        "[[switch]]\nname = \"kelp-[a-b]\"\nports = [\"p[1-2] 4x25G\"]\n\
         [[host]]\nname = \"hull-[1-4]\"\nnics = \"nic1 25G\"\n\
         [cabling]\nruns = [\"kelp-a p1 -- kelp-b p1\", \"kelp-a p2/[1-4] -- hull-[1-4] nic1\"]\n",
    );
    let port = |device: &str, name: &str| {
        fabric.find_port(fabric.find_device(device).unwrap(), name).unwrap()
    };
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    assert_eq!(state.far(port("kelp-a", "p1/3")), Some(port("kelp-b", "p1/3")));
    assert_eq!(state.far(port("kelp-a", "p2/4")), Some(port("hull-4", "nic1")));
}

#[test]
fn findings_are_accepted_by_name_until_their_day() {
    let rule = felting::rules::find("uplink-single-nic").unwrap();
    let accept = |more: &str| {
        let text = format!(
            "{}\n[[accept]]\nrule = \"uplink-single-nic\"\nreason = \"x\"\n{more}",
            rule.broken
        );
        let state = State::of(&read(&text), &Condition::default(), &Progress::default());
        let report = state.check(Some(jiff::civil::date(2027, 1, 31)), &Progress::default());
        let ids: Vec<_> = report.findings.iter().map(|finding| finding.rule.id).collect();
        (ids, report.accepted.len())
    };
    assert_eq!(accept("on = \"gauge-1\"\n"), (vec![], 1));
    assert_eq!(accept(""), (vec!["accept-unbounded"], 1));
    assert_eq!(accept("on = \"*\"\n"), (vec!["accept-unbounded"], 1));
    assert_eq!(accept("on = \"gauge-*\"\nuntil = 2027-01-31\n"), (vec![], 1));
    assert_eq!(accept("until = 2027-01-30\n"), (vec!["uplink-single-nic", "accept-expired"], 0));
    assert_eq!(accept("on = \"hull-*\"\n"), (vec!["uplink-single-nic", "accept-unmatched"], 0));
}

#[test]
fn severities_of_a_fabric_override_those_of_rules() {
    let rule = felting::rules::find("uplink-single-nic").unwrap();
    let severity = |word: &str| {
        let report =
            read(&format!("[severities]\nuplink-single-nic = \"{word}\"\n{}", rule.broken)).check();
        report.findings.first().map(|finding| finding.severity.word())
    };
    assert_eq!((severity("error"), severity("off")), (Some("error"), None));
}

/// The same fabric by the builder, key by key, and by the file.
#[test]
fn the_builder_says_what_the_file_says() {
    let built = Builder::new("shore")
        .hardware(hardware().name("tern-48").ports(vec!["p[1-4] 25G"]).members_in_use(8))
        .switch(switch().name("kelp-[a-b]").number(Number::new(11).unwrap()).hardware("tern-48"))
        .vrf(vrf().name("tides").vni(Vni::new(27001).unwrap()).on("kelp-*"))
        .segment(
            segment()
                .name("tides-web")
                .vlan(VlanId::new(310).unwrap())
                .vni(Vni::new(23310).unwrap())
                .vrf("tides")
                .on("kelp-*"),
        )
        .lag(
            lag()
                .on("kelp-*")
                .name("peer")
                .ports("p[3-4]")
                .tagged("310-312".parse::<VlanSet>().unwrap())
                .protocol(Protocol::Lacp),
        )
        .lag(
            lag()
                .on("kelp-*")
                .name("hull-01")
                .group(GroupNumber::new(101).unwrap())
                .ports("p1")
                .tagged(VlanSet::from(VlanId::new(310).unwrap()))
                .members(vec![member().ports("p1").port_priority(100)])
                .differs(lag().on("kelp-b").mode(Activity::Passive)),
        )
        .pair(
            pair()
                .name("kelp")
                .domain(Domain::new(11).unwrap())
                .peer_link("peer")
                .keepalive(keepalive().between(
                    ["192.0.2.11", "192.0.2.12"].map(|one| one.parse::<IpAddr>().unwrap()),
                ))
                .side(pair().switch("kelp-a"))
                .side(pair().switch("kelp-b").priority(20)),
        )
        .host(
            host()
                .name("hull-01")
                .nics("nic[1-2] 25G")
                .bond(bond().name("bond0").nics("nic[1-2]"))
                .networks(vec![network().name("web").tag(VlanId::new(310).unwrap())]),
        )
        .cables("hull-01 nic[1-2] -- kelp-[a-b] p1")
        .cables("kelp-a p[3-4] -- kelp-b p[3-4]");
    let fabric = built.fabric();
    assert!(fabric.is_complete(), "{:#?}\n{}", fabric.faults(), built.to_toml());
    let ids: Vec<_> = fabric.check().findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(ids, ["pair-group-clash"]);
    let again = read(&built.to_toml());
    assert_eq!(again.devices().count(), fabric.devices().count());
    let switches = fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Switch);
    assert_eq!(switches.count(), 2);
    insta::assert_snapshot!(built.to_toml());
}
