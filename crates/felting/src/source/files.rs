use std::collections::BTreeMap;
use std::fmt;
use std::io::Read as _;
use std::path::{Path, PathBuf};

/// The most bytes that one file may have: 64 MiB, about the text of 200,000 hosts with their LAGs.
pub const MOST_BYTES: u64 = 64 << 20;

/// Where the text of a fabric comes from: a disk, a test, an editor's unsaved buffer.
///
/// Paths are relative to the root file's folder, with `/` between their parts and never `..`.
pub trait Files: Sync {
    /// The bytes of a file; of one that is larger than [`MOST_BYTES`], [`FileError::TooLarge`].
    fn read(&self, path: &str) -> Result<Vec<u8>, FileError>;

    /// The paths of all files below a folder (`""` is the root file's own), in any order.
    fn list(&self, folder: &str) -> Result<Vec<String>, FileError>;

    /// The links to folders below a folder that lead out of the root file's: what is behind them is not listed.
    fn leaving(&self, _folder: &str) -> Vec<String> {
        Vec::new()
    }

    /// Where on disk a file can be read again, so that its text need not be kept in memory for the day a
    /// finding shows a line of it.
    fn on_disk(&self, _path: &str) -> Option<PathBuf> {
        None
    }

    /// The path as a person would write it.
    fn display(&self, path: &str) -> String {
        path.to_owned()
    }
}

/// Why a file could not be read.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum FileError {
    /// There is no such file.
    Missing,
    /// It is a folder.
    Folder,
    /// Its real place is outside the root file's folder (through a link).
    Outside,
    /// It has so many bytes, more than [`MOST_BYTES`].
    TooLarge(u64),
    /// The system's own words.
    Refused(String),
}

impl fmt::Display for FileError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Missing => f.write_str("there is no such file"),
            Self::Folder => f.write_str("it is a folder"),
            Self::Outside => f.write_str("it leads out of the folder"),
            Self::TooLarge(bytes) => write!(f, "it has {bytes} bytes"),
            Self::Refused(reason) => f.write_str(reason),
        }
    }
}

impl std::error::Error for FileError {}

impl From<std::io::Error> for FileError {
    fn from(error: std::io::Error) -> Self {
        match error.kind() {
            std::io::ErrorKind::NotFound | std::io::ErrorKind::NotADirectory => Self::Missing,
            std::io::ErrorKind::IsADirectory => Self::Folder,
            _ => Self::Refused(error.to_string()),
        }
    }
}

/// Where a link leads in the end, whether anything is there or not; of what is no link, itself.
pub fn followed(path: &Path) -> PathBuf {
    let mut place = path.to_owned();
    // As many links in a row as systems follow.
    for _ in 0..40 {
        let Ok(target) = std::fs::read_link(&place) else { break };
        place = place.parent().unwrap_or(Path::new("")).join(target);
    }
    place
}

/// The files of a folder on disk.
#[derive(Clone, Debug)]
pub struct Disk {
    folder: PathBuf,
}

impl Disk {
    /// The files below `folder`; the empty path is the working folder.
    pub fn new(folder: impl Into<PathBuf>) -> Self {
        Self { folder: folder.into() }
    }

    fn resolve(&self, path: &str) -> Result<PathBuf, FileError> {
        let base =
            if self.folder.as_os_str().is_empty() { ".".into() } else { self.folder.clone() };
        let full = base.join(path);
        if full.canonicalize()?.starts_with(base.canonicalize()?) {
            Ok(full)
        } else {
            Err(FileError::Outside)
        }
    }
}

