//! The limits that single precision has of its own, as docs/accuracy.md states them.

use crate::worlds::{Dice, gas, passed, range, rest, spaced_range, stack, swarm};
use crate::yard::{Bench, energy, momentum};
use std::time::{Duration, Instant};

#[test]
fn a_stack_rests() {
    let (rms, creep) = rest(stack(10), "precision=f32", 15.0, 10.0);
    assert!(rms < 2e-3 && creep < 1e-5, "{rms} {creep}");
}

#[test]
fn elastic_discs_keep_their_energy() {
    let mut bench = Bench::new(gas(100, 10.0), "precision=f32", 1.0 / 60.0);
    let (before, world) = (bench.energy(), bench.world.clone());
    bench.seconds(10.0, |frame| {
        let off = (energy(&world, frame) / before - 1.0).abs();
        assert!(off < 1e-3, "{off}");
    });
}

#[test]
fn bodies_in_free_space_keep_their_momenta() {
    let mut bench = Bench::new(swarm(), "precision=f32", 1.0 / 60.0);
    let (linear, angular, _) = momentum(&bench.world, &bench.frame);
    let world = bench.world.clone();
    bench.seconds(5.0, |frame| {
        let (l, a, size) = momentum(&world, frame);
        assert!((l - linear).length() < 1e-5 * size[0] && (a - angular).abs() < 1e-4 * size[1]);
    });
}

#[test]
fn few_shots_pass_near_the_origin() {
    let mut dice = Dice(2026);
    let through: usize = (0..25).map(|_| passed(spaced_range(&mut dice, 12, 100.0), "swept=all,precision=f32")).sum();
    assert!(through <= 3, "{through} of 300");
}

/// Ten thousand kilometres out a coordinate is known to a metre, and every shot overlaps its plate as soon as it meets it.
#[test]
fn far_out_it_is_coarse_and_still_comes_to_an_end() {
    let began = Instant::now();
    passed(range(&mut Dice(2026), 100), "swept=all,precision=f32");
    assert!(began.elapsed() < Duration::from_secs(60), "no end in sight");
}
