//! The routes of one VTEP: what it originates, what it receives, and what it imports of that.

use std::net::IpAddr;

use rayon::prelude::*;
use smallvec::SmallVec;

use super::apart::Apart;
use super::flood::replication;
use super::instance::{Importers, Targets};
use super::learn::ethernet_tag;
use super::tenant::TenantSource;
use crate::behaviour::State;
use crate::behaviour::bgp::{NotPassed, Passing, Path};
use crate::behaviour::gateway::{irb, is_gateway, mac_of_gateway};
use crate::fabric::{
    DeviceId, EndpointId, EthernetSegmentId, Fabric, LagId, PresenceId, RouterId, SessionId, VrfId,
};
use crate::id::IdVec;
use crate::progress::{Progress, Stage};
use crate::value::{
    Encapsulation, Esi, Family, IpPrefix, MacAddr, Replication, RouteDistinguisher, SingleHomed,
    VlanId, Vni,
};

/// What a route says, by its type (RFC 7432 section 7, RFC 9136 section 3).
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum RouteKind {
    /// Type 1 for an Ethernet segment as a whole, or for one instance on it.
    EthernetAd {
        /// The Ethernet segment.
        esi: Esi,
        /// Whether it is for the segment as a whole.
        whole: bool,
    },
    /// Type 2: where a MAC address is, and an IP address with it.
    MacIp {
        /// The MAC address.
        mac: MacAddr,
        /// The IP address.
        ip: Option<IpAddr>,
        /// The Ethernet segment that it is on.
        esi: Option<Esi>,
    },
    /// Type 3: a VTEP asks for frames for many.
    InclusiveMulticast {
        /// Its address.
        originator: IpAddr,
    },
    /// Type 4: a leaf of an Ethernet segment.
    EthernetSegment {
        /// The Ethernet segment.
        esi: Esi,
        /// The leaf's address.
        originator: IpAddr,
    },
    /// Type 5: an IP prefix of a VRF.
    IpPrefix {
        /// The prefix.
        prefix: IpPrefix,
    },
}

impl RouteKind {
    /// The number of the type.
    pub fn number(&self) -> u8 {
        match self {
            Self::EthernetAd { .. } => 1,
            Self::MacIp { .. } => 2,
            Self::InclusiveMulticast { .. } => 3,
            Self::EthernetSegment { .. } => 4,
            Self::IpPrefix { .. } => 5,
        }
    }

    /// The name of the type, as the RFCs have it.
    pub fn name(&self) -> &'static str {
        match self {
            Self::EthernetAd { .. } => "Ethernet A-D",
            Self::MacIp { .. } => "MAC/IP advertisement",
            Self::InclusiveMulticast { .. } => "inclusive multicast",
            Self::EthernetSegment { .. } => "Ethernet segment",
            Self::IpPrefix { .. } => "IP prefix",
        }
    }
}

/// To what a route belongs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum RouteOf {
    /// A segment on the VTEP: its MAC-VRF.
    Presence(PresenceId),
    /// A VRF on the VTEP: its IP-VRF.
    Vrf(VrfId),
    /// An Ethernet segment.
    EthernetSegment(EthernetSegmentId),
}

/// A route as its VTEP originates it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct EvpnRoute {
    /// What it says.
    pub kind: RouteKind,
    /// To what it belongs.
    pub of: RouteOf,
    /// The route distinguisher.
    pub rd: Option<RouteDistinguisher>,
    /// The Ethernet tag: the VNI in a VLAN-aware instance, else 0.
    pub tag: u32,
    /// The route targets. Of a type 4 it is the ES-Import target, a MAC address, instead.
    pub targets: Targets,
    /// The MAC address in the ES-Import target of a type 4 (RFC 7432 section 7.6).
    pub es_import: Option<MacAddr>,
    /// The next hop.
    pub next_hop: IpAddr,
    /// The layer 2 VNI, or of a type 5 the layer 3 VNI (RFC 8365 section 5.1.3, RFC 9136 section 4.4).
    pub vni: Option<Vni>,
    /// The layer 3 VNI beside it, in symmetric IRB (RFC 9135 section 4.1).
    pub routed_vni: Option<Vni>,
    /// The MAC address for routed packets (RFC 9135 section 8.1).
    pub router_mac: Option<MacAddr>,
    /// The encapsulation community.
    pub encapsulation: Encapsulation,
    /// How often the MAC address has moved (RFC 7432 section 15).
    pub mobility: Option<u32>,
}

