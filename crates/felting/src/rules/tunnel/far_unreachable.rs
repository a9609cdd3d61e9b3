use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use super::fate;
use crate::behaviour::WireFault;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-far-unreachable",
        severity: Severity::Error,
        summary: "no route leads from an end of a pseudowire to the far end",
        explain: "Packets of a pseudowire are routed like any others: the switch needs a route to the address of the far end. Its ends don't \
              ask whether they reach each other, so nothing says so but the silence.",
        sources: &["RFC 3931 section 4.1.1"],
        broken: concat!(
            part!(far_apart),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "inlet-a"
port = "p1"
to = "10.64.99.41"
session = { local = 17, remote = 41 }
"#,
            part!(wire_there)
        ),
        mend: &[("to = \"10.64.99.41\"", "to = \"10.64.8.41\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut told: FxHashSet<&SmolStr> = FxHashSet::default();
    for (id, end) in fabric.pseudowires() {
        let why = match cx.state.pseudowire(id).sends {
            Err(WireFault::Unreached(_)) => "has no route to",
            Err(WireFault::NoFarAddress(_)) => "has no address to send to at",
            _ => continue,
        };
        let twin = end.twin.map(|twin| fabric.pseudowire(twin).device).or(end.far.value);
        let devices: Vec<DeviceId> = std::iter::once(end.device).chain(twin).collect();
        let behind = ["underlay", "session", "site", "cable", "port", "lag", "switch", "pool"];
        if cx.is_told(&behind, &devices) || !told.insert(&end.name.value) {
            continue;
        }
        let here = fabric.device_name(end.device);
        let there = end.to.map(|to| to.to_string());
        let there = there.or(end.far.value.map(|far| fabric.device_name(far).to_owned()));
        let there = there.unwrap_or_default();
        let finding = out
            .report(
                end.far.span,
                format!("{here} {why} {there}"),
                format!("the pseudowire {}: {here} {why} its far end {there}", end.name.value),
            )
            .wire(fate(cx, id))
            .remedy(format!("correct the address, or let the underlay of {here} lead to it"))
            .about(end.device)
            .about_name(&end.name.value);
        if let Some(twin) = twin {
            finding.related(fabric.device(twin).name.span, "the far end's switch").about(twin);
        }
    }
}
