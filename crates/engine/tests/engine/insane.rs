//! Input that makes no sense is refused, or stays bounded.

use crate::yard::{Bench, fixed, floor, solid, square, world};
use ironspin_model::{
    Body, DVec2, DVec3, Dimension, EngineError, Inertia, Joint, JointFrame, JointKind, PlaneShape, World, about_z,
};

const DT: f64 = 1.0 / 60.0;

fn refused(change: impl Fn(&mut World)) -> String {
    let mut world = world(9.81, 0.5, 0.5);
    world.bodies.push(floor());
    world.bodies.push(solid(square(1.0), 0.0, 2.0));
    change(&mut world);
    for precision in ["f32", "f64"] {
        let outcome = Bench::try_new(world.clone(), &format!("precision={precision}"), DT).err();
        let Some(EngineError::BadWorld { why }) = outcome else { panic!("built in {precision}: {outcome:?}") };
        if precision == "f64" {
            return why;
        }
    }
    String::new()
}

fn polygon(points: &[(f64, f64)]) -> Body {
    let mut body = solid(square(1.0), 0.0, 2.0);
    body.parts[0].shape = PlaneShape::Polygon(points.iter().map(|&(x, y)| DVec2::new(x, y)).collect()).into();
    body
}

#[test]
fn what_cannot_be_built_is_refused_with_a_reason() {
    for mass in [0.0, -1.0, f64::NAN, f64::INFINITY] {
        assert!(refused(|w| w.bodies[1].mass = mass).contains("mass"));
    }
    assert!(refused(|w| w.bodies[1].inertia = Inertia::planar(0.0)).contains("inertia"));
    assert!(refused(|w| w.bodies[1].pose.position.x = f64::NAN).contains("not finite"));
    assert!(refused(|w| w.bodies[1].spin = about_z(f64::INFINITY)).contains("not finite"));
    assert!(refused(|w| w.bodies[1].linear_damping = -1.0).contains("damping"));
    assert!(refused(|w| w.bodies[1].parts.clear()).contains("no part"));
    assert!(refused(|w| w.bodies[1].parts[0].material = 5).contains("material"));
    assert!(refused(|w| w.bodies[1].parts[0].shape = PlaneShape::Disc(0.0).into()).contains("size"));
    assert!(refused(|w| w.bodies[1].parts[0].shape = PlaneShape::HalfPlane(DVec2::Y).into()).contains("static"));
    for wrong in [
        vec![(0.0, 0.0), (1.0, 0.0)],
        vec![(0.0, 0.0), (1.0, 0.0), (2.0, 0.0)],
        vec![(0.0, 0.0), (1.0, 0.0), (1.0, 0.0), (0.0, 1.0)],
        vec![(0.0, 0.0), (2.0, 0.0), (0.5, 0.5), (0.0, 2.0)],
        vec![(0.0, 0.0), (1.0, 1.0), (1.0, 0.0), (0.0, 1.0)],
        vec![(0.0, 0.0), (1.0, 0.0), (f64::NAN, 1.0)],
    ] {
        assert!(refused(|w| w.bodies[1] = polygon(&wrong)).contains("polygon"), "{wrong:?}");
    }
    let many: Vec<(f64, f64)> = (0..33).map(|i| (f64::from(i) * 0.19).sin_cos()).collect();
    assert!(refused(|w| w.bodies[1] = polygon(&many)).contains("32"));
    let joint = |bodies, kind| Joint { kind, bodies, frames: JointFrame::planar([DVec2::ZERO; 2]), length: None };
    assert!(refused(|w| w.joints.push(joint([0, 9], JointKind::Weld))).contains("joint"));
    assert!(refused(|w| w.joints.push(joint([1, 1], JointKind::Weld))).contains("joint"));
    assert!(
        refused(|w| w.joints.push(joint([0, 1], JointKind::Spring { stiffness: f64::NAN, damping: 0.0 })))
            .contains("joint")
    );
    assert!(refused(|w| w.excluded_pairs.push([0, 7])).contains("pair"));
    // Fine in double precision and not in single.
    let mut tiny = world(9.81, 0.5, 0.5);
    tiny.bodies.push(solid(square(1.0), 1e300, 0.0));
    assert!(Bench::try_new(tiny.clone(), "precision=f32", DT).is_err());
    assert!(Bench::try_new(tiny, "precision=f64", DT).is_ok());
}

#[test]
fn many_bodies_at_one_point_stay_bounded() {
    let mut world = world(9.81, 0.5, 0.0);
    world.bodies.push(floor());
    for _ in 0..150 {
        world.bodies.push(solid(PlaneShape::Disc(0.1), 0.0, 1.0));
    }
    for options in ["", "solver=compliant", "solver=position", "swept=all"] {
        let mut bench = Bench::new(world.clone(), options, DT);
        bench.run(20, |frame| {
            for state in &frame.bodies {
                assert!(state.is_finite(), "{options}");
                assert!(state.pose.position.length() < 1e3, "{options}: {}", state.pose.position);
            }
        });
    }
}

#[test]
fn extreme_masses_speeds_and_steps_do_not_panic() {
    for (mass, speed, dt) in [(1e-12, 1e6, 0.1), (1e12, 1e-9, 1e-9), (1.0, 1e150, 1.0), (1e-300, 1.0, 10.0)] {
        let mut world = world(9.81, 0.5, 0.5);
        world.bodies.push(fixed(square(2.0), 0.0, -1.0));
        for i in 0..3 {
            let mut body = solid(square(0.5), 0.0, 0.3 + f64::from(i) * 0.5);
            (body.mass, body.inertia) = (mass, Inertia::planar(mass));
            body.velocity = DVec3::new(speed, -speed, 0.0);
            world.bodies.push(body);
        }
        for options in ["", "swept=all", "solver=compliant", "solver=position", "integrator=explicit-euler"] {
            let Ok(mut bench) = Bench::try_new(world.clone(), options, dt) else { continue };
            bench.run(20, |_| {});
        }
    }
}

#[test]
fn a_fault_that_is_not_made_for_a_dimension_is_refused() {
    let mut world = world(9.81, 0.5, 0.5);
    world.dimension = Dimension::Space;
    let outcome = Bench::try_new(world.clone(), "fault=disc-like-a-ring", DT).err();
    let Some(EngineError::Unsupported { feature }) = outcome else { panic!("{outcome:?}") };
    assert!(feature.contains("fault=disc-like-a-ring in "), "{feature}");
}
