use rustc_hash::FxHashSet;

use super::{halves, name};
use crate::behaviour::{MemberState, Reason};
use crate::fabric::{LagId, MemberId};
use crate::rules::{Check, Context, Findings, Rule, Severity, some_of};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-standby",
        severity: Severity::Hint,
        summary: "a LAG has more members than are used at once",
        explain: "The device uses so many members at a time and keeps the others in reserve. Which ones \
              is decided by the end with the better LACP system identifier (priority, then MAC \
              address), by the port identifiers of its own ports, and nobody else's priorities count. \
              People are surprised when a reboot or a new switch moves the decision to the other end.",
        sources: &["IEEE 802.1AX clause 6.7.1", "IEEE 802.1AX clause 6.3.2"],
        broken: r#"
[[hardware]]
name = "tern-4"
members_in_use = 2

[[switch]]
name = "kelp-[a-b]"
hardware = "tern-4"
ports = "p[1-3] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-3]"

[cabling]
runs = "kelp-a p[1-3] -- kelp-b p[1-3]"
"#,
        mend: &[("members_in_use = 2", "members_in_use = 4")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut told: FxHashSet<LagId> = FxHashSet::default();
    for (id, lag) in fabric.lags() {
        let wholes = halves(fabric, id);
        let all = || wholes.iter().flat_map(|&half| fabric.lag(half).members.iter());
        let waiting: Vec<MemberId> =
            all().filter(|&member| cx.state.member(member).state == MemberState::Standby).collect();
        let Some(Reason::Outranked { limit, decider }) =
            waiting.first().map(|&member| cx.state.member(member).reason)
        else {
            continue;
        };
        let far = cx.state.member(waiting[0]).far.and_then(|far| fabric.lag_of(far));
        // The limit is that of the end whose device has it; it holds for both, and is told there.
        let limit_of = |lag: LagId| {
            let kind = fabric.hardware_of(fabric.lag(lag).device)?;
            kind.members_in_use.filter(|use_at_once| use_at_once.value == limit)
        };
        let limited = limit_of(id);
        let at_far = limited.is_none() && far.is_some_and(|far| limit_of(far).is_some());
        if at_far || told.contains(&id) {
            continue;
        }
        told.extend(wholes.iter().copied());
        told.extend(far.into_iter().flat_map(|far| halves(fabric, far)));
        let names: Vec<_> = waiting
            .iter()
            .map(|&member| fabric.port_name(fabric.member(member).port.value))
            .collect();
        let (name, count) = (name(fabric, id), all().count());
        let decides = fabric.device_name(fabric.lag(decider).device);
        let first = fabric.member(waiting[0]).port;
        let stand = if names.len() == 1 { "stands" } else { "stand" };
        let mut draft = out.report(
            first.span,
            match waiting.len() {
                1 => "one of these waits".to_owned(),
                many => format!("{many} of these wait"),
            },
            format!("{name} uses {limit} of its {count} members; {} {stand} by", some_of(&names)),
        );
        if let Some(limit) = limited {
            draft = draft.related(limit.span, format!("{} at once", limit.value));
        }
        draft
            .wire(format!("{} {}", names[0], cx.state.why_not(waiting[0]).unwrap_or_default()))
            .remedy(format!(
                "set the port priorities on {decides} to choose, or use {limit} members"
            ))
            .about(lag.device)
            .about(fabric.lag(decider).device);
    }
}
