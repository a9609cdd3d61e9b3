//! `felting man` and `felting completions`: what the system has of a command.

use std::path::Path;

use clap::CommandFactory as _;
use clap_complete::Shell;
use clap_complete::env::{Bash, Elvish, EnvCompleter, Fish, Powershell, Zsh};

use crate::Outcome;
use crate::arguments::Arguments;
use crate::output::{Screen, write_folder};

/// The variable by which a shell asks for completions.
const ASKS: &str = "COMPLETE";

/// Prints what a shell runs to complete commands, options, and names of the fabric.
pub(crate) fn completions(shell: Shell, screen: &Screen) -> Outcome {
    let by: &dyn EnvCompleter = match shell {
        Shell::Bash => &Bash,
        Shell::Elvish => &Elvish,
        Shell::Fish => &Fish,
        Shell::PowerShell => &Powershell,
        Shell::Zsh => &Zsh,
        other => return Err(format!("there are no completions for {other}")),
    };
    let mut script = Vec::new();
    by.write_registration(ASKS, "felting", "felting", "felting", &mut script)
        .map_err(|error| format!("the script could not be made: {error}"))?;
    screen.print(&String::from_utf8_lossy(&script));
    Ok(crate::CLEAN)
}

/// Writes a page for the command and one for each of its commands.
pub(crate) fn run(folder: &Path, screen: &Screen) -> Outcome {
    let mut command = Arguments::command();
    command.build();
    let mut pages = vec![page(command.clone())?];
    for inner in command.get_subcommands().filter(|inner| inner.get_name() != "help") {
        let name = format!("felting-{}", inner.get_name());
        let bin = format!("felting {}", inner.get_name());
        pages.push(page(inner.clone().name(name.clone()).bin_name(bin).display_name(name))?);
    }
    let files = pages.iter().map(|(name, text)| (name.as_str(), text.as_str()));
    let shown = folder.display();
    write_folder(folder, files).map_err(|error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => format!("{shown} exists already; name a new folder"),
        kind => format!("the pages could not be written to {shown}: {kind}"),
    })?;
    screen.print(&format!("wrote {} pages to {shown}; next: man {shown}/felting.1\n", pages.len()));
    Ok(crate::CLEAN)
}

fn page(command: clap::Command) -> Result<(String, String), String> {
    let name = format!("{}.1", command.get_name());
    let mut text = Vec::new();
    clap_mangen::Man::new(command)
        .render(&mut text)
        .map_err(|error| format!("a page could not be made: {error}"))?;
    Ok((name, String::from_utf8_lossy(&text).into_owned()))
}
