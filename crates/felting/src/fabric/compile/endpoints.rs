//! Machines on hosts' networks, what serves them, and what is expected of them.

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::allotted::hash;
use super::made::Made;
use super::tenants::{VrfNames, find_vrf};
use crate::diagnostic::{At, Span};
use crate::fabric::{
    Arenas, Condition, DeviceId, DeviceKind, Dhcp, Endpoint, Expectation, Loss, NetworkId,
    SegmentId, Terminal,
};
use crate::source::{Document, FaultKind, Faults, Many};
use crate::value::MacAddr;

impl Made<'_> {
    pub(super) fn endpoints(&mut self, document: &Document) {
        let mut networks: FxHashMap<DeviceId, Vec<NetworkId>> = FxHashMap::default();
        for (id, network) in self.fabric.networks.iter() {
            networks.entry(network.host).or_default().push(id);
        }
        for thing in self.named(&document.endpoints, |keys| &keys.name) {
            let keys = &thing.layers;
            let Some(written) = keys.host() else { continue };
            let Some(host) = self.names.one(written, Some(DeviceKind::Host), self.faults) else {
                continue;
            };
            let own = networks.get(&host).map_or(&[][..], Vec::as_slice);
            let network = match (keys.network(), own) {
                (Some(name), _) => {
                    let named =
                        |id: &&NetworkId| self.fabric.networks[**id].name.value == name.value;
                    own.iter().find(named).map(|&id| At::new(id, name.span))
                }
                (None, &[only]) => Some(At::new(only, written.span)),
                (None, _) => None,
            };
            let Some(network) = network else {
                self.no_network(written, keys.network(), own, &thing.name);
                continue;
            };
            let mac = keys
                .mac()
                .copied()
                .unwrap_or_else(|| At::new(MacAddr::allotted(2, hash(&thing.name)), thing.span));
            let id = self.fabric.endpoints.next_id();
            let addresses = keys.address().map(|all| all.value.0.clone()).unwrap_or_default();
            for address in &addresses {
                let known = self.fabric.endpoint_addresses.entry(address.address()).or_default();
                if known.last() != Some(&id) {
                    known.push(id);
                }
            }
            self.fabric.endpoint_names.insert(thing.name.clone(), id);
            self.fabric.endpoints.push(Endpoint {
                host: At::new(host, written.span),
                network,
                tag: keys.tag().copied(),
                mac,
                addresses,
                gateways: keys.gateway().map(|all| all.value.0.clone()).unwrap_or_default(),
                mtu: keys.mtu().copied().or(self.devices[host].mtu),
                name: At::new(thing.name, thing.span),
            });
        }
    }

    fn no_network(
        &mut self,
        host: &At<SmolStr>,
        named: Option<&At<SmolStr>>,
        own: &[NetworkId],
        endpoint: &SmolStr,
    ) {
        let (span, what) = match named {
            Some(name) => (name.span, format!("no network {}", name.value)),
            None if own.is_empty() => (host.span, "no network".to_owned()),
            None => (host.span, "several networks".to_owned()),
        };
        let known: Vec<_> = own.iter().map(|&id| self.fabric.networks[id].name.as_str()).collect();
        let remedy = match known.is_empty() {
            true => format!("give {} its `networks`", host.value),
            false => format!("say which with `network`: {}", known.join(", ")),
        };
        self.faults.add(
            FaultKind::UnknownName,
            span,
            format!("{} has {what} for the endpoint {endpoint}", host.value),
            "expected one of the host's networks",
            remedy,
        );
    }

    /// The segment of a name, or a fault.
    pub(super) fn segment(&mut self, name: &At<SmolStr>) -> Option<At<SegmentId>> {
        let found = self.fabric.segment_names.get(&name.value).copied();
        if found.is_none() {
            let known = self.fabric.segments.values().map(|segment| segment.name.as_str());
            self.faults.unknown("segment", name, known, "add a [[segment]] of that name");
        }
        found.map(|id| At::new(id, name.span))
    }

    pub(super) fn dhcps(&mut self, document: &Document) {
        for thing in self.named(&document.dhcps, |keys| &keys.name) {
            let keys = &thing.layers;
            let Some(segment) = keys.segment().and_then(|name| self.segment(name)) else {
                continue;
            };
            let server = keys.server().and_then(|name| {
                let found = self.fabric.find_endpoint(&name.value);
                if found.is_none() {
                    let known = self.fabric.endpoints.values().map(|e| e.name.as_str());
                    self.faults.unknown(
                        "endpoint",
                        name,
                        known,
                        "add an [[endpoint]] of that name",
                    );
                }
                found.map(|id| At::new(id, name.span))
            });
            self.fabric.dhcps.push(Dhcp {
                segment,
                addresses: keys.addresses().map(|all| all.value.0.clone()).unwrap_or_default(),
                except: keys.except().map(|all| all.value.0.clone()).unwrap_or_default(),
                routers: keys.router().map(|all| all.value.0.clone()).unwrap_or_default(),
                server,
                name: At::new(thing.name, thing.span),
            });
        }
    }
}

