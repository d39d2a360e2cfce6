//! Directions that separate two bodies of flat faces: of faces, and across two edges.
//!
//! Source: Gottschalk, Lin and Manocha, "OBBTree" (1996), section 5, for boxes; Gregorius, "The Separating Axis Test between Convex
//! Polyhedra" (2013), for the arcs of the Gauss map by which most pairs of edges are passed over.

use crate::common::scalar::Real;
use crate::space::shell::{Core, View};
use crate::space::vector::Vec3;

/// Sine of the angle below which two edges are parallel.
const PARALLEL: f64 = 1e-7;

/// A direction from the first to the second, and the gap along it, without radii; negative for overlap.
#[derive(Clone, Copy, Debug)]
pub(super) struct Axis<R> {
    pub(super) gap: R,
    pub(super) normal: Vec3<R>,
}

fn better<R: Real>(best: &mut Option<Axis<R>>, tried: Axis<R>) {
    if best.is_none_or(|known| tried.gap > known.gap) {
        *best = Some(tried);
    }
}

/// The gap along a unit direction from the first to the second.
fn gap_along<R: Real>(a: &Core<'_, R>, b: &Core<'_, R>, normal: Vec3<R>) -> R {
    -b.height(-normal) - a.height(normal)
}

/// The best face of each, and the best pair of edges.
pub(super) fn best_axes<R: Real>(a: &Core<'_, R>, b: &Core<'_, R>) -> [Option<Axis<R>>; 3] {
    let (mut first, mut second, mut edges) = (None, None, None);
    for (number, face) in a.view.faces.iter().enumerate().take(a.view.sides()) {
        let normal = a.face_normal(number);
        let gap = -b.height(-normal) - (face.level + normal.dot(a.pose.position));
        better(&mut first, Axis { gap, normal });
    }
    for (number, face) in b.view.faces.iter().enumerate().take(b.view.sides()) {
        let normal = b.face_normal(number);
        let gap = -a.height(-normal) - (face.level + normal.dot(b.pose.position));
        better(&mut second, Axis { gap, normal: -normal });
    }
    if a.view.is_solid() && b.view.is_solid() {
        across_arcs(a, b, &mut edges);
    } else {
        for i in 0..a.view.edges.len() {
            for j in 0..b.view.edges.len() {
                across(a, b, i, j, &mut edges);
            }
        }
    }
    [first, second, edges]
}

/// The direction across two edges, where they have one.
fn unit_across<R: Real>(p: Vec3<R>, q: Vec3<R>) -> Option<Vec3<R>> {
    let across = p.cross(q);
    let square = across.dot(across);
    let limit = R::of(PARALLEL * PARALLEL) * p.dot(p) * q.dot(q);
    (square > limit).then(|| across * (R::ONE / square.sqrt()))
}

fn across<R: Real>(a: &Core<'_, R>, b: &Core<'_, R>, i: usize, j: usize, best: &mut Option<Axis<R>>) {
    let (p, q) = (a.edge(i), b.edge(j));
    let Some(unit) = unit_across(p[1] - p[0], q[1] - q[0]) else { return };
    for normal in [unit, -unit] {
        better(best, Axis { gap: gap_along(a, b, normal), normal });
    }
}

/// An edge of the second body in the frame of the first.
#[derive(Clone, Copy, Debug, Default)]
struct Seen<R> {
    point: Vec3<R>,
    along: Vec3<R>,
    /// Normals of its faces, turned round, and their product.
    faces: [Vec3<R>; 2],
    product: Vec3<R>,
}

/// Edges of the second body that are carried over together.
const BATCH: usize = 32;

