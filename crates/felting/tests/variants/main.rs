//! Rules beyond their smallest example: the other ways into each fault, and what must stay silent.

#![allow(clippy::too_many_lines, reason = "tables read best in one piece")]
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

mod plant;
mod routed;

use felting::{Condition, Fabric, Progress, State, rules};

/// What is found in a rule's broken example after some edits: each finding's rule and the text of
/// its primary place.
fn variant(rule: &str, edits: &[(&str, &str)]) -> Vec<String> {
    let mut text = rules::find(rule).unwrap().broken.to_owned();
    for (from, to) in edits {
        assert!(text.contains(from), "{rule}: {from:?} is not in the example");
        text = text.replacen(from, to, 1);
    }
    let fabric = Fabric::from_text("variant.toml", &text);
    assert!(fabric.is_complete(), "{rule}: {:#?}", fabric.faults());
    let report = State::of(&fabric, &Condition::default(), &Progress::default())
        .check(Some(jiff::civil::date(2026, 11, 24)), &Progress::default());
    let show = |finding: &felting::Finding| {
        format!("{} at {}", finding.rule.id, fabric.sources().text(finding.what.primary.span))
    };
    report.findings.iter().map(show).collect()
}

/// A row a variant: why it is there, the rule whose example it starts from, the edits, and what is
/// found (nothing where it must stay silent).
pub(crate) type Row<'a> = (&'a str, &'a str, &'a [(&'a str, &'a str)], &'a [&'a str]);

