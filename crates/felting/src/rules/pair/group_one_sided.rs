use crate::behaviour::Entity;
use crate::rules::lag::neighbours;
use crate::rules::{Check, Context, Draft, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-group-one-sided",
        severity: Severity::Error,
        summary: "a group on one switch of the pair only",
        explain: "A group joins a LAG of either side into one multi-chassis LAG. With a half missing, \
              or with another number on it, the pair has no second leg: what the far end sends to \
              the other switch meets a port that is in no LAG, or in a LAG of its own.",
        sources: &["IEEE 802.1AX-2020 clause 6.3.6 (LAG ID: one key)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-3] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[2-3]"

[[lag]]
on = "kelp-*"
name = "hull-01"
group = 101
ports = "p1"
differs = [{ on = "kelp-b", without = "group" }]

[cabling]
runs = [
  "hull-01 nic[1-2] -- kelp-[a-b] p1",
  "kelp-a p[2-3] -- kelp-b p[2-3]",
]
"#,
        mend: &[("without = \"group\"", "group = 101")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Group(id) = cause.entity else { continue };
        let group = fabric.group(id);
        let Some((side, half)) =
            group.halves.iter().enumerate().find_map(|(s, h)| Some((s, (*h)?)))
        else {
            continue;
        };
        let lag = fabric.lag(half);
        let (own, other) =
            (fabric.device_name(lag.device), &fabric.pair(group.pair).sides[1 - side]);
        let missing = fabric.device_name(other.switch.value);
        let place = lag.group_number.map_or(lag.name.span, |number| number.span);
        let mut draft = out.report(
            place,
            format!("{own} has group {}", group.number),
            format!("LAG group {} is on {own} only: {missing} has no half of it", group.number),
        );
        let twin = match cause.other {
            Some(Entity::Group(other)) => fabric.group(other).halves.into_iter().flatten().next(),
            // Without a group number of its own, the LAG of the same name is the half that was meant.
            _ => fabric.find_lag(other.switch.value, &lag.name.value),
        };
        draft = match twin.map(|twin| fabric.lag(twin)) {
            Some(twin) => match twin.group_number {
                Some(number) => draft
                    .related(number.span, format!("{missing} has group {} there", number.value)),
                None => {
                    draft.related(twin.name.span, format!("{missing} has the LAG, without a group"))
                }
            },
            None => draft.related(other.switch.span, format!("{missing} is the other side")),
        };
        draft = draft
            .wire(format!("the far end has no LAG over both switches: its members to {missing} stay out of it, or meet ports that know nothing of it"))
            .remedy(format!("add a LAG of group {} on {missing}, or take the group away on {own}", group.number))
            .about(lag.device)
            .about(other.switch.value);
        neighbours(cx, half).into_iter().fold(draft, Draft::about);
    }
}
