//! Every shape against every shape: falls, lands, rests and does not sink.

use crate::worlds::DT;
use crate::yard::{Bench, fixed, solid, square, world};
use ironspin_model::{DVec2, Inertia, Part, PlaneShape, Pose, World};

/// Shapes that may move, with the height of their centre over the ground they lie on.
fn movers() -> Vec<(&'static str, PlaneShape, f64)> {
    let hexagon = (0..6).map(|i| DVec2::from_angle(std::f64::consts::FRAC_PI_3 * f64::from(i)) * 0.4).collect();
    let many =
        (0..32).map(|i| DVec2::from_angle(std::f64::consts::PI * (f64::from(i) / 16.0 + 1.0 / 32.0)) * 0.4).collect();
    vec![
        ("disc", PlaneShape::Disc(0.4), 0.4),
        ("box", PlaneShape::Box(DVec2::new(0.8, 0.5)), 0.25),
        ("capsule", PlaneShape::Capsule { length: 0.6, radius: 0.25 }, 0.25),
        ("hexagon", PlaneShape::Polygon(hexagon), 0.4 * 0.75_f64.sqrt()),
        ("32 corners", PlaneShape::Polygon(many), 0.4 * (std::f64::consts::PI / 32.0).cos()),
    ]
}

/// What they may land on, with its upper side at 0.
fn grounds() -> Vec<(&'static str, PlaneShape, f64)> {
    let pedestal = vec![DVec2::new(-2.0, -0.5), DVec2::new(2.0, -0.5), DVec2::new(1.5, 0.5), DVec2::new(-1.5, 0.5)];
    let chain = vec![DVec2::new(-3.0, 0.0), DVec2::new(-0.31, 0.0), DVec2::new(0.17, 0.0), DVec2::new(3.0, 0.0)];
    vec![
        ("half-plane", PlaneShape::HalfPlane(DVec2::Y), 0.0),
        ("box", PlaneShape::Box(DVec2::new(4.0, 1.0)), -0.5),
        ("polygon", PlaneShape::Polygon(pedestal), -0.5),
        ("capsule", PlaneShape::Capsule { length: 3.0, radius: 0.5 }, -0.5),
        ("polyline", PlaneShape::Polyline(chain), 0.0),
        ("large disc", PlaneShape::Disc(50.0), -50.0),
    ]
}

fn landing(ground: (PlaneShape, f64), mover: PlaneShape, height: f64, mover_first: bool) -> (World, usize) {
    let mut world = world(9.81, 0.8, 0.0);
    let base = fixed(ground.0, 0.0, ground.1);
    let falling = solid(mover, 0.0, height + 0.3);
    let (first, second) = if mover_first { (falling, base) } else { (base, falling) };
    world.bodies.extend([first, second]);
    (world, usize::from(!mover_first))
}

#[test]
fn every_shape_rests_on_every_ground_in_either_order() {
    for (ground_name, ground, at) in grounds() {
        for (name, mover, height) in movers() {
            for mover_first in [false, true] {
                for options in ["", "swept=all"] {
                    let (world, body) = landing((ground.clone(), at), mover.clone(), height, mover_first);
                    let mut bench = Bench::new(world, options, DT);
                    bench.seconds(3.0, |_| {});
                    let reported = format!("{name} on {ground_name} {options} {mover_first}: {}", bench.position(body));
                    assert!((bench.position(body).y - height).abs() < 0.01, "{reported}");
                    assert!(bench.position(body).x.abs() < 0.05, "{reported}");
                    assert!(bench.velocity(body).length() < 0.02, "{reported}");
                }
            }
        }
    }
}

#[test]
fn every_shape_rests_on_every_other_that_may_move() {
    for (below_name, below, below_height) in movers() {
        for (name, above, height) in movers() {
            let mut world = world(9.81, 0.8, 0.0);
            world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::Y), 0.0, 0.0));
            // What may roll is held.
            let mut base = solid(below.clone(), 0.0, below_height);
            base.fixed_turn = true;
            let mut top = solid(above, 0.0, 2.0 * below_height + height + 0.1);
            top.fixed_turn = true;
            world.bodies.extend([base, top]);
            let mut bench = Bench::new(world, "", DT);
            bench.seconds(2.0, |_| {});
            let apart = bench.position(2).y - bench.position(1).y;
            // Polygons with corners up stand a little higher than on a flat side.
            assert!((apart - below_height - height).abs() < 0.06, "{name} on {below_name}: {apart}");
            assert!(bench.velocity(2).length() < 0.02, "{name} on {below_name}");
        }
    }
}

#[test]
fn a_compound_lands_on_its_lowest_part_and_lies_still() {
    // An L: the centre of mass is given to the engine, the parts are placed about it.
    let part = |x: f64, y: f64| Part { pose: Pose::flat(DVec2::new(x, y), 0.0), ..Part::solid(square(0.5), 0) };
    let parts = vec![part(-0.25, -0.25), part(0.25, -0.25), part(-0.25, 0.25)];
    let mass = ironspin_model::body_mass(&parts, |_| 1.0).unwrap();
    let mut body = solid(square(0.5), 0.0, 2.0);
    body.parts = parts
        .into_iter()
        .map(|part| Part { pose: Pose::flat(part.pose.xy() - mass.centre, part.pose.angle), ..part })
        .collect();
    (body.mass, body.inertia) = (mass.mass, Inertia::planar(mass.inertia));
    let mut world = world(9.81, 0.6, 0.0);
    world.bodies.extend([fixed(PlaneShape::HalfPlane(DVec2::Y), 0.0, 0.0), body]);
    for options in ["", "solver=compliant", "swept=all"] {
        let mut bench = Bench::new(world.clone(), options, DT);
        bench.seconds(3.0, |_| {});
        assert!((bench.position(1).y - (0.5 + mass.centre.y)).abs() < 0.01, "{options}: {}", bench.position(1));
        assert!(bench.frame.bodies[1].pose.angle.abs() < 0.01, "{options}");
    }
}
