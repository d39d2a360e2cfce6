//! Gap or overlap of two outlines.

use super::outline::Outline;
use ironspin_model::DVec2;

/// Gap of two outlines.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    /// Distance, m; negative for overlap, then the shortest way out.
    pub distance: f64,
    /// Unit normal from the first to the second.
    pub normal: DVec2,
    /// The point midway between the nearest (or deepest) points of both rims, m.
    pub point: DVec2,
}

impl Gap {
    /// What has no gap: infinitely far.
    pub(crate) const FAR: Gap = Gap { distance: f64::INFINITY, normal: DVec2::Y, point: DVec2::ZERO };

    fn turned_round(self) -> Gap {
        Gap { normal: -self.normal, ..self }
    }
}

impl Outline {
    /// Gap from this outline to another. Two half-planes have none: infinity.
    pub fn gap_to(&self, other: &Outline) -> Gap {
        match (self, other) {
            (Outline::Hull { corners: a, radius: ra }, Outline::Hull { corners: b, radius: rb }) => {
                hulls(a, *ra, b, *rb)
            }
            (Outline::HalfPlane { normal, level }, Outline::Hull { corners, radius }) => {
                let height = |corner: &DVec2| normal.dot(*corner) - level;
                let Some(&lowest) = corners.iter().min_by(|p, q| height(p).total_cmp(&height(q))) else {
                    return Gap::FAR;
                };
                let distance = height(&lowest) - radius;
                Gap { distance, normal: *normal, point: lowest - *normal * (radius + 0.5 * distance) }
            }
            (Outline::Hull { .. }, Outline::HalfPlane { .. }) => other.gap_to(self).turned_round(),
            (Outline::HalfPlane { .. }, Outline::HalfPlane { .. }) => Gap::FAR,
        }
    }
}

fn hulls(a: &[DVec2], ra: f64, b: &[DVec2], rb: f64) -> Gap {
    if let ([p], [q]) = (a, b) {
        let between = *q - *p;
        let length = between.length();
        let normal = if length > 0.0 { between / length } else { DVec2::Y };
        let distance = length - ra - rb;
        return Gap { distance, normal, point: *p + normal * (ra + 0.5 * distance) };
    }
    let nearest = from_origin(&minkowski_difference(b, a));
    let distance = nearest.distance - ra - rb;
    let middle = 0.5 * ((nearest.on_a + nearest.normal * ra) + (nearest.on_b - nearest.normal * rb));
    Gap { distance, normal: nearest.normal, point: middle }
}

/// A corner of a Minkowski difference, with the corners it comes from.
#[derive(Clone, Copy, Debug)]
struct Corner {
    difference: DVec2,
    on_a: DVec2,
    on_b: DVec2,
}

/// The polygon b - a: corners of the hull of all differences, counter-clockwise, by Andrew's monotone chain.
fn minkowski_difference(b: &[DVec2], a: &[DVec2]) -> Vec<Corner> {
    let mut points: Vec<Corner> =
        b.iter().flat_map(|&on_b| a.iter().map(move |&on_a| Corner { difference: on_b - on_a, on_a, on_b })).collect();
    points.sort_by(|p, q| p.difference.x.total_cmp(&q.difference.x).then(p.difference.y.total_cmp(&q.difference.y)));
    points.dedup_by(|p, q| p.difference == q.difference);
    if points.len() < 3 {
        return points;
    }
    let mut hull: Vec<Corner> = Vec::with_capacity(points.len() + 1);
    let half = |hull: &mut Vec<Corner>, floor: usize, point: Corner| {
        while hull.len() >= floor + 2 {
            let (p, q) = (hull[hull.len() - 2].difference, hull[hull.len() - 1].difference);
            if (q - p).perp_dot(point.difference - q) > 0.0 {
                break;
            }
            hull.pop();
        }
        hull.push(point);
    };
    for &point in &points {
        half(&mut hull, 0, point);
    }
    let floor = hull.len() - 1;
    for &point in points.iter().rev().skip(1) {
        half(&mut hull, floor, point);
    }
    hull.pop();
    hull
}

/// The point of a Minkowski difference nearest to the origin.
struct Nearest {
    /// Negative when the origin lies inside.
    distance: f64,
    /// From the origin to that point, or against it when the origin lies inside.
    normal: DVec2,
    on_a: DVec2,
    on_b: DVec2,
}

