//! The ways of single packets: what each device decides, and where and why they stop.

use std::fmt::Write as _;

use felting::walk::{Act, End, Options, Stop, Walk, Way};
use felting::{Fabric, Progress, State};

use crate::{demo, read, walk, without};

/// A path in a line a hop: the device, the VNIs and tags that it sends with.
pub(crate) fn shown(path: &Way, fabric: &Fabric) -> String {
    let mut page = String::new();
    for hop in &path.hops {
        let _ = write!(page, "{}", fabric.device_name(hop.device));
        for exit in &hop.exits {
            let (outer, frame) = (exit.headers.outer(), exit.headers.frame);
            let _ = write!(page, " {}", fabric.port_name(exit.port));
            if let Some(tag) = outer.and_then(|outer| outer.tag).or(frame.tag) {
                let _ = write!(page, " tag {tag}");
            }
            if let Some(outer) = outer {
                let _ = write!(
                    page,
                    " VNI {} to {} ttl {}",
                    outer.shim.vni().unwrap(),
                    outer.to,
                    outer.ttl
                );
            }
            let _ = write!(page, " | {} ttl {}", frame.to, frame.packet.ttl);
        }
        if let Some(end) = hop.end {
            let _ = write!(page, " {end:?}");
        }
        page.push('\n');
    }
    page
}

pub(crate) fn both(fabric: &Fabric, walk: &Walk) -> String {
    let back = walk.back.as_ref().map(|back| format!("back\n{}", shown(back, fabric)));
    format!("{}{}", shown(&walk.there, fabric), back.unwrap_or_default())
}

#[test]
fn over_the_demo() {
    let fabric = demo("saltmarsh");
    let mut page = String::new();
    for (from, to, cuts) in [
        ("web-1", "web-2", &[][..]),
        ("web-1", "web-2", &["kelp-a p49", "kelp-a p50"]),
        ("web-1", "solver-2", &[]),
        ("solver-1", "tides-files-1", &[]),
        ("imager-1", "gauge", &["skiff-1 nic1"]),
        ("gauge", "imager-2", &[]),
        ("lathe", "eye-2", &["jetty 2/p23"]),
        ("web-1", "desk-1", &[]),
        ("imager-2", "campus", &[]),
        ("campus", "lathe", &[]),
        ("web-1", "10.80.31.1", &[]),
    ] {
        let made = walk(&fabric, cuts, from, to, Options::BY_HASH);
        assert!(made.arrives(), "{from} {to}");
        let _ = writeln!(page, "# {from} to {to} without {cuts:?}\n{}", both(&fabric, &made));
    }
    insta::assert_snapshot!(page);
}

/// A machine at each end of the WAN, in the segment that spans it.
const OVER_WAN: &str = r#"
[[port]]
on = "inlet-a"
ports = "p5"
untagged = 360

[[host]]
name = "log-1"
nics = "nic1 25G"
networks = { name = "own" }

[[host]]
name = "buoy-1"
nics = "nic1 10G"
networks = { name = "own" }

[[endpoint]]
name = "buoy-log"
host = "log-1"
address = "10.83.60.10/24"

[[endpoint]]
name = "buoy"
host = "buoy-1"
address = "10.83.60.11/24"

[cabling]
runs = ["log-1 nic1 -- inlet-a p5", "buoy-1 nic1 -- skerry-a p1"]
"#;

