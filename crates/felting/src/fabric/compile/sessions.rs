//! The ends of BGP sessions: those that are written, and those that the underlay's protocol has over each link.

#![allow(
    clippy::redundant_closure_for_method_calls,
    reason = "a method named through `Layers` alone is ambiguous: each kind of keys has its own"
)]

use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::made::Made;
use super::things::{Thing, Things, too_many};
use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, InterfaceId, PolicyName, RouterId, Session};
use crate::id::IdRange;
use crate::source::{Document, FaultKind, Layers, Many, SessionKeys};
use crate::value::{Asn, Family, SessionOver};

/// By what the ends of sessions are told apart: the switch, its peer, and over what.
pub(super) type SessionKey = (DeviceId, DeviceId, SessionOver);

/// What an interface says of the session over it, where BGP is the underlay's protocol.
pub(super) struct LinkSession<'s> {
    pub(super) peer_as: Option<At<Asn>>,
    pub(super) import: Option<&'s At<Many<SmolStr>>>,
    pub(super) export: Option<&'s At<Many<SmolStr>>>,
}

impl Made<'_> {
    pub(super) fn said_of_sessions<'s>(
        &mut self,
        document: &'s Document,
    ) -> Vec<Thing<'s, SessionKey, SessionKeys>> {
        let mut things: Things<'_, SessionKey, SessionKeys> = Things::new();
        for statement in &document.sessions {
            let (Some(on), Some(to)) = (&statement.keys.on, &statement.keys.to) else { continue };
            let over = Layers::only(&statement.keys).over().value();
            let (switches, peers) = (self.switches(&on.value.0), self.switches(&to.value.0));
            let deviations = self.deviations(statement, &switches);
            let count = things.order.len() + switches.len().saturating_mul(peers.len());
            if too_many(count, statement.span, "sessions", self.faults) {
                continue;
            }
            for switch in switches {
                let deviation = deviations.get(&switch).copied();
                for &peer in peers.iter().filter(|&&peer| peer != switch) {
                    let name = |device: DeviceId| &self.devices[device].name.value;
                    let shown = || format!("the session of {} with {}", name(switch), name(peer));
                    let key = (switch, peer, over);
                    things.add(key, on.span, statement, deviation, self.faults, shown);
                }
            }
        }
        things.order
    }

    /// Makes the ends of sessions: those that are written, and those that BGP as the underlay's protocol
    /// has over each link.
    pub(super) fn sessions(
        &mut self,
        said: &[Thing<'_, SessionKey, SessionKeys>],
        links: &FxHashMap<InterfaceId, LinkSession<'_>>,
        of: &FxHashMap<DeviceId, RouterId>,
    ) {
        let mut by_device: FxHashMap<DeviceId, Vec<&Thing<'_, SessionKey, SessionKeys>>> =
            FxHashMap::default();
        for thing in said {
            by_device.entry(thing.name.0).or_default().push(thing);
        }
        let routers: Vec<DeviceId> = self.fabric.routers.values().map(|r| r.device).collect();
        let mut strangers = Vec::new();
        for switch in routers {
            let start = self.fabric.sessions.next_id();
            let written = by_device.remove(&switch).unwrap_or_default();
            let mut over_links: FxHashMap<DeviceId, &Thing<'_, SessionKey, SessionKeys>> =
                FxHashMap::default();
            for &thing in written.iter().filter(|thing| thing.name.2 == SessionOver::Links) {
                over_links.entry(thing.name.1).or_insert(thing);
            }
            let interfaces: Vec<InterfaceId> =
                self.fabric.routers[of[&switch]].interfaces.iter().collect();
            for id in interfaces {
                let Some(far) = self.fabric.interface_far[id] else { continue };
                let peer = self.fabric.interfaces[far].device;
                let explicit = over_links.get(&peer);
                let link = links.get(&id);
                if explicit.is_none() && link.is_none() {
                    continue;
                }
                let session = self.session(
                    (switch, peer),
                    SessionOver::Links,
                    Some((id, far)),
                    explicit.map(|thing| (thing.span, &thing.layers)),
                    link,
                    of,
                );
                self.fabric.sessions.push(session);
            }
            for thing in written.iter().filter(|thing| thing.name.2 == SessionOver::Loopbacks) {
                let between = (switch, thing.name.1);
                let keys = Some((thing.span, &thing.layers));
                let session = self.session(between, SessionOver::Loopbacks, None, keys, None, of);
                self.fabric.sessions.push(session);
            }
            for thing in &written {
                if let Some(address) = thing.layers.peer_address() {
                    strangers.push((switch, *address));
                }
            }
            let end = self.fabric.sessions.next_id();
            self.fabric.routers[of[&switch]].sessions = IdRange::new(start, end);
        }
        self.sessions_to_nobody(&strangers);
    }

    fn session(
        &mut self,
        (switch, peer): (DeviceId, DeviceId),
        over: SessionOver,
        link: Option<(InterfaceId, InterfaceId)>,
        explicit: Option<(Span, &Layers<'_, SessionKeys>)>,
        implied: Option<&LinkSession<'_>>,
        of: &FxHashMap<DeviceId, RouterId>,
    ) -> Session {
        let keys = explicit.map(|(_, keys)| keys);
        let span = match (explicit, link) {
            (Some((span, _)), _) => span,
            (None, Some((near, _))) => self.fabric.interfaces[near].span.0,
            (None, None) => self.devices[switch].name.span,
        };
        let (source, peer_address) = self.between((switch, peer), link, of);
        let mut families = keys
            .and_then(|keys| keys.families())
            .map(|all| all.value.0.clone())
            .unwrap_or_default();
        if implied.is_some() {
            let own = &self.fabric.routers[of[&switch]].loopbacks;
            for (family, six) in [(Family::Ipv4, false), (Family::Ipv6, true)] {
                let has = own.iter().any(|loopback| loopback.address().is_ipv6() == six);
                if has && !families.iter().any(|known| known.value == family) {
                    families.push(At::new(family, span));
                }
            }
        } else if families.is_empty() && keys.is_none_or(|keys| keys.families().is_none()) {
            families.push(At::new(Family::Evpn, span));
        }
        families.sort_by_key(|family| family.value);
        let import = keys.and_then(|keys| keys.import()).or(implied.and_then(|link| link.import));
        let export = keys.and_then(|keys| keys.export()).or(implied.and_then(|link| link.export));
        let of_link = link.map(|(near, _)| {
            let interface = &self.fabric.interfaces[near];
            (interface.authentication.clone(), interface.bfd)
        });
        let (link_key, link_bfd) = of_link.unzip();
        let nothing = Layers::default();
        Session {
            device: switch,
            peer,
            over,
            interface: link.map(|(near, _)| near),
            span: span.into(),
            source: keys.and_then(|keys| keys.source()).copied().or(source),
            peer_address: keys.and_then(|keys| keys.peer_address()).copied().or(peer_address),
            peer_as: keys
                .and_then(|keys| keys.peer_as())
                .copied()
                .or(implied.and_then(|link| link.peer_as)),
            families,
            multihop: keys.and_then(|keys| keys.multihop()).copied(),
            multihop_at: keys
                .and_then(|keys| {
                    let written = keys.multihop().map(|hops| hops.span);
                    written.or_else(|| keys.taken_out("multihop"))
                })
                .unwrap_or(span)
                .into(),
            client: keys.unwrap_or(&nothing).client().at(span),
            next_hop: keys.and_then(|keys| keys.next_hop()).copied(),
            next_hop_at: keys
                .and_then(|keys| {
                    let written = keys.next_hop().map(|rule| rule.span);
                    written.or_else(|| keys.taken_out("next_hop"))
                })
                .unwrap_or(span)
                .into(),
            communities: keys.unwrap_or(&nothing).communities().at(span),
            import: self.policy_names(import),
            export: self.policy_names(export),
            authentication: keys
                .and_then(|keys| keys.authentication())
                .cloned()
                .or(link_key.flatten().filter(|_| implied.is_some())),
            bfd: match (keys.unwrap_or(&nothing).bfd(), link_bfd) {
                (bfd, Some(of_link)) if bfd.written().is_none() && implied.is_some() => of_link,
                (bfd, _) => bfd.at(span),
            },
        }
    }

    /// The address that a session is from, and the one that it is to.
    fn between(
        &self,
        (switch, peer): (DeviceId, DeviceId),
        link: Option<(InterfaceId, InterfaceId)>,
        of: &FxHashMap<DeviceId, RouterId>,
    ) -> (Option<At<IpAddr>>, Option<At<IpAddr>>) {
        let (own, theirs): (Vec<At<IpAddr>>, Vec<At<IpAddr>>) = match link {
            Some((near, far)) => {
                let of = |id: InterfaceId| {
                    let all = self.fabric.interfaces[id].addresses.iter();
                    all.map(|address| At::new(address.address(), address.span)).collect()
                };
                (of(near), of(far))
            }
            None => {
                let of = |device: DeviceId| {
                    let router = of.get(&device).map(|&router| &self.fabric.routers[router]);
                    let all = router.map_or(&[][..], |router| &router.loopbacks).iter();
                    all.map(|address| At::new(address.address(), address.span)).collect()
                };
                (of(switch), of(peer))
            }
        };
        let alike = own.iter().find_map(|a| {
            let b = theirs.iter().find(|b| b.is_ipv4() == a.is_ipv4())?;
            Some((Some(*a), Some(*b)))
        });
        alike.unwrap_or((own.first().copied(), theirs.first().copied()))
    }

    fn policy_names(&mut self, written: Option<&At<Many<SmolStr>>>) -> Vec<At<PolicyName>> {
        let mut found = Vec::new();
        for name in written.map_or(&[][..], |written| &written.value.0) {
            if name.value == "everything" {
                found.push(At::new(PolicyName::Everything, name.span));
                continue;
            }
            let known = self.fabric.policies.iter().find(|(_, p)| p.name.value == name.value);
            match known {
                Some((id, _)) => found.push(At::new(PolicyName::Policy(id), name.span)),
                None => {
                    let names = self.fabric.policies.values().map(|policy| policy.name.as_str());
                    self.faults.unknown(
                        "policy",
                        name,
                        names.chain(["everything"]),
                        "add a [[policy]] of that name, or say `everything`",
                    );
                }
            }
        }
        found
    }

    /// Refuses sessions to addresses that nothing in the fabric has.
    fn sessions_to_nobody(&mut self, written: &[(DeviceId, At<IpAddr>)]) {
        if written.is_empty() {
            return;
        }
        let loopbacks = self.fabric.routers.values().flat_map(|router| router.loopbacks.iter());
        let links = self.fabric.interfaces.values().flat_map(|interface| &interface.addresses);
        let vteps = self.fabric.overlays.values().filter_map(|overlay| overlay.vtep);
        let known: rustc_hash::FxHashSet<IpAddr> = loopbacks
            .map(|loopback| loopback.address())
            .chain(links.map(|address| address.address()))
            .chain(vteps.map(|vtep| vtep.value))
            .collect();
        let mut said: Vec<Span> = Vec::new();
        for &(switch, address) in written {
            if known.contains(&address.value) || said.contains(&address.span) {
                continue;
            }
            said.push(address.span);
            let device = &self.devices[switch].name.value;
            self.faults.add(
                FaultKind::UnknownName,
                address.span,
                format!("{device} has a session to {}, an address that nobody has", address.value),
                "expected an address of a switch in the fabric",
                "correct the address, or take `peer_address` out: it is then the other end's own",
            );
        }
    }
}
