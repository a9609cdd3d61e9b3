//! Where endpoints enter the fabric, what pairs share, and an underlay of IPv6 alone.

use felting::{Condition, Progress, State};

use super::{CABLES, OVERLAY, PLANT, device, made, made_under, originated, presence};

/// The leaves at which an endpoint's frames enter.
fn enters(state: &State, endpoint: &str) -> Vec<String> {
    let fabric = state.fabric();
    let (id, _) = fabric.endpoints().find(|(_, e)| e.name.as_str() == endpoint).unwrap();
    let at = state.evpn().attached(id).iter();
    at.map(|&presence| fabric.device_name(fabric.presence(presence).switch).to_owned()).collect()
}

/// An old switch behind kelp-a, and a bench on it.
const WORKSHOP: &str = r#"
[[switch]]
name = "jetty"
role = "access"
ports = ["p[1-4] 1G", "up1 25G"]

[[port]]
on = "kelp-a"
ports = "p8"
tagged = "310,312"

[[port]]
on = "jetty"
ports = "up1"
tagged = "310,312"

[[port]]
on = "jetty"
ports = "p1"
untagged = 310

[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"

[[host]]
name = "bench-1"
nics = "nic1 1G"
networks = [{ name = "bench" }]

[[host]]
name = "hull-1"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", protocol = "active-standby" }
networks = [{ name = "web", tag = 310 }, { name = "probes", tags = "310,312" }]

[[port]]
on = "kelp-*"
ports = "p1"
tagged = "310"

[[endpoint]]
name = "bench"
host = "bench-1"

[[endpoint]]
name = "web"
host = "hull-1"
network = "web"

[[endpoint]]
name = "probe"
host = "hull-1"
network = "probes"
tag = 312
"#;

#[test]
fn frames_enter_by_bonds_and_behind_other_switches() {
    let cables = CABLES.replace(
        "p2\"]",
        "p2\", \"jetty up1 -- kelp-a p8\", \"bench-1 nic1 -- jetty p1\", \"hull-1 nic[1-2] -- kelp-[a-b] p1\"]",
    );
    let text = format!("{PLANT}{OVERLAY}{cables}{WORKSHOP}");
    let table = |cuts: &[&str], expected: [(&str, &[&str]); 3]| {
        let (_, state) = made_under(&text, cuts);
        for (endpoint, leaves) in expected {
            assert_eq!(enters(&state, endpoint), leaves, "{endpoint} without {cuts:?}");
        }
    };
    // The probe's VLAN 312 is on no leaf's port of the host.
    table(&[], [("bench", &["kelp-a"]), ("web", &["kelp-a"]), ("probe", &[])]);
    // The other NIC takes over.
    table(&["hull-1 nic1"], [("bench", &["kelp-a"]), ("web", &["kelp-b"]), ("probe", &[])]);
    table(&["jetty"], [("bench", &[]), ("web", &["kelp-a"]), ("probe", &[])]);
    table(&["kelp-a"], [("bench", &[]), ("web", &["kelp-b"]), ("probe", &[])]);
}

/// A pair with a host on both sides and one on kelp-a alone.
fn paired(overlay: &str) -> String {
    format!(
        "{PLANT}{}{}",
        OVERLAY.replace("gateway_mac", &format!("{overlay}gateway_mac")),
        r#"
[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "kelp-a p[51-52] -- kelp-b p[51-52]",
  "hull-1 nic[1-2] -- kelp-[a-b] p1",
  "gauge-1 nic1 -- kelp-a p2",
]
[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[51-52]"
tagged = "310"
[[lag]]
on = "kelp-*"
name = "hull-1"
group = 1
ports = "p1"
tagged = "310"
[[port]]
on = "kelp-a"
ports = "p2"
untagged = 310
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
[[host]]
name = "hull-1"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }
networks = [{ name = "web", tag = 310 }]
[[host]]
name = "gauge-1"
nics = "nic1 25G"
networks = [{ name = "gauge" }]
[[endpoint]]
name = "web"
host = "hull-1"
mac = "02:80:00:00:00:01"
[[endpoint]]
name = "gauge"
host = "gauge-1"
mac = "02:80:00:00:00:02"
"#
    )
}

#[test]
fn a_pair_shares_its_vtep_for_what_it_advertises() {
    let (_, state) = made(&paired(""));
    // Both have the address of the smaller number; two speakers with distinguishers of their own.
    insta::assert_snapshot!(originated(&state, "kelp-b"), @r"
    type 2 02:80:00:00:00:01, RD 10.64.8.12:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 2 02:80:00:00:00:02, RD 10.64.8.12:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 3 10.64.9.11, RD 10.64.8.12:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    ");
    let (fabric, state) = made(&paired("single_homed = \"own\"\n"));
    // What hangs on one side is told of by that side alone, with its own address.
    insta::assert_snapshot!(originated(&state, "kelp-b"), @r"
    type 2 02:80:00:00:00:01, RD 10.64.8.12:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 3 10.64.9.11, RD 10.64.8.12:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    ");
    insta::assert_snapshot!(originated(&state, "kelp-a"), @r"
    type 2 02:80:00:00:00:01, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 2 02:80:00:00:00:02, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.8.11, VNI 23310
    type 3 10.64.9.11, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    ");
    // Neither side sends itself copies.
    let list = state.floods(presence(&fabric, "kelp-a", "tides-web")).unwrap();
    assert!(list.targets.is_empty());
}

#[test]
fn an_underlay_of_ipv6_alone() {
    // RFC 5340 for the routes, RFC 8365 section 5.1.3 for the next hop; a router id is four octets
    // whatever the addresses are (RFC 2328 section C.1).
    let text = format!(
        "{}{}{CABLES}[[segment]]\nname = \"tides-web\"\nnumber = 310\nvlan = 310\nvni = 23310\non = \"kelp-*\"\n\
         [[pool]]\nname = \"ids\"\ngives = \"router-ids\"\nprefix = \"192.0.2.0/24\"\n",
        PLANT
            .replace("10.64.0.0/22", "2001:db8:64::/64")
            .replace("10.64.8.0/24", "2001:db8:64:8::/64")
            .replace("10.64.9.0/24", "2001:db8:64:9::/64"),
        OVERLAY
    );
    let (fabric, state) = made(&text);
    assert!(fabric.check().findings.is_empty(), "{:#?}", fabric.check().findings);
    insta::assert_snapshot!(originated(&state, "kelp-a"), @r"
    type 3 2001:db8:64:9::b, RD 192.0.2.11:310, targets [42041:23310], next hop 2001:db8:64:9::b, VNI 23310
    ");
    let [a, b] = ["kelp-a", "kelp-b"].map(|leaf| presence(&fabric, leaf, "tides-web"));
    assert_eq!(state.tunnels(a, b).unwrap().to_string(), "2001:db8:64:9::c");
}

#[test]
fn a_moved_guest_needs_its_network_there() {
    let text = format!(
        "{PLANT}{OVERLAY}{}{}",
        CABLES.replace("p2\"]", "p2\", \"hull-[1-3] nic1 -- kelp-a p[1-3]\"]"),
        r#"
[[host]]
name = "hull-[1-2]"
nics = "nic1 25G"
networks = [{ name = "web", tag = 310 }]
[[host]]
name = "hull-3"
nics = "nic1 25G"
networks = [{ name = "other", tag = 310 }]
[[port]]
on = "kelp-a"
ports = "p[1-3]"
tagged = 310
[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"
[[endpoint]]
name = "web"
host = "hull-1"
"#
    );
    let (fabric, _) = made(&text);
    let (endpoint, _) = fabric.endpoints().next().unwrap();
    for (host, expected) in [("hull-2", &["kelp-a"][..]), ("hull-3", &[])] {
        let condition = Condition::default().moved(endpoint, device(&fabric, host));
        let state = State::of(&fabric, &condition, &Progress::default());
        assert_eq!(enters(&state, "web"), expected, "{host}");
    }
}
