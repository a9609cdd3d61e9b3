//! How far each speaker's routes get, worked out once for all speakers that nothing tells apart.
//!
//! Speakers get colours: two of one colour have sessions set alike with as many speakers of each colour. Seen from one
//! origin, whose colour it has to itself then, the colours are split further until that holds again. What is left are
//! a few cells, whose speakers come to the same by every route of this origin; and origins around which the cells
//! hang together alike share what was worked out for one of them.

use std::cmp;
use std::collections::BTreeMap;
use std::fmt;
use std::net::{IpAddr, Ipv4Addr};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, OnceLock};

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::ends::Ends;
use super::next_hop::{Unreached, Unreaching, next_hop_rule, places_between};
use super::passing::{Passing, cluster};
use super::path::{Learned, Path, Verdict, compare};
use super::settle;
use crate::behaviour::session::is_internal;
use crate::fabric::{Fabric, RouterId, SessionId};
use crate::id::{FromIndex, Id, IdVec};
use crate::value::{Asn, Family, NextHopRule, SessionOver};

/// How far the routes of each speaker get in one family.
pub(super) struct Spread {
    /// As many origins are followed one by one, before it is found out what nothing tells apart.
    few: AtomicUsize,
    alike: OnceLock<Arc<Alike>>,
    seen: IdVec<RouterId, OnceLock<Seen>>,
    shared: Mutex<FxHashMap<Key, Arc<[Option<Verdict>]>>>,
}

/// What nothing tells apart. Beside the speakers, what several of them share is a vertex too: an AS number, a router
/// or cluster id, an address.
#[derive(Debug, Default)]
struct Alike {
    colour: Vec<u32>,
    members: Vec<Vec<Vertex>>,
    /// What joins each vertex with others: how, and with whom.
    edges: Vec<Vec<(u32, Vertex)>>,
    /// The sessions that carry the family, by their ends here.
    sessions: IdVec<RouterId, Vec<(u32, RouterId, SessionId)>>,
    /// The AS numbers that several speakers have.
    shared_as: FxHashSet<Asn>,
}

/// The place of a speaker, or of what several share after all speakers.
type Vertex = usize;

/// What one origin's routes come to.
enum Seen {
    /// By cell: the speakers that are in other cells than most of their colour, in order, and what each cell has.
    Cells(Box<[(Vertex, u32)]>, Arc<[Option<Verdict>]>),
    /// By speaker, where the choice between paths that are as good decides.
    Each(Box<[Option<Verdict>]>),
    /// By speaker, as few are asked for.
    Followed(Box<[Option<Verdict>]>),
}

/// How much is asked of a state.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::behaviour) enum Asked {
    /// Mostly all of it.
    All,
    /// Mostly a few walks.
    Little,
}

/// As many origins are followed one by one of what little is asked of: finding out what nothing tells apart is as much
/// work as some tens.
const FEW: usize = 12;

/// How the cells around an origin hang together: of each that is split off its colour, how many it is, and how many
/// edges of each kind lead from one of it to each cell.
type Key = Vec<(u32, usize, Vec<((u32, u32), u32)>)>;

/// The colours, split as one origin sees them.
struct Cells<'a> {
    alike: &'a Alike,
    /// The cell of each vertex: its colour, or past all colours one that was split off.
    of: Vec<u32>,
    sizes: Vec<usize>,
    split: Vec<Vec<Vertex>>,
    /// The colour that each split cell is of.
    colours: Vec<u32>,
}

/// How two vertices are joined, seen from the first.
#[derive(Clone, PartialEq, Eq, Hash)]
enum Edge {
    /// By a session: whether it is of one AS, over a link, the how manieth between the two, and how its ends are set.
    Session(bool, bool, usize, Ends),
    /// They are the sides of a pair.
    Pair,
    /// One is what the other has in common with others, of one kind.
    Shares(std::mem::Discriminant<Common>),
    /// One is a next hop that some have no way to, or a group of speakers that are led alike, and how the other
    /// belongs to it; the one or the other first.
    Unresolved(Unreaching, bool),
}

