use rustc_hash::{FxHashMap, FxHashSet};
use smol_str::SmolStr;

use super::allotted::hash;
use super::made::Made;
use super::things::Things;
use crate::diagnostic::At;
use crate::fabric::{
    Arenas, DeviceId, DeviceKind, Group, GroupId, Keepalive, LagId, Pair, PairId, Side,
};
use crate::source::{Deviation, Document, FaultKind, Faults, Layers, PairKeys, Statement};
use crate::value::{GroupNumber, MacAddr};

/// Which side of which pair each switch is.
#[derive(Default)]
pub(super) struct Sides {
    pub(super) of: Vec<(DeviceId, (PairId, usize))>,
    /// Switches of pairs that could not be made: reported, so their groups are not at fault.
    pub(super) unmade: FxHashSet<DeviceId>,
}

/// A side while its statements are gathered: the switch, where it is named, and its layers.
struct Gathered<'s> {
    switch: At<DeviceId>,
    layers: Layers<'s, PairKeys>,
}

impl Made<'_> {
    pub(super) fn pairs(&mut self, document: &Document) -> Sides {
        let mut things: Things<'_, SmolStr, PairKeys> = Things::new();
        let mut statements: FxHashMap<SmolStr, Vec<&Statement<PairKeys>>> = FxHashMap::default();
        for statement in &document.pairs {
            let Some(name) = &statement.keys.name else { continue };
            let (shown, before) = (|| format!("the pair {}", name.value), things.order.len());
            things.add(name.value.clone(), name.span, statement, None, self.faults, shown);
            if things.order.len() > before || statement.layer > 0 {
                statements.entry(name.value.clone()).or_default().push(statement);
            }
        }
        let mut taken: FxHashMap<DeviceId, PairId> = FxHashMap::default();
        let mut sides = Sides::default();
        for thing in things.order {
            let name = At::new(thing.name, thing.span);
            let gathered = self.gather(&statements[&name.value]);
            let named: Vec<_> = gathered.iter().map(|side| side.switch.value).collect();
            let Some([a, b]) = self.two_sides(&name, gathered, &taken) else {
                sides.unmade.extend(named);
                continue;
            };
            let made = self.sides(&name, [&a, &b]);
            let id = self.fabric.pairs.push(Pair { name, sides: made });
            for (index, side) in [a, b].iter().enumerate() {
                taken.insert(side.switch.value, id);
                sides.of.push((side.switch.value, (id, index)));
            }
        }
        sides
    }

    /// The sides that the statements of one pair name, each with all layers that hold for it.
    fn gather<'s>(&mut self, statements: &[&'s Statement<PairKeys>]) -> Vec<Gathered<'s>> {
        let mut gathered: Vec<Gathered<'s>> = Vec::new();
        for statement in statements {
            let mut written: FxHashMap<DeviceId, &'s Deviation<PairKeys>> = FxHashMap::default();
            let mut named: Vec<At<DeviceId>> = Vec::new();
            for side in &statement.differs {
                for text in &side.on.value.0 {
                    let Some(switch) = self.names.one(text, Some(DeviceKind::Switch), self.faults)
                    else {
                        continue;
                    };
                    if let Some(first) = written.insert(switch, side) {
                        self.faults
                            .add(
                                FaultKind::DiffersTwice,
                                text.span,
                                format!("two sides of this pair are {}", text.value),
                                "named again",
                                "write one [[pair.side]] a switch",
                            )
                            .related(first.on.span, "named first");
                    }
                    named.push(At::new(switch, text.span));
                }
            }
            if let Some(on) = &statement.keys.on {
                for text in &on.value.0 {
                    let switches = self.switches(std::slice::from_ref(text));
                    named.extend(switches.into_iter().map(|switch| At::new(switch, text.span)));
                }
            }
            for side in &mut gathered {
                let above = Layers::of(statement, written.get(&side.switch.value).copied());
                side.layers.cover(&above);
            }
            for switch in named {
                if gathered.iter().any(|side| side.switch.value == switch.value) {
                    continue;
                }
                // A switch that an overlay adds has all layers of the pair below it.
                let mut layers: Option<Layers<'s, PairKeys>> = None;
                for below in statements.iter().filter(|below| below.layer <= statement.layer) {
                    let deviation = (below.layer == statement.layer)
                        .then(|| written.get(&switch.value).copied())
                        .flatten();
                    let above = Layers::of(below, deviation);
                    match &mut layers {
                        Some(layers) => layers.cover(&above),
                        None => layers = Some(above),
                    }
                }
                gathered.extend(layers.map(|layers| Gathered { switch, layers }));
            }
        }
        gathered.sort_by_key(|side| side.switch.value);
        gathered
    }

    fn two_sides<'s>(
        &mut self,
        name: &At<SmolStr>,
        gathered: Vec<Gathered<'s>>,
        taken: &FxHashMap<DeviceId, PairId>,
    ) -> Option<[Gathered<'s>; 2]> {
        for side in &gathered {
            if let Some(&other) = taken.get(&side.switch.value) {
                let other = &self.fabric.pairs[other].name;
                let switch = &self.devices[side.switch.value].name.value;
                self.faults
                    .add(
                        FaultKind::PairSides,
                        side.switch.span,
                        format!("{switch} is in two pairs, {} and {}", other.value, name.value),
                        "expected a switch that is in no other pair",
                        "take it out of one of them",
                    )
                    .related(other.span, "the other pair");
                return None;
            }
        }
        let names: Vec<_> = gathered
            .iter()
            .map(|side| self.devices[side.switch.value].name.value.clone())
            .collect();
        match <[Gathered<'s>; 2]>::try_from(gathered) {
            Ok(sides) => Some(sides),
            Err(gathered) => {
                let count = match gathered.len() {
                    0 => "no sides".to_owned(),
                    1 => format!("one side only, {}", names[0]),
                    count => format!("{count} sides: {}", names.join(", ")),
                };
                self.faults.add(
                    FaultKind::PairSides,
                    name.span,
                    format!("the pair {} has {count}", name.value),
                    "expected two switches",
                    "name exactly two, by `on` or one [[pair.side]] each",
                );
                None
            }
        }
    }

    fn sides(&mut self, name: &At<SmolStr>, gathered: [&Gathered<'_>; 2]) -> [Side; 2] {
        let unsaid = gathered.iter().all(|side| {
            side.layers.domain().is_none() && side.layers.taken_out("domain").is_none()
        });
        if unsaid {
            self.faults.add(
                FaultKind::MissingKey,
                name.span,
                format!("the pair {} lacks its `domain`", name.value),
                "expected `domain = …` in this pair",
                "add the domain number that both switches are configured with",
            );
        }
        let links = gathered.map(|side| {
            let written = side.layers.peer_link()?;
            let found = self.fabric.find_lag(side.switch.value, &written.value);
            Some((written, found))
        });
        let bare = gathered.map(|side| {
            let written = side.layers.peer_link()?;
            let port = self.find_port(side.switch.value, &written.value)?;
            Some(At::new(port, written.span))
        });
        let data_links = gathered.map(|side| {
            let written = side.layers.data_link()?;
            let found = self.fabric.find_lag(side.switch.value, &written.value);
            if found.is_none() {
                self.unknown_lag(side.switch.value, written, "data_link");
            }
            found.map(|lag| At::new(lag, written.span))
        });
        let keepalives: [_; 2] =
            std::array::from_fn(|index| self.keepalive(name, &gathered[index].layers, index));
        // A name that only one side has is a peer link missing on the other, which a rule reports.
        let unknown = links.iter().flatten().all(|(_, found)| found.is_none())
            && bare.iter().all(Option::is_none);
        if unknown {
            for (side, (written, _)) in
                gathered.iter().zip(&links).filter_map(|(s, l)| l.map(|l| (s, l)))
            {
                self.unknown_lag(side.switch.value, written, "peer_link");
            }
        }
        std::array::from_fn(|index| {
            let keys = &gathered[index].layers;
            let domain = keys.domain().copied();
            let link =
                links[index].and_then(|(written, found)| Some(At::new(found?, written.span)));
            Side {
                switch: gathered[index].switch,
                domain,
                peer_link: link,
                misnames_peer_link: unknown && links[index].is_some(),
                peer_port: bare[index].filter(|_| link.is_none()),
                data_link: data_links[index],
                keepalive: keepalives[index].clone(),
                priority: keys.priority().copied(),
                vtep: keys.vtep().copied(),
                system_priority: keys.system_priority().value(),
                system_priority_at: keys.system_priority().written().copied(),
                secondary: keys.secondary().value(),
                // A side without a domain presents its own address: it is no partner of the other.
                system_mac: match domain {
                    Some(domain) => MacAddr::allotted(2, domain.get()),
                    // Reported already; what the pair would do with a domain is still of interest.
                    None if unsaid => MacAddr::allotted(3, hash(&name.value)),
                    None => self.devices[gathered[index].switch.value].mac.value,
                },
            }
        })
    }

    /// The keepalive of one side, as its own keys or `between` have it.
    fn keepalive(
        &mut self,
        name: &At<SmolStr>,
        keys: &Layers<'_, PairKeys>,
        side: usize,
    ) -> Option<Keepalive> {
        let written = keys.keepalive()?;
        let between = written.between.as_ref().map(|between| &between.value.0[..]);
        let found = match (between, written.from, written.to) {
            (Some([a, b]), None, None) => Some(if side == 0 { (*a, *b) } else { (*b, *a) }),
            (None, Some(from), Some(to)) => Some((from, to)),
            _ => None,
        };
        if found.is_none() {
            self.faults.add(
                FaultKind::MissingKey,
                written.span,
                format!("the keepalive of the pair {} has not two addresses", name.value),
                "expected `from` and `to`, or `between` with two addresses",
                "write the address of this side as `from` and the other's as `to`",
            );
        }
        let (from, to) = found?;
        Some(Keepalive { from, to, vrf: written.vrf.clone() })
    }

    fn unknown_lag(&mut self, switch: DeviceId, name: &At<SmolStr>, key: &str) {
        let lags = self.fabric.lags.values().filter(|lag| lag.device == switch);
        let known = lags.map(|lag| lag.name.as_str());
        let remedy = match self.faults.nearest(&name.value, known) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None => format!("add the LAG, or take `{key}` out"),
        };
        let message = format!("{} has no LAG {}", self.devices[switch].name.value, name.value);
        self.faults.add(FaultKind::UnknownName, name.span, message, "no such LAG", remedy);
    }
}

