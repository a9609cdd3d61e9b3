//! Faults of the spanning tree.

mod edge_missing;
mod edge_to_switch;
mod fast_link_discarding;
mod r#loop;
mod mode_clash;
mod overlay_loop;
mod root_by_accident;
mod root_misplaced;
mod vlan_cut;

use super::{Check, Context};
use crate::behaviour::{BridgeId, BridgePortId, Carrier, Tree, TreeKind};
use crate::diagnostic::Span;
use crate::fabric::Fabric;

pub(super) static RULES: &[&Check] = &[
    &overlay_loop::RULE,
    &r#loop::RULE,
    &vlan_cut::RULE,
    &edge_to_switch::RULE,
    &edge_missing::RULE,
    &mode_clash::RULE,
    &root_by_accident::RULE,
    &root_misplaced::RULE,
    &fast_link_discarding::RULE,
];

/// "mud-1", or "the pair kelp".
pub(super) fn bridge_name(cx: &Context<'_>, bridge: BridgeId) -> String {
    let device = cx.state.trees().bridge(bridge).devices[0];
    match cx.fabric.device(device).pair {
        Some((pair, _)) => format!("the pair {}", cx.fabric.pair(pair).name.value),
        None => cx.fabric.device_name(device).to_owned(),
    }
}

/// "mud-1 p1", "the LAG up of mud-1", "LAG group 101 of the pair kelp".
pub(super) fn port_name(cx: &Context<'_>, port: BridgePortId) -> String {
    match cx.state.trees().port(port).carrier {
        Carrier::Port(port) => cx.fabric.port_label(port),
        Carrier::Lag(lag) => super::lag::name(cx.fabric, lag),
        Carrier::Group(group) => {
            let half = cx.fabric.group(group).halves.into_iter().flatten().next();
            half.map_or_else(|| "a group".to_owned(), |half| super::lag::name(cx.fabric, half))
        }
    }
}

/// The LAG or the port's settings behind a bridge port.
pub(super) fn place(cx: &Context<'_>, port: BridgePortId) -> Span {
    place_of(cx.fabric, cx.state.trees().port(port).carrier)
}

fn place_of(fabric: &Fabric, carrier: Carrier) -> Span {
    match carrier {
        Carrier::Port(port) => match (fabric.lag_of(port), fabric.settings_of(port)) {
            (Some(_), _) => fabric.port_member[port]
                .map_or(fabric.port(port).span.0, |m| fabric.member(m).port.span),
            (None, Some(settings)) => settings.span.0,
            (None, None) => fabric.port(port).span.0,
        },
        Carrier::Lag(lag) => fabric.lag(lag).name.span,
        Carrier::Group(group) => {
            fabric.group(group).halves.into_iter().flatten().next().map_or_else(
                || unreachable!("a group has a half"),
                |half| fabric.lag(half).name.span,
            )
        }
    }
}

/// Where the priority of a bridge is written, or its tree, or itself.
pub(super) fn bridge_place(cx: &Context<'_>, bridge: BridgeId) -> Span {
    let made = cx.state.trees().bridge(bridge);
    let settings = made.settings.map(|tree| cx.fabric.tree_setting(tree));
    let priority = settings.and_then(|settings| settings.priority).map(|priority| priority.span);
    priority
        .or(settings.map(|settings| settings.span.0))
        .unwrap_or(cx.fabric.device(made.devices[0]).name.span)
}

/// Whether somebody wrote the priority by which a bridge is the root of a tree.
pub(super) fn chosen(cx: &Context<'_>, tree: &Tree, root: BridgeId) -> bool {
    let bridge = cx.state.trees().bridge(root);
    let settings = bridge.settings.map(|settings| cx.fabric.tree_setting(settings));
    let own = settings.is_some_and(|settings| match &tree.kind {
        TreeKind::Vlans(vlans) => settings
            .vlan_priorities
            .iter()
            .any(|(written, _)| vlans.iter().any(|vlan| written.contains(vlan))),
        TreeKind::Instance { id, .. } => {
            let mut instances = settings.instances.iter();
            instances.any(|instance| instance.id.value == *id && instance.priority.is_some())
        }
        TreeKind::Common => false,
    });
    bridge.chosen || own
}
