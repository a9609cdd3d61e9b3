//! What protocols make of a fabric under a [`Condition`].
//!
//! Order of evaluation, each once: ports, settings of switches, pairs and segments, LAG selection. Every negative outcome
//! carries its [`Cause`]; rules report causes and never decide again what a protocol does.

mod cause;
mod lag;
mod partner;
mod port;
pub(crate) mod settings;

use std::collections::BTreeSet;

pub use cause::{Aspect, Cause, CauseId, Causes, Entity};
pub use lag::{LagOutcome, MemberOutcome, MemberState, Reason, SystemId};

use crate::fabric::{CableId, DeviceId, Fabric, LagId, MemberId, PortId};
use crate::id::IdVec;

/// What is down while a question is asked. Nothing that is configuration: that is an overlay
/// document.
///
/// ```
/// use felting::{Condition, Fabric, State};
/// let fabric = Fabric::from_text("f.toml", r#"
///     [[switch]]
///     name = "kelp-[a-b]"
///     ports = "et[1-2] 25G"
///     [[lag]]
///     on = "kelp-*"
///     name = "peer"
///     ports = "et[1-2]"
///     [cabling]
///     runs = "kelp-a et[1-2] -- kelp-b et[1-2]"
/// "#);
/// let (lag, _) = fabric.lags().next().unwrap();
/// assert_eq!(State::of(&fabric, &Condition::default()).lag(lag).in_use, 2);
/// let (cable, _) = fabric.cables().next().unwrap();
/// assert_eq!(State::of(&fabric, &Condition::default().cable(cable)).lag(lag).in_use, 1);
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Condition {
    ports: BTreeSet<PortId>,
    cables: BTreeSet<CableId>,
    devices: BTreeSet<DeviceId>,
    lags: BTreeSet<LagId>,
}

impl Condition {
    /// With this port down.
    pub fn port(mut self, port: PortId) -> Self {
        self.ports.insert(port);
        self
    }

    /// With this cable pulled.
    pub fn cable(mut self, cable: CableId) -> Self {
        self.cables.insert(cable);
        self
    }

    /// With this switch or host off.
    pub fn device(mut self, device: DeviceId) -> Self {
        self.devices.insert(device);
        self
    }

    /// With all members of this LAG end down.
    pub fn lag(mut self, lag: LagId) -> Self {
        self.lags.insert(lag);
        self
    }

    fn holds_down(&self, fabric: &Fabric, port: PortId, cable: CableId) -> bool {
        self.ports.contains(&port)
            || self.cables.contains(&cable)
            || self.devices.contains(&fabric.port(port).device)
            || (!self.lags.is_empty()
                && fabric.lag_of(port).is_some_and(|lag| self.lags.contains(&lag)))
    }
}

/// What the protocols made of a fabric.
#[derive(Clone, Debug)]
pub struct State {
    pub(crate) causes: Causes,
    pub(crate) far: IdVec<PortId, Option<PortId>>,
    pub(crate) lags: IdVec<LagId, LagOutcome>,
    pub(crate) members: IdVec<MemberId, MemberOutcome>,
    /// LAG ends that are linked and meant for each other, the lower id first.
    pub(crate) facing: Vec<(LagId, LagId)>,
}

impl State {
    /// Computes everything, in time linear in ports, cables and members (n log n within a LAG).
    pub fn of(fabric: &Fabric, condition: &Condition) -> Self {
        let mut causes = Causes::default();
        let far = port::links(fabric, condition, &mut causes);
        settings::addresses(fabric, &mut causes);
        settings::groups(fabric, &mut causes);
        settings::peer_links_missing(fabric, &mut causes);
        settings::peer_links(fabric, &mut causes);
        settings::segments(fabric, &mut causes);
        let (lags, members) = lag::outcomes(fabric, &far, &mut causes);
        let facing = lag::facing(fabric, &members, &lags);
        Self { causes, far, lags, members, facing }
    }

    /// The causes of all that went wrong.
    pub fn causes(&self) -> &Causes {
        &self.causes
    }

    /// The port at the other end of the link that this port has, if the link is up.
    pub fn far(&self, port: PortId) -> Option<PortId> {
        self.far[port]
    }

    /// What became of a LAG end.
    pub fn lag(&self, lag: LagId) -> &LagOutcome {
        &self.lags[lag]
    }

    /// What became of a member.
    pub fn member(&self, member: MemberId) -> &MemberOutcome {
        &self.members[member]
    }
}