/// What a VTEP does with a route that reached it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Import {
    /// It is in the MAC-VRF of a segment.
    Segment(PresenceId),
    /// It is in the IP-VRF of a VRF.
    Vrf(VrfId),
    /// It counts in the election of an Ethernet segment that the VTEP shares.
    EthernetSegment(EthernetSegmentId),
}

/// Why a VTEP imports a route into nothing.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum NotImported {
    /// It reached the VTEP, but something about its way keeps it out.
    Apart(Apart),
    /// No instance imports its targets.
    NoTarget,
    /// Its Ethernet tag is that of a segment of the bundle that the VTEP doesn't have.
    OtherTag,
    /// It is of an Ethernet segment that the VTEP has no part in.
    OtherSegment,
}

impl NotImported {
    /// Why, in words.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Apart(why) => why.words(),
            Self::NoTarget => "no import of its target",
            Self::OtherTag => "no segment has its tag",
            Self::OtherSegment => "not a leaf of the segment",
        }
    }
}

/// A route that another VTEP originates, as one VTEP has it.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Received {
    /// The VTEP that originates it.
    pub origin: DeviceId,
    /// The route.
    pub route: EvpnRoute,
    /// The next hop as it arrives.
    pub next_hop: Option<IpAddr>,
    /// What each session brings, or why it brings nothing.
    pub paths: Vec<(SessionId, Result<Path, NotPassed>)>,
    /// The session of the best path.
    pub best: Option<SessionId>,
    /// Into what it is imported; none of them if empty.
    pub imports: Vec<Import>,
    /// Why it is imported into nothing.
    pub refused: Option<NotImported>,
}

impl State {
    /// All routes that a VTEP originates, in the order of their types.
    pub fn originated(&self, switch: DeviceId) -> Vec<EvpnRoute> {
        let fabric = &self.fabric;
        let Some(overlay) = fabric.overlay_of(switch) else { return Vec::new() };
        let Some(vtep) = overlay.vtep.map(|vtep| vtep.value) else { return Vec::new() };
        let mut made = Origination { state: self, fabric, switch, vtep, routes: Vec::new() };
        for &presence in fabric.presences_on(switch) {
            if self.evpn.instance(presence).is_some() {
                made.of_presence(presence);
            }
        }
        made.of_ethernet_segments();
        for (vrf, one) in fabric.vrfs() {
            if one.place_of(switch).is_some() {
                made.of_vrf(vrf);
            }
        }
        let mut routes = made.routes;
        routes.sort_by(|a, b| {
            (a.kind.number(), a.of, &a.kind).cmp(&(b.kind.number(), b.of, &b.kind))
        });
        routes.dedup();
        routes
    }

    /// All routes of other VTEPs, with what becomes of each at one VTEP.
    pub fn received(&self, switch: DeviceId, progress: &Progress) -> Vec<Received> {
        let fabric = &self.fabric;
        let Some(at) = fabric.devices[switch].router else { return Vec::new() };
        let origins: Vec<DeviceId> =
            fabric.overlays().map(|(_, o)| o.device).filter(|&device| device != switch).collect();
        progress.begin(Stage::Rows, origins.len());
        let importing = Importing::of(self, switch);
        let among = Passing::between(fabric, at);
        let of = |&device: &DeviceId| {
            progress.advance(1);
            self.received_of(&importing, (at, &among), device)
        };
        let mut received: Vec<Received> = origins.par_iter().flat_map_iter(of).collect();
        self.join_alike(switch, &mut received);
        received
    }

    /// The routes of one VTEP, with what becomes of each at another.
    fn received_of(
        &self,
        importing: &Importing,
        (at, among): (RouterId, &IdVec<RouterId, bool>),
        device: DeviceId,
    ) -> Vec<Received> {
        let (fabric, switch) = (&self.fabric, importing.switch);
        let Some(origin) = fabric.devices[device].router else { return Vec::new() };
        let routes = self.originated(device);
        if routes.is_empty() {
            return Vec::new();
        }
        let found =
            self.bgp()
                .passing
                .propagate_among(fabric, Family::Evpn, &[origin], None, |to| among[to]);
        let paths = self.bgp().passing.received(fabric, Family::Evpn, &found, at, None);
        let best = found.best[at].as_ref();
        let apart = match best {
            None => Some(Apart::NotReceived),
            Some(_) => self.arrives(switch, device).err(),
        };
        let next_hop = |route: &EvpnRoute| match best?.rewritten {
            None => Some(route.next_hop),
            speaker => Self::next_hop(fabric, device, speaker),
        };
        let received = routes.into_iter().map(|route| {
            let (imports, refused) = match apart {
                // What is between the sides of a pair is told by their own addresses.
                Some(Apart::Own) if route.kind.number() != 2 && route.kind.number() != 3 => {
                    self.imports(importing, &route)
                }
                Some(apart) => (Vec::new(), Some(NotImported::Apart(apart))),
                None => self.imports(importing, &route),
            };
            Received {
                origin: device,
                next_hop: next_hop(&route),
                paths: paths.clone(),
                best: best.and_then(|path| path.from),
                route,
                imports,
                refused,
            }
        });
        received.collect()
    }

