//! The families of the routed fabric: underlay, overlay, VRFs, endpoints and sites.

use crate::hold;

#[test]
fn underlay() {
    hold(&[
        (
            "rendezvous points of one address, a further loopback of each (RFC 4610)",
            "segment-reverse-path-fails",
            &[
                ("differs = [{ on = \"kelp-b\", multicast = false }]\n", ""),
                ("rendezvous = \"10.64.8.1\"", "rendezvous = \"10.64.8.100\""),
                (
                    "as_number = 4204100000\n",
                    "as_number = 4204100000\ndiffers = [{ on = \"crest-1\", loopback = [\"10.64.8.1\", \"10.64.8.100\"] }, { on = \"crest-2\", loopback = [\"10.64.8.2\", \"10.64.8.100\"] }]\n",
                ),
            ],
            &[],
        ),
        (
            "the first loopback is by what a router is itself, rendezvous point or not",
            "segment-reverse-path-fails",
            &[
                ("differs = [{ on = \"kelp-b\", multicast = false }]\n", ""),
                ("rendezvous = \"10.64.8.1\"", "rendezvous = \"10.64.8.100\""),
                (
                    "as_number = 4204100000\n",
                    "as_number = 4204100000\ndiffers = [{ on = \"crest-1\", loopback = [\"10.64.8.1\", \"10.64.8.100\"] }, { on = \"crest-2\", loopback = [\"10.64.8.100\", \"10.64.8.2\"] }]\n",
                ),
            ],
            &["underlay-address-reused at 10.64.8.100"],
        ),
        (
            "a leaf whose links are all in another area hears of nobody, and is one fault",
            "underlay-area-clash",
            &[],
            &["underlay-area-clash at 10"],
        ),
        (
            "both ends in that area agree",
            "underlay-area-clash",
            &[(
                "on = [\"crest-1\", \"kelp-*\"]\ndiffers = [{ on = \"kelp-b\", area = 10 }]",
                "on = [\"crest-1\", \"kelp-*\"]\narea = 10",
            )],
            &[],
        ),
        (
            "two interfaces set alike agree, whatever others have",
            "underlay-mtu-clash",
            &[("mtu = 9000", "mtu = 1600"), ("mtu = 9216", "mtu = 1600")],
            &[],
        ),
        (
            "timers that all have agree",
            "underlay-timer-clash",
            &[("differs = [{ on = \"kelp-b\", hello = \"2s\" }]", "hello = \"2s\"")],
            &[],
        ),
        (
            "one AS number in a fabric of iBGP alone is not reused",
            "underlay-as-reused",
            &[
                ("[[router]]\non = \"crest-1\"\nas_number = 4204100001\n", ""),
                (
                    "on = \"kelp-*\"\nas_number = 4204100011\ndiffers = [{ on = \"kelp-b\", as_number = 4_204_100_011 }]",
                    "on = \"*\"\nas_number = 4204100011",
                ),
            ],
            &[],
        ),
    ]);
}

#[test]
fn overlay() {
    hold(&[
        (
            "a source that the other end expects is a source",
            "session-source-clash",
            &[("source = \"10.64.0.193\"", "source = \"10.64.8.12\"")],
            &[],
        ),
        (
            "more hops than there are do no harm",
            "session-multihop-missing",
            &[
                ("differs = [{ on = \"kelp-b\", without = \"multihop\" }]\n", ""),
                ("multihop = 2", "multihop = 9"),
            ],
            &[],
        ),
        (
            "a router that does not check whether its peer is connected dials one hop with a TTL of 1 (RFC 4271 5.1.3)",
            "session-multihop-missing",
            &[("[[segment]]", "[[router]]\non = \"kelp-b\"\nconnected_check = false\n[[segment]]")],
            &[],
        ),
        (
            "a family that one end alone activates is told at the other",
            "session-family-one-sided",
            &[("families = \"ipv4\"", "families = [\"evpn\", \"ipv4\"]")],
            &["session-family-one-sided at crest-*"],
        ),
        (
            "one of two reflectors that passes nothing between two of its peers is half of the redundancy",
            "overlay-reflector-client-missing",
            &[(
                "[[session]]\non = \"crest-*\"\nto = \"kelp-[b-c]\"\n",
                "[[session]]\non = \"crest-1\"\nto = \"kelp-[b-c]\"\nclient = true\n\
                 [[session]]\non = \"crest-2\"\nto = \"kelp-[b-c]\"\n",
            )],
            &["overlay-reflector-client-missing at crest-2"],
        ),
        (
            "one that is no client hears of all clients, and they of it (RFC 4456 section 6)",
            "overlay-reflector-client-missing",
            &[(
                "[[session]]\non = \"crest-*\"\nto = \"kelp-[b-c]\"\n",
                "[[session]]\non = \"crest-*\"\nto = \"kelp-b\"\nclient = true\n\
                 [[session]]\non = \"crest-*\"\nto = \"kelp-c\"\n",
            )],
            &[],
        ),
        (
            "distinguishers that differ in the number alone are two",
            "overlay-rd-reused",
            &[("10.64.8.11:0310", "10.64.8.11:311")],
            &[],
        ),
        (
            "all in one encapsulation, whichever it is",
            "overlay-encapsulation-clash",
            &[(
                "differs = [{ on = \"kelp-b\", encapsulation = \"geneve\" }]",
                "encapsulation = \"geneve\"",
            )],
            &[],
        ),
    ]);
}

