//! One fault, one finding: single faults put into a whole fabric, each by a variant, and the rules
//! that must find them and no other.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

use felting::scaffold::Scaffold;
use felting::source::{Files, Memory};

fn whole() -> String {
    let plan = Scaffold { pairs: 3, hosts: 6, tenants: 2, segments: 4, ..Scaffold::default() };
    plan.to_toml().unwrap()
}

/// The rules that find something in the whole fabric with a variant on top.
fn found(base: &str, overlay: &str) -> Vec<&'static str> {
    let mut files = Memory::default();
    files.insert("fabric.toml", base);
    files.insert("fault.toml", overlay);
    let layers: [(&dyn Files, &str); 2] = [(&files, "fabric.toml"), (&files, "fault.toml")];
    let fabric = felting::Statements::read(&layers, &felting::Progress::default())
        .compile(&felting::Progress::default());
    assert!(fabric.is_complete(), "{overlay}: {:#?}", fabric.faults());
    fabric.check().findings.iter().map(|finding| finding.rule.id).collect()
}

/// Each fault, and the rule that tells it.
const FAULTS: &[(&str, &str)] = &[
    ("[[underlay]]\non = \"leaf-02a\"\narea = 5", "underlay-area-clash"),
    ("[[underlay]]\non = \"leaf-02a\"\nhello = \"3s\"", "underlay-timer-clash"),
    (
        "[[underlay]]\non = \"leaf-02a\"\nnetwork_type = \"broadcast\"",
        "underlay-network-type-clash",
    ),
    ("[[underlay]]\non = \"leaf-02a\"\nauthentication = \"ebb\"", "underlay-authentication-clash"),
    ("[[underlay]]\non = \"leaf-02a\"\nbfd = true", "underlay-bfd-one-sided"),
    ("[[underlay]]\non = \"leaf-02a\"\nprotocol = \"is-is\"", "underlay-protocol-clash"),
    ("[[underlay]]\non = \"leaf-02a\"\nunnumbered = true", "underlay-subnet-clash"),
    (
        "[[underlay]]\non = \"leaf-02a\"\nadvertise = [\"loopbacks\", \"links\"]",
        "underlay-loopback-unadvertised",
    ),
    ("[[interface]]\non = \"leaf-02a\"\nport = \"p49\"\npassive = true", "underlay-protocol-clash"),
    (
        "[[interface]]\non = \"leaf-02a\"\nport = \"p49\"\naddress = \"10.0.99.1/31\"",
        "underlay-subnet-clash",
    ),
    ("[[router]]\non = \"leaf-02a\"\nmax_paths = 1", "underlay-paths-limited"),
    ("[[router]]\non = \"leaf-02a\"\nrouter_id = \"10.32.3.233\"", "underlay-router-id-reused"),
    ("[[router]]\non = \"leaf-02a\"\nloopback = \"10.32.3.233\"", "underlay-address-reused"),
    (
        "[[router]]\non = \"leaf-02a\"\nloopback = \"10.32.3.235/24\"",
        "underlay-loopback-not-host-prefix",
    ),
    ("[[router]]\non = \"leaf-02a\"\nas_number = 65001", "overlay-reflector-external"),
    (
        "[[port]]\non = \"leaf-02a\"\nports = \"p49\"\nmtu = 9216\n[[port]]\non = \"spine-1\"\nports = \"p3\"\nmtu = 1500",
        "underlay-mtu-clash",
    ),
    (
        "[[port]]\non = \"leaf-02a\"\nports = \"p49\"\nmtu = 1500\n[[port]]\non = \"spine-1\"\nports = \"p3\"\nmtu = 1500",
        "underlay-mtu-too-small",
    ),
    ("[[session]]\non = \"spine-*\"\nto = \"leaf-*\"\nclient = false", "overlay-reflector-missing"),
    ("[[session]]\non = \"spine-2\"\nto = \"leaf-*\"\nclient = false", "overlay-reflector-single"),
    (
        "[[session]]\non = \"leaf-02a\"\nto = \"spine-*\"\ncommunities = false",
        "session-communities-dropped",
    ),
    (
        "[[session]]\non = \"leaf-02a\"\nto = \"spine-*\"\nfamilies = \"ipv4\"",
        "session-family-one-sided",
    ),
    ("[[session]]\non = \"leaf-02a\"\nto = \"spine-*\"\npeer_as = 65001", "session-as-clash"),
    (
        "[[session]]\non = \"leaf-02a\"\nto = \"spine-*\"\nauthentication = \"ebb\"",
        "underlay-authentication-clash",
    ),
    (
        "[[session]]\non = \"leaf-02a\"\nto = \"spine-1\"\nsource = \"10.33.3.233\"",
        "session-source-clash",
    ),
    ("[[session]]\non = \"leaf-02a\"\nto = \"leaf-03a\"", "session-one-sided"),
    ("[[overlay]]\non = \"leaf-02a\"\nvtep = \"10.33.9.9\"", "pair-vtep-clash"),
    ("[[overlay]]\non = \"leaf-02a\"\nudp_port = 8472", "segment-udp-port-clash"),
    ("[[overlay]]\non = \"leaf-02a\"\nencapsulation = \"geneve\"", "overlay-encapsulation-clash"),
    (
        "[[overlay]]\non = \"leaf-02a\"\ngateway_mac = \"02:00:00:00:00:02\"",
        "segment-gateway-mac-clash",
    ),
    ("[[overlay]]\non = \"leaf-02a\"\nirb = \"asymmetric\"", "vrf-irb-clash"),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", vni = 20999 }]",
        "segment-vni-clash",
    ),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", vlan = 999 }]",
        "segment-vlan-drift",
    ),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", vrf = \"tenant-2\" }]",
        "segment-vrf-clash",
    ),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", gateway = \"10.64.1.2\" }]",
        "segment-gateway-clash",
    ),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", subnet = \"10.64.1.0/25\" }]",
        "segment-subnet-drift",
    ),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", import_targets = \"65000:1\" }]",
        "overlay-rt-no-exporter",
    ),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", export_targets = \"65000:1\" }]",
        "overlay-rt-no-importer",
    ),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02a\", rd = \"10.32.3.233:101\" }]",
        "overlay-rd-reused",
    ),
    ("[[segment]]\nname = \"net-101\"\nvni = 20102", "segment-vni-reused"),
    ("[[segment]]\nname = \"net-101\"\nvni = 50001", "segment-vni-also-vrf"),
    ("[[segment]]\nname = \"net-101\"\nvni = 45000", "segment-vni-range"),
    ("[[segment]]\nname = \"net-101\"\ngateway = \"10.65.1.1\"", "segment-gateway-outside-subnet"),
    ("[[segment]]\nname = \"net-101\"\nwithout = \"gateway\"", "segment-gateway-missing"),
    (
        "[[segment]]\nname = \"net-103\"\nsubnet = \"10.64.1.128/25\"\ngateway = \"10.64.1.129\"",
        "segment-subnet-overlap",
    ),
    (
        "[[segment]]\nname = \"net-101\"\non = [\"leaf-01*\", \"leaf-02*\", \"leaf-03b\"]",
        "segment-leaf-missing",
    ),
    ("[[port]]\non = \"leaf-02a\"\nports = \"p40\"\ntagged = \"101,777\"", "segment-vlan-missing"),
    (
        "[[vrf]]\nname = \"tenant-1\"\ndiffers = [{ on = \"leaf-02a\", vni = 50999 }]",
        "vrf-vni-clash",
    ),
    (
        "[[vrf]]\nname = \"tenant-1\"\ndiffers = [{ on = \"leaf-02a\", without = \"vni\" }]",
        "vrf-vni-missing",
    ),
    (
        "[[vrf]]\nname = \"tenant-1\"\ndiffers = [{ on = \"leaf-02a\", targets = \"65000:1\" }]",
        "vrf-rt-clash",
    ),
    ("[[vrf]]\nname = \"tenant-2\"\nvni = 50001", "vrf-vni-reused"),
    (
        "[[vrf]]\nname = \"tenant-2\"\nimport_targets = [\"65000:50002\", \"65000:50001\"]",
        "vrf-leak-undeclared",
    ),
    ("[[leak]]\nfrom = \"tenant-1\"\nto = \"tenant-2\"", "vrf-leak-one-way"),
    (
        "[[outside]]\nname = \"campus\"\nvrf = \"tenant-1\"\non = \"spine-1\"\nprefixes = \"0.0.0.0/0\"",
        "vrf-border-missing",
    ),
    (
        "[[pool]]\nname = \"more\"\ngives = \"vteps\"\nprefix = \"10.32.0.0/24\"\non = \"spine-1\"",
        "pool-overlap",
    ),
    (
        "[[pool]]\nname = \"loopbacks\"\ngives = \"loopbacks\"\nprefix = \"10.32.0.0/23\"\n",
        "pool-exhausted",
    ),
    ("[[tree]]\non = \"leaf-02a\"\npriority = 4096", "pair-tree-clash"),
];

