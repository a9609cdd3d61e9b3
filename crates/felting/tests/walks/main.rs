//! Walks: what packets do hop by hop, what is expected of them, and the laws that hold for all.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails there")]

mod agree;
mod expectations;
mod laws;
mod overlays;
mod reaching;
mod ways;
mod wires;

use std::path::Path;

use felting::fabric::{DeviceKind, Terminal};
use felting::walk::{Options, Walk, Walker};
use felting::{Condition, Fabric, Progress, State};

fn demo(name: &str) -> Fabric {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    Fabric::from_path(root.join(name).join("fabric.toml"))
}

/// A fabric without what it expects, so that only the walks of a test are made.
fn read(text: &str) -> Fabric {
    let fabric = Fabric::from_text("test.toml", text);
    assert!(fabric.is_complete(), "{:#?}", fabric.faults());
    fabric
}

/// The condition in which some things are lost.
fn without(fabric: &Fabric, cuts: &[&str]) -> Condition {
    cuts.iter().fold(Condition::default(), |condition, cut| condition.cut(fabric, cut).unwrap())
}

fn walk(fabric: &Fabric, cuts: &[&str], from: &str, to: &str, options: Options) -> Walk {
    let state = State::of(fabric, &without(fabric, cuts), &Progress::default());
    let ends = [from, to].map(|end| fabric.terminal(end).unwrap());
    Walker::new(&state).walk(ends[0], ends[1], options).unwrap()
}

/// Every single cable and every single switch, as `--cut` names them.
fn single_losses(fabric: &Fabric) -> Vec<String> {
    let cables = fabric
        .cables()
        .map(|(_, cable)| format!("cable {}", fabric.port_label(cable.ends[0].value)));
    let switches = fabric.devices().filter(|(_, device)| device.kind == DeviceKind::Switch);
    let switches = switches.flat_map(|(id, device)| match device.stack {
        Some(stack) => {
            let members = fabric.stack(stack).members.iter();
            members
                .map(|member| format!("member {} of {}", member.id.value.get(), device.name.value))
                .collect()
        }
        None => vec![fabric.device_name(id).to_owned()],
    });
    cables.chain(switches).collect()
}

fn endpoints(fabric: &Fabric) -> Vec<Terminal> {
    fabric.endpoints().map(|(id, _)| Terminal::Endpoint(id, None)).collect()
}
