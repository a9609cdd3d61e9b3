use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "endpoint-address-reserved",
        severity: Severity::Error,
        summary: "an endpoint has an address of its subnet that no host may have",
        explain: "All zeros and all ones in the host part of an IPv4 address stand for the subnet itself and for all of \
                  its hosts; all zeros in IPv6 for its routers. Neighbours send to such an address as to many, or to \
                  somebody else, and take nothing from it.",
        sources: &["RFC 1122 section 3.2.1.3", "RFC 3021", "RFC 4291 section 2.6.1"],
        broken: bench!(
            r#"
[[endpoint]]
name = "web-1"
host = "bench-1"
address = "10.80.31.255/24"

"#
        ),
        mend: &[("10.80.31.255/24", "10.80.31.21/24")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for (_, endpoint) in cx.fabric.endpoints() {
        for address in &endpoint.addresses {
            let (own, subnet) = (address.address(), address.subnet());
            if !subnet.is_reserved(own) {
                continue;
            }
            let is = match (own.is_ipv4(), own == subnet.address()) {
                (true, true) => "stands for the subnet itself",
                (true, false) => "is its broadcast",
                (false, _) => "is that of its routers",
            };
            let name = &endpoint.name.value;
            out.report(
                address.span,
                format!("in {subnet} it {is}"),
                format!("{name} has {own}, which {is} in {subnet}"),
            )
            .related(
                endpoint.host.span,
                format!("on {}", cx.fabric.device_name(endpoint.host.value)),
            )
            .wire(format!("nobody reaches {name} at {own}: what is sent there is for others"))
            .remedy(format!("give it another address of {subnet}, or correct its length"))
            .about(endpoint.host.value)
            .about_name(name);
        }
    }
}
