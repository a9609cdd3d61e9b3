//! Other ways into the faults of the layer 2 plant, and what only looks like them.

use super::hold;

const STACK_RING: &str = "\"jetty 1/st[1-2] -- jetty 2/st[2,1]\"";

#[test]
fn single_ports() {
    hold(&[
        (
            "a port that is off and has nothing on it",
            "port-down-in-use",
            &[
                ("ports = \"p[1-2]\"\n\n[[host]]", "ports = \"p1\"\n\n[[host]]"),
                (
                    "nics = \"nic[1-2] 25G\"\nbond = { name = \"bond0\", nics = \"nic[1-2]\" }",
                    "nics = \"nic[1-2] 25G\"\nbond = { name = \"bond0\", nics = \"nic1\" }",
                ),
                ("nic[1-2] -- kelp-a p[1-2]", "nic1 -- kelp-a p1"),
            ],
            &[],
        ),
        (
            "an MTU that one end does not say",
            "port-mtu-clash",
            &[("ports = \"p1\"\nmtu = 1500", "ports = \"p1\"")],
            &[],
        ),
        (
            "a port in no partition beside one that is in one",
            "port-partition-clash",
            &[("partition = \"hall\"", "enabled = true")],
            &["port-partition-clash at workshop"],
        ),
        (
            "tagged at one end, untagged at the other",
            "port-untagged-clash",
            &[("untagged = 421", "without = \"untagged\", tagged = 421")],
            &["port-untagged-clash at p1", "port-vlan-clash at p1"],
        ),
    ]);
}

#[test]
fn members() {
    hold(&[
        (
            "a device that can mix rates does, and people regret it",
            "lag-member-clash",
            &[
                ("name = \"kelp-[a-b]\"", "name = \"kelp-[a-b]\"\nhardware = \"tern-48\""),
                ("[[lag]]", "[[hardware]]\nname = \"tern-48\"\nmixed_rates = true\n\n[[lag]]"),
            ],
            &["lag-member-clash at p2 10G"],
        ),
        (
            "half duplex is another rate too",
            "lag-member-clash",
            &[("p2 10G", "p2 25G half")],
            &["lag-member-clash at p2 25G half"],
        ),
        (
            "two kinds of cable",
            "lag-member-clash",
            &[
                ("p2 10G", "p2 25G"),
                (
                    "\"kelp-a p[1-2] -- kelp-b p[1-2]\"",
                    "[{ run = \"kelp-a p1 -- kelp-b p1\", medium = \"copper\" }, { run = \"kelp-a p2 -- kelp-b p2\", medium = \"twinax\" }]",
                ),
            ],
            &["lag-member-clash at twinax"],
        ),
        (
            "a medium that one cable does not say",
            "lag-member-clash",
            &[
                ("p2 10G", "p2 25G"),
                (
                    "\"kelp-a p[1-2] -- kelp-b p[1-2]\"",
                    "[{ run = \"kelp-a p1 -- kelp-b p1\", medium = \"copper\" }, \"kelp-a p2 -- kelp-b p2\"]",
                ),
            ],
            &[],
        ),
        (
            "an address on a member",
            "lag-member-settings-clash",
            &[("tagged = \"310-311\"", "address = \"10.64.0.1/31\"")],
            &["lag-member-settings-clash at 10.64.0.1/31"],
        ),
        (
            "a member that only says how it is switched",
            "lag-member-settings-clash",
            &[("tagged = \"310-311\"", "enabled = true")],
            &[],
        ),
        (
            "static where one end cannot speak LACP",
            "lag-static-blind",
            &[
                (
                    "name = \"kelp-[a-b]\"",
                    "name = \"kelp-[a-b]\"\ndiffers = { on = \"kelp-b\", hardware = \"mud-8\" }",
                ),
                ("[[lag]]", "[[hardware]]\nname = \"mud-8\"\nlacp = false\n\n[[lag]]"),
            ],
            &[],
        ),
        (
            "a minimum that the LAG can never have",
            "lag-min-members",
            &[
                ("min_members = 1\n", "min_members = 3\n"),
                ("min_members = 2 }", "min_members = 3 }"),
            ],
            &["lag-min-members at 3", "lag-min-members at 3"],
        ),
        (
            "timeouts of static ends say nothing",
            "lag-timeout-clash",
            &[("timeout = \"short\"\n", "timeout = \"short\"\nprotocol = \"static\"\n")],
            &["lag-static-blind at static"],
        ),
        (
            "bridged by an untagged VLAN only",
            "lag-layer-clash",
            &[("tagged = 390", "untagged = 390")],
            &["lag-layer-clash at 10.64.3.1/31"],
        ),
        (
            "one address at both ends",
            "lag-address-clash",
            &[("10.64.0.2/31", "10.64.0.1/31")],
            &["lag-address-clash at 10.64.0.1/31"],
        ),
        (
            "IPv6 as well",
            "lag-address-clash",
            &[("10.64.0.1/31", "2001:db8::/127"), ("10.64.0.2/31", "2001:db8::2/127")],
            &["lag-address-clash at 2001:db8::2/127"],
        ),
        (
            "a second address that is in the subnet",
            "lag-address-clash",
            &[("\"10.64.0.2/31\"", "[\"10.64.0.2/31\", \"10.64.0.0/31\"]")],
            &[],
        ),
        (
            "a device that cannot route over a LAG",
            "lag-unsupported",
            &[
                ("lacp = false", "routed_lags = false"),
                (
                    "name = \"up\"\nports = \"p[1-2]\"",
                    "name = \"up\"\nports = \"p[1-2]\"\naddress = \"10.64.0.1/31\"",
                ),
            ],
            &["lag-unsupported at 10.64.0.1/31"],
        ),
        (
            "the limit of the far end holds for both",
            "lag-standby",
            &[("hardware = \"tern-4\"", "differs = { on = \"kelp-b\", hardware = \"tern-4\" }")],
            &["lag-standby at p[1-3]"],
        ),
        (
            "other numbers at the other end cannot match",
            "lag-port-order",
            &[
                (
                    "name = \"across\"\nports = \"p[1-2]\"",
                    "name = \"across\"\nports = \"p[1-2]\"\ndiffers = { on = \"kelp-b\", ports = \"p[3-4]\" }",
                ),
                ("ports = \"p[1-2] 25G\"", "ports = \"p[1-4] 25G\""),
                ("kelp-b p[2,1]", "kelp-b p[4,3]"),
            ],
            &[],
        ),
    ]);
}

