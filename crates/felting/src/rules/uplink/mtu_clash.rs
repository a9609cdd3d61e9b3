use rustc_hash::FxHashSet;

use crate::diagnostic::Span;
use crate::fabric::DeviceKind;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "uplink-mtu-clash",
        severity: Severity::Error,
        summary: "a host sends larger packets than the port at its switch takes",
        explain: "A bridge does not fragment, and tells nobody that it drops a frame for its size: \
              small packets pass, connections open, and hang when data flows.",
        sources: &["IEEE 802.1Q clause 6.5.8 (maximum service data unit size)"],
        broken: r#"
[[switch]]
name = "kelp-a"
ports = "p[1-2] 25G"

[[host]]
name = "hull-01"
nics = "nic[1-2] 25G"
bond = { name = "bond0", nics = "nic[1-2]", mtu = 9000 }

[[lag]]
on = "kelp-a"
name = "hull-01"
ports = "p[1-2]"
mtu = 1500

[cabling]
runs = "hull-01 nic[1-2] -- kelp-a p[1-2]"
"#,
        mend: &[("mtu = 1500", "mtu = 9216")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut said: FxHashSet<(Span, Span)> = FxHashSet::default();
    for (id, host) in fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Host) {
        for nic in host.ports.iter() {
            let Some(far) = cx.state.far(nic) else { continue };
            let device = fabric.port(far).device;
            let set = fabric.written_mtu(far);
            let most = set.or_else(|| fabric.hardware_mtu(device));
            let (Some(own), Some(there)) = (fabric.written_mtu(nic), most) else { continue };
            if own.value <= there.value || !said.insert((own.span, there.span)) {
                continue;
            }
            let name = &host.name.value;
            let port = match fabric.lag_of(far) {
                Some(lag) => fabric.lag_label(lag),
                None => fabric.port_label(far),
            };
            out.report(
                own.span,
                format!("{name} sends up to {} bytes", own.value),
                format!(
                    "{name} sends packets of up to {} bytes, but {port} takes {}",
                    own.value, there.value
                ),
            )
            .related(there.span, format!("{port} takes {} bytes", there.value))
            .wire(format!(
                "packets of {name} of more than {} bytes vanish at the switch, while small ones pass",
                there.value
            ))
            .remedy(match set {
                Some(_) => {
                    format!("set at least {} on {port}, or {} on {name}", own.value, there.value)
                }
                None => format!(
                    "set {} on {name}, or mend `mtu` of the hardware if it takes more",
                    there.value
                ),
            })
            .about(id)
            .about(device);
        }
    }
}
