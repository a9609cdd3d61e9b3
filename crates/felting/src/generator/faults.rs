//! Single faults from across the catalogue, and where they are put.
//!
//! Each kind of fault claims what its cause or its effect could touch: pairs, segments, tenants. A fault is
//! put in only where nothing is claimed yet, so that none can hide or cause the finding of another.

use std::collections::BTreeSet;
use std::net::Ipv4Addr;

use rustc_hash::FxHashSet;

use super::pages::{
    Change, Edit, Edits, Target, Told, guest_name, joined, management_address, networks,
    vlans_of_host,
};
use super::plan::{ESCAPE, GuestNo, HostNo, Leaf, PairNo, Plan, SegmentNo};
use crate::progress::{Progress, Stage};
use crate::scaffold::{HOST_PORTS, Scaffold, Unfit};

/// How often another place is tried for one kind of fault.
const TRIES: u32 = 40;

/// The first of the addresses that nothing else is near of, two for each pair (RFC 2544 section 12).
const STRANGE: u32 = (198 << 24) + (18 << 16);

/// VLAN ids that no segment has.
const STRANGE_VLANS: std::ops::RangeInclusive<u32> = 3960..=4090;

/// Route targets that nothing else has: those of segments from here on, those of VRFs below.
const STRANGE_TARGETS: u32 = 600_000;

/// What a fault touches.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
enum Claim {
    Pair(PairNo),
    Segment(SegmentNo),
    Tenant(u32),
    Vlan(u32),
    /// What a fabric has once.
    Once(&'static str),
}

/// A fault being made: where it is to be, what it changes and what it touches.
struct Draft<'a, 'r> {
    plan: &'a Plan<'a>,
    random: &'r mut fastrand::Rng,
    rule: &'static str,
    edits: Vec<(Target, Edit)>,
    claims: Vec<Claim>,
}

/// A kind of fault: the rule that tells it, and how it is made. None where the fabric has no room for it.
type Kind = (&'static str, fn(&mut Draft<'_, '_>) -> Option<()>);

/// Chooses faults, kind after kind in random order, each at a random place.
pub(super) fn choose(
    plan: &Plan<'_>,
    faults: u32,
    seed: u64,
    progress: &Progress,
) -> Result<Edits, Unfit> {
    progress.begin(Stage::Planning, faults as usize);
    let mut random = fastrand::Rng::with_seed(seed);
    let mut edits = Edits::default();
    let mut claimed: FxHashSet<Claim> = FxHashSet::default();
    let (mut made, mut idle) = (0, 0);
    let mut kinds: Vec<&Kind> = Vec::new();
    while made < faults {
        if idle > KINDS.len() {
            return Err(Unfit::new(
                format!("{faults} faults, of which only {made} have room apart from each other"),
                "give fewer faults, or more pods, pairs and segments",
            ));
        }
        let Some((rule, make)) = kinds.pop() else {
            kinds = KINDS.iter().collect();
            random.shuffle(&mut kinds);
            continue;
        };
        idle += 1;
        for _ in 0..TRIES {
            let random = &mut random;
            let mut draft = Draft { plan, random, rule, edits: Vec::new(), claims: Vec::new() };
            let done = make(&mut draft).is_some();
            if done && draft.claims.iter().all(|claim| !claimed.contains(claim)) {
                claimed.extend(draft.claims);
                for (target, edit) in draft.edits {
                    edits.entry(target).or_default().push(edit);
                }
                (made, idle) = (made + 1, 0);
                progress.advance(1);
                break;
            }
        }
    }
    Ok(edits)
}

impl Draft<'_, '_> {
    fn add(&mut self, target: Target, change: Change, told: Option<Told>) {
        self.edits.push((target, Edit { change, told }));
    }

    /// The change by which the fault is told.
    #[allow(
        clippy::unnecessary_wraps,
        reason = "the last thing that a kind does, whose result it is"
    )]
    fn told(&mut self, target: Target, change: Change) -> Option<()> {
        let told = Told { rule: self.rule, by_lines: true };
        self.add(target, change, Some(told));
        Some(())
    }

    /// The change by which the fault is told, where the finding may point at any line of the statement.
    fn told_of_all(&mut self, target: Target, change: Change) -> Option<()> {
        self.told(target, change)?;
        let told = self.edits.last_mut()?.1.told.as_mut()?;
        told.by_lines = false;
        Some(())
    }

