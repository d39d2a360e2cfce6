//! The plane, as what is written once for every dimension sees it.

use super::collider::Collider;
use super::cone::PlaneCone;
use super::gap::PlaneGap;
use super::pose::{Pose, bounds_at};
use super::rectangle::Rectangle;
use super::{crossing, ray};
use crate::geometry::common::{Anchor, Bounds, Gap, Met, Room};
use ironspin_model::{BodyState, DVec2, DVec3, Part};

/// Worlds of the plane.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Plane;

impl Room for Plane {
    type Collider = Collider;
    type Pose = Pose;
    type Around = Rectangle;
    type OwnGap = PlaneGap;
    type Cone = PlaneCone;
    type Barrier = Collider;

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

    fn change(now: &Pose, from: &Pose) -> [f64; 2] {
        [(now.place() - from.place()).length(), (now.angle() - from.angle()).abs()]
    }

    fn turned_by(from: &BodyState, to: &BodyState) -> f64 {
        (to.pose.angle - from.pose.angle).abs()
    }

    fn between(from: &BodyState, to: &BodyState, share: f64) -> BodyState {
        let position = from.pose.position.lerp(to.pose.position, share);
        let angle = from.pose.angle + (to.pose.angle - from.pose.angle) * share;
        BodyState::planar(position, angle, DVec3::ZERO, 0.0)
    }

    fn seen_from(body: &BodyState, point: DVec3) -> DVec3 {
        let away = point - body.pose.position;
        let (sin, cos) = (libm::sin(body.pose.angle), libm::cos(body.pose.angle));
        DVec3::new(cos * away.x + sin * away.y, cos * away.y - sin * away.x, 0.0)
    }

    fn seen_outside(body: &BodyState, way: DVec3) -> DVec3 {
        DVec2::new(libm::cos(body.pose.angle), libm::sin(body.pose.angle)).rotate(way.truncate()).extend(0.0)
    }

    fn placed(collider: &Collider, state: &BodyState) -> Collider {
        collider.placed(state)
    }

    fn shifted(collider: &Collider, by: DVec3) -> Collider {
        collider.shifted(by.truncate())
    }

    fn barriers(part: &Part) -> Vec<Collider> {
        Collider::of_part(part)
    }

    fn met(barrier: &Collider, way: [DVec3; 2]) -> Met {
        crossing::met(barrier, way.map(DVec3::truncate))
    }

    fn ray(barrier: &Collider, state: &BodyState, from: DVec3, way: DVec3) -> Option<f64> {
        ray::meets(&barrier.placed(state), from.truncate(), way.truncate())
    }

    #[inline]
    fn turning(state: &BodyState) -> f64 {
        state.spin.z.abs()
    }

    #[inline]
    fn piece(corners: Vec<DVec3>, radius: f64) -> Collider {
        Collider::Hull { corners: corners.into_iter().map(DVec3::truncate).collect(), radius }
    }

    fn around(collider: &Collider) -> Rectangle {
        Rectangle::of(collider)
    }

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
