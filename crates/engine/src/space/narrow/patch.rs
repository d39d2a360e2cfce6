//! Contact points of two convex bodies, once the direction between them is known: what of a flat side the other one covers, or where lines and
//! corners meet.
//!
//! Source: Ericson, "Real-Time Collision Detection" (2005), sections 5.5.8 and 8.3.4 (a polygon clipped by planes: Sutherland and Hodgman, 1974).

use super::blocks::feature_of_cut;
use super::cylinder::Cylinder;
use super::disc::Disc;
use super::{Manifold, Point, reduced};
use crate::common::scalar::Real;
use crate::space::shell::Core;
use crate::space::vector::{Pose, Vec3};

/// A convex body that is no half-space.
#[derive(Clone, Copy, Debug)]
pub(super) enum Solid<'a, R> {
    Core(Core<'a, R>),
    /// With the direction from its axis from which the points of its rims are counted.
    Cylinder(Cylinder<R>, Vec3<R>),
}

/// Cosine of the angle to a flat side's normal from which on a contact is one of that side.
const FLAT: f64 = 1.0 - 1e-7;

/// How far ends of an edge may lie below the furthest corner for all of it to touch, as a share of its length.
const LEVEL: f64 = 1e-6;

/// Sine of the angle below which two lines touch along their length.
const ALONG: f64 = 0.02;

/// Cosine of the angle from which on a cylinder stands on its end rather than lying on its side.
const STANDS: f64 = 0.7;

/// How far from the middle of an end a load must lie to have a direction, as a share of the radius.
const OFF_CENTRE: f64 = 0.1;

/// A flat side: its plane, and what of it there is.
struct Flat<R> {
    normal: Vec3<R>,
    level: R,
    area: Area<R>,
    radius: R,
}

/// A corner of a polygon on its way through the clipping: where, and what made it.
pub(super) type Corner<R> = (Vec3<R>, u32);

enum Area<R> {
    /// Corners counter-clockwise seen from where the normal points.
    Polygon(Vec<Corner<R>>),
    Disc(Disc<R>),
    /// One point or two.
    Line(Vec<Corner<R>>),
}

/// What of a body touches along a direction that is the normal of no flat side.
enum Feature<R> {
    Line([Vec3<R>; 2]),
    Rim(Vec3<R>),
    Point(Vec3<R>),
}

impl<R: Real> Solid<'_, R> {
    fn radius(&self) -> R {
        match self {
            Solid::Core(core) => core.radius,
            Solid::Cylinder(..) => R::ZERO,
        }
    }

    /// The flat side that looks along a direction.
    fn flat(&self, along: Vec3<R>) -> Option<Flat<R>> {
        match self {
            Solid::Core(core) => {
                let face = core.face_along(along)?;
                let normal = core.face_normal(face);
                (normal.dot(along) >= R::of(FLAT)).then(|| Flat {
                    normal,
                    level: core.view.faces[face].level + normal.dot(core.pose.position),
                    area: polygon(core, face),
                    radius: core.radius,
                })
            }
            Solid::Cylinder(cylinder, side) => {
                let cosine = cylinder.axis.dot(along);
                (cosine.abs() >= R::of(FLAT)).then(|| {
                    let normal = if cosine < R::ZERO { -cylinder.axis } else { cylinder.axis };
                    let centre = cylinder.centre + normal * cylinder.half;
                    let area = Area::Disc(Disc { centre, axis: normal, radius: cylinder.radius, side: *side });
                    Flat { normal, level: normal.dot(centre), area, radius: R::ZERO }
                })
            }
        }
    }

    /// The side that is nearest to something flat which lies along a direction.
    fn incident(&self, along: Vec3<R>) -> Area<R> {
        match self {
            Solid::Core(core) => match core.face_along(along) {
                Some(face) => polygon(core, face),
                None => {
                    let corners = 0..core.view.corners.len();
                    Area::Line(corners.map(|number| (core.corner(number), number as u32)).collect())
                }
            },
            Solid::Cylinder(cylinder, side) => {
                let cosine = cylinder.axis.dot(along);
                if cosine.abs() > R::of(STANDS) {
                    let axis = if cosine < R::ZERO { -cylinder.axis } else { cylinder.axis };
                    let centre = cylinder.centre + axis * cylinder.half;
                    return Area::Disc(Disc { centre, axis, radius: cylinder.radius, side: *side });
                }
                Area::Line(side_line(cylinder, along).into_iter().zip([0, 1]).collect())
            }
        }
    }

    fn feature(&self, along: Vec3<R>) -> Feature<R> {
        match self {
            Solid::Core(core) => {
                let best = core.support(along);
                let top = core.corner(best);
                let level = |number: usize| {
                    let edge = core.edge(number);
                    let length = (edge[1] - edge[0]).length();
                    let ends = edge.map(|end| along.dot(top - end));
                    (ends[0].max(ends[1]) <= R::of(LEVEL) * length).then_some(edge)
                };
                (0..core.view.edges.len()).find_map(level).map_or(Feature::Point(top), Feature::Line)
            }
            Solid::Cylinder(cylinder, _) => {
                let cosine = cylinder.axis.dot(along);
                if cosine.abs() <= R::of(LEVEL) {
                    return Feature::Line(side_line(cylinder, along));
                }
                let end = if cosine < R::ZERO { -cylinder.half } else { cylinder.half };
                let across = along - cylinder.axis * cosine;
                Feature::Rim(cylinder.centre + cylinder.axis * end + across.unit_or(Vec3::ZERO) * cylinder.radius)
            }
        }
    }
}

