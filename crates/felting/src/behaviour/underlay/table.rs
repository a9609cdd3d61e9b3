//! Which route a router uses for an address, and where packets to it end.

use std::net::IpAddr;

use smallvec::SmallVec;

use super::{NoRoute, Origin, Underlay};
use crate::behaviour::bgp::Heard;
use crate::fabric::{Fabric, RouterId, StaticRoute, Via, WanId};
use crate::id::IdVec;
use crate::value::IpPrefix;

/// A router's route for an address.
#[derive(Clone, Debug)]
pub(super) enum Used {
    /// Static routes of one length that are as good, each with the router that it leads to.
    Written(u8, SmallVec<[Way; 2]>),
    /// What a protocol tells, and who tells it.
    Told(IpPrefix, Origin),
}

/// Where a static route leads.
#[derive(Clone, Copy, Debug)]
pub(super) struct Way {
    pub(super) via: Via,
    pub(super) to: RouterId,
    pub(super) wan: Option<WanId>,
}

/// Whether a static route may be in the table: its WAN path is up, and not slower than the route allows.
pub(super) fn is_used(fabric: &Fabric, route: &StaticRoute, wans: &IdVec<WanId, bool>) -> bool {
    let Via::Wan(wan) = route.via.value else { return true };
    wans[wan] && !route.is_beyond(fabric.wan(wan))
}

impl Underlay {
    /// Whether a packet from a router gets to an address, and if not why not. Of several ways that are as good
    /// the first is followed.
    pub(in crate::behaviour) fn delivers(
        &self,
        fabric: &Fabric,
        from: RouterId,
        address: IpAddr,
    ) -> Result<(), NoRoute> {
        self.delivers_as(fabric, from, address, &mut Heard::default())
    }

    /// As [`delivers`](Self::delivers), for many questions that share what policies let pass.
    pub(crate) fn delivers_as(
        &self,
        fabric: &Fabric,
        from: RouterId,
        address: IpAddr,
        heard: &mut Heard,
    ) -> Result<(), NoRoute> {
        self.leads_to(fabric, from, address, heard).map(|_| ())
    }

    /// The router at which a packet to an address ends, and the WAN paths that it takes.
    pub(crate) fn leads_to(
        &self,
        fabric: &Fabric,
        from: RouterId,
        address: IpAddr,
        heard: &mut Heard,
    ) -> Result<(RouterId, SmallVec<[WanId; 1]>), NoRoute> {
        let mut at = from;
        let mut wans = SmallVec::new();
        let mut passed: SmallVec<[RouterId; 8]> = SmallVec::new();
        loop {
            if fabric.has_address(at, address) {
                return Ok((at, wans));
            }
            if let Some(end) = self.connected(fabric, at, address) {
                return Ok((end, wans));
            }
            if let Some(start) = passed.iter().position(|&before| before == at) {
                return Err(self.circle(fabric, &passed[start..], address, heard));
            }
            passed.push(at);
            at = match self.used(fabric, at, address, heard)? {
                Used::Written(_, ways) => {
                    wans.extend(ways[0].wan);
                    ways[0].to
                }
                Used::Told(_, origin) if origin.router == at => return Err(NoRoute::Unknown(at)),
                Used::Told(prefix, origin) => {
                    match self.has_written(fabric, origin.router, address, prefix.length()) {
                        false => origin.router,
                        // Another router on the way may send it elsewhere: each is asked in turn.
                        true => {
                            let toward = self.toward(fabric, prefix);
                            let route = toward.routes[at].as_ref();
                            let hop = route.and_then(|route| route.hops.first());
                            hop.ok_or(NoRoute::Unknown(at))?.to
                        }
                    }
                }
            };
        }
    }

    /// The WAN paths by which a router itself sends on what is for an address; empty if it sends it elsewhere.
    ///
    /// # Errors
    ///
    /// That it has no route to it.
    pub(crate) fn wans_toward(
        &self,
        fabric: &Fabric,
        at: RouterId,
        address: IpAddr,
    ) -> Result<SmallVec<[WanId; 2]>, NoRoute> {
        Ok(match self.used(fabric, at, address, &mut Heard::default())? {
            Used::Written(_, ways) => ways.iter().filter_map(|way| way.wan).collect(),
            Used::Told(..) => SmallVec::new(),
        })
    }

