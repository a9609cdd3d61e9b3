use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use crate::behaviour::WireFault;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-over-itself",
        severity: Severity::Error,
        summary: "the way to the far end of a pseudowire leads through the wire",
        explain: "Where routers behind a pseudowire are neighbours over it, and tell each other of its own far end, packets of the wire \
              would go into the wire. Such a wire comes up, takes its own way away, and falls, again and again.",
        sources: &["RFC 2328 section 16.1 (the shortest way is taken, over whatever link)"],
        broken: concat!(
            part!(apart),
            r#"
[[switch]]
name = "mud-[1-2]"
number = 51
role = "border"
ports = "p[1-2] 10G"

[[underlay]]
on = "mud-*"
protocol = "ospf"

[[interface]]
on = "mud-*"
port = "p1"
address = "10.64.5.0/31"
differs = [{ on = "mud-2", address = "10.64.5.1/31" }]

[[interface]]
on = ["inlet-a", "skerry-a"]
port = "p8"
cost = 500

[[interface]]
on = "crest-1"
port = "p[1-2]"
cost = 500

[[pseudowire]]
name = "tide-bus"
on = ["inlet-a", "skerry-a"]
port = "p1"
to = "skerry-a"
session = { local = 17, remote = 41 }
differs = [{ on = "skerry-a", to = "inlet-a", session = { local = 41, remote = 17 } }]

[cabling]
runs = [
  "inlet-a p8 -- crest-1 p1",
  "skerry-a p8 -- crest-1 p2",
  "mud-1 p[1-2] -- inlet-a p[1-2]",
  "mud-2 p[1-2] -- skerry-a p[1-2]",
]
"#
        ),
        mend: &[
            ("port = \"p8\"\ncost = 500", "port = \"p8\"\ncost = 5"),
            ("port = \"p[1-2]\"\ncost = 500", "port = \"p[1-2]\"\ncost = 5"),
        ],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut told: FxHashSet<&SmolStr> = FxHashSet::default();
    for (id, end) in fabric.pseudowires() {
        if cx.state.pseudowire(id).sends != Err(WireFault::OverItself)
            || !told.insert(&end.name.value)
        {
            continue;
        }
        let here = fabric.device_name(end.device);
        let finding = out
            .report(
                end.far.span,
                "its own packets would go through it",
                format!("the way from {here} to the far end of the pseudowire {} leads through the wire itself", end.name.value),
            )
            .wire("it comes up, takes its own way away, and falls, again and again".to_owned())
            .remedy("keep the far end's address out of what is told over the wire, or make that way dearer".to_owned())
            .about(end.device)
            .about_name(&end.name.value);
        if let Some(twin) = end.twin.map(|twin| fabric.pseudowire(twin)) {
            finding.related(twin.name.span, "the other end").about(twin.device);
        }
    }
}