/// What several speakers may have in common.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Common {
    As(Asn),
    /// Who has the router id of another takes its routes for its own (RFC 4456 section 8).
    Id(Ipv4Addr),
    Cluster(Ipv4Addr),
    Address(IpAddr),
}

impl Spread {
    /// Nothing yet: what is asked is worked out then.
    pub(super) fn of(fabric: &Fabric, asked: Asked) -> Self {
        Self {
            few: AtomicUsize::new(if asked == Asked::Little { FEW } else { 0 }),
            alike: OnceLock::new(),
            seen: IdVec::of(
                std::iter::repeat_with(OnceLock::new)
                    .take(fabric.routers.len())
                    .collect::<Vec<_>>(),
            ),
            shared: Mutex::default(),
        }
    }

    fn alike(&self, fabric: &Fabric, passing: &Passing, family: Family) -> &Alike {
        self.alike.get_or_init(|| Arc::new(Alike::of(fabric, passing, family)))
    }

    /// What becomes of one speaker's routes at another.
    pub(super) fn verdict(
        &self,
        fabric: &Fabric,
        passing: &Passing,
        family: Family,
        origin: RouterId,
        at: RouterId,
    ) -> Option<Verdict> {
        match self.seen[origin].get_or_init(|| self.see(fabric, passing, family, origin)) {
            Seen::Each(all) | Seen::Followed(all) => all[at.index()],
            Seen::Cells(split, verdicts) => {
                let at = at.index();
                let place = split.binary_search_by_key(&at, |(vertex, _)| *vertex);
                let cell = place.map_or_else(
                    |_| self.alike(fabric, passing, family).colour[at],
                    |place| split[place].1,
                );
                verdicts[cell as usize]
            }
        }
    }

    /// Those that an origin tells apart from others of their colour, each with a number for those that are alike;
    /// none if each may have its routes or not.
    pub(super) fn split_by(
        &self,
        fabric: &Fabric,
        passing: &Passing,
        family: Family,
        origin: RouterId,
    ) -> Option<Vec<(RouterId, u32)>> {
        let of = |split: &[(Vertex, u32)]| {
            Some(split.iter().map(|&(at, cell)| (RouterId::from_index(at), cell)).collect())
        };
        match self.seen[origin].get_or_init(|| self.see(fabric, passing, family, origin)) {
            Seen::Each(_) => None,
            Seen::Cells(split, _) => of(split),
            Seen::Followed(_) => match self.see_cells(fabric, passing, family, origin) {
                Seen::Cells(split, _) => of(&split),
                Seen::Each(_) | Seen::Followed(_) => None,
            },
        }
    }

    pub(super) fn colour(
        &self,
        fabric: &Fabric,
        passing: &Passing,
        family: Family,
        router: RouterId,
    ) -> u32 {
        self.alike(fabric, passing, family).colour[router.index()]
    }

    fn see(&self, fabric: &Fabric, passing: &Passing, family: Family, origin: RouterId) -> Seen {
        let fewer = |left: usize| left.checked_sub(1);
        let few = self.few.fetch_update(Ordering::Relaxed, Ordering::Relaxed, fewer).is_ok();
        if few && self.alike.get().is_none() {
            return Seen::Followed(followed(fabric, passing, family, origin));
        }
        self.see_cells(fabric, passing, family, origin)
    }

    fn see_cells(
        &self,
        fabric: &Fabric,
        passing: &Passing,
        family: Family,
        origin: RouterId,
    ) -> Seen {
        let cells = Cells::around(self.alike(fabric, passing, family), origin);
        let of = cells.apart(fabric.routers.len());
        let key = cells.key();
        let known = self.shared.lock().ok().and_then(|shared| shared.get(&key).map(Arc::clone));
        if let Some(known) = known {
            return Seen::Cells(of, known);
        }
        match cells.spread(fabric, passing, family, origin) {
            Some(verdicts) => {
                let verdicts: Arc<[Option<Verdict>]> = verdicts.into();
                if let Ok(mut shared) = self.shared.lock() {
                    shared.insert(key, Arc::clone(&verdicts));
                }
                Seen::Cells(of, verdicts)
            }
            None => Seen::Each(followed(fabric, passing, family, origin)),
        }
    }
}

