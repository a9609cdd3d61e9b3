//! Values that are one of a few words.

use std::fmt;
use std::str::FromStr;

use super::NotA;

/// One row a word: its variant, its spelling in the file, and what it means.
macro_rules! words {
    ($($(#[$doc:meta])* $name:ident, $what:literal {
        $($(#[doc = $meaning:literal])+ $variant:ident = $word:literal,)+
    })+) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum $name {
            $($(#[doc = $meaning])+ $variant,)+
        }

        impl $name {
            /// Every value with its word and its meaning, in the order of the documentation.
            pub const ALL: &'static [(Self, &'static str, &'static str)] =
                &[$((Self::$variant, $word, concat!($($meaning),+)),)+];

            /// The word in the file.
            pub const fn word(self) -> &'static str {
                match self {
                    $(Self::$variant => $word,)+
                }
            }
        }

        impl FromStr for $name {
            type Err = NotA;

            fn from_str(text: &str) -> Result<Self, NotA> {
                match text {
                    $($word => Ok(Self::$variant),)+
                    _ => Err(NotA(one_of($what, &[$($word),+], text))),
                }
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(self.word())
            }
        }

        impl From<$name> for toml::Value {
            fn from(value: $name) -> Self {
                Self::String(value.word().to_owned())
            }
        }
    )+};
}

fn one_of(what: &str, words: &[&str], found: &str) -> String {
    let list = words.iter().map(|word| format!("\"{word}\"")).collect::<Vec<_>>();
    let (last, others) = list.split_last().expect("every kind of word has at least two");
    let nearest = match crate::diagnostic::nearest(found, words.iter().copied()) {
        Some(word) => format!("; did you mean \"{word}\"?"),
        None => String::new(),
    };
    format!("{what}: {} or {last}{nearest}", others.join(", "))
}

words! {
    /// How a pseudowire's frames cross the network between its ends.
    WireEncapsulation, "an encapsulation of a pseudowire" {
        /// L2TPv3 (RFC 3931, RFC 4719), with ids and cookies that are written at both ends.
        L2tpv3 = "l2tpv3",
        /// VXLAN (RFC 7348) to one far end.
        Vxlan = "vxlan",
    }

    /// What L2TPv3 goes over.
    WireOver, "what L2TPv3 goes over" {
        /// IP by itself, protocol 115 (RFC 3931 section 4.1.1).
        Ip = "ip",
        /// UDP (RFC 3931 section 4.1.2).
        Udp = "udp",
    }

    /// What a LAG speaks to its far end.
    Protocol, "a LAG protocol" {
        /// No negotiation: every member with a link is used.
        Static = "static",
        /// The Link Aggregation Control Protocol of IEEE 802.1AX.
        Lacp = "lacp",
        /// A maker's own negotiation, which only its like understands.
        Proprietary = "proprietary",
    }

    /// What a host's bond speaks to the switches.
    BondProtocol, "a bond's protocol" {
        /// No negotiation: every NIC with a link is used, and the switches must aggregate too.
        Static = "static",
        /// The Link Aggregation Control Protocol of IEEE 802.1AX.
        Lacp = "lacp",
        /// A maker's own negotiation, which only its like understands.
        Proprietary = "proprietary",
        /// No LAG: one NIC at a time, the others when it has no link.
        ActiveStandby = "active-standby",
        /// No LAG: each guest is kept on one NIC.
        ByGuest = "by-guest",
        /// No LAG: each source MAC address is kept on one NIC.
        BySource = "by-source",
    }

    /// Whether an end starts to talk LACP by itself (IEEE 802.1AX, LACP_Activity).
    Activity, "an LACP mode" {
        /// Sends LACPDUs whatever the far end does.
        Active = "active",
        /// Sends LACPDUs only once it has heard one.
        Passive = "passive",
    }

    /// How soon a silent partner is given up (IEEE 802.1AX, LACP_Timeout).
    Timeout, "an LACP timeout" {
        /// After 3 seconds.
        Short = "short",
        /// After 90 seconds.
        Long = "long",
    }

    /// What the members of an LACP LAG do while no partner answers.
    Unanswered, "a way to treat members that nobody answers" {
        /// Each port works for itself, as IEEE 802.1AX has it.
        Individual = "individual",
        /// No port forwards anything.
        Closed = "closed",
        /// One port, the one of the best port id, forwards, and none while others are in a LAG.
        One = "one",
    }

    /// Which of several partners a LAG takes, as IEEE 802.1AX clause 6.4.14 leaves to the device.
    PartnerBy, "a way to choose one of several partners" {
        /// That of the member with the best port id.
        Member = "member",
        /// The one with the most bandwidth.
        Bandwidth = "bandwidth",
        /// The one with the most links.
        Links = "links",
    }

    /// What a leaf has to lose to count as cut off from the core.
    IsolatedBy, "what core isolation counts" {
        /// All its links to the underlay.
        Links = "links",
        /// All its EVPN sessions.
        Sessions = "sessions",
    }

    /// What a switch is for.
    Role, "a switch's role" {
        /// Joins the leaves.
        Spine = "spine",
        /// Joins the spines of several halls.
        SuperSpine = "super-spine",
        /// Where hosts attach.
        Leaf = "leaf",
        /// A leaf that leads out of the fabric.
        Border = "border",
        /// A layer 2 switch below the leaves.
        Access = "access",
        /// A router outside the fabric.
        Router = "router",
    }

    /// Which spanning tree a bridge runs.
    TreeMode, "a spanning tree mode" {
        /// One tree for all VLANs (RSTP, IEEE 802.1Q clause 13).
        Rstp = "rstp",
        /// A tree for each instance of a region, and a common one (MSTP, IEEE 802.1Q clause 13).
        Mstp = "mstp",
        /// One tree for each VLAN. No standard: bridges of this mode understand each other only.
        PerVlan = "per-vlan",
        /// None: every port forwards.
        Off = "off",
    }

    /// From which table path costs follow that are not set.
    PathCosts, "a table of path costs" {
        /// IEEE 802.1Q table 13-4: 32 bits, 20000 for 1 Gb/s.
        Long = "long",
        /// The older table of IEEE 802.1D-1998: 16 bits, 4 for 1 Gb/s; what is between two of its rates costs between.
        Short = "short",
    }

    /// How many of an Ethernet segment's leaves forward at once (RFC 7432 section 5).
    EthernetSegmentMode, "a mode of an Ethernet segment" {
        /// All of them.
        AllActive = "all-active",
        /// One for each VLAN.
        SingleActive = "single-active",
    }

    /// By what the parts of a split stack notice each other.
    #[non_exhaustive]
    SplitDetection, "a stack's split detection" {
        /// By a link between members that carries nothing else.
        Link = "link",
        /// By messages over the management network.
        Management = "management",
        /// By nothing: each part takes itself for the stack.
        None = "none",
    }

    /// What the secondary side of a pair does when the peer link is lost and the primary lives.
    PeerLinkLoss, "what a secondary does" {
        /// It closes its halves of groups, withdraws the VTEP address that both share, and keeps its other ports.
        CloseGroups = "closes-groups",
        /// It closes all its ports that carry VLANs, and withdraws the VTEP address that both share.
        CloseAll = "closes-all",
        /// It goes on as if nothing had happened.
        Stay = "stays",
    }

    /// Whether a port sends and receives at the same time.
    Duplex, "a duplex mode" {
        /// Both at once.
        Full = "full",
        /// One at a time.
        Half = "half",
    }

    /// What a cable is made of.
    Medium, "a cable's medium" {
        /// Twisted pairs with 8P8C plugs.
        Copper = "copper",
        /// Twinaxial copper with its transceivers attached.
        Twinax = "twinax",
        /// Fibre with its transceivers attached.
        ActiveOptical = "active-optical",
        /// Multimode fibre.
        Multimode = "multimode",
        /// Single-mode fibre.
        SingleMode = "single-mode",
    }

    /// What a pool gives out.
    PoolKind, "what a pool gives" {
        /// Addresses of underlay links, two for each.
        Links = "links",
        /// Loopback addresses.
        Loopbacks = "loopbacks",
        /// VTEP addresses.
        Vteps = "vteps",
        /// Router ids.
        RouterIds = "router-ids",
        /// AS numbers.
        AsNumbers = "as-numbers",
        /// Layer 2 VNIs, of segments.
        SegmentVnis = "segment-vnis",
        /// Layer 3 VNIs, of VRFs.
        VrfVnis = "vrf-vnis",
    }

    /// Whose number an AS number follows from.
    NumberedBy, "what an AS number is for" {
        /// Each switch has its own.
        Switch = "switch",
        /// The sides of a pair share one.
        Pair = "pair",
        /// The switches of a rack share one.
        Rack = "rack",
    }

    /// The routing protocol of the underlay.
    UnderlayProtocol, "an underlay's routing protocol" {
        /// OSPF (RFC 2328, RFC 5340).
        Ospf = "ospf",
        /// IS-IS (ISO/IEC 10589, RFC 1195).
        Isis = "is-is",
        /// BGP between the ends of each link (RFC 4271, RFC 7938).
        Bgp = "bgp",
        /// None: connected and static routes only.
        None = "none",
    }

    /// At which level IS-IS routers are neighbours (ISO/IEC 10589).
    IsisLevel, "an IS-IS level" {
        /// Inside an area.
        One = "1",
        /// Between areas.
        Two = "2",
        /// Both.
        Both = "1-2",
    }

    /// What OSPF or IS-IS take a link for (RFC 2328 section 9.5, RFC 5309).
    NetworkType, "a network type" {
        /// Two routers, and no election.
        PointToPoint = "point-to-point",
        /// Any number of routers, one of them designated.
        Broadcast = "broadcast",
    }

    /// What a switch tells its underlay of.
    Advertised, "what is advertised into the underlay" {
        /// Its loopback.
        Loopbacks = "loopbacks",
        /// Its VTEP address.
        Vteps = "vteps",
        /// The subnets of its underlay links.
        Links = "links",
        /// The subnets of segments in which it has an address outside any VRF.
        Segments = "segments",
        /// The prefixes that it has static routes for.
        Static = "static",
    }

    /// Between which addresses of two switches BGP sessions are.
    SessionOver, "what a session is between" {
        /// Between loopbacks.
        Loopbacks = "loopbacks",
        /// Between the two ends of each link.
        Links = "links",
    }

    /// An address family of BGP (RFC 4760).
    Family, "an address family" {
        /// IPv4 unicast (AFI 1, SAFI 1).
        Ipv4 = "ipv4",
        /// IPv6 unicast (AFI 2, SAFI 1).
        Ipv6 = "ipv6",
        /// EVPN (AFI 25, SAFI 70; RFC 7432).
        Evpn = "evpn",
    }

    /// What a speaker does to the next hop of EVPN routes that it passes on.
    NextHopRule, "a rule for next hops" {
        /// Leaves it alone.
        Kept = "kept",
        /// Puts in its own address, as eBGP does by default (RFC 4271 section 5.1.3).
        Rewritten = "rewritten",
    }

    /// How frames for many get to all VTEPs of a segment.
    #[non_exhaustive]
    Replication, "how flooding is done" {
        /// A copy to each VTEP that says so by a type 3 route (RFC 8365 section 5.1.3).
        Ingress = "ingress",
        /// A copy to each VTEP of a written list.
        Static = "static",
        /// One packet to an underlay multicast group (RFC 7348 section 4.2).
        Multicast = "multicast",
    }

    /// What frames travel in between VTEPs (RFC 9012 section 13).
    #[non_exhaustive]
    Encapsulation, "an encapsulation" {
        /// VXLAN (RFC 7348).
        Vxlan = "vxlan",
        /// NVGRE (RFC 7637).
        Nvgre = "nvgre",
        /// GENEVE (RFC 8926).
        Geneve = "geneve",
    }

    /// Where route targets come from that are not written.
    #[non_exhaustive]
    TargetRule, "where route targets come from" {
        /// From a pattern with the VNI in it.
        Given = "given",
        /// Derived from AS number and VNI as RFC 8365 section 5.1.2.1 has it.
        Rfc8365 = "rfc8365",
        /// The low 16 bits of the AS number and the VNI, as much equipment does; no standard.
        AsVni = "as-vni",
    }

    /// How packets between two segments of a VRF cross the fabric (RFC 9135 section 4).
    Irb, "a kind of IRB" {
        /// Both VTEPs route, by the VRF's layer 3 VNI.
        Symmetric = "symmetric",
        /// Only the first VTEP routes, into the far segment's VNI.
        Asymmetric = "asymmetric",
    }

    /// Which routers have a segment's gateway address.
    GatewayKind, "a kind of gateway" {
        /// All of them at once, with one MAC address (RFC 9135 section 4.1).
        Anycast = "anycast",
        /// One, or one pair.
        Central = "central",
        /// One at a time, by VRRP (RFC 9568).
        Vrrp = "vrrp",
    }

    /// How the leaves of an Ethernet segment agree on who forwards what is for many.
    DfElection, "an election of the designated forwarder" {
        /// VLAN id modulo number of leaves (RFC 7432 section 8.5).
        Modulus = "modulus",
        /// Highest random weight (RFC 8584 section 3).
        Hrw = "hrw",
        /// The highest preference (RFC 9785).
        Preference = "preference",
    }

    /// Which address a side of a pair advertises for what hangs on it alone.
    SingleHomed, "the next hop for what hangs on one side" {
        /// The VTEP address of the pair.
        Shared = "shared",
        /// The side's own loopback.
        Own = "own",
    }

    /// By what a bond spreads frames over its members.
    HashPolicy, "a hash policy" {
        /// Source and destination MAC address.
        MacAddresses = "mac-addresses",
        /// Source and destination IP address.
        Addresses = "addresses",
        /// IP addresses and the ports of TCP or UDP.
        AddressesAndPorts = "addresses-and-ports",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wrong_word_names_the_choice_and_the_nearest() {
        let error = "lcap".parse::<Protocol>().unwrap_err();
        assert_eq!(
            error.to_string(),
            "a LAG protocol: \"static\", \"lacp\" or \"proprietary\"; did you mean \"lacp\"?"
        );
    }
}
