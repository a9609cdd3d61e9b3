use std::collections::BTreeMap;
use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use super::mapped;
use crate::behaviour::evpn::replication;
use crate::diagnostic::{Span, some_of};
use crate::fabric::{PresenceId, SettingsId};
use crate::rules::{Check, Context, Findings, Rule, Severity};
use crate::value::Replication;

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-flood-list-one-sided",
        severity: Severity::Error,
        summary: "a static flood list does not name all VTEPs of the segment",
        explain: "With static lists nobody asks for copies: a VTEP that is not on another's list \
              gets none of its frames for many, while its own may well arrive there. An address \
              that is no VTEP's gets copies for nothing.",
        sources: &["RFC 7348 section 4.1"],
        broken: concat!(
            part!(plant),
            part!(ospf),
            part!(one_as),
            part!(reflected),
            part!(vteps),
            r#"
[[segment]]
name = "tides-web"
number = 310
vlan = 310
vni = 23310
on = "kelp-*"
replication = "static"
flood_to = ["10.64.9.11", "10.64.9.12"]
differs = [{ on = "kelp-b", flood_to = [] }]
"#
        ),
        mend: &[("\ndiffers = [{ on = \"kelp-b\", flood_to = [] }]", "")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    for (id, segment) in fabric.segments() {
        let fixed: Vec<PresenceId> = mapped(cx, id)
            .into_iter()
            .filter(|&presence| replication(fabric, presence) == Some(Replication::Static))
            .collect();
        let address = |presence: PresenceId| fabric.vtep_of(fabric.presence(presence).switch);
        // Most have the list of the segment, so it is compared once: with those VTEPs that it leaves out.
        let mut left_out: FxHashMap<SettingsId, Vec<PresenceId>> = FxHashMap::default();
        // One list may be that of many.
        let mut of_list: BTreeMap<Span, Vec<(PresenceId, PresenceId)>> = BTreeMap::new();
        for &presence in &fixed {
            let settings = fabric.settings_at(presence);
            let list = left_out.entry(fabric.presence(presence).settings).or_insert_with(|| {
                let listed: FxHashSet<IpAddr> =
                    settings.flood_to.iter().flatten().map(|to| to.value).collect();
                let is_left_out = |other: &PresenceId| {
                    address(*other).is_some_and(|theirs| !listed.contains(&theirs.value))
                };
                fixed.iter().copied().filter(is_left_out).collect()
            });
            let own = address(presence).map(|own| own.value);
            let missing =
                list.iter().find(|&&other| address(other).map(|theirs| theirs.value) != own);
            let Some(&other) = missing else { continue };
            let place = settings.flood_to.iter().flatten().next().map(|to| to.span);
            let place =
                place.or(settings.replication.map(|how| how.span)).unwrap_or(segment.name.span);
            of_list.entry(place).or_default().push((presence, other));
        }
        for (place, all) in of_list {
            let (_, other) = all[0];
            let at = |presence: PresenceId| fabric.presence(presence).switch;
            let names: Vec<&str> =
                all.iter().map(|&(presence, _)| fabric.device_name(at(presence))).collect();
            let (who, twin) = (some_of(&names), fabric.device_name(at(other)));
            let does = if names.len() == 1 { "does" } else { "do" };
            let theirs = address(other).map_or_else(String::new, |theirs| theirs.value.to_string());
            let related =
                fabric.settings_at(other).flood_to.iter().flatten().next().map(|to| to.span);
            let related = related.filter(|&span| span != place).unwrap_or(segment.name.span);
            let draft = out
                .report(
                    place,
                    format!("{who} {does} not copy to {theirs}"),
                    format!(
                        "the flood list of {} on {who} leaves out {twin} ({theirs})",
                        segment.name.value
                    ),
                )
                .related(related, format!("{twin} is a VTEP of {}", segment.name.value))
                .wire(format!(
                    "frames for many from hosts at {who} do not get to {twin}: its hosts \
                     don\u{2019}t answer ARP"
                ))
                .remedy(format!("add {theirs} to `flood_to` of {}", segment.name.value))
                .about(at(all[0].0))
                .about(at(other))
                .about_name(&segment.name.value);
            all.into_iter().fold(draft, |draft, (presence, _)| draft.about(at(presence)));
        }
    }
}
