//! When two moving, turning outlines first touch, between two frames.

use super::{Collider, PlaneGap};
use ironspin_model::{BodyState, DVec2, DVec3};

/// Most small moves within one step.
const ROUNDS: usize = 4096;

/// An outline that moves evenly and turns evenly from one state to the next.
#[derive(Clone, Copy, Debug)]
pub struct Moving<'a> {
    /// In the frame of its body.
    pub collider: &'a Collider,
    /// Where its body is at the start.
    pub from: &'a BodyState,
    /// Where its body is at the end.
    pub to: &'a BodyState,
}

/// A state on the even way between two others.
pub(crate) fn between(from: &BodyState, to: &BodyState, share: f64) -> BodyState {
    let position = from.pose.position.lerp(to.pose.position, share);
    let angle = from.pose.angle + (to.pose.angle - from.pose.angle) * share;
    BodyState::planar(position, angle, DVec3::ZERO, 0.0)
}

impl Moving<'_> {
    /// The share of the step at which the two first come within `touch` of each other, and the gap there; `None` if they
    /// never do.
    ///
    /// Conservative advancement (Mirtich, "Impulse-based dynamic simulation of rigid body systems", 1996, section
    /// 2.3): the gap cannot close faster than the relative motion and both turns allow, so that time may pass safely.
    pub fn first_touch(&self, other: &Moving<'_>, touch: f64) -> Option<(f64, PlaneGap)> {
        let shift = |one: &Moving<'_>| (one.to.pose.position - one.from.pose.position).truncate();
        // A half-plane does not turn in any scene; should it, its far parts move without bound and only frames are looked at.
        let swing = |one: &Moving<'_>| {
            let reach = one.collider.reach();
            let turn = (one.to.pose.angle - one.from.pose.angle).abs();
            if turn == 0.0 || !reach.is_finite() { 0.0 } else { turn * reach }
        };
        let (way, turning): (DVec2, f64) = (shift(other) - shift(self), swing(self) + swing(other));
        let mut share = 0.0;
        for _ in 0..ROUNDS {
            let here = self.collider.placed(&between(self.from, self.to, share));
            let there = other.collider.placed(&between(other.from, other.to, share));
            let gap = here.gap_to(&there);
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
                let end = self.collider.placed(self.to).gap_to(&other.collider.placed(other.to));
                return (end.distance <= touch).then_some((1.0, end));
            }
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn state(x: f64, y: f64, angle: f64) -> BodyState {
        BodyState::planar(DVec3::new(x, y, 0.0), angle, DVec3::ZERO, 0.0)
    }

    fn blade(half_length: f64, half_width: f64) -> Collider {
        let (l, w) = (half_length, half_width);
        let corners = vec![DVec2::new(-l, -w), DVec2::new(l, -w), DVec2::new(l, w), DVec2::new(-l, w)];
        Collider::Hull { corners, radius: 0.0 }
    }

    #[test]
    fn a_shot_through_a_thin_plate_touches_it_at_the_share_of_the_closed_form() {
        let (plate, shot) = (blade(0.01, 1.0), Collider::Hull { corners: vec![DVec2::ZERO], radius: 0.1 });
        let still = state(0.0, 0.0, 0.0);
        let plate = Moving { collider: &plate, from: &still, to: &still };
        let (from, to) = (state(-10.0, 0.0, 0.0), state(30.0, 0.0, 0.0));
        let (share, gap) = plate.first_touch(&Moving { collider: &shot, from: &from, to: &to }, 1e-9).unwrap();
        assert!((share - (10.0 - 0.11) / 40.0).abs() < 1e-9, "{share}");
        assert!((gap.normal + DVec2::X).length() < 1e-9);
        let past = (state(-10.0, 2.0, 0.0), state(30.0, 2.0, 0.0));
        assert!(plate.first_touch(&Moving { collider: &shot, from: &past.0, to: &past.1 }, 1e-9).is_none());
    }

    #[test]
    fn a_turning_blade_hits_what_stands_in_its_way_at_the_angle_of_the_closed_form() {
        // A blade without width of half length 1 turns by half a turn; a pin of radius r at (0, d) is met when the distance
        // of its centre from the blade's line, d cos(angle), is r.
        let (blade, pin) = (blade(1.0, 0.0), Collider::Hull { corners: vec![DVec2::ZERO], radius: 0.05 });
        let (from, to) = (state(0.0, 0.0, 0.0), state(0.0, 0.0, std::f64::consts::PI));
        let still = state(0.0, 0.5, 0.0);
        let found = Moving { collider: &blade, from: &from, to: &to }
            .first_touch(&Moving { collider: &pin, from: &still, to: &still }, 1e-9)
            .unwrap();
        assert!((found.0 - (0.1_f64).acos() / std::f64::consts::PI).abs() < 1e-8, "{found:?}");
    }

    proptest! {
        /// Never later than what small steps find (which ask for less than half the touch: a graze in between may be passed over), and never a touch where they stay clear apart.
        #[test]
        fn agrees_with_small_steps(x in -3.0..3.0_f64, y in -3.0..3.0_f64, dx in -4.0..4.0_f64, dy in -4.0..4.0_f64, turn in -4.0..4.0_f64, spin in -4.0..4.0_f64) {
            let (one, other) = (blade(0.8, 0.1), blade(0.5, 0.2));
            let states = [state(0.0, 0.0, 0.3), state(0.0, 0.0, 0.3 + turn), state(x, y, 1.0), state(x + dx, y + dy, 1.0 + spin)];
            let (a, b) = (Moving { collider: &one, from: &states[0], to: &states[1] }, Moving { collider: &other, from: &states[2], to: &states[3] });
            let found = a.first_touch(&b, 1e-6).map(|(share, _)| share);
            let gap = |share: f64| one.placed(&between(a.from, a.to, share)).gap_to(&other.placed(&between(b.from, b.to, share))).distance;
            let steps = 4000;
            let naive = (0..=steps).map(|k| f64::from(k) / f64::from(steps)).find(|&share| gap(share) <= 4e-7);
            match (found, naive) {
                (Some(found), Some(naive)) => prop_assert!(found <= naive + 1e-9 && gap(found) <= 1e-6 + 1e-12),
                // Small steps may miss a short touch, but not find one that is not there.
                (None, Some(naive)) => prop_assert!(false, "missed the touch at {}", naive),
                (Some(found), None) => prop_assert!(gap(found) <= 1e-6 + 1e-12),
                (None, None) => {}
            }
        }
    }
}
