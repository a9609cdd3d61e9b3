use super::{segments_of, subnets};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-prefix-length-clash",
        severity: Severity::Error,
        summary: "an endpoint has another prefix length than its segment\u{2019}s subnet",
        explain: "By its prefix length an endpoint decides whom it asks for directly and what it sends to the gateway. With a longer one it goes round by the gateway for its neighbours; with a shorter one it looks in its own segment for machines that are elsewhere.",
        sources: &["RFC 1122 section 3.3.1.1"],
        broken: bench!(
            r#"
[[endpoint]]
name = "web-1"
host = "bench-1"
address = "10.80.31.21/16"

"#
        ),
        mend: &[("10.80.31.21/16", "10.80.31.21/24")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, endpoint) in fabric.endpoints() {
        for segment in segments_of(cx, id) {
            for address in &endpoint.addresses {
                let own = address.subnet();
                let subnets = subnets(fabric, segment, &own);
                let inside = subnets.iter().filter(|subnet| subnet.contains(address.address()));
                let mut inside = inside.peekable();
                let Some(first) = inside.peek().copied() else { continue };
                if inside.any(|subnet| subnet.value == own) {
                    continue;
                }
                let (name, segment) = (&endpoint.name.value, &fabric.segment(segment).name.value);
                let wire = match own.length() < first.length() {
                    true => format!(
                        "{name} asks in {segment} for addresses of {own} that are elsewhere, and gets no answer"
                    ),
                    false => format!(
                        "{name} sends packets for its neighbours in {segment} to the gateway"
                    ),
                };
                out.report(
                    address.span,
                    format!("/{} here", own.length()),
                    format!(
                        "{name} has the prefix length /{}, but the subnet of {segment} is {}",
                        own.length(),
                        first.value
                    ),
                )
                .related(first.span, format!("subnet of {segment}"))
                .wire(wire)
                .remedy(format!("write {}/{}", address.address(), first.length()))
                .about(endpoint.host.value)
                .about_name(name)
                .about_name(segment);
            }
        }
    }
}
