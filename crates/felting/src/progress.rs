//! How far a long piece of work is, for a program to show meanwhile.

use std::sync::atomic::{AtomicUsize, Ordering};

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
    Behavior,
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
        Self::Behavior,
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
            Self::Behavior => "working out what the protocols do",
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

/// What is being done and how much of it is done, told by the work and read by whoever shows it.
///
/// ```
/// use felting::progress::{Progress, Stage};
/// let (fabric, progress) = (felting::Fabric::from_text("empty.toml", ""), Progress::default());
/// fabric.check(None, &progress);
/// let now = progress.now();
/// assert_eq!((now.stage, now.done == now.of), (Stage::Rules, true));
/// ```
#[derive(Debug, Default)]
pub struct Progress {
    stage: AtomicUsize,
    done: AtomicUsize,
    of: AtomicUsize,
}

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
    /// Says what is done from now on, in how many steps; 0 if that is not known.
    pub fn begin(&self, stage: Stage, of: usize) {
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