/// Two leaves of an AS each, and the spines in one: BGP over the links, and EVPN between loopbacks.
fn external() -> String {
    let part = |text: &str, what: &str| text.split(what).next().unwrap().to_owned();
    let plan = Scaffold { pairs: 0, leaves: 3, hosts: 3, ..Scaffold::default() };
    let text = plan.to_toml().unwrap();
    let plant = part(&text, "[[underlay]]");
    let tenants = text
        .split("# ---------------------------------------------------------------- tenants")
        .nth(1)
        .unwrap();
    format!(
        "{plant}{}{tenants}",
        r#"
[[underlay]]
on = ["spine-*", "leaf-*"]
protocol = "bgp"
import = "everything"
export = "everything"

[[router]]
on = ["spine-*", "leaf-*"]
differs = [{ on = "spine-*", as_number = 4204100001 }]

[[pool]]
name = "leaf-numbers"
gives = "as-numbers"
base = 4204100000
on = "leaf-*"

[[session]]
on = "leaf-*"
to = "spine-*"
multihop = 2
import = "everything"
export = "everything"

[[session]]
on = "spine-*"
to = "leaf-*"
multihop = 2
next_hop = "kept"
import = "everything"
export = "everything"

[[overlay]]
on = "leaf-*"
target_pattern = "65000:{vni}"
gateway_mac = "02:00:00:00:00:01"
"#
    )
}

