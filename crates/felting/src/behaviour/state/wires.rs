//! Pseudowires over the routes of a state: which are up, and the states that they join.

use std::net::IpAddr;

use rustc_hash::{FxHashMap, FxHashSet};

use super::State;
use crate::behaviour::bgp::Heard;
use crate::behaviour::tunnel::{self, Shim, WireFault, WireOutcome, Wires};
use crate::behaviour::underlay::{Crossed, Towards};
use crate::fabric::{Fabric, PortId, Pseudowire, PseudowireId, RouterId};
use crate::id::IdVec;

impl State {
    /// Makes states until wires are up in one that are up in the one before: over what none joins at first, then over what is
    /// joined, as wires may cross wires. One that leads through itself is told, and not followed.
    pub(super) fn settled(
        fabric: &Fabric,
        base: Option<&Self>,
        mut make: impl FnMut(Wires) -> Self,
    ) -> Self {
        let down = WireOutcome { sends: Err(WireFault::NoSource), is_up: false };
        let none = Wires {
            outcomes: IdVec::of(vec![down; fabric.pseudowires().len()]),
            ..Wires::default()
        };
        // Where no route leads over a wire, which are up hangs on no other: those that were up mostly are again.
        let guess = base.filter(|base| !fabric.wires_lead && base.fabric().is(fabric));
        let mut state = make(guess.map_or(none, |base| base.wires().clone()));
        if fabric.pseudowires().len() == 0 {
            return state;
        }
        for round in 0_usize.. {
            let mut judged = judge(&state);
            // Each may come up over those that came before it. What still comes and goes after that takes its own way away.
            if round > fabric.pseudowires().len() {
                let was_up = |id: &PseudowireId| state.wires().outcomes[*id].is_up;
                let fallen = judged.outcomes.ids().filter(was_up);
                let fallen: Vec<_> = fallen.filter(|&id| !judged.outcomes[id].is_up).collect();
                judged.over_itself.extend(fallen);
                judged.fell();
            }
            if judged.is_alike(state.wires()) {
                state.set_outcomes(judged);
                break;
            }
            state = make(judged);
        }
        state
    }

    /// The same, if pseudowires are up in it that were in the state that it was made from.
    pub(super) fn with_wires_as(mut self, base: &Self) -> Option<Self> {
        if self.fabric().pseudowires().len() > 0 {
            let judged = judge(&self);
            if !judged.is_alike(base.wires()) {
                return None;
            }
            self.set_outcomes(judged);
        }
        Some(self)
    }
}

/// What becomes of each end over the routes of a state.
fn judge(state: &State) -> Wires {
    let fabric = state.fabric();
    let mut heard = Heard::default();
    let sends: Vec<Result<PseudowireId, WireFault>> = fabric
        .pseudowires()
        .map(|(id, end)| match state.condition().wires.contains(&id) {
            true => Err(WireFault::Cut),
            false => sent(state, end, &mut heard),
        })
        .collect();
    let mut wires = Wires {
        outcomes: IdVec::of(
            sends.into_iter().map(|sends| WireOutcome { sends, is_up: false }).collect::<Vec<_>>(),
        ),
        over: FxHashMap::default(),
        over_itself: state.wires().over_itself.clone(),
    };
    let mut towards = Towards::default();
    for (id, _) in fabric.pseudowires() {
        let back = |far: PseudowireId| wires.outcomes[far].sends == Ok(id);
        let is_up = wires.outcomes[id].sends.is_ok_and(back);
        wires.outcomes[id].is_up = is_up;
        if is_up && leads_through(state, id, &mut towards) {
            wires.over_itself.insert(id);
        }
    }
    wires.fell();
    wires
}

