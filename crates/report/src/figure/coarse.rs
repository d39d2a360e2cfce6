//! Large surfaces with fewer faces, for pictures alone: gauges and engines have them whole.
//!
//! Source: Rossignac and Borrel, "Multi-resolution 3D approximations for rendering complex scenes" (1993): points of one cell become their mean.

use ironspin_model::{DVec3, SpaceShape, TriangleMesh, World};
use std::collections::{BTreeMap, BTreeSet};

/// Most faces of a surface that is drawn as it is.
const MOST: usize = 1_500;
/// Cells along the longest side, finest first.
const CELLS: [f64; 9] = [96.0, 64.0, 48.0, 32.0, 24.0, 16.0, 12.0, 8.0, 4.0];

/// Points and faces to draw a surface by: its own, or fewer where it has many.
pub(super) fn to_draw(mesh: &TriangleMesh) -> (Vec<DVec3>, Vec<Vec<usize>>) {
    let own = || mesh.faces().iter().map(|face| face.map(|k| k as usize).to_vec()).collect();
    if mesh.faces().len() <= MOST {
        return (mesh.points().to_vec(), own());
    }
    let mut last = (mesh.points().to_vec(), own());
    for cells in CELLS {
        last = clustered(mesh, cells);
        if last.1.len() <= MOST {
            break;
        }
    }
    last
}

fn clustered(mesh: &TriangleMesh, cells: f64) -> (Vec<DVec3>, Vec<Vec<usize>>) {
    let points = mesh.points();
    let low = points.iter().copied().fold(DVec3::INFINITY, DVec3::min);
    let high = points.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max);
    let side = (high - low).max_element().max(f64::MIN_POSITIVE) / cells;
    let mut numbers: BTreeMap<[u64; 3], usize> = BTreeMap::new();
    let (mut sums, mut number_of) = (Vec::new(), Vec::new());
    for &point in points {
        let cell = ((point - low) / side).to_array().map(|along| along as u64);
        let number = *numbers.entry(cell).or_insert(sums.len());
        if number == sums.len() {
            sums.push((DVec3::ZERO, 0.0));
        }
        sums[number] = (sums[number].0 + point, sums[number].1 + 1.0);
        number_of.push(number);
    }
    let mut known = BTreeSet::new();
    let mut faces = Vec::new();
    for face in mesh.faces() {
        let corners = face.map(|k| number_of[k as usize]);
        let mut sorted = corners;
        sorted.sort_unstable();
        // What has shrunk to a line or a point is not seen, and what lies on another is seen once.
        if sorted[0] < sorted[1] && sorted[1] < sorted[2] && known.insert(sorted) {
            faces.push(corners.to_vec());
        }
    }
    (sums.into_iter().map(|(sum, count)| sum / count).collect(), faces)
}

/// A line for each surface of a world that is drawn with fewer faces than it has.
pub fn drawn_coarser(world: &World) -> Vec<String> {
    let parts = world.bodies.iter().flat_map(|body| body.parts.iter().map(move |part| (body, part)));
    let coarser = parts.filter_map(|(body, part)| match part.shape.spatial()? {
        SpaceShape::Mesh(mesh) if mesh.faces().len() > MOST => {
            let (all, few) = (mesh.faces().len(), to_draw(mesh).1.len());
            Some(format!("the surface of {} is drawn with {few} of its {all} faces", body.name))
        }
        _ => None,
    });
    coarser.collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A sheet of so many squares a side, a hill in its middle.
    fn sheet(squares: u32) -> TriangleMesh {
        let along = squares + 1;
        let at = |k: u32| f64::from(k) / f64::from(squares) - 0.5;
        let points = (0..along * along).map(|k| {
            let (x, z) = (at(k % along), at(k / along));
            DVec3::new(x, 0.2 * libm::exp(-10.0 * (x * x + z * z)), z)
        });
        let faces = (0..squares * squares).flat_map(|k| {
            let a = k / squares * along + k % squares;
            [[a, a + along, a + 1], [a + 1, a + along, a + along + 1]]
        });
        TriangleMesh::new(points.collect(), faces.collect()).expect("a surface")
    }

    #[test]
    fn a_large_surface_is_drawn_with_fewer_faces_close_to_it_and_a_small_one_as_it_is() {
        let small = sheet(20);
        assert_eq!(to_draw(&small).1.len(), 800);
        let large = sheet(120);
        let (points, faces) = to_draw(&large);
        assert!((400..=MOST).contains(&faces.len()), "{} of {} faces", faces.len(), large.faces().len());
        for point in &points {
            let hill = 0.2 * libm::exp(-10.0 * (point.x * point.x + point.z * point.z));
            assert!((point.y - hill).abs() < 0.01, "{point}");
        }
        assert!(points.iter().any(|point| point.y > 0.19));
    }
}
