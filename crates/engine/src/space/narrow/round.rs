//! Pairs of which one is a ball or a half-space: closed forms.

use super::{Manifold, Point};
use crate::common::scalar::Real;
use crate::space::contact::POINTS;
use crate::space::shape::corner;
use crate::space::vector::{Pose, Vec3};

/// Which way balls with one centre are pushed apart; no way is better than another.
fn up<R: Real>() -> Vec3<R> {
    Vec3::axis(1)
}

pub(super) fn balls<R: Real>(a: Vec3<R>, radius_a: R, b: Vec3<R>, radius_b: R) -> Manifold<R> {
    let between = b - a;
    let distance = between.length();
    let normal = between.unit_or(up());
    let gap = distance - (radius_a + radius_b);
    Manifold::one(normal, a + normal * (radius_a + R::HALF * gap), gap, 0)
}

pub(super) fn half_space_and_ball<R: Real>(normal: Vec3<R>, pose: &Pose<R>, centre: Vec3<R>, radius: R) -> Manifold<R> {
    let normal = pose.axes.times(normal);
    let gap = normal.dot(centre - pose.position) - radius;
    Manifold::one(normal, centre - normal * (radius + R::HALF * gap), gap, 0)
}

/// The corners of a block within a margin of the surface; of more than four those that lie deepest.
pub(super) fn half_space_and_block<R: Real>(
    normal: Vec3<R>,
    pose: &Pose<R>,
    half: Vec3<R>,
    block: &Pose<R>,
    margin: R,
) -> Manifold<R> {
    let normal = pose.axes.times(normal);
    let mut manifold = Manifold { normal, ..Manifold::default() };
    let mut near: [(R, usize); 8] = std::array::from_fn(|number| {
        let height = normal.dot(block.point(corner(half, number)) - pose.position);
        (height, number)
    });
    if margin < R::INFINITY && near.iter().filter(|(height, _)| *height <= margin).count() > POINTS {
        near.sort_by(|a, b| a.0.to_f64().total_cmp(&b.0.to_f64()).then(a.1.cmp(&b.1)));
        near[..POINTS].sort_by_key(|&(_, number)| number);
    } else if margin == R::INFINITY {
        near.sort_by(|a, b| a.0.to_f64().total_cmp(&b.0.to_f64()).then(a.1.cmp(&b.1)));
    }
    for (gap, number) in near.into_iter().filter(|(height, _)| *height <= margin) {
        let position = block.point(corner(half, number)) - normal * (R::HALF * gap);
        manifold.push(Point { position, gap, feature: number as u32 });
    }
    manifold
}

/// The point of a block nearest to the centre of a ball; from inside the nearest face.
pub(super) fn block_and_ball<R: Real>(half: Vec3<R>, block: &Pose<R>, centre: Vec3<R>, radius: R) -> Manifold<R> {
    let local = block.point_back(centre);
    let held = Vec3::new(local.x.held(-half.x, half.x), local.y.held(-half.y, half.y), local.z.held(-half.z, half.z));
    let out = local - held;
    let distance = out.length();
    if distance > R::ZERO {
        let gap = distance - radius;
        let normal = block.axes.times(out * (R::ONE / distance));
        return Manifold::one(normal, centre - normal * (radius + R::HALF * gap), gap, 0);
    }
    // The first of the nearest faces.
    let deep = half - local.abs();
    let axis = (1..3).fold(0, |best, axis| if deep.component(axis) < deep.component(best) { axis } else { best });
    let side = if local.component(axis) < R::ZERO { -R::ONE } else { R::ONE };
    let normal = block.axes.0[axis] * side;
    let gap = -deep.component(axis) - radius;
    Manifold::one(normal, centre - normal * (radius + R::HALF * gap), gap, 1 + axis as u32)
}
