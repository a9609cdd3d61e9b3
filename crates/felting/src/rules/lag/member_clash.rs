use rustc_hash::FxHashSet;

use super::half_name;
use crate::behaviour::{Entity, lag};
use crate::fabric::{LagId, MemberId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Duplex;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-member-clash",
        severity: Severity::Error,
        summary: "the members of a LAG differ in speed, duplex or medium",
        explain: "The standard leaves it to the device whether ports of different rates aggregate. One \
              that can't keeps those out that are not like the first. One that can spreads frames by \
              hash, not by rate, so the slowest member fills up first. Different media fail and age \
              differently.",
        sources: &["IEEE 802.1AX clause 6.3.2", "IEEE 802.1AX clause 6.4.13"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = ["p1 25G", "p2 10G"]

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("p2 10G", "p2 25G")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let mut other_end: FxHashSet<LagId> = FxHashSet::default();
    for (id, lag) in cx.fabric.lags() {
        let Some(first) = lag.members.get(0) else { continue };
        let others = || lag.members.iter().skip(1);
        let rate = |member: MemberId| lag::rate(cx.fabric, member);
        let medium = |member: MemberId| {
            let (cable, _) = cx.fabric.link(cx.fabric.member(member).port.value)?;
            Some(cx.fabric.cable(cable).medium?.value)
        };
        let by_rate = others().find(|&other| rate(other) != rate(first));
        // A medium that nobody wrote differs from nothing.
        let by_medium = || {
            let known = medium(first)?;
            others().find(|&other| medium(other).is_some_and(|medium| medium != known))
        };
        let Some(other) = by_rate.or_else(by_medium) else { continue };
        if other_end.contains(&id) {
            continue;
        }
        let fars = lag.members.iter().filter_map(|member| {
            let (_, far) = cx.fabric.link(cx.fabric.member(member).port.value)?;
            cx.fabric.lag_of(far)
        });
        other_end.extend(fars);
        let refused =
            cx.state.causes().of(RULE.rule.id).any(|cause| cause.entity == Entity::Lag(id));
        // What the device refuses for another reason is told there.
        if by_rate.is_some() && !refused && !lag::can_mix(cx.fabric, lag) {
            continue;
        }
        report(cx, id, (first, other), by_rate.is_some(), refused, out);
    }
}

fn report(
    cx: &Context<'_>,
    id: LagId,
    (first, other): (MemberId, MemberId),
    by_rate: bool,
    refused: bool,
    out: &mut Findings<'_>,
) {
    let fabric = cx.fabric;
    let place = |member: MemberId| {
        let port = fabric.member(member).port.value;
        match fabric.link(port).filter(|_| !by_rate) {
            Some((cable, _)) => fabric.cable(cable).medium.map(|medium| medium.span),
            None => Some(fabric.port(port).span.0),
        }
    };
    let what = |member: MemberId| {
        let (speed, duplex) = lag::rate(fabric, member);
        let port = fabric.member(member).port.value;
        let medium = fabric.link(port).and_then(|(cable, _)| fabric.cable(cable).medium);
        let is = match (by_rate, duplex, medium) {
            (true, Duplex::Full, _) => speed.to_string(),
            (true, Duplex::Half, _) => format!("{speed} half duplex"),
            (false, _, Some(medium)) => medium.value.to_string(),
            (false, _, None) => "of no medium that is written".to_owned(),
        };
        format!("{} is {is}", fabric.port_name(port))
    };
    let member_place = |member: MemberId| fabric.member(member).port.span;
    let at = place(other).unwrap_or(member_place(other));
    let mut draft = out.report(
        at,
        what(other),
        format!(
            "the members of {} differ: {}, {}",
            half_name(fabric, id),
            what(first),
            what(other)
        ),
    );
    if !refused {
        draft = draft.severity(Severity::Hint);
    }
    let first_place = place(first).unwrap_or(member_place(first));
    let first_place = if first_place == at { fabric.lag(id).name.span } else { first_place };
    let port = fabric.port_name(fabric.member(other).port.value);
    draft
        .related(first_place, what(first))
        .wire(match (refused, by_rate) {
            (true, _) => format!("{port} stays out of the LAG: the device cannot mix rates"),
            (false, true) => {
                "frames are spread by hash and not by rate, so the slower member is full first"
                    .to_owned()
            }
            (false, false) => {
                "the LAG works; the two kinds of cable fail and age differently".to_owned()
            }
        })
        .remedy("use members of one speed, duplex mode and medium")
        .about(fabric.lag(id).device);
}