    /// A pair that nothing else is wrong with.
    fn pair(&mut self) -> PairNo {
        let pair = self.random.u32(0..self.plan.pairs());
        self.claims.push(Claim::Pair(pair));
        pair
    }

    fn leaf(&mut self) -> Leaf {
        Leaf { pair: self.pair(), side: self.random.u32(0..2) }
    }

    fn leaf_name(&mut self) -> String {
        let leaf = self.leaf();
        self.plan.leaf_name(leaf)
    }

    fn host(&mut self) -> HostNo {
        let host = self.random.u32(0..self.plan.of.hosts);
        let pair = self.plan.pair_of_host(host);
        self.claims.push(Claim::Pair(pair));
        host
    }

    /// A segment, with all pairs that it is on.
    fn segment(&mut self) -> SegmentNo {
        let segment = self.random.u32(0..self.plan.of.segments);
        self.claim_segment(segment);
        segment
    }

    fn claim_segment(&mut self, segment: SegmentNo) {
        self.claims.push(Claim::Segment(segment));
        self.claims.push(Claim::Tenant(self.plan.tenant_of(segment)));
        self.claims.extend(self.plan.pairs_of(segment).map(Claim::Pair));
    }

    fn tenant(&mut self) -> u32 {
        let tenant = self.random.u32(0..self.plan.of.tenants);
        self.claim_tenant(tenant);
        tenant
    }

    fn claim_tenant(&mut self, tenant: u32) {
        self.claims.push(Claim::Tenant(tenant));
        for segment in self.plan.segments_of(tenant) {
            self.claims.extend(self.plan.pairs_of(segment).map(Claim::Pair));
        }
    }

    /// A guest with its segment.
    fn guest(&mut self) -> Option<GuestNo> {
        let guests = u32::try_from(self.plan.guests.len()).ok().filter(|&count| count > 0)?;
        let guest = self.random.u32(0..guests);
        self.claim_segment(self.plan.guests[guest as usize].segment);
        Some(guest)
    }

    /// Two guests of one segment.
    fn guests(&mut self) -> Option<(GuestNo, GuestNo)> {
        let first = self.guest()?;
        let of = self.plan.guests[first as usize].segment;
        let mut others = (0..).zip(&self.plan.guests).filter(|(_, guest)| guest.segment == of);
        let second = others.find(|&(number, _)| number != first)?.0;
        Some((first, second))
    }

    /// Says something otherwise for one leaf.
    fn on_leaf(&mut self, target: Target, keys: &str) -> Option<()> {
        let leaf = self.leaf_name();
        self.told(target, Change::Differs(format!("on = \"{leaf}\", {keys}")))
    }

    /// Says something otherwise of one leaf as a VTEP, which touches all its segments.
    fn on_vtep(&mut self, keys: &str) -> Option<()> {
        let leaf = self.leaf();
        for segment in self.plan.on_pair[leaf.pair as usize].clone() {
            self.claims.push(Claim::Segment(segment));
            self.claims.push(Claim::Tenant(self.plan.tenant_of(segment)));
        }
        let text = format!("on = \"{}\", {keys}", self.plan.leaf_name(leaf));
        self.told(Target::Overlay, Change::Differs(text))
    }

    /// Says something otherwise of the sessions of one leaf.
    fn on_session(&mut self, keys: &str) -> Option<()> {
        let leaf = self.leaf();
        let (name, pod) = (self.plan.leaf_name(leaf), self.plan.pod_of(leaf.pair));
        let keys = format!("on = \"{name}\", {keys}");
        self.told(Target::SessionsUp(pod), Change::Differs(keys))
    }

    /// More statements in the file of a leaf's pod; `{leaf}` stands for its name, `{strange}` for an address
    /// that only this pair has.
    fn beside_leaf(&mut self, statements: &str) -> Option<()> {
        let leaf = self.leaf();
        let name = self.plan.leaf_name(leaf);
        let strange = Ipv4Addr::from(STRANGE + leaf.pair * 2 + 1).to_string();
        let text = statements.replace("{leaf}", &name).replace("{strange}", &strange);
        self.told(Target::Pair(leaf.pair), Change::After(text))
    }

