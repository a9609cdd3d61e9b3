//! Walks over overlays, gateways and bonds that are set in each way that the language has.

use std::fmt::Write as _;

use felting::scaffold::Scaffold;
use felting::walk::{Answer, Asker, Options, Walk};
use felting::{Condition, Fabric, Progress, State};

use crate::ways::{both, shown};
use crate::{expectations, read, walk};

/// What a variant replaces, everywhere.
type Changes = &'static [(&'static str, &'static str)];

const OVERLAY: &str = "target_pattern = \"65000:{vni}\"\n";

/// Hosts on three pairs: m-1 and m-3 in one segment, m-2 and m-4 in another, m-1 and m-4 on one pair.
const VARIANTS: &[(&str, Changes)] = &[
    ("asymmetric", &[(OVERLAY, "target_pattern = \"65000:{vni}\"\nirb = \"asymmetric\"\n")]),
    (
        "by group",
        &[
            (
                OVERLAY,
                "target_pattern = \"65000:{vni}\"\nreplication = \"multicast\"\n\
                 rendezvous = \"10.32.0.101\"\nsuppression = false\n",
            ),
            ("protocol = \"ospf\"", "protocol = \"ospf\"\nmulticast = true"),
            ("vlan = 101\n", "vlan = 101\nmulticast_group = \"239.1.1.1\"\n"),
            ("vlan = 102\n", "vlan = 102\nmulticast_group = \"239.1.1.2\"\n"),
        ],
    ),
    (
        "by ingress replication, unsuppressed",
        &[(OVERLAY, "target_pattern = \"65000:{vni}\"\nsuppression = false\n")],
    ),
    (
        "over IPv6",
        &[
            ("10.0.0.0/11", "2001:db8:1::/48"),
            ("10.32.0.0/16", "2001:db8:2::/64"),
            ("10.33.0.0/16", "2001:db8:3::/64"),
            ("protocol = \"ospf\"", "protocol = \"is-is\""),
            ("[[underlay]]", IDS),
        ],
    ),
    ("central gateway", CENTRAL),
    ("shared gateway", VRRP),
    (
        "by guest",
        &[
            ("nics = \"nic[1-2]\" }", "nics = \"nic[1-2]\", protocol = \"by-guest\" }"),
            ("[[lag]]\non = \"leaf-01[a-b]\"\nname = \"host-001\"\ngroup = 1\n", PORT_1),
            ("[[lag]]\non = \"leaf-02[a-b]\"\nname = \"host-002\"\ngroup = 1\n", PORT_2),
            ("[[lag]]\non = \"leaf-03[a-b]\"\nname = \"host-003\"\ngroup = 1\n", PORT_3),
            ("[[lag]]\non = \"leaf-01[a-b]\"\nname = \"host-004\"\ngroup = 2\n", PORT_1),
        ],
    ),
];

const IDS: &str =
    "[[pool]]\nname = \"ids\"\ngives = \"router-ids\"\nprefix = \"10.32.0.0/16\"\n\n[[underlay]]";
const PORT_1: &str = "[[port]]\non = \"leaf-01[a-b]\"\n";
const PORT_2: &str = "[[port]]\non = \"leaf-02[a-b]\"\n";
const PORT_3: &str = "[[port]]\non = \"leaf-03[a-b]\"\n";

const CENTRAL: Changes = &[
    (
        "gateway = \"10.64.1.1\"\non = \"leaf-*\"",
        "gateway = \"10.64.1.1\"\ngateway_kind = \"central\"\ngateway_on = \"leaf-02*\"\non = \"leaf-*\"",
    ),
    (
        "gateway = \"10.64.2.1\"\non = \"leaf-*\"",
        "gateway = \"10.64.2.1\"\ngateway_kind = \"central\"\ngateway_on = \"leaf-02*\"\non = \"leaf-*\"",
    ),
];

