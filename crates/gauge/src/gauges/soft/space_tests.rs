//! The gauges of soft bodies in space against closed forms, and against states that no sound engine gives.

use crate::gauges::trace::measure;
use ironspin_model::{
    BodyState, DVec3, Dimension, Frame, NodeSpring, NodeTraits, Part, Pose, Pressure, SoftBody, SpaceShape, World,
};

/// A tetrahedron with a skin, a cell, gas and springs of rest length 1, 2 kg in all, and a bare ball.
fn tetrahedron() -> World {
    let traits = NodeTraits { dimension: Dimension::Space, radius: 0.1, ..NodeTraits::plain("pad") };
    let spring = |a: usize, b: usize| NodeSpring { ends: [a, b], length: 1.0, stiffness: 50.0, damping: 0.0 };
    let shot = ironspin_model::Body {
        mass: 1.0,
        parts: vec![Part::solid(SpaceShape::Sphere(0.05), 0)],
        ..ironspin_model::Body::plain("shot")
    };
    let mut bodies = vec![shot];
    bodies.extend(CORNERS.iter().enumerate().map(|(i, &at)| traits.node(&format!("[{i}]"), at, DVec3::ZERO, 0.5)));
    let soft = SoftBody {
        name: "pad".into(),
        nodes: 1..5,
        radius: 0.1,
        springs: vec![spring(0, 1), spring(0, 2), spring(0, 3)],
        faces: vec![[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]],
        tetrahedra: vec![[0, 1, 2, 3]],
        pressure: Some(Pressure { amount: 6.0, outside: 3.0 }),
        matching: Some(4.0),
        ..SoftBody::default()
    };
    let material = ironspin_model::Material { name: "m".into(), density: 1.0, friction: 0.0, restitution: 0.0 };
    World { dimension: Dimension::Space, materials: vec![material], bodies, softs: vec![soft], ..World::planar(1.0) }
}

const CORNERS: [DVec3; 4] = [DVec3::ZERO, DVec3::X, DVec3::Y, DVec3::Z];

/// A frame at a time with the shot somewhere and the corners moved.
fn frame(time: f64, shot: DVec3, corner: impl Fn(DVec3) -> DVec3) -> Frame {
    let state = |at: DVec3| BodyState { pose: Pose::at(at), velocity: DVec3::ZERO, spin: DVec3::ZERO };
    let bodies = std::iter::once(shot).chain(CORNERS.map(corner)).map(state).collect();
    Frame { time, step: (10.0 * time) as u64, bodies, ..Frame::default() }
}

const FAR: DVec3 = DVec3::splat(9.0);

#[test]
fn volumes_strains_and_cells_are_those_of_a_tetrahedron() {
    let world = tetrahedron();
    let grown = [frame(0.0, FAR, |at| at), frame(0.1, FAR, |at| 1.1 * at)];
    let value = |gauge: &str, frames: &[Frame]| measure(gauge, &world, &[1], &[], frames).value.unwrap();
    assert!((value("volume.change", &grown) - (1.1_f64.powi(3) - 1.0)).abs() < 1e-12);
    assert!((value("strain.largest", &grown) - 0.1).abs() < 1e-12);
    assert_eq!(value("cells.inverted", &grown), 0.0);
    // Pushed through its own base.
    let through = |at: DVec3| if at == DVec3::Z { -0.5 * DVec3::Z } else { at };
    let turned = [frame(0.0, FAR, |at| at), frame(0.1, FAR, through)];
    let reading = measure("cells.inverted", &world, &[1], &[], &turned);
    assert_eq!(reading.value, Some(1.0), "{reading:?}");
    assert!(reading.detail.contains("pad.node[3]"), "{reading:?}");
    assert!(value("volume.change", &turned) > 1.0);
}

#[test]
fn energy_is_that_of_springs_gas_and_what_draws_nodes_to_their_shape() {
    let world = tetrahedron();
    let grown = frame(0.1, FAR, |at| 1.1 * at);
    let stored = |frame: &Frame| crate::mechanical_energy(&world, frame, &[1, 2, 3, 4]).total;
    let found = stored(&grown) - stored(&frame(0.0, FAR, |at| at));
    // Springs 3 k/2 0.1^2; gas -n ln(V/V0) + p0 (V - V0); matching w^2/2 sum m (0.1 r)^2 about the centre (r^2 is 3/16 and three times 11/16).
    let (built, now) = (1.0 / 6.0, 1.331 / 6.0);
    let gas = -6.0 * (1.331_f64).ln() + 3.0 * (now - built);
    let drawn = 8.0 * 0.5 * 0.01 * (3.0 / 16.0 + 3.0 * 11.0 / 16.0);
    let expected = 3.0 * 25.0 * 0.01 + gas + drawn;
    assert!((found - expected).abs() < 1e-12, "{found} {expected}");
}

#[test]
fn a_shot_through_a_face_is_counted_and_one_beside_it_is_not() {
    let world = tetrahedron();
    let way = |from: DVec3, to: DVec3| [frame(0.0, from, |at| at), frame(0.1, to, |at| at)];
    let passed = |frames: &[Frame]| measure("skin.passed", &world, &[1], &[0], frames).value;
    assert_eq!(passed(&way(DVec3::new(0.2, 0.2, -1.0), DVec3::new(0.2, 0.2, 0.3))), Some(1.0));
    // In through the base and out through the slanted face.
    assert_eq!(passed(&way(DVec3::new(0.2, 0.2, -1.0), DVec3::new(0.2, 0.2, 2.0))), Some(2.0));
    assert_eq!(passed(&way(DVec3::new(0.8, 0.8, -1.0), DVec3::new(0.8, 0.8, 2.0))), Some(0.0));
    // And how deep it lies in the skin: 0.15 m of both radii, 0.05 m off the base.
    let near = [frame(0.0, DVec3::new(0.25, 0.25, -0.05), |at| at)];
    let deep = measure("overlap.deepest", &world, &[1, 2, 3, 4], &[0], &near);
    assert!((deep.value.unwrap() - 0.1).abs() < 1e-9, "{deep:?}");
}
