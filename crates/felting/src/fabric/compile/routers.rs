//! Switches as routers and VTEPs: who they are, their interfaces, their ends of sessions.

#![allow(
    clippy::redundant_closure_for_method_calls,
    reason = "a method named through `Layers` alone is ambiguous: each kind of keys has its own"
)]

use std::collections::BTreeMap;
use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::made::Made;
use super::pairs::Sides;
use super::sessions::{LinkSession, SessionKey};
use super::things::{Thing, Things, at, too_many};
use crate::diagnostic::{At, Span};
use crate::fabric::{
    DeviceId, DeviceKind, Interface, InterfaceId, InterfacePlace, LagId, Overlay, PairId, PortId,
    Router, RouterId, Side,
};
use crate::id::IdRange;
use crate::source::{
    Document, FaultKind, InterfaceKeys, Keys, Layers, Many, OverlayKeys, RouterKeys, SessionKeys,
    Statement, UnderlayKeys,
};
use crate::value::{
    Advertised, Asn, Encapsulation, NumberedBy, PoolKind, Role, TargetRule, UdpPort,
    UnderlayProtocol, VlanId,
};

/// What is said of switches as routers, by switch.
struct Said<'s> {
    routers: PerSwitch<'s, RouterKeys>,
    underlays: PerSwitch<'s, UnderlayKeys>,
    overlays: PerSwitch<'s, OverlayKeys>,
    interfaces: Vec<Thing<'s, InterfaceKey, InterfaceKeys>>,
    sessions: Vec<Thing<'s, SessionKey, SessionKeys>>,
}

type PerSwitch<'s, K> = BTreeMap<DeviceId, (Span, Layers<'s, K>)>;
type InterfaceKey = (DeviceId, InterfacePlace, Option<VlanId>);

