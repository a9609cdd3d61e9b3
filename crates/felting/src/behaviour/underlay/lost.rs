//! Where the way to an address ends: who first doesn't have it, and why.

use std::net::IpAddr;

use smallvec::SmallVec;

use super::{NoRoute, Underlay};
use crate::behaviour::NotPassed;
use crate::fabric::{Fabric, RouterId, SessionId};
use crate::value::{IpPrefix, UnderlayProtocol};

/// Why a router has no way to an address.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum LostWay {
    /// Nobody tells the underlay of it.
    Untold,
    /// A speaker of BGP has it, and the other end of the session doesn't get it.
    NotPassed(SessionId, NotPassed),
    /// The router is in another part of OSPF or IS-IS than who tells of it.
    Parted(RouterId),
    /// A static route leads nowhere.
    Written(RouterId),
    /// Routes lead in a circle, with a static route of this router's to this prefix in it.
    Circle(RouterId, IpPrefix),
    /// No static route leads there, and there is no routing protocol.
    Unwritten(RouterId),
}

impl Underlay {
    /// Where the way from a router to an address is lost; none if it gets there.
    pub(in crate::behaviour) fn where_lost(
        &self,
        fabric: &Fabric,
        from: RouterId,
        address: IpAddr,
    ) -> Option<LostWay> {
        let at = match self.delivers(fabric, from, address) {
            Ok(()) => return None,
            Err(NoRoute::Circle(at, to)) => return Some(LostWay::Circle(at, to)),
            Err(NoRoute::Down(at)) => return Some(LostWay::Written(at)),
            Err(NoRoute::Unknown(at)) => at,
        };
        let host = IpPrefix::host(address);
        let told = self.origins.around(host).find_map(|prefix| {
            let origins: SmallVec<[RouterId; 2]> =
                self.origins(&prefix).iter().map(|origin| origin.router).collect();
            (!origins.is_empty()).then_some((prefix, origins))
        });
        let runs = |router: RouterId| {
            let protocol = fabric.router(router).protocol.map(|protocol| protocol.value);
            protocol.filter(|&protocol| protocol != UnderlayProtocol::None)
        };
        let Some((prefix, origins)) = told else {
            return Some(if runs(at).is_some() { LostWay::Untold } else { LostWay::Unwritten(at) });
        };
        if self.bgp.is_used() {
            let family = prefix.family();
            let lost = self.bgp.passing.where_lost(fabric, family, &origins, at, Some(&prefix));
            if let Some((session, why)) = lost {
                return Some(LostWay::NotPassed(session, why));
            }
        }
        Some(if runs(at).is_some() { LostWay::Parted(at) } else { LostWay::Unwritten(at) })
    }

    /// The sessions of a router by which a policy, here or there, keeps a prefix from it that the peer has.
    pub(in crate::behaviour) fn barred(
        &self,
        fabric: &Fabric,
        at: RouterId,
        prefix: IpPrefix,
    ) -> Vec<(SessionId, NotPassed)> {
        if !self.bgp.is_used() {
            return Vec::new();
        }
        let origins: SmallVec<[RouterId; 2]> =
            self.origins(&prefix).iter().map(|origin| origin.router).collect();
        let found = self.bgp.passing.propagate(fabric, prefix.family(), &origins, Some(&prefix));
        let offers = self.bgp.passing.received(fabric, prefix.family(), &found, at, Some(&prefix));
        let barred = offers.into_iter().filter_map(|(session, offer)| match offer {
            Err(why @ (NotPassed::Exported(_) | NotPassed::Imported)) => Some((session, why)),
            _ => None,
        });
        barred.collect()
    }
}