/// Directions across edges of two solid bodies: only where the arcs between the normals of their faces cross can the gap be least.
fn across_arcs<R: Real>(a: &Core<'_, R>, b: &Core<'_, R>, best: &mut Option<Axis<R>>) {
    let turned = |v: Vec3<R>| a.pose.axes.times_back(b.pose.axes.times(v));
    let place = |point: Vec3<R>| a.pose.point_back(b.pose.point(point));
    let mut found: Option<Axis<R>> = None;
    for batch in b.view.edges.chunks(BATCH) {
        let mut seen = [Seen::default(); BATCH];
        for (seen, edge) in seen.iter_mut().zip(batch) {
            let [p, q] = edge.ends.map(|end| b.view.corners[end as usize]);
            let faces = edge.faces.map(|face| -turned(b.view.faces[face as usize].normal));
            *seen = Seen { point: place(p), along: turned(q - p), faces, product: faces[1].cross(faces[0]) };
        }
        for edge in a.view.edges {
            let [p, q] = edge.ends.map(|end| a.view.corners[end as usize]);
            let faces = edge.faces.map(|face| a.view.faces[face as usize].normal);
            let product = faces[1].cross(faces[0]);
            for other in &seen[..batch.len()] {
                let crossing = arcs_cross(faces, product, other.faces, other.product);
                if crossing == Arcs::Apart {
                    continue;
                }
                let Some(unit) = unit_across(q - p, other.along) else { continue };
                let normal = if unit.dot(faces[0] + faces[1]) < R::ZERO { -unit } else { unit };
                let gap = if crossing == Arcs::Cross {
                    normal.dot(other.point - p)
                } else {
                    gap_along(a, b, a.pose.axes.times(normal))
                };
                better(&mut found, Axis { gap, normal });
            }
        }
    }
    *best = found.map(|axis| Axis { normal: a.pose.axes.times(axis.normal), ..axis });
}

/// How two arcs between unit vectors lie.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Arcs {
    Apart,
    Cross,
    /// An end of one lies on the great circle of the other but for rounding, before or behind: of faces that are parallel. Whether they cross is not known, nor
    /// whether both edges lie furthest out.
    Touch,
}

/// Roundings of a product of three unit vectors, in steps of the scalar.
const ROUNDINGS: f64 = 256.0;

/// How the arc between two unit vectors lies to the arc between two others, with the product of each pair.
#[inline]
fn arcs_cross<R: Real>([a, b]: [Vec3<R>; 2], ba: Vec3<R>, [c, d]: [Vec3<R>; 2], dc: Vec3<R>) -> Arcs {
    let (cba, dba, adc, bdc) = (c.dot(ba), d.dot(ba), a.dot(dc), b.dot(dc));
    let none = R::of(ROUNDINGS) * R::EPSILON;
    let opposed = |one: R, other: R| one * other <= R::ZERO || one.abs().min(other.abs()) <= none;
    if !(opposed(cba, dba) && opposed(adc, bdc)) {
        return Arcs::Apart;
    }
    if cba.abs().min(dba.abs()).min(adc.abs()).min(bdc.abs()) <= none {
        return Arcs::Touch;
    }
    if cba * bdc >= R::ZERO { Arcs::Cross } else { Arcs::Apart }
}

/// The smallest distance of two that do not overlap, from the first to the second.
pub(super) fn distance<R: Real>(a: &Core<'_, R>, b: &Core<'_, R>) -> (Vec3<R>, Vec3<R>) {
    let mut best: (R, Vec3<R>, Vec3<R>) = (R::INFINITY, Vec3::ZERO, Vec3::ZERO);
    let mut keep = |from: Vec3<R>, to: Vec3<R>| {
        let way = to - from;
        let square = way.dot(way);
        if square < best.0 {
            best = (square, from, to);
        }
        best.0
    };
    let mut least = R::INFINITY;
    for i in 0..a.view.corners.len() {
        for j in 0..b.view.corners.len() {
            least = keep(a.corner(i), b.corner(j));
        }
    }
    for (one, other, turned) in [(a, b, false), (b, a, true)] {
        for number in 0..one.view.corners.len() {
            let point = one.corner(number);
            if let Some(foot) = foot_on_face(other, point, least) {
                least = if turned { keep(foot, point) } else { keep(point, foot) };
            }
        }
    }
    for i in 0..a.view.edges.len() {
        let p = a.edge(i);
        let middle = (p[0] + p[1]) * R::HALF;
        let half = (p[1] - p[0]).length() * R::HALF;
        for j in 0..b.view.edges.len() {
            let q = b.edge(j);
            let reach = half + (q[1] - q[0]).length() * R::HALF + least.sqrt();
            let between = (q[0] + q[1]) * R::HALF - middle;
            if between.dot(between) <= reach * reach {
                let (from, to) = super::apart::nearest_of_segments(p, q);
                least = keep(from, to);
            }
        }
        // An edge beside a point, which has none.
        if b.view.edges.is_empty() {
            let (from, to) = super::apart::nearest_on_segment(p, b.corner(0));
            least = keep(from, to);
        }
    }
    if a.view.edges.is_empty() {
        for j in 0..b.view.edges.len() {
            let (from, to) = super::apart::nearest_on_segment(b.edge(j), a.corner(0));
            keep(to, from);
        }
    }
    (best.1, best.2)
}

