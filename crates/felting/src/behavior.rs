//! What protocols make of a fabric under a [`Condition`].
//!
//! Order of evaluation, each once: ports, stacks, keepalives and roles of pairs, settings of switches,
//! pairs and segments, LAG selection, spanning tree, underlay, BGP sessions, EVPN. Every negative outcome carries its [`Cause`]; rules report causes and never decide again what a protocol does.

pub(crate) mod ability;
pub(crate) mod bgp;
pub(crate) mod carrier;
mod cause;
mod condition;
pub(crate) mod domain;
pub(crate) mod evpn;
pub(crate) mod host;
pub(crate) mod lag;
pub mod mtu;
pub(crate) mod pair;
mod partner;
mod port;
pub(crate) mod session;
pub(crate) mod settings;
pub(crate) mod spread;
pub(crate) mod stack;
pub(crate) mod tree;
pub(crate) mod underlay;

pub use bgp::{Bgp, Learned, NotPassed, Path, Propagated};
pub use cause::{Aspect, Cause, CauseId, Causes, Entity};
pub use condition::{Condition, NotThere};
pub use evpn::{
    Apart, Election, ElectionView, Evpn, EvpnRoute, FloodList, FloodTarget, Import, Instance,
    Learnt, NotImported, Received, RouteKind, RouteOf, TenantRoute, TenantSource, WayOut,
};
pub use lag::{LacpState, LagOutcome, MemberOutcome, MemberState, Reason, SystemId};
pub use pair::{GroupOutcome, InBand, KeepaliveFault, KeepalivePath, PairOutcome, PrimaryReason};
pub use session::{SessionFault, SessionOutcome};
pub use stack::{MasterReason, StackOutcome, StackPart, StackShape};
pub use tree::{
    Bridge, BridgeId, BridgeIdentifier, BridgePort, BridgePortId, Carrier, Cut, Loop, PortRole,
    Tree, TreeCase, TreeKind, TreeReason, Trees,
};
pub use underlay::{
    Adjacency, AdjacencyFault, AdjacencyId, Hop, LostWay, NoRoute, Route, RouteSource, Toward,
    Underlay, WrongTag,
};

use carrier::Carriers;

use crate::fabric::{
    DeviceId, Fabric, GroupId, LagId, MemberId, PairId, PortId, RouterId, StackId,
};
use crate::id::IdVec;
use crate::progress::{Progress, Stage};

/// What the protocols made of a fabric.
#[derive(Clone, Debug)]
pub struct State {
    pub(crate) causes: Causes,
    pub(crate) far: IdVec<PortId, Option<PortId>>,
    pub(crate) lags: IdVec<LagId, LagOutcome>,
    pub(crate) members: IdVec<MemberId, MemberOutcome>,
    pub(crate) pairs: IdVec<PairId, PairOutcome>,
    pub(crate) groups: IdVec<GroupId, GroupOutcome>,
    pub(crate) stacks: IdVec<StackId, StackOutcome>,
    pub(crate) trees: Trees,
    pub(crate) underlay: Underlay,
    /// By what the underlay leads to, of each router.
    pub(crate) views: IdVec<RouterId, u32>,
    pub(crate) bgp: Bgp,
    pub(crate) evpn: Evpn,
    pub(crate) closed: evpn::Closed,
    /// The leaves that closed their legs of Ethernet segments, as they lost their underlay.
    pub(crate) isolated: Vec<DeviceId>,
    /// The switches that have withdrawn the VTEP address of their pair, as the peer link is lost.
    pub(crate) withdrawn: std::collections::BTreeSet<DeviceId>,
    /// The switches and hosts that are off.
    pub(crate) off: std::collections::BTreeSet<DeviceId>,
    /// LAG ends that are linked and meant for each other, the lower id first.
    pub(crate) facing: Vec<(LagId, LagId)>,
    /// The same with the halves of a group, or the legs of an Ethernet segment, as one: the first
    /// ends of each that face each other.
    pub(crate) facing_wholes: Vec<(LagId, LagId)>,
}

/// The longer steps of [`State::of`], for who watches.
const STEPS: usize = 7;

impl State {
    /// Computes everything, in time linear in ports, cables and members (n log n within a LAG).
    pub fn of(fabric: &Fabric, condition: &Condition) -> Self {
        Self::of_watched(fabric, condition, &Progress::default())
    }

