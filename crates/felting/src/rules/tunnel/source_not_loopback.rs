use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-source-not-loopback",
        severity: Severity::Hint,
        summary: "packets of a pseudowire are from the address of a link",
        explain: "The address of a link is gone when the link is down, and the wire with it, though other links lead there too. A loopback \
              stays while any of them is up.",
        sources: &["RFC 2328 section 12.4.1 (a loopback is a host route of its own)"],
        broken: concat!(
            part!(far_apart),
            part!(wire_here),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 41, remote = 17 }
from = "10.64.2.145"
"#
        ),
        mend: &[("from = \"10.64.2.145\"", "from = \"10.64.8.41\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, end) in fabric.pseudowires() {
        let (Some(from), Some(router)) = (end.from, fabric.router_of(end.device)) else { continue };
        let id = fabric.device(end.device).router;
        let is_own = id.is_some_and(|id| fabric.has_address(id, from.value));
        let is_loopback = router.loopbacks.iter().any(|one| one.address() == from.value);
        // With one link there is nothing that a loopback would outlive.
        if !is_own || is_loopback || router.loopbacks.is_empty() {
            continue;
        }
        let here = fabric.device_name(end.device);
        out.report(
            from.span,
            "the address of a link",
            format!(
                "the pseudowire {}: {here} sends from {}, the address of a link",
                end.name.value, from.value
            ),
        )
        .related(fabric.device(end.device).name.span, format!("{here} has a loopback"))
        .wire("when that link is down the wire is down, whatever other links there are".to_owned())
        .remedy("send from a loopback, and let the far end send to it".to_owned())
        .about(end.device)
        .about_name(&end.name.value);
    }
}
