//! What all protocols together made of a fabric, in the order in which they depend on each other.

mod again;
mod endpoints;
mod routed;
pub(super) mod wires;

use std::collections::BTreeSet;
use std::sync::Arc;

use super::bgp::Asked;
use super::carrier::{Carriers, Closed};
use super::cause::Found;
use super::link::{ClosedBy, Far, Links};
use super::loopbacks::Sought;
use super::tunnel::Wires;
use super::{
    Bgp, Causes, Evpn, GroupOutcome, LagOutcome, MemberOutcome, PairOutcome, StackOutcome, Trees,
    Underlay, agreement, evpn, lag, link, pair, stack, tree, underlay,
};
use crate::fabric::{
    Condition, DeviceId, Fabric, GroupId, LagId, MemberId, PairId, PortId, RouterId, StackId, WanId,
};
use crate::id::{IdVec, Later, Pages};
use crate::progress::{Progress, Stage};
use crate::value::Family;

/// What the protocols made of a fabric, which it holds.
#[derive(Clone, Debug)]
pub struct State {
    pub(crate) fabric: Fabric,
    causes: Causes,
    /// The causes that follow from what is written alone.
    settings: Found,
    links: Links,
    /// What of LAGs is the same under every condition.
    of_lags: Arc<lag::Basis>,
    pub(crate) lags: lag::Lags,
    pub(crate) members: lag::Members,
    pub(crate) pairs: IdVec<PairId, PairOutcome>,
    pub(crate) groups: Pages<GroupId, GroupOutcome>,
    pub(crate) stacks: IdVec<StackId, StackOutcome>,
    pub(crate) trees: Trees,
    routed: Arc<Routed>,
    pub(crate) evpn: Evpn,
    pub(crate) closed: Arc<Closed>,
    /// The leaves that closed their legs of Ethernet segments, as they lost their underlay.
    pub(crate) isolated: Vec<DeviceId>,
    /// The switches that have withdrawn the VTEP address of their pair, as the peer link is lost.
    pub(crate) withdrawn: BTreeSet<DeviceId>,
    /// What pseudowires join.
    wires: Arc<Wires>,
    /// What is down.
    condition: Condition,
    /// LAG ends that are linked and meant for each other, the lower id first.
    pub(crate) facing: Arc<Vec<(LagId, LagId)>>,
    /// The same with the halves of a group, or the legs of an Ethernet segment, as one: the first
    /// ends of each that face each other.
    pub(crate) facing_wholes: Arc<Vec<(LagId, LagId)>>,
}

/// What routers make of what is under them: the same for all states in which that is the same.
#[derive(Debug)]
struct Routed {
    underlay: Arc<Underlay>,
    /// By what the underlay leads to, of each router.
    views: Later<IdVec<RouterId, u32>>,
    sought: Arc<Later<Sought>>,
    bgp: Arc<Bgp>,
    /// Those of the underlay, and those of the sessions between loopbacks.
    causes: [Found; 2],
}

/// As many steps of causes come before those of routes: links, settings, LAGs, trees; then the underlay and sessions.
const STEPS_BENEATH_ROUTES: usize = 4;

impl Routed {
    fn over(
        fabric: &Fabric,
        beneath: &underlay::Beneath<'_>,
        wans: IdVec<WanId, bool>,
        withdrawn: &BTreeSet<DeviceId>,
        asked: Asked,
        causes: &mut Causes,
        progress: &Progress,
    ) -> Self {
        causes.begin();
        let underlay = Arc::new(underlay::outcome(fabric, beneath, wans, withdrawn, asked, causes));
        let of_underlay = causes.found();
        progress.advance(1);
        causes.begin();
        let bgp = Arc::new(Bgp::over_all(fabric, &underlay, asked, causes));
        let (views, sought) = (Later::default(), Arc::default());
        Self { underlay, views, sought, bgp, causes: [of_underlay, causes.found()] }
    }
}

/// A state that is known, and which of its parts those of another may be.
#[derive(Clone, Copy)]
struct Base<'a> {
    state: &'a State,
    settings: bool,
    instances: bool,
    routes: bool,
}

