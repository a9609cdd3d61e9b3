//! Walks across pseudowires: through several at once, inside one another, over both IP versions, and what is told of
//! wires that are set wrongly.

use std::fmt::Write as _;

use felting::walk::{Act, Options, Shim, Walk, Walker, Way, judge, reach};
use felting::{Condition, Fabric, Progress, State};

use crate::read;

/// Two routers with a network between, and nothing plugged in at either side.
fn apart(version: u8) -> String {
    let (links, loopbacks) = match version {
        4 => ("10.64.0.0/22", "10.64.8.0/24"),
        _ => ("2001:db8:64::/48", "2001:db8:64:8000::/64"),
    };
    format!(
        r#"
[[switch]]
name = "crest-1"
number = 1
role = "spine"
ports = "p[1-8] 10G"

[[switch]]
name = "inlet-a"
number = 17
role = "border"
ports = "p[1-8] 10G"

[[switch]]
name = "skerry-a"
number = 41
role = "leaf"
ports = "p[1-8] 10G"

[[pool]]
name = "links"
gives = "links"
prefix = "{links}"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "{loopbacks}"

[[router]]
on = ["crest-1", "inlet-a", "skerry-a"]
router_id = "10.64.8.1"
differs = [
  {{ on = "inlet-a", router_id = "10.64.8.17" }},
  {{ on = "skerry-a", router_id = "10.64.8.41" }},
]

[[underlay]]
on = ["crest-1", "inlet-a", "skerry-a"]
protocol = "ospf"
"#
    )
}

/// A wire between the same port of both.
fn wire(name: &str, port: &str, (here, there): (u32, u32), more: &str) -> String {
    let end = |on: &str, to: &str, local: u32, remote: u32| {
        let ids = format!("session = {{ local = {local}, remote = {remote} }}");
        let named = format!("name = \"{name}\"\non = \"{on}\"\nport = \"{port}\"\nto = \"{to}\"");
        format!("\n[[pseudowire]]\n{named}\n{ids}\n{more}\n")
    };
    end("inlet-a", "skerry-a", here, there) + &end("skerry-a", "inlet-a", there, here)
}

fn hosts(names: &str, runs: &[&str]) -> String {
    let mut text = format!(
        "\n[[host]]\nname = \"{names}\"\nnics = \"e0 10G\"\nnetworks = [{{ name = \"lan\" }}]\n\n[cabling]\nruns = [\n"
    );
    for run in [&["inlet-a p8 -- crest-1 p1", "skerry-a p8 -- crest-1 p2"], runs].concat() {
        writeln!(text, "  \"{run}\",").unwrap();
    }
    text + "]\n"
}

fn endpoint(name: &str, host: &str, last: u32) -> String {
    let at = format!("host = \"{host}\"\naddress = \"10.80.90.{last}/24\"");
    format!("\n[[endpoint]]\nname = \"{name}\"\n{at}\n")
}

const MUD: &str = r#"
[[switch]]
name = "mud-[1-2]"
number = 51
role = "access"
ports = "p[1-6] 10G"
"#;

fn state(fabric: &Fabric) -> State {
    State::of(fabric, &Condition::default(), &Progress::default())
}

fn ping(state: &State, from: &str, to: &str, options: Options) -> Walk {
    let ends = [from, to].map(|end| state.fabric().terminal(end).unwrap());
    Walker::new(state).walk(ends[0], ends[1], options).unwrap()
}

/// The wires that frames go into, on any of the ways.
fn entered<'f>(fabric: &'f Fabric, path: &Way) -> Vec<&'f str> {
    let acts = path.hops.iter().flat_map(|hop| &hop.acts);
    let ends = acts.filter_map(|act| match act {
        Act::IntoWire { end, .. } => Some(fabric.pseudowire(*end).name.as_str()),
        _ => None,
    });
    ends.collect()
}

#[test]
fn over_either_version() {
    for (version, headers) in [(4, 38), (6, 58)] {
        let ends = endpoint("a", "host-1", 1) + &endpoint("b", "host-2", 2);
        let cables = ["host-1 e0 -- inlet-a p1", "host-2 e0 -- skerry-a p1"];
        let text =
            apart(version) + &wire("bus", "p1", (17, 41), "") + &hosts("host-[1-2]", &cables);
        let fabric = read(&(text + &ends));
        let state = state(&fabric);
        let walk = ping(&state, "a", "b", Options::ALL);
        assert!(walk.arrives(), "version {version}");
        let sizes = walk.there.hops.iter().flat_map(|hop| &hop.exits);
        let most = sizes.map(|exit| exit.headers.overhead()).max();
        assert_eq!(most, Some(headers), "version {version}");
    }
}