impl Disk {
    /// The files below a folder, and the links to folders that lead out of the root file's.
    fn below(&self, folder: &str) -> Result<(Vec<String>, Vec<String>), FileError> {
        let (mut found, mut leaving) = (Vec::new(), Vec::new());
        // Each folder with its real place and those that it is in, by which a link in circles is known.
        let mut folders = vec![(folder.to_owned(), Vec::new())];
        while let Some((folder, mut within)) = folders.pop() {
            let place = self.resolve(&folder)?;
            let real = place.canonicalize()?;
            if within.contains(&real) {
                continue;
            }
            within.push(real);
            for entry in std::fs::read_dir(place)? {
                let entry = entry?;
                // A name that is not UTF-8 cannot be matched by a pattern written in the file.
                let Ok(name) = entry.file_name().into_string() else { continue };
                let path = if folder.is_empty() { name } else { format!("{folder}/{name}") };
                let kind = entry.file_type()?;
                let is_folder = match kind.is_symlink() {
                    true => std::fs::metadata(entry.path()).is_ok_and(|facts| facts.is_dir()),
                    false => kind.is_dir(),
                };
                match (is_folder, kind.is_symlink()) {
                    (false, _) => found.push(path),
                    (true, true) if self.resolve(&path).is_err() => leaving.push(path),
                    (true, _) => folders.push((path, within.clone())),
                }
            }
        }
        Ok((found, leaving))
    }
}

impl Files for Disk {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileError> {
        let full = self.resolve(path)?;
        // Before it is opened: a pipe that nobody writes into would be waited for.
        let facts = std::fs::metadata(&full)?;
        if facts.is_dir() {
            return Err(FileError::Folder);
        }
        if !facts.is_file() {
            return Err(FileError::Refused("it is a pipe, a device or a socket".to_owned()));
        }
        if facts.len() > MOST_BYTES {
            return Err(FileError::TooLarge(facts.len()));
        }
        let file = std::fs::File::open(&full)?;
        let mut bytes =
            Vec::with_capacity(usize::try_from(facts.len().min(MOST_BYTES)).unwrap_or(0));
        // Some files go on for ever, whatever length they tell.
        file.take(MOST_BYTES + 1).read_to_end(&mut bytes)?;
        match bytes.len() as u64 {
            read if read > MOST_BYTES => Err(FileError::TooLarge(facts.len().max(read))),
            _ => Ok(bytes),
        }
    }

    fn on_disk(&self, path: &str) -> Option<PathBuf> {
        // Only a plain file says the same twice.
        self.resolve(path).ok().filter(|full| full.is_file())
    }

    fn list(&self, folder: &str) -> Result<Vec<String>, FileError> {
        Ok(self.below(folder)?.0)
    }

    fn leaving(&self, folder: &str) -> Vec<String> {
        self.below(folder).map(|(_, leaving)| leaving).unwrap_or_default()
    }

    fn display(&self, path: &str) -> String {
        self.folder.join(path).display().to_string()
    }
}

/// Files that are only in memory.
///
/// ```
/// use felting::{Fabric, source::Memory};
/// let files = Memory::from([
///     ("fabric.toml", "fabric = { name = \"shore\", include = \"leaves.toml\" }"),
///     ("leaves.toml", "[[switch]]\nname = \"kelp-[a-b]\"\n"),
/// ]);
/// assert_eq!(Fabric::from_files(&files, "fabric.toml").devices().count(), 2);
/// ```
#[derive(Clone, Debug, Default)]
pub struct Memory(BTreeMap<String, Vec<u8>>);

impl Memory {
    /// Adds or replaces a file.
    pub fn insert(&mut self, path: impl Into<String>, bytes: impl Into<Vec<u8>>) {
        self.0.insert(path.into(), bytes.into());
    }
}

impl<const N: usize> From<[(&str, &str); N]> for Memory {
    fn from(files: [(&str, &str); N]) -> Self {
        Self(files.map(|(path, text)| (path.to_owned(), text.into())).into())
    }
}

impl Files for Memory {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileError> {
        match self.0.get(path) {
            Some(bytes) if bytes.len() as u64 > MOST_BYTES => {
                Err(FileError::TooLarge(bytes.len() as u64))
            }
            Some(bytes) => Ok(bytes.clone()),
            None if self.0.keys().any(|name| name.starts_with(&format!("{path}/"))) => {
                Err(FileError::Folder)
            }
            None => Err(FileError::Missing),
        }
    }

    fn list(&self, folder: &str) -> Result<Vec<String>, FileError> {
        let inside = |name: &&String| folder.is_empty() || name.starts_with(&format!("{folder}/"));
        Ok(self.0.keys().filter(inside).cloned().collect())
    }
}
