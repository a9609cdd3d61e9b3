//! Answers that can be had in two ways, on fabrics of chance: `PROPTEST_CASES=1000` tries more of them.

use std::collections::BTreeSet;
use std::net::IpAddr;

use felting::behaviour::{Import, RouteKind};
use felting::scaffold::Scaffold;
use felting::value::{Family, Replication};
use felting::{Condition, Fabric, Progress, State};
use proptest::prelude::*;
use proptest::sample::Index;

use crate::{expectations, reaching, single_losses};

/// Slips beside those that expectations are tried with: of links, adjacencies, sessions and ways.
const MORE_FAULTS: &[(&str, &str)] = &[
    ("as_number = 65000", "as_number = 65000\nmax_paths = 1"),
    (
        "as_number = 65000",
        "as_number = 65000\ndiffers = [{ on = \"leaf-01a\", as_number = 65001 }]",
    ),
    ("protocol = \"ospf\"", "protocol = \"is-is\""),
    ("protocol = \"ospf\"", "protocol = \"bgp\""),
    ("client = true\n", "client = true\ndiffers = [{ on = \"spine-1\", client = false }]\n"),
    ("client = true\n", ""),
    ("\"leaf-01a p[49-50] -- spine-[1-2] p1\",", "\"leaf-01a p49 -- spine-1 p1\","),
    ("\"leaf-01a p[51-52] -- leaf-01b p[51-52]\",", "\"leaf-01a p51 -- leaf-01b p51\","),
    (
        "gateway_mac = \"02:00:00:00:00:01\"",
        "gateway_mac = \"02:00:00:00:00:01\"\nirb = \"asymmetric\"",
    ),
    ("vtep = false", "vtep = false\nmtu = 1500"),
];

fn plans() -> impl Strategy<Value = Scaffold> {
    let tiers = (1..=2_u32, 1..=2_u32);
    let counts = (0..=2_u32, 2..=3_u32, 1..=4_u32, 1..=2_u32, 1..=3_u32);
    (tiers, counts).prop_map(|((pods, spines), (pairs, leaves, hosts, tenants, segments))| {
        Scaffold {
            pods,
            super_spines: if pods == 1 { 0 } else { 2 },
            spines,
            pairs,
            leaves: if pairs == 0 { leaves } else { 0 },
            hosts,
            tenants: tenants.min(segments),
            segments,
            ..Scaffold::default()
        }
    })
}

/// The same fabric with BGP on its links: an AS number for each pair of leaves and for each other router, and EVPN
/// told by eBGP with the next hop kept.
fn over_bgp(text: &str) -> String {
    let others = match text.contains("top-") {
        true => "[\"spine-*\", \"top-*\"]",
        false => "\"spine-*\"",
    };
    let numbers = format!(
        "policy_required = false\n\n[[pool]]\nname = \"spine-numbers\"\ngives = \"as-numbers\"\n\
         base = 65100\non = {others}\n\n[[pool]]\nname = \"leaf-numbers\"\ngives = \"as-numbers\"\n\
         base = 4200000000\nby = \"pair\"\non = \"leaf-*\"\n"
    );
    let mut text = text
        .replace("protocol = \"ospf\"", "protocol = \"bgp\"")
        .replace("as_number = 65000\n", &numbers)
        .replace("client = true\n", "next_hop = \"kept\"\n");
    for of in ["spine", "leaf", "top"] {
        text = text.replace(&format!("\nto = \"{of}"), &format!("\nmultihop = 3\nto = \"{of}"));
    }
    text.replace("\nto = \"top", "\nnext_hop = \"kept\"\nto = \"top")
}

/// The text with those of some slips that fit it.
fn with_slips(text: String, slips: &[Index]) -> String {
    let all = [expectations::FAULTS, MORE_FAULTS].concat();
    slips.iter().map(|slip| slip.get(&all)).fold(text, |text, (from, to)| {
        let slipped = text.replacen(from, to, 1);
        match Fabric::from_text("first.toml", &slipped).is_complete() {
            true => slipped,
            false => text,
        }
    })
}

