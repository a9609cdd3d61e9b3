use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{BridgePriority, TreeMode};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-tree-clash",
        severity: Severity::Error,
        summary: "the sides of a pair run different spanning trees",
        explain: "To the spanning tree a pair is one bridge: both sides send BPDUs with one bridge \
              identifier, in one mode. If mode, priority or region differ, its neighbours hear two \
              stories from one bridge, and ports flap or stay closed.",
        sources: &["IEEE 802.1Q clause 13.10", "IEEE 802.1Q clause 13.8"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 100G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[tree]]
on = "kelp-*"
priority = 4096
differs = [{ on = "kelp-b", priority = 8192 }]

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("priority = 8192", "priority = 4096")],
    },
    check,
};

/// What a side says of its tree, in words, with the place; what it does not say has the standard's value.
fn said(fabric: &Fabric, device: DeviceId, at: Span) -> [(String, Span); 3] {
    let settings = fabric.device(device).tree.map(|tree| fabric.tree_setting(tree));
    let place = settings.map_or(at, |settings| settings.span.0);
    let mode = settings.map_or(TreeMode::Rstp, |settings| settings.mode.value);
    let mode_place = settings.map_or(at, |settings| settings.mode.span);
    let priority = settings.and_then(|settings| settings.priority);
    let region = settings.filter(|_| mode == TreeMode::Mstp);
    let region_text = region.map_or_else(
        || "no region".to_owned(),
        |settings| {
            let name = settings.region.as_ref().map_or("", |name| name.value.as_str());
            format!("the region {name:?}, revision {}", settings.revision.value)
        },
    );
    let region_place =
        region.and_then(|settings| settings.region.as_ref()).map_or(place, |name| name.span);
    [
        (format!("the mode {mode}"), mode_place),
        (
            format!("the priority {}", priority.map_or(BridgePriority::DEFAULT, |p| p.value)),
            priority.map_or(place, |priority| priority.span),
        ),
        (region_text, region_place),
    ]
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let [a, b] = &pair.sides;
        let said = [a, b].map(|side| said(fabric, side.switch.value, side.switch.span));
        let differing = said[0].iter().zip(&said[1]).find(|(x, y)| x.0 != y.0);
        let Some(((text_a, place_a), (text_b, place_b))) = differing else { continue };
        let (name_a, name_b) =
            (fabric.device_name(a.switch.value), fabric.device_name(b.switch.value));
        out.report(
            *place_b,
            format!("{name_b} has {text_b}"),
            format!(
                "the sides of the pair {} run different spanning trees: {name_a} has {text_a}, {name_b} has {text_b}",
                pair.name.value
            ),
        )
        .related(*place_a, format!("{name_a} has {text_a}"))
        .wire("neighbours hear two stories from one bridge: ports flap, or the root moves with each BPDU")
        .remedy("write one `tree` for both sides")
        .about(a.switch.value)
        .about(b.switch.value);
    }
}