/// What each speaker has of an origin's routes, followed from speaker to speaker.
fn followed(
    fabric: &Fabric,
    passing: &Passing,
    family: Family,
    origin: RouterId,
) -> Box<[Option<Verdict>]> {
    let found = passing.propagate(fabric, family, &[origin], None);
    found.best.values().map(|path| path.as_ref().map(Verdict::of)).collect()
}

impl Alike {
    fn of(fabric: &Fabric, passing: &Passing, family: Family) -> Self {
        let speakers = fabric.routers.len();
        let mut made = Self {
            edges: vec![Vec::new(); speakers],
            sessions: IdVec::filled(&fabric.routers, Vec::new()),
            ..Self::default()
        };
        let mut labels: FxHashMap<Edge, u32> = FxHashMap::default();
        let mut label = |edge: Edge| {
            let next = u32::try_from(labels.len()).unwrap_or(u32::MAX);
            *labels.entry(edge).or_insert(next)
        };
        let places = places_between(fabric);
        for (id, session) in fabric.sessions() {
            let outcome = &passing.outcomes[id];
            let router = |device| fabric.devices[device].router;
            let (Some(twin), Some(here), Some(there)) =
                (outcome.twin, router(session.device), router(session.peer))
            else {
                continue;
            };
            if !outcome.carries(family) {
                continue;
            }
            let edge = label(Edge::Session(
                is_internal(fabric, session),
                session.over == SessionOver::Links && session.interface.is_some(),
                places[id],
                passing.ends(fabric, id, twin),
            ));
            made.edges[here.index()].push((edge, there.index()));
            made.sessions[here].push((edge, there, id));
        }
        let mut vertex_of: FxHashMap<Unreached, Vertex> = FxHashMap::default();
        for (of, how, to) in passing.unresolved(fabric).relations(fabric, &places) {
            let mut vertex = |one: Unreached, edges: &mut Vec<Vec<(u32, Vertex)>>| match one {
                Unreached::Router(router) => router.index(),
                other => *vertex_of.entry(other).or_insert_with(|| {
                    edges.push(Vec::new());
                    edges.len() - 1
                }),
            };
            let (of, to) = (vertex(of, &mut made.edges), vertex(to, &mut made.edges));
            made.edges[of].push((label(Edge::Unresolved(how, true)), to));
            made.edges[to].push((label(Edge::Unresolved(how, false)), of));
        }
        for (_, pair) in fabric.pairs() {
            let sides = pair.sides.each_ref().map(|side| fabric.devices[side.switch.value].router);
            let [Some(one), Some(other)] = sides else { continue };
            let edge = label(Edge::Pair);
            made.edges[one.index()].push((edge, other.index()));
            made.edges[other.index()].push((edge, one.index()));
        }
        for (what, sharing) in in_common(fabric) {
            let shares = label(Edge::Shares(std::mem::discriminant(&what)));
            if let Common::As(asn) = what {
                made.shared_as.insert(asn);
            }
            let vertex = made.edges.len();
            made.edges.push(sharing.iter().map(|one| (shares, one.index())).collect());
            for one in sharing {
                made.edges[one.index()].push((shares, vertex));
            }
        }
        made.paint(fabric);
        made
    }