/// The first router of leaf-02 is Active by its priority, the second that of leaf-03.
const VRRP: Changes = &[
    (
        "gateway = \"10.64.1.1\"\non = \"leaf-*\"",
        "gateway = \"10.64.1.1\"\ngateway_kind = \"vrrp\"\ngateway_on = [\"leaf-02a\", \"leaf-03a\"]\n\
         on = \"leaf-*\"\ndiffers = [{ on = \"leaf-02a\", address = \"10.64.1.2/24\", \
         vrrp_priority = 120 }, { on = \"leaf-03a\", address = \"10.64.1.3/24\" }]",
    ),
    (
        "gateway = \"10.64.2.1\"\non = \"leaf-*\"",
        "gateway = \"10.64.2.1\"\ngateway_kind = \"vrrp\"\ngateway_on = [\"leaf-02a\", \"leaf-03a\"]\n\
         on = \"leaf-*\"\ndiffers = [{ on = \"leaf-02a\", address = \"10.64.2.2/24\", \
         vrrp_priority = 120 }, { on = \"leaf-03a\", address = \"10.64.2.3/24\" }]",
    ),
];

fn made(changes: Changes) -> Fabric {
    let plan = Scaffold { pairs: 3, hosts: 4, segments: 2, ..Scaffold::default() };
    let (whole, _) = expectations::peopled(&plan);
    read(&changes.iter().fold(whole, |text, (from, to)| {
        assert!(text.contains(from), "{from}");
        text.replace(from, to)
    }))
}

/// Who asked for which address, by what way, and who answered.
fn asked(fabric: &Fabric, walk: &Walk) -> String {
    let mut page = String::new();
    for one in &walk.resolutions {
        let asker = match one.asker {
            Asker::Endpoint(endpoint) => fabric.endpoint(endpoint).name.value.as_str(),
            Asker::Router(presence) => fabric.device_name(fabric.presence(presence).switch),
        };
        let answer = match one.answer {
            Some((Answer::Endpoint(endpoint), mac)) => {
                format!("{} {mac}", fabric.endpoint(endpoint).name.value)
            }
            Some((Answer::Router(presence) | Answer::Proxy(presence, _), mac)) => {
                format!("{} {mac}", fabric.device_name(fabric.presence(presence).switch))
            }
            None => "nobody".to_owned(),
        };
        let _ = writeln!(page, "{asker} asks for {}: {answer}", one.address);
        page.push_str(&shown(&one.request, fabric));
    }
    page
}

#[test]
fn each_way_of_setting_an_overlay() {
    let mut page = String::new();
    for (name, changes) in VARIANTS {
        let fabric = made(changes);
        let report = fabric.check();
        assert!(report.findings.is_empty(), "{name}: {:#?}", report.findings);
        for (from, to) in [("m-1", "m-3"), ("m-1", "m-2"), ("m-1", "m-4")] {
            for options in [Options::BY_HASH, Options::ALL] {
                assert!(walk(&fabric, &[], from, to, options).arrives(), "{name}: {from} {to}");
            }
        }
        for to in ["m-3", "m-2"] {
            let made = walk(&fabric, &[], "m-1", to, Options::BY_HASH);
            let _ = writeln!(
                page,
                "# {name}: m-1 to {to}\n{}there\n{}",
                asked(&fabric, &made),
                both(&fabric, &made)
            );
        }
    }
    insta::assert_snapshot!(page);
}

/// Without the leaf that has the gateway only one segment is left; another that shares it takes over.
#[test]
fn when_a_gateway_is_lost() {
    for (changes, cuts, bridged, routed) in [
        (CENTRAL, &["leaf-02a"][..], true, true),
        (CENTRAL, &["leaf-02a", "leaf-02b"], true, false),
        (VRRP, &["leaf-02a"], true, true),
        (VRRP, &["leaf-02a", "leaf-03a"], true, false),
    ] {
        let fabric = made(changes);
        let of = |to| walk(&fabric, cuts, "m-1", to, Options::ALL).arrives();
        assert_eq!((of("m-3"), of("m-4")), (bridged, routed), "{cuts:?}");
    }
}

