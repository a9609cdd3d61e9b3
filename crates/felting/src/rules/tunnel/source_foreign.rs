use super::fate;
use crate::behaviour::WireFault;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-source-foreign",
        severity: Severity::Error,
        summary: "packets of a pseudowire are from an address that its switch does not have",
        explain: "A switch sends from its own addresses. An end that is to send from another one has nothing to send from, and the far end \
              that answers to that address answers somebody else.",
        sources: &["RFC 3931 section 4.1.1"],
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
from = "10.64.8.42"
"#
        ),
        mend: &[("10.64.8.42", "10.64.8.41")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, end) in fabric.pseudowires() {
        let Err(why @ (WireFault::NotItsAddress(_) | WireFault::NoSource)) =
            cx.state.pseudowire(id).sends
        else {
            continue;
        };
        let here = fabric.device_name(end.device);
        let place = end.from.map_or(end.name.span, |from| from.span);
        let what = match why {
            WireFault::NotItsAddress(address) => {
                format!("{here} sends from {address}, which it does not have")
            }
            _ => format!("{here} has no loopback to send from"),
        };
        out.report(place, "no address of it", format!("the pseudowire {}: {what}", end.name.value))
            .related(fabric.device(end.device).name.span, format!("{here} is written here"))
            .wire(fate(cx, id))
            .remedy(match fabric.device(end.device).router {
                Some(_) => {
                    format!("write an address of {here}, or leave `from` out for its loopback")
                }
                None => format!("make {here} a router with a loopback"),
            })
            .about(end.device)
            .about_name(&end.name.value);
    }
}
