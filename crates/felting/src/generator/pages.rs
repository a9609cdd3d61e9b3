//! The files of a large fabric, statement by statement, with the faults written in.

use std::fmt::{Display, Write as _};

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::numbers::{KnownFault, LargeFiles};
use super::plan::{
    ESCAPE, FIRST_LEAF, FIRST_VNI, FIRST_VRF_VNI, GuestNo, HostNo, Leaf, PairNo, Plan, SegmentNo,
};
use crate::progress::{Progress, Stage};
use crate::scaffold::{HOST_PORTS, Scaffold};

/// A statement that faults can change.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Target {
    Underlay,
    Router,
    Overlay,
    /// The sessions of a pod's leaves with its spines.
    SessionsUp(u32),
    /// The sessions of a pod's spines with its leaves.
    SessionsDown(u32),
    Pair(PairNo),
    PeerLink(PairNo),
    /// The cables of a leaf to the spines.
    Uplinks(Leaf),
    /// The LAG of a host, on both leaves.
    HostLag(HostNo),
    HostCables(HostNo),
    Host(HostNo),
    Segment(SegmentNo),
    Vrf(u32),
    Guest(GuestNo),
    /// What the root file ends with.
    End,
}

/// How a statement is changed.
#[derive(Clone, Debug)]
pub(super) enum Change {
    /// A key has another value, or stands where it did not.
    Key(&'static str, String),
    /// A key is not written.
    No(&'static str),
    /// Something is said otherwise for some: an element of `differs`.
    Differs(String),
    /// A cable run reads otherwise.
    Run(String),
    /// More statements stand after this one.
    After(String),
}

/// What must be told of a change.
#[derive(Clone, Copy, Debug)]
pub(super) struct Told {
    pub(super) rule: &'static str,
    /// Whether at the changed lines, or else anywhere in the changed statement.
    pub(super) by_lines: bool,
}

/// A change; nothing is told of one that only makes room for another.
#[derive(Clone, Debug)]
pub(super) struct Edit {
    pub(super) change: Change,
    pub(super) told: Option<Told>,
}

pub(super) type Edits = FxHashMap<Target, Vec<Edit>>;

/// All files and where the faults are.
pub(super) fn write(plan: &Plan<'_>, edits: &Edits, progress: &Progress) -> LargeFiles {
    let wanted: Vec<Content> = [Content::Root, Content::Tenants]
        .into_iter()
        .chain((1..=plan.of.pods).map(Content::Pod))
        .collect();
    progress.begin(Stage::Planning, wanted.len());
    let file = |content: &Content| {
        let mut page = Page { text: String::new(), counted: (0, 1), edits, key: Vec::new() };
        let path = match *content {
            Content::Root => {
                root(plan, &mut page);
                "fabric.toml".to_owned()
            }
            Content::Tenants => {
                tenants(plan, &mut page);
                "tenants.toml".to_owned()
            }
            Content::Pod(pod) => {
                pod_file(plan, pod, &mut page);
                format!("pods/pod-{pod:02}.toml")
            }
        };
        progress.advance(1);
        let key = page.key.into_iter().map(|(rule, first, last)| KnownFault {
            rule,
            file: path.clone(),
            first,
            last,
        });
        let key: Vec<KnownFault> = key.collect();
        (key, (path, page.text))
    };
    let (key, files): (Vec<_>, Vec<_>) = wanted.par_iter().map(file).unzip();
    let mut made = LargeFiles { files, key: key.into_iter().flatten().collect() };
    made.key.sort();
    made
}

/// What a file is of.
enum Content {
    Root,
    Tenants,
    Pod(u32),
}

/// A file being written.
struct Page<'a> {
    text: String,
    /// Up to which byte lines are counted, and the line there.
    counted: (usize, usize),
    edits: &'a Edits,
    /// The rule and the first and last line of each fault in it.
    key: Vec<(&'static str, usize, usize)>,
}

impl Page<'_> {
    fn add(&mut self, text: impl Display) {
        // Writing to a String cannot fail.
        let _ = write!(self.text, "{text}");
    }

    fn line(&mut self) -> usize {
        let (byte, line) = self.counted;
        let line = line + self.text[byte..].matches('\n').count();
        self.counted = (self.text.len(), line);
        line
    }

    /// Writes what a fault changes, whole lines, and notes where they are.
    fn changed(&mut self, edit: &Edit, lines: &str) {
        let first = self.line();
        self.add(lines);
        let last = self.line() - 1;
        let told = edit.told.filter(|told| told.by_lines);
        self.key.extend(told.map(|told| (told.rule, first, last)));
    }

    /// A statement of keys with their values as TOML.
    fn statement(&mut self, target: Option<Target>, table: &str, keys: &[(&str, String)]) {
        let edits =
            target.and_then(|target| self.edits.get(&target)).map_or(&[][..], Vec::as_slice);
        let first = if edits.is_empty() { 0 } else { self.line() };
        self.add(format_args!("\n[[{table}]]\n"));
        let of_key = |name: &str| {
            edits.iter().find(|edit| {
                matches!(&edit.change, Change::Key(key, _) | Change::No(key) if *key == name)
            })
        };
        for (name, value) in keys {
            match of_key(name) {
                None => self.add(format_args!("{name} = {value}\n")),
                Some(edit) => {
                    if let Change::Key(_, value) = &edit.change {
                        self.changed(edit, &format!("{name} = {value}\n"));
                    }
                }
            }
        }
        for edit in edits {
            match &edit.change {
                Change::Key(key, value) if keys.iter().all(|(name, _)| name != key) => {
                    self.changed(edit, &format!("{key} = {value}\n"));
                }
                _ => {}
            }
        }
        let differs =
            edits.iter().filter_map(|edit| Some((edit, as_differs(edit)?))).collect::<Vec<_>>();
        if !differs.is_empty() {
            self.add("differs = [\n");
            for (edit, text) in differs {
                self.changed(edit, &format!("  {{ {text} }},\n"));
            }
            self.add("]\n");
        }
        if !edits.is_empty() {
            let last = self.line() - 1;
            let of_all = edits.iter().filter_map(|edit| edit.told).filter(|told| !told.by_lines);
            self.key.extend(of_all.map(|told| (told.rule, first + 1, last)));
        }
        self.after(target);
    }

    fn after(&mut self, target: Option<Target>) {
        for edit in target.and_then(|target| self.edits.get(&target)).into_iter().flatten() {
            if let Change::After(text) = &edit.change {
                self.add("\n");
                self.changed(edit, &format!("{}\n", text.trim()));
            }
        }
    }

    /// A cable run, an element of `runs`.
    fn run(&mut self, target: Target, run: impl Display) {
        let mut edits = self.edits.get(&target).into_iter().flatten();
        let changed = edits.find_map(|edit| match &edit.change {
            Change::Run(run) => Some((edit, run)),
            _ => None,
        });
        match changed {
            None => self.add(format_args!("  \"{run}\",\n")),
            Some((edit, runs)) => {
                let lines =
                    runs.lines().fold(String::new(), |lines, run| lines + "  \"" + run + "\",\n");
                self.changed(edit, &lines);
            }
        }
    }
}

fn as_differs(edit: &Edit) -> Option<&str> {
    match &edit.change {
        Change::Differs(text) => Some(text),
        _ => None,
    }
}

fn quoted(text: impl Display) -> String {
    format!("\"{text}\"")
}

fn list(items: impl Iterator<Item = String>) -> String {
    format!("[{}]", items.map(quoted).collect::<Vec<_>>().join(", "))
}

fn root(plan: &Plan<'_>, page: &mut Page<'_>) {
    let of = plan.of;
    let last = plan.peer_port() + plan.peer_cables() - 1;
    page.add(format_args!(
        "#:schema fabric.schema.json\n\
         # {} pods of {} pairs of leaves and {} spines, {} hosts. Made by `felting new`.\n\n\
         [fabric]\nname = {}\ninclude = [\"tenants.toml\", \"pods/*.toml\"]\n",
        of.pods,
        of.pairs,
        of.spines,
        of.hosts,
        // Quoted as TOML quotes it, whatever is in it.
        toml::Value::String(of.name.clone())
    ));
    let ports = |count: u32| quoted(format_args!("p[1-{count}] 100G"));
    page.statement(
        None,
        "hardware",
        &[
            ("name", quoted("leaf")),
            ("ports", format!("[\"p[1-{HOST_PORTS}] 25G\", \"p[49-{last}] 100G\"]")),
            ("mtu", "9216".to_owned()),
        ],
    );
    let spine_ports = of.pairs * 2 + of.super_spines;
    for (kind, count) in [("spine", spine_ports), ("super-spine", of.pods * of.spines)] {
        if kind == "spine" || of.super_spines > 0 {
            page.statement(
                None,
                "hardware",
                &[
                    ("name", quoted(kind)),
                    ("ports", ports(count.max(32))),
                    ("vtep", "false".to_owned()),
                    ("mtu", "9216".to_owned()),
                ],
            );
        }
    }
    if of.super_spines > 0 {
        page.statement(
            None,
            "switch",
            &[
                ("name", quoted(Scaffold::range("top-", of.super_spines, 1))),
                ("number", "1".to_owned()),
                ("role", quoted("super-spine")),
                ("hardware", quoted("super-spine")),
            ],
        );
    }
    routing(plan, page);
    if of.spread == 1 {
        page.statement(
            None,
            "accept",
            &[
                ("rule", quoted("segment-single-vtep")),
                ("on", quoted("net-*")),
                ("reason", quoted("one pair so far; the VNIs are for those to come")),
            ],
        );
    }
    page.after(Some(Target::End));
}

fn routing(plan: &Plan<'_>, page: &mut Page<'_>) {
    let of = plan.of;
    let reserve = of.spines.max(of.super_spines).next_power_of_two().max(4);
    for (name, prefix) in
        [("links", "10.0.0.0/11"), ("loopbacks", "10.32.0.0/16"), ("vteps", "10.33.0.0/16")]
    {
        let mut keys =
            vec![("name", quoted(name)), ("gives", quoted(name)), ("prefix", quoted(prefix))];
        if name == "links" {
            keys.push(("links_per_switch", reserve.to_string()));
        }
        page.statement(None, "pool", &keys);
    }
    for (name, gives, base, last) in [
        ("segments", "segment-vnis", FIRST_VNI, FIRST_VNI + 99_999),
        ("vrfs", "vrf-vnis", FIRST_VRF_VNI, FIRST_VRF_VNI + 9999),
    ] {
        page.statement(
            None,
            "pool",
            &[
                ("name", quoted(name)),
                ("gives", quoted(gives)),
                ("base", base.to_string()),
                ("last", last.to_string()),
            ],
        );
    }
    let all = match of.super_spines {
        0 => "[\"spine-*\", \"leaf-*\"]",
        _ => "[\"top-*\", \"spine-*\", \"leaf-*\"]",
    };
    let leaves = || ("on", quoted("leaf-*"));
    let on = || ("on", all.to_owned());
    page.statement(Some(Target::Underlay), "underlay", &[on(), ("protocol", quoted("ospf"))]);
    page.statement(Some(Target::Router), "router", &[on(), ("as_number", "65000".to_owned())]);
    page.statement(
        Some(Target::Overlay),
        "overlay",
        &[
            leaves(),
            ("target_pattern", quoted("65000:{vni}")),
            ("gateway_mac", quoted("02:00:00:00:00:01")),
        ],
    );
    page.statement(
        None,
        "management",
        &[("name", quoted("management")), ("subnet", quoted("172.20.0.0/16")), leaves()],
    );
    page.statement(
        None,
        "interface",
        &[
            leaves(),
            ("vlan", ESCAPE.to_string()),
            ("unnumbered", "true".to_owned()),
            ("cost", "100".to_owned()),
        ],
    );
    if of.super_spines > 0 {
        sessions(page, None, "spine-*", "top-*", false);
        sessions(page, None, "top-*", "spine-*", true);
    }
}

/// Sessions of some switches with others, which are their reflectors or their clients.
fn sessions(page: &mut Page<'_>, target: Option<Target>, on: &str, to: &str, client: bool) {
    let mut keys = vec![("on", quoted(on)), ("to", quoted(to))];
    if client {
        keys.push(("client", "true".to_owned()));
    }
    page.statement(target, "session", &keys);
}

fn tenants(plan: &Plan<'_>, page: &mut Page<'_>) {
    let on = |pairs: &[PairNo]| ("on", list(pairs.iter().map(|&pair| plan.pair_name(pair) + "*")));
    for tenant in 0..plan.of.tenants {
        let segments = plan.segments_of(tenant);
        let mut pairs: Vec<_> =
            segments.clone().flat_map(|segment| plan.pairs_of(segment)).collect();
        pairs.sort_unstable();
        pairs.dedup();
        page.statement(
            Some(Target::Vrf(tenant)),
            "vrf",
            &[
                ("name", quoted(Plan::tenant_name(tenant))),
                ("number", (tenant + 1).to_string()),
                on(&pairs),
            ],
        );
        for segment in segments {
            let pairs: Vec<_> = plan.pairs_of(segment).collect();
            let length = plan.prefix_length();
            page.statement(
                Some(Target::Segment(segment)),
                "segment",
                &[
                    ("name", quoted(Plan::segment_name(segment))),
                    ("number", (segment + 1).to_string()),
                    ("vrf", quoted(Plan::tenant_name(tenant))),
                    ("vlan", plan.vlans[segment as usize].to_string()),
                    ("subnet", quoted(format_args!("{}/{length}", plan.address(segment, 0)))),
                    ("gateway", quoted(plan.address(segment, 1))),
                    on(&pairs),
                ],
            );
        }
    }
}

fn pod_file(plan: &Plan<'_>, pod: u32, page: &mut Page<'_>) {
    let of = plan.of;
    page.add(format_args!("# Pod {pod}: its switches, its cables, its hosts and their guests.\n"));
    page.statement(
        None,
        "switch",
        &[
            ("name", quoted(Scaffold::range(&format!("spine-{pod}-"), of.spines, 1))),
            ("number", (101 + (pod - 1) * of.spines).to_string()),
            ("role", quoted("spine")),
            ("hardware", quoted("spine")),
        ],
    );
    let pairs = Scaffold::range(&format!("leaf-{pod}-"), of.pairs, 2);
    page.statement(
        None,
        "switch",
        &[
            ("name", quoted(format_args!("{pairs}[a-b]"))),
            ("number", (FIRST_LEAF + (pod - 1) * of.pairs * 2).to_string()),
            ("role", quoted("leaf")),
            ("hardware", quoted("leaf")),
        ],
    );
    let (leaves, spines) = (format!("leaf-{pod}-*"), format!("spine-{pod}-*"));
    sessions(page, Some(Target::SessionsUp(pod)), &leaves, &spines, false);
    sessions(page, Some(Target::SessionsDown(pod)), &spines, &leaves, true);
    cabling(plan, pod, page);
    let mut guests: Vec<Vec<GuestNo>> = vec![Vec::new(); plan.pairs_in(pod).len()];
    for (number, guest) in (0..).zip(&plan.guests) {
        let pair = plan.pair_of_host(guest.host);
        if plan.pod_of(pair) == pod {
            guests[(pair % of.pairs) as usize].push(number);
        }
    }
    for (pair, guests) in plan.pairs_in(pod).zip(guests) {
        pair_statements(plan, pair, page);
        for host in plan.hosts_on(pair) {
            host_statements(plan, host, page);
        }
        for guest in guests {
            guest_statement(plan, guest, page);
        }
    }
}

fn cabling(plan: &Plan<'_>, pod: u32, page: &mut Page<'_>) {
    let of = plan.of;
    let up = Scaffold::range_from(HOST_PORTS + 1, of.spines);
    let spines = Scaffold::range(&format!("spine-{pod}-"), of.spines, 1);
    page.add("\n[cabling]\nruns = [\n");
    if of.super_spines > 0 {
        let ports = Scaffold::range_from(of.pairs * 2 + 1, of.super_spines);
        let tops = Scaffold::range("top-", of.super_spines, 1);
        for spine in 1..=of.spines {
            let port = (pod - 1) * of.spines + spine;
            page.add(format_args!("  \"spine-{pod}-{spine} {ports} -- {tops} p{port}\",\n"));
        }
    }
    for pair in plan.pairs_in(pod) {
        let name = plan.pair_name(pair);
        for side in 0..2 {
            let leaf = Leaf { pair, side };
            let run =
                format!("{} {up} -- {spines} p{}", plan.leaf_name(leaf), plan.port_on_spine(leaf));
            page.run(Target::Uplinks(leaf), run);
        }
        let peer = Scaffold::range_from(plan.peer_port(), plan.peer_cables());
        page.add(format_args!("  \"{name}a {peer} -- {name}b {peer}\",\n"));
        for host in plan.hosts_on(pair) {
            let port = plan.port_of_host(host);
            let run = format!("{} nic[1-2] -- {name}[a-b] p{port}", plan.host_name(host));
            page.run(Target::HostCables(host), run);
        }
    }
    page.add("]\n");
}

fn pair_statements(plan: &Plan<'_>, pair: PairNo, page: &mut Page<'_>) {
    let name = plan.pair_name(pair);
    let both = || ("on", quoted(format_args!("{name}*")));
    let mut vlans: Vec<_> =
        plan.on_pair[pair as usize].iter().map(|&segment| plan.vlans[segment as usize]).collect();
    vlans.push(ESCAPE);
    page.statement(
        Some(Target::PeerLink(pair)),
        "lag",
        &[
            both(),
            ("name", quoted("peer")),
            ("ports", quoted(Scaffold::range_from(plan.peer_port(), plan.peer_cables()))),
            ("tagged", quoted(joined(vlans))),
        ],
    );
    let [a, b] = [0, 1].map(|side| management_address(Leaf { pair, side }));
    page.statement(
        Some(Target::Pair(pair)),
        "pair",
        &[
            ("name", quoted(&name)),
            both(),
            ("domain", (pair + 1).to_string()),
            ("peer_link", quoted("peer")),
            ("keepalive", format!("{{ between = [\"{a}\", \"{b}\"] }}")),
        ],
    );
}

pub(super) fn management_address(leaf: Leaf) -> String {
    let number = Plan::leaf_number(leaf);
    format!("172.20.{}.{}", number / 256, number % 256)
}

/// Numbers in ascending order, with commas between them.
pub(super) fn joined(mut numbers: Vec<u32>) -> String {
    numbers.sort_unstable();
    numbers.iter().map(u32::to_string).collect::<Vec<_>>().join(",")
}

/// The VLANs of a host.
pub(super) fn vlans_of_host(plan: &Plan<'_>, host: HostNo) -> Vec<u32> {
    plan.segments_of_host(host).iter().map(|&segment| plan.vlans[segment as usize]).collect()
}

/// The virtual networks of a host, one for each VLAN.
pub(super) fn networks(vlans: &[u32]) -> String {
    let each = vlans.iter().map(|vlan| format!("{{ name = \"v{vlan}\", tag = {vlan} }}"));
    format!("[{}]", each.collect::<Vec<_>>().join(", "))
}

fn host_statements(plan: &Plan<'_>, host: HostNo, page: &mut Page<'_>) {
    let (name, pair) = (plan.host_name(host), plan.pair_name(plan.pair_of_host(host)));
    let (vlans, port) = (vlans_of_host(plan, host), plan.port_of_host(host));
    page.statement(
        Some(Target::Host(host)),
        "host",
        &[
            ("name", quoted(&name)),
            ("nics", quoted("nic[1-2] 25G")),
            ("bond", "{ name = \"bond0\", nics = \"nic[1-2]\" }".to_owned()),
            ("networks", networks(&vlans)),
        ],
    );
    page.statement(
        Some(Target::HostLag(host)),
        "lag",
        &[
            ("on", quoted(format_args!("{pair}*"))),
            ("name", quoted(&name)),
            ("group", port.to_string()),
            ("ports", quoted(format_args!("p{port}"))),
            ("tagged", quoted(joined(vlans))),
        ],
    );
}

pub(super) fn guest_name(guest: GuestNo) -> String {
    format!("guest-{}", guest + 1)
}

fn guest_statement(plan: &Plan<'_>, number: GuestNo, page: &mut Page<'_>) {
    let guest = plan.guests[number as usize];
    let length = plan.prefix_length();
    page.statement(
        Some(Target::Guest(number)),
        "endpoint",
        &[
            ("name", quoted(guest_name(number))),
            ("host", quoted(plan.host_name(guest.host))),
            ("network", quoted(format_args!("v{}", plan.vlans[guest.segment as usize]))),
            (
                "address",
                quoted(format_args!("{}/{length}", plan.address(guest.segment, guest.place))),
            ),
            ("gateway", quoted(plan.address(guest.segment, 1))),
        ],
    );
}
