//! MAC-VRFs and IP-VRFs: their distinguishers and targets, which follow from what is written.

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use crate::diagnostic::At;
use crate::fabric::{DeviceId, Fabric, Overlay, PresenceId, VrfId, VrfPresence};
use crate::id::IdVec;
use crate::value::{Asn, RouteDistinguisher, RouteTarget, TargetRule, Vni};

/// Route targets of an instance: nearly always one.
pub(crate) type Targets = SmallVec<[RouteTarget; 1]>;

/// A MAC-VRF or IP-VRF on one VTEP.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Instance {
    /// The route distinguisher.
    pub rd: Option<RouteDistinguisher>,
    /// The route targets of what it imports.
    pub import: Targets,
    /// The route targets of what it exports.
    pub export: Targets,
    /// Whether its targets are derived, and imports ignore the AS number in them.
    pub any_as: bool,
    /// Whether the targets are written, and not derived.
    pub written: bool,
}

impl Instance {
    /// Whether it imports a route with these targets.
    pub fn imports(&self, targets: &[RouteTarget]) -> bool {
        self.import.iter().any(|own| {
            targets.contains(own)
                || (self.any_as && targets.iter().any(|target| target.number() == own.number()))
        })
    }
}

/// The instances of all VTEPs, which follow from what is written alone.
#[derive(Debug, Default)]
pub(crate) struct Instances {
    /// The MAC-VRF of each presence that is mapped to a VNI on a VTEP.
    pub(super) of_presences: IdVec<PresenceId, Option<Instance>>,
    /// The IP-VRF of each VRF on each switch, in the order of its switches.
    pub(super) of_tenants: IdVec<VrfId, Vec<Instance>>,
    pub(super) exporters: FxHashMap<RouteTarget, Vec<PresenceId>>,
    /// The same by the number in the target alone.
    pub(super) by_number: FxHashMap<u32, Vec<PresenceId>>,
    /// Whether a route distinguisher is used on several VTEPs.
    pub(super) shared_distinguisher: bool,
}

impl Instances {
    pub(super) fn of(fabric: &Fabric) -> Self {
        let mut made = Self {
            of_presences: IdVec::filled(&fabric.presences, None),
            of_tenants: IdVec::of(
                fabric
                    .vrfs
                    .iter()
                    .map(|(id, vrf)| {
                        vrf.switches.iter().map(|one| of_tenant(fabric, id, one)).collect()
                    })
                    .collect(),
            ),
            ..Self::default()
        };
        let any_as = fabric.overlays.values().any(|overlay| overlay.any_as.value);
        for (id, presence) in fabric.presences.iter() {
            let Some(overlay) = fabric.overlay_of(presence.switch) else { continue };
            let Some(vni) = presence.vni else { continue };
            let instance = of_presence(fabric, id, overlay, vni.value);
            for &target in &instance.export {
                made.exporters.entry(target).or_default().push(id);
                if any_as {
                    made.by_number.entry(target.number()).or_default().push(id);
                }
            }
            made.of_presences[id] = Some(instance);
        }
        made.shared_distinguisher = any_shared(fabric, &made);
        made
    }
}

/// The targets of a VNI on a VTEP, where none are written.
fn derived(fabric: &Fabric, overlay: &Overlay, vni: Vni) -> Targets {
    let asn: Option<Asn> =
        fabric.router_of(overlay.device).and_then(|router| router.as_number).map(|asn| asn.value);
    let target = match overlay.targets.value {
        TargetRule::Given => {
            overlay.target_pattern.as_ref().and_then(|pattern| pattern.target(vni))
        }
        TargetRule::Rfc8365 => asn.and_then(|asn| RouteTarget::derived(asn, vni)),
        TargetRule::AsVni => asn.and_then(|asn| RouteTarget::as_and_vni(asn, vni)),
    };
    target.into_iter().collect()
}

