use super::half_name;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "lag-address-clash",
        severity: Severity::Error,
        summary: "the ends of a routed LAG are not in one subnet, or have one address",
        explain: "The two ends of a routed link are neighbours only if they are in one subnet and have \
              addresses of their own. Otherwise ARP or neighbour discovery finds nobody, or finds the \
              asker itself, and no routing protocol comes up.",
        sources: &["RFC 1812 section 3.3.1", "RFC 5227 section 2.4", "RFC 3021"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 100G"

[[switch]]
name = "crest-1"
ports = "p[1-2] 100G"

[[lag]]
on = "kelp-a"
name = "up"
ports = "p[1-2]"
address = "10.64.0.1/31"

[[lag]]
on = "crest-1"
name = "down"
ports = "p[1-2]"
address = "10.64.0.2/31"

[cabling]
runs = "kelp-a p[1-2] -- crest-1 p[1-2]"
"#,
        mend: &[("10.64.0.2/31", "10.64.0.0/31")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for &(one, other) in cx.state.facing_wholes.iter() {
        let (a, b) = (fabric.lag(one), fabric.lag(other));
        let (Some(x), Some(y)) = (a.addresses.first(), b.addresses.first()) else { continue };
        let pairs = || a.addresses.iter().flat_map(|x| b.addresses.iter().map(move |y| (x, y)));
        let equal = pairs().find(|(x, y)| x.value.address() == y.value.address());
        let joined = pairs().any(|(x, y)| x.value.subnet() == y.value.subnet());
        let (x, y) = match (equal, joined) {
            (Some(same), _) => same,
            (None, true) => continue,
            (None, false) => (x, y),
        };
        let (name_a, name_b) = (half_name(fabric, one), half_name(fabric, other));
        let message = match equal {
            Some(_) => format!(
                "{name_a} and {name_b} at its other end have one address, {}",
                x.value.address()
            ),
            None => format!(
                "the ends of a routed LAG are not in one subnet: {name_a} has {}, {name_b} has {}",
                x.value, y.value
            ),
        };
        out.report(y.span, format!("{name_b} has {}", y.value), message)
            .related(x.span, format!("{name_a} has {}", x.value))
            .wire("neither end reaches the other, and no routing protocol comes up over the LAG")
            .remedy(format!("give {name_b} an address of its own in {}", x.value.subnet()))
            .about(a.device)
            .about(b.device);
    }
}
