//! Mistakes built in on purpose, so that it can be shown that the bench catches them.
//!
//! Each entry of the catalogue says what is wrong, how it comes about, how large it is, and which claims of which bundled scenes should
//! notice. The engine asks in few places: when it reads a world, when a step is begun and ended, when an action is done, and, for mistakes in
//! the middle of a step, where [`Settings::slip`](crate::Settings::slip) is called. All of these stand outside every inner loop, so that a
//! fault that is not on costs nothing.

mod injector;
mod joints;
mod moving;
mod passing;
mod reading;
mod reporting;
mod soft;
mod spatial;
mod touching;

use crate::common::injection::{Injection, InjectionPoint};
use crate::common::settings::{Settings, SolverKind};
use ironspin_model::{BodyKind, BodyState, DVec3, Dimension, Effect, Frame, World};
use std::borrow::Cow;

pub(crate) use injector::FaultInjector;

/// A mistake that can be switched on.
#[derive(Debug)]
pub struct FaultEntry {
    /// As it is typed behind `fault=`.
    pub name: &'static str,
    /// In which worlds it can be made: the engine refuses others while it is on, so that no fault seems to go unnoticed where there is none.
    pub dimensions: &'static [Dimension],
    /// What is wrong.
    pub wrong: &'static str,
    /// How it comes about in real engines.
    pub cause: &'static str,
    /// How wrong it is, for mistakes that can be smaller or larger.
    pub size: Option<FaultSize>,
    /// Who should notice. The first is the claim that is about this.
    pub noticed: &'static [Notice],
    hook: Hook,
}

/// How wrong a mistake is; a smaller number is a smaller mistake.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FaultSize {
    /// The size that the mistake is known for, and has unless another is asked for.
    pub stated: f64,
    /// What the number means, with its unit.
    pub meaning: &'static str,
}

/// A claim that should notice a fault.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Notice {
    /// Name of the bundled scene.
    pub scene: &'static str,
    /// The gauge of the claim; `twin.` and the kind of a twin that the scene promises; or [`SOUND`].
    pub claim: &'static str,
    /// Conditions that it takes, as options of the command line; empty for ordinary ones. `RATE` stands for the steps in a second.
    pub under: &'static str,
}

/// The claim that every scene makes of an engine without saying so: that its answers are complete and finite.
pub const SOUND: &str = "states.sound";

/// The whole mistake, where the size is a share of it.
const SHARE: Option<FaultSize> = Some(FaultSize { stated: 1.0, meaning: "share of the mistake: 0 none, 1 all of it" });

const fn sized(stated: f64, meaning: &'static str) -> Option<FaultSize> {
    Some(FaultSize { stated, meaning })
}

const fn by(scene: &'static str, claim: &'static str) -> Notice {
    Notice { scene, claim, under: "" }
}

const fn under(scene: &'static str, claim: &'static str, under: &'static str) -> Notice {
    Notice { scene, claim, under }
}

/// Where a mistake is made. The number is its size.
#[derive(Clone, Copy, Debug)]
enum Hook {
    /// The world is read wrongly.
    World(fn(&mut World, f64)),
    /// The settings are not the ones that were asked for.
    Settings(fn(&mut Settings, f64)),
    /// A step has another length than the one asked for.
    Length(fn(&Lengths, f64) -> f64),
    /// The bodies are meddled with after each step.
    States(fn(&mut Meddled<'_>, f64)),
    /// The engine reports something else than it has.
    Frame(fn(&mut Frame, &Reported<'_>, f64)),
    /// An action to a body, whose centre is known, is done otherwise, or not at all.
    Effects(fn(&Effect, DVec3, f64) -> Option<Effect>),
    /// In the middle of a step, where the engine asks for it.
    MidStep(InjectionPoint),
}

/// What a mistake in the length of a step knows.
pub(crate) struct Lengths {
    /// The length asked for, s.
    pub(crate) asked: f64,
    /// The length of the first step, s.
    pub(crate) first: f64,
}

/// What a mistake in the states of bodies knows and may change.
pub(crate) struct Meddled<'a> {
    /// Before the step.
    before: &'a [BodyState],
    /// After it.
    now: &'a mut [BodyState],
    kinds: &'a [BodyKind],
    /// Length of the step, s.
    dt: f64,
}

impl Meddled<'_> {
    /// The state before and after the step of every body that forces move and that is there.
    fn movers(&mut self) -> impl Iterator<Item = (&BodyState, &mut BodyState)> {
        let states = self.before.iter().zip(self.now.iter_mut()).zip(self.kinds);
        states
            .filter(|((before, now), kind)| **kind == BodyKind::Dynamic && !before.is_absent() && !now.is_absent())
            .map(|(states, _)| states)
    }
}

/// What a mistake in a report knows.
pub(crate) struct Reported<'a> {
    /// What was so after the step before.
    before: &'a [BodyState],
    kinds: &'a [BodyKind],
}

/// The whole catalogue.
pub fn faults() -> impl Iterator<Item = &'static FaultEntry> + Clone {
    [
        reading::FAULTS,
        moving::FAULTS,
        touching::FAULTS,
        joints::FAULTS,
        passing::FAULTS,
        reporting::FAULTS,
        spatial::FAULTS,
        soft::FAULTS,
    ]
    .into_iter()
    .flatten()
}

