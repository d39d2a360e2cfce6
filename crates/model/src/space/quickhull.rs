//! The convex hull of points in space: triangles, and the flat faces that they make.

use super::hull::HullFace;
use glam::DVec3;
use std::collections::BTreeMap;

/// How far a point must lie outside of a face to count, as a share of the extent.
const OUTSIDE: f64 = 1e-13;

/// Most points taken in. Points amid a flat face may be among them; a body of so many is out of hand long before, and its time is bounded.
const MOST_TAKEN: usize = 4096;

/// A triangle of the hull as it grows.
struct Facet {
    corners: [u32; 3],
    normal: DVec3,
    level: f64,
    /// Points that lie outside of this face and were given to no other.
    outside: Vec<u32>,
    is_gone: bool,
}

/// Width, height and depth of the box around points.
pub(super) fn extent(points: &[DVec3]) -> DVec3 {
    let low = points.iter().copied().fold(DVec3::INFINITY, DVec3::min);
    let high = points.iter().copied().fold(DVec3::NEG_INFINITY, DVec3::max);
    high - low
}

struct Growing<'a> {
    points: &'a [DVec3],
    facets: Vec<Facet>,
    /// The facet on whose left a directed edge lies.
    left_of: BTreeMap<(u32, u32), usize>,
    least: f64,
}

impl Growing<'_> {
    fn add(&mut self, corners: [u32; 3]) -> usize {
        let [p, q, r] = corners.map(|number| self.points[number as usize]);
        let normal = (q - p).cross(r - p).normalize_or_zero();
        let level = (normal.dot(p) + normal.dot(q) + normal.dot(r)) / 3.0;
        let number = self.facets.len();
        for k in 0..3 {
            self.left_of.insert((corners[k], corners[(k + 1) % 3]), number);
        }
        self.facets.push(Facet { corners, normal, level, outside: Vec::new(), is_gone: false });
        number
    }

    fn height(&self, facet: usize, point: u32) -> f64 {
        self.facets[facet].normal.dot(self.points[point as usize]) - self.facets[facet].level
    }

    /// Gives each point to the first of some facets that it lies outside of.
    fn deal(&mut self, points: &[u32], facets: &[usize]) {
        for &point in points {
            if let Some(&facet) = facets.iter().find(|&&facet| self.height(facet, point) > self.least) {
                self.facets[facet].outside.push(point);
            }
        }
    }

    /// Facets that a point sees, from one that it sees on over common edges, and the rim around them.
    fn seen_from(&self, first: usize, point: u32) -> (Vec<usize>, Vec<(u32, u32)>) {
        let (mut seen, mut rim, mut open) = (vec![first], Vec::new(), vec![first]);
        while let Some(facet) = open.pop() {
            let corners = self.facets[facet].corners;
            for k in 0..3 {
                let (from, to) = (corners[k], corners[(k + 1) % 3]);
                let Some(&beyond) = self.left_of.get(&(to, from)) else { continue };
                if seen.contains(&beyond) {
                    continue;
                }
                if self.height(beyond, point) > self.least {
                    seen.push(beyond);
                    open.push(beyond);
                } else {
                    rim.push((from, to));
                }
            }
        }
        (seen, rim)
    }

    /// Takes points in until none lies outside, or too many were.
    fn grow(&mut self) {
        let mut next = 0;
        let mut taken = 0;
        while next < self.facets.len() {
            let facet = next;
            if self.facets[facet].is_gone || self.facets[facet].outside.is_empty() {
                next += 1;
                continue;
            }
            taken += 1;
            if taken > MOST_TAKEN {
                return;
            }
            let furthest = self.facets[facet]
                .outside
                .iter()
                .copied()
                .max_by(|&a, &b| self.height(facet, a).total_cmp(&self.height(facet, b)).then(b.cmp(&a)))
                .unwrap_or(0);
            let (seen, rim) = self.seen_from(facet, furthest);
            let mut left = Vec::new();
            for &gone in &seen {
                self.facets[gone].is_gone = true;
                left.append(&mut self.facets[gone].outside);
                let corners = self.facets[gone].corners;
                for k in 0..3 {
                    self.left_of.remove(&(corners[k], corners[(k + 1) % 3]));
                }
            }
            left.retain(|&point| point != furthest);
            left.sort_unstable();
            let fresh: Vec<usize> = rim.iter().map(|&(from, to)| self.add([from, to, furthest])).collect();
            self.deal(&left, &fresh);
            next += 1;
        }
    }
}

/// Four points that enclose as much as a few directions give; nothing for points in a plane.
fn first_four(points: &[DVec3], least: f64) -> Option<[u32; 4]> {
    let best = |value: &dyn Fn(DVec3) -> f64| {
        (0..points.len()).fold(0, |best, k| if value(points[k]) > value(points[best]) { k } else { best })
    };
    let a = best(&|p| -p.x);
    let b = best(&|p| p.distance_squared(points[a]));
    let along = points[b] - points[a];
    let c = best(&|p| along.cross(p - points[a]).length_squared());
    let normal = along.cross(points[c] - points[a]).try_normalize()?;
    let d = best(&|p| normal.dot(p - points[a]).abs());
    (normal.dot(points[d] - points[a]).abs() > least).then_some([a, b, c, d].map(|k| k as u32))
}

