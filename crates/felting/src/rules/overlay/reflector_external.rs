use std::collections::BTreeMap;

use super::asn;
use crate::behaviour::Entity;
use crate::diagnostic::Span;
use crate::fabric::DeviceId;
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "overlay-reflector-external",
        severity: Severity::Error,
        summary: "a reflector has a client in another AS",
        explain: "Reflection is of iBGP: a route reflector passes on what it learns inside its own AS. A \
              client in another AS is an eBGP peer, with the rules of eBGP: the next hop is rewritten, \
              a policy is demanded, and between loopbacks multihop is needed. Most often the AS number \
              of one of the two is wrong.",
        sources: &["RFC 4456 section 6"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(reflected),
            part!(vteps),
            part!(segment),
            r#"
[[router]]
on = ["crest-*", "kelp-*"]
as_number = 4204100000
differs = [{ on = "kelp-b", as_number = 4204100012 }]
"#
        ),
        mend: &[("differs = [{ on = \"kelp-b\", as_number = 4204100012 }]\n", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    let mut groups: BTreeMap<(DeviceId, Span), Vec<DeviceId>> = BTreeMap::new();
    for cause in cx.state.causes().of(RULE.rule.id) {
        let (Entity::Session(near), Some(Entity::Session(far))) = (cause.entity, cause.other)
        else {
            continue;
        };
        let ends = [fabric.session(near), fabric.session(far)];
        let reflector = if ends[0].client.value { ends[0] } else { ends[1] };
        groups.entry((reflector.peer, reflector.client.span)).or_default().push(reflector.device);
    }
    for ((client, span), mut reflectors) in groups {
        reflectors.dedup();
        let number =
            |device: DeviceId| asn(fabric, device).map_or(String::new(), |asn| asn.to_string());
        let place = fabric.router_of(client).and_then(|router| router.as_number);
        let names: Vec<&str> =
            reflectors.iter().map(|&device| fabric.device_name(device)).collect();
        let (name, names) = (fabric.device_name(client), crate::diagnostic::some_of(&names));
        let draft = out
            .report(
                place.map_or(fabric.device(client).name.span, |asn| asn.span),
                format!("{name} is in AS {}", number(client)),
                format!(
                    "{name} is to be a client of {names}, but in another AS: {} and {}",
                    number(client),
                    number(reflectors[0])
                ),
            )
            .related(span, format!("a client of {names}, in AS {}", number(reflectors[0])))
            .wire(format!("nothing is reflected to {name} or from it: it is an eBGP peer"))
            .remedy(format!("put {name} into AS {}, or take `client` out", number(reflectors[0])))
            .about(client);
        reflectors.iter().fold(draft, |draft, &device| draft.about(device));
    }
}