#[test]
fn tenants() {
    hold(&[
        (
            "targets that all have are no clash",
            "vrf-rt-clash",
            &[(
                "differs = [{ on = \"kelp-b\", targets = \"42041:27999\" }]",
                "targets = \"42041:27999\"",
            )],
            &[],
        ),
        (
            "the VNI that all have, written twice",
            "vrf-vni-clash",
            &[("vni = 27009", "vni = 27001")],
            &[],
        ),
        (
            "a leak each way",
            "vrf-leak-one-way",
            &[("[[leak]]", "[[leak]]\nfrom = \"tides\"\nto = \"harbour\"\n[[leak]]")],
            &[],
        ),
        (
            "each switch with its own",
            "vrf-rd-reused",
            &[("10.64.8.11:032769", "10.64.8.12:32769")],
            &[],
        ),
    ]);
}

#[test]
fn endpoints() {
    hold(&[
        (
            "one address in each of two subnets",
            "endpoint-address-reused",
            &[(
                "name = \"web-2\"\nhost = \"bench-2\"\naddress = \"10.80.31.21/24\"",
                "name = \"web-2\"\nhost = \"bench-2\"\naddress = \"10.80.31.22/24\"",
            )],
            &[],
        ),
        (
            "without a gateway a machine stays in its subnet",
            "endpoint-gateway-wrong",
            &[("gateway = \"10.80.31.254\"\n", "")],
            &[],
        ),
        (
            "the last address that a host of the subnet can have",
            "endpoint-prefix-length-clash",
            &[("10.80.31.21/16", "10.80.31.254/24")],
            &[],
        ),
        (
            "two addresses that differ in one bit",
            "endpoint-mac-reused",
            &[(
                "address = \"10.80.31.22/24\"\nmac = \"02:46:00:00:01:01\"",
                "address = \"10.80.31.22/24\"\nmac = \"02:46:00:00:01:00\"",
            )],
            &[],
        ),
    ]);
}

#[test]
fn sites() {
    hold(&[
        (
            "a bound that the path just keeps",
            "site-path-too-slow",
            &[("delay_bound = \"2ms\"", "delay_bound = \"4ms\"")],
            &[],
        ),
        (
            "of two routes the slow one has a bound, and is not used",
            "site-route-too-slow",
            &[
                ("via = \"radio\"\n", "via = \"radio\"\nwithin = \"5ms\"\n"),
                (
                    "[[route]]\non = \"skerry-a\"",
                    "[[route]]\non = \"inlet-a\"\nto = [\"10.64.40.0/26\", \"10.64.8.41/32\"]\nvia = \"fibre\"\n[[route]]\non = \"skerry-a\"",
                ),
            ],
            &[],
        ),
        (
            "without the fast one there is no route",
            "site-route-too-slow",
            &[("via = \"radio\"\n", "via = \"radio\"\nwithin = \"5ms\"\n")],
            &["site-route-unusable at 5ms"],
        ),
        (
            "a slow path as the backup of a more specific route sends nothing",
            "site-route-too-slow",
            &[(
                "to = [\"10.64.40.0/26\", \"10.64.8.41/32\"]\nvia = \"radio\"",
                "to = [\"10.64.40.0/26\", \"10.64.8.41/32\"]\nvia = \"fibre\"\n\
                     [[route]]\non = \"inlet-a\"\nto = \"10.64.0.0/16\"\nvia = \"radio\"",
            )],
            &["site-wan-idle at p50"],
        ),
        (
            "a bound equal to the delay",
            "site-route-unusable",
            &[("within = \"3ms\"", "within = \"4ms\"")],
            &[],
        ),
        (
            "no bound on the site, no judgement",
            "site-route-too-slow",
            &[("delay_bound = \"5ms\"\n", "")],
            &[],
        ),
    ]);
}