impl Made<'_> {
    /// Makes all routers and tells which switch is which.
    pub(super) fn routers(
        &mut self,
        document: &Document,
        sides: &Sides,
        vrfs: &super::tenants::VrfNames,
    ) -> Vec<(DeviceId, RouterId)> {
        let sides: FxHashMap<DeviceId, (PairId, usize)> = sides.of.iter().copied().collect();
        let said = self.said(document);
        let routers = said.routers.iter().map(|(&switch, (span, _))| (switch, *span));
        let underlay = said.underlays.iter().map(|(&switch, (span, _))| (switch, *span));
        let overlay = said.overlays.iter().map(|(&switch, (span, _))| (switch, *span));
        let session = said.sessions.iter().map(|thing| (thing.name.0, thing.span));
        let interface = said.interfaces.iter().map(|thing| (thing.name.0, thing.span));
        let mut switches: BTreeMap<DeviceId, Span> = BTreeMap::new();
        for (switch, span) in routers.chain(underlay).chain(overlay).chain(session).chain(interface)
        {
            switches.entry(switch).or_insert(span);
        }

        let mut made = Vec::with_capacity(switches.len());
        for (switch, span) in switches {
            let router = self.router(switch, span, &said, &sides);
            made.push((switch, self.fabric.routers.push(router)));
        }
        let of: FxHashMap<DeviceId, RouterId> = made.iter().copied().collect();
        let links = self.interfaces(&said, vrfs, &of);
        self.allot_links(&said);
        self.fabric.interface_far = self.far_interfaces(&sides);
        self.vteps(&said, &sides, &of);
        self.sessions(&said.sessions, &links, &of);
        made
    }

    fn said<'s>(&mut self, document: &'s Document) -> Said<'s> {
        Said {
            routers: self.per_switch(&document.routers, |keys| &keys.on, "router settings"),
            underlays: self.per_switch(&document.underlays, |keys| &keys.on, "underlay"),
            overlays: self.per_switch(&document.overlays, |keys| &keys.on, "overlay"),
            interfaces: self.said_of_interfaces(document),
            sessions: self.said_of_sessions(document),
        }
    }

    /// What statements of one kind say, by switch: each switch has one, and overlays above it.
    fn per_switch<'s, K: Keys>(
        &mut self,
        statements: &'s [Statement<K>],
        on: fn(&K) -> &Option<At<Many<SmolStr>>>,
        what: &str,
    ) -> PerSwitch<'s, K> {
        let mut things: Things<'_, DeviceId, K> = Things::new();
        for statement in statements {
            let Some(on) = on(&statement.keys) else { continue };
            let switches = self.switches(&on.value.0);
            let deviations = self.deviations(statement, &switches);
            for switch in switches {
                let shown = || format!("the {what} of {}", self.devices[switch].name.value);
                let deviation = deviations.get(&switch).copied();
                things.add(switch, on.span, statement, deviation, self.faults, shown);
            }
        }
        things.order.into_iter().map(|thing| (thing.name, (thing.span, thing.layers))).collect()
    }

    fn said_of_interfaces<'s>(
        &mut self,
        document: &'s Document,
    ) -> Vec<Thing<'s, InterfaceKey, InterfaceKeys>> {
        let mut things: Things<'_, InterfaceKey, InterfaceKeys> = Things::new();
        for statement in &document.interfaces {
            let keys = &statement.keys;
            let Some(on) = &keys.on else { continue };
            let switches = self.switches(&on.value.0);
            let deviations = self.deviations(statement, &switches);
            let (names, span) = match (&keys.port, keys.vlan) {
                (Some(port), None) => {
                    (self.spread(Some(&At::new(Many(vec![port.clone()]), port.span))), port.span)
                }
                (None, Some(vlan)) => (Vec::new(), vlan.span),
                _ => {
                    self.faults.add(
                        FaultKind::MissingKey,
                        statement.span,
                        "the interface has not one of `port` and `vlan`",
                        "expected `port` with a port or LAG, or `vlan`",
                        "say on what the interface is",
                    );
                    continue;
                }
            };
            let count = things.order.len() + switches.len().saturating_mul(names.len().max(1));
            if too_many(count, statement.span, "interfaces", self.faults) {
                continue;
            }
            let tag = keys.tag.map(|tag| tag.value);
            for switch in switches {
                let deviation = deviations.get(&switch).copied();
                let places: Vec<(InterfacePlace, Span)> = match keys.vlan {
                    Some(vlan) => vec![(InterfacePlace::Vlan(vlan.value), span)],
                    None => {
                        names.iter().filter_map(|name| self.port_or_lag(switch, name)).collect()
                    }
                };
                for (place, span) in places {
                    let shown = || format!("an interface of {}", self.devices[switch].name.value);
                    let key = (switch, place, tag);
                    things.add(key, span, statement, deviation, self.faults, shown);
                }
            }
        }
        things.order
    }

    fn port_or_lag(
        &mut self,
        switch: DeviceId,
        name: &At<SmolStr>,
    ) -> Option<(InterfacePlace, Span)> {
        if let Some(&lag) = self.fabric.lag_names.get(&(switch, name.value.clone())) {
            return Some((InterfacePlace::Lag(lag), name.span));
        }
        Some((InterfacePlace::Port(self.port(switch, name)?.value), name.span))
    }

    fn number(&self, switch: DeviceId) -> Option<At<u32>> {
        self.devices[switch].number.map(|number| At::new(number.get(), number.span))
    }

    /// The switches that have one AS number with this one, by the pool's word.
    fn as_number(
        &mut self,
        switch: DeviceId,
        sides: &FxHashMap<DeviceId, (PairId, usize)>,
    ) -> Option<At<Asn>> {
        let by = self.as_pool(switch)?.by;
        let alike: Vec<DeviceId> = match by {
            NumberedBy::Switch => vec![switch],
            NumberedBy::Pair => match sides.get(&switch) {
                Some(&(pair, _)) => {
                    self.fabric.pairs[pair].sides.iter().map(|side| side.switch.value).collect()
                }
                None => vec![switch],
            },
            NumberedBy::Rack => match &self.devices[switch].rack {
                Some(rack) => self
                    .devices
                    .iter()
                    .filter(|(id, device)| {
                        device.kind == DeviceKind::Switch
                            && device.rack.as_ref().is_some_and(|other| other.value == rack.value)
                            && self.as_pool(*id).is_some_and(|pool| pool.is_for(switch))
                    })
                    .map(|(id, _)| id)
                    .collect(),
                None => vec![switch],
            },
        };
        let number = alike.iter().filter_map(|&id| self.number(id)).min_by_key(|n| n.value)?;
        let own = self.number(switch).map_or(number.span, |number| number.span);
        let given = self.number_from(
            PoolKind::AsNumbers,
            Some(switch),
            At::new(number.value, own),
            Asn::MAX,
        )?;
        Some(At::new(Asn::new(given.value).ok()?, given.span))
    }

    fn router(
        &mut self,
        switch: DeviceId,
        span: Span,
        said: &Said<'_>,
        sides: &FxHashMap<DeviceId, (PairId, usize)>,
    ) -> Router {
        let keys = said.routers.get(&switch).map(|(_, keys)| keys);
        let number = self.number(switch);
        let taken = |key: &str| keys.is_some_and(|keys| keys.taken_out(key).is_some());
        let loopbacks = match keys.and_then(|keys| keys.loopback()) {
            Some(written) => written.value.0.clone(),
            None if taken("loopback") => Vec::new(),
            None => {
                let given =
                    number.map(|number| self.addresses_from(PoolKind::Loopbacks, switch, number));
                let given = given.unwrap_or_default();
                given.into_iter().map(|a| At::new(a.value.into(), a.span)).collect()
            }
        };
        let router_id = keys.and_then(|keys| keys.router_id()).copied().or_else(|| {
            let given = number
                .filter(|_| !taken("router_id"))
                .map(|number| self.addresses_from(PoolKind::RouterIds, switch, number));
            let v4 = |address: IpAddr, span| match address {
                IpAddr::V4(address) => Some(At::new(address, span)),
                IpAddr::V6(_) => None,
            };
            let given = given.and_then(|given| given.iter().find_map(|a| v4(a.value, a.span)));
            let own = |l: &At<crate::value::Loopback>| v4(l.address(), l.span);
            given.or_else(|| loopbacks.iter().find_map(own))
        });
        let as_number = match keys.and_then(|keys| keys.as_number()) {
            Some(written) => Some(*written),
            None if taken("as_number") => None,
            None => self.as_number(switch, sides),
        };
        let underlay = said.underlays.get(&switch);
        let protocol = underlay.map(|(span, keys)| keys.protocol().at(*span));
        let advertised = match underlay {
            None => Vec::new(),
            Some((span, keys)) => match keys.advertise() {
                Some(written) => written.value.0.clone(),
                None => {
                    let both = [Advertised::Loopbacks, Advertised::Vteps];
                    let links = match protocol.map(|protocol| protocol.value) {
                        Some(UnderlayProtocol::Ospf | UnderlayProtocol::Isis) => {
                            Some(Advertised::Links)
                        }
                        _ => None,
                    };
                    both.into_iter().chain(links).map(|what| At::new(what, *span)).collect()
                }
            },
        };
        let nothing = Layers::default();
        let none = crate::id::IdVec::<InterfaceId, ()>::default().next_id();
        let no_session = crate::id::IdVec::<crate::fabric::SessionId, ()>::default().next_id();
        Router {
            device: switch,
            span: span.into(),
            as_number,
            router_id,
            loopbacks,
            cluster_id: keys.and_then(|keys| keys.cluster_id()).copied(),
            max_paths: keys.and_then(|keys| keys.max_paths()).copied(),
            policy_required: keys.unwrap_or(&nothing).policy_required().value(),
            connected_check: keys.unwrap_or(&nothing).connected_check().value(),
            advertised,
            protocol,
            overlay: None,
            interfaces: IdRange::new(none, none),
            sessions: IdRange::new(no_session, no_session),
        }
    }

    /// Makes the interfaces, switch by switch in the order of their ports.
    fn interfaces<'s>(
        &mut self,
        said: &Said<'s>,
        vrfs: &super::tenants::VrfNames,
        of: &FxHashMap<DeviceId, RouterId>,
    ) -> FxHashMap<InterfaceId, LinkSession<'s>> {
        let mut explicit: FxHashMap<DeviceId, Vec<&Thing<'s, InterfaceKey, InterfaceKeys>>> =
            FxHashMap::default();
        for thing in &said.interfaces {
            explicit.entry(thing.name.0).or_default().push(thing);
        }
        let mut sessions = FxHashMap::default();
        let routers: Vec<DeviceId> = self.fabric.routers.values().map(|r| r.device).collect();
        for switch in routers {
            let start = self.fabric.interfaces.next_id();
            let written = explicit.remove(&switch).unwrap_or_default();
            let mut places: Vec<(InterfacePlace, Span)> = self.underlay_places(switch, said);
            places.retain(|(place, _)| !written.iter().any(|thing| thing.name.1 == *place));
            let mut all: Vec<(InterfacePlace, Option<&Thing<'s, _, InterfaceKeys>>, Span)> =
                places.into_iter().map(|(place, span)| (place, None, span)).collect();
            all.extend(written.into_iter().map(|thing| (thing.name.1, Some(thing), thing.span)));
            all.sort_by_key(|(place, thing, _)| (*place, thing.and_then(|thing| thing.name.2)));
            let underlay = said.underlays.get(&switch);
            for (place, thing, span) in all {
                let own = thing.map(|thing| &thing.layers);
                let interface = self.interface(switch, place, span, own, underlay, vrfs);
                let id = self.fabric.interfaces.push(interface);
                if self.fabric.interfaces[id].protocol.value == UnderlayProtocol::Bgp {
                    let below = underlay.map(|(_, keys)| keys);
                    sessions.insert(
                        id,
                        LinkSession {
                            peer_as: own
                                .and_then(|keys| keys.peer_as())
                                .or_else(|| below.and_then(|keys| keys.peer_as()))
                                .copied(),
                            import: own
                                .and_then(|keys| keys.import())
                                .or_else(|| below.and_then(|keys| keys.import())),
                            export: own
                                .and_then(|keys| keys.export())
                                .or_else(|| below.and_then(|keys| keys.export())),
                        },
                    );
                }
            }
            let end = self.fabric.interfaces.next_id();
            self.fabric.routers[of[&switch]].interfaces = IdRange::new(start, end);
        }
        sessions
    }

    /// The ports and LAGs that take part in a switch's underlay, in order.
    fn underlay_places(
        &mut self,
        switch: DeviceId,
        said: &Said<'_>,
    ) -> Vec<(InterfacePlace, Span)> {
        let Some((span, keys)) = said.underlays.get(&switch) else { return Vec::new() };
        if let Some(ports) = keys.ports() {
            let names = self.spread(Some(ports));
            return names.iter().filter_map(|name| self.port_or_lag(switch, name)).collect();
        }
        let mut places = Vec::new();
        for port in self.devices[switch].ports.iter() {
            let Some((far, _)) = self.fabric.beyond(port) else { continue };
            let far_device = self.fabric.ports[far].device;
            if !said.underlays.contains_key(&far_device) || far_device == switch {
                continue;
            }
            if let Some(member) = self.fabric.port_member[port] {
                let lag = self.fabric.members[member].lag;
                if !self.fabric.lags[lag].addresses.is_empty() {
                    places.push((InterfacePlace::Lag(lag), *span));
                }
                continue;
            }
            let bridged = |port: PortId| {
                self.fabric.port_settings.get(&port).is_some_and(|settings| {
                    !settings.tagged.is_empty() || settings.untagged.is_some()
                })
            };
            // A link that is bridged at one end only is a fault of that end, and routed at the other.
            let in_lag = self.fabric.port_member[far].is_some();
            let elsewhere = bridged(far) && in_lag;
            if !(bridged(port) || elsewhere || self.is_stack_port(port)) {
                places.push((InterfacePlace::Port(port), *span));
            }
        }
        places.sort_unstable();
        places.dedup_by_key(|(place, _)| *place);
        places
    }

    fn is_stack_port(&self, port: PortId) -> bool {
        let device = self.fabric.ports[port].device;
        self.devices[device].stack.is_some_and(|stack| {
            self.fabric.stacks[stack]
                .members
                .iter()
                .any(|member| member.stack_ports.contains(&port))
        })
    }

    fn interface(
        &mut self,
        switch: DeviceId,
        place: InterfacePlace,
        span: Span,
        own: Option<&Layers<'_, InterfaceKeys>>,
        underlay: Option<&(Span, Layers<'_, UnderlayKeys>)>,
        vrfs: &super::tenants::VrfNames,
    ) -> Interface {
        let below = underlay.map_or(span, |(span, _)| *span);
        let nothing = Layers::default();
        let under = underlay.map_or(&nothing, |(_, keys)| keys);
        /// The interface's own key, else the underlay's.
        macro_rules! key {
            ($key:ident) => {
                own.and_then(|keys| keys.$key()).cloned().unwrap_or_else(|| under.$key().at(below))
            };
        }
        let (addresses, mtu) = match place {
            InterfacePlace::Port(port) => {
                let settings = self.fabric.port_settings.get(&port);
                (settings.map(|s| s.addresses.clone()), settings.and_then(|s| s.mtu))
            }
            InterfacePlace::Lag(lag) => {
                let lag = &self.fabric.lags[lag];
                (Some(lag.addresses.clone()), lag.mtu)
            }
            InterfacePlace::Vlan(_) => (None, None),
        };
        let vrf = own.and_then(|keys| keys.vrf()).and_then(|name| self.vrf(name, vrfs));
        let default = match underlay {
            Some((_, keys)) if vrf.is_none() => keys.protocol().value(),
            _ => UnderlayProtocol::None,
        };
        let place_of_protocol = under.protocol().written().map_or(below, |protocol| protocol.span);
        Interface {
            device: switch,
            place,
            tag: own.and_then(|keys| keys.tag()).copied(),
            span: span.into(),
            addresses: match own.and_then(|keys| keys.address()) {
                Some(written) => written.value.0.clone(),
                None => addresses.unwrap_or_default(),
            },
            unnumbered: key!(unnumbered),
            vrf,
            mtu: own.and_then(|keys| keys.mtu()).copied().or(mtu),
            protocol: at(own.and_then(|keys| keys.protocol()), default, place_of_protocol),
            area: key!(area),
            level: key!(level),
            network_type: key!(network_type),
            hello: key!(hello),
            dead: key!(dead),
            cost: key!(cost),
            authentication: own
                .and_then(|keys| keys.authentication())
                .or(under.authentication())
                .cloned(),
            bfd: key!(bfd),
            passive: own.is_some_and(|keys| keys.passive().value()),
            multicast: key!(multicast),
        }
    }

    /// Gives addresses to links that have none, from the number of the lower switch and the port's
    /// place among its links to switches above it.
    fn allot_links(&mut self, said: &Said<'_>) {
        let mut at_port: FxHashMap<PortId, InterfaceId> = FxHashMap::default();
        for (id, interface) in self.fabric.interfaces.iter() {
            if let (InterfacePlace::Port(port), None) = (interface.place, interface.tag) {
                at_port.insert(port, id);
            }
        }
        let mut places: FxHashMap<DeviceId, u16> = FxHashMap::default();
        let ids: Vec<InterfaceId> = self.fabric.interfaces.ids().collect();
        for near in ids {
            let InterfacePlace::Port(port) = self.fabric.interfaces[near].place else { continue };
            if self.fabric.interfaces[near].tag.is_some() {
                continue;
            }
            let Some(far) =
                self.fabric.beyond(port).and_then(|(far, _)| at_port.get(&far)).copied()
            else {
                continue;
            };
            let (lower, upper) =
                (self.fabric.interfaces[near].device, self.fabric.interfaces[far].device);
            if self.rank(lower) >= self.rank(upper) {
                continue;
            }
            let place = places.entry(lower).or_default();
            let own = *place;
            *place = place.saturating_add(1);
            let lacks = |id: InterfaceId| {
                let interface = &self.fabric.interfaces[id];
                interface.addresses.is_empty()
                    && !interface.unnumbered.value
                    && said.underlays.contains_key(&interface.device)
            };
            let lacking = [lacks(far), lacks(near)];
            let Some(number) = self.number(lower).filter(|_| lacking.contains(&true)) else {
                continue;
            };
            for ends in self.link_from(lower, number, own) {
                for ((id, lacks), end) in [far, near].into_iter().zip(lacking).zip(ends) {
                    if lacks {
                        self.fabric.interfaces[id].addresses.push(end);
                    }
                }
            }
        }
    }

    /// How low a switch stands: leaves below spines, of equals the smaller number.
    fn rank(&self, switch: DeviceId) -> (u8, u32, DeviceId) {
        let device = &self.devices[switch];
        let tier = match device.role.map(|role| role.value) {
            Some(Role::Access) => 0,
            None | Some(Role::Leaf | Role::Border) => 1,
            Some(Role::Spine) => 2,
            Some(Role::SuperSpine) => 3,
            Some(Role::Router) => 4,
        };
        (tier, device.number.map_or(u32::MAX, |number| number.get()), switch)
    }

    /// The interface at the other end of each, as it is cabled.
    fn far_interfaces(
        &self,
        sides: &FxHashMap<DeviceId, (PairId, usize)>,
    ) -> crate::id::IdVec<InterfaceId, Option<InterfaceId>> {
        let fabric = &*self.fabric;
        let mut known: FxHashMap<(DeviceId, InterfacePlace), Vec<InterfaceId>> =
            FxHashMap::default();
        for (id, interface) in fabric.interfaces.iter() {
            known.entry((interface.device, interface.place)).or_default().push(id);
        }
        let at = |port: PortId| {
            let device = fabric.ports[port].device;
            let of_port = known.get(&(device, InterfacePlace::Port(port)));
            of_port.or_else(|| {
                let lag = fabric.members[fabric.port_member[port]?].lag;
                known.get(&(device, InterfacePlace::Lag(lag)))
            })
        };
        let lag_far = |lag: LagId| {
            fabric.lags[lag]
                .members
                .iter()
                .find_map(|member| at(fabric.beyond(fabric.members[member].port.value)?.0))
        };
        let far = fabric.interfaces.values().map(|interface| {
            let candidates = match interface.place {
                InterfacePlace::Port(port) => at(fabric.beyond(port)?.0),
                InterfacePlace::Lag(lag) => lag_far(lag),
                InterfacePlace::Vlan(_) => {
                    let &(pair, side) = sides.get(&interface.device)?;
                    let other = fabric.pairs[pair].sides[1 - side].switch.value;
                    known.get(&(other, interface.place))
                }
            }?;
            let tag = |id: &InterfaceId| fabric.interfaces[*id].tag.map(|tag| tag.value);
            let own = interface.tag.map(|tag| tag.value);
            // Of several sub-interfaces the one of the same tag; a single one may have another.
            match candidates.iter().find(|id| tag(id) == own) {
                Some(&same) => Some(same),
                None if candidates.len() == 1 => Some(candidates[0]),
                None => None,
            }
        });
        crate::id::IdVec::of(far.collect())
    }

    /// Makes the VTEPs.
    fn vteps(
        &mut self,
        said: &Said<'_>,
        sides: &FxHashMap<DeviceId, (PairId, usize)>,
        of: &FxHashMap<DeviceId, RouterId>,
    ) {
        for (&switch, (span, keys)) in &said.overlays {
            let (span, device) = (*span, &self.devices[switch]);
            let able = device
                .hardware
                .map(|kind| self.fabric.hardware[kind.value].vtep)
                .is_none_or(|vtep| vtep.value);
            if !able {
                self.fabric.overlays_unable.push((switch, span));
                continue;
            }
            // What is sent to the address that a pair shares comes to either side, so both must take it.
            let first = sides.get(&switch).map(|&(pair, _)| &self.fabric.pairs[pair].sides[0]);
            let mac = first.map_or(device.mac, |first| self.devices[first.switch.value].mac);
            let (mac, mac_at) = (mac.value, device.mac.span);
            let vtep = keys.vtep().copied().or_else(|| {
                if keys.taken_out("vtep").is_some() {
                    return None;
                }
                let pair =
                    sides.get(&switch).map(|&(pair, side)| (&self.fabric.pairs[pair].sides, side));
                let written = |side: &Side| side.vtep;
                match pair {
                    Some((pair, side)) if pair.iter().any(|side| written(side).is_some()) => {
                        written(&pair[side])
                    }
                    pair => {
                        let alike = pair.map_or(vec![switch], |(pair, _)| {
                            pair.iter().map(|side| side.switch.value).collect()
                        });
                        let number =
                            alike.iter().filter_map(|&s| self.number(s)).min_by_key(|n| n.value)?;
                        let own = self.number(switch).map_or(number.span, |number| number.span);
                        let number = At::new(number.value, own);
                        let given = self.addresses_from(PoolKind::Vteps, switch, number);
                        given.into_iter().next()
                    }
                }
            });
            let default = match keys.target_pattern() {
                Some(_) => TargetRule::Given,
                None => TargetRule::Rfc8365,
            };
            let encapsulation = keys.encapsulation().at(span);
            let port = udp_port_of(encapsulation.value);
            let overlay = Overlay {
                device: switch,
                span: span.into(),
                vtep,
                encapsulation,
                udp_port: at(keys.udp_port(), port, span),
                replication: keys.replication().at(span),
                rendezvous: keys.rendezvous().map(|all| all.value.0.clone()).unwrap_or_default(),
                targets: at(keys.targets(), default, span),
                target_pattern: keys.target_pattern().cloned(),
                any_as: keys.any_as().at(span),
                irb: keys.irb().at(span),
                router_mac: at(keys.router_mac(), mac, mac_at),
                gateway_mac: keys.gateway_mac().copied(),
                advertise_gateways: keys.advertise_gateways().value(),
                suppression: keys.suppression().value(),
                core_isolation: keys.core_isolation().at(span),
                isolated_by: keys.isolated_by().value(),
                election: keys.election().at(span),
                preference: keys.preference().at(span),
                single_homed: keys.single_homed().value(),
            };
            let id = self.fabric.overlays.push(overlay);
            self.fabric.routers[of[&switch]].overlay = Some(id);
        }
    }
}

/// The UDP port that an encapsulation is sent to where none is written (RFC 7348 section 8, RFC 8926 section 3.3).
pub(super) fn udp_port_of(encapsulation: Encapsulation) -> UdpPort {
    let port = if encapsulation == Encapsulation::Geneve { 6081 } else { 4789 };
    UdpPort::new(port).expect("both are ports")
}
