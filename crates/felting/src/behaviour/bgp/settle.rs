//! Speakers telling each other what they use, until nobody has anything new to tell.

use std::collections::VecDeque;

use super::path::Path;
use crate::fabric::SessionId;

/// What is told, and who prefers what.
pub(super) trait Telling {
    /// To whom a speaker tells its best path: the speaker, and that one's end of the session.
    fn peers(&self, at: usize, tell: &mut dyn FnMut(usize, SessionId));
    /// What a path becomes at the end of the session where it arrives, if it is used there.
    fn offer(&self, path: &Path, at: SessionId) -> Option<Path>;
    /// Whether a speaker prefers one path to another.
    fn is_better(&self, one: &Path, other: &Path) -> bool;
}

/// So often a speaker may change its mind: what settles does so within as many changes as an AS path is long,
/// and what doesn't (RFC 3345) is left as it is then.
const MOST_CHANGES: u16 = 64;

/// The best path of each of `count` speakers, when some of them have paths of their own. A speaker tells only its
/// best (RFC 4271 section 9.1.3), so what it no longer prefers it takes back.
pub(super) fn settle(
    telling: &impl Telling,
    count: usize,
    own: impl Iterator<Item = (usize, Path)>,
) -> Vec<Option<Path>> {
    let mut best: Vec<Option<Path>> = vec![None; count];
    // Who told the best one, and by which session.
    let mut by: Vec<Option<(usize, SessionId)>> = vec![None; count];
    let mut heard: Vec<Vec<((usize, SessionId), Path)>> = vec![Vec::new(); count];
    let mut changes: Vec<u16> = vec![0; count];
    let mut waiting: Vec<bool> = vec![false; count];
    let mut queue: VecDeque<usize> = VecDeque::new();
    for (at, path) in own {
        best[at] = Some(path);
        waiting[at] = true;
        queue.push_back(at);
    }
    while let Some(at) = queue.pop_front() {
        waiting[at] = false;
        let path = best[at].clone();
        telling.peers(at, &mut |to, session| {
            let from = (at, session);
            let offered = path.as_ref().and_then(|path| telling.offer(path, session));
            let known = heard[to].iter().position(|(known, _)| *known == from);
            match (known, &offered) {
                (None, None) => return,
                (Some(place), Some(offered)) if heard[to][place].1 == *offered => return,
                (Some(place), Some(offered)) => heard[to][place].1 = offered.clone(),
                (Some(place), None) => drop(heard[to].swap_remove(place)),
                (None, Some(offered)) => heard[to].push((from, offered.clone())),
            }
            let current = best[to].as_ref();
            let is_own = current.is_some() && by[to].is_none();
            if is_own || changes[to] >= MOST_CHANGES {
                return;
            }
            let better = match (current, &offered) {
                (Some(current), Some(offered)) => telling.is_better(offered, current),
                _ => false,
            };
            // What another brought stays the best.
            if !better && by[to].is_some_and(|by| by != from) {
                return;
            }
            let all = heard[to].iter();
            let first = all.reduce(|best, one| match telling.is_better(&one.1, &best.1) {
                true => one,
                false => best,
            });
            by[to] = first.map(|(from, _)| *from);
            let next = first.map(|(_, path)| path.clone());
            if best[to] == next {
                return;
            }
            best[to] = next;
            changes[to] += 1;
            if !std::mem::replace(&mut waiting[to], true) {
                queue.push_back(to);
            }
        });
    }
    best
}
