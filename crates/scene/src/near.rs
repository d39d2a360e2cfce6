//! How near bodies stand to each other as they are built, for warnings. The geometry is that of the gauges.

use ironspin_gauge::{Collider, SpaceCollider};
use ironspin_model::{Body, BodyKind, BodyState, DVec2, DVec3, Dimension, Part, World};
use std::collections::BTreeSet;

/// A solid part where it is built: one collider, or for a polyline one a segment.
struct PlacedPart(Vec<Collider>);

/// The solid parts of a body where it is built.
fn solid_parts(body: &Body) -> impl Iterator<Item = PlacedPart> {
    let state = BodyState::planar(body.pose.position, body.pose.angle, body.velocity, body.spin.z);
    let solid = body.parts.iter().filter(|part| !part.sensor);
    solid.map(move |part: &Part| {
        PlacedPart(Collider::of_part(part).iter().map(|collider| collider.placed(&state)).collect())
    })
}

impl PlacedPart {
    /// Corners of the box around it; `None` for what has no end.
    fn bounds(&self) -> Option<[DVec2; 2]> {
        self.0.iter().try_fold([DVec2::INFINITY, DVec2::NEG_INFINITY], |[low, high], collider| match collider {
            Collider::Hull { corners, radius } => {
                let lowest = corners.iter().copied().fold(DVec2::INFINITY, DVec2::min);
                let highest = corners.iter().copied().fold(DVec2::NEG_INFINITY, DVec2::max);
                Some([low.min(lowest - *radius), high.max(highest + *radius)])
            }
            Collider::HalfPlane { .. } => None,
        })
    }

    /// Gap between two parts, m; negative for an overlap, infinite where it is certainly above `within`.
    fn gap_to(&self, other: &PlacedPart, within: f64) -> f64 {
        let pairs = self.0.iter().flat_map(|mine| other.0.iter().map(move |theirs| (mine, theirs)));
        pairs.map(|(mine, theirs)| mine.gap_within(theirs, within).distance).fold(f64::INFINITY, f64::min)
    }
}

/// Whether two bodies may touch each other and one of them can be pushed by it, or notices the other.
pub(crate) fn meetings(world: &World) -> impl Fn(usize, usize) -> bool {
    let joined: BTreeSet<[usize; 2]> = world
        .joints
        .iter()
        .filter(|joint| joint.kind.keeps_apart())
        .map(|joint| joint.bodies)
        .chain(world.excluded_pairs.iter().copied())
        .chain(world.pinned_pairs())
        .map(|[a, b]| [a.min(b), a.max(b)])
        .collect();
    move |a: usize, b: usize| {
        // Nodes of one soft body may overlap.
        if a.min(b) >= world.rigid_count() && world.soft_of_node(a) == world.soft_of_node(b) {
            return false;
        }
        let (one, other) = (&world.bodies[a], &world.bodies[b]);
        one.layers & other.collision_mask != 0
            && other.layers & one.collision_mask != 0
            && (one.kind == BodyKind::Dynamic || other.kind == BodyKind::Dynamic)
            && !joined.contains(&[a.min(b), a.max(b)])
    }
}

/// Most gaps that are worked out, and most boxes that are held against each other, for the warnings of a scene: a heap of two hundred thousand bodies takes a
/// third of them, and a hundred thousand bodies in one place are told by fewer.
const GAPS: usize = 1_000_000;
const COMPARED: usize = 100_000_000;

/// How much may still be looked at.
struct Budget {
    gaps: usize,
    compared: usize,
}

impl Budget {
    fn new() -> Budget {
        Budget { gaps: GAPS, compared: COMPARED }
    }

    /// Takes one of what is left; `false` when there is none.
    fn take(left: &mut usize) -> bool {
        *left = left.saturating_sub(1);
        *left > 0
    }

    /// Whether everything was looked at.
    fn sufficed(&self) -> bool {
        self.gaps > 0 && self.compared > 0
    }
}

/// By how much the box of a body is widened. A point, which has no size of its own, is met by the widened box of the other.
fn widened(rim: f64) -> f64 {
    if rim.is_finite() { rim } else { 0.0 }
}

