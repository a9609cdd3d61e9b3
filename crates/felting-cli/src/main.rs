//! The `felting` command.

mod arguments;
mod demo;
mod draw;
mod meanwhile;
mod new;
mod output;
mod walk;

use std::process::ExitCode;

use clap::{CommandFactory as _, Parser as _};
use felting::progress::Stage;
use felting::rules::Severity;
use felting::{Condition, Fabric, State};
use felting_view::sheet::{Sheet, Topic};

use arguments::{
    Arguments, CheckOptions, Command, FindingsFormat, ReportOptions, SheetOptions, TopologyFormat,
    TopologyOptions,
};
use meanwhile::Meanwhile;
use output::{Screen, fail};

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
            screen.print(&format!("{:#}\n", felting::source::json_schema()));
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
    let meanwhile = Meanwhile::new();
    let fabric = meanwhile.read(&options.input.file, &options.input.with);
    // Asking the clock for the day takes a while, as it needs the rules of time zones.
    let today = || fabric.depends_on_day().then(|| jiff::ZonedDateTime::now().date());
    let report = fabric.check_watched(options.day.or_else(today), meanwhile.progress());
    drop(meanwhile);
    let denied: Severity = options.deny.into();
    screen.print(&match options.format {
        FindingsFormat::Text => felting_view::findings(&fabric, &report, screen.style()),
        FindingsFormat::Json => felting_view::findings_json(&fabric, &report),
        FindingsFormat::Sarif => felting_view::findings_sarif(&fabric, &report),
        FindingsFormat::Junit => felting_view::findings_junit(&fabric, &report, denied),
    });
    match (fabric.is_complete(), report.worst()) {
        (false, _) => UNREADABLE,
        (true, Some(worst)) if worst >= denied => FOUND,
        _ => CLEAN,
    }
}

fn sheet(topic: Topic, options: &SheetOptions, screen: &Screen) -> u8 {
    let SheetOptions { input, cut, of, changes, format } = options;
    let meanwhile = Meanwhile::new();
    let fabric = meanwhile.read(&input.file, &input.with);
    let condition =
        cut.iter().try_fold(Condition::default(), |condition, what| condition.cut(&fabric, what));
    let condition = match condition {
        Ok(condition) => condition,
        Err(error) => return fail(&error.to_string()),
    };
    let made = |fabric: &Fabric, state: &State| match of.as_deref().map(|name| fabric.switch(name))
    {
        Some(Ok(switch)) => Ok(Sheet::of_switch(topic, fabric, state, switch)),
        Some(Err(error)) => Err(error.to_string()),
        None if topic.is_of_one() => {
            Err("this sheet is of one switch; name it with --of, such as --of kelp-a".to_owned())
        }
        None => Ok(Sheet::of(topic, fabric, state)),
    };
    let state = State::of_watched(&fabric, &condition, meanwhile.progress());
    meanwhile.progress().begin(Stage::Writing, 0);
    let mut sheet = match made(&fabric, &state) {
        Ok(sheet) => sheet,
        Err(error) => return fail(&error),
    };
    if *changes {
        if input.with.is_empty() && cut.is_empty() {
            return fail("--changes compares with what --with or --cut change; add one of them");
        }
        let before = Fabric::from_path(&input.file);
        let state = State::of(&before, &Condition::default());
        sheet = match made(&before, &state) {
            Ok(earlier) => earlier.changes_to(&sheet),
            Err(error) => return fail(&error),
        };
    }
    drop(meanwhile);
    screen.print(&sheet.render((*format).into(), screen.style()));
    if fabric.is_complete() {
        return CLEAN;
    }
    // The sheet goes to whoever asked for it; what it lacks is said beside it.
    let report = felting::Report::default();
    screen.complain(&felting_view::findings(&fabric, &report, screen.style()));
    UNREADABLE
}

fn report(options: &ReportOptions, screen: &Screen) -> u8 {
    let meanwhile = Meanwhile::new();
    let fabric = meanwhile.read(&options.input.file, &options.input.with);
    let day = options.day.unwrap_or_else(|| jiff::ZonedDateTime::now().date());
    let state = State::of_watched(&fabric, &Condition::default(), meanwhile.progress());
    let found = fabric.check_in(&state, Some(day), meanwhile.progress());
    let failures = felting::walk::judge_watched(&fabric, &state, meanwhile.progress());
    meanwhile.progress().begin(Stage::Writing, 0);
    let page = felting_view::report(&felting_view::Reported {
        fabric: &fabric,
        state: &state,
        report: &found,
        failures: &failures,
        day: &day.to_string(),
    });
    drop(meanwhile);
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
    let meanwhile = Meanwhile::new();
    let fabric = meanwhile.read(&options.input.file, &options.input.with);
    let text = match options.format {
        TopologyFormat::Dot => felting_view::topology_dot(&fabric),
        TopologyFormat::Rfc8345 => {
            let none = Condition::default();
            let state = State::of_watched(&fabric, &none, meanwhile.progress());
            felting_view::topology_rfc8345(&fabric, &state)
        }
    };
    drop(meanwhile);
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
