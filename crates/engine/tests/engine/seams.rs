//! Polylines: nothing that slides along them is caught, ridges hold, both sides work.

use crate::yard::{Bench, fixed, solid, square, world};
use ironspin_model::{DVec2, DVec3, PlaneShape, World};

fn chain(points: &[(f64, f64)]) -> PlaneShape {
    PlaneShape::Polyline(points.iter().map(|&(x, y)| DVec2::new(x, y)).collect())
}

fn track(shape: PlaneShape, under: f64, pieces: i32) -> World {
    let mut world = world(9.81, 0.0, 0.0);
    let points: Vec<(f64, f64)> = (0..=pieces).map(|i| (f64::from(i) * 20.0 / f64::from(pieces) - 5.0, 0.0)).collect();
    world.bodies.push(fixed(chain(&points), 0.0, 0.0));
    let mut slider = solid(shape, 0.0, under);
    slider.velocity = DVec3::new(3.0, 0.0, 0.0);
    world.bodies.push(slider);
    world
}

#[test]
fn seams_do_not_trip_a_slider() {
    for (shape, under) in [
        (square(0.5), 0.25),
        (PlaneShape::Disc(0.3), 0.3),
        (PlaneShape::Capsule { length: 0.4, radius: 0.2 }, 0.2),
        (PlaneShape::Polygon(vec![DVec2::new(-0.3, -0.2), DVec2::new(0.3, -0.2), DVec2::new(0.0, 0.4)]), 0.2),
    ] {
        for options in ["", "swept=all", "solver=compliant"] {
            let mut bench = Bench::new(track(shape.clone(), under, 37), options, 1.0 / 60.0);
            bench.seconds(3.0, |_| {});
            let (at, speed) = (bench.position(1), bench.velocity(1));
            // Where contact points change at a seam the solver starts anew; what is left is under a millionth of the speed a second.
            assert!((speed - DVec2::new(3.0, 0.0)).length() < 1e-4, "{shape:?} {options}: {speed}");
            assert!((at.x - 9.0).abs() < 1e-4 && (at.y - under).abs() < 2e-3, "{shape:?} {options}: {at}");
            // Soft contact gives way a little where its points change.
            let tilt = if options == "solver=compliant" { 1e-3 } else { 1e-4 };
            assert!(
                bench.frame.bodies[1].pose.angle.abs() < tilt,
                "{shape:?} {options}: {}",
                bench.frame.bodies[1].pose.angle
            );
        }
    }
}

#[test]
fn a_box_balances_on_a_ridge_and_rests_in_a_valley() {
    let mut ridge = world(9.81, 0.8, 0.0);
    ridge.bodies.push(fixed(chain(&[(-2.0, -2.0), (0.0, 0.0), (2.0, -2.0)]), 0.0, 0.0));
    ridge.bodies.push(solid(PlaneShape::Box(DVec2::new(2.0, 0.4)), 0.0, 0.2));
    let mut bench = Bench::new(ridge, "", 1.0 / 60.0);
    bench.seconds(1.0, |_| {});
    assert!((bench.position(1).y - 0.2).abs() < 0.01, "{}", bench.position(1));

    let mut valley = world(9.81, 0.1, 0.0);
    valley.bodies.push(fixed(chain(&[(-2.0, 2.0), (0.0, 0.0), (2.0, 2.0)]), 0.0, 0.0));
    valley.bodies.push(solid(PlaneShape::Disc(0.5), 0.3, 1.5));
    let mut bench = Bench::new(valley, "", 1.0 / 60.0);
    bench.seconds(20.0, |_| {});
    // A disc in a right-angled valley touches both sides: its centre is r sqrt(2) above the bottom.
    assert!((bench.position(1) - DVec2::new(0.0, 0.5 * 2.0_f64.sqrt())).length() < 0.02, "{}", bench.position(1));
}

#[test]
fn a_closed_chain_holds_what_is_inside_and_what_is_outside() {
    let points = [(-3.0, -3.0), (3.0, -3.0), (3.0, 3.0), (-3.0, 3.0), (-3.0, -3.0)];
    let mut world = world(9.81, 0.3, 0.2);
    world.bodies.push(fixed(chain(&points), 0.0, 0.0));
    world.bodies.push(solid(square(0.8), 0.0, 0.0));
    world.bodies.push(solid(PlaneShape::Disc(0.4), 1.0, 5.0));
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    bench.seconds(5.0, |_| {});
    assert!((bench.position(1).y + 2.6).abs() < 0.01, "{}", bench.position(1));
    assert!((bench.position(2).y - 3.4).abs() < 0.01, "{}", bench.position(2));
}

/// A floor of boxes laid end to end.
fn tiles(shape: PlaneShape, under: f64, raised: f64) -> World {
    let mut world = world(9.81, 0.0, 0.0);
    for k in 0..24 {
        let up = if k >= 12 { raised } else { 0.0 };
        world.bodies.push(fixed(PlaneShape::Box(DVec2::new(0.5, 0.4)), f64::from(k) * 0.5, up - 0.2));
    }
    let mut slider = solid(shape, 0.5, under);
    slider.velocity = DVec3::new(3.0, 0.0, 0.0);
    world.bodies.push(slider);
    world
}

#[test]
fn level_tiles_do_not_trip_a_slider_and_a_raised_one_stops_it() {
    for (shape, under) in [
        (square(0.4), 0.2),
        (PlaneShape::Disc(0.3), 0.3),
        (PlaneShape::Capsule { length: 0.4, radius: 0.2 }, 0.2),
        (PlaneShape::Polygon(vec![DVec2::new(-0.3, -0.2), DVec2::new(0.3, -0.2), DVec2::new(0.0, 0.4)]), 0.2),
    ] {
        for options in ["", "solver=compliant", "swept=all"] {
            let mut bench = Bench::new(tiles(shape.clone(), under, 0.0), options, 1.0 / 60.0);
            bench.seconds(3.0, |_| {});
            let speed = bench.velocity(24);
            // Soft contact gives way a little where its points change.
            let trip = if options == "solver=compliant" { 5e-3 } else { 1e-3 };
            assert!((speed - DVec2::new(3.0, 0.0)).length() < trip, "{shape:?} {options}: {speed}");
        }
        let mut bench = Bench::new(tiles(shape.clone(), under, 0.15), "", 1.0 / 60.0);
        bench.seconds(3.0, |_| {});
        assert!(bench.position(24).x < 6.0, "{shape:?}: a step of 15 cm is no seam: {}", bench.position(24));
    }
}

#[test]
fn a_sharp_foot_is_stopped_by_a_wall_where_it_meets_the_floor() {
    let mut world = world(9.81, 0.0, 0.0);
    world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::Y), 0.0, 0.0));
    world.bodies.push(fixed(PlaneShape::Box(DVec2::new(1.0, 4.0)), 3.5, 2.0));
    let wedge = PlaneShape::Polygon(vec![DVec2::new(-0.5, -0.2), DVec2::new(0.5, -0.2), DVec2::new(-0.5, 0.4)]);
    let mut slider = solid(wedge, 0.0, 0.2);
    slider.velocity = DVec3::new(2.0, 0.0, 0.0);
    world.bodies.push(slider);
    let mut bench = Bench::new(world, "", 1.0 / 60.0);
    bench.seconds(3.0, |_| {});
    assert!(bench.position(2).x < 2.51, "{}", bench.position(2));
}
