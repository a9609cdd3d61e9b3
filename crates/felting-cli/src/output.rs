//! Standard output and error: the only place that prints.

use std::ffi::OsStr;
use std::io::{ErrorKind, IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, Once, PoisonError};

use felting_view::Style;

use crate::Outcome;
use crate::arguments::{Colour, Layout};

/// Standard output as it will be read.
pub(crate) struct Screen {
    style: Style,
    terminal: bool,
}

impl Screen {
    pub(crate) fn new(colour: Colour) -> Self {
        let terminal = std::io::stdout().is_terminal();
        let colour = coloured(colour, terminal, std::env::var_os("NO_COLOR").as_deref());
        let width = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
        let width = width.or_else(|| terminal.then(terminal_width).flatten()).unwrap_or(120);
        Self { style: Style { colour, width: width.clamp(40, 400) }, terminal }
    }

    /// The same, laid out as the options say.
    pub(crate) fn with(&self, layout: &Layout) -> Self {
        let width = layout.width.unwrap_or(self.style.width);
        Self { style: Style { width, ..self.style }, terminal: self.terminal }
    }

    /// Whether it is a terminal that somebody reads.
    pub(crate) fn is_terminal(&self) -> bool {
        self.terminal
    }

    /// Writes an answer where it was asked for: to a file, else to standard output.
    ///
    /// # Errors
    ///
    /// Why it could not be written.
    pub(crate) fn deliver(&self, to: Option<&Path>, text: &str) -> Outcome {
        let Some(path) = to.filter(|path| *path != Path::new("-")) else {
            self.print(text);
            return Ok(crate::CLEAN);
        };
        self.write(path, text.as_bytes())
    }

    /// Writes a file, whole or not at all.
    ///
    /// # Errors
    ///
    /// Why it could not be written.
    pub(crate) fn write(&self, path: &Path, bytes: &[u8]) -> Outcome {
        let shown = path.display();
        write_beside(path, bytes).map_err(|error| {
            format!(
                "{shown} could not be written: {error}; name a file in a folder that exists and can be written to"
            )
        })?;
        self.complain(&format!("wrote {shown}\n"));
        Ok(crate::CLEAN)
    }

    pub(crate) fn style(&self) -> Style {
        self.style
    }

    /// Writes to standard output. A reader that has gone away (`| head`) is no error; any other failure ends the
    /// program, as half an answer is none.
    pub(crate) fn print(&self, text: &str) {
        let mut out = anstream::AutoStream::new(std::io::stdout().lock(), self.choice());
        match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
            Err(error) if error.kind() != ErrorKind::BrokenPipe => {
                let code = fail(&format!("the answer could not be written: {error}"));
                std::process::exit(i32::from(code));
            }
            _ => {}
        }
    }

    /// Writes to standard error.
    pub(crate) fn complain(&self, text: &str) {
        let mut out = anstream::AutoStream::new(std::io::stderr().lock(), self.choice());
        let _ = out.write_all(text.as_bytes());
    }

    fn choice(&self) -> anstream::ColorChoice {
        if self.style.colour { anstream::ColorChoice::Always } else { anstream::ColorChoice::Never }
    }
}

/// Writes what is no text to standard output.
pub(crate) fn print_bytes(bytes: &[u8]) -> u8 {
    let mut out = std::io::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            fail(&format!("the answer could not be written: {error}"))
        }
        _ => crate::CLEAN,
    }
}

/// Whether to use colours: as told, else on a terminal unless `NO_COLOR` is set and not empty.
fn coloured(wanted: Colour, terminal: bool, no_color: Option<&OsStr>) -> bool {
    match wanted {
        Colour::Always => true,
        Colour::Never => false,
        Colour::Auto => terminal && no_color.is_none_or(OsStr::is_empty),
    }
}

fn terminal_width() -> Option<usize> {
    terminal_size::terminal_size().map(|(width, _)| usize::from(width.0))
}

