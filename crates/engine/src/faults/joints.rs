//! Mistakes at joints.

use super::{FaultEntry, Hook, SHARE, by};
use crate::common::injection::InjectionPoint;
use ironspin_model::{Dimension, JointKind, World};

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "spring-too-soft",
        dimensions: Dimension::BOTH,
        wrong: "A spring has half its stiffness.",
        cause: "The factor of a half in the energy of a spring is taken into its force.",
        size: SHARE,
        noticed: &[by("spring-hammer", "path.error"), by("solid-couples", "period.mean")],
        hook: Hook::World(|world, share| {
            joints(world, |kind| {
                if let JointKind::Spring { stiffness, .. } = kind {
                    *stiffness *= 1.0 - 0.5 * share;
                }
            });
        }),
    },
    FaultEntry {
        name: "joint-drifts",
        dimensions: Dimension::BOTH,
        wrong: "What comes apart at a joint stays apart.",
        cause: "Joints are held by their velocities alone.",
        size: None,
        noticed: &[
            by("ladle-swing", "value.measure"),
            by("ladle-swing", "energy.drift"),
            by("spinning-top", "measure.largest"),
        ],
        hook: Hook::MidStep(InjectionPoint::JointDrift),
    },
    FaultEntry {
        name: "rod-bears-no-push",
        dimensions: Dimension::BOTH,
        wrong: "A rod holds what pulls at it and gives way to what presses it.",
        cause: "Rods and ropes share their code, and the bound of the impulse is not lifted for rods.",
        size: None,
        noticed: &[by("quay-joints", "value.y"), by("solid-limits", "measure.largest")],
        hook: Hook::World(|world, _| {
            joints(world, |kind| {
                if *kind == JointKind::Rod {
                    *kind = JointKind::Rope;
                }
            });
        }),
    },
    FaultEntry {
        name: "weld-like-hinge",
        dimensions: Dimension::BOTH,
        wrong: "Welded bodies keep their places and turn against each other.",
        cause: "The row that holds the angle is left out, or has the wrong sign and is switched off.",
        size: None,
        noticed: &[
            by("quay-joints", "value.y"),
            by("quay-joints", "value.measure"),
            by("solid-couples", "measure.largest"),
        ],
        hook: Hook::World(|world, _| {
            joints(world, |kind| {
                if *kind == JointKind::Weld {
                    *kind = JointKind::Hinge { limits: None };
                }
            });
        }),
    },
    FaultEntry {
        name: "lower-limit-only",
        dimensions: Dimension::BOTH,
        wrong: "Hinges and sliders stop at the lower of their limits and pass the upper one.",
        cause: "Both limits are one row of the solver, whose impulse is kept above nothing.",
        size: None,
        noticed: &[by("quay-joints", "value.measure"), by("solid-limits", "value.measure")],
        hook: Hook::World(|world, _| {
            joints(world, |kind| {
                if let JointKind::Hinge { limits: Some([_, high]) } | JointKind::Slider { limits: Some([_, high]) } =
                    kind
                {
                    *high = NO_LIMIT;
                }
            });
        }),
    },
];

/// An upper limit that nothing in a scene comes to, rad or m.
const NO_LIMIT: f64 = 1e6;

fn joints(world: &mut World, change: impl Fn(&mut JointKind)) {
    world.joints.iter_mut().for_each(|joint| change(&mut joint.kind));
}
