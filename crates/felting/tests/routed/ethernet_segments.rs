use felting::fabric::LagId;
use felting::value::{DfElection, VlanId};
use felting::{Fabric, Progress, State};

use super::{OVERLAY, PLANT, device, made, made_under, originated};

/// A third leaf, and a host on all three by one Ethernet segment.
fn text(overlay: &str, lag: &str) -> String {
    let plant = PLANT.replace("kelp-[a-b]", "kelp-[a-c]").replace("number = 11", "number = 15");
    let overlay = OVERLAY.replace("gateway_mac", &format!("{overlay}gateway_mac"));
    format!(
        "{plant}{overlay}{}",
        r#"
[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "kelp-c p[49-50] -- crest-[1-2] p3",
  "silo-1 nic[1-3] -- kelp-[a-c] p1",
]
[[host]]
name = "silo-1"
nics = "nic[1-3] 25G"
bond = { name = "bond0", nics = "nic[1-3]" }
networks = [{ name = "store", tag = 331 }]
[[endpoint]]
name = "store-1"
host = "silo-1"
mac = "02:80:00:00:00:31"
address = "10.81.31.21/24"
[[segment]]
name = "plankton-store"
number = 331
vlan = 331
vni = 23331
on = "kelp-*"
[[lag]]
on = "kelp-*"
name = "silo-1"
ports = "p1"
tagged = "330-337"
ethernet_segment = "02:46:00:00:00:0f/17"
system = "02:46:00:00:00:0f"
LAG
"#
        .replace("LAG", lag)
    )
}

fn leaf(fabric: &Fabric, leg: LagId) -> &str {
    fabric.device_name(fabric.lag(leg).device)
}

/// The leaf that all legs take for the forwarder of a VLAN.
fn forwarder(state: &State, vlan: u32) -> String {
    let fabric = state.fabric();
    let (es, _) = fabric.ethernet_segments().next().unwrap();
    let vlan = VlanId::new(vlan).unwrap();
    let election = state.election(es, |_| Some(vlan));
    let first = election.views[0].1.forwarder;
    assert!(election.views.iter().all(|(_, view)| view.forwarder == first), "all agree");
    first.map(|leg| leaf(fabric, leg).to_owned()).unwrap_or_default()
}

#[test]
fn the_forwarder_of_each_vlan() {
    // By hand. RFC 7432 section 8.5: V mod 3 of 10.64.9.15, .16 and .17 in this order: 330 mod 3 is 0.
    // RFC 8584 section 3.2: weights of CRC-32 of the tag and the ESI, and the address.
    // RFC 9785 section 4.1: the highest preference, of equal ones the lowest address.
    let methods = [
        ("", ["kelp-a", "kelp-b", "kelp-c", "kelp-a", "kelp-b", "kelp-c", "kelp-a", "kelp-b"]),
        (
            "election = \"hrw\"\n",
            ["kelp-b", "kelp-a", "kelp-b", "kelp-a", "kelp-b", "kelp-a", "kelp-c", "kelp-b"],
        ),
        (
            "election = \"preference\"\ndiffers = [{ on = \"kelp-c\", preference = 40000 }]\n",
            ["kelp-c"; 8],
        ),
        ("election = \"preference\"\n", ["kelp-a"; 8]),
    ];
    for (keys, expected) in methods {
        let (_, state) = made(&text(keys, ""));
        for (place, expected) in expected.into_iter().enumerate() {
            let vlan = 330 + u32::try_from(place).unwrap();
            assert_eq!(forwarder(&state, vlan), expected, "{keys:?}, VLAN {vlan}");
        }
    }
    // RFC 8584 section 2.2.1: where the methods differ, all fall back to the modulus.
    let (fabric, state) = made(&text(
        "election = \"hrw\"\ndiffers = [{ on = \"kelp-b\", election = \"modulus\" }]\n",
        "",
    ));
    assert_eq!(forwarder(&state, 331), "kelp-b");
    let (es, _) = fabric.ethernet_segments().next().unwrap();
    let view = &state.election(es, |_| VlanId::new(331).ok()).views[0].1;
    assert!(view.fell_back && view.method == DfElection::Modulus);
    // A leg that is down takes no part: of two leaves V mod 2.
    let (_, state) = made_under(&text("", ""), &["kelp-b p1"]);
    assert_eq!(forwarder(&state, 331), "kelp-c");
}

