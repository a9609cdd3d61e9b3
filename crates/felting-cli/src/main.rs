//! The `felting` command.

mod arguments;
mod check;
mod demo;
mod draw;
mod input;
mod man;
mod names;
mod new;
mod output;
mod progress_bar;
mod report;
mod sheet;
mod topology;
mod walk;
mod wrong;

use std::process::ExitCode;

use clap::CommandFactory as _;
use clap_complete::CompleteEnv;

use arguments::{Arguments, Command, TextFormat, WhereOptions};
use output::{Answer, Form, Screen, fail};
use progress_bar::Bar;

/// Nothing at or above the denied level.
const CLEAN: u8 = 0;
/// Findings at or above the denied level.
const FOUND: u8 = 1;
/// The fabric could not be read whole, or the command was wrong.
const UNREADABLE: u8 = 2;

/// What a command comes to: its exit code, or why the command was wrong.
type Outcome = Result<u8, String>;

fn main() -> ExitCode {
    // A shell that asks for completions gets them, and nothing else happens.
    CompleteEnv::with_factory(Arguments::command).complete();
    let arguments = match wrong::parsed() {
        Ok(arguments) => arguments,
        Err(code) => return code,
    };
    if let Err(message) = threads() {
        return ExitCode::from(fail(&message));
    }
    let screen = Screen::new(arguments.colour);
    let outcome = match arguments.command {
        Command::Check(options) => check::run(&options, &screen),
        Command::New(options) => Ok(new::run(&options, &screen)),
        Command::Sheet(options) => sheet::run(&options, &screen),
        Command::Walk(options) => walk::run(&options, &screen),
        Command::Where(options) => whereabouts(&options, &screen),
        Command::Draw(options) => draw::run(&options, &screen),
        Command::Report(options) => report::run(&options, &screen),
        Command::Topology(options) => topology::run(&options, &screen),
        Command::Explain { word, format } => explain(word.as_deref(), format, &screen),
        Command::Demo { into } => Ok(demo::run(into.as_deref(), &screen)),
        Command::Schema { output } => {
            let to = Answer::of(&output, Form::Json, &[]);
            screen.deliver(&to, &format!("{:#}\n", felting::json_schema()))
        }
        Command::Completions { shell } => man::completions(shell, &screen),
        Command::Man { folder } => man::run(&folder, &screen),
    };
    ExitCode::from(outcome.unwrap_or_else(|message| fail(&message)))
}

/// Starts the threads that work is spread over; where the system allows no more, this one does it all.
fn threads() -> Result<(), String> {
    let all = || rayon::ThreadPoolBuilder::new();
    // Threads for all can be asked for only once, so it is tried first whether there are some to be had.
    let made = match all().build() {
        Ok(_) => all().build_global(),
        Err(_) => all().num_threads(1).use_current_thread().build_global(),
    };
    made.map_err(|error| {
        format!(
            "no thread can be started: {error}; allow this program more processes or more memory"
        )
    })
}

fn explain(word: Option<&str>, format: TextFormat, screen: &Screen) -> Outcome {
    let page = match (format, word) {
        (TextFormat::Json, word) => felting_view::explain_json(word)?,
        (TextFormat::Text, Some(word)) => felting_view::explain(word)?,
        (TextFormat::Text, None) => felting_view::catalogue(),
    };
    screen.print(&page);
    Ok(CLEAN)
}

fn whereabouts(options: &WhereOptions, screen: &Screen) -> Outcome {
    let bar = Bar::new();
    let fabric = input::read(&options.input.file, &options.input.variant.with, &bar)?;
    let page = match options.format {
        TextFormat::Text => felting_view::named(&fabric, &options.name),
        TextFormat::Json => felting_view::named_json(&fabric, &options.name),
    };
    drop(bar);
    match page {
        Ok(page) => {
            let form = match options.format {
                TextFormat::Text => Form::Text,
                TextFormat::Json => Form::Json,
            };
            let code = screen.deliver(&Answer::of(&options.output, form, &[&fabric]), &page)?;
            Ok(input::incomplete(&fabric, screen).unwrap_or(code))
        }
        Err(message) => {
            input::incomplete(&fabric, screen);
            screen.complain(&format!("{message}\n"));
            Ok(if fabric.is_complete() { FOUND } else { UNREADABLE })
        }
    }
}
