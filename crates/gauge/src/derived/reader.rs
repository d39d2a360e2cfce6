//! The state that a claim is about: that of the last frame, or of a time of its own between two.

use super::between::Between;
use crate::gauge::{Scope, View};
use ironspin_model::BodyState;

/// Reads states at the end of the window, or at the time that a claim gives.
#[derive(Clone, Debug, Default)]
pub(crate) struct Reader {
    at_time: Option<f64>,
    between: Between,
    done: bool,
    states: Vec<BodyState>,
}

impl Reader {
    pub(crate) fn of(scope: &Scope) -> Reader {
        let details = &scope.details;
        let measures = details.measure.iter().chain(details.path.iter().flatten());
        // Of each what it needs; of no measure the bodies themselves.
        let needed = measures.map(|measure| measure.needs(&scope.of)).reduce(|a, b| Some([a?, b?].concat()));
        let between = Between::of(needed.unwrap_or_else(|| Some(scope.of.clone())));
        Reader { at_time: details.at_time, between, ..Reader::default() }
    }

    /// The share of the step at which is read; nothing where it is not in this step.
    fn share(&mut self, view: &View<'_>) -> Option<f64> {
        let Some(at) = self.at_time else { return Some(1.0) };
        let (now, slack) = (view.now.time, 1e-9 * at.abs());
        if self.done || at > now + slack {
            return None;
        }
        self.done = true;
        let Some(before) = view.before else { return (at >= now - slack).then_some(1.0) };
        Some(if at >= now - slack { 1.0 } else { ((at - before.time) / view.span()).clamp(0.0, 1.0) })
    }

    /// What is read of the states of all bodies at a time, s, when it has come.
    pub(crate) fn read<T>(&mut self, view: &View<'_>, read: impl FnOnce(&[BodyState], f64) -> T) -> Option<T> {
        let share = self.share(view);
        let found = match share {
            None => None,
            Some(share) if share >= 1.0 => Some(read(&view.now.bodies, self.at_time.unwrap_or(view.now.time))),
            Some(share) => {
                let mut states = std::mem::take(&mut self.states);
                self.between.fill(view, share, &mut states);
                let found = read(&states, self.at_time.unwrap_or(view.now.time));
                self.states = states;
                Some(found)
            }
        };
        self.pass(view);
        found
    }

    /// The state of one body, with its time, s, when it has come.
    pub(crate) fn read_one(&mut self, view: &View<'_>, body: usize) -> Option<(f64, BodyState)> {
        let share = self.share(view);
        let time = self.at_time.unwrap_or(view.now.time);
        let found = share.map(|share| (time, self.between.state(view, body, share)));
        self.pass(view);
        found
    }

    fn pass(&mut self, view: &View<'_>) {
        if self.at_time.is_some() && !self.done {
            self.between.note(view);
        }
    }

    /// Why nothing was read.
    pub(crate) fn nothing(&self) -> String {
        match self.at_time {
            None => "no frame lies in the window".to_owned(),
            Some(time) => format!("the trial ended before {time} s"),
        }
    }

    /// When something was read.
    pub(crate) fn said(&self, time: f64) -> String {
        match self.at_time {
            None => format!("at {time:.3} s"),
            Some(time) => {
                let text = format!("{time:.6}");
                format!("at {} s", text.trim_end_matches('0').trim_end_matches('.'))
            }
        }
    }
}
