//! Distance of two convex outlines by their support functions.
//!
//! Source: Gilbert, Johnson and Keerthi, "A fast procedure for computing the distance between complex objects in three-dimensional space"
//! (1988). Between hulls of corners it ends after finitely many corners, exact but for rounding; of what is
//! round it comes nearer until rounding stops it.

use super::difference::{Corner, Difference, Nearest};
use ironspin_model::DVec3;

/// Most corners looked at; a guard, since each round either comes nearer or ends.
const ROUNDS: usize = 128;

/// Height of a tetrahedron, as a share of its edges, below which it is flat.
const FLAT: f64 = 1e-10;

/// What is found of two hulls.
pub(super) enum Found {
    /// They are apart.
    Apart(Nearest),
    /// Certainly further apart than was asked for.
    Far,
    /// The origin lies in the difference or on its rim.
    Inside,
}

/// The part of a simplex that is nearest to the origin: its corners, and how much each has of the nearest point.
#[derive(Clone, Debug)]
struct Part {
    corners: Vec<Corner>,
    shares: Vec<f64>,
    point: DVec3,
}

impl Part {
    fn of(corners: &[Corner], shares: &[f64]) -> Part {
        let kept: Vec<(Corner, f64)> =
            corners.iter().copied().zip(shares.iter().copied()).filter(|(_, share)| *share > 0.0).collect();
        let point = kept.iter().map(|(corner, share)| corner.at * *share).sum();
        let (corners, shares) = kept.into_iter().unzip();
        Part { corners, shares, point }
    }
}

/// The nearest point of a segment to the origin.
fn of_segment(p: Corner, q: Corner) -> Part {
    let along = q.at - p.at;
    let full = along.length_squared();
    let share = if full > 0.0 { (-p.at.dot(along) / full).clamp(0.0, 1.0) } else { 0.0 };
    Part::of(&[p, q], &[1.0 - share, share])
}

/// The nearest point of a triangle to the origin: amid it where the origin lies over it, else on one of its edges.
fn of_triangle(p: Corner, q: Corner, r: Corner) -> Part {
    let normal = (q.at - p.at).cross(r.at - p.at);
    let square = normal.length_squared();
    if square > 0.0 {
        // Shares by the areas of the triangles that the foot of the origin makes with the edges.
        let area = |u: Corner, v: Corner| u.at.cross(v.at).dot(normal) / square;
        let (a, b, c) = (area(q, r), area(r, p), area(p, q));
        if a > 0.0 && b > 0.0 && c > 0.0 {
            let mut part = Part::of(&[p, q, r], &[a, b, c]);
            // The foot along the normal has fewer rounding errors than the sum of corners.
            part.point = normal * (normal.dot(p.at) / square);
            return part;
        }
    }
    nearer(nearer(of_segment(p, q), of_segment(q, r)), of_segment(r, p))
}

fn nearer(one: Part, other: Part) -> Part {
    if other.point.length_squared() < one.point.length_squared() { other } else { one }
}

/// The nearest point of a tetrahedron; nothing when it holds the origin.
fn of_tetrahedron(corners: &[Corner]) -> Option<Part> {
    let [p, q, r, s] = [corners[0], corners[1], corners[2], corners[3]];
    let mut best: Option<Part> = None;
    for (u, v, w, other) in [(p, q, r, s), (p, q, s, r), (p, r, s, q), (q, r, s, p)] {
        let normal = (v.at - u.at).cross(w.at - u.at);
        let (origin, opposite) = (normal.dot(-u.at), normal.dot(other.at - u.at));
        // A face sees the origin when it lies on the other side than the fourth corner. In a flat one the sides are roundings: all its faces
        // are looked at.
        let flat = opposite.abs() <= FLAT * normal.length() * (other.at - u.at).length();
        if flat || origin * opposite <= 0.0 {
            let part = of_triangle(u, v, w);
            best = Some(match best {
                Some(known) => nearer(known, part),
                None => part,
            });
        }
    }
    best
}

/// Distance of two hulls without rims.
pub(super) fn find(difference: &Difference<'_>, within: f64) -> Found {
    let first = difference.support(DVec3::X);
    let mut best = Part::of(&[first], &[1.0]);
    for _ in 0..ROUNDS {
        let square = best.point.length_squared();
        let length = square.sqrt();
        if length <= difference.noise {
            return Found::Inside;
        }
        let next = difference.support(-best.point);
        // Everything of the difference lies beyond the plane through the new corner.
        let reached = next.at.dot(best.point);
        if reached > within * length {
            return Found::Far;
        }
        let known = best.corners.iter().any(|corner| corner.is(&next));
        if known || square - reached <= 4.0 * f64::EPSILON * square {
            break;
        }
        let mut corners = best.corners.clone();
        corners.push(next);
        let part = match corners.as_slice() {
            [p, q] => of_segment(*p, *q),
            [p, q, r] => of_triangle(*p, *q, *r),
            _ => match of_tetrahedron(&corners) {
                Some(part) => part,
                // A plane before the origin cannot be argued with: what looks like the inside is rounding.
                None if reached > difference.noise * length => break,
                None => return Found::Inside,
            },
        };
        if part.point.length_squared() >= square {
            break;
        }
        best = part;
    }
    let distance = best.point.length();
    if distance <= difference.noise {
        return Found::Inside;
    }
    let mut normal = best.point / distance;
    if let [p, q, r] = best.corners.as_slice() {
        // Amid a face its own normal has fewer rounding errors than the way to the nearest point.
        let face = (q.at - p.at).cross(r.at - p.at).normalize_or(normal);
        normal = if face.dot(best.point) < 0.0 { -face } else { face };
    }
    let [on_a, on_b] = difference.sources(&best.corners, &best.shares);
    Found::Apart(Nearest { distance, normal, on_a, on_b })
}