    /// Gives out colours: first by what speakers are, then by whom they are joined with, until nothing new comes.
    fn paint(&mut self, fabric: &Fabric) {
        let mut known = FxHashMap::default();
        let speakers = fabric.routers.iter().map(|(id, router)| {
            let nameless = super::address_of(fabric, id).is_none();
            let plain = (router.as_number.is_some(), router.policy_required, nameless);
            let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
            *known.entry(plain).or_insert(next)
        });
        self.colour = speakers.collect();
        let common = u32::try_from(known.len()).unwrap_or(u32::MAX);
        self.colour.resize(self.edges.len(), common);
        let mut colours = 0;
        loop {
            let mut known: FxHashMap<(u32, Vec<(u32, u32)>), u32> = FxHashMap::default();
            let next = self.edges.iter().enumerate().map(|(vertex, edges)| {
                let mut around: Vec<(u32, u32)> =
                    edges.iter().map(|&(label, to)| (label, self.colour[to])).collect();
                around.sort_unstable();
                let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
                *known.entry((self.colour[vertex], around)).or_insert(next)
            });
            self.colour = next.collect();
            if known.len() == colours {
                break;
            }
            colours = known.len();
        }
        self.members = vec![Vec::new(); colours];
        for (vertex, &colour) in self.colour.iter().enumerate() {
            self.members[colour as usize].push(vertex);
        }
    }
}

/// What several speakers have, each with those who have it.
pub(super) fn in_common(fabric: &Fabric) -> Vec<(Common, Vec<RouterId>)> {
    let mut found: FxHashMap<Common, Vec<RouterId>> = FxHashMap::default();
    for (id, router) in fabric.routers() {
        let own = [
            router.as_number.map(|asn| Common::As(asn.value)),
            router.router_id.map(|id| Common::Id(id.value)),
            cluster(router).map(Common::Cluster),
            super::address_of(fabric, id).map(Common::Address),
        ];
        own.into_iter().flatten().for_each(|what| found.entry(what).or_default().push(id));
    }
    let mut shared: Vec<_> = found.into_iter().filter(|(_, sharing)| sharing.len() > 1).collect();
    shared.sort_unstable_by(|(_, one), (_, other)| one.cmp(other));
    shared
}

impl<'a> Cells<'a> {
    /// The cells as an origin sees them.
    fn around(alike: &'a Alike, origin: RouterId) -> Self {
        let mut cells = Self {
            alike,
            of: alike.colour.clone(),
            sizes: alike.members.iter().map(Vec::len).collect(),
            split: Vec::new(),
            colours: Vec::new(),
        };
        let mut waiting = vec![cells.part(alike.colour[origin.index()], vec![origin.index()])];
        let mut touched: Vec<(u32, Vertex, u32)> = Vec::new();
        while let Some(cell) = waiting.pop() {
            let edges = cells.split[cell].iter().flat_map(|&one| &alike.edges[one]);
            touched.clear();
            touched.extend(edges.map(|&(label, other)| (cells.of[other], other, label)));
            touched.sort_unstable();
            for of_cell in touched.chunk_by(|one, other| one.0 == other.0) {
                cells.split_by(of_cell, &mut waiting);
            }
        }
        cells
    }

    /// Parts those of one cell that are joined otherwise with the cell that is looked at: of each its edges, in order.
    fn split_by(&mut self, of_cell: &[(u32, Vertex, u32)], waiting: &mut Vec<usize>) {
        let mut edges: Vec<&[(u32, Vertex, u32)]> =
            of_cell.chunk_by(|one, other| one.1 == other.1).collect();
        let (cell, count) = (of_cell[0].0, edges.len());
        let labels = |edges: &&[(u32, Vertex, u32)]| {
            edges.iter().map(|(_, _, label)| *label).collect::<SmallVec<[u32; 4]>>()
        };
        let all = self.sizes[cell as usize];
        if count == all && edges.iter().all(|one| labels(one) == labels(&edges[0])) {
            return;
        }
        edges.sort_by_cached_key(labels);
        let parts = edges.chunk_by(|one, other| labels(one) == labels(other));
        let mut parts: Vec<Vec<Vertex>> =
            parts.map(|part| part.iter().map(|edges| edges[0].1).collect()).collect();
        if count == all {
            // The largest goes on as the cell.
            let largest = (0..parts.len()).rev().max_by_key(|&place| parts[place].len());
            parts.remove(largest.unwrap_or_default());
        }
        let colour = self.colour(cell);
        waiting.extend(parts.into_iter().map(|part| self.part(colour, part)));
    }

