//! `felting walk`: the way of a packet.

use felting::progress::Stage;
use felting::walk::{Choice, Options, Walker};
use felting::wire::OuterChecksum;
use felting::{Condition, Fabric, Progress, State};
use felting_view::Walked;

use crate::arguments::{WalkFormat, WalkOptions};
use crate::output::{Screen, fail};
use crate::progress_bar::Bar;

pub(crate) fn run(options: &WalkOptions, screen: &Screen) -> u8 {
    walked(options, screen).unwrap_or_else(|message| fail(&message))
}

fn walked(options: &WalkOptions, screen: &Screen) -> Result<u8, String> {
    let bar = Bar::new();
    let fabric = bar.read(&options.file, &options.with);
    let condition = condition(&fabric, &options.cut, &options.moves)?;
    let ends =
        fabric.terminal(&options.from).and_then(|from| Ok((from, fabric.terminal(&options.to)?)));
    let (from, to) = match ends {
        Ok(ends) => ends,
        Err(error) => {
            drop(bar);
            incomplete(&fabric, screen);
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
        false => state.given(&Condition::default()).check(None, bar.progress()),
    };
    drop(bar);
    let words: Vec<String> = options
        .cut
        .iter()
        .map(|cut| format!("{cut} cut"))
        .chain(options.moves.iter().map(|moved| format!("{moved} moved")))
        .collect();
    let walked = Walked {
        state: &state,
        walk: &walk,
        finding: walk.explained_by(&fabric, &report),
        other_ways_fail,
        condition: &words,
    };
    screen.print(&match options.format {
        WalkFormat::Text => felting_view::walk(&walked, screen.style()),
        WalkFormat::Json => felting_view::walk_json(&walked),
    });
    if let Some(path) = &options.capture {
        let checksum = match options.zero_outer_checksum {
            true => OuterChecksum::Zero,
            false => OuterChecksum::Standard,
        };
        let bytes = felting::wire::capture(&fabric, &walk, checksum);
        crate::output::write_beside(path, &bytes).map_err(|error| {
            format!(
                "the capture could not be written to {}: {error}; name a file in a folder that \
                 exists and can be written to",
                path.display()
            )
        })?;
        screen.complain(&format!("wrote {}\n", path.display()));
    }
    Ok(match (fabric.is_complete(), walk.arrives()) {
        (false, _) => {
            incomplete(&fabric, screen);
            crate::UNREADABLE
        }
        (true, true) => crate::CLEAN,
        (true, false) => crate::FOUND,
    })
}

/// What is down or moved, as the options say it.
pub(crate) fn condition(
    fabric: &Fabric,
    cut: &[String],
    moves: &[String],
) -> Result<Condition, String> {
    let mut condition = Condition::default();
    for what in cut {
        condition = condition.cut(fabric, what).map_err(|error| error.to_string())?;
    }
    for what in moves {
        condition = condition.moving(fabric, what).map_err(|error| error.to_string())?;
    }
    Ok(condition)
}

/// What could not be read is said beside the answer.
pub(crate) fn incomplete(fabric: &Fabric, screen: &Screen) {
    if !fabric.is_complete() {
        let report = felting::Report::default();
        screen.complain(&felting_view::findings(
            fabric,
            &report,
            screen.style(),
            &Progress::default(),
        ));
    }
}
