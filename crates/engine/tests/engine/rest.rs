//! Piles that must stand.

use crate::worlds::{DT, pyramid, rest, stack};
use crate::yard::{Bench, energy, fixed, floor, solid, square, world};
use ironspin_model::{DVec2, PlaneShape};

#[test]
fn a_stack_of_twenty_and_a_pyramid_of_base_twenty_stand_without_sleeping() {
    for (world, name) in [(stack(20), "stack"), (pyramid(20), "pyramid")] {
        let (rms, creep) = rest(world, "", 60.0, 10.0);
        assert!(rms < 1e-3, "{name}: rms speed {rms} of g dt");
        assert!(creep < 1e-6, "{name}: creep {creep} edges/s");
    }
}

#[test]
fn the_heaviest_on_top_at_a_thousand_to_one_stands() {
    let mut world = stack(2);
    world.bodies[2].mass *= 1000.0;
    world.bodies[2].inertia.0 *= 1000.0;
    let (rms, _) = rest(world, "", 30.0, 20.0);
    assert!(rms < 1e-3, "{rms}");
}

#[test]
fn every_solver_that_knows_resting_contact_keeps_a_stack_of_ten() {
    for options in [
        "solver=compliant",
        "solver=position",
        "integrator=symplectic-euler",
        "precision=f32",
        "substeps=8",
        "sleep=on",
    ] {
        let (rms, _) = rest(stack(10), options, 20.0, 15.0);
        assert!(rms < 0.01, "{options}: {rms}");
    }
}

#[test]
fn sleeping_wakes_when_something_falls_on_it() {
    let mut world = stack(3);
    world.bodies.push(solid(square(0.5), 0.4, 60.0));
    let mut bench = Bench::new(world, "sleep=on", DT);
    bench.seconds(2.0, |_| {});
    assert_eq!(bench.velocity(3), DVec2::ZERO);
    let mut fastest = 0.0_f64;
    bench.seconds(3.0, |frame| fastest = fastest.max(frame.bodies[3].velocity.length()));
    assert!(fastest > 0.01, "the top of the stack was not woken: {fastest}");
}

#[test]
fn an_early_end_of_the_passes_saves_most_of_them_at_rest() {
    let mut bench = Bench::new(stack(10), "", DT);
    bench.seconds(5.0, |_| {});
    let before = bench.engine.work().1;
    bench.seconds(1.0, |_| {});
    let passes = bench.engine.work().1 - before;
    assert!(passes <= 60 * 2, "{passes} passes in 60 steps at rest");
}

/// Capsules lying on a floor with discs wedged between them, hit from above: friction couples all of them, and passes that
/// overshoot would find more and more to change.
#[test]
fn discs_and_capsules_poured_into_a_trough_gain_no_energy() {
    let mut poured = world(9.81, 0.5, 0.1);
    poured.bodies.push(floor());
    for side in [-1.0, 1.0] {
        poured.bodies.push(fixed(PlaneShape::Box(DVec2::new(1.0, 60.0)), side * 14.5, 29.0));
    }
    for number in 0..320 {
        let (column, row) = (number % 16, number / 16);
        let (shape, shift) = match column % 2 {
            0 => (PlaneShape::Disc(0.45), 1.06),
            _ => (PlaneShape::Capsule { length: 0.4, radius: 0.25 }, 2.12),
        };
        let x = 3.18 * f64::from(column / 2) - 12.7 + shift + 0.05 * f64::from(row % 3);
        poured.bodies.push(solid(shape, x, 0.6 + 1.05 * f64::from(row)));
    }
    let mut bench = Bench::new(poured.clone(), "", 1.0 / 60.0);
    let start = bench.energy();
    bench.seconds(3.0, |frame| {
        let now = energy(&poured, frame);
        assert!(now < 1.001 * start, "{now} J of {start} J at {} s", frame.time);
    });
    let highest = bench.frame.bodies.iter().skip(3).map(|body| body.velocity.length()).fold(0.0, f64::max);
    assert!(bench.energy() < 0.6 * start && highest < 15.0, "{} J of {start} J, {highest} m/s", bench.energy());
}