#[test]
fn both_wires_under_a_lag_are_ways() {
    let lag = r#"
[[lag]]
on = "mud-*"
name = "across"
ports = "p[1-2]"
tagged = "310"

[[port]]
on = "mud-*"
ports = "p5"
untagged = 310
"#;
    let wires = wire("one", "p1", (17, 41), "") + &wire("two", "p2", (18, 42), "");
    let cables = [
        "mud-1 p[1-2] -- inlet-a p[1-2]",
        "mud-2 p[1-2] -- skerry-a p[1-2]",
        "host-[1-2] e0 -- mud-[1-2] p5",
    ];
    let ends = endpoint("a", "host-1", 1) + &endpoint("b", "host-2", 2);
    let fabric = read(&(apart(4) + MUD + lag + &wires + &hosts("host-[1-2]", &cables) + &ends));
    let state = state(&fabric);
    let (lag, _) = fabric.lags().next().unwrap();
    assert_eq!(state.lag(lag).in_use, 2, "LACP crosses both wires");
    let walk = ping(&state, "a", "b", Options::ALL);
    assert_eq!(entered(&fabric, &walk.there), ["one", "two"]);
    // With one of them lost the LAG goes on with the other.
    let cut = Condition::default().cut(&fabric, "pseudowire two").unwrap();
    let lost = state.given(&cut);
    assert_eq!(lost.lag(lag).in_use, 1);
    let walk = ping(&lost, "a", "b", Options::ALL);
    assert!(walk.arrives());
    assert_eq!(entered(&fabric, &walk.there), ["one"]);
}

/// Two VTEPs that are neighbours over two wires, so that VXLAN crosses L2TPv3 on two ways.
#[test]
fn a_tunnel_inside_of_two_others() {
    let vteps = r#"
[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[underlay]]
on = "mud-*"
protocol = "ospf"

[[overlay]]
on = "mud-*"
replication = "static"
target_pattern = "42041:{vni}"

[[segment]]
name = "tides"
number = 310
vlan = 310
vni = 23310
on = "mud-*"
flood_to = ["10.64.9.51", "10.64.9.52"]

[[port]]
on = "mud-*"
ports = "p5"
untagged = 310
"#;
    let wires = wire("one", "p1", (17, 41), "") + &wire("two", "p2", (18, 42), "");
    let cables = [
        "mud-1 p[1-2] -- inlet-a p[1-2]",
        "mud-2 p[1-2] -- skerry-a p[1-2]",
        "host-[1-2] e0 -- mud-[1-2] p5",
    ];
    let ends = endpoint("a", "host-1", 1) + &endpoint("b", "host-2", 2);
    let fabric = read(&(apart(4) + MUD + vteps + &wires + &hosts("host-[1-2]", &cables) + &ends));
    let state = state(&fabric);
    let walk = ping(&state, "a", "b", Options::ALL);
    assert!(walk.arrives(), "{:#?}", walk.root());
    assert_eq!(entered(&fabric, &walk.there), ["one", "two"]);
    let deepest = walk.there.hops.iter().flat_map(|hop| &hop.exits);
    let deepest = deepest.max_by_key(|exit| exit.headers.outers.len()).unwrap();
    let shims: Vec<Shim> = deepest.headers.outers.iter().map(|outer| outer.shim).collect();
    assert!(matches!(shims[..], [Shim::Vni { .. }, Shim::L2tp { .. }]), "{shims:?}");
    assert_eq!(deepest.headers.overhead(), 50 + 38);
}

#[test]
fn a_wire_over_another() {
    let inner = r#"
[[underlay]]
on = "mud-*"
protocol = "ospf"

[[pseudowire]]
name = "inner"
on = "mud-*"
port = "p5"
to = "mud-2"
session = { local = 1, remote = 2 }
differs = [{ on = "mud-2", to = "mud-1", session = { local = 2, remote = 1 } }]
"#;
    let cables =
        ["mud-1 p1 -- inlet-a p1", "mud-2 p1 -- skerry-a p1", "host-[1-2] e0 -- mud-[1-2] p5"];
    let ends = endpoint("a", "host-1", 1) + &endpoint("b", "host-2", 2);
    let outer = wire("outer", "p1", (17, 41), "");
    let fabric = read(&(apart(4) + MUD + inner + &outer + &hosts("host-[1-2]", &cables) + &ends));
    let state = state(&fabric);
    let walk = ping(&state, "a", "b", Options::ALL);
    assert!(walk.arrives(), "{:#?}", walk.root());
    assert_eq!(entered(&fabric, &walk.there), ["inner", "outer"]);
    // What is under it takes it along.
    let cut = Condition::default().cut(&fabric, "pseudowire outer").unwrap();
    let down = state.given(&cut);
    assert!(fabric.pseudowires().all(|(id, _)| !down.pseudowire(id).is_up));
}

