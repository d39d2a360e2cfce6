//! What the end of a cylinder has in common with something flat, as points.

use super::patch::Corner;
use crate::common::scalar::Real;
use crate::space::vector::Vec3;

/// Tilt of an end, rad, from which on its rim is looked at from its lowest point on.
const TILT: f64 = 1e-4;

/// An end of a cylinder.
#[derive(Clone, Copy, Debug)]
pub(super) struct Disc<R> {
    pub(super) centre: Vec3<R>,
    pub(super) axis: Vec3<R>,
    pub(super) radius: R,
    /// From where on the points of its rim are counted.
    pub(super) side: Vec3<R>,
}

impl<R: Real> Disc<R> {
    /// Four points of the rim, from the one that lies furthest against a direction on, or from a fixed one where the disc is level.
    pub(super) fn rim(&self, normal: Vec3<R>) -> [Corner<R>; 4] {
        let down = self.axis * self.axis.dot(normal) - normal;
        let (first, number) = if down.length() > R::of(TILT) {
            (down.unit_or(self.side), 8)
        } else {
            ((self.side - self.axis * self.axis.dot(self.side)).unit_or(self.side), 4)
        };
        let second = self.axis.cross(first);
        [first, second, -first, -second]
            .into_iter()
            .zip(0..)
            .map(|(way, k)| (self.centre + way * self.radius, 1 << 18 | (number + k)))
            .collect::<Vec<_>>()
            .try_into()
            .unwrap_or([(self.centre, 0); 4])
    }

    /// The point of its plane that a line along a direction goes through.
    fn through(&self, point: Vec3<R>, along: Vec3<R>) -> Vec3<R> {
        let slope = self.axis.dot(along);
        if slope == R::ZERO { point } else { point + along * (self.axis.dot(self.centre - point) / slope) }
    }

    fn holds(&self, point: Vec3<R>) -> bool {
        let out = point - self.centre;
        let out = out - self.axis * self.axis.dot(out);
        out.dot(out) <= self.radius * self.radius * (R::ONE + R::of(8.0) * R::EPSILON)
    }

    /// The shares of a line at which it comes into the cylinder over the disc and leaves it.
    fn shares(&self, p: Vec3<R>, q: Vec3<R>) -> Option<[R; 2]> {
        let across = |v: Vec3<R>| v - self.axis * self.axis.dot(v);
        let (from, way) = (across(p - self.centre), across(q - p));
        let (a, b, c) = (way.dot(way), from.dot(way), from.dot(from) - self.radius * self.radius);
        if !(a > R::ZERO) {
            return (c <= R::ZERO).then_some([R::ZERO, R::ONE]);
        }
        let square = b * b - a * c;
        if !(square >= R::ZERO) {
            return None;
        }
        let root = square.sqrt();
        let (enter, leave) = (((-b - root) / a).max(R::ZERO), ((-b + root) / a).min(R::ONE));
        (enter <= leave).then_some([enter, leave])
    }

    pub(super) fn over_line(&self, line: &[Corner<R>]) -> Vec<Corner<R>> {
        match *line {
            [(point, feature)] => {
                if self.holds(point) {
                    vec![(point, feature)]
                } else {
                    Vec::new()
                }
            }
            [(p, first), (q, second)] => match self.shares(p, q) {
                Some([enter, leave]) => {
                    let at = |share: R| p + (q - p) * share;
                    let mut kept = vec![(at(enter), if enter > R::ZERO { 2 } else { first })];
                    if leave > enter {
                        kept.push((at(leave), if leave < R::ONE { 3 } else { second }));
                    }
                    kept
                }
                None => Vec::new(),
            },
            _ => Vec::new(),
        }
    }

    /// What the disc and a polygon have in common, seen along a normal: points of the polygon's plane when the disc is the flat side, else of the disc's.
    pub(super) fn over_polygon(&self, ring: &[Corner<R>], normal: Vec3<R>, on_polygon: bool) -> Vec<Corner<R>> {
        let mut kept = Vec::new();
        let plane = ring.len().checked_sub(1).map(|_| {
            let of = |k: usize| ring[k % ring.len()].0;
            let across = (of(1) - of(0)).cross(of(2) - of(1));
            (of(0), across)
        });
        let Some((point, across)) = plane else { return kept };
        let onto_polygon = |p: Vec3<R>| {
            let slope = across.dot(normal);
            if slope == R::ZERO { p } else { p + normal * (across.dot(point - p) / slope) }
        };
        let place = |on_ring: Vec3<R>| if on_polygon { on_ring } else { self.through(on_ring, normal) };
        for (k, &(p, feature)) in ring.iter().enumerate() {
            let q = ring[(k + 1) % ring.len()].0;
            let seen = [self.through(p, normal), self.through(q, normal)];
            if self.holds(seen[0]) {
                kept.push((place(p), feature));
            }
            if let Some([enter, leave]) = self.shares(seen[0], seen[1]) {
                for (share, number) in [(enter, 0), (leave, 1)] {
                    if share > R::ZERO && share < R::ONE {
                        kept.push((place(p + (q - p) * share), 1 << 19 | (k as u32) << 1 | number));
                    }
                }
            }
        }
        let facing = if across.dot(normal) < R::ZERO { -R::ONE } else { R::ONE };
        for (p, feature) in self.rim(if on_polygon { -normal } else { normal }) {
            let inside = (0..ring.len()).all(|k| {
                let (from, to) = (ring[k].0, ring[(k + 1) % ring.len()].0);
                (to - from).cross(normal).dot(p - from) * facing <= R::ZERO
            });
            if inside {
                kept.push((if on_polygon { onto_polygon(p) } else { p }, feature));
            }
        }
        kept
    }

    /// What two discs have in common, as points of the other one's plane.
    pub(super) fn over_disc(&self, other: &Disc<R>, normal: Vec3<R>) -> Vec<Corner<R>> {
        let mut kept: Vec<Corner<R>> = other.rim(normal).into_iter().filter(|&(point, _)| self.holds(point)).collect();
        let own =
            self.rim(normal).into_iter().map(|(point, feature)| (other.through(point, normal), feature | 1 << 20));
        kept.extend(own.filter(|&(point, _)| other.holds(point)));
        let between = other.through(self.centre, normal) - other.centre;
        let distance = between.length();
        let (r, s) = (other.radius, self.radius);
        if distance > (r - s).abs() && distance < r + s {
            let unit = between * (R::ONE / distance);
            let along = (distance * distance + r * r - s * s) / (R::TWO * distance);
            let across = other.axis.cross(unit) * (r * r - along * along).max(R::ZERO).sqrt();
            let middle = other.centre + unit * along;
            kept.extend([(middle + across, 1 << 21), (middle - across, 1 << 21 | 1)]);
        }
        kept
    }
}
