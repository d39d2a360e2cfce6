//! The straight and evenly turning way of two bodies over a step, and when they first touch on it.
//!
//! Source: Mirtich, "Impulse-based Dynamic Simulation of Rigid Body Systems" (1996), chapter 2: conservative advancement. A gap shrinks no faster than the
//! bodies approach along its direction and their furthest points turn.

use crate::common::scalar::Real;
use crate::space::narrow::{gap, parting_along};
use crate::space::shape::{Form, Piece};
use crate::space::vector::{Pose, Quat, Vec3};

/// Most steps along one direction, and most directions.
const LOOKS: u32 = 50;

/// Share of a gap at which the direction that it had is looked at anew.
const NEARLY: f64 = 0.05;

/// Place and rotation of a body.
pub(crate) type Place<R> = (Vec3<R>, Quat<R>);

/// The way of two bodies.
pub(crate) struct Way<R> {
    from: [Place<R>; 2],
    to: [Vec3<R>; 2],
    /// Rotation vectors of the turns.
    turns: [Vec3<R>; 2],
    /// By how much each way is bent: a parabola leaves its chord by a quarter of it in the middle.
    bends: [Vec3<R>; 2],
}

/// A first touch, or how far it is certain that there is none.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Touch<R> {
    /// Share of the way.
    pub(crate) share: R,
    /// Whether they touch there: the search may have come to its end before.
    pub(crate) is_reached: bool,
}

fn is_convex<R: Real>(piece: &Piece<R>) -> bool {
    match piece.form {
        Form::Mesh(_) => false,
        Form::Ball(_)
        | Form::Block(..)
        | Form::Capsule { .. }
        | Form::Cylinder { .. }
        | Form::Hull(_)
        | Form::HalfSpace(_) => true,
    }
}

impl<R: Real> Way<R> {
    pub(crate) fn new(from: [Place<R>; 2], to: [Place<R>; 2]) -> Self {
        let turns = [0, 1].map(|side| to[side].1.after(from[side].1.turned_back()).vector());
        Way { from, to: to.map(|(position, _)| position), turns, bends: [Vec3::ZERO; 2] }
    }

    /// Along parabolas, with turns that may be of more than half a circle.
    pub(crate) fn bent(from: [Place<R>; 2], to: [Vec3<R>; 2], turns: [Vec3<R>; 2], bends: [Vec3<R>; 2]) -> Self {
        Way { from, to, turns, bends }
    }

    /// How far the bodies go against each other.
    pub(crate) fn travel(&self) -> R {
        self.relative().length()
    }

    pub(crate) fn is_still(&self) -> bool {
        self.relative() == Vec3::ZERO && self.turns.iter().chain(&self.bends).all(|turn| *turn == Vec3::ZERO)
    }

    fn relative(&self) -> Vec3<R> {
        (self.to[0] - self.from[0].0) - (self.to[1] - self.from[1].0)
    }

    pub(crate) fn pose(&self, side: usize, share: R) -> Pose<R> {
        let ((p, rotation), q) = (self.from[side], self.to[side]);
        let turned = if self.turns[side] == Vec3::ZERO {
            rotation
        } else {
            Quat::by(self.turns[side] * share).after(rotation).of_unit_length()
        };
        let bent = self.bends[side] * (share * (R::ONE - share));
        Pose { position: p + (q - p) * share - bent, axes: turned.axes() }
    }

    /// When two pieces come within a distance of each other, if they do; or up to when they certainly do not.
    pub(crate) fn first_touch(&self, a: &Piece<R>, b: &Piece<R>, within: R) -> Option<Touch<R>> {
        let mut share = R::ZERO;
        let relative = self.relative();
        // What turns about a direction does not go along it.
        let turning = |side: usize, piece: &Piece<R>, normal: Option<Vec3<R>>| {
            let turn = self.turns[side];
            let seen = normal.map_or(turn, |normal| turn.cross(normal)).length();
            if seen == R::ZERO {
                return R::ZERO;
            }
            // A capsule's axis keeps its angle to the turn.
            let about = piece.swing_about(&self.pose(side, R::ZERO), turn);
            about.map_or(seen * piece.swing, |about| about.min(seen * piece.swing))
        };
        let turns = |normal: Option<Vec3<R>>| turning(0, a, normal) + turning(1, b, normal);
        let bend = self.bends[0] - self.bends[1];
        let whole = relative.length() + bend.length() + turns(None);
        for _ in 0..LOOKS {
            // Of a surface only what can be reached matters.
            let reach = whole * (R::ONE - share) + within.max(R::ZERO);
            let found = gap(a, &self.pose(0, share), b, &self.pose(1, share), reach)?;
            if found.distance <= within {
                return Some(Touch { share, is_reached: true });
            }
            let closing = relative.dot(found.normal) + bend.dot(found.normal).abs() + turns(Some(found.normal));
            if !(closing > R::ZERO) {
                return None;
            }
            // As long as this direction parts them there is no need to look for a better one.
            let closing_along = Some((found.normal, closing)).filter(|_| is_convex(a) && is_convex(b));
            // Into the middle of what counts as touching, so that the last step is not a crawl.
            let aim = if within > R::ZERO { R::HALF * within } else { within };
            let next = share + (found.distance - aim) / closing;
            if !(next <= R::ONE) {
                return None;
            }
            if next == share {
                return Some(Touch { share, is_reached: true });
            }
            share = next;
            let Some((normal, closing)) = closing_along else { continue };
            for _ in 0..LOOKS {
                let apart = parting_along(a, &self.pose(0, share), b, &self.pose(1, share), normal);
                if !(apart > within + R::of(NEARLY) * (found.distance - within)) {
                    break;
                }
                share += (apart - aim) / closing;
                if !(share <= R::ONE) {
                    return None;
                }
            }
        }
        Some(Touch { share, is_reached: false })
    }
}
