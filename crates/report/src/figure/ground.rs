//! What bodies of space stand before: the ground with its grid, and their shadows on it, by which height can be read.

use super::solids::{Solid, placed};
use super::{Primitive, Sight};
use ironspin_model::{BodyKind, DVec3, Dimension, Pose, SpaceShape, World, turn};

/// What something of the backdrop is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tint {
    /// The surface of the ground.
    Ground,
    /// A line of its grid.
    Grid,
    /// A shadow on it.
    Shadow,
}

/// A plane on which shadows fall, and the lines of its grid.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Ground {
    /// m.
    pub(crate) point: DVec3,
    /// Unit vector out of it.
    pub(crate) normal: DVec3,
    /// Corners of what is shown of it, m.
    pub(crate) patch: [DVec3; 4],
    /// Ends of the lines of the grid, m.
    pub(crate) lines: Vec<[DVec3; 2]>,
}

/// About so many lines of the grid cross the larger side.
const LINES: f64 = 10.0;

impl Ground {
    /// The ground of a world of space in a region: the half space that stands most against gravity, else the bottom of the region. Nothing in the plane.
    pub(crate) fn of(world: &World, low: DVec3, high: DVec3) -> Option<Ground> {
        if world.dimension == Dimension::Plane {
            return None;
        }
        let up = if world.gravity == DVec3::ZERO { DVec3::Y } else { -world.gravity.normalize() };
        let mut found: Option<(DVec3, DVec3)> = None;
        for body in world.bodies.iter().filter(|body| body.kind == BodyKind::Static && !body.absent) {
            for part in &body.parts {
                let Some(SpaceShape::HalfSpace(normal)) = part.shape.spatial() else { continue };
                let Pose { position: point, rotation, .. } = placed(part, &body.pose);
                let normal = turn::turned(rotation, *normal);
                if normal.dot(up) > found.map_or(0.5, |(_, found)| found.dot(up)) {
                    found = Some((point, normal));
                }
            }
        }
        let half = 0.5 * (high - low);
        let below = 0.5 * (low + high) - up * half.dot(up.abs());
        let (point, normal) = found.unwrap_or((below, up));
        Some(Ground::around(point, normal, low, high))
    }

    fn around(point: DVec3, normal: DVec3, low: DVec3, high: DVec3) -> Ground {
        let (middle, half) = (0.5 * (low + high), 0.5 * (high - low));
        // Along an axis of the world where it can be.
        let first = [DVec3::X, DVec3::Z, DVec3::Y].into_iter().find(|axis| axis.dot(normal).abs() < 0.9);
        let u = first.unwrap_or(DVec3::X).reject_from(normal).normalize();
        let v = u.cross(normal);
        let centre = middle - normal * (middle - point).dot(normal);
        let reach = |axis: DVec3| half.dot(axis.abs());
        let pitch = round_number(2.0 * reach(u).max(reach(v)) / LINES);
        let whole = |axis: DVec3| {
            let at = centre.dot(axis);
            [((at - reach(axis)) / pitch).floor(), ((at + reach(axis)) / pitch).ceil()]
        };
        let (along, across) = (whole(u), whole(v));
        let at = |i: f64, j: f64| u * (i * pitch) + v * (j * pitch) + normal * point.dot(normal);
        let mut lines = Vec::new();
        // Counted, so that a pitch of next to nothing is no endless loop.
        let steps =
            |[from, to]: [f64; 2]| (0..=((to - from).clamp(0.0, 64.0) as u32)).map(move |k| from + f64::from(k));
        lines.extend(steps(along).map(|i| [at(i, across[0]), at(i, across[1])]));
        lines.extend(steps(across).map(|j| [at(along[0], j), at(along[1], j)]));
        let patch =
            [at(along[0], across[0]), at(along[1], across[0]), at(along[1], across[1]), at(along[0], across[1])];
        Ground { point, normal, patch, lines }
    }

    /// It and the shadows of bodies, as seen, in the order of painting; nothing when it is seen on edge or from below.
    pub(crate) fn backdrop(&self, world: &World, poses: &[Pose], sight: &Sight) -> Vec<(Tint, Primitive)> {
        let mut drawn = Vec::new();
        // On edge it is a line that the half space draws itself.
        if self.normal.dot(sight.toward) < 0.05 {
            return drawn;
        }
        drawn.push((Tint::Ground, Primitive::Area(self.patch.map(|corner| sight.project(corner)).to_vec())));
        let line = |ends: &[DVec3; 2]| Primitive::Line(ends.map(|end| sight.project(end)).to_vec());
        drawn.extend(self.lines.iter().map(|ends| (Tint::Grid, line(ends))));
        for (body, pose) in world.bodies.iter().zip(poses).filter(|(_, pose)| pose.position.is_finite()) {
            let solids = body.parts.iter().filter(|part| !part.sensor).filter_map(|part| Solid::of(part, pose));
            let shadows = solids.filter_map(|solid| solid.shadow(self.point, self.normal, sight));
            drawn.extend(shadows.map(|shadow| (Tint::Shadow, shadow)));
        }
        drawn
    }
}

/// The next of 1, 2 and 5 times a power of ten.
fn round_number(at_least: f64) -> f64 {
    if !(at_least > 0.0 && at_least.is_finite()) {
        return 1.0;
    }
    let ten = libm::pow(10.0, libm::log10(at_least).floor());
    [1.0, 2.0, 5.0].into_iter().map(|times| times * ten).find(|pitch| *pitch >= at_least).unwrap_or(10.0 * ten)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Body, Part};

    fn world(normal: DVec3, height: f64) -> World {
        let floor = Body {
            kind: BodyKind::Static,
            pose: Pose::at(height * DVec3::Y),
            parts: vec![Part::solid(SpaceShape::HalfSpace(normal), 0)],
            ..Body::plain("floor")
        };
        World { dimension: Dimension::Space, gravity: -9.81 * DVec3::Y, bodies: vec![floor], ..World::planar(1.0) }
    }

    #[test]
    fn the_ground_is_the_floor_and_its_grid_has_round_numbers() {
        let ground = Ground::of(&world(DVec3::Y, 2.0), DVec3::splat(-3.0), DVec3::splat(4.0)).unwrap();
        assert_eq!(ground.normal, DVec3::Y);
        assert!(ground.lines.iter().flatten().all(|end| end.y == 2.0 && end.x.fract() == 0.0 && end.z.fract() == 0.0));
        assert_eq!(ground.lines.len(), 16);
        // A wall is none, and where there is no floor the bottom is as good.
        let walled = Ground::of(&world(DVec3::X, 0.0), DVec3::splat(-3.0), DVec3::splat(4.0)).unwrap();
        assert_eq!((walled.normal, walled.point.y), (DVec3::Y, -3.0));
        assert_eq!(Ground::of(&World::planar(1.0), DVec3::ZERO, DVec3::ONE), None);
    }

    #[test]
    fn pitches_are_one_two_and_five() {
        assert_eq!([0.3, 1.0, 1.2, 7.0, f64::NAN].map(round_number), [0.5, 1.0, 2.0, 10.0, 1.0]);
    }
}
