use felting::behaviour::{AdjacencyFault, NoRoute};
use felting::fabric::DeviceId;
use felting::value::IpPrefix;
use felting::{Fabric, Progress, State};

use super::{CABLES, PLANT, device, made, made_under};

/// The fault of the link between kelp-b and crest-1.
fn fault(more: &str) -> Option<AdjacencyFault> {
    let (fabric, state) = made(&format!("{PLANT}{CABLES}{more}"));
    let switch = device(&fabric, "kelp-b");
    let router = fabric.router_of(switch).unwrap();
    let uplink = router.interfaces.iter().find(|&id| fabric.interface_name(id).starts_with("p49"));
    let adjacency = state.underlay().adjacency_of(uplink.unwrap()).unwrap();
    adjacency.fault
}

#[test]
fn what_keeps_neighbours_apart() {
    let ospf = |differs: &str| {
        format!(
            "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\ndiffers = [{{ on = \"kelp-b\", {differs} }}]\n"
        )
    };
    let isis = |all: &str, differs: &str| {
        format!(
            "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\nprotocol = \"is-is\"\n{all}differs = [{{ on = \"kelp-b\", {differs} }}]\n"
        )
    };
    for (what, text, expected) in [
        ("nothing", ospf("cost = 20"), None),
        // RFC 2328 section 8.2: the area of the header must be that of the interface.
        ("area", ospf("area = 1"), Some(AdjacencyFault::AreaClash)),
        ("one area in two spellings", ospf("area = \"0.0.0.0\""), None),
        // RFC 2328 section 10.5: HelloInterval and RouterDeadInterval must match.
        ("hello", ospf("hello = \"5s\""), Some(AdjacencyFault::TimerClash)),
        ("dead", ospf("dead = \"20s\""), Some(AdjacencyFault::TimerClash)),
        // RFC 2328 section 8.2: authentication as the interface has it.
        ("key", ospf("authentication = \"ebb\""), Some(AdjacencyFault::AuthenticationClash)),
        (
            "network type",
            ospf("network_type = \"broadcast\""),
            Some(AdjacencyFault::NetworkTypeClash),
        ),
        ("protocol", ospf("protocol = \"bgp\""), Some(AdjacencyFault::ProtocolClash)),
        ("none at one end", ospf("protocol = \"none\""), Some(AdjacencyFault::OneSided)),
        ("unnumbered at one end", ospf("unnumbered = true"), Some(AdjacencyFault::UnnumberedClash)),
        // ISO/IEC 10589: the holding time is said in the hello, so the timers may differ.
        ("IS-IS timers", isis("", "hello = \"5s\""), None),
        ("level 2 with both", isis("level = 2\n", "level = \"1-2\""), None),
        (
            "level 1 with level 2",
            isis("level = 2\n", "level = 1"),
            Some(AdjacencyFault::LevelClash),
        ),
        // ISO/IEC 10589 clause 8.2.4.2: level 1 inside one area only.
        (
            "level 1, other area",
            isis("level = 1\narea = \"49.0001\"\n", "area = \"49.0002\""),
            Some(AdjacencyFault::AreaClash),
        ),
        (
            "level 2, other area",
            isis("level = 2\narea = \"49.0001\"\n", "area = \"49.0002\""),
            None,
        ),
    ] {
        assert_eq!(fault(&text), expected, "{what}");
    }
    let mtu = "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\n[[port]]\non = \"kelp-b\"\nports = \"p49\"\nmtu = 1500\n[[port]]\non = \"crest-1\"\nports = \"p2\"\nmtu = 9216\n";
    assert_eq!(fault(mtu), Some(AdjacencyFault::MtuClash), "RFC 2328 section 10.6");
    let same = "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\n[[router]]\non = [\"crest-1\", \"kelp-b\"]\nrouter_id = \"10.64.8.9\"\n";
    assert_eq!(fault(same), Some(AdjacencyFault::RouterIdSame), "RFC 2328 section 10.5");
}

/// A switch's route to a prefix: metric and next hops.
fn route(state: &State, at: &str, prefix: &str) -> Option<(u32, Vec<String>)> {
    let fabric = state.fabric();
    let prefix: IpPrefix = prefix.parse().unwrap();
    let toward = state.toward(prefix);
    let router = fabric.device(device(fabric, at)).router.unwrap();
    toward.routes[router].as_ref().map(|route| {
        let name = |hop: &felting::behaviour::Hop| {
            format!(
                "{} {}",
                fabric.interface_name(hop.interface),
                fabric.device_name(fabric.router(hop.to).device)
            )
        };
        (route.metric, route.hops.iter().map(name).collect())
    })
}

