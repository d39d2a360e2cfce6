//! Depth of two overlapping convex hulls of corners by their support functions.
//!
//! Source: van den Bergen, "Proximity queries and penetration depth computation on 3D game objects" (2001): a polytope inside the Minkowski
//! difference grows, face by face, until the face nearest to the origin is one of the difference's own.

use super::difference::{Corner, Difference, Nearest};
use ironspin_model::DVec3;

/// Most corners added; a guard against roundings that never settle.
const ROUNDS: usize = 512;

/// A face of the polytope, its corners counter-clockwise seen from outside.
#[derive(Clone, Copy, Debug)]
struct Face {
    corners: [usize; 3],
    /// Outward unit vector, and the distance of the face's plane from the origin along it.
    normal: DVec3,
    height: f64,
    /// Nothing of the difference lies beyond it, or its direction is lost in rounding.
    is_done: bool,
}

struct Polytope {
    corners: Vec<Corner>,
    faces: Vec<Face>,
}

impl Polytope {
    fn face(&self, corners: [usize; 3]) -> Face {
        let [p, q, r] = corners.map(|number| self.corners[number].at);
        let across = (q - p).cross(r - p);
        let normal = across.normalize_or_zero();
        // The mean of the three heights is rounded less than any of them.
        let height = (normal.dot(p) + normal.dot(q) + normal.dot(r)) / 3.0;
        Face { corners, normal, height, is_done: normal == DVec3::ZERO }
    }

    /// A tetrahedron of corners of the difference, as large as a few directions give; nothing for a difference without volume.
    fn first(difference: &Difference<'_>) -> Option<Polytope> {
        let mut found: Vec<Corner> = Vec::new();
        for axis in [DVec3::X, DVec3::Y, DVec3::Z] {
            for along in [axis, -axis] {
                let corner = difference.support(along);
                if !found.iter().any(|known| known.is(&corner)) {
                    found.push(corner);
                }
            }
        }
        let apart = |p: &Corner, q: &Corner| p.at.distance_squared(q.at);
        let p = *found.first()?;
        let q = *found.iter().max_by(|a, b| apart(a, &p).total_cmp(&apart(b, &p)))?;
        let across = |r: &Corner| (q.at - p.at).cross(r.at - p.at).length_squared();
        let r = *found.iter().max_by(|a, b| across(a).total_cmp(&across(b)))?;
        let normal = (q.at - p.at).cross(r.at - p.at);
        if !(normal.length() > difference.noise * p.at.distance(q.at)) {
            return None;
        }
        let ends = [difference.support(normal), difference.support(-normal)];
        let off = |s: &Corner| normal.dot(s.at - p.at).abs();
        let s = if off(&ends[0]) >= off(&ends[1]) { ends[0] } else { ends[1] };
        if !(off(&s) > difference.noise * normal.length()) {
            return None;
        }
        let mut polytope = Polytope { corners: vec![p, q, r, s], faces: Vec::new() };
        let below = normal.dot(s.at - p.at) < 0.0;
        let outside_first = if below {
            [[0, 1, 2], [0, 3, 1], [1, 3, 2], [2, 3, 0]]
        } else {
            [[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]]
        };
        polytope.faces = outside_first.map(|corners| polytope.face(corners)).to_vec();
        Some(polytope)
    }

    /// Takes a corner in: the faces that it sees go, and new ones join it to their rim. Nothing is changed where roundings leave no whole rim.
    fn grow(&mut self, corner: Corner, noise: f64) -> bool {
        let sees = |face: &Face| face.normal.dot(corner.at) - face.height > noise;
        let seen: Vec<[usize; 3]> = self.faces.iter().filter(|face| sees(face)).map(|face| face.corners).collect();
        let mut edges: Vec<[usize; 2]> = Vec::new();
        for [p, q, r] in seen.iter().copied() {
            for [from, to] in [[p, q], [q, r], [r, p]] {
                // An edge between two faces that go comes in both directions.
                match edges.iter().position(|&edge| edge == [to, from]) {
                    Some(place) => {
                        edges.swap_remove(place);
                    }
                    None => edges.push([from, to]),
                }
            }
        }
        if edges.len() < 3 {
            return false;
        }
        self.faces.retain(|face| !sees(face));
        let number = self.corners.len();
        self.corners.push(corner);
        for [from, to] in edges {
            let face = self.face([from, to, number]);
            self.faces.push(face);
        }
        true
    }
}

/// The depth of two hulls in each other as a negative distance, with the shortest way out.
pub(super) fn find(difference: &Difference<'_>) -> Option<Nearest> {
    let mut polytope = Polytope::first(difference)?;
    for _ in 0..ROUNDS {
        let open = (0..polytope.faces.len()).filter(|&number| polytope.faces[number].normal != DVec3::ZERO);
        let least = open.min_by(|&a, &b| polytope.faces[a].height.total_cmp(&polytope.faces[b].height))?;
        let face = polytope.faces[least];
        if face.is_done {
            return Some(nearest(difference, &polytope, &face));
        }
        let next = difference.support(face.normal);
        let beyond = next.at.dot(face.normal) - face.height;
        let known = face.corners.iter().any(|&number| polytope.corners[number].is(&next));
        if known || beyond <= difference.noise || !polytope.grow(next, difference.noise) {
            polytope.faces[least].is_done = true;
        }
    }
    None
}

/// The nearest point of a face of the difference to the origin, which lies inside.
fn nearest(difference: &Difference<'_>, polytope: &Polytope, face: &Face) -> Nearest {
    let corners = face.corners.map(|number| polytope.corners[number]);
    let [p, q, r] = corners.map(|corner| corner.at);
    let across = (q - p).cross(r - p);
    let foot = face.normal * face.height;
    let area = |u: DVec3, v: DVec3| (u - foot).cross(v - foot).dot(across) / across.length_squared();
    // The face may be a piece of a larger one, and the foot lie on the rest of it: the nearest point of this piece stands for it.
    let shares = [area(q, r), area(r, p), area(p, q)].map(|share| share.clamp(0.0, 1.0));
    let sum: f64 = shares.iter().sum();
    let shares = if sum > 0.0 { shares.map(|share| share / sum) } else { [1.0, 0.0, 0.0] };
    let [on_a, on_b] = difference.sources(&corners, &shares);
    Nearest { distance: -face.height.max(0.0), normal: -face.normal, on_a, on_b }
}
