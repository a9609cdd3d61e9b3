use crate::diagnostic::Span;
use crate::fabric::{DeviceId, Fabric};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "pair-model-mix",
        severity: Severity::Warning,
        summary: "the sides of a pair differ in hardware or software",
        explain: "The two sides must agree on tables, limits and timers down to the last detail, and \
              nobody has tested them in the mix that happens to stand here. During an upgrade it \
              cannot be helped; as a state it is asking for trouble.",
        sources: &["trade practice of multi-chassis LAGs: no standard"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 100G"
software = "4.2.1"
differs = [{ on = "kelp-b", software = "4.3.0" }]

[[pair]]
name = "kelp"
on = "kelp-*"
domain = 11
peer_link = "peer"
keepalive = { between = ["192.0.2.11", "192.0.2.12"] }

[[lag]]
on = "kelp-*"
name = "peer"
ports = "p[1-2]"

[cabling]
runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
"#,
        mend: &[("4.3.0", "4.2.1")],
    },
    check,
};

fn hardware(fabric: &Fabric, device: DeviceId) -> Option<(String, Span)> {
    let kind = fabric.device(device).hardware?;
    Some((fabric.hardware_kind(kind.value).name.value.to_string(), kind.span))
}

fn software(fabric: &Fabric, device: DeviceId) -> Option<(String, Span)> {
    let software = fabric.device(device).software.as_ref()?;
    Some((software.value.to_string(), software.span))
}

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (_, pair) in fabric.pairs() {
        let [a, b] = pair.sides.each_ref().map(|side| side.switch.value);
        for (what, of) in [
            ("hardware", hardware as fn(&Fabric, DeviceId) -> Option<(String, Span)>),
            ("software", software),
        ] {
            let (Some((x, at_a)), Some((y, at_b))) = (of(fabric, a), of(fabric, b)) else {
                continue;
            };
            if x == y {
                continue;
            }
            let (name_a, name_b) = (fabric.device_name(a), fabric.device_name(b));
            out.report(
                at_b,
                format!("{name_b}: {y}"),
                format!(
                    "the sides of the pair {} differ in {what}: {name_a} {x}, {name_b} {y}",
                    pair.name.value
                ),
            )
            .related(at_a, format!("{name_a}: {x}"))
            .wire("the pair works as long as the two happen to agree on every detail")
            .remedy(format!("bring both to one {what}; accept it for the time of an upgrade"))
            .about(a)
            .about(b);
        }
    }
}
