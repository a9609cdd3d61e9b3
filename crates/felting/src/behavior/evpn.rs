//! EVPN: what each VTEP originates, what it imports, and to whom it floods.
//!
//! What is kept is in proportion to the presences of segments: each one's targets, and who exports
//! which target. Tables of a VTEP are made one at a time, when asked.

mod attach;
mod distinct;
mod election;
mod routes;
pub(crate) mod tenant;
mod way_out;

use std::net::IpAddr;
use std::sync::Arc;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

pub(crate) use election::Closed;
pub(super) use election::Elector;
pub(crate) use election::elects_by;
pub use election::{Election, ElectionView};
pub use routes::{EvpnRoute, Import, NotImported, Received, RouteKind, RouteOf};
pub use tenant::{Learnt, TenantRoute, TenantSource};
pub use way_out::WayOut;

use super::State;
use super::bgp::address_of;
use super::carrier::{Carriers, enters};
use super::pair::PairOutcome;
use crate::fabric::{
    Condition, DeviceId, EndpointId, Fabric, NetworkId, Overlay, PairId, PresenceId, RouterId,
    SegmentId, SessionId, VrfId,
};
use crate::id::IdVec;
use crate::value::{
    Asn, Encapsulation, Family, Replication, RouteDistinguisher, RouteTarget, SingleHomed,
    TargetRule, Vni,
};

/// Route targets of an instance: nearly always one.
pub(crate) type Targets = SmallVec<[RouteTarget; 1]>;

/// A MAC-VRF or IP-VRF on one VTEP.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Instance {
    /// The route distinguisher.
    pub rd: Option<RouteDistinguisher>,
    /// The route targets of what it imports.
    pub import: Targets,
    /// The route targets of what it exports.
    pub export: Targets,
    /// Whether its targets are derived, and imports ignore the AS number in them.
    pub any_as: bool,
    /// Whether the targets are written, and not derived.
    pub written: bool,
}

impl Instance {
    /// Whether it imports a route with these targets.
    pub fn imports(&self, targets: &[RouteTarget]) -> bool {
        self.import.iter().any(|own| {
            targets.contains(own)
                || (self.any_as && targets.iter().any(|target| target.number() == own.number()))
        })
    }
}

/// The instances of all VTEPs, which follow from what is written alone.
#[derive(Debug, Default)]
pub(crate) struct Instances {
    /// The MAC-VRF of each presence that is mapped to a VNI on a VTEP.
    of_presences: IdVec<PresenceId, Option<Instance>>,
    /// The IP-VRF of each VRF on each switch, in the order of its switches.
    of_tenants: IdVec<VrfId, Vec<Instance>>,
    exporters: FxHashMap<RouteTarget, Vec<PresenceId>>,
    /// The same by the number in the target alone.
    by_number: FxHashMap<u32, Vec<PresenceId>>,
    /// Whether a route distinguisher is used on several VTEPs.
    shared_distinguisher: bool,
}

impl Instances {
    fn of(fabric: &Fabric) -> Self {
        let mut made = Self {
            of_presences: IdVec::filled(&fabric.presences, None),
            of_tenants: IdVec::of(
                fabric
                    .vrfs
                    .iter()
                    .map(|(id, vrf)| {
                        vrf.switches.iter().map(|one| tenant::instance(fabric, id, one)).collect()
                    })
                    .collect(),
            ),
            ..Self::default()
        };
        let any_as = fabric.overlays.values().any(|overlay| overlay.any_as);
        for (id, presence) in fabric.presences.iter() {
            let Some(overlay) = fabric.overlay_of(presence.switch) else { continue };
            let Some(vni) = presence.vni else { continue };
            let instance = instance(fabric, id, overlay, vni.value);
            for &target in &instance.export {
                made.exporters.entry(target).or_default().push(id);
                if any_as {
                    made.by_number.entry(target.number()).or_default().push(id);
                }
            }
            made.of_presences[id] = Some(instance);
        }
        made.shared_distinguisher = distinct::any_shared(fabric, &made);
        made
    }
}

