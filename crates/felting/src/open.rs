//! Fabric files opened: read, and compiled with the ids of the rules that they may name.

use std::path::Path;

use serde_json::Value as Json;

use crate::diagnostic::Sources;
use crate::fabric::{self, Fabric};
use crate::progress::{Progress, Stage};
use crate::rules;
use crate::source::{self, Disk, Document, Faults, Files, Memory};

/// The JSON Schema (draft 2020-12) of a fabric file, for editors.
///
/// It is generated from the list of keys that the reader itself uses. What it cannot say (names that must exist, the
/// form of a range) the reader checks.
pub fn json_schema() -> Json {
    source::json_schema(rules::all().map(|rule| rule.id))
}

/// What files say, read and not yet compiled: half of [`Fabric::from_layers`], for who wants to know what
/// each half costs.
#[derive(Debug, Default)]
pub struct Statements {
    document: Document,
    sources: Sources,
    faults: Faults,
}

impl Statements {
    /// Reads a root file and overlay documents, each with all that it includes.
    pub fn read(layers: &[(&dyn Files, &str)], progress: &Progress) -> Self {
        progress.begin(Stage::Reading, 0);
        let mut read = Self::default();
        let Self { document, sources, faults } = &mut read;
        for (layer, (files, root)) in layers.iter().enumerate() {
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

impl Fabric {
    /// Reads and compiles a fabric file with all that it includes.
    ///
    /// Never fails: what could not be read is among the [`faults`](fabric::Arenas::faults), and the fabric
    /// holds what could.
    ///
    /// ```no_run
    /// let fabric = felting::Fabric::from_path("saltmarsh/fabric.toml");
    /// for fault in fabric.faults() {
    ///     println!("{}: {}", fabric.sources().location(fault.at()), fault.what.message);
    /// }
    /// ```
    pub fn from_path(path: impl AsRef<Path>) -> Self {
        Self::read(path, &[] as &[&Path], &Progress::default())
    }

    /// Like [`from_path`](Self::from_path), with overlay documents on top, in their order.
    pub fn read(
        path: impl AsRef<Path>,
        overlays: &[impl AsRef<Path>],
        progress: &Progress,
    ) -> Self {
        let disk = |path: &Path| {
            let folder = path.parent().unwrap_or(Path::new(""));
            let name = path.file_name().and_then(|name| name.to_str()).map(str::to_owned);
            // A path without a last part is a folder, and a name that is not UTF-8 cannot be shown.
            (Disk::new(folder), name.unwrap_or_else(|| path.display().to_string()))
        };
        let roots: Vec<_> = std::iter::once(path.as_ref())
            .chain(overlays.iter().map(AsRef::as_ref))
            .map(disk)
            .collect();
        let layers: Vec<_> =
            roots.iter().map(|(disk, name)| (disk as &dyn Files, name.as_str())).collect();
        Statements::read(&layers, progress).compile(progress)
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
        Self::from_layers(&[(files, root)])
    }

    /// Reads and compiles a root file and overlay documents, each with its own source of files.
    pub fn from_layers(layers: &[(&dyn Files, &str)]) -> Self {
        let progress = Progress::default();
        Statements::read(layers, &progress).compile(&progress)
    }
}
