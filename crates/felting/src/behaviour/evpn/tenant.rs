//! Routing for tenants: what a VRF on a switch has routes to, and from whom.

use std::net::IpAddr;

use super::apart::Apart;
use super::instance::Instance;
use crate::behaviour::State;
use crate::behaviour::gateway::{irb, is_gateway, virtual_router};
use crate::fabric::{
    DeviceId, EndpointId, Fabric, OutsideId, PresenceId, SegmentId, StaticRoute, Via, VrfId,
    VrfPresence,
};
use crate::value::{GatewayKind, IpPrefix, Irb, Vni};

/// From where a VRF has a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum TenantSource {
    /// A segment whose gateway is on the switch.
    Segment(SegmentId),
    /// A network outside that the switch leads to.
    Outside(OutsideId),
    /// A static route.
    Static,
    /// Leaked on the switch from another VRF.
    Leaked(VrfId),
    /// From another VTEP by a type 5 route.
    Learned(Learnt),
    /// A host at another VTEP, by a type 2 route with the layer 3 VNI (RFC 9135 section 5.1).
    Host(Learnt),
}

/// From which VRF of which VTEP a type 5 route is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub struct Learnt {
    /// The VTEP.
    pub switch: DeviceId,
    /// The VRF there.
    pub vrf: VrfId,
}

/// A route of a VRF on a switch.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub struct TenantRoute {
    /// Where it leads.
    pub prefix: IpPrefix,
    /// From where it is.
    pub source: TenantSource,
    /// The VTEP that packets are sent to, of one that is learned.
    pub next_hop: Option<IpAddr>,
    /// The layer 3 VNI that they are sent with.
    pub vni: Option<Vni>,
}

/// What a VRF on a switch has by itself: segments, networks outside, static routes.
fn local(state: &State, fabric: &Fabric, vrf: VrfId, at: &VrfPresence) -> Vec<TenantRoute> {
    let mut found = Vec::new();
    let mut add = |prefix: IpPrefix, source: TenantSource| {
        found.push(TenantRoute { prefix, source, next_hop: None, vni: None });
    };
    for presence in fabric.presences_in(vrf, at.switch).filter(|&id| is_gateway(fabric, id)) {
        for subnet in &fabric.settings_at(presence).subnets {
            add(subnet.value, TenantSource::Segment(fabric.presence(presence).segment));
        }
    }
    for &id in fabric.outsides_of(vrf) {
        let outside = fabric.outside(id);
        if outside.on.contains(&at.switch) && state.way_out(id, at.switch).is_some() {
            for prefix in &outside.prefixes {
                add(prefix.value, TenantSource::Outside(id));
            }
        }
    }
    for route in fabric.static_routes_in(vrf, at.switch) {
        if is_used(fabric, vrf, route) {
            add(route.to.value, TenantSource::Static);
        }
    }
    found
}

/// Whether a static route of a VRF is used: its next hop is a device, or an address that some subnet of the VRF holds
/// (RFC 4271 section 9.1.2.1).
fn is_used(fabric: &Fabric, vrf: VrfId, route: &StaticRoute) -> bool {
    match route.via.value {
        Via::Address(via) => holds_next_hop(fabric, vrf, route.device, via),
        Via::Device(_) => true,
        Via::Wan(_) => false,
    }
}

/// Whether an address is in a subnet of a VRF: of its interfaces on a switch, or of a segment of it, or of one that
/// leaks into it, on any.
pub(crate) fn holds_next_hop(fabric: &Fabric, vrf: VrfId, switch: DeviceId, via: IpAddr) -> bool {
    let interfaces = fabric.router_of(switch).into_iter().flat_map(|own| own.interfaces.iter());
    let in_vrf = |own: VrfId| own == vrf || fabric.leaks_into(own, vrf);
    let of_interface = interfaces.map(|id| fabric.interface(id)).any(|interface| {
        interface.vrf.is_some_and(|own| own.value == vrf)
            && interface.addresses.iter().any(|address| address.subnet().contains(via))
    });
    of_interface
        || fabric
            .segments_with(via)
            .any(|(_, segment)| fabric.segment(segment).vrf.is_some_and(|own| in_vrf(own.value)))
}

