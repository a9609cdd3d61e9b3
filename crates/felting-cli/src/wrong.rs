//! What is wrong with a command line, in words that help.

use std::process::ExitCode;

use clap::error::{ContextKind, ContextValue, ErrorKind};
use clap::{CommandFactory as _, Parser as _};
use felting::diagnostic::nearest;

use crate::arguments::Arguments;
use crate::output::fail;

/// Options that some commands have, with why another has not.
const ELSEWHERE: &[(&str, &str)] = &[
    ("--with", "it reads no fabric that a variant could be laid over"),
    ("--cut", "it asks nothing that a loss could change"),
    ("--move", "it asks nothing that a move could change"),
    ("--of", "it is about the fabric whole; sheets and topologies have --of, findings --about"),
    ("--only", "it tells no findings"),
    ("--skip", "it tells no findings"),
    ("--about", "it tells no findings; sheets and topologies have --of"),
    ("--day", "it judges no acceptances"),
    ("--deny", "it judges nothing; its exit code is in `--help`"),
    ("--baseline", "only `felting check` compares with an earlier run"),
    ("--format", "it has one form"),
    ("--output", "what it writes is named by its arguments, or printed"),
    ("--width", "what it prints is not laid out in columns"),
    ("--quiet", "it has no sum to print alone"),
];

/// The arguments, or the exit code where they are wrong, which has been said then.
pub(crate) fn parsed() -> Result<Arguments, ExitCode> {
    let error = match Arguments::try_parse() {
        Ok(arguments) => return Ok(arguments),
        Err(error) => error,
    };
    if !error.use_stderr() {
        // Help and version are what was asked for.
        let _ = error.print();
        return Err(ExitCode::SUCCESS);
    }
    match said(&error) {
        Some(message) => Err(ExitCode::from(fail(&message))),
        None => {
            let _ = error.print();
            Err(ExitCode::from(crate::UNREADABLE))
        }
    }
}

/// One error in words; none where those of the parser are as good.
fn said(error: &clap::Error) -> Option<String> {
    let text = |kind: ContextKind| match error.get(kind)? {
        ContextValue::String(text) => Some(text.clone()),
        ContextValue::Strings(texts) => Some(texts.join(", ")),
        _ => None,
    };
    let all = |kind: ContextKind| match error.get(kind) {
        Some(ContextValue::Strings(texts)) => texts.clone(),
        _ => Vec::new(),
    };
    let words: Vec<String> = std::env::args().skip(1).collect();
    let root = Arguments::command();
    let command = words.iter().find_map(|word| root.find_subcommand(word));
    let name = command.map_or("", clap::Command::get_name);
    let bare = |argument: &str| {
        let option = argument.split([' ', '=']).next().unwrap_or(argument);
        option.trim_matches(['<', '>', '[', ']', '.']).to_owned()
    };
    Some(match error.kind() {
        ErrorKind::InvalidSubcommand => {
            let wrong = text(ContextKind::InvalidSubcommand)?;
            let commands: Vec<&str> = root.get_subcommands().map(clap::Command::get_name).collect();
            match nearest(&wrong, commands.iter().copied()) {
                Some(nearest) => {
                    format!("there is no command {wrong:?}; did you mean `felting {nearest}`?")
                }
                None => format!("there is no command {wrong:?}; there are {}", commands.join(", ")),
            }
        }
        ErrorKind::UnknownArgument => {
            let wrong = bare(&text(ContextKind::InvalidArg)?);
            let command = command?;
            let known: Vec<String> = command
                .get_arguments()
                .filter_map(|one| Some(format!("--{}", one.get_long()?)))
                .collect();
            let long = if wrong == "-o" { "--output" } else { &wrong };
            let elsewhere = ELSEWHERE.iter().find(|(option, _)| *option == long);
            match (elsewhere, nearest(&wrong, known.iter().map(String::as_str))) {
                (Some((_, why)), _) => format!("`felting {name}` has no {wrong}: {why}"),
                (None, Some(nearest)) => {
                    format!("`felting {name}` has no {wrong}; did you mean {nearest}?")
                }
                (None, None) if wrong.starts_with('-') => {
                    format!("`felting {name}` has no {wrong}; it has {}", known.join(", "))
                }
                (None, None) => format!(
                    "{wrong:?} is one argument too many for `felting {name}`; quote a name with blanks, such as \
                     --cut \"peer link of kelp\""
                ),
            }
        }
        ErrorKind::InvalidValue => {
            let (argument, wrong) =
                (bare(&text(ContextKind::InvalidArg)?), text(ContextKind::InvalidValue)?);
            let valid = all(ContextKind::ValidValue);
            let what = if argument.starts_with('-') { argument } else { argument.to_lowercase() };
            let article =
                if wrong.is_empty() { "nothing".to_owned() } else { format!("{wrong:?}") };
            match (valid.is_empty(), nearest(&wrong, valid.iter().map(String::as_str))) {
                (true, _) => {
                    format!("{what} needs a value, not {article}; see `felting {name} --help`")
                }
                (false, Some(nearest)) => {
                    format!("{article} is no {what}; did you mean {nearest}?")
                }
                (false, None) => {
                    format!("{article} is no {what}; it is one of {}", valid.join(", "))
                }
            }
        }
        ErrorKind::ValueValidation => {
            let (argument, wrong) =
                (bare(&text(ContextKind::InvalidArg)?), text(ContextKind::InvalidValue)?);
            let why = std::error::Error::source(error).map(ToString::to_string);
            // What our own parsers say names what is expected; the words of others are theirs.
            match why.filter(|why| why.contains("is expected")) {
                Some(why) => format!("{argument} {wrong}: {why}"),
                None => format!("{argument} {wrong}: a number is expected, such as {argument} 4"),
            }
        }
        ErrorKind::MissingRequiredArgument => {
            let missing: Vec<String> =
                all(ContextKind::InvalidArg).iter().map(|one| bare(one)).collect();
            format!("`felting {name}` needs {}; such as {}", listed(&missing), example(name))
        }
        _ => return None,
    })
}

/// "FROM and TO".
fn listed(words: &[String]) -> String {
    match words {
        [] => "an argument".to_owned(),
        [one] => one.clone(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

/// A command that can be pasted, changed, and run.
fn example(command: &str) -> &'static str {
    match command {
        "walk" => "`felting walk web-1 solver-2`",
        "where" => "`felting where kelp-a`",
        "draw" => "`felting draw cabling -o fabric.svg`",
        "new" => "`felting new fabric.toml`",
        "completions" => "`felting completions bash`",
        "man" => "`felting man pages`",
        _ => "`felting check fabric.toml`",
    }
}
