//! Directions in which a cylinder and another body are furthest apart, or least deep in each other.
//!
//! The gap of two convex bodies is the largest over all directions of what parts them along it, also where they overlap. Where it is largest the
//! direction is that of a flat face, across two straight lines, from an axis to a corner, from a rim to a corner, square to an ellipse as which a rim
//! is seen along a line, or, between two rims, one that a Newton iteration finds. Source: the support function of the Minkowski difference and its
//! faces (Schneider, "Convex Bodies", 2014, sections 1.7 and 3.1); Gottschalk, Lin and Manocha (1996) for flat bodies.

use super::ellipse::normals_toward;
use crate::common::scalar::Real;
use crate::space::shell::Core;
use crate::space::vector::{Pose, Vec3};

/// A cylinder where it stands.
#[derive(Clone, Copy, Debug)]
pub(super) struct Cylinder<R> {
    pub(super) centre: Vec3<R>,
    pub(super) axis: Vec3<R>,
    pub(super) half: R,
    pub(super) radius: R,
}

/// A direction and the gap along it.
#[derive(Clone, Copy, Debug)]
pub(super) struct Parting<R> {
    pub(super) gap: R,
    /// From the first to the second, a unit vector.
    pub(super) normal: Vec3<R>,
}

/// Sine of the angle below which a line is parallel to the axis.
const PARALLEL: f64 = 1e-9;

/// Steps of Newton's method, and of halving its step.
const STEPS: u32 = 40;
const HALVINGS: u32 = 30;

impl<R: Real> Cylinder<R> {
    pub(super) fn new(pose: &Pose<R>, half: R, radius: R) -> Self {
        Cylinder { centre: pose.position, axis: pose.axes.0[0], half, radius }
    }

    /// What of a vector is across the axis.
    fn across(&self, v: Vec3<R>) -> Vec3<R> {
        v - self.axis * self.axis.dot(v)
    }

    /// The greatest height along a unit direction above the centre.
    pub(super) fn reach(&self, along: Vec3<R>) -> R {
        self.half * self.axis.dot(along).abs() + self.radius * self.axis.cross(along).length()
    }

    /// Middles of both ends.
    fn ends(&self) -> [Vec3<R>; 2] {
        [self.centre - self.axis * self.half, self.centre + self.axis * self.half]
    }
}

/// What is tried and kept.
struct Search<'a, R> {
    gap: &'a dyn Fn(Vec3<R>) -> R,
    best: Parting<R>,
}

impl<R: Real> Search<'_, R> {
    /// Tries a direction of any length.
    fn attempt(&mut self, way: Vec3<R>) {
        let length = way.length();
        if !(length > R::ZERO && length < R::INFINITY) {
            return;
        }
        let normal = way * (R::ONE / length);
        let gap = (self.gap)(normal);
        if gap > self.best.gap {
            self.best = Parting { gap, normal };
        }
    }

    fn both_ways(&mut self, way: Vec3<R>) {
        self.attempt(way);
        self.attempt(-way);
    }

    /// Directions along which the rim of a disc and a line, both seen along the line, part most: `from` goes from the disc's centre to the line.
    fn rim_and_line(&mut self, axis: Vec3<R>, radius: R, from: Vec3<R>, line: Vec3<R>, turn: R) {
        let across = axis.cross(line);
        let sine = across.length();
        if sine > R::of(PARALLEL) {
            let (long, short) = (across * (R::ONE / sine), line.cross(across * (R::ONE / sine)));
            let point = [from.dot(long), from.dot(short)];
            for [p, q] in normals_toward(radius, radius * axis.dot(line).abs(), point).into_iter().flatten() {
                self.attempt((long * p + short * q) * turn);
            }
        }
    }
}

/// The gap of a cylinder and a body of flat faces without its radius, or of the latter's corners and edges.
pub(super) fn beside_core<R: Real>(cylinder: &Cylinder<R>, core: &Core<'_, R>) -> Parting<R> {
    let gap = |normal: Vec3<R>| -core.height(-normal) - normal.dot(cylinder.centre) - cylinder.reach(normal);
    let mut search = Search { gap: &gap, best: Parting { gap: -R::INFINITY, normal: cylinder.axis } };
    search.both_ways(cylinder.axis);
    for face in 0..core.view.sides() {
        search.attempt(-core.face_normal(face));
    }
    let ends = cylinder.ends();
    for corner in 0..core.view.corners.len() {
        let point = core.corner(corner);
        let radial = cylinder.across(point - cylinder.centre);
        search.attempt(radial);
        for end in ends {
            search.attempt(point - (end + radial.unit_or(Vec3::ZERO) * cylinder.radius));
        }
    }
    for number in 0..core.view.edges.len() {
        let [p, q] = core.edge(number);
        let line = (q - p).unit_or(cylinder.axis);
        search.both_ways(cylinder.axis.cross(line));
        let heights = [p, q].map(|end| cylinder.axis.dot(end - cylinder.centre));
        let (low, high) = (heights[0].min(heights[1]), heights[0].max(heights[1]));
        for (end, level) in ends.into_iter().zip([-cylinder.half, cylinder.half]) {
            // Where both touch is no further from either than they overlap, or are apart.
            let near = search.best.gap.abs() * R::of(1.001) + R::of(1e-3) * cylinder.radius;
            if search.best.gap > R::ZERO || (low - near <= level && level <= high + near) {
                search.rim_and_line(cylinder.axis, cylinder.radius, p - end, line, R::ONE);
            }
        }
    }
    search.best
}

