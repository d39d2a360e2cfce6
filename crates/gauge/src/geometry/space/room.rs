//! Space, as what is written once for every dimension sees it.

use super::collider::SpaceCollider;
use super::cone::SpaceCone;
use super::cuboid::Cuboid;
use super::pose::{SpacePose, bounds_at};
use super::solid::Solid;
use crate::geometry::common::{Anchor, Bounds, Gap, Met, Room};
use ironspin_model::{BodyState, DVec3, Part, Pose, turn};

/// Worlds of space.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Space;

impl Room for Space {
    type Collider = SpaceCollider;
    type Pose = SpacePose;
    type Around = Cuboid;
    type OwnGap = Gap;
    type Cone = SpaceCone;
    type Barrier = Solid;

    const NOWHERE: SpacePose = SpacePose::NOWHERE;
    const NONE: Cuboid = Cuboid::NONE;
    const FAR: Gap = Gap::FAR;

    fn colliders(part: &Part) -> Vec<SpaceCollider> {
        SpaceCollider::of_part(part)
    }

    fn reach(collider: &SpaceCollider) -> f64 {
        collider.reach()
    }

    fn carry(colliders: &[SpaceCollider], pose: &SpacePose, placed: &mut [SpaceCollider], around: &mut [Cuboid]) {
        let axes = turn::matrix(pose.rotation);
        for ((collider, placed), part) in colliders.iter().zip(placed).zip(around) {
            collider.carry_into(pose.position, &axes, placed);
            *part = Cuboid::of(placed);
        }
    }

    fn pose(state: &BodyState) -> SpacePose {
        SpacePose::of(state)
    }

    fn is_nowhere(pose: &SpacePose) -> bool {
        pose.is_nowhere()
    }

    fn moved(now: &SpacePose, from: &SpacePose, reach: f64) -> f64 {
        now.moved(from, reach)
    }

    fn is_same(was: &SpacePose, is: &SpacePose) -> bool {
        let size = was.position.abs();
        let noise = 4.0 * f64::EPSILON * (size.x + size.y + size.z + 1e-300);
        (is.position - was.position).length() <= noise && is.turned(was) <= 1e-15
    }

    fn bounds_at(anchor: &Anchor<Space>, poses: [SpacePose; 2], reaches: [f64; 2]) -> Bounds {
        bounds_at(anchor, poses, reaches)
    }

    fn change(now: &SpacePose, from: &SpacePose) -> [f64; 2] {
        [(now.position - from.position).length(), now.turned(from)]
    }

    fn turned_by(from: &BodyState, to: &BodyState) -> f64 {
        SpacePose::of(to).turned(&SpacePose::of(from))
    }

    fn between(from: &BodyState, to: &BodyState, share: f64) -> BodyState {
        let position = from.pose.position.lerp(to.pose.position, share);
        let way = turn::product(to.pose.rotation, from.pose.rotation.conjugate());
        let rotation = turn::product(turn::by_vector(turn::vector(way) * share), from.pose.rotation);
        BodyState { pose: Pose { position, rotation, angle: 0.0 }, velocity: DVec3::ZERO, spin: DVec3::ZERO }
    }

    fn seen_from(body: &BodyState, point: DVec3) -> DVec3 {
        turn::turned_back(body.pose.rotation, point - body.pose.position)
    }

    fn seen_outside(body: &BodyState, way: DVec3) -> DVec3 {
        turn::turned(body.pose.rotation, way)
    }

    fn placed(collider: &SpaceCollider, state: &BodyState) -> SpaceCollider {
        collider.placed(state)
    }

    fn shifted(collider: &SpaceCollider, by: DVec3) -> SpaceCollider {
        collider.shifted(by)
    }

    fn barriers(part: &Part) -> Vec<Solid> {
        Solid::of_part(part)
    }

    fn met(barrier: &Solid, way: [DVec3; 2]) -> Met {
        barrier.met(way)
    }

    fn ray(barrier: &Solid, state: &BodyState, from: DVec3, way: DVec3) -> Option<f64> {
        barrier.ray(Space::seen_from(state, from), turn::turned_back(state.pose.rotation, way))
    }

    fn turning(state: &BodyState) -> f64 {
        state.spin.length()
    }

    fn piece(corners: Vec<DVec3>, radius: f64) -> SpaceCollider {
        SpaceCollider::Hull { corners, radius }
    }

    fn around(collider: &SpaceCollider) -> Cuboid {
        Cuboid::of(collider)
    }

    fn around_both(one: Cuboid, other: Cuboid) -> Cuboid {
        one.around(other)
    }

    fn meets(one: &Cuboid, other: &Cuboid, within: f64) -> bool {
        one.meets(other, within)
    }

    fn least_gap(one: &Cuboid, other: &Cuboid) -> f64 {
        one.least_gap(other)
    }

    fn along_x(around: &Cuboid) -> [f64; 2] {
        [around.low.x, around.high.x]
    }

    fn gap_within(one: &SpaceCollider, other: &SpaceCollider, within: f64) -> Gap {
        one.gap_within(other, within)
    }

    fn distance(gap: &Gap) -> f64 {
        gap.distance
    }

    fn turned_round(gap: Gap) -> Gap {
        gap.turned_round()
    }

    fn shown(gap: Gap) -> Gap {
        gap
    }
}