/// What EVPN came to.
#[derive(Clone, Debug, Default)]
pub struct Evpn {
    instances: Arc<Instances>,
    /// Where frames of each endpoint enter the fabric.
    attached: IdVec<EndpointId, SmallVec<[PresenceId; 2]>>,
    /// The endpoints at each presence.
    endpoints_at: FxHashMap<PresenceId, Vec<EndpointId>>,
    /// The endpoints that have moved: the hosts that they are on now, and their networks there.
    moved: FxHashMap<EndpointId, (DeviceId, Option<NetworkId>)>,
}

pub(super) fn outcome(
    fabric: &Fabric,
    condition: &Condition,
    instances: Option<Arc<Instances>>,
    carriers: &Carriers<'_>,
    pairs: &IdVec<PairId, PairOutcome>,
) -> Evpn {
    let instances = instances.unwrap_or_else(|| Arc::new(Instances::of(fabric)));
    let mut evpn = Evpn { instances, ..Evpn::default() };
    evpn.moved = super::host::moved(fabric, condition);
    let attached = attach::attached(fabric, &evpn.moved, carriers, pairs);
    for (endpoint, presences) in attached.iter() {
        for &presence in presences {
            evpn.endpoints_at.entry(presence).or_default().push(endpoint);
        }
    }
    evpn.attached = attached;
    evpn
}

/// The targets of a VNI on a VTEP, where none are written.
fn derived(fabric: &Fabric, overlay: &Overlay, vni: Vni) -> Targets {
    let asn: Option<Asn> =
        fabric.router_of(overlay.device).and_then(|router| router.as_number).map(|asn| asn.value);
    let target = match overlay.targets.value {
        TargetRule::Given => {
            overlay.target_pattern.as_ref().and_then(|pattern| pattern.target(vni))
        }
        TargetRule::Rfc8365 => asn.and_then(|asn| RouteTarget::derived(asn, vni)),
        TargetRule::AsVni => asn.and_then(|asn| RouteTarget::as_and_vni(asn, vni)),
    };
    target.into_iter().collect()
}

fn instance(fabric: &Fabric, id: PresenceId, overlay: &Overlay, vni: Vni) -> Instance {
    let presence = fabric.presence(id);
    let segment = fabric.segment(presence.segment);
    let settings = fabric.settings_at(id);
    let bundle = segment.evi.map(|evi| fabric.evi(evi));
    // The segments of one instance share the targets of the first (RFC 7432 section 6.3).
    let vni = bundle
        .and_then(|evi| evi.segments.first())
        .and_then(|first| fabric.segment(first.value).vni)
        .map_or(vni, |first| first.value);
    let written = |own: &Option<Vec<crate::diagnostic::At<RouteTarget>>>| {
        let of_bundle = || bundle.and_then(|evi| evi.targets.as_ref());
        own.as_ref().or_else(of_bundle).map(|all| all.iter().map(|target| target.value).collect())
    };
    let (import, export): (Option<Targets>, Option<Targets>) =
        (written(&settings.import), written(&settings.export));
    let any_written = import.is_some() || export.is_some();
    let router = fabric.router_of(presence.switch);
    let number = match bundle {
        Some(evi) => evi.number,
        None => segment
            .number
            .map(|number| number.get())
            .filter(|&number| u16::try_from(number).is_ok())
            .or(presence.vlan.map(|vlan| vlan.get())),
    };
    let rd = settings.rd.map(|rd| rd.value).or_else(|| {
        let id = router?.router_id?;
        Some(RouteDistinguisher::of_router(id.value, u16::try_from(number?).ok()?))
    });
    Instance {
        rd,
        any_as: overlay.any_as && import.is_none() && overlay.targets.value != TargetRule::Given,
        import: import.unwrap_or_else(|| derived(fabric, overlay, vni)),
        export: export.unwrap_or_else(|| derived(fabric, overlay, vni)),
        written: any_written || overlay.targets.value == TargetRule::Given,
    }
}

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
            Self::Own => "the pair's own",
            Self::OneOfAlike => "another VTEP\u{2019}s of the same distinguisher is used",
        }
    }
}

/// A VTEP to which another floods.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub struct FloodTarget {
    /// The address that copies are sent to.
    pub address: IpAddr,
    /// The presence that asked for them by a type 3 route; none on a static list.
    pub presence: Option<PresenceId>,
}

/// To whom a VTEP floods frames of a segment.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct FloodList {
    /// How flooding is done.
    pub replication: Replication,
    /// Whom copies are sent to, by address.
    pub targets: Vec<FloodTarget>,
    /// The multicast group that one packet is sent to.
    pub group: Option<IpAddr>,
}