    /// Says something otherwise of a segment on one of its leaves.
    fn segment_on_leaf(
        &mut self,
        keys: impl Fn(&Plan<'_>, SegmentNo, Leaf) -> String,
    ) -> Option<()> {
        let segment = self.segment();
        let pairs: Vec<_> = self.plan.pairs_of(segment).collect();
        let leaf = Leaf { pair: self.random.choice(pairs)?, side: self.random.u32(0..2) };
        let (name, keys) = (self.plan.leaf_name(leaf), keys(self.plan, segment, leaf));
        let text = format!("on = \"{name}\", {keys}");
        self.told(Target::Segment(segment), Change::Differs(text))
    }

    /// Says something otherwise of a VRF on one of its leaves.
    fn vrf_on_leaf(&mut self, keys: impl Fn(u32) -> String) -> Option<()> {
        let (tenant, change) = self.vrf_differs(keys)?;
        self.told(Target::Vrf(tenant), change)
    }

    fn vrf_differs(&mut self, keys: impl Fn(u32) -> String) -> Option<(u32, Change)> {
        let tenant = self.tenant();
        let segment = self.plan.segments_of(tenant).next()?;
        let pair = self.plan.pairs_of(segment).next()?;
        let name = self.plan.leaf_name(Leaf { pair, side: self.random.u32(0..2) });
        Some((tenant, Change::Differs(format!("on = \"{name}\", {}", keys(tenant)))))
    }

    /// Another tenant than one, claimed as well.
    fn other_tenant(&mut self, than: u32) -> Option<u32> {
        let other = self.random.u32(0..self.plan.of.tenants);
        self.claim_tenant(other);
        (other != than).then_some(other)
    }

    /// The pairs that have a tenant's VRF.
    fn pairs_of(&self, tenant: u32) -> BTreeSet<PairNo> {
        let segments = self.plan.segments_of(tenant);
        segments.flat_map(|segment| self.plan.pairs_of(segment)).collect()
    }

    /// Says something otherwise of a host's LAG on one leaf of the pair.
    fn lag_on_leaf(&mut self, keys: &str) -> Option<()> {
        let host = self.host();
        let leaf = Leaf { pair: self.plan.pair_of_host(host), side: self.random.u32(0..2) };
        let text = format!("on = \"{}\", {keys}", self.plan.leaf_name(leaf));
        self.told(Target::HostLag(host), Change::Differs(text))
    }

    /// A key of a host's LAG has another value.
    fn lag(&mut self, key: &'static str, value: &str) -> Option<()> {
        let host = self.host();
        self.told(Target::HostLag(host), Change::Key(key, value.to_owned()))
    }

    /// A key of a guest has another value.
    fn guest_key(
        &mut self,
        key: &'static str,
        value: impl Fn(&Plan<'_>, SegmentNo, u32) -> String,
    ) -> Option<()> {
        let number = self.guest()?;
        let guest = self.plan.guests[number as usize];
        let value = value(self.plan, guest.segment, guest.place);
        self.told(Target::Guest(number), Change::Key(key, value))
    }

    /// A DHCP range in a segment that has guests.
    fn dhcp(&mut self, keys: impl Fn(&Plan<'_>, SegmentNo) -> String) -> Option<()> {
        let guest = self.guest()?;
        let segment = self.plan.guests[guest as usize].segment;
        let text = format!(
            "[[dhcp]]\nname = \"dhcp-{guest}\"\nsegment = \"{}\"\n{}",
            Plan::segment_name(segment),
            keys(self.plan, segment)
        );
        self.told(Target::Guest(guest), Change::After(text))
    }

    /// What is said otherwise of one side of a pair.
    fn side(&mut self, keys: &str) -> Option<()> {
        let leaf = self.leaf();
        let name = self.plan.leaf_name(leaf);
        let text = format!("[[pair.side]]\nswitch = \"{name}\"\n{keys}");
        self.told(Target::Pair(leaf.pair), Change::After(text))
    }
}

/// An address of the pool of loopbacks, that of another leaf.
fn loopback(leaf: Leaf) -> String {
    let number = Plan::leaf_number(leaf);
    format!("10.32.{}.{}", number / 256, number % 256)
}

/// A value of a leaf that another leaf has as well.
fn as_another(draft: &mut Draft<'_, '_>, key: &str) -> Option<()> {
    let (leaf, other) = (draft.leaf(), draft.leaf());
    let text = format!("on = \"{}\", {key} = \"{}\"", draft.plan.leaf_name(leaf), loopback(other));
    (leaf.pair != other.pair).then(|| draft.told(Target::Router, Change::Differs(text)))?
}

/// The host's VLANs on its LAG, changed.
fn lag_vlans(draft: &mut Draft<'_, '_>, change: impl Fn(&mut Vec<u32>)) -> Option<()> {
    let host = draft.host();
    let mut vlans = vlans_of_host(draft.plan, host);
    let before = vlans.clone();
    change(&mut vlans);
    let value = format!("\"{}\"", joined(vlans.clone()));
    (vlans != before && !vlans.is_empty())
        .then(|| draft.told(Target::HostLag(host), Change::Key("tagged", value)))?
}

/// MTUs at the two ends of an uplink.
fn uplink_mtus(draft: &mut Draft<'_, '_>, here: u32, there: u32) -> Option<()> {
    let leaf = draft.leaf();
    let pod = draft.plan.pod_of(leaf.pair);
    let text = format!(
        "[[port]]\non = \"{}\"\nports = \"p49\"\nmtu = {here}\n\n\
         [[port]]\non = \"spine-{pod}-1\"\nports = \"p{}\"\nmtu = {there}",
        draft.plan.leaf_name(leaf),
        draft.plan.port_on_spine(leaf)
    );
    draft.told(Target::Pair(leaf.pair), Change::After(text))
}

/// Every kind of fault.
const KINDS: &[Kind] = &[
    ("cable-speed-clash", |draft| {
        let host = draft.host();
        draft.told(Target::Host(host), Change::Key("nics", "\"nic[1-2] 10G\"".to_owned()))
    }),
    ("cable-port-reused", |draft| {
        let host = draft.host();
        let (plan, pair) = (draft.plan, draft.plan.pair_of_host(host));
        let (name, leaves) = (plan.host_name(host), plan.pair_name(pair));
        let run = format!("{name} nic[1-2] -- {leaves}[a-b] p{}", plan.port_of_host(host));
        let more = format!("{run}\n{name} nic1 -- {leaves}b p{HOST_PORTS}");
        (plan.port_of_host(host) < HOST_PORTS)
            .then(|| draft.told(Target::HostCables(host), Change::Run(more)))?
    }),
    ("port-down-in-use", |draft| {
        let host = draft.host();
        let pair = draft.plan.pair_of_host(host);
        let text = format!(
            "[[port]]\non = \"{}\"\nports = \"p{}\"\nenabled = false",
            draft.plan.leaf_name(Leaf { pair, side: 0 }),
            draft.plan.port_of_host(host)
        );
        draft.told(Target::Pair(pair), Change::After(text))
    }),
    ("underlay-mtu-clash", |draft| uplink_mtus(draft, 9000, 4000)),
    ("lag-protocol-clash", |draft| draft.lag("protocol", "\"static\"")),
    ("lag-mode-deadlock", |draft| {
        let host = draft.host();
        let bond = "{ name = \"bond0\", nics = \"nic[1-2]\", mode = \"passive\" }";
        draft.add(Target::Host(host), Change::Key("bond", bond.to_owned()), None);
        draft.told(Target::HostLag(host), Change::Key("mode", "\"passive\"".to_owned()))
    }),
    ("lag-timeout-clash", |draft| draft.lag("timeout", "\"short\"")),
    ("lag-min-members", |draft| draft.lag("min_members", "3")),
    ("pair-group-clash", |draft| draft.lag_on_leaf("mtu = 1500")),
    ("lag-timeout-clash", |draft| draft.lag_on_leaf("timeout = \"short\"")),
    ("pair-group-one-sided", |draft| draft.lag_on_leaf("group = 999")),
    ("uplink-active-standby-on-lag", |draft| {
        let host = draft.host();
        let bond = "{ name = \"bond0\", nics = \"nic[1-2]\", protocol = \"active-standby\" }";
        draft.told(Target::Host(host), Change::Key("bond", bond.to_owned()))
    }),
    ("uplink-vlan-missing", |draft| {
        lag_vlans(draft, |vlans| {
            vlans.pop();
        })
    }),
    ("uplink-vlan-surplus", |draft| {
        let host = draft.host();
        let own = draft.plan.segments_of_host(host);
        let on = &draft.plan.on_pair[draft.plan.pair_of_host(host) as usize];
        let more = on.iter().find(|segment| !own.contains(segment))?;
        let mut vlans = vlans_of_host(draft.plan, host);
        vlans.push(draft.plan.vlans[*more as usize]);
        let value = format!("\"{}\"", joined(vlans));
        draft.told(Target::HostLag(host), Change::Key("tagged", value))
    }),
    ("uplink-guest-tags-outside", |draft| {
        let host = draft.host();
        let vlans = vlans_of_host(draft.plan, host);
        let outside = format!("{{ name = \"trunk\", tags = \"{},3950\" }}", vlans[0]);
        let all = networks(&vlans).replacen('[', &format!("[{outside}, "), 1);
        draft.told(Target::Host(host), Change::Key("networks", all))
    }),
    ("uplink-mtu-clash", |draft| {
        let host = draft.host();
        draft.add(Target::HostLag(host), Change::Key("mtu", "1500".to_owned()), None);
        draft.told(Target::Host(host), Change::Key("mtu", "9000".to_owned()))
    }),
    ("pair-domain-clash", |draft| draft.side("domain = 9999")),
    ("pair-system-clash", |draft| draft.side("system_priority = 100")),
    ("pair-peer-link-missing", |draft| {
        let pair = draft.pair();
        draft.told_of_all(Target::Pair(pair), Change::No("peer_link"))
    }),
    ("pair-peer-link-vlan", |draft| {
        let pair = draft.pair();
        let on = &draft.plan.on_pair[pair as usize];
        let kept = on[1..].iter().map(|&segment| draft.plan.vlans[segment as usize]);
        let value = joined(kept.chain([ESCAPE]).collect());
        draft.told(Target::PeerLink(pair), Change::Key("tagged", format!("\"{value}\"")))
    }),
    ("pair-keepalive-missing", |draft| {
        let pair = draft.pair();
        draft.told_of_all(Target::Pair(pair), Change::No("keepalive"))
    }),
    ("pair-keepalive-unreachable", |draft| {
        let pair = draft.pair();
        let own = management_address(Leaf { pair, side: 0 });
        let value = format!("{{ between = [\"{own}\", \"172.21.0.9\"] }}");
        draft.told(Target::Pair(pair), Change::Key("keepalive", value))
    }),
    ("pair-vtep-clash", |draft| draft.on_vtep("vtep = \"10.33.250.9\"")),
    ("pair-tree-clash", |draft| draft.beside_leaf("[[tree]]\non = \"{leaf}\"\npriority = 4096")),
    ("underlay-area-clash", |draft| draft.on_leaf(Target::Underlay, "area = 5")),
    ("underlay-timer-clash", |draft| draft.on_leaf(Target::Underlay, "hello = \"3s\"")),
    ("underlay-network-type-clash", |draft| {
        draft.on_leaf(Target::Underlay, "network_type = \"broadcast\"")
    }),
    ("underlay-authentication-clash", |draft| {
        draft.on_leaf(Target::Underlay, "authentication = \"ebb\"")
    }),
    ("underlay-bfd-one-sided", |draft| draft.on_leaf(Target::Underlay, "bfd = true")),
    ("underlay-protocol-clash", |draft| draft.on_leaf(Target::Underlay, "protocol = \"is-is\"")),
    ("underlay-subnet-clash", |draft| draft.on_leaf(Target::Underlay, "unnumbered = true")),
    ("underlay-loopback-unadvertised", |draft| {
        draft.on_leaf(Target::Underlay, "advertise = [\"loopbacks\", \"links\"]")
    }),
    ("underlay-protocol-clash", |draft| {
        draft.beside_leaf("[[interface]]\non = \"{leaf}\"\nport = \"p49\"\npassive = true")
    }),
    ("underlay-subnet-clash", |draft| {
        draft.beside_leaf(
            "[[interface]]\non = \"{leaf}\"\nport = \"p49\"\naddress = \"{strange}/31\"",
        )
    }),
    ("underlay-leaf-partial", |draft| {
        let (leaf, spines) = (draft.leaf(), draft.plan.of.spines);
        let last = spines.checked_sub(1).filter(|&rest| rest > 0)?;
        let pod = draft.plan.pod_of(leaf.pair);
        let run = format!(
            "{} {} -- {} p{}",
            draft.plan.leaf_name(leaf),
            Scaffold::range_from(HOST_PORTS + 1, last),
            Scaffold::range(&format!("spine-{pod}-"), last, 1),
            draft.plan.port_on_spine(leaf)
        );
        draft.told(Target::Uplinks(leaf), Change::Run(run))
    }),
    ("underlay-paths-limited", |draft| draft.on_leaf(Target::Router, "max_paths = 1")),
    ("underlay-router-id-reused", |draft| as_another(draft, "router_id")),
    ("underlay-address-reused", |draft| as_another(draft, "loopback")),
    ("underlay-loopback-not-host-prefix", |draft| {
        let leaf = draft.leaf();
        let text = format!(
            "on = \"{}\", loopback = \"{}/24\"",
            draft.plan.leaf_name(leaf),
            loopback(leaf)
        );
        draft.told(Target::Router, Change::Differs(text))
    }),
    ("underlay-mtu-too-small", |draft| uplink_mtus(draft, 1500, 1500)),
    ("pool-overlap", |draft| {
        draft.claims.push(Claim::Once("pool"));
        let text = "[[pool]]\nname = \"more\"\ngives = \"vteps\"\nprefix = \"10.32.0.0/24\"\n\
                    on = \"spine-1-1\"";
        draft.told(Target::End, Change::After(text.to_owned()))
    }),
    ("overlay-reflector-external", |draft| draft.on_leaf(Target::Router, "as_number = 65001")),
    ("session-communities-dropped", |draft| draft.on_session("communities = false")),
    ("session-family-one-sided", |draft| draft.on_session("families = \"ipv4\"")),
    ("session-as-clash", |draft| draft.on_session("peer_as = 65001")),
    ("underlay-authentication-clash", |draft| draft.on_session("authentication = \"ebb\"")),
    ("session-source-clash", |draft| draft.on_session("source = \"10.33.250.9\"")),
    ("session-one-sided", |draft| {
        let (leaf, other) = (draft.leaf(), draft.leaf());
        let [from, to] = [leaf, other].map(|leaf| draft.plan.leaf_name(leaf));
        let text = format!("[[session]]\non = \"{from}\"\nto = \"{to}\"");
        (leaf.pair != other.pair)
            .then(|| draft.told(Target::Pair(leaf.pair), Change::After(text)))?
    }),
    ("overlay-encapsulation-clash", |draft| draft.on_vtep("encapsulation = \"geneve\"")),
    ("segment-udp-port-clash", |draft| draft.on_vtep("udp_port = 8472")),
    ("segment-gateway-mac-clash", |draft| draft.on_vtep("gateway_mac = \"02:00:00:00:00:02\"")),
    ("segment-vni-clash", |draft| {
        draft.segment_on_leaf(|_, segment, _| format!("vni = {}", 190_000 + segment % 9000))
    }),
    ("segment-vlan-drift", |draft| draft.segment_on_leaf(|_, _, _| "vlan = 3953".to_owned())),
    ("segment-vrf-clash", |draft| {
        let tenants = draft.plan.of.tenants;
        draft.segment_on_leaf(|plan, segment, _| {
            let other = (plan.tenant_of(segment) + 1) % tenants;
            format!("vrf = \"{}\"", Plan::tenant_name(other))
        })
    }),
    ("segment-gateway-clash", |draft| {
        draft.segment_on_leaf(|plan, segment, _| {
            format!("gateway = \"{}\"", plan.address(segment, 2))
        })
    }),
    ("segment-subnet-drift", |draft| {
        draft.segment_on_leaf(|plan, segment, _| {
            format!("subnet = \"{}/{}\"", plan.address(segment, 0), plan.prefix_length() + 1)
        })
    }),
    ("overlay-rt-no-exporter", |draft| {
        draft.segment_on_leaf(|_, segment, _| {
            format!("import_targets = \"65000:{}\"", STRANGE_TARGETS + segment)
        })
    }),
    ("overlay-rt-no-importer", |draft| {
        draft.segment_on_leaf(|_, segment, _| {
            format!("export_targets = \"65000:{}\"", STRANGE_TARGETS + segment)
        })
    }),
    ("segment-vni-reused", |draft| {
        let (segment, other) = (draft.segment(), draft.segment());
        let value = Plan::vni(other).to_string();
        (segment != other)
            .then(|| draft.told(Target::Segment(segment), Change::Key("vni", value)))?
    }),
    ("segment-vni-also-vrf", |draft| {
        let segment = draft.segment();
        let value = Plan::vrf_vni(draft.plan.tenant_of(segment)).to_string();
        draft.told(Target::Segment(segment), Change::Key("vni", value))
    }),
    ("segment-vni-range", |draft| {
        let segment = draft.segment();
        let value = (900_000 + segment).to_string();
        draft.told(Target::Segment(segment), Change::Key("vni", value))
    }),
    ("segment-gateway-outside-subnet", |draft| {
        let segment = draft.segment();
        let free = draft.plan.guests_in[segment as usize] == 0;
        let value = "\"198.51.100.1\"".to_owned();
        free.then(|| draft.told(Target::Segment(segment), Change::Key("gateway", value)))?
    }),
    ("segment-gateway-missing", |draft| {
        let segment = draft.segment();
        let free = draft.plan.guests_in[segment as usize] == 0;
        free.then(|| draft.told_of_all(Target::Segment(segment), Change::No("gateway")))?
    }),
    ("segment-subnet-overlap", |draft| {
        let segment = draft.segment();
        let tenant = draft.plan.tenant_of(segment);
        let other = draft.plan.segments_of(tenant).find(|&other| other != segment)?;
        let (free, plan) = (draft.plan.guests_in[segment as usize] == 0, draft.plan);
        draft.claim_segment(other);
        let half = 1 << (31 - plan.prefix_length());
        let subnet = format!("\"{}/{}\"", plan.address(other, half), plan.prefix_length() + 1);
        let gateway = format!("\"{}\"", plan.address(other, half + 1));
        draft.add(Target::Segment(segment), Change::Key("gateway", gateway), None);
        free.then(|| draft.told(Target::Segment(segment), Change::Key("subnet", subnet)))?
    }),
    ("segment-leaf-missing", |draft| {
        let segment = draft.segment();
        let mut on: Vec<_> =
            draft.plan.pairs_of(segment).map(|pair| draft.plan.pair_name(pair) + "*").collect();
        let last = on.pop()?.replace('*', "b");
        on.push(last);
        draft.told_of_all(Target::Segment(segment), Change::Key("on", format!("{on:?}")))
    }),
    ("segment-vlan-missing", |draft| {
        // A VLAN that is carried for nothing in several places is told once.
        let vlan = draft.random.u32(STRANGE_VLANS);
        draft.claims.push(Claim::Vlan(vlan));
        draft.beside_leaf(&format!(
            "[[port]]\non = \"{{leaf}}\"\nports = \"p48\"\ntagged = \"{vlan}\""
        ))
    }),
    ("segment-unused", |draft| {
        let segment = draft.segment();
        let on: Vec<_> =
            draft.plan.pairs_of(segment).map(|pair| draft.plan.pair_name(pair) + "*").collect();
        let text = format!(
            "[[segment]]\nname = \"spare-{segment}\"\nnumber = {}\nvlan = 3952\non = {on:?}",
            80_000 + segment
        );
        (on.len() > 1).then(|| draft.told(Target::Segment(segment), Change::After(text)))?
    }),
    ("vrf-vni-clash", |draft| {
        draft.vrf_on_leaf(|tenant| format!("vni = {}", 59_000 + tenant % 900))
    }),
    ("vrf-vni-missing", |draft| {
        let (tenant, change) = draft.vrf_differs(|_| "without = \"vni\"".to_owned())?;
        draft.told_of_all(Target::Vrf(tenant), change)
    }),
    ("vrf-rt-clash", |draft| {
        draft.vrf_on_leaf(|tenant| format!("targets = \"65000:{}\"", STRANGE_TARGETS - 1 - tenant))
    }),
    ("vrf-vni-reused", |draft| {
        let tenant = draft.tenant();
        let value = Plan::vrf_vni(draft.other_tenant(tenant)?).to_string();
        draft.told(Target::Vrf(tenant), Change::Key("vni", value))
    }),
    ("vrf-leak-undeclared", |draft| {
        let tenant = draft.tenant();
        let [own, theirs] = [tenant, draft.other_tenant(tenant)?].map(Plan::vrf_vni);
        let value = format!("[\"65000:{own}\", \"65000:{theirs}\"]");
        draft.told(Target::Vrf(tenant), Change::Key("import_targets", value))
    }),
    ("vrf-leak-one-way", |draft| {
        let tenant = draft.tenant();
        let other = draft.other_tenant(tenant)?;
        // A leak is made where both are.
        let [here, there] = [tenant, other].map(|tenant| draft.pairs_of(tenant));
        if here.is_disjoint(&there) {
            return None;
        }
        let [from, to] = [tenant, other].map(Plan::tenant_name);
        let text = format!("[[leak]]\nfrom = \"{from}\"\nto = \"{to}\"");
        draft.told(Target::Vrf(tenant), Change::After(text))
    }),
    ("vrf-border-missing", |draft| {
        let tenant = draft.tenant();
        let text = format!(
            "[[outside]]\nname = \"campus-{tenant}\"\nvrf = \"{}\"\non = \"spine-1-1\"\n\
             prefixes = \"0.0.0.0/0\"",
            Plan::tenant_name(tenant)
        );
        draft.told(Target::Vrf(tenant), Change::After(text))
    }),
    ("endpoint-network-unmapped", |draft| draft.guest_key("tag", |_, _, _| "3950".to_owned())),
    ("endpoint-address-reused", |draft| {
        draft.guest_key("address", |plan, segment, _| {
            format!("\"{}/{}\"", plan.address(segment, 1), plan.prefix_length())
        })
    }),
    ("endpoint-address-reused", |draft| {
        let (first, second) = draft.guests()?;
        let guest = draft.plan.guests[first as usize];
        let value = format!(
            "\"{}/{}\"",
            draft.plan.address(guest.segment, guest.place),
            draft.plan.prefix_length()
        );
        draft.told(Target::Guest(second), Change::Key("address", value))
    }),
    ("endpoint-mac-reused", |draft| {
        let (first, second) = draft.guests()?;
        let [high, low] = [second / 256 % 256, second % 256];
        let mac = format!("\"02:00:00:99:{high:02x}:{low:02x}\"");
        draft.add(Target::Guest(first), Change::Key("mac", mac.clone()), None);
        draft.told(Target::Guest(second), Change::Key("mac", mac))
    }),
    ("endpoint-outside-subnet", |draft| {
        draft.guest_key("address", |plan, _, place| {
            format!("\"198.51.100.{place}/{}\"", plan.prefix_length())
        })
    }),
    ("endpoint-prefix-length-clash", |draft| {
        draft.guest_key("address", |plan, segment, place| {
            format!("\"{}/16\"", plan.address(segment, place))
        })
    }),
    ("endpoint-gateway-wrong", |draft| {
        draft.guest_key("gateway", |plan, segment, _| format!("\"{}\"", plan.address(segment, 3)))
    }),
    ("dhcp-outside-subnet", |draft| {
        draft.dhcp(|plan, segment| {
            format!(
                "addresses = \"198.51.100.1-198.51.100.9\"\nrouter = \"{}\"",
                plan.address(segment, 1)
            )
        })
    }),
    ("dhcp-covers-gateway", |draft| {
        draft.dhcp(|plan, segment| {
            let [first, last] = [1, 4].map(|place| plan.address(segment, place));
            format!("addresses = \"{first}-{last}\"\nrouter = \"{first}\"")
        })
    }),
    ("dhcp-router-wrong", |draft| {
        draft.dhcp(|plan, segment| {
            let [router, free] = [3, 5].map(|place| plan.address(segment, place));
            format!("addresses = \"{free}\"\nrouter = \"{router}\"")
        })
    }),
    ("expect-failed", |draft| {
        let (first, second) = draft.guests()?;
        let [from, to] = [first, second].map(guest_name);
        let text = format!("[[expect]]\nfrom = \"{from}\"\nto = \"{to}\"\nreaches = false");
        draft.told(Target::Guest(second), Change::After(text))
    }),
    ("accept-unmatched", |draft| {
        draft.beside_leaf(
            "[[accept]]\nrule = \"port-mtu-clash\"\non = \"{leaf}\"\nreason = \"a test bed\"",
        )
    }),
];