/// The longer steps of [`State::of`], for who watches.
const STEPS: usize = 8;

impl State {
    /// Computes everything, in time linear in ports, cables and members (n log n within a LAG).
    pub fn of(fabric: &Fabric, condition: &Condition, progress: &Progress) -> Self {
        Self::compute(fabric, condition, None, progress)
    }

    /// What the protocols make of the same fabric under another condition: always what [`of`](Self::of) makes of
    /// it, with the parts that the condition changes nothing of shared with this state.
    ///
    /// ```
    /// use felting::{Condition, Fabric, Progress, State};
    /// let fabric = Fabric::from_text("f.toml", r#"
    ///     [[switch]]
    ///     name = "kelp-[a-b]"
    ///     ports = "p[1-2] 25G"
    ///     [[lag]]
    ///     on = "kelp-*"
    ///     name = "peer"
    ///     ports = "p[1-2]"
    ///     [cabling]
    ///     runs = "kelp-a p[1-2] -- kelp-b p[1-2]"
    /// "#);
    /// let whole = State::of(&fabric, &Condition::default(), &Progress::default());
    /// let (cable, _) = fabric.cables().next().unwrap();
    /// let (lag, _) = fabric.lags().next().unwrap();
    /// assert_eq!(whole.given(&Condition::default().cable(cable)).lag(lag).in_use, 1);
    /// ```
    pub fn given(&self, condition: &Condition) -> Self {
        if let Some(state) = self.again(condition) {
            return state;
        }
        let base = Base { state: self, settings: true, instances: true, routes: true };
        Self::compute(&self.fabric, condition, Some(base), &Progress::default())
    }

    /// What the protocols make of another fabric: always what [`of`](Self::of) makes of it, with the parts shared that
    /// what the two have in common decides. Meant for a fabric that differs in some statements.
    ///
    /// ```
    /// use felting::{Condition, Fabric, Progress, State};
    /// let fabric = |mtu: &str| Fabric::from_text("f.toml", &format!(r#"
    ///     [[switch]]
    ///     name = "kelp-[a-b]"
    ///     ports = "p[1-2] 25G"
    ///     [[port]]
    ///     on = "kelp-*"
    ///     ports = "p1"
    ///     mtu = {mtu}
    /// "#));
    /// let (none, quiet) = (Condition::default(), Progress::default());
    /// let before = State::of(&fabric("1500"), &none, &quiet);
    /// let after = before.across(&fabric("9216"), &none);
    /// let port = after.fabric().ports().next().unwrap().0;
    /// assert_eq!(after.fabric().mtu_of(port), Some(9216));
    /// ```
    pub fn across(&self, fabric: &Fabric, condition: &Condition) -> Self {
        let same = self.fabric.is(fabric);
        let base = Base {
            state: self,
            settings: same || self.fabric.agrees_like(fabric),
            instances: same || self.fabric.has_instances_like(fabric),
            routes: same || self.fabric.routes_like(fabric),
        };
        Self::compute(fabric, condition, Some(base), &Progress::default())
    }

    fn compute(
        fabric: &Fabric,
        condition: &Condition,
        base: Option<Base<'_>>,
        progress: &Progress,
    ) -> Self {
        Self::settled(fabric, base.map(|base| base.state), |wires| {
            Self::over(fabric, condition, base, wires, progress)
        })
    }

