use crate::behaviour::Entity;
use crate::fabric::{Lag, LagId};
use crate::rules::lag::{half_name, split_wire};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::GroupNumber;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-group-reused",
        severity: Severity::Error,
        summary: "one group number stands for two different partners",
        explain: "A group number says that the LAG of the one side and that of the other are two halves \
              of one multi-chassis LAG. Given to two hosts, one on either side, it joins what does not \
              belong together: the pair sends the frames of either over both.",
        sources: &["IEEE 802.1AX clause 6.3.6"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-4] 25G"

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[3-4]"

[[lag]]
on = "kelp-a"
name = "silo-1"
group = 101
ports = "p[1-2]"

[[lag]]
on = "kelp-b"
name = "silo-2"
group = 101
ports = "p[1-2]"

[[host]]
name = "silo-[1-2]"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]" }

[cabling]
runs = [
  "silo-1 nic[1-2] -- kelp-a p[1-2]",
  "silo-2 nic[1-2] -- kelp-b p[1-2]",
  "kelp-a p[3-4] -- kelp-b p[3-4]",
]
"#,
        mend: &[
            ("name = \"silo-2\"\ngroup = 101", "name = \"silo-2\""),
            ("name = \"silo-1\"\ngroup = 101", "name = \"silo-1\""),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for cause in cx.state.causes().of(RULE.rule.id) {
        let Entity::Group(id) = cause.entity else { continue };
        let group = fabric.group(id);
        let [Some(a), Some(b)] = group.halves else { continue };
        let leads = |lag: LagId| {
            let far = fabric.lag(lag).members.iter().find_map(|id| cx.state.member(id).far);
            far.and_then(|far| fabric.lag_of(far))
                .map_or_else(|| "nothing".to_owned(), |far| half_name(fabric, far))
        };
        let place = |lag: LagId| {
            let lag = fabric.lag(lag);
            lag.group_number.map_or(lag.name.span, |number| number.span)
        };
        let device = |lag: LagId| fabric.device_name(fabric.lag(lag).device);
        let pair = fabric.pair(group.pair);
        let number = group.number;
        if ungrouped(cx, [a, b], number, &pair.name.value, out) {
            continue;
        }
        out.report(
            place(b),
            format!("{} leads to {}", device(b), leads(b)),
            format!(
                "group {number} of the pair {} stands for two partners: {} on {}, {} on {}",
                pair.name.value,
                leads(a),
                device(a),
                leads(b),
                device(b)
            ),
        )
        .related(place(a), format!("{} leads to {}", device(a), leads(a)))
        .wire(split_wire(fabric.lag(a).protocol.value))
        .remedy("give each partner a group number of its own")
        .about(fabric.lag(a).device)
        .about(fabric.lag(b).device);
    }
}

/// Where the two partners are the two sides of one pair, what is missing is their group.
fn ungrouped(
    cx: &Context<'_>,
    halves: [LagId; 2],
    number: GroupNumber,
    pair: &str,
    out: &mut Findings<'_>,
) -> bool {
    let fabric = cx.fabric;
    let far = halves.map(|lag| {
        let far = fabric.lag(lag).members.iter().find_map(|id| cx.state.member(id).far);
        far.and_then(|far| fabric.lag_of(far))
    });
    let [Some(one), Some(other)] = far else { return false };
    let (x, y) = (fabric.lag(one), fabric.lag(other));
    let (near, beyond) = (fabric.device_name(x.device), fabric.device_name(y.device));
    let Some(theirs) = fabric.pair_of(x.device, y.device) else { return false };
    let theirs = &fabric.pair(theirs).name.value;
    let has = match (x.group_number, y.group_number) {
        (None, None) => "have no group".to_owned(),
        (Some(a), Some(b)) => format!("have the groups {} and {}", a.value, b.value),
        (Some(_), None) => format!("have no group on {beyond}"),
        (None, Some(_)) => format!("have no group on {near}"),
    };
    let at = |lag: &Lag| lag.group_number.map_or(lag.name.span, |number| number.span);
    let label = match y.group_number {
        Some(number) => format!("group {} on {beyond}", number.value),
        None => format!("no group on {beyond}"),
    };
    out.report(
        at(y),
        label,
        format!(
            "the LAGs {} of {near} and {} of {beyond} {has}, but lead to one: group {number} of the pair {pair}",
            x.name.value, y.name.value
        ),
    )
    .related(at(fabric.lag(halves[1])), format!("group {number} of the pair {pair}"))
    .wire(split_wire(x.protocol.value))
    .remedy(format!("give both LAGs of the pair {theirs} one `group`"))
    .about(x.device)
    .about(y.device)
    .about(fabric.lag(halves[0]).device)
    .about(fabric.lag(halves[1]).device);
    true
}
