//! `felting draw`: drawings, as SVG or PNG.

use std::path::Path;

use felting::State;
use felting::fabric::Selection;
use felting::progress::Stage;
use felting::walk::{Choice, Options, Walk, Walker};
use felting_draw::{self as draw, Drawing, Theme};

use crate::arguments::{DrawOptions, Picture, ViewWord};
use crate::output::{Answer, Form, Screen, print_bytes};
use crate::progress_bar::Bar;
use crate::{Outcome, input};

/// The form that is asked for, by its word or by a file's name.
fn form(options: &DrawOptions, screen: &Screen) -> Result<Picture, String> {
    let path = options.output.output.as_deref().filter(|path| *path != Path::new("-"));
    let by_name = path.and_then(|path| path.extension()).and_then(|extension| extension.to_str());
    let by_name = match by_name {
        Some(name) if name.eq_ignore_ascii_case("svg") => Some(Picture::Svg),
        Some(name) if name.eq_ignore_ascii_case("png") => Some(Picture::Png),
        _ => None,
    };
    match (options.format, by_name, path) {
        (Some(Picture::Png), _, None) if screen.is_terminal() => {
            Err("a PNG is nothing to read on a terminal; name its file, such as -o fabric.png"
                .to_owned())
        }
        (Some(form), by_name, _) if by_name.is_none_or(|named| named == form) => Ok(form),
        (None, Some(form), _) => Ok(form),
        (None, None, None) => Ok(Picture::Svg),
        (Some(_), _, path) => Err(format!(
            "{} is named otherwise than --format says; leave one of them out",
            path.unwrap_or(Path::new("-")).display()
        )),
        (None, None, Some(path)) => Err(format!(
            "{} is neither an SVG nor a PNG file; let its name end in .svg or .png",
            path.display()
        )),
    }
}

pub(crate) fn run(options: &DrawOptions, screen: &Screen) -> Outcome {
    let form = form(options, screen)?;
    refuse(options, form)?;
    let wanted = options.which.wanted()?;
    let bar = Bar::new();
    let fabric = input::read(&options.input.file, &options.input.variant.with, &bar)?;
    let condition = options.down.condition(&fabric)?;
    let only = options.of.selection(&fabric)?;
    let state = State::of(&fabric, &condition, bar.progress());
    bar.progress().begin(Stage::Drawing, 1);
    let mut drawing = view(options, &state, only.as_ref())?;
    if options.findings {
        let mut report =
            state.check(options.which.terms(options.which.day_of(&fabric)), bar.progress());
        wanted.retain(&mut report);
        if let Some(only) = &only {
            only.retain(&fabric, &mut report);
        }
        drawing = drawing.with_findings(&report);
    }
    bar.progress().begin(Stage::Writing, 1);
    let theme = if options.dark { Theme::Dark } else { Theme::Light };
    let path = options.output.output.as_deref().filter(|path| *path != Path::new("-"));
    let fabrics = [&fabric];
    match (path, form) {
        (_, Picture::Svg) => {
            let svg = drawing.svg(theme);
            drop(bar);
            let to = Answer::of(&options.output, Form::Svg, &fabrics);
            screen.deliver(&to, &svg)?;
        }
        (path, Picture::Png) => {
            let png = drawing.png(theme, options.scale.unwrap_or(1.0), bar.progress());
            drop(bar);
            match path {
                Some(_) => screen.write(&Answer::of(&options.output, Form::Png, &fabrics), &png)?,
                None => print_bytes(&png)?,
            };
        }
    }
    Ok(input::incomplete(&fabric, screen).unwrap_or(crate::CLEAN))
}

/// What would have no effect.
fn refuse(options: &DrawOptions, form: Picture) -> Result<(), String> {
    let of_walk = options.from.is_some() || options.to.is_some() || options.all;
    if of_walk && options.view != ViewWord::Walk {
        return Err("--from, --to and --all are for `felting draw walk`".to_owned());
    }
    if options.vlan.is_some() && options.view != ViewWord::Tree {
        return Err("--vlan is for `felting draw tree`".to_owned());
    }
    if !options.down.moves.is_empty() && options.view != ViewWord::Walk {
        return Err("--move is for `felting draw walk`: the others show no endpoints".to_owned());
    }
    if !options.of.of.is_empty() && options.view == ViewWord::Walk {
        return Err(
            "--of is for the other drawings: a walk has its ends, --from and --to".to_owned()
        );
    }
    if let Some(option) = options.which.given().filter(|_| !options.findings) {
        return Err(format!("{option} is about findings; add --findings to mark them"));
    }
    if options.scale.is_some() && form != Picture::Png {
        return Err("--scale is for a PNG; an SVG has any size".to_owned());
    }
    Ok(())
}

fn view(options: &DrawOptions, state: &State, only: Option<&Selection>) -> Result<Drawing, String> {
    match options.view {
        ViewWord::Cabling => draw::cabling(state, only),
        ViewWord::Overlay => draw::overlay(state, only),
        ViewWord::Tenants => draw::tenants(state, only),
        ViewWord::Tree => draw::tree(state, options.vlan, only),
        ViewWord::Walk => {
            let walk = walk(options, state)?;
            draw::walk(state, &walk)
        }
    }
    .map_err(|error| error.to_string())
}

fn walk(options: &DrawOptions, state: &State) -> Result<Walk, String> {
    let fabric = state.fabric();
    let (Some(from), Some(to)) = (&options.from, &options.to) else {
        return Err("a walk needs both its ends; name them with --from and --to".to_owned());
    };
    let end = |name: &str| fabric.terminal(name).map_err(|error| error.to_string());
    let choice = if options.all { Choice::All } else { Choice::ByHash };
    let asked = Options { choice, size: None };
    Walker::new(state).walk(end(from)?, end(to)?, asked).map_err(|error| error.to_string())
}
