//! Who is meant to reach whom, and does not.
//!
//! Endpoints of one segment are meant to reach each other, and their gateways; those that have a gateway are meant to
//! reach the other segments of its VRF, and what it leads to outside. Not every pair is walked: of those that hang
//! and are set alike one walks to some of each kind that it is meant to reach, which shows what it has lost.

use std::collections::BTreeSet;
use std::net::IpAddr;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;
use smol_str::SmolStr;

use super::alike::{Hanging, Switches};
use super::asked::Options;
use super::walked::Walk;
use super::walker::Walker;
use crate::behaviour::State;
use crate::fabric::{
    DeviceId, EndpointId, Fabric, OutsideId, PresenceId, SegmentId, Terminal, VrfId,
};
use crate::value::{GatewayKind, IpPrefix, VlanId};

/// What endpoints that do not reach what they are meant to reach have lost.
#[derive(Debug, Default)]
pub(crate) struct Unreached {
    groups: Vec<Group>,
    /// The walks that do not arrive.
    pub(crate) lost: Vec<Lost>,
    /// Whether only some endpoints were walked.
    pub(crate) is_partial: bool,
}

/// A walk that does not arrive, though it is meant to.
#[derive(Debug)]
pub(crate) struct Lost {
    group: usize,
    /// The group that it was to reach, if it was to reach an endpoint.
    to: Option<usize>,
    pub(crate) walk: Walk,
}

/// Endpoints that hang alike, and are set alike.
#[derive(Debug)]
struct Group {
    members: Vec<EndpointId>,
    meant: SmallVec<[Meant; 2]>,
    switches: Switches,
    /// How many walks of it were tried.
    tried: usize,
}

/// What the endpoints of a group are meant to reach by one IP version.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
struct Meant {
    is_ipv4: bool,
    place: Place,
    /// What routes for it, if something is meant to.
    routed: Option<Routed>,
}

/// Where endpoints meet without a router.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
enum Place {
    Segment(SegmentId),
    /// The hosts' networks of one name in which they have one subnet, where no segment has it.
    Network(SmolStr, IpPrefix),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
enum Routed {
    Vrf(VrfId),
    /// The own table of a switch.
    Switch(DeviceId),
}

/// Of more groups that nothing told is about, as many are walked that lie evenly among them.
const MOST_GROUPS: usize = 256;

/// So many of those that something told is about are walked.
const MOST_NEAR: usize = 1 << 11;

/// To so many other groups of its segment, and segments of its VRF, a group is walked.
const SOME: usize = 3;

/// Who loses so much of what another loses is hit like that: four fifths.
const NEARLY: (usize, usize) = (4, 5);

impl Unreached {
    /// What the endpoints of a state have lost of what they are meant to reach. What they reach with nothing down is
    /// not asked for: that they lost to what is down. In a large fabric those are walked that are near what has been
    /// told, by the names that it is about, and of the others some.
    pub(crate) fn of(state: &State, whole: Option<&State>, told: &FxHashSet<&str>) -> Self {
        let fabric = state.fabric();
        if fabric.endpoints().len() == 0 {
            return Self::default();
        }
        let mut asked = Asked::of(state);
        let chosen = asked.chosen(fabric, told);
        let is_partial = chosen.len() < asked.groups.len();
        let walked = |share: &[(usize, Terminal, Terminal)]| {
            let mut walker = Walker::new(state);
            let mut before = whole.map(Walker::new);
            let all = share.iter().filter_map(|&(group, from, to)| {
                let walk = walker.walk(from, to, Options::ALL).ok().filter(|one| !one.arrives())?;
                let arrived = before.as_mut().is_some_and(|walker| {
                    walker.walk(from, to, Options::ALL).is_ok_and(|walk| walk.arrives())
                });
                let to = walk.to.endpoint().and_then(|to| asked.group_of.get(&to).copied());
                (!arrived).then_some(Lost { group, to, walk })
            });
            all.collect::<Vec<_>>()
        };
        let wanted: Vec<_> = chosen
            .par_iter()
            .flat_map_iter(|&group| {
                asked.partners(fabric, group).into_iter().map(move |(a, b)| (group, a, b))
            })
            .collect();
        let share = wanted.len().div_ceil(4 * rayon::current_num_threads()).max(1);
        let lost: Vec<Lost> = wanted.par_chunks(share).flat_map_iter(walked).collect();
        for (group, _, _) in &wanted {
            asked.groups[*group].tried += 1;
        }
        Self { groups: asked.groups, lost, is_partial }
    }

