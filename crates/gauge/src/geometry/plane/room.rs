//! The plane, as what is written once for every dimension sees it.

use super::collider::Collider;
use super::gap::PlaneGap;
use super::pose::{Pose, bounds_at};
use super::rectangle::Rectangle;
use crate::geometry::common::{Anchor, Bounds, Gap, Room};
use ironspin_model::{BodyState, DVec2, Part};

/// Worlds of the plane.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Plane;

impl Room for Plane {
    type Collider = Collider;
    type Pose = Pose;
    type Around = Rectangle;
    type OwnGap = PlaneGap;

    const NOWHERE: Pose = Pose::NOWHERE;
    const NONE: Rectangle = Rectangle::NONE;
    const FAR: PlaneGap = PlaneGap::FAR;

    fn colliders(part: &Part) -> Vec<Collider> {
        Collider::of_part(part)
    }

    fn reach(collider: &Collider) -> f64 {
        collider.reach()
    }

    fn carry(colliders: &[Collider], pose: &Pose, placed: &mut [Collider], around: &mut [Rectangle]) {
        let (at, angle) = (pose.place(), pose.angle());
        let (sin, cos) = if angle == 0.0 { (0.0, 1.0) } else { (libm::sin(angle), libm::cos(angle)) };
        for ((collider, placed), part) in colliders.iter().zip(placed).zip(around) {
            collider.carry_into(at, DVec2::new(cos, sin), placed);
            *part = Rectangle::of(placed);
        }
    }

    #[inline]
    fn pose(state: &BodyState) -> Pose {
        Pose::of(state)
    }

    #[inline]
    fn is_nowhere(pose: &Pose) -> bool {
        pose.is_nowhere()
    }

    #[inline]
    fn moved(now: &Pose, from: &Pose, reach: f64) -> f64 {
        now.moved(from, reach)
    }

    fn is_same(known: &Pose, pose: &Pose) -> bool {
        let (was, is) = (known.place(), pose.place());
        let noise = 4.0 * f64::EPSILON * (was.x.abs() + was.y.abs() + 1e-300);
        (is.x - was.x).abs() + (is.y - was.y).abs() <= noise && (pose.angle() - known.angle()).abs() <= 1e-15
    }

    #[inline]
    fn bounds_at(anchor: &Anchor<Plane>, poses: [Pose; 2], reaches: [f64; 2]) -> Bounds {
        bounds_at(anchor, poses, reaches)
    }

    #[inline]
    fn turning(state: &BodyState) -> f64 {
        state.spin.z.abs()
    }

    #[inline]
    fn around_both(one: Rectangle, other: Rectangle) -> Rectangle {
        one.around(other)
    }

    #[inline]
    fn meets(one: &Rectangle, other: &Rectangle, within: f64) -> bool {
        one.meets(other, within)
    }

    #[inline]
    fn least_gap(one: &Rectangle, other: &Rectangle) -> f64 {
        one.least_gap(other)
    }

    #[inline]
    fn along_x(around: &Rectangle) -> [f64; 2] {
        [around.low.x, around.high.x]
    }

    fn gap_within(one: &Collider, other: &Collider, within: f64) -> PlaneGap {
        one.gap_within(other, within)
    }

    #[inline]
    fn distance(gap: &PlaneGap) -> f64 {
        gap.distance
    }

    #[inline]
    fn turned_round(gap: PlaneGap) -> PlaneGap {
        gap.turned_round()
    }

    #[inline]
    fn shown(gap: PlaneGap) -> Gap {
        Gap { distance: gap.distance, normal: gap.normal.extend(0.0), point: gap.point.extend(0.0) }
    }
}
