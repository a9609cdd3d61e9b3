use std::fmt::Write as _;

use felting::behaviour::{Apart, TenantSource};
use felting::{Condition, Progress, State};

use super::{CABLES, OVERLAY, PLANT, device, made, originated, presence};

const WEB: &str = r#"
[[vrf]]
name = "tides"
number = 1
vni = 27001
on = "kelp-*"

[[segment]]
name = "tides-web"
number = 310
vrf = "tides"
vlan = 310
vni = 23310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-*"
"#;

const HOSTS: &str = r#"
[[host]]
name = "hull-[1-2]"
nics = "nic1 25G"
networks = [{ name = "web", tag = 310 }]

[[endpoint]]
name = "web-1"
host = "hull-1"
mac = "02:80:00:00:00:01"
address = "10.80.31.21/24"

[[port]]
on = "kelp-*"
ports = "p1"
tagged = 310
"#;

fn with_hosts(more: &str) -> String {
    let cables = CABLES
        .replace("p2\"]", "p2\", \"hull-1 nic1 -- kelp-a p1\", \"hull-2 nic1 -- kelp-b p1\"]");
    format!("{PLANT}{OVERLAY}{cables}{WEB}{HOSTS}{more}")
}

/// The routing table of a VRF on a switch, a line each.
fn table(state: &State, vrf: &str, switch: &str) -> String {
    let fabric = state.fabric();
    let (id, _) = fabric.vrfs().find(|(_, v)| v.name.as_str() == vrf).unwrap();
    let mut page = String::new();
    for route in state.tenant_routes(id, device(fabric, switch)) {
        let source = match route.source {
            TenantSource::Segment(segment) => {
                format!("segment {}", fabric.segment(segment).name.value)
            }
            TenantSource::Outside(outside) => {
                format!("outside {}", fabric.outside(outside).name.value)
            }
            TenantSource::Static => "static".to_owned(),
            TenantSource::Leaked(from) => format!("leaked from {}", fabric.vrf(from).name.value),
            TenantSource::Learned(from) => format!("from {}", fabric.device_name(from.switch)),
            TenantSource::Host(at) => format!("a host at {}", fabric.device_name(at.switch)),
            other => panic!("{other:?}"),
        };
        let _ = write!(page, "{} {source}", route.prefix);
        if let (Some(hop), Some(vni)) = (route.next_hop, route.vni) {
            let _ = write!(page, " at {hop} by VNI {vni}");
        }
        page.push('\n');
    }
    page
}

