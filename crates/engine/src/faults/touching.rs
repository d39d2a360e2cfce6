//! Mistakes where bodies touch: impacts, friction, overlap, seams, joints.

use super::{FaultEntry, Hook, SHARE, by, sized};
use crate::common::injection::InjectionPoint;
use crate::common::settings::Mixing;

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "slow-bounces-dropped",
        wrong: "What comes in slower than 1 m/s does not bounce.",
        cause: "A threshold that keeps piles calm is a constant in metres a second.",
        size: sized(1.0, "speed below which nothing bounces, m/s"),
        noticed: &[
            by("bearing-drop", "twin.units"),
            by("bearing-drop", "rebound.speed"),
            by("first-drop", "twin.tempo"),
        ],
        hook: Hook::MidStep(InjectionPoint::FixedRestSpeed),
    },
    FaultEntry {
        name: "one-answers",
        wrong: "Of two bodies that collide only the first answers.",
        cause: "The second half of Newton's third law is in a branch that is not taken.",
        size: SHARE,
        noticed: &[by("buffer-row", "momentum.balance"), by("buffer-row", "energy.drift")],
        hook: Hook::MidStep(InjectionPoint::OneAnswers),
    },
    FaultEntry {
        name: "blows-struck-twice",
        wrong: "An impact is applied, and three quarters of it once more: bodies part faster than they met.",
        cause: "An impact is found from either side, or in two substeps, and solved for both.",
        size: sized(0.75, "share of an impact that is applied once more"),
        noticed: &[
            by("rivet-shot", "energy.gain"),
            by("rivet-swarm", "energy.gain"),
            by("bearing-drop", "rebound.speed"),
        ],
        hook: Hook::MidStep(InjectionPoint::ImpactTwice),
    },
    FaultEntry {
        name: "pairs-lost",
        wrong: "A tenth of all pairs is never found.",
        cause: "The search for pairs forgets what lies on the border of two cells.",
        size: None,
        noticed: &[by("slag-lob", "tunnel.count"), by("ingot-wall", "tunnel.count"), by("ingot-stack", "stands")],
        hook: Hook::MidStep(InjectionPoint::PairsLost),
    },
    FaultEntry {
        name: "friction-without-lever",
        wrong: "Friction pushes, but turns nothing.",
        cause: "The tangential impulse is applied at the centre.",
        size: SHARE,
        noticed: &[by("roller-table", "value.spin"), by("chute", "value.spin")],
        hook: Hook::MidStep(InjectionPoint::Lever),
    },
    FaultEntry {
        name: "friction-turns-backwards",
        wrong: "Friction turns bodies the wrong way round.",
        cause: "The factors of the cross product of arm and impulse are exchanged.",
        size: sized(2.0, "lever arm that is missing: 1 all of it, 2 as much again the other way"),
        noticed: &[by("roller-table", "value.spin"), by("roller-table", "value.vx")],
        hook: Hook::MidStep(InjectionPoint::Lever),
    },
    FaultEntry {
        name: "friction-along-the-slip",
        wrong: "Friction pushes the way a body slips.",
        cause: "A sign.",
        size: None,
        noticed: &[by("chute", "value.speed"), by("conveyor", "value.vx"), by("roller-table", "value.vx")],
        hook: Hook::MidStep(InjectionPoint::FrictionAlong),
    },
    FaultEntry {
        name: "friction-multiplied",
        wrong: "Friction and restitution of two materials are multiplied.",
        cause: "The custom of another engine.",
        size: None,
        noticed: &[by("conveyor", "value.x"), by("glancing-discs", "value.vx")],
        hook: Hook::Settings(|settings, _| settings.mixing = Mixing::Product),
    },
    FaultEntry {
        name: "material-of-the-first",
        wrong: "Where two materials meet, those of the body that comes first in the list count.",
        cause: "The second index is never used.",
        size: SHARE,
        noticed: &[by("bearing-drop", "rebound.speed"), by("bearing-drop", "twin.order")],
        hook: Hook::MidStep(InjectionPoint::FirstMaterial),
    },
    FaultEntry {
        name: "overlap-into-speed",
        wrong: "Bodies that are moved out of each other keep the speed of it.",
        cause: "The correction of overlap is added to the velocity that the contact wants (Baumgarte, 1972), with too large a factor.",
        size: SHARE,
        noticed: &[by("tight-crates", "value.speed"), by("hopper-count", "energy.gain")],
        hook: Hook::MidStep(InjectionPoint::OverlapIntoSpeed),
    },
    FaultEntry {
        name: "seams-catch",
        wrong: "A slider trips at the seams of level plates.",
        cause: "Each plate is tested alone, and its side face stands in the way by the depth that the slider sinks in.",
        size: None,
        noticed: &[by("plate-seams", "ghost.count"), by("plate-seams", "value.vx"), by("plate-seams", "path.error")],
        hook: Hook::MidStep(InjectionPoint::SeamsCatch),
    },
    FaultEntry {
        name: "driver-does-not-carry",
        wrong: "Contacts do not know that a driven body moves: a belt carries nothing.",
        cause: "Driven bodies are moved by setting their places, and their velocity is zero.",
        size: SHARE,
        noticed: &[by("conveyor", "value.vx"), by("conveyor", "value.x"), by("rising-platform", "path.error")],
        hook: Hook::MidStep(InjectionPoint::NoCarry),
    },
    FaultEntry {
        name: "joint-drifts",
        wrong: "What comes apart at a joint stays apart.",
        cause: "Joints are held by their velocities alone.",
        size: None,
        noticed: &[by("ladle-swing", "value.measure"), by("ladle-swing", "energy.drift")],
        hook: Hook::MidStep(InjectionPoint::JointDrift),
    },
    FaultEntry {
        name: "empty-pair",
        wrong: "Capsules and polygons do not meet.",
        cause: "One entry of the table of pairs was never written.",
        size: None,
        noticed: &[by("shape-court", "overlap.share"), by("shape-court", "tunnel.count")],
        hook: Hook::MidStep(InjectionPoint::EmptyPair),
    },
    FaultEntry {
        name: "cold-and-hasty",
        wrong: "The contact solver makes two passes and begins at zero in every step.",
        cause: "Warm starting needs names of contact points that stay, and they do not.",
        size: None,
        noticed: &[by("billet-pyramid", "creep.rate"), by("billet-pyramid", "stands"), by("heavy-on-light", "stands")],
        hook: Hook::Settings(|settings, _| {
            settings.warm_start = false;
            settings.iterations = 2;
        }),
    },
];
