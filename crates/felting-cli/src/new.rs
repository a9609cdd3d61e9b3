//! The `new` command: a first fabric file.

use std::io::Write as _;
use std::path::Path;

use felting::first::FirstFabric;

use crate::arguments::NewOptions;
use crate::output::{Screen, fail};

pub(crate) fn run(options: &NewOptions, screen: &Screen) -> u8 {
    let stem = options.file.file_stem().and_then(|stem| stem.to_str()).unwrap_or("first");
    let plan = FirstFabric {
        name: options.name.clone().unwrap_or_else(|| stem.to_owned()),
        spines: options.spines,
        pairs: if options.leaves > 0 { 0 } else { options.pairs },
        leaves: options.leaves,
        hosts: options.hosts,
        tenants: options.tenants,
        segments: options.segments,
        super_spines: options.super_spines,
        pods: options.pods,
    };
    let text = match plan.to_toml() {
        Ok(text) => text,
        Err(error) => return fail(&error.to_string()),
    };
    let shown = options.file.display();
    match write(&options.file, &text) {
        Ok(()) => {
            screen.print(&format!("wrote {shown}; next: felting check {shown}\n"));
            crate::CLEAN
        }
        Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {
            fail(&format!("{shown} exists already; name a new file"))
        }
        // The error itself names the file beside, which is nobody's concern.
        Err(error) => fail(&format!("{shown} could not be written: {}", error.kind())),
    }
}

/// Writes beside, then moves into place: never half a file, never over another.
fn write(file: &Path, text: &str) -> std::io::Result<()> {
    let mut beside = crate::output::beside(file)?;
    beside.write_all(text.as_bytes())?;
    beside.persist_noclobber(file).map_err(|error| error.error)?;
    Ok(())
}
