use rustc_hash::{FxHashMap, FxHashSet};
use smol_str::SmolStr;

use super::made::Made;
use super::things::{Thing, Things, too_many};
use crate::diagnostic::{At, Span};
use crate::fabric::{
    Arenas, DeviceId, Presence, Segment, SegmentSettings, SettingsId, Vrf, VrfId, VrfPresence,
};
use crate::id::IdRange;
use crate::source::{Deviation, Document, Faults, Keys, Layers, Many, SegmentKeys, Statement};
use crate::value::{IpPrefix, Number, PoolKind, RouteTarget, Vni};

/// VRFs by name.
pub(super) type VrfNames = FxHashMap<SmolStr, VrfId>;

impl Made<'_> {
    pub(super) fn vrfs(&mut self, document: &Document) -> VrfNames {
        let mut names = VrfNames::default();
        for (thing, statements) in self.by_name(&document.vrfs, |keys| &keys.name) {
            let keys = &thing.layers;
            let on = keys.on();
            let (switches, mut present) = (self.present(on), Vec::new());
            let deviations: Vec<_> =
                statements.iter().map(|s| self.deviations(s, &switches)).collect();
            let allotted = self.vni_from(PoolKind::VrfVnis, keys.number(), keys.vni());
            for &switch in &switches {
                let layers = layers_at(&statements, &deviations, switch);
                let vni = match layers.vni() {
                    Some(written) => Some(*written),
                    None if layers.taken_out("vni").is_some() => None,
                    None => allotted,
                };
                let both = layers.targets();
                let list = |own: Option<&At<Many<RouteTarget>>>| {
                    own.or(both).map(|targets| targets.value.0.clone())
                };
                present.push(VrfPresence {
                    switch,
                    vni,
                    import: list(layers.import_targets()),
                    export: list(layers.export_targets()),
                    rd: layers.rd().copied(),
                    irb: layers.irb().copied(),
                    advertise_subnets: layers.advertise_subnets().value(),
                });
            }
            let id = self.fabric.vrfs.push(Vrf {
                name: At::new(thing.name.clone(), thing.span),
                number: keys.number().copied(),
                vni: keys.vni().copied().or(allotted),
                on: keys.on().map_or(thing.span, |on| on.span).into(),
                switches: present,
            });
            names.insert(thing.name, id);
        }
        names
    }

    /// Whether a switch maps VLANs to VNIs: where overlays are written those that have one, else
    /// all that can.
    fn maps(&self, switch: DeviceId, vteps: &FxHashSet<DeviceId>) -> bool {
        let hardware = self.devices[switch].hardware.map(|kind| &self.fabric.hardware[kind.value]);
        let able = hardware.is_none_or(|kind| kind.vtep.value);
        able && (vteps.is_empty() || vteps.contains(&switch))
    }

    /// The VNI that a pool gives for a number, if none is written.
    fn vni_from(
        &mut self,
        kind: PoolKind,
        number: Option<&At<Number>>,
        written: Option<&At<Vni>>,
    ) -> Option<At<Vni>> {
        let number = number.filter(|_| written.is_none())?;
        let given = self.number_from(kind, None, At::new(number.get(), number.span), Vni::MAX)?;
        Some(At::new(Vni::new(given.value).ok()?, given.span))
    }

    pub(super) fn segments(&mut self, document: &Document, vrfs: &VrfNames) {
        let vteps: FxHashSet<DeviceId> =
            self.fabric.overlays.values().map(|overlay| overlay.device).collect();
        let vteps = &vteps;
        for (thing, statements) in self.by_name(&document.segments, |keys| &keys.name) {
            let keys = &thing.layers;
            let switches = self.present(keys.on());
            let gateway_on = self.present(keys.gateway_on());
            let start = self.fabric.presences.next_id();
            if too_many(
                self.fabric.presences.len() + switches.len(),
                thing.span,
                "presences",
                self.faults,
            ) {
                return;
            }
            let segment = self.fabric.segments.next_id();
            let deviations: Vec<_> =
                statements.iter().map(|s| self.deviations(s, &switches)).collect();
            let allotted = self.vni_from(PoolKind::SegmentVnis, keys.number(), keys.vni());
            let mut usual: Option<SettingsId> = None;
            for &switch in &switches {
                let here = layers_at(&statements, &deviations, switch);
                let vrf = here.vrf().and_then(|name| self.vrf(name, vrfs));
                let vni = match here.vni() {
                    Some(written) => Some(*written),
                    None if here.taken_out("vni").is_some() => None,
                    None => allotted,
                };
                // Most switches of a segment are alike, and share what it is set to.
                let alike = deviations.iter().all(|deviations| !deviations.contains_key(&switch));
                let settings = match usual {
                    Some(usual) if alike => usual,
                    _ => self.fabric.settings.push(segment_settings(&here, thing.span)),
                };
                if alike {
                    usual = Some(settings);
                }
                let id = self.fabric.presences.push(Presence {
                    segment,
                    switch,
                    vlan: here.vlan().copied(),
                    vni: vni.filter(|_| self.maps(switch, vteps)),
                    vrf,
                    settings,
                });
                self.fabric.presences_on.entry(switch).or_default().push(id);
            }
            let vrf = keys.vrf().and_then(|name| self.vrf(name, vrfs));
            let id = self.fabric.segments.next_id();
            self.fabric.segment_names.entry(thing.name.clone()).or_insert(id);
            self.fabric.segments.push(Segment {
                name: At::new(thing.name, thing.span),
                number: keys.number().copied(),
                vlan: keys.vlan().copied(),
                vni: keys.vni().copied().or(allotted),
                vrf,
                subnets: keys.subnet().map(|subnets| subnets.value.0.clone()).unwrap_or_default(),
                gateways: keys.gateway().map(|all| all.value.0.clone()).unwrap_or_default(),
                gateway_on,
                gateway_on_at: keys.gateway_on().map(|on| on.span.into()),
                presences: IdRange::new(start, self.fabric.presences.next_id()),
                evi: None,
            });
        }
    }

    /// Which segments have which subnets, for look-ups by address.
    pub(super) fn subnets(&mut self) {
        for (id, segment) in self.fabric.segments.iter() {
            let mut last = None;
            for presence in segment.presences.iter() {
                let settings = self.fabric.presences[presence].settings;
                if last.replace(settings) == Some(settings) {
                    continue;
                }
                let settings = &self.fabric.settings[settings];
                let own = settings.addresses.iter().map(|address| address.subnet());
                for subnet in settings.subnets.iter().map(|subnet| subnet.value).chain(own) {
                    let known = self.fabric.subnets.entry(subnet).or_default();
                    if known.last() != Some(&id) {
                        known.push(id);
                    }
                }
            }
        }
        let mut lengths: Vec<u8> = self.fabric.subnets.keys().map(IpPrefix::length).collect();
        lengths.sort_unstable_by(|a, b| b.cmp(a));
        lengths.dedup();
        self.fabric.subnet_lengths = lengths;
    }

    /// The things of one kind by name, each with the statements that speak of it, lowest first.
    pub(super) fn by_name<'s, K: Keys>(
        &mut self,
        statements: &'s [Statement<K>],
        name: fn(&K) -> &Option<At<SmolStr>>,
    ) -> Vec<Spoken<'s, K>> {
        let mut things: Things<'s, SmolStr, K> = Things::new();
        let mut spoken: Vec<Vec<&Statement<K>>> = Vec::new();
        for statement in statements {
            let Some(name) = name(&statement.keys) else { continue };
            let shown = || format!("the {} {}", K::TABLE, name.value);
            things.add(name.value.clone(), name.span, statement, None, self.faults, shown);
            let place = things.places[&name.value];
            if place == spoken.len() {
                spoken.push(vec![statement]);
            } else if statement.layer > 0 {
                spoken[place].push(statement);
            }
        }
        things.order.into_iter().zip(spoken).collect()
    }

    pub(super) fn present(&mut self, on: Option<&At<Many<SmolStr>>>) -> Vec<DeviceId> {
        on.map(|on| self.switches(&on.value.0)).unwrap_or_default()
    }

    pub(super) fn vrf(&mut self, name: &At<SmolStr>, vrfs: &VrfNames) -> Option<At<VrfId>> {
        find_vrf(self.fabric, vrfs, name, self.faults)
    }
}