/// The foot of a point amid a face that it lies above, nearer than the root of a square.
fn foot_on_face<R: Real>(on: &Core<'_, R>, point: Vec3<R>, least: R) -> Option<Vec3<R>> {
    let own = on.pose.point_back(point);
    let mut best: Option<(R, Vec3<R>)> = None;
    for (number, face) in on.view.faces.iter().enumerate() {
        let height = face.normal.dot(own) - face.level;
        // One that touches may lie below by a rounding.
        let near = -R::of(16.0) * R::EPSILON * own.abs().largest().max(face.level.abs());
        let height = if height < R::ZERO && height >= near { R::ZERO } else { height };
        if height >= R::ZERO && height * height < least && best.is_none_or(|(low, _)| height < low) {
            let foot = own - face.normal * height;
            if is_amid(&on.view, number, foot) {
                best = Some((height, on.pose.point(foot)));
            }
        }
    }
    best.map(|(_, foot)| foot)
}

/// Whether a point of a face's plane lies amid the face.
fn is_amid<R: Real>(view: &View<'_, R>, face: usize, point: Vec3<R>) -> bool {
    let ring = view.ring(face);
    let normal = view.faces[face].normal;
    (0..ring.len()).all(|k| {
        let (p, q) = (view.corners[ring[k] as usize], view.corners[ring[(k + 1) % ring.len()] as usize]);
        (q - p).cross(point - p).dot(normal) >= R::ZERO
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::space::shell::Shell;
    use crate::space::vector::{Mat3, Pose, Quat};
    use ironspin_model::{DVec3, Hull};
    use proptest::prelude::*;

    fn frustum(top: f64) -> Shell<f64> {
        let ring = |y: f64, x: f64, z: f64| [[-x, y, -z], [x, y, -z], [x, y, z], [-x, y, z]].map(DVec3::from_array);
        let points = [ring(-0.1, 0.15, 0.1), ring(0.1, 0.15 * top, 0.1 * top)].concat();
        Shell::hull(&Hull::new(&points).expect("a hull"))
    }

    proptest! {
        /// What is told of a direction across edges is what separates the bodies along it, also where faces are parallel.
        #[test]
        fn the_gap_across_edges_is_the_gap_along_its_direction(
            top in 0.3..1.0_f64, aligned in any::<bool>(), quarter in 0..4_u32, turn in prop::array::uniform3(-3.0..3.0_f64), at in prop::array::uniform3(-1.0..1.0_f64), coarse in any::<bool>(),
        ) {
            let (wedge, slab) = (frustum(top), Shell::<f64>::block(Vec3::new(0.5, 0.2, 0.5)));
            let level = Mat3([Vec3::axis(0), Vec3::axis(1), Vec3::axis(2)]);
            let turned = match (aligned, quarter) {
                (true, 0) => level,
                (true, k) => Quat::by(Vec3::axis(1) * (f64::from(k) * std::f64::consts::FRAC_PI_2)).axes(),
                (false, _) => Quat::by(Vec3::new(turn[0], turn[1], turn[2])).axes(),
            };
            let at = if coarse { at.map(|x| (x * 5.0).round() / 10.0) } else { at };
            let poses = [Pose { position: Vec3::ZERO, axes: level }, Pose { position: Vec3::new(at[0], at[1], at[2]), axes: turned }];
            let (a, b) = (Core::new(slab.view(), &poses[0], 0.0), Core::new(wedge.view(), &poses[1], 0.0));
            for (a, b) in [(&a, &b), (&b, &a)] {
                if let [_, _, Some(across)] = best_axes(a, b) {
                    prop_assert!((across.gap - gap_along(a, b, across.normal)).abs() < 1e-12, "{:?}", across);
                }
            }
        }
    }
}
