//! The two collision codes of space, the engine's and the gauges', which know nothing of each other: against values that were computed independently, and
//! against each other.

use ironspin_engine::Builtin;
use ironspin_gauge::{Gap, SpaceCollider};
use ironspin_model::{
    Body, BodyKind, BodyState, Conditions, DQuat, DVec3, Dimension, Engine, Hull, Inertia, Material, Part, Pose,
    SpaceShape, World, solid_mass,
};
use serde_json::Value;
use std::sync::Arc;

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

/// Distance and direction as the gauges have them.
fn gauged(bodies: &[Body; 2]) -> Gap {
    let colliders = [0, 1].map(|id| {
        let body: &Body = &bodies[id];
        let state = BodyState { pose: body.pose, velocity: DVec3::ZERO, spin: DVec3::ZERO };
        SpaceCollider::of_part(&body.parts[0])[0].placed(&state)
    });
    colliders[0].gap_to(&colliders[1])
}

/// As the engine has them, and as the gauges do.
fn both(bodies: &[Body; 2]) -> (f64, DVec3, Gap) {
    let world = World {
        dimension: Dimension::Space,
        materials: vec![Material { name: "iron".into(), density: 1.0, friction: 0.0, restitution: 0.0 }],
        bodies: bodies.to_vec(),
        ..World::planar(1.0)
    };
    let mut engine = Builtin::default();
    engine.build(&world, &Conditions::with_dt("1/60".parse().unwrap())).unwrap();
    let (distance, normal) = engine.gap(0, 1).unwrap();
    (distance, normal, gauged(bodies))
}

fn three(value: &Value) -> DVec3 {
    let part = |axis: usize| value[axis].as_f64().unwrap();
    DVec3::new(part(0), part(1), part(2))
}

fn of_case(name: &str, side: &Value) -> Body {
    let shape = &side["shape"];
    let (word, size) = shape.as_object().unwrap().iter().next().unwrap();
    let shape = match word.as_str() {
        "sphere" => SpaceShape::Sphere(size.as_f64().unwrap()),
        "box" => SpaceShape::Box(three(size)),
        "capsule" => SpaceShape::Capsule { length: size[0].as_f64().unwrap(), radius: size[1].as_f64().unwrap() },
        "cylinder" => SpaceShape::Cylinder { length: size[0].as_f64().unwrap(), radius: size[1].as_f64().unwrap() },
        "hull" => {
            let corners: Vec<DVec3> = size.as_array().unwrap().iter().map(three).collect();
            SpaceShape::Hull(Arc::new(Hull::new(&corners).unwrap()))
        }
        _ => SpaceShape::HalfSpace(three(size)),
    };
    let r: Vec<f64> = (0..4).map(|k| side["rotation"][k].as_f64().unwrap()).collect();
    let rotation = DQuat::from_xyzw(r[1], r[2], r[3], r[0]);
    body(name, shape, Pose { position: three(&side["position"]), rotation, angle: 0.0 })
}