fn from_origin(polygon: &[Corner]) -> Nearest {
    let edge = |i: usize| (polygon[i], polygon[(i + 1) % polygon.len()]);
    let inside = polygon.len() >= 3
        && (0..polygon.len()).all(|i| {
            let (p, q) = edge(i);
            (q.difference - p.difference).perp_dot(-p.difference) >= 0.0
        });
    let mut best = Nearest { distance: f64::INFINITY, normal: DVec2::Y, on_a: DVec2::ZERO, on_b: DVec2::ZERO };
    for i in 0..polygon.len() {
        let (p, q) = edge(i);
        let along = q.difference - p.difference;
        let full = along.length_squared();
        let share = if full > 0.0 { (-p.difference.dot(along) / full).clamp(0.0, 1.0) } else { 0.0 };
        let nearest = p.difference + along * share;
        let distance = nearest.length();
        if distance < best.distance {
            let outward = DVec2::new(along.y, -along.x).normalize_or(DVec2::Y);
            // Amid a face, its own normal has fewer rounding errors than the way to the nearest point.
            let amid_face = share > 0.0 && share < 1.0 && polygon.len() >= 3;
            let normal = match (amid_face || distance == 0.0, inside) {
                (true, _) => -outward,
                (false, true) => -nearest / distance,
                (false, false) => nearest / distance,
            };
            best = Nearest { distance, normal, on_a: p.on_a.lerp(q.on_a, share), on_b: p.on_b.lerp(q.on_b, share) };
        }
    }
    if inside {
        best.distance = -best.distance;
    }
    best
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn square(x: f64, y: f64, angle: f64, half: f64) -> Outline {
        let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
        let turn = DVec2::from_angle(angle);
        Outline::Hull {
            corners: corners.iter().map(|&(u, v)| DVec2::new(x, y) + turn.rotate(half * DVec2::new(u, v))).collect(),
            radius: 0.0,
        }
    }

    fn disc(x: f64, y: f64, radius: f64) -> Outline {
        Outline::Hull { corners: vec![DVec2::new(x, y)], radius }
    }

    #[test]
    fn known_gaps() {
        let unit = square(0.0, 0.0, 0.0, 0.5);
        for (other, distance, normal) in [
            (square(2.0, 0.0, 0.0, 0.5), 1.0, DVec2::X),
            (square(0.0, 0.9, 0.0, 0.5), -0.1, DVec2::Y),
            (disc(1.5, 0.0, 0.25), 0.75, DVec2::X),
            (disc(-3.5, 4.5, 1.0), 4.0, DVec2::new(-0.6, 0.8)),
            (disc(0.0, 0.4, 0.25), -0.35, DVec2::Y),
            (Outline::HalfPlane { normal: DVec2::Y, level: -1.0 }, 0.5, DVec2::NEG_Y),
        ] {
            let gap = unit.gap_to(&other);
            assert!((gap.distance - distance).abs() < 1e-15, "{other:?}: {gap:?}");
            assert!((gap.normal - normal).length() < 1e-15, "{other:?}: {gap:?}");
        }
    }

    proptest! {
        /// The gap of two separate squares against the smallest distance of many points of their rims.
        #[test]
        fn agrees_with_brute_force(x in -3.0..3.0_f64, y in -3.0..3.0_f64, angle in 0.0..6.3_f64, half in 0.1..1.0_f64) {
            let (a, b) = (square(0.0, 0.0, 0.3, 0.5), square(x, y, angle, half));
            let gap = a.gap_to(&b);
            let rim = |outline: &Outline| -> Vec<DVec2> {
                let Outline::Hull { corners, .. } = outline else { return Vec::new() };
                (0..corners.len())
                    .flat_map(|i| (0..100).map(move |k| (i, f64::from(k) / 100.0)))
                    .map(|(i, share)| corners[i].lerp(corners[(i + 1) % corners.len()], share))
                    .collect()
            };
            let (ra, rb) = (rim(&a), rim(&b));
            let naive = ra.iter().flat_map(|p| rb.iter().map(move |q| p.distance(*q))).fold(f64::INFINITY, f64::min);
            if gap.distance > 0.0 {
                // Points lie at most a hundredth of an edge apart.
                prop_assert!(gap.distance <= naive + 1e-12 && naive <= gap.distance + 0.02);
            } else {
                // Moved out along the normal by the depth, the squares just touch.
                let Outline::Hull { corners, radius } = &b else { unreachable!() };
                let out = gap.normal * -gap.distance;
                let moved = Outline::Hull { corners: corners.iter().map(|&c| c + out).collect(), radius: *radius };
                prop_assert!(a.gap_to(&moved).distance.abs() < 1e-12);
            }
        }

        /// Turning the question round turns the normal round.
        #[test]
        fn is_symmetric(x in -3.0..3.0_f64, y in -3.0..3.0_f64, angle in 0.0..6.3_f64) {
            let (a, b) = (square(0.0, 0.0, 0.3, 0.5), square(x, y, angle, 0.7));
            let (there, back) = (a.gap_to(&b), b.gap_to(&a));
            prop_assert!((there.distance - back.distance).abs() < 1e-12);
        }
    }
}