/// The surface of the convex hull in triangles, counter-clockwise seen from outside; nothing for points in a plane.
pub(super) fn triangles(points: &[DVec3]) -> Option<Vec<[u32; 3]>> {
    // Distances are worked out about the middle, where coordinates have the most digits.
    let low = points.iter().copied().fold(DVec3::INFINITY, DVec3::min);
    let size = extent(points);
    let moved: Vec<DVec3> = points.iter().map(|&point| point - low - 0.5 * size).collect();
    let largest = points.iter().map(|point| point.abs().max_element()).fold(0.0, f64::max);
    let least = (OUTSIDE * size.max_element()).max(8.0 * f64::EPSILON * largest);
    let [a, b, c, d] = first_four(&moved, 1e3 * least)?;
    let mut growing = Growing { points: &moved, facets: Vec::new(), left_of: BTreeMap::new(), least };
    let of = |k: u32| moved[k as usize];
    let below = (of(b) - of(a)).cross(of(c) - of(a)).dot(of(d) - of(a)) < 0.0;
    let first =
        if below { [[a, b, c], [a, d, b], [b, d, c], [c, d, a]] } else { [[a, c, b], [a, b, d], [b, c, d], [c, a, d]] };
    let facets = first.map(|corners| growing.add(corners));
    let others: Vec<u32> = (0..points.len() as u32).filter(|k| ![a, b, c, d].contains(k)).collect();
    growing.deal(&others, &facets);
    growing.grow();
    Some(growing.facets.into_iter().filter(|facet| !facet.is_gone).map(|facet| facet.corners).collect())
}

/// Joins triangles that lie in one plane, within a distance, to faces.
pub(super) fn flat_faces(points: &[DVec3], triangles: &[[u32; 3]], within: f64) -> Vec<HullFace> {
    let mut left_of = BTreeMap::new();
    for (number, corners) in triangles.iter().enumerate() {
        for k in 0..3 {
            left_of.insert((corners[k], corners[(k + 1) % 3]), number);
        }
    }
    let of = |k: u32| points[k as usize];
    let area = |corners: &[u32; 3]| (of(corners[1]) - of(corners[0])).cross(of(corners[2]) - of(corners[0]));
    // From the largest triangle on, whose plane is known best.
    let mut order: Vec<usize> = (0..triangles.len()).collect();
    order.sort_by(|&a, &b| {
        let square = |number: usize| area(&triangles[number]).length_squared();
        square(b).total_cmp(&square(a)).then(a.cmp(&b))
    });
    let mut taken = vec![false; triangles.len()];
    let mut faces = Vec::new();
    for first in order {
        if taken[first] {
            continue;
        }
        taken[first] = true;
        let Some(normal) = area(&triangles[first]).try_normalize() else { continue };
        let level = normal.dot(of(triangles[first][0]));
        let (mut members, mut next) = (vec![first], 0);
        while let Some(&member) = members.get(next) {
            next += 1;
            let corners = triangles[member];
            for k in 0..3 {
                let Some(&beyond) = left_of.get(&(corners[(k + 1) % 3], corners[k])) else { continue };
                let flat = triangles[beyond].iter().all(|&k| (normal.dot(of(k)) - level).abs() <= within);
                if flat && !taken[beyond] {
                    taken[beyond] = true;
                    members.push(beyond);
                }
            }
        }
        faces.extend(face(points, triangles, &members, within));
    }
    faces
}

/// The polygon around some triangles of one plane, without corners that lie on the line of their neighbours.
fn face(points: &[DVec3], triangles: &[[u32; 3]], members: &[usize], within: f64) -> Option<HullFace> {
    let mut onward: BTreeMap<u32, u32> = BTreeMap::new();
    let edges: Vec<(u32, u32)> =
        members.iter().flat_map(|&m| (0..3).map(move |k| (triangles[m][k], triangles[m][(k + 1) % 3]))).collect();
    let mut sorted = edges.clone();
    sorted.sort_unstable();
    for &(from, to) in edges.iter().filter(|&&(from, to)| sorted.binary_search(&(to, from)).is_err()) {
        onward.insert(from, to);
    }
    let (&start, _) = onward.first_key_value()?;
    let mut ring = vec![start];
    let mut at = onward.get(&start).copied()?;
    while at != start && ring.len() <= onward.len() {
        ring.push(at);
        at = *onward.get(&at)?;
    }
    let of = |k: u32| points[k as usize];
    // Newell's normal: the mean of all corners of the ring.
    let turns = |k: usize| (of(ring[k]) - of(ring[0])).cross(of(ring[(k + 1) % ring.len()]) - of(ring[0]));
    let normal = (0..ring.len()).map(turns).sum::<DVec3>().try_normalize()?;
    let kept: Vec<u32> = (0..ring.len())
        .filter(|&k| {
            let (before, after) = (ring[(k + ring.len() - 1) % ring.len()], ring[(k + 1) % ring.len()]);
            let along = (of(after) - of(before)).normalize_or_zero();
            along.cross(of(ring[k]) - of(before)).length() > within
        })
        .map(|k| ring[k])
        .collect();
    let corners = if kept.len() >= 3 { kept } else { ring };
    let level = corners.iter().map(|&k| normal.dot(of(k))).sum::<f64>() / corners.len() as f64;
    Some(HullFace { normal, level, corners })
}