pub(crate) fn hold(rows: &[Row<'_>]) {
    let mut wrong = Vec::new();
    for (why, rule, edits, expected) in rows {
        let found = variant(rule, edits);
        if found != *expected {
            wrong.push(format!("{rule}: {why}: {found:?}, expected {expected:?}"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn switches_and_cables() {
    hold(&[
        (
            "a written address counts like an allotted one",
            "switch-mac-reused",
            &[
                (
                    "number = 11\n",
                    "number = 11\nmac = \"02:46:00:00:00:0c\"\ndiffers = [{ on = \"kelp-b\", without = \"mac\" }]\n",
                ),
                ("name = \"reed-[a-b]\"", "name = \"reed-a\""),
            ],
            // kelp-b and reed-a have number 12, and kelp-a the address that follows from it.
            &["switch-mac-reused at 11", "switch-mac-reused at 12"],
        ),
        (
            "an address of its own parts the two",
            "switch-mac-reused",
            &[(
                "name = \"reed-[a-b]\"\nnumber = 12",
                "name = \"reed-a\"\nnumber = 12\nmac = \"02:00:00:00:00:01\"",
            )],
            &[],
        ),
        (
            "a third cable is a fault of its own",
            "cable-port-reused",
            &[
                ("ports = \"p[1-2] 25G\"", "ports = \"p[1-3] 25G\""),
                ("kelp-b p2\",", "kelp-b p2\",\n\"kelp-a p1 -- kelp-b p3\","),
            ],
            &["cable-port-reused at p1", "cable-port-reused at p1"],
        ),
        (
            "a cable with both plugs in one port",
            "cable-port-reused",
            &[
                ("kelp-a p1 -- kelp-b p1", "kelp-b p1 -- kelp-b p1"),
                ("kelp-a p1 -- kelp-b p2", "kelp-a p1 -- kelp-a p2"),
            ],
            &["cable-port-reused at p1", "cable-loop at p2"],
        ),
        ("both broken out alike", "cable-speed-clash", &[("p1 100G", "p1 4x25G")], &[]),
        (
            "another number of lanes",
            "cable-speed-clash",
            &[("p1 100G", "p1 2x25G")],
            &["cable-speed-clash at p1"],
        ),
        (
            "another duplex mode",
            "cable-speed-clash",
            &[("p1 100G", "p1 100M half"), ("p1 4x25G", "p1 100M")],
            &["cable-speed-clash at p1"],
        ),
        (
            "two cables that would fit if they were exchanged are one fault",
            "cable-speed-clash",
            &[
                ("\"p1 100G\"", "[\"p1 100G\", \"p2 25G\"]"),
                ("\"p1 4x25G\"", "[\"p1 25G\", \"p2 100G\"]"),
                (
                    "\"kelp-a p1 -- crest-1 p1\"",
                    "[\"kelp-a p1 -- crest-1 p1\", \"kelp-a p2 -- crest-1 p2\"]",
                ),
            ],
            &["cable-speed-clash at p1"],
        ),
        (
            "ports that fit nowhere are one fault",
            "cable-speed-clash",
            &[
                ("p1 100G", "p[1-2] 100G"),
                ("p1 4x25G", "p[1-2] 25G"),
                (
                    "\"kelp-a p1 -- crest-1 p1\"",
                    "[\"kelp-a p1 -- crest-1 p1\", \"kelp-a p2 -- crest-1 p2\"]",
                ),
            ],
            &["cable-speed-clash at p1"],
        ),
        (
            "full is the default",
            "cable-speed-clash",
            &[("p1 100G", "p1 25G full"), ("p1 4x25G", "p1 25G")],
            &[],
        ),
    ]);
}

#[test]
fn members_and_partners() {
    hold(&[
        (
            "a third LAG with the port",
            "lag-member-shared",
            &[(
                "[cabling]",
                "[[lag]]\non = \"kelp-a\"\nname = \"ebb\"\nports = \"p2\"\n\n[cabling]",
            )],
            &["lag-member-shared at p2", "lag-member-shared at p2"],
        ),
        (
            "a NIC in two bonds",
            "uplink-bond-without-lag",
            &[
                (
                    "bond = { name = \"bond0\", nics = \"nic[1-2]\", protocol = \"lacp\" }",
                    "bond = [{ name = \"bond0\", nics = \"nic[1-2]\", protocol = \"static\" }, { name = \"bond1\", nics = \"nic2\" }]",
                ),
                (
                    "[cabling]",
                    "[[lag]]\non = \"kelp-a\"\nname = \"hull-01\"\nports = \"p[1-2]\"\nprotocol = \"static\"\n\n[cabling]",
                ),
            ],
            &["lag-member-shared at nic2"],
        ),
        (
            "one member to a third device that aggregates nothing",
            "lag-one-sided",
            &[
                ("name = \"kelp-[a-b]\"", "name = \"kelp-[a-c]\""),
                ("on = \"kelp-a\"", "on = \"kelp-[a-b]\""),
                (
                    "\"kelp-a p[1-2] -- kelp-b p[1-2]\"",
                    "[\"kelp-a p1 -- kelp-b p1\", \"kelp-a p2 -- kelp-c p1\"]",
                ),
            ],
            &["lag-partner-split at p2"],
        ),
        (
            "the far LAG misses one of the ports",
            "lag-one-sided",
            &[
                ("on = \"kelp-a\"", "on = \"kelp-*\""),
                (
                    "ports = \"p[1-2]\"\n",
                    "ports = \"p[1-2]\"\ndiffers = [{ on = \"kelp-b\", ports = \"p1\" }]\n",
                ),
            ],
            &["lag-one-sided at p[1-2]"],
        ),
        (
            "a static LAG is as one-sided, but all its members forward",
            "lag-one-sided",
            &[("name = \"across\"", "name = \"across\"\nprotocol = \"static\"")],
            &["lag-one-sided at p[1-2]"],
        ),
        (
            "a LAG without any cable is told as that, and a loop elsewhere as a loop",
            "lag-one-sided",
            &[("kelp-a p[1-2] -- kelp-b p[1-2]", "kelp-b p1 -- kelp-b p2")],
            &["lag-uncabled at across", "cable-loop at p2"],
        ),
        (
            "static ends are split too",
            "lag-partner-split",
            &[
                ("nics = \"nic[1-2]\" }", "nics = \"nic[1-2]\", protocol = \"static\" }"),
                ("ports = \"p[1-2]\"", "ports = \"p[1-2]\"\nprotocol = \"static\""),
                ("ports = \"p[3-4]\"", "ports = \"p[3-4]\"\nprotocol = \"static\""),
            ],
            &["lag-partner-split at p[3,2]"],
        ),
        (
            "crossed within one LAG is no split",
            "lag-partner-split",
            &[("p[1,4]", "p[2,1]"), ("p[3,2]", "p[4,3]")],
            &[],
        ),
        (
            "three strangers are one fault",
            "lag-over-strangers",
            &[
                ("ports = \"p[1-2] 100G\"", "ports = \"p[1-3] 100G\""),
                ("name = \"crest-[1-2]\"", "name = \"crest-[1-3]\""),
                ("ports = \"p[1-2]\"", "ports = \"p[1-3]\""),
                ("kelp-a p[1-2] -- crest-[1-2] p1", "kelp-a p[1-3] -- crest-[1-3] p1"),
            ],
            &["lag-over-strangers at up"],
        ),
        (
            "a pair whose LAGs have different groups",
            "pair-group-one-sided",
            &[("without = \"group\"", "group = 102")],
            &["pair-group-one-sided at 101"],
        ),
        (
            "a pair whose LAGs have no group at all",
            "pair-group-one-sided",
            &[
                ("group = 101\n", ""),
                ("differs = [{ on = \"kelp-b\", without = \"group\" }]\n", ""),
            ],
            &["uplink-split-without-pair at bond0"],
        ),
        (
            "a bond on one switch of two needs no pair",
            "uplink-split-without-pair",
            &[
                ("ports = \"p1\"", "ports = \"p[1-2]\""),
                ("on = \"kelp-*\"", "on = \"kelp-a\""),
                (
                    "\"hull-01 nic[1-2] -- kelp-[a-b] p1\", \"kelp-a p[2-3] -- kelp-b p[2-3]\"",
                    "\"hull-01 nic[1-2] -- kelp-a p[1-2]\"",
                ),
            ],
            &[],
        ),
        (
            "NICs used one by one need no LAG",
            "uplink-bond-without-lag",
            &[("protocol = \"lacp\"", "protocol = \"by-guest\"")],
            &[],
        ),
        (
            "a NIC beside the bond in the switch's LAG",
            "uplink-lag-without-bond",
            &[(
                "nics = \"nic[1-2] 25G\"\n",
                "nics = \"nic[1-2] 25G\"\nbond = { name = \"bond0\", nics = \"nic1\" }\n",
            )],
            &["uplink-lag-without-bond at p[1-2]"],
        ),
    ]);
}

#[test]
fn protocols_and_vlans() {
    hold(&[
        (
            "proprietary against LACP",
            "lag-protocol-clash",
            &[("protocol = \"static\"", "protocol = \"proprietary\"")],
            &["lag-protocol-clash at proprietary"],
        ),
        (
            "a statement that is wrong for two links is wrong once",
            "port-vlan-clash",
            &[
                ("ports = \"p1\"", "ports = \"p[1-2]\""),
                ("mud-1 p1 -- mud-2 p1", "mud-1 p[1-2] -- mud-2 p[1-2]"),
            ],
            &["tree-root-by-accident at mud-[1-2]", "port-vlan-clash at 420"],
        ),
        (
            "a key of its own on one half of a group",
            "pair-system-clash",
            &[
                ("system_priority = 200", "system_priority = 100"),
                ("ports = \"p1\"\n", "ports = \"p1\"\ndiffers = { on = \"kelp-b\", key = 9 }\n"),
            ],
            &["pair-system-clash at 9"],
        ),
        (
            "a key that another LAG would have of itself is no key reused",
            "lag-key-reused",
            &[
                ("ports = \"p[1-2]\"\nkey = 7", "ports = \"p[1-2]\""),
                ("ports = \"p[3-4]\"\nkey = 7", "ports = \"p[3-4]\"\nkey = 1"),
            ],
            &[],
        ),
        (
            "one key at one end only is no key reused",
            "lag-key-reused",
            &[(
                "ports = \"p[1-2]\"\nkey = 7",
                "ports = \"p[1-2]\"\nkey = 7\ndiffers = { on = \"kelp-b\", key = 8 }",
            )],
            &[],
        ),
        (
            "both static",
            "lag-protocol-clash",
            &[("protocol = \"lacp\"", "protocol = \"static\"")],
            &["lag-static-blind at static"],
        ),
        (
            "a clash of protocols says nothing of VLANs, so both are told",
            "lag-protocol-clash",
            &[("protocol = \"static\" }", "protocol = \"static\", tagged = 310 }")],
            &["lag-protocol-clash at static", "lag-vlan-clash at 310"],
        ),
        (
            "a passive end against a static one is a clash of protocols",
            "lag-mode-deadlock",
            &[(
                "name = \"to-a\"\nports = \"p[1-2]\"\nmode = \"passive\"",
                "name = \"to-a\"\nports = \"p[1-2]\"\nprotocol = \"static\"",
            )],
            &["lag-protocol-clash at static"],
        ),
        (
            "each end has a VLAN that the other lacks",
            "lag-vlan-clash",
            &[("tagged = \"310-311\"", "tagged = \"311-313\"")],
            &["lag-vlan-clash at 311-313"],
        ),
        (
            "the same set in other words",
            "lag-vlan-clash",
            &[("tagged = \"310-311\"", "tagged = \"312,311,310\"")],
            &[],
        ),
        (
            "one end drops untagged frames",
            "lag-untagged-clash",
            &[(
                "differs = [{ on = \"kelp-b\", untagged = 320 }]",
                "differs = [{ on = \"kelp-b\", without = \"untagged\" }]",
            )],
            &["lag-untagged-clash at across"],
        ),
        (
            "both drop untagged frames",
            "lag-untagged-clash",
            &[("untagged = 310\n", ""), ("differs = [{ on = \"kelp-b\", untagged = 320 }]\n", "")],
            &[],
        ),
        (
            "a VLAN of an untagged network",
            "uplink-vlan-missing",
            &[("{ name = \"solver\", tag = 311 }", "{ name = \"plain\" }")],
            &["uplink-vlan-missing at plain"],
        ),
        (
            "the untagged VLAN takes an untagged network",
            "uplink-vlan-missing",
            &[
                ("{ name = \"solver\", tag = 311 }", "{ name = \"plain\" }"),
                ("tagged = 310", "tagged = 310\nuntagged = 399"),
            ],
            &[],
        ),
        (
            "several networks on one uplink are one fault",
            "uplink-vlan-missing",
            &[(
                "{ name = \"solver\", tag = 311 }",
                "{ name = \"solver\", tag = 311 }, { name = \"store\", tag = 312 }",
            )],
            &["uplink-vlan-missing at 311"],
        ),
        (
            "NICs on plain ports, each with its settings",
            "uplink-vlan-missing",
            &[
                ("bond = { name = \"bond0\", nics = \"nic[1-2]\" }\n", ""),
                ("tag = 310 }", "tag = 310, uplink = \"nic1\" }"),
                ("tag = 311 }", "tag = 311, uplink = \"nic2\" }"),
                ("[[lag]]", "[[port]]"),
                ("name = \"hull-01\"\nports = \"p[1-2]\"", "ports = \"p[1-2]\""),
            ],
            &["uplink-vlan-missing at 311"],
        ),
        (
            "two NICs on one host are enough",
            "uplink-single-nic",
            &[("nic1 1G", "nic[1-2] 1G")],
            &[],
        ),
    ]);
}

#[test]
fn pairs() {
    hold(&[
        (
            "one side names no domain",
            "pair-domain-clash",
            &[("domain = 12", "without = \"domain\"")],
            &["pair-domain-clash at kelp-b"],
        ),
        (
            "the other side agrees by itself",
            "pair-domain-clash",
            &[("domain = 11\n", ""), ("switch = \"kelp-a\"", "switch = \"kelp-a\"\ndomain = 12")],
            &[],
        ),
        (
            "neither side names a peer link",
            "pair-peer-link-missing",
            &[("peer_link = \"peer\"\n", "")],
            &["pair-peer-link-missing at kelp-b"],
        ),
        (
            "a peer link without a cable",
            "pair-peer-link-missing",
            &[("without = \"peer_link\"", ""), ("runs = \"kelp-a p[1-2] -- kelp-b p[1-2]\"", "")],
            &["pair-peer-link-missing at peer"],
        ),
        (
            "the peer link lacks it at one end: not told as a clash of its ends too",
            "pair-peer-link-vlan",
            &[(
                "tagged = \"310-311\"\n",
                "tagged = \"310-312\"\ndiffers = [{ on = \"kelp-a\", tagged = \"310-311\" }]\n",
            )],
            &["pair-peer-link-vlan at 310-311"],
        ),
        (
            "what no group carries is a clash of its ends",
            "pair-peer-link-vlan",
            &[(
                "tagged = \"310-311\"\n",
                "tagged = \"310-312\"\ndiffers = [{ on = \"kelp-a\", tagged = \"310-313\" }]\n",
            )],
            &["lag-vlan-clash at 310-312"],
        ),
        (
            "the untagged VLAN of a group counts",
            "pair-peer-link-vlan",
            &[
                ("tagged = \"310-311\"", "tagged = \"310-312\""),
                ("group = 101\n", "group = 101\nuntagged = 400\n"),
            ],
            &["pair-peer-link-vlan at 310-312"],
        ),
        (
            "each setting that differs is told by itself",
            "pair-group-clash",
            &[(
                "tagged = \"310-311\"",
                "tagged = \"310-312\", mtu = 9000, mode = \"passive\", min_members = 2",
            )],
            &["pair-group-clash at 9000", "pair-group-clash at passive", "pair-group-clash at 2"],
        ),
        (
            "unequal speeds",
            "pair-group-clash",
            &[
                (
                    "ports = \"p[1-3] 25G\"",
                    "ports = \"p[1-3] 25G\"\ndiffers = [{ on = \"kelp-b\", ports = [\"p1 10G\", \"p[2-3] 25G\"] }]",
                ),
                ("nics = \"nic[1-2] 25G\"", "nics = [\"nic1 25G\", \"nic2 10G\"]"),
                ("tagged = \"310-311\"", "tagged = \"310-312\""),
            ],
            &["pair-group-clash at hull-01"],
        ),
        (
            "timeouts may differ, but one half differs from the far end too",
            "pair-group-clash",
            &[("tagged = \"310-311\"", "timeout = \"short\"")],
            &["lag-timeout-clash at bond0"],
        ),
    ]);
}

#[test]
fn segments() {
    hold(&[
        (
            "the majority is right, wherever it is written",
            "segment-vni-clash",
            &[("on = \"kelp-c\", vni = 23301", "on = \"kelp-[a-b]\", vni = 23301")],
            &["segment-vni-clash at 23310"],
        ),
        (
            "of two as frequent, the one for the whole segment",
            "segment-vni-clash",
            &[("name = \"kelp-[a-c]\"", "name = \"kelp-[b-c]\"")],
            &["segment-vni-clash at 23301"],
        ),
        (
            "two that deviate differently are two faults",
            "segment-vni-clash",
            &[
                ("name = \"kelp-[a-c]\"", "name = \"kelp-[a-e]\""),
                ("vni = 23301 }", "vni = 23301 }, { on = \"kelp-d\", vni = 23302 }"),
            ],
            &["segment-vni-clash at 23301", "segment-vni-clash at 23302"],
        ),
        (
            "a switch that is no VTEP maps nothing",
            "segment-vni-clash",
            &[
                (
                    "[[segment]]",
                    "[[hardware]]\nname = \"plain\"\nvtep = false\n[[switch]]\nname = \"mud-1\"\nhardware = \"plain\"\n[[segment]]",
                ),
                (
                    "on = \"kelp-*\"\ndiffers = [{ on = \"kelp-c\"",
                    "on = [\"kelp-*\", \"mud-1\"]\ndiffers = [{ on = \"mud-1\"",
                ),
            ],
            &[],
        ),
        (
            "a wrong number that hits another segment's is told once",
            "segment-vni-clash",
            &[(
                "23301 }]",
                "23311 }]\n[[segment]]\nname = \"tides-solver\"\nvlan = 311\nvni = 23311\non = \"kelp-*\"",
            )],
            &["segment-vni-clash at 23311"],
        ),
        (
            "one VNI with two VLANs of one segment is no reuse",
            "segment-vni-reused",
            &[(
                "name = \"tides-solver\"\nvlan = 311\nvni = 23310\non = \"kelp-*\"",
                "name = \"tides-solver\"\nvlan = 311\non = \"kelp-*\"",
            )],
            &[],
        ),
        (
            "segments on different switches too",
            "segment-vni-reused",
            &[
                (
                    "vlan = 310\nvni = 23310\non = \"kelp-*\"",
                    "vlan = 310\nvni = 23310\non = \"kelp-a\"",
                ),
                (
                    "vlan = 311\nvni = 23310\non = \"kelp-*\"",
                    "vlan = 311\nvni = 23310\non = \"kelp-b\"",
                ),
            ],
            &["segment-vni-reused at 23310"],
        ),
    ]);
}