#[test]
fn both_find_the_gaps_of_the_reference_cases() {
    let cases: Vec<Value> = serde_json::from_str(include_str!("space_gaps.json")).unwrap();
    assert_eq!(cases.len(), 26);
    for case in &cases {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (distance, normal, gauged) = both(&[of_case("a", &inputs["a"]), of_case("b", &inputs["b"])]);
        let expected = outputs["gap"].as_f64().unwrap();
        // Of what is round the gauges come as near as their search goes.
        let round = case["id"].as_str().unwrap().contains("cylinder");
        for (found, within) in [(distance, 1e-12), (gauged.distance, if round { 1e-9 } else { 1e-12 })] {
            assert!((found - expected).abs() < within, "{}: {found} and not {expected}", case["id"]);
        }
        if outputs["normal"].is_array() {
            let expected = three(&outputs["normal"]);
            // A gap is least to the second order in its direction.
            for (found, within) in [(normal, 1e-7), (gauged.normal, if round { 1e-4 } else { 1e-7 })] {
                assert!(found.distance(expected) < within, "{}: {found} and not {expected}", case["id"]);
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
            "capsule" => SpaceShape::Capsule { length: self.number(0.1, 2.0), radius: self.number(0.05, 0.5) },
            "cylinder" => SpaceShape::Cylinder { length: self.number(0.1, 2.0), radius: self.number(0.05, 1.0) },
            "hull" => {
                let count = self.number(4.0, 25.0) as usize;
                let points: Vec<DVec3> = (0..count).map(|_| self.vector(1.0)).collect();
                SpaceShape::Hull(Arc::new(Hull::new(&points).unwrap()))
            }
            "box" => SpaceShape::Box(DVec3::new(self.number(0.1, 2.0), self.number(0.1, 2.0), self.number(0.1, 2.0))),
            _ => SpaceShape::HalfSpace(self.vector(1.0).normalize()),
        }
    }
}

/// How the second of a pair stands to the first.
fn place(chance: &mut Chance, number: usize, shapes: &[SpaceShape; 2]) -> [Pose; 2] {
    let free = |chance: &mut Chance, reach: f64| Pose {
        position: chance.vector(reach),
        rotation: chance.rotation(),
        angle: 0.0,
    };
    let first = free(chance, 1.2);
    match number % 4 {
        // Deep in each other.
        1 => [first, Pose { position: first.position + chance.vector(0.1), ..free(chance, 0.0) }],
        // Along the same axes, or turned by quarters.
        2 => {
            let half = std::f64::consts::FRAC_1_SQRT_2;
            let quarter =
                [DQuat::IDENTITY, DQuat::from_xyzw(half, 0.0, 0.0, half), DQuat::from_xyzw(0.0, half, 0.0, half)];
            let rotation = first.rotation * quarter[number / 4 % 3];
            [first, Pose { rotation, ..free(chance, 1.2) }]
        }
        // Just touching.
        3 => {
            let second = free(chance, 1.2);
            let [a, b] = [body("a", shapes[0].clone(), first), body("b", shapes[1].clone(), second)];
            let gap = gauged(&[a, b]);
            [first, Pose { position: second.position - gap.normal * gap.distance, ..second }]
        }
        _ => [first, free(chance, 1.2)],
    }
}

fn agree(first: &str, second: &str, pairs: usize) {
    let mut chance = Chance(22);
    let round = |kind: &str| kind == "cylinder";
    let share = if round(first) || round(second) { 1e-6 } else { 1e-9 };
    let mut overlapping = 0;
    for number in 0..pairs {
        let shapes = [chance.shape(first), chance.shape(second)];
        let smaller = shapes.iter().map(SpaceShape::smallest_size).fold(f64::INFINITY, f64::min);
        let poses = place(&mut chance, number, &shapes);
        let bodies = [body("a", shapes[0].clone(), poses[0]), body("b", shapes[1].clone(), poses[1])];
        let (distance, normal, gauged) = both(&bodies);
        let text = || format!("pair {number} of {first} and {second}: {shapes:?} {poses:?}");
        // Of random corners some hulls are thinner than what rounding leaves of coordinates of a metre.
        let scale = if smaller < 1e-3 { 1.0 } else { smaller };
        assert!((distance - gauged.distance).abs() <= share * scale, "{distance} {} {}", gauged.distance, text());
        overlapping += usize::from(distance < 0.0);
        // Where another direction is as short, which of them is taken is free; both must be ways out.
        let apart = normal.distance(gauged.normal);
        let slack = share * scale;
        let ways_out = || [normal, gauged.normal].iter().all(|&way| is_way_out(&shapes, &poses, way, distance, slack));
        let free = distance <= slack && ways_out();
        assert!(apart < 1e3 * share || free, "{normal} {} at {distance}: {}", gauged.normal, text());
    }
    assert!(overlapping > pairs / 10, "{first} {second}: {overlapping}");
}

#[test]
fn both_agree_on_ten_thousand_random_pairs_of_each_pair_of_flat_shapes() {
    for [first, second] in
        [["sphere", "sphere"], ["sphere", "box"], ["box", "box"], ["half_space", "sphere"], ["half_space", "box"]]
    {
        agree(first, second, PAIRS);
    }
    for other in ["sphere", "box", "hull", "half_space"] {
        agree("hull", other, PAIRS);
    }
}

#[test]
fn both_agree_on_ten_thousand_random_pairs_of_a_capsule_and_each_shape() {
    for other in ["sphere", "box", "hull", "capsule", "half_space"] {
        agree("capsule", other, PAIRS);
    }
}

#[test]
fn both_agree_on_ten_thousand_random_pairs_of_a_cylinder_and_each_shape() {
    for other in ["sphere", "box", "hull", "capsule", "cylinder", "half_space"] {
        agree("cylinder", other, PAIRS);
    }
}

/// Whether moving the second along a direction by the depth ends the overlap, so that it is one of the shortest ways.
fn is_way_out(shapes: &[SpaceShape; 2], poses: &[Pose; 2], normal: DVec3, distance: f64, slack: f64) -> bool {
    let slack = slack.max(1e-9);
    let moved = Pose { position: poses[1].position - normal * (distance - slack), ..poses[1] };
    let after = gauged(&[body("a", shapes[0].clone(), poses[0]), body("b", shapes[1].clone(), moved)]);
    after.distance >= -10.0 * slack
}
