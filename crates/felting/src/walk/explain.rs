//! Which finding explains that a walk stops.

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::expect::Lost;
use super::path::{Act, Hop, Stop, Table};
use super::resolution::Asker;
use super::walked::Walk;
use crate::behaviour::{Apart, State};
use crate::diagnostic::{Finding, Report, Severity};
use crate::fabric::{DeviceId, DeviceKind, Fabric, OutsideId, PresenceId, Terminal, VrfId};

/// The rules that can be behind a stop, by the beginnings of their ids, the likeliest first.
fn suspects(stop: Stop) -> &'static [&'static str] {
    match stop {
        Stop::Wire { .. } | Stop::WireTooBig { .. } => {
            &["tunnel-", "underlay-", "session-", "site-", "cable-", "port-", "lag-"]
        }
        Stop::NoUplink | Stop::LinkDown(_) => {
            &["port-down", "uplink-", "lag-", "cable-", "pair-", "stack-", "es-"]
        }
        Stop::NoNetwork => &["uplink-cluster-drift"],
        Stop::TagOutside(_) | Stop::NoTag => {
            &["endpoint-network-unmapped", "uplink-guest-tags-outside"]
        }
        Stop::NoGateway | Stop::GatewayOutside(_) => &[
            "endpoint-gateway-wrong",
            "endpoint-prefix-length-clash",
            "endpoint-outside-subnet",
            "segment-gateway",
        ],
        Stop::NotCarried(..) => &[
            "uplink-vlan-missing",
            "uplink-untagged-clash",
            "uplink-guest-tags-outside",
            "pair-group-clash",
            "pair-peer-link-vlan",
            "es-vlan-clash",
            "lag-",
            "port-vlan-clash",
            "endpoint-network-unmapped",
            "uplink-",
            "cable-port-reused",
        ],
        Stop::NoVlan(_) => &["segment-leaf-missing", "segment-vlan-missing", "segment-"],
        Stop::NotInUse(_) => &["lag-", "uplink-", "pair-", "es-", "cable-", "port-", "stack-"],
        Stop::Discarding(_) => &["tree-"],
        Stop::Unknown { .. } => OF_UNKNOWN,
        Stop::NoCopy { why, .. } => of_apart(why),
        Stop::NotForwarder(_) | Stop::Closed(_) => &["es-"],
        Stop::Nobody(_) | Stop::Unanswered(_) => &[
            "endpoint-",
            "segment-gateway",
            "pair-gateway-clash",
            "segment-",
            "session-",
            "overlay-",
            "underlay-",
            "site-",
        ],
        Stop::NoWayOut(_) => &[
            "vrf-border",
            "vrf-outside",
            "underlay-tag-clash",
            "underlay-subnet-clash",
            "underlay-protocol-clash",
            "lag-",
            "port-",
            "cable-",
            "tree-",
            "uplink-",
            "pair-",
            "segment-",
            "vrf-",
        ],
        Stop::NoRoute(_) | Stop::Unmodelled | Stop::WentOut(_) => &[
            "vrf-",
            "endpoint-",
            "segment-gateway",
            "segment-vrf-clash",
            "session-",
            "overlay-",
            "pair-segment-clash",
            "underlay-",
        ],
        Stop::Underlay(_) => {
            &["underlay-", "session-", "site-", "overlay-next-hop-rewritten", "cable-", "switch-"]
        }
        Stop::VniUnknown(_) => &["segment-vni-clash", "vrf-vni", "pair-segment-clash", "segment-"],
        Stop::NotTaken => {
            &["overlay-encapsulation-clash", "segment-udp-port-clash", "overlay-next-hop-rewritten"]
        }
        Stop::RouterMac => &["vrf-router-mac-clash"],
        Stop::TooBig { .. } => {
            &["underlay-mtu", "port-mtu", "uplink-mtu", "site-wan-mtu", "pair-", "lag-"]
        }
        Stop::NotItsNetwork => {
            &["uplink-", "lag-untagged-clash", "port-untagged-clash", "pair-group-clash"]
        }
        Stop::NotForwarded(_) => {
            &["endpoint-gateway-wrong", "endpoint-address-reused", "segment-gateway"]
        }
        Stop::Expired | Stop::Circle | Stop::Astray => {
            &["tree-", "vrf-vni", "endpoint-mac-reused", "switch-mac-reused", "underlay-"]
        }
    }
}

