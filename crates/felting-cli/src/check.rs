//! `felting check`: every contradiction in one or several fabrics.

use std::path::{Path, PathBuf};

use felting::diagnostic::Verdict;
use felting::{Fabric, Report, State};
use felting_view::{Baseline, Checked, Since};

use crate::arguments::{CheckOptions, FindingsFormat};
use crate::output::{Answer, Form, Screen};
use crate::progress_bar::Bar;
use crate::{Outcome, input};

/// One fabric, checked.
struct One {
    fabric: Fabric,
    report: Report,
    left_out: usize,
    since: Option<Since>,
}

pub(crate) fn run(options: &CheckOptions, screen: &Screen) -> Outcome {
    let screen = screen.with(&options.layout);
    let format = options.format;
    if options.layout.width.is_some() && format != FindingsFormat::Text {
        return Err("--width is for --format text; the others have lines of their own".to_owned());
    }
    if options.layout.quiet && format != FindingsFormat::Text {
        return Err("--quiet is for --format text; what the others say is for programs".to_owned());
    }
    if let Some(twice) = options.files.iter().filter(|file| *file == Path::new("-")).nth(1) {
        return Err(format!("standard input ({}) can be read once", twice.display()));
    }
    let baseline = options.baseline.as_deref().map(read_baseline).transpose()?;
    let wanted = options.which.wanted()?;
    let bar = Bar::new();
    let mut all: Vec<One> = Vec::new();
    for file in &options.files {
        let fabric = input::read(file, &options.variant.with, &bar)?;
        let condition = options.down.condition(&fabric)?;
        let day = options.which.day_of(&fabric);
        let state = State::of(&fabric, &condition, bar.progress());
        let mut report = state.check(options.which.terms(day), bar.progress());
        let since = baseline.as_ref().map(|baseline| {
            let mut since = baseline.since(&root(&fabric), &report);
            since.retain(&wanted);
            since
        });
        let left_out = wanted.retain(&mut report);
        all.push(One { fabric, report, left_out, since });
    }
    let words = options.down.words();
    let checked: Vec<Checked<'_>> = all
        .iter()
        .map(|one| Checked {
            fabric: &one.fabric,
            report: &one.report,
            down: &words,
            left_out: one.left_out,
            since: one.since.as_ref(),
            lists_accepted: options.accepted,
        })
        .collect();
    let denied = options.deny.severity();
    let progress = bar.progress();
    let pages = |page: &dyn Fn(&Checked<'_>) -> String, between: &str| {
        checked.iter().map(page).collect::<Vec<_>>().join(between)
    };
    let page = match format {
        FindingsFormat::Text if options.layout.quiet => {
            pages(&|one| format!("{}\n", felting_view::sum(one)), "")
        }
        FindingsFormat::Text => {
            pages(&|one| felting_view::findings(one, screen.style(), progress), "\n")
        }
        FindingsFormat::Line => pages(&|one| felting_view::findings_lines(one), ""),
        FindingsFormat::Json => felting_view::findings_json(&checked, progress),
        FindingsFormat::Sarif => felting_view::findings_sarif(&checked, progress),
        FindingsFormat::Junit => felting_view::findings_junit(&checked, denied, progress),
    };
    drop(bar);
    let form = match format {
        FindingsFormat::Text | FindingsFormat::Line => Form::Text,
        FindingsFormat::Json => Form::Json,
        FindingsFormat::Sarif => Form::Sarif,
        FindingsFormat::Junit => Form::Junit,
    };
    let fabrics: Vec<&Fabric> = all.iter().map(|one| &one.fabric).collect();
    let read: Vec<PathBuf> = options.baseline.iter().cloned().collect();
    let to = Answer { read: &read, ..Answer::of(&options.output, form, &fabrics) };
    screen.deliver(&to, &page)?;
    let code = |one: &One| {
        let new = one.since.as_ref().map(|since| since.new_of(&one.report));
        match new.as_ref().unwrap_or(&one.report).verdict(denied) {
            Verdict::Clean => crate::CLEAN,
            Verdict::Found => crate::FOUND,
            Verdict::Incomplete => crate::UNREADABLE,
        }
    };
    Ok(all.iter().map(code).max().unwrap_or(crate::CLEAN))
}

/// The root file of a fabric, as findings name it.
fn root(fabric: &Fabric) -> String {
    fabric.sources().iter().next().map_or_else(String::new, |(_, source)| source.name.clone())
}

fn read_baseline(path: &Path) -> Result<Baseline, String> {
    let shown = path.display();
    let text = std::fs::read_to_string(path)
        .map_err(|error| format!("the baseline {shown} cannot be read: {error}"))?;
    Baseline::read(&text).map_err(|error| format!("{shown} is no baseline: {error}"))
}