impl Evpn {
    /// The MAC-VRF of a segment on a VTEP.
    pub fn instance(&self, presence: PresenceId) -> Option<&Instance> {
        self.instances.of_presences[presence].as_ref()
    }

    /// The route distinguisher of a segment on a VTEP.
    pub(crate) fn distinguisher(&self, presence: PresenceId) -> Option<RouteDistinguisher> {
        self.instance(presence).and_then(|instance| instance.rd)
    }

    /// The IP-VRF of a VRF at a place among its switches.
    pub fn tenant(&self, vrf: VrfId, place: usize) -> Option<&Instance> {
        self.instances.of_tenants[vrf].get(place)
    }

    /// Whether a route distinguisher is used on several VTEPs, so that routes of theirs may be one to BGP.
    pub(crate) fn has_shared_distinguisher(&self) -> bool {
        self.instances.shared_distinguisher
    }

    /// The instances, for another state of the same fabric.
    pub(super) fn instances(&self) -> Arc<Instances> {
        Arc::clone(&self.instances)
    }

    /// Where the frames of an endpoint enter the fabric.
    pub fn attached(&self, endpoint: EndpointId) -> &[PresenceId] {
        &self.attached[endpoint]
    }

    /// The host that an endpoint is on.
    pub(in crate::behavior) fn host_of(&self, fabric: &Fabric, endpoint: EndpointId) -> DeviceId {
        match self.moved.get(&endpoint) {
            Some((host, _)) => *host,
            None => fabric.endpoint(endpoint).host.value,
        }
    }

    /// The network that an endpoint is on; none if it moved to a host without one of that name.
    pub(in crate::behavior) fn network_of(
        &self,
        fabric: &Fabric,
        endpoint: EndpointId,
    ) -> Option<NetworkId> {
        match self.moved.get(&endpoint) {
            Some((_, network)) => *network,
            None => Some(fabric.endpoint(endpoint).network.value),
        }
    }

    /// The endpoints whose frames enter at a presence.
    pub fn endpoints_at(&self, presence: PresenceId) -> &[EndpointId] {
        self.endpoints_at.get(&presence).map_or(&[], Vec::as_slice)
    }

    /// The presences that export what another imports, in order, without itself.
    pub(crate) fn exporters_for(&self, presence: PresenceId) -> Vec<PresenceId> {
        let Some(instance) = self.instance(presence) else { return Vec::new() };
        let lists = instance.import.iter().flat_map(|target| {
            let same = self.instances.exporters.get(target).filter(|_| !instance.any_as);
            let alike = self.instances.by_number.get(&target.number()).filter(|_| instance.any_as);
            same.into_iter().chain(alike).flatten().copied()
        });
        let mut found: Vec<PresenceId> = lists.filter(|&other| other != presence).collect();
        found.sort_unstable();
        found.dedup();
        found
    }
}

/// The Ethernet tag of a segment's routes on a VTEP: the VNI in a VLAN-aware bundle (RFC 8365 section 5.1.3), else
/// 0.
pub(crate) fn ethernet_tag(fabric: &Fabric, presence: PresenceId) -> u32 {
    let at = fabric.presence(presence);
    let aware = fabric.segment(at.segment).evi.is_some();
    at.vni.filter(|_| aware).map_or(0, |vni| vni.get())
}

/// How a VTEP of a segment floods.
pub(crate) fn replication(fabric: &Fabric, presence: PresenceId) -> Option<Replication> {
    let overlay = fabric.overlay_of(fabric.presence(presence).switch)?;
    Some(fabric.settings_at(presence).replication.unwrap_or(overlay.replication).value)
}

impl State {
    /// What EVPN came to.
    pub fn evpn(&self) -> &Evpn {
        &self.evpn
    }

    /// The address to which a VTEP sends what another originates: its VTEP address, or the one that a
    /// speaker on the way put in.
    pub(crate) fn next_hop(
        fabric: &Fabric,
        origin: DeviceId,
        rewritten: Option<RouterId>,
    ) -> Option<IpAddr> {
        match rewritten {
            None => fabric.vtep_of(origin).map(|vtep| vtep.value),
            Some(speaker) => address_of(fabric, speaker),
        }
    }

