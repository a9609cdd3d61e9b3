use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};

use super::bridge_name;
use crate::behaviour::tree::region_identity;
use crate::behaviour::{Bridge, BridgeId};
use crate::diagnostic::Span;
use crate::fabric::{Fabric, TreeSettings};
use crate::rules::shown::by_line;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::TreeMode;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tree-mode-clash",
        severity: Severity::Warning,
        summary: "neighbours run spanning trees that fall back to something less",
        explain: "Bridges of one MST region share name, revision and the map of VLANs to instances. Where any of \
              these differ, or a neighbour runs another mode, the regions end there: all instances go by the one \
              common tree across the link. One tree for each VLAN is understood by its like only: \
              neighbours hear at most that of one VLAN.",
        sources: &["IEEE 802.1Q clause 13.8", "IEEE 802.1Q clause 13.5"],
        broken: r#"
[[switch]]
name = "jetty"
ports = "p1 1G"

[[switch]]
name = "mud-1"
ports = "p1 1G"

[[tree]]
on = ["jetty", "mud-1"]
mode = "mstp"
region = "workshop"
revision = 3
instances = { id = 1, vlans = 420 }
differs = [{ on = "mud-1", revision = 2 }]

[[port]]
on = "jetty"
ports = "p1"
tagged = 420

[[port]]
on = "mud-1"
ports = "p1"
tagged = 420

[cabling]
runs = "jetty p1 -- mud-1 p1"
"#,
        mend: &[("revision = 2", "revision = 3")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let trees = cx.state.trees();
    let mut clashes: Vec<([BridgeId; 2], [Span; 2])> = Vec::new();
    for lan in trees.lans.values() {
        let running = lan.iter().map(|&port| trees.port(port)).filter(|port| port.runs);
        let mut alike = alike(cx, running.map(|port| port.bridge));
        if alike.len() < 2 {
            continue;
        }
        // Where many share a LAN most of them are right.
        let most = (0..alike.len()).rev().max_by_key(|&place| alike[place].len());
        let most = alike.remove(most.unwrap_or_default())[0];
        for other in alike.into_iter().flatten() {
            // What somebody wrote is to be looked at, and not what comes of itself.
            let pair = match trees.bridge(other).settings {
                None => [other, most],
                Some(_) => [most, other],
            };
            let (_, near, _, far) =
                differ(pair.map(|bridge| Runs::of(cx.fabric, trees.bridge(bridge))));
            clashes.push((pair, [near, far]));
        }
    }
    // Two neighbours may share several LANs.
    let mut known = FxHashSet::default();
    clashes.retain(|(_, places)| known.insert(*places));
    for (end, all) in by_line(clashes, 1) {
        tell(cx, [all[0][1 - end], all[0][end]], all.len() - 1, out);
    }
}

/// The bridges on a LAN, those together that understand each other.
fn alike(cx: &Context<'_>, bridges: impl Iterator<Item = BridgeId>) -> Vec<Vec<BridgeId>> {
    let trees = cx.state.trees();
    let bridges: BTreeSet<BridgeId> = bridges.collect();
    let mut alike: Vec<Vec<BridgeId>> = Vec::new();
    let mut places = FxHashMap::default();
    for bridge in bridges {
        let runs = Runs::of(cx.fabric, trees.bridge(bridge));
        let region = runs.settings.filter(|_| runs.mode == TreeMode::Mstp).map(region_identity);
        let place = *places.entry((runs.mode, region)).or_insert(alike.len());
        match alike.get_mut(place) {
            Some(known) => known.push(bridge),
            None => alike.push(vec![bridge]),
        }
    }
    alike
}

/// Tells of two bridges on a LAN that don't understand each other, the one at fault last, and of how many more.
fn tell(cx: &Context<'_>, [near, far]: [BridgeId; 2], more: usize, out: &mut Findings<'_>) {
    let trees = cx.state.trees();
    let [a, b] = [near, far].map(|bridge| Runs::of(cx.fabric, trees.bridge(bridge)));
    let (text_a, place_a, text_b, place_b) = differ([a, b]);
    let more = match more {
        0 => String::new(),
        1 => format!(", as do {} and one more neighbour", bridge_name(cx, far)),
        _ => format!(", as do {} and {more} more neighbours", bridge_name(cx, far)),
    };
    let (name_a, name_b) = (bridge_name(cx, near), bridge_name(cx, far));
    let per_vlan = [a, b].iter().any(|own| own.mode == TreeMode::PerVlan);
    out.report(
        place_b,
        format!("{name_b} has {text_b}"),
        format!("{name_a} and {name_b} run different spanning trees: {text_a} and {text_b}{more}"),
    )
    .related(place_a, format!("{name_a} has {text_a}"))
    .wire(match per_vlan {
        true => "the two understand one tree at most: the VLANs of the others may loop or be cut off",
        false => "the region ends at the link between them: all instances share the common tree there, and load is no longer spread",
    })
    .remedy("set one mode, and in MSTP one region name, revision and map of VLANs, on all bridges")
    .about(trees.bridge(near).devices[0])
    .about(trees.bridge(far).devices[0]);
}

/// The tree that a bridge runs, and where that is written; without a word the bridge runs RSTP (IEEE 802.1Q clause 13).
#[derive(Clone, Copy)]
struct Runs<'a> {
    mode: TreeMode,
    place: Span,
    settings: Option<&'a TreeSettings>,
}

impl<'a> Runs<'a> {
    fn of(fabric: &'a Fabric, bridge: &Bridge) -> Self {
        let settings = bridge.settings.map(|tree| fabric.tree_setting(tree));
        let own = fabric.device(bridge.devices[0]).name.span;
        Self { mode: bridge.mode, place: settings.map_or(own, |own| own.mode.span), settings }
    }
}

/// What two neighbours that don't understand each other have of different, in words and with the places.
fn differ([a, b]: [Runs<'_>; 2]) -> (String, Span, String, Span) {
    let both = a.settings.zip(b.settings).filter(|_| a.mode == b.mode);
    let Some((a, b)) = both else {
        let text = |runs: Runs<'_>| match runs.settings {
            Some(_) => format!("the mode {}", runs.mode),
            None => format!("the mode {} by default", runs.mode),
        };
        return (text(a), a.place, text(b), b.place);
    };
    let (x, y) = (region_identity(a), region_identity(b));
    let place = |settings: &TreeSettings, which: usize| match which {
        0 => settings.region.as_ref().map(|name| name.span),
        1 => Some(settings.revision.span),
        _ => settings.instances.first().map(|instance| instance.vlans.span),
    };
    let which = [x.0 != y.0, x.1 != y.1, true].iter().position(|differs| *differs).unwrap_or(2);
    let text = |identity: &(smol_str::SmolStr, u16, Vec<_>), settings: &TreeSettings| match which {
        0 => format!("the region {:?}", identity.0),
        1 => format!("revision {} of the region {:?}", identity.1, identity.0),
        _ => {
            let map = settings.instances.iter();
            let map = map.map(|own| format!("{}: {}", own.id.value, own.vlans.value));
            format!("the instances {}", map.collect::<Vec<_>>().join("; "))
        }
    };
    let at = |settings: &TreeSettings| place(settings, which).unwrap_or(settings.span.0);
    (text(&x, a), at(a), text(&y, b), at(b))
}