/// Held while something is written.
static WRITING: Mutex<()> = Mutex::new(());

/// The exit code of a program that was interrupted: 128 and the number of SIGINT.
const INTERRUPTED: i32 = 130;

/// As long as what is returned lives, the end that Ctrl-C asks for is put off: what is being written is
/// whole before the program ends, and nothing stays beside it.
fn uninterrupted() -> MutexGuard<'static, ()> {
    static HANDLED: Once = Once::new();
    HANDLED.call_once(|| {
        // Where it can't be set, Ctrl-C ends the program as ever, and what is half-written lies beside.
        let _ = ctrlc::set_handler(|| {
            let _whole = WRITING.lock();
            std::process::exit(INTERRUPTED);
        });
    });
    WRITING.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A new file beside a place, to be moved there when it is whole.
fn beside(path: &Path) -> std::io::Result<tempfile::NamedTempFile> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
    if folder.is_some_and(|folder| !folder.is_dir()) {
        let why = "there is no such folder";
        return Err(std::io::Error::new(ErrorKind::NotFound, why));
    }
    let mut builder = tempfile::Builder::new();
    builder.prefix(".felting-");
    // As any new file: what the umask leaves of reading and writing for all.
    #[cfg(unix)]
    builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
    builder.tempfile_in(folder.unwrap_or(Path::new(".")))
}

/// Writes a file whole or not at all: beside its place first, then into it.
fn write_beside(path: &Path, bytes: &[u8]) -> std::io::Result<()> {
    let _whole = uninterrupted();
    let mut beside = beside(path)?;
    beside.write_all(bytes)?;
    beside.persist(path).map_err(|error| error.error)?;
    Ok(())
}

/// As [`write_beside`], but never over another file.
pub(crate) fn write_new(path: &Path, bytes: &[u8]) -> std::io::Result<()> {
    let _whole = uninterrupted();
    let mut beside = beside(path)?;
    beside.write_all(bytes)?;
    beside.persist_noclobber(path).map_err(|error| error.error)?;
    Ok(())
}

/// Writes a new folder of files whole or not at all.
pub(crate) fn write_folder<'a>(
    folder: &Path,
    files: impl Iterator<Item = (&'a str, &'a str)>,
) -> std::io::Result<()> {
    let _whole = uninterrupted();
    if folder.exists() {
        return Err(ErrorKind::AlreadyExists.into());
    }
    // A path such as `site/` has an empty last part.
    let folder: PathBuf = folder.components().collect();
    let parent = folder.parent().filter(|parent| !parent.as_os_str().is_empty());
    let mut builder = tempfile::Builder::new();
    builder.prefix(".felting-");
    // As any new folder: what the umask leaves of all that can be allowed.
    #[cfg(unix)]
    builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o777));
    let beside = builder.tempdir_in(parent.unwrap_or(Path::new(".")))?;
    for (path, text) in files {
        let path = beside.path().join(path);
        std::fs::create_dir_all(path.parent().unwrap_or(beside.path()))?;
        std::fs::write(path, text)?;
    }
    std::fs::rename(beside.path(), &folder)?;
    // There is nothing left to clean up.
    let _ = beside.keep();
    Ok(())
}

/// Says why the command was wrong, and returns its exit code.
pub(crate) fn fail(message: &str) -> u8 {
    let _ = writeln!(std::io::stderr(), "error: {message}");
    crate::UNREADABLE
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn colour_on_a_terminal_unless_refused() {
        for (wanted, terminal, no_color, expected) in [
            (Colour::Auto, true, None, true),
            (Colour::Auto, true, Some(""), true),
            (Colour::Auto, true, Some("1"), false),
            (Colour::Auto, false, None, false),
            (Colour::Always, false, Some("1"), true),
            (Colour::Never, true, None, false),
        ] {
            let found = coloured(wanted, terminal, no_color.map(OsStr::new));
            assert_eq!(found, expected, "{wanted:?} {terminal} {no_color:?}");
        }
    }
}