impl PartialEq for FaultEntry {
    fn eq(&self, other: &Self) -> bool {
        self.name == other.name
    }
}

impl FaultEntry {
    /// The entry of a name.
    pub fn find(name: &str) -> Option<&'static FaultEntry> {
        faults().find(|entry| entry.name == name)
    }

    /// Its size where none is asked for.
    pub fn stated_size(&self) -> f64 {
        self.size.map_or(1.0, |size| size.stated)
    }

    /// Whether the mistake is made under a solver as well. Those in the middle of a step are made where the default one goes.
    pub(crate) fn is_made_by(&self, solver: SolverKind) -> bool {
        let around = matches!(self.hook, Hook::World(_) | Hook::Length(_) | Hook::Frame(_) | Hook::Effects(_));
        around || solver == SolverKind::Impulse
    }

    /// Where in the middle of a step it is made, if it is made there.
    pub(crate) fn point(&self) -> Option<InjectionPoint> {
        match self.hook {
            Hook::MidStep(point) => Some(point),
            Hook::World(_)
            | Hook::Settings(_)
            | Hook::Length(_)
            | Hook::States(_)
            | Hook::Frame(_)
            | Hook::Effects(_) => None,
        }
    }

    /// This fault switched on, with the size that is asked for or the stated one.
    pub(crate) fn injection(&'static self, asked_size: Option<f64>) -> Injection {
        let size = asked_size.unwrap_or(self.stated_size());
        Injection { name: self.name, size, asked_size, point: self.point() }
    }

    /// The settings as an engine with this fault has them.
    pub(crate) fn settings(&self, settings: &Settings, size: f64) -> Option<Settings> {
        let Hook::Settings(change) = self.hook else { return None };
        let mut changed = settings.clone();
        change(&mut changed, size);
        Some(changed)
    }

    /// The world as an engine with this fault reads it.
    pub(crate) fn world<'a>(&self, world: &'a World, size: f64) -> Cow<'a, World> {
        let Hook::World(change) = self.hook else { return Cow::Borrowed(world) };
        let mut changed = world.clone();
        change(&mut changed, size);
        Cow::Owned(changed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeSet;

    #[test]
    fn the_catalogue_is_large_and_every_entry_is_whole() {
        let all: Vec<_> = faults().collect();
        assert_eq!(all.len(), 136);
        let names: BTreeSet<_> = all.iter().map(|entry| entry.name).collect();
        assert_eq!(names.len(), all.len());
        for entry in all {
            assert!(!entry.noticed.is_empty() && !entry.wrong.is_empty() && !entry.cause.is_empty(), "{}", entry.name);
            assert!(entry.name.chars().all(|c| c.is_ascii_lowercase() || c == '-'), "{}", entry.name);
            assert!(entry.size.is_none_or(|size| size.stated > 0.0), "{}", entry.name);
            assert!(!entry.dimensions.is_empty(), "{}", entry.name);
            assert_eq!(FaultEntry::find(entry.name), Some(entry));
        }
    }
}
