//! Routes as speakers have them, and which of two is preferred.

use std::cmp::Ordering;
use std::net::Ipv4Addr;

use smallvec::SmallVec;

use crate::behaviour::session::SessionFault;
use crate::fabric::{Fabric, RouterId, SessionId};
use crate::id::IdVec;
use crate::value::Asn;

/// How a speaker got a route.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Learned {
    /// It is its own.
    Local,
    /// Over eBGP.
    External,
    /// Over iBGP.
    Internal,
}

/// A route as a speaker has it: all that decides how it is passed on.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Path {
    /// The speaker that originates it.
    pub origin: RouterId,
    /// How the speaker got it.
    pub learned: Learned,
    /// The speaker's end of the session that brought it.
    pub from: Option<SessionId>,
    /// The AS numbers on its way, the nearest first.
    pub as_path: SmallVec<[Asn; 4]>,
    /// The speaker that put itself in as next hop; the origin's own address if none.
    pub rewritten: Option<RouterId>,
    /// The end of a session over a link whose address there is the next hop.
    pub link: Option<SessionId>,
    /// The router id of the origin, as a reflector wrote it (RFC 4456 section 8).
    pub originator: Option<Ipv4Addr>,
    /// The clusters on its way, the nearest first.
    pub clusters: SmallVec<[Ipv4Addr; 2]>,
    /// Whether it still has its extended communities.
    pub communities: bool,
}

/// Why a speaker does not have a route from a peer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
#[non_exhaustive]
pub enum NotPassed {
    /// The session is down.
    Down(SessionFault),
    /// The family is not active at both ends.
    Family,
    /// The peer does not have it.
    PeerLacks,
    /// The peer has it from this speaker.
    FromHere,
    /// The peer has it over iBGP and is no reflector for the two (RFC 4456 section 6).
    NotReflected,
    /// The peer exports nothing over eBGP without a policy (RFC 8212).
    NoExport,
    /// A policy of the peer stops it.
    Exported(SessionId),
    /// This speaker imports nothing over eBGP without a policy (RFC 8212).
    NoImport,
    /// A policy of this speaker stops it.
    Imported,
    /// Its own AS number is in the path (RFC 4271 section 9.1.2).
    AsLoop,
    /// It is this speaker's own, come back from a reflector.
    OwnAgain,
    /// It has passed this cluster already (RFC 4456 section 8).
    ClusterLoop,
    /// There is no way to its next hop from here (RFC 4271 section 9.1.2.1).
    NextHop,
    /// Its next hop is this speaker's own address (RFC 4271 section 6.3).
    OwnNextHop,
    /// The peer has another speaker's that says the same with the same route distinguisher, and passes that on
    /// (RFC 7432 section 7.9).
    OneOfAlike,
}

impl NotPassed {
    /// Why, in words.
    pub fn words(self, fabric: &Fabric) -> String {
        let said = match self {
            Self::Down(fault) => return fault.words(),
            Self::Exported(at) => {
                let device = fabric.session(at).device;
                return format!("a policy of {} stops it", fabric.device_name(device));
            }
            Self::Family => "EVPN is not active at both ends",
            Self::PeerLacks => "the peer does not have it",
            Self::FromHere => "the peer has it from here",
            Self::NotReflected => "the peer does not reflect it",
            Self::NoExport => "the peer has no export policy",
            Self::NoImport => "there is no import policy here",
            Self::Imported => "a policy here stops it",
            Self::AsLoop => "the own AS number is in its path",
            Self::OwnAgain => "it is the own, come back",
            Self::ClusterLoop => "it has passed this cluster already",
            Self::NextHop => "there is no way to its next hop",
            Self::OwnNextHop => "its next hop is here",
            Self::OneOfAlike => "the peer prefers another\u{2019}s of the same distinguisher",
        };
        said.to_owned()
    }
}

/// What becomes of a class's routes at another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Verdict {
    /// Whether a speaker on the way put itself in as next hop.
    pub(crate) rewritten: Option<RouterId>,
    pub(crate) communities: bool,
}

/// How far the routes of some origins got.
#[derive(Clone, Debug)]
pub struct Propagated {
    /// The best path of each speaker, if it has one.
    pub best: IdVec<RouterId, Option<Path>>,
}

impl Verdict {
    pub(super) fn of(path: &Path) -> Self {
        Self { rewritten: path.rewritten, communities: path.communities }
    }
}

impl Path {
    pub(super) fn local(origin: RouterId) -> Self {
        Self {
            origin,
            learned: Learned::Local,
            from: None,
            as_path: SmallVec::new(),
            rewritten: None,
            link: None,
            originator: None,
            clusters: SmallVec::new(),
            communities: true,
        }
    }
}

/// Which of two paths a speaker prefers (RFC 4271 section 9.1.2.2, RFC 4456 section 9). All have one local
/// preference, and the way to the next hop costs the same.
pub(super) fn compare(fabric: &Fabric, a: &Path, b: &Path) -> Ordering {
    let rank = |path: &Path| match path.learned {
        Learned::Local => 0,
        Learned::External => 1,
        Learned::Internal => 2,
    };
    let local = |path: &Path| path.learned != Learned::Local;
    let peer = |path: &Path| path.from.map(|from| fabric.session(from));
    let identifier = |path: &Path| {
        let router = peer(path).and_then(|session| fabric.router_of(session.peer));
        path.originator.or(router.and_then(|router| router.router_id).map(|id| id.value))
    };
    let address =
        |path: &Path| peer(path).and_then(|session| session.peer_address).map(|a| a.value);
    local(a)
        .cmp(&local(b))
        .then(a.as_path.len().cmp(&b.as_path.len()))
        .then(rank(a).cmp(&rank(b)))
        .then(identifier(a).cmp(&identifier(b)))
        .then(a.clusters.len().cmp(&b.clusters.len()))
        .then(address(a).cmp(&address(b)))
        .then(a.from.cmp(&b.from))
}
