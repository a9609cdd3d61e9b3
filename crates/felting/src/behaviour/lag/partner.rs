//! Whom each LAG leads to, and what is wrong where that is not one far LAG.

use rustc_hash::FxHashMap;
use smallvec::{SmallVec, smallvec};

use crate::behaviour::cause::{Aspect, CauseId, Causes, Entity};
use crate::fabric::{DeviceId, DeviceKind, EthernetSegmentId, Fabric, GroupId, LagId, PortId};
use crate::id::{Id, IdVec, Pages, typed_id};
use crate::value::{BondProtocol, EthernetSegmentMode};

typed_id! {
    /// One end of an aggregation as its partner should see it: a LAG, or all LAGs of a group.
    pub(super) EndId, "end"
}

/// The LAGs of an end: one, the two halves of a group, or the legs of an Ethernet segment.
#[derive(Clone, Debug)]
pub(super) struct End {
    lags: SmallVec<[LagId; 2]>,
}

impl End {
    pub(super) fn lags(&self) -> impl Iterator<Item = LagId> + use<> {
        self.lags.clone().into_iter()
    }

    fn first(&self) -> LagId {
        self.lags().next().expect("an end is made of at least one LAG")
    }
}

/// What a member leads to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Far {
    End(EndId),
    /// Ports of this device that are in no LAG.
    Bare(DeviceId),
}

/// Which LAGs make an end together, as it is written.
#[derive(Debug)]
pub(super) struct Ends {
    pub(super) all: IdVec<EndId, End>,
    pub(super) of: IdVec<LagId, EndId>,
}

/// The causes that ends have not one far LAG to themselves, of those that haven't.
pub(super) type Knots = FxHashMap<EndId, CauseId>;

/// What is wrong with the partners that their cables give to some ends, or to all.
pub(super) fn knots(
    fabric: &Fabric,
    far: &Pages<PortId, Option<PortId>>,
    ends: &Ends,
    asked: &[EndId],
    causes: &mut Causes,
) -> Knots {
    let robbed = robbed(fabric, ends, asked, causes);
    let facing = Facing { fabric, far, ends: &ends.all, end_of: &ends.of, robbed };
    let mut knots = Knots::default();
    let mut seen = IdVec::filled(&ends.all, false);
    for &end in asked {
        if seen[end] {
            continue;
        }
        let fars = facing.fars(end);
        let whole = match fars[..] {
            [] => true,
            // Two ends that lead only to each other are as they should be.
            [Far::End(other)] => facing.fars(other)[..] == [Far::End(end)],
            _ => false,
        };
        if whole {
            seen[end] = true;
            // What holds for one of two that face each other holds for the other.
            if let [Far::End(other)] = fars[..] {
                seen[other] = true;
            }
            shared_domain(fabric, &facing, end, &fars, causes);
            continue;
        }
        let knot = facing.knot(end, &mut seen);
        let cause = facing.diagnose(&knot, causes);
        knots.extend(knot.into_iter().filter_map(|end| Some((end, cause?))));
    }
    one_sided_groups(fabric, ends, asked, &mut knots, causes);
    knots
}

pub(super) fn ends(fabric: &Fabric) -> Ends {
    let mut ends: IdVec<EndId, End> = IdVec::default();
    let mut end_of = Vec::with_capacity(fabric.lags.len());
    let mut of_group: IdVec<GroupId, Option<EndId>> = IdVec::filled(&fabric.groups, None);
    let mut of_segment: IdVec<EthernetSegmentId, Option<EndId>> =
        IdVec::filled(&fabric.ethernet_segments, None);
    for (id, lag) in fabric.lags() {
        let end = match (lag.group, lag.segment) {
            (Some(group), _) => *of_group[group].get_or_insert_with(|| {
                let halves = fabric.group(group).halves;
                ends.push(End { lags: halves.into_iter().flatten().collect() })
            }),
            (None, Some(segment)) if leads_to_network(fabric, segment) => {
                ends.push(End { lags: smallvec![id] })
            }
            (None, Some(segment)) => *of_segment[segment].get_or_insert_with(|| {
                let legs = fabric.ethernet_segment(segment).legs.iter().copied();
                // A LAG that is in a group too is known by that.
                ends.push(End {
                    lags: legs.filter(|&leg| fabric.lag(leg).group.is_none()).collect(),
                })
            }),
            (None, None) => ends.push(End { lags: smallvec![id] }),
        };
        end_of.push(end);
    }
    Ends { all: ends, of: IdVec::of(end_of) }
}

