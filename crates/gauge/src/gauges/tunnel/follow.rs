//! One body's centre against one part of a barrier, in the barrier's own frame.

use crate::geometry::{Met, Room};
use ironspin_model::{BodyState, DVec3};

/// A barrier's turn within a step is followed in pieces of at most this angle, rad.
const PIECE: f64 = 0.05;
/// Most pieces of a step.
const MOST_PIECES: f64 = 256.0;

/// How a body stands to one part of a barrier.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Stage {
    Outside,
    /// Its centre is inside, having come in through the face with this outward normal; none if it was built inside.
    Inside {
        by: Option<DVec3>,
        speed: f64,
    },
}

/// What a path did to a part.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Through {
    /// Speed relative to the barrier when it went in, m/s.
    pub(super) speed: f64,
    /// Whether it went in in an earlier step.
    pub(super) was_inside: bool,
    /// Outward normal of the face it came out of, in the barrier's frame.
    pub(super) out: DVec3,
}

/// The path of a point in the frame of a barrier that moves and turns evenly: its corners, two when it does not turn.
pub(super) fn path<G: Room>(stood: &BodyState, stands: &BodyState, from: DVec3, to: DVec3) -> Vec<DVec3> {
    let turn = G::turned_by(stood, stands);
    let pieces = (turn / PIECE).ceil().clamp(1.0, MOST_PIECES) as u32;
    let corner = |piece: u32| match piece {
        0 => G::seen_from(stood, from),
        piece if piece == pieces => G::seen_from(stands, to),
        piece => {
            let share = f64::from(piece) / f64::from(pieces);
            G::seen_from(&G::between(stood, stands, share), from.lerp(to, share))
        }
    };
    (0..=pieces).map(corner).collect()
}

/// The stage after a straight way in the barrier's frame, and whether the body has gone through on it.
pub(super) fn follow<G: Room>(
    barrier: &G::Barrier,
    stage: Stage,
    way: [DVec3; 2],
    speed: f64,
    reach: f64,
) -> (Stage, Option<Through>) {
    let crossing = match G::met(barrier, way) {
        // What has no far side: through means wholly inside, having come from outside.
        Met::Depths { normal, depths } => {
            let sunk = |speed: f64, was_inside: bool| Through { speed, was_inside, out: -normal };
            return match stage {
                Stage::Outside if depths[1] > 0.0 => {
                    let by = (depths[0] <= 0.0).then_some(normal);
                    (Stage::Inside { by, speed }, (by.is_some() && depths[1] > reach).then_some(sunk(speed, false)))
                }
                Stage::Inside { .. } if depths[1] <= 0.0 => (Stage::Outside, None),
                Stage::Inside { by: Some(_), speed } if depths[1] > reach => (stage, Some(sunk(speed, true))),
                _ => (stage, None),
            };
        }
        Met::Sheet(out) => return (Stage::Outside, out.map(|out| Through { speed, was_inside: false, out })),
        Met::Solid(None) => return (Stage::Outside, None),
        Met::Solid(Some(crossing)) => crossing,
    };
    let (by, speed, was_inside) = match (crossing.entry, stage) {
        (Some(normal), _) => (Some(normal), speed, false),
        (None, Stage::Inside { by, speed }) => (by, speed, true),
        (None, Stage::Outside) => (None, speed, false),
    };
    match crossing.exit {
        None => (Stage::Inside { by, speed }, None),
        Some(out) => {
            let through = by.filter(|by| by.dot(out) < 0.0).map(|_| Through { speed, was_inside, out });
            (Stage::Outside, through)
        }
    }
}
