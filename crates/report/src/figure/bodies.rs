//! Primitives of the parts of a body.

use super::Primitive;
use ironspin_model::{Body, DVec2, PlaneShape};

/// A part of a body as it is drawn.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct PartFigure {
    /// It notices what overlaps it and pushes nothing.
    pub(crate) sensor: bool,
    /// Where its own origin stands, m.
    pub(crate) origin: DVec2,
    /// What is drawn of it.
    pub(crate) primitive: Primitive,
}

/// The parts of a body that stands at a place, m, turned by an angle, rad.
pub(crate) fn body_figure(body: &Body, at: DVec2, angle: f64) -> impl Iterator<Item = PartFigure> + '_ {
    let turn = DVec2::new(libm::cos(angle), libm::sin(angle));
    body.parts.iter().map(move |part| {
        let own = DVec2::new(libm::cos(part.pose.angle), libm::sin(part.pose.angle));
        let place = |p: DVec2| at + turn.rotate(part.pose.xy() + own.rotate(p));
        let primitive = of_shape(part.shape.planar(), place, turn.rotate(own));
        PartFigure { sensor: part.sensor, origin: place(DVec2::ZERO), primitive }
    })
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
    use ironspin_model::{Part, Pose};
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
        let drawn: Vec<PartFigure> = body_figure(&body, DVec2::new(10.0, 0.0), FRAC_PI_2).collect();
        let near = |a: DVec2, x: f64, y: f64| a.distance(DVec2::new(x, y)) < 1e-12;
        assert!(near(drawn[0].origin, 10.0, 1.0));
        let Primitive::Area(corners) = &drawn[0].primitive else { panic!("{drawn:?}") };
        assert!(near(corners[0], 12.0, 2.0) && near(corners[2], 8.0, 0.0), "{corners:?}");
        let Primitive::Stadium { ends, radius: 0.5 } = &drawn[1].primitive else { panic!("{drawn:?}") };
        assert!(near(ends[0], 11.0, 1.0) && near(ends[1], 9.0, 1.0), "{ends:?}");
        let Primitive::HalfPlane { normal, .. } = &drawn[2].primitive else { panic!("{drawn:?}") };
        assert!(near(*normal, -1.0, 0.0), "{normal}");
    }
}