    /// Whether one VTEP of a segment has what another originates for it: the address that it sends to, or
    /// why not.
    pub fn learns(&self, at: PresenceId, from: PresenceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let (here, there) = (fabric.presence(at).switch, fabric.presence(from).switch);
        let next_hop = self.arrives(here, there)?;
        self.imports_from(at, from)?;
        Ok(next_hop)
    }

    /// Whether a VTEP takes what another tells it of a segment, once it has got there.
    fn imports_from(&self, at: PresenceId, from: PresenceId) -> Result<(), Apart> {
        let fabric = &self.fabric;
        let (Some(own), Some(theirs)) = (self.evpn.instance(at), self.evpn.instance(from)) else {
            return Err(Apart::NoVtep);
        };
        match () {
            () if !own.imports(&theirs.export) => Err(Apart::Target),
            // RFC 7432 section 6.3: in a VLAN-aware bundle the Ethernet tag tells segments apart.
            () if ethernet_tag(fabric, at) != ethernet_tag(fabric, from) => Err(Apart::Tag),
            () => Ok(()),
        }
    }

    /// The address to which one VTEP of a segment copies what it floods for another: the tunnel identifier of
    /// the type 3 route, whatever its next hop (RFC 7432 section 11.2, RFC 6514 section 5); or why it doesn't.
    ///
    /// # Errors
    ///
    /// Why the other gets no copy.
    pub fn copies(&self, at: PresenceId, to: PresenceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let (here, there) = (fabric.presence(at).switch, fabric.presence(to).switch);
        if replication(fabric, to) != Some(Replication::HeadEnd) {
            return Err(Apart::NoCopies);
        }
        let rewritten = self.told(here, there)?;
        self.imports_from(at, to)?;
        // Without a rewritten next hop that is the same address, and known to be reached.
        if rewritten.is_some() {
            return self.sends(here, there);
        }
        let address = fabric.vtep_of(there).ok_or(Apart::NoVtep)?.value;
        sends_to(fabric, here, address)?;
        Ok(address)
    }

    /// Whether a VTEP has what another originates, whatever its targets; the address that it sends to.
    pub(crate) fn arrives(&self, here: DeviceId, there: DeviceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let rewritten = self.told(here, there)?;
        let address = Self::next_hop(fabric, there, rewritten).ok_or(Apart::NextHop)?;
        sends_to(fabric, here, address)?;
        Ok(address)
    }

    /// Whether what a VTEP sends to the address of another gets there, with or without EVPN; that address.
    pub(crate) fn sends(&self, here: DeviceId, there: DeviceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let address = fabric.vtep_of(there).ok_or(Apart::NoVtep)?.value;
        let router = fabric.devices[here].router.ok_or(Apart::NoVtep)?;
        sends_to(fabric, here, address)?;
        let way = self.underlay().delivers(fabric, router, address);
        way.map(|()| address).map_err(|_| Apart::NextHop)
    }

    /// Whether the routes of one VTEP get to another whole; the speaker that put itself in as next hop.
    fn told(&self, here: DeviceId, there: DeviceId) -> Result<Option<RouterId>, Apart> {
        let fabric = &self.fabric;
        let router = |device: DeviceId| fabric.devices[device].router;
        let (Some(at), Some(origin)) = (router(here), router(there)) else {
            return Err(Apart::NoVtep);
        };
        let (Some(own), Some(theirs)) = (fabric.overlay_of(here), fabric.overlay_of(there)) else {
            return Err(Apart::NoVtep);
        };
        let parted = |device: DeviceId, overlay: &Overlay| {
            self.withdrawn.contains(&device) && overlay.single_homed == SingleHomed::Shared
        };
        if parted(here, own) || parted(there, theirs) {
            return Err(Apart::Withdrawn);
        }
        let verdict = self.bgp().verdict(fabric, Family::Evpn, origin, at).ok_or_else(|| {
            let no_way = self.bgp().has_no_way(at, origin);
            if no_way { Apart::NextHop } else { Apart::NotReceived }
        })?;
        if !verdict.communities {
            return Err(Apart::NoCommunities);
        }
        if own.encapsulation.value != theirs.encapsulation.value {
            return Err(Apart::Encapsulation);
        }
        Ok(verdict.rewritten)
    }