    /// With some ports joined by pseudowires.
    fn over(
        fabric: &Fabric,
        condition: &Condition,
        base: Option<Base<'_>>,
        mut wires: Wires,
        progress: &Progress,
    ) -> Self {
        progress.begin(Stage::Behaviour, STEPS);
        let mut causes = Causes::default();
        causes.begin();
        let links = wires.joined(fabric, link::links(fabric, condition, &mut causes));
        let stacks = stack::outcomes(fabric, condition, &links.effective);
        let links = links.without(stack::closed(fabric, &stacks), ClosedBy::Stack);
        let peer_links = pair::peer_links(fabric, &links.effective, || {
            // What is found on the way is found again, when it is known what is closed.
            let mut scratch = causes.clone();
            agreement::groups(fabric, &mut scratch);
            lag::outcomes(fabric, &links, &stacks, &mut scratch).0
        });
        let pairs = pair::outcomes(fabric, condition, &links.effective, &peer_links);
        let withdrawn = pair::withdrawn(fabric, &pairs);
        let links = links.without(pair::closed(fabric, &pairs), ClosedBy::Pair);
        let wans = underlay::wans(fabric, condition);
        let (isolated, legs) = underlay::isolated(fabric, &links.effective, || {
            // Legs of Ethernet segments carry no session, so that these can be looked at before they are closed.
            let mut scratch = causes.clone();
            let (lags, ..) = lag::outcomes(fabric, &links, &stacks, &mut scratch);
            let beneath = underlay::Beneath { far: &links.effective, lags: &lags };
            let quiet = Progress::default();
            let (wans, asked) = (wans.clone(), Asked::Little);
            let routed =
                Routed::over(fabric, &beneath, wans, &withdrawn, asked, &mut scratch, &quiet);
            routed.bgp.without_any(fabric, Family::Evpn)
        });
        let links = links.without(legs, ClosedBy::Isolation);
        let settings = Self::of_settings(
            fabric,
            &mut causes,
            base.filter(|base| base.settings).map(|base| base.state),
        );
        progress.advance(1);
        causes.begin();
        let (lags, members, of_lags) = lag::outcomes(fabric, &links, &stacks, &mut causes);
        progress.advance(1);
        let facing = lag::facing(fabric, &members, &lags);
        let facing_wholes = lag::facing_wholes(fabric, &facing);
        agreement::layers(fabric, &facing, &mut causes);
        agreement::keys_reused(fabric, &facing, &mut causes);
        progress.advance(1);
        let groups = pair::groups(fabric, &pairs, |lag: LagId| lags[lag].up);
        causes.begin();
        let trees = tree::trees(fabric, condition, &links, &stacks, &members, &lags, &mut causes);
        progress.advance(1);
        let beneath = underlay::Beneath { far: &links.effective, lags: &lags };
        let routed = base
            .filter(|base| base.routes)
            .map(|base| base.state)
            .filter(|base| base.wires.over == wires.over)
            .filter(|base| base.routes_alike(fabric, &beneath, &wans, &withdrawn))
            .map(|base| Arc::clone(&base.routed));
        let routed = match routed {
            Some(routed) => {
                routed.causes.iter().cloned().for_each(|found| causes.take_over(found));
                routed
            }
            None => {
                // Under a further condition mostly a few walks are asked for.
                let asked = match base {
                    Some(base) if base.state.fabric.is(fabric) => Asked::Little,
                    _ => Asked::All,
                };
                let (of, causes) = (&withdrawn, &mut causes);
                Arc::new(Routed::over(fabric, &beneath, wans, of, asked, causes, progress))
            }
        };
        progress.advance(2);
        let closed = evpn::Elector { lags: &lags, bgp: &routed.bgp }.closed(fabric);
        let carriers = Carriers {
            fabric,
            far: &links.effective,
            members: &members,
            stacks: &stacks,
            trees: &trees,
            closed: &closed,
        };
        let instances = base.filter(|base| base.instances).map(|base| base.state.evpn.instances());
        let evpn = evpn::outcome(fabric, condition, instances, &carriers, &pairs);
        progress.advance(1);
        Self {
            fabric: fabric.clone(),
            causes,
            settings,
            links,
            of_lags: Arc::new(of_lags),
            lags,
            members,
            pairs,
            groups,
            stacks,
            trees,
            routed,
            evpn,
            closed: Arc::new(closed),
            isolated,
            withdrawn,
            wires: Arc::new(wires),
            condition: condition.clone(),
            facing: Arc::new(facing),
            facing_wholes: Arc::new(facing_wholes),
        }
    }

