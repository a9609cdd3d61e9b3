//! The `felting` command.

mod arguments;
mod demo;
mod draw;
mod new;
mod output;
mod progress_bar;
mod walk;

use std::process::ExitCode;

use clap::{CommandFactory as _, Parser as _};
use felting::diagnostic::Severity;
use felting::{Condition, Fabric, State};
use felting_view::sheet::{Sheet, Topic};

use arguments::{
    Arguments, CheckOptions, Command, FindingsFormat, ReportOptions, SheetOptions, TopologyFormat,
    TopologyOptions,
};
use output::{Screen, fail};
use progress_bar::Bar;

/// Nothing at or above the denied level.
const CLEAN: u8 = 0;
/// Findings at or above the denied level.
const FOUND: u8 = 1;
/// The fabric could not be read whole, or the command was wrong.
const UNREADABLE: u8 = 2;

fn main() -> ExitCode {
    // Exits with 2 and a message of its own where the arguments are wrong.
    let arguments = Arguments::parse();
    let screen = Screen::new(arguments.colour);
    ExitCode::from(match arguments.command {
        Command::Check(options) => check(&options, &screen),
        Command::New(options) => new::run(&options, &screen),
        Command::Sheet { topic, options } => sheet(topic.into(), &options, &screen),
        Command::Walk(options) => walk::run(&options, &screen),
        Command::Draw(options) => draw::run(&options, &screen),
        Command::Report(options) => report(&options, &screen),
        Command::Topology(options) => topology(&options, &screen),
        Command::Explain { rule } => explain(rule.as_deref(), &screen),
        Command::Demo { into } => demo::run(into.as_deref(), &screen),
        Command::Schema => {
            screen.print(&format!("{:#}\n", felting::json_schema()));
            CLEAN
        }
        Command::Completions { shell } => {
            let mut script = Vec::new();
            clap_complete::generate(shell, &mut Arguments::command(), "felting", &mut script);
            screen.print(&String::from_utf8_lossy(&script));
            CLEAN
        }
    })
}

fn check(options: &CheckOptions, screen: &Screen) -> u8 {
    let bar = Bar::new();
    let fabric = bar.read(&options.input.file, &options.input.with);
    // Asking the clock for the day takes a while, as it needs the rules of time zones.
    let today = || fabric.depends_on_day().then(|| jiff::ZonedDateTime::now().date());
    let progress = bar.progress();
    let state = State::of(&fabric, &Condition::default(), progress);
    let report = state.check(options.day.or_else(today), progress);
    let denied: Severity = options.deny.into();
    let page = match options.format {
        FindingsFormat::Text => felting_view::findings(&fabric, &report, screen.style(), progress),
        FindingsFormat::Json => felting_view::findings_json(&fabric, &report, progress),
        FindingsFormat::Sarif => felting_view::findings_sarif(&fabric, &report, progress),
        FindingsFormat::Junit => felting_view::findings_junit(&fabric, &report, denied, progress),
    };
    drop(bar);
    screen.print(&page);
    match (fabric.is_complete(), report.worst()) {
        (false, _) => UNREADABLE,
        (true, Some(worst)) if worst >= denied => FOUND,
        _ => CLEAN,
    }
}

fn sheet(topic: Topic, options: &SheetOptions, screen: &Screen) -> u8 {
    tabled(topic, options, screen).unwrap_or_else(|message| fail(&message))
}

fn tabled(topic: Topic, options: &SheetOptions, screen: &Screen) -> Result<u8, String> {
    let SheetOptions { input, cut, of, changes, format } = options;
    if *changes && input.with.is_empty() && cut.is_empty() {
        return Err("--changes compares with what --with or --cut change; add one of them".into());
    }
    if topic.is_of_one() && of.is_none() {
        return Err("this sheet is of one switch; name it with --of, such as --of kelp-a".into());
    }
    let bar = Bar::new();
    let progress = bar.progress();
    let made = |fabric: &Fabric, condition: &Condition| {
        let switch = of.as_deref().map(|name| fabric.switch(name)).transpose();
        let switch = switch.map_err(|error| error.to_string())?;
        let state = State::of(fabric, condition, progress);
        Ok::<_, String>(Sheet::of(topic, &state, switch, progress))
    };
    let fabric = bar.read(&input.file, &input.with);
    let condition = walk::condition(&fabric, cut, &[])?;
    let mut sheet = made(&fabric, &condition)?;
    if *changes {
        let before = bar.read(&input.file, &[]);
        sheet = made(&before, &Condition::default())?.changes_to(&sheet);
    }
    let page = sheet.render((*format).into(), screen.style(), progress);
    drop(bar);
    screen.print(&page);
    if fabric.is_complete() {
        return Ok(CLEAN);
    }
    // The sheet goes to whoever asked for it; what it lacks is said beside it.
    walk::incomplete(&fabric, screen);
    Ok(UNREADABLE)
}

fn report(options: &ReportOptions, screen: &Screen) -> u8 {
    let bar = Bar::new();
    let fabric = bar.read(&options.input.file, &options.input.with);
    let day = options.day.unwrap_or_else(|| jiff::ZonedDateTime::now().date());
    let state = State::of(&fabric, &Condition::default(), bar.progress());
    let failures = felting::walk::judge(&state, bar.progress());
    let found = state.check_judged(&failures, Some(day), bar.progress());
    let reported = felting_view::Reported {
        state: &state,
        report: &found,
        failures: &failures,
        day: &day.to_string(),
    };
    let page = felting_view::report(&reported, bar.progress());
    drop(bar);
    let path = &options.output;
    if let Err(error) = output::write_beside(path, page.as_bytes()) {
        return fail(&format!(
            "the report could not be written to {}: {error}; name a file in a folder that exists and \
             can be written to",
            path.display()
        ));
    }
    screen.complain(&format!("wrote {}\n", path.display()));
    if fabric.is_complete() {
        return CLEAN;
    }
    walk::incomplete(&fabric, screen);
    UNREADABLE
}

fn topology(options: &TopologyOptions, screen: &Screen) -> u8 {
    let bar = Bar::new();
    let fabric = bar.read(&options.input.file, &options.input.with);
    let text = match options.format {
        TopologyFormat::Dot => felting_view::topology_dot(&fabric, bar.progress()),
        TopologyFormat::Rfc8345 => {
            let none = Condition::default();
            let state = State::of(&fabric, &none, bar.progress());
            felting_view::topology_rfc8345(&state, bar.progress())
        }
    };
    drop(bar);
    screen.print(&text);
    if fabric.is_complete() {
        return CLEAN;
    }
    walk::incomplete(&fabric, screen);
    UNREADABLE
}

fn explain(rule: Option<&str>, screen: &Screen) -> u8 {
    match rule.map(felting_view::explain) {
        None => screen.print(&felting_view::catalogue()),
        Some(Ok(page)) => screen.print(&page),
        Some(Err(message)) => return fail(&message),
    }
    CLEAN
}
