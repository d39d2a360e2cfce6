//! How near bodies stand to each other as they are built, for warnings. The geometry is that of the gauges.

use ironspin_gauge::Collider;
use ironspin_model::{Body, BodyKind, BodyState, DVec2, Dimension, Part, World};
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
        .map(|[a, b]| [a.min(b), a.max(b)])
        .collect();
    move |a: usize, b: usize| {
        let (one, other) = (&world.bodies[a], &world.bodies[b]);
        one.layers & other.collision_mask != 0
            && other.layers & one.collision_mask != 0
            && (one.kind == BodyKind::Dynamic || other.kind == BodyKind::Dynamic)
            && !joined.contains(&[a.min(b), a.max(b)])
    }
}

/// Calls `each` with every two bodies that may meet and overlap by more than a share of the smaller size, or, where touching `matters`, are no
/// further apart than that; and with their gap, m.
pub(crate) fn each_near_pair(
    world: &World,
    share: f64,
    matters: impl Fn(usize, usize) -> bool,
    mut each: impl FnMut(usize, usize, f64),
) {
    match world.dimension {
        Dimension::Plane => {}
        Dimension::Space => return,
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
                    let rim = rim(id);
                    boxes.push(([low.x - rim, high.x + rim, low.y - rim, high.y + rim], id, part));
                }
                None => endless.push((id, part)),
            }
        }
    }
    for (id, part) in &endless {
        for (_, other, theirs) in boxes.iter().filter(|(_, other, _)| may_meet(*id, *other)) {
            look(*id, *other, part, theirs);
        }
    }
    boxes.sort_by(|a, b| a.0[0].total_cmp(&b.0[0]).then(a.1.cmp(&b.1)));
    for (number, (mine, id, part)) in boxes.iter().enumerate() {
        for (theirs, other, their_part) in boxes[number + 1..].iter().take_while(|(b, ..)| b[0] <= mine[1]) {
            if mine[2] > theirs[3] || theirs[2] > mine[3] || id == other {
                continue;
            }
            // No two shapes overlap by more than their boxes do along either axis, so that a wall of bricks needs no gaps.
            let along =
                (mine[1].min(theirs[1]) - mine[0].max(theirs[0])).min(mine[3].min(theirs[3]) - mine[2].max(theirs[2]));
            let deep = along - rim(*id) - rim(*other) > rim(*id).min(rim(*other));
            if (deep || matters(*id, *other)) && may_meet(*id, *other) {
                look(*id, *other, part, their_part);
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
