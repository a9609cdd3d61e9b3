//! Fabric files opened: read, and compiled with the ids of the rules that they may name.

use std::fmt;
use std::path::{Path, PathBuf};

#[cfg(feature = "schema")]
use serde_json::Value as Json;

use crate::diagnostic::Sources;
use crate::fabric::{self, Fabric};
use crate::progress::{Progress, Stage};
use crate::rules;
use crate::source::{self, Disk, Document, Faults, Files, MOST_BYTES, Memory};

/// The JSON Schema (draft 2020-12) of a fabric file, for editors.
///
/// It is generated from the list of keys that the reader itself uses. What it cannot say (names that must exist, the
/// form of a range) the reader checks.
#[cfg(feature = "schema")]
pub fn json_schema() -> Json {
    source::json_schema(rules::all().map(|rule| rule.id))
}

/// What files say, read and not yet compiled: half of [`Loader::load`], for who wants to know what
/// each half costs.
#[derive(Debug, Default)]
pub struct Statements {
    document: Document,
    sources: Sources,
    faults: Faults,
}

impl Statements {
    /// Reads a root file and variants, each with all that it includes.
    pub fn read(layers: &[(&dyn Files, &str)], progress: &Progress) -> Self {
        Self::within(layers, Limits::default(), progress)
    }

    fn within(layers: &[(&dyn Files, &str)], limits: Limits, progress: &Progress) -> Self {
        progress.begin(Stage::Reading, 0);
        let mut read = Self::default();
        let Self { document, sources, faults } = &mut read;
        for (place, (files, root)) in layers.iter().enumerate() {
            let bytes = limits.file_bytes.min(MOST_BYTES);
            let layer = source::Layer { place, bytes, files: limits.files };
            source::load(*files, root, layer, document, sources, faults, progress);
        }
        read
    }

    /// Compiles them.
    pub fn compile(self, progress: &Progress) -> Fabric {
        let rules: Vec<&str> = rules::all().map(|rule| rule.id).collect();
        let arenas = fabric::compile(&self.document, self.sources, self.faults, &rules, progress);
        Fabric::of(arenas)
    }
}

/// How much a fabric may be, for files that somebody else wrote.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Limits {
    /// How many bytes a file may have; [`MOST_BYTES`] by default, which is also the most.
    pub file_bytes: u64,
    /// How many files are read, of all layers.
    pub files: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Self { file_bytes: MOST_BYTES, files: usize::MAX }
    }
}

impl Limits {
    /// Files of so many bytes at most.
    pub fn file_bytes(mut self, bytes: u64) -> Self {
        self.file_bytes = bytes;
        self
    }

    /// So many files at most.
    pub fn files(mut self, files: usize) -> Self {
        self.files = files;
        self
    }
}

/// Where a layer of a fabric comes from.
enum Layer<'a> {
    Path(PathBuf),
    Files(&'a dyn Files, String),
}

/// Loads a fabric: a root file, variants over it, from disk or any other source of files, within limits, watched.
///
/// ```
/// use felting::source::Memory;
/// use felting::{Limits, Loader};
/// let files = Memory::from([
///     ("fabric.toml", "[[switch]]\nname = \"kelp-a\"\nrole = \"leaf\"\n"),
///     ("better.toml", "[[switch]]\nname = \"kelp-a\"\nrole = \"border\"\n"),
/// ]);
/// let fabric = Loader::files(&files, "fabric.toml")
///     .variant_from(&files, "better.toml")
///     .limits(Limits::default().file_bytes(1 << 20))
///     .load();
/// assert_eq!(fabric.devices().next().unwrap().1.role.unwrap().value, felting::value::Role::Border);
/// ```
#[must_use]
pub struct Loader<'a> {
    layers: Vec<Layer<'a>>,
    limits: Limits,
    progress: Option<&'a Progress>,
}

impl fmt::Debug for Loader<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Loader of {} layers within {:?}", self.layers.len(), self.limits)
    }
}

impl<'a> Loader<'a> {
    /// Of a file on disk, or a folder that has a `fabric.toml`, with all that it includes.
    pub fn path(path: impl Into<PathBuf>) -> Self {
        Self::of(Layer::Path(path.into()))
    }

    /// Of a file of any source of files.
    pub fn files(files: &'a dyn Files, root: impl Into<String>) -> Self {
        Self::of(Layer::Files(files, root.into()))
    }

    fn of(root: Layer<'a>) -> Self {
        Self { layers: vec![root], limits: Limits::default(), progress: None }
    }

    /// With a variant on disk on top of what there is: what would be configured otherwise.
    pub fn variant(mut self, path: impl Into<PathBuf>) -> Self {
        self.layers.push(Layer::Path(path.into()));
        self
    }

    /// With a variant of any source of files on top of what there is.
    pub fn variant_from(mut self, files: &'a dyn Files, root: impl Into<String>) -> Self {
        self.layers.push(Layer::Files(files, root.into()));
        self
    }

