//! Parts of examples that many rules share.

/// Parts of examples that many rules share: a small fabric, piece by piece.
macro_rules! part {
    // Two spines and two leaves.
    (plant) => {
        concat!(part!(switches), part!(loopbacks), part!(vtep_addresses), part!(uplinks))
    };
    // Two places with a network between them.
    (far_apart) => {
        concat!(
            part!(apart),
            r#"
[cabling]
runs = ["inlet-a p8 -- crest-1 p1", "skerry-a p8 -- crest-1 p2"]
"#
        )
    };
    // The same before it is cabled.
    (apart) => {
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
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[underlay]]
on = ["crest-1", "inlet-a", "skerry-a"]
protocol = "ospf"
"#
    };
    // An end of a pseudowire here, and the other there.
    (wire) => {
        concat!(part!(wire_here), part!(wire_there))
    };
    (wire_here) => {
        r#"
[[pseudowire]]
name = "tide-bus"
on = "inlet-a"
port = "p1"
to = "skerry-a"
session = { local = 17, remote = 41 }
"#
    };
    (wire_there) => {
        r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 41, remote = 17 }
"#
    };
    // The switches, and addresses for their links.
    (switches) => {
        r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-8] 25G", "p[49-52] 100G"]

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"
"#
    };
    (loopbacks) => {
        r#"
[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"
"#
    };
    (vtep_addresses) => {
        r#"
[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"
"#
    };
    (uplinks) => {
        r#"
[cabling]
runs = ["kelp-a p[49-50] -- crest-[1-2] p1", "kelp-b p[49-50] -- crest-[1-2] p2"]
"#
    };
    // Two machines on a switch, in the VLANs 310 and 311.
    (benches) => {
        r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[port]]
on = "kelp-a"
ports = "p1"
untagged = 310

[[port]]
on = "kelp-a"
ports = "p2"
untagged = 311

[[host]]
name = "bench-[1-2]"
nics = "nic1 25G"
networks = { name = "web" }

[[endpoint]]
name = "lathe"
host = "bench-1"
address = "10.80.31.21/24"

[[endpoint]]
name = "saw"
host = "bench-2"
address = "10.80.31.22/24"

[[accept]]
rule = "uplink-single-nic"
on = "bench-*"
reason = "benches have one NIC"

[cabling]
runs = "bench-[1-2] nic1 -- kelp-a p[1-2]"
"#
    };
    // Their underlay.
    (ospf) => {
        r#"
[[underlay]]
on = ["crest-*", "kelp-*"]
"#
    };
    // One AS number, for sessions inside it.
    (one_as) => {
        r#"
[[router]]
on = ["crest-*", "kelp-*"]
as_number = 4204100000
"#
    };
    // Sessions of the leaves with both spines, which reflect.
    (reflected) => {
        r#"
[[session]]
on = "kelp-*"
to = "crest-*"

[[session]]
on = "crest-*"
to = "kelp-*"
client = true
"#
    };
    // The leaves as VTEPs.
    (vteps) => {
        r#"
[[overlay]]
on = "kelp-*"
target_pattern = "42041:{vni}"
"#
    };
    // A segment on both.
    (segment) => {
        r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#
    };
    // BGP over each link as the underlay, with an AS number a leaf and one for the spines.
    (bgp) => {
        r#"
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
"#
    };
    // A hall and a field station, with what they need but the WAN.
    (sites) => {
        r#"
[[switch]]
name = "inlet-a"
number = 17
role = "border"
ports = "p[49-54] 100G"

[[switch]]
name = "skerry-a"
number = 41
role = "leaf"
ports = "p[49-54] 10G"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[[pool]]
name = "vteps"
gives = "vteps"
prefix = "10.64.9.0/24"

[[pool]]
name = "skerry-vteps"
gives = "vteps"
prefix = "10.64.40.0/26"
on = "skerry-a"

[[router]]
on = ["inlet-a", "skerry-a"]
as_number = 4204100000

[[overlay]]
on = ["inlet-a", "skerry-a"]
target_pattern = "42041:{vni}"

[[session]]
on = "inlet-a"
to = "skerry-a"

[[session]]
on = "skerry-a"
to = "inlet-a"

[[site]]
name = "hall"
on = "inlet-a"
"#
    };
    // The field station as a site.
    (skerry) => {
        r#"
[[site]]
name = "skerry"
on = "skerry-a"
"#
    };
    // The WAN between them.
    (wan) => {
        r#"
[[wan]]
name = "fibre"
ends = ["inlet-a p52", "skerry-a p49"]
tags = 100
delay = "4ms"
mtu = 1600
"#
    };
    // The interfaces at its ends.
    (wan_links) => {
        r#"
[[interface]]
on = "inlet-a"
port = "p52"
tag = 100
address = "198.51.100.1/31"

[[interface]]
on = "skerry-a"
port = "p49"
tag = 100
address = "198.51.100.3/31"
"#
    };
    // The routes over it.
    (wan_routes) => {
        r#"
[[route]]
on = "inlet-a"
to = ["10.64.40.0/26", "10.64.8.41/32"]
via = "fibre"

[[route]]
on = "skerry-a"
to = ["10.64.9.0/24", "10.64.8.0/24"]
via = "fibre"
"#
    };
    // Two spines and two leaves with a peer link's cables.
    (pair) => {
        r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-8] 25G", "p[49-52] 100G"]

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

[[management]]
name = "yard"
subnet = "192.0.2.0/24"
on = "kelp-*"

[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "kelp-a p[51-52] -- kelp-b p[51-52]",
]
"#
    };
    // Two spines and two leaves with one host on both.
    (shared_host) => {
        r#"
[[switch]]
name = "crest-[1-2]"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = ["p[1-8] 25G", "p[49-52] 100G"]

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

[[management]]
name = "yard"
subnet = "192.0.2.0/24"
on = "kelp-*"

[cabling]
runs = [
  "kelp-a p[49-50] -- crest-[1-2] p1",
  "kelp-b p[49-50] -- crest-[1-2] p2",
  "silo-1 nic[1-2] -- kelp-[a-b] p1",
]
"#
    };
    // Everything up to the segment, all well.
    (fabric) => {
        concat!(part!(plant), part!(ospf), part!(one_as), part!(reflected), part!(vteps))
    };
}

