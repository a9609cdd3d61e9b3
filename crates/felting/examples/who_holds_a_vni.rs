//! Which VTEPs hold a VNI, and how each learned of the others.
//!
//! `cargo run -p felting --example who_holds_a_vni -- demo/saltmarsh/fabric.toml 23330`

#![allow(clippy::print_stdout, reason = "an example prints")]

use felting::Condition;
use felting::behaviour::Apart;
use felting::value::Family;
use felting::{Fabric, Progress, State};

fn main() {
    let mut arguments = std::env::args().skip(1);
    let file = arguments.next().unwrap_or_else(|| "demo/saltmarsh/fabric.toml".to_owned());
    let wanted: u32 = arguments.next().and_then(|vni| vni.parse().ok()).unwrap_or(23_330);

    let fabric = Fabric::from_path(&file);
    for fault in fabric.faults() {
        println!("{}: {}", fabric.sources().location(fault.at()), fault.what.message);
    }
    let state = State::of(&fabric, &Condition::default(), &Progress::default());
    let holding: Vec<_> = fabric
        .presences()
        .filter(|(id, at)| {
            at.vni.is_some_and(|vni| vni.get() == wanted) && state.evpn().instance(*id).is_some()
        })
        .collect();
    println!("{} VTEPs hold VNI {wanted}", holding.len());
    for &(at, own) in &holding {
        let name = fabric.device_name(own.switch);
        println!("{name} ({})", fabric.segment(own.segment).name.value);
        for &(from, theirs) in holding.iter().filter(|(from, _)| *from != at) {
            let other = fabric.device_name(theirs.switch);
            let (Some(here), Some(origin)) =
                (fabric.device(own.switch).router, fabric.device(theirs.switch).router)
            else {
                continue;
            };
            let found = state.propagate(Family::Evpn, &[origin], None);
            let path = found.best[here].as_ref().and_then(|path| path.from);
            let by =
                path.map_or("nobody", |session| fabric.device_name(fabric.session(session).peer));
            match state.learns(at, from) {
                Ok(address) => println!("  {other}: at {address}, told by {by}"),
                Err(Apart::Own) => println!("  {other}: the other side of its pair"),
                Err(why) => println!("  {other}: not known, {why:?}"),
            }
        }
    }
}