/// A leaf that bridges between segments asymmetrically needs both.
#[test]
fn asymmetric_needs_the_segment_on_both_leaves() {
    let text = [
        (OVERLAY, "target_pattern = \"65000:{vni}\"\nirb = \"asymmetric\"\n"),
        (
            "subnet = \"10.64.2.0/24\"\ngateway = \"10.64.2.1\"\non = \"leaf-*\"",
            "subnet = \"10.64.2.0/24\"\ngateway = \"10.64.2.1\"\non = \"leaf-02*\"",
        ),
    ];
    let plan = Scaffold { pairs: 2, hosts: 2, segments: 2, ..Scaffold::default() };
    let (whole, _) = expectations::peopled(&plan);
    let fabric = read(&text.iter().fold(whole, |text, (from, to)| text.replace(from, to)));
    let made = walk(&fabric, &[], "m-1", "m-2", Options::ALL);
    assert!(!made.arrives());
    let report = fabric.check();
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let explained = made.explained_by(&state, &report).map(|finding| finding.rule.id);
    assert_eq!(explained, Some("vrf-asymmetric-needs-segment"));
}

/// Two leaves lead to an access switch by a single-active Ethernet segment: in each VLAN one of them passes
/// frames, and the other when that is off (RFC 7432 section 8.5).
#[test]
fn of_a_single_active_segment_one_leaf_forwards() {
    let plan = Scaffold { pairs: 0, leaves: 3, hosts: 2, segments: 2, ..Scaffold::default() };
    let (whole, _) = expectations::peopled(&plan);
    let host = whole.find("[[lag]]\non = \"leaf-01\"\nname = \"host-001\"").unwrap();
    let next = whole.find("[[lag]]\non = \"leaf-02\"").unwrap();
    let text = format!("{}{ACCESS}{}", &whole[..host], &whole[next..])
        .replace(
            "host-001 nic[1-2] -- leaf-01 p[1-2]\"",
            "host-001 nic1 -- quay p1\", \"quay p3 -- leaf-01 p9\", \"quay p4 -- leaf-03 p9\"",
        )
        .replace(
            "name = \"host-[001-002]\"",
            "name = \"host-001\"\nnics = \"nic1 25G\"\nnetworks = { name = \"guests\", tags = \
             \"101-102\" }\n\n[[host]]\nname = \"host-002\"",
        )
        .replace("[[overlay]]", "[[overlay]]\ncore_isolation = true")
        .replace("host = \"host-002\"\ntag = 102", "host = \"host-002\"\ntag = 101")
        .replace(
            "10.64.2.12/24\"\ngateway = \"10.64.2.1",
            "10.64.1.12/24\"\ngateway = \"10.64.1.1",
        );
    let fabric = read(&text);
    let rules: Vec<&str> = fabric.check().findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(rules, ["uplink-single-nic"]);
    // VLAN 101 modulo two leaves is 1: the second, by its address.
    for (cuts, leaf) in [
        (&[][..], "leaf-03"),
        (&["leaf-01"], "leaf-03"),
        (&["leaf-03"], "leaf-01"),
        (&["cable leaf-03 p9"], "leaf-01"),
        (&["leaf-03 p49", "leaf-03 p50"], "leaf-01"),
    ] {
        let made = walk(&fabric, cuts, "m-1", "m-2", Options::ALL);
        assert!(made.arrives(), "{cuts:?}");
        for path in made.paths() {
            let names: Vec<&str> =
                path.hops.iter().map(|hop| fabric.device_name(hop.device)).collect();
            let over = ["leaf-01", "leaf-03"].map(|name| names.contains(&name));
            assert_eq!(over, [leaf == "leaf-01", leaf == "leaf-03"], "{cuts:?}");
        }
    }
    let expected = format!(
        "{text}\n[[expect]]\nfrom = \"m-1\"\nto = \"m-2\"\ndespite = [\"leaf-01\", \"leaf-03\", \
         \"cable leaf-01 p9\", \"cable leaf-03 p9\"]\n"
    );
    let fabric = read(&expected);
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    assert_eq!(felting::walk::judge(&state, &Progress::default()), []);
}

/// An access switch with a LAG to each of two leaves.
const ACCESS: &str = r#"
[[switch]]
name = "quay"
ports = "p[1-4] 25G"

[[port]]
on = "quay"
ports = "p[1-2]"
tagged = "101-102"

[[lag]]
on = "quay"
name = "up-1"
ports = "p3"
tagged = "101-102"

[[lag]]
on = "quay"
name = "up-2"
ports = "p4"
tagged = "101-102"

[[lag]]
on = ["leaf-01", "leaf-03"]
name = "quay"
ports = "p9"
tagged = "101-102"
ethernet_segment = "02:46:00:00:00:0f/17"
ethernet_segment_mode = "single-active"

"#;
