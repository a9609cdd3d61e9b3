use super::report_carried_for_nothing;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-leaf-missing",
        severity: Severity::Error,
        summary: "a port carries a segment's VLAN on a leaf that does not have the segment",
        explain: "The frames come in, but the leaf has no VLAN and no VNI for them: the host behind \
              the port is alone.",
        sources: &["IEEE 802.1Q clause 6.9", "RFC 7348 section 4"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
"#,
            r#"
[[segment]]
name = "tides-store"
number = 312
vlan = 312
vni = 23312
on = "kelp-a"
"#,
            r#"
[[port]]
on = "kelp-a"
ports = "p1"
tagged = "310,312"

[[port]]
on = "kelp-b"
ports = "p1"
tagged = "310,312"

[[accept]]
rule = "segment-single-vtep"
on = "tides-store"
reason = "an example"
"#
        ),
        mend: &[("tagged = \"310,312\"\n\n[[accept]]", "tagged = \"310\"\n\n[[accept]]")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    report_carried_for_nothing(cx, out, true);
}