#[test]
fn symmetric_irb_advertises_hosts_and_prefixes() {
    let (_, state) = made(&with_hosts(""));
    // RFC 9135 section 5.1: a host's route with both VNIs, both targets and the router's MAC address; RFC 9136
    // section 4.4.1: the prefix with the layer 3 VNI.
    insta::assert_snapshot!(originated(&state, "kelp-a"), @r"
    type 2 02:80:00:00:00:01, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 2 02:80:00:00:00:01 10.80.31.21, RD 10.64.8.11:310, targets [42041:23310 42041:27001], next hop 10.64.9.11, VNI 23310, layer 3 VNI 27001, router MAC 02:46:00:00:00:0b
    type 3 10.64.9.11, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 5 10.80.31.0/24, RD 10.64.8.11:32769, targets [42041:27001], next hop 10.64.9.11, VNI 27001, router MAC 02:46:00:00:00:0b
    ");
}

#[test]
fn a_far_leaf_has_hosts_and_prefixes_in_the_vrf() {
    let (_, state) = made(&with_hosts(""));
    // RFC 9135 section 5.1 for the host; the subnet is its own.
    insta::assert_snapshot!(table(&state, "tides", "kelp-b"), @r"
    10.80.31.0/24 segment tides-web
    10.80.31.21/32 a host at kelp-a at 10.64.9.11 by VNI 27001
    ");
    let asymmetric = with_hosts("").replace("gateway_mac", "irb = \"asymmetric\"\ngateway_mac");
    let (_, state) = made(&asymmetric);
    assert_eq!(table(&state, "tides", "kelp-b"), "10.80.31.0/24 segment tides-web\n");
}

#[test]
fn asymmetric_irb_advertises_neither() {
    let (_, state) =
        made(&with_hosts("").replace("gateway_mac", "irb = \"asymmetric\"\ngateway_mac"));
    // RFC 9135 section 6.1: the layer 2 VNI and target alone.
    insta::assert_snapshot!(originated(&state, "kelp-a"), @r"
    type 2 02:80:00:00:00:01, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 2 02:80:00:00:00:01 10.80.31.21, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    type 3 10.64.9.11, RD 10.64.8.11:310, targets [42041:23310], next hop 10.64.9.11, VNI 23310
    ");
}

#[test]
fn gateways_are_advertised_where_that_is_chosen_and_moves_are_counted() {
    let text = with_hosts("").replace("gateway_mac", "advertise_gateways = true\ngateway_mac");
    let (fabric, state) = made(&text);
    // RFC 7432 section 10.1: the gateway's MAC and IP address.
    let page = originated(&state, "kelp-b");
    assert!(page.contains("type 2 02:46:00:00:00:01 10.80.31.1, RD 10.64.8.12:310"), "{page}");
    assert!(!page.contains("02:80:00:00:00:01"), "{page}");
    // RFC 7432 section 15: after a move the new place says so by a sequence number.
    let (endpoint, _) = fabric.endpoints().next().unwrap();
    let condition = Condition::default().moved(endpoint, device(&fabric, "hull-2"));
    let moved = State::of(&fabric, &condition, &Progress::default());
    let page = originated(&moved, "kelp-b");
    assert!(
        page.contains("type 2 02:80:00:00:00:01 10.80.31.21") && page.contains("mobility 1"),
        "{page}"
    );
    assert!(!originated(&moved, "kelp-a").contains("02:80:00:00:00:01"));
}

#[test]
fn a_vlan_aware_instance_has_one_target_and_the_vni_as_tag() {
    let text = format!(
        "{PLANT}{OVERLAY}{CABLES}{}",
        r#"
[[segment]]
name = "tides-web"
vlan = 310
vni = 23310
on = "kelp-*"
[[segment]]
name = "tides-store"
vlan = 312
vni = 23312
on = "kelp-*"
[[evi]]
name = "tides"
number = 7
segments = ["tides-web", "tides-store"]
"#
    );
    let (_, state) = made(&text);
    // RFC 7432 section 6.3, RFC 8365 section 5.1.3.
    insta::assert_snapshot!(originated(&state, "kelp-a"), @r"
    type 3 10.64.9.11, RD 10.64.8.11:7, targets [42041:23310], next hop 10.64.9.11, tag 23310, VNI 23310
    type 3 10.64.9.11, RD 10.64.8.11:7, targets [42041:23310], next hop 10.64.9.11, tag 23312, VNI 23312
    ");
}

const SHARED: &str = r#"
[[vrf]]
name = "harbour"
number = 3
vni = 27003
on = "kelp-*"

[[segment]]
name = "harbour-desk"
number = 350
vrf = "harbour"
vlan = 350
vni = 23350
subnet = "10.82.50.0/24"
gateway = "10.82.50.1"
on = "kelp-a"

[[outside]]
name = "campus"
vrf = "harbour"
on = "kelp-b"
prefixes = ["0.0.0.0/0", "::/0"]
"#;

#[test]
fn leaks_go_where_they_are_declared_and_no_further() {
    let leaks = "[[leak]]\nfrom = \"harbour\"\nto = \"tides\"\non = \"kelp-b\"\n[[leak]]\nfrom = \"tides\"\nto = \"harbour\"\non = \"kelp-b\"\n";
    let (_, state) = made(&format!("{PLANT}{OVERLAY}{CABLES}{WEB}{SHARED}{leaks}"));
    insta::assert_snapshot!(table(&state, "harbour", "kelp-a"), @r"
    0.0.0.0/0 from kelp-b at 10.64.9.12 by VNI 27003
    10.80.31.0/24 from kelp-b at 10.64.9.12 by VNI 27003
    10.82.50.0/24 segment harbour-desk
    ::/0 from kelp-b at 10.64.9.12 by VNI 27003
    ");
    insta::assert_snapshot!(table(&state, "tides", "kelp-a"), @r"
    0.0.0.0/0 from kelp-b at 10.64.9.12 by VNI 27001
    10.80.31.0/24 segment tides-web
    10.82.50.0/24 from kelp-b at 10.64.9.12 by VNI 27001
    ::/0 from kelp-b at 10.64.9.12 by VNI 27001
    ");
    insta::assert_snapshot!(table(&state, "tides", "kelp-b"), @r"
    0.0.0.0/0 leaked from harbour
    10.80.31.0/24 segment tides-web
    10.82.50.0/24 leaked from harbour at 10.64.9.11 by VNI 27003
    ::/0 leaked from harbour
    ");
    // By prefix: the default route alone.
    let narrow =
        leaks.replacen("on = \"kelp-b\"", "on = \"kelp-b\"\nprefixes = \"10.82.0.0/16\"", 1);
    let (_, state) = made(&format!("{PLANT}{OVERLAY}{CABLES}{WEB}{SHARED}{narrow}"));
    let page = table(&state, "tides", "kelp-b");
    assert!(page.contains("10.82.50.0/24 leaked") && !page.contains("0.0.0.0/0"), "{page}");
    let (_, state) = made(&format!("{PLANT}{OVERLAY}{CABLES}{WEB}{SHARED}"));
    assert_eq!(table(&state, "tides", "kelp-a"), "10.80.31.0/24 segment tides-web\n");
}

#[test]
fn why_vteps_are_apart() {
    let text = |overlay: &str, segment: &str| {
        format!(
            "{PLANT}{}{CABLES}[[segment]]\nname = \"tides-web\"\nvlan = 310\nvni = 23310\non = \"kelp-*\"\n{segment}",
            OVERLAY.replace("gateway_mac", &format!("{overlay}gateway_mac"))
        )
    };
    let differs = |keys: &str| format!("differs = [{{ on = \"kelp-b\", {keys} }}]\n");
    for (what, text, expected) in [
        ("nothing", text("", ""), Ok(())),
        ("VNI, by its target", text("", &differs("vni = 23999")), Err(Apart::Target)),
        // RFC 8365 section 5.1.2: with one target, the VNI that the far VTEP says is used.
        ("VNI, one target", text("", "targets = \"42041:1\"\n").replace("on = \"kelp-*\"\ntargets", "on = \"kelp-*\"\ndiffers = [{ on = \"kelp-b\", vni = 23999 }]\ntargets"), Ok(())),
        ("encapsulation", text(&differs("encapsulation = \"nvgre\""), ""), Err(Apart::Encapsulation)),
        ("no VNI", text("", &differs("without = \"vni\"")), Err(Apart::NoVtep)),
        ("communities", text("", "").replacen("to = \"crest-*\"\n", "to = \"crest-*\"\ndiffers = [{ on = \"kelp-b\", communities = false }]\n", 1), Err(Apart::NoCommunities)),
        ("family", text("", "").replacen("to = \"crest-*\"\n", "to = \"crest-*\"\ndiffers = [{ on = \"kelp-b\", families = \"ipv4\" }]\n", 1), Err(Apart::NotReceived)),
        ("VTEP not advertised", text("", "").replace("[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\n", "[[underlay]]\non = [\"crest-*\", \"kelp-*\"]\ndiffers = [{ on = \"kelp-b\", advertise = \"loopbacks\" }]\n"), Err(Apart::NextHop)),
        // RFC 8365 section 5.1.2.1: derived targets of one AS number match, of two they don't.
        ("derived, 16 bits", text("targets = \"rfc8365\"\n", "").replace("target_pattern = \"42041:{vni}\"\n", "").replace("4204100000", "64900"), Ok(())),
        ("derived, 32 bits", text("targets = \"rfc8365\"\n", "").replace("target_pattern = \"42041:{vni}\"\n", ""), Err(Apart::Target)),
    ] {
        let (fabric, state) = made(&text);
        let [a, b] = ["kelp-a", "kelp-b"].map(|leaf| presence(&fabric, leaf, "tides-web"));
        assert_eq!(state.learns(a, b).map(|_| ()), expected, "{what}");
    }
}

#[test]
fn flooding_by_list_and_by_group() {
    let text = |keys: &str| {
        format!(
            "{PLANT}{OVERLAY}{CABLES}[[segment]]\nname = \"tides-web\"\nvlan = 310\nvni = 23310\non = \"kelp-*\"\n{keys}"
        )
    };
    let list = |keys: &str| {
        let (fabric, state) = made(&text(keys));
        let list = state.floods(presence(&fabric, "kelp-a", "tides-web")).unwrap();
        let to: Vec<String> =
            list.targets.iter().map(|target| target.address.to_string()).collect();
        (to.join(" "), list.group.map(|group| group.to_string()))
    };
    assert_eq!(list(""), ("10.64.9.12".to_owned(), None));
    let fixed = "replication = \"static\"\nflood_to = [\"10.64.9.11\", \"10.64.9.77\"]\n";
    assert_eq!(list(fixed), ("10.64.9.77".to_owned(), None));
    let group = "replication = \"multicast\"\nmulticast_group = \"239.64.3.10\"\n";
    assert_eq!(list(group), (String::new(), Some("239.64.3.10".to_owned())));
    // A VTEP that floods otherwise asked for no copies.
    assert_eq!(
        list("differs = [{ on = \"kelp-b\", replication = \"static\" }]\n"),
        (String::new(), None)
    );
}

#[test]
fn the_active_router_of_a_shared_gateway() {
    // RFC 9568 section 6.4.3: the higher priority, then the higher address.
    let text = |keys: &str| {
        format!(
            "[[switch]]\nname = \"kelp-[a-b]\"\nports = \"p[1-8] 25G\"\n[[segment]]\nname = \"tides-web\"\nvlan = 310\nsubnet = \"10.80.31.0/24\"\n\
             gateway = \"10.80.31.1\"\ngateway_kind = \"vrrp\"\naddress = \"10.80.31.2/24\"\non = \"kelp-*\"\n\
             differs = [{{ on = \"kelp-b\", address = \"10.80.31.3/24\"{keys} }}]\n"
        )
    };
    let cable = "[[port]]\non = \"kelp-*\"\nports = \"p1\"\ntagged = \"310\"\n\
                 [cabling]\nruns = \"kelp-a p1 -- kelp-b p1\"\n";
    let cut = cable.replacen("tagged = \"310\"", "tagged = \"310\"\nenabled = false", 1);
    for (cable, keys, expected) in [
        (cable, "", &["kelp-b"][..]),
        (cable, ", vrrp_priority = 90", &["kelp-a"]),
        (cable, ", vrrp_priority = 110", &["kelp-b"]),
        // Section 7.1: what is of another virtual router is not listened to.
        (cable, ", vrrp_id = 2", &["kelp-a", "kelp-b"]),
        // Section 6.4.2: whoever hears no other takes over.
        (cut.as_str(), ", vrrp_priority = 90", &["kelp-a", "kelp-b"]),
    ] {
        let (fabric, state) = made(&format!("{}{cable}", text(keys)));
        let (segment, _) = fabric.segments().next().unwrap();
        let active = state.active_routers(segment);
        let names: Vec<&str> =
            active.iter().map(|&id| fabric.device_name(fabric.presence(id).switch)).collect();
        assert_eq!(names, expected, "{cable:?} {keys:?}");
    }
}

#[test]
fn a_central_gateway_routes_where_it_is_and_nowhere_else() {
    let text = format!(
        "{PLANT}{OVERLAY}{CABLES}{}",
        WEB.replace(
            "gateway = \"10.80.31.1\"",
            "gateway = \"10.80.31.1\"\ngateway_kind = \"central\"\ngateway_on = \"kelp-b\""
        )
    );
    let (fabric, state) = made(&text);
    assert!(fabric.check().findings.is_empty());
    assert_eq!(table(&state, "tides", "kelp-b"), "10.80.31.0/24 segment tides-web\n");
    assert_eq!(
        table(&state, "tides", "kelp-a"),
        "10.80.31.0/24 from kelp-b at 10.64.9.12 by VNI 27001\n"
    );
    // At a spine, which is then a VTEP too.
    let at_spine = text
        .replace("gateway_on = \"kelp-b\"", "gateway_on = \"crest-1\"")
        .replace(
            "on = \"kelp-*\"\ntarget_pattern",
            "on = [\"kelp-*\", \"crest-1\"]\ntarget_pattern",
        )
        .replace("vni = 27001\non = \"kelp-*\"", "vni = 27001\non = [\"kelp-*\", \"crest-1\"]")
        .replace("on = \"kelp-*\"\n\n[[segment]]", "[[segment]]");
    let at_spine = at_spine.trim_end().trim_end_matches("on = \"kelp-*\"").to_owned()
        + "on = [\"kelp-*\", \"crest-1\"]\n";
    let (_, state) = made(&at_spine);
    assert_eq!(table(&state, "tides", "crest-1"), "10.80.31.0/24 segment tides-web\n");
    assert_eq!(
        table(&state, "tides", "kelp-a"),
        "10.80.31.0/24 from crest-1 at 10.64.9.1 by VNI 27001\n"
    );
}

#[test]
fn frames_arrive_where_the_ports_agree() {
    let text = |overlay: &str| {
        format!(
            "{PLANT}{}{CABLES}{WEB}",
            OVERLAY.replace("gateway_mac", &format!("{overlay}gateway_mac"))
        )
    };
    for (overlay, expected) in [
        ("", Ok(())),
        ("udp_port = 8472\n", Ok(())),
        ("differs = [{ on = \"kelp-b\", udp_port = 8472 }]\n", Err(Apart::UdpPort)),
    ] {
        let (fabric, state) = made(&text(overlay));
        let [a, b] = ["kelp-a", "kelp-b"].map(|leaf| presence(&fabric, leaf, "tides-web"));
        assert_eq!(state.tunnels(a, b).map(|_| ()), expected, "{overlay:?}");
        assert!(state.learns(a, b).is_ok(), "the routes are there all the same");
    }
}
