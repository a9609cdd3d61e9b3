//! `felting sheet`: tables.

use std::fmt::Write as _;

use felting::fabric::{DeviceKind, Selection};
use felting::{Condition, Fabric, State};
use felting_view::sheet::{Format, Sheet, Topic};

use crate::arguments::{FormatWord, SheetOptions};
use crate::output::{Answer, Form, Screen};
use crate::progress_bar::Bar;
use crate::{Outcome, input};

pub(crate) fn run(options: &SheetOptions, screen: &Screen) -> Outcome {
    let Some(topic) = options.topic else {
        screen.print(&topics());
        return Ok(crate::CLEAN);
    };
    let screen = screen.with(&options.layout);
    let topic = Topic::from(topic);
    refuse(options, topic)?;
    let bar = Bar::new();
    let progress = bar.progress();
    let made = |fabric: &Fabric, condition: &Condition| {
        let only = options.of.selection(fabric)?;
        if let Some(only) = only.as_ref().filter(|_| topic.is_of_switches()) {
            switches(fabric, only)?;
        }
        let state = State::of(fabric, condition, progress);
        Ok::<_, String>(Sheet::of(topic, &state, only.as_ref(), progress))
    };
    let input = &options.input;
    let fabric = input::read(&input.file, &input.variant.with, &bar)?;
    let condition = options.down.condition(&fabric)?;
    let mut sheet = made(&fabric, &condition)?;
    if options.changes {
        let before = input::read(&input.file, &[], &bar)?;
        sheet = made(&before, &Condition::default())?.changes_to(&sheet);
    }
    let format = match options.raw {
        true => Format::CsvRaw,
        false => options.format.into(),
    };
    let page = match options.layout.quiet {
        true => format!("{}\n", sheet.title),
        false => sheet.render(format, screen.style(), progress),
    };
    drop(bar);
    let form = match options.format {
        FormatWord::Table => Form::Text,
        FormatWord::Csv => Form::Csv,
        FormatWord::Json => Form::Json,
        FormatWord::Markdown => Form::Markdown,
    };
    screen.deliver(&Answer::of(&options.output, form, &[&fabric]), &page)?;
    // The sheet goes to whoever asked for it; what it lacks is said beside it.
    Ok(input::incomplete(&fabric, &screen).unwrap_or(crate::CLEAN))
}

/// The topics with what each shows.
fn topics() -> String {
    let width = Topic::ALL.iter().map(|(_, word, _)| word.len()).max().unwrap_or(0);
    let mut page = String::from("Sheets:\n");
    for (_, word, about) in Topic::ALL {
        // Writing to a String cannot fail.
        let _ = writeln!(page, "  {word:width$}  {about}");
    }
    page + "\n`felting sheet TOPIC` prints one, such as `felting sheet lags`.\n"
}

/// What would have no effect.
fn refuse(options: &SheetOptions, topic: Topic) -> Result<(), String> {
    let word = topic.word();
    if options.changes && options.input.variant.with.is_empty() && options.down.is_nothing() {
        return Err(
            "--changes compares with what --with, --cut or --move change; add one of them".into()
        );
    }
    if topic.is_of_switches() && options.of.of.is_empty() {
        return Err(format!(
            "the sheet {word} is of a switch; name it with --of, such as --of kelp-a"
        ));
    }
    if !options.down.cut.is_empty() && !topic.follows_losses() {
        return Err(format!(
            "--cut changes nothing in the sheet {word}, which shows what is written; leave it out"
        ));
    }
    if !options.down.moves.is_empty() && !topic.follows_moves() {
        return Err(format!(
            "--move changes nothing in the sheet {word}: the routes to an endpoint are in evpn-routes"
        ));
    }
    if options.layout.width.is_some() && options.format != FormatWord::Table {
        return Err("--width is for --format table; the others have no lines to fit".to_owned());
    }
    if options.raw && options.format != FormatWord::Csv {
        return Err(
            "--raw is for --format csv: nothing calculates the cells of the others".to_owned()
        );
    }
    if options.layout.quiet && Format::from(options.format) != Format::Table {
        return Err("--quiet is for --format table; what the others say is for programs".to_owned());
    }
    Ok(())
}

/// Whether there is a switch among what is asked for.
fn switches(fabric: &Fabric, only: &Selection) -> Result<(), String> {
    let is_switch = |device| fabric.device(device).kind == DeviceKind::Switch;
    if only.devices().any(is_switch) {
        return Ok(());
    }
    Err("there is no switch among what --of names, and this sheet is of switches; name one, such as \
         --of kelp-a"
        .to_owned())
}