#[test]
fn keepalives() {
    let loopbacks = [
        ("\"10.80.39.1\", \"10.80.39.2\"", "\"10.64.8.11\", \"10.64.8.12\""),
        (
            "[[segment]]\nname = \"pulse\"\nvlan = 399\nsubnet = \"10.80.39.0/30\"\non = \"kelp-*\"\n",
            "",
        ),
        (
            "[[management]]\nname = \"yard\"\nsubnet = \"192.0.2.0/24\"",
            "[[router]]\non = \"kelp-*\"\nloopback = \"10.64.8.11\"\ndiffers = [{ on = \"kelp-b\", loopback = \"10.64.8.12\" }]\n\
             [[underlay]]\non = \"kelp-*\"\nunnumbered = true\n[[interface]]\non = \"kelp-*\"\nvlan = 399",
        ),
    ];
    let beside = (
        "runs = \"kelp-a p[1-2] -- kelp-b p[1-2]\"",
        "runs = [\"kelp-a p[1-2] -- kelp-b p[1-2]\", \"kelp-a p3 -- kelp-b p3\"]",
    );
    let by_link = "[[port]]\non = \"kelp-a\"\nports = \"p4\"\naddress = \"10.64.3.0/31\"\n[[port]]\non = \"kelp-b\"\nports = \"p4\"\naddress = \"10.64.3.1/31\"\n\n[[lag]]";
    let linked = "runs = [\"kelp-a p4 -- kelp-b p4\", \"kelp-a p[1-2] -- kelp-b p[1-2]\"]";
    let mirrored = [
        ("from = \"192.0.2.11\", to = \"192.0.2.12\"", "from = \"10.64.3.0\", to = \"10.64.3.1\""),
        ("from = \"192.0.2.12\", to = \"192.0.2.11\"", "from = \"10.64.3.1\", to = \"10.64.3.0\""),
        ("[[lag]]", by_link),
    ];
    let runs = "runs = \"kelp-a p[1-2] -- kelp-b p[1-2]\"";
    let with_cable = [mirrored[0], mirrored[1], mirrored[2], (runs, linked)];
    let two = "on = \"kelp-a\"\n\n[[management]]\nname = \"shed\"\nsubnet = \"198.51.100.0/24\"\non = \"kelp-b\"\n";
    let apart = [
        ("on = \"kelp-a\"\n", two),
        ("to = \"192.0.2.12\"", "to = \"198.51.100.12\""),
        ("from = \"192.0.2.12\"", "from = \"198.51.100.12\""),
    ];
    let routed = [
        (
            "on = \"kelp-a\"\n",
            "on = \"kelp-a\"\ngateway = \"192.0.2.1\"\n\n[[management]]\nname = \"shed\"\nsubnet = \"198.51.100.0/24\"\ngateway = \"198.51.100.1\"\non = \"kelp-b\"\n",
        ),
        apart[1],
        apart[2],
    ];
    hold(&[
        ("over a routed link of its own", "pair-keepalive-unreachable", &with_cable, &[]),
        (
            "over a routed link without a cable",
            "pair-keepalive-unreachable",
            &mirrored,
            &["pair-keepalive-unreachable at 10.64.3.0"],
        ),
        (
            "two management networks that nothing joins",
            "pair-keepalive-unreachable",
            &apart,
            &["pair-keepalive-unreachable at 198.51.100.12"],
        ),
        ("two management networks with routers", "pair-keepalive-unreachable", &routed, &[]),
        (
            "looked up in another VRF",
            "pair-keepalive-unreachable",
            &[
                ("on = \"kelp-a\"\n", "on = \"kelp-*\"\nvrf = \"management\"\n"),
                ("to = \"192.0.2.12\"", "to = \"192.0.2.12\", vrf = \"tides\""),
            ],
            &["pair-keepalive-unreachable at tides"],
        ),
        (
            "an address that somebody wrote wrong in the management network",
            "pair-keepalive-unreachable",
            &[(
                "on = \"kelp-a\"\n",
                "on = \"kelp-*\"\ndiffers = { on = \"kelp-b\", address = \"192.0.2.99\" }\n",
            )],
            &["pair-keepalive-unreachable at 192.0.2.12"],
        ),
        (
            "one side without a keepalive",
            "pair-keepalive-mirror",
            &[("keepalive = { from = \"192.0.2.12\", to = \"192.0.2.21\" }", "")],
            &["pair-keepalive-missing at kelp"],
        ),
        (
            "an address of the peer link itself",
            "pair-keepalive-in-band",
            &[
                (
                    "tagged = 399",
                    "address = \"10.80.39.1/30\"\ndiffers = { on = \"kelp-b\", address = \"10.80.39.2/30\" }",
                ),
                ("vlan = 399\n", ""),
            ],
            &["pair-keepalive-in-band at 10.80.39.1"],
        ),
        (
            "between loopbacks that only the peer link joins",
            "pair-keepalive-in-band",
            &[loopbacks[0], loopbacks[1], loopbacks[2]],
            &["pair-keepalive-in-band at 10.64.8.11"],
        ),
        (
            "the same with a routed link beside it",
            "pair-keepalive-in-band",
            &[loopbacks[0], loopbacks[1], loopbacks[2], beside],
            &[],
        ),
        (
            "a loopback that is nobody's",
            "pair-keepalive-in-band",
            &[
                ("\"10.80.39.1\", \"10.80.39.2\"", "\"10.64.8.11\", \"10.64.8.13\""),
                loopbacks[1],
                loopbacks[2],
                beside,
            ],
            &["pair-keepalive-unreachable at 10.64.8.13"],
        ),
        (
            "the other side is no router",
            "pair-keepalive-in-band",
            &[
                loopbacks[0],
                loopbacks[1],
                (
                    "[[management]]\nname = \"yard\"\nsubnet = \"192.0.2.0/24\"",
                    "[[router]]\non = \"kelp-a\"\nloopback = \"10.64.8.11\"",
                ),
            ],
            &["pair-keepalive-unreachable at 10.64.8.12"],
        ),
    ]);
}

