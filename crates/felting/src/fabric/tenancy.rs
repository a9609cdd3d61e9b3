//! What is in each VRF, found once.

use super::{Arenas, DeviceId, Leak, LeakId, OutsideId, PresenceId, StaticRoute, VrfId};
use crate::id::IdVec;

/// What is in one VRF.
#[derive(Clone, Debug, Default)]
pub(crate) struct Tenancy {
    /// Its segments on switches, by switch, on each in their order.
    presences: Vec<(DeviceId, PresenceId)>,
    /// The leaks into it, in the order of the files.
    leaks: Vec<LeakId>,
    /// The VRFs that leak into it, in order.
    leak_from: Vec<VrfId>,
    /// The networks outside that it leads to, in the order of the files.
    outsides: Vec<OutsideId>,
    /// Its static routes by switch, on each by their place in the order of the files.
    static_routes: Vec<(DeviceId, usize)>,
}

impl Tenancy {
    /// Of each VRF of a fabric.
    pub(super) fn of(fabric: &Arenas) -> IdVec<VrfId, Self> {
        let mut all = IdVec::filled(&fabric.vrfs, Self::default());
        for (id, presence) in fabric.presences.iter() {
            if let Some(vrf) = presence.vrf {
                all[vrf.value].presences.push((presence.switch, id));
            }
        }
        for (id, leak) in fabric.leaks.iter() {
            all[leak.to.value].leaks.push(id);
            all[leak.to.value].leak_from.push(leak.from.value);
        }
        for (id, outside) in fabric.outsides.iter() {
            all[outside.vrf.value].outsides.push(id);
        }
        for (place, route) in fabric.static_routes.iter().enumerate() {
            if let Some(vrf) = route.vrf {
                all[vrf.value].static_routes.push((route.device, place));
            }
        }
        for vrf in fabric.vrfs.ids() {
            all[vrf].presences.sort_unstable();
            all[vrf].leak_from.sort_unstable();
            all[vrf].static_routes.sort_unstable();
        }
        all
    }
}

/// Of things by switch those of one.
fn at<T: Copy>(all: &[(DeviceId, T)], switch: DeviceId) -> impl Iterator<Item = T> + '_ {
    let from = all.partition_point(|&(known, _)| known < switch);
    all[from..].iter().take_while(move |&&(known, _)| known == switch).map(|&(_, own)| own)
}

impl Arenas {
    /// The segments of a VRF on one switch.
    pub(crate) fn presences_in(
        &self,
        vrf: VrfId,
        switch: DeviceId,
    ) -> impl Iterator<Item = PresenceId> + '_ {
        at(&self.tenancies[vrf].presences, switch)
    }

    /// The segments of a VRF on all switches, switch by switch.
    pub(crate) fn presences_of_vrf(&self, vrf: VrfId) -> impl Iterator<Item = PresenceId> + '_ {
        self.tenancies[vrf].presences.iter().map(|&(_, presence)| presence)
    }

    /// The leaks into a VRF, in the order of the files.
    pub(crate) fn leaks_to(&self, vrf: VrfId) -> impl Iterator<Item = &Leak> {
        self.tenancies[vrf].leaks.iter().map(|&leak| &self.leaks[leak])
    }

    /// Whether some routes of one VRF are leaked into another.
    pub(crate) fn leaks_into(&self, from: VrfId, to: VrfId) -> bool {
        self.tenancies[to].leak_from.binary_search(&from).is_ok()
    }

    /// The networks outside that a VRF leads to, in the order of the files.
    pub(crate) fn outsides_of(&self, vrf: VrfId) -> &[OutsideId] {
        &self.tenancies[vrf].outsides
    }

    /// The static routes of a VRF on one switch, in the order of the files.
    pub(crate) fn static_routes_in(
        &self,
        vrf: VrfId,
        switch: DeviceId,
    ) -> impl Iterator<Item = &StaticRoute> {
        at(&self.tenancies[vrf].static_routes, switch).map(|place| &self.static_routes[place])
    }
}