/// Two leaves with hosts on Ethernet segments.
fn multihomed() -> String {
    let rule = felting::rules::find("es-core-isolation-missing").unwrap();
    // A second segment, so that the VLANs of the legs can differ.
    rule.mended().replace("tagged = \"310\"", "tagged = \"310-311\"")
        + "[[accept]]\nrule = \"uplink-vlan-surplus\"\non = \"kelp-*\"\nreason = \"the second segment is there for its VLAN\"\n"
        + "[[segment]]\nname = \"tides-store\"\nnumber = 311\nvlan = 311\nvni = 23311\non = \"kelp-*\"\n"
}

const EXTERNAL: &[(&str, &str)] = &[
    ("[[underlay]]\non = \"leaf-02\"\nwithout = \"import\"", "session-policy-missing"),
    ("[[underlay]]\non = \"leaf-02\"\nwithout = \"export\"", "session-policy-missing"),
    ("[[underlay]]\non = \"leaf-02\"\npeer_as = 4204100002", "session-as-clash"),
    ("[[underlay]]\non = \"leaf-02\"\nauthentication = \"ebb\"", "underlay-authentication-clash"),
    ("[[router]]\non = \"leaf-02\"\nas_number = 4204101001", "underlay-as-reused"),
    ("[[router]]\non = \"leaf-02\"\nwithout = \"as_number\"", "session-as-clash"),
    (
        "[[session]]\non = \"leaf-02\"\nto = \"spine-*\"\nwithout = \"multihop\"",
        "session-multihop-missing",
    ),
    (
        "[[session]]\non = \"leaf-02\"\nto = \"spine-*\"\nwithout = \"export\"",
        "session-policy-missing",
    ),
    (
        "[[session]]\non = \"spine-*\"\nto = \"leaf-*\"\nwithout = \"next_hop\"",
        "overlay-next-hop-rewritten",
    ),
    (
        "[[overlay]]\non = \"leaf-*\"\ntargets = \"as-vni\"\nwithout = \"target_pattern\"",
        "overlay-rt-auto-across-as",
    ),
    (
        "[[overlay]]\non = \"leaf-*\"\ntargets = \"rfc8365\"\nwithout = \"target_pattern\"",
        "overlay-rt-underivable",
    ),
    ("[[overlay]]\non = \"leaf-02\"\ntarget_pattern = \"65001:{vni}\"", "overlay-rt-no-exporter"),
];