/// The direction from a cylinder's axis from which the points of its rims are counted: toward where it pressed on in the step before.
pub(super) fn first_of_rim<R: Real>(pose: &Pose<R>, radius: R, pressed: super::Pressed<R>) -> Vec3<R> {
    let own = pose.axes.0[1];
    let Some(place) = pressed else { return own };
    let out = place - pose.position;
    let out = out - pose.axes.0[0] * pose.axes.0[0].dot(out);
    if out.length() > R::of(OFF_CENTRE) * radius { out.unit_or(own) } else { own }
}

/// The points of a body that may lie lowest against something flat in a direction: a line's ends, a face's corners, points of a rim.
pub(super) fn lowest<R: Real>(solid: &Solid<'_, R>, along: Vec3<R>) -> Vec<Corner<R>> {
    match solid.incident(along) {
        Area::Polygon(corners) | Area::Line(corners) => corners,
        Area::Disc(disc) => disc.rim(-along).to_vec(),
    }
}

fn polygon<R: Real>(core: &Core<'_, R>, face: usize) -> Area<R> {
    Area::Polygon(core.view.ring(face).iter().map(|&number| (core.corner(number as usize), number)).collect())
}

/// The line on a cylinder's side that lies furthest along a direction.
fn side_line<R: Real>(cylinder: &Cylinder<R>, along: Vec3<R>) -> [Vec3<R>; 2] {
    let out = (along - cylinder.axis * cylinder.axis.dot(along)).unit_or(Vec3::ZERO) * cylinder.radius;
    [-cylinder.half, cylinder.half].map(|end| cylinder.centre + cylinder.axis * end + out)
}

/// The points at which two bodies touch, a gap apart along a normal from the first to the second.
pub(super) fn points<R: Real>(a: &Solid<'_, R>, b: &Solid<'_, R>, normal: Vec3<R>, gap: R, margin: R) -> Manifold<R> {
    if let Some(flat) = a.flat(normal) {
        return covered(&flat, b, gap, margin);
    }
    if let Some(flat) = b.flat(-normal) {
        return covered(&flat, a, gap, margin).turned_round();
    }
    let level = |point: Vec3<R>, of: &Solid<'_, R>, side: R| point + normal * (side * (of.radius() + R::HALF * gap));
    let (ahead, back) = (R::ONE, -R::ONE);
    match (a.feature(normal), b.feature(-normal)) {
        (Feature::Point(point), _) => Manifold::one(normal, level(point, a, ahead), gap, 0),
        (_, Feature::Point(point)) => Manifold::one(normal, level(point, b, back), gap, 0),
        (Feature::Rim(p), Feature::Rim(q)) => Manifold::one(normal, (p + q) * R::HALF, gap, 0),
        (Feature::Rim(point), Feature::Line(_)) => Manifold::one(normal, level(point, a, ahead), gap, 0),
        (Feature::Line(_), Feature::Rim(point)) => Manifold::one(normal, level(point, b, back), gap, 0),
        (Feature::Line(p), Feature::Line(q)) => of_lines(p, q, normal, gap, [a.radius(), b.radius()]),
    }
}

/// What a body covers of the first side of a face; nothing when it lies beside it.
pub(super) fn over_face<R: Real>(core: &Core<'_, R>, other: &Solid<'_, R>, margin: R) -> Manifold<R> {
    let normal = core.face_normal(0);
    let level = core.view.faces[0].level + normal.dot(core.pose.position);
    let flat = Flat { normal, level, area: polygon(core, 0), radius: R::ZERO };
    covered(&flat, other, R::INFINITY, margin)
}

/// How far a body reaches along a direction.
pub(super) fn height<R: Real>(solid: &Solid<'_, R>, along: Vec3<R>) -> R {
    match solid {
        Solid::Core(core) => core.height(along) + core.radius,
        Solid::Cylinder(cylinder, _) => along.dot(cylinder.centre) + cylinder.reach(along),
    }
}

