//! Bodies of flat faces: corners, edges and faces of a hull, a box, a triangle, a segment or a point.

use crate::common::scalar::Real;
use crate::space::shape::corner;
use crate::space::vector::{Pose, Vec3};
use ironspin_model::Hull;
use std::collections::BTreeMap;

/// Where two faces meet.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Edge {
    pub(crate) ends: [u32; 2],
    /// The faces on both sides, the one on whose left it runs first; the same twice where there is only one or none.
    pub(crate) faces: [u32; 2],
}

/// A flat face.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Face<R> {
    /// Outward.
    pub(crate) normal: Vec3<R>,
    /// Height of its plane along the normal.
    pub(crate) level: R,
    /// Where its corners stand in the list of rings, counter-clockwise seen from outside.
    first: u32,
    count: u32,
}

/// A body of flat faces that owns its lists.
#[derive(Clone, Debug)]
pub(crate) struct Shell<R> {
    pub(crate) corners: Vec<Vec3<R>>,
    edges: Vec<Edge>,
    faces: Vec<Face<R>>,
    rings: Vec<u32>,
}

impl<R: Real> Shell<R> {
    fn new(corners: Vec<Vec3<R>>, faces: impl Iterator<Item = (Vec3<R>, R, Vec<u32>)>) -> Self {
        let mut shell = Shell { corners, edges: Vec::new(), faces: Vec::new(), rings: Vec::new() };
        let mut edges: BTreeMap<[u32; 2], [u32; 2]> = BTreeMap::new();
        for (normal, level, ring) in faces {
            let number = shell.faces.len() as u32;
            for (k, &from) in ring.iter().enumerate() {
                let to = ring[(k + 1) % ring.len()];
                let side = usize::from(from > to);
                edges.entry([from.min(to), from.max(to)]).or_insert([number; 2])[side] = number;
            }
            let first = shell.rings.len() as u32;
            shell.faces.push(Face { normal, level, first, count: ring.len() as u32 });
            shell.rings.extend(ring);
        }
        shell.edges = edges.into_iter().map(|(ends, faces)| Edge { ends, faces }).collect();
        shell
    }

    pub(crate) fn hull(hull: &Hull) -> Self {
        let corners = hull.corners().iter().map(|&corner| Vec3::of(corner)).collect();
        let faces = hull.faces().iter().map(|face| (Vec3::of(face.normal), R::of(face.level), face.corners.clone()));
        Shell::new(corners, faces)
    }

    pub(crate) fn block(half: Vec3<R>) -> Self {
        let corners = (0..8).map(|number| corner(half, number)).collect();
        let faces = (0..6).map(|number| {
            let (axis, up) = (number / 2, number % 2 == 1);
            let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
            let at = |p: usize, q: usize| (usize::from(up) << axis | p << u | q << v) as u32;
            let mut ring = vec![at(0, 0), at(1, 0), at(1, 1), at(0, 1)];
            if !up {
                ring.reverse();
            }
            let side = if up { R::ONE } else { -R::ONE };
            (Vec3::axis(axis) * side, half.component(axis), ring)
        });
        Shell::new(corners, faces)
    }

    /// Outward normals of its faces.
    pub(crate) fn normals(&self) -> impl Iterator<Item = Vec3<R>> + '_ {
        self.faces.iter().map(|face| face.normal)
    }

    pub(crate) fn view(&self) -> View<'_, R> {
        View { corners: &self.corners, edges: &self.edges, faces: &self.faces, rings: &self.rings }
    }
}

/// A body of flat faces, wherever its lists are kept.
#[derive(Clone, Copy, Debug)]
pub(crate) struct View<'a, R> {
    pub(crate) corners: &'a [Vec3<R>],
    pub(crate) edges: &'a [Edge],
    pub(crate) faces: &'a [Face<R>],
    rings: &'a [u32],
}

/// The only edge of a segment.
const SEGMENT: [Edge; 1] = [Edge { ends: [0, 1], faces: [0, 0] }];
const TRIANGLE: [Edge; 3] =
    [Edge { ends: [0, 1], faces: [0, 1] }, Edge { ends: [1, 2], faces: [0, 1] }, Edge { ends: [0, 2], faces: [1, 0] }];
const TRIANGLE_RINGS: [u32; 6] = [0, 1, 2, 0, 2, 1];

impl<'a, R: Real> View<'a, R> {
    /// A point or a segment: one corner or two.
    pub(crate) fn line(corners: &'a [Vec3<R>]) -> Self {
        View { corners, edges: if corners.len() > 1 { &SEGMENT } else { &[] }, faces: &[], rings: &[] }
    }

    /// A triangle with its two sides, from [`sides`].
    pub(crate) fn triangle(corners: &'a [Vec3<R>; 3], faces: &'a [Face<R>; 2]) -> Self {
        View { corners, edges: &TRIANGLE, faces, rings: &TRIANGLE_RINGS }
    }