const MULTIHOMED: &[(&str, &str)] = &[
    ("[[overlay]]\non = \"kelp-b\"\nelection = \"preference\"", "es-df-clash"),
    ("[[overlay]]\non = \"kelp-b\"\ncore_isolation = false", "es-core-isolation-missing"),
    (
        "[[lag]]\non = \"kelp-*\"\nname = \"silo-1\"\nethernet_segment_mode = \"single-active\"",
        "es-single-active-on-lag",
    ),
    (
        "[[lag]]\non = \"kelp-b\"\nname = \"silo-1\"\nethernet_segment_mode = \"single-active\"",
        "es-mode-clash",
    ),
    (
        "[[lag]]\non = \"kelp-b\"\nname = \"silo-1\"\nsystem = \"02:46:00:00:00:0e\"",
        "es-system-clash",
    ),
    ("[[lag]]\non = \"kelp-b\"\nname = \"silo-1\"\ntagged = \"310\"", "es-vlan-clash"),
];

/// Machines on the hosts of the whole fabric, and what gives them their addresses.
fn peopled() -> String {
    whole()
        + r#"
[[endpoint]]
name = "giver"
host = "host-003"
tag = 103
address = "10.64.3.5/24"
gateway = "10.64.3.1"

[[dhcp]]
name = "first"
segment = "net-101"
addresses = "10.64.1.100-10.64.1.199"
router = "10.64.1.1"

[[dhcp]]
name = "third"
segment = "net-103"
addresses = "10.64.3.100-10.64.3.199"
router = "10.64.3.1"
server = "giver"
"#
}

const PEOPLED: &[(&str, &str)] = &[
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\ntag = 999",
        "endpoint-network-unmapped",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\nwithout = \"tag\"",
        "endpoint-network-unmapped",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\naddress = \"10.64.1.11/24\"",
        "endpoint-address-reused",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\naddress = \"10.64.1.1/24\"",
        "endpoint-address-reused",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\naddress = \"10.64.1.150/24\"",
        "endpoint-address-reused",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\naddress = \"10.64.2.12/24\"",
        "endpoint-outside-subnet",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\naddress = \"10.64.1.12/16\"",
        "endpoint-prefix-length-clash",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\ngateway = \"10.64.1.254\"",
        "endpoint-gateway-wrong",
    ),
    (
        "[[endpoint]]\nname = \"machine-2\"\nhost = \"host-002\"\nmac = \"02:00:00:00:00:99\"\n[[endpoint]]\nname = \"machine-1\"\nhost = \"host-001\"\nmac = \"02:00:00:00:00:99\"",
        "endpoint-mac-reused",
    ),
    (
        "[[dhcp]]\nname = \"first\"\nsegment = \"net-101\"\naddresses = \"10.64.9.1-10.64.9.9\"",
        "dhcp-outside-subnet",
    ),
    (
        "[[dhcp]]\nname = \"first\"\nsegment = \"net-101\"\naddresses = [\"10.64.1.1-10.64.1.9\"]",
        "dhcp-covers-gateway",
    ),
    (
        "[[dhcp]]\nname = \"first\"\nsegment = \"net-101\"\naddresses = \"10.64.1.100\"\nrouter = \"10.64.1.2\"",
        "dhcp-router-wrong",
    ),
    (
        "[[dhcp]]\nname = \"first\"\nsegment = \"net-101\"\naddresses = \"10.64.1.100\"\nwithout = \"router\"",
        "dhcp-router-wrong",
    ),
    (
        "[[dhcp]]\nname = \"first\"\nsegment = \"net-101\"\naddresses = \"10.64.1.100\"\nserver = \"giver\"",
        "dhcp-relay-missing",
    ),
    (
        "[[host]]\nname = \"host-002\"\nnetworks = { name = \"guests\", tags = \"101-109\" }",
        "uplink-guest-tags-outside",
    ),
    (
        "[[host]]\nname = \"host-002\"\nnetworks = [{ name = \"guests\", tags = \"101-103\" }]",
        "uplink-vlan-surplus",
    ),
    (
        "[[host]]\nname = \"host-004\"\nnetworks = [{ name = \"guests\", tags = \"101-104\" }, { name = \"more\", tag = 200 }]",
        "uplink-vlan-missing",
    ),
    (
        "[[host]]\nname = \"host-[001-003]\"\ncluster = \"all\"\n[[host]]\nname = \"host-004\"\ncluster = \"all\"\nnetworks = { name = \"guests\", tags = \"102-104\" }\n[[lag]]\non = \"leaf-01*\"\nname = \"host-004\"\ntagged = \"102-104\"",
        "uplink-cluster-drift",
    ),
    (
        "[[host]]\nname = \"host-002\"\nmtu = 9000\n[[lag]]\non = \"leaf-02*\"\nname = \"host-002\"\nmtu = 1500",
        "uplink-mtu-clash",
    ),
    ("[[expect]]\nfrom = \"machine-1\"\nto = \"giver\"\nreaches = false", "expect-failed"),
    ("[[expect]]\nfrom = \"machine-1\"\nto = \"machine-2\"\nvni = 20999", "expect-failed"),
    ("[[expect]]\nfrom = \"machine-1\"\nto = \"giver\"\nvrf = \"tenant-2\"", "expect-failed"),
    ("[[expect]]\nfrom = \"machine-1\"\nto = \"giver\"\nhops = 1", "expect-failed"),
    ("[[expect]]\nfrom = \"machine-1\"\nto = \"giver\"\ndespite = \"host-003\"", "expect-failed"),
    (
        "[[segment]]\nname = \"net-101\"\ndiffers = [{ on = \"leaf-02*\", vni = 20999 }]",
        "segment-vni-clash",
    ),
];