/// The same for where no way leads to a station.
const OF_UNKNOWN: &[&str] = &[
    "uplink-vlan-missing",
    "uplink-",
    "endpoint-",
    "pair-group-",
    "pair-segment-clash",
    "pair-peer-link",
    "segment-leaf-missing",
    "segment-vlan-missing",
    "segment-vtep-missing",
    "segment-vni-clash",
    "cable-",
    "port-",
    "es-",
    "lag-",
    "tree-vlan-cut",
    "session-",
    "overlay-",
    "segment-",
    "underlay-pool",
    "stack-",
    "tunnel-",
];

/// Rules that name two VRFs or segments between which something lets traffic through, the surest first.
const LETS_THROUGH: &[&str] = &[
    "vrf-vni-reused",
    "segment-vni-reused",
    "segment-vlan-reused-on-switch",
    "vrf-leak-undeclared",
];

/// Rules about what makes traffic slower or its ways fewer, and stops none.
const STOPS_NOTHING: &[&str] = &[
    "underlay-paths-limited",
    "underlay-oversubscribed",
    "underlay-uplink-speed-mix",
    "underlay-bfd-one-sided",
];

/// The same for why a VTEP has not another's routes.
fn of_apart(why: Apart) -> &'static [&'static str] {
    match why {
        Apart::NotReceived => &[
            "overlay-vtep-unheard",
            "session-unreachable",
            "session-source-clash",
            "session-multihop-missing",
            "session-family-one-sided",
            "overlay-reflector-client-missing",
            "overlay-reflector-missing",
            "overlay-reflector-single",
            "overlay-as-loop",
            "underlay-",
            "site-",
            "port-",
            "cable-",
            "lag-",
            "pair-",
            "session-",
            "overlay-",
            "switch-",
        ],
        Apart::NoCommunities => &["session-communities-dropped"],
        Apart::Target => &["segment-vni-clash", "pair-segment-clash", "overlay-rt", "segment-"],
        Apart::Tag => &["segment-vni-clash", "pair-segment-clash", "segment-"],
        Apart::Encapsulation => &["overlay-encapsulation-clash"],
        Apart::UdpPort => &["segment-udp-port-clash"],
        Apart::NextHop | Apart::Elsewhere | Apart::Family => &[
            "underlay-",
            "session-",
            "site-",
            "overlay-next-hop-rewritten",
            "overlay-vtep",
            "cable-",
            "port-",
        ],
        Apart::OneOfAlike => &["overlay-rd-reused", "vrf-rd-reused"],
        Apart::NotListed => {
            &["segment-flood-list-one-sided", "segment-flooding-clash", "pair-segment-clash"]
        }
        Apart::NoGroup => &["segment-multicast-group-invalid"],
        Apart::OtherGroup => &["segment-multicast-group-clash", "pair-segment-clash"],
        Apart::OtherVni => &["segment-vni-clash", "pair-segment-clash"],
        Apart::NoPoint => &["segment-rendezvous-missing", "underlay-", "cable-", "port-", "lag-"],
        Apart::OtherPoint => &["segment-rendezvous-clash", "pair-"],
        Apart::ReversePath => &["segment-reverse-path-fails"],
        Apart::NoCopies => &["segment-flooding-clash", "segment-flood-list-one-sided", "segment-"],
        Apart::NoVtep | Apart::Own | Apart::Withdrawn => &[
            "segment-vtep-missing",
            "overlay-vtep-missing",
            "pair-segment-clash",
            "pair-vtep-clash",
            "segment-",
            "pair-",
            "underlay-pool",
        ],
    }
}

/// Findings among which the one is looked for that explains a stop, by what they are about.
pub(crate) struct Among<'f> {
    all: Vec<&'f Finding>,
    about: FxHashMap<&'f str, Vec<usize>>,
}

impl<'f> Among<'f> {
    pub(crate) fn new(findings: impl Iterator<Item = &'f Finding>) -> Self {
        let all: Vec<&Finding> = findings.collect();
        let mut about: FxHashMap<&str, Vec<usize>> = FxHashMap::default();
        for (place, finding) in all.iter().enumerate() {
            for name in &finding.about {
                about.entry(name.as_str()).or_default().push(place);
            }
        }
        Self { all, about }
    }

