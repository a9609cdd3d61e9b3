//! How far a long piece of work is, for a program to show meanwhile, and a way to call it off.

use std::fmt;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// What is being done.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum Stage {
    /// Reading files.
    #[default]
    Reading,
    /// Compiling what they say: spreading out ranges, resolving names.
    Compiling,
    /// Working out what the protocols make of the fabric.
    Behaviour,
    /// Running the rules.
    Rules,
    /// Judging what is expected, with nothing lost and with each loss.
    Expectations,
    /// Walking from endpoint to endpoint.
    Walks,
    /// Making up a fabric.
    Planning,
    /// Making the rows of a sheet.
    Rows,
    /// Laying out a drawing, and turning it into pixels.
    Drawing,
    /// Writing texts and files.
    Writing,
}

impl Stage {
    const ALL: [Self; 10] = [
        Self::Reading,
        Self::Compiling,
        Self::Behaviour,
        Self::Rules,
        Self::Expectations,
        Self::Walks,
        Self::Planning,
        Self::Rows,
        Self::Drawing,
        Self::Writing,
    ];

    /// What is being done, as a sentence without its end.
    pub const fn words(self) -> &'static str {
        match self {
            Self::Reading => "reading files",
            Self::Compiling => "putting the fabric together",
            Self::Behaviour => "working out what the protocols do",
            Self::Rules => "checking rules",
            Self::Expectations => "judging what is expected",
            Self::Walks => "walking",
            Self::Planning => "making up the fabric",
            Self::Rows => "making rows",
            Self::Drawing => "drawing",
            Self::Writing => "writing",
        }
    }
}

/// What is being done and how much of it is done, told by the work and read by whoever shows it. Whoever no longer
/// wants the result [calls it off](Self::cancel).
///
/// All that may take long takes one as its last argument; who doesn't look passes `&Progress::default()`.
///
/// ```
/// use felting::progress::Stage;
/// use felting::{Condition, Fabric, Progress, State};
/// let (fabric, progress) = (Fabric::from_text("empty.toml", ""), Progress::default());
/// State::of(&fabric, &Condition::default(), &progress).check(None, &progress);
/// let now = progress.now();
/// assert_eq!((now.stage, now.done == now.of), (Stage::Rules, true));
/// ```
#[derive(Debug, Default)]
pub struct Progress {
    stage: AtomicUsize,
    done: AtomicUsize,
    of: AtomicUsize,
    cancelled: AtomicBool,
    /// Whether someone waits for work that is called off.
    awaited: AtomicBool,
}

/// The work was called off before it was done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Cancelled;

impl fmt::Display for Cancelled {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("the work was called off")
    }
}

impl std::error::Error for Cancelled {}

/// How far the work is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Now {
    /// What is being done.
    pub stage: Stage,
    /// How much of it is done.
    pub done: usize,
    /// Of how much; 0 if that is not known.
    pub of: usize,
}

impl Progress {
    /// Calls the work off: what goes on inside [`unless_cancelled`](Self::unless_cancelled) stops at its next step.
    pub fn cancel(&self) {
        self.cancelled.store(true, Ordering::Relaxed);
    }

    /// Does work that tells this progress how far it is, until it is done or [called off](Self::cancel). What was
    /// worked out before is as it was.
    ///
    /// Work is left by unwinding, without a message: a program that is built to abort on panics can't call work off.
    ///
    /// # Errors
    ///
    /// [`Cancelled`], if the work was called off.
    ///
    /// ```
    /// use felting::progress::Cancelled;
    /// use felting::{Condition, Fabric, Progress, State};
    /// let fabric = Fabric::from_text("empty.toml", "");
    /// let progress = Progress::default();
    /// let state = || State::of(&fabric, &Condition::default(), &progress);
    /// assert!(progress.unless_cancelled(state).is_ok());
    /// // As another thread would, when someone goes on typing.
    /// progress.cancel();
    /// assert_eq!(progress.unless_cancelled(state).err(), Some(Cancelled));
    /// ```
    pub fn unless_cancelled<T>(&self, work: impl FnOnce() -> T) -> Result<T, Cancelled> {
        let outer = self.awaited.swap(true, Ordering::Relaxed);
        let done = catch_unwind(AssertUnwindSafe(work));
        self.awaited.store(outer, Ordering::Relaxed);
        done.map_err(|thrown| match thrown.downcast::<Cancelled>() {
            Ok(cancelled) => *cancelled,
            Err(thrown) => resume_unwind(thrown),
        })
    }

    fn stop_if_cancelled(&self) {
        if self.cancelled.load(Ordering::Relaxed) && self.awaited.load(Ordering::Relaxed) {
            resume_unwind(Box::new(Cancelled));
        }
    }

    /// Says what is done from now on, in how many steps; 0 if that is not known.
    pub fn begin(&self, stage: Stage, of: usize) {
        self.stop_if_cancelled();
        self.done.store(0, Ordering::Relaxed);
        self.of.store(of, Ordering::Relaxed);
        self.stage.store(stage as usize, Ordering::Relaxed);
    }

    /// The same things, of which each is a step of what is done from now on.
    ///
    /// ```
    /// use felting::progress::{Progress, Stage};
    /// let progress = Progress::default();
    /// let mut halves = progress.each(Stage::Rows, [2, 4, 6].iter().map(|whole| whole / 2));
    /// assert_eq!(halves.next(), Some(1));
    /// assert_eq!((progress.now().done, progress.now().of), (1, 3));
    /// ```
    pub fn each<I: ExactSizeIterator>(
        &self,
        stage: Stage,
        things: I,
    ) -> impl ExactSizeIterator<Item = I::Item> + use<'_, I> {
        self.begin(stage, things.len());
        things.inspect(|_| self.advance(1))
    }

    /// Says that there are more steps than was said.
    pub fn more(&self, steps: usize) {
        self.of.fetch_add(steps, Ordering::Relaxed);
    }

    /// Says that steps are done.
    pub fn advance(&self, steps: usize) {
        self.stop_if_cancelled();
        self.done.fetch_add(steps, Ordering::Relaxed);
    }

    /// How far the work is. While it changes its stage, the numbers may be those of the one before.
    pub fn now(&self) -> Now {
        let stage = self.stage.load(Ordering::Relaxed);
        Now {
            stage: Stage::ALL.get(stage).copied().unwrap_or_default(),
            done: self.done.load(Ordering::Relaxed),
            of: self.of.load(Ordering::Relaxed),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn work_that_is_called_off_stops_at_its_next_step() {
        let progress = Progress::default();
        let mut done = 0;
        let found = progress.unless_cancelled(|| {
            for step in progress.each(Stage::Rows, 0..10) {
                done = step;
                if step == 3 {
                    progress.cancel();
                }
            }
        });
        assert_eq!((found, done), (Err(Cancelled), 3));
    }

    #[test]
    fn work_that_nobody_waits_for_is_done_though_called_off() {
        let progress = Progress::default();
        progress.cancel();
        assert_eq!(progress.each(Stage::Rows, 0..10).count(), 10);
    }

    #[test]
    fn threads_stop_too() {
        use rayon::prelude::*;
        let progress = Progress::default();
        let found = progress.unless_cancelled(|| {
            (0..1000).into_par_iter().for_each(|_| {
                progress.advance(1);
                progress.cancel();
            });
        });
        assert_eq!(found, Err(Cancelled));
    }
}
