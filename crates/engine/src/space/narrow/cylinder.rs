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

    /// Whether a point lies in it.
    fn holds(&self, point: Vec3<R>, slack: R) -> bool {
        let from = point - self.centre;
        self.axis.dot(from).abs() <= self.half + slack && self.across(from).length() <= self.radius + slack
    }

    /// How far a point is from it; 0 within.
    fn distance(&self, point: Vec3<R>) -> R {
        let from = point - self.centre;
        let above = (self.axis.dot(from).abs() - self.half).max(R::ZERO);
        let beside = (self.across(from).length() - self.radius).max(R::ZERO);
        (above * above + beside * beside).sqrt()
    }

    /// Whether an edge comes as near as this to the rim about the middle of an end.
    fn rim_is_near(&self, edge: [Vec3<R>; 2], end: Vec3<R>, near: R) -> bool {
        let [p, q] = edge.map(|corner| corner - end);
        let (from, to) = (self.axis.dot(p), self.axis.dot(q));
        if from.min(to) > near || from.max(to) < -near {
            return false;
        }
        // What of the edge lies near the level of the rim.
        let rise = to - from;
        let share = |level: R| ((level - from) / rise).held(R::ZERO, R::ONE);
        let (a, b) = if rise == R::ZERO { (R::ZERO, R::ONE) } else { (share(-near), share(near)) };
        let [a, b] = [a, b].map(|share| self.across(p + (q - p) * share));
        let along = b - a;
        let square = along.dot(along);
        let nearest = if square > R::ZERO { (-a.dot(along) / square).held(R::ZERO, R::ONE) } else { R::ZERO };
        let least = (a + along * nearest).length();
        least <= self.radius + near && a.length().max(b.length()) >= self.radius - near
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
    if is_distance(cylinder, core, &search.best) {
        return search.best;
    }
    let corners = (0..core.view.corners.len()).map(|corner| core.corner(corner));
    let furthest = corners.map(|corner| cylinder.distance(corner)).fold(R::INFINITY, R::min);
    for number in 0..core.view.edges.len() {
        let [p, q] = core.edge(number);
        let line = (q - p).unit_or(cylinder.axis);
        search.both_ways(cylinder.axis.cross(line));
        for end in ends {
            // Where both touch they are no further from each other than they overlap, or than any two of their points.
            let near = (search.best.gap.abs() * R::of(1.001)).max(furthest) + R::of(1e-3) * cylinder.radius;
            if cylinder.rim_is_near([p, q], end, near) {
                search.rim_and_line(cylinder.axis, cylinder.radius, p - end, line, R::ONE);
            }
        }
    }
    search.best
}

/// Whether a gap along a direction is the distance: the point that is nearest along it on one of them, carried over the gap, lies in the other.
/// No gap is larger than the distance, and no distance larger than that of two points.
fn is_distance<R: Real>(cylinder: &Cylinder<R>, core: &Core<'_, R>, best: &Parting<R>) -> bool {
    if !(best.gap > R::ZERO && core.view.faces.len() > 1) {
        return false;
    }
    let way = best.normal * best.gap;
    let slack = R::of(8.0) * R::EPSILON * (cylinder.radius + cylinder.half + best.gap);
    let inside = |point: Vec3<R>| {
        let own = core.pose.point_back(point);
        // Of a triangle the faces are its two sides, and it ends at its edges.
        core.view.faces.iter().all(|face| face.normal.dot(own) <= face.level + slack)
            && (core.view.is_solid() || core.view.triangle_holds(own, slack))
    };
    let (along, across) = (cylinder.axis.dot(best.normal), cylinder.across(best.normal));
    // Of a direction along the axis nothing but rounding is across it: the middle of the end is a point of it as well.
    let square = across.length() <= R::of(PARALLEL);
    let rim = if square { Vec3::ZERO } else { across.unit_or(Vec3::ZERO) * cylinder.radius };
    let [low, high] = cylinder.ends();
    let end = if along > R::ZERO { high } else { low };
    let level = along.abs() <= R::of(PARALLEL);
    let corner = core.corner(core.support(-best.normal));
    inside(end + rim + way)
        || (level && (inside(cylinder.centre + rim + way) || inside(low + high - end + rim + way)))
        || cylinder.holds(corner - way, slack)
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
