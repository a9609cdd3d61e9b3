//! Ends of pseudowires, and which two are one wire.

use std::net::IpAddr;

use rustc_hash::FxHashMap;
use smallvec::SmallVec;
use smol_str::SmolStr;

use super::made::Made;
use super::routers::udp_port_of;
use super::things::Things;
use crate::diagnostic::At;
use crate::fabric::{Arenas, DeviceId, DeviceKind, Ids, Pseudowire, PseudowireId};
use crate::source::{Document, FaultKind, Layers, PseudowireKeys};
use crate::value::{Encapsulation, UdpPort, WireEncapsulation, WireOver};

/// The UDP port of L2TP (RFC 3931 section 4.1.2.1).
const L2TP_PORT: u32 = 1701;

impl Made<'_> {
    pub(super) fn pseudowires(&mut self, document: &Document) {
        let mut things: Things<'_, (DeviceId, SmolStr), PseudowireKeys> = Things::new();
        for statement in &document.pseudowires {
            let (Some(on), Some(name)) = (&statement.keys.on, &statement.keys.name) else {
                continue;
            };
            let switches = self.switches(&on.value.0);
            let deviations = self.deviations(statement, &switches);
            for switch in switches {
                let device = &self.devices[switch].name.value;
                let shown = || format!("the end on {device} of the pseudowire {}", name.value);
                let deviation = deviations.get(&switch).copied();
                let key = (switch, name.value.clone());
                things.add(key, name.span, statement, deviation, self.faults, shown);
            }
        }
        for thing in things.order {
            let (device, name) = thing.name;
            let name = At::new(name, thing.span);
            if let Some(end) = self.pseudowire(device, name, &thing.layers) {
                let port = end.port.value;
                let id = self.fabric.pseudowires.push(end);
                self.fabric.circuits.entry(port).or_insert(id);
                self.fabric.wires_on.entry(device).or_default().push(id);
            }
        }
        self.twins();
    }

    /// Finds the two ends of each wire, by its name, and tells wires that have more.
    fn twins(&mut self) {
        let ends = &mut self.fabric.pseudowires;
        let mut by_name: FxHashMap<SmolStr, SmallVec<[PseudowireId; 2]>> = FxHashMap::default();
        for (id, end) in ends.iter() {
            by_name.entry(end.name.value.clone()).or_default().push(id);
        }
        let ids: Vec<PseudowireId> = ends.ids().collect();
        for id in ids {
            match by_name[&ends[id].name.value][..] {
                [a, b] => ends[id].twin = Some(if a == id { b } else { a }),
                [first, _, third, ..] if id == third => {
                    let (name, first) = (&ends[id].name, ends[first].name.span);
                    let count = by_name[&name.value].len();
                    let what = format!("the pseudowire {} has {count} ends", name.value);
                    let remedy = "give each wire a name of its own, which its two ends share";
                    self.faults
                        .add(FaultKind::NameTwice, name.span, what, "expected two", remedy)
                        .related(first, "the first end");
                }
                _ => {}
            }
        }
    }

    fn pseudowire(
        &mut self,
        device: DeviceId,
        name: At<SmolStr>,
        keys: &Layers<'_, PseudowireKeys>,
    ) -> Option<Pseudowire> {
        let encapsulation = keys.encapsulation().at(name.span);
        let port = self.written_in(device, &name, keys.port(), "port", "\"p5\"");
        let to = self.written_in(device, &name, keys.to(), "to", "\"10.64.8.40\"");
        let ids = self.ids(device, &name, encapsulation.value, keys);
        let port = self.port(device, port?)?;
        let to = to?;
        let far = match to.value.parse::<IpAddr>() {
            Ok(_) => None,
            Err(_) => Some(self.names.one(to, Some(DeviceKind::Switch), self.faults)?),
        };
        let udp_port = keys.udp_port().copied().unwrap_or_else(|| {
            let port = match encapsulation.value {
                WireEncapsulation::Vxlan => udp_port_of(Encapsulation::Vxlan),
                WireEncapsulation::L2tpv3 => UdpPort::new(L2TP_PORT).expect("a port"),
            };
            At::new(port, encapsulation.span)
        });
        let sequence = keys.sequence().written();
        if let Some(sequence) =
            sequence.filter(|sequence| sequence.value && !keys.sublayer().value())
        {
            self.faults.add(
                FaultKind::BadValue,
                sequence.span,
                format!("the pseudowire {} sends sequence numbers without a sublayer", name.value),
                "expected `sublayer = true` too",
                "add the sublayer, which carries them (RFC 3931 section 4.6), at both ends",
            );
        }
        let is_l2tp = encapsulation.value == WireEncapsulation::L2tpv3;
        Some(Pseudowire {
            device,
            port,
            from: keys.from().copied(),
            to: to.value.parse().ok(),
            far: At::new(far, to.span),
            encapsulation,
            over: keys.over().at(name.span),
            ids: ids?,
            sublayer: keys.sublayer().at(name.span),
            sequence: sequence.is_some_and(|sequence| sequence.value),
            to_port: keys.to_port().copied().unwrap_or(udp_port),
            udp_port,
            mtu: keys.mtu().copied(),
            fragments: keys.fragments().map_or(is_l2tp, |fragments| fragments.value),
            twin: None,
            idle: idle(encapsulation.value, keys),
            name,
        })
    }

    /// A key that every end must have, or a fault.
    fn written_in<'k>(
        &mut self,
        device: DeviceId,
        name: &At<SmolStr>,
        key: Option<&'k At<SmolStr>>,
        word: &str,
        example: &str,
    ) -> Option<&'k At<SmolStr>> {
        if key.is_none() {
            self.unsaid(device, name, &format!("`{word}`"), &format!("{word} = {example}"));
        }
        key
    }

    fn unsaid(&mut self, device: DeviceId, name: &At<SmolStr>, lacks: &str, example: &str) {
        let device = &self.devices[device].name.value;
        self.faults.add(
            FaultKind::MissingKey,
            name.span,
            format!("the end on {device} of the pseudowire {} lacks {lacks}", name.value),
            format!("expected such as {example}"),
            "write it in the statement, or in `differs` where the two ends have their own",
        );
    }

    fn ids(
        &mut self,
        device: DeviceId,
        name: &At<SmolStr>,
        encapsulation: WireEncapsulation,
        keys: &Layers<'_, PseudowireKeys>,
    ) -> Option<Ids> {
        if encapsulation == WireEncapsulation::Vxlan {
            let vni = keys.vni().copied();
            if vni.is_none() {
                self.unsaid(device, name, "`vni`", "vni = 23390");
            }
            return vni.map(Ids::Vni);
        }
        let session = keys.session().map(|session| &session.value);
        let Some((local, remote)) = session.and_then(|ids| ids.local.zip(ids.remote)) else {
            let lacks = match session {
                None => "`session`",
                Some(ids) if ids.local.is_none() => "`local` in its `session`",
                Some(_) => "`remote` in its `session`",
            };
            self.unsaid(device, name, lacks, "session = { local = 17, remote = 18 }");
            return None;
        };
        let cookie = keys.cookie().map(|cookie| &cookie.value);
        let local_cookie = cookie.and_then(|cookie| cookie.local);
        let remote_cookie = cookie.and_then(|cookie| cookie.remote);
        Some(Ids::Session { local, remote, local_cookie, remote_cookie })
    }
}

