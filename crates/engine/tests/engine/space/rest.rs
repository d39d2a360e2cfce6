//! Piles that must stand.

use super::worlds::pyramid;
use super::yard::{cube, solid, tower, wall};
use crate::worlds::rest;
use crate::yard::Bench;
use ironspin_model::{DVec3, SpaceShape};

#[test]
fn a_tower_of_twenty_a_wall_of_eight_by_twelve_and_a_pyramid_stand_without_sleeping() {
    for (name, world) in [("tower", tower(20)), ("wall", wall(8, 12)), ("pyramid", pyramid(8))] {
        let (rms, creep) = rest(world, "", 30.0, 10.0);
        assert!(rms < 1e-3, "{name}: rms speed {rms} of g dt");
        assert!(creep < 1e-6, "{name}: creep {creep} edges/s");
    }
}

#[test]
fn a_tower_stands_in_single_precision_and_with_other_settings() {
    for options in ["precision=f32", "substeps=8", "integrator=symplectic-euler", "integrator=rk4", "broad=tree"] {
        let (rms, _) = rest(tower(10), options, 20.0, 15.0);
        assert!(rms < 0.01, "{options}: {rms}");
    }
}

#[test]
fn the_heaviest_on_top_at_a_hundred_to_one_stands() {
    let mut world = tower(2);
    world.bodies[2].mass *= 100.0;
    world.bodies[2].inertia.0 *= 100.0;
    let (rms, _) = rest(world, "", 30.0, 20.0);
    assert!(rms < 1e-3, "{rms}");
}

#[test]
fn bodies_built_into_each_other_part_without_a_leap() {
    let mut world = tower(1);
    world.bodies.push(solid(cube(1.0), DVec3::new(0.1, 1.2, 0.2)));
    world.bodies.push(solid(SpaceShape::Sphere(0.4), DVec3::new(2.0, 0.2, 0.0)));
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    let mut fastest = 0.0_f64;
    bench.seconds(5.0, |frame| {
        fastest = frame.bodies.iter().map(|body| body.velocity.length()).fold(fastest, f64::max);
    });
    assert!(fastest < 0.5, "{fastest} m/s");
    assert!(bench.frame.bodies[2].pose.position.y > 1.49 && bench.frame.bodies[3].pose.position.y > 0.39);
}
