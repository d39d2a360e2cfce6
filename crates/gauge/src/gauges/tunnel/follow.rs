//! One body's centre against one part of a barrier, in the barrier's own frame.

use crate::geometry::{Collider, cross};
use ironspin_model::{BodyState, DVec2};

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
        by: Option<DVec2>,
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
    pub(super) out: DVec2,
}

/// A point in the frame of a barrier.
fn seen_from(barrier: &BodyState, point: DVec2, angle: f64) -> DVec2 {
    let away = point - barrier.pose.position.truncate();
    let (sin, cos) = (libm::sin(angle), libm::cos(angle));
    DVec2::new(cos * away.x + sin * away.y, cos * away.y - sin * away.x)
}

/// The path of a point in the frame of a barrier that moves and turns evenly: its corners, two when it does not turn.
pub(super) fn path(stood: &BodyState, stands: &BodyState, from: DVec2, to: DVec2) -> Vec<DVec2> {
    let turn = stands.pose.angle - stood.pose.angle;
    let pieces = (turn.abs() / PIECE).ceil().clamp(1.0, MOST_PIECES) as u32;
    let mut corners = Vec::with_capacity(pieces as usize + 1);
    for piece in 0..=pieces {
        let share = f64::from(piece) / f64::from(pieces);
        let mut place = *stood;
        let angle = if piece == pieces {
            place = *stands;
            stands.pose.angle
        } else {
            place.pose.position = stood.pose.position.lerp(stands.pose.position, share);
            stood.pose.angle + turn * share
        };
        corners.push(seen_from(&place, if piece == pieces { to } else { from.lerp(to, share) }, angle));
    }
    corners
}

/// The stage after a straight path in the barrier's frame, and whether the body has gone through on it.
pub(super) fn follow(
    collider: &Collider,
    stage: Stage,
    path: [DVec2; 2],
    speed: f64,
    reach: f64,
) -> (Stage, Option<Through>) {
    if let Collider::HalfPlane { normal, level } = collider {
        // A half-plane has no far side: through means wholly inside, having come from outside.
        let depth = path.map(|point| level - normal.dot(point));
        let sunk = |speed: f64, was_inside: bool| Through { speed, was_inside, out: -*normal };
        return match stage {
            Stage::Outside if depth[1] > 0.0 => {
                let by = (depth[0] <= 0.0).then_some(*normal);
                (Stage::Inside { by, speed }, (by.is_some() && depth[1] > reach).then_some(sunk(speed, false)))
            }
            Stage::Inside { .. } if depth[1] <= 0.0 => (Stage::Outside, None),
            Stage::Inside { by: Some(_), speed } if depth[1] > reach => (stage, Some(sunk(speed, true))),
            _ => (stage, None),
        };
    }
    if let Collider::Hull { corners, .. } = collider
        && let [p, q] = corners.as_slice()
    {
        // A segment has two faces and nothing between them.
        let side = |point: DVec2| (*q - *p).perp_dot(point - *p);
        let (was, is) = (side(path[0]), side(path[1]));
        let way = path[1] - path[0];
        let crossed = (was < 0.0) != (is < 0.0) && way.perp_dot(*p - path[0]) * way.perp_dot(*q - path[0]) <= 0.0;
        let out = (*q - *p).perp().normalize_or_zero() * if is < 0.0 { -1.0 } else { 1.0 };
        return (Stage::Outside, crossed.then_some(Through { speed, was_inside: false, out }));
    }
    let Some(crossing) = cross(collider, path[0], path[1]) else { return (Stage::Outside, None) };
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
