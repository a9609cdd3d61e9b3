//! Which finding explains that a walk stops.

use smol_str::SmolStr;

use super::path::{Act, Hop, Stop};
use super::{Asker, Walk};
use crate::fabric::{DeviceId, Fabric, PresenceId, Terminal};
use crate::rules::{Finding, Severity};

/// The rules that can be behind a stop, by the beginnings of their ids, the likeliest first.
fn suspects(stop: Stop) -> &'static [&'static str] {
    match stop {
        Stop::NoUplink | Stop::LinkDown(_) => {
            &["port-down", "uplink-", "lag-", "cable-", "pair-", "stack-", "es-"]
        }
        Stop::NoNetwork => &["uplink-cluster-drift"],
        Stop::TagOutside(_) => &["endpoint-network-unmapped", "uplink-guest-tags-outside"],
        Stop::NoGateway | Stop::GatewayOutside(_) => &[
            "endpoint-gateway-wrong",
            "endpoint-mask-clash",
            "endpoint-outside-subnet",
            "segment-gateway",
        ],
        Stop::NotCarried(..) => &[
            "uplink-vlan-missing",
            "uplink-untagged-clash",
            "uplink-guest-tags-outside",
            "pair-group-settings",
            "pair-peer-link-vlan",
            "es-vlan-clash",
            "lag-",
            "port-vlan-clash",
            "endpoint-network-unmapped",
        ],
        Stop::Discarding(_) => &["tree-"],
        Stop::Unknown { .. } => &[
            "uplink-vlan-missing",
            "uplink-",
            "pair-segment-clash",
            "pair-group-settings",
            "pair-peer-link",
            "segment-not-on-leaf",
            "segment-vlan-not-defined",
            "segment-no-vtep",
            "segment-vni-clash",
            "endpoint-network-unmapped",
            "es-",
            "lag-",
            "tree-vlan-cut",
            "overlay-",
            "segment-",
        ],
        Stop::NoCopy { .. } => &[
            "pair-segment-clash",
            "segment-vni-clash",
            "segment-flood-list-one-sided",
            "segment-flooding-clash",
            "segment-group-clash",
            "segment-no-vtep",
            "overlay-",
            "underlay-",
            "segment-",
        ],
        Stop::NotForwarder(_) => &["es-"],
        Stop::Nobody(_) | Stop::Unanswered(_) => {
            &["endpoint-", "segment-gateway", "pair-gateway-clash", "segment-"]
        }
        Stop::NoRoute(_) | Stop::Unmodelled | Stop::WentOut(_) | Stop::NoWayOut(_) => {
            &["vrf-", "segment-gateway", "segment-vrf-clash", "overlay-", "pair-segment-clash"]
        }
        Stop::Underlay(_) => &["underlay-", "site-", "overlay-next-hop-rewritten", "cable-"],
        Stop::VniUnknown(_) => &["segment-vni-clash", "vrf-vni", "pair-segment-clash", "segment-"],
        Stop::NotTaken => {
            &["overlay-encapsulation-clash", "segment-udp-port-clash", "overlay-next-hop-rewritten"]
        }
        Stop::RouterMac => &["vrf-router-mac-clash"],
        Stop::TooBig { .. } => {
            &["underlay-mtu", "port-mtu", "uplink-mtu", "site-wan-mtu", "pair-", "lag-"]
        }
        Stop::NotItsNetwork => {
            &["uplink-", "lag-untagged-clash", "port-untagged-clash", "pair-group-settings"]
        }
        Stop::Expired | Stop::Circle | Stop::Astray => {
            &["tree-", "endpoint-mac-reused", "switch-mac-reused", "underlay-"]
        }
    }
}