#[allow(clippy::unnecessary_wraps, reason = "compared with a route that may be missing")]
fn hops(metric: u32, names: &[&str]) -> Option<(u32, Vec<String>)> {
    Some((metric, names.iter().map(|&name| name.to_owned()).collect()))
}

#[test]
fn equal_costs_share_and_limits_cut_them() {
    let ospf = "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\n";
    let all = format!("{PLANT}{CABLES}{ospf}");
    let (_, state) = made(&all);
    let both = hops(20, &["p49 crest-1", "p50 crest-2"]);
    assert_eq!(route(&state, "kelp-a", "10.64.8.12/32"), both);
    // A cheaper link takes all.
    let (_, state) =
        made(&format!("{all}[[interface]]\non = \"kelp-a\"\nport = \"p50\"\ncost = 5\n"));
    assert_eq!(route(&state, "kelp-a", "10.64.8.12/32"), hops(15, &["p50 crest-2"]));
    // The cost is that of the end that sends (RFC 2328 section 16.1): the way back is as before.
    let back = route(&state, "kelp-b", "10.64.8.11/32");
    assert_eq!(back, hops(20, &["p49 crest-1", "p50 crest-2"]));
    let (_, state) = made(&format!("{all}[[router]]\non = \"kelp-a\"\nmax_paths = 1\n"));
    assert_eq!(route(&state, "kelp-a", "10.64.8.12/32"), hops(20, &["p49 crest-1"]));
    let (_, state) = made_under(&all, &["cable kelp-b p49"]);
    assert_eq!(route(&state, "kelp-a", "10.64.8.12/32"), hops(20, &["p50 crest-2"]));
}

#[test]
fn over_the_peer_link_where_the_uplinks_are_lost() {
    let text = format!(
        "{PLANT}{}",
        r#"
[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "kelp-a p[51-52] -- kelp-b p[51-52]",
]
[[underlay]]
on = ["crest-*", "kelp-*"]
[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[51-52]"
tagged = 3900
[[interface]]
on = "kelp-*"
vlan = 3900
unnumbered = true
cost = 100
"#
    );
    let (_, state) = made(&text);
    assert_eq!(route(&state, "kelp-a", "10.64.8.1/32"), hops(10, &["p49 crest-1"]));
    let cuts = ["kelp-a p49", "kelp-a p50"];
    let (_, state) = made_under(&text, &cuts);
    assert_eq!(route(&state, "kelp-a", "10.64.8.1/32"), hops(110, &["VLAN 3900 kelp-b"]));
    let (_, state) = made_under(&text, &["kelp-a p49", "kelp-a p50", "peer link of kelp"]);
    assert_eq!(route(&state, "kelp-a", "10.64.8.1/32"), None);
}

/// RFC 2328 section 16: a chain of areas 1, 0, 2, with a shortcut inside area 1.
const AREAS: &str = r#"
[[switch]]
name = "reed-[1-6]"
number = 1
role = "router"
ports = "p[1-4] 10G"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[underlay]]
on = "reed-*"
unnumbered = true

# Area 1 holds reed-1, reed-2 and reed-3; area 0 reed-3 and reed-4; area 2 reed-4, reed-5 and reed-6.
[cabling]
runs = [
  "reed-1 p1 -- reed-2 p1",
  "reed-2 p2 -- reed-3 p1",
  "reed-1 p2 -- reed-3 p2",
  "reed-3 p3 -- reed-4 p1",
  "reed-4 p2 -- reed-5 p1",
  "reed-5 p2 -- reed-6 p1",
]

[[interface]]
on = ["reed-1", "reed-2"]
port = "p[1-2]"
area = 1

[[interface]]
on = "reed-3"
port = "p[1-2]"
area = 1

[[interface]]
on = "reed-4"
port = "p2"
area = 2

[[interface]]
on = ["reed-5", "reed-6"]
port = "p[1-2]"
area = 2
"#;