/// Whether a single-active Ethernet segment is that of a bridged network, not of one host: each leg leads to
/// a LAG of its own there (RFC 7432 section 5).
fn leads_to_network(fabric: &Fabric, segment: EthernetSegmentId) -> bool {
    let mut far: SmallVec<[LagId; 4]> = SmallVec::new();
    fabric.ethernet_segment(segment).legs.iter().all(|&leg| {
        let made = fabric.lag(leg);
        let ports = made.members.iter().map(|member| fabric.member(member).port.value);
        let mut partners = ports.filter_map(|port| {
            let (_, other) = fabric.link(port)?;
            let to_switch = fabric.device(fabric.port(other).device).kind == DeviceKind::Switch;
            fabric.lag_of(other).filter(|_| to_switch)
        });
        let Some(partner) = partners.next() else { return false };
        let own = !far.contains(&partner);
        far.push(partner);
        own && made.ethernet_segment_mode.value == EthernetSegmentMode::SingleActive
    })
}

/// Two pairs that face each other and present one system identifier: each takes the other for
/// itself.
fn shared_domain(
    fabric: &Fabric,
    facing: &Facing<'_>,
    end: EndId,
    fars: &[Far],
    causes: &mut Causes,
) {
    let [Far::End(other)] = *fars else { return };
    let pair = |end: EndId| {
        let lag = facing.ends[end].first();
        fabric.lag(lag).group.map(|group| fabric.group(group).pair)
    };
    let (Some(a), Some(b)) = (pair(end), pair(other)) else { return };
    let (a, b) = (a.min(b), a.max(b));
    let domain = |pair| fabric.pair(pair).sides[0].domain.map(|domain| domain.value);
    if a != b && domain(a).is_some() && domain(a) == domain(b) {
        causes.add("pair-domain-clash", Entity::Pair(a), Aspect::Domain, Some(Entity::Pair(b)));
    }
}

/// Groups that only one side has, where no other cause explained it already.
fn one_sided_groups(
    fabric: &Fabric,
    ends: &Ends,
    asked: &[EndId],
    knots: &mut Knots,
    causes: &mut Causes,
) {
    for &end in asked {
        let Some(id) = fabric.lag(ends.all[end].first()).group else { continue };
        if let [Some(_), None] | [None, Some(_)] = fabric.group(id).halves {
            knots.entry(end).or_insert_with(|| one_sided(id, None, causes));
        }
    }
}

fn one_sided(group: GroupId, other: Option<GroupId>, causes: &mut Causes) -> CauseId {
    let other = other.map(Entity::Group);
    causes.add("pair-group-one-sided", Entity::Group(group), Aspect::Membership, other)
}

/// The devices with a LAG that lost a member to another LAG, and the cause of that.
fn robbed(
    fabric: &Fabric,
    ends: &Ends,
    asked: &[EndId],
    causes: &Causes,
) -> FxHashMap<DeviceId, CauseId> {
    let members = asked.iter().flat_map(|&end| ends.all[end].lags());
    let members = members.flat_map(|lag| fabric.lag(lag).members.iter());
    let taken = members.map(|id| fabric.member(id)).filter(|member| member.taken_by.is_some());
    taken
        .filter_map(|member| {
            let port = Entity::Port(member.port.value);
            let device = fabric.lag(member.lag).device;
            Some((device, causes.claimed(port, Aspect::Membership)?))
        })
        .collect()
}

