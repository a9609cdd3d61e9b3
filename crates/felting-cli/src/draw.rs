//! `felting draw`: drawings, as SVG or PNG.

use std::path::Path;

use felting::progress::Stage;
use felting::walk::{Choice, Options, Walk, Walker};
use felting::{Condition, State};
use felting_view::draw::{self, Drawing, Theme};

use crate::arguments::{DrawOptions, ViewWord};
use crate::output::{Screen, fail, write_beside};
use crate::progress_bar::Bar;

pub(crate) fn run(options: &DrawOptions, screen: &Screen) -> u8 {
    drawn(options, screen).unwrap_or_else(|message| fail(&message))
}

/// What a file's name asks for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    Svg,
    Png,
}

fn form(path: Option<&Path>) -> Result<Form, String> {
    let Some(path) = path else { return Ok(Form::Svg) };
    match path.extension().and_then(|extension| extension.to_str()) {
        Some(extension) if extension.eq_ignore_ascii_case("svg") => Ok(Form::Svg),
        Some(extension) if extension.eq_ignore_ascii_case("png") => Ok(Form::Png),
        _ => Err(format!(
            "{} is neither an SVG nor a PNG file; let its name end in .svg or .png",
            path.display()
        )),
    }
}

fn drawn(options: &DrawOptions, screen: &Screen) -> Result<u8, String> {
    let form = form(options.output.as_deref())?;
    let bar = Bar::new();
    let fabric = bar.read(&options.input.file, &options.input.with);
    let condition = crate::walk::condition(&fabric, &options.cut, &options.moves)?;
    let state = State::of(&fabric, &condition, bar.progress());
    bar.progress().begin(Stage::Drawing, 1);
    let mut drawing = view(options, &state)?;
    if options.findings {
        let day = jiff::ZonedDateTime::now().date();
        let whole = state.given(&Condition::default());
        let report = whole.check(Some(day), bar.progress());
        drawing = drawing.with_findings(&report);
    }
    bar.progress().begin(Stage::Writing, 1);
    let theme = if options.dark { Theme::Dark } else { Theme::Light };
    match (&options.output, form) {
        (None, _) => {
            let svg = drawing.svg(theme);
            drop(bar);
            screen.print(&svg);
        }
        (Some(path), form) => {
            let bytes = match form {
                Form::Svg => drawing.svg(theme).into_bytes(),
                Form::Png => drawing.png(theme, options.scale, bar.progress()),
            };
            drop(bar);
            write_beside(path, &bytes).map_err(|error| {
                format!(
                    "the drawing could not be written to {}: {error}; name a file in a folder that exists \
                     and can be written to",
                    path.display()
                )
            })?;
            screen.complain(&format!("wrote {}\n", path.display()));
        }
    }
    if fabric.is_complete() {
        return Ok(crate::CLEAN);
    }
    crate::walk::incomplete(&fabric, screen);
    Ok(crate::UNREADABLE)
}

fn view(options: &DrawOptions, state: &State) -> Result<Drawing, String> {
    let fabric = state.fabric();
    let of_walk = options.from.is_some() || options.to.is_some();
    if of_walk && options.view != ViewWord::Walk {
        return Err("--from and --to are for `felting draw walk`".to_owned());
    }
    if options.vlan.is_some() && options.view != ViewWord::Tree {
        return Err("--vlan is for `felting draw tree`".to_owned());
    }
    match options.view {
        ViewWord::Cabling => draw::cabling(state),
        ViewWord::Overlay => draw::overlay(state),
        ViewWord::Tenants => draw::tenants(fabric),
        ViewWord::Tree => draw::tree(state, options.vlan),
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