fn of_presence(fabric: &Fabric, id: PresenceId, overlay: &Overlay, vni: Vni) -> Instance {
    let presence = fabric.presence(id);
    let segment = fabric.segment(presence.segment);
    let settings = fabric.settings_at(id);
    let bundle = segment.evi.map(|evi| fabric.evi(evi));
    // The segments of one instance share the targets of the first (RFC 7432 section 6.3).
    let vni = bundle
        .and_then(|evi| evi.segments.first())
        .and_then(|first| fabric.segment(first.value).vni)
        .map_or(vni, |first| first.value);
    let written = |own: &Option<Vec<At<RouteTarget>>>| {
        let of_bundle = || bundle.and_then(|evi| evi.targets.as_ref());
        own.as_ref().or_else(of_bundle).map(|all| all.iter().map(|target| target.value).collect())
    };
    let (import, export): (Option<Targets>, Option<Targets>) =
        (written(&settings.import), written(&settings.export));
    let any_written = import.is_some() || export.is_some();
    let router = fabric.router_of(presence.switch);
    let number = match bundle {
        Some(evi) => evi.number,
        None => segment
            .number
            .map(|number| number.get())
            .filter(|&number| u16::try_from(number).is_ok())
            .or(presence.vlan.map(|vlan| vlan.get())),
    };
    let rd = settings.rd.map(|rd| rd.value).or_else(|| {
        let id = router?.router_id?;
        Some(RouteDistinguisher::of_router(id.value, u16::try_from(number?).ok()?))
    });
    Instance {
        rd,
        any_as: overlay.any_as.value
            && import.is_none()
            && overlay.targets.value != TargetRule::Given,
        import: import.unwrap_or_else(|| derived(fabric, overlay, vni)),
        export: export.unwrap_or_else(|| derived(fabric, overlay, vni)),
        written: any_written || overlay.targets.value == TargetRule::Given,
    }
}

/// The IP-VRF of a VRF on a switch.
fn of_tenant(fabric: &Fabric, id: VrfId, at: &VrfPresence) -> Instance {
    let Some(overlay) = fabric.overlay_of(at.switch) else { return Instance::default() };
    let derived = || at.vni.map_or_else(Targets::new, |vni| derived(fabric, overlay, vni.value));
    let list = |own: &Option<Vec<At<RouteTarget>>>| {
        own.as_ref().map(|all| all.iter().map(|target| target.value).collect::<Targets>())
    };
    let number = fabric.vrf(id).number.map(|number| number.get());
    let router = fabric.router_of(at.switch).and_then(|router| router.router_id);
    let rd = at.rd.map(|rd| rd.value).or_else(|| {
        let number = u16::try_from(number?.checked_add(32_768)?).ok()?;
        Some(RouteDistinguisher::of_router(router?.value, number))
    });
    let given = overlay.targets.value == TargetRule::Given;
    Instance {
        rd,
        any_as: overlay.any_as.value && at.import.is_none() && !given,
        written: at.import.is_some() || at.export.is_some() || given,
        import: list(&at.import).unwrap_or_else(derived),
        export: list(&at.export).unwrap_or_else(derived),
    }
}

/// Whether some route distinguisher is used on several VTEPs: without one all routes are distinct.
fn any_shared(fabric: &Fabric, instances: &Instances) -> bool {
    let mut of: FxHashMap<RouteDistinguisher, DeviceId> = FxHashMap::default();
    let segments = instances
        .of_presences
        .iter()
        .filter_map(|(id, instance)| Some((instance.as_ref()?.rd?, fabric.presence(id).switch)));
    let tenants = instances.of_tenants.iter().flat_map(|(vrf, all)| {
        let switches = &fabric.vrf(vrf).switches;
        all.iter().zip(switches).filter_map(|(instance, at)| Some((instance.rd?, at.switch)))
    });
    segments.chain(tenants).any(|(rd, switch)| *of.entry(rd).or_insert(switch) != switch)
}