    /// Makes a cell of its own of some that are of one cell; its place among the split ones.
    fn part(&mut self, colour: u32, vertices: Vec<Vertex>) -> usize {
        let base = self.alike.members.len();
        let cell = u32::try_from(base + self.split.len()).unwrap_or(u32::MAX);
        let before = self.of[vertices[0]];
        for &vertex in &vertices {
            self.of[vertex] = cell;
        }
        self.sizes[before as usize] -= vertices.len();
        if let Some(place) = (before as usize).checked_sub(base) {
            self.split[place].retain(|&one| self.of[one] == before);
        }
        self.sizes.push(vertices.len());
        self.split.push(vertices);
        self.colours.push(colour);
        self.split.len() - 1
    }

    /// The speakers that are in other cells than most of their colour.
    fn apart(&self, speakers: usize) -> Box<[(Vertex, u32)]> {
        let all = self.split.iter().flatten().filter(|&&vertex| vertex < speakers);
        let mut found: Vec<(Vertex, u32)> = all.map(|&vertex| (vertex, self.of[vertex])).collect();
        found.sort_unstable();
        found.into()
    }

    fn count(&self) -> usize {
        self.sizes.len()
    }

    fn cell(&self, vertex: Vertex) -> u32 {
        self.of[vertex]
    }

    fn colour(&self, cell: u32) -> u32 {
        match (cell as usize).checked_sub(self.alike.members.len()) {
            Some(place) => self.colours[place],
            None => cell,
        }
    }

    /// A vertex that stands for a cell.
    fn first(&self, cell: usize) -> Option<Vertex> {
        match cell.checked_sub(self.alike.members.len()) {
            Some(place) => self.split[place].first().copied(),
            None => {
                let mut all = self.alike.members[cell].iter().copied();
                all.find(|&vertex| self.of[vertex] as usize == cell)
            }
        }
    }

    /// The cells that are split off, with what is left of the others, which says how those hang together.
    fn key(&self) -> Key {
        let of = |place: usize| {
            let mut edges: BTreeMap<(u32, u32), u32> = BTreeMap::new();
            if let Some(&first) = self.split[place].first() {
                for &(label, to) in &self.alike.edges[first] {
                    *edges.entry((label, self.cell(to))).or_default() += 1;
                }
            }
            (self.colours[place], self.split[place].len(), edges.into_iter().collect())
        };
        (0..self.split.len()).map(of).collect()
    }

    /// What each cell has of the origin's routes; none where that depends on which of several paths that are as good
    /// each speaker prefers.
    fn spread(
        &self,
        fabric: &Fabric,
        passing: &Passing,
        family: Family,
        origin: RouterId,
    ) -> Option<Vec<Option<Verdict>>> {
        let peers = (0..self.count()).map(|cell| {
            let mut seen: FxHashSet<(u32, u32)> = FxHashSet::default();
            let sessions = self.first(cell).filter(|&first| first < fabric.routers.len());
            let sessions =
                sessions.map_or(&[][..], |first| &self.alike.sessions[RouterId::from_index(first)]);
            let peers = sessions.iter().filter_map(|&(label, to, session)| {
                let to = self.cell(to.index());
                seen.insert((label, to)).then_some((to as usize, passing.outcomes[session].twin?))
            });
            peers.collect()
        });
        let telling = AmongCells { fabric, passing, family, peers: peers.collect() };
        let own = std::iter::once((self.cell(origin.index()) as usize, Path::local(origin)));
        let best = settle::settle(&telling, self.count(), own);
        if telling.depends_on_choice(&best, &self.alike.shared_as) {
            return None;
        }
        Some(best.iter().map(|path| path.as_ref().map(Verdict::of)).collect())
    }
}

