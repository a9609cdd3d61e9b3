use super::in_one_place;
use crate::diagnostic::some_of;
use crate::fabric::{DeviceId, PresenceId, SegmentId};
use crate::rules::{Check, Context, Findings, Rule, Severity};

pub(super) static RULE: Check = Check {
    rule: Rule {
        id: "segment-vni-missing",
        severity: Severity::Error,
        summary: "a segment is on several VTEPs without a VNI, and no cables join them",
        explain: "VTEPs carry a segment between each other by its VNI. A segment without one is at each of them only \
              the VLAN of its own ports: where no cables join these, one segment is several.",
        sources: &["RFC 7348 section 4"],
        broken: concat!(
            part!(fabric),
            r#"
[[segment]]
name = "tides-web"
vlan = 310
on = "kelp-*"
"#
        ),
        mend: &[("vlan = 310\n", "vlan = 310\nvni = 23310\n")],
    },
    check,
};

fn check(cx: &Context<'_>, out: &mut Findings<'_>) {
    let fabric = cx.fabric;
    // What has a number lacks a pool; the others lack what is written for each.
    let mut of_pool: Vec<Apart> = Vec::new();
    for (id, segment) in fabric.segments() {
        let Some(apart) = apart(cx, id) else { continue };
        match segment.number {
            Some(_) => of_pool.push(apart),
            None => report(
                cx,
                out,
                &[apart],
                "give it a `vni`, or a `number` and a pool of `segment-vnis`",
            ),
        }
    }
    if !of_pool.is_empty() {
        report(cx, out, &of_pool, "give a pool of `segment-vnis`, or a `vni` to each");
    }
}

/// A segment without a VNI, and two of its VTEPs that nothing joins.
struct Apart {
    segment: SegmentId,
    ends: [DeviceId; 2],
    vteps: Vec<DeviceId>,
}

fn apart(cx: &Context<'_>, id: SegmentId) -> Option<Apart> {
    let fabric = cx.fabric;
    let segment = fabric.segment(id);
    let is_vtep = |id: &PresenceId| fabric.overlay_of(fabric.presence(*id).switch).is_some();
    let vteps: Vec<PresenceId> = segment.presences.iter().filter(is_vtep).collect();
    let without = segment.presences.iter().all(|id| fabric.presence(id).vni.is_none());
    if !without || vteps.is_empty() || in_one_place(fabric, &vteps) {
        return None;
    }
    // A pool that ends too early is told as that.
    let number = segment.number.map(|number| number.span);
    if fabric.exhausted().iter().any(|one| Some(one.wanted.span) == number) {
        return None;
    }
    let first = fabric.presence(vteps[0]);
    let vlan = first.vlan.map(|vlan| vlan.value);
    let is_apart = |there: &DeviceId| {
        *there != first.switch
            && fabric.pair_of(*there, first.switch).is_none()
            && !vlan.is_some_and(|vlan| cx.state.carriers().joins(first.switch, *there, vlan))
    };
    let vteps: Vec<DeviceId> = vteps.into_iter().map(|id| fabric.presence(id).switch).collect();
    let other = vteps.iter().copied().find(is_apart)?;
    Some(Apart { segment: id, ends: [first.switch, other], vteps })
}

fn report(cx: &Context<'_>, out: &mut Findings<'_>, all: &[Apart], remedy: &str) {
    let fabric = cx.fabric;
    let names: Vec<&str> =
        all.iter().map(|one| fabric.segment(one.segment).name.as_str()).collect();
    let (first, who) = (&all[0], some_of(&names));
    let [name, twin] = first.ends.map(|device| fabric.device_name(device));
    let on: Vec<&str> = first.vteps.iter().map(|&device| fabric.device_name(device)).collect();
    let is = if all.len() == 1 { "is" } else { "are" };
    let mut draft = out
        .report(
            fabric.segment(first.segment).name.span,
            "no VNI",
            format!("{who} {is} on several VTEPs without a VNI"),
        )
        .related(
            fabric.device(first.ends[0]).name.span,
            format!("{} is on {}", names[0], some_of(&on)),
        )
        .wire(format!(
            "nothing carries {who} between {name} and {twin}: each has a VLAN of its own"
        ))
        .remedy(remedy);
    for one in all {
        draft = draft.about_name(&fabric.segment(one.segment).name.value);
    }
    first.vteps.iter().fold(draft, |draft, &device| draft.about(device));
}