/// A spine and two leaves with a link each, for examples.
macro_rules! routed {
    ($more:literal) => {
        concat!(
            r#"
[[switch]]
name = "crest-1"
number = 1
role = "spine"
ports = "p[1-4] 100G"

[[switch]]
name = "kelp-[a-b]"
number = 11
role = "leaf"
ports = "p[49-52] 100G"

[[pool]]
name = "links"
gives = "links"
prefix = "10.64.0.0/22"

[[pool]]
name = "loopbacks"
gives = "loopbacks"
prefix = "10.64.8.0/24"

[cabling]
runs = "kelp-[a-b] p49 -- crest-1 p[1-2]"
"#,
            $more
        )
    };
}

/// Parts of examples: a layer 3 switch with one segment and two hosts.
macro_rules! bench {
    ($rest:literal) => {
        concat!(
            r#"
[[switch]]
name = "kelp-a"
ports = "p[1-4] 25G"

[[port]]
on = "kelp-a"
ports = "p[1-4]"
untagged = 310

[[segment]]
name = "tides-web"
vlan = 310
subnet = "10.80.31.0/24"
gateway = "10.80.31.1"
on = "kelp-a"

[[host]]
name = "bench-[1-2]"
nics = "nic1 25G"
networks = { name = "web" }

[[accept]]
rule = "uplink-single-nic"
on = "bench-*"
reason = "benches have one NIC"

[cabling]
runs = "bench-[1-2] nic1 -- kelp-a p[1-2]"
"#,
            $rest
        )
    };
}