    /// The LAG of a switch by which an endpoint is attached, if it is.
    pub(crate) fn leg(&self, switch: DeviceId, id: EndpointId) -> Option<LagId> {
        let fabric = &self.fabric;
        let network = fabric.network(self.evpn.network_of(fabric, id)?);
        fabric.uplink_ports(network.uplink).into_iter().find_map(|nic| {
            let far = self.far(nic)?;
            fabric.lag_of(far).filter(|_| fabric.port(far).device == switch)
        })
    }

    /// The address by which an endpoint at a VTEP is reached: that of the pair, or the side's own for what
    /// hangs on it alone and where that is wanted.
    pub(crate) fn endpoint_next_hop(&self, switch: DeviceId, id: EndpointId) -> Option<IpAddr> {
        let fabric = &self.fabric;
        let own = fabric.overlay_of(switch).map(|overlay| overlay.single_homed);
        let shared = fabric.vtep_of(switch).map(|vtep| vtep.value);
        let alone = own == Some(SingleHomed::Own) && fabric.device(switch).pair.is_some();
        let grouped = || self.leg(switch, id).is_some_and(|l| fabric.lag(l).group.is_some());
        if !alone || grouped() {
            return shared;
        }
        let loopback = fabric.router_of(switch).and_then(|router| router.loopbacks.first());
        loopback.map(|loopback| loopback.address()).or(shared)
    }

    /// Into what a VTEP imports a route that has reached it.
    fn imports(
        &self,
        importing: &Importing,
        route: &EvpnRoute,
    ) -> (Vec<Import>, Option<NotImported>) {
        let (fabric, switch) = (&self.fabric, importing.switch);
        let legs = |segment: EthernetSegmentId| {
            let legs = &fabric.ethernet_segment(segment).legs;
            legs.iter().any(|&leg| fabric.lag(leg).device == switch)
        };
        if let (RouteKind::EthernetSegment { .. }, RouteOf::EthernetSegment(segment)) =
            (&route.kind, route.of)
        {
            return match legs(segment) {
                true => (vec![Import::EthernetSegment(segment)], None),
                false => (Vec::new(), Some(NotImported::OtherSegment)),
            };
        }
        let mut found = Vec::new();
        let mut other_tag = false;
        if route.kind.number() != 5 {
            // What is said of an Ethernet segment as a whole has the largest tag, and is for every instance that
            // imports one of its targets (RFC 7432 section 8.2.1).
            let whole = matches!(route.kind, RouteKind::EthernetAd { whole: true, .. });
            for presence in importing.segments.of(&route.targets) {
                match whole || route.tag == ethernet_tag(fabric, presence) {
                    true => found.push(Import::Segment(presence)),
                    false => other_tag = true,
                }
            }
        }
        let host = matches!(route.kind, RouteKind::MacIp { ip: Some(_), .. })
            && route.routed_vni.is_some();
        if route.kind.number() == 5 || host {
            found.extend(importing.vrfs.of(&route.targets).into_iter().map(Import::Vrf));
        }
        let refused = found.is_empty().then_some(match other_tag {
            true => NotImported::OtherTag,
            false => NotImported::NoTarget,
        });
        (found, refused)
    }
}

/// What a VTEP imports into its segments and VRFs.
struct Importing {
    switch: DeviceId,
    segments: Importers<PresenceId>,
    vrfs: Importers<VrfId>,
}

impl Importing {
    fn of(state: &State, switch: DeviceId) -> Self {
        let fabric = &state.fabric;
        let (mut segments, mut vrfs) = (Importers::default(), Importers::default());
        for &presence in fabric.presences_on(switch) {
            segments.add(presence, state.evpn.instance(presence));
        }
        for (vrf, one) in fabric.vrfs() {
            let place = one.place_of(switch);
            vrfs.add(vrf, place.and_then(|place| state.evpn.tenant(vrf, place)));
        }
        Self { switch, segments, vrfs }
    }
}

