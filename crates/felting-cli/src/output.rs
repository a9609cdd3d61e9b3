//! Standard output and error: the only place that prints.

use std::ffi::OsStr;
use std::io::{ErrorKind, IsTerminal as _, Write as _};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, Once, PoisonError};

use felting::Fabric;
use felting::diagnostic::plain;
use felting_view::Style;

use crate::Outcome;
use crate::arguments::{Colour, Layout, Output};

/// Standard output as it will be read.
pub(crate) struct Screen {
    style: Style,
    terminal: bool,
}

impl Screen {
    pub(crate) fn new(colour: Colour) -> Self {
        let terminal = std::io::stdout().is_terminal();
        let able = terminal && !is_dumb();
        let colour = coloured(colour, able, std::env::var_os("NO_COLOR").as_deref());
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
    /// Why it could not, or must not, be written.
    pub(crate) fn deliver(&self, to: &Answer<'_>, text: &str) -> Outcome {
        let Some(path) = to.path.filter(|path| *path != Path::new("-")) else {
            self.print(text);
            return Ok(crate::CLEAN);
        };
        self.write(&Answer { path: Some(path), ..*to }, text.as_bytes())
    }

    /// Writes a file, whole or not at all.
    ///
    /// # Errors
    ///
    /// Why it could not, or must not, be written.
    pub(crate) fn write(&self, to: &Answer<'_>, bytes: &[u8]) -> Outcome {
        let Some(path) = to.path else { return Ok(crate::CLEAN) };
        to.may_be_written(path)?;
        let shown = plain(&path.display().to_string()).into_owned();
        write_over(path, bytes).map_err(|error| {
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
pub(crate) fn print_bytes(bytes: &[u8]) -> Outcome {
    let mut out = std::io::stdout().lock();
    match out.write_all(bytes).and_then(|()| out.flush()) {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            Err(format!("the answer could not be written: {error}"))
        }
        _ => Ok(crate::CLEAN),
    }
}

/// Whether the terminal takes nothing but text (`TERM=dumb`).
pub(crate) fn is_dumb() -> bool {
    std::env::var_os("TERM").is_some_and(|term| term == "dumb")
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

/// What an answer is, by which a file for it may be named.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Form {
    Text,
    Json,
    Sarif,
    Junit,
    Csv,
    Markdown,
    Html,
    Svg,
    Png,
    Dot,
    Capture,
}

impl Form {
    /// The extensions that files of it have, the first for who asks.
    const fn extensions(self) -> &'static [&'static str] {
        match self {
            Self::Text => &["txt", "text", "log"],
            Self::Json => &["json"],
            Self::Sarif => &["sarif", "json"],
            Self::Junit => &["xml"],
            Self::Csv => &["csv"],
            Self::Markdown => &["md", "markdown"],
            Self::Html => &["html", "htm"],
            Self::Svg => &["svg"],
            Self::Png => &["png"],
            Self::Dot => &["dot", "gv"],
            Self::Capture => &["pcapng"],
        }
    }

    /// What it is, in a word.
    const fn word(self) -> &'static str {
        match self {
            Self::Text => "a text",
            Self::Json => "JSON",
            Self::Sarif => "SARIF",
            Self::Junit => "JUnit XML",
            Self::Csv => "CSV",
            Self::Markdown => "Markdown",
            Self::Html => "HTML",
            Self::Svg => "SVG",
            Self::Png => "PNG",
            Self::Dot => "DOT",
            Self::Capture => "a capture",
        }
    }

    const ALL: &'static [Self] = &[
        Self::Text,
        Self::Json,
        Self::Sarif,
        Self::Junit,
        Self::Csv,
        Self::Markdown,
        Self::Html,
        Self::Svg,
        Self::Png,
        Self::Dot,
        Self::Capture,
    ];
}

/// Where an answer goes, and what it was made from.
#[derive(Clone, Copy)]
pub(crate) struct Answer<'a> {
    /// The file that is asked for, if one is.
    pub(crate) path: Option<&'a Path>,
    pub(crate) form: Form,
    /// The fabrics that it is about, whose files must not be written over.
    pub(crate) fabrics: &'a [&'a Fabric],
    /// Other files that were read.
    pub(crate) read: &'a [PathBuf],
}

impl<'a> Answer<'a> {
    /// An answer that is about one fabric.
    pub(crate) fn of(output: &'a Output, form: Form, fabrics: &'a [&'a Fabric]) -> Self {
        Self { path: output.output.as_deref(), form, fabrics, read: &[] }
    }

    /// Whether nothing is destroyed that should not be: no file that was read for the answer, and none that is named
    /// as something else.
    fn may_be_written(&self, path: &Path) -> Result<(), String> {
        let shown = plain(&path.display().to_string()).into_owned();
        let extension = path.extension().and_then(|extension| extension.to_str()).unwrap_or("");
        let is = |known: &str| known.eq_ignore_ascii_case(extension);
        let fits = self.form.extensions().iter().any(|known| is(known));
        let known = Form::ALL.iter().flat_map(|form| form.extensions()).any(|known| is(known));
        if !fits && (known || extension.eq_ignore_ascii_case("toml")) {
            let right = path.with_extension(self.form.extensions()[0]);
            return Err(format!(
                "{shown} is named as something else than {}, and would be replaced by it; name it {}",
                self.form.word(),
                right.display()
            ));
        }
        let Ok(place) = std::fs::canonicalize(path) else { return Ok(()) };
        let sources = self.fabrics.iter().flat_map(|fabric| fabric.sources().iter());
        let read = sources.filter_map(|(_, source)| source.path().map(Path::to_owned));
        let mut read = read.chain(self.read.iter().cloned());
        match read.any(|read| std::fs::canonicalize(read).is_ok_and(|read| read == place)) {
            true => Err(format!("{shown} was read for this answer; name another file for it")),
            false => Ok(()),
        }
    }
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

/// Writes a file whole or not at all: beside its place first, then into it. A link is followed and the mode of what is
/// there kept; what is no regular file, such as a device or a pipe, is written straight through.
fn write_over(path: &Path, bytes: &[u8]) -> std::io::Result<()> {
    let _whole = uninterrupted();
    let place = felting::source::followed(path);
    let there = std::fs::metadata(&place).ok();
    if there.as_ref().is_some_and(|there| !there.is_file() && !there.is_dir()) {
        return std::fs::OpenOptions::new().write(true).open(&place)?.write_all(bytes);
    }
    let mut beside = beside(&place)?;
    beside.write_all(bytes)?;
    if let Some(there) = there {
        beside.as_file().set_permissions(there.permissions())?;
    }
    beside.persist(&place).map_err(|error| error.error)?;
    Ok(())
}

/// Writes a new file whole or not at all, and never over another.
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

/// Says something beside the answer.
pub(crate) fn note(message: &str) {
    let _ = writeln!(std::io::stderr(), "{}", plain(message));
}

/// Says why the command was wrong, and returns its exit code.
pub(crate) fn fail(message: &str) -> u8 {
    // A name from the command line or a file may hold anything.
    let lines: Vec<_> = message.lines().map(plain).collect();
    let _ = writeln!(std::io::stderr(), "error: {}", lines.join("\n"));
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