#[test]
fn routes_of_types_1_and_4() {
    let (_, state) = made(&text("", ""));
    // RFC 7432 sections 7.1, 7.4, 7.6, 8.2 and 10: by hand for kelp-a.
    insta::assert_snapshot!(originated(&state, "kelp-a"), @r"
    type 1 03:02:46:00:00:00:0f:00:00:11 instance, RD 10.64.8.15:331, targets [42041:23331], next hop 10.64.9.15, VNI 23331
    type 1 03:02:46:00:00:00:0f:00:00:11 whole, RD 10.64.8.15:0, targets [42041:23331], next hop 10.64.9.15, tag 4294967295
    type 2 02:80:00:00:00:31 on 03:02:46:00:00:00:0f:00:00:11, RD 10.64.8.15:331, targets [42041:23331], next hop 10.64.9.15, VNI 23331
    type 2 02:80:00:00:00:31 10.81.31.21 on 03:02:46:00:00:00:0f:00:00:11, RD 10.64.8.15:331, targets [42041:23331], next hop 10.64.9.15, VNI 23331
    type 3 10.64.9.15, RD 10.64.8.15:331, targets [42041:23331], next hop 10.64.9.15, VNI 23331
    type 4 03:02:46:00:00:00:0f:00:00:11 10.64.9.15, RD 10.64.8.15:0, targets [], next hop 10.64.9.15, ES-Import 02:46:00:00:00:0f
    ");
}

#[test]
fn aliasing_local_bias_and_core_isolation() {
    let vlan = |_: LagId| VlanId::new(331).ok();
    let es = |fabric: &Fabric| fabric.ethernet_segments().next().unwrap().0;
    // The addresses that kelp-a would spread frames for store-1 over.
    let addresses = |state: &State| {
        let fabric = state.fabric();
        let (endpoint, _) = fabric.endpoints().next().unwrap();
        let here = fabric.presences_on(device(fabric, "kelp-a"))[0];
        let all = state.evpn().attached(endpoint).iter().copied();
        let found = state.aliases(here, all).into_iter();
        found.map(|(_, address)| address.to_string()).collect::<Vec<_>>()
    };
    let (fabric, state) = made(&text("", ""));
    // RFC 7432 section 8.4: in all-active mode frames are spread over all leaves.
    assert_eq!(addresses(&state), ["10.64.9.16", "10.64.9.17"]);
    let leg = fabric.ethernet_segment(es(&fabric)).legs[1];
    assert_eq!(leaf(&fabric, leg), "kelp-b");
    // RFC 8365 section 8.3.1: what comes from a VTEP that shares the segment is not passed into it.
    assert!(state.passes_into(leg, Some("10.64.9.99".parse().unwrap()), vlan));
    assert!(!state.passes_into(leg, Some("10.64.9.17".parse().unwrap()), vlan));
    // In single-active mode the forwarder alone is used.
    let (_, state) = made(&text("", "ethernet_segment_mode = \"single-active\""));
    assert_eq!(addresses(&state), ["10.64.9.16"]);
    // A leaf that lost its underlay closes its leg if told so, and is left out.
    let cuts = ["kelp-b p49", "kelp-b p50"];
    let (fabric, state) = made_under(&text("core_isolation = true\n", ""), &cuts);
    assert_eq!(state.isolated(), [device(&fabric, "kelp-b")]);
    assert_eq!(addresses(&state), ["10.64.9.17"]);
    let (_, state) = made_under(&text("", ""), &cuts);
    assert!(state.isolated().is_empty());
    // Its routes are gone as well.
    assert_eq!(addresses(&state), ["10.64.9.17"]);
    // Links that are up count, whatever is over them, unless sessions are what counts.
    let silent = |overlay: &str| {
        let text = text(overlay, "").replace("to = \"crest-*\"\n", "to = \"crest-*\"\nWRONG");
        let wrong = "differs = [{ on = \"kelp-b\", peer_as = 64999 }]\n";
        made(&text.replacen("WRONG", wrong, 1))
    };
    let (_, state) = silent("core_isolation = true\n");
    assert!(state.isolated().is_empty());
    let (fabric, state) = silent("core_isolation = true\nisolated_by = \"sessions\"\n");
    assert_eq!(state.isolated(), [device(&fabric, "kelp-b")]);
    let (_, state) = silent("isolated_by = \"sessions\"\n");
    assert!(state.isolated().is_empty());
    // What is lost later closes them too, in a state from another as in one made anew.
    let (fabric, whole) = made(&text("core_isolation = true\nisolated_by = \"sessions\"\n", ""));
    let lost = felting::Condition::default().cut(&fabric, "cable kelp-b p49").unwrap();
    let lost = lost.cut(&fabric, "cable kelp-b p50").unwrap();
    let (given, anew) = (whole.given(&lost), State::of(&fabric, &lost, &Progress::default()));
    assert_eq!(given.isolated(), [device(&fabric, "kelp-b")]);
    assert_eq!(format!("{given:?}"), format!("{anew:?}"));
}

#[test]
fn leaves_of_one_distinguisher_are_seen_once_through_reflectors() {
    // kelp-d hears of store-1 from the reflectors alone.
    let four = |rd: &str| {
        text("", "")
            .replace("kelp-[a-c]\"", "kelp-[a-d]\"")
            .replace("vni = 23331\n", &format!("vni = 23331\n{rd}"))
            .replace(
                "[[lag]]\non = \"kelp-*\"",
                "[[lag]]\non = [\"kelp-a\", \"kelp-b\", \"kelp-c\"]",
            )
            .replace("  \"silo-1 nic", "  \"kelp-d p[49-50] -- crest-[1-2] p4\",\n  \"silo-1 nic")
    };
    let used = |text: &str| {
        let (fabric, state) = made(text);
        let (endpoint, _) = fabric.endpoints().next().unwrap();
        let far = device(&fabric, "kelp-d");
        let all = state.evpn().attached(endpoint).iter().copied();
        let used = state.aliases(fabric.presences_on(far)[0], all).len();
        let received = state.received(far, &Progress::default());
        let imported = received
            .iter()
            .filter(|one| one.route.kind.number() == 2 && !one.imports.is_empty())
            .count();
        let told = fabric.check().findings.iter().any(|one| one.rule.id == "overlay-rd-reused");
        (used, imported, told)
    };
    // Each leaf's MAC address alone, and with its IP address.
    assert_eq!(used(&four("")), (3, 6, false));
    // RFC 7432 section 7.9: of one distinguisher only one gets through.
    assert_eq!(used(&four("rd = \"10.64.8.11:331\"\n")), (1, 2, true));
    // Where all VTEPs of the segment are on the host's nobody hears of it from several, and nothing is lost.
    let three = text("", "").replace("vni = 23331\n", "vni = 23331\nrd = \"10.64.8.11:331\"\n");
    let (fabric, _) = made(&three);
    assert!(fabric.check().findings.iter().all(|one| one.rule.id != "overlay-rd-reused"));
}
