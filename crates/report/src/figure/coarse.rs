//! Large surfaces with fewer faces, for pictures alone: gauges and engines have them whole.
//!
//! Source: Rossignac and Borrel, "Multi-resolution 3D approximations for rendering complex scenes" (1993): points of one cell become their mean.

use ironspin_model::{DVec3, Shape, SpaceShape, TriangleMesh, World};
use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Most faces of a surface that is drawn as it is.
const MOST: usize = 1_500;
/// Cells along the longest side, finest first.
const CELLS: [f64; 9] = [96.0, 64.0, 48.0, 32.0, 24.0, 16.0, 12.0, 8.0, 4.0];

/// A world as it is drawn, with fewer faces where a surface has many, and a line for each of those.
pub fn coarsened(world: &World) -> (Cow<'_, World>, Vec<String>) {
    let (mut drawn, mut notes) = (Cow::Borrowed(world), Vec::new());
    for (id, body) in world.bodies.iter().enumerate() {
        for (part, shape) in body.parts.iter().map(|part| &part.shape).enumerate() {
            let Some(SpaceShape::Mesh(mesh)) = shape.spatial() else { continue };
            let Some(coarse) = coarser(mesh) else { continue };
            let (few, all) = (coarse.faces().len(), mesh.faces().len());
            notes.push(format!("the surface of {} is drawn with {few} of its {all} faces", body.name));
            drawn.to_mut().bodies[id].parts[part].shape = Shape::Space(SpaceShape::Mesh(Arc::new(coarse)));
        }
    }
    (drawn, notes)
}

/// A surface with fewer faces; nothing where it has few, or where nothing would be left of it.
fn coarser(mesh: &TriangleMesh) -> Option<TriangleMesh> {
    if mesh.faces().len() <= MOST {
        return None;
    }
    let few = |(points, faces): (Vec<DVec3>, Vec<[u32; 3]>)| (faces.len() <= MOST).then_some((points, faces));
    let (points, faces) = CELLS.into_iter().find_map(|cells| few(clustered(mesh, cells)))?;
    TriangleMesh::new(points, faces).ok()
}

fn clustered(mesh: &TriangleMesh, cells: f64) -> (Vec<DVec3>, Vec<[u32; 3]>) {
    let points = mesh.points();
    let low = points.iter().copied().fold(DVec3::INFINITY, DVec3::min);
    let high = points.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max);
    let side = (high - low).max_element().max(f64::MIN_POSITIVE) / cells;
    let mut numbers: BTreeMap<[u64; 3], u32> = BTreeMap::new();
    let (mut sums, mut number_of) = (Vec::new(), Vec::new());
    for &point in points {
        let cell = ((point - low) / side).to_array().map(|along| along as u64);
        let number = *numbers.entry(cell).or_insert(sums.len() as u32);
        if number as usize == sums.len() {
            sums.push((DVec3::ZERO, 0.0));
        }
        let (sum, count) = &mut sums[number as usize];
        (*sum, *count) = (*sum + point, *count + 1.0);
        number_of.push(number);
    }
    let points: Vec<DVec3> = sums.into_iter().map(|(sum, count)| sum / count).collect();
    let mut known = BTreeSet::new();
    let has_area = |[a, b, c]: [u32; 3]| {
        let [p, q, r] = [a, b, c].map(|corner| points[corner as usize]);
        (q - p).cross(r - p).length_squared() > 0.0
    };
    let faces = mesh.faces().iter().map(|face| face.map(|corner| number_of[corner as usize]));
    let faces = faces.filter(|&face| {
        let mut sorted = face;
        sorted.sort_unstable();
        // What has shrunk to a line or a point is not seen, and what lies on another is seen once.
        has_area(face) && known.insert(sorted)
    });
    let faces = faces.collect();
    (points, faces)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Body, Dimension, Part};

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
        assert_eq!(coarser(&sheet(20)), None);
        let large = sheet(120);
        let coarse = coarser(&large).expect("fewer faces");
        assert!((400..=MOST).contains(&coarse.faces().len()), "{} faces", coarse.faces().len());
        for point in coarse.points() {
            let hill = 0.2 * libm::exp(-10.0 * (point.x * point.x + point.z * point.z));
            assert!((point.y - hill).abs() < 0.01, "{point}");
        }
        assert!(coarse.points().iter().any(|point| point.y > 0.19));
    }

    #[test]
    fn a_world_is_copied_for_its_pictures_only_where_a_surface_is_large() {
        let of = |mesh: TriangleMesh| {
            let yard = Body { parts: vec![Part::solid(SpaceShape::Mesh(Arc::new(mesh)), 0)], ..Body::plain("yard") };
            World { dimension: Dimension::Space, bodies: vec![yard], ..World::planar(1.0) }
        };
        let small = of(sheet(20));
        assert!(matches!(coarsened(&small), (Cow::Borrowed(_), notes) if notes.is_empty()));
        let large = of(sheet(120));
        let (drawn, notes) = coarsened(&large);
        assert!(
            notes[0].starts_with("the surface of yard is drawn with ") && notes[0].ends_with(" of its 28800 faces")
        );
        assert_ne!(*drawn, large);
    }
}
