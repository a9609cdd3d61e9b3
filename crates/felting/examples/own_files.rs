//! Files of one's own: an editor's unsaved buffer over what is on disk.
//!
//! `cargo run -p felting --example own_files -- fabric.toml`

#![allow(clippy::print_stdout, reason = "an example prints")]

use std::collections::HashMap;
use std::path::Path;

use felting::Loader;
use felting::source::{Disk, FileError, Files};

/// What is open, before what is saved.
struct Editor {
    saved: Disk,
    open: HashMap<String, String>,
}

impl Files for Editor {
    fn read(&self, path: &str) -> Result<Vec<u8>, FileError> {
        match self.open.get(path) {
            Some(text) => Ok(text.clone().into_bytes()),
            None => self.saved.read(path),
        }
    }

    fn list(&self, folder: &str) -> Result<Vec<String>, FileError> {
        self.saved.list(folder)
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = std::env::args().nth(1).ok_or("name a fabric file")?;
    let path = Path::new(&path);
    let (folder, name) = (path.parent().unwrap_or(Path::new("")), path.file_name());
    let name = name.and_then(|name| name.to_str()).ok_or("name a file")?;
    let saved = Disk::new(folder);
    // Somebody is typing: the second half of a new switch is missing yet.
    let text =
        String::from_utf8(saved.read(name)?)? + "\n[[switch]]\nname = \"kelp-c\"\nrole = \"lea\n";
    let editor = Editor { saved, open: HashMap::from([(name.to_owned(), text)]) };
    let fabric = Loader::files(&editor, name).load();
    println!("{} devices, as far as can be read", fabric.devices().len());
    for fault in fabric.faults() {
        println!("{}: {}", fabric.sources().location(fault.at()), fault.what.message);
    }
    Ok(())
}
