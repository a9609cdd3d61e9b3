//! The compiled fabric: every name resolved, every range spread out, every deviation applied.
//!
//! Terms, as used throughout:
//!
//! - a **device** is a switch or a host; it has **ports** (a host's are its NICs);
//! - a **cable** joins two ports;
//! - a **LAG** is one *end* of an aggregation: a device, a name, and its **members**. A host's
//!   bond is a LAG end too, unless it doesn't aggregate;
//! - a **pair** is two switches that are one LAG partner; a **group** joins a LAG of either side
//!   into one multi-chassis LAG;
//! - a **stack** is one switch made of several **stack members**, which bring its ports;
//! - an **Ethernet segment** joins LAGs of several leaves that one host takes for one partner;
//! - a **repeater** is a shared medium, a **management network** one apart from the fabric;
//! - a **segment** is a broadcast domain, a **presence** what one switch knows of it;
//! - a **network** is a host's virtual network.
//!
//! A [`Fabric`] is made once and never changed, and everything in it knows where it was written.

mod alike;
mod compile;
mod condition;
mod endpoint;
mod expectation;
mod layout;
mod load;
mod named;
mod names;
mod plant;
mod pseudowire;
mod routing;
mod selection;
mod tenancy;
mod terminal;
mod written;

use std::fmt;
use std::net::IpAddr;
use std::ops::Deref;
use std::sync::Arc;

use jiff::civil::Date;
use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use smol_str::SmolStr;

use crate::diagnostic::{At, Severity, Sources, Span};
use crate::id::{FromIndex, Id, IdVec, typed_id};
use crate::source::Fault;
use crate::value::{IpPrefix, Mtu, VlanId, VlanSet};
pub(crate) use compile::compile;
pub use condition::{Condition, NotThere};
pub use endpoint::{Dhcp, Endpoint};
pub use expectation::{Expectation, Loss};
use layout::{Layout, LayoutId};
pub use load::Load;
pub use named::{Named, Value};
pub use plant::{
    Bond, Cable, Device, DeviceKind, EthernetSegment, Group, Hardware, Keepalive, Lag, Management,
    Member, Network, Pair, Port, PortSettings, Repeater, Side, Stack, StackMember, TreeInstance,
    TreePort, TreeSettings, Uplink,
};
pub use pseudowire::{Ids, Pseudowire};
pub use routing::{
    Evi, Exhausted, Interface, InterfacePlace, Leak, Outside, Overlay, Policy, PolicyName, Pool,
    Presence, Router, Segment, SegmentSettings, Session, Site, StaticRoute, Via, Vrf, VrfPresence,
    Wan,
};
pub use selection::Selection;
pub(crate) use tenancy::Tenancy;
pub use terminal::{NoTerminal, Terminal};
use written::Written;