/// Keys that are written, otherwise than by default, and say nothing of what carries the frames.
fn idle(
    encapsulation: WireEncapsulation,
    keys: &Layers<'_, PseudowireKeys>,
) -> SmallVec<[At<&'static str>; 1]> {
    let is_l2tp = encapsulation == WireEncapsulation::L2tpv3;
    let over = keys.over().written().filter(|over| over.value != WireOver::Ip);
    let set = |key: Option<&At<bool>>| key.filter(|key| key.value).map(|key| key.span);
    let of_l2tp = [
        (keys.session().map(|key| key.span), "session"),
        (keys.cookie().map(|key| key.span), "cookie"),
        (over.map(|key| key.span), "over"),
        (set(keys.sublayer().written()), "sublayer"),
        (set(keys.sequence().written()), "sequence"),
    ];
    let of_udp = [
        (keys.udp_port().map(|key| key.span), "udp_port"),
        (keys.to_port().map(|key| key.span), "to_port"),
    ];
    let of_vxlan = [(keys.vni().map(|key| key.span), "vni")];
    let found = of_l2tp.into_iter().filter(|_| !is_l2tp);
    let found = found.chain(of_vxlan.into_iter().filter(|_| is_l2tp));
    let found = found.chain(of_udp.into_iter().filter(|_| is_l2tp && over.is_none()));
    found.filter_map(|(span, key)| Some(At::new(key, span?))).collect()
}

/// Finds the addresses of switches that are named as far ends, and whether wires lead to routers.
pub(super) fn addresses(fabric: &mut Arenas) {
    fabric.wires_lead = fabric.circuits.keys().any(|&port| {
        let far = fabric.link(port).map(|(_, far)| fabric.ports[far].device);
        far.is_some_and(|far| fabric.devices[far].router.is_some())
    });
    for id in fabric.pseudowires.ids() {
        let end = &fabric.pseudowires[id];
        let Some(far) = end.far.value else { continue };
        let loopbacks = fabric.router_of(far).into_iter().flat_map(|router| &router.loopbacks);
        let all: SmallVec<[IpAddr; 2]> = loopbacks.map(|one| one.address()).collect();
        // One of the version that it sends from; any, where it has neither.
        let fits = |to: &&IpAddr| match end.from {
            Some(from) => from.value.is_ipv4() == to.is_ipv4(),
            None => fabric.loopback_like(end.device, **to).is_some(),
        };
        let to = all.iter().find(fits).or(all.first()).copied();
        fabric.pseudowires[id].to = to;
    }
}
