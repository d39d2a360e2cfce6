//! Bodies as flat faces, for drawing: round ones by as many as look round.

use super::solids::FlatFace;
use super::{Piece, Primitive, Sight};
use ironspin_model::{DVec3, SpaceShape};
use std::f64::consts::{FRAC_PI_2, TAU};

/// Faces around a cylinder or a capsule, and belts on each cap of a capsule.
const AROUND: usize = 24;
const BELTS: usize = 5;

/// Most faces of a mesh that are looked at to find what hides what.
const NORMALS: usize = 64;

/// Corners and faces, counter-clockwise seen from outside.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Facets {
    /// m.
    pub(crate) corners: Vec<DVec3>,
    pub(crate) faces: Vec<Vec<usize>>,
    /// Whether a line runs around each face: edges that there are, not ones that the drawing makes.
    pub(crate) edged: bool,
    /// Whether both sides of a face are seen.
    pub(crate) two_sided: bool,
}

impl Facets {
    /// Of a shape in its own frame; nothing for a sphere, a box and what has no end, which are drawn otherwise.
    pub(crate) fn of(shape: &SpaceShape) -> Option<Facets> {
        match shape {
            SpaceShape::Capsule { length, radius } => Some(capsule(0.5 * length, *radius)),
            SpaceShape::Cylinder { length, radius } => Some(cylinder(0.5 * length, *radius)),
            SpaceShape::Hull(hull) => Some(Facets {
                corners: hull.corners().to_vec(),
                faces: hull.faces().iter().map(|face| face.corners.iter().map(|&k| k as usize).collect()).collect(),
                edged: true,
                two_sided: false,
            }),
            SpaceShape::Mesh(mesh) => Some(Facets {
                corners: mesh.points().to_vec(),
                faces: mesh.faces().iter().map(|face| face.map(|k| k as usize).to_vec()).collect(),
                edged: true,
                two_sided: true,
            }),
            SpaceShape::Sphere(_) | SpaceShape::Box(_) | SpaceShape::HalfSpace(_) => None,
        }
    }

    /// The middle of the box around it.
    pub(super) fn centre(&self) -> DVec3 {
        let low = self.corners.iter().copied().fold(DVec3::INFINITY, DVec3::min);
        let high = self.corners.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max);
        0.5 * (low + high)
    }

    fn normal(&self, face: &[usize]) -> DVec3 {
        let of = |k: usize| self.corners[face[k % face.len()]];
        (1..face.len().saturating_sub(1))
            .map(|k| (of(k) - of(0)).cross(of(k + 1) - of(0)))
            .sum::<DVec3>()
            .normalize_or_zero()
    }

    /// Normals of the first faces.
    pub(super) fn normals(&self) -> impl Iterator<Item = DVec3> + '_ {
        self.faces.iter().take(NORMALS).map(|face| self.normal(face))
    }

    /// All faces about a centre.
    pub(super) fn placed(&self, centre: DVec3) -> Vec<FlatFace> {
        let face = |face: &Vec<usize>| FlatFace {
            corners: face.iter().map(|&k| centre + self.corners[k]).collect(),
            normal: self.normal(face),
            edged: self.edged || face.len() > 4,
            two_sided: self.two_sided,
        };
        self.faces.iter().map(face).collect()
    }

    /// The faces that look at the eye, about a centre, as seen, the furthest first.
    pub(super) fn seen(&self, centre: DVec3, sight: &Sight) -> Vec<Piece> {
        let mut faces: Vec<(f64, Piece)> = Vec::new();
        for face in &self.faces {
            let normal = self.normal(face);
            let toward = normal.dot(sight.toward);
            if toward.abs() < 1e-6 || (toward < 0.0 && !self.two_sided) {
                continue;
            }
            let middle = face.iter().map(|&k| self.corners[k]).sum::<DVec3>() / face.len() as f64;
            let area = face.iter().map(|&k| sight.project(centre + self.corners[k])).collect();
            let light = sight.light(if toward < 0.0 { -normal } else { normal });
            let edged = self.edged || face.len() > 4;
            faces.push((middle.dot(sight.toward), Piece { primitive: Primitive::Area(area), light, edged }));
        }
        faces.sort_by(|a, b| a.0.total_cmp(&b.0));
        faces.into_iter().map(|(_, piece)| piece).collect()
    }
}

fn ring(x: f64, radius: f64) -> impl Iterator<Item = DVec3> {
    (0..AROUND).map(move |k| {
        let angle = TAU * k as f64 / AROUND as f64;
        DVec3::new(x, radius * libm::cos(angle), radius * libm::sin(angle))
    })
}

/// Bands between rings that follow each other along x.
fn bands(rings: usize) -> Vec<Vec<usize>> {
    let face = |belt: usize, k: usize| {
        let (from, next) = (belt * AROUND, (k + 1) % AROUND);
        vec![from + k, from + next, from + AROUND + next, from + AROUND + k]
    };
    (0..rings - 1).flat_map(|belt| (0..AROUND).map(move |k| face(belt, k))).collect()
}

fn turned_round(mut face: Vec<usize>) -> Vec<usize> {
    face.reverse();
    face
}

fn cylinder(half: f64, radius: f64) -> Facets {
    let corners: Vec<DVec3> = ring(-half, radius).chain(ring(half, radius)).collect();
    let mut faces = bands(2);
    faces.push(turned_round((0..AROUND).collect()));
    faces.push((AROUND..2 * AROUND).collect());
    Facets { corners, faces, edged: false, two_sided: false }
}

fn capsule(half: f64, radius: f64) -> Facets {
    let mut corners = Vec::new();
    // Poles are small rings.
    let steps = (0..=BELTS).rev().map(|belt| (-1.0, belt)).chain((0..=BELTS).map(|belt| (1.0, belt)));
    for (side, belt) in steps {
        let angle = FRAC_PI_2 * (belt as f64 / BELTS as f64).min(0.99);
        corners.extend(ring(side * (half + radius * libm::sin(angle)), radius * libm::cos(angle)));
    }
    let rings = corners.len() / AROUND;
    let mut faces = bands(rings);
    faces.push(turned_round((0..AROUND).collect()));
    faces.push(((rings - 1) * AROUND..rings * AROUND).collect());
    Facets { corners, faces, edged: false, two_sided: false }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_face_of_what_is_round_looks_outward() {
        for shape in
            [SpaceShape::Capsule { length: 1.0, radius: 0.3 }, SpaceShape::Cylinder { length: 1.0, radius: 0.3 }]
        {
            let facets = Facets::of(&shape).unwrap();
            for face in &facets.faces {
                let middle = face.iter().map(|&k| facets.corners[k]).sum::<DVec3>() / face.len() as f64;
                assert!(facets.normal(face).dot(middle) > 0.0, "{shape:?} {face:?}");
            }
            let furthest = facets.corners.iter().map(|corner| corner.length()).fold(0.0, f64::max);
            assert!(furthest <= shape.reach() + 1e-12 && furthest > 0.95 * shape.reach());
        }
    }
}
