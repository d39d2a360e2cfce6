//! Distance and depth of two convex hulls by their support functions.
//!
//! Distance: Gilbert, Johnson and Keerthi, "A fast procedure for computing the distance between complex objects in
//! three-dimensional space" (1988). Depth: van den Bergen, "Proximity queries and penetration depth computation on 3D
//! game objects" (2001). In the plane both end after finitely many corners and are exact but for rounding.

use ironspin_model::DVec2;

/// Most corners looked at; a guard, since each round either comes nearer or ends.
const ROUNDS: usize = 128;

/// The point of the Minkowski difference b - a nearest to the origin.
#[derive(Clone, Copy, Debug)]
pub(super) struct Nearest {
    /// Negative when the origin lies inside.
    pub(super) distance: f64,
    /// Unit vector by which b would move away from a.
    pub(super) normal: DVec2,
    pub(super) on_a: DVec2,
    pub(super) on_b: DVec2,
}

/// A corner of the difference, with the corners it comes from.
#[derive(Clone, Copy, Debug)]
struct Corner {
    at: DVec2,
    a: usize,
    b: usize,
}

/// Two hulls given by their corners.
struct Difference<'a> {
    a: &'a [DVec2],
    b: &'a [DVec2],
    /// Corners of the difference nearer to each other than this are one: it is the rounding of their coordinates.
    noise: f64,
}

/// The corner furthest along a direction; the first of several.
fn support(corners: &[DVec2], along: DVec2) -> usize {
    let mut best = (0, f64::NEG_INFINITY);
    for (number, corner) in corners.iter().enumerate() {
        let height = corner.dot(along);
        if height > best.1 {
            best = (number, height);
        }
    }
    best.0
}

impl Difference<'_> {
    fn corner(&self, a: usize, b: usize) -> Corner {
        Corner { at: self.b[b] - self.a[a], a, b }
    }

    fn support(&self, along: DVec2) -> Corner {
        self.corner(support(self.a, -along), support(self.b, along))
    }

    /// The nearest point on the edge from `p` to `q`, seen from outside or inside.
    fn nearest(&self, p: Corner, q: Corner, inside: bool) -> Nearest {
        let along = q.at - p.at;
        let share = share_of_origin(p.at, q.at);
        let nearest = p.at + along * share;
        let distance = nearest.length();
        // Amid a face, its own normal has fewer rounding errors than the way to the nearest point.
        let face = along.perp().normalize_or(DVec2::Y);
        // Polygons around the origin run counter-clockwise; other edges are seen from the origin.
        let away = if inside || face.dot(p.at) < 0.0 { -face } else { face };
        let amid_face = share > 0.0 && share < 1.0;
        let normal = if amid_face || distance == 0.0 { away } else { nearest / distance };
        let (on_a, on_b) = (self.a[p.a].lerp(self.a[q.a], share), self.b[p.b].lerp(self.b[q.b], share));
        Nearest {
            distance: if inside { -distance } else { distance },
            normal: if inside { -normal } else { normal },
            on_a,
            on_b,
        }
    }
}

/// Where on the way from `p` to `q` the origin is nearest, as a share.
fn share_of_origin(p: DVec2, q: DVec2) -> f64 {
    let along = q - p;
    let full = along.length_squared();
    if full > 0.0 { (-p.dot(along) / full).clamp(0.0, 1.0) } else { 0.0 }
}

/// Distance of two hulls without rims, or the depth of their overlap as a negative one. `None` when they are certainly further
/// apart than `within`.
pub(super) fn nearest(a: &[DVec2], b: &[DVec2], within: f64) -> Option<Nearest> {
    let largest = |corners: &[DVec2]| corners.iter().map(|corner| corner.abs().max_element()).fold(0.0, f64::max);
    let difference = Difference { a, b, noise: 4.0 * f64::EPSILON * largest(a).max(largest(b)) };
    // Only corners on the rim may come into the polygon of the depth.
    let mut simplex = [difference.support(DVec2::X); 3];
    let mut count = 1;
    let mut best = (simplex[0], simplex[0], simplex[0].at.length_squared());
    for _ in 0..ROUNDS {
        let (p, q) = (best.0.at, best.1.at);
        let share = share_of_origin(p, q);
        let along = q - p;
        let way = p + along * share;
        // Amid an edge look along its normal, which is the more exact direction.
        let face = along.perp();
        let toward = if share > 0.0 && share < 1.0 { if face.dot(p) > 0.0 { -face } else { face } } else { -way };
        if toward == DVec2::ZERO {
            return Some(depth(&difference, best.0, best.1));
        }
        let next = difference.support(toward);
        let length = toward.length();
        // Everything of the difference lies beyond the line through the new corner.
        if next.at.dot(toward) < -within * length {
            return None;
        }
        if simplex[..count].iter().any(|corner| (corner.a, corner.b) == (next.a, next.b)) {
            break;
        }
        // A simplex has three corners at most: the edge that was nearest and the new one.
        simplex = [best.0, best.1, next];
        count = 3;
        if (best.0.a, best.0.b) == (best.1.a, best.1.b) {
            simplex = [best.0, next, next];
            count = 2;
        }
        if count == 3 && holds_origin(&simplex) {
            return Some(depth_from(&difference, &simplex));
        }
        let edges: &[(usize, usize)] = if count == 2 { &[(0, 1)] } else { &[(0, 2), (1, 2)] };
        let mut nearer = None;
        for &(i, j) in edges {
            let (p, q) = (simplex[i], simplex[j]);
            let share = share_of_origin(p.at, q.at);
            let square = (p.at + (q.at - p.at) * share).length_squared();
            if square < nearer.map_or(best.2, |(_, _, least)| least) {
                nearer = Some(match share {
                    0.0 => (p, p, square),
                    1.0 => (q, q, square),
                    _ => (p, q, square),
                });
            }
        }
        match nearer {
            Some(edge) => best = edge,
            None => break,
        }
    }
    if best.2 == 0.0 {
        return Some(depth(&difference, best.0, best.1));
    }
    Some(difference.nearest(best.0, best.1, false))
}

