use crate::fabric::PairId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-peer-link-missing",
        severity: Severity::Error,
        summary: "a pair without a peer link, or with one at one side only",
        explain: "The sides of a pair tell each other over the peer link which addresses they have \
              learned and which legs are up, and it carries what arrives at the side whose own leg \
              is down. Without it the two are strangers that present one system identifier.",
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
[[pair.side]]
switch = "kelp-b"
without = "peer_link"

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("without = \"peer_link\"", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for (id, pair) in cx.fabric.pairs() {
        // A port that is named instead of a LAG is another fault.
        if pair.sides.iter().any(|side| side.peer_port.is_some()) {
            continue;
        }
        match [pair.sides[0].peer_link, pair.sides[1].peer_link] {
            [Some(a), Some(_)] => {
                let other = pair.sides[1].switch.value;
                let linked = |id| {
                    let far = cx.state.member(id).far;
                    far.is_some_and(|far| cx.fabric.port(far).device == other)
                };
                let members = cx.fabric.lag(a.value).members;
                // A peer link that has cables, but to elsewhere, is another fault.
                let cabled = members
                    .iter()
                    .any(|id| cx.fabric.link(cx.fabric.member(id).port.value).is_some());
                if !cabled && !members.iter().any(linked) {
                    report(cx, id, "no cable joins its ends", out);
                }
            }
            // A name that no LAG has is an input fault.
            [None, None] if pair.sides.iter().all(|side| side.misnames_peer_link) => {}
            [None, None] => report(cx, id, "neither side names one", out),
            [None, _] => one_sided(cx, id, 0, out),
            [_, None] => one_sided(cx, id, 1, out),
        }
    }
}

fn one_sided(cx: &Context<'_>, id: PairId, side: usize, out: &mut Findings<'_>) {
    let name = cx.fabric.device_name(cx.fabric.pair(id).sides[side].switch.value);
    report(cx, id, &format!("{name} has none"), out);
}

fn report(cx: &Context<'_>, id: PairId, what: &str, out: &mut Findings<'_>) {
    let pair = cx.fabric.pair(id);
    let [a, b] = &pair.sides;
    let (lacking, having) = match (a.peer_link, b.peer_link) {
        (None, Some(_)) => (a, b),
        _ => (b, a),
    };
    let name = cx.fabric.device_name(lacking.switch.value);
    let place = lacking.peer_link.map_or(lacking.switch.span, |link| link.span);
    let mut draft = out.report(
        place,
        if lacking.peer_link.is_some() { "this LAG" } else { "no peer link here" },
        format!("the pair {} has no peer link: {what}", pair.name.value),
    );
    let there = having.peer_link.map_or(having.switch.span, |link| link.span);
    if there != place {
        let other = cx.fabric.device_name(having.switch.value);
        let text = if having.peer_link.is_some() { "has one" } else { "has none either" };
        draft = draft.related(there, format!("{other} {text}"));
    }
    draft
        .wire(super::without_peer_link(cx, id))
        .remedy(format!("cable a LAG between the two, and name it as `peer_link` on {name} too"))
        .about(a.switch.value)
        .about(b.switch.value);
}