#[test]
fn peer_links_and_sides() {
    hold(&[
        (
            "a LAG of two of which one is cabled",
            "pair-peer-link-single",
            &[("ports = \"p1\"", "ports = \"p[1-2]\"")],
            &["pair-peer-link-single at p1"],
        ),
        (
            "a single port as peer link is inside the pair for the tree too",
            "pair-peer-link-not-lag",
            &[(
                "[cabling]",
                "[[port]]\non = \"kelp-*\"\nports = \"p1\"\ntagged = 310\n\n[[tree]]\non = \"kelp-*\"\nmode = \"off\"\n\n[cabling]",
            )],
            &["pair-peer-link-not-lag at p1"],
        ),
        (
            "a peer link that ends at a stranger",
            "pair-peer-link-miswired",
            &[
                ("[[pair]]", "[[switch]]\nname = \"reed-a\"\nports = \"p[1-4] 100G\"\n\n[[pair]]"),
                ("kelp-a p3 -- kelp-b p4", "kelp-a p3 -- reed-a p4"),
            ],
            &["pair-peer-link-miswired at p4"],
        ),
        (
            "protocol and untagged VLAN of the peer link are one finding",
            "pair-peer-link-clash",
            &[("mtu = 1500 }", "protocol = \"static\", untagged = 7 }")],
            &["pair-peer-link-clash at static"],
        ),
        (
            "what the peer link lacks, a data link beside it has",
            "pair-peer-link-vlan",
            &[
                ("ports = \"p[1-3] 25G\"", "ports = \"p[1-5] 25G\""),
                ("peer_link = \"peer\"", "peer_link = \"peer\"\ndata_link = \"data\""),
                (
                    "[[lag]]\non = \"kelp-*\"\nname = \"hull-01\"",
                    "[[lag]]\non = \"kelp-*\"\nname = \"data\"\nports = \"p[4-5]\"\ntagged = 312\n\n[[lag]]\non = \"kelp-*\"\nname = \"hull-01\"",
                ),
                ("\"kelp-a p[2-3] -- kelp-b p[2-3]\"", "\"kelp-a p[2-5] -- kelp-b p[2-5]\""),
            ],
            &[],
        ),
        (
            "a thin peer link of a pair without uplinks",
            "pair-peer-link-thin",
            &[("  \"kelp-[a-b] p[5-6] -- crest-[1-2] p[1-2]\",\n", "")],
            &[],
        ),
        (
            "a mode that one side has and the other has not",
            "pair-tree-clash",
            &[("priority = 8192 }", "mode = \"mstp\" }")],
            &["pair-tree-clash at mstp"],
        ),
        (
            "one side says what the standard says anyway",
            "pair-tree-clash",
            &[(
                "on = \"kelp-*\"\npriority = 4096\ndiffers = [{ on = \"kelp-b\", priority = 8192 }]",
                "on = \"kelp-a\"\npriority = 32768",
            )],
            &[],
        ),
        (
            "two kinds of hardware",
            "pair-model-mix",
            &[
                (
                    "software = \"4.2.1\"\ndiffers = [{ on = \"kelp-b\", software = \"4.3.0\" }]",
                    "hardware = \"tern-48\"\ndiffers = [{ on = \"kelp-b\", hardware = \"tern-32\" }]",
                ),
                (
                    "[[pair]]",
                    "[[hardware]]\nname = \"tern-48\"\n\n[[hardware]]\nname = \"tern-32\"\n\n[[pair]]",
                ),
            ],
            &["pair-model-mix at tern-32"],
        ),
        (
            "a routed neighbour of one side is no single-homed one",
            "pair-single-homed",
            &[(
                "ports = \"p[3-4]\"\ntagged = 312",
                "ports = \"p[3-4]\"\naddress = \"10.64.3.0/31\"",
            )],
            &[],
        ),
        (
            "priorities that nobody wrote are nobody's tie",
            "pair-priority-tie",
            &[("priority = 10\n", ""), ("priority = 10\n", "")],
            &[],
        ),
    ]);
}

