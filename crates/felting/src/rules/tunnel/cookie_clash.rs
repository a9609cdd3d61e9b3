use super::wires;
use crate::behaviour::WireFault;
use crate::diagnostic::At;
use crate::fabric::{Ids, Pseudowire};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Cookie;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "tunnel-cookie-clash",
        severity: Severity::Error,
        summary: "an end of a pseudowire sends another cookie than the far end expects",
        explain: "A cookie is chosen by the end that receives it, which drops what comes with another one, or with none. So the \
              cookies of the two ends mirror each other, as their session ids do.",
        sources: &["RFC 3931 section 4.1"],
        broken: concat!(
            part!(far_apart),
            r#"
[[pseudowire]]
name = "tide-bus"
on = "inlet-a"
port = "p1"
to = "skerry-a"
session = { local = 17, remote = 41 }
cookie = { local = "c0a80001", remote = "c0a80002" }
"#,
            r#"
[[pseudowire]]
name = "tide-bus"
on = "skerry-a"
port = "p1"
to = "inlet-a"
session = { local = 41, remote = 17 }
cookie = { local = "c0a80009", remote = "c0a80001" }
"#
        ),
        mend: &[("c0a80009", "c0a80002")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    for ends in wires(cx.fabric).filter(|ends| ends.face() && ends.carry_alike()) {
        if let (
            Ids::Session { local_cookie: Some(local), remote_cookie: Some(remote), .. },
            Ids::Session { local_cookie: Some(far_local), remote_cookie: Some(far_remote), .. },
        ) = (&ends.a.ids, &ends.b.ids)
            && (local.value, remote.value) == (far_local.value, far_remote.value)
            && local.value != remote.value
        {
            let cookies = format!("local {} and remote {}", local.value, remote.value);
            ends.not_mirrored(cx, out, "cookies", &cookies, [local.span, far_local.span]);
            continue;
        }
        for (way, (from, to)) in ends.ways().into_iter().enumerate() {
            let (Ids::Session { remote_cookie, .. }, Ids::Session { local_cookie, .. }) =
                (&from.ids, &to.ids)
            else {
                continue;
            };
            if !ends.misfits(way).iter().any(|why| matches!(why, WireFault::Cookie(_))) {
                continue;
            }
            let shown = |cookie: &Option<At<Cookie>>| match cookie {
                Some(cookie) => format!("the cookie {}", cookie.value),
                None => "no cookie".to_owned(),
            };
            let (name, [here, there]) = ends.said(cx.fabric, from, to);
            let (sent, expected) = (shown(remote_cookie), shown(local_cookie));
            let place = |cookie: &Option<At<Cookie>>, end: &Pseudowire| {
                cookie.map_or(end.name.span, |cookie| cookie.span)
            };
            out.report(
                place(local_cookie, to),
                format!("{there} expects {expected}"),
                format!("{name}: {here} sends {sent}, but {there} expects {expected}"),
            )
            .related(place(remote_cookie, from), format!("{here} sends {sent}"))
            .wire(ends.consequence(cx))
            .remedy(format!("let `remote` of {here} and `local` of {there} be one cookie"))
            .about(from.device)
            .about(to.device)
            .about_name(&from.name.value);
        }
    }
}