struct Facing<'a> {
    fabric: &'a Fabric,
    far: &'a Pages<PortId, Option<PortId>>,
    ends: &'a IdVec<EndId, End>,
    end_of: &'a IdVec<LagId, EndId>,
    robbed: FxHashMap<DeviceId, CauseId>,
}

/// The distinct things that an end leads to; nearly always one.
type Fars = SmallVec<[Far; 2]>;

impl Facing<'_> {
    /// The distinct things that an end's linked members lead to, in order.
    fn fars(&self, end: EndId) -> Fars {
        self.fars_of(self.ends[end].lags())
    }

    fn fars_of(&self, lags: impl IntoIterator<Item = LagId>) -> Fars {
        let mut fars = Fars::new();
        for lag in lags {
            for member in self.fabric.lag(lag).members.iter() {
                let member = self.fabric.member(member);
                if member.taken_by.is_some() {
                    continue;
                }
                let Some(port) = self.far[member.port.value] else { continue };
                let far = match self.fabric.lag_of(port) {
                    Some(lag) => Far::End(self.end_of[lag]),
                    None => Far::Bare(self.fabric.port(port).device),
                };
                if fars.last() != Some(&far) {
                    fars.push(far);
                }
            }
        }
        fars.sort_unstable();
        fars.dedup();
        fars
    }

    /// All ends that hang together with this one through members.
    fn knot(&self, end: EndId, seen: &mut IdVec<EndId, bool>) -> Vec<EndId> {
        let (mut knot, mut open) = (Vec::new(), vec![end]);
        while let Some(end) = open.pop() {
            if std::mem::replace(&mut seen[end], true) {
                continue;
            }
            knot.push(end);
            for far in self.fars(end) {
                if let Far::End(other) = far {
                    open.push(other);
                }
            }
        }
        knot.sort_unstable();
        knot
    }

    /// The one fault that explains why the ends of a knot don't face each other two by two.
    fn diagnose(&self, knot: &[EndId], causes: &mut Causes) -> Option<CauseId> {
        if let Some(earlier) = self.explained(knot, causes) {
            return Some(earlier);
        }
        let tangled: Vec<_> =
            knot.iter().copied().filter(|&end| self.fars(end).len() > 1).collect();
        match tangled[..] {
            [] => {
                let end = *knot.first()?;
                match self.fars(end)[..] {
                    [Far::Bare(device)] => Some(self.in_no_lag(end, device, causes)),
                    // A LAG that is cabled to itself: 802.1AX clause 6.4.14.1 keeps such ports
                    // individual. The cabling itself is at fault, not the LAG.
                    _ => None,
                }
            }
            [end] => Some(self.spread_over(end, causes)),
            [end, ..] => Some(self.split(end, causes)),
        }
    }

    /// A cause found before, of a port, of a membership or of a half, that explains the knot.
    fn explained(&self, knot: &[EndId], causes: &Causes) -> Option<CauseId> {
        for &end in knot {
            // A LAG without one of its ports leaves the far member at a port in no LAG.
            for far in self.fars(end) {
                let Far::Bare(device) = far else { continue };
                if let Some(&cause) = self.robbed.get(&device) {
                    return Some(cause);
                }
            }
            for lag in self.ends[end].lags() {
                let shared = causes.claimed(Entity::Lag(lag), Aspect::Membership);
                if shared.is_some() && knot.len() > 1 {
                    return shared;
                }
                for member in self.fabric.lag(lag).members.iter() {
                    let port = self.fabric.member(member).port.value;
                    let claimed = causes.claimed(Entity::Port(port), Aspect::Link);
                    if claimed.is_some() {
                        return claimed;
                    }
                }
            }
        }
        None
    }

    fn kind(&self, device: DeviceId) -> DeviceKind {
        self.fabric.device(device).kind
    }

    fn device(&self, end: EndId) -> DeviceId {
        self.fabric.lag(self.ends[end].first()).device
    }

    fn add(&self, rule: &'static str, end: EndId, causes: &mut Causes) -> CauseId {
        causes.add(rule, Entity::Lag(self.ends[end].first()), Aspect::Partner, None)
    }

    /// The far ports of an end are in no LAG.
    fn in_no_lag(&self, end: EndId, bare: DeviceId, causes: &mut Causes) -> CauseId {
        let rule = match (self.kind(self.device(end)), self.kind(bare)) {
            (DeviceKind::Host, _) => "uplink-bond-without-lag",
            (DeviceKind::Switch, DeviceKind::Host) => self.not_bonded(end, bare),
            (DeviceKind::Switch, DeviceKind::Switch) => "lag-one-sided",
        };
        self.add(rule, end, causes)
    }

    /// What a switch's LAG towards a host that does not aggregate contradicts: how the host's bond uses its
    /// NICs instead, if it has one.
    fn not_bonded(&self, end: EndId, host: DeviceId) -> &'static str {
        let fabric = self.fabric;
        let fars: Vec<PortId> = self.ends[end]
            .lags()
            .flat_map(|lag| fabric.lag(lag).members.iter())
            .filter_map(|member| fabric.link(fabric.member(member).port.value))
            .map(|(_, far)| far)
            .filter(|&far| fabric.port(far).device == host)
            .collect();
        let bond = fars.first().and_then(|&far| fabric.bond_with(far));
        let Some(bond) = bond.filter(|bond| bond.lag.is_none()) else {
            return "uplink-lag-without-bond";
        };
        let all = bond.nics.iter().all(|nic| fars.contains(&nic.value));
        match bond.protocol.value {
            _ if !all => "uplink-standby-nic-in-lag",
            BondProtocol::ActiveStandby => "uplink-active-standby-on-lag",
            _ => "uplink-hash-clash",
        }
    }

    fn split(&self, end: EndId, causes: &mut Causes) -> CauseId {
        self.add("lag-partner-split", end, causes)
    }

    /// One end leads to several things that lead only to it.
    fn spread_over(&self, end: EndId, causes: &mut Causes) -> CauseId {
        let fars = self.fars(end);
        let others: SmallVec<[EndId; 2]> = fars
            .iter()
            .filter_map(|far| if let Far::End(other) = far { Some(*other) } else { None })
            .collect();
        let bare = fars.iter().find_map(|far| if let Far::Bare(d) = far { Some(*d) } else { None });
        if let Some(bare) = bare {
            return self.partly_bare(end, bare, &others, causes);
        }
        if let Some(cause) = self.each_leg_elsewhere(end, causes) {
            return cause;
        }
        let devices: SmallVec<[DeviceId; 2]> =
            others.iter().map(|&other| self.device(other)).collect();
        let one_device = devices.iter().all(|device| *device == devices[0]);
        let all_switches = devices.iter().all(|&device| self.kind(device) == DeviceKind::Switch);
        if one_device || !all_switches {
            return self.split(end, causes);
        }
        if self.fabric.pair_of(devices[0], devices[1]).is_some() {
            let groups: SmallVec<[GroupId; 2]> = others
                .iter()
                .filter_map(|&other| self.fabric.lag(self.ends[other].first()).group)
                .collect();
            if let [group, ref more @ ..] = groups[..] {
                return one_sided(group, more.first().copied(), causes);
            }
        }
        if let Some(cause) = self.segments_differ(&others, causes) {
            return cause;
        }
        let rule = match self.kind(self.device(end)) {
            DeviceKind::Host => "uplink-split-without-pair",
            DeviceKind::Switch => "lag-over-strangers",
        };
        self.add(rule, end, causes)
    }

    /// The halves of a group, or the legs of an Ethernet segment, lead to one partner each: not a
    /// swapped cable, but a number or an identifier that was used for two.
    fn each_leg_elsewhere(&self, end: EndId, causes: &mut Causes) -> Option<CauseId> {
        let lags: SmallVec<[LagId; 2]> = self.ends[end].lags().collect();
        let mut partners: SmallVec<[EndId; 2]> = SmallVec::new();
        for &lag in &lags {
            let fars = self.fars_of([lag]);
            let [Far::End(partner)] = fars[..] else { return None };
            if self.ends[partner].lags().count() > 1 {
                return None;
            }
            if !partners.contains(&partner) {
                partners.push(partner);
            }
        }
        if partners.len() < 2 {
            return None;
        }
        let lag = self.fabric.lag(lags[0]);
        match (lag.group, lag.segment) {
            (Some(group), _) => {
                let entity = Entity::Group(group);
                Some(causes.add("pair-group-reused", entity, Aspect::Partner, None))
            }
            (None, Some(segment)) => {
                let entity = Entity::EthernetSegment(segment);
                Some(causes.add("es-id-reused", entity, Aspect::Partner, None))
            }
            (None, None) => None,
        }
    }

    /// The LAGs that one end takes for one partner name different Ethernet segments, or only one
    /// of them names any.
    fn segments_differ(&self, others: &[EndId], causes: &mut Causes) -> Option<CauseId> {
        let segment = |end: EndId| {
            let lag = self.fabric.lag(self.ends[end].first());
            lag.segment.filter(|_| lag.group.is_none())
        };
        let named: SmallVec<[EthernetSegmentId; 2]> =
            others.iter().filter_map(|&other| segment(other)).collect();
        match named[..] {
            [] => None,
            [only] => {
                let bare = others.iter().find(|&&other| segment(other).is_none())?;
                let other = Some(Entity::Lag(self.ends[*bare].first()));
                let entity = Entity::EthernetSegment(only);
                Some(causes.add("es-single-leaf", entity, Aspect::Membership, other))
            }
            [first, second, ..] => {
                let (entity, other) =
                    (Entity::EthernetSegment(first), Entity::EthernetSegment(second));
                Some(causes.add("es-id-clash", entity, Aspect::Partner, Some(other)))
            }
        }
    }

    /// The Ethernet segment of a LAG whose partner leads to ports of another leaf too.
    fn segments_differ_from_bare(
        &self,
        other: EndId,
        device: DeviceId,
        bare: DeviceId,
    ) -> Option<EthernetSegmentId> {
        let lag = self.fabric.lag(self.ends[other].first());
        let alone = self.ends[other].lags().count() == 1 && device != bare;
        lag.segment.filter(|_| lag.group.is_none() && alone)
    }

    /// Some members of an end lead to LAGs, others to ports that are in none.
    fn partly_bare(
        &self,
        end: EndId,
        bare: DeviceId,
        others: &[EndId],
        causes: &mut Causes,
    ) -> CauseId {
        for &other in others {
            let device = self.device(other);
            let paired = self.fabric.pair_of(device, bare).is_some();
            if let Some(segment) = self.segments_differ_from_bare(other, device, bare) {
                let entity = Entity::EthernetSegment(segment);
                return causes.add("es-single-leaf", entity, Aspect::Membership, None);
            }
            let group = self.fabric.lag(self.ends[other].first()).group;
            if let Some(group) = group.filter(|_| paired && self.ends[other].lags().count() == 1) {
                return one_sided(group, None, causes);
            }
            if paired || device == bare {
                return self.in_no_lag(end, bare, causes);
            }
        }
        match (others.is_empty(), self.kind(self.device(end)), self.kind(bare)) {
            (true, ..) => self.in_no_lag(end, bare, causes),
            (false, DeviceKind::Host, DeviceKind::Switch) => {
                self.add("uplink-split-without-pair", end, causes)
            }
            _ => self.split(end, causes),
        }
    }
}

/// The place of a port among the ports of its system, for tie-breaks: by side of a pair, then by
/// place on the switch.
pub(in crate::behaviour) fn port_number(fabric: &Fabric, port: PortId) -> (usize, usize) {
    let device = fabric.device(fabric.port(port).device);
    let first = device.ports.get(0).map_or(0, Id::index);
    (device.pair.map_or(0, |(_, side)| side), port.index() - first)
}