#[test]
fn paths_between_areas_go_by_the_backbone() {
    let (_, state) = made(AREAS);
    for (at, to, expected) in [
        ("reed-1", "10.64.8.2/32", hops(10, &["p1 reed-2"])),
        ("reed-1", "10.64.8.3/32", hops(10, &["p2 reed-3"])),
        ("reed-1", "10.64.8.4/32", hops(20, &["p2 reed-3"])),
        ("reed-2", "10.64.8.6/32", hops(40, &["p2 reed-3"])),
        ("reed-6", "10.64.8.1/32", hops(40, &["p1 reed-5"])),
    ] {
        assert_eq!(route(&state, at, to), expected, "{at} to {to}");
    }
    // Without the backbone the areas are apart.
    let (fabric, state) = made_under(AREAS, &["cable reed-3 p3"]);
    assert_eq!(route(&state, "reed-1", "10.64.8.6/32"), None);
    assert_eq!(route(&state, "reed-1", "10.64.8.3/32"), hops(10, &["p2 reed-3"]));
    let router = |name: &str| fabric.device(device(&fabric, name)).router.unwrap();
    let found = state.delivers(router("reed-1"), "10.64.8.6".parse().unwrap());
    assert_eq!(found, Err(NoRoute::Unknown(router("reed-1"))));
}

#[test]
fn bgp_over_the_links_takes_the_shortest_as_paths() {
    let bgp = r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
protocol = "bgp"
import = "everything"
export = "everything"
[[router]]
on = "crest-*"
as_number = 4204100001
[[pool]]
name = "leaves"
gives = "as-numbers"
base = 4204100000
on = "kelp-*"
"#;
    let all = format!("{PLANT}{CABLES}{bgp}");
    let (_, state) = made(&all);
    let leaf = route(&state, "kelp-a", "10.64.8.12/32");
    assert_eq!(leaf, hops(2, &["p49 crest-1", "p50 crest-2"]));
    // RFC 4271 section 9.1.2: the spines share an AS number, so neither has the other's loopback.
    assert_eq!(route(&state, "crest-1", "10.64.8.2/32"), None);
    // RFC 8212: without a policy nothing passes.
    let closed = all.replace("import = \"everything\"\n", "");
    let (_, state) = made(&closed);
    assert_eq!(route(&state, "kelp-a", "10.64.8.12/32"), None);
    let (_, state) =
        made(&format!("{closed}[[router]]\non = \"kelp-*\"\npolicy_required = false\n"));
    assert_eq!(route(&state, "kelp-a", "10.64.8.1/32"), hops(1, &["p49 crest-1"]));
    // A policy that stops one leaf's loopback.
    let stopped = all.replace("import = \"everything\"", "import = \"no-twelve\"");
    let (_, state) =
        made(&format!("{stopped}[[policy]]\nname = \"no-twelve\"\ndeny = \"10.64.8.12/32\"\n"));
    assert_eq!(route(&state, "kelp-a", "10.64.8.12/32"), None);
    assert_eq!(route(&state, "crest-1", "10.64.8.11/32"), hops(1, &["p1 kelp-a"]));
}

#[test]
fn ipv6_and_unnumbered_links() {
    // RFC 8950: an unnumbered session carries IPv4 routes too, over link-local addresses.
    let text = format!(
        "{}{CABLES}{}",
        PLANT.replace("10.64.0.0/22", "2001:db8:64::/64").replace(
            "prefix = \"10.64.8.0/24\"",
            "prefix = [\"10.64.8.0/24\", \"2001:db8:64:8::/64\"]"
        ),
        r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
protocol = "bgp"
unnumbered = true
import = "everything"
export = "everything"
[[router]]
on = "crest-*"
as_number = 65001
[[pool]]
name = "leaves"
gives = "as-numbers"
base = 65000
on = "kelp-*"
"#
    );
    let both = hops(2, &["p49 crest-1", "p50 crest-2"]);
    let (_, state) = made(&text);
    assert_eq!(route(&state, "kelp-a", "10.64.8.12/32"), both);
    assert_eq!(route(&state, "kelp-a", "2001:db8:64:8::c/128"), both);
    // Numbered with a /127 each (RFC 6164).
    let (fabric, state) = made(&text.replace("unnumbered = true\n", ""));
    assert_eq!(route(&state, "kelp-a", "2001:db8:64:8::c/128"), both);
    let first = fabric.router_of(device(&fabric, "kelp-a")).unwrap().interfaces.get(0).unwrap();
    assert_eq!(fabric.interface(first).addresses[0].value.to_string(), "2001:db8:64::b1/127");
}