    /// Whether it has a volume.
    #[inline]
    pub(crate) fn is_solid(&self) -> bool {
        self.faces.len() > 3
    }

    /// Faces that push: of a triangle only the first side.
    #[inline]
    pub(crate) fn sides(&self) -> usize {
        if self.is_solid() { self.faces.len() } else { self.faces.len().min(1) }
    }

    /// Whether a point in the plane of a triangle lies within its edges.
    pub(crate) fn triangle_holds(&self, point: Vec3<R>, slack: R) -> bool {
        let ring = self.ring(0);
        (0..ring.len()).all(|k| {
            let [p, q] = [ring[k], ring[(k + 1) % ring.len()]].map(|corner| self.corners[corner as usize]);
            let inwards = self.faces[0].normal.cross(q - p);
            inwards.dot(point - p) >= -slack * (q - p).length()
        })
    }

    /// The corners of a face.
    pub(crate) fn ring(&self, face: usize) -> &'a [u32] {
        let Face { first, count, .. } = self.faces[face];
        &self.rings[first as usize..(first + count) as usize]
    }

    /// The corner furthest along a direction in its own frame, the first of several, and how far.
    #[inline]
    pub(crate) fn furthest(&self, along: Vec3<R>) -> (usize, R) {
        let mut best = (0, -R::INFINITY);
        for (number, corner) in self.corners.iter().enumerate() {
            let height = along.dot(*corner);
            if height > best.1 {
                best = (number, height);
            }
        }
        best
    }
}

/// The two sides of a triangle.
pub(crate) fn sides<R: Real>(corners: &[Vec3<R>; 3], normal: Vec3<R>) -> [Face<R>; 2] {
    let level = normal.dot(corners[0]);
    [Face { normal, level, first: 0, count: 3 }, Face { normal: -normal, level: -level, first: 3, count: 3 }]
}

/// A body of flat faces where it stands, and a radius around it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Core<'a, R> {
    pub(crate) view: View<'a, R>,
    pub(crate) pose: Pose<R>,
    pub(crate) radius: R,
}

impl<'a, R: Real> Core<'a, R> {
    pub(crate) fn new(view: View<'a, R>, pose: &Pose<R>, radius: R) -> Self {
        Core { view, pose: *pose, radius }
    }

    #[inline]
    pub(crate) fn corner(&self, number: usize) -> Vec3<R> {
        self.pose.point(self.view.corners[number])
    }

    pub(crate) fn edge(&self, number: usize) -> [Vec3<R>; 2] {
        self.view.edges[number].ends.map(|end| self.corner(end as usize))
    }

    #[inline]
    pub(crate) fn face_normal(&self, face: usize) -> Vec3<R> {
        self.pose.axes.times(self.view.faces[face].normal)
    }

    /// The greatest height along a direction, without the radius.
    #[inline]
    pub(crate) fn height(&self, along: Vec3<R>) -> R {
        self.view.furthest(self.pose.axes.times_back(along)).1 + along.dot(self.pose.position)
    }

    /// The corner furthest along a direction.
    pub(crate) fn support(&self, along: Vec3<R>) -> usize {
        self.view.furthest(self.pose.axes.times_back(along)).0
    }

    /// The face that looks most along a direction.
    pub(crate) fn face_along(&self, along: Vec3<R>) -> Option<usize> {
        let own = self.pose.axes.times_back(along);
        let mut best: Option<(R, usize)> = None;
        for (number, face) in self.view.faces.iter().enumerate() {
            let cosine = face.normal.dot(own);
            if best.is_none_or(|(most, _)| cosine > most) {
                best = Some((cosine, number));
            }
        }
        best.map(|(_, number)| number)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::DVec3;

    #[test]
    fn every_edge_of_a_block_and_of_its_hull_lies_between_two_faces() {
        let half = Vec3::new(1.0_f64, 0.5, 0.25);
        let corners: Vec<DVec3> = (0..8).map(|number| corner(half, number).to_f64()).collect();
        for shell in [Shell::block(half), Shell::hull(&Hull::new(&corners).unwrap())] {
            let view = shell.view();
            assert_eq!((view.edges.len(), view.faces.len()), (12, 6));
            for edge in view.edges {
                assert_ne!(edge.faces[0], edge.faces[1]);
                let [p, q] = edge.ends.map(|end| view.corners[end as usize]);
                for face in edge.faces {
                    let face = view.faces[face as usize];
                    assert!((face.normal.dot(p) - face.level).abs() + (face.normal.dot(q) - face.level).abs() < 1e-15);
                }
            }
            for (number, face) in view.faces.iter().enumerate() {
                let ring: Vec<Vec3<f64>> = view.ring(number).iter().map(|&k| view.corners[k as usize]).collect();
                assert!((ring[1] - ring[0]).cross(ring[2] - ring[1]).dot(face.normal) > 0.0);
            }
        }
    }
}
