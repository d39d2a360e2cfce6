//! Where straight lines go through outlines of space.

use super::collider::SpaceCollider;
use crate::geometry::common::{Crossing, Met};
use ironspin_model::{DVec3, Part, SpaceShape, turn};

/// A convex piece in its body's frame, with its faces where it has flat ones only.
#[derive(Clone, Debug)]
pub(crate) struct Solid {
    outline: SpaceCollider,
    /// Outward unit normals and levels of the faces of a solid hull.
    faces: Vec<(DVec3, f64)>,
}

/// Where a line goes in and out: shares of its way, which may lie before its start and beyond its end, and the outward normals there.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Chord {
    shares: [f64; 2],
    normals: [DVec3; 2],
}

impl Chord {
    /// What two have in common.
    fn and(self, other: Chord) -> Option<Chord> {
        let [a, b] = [self, other];
        let entry = if b.shares[0] > a.shares[0] { &b } else { &a };
        let exit = if b.shares[1] < a.shares[1] { &b } else { &a };
        let shares = [entry.shares[0], exit.shares[1]];
        (shares[0] <= shares[1]).then_some(Chord { shares, normals: [entry.normals[0], exit.normals[1]] })
    }

    /// The one around two pieces of a convex whole.
    fn around(one: Option<Chord>, other: Option<Chord>) -> Option<Chord> {
        let (Some(a), Some(b)) = (one, other) else { return one.or(other) };
        let entry = if b.shares[0] < a.shares[0] { &b } else { &a };
        let exit = if b.shares[1] > a.shares[1] { &b } else { &a };
        Some(Chord { shares: [entry.shares[0], exit.shares[1]], normals: [entry.normals[0], exit.normals[1]] })
    }
}

/// Behind planes with outward normals (Cyrus and Beck, 1978).
fn behind(faces: &[(DVec3, f64)], from: DVec3, way: DVec3) -> Option<Chord> {
    let mut chord = Chord { shares: [f64::NEG_INFINITY, f64::INFINITY], normals: [DVec3::ZERO; 2] };
    for &(normal, level) in faces {
        let (height, slope) = (normal.dot(from) - level, normal.dot(way));
        if slope == 0.0 {
            if height > 0.0 {
                return None;
            }
            continue;
        }
        let share = -height / slope;
        if slope < 0.0 && share > chord.shares[0] {
            (chord.shares[0], chord.normals[0]) = (share, normal);
        } else if slope > 0.0 && share < chord.shares[1] {
            (chord.shares[1], chord.normals[1]) = (share, normal);
        }
    }
    (chord.shares[0] <= chord.shares[1]).then_some(chord)
}

/// The roots of a s^2 + 2 b s + c without cancellation, the smaller first.
fn roots(a: f64, b: f64, c: f64) -> Option<[f64; 2]> {
    let square = b * b - a * c;
    if !(square >= 0.0 && a > 0.0) {
        return None;
    }
    let far = if b > 0.0 { -b - square.sqrt() } else { -b + square.sqrt() };
    let (one, other) = (far / a, if far == 0.0 { 0.0 } else { c / far });
    Some([one.min(other), one.max(other)])
}

fn through_ball(centre: DVec3, radius: f64, from: DVec3, way: DVec3) -> Option<Chord> {
    let to = from - centre;
    let shares = roots(way.length_squared(), to.dot(way), to.length_squared() - radius * radius)?;
    Some(Chord { shares, normals: shares.map(|share| (to + way * share) / radius) })
}

/// Through a cylinder with flat ends.
fn through_cylinder(centre: DVec3, axis: DVec3, half: f64, radius: f64, from: DVec3, way: DVec3) -> Option<Chord> {
    let to = from - centre;
    let across = |v: DVec3| v - axis * v.dot(axis);
    let (away, slope) = (across(to), across(way));
    let ends = behind(&[(axis, half), (-axis, half)], to, way)?;
    let (a, c) = (slope.length_squared(), away.length_squared() - radius * radius);
    if a <= 1e-24 * way.length_squared() {
        return (c <= 0.0).then_some(ends);
    }
    let shares = roots(a, away.dot(slope), c)?;
    let side = Chord { shares, normals: shares.map(|share| (away + slope * share) / radius) };
    side.and(ends)
}