/// Two static routes lead over two paths: both are used, and one when the other is down.
#[test]
fn over_a_wan() {
    let fabric = crate::expectations::with(&crate::expectations::demo_files("saltmarsh"), OVER_WAN);
    let paths = |cuts: &[&str]| {
        let made = walk(&fabric, cuts, "buoy", "buoy-log", Options::ALL);
        assert!(made.arrives(), "{cuts:?}");
        // The longest packet that a path over the WAN takes, less what VXLAN adds.
        assert_eq!(made.mtu(), Some(1550));
        let exits = made.there.hops.iter().flat_map(|hop| &hop.exits);
        let names: Vec<&str> =
            exits.filter_map(|exit| Some(fabric.wan(exit.wan?).name.value.as_str())).collect();
        names.join(" ")
    };
    assert_eq!(paths(&[]), "radio fibre");
    assert_eq!(paths(&["skerry-a p12"]), "fibre");
    assert_eq!(paths(&["inlet-a p52"]), "radio");
    let cut = walk(&fabric, &["skerry-a p11", "skerry-a p12"], "buoy", "buoy-log", Options::ALL);
    assert!(!cut.arrives());
}

/// A layer 3 switch with two VLANs and no overlay, an access switch below it, and a second router.
const INTER_VLAN: &str = r#"
[[switch]]
name = "pier-[1-2]"
number = 1
ports = "p[1-8] 1G"

[[switch]]
name = "quay"
ports = "p[1-4] 1G"

[[segment]]
name = "benches"
vlan = 420
subnet = "10.82.120.0/24"
gateway = "10.82.120.1"
on = ["pier-1", "quay"]
gateway_on = "pier-1"

[[segment]]
name = "cameras"
vlan = 421
subnet = "10.82.121.0/24"
gateway = "10.82.121.1"
on = ["pier-1", "quay"]
gateway_on = "pier-1"

[[segment]]
name = "desks"
vlan = 422
subnet = "10.82.122.0/24"
gateway = "10.82.122.1"
on = "pier-2"

[[port]]
on = "pier-1"
ports = "p1"
tagged = "420-421"

[[port]]
on = "quay"
ports = "p1"
tagged = "420-421"

[[port]]
on = "quay"
ports = "p2"
untagged = 420

[[port]]
on = "quay"
ports = "p3"
untagged = 421

[[port]]
on = "pier-2"
ports = "p1"
untagged = 422

[[port]]
on = "pier-1"
ports = "p8"
address = "10.64.0.0/31"

[[port]]
on = "pier-2"
ports = "p8"
address = "10.64.0.1/31"

[[underlay]]
on = "pier-*"
protocol = "ospf"
advertise = ["links", "segments"]

[[host]]
name = "bench-1"
nics = "nic1 1G"
networks = { name = "own" }

[[host]]
name = "camera-1"
nics = "nic1 1G"
networks = { name = "own" }

[[host]]
name = "desk-1"
nics = "nic1 1G"
networks = { name = "own" }

[[endpoint]]
name = "lathe"
host = "bench-1"
address = "10.82.120.21/24"
gateway = "10.82.120.1"

[[endpoint]]
name = "eye"
host = "camera-1"
address = "10.82.121.11/24"
gateway = "10.82.121.1"

[[endpoint]]
name = "pilot"
host = "desk-1"
address = "10.82.122.5/24"
gateway = "10.82.122.1"

[cabling]
runs = [
  "quay p1 -- pier-1 p1",
  "bench-1 nic1 -- quay p2",
  "camera-1 nic1 -- quay p3",
  "desk-1 nic1 -- pier-2 p1",
  "pier-1 p8 -- pier-2 p8",
]
"#;

#[test]
fn between_vlans_without_any_overlay() {
    let fabric = read(INTER_VLAN);
    let near = walk(&fabric, &[], "lathe", "eye", Options::BY_HASH);
    let far = walk(&fabric, &[], "lathe", "pilot", Options::BY_HASH);
    assert_eq!((near.arrives(), near.there.routers()), (true, 1));
    assert_eq!((far.arrives(), far.there.routers()), (true, 2));
    let page = format!("{}\n{}", both(&fabric, &near), both(&fabric, &far));
    insta::assert_snapshot!(page);
}

/// What to replace by what, what to cut, how the walk then stops, and the rule that explains it.
type Row = (&'static str, &'static str, &'static [&'static str], fn(Stop) -> bool, &'static str);

