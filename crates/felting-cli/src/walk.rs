//! `felting walk`: the way of a packet.

use felting::progress::Stage;
use felting::walk::{Choice, Options, Walker};
use felting::wire::OuterChecksum;
use felting::{Condition, Fabric, State};
use felting_view::Walked;

use crate::arguments::{WalkFormat, WalkOptions};
use crate::meanwhile::Meanwhile;
use crate::output::{Screen, fail};

pub(crate) fn run(options: &WalkOptions, screen: &Screen) -> u8 {
    let meanwhile = Meanwhile::new();
    let fabric = meanwhile.read(&options.file, &options.with);
    let condition = match condition(&fabric, &options.cut, &options.moves) {
        Ok(condition) => condition,
        Err(message) => return fail(&message),
    };
    let ends =
        fabric.terminal(&options.from).and_then(|from| Ok((from, fabric.terminal(&options.to)?)));
    let (from, to) = match ends {
        Ok(ends) => ends,
        Err(error) => {
            incomplete(&fabric, screen);
            return fail(&error.to_string());
        }
    };
    let state = State::of_watched(&fabric, &condition, meanwhile.progress());
    meanwhile.progress().begin(Stage::Walks, 0);
    let choice = if options.all { Choice::All } else { Choice::ByHash };
    let asked = Options { choice, size: options.size };
    let walk = match Walker::new(&fabric, &state).walk(from, to, asked) {
        Ok(walk) => walk,
        Err(error) => return fail(&error.to_string()),
    };
    let report = match walk.arrives() {
        true => felting::Report::default(),
        false => fabric.check_watched(None, meanwhile.progress()),
    };
    drop(meanwhile);
    // The hash of one flow is luck: whether the others arrive too is said.
    let all = Options { choice: Choice::All, ..asked };
    let other_ways_fail = walk.arrives()
        && Walker::new(&fabric, &state).walk(from, to, all).is_ok_and(|walk| !walk.arrives());
    let words: Vec<String> = options
        .cut
        .iter()
        .map(|cut| format!("{cut} cut"))
        .chain(options.moves.iter().map(|moved| format!("{moved} moved")))
        .collect();
    let walked = Walked {
        fabric: &fabric,
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
        if let Err(error) = crate::output::write_beside(path, &bytes) {
            return fail(&format!(
                "the capture could not be written to {}: {error}; name a file in a folder that \
                 exists and can be written to",
                path.display()
            ));
        }
        screen.complain(&format!("wrote {}\n", path.display()));
    }
    match (fabric.is_complete(), walk.arrives()) {
        (false, _) => {
            incomplete(&fabric, screen);
            crate::UNREADABLE
        }
        (true, true) => crate::CLEAN,
        (true, false) => crate::FOUND,
    }
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
        screen.complain(&felting_view::findings(fabric, &report, screen.style()));
    }
}