/// Calls `each` with every two bodies that may meet and overlap by more than a share of the smaller size, or, where touching `matters`, are no
/// further apart than that; and with their gap, m. Whether all were looked at: of too many only the first are.
pub(crate) fn each_near_pair(
    world: &World,
    share: f64,
    matters: impl Fn(usize, usize) -> bool,
    mut each: impl FnMut(usize, usize, f64),
) -> bool {
    let mut budget = Budget::new();
    match world.dimension {
        Dimension::Plane => {}
        Dimension::Space => return each_near_pair_in_space(world, share, matters, each),
    }
    let may_meet = meetings(world);
    let rim = |id: usize| share * world.bodies[id].smallest_size();
    let mut look = |a: usize, b: usize, one: &PlacedPart, other: &PlacedPart| {
        let gap = one.gap_to(other, rim(a).min(rim(b)));
        if gap < rim(a).min(rim(b)) {
            each(a, b, gap);
        }
    };
    let mut endless: Vec<(usize, PlacedPart)> = Vec::new();
    let mut boxes: Vec<([f64; 4], usize, PlacedPart)> = Vec::new();
    for (id, body) in world.bodies.iter().enumerate().filter(|(_, body)| !body.absent) {
        for part in solid_parts(body) {
            match part.bounds() {
                Some([low, high]) => {
                    let rim = widened(rim(id));
                    boxes.push(([low.x - rim, high.x + rim, low.y - rim, high.y + rim], id, part));
                }
                None => endless.push((id, part)),
            }
        }
    }
    for (id, part) in &endless {
        for (_, other, theirs) in boxes.iter().filter(|(_, other, _)| may_meet(*id, *other)) {
            if Budget::take(&mut budget.gaps) {
                look(*id, *other, part, theirs);
            }
        }
    }
    boxes.sort_by(|a, b| a.0[0].total_cmp(&b.0[0]).then(a.1.cmp(&b.1)));
    let mut candidates = Vec::new();
    let edges: Vec<[f64; 4]> = boxes.iter().map(|(edges, ..)| *edges).collect();
    each_overlap(&edges, &mut budget.compared, |number, next, along| {
        let (one, other) = (boxes[number].1, boxes[next].1);
        // No two shapes overlap by more than their boxes do along either axis, so that a wall of bricks needs no gaps.
        let deep = along - rim(one) - rim(other) > rim(one).min(rim(other));
        let near = one != other && (deep || matters(one, other)) && may_meet(one, other);
        if near && Budget::take(&mut budget.gaps) {
            candidates.push((number, next));
        }
        budget.gaps > 0
    });
    candidates.sort_unstable();
    for (number, next) in candidates {
        let ((_, id, part), (_, other, their_part)) = (&boxes[number], &boxes[next]);
        look(*id, *other, part, their_part);
    }
    budget.sufficed()
}

/// The same in space: sort and sweep along x.
fn each_near_pair_in_space(
    world: &World,
    share: f64,
    matters: impl Fn(usize, usize) -> bool,
    mut each: impl FnMut(usize, usize, f64),
) -> bool {
    let mut budget = Budget::new();
    let may_meet = meetings(world);
    let rim = |id: usize| share * world.bodies[id].smallest_size();
    let mut endless: Vec<(usize, SpaceCollider)> = Vec::new();
    let mut boxes: Vec<([DVec3; 2], usize, SpaceCollider)> = Vec::new();
    for (id, body) in world.bodies.iter().enumerate().filter(|(_, body)| !body.absent) {
        let state = BodyState { pose: body.pose, velocity: body.velocity, spin: body.spin };
        for part in body.parts.iter().filter(|part| !part.sensor).flat_map(SpaceCollider::of_part) {
            let placed = part.placed(&state);
            match placed.bounds() {
                Some([low, high]) => {
                    let rim = widened(rim(id));
                    boxes.push(([low - rim, high + rim], id, placed));
                }
                None => endless.push((id, placed)),
            }
        }
    }
    let mut look = |a: usize, b: usize, one: &SpaceCollider, other: &SpaceCollider| {
        let within = rim(a).min(rim(b));
        let gap = one.gap_within(other, within).distance;
        if gap < within {
            each(a, b, gap);
        }
    };
    for (id, part) in &endless {
        for (_, other, theirs) in boxes.iter().filter(|(_, other, _)| may_meet(*id, *other)) {
            if Budget::take(&mut budget.gaps) {
                look(*id, *other, part, theirs);
            }
        }
    }
    boxes.sort_by(|a, b| a.0[0].x.total_cmp(&b.0[0].x).then(a.1.cmp(&b.1)));
    for (number, ([low, high], id, part)) in boxes.iter().enumerate() {
        for ([low_b, high_b], other, theirs) in boxes[number + 1..].iter().take_while(|b| b.0[0].x <= high.x) {
            if !(Budget::take(&mut budget.compared) && budget.gaps > 0) {
                return false;
            }
            let way = high.min(*high_b) - low.max(*low_b);
            // No two shapes overlap by more than their boxes do along any axis, so that a wall of bricks needs no look.
            let deep = way.min_element() - rim(*id) - rim(*other) > rim(*id).min(rim(*other));
            let close = way.min_element() >= 0.0 && (deep || matters(*id, *other));
            if id != other && close && may_meet(*id, *other) && Budget::take(&mut budget.gaps) {
                look(*id, *other, part, theirs);
            }
        }
    }
    budget.sufficed()
}