/// The VRF of a name, or a fault.
pub(super) fn find_vrf(
    fabric: &Arenas,
    vrfs: &VrfNames,
    name: &At<SmolStr>,
    faults: &mut Faults,
) -> Option<At<VrfId>> {
    let found = vrfs.get(&name.value);
    if found.is_none() {
        let known = fabric.vrfs.values().map(|vrf| vrf.name.as_str());
        faults.unknown("VRF", name, known, "add a [[vrf]] of that name");
    }
    found.map(|&id| At::new(id, name.span))
}

/// A thing, and the statements that speak of it.
pub(super) type Spoken<'s, K> = (Thing<'s, SmolStr, K>, Vec<&'s Statement<K>>);

/// What holds on one switch: each statement with its deviation there, overlays above.
pub(super) fn layers_at<'s, K: Keys>(
    statements: &[&'s Statement<K>],
    deviations: &[FxHashMap<DeviceId, &'s Deviation<K>>],
    switch: DeviceId,
) -> Layers<'s, K> {
    let mut layers: Option<Layers<'s, K>> = None;
    for (statement, deviations) in statements.iter().zip(deviations) {
        let above = Layers::of(statement, deviations.get(&switch).copied());
        match &mut layers {
            Some(layers) => layers.cover(&above),
            None => layers = Some(above),
        }
    }
    layers.expect("a thing is made by at least one statement")
}

/// What a segment is set to by some layers, of a thing that is written at `span`.
fn segment_settings(keys: &Layers<'_, SegmentKeys>, span: Span) -> SegmentSettings {
    let both = keys.targets();
    let targets =
        |own: Option<&At<Many<RouteTarget>>>| own.or(both).map(|targets| targets.value.0.clone());
    // A default of a gateway stands where its addresses do.
    let gateway = keys.gateway().and_then(|all| all.value.0.first()).map_or(span, |one| one.span);
    let own = keys.address().and_then(|all| all.value.0.first()).map_or(gateway, |one| one.span);
    SegmentSettings {
        subnets: keys.subnet().map(|all| all.value.0.clone()).unwrap_or_default(),
        gateways: keys.gateway().map(|all| all.value.0.clone()).unwrap_or_default(),
        no_gateway_at: keys.taken_out("gateway").map(Into::into),
        gateway_kind: keys.gateway_kind().at(gateway),
        gateway_mac: keys.gateway_mac().copied(),
        addresses: keys.address().map(|all| all.value.0.clone()).unwrap_or_default(),
        vrrp_priority: keys.vrrp_priority().value(),
        vrrp_id: keys.vrrp_id().at(own),
        import: targets(keys.import_targets()),
        export: targets(keys.export_targets()),
        rd: keys.rd().copied(),
        replication: keys.replication().copied(),
        multicast_group: keys.multicast_group().copied(),
        flood_to: keys.flood_to().map(|all| all.value.0.clone()),
        relay: keys.relay().map(|all| all.value.0.clone()).unwrap_or_default(),
    }
}