    /// The segments that the frames of an endpoint come into as it is cabled, whether its links are up or
    /// not: one, if all is well.
    pub fn segments_of(&self, endpoint: EndpointId) -> SmallVec<[SegmentId; 1]> {
        let fabric = &self.fabric;
        let mut found: SmallVec<[SegmentId; 1]> = SmallVec::new();
        let network = self.evpn.network_of(fabric, endpoint).map(|id| fabric.network(id));
        let Some(network) = network else { return found };
        let Some(tag) = tag_of(fabric.endpoint(endpoint), network) else { return found };
        let carriers = self.carriers();
        for nic in fabric.uplink_ports(network.uplink) {
            let Some((_, far)) = fabric.link(nic) else { continue };
            if let Some(vlan) = enters(fabric, far, tag) {
                carriers.segments(carriers.node(far), vlan, &mut found);
            }
        }
        found
    }

    /// The session that brings a switch what another originates by EVPN, if one does.
    pub fn brought_by(&self, at: DeviceId, origin: DeviceId) -> Option<SessionId> {
        let fabric = &self.fabric;
        let (at, origin) = (fabric.devices[at].router?, fabric.devices[origin].router?);
        let found = self.bgp().propagate(fabric, Family::Evpn, &[origin], None);
        found.best[at].as_ref()?.from
    }

    /// Whether frames that one VTEP sends for another arrive there: it has the routes, their next hop is
    /// the far VTEP's, and that listens on the UDP port; the address that they are sent to, or why not.
    pub fn tunnels(&self, at: PresenceId, to: PresenceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        let address = self.learns(at, to)?;
        let overlay = |presence: PresenceId| fabric.overlay_of(fabric.presence(presence).switch);
        let (Some(own), Some(theirs)) = (overlay(at), overlay(to)) else {
            return Err(Apart::NoVtep);
        };
        if theirs.vtep.is_none_or(|vtep| vtep.value != address) {
            return Err(Apart::Elsewhere);
        }
        // RFC 7348 section 5, RFC 8926 section 3.3: the destination port is what the receiver listens on.
        let udp = own.encapsulation.value != Encapsulation::Nvgre;
        if udp && own.udp_port.value != theirs.udp_port.value {
            return Err(Apart::UdpPort);
        }
        Ok(address)
    }

    /// To whom a VTEP floods frames of a segment; none if it is no VTEP of it.
    pub fn floods(&self, presence: PresenceId) -> Option<FloodList> {
        let fabric = &self.fabric;
        let how = replication(fabric, presence)?;
        self.evpn.instance(presence)?;
        let settings = fabric.settings_at(presence);
        let mut list = FloodList { replication: how, targets: Vec::new(), group: None };
        match how {
            Replication::HeadEnd => {
                for other in self.evpn.exporters_for(presence) {
                    if let Ok(address) = self.copies(presence, other) {
                        list.targets.push(FloodTarget { address, presence: Some(other) });
                    }
                }
            }
            Replication::Static => {
                let own = fabric.vtep_of(fabric.presence(presence).switch);
                for address in settings.flood_to.iter().flatten() {
                    if own.is_none_or(|own| own.value != address.value) {
                        list.targets.push(FloodTarget { address: address.value, presence: None });
                    }
                }
            }
            Replication::Group => list.group = settings.group.map(|group| group.value),
        }
        list.targets.sort_unstable();
        // The two sides of a pair ask for one copy.
        list.targets.dedup_by_key(|target| target.address);
        Some(list)
    }
}

/// What frames travel in, on a VTEP.
pub(crate) fn encapsulation(fabric: &Fabric, device: DeviceId) -> Option<Encapsulation> {
    fabric.overlay_of(device).map(|overlay| overlay.encapsulation.value)
}

pub(crate) use attach::tag_of;
pub(crate) use routes::knows_addresses;

/// Whether a VTEP can send to an address of another.
fn sends_to(fabric: &Fabric, here: DeviceId, address: IpAddr) -> Result<(), Apart> {
    match fabric.vtep_of(here).map(|vtep| vtep.value) {
        Some(own) if own == address => Err(Apart::Own),
        Some(own) if own.is_ipv4() != address.is_ipv4() => Err(Apart::Family),
        _ => Ok(()),
    }
}