/// Whether a triangle has area and holds the origin.
fn holds_origin(corners: &[Corner; 3]) -> bool {
    let turn = |i: usize, j: usize| corners[i].at.perp_dot(corners[j].at);
    let (first, second, third) = (turn(0, 1), turn(1, 2), turn(2, 0));
    let area = first + second + third;
    (area > 0.0 && first >= 0.0 && second >= 0.0 && third >= 0.0)
        || (area < 0.0 && first <= 0.0 && second <= 0.0 && third <= 0.0)
}

/// The depth when the origin lies on an edge or corner that is known: grown to a triangle first, if the difference has area.
fn depth(difference: &Difference<'_>, p: Corner, q: Corner) -> Nearest {
    let along = if p.at == q.at { DVec2::X } else { q.at - p.at };
    let (left, right) = (difference.support(along.perp()), difference.support(-along.perp()));
    let ends = [difference.support(along), difference.support(-along)];
    let polygon = hull(vec![p, q, left, right, ends[0], ends[1]], difference.noise);
    if polygon.len() < 3 {
        // The difference has no area: the way out is across it. Seen along it both ends are one.
        let flat = |corner: &Corner| corner.at == ends[0].at;
        return match polygon.as_slice() {
            [one, other] if flat(&ends[1]) => difference.nearest(*one, *other, true),
            _ => difference.nearest(ends[1], ends[0], true),
        };
    }
    expand(difference, polygon)
}

/// The convex hull of a few corners, counter-clockwise (Andrew, 1979); what lies on an edge but for the noise is left out.
fn hull(mut corners: Vec<Corner>, noise: f64) -> Vec<Corner> {
    corners.sort_by(|p, q| p.at.x.total_cmp(&q.at.x).then(p.at.y.total_cmp(&q.at.y)));
    corners.dedup_by(|p, q| p.at.distance(q.at) <= noise);
    let half = |corners: &mut dyn Iterator<Item = &Corner>| {
        let mut chain: Vec<Corner> = Vec::new();
        for &corner in corners {
            while let [.., p, q] = chain.as_slice() {
                let way = q.at - p.at;
                if way.perp_dot(corner.at - p.at) > noise * way.length() {
                    break;
                }
                chain.pop();
            }
            chain.push(corner);
        }
        chain.pop();
        chain
    };
    let mut all = half(&mut corners.iter());
    all.extend(half(&mut corners.iter().rev()));
    all
}

fn depth_from(difference: &Difference<'_>, corners: &[Corner; 3]) -> Nearest {
    let mut polygon = corners.to_vec();
    if (corners[1].at - corners[0].at).perp_dot(corners[2].at - corners[0].at) < 0.0 {
        polygon.reverse();
    }
    expand(difference, polygon)
}

/// Grows a polygon around the origin (counter-clockwise) until its nearest edge is one of the difference's own.
fn expand(difference: &Difference<'_>, mut polygon: Vec<Corner>) -> Nearest {
    loop {
        let level = |i: usize| {
            let (p, q) = (polygon[i].at, polygon[(i + 1) % polygon.len()].at);
            let outward = DVec2::new(q.y - p.y, p.x - q.x).normalize_or_zero();
            (outward, outward.dot(p))
        };
        let mut least = (0, f64::INFINITY, DVec2::Y);
        for i in 0..polygon.len() {
            let (outward, height) = level(i);
            if outward != DVec2::ZERO && height < least.1 {
                least = (i, height, outward);
            }
        }
        let (i, height, outward) = least;
        let next = difference.support(outward);
        if next.at.dot(outward) <= height + difference.noise || polygon.len() > ROUNDS {
            let rim = difference.nearest(polygon[i], polygon[(i + 1) % polygon.len()], true);
            // The edge may be a piece of a longer one, and the foot lie on the rest of it.
            return Nearest { distance: -height.max(0.0), normal: -outward, ..rim };
        }
        polygon.insert(i + 1, next);
    }
}