/// Where two lines touch: along what they have in common when they are parallel.
fn of_lines<R: Real>(p: [Vec3<R>; 2], q: [Vec3<R>; 2], normal: Vec3<R>, gap: R, radii: [R; 2]) -> Manifold<R> {
    let (along, other) = (p[1] - p[0], q[1] - q[0]);
    let (length, sine) = (along.length(), along.cross(other).length());
    if sine <= R::of(ALONG) * length * other.length() && length > R::ZERO {
        let unit = along * (R::ONE / length);
        let places = q.map(|end| unit.dot(end - p[0]));
        let (low, high) = (places[0].min(places[1]).max(R::ZERO), places[0].max(places[1]).min(length));
        if high > low {
            let mut manifold = Manifold { normal, ..Manifold::default() };
            for (number, place) in [low, high].into_iter().enumerate() {
                let on_p = p[0] + unit * place;
                let share = (place - places[0]) / (places[1] - places[0]);
                let on_q = q[0] + other * share;
                let own = normal.dot(on_q - on_p) - radii[0] - radii[1];
                let position = on_p + normal * (radii[0] + R::HALF * own);
                manifold.push(Point { position, gap: own, feature: 1 + number as u32 });
            }
            return manifold;
        }
    }
    let (on_p, on_q) = super::apart::nearest_of_segments(p, q);
    let position = (on_p + normal * radii[0] + on_q - normal * radii[1]) * R::HALF;
    Manifold::one(normal, position, gap, 0)
}

/// What another body covers of a flat side, as points.
fn covered<R: Real>(flat: &Flat<R>, other: &Solid<'_, R>, gap: R, margin: R) -> Manifold<R> {
    let incident = other.incident(-flat.normal);
    let over: Vec<Corner<R>> = match (&flat.area, &incident) {
        (Area::Polygon(ring), Area::Polygon(corners)) => clipped(corners.clone(), ring, flat.normal, true),
        (Area::Polygon(ring), Area::Line(line)) => clipped(line.clone(), ring, flat.normal, false),
        (Area::Polygon(ring), Area::Disc(disc)) => disc.over_polygon(ring, flat.normal, false),
        (Area::Disc(disc), Area::Polygon(ring)) => disc.over_polygon(ring, flat.normal, true),
        (Area::Disc(disc), Area::Line(line)) => disc.over_line(line),
        (Area::Disc(disc), Area::Disc(other)) => disc.over_disc(other, flat.normal),
        (Area::Line(_), _) => Vec::new(),
    };
    let radius = other.radius();
    let points: Vec<Point<R>> = over
        .iter()
        .map(|&(place, feature)| {
            let gap = flat.normal.dot(place) - flat.level - radius - flat.radius;
            Point { position: place - flat.normal * (radius + R::HALF * gap), gap, feature }
        })
        .filter(|point| point.gap <= margin)
        .collect();
    if points.is_empty() && gap <= margin {
        // Beside the flat side by a rounding: the nearest corner stands for it.
        return nearest_of(flat, &incident, radius, gap);
    }
    reduced(flat.normal, &points)
}

fn nearest_of<R: Real>(flat: &Flat<R>, incident: &Area<R>, radius: R, gap: R) -> Manifold<R> {
    let lowest = |corners: &[Corner<R>]| {
        corners.iter().copied().reduce(|p, q| if flat.normal.dot(q.0) < flat.normal.dot(p.0) { q } else { p })
    };
    let found = match incident {
        Area::Polygon(corners) | Area::Line(corners) => lowest(corners),
        Area::Disc(disc) => disc.rim(flat.normal).first().copied(),
    };
    let Some((place, feature)) = found else { return Manifold::default() };
    Manifold::one(flat.normal, place - flat.normal * (radius + R::HALF * gap), gap, feature)
}

/// What of a polygon, or of a line, lies over a polygon with a normal.
fn clipped<R: Real>(corners: Vec<Corner<R>>, ring: &[Corner<R>], normal: Vec3<R>, closed: bool) -> Vec<Corner<R>> {
    let mut kept = corners;
    for k in 0..ring.len() {
        let (p, q) = (ring[k].0, ring[(k + 1) % ring.len()].0);
        let out = (q - p).cross(normal);
        // A hair beyond, so that what lies on a common edge of two faces is lost by neither.
        let hair = R::of(4.0) * R::EPSILON * out.length() * (p.abs() + q.abs()).largest();
        kept = clip(&kept, out, out.dot(p) + hair, k as u32, closed);
    }
    kept
}

/// What of a polygon, or of a line that is not closed, lies below a level along a direction.
fn clip<R: Real>(corners: &[Corner<R>], along: Vec3<R>, level: R, plane: u32, closed: bool) -> Vec<Corner<R>> {
    let mut kept = Vec::with_capacity(corners.len() + 1);
    for (number, &(place, feature)) in corners.iter().enumerate() {
        let here = along.dot(place) - level;
        if here <= R::ZERO {
            kept.push((place, feature));
        }
        if !closed && number + 1 == corners.len() {
            break;
        }
        let (next, next_feature) = corners[(number + 1) % corners.len()];
        let there = along.dot(next) - level;
        if (here < R::ZERO && there > R::ZERO) || (here > R::ZERO && there < R::ZERO) {
            let cut = place + (next - place) * (here / (here - there));
            kept.push((cut, feature_of_cut(feature, next_feature, plane)));
        }
    }
    kept
}