#[test]
fn stacks() {
    hold(&[
        (
            "a stack of one",
            "stack-split-detection-missing",
            &[(", { id = 2, priority = 200 }", ""), (STACK_RING, "")],
            &[],
        ),
        (
            "a stack of whose links nothing is written",
            "stack-open-chain",
            &[("stack_ports = \"st[1-2] 40G\"\n", ""), ("\"jetty 1/st1 -- jetty 2/st2\"", "")],
            &[],
        ),
        (
            "members that no link joins",
            "stack-open-chain",
            &[("\"jetty 1/st1 -- jetty 2/st2\"", "")],
            &["stack-open-chain at jetty"],
        ),
        (
            "three members of which one is to come",
            "stack-open-chain",
            &[
                (
                    "{ id = 2, priority = 200 }",
                    "{ id = 2, priority = 200 }, { id = 3, absent = true }",
                ),
                ("\"jetty 1/st1 -- jetty 2/st2\"", STACK_RING),
            ],
            &[],
        ),
        (
            "a stack link back to the same member",
            "stack-link-miswired",
            &[("jetty 1/st2 -- jetty 2/p1", "jetty 2/st1 -- jetty 2/p1")],
            &["stack-link-miswired at 2/p1"],
        ),
        (
            "three leads to be",
            "stack-priority-tie",
            &[
                (
                    "{ id = 2, priority = 300 }",
                    "{ id = 2, priority = 300 }, { id = 3, priority = 300 }",
                ),
                (STACK_RING, "\"jetty [1-3]/st1 -- jetty [2,3,1]/st2\""),
            ],
            &["stack-priority-tie at 300"],
        ),
        (
            "a stack with two ways up on two members",
            "stack-uplink-single-member",
            &[
                ("ports = \"1/p[1-2]\"", "ports = [\"1/p1\", \"2/p2\"]"),
                (
                    "mud-1 p[1-2] -- jetty 1/p[1-2]",
                    "mud-1 p1 -- jetty 1/p1\", \"mud-1 p2 -- jetty 2/p2",
                ),
            ],
            &[],
        ),
        (
            "a stack port in a LAG",
            "stack-port-carries-data",
            &[(
                "[[port]]\non = \"jetty\"\nports = \"2/st2\"\ntagged = 420",
                "[[lag]]\non = \"jetty\"\nname = \"bench\"\nports = [\"2/st2\"]",
            )],
            &["stack-port-carries-data at 2/st2"],
        ),
    ]);
}

