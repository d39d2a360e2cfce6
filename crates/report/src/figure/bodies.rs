//! Primitives of the parts of a body.

use super::solids::placed;
use super::{Piece, Primitive, Sight, Solid};
use ironspin_model::{Body, BodyKind, DVec2, DVec3, Dimension, Part, PlaneShape, Pose, Shape, SpaceShape, turn};

/// Where a point of a body is seen; `point` in the frame of the body, m.
pub(crate) fn placed_point(dimension: Dimension, pose: &Pose, point: DVec3, sight: &Sight) -> DVec2 {
    match dimension {
        Dimension::Plane => {
            let turn = DVec2::new(libm::cos(pose.angle), libm::sin(pose.angle));
            pose.xy() + turn.rotate(point.truncate())
        }
        Dimension::Space => sight.project(pose.position + turn::turned(pose.rotation, point)),
    }
}

/// A part of a body as it is drawn.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct PartFigure {
    /// It notices what overlaps it and pushes nothing.
    pub(crate) sensor: bool,
    /// Where its own origin stands, m.
    pub(crate) origin: DVec2,
    /// What is drawn of it, in the order of painting.
    pub(crate) pieces: Vec<Piece>,
}

/// The parts of a body that stands somewhere, as seen.
pub(crate) fn body_figure<'a>(body: &'a Body, pose: &Pose, sight: &Sight) -> impl Iterator<Item = PartFigure> + 'a {
    let (pose, sight) = (*pose, *sight);
    let turn = DVec2::new(libm::cos(pose.angle), libm::sin(pose.angle));
    body.parts.iter().map(move |part| match &part.shape {
        Shape::Plane(shape) => {
            let own = DVec2::new(libm::cos(part.pose.angle), libm::sin(part.pose.angle));
            let place = |p: DVec2| pose.xy() + turn.rotate(part.pose.xy() + own.rotate(p));
            let primitive = of_shape(shape, place, turn.rotate(own));
            PartFigure { sensor: part.sensor, origin: place(DVec2::ZERO), pieces: vec![Piece::flat(primitive)] }
        }
        Shape::Space(shape) => of_solid(shape, part, &pose, body.kind == BodyKind::Static, &sight),
    })
}

fn of_solid(shape: &SpaceShape, part: &Part, pose: &Pose, still: bool, sight: &Sight) -> PartFigure {
    let Pose { position: centre, rotation, .. } = placed(part, pose);
    let pieces = match shape {
        SpaceShape::HalfSpace(normal) => {
            let normal = turn::turned(rotation, *normal);
            let seen = sight.project(normal);
            // On edge it is a half plane; its surface, seen from above, is the ground.
            let on_edge = normal.dot(sight.toward).abs() < 0.05;
            let half = Primitive::HalfPlane { point: sight.project(centre), normal: seen.normalize_or(DVec2::Y) };
            if on_edge { vec![Piece::flat(half)] } else { Vec::new() }
        }
        SpaceShape::Sphere(_)
        | SpaceShape::Box(_)
        | SpaceShape::Capsule { .. }
        | SpaceShape::Cylinder { .. }
        | SpaceShape::Hull(_)
        | SpaceShape::Mesh(_) => {
            Solid::of(part, pose).map_or_else(Vec::new, |solid| solid.faces(rotation, still, sight))
        }
    };
    PartFigure { sensor: part.sensor, origin: sight.project(centre), pieces }
}

/// A shape; `place` carries its points into the world, and `turn` is where its x axis lies there.
fn of_shape(shape: &PlaneShape, place: impl Fn(DVec2) -> DVec2, turn: DVec2) -> Primitive {
    match shape {
        PlaneShape::Disc(radius) => Primitive::Round {
            centre: place(DVec2::ZERO),
            radius: *radius,
            spoke: Some(place(DVec2::new(*radius, 0.0))),
        },
        PlaneShape::Box(size) => {
            let half = 0.5 * *size;
            let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
            Primitive::Area(corners.map(|(x, y)| place(half * DVec2::new(x, y))).to_vec())
        }
        PlaneShape::Polygon(corners) => Primitive::Area(corners.iter().map(|&corner| place(corner)).collect()),
        PlaneShape::Capsule { length, radius } => {
            let end = DVec2::new(0.5 * length, 0.0);
            Primitive::Stadium { ends: [place(-end), place(end)], radius: *radius }
        }
        PlaneShape::Polyline(points) => Primitive::Line(points.iter().map(|&point| place(point)).collect()),
        PlaneShape::HalfPlane(normal) => {
            Primitive::HalfPlane { point: place(DVec2::ZERO), normal: turn.rotate(*normal) }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::FRAC_PI_2;

    #[test]
    fn parts_are_carried_by_their_own_pose_and_by_that_of_the_body() {
        let part = |shape| Part { pose: Pose::flat(DVec2::X, FRAC_PI_2), ..Part::solid(shape, 0) };
        let shapes = [
            PlaneShape::Box(DVec2::new(4.0, 2.0)),
            PlaneShape::Capsule { length: 2.0, radius: 0.5 },
            PlaneShape::HalfPlane(DVec2::X),
        ];
        let body = Body { parts: shapes.map(part).to_vec(), ..Body::plain("b") };
        // The body is turned to the left too, so that the parts stand on their heads.
        let drawn: Vec<PartFigure> =
            body_figure(&body, &Pose::flat(DVec2::new(10.0, 0.0), FRAC_PI_2), &Sight::FRONT).collect();
        let near = |a: DVec2, x: f64, y: f64| a.distance(DVec2::new(x, y)) < 1e-12;
        assert!(near(drawn[0].origin, 10.0, 1.0));
        let Primitive::Area(corners) = &drawn[0].pieces[0].primitive else { panic!("{drawn:?}") };
        assert!(near(corners[0], 12.0, 2.0) && near(corners[2], 8.0, 0.0), "{corners:?}");
        let Primitive::Stadium { ends, radius: 0.5 } = &drawn[1].pieces[0].primitive else { panic!("{drawn:?}") };
        assert!(near(ends[0], 11.0, 1.0) && near(ends[1], 9.0, 1.0), "{ends:?}");
        let Primitive::HalfPlane { normal, .. } = &drawn[2].pieces[0].primitive else { panic!("{drawn:?}") };
        assert!(near(*normal, -1.0, 0.0), "{normal}");
    }
}