#[test]
fn a_wan_is_crossed_by_static_routes_both_ways() {
    let text = felting::rules::find("site-wan-unrouted").unwrap().mended();
    let (fabric, state) = made(&text);
    let router = |name: &str| fabric.device(device(&fabric, name)).router.unwrap();
    let delivers =
        |state: &State, from: &str, to: &str| state.delivers(router(from), to.parse().unwrap());
    assert_eq!(delivers(&state, "inlet-a", "10.64.40.41"), Ok(()));
    assert_eq!(delivers(&state, "skerry-a", "10.64.9.17"), Ok(()));
    let (_, cut) = made_under(&text, &["skerry-a p49"]);
    assert_eq!(delivers(&cut, "inlet-a", "10.64.40.41"), Err(NoRoute::Down(router("inlet-a"))));
    let sessions = |state: &State, name: &str| {
        let router: DeviceId = device(&fabric, name);
        let own = fabric.router_of(router).unwrap().sessions.iter();
        own.filter(|&session| state.bgp().session(session).is_up()).count()
    };
    assert_eq!((sessions(&state, "skerry-a"), sessions(&cut, "skerry-a")), (1, 0));
}

/// What a switch is allotted: AS number, router id, first link address.
fn allotted(fabric: &Fabric, name: &str) -> (u32, String, Vec<String>) {
    let router = fabric.router_of(device(fabric, name)).unwrap();
    let links = router.interfaces.iter().flat_map(|id| &fabric.interface(id).addresses);
    (
        router.as_number.map_or(0, |asn| asn.get()),
        router.router_id.map_or_else(String::new, |id| id.to_string()),
        links.map(|address| address.value.to_string()).collect(),
    )
}

#[test]
fn values_follow_from_numbers_and_can_be_pinned() {
    let text = |by: &str, more: &str| {
        format!(
            "{}{CABLES}[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\nprotocol = \"bgp\"\n\
             [[pool]]\nname = \"as\"\ngives = \"as-numbers\"\nbase = 64900\nby = \"{by}\"\non = \"kelp-*\"\n\
             [[pool]]\nname = \"ids\"\ngives = \"router-ids\"\nprefix = \"192.0.2.0/24\"\n{more}",
            PLANT.replace("role = \"leaf\"", "role = \"leaf\"\nrack = \"R2\"")
        )
    };
    // Pool base plus number; of a link the lower switch's number times the reserve of eight, and the
    // port's place: kelp-b has the number 12, so its links are at 96 and 97.
    let (fabric, _) = made(&text("switch", ""));
    let links = vec!["10.64.0.193/31".to_owned(), "10.64.0.195/31".to_owned()];
    assert_eq!(allotted(&fabric, "kelp-b"), (64912, "192.0.2.12".to_owned(), links.clone()));
    assert_eq!(allotted(&fabric, "crest-2").2, ["10.64.0.178/31", "10.64.0.194/31"]);
    // One AS number a rack, and one a pair: that of the smaller number.
    let (fabric, _) = made(&text("rack", ""));
    assert_eq!((allotted(&fabric, "kelp-a").0, allotted(&fabric, "kelp-b").0), (64911, 64911));
    let pair = "[[pair]]\nname = \"kelp\"\non = \"kelp-*\"\ndomain = 11\n";
    let (fabric, _) = made(&text("pair", pair));
    assert_eq!((allotted(&fabric, "kelp-a").0, allotted(&fabric, "kelp-b").0), (64911, 64911));
    // Another switch renumbers nobody; what is pinned is pinned.
    let more = "[[switch]]\nname = \"kelp-0\"\nnumber = 5\nrole = \"leaf\"\nports = \"p[49-50] 100G\"\n\
        [[router]]\non = \"kelp-a\"\nas_number = 65099\nrouter_id = \"192.0.2.99\"\n\
        [[port]]\non = \"kelp-a\"\nports = \"p49\"\naddress = \"10.64.3.1/31\"\n";
    let (fabric, _) = made(&text("switch", more));
    assert_eq!(allotted(&fabric, "kelp-b"), (64912, "192.0.2.12".to_owned(), links));
    let pinned = vec!["10.64.3.1/31".to_owned(), "10.64.0.179/31".to_owned()];
    assert_eq!(allotted(&fabric, "kelp-a"), (65099, "192.0.2.99".to_owned(), pinned));
}

