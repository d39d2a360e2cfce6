//! Worlds as they are said and heard.

use super::super::world::Build;
use ironspin_model::{
    Body, BodyKind, Conditions, DMat3, DQuat, DVec2, DVec3, Dimension, Inertia, Joint, JointFrame, JointKind, Material,
    NodeSpring, NodeTraits, PairMaterial, Part, PlaneShape, Pose, Pressure, SoftBody, SpaceShape, Timestep, World,
    about_z,
};
use serde_json::json;
use std::collections::BTreeMap;
/// One body for each shape and kind, and one joint for each kind.
fn everything() -> World {
    let shapes: Vec<PlaneShape> = vec![
        PlaneShape::HalfPlane(DVec2::new(0.6, 0.8)),
        PlaneShape::Polyline(vec![DVec2::ZERO, DVec2::X, DVec2::new(2.0, 0.1)]),
        PlaneShape::Disc(0.25),
        PlaneShape::Box(DVec2::new(0.5, 0.3)),
        PlaneShape::Polygon(vec![DVec2::ZERO, DVec2::X, DVec2::Y]),
        PlaneShape::Capsule { length: 0.7, radius: 0.1 },
    ];
    let kinds = [BodyKind::Static, BodyKind::Kinematic, BodyKind::Dynamic];
    let bodies = shapes.into_iter().enumerate().map(|(id, shape)| Body {
        kind: kinds[id.min(2)],
        pose: Pose::planar(DVec3::new(id as f64, 0.1, 0.0), 0.4 * id as f64),
        velocity: DVec3::new(0.1, -0.0, 0.0),
        spin: about_z(3.0),
        mass: 2.0 + id as f64,
        inertia: Inertia::planar(0.5),
        gravity_factor: 0.5,
        linear_damping: 0.01,
        angular_damping: 0.02,
        fixed_turn: id == 3,
        ccd: id == 4,
        absent: id == 5,
        layers: 0x8000_0001,
        collision_mask: 6,
        parts: vec![Part { sensor: id == 2, pose: Pose::flat(DVec2::Y, 0.2), ..Part::solid(shape, 1) }],
        ..Body::plain(format!("piece {id}"))
    });
    let bodies: Vec<Body> = bodies.collect();
    let limits = Some([-0.5, 0.75]);
    let joint_kinds = [
        JointKind::Rod,
        JointKind::Rope,
        JointKind::Spring { stiffness: 100.0, damping: 0.5 },
        JointKind::Hinge { limits },
        JointKind::Hinge { limits: None },
        JointKind::Slider { limits },
        JointKind::Weld,
    ];
    let joints = joint_kinds.into_iter().enumerate().map(|(number, kind)| {
        let axis = if matches!(kind, JointKind::Slider { .. }) { DVec3::new(0.8, 0.6, 0.0) } else { DVec3::Z };
        let pair = [number % 3, 3];
        let rotations = pair.map(|id: usize| bodies[id].pose.rotation);
        let frames = JointFrame::pair([DVec3::X, DVec3::new(0.1, 0.2, 0.0)], axis, rotations);
        Joint { kind, bodies: pair, frames, length: (number < 3).then_some(1.25) }
    });
    let material = |name: &str| Material { name: name.to_owned(), density: 1.0, friction: 0.3, restitution: 0.1 };
    World {
        gravity: DVec3::new(0.0, -9.81, 0.0),
        materials: vec![material("iron"), material("oak")],
        pairs: vec![PairMaterial { between: [0, 1], friction: 0.9, restitution: 0.0 }],
        joints: joints.collect(),
        bodies,
        excluded_pairs: vec![[1, 4]],
        ..World::planar(f64::INFINITY)
    }
}

#[test]
fn a_world_of_everything_comes_back_as_it_was() {
    let world = everything();
    let conditions =
        Conditions { seed: u64::MAX, threads: 2, ..Conditions::with_dt("1/60".parse::<Timestep>().unwrap()) };
    let options = BTreeMap::from([("iterations".to_owned(), "4".to_owned())]);
    let text = serde_json::to_string(&Build::of(&world, &conditions, options.clone())).unwrap();
    let build: Build = serde_json::from_str(&text).unwrap();
    assert_eq!(build.options, options);
    let (again, heard) = build.world().unwrap();
    assert_eq!(again, world);
    assert_eq!((heard.seed, heard.threads, heard.dt.seconds), (u64::MAX, 2, 1.0 / 60.0));
}

#[test]
fn what_is_unusual_is_all_that_is_written_of_joints_and_absence() {
    let text = serde_json::to_value(Build::of(
        &everything(),
        &Conditions::with_dt("1/60".parse::<Timestep>().unwrap()),
        BTreeMap::new(),
    ))
    .unwrap();
    assert_eq!(text["joints"][0].as_object().unwrap().len(), 4, "a rod has kind, bodies, at and length");
    assert!(text["bodies"][0].get("absent").is_none() && text["bodies"][5]["absent"] == true);
    assert_eq!(text["bodies"][1]["parts"][0]["shape"]["polyline"].as_array().unwrap().len(), 3);
}

