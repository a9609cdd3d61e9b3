//! Which finding explains that a walk stops.

use smol_str::SmolStr;

use super::path::{Act, Hop, Stop};
use super::{Asker, Lost, Walk};
use crate::fabric::{DeviceId, DeviceKind, Fabric, PresenceId, Terminal};
use crate::rules::{Finding, Report, Severity};

/// The rules that can be behind a stop, by the beginnings of their ids, the likeliest first.
fn suspects(stop: Stop) -> &'static [&'static str] {
    match stop {
        Stop::NoUplink | Stop::LinkDown(_) => {
            &["port-down", "uplink-", "lag-", "cable-", "pair-", "stack-", "es-"]
        }
        Stop::NoNetwork => &["uplink-cluster-drift"],
        Stop::TagOutside(_) | Stop::NoTag => {
            &["endpoint-network-unmapped", "uplink-guest-tags-outside"]
        }
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
        Stop::NotInUse(_) => &["lag-", "uplink-", "pair-", "es-", "cable-", "port-", "stack-"],
        Stop::Discarding(_) => &["tree-"],
        Stop::Unknown { .. } => &[
            "uplink-vlan-missing",
            "uplink-",
            "endpoint-",
            "pair-group-",
            "pair-segment-clash",
            "pair-peer-link",
            "segment-not-on-leaf",
            "segment-vlan-not-defined",
            "segment-no-vtep",
            "segment-vni-clash",
            "endpoint-network-unmapped",
            "cable-",
            "port-",
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
        Stop::NotForwarder(_) | Stop::Closed(_) => &["es-"],
        Stop::Nobody(_) | Stop::Unanswered(_) => &[
            "endpoint-",
            "segment-gateway",
            "pair-gateway-clash",
            "segment-",
            "overlay-",
            "underlay-",
        ],
        Stop::NoRoute(_) | Stop::Unmodelled | Stop::WentOut(_) | Stop::NoWayOut(_) => &[
            "vrf-",
            "endpoint-",
            "segment-gateway",
            "segment-vrf-clash",
            "overlay-",
            "pair-segment-clash",
            "underlay-",
        ],
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
    pub fn explained_by<'r>(&self, fabric: &Fabric, report: &'r Report) -> Option<&'r Finding> {
        let accepted = report.accepted.iter().map(|accepted| &accepted.finding);
        let all: Vec<&Finding> = report.findings.iter().chain(accepted).collect();
        self.explained_at(fabric, &all, &Lost::Nothing).map(|place| all[place])
    }

    /// The place of that finding among some. A hint is about what works today, and explains only what stops
    /// when something is lost.
    pub(crate) fn explained_at(
        &self,
        fabric: &Fabric,
        findings: &[&Finding],
        lost: &Lost,
    ) -> Option<usize> {
        let (hop, stop) = self.root()?;
        let (near, mut far) = (self.near(fabric, hop, stop), self.far(fabric));
        for device in lost.devices(fabric) {
            device_names(fabric, device, &mut far);
        }
        let suspects = suspects(stop);
        let ends = self.ends(fabric);
        let is_host = |name: &SmolStr| {
            let device = fabric.find_device(name);
            device.is_some_and(|id| fabric.device(id).kind == DeviceKind::Host)
        };
        let rank = |finding: &Finding| {
            let place = suspects.iter().position(|start| finding.rule.id.starts_with(start))?;
            // What is about other hosts has nothing to do with this walk.
            let mut hosts = finding.about.iter().filter(|name| is_host(name)).peekable();
            if hosts.peek().is_some() && !hosts.any(|name| ends.contains(name)) {
                return None;
            }
            let count = |names: &[SmolStr]| {
                finding.about.iter().filter(|name| names.contains(name)).count()
            };
            let (close, wide) = (count(&near), count(&far));
            // What concerns the place of the stop comes before what merely concerns the ends or the way.
            (close + wide > 0).then_some((close == 0, place, std::cmp::Reverse(close * 4 + wide)))
        };
        let all = findings.iter().enumerate();
        let grave = all.filter(|(_, one)| *lost != Lost::Nothing || one.severity > Severity::Hint);
        let ranked = grave.filter_map(|(at, one)| Some((rank(one)?, at)));
        ranked.min().map(|(_, at)| at)
    }

    /// The names of the endpoints at both ends, and of their hosts.
    fn ends(&self, fabric: &Fabric) -> Vec<SmolStr> {
        let mut names = Vec::new();
        for terminal in [self.from, self.to] {
            if let Terminal::Endpoint(id, _) = terminal {
                let endpoint = fabric.endpoint(id);
                names.push(endpoint.name.value.clone());
                device_names(fabric, endpoint.host.value, &mut names);
            }
        }
        names
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
        let mut names = self.ends(fabric);
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
