//! Piles that must stand.

use super::yard::{cube, floor, solid, tower, wall, world};
use crate::worlds::rest;
use crate::yard::Bench;
use ironspin_model::{DVec3, SpaceShape, World};

/// A pyramid on a square base.
fn pyramid(base: usize) -> World {
    let mut world = world(9.81, 0.6, 0.0);
    world.bodies.push(floor());
    for layer in 0..base {
        for row in 0..base - layer {
            for column in 0..base - layer {
                let at = DVec3::new(column as f64, 0.0, row as f64) * 1.1 + 0.55 * layer as f64;
                world.bodies.push(solid(cube(1.0), DVec3::new(at.x, 0.5 + layer as f64, at.z)));
            }
        }
    }
    world
}

#[test]
fn a_tower_of_ten_and_a_wall_of_six_by_eight_stand_a_minute_without_sleeping() {
    for (name, world) in [("tower", tower(10)), ("wall", wall(6, 8)), ("pyramid", pyramid(5))] {
        let (rms, creep) = rest(world, "", 60.0, 10.0);
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
