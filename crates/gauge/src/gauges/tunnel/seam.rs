//! Seams: gaps between parts of barriers that are too narrow for a body.

use crate::geometry::{Collider, PlaneGap};
use ironspin_model::DVec2;

/// A gap must be narrower than this share of a body's smallest size to be one that the body cannot pass.
const NARROW: f64 = 0.98;

/// A gap between two parts of barriers.
#[derive(Clone, Copy, Debug)]
pub(super) struct Seam {
    pub(super) barriers: (usize, usize),
    gap: PlaneGap,
}

/// The gaps between parts of different barriers that are narrower than `widest`.
pub(super) fn seams(barriers: &[(usize, &[Collider])], widest: f64) -> Vec<Seam> {
    let mut found = Vec::new();
    for (number, (a, parts)) in barriers.iter().enumerate() {
        for (b, counterparts) in &barriers[number + 1..] {
            for part in *parts {
                for counterpart in *counterparts {
                    let gap = part.gap_to(counterpart);
                    if gap.distance > 0.0 && gap.distance < widest {
                        found.push(Seam { barriers: (*a, *b), gap });
                    }
                }
            }
        }
    }
    found
}

impl Seam {
    /// Whether the straight way of a centre crosses the line between both rims, though the body is wider than that line.
    pub(super) fn lets_through(&self, from: DVec2, to: DVec2, size: f64) -> bool {
        if self.gap.distance >= NARROW * size {
            return false;
        }
        let half = 0.5 * self.gap.distance * self.gap.normal;
        let (p, q) = (self.gap.point - half, self.gap.point + half);
        let side = |point: DVec2| (q - p).perp_dot(point - p);
        let way = to - from;
        // The line itself belongs to one side, so that a way in two pieces crosses it once.
        (side(from) < 0.0) != (side(to) < 0.0) && way.perp_dot(p - from) * way.perp_dot(q - from) <= 0.0
    }
}