struct AmongCells<'a> {
    fabric: &'a Fabric,
    passing: &'a Passing,
    family: Family,
    /// Of each cell its peers: their cell, and the end there.
    peers: Vec<Vec<(usize, SessionId)>>,
}

impl AmongCells<'_> {
    /// Whether some speaker has paths that are as good, and which of them it takes makes a difference to others.
    fn depends_on_choice(&self, best: &[Option<Path>], shared: &FxHashSet<Asn>) -> bool {
        if self.family == Family::Evpn && best.iter().flatten().any(|path| path.rewritten.is_some())
        {
            return true;
        }
        let own_ends = |cell: usize| {
            let ends = self.peers[cell].iter();
            ends.filter_map(|&(_, end)| Some(self.fabric.session(self.passing.outcomes[end].twin?)))
        };
        let reflects = |cell: usize| own_ends(cell).any(|session| session.client.value);
        // The address on a link goes on with the path only where it is kept.
        let links_matter =
            self.family != Family::Evpn && !self.passing.unresolved(self.fabric).is_empty();
        let keeps = |cell: usize| {
            own_ends(cell).any(|session| next_hop_rule(self.fabric, session) == NextHopRule::Kept)
        };
        let marks = |path: &Path, cell: usize| {
            let numbers: SmallVec<[Option<Asn>; 4]> = path
                .as_path
                .iter()
                .map(|asn| Some(*asn).filter(|asn| shared.contains(asn)))
                .collect();
            let clusters = reflects(cell).then(|| path.clusters.clone());
            let link = path.link.filter(|_| links_matter && keeps(cell));
            (numbers, clusters, path.originator, link)
        };
        // Whom a cell tells, and who has nothing better by far, may find itself in the path or not.
        let is_asked = |cell: usize, own: &Path| {
            self.peers[cell].iter().any(|&(to, end)| {
                let internal = is_internal(self.fabric, self.fabric.session(end));
                let (length, learned) = match internal {
                    true => (own.as_path.len(), Learned::Internal),
                    false => (own.as_path.len() + 1, Learned::External),
                };
                best[to].as_ref().is_none_or(|best| {
                    let known = (best.as_path.len(), best.learned == Learned::Internal);
                    best.learned != Learned::Local
                        && known >= (length, learned == Learned::Internal)
                })
            })
        };
        (0..best.len()).any(|from| {
            let Some(path) = &best[from] else { return false };
            self.peers[from].iter().any(|&(to, end)| {
                let Some(own) = &best[to] else { return false };
                let Ok(offer) = self.passing.offer(self.fabric, self.family, path, end, None)
                else {
                    return false;
                };
                let alike =
                    offer.as_path.len() == own.as_path.len() && offer.learned == own.learned;
                alike
                    && (offer.communities != own.communities
                        || (marks(&offer, to) != marks(own, to) && is_asked(to, own)))
            })
        })
    }
}

impl settle::Telling for AmongCells<'_> {
    fn peers(&self, at: usize, tell: &mut dyn FnMut(usize, SessionId)) {
        self.peers[at].iter().for_each(|&(to, end)| tell(to, end));
    }

    fn offer(&self, path: &Path, at: SessionId) -> Option<Path> {
        self.passing.offer(self.fabric, self.family, path, at, None).ok()
    }

    fn is_better(&self, one: &Path, other: &Path) -> bool {
        compare(self.fabric, one, other) == cmp::Ordering::Less
    }
}

impl Clone for Spread {
    fn clone(&self) -> Self {
        let seen = std::iter::repeat_with(OnceLock::new).take(self.seen.len());
        Self {
            few: AtomicUsize::new(self.few.load(Ordering::Relaxed)),
            alike: self.alike.clone(),
            seen: IdVec::of(seen.collect()),
            shared: Mutex::default(),
        }
    }
}

/// What has been asked of it is none of its meaning.
impl fmt::Debug for Spread {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "of {} speakers", self.seen.len())
    }
}
