//! The exact changes, and how exactly a trial must agree with itself after each.

use crate::plan::TrialPlan;
use crate::transform::{Transform, Turned};
use ironspin_model::{Body, DVec3, Dimension, World};
use ironspin_scene::TWIN_KINDS;

/// Where a scene promises nothing else, a difference of position of this share of the smallest body is too much.
const SHARE: f64 = 1e-6;
/// The whole world is moved by this many times its extent.
const MOVED: f64 = 1000.0;

/// An exact change.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum TwinKind {
    /// Run again in this process.
    Again,
    /// Run again in a process of its own.
    Process,
    /// Run on more threads.
    Threads,
    /// Advanced in other portions.
    Split,
    /// Saved, run on, put back, and run again.
    Restore,
    /// Another length unit.
    Units,
    /// Another mass unit.
    Mass,
    /// Another time unit.
    Tempo,
    /// One far-away body more.
    Bystander,
    /// Bodies handed over in the opposite order.
    Order,
    /// x becomes -x; in space so do y and z, one after the other.
    Mirror,
    /// A quarter turn, gravity too; in space about each of the axes.
    Turn,
    /// The whole world moved.
    Shift,
    /// The whole world in uniform motion.
    Boost,
}

/// All of them, in the order of [`TWIN_KINDS`].
const ALL: [TwinKind; 14] = [
    TwinKind::Again,
    TwinKind::Process,
    TwinKind::Threads,
    TwinKind::Split,
    TwinKind::Restore,
    TwinKind::Units,
    TwinKind::Mass,
    TwinKind::Tempo,
    TwinKind::Bystander,
    TwinKind::Order,
    TwinKind::Mirror,
    TwinKind::Turn,
    TwinKind::Shift,
    TwinKind::Boost,
];

/// How exactly the two must agree.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Demand {
    /// To the last bit.
    Bits,
    /// Positions to so many metres.
    Within(f64),
}

impl TwinKind {
    /// All kinds.
    pub fn all() -> [TwinKind; 14] {
        ALL
    }

    /// Its word.
    pub fn word(self) -> &'static str {
        TWIN_KINDS[self as usize]
    }

    /// The kind of a word.
    pub fn of(word: &str) -> Option<TwinKind> {
        ALL.into_iter().find(|kind| kind.word() == word)
    }

    /// Whether it must agree to the bit unless the scene says otherwise.
    pub fn is_exact(self) -> bool {
        self < TwinKind::Order
    }

    /// What the trial must agree to: what the scene promises, else bits for exact changes and a millionth of the smallest body for
    /// the others.
    pub fn demand(self, plan: &TrialPlan) -> Demand {
        let promised = plan.setup.twins.iter().find(|twin| twin.by == self.word());
        match promised {
            Some(twin) => twin.within.map_or(Demand::Bits, Demand::Within),
            None if self.is_exact() => Demand::Bits,
            None => Demand::Within(SHARE * smallest(plan)),
        }
    }

    /// Whether numbers too small for the engine's scalar may get lost in one of the two trials and not in the other.
    pub(super) fn may_underflow(self) -> bool {
        matches!(self, TwinKind::Units | TwinKind::Mass | TwinKind::Tempo)
    }

    /// The feature that an engine must have for it.
    pub(super) fn feature(self) -> Option<&'static str> {
        match self {
            TwinKind::Restore => Some("restore"),
            TwinKind::Threads => Some("threads"),
            TwinKind::Boost => Some("kinematic"),
            _ => None,
        }
    }

    /// The transforms of the world that are held against the plain one, each with what it is in words; empty for kinds that hand over
    /// the same world.
    pub(super) fn transforms(self, plan: &TrialPlan) -> Vec<(String, Transform)> {
        let plain = Transform::default;
        let in_space = plan.setup.world.dimension == Dimension::Space;
        let reported = |text: String, transform| (text, transform);
        match self {
            TwinKind::Units => [1024.0, 1.0 / 1024.0]
                .map(|length| reported(format!("lengths times {length}"), Transform { length, ..plain() }))
                .to_vec(),
            TwinKind::Mass => [64.0, 1.0 / 64.0]
                .map(|mass| reported(format!("masses times {mass}"), Transform { mass, ..plain() }))
                .to_vec(),
            TwinKind::Tempo => [32.0, 1.0 / 32.0]
                .map(|time| reported(format!("times times {time}"), Transform { time, ..plain() }))
                .to_vec(),
            TwinKind::Bystander => vec![reported("one body more".to_owned(), Transform { bystander: true, ..plain() })],
            TwinKind::Order => {
                vec![reported("bodies in the opposite order".to_owned(), Transform { reversed: true, ..plain() })]
            }
            TwinKind::Mirror => {
                let axes = if in_space { &["x", "y", "z"][..] } else { &["x"] };
                let mirrored = |(axis, name): (usize, &&str)| {
                    reported(format!("{name} becomes -{name}"), Transform { turned: Turned::Mirrored(axis), ..plain() })
                };
                axes.iter().enumerate().map(mirrored).collect()
            }
            TwinKind::Turn if in_space => {
                let turned = |(axis, name): (usize, &str)| {
                    reported(
                        format!("a quarter turn about {name}"),
                        Transform { turned: Turned::Quarter(axis), ..plain() },
                    )
                };
                ["x", "y", "z"].into_iter().enumerate().map(turned).collect()
            }
            TwinKind::Turn => {
                vec![reported("a quarter turn".to_owned(), Transform { turned: Turned::Quarter(2), ..plain() })]
            }
            TwinKind::Shift => {
                let far = MOVED * extent(&plan.setup.world);
                let (text, z) = if in_space {
                    (format!("moved by {far:.4e} m along x, half of it along y and a quarter along z"), 0.25 * far)
                } else {
                    (format!("moved by {far:.4e} m along x and half of it along y"), 0.0)
                };
                vec![reported(text, Transform { shift: DVec3::new(far, 0.5 * far, z), ..plain() })]
            }
            TwinKind::Boost => {
                let speed = (plan.setup.world.gravity.length() * smallest(plan)).sqrt().max(1.0);
                let text = format!("in uniform motion of {speed:.4} m/s along x");
                vec![reported(text, Transform { boost: DVec3::new(speed, 0.0, 0.0), ..plain() })]
            }
            TwinKind::Again | TwinKind::Process | TwinKind::Threads | TwinKind::Split | TwinKind::Restore => Vec::new(),
        }
    }
}

/// Smallest size of a body that moves, m; 1 where none has one.
pub(super) fn smallest(plan: &TrialPlan) -> f64 {
    let world = &plan.setup.world;
    let size = world.dynamic_bodies().map(|id| world.bodies[id].smallest_size()).fold(f64::INFINITY, f64::min);
    if size.is_finite() { size } else { 1.0 }
}

/// How far bodies stand from the origin, m, and 1 m at least.
pub(crate) fn extent(world: &World) -> f64 {
    let reach = |body: &Body| body.pose.position.length();
    world.bodies.iter().map(reach).fold(1.0, f64::max)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_word_of_the_scene_language_is_a_kind() {
        for (kind, word) in TwinKind::all().into_iter().zip(TWIN_KINDS) {
            assert_eq!((kind.word(), TwinKind::of(word)), (word, Some(kind)));
        }
        assert_eq!(TwinKind::of("luck"), None);
        assert!(TwinKind::Bystander.is_exact() && !TwinKind::Order.is_exact());
    }
}
