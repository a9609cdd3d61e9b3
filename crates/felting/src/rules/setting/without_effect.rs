use std::collections::BTreeMap;

use rustc_hash::FxHashSet;

use crate::behaviour::Carrier;
use crate::behaviour::evpn::replication;
use crate::behaviour::session::is_internal;
use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric, TreePort};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{DfElection, EthernetSegmentMode, Replication, TreeMode, UnderlayProtocol};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "setting-without-effect",
        severity: Severity::Hint,
        summary: "a setting means nothing where it stands",
        explain: "What is written has no part in what the switch does: it is for another protocol, another kind of \
              port, or for something that is not there. Either it is left over, or what it was written for is \
              missing.",
        sources: &["the standards of the protocols that the settings are for"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
tagged = "310"

[[port]]
on = "kelp-a"
ports = "p1"
edge = true

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("\n[[port]]\non = \"kelp-a\"\nports = \"p1\"\nedge = true\n", "")],
    },
    check,
};

/// A setting as one thing has it.
struct Setting {
    span: Span,
    device: DeviceId,
    /// Its key.
    key: &'static str,
    /// Why it has no effect there, if it has none.
    why: Option<&'static str>,
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // What is written once for many things has an effect if it has one on any of them.
    let mut of_place: BTreeMap<Span, (Setting, bool)> = BTreeMap::new();
    let mut note = |setting: Setting| match of_place.get_mut(&setting.span) {
        Some((known, on_others)) => {
            known.why = known.why.and(setting.why);
            *on_others |= known.device != setting.device;
        }
        None => {
            of_place.insert(setting.span, (setting, false));
        }
    };
    plant(cx, &mut note);
    routing(fabric, &mut note);
    overlays(fabric, &mut note);
    trees(fabric, &mut note);
    wires(fabric, &mut note);
    for (setting, on_others) in of_place.into_values() {
        let Some(why) = setting.why else { continue };
        let name = fabric.device_name(setting.device);
        let (key, more) = (setting.key, if on_others { " and others" } else { "" });
        out.report(
            setting.span,
            "without effect",
            format!("`{key}` has no effect on {name}{more}: {why}"),
        )
        .related(fabric.device(setting.device).name.span, format!("{name} has it"))
        .wire("nothing: the switch does what it would do without it")
        .remedy(format!("take `{key}` out, or add what it was written for"))
        .about(setting.device);
    }
}

/// What of the spanning tree is written of something with a span of its own, where it is not as by default.
fn of_tree(tree: &TreePort) -> impl Iterator<Item = (Span, &'static str)> {
    let edge = tree.edge.value.then_some((tree.edge.span, "edge"));
    let runs = (!tree.runs.value).then_some((tree.runs.span, "tree"));
    let cost = tree.cost.map(|cost| (cost.span, "tree_cost"));
    [edge, runs, cost].into_iter().flatten()
}

/// What of the spanning tree is written of ports and LAGs: of no effect where no tree has them for a port.
fn plant(cx: &Context<'_>, note: &mut impl FnMut(Setting)) {
    let fabric = cx.fabric;
    let in_trees: FxHashSet<Carrier> =
        cx.state.trees().ports().map(|(_, port)| port.carrier).collect();
    let mut all: Vec<_> = fabric.port_settings.iter().collect();
    all.sort_unstable_by_key(|&(&port, _)| port);
    for (&port, own) in all {
        let device = fabric.port(port).device;
        let why = match fabric.lag_of(port) {
            Some(_) => Some("the port is a member of a LAG, whose settings count"),
            None if in_trees.contains(&Carrier::Port(port)) => None,
            // A port that nothing is plugged into may be bridged when something is.
            None => fabric.link(port).map(|_| "the port is in no spanning tree"),
        };
        of_tree(&own.tree).for_each(|(span, key)| note(Setting { span, device, key, why }));
    }
    for (id, lag) in fabric.lags() {
        let device = lag.device;
        let carrier = lag.group.map_or(Carrier::Lag(id), Carrier::Group);
        let why = (!in_trees.contains(&carrier)).then_some("the LAG is in no spanning tree");
        of_tree(&lag.tree).for_each(|(span, key)| note(Setting { span, device, key, why }));
        let mode = lag.ethernet_segment_mode;
        if mode.value != EthernetSegmentMode::AllActive {
            let none = lag.ethernet_segment.is_none();
            let why = none.then_some("the LAG is in no Ethernet segment");
            note(Setting { span: mode.span, device, key: "ethernet_segment_mode", why });
        }
    }
}

fn routing(fabric: &Fabric, note: &mut impl FnMut(Setting)) {
    for (_, interface) in fabric.interfaces() {
        let level = interface.level;
        // A default has the place of the statement.
        let is_written =
            fabric.sources().text(level.span).trim_matches('"') == level.value.to_string();
        if is_written {
            let is_is = interface.protocol.value == UnderlayProtocol::Isis;
            let why = (!is_is).then_some("levels are of IS-IS, which does not run there");
            let device = interface.device;
            note(Setting { span: level.span, device, key: "level", why });
        }
    }
    for (_, session) in fabric.sessions() {
        let Some(hops) = session.multihop else { continue };
        let why = is_internal(fabric, session)
            .then_some("a session inside one AS may be over any number of routers");
        note(Setting { span: hops.span, device: session.device, key: "multihop", why });
    }
}

fn overlays(fabric: &Fabric, note: &mut impl FnMut(Setting)) {
    for (_, overlay) in fabric.overlays() {
        let device = overlay.device;
        let floods = |wanted: Replication| {
            let mut own = fabric.presences_on(device).iter();
            own.any(|&id| replication(fabric, id) == Some(wanted))
        };
        if overlay.preference.span != overlay.span.0 {
            let other = overlay.election.value != DfElection::Preference;
            let why = other.then_some("the election is not by preference");
            note(Setting { span: overlay.preference.span, device, key: "preference", why });
        }
        if let Some(point) = overlay.rendezvous.first() {
            let why = (overlay.replication.value != Replication::Multicast
                && !floods(Replication::Multicast))
            .then_some("no segment there floods by multicast");
            note(Setting { span: point.span, device, key: "rendezvous", why });
        }
    }
    for (id, presence) in fabric.presences() {
        let Some(first) = fabric.settings_at(id).flood_to.as_ref().and_then(|all| all.first())
        else {
            continue;
        };
        let other = replication(fabric, id).is_some_and(|how| how != Replication::Static);
        let why = other.then_some("the segment does not flood by a list");
        note(Setting { span: first.span, device: presence.switch, key: "flood_to", why });
    }
}

fn wires(fabric: &Fabric, note: &mut impl FnMut(Setting)) {
    for (_, end) in fabric.pseudowires() {
        let (device, why) = (end.device, Some("the pseudowire is carried by something else"));
        for idle in &end.idle {
            note(Setting { span: idle.span, device, key: idle.value, why });
        }
    }
}

fn trees(fabric: &Fabric, note: &mut impl FnMut(Setting)) {
    for tree in fabric.tree_settings.values() {
        let why = (tree.mode.value != TreeMode::Mstp).then_some("regions are of MSTP");
        if let Some(region) = &tree.region {
            note(Setting { span: region.span, device: tree.switch, key: "region", why });
        }
        if tree.revision.value != 0 {
            note(Setting { span: tree.revision.span, device: tree.switch, key: "revision", why });
        }
    }
}
