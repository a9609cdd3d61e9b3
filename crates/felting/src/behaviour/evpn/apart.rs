//! Why one VTEP has nothing of what another says.

/// Why a VTEP does not have another's routes for a segment.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Apart {
    /// One of the two is no VTEP of the segment.
    NoVtep,
    /// No session brings them.
    NotReceived,
    /// They lost their extended communities on the way, and with them their targets.
    NoCommunities,
    /// They have another target than is imported.
    Target,
    /// They are for another Ethernet tag of a VLAN-aware bundle.
    Tag,
    /// It asks for no copies of what is flooded.
    NoCopies,
    /// They name another encapsulation.
    Encapsulation,
    /// There is no route to their next hop.
    NextHop,
    /// One of the two has withdrawn the address of its pair, as the peer link is lost.
    Withdrawn,
    /// Their next hop is this VTEP's own address: the two are a pair.
    Own,
    /// Another VTEP says the same with the same route distinguisher, and its route was preferred (RFC 7432 section
    /// 7.9).
    OneOfAlike,
    /// Their next hop is of another IP version than this VTEP's address: the outer header has one version
    /// (RFC 7348 section 5).
    Family,
    /// Frames go to another UDP port than the far VTEP listens on.
    UdpPort,
    /// Frames go to a switch that has not that VTEP: it put itself in as next hop.
    Elsewhere,
    /// Its address is not on the written flood list.
    NotListed,
    /// One of the two has no multicast group for the segment, or an address that is none.
    NoGroup,
    /// It has joined another multicast group.
    OtherGroup,
    /// It has another VNI, and the packets of the group name the sender's.
    OtherVni,
    /// No way leads to a rendezvous point, or none is written.
    NoPoint,
    /// It joins at another rendezvous point than the sender registers at.
    OtherPoint,
    /// The way to the rendezvous point is not routed for multicast.
    ReversePath,
}

impl Apart {
    /// Why, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::NoVtep => "no VTEP here",
            Self::NotReceived => "no session brings its routes",
            Self::NoCommunities => "its targets were dropped on the way",
            Self::Target => "its target is not imported",
            Self::Tag => "it is another segment of the bundle",
            Self::NoCopies => "it asks for no copies",
            Self::Encapsulation => "another encapsulation",
            Self::NextHop => "no route to its next hop",
            Self::Withdrawn => "the peer link is lost, and the pair\u{2019}s address withdrawn",
            Self::Family => "its address is of another IP version",
            Self::UdpPort => "it listens on another UDP port",
            Self::Elsewhere => "its next hop is another switch",
            Self::NotListed => "it is not on the flood list",
            Self::NoGroup => "the segment has no multicast group",
            Self::OtherGroup => "it has joined another multicast group",
            Self::OtherVni => "it has another VNI",
            Self::NoPoint => "no way leads to the rendezvous point of the group",
            Self::OtherPoint => "it joins at another rendezvous point",
            Self::ReversePath => "the way to the rendezvous point is not routed for multicast",
            Self::Own => "the pair's own",
            Self::OneOfAlike => "another VTEP\u{2019}s of the same distinguisher is used",
        }
    }
}
