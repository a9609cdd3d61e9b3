//! What is allotted: pool base plus the thing's own number.

use std::net::IpAddr;

use super::made::Made;
use super::things::Things;
use crate::diagnostic::{At, Span};
use crate::fabric::{DeviceId, Exhausted, Pool, PoolId};
use crate::source::Document;
use crate::value::{IpInterface, PoolKind};

impl Made<'_> {
    pub(super) fn pools(&mut self, document: &Document) {
        let mut things = Things::new();
        for statement in &document.pools {
            let Some(name) = &statement.keys.name else { continue };
            let shown = || format!("the pool {}", name.value);
            things.add(name.value.clone(), name.span, statement, None, self.faults, shown);
        }
        for thing in things.order {
            let keys = &thing.layers;
            let Some(gives) = keys.gives().copied() else { continue };
            let on = keys.on().map(|on| self.switches(&on.value.0));
            let pool = Pool {
                name: At::new(thing.name, thing.span),
                gives,
                prefixes: keys.prefix().map(|all| all.value.0.clone()).unwrap_or_default(),
                base: keys.base().copied(),
                last: keys.last().copied(),
                links_per_switch: keys.links_per_switch().value(),
                by: keys.by().value(),
                on,
            };
            self.needs(&pool, thing.span);
            self.fabric.pools.push(pool);
        }
    }

    /// A pool without anything to give from.
    fn needs(&mut self, pool: &Pool, span: Span) {
        let of_addresses = matches!(
            pool.gives.value,
            PoolKind::Links | PoolKind::Loopbacks | PoolKind::Vteps | PoolKind::RouterIds
        );
        let (lacks, key) = match of_addresses {
            true => (pool.prefixes.is_empty(), "prefix"),
            false => (pool.base.is_none(), "base"),
        };
        if lacks {
            let message = format!(
                "the pool {} gives {}, but has no `{key}`",
                pool.name.value, pool.gives.value
            );
            self.faults.add(
                crate::source::FaultKind::MissingKey,
                span,
                message,
                format!("expected `{key}` beside `gives`"),
                format!("add `{key}`, or take the pool out"),
            );
        }
    }

    /// The pools of a kind that are for a switch: those that name it before those for all.
    fn pools_for(&self, kind: PoolKind, switch: Option<DeviceId>) -> Vec<PoolId> {
        let named = |pool: &Pool| switch.is_some_and(|s| pool.on.is_some() && pool.is_for(s));
        let of_kind = || self.fabric.pools.iter().filter(|(_, pool)| pool.gives.value == kind);
        let found: Vec<_> = of_kind().filter(|(_, p)| named(p)).map(|(id, _)| id).collect();
        match found.is_empty() {
            true => of_kind().filter(|(_, p)| p.on.is_none()).map(|(id, _)| id).collect(),
            false => found,
        }
    }

    /// The pool of AS numbers for a switch.
    pub(super) fn as_pool(&self, switch: DeviceId) -> Option<&Pool> {
        let pool = *self.pools_for(PoolKind::AsNumbers, Some(switch)).first()?;
        Some(&self.fabric.pools[pool])
    }

    /// The number that a pool gives: its base and the thing's own.
    pub(super) fn number_from(
        &mut self,
        kind: PoolKind,
        switch: Option<DeviceId>,
        wanted: At<u32>,
        most: u32,
    ) -> Option<At<u32>> {
        let id = *self.pools_for(kind, switch).first()?;
        let pool = &self.fabric.pools[id];
        let last = pool.last.map_or(most, |last| last.get().min(most));
        let given = pool.base?.get().checked_add(wanted.value).filter(|&given| given <= last);
        if given.is_none() {
            self.fabric.exhausted.push(Exhausted { pool: id, wanted, switch });
        }
        given.map(|given| At::new(given, wanted.span))
    }

    /// The addresses that pools give a switch, at most one each of IPv4 and IPv6.
    pub(super) fn addresses_from(
        &mut self,
        kind: PoolKind,
        switch: DeviceId,
        wanted: At<u32>,
    ) -> Vec<At<IpAddr>> {
        let mut given: Vec<At<IpAddr>> = Vec::new();
        for id in self.pools_for(kind, Some(switch)) {
            for prefix in &self.fabric.pools[id].prefixes {
                let family = prefix.address().is_ipv4();
                if given.iter().any(|address| address.is_ipv4() == family) {
                    continue;
                }
                match prefix.nth(wanted.value) {
                    Some(address) => given.push(At::new(address, wanted.span)),
                    None => {
                        let switch = Some(switch);
                        self.fabric.exhausted.push(Exhausted { pool: id, wanted, switch });
                    }
                }
            }
        }
        given.sort_by_key(|address| address.is_ipv6());
        given
    }

    /// The two ends of the link at a place among those of a switch to switches above it: the upper
    /// end has the even address.
    pub(super) fn link_from(
        &mut self,
        lower: DeviceId,
        number: At<u32>,
        place: u16,
    ) -> Vec<[At<IpInterface>; 2]> {
        let mut given: Vec<[At<IpInterface>; 2]> = Vec::new();
        for id in self.pools_for(PoolKind::Links, Some(lower)) {
            let reserve = self.fabric.pools[id].links_per_switch;
            let wanted = number
                .checked_mul(reserve.into())
                .and_then(|first| first.checked_add(place.into()))
                .filter(|_| place < reserve);
            for prefix in &self.fabric.pools[id].prefixes {
                let family = prefix.address().is_ipv4();
                if given.iter().any(|[end, _]| end.address().is_ipv4() == family) {
                    continue;
                }
                match wanted.and_then(|wanted| prefix.link(wanted)) {
                    Some(ends) => given.push(ends.map(|end| At::new(end, number.span))),
                    None => {
                        let exhausted = Exhausted { pool: id, wanted: number, switch: Some(lower) };
                        self.fabric.exhausted.push(exhausted);
                    }
                }
            }
        }
        given
    }
}
