//! Gap or overlap of two outlines.

use super::collider::Collider;
use super::gjk;
use ironspin_model::DVec2;

/// Gap of two outlines.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlaneGap {
    /// Distance, m; negative for overlap, then the shortest way out.
    pub distance: f64,
    /// Unit normal from the first to the second.
    pub normal: DVec2,
    /// The point midway between the nearest (or deepest) points of both rims, m.
    pub point: DVec2,
}

impl PlaneGap {
    /// What has no gap: infinitely far.
    pub(crate) const FAR: PlaneGap = PlaneGap { distance: f64::INFINITY, normal: DVec2::Y, point: DVec2::ZERO };

    pub(crate) fn turned_round(self) -> PlaneGap {
        PlaneGap { normal: -self.normal, ..self }
    }
}

impl Collider {
    /// Gap from this outline to another. Two half-planes have none: infinity.
    pub fn gap_to(&self, other: &Collider) -> PlaneGap {
        self.gap_within(other, f64::INFINITY)
    }

    /// As [`Collider::gap_to`]; may be infinity at once when the gap is certainly above `within`.
    pub fn gap_within(&self, other: &Collider, within: f64) -> PlaneGap {
        match (self, other) {
            (Collider::Hull { corners: a, radius: ra }, Collider::Hull { corners: b, radius: rb }) => {
                hulls(a, *ra, b, *rb, within)
            }
            (Collider::HalfPlane { normal, level }, Collider::Hull { corners, radius }) => {
                let height = |corner: &DVec2| normal.dot(*corner) - level;
                let Some(&lowest) = corners.iter().min_by(|p, q| height(p).total_cmp(&height(q))) else {
                    return PlaneGap::FAR;
                };
                let distance = height(&lowest) - radius;
                PlaneGap { distance, normal: *normal, point: lowest - *normal * (radius + 0.5 * distance) }
            }
            (Collider::Hull { .. }, Collider::HalfPlane { .. }) => other.gap_within(self, within).turned_round(),
            (Collider::HalfPlane { .. }, Collider::HalfPlane { .. }) => PlaneGap::FAR,
        }
    }
}

