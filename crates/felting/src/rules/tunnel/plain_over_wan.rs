use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use crate::behaviour::underlay::Towards;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-plain-over-wan",
        severity: Severity::Warning,
        summary: "a pseudowire crosses a WAN path in clear text",
        explain: "L2TPv3 and VXLAN hide nothing, and a cookie is no key: who runs the WAN between can read every frame, and put \
              frames of his own into the wire. A path that is encrypted says so by `encrypted`.",
        sources: &["RFC 3931 section 8.2", "RFC 7348 section 7"],
        broken: concat!(
            part!(sites),
            part!(skerry),
            part!(wan),
            part!(wan_links),
            part!(wan_routes),
            r#"
[[pseudowire]]
name = "tide-bus"
on = ["inlet-a", "skerry-a"]
port = "p54"
to = "skerry-a"
session = { local = 17, remote = 41 }
differs = [{ on = "skerry-a", to = "inlet-a", session = { local = 41, remote = 17 } }]
"#
        ),
        mend: &[("[[wan]]\n", "[[wan]]\nencrypted = true\n")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut towards = Towards::default();
    let mut told: FxHashSet<&SmolStr> = FxHashSet::default();
    for (id, end) in fabric.pseudowires() {
        let crossed = cx.state.under_wire(id, &mut towards);
        let plain = crossed.wans.into_iter().find(|&wan| !fabric.wan(wan).encrypted);
        let Some(wan) = plain.map(|wan| fabric.wan(wan)) else { continue };
        if !told.insert(&end.name.value) {
            continue;
        }
        let finding = out
            .report(
                end.name.span,
                "in clear text",
                format!(
                    "the pseudowire {} crosses the WAN path {} in clear text",
                    end.name.value, wan.name.value
                ),
            )
            .related(wan.name.span, "not encrypted")
            .wire("who runs the path can read its frames, and put in others".to_owned())
            .remedy(format!(
                "encrypt {} and write `encrypted = true` there, or accept it with the reason",
                wan.name.value
            ))
            .about(end.device)
            .about_name(&end.name.value);
        if let Some(twin) = end.twin {
            finding.about(fabric.pseudowire(twin).device);
        }
    }
}
