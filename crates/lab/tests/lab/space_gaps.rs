//! The two collision codes of space, the engine's and the gauges', which know nothing of each other: against values that were computed independently, and
//! against each other.

use ironspin_engine::Builtin;
use ironspin_gauge::{Gap, SpaceCollider};
use ironspin_model::{
    Body, BodyKind, BodyState, Conditions, DQuat, DVec3, Dimension, Engine, Inertia, Material, Part, Pose, SpaceShape,
    World, solid_mass,
};
use serde_json::Value;

/// Pairs of each pair of shapes.
const PAIRS: usize = 10_000;

fn body(name: &str, shape: SpaceShape, pose: Pose) -> Body {
    let properties = solid_mass(&shape, 1.0);
    Body {
        kind: if properties.is_some() { BodyKind::Dynamic } else { BodyKind::Static },
        pose,
        mass: properties.map_or(0.0, |solid| solid.mass),
        inertia: properties.map_or(Inertia::ZERO, |solid| solid.inertia),
        parts: vec![Part::solid(shape, 0)],
        ..Body::plain(name)
    }
}

/// Distance and direction as the engine has them, and as the gauges do.
fn both(bodies: &[Body; 2]) -> (f64, DVec3, Gap) {
    let colliders = [0, 1].map(|id| {
        let body: &Body = &bodies[id];
        let state = BodyState { pose: body.pose, velocity: DVec3::ZERO, spin: DVec3::ZERO };
        SpaceCollider::of_part(&body.parts[0])[0].placed(&state)
    });
    let gauged = colliders[0].gap_to(&colliders[1]);
    let world = World {
        dimension: Dimension::Space,
        materials: vec![Material { name: "iron".into(), density: 1.0, friction: 0.0, restitution: 0.0 }],
        bodies: bodies.to_vec(),
        ..World::planar(1.0)
    };
    let mut engine = Builtin::default();
    engine.build(&world, &Conditions::with_dt("1/60".parse().unwrap())).unwrap();
    let (distance, normal) = engine.gap(0, 1).unwrap();
    (distance, normal, gauged)
}

fn three(value: &Value) -> DVec3 {
    let part = |axis: usize| value[axis].as_f64().unwrap();
    DVec3::new(part(0), part(1), part(2))
}

fn of_case(name: &str, side: &Value) -> Body {
    let shape = &side["shape"];
    let shape = if let Some(radius) = shape["sphere"].as_f64() {
        SpaceShape::Sphere(radius)
    } else if shape["box"].is_array() {
        SpaceShape::Box(three(&shape["box"]))
    } else {
        SpaceShape::HalfSpace(three(&shape["half_space"]))
    };
    let r: Vec<f64> = (0..4).map(|k| side["rotation"][k].as_f64().unwrap()).collect();
    let rotation = DQuat::from_xyzw(r[1], r[2], r[3], r[0]);
    body(name, shape, Pose { position: three(&side["position"]), rotation, angle: 0.0 })
}

#[test]
fn both_find_the_gaps_of_the_reference_cases() {
    let cases: Vec<Value> = serde_json::from_str(include_str!("space_gaps.json")).unwrap();
    assert!(cases.len() >= 10);
    for case in &cases {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (distance, normal, gauged) = both(&[of_case("a", &inputs["a"]), of_case("b", &inputs["b"])]);
        let expected = outputs["gap"].as_f64().unwrap();
        for found in [distance, gauged.distance] {
            assert!((found - expected).abs() < 1e-12, "{}: {found} and not {expected}", case["id"]);
        }
        if outputs["normal"].is_array() {
            let expected = three(&outputs["normal"]);
            for found in [normal, gauged.normal] {
                assert!(found.distance(expected) < 1e-7, "{}: {found} and not {expected}", case["id"]);
            }
        }
    }
}

/// Numbers that look like chance and are the same everywhere (a multiplicative generator of 64 bits).
struct Chance(u64);

impl Chance {
    fn number(&mut self, from: f64, to: f64) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        from + (to - from) * (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }

    fn vector(&mut self, reach: f64) -> DVec3 {
        DVec3::new(self.number(-reach, reach), self.number(-reach, reach), self.number(-reach, reach))
    }

    fn rotation(&mut self) -> DQuat {
        let v = self.vector(1.0);
        DQuat::from_xyzw(v.x, v.y, v.z, self.number(-1.0, 1.0)).normalize()
    }

    fn shape(&mut self, kind: &str) -> SpaceShape {
        match kind {
            "sphere" => SpaceShape::Sphere(self.number(0.05, 1.0)),
            "box" => SpaceShape::Box(DVec3::new(self.number(0.1, 2.0), self.number(0.1, 2.0), self.number(0.1, 2.0))),
            _ => SpaceShape::HalfSpace(self.vector(1.0).normalize()),
        }
    }
}

#[test]
fn both_agree_on_ten_thousand_random_pairs_of_each_pair_of_shapes() {
    let mut chance = Chance(22);
    for [first, second] in
        [["sphere", "sphere"], ["sphere", "box"], ["box", "box"], ["half_space", "sphere"], ["half_space", "box"]]
    {
        let mut overlapping = 0;
        for number in 0..PAIRS {
            let shapes = [chance.shape(first), chance.shape(second)];
            let smaller = shapes.iter().map(SpaceShape::smallest_size).fold(f64::INFINITY, f64::min);
            let place =
                |chance: &mut Chance| Pose { position: chance.vector(1.2), rotation: chance.rotation(), angle: 0.0 };
            let poses = [place(&mut chance), place(&mut chance)];
            let bodies = [body("a", shapes[0], poses[0]), body("b", shapes[1], poses[1])];
            let (distance, normal, gauged) = both(&bodies);
            let text = || format!("pair {number} of {first} and {second}: {shapes:?} {poses:?}");
            assert!((distance - gauged.distance).abs() <= 1e-9 * smaller, "{distance} {} {}", gauged.distance, text());
            overlapping += usize::from(distance < 0.0);
            // Where another direction is as short, which of them is taken is free; both must be ways out.
            let apart = normal.distance(gauged.normal);
            let ways_out = || [normal, gauged.normal].iter().all(|&way| is_way_out(&shapes, &poses, way, distance));
            assert!(
                apart < 1e-6 || (distance <= 0.0 && ways_out()),
                "{normal} {} at {distance}: {}",
                gauged.normal,
                text()
            );
        }
        assert!(overlapping > PAIRS / 10, "{first} {second}: {overlapping}");
    }
}

/// Whether moving the second along a direction by the depth ends the overlap, so that it is one of the shortest ways.
fn is_way_out(shapes: &[SpaceShape; 2], poses: &[Pose; 2], normal: DVec3, distance: f64) -> bool {
    let moved = Pose { position: poses[1].position - normal * (distance - 1e-9), ..poses[1] };
    let (_, _, after) = both(&[body("a", shapes[0], poses[0]), body("b", shapes[1], moved)]);
    after.distance >= -1e-8
}