#[test]
fn vnis_targets_and_distinguishers_follow_from_numbers() {
    let text = format!(
        "{PLANT}{}{CABLES}{}",
        super::OVERLAY,
        r#"
[[pool]]
name = "segments"
gives = "segment-vnis"
base = 23000
[[pool]]
name = "vrfs"
gives = "vrf-vnis"
base = 27000
last = 27001
[[vrf]]
name = "tides"
number = 1
on = "kelp-*"
[[vrf]]
name = "plankton"
number = 2
on = "kelp-*"
[[segment]]
name = "tides-web"
number = 310
vlan = 10
on = "kelp-*"
differs = [{ on = "kelp-b", vni = 23999 }]
"#
    );
    let (fabric, state) = made(&text);
    let vni = |switch: &str| {
        fabric.presence(super::presence(&fabric, switch, "tides-web")).vni.unwrap().get()
    };
    assert_eq!((vni("kelp-a"), vni("kelp-b")), (23310, 23999));
    let instance = state.evpn().instance(super::presence(&fabric, "kelp-a", "tides-web")).unwrap();
    assert_eq!(instance.rd.unwrap().to_string(), "10.64.8.11:310");
    assert_eq!(instance.export[0].to_string(), "42041:23310");
    let vrfs: Vec<_> = fabric.vrfs().map(|(_, vrf)| vrf.vni.map(|vni| vni.get())).collect();
    // The pool ends at 27001: the second VRF gets none, which is a finding.
    assert_eq!(vrfs, [Some(27001), None]);
    assert_eq!(fabric.exhausted().len(), 1);
}

#[test]
fn is_is_levels_reach_each_other_by_the_second() {
    // Level 1 inside two areas, level 2 between them (ISO/IEC 10589 clause 7.2).
    let text = AREAS
        .replace(
            "unnumbered = true\n",
            "unnumbered = true\nprotocol = \"is-is\"\nlevel = 2\narea = \"49.0000\"\n",
        )
        .replace("area = 1\n", "level = 1\narea = \"49.0001\"\n")
        .replace("area = 2\n", "level = 1\narea = \"49.0002\"\n");
    let (_, state) = made(&text);
    for (at, to, expected) in [
        ("reed-1", "10.64.8.3/32", hops(10, &["p2 reed-3"])),
        ("reed-2", "10.64.8.6/32", hops(40, &["p2 reed-3"])),
    ] {
        assert_eq!(route(&state, at, to), expected, "{at} to {to}");
    }
}

#[test]
fn static_routes_lead_by_addresses_and_switches() {
    let base = format!(
        "{PLANT}{CABLES}[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\ndiffers = [{{ on = \"kelp-a\", advertise = [\"loopbacks\", \"links\", \"static\"] }}]\n"
    );
    let router = |fabric: &Fabric, name: &str| fabric.device(device(fabric, name)).router.unwrap();
    let delivers = |more: &str, from: &str, to: &str| {
        let (fabric, state) = made(&format!("{base}{more}"));
        state.delivers(router(&fabric, from), to.parse().unwrap())
    };
    let far = "[[router]]\non = \"crest-2\"\nloopback = [\"10.64.8.2\", \"198.51.100.7\"]\n";
    // By the address of a link, and by a neighbour's name.
    for via in ["10.64.0.178", "crest-2"] {
        let more =
            format!("{far}[[route]]\non = \"kelp-a\"\nto = \"198.51.100.0/24\"\nvia = \"{via}\"\n");
        assert_eq!(delivers(&more, "kelp-a", "198.51.100.7"), Ok(()), "{via}");
        // What is advertised leads others there, too.
        assert!(delivers(&more, "kelp-b", "198.51.100.9").is_err(), "nobody has it");
    }
    // Two that lead to each other go round in a circle.
    let circle = "[[route]]\non = \"kelp-a\"\nto = \"203.0.113.0/24\"\nvia = \"crest-1\"\n[[route]]\non = \"crest-1\"\nto = \"203.0.113.0/24\"\nvia = \"kelp-a\"\n";
    let (fabric, _) = made(&format!("{base}{circle}"));
    let prefix = "203.0.113.0/24".parse().unwrap();
    let lost = NoRoute::Circle(router(&fabric, "kelp-a"), prefix);
    assert_eq!(delivers(circle, "kelp-a", "203.0.113.1"), Err(lost));
    // A static route of a router in between is followed too: what is advertised leads there first.
    let between = "[[route]]\non = \"crest-*\"\nto = \"10.64.8.12/32\"\nvia = \"kelp-a\"\n";
    let (fabric, _) = made(&format!("{base}{between}"));
    let lost = delivers(between, "kelp-a", "10.64.8.12");
    let at = [router(&fabric, "crest-1"), router(&fabric, "crest-2")];
    assert!(matches!(lost, Err(NoRoute::Circle(turns, _)) if at.contains(&turns)), "{lost:?}");
    // One that leads nowhere is in no table, and what is told is used instead.
    let nowhere = "[[route]]\non = \"crest-*\"\nto = \"10.64.8.12/32\"\nvia = \"192.0.2.1\"\n";
    assert_eq!(delivers(nowhere, "kelp-a", "10.64.8.12"), Ok(()));
}