    /// Within limits: what is beyond them is an input fault.
    pub fn limits(mut self, limits: Limits) -> Self {
        self.limits = limits;
        self
    }

    /// Watched, and cancelled where that is asked.
    pub fn progress(mut self, progress: &'a Progress) -> Self {
        self.progress = Some(progress);
        self
    }

    /// Reads and compiles. Never fails: what could not be read is among the
    /// [`faults`](fabric::Arenas::faults), and the fabric holds what could.
    pub fn load(self) -> Fabric {
        let quiet = Progress::default();
        let progress = self.progress.unwrap_or(&quiet);
        let opened: Vec<(Option<Disk>, String)> = self.layers.iter().map(Layer::open).collect();
        let layers = self.layers.iter().zip(&opened).map(|(layer, (disk, name))| match layer {
            Layer::Files(files, root) => (*files, root.as_str()),
            Layer::Path(_) => {
                (disk.as_ref().expect("a path is opened on disk") as &dyn Files, name.as_str())
            }
        });
        let layers: Vec<(&dyn Files, &str)> = layers.collect();
        Statements::within(&layers, self.limits, progress).compile(progress)
    }
}

impl Layer<'_> {
    /// The folder of a path, and the name of the file in it.
    fn open(&self) -> (Option<Disk>, String) {
        let Self::Path(path) = self else { return (None, String::new()) };
        let inside = path.join(ROOT);
        let path = if inside.is_file() { &inside } else { path };
        // What a link leads to is read as what it is: its includes are beside it.
        let path = &source::followed(path);
        let folder = path.parent().unwrap_or(Path::new(""));
        let name = path.file_name().and_then(|name| name.to_str()).map(str::to_owned);
        // A path without a last part is a folder, and a name that is not UTF-8 cannot be shown.
        (Some(Disk::new(folder)), name.unwrap_or_else(|| path.display().to_string()))
    }
}

/// The root file of a folder that is named instead of a file.
const ROOT: &str = "fabric.toml";

/// A fabric that could not be read whole.
#[derive(Clone, Debug)]
pub struct Incomplete {
    fabric: Fabric,
}

impl Incomplete {
    /// What could be read of it, with the faults.
    pub fn fabric(&self) -> &Fabric {
        &self.fabric
    }
}

impl fmt::Display for Incomplete {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let faults = self.fabric.faults();
        let first = faults.first().map(|fault| {
            format!("{}: {}", self.fabric.sources().location(fault.at()), fault.what.message)
        });
        let many = if faults.len() == 1 { "" } else { "s" };
        write!(f, "{} input fault{many}, the first at {}", faults.len(), first.unwrap_or_default())
    }
}

impl std::error::Error for Incomplete {}

impl Fabric {
    /// Reads and compiles a fabric file, or that of a folder, with all that it includes: [`Loader`] in short.
    ///
    /// Never fails: what could not be read is among the [`faults`](fabric::Arenas::faults), and the fabric
    /// holds what could. [`complete`](Self::complete) makes an error of it.
    ///
    /// ```no_run
    /// let fabric = felting::Fabric::from_path("saltmarsh").complete()?;
    /// # Ok::<(), felting::Incomplete>(())
    /// ```
    pub fn from_path(path: impl AsRef<Path>) -> Self {
        Loader::path(path.as_ref()).load()
    }

    /// Compiles the text of one file, which is shown as `name` in findings.
    ///
    /// ```
    /// use felting::Fabric;
    /// let fabric = Fabric::from_text("shore.toml", "[[switch]]\nname = \"kelp-a\"\nnumbr = 1\n");
    /// assert_eq!(fabric.faults()[0].what.message, "`switch` has no key `numbr`");
    /// ```
    pub fn from_text(name: &str, text: &str) -> Self {
        let mut files = Memory::default();
        files.insert(name, text);
        Self::from_files(&files, name)
    }

    /// Reads and compiles from any source of files.
    pub fn from_files(files: &dyn Files, root: &str) -> Self {
        Loader::files(files, root).load()
    }

    /// The fabric, if everything that was written could be read and compiled.
    ///
    /// # Errors
    ///
    /// [`Incomplete`], which holds the fabric, if there are input faults: what is not found in it may be missing
    /// because of them.
    ///
    /// ```
    /// use felting::Fabric;
    /// let error = Fabric::from_text("f.toml", "[[switch]]\nname = \"kelp-a\"\nnumbr = 1\n").complete().unwrap_err();
    /// assert_eq!(error.to_string(), "1 input fault, the first at f.toml:3:1: `switch` has no key `numbr`");
    /// ```
    pub fn complete(self) -> Result<Self, Incomplete> {
        if self.is_complete() { Ok(self) } else { Err(Incomplete { fabric: self }) }
    }
}