/// The part of [`local`] that leads to an address.
fn lookup_local(
    state: &State,
    fabric: &Fabric,
    vrf: VrfId,
    at: &VrfPresence,
    address: IpAddr,
) -> Vec<TenantRoute> {
    let mut found = Vec::new();
    let mut add = |prefix: IpPrefix, source: TenantSource| {
        found.push(TenantRoute { prefix, source, next_hop: None, vni: None });
    };
    for (subnet, segment) in fabric.segments_with(address) {
        let Some(presence) = fabric.presence_of(segment, at.switch) else { continue };
        let own = fabric.presence(presence).vrf.is_some_and(|own| own.value == vrf);
        let settings = fabric.settings_at(presence);
        let there = settings.subnets.iter().any(|here| here.value == subnet);
        if own && there && is_gateway(fabric, presence) {
            add(subnet, TenantSource::Segment(segment));
        }
    }
    for &id in fabric.outsides_of(vrf) {
        let outside = fabric.outside(id);
        if outside.on.contains(&at.switch) && state.way_out(id, at.switch).is_some() {
            for prefix in outside.prefixes.iter().filter(|prefix| prefix.contains(address)) {
                add(prefix.value, TenantSource::Outside(id));
            }
        }
    }
    for route in fabric.static_routes_in(vrf, at.switch) {
        if route.to.contains(address) && is_used(fabric, vrf, route) {
            add(route.to.value, TenantSource::Static);
        }
    }
    found
}

/// What of its own a VRF on a switch tells other VTEPs.
fn told(state: &State, fabric: &Fabric, vrf: VrfId, at: &VrfPresence) -> Vec<TenantRoute> {
    let mut found = local(state, fabric, vrf, at);
    found.retain(|route| at.advertise_subnets || !matches!(route.source, TenantSource::Segment(_)));
    found
}

/// What is preferred of routes to one prefix: the lower.
fn rank(route: &TenantRoute) -> u8 {
    match route.source {
        TenantSource::Segment(_) | TenantSource::Outside(_) => 0,
        TenantSource::Static => 1,
        TenantSource::Leaked(_) => 2,
        TenantSource::Learned(_) | TenantSource::Host(_) => 3,
    }
}

/// Of the routes to each prefix those of the best source: several VTEPs that offer one are used at once.
fn best_by_prefix(mut found: Vec<TenantRoute>) -> Vec<TenantRoute> {
    found.sort_by_key(|route| (route.prefix, rank(route), *route));
    found.dedup();
    let mut kept: Vec<TenantRoute> = Vec::with_capacity(found.len());
    for route in found {
        let better = kept.last().filter(|last| last.prefix == route.prefix);
        if better.is_none_or(|last| rank(last) == rank(&route)) {
            kept.push(route);
        }
    }
    kept
}

/// Keeps the routes of the longest prefix, and of these the best.
pub(crate) fn best_of(routes: &mut Vec<TenantRoute>) {
    let key = |route: &TenantRoute| (std::cmp::Reverse(route.prefix.length()), rank(route));
    let best = routes.iter().map(key).min();
    routes.retain(|route| Some(key(route)) == best);
    routes.sort_unstable();
    routes.dedup();
}

/// The priority of the router that owns the shared address (RFC 9568 section 5.2.4).
const OWNER_PRIORITY: u32 = 255;

impl State {
    /// The routers that are Active for a segment's shared gateway address: one, if all of them hear each
    /// other, of the highest priority, of equal ones that of the higher address (RFC 9568 section 6.4.3).
    /// One that hears no better router is Active beside it (section 6.4.2). In the order of presences.
    pub fn active_routers(&self, segment: SegmentId) -> Vec<PresenceId> {
        let fabric = &self.fabric;
        let presences = fabric.segment(segment).presences.iter();
        let mut sharing: Vec<PresenceId> = presences
            .filter(|&presence| {
                fabric.settings_at(presence).gateway_kind.value == GatewayKind::Vrrp
                    && is_gateway(fabric, presence)
            })
            .collect();
        sharing.sort_by_key(|&presence| {
            let settings = fabric.settings_at(presence);
            // Whose own address is the shared one has the highest priority, whatever is written (section 6.1).
            let owner = settings
                .addresses
                .iter()
                .any(|own| settings.gateways.iter().any(|gateway| gateway.value == own.address()));
            let priority = if owner { OWNER_PRIORITY } else { settings.vrrp_priority.get() };
            let address = settings.addresses.first().map(|address| address.address());
            std::cmp::Reverse((priority, address))
        });
        let mut active: Vec<PresenceId> = Vec::new();
        for presence in sharing {
            if !active.iter().any(|&better| self.hears(presence, better)) {
                active.push(presence);
            }
        }
        active.sort_unstable();
        active
    }