#[test]
fn who_is_cut_off_by_a_policy_is_the_example() {
    let rule = felting::rules::find("underlay-policy-blocks-vtep").unwrap();
    // One more leaf, with the spine alone that keeps VTEP addresses to itself.
    let text = rule
        .broken
        .replace("name = \"kelp-[a-b]\"", "name = \"kelp-[a-c]\"")
        .replace("kelp-[a-b] p50 -- crest-2 p[1-2]", "kelp-[a-c] p50 -- crest-2 p[1-3]");
    let fabric = Fabric::from_text("policy.toml", &text);
    let report = fabric.check();
    let told: Vec<_> = report.findings.iter().filter(|one| one.rule.id == rule.id).collect();
    assert_eq!(told.len(), 1);
    insta::assert_snapshot!(told[0].wire, @"kelp-c has no way to kelp-a: nothing that it sends there arrives");
    let state = State::of(&fabric, &felting::Condition::default(), &Progress::default());
    let router = |name: &str| fabric.router_of(device(&fabric, name)).unwrap();
    let ways = |from: &str, to: &str| {
        let from = fabric.device(device(&fabric, from)).router.unwrap();
        let address = fabric.vtep_of(router(to).device).unwrap().value;
        state.delivers(from, address).is_ok()
    };
    assert_eq!((ways("kelp-b", "kelp-a"), ways("kelp-c", "kelp-a")), (true, false));
}

#[test]
fn a_static_route_on_the_way_parts_leaves_that_are_alike() {
    // Four leaves of one area, two behind each spine; the second spine sends back what is for the first leaf.
    let text = |route: &str| {
        format!(
            r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"
[[switch]]
name = "causeway-1"
number = 9
role = "super-spine"
ports = "p[1-2] 100G"
[[switch]]
name = "kelp-[a-f]"
number = 11
role = "leaf"
ports = "p49 100G"
[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"
[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"
[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"
[[underlay]]
on = ["crest-*", "kelp-*", "causeway-1"]
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{{vni}}"
replication = "static"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
flood_to = ["10.64.9.11", "10.64.9.12", "10.64.9.13", "10.64.9.14", "10.64.9.15", "10.64.9.16"]
[cabling]
runs = [
  "kelp-[a-c] p49 -- crest-1 p[1-3]", "kelp-[d-f] p49 -- crest-2 p[1-3]",
  "crest-[1-2] p4 -- causeway-1 p[1-2]",
]
{route}"#
        )
    };
    let told = |route: &str| {
        let fabric = Fabric::from_text("parted.toml", &text(route));
        assert!(fabric.is_complete(), "{:?}", fabric.faults());
        let report = fabric.check();
        report.findings.iter().map(|one| one.rule.id).collect::<Vec<_>>()
    };
    let plain = told("");
    let wrong = "[[route]]\non = \"crest-2\"\nto = \"10.64.9.11/32\"\nvia = \"kelp-d\"\n";
    let parted = told(wrong);
    assert!(!plain.contains(&"underlay-vtep-unreachable"), "{plain:?}");
    assert!(parted.contains(&"underlay-vtep-unreachable"), "{parted:?}");
}
