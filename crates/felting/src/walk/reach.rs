//! Who reaches whom among many endpoints: one walk for each two classes that behave equally.

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::alike::{Classes, Leaves, Relation, Spot, kinds, relation};
use super::asked::Options;
use super::walker::Walker;
use crate::behaviour::State;
use crate::fabric::{EndpointId, Terminal};
use crate::progress::{Progress, Stage};

/// Who reaches whom.
#[derive(Clone, Debug)]
pub struct Reach {
    places: FxHashMap<EndpointId, usize>,
    spots: Vec<Spot>,
    verdicts: FxHashMap<(u32, u32, Relation), bool>,
}

impl Reach {
    /// Whether every packet from one endpoint reaches the other, by whatever equal way, and its reply comes
    /// back; none if one of the two was not asked about, or both are one.
    pub fn reaches(&self, from: EndpointId, to: EndpointId) -> Option<bool> {
        let (a, b) = (*self.places.get(&from)?, *self.places.get(&to)?);
        self.verdicts.get(&self.key(a, b)).copied().filter(|_| a != b)
    }

    /// How many classes of endpoints there are.
    pub fn classes(&self) -> usize {
        self.spots.iter().map(|spot| spot.class).max().map_or(0, |last| last as usize + 1)
    }

    /// The ordered pairs that reach each other here and no longer in another answer to the same question, in the order
    /// in which the endpoints were asked about.
    ///
    /// ```
    /// # use felting::{Condition, Fabric, Progress, State, walk};
    /// # let fabric = Fabric::from_text("f.toml", &felting::rules::find("expect-failed").unwrap().mended());
    /// let ends: Vec<_> = fabric.endpoints().map(|(id, _)| id).collect();
    /// let quiet = Progress::default();
    /// let whole = State::of(&fabric, &Condition::default(), &quiet);
    /// let cut = whole.given(&Condition::default().cut(&fabric, "bench-1 nic1").unwrap());
    /// let (before, after) = (walk::reach(&whole, &ends, &quiet), walk::reach(&cut, &ends, &quiet));
    /// assert_eq!(before.lost_pairs(&after).count(), 2);
    /// ```
    pub fn lost_pairs<'r>(
        &'r self,
        after: &'r Self,
    ) -> impl Iterator<Item = (EndpointId, EndpointId)> + 'r {
        let mut asked: Vec<(usize, EndpointId)> =
            self.places.iter().map(|(&id, &place)| (place, id)).collect();
        asked.sort_unstable();
        let ids: Vec<EndpointId> = asked.into_iter().map(|(_, id)| id).collect();
        (0..ids.len()).flat_map(move |from| {
            let ids = ids.clone();
            (0..ids.len()).filter_map(move |to| {
                let (from, to) = (ids[from], ids[to]);
                let lost =
                    self.reaches(from, to) == Some(true) && after.reaches(from, to) != Some(true);
                lost.then_some((from, to))
            })
        })
    }

    /// How many ordered pairs reach each other.
    pub fn count(&self) -> usize {
        let all = 0..self.spots.len();
        let reached = all.clone().into_par_iter().map(|a| {
            let others = all
                .clone()
                .filter(|&b| a != b && self.verdicts.get(&self.key(a, b)) == Some(&true));
            others.count()
        });
        reached.sum()
    }

    fn key(&self, a: usize, b: usize) -> (u32, u32, Relation) {
        let (a, b) = (&self.spots[a], &self.spots[b]);
        (a.class, b.class, relation(a, b))
    }
}

/// Who reaches whom of some endpoints, walked over all equal ways.
pub fn reach(state: &State, endpoints: &[EndpointId], progress: &Progress) -> Reach {
    let leaves = Leaves::of(state);
    let mut classes = Classes::of(&leaves);
    let spots: Vec<Spot> = endpoints.iter().map(|&id| classes.spot(state, id)).collect();
    let places = endpoints.iter().enumerate().map(|(place, &id)| (id, place)).collect();
    let wanted = kinds(&spots, &spots, |a, b| endpoints[a] == endpoints[b]);
    progress.begin(Stage::Walks, wanted.len());
    let share = wanted.len().div_ceil(2 * rayon::current_num_threads()).max(1);
    let walked = wanted.par_chunks(share).flat_map_iter(|share| {
        let mut walker = Walker::new(state);
        let ends = |place: usize| Terminal::Endpoint(endpoints[place], None);
        let all = share.iter().map(|kind| {
            progress.advance(1);
            let walk = walker.walk(ends(kind.from), ends(kind.to), Options::ALL);
            (kind.key, walk.is_ok_and(|walk| walk.arrives()))
        });
        all.collect::<Vec<_>>()
    });
    Reach { verdicts: walked.collect(), places, spots }
}