    /// Whether what is told of some prefix is sent elsewhere by a static route of a router on the way, so that it
    /// matters by whom a packet goes.
    pub(super) fn diverts(&self, fabric: &Fabric) -> bool {
        fabric.static_routes.iter().filter(|route| route.vrf.is_none()).any(|route| {
            self.origins.around(route.to.value).any(|prefix| {
                let mut origins = self.origins(&prefix).iter();
                origins.any(|origin| fabric.router(origin.router).device != route.device)
            })
        })
    }

    /// What routers say that send a packet in a circle: shortest paths don't, so that a static route is in it.
    fn circle(
        &self,
        fabric: &Fabric,
        routers: &[RouterId],
        address: IpAddr,
        heard: &mut Heard,
    ) -> NoRoute {
        let host = IpPrefix::host(address);
        let written = routers.iter().find_map(|&at| match self.used(fabric, at, address, heard) {
            Ok(Used::Written(length, _)) => Some(NoRoute::Circle(at, host.shortened(length))),
            _ => None,
        });
        written.unwrap_or(NoRoute::Circle(routers[0], host))
    }

    /// Whether a router but for one has a static route for an address that comes before a prefix of that length.
    fn has_written(&self, fabric: &Fabric, but: RouterId, address: IpAddr, length: u8) -> bool {
        let but = fabric.router(but).device;
        let routes = fabric.written.for_address(IpPrefix::host(address));
        let mut routes = routes.map(|at| &fabric.static_routes[at]);
        routes.any(|route| {
            route.device != but && route.to.length() >= length && is_used(fabric, route, &self.wans)
        })
    }

    /// The route that a router uses for an address: of the longest prefix, and of one length what is written before
    /// what is told. A static route that leads nowhere is in no table.
    ///
    /// # Errors
    ///
    /// That it has none, or static routes alone that lead nowhere.
    pub(super) fn used(
        &self,
        fabric: &Fabric,
        at: RouterId,
        address: IpAddr,
        heard: &mut Heard,
    ) -> Result<Used, NoRoute> {
        let told = self.longest(fabric, at, address, heard);
        let device = fabric.router(at).device;
        let written = fabric.written.at(device, IpPrefix::host(address));
        let written: SmallVec<[&StaticRoute; 2]> = written
            .map(|at| &fabric.static_routes[at])
            .take_while(|route| told.is_none_or(|(known, _)| route.to.length() >= known.length()))
            .collect();
        let mut failed = NoRoute::Unknown(at);
        for alike in written.chunk_by(|a, b| a.to.length() == b.to.length()) {
            let mut ways = SmallVec::new();
            for route in alike {
                match self.way(fabric, at, route, heard) {
                    Ok(way) => ways.push(way),
                    Err(why) => failed = why,
                }
            }
            if !ways.is_empty() {
                return Ok(Used::Written(alike[0].to.length(), ways));
            }
        }
        told.map(|(prefix, origin)| Used::Told(prefix, origin)).ok_or(failed)
    }

    /// Where a static route leads.
    pub(super) fn way(
        &self,
        fabric: &Fabric,
        at: RouterId,
        route: &StaticRoute,
        heard: &mut Heard,
    ) -> Result<Way, NoRoute> {
        let via = route.via.value;
        let (to, wan) = match via {
            Via::Wan(wan) => {
                let [a, b] = fabric.wan(wan).ends.map(|end| fabric.port(end.value).device);
                let here = fabric.routers[at].device;
                let there = if a == here { b } else { a };
                let used = is_used(fabric, route, &self.wans) && (a == here || b == here);
                let router = fabric.devices[there].router.filter(|_| used);
                (router.ok_or(NoRoute::Down(at))?, Some(wan))
            }
            Via::Device(device) => {
                let router = fabric.devices[device].router;
                let near = router.filter(|&router| self.link_to(fabric, at, router).is_some());
                (near.ok_or(NoRoute::Down(at))?, None)
            }
            Via::Address(address) => {
                let told = || self.longest(fabric, at, address, heard).map(|(_, o)| o.router);
                let to = self.connected(fabric, at, address).or_else(told);
                (to.ok_or(NoRoute::Down(at))?, None)
            }
        };
        Ok(Way { via, to, wan })
    }
}
