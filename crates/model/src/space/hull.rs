//! Convex bodies given by their corners.
//!
//! Source: Barber, Dobkin and Huhdanpaa, "The Quickhull algorithm for convex hulls" (1996): the point furthest from a face replaces all
//! faces that it sees.

use super::quickhull;
use glam::DVec3;
use thiserror::Error;

/// Faces whose corners lie in one plane within this share of the extent are one face: as exactly as files of single precision have them.
const FLAT: f64 = 1e-7;

/// A convex body: its corners and its flat faces.
#[derive(Clone, Debug)]
pub struct Hull {
    corners: Vec<DVec3>,
    triangles: Vec<[u32; 3]>,
    faces: Vec<HullFace>,
    thickness: f64,
}

/// A flat face of a hull.
#[derive(Clone, Debug, PartialEq)]
pub struct HullFace {
    /// Outward unit vector.
    pub normal: DVec3,
    /// Distance of its plane from the origin along the normal, m.
    pub level: f64,
    /// Its corners, counter-clockwise seen from outside.
    pub corners: Vec<u32>,
}

/// Why points are not the corners of a convex body.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum HullError {
    /// Fewer than four, or more than [`Hull::MOST_CORNERS`] that are corners.
    #[error("a hull of {found} corners, and 4 to {} are due", Hull::MOST_CORNERS)]
    Count {
        /// How many there are.
        found: usize,
    },
    /// A coordinate is not a number or not finite.
    #[error("corner {corner} of the hull is not finite")]
    NotFinite {
        /// Which.
        corner: usize,
    },
    /// All points lie in one plane, or nearly.
    #[error("all corners of the hull lie in one plane, so that it has no volume")]
    Flat,
}

/// Two are the same when their corners are.
impl PartialEq for Hull {
    fn eq(&self, other: &Self) -> bool {
        self.corners == other.corners
    }
}

impl Hull {
    /// Most corners of a hull.
    pub const MOST_CORNERS: usize = 256;

    /// The convex hull of some points. Points that lie within the others are left out.
    ///
    /// # Errors
    /// [`HullError`] when they enclose no volume, one is not finite, or too many of them are corners.
    pub fn new(points: &[DVec3]) -> Result<Hull, HullError> {
        if points.len() < 4 {
            return Err(HullError::Count { found: points.len() });
        }
        if let Some(corner) = points.iter().position(|point| !point.is_finite()) {
            return Err(HullError::NotFinite { corner });
        }
        let triangles = quickhull::triangles(points).ok_or(HullError::Flat)?;
        let mut used = vec![false; points.len()];
        triangles.iter().flatten().for_each(|&number| used[number as usize] = true);
        let found = used.iter().filter(|used| **used).count();
        if found > Self::MOST_CORNERS {
            return Err(HullError::Count { found });
        }
        let mut numbers = vec![0; points.len()];
        let mut corners = Vec::with_capacity(found);
        for (number, &point) in points.iter().enumerate().filter(|&(number, _)| used[number]) {
            numbers[number] = corners.len() as u32;
            corners.push(point);
        }
        let triangles: Vec<[u32; 3]> =
            triangles.into_iter().map(|triangle| triangle.map(|number| numbers[number as usize])).collect();
        let extent = quickhull::extent(&corners).max_element();
        let faces = quickhull::flat_faces(&corners, &triangles, FLAT * extent);
        let width = |face: &HullFace| {
            let heights = corners.iter().map(|corner| face.level - face.normal.dot(*corner));
            heights.fold(0.0, f64::max)
        };
        let thickness = faces.iter().map(width).fold(f64::INFINITY, f64::min);
        Ok(Hull { corners, triangles, faces, thickness })
    }

    /// Its corners, m, in the order given.
    pub fn corners(&self) -> &[DVec3] {
        &self.corners
    }

    /// Its surface in triangles, counter-clockwise seen from outside.
    pub fn triangles(&self) -> &[[u32; 3]] {
        &self.triangles
    }

