//! Where bodies of space stand, and how far they can have gone.

use super::room::Space;
use crate::geometry::common::{Anchor, Bounds, NOISE};
use ironspin_model::{BodyState, DQuat, DVec3, turn};

/// Place and rotation of a body.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct SpacePose {
    pub(crate) position: DVec3,
    pub(crate) rotation: DQuat,
}

impl SpacePose {
    /// Of a body that is not there.
    pub(crate) const NOWHERE: SpacePose =
        SpacePose { position: DVec3::NAN, rotation: DQuat::from_xyzw(f64::NAN, f64::NAN, f64::NAN, f64::NAN) };

    pub(crate) fn of(state: &BodyState) -> Self {
        SpacePose { position: state.pose.position, rotation: state.pose.rotation }
    }

    pub(crate) fn is_nowhere(&self) -> bool {
        self.position.x.is_nan()
    }

    /// The angle between two turns, rad; 0 where they are the same to the bit.
    pub(crate) fn turned(&self, from: &SpacePose) -> f64 {
        if self.rotation == from.rotation { 0.0 } else { turn::angle_between(from.rotation, self.rotation) }
    }

    /// How far any point of a body that reaches so far may have gone from one pose to another, m; infinite when it came or went.
    pub(crate) fn moved(&self, from: &SpacePose, reach: f64) -> f64 {
        match (self.is_nowhere(), from.is_nowhere()) {
            (true, true) => 0.0,
            (false, false) => {
                let turned = self.turned(from);
                let way = (self.position - from.position).length() + if turned == 0.0 { 0.0 } else { turned * reach };
                if way == 0.0 { 0.0 } else { way + self.noise(reach) }
            }
            _ => f64::INFINITY,
        }
    }

    /// What a gap may be rounded by here, m.
    fn noise(&self, reach: f64) -> f64 {
        let p = self.position.abs();
        NOISE * (p.x + p.y + p.z + if reach < f64::INFINITY { reach } else { 0.0 })
    }
}

/// Between what the gap lies with the bodies at other places.
pub(super) fn bounds_at(anchor: &Anchor<Space>, poses: [SpacePose; 2], reaches: [f64; 2]) -> Bounds {
    let [a, b] = poses;
    let [was_a, was_b] = anchor.poses;
    let along = ((b.position - a.position) - (was_b.position - was_a.position)).length();
    let turned = |now: &SpacePose, was: &SpacePose, reach: f64| {
        let by = now.turned(was);
        if by == 0.0 { 0.0 } else { by * reach }
    };
    let noise = a.noise(reaches[0]) + b.noise(reaches[1]);
    let moved = along + turned(&a, &was_a, reaches[0]) + turned(&b, &was_b, reaches[1]) + noise;
    Bounds { low: anchor.bounds.low - moved, high: anchor.bounds.high + moved }
}