    /// What is behind each walk that does not arrive, if what is behind some of them is known: where nothing of its own
    /// is, what keeps one of its ends from others.
    pub(crate) fn with_others(&self, mut causes: Vec<Option<usize>>) -> Vec<Option<usize>> {
        // By how many walks each cause keeps a group from others.
        let mut known: FxHashMap<usize, FxHashMap<usize, usize>> = FxHashMap::default();
        for (lost, cause) in self.lost.iter().zip(&causes) {
            let Some(cause) = cause else { continue };
            for group in std::iter::once(lost.group).chain(lost.to) {
                *known.entry(group).or_default().entry(*cause).or_default() += 1;
            }
        }
        for (lost, cause) in self.lost.iter().zip(&mut causes) {
            if cause.is_none() {
                let of = std::iter::once(lost.group).chain(lost.to);
                let all = of.filter_map(|group| known.get(&group)).flatten();
                let most = all.max_by_key(|&(&cause, &count)| (count, std::cmp::Reverse(cause)));
                *cause = most.map(|(&cause, _)| cause);
            }
        }
        causes
    }

    /// Who is hit, whatever it is by.
    pub(crate) fn cut_off(&self) -> Vec<EndpointId> {
        let mut whom = self.whom(&vec![Some(0); self.lost.len()]);
        whom.remove(&0).unwrap_or_default()
    }

    /// Whom each of some causes hits, of which one or none is behind each walk that does not arrive: the fewest without
    /// whom nothing would be lost, those first that lose the largest part of what they are meant to reach.
    pub(crate) fn whom(&self, causes: &[Option<usize>]) -> FxHashMap<usize, Vec<EndpointId>> {
        let mut by: FxHashMap<usize, Vec<&Lost>> = FxHashMap::default();
        for (lost, cause) in self.lost.iter().zip(causes) {
            if let Some(cause) = cause {
                by.entry(*cause).or_default().push(lost);
            }
        }
        let whom = by.into_iter().map(|(cause, lost)| {
            let groups = self.cover(lost);
            let members = groups.iter().flat_map(|&group| &self.groups[group].members);
            let mut members: Vec<EndpointId> = members.copied().collect();
            members.sort_unstable();
            (cause, members)
        });
        whom.collect()
    }

