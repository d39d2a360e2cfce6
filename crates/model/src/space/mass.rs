//! Mass, centre and inertia of solids from geometry.

use super::SpaceShape;
use crate::{Inertia, Part, turn};
use glam::{DMat3, DVec3};
use std::f64::consts::PI;

/// Mass properties of a homogeneous solid or of a body of several.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SolidProperties {
    /// kg.
    pub mass: f64,
    /// Centre of mass, m, in the frame in which the shape was given.
    pub centre: DVec3,
    /// About the centre of mass, along the axes of that frame, kg m².
    pub inertia: Inertia,
}

/// Mass properties of one solid, along its own axes; `None` for a half-space, which has no volume to speak of.
///
/// Sphere m = rho 4/3 pi r³, I = 2/5 m r²; box m = rho w h d, Ixx = m (h² + d²)/12. Source: textbook integrals of the density.
pub fn solid_mass(shape: &SpaceShape, density: f64) -> Option<SolidProperties> {
    let of = |mass: f64, moments: DVec3| SolidProperties {
        mass,
        centre: DVec3::ZERO,
        inertia: Inertia(DMat3::from_diagonal(moments)),
    };
    match shape {
        SpaceShape::Sphere(radius) => {
            let mass = density * (4.0 / 3.0 * PI) * radius * radius * radius;
            Some(of(mass, DVec3::splat(0.4 * mass * radius * radius)))
        }
        SpaceShape::Box(size) => {
            let mass = density * size.x * size.y * size.z;
            let square = *size * *size;
            let moments = DVec3::new(square.y + square.z, square.x + square.z, square.x + square.y);
            Some(of(mass, mass / 12.0 * moments))
        }
        SpaceShape::HalfSpace(_) => None,
    }
}

/// Mass properties of a body of several parts, each with its density; sensors weigh nothing. `None` when a solid part has no
/// volume or there is none, or a part is not one of space. Source: parallel-axis theorem (Steiner).
pub fn solid_body_mass(parts: &[Part], density: impl Fn(&Part) -> f64) -> Option<SolidProperties> {
    let pieces = parts
        .iter()
        .filter(|part| !part.sensor)
        .map(|part| {
            let own = solid_mass(part.shape.spatial()?, density(part))?;
            let rotation = part.pose.rotation;
            let centre = part.pose.position + turn::turned(rotation, own.centre);
            Some(SolidProperties { centre, inertia: turn::turned_inertia(rotation, own.inertia), ..own })
        })
        .collect::<Option<Vec<_>>>()?;
    if let [only] = pieces.as_slice() {
        return Some(*only);
    }
    if pieces.is_empty() {
        return None;
    }
    let mass: f64 = pieces.iter().map(|piece| piece.mass).sum();
    let centre = pieces.iter().map(|piece| piece.mass * piece.centre).sum::<DVec3>() / mass;
    let mut inertia = DMat3::ZERO;
    for piece in &pieces {
        inertia += piece.inertia.0 + steiner(piece.mass, piece.centre - centre);
    }
    Some(SolidProperties { mass, centre, inertia: Inertia(inertia) })
}

/// What a mass at an arm from a point adds to the inertia about that point: m (|r|² 1 - r rᵀ).
fn steiner(mass: f64, arm: DVec3) -> DMat3 {
    let outer = DMat3::from_cols(arm * arm.x, arm * arm.y, arm * arm.z);
    (DMat3::from_diagonal(DVec3::splat(arm.length_squared())) - outer) * mass
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Pose;
    use glam::DQuat;

    #[test]
    fn a_box_cut_in_two_weighs_and_turns_as_the_whole() {
        let whole = solid_mass(&SpaceShape::Box(DVec3::new(2.0, 1.0, 0.5)), 700.0).unwrap();
        let half = SpaceShape::Box(DVec3::new(0.5, 1.0, 1.0));
        // The halves stand on their own z axes along x of the body, turned by a quarter about y.
        let quarter = DQuat::from_xyzw(0.0, 0.5_f64.sqrt(), 0.0, 0.5_f64.sqrt());
        let part = |x: f64| Part {
            pose: Pose { position: DVec3::new(x, 0.0, 0.0), rotation: quarter, angle: 0.0 },
            ..Part::solid(half, 0)
        };
        let both = solid_body_mass(&[part(-0.5), part(0.5)], |_| 700.0).unwrap();
        assert!((both.mass / whole.mass - 1.0).abs() < 1e-15 && both.centre.length() < 1e-15);
        assert!((both.inertia.0 - whole.inertia.0).abs_diff_eq(DMat3::ZERO, 1e-10), "{both:?} {whole:?}");
    }

    #[test]
    fn a_sphere_off_the_origin_turns_as_heavily_about_its_own_centre() {
        let part = Part { pose: Pose::at(DVec3::new(1.0, 2.0, 3.0)), ..Part::solid(SpaceShape::Sphere(0.35), 0) };
        let one = solid_body_mass(std::slice::from_ref(&part), |_| 1200.0).unwrap();
        assert_eq!(one.centre, part.pose.position);
        assert!((one.inertia.0.x_axis.x - 0.4 * one.mass * 0.35 * 0.35).abs() < 1e-12);
        // A sensor weighs nothing, and a half-space cannot be weighed.
        let sensor = Part { sensor: true, ..part.clone() };
        assert_eq!(solid_body_mass(&[part, sensor.clone()], |_| 1200.0), Some(one));
        assert_eq!(solid_body_mass(&[sensor], |_| 1.0), None);
        assert_eq!(solid_mass(&SpaceShape::HalfSpace(DVec3::Y), 1.0), None);
    }
}
