use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-priority-tie",
        severity: Severity::Hint,
        summary: "both sides of a pair have one priority, so nobody chose the primary",
        explain: "The primary is the side with the lower priority. With equal priorities the lower MAC \
              address decides, that is, chance: whoever replaces a switch may move the role, and with \
              it which side closes its ports when the peer link fails.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 100G"

[[pair]]
name = "kelp"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }
[[pair.side]]
switch = "kelp-a"
priority = 10
[[pair.side]]
switch = "kelp-b"
priority = 10

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("priority = 10", "priority = 20")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, pair) in fabric.pairs() {
        let [a, b] = &pair.sides;
        // Where neither is written the file says nothing of it, so there is nothing to contradict.
        let (Some(x), Some(y)) = (a.priority, b.priority) else { continue };
        let Some(primary) = cx.state.pair(id).primary.filter(|_| x.value == y.value) else {
            continue;
        };
        let (name_a, name_b) =
            (fabric.device_name(a.switch.value), fabric.device_name(b.switch.value));
        let wins = fabric.device_name(pair.sides[primary].switch.value);
        let place = if x.span == y.span { a.switch.span } else { x.span };
        out.report(
            y.span,
            format!("{name_b} has {}", y.value),
            format!(
                "nobody chose the primary of the pair {}: both sides have the priority {}",
                pair.name.value, y.value
            ),
        )
        .related(place, format!("{name_a} has {} too", x.value))
        .wire(format!("{wins} is primary by its lower MAC address, until a switch is replaced"))
        .remedy("give the side that should be primary the lower priority")
        .about(a.switch.value)
        .about(b.switch.value);
    }
}