/// Why a walk through a demo stops, with one thing changed.
#[test]
fn why_walks_stop() {
    let whole = {
        let plan = felting::scaffold::Scaffold {
            pairs: 2,
            hosts: 4,
            tenants: 2,
            segments: 4,
            ..Default::default()
        };
        crate::expectations::peopled(&plan).0
    };
    // The machines m-1 and m-3 are of one tenant, m-1 in net-101, m-3 in net-103.
    let rows: &[Row] = &[
        ("", "", &["host-001 bond0"], |s| s == Stop::NoUplink, ""),
        (
            "address = \"10.64.1.11/24\"\ngateway = \"10.64.1.1\"",
            "address = \"10.64.1.11/24\"\ngateway = \"10.64.1.254\"",
            &[],
            |s| matches!(s, Stop::Unanswered(_) | Stop::Unknown { .. }),
            "endpoint-gateway-wrong",
        ),
        (
            "host = \"host-001\"\ntag = 101",
            "host = \"host-001\"\ntag = 999",
            &[],
            |s| matches!(s, Stop::TagOutside(_)),
            "endpoint-network-unmapped",
        ),
    ];
    for (from, to, cuts, expected, rule) in rows {
        assert!(whole.contains(from), "{from}");
        let fabric = read(&whole.replacen(from, to, 1));
        let made = walk(&fabric, cuts, "m-1", "m-3", Options::ALL);
        let (_, stop) = made.root().unwrap();
        assert!(expected(stop), "{to}: {stop:?}");
        let report = fabric.check();
        let state = State::of(&fabric, &without(&fabric, cuts), &Progress::default());
        let explained = made.explained_by(&state, &report).map(|finding| finding.rule.id);
        assert!(explained.unwrap_or("").starts_with(rule), "{to}: {explained:?}");
    }
}

#[test]
fn what_is_large_is_dropped_where_the_link_is_small() {
    let fabric = demo("saltmarsh");
    let of = |size: u32| {
        let options = Options { size: Some(size), ..Options::ALL };
        walk(&fabric, &[], "web-1", "web-2", options)
    };
    // The hosts' bonds take 9000 bytes, and the underlay 9216 with the outer headers.
    assert!(of(9000).arrives());
    let (_, stop) = of(9001).stop().map(|(hop, stop)| (hop.device, stop)).unwrap();
    assert!(matches!(stop, Stop::TooBig { mtu: 9000, .. }), "{stop:?}");
    assert_eq!(of(84).mtu(), Some(9000));
}

#[test]
fn a_guest_that_moved_is_found_at_its_new_host() {
    let fabric = demo("saltmarsh");
    let state = State::of(
        &fabric,
        &felting::Condition::default().moving(&fabric, "web-1 to hull-05").unwrap(),
        &Progress::default(),
    );
    let ends = ["web-2", "web-1"].map(|end| fabric.terminal(end).unwrap());
    let made = felting::walk::Walker::new(&state).walk(ends[0], ends[1], Options::BY_HASH).unwrap();
    let last = made.there.hops.last().unwrap();
    assert_eq!(fabric.device_name(last.device), "hull-05");
    assert_eq!(last.end, Some(End::Arrived));
    assert!(last.acts.iter().any(|act| matches!(act, Act::Delivers(_))));
    let error = felting::Condition::default().moving(&fabric, "web-1 to hull-99").unwrap_err();
    assert_eq!(
        error.to_string(),
        "there is no \"web-1 to hull-99\" to move; did you mean hull-01?"
    );
}

#[test]
fn a_network_outside_that_nobody_leads_to_is_nowhere() {
    let text = "[[vrf]]\nname = \"v\"\nnumber = 1\n[[outside]]\nname = \"a\"\nvrf = \"v\"\non = \"x\"\n\
                prefixes = \"0.0.0.0/0\"\n";
    let fabric = Fabric::from_text("nowhere.toml", text);
    assert!(!fabric.is_complete());
    assert!(fabric.terminal("a").is_err());
}