    /// Its flat faces.
    pub fn faces(&self) -> &[HullFace] {
        &self.faces
    }

    /// The least width across one of its faces, m.
    pub fn thickness(&self) -> f64 {
        self.thickness
    }

    /// The hull with every corner carried elsewhere by a map that keeps shapes: a scale, a turn or a mirror. Where it leaves no volume that numbers can
    /// hold, the hull is kept as it is.
    #[must_use]
    pub fn carried(&self, map: &dyn Fn(DVec3) -> DVec3) -> Hull {
        let corners: Vec<DVec3> = self.corners.iter().map(|&corner| map(corner)).collect();
        Hull::new(&corners).unwrap_or_else(|_| self.clone())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cube() -> Vec<DVec3> {
        (0..8).map(|k| DVec3::new(f64::from(k & 1), f64::from(k >> 1 & 1), f64::from(k >> 2 & 1))).collect()
    }

    #[test]
    fn a_cube_has_six_faces_of_four_corners_whatever_lies_within_it() {
        let mut points = cube();
        points.insert(3, DVec3::splat(0.5));
        points.push(DVec3::new(0.5, 0.0, 0.5));
        points.push(DVec3::new(0.5, 0.0, 0.0));
        let hull = Hull::new(&points).unwrap();
        assert_eq!(hull.faces().len(), 6);
        assert!(hull.faces().iter().all(|face| face.corners.len() == 4), "{:?}", hull.faces());
        assert_eq!(hull.thickness(), 1.0);
        for face in hull.faces() {
            let middle = face.corners.iter().map(|&k| hull.corners()[k as usize]).sum::<DVec3>() / 4.0;
            assert!(((middle - DVec3::splat(0.5)) - 0.5 * face.normal).length() < 1e-15);
        }
    }

    #[test]
    fn faces_are_counter_clockwise_and_hold_every_corner_below_them() {
        let points: Vec<DVec3> = (0..200)
            .map(|k| {
                let (a, b) = (f64::from(k) * 2.399_963, 1.0 - 2.0 * (f64::from(k) + 0.5) / 200.0);
                let ring = (1.0 - b * b).sqrt();
                DVec3::new(ring * a.cos(), 0.5 * b, ring * a.sin())
            })
            .collect();
        let hull = Hull::new(&points).unwrap();
        assert_eq!(hull.corners().len(), 200);
        // Euler: triangles only, so that faces are twice the corners less four.
        assert_eq!(hull.triangles().len(), 396);
        for face in hull.faces() {
            let of = |k: usize| hull.corners()[face.corners[k] as usize];
            assert!((of(1) - of(0)).cross(of(2) - of(1)).dot(face.normal) > 0.0);
            assert!(points.iter().all(|point| face.normal.dot(*point) - face.level < 1e-12));
        }
    }

    #[test]
    fn what_has_no_volume_or_is_not_finite_is_refused() {
        assert_eq!(Hull::new(&cube()[..3]), Err(HullError::Count { found: 3 }));
        let flat: Vec<DVec3> = cube().into_iter().map(|point| point * DVec3::new(1.0, 0.0, 1.0)).collect();
        assert_eq!(Hull::new(&flat), Err(HullError::Flat));
        assert_eq!(Hull::new(&[DVec3::ONE; 9]), Err(HullError::Flat));
        let mut broken = cube();
        broken[5].y = f64::NAN;
        assert_eq!(Hull::new(&broken), Err(HullError::NotFinite { corner: 5 }));
        let round: Vec<DVec3> = (0..400)
            .map(|k| {
                let (a, b) = (f64::from(k) * 2.399_963, 1.0 - 2.0 * (f64::from(k) + 0.5) / 400.0);
                DVec3::new((1.0 - b * b).sqrt() * a.cos(), b, (1.0 - b * b).sqrt() * a.sin())
            })
            .collect();
        assert_eq!(Hull::new(&round), Err(HullError::Count { found: 400 }));
    }
}