/// Where what an end sends comes out.
fn sent(state: &State, end: &Pseudowire, heard: &mut Heard) -> Result<PseudowireId, WireFault> {
    let fabric = state.fabric();
    let to = match (end.to, end.far.value) {
        (Some(to), _) => to,
        (None, Some(far)) => return Err(WireFault::NoFarAddress(far)),
        (None, None) => return Err(WireFault::NoSource),
    };
    let source = end.source(fabric).ok_or(WireFault::NoSource)?;
    let router = fabric.device(end.device).router.ok_or(WireFault::NoSource)?;
    if !fabric.has_address(router, source) {
        return Err(WireFault::NotItsAddress(source));
    }
    let (there, _) =
        state.underlay().leads_to(fabric, router, to, heard).map_err(WireFault::Unreached)?;
    if there == router {
        return Err(WireFault::ToItself);
    }
    tunnel::takes(fabric, fabric.router(there).device, &Shim::of(end), end.to_port.value)
}

/// Whether packets of a wire's end would go through the wire.
fn leads_through(state: &State, id: PseudowireId, towards: &mut Towards) -> bool {
    let fabric = state.fabric();
    let end = fabric.pseudowire(id);
    let (Some(to), Some(start)) = (end.to, fabric.device(end.device).router) else { return false };
    let wires = state.wires();
    // The wires that lie on the way of this one, and on the ways of those.
    let mut asked: FxHashSet<PseudowireId> = FxHashSet::from_iter([id]);
    let mut open: Vec<(RouterId, IpAddr)> = vec![(start, to)];
    while let Some((from, to)) = open.pop() {
        for port in state.crossed(from, to, towards).ports {
            for &over in wires.over(port) {
                let far = wires.outcomes[over].sends.ok();
                if over == id || far == Some(id) {
                    return true;
                }
                if asked.insert(over) {
                    let end = fabric.pseudowire(over);
                    let router = fabric.device(end.device).router;
                    open.extend(router.zip(end.to));
                }
            }
        }
    }
    false
}

impl State {
    /// What packets of an end of a pseudowire cross on their way to the far end.
    pub(crate) fn under_wire(&self, id: PseudowireId, towards: &mut Towards) -> Crossed {
        let end = self.fabric().pseudowire(id);
        let router = self.fabric().device(end.device).router;
        let ends = router.zip(end.to);
        ends.map(|(router, to)| self.crossed(router, to, towards)).unwrap_or_default()
    }

    /// The rule that tells why an end of a pseudowire is down, if it is one of the wire's own.
    pub(in crate::behaviour) fn behind_wire(&self, id: PseudowireId) -> Option<&'static str> {
        let fabric = self.fabric();
        let Some(twin) = fabric.pseudowire(id).twin else { return Some("tunnel-end-missing") };
        let behind = |from: PseudowireId, to: PseudowireId| {
            let sends = self.pseudowire(from).sends;
            let elsewhere = fabric.pseudowire(to).device;
            match sends {
                Ok(out) if out == to => None,
                Err(WireFault::NotTaken(device)) if device != elsewhere => {
                    Some("tunnel-ends-apart")
                }
                // What has the id there is another wire's; or nothing has.
                Ok(_) | Err(WireFault::NotTaken(_)) => {
                    let end = fabric.pseudowire(from);
                    let why = tunnel::misfits(fabric, to, &Shim::of(end), end.to_port.value);
                    why.first().map_or(Some("tunnel-id-reused"), |why| why.rule())
                }
                Err(why) => why.rule(),
            }
        };
        behind(id, twin).or_else(|| behind(twin, id))
    }

    /// Why an end of a pseudowire carries nothing, in words.
    pub fn wire_words(&self, id: PseudowireId, why: WireFault) -> String {
        tunnel::words(self.fabric(), id, why)
    }

    /// What became of an end of a pseudowire.
    pub fn pseudowire(&self, id: PseudowireId) -> &WireOutcome {
        &self.wires().outcomes[id]
    }

    /// The port at the other end of a port's own cable, if there is a link: where that is the port of a pseudowire,
    /// [`far`](Self::far) has the port at the far end of the wire.
    pub fn plugged(&self, port: PortId) -> Option<PortId> {
        let far = self.far(port)?;
        match self.wires().over(port).is_empty() {
            true => Some(far),
            false => self.fabric().link(port).map(|(_, far)| far),
        }
    }
}
