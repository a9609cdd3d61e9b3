use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "cable-port-reused",
        severity: Severity::Error,
        summary: "two cables in one port",
        explain: "A port takes one plug. Where a list puts two cables into one port, one of them is \
              in another port in truth, or not there at all; whatever was planned over it is not.",
        sources: &["IEEE 802.3 clause 1.4 (a link joins two ports)"],
        broken: r#"
[[switch]]
name = "kelp-[a-b]"
ports = "p[1-2] 25G"

[cabling]
runs = [
  "kelp-a p1 -- kelp-b p1",
  "kelp-a p1 -- kelp-b p2",
]
"#,
        mend: &[("kelp-a p1 -- kelp-b p2", "kelp-a p2 -- kelp-b p2")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for &(port, first, further) in &fabric.replugged {
        let place = |cable| {
            let ends = &fabric.cable(cable).ends;
            // A cable with both ends in one port is its own second.
            let mut ends = ends.iter().filter(|end| end.value == port);
            let end = ends.next().expect("the cable is listed for this port");
            if first == further { ends.next().unwrap_or(end).span } else { end.span }
        };
        let far = |cable| {
            let ends = &fabric.cable(cable).ends;
            let far = if ends[0].value == port { ends[1] } else { ends[0] };
            fabric.port_label(far.value)
        };
        let name = fabric.port_label(port);
        out.report(
            place(further),
            format!("this one leads to {}", far(further)),
            format!("two cables are in {name}: to {} and to {}", far(first), far(further)),
        )
        .related(place(first), format!("the first leads to {}", far(first)))
        .wire(format!("one of the two links does not exist; {} is taken as uncabled", far(further)))
        .remedy(format!("look which cable is in {name}, and give the other its own port"))
        .about(fabric.port(port).device);
    }
}