impl Solid {
    /// The pieces of a part: one for each face of a mesh, none for a shape of the plane.
    pub(super) fn of_part(part: &Part) -> Vec<Solid> {
        let faces = match part.shape.spatial() {
            Some(SpaceShape::Box(size)) => [DVec3::X, DVec3::Y, DVec3::Z]
                .into_iter()
                .flat_map(|axis| [axis, -axis].map(|normal| (normal, 0.5 * axis.dot(*size))))
                .collect(),
            Some(SpaceShape::Hull(hull)) => hull.faces().iter().map(|face| (face.normal, face.level)).collect(),
            Some(_) | None => Vec::new(),
        };
        let at = part.pose.position;
        let place = |(normal, level): (DVec3, f64)| {
            let normal = turn::turned(part.pose.rotation, normal);
            (normal, level + normal.dot(at))
        };
        let faces: Vec<(DVec3, f64)> = faces.into_iter().map(place).collect();
        SpaceCollider::of_part(part).into_iter().map(|outline| Solid { outline, faces: faces.clone() }).collect()
    }

    /// Where a line goes in and out; nothing for a face of a mesh, which has no inside, and for a ball or a capsule without radius.
    fn chord(&self, from: DVec3, way: DVec3) -> Option<Chord> {
        match &self.outline {
            SpaceCollider::HalfSpace { normal, level } => behind(&[(*normal, *level)], from, way),
            SpaceCollider::Cylinder { centre, axis, half, radius } => {
                through_cylinder(*centre, *axis, *half, *radius, from, way)
            }
            SpaceCollider::Hull { corners, radius } => match corners.as_slice() {
                [centre] => through_ball(*centre, *radius, from, way),
                [p, q] => {
                    let along = *q - *p;
                    let side = along.try_normalize().and_then(|axis| {
                        through_cylinder((*p + *q) * 0.5, axis, 0.5 * along.length(), *radius, from, way)
                    });
                    let caps = [*p, *q].map(|end| through_ball(end, *radius, from, way));
                    // A flat end of the cylinder lies within a cap: where it is the outermost, the cap's rim is as far.
                    Chord::around(Chord::around(caps[0], caps[1]), side)
                }
                _ if self.faces.is_empty() => None,
                _ => behind(&self.faces, from, way),
            },
        }
    }

    /// The side on which a way comes out of a face of a mesh, and the share of the way at which it does.
    fn through_face(corners: &[DVec3], from: DVec3, to: DVec3) -> Option<(DVec3, f64)> {
        let [p, q, r] = *corners else { return None };
        let normal = (q - p).cross(r - p);
        let (was, is) = (normal.dot(from - p), normal.dot(to - p));
        if (was < 0.0) == (is < 0.0) {
            return None;
        }
        // Signed volumes with the edges: neighbours see their common edge alike but for the sign, so that nothing slips through between them.
        let way = to - from;
        let volume = |a: DVec3, b: DVec3| way.dot((a - from).cross(b - from));
        let volumes = [volume(p, q), volume(q, r), volume(r, p)];
        let inside = volumes.iter().all(|&v| v >= 0.0) || volumes.iter().all(|&v| v <= 0.0);
        let out = normal.normalize_or_zero() * if is < 0.0 { -1.0 } else { 1.0 };
        inside.then(|| (out, was / (was - is)))
    }