/// Whom a switch floods to, by its list and by the type 3 routes that it imports.
fn floods_where_asked(state: &State) -> usize {
    let fabric = state.fabric();
    let mut compared = 0;
    for (switch, _) in fabric.devices() {
        let received = state.received(switch, &Progress::default());
        for (presence, _) in fabric.presences().filter(|(_, one)| one.switch == switch) {
            let Some(list) = state.floods(presence) else { continue };
            if list.replication != Replication::Ingress {
                continue;
            }
            let listed: BTreeSet<IpAddr> = list.targets.iter().map(|one| one.address).collect();
            let imported =
                received.iter().filter(|one| one.imports.contains(&Import::Segment(presence)));
            // The tunnel identifier of the route (RFC 6514 section 5), whatever its next hop.
            let asked = imported.filter_map(|one| match one.route.kind {
                RouteKind::InclusiveMulticast { originator } => Some(originator),
                _ => None,
            });
            let asked: BTreeSet<IpAddr> = asked.collect();
            assert_eq!(listed, asked, "{} floods", fabric.device_name(switch));
            compared += listed.len();
        }
    }
    compared
}

/// Whether routes have got to a switch, by each of them and by what is known of their origin.
fn routes_as_speakers(state: &State) {
    let fabric = state.fabric();
    for (switch, device) in fabric.devices() {
        let Some(at) = device.router else { continue };
        for one in state.received(switch, &Progress::default()) {
            let Some(origin) = fabric.device(one.origin).router else { continue };
            let reaches = state.routes_reach(Family::Evpn, origin, at);
            let ends = [origin, at].map(|id| fabric.device_name(fabric.router(id).device));
            assert_eq!(one.best.is_some(), reaches, "{ends:?}");
            let up = one.best.is_none_or(|session| state.bgp().session(session).is_up());
            assert!(up, "{ends:?}");
        }
    }
}

/// What is known of all routers at once, beside the routes to each loopback followed by themselves.
fn delivered_as_routed(state: &State) -> usize {
    let fabric = state.fabric();
    let mut led = 0;
    for (to, owner) in fabric.routers() {
        let Some(loopback) = owner.loopbacks.first() else { continue };
        let toward = state.toward(loopback.prefix());
        for (at, router) in fabric.routers().filter(|(at, _)| *at != to) {
            let delivers = state.delivers(at, loopback.address()).is_ok();
            let ends = [at, to].map(|id| fabric.device_name(fabric.router(id).device));
            assert_eq!(toward.routes[at].is_some(), delivers, "{ends:?}, {:?}", router.protocol);
            led += usize::from(delivers);
        }
    }
    led
}

#[test]
fn lists_and_routes_are_of_something() {
    let (text, _) = expectations::peopled(&Scaffold::default());
    let fabric = crate::read(&text);
    // Two segments at four leaves in two pairs, each with the other pair's address.
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    assert_eq!(floods_where_asked(&state), 8);
    // Of six routers each has a way to the loopbacks of the others.
    assert_eq!(delivered_as_routed(&state), 30);
    let fabric = crate::read(&over_bgp(&text));
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    assert_eq!(floods_where_asked(&state), 8);
    assert_eq!(delivered_as_routed(&state), 30);
}

/// Expectations of many pairs, of which some are walked for all, beside each of these pairs by itself.
fn many_as_each(text: &str, names: &[String]) -> usize {
    let expect = |from: &str, to: &str, more: &str| {
        format!("[[expect]]\nfrom = [{from}]\nto = [{to}]\n{more}\n")
    };
    let quoted = |names: &[String]| {
        names.iter().map(|name| format!("\"{name}\"")).collect::<Vec<_>>().join(", ")
    };
    let all = quoted(names);
    let holds = |text: &str, expectations: &str| -> Vec<bool> {
        let fabric = crate::read(&format!("{text}\n{expectations}"));
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let failures = felting::walk::judge(&state, &Progress::default());
        let own = fabric
            .expectations()
            .skip(fabric.expectations().len() - expectations.matches("[[").count());
        own.map(|(id, _)| failures.iter().all(|failure| failure.expectation != id)).collect()
    };
    let mut failing = 0;
    for more in ["", "despite = \"any-switch\"", "despite = \"any-cable\"", "reaches = false"] {
        for two in names.chunks(3) {
            let many = holds(text, &expect(&quoted(two), &all, more));
            let pairs = two.iter().flat_map(|a| names.iter().map(move |b| (a, b)));
            let each: String = pairs
                .filter(|(a, b)| a != b)
                .map(|(a, b)| expect(&format!("\"{a}\""), &format!("\"{b}\""), more))
                .collect();
            let each = holds(text, &each).into_iter().all(|holds| holds);
            assert_eq!(many, [each], "{two:?} {more}");
            failing += usize::from(!each);
        }
    }
    failing
}

