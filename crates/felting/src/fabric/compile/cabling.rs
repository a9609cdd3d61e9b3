use rustc_hash::FxHashMap;
use smol_str::SmolStr;

use super::devices::per_port;
use super::made::unknown_port;
use super::things::too_many;
use crate::diagnostic::At;
use crate::fabric::layout::report_range;
use crate::fabric::{Arenas, Cable, DeviceId, PortId};
use crate::source::{Document, FaultKind, Faults, Run, expand};

/// One side of a run, spread out: every device with every port, the device slowest.
fn ends(
    device: &At<SmolStr>,
    port: &At<SmolStr>,
    faults: &mut Faults,
) -> Option<(Vec<SmolStr>, Vec<SmolStr>)> {
    let mut names = |text: &At<SmolStr>| match expand(&text.value) {
        Ok(names) => Some(names),
        Err(fault) => {
            report_range(faults, text, 0, &text.value, &fault);
            None
        }
    };
    let (devices, ports) = (names(device), names(port));
    Some((devices?, ports?))
}

pub(super) fn cables(document: &Document, fabric: &mut Arenas, faults: &mut Faults) {
    // (cable, layer): an overlay's cable takes the place of those of lower layers in its ports.
    let mut made: Vec<(Cable, usize)> = Vec::with_capacity(document.runs.len() * 2);
    for run in &document.runs {
        spread_run(run, fabric, &mut made, faults);
    }
    if made.iter().any(|(_, layer)| *layer > 0) {
        let mut top: FxHashMap<PortId, usize> = FxHashMap::default();
        for (cable, layer) in &made {
            for end in &cable.ends {
                let known = top.entry(end.value).or_default();
                *known = (*known).max(*layer);
            }
        }
        made.retain(|(cable, layer)| cable.ends.iter().all(|end| top[&end.value] == *layer));
    }
    fabric.plugged = per_port(fabric, None);
    fabric.cables.reserve(made.len());
    for (cable, _) in made {
        let ends = cable.ends;
        let id = fabric.cables.push(cable);
        for (end, at) in ends.iter().enumerate() {
            match fabric.plugged[at.value] {
                None => fabric.plugged[at.value] = Some((id, end)),
                Some((first, _)) => fabric.replugged.push((at.value, first, id)),
            }
        }
    }
}

fn spread_run(run: &Run, fabric: &Arenas, made: &mut Vec<(Cable, usize)>, faults: &mut Faults) {
    let near = ends(&run.near.device, &run.near.port, faults);
    let far = ends(&run.far.device, &run.far.port, faults);
    let (Some(near), Some(far)) = (near, far) else { return };
    let count = near.0.len().saturating_mul(near.1.len());
    let far_count = far.0.len().saturating_mul(far.1.len());
    if count != far_count {
        let text = |end: &crate::source::RunEnd| format!("{} {}", end.device.value, end.port.value);
        faults.add(
            FaultKind::UnequalRun,
            run.span,
            format!(
                "the two sides of a cable run are of different length: {} makes {count}, {} makes {far_count}",
                text(&run.near),
                text(&run.far),
            ),
            "expected as many ports on the left as on the right",
            "make the ranges equally long; those of one side multiply, the leftmost slowest",
        );
        return;
    }
    if too_many(made.len().saturating_add(count), run.span, "cables", faults) {
        return;
    }
    let near_devices = resolve(&near.0, &run.near.device, fabric, faults);
    let far_devices = resolve(&far.0, &run.far.device, fabric, faults);
    for index in 0..count {
        let near = end(index, &near_devices, &near.1, &run.near.port, fabric, faults);
        let far = end(index, &far_devices, &far.1, &run.far.port, fabric, faults);
        let (Some(near), Some(far)) = (near, far) else { continue };
        let cable = Cable {
            ends: [near, far],
            span: run.span.into(),
            medium: run.medium,
            length: run.length,
            label: run.label.clone(),
            loopback: run.loopback,
        };
        made.push((cable, run.layer));
    }
}

fn resolve(
    names: &[SmolStr],
    written: &At<SmolStr>,
    fabric: &Arenas,
    faults: &mut Faults,
) -> Vec<Option<DeviceId>> {
    names
        .iter()
        .map(|name| {
            let found = fabric.device_names.get(name).copied();
            if found.is_none() && faults.keeps(written.span, FaultKind::UnknownName) {
                let known = fabric.devices.values().map(|device| device.name.as_str());
                let remedy = match faults.nearest(name, known) {
                    Some(nearest) => format!("did you mean {nearest}?"),
                    None => "add the switch or host, or correct the name".to_owned(),
                };
                let message = format!("a cable leads to {name}, which is no switch or host");
                faults.add(FaultKind::UnknownName, written.span, message, "no such name", remedy);
            }
            found
        })
        .collect()
}

fn end(
    index: usize,
    devices: &[Option<DeviceId>],
    ports: &[SmolStr],
    written: &At<SmolStr>,
    fabric: &Arenas,
    faults: &mut Faults,
) -> Option<At<PortId>> {
    let device = devices[index / ports.len()]?;
    let name = &ports[index % ports.len()];
    let port = fabric.find_port(device, name);
    if port.is_none() {
        let made = &fabric.devices[device];
        unknown_port(fabric, made, &At::new(name.clone(), written.span), faults);
    }
    port.map(|port| At::new(port, written.span))
}