#[test]
fn ethernet_segments() {
    hold(&[
        (
            "a host that hangs on one leaf of a segment",
            "es-single-leaf",
            &[
                ("on = \"dune-*\"", "on = \"dune-a\""),
                ("\ndiffers = [{ on = \"dune-b\", without = \"ethernet_segment\" }]", ""),
                ("ports = \"p1\"", "ports = \"p[1-2]\""),
                ("-- dune-[a-b] p1", "-- dune-a p[1-2]"),
            ],
            &["es-single-leaf at 02:46:00:00:00:0f/5"],
        ),
        (
            "the other leaf has the ports in no LAG",
            "es-single-leaf",
            &[
                ("on = \"dune-*\"", "on = \"dune-a\""),
                ("\ndiffers = [{ on = \"dune-b\", without = \"ethernet_segment\" }]", ""),
            ],
            &["es-single-leaf at 02:46:00:00:00:0f/5"],
        ),
        (
            "a system priority that one leaf has",
            "es-system-clash",
            &[("system = \"02:46:00:00:00:10\" }", "system_priority = 1 }")],
            &["es-system-clash at 1"],
        ),
        (
            "a key that one leaf has",
            "es-system-clash",
            &[("system = \"02:46:00:00:00:10\" }", "key = 77 }")],
            &["es-system-clash at 77"],
        ),
        (
            "static legs present no system",
            "es-system-clash",
            &[
                ("tagged = 311\n", "tagged = 311\nprotocol = \"static\"\n"),
                ("nics = \"nic[1-2]\" }", "nics = \"nic[1-2]\", protocol = \"static\" }"),
            ],
            &["lag-static-blind at static"],
        ),
        (
            "an untagged VLAN that one leaf has",
            "es-vlan-clash",
            &[("tagged = 311 }", "untagged = 311 }")],
            &["es-vlan-clash at 311"],
        ),
    ]);
}