    /// The causes that follow from what is written alone: the same under every condition.
    fn of_settings(fabric: &Fabric, causes: &mut Causes, base: Option<&Self>) -> Found {
        if let Some(base) = base {
            causes.take_over(base.settings.clone());
            return base.settings.clone();
        }
        causes.begin();
        agreement::addresses(fabric, causes);
        agreement::groups(fabric, causes);
        agreement::peer_links_missing(fabric, causes);
        agreement::peer_links_miswired(fabric, causes);
        agreement::peer_links(fabric, causes);
        agreement::peer_link_settings(fabric, causes);
        agreement::ethernet_segments(fabric, causes);
        agreement::segments(fabric, causes);
        causes.found()
    }

    /// Whether what is under the routed interfaces is as in this state, so that all routes are.
    fn routes_alike(
        &self,
        fabric: &Fabric,
        beneath: &underlay::Beneath<'_>,
        wans: &IdVec<WanId, bool>,
        withdrawn: &BTreeSet<DeviceId>,
    ) -> bool {
        let own = underlay::Beneath { far: &self.links.effective, lags: &self.lags };
        *wans == self.routed.underlay.wans
            && *withdrawn == self.withdrawn
            && fabric.interfaces.ids().all(|id| {
                underlay::link_up(&self.fabric, &own, id) == underlay::link_up(fabric, beneath, id)
            })
    }

    /// Numbers of a speaker's class, and of what the underlay leads it to: speakers of the same numbers behave
    /// equally.
    pub(crate) fn stands(&self, router: RouterId) -> (u32, u32) {
        let views = self.routed.views.or(|| self.underlay().views(&self.fabric));
        (self.bgp().class_of(&self.fabric, router).unwrap_or(0), views[router])
    }

    /// What ports let through.
    pub(crate) fn carriers(&self) -> Carriers<'_> {
        let fabric = &self.fabric;
        Carriers {
            fabric,
            far: &self.links.effective,
            members: &self.members,
            stacks: &self.stacks,
            trees: &self.trees,
            closed: &self.closed,
        }
    }

    /// What pseudowires join.
    pub(crate) fn wires(&self) -> &Wires {
        &self.wires
    }

    /// Says what becomes of pseudowires over the routes of this state, where that joins what is joined.
    pub(super) fn set_outcomes(&mut self, judged: Wires) {
        Arc::make_mut(&mut self.wires).outcomes = judged.outcomes;
    }

    /// The fabric that this is a state of: ids of any other mean nothing here.
    pub fn fabric(&self) -> &Fabric {
        &self.fabric
    }

    /// What is down or moved in it.
    pub fn condition(&self) -> &Condition {
        &self.condition
    }

    /// The causes of all that went wrong.
    pub fn causes(&self) -> &Causes {
        &self.causes
    }

    /// The port at the other end of the link that this port has, if the link is up: over pseudowires that are up that at
    /// their far end, for which the port's own cable leads to [`plugged`](Self::plugged).
    pub fn far(&self, port: PortId) -> Option<PortId> {
        self.links.effective[port]
    }

    /// The far port of each port that has a link, after what devices close.
    pub(crate) fn fars(&self) -> &Far {
        &self.links.effective
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
        &self.routed.underlay
    }

    /// The leaves that closed their legs of Ethernet segments, as all their links to the underlay are down
    /// (core isolation).
    pub fn isolated(&self) -> &[DeviceId] {
        &self.isolated
    }

    /// Whether a switch or host is off.
    pub fn is_off(&self, device: DeviceId) -> bool {
        self.condition.devices.contains(&device)
    }

    /// The BGP sessions, and how far routes get over them.
    pub fn bgp(&self) -> &Bgp {
        &self.routed.bgp
    }

    /// What EVPN came to.
    pub fn evpn(&self) -> &Evpn {
        &self.evpn
    }

    /// The spanning trees.
    pub fn trees(&self) -> &Trees {
        &self.trees
    }

    /// What became of a member.
    pub fn member(&self, member: MemberId) -> &MemberOutcome {
        &self.members[member]
    }
}