typed_id! { /** A kind of switch. */ pub HardwareId, "hardware" }
typed_id! { /** A switch or a host. */ pub DeviceId, "device" }
typed_id! { /** A port of a switch or a NIC of a host. */ pub PortId, "port" }
typed_id! { /** A cable. */ pub CableId, "cable" }
typed_id! { /** One end of a LAG: on a switch, or a host's bond. */ pub LagId, "lag" }
typed_id! { /** A port as a member of a LAG. */ pub MemberId, "member" }
typed_id! { /** A multi-chassis LAG of a pair. */ pub GroupId, "group" }
typed_id! { /** A pair of switches. */ pub PairId, "pair" }
typed_id! { /** Several switches that act as one. */ pub StackId, "stack" }
typed_id! { /** A shared medium. */ pub RepeaterId, "repeater" }
typed_id! { /** A management network. */ pub ManagementId, "management" }
typed_id! { /** What a switch does about loops. */ pub TreeId, "tree" }
typed_id! { /** LAGs of several leaves that are one partner by EVPN. */ pub EthernetSegmentId, "es" }
typed_id! { /** A VRF. */ pub VrfId, "vrf" }
typed_id! { /** A segment. */ pub SegmentId, "segment" }
typed_id! { /** A segment on one switch. */ pub PresenceId, "presence" }
typed_id! { /** What a segment is set to on some switches. */ pub SettingsId, "settings" }
typed_id! { /** A pool. */ pub PoolId, "pool" }
typed_id! { /** A switch as a router. */ pub RouterId, "router" }
typed_id! { /** A routed interface. */ pub InterfaceId, "interface" }
typed_id! { /** One end of a BGP session. */ pub SessionId, "session" }
typed_id! { /** A switch as a VTEP. */ pub OverlayId, "overlay" }
typed_id! { /** A routing policy. */ pub PolicyId, "policy" }
typed_id! { /** Segments that are one EVPN instance. */ pub EviId, "evi" }
typed_id! { /** A leak between VRFs. */ pub LeakId, "leak" }
typed_id! { /** A network outside the fabric. */ pub OutsideId, "outside" }
typed_id! { /** A site. */ pub SiteId, "site" }
typed_id! { /** A path over a WAN. */ pub WanId, "wan" }
typed_id! { /** One end of a pseudowire. */ pub PseudowireId, "pseudowire" }
typed_id! { /** A machine on a host's virtual network. */ pub EndpointId, "endpoint" }
typed_id! { /** Addresses that a DHCP server gives out. */ pub DhcpId, "dhcp" }
typed_id! { /** What is expected of the fabric. */ pub ExpectationId, "expectation" }
typed_id! { /** A host's bond. */ pub BondId, "bond" }
typed_id! { /** A host's virtual network. */ pub NetworkId, "network" }

/// A finding that somebody answers for.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Accept {
    /// The rule's id.
    pub rule: At<SmolStr>,
    /// The names or patterns, one of which a finding must name; any finding if empty.
    pub on: Vec<At<SmolStr>>,
    /// Why.
    pub reason: Option<At<SmolStr>>,
    /// The last day.
    pub until: Option<At<Date>>,
    /// The statement.
    pub span: Span,
}

/// Everything that one fabric file describes, compiled.
///
/// A fabric never changes, and a clone of one is the same fabric: it costs nothing, and whatever is worked out from a
/// fabric ([`State`](crate::State)) holds it.
#[derive(Clone, Default)]
pub struct Fabric(Arc<Arenas>);

/// The name alone: a fabric is in all that is worked out from it.
impl fmt::Debug for Fabric {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Fabric").field(&self.name).finish()
    }
}

impl Fabric {
    pub(crate) fn of(arenas: Arenas) -> Self {
        Self(Arc::new(arenas))
    }