    /// The places of those that are about a name.
    fn about(&self, name: &SmolStr) -> impl Iterator<Item = usize> + '_ {
        self.about.get(name.as_str()).into_iter().flatten().copied()
    }
}

impl Walk {
    /// The finding of a report that explains why the walk stops: one of a rule that can be behind it, about
    /// a device, a segment or a VRF that it has to do with.
    pub fn explained_by<'r>(&self, state: &State, report: &'r Report) -> Option<&'r Finding> {
        let accepted = report.accepted.iter().map(|accepted| &accepted.finding);
        let among = Among::new(report.findings.iter().chain(accepted));
        self.explained_at(state, &among, &Lost::Nothing).map(|place| among.all[place])
    }

    /// The place of that finding among some. A hint is about what works today, and explains only what stops
    /// when something is lost.
    pub(crate) fn explained_at(
        &self,
        state: &State,
        among: &Among<'_>,
        lost: &Lost,
    ) -> Option<usize> {
        let (_, stop) = self.root()?;
        // Where nobody leads out there is no route anywhere.
        if let (Stop::NoRoute(_) | Stop::NoWayOut(_), Some((outside, on))) =
            (stop, self.without_way_out(state))
        {
            let of = suspects(Stop::NoWayOut(outside));
            let found = self.explained_near(state, among, lost, &on, of);
            if found.is_some() {
                return found;
            }
        }
        let of = suspects(stop);
        // Following routes through all speakers is dear: only where nothing nearer explains it.
        let near = self.explained_near(state, among, lost, &[], of);
        let beyond = || {
            let Stop::NoCopy { presence, there, why: Apart::NotReceived } = stop else {
                return None;
            };
            let beyond = state.ends_that_lose(presence, there);
            let found =
                (!beyond.is_empty()).then(|| self.explained_near(state, among, lost, &beyond, of));
            found.flatten()
        };
        // The routes that are missing would come from where the ends are.
        let routes = || {
            let Stop::NoRoute(_) = stop else { return None };
            let origins = self.origins(state);
            self.explained_near(state, among, lost, &origins, of_apart(Apart::NotReceived))
        };
        near.or_else(beyond).or_else(routes).or_else(|| self.explained_by_an_end(state, among))
    }

    /// The switches that its ends hang on, and that lead to them.
    fn origins(&self, state: &State) -> Vec<DeviceId> {
        let fabric = state.fabric();
        let of_end = |end: Terminal| -> Vec<DeviceId> {
            match end {
                Terminal::Endpoint(id, _) => {
                    let attached = state.evpn().attached(id).iter();
                    attached.map(|&presence| fabric.presence(presence).switch).collect()
                }
                Terminal::Gateway(presence, _) => vec![fabric.presence(presence).switch],
                Terminal::Outside(id, _) => fabric.outside(id).on.clone(),
            }
        };
        [self.from, self.to].into_iter().flat_map(of_end).collect()
    }

    /// The network outside at one of its ends that no switch leads to, with those that are to and the router there.
    fn without_way_out(&self, state: &State) -> Option<(OutsideId, Vec<DeviceId>)> {
        let fabric = state.fabric();
        [self.from, self.to].into_iter().find_map(|end| {
            let Terminal::Outside(id, _) = end else { return None };
            let made = fabric.outside(id);
            let via = made.via.map(|via| via.value);
            let none = made.on.iter().all(|&on| state.way_out(id, on).is_none());
            none.then(|| (id, made.on.iter().copied().chain(via).collect()))
        })
    }

    /// The place of an error of an endpoint at one of the ends: whatever stops what goes there, that is to be mended first.
    fn explained_by_an_end(&self, state: &State, among: &Among<'_>) -> Option<usize> {
        let fabric = state.fabric();
        let is_error = |place: &usize| among.all[*place].severity == Severity::Error;
        let found = [self.from, self.to].into_iter().flat_map(|end| {
            let (name, family) = match end {
                Terminal::Endpoint(id, _) => (&fabric.endpoint(id).name.value, "endpoint-"),
                // A machine may have the gateway's address.
                Terminal::Gateway(presence, _) => {
                    let segment = fabric.presence(presence).segment;
                    (&fabric.segment(segment).name.value, "endpoint-address-reused")
                }
                Terminal::Outside(..) => return Vec::new(),
            };
            let is_meant = |place: &usize| {
                let id = among.all[*place].rule.id;
                id.starts_with(family) && id != "endpoint-cut-off"
            };
            among.about(name).filter(is_meant).filter(is_error).collect::<Vec<_>>()
        });
        found.into_iter().next()
    }

    /// The same, by what is about the place of the stop, its ends and its way, or about further switches.
    fn explained_near(
        &self,
        state: &State,
        among: &Among<'_>,
        lost: &Lost,
        further: &[DeviceId],
        suspects: &[&str],
    ) -> Option<usize> {
        let fabric = state.fabric();
        let (hop, stop) = self.root()?;
        let (mut near, mut far) = (self.near(fabric, hop, stop), self.far(fabric));
        // Whoever has no gateway is told of it by the segment.
        if matches!(stop, Stop::NoGateway | Stop::GatewayOutside(_)) {
            let ends = [self.from, self.to].into_iter().filter_map(Terminal::endpoint);
            let here = ends.filter(|&end| state.host_of(end) == hop.device);
            let segments = here.flat_map(|end| state.segments_of(end));
            near.extend(segments.map(|id| fabric.segment(id).name.value.clone()));
        }
        for &device in further {
            device_names(fabric, device, &mut near);
        }
        for device in lost.devices(fabric) {
            device_names(fabric, device, &mut far);
        }
        let ends = self.ends(fabric);
        // A leak explains what is lost between the VRFs that it joins.
        let kept: Vec<SmolStr> =
            [self.from, self.to].into_iter().flat_map(|end| kept_in(state, end)).collect();
        let is_vrf = |name: &&SmolStr| fabric.vrfs().any(|(_, vrf)| vrf.name.value == **name);
        let is_host = |name: &SmolStr| {
            let device = fabric.find_device(name);
            device.is_some_and(|id| fabric.device(id).kind == DeviceKind::Host)
        };
        let own = self.segments(fabric, stop);
        let of_segment = |name: &SmolStr| fabric.find_segment(name).is_some();
        let rank = |finding: &Finding| {
            // What a pool could not give is missing in the underlay.
            let id = match finding.rule.family() {
                "pool" => "underlay-pool",
                _ => finding.rule.id,
            };
            let place = suspects.iter().position(|start| id.starts_with(start))?;
            let of_leak = id.starts_with("vrf-leak");
            if of_leak && finding.about.iter().filter(is_vrf).any(|vrf| !kept.contains(vrf)) {
                return None;
            }
            // What is about other hosts or other segments has nothing to do with this walk.
            let mut segments = finding.about.iter().filter(|name| of_segment(name)).peekable();
            // What is said of the overlay names a segment as an example.
            let of_vtep = matches!(finding.rule.family(), "overlay" | "session")
                || finding.rule.id == "segment-udp-port-clash";
            let by_segment = !of_vtep && segments.peek().is_some();
            if by_segment && !segments.any(|name| own.contains(name)) {
                return None;
            }
            let mut hosts = finding.about.iter().filter(|name| is_host(name)).peekable();
            if hosts.peek().is_some() && !hosts.any(|name| ends.contains(name)) {
                return None;
            }
            let count = |names: &[SmolStr]| {
                finding.about.iter().filter(|name| names.contains(name)).count()
            };
            let (close, wide) = (count(&near), count(&far));
            // What concerns the place of the stop comes before what merely concerns the ends or the way.
            let named = std::cmp::Reverse(close * 4 + wide);
            // A hint explains what is lost with something only where nothing graver does.
            let hint = finding.severity == Severity::Hint;
            (close + wide > 0).then_some((hint, close == 0, place, named))
        };
        // Who is about nothing near or far is no suspect.
        let named = near.iter().chain(&far);
        let places: BTreeSet<usize> = named.flat_map(|name| among.about(name)).collect();
        let all = places.into_iter().map(|place| (place, among.all[place]));
        let stops = all.filter(|(_, one)| !STOPS_NOTHING.contains(&one.rule.id));
        let grave =
            stops.filter(|(_, one)| *lost != Lost::Nothing || one.severity > Severity::Hint);
        let ranked = grave.filter_map(|(at, one)| Some((rank(one)?, at)));
        ranked.min().map(|(_, at)| at)
    }

    /// The place of the finding that explains why the walk arrives where it must not: of a rule about what keeps
    /// tenants and segments apart, that names one of either end's which the other isn't in.
    pub(crate) fn let_through_at(&self, state: &State, among: &Among<'_>) -> Option<usize> {
        let sides = [self.from, self.to].map(|terminal| kept_in(state, terminal));
        let only = |side: usize, name: &SmolStr| {
            sides[side].contains(name) && !sides[1 - side].contains(name)
        };
        let rank = |finding: &Finding| {
            let place = LETS_THROUGH.iter().position(|id| *id == finding.rule.id)?;
            let joins =
                [0, 1].iter().all(|&side| finding.about.iter().any(|name| only(side, name)));
            (joins && finding.severity > Severity::Hint).then_some(place)
        };
        let places: BTreeSet<usize> = sides[0].iter().flat_map(|name| among.about(name)).collect();
        let ranked = places.into_iter().filter_map(|at| Some((rank(among.all[at])?, at)));
        ranked.min().map(|(_, at)| at)
    }

    /// The names of the segments that it has to do with.
    fn segments(&self, fabric: &Fabric, stop: Stop) -> Vec<SmolStr> {
        let asked =
            self.resolutions.iter().flat_map(|one| std::iter::once(&one.request).chain(&one.reply));
        let hops = asked.chain(self.paths()).flat_map(|path| &path.hops);
        let on_way = hops.flat_map(|hop| &hop.acts).filter_map(|act| match act {
            Act::Enters { presence, .. } => *presence,
            Act::Decapsulates { presence, .. } | Act::Floods { presence, .. } => Some(*presence),
            _ => None,
        });
        let at_stop = match stop {
            Stop::NoCopy { presence, there, .. } => vec![presence, there],
            Stop::Unknown { presence: Some(presence) } => vec![presence],
            _ => Vec::new(),
        };
        let of_ends = [self.from, self.to].into_iter().flat_map(|terminal| {
            let addresses = match terminal {
                Terminal::Endpoint(id, _) => &fabric.endpoint(id).addresses[..],
                _ => &[],
            };
            addresses.iter().flat_map(|own| fabric.segments_with(own.address()))
        });

        let of_presences = on_way.chain(at_stop).map(|id| fabric.presence(id).segment);
        let all = of_presences.chain(of_ends.map(|(_, segment)| segment));
        all.map(|segment| fabric.segment(segment).name.value.clone()).collect()
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
            Stop::NoCopy { presence, there, .. } => vec![presence, there],
            Stop::Unknown { presence: Some(presence) } => vec![presence],
            _ => Vec::new(),
        };
        if let Stop::Wire { end, .. } | Stop::WireTooBig { end, .. } = stop {
            let end = fabric.pseudowire(end);
            names.push(end.name.value.clone());
            let twin = end.twin.map(|twin| fabric.pseudowire(twin).device);
            for device in std::iter::once(end.device).chain(twin).chain(end.far.value) {
                device_names(fabric, device, &mut names);
            }
        }
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
        // Who leads out is told apart from the router that is met there.
        if let Stop::NoWayOut(outside) = stop {
            let outside = fabric.outside(outside);
            if let Some(via) = outside.via {
                device_names(fabric, via.value, &mut names);
            }
            names.extend(
                outside.segment.map(|segment| fabric.segment(segment.value).name.value.clone()),
            );
        }
        if let Stop::NoRoute(Table::Vrf(vrf)) = stop {
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

/// The names of the segments that an end is in, and of their VRFs; of a network outside that of the VRF that has it.
fn kept_in(state: &State, terminal: Terminal) -> Vec<SmolStr> {
    let fabric = state.fabric();
    let name = |vrf: VrfId| fabric.vrf(vrf).name.value.clone();
    if let Terminal::Outside(outside, _) = terminal {
        return vec![name(fabric.outside(outside).vrf.value)];
    }
    let segments = terminal.endpoint().map(|id| state.segments_of(id)).unwrap_or_default();
    let of_segments = segments.iter().flat_map(|&id| {
        let segment = fabric.segment(id);
        let vrf = segment.vrf.map(|vrf| name(vrf.value));
        std::iter::once(segment.name.value.clone()).chain(vrf)
    });
    of_segments.collect()
}

/// The name of a device, and of the pair that it is of.
fn device_names(fabric: &Fabric, device: DeviceId, names: &mut Vec<SmolStr>) {
    let made = fabric.device(device);
    names.push(made.name.value.clone());
    names.extend(made.pair.map(|(pair, _)| fabric.pair(pair).name.value.clone()));
}