impl Walk {
    /// The finding of a report that explains why the walk stops: one of a rule that can be behind it, about
    /// a device, a segment or a VRF that it has to do with.
    pub fn explained_by<'r>(
        &self,
        fabric: &Fabric,
        findings: &'r [Finding],
    ) -> Option<&'r Finding> {
        let (hop, stop) = self.root()?;
        let near = self.near(fabric, hop, stop);
        let far = self.far(fabric);
        let suspects = suspects(stop);
        let rank = |finding: &Finding| {
            let place = suspects.iter().position(|start| finding.rule.id.starts_with(start))?;
            let count = |names: &[SmolStr]| {
                finding.about.iter().filter(|name| names.contains(name)).count()
            };
            let (close, wide) = (count(&near), count(&far));
            // What merely concerns the same pair or segment must also concern the place of the stop.
            (close > 0 || wide > 0).then_some((
                std::cmp::Reverse(usize::from(close > 0)),
                place,
                std::cmp::Reverse(close * 4 + wide),
            ))
        };
        let worse = |finding: &&Finding| finding.severity >= Severity::Warning;
        let best = |list: &mut dyn Iterator<Item = &'r Finding>| {
            list.filter_map(|finding| Some((rank(finding)?, finding)))
                .min_by(|(a, _), (b, _)| a.cmp(b))
                .map(|(_, finding)| finding)
        };
        best(&mut findings.iter().filter(worse))
            .or_else(|| best(&mut findings.iter().filter(|finding| !worse(finding))))
    }

    /// The names of what is at the stop itself.
    fn near(&self, fabric: &Fabric, hop: &Hop, stop: Stop) -> Vec<SmolStr> {
        let mut names: Vec<SmolStr> = Vec::new();
        device_names(fabric, hop.device, &mut names);
        let mut presences: Vec<PresenceId> = match stop {
            Stop::NoCopy { presence, there } => vec![presence, there],
            Stop::Unknown { presence: Some(presence) } => vec![presence],
            _ => Vec::new(),
        };
        for act in &hop.acts {
            match act {
                Act::Enters { presence: Some(presence), .. }
                | Act::Decapsulates { presence, .. } => presences.push(*presence),
                Act::DecapsulatesRouted { vrf, .. } => {
                    names.push(fabric.vrf(*vrf).name.value.clone());
                }
                _ => {}
            }
        }
        for id in presences {
            let at = fabric.presence(id);
            device_names(fabric, at.switch, &mut names);
            names.push(fabric.segment(at.segment).name.value.clone());
            names.extend(at.vrf.map(|vrf| fabric.vrf(vrf.value).name.value.clone()));
        }
        if let Stop::NoRoute(super::Table::Vrf(vrf)) = stop {
            names.push(fabric.vrf(vrf).name.value.clone());
        }
        if let Some(asker) = self.resolutions.iter().find(|one| one.answer.is_none()) {
            names.push(match asker.asker {
                Asker::Endpoint(endpoint) => fabric.endpoint(endpoint).name.value.clone(),
                Asker::Router(presence) => {
                    let switch = fabric.presence(presence).switch;
                    fabric.device(switch).name.value.clone()
                }
            });
        }
        names
    }

    /// The names of its ends and of what is on its way.
    fn far(&self, fabric: &Fabric) -> Vec<SmolStr> {
        let mut names: Vec<SmolStr> = Vec::new();
        for terminal in [self.from, self.to] {
            if let Terminal::Endpoint(id, _) = terminal {
                let endpoint = fabric.endpoint(id);
                names.push(endpoint.name.value.clone());
                device_names(fabric, endpoint.host.value, &mut names);
            }
        }
        let asked = self.resolutions.iter().filter(|one| one.answer.is_none());
        let paths = asked.map(|one| &one.request).chain(self.paths());
        for hop in paths.flat_map(|path| &path.hops) {
            device_names(fabric, hop.device, &mut names);
        }
        names
    }
}

/// The name of a device, and of the pair that it is of.
fn device_names(fabric: &Fabric, device: DeviceId, names: &mut Vec<SmolStr>) {
    let made = fabric.device(device);
    names.push(made.name.value.clone());
    names.extend(made.pair.map(|(pair, _)| fabric.pair(pair).name.value.clone()));
}