/// Hosts with a NIC that stands by at another switch, and one without: alike, until the switch that they use is lost.
const STANDING_BY: &str = r#"
[[switch]]
name = "mud-[1-2]"
ports = "p[1-9] 10G"

[[port]]
on = "mud-*"
ports = "p[1-7]"
untagged = 310

[[port]]
on = "mud-*"
ports = "p9"
tagged = 310

[[segment]]
name = "tides"
vlan = 310
on = "mud-*"

[[host]]
name = "hull-[1-6]"
nics = "nic[1-2] 10G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "active-standby" }
networks = { name = "web" }

[[host]]
name = "gauge-1"
nics = "nic1 10G"
networks = { name = "web" }

[cabling]
runs = [
  "mud-1 p9 -- mud-2 p9",
  "hull-[1-6] nic1 -- mud-1 p[1-6]",
  "hull-[1-6] nic2 -- mud-2 p[1-6]",
  "gauge-1 nic1 -- mud-1 p7",
]
"#;

/// Machines that differ in nothing but what they hang on when something is lost.
#[test]
fn many_pairs_are_judged_as_each_of_them() {
    let hosts = (1..=6).map(|host| format!("hull-{host}")).chain(["gauge-1".to_owned()]);
    let hosts: Vec<String> = hosts.collect();
    let machine = |(at, host): (usize, &String)| {
        format!(
            "[[endpoint]]\nname = \"m-{host}\"\nhost = \"{host}\"\naddress = \"10.80.31.{}/24\"\n",
            at + 11
        )
    };
    let machines: String = hosts.iter().enumerate().map(machine).collect();
    let names: Vec<String> = hosts.iter().map(|host| format!("m-{host}")).collect();
    // Despite a switch or a cable none reaches the one without; and what must not be reached is.
    assert_eq!(many_as_each(&format!("{STANDING_BY}{machines}"), &names), 9);
    let plan = Scaffold { pairs: 2, hosts: 8, tenants: 1, segments: 2, ..Scaffold::default() };
    let (text, _) = expectations::peopled(&plan);
    let names: Vec<String> = (1..=8).map(|host| format!("m-{host}")).collect();
    let mut failing = many_as_each(&text, &names);
    for (from, to) in [
        // Some of several hosts stand by with one NIC, or need both.
        ("nics = \"nic[1-2]\" }", "nics = \"nic[1-2]\", min_members = 2 }"),
        ("protocol = \"lacp\"", "protocol = \"active-standby\""),
        ("\"leaf-01a p[49-50] -- spine-[1-2] p1\",", "\"leaf-01a p49 -- spine-1 p1\","),
    ] {
        let slipped = text.replacen(from, to, 1);
        failing += many_as_each(&slipped, &names);
    }
    assert!(failing > 0, "nothing ever fails");
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: std::env::var("PROPTEST_CASES").ok().and_then(|n| n.parse().ok()).unwrap_or(24),
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    #[test]
    fn two_ways_to_an_answer(
        plan in plans(),
        slips in prop::collection::vec(any::<Index>(), 0..3),
        cuts in (any::<Index>(), any::<Index>()),
        bgp in any::<bool>(),
    ) {
        let (text, pairs) = expectations::peopled(&plan);
        let text = if bgp { over_bgp(&text) } else { text };
        let text = with_slips(text, &slips);
        let fabric = crate::read(&text);
        let whole = State::of(&fabric, &Condition::default(), &Progress::default());
        let losses = single_losses(&fabric);
        let (one, other): (&String, &String) = (cuts.0.get(&losses), cuts.1.get(&losses));
        let none = Condition::default();
        let one = none.clone().cut(&fabric, one).unwrap();
        let both = one.clone().cut(&fabric, other).unwrap();
        for condition in [none, one, both] {
            let state = State::of(&fabric, &condition, &Progress::default());
            let given = whole.given(&condition);
            prop_assert!(format!("{state:?}") == format!("{given:?}"), "{condition:?}");
            floods_where_asked(&state);
            routes_as_speakers(&state);
            delivered_as_routed(&state);
            reaching::compare(&fabric, &condition);
        }
        let some: Vec<_> = pairs.into_iter().take(4).collect();
        let made = |more: &str| crate::read(&format!("{text}{}", more.replace("[fabric]", "")));
        expectations::compare(&made, &some);
    }
}
