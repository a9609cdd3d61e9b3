use rustc_hash::FxHashMap;

use crate::behavior::BridgeId;
use crate::diagnostic::Span;
use crate::fabric::Stack;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Domain;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "stack-neighbour-domain-clash",
        severity: Severity::Warning,
        summary: "two stacks in one layer 2 domain have one domain number",
        explain: "Split detection that goes over a neighbour tells stacks apart by their domain. Two \
              stacks with one number that reach each other take each other's messages for those of \
              a lost part of their own, and close ports that are fine.",
        sources: &["trade practice of stacks: no standard"],
        broken: r#"
[[hardware]]
name = "gull-24"
ports = "ge[1-4] 1G"

[[switch]]
name = "jetty"
hardware = "gull-24"

[[switch]]
name = "quay"
hardware = "gull-24"

[[stack]]
switch = "jetty"
domain = 3
split_detection = "lacp"
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 15 }, { id = 2, priority = 10 }]

[[stack]]
switch = "quay"
domain = 3
split_detection = "lacp"
stack_ports = "st[1-2] 40G"
members = [{ id = 1, priority = 15 }, { id = 2, priority = 10 }]

[[lag]]
on = ["jetty", "quay"]
name = "across"
ports = "[1-2]/ge1"
tagged = 420

[cabling]
runs = [
  "jetty 1/st[1-2] -- jetty 2/st[2,1]",
  "quay 1/st[1-2] -- quay 2/st[2,1]",
  "jetty [1-2]/ge1 -- quay [1-2]/ge1",
]
"#,
        mend: &[("switch = \"quay\"\ndomain = 3", "switch = \"quay\"\ndomain = 4")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let trees = cx.state.trees();
    let Some(common) = trees.trees().first() else { return };
    let root = |device| Some(common.bridges[trees.bridge_of(device)?]?.root);
    let mut known: FxHashMap<(Domain, BridgeId), (&Stack, Span)> = FxHashMap::default();
    for (_, stack) in fabric.stacks() {
        let (Some(domain), Some(root)) = (stack.domain, root(stack.switch.value)) else { continue };
        let key = (domain.value, root);
        let Some(&(other, other_domain)) = known.get(&key) else {
            known.insert(key, (stack, domain.span));
            continue;
        };
        let name = fabric.device_name(stack.switch.value);
        let other_name = fabric.device_name(other.switch.value);
        out.report(
            domain.span,
            format!("{name} has the domain {} too", domain.value),
            format!("the stacks {other_name} and {name} are in one layer 2 domain and have one domain number, {}", domain.value),
        )
        .related(other_domain, format!("{other_name} has the domain {}", domain.value))
        .wire("each takes the other's messages for those of a part of its own, and may close ports that are fine")
        .remedy("give each stack a domain number of its own")
        .about(stack.switch.value)
        .about(other.switch.value);
    }
}