/// What is expected, when everything else is known by name.
pub(super) fn expectations(
    document: &Document,
    vrfs: &VrfNames,
    fabric: &mut Arenas,
    faults: &mut Faults,
) {
    for statement in &document.expectations {
        let keys = &statement.keys;
        let mut terminals = |list: &Option<At<Many<SmolStr>>>| {
            let mut found = Vec::new();
            for text in list.iter().flat_map(|list| &list.value.0) {
                match fabric.terminals(&text.value) {
                    Ok(all) => found.extend(all.into_iter().map(|one| At::new(one, text.span))),
                    Err(error) => {
                        faults.add(
                            FaultKind::UnknownName,
                            text.span,
                            error.message(),
                            "expected an endpoint, an address, or a network outside",
                            error.remedy(),
                        );
                    }
                }
            }
            found
        };
        let (from, to) = (terminals(&keys.from), terminals(&keys.to));
        let vrf = keys.vrf.as_ref().and_then(|name| find_vrf(fabric, vrfs, name, faults));
        let mut despite = Vec::new();
        for text in keys.despite.iter().flat_map(|list| &list.value.0) {
            let loss = match text.value.as_str() {
                "nothing" => Loss::Nothing,
                "any-cable" => Loss::AnyCable,
                "any-switch" => Loss::AnySwitch,
                "any-cable-or-switch" => Loss::AnyCableOrSwitch,
                thing => {
                    if let Err(error) = Condition::default().cut(fabric, thing) {
                        faults.add(
                            FaultKind::UnknownName,
                            text.span,
                            error.to_string(),
                            "expected `any-cable-or-switch`, or one thing that can be lost",
                            "name a switch, a port, \"cable kelp-a p1\" or \"peer link of kelp\"",
                        );
                        continue;
                    }
                    Loss::Thing(text.value.clone())
                }
            };
            despite.push(At::new(loss, text.span));
        }
        if from.is_empty() || to.is_empty() {
            continue;
        }
        let reaches = keys.reaches.unwrap_or(At::new(true, statement.span));
        if let Some((at, why)) = never_fails(fabric, &from, &to, reaches.value) {
            faults.add(
                FaultKind::MatchesNothing,
                at,
                format!("the expectation can never fail: {why}"),
                "expected two ends between which packets may or may not get through",
                "name other ends, or take the expectation out",
            );
            continue;
        }
        fabric.expectations.push(Expectation {
            span: statement.span,
            from,
            to,
            reaches,
            vni: keys.vni,
            vrf,
            hops: keys.hops,
            mtu: keys.mtu,
            despite,
        });
    }
}

/// Why an expectation says nothing, and at which of its ends.
fn never_fails(
    fabric: &Arenas,
    from: &[At<Terminal>],
    to: &[At<Terminal>],
    reaches: bool,
) -> Option<(Span, String)> {
    let endpoint = |end: &At<Terminal>| end.value.endpoint();
    // Which ends there are to each: with two of them there is a pair of different ones.
    let first = from.first().and_then(endpoint)?;
    if from.iter().chain(to).all(|end| endpoint(end) == Some(first)) {
        let name = &fabric.endpoint(first).name.value;
        return Some((to.first()?.span, format!("{name} is both of its ends")));
    }
    if reaches {
        return None;
    }
    let host = |end: &At<Terminal>| endpoint(end).map(|id| fabric.endpoint(id).host.value);
    let is_bare = |end: &At<Terminal>| {
        let ports = host(end).map(|host| fabric.device(host).ports);
        ports.is_some_and(|ports| ports.iter().all(|port| fabric.plugged[port].is_none()))
    };
    for (ends, others) in [(from, to), (to, from)] {
        // Guests of one host need no cable between them.
        let shared = |end: &At<Terminal>| others.iter().any(|other| host(other) == host(end));
        if ends.iter().all(|end| is_bare(end) && !shared(end)) {
            let end = ends.first()?;
            let name = fabric.device_name(host(end)?);
            return Some((
                end.span,
                format!("{name} has no cable, so nothing is reached from there"),
            ));
        }
    }
    None
}