    /// The groups at an end of each of some walks, those first that lose the largest part.
    fn cover(&self, mut lost: Vec<&Lost>) -> BTreeSet<usize> {
        let mut found = BTreeSet::new();
        while !lost.is_empty() {
            let mut counts: FxHashMap<usize, usize> = FxHashMap::default();
            for one in &lost {
                *counts.entry(one.group).or_default() += 1;
            }
            // Parts are compared without fractions: count of one times tried of the other.
            let most = counts.iter().max_by(|a, b| {
                (a.1 * self.groups[*b.0].tried).cmp(&(b.1 * self.groups[*a.0].tried))
            });
            let Some((&most, &count)) = most else { break };
            let of_most = self.groups[most].tried;
            let hit = counts.iter().filter(|&(&group, &own)| {
                own * of_most * NEARLY.1 >= count * self.groups[group].tried * NEARLY.0
            });
            let hit: Vec<usize> = hit.map(|(&group, _)| group).collect();
            found.extend(hit);
            lost.retain(|one| {
                let is_in = |group: usize| found.contains(&group);
                !is_in(one.group) && !one.to.is_some_and(is_in)
            });
        }
        found
    }
}

/// What is asked: groups, and what they are meant to reach.
struct Asked {
    groups: Vec<Group>,
    /// The groups that meet at a place, by IP version.
    places: FxHashMap<(bool, Place), Vec<usize>>,
    /// The places that are routed together.
    routed: FxHashMap<(bool, Routed), Vec<Place>>,
    group_of: FxHashMap<EndpointId, usize>,
    gateways: FxHashMap<(SegmentId, bool), (PresenceId, IpAddr)>,
    outsides: FxHashMap<VrfId, Vec<OutsideId>>,
}

/// What the endpoints of a group have in common.
#[derive(PartialEq, Eq, Hash)]
struct Alike {
    hangs: u32,
    meant: SmallVec<[Meant; 2]>,
    tag: Option<VlanId>,
    prefixes: SmallVec<[IpPrefix; 2]>,
    gateways: SmallVec<[IpAddr; 2]>,
    mtu: Option<u32>,
    /// Who shares an address is like nobody.
    odd: Option<EndpointId>,
}

impl Asked {
    fn of(state: &State) -> Self {
        let fabric = state.fabric();
        let mut hanging = Hanging::default();
        let mut asked = Self {
            groups: Vec::new(),
            places: FxHashMap::default(),
            routed: FxHashMap::default(),
            group_of: FxHashMap::default(),
            gateways: gateways(fabric),
            outsides: FxHashMap::default(),
        };
        for (id, outside) in fabric.outsides() {
            asked.outsides.entry(outside.vrf.value).or_default().push(id);
        }
        let mut known_place: FxHashSet<(bool, Routed, Place)> = FxHashSet::default();
        let mut known: FxHashMap<Alike, usize> = FxHashMap::default();
        for (id, endpoint) in fabric.endpoints() {
            let meant = asked.meant(state, id);
            if meant.is_empty() {
                continue;
            }
            let (hangs, switches) = hanging.of(state, id);
            let shares = |address: IpAddr| fabric.endpoints_with(address).len() > 1;
            let alike = Alike {
                hangs,
                meant: meant.clone(),
                tag: endpoint.tag.map(|tag| tag.value),
                prefixes: endpoint.addresses.iter().map(|address| address.subnet()).collect(),
                gateways: endpoint.gateways.iter().map(|gateway| gateway.value).collect(),
                mtu: endpoint.mtu.map(|mtu| mtu.value.get()),
                odd: endpoint.addresses.iter().any(|own| shares(own.address())).then_some(id),
            };
            let next = asked.groups.len();
            let group = *known.entry(alike).or_insert(next);
            if group == next {
                for one in &meant {
                    let key = (one.is_ipv4, one.place.clone());
                    asked.places.entry(key).or_default().push(group);
                    let Some(routed) = one.routed else { continue };
                    if known_place.insert((one.is_ipv4, routed, one.place.clone())) {
                        let places = asked.routed.entry((one.is_ipv4, routed)).or_default();
                        places.push(one.place.clone());
                    }
                }
                asked.groups.push(Group { members: Vec::new(), meant, switches, tried: 0 });
            }
            asked.groups[group].members.push(id);
            asked.group_of.insert(id, group);
        }
        asked
    }