    /// Like [`of`](Self::of), and tells how far it is.
    pub fn of_watched(fabric: &Fabric, condition: &Condition, progress: &Progress) -> Self {
        progress.begin(Stage::Behavior, STEPS);
        let mut causes = Causes::default();
        let mut far = port::links(fabric, condition, &mut causes);
        let stacks = stack::outcomes(fabric, condition, &far);
        stack::close(fabric, &stacks, &mut far);
        let peer_links = pair::peer_links(fabric, &far, || {
            // What is found on the way is found again, when it is known what is closed.
            let mut scratch = causes.clone();
            settings::groups(fabric, &mut scratch);
            let unclosed = IdVec::default();
            lag::outcomes(fabric, &far, &unclosed, &stacks, &mut scratch).0
        });
        let pairs = pair::outcomes(fabric, condition, &far, &peer_links);
        let withdrawn = pair::withdrawn(fabric, &pairs);
        pair::close(fabric, &pairs, &mut far);
        let isolated = underlay::isolate(fabric, &mut far);
        settings::addresses(fabric, &mut causes);
        settings::groups(fabric, &mut causes);
        settings::peer_links_missing(fabric, &mut causes);
        settings::peer_links_miswired(fabric, &mut causes);
        settings::peer_links(fabric, &mut causes);
        settings::peer_link_settings(fabric, &mut causes);
        settings::ethernet_segments(fabric, &mut causes);
        settings::segments(fabric, &mut causes);
        progress.advance(1);
        let (lags, members) = lag::outcomes(fabric, &far, &pairs, &stacks, &mut causes);
        progress.advance(1);
        let facing = lag::facing(fabric, &members, &lags);
        let facing_wholes = lag::facing_wholes(fabric, &facing);
        settings::layers(fabric, &facing, &mut causes);
        settings::keys_reused(fabric, &facing, &mut causes);
        progress.advance(1);
        let groups = pair::groups(fabric, &pairs, |lag: LagId| lags[lag].up);
        let trees = tree::trees(fabric, condition, &far, &members, &lags, &mut causes);
        progress.advance(1);
        let links = underlay::Links { far: &far, lags: &lags };
        let underlay = underlay::outcome(fabric, condition, &links, &withdrawn, &mut causes);
        let views = underlay.views(fabric);
        progress.advance(1);
        let bgp = Bgp::over_all(fabric, &underlay, &mut causes);
        progress.advance(1);
        let closed = evpn::Elector { lags: &lags, bgp: &bgp }.closed(fabric);
        let carriers = Carriers {
            fabric,
            far: &far,
            members: &members,
            stacks: &stacks,
            trees: &trees,
            closed: &closed,
        };
        let evpn = evpn::outcome(fabric, condition, &carriers, &pairs);
        progress.advance(1);
        Self {
            causes,
            far,
            lags,
            members,
            pairs,
            groups,
            stacks,
            trees,
            underlay,
            views,
            bgp,
            evpn,
            closed,
            isolated,
            withdrawn,
            off: condition.devices.clone(),
            facing,
            facing_wholes,
        }
    }

    /// Numbers of a speaker's class, and of what the underlay leads it to: speakers of the same numbers behave
    /// equally.
    pub(crate) fn stands(&self, router: RouterId) -> (u32, u32) {
        (self.bgp.class_of(router).unwrap_or(0), self.views[router])
    }

    /// What ports let through.
    pub(crate) fn carriers<'a>(&'a self, fabric: &'a Fabric) -> Carriers<'a> {
        Carriers {
            fabric,
            far: &self.far,
            members: &self.members,
            stacks: &self.stacks,
            trees: &self.trees,
            closed: &self.closed,
        }
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

    /// What became of a pair.
    pub fn pair(&self, pair: PairId) -> &PairOutcome {
        &self.pairs[pair]
    }

    /// What became of a multi-chassis LAG.
    pub fn group(&self, group: GroupId) -> &GroupOutcome {
        &self.groups[group]
    }

    /// What became of a stack.
    pub fn stack(&self, stack: StackId) -> &StackOutcome {
        &self.stacks[stack]
    }

    /// The underlay: adjacencies and routes.
    pub fn underlay(&self) -> &Underlay {
        &self.underlay
    }

    /// The leaves that closed their legs of Ethernet segments, as all their links to the underlay are down
    /// (core isolation).
    pub fn isolated(&self) -> &[DeviceId] {
        &self.isolated
    }

    /// Whether a switch or host is off.
    pub fn is_off(&self, device: DeviceId) -> bool {
        self.off.contains(&device)
    }

    /// The BGP sessions, and how far routes get over them.
    pub fn bgp(&self) -> &Bgp {
        &self.bgp
    }

    /// The spanning trees.
    pub fn trees(&self) -> &Trees {
        &self.trees
    }

    /// What the LACPDUs read that a member sends; none if it speaks no LACP or has no link.
    ///
    /// Source: IEEE 802.1AX clause 6.4.2.3 (`Actor_State`).
    pub fn lacpdu(&self, fabric: &Fabric, member: MemberId) -> Option<LacpState> {
        lag::lacpdu(fabric, self, member)
    }

    /// Why a member is not in use, in words; none if it is.
    pub fn why_not(&self, fabric: &Fabric, member: MemberId) -> Option<String> {
        lag::words::why_not(fabric, self, member)
    }

    /// What became of a member.
    pub fn member(&self, member: MemberId) -> &MemberOutcome {
        &self.members[member]
    }
}