/// Whether a VTEP knows the IP addresses of endpoints in a segment: it listens to their ARP and ND, or asks.
pub(crate) fn knows_addresses(fabric: &Fabric, presence: PresenceId) -> bool {
    let overlay = fabric.overlay_of(fabric.presence(presence).switch);
    overlay.is_some_and(|overlay| overlay.suppression)
        || !fabric.settings_at(presence).addresses.is_empty()
        || is_gateway(fabric, presence)
}

/// A VTEP's routes while they are gathered.
struct Origination<'a> {
    state: &'a State,
    fabric: &'a Fabric,
    switch: DeviceId,
    vtep: IpAddr,
    routes: Vec<EvpnRoute>,
}

impl Origination<'_> {
    fn route(&self, kind: RouteKind, of: RouteOf) -> EvpnRoute {
        EvpnRoute {
            kind,
            of,
            rd: None,
            tag: 0,
            targets: Targets::new(),
            es_import: None,
            next_hop: self.vtep,
            vni: None,
            routed_vni: None,
            router_mac: None,
            encapsulation: super::encapsulation(self.fabric, self.switch)
                .unwrap_or(Encapsulation::Vxlan),
            mobility: None,
        }
    }

    fn of_presence(&mut self, presence: PresenceId) {
        let fabric = self.fabric;
        let Some(instance) = self.state.evpn.instance(presence) else { return };
        let at = fabric.presence(presence);
        let of = RouteOf::Presence(presence);
        let plain = |own: &Self, kind: RouteKind| EvpnRoute {
            rd: instance.rd,
            targets: instance.export.clone(),
            vni: at.vni.map(|vni| vni.value),
            tag: ethernet_tag(fabric, presence),
            ..own.route(kind, of)
        };
        if replication(fabric, presence) != Some(Replication::Static) {
            let kind = RouteKind::InclusiveMulticast { originator: self.vtep };
            self.routes.push(plain(self, kind));
        }
        for &endpoint in self.state.evpn.endpoints_at(presence) {
            self.of_endpoint(presence, endpoint, &plain);
        }
        let overlay = fabric.overlay_of(self.switch);
        if overlay.is_some_and(|overlay| overlay.advertise_gateways) && is_gateway(fabric, presence)
        {
            let settings = fabric.settings_at(presence);
            let own = fabric.device(self.switch).mac.value;
            for gateway in &settings.gateways {
                let mac = mac_of_gateway(fabric, presence, gateway.value);
                let kind = RouteKind::MacIp { mac, ip: Some(gateway.value), esi: None };
                self.routes.push(plain(self, kind));
            }
            for address in &settings.addresses {
                let kind = RouteKind::MacIp { mac: own, ip: Some(address.address()), esi: None };
                self.routes.push(plain(self, kind));
            }
        }
    }

    fn of_endpoint(
        &mut self,
        presence: PresenceId,
        id: EndpointId,
        plain: &dyn Fn(&Self, RouteKind) -> EvpnRoute,
    ) {
        let fabric = self.fabric;
        let endpoint = fabric.endpoint(id);
        let at = fabric.presence(presence);
        let leg = self.state.leg(self.switch, id);
        let esi =
            leg.and_then(|leg| fabric.lag(leg).segment).map(|s| fabric.ethernet_segment(s).id);
        let mobility = self.state.evpn.moved.contains_key(&id).then_some(1);
        let next_hop = self.state.endpoint_next_hop(self.switch, id).unwrap_or(self.vtep);
        let routed = at.vrf.and_then(|vrf| self.routed(vrf.value));
        let known = if knows_addresses(fabric, presence) { &endpoint.addresses[..] } else { &[] };
        let addresses = known.iter().map(|address| Some(address.address()));
        // RFC 7432 section 10: a MAC address alone, and one route for each IP address with it.
        for ip in std::iter::once(None).chain(addresses) {
            let mut route = plain(self, RouteKind::MacIp { mac: endpoint.mac.value, ip, esi });
            route.mobility = mobility;
            route.next_hop = next_hop;
            if let (Some(_), Some((vni, mac, targets))) = (ip, &routed)
                && is_gateway(fabric, presence)
            {
                // RFC 9135 section 5.1: symmetric IRB adds the layer 3 VNI, the VRF's target, the router's MAC.
                route.routed_vni = Some(*vni);
                route.router_mac = Some(*mac);
                route.targets.extend(targets.iter().copied());
            }
            self.routes.push(route);
        }
    }

    /// The layer 3 VNI, router MAC address and targets of a VRF here, where routing is symmetric.
    fn routed(&self, vrf: VrfId) -> Option<(Vni, MacAddr, Targets)> {
        let place = self.fabric.vrf(vrf).place_of(self.switch)?;
        let at = &self.fabric.vrf(vrf).switches[place];
        let symmetric = irb(self.fabric, at) == Some(crate::value::Irb::Symmetric);
        let overlay = self.fabric.overlay_of(self.switch).filter(|_| symmetric)?;
        let targets = self.state.evpn.tenant(vrf, place)?.export.clone();
        Some((at.vni?.value, overlay.router_mac.value, targets))
    }

    fn of_ethernet_segments(&mut self) {
        let fabric = self.fabric;
        let router = fabric.router_of(self.switch).and_then(|router| router.router_id);
        for (id, segment) in fabric.ethernet_segments() {
            let legs = segment.legs.iter().copied();
            let Some(leg) = legs
                .filter(|&leg| fabric.lag(leg).device == self.switch)
                .find(|&leg| self.state.lags[leg].up)
            else {
                continue;
            };
            let (of, esi) = (RouteOf::EthernetSegment(id), segment.id);
            // RFC 7432 section 8.2.1: the router id and 0, as it belongs to no instance.
            let rd = router.map(|router| RouteDistinguisher::of_router(router.value, 0));
            let vlans: Vec<VlanId> = fabric
                .lag(leg)
                .tagged
                .iter()
                .chain(fabric.lag(leg).untagged.map(|u| u.value))
                .collect();
            let mut targets: Targets = SmallVec::new();
            for &presence in fabric.presences_on(self.switch) {
                let on =
                    fabric.presence(presence).vlan.is_some_and(|vlan| vlans.contains(&vlan.value));
                let Some(instance) = self.state.evpn.instance(presence).filter(|_| on) else {
                    continue;
                };
                targets.extend(instance.export.iter().copied());
                let kind = RouteKind::EthernetAd { esi, whole: false };
                self.routes.push(EvpnRoute {
                    rd: instance.rd,
                    tag: ethernet_tag(fabric, presence),
                    targets: instance.export.clone(),
                    vni: fabric.presence(presence).vni.map(|vni| vni.value),
                    ..self.route(kind, RouteOf::Presence(presence))
                });
            }
            targets.sort_unstable();
            targets.dedup();
            let kind = RouteKind::EthernetAd { esi, whole: true };
            // RFC 7432 section 8.2.1: the largest tag, and the targets of all instances on the segment.
            self.routes.push(EvpnRoute { rd, targets, tag: u32::MAX, ..self.route(kind, of) });
            let kind = RouteKind::EthernetSegment { esi, originator: self.vtep };
            let octets = esi.octets();
            // RFC 7432 section 7.6: the six octets after the type.
            let import = MacAddr::station([
                octets[1], octets[2], octets[3], octets[4], octets[5], octets[6],
            ]);
            self.routes.push(EvpnRoute { rd, es_import: Some(import), ..self.route(kind, of) });
        }
    }

    fn of_vrf(&mut self, vrf: VrfId) {
        let Some((vni, router_mac, targets)) = self.routed(vrf) else { return };
        let place = self.fabric.vrf(vrf).place_of(self.switch);
        let rd = place.and_then(|place| self.state.evpn.tenant(vrf, place)).and_then(|own| own.rd);
        for route in self.state.tenant_exports(vrf, self.switch) {
            let kind = RouteKind::IpPrefix { prefix: route.prefix };
            let next_hop = match route.source {
                TenantSource::Segment(_) => self.vtep,
                _ => self.own_or_shared(),
            };
            self.routes.push(EvpnRoute {
                rd,
                targets: targets.clone(),
                next_hop,
                vni: Some(vni),
                router_mac: Some(router_mac),
                ..self.route(kind, RouteOf::Vrf(vrf))
            });
        }
    }

    /// The next hop of what one side of a pair leads to.
    fn own_or_shared(&self) -> IpAddr {
        let fabric = self.fabric;
        let own = fabric.overlay_of(self.switch).map(|overlay| overlay.single_homed);
        let paired = fabric.device(self.switch).pair.is_some();
        let loopback = fabric.router_of(self.switch).and_then(|router| router.loopbacks.first());
        match loopback {
            Some(loopback) if own == Some(SingleHomed::Own) && paired => loopback.address(),
            _ => self.vtep,
        }
    }
}