    /// The groups that are walked.
    fn chosen(&self, fabric: &Fabric, told: &FxHashSet<&str>) -> Vec<usize> {
        let all = 0..self.groups.len();
        if self.groups.len() <= MOST_GROUPS {
            return all.collect();
        }
        let is_near = |group: &usize| {
            let group = &self.groups[*group];
            let named = |device: DeviceId| told.contains(fabric.device_name(device));
            group.switches.iter().any(|&switch| named(switch))
                || group.members.iter().take(SOME).any(|&member| {
                    let endpoint = fabric.endpoint(member);
                    named(endpoint.host.value) || told.contains(endpoint.name.as_str())
                })
                || group.meant.iter().any(|meant| match meant.place {
                    Place::Segment(id) => told.contains(fabric.segment(id).name.as_str()),
                    Place::Network(..) => false,
                })
        };
        let mut chosen: BTreeSet<usize> = match told.is_empty() {
            true => BTreeSet::new(),
            false => all.clone().filter(is_near).take(MOST_NEAR).collect(),
        };
        chosen.extend(all.step_by(self.groups.len().div_ceil(MOST_GROUPS)));
        chosen.into_iter().collect()
    }

    /// What an endpoint is meant to reach, by each IP version.
    fn meant(&self, state: &State, id: EndpointId) -> SmallVec<[Meant; 2]> {
        let fabric = state.fabric();
        let endpoint = fabric.endpoint(id);
        let mut found: SmallVec<[Meant; 2]> = SmallVec::new();
        for own in &endpoint.addresses {
            let is_ipv4 = own.address().is_ipv4();
            if found.iter().any(|one| one.is_ipv4 == is_ipv4) {
                continue;
            }
            let mut segments: SmallVec<[SegmentId; 2]> =
                fabric.segments_with(own.address()).map(|(_, segment)| segment).collect();
            if segments.len() > 1 {
                let real = state.segments_of(id);
                segments.retain(|segment| real.contains(segment));
            }
            let place = match &segments[..] {
                [segment] => Place::Segment(*segment),
                [] if fabric.segments_with(own.address()).next().is_none() => {
                    let Some(network) = state.network_of(id) else { continue };
                    Place::Network(fabric.network(network).name.value.clone(), own.subnet())
                }
                _ => continue,
            };
            let routed = match place {
                Place::Segment(segment) => self.routed(fabric, id, segment, is_ipv4),
                Place::Network(..) => None,
            };
            found.push(Meant { is_ipv4, place, routed });
        }
        found
    }

    /// What routes for an endpoint in a segment: nothing where one of the two has no gateway.
    fn routed(
        &self,
        fabric: &Fabric,
        id: EndpointId,
        segment: SegmentId,
        is_ipv4: bool,
    ) -> Option<Routed> {
        let (presence, gateway) = *self.gateways.get(&(segment, is_ipv4))?;
        // Where one switch of many routes for a tunnelled segment, what others do with its packets is their matter.
        let is_anycast = fabric.settings_at(presence).gateway_kind.value == GatewayKind::Anycast;
        if !is_anycast && fabric.presence(presence).vni.is_some() {
            return None;
        }
        let own = &fabric.endpoint(id).gateways;
        let mut alike = own.iter().filter(|own| own.value.is_ipv4() == is_ipv4);
        // Who sends to a machine that routes is meant to reach what that leads to.
        let elsewhere = |own: IpAddr| own != gateway && !fabric.endpoints_with(own).is_empty();
        if alike.any(|own| elsewhere(own.value)) {
            return None;
        }
        let at = fabric.segment(segment);
        match at.vrf {
            Some(vrf) => Some(Routed::Vrf(vrf.value)),
            None => {
                let none = at.presences.iter().all(|id| fabric.presence(id).vrf.is_none());
                none.then(|| Routed::Switch(fabric.presence(presence).switch))
            }
        }
    }

