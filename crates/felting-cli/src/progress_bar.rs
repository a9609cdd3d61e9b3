//! What is shown while something takes longer than a second, on a terminal.

use std::io::IsTerminal as _;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::Duration;

use crate::output::is_dumb;
use felting::progress::{Now, Progress};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// After how long something is shown.
const PATIENCE: Duration = Duration::from_secs(1);
const REDRAW: Duration = Duration::from_millis(100);

/// Shows how far work is, on standard error, as long as it lives; nothing where that is no terminal.
pub(crate) struct Bar {
    progress: Arc<Progress>,
    over: Arc<AtomicBool>,
    shows: Option<JoinHandle<()>>,
}

impl Bar {
    pub(crate) fn new() -> Self {
        let (progress, over) = (Arc::new(Progress::default()), Arc::new(AtomicBool::new(false)));
        let shows = (std::io::stderr().is_terminal() && !is_dumb()).then(|| {
            let (progress, over) = (Arc::clone(&progress), Arc::clone(&over));
            // Where no thread can be started nothing is shown.
            std::thread::Builder::new().spawn(move || show(&progress, &over)).ok()
        });
        let shows = shows.flatten();
        Self { progress, over, shows }
    }

    /// What the work tells how far it is.
    pub(crate) fn progress(&self) -> &Progress {
        &self.progress
    }
}

impl Drop for Bar {
    fn drop(&mut self) {
        self.over.store(true, Ordering::Relaxed);
        if let Some(shows) = self.shows.take() {
            shows.thread().unpark();
            let _ = shows.join();
        }
    }
}

fn show(progress: &Progress, over: &AtomicBool) {
    std::thread::park_timeout(PATIENCE);
    if over.load(Ordering::Relaxed) {
        return;
    }
    let bar = ProgressBar::hidden().with_elapsed(PATIENCE);
    while !over.load(Ordering::Relaxed) {
        let now = progress.now();
        bar.set_length(now.of as u64);
        bar.set_position(now.done.min(now.of) as u64);
        bar.set_style(style(now));
        bar.set_message(now.stage.words());
        // Shown only when it has its first numbers.
        if bar.is_hidden() {
            bar.set_draw_target(ProgressDrawTarget::stderr());
        }
        bar.tick();
        std::thread::park_timeout(REDRAW);
    }
    bar.finish_and_clear();
}

/// A bar where it is known how much there is to do, else what is being done and for how long.
fn style(now: Now) -> ProgressStyle {
    let template = match now.of {
        0 => "{spinner} {msg}, {elapsed}",
        _ => "{spinner} {msg} [{bar:30}] {pos} of {len}, {elapsed}",
    };
    let style =
        ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar());
    style.progress_chars("=> ").tick_chars("-\\|/ ")
}
