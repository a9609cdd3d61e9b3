//! `felting walk`: the way of a packet.

use felting::State;
use felting::progress::Stage;
use felting::walk::{Choice, Options, Walker};
use felting::wire::OuterChecksum;
use felting_view::Walked;

use crate::arguments::{TextFormat, WalkOptions};
use crate::output::Screen;
use crate::progress_bar::Bar;
use crate::{Outcome, input};

pub(crate) fn run(options: &WalkOptions, screen: &Screen) -> Outcome {
    let screen = screen.with(&options.layout);
    if options.format == TextFormat::Json
        && (options.layout.quiet || options.layout.width.is_some())
    {
        return Err("--quiet and --width are for --format text".to_owned());
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
            input::incomplete(&fabric, &screen);
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
        finding: walk.explained_by(&fabric, &report),
        other_ways_fail,
        condition: &words,
    };
    let page = match options.format {
        TextFormat::Text => felting_view::walk(&walked, screen.style()),
        TextFormat::Json => felting_view::walk_json(&walked),
    };
    let page = match page.split_once('\n').filter(|_| options.layout.quiet) {
        Some((verdict, _)) => format!("{verdict}\n"),
        None => page,
    };
    screen.deliver(options.output.output.as_deref(), &page)?;
    if let Some(path) = &options.capture {
        let checksum = match options.zero_outer_checksum {
            true => OuterChecksum::Zero,
            false => OuterChecksum::Standard,
        };
        screen.write(path, &felting::wire::capture(&fabric, &walk, checksum))?;
    }
    let code = if walk.arrives() { crate::CLEAN } else { crate::FOUND };
    Ok(input::incomplete(&fabric, &screen).unwrap_or(code))
}
