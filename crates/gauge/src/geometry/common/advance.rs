//! When two moving, turning outlines first touch, between two frames.

use super::Gap;
use super::room::Room;
use ironspin_model::BodyState;

/// Most small moves within one step.
const ROUNDS: usize = 4096;

/// An outline that moves evenly and turns evenly from one state to the next.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Moving<'a, G: Room> {
    /// In the frame of its body.
    pub(crate) collider: &'a G::Collider,
    /// Where its body is at the start.
    pub(crate) from: &'a BodyState,
    /// Where its body is at the end.
    pub(crate) to: &'a BodyState,
}

impl<G: Room> Moving<'_, G> {
    /// The share of the step at which the two first come within `touch` of each other, and the gap there; `None` if they
    /// never do.
    ///
    /// Conservative advancement (Mirtich, "Impulse-based dynamic simulation of rigid body systems", 1996, section
    /// 2.3): the gap cannot close faster than the relative motion and both turns allow, so that time may pass safely.
    pub(crate) fn first_touch(&self, other: &Moving<'_, G>, touch: f64) -> Option<(f64, Gap)> {
        let shift = |one: &Self| one.to.pose.position - one.from.pose.position;
        // What has no end does not turn in any scene; should it, its far parts move without bound and only frames are looked at.
        let swing = |one: &Moving<'_, G>| {
            let reach = G::reach(one.collider);
            let turn = G::turned_by(one.from, one.to);
            if turn == 0.0 || !reach.is_finite() { 0.0 } else { turn * reach }
        };
        let way = (other.to.pose.position - other.from.pose.position) - shift(self);
        let turning = swing(self) + swing(other);
        let gap_of = |one: &BodyState, two: &BodyState| {
            let (here, there) = (G::placed(self.collider, one), G::placed(other.collider, two));
            G::shown(G::gap_within(&here, &there, f64::INFINITY))
        };
        let mut share = 0.0;
        for _ in 0..ROUNDS {
            let gap = gap_of(&G::between(self.from, self.to, share), &G::between(other.from, other.to, share));
            if gap.distance <= touch {
                return Some((share, gap));
            }
            // Seen along the normal, nothing comes nearer faster than this.
            let closing = (-way.dot(gap.normal)).max(0.0) + turning;
            // Without turning, what does not approach along the line of the nearest points never touches.
            if closing == 0.0 || !gap.distance.is_finite() {
                return None;
            }
            share += (gap.distance - 0.5 * touch) / closing;
            if !(share < 1.0) {
                let end = gap_of(self.to, other.to);
                return (end.distance <= touch).then_some((1.0, end));
            }
        }
        None
    }
}
