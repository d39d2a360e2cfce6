//! Surfaces of triangles.

use glam::DVec3;
use std::collections::BTreeMap;
use thiserror::Error;

/// Triangles on common points, counter-clockwise seen from outside.
#[derive(Clone, Debug, PartialEq)]
pub struct TriangleMesh {
    points: Vec<DVec3>,
    faces: Vec<[u32; 3]>,
}

/// Why points and faces make no surface.
#[derive(Clone, Debug, Error, PartialEq)]
pub enum MeshError {
    /// No face, or more points or faces than [`TriangleMesh::MOST`].
    #[error("a mesh of {points} points and {faces} faces, and 1 to {} faces are due", TriangleMesh::MOST)]
    Count {
        /// How many points there are.
        points: usize,
        /// How many faces there are.
        faces: usize,
    },
    /// A coordinate is not a number or not finite.
    #[error("point {point} of the mesh is not finite")]
    NotFinite {
        /// Which.
        point: usize,
    },
    /// A face names a point that is not there.
    #[error("face {face} of the mesh names point {point}, and there are {points}")]
    NoPoint {
        /// Which face.
        face: usize,
        /// What it names.
        point: u32,
        /// How many points there are.
        points: usize,
    },
    /// A face without an area.
    #[error("face {face} of the mesh has no area")]
    Degenerate {
        /// Which.
        face: usize,
    },
}

impl TriangleMesh {
    /// Most points, and most faces.
    pub const MOST: usize = 1 << 21;

    /// A surface.
    ///
    /// # Errors
    /// [`MeshError`] when a point is not finite, a face names a point that is not there or has no area, or there are none or too many.
    pub fn new(points: Vec<DVec3>, faces: Vec<[u32; 3]>) -> Result<TriangleMesh, MeshError> {
        if faces.is_empty() || faces.len() > Self::MOST || points.len() > Self::MOST {
            return Err(MeshError::Count { points: points.len(), faces: faces.len() });
        }
        if let Some(point) = points.iter().position(|point| !point.is_finite()) {
            return Err(MeshError::NotFinite { point });
        }
        for (face, corners) in faces.iter().enumerate() {
            if let Some(&point) = corners.iter().find(|&&point| point as usize >= points.len()) {
                return Err(MeshError::NoPoint { face, point, points: points.len() });
            }
            let [p, q, r] = corners.map(|k| points[k as usize]);
            if (q - p).cross(r - p).length_squared() == 0.0 {
                return Err(MeshError::Degenerate { face });
            }
        }
        Ok(TriangleMesh { points, faces })
    }

    /// Its points, m.
    pub fn points(&self) -> &[DVec3] {
        &self.points
    }

    /// The corners of each triangle.
    pub fn faces(&self) -> &[[u32; 3]] {
        &self.faces
    }

    /// The three corners of a face, m.
    pub fn corners(&self, face: usize) -> [DVec3; 3] {
        self.faces[face].map(|k| self.points[k as usize])
    }

    /// Whether every edge is gone along once in each direction, so that the surface has an inside.
    pub fn is_closed(&self) -> bool {
        let mut edges: BTreeMap<(u32, u32), u32> = BTreeMap::new();
        for corners in &self.faces {
            for k in 0..3 {
                *edges.entry((corners[k], corners[(k + 1) % 3])).or_default() += 1;
            }
        }
        edges.iter().all(|(&(from, to), &count)| count == 1 && edges.get(&(to, from)) == Some(&1))
    }

    /// The mesh with every point carried elsewhere by a map that keeps shapes: a scale or a turn. Where it makes faces without an area the mesh is kept
    /// as it is.
    #[must_use]
    pub fn carried(&self, map: &dyn Fn(DVec3) -> DVec3) -> TriangleMesh {
        let points = self.points.iter().map(|&point| map(point)).collect();
        TriangleMesh::new(points, self.faces.clone()).unwrap_or_else(|_| self.clone())
    }

    /// The same surface with its faces looking the other way.
    #[must_use]
    pub fn turned_inside_out(&self) -> TriangleMesh {
        let faces = self.faces.iter().map(|&[p, q, r]| [p, r, q]).collect();
        TriangleMesh { points: self.points.clone(), faces }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tetrahedron_is_closed_and_without_a_face_it_is_open() {
        let points = vec![DVec3::ZERO, DVec3::X, DVec3::Y, DVec3::Z];
        let faces = vec![[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]];
        let whole = TriangleMesh::new(points.clone(), faces.clone()).unwrap();
        assert!(whole.is_closed() && whole.turned_inside_out().is_closed());
        assert!(!TriangleMesh::new(points.clone(), faces[1..].to_vec()).unwrap().is_closed());
        let mut one_turned = faces;
        one_turned[0] = [0, 1, 2];
        assert!(!TriangleMesh::new(points, one_turned).unwrap().is_closed());
    }

    #[test]
    fn what_is_no_surface_is_refused_with_its_place() {
        let points = || vec![DVec3::ZERO, DVec3::X, DVec3::Y, 2.0 * DVec3::X];
        let error = |points, faces| TriangleMesh::new(points, faces).unwrap_err();
        assert_eq!(error(points(), vec![]), MeshError::Count { points: 4, faces: 0 });
        assert_eq!(error(points(), vec![[0, 1, 2], [0, 1, 4]]), MeshError::NoPoint { face: 1, point: 4, points: 4 });
        assert_eq!(error(points(), vec![[0, 1, 3]]), MeshError::Degenerate { face: 0 });
        let broken = vec![DVec3::ZERO, DVec3::NAN, DVec3::Y];
        assert_eq!(error(broken, vec![[0, 1, 2]]), MeshError::NotFinite { point: 1 });
    }
}
