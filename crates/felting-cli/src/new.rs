//! The `new` command: a first fabric file, or a folder with a large fabric.

use std::io::{Error, ErrorKind};
use std::path::Path;

use felting::generator::LargeFabric;
use felting::progress::Stage;
use felting::scaffold::Scaffold;

use crate::arguments::NewOptions;
use crate::output::{Screen, fail, write_folder, write_new};
use crate::progress_bar::Bar;

/// Where the faults that were put in are listed.
const KEY_FILE: &str = "faults.csv";

pub(crate) fn run(options: &NewOptions, screen: &Screen) -> u8 {
    let stem = options.file.file_stem().and_then(|stem| stem.to_str()).unwrap_or("first");
    let name = options.name.clone().unwrap_or_else(|| stem.to_owned());
    let ends_as_folder = options.file.to_string_lossy().ends_with(std::path::MAIN_SEPARATOR);
    if ends_as_folder || options.file.extension().is_none() {
        return large(options, name, screen);
    }
    let of_large = [
        (options.spread.is_some(), "--spread"),
        (options.guests > 0, "--guests"),
        (options.faults > 0, "--faults"),
    ];
    if let Some((_, option)) = of_large.into_iter().find(|(given, _)| *given) {
        return fail(&format!(
            "{option} is for a large fabric, which is a folder; name one, such as {stem}/"
        ));
    }
    let plan = Scaffold {
        name,
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
    match write_new(&options.file, text.as_bytes()) {
        Ok(()) => {
            screen.print(&format!("wrote {shown}; next: felting check {shown}\n"));
            crate::CLEAN
        }
        Err(error) => not_written(&options.file, &error, "file"),
    }
}

/// A fabric with a file a pod, and with faults if they are wanted.
fn large(options: &NewOptions, name: String, screen: &Screen) -> u8 {
    let folder = &options.file;
    if options.leaves > 0 {
        return fail(&format!(
            "a large fabric has pairs of leaves; leave out --leaves, or name a file, such as {name}.toml"
        ));
    }
    let plan = LargeFabric {
        name,
        pods: options.pods,
        pairs: options.pairs,
        spines: options.spines,
        super_spines: options.super_spines,
        hosts: options.hosts,
        tenants: options.tenants,
        segments: options.segments,
        spread: options.spread.unwrap_or_else(|| options.pods.saturating_mul(options.pairs).min(4)),
        guests: options.guests,
        faults: options.faults,
        seed: options.seed,
    };
    let bar = Bar::new();
    let made = match plan.write(bar.progress()) {
        Ok(made) => made,
        Err(error) => {
            drop(bar);
            return fail(&error.to_string());
        }
    };
    let key = (options.faults > 0).then(|| made.key_file());
    let files = made.files.iter().map(|(path, text)| (path.as_str(), text.as_str()));
    let files: Vec<_> = files.chain(key.iter().map(|key| (KEY_FILE, key.as_str()))).collect();
    let files = bar.progress().each(Stage::Writing, files.into_iter());
    let written = write_folder(folder, files);
    drop(bar);
    if let Err(error) = written {
        return not_written(folder, &error, "folder");
    }
    let root = folder.join("fabric.toml");
    screen.print(&format!(
        "wrote {} files to {}; next: felting check {}\n",
        made.files.len(),
        folder.display(),
        root.display()
    ));
    if key.is_some() {
        screen.print(&format!(
            "the rule and the place of each of its {} faults are in {}\n",
            made.key.len(),
            folder.join(KEY_FILE).display()
        ));
    }
    crate::CLEAN
}

fn not_written(path: &Path, error: &Error, what: &str) -> u8 {
    let shown = path.display();
    match error.kind() {
        ErrorKind::AlreadyExists => fail(&format!("{shown} exists already; name a new {what}")),
        // The error itself names the file beside, which is nobody's concern.
        kind => fail(&format!("{shown} could not be written: {kind}")),
    }
}
