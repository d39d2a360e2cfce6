//! The engine's collision code and the gauges' know nothing of each other; here they are held against each other.

use ironspin_gauge::Collider;
use ironspin_link::EngineSpec;
use ironspin_model::{
    Body, BodyState, Conditions, DVec2, DVec3, Engine, Frame, Inertia, Material, Part, PlaneShape, Pose, World,
    body_mass,
};
use proptest::prelude::*;

/// A step so short that nothing moves in it.
const INSTANT: f64 = 1e-9;

fn shape() -> impl Strategy<Value = PlaneShape> {
    prop_oneof![
        (0.2..1.0_f64).prop_map(PlaneShape::Disc),
        (0.3..2.0_f64, 0.3..2.0_f64).prop_map(|(w, h)| PlaneShape::Box(DVec2::new(w, h))),
        (0.2..1.5_f64, 0.2..0.5_f64).prop_map(|(length, radius)| PlaneShape::Capsule { length, radius }),
        (3..9_u32, 0.4..1.2_f64).prop_map(|(corners, size)| {
            let turn = std::f64::consts::TAU / f64::from(corners);
            PlaneShape::Polygon((0..corners).map(|i| DVec2::from_angle(turn * f64::from(i)) * size).collect())
        }),
    ]
}

fn body(shape: &PlaneShape, place: DVec2, angle: f64) -> Body {
    let parts = vec![Part::solid(shape.clone(), 0)];
    let mass = body_mass(&parts, |_| 1.0).expect("a solid");
    // A polygon's corners are given about their own origin, which is its centre only where it is regular.
    Body {
        pose: Pose::planar(place.extend(0.0), angle),
        mass: mass.mass,
        inertia: Inertia::planar(mass.inertia),
        parts,
        ..Body::plain("solid")
    }
}

fn world(bodies: Vec<Body>) -> World {
    World {
        materials: vec![Material { name: "iron".into(), density: 1.0, friction: 0.0, restitution: 0.0 }],
        bodies,
        ..World::planar(1.0)
    }
}

fn engine(world: &World, options: &str) -> Box<dyn Engine> {
    let mut engine = EngineSpec::read(options).expect("the built-in engine").start().expect("a start");
    engine.build(world, &Conditions::with_dt("1/60".parse().expect("a step"))).expect("a world");
    engine
}

/// Deepest contact that the engine finds between two bodies.
fn engine_depth(world: &World) -> Option<f64> {
    let mut depth: Option<f64> = None;
    engine(world, "builtin:substeps=1")
        .advance(&[INSTANT], &mut |frame: &Frame| {
            depth = frame
                .contacts
                .iter()
                .map(|contact| contact.depth)
                .fold(depth, |most, d| Some(most.map_or(d, |m| m.max(d))));
        })
        .expect("a step");
    depth
}

fn gauge_gap(world: &World) -> f64 {
    let placed = |body: &Body| {
        let state = BodyState::planar(body.pose.position, body.pose.angle, DVec3::ZERO, 0.0);
        Collider::of_part(&body.parts[0])[0].placed(&state)
    };
    placed(&world.bodies[0]).gap_to(&placed(&world.bodies[1])).distance
}

/// The end of one capsule beyond the end of the other, nearly along its face: the deepest point must not be clipped away.
#[test]
fn ends_of_capsules_just_beyond_a_face_are_as_deep_as_they_are() {
    let capsule = |length| PlaneShape::Capsule { length, radius: 0.2 };
    let world = world(vec![
        body(&capsule(1.229_531_567_866_988_3), DVec2::ZERO, 4.509_820_882_058_386),
        body(
            &capsule(0.759_602_380_019_647_7),
            DVec2::new(-0.420_832_859_276_483_2, 0.646_558_857_059_214_8),
            3.857_395_691_903_778,
        ),
    ]);
    let (gap, depth) = (gauge_gap(&world), engine_depth(&world).expect("a contact"));
    assert!((depth + gap).abs() < 1e-7 && depth > 9e-3, "{depth} and {}", -gap);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]
    #[test]
    fn engine_and_gauge_agree_on_who_overlaps_and_how_deep(
        a in shape(), b in shape(), x in -2.5..2.5_f64, y in -2.5..2.5_f64, turn_a in 0.0..6.3_f64, turn_b in 0.0..6.3_f64,
    ) {
        let world = world(vec![body(&a, DVec2::ZERO, turn_a), body(&b, DVec2::new(x, y), turn_b)]);
        let gap = gauge_gap(&world);
        let smaller = world.bodies.iter().map(Body::smallest_size).fold(f64::INFINITY, f64::min);
        match engine_depth(&world) {
            // Within a hundredth of the smaller size a contact may or may not be kept.
            None => prop_assert!(gap > -1e-9, "the engine sees no contact at an overlap of {}", -gap),
            Some(depth) => {
                prop_assert!(gap < 0.01 * smaller, "the engine sees a contact at a gap of {gap}");
                if gap < 0.0 {
                    // Cores that cross (rounded shapes) are measured along faces: never less than the shortest way out.
                    prop_assert!(depth > -gap - 1e-9, "{depth} and {}", -gap);
                    let capsules = [&a, &b].into_iter().any(|shape| matches!(shape, PlaneShape::Capsule { .. }));
                    // Among faces that are as deep but for a thousandth of their length, here at most 2.1 m, the engine keeps to one.
                    let longer = if capsules { 0.2 * smaller } else { 2.1e-3 };
                    prop_assert!(depth < -gap + longer, "{depth} and {}", -gap);
                }
            }
        }
    }

    /// A ray of the engine ends where the gauges' outline begins.
    #[test]
    fn rays_end_on_the_outline(a in shape(), from in 0.0..6.3_f64, aim in -0.3..0.3_f64, turn in 0.0..6.3_f64) {
        let world = world(vec![body(&a, DVec2::ZERO, turn)]);
        let start = DVec2::from_angle(from) * 5.0;
        let end = DVec2::from_angle(from + std::f64::consts::PI + aim) * 5.0;
        let hit = engine(&world, "builtin").ray(start.extend(0.0), end.extend(0.0)).expect("a ray");
        let outline = |p: DVec2| {
            let state = BodyState::planar(DVec3::ZERO, turn, DVec3::ZERO, 0.0);
            let dot = Collider::Hull { corners: vec![p], radius: 0.0 };
            Collider::of_part(&world.bodies[0].parts[0])[0].placed(&state).gap_to(&dot).distance
        };
        match hit {
            Some(hit) => {
                prop_assert!(outline(hit.point.truncate()).abs() < 1e-9, "off the rim by {}", outline(hit.point.truncate()));
                // Nothing before it.
                for k in 1..50 {
                    let share = f64::from(k) / 50.0 * hit.distance / start.distance(end);
                    prop_assert!(outline(start.lerp(end, share)) > -1e-9);
                }
            }
            None => {
                for k in 0..=200 {
                    let p = start.lerp(end, f64::from(k) / 200.0);
                    prop_assert!(outline(p) > -1e-9, "passes through at {p}");
                }
            }
        }
    }
}
