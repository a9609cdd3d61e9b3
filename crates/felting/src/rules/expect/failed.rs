use crate::behaviour::State;
use crate::fabric::Fabric;
use crate::rules::shown::{command, way};
use crate::rules::{Check, Context, Finding, Findings, Label, Rule, Severity};
use crate::walk::{Failure, Lost, Unmet, Walk};

pub(in crate::rules) static RULE: Check = Check {
    rule: Rule {
        id: "expect-failed",
        severity: Severity::Error,
        summary: "an expectation does not hold",
        explain: "Somebody wrote down what the fabric is for: who must reach whom or must not, by what \
              way, and despite what loss. The walk shows where it fails. If another finding \
              explains it, the expectation is named there instead.",
        sources: &["what the fabric file expects"],
        broken: concat!(
            part!(benches),
            r#"
[[expect]]
from = "lathe"
to = "saw"
"#
        ),
        mend: &[("untagged = 311", "untagged = 310")],
    },
    check,
};

/// Expectations are judged by the driver, when the other rules have run.
fn check(_: &Context<'_>, _: &mut Findings<'_>) {}

/// Reports an expectation that no finding explains.
pub(in crate::rules) fn report(state: &State, failure: &Failure, out: &mut Findings<'_>) {
    let fabric = state.fabric();
    let expectation = fabric.expectation(failure.expectation);
    let name = |terminal| fabric.terminal_name(terminal);
    let (from, to) = (name(failure.from), name(failure.to));
    let under = match &failure.lost {
        Lost::Nothing => String::new(),
        lost => format!(" without {}", lost.words(fabric)),
    };
    let what = match &failure.unmet {
        Unmet::NoWalk(error) => error.to_string(),
        Unmet::NotReached => format!("{from} does not reach {to}{under}"),
        Unmet::Reached => format!("{from} reaches {to}{under}, and must not"),
        Unmet::Vni(vni) => {
            format!("packets from {from} to {to} cross the fabric in VNI {vni}{under}")
        }
        Unmet::Vrf => {
            let vrf = expectation.vrf.map(|vrf| fabric.vrf(vrf.value).name.as_str());
            format!(
                "packets from {from} to {to} are not routed by VRF {}{under}",
                vrf.unwrap_or_default()
            )
        }
        Unmet::Hops(1) => format!("packets from {from} to {to} pass a router{under}"),
        Unmet::Hops(count) => format!("packets from {from} to {to} pass {count} routers{under}"),
        Unmet::Mtu(mtu) => format!("packets from {from} to {to} have room for {mtu} bytes{under}"),
    };
    let place = match &failure.unmet {
        Unmet::Vni(_) => expectation.vni.map(|vni| vni.span),
        Unmet::Vrf => expectation.vrf.map(|vrf| vrf.span),
        Unmet::Hops(_) => expectation.hops.map(|hops| hops.span),
        Unmet::Mtu(_) => expectation.mtu.map(|mtu| mtu.span),
        Unmet::Reached => Some(expectation.reaches.span),
        _ if failure.lost != Lost::Nothing => expectation.despite.first().map(|loss| loss.span),
        _ => None,
    };
    let of = |list: &[crate::diagnostic::At<crate::fabric::Terminal>], wanted| {
        list.iter().find(|one| one.value == wanted).map(|one| one.span)
    };
    let first = of(&expectation.from, failure.from).unwrap_or(expectation.span);
    let second = of(&expectation.to, failure.to).unwrap_or(expectation.span);
    let why = failure.why.as_deref().unwrap_or_default();
    let shown = failure.walk.as_ref().map(|walk| way(fabric, walk, why));
    let mut draft = out
        .report(place.unwrap_or(second), "this does not hold", what)
        .related(first, "from here")
        .wire(shown.unwrap_or_else(|| "there is nothing to walk".to_owned()))
        .remedy(format!(
            "see `{}`; mend the fabric, or change what is expected",
            command(state, failure.from, failure.to, &failure.lost)
        ))
        .about_name(&from.into())
        .about_name(&to.into());
    if place.is_some() {
        draft = draft.related(second, "to here");
    }
    draft = draft.fails_expectation();
    if let Some((hop, _)) = failure.walk.as_ref().and_then(Walk::root) {
        draft.about(hop.device);
    }
}

/// Names an expectation that fails at the finding which explains it.
pub(in crate::rules) fn explain(
    fabric: &Fabric,
    failure: &Failure,
    severity: Severity,
    finding: &mut Finding,
) {
    // What breaks an expectation is as bad as that.
    finding.severity = finding.severity.max(severity);
    let expectation = fabric.expectation(failure.expectation);
    let name = |terminal| fabric.terminal_name(terminal);
    let under = match &failure.lost {
        Lost::Nothing => String::new(),
        lost => format!(" without {}", lost.words(fabric)),
    };
    let text = format!("so this fails: {} to {}{under}", name(failure.from), name(failure.to));
    finding.what.related.push(Label { span: expectation.span, text });
    finding.hits.expectations += 1;
}
