use super::half_name;
use crate::behaviour::lag;
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::{Protocol, Timeout};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-timeout-clash",
        severity: Severity::Hint,
        summary: "one end of a LAG gives its partner up after 3 seconds, the other after 90",
        explain: "Each end asks its partner for LACPDUs at the rate that it needs: every second with the \
              short timeout, every 30 with the long one. Different timeouts are legal. When a link \
              dies without going dark, the end with the short timeout stops using it after 3 seconds, \
              and the other goes on sending into it for up to 90.",
        sources: &["IEEE 802.1AX clause 6.4.4 (Short_Timeout_Time, Long_Timeout_Time)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[[lag]]
on = "kelp-*"
name = "across"
ports = "p[1-2]"
timeout = "short"
differs = [{ on = "kelp-b", timeout = "long" }]

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("timeout = \"long\"", "timeout = \"short\"")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // One half of a group may differ from the far end where the other does not.
    let differing = cx.state.facing.iter().copied().filter(|&(one, other)| {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let lacp = [a, b].iter().all(|lag| lag.protocol.value == Protocol::Lacp);
        lacp && a.timeout.value != b.timeout.value
    });
    for (one, other) in lag::firsts_of_wholes(fabric, differing) {
        let a = fabric.lag(one);
        let (short, long) =
            if a.timeout.value == Timeout::Short { (one, other) } else { (other, one) };
        let (x, y) = (fabric.lag(short), fabric.lag(long));
        let (name_x, name_y) = (half_name(fabric, short), half_name(fabric, long));
        out.report(
            y.timeout.span,
            format!("{name_y} waits 90 seconds"),
            format!("{name_x} gives a silent partner up after 3 seconds, {name_y} after 90"),
        )
        .related(x.timeout.span, format!("{name_x} waits 3 seconds"))
        .wire(format!("when a link dies without going dark, {name_y} goes on sending into it for up to 90 seconds"))
        .remedy("set the same timeout at both ends, short where failures must be noticed soon")
        .about(x.device)
        .about(y.device);
    }
}
