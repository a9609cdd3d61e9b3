use rustc_hash::FxHashSet;
use smol_str::SmolStr;

use crate::behaviour::mtu::{self, Narrow};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-mtu-too-small",
        severity: Severity::Warning,
        summary: "the links under a pseudowire are too small for its packets",
        explain: "A pseudowire puts 38 to 82 bytes of headers on each frame, over IPv4 or IPv6. Where its packets may not be fragmented, \
              links on the way need that much more than the MTU of the wire, or of what comes in where it has none.",
        sources: &["RFC 7348 section 4.3", "RFC 3931 section 4.1.4"],
        broken: concat!(
            part!(far_apart),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "inlet-a"
port = "p1"
to = "skerry-a"
session = { local = 17, remote = 41 }
mtu = 1500
fragments = false
"#,
            r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 41, remote = 17 }
mtu = 1500
fragments = false
"#,
            "\n[[port]]\non = [\"inlet-a\", \"skerry-a\", \"crest-1\"]\nports = \"p[1-8]\"\nmtu = 1500\n"
        ),
        mend: &[("ports = \"p[1-8]\"\nmtu = 1500", "ports = \"p[1-8]\"\nmtu = 1600")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut told: FxHashSet<&SmolStr> = FxHashSet::default();
    for (id, end) in fabric.pseudowires().filter(|(_, end)| !end.fragments) {
        let Some((room, narrow)) = cx.state.room_under(id) else { continue };
        let written = end.mtu.or_else(|| fabric.written_mtu(end.port.value));
        let Some(needed) = written.filter(|needed| needed.get() > room) else { continue };
        if !told.insert(&end.name.value) {
            continue;
        }
        let (label, place) = match narrow {
            Narrow::Port(port) => (fabric.port_label(port), fabric.written_mtu(port)),
            Narrow::Wan(wan) => {
                let wan = fabric.wan(wan);
                (format!("the WAN path {}", wan.name.value), wan.mtu)
            }
        };
        let headers = mtu::of_pseudowire(end);
        let least = needed.get() + headers;
        out.report(
            needed.span,
            format!("packets of {} bytes", needed.get()),
            format!(
                "the pseudowire {} is to carry packets of {} bytes, and {label} leaves room for {room}",
                end.name.value,
                needed.get()
            ),
        )
        .related(place.map_or(end.port.span, |mtu| mtu.span), format!("the MTU of {label}"))
        .wire(format!("packets over {room} bytes are dropped: the headers take {headers} of the MTU"))
        .remedy(format!("let the links on the way take {least} bytes, or lower the MTU of the wire to {room}"))
        .about(end.device)
        .about_name(&end.name.value);
    }
}
