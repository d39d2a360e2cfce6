//! Order of each integrator on smooth forces, and damping.

use crate::worlds::{integration_error, oscillator};
use crate::yard::{Bench, solid, square, world};
use ironspin_model::{DVec3, about_z};

#[test]
fn each_integrator_has_its_order() {
    for (name, order) in [("explicit-euler", 1.0), ("symplectic-euler", 1.0), ("verlet", 2.0), ("rk4", 4.0)] {
        let observed = (integration_error(name, 1.0 / 512.0) / integration_error(name, 1.0 / 1024.0)).log2();
        assert!((observed - order).abs() < 0.1, "{name}: {observed}");
    }
}

#[test]
fn free_fall_is_exact_with_verlet_and_off_by_half_a_step_of_speed_with_euler() {
    for (name, off) in [("verlet", 0.0), ("rk4", 0.0), ("symplectic-euler", -1.0), ("explicit-euler", 1.0)] {
        let mut world = world(10.0, 0.0, 0.0);
        world.bodies.push(solid(square(1.0), 0.0, 100.0));
        let mut bench = Bench::new(world, &format!("integrator={name},substeps=1"), 1.0 / 64.0);
        bench.seconds(2.0, |_| {});
        let expected = 100.0 - 20.0 + off * 0.5 * 10.0 * 2.0 / 64.0;
        assert!((bench.position(0).y - expected).abs() < 1e-12, "{name}: {}", bench.position(0).y);
    }
}

#[test]
fn damping_is_exponential_at_any_step() {
    for dt in [0.25, 0.01] {
        let mut world = world(0.0, 0.0, 0.0);
        let mut body = solid(square(1.0), 0.0, 0.0);
        (body.velocity, body.spin) = (DVec3::new(3.0, 0.0, 0.0), about_z(2.0));
        (body.linear_damping, body.angular_damping) = (0.5, 1.5);
        world.bodies.push(body);
        let mut bench = Bench::new(world, "", dt);
        bench.seconds(2.0, |_| {});
        assert!((bench.velocity(0).x - 3.0 * (-1.0_f64).exp()).abs() < 1e-12);
        assert!((bench.frame.bodies[0].spin.z - 2.0 * (-3.0_f64).exp()).abs() < 1e-12);
    }
}

#[test]
fn a_damped_spring_dies_down_as_its_closed_form() {
    // m = 1, k = 36, c = 2: x = 0.5 exp(-t) (cos wd t + sin wd t / wd), wd^2 = 35.
    let mut bench = Bench::new(oscillator(36.0, 2.0), "integrator=rk4", 1.0 / 240.0);
    bench.seconds(1.5, |_| {});
    let wd = 35.0_f64.sqrt();
    let expected = 0.5 * (-1.5_f64).exp() * ((wd * 1.5).cos() + (wd * 1.5).sin() / wd);
    assert!((bench.position(1).x - 2.0 - expected).abs() < 1e-7, "{}", bench.position(1).x - 2.0 - expected);
}
