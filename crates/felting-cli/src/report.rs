//! `felting report`: everything in one page.

use felting::State;
use felting_draw::Reported;

use crate::arguments::ReportOptions;
use crate::output::{Answer, Form, Screen};
use crate::progress_bar::Bar;
use crate::{Outcome, input};

pub(crate) fn run(options: &ReportOptions, screen: &Screen) -> Outcome {
    if options.output.output.is_none() && screen.is_terminal() {
        return Err(
            "a report is a page for a browser; name its file, such as -o report.html".to_owned()
        );
    }
    let wanted = options.which.wanted()?;
    let bar = Bar::new();
    let fabric = input::read(&options.input.file, &options.input.variant.with, &bar)?;
    let day = options.which.day.unwrap_or_else(|| jiff::ZonedDateTime::now().date());
    let state = State::of(&fabric, &options.down.condition(&fabric)?, bar.progress());
    let failures = felting::walk::judge(&state, bar.progress());
    let mut found = state.check_judged(&failures, options.which.terms(Some(day)), bar.progress());
    let only = options.of.selection(&fabric)?;
    let mut left_out = wanted.retain(&mut found);
    if let Some(only) = &only {
        left_out += only.retain(&fabric, &mut found);
    }
    let reported = Reported {
        state: &state,
        only: only.as_ref(),
        report: &found,
        failures: &failures,
        down: &options.down.words(),
        left_out,
        day: &day.to_string(),
    };
    let page = felting_draw::report(&reported, bar.progress());
    drop(bar);
    screen.deliver(&Answer::of(&options.output, Form::Html, &[&fabric]), &page)?;
    Ok(input::incomplete(&fabric, screen).unwrap_or(crate::CLEAN))
}