    /// What a straight way does to the piece.
    pub(super) fn met(&self, [from, to]: [DVec3; 2]) -> Met {
        match &self.outline {
            SpaceCollider::HalfSpace { normal, level } => {
                Met::Depths { normal: *normal, depths: [from, to].map(|point| level - normal.dot(point)) }
            }
            SpaceCollider::Hull { corners, .. } if corners.len() == 3 => {
                Met::Sheet(Solid::through_face(corners, from, to).map(|(out, _)| out))
            }
            SpaceCollider::Hull { .. } | SpaceCollider::Cylinder { .. } => {
                // A way that only touches does not come in.
                let inside = |chord: &Chord| chord.shares[0].max(0.0) < chord.shares[1].min(1.0);
                let crossing = self.chord(from, to - from).filter(inside).map(|chord| Crossing {
                    entry: (chord.shares[0] >= 0.0).then_some(chord.normals[0]),
                    exit: (chord.shares[1] <= 1.0).then_some(chord.normals[1]),
                });
                Met::Solid(crossing)
            }
        }
    }

    /// How far along a ray the piece begins, as a share of the ray; 0 from inside, nothing where it is missed.
    pub(super) fn ray(&self, from: DVec3, way: DVec3) -> Option<f64> {
        if let SpaceCollider::Hull { corners, .. } = &self.outline
            && corners.len() == 3
        {
            return Solid::through_face(corners, from, from + way).map(|(_, share)| share);
        }
        let chord = self.chord(from, way)?;
        (chord.shares[0] <= 1.0 && chord.shares[1] >= 0.0).then_some(chord.shares[0].max(0.0))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Hull, Pose};
    use proptest::prelude::*;

    fn solid(shape: SpaceShape) -> Solid {
        Solid::of_part(&Part::solid(shape, 0)).remove(0)
    }

    #[test]
    fn ways_through_into_out_of_and_beside_a_plate() {
        let plate = solid(SpaceShape::Box(DVec3::new(0.2, 2.0, 2.0)));
        let way = |x0: f64, x1: f64, y: f64| plate.met([DVec3::new(x0, y, 0.3), DVec3::new(x1, y, 0.3)]);
        let through = Crossing { entry: Some(DVec3::NEG_X), exit: Some(DVec3::X) };
        assert_eq!(way(-1.0, 1.0, 0.0), Met::Solid(Some(through)));
        assert_eq!(way(-1.0, 0.0, 0.0), Met::Solid(Some(Crossing { exit: None, ..through })));
        assert_eq!(way(0.0, 1.0, 0.0), Met::Solid(Some(Crossing { entry: None, ..through })));
        assert_eq!(way(-1.0, -0.2, 0.0), Met::Solid(None));
        assert_eq!(way(-1.0, 1.0, 1.5), Met::Solid(None));
    }

    #[test]
    fn rays_meet_every_shape_where_the_closed_form_has_it() {
        let cube = Hull::new(
            &[0.0, 1.0].map(|x| [0.0, 1.0].map(|y| [0.0, 1.0].map(|z| DVec3::new(x, y, z)))).concat().concat(),
        );
        let (slant, far) = ((5.0_f64 * 5.0 - 4.0 * 4.0).sqrt(), 10.0);
        for (shape, from, way, due) in [
            (SpaceShape::Sphere(5.0), DVec3::new(-10.0, 4.0, 0.0), DVec3::X * far, Some((10.0 - slant) / far)),
            (SpaceShape::Sphere(5.0), DVec3::new(-10.0, 0.0, 5.1), DVec3::X * far, None),
            (SpaceShape::Capsule { length: 4.0, radius: 1.0 }, DVec3::new(-9.0, 0.0, 0.0), DVec3::X * far, Some(0.6)),
            (
                SpaceShape::Capsule { length: 4.0, radius: 1.0 },
                DVec3::new(1.0, 9.0, 0.0),
                DVec3::NEG_Y * far,
                Some(0.8),
            ),
            (SpaceShape::Cylinder { length: 4.0, radius: 1.0 }, DVec3::new(-9.0, 0.5, 0.5), DVec3::X * far, Some(0.7)),
            (
                SpaceShape::Cylinder { length: 4.0, radius: 5.0 },
                DVec3::new(1.0, 4.0, 9.0),
                DVec3::NEG_Z * far,
                Some(0.6),
            ),
            (SpaceShape::Cylinder { length: 4.0, radius: 1.0 }, DVec3::new(2.1, 0.0, 9.0), DVec3::NEG_Z * far, None),
            (SpaceShape::Box(DVec3::new(2.0, 4.0, 6.0)), DVec3::new(0.5, 0.5, 0.5), DVec3::Y * far, Some(0.0)),
            (SpaceShape::Hull(cube.unwrap().into()), DVec3::new(0.5, 0.25, 6.0), DVec3::NEG_Z * far, Some(0.5)),
            (SpaceShape::HalfSpace(DVec3::Y), DVec3::new(0.0, 3.0, 0.0), DVec3::NEG_Y * far, Some(0.3)),
        ] {
            let found = solid(shape.clone()).ray(from, way);
            assert!(
                match (found, due) {
                    (Some(found), Some(due)) => (found - due).abs() < 1e-15,
                    (found, due) => found == due,
                },
                "{shape:?}: {found:?} and {due:?} are due"
            );
        }
    }

