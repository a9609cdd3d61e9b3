//! Routes that BGP takes for one: they say the same with one route distinguisher (RFC 7432 section 7.9).

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::apart::Apart;
use super::routes::{NotImported, Received, RouteKind};
use crate::behaviour::State;
use crate::behaviour::bgp::{NotPassed, Passing, Propagated};
use crate::fabric::{DeviceId, RouterId};
use crate::value::{Family, RouteDistinguisher};

impl State {
    /// Of routes that say the same at several VTEPs those that a VTEP comes to use. With one distinguisher they are
    /// one route to every speaker, which keeps and passes on the best alone (RFC 4271 section 9.1.2).
    pub(crate) fn distinct<T>(
        &self,
        at: DeviceId,
        routes: &mut Vec<T>,
        of: impl Fn(&T) -> (DeviceId, Option<RouteDistinguisher>),
    ) {
        let fabric = &self.fabric;
        if routes.len() < 2 || !self.evpn.instances.shared_distinguisher {
            return;
        }
        let mut origins: FxHashMap<RouteDistinguisher, SmallVec<[DeviceId; 2]>> =
            FxHashMap::default();
        for (origin, rd) in routes.iter().map(&of) {
            let known = rd.map(|rd| origins.entry(rd).or_default());
            if let Some(known) = known.filter(|known| !known.contains(&origin)) {
                known.push(origin);
            }
        }
        let mut lost: FxHashSet<(DeviceId, RouteDistinguisher)> = FxHashSet::default();
        for (rd, all) in origins.into_iter().filter(|(_, all)| all.len() > 1) {
            let best = self.together(at, &all).and_then(|(here, found)| {
                let origin = found.best[here].as_ref()?.origin;
                Some(fabric.router(origin).device)
            });
            lost.extend(all.into_iter().filter(|one| Some(*one) != best).map(|one| (one, rd)));
        }
        routes.retain(|route| {
            let (origin, rd) = of(route);
            rd.is_none_or(|rd| !lost.contains(&(origin, rd)))
        });
    }

    /// How far the one route of several VTEPs gets.
    fn together(&self, at: DeviceId, origins: &[DeviceId]) -> Option<(RouterId, Propagated)> {
        let fabric = &self.fabric;
        let here = fabric.devices[at].router?;
        let routers: Vec<RouterId> =
            origins.iter().filter_map(|&origin| fabric.devices[origin].router).collect();
        let among = Passing::between(fabric, here);
        let found =
            self.bgp()
                .passing
                .propagate_among(fabric, Family::Evpn, &routers, None, |to| among[to]);
        Some((here, found))
    }

    /// Tells of received routes which are one to BGP, and which VTEP's that is.
    pub(super) fn join_alike(&self, at: DeviceId, received: &mut [Received]) {
        let fabric = &self.fabric;
        if !self.evpn.instances.shared_distinguisher {
            return;
        }
        let mut alike: FxHashMap<_, SmallVec<[usize; 2]>> = FxHashMap::default();
        for (place, one) in received.iter().enumerate() {
            let Some(rd) = one.route.rd else { continue };
            // RFC 7432 section 7.2: the Ethernet segment is no part of the key of a type 2.
            let kind = match one.route.kind {
                RouteKind::MacIp { mac, ip, .. } => RouteKind::MacIp { mac, ip, esi: None },
                ref other => other.clone(),
            };
            alike.entry((rd, one.route.tag, kind)).or_default().push(place);
        }
        for places in alike.into_values().filter(|places| places.len() > 1) {
            let origins: Vec<DeviceId> =
                places.iter().map(|&place| received[place].origin).collect();
            let Some((here, found)) = self.together(at, &origins) else { continue };
            let offers = self.bgp().passing.received(fabric, Family::Evpn, &found, here, None);
            let best = found.best[here].as_ref();
            for place in places {
                let one = &mut received[place];
                let Some(own) = fabric.devices[one.origin].router else { continue };
                for (path, (_, offer)) in one.paths.iter_mut().zip(&offers) {
                    if offer.as_ref().is_ok_and(|offer| offer.origin != own) && path.1.is_ok() {
                        path.1 = Err(NotPassed::OneOfAlike);
                    }
                }
                if best.is_some_and(|best| best.origin != own) {
                    one.best = None;
                    one.imports.clear();
                    one.refused = Some(NotImported::Apart(Apart::OneOfAlike));
                }
            }
        }
    }
}
