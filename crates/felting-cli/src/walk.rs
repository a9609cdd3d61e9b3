//! `felting walk`: the way of a packet.

use felting::State;
use felting::progress::Stage;
use felting::walk::{Choice, Options, Walker};
use felting::wire::OuterChecksum;
use felting_view::Walked;

use crate::arguments::{TextFormat, WalkOptions};
use crate::output::{Answer, Form, Screen};
use crate::progress_bar::Bar;
use crate::{Outcome, input};

pub(crate) fn run(options: &WalkOptions, screen: &Screen) -> Outcome {
    if options.format == TextFormat::Json && options.quiet {
        return Err("--quiet is for --format text; what JSON says is for programs".to_owned());
    }
    let bar = Bar::new();
    let fabric = input::read(&options.input.file, &options.input.variant.with, &bar)?;
    let condition = options.down.condition(&fabric)?;
    let ends =
        fabric.terminal(&options.from).and_then(|from| Ok((from, fabric.terminal(&options.to)?)));
    let (from, to) = match ends {
        Ok(ends) => ends,
        Err(error) => {
            drop(bar);
            input::incomplete(&fabric, screen);
            return Err(error.to_string());
        }
    };
    let state = State::of(&fabric, &condition, bar.progress());
    // The way of this packet, and the ways of all others.
    bar.progress().begin(Stage::Walks, 2);
    let choice = if options.all { Choice::All } else { Choice::ByHash };
    let asked = Options { choice, size: options.size };
    let walk = Walker::new(&state).walk(from, to, asked).map_err(|e| e.to_string())?;
    bar.progress().advance(1);
    // The hash of one flow is luck: whether the others arrive too is said.
    let all = Options { choice: Choice::All, ..asked };
    let other_ways_fail =
        walk.arrives() && Walker::new(&state).walk(from, to, all).is_ok_and(|walk| !walk.arrives());
    let report = match walk.arrives() {
        true => felting::Report::default(),
        false => state.given(&felting::Condition::default()).check(None, bar.progress()),
    };
    drop(bar);
    let words = options.down.words();
    let walked = Walked {
        state: &state,
        walk: &walk,
        finding: walk.explained_by(&state, &report),
        other_ways_fail,
        condition: &words,
    };
    let page = match options.format {
        TextFormat::Text => felting_view::walk(&walked, screen.style()),
        TextFormat::Json => felting_view::walk_json(&walked),
    };
    let page = match page.split_once('\n').filter(|_| options.quiet) {
        Some((verdict, _)) => format!("{verdict}\n"),
        None => page,
    };
    let form = match options.format {
        TextFormat::Text => Form::Text,
        TextFormat::Json => Form::Json,
    };
    let capture = options.capture.as_deref();
    if capture.is_some() && capture == options.output.output.as_deref() {
        return Err("-o and --capture name one file; name two".to_owned());
    }
    screen.deliver(&Answer::of(&options.output, form, &[&fabric]), &page)?;
    if capture.is_some() {
        let checksum = match options.zero_outer_checksum {
            true => OuterChecksum::Zero,
            false => OuterChecksum::Standard,
        };
        let to = Answer { path: capture, form: Form::Capture, fabrics: &[&fabric], read: &[] };
        screen.write(&to, &felting::wire::capture(&fabric, &walk, checksum))?;
    }
    let code = if walk.arrives() { crate::CLEAN } else { crate::FOUND };
    Ok(input::incomplete(&fabric, screen).unwrap_or(code))
}
