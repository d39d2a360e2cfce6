//! Where bodies of the plane stand, and how far they can have gone.

use crate::geometry::common::{Anchor, Bounds, NOISE};
use crate::geometry::plane::Plane;
use ironspin_model::{BodyState, DVec2};

/// Place and angle of a body.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Pose {
    x: f64,
    y: f64,
    angle: f64,
}

impl Pose {
    /// Of a body that is not there.
    pub(crate) const NOWHERE: Pose = Pose { x: f64::NAN, y: f64::NAN, angle: f64::NAN };

    pub(crate) fn of(state: &BodyState) -> Self {
        Pose { x: state.pose.position.x, y: state.pose.position.y, angle: state.pose.angle }
    }

    pub(crate) fn is_nowhere(&self) -> bool {
        self.x.is_nan()
    }

    pub(crate) fn place(&self) -> DVec2 {
        DVec2::new(self.x, self.y)
    }

    pub(crate) fn angle(&self) -> f64 {
        self.angle
    }

    /// How far any point of a body that reaches so far may have gone from one pose to another, m; infinite when it came or went.
    pub(crate) fn moved(&self, from: &Pose, reach: f64) -> f64 {
        let turned = (self.angle - from.angle).abs();
        let moved = (self.x - from.x).abs().max((self.y - from.y).abs());
        let way = moved + if turned == 0.0 { 0.0 } else { turned * reach };
        match (self.is_nowhere(), from.is_nowhere()) {
            (true, true) => 0.0,
            (false, false) if way == 0.0 => 0.0,
            (false, false) => way + self.noise(reach),
            _ => f64::INFINITY,
        }
    }

    /// What a gap may be rounded by here, m.
    fn noise(&self, reach: f64) -> f64 {
        NOISE * (self.x.abs() + self.y.abs() + if reach < f64::INFINITY { reach } else { 0.0 })
    }
}

/// Between what the gap lies with the bodies at other places.
#[inline]
pub(super) fn bounds_at(anchor: &Anchor<Plane>, poses: [Pose; 2], reaches: [f64; 2]) -> Bounds {
    let [a, b] = poses;
    let [was_a, was_b] = anchor.poses;
    let along = ((b.x - a.x) - (was_b.x - was_a.x)).abs() + ((b.y - a.y) - (was_b.y - was_a.y)).abs();
    let turned = |now: Pose, was: Pose, reach: f64| {
        let by = (now.angle - was.angle).abs();
        if by == 0.0 { 0.0 } else { by * reach }
    };
    let noise = a.noise(reaches[0]) + b.noise(reaches[1]);
    let moved = along + turned(a, was_a, reaches[0]) + turned(b, was_b, reaches[1]) + noise;
    Bounds { low: anchor.bounds.low - moved, high: anchor.bounds.high + moved }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::plane::Collider;
    use ironspin_model::{DVec2, DVec3, Part, PlaneShape};
    use proptest::prelude::*;

    fn shapes() -> impl Strategy<Value = PlaneShape> {
        prop_oneof![
            (0.1..2.0_f64).prop_map(PlaneShape::Disc),
            (0.1..2.0_f64, 0.1..2.0_f64).prop_map(|(x, y)| PlaneShape::Box(DVec2::new(x, y))),
            (0.1..2.0_f64, 0.05..1.0_f64).prop_map(|(length, radius)| PlaneShape::Capsule { length, radius }),
            Just(PlaneShape::HalfPlane(DVec2::Y)),
        ]
    }

    fn places() -> impl Strategy<Value = (f64, f64, f64)> {
        (-2.0..2.0_f64, -2.0..2.0_f64, -3.0..3.0_f64)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(3000))]
        /// Wherever two bodies go from where their gap is known, it lies between the bounds, apart and in each other.
        #[test]
        fn the_gap_lies_between_its_bounds(
            one in shapes(), other in shapes(),
            was in (places(), places()), by in (places(), places()), share in prop_oneof![Just(0.0), Just(1e-9), 0.0..1.0_f64],
        ) {
            let colliders = [one, other].map(|shape| Collider::of_part(&Part::solid(shape, 0)).remove(0));
            let state = |(x, y, angle): (f64, f64, f64)| BodyState::planar(DVec3::new(x, y, 0.0), angle, DVec3::ZERO, 0.0);
            let moved = |at: (f64, f64, f64), by: (f64, f64, f64)| {
                (at.0 + share * by.0, at.1 + share * by.1, at.2 + share * by.2)
            };
            let then = [state(was.0), state(was.1)];
            let now = [state(moved(was.0, by.0)), state(moved(was.1, by.1))];
            let gap = |states: &[BodyState; 2]| colliders[0].placed(&states[0]).gap_to(&colliders[1].placed(&states[1])).distance;
            let known = gap(&then);
            prop_assume!(known.is_finite());
            let anchor = Anchor { bounds: Bounds::exactly(known), poses: [Pose::of(&then[0]), Pose::of(&then[1])] };
            let poses = [Pose::of(&now[0]), Pose::of(&now[1])];
            let Bounds { low, high } = bounds_at(&anchor, poses, [colliders[0].reach(), colliders[1].reach()]);
            let gap = gap(&now);
            prop_assert!(low <= gap && gap <= high, "{} not in {}..{}", gap, low, high);
        }
    }

    #[test]
    fn what_is_not_known_or_not_there_tells_nothing() {
        let here = Pose { x: 1.0, y: 2.0, angle: 0.0 };
        let anchor = Anchor { bounds: Bounds::exactly(0.1), poses: [here; 2] };
        for bounds in
            [bounds_at(&anchor, [here, Pose::NOWHERE], [1.0; 2]), bounds_at(&Anchor::UNKNOWN, [here; 2], [1.0; 2])]
        {
            let tells = bounds.low > f64::NEG_INFINITY || bounds.high < f64::INFINITY;
            assert!(!tells, "{bounds:?}");
        }
    }
}