#[test]
fn a_world_of_space_is_said_as_the_protocol_has_it_and_comes_back() {
    let body = Body {
        pose: Pose { position: DVec3::new(1.0, 2.0, 3.0), rotation: DQuat::from_xyzw(0.5, -0.5, 0.5, 0.5), angle: 0.0 },
        velocity: DVec3::X,
        spin: DVec3::new(4.0, 5.0, 6.0),
        mass: 7.0,
        inertia: Inertia(DMat3::from_cols(
            DVec3::new(1.0, 0.1, -0.2),
            DVec3::new(0.1, 2.0, 0.3),
            DVec3::new(-0.2, 0.3, 2.5),
        )),
        parts: vec![
            Part::solid(SpaceShape::Sphere(0.5), 0),
            Part { pose: Pose::at(DVec3::Z), ..Part::solid(SpaceShape::Box(DVec3::new(1.0, 2.0, 3.0)), 0) },
        ],
        ..Body::plain("ingot")
    };
    let floor = Body {
        kind: BodyKind::Static,
        parts: vec![Part::solid(SpaceShape::HalfSpace(DVec3::Y), 0)],
        ..Body::plain("quay")
    };
    let world = World {
        dimension: Dimension::Space,
        gravity: DVec3::new(0.0, 0.0, -9.81),
        materials: everything().materials,
        bodies: vec![body, floor],
        ..World::planar(f64::INFINITY)
    };
    let conditions = Conditions::with_dt("1/60".parse::<Timestep>().unwrap());
    let said = serde_json::to_value(Build::of(&world, &conditions, BTreeMap::new())).unwrap();
    let first = &said["bodies"][0];
    assert_eq!((&said["space"], &said["gravity"]), (&json!(3), &json!([0.0, 0.0, -9.81])));
    assert_eq!((&first["position"], &first["rotation"]), (&json!([1.0, 2.0, 3.0]), &json!([0.5, 0.5, -0.5, 0.5])));
    assert_eq!((&first["spin"], &first["inertia"]), (&json!([4.0, 5.0, 6.0]), &json!([1.0, 2.0, 2.5, 0.1, -0.2, 0.3])));
    assert!(first.get("angle").is_none());
    assert_eq!(first["parts"][1]["shape"], json!({"box": [1.0, 2.0, 3.0]}));
    assert_eq!(said["bodies"][1]["parts"][0]["shape"], json!({"half_space": [0.0, 1.0, 0.0]}));
    let heard: Build = serde_json::from_value(said.clone()).unwrap();
    assert_eq!(heard.world().unwrap().0, world);
    for (path, wrong, part) in [
        ("position", json!([1, 2]), "a vector of 2 numbers, and three are due"),
        ("spin", json!(3), "a spin or torque that is not of three numbers"),
        ("inertia", json!([1, 2, 3]), "an inertia that is not of six numbers"),
        ("rotation", serde_json::Value::Null, "the missing field `rotation`"),
    ] {
        let mut broken = said.clone();
        broken["bodies"][0][path] = wrong;
        let build: Build = serde_json::from_value(broken).unwrap();
        let why = build.world().unwrap_err();
        assert!(why.contains("body 0 has") && why.contains(part), "{why}");
    }
    let mut flat = said;
    flat["bodies"][0]["parts"][0]["shape"] = json!({"disc": 1});
    let build: Build = serde_json::from_value(flat).unwrap();
    assert!(build.world().unwrap_err().contains("the shape disc, which is none of the space"));
}

#[test]
fn soft_bodies_come_back_as_they_were_and_what_is_not_built_is_named() {
    let mut world = everything();
    let traits = NodeTraits {
        material: 1,
        radius: 0.1,
        layers: 2,
        collision_mask: 7,
        gravity_factor: 0.5,
        damping: 0.2,
        ccd: true,
        ..NodeTraits::plain("ring")
    };
    let first = world.bodies.len();
    for (i, at) in [DVec3::ZERO, DVec3::X, DVec3::Y].into_iter().enumerate() {
        world.bodies.push(traits.node(&format!("[{i}]"), at, DVec3::X, i as f64));
    }
    world.softs.push(SoftBody {
        name: "ring".into(),
        nodes: first..first + 3,
        material: 1,
        radius: 0.1,
        self_contact: true,
        springs: vec![NodeSpring { ends: [0, 1], length: 0.9, stiffness: 20.0, damping: 0.1 }],
        skin: vec![[0, 1], [1, 2], [2, 0]],
        cells: vec![[0, 1, 2]],
        pressure: Some(Pressure { amount: 3.0, outside: 1.0 }),
        ..SoftBody::default()
    });
    world.excluded_pairs = (first..first + 3).map(|node| [0, node]).collect();
    let conditions = Conditions::with_dt(Timestep { text: "0.01".into(), seconds: 0.01 });
    let mut said = serde_json::to_value(Build::of(&world, &conditions, BTreeMap::new())).unwrap();
    assert_eq!((said["bodies"].as_array().unwrap().len(), &said["apart"]), (first, &json!([[0, first]])));
    let heard: Build = serde_json::from_value(said.clone()).unwrap();
    let back = heard.world().unwrap().0;
    assert_eq!((back.softs, &back.bodies[first..]), (world.softs, &world.bodies[first..]));
    assert_eq!(back.excluded_pairs, world.excluded_pairs);
    // Laws that only some have come back as well.
    said["softs"][0]["sticks"] = json!([[0, 1, 0.5]]);
    said["softs"][0]["matching"] = json!({"rate": 3});
    said["softs"][0]["yield"] = json!({"strain": 0.1, "most": 0.2});
    said["softs"][0]["pins"] = json!([[0, 1, [0.5, 0]]]);
    let heard: Build = serde_json::from_value(said.clone()).unwrap();
    let soft = &heard.world().unwrap().0.softs[0];
    assert_eq!(soft.sticks, [ironspin_model::Stick { ends: [0, 1], length: 0.5 }]);
    assert_eq!((soft.matching, soft.yielding), (Some(3.0), Some(ironspin_model::Yield { strain: 0.1, most: 0.2 })));
    assert_eq!(soft.pins, [ironspin_model::Pin { node: 0, body: 1, point: DVec3::new(0.5, 0.0, 0.0) }]);
}
