//! What the underlay and BGP of a state answer.

use std::net::IpAddr;

use super::State;
use crate::behaviour::bgp::{NotPassed, Path, Propagated};
use crate::behaviour::underlay::{LostWay, NoRoute, Toward};
use crate::fabric::{DeviceId, InterfaceId, RouterId, SessionId};
use crate::value::{Family, IpPrefix};

impl State {
    /// The routes of all routers to a prefix that is advertised into the underlay, in n log n of links.
    ///
    /// A router prefers what is its own, then what is written, then what BGP says, then OSPF or IS-IS; of
    /// OSPF and IS-IS a path inside the area (RFC 2328 section 11).
    pub fn toward(&self, prefix: IpPrefix) -> Toward {
        self.underlay().toward(&self.fabric, prefix)
    }

    /// The first interface that stops joins of a switch on their way to a rendezvous point (RFC 7761 section 4.2);
    /// none if all of it is routed for multicast, or if there is no way at all.
    pub fn blocks_joins(&self, switch: DeviceId, point: IpAddr) -> Option<InterfaceId> {
        self.underlay().blocks_joins(&self.fabric, switch, point)
    }

    /// Whether a packet from a router gets to an address, and if not why not. Of several ways that are as good
    /// the first is followed.
    ///
    /// # Errors
    ///
    /// Where the packet ends instead.
    pub fn delivers(&self, from: RouterId, address: IpAddr) -> Result<(), NoRoute> {
        self.underlay().delivers(&self.fabric, from, address)
    }

    /// Where the way from a router to an address is lost; none if it gets there.
    pub fn where_lost(&self, from: RouterId, address: IpAddr) -> Option<LostWay> {
        self.underlay().where_lost(&self.fabric, from, address)
    }

    /// The sessions of a router by which a policy, here or there, keeps a prefix from it that the peer has.
    pub fn barred(&self, at: RouterId, prefix: IpPrefix) -> Vec<(SessionId, NotPassed)> {
        self.underlay().barred(&self.fabric, at, prefix)
    }

    /// Whether the routes of one speaker get to another, whatever policies say of single prefixes.
    pub fn routes_reach(&self, family: Family, origin: RouterId, at: RouterId) -> bool {
        self.bgp().reaches(&self.fabric, family, origin, at)
    }

    /// Follows the routes of some origins to all speakers; `prefix` is what policies are asked about.
    pub fn propagate(
        &self,
        family: Family,
        origins: &[RouterId],
        prefix: Option<&IpPrefix>,
    ) -> Propagated {
        self.bgp().passing.propagate(&self.fabric, family, origins, prefix)
    }

    /// What each peer of a speaker offers it of the routes that were followed, or why it doesn't.
    pub fn offers(
        &self,
        family: Family,
        found: &Propagated,
        at: RouterId,
        prefix: Option<&IpPrefix>,
    ) -> Vec<(SessionId, Result<Path, NotPassed>)> {
        self.bgp().passing.received(&self.fabric, family, found, at, prefix)
    }

    /// Where the routes of some origins are lost on their way to a speaker that doesn't have them: the session
    /// by which a peer that has them doesn't pass them on, and why. The nearest first.
    pub fn routes_lost(
        &self,
        family: Family,
        origins: &[RouterId],
        at: RouterId,
    ) -> Option<(SessionId, NotPassed)> {
        self.bgp().passing.where_lost(&self.fabric, family, origins, at, None)
    }
}