/// The faults that are not found as the one thing that they are.
fn wrong(base: &str, faults: &[(&'static str, &'static str)]) -> Vec<String> {
    assert_eq!(found(base, "[fabric]"), Vec::<&str>::new(), "the fabric is whole without a fault");
    let wrong = faults.iter().filter_map(|(fault, rule)| {
        let found = found(base, fault);
        (found != [*rule]).then(|| format!("{fault}\n  wants {rule}, finds {found:?}"))
    });
    wrong.collect()
}

#[test]
fn one_fault_is_one_finding() {
    let wrong = [
        wrong(&whole(), FAULTS),
        wrong(&external(), EXTERNAL),
        wrong(&multihomed(), MULTIHOMED),
        wrong(&peopled(), PEOPLED),
    ]
    .concat();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Of three machines with one MAC address two are in one segment, which the first of them is not in.
#[test]
fn a_mac_address_is_told_in_the_segment_that_has_it_twice() {
    let machine = |name: &str, host: u32, tag: u32| {
        format!(
            "[[endpoint]]\nname = \"{name}\"\nhost = \"host-{host:03}\"\ntag = {tag}\n\
             mac = \"02:00:00:00:00:99\"\n"
        )
    };
    let three = machine("machine-1", 1, 101) + &machine("a", 3, 102) + &machine("b", 4, 102);
    assert_eq!(found(&peopled(), &three), ["endpoint-mac-reused"]);
}

/// Steps are counted by hand; whoever adds one must count it.
#[test]
fn each_stage_ends_with_all_its_steps_done() {
    use felting::progress::{Progress, Stage};
    use felting::{Condition, State, Statements};
    let mut files = Memory::default();
    files.insert("fabric.toml", whole());
    let progress = Progress::default();
    let done = |stage| {
        let now = progress.now();
        assert_eq!((now.stage, now.done), (stage, now.of));
        assert!(now.of > 0);
    };
    let read = Statements::read(&[(&files, "fabric.toml")], &progress);
    done(Stage::Reading);
    let fabric = read.compile(&progress);
    done(Stage::Compiling);
    State::of(&fabric, &Condition::default(), &progress);
    done(Stage::Behaviour);
}

/// A side of a pair with no uplink left still hears routes over the peer link: what is missing is its cables.
#[test]
fn a_side_without_uplinks_is_told_by_its_cables() {
    let whole = whole();
    let uplinks = whole.lines().find(|line| line.contains("leaf-02a p[49-50] -- spine")).unwrap();
    let lacking =
        felting::Fabric::from_text("fabric.toml", &whole.replace(&format!("{uplinks}\n"), ""));
    let found = lacking.check();
    let rules: Vec<&str> = found.findings.iter().map(|finding| finding.rule.id).collect();
    assert_eq!(rules, ["underlay-leaf-partial"]);
}

/// The rules that find something in the whole fabric with some of its text replaced.
fn found_with(edits: &[(&str, &str)]) -> Vec<String> {
    let text = edits.iter().fold(whole(), |text, (from, to)| {
        assert!(text.contains(from), "{from}");
        text.replacen(from, to, 1)
    });
    let fabric = felting::Fabric::from_text("fabric.toml", &text);
    let found = fabric.check();
    let told = found.findings.iter();
    told.map(|finding| format!("{}: {}", finding.rule.id, finding.what.message)).collect()
}

/// Cables that were exchanged are one slip, whatever they join.
#[test]
fn exchanged_cables_are_told_once() {
    let uplinks = found_with(&[
        (
            "\"leaf-01a p[49-50] -- spine-[1-2] p1\"",
            "\"leaf-01a p49 -- spine-1 p1\", \"leaf-01a p50 -- spine-1 p2\"",
        ),
        (
            "\"leaf-01b p[49-50] -- spine-[1-2] p2\"",
            "\"leaf-01b p49 -- spine-2 p1\", \"leaf-01b p50 -- spine-2 p2\"",
        ),
    ]);
    let of_host = found_with(&[
        (
            "\"leaf-01b p[49-50] -- spine-[1-2] p2\"",
            "\"host-001 nic1 -- spine-1 p2\", \"leaf-01b p50 -- spine-2 p2\"",
        ),
        (
            "\"host-001 nic[1-2] -- leaf-01[a-b] p1\"",
            "\"leaf-01b p49 -- leaf-01a p1\", \"host-001 nic2 -- leaf-01b p1\"",
        ),
    ]);
    insta::assert_debug_snapshot!((uplinks, of_host));
}

/// Where nothing is written of a port, it takes no more than its hardware.
#[test]
fn what_hardware_takes_bounds_a_link() {
    let leaves = found_with(&[("mtu = 9216", "mtu = 1500")]);
    let host = found_with(&[("[[host]]", "[[host]]\nmtu = 9300")]);
    insta::assert_debug_snapshot!((leaves, host));
}

/// A leaf that strays is of its twin's pod, and makes no one of the two: it alone is told.
#[test]
fn a_leaf_that_strays_into_another_pod_is_told_alone() {
    let plan = Scaffold { pairs: 1, pods: 2, super_spines: 2, ..Scaffold::default() };
    let whole = plan.to_toml().unwrap();
    let near = "\"leaf-2-01b p[49-50] -- spine-2-[1-2] p2\"";
    assert!(whole.contains(near), "{whole}");
    let strays = "\"leaf-2-01b p49 -- spine-1-1 p7\", \"leaf-2-01b p50 -- spine-2-2 p2\"";
    let fabric = felting::Fabric::from_text("fabric.toml", &whole.replace(near, strays));
    let found = fabric.check();
    let told: Vec<&str> =
        found.findings.iter().map(|finding| finding.what.message.as_str()).collect();
    insta::assert_debug_snapshot!(told);
}

/// Of many bridges on one shared medium the odd one is told, once, whichever it is.
#[test]
fn the_odd_tree_on_a_shared_medium_is_told_alone() {
    let hub = "[fabric]\nname = \"hub\"\n\
        [[switch]]\nname = \"mud-[1-5]\"\nports = \"p1 10G\"\n\
        [[port]]\non = \"mud-*\"\nports = \"p1\"\ntagged = 310\n\
        [[segment]]\nname = \"tides\"\nvlan = 310\non = \"mud-*\"\n\
        [[repeater]]\nname = \"hub\"\nports = \"mud-[1-5] p1\"\n";
    let told = |tree: &str| -> Vec<String> {
        let fabric = felting::Fabric::from_text("hub.toml", &format!("{hub}{tree}"));
        assert!(fabric.is_complete(), "{:?}", fabric.faults());
        let clash = "tree-mode-clash";
        let found = fabric.check().findings.into_iter().filter(|one| one.rule.id == clash);
        found.map(|one| one.what.message).collect()
    };
    let region = "[[tree]]\non = \"mud-*\"\nmode = \"mstp\"\nregion = \"workshop\"\n\
        instances = { id = 1, vlans = 310 }\n";
    insta::assert_debug_snapshot!([
        told("[[tree]]\non = \"mud-3\"\nmode = \"per-vlan\"\n"),
        told(&format!("{region}differs = {{ on = \"mud-1\", revision = 2 }}\n")),
        told(&format!("{region}differs = {{ on = \"mud-5\", revision = 2 }}\n")),
        told(&region.replace("mud-*", "mud-[1-4]")),
    ]);
}