#[test]
fn spanning_trees() {
    hold(&[
        (
            "an edge port that leads to a host",
            "tree-edge-to-switch",
            &[
                (
                    "[[switch]]\nname = \"mud-1\"\nports = \"p[1-2] 1G\"",
                    "[[host]]\nname = \"bench-1\"\nnics = \"p[1-2] 1G\"",
                ),
                ("\n[[port]]\non = \"mud-1\"\nports = \"p1\"\nuntagged = 420\n", ""),
                ("mud-1 p1", "bench-1 p1"),
            ],
            &[],
        ),
        (
            "a slower link that discards is as it should be",
            "tree-fast-link-discarding",
            &[("tree_cost = 100\n", "tree_cost = 100000\n")],
            &[],
        ),
        (
            "nobody chose the root, but no link discards",
            "tree-root-by-accident",
            &[("  \"mud-1 p2 -- mud-2 p2\",\n", "")],
            &[],
        ),
        (
            "the root is chosen for each VLAN",
            "tree-root-by-accident",
            &[(
                "[[port]]",
                "[[tree]]\non = \"*\"\nmode = \"per-vlan\"\nvlan_priorities = { vlans = 420, priority = 4096 }\n\n[[port]]",
            )],
            &[],
        ),
        (
            "a tree for each VLAN without any priority",
            "tree-root-by-accident",
            &[("[[port]]", "[[tree]]\non = \"*\"\nmode = \"per-vlan\"\n\n[[port]]")],
            &["tree-root-by-accident at *"],
        ),
        (
            "an access switch is root among its like",
            "tree-root-misplaced",
            &[("role = \"leaf\"", "role = \"access\"")],
            &[],
        ),
        (
            "the tree is off on one bridge of the ring only",
            "tree-loop",
            &[("on = \"mud-*\"\nmode", "on = \"mud-1\"\nmode")],
            &["tree-loop at off"],
        ),
        (
            "the tree is off on ports",
            "tree-loop",
            &[
                ("[[tree]]\non = \"mud-*\"\nmode = \"off\"\n", ""),
                ("untagged = 420\n", "untagged = 420\ntree = false\n"),
            ],
            &["tree-loop at p[1-2]"],
        ),
        ("a chain without a tree", "tree-loop", &[("  \"mud-1 p2 -- mud-2 p2\",\n", "")], &[]),
        (
            "a neighbour whose tree nobody wrote runs RSTP",
            "tree-mode-clash",
            &[
                ("on = [\"jetty\", \"mud-1\"]", "on = \"jetty\""),
                ("\ndiffers = [{ on = \"mud-1\", revision = 2 }]", ""),
            ],
            &["tree-mode-clash at mstp"],
        ),
        (
            "one tree for each VLAN beside one for all",
            "tree-mode-clash",
            &[("revision = 2 }", "mode = \"per-vlan\" }")],
            &["tree-mode-clash at per-vlan"],
        ),
        (
            "another map of VLANs",
            "tree-mode-clash",
            &[("revision = 2 }", "instances = { id = 1, vlans = 421 } }")],
            &["tree-mode-clash at 421"],
        ),
        (
            "where the ends of the open link disagree, that is the fault",
            "tree-vlan-cut",
            &[("differs = [{ on = \"mud-2\", tagged = 420 }]\n", "")],
            &["port-vlan-clash at 420"],
        ),
    ]);
}