/// Most bands of [`each_overlap`].
const BANDS: usize = 4096;

/// Calls `each` once with the numbers of every two boxes (left, right, bottom, top; sorted by their left sides) that overlap, the lower number
/// first, and with how far they do along the axis along which they do less, m. Sort and sweep within horizontal bands, so that neither a long
/// row nor a high column costs the square of its count. Ends when `each` says so, or as many as may be were compared.
fn each_overlap(boxes: &[[f64; 4]], compared: &mut usize, mut each: impl FnMut(usize, usize, f64) -> bool) {
    let bottom = boxes.iter().map(|edges| edges[2]).fold(f64::INFINITY, f64::min);
    let top = boxes.iter().map(|edges| edges[3]).fold(f64::NEG_INFINITY, f64::max);
    let heights: f64 = boxes.iter().map(|edges| edges[3] - edges[2]).sum();
    // Twice the mean height, so that all boxes together stand in few more bands than there are boxes.
    let height = (2.0 * heights / boxes.len().max(1) as f64).max((top - bottom) / BANDS as f64);
    let band_of = |y: f64| (((y - bottom) / height) as usize).min(BANDS - 1);
    let mut bands: Vec<Vec<usize>> = vec![Vec::new(); if boxes.is_empty() { 0 } else { band_of(top) + 1 }];
    for (number, edges) in boxes.iter().enumerate() {
        for band in &mut bands[band_of(edges[2])..=band_of(edges[3])] {
            band.push(number);
        }
    }
    for (band, numbers) in bands.iter().enumerate() {
        for (place, &number) in numbers.iter().enumerate() {
            let mine = boxes[number];
            for &next in numbers[place + 1..].iter().take_while(|next| boxes[**next][0] <= mine[1]) {
                let theirs = boxes[next];
                if !Budget::take(compared) {
                    return;
                }
                // Two boxes that share several bands meet in that in which the higher bottom lies.
                if mine[2] <= theirs[3] && theirs[2] <= mine[3] && band_of(mine[2].max(theirs[2])) == band {
                    let wide = mine[1].min(theirs[1]) - mine[0].max(theirs[0]);
                    if !each(number, next, wide.min(mine[3].min(theirs[3]) - mine[2].max(theirs[2]))) {
                        return;
                    }
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Joint, JointFrame, JointKind, PlaneShape, Pose};

    fn body(shape: PlaneShape, x: f64, y: f64) -> Body {
        Body { pose: Pose::flat(DVec2::new(x, y), 0.0), parts: vec![Part::solid(shape, 0)], ..Body::plain("b") }
    }

    fn near(world: &World) -> Vec<(usize, usize, f64)> {
        let mut found = Vec::new();
        each_near_pair(world, 0.01, |_, _| true, |a, b, gap| found.push((a.min(b), a.max(b), gap)));
        found.sort_by_key(|&(a, b, _)| (a, b));
        found
    }

    fn crates() -> World {
        let square = || PlaneShape::Box(DVec2::ONE);
        let floor = Body { kind: BodyKind::Static, ..body(PlaneShape::HalfPlane(DVec2::Y), 0.0, 0.0) };
        let bodies = vec![floor, body(square(), 0.0, 0.5), body(square(), 0.9, 0.5), body(square(), 5.0, 0.52)];
        World { bodies, ..World::planar(1.0) }
    }

    #[test]
    fn what_touches_or_overlaps_is_found_with_its_gap_and_nothing_else() {
        let found = near(&crates());
        assert_eq!(found.iter().map(|&(a, b, _)| (a, b)).collect::<Vec<_>>(), [(0, 1), (0, 2), (1, 2)]);
        for ((.., gap), wanted) in found.iter().zip([0.0, 0.0, -0.1]) {
            assert!((gap - wanted).abs() < 1e-12, "{gap} for {wanted}");
        }
    }

    #[test]
    fn where_touching_does_not_matter_only_overlaps_are_found() {
        let mut found = Vec::new();
        each_near_pair(&crates(), 0.01, |_, _| false, |a, b, _| found.push([a.min(b), a.max(b)]));
        found.retain(|pair| pair[0] > 0);
        assert_eq!(found, [[1, 2]]);
    }

    #[test]
    fn a_chain_counts_once_however_many_of_its_segments_are_touched() {
        let points = vec![DVec2::ZERO, DVec2::X, DVec2::new(2.0, 0.0)];
        let chain = Body { kind: BodyKind::Static, ..body(PlaneShape::Polyline(points), 0.0, 0.0) };
        let world = World { bodies: vec![chain, body(PlaneShape::Disc(0.5), 1.0, 0.4)], ..World::planar(1.0) };
        let found = near(&world);
        assert_eq!(found.len(), 1);
        assert!((found[0].2 + 0.1).abs() < 1e-12, "{found:?}");
    }

    proptest::proptest! {
        /// Against a look at every pair, with boxes of very different sizes.
        #[test]
        fn bands_find_each_overlap_once(
            mut boxes in proptest::collection::vec((-5.0..5.0_f64, 0.0..2.0_f64, -5.0..5.0_f64, proptest::prop_oneof![0.0..0.3_f64, 0.0..9.0_f64]), 0..40)
        ) {
            boxes.sort_by(|a, b| a.0.total_cmp(&b.0));
            let edges: Vec<[f64; 4]> = boxes.iter().map(|&(x, wide, y, high)| [x, x + wide, y, y + high]).collect();
            let mut found = Vec::new();
            each_overlap(&edges, &mut COMPARED.clone(), |a, b, along| {
                found.push((a, b, along.to_bits()));
                true
            });
            found.sort_unstable();
            let mut wanted = Vec::new();
            for (a, one) in edges.iter().enumerate() {
                for (b, other) in edges.iter().enumerate().skip(a + 1) {
                    let wide = one[1].min(other[1]) - one[0].max(other[0]);
                    let along = wide.min(one[3].min(other[3]) - one[2].max(other[2]));
                    if along >= 0.0 {
                        wanted.push((a, b, along.to_bits()));
                    }
                }
            }
            proptest::prop_assert_eq!(found, wanted);
        }
    }

    #[test]
    fn a_crowd_in_one_place_is_looked_at_as_far_as_there_is_time() {
        for dimension in [Dimension::Plane, Dimension::Space] {
            let shape = |number: usize| match dimension {
                Dimension::Plane => body(PlaneShape::Disc(1.0), 1e-6 * number as f64, 0.0),
                Dimension::Space => Body {
                    pose: Pose::at(DVec3::X * 1e-6 * number as f64),
                    parts: vec![Part::solid(ironspin_model::SpaceShape::Sphere(1.0), 0)],
                    ..Body::plain("b")
                },
            };
            let world = World { dimension, bodies: (0..5_000).map(shape).collect(), ..World::planar(1.0) };
            let mut found = 0;
            assert!(!each_near_pair(&world, 0.01, |_, _| true, |_, _, _| found += 1));
            assert!(found > 1000 && found <= GAPS, "{found}");
        }
    }

    #[test]
    fn what_cannot_meet_is_not_near() {
        let mut layers = crates();
        layers.bodies[2].collision_mask = 0;
        let mut apart = crates();
        apart.excluded_pairs.push([2, 1]);
        let mut joined = crates();
        let frames = JointFrame::planar([DVec2::ZERO, DVec2::ZERO]);
        joined.joints.push(Joint { kind: JointKind::Hinge { limits: None }, bodies: [1, 2], frames, length: None });
        let mut absent = crates();
        absent.bodies[2].absent = true;
        let mut sensor = crates();
        sensor.bodies[2].parts[0].sensor = true;
        for world in [layers, apart, joined, absent, sensor] {
            assert!(!near(&world).iter().any(|&(a, b, _)| (a, b) == (1, 2)));
        }
    }
}