    /// The walks of a group that are meant to arrive.
    fn partners(&self, fabric: &Fabric, group: usize) -> Vec<(Terminal, Terminal)> {
        let mut walks = Vec::new();
        let own = &self.groups[group];
        let first = own.members[0];
        let host = |id: EndpointId| fabric.endpoint(id).host.value;
        let member = |at: usize| {
            self.groups[at].members.iter().copied().find(|&member| host(member) != host(first))
        };
        let shares = |at: &usize| {
            self.groups[*at].switches.iter().any(|switch| own.switches.contains(switch))
        };
        for meant in &own.meant {
            let address = |id: EndpointId| {
                let own = fabric.endpoint(id).addresses.iter().map(|own| own.address());
                own.into_iter().find(|own| own.is_ipv4() == meant.is_ipv4)
            };
            let of = |id: EndpointId| Terminal::Endpoint(id, address(id));
            let mut add = |to: Terminal| walks.push((of(first), to));
            let beside = &self.places[&(meant.is_ipv4, meant.place.clone())];
            // Some elsewhere, one on the same switches, and one that hangs alike.
            let others = || after(beside, &group).copied();
            let apart = others().filter(|at| !shares(at)).take(SOME);
            let near = others().find(|at| shares(at));
            let all = apart.chain(near).chain(std::iter::once(group));
            all.filter_map(member).for_each(|to| add(of(to)));
            if let Place::Segment(segment) = meant.place
                && let Some(&(presence, gateway)) = self.gateways.get(&(segment, meant.is_ipv4))
                && meant.routed.is_some()
                && fabric.settings_at(presence).gateway_kind.value == GatewayKind::Anycast
            {
                add(Terminal::Gateway(presence, gateway));
            }
            let Some(routed) = meant.routed else { continue };
            for place in after(&self.routed[&(meant.is_ipv4, routed)], &meant.place).take(SOME) {
                let there = &self.places[&(meant.is_ipv4, place.clone())];
                let apart = there.iter().copied().find(|at| !shares(at));
                let near = there.iter().copied().find(shares);
                apart.into_iter().chain(near).filter_map(member).for_each(|to| add(of(to)));
            }
            let Routed::Vrf(vrf) = routed else { continue };
            for &id in self.outsides.get(&vrf).into_iter().flatten() {
                let prefixes = fabric.outside(id).prefixes.iter().map(|prefix| prefix.value);
                let mut samples = prefixes.filter_map(|prefix| fabric.sample(&prefix));
                if let Some(sample) = samples.find(|one| one.is_ipv4() == meant.is_ipv4) {
                    add(Terminal::Outside(id, sample));
                }
            }
        }
        walks
    }
}

/// What comes after one of a list, all around it.
fn after<'l, T: PartialEq>(list: &'l [T], one: &T) -> impl Iterator<Item = &'l T> + use<'l, T> {
    let at = list.iter().position(|other| other == one).unwrap_or(0);
    list.iter().cycle().skip(at + 1).take(list.len().saturating_sub(1))
}

/// The gateway of each segment by each IP version, and a switch that has it.
fn gateways(fabric: &Fabric) -> FxHashMap<(SegmentId, bool), (PresenceId, IpAddr)> {
    let mut found = FxHashMap::default();
    for (id, presence) in fabric.presences() {
        for gateway in &fabric.settings_at(id).gateways {
            let key = (presence.segment, gateway.value.is_ipv4());
            found.entry(key).or_insert((id, gateway.value));
        }
    }
    found
}

/// Whether endpoints are meant to reach what they do not, whatever explains it.
#[cfg(test)]
mod tests {
    use super::*;
    use crate::fabric::Condition;
    use crate::progress::Progress;

    fn lost(text: &str) -> Vec<String> {
        let fabric = Fabric::from_text("f.toml", text);
        let state = State::of(&fabric, &Condition::default(), &Progress::default());
        let unreached = Unreached::of(&state, None, &FxHashSet::default());
        let name = |terminal| fabric.terminal_name(terminal);
        unreached
            .lost
            .iter()
            .map(|lost| format!("{} to {}", name(lost.walk.from), name(lost.walk.to)))
            .collect()
    }

    #[test]
    fn endpoints_of_one_network_are_meant_to_reach_each_other() {
        let rule = crate::rules::find("expect-failed").unwrap();
        assert_eq!(lost(rule.broken), ["lathe to saw", "saw to lathe"]);
        assert!(lost(&rule.mended()).is_empty());
    }
}
