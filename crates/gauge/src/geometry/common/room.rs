//! What the gauges ask of the geometry of worlds of one dimension. Everything that is the same in the plane and in space is written once
//! over it: who is near whom, what is known of a gap, what is kept from frame to frame.

use super::barrier::Met;
use super::bounds::{Anchor, Bounds};
use super::cone::Cone;
use super::gap::Gap;
use ironspin_model::{Body, BodyState, DVec3, Part, World};
use std::fmt::Debug;

/// The pieces of every body's solid parts that ways and rays may meet, in its own frame.
pub(crate) fn barriers<G: Room>(world: &World) -> Vec<Vec<G::Barrier>> {
    let of_body = |body: &Body| body.parts.iter().filter(|part| !part.sensor).flat_map(G::barriers).collect();
    world.bodies.iter().map(of_body).collect()
}

/// The geometry of worlds of one dimension.
pub(crate) trait Room: Clone + Copy + Debug + Sized + 'static {
    /// A convex outline.
    type Collider: Clone + Debug;
    /// Where a body stands and how it is turned, as far as outlines go.
    type Pose: Copy + Debug + PartialEq;
    /// A box along the axes.
    type Around: Copy + Debug;
    /// The gap of two outlines.
    type OwnGap: Copy + Debug;
    /// Directions in which contacts may push.
    type Cone: Cone + 'static;
    /// A convex part of a barrier in its body's frame, as ways and rays meet it.
    type Barrier: Clone + Debug + Send;

    /// Of a body that is not there.
    const NOWHERE: Self::Pose;
    /// The box around nothing.
    const NONE: Self::Around;
    /// What has no gap: infinitely far.
    const FAR: Self::OwnGap;

    /// The outlines of a part in its body's frame.
    fn colliders(part: &Part) -> Vec<Self::Collider>;
    /// Greatest distance of any point from the origin of the frame, m; infinite for what has no end.
    fn reach(collider: &Self::Collider) -> f64;
    /// Writes outlines carried to a pose over others of the same kinds, and the boxes around them over others.
    fn carry(
        colliders: &[Self::Collider],
        pose: &Self::Pose,
        placed: &mut [Self::Collider],
        around: &mut [Self::Around],
    );

    /// Where a body stands.
    fn pose(state: &BodyState) -> Self::Pose;
    /// Whether the body is not there.
    fn is_nowhere(pose: &Self::Pose) -> bool;
    /// How far any point of a body that reaches so far may have gone from one pose to another, m; infinite when it came or went.
    fn moved(now: &Self::Pose, from: &Self::Pose, reach: f64) -> f64;
    /// Whether a body is where it was, but for rounding.
    fn is_same(was: &Self::Pose, is: &Self::Pose) -> bool;
    /// Between what a gap lies with the bodies at other places; `reaches` are the greatest distances of their points from their centres.
    /// Not a number when anything is not known, so that no comparison holds.
    fn bounds_at(anchor: &Anchor<Self>, poses: [Self::Pose; 2], reaches: [f64; 2]) -> Bounds;
    /// How far a body is from one place to another, m, and how far it has turned, rad; not a number when it is not there.
    fn change(now: &Self::Pose, from: &Self::Pose) -> [f64; 2];
    /// The angle by which a body turns from one state to another, rad.
    fn turned_by(from: &BodyState, to: &BodyState) -> f64;
    /// A state on the even way between two others; it has no velocity.
    fn between(from: &BodyState, to: &BodyState, share: f64) -> BodyState;
    /// A point of the world in the frame of a body.
    fn seen_from(body: &BodyState, point: DVec3) -> DVec3;
    /// A direction in the frame of a body along the axes of the world.
    fn seen_outside(body: &BodyState, way: DVec3) -> DVec3;
    /// An outline carried to a place by a body's state.
    fn placed(collider: &Self::Collider, state: &BodyState) -> Self::Collider;
    /// An outline moved without turning.
    fn shifted(collider: &Self::Collider, by: DVec3) -> Self::Collider;
    /// The convex pieces of a part that ways and rays may meet.
    fn barriers(part: &Part) -> Vec<Self::Barrier>;
    /// What a straight way in the frame of its body does to a piece.
    fn met(barrier: &Self::Barrier, way: [DVec3; 2]) -> Met;
    /// How far along a ray in the world a piece begins whose body is in a state, as a share of the ray; 0 from inside, nothing where it is missed.
    fn ray(barrier: &Self::Barrier, state: &BodyState, from: DVec3, way: DVec3) -> Option<f64>;
    /// A piece of skin between some points, rounded.
    fn piece(corners: Vec<DVec3>, radius: f64) -> Self::Collider;
    /// The box around an outline.
    fn around(collider: &Self::Collider) -> Self::Around;
    /// How fast a body turns, rad/s.
    fn turning(state: &BodyState) -> f64;

    /// The box around two.
    fn around_both(one: Self::Around, other: Self::Around) -> Self::Around;
    /// Whether two come within a distance of each other along every axis.
    fn meets(one: &Self::Around, other: &Self::Around, within: f64) -> bool;
    /// The gap of two that overlap along all axes but one at most, or less; minus infinity for two that overlap.
    fn least_gap(one: &Self::Around, other: &Self::Around) -> f64;
    /// The lower and the upper end along x.
    fn along_x(around: &Self::Around) -> [f64; 2];

    /// The gap from one outline to another; may be infinity at once when it is certainly above `within`.
    fn gap_within(one: &Self::Collider, other: &Self::Collider, within: f64) -> Self::OwnGap;
    /// m.
    fn distance(gap: &Self::OwnGap) -> f64;
    /// Seen from the second to the first.
    fn turned_round(gap: Self::OwnGap) -> Self::OwnGap;
    /// As gauges of every dimension see it.
    fn shown(gap: Self::OwnGap) -> Gap;
}