fn hulls(a: &[DVec2], ra: f64, b: &[DVec2], rb: f64, within: f64) -> PlaneGap {
    if let ([p], [q]) = (a, b) {
        let between = *q - *p;
        let length = between.length();
        let normal = if length > 0.0 { between / length } else { DVec2::Y };
        let distance = length - ra - rb;
        return PlaneGap { distance, normal, point: *p + normal * (ra + 0.5 * distance) };
    }
    let Some(nearest) = gjk::nearest(a, b, within + ra + rb) else { return PlaneGap::FAR };
    let distance = nearest.distance - ra - rb;
    let middle = 0.5 * ((nearest.on_a + nearest.normal * ra) + (nearest.on_b - nearest.normal * rb));
    PlaneGap { distance, normal: nearest.normal, point: middle }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn square(x: f64, y: f64, angle: f64, half: f64) -> Collider {
        let corners = [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)];
        let turn = DVec2::from_angle(angle);
        Collider::Hull {
            corners: corners.iter().map(|&(u, v)| DVec2::new(x, y) + turn.rotate(half * DVec2::new(u, v))).collect(),
            radius: 0.0,
        }
    }

    fn disc(x: f64, y: f64, radius: f64) -> Collider {
        Collider::Hull { corners: vec![DVec2::new(x, y)], radius }
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
            (Collider::HalfPlane { normal: DVec2::Y, level: -1.0 }, 0.5, DVec2::NEG_Y),
        ] {
            let gap = unit.gap_to(&other);
            assert!((gap.distance - distance).abs() < 1e-15, "{other:?}: {gap:?}");
            assert!((gap.normal - normal).length() < 1e-15, "{other:?}: {gap:?}");
        }
    }

    #[test]
    fn a_point_on_a_segment_without_thickness_touches_it() {
        let hull = |corners: &[(f64, f64)]| Collider::Hull {
            corners: corners.iter().map(|&(x, y)| DVec2::new(x, y)).collect(),
            radius: 0.0,
        };
        let upright = hull(&[(-0.25, 1.5), (-0.25, 2.0)]);
        let level = hull(&[(1.0, 0.5), (3.0, 0.5)]);
        let slanted = hull(&[(0.0, 0.0), (1.0, 1.0)]);
        for (segment, points) in [
            (&upright, [(-0.25, 2.0), (-0.25, 1.5), (-0.25, 1.75)]),
            (&level, [(1.0, 0.5), (3.0, 0.5), (2.5, 0.5)]),
            (&slanted, [(0.0, 0.0), (1.0, 1.0), (0.25, 0.25)]),
        ] {
            for point in points {
                let gap = segment.gap_to(&hull(&[point]));
                assert!(gap.distance.abs() < 1e-15, "{segment:?} {point:?}: {gap:?}");
                let back = hull(&[point]).gap_to(segment);
                assert!(back.distance.abs() < 1e-15, "{point:?} {segment:?}: {back:?}");
            }
        }
        // Segments of one line that overlap have no way out but across, and that is nothing.
        assert!(level.gap_to(&hull(&[(2.0, 0.5), (4.0, 0.5)])).distance.abs() < 1e-15);
    }

    /// The same by writing down the whole Minkowski difference (de Berg et al., "Computational Geometry", section 13.3), the
    /// slow and plain way: signed distance of the origin from its hull.
    fn whole_difference(a: &[DVec2], b: &[DVec2]) -> f64 {
        // Zero is added so that there is one zero: a negative one would be sorted before it.
        let mut points: Vec<DVec2> = b.iter().flat_map(|q| a.iter().map(move |p| *q - *p + DVec2::ZERO)).collect();
        points.sort_by(|p, q| p.x.total_cmp(&q.x).then(p.y.total_cmp(&q.y)));
        points.dedup();
        if let [only] = points.as_slice() {
            return only.length();
        }
        let half = |points: &mut dyn Iterator<Item = DVec2>| {
            let mut hull: Vec<DVec2> = Vec::new();
            for point in points {
                while let [.., p, q] = hull.as_slice() {
                    if (*q - *p).perp_dot(point - *q) > 0.0 {
                        break;
                    }
                    hull.pop();
                }
                hull.push(point);
            }
            hull.pop();
            hull
        };
        let mut hull = half(&mut points.iter().copied());
        hull.extend(half(&mut points.iter().rev().copied()));
        let edges = || (0..hull.len()).map(|i| (hull[i], hull[(i + 1) % hull.len()]));
        let inside = hull.len() >= 3 && edges().all(|(p, q)| (q - p).perp_dot(-p) >= 0.0);
        let distance = edges()
            .map(|(p, q)| {
                let along = q - p;
                let share =
                    if along == DVec2::ZERO { 0.0 } else { (-p.dot(along) / along.length_squared()).clamp(0.0, 1.0) };
                (p + along * share).length()
            })
            .fold(f64::INFINITY, f64::min);
        if inside { -distance } else { distance }
    }

    /// A convex polygon: corners on a circle at sorted angles.
    fn polygon() -> impl Strategy<Value = Vec<DVec2>> {
        (prop::collection::btree_set(0..24_u32, 1..9), 0.1..2.0_f64, -2.0..2.0_f64, -2.0..2.0_f64).prop_map(
            |(angles, size, x, y)| {
                let at =
                    |k: u32| DVec2::new(x, y) + size * DVec2::from_angle(f64::from(k) * std::f64::consts::TAU / 24.0);
                angles.into_iter().map(at).collect()
            },
        )
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2000))]
        /// Corners, segments and polygons of every kind, apart and in each other, against the whole difference.
        #[test]
        fn agrees_with_the_whole_minkowski_difference(a in polygon(), b in polygon(), grid in any::<bool>()) {
            // On a coarse grid edges meet edges and corners corners.
            let coarse = |corners: &[DVec2]| -> Vec<DVec2> {
                corners.iter().map(|c| if grid { (*c * 4.0).round() / 4.0 } else { *c }).collect()
            };
            let (a, b) = (coarse(&a), coarse(&b));
            let whole = whole_difference(&a, &b);
            let one = Collider::Hull { corners: a.clone(), radius: 0.0 };
            let other = Collider::Hull { corners: b.clone(), radius: 0.0 };
            let gap = one.gap_to(&other);
            prop_assert!((gap.distance - whole).abs() < 1e-12, "{:?} and not {}", gap, whole);
            prop_assert!((gap.normal.length() - 1.0).abs() < 1e-12);
            // Moved out along the normal by the depth, or in by the distance, they just touch.
            let moved: Vec<DVec2> = b.iter().map(|c| *c - gap.normal * gap.distance).collect();
            prop_assert!(whole_difference(&a, &moved).abs() < 1e-9);
            // A limit only ever leaves out what is further away.
            let near = one.gap_within(&other, 0.5);
            prop_assert!(near.distance == gap.distance || (gap.distance > 0.5 && near.distance == f64::INFINITY));
        }

        /// A point on the rim is neither inside nor outside, from either side of the question.
        #[test]
        fn a_point_on_the_rim_has_no_gap(corners in polygon(), share in 0.0..1.0_f64, edge in 0..8_usize, swapped in any::<bool>()) {
            let (p, q) = (corners[edge % corners.len()], corners[(edge + 1) % corners.len()]);
            let hull = Collider::Hull { corners, radius: 0.0 };
            let dot = Collider::Hull { corners: vec![p.lerp(q, share)], radius: 0.0 };
            let gap = if swapped { dot.gap_to(&hull) } else { hull.gap_to(&dot) };
            prop_assert!(gap.distance.abs() < 1e-12, "{:?}", gap);
        }

        /// The gap of two separate squares against the smallest distance of many points of their rims.
        #[test]
        fn agrees_with_brute_force(x in -3.0..3.0_f64, y in -3.0..3.0_f64, angle in 0.0..6.3_f64, half in 0.1..1.0_f64) {
            let (a, b) = (square(0.0, 0.0, 0.3, 0.5), square(x, y, angle, half));
            let gap = a.gap_to(&b);
            let rim = |collider: &Collider| -> Vec<DVec2> {
                let Collider::Hull { corners, .. } = collider else { return Vec::new() };
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
                let Collider::Hull { corners, radius } = &b else { unreachable!() };
                let out = gap.normal * -gap.distance;
                let moved = Collider::Hull { corners: corners.iter().map(|&c| c + out).collect(), radius: *radius };
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
