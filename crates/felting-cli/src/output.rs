//! Standard output and error: the only place that prints.

use std::io::{IsTerminal as _, Write as _};

use felting_view::Style;

use crate::arguments::Colour;

/// Standard output as it will be read.
pub(crate) struct Screen {
    style: Style,
}

impl Screen {
    pub(crate) fn new(colour: Colour) -> Self {
        let terminal = std::io::stdout().is_terminal();
        // https://no-color.org: set and not empty.
        let refused = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
        let colour = match colour {
            Colour::Always => true,
            Colour::Never => false,
            Colour::Auto => terminal && !refused,
        };
        let width = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
        let width = width.or_else(|| terminal.then(terminal_width).flatten()).unwrap_or(120);
        Self { style: Style { colour, width: width.clamp(40, 400) } }
    }

    pub(crate) fn style(&self) -> Style {
        self.style
    }

    /// Writes to standard output. A reader that has gone away (`| head`) is no error.
    pub(crate) fn print(&self, text: &str) {
        let mut out = anstream::AutoStream::new(std::io::stdout().lock(), self.choice());
        let _ = out.write_all(text.as_bytes()).and_then(|()| out.flush());
    }

    /// Writes to standard error.
    pub(crate) fn complain(&self, text: &str) {
        let mut out = anstream::AutoStream::new(std::io::stderr().lock(), self.choice());
        let _ = out.write_all(text.as_bytes());
    }

    fn choice(&self) -> anstream::ColorChoice {
        if self.style.colour { anstream::ColorChoice::Always } else { anstream::ColorChoice::Never }
    }
}

fn terminal_width() -> Option<usize> {
    terminal_size::terminal_size().map(|(width, _)| usize::from(width.0))
}

/// Says why the command was wrong, and returns its exit code.
pub(crate) fn fail(message: &str) -> u8 {
    let _ = writeln!(std::io::stderr(), "error: {message}");
    crate::UNREADABLE
}
