//! `felting topology`: the topology for other programs.

use felting::State;

use crate::arguments::{TopologyFormat, TopologyOptions};
use crate::output::{Answer, Form, Screen};
use crate::progress_bar::Bar;
use crate::{Outcome, input};

pub(crate) fn run(options: &TopologyOptions, screen: &Screen) -> Outcome {
    if !options.down.moves.is_empty() {
        return Err("--move changes nothing in a topology: hosts stay where they are cabled".into());
    }
    if !options.of.of.is_empty() && options.format == TopologyFormat::Rfc8345 {
        return Err(
            "--of is for --format dot: the networks of RFC 8345 refer to each other whole".into()
        );
    }
    let bar = Bar::new();
    let fabric = input::read(&options.input.file, &options.input.variant.with, &bar)?;
    let only = options.of.selection(&fabric)?;
    let state = State::of(&fabric, &options.down.condition(&fabric)?, bar.progress());
    let text = match options.format {
        TopologyFormat::Dot => felting_view::topology_dot(&state, only.as_ref(), bar.progress()),
        TopologyFormat::Rfc8345 => felting_view::topology_rfc8345(&state, bar.progress()),
    };
    drop(bar);
    let form = match options.format {
        TopologyFormat::Dot => Form::Dot,
        TopologyFormat::Rfc8345 => Form::Json,
    };
    screen.deliver(&Answer::of(&options.output, form, &[&fabric]), &text)?;
    Ok(input::incomplete(&fabric, screen).unwrap_or(crate::CLEAN))
}
