//! Values as dimensionless numbers, so that worlds of other sizes compare.

use ironspin_model::{BodyKind, World};

/// Smallest size of a body that moves, m; nothing when none has one.
fn size(world: &World) -> Option<f64> {
    let moving = world.bodies.iter().filter(|body| body.kind == BodyKind::Dynamic);
    let size = moving.map(ironspin_model::Body::smallest_size).fold(f64::INFINITY, f64::min);
    (size.is_finite() && size > 0.0).then_some(size)
}

/// A value of a unit over the same made of the smallest size L of a body that moves and of gravity g: lengths over L, times over
/// sqrt(L / g), speeds over sqrt(g L), spins and frequencies over sqrt(g / L). Nothing for units without a dimension, and for times where there is no
/// gravity.
pub(crate) fn dimensionless(value: f64, unit: &str, world: &World) -> Option<f64> {
    let length = size(world)?;
    let gravity = world.gravity.length();
    let time = (gravity > 0.0).then(|| (length / gravity).sqrt());
    let scale = match unit {
        "m" => length,
        "s" => time?,
        "m/s" => length / time?,
        "rad/s" | "Hz" => 1.0 / time?,
        _ => return None,
    };
    Some(value / scale)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Body, DVec3, Part, PlaneShape};

    #[test]
    fn values_scale_with_size_and_gravity() {
        let ball = Body { parts: vec![Part::solid(PlaneShape::Disc(0.125), 0)], ..Body::plain("ball") };
        let world = World { gravity: DVec3::new(0.0, -4.0, 0.0), bodies: vec![ball], ..World::planar(1.0) };
        let reported = |unit| dimensionless(2.0, unit, &world);
        assert_eq!(["m", "s", "m/s", "Hz", "1"].map(reported), [Some(8.0), Some(8.0), Some(2.0), Some(0.5), None]);
        let floating = World { gravity: DVec3::ZERO, ..world.clone() };
        assert_eq!((dimensionless(2.0, "m", &floating), dimensionless(2.0, "s", &floating)), (Some(8.0), None));
    }
}
