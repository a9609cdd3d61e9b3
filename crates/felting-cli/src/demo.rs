//! The demo: both fabrics are part of the binary.

use std::path::Path;

use felting::source::Memory;
use felting::{Condition, Fabric, Progress, State};
use felting_view::Checked;
use felting_view::sheet::{Format, Sheet, Topic};

use crate::output::{Screen, fail, write_folder};

/// The path of a demo file and its text.
macro_rules! files {
    ($($path:literal),+ $(,)?) => {
        &[$(($path, include_str!(concat!("../demo/", $path))),)+]
    };
}

const FILES: &[(&str, &str)] = files![
    "saltmarsh/fabric.toml",
    "saltmarsh/underlay.toml",
    "saltmarsh/overlay.toml",
    "saltmarsh/tenants.toml",
    "saltmarsh/skerry.toml",
    "saltmarsh/guests.toml",
    "saltmarsh/cables.csv",
    "saltmarsh/hosts/hulls.toml",
    "saltmarsh/hosts/others.toml",
    "saltmarsh/hosts/skiffs.toml",
    "saltmarsh/workshop.toml",
    "saltmarsh-stormy/fabric.toml",
    "saltmarsh-stormy/underlay.toml",
    "saltmarsh-stormy/overlay.toml",
    "saltmarsh-stormy/tenants.toml",
    "saltmarsh-stormy/skerry.toml",
    "saltmarsh-stormy/guests.toml",
    "saltmarsh-stormy/cables.csv",
    "saltmarsh-stormy/hosts/hulls.toml",
    "saltmarsh-stormy/hosts/others.toml",
    "saltmarsh-stormy/hosts/skiffs.toml",
    "saltmarsh-stormy/workshop.toml",
];

/// Acceptances are judged as of this day, so that the demo is the same for ever.
const DAY: jiff::civil::Date = jiff::civil::date(2026, 11, 24);

pub(crate) fn run(into: Option<&Path>, screen: &Screen) -> u8 {
    if let Some(folder) = into {
        write(folder, screen)
    } else {
        show(screen);
        crate::CLEAN
    }
}

fn read(name: &str) -> Fabric {
    let mut files = Memory::default();
    for (path, text) in FILES {
        if let Some(inside) = path.strip_prefix(name).and_then(|rest| rest.strip_prefix('/')) {
            files.insert(inside, *text);
        }
    }
    Fabric::from_files(&files, "fabric.toml")
}

fn show(screen: &Screen) {
    let quiet = Progress::default();
    let state = |fabric: &Fabric| State::of(fabric, &Condition::default(), &quiet);
    let findings = |fabric: &Fabric| {
        let report = state(fabric).check(Some(DAY), &quiet);
        felting_view::findings(&Checked::new(fabric, &report), screen.style(), &quiet)
    };
    let clean = read("saltmarsh");
    screen.print("The fabric as it should be: demo/saltmarsh/fabric.toml\n\n");
    let whole = state(&clean);
    // What the members of each LAG say would fill a screen of its own; the sheet of LAGs sums it up.
    for (topic, ..) in
        Topic::ALL.iter().filter(|(topic, ..)| !topic.is_of_switches() && *topic != Topic::Members)
    {
        let sheet = Sheet::of(*topic, &whole, None, &quiet);
        let text = sheet.render(Format::Table, screen.style(), &quiet);
        screen.print(&format!("{text}\n"));
    }
    screen.print(&findings(&clean));
    screen.print("\n\nThe same after a storm: demo/saltmarsh-stormy/fabric.toml\n\n");
    screen.print(&findings(&read("saltmarsh-stormy")));
    screen.print(
        "\nNext:\n  \
         felting demo --into FOLDER                          write both fabrics, to change and check\n  \
         felting check FOLDER/saltmarsh-stormy/fabric.toml   the findings above, from files\n  \
         felting sheet lags FOLDER/saltmarsh/fabric.toml     one sheet; --format csv for others\n  \
         felting sheet pairs FOLDER/saltmarsh/fabric.toml --cut \"peer link of kelp\"\n  \
         felting explain                                     all rules\n",
    );
}

/// Writes the files beside, then moves the folder into place: never half a demo.
fn write(folder: &Path, screen: &Screen) -> u8 {
    match write_folder(folder, FILES.iter().copied()) {
        Ok(()) => {
            let stormy = folder.join("saltmarsh-stormy/fabric.toml");
            screen.print(&format!(
                "wrote {}; next: felting check {}\n",
                folder.display(),
                stormy.display()
            ));
            crate::CLEAN
        }
        Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {
            fail(&format!("{} exists already; name a new folder", folder.display()))
        }
        Err(error) => {
            fail(&format!("the demo could not be written to {}: {error}", folder.display()))
        }
    }
}