    /// Whether two are one fabric, so that the ids of one mean the same in the other.
    pub fn is(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

impl Deref for Fabric {
    type Target = Arenas;

    fn deref(&self) -> &Arenas {
        &self.0
    }
}

/// The things of a [`Fabric`], each kind in an arena of its own, by the order of the file.
#[derive(Debug, Default)]
pub struct Arenas {
    pub(crate) name: SmolStr,
    pub(crate) sources: Sources,
    pub(crate) faults: Vec<Fault>,
    /// What the files say of how bad it is what rules find, and where.
    pub(crate) severities: FxHashMap<SmolStr, At<Option<Severity>>>,
    pub(crate) hardware: IdVec<HardwareId, Hardware>,
    pub(crate) devices: IdVec<DeviceId, Device>,
    pub(crate) device_names: FxHashMap<SmolStr, DeviceId>,
    pub(crate) layouts: IdVec<LayoutId, Layout>,
    pub(crate) ports: IdVec<PortId, Port>,
    pub(crate) port_settings: FxHashMap<PortId, PortSettings>,
    pub(crate) cables: IdVec<CableId, Cable>,
    /// The first cable in each port, and which of its ends that is.
    pub(crate) plugged: IdVec<PortId, Option<(CableId, usize)>>,
    /// Ports with a further cable: the port, the first cable, the further one.
    pub(crate) replugged: Vec<(PortId, CableId, CableId)>,
    pub(crate) lags: IdVec<LagId, Lag>,
    pub(crate) lag_names: FxHashMap<(DeviceId, SmolStr), LagId>,
    pub(crate) members: IdVec<MemberId, Member>,
    /// The member that each port is, in the first LAG that claims it.
    pub(crate) port_member: IdVec<PortId, Option<MemberId>>,
    pub(crate) groups: IdVec<GroupId, Group>,
    pub(crate) pairs: IdVec<PairId, Pair>,
    pub(crate) stacks: IdVec<StackId, Stack>,
    pub(crate) repeaters: IdVec<RepeaterId, Repeater>,
    pub(crate) management: IdVec<ManagementId, Management>,
    pub(crate) tree_settings: IdVec<TreeId, TreeSettings>,
    pub(crate) ethernet_segments: IdVec<EthernetSegmentId, EthernetSegment>,
    pub(crate) vrfs: IdVec<VrfId, Vrf>,
    pub(crate) segments: IdVec<SegmentId, Segment>,
    /// The segments by name; the first of a name counts.
    pub(crate) segment_names: FxHashMap<SmolStr, SegmentId>,
    pub(crate) presences: IdVec<PresenceId, Presence>,
    pub(crate) settings: IdVec<SettingsId, SegmentSettings>,
    /// The presences on each switch, in the order of the segments.
    pub(crate) presences_on: FxHashMap<DeviceId, Vec<PresenceId>>,
    pub(crate) pools: IdVec<PoolId, Pool>,
    pub(crate) exhausted: Vec<Exhausted>,
    pub(crate) routers: IdVec<RouterId, Router>,
    pub(crate) interfaces: IdVec<InterfaceId, Interface>,
    /// The interface at the other end of each, as it is cabled.
    pub(crate) interface_far: IdVec<InterfaceId, Option<InterfaceId>>,
    /// The interfaces that have each address.
    pub(crate) addressed: FxHashMap<IpAddr, SmallVec<[InterfaceId; 1]>>,
    pub(crate) sessions: IdVec<SessionId, Session>,
    /// The end that answers each end of a session, whatever is wrong with either.
    pub(crate) twins: IdVec<SessionId, Option<SessionId>>,
    /// The VLANs that a switch has; none where no segment names it, so that it has all that its ports carry.
    pub(crate) vlans_of: IdVec<DeviceId, Option<VlanSet>>,
    pub(crate) overlays: IdVec<OverlayId, Overlay>,
    /// The switches that an overlay is written for and that can be no VTEPs, each with the place.
    pub(crate) overlays_unable: Vec<(DeviceId, Span)>,
    pub(crate) policies: IdVec<PolicyId, Policy>,
    pub(crate) static_routes: Vec<StaticRoute>,
    /// Those of the underlay, by what they are for.
    pub(crate) written: Written,
    /// The segments that have each subnet on some switch.
    pub(crate) subnets: FxHashMap<IpPrefix, SmallVec<[SegmentId; 1]>>,
    /// The lengths of all subnets, the longest first.
    pub(crate) subnet_lengths: Vec<u8>,
    pub(crate) evis: IdVec<EviId, Evi>,
    pub(crate) leaks: IdVec<LeakId, Leak>,
    pub(crate) outsides: IdVec<OutsideId, Outside>,
    /// What is in each VRF.
    pub(crate) tenancies: IdVec<VrfId, Tenancy>,
    pub(crate) sites: IdVec<SiteId, Site>,
    /// The first site that each switch is in.
    pub(crate) site_of: FxHashMap<DeviceId, SiteId>,
    pub(crate) wans: IdVec<WanId, Wan>,
    pub(crate) pseudowires: IdVec<PseudowireId, Pseudowire>,
    /// The first end of a pseudowire at each port.
    pub(crate) circuits: FxHashMap<PortId, PseudowireId>,
    /// The ends of pseudowires on each switch.
    pub(crate) wires_on: FxHashMap<DeviceId, Vec<PseudowireId>>,
    /// Whether a router is at the end of a pseudowire, so that routes may lead over one.
    pub(crate) wires_lead: bool,
    pub(crate) endpoints: IdVec<EndpointId, Endpoint>,
    pub(crate) endpoint_names: FxHashMap<SmolStr, EndpointId>,
    pub(crate) endpoint_addresses: FxHashMap<IpAddr, SmallVec<[EndpointId; 1]>>,
    pub(crate) dhcps: IdVec<DhcpId, Dhcp>,
    pub(crate) expectations: IdVec<ExpectationId, Expectation>,
    pub(crate) bonds: IdVec<BondId, Bond>,
    /// The first bond that has each NIC.
    pub(crate) nic_bonds: FxHashMap<PortId, BondId>,
    /// The MTUs of NICs whose bond is no LAG.
    pub(crate) nic_mtus: FxHashMap<PortId, At<Mtu>>,
    pub(crate) networks: IdVec<NetworkId, Network>,
    pub(crate) accepts: Vec<Accept>,
}

/// Getters of the arenas: one by id, all in order.
macro_rules! arenas {
    ($($(#[$doc:meta])* $one:ident, $all:ident: $id:ident => $type:ident;)+) => {$(
        $(#[$doc])*
        pub fn $one(&self, id: $id) -> &$type {
            &self.$all[id]
        }

        /// All of them with their ids, in the order of the file.
        pub fn $all(&self) -> impl ExactSizeIterator<Item = ($id, &$type)> + DoubleEndedIterator {
            self.$all.iter()
        }
    )+};
}

/// One line a kind of thing that is looked for by its name: few of each, so that they are looked through.
macro_rules! finders {
    ($($(#[$doc:meta])* $find:ident: $field:ident => $id:ty;)+) => {$(
        $(#[$doc])*
        ///
        /// Linear in how many there are.
        pub fn $find(&self, name: &str) -> Option<$id> {
            self.$field.iter().find(|(_, thing)| thing.name.as_str() == name).map(|(id, _)| id)
        }
    )+};
}

impl Arenas {
    /// A fact about each switch and host, to be looked up by its id.
    pub fn of_each_device<T>(&self, fact: impl FnMut(DeviceId) -> T) -> IdVec<DeviceId, T> {
        IdVec::of(self.devices.ids().map(fact).collect())
    }

    /// The ports that a side of a pair has for its peer link: the members of a LAG, or a single port.
    pub(crate) fn peer_ports(&self, pair: &Pair, side: usize) -> Vec<PortId> {
        let side = &pair.sides[side];
        match side.peer_link {
            Some(lag) => {
                let members = self.lag(lag.value).members.iter();
                members.map(|member| self.member(member).port.value).collect()
            }
            None => side.peer_port.iter().map(|port| port.value).collect(),
        }
    }

    /// The fabric's name, empty if it has none.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The files that were read.
    pub fn sources(&self) -> &Sources {
        &self.sources
    }

    /// What could not be read or does not exist, in file order.
    pub fn faults(&self) -> &[Fault] {
        &self.faults
    }

    /// Whether what is found depends on the day: some acceptance ends.
    pub fn depends_on_day(&self) -> bool {
        self.accepts.iter().any(|accept| accept.until.is_some())
    }

    /// Whether everything that was written could be compiled.
    pub fn is_complete(&self) -> bool {
        self.faults.is_empty()
    }

    arenas! {
        /// One kind of switch.
        hardware_kind, hardware: HardwareId => Hardware;
        /// One switch or host.
        device, devices: DeviceId => Device;
        /// One port.
        port, ports: PortId => Port;
        /// One cable.
        cable, cables: CableId => Cable;
        /// One LAG end.
        lag, lags: LagId => Lag;
        /// One member of a LAG end.
        member, members: MemberId => Member;
        /// One multi-chassis LAG.
        group, groups: GroupId => Group;
        /// One pair.
        pair, pairs: PairId => Pair;
        /// One stack.
        stack, stacks: StackId => Stack;
        /// One shared medium.
        repeater, repeaters: RepeaterId => Repeater;
        /// One management network.
        management_network, management: ManagementId => Management;
        /// What one switch does about loops.
        tree_setting, tree_settings: TreeId => TreeSettings;
        /// One Ethernet segment.
        ethernet_segment, ethernet_segments: EthernetSegmentId => EthernetSegment;
        /// One VRF.
        vrf, vrfs: VrfId => Vrf;
        /// One segment.
        segment, segments: SegmentId => Segment;
        /// One segment on one switch.
        presence, presences: PresenceId => Presence;
        /// One pool.
        pool, pools: PoolId => Pool;
        /// One switch as a router.
        router, routers: RouterId => Router;
        /// One routed interface.
        interface, interfaces: InterfaceId => Interface;
        /// One end of a BGP session.
        session, sessions: SessionId => Session;
        /// One switch as a VTEP.
        overlay, overlays: OverlayId => Overlay;
        /// One routing policy.
        policy, policies: PolicyId => Policy;
        /// One EVPN instance of several segments.
        evi, evis: EviId => Evi;
        /// One leak between VRFs.
        leak, leaks: LeakId => Leak;
        /// One network outside the fabric.
        outside, outsides: OutsideId => Outside;
        /// One site.
        site, sites: SiteId => Site;
        /// One path over a WAN.
        wan, wans: WanId => Wan;
        /// One end of a pseudowire.
        pseudowire, pseudowires: PseudowireId => Pseudowire;
        /// One machine on a host's virtual network.
        endpoint, endpoints: EndpointId => Endpoint;
        /// Addresses that one server gives out in one segment.
        dhcp, dhcps: DhcpId => Dhcp;
        /// One expectation.
        expectation, expectations: ExpectationId => Expectation;
        /// One bond.
        bond, bonds: BondId => Bond;
        /// One virtual network.
        network, networks: NetworkId => Network;
    }

    /// What a segment is set to where it is present.
    pub fn settings_at(&self, presence: PresenceId) -> &SegmentSettings {
        &self.settings[self.presences[presence].settings]
    }

    /// The presences of segments on a switch, in the order of the segments.
    pub fn presences_on(&self, switch: DeviceId) -> &[PresenceId] {
        self.presences_on.get(&switch).map_or(&[], Vec::as_slice)
    }

    /// The presence of a segment on a switch.
    pub fn presence_of(&self, segment: SegmentId, switch: DeviceId) -> Option<PresenceId> {
        let own = self.presences_on(switch);
        let place =
            own.binary_search_by_key(&segment, |&presence| self.presences[presence].segment);
        place.ok().map(|place| own[place])
    }

    /// A switch as a router, if it takes part in any routing.
    pub fn router_of(&self, switch: DeviceId) -> Option<&Router> {
        self.devices[switch].router.map(|router| &self.routers[router])
    }

    /// A switch as a VTEP, if a statement makes it one.
    pub fn overlay_of(&self, switch: DeviceId) -> Option<&Overlay> {
        self.router_of(switch)?.overlay.map(|overlay| &self.overlays[overlay])
    }

    /// The VTEP address of a switch.
    pub fn vtep_of(&self, switch: DeviceId) -> Option<At<IpAddr>> {
        self.overlay_of(switch)?.vtep
    }

    /// The interface at the other end, as it is cabled: of a VLAN's interface that of the other side
    /// of the pair.
    pub fn interface_far(&self, interface: InterfaceId) -> Option<InterfaceId> {
        self.interface_far[interface]
    }

    /// The interfaces that have an address, in order.
    pub(crate) fn interfaces_with(&self, address: IpAddr) -> &[InterfaceId] {
        self.addressed.get(&address).map_or(&[], SmallVec::as_slice)
    }

    /// Whether an address is one of a router's own: of a loopback, its VTEP, or an interface.
    pub fn has_address(&self, router: RouterId, address: IpAddr) -> bool {
        let made = &self.routers[router];
        made.loopbacks.iter().any(|loopback| loopback.address() == address)
            || self.vtep_of(made.device).is_some_and(|vtep| vtep.value == address)
            || self.interfaces_with(address).iter().any(|&id| made.interfaces.contains(id))
    }

    /// The end that answers an end of a session: at the peer, towards this switch, over a link that at the other end of
    /// the link. Whether their settings agree is another question.
    pub fn twin(&self, session: SessionId) -> Option<SessionId> {
        self.twins[session]
    }

    /// The routed interface on a port for frames with a tag, or without one.
    pub fn interface_on(&self, port: PortId, tag: Option<VlanId>) -> Option<InterfaceId> {
        let router = self.router_of(self.ports[port].device)?;
        let of_port = self.interfaces_at(router, InterfacePlace::Port(port));
        let of_lag = self.lag_of(port).into_iter();
        let of_lag = of_lag.flat_map(|lag| self.interfaces_at(router, InterfacePlace::Lag(lag)));
        let tag = tag.map(VlanId::get);
        of_port.chain(of_lag).find(|&id| self.interfaces[id].tag.map(|tag| tag.get()) == tag)
    }

    /// A router's interfaces at one place: those of all tags, and the one without.
    pub(crate) fn interfaces_at(
        &self,
        router: &Router,
        place: InterfacePlace,
    ) -> impl Iterator<Item = InterfaceId> + '_ {
        let own = self.interfaces.slice(&router.interfaces);
        let first = own.partition_point(|interface| interface.place < place);
        let here = own[first..].iter().take_while(move |interface| interface.place == place);
        let all = router.interfaces;
        here.zip(first..).filter_map(move |(_, at)| all.get(at))
    }

    /// The session by which BGP carries the underlay's routes over an interface, if one is written.
    pub fn session_on(&self, interface: InterfaceId) -> Option<SessionId> {
        let router = self.router_of(self.interfaces[interface].device)?;
        router.sessions.iter().find(|&id| self.sessions[id].interface == Some(interface))
    }

    /// The segments that have a subnet with an address in it, those of the longest prefix first.
    pub(crate) fn segments_with(
        &self,
        address: IpAddr,
    ) -> impl Iterator<Item = (IpPrefix, SegmentId)> + '_ {
        let host = IpPrefix::host(address);
        let lengths = self.subnet_lengths.iter().filter(move |&&length| length <= host.length());
        lengths.flat_map(move |&length| {
            let prefix = host.shortened(length);
            let found = self.subnets.get(&prefix).map_or(&[][..], |found| &found[..]);
            found.iter().map(move |&segment| (prefix, segment))
        })
    }

    /// The static routes, in the order of the file.
    pub fn static_routes(&self) -> &[StaticRoute] {
        &self.static_routes
    }

    /// Whether two switches have one number, so that what is allotted to them is the same.
    pub(crate) fn same_number(&self, a: DeviceId, b: DeviceId) -> bool {
        let number = |device: DeviceId| self.devices[device].number.map(|number| number.value);
        a != b && number(a).is_some() && number(a) == number(b)
    }

    /// Whether a pool had nothing left for a switch.
    pub(crate) fn went_without(&self, switch: DeviceId) -> bool {
        self.exhausted.iter().any(|exhausted| exhausted.switch == Some(switch))
    }

    /// What pools could not give.
    pub fn exhausted(&self) -> &[Exhausted] {
        &self.exhausted
    }

    /// The name of an interface on its switch, such as `p49`, `p49.100` or `VLAN 3900`.
    pub fn interface_name(&self, interface: InterfaceId) -> String {
        let interface = &self.interfaces[interface];
        let base = match interface.place {
            InterfacePlace::Port(port) => self.port_name(port).to_owned(),
            InterfacePlace::Lag(lag) => self.lags[lag].name.to_string(),
            InterfacePlace::Vlan(vlan) => format!("VLAN {vlan}"),
        };
        match interface.tag {
            Some(tag) => format!("{base}.{}", tag.value),
            None => base,
        }
    }

    /// The switch's and the interface's name, as in `kelp-a p49`.
    pub fn interface_label(&self, interface: InterfaceId) -> String {
        let device = self.interfaces[interface].device;
        format!("{} {}", self.device_name(device), self.interface_name(interface))
    }

    /// The device of a name.
    pub fn find_device(&self, name: &str) -> Option<DeviceId> {
        self.device_names.get(name).copied()
    }

    /// The segment of a name.
    pub fn find_segment(&self, name: &str) -> Option<SegmentId> {
        self.segment_names.get(name).copied()
    }

    finders! {
        /// The kind of switch of a name.
        find_hardware: hardware => HardwareId;
        /// The pair of a name.
        find_pair: pairs => PairId;
        /// The shared medium of a name.
        find_repeater: repeaters => RepeaterId;
        /// The management network of a name.
        find_management: management => ManagementId;
        /// The VRF of a name.
        find_vrf: vrfs => VrfId;
        /// The pool of a name.
        find_pool: pools => PoolId;
        /// The routing policy of a name.
        find_policy: policies => PolicyId;
        /// The EVPN instance of a name.
        find_evi: evis => EviId;
        /// The network outside of a name.
        find_outside: outsides => OutsideId;
        /// The site of a name.
        find_site: sites => SiteId;
        /// The WAN path of a name.
        find_wan: wans => WanId;
        /// The DHCP range of a name.
        find_dhcp: dhcps => DhcpId;
    }

    /// The stack that makes a switch.
    pub fn find_stack(&self, switch: &str) -> Option<StackId> {
        self.devices[self.find_device(switch)?].stack
    }

    /// A bond of a host by name.
    ///
    /// Linear in how many there are.
    pub fn find_bond(&self, host: DeviceId, name: &str) -> Option<BondId> {
        let is = |bond: &Bond| bond.host == host && bond.name.as_str() == name;
        self.bonds.iter().find(|(_, bond)| is(bond)).map(|(id, _)| id)
    }

    /// A virtual network of a host by name.
    ///
    /// Linear in how many there are.
    pub fn find_network(&self, host: DeviceId, name: &str) -> Option<NetworkId> {
        let is = |network: &Network| network.host == host && network.name.as_str() == name;
        self.networks.iter().find(|(_, network)| is(network)).map(|(id, _)| id)
    }

    /// A port of a device by name.
    pub fn find_port(&self, device: DeviceId, name: &str) -> Option<PortId> {
        let device = &self.devices[device];
        device.ports.get(self.layouts[device.layout].find(name)?)
    }

    /// The LAG end of a name on a device.
    pub fn find_lag(&self, device: DeviceId, name: &str) -> Option<LagId> {
        self.lag_names.get(&(device, SmolStr::new(name))).copied()
    }

    /// The name of a device.
    pub fn device_name(&self, device: DeviceId) -> &str {
        &self.devices[device].name
    }

    /// The name of a port on its device.
    pub fn port_name(&self, port: PortId) -> &str {
        let device = &self.devices[self.ports[port].device];
        let place = port.index() - device.ports.get(0).map_or(0, Id::index);
        self.layouts[device.layout].name(place)
    }

    /// The device's and the port's name, as in `kelp-a p1`.
    pub fn port_label(&self, port: PortId) -> String {
        format!("{} {}", self.device_name(self.ports[port].device), self.port_name(port))
    }

    /// The device's and the LAG's name, as in `kelp-a hull-01`.
    pub fn lag_label(&self, lag: LagId) -> String {
        let lag = &self.lags[lag];
        format!("{} {}", self.device_name(lag.device), lag.name.value)
    }

    /// The cable in a port and the port at its other end. Of several cables the first written
    /// counts; a lane of a broken-out port goes with the port's cable to the same lane of the
    /// far port, if that has as many.
    pub fn link(&self, port: PortId) -> Option<(CableId, PortId)> {
        if let Some((cable, end)) = self.plugged[port] {
            return Some((cable, self.cables[cable].ends[1 - end].value));
        }
        let parent = self.ports[port].lane_of?;
        let (cable, end) = self.plugged[parent]?;
        let far = self.cables[cable].ends[1 - end].value;
        if self.ports[far].lanes != self.ports[parent].lanes {
            return None;
        }
        let lane = port.index() - parent.index();
        Some((cable, PortId::from_index(far.index() + lane)))
    }

    /// The LAG end that a port is a member of.
    pub fn lag_of(&self, port: PortId) -> Option<LagId> {
        self.port_member[port].map(|member| self.members[member].lag)
    }

    /// The member that a port is, in the first LAG that claims it.
    pub fn member_of(&self, port: PortId) -> Option<MemberId> {
        self.port_member[port]
    }

    /// The settings of a single port, if any were written.
    pub fn settings_of(&self, port: PortId) -> Option<&PortSettings> {
        self.port_settings.get(&port)
    }

    /// The hardware of a device, if its kind is named.
    pub fn hardware_of(&self, device: DeviceId) -> Option<&Hardware> {
        self.devices[device].hardware.map(|kind| &self.hardware[kind.value])
    }

    /// The bond that has a NIC.
    pub(crate) fn bond_with(&self, nic: PortId) -> Option<&Bond> {
        self.nic_bonds.get(&nic).map(|&bond| &self.bonds[bond])
    }

    /// The MTU that is written for a port, if one is.
    pub fn mtu_of(&self, port: PortId) -> Option<u32> {
        self.written_mtu(port).map(|mtu| mtu.get())
    }

    /// The MTU of a port with its place: its LAG's, its own, its routed interface's, or its host's.
    pub(crate) fn written_mtu(&self, port: PortId) -> Option<At<Mtu>> {
        let device = self.ports[port].device;
        let of_interface = || {
            let router = self.router_of(device)?;
            let mut interfaces = self.interfaces_at(router, InterfacePlace::Port(port));
            interfaces.next().and_then(|id| self.interfaces[id].mtu)
        };
        let of_lag = self.lag_of(port).and_then(|lag| self.lags[lag].mtu);
        of_lag
            .or_else(|| self.settings_of(port).and_then(|settings| settings.mtu))
            .or_else(|| self.nic_mtus.get(&port).copied())
            .or_else(of_interface)
            .or(self.devices[device].mtu)
    }

    /// The largest MTU that a switch's hardware takes, with its place.
    pub(crate) fn hardware_mtu(&self, device: DeviceId) -> Option<At<Mtu>> {
        self.hardware_of(device).and_then(|kind| kind.mtu)
    }

    /// The most that a port takes, as far as anything is known: what is written for it, and what its hardware takes at
    /// most. What it does take may be less, where nothing is written.
    pub(crate) fn most_at(&self, port: PortId) -> Option<At<Mtu>> {
        let of_hardware = self.hardware_mtu(self.ports[port].device);
        self.written_mtu(port).into_iter().chain(of_hardware).min_by_key(|mtu| mtu.value)
    }

    /// The NICs of an uplink.
    pub fn uplink_ports(&self, uplink: Uplink) -> Vec<PortId> {
        match uplink {
            Uplink::Bond(bond) => self.bonds[bond].nics.iter().map(|nic| nic.value).collect(),
            Uplink::Nic(port) => vec![port],
        }
    }

    /// The member of a stack that a port is on.
    pub fn stack_member(&self, port: PortId) -> Option<&StackMember> {
        let stack = self.devices[self.ports[port].device].stack?;
        self.stacks[stack].members.iter().find(|member| member.ports.contains(port))
    }

    /// Whether a port joins two members of a stack.
    pub fn is_stack_port(&self, port: PortId) -> bool {
        self.stack_member(port).is_some_and(|member| member.stack_ports.contains(&port))
    }

    /// The LACP key that a LAG presents: the written one, that of its group, or its own.
    pub fn lacp_key(&self, lag: LagId) -> u16 {
        let lag = &self.lags[lag];
        // All leaves of an Ethernet segment must present one key: it follows from the identifier.
        let of_segment = lag.segment.filter(|_| lag.group.is_none()).map(|segment| {
            let octets = self.ethernet_segments[segment].id.octets();
            let at = if octets[0] == 1 { 7 } else { 8 };
            u16::from_be_bytes([octets[at], octets[at + 1]])
        });
        let of_group =
            lag.group.and_then(|group| u16::try_from(self.groups[group].number.get()).ok());
        lag.key.map(|key| key.value).or(of_group).or(of_segment).unwrap_or(lag.own_key)
    }

    /// The pair that both switches are the sides of.
    pub fn pair_of(&self, a: DeviceId, b: DeviceId) -> Option<PairId> {
        let (pair, _) = self.devices[a].pair?;
        (a != b && self.devices[b].pair.is_some_and(|(other, _)| other == pair)).then_some(pair)
    }
}
