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

/// Mass properties of one solid, along its own axes; `None` for a half-space and for a mesh that encloses no positive volume.
///
/// Sphere m = rho 4/3 pi r³, I = 2/5 m r²; box m = rho w h d, Ixx = m (h² + d²)/12; cylinder along x m = rho pi r² l, Ixx = m r²/2, Iyy = m (3 r² + l²)/12;
/// a capsule is a cylinder with half a sphere at each end, of which each has its centre 3/8 r from its flat side. Source: textbook integrals of the density.
/// Hulls and closed meshes are sums of tetrahedra (Tonon, "Explicit exact formulas for the 3-D tetrahedron inertia tensor", 2004).
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
        SpaceShape::Cylinder { length, radius } => {
            let square = radius * radius;
            let mass = density * PI * square * length;
            let across = mass / 12.0 * (3.0 * square + length * length);
            Some(of(mass, DVec3::new(0.5 * mass * square, across, across)))
        }
        SpaceShape::Capsule { length, radius } => {
            let square = radius * radius;
            let (middle, caps) = (density * PI * square * length, density * (4.0 / 3.0 * PI) * square * radius);
            let along = 0.5 * middle * square + 0.4 * caps * square;
            let arm = 0.5 * length;
            let across = middle / 12.0 * (3.0 * square + length * length)
                + caps * (0.4 * square + arm * arm + 0.75 * arm * radius);
            Some(of(middle + caps, DVec3::new(along, across, across)))
        }
        SpaceShape::Hull(hull) => of_triangles(hull.corners(), hull.triangles(), density),
        SpaceShape::Mesh(mesh) if mesh.is_closed() => of_triangles(mesh.points(), mesh.faces(), density),
        SpaceShape::Mesh(_) | SpaceShape::HalfSpace(_) => None,
    }
}

/// The solid inside a closed surface of triangles, as the sum of the tetrahedra that they make with the middle of its points. `None` for one inside out.
fn of_triangles(points: &[DVec3], faces: &[[u32; 3]], density: f64) -> Option<SolidProperties> {
    let middle = points.iter().sum::<DVec3>() / points.len() as f64;
    let (mut volume, mut first, mut second) = (0.0, DVec3::ZERO, DMat3::ZERO);
    for face in faces {
        let [p, q, r] = face.map(|number| points[number as usize] - middle);
        let six = p.dot(q.cross(r));
        volume += six;
        let sum = p + q + r;
        first += six * sum;
        // The integral of x xᵀ over a tetrahedron with one corner at the origin.
        for corner in [p, q, r, sum] {
            second += outer(corner) * six;
        }
    }
    if !(volume > 0.0) {
        return None;
    }
    let (mass, offset) = (density * volume / 6.0, first / (4.0 * volume));
    let about_middle = second * (density / 120.0);
    let central = about_middle - outer(offset) * mass;
    let trace = central.x_axis.x + central.y_axis.y + central.z_axis.z;
    let inertia = DMat3::from_diagonal(DVec3::splat(trace)) - central;
    Some(SolidProperties { mass, centre: middle + offset, inertia: Inertia(inertia) })
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
    (DMat3::from_diagonal(DVec3::splat(arm.length_squared())) - outer(arm)) * mass
}

/// v vᵀ.
fn outer(v: DVec3) -> DMat3 {
    DMat3::from_cols(v * v.x, v * v.y, v * v.z)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Hull, Pose, TriangleMesh};
    use glam::DQuat;
    use std::sync::Arc;

    #[test]
    fn a_box_cut_in_two_weighs_and_turns_as_the_whole() {
        let whole = solid_mass(&SpaceShape::Box(DVec3::new(2.0, 1.0, 0.5)), 700.0).unwrap();
        let half = SpaceShape::Box(DVec3::new(0.5, 1.0, 1.0));
        // The halves stand on their own z axes along x of the body, turned by a quarter about y.
        let quarter = DQuat::from_xyzw(0.0, 0.5_f64.sqrt(), 0.0, 0.5_f64.sqrt());
        let part = |x: f64| Part {
            pose: Pose { position: DVec3::new(x, 0.0, 0.0), rotation: quarter, angle: 0.0 },
            ..Part::solid(half.clone(), 0)
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

    fn close(found: &SolidProperties, expected: &SolidProperties) {
        let scale = expected.inertia.0.x_axis.length();
        assert!((found.mass / expected.mass - 1.0).abs() < 1e-14, "{found:?} {expected:?}");
        assert!(found.centre.distance(expected.centre) < 1e-14, "{found:?} {expected:?}");
        assert!(
            (found.inertia.0 - expected.inertia.0).abs_diff_eq(DMat3::ZERO, 1e-13 * scale),
            "{found:?} {expected:?}"
        );
    }

    #[test]
    fn a_box_as_a_hull_and_as_a_closed_mesh_weighs_and_turns_as_the_box() {
        let size = DVec3::new(2.0, 1.0, 0.5);
        let at = DVec3::new(10.0, -3.0, 1.0);
        let corners: Vec<DVec3> = (0..8)
            .map(|k| {
                at + size * DVec3::new(f64::from(k & 1) - 0.5, f64::from(k >> 1 & 1) - 0.5, f64::from(k >> 2) - 0.5)
            })
            .collect();
        let whole = solid_mass(&SpaceShape::Box(size), 700.0).unwrap();
        let whole = SolidProperties { centre: at, ..whole };
        let hull = Hull::new(&corners).unwrap();
        let mesh = TriangleMesh::new(corners, hull.triangles().to_vec()).unwrap();
        let inside_out = mesh.turned_inside_out();
        close(&solid_mass(&SpaceShape::Hull(Arc::new(hull)), 700.0).unwrap(), &whole);
        close(&solid_mass(&SpaceShape::Mesh(Arc::new(mesh)), 700.0).unwrap(), &whole);
        assert_eq!(solid_mass(&SpaceShape::Mesh(Arc::new(inside_out)), 700.0), None);
    }

    /// Thin discs along the axis, by Gauss' rule of two points a slice.
    #[test]
    fn cylinders_and_capsules_weigh_and_turn_as_the_sum_of_thin_discs() {
        let (length, radius) = (1.3, 0.4);
        let slices = 20_000;
        for (shape, reach) in [
            (SpaceShape::Cylinder { length, radius }, 0.5 * length),
            (SpaceShape::Capsule { length, radius }, 0.5 * length + radius),
        ] {
            let (mut mass, mut along, mut across) = (0.0, 0.0, 0.0);
            let width = 2.0 * reach / f64::from(slices);
            for slice in 0..slices {
                for side in [-0.5, 0.5] {
                    let x = (f64::from(slice) + 0.5 + side / 3.0_f64.sqrt()) * width - reach;
                    let beyond = (x.abs() - 0.5 * length).max(0.0);
                    let square = radius * radius - beyond * beyond;
                    let disc = PI * square * 0.5 * width;
                    mass += disc;
                    along += 0.5 * disc * square;
                    across += disc * (0.25 * square + x * x);
                }
            }
            let found = solid_mass(&shape, 1.0).unwrap();
            assert!((found.mass / mass - 1.0).abs() < 1e-9 && (found.inertia.0.x_axis.x / along - 1.0).abs() < 1e-9);
            assert!((found.inertia.0.y_axis.y / across - 1.0).abs() < 1e-9, "{found:?} {across}");
        }
    }
}
