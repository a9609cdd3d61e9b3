//! How BGP passes routes on: RFC 4271 and, for reflectors, RFC 4456.
//!
//! Routes that one speaker originates in one family are passed on alike, so what is computed is how
//! far they get, not each route. [`Bgp::propagate`] follows them to every speaker and is asked for one
//! origin at a time; what is known of all origins is worked out for those that nothing tells apart (`alike`).

mod alike;
mod beneath;
mod classes;
mod ends;
mod next_hop;
mod passing;
mod path;
mod settle;

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;

use super::session::{Outcomes, SessionOutcome, speaks};
use crate::diagnostic::At;
use crate::fabric::{DeviceId, Fabric, PolicyName, RouterId, SessionId};
use crate::id::{Id, Later};
use crate::value::{Family, IpPrefix};
pub(super) use alike::Asked;
use alike::Spread;
use classes::Classes;
use next_hop::{NextHop, Ways};
pub(crate) use next_hop::{address_of, next_hop_rule};
pub(crate) use passing::Passing;
pub(crate) use path::Verdict;
pub use path::{Learned, NotPassed, Path, Propagated};

/// What became of all sessions, and how far routes get over them.
#[derive(Clone, Debug, Default)]
pub struct Bgp {
    pub(super) passing: Passing,
    classes: Later<Classes>,
    /// For each family that some session carries.
    spread: Vec<(Family, Spread)>,
    /// Whether a written policy is asked, so that prefixes differ in how far they get.
    by_prefix: bool,
}

/// Who hears which prefix of whom, as far as it has been asked.
#[derive(Debug, Default)]
pub(crate) struct Heard(FxHashMap<(RouterId, IpPrefix), Vec<bool>>);

impl Bgp {
    /// The switches that have ends of sessions for a family, none of which carries it.
    pub(super) fn without_any(&self, fabric: &Fabric, family: Family) -> BTreeSet<DeviceId> {
        let ends = |router: &crate::fabric::Router| {
            let meant = |session: &SessionId| {
                fabric.session(*session).families.iter().any(|own| own.value == family)
            };
            router.sessions.iter().filter(meant).collect::<Vec<_>>()
        };
        let routers = fabric.routers().filter(|(_, router)| {
            let own = ends(router);
            !own.is_empty() && own.iter().all(|&id| !self.passing.outcomes[id].carries(family))
        });
        routers.map(|(_, router)| router.device).collect()
    }

    fn of(
        fabric: &Fabric,
        outcomes: Outcomes,
        families: &[Family],
        ways: Ways,
        asked: Asked,
    ) -> Self {
        let written = |names: &[At<PolicyName>]| {
            names.iter().any(|name| matches!(name.value, PolicyName::Policy(_)))
        };
        let by_prefix = fabric.sessions.values().any(|s| written(&s.import) || written(&s.export));
        let used = |family: Family| outcomes.values().any(|outcome| outcome.carries(family));
        let families: Vec<Family> = families.iter().copied().filter(|&f| used(f)).collect();
        let passing = Passing { outcomes, ways, kinds: Later::default() };
        let spread = families.into_iter().map(|f| (f, Spread::of(fabric, asked))).collect();
        Self { passing, classes: Later::default(), spread, by_prefix }
    }

    fn classes(&self, fabric: &Fabric) -> &Classes {
        self.classes.or(|| match self.is_used() {
            true => Classes::of(fabric, &self.passing),
            false => Classes::default(),
        })
    }

    /// The class of a speaker, where BGP has any say.
    pub(super) fn class_of(&self, fabric: &Fabric, router: RouterId) -> Option<u32> {
        self.is_used().then(|| self.classes(fabric).of[router])
    }

    /// Whether a speaker of EVPN has no way to what another originates, whoever tells it.
    pub(super) fn has_no_way(&self, fabric: &Fabric, at: RouterId, origin: RouterId) -> bool {
        let outcomes = &self.passing.outcomes;
        [at, origin].into_iter().all(|one| speaks(fabric, outcomes, one, Family::Evpn))
            && self.passing.lacks(fabric, at, NextHop::Speaker(origin))
    }

    /// What became of a session.
    pub fn session(&self, session: SessionId) -> &SessionOutcome {
        &self.passing.outcomes[session]
    }

    /// Whether a speaker is among the first three of those that behave equally.
    pub(crate) fn stands_for_others(&self, fabric: &Fabric, router: RouterId) -> bool {
        let class = self.class_of(fabric, router);
        let members = |class: u32| &self.classes(fabric).members[class as usize];
        class.is_none_or(|class| members(class).contains(&router))
    }

    pub(crate) fn is_used(&self) -> bool {
        !self.spread.is_empty()
    }

    /// The first speaker of each class.
    pub(crate) fn speakers(&self, fabric: &Fabric) -> Vec<RouterId> {
        self.classes(fabric).members.iter().filter_map(|members| members.first().copied()).collect()
    }

    /// How far routes of a family get, if some session carries it.
    fn spread(&self, family: Family) -> Option<&Spread> {
        self.spread.iter().find(|(known, _)| *known == family).map(|(_, spread)| spread)
    }

    /// What becomes of a speaker's routes at another, if they get there.
    pub(crate) fn verdict(
        &self,
        fabric: &Fabric,
        family: Family,
        origin: RouterId,
        at: RouterId,
    ) -> Option<Verdict> {
        self.spread(family)?.verdict(fabric, &self.passing, family, origin, at)
    }

    /// The colour of a speaker in a family: those of one colour have sessions set alike with as many of each colour.
    pub(super) fn colour(&self, fabric: &Fabric, family: Family, router: RouterId) -> Option<u32> {
        Some(self.spread(family)?.colour(fabric, &self.passing, family, router))
    }

    /// The speakers that a speaker's routes may reach otherwise than others of their colour, in order, each with a
    /// number for those that they reach alike; none if each may be reached otherwise.
    pub(super) fn told_apart_by(
        &self,
        fabric: &Fabric,
        family: Family,
        origin: RouterId,
    ) -> Option<Vec<(RouterId, u32)>> {
        let Some(spread) = self.spread(family) else { return Some(Vec::new()) };
        // What policies make of single prefixes may part those whose choice it changes.
        if self.by_prefix { None } else { spread.split_by(fabric, &self.passing, family, origin) }
    }

    /// Whether the routes of one speaker get to another, whatever policies say of single prefixes.
    pub(in crate::behaviour) fn reaches(
        &self,
        fabric: &Fabric,
        family: Family,
        origin: RouterId,
        at: RouterId,
    ) -> bool {
        origin == at || self.verdict(fabric, family, origin, at).is_some()
    }

    /// Whether a speaker gets a prefix that another originates. Where written policies are asked, each
    /// prefix is followed by itself, once for all that `heard` is passed to.
    pub(crate) fn hears(
        &self,
        fabric: &Fabric,
        family: Family,
        at: RouterId,
        origin: RouterId,
        prefix: &IpPrefix,
        heard: &mut Heard,
    ) -> bool {
        if !self.by_prefix && self.passing.tells(fabric, family, origin, at) {
            return true;
        }
        if self.verdict(fabric, family, origin, at).is_none() {
            return false;
        }
        !self.by_prefix
            || heard.0.entry((origin, *prefix)).or_insert_with(|| {
                let found = self.passing.propagate(fabric, family, &[origin], Some(prefix));
                found.best.values().map(Option::is_some).collect()
            })[at.index()]
    }
}
