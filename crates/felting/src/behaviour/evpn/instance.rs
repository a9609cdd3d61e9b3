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

/// Who imports which targets, so that [`Instance::imports`] need not be asked of everyone.
pub(super) struct Importers<T> {
    exact: FxHashMap<RouteTarget, Vec<T>>,
    /// Of those that ignore the AS number, by the rest.
    by_number: FxHashMap<u32, Vec<T>>,
}

impl<T> Default for Importers<T> {
    fn default() -> Self {
        Self { exact: FxHashMap::default(), by_number: FxHashMap::default() }
    }
}

impl<T: Copy + Ord> Importers<T> {
    pub(super) fn add(&mut self, of: T, instance: Option<&Instance>) {
        let Some(instance) = instance else { return };
        for target in &instance.import {
            match instance.any_as {
                true => self.by_number.entry(target.number()).or_default().push(of),
                false => self.exact.entry(*target).or_default().push(of),
            }
        }
    }

    /// Those that import a route with these targets, in order, each once.
    pub(super) fn of(&self, targets: &[RouteTarget]) -> Vec<T> {
        in_order(targets.iter().flat_map(|target| {
            let exact = self.exact.get(target).into_iter();
            exact.chain(self.by_number.get(&target.number())).flatten().copied()
        }))
    }
}

/// Who exports which targets: the other way round.
#[derive(Debug)]
pub(super) struct Exporters<T> {
    exact: FxHashMap<RouteTarget, Vec<T>>,
    /// The same by the number alone, if anybody imports so.
    by_number: Option<FxHashMap<u32, Vec<T>>>,
}

impl<T> Default for Exporters<T> {
    fn default() -> Self {
        Self { exact: FxHashMap::default(), by_number: None }
    }
}

impl<T: Copy + Ord> Exporters<T> {
    fn new(any_as: bool) -> Self {
        Self { exact: FxHashMap::default(), by_number: any_as.then(FxHashMap::default) }
    }

    fn add(&mut self, of: T, instance: &Instance) {
        for &target in &instance.export {
            self.exact.entry(target).or_default().push(of);
            if let Some(by_number) = &mut self.by_number {
                by_number.entry(target.number()).or_default().push(of);
            }
        }
    }

    /// Those that export a target.
    pub(super) fn of(&self, target: RouteTarget) -> &[T] {
        self.exact.get(&target).map_or(&[], Vec::as_slice)
    }

    /// Those whose routes an instance imports, in order, each once.
    pub(super) fn imported_by(&self, instance: &Instance) -> Vec<T> {
        in_order(instance.import.iter().flat_map(|target| {
            let alike = self.by_number.as_ref().and_then(|all| all.get(&target.number()));
            match instance.any_as {
                true => alike.map_or(&[][..], Vec::as_slice).iter().copied(),
                false => self.of(*target).iter().copied(),
            }
        }))
    }
}

fn in_order<T: Ord>(all: impl Iterator<Item = T>) -> Vec<T> {
    let mut all: Vec<T> = all.collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// The instances of all VTEPs, which follow from what is written alone.
#[derive(Debug, Default)]
pub(crate) struct Instances {
    /// The MAC-VRF of each presence that is mapped to a VNI on a VTEP.
    pub(super) of_presences: IdVec<PresenceId, Option<Instance>>,
    /// The IP-VRF of each VRF on each switch, in the order of its switches.
    pub(super) of_tenants: IdVec<VrfId, Vec<Instance>>,
    /// The presences, by the targets that they export.
    pub(super) exporters: Exporters<PresenceId>,
    /// The VRFs, each with the place of a switch among its own, by the targets that they export there.
    pub(super) tenants: Exporters<(VrfId, usize)>,
    /// Whether a route distinguisher is used on several VTEPs.
    pub(super) shared_distinguisher: bool,
}

impl Instances {
    pub(super) fn of(fabric: &Fabric) -> Self {
        let any_as = fabric.overlays.values().any(|overlay| overlay.any_as.value);
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
            exporters: Exporters::new(any_as),
            tenants: Exporters::new(any_as),
            shared_distinguisher: false,
        };
        for (id, presence) in fabric.presences.iter() {
            let Some(overlay) = fabric.overlay_of(presence.switch) else { continue };
            let Some(vni) = presence.vni else { continue };
            let instance = of_presence(fabric, id, overlay, vni.value);
            made.exporters.add(id, &instance);
            made.of_presences[id] = Some(instance);
        }
        for (vrf, all) in made.of_tenants.iter() {
            for (place, instance) in all.iter().enumerate() {
                made.tenants.add((vrf, place), instance);
            }
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn targets() -> impl Strategy<Value = Targets> {
        let target = (1_u32..3, 1_u32..4)
            .prop_map(|(asn, number)| format!("{asn}:{number}").parse().expect("a target"));
        prop::collection::vec(target, 0..3).prop_map(Targets::from_vec)
    }

    fn instance() -> impl Strategy<Value = Instance> {
        (targets(), targets(), any::<bool>()).prop_map(|(import, export, any_as)| Instance {
            import,
            export,
            any_as,
            ..Instance::default()
        })
    }

    proptest! {
        #[test]
        fn tables_tell_what_each_instance_imports(
            all in prop::collection::vec(instance(), 0..8),
            one in instance(),
        ) {
            let mut exporters = Exporters::new(true);
            let mut importers = Importers::default();
            for (place, instance) in all.iter().enumerate() {
                exporters.add(place, instance);
                importers.add(place, Some(instance));
            }
            let from = (0..all.len()).filter(|&place| one.imports(&all[place].export));
            prop_assert_eq!(exporters.imported_by(&one), from.collect::<Vec<_>>());
            let to = (0..all.len()).filter(|&place| all[place].imports(&one.export));
            prop_assert_eq!(importers.of(&one.export), to.collect::<Vec<_>>());
        }
    }
}
