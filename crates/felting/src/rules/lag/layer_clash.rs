use super::half_name;
use crate::behaviour::Entity;
use crate::fabric::LagId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-layer-clash",
        severity: Severity::Error,
        summary: "a LAG is bridged at one end and routed at the other",
        explain: "The LAG itself forms, since LACP knows nothing of what is carried. But the routed end \
              drops tagged frames, and the bridged end floods what the router sends into the VLAN of \
              its untagged frames, or drops it.",
        sources: &["IEEE 802.1Q clause 8.6.2", "IEEE 802.1AX clause 6.1.2"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 100G"

[[switch]]
name = "causeway-1"
role = "router"
ports = "p[1-2] 100G"

[[lag]]
on = "kelp-a"
name = "campus"
ports = "p[1-2]"
tagged = 390

[[lag]]
on = "causeway-1"
name = "hall"
ports = "p[1-2]"
address = "10.64.3.1/31"

[cabling]
runs = "kelp-a p[1-2] -- causeway-1 p[1-2]"
"#,
        mend: &[("tagged = 390", "address = \"10.64.3.0/31\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::Lag(a), Some(Entity::Lag(b))) = (cause.entity, cause.other) else { continue };
        let routes = |lag: LagId| !fabric.lag(lag).addresses.is_empty();
        let (routed, bridged) = if routes(a) { (a, b) } else { (b, a) };
        let (x, y) = (fabric.lag(routed), fabric.lag(bridged));
        let (name_x, name_y) = (half_name(fabric, routed), half_name(fabric, bridged));
        let place = x.addresses.first().map_or(x.name.span, |address| address.span);
        let carried = match (y.tagged.is_empty(), y.untagged) {
            (false, _) => y.tagged.span,
            (true, Some(untagged)) => untagged.span,
            (true, None) => y.name.span,
        };
        out.report(
            place,
            format!("{name_x} is routed"),
            format!("{name_x} is routed, but {name_y} at its other end is bridged"),
        )
        .related(carried, format!("{name_y} carries VLANs"))
        .wire(format!(
            "{} drops the tagged frames, and {} has nobody to route to",
            fabric.device_name(x.device),
            fabric.device_name(y.device)
        ))
        .remedy("make both ends routed, each with an address of one subnet, or both bridged")
        .about(x.device)
        .about(y.device);
    }
}