/// Hosts on one switch, some by a wire that is too small: what nothing tells apart must not be told from a wire.
#[test]
fn hosts_behind_wires_are_not_like_those_beside_them() {
    let port = "\n[[port]]\non = \"mud-1\"\nports = \"p[1-4]\"\nuntagged = 310\n";
    let wires = wire("small", "p1", (17, 41), "mtu = 1400") + &wire("large", "p2", (18, 42), "");
    let cables = [
        "host-1 e0 -- mud-1 p3",
        "host-2 e0 -- mud-1 p4",
        "mud-1 p[1-2] -- inlet-a p[1-2]",
        "host-[3-4] e0 -- skerry-a p[1-2]",
    ];
    let mut text = apart(4) + MUD + port + &wires + &hosts("host-[1-4]", &cables);
    for host in 1..=4 {
        for guest in 0..5 {
            let name = format!("{}-{guest}", ["here", "there", "small", "large"][host - 1]);
            let last = u32::try_from(host * 10 + guest).unwrap();
            text += &endpoint(&name, &format!("host-{host}"), last);
        }
    }
    let many = text.clone()
        + "\n[[expect]]\nfrom = \"here-*\"\nto = [\"large-*\", \"small-*\"]\nmtu = 1500\n";
    let fabric = read(&many);
    let failures = judge(&state(&fabric), &Progress::default());
    assert_eq!(failures.len(), 1, "the small wire is too small for some");
    // By classes or one by one is the same, also with a wire lost.
    let state = state(&fabric);
    let all: Vec<_> = fabric.endpoints().map(|(id, _)| id).collect();
    let cut = Condition::default().cut(&fabric, "pseudowire small").unwrap();
    for state in [state.given(&cut), state] {
        let known = reach(&state, &all, &Progress::default());
        for &from in &all {
            for &to in all.iter().filter(|&&to| to != from) {
                let name = |id| fabric.endpoint(id).name.as_str();
                let walk = ping(&state, name(from), name(to), Options::ALL);
                let by_class = known.reaches(from, to);
                assert_eq!(by_class, Some(walk.arrives()), "{} to {}", name(from), name(to));
            }
        }
    }
}

/// What is told of wires that are set wrongly: what happens is asked, so it is another sentence in each.
#[test]
fn sentences_about_wires() {
    let two = wire("bus", "p1", (17, 41), "") + &wire("lamp", "p2", (18, 42), "");
    let end = |text: &str, from: &str, to: &str| {
        assert!(text.contains(from), "{from}");
        text.replacen(from, to, 1)
    };
    let situations = [
        ("an id that nobody has", end(&two, "local = 41", "local = 43")),
        ("the id of another wire", end(&two, "remote = 41", "remote = 42")),
        (
            "both not exchanged",
            two.replace("{ local = 41, remote = 17 }", "{ local = 17, remote = 41 }"),
        ),
        ("one id twice", end(&end(&two, "local = 18", "local = 17"), "remote = 18", "remote = 17")),
        (
            "one end too small",
            end(
                &end(&two, "\n\n", "\nmtu = 1400\n\n"),
                "remote = 17 }",
                "remote = 17 }\nmtu = 1500",
            ),
        ),
        (
            "the same, and down",
            end(
                &end(
                    &end(&two, "\n\n", "\nmtu = 1400\n\n"),
                    "remote = 17 }",
                    "remote = 17 }\nmtu = 1500",
                ),
                "local = 41",
                "local = 43",
            ),
        ),
        ("one end elsewhere", end(&two, "to = \"inlet-a\"", "to = \"crest-1\"")),
        ("one end missing", {
            let start = two.rfind("\n[[pseudowire]]").unwrap();
            two[..start].to_owned()
        }),
        (
            "a cookie without effect",
            wire("bus", "p1", (17, 41), "encapsulation = \"vxlan\"\nvni = 23390"),
        ),
    ];
    let mut told = String::new();
    for (what, wires) in situations {
        let fabric = read(&(apart(4) + &wires + &hosts("host-9", &[])));
        writeln!(told, "{what}").unwrap();
        for finding in &fabric.check().findings {
            let id = finding.rule.id;
            if id.starts_with("tunnel-") || id.starts_with("setting-") || id.starts_with("trouble-")
            {
                writeln!(told, "  {id}: {}\n    {}", finding.what.message, finding.wire).unwrap();
            }
        }
    }
    insta::assert_snapshot!(told);
}