#[test]
fn ways_out() {
    let cable = ("kelp-b p7", "kelp-b p8");
    hold(&[
        (
            "addresses of two subnets are told at the link",
            "vrf-outside-unreachable",
            &[cable, ("\"10.80.0.1/31\"", "\"10.80.0.3/31\"")],
            &["underlay-subnet-clash at 10.80.0.3/31"],
        ),
        (
            "so are two tags",
            "vrf-outside-unreachable",
            &[cable, ("port = \"p1\"", "port = \"p1\"\ntag = 7")],
            &["underlay-tag-clash at 7"],
        ),
        (
            "an interface outside of the VRF is told, and not the protocol that it runs",
            "vrf-outside-unreachable",
            &[cable, ("address = \"10.80.0.0/31\"\nvrf = \"tides\"", "address = \"10.80.0.0/31\"")],
            &["vrf-outside-unreachable at p8"],
        ),
        (
            "a router without an interface there takes nothing",
            "vrf-outside-unreachable",
            &[
                cable,
                ("on = \"harbour-buoy\"\nport = \"p1\"", "on = \"harbour-buoy\"\nport = \"p2\""),
            ],
            &["vrf-outside-unreachable at p8"],
        ),
        (
            "a port that is off is told as that",
            "vrf-outside-unreachable",
            &[
                cable,
                (
                    "[cabling]",
                    "[[port]]\non = \"kelp-b\"\nports = \"p8\"\nenabled = false\n\n[cabling]",
                ),
            ],
            &["port-down-in-use at false"],
        ),
        (
            "a leaf without an interface to the router leads nowhere",
            "vrf-outside-unreachable",
            &[("on = \"kelp-b\"\nvia", "on = \"kelp-a\"\nvia"), cable],
            &["vrf-outside-unreachable at harbour-buoy"],
        ),
    ]);
}

#[test]
fn what_only_vrfs_share() {
    let vrf = "[[vrf]]\nname = \"tides\"\nnumber = 1\nvni = 27001\non = \"kelp-*\"\n\n[[overlay]]";
    let segment = "[[segment]]\nname = \"tides-web\"\nnumber = 310\nvlan = 310\nvni = 23310\non = \"kelp-*\"\n";
    hold(&[
        (
            "the UDP port",
            "segment-udp-port-clash",
            &[(segment, ""), ("[[overlay]]", vrf)],
            &["segment-udp-port-clash at 8472"],
        ),
        (
            "a leak of a part of what is there",
            "vrf-leak-empty",
            &[("prefixes = \"10.80.32.0/24\"", "prefixes = \"10.80.31.0/25\"")],
            &["vrf-leak-empty at 10.80.31.0/25"],
        ),
        (
            "a leak of all that is there",
            "vrf-leak-empty",
            &[("prefixes = \"10.80.32.0/24\"", "prefixes = \"0.0.0.0/0\"")],
            &[],
        ),
        (
            "the own address that is the gateway's",
            "segment-address-reused",
            &[(
                "address = \"10.80.31.2/24\"",
                "gateway = \"10.80.31.2\"\naddress = \"10.80.31.2/24\"",
            )],
            &[],
        ),
        (
            "two segments of one instance share its target",
            "overlay-rt-reused",
            &[
                ("targets = \"42041:23310\"\n", ""),
                (
                    "[[overlay]]",
                    "[[evi]]\nname = \"both\"\nnumber = 1\nsegments = [\"tides-web\", \"tides-solver\"]\n\n[[overlay]]",
                ),
            ],
            &[],
        ),
        (
            "an uplink that is dear at the other end",
            "underlay-uplink-idle",
            &[("on = \"kelp-a\"\nport = \"p49\"", "on = \"crest-1\"\nport = \"p1\"")],
            &["underlay-uplink-idle at 500"],
        ),
        (
            "uplinks that are all as dear",
            "underlay-uplink-idle",
            &[("port = \"p49\"", "port = \"p[49-50]\"")],
            &[],
        ),
    ]);
}
