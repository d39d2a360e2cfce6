//! What working out a scene may cost. A short file can ask for very much by loops, patterns and selectors; each kind of it has a bound that
//! grows with the limit of bodies, so that one option raises them all.

use crate::diagnostic::Diagnostic;
use std::cell::Cell;
use std::ops::Range;

/// Bodies that bounds are made for at least.
const LEAST: usize = 10_000;

/// What is counted, and how much of it a scene may have for each body that it may have.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Cost {
    /// Turns of loops, places of patterns, also those that `only_if` leaves out, and tries for places, each as four.
    Turns,
    /// Parts of bodies.
    Parts,
    /// Corners of polygons and points of polylines.
    Points,
    Joints,
    /// Names of bodies that selectors are held against.
    Compared,
    /// Bodies that selectors of claims, series and actions name.
    Named,
    /// Scripted actions and steps of motions, and conditions that are waited for.
    Actions,
    /// Pairs of bodies that are kept apart.
    Apart,
    /// Bodies and pairs of bodies that forces are worked out for before each step.
    Pulls,
    /// Claims, those of each turn of a loop.
    Claims,
    /// Operations of expressions.
    Operations,
}

impl Cost {
    const COUNT: usize = 11;

    /// For each body that the scene may have.
    fn for_each_body(self) -> usize {
        match self {
            Cost::Claims => 1,
            Cost::Parts | Cost::Joints | Cost::Pulls => 2,
            Cost::Actions => 3,
            Cost::Apart => 5,
            Cost::Turns | Cost::Points => 10,
            Cost::Named => 25,
            Cost::Compared => 100,
            Cost::Operations => 250,
        }
    }

    fn what(self) -> &'static str {
        match self {
            Cost::Turns => "turns of loops, places of patterns and tries for them",
            Cost::Parts => "parts of bodies",
            Cost::Points => "corners and points",
            Cost::Joints => "joints",
            Cost::Compared => "names of bodies to be held against its selectors",
            Cost::Named => "bodies named by its claims and actions",
            Cost::Actions => "actions and steps of motions",
            Cost::Apart => "pairs that are kept apart",
            Cost::Pulls => "bodies and pairs of them with forces",
            Cost::Claims => "claims",
            Cost::Operations => "operations of its expressions",
        }
    }
}

/// What has been spent so far.
pub(crate) struct Budget {
    bodies: usize,
    spent: [Cell<usize>; Cost::COUNT],
}

impl Budget {
    pub(crate) fn new(body_limit: usize) -> Budget {
        Budget { bodies: body_limit.max(LEAST), spent: Default::default() }
    }

    /// Most of something that a scene may have.
    fn most(&self, cost: Cost) -> usize {
        self.bodies.saturating_mul(cost.for_each_body())
    }

    /// Spends so much.
    ///
    /// # Errors
    /// When it is more than the scene may have.
    pub(crate) fn spend(
        &self,
        cost: Cost,
        count: usize,
        span: impl FnOnce() -> Range<usize>,
    ) -> Result<(), Diagnostic> {
        let spent = &self.spent[cost as usize];
        let (now, most) = (spent.get().saturating_add(count), self.most(cost));
        spent.set(now);
        if now <= most {
            return Ok(());
        }
        Err(Diagnostic::at(span(), format!("the scene asks for more than {most} {}", cost.what()))
            .label("too many")
            .help(format!("--max-bodies raises the limit: {} for each body", cost.for_each_body())))
    }
}
