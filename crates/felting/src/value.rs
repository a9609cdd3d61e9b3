//! Values of the domain that cannot be wrong once built.
//!
//! Each type is made only through its check, prints one spelling, and reads that spelling back.
//! IP addresses and prefixes come from the standard library and from `ipnet`.

mod address_range;
mod area;
mod choices;
mod cookie;
mod esi;
mod interval;
mod length;
mod mac;
mod number;
mod prefix;
mod route;
mod speed;
mod tree;
mod vlan;

pub use address_range::AddressRange;
pub use area::Area;
pub use choices::{
    Activity, Advertised, BondProtocol, DfElection, Duplex, Encapsulation, EthernetSegmentMode,
    Family, GatewayKind, HashPolicy, Irb, IsisLevel, IsolatedBy, Medium, NetworkType, NextHopRule,
    NumberedBy, PartnerBy, PathCosts, PeerLinkLoss, PoolKind, Protocol, Replication, Role,
    SessionOver, SingleHomed, SplitDetection, TargetRule, Timeout, TreeMode, Unanswered,
    UnderlayProtocol, WireEncapsulation, WireOver,
};
pub use cookie::Cookie;
pub use esi::{Esi, EthernetSegmentIdentifier};
pub use interval::Interval;
pub use length::Length;
pub use mac::MacAddr;
pub use number::{
    Asn, Domain, GroupNumber, InstanceNumber, Metric, Mtu, Number, OutOfRange, PathCost,
    PoolNumber, Preference, StackMemberNumber, StackNumber, UdpPort, VlanId, Vni, VrrpId,
    VrrpPriority, WireSession,
};
pub use prefix::{IpInterface, IpPrefix, Loopback, PrefixError};
pub use route::{RouteDistinguisher, RouteTarget, TargetPattern};
pub use speed::Speed;
pub use tree::{BridgePriority, TreePortPriority};
pub use vlan::VlanSet;

/// A text that is not a value of the type that was asked for.
///
/// Prints what was expected, to be read after "expected".
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NotA(pub(crate) String);

impl std::fmt::Display for NotA {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for NotA {}

impl From<&str> for NotA {
    fn from(expected: &str) -> Self {
        Self(expected.to_owned())
    }
}
