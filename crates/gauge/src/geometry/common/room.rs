//! What the gauges ask of the geometry of worlds of one dimension. Everything that is the same in the plane and in space is written once
//! over it: who is near whom, what is known of a gap, what is kept from frame to frame.

use super::bounds::{Anchor, Bounds};
use super::gap::Gap;
use ironspin_model::{BodyState, Part};
use std::fmt::Debug;

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
