//! The gap of two convex bodies and the direction of it: of the nearest points when they are apart, of the shortest way out when they overlap.

use super::axes::{self, best_axes};
use super::cylinder::{Parting, beside_core, beside_cylinder};
use super::patch::Solid;
use crate::common::scalar::Real;
use crate::common::tolerance::FACE_PREFERENCE;
use crate::space::shell::Core;
use crate::space::vector::Vec3;

/// A distance below this share of the extent has no direction.
const TOUCHING: f64 = 1e-12;

/// The exact gap, whatever it costs.
pub(super) fn exact<R: Real>(a: &Solid<'_, R>, b: &Solid<'_, R>) -> Parting<R> {
    match (a, b) {
        (Solid::Core(a), Solid::Core(b)) => {
            let found = best_of(best_axes(a, b), R::ZERO);
            match found {
                Some(axis) if axis.gap <= R::ZERO => less(axis, a.radius + b.radius),
                _ => apart(a, b, found),
            }
        }
        (Solid::Cylinder(a, _), Solid::Core(core)) => less(beside_core(a, core), core.radius),
        (Solid::Core(core), Solid::Cylinder(b, _)) => turned(less(beside_core(b, core), core.radius)),
        (Solid::Cylinder(a, _), Solid::Cylinder(b, _)) => beside_cylinder(a, b),
    }
}

/// The gap as contacts need it: exact where the bodies overlap or have rims; of two with corners that are apart, the largest along the direction of a face or
/// across two edges, which is no more than the distance. Nothing when they are further apart than a margin.
pub(super) fn within<R: Real>(a: &Solid<'_, R>, b: &Solid<'_, R>, margin: R) -> Option<Parting<R>> {
    let found = match (a, b) {
        (Solid::Core(a), Solid::Core(b)) => {
            let radii = a.radius + b.radius;
            let size = extent(a).min(extent(b));
            let best = best_of(best_axes(a, b), R::of(FACE_PREFERENCE) * size);
            match best {
                Some(axis) if axis.gap - radii > margin => return None,
                Some(axis) if axis.gap <= R::ZERO || radii == R::ZERO => less(axis, radii),
                _ => apart(a, b, best),
            }
        }
        _ => exact(a, b),
    };
    (found.gap <= margin).then_some(found)
}

/// The smallest side of the box around the corners of a core, as a yardstick; of a segment or a triangle what is not nothing.
fn extent<R: Real>(core: &Core<'_, R>) -> R {
    let infinite = Vec3::new(R::INFINITY, R::INFINITY, R::INFINITY);
    let (mut low, mut high) = (infinite, -infinite);
    for &corner in core.view.corners {
        (low, high) = (low.min(corner), high.max(corner));
    }
    let size = high - low;
    [size.x, size.y, size.z].into_iter().filter(|side| *side > R::ZERO).fold(R::INFINITY, R::min)
}

/// The direction of the largest gap; one of a face before one across edges, and one of the first body before one of the second, unless the other is better by
/// a preference: rounding must not make it flip from step to step.
fn best_of<R: Real>([first, second, edges]: [Option<axes::Axis<R>>; 3], preference: R) -> Option<Parting<R>> {
    let preference = if preference < R::INFINITY { preference } else { R::ZERO };
    let prefer = |known: Option<axes::Axis<R>>, other: Option<axes::Axis<R>>| match (known, other) {
        (Some(known), Some(other)) if other.gap > known.gap + preference => Some(other),
        (None, other) => other,
        (known, _) => known,
    };
    let best = prefer(prefer(first, second), edges)?;
    Some(Parting { gap: best.gap, normal: best.normal })
}

/// Two cores that do not overlap, by their nearest points.
fn apart<R: Real>(a: &Core<'_, R>, b: &Core<'_, R>, known: Option<Parting<R>>) -> Parting<R> {
    let (from, to) = axes::distance(a, b);
    let way = to - from;
    let length = way.length();
    let reach = (from.abs() + to.abs()).largest();
    let normal = if length > R::of(TOUCHING) * reach || known.is_none() {
        way.unit_or(between_lines(a, b))
    } else {
        known.map_or(way, |parting| parting.normal)
    };
    Parting { gap: length - a.radius - b.radius, normal }
}

/// A way out for lines and points that cross: across both, or across the one that is there.
fn between_lines<R: Real>(a: &Core<'_, R>, b: &Core<'_, R>) -> Vec3<R> {
    let along = |core: &Core<'_, R>| match core.view.corners.len() {
        0 | 1 => Vec3::ZERO,
        _ => core.corner(1) - core.corner(0),
    };
    let (p, q) = (along(a), along(b));
    let line = if p.dot(p) > q.dot(q) { p } else { q };
    // The axis that lies most across the line.
    let size = line.abs();
    let axis = if size.y <= size.x && size.y <= size.z {
        1
    } else if size.x <= size.z {
        0
    } else {
        2
    };
    let beside = line.cross(Vec3::axis(axis)).unit_or(Vec3::axis(1));
    p.cross(q).unit_or(beside)
}

fn less<R: Real>(parting: Parting<R>, radii: R) -> Parting<R> {
    Parting { gap: parting.gap - radii, normal: parting.normal }
}

fn turned<R: Real>(parting: Parting<R>) -> Parting<R> {
    Parting { gap: parting.gap, normal: -parting.normal }
}
