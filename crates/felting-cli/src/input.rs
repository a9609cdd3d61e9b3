//! The fabric that a command is about, and the conditions that it is asked under.

use std::io::Read as _;
use std::path::{Path, PathBuf};

use felting::fabric::Selection;
use felting::rules::{Terms, Wanted};
use felting::source::{Disk, FileError, Files, MOST_BYTES};
use felting::{Condition, Fabric, Loader, Progress};
use felting_view::Checked;

use crate::arguments::{Down, Of, Which};
use crate::output::{Screen, note};
use crate::progress_bar::Bar;

/// What is read where no file is named.
const DEFAULT: &str = "fabric.toml";

/// Standard input, by its name on the command line.
const STDIN: &str = "-";

/// The root file from standard input or a pipe; what it includes is in the working folder.
struct Piped {
    text: Vec<u8>,
    /// What it is called in findings.
    name: String,
    folder: Disk,
}

impl Piped {
    fn read(what: &str, name: String, from: impl std::io::Read) -> Result<Self, String> {
        let mut text = Vec::new();
        // A byte more than a file may have is enough to tell that it is too large.
        let all = from.take(MOST_BYTES + 1).read_to_end(&mut text);
        all.map_err(|error| format!("{what} could not be read: {error}"))?;
        Ok(Self { text, name, folder: Disk::new(".") })
    }
}

/// Whether a file says what it holds once: a pipe, such as a shell makes of `<(...)`, or a device.
#[cfg(unix)]
fn is_stream(file: &Path) -> bool {
    use std::os::unix::fs::FileTypeExt as _;
    let kind = std::fs::metadata(file).map(|facts| facts.file_type());
    kind.is_ok_and(|kind| kind.is_fifo() || kind.is_char_device())
}

/// Pipes with a name are no files elsewhere.
#[cfg(not(unix))]
fn is_stream(_: &Path) -> bool {
    false
}

impl Files for Piped {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileError> {
        match path {
            STDIN if self.text.len() as u64 > MOST_BYTES => {
                Err(FileError::TooLarge(self.text.len() as u64))
            }
            STDIN => Ok(self.text.clone()),
            path => self.folder.read(path),
        }
    }

    fn list(&self, folder: &str) -> Result<Vec<String>, FileError> {
        self.folder.list(folder)
    }

    fn on_disk(&self, path: &str) -> Option<PathBuf> {
        if path == STDIN { None } else { self.folder.on_disk(path) }
    }

    fn display(&self, path: &str) -> String {
        if path == STDIN { self.name.clone() } else { self.folder.display(path) }
    }
}

/// Reads and compiles a fabric with its variants.
///
/// # Errors
///
/// If there is no file where none was named: how to begin.
pub(crate) fn read(file: &Path, with: &[PathBuf], bar: &Bar) -> Result<Fabric, String> {
    if file == Path::new(DEFAULT) && !file.exists() {
        return Err(format!(
            "there is no {DEFAULT} here; name a fabric file, write a first one with \
             `felting new {DEFAULT}`, or see `felting demo`"
        ));
    }
    let piped;
    let mut loader = if file == Path::new(STDIN) {
        piped = Piped::read("standard input", "<stdin>".to_owned(), std::io::stdin())?;
        Loader::files(&piped, STDIN)
    } else if is_stream(file) {
        let shown = file.display().to_string();
        // Nobody may write into it; what a shell makes is written already.
        if !file.starts_with("/dev") && !file.starts_with("/proc") {
            note(&format!("waiting for what is written into the pipe {shown}"));
        }
        let opened = std::fs::File::open(file);
        let opened = opened.map_err(|error| format!("{shown} could not be read: {error}"))?;
        piped = Piped::read(&shown, shown.clone(), opened)?;
        Loader::files(&piped, STDIN)
    } else {
        Loader::path(file)
    };
    for variant in with {
        loader = loader.variant(variant);
    }
    Ok(loader.progress(bar.progress()).load())
}

/// What could not be read is said beside the answer; the exit code that it makes.
pub(crate) fn incomplete(fabric: &Fabric, screen: &Screen) -> Option<u8> {
    if fabric.is_complete() {
        return None;
    }
    let report = felting::Report::default();
    let checked = Checked::new(fabric, &report);
    screen.complain(&felting_view::findings(&checked, screen.style(), &Progress::default()));
    Some(crate::UNREADABLE)
}

impl Down {
    /// Whether nothing is down or moved.
    pub(crate) fn is_nothing(&self) -> bool {
        self.cut.is_empty() && self.moves.is_empty()
    }

    /// What is down or moved, as the options say it.
    pub(crate) fn condition(&self, fabric: &Fabric) -> Result<Condition, String> {
        let mut condition = Condition::default();
        for what in &self.cut {
            condition = condition.cut(fabric, what).map_err(|error| error.to_string())?;
        }
        for what in &self.moves {
            condition = condition.moving(fabric, what).map_err(|error| error.to_string())?;
        }
        Ok(condition)
    }

    /// The same in words.
    pub(crate) fn words(&self) -> Vec<String> {
        let cut = self.cut.iter().map(|cut| format!("{cut} cut"));
        cut.chain(self.moves.iter().map(|moved| format!("{moved} moved"))).collect()
    }
}

impl Of {
    /// The part of the fabric that is asked for; none if that is all of it.
    pub(crate) fn selection(&self, fabric: &Fabric) -> Result<Option<Selection>, String> {
        if self.of.is_empty() {
            return Ok(None);
        }
        Selection::of(fabric, &self.of).map(Some).map_err(|error| error.to_string())
    }
}

impl Which {
    /// Which findings are wanted.
    pub(crate) fn wanted(&self) -> Result<Wanted, String> {
        Wanted::default().only(&self.only)?.skip(&self.skip)?.about(&self.about)
    }

    /// As what the fabric is judged, as of a day.
    pub(crate) fn terms(&self, day: Option<jiff::civil::Date>) -> Terms {
        let mut terms = Terms::default().day(day);
        if self.ignore_accepts {
            terms = terms.ignore_accepts();
        }
        if self.ignore_severities {
            terms = terms.ignore_severities();
        }
        terms
    }

    /// The first option that is given, of those about findings.
    pub(crate) fn given(&self) -> Option<&'static str> {
        let options = [
            (!self.only.is_empty(), "--only"),
            (!self.skip.is_empty(), "--skip"),
            (!self.about.is_empty(), "--about"),
            (self.day.is_some(), "--day"),
            (self.ignore_accepts, "--ignore-accepts"),
            (self.ignore_severities, "--ignore-severities"),
        ];
        options.into_iter().find(|(given, _)| *given).map(|(_, option)| option)
    }

    /// The day as of which acceptances are judged: as told, else today where that matters. Asking the clock takes a
    /// while, as it needs the rules of time zones.
    pub(crate) fn day_of(&self, fabric: &Fabric) -> Option<jiff::civil::Date> {
        let today = || fabric.depends_on_day().then(|| jiff::ZonedDateTime::now().date());
        self.day.or_else(today)
    }
}