    /// Whether frames for many that one switch of a segment sends come to another, by cables or by VXLAN.
    fn hears(&self, at: PresenceId, from: PresenceId) -> bool {
        let fabric = &self.fabric;
        // What is of another virtual router is not listened to (RFC 9568 section 7.1).
        let id = |presence| virtual_router(fabric.settings_at(presence));
        if id(at) != id(from) {
            return false;
        }
        let (here, there) = (fabric.presence(at), fabric.presence(from));
        let carriers = self.carriers();
        let cabled =
            there.vlan.is_some_and(|vlan| carriers.joins(there.switch, here.switch, vlan.value));
        let flooded = || {
            let (Some(own), Some(theirs)) = (self.floods(at), self.floods(from)) else {
                return false;
            };
            let address = fabric.vtep_of(here.switch).map(|vtep| vtep.value);
            theirs.targets.iter().any(|target| Some(target.address) == address)
                || (theirs.group.is_some() && theirs.group == own.group)
        };
        cabled || flooded()
    }

    /// What a VRF on a switch tells other VTEPs of by type 5 routes (RFC 9136): what it has by itself,
    /// and what is leaked to it there.
    pub(crate) fn tenant_exports(&self, vrf: VrfId, switch: DeviceId) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let Some(place) = fabric.vrf(vrf).place_of(switch) else { return Vec::new() };
        let at = &fabric.vrf(vrf).switches[place];
        if at.vni.is_none() || irb(fabric, at) != Some(Irb::Symmetric) {
            return Vec::new();
        }
        let mut found = told(self, fabric, vrf, at);
        found.extend(self.leaked(vrf, switch));
        found.sort_unstable();
        found
    }

    /// What a VRF on a switch has to leak: its own routes, and what it has from other VTEPs. What it would not use itself
    /// is not passed on (RFC 4271 section 9.1.3).
    pub(crate) fn routes_to_leak(&self, vrf: VrfId, switch: DeviceId) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let Some(place) = fabric.vrf(vrf).place_of(switch) else { return Vec::new() };
        let mut routes = local(self, fabric, vrf, &fabric.vrf(vrf).switches[place]);
        routes.extend(self.learned(vrf, switch, false));
        best_by_prefix(routes)
    }

    /// What other VRFs leak to one on a switch: their own routes, and what they have from other VTEPs. What
    /// was leaked is not leaked again.
    fn leaked(&self, vrf: VrfId, switch: DeviceId) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let mut found = Vec::new();
        for leak in fabric.leaks_to(vrf) {
            let from = leak.from.value;
            if !leak.is_on(switch) {
                continue;
            }
            for route in self.routes_to_leak(from, switch) {
                let leaks = leak.prefixes.as_ref();
                if leaks.is_none_or(|all| all.iter().any(|one| one.covers(&route.prefix))) {
                    let source = TenantSource::Leaked(from);
                    found.push(TenantRoute { source, ..route });
                }
            }
        }
        found
    }

    /// What a VRF on a switch has from other VTEPs by type 5 routes whose targets it imports.
    fn learned(&self, vrf: VrfId, switch: DeviceId, with_leaked: bool) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let mut found = Vec::new();
        let Some(place) = fabric.vrf(vrf).place_of(switch) else { return found };
        let Some(own) = self.evpn.tenant(vrf, place) else { return found };
        let at = &fabric.vrf(vrf).switches[place];
        if irb(fabric, at) != Some(Irb::Symmetric) {
            return found;
        }
        for (other, place) in self.evpn.tenants_for(own) {
            let there = &fabric.vrf(other).switches[place];
            if there.switch == switch || there.vni.is_none() {
                continue;
            }
            let Ok(next_hop) = self.reaches_vtep(switch, there.switch) else { continue };
            let routes = match with_leaked {
                true => self.tenant_exports(other, there.switch),
                false => told(self, fabric, other, there),
            };
            found.extend(routes.into_iter().map(|route| TenantRoute {
                prefix: route.prefix,
                source: TenantSource::Learned(Learnt { switch: there.switch, vrf: other }),
                next_hop: Some(next_hop),
                vni: there.vni.map(|vni| vni.value),
            }));
        }
        self.distinct_prefixes(switch, found)
    }

    /// Of what other VTEPs tell those that are no other's route (RFC 7432 section 7.9), prefix by prefix.
    fn distinct_prefixes(&self, switch: DeviceId, mut found: Vec<TenantRoute>) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        if !self.evpn.has_shared_distinguisher() {
            return found;
        }
        found.sort_unstable_by_key(|route| route.prefix);
        let mut kept = Vec::with_capacity(found.len());
        for alike in found.chunk_by(|a, b| a.prefix == b.prefix) {
            let mut alike = alike.to_vec();
            self.distinct(switch, &mut alike, |route| match route.source {
                TenantSource::Learned(learnt) => {
                    let place = fabric.vrf(learnt.vrf).place_of(learnt.switch);
                    let instance = place.and_then(|place| self.evpn.tenant(learnt.vrf, place));
                    (learnt.switch, instance.and_then(|instance| instance.rd))
                }
                _ => (switch, None),
            });
            kept.extend(alike);
        }
        kept
    }

    /// The hosts at other VTEPs whose type 2 routes a VRF on a switch imports, as routes to each address.
    fn hosts(&self, vrf: VrfId, switch: DeviceId) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let mut found = Vec::new();
        let Some(place) = fabric.vrf(vrf).place_of(switch) else { return found };
        let Some(own) = self.evpn.tenant(vrf, place) else { return found };
        if irb(fabric, &fabric.vrf(vrf).switches[place]) != Some(Irb::Symmetric) {
            return found;
        }
        let shared = self.evpn.has_shared_distinguisher();
        let mut exporting: Vec<VrfId> =
            self.evpn.tenants_for(own).into_iter().map(|(other, _)| other).collect();
        exporting.dedup();
        for id in exporting.into_iter().flat_map(|other| fabric.presences_of_vrf(other)) {
            if fabric.presence(id).switch == switch {
                continue;
            }
            let endpoints = self.evpn.endpoints_at(id);
            if endpoints.is_empty() {
                continue;
            }
            let Some(route) = self.host_route(own, switch, id) else { continue };
            for &endpoint in endpoints {
                if shared && !self.telling_of(switch, endpoint).contains(&id) {
                    continue;
                }
                let all = fabric.endpoint(endpoint).addresses.iter().map(|one| one.address());
                let elsewhere = all.filter(|&address| !self.has_here(address, switch));
                found.extend(
                    elsewhere
                        .map(|address| TenantRoute { prefix: IpPrefix::host(address), ..route }),
                );
            }
        }
        found
    }

    /// As [`State::arrives`], but two sides of a pair reach each other for type 5 by their own addresses.
    fn reaches_vtep(&self, here: DeviceId, there: DeviceId) -> Result<IpAddr, Apart> {
        let fabric = &self.fabric;
        match self.arrives(here, there) {
            Err(Apart::Own) => {
                let own = fabric.router_of(there).and_then(|router| router.loopbacks.first());
                own.map(|loopback| loopback.address()).ok_or(Apart::NextHop)
            }
            found => found,
        }
    }

    /// The best routes of a VRF on a switch to one address: those of [`tenant_routes`](Self::tenant_routes)
    /// with the longest prefix that holds it, found without making the table.
    pub fn tenant_lookup(&self, vrf: VrfId, switch: DeviceId, address: IpAddr) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        // Nothing is more specific than a route to the host.
        let mut found = self.lookup_hosts(vrf, switch, address);
        if found.is_empty() {
            found = self.lookup_own(vrf, switch, address, true);
            found.extend(self.lookup_leaked(vrf, switch, address));
        } else if let Some(place) = fabric.vrf(vrf).place_of(switch) {
            found.extend(lookup_local(
                self,
                fabric,
                vrf,
                &fabric.vrf(vrf).switches[place],
                address,
            ));
        }
        best_of(&mut found);
        found
    }

    /// What a VRF on a switch has by itself, and from other VTEPs, that leads to an address; what was
    /// leaked elsewhere only if asked for.
    pub(crate) fn lookup_own(
        &self,
        vrf: VrfId,
        switch: DeviceId,
        address: IpAddr,
        with_leaked: bool,
    ) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let mut found = Vec::new();
        let Some(place) = fabric.vrf(vrf).place_of(switch) else { return found };
        let at = &fabric.vrf(vrf).switches[place];
        found.extend(lookup_local(self, fabric, vrf, at, address));
        let Some(own) = self.evpn.tenant(vrf, place) else { return found };
        if irb(fabric, at) != Some(Irb::Symmetric) {
            return found;
        }
        // Only a few switches can have a better route to the address: those with a more specific subnet, a
        // network outside, a static route or a leak that holds it.
        let known = found.iter().map(|route| route.prefix.length()).max();
        let better = |prefix: &IpPrefix| {
            prefix.contains(address) && known.is_none_or(|known| prefix.length() > known)
        };
        let mut origins: Vec<(VrfId, DeviceId)> = Vec::new();
        for (_, segment) in fabric.segments_with(address).filter(|(subnet, _)| better(subnet)) {
            origins.extend(fabric.segment(segment).presences.iter().filter_map(|id| {
                let presence = fabric.presence(id);
                Some((presence.vrf?.value, presence.switch))
            }));
        }
        for outside in fabric.outsides.values() {
            if outside.prefixes.iter().any(|prefix| better(prefix)) {
                origins.extend(outside.on.iter().map(|&on| (outside.vrf.value, on)));
            }
        }
        for route in fabric.static_routes.iter().filter(|route| better(&route.to)) {
            origins.extend(route.vrf.map(|vrf| (vrf.value, route.device)));
        }
        if with_leaked {
            for (other, place) in self.evpn.tenants_for(own) {
                let there = fabric.vrf(other).switches[place].switch;
                if fabric.leaks_to(other).any(|leak| leak.is_on(there)) {
                    origins.push((other, there));
                }
            }
        }
        origins.sort_unstable();
        origins.dedup();
        let mut told = Vec::new();
        for (other, there) in origins.into_iter().filter(|&(_, there)| there != switch) {
            let Some(place) = fabric.vrf(other).place_of(there) else { continue };
            let theirs = &fabric.vrf(other).switches[place];
            let imported =
                self.evpn.tenant(other, place).is_some_and(|there| own.imports(&there.export));
            if !imported || theirs.vni.is_none() || irb(fabric, theirs) != Some(Irb::Symmetric) {
                continue;
            }
            let mut routes = lookup_local(self, fabric, other, theirs, address);
            routes.retain(|route| {
                theirs.advertise_subnets || !matches!(route.source, TenantSource::Segment(_))
            });
            if with_leaked {
                routes.extend(self.lookup_leaked(other, there, address));
            }
            if routes.is_empty() {
                continue;
            }
            let Ok(next_hop) = self.reaches_vtep(switch, there) else { continue };
            told.extend(routes.into_iter().map(|route| TenantRoute {
                prefix: route.prefix,
                source: TenantSource::Learned(Learnt { switch: there, vrf: other }),
                next_hop: Some(next_hop),
                vni: theirs.vni.map(|vni| vni.value),
            }));
        }
        found.extend(self.distinct_prefixes(switch, told));
        found
    }

    /// The part of [`leaked`](Self::leaked) that leads to an address.
    fn lookup_leaked(&self, vrf: VrfId, switch: DeviceId, address: IpAddr) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let mut found = Vec::new();
        for leak in fabric.leaks_to(vrf) {
            let from = leak.from.value;
            if !leak.is_on(switch) || fabric.vrf(from).place_of(switch).is_none() {
                continue;
            }
            for route in self.lookup_own(from, switch, address, false) {
                let leaks = leak.prefixes.as_ref();
                if leaks.is_none_or(|all| all.iter().any(|one| one.covers(&route.prefix))) {
                    found.push(TenantRoute { source: TenantSource::Leaked(from), ..route });
                }
            }
        }
        found
    }

    /// The part of [`hosts`](Self::hosts) that leads to an address.
    fn lookup_hosts(&self, vrf: VrfId, switch: DeviceId, address: IpAddr) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let mut found = Vec::new();
        let Some(place) = fabric.vrf(vrf).place_of(switch) else { return found };
        let Some(own) = self.evpn.tenant(vrf, place) else { return found };
        if irb(fabric, &fabric.vrf(vrf).switches[place]) != Some(Irb::Symmetric) {
            return found;
        }
        if self.has_here(address, switch) {
            return found;
        }
        for &endpoint in fabric.endpoints_with(address) {
            let telling = self.telling_of(switch, endpoint);
            let routes = telling.into_iter().filter_map(|id| self.host_route(own, switch, id));
            found.extend(
                routes.map(|route| TenantRoute { prefix: IpPrefix::host(address), ..route }),
            );
        }
        found
    }

    /// The VTEPs whose routes for an endpoint get to another as their own (RFC 7432 section 7.9).
    fn telling_of(&self, switch: DeviceId, endpoint: EndpointId) -> Vec<PresenceId> {
        let fabric = &self.fabric;
        let all = self.evpn.attached(endpoint).iter().copied();
        let mut found: Vec<PresenceId> =
            all.filter(|&id| fabric.presence(id).switch != switch).collect();
        self.distinct(switch, &mut found, |&id| {
            (fabric.presence(id).switch, self.evpn.distinguisher(id))
        });
        found
    }

    /// Whether whoever has an address hangs on a switch that routes for its segment, which then prefers its own
    /// port to what other leaves tell, of the Ethernet segment or of another that has the address too (RFC 7432
    /// section 8.4, RFC 9135 section 5.2).
    fn has_here(&self, address: IpAddr, switch: DeviceId) -> bool {
        let fabric = &self.fabric;
        let owners = fabric.endpoints_with(address).iter();
        owners
            .flat_map(|&endpoint| self.evpn.attached(endpoint))
            .any(|&id| fabric.presence(id).switch == switch && is_gateway(fabric, id))
    }

    /// The route to a host at a presence of another VTEP, without its prefix, if it is imported.
    fn host_route(&self, own: &Instance, switch: DeviceId, id: PresenceId) -> Option<TenantRoute> {
        let fabric = &self.fabric;
        let presence = fabric.presence(id);
        let of = presence.vrf.filter(|_| is_gateway(fabric, id))?.value;
        let place = fabric.vrf(of).place_of(presence.switch)?;
        let at = &fabric.vrf(of).switches[place];
        let theirs = self.evpn.tenant(of, place)?;
        let routed = at.vni.is_some() && irb(fabric, at) == Some(Irb::Symmetric);
        if !own.imports(&theirs.export) || !routed {
            return None;
        }
        let next_hop = self.arrives(switch, presence.switch).ok()?;
        let learnt = Learnt { switch: presence.switch, vrf: of };
        Some(TenantRoute {
            prefix: IpPrefix::host(next_hop),
            source: TenantSource::Host(learnt),
            next_hop: Some(next_hop),
            vni: at.vni.map(|vni| vni.value),
        })
    }

    /// The routing table of a VRF on a switch, the best source of each prefix only: what is its own
    /// before what is leaked, that before what is learned.
    pub fn tenant_routes(&self, vrf: VrfId, switch: DeviceId) -> Vec<TenantRoute> {
        let fabric = &self.fabric;
        let Some(place) = fabric.vrf(vrf).place_of(switch) else { return Vec::new() };
        let mut found = local(self, fabric, vrf, &fabric.vrf(vrf).switches[place]);
        found.extend(self.leaked(vrf, switch));
        found.extend(self.learned(vrf, switch, true));
        found.extend(self.hosts(vrf, switch));
        best_by_prefix(found)
    }
}