    fn vector(reach: f64) -> impl Strategy<Value = DVec3> {
        (-reach..reach, -reach..reach, -reach..reach).prop_map(|(x, y, z)| DVec3::new(x, y, z))
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2000))]
        /// Both ends of a chord lie on the surface by the gap of a point, which is worked out another way, and its middle inside.
        #[test]
        fn ends_of_chords_lie_on_the_surface(kind in 0..4_u32, at in vector(1.0), turned in vector(3.0), from in vector(3.0), way in vector(3.0)) {
            prop_assume!(way.length() > 0.1);
            let shape = match kind {
                0 => SpaceShape::Sphere(0.7),
                1 => SpaceShape::Box(DVec3::new(1.0, 0.5, 1.5)),
                2 => SpaceShape::Capsule { length: 1.2, radius: 0.4 },
                _ => SpaceShape::Cylinder { length: 1.2, radius: 0.4 },
            };
            let pose = Pose { position: at, rotation: turn::by_vector(turned).normalize(), angle: 0.0 };
            let part = Part { pose, ..Part::solid(shape, 0) };
            let solid = Solid::of_part(&part).remove(0);
            let gap = |point: DVec3| solid.outline.gap_to(&SpaceCollider::Hull { corners: vec![point], radius: 0.0 }).distance;
            match solid.chord(from, way) {
                Some(chord) => {
                    for (share, normal) in chord.shares.into_iter().zip(chord.normals) {
                        prop_assert!(gap(from + way * share).abs() < 1e-8, "{}", gap(from + way * share));
                        prop_assert!((normal.length() - 1.0).abs() < 1e-8);
                    }
                    prop_assert!(gap(from + way * (0.5 * (chord.shares[0] + chord.shares[1]))) <= 1e-8);
                }
                None => {
                    for k in -20..=40 {
                        prop_assert!(gap(from + way * (f64::from(k) / 20.0)) >= -1e-8);
                    }
                }
            }
        }

        /// A way through a closed surface of faces crosses it as often inwards as outwards, also through its edges and corners: none slips through.
        #[test]
        fn nothing_slips_between_the_faces_of_a_closed_surface(to in vector(1.0), edge in any::<bool>()) {
            let corner = |k: usize| DVec3::new((k & 1) as f64, (k >> 1 & 1) as f64, (k >> 2) as f64) - 0.5;
            let quads = [[0, 4, 6, 2], [1, 3, 7, 5], [0, 1, 5, 4], [2, 6, 7, 3], [0, 2, 3, 1], [4, 5, 7, 6]];
            let faces = quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]].map(|f| f.map(corner)));
            // From the middle outwards, and on a coarse grid also through edges and corners.
            let to = if edge { (to * 2.0).round() * 2.0 } else { to * 4.0 };
            prop_assume!(to.abs().max_element() > 1.0);
            prop_assert!(faces.into_iter().any(|face| Solid::through_face(&face, DVec3::ZERO, to).is_some()), "{to}");
        }
    }
}
