//! Whether a speaker has a way to the next hop of a route: without one it can't use the route, nor pass it on
//! (RFC 4271 section 9.1.2.1).

use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::{Bgp, Heard, Outcomes};
use crate::behavior::underlay::Underlay;
use crate::fabric::{Fabric, RouterId, SessionId};
use crate::id::IdVec;
use crate::value::{Family, IpPrefix, NextHopRule, SessionOver};

/// What is the next hop of a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum NextHop {
    /// The address by which EVPN names a speaker.
    Speaker(RouterId),
    /// The address that a speaker has on the link of a session.
    Link(SessionId),
}

/// The next hops that some speakers have no way to: none where all is well.
#[derive(Clone, Debug, Default)]
pub(super) struct Unresolved {
    /// Speakers of one view are led by the underlay to the same addresses.
    views: IdVec<RouterId, u32>,
    pairs: FxHashSet<(u32, NextHop)>,
    /// The views that have no way to each next hop of these pairs, in order.
    by: FxHashMap<NextHop, SmallVec<[u32; 2]>>,
    blind: FxHashSet<u32>,
}

/// The address by which EVPN names a speaker as next hop: its VTEP's, or its loopback's.
pub(crate) fn address_of(fabric: &Fabric, speaker: RouterId) -> Option<IpAddr> {
    let router = fabric.router(speaker);
    let vtep = fabric.vtep_of(router.device).map(|vtep| vtep.value);
    vtep.or_else(|| router.loopbacks.first().map(|loopback| loopback.address()))
}

impl Unresolved {
    /// Whether every speaker has a way to every next hop.
    pub(super) fn is_empty(&self) -> bool {
        self.pairs.is_empty()
    }

    /// Whether a speaker has no way to a next hop.
    pub(super) fn holds(&self, at: RouterId, next_hop: NextHop) -> bool {
        !self.pairs.is_empty() && self.pairs.contains(&(self.views[at], next_hop))
    }

    /// The views that have no way to a next hop.
    pub(super) fn views_without(&self, next_hop: NextHop) -> SmallVec<[u32; 2]> {
        self.by.get(&next_hop).cloned().unwrap_or_default()
    }

    /// The view of a speaker, where it matters.
    pub(super) fn view(&self, at: RouterId) -> Option<u32> {
        (!self.blind.is_empty()).then(|| self.views[at]).filter(|view| self.blind.contains(view))
    }

    fn add(&mut self, view: u32, next_hop: NextHop) {
        if self.pairs.insert((view, next_hop)) {
            self.by.entry(next_hop).or_default().push(view);
            self.blind.insert(view);
        }
    }

    /// The VTEPs and loopbacks that speakers of EVPN are not led to, whatever they hear.
    pub(super) fn of_speakers(fabric: &Fabric, underlay: &Underlay, outcomes: &Outcomes) -> Self {
        let mut found = Self { views: underlay.views(fabric), ..Self::default() };
        let carries = |&session: &SessionId| outcomes[session].carries(Family::Evpn);
        let speakers = fabric.routers.iter().filter(|(_, router)| {
            let mut sessions = router.sessions.iter();
            sessions.any(|session| carries(&session))
        });
        let speakers: Vec<RouterId> = speakers.map(|(id, _)| id).collect();
        let members = members(&found.views, speakers.iter().copied());
        let mut heard = Heard::default();
        for &speaker in &speakers {
            let Some(address) = address_of(fabric, speaker) else { continue };
            for (view, members) in &members {
                let Some(&at) = members.iter().find(|&&at| at != speaker) else { continue };
                if underlay.delivers_as(fabric, at, address, &mut heard).is_err() {
                    found.add(*view, NextHop::Speaker(speaker));
                }
            }
        }
        found
    }

    /// The addresses of links that iBGP keeps as next hops and whose subnets nobody tells.
    pub(super) fn of_links(
        fabric: &Fabric,
        underlay: &Underlay,
        bgp: &Bgp,
        outcomes: &Outcomes,
    ) -> Self {
        let asn = |device| fabric.router_of(device)?.as_number.map(|asn| asn.value);
        let keeps = fabric.sessions().any(|(id, session)| {
            session.over == SessionOver::Links
                && outcomes[id].is_up()
                && asn(session.device) == asn(session.peer)
                && session.next_hop.is_none_or(|rule| rule.value != NextHopRule::Rewritten)
        });
        if !keeps {
            return Self::default();
        }
        let mut found = Self { views: underlay.views_with(fabric, bgp), ..Self::default() };
        let members = members(&found.views, fabric.routers.ids());
        let mut heard = Heard::default();
        for (id, session) in fabric.sessions() {
            let Some(interface) = session.interface.filter(|_| outcomes[id].is_up()) else {
                continue;
            };
            let own = fabric.devices[session.device].router;
            let subnets = fabric.interface(interface).addresses.iter().map(|one| one.subnet());
            let subnets: SmallVec<[IpPrefix; 2]> = subnets.collect();
            for (view, members) in &members {
                let Some(&at) = members.iter().find(|&&at| Some(at) != own) else { continue };
                let led = subnets.iter().any(|subnet| {
                    underlay.origins(subnet).iter().any(|origin| {
                        underlay.joined(at, origin, subnet)
                            || bgp.hears(
                                fabric,
                                subnet.family(),
                                at,
                                origin.router,
                                subnet,
                                &mut heard,
                            )
                    })
                });
                if !led {
                    found.add(*view, NextHop::Link(id));
                }
            }
        }
        found
    }
}

/// The first two of each view, in the order of the views: of any next hop one of them is not the owner.
fn members(
    views: &IdVec<RouterId, u32>,
    all: impl Iterator<Item = RouterId>,
) -> Vec<(u32, SmallVec<[RouterId; 2]>)> {
    let mut found: std::collections::BTreeMap<u32, SmallVec<[RouterId; 2]>> =
        std::collections::BTreeMap::new();
    for router in all {
        let members = found.entry(views[router]).or_default();
        if members.len() < 2 {
            members.push(router);
        }
    }
    found.into_iter().collect()
}
