use std::collections::BTreeSet;

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::devices::{HostLayers, per_port};
use super::made::Made;
use super::things::{Things, too_many};
use crate::diagnostic::{At, Span};
use crate::fabric::{
    Bond, BondId, DeviceId, Lag, LagId, Member, MemberId, Network, PortSettings, TreePort, Uplink,
};
use crate::id::{IdRange, IdVec};
use crate::source::{BondKeys, Document, FaultKind, LagKeys, Layers, MemberKeys, NetworkKeys};
use crate::value::{BondProtocol, EthernetSegmentMode, Protocol, VlanSet};

impl Made<'_> {
    pub(super) fn port_settings(&mut self, document: &Document) {
        let mut things = Things::new();
        for statement in &document.ports {
            let Some(on) = &statement.keys.on else { continue };
            let switches = self.switches(&on.value.0);
            let names = self.spread(statement.keys.ports.as_ref());
            let deviations = self.deviations(statement, &switches);
            let count = things.order.len() + switches.len().saturating_mul(names.len());
            if too_many(count, statement.span, "port settings", self.faults) {
                continue;
            }
            for &switch in &switches {
                for name in &names {
                    let Some(port) = self.port(switch, name) else { continue };
                    let shown =
                        || format!("the port {} {}", self.devices[switch].name.value, name.value);
                    let deviation = deviations.get(&switch).copied();
                    things.add(port.value, name.span, statement, deviation, self.faults, shown);
                }
            }
        }
        for thing in things.order {
            let keys = &thing.layers;
            let none = || At::new(VlanSet::default(), thing.span);
            let settings = PortSettings {
                tagged: keys.tagged().cloned().unwrap_or_else(none),
                untagged: keys.untagged().copied(),
                mtu: keys.mtu().copied(),
                enabled: keys.enabled().at(thing.span),
                addresses: keys.address().map(|all| all.value.0.clone()).unwrap_or_default(),
                partition: keys.partition().cloned(),
                tree: TreePort {
                    edge: keys.edge().at(thing.span),
                    runs: keys.tree().at(thing.span),
                    cost: keys.tree_cost().copied(),
                    priority: keys.tree_priority().value(),
                },
                span: thing.span.into(),
            };
            self.fabric.port_settings.insert(thing.name, settings);
        }
    }

    pub(super) fn lags(&mut self, document: &Document) {
        let mut things: Things<'_, (DeviceId, SmolStr), LagKeys> = Things::new();
        for statement in &document.lags {
            let (Some(on), Some(name)) = (&statement.keys.on, &statement.keys.name) else {
                continue;
            };
            let switches = self.switches(&on.value.0);
            let deviations = self.deviations(statement, &switches);
            let count = things.order.len() + switches.len();
            if too_many(count, statement.span, "LAGs", self.faults) {
                continue;
            }
            for switch in switches {
                let shown =
                    || format!("the LAG {} of {}", name.value, self.devices[switch].name.value);
                let deviation = deviations.get(&switch).copied();
                let key = (switch, name.value.clone());
                things.add(key, name.span, statement, deviation, self.faults, shown);
            }
        }
        self.fabric.port_member = per_port(self.fabric, None);
        let bonds = self.devices.len();
        self.fabric.lag_names.reserve(things.order.len() + bonds);
        self.fabric.lags.reserve(things.order.len() + bonds);
        for thing in things.order {
            let (device, name) = thing.name;
            let name = At::new(name, thing.span);
            if let Some(id) = self.lag(device, &name, &thing.layers) {
                self.fabric.lag_names.insert((device, name.value), id);
            }
        }
    }

    fn lag(
        &mut self,
        device: DeviceId,
        name: &At<SmolStr>,
        keys: &Layers<'_, LagKeys>,
    ) -> Option<LagId> {
        let written = self.spread(keys.ports());
        if written.is_empty() {
            if !self.has_spread_too_much() {
                self.no_ports(device, name, keys.ports().map(|ports| ports.span));
            }
            return None;
        }
        let priority = keys.port_priority().value();
        let members = self.add_members(device, &written, priority);
        if let Some(settings) = keys.members() {
            self.member_settings(device, name, members, &settings.value.0);
        }
        let span = name.span;
        let own_key = self.own_key(device);
        Some(self.fabric.lags.push(Lag {
            device,
            name: name.clone(),
            protocol: keys.protocol().at(span),
            mode: keys.mode().at(span),
            timeout: keys.timeout().at(span),
            unanswered: keys.unanswered().at(span),
            partner_by: keys.partner_by().value(),
            group_number: keys.group().copied(),
            group: None,
            tagged: keys.tagged().cloned().unwrap_or_else(|| At::new(VlanSet::default(), span)),
            untagged: keys.untagged().copied(),
            mtu: keys.mtu().copied(),
            min_members: keys.min_members().at(span),
            members,
            key: keys.key().copied(),
            own_key,
            system: keys.system().copied(),
            system_priority: keys.system_priority().copied(),
            addresses: keys.address().map(|all| all.value.0.clone()).unwrap_or_default(),
            ethernet_segment: keys.ethernet_segment().copied(),
            segment: None,
            ethernet_segment_mode: keys.ethernet_segment_mode().at(span),
            ethernet_segment_preference: keys.ethernet_segment_preference().copied(),
            tree: TreePort {
                edge: keys.edge().at(span),
                runs: keys.tree().at(span),
                cost: keys.tree_cost().copied(),
                priority: keys.tree_priority().value(),
            },
        }))
    }

    /// A key that no other LAG of the device has: its place among them.
    fn own_key(&mut self, device: DeviceId) -> u16 {
        let key = self.last_key.entry(device).or_default();
        *key = key.saturating_add(1);
        *key
    }

    /// Keeps the keys that LAGs have of themselves clear of those that are written on their device.
    pub(super) fn distinct_keys(&mut self) {
        let mut written: FxHashMap<DeviceId, BTreeSet<u16>> = FxHashMap::default();
        for lag in self.fabric.lags.values() {
            if let Some(key) = lag.key {
                written.entry(lag.device).or_default().insert(key.value);
            }
        }
        if written.is_empty() {
            return;
        }
        for lag in self.fabric.lags.ids() {
            let lag = &mut self.fabric.lags[lag];
            let Some(taken) = written.get(&lag.device).filter(|taken| taken.contains(&lag.own_key))
            else {
                continue;
            };
            let free = (1..=u16::MAX).rev().find(|key| !taken.contains(key));
            lag.own_key = free.unwrap_or(lag.own_key);
            written.entry(lag.device).or_default().insert(lag.own_key);
        }
    }

    fn no_ports(&mut self, device: DeviceId, name: &At<SmolStr>, ports: Option<Span>) {
        let device = &self.devices[device].name.value;
        self.faults.add(
            FaultKind::MissingKey,
            ports.unwrap_or(name.span),
            format!("the LAG {} of {device} has no ports", name.value),
            "expected at least one port",
            "add `ports`, or take the LAG out",
        );
    }

    /// Adds the members of the next LAG, in the order written.
    fn add_members(
        &mut self,
        device: DeviceId,
        names: &[At<SmolStr>],
        priority: u16,
    ) -> IdRange<MemberId> {
        let lag = self.fabric.lags.next_id();
        let start = self.fabric.members.next_id();
        for name in names {
            let Some(port) = self.port(device, name) else { continue };
            let first = self.fabric.port_member[port.value];
            if first.is_some_and(|first| self.fabric.members[first].lag == lag) {
                self.faults.add(
                    FaultKind::NameTwice,
                    name.span,
                    format!("the port {} stands twice in one LAG", name.value),
                    "named again",
                    "name each member once",
                );
                continue;
            }
            let id = self.fabric.members.push(Member {
                lag,
                port,
                priority,
                number: None,
                key: None,
                taken_by: first,
            });
            if first.is_none() {
                self.fabric.port_member[port.value] = Some(id);
            }
        }
        IdRange::new(start, self.fabric.members.next_id())
    }

    fn member_settings(
        &mut self,
        device: DeviceId,
        name: &At<SmolStr>,
        members: IdRange<MemberId>,
        settings: &[At<MemberKeys>],
    ) {
        for keys in settings {
            for written in self.spread(keys.ports.as_ref()) {
                let Some(port) = self.port(device, &written) else { continue };
                let member =
                    members.iter().find(|&id| self.fabric.members[id].port.value == port.value);
                match member {
                    Some(member) => {
                        let member = &mut self.fabric.members[member];
                        member.priority =
                            keys.port_priority.map_or(member.priority, |priority| priority.value);
                        member.number = keys.port_number.map(|number| number.value);
                        member.key = keys.key.map(|key| key.value);
                    }
                    None => {
                        self.faults.add(
                            FaultKind::UnknownName,
                            written.span,
                            format!("{} is no member of the LAG {}", written.value, name.value),
                            "not among its ports",
                            "add it to `ports`, or name a member",
                        );
                    }
                }
            }
        }
    }

    pub(super) fn bonds(&mut self, hosts: &[HostLayers<'_>]) {
        for (host, keys) in hosts {
            let mut known: Vec<&At<SmolStr>> = Vec::new();
            for bond in keys.bond().map_or(&[][..], |bonds| &bonds.value.0) {
                let Some(name) = &bond.name else { continue };
                if let Some(first) = known.iter().find(|first| first.value == name.value) {
                    let host = &self.devices[*host].name.value;
                    self.faults
                        .add(
                            FaultKind::NameTwice,
                            name.span,
                            format!("{host} has two bonds {}", name.value),
                            "named again",
                            "give each bond its own name",
                        )
                        .related(first.span, "named first");
                    continue;
                }
                known.push(name);
                self.bond(*host, name, bond);
            }
        }
    }

    fn bond(&mut self, host: DeviceId, name: &At<SmolStr>, keys: &BondKeys) {
        let written = self.spread(keys.nics.as_ref());
        let protocol = match keys.protocol {
            None => Some(At::new(Protocol::Lacp, name.span)),
            Some(At { value, span }) => match value {
                BondProtocol::Lacp => Some(At::new(Protocol::Lacp, span)),
                BondProtocol::Static => Some(At::new(Protocol::Static, span)),
                BondProtocol::Proprietary => Some(At::new(Protocol::Proprietary, span)),
                BondProtocol::ActiveStandby | BondProtocol::ByGuest | BondProtocol::BySource => {
                    None
                }
            },
        };
        let nics = written.iter().filter_map(|nic| {
            let port = self.find_port(host, &nic.value)?;
            Some(At::new(port, nic.span))
        });
        let nics: Vec<_> = nics.collect();
        let said = Layers::only(keys);
        // A host takes no part in trees: what would hold for a LAG of a switch that says nothing.
        let unsaid = Layers::<LagKeys>::default();
        let lag = if let Some(protocol) = protocol {
            let priority = said.port_priority().value();
            let members = self.add_members(host, &written, priority);
            let span = name.span;
            let own_key = self.own_key(host);
            Some(self.fabric.lags.push(Lag {
                device: host,
                name: name.clone(),
                protocol,
                mode: said.mode().at(span),
                timeout: said.timeout().at(span),
                unanswered: said.unanswered().at(span),
                partner_by: said.partner_by().value(),
                group_number: None,
                group: None,
                tagged: At::new(VlanSet::default(), span),
                untagged: None,
                mtu: keys.mtu,
                min_members: said.min_members().at(span),
                members,
                key: None,
                own_key,
                system: None,
                system_priority: None,
                addresses: Vec::new(),
                ethernet_segment: None,
                segment: None,
                ethernet_segment_mode: At::new(EthernetSegmentMode::AllActive, span),
                ethernet_segment_preference: None,
                tree: TreePort {
                    edge: unsaid.edge().at(span),
                    runs: unsaid.tree().at(span),
                    cost: None,
                    priority: unsaid.tree_priority().value(),
                },
            }))
        } else {
            for nic in &written {
                self.port(host, nic);
            }
            None
        };
        if let Some(lag) = lag {
            self.fabric.lag_names.insert((host, name.value.clone()), lag);
        }
        let active = keys.active.as_ref().and_then(|written| {
            let port = self.port(host, written)?;
            if !nics.iter().any(|nic| nic.value == port.value) {
                self.faults.add(
                    FaultKind::UnknownName,
                    written.span,
                    format!("{} is no NIC of the bond {}", written.value, name.value),
                    "not among its NICs",
                    "name one of its `nics`",
                );
                return None;
            }
            Some(port)
        });
        if lag.is_none()
            && let Some(mtu) = keys.mtu
        {
            self.fabric.nic_mtus.extend(nics.iter().map(|nic| (nic.value, mtu)));
        }
        let id = self.fabric.bonds.next_id();
        for nic in &nics {
            self.fabric.nic_bonds.entry(nic.value).or_insert(id);
        }
        self.fabric.bonds.push(Bond {
            host,
            name: name.clone(),
            nics,
            lag,
            protocol: said.protocol().at(name.span),
            active,
            hash: keys.hash,
        });
    }

    pub(super) fn networks(&mut self, hosts: &[HostLayers<'_>]) {
        let mut bonds_of: IdVec<DeviceId, Vec<BondId>> = IdVec::filled(self.devices, Vec::new());
        for (id, bond) in self.fabric.bonds.iter() {
            bonds_of[bond.host].push(id);
        }
        for (host, keys) in hosts {
            let networks = keys.networks().map_or(&[][..], |networks| &networks.value.0);
            let mut named: FxHashMap<&str, Span> = FxHashMap::default();
            for network in networks {
                let Some(name) = &network.name else { continue };
                if let Some(first) = named.insert(&name.value, name.span) {
                    let message = format!(
                        "{} has two networks of the name {}",
                        self.devices[*host].name.value, name.value
                    );
                    let remedy = "give one of them another name";
                    self.faults
                        .add(FaultKind::NameTwice, name.span, message, "named again", remedy)
                        .related(first, "named first");
                    continue;
                }
                self.network(*host, network, &bonds_of[*host]);
            }
            let at = self.devices[*host].name.span;
            if too_many(self.fabric.networks.len(), at, "networks", self.faults) {
                return;
            }
        }
    }

    fn network(&mut self, host: DeviceId, keys: &At<NetworkKeys>, bonds: &[BondId]) {
        let Some(name) = &keys.name else { return };
        if let (Some(tag), Some(tags)) = (&keys.tag, &keys.tags) {
            self.faults
                .add(
                    FaultKind::BadValue,
                    tags.span,
                    format!("the network {} has both `tag` and `tags`", name.value),
                    "expected one of the two",
                    "`tag` is the VLAN of the network itself, `tags` those that its guests tag",
                )
                .related(tag.span, "`tag` is here");
        }
        let Some(uplink) = self.uplink(host, keys, name, bonds) else { return };
        let tag = keys.tag.map(|tag| At::new(VlanSet::from(tag.value), tag.span));
        let tags = tag.or_else(|| keys.tags.clone());
        self.fabric.networks.push(Network { host, name: name.clone(), tags, uplink });
    }

    fn uplink(
        &mut self,
        host: DeviceId,
        keys: &At<NetworkKeys>,
        name: &At<SmolStr>,
        bonds: &[BondId],
    ) -> Option<Uplink> {
        let device = &self.devices[host];
        if let Some(uplink) = &keys.uplink {
            let named = |&&bond: &&BondId| self.fabric.bonds[bond].name.value == uplink.value;
            let found = bonds.iter().find(named).map(|&bond| Uplink::Bond(bond));
            let found = found.or_else(|| self.find_port(host, &uplink.value).map(Uplink::Nic));
            if found.is_none() {
                let layout = &self.fabric.layouts[device.layout];
                let known = bonds.iter().map(|&bond| self.fabric.bonds[bond].name.as_str());
                let known = known.chain(layout.ports.iter().map(|port| port.name.as_str()));
                let remedy = match self.faults.nearest(&uplink.value, known) {
                    Some(nearest) => format!("did you mean {nearest}?"),
                    None => "name one of its bonds or NICs".to_owned(),
                };
                let message = format!("{} has no bond or NIC {}", device.name.value, uplink.value);
                self.faults.add(
                    FaultKind::UnknownName,
                    uplink.span,
                    message,
                    "no such name",
                    remedy,
                );
            }
            return found;
        }
        match (bonds, device.ports.len()) {
            (&[bond], _) => Some(Uplink::Bond(bond)),
            ([], 1) => device.ports.get(0).map(Uplink::Nic),
            _ => {
                self.faults.add(
                    FaultKind::MissingKey,
                    name.span,
                    format!(
                        "nothing says by what the network {} leaves {}",
                        name.value, device.name.value
                    ),
                    "expected `uplink`, as the host has not just one bond or NIC",
                    "add `uplink` with the name of a bond or NIC",
                );
                None
            }
        }
    }
}
