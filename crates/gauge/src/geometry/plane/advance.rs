//! First touches of the plane against closed forms and small steps.

use crate::geometry::common::{Moving, Room};
use crate::geometry::plane::{Collider, Plane};
use ironspin_model::{BodyState, DVec2, DVec3};
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
    let plate = Moving::<Plane> { collider: &plate, from: &still, to: &still };
    let (from, to) = (state(-10.0, 0.0, 0.0), state(30.0, 0.0, 0.0));
    let (share, gap) = plate.first_touch(&Moving::<Plane> { collider: &shot, from: &from, to: &to }, 1e-9).unwrap();
    assert!((share - (10.0 - 0.11) / 40.0).abs() < 1e-9, "{share}");
    assert!((gap.normal + DVec3::X).length() < 1e-9);
    let past = (state(-10.0, 2.0, 0.0), state(30.0, 2.0, 0.0));
    assert!(plate.first_touch(&Moving::<Plane> { collider: &shot, from: &past.0, to: &past.1 }, 1e-9).is_none());
}

#[test]
fn a_turning_blade_hits_what_stands_in_its_way_at_the_angle_of_the_closed_form() {
    // A blade without width of half length 1 turns by half a turn; a pin of radius r at (0, d) is met when the distance
    // of its centre from the blade's line, d cos(angle), is r.
    let (blade, pin) = (blade(1.0, 0.0), Collider::Hull { corners: vec![DVec2::ZERO], radius: 0.05 });
    let (from, to) = (state(0.0, 0.0, 0.0), state(0.0, 0.0, std::f64::consts::PI));
    let still = state(0.0, 0.5, 0.0);
    let found = Moving::<Plane> { collider: &blade, from: &from, to: &to }
        .first_touch(&Moving::<Plane> { collider: &pin, from: &still, to: &still }, 1e-9)
        .unwrap();
    assert!((found.0 - (0.1_f64).acos() / std::f64::consts::PI).abs() < 1e-8, "{found:?}");
}

proptest! {
    /// Never later than what small steps find (which ask for less than half the touch: a graze in between may be passed over), and never a touch where they stay clear apart.
    #[test]
    fn agrees_with_small_steps(x in -3.0..3.0_f64, y in -3.0..3.0_f64, dx in -4.0..4.0_f64, dy in -4.0..4.0_f64, turn in -4.0..4.0_f64, spin in -4.0..4.0_f64) {
        let (one, other) = (blade(0.8, 0.1), blade(0.5, 0.2));
        let states = [state(0.0, 0.0, 0.3), state(0.0, 0.0, 0.3 + turn), state(x, y, 1.0), state(x + dx, y + dy, 1.0 + spin)];
        let (a, b) = (Moving::<Plane> { collider: &one, from: &states[0], to: &states[1] }, Moving::<Plane> { collider: &other, from: &states[2], to: &states[3] });
        let found = a.first_touch(&b, 1e-6).map(|(share, _)| share);
        let gap = |share: f64| one.placed(&Plane::between(a.from, a.to, share)).gap_to(&other.placed(&Plane::between(b.from, b.to, share))).distance;
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