/// The gap of two cylinders.
pub(super) fn beside_cylinder<R: Real>(a: &Cylinder<R>, b: &Cylinder<R>) -> Parting<R> {
    let between = b.centre - a.centre;
    let gap = |normal: Vec3<R>| normal.dot(between) - a.reach(normal) - b.reach(normal);
    let mut search = Search { gap: &gap, best: Parting { gap: -R::INFINITY, normal: a.axis } };
    search.both_ways(a.axis);
    search.both_ways(b.axis);
    search.both_ways(a.axis.cross(b.axis));
    search.attempt(a.across(between));
    search.attempt(b.across(between));
    for end in b.ends() {
        search.rim_and_line(b.axis, b.radius, a.centre - end, a.axis, -R::ONE);
    }
    for end in a.ends() {
        search.rim_and_line(a.axis, a.radius, b.centre - end, b.axis, R::ONE);
    }
    let first = search.best.normal;
    for from in a.ends() {
        for to in b.ends() {
            let rims = Rims { a: a.axis, b: b.axis, radii: [a.radius, b.radius], way: to - from };
            let starts = [first, rims.way, -rims.way, rims.to_rim(a, from), rims.to_other_rim(b, to)];
            for start in starts.into_iter().chain(corners_of_a_cube()) {
                if let Some(normal) = rims.climb(start) {
                    search.attempt(normal);
                }
            }
        }
    }
    search.best
}

/// Directions evenly around.
fn corners_of_a_cube<R: Real>() -> impl Iterator<Item = Vec3<R>> {
    let side = |k: usize| if k.is_multiple_of(2) { R::ONE } else { -R::ONE };
    (0..8).map(move |k| Vec3::new(side(k), side(k / 2), side(k / 4)))
}

/// Two rims, each with the other body's side of it: what parts them along a unit vector u is way·u - r_a |u × a| - r_b |u × b|.
struct Rims<R> {
    a: Vec3<R>,
    b: Vec3<R>,
    radii: [R; 2],
    way: Vec3<R>,
}

impl<R: Real> Rims<R> {
    fn to_rim(&self, a: &Cylinder<R>, from: Vec3<R>) -> Vec3<R> {
        let to = from + self.way;
        to - (from + a.across(self.way).unit_or(Vec3::ZERO) * a.radius)
    }

    fn to_other_rim(&self, b: &Cylinder<R>, to: Vec3<R>) -> Vec3<R> {
        (to + b.across(-self.way).unit_or(Vec3::ZERO) * b.radius) - (to - self.way)
    }

    fn parting(&self, u: Vec3<R>) -> R {
        self.way.dot(u) - self.radii[0] * self.a.cross(u).length() - self.radii[1] * self.b.cross(u).length()
    }

    /// The nearest direction along which the rims part most, by Newton's method on the sphere with steps halved until each gains.
    fn climb(&self, start: Vec3<R>) -> Option<Vec3<R>> {
        let mut u = start.unit_or(Vec3::ZERO);
        if u == Vec3::ZERO {
            return None;
        }
        let mut value = self.parting(u);
        for _ in 0..STEPS {
            // Gradient, and what the matrix of second derivatives makes of a vector: r (t t^T) / |u x axis| of each rim, t along its tangent.
            let mut gradient = self.way;
            let mut bends = [(Vec3::ZERO, R::ZERO); 2];
            for ((axis, radius), bend) in [(self.a, self.radii[0]), (self.b, self.radii[1])].into_iter().zip(&mut bends)
            {
                let tangent = axis.cross(u);
                let sine = tangent.length();
                if !(sine > R::of(PARALLEL)) {
                    return None;
                }
                let tangent = tangent * (R::ONE / sine);
                gradient -= tangent.cross(axis) * radius;
                *bend = (tangent, radius / sine);
            }
            let slope = gradient - u * u.dot(gradient);
            let one = self.a.cross(u).unit_or(Vec3::axis(0));
            let two = u.cross(one);
            // In the plane across u: -(sum of bends) - (gradient.u) 1.
            let entry = |p: Vec3<R>, q: Vec3<R>, same: bool| {
                let bent = bends.iter().fold(R::ZERO, |sum, (t, k)| sum + *k * t.dot(p) * t.dot(q));
                bent + if same { u.dot(gradient) } else { R::ZERO }
            };
            let (xx, xy, yy) = (entry(one, one, true), entry(one, two, false), entry(two, two, true));
            let (gx, gy) = (slope.dot(one), slope.dot(two));
            let determinant = xx * yy - xy * xy;
            let newton = one * ((gx * yy - gy * xy) * (R::ONE / determinant))
                + two * ((gy * xx - gx * xy) * (R::ONE / determinant));
            // Where the surface is no hill, straight up.
            let steep = determinant > R::ZERO && xx > R::ZERO;
            let scale = self.radii[0] + self.radii[1] + self.way.length();
            let mut step = if steep { newton } else { slope * (R::ONE / scale) };
            let mut gained = false;
            for _ in 0..HALVINGS {
                let next = (u + step).unit_or(u);
                let there = self.parting(next);
                if there > value {
                    (u, value, gained) = (next, there, true);
                    break;
                }
                step = step * R::HALF;
            }
            if !gained {
                break;
            }
        }
        Some(u)
    }
}