/// Joins the LAGs of each pair that have one group number.
pub(super) fn groups(fabric: &mut Arenas, faults: &mut Faults, unmade: &FxHashSet<DeviceId>) {
    let mut found: FxHashMap<(PairId, GroupNumber), GroupId> = FxHashMap::default();
    let numbered: Vec<(LagId, At<GroupNumber>)> = fabric
        .lags
        .iter()
        .filter_map(|(id, lag)| lag.group_number.map(|number| (id, number)))
        .collect();
    for (lag, number) in numbered {
        let device = fabric.lags[lag].device;
        let Some((pair, side)) = fabric.devices[device].pair else {
            if !unmade.contains(&device) {
                let device = fabric.device_name(device);
                faults.add(
                    FaultKind::PairSides,
                    number.span,
                    format!("{device} has a LAG of group {}, but is in no pair", number.get()),
                    "expected a switch that is a side of a pair",
                    "add the pair, or take `group` out",
                );
            }
            continue;
        };
        let group = *found.entry((pair, number.value)).or_insert_with(|| {
            fabric.groups.push(Group { pair, number: number.value, halves: [None; 2] })
        });
        let half = &mut fabric.groups[group].halves[side];
        if let Some(first) = *half {
            let first = fabric.lags[first].group_number.map_or(number.span, |first| first.span);
            let device = fabric.device_name(device);
            faults
                .add(
                    FaultKind::NameTwice,
                    number.span,
                    format!("two LAGs of {device} have the group {}", number.get()),
                    "used again",
                    "give each LAG of a switch its own group",
                )
                .related(first, "used first");
            continue;
        }
        *half = Some(lag);
        fabric.lags[lag].group = Some(group);
    }
}
