use std::fmt;

/// A number outside the bounds of its type.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OutOfRange {
    /// What the number should have been, such as "a VLAN id".
    pub what: &'static str,
    /// The smallest number allowed.
    pub min: u32,
    /// The largest number allowed.
    pub max: u32,
}

impl fmt::Display for OutOfRange {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} from {} to {}", self.what, self.min, self.max)
    }
}

impl std::error::Error for OutOfRange {}

/// One row a bounded number: what it is, its bounds, and where they come from.
macro_rules! bounded {
    ($($(#[$doc:meta])* $name:ident, $what:literal, $min:literal..=$max:literal;)+) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(u32);

        impl $name {
            /// The smallest value.
            pub const MIN: u32 = $min;
            /// The largest value.
            pub const MAX: u32 = $max;
            /// What a value is, with its article.
            pub const WHAT: &'static str = $what;

            /// The value, if it is between [`Self::MIN`] and [`Self::MAX`].
            #[allow(
                clippy::absurd_extreme_comparisons,
                unused_comparisons,
                reason = "some types reach to the ends of u32"
            )]
            pub const fn new(value: u32) -> Result<Self, OutOfRange> {
                if value >= $min && value <= $max {
                    Ok(Self(value))
                } else {
                    Err(OutOfRange { what: $what, min: $min, max: $max })
                }
            }

            /// The value as a plain number.
            pub const fn get(self) -> u32 {
                self.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        impl From<$name> for toml::Value {
            fn from(value: $name) -> Self {
                Self::Integer(i64::from(value.0))
            }
        }
    )+};
}

bounded! {
    /// A VLAN id that can be configured: the tag carries 0 to 4095, of which 0 marks priority
    /// only and 4095 is reserved.
    ///
    /// Source: IEEE 802.1Q clause 9.6 (table 9-2).
    ///
    /// ```
    /// use felting::value::VlanId;
    /// assert!(VlanId::new(4094).is_ok());
    /// assert!(VlanId::new(4095).is_err());
    /// ```
    VlanId, "a VLAN id", 1..=4094;

    /// A VXLAN network identifier: 24 bits. Zero is refused, since no segment here uses it.
    ///
    /// Source: RFC 7348 section 5.
    Vni, "a VNI", 1..=16_777_215;

    /// The largest frame payload that a port takes, in bytes, without the Ethernet header.
    ///
    /// The lower bound is the smallest an IPv4 link may have (RFC 791 section 3.2), the upper
    /// that of an IPv4 packet.
    Mtu, "an MTU in bytes", 68..=65_535;

    /// The domain number by which the two sides of a pair know that they belong together.
    Domain, "a pair's domain", 1..=65_535;

    /// The number by which the members of a stack know that they belong together.
    StackNumber, "a stack's id", 1..=65_535;

    /// The number that joins two LAGs of a pair into one multi-chassis LAG.
    GroupNumber, "a group number", 1..=65_535;

    /// What a port adds to the cost of a path through it in the spanning tree.
    ///
    /// Source: IEEE 802.1Q clause 13.27.33.
    PathCost, "a path cost", 1..=200_000_000;

    /// The number by which a stack knows a member, and by which its ports are named.
    StackMemberNumber, "a stack member's id", 1..=255;

    /// A spanning tree instance of an MST region.
    ///
    /// Source: IEEE 802.1Q clause 13.8 (an MSTID other than the CIST's).
    InstanceNumber, "a spanning tree instance", 1..=4094;

    /// An autonomous system's number. Zero is refused: no AS has it.
    ///
    /// Source: RFC 6793 (four octets), RFC 7607 (zero).
    ///
    /// ```
    /// use felting::value::Asn;
    /// assert!(Asn::new(4_204_100_000).is_ok());
    /// assert!(Asn::new(0).is_err());
    /// ```
    Asn, "an AS number", 1..=4_294_967_295;

    /// The cost of a link in an underlay's routing protocol.
    ///
    /// Source: RFC 2328 section C.3 (16 bits), RFC 5305 section 3.7 (24 bits).
    Metric, "a cost", 1..=16_777_215;

    /// The first or last number of a pool.
    PoolNumber, "a pool's number", 1..=4_294_967_295;

    /// A UDP port.
    UdpPort, "a UDP port", 1..=65_535;

    /// The preference of a leaf for being an Ethernet segment's designated forwarder; the higher
    /// is the better.
    ///
    /// Source: RFC 9785 section 3.
    Preference, "a preference", 0..=65_535;

    /// The priority of a router of a shared gateway address; the higher is the better.
    ///
    /// Source: RFC 9568 section 5.2.4.
    VrrpPriority, "a VRRP priority", 1..=254;

    /// Which virtual router of a segment a gateway address is.
    ///
    /// Source: RFC 9568 section 5.2.3.
    VrrpId, "a virtual router identifier", 1..=255;

    /// The id of a pseudowire's session, which its receiver gives it. Zero is that of control messages.
    ///
    /// Source: RFC 3931 section 4.1.
    WireSession, "a session id", 1..=4_294_967_295;

    /// The written ordinal from which a thing's allotted values follow.
    Number, "a number", 1..=16_777_215;
}
