//! Coulomb friction: threshold of slipping, rolling, stopping.

use crate::worlds::{G, slid, slope};
use crate::yard::Bench;
use ironspin_model::{DVec2, DVec3, PlaneShape};

#[test]
fn a_block_slips_where_coulomb_says() {
    let block = || PlaneShape::Box(DVec2::new(1.0, 0.5));
    for options in ["", "solver=compliant"] {
        for friction in [0.2_f64, 0.5, 0.9] {
            let threshold = friction.atan();
            let held = slid(threshold * 0.995, friction, block(), 0.25, options, 3.0);
            assert!(held < 1e-3, "{options} {friction}: slipped {held} below the threshold");
            // Just above, it slips as s = a t^2 / 2.
            let angle = threshold * 1.005;
            let expected = 0.5 * G * (angle.sin() - friction * angle.cos()) * 9.0;
            let way = slid(angle, friction, block(), 0.25, options, 3.0);
            assert!((way / expected - 1.0).abs() < 0.1, "{options} {friction}: {way} and not {expected}");
        }
    }
}

#[test]
fn a_block_slides_with_the_acceleration_of_the_slope() {
    let (angle, friction) = (0.5_f64, 0.2);
    let expected = 0.5 * G * (angle.sin() - friction * angle.cos()) * 4.0;
    for options in ["", "solver=compliant", "solver=position"] {
        let way = slid(angle, friction, PlaneShape::Box(DVec2::new(1.0, 0.5)), 0.25, options, 2.0);
        assert!((way / expected - 1.0).abs() < 0.01, "{options}: {way} and not {expected}");
    }
}

#[test]
fn a_disc_rolls_with_two_thirds_of_the_acceleration() {
    let angle = 0.3_f64;
    let expected = 0.5 * (2.0 / 3.0) * G * angle.sin() * 4.0;
    for options in ["", "solver=compliant", "integrator=symplectic-euler"] {
        let way = slid(angle, 0.8, PlaneShape::Disc(0.5), 0.5, options, 2.0);
        assert!((way / expected - 1.0).abs() < 0.005, "{options}: {way} and not {expected}");
    }
}

#[test]
fn sliding_turns_into_rolling_at_five_sevenths_or_two_thirds() {
    // A disc set down sliding at v0 ends rolling at 2/3 v0, whatever the friction.
    let mut bench = {
        let mut world = slope(0.0, 0.3, PlaneShape::Disc(0.5), 0.5);
        world.bodies[1].velocity = DVec3::new(6.0, 0.0, 0.0);
        Bench::new(world, "", 1.0 / 240.0)
    };
    bench.seconds(3.0, |_| {});
    assert!((bench.velocity(1).x / 4.0 - 1.0).abs() < 0.005, "{}", bench.velocity(1));
    assert!((bench.frame.bodies[1].spin.z * -0.5 / 4.0 - 1.0).abs() < 0.005);
}
