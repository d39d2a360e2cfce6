//! What each piece of the language builds.

use crate::{setup_of, setup_text};
use ironspin_model::{Body, BodyKind, DVec2, DVec3, Effect, JointKind, PlaneShape};
use ironspin_scene::{Question, Setup};
use std::f64::consts::{FRAC_PI_2, TAU};

fn body<'a>(setup: &'a Setup, name: &str) -> &'a Body {
    setup.world.bodies.iter().find(|body| body.name == name).unwrap_or_else(|| panic!("no {name}"))
}

fn places(setup: &Setup) -> Vec<(String, DVec2)> {
    setup.world.bodies.iter().map(|body| (body.name.clone(), body.pose.position.truncate())).collect()
}

/// A body of discs in a pattern.
fn pattern(place: &str) -> Setup {
    setup_of(&format!(
        "[[body]]\nname = \"b\"\nplace = {{ {place} }}\nshape = {{ disc = 0.1 }}\nat = [1, 2]\nmaterial = \"iron\"\n"
    ))
}

#[test]
fn patterns_place_and_name_their_bodies() {
    let at = |place: &str| places(&pattern(place));
    let grid = at("grid = { columns = 2, rows = 2, pitch = [3, 4] }");
    assert_eq!(grid[1], ("b[0][1]".to_owned(), DVec2::new(4.0, 2.0)));
    assert_eq!(grid[2], ("b[1][0]".to_owned(), DVec2::new(1.0, 6.0)));
    let brick = at("brick = { columns = 2, rows = 3, pitch = [3, 4] }");
    assert_eq!((brick[2].1, brick[4].1), (DVec2::new(2.5, 6.0), DVec2::new(1.0, 10.0)));
    let pyramid = at("pyramid = { base = 3, pitch = [2, 1] }");
    assert_eq!(pyramid.len(), 6);
    assert_eq!(pyramid[5], ("b[2][0]".to_owned(), DVec2::new(3.0, 4.0)));
    let line = at("line = { count = 3, to = [5, 2] }");
    assert_eq!(line.iter().map(|(_, p)| p.x).collect::<Vec<_>>(), [1.0, 3.0, 5.0]);
    let ring = pattern("ring = { count = 4, radius = 2, facing = true }");
    let top = body(&ring, "b[1]");
    assert!(
        (top.pose.position - DVec3::new(1.0, 4.0, 0.0)).length() < 1e-15 && (top.pose.angle - FRAC_PI_2).abs() < 1e-15
    );
    let slope = pattern("slope = { count = 2, angle = \"90 deg\", pitch = 3 }");
    assert!((body(&slope, "b[1]").pose.position - DVec3::new(1.0, 5.0, 0.0)).length() < 1e-15);
}

#[test]
fn a_scatter_keeps_its_distance_and_is_the_same_for_ever() {
    let place = "scatter = { count = 60, in_disc = 3, spacing = 0.3 }";
    let there = places(&pattern(place));
    for (i, (_, p)) in there.iter().enumerate() {
        assert!(p.distance(DVec2::new(1.0, 2.0)) <= 3.0);
        assert!(there[..i].iter().all(|(_, q)| q.distance(*p) >= 0.3));
    }
    assert_eq!(there, places(&pattern(place)));
    // Frozen: another version must not scatter otherwise.
    assert_eq!(there[0].1, DVec2::new(FIRST[0], FIRST[1]));
    assert_ne!(there, places(&pattern("scatter = { count = 60, in_disc = 3, spacing = 0.3, seed = 2 }")));
    // Without a spacing, bodies do not overlap.
    let tight = places(&pattern("scatter = { count = 100, in_box = [3, 3] }"));
    assert!((0..100).all(|i| (0..i).all(|j| tight[i].1.distance(tight[j].1) >= 0.2)));
}

const FIRST: [f64; 2] = [3.299_864_849_281_856, 1.589_167_982_291_059_8];

#[test]
fn a_compound_stands_about_its_centre_of_mass() {
    let setup = setup_of(
        "[[body]]\nname = \"l\"\nat = [1, 0]\nangle = \"90 deg\"\nmaterial = \"iron\"\nparts = [\n\
         { shape = { box = [1, 1] } }, { shape = { box = [1, 1] }, at = [2, 0] }, { shape = { disc = 1 }, at = [9, 9], sensor = true }]\n",
    );
    let body = body(&setup, "l");
    assert_eq!((body.mass, body.inertia.zz()), (16.0, 2.0 * (8.0 / 6.0 + 8.0)));
    // The centre lies 1 m along the body's x axis, which points up.
    assert!((body.pose.position - DVec3::new(1.0, 1.0, 0.0)).length() < 1e-15);
    assert_eq!((body.parts[0].pose.xy(), body.parts[1].pose.xy()), (DVec2::NEG_X, DVec2::X));
    assert!(body.parts[2].sensor);
}

#[test]
fn a_triangle_alone_stands_about_its_centroid() {
    let setup = setup_of(
        "[[body]]\nname = \"t\"\nshape = { polygon = [[0, 0], [3, 0], [0, 3]] }\nat = [5, 5]\nmaterial = \"iron\"\n",
    );
    let body = body(&setup, "t");
    assert_eq!((body.pose.position, body.parts[0].pose.xy()), (DVec3::new(6.0, 6.0, 0.0), DVec2::NEG_ONE));
}

#[test]
fn templates_give_what_a_body_leaves_out() {
    let setup = setup_of(
        "[template.ball]\nshape = { disc = 0.5 }\nmaterial = \"iron\"\nswept = true\nspin = 3\n\
         [[body]]\nname = \"a\"\ntemplate = \"ball\"\nat = [0, 0]\n[[body]]\nname = \"b\"\ntemplate = \"ball\"\nat = [2, 0]\nspin = 4\nswept = false\n",
    );
    let (a, b) = (body(&setup, "a"), body(&setup, "b"));
    assert_eq!((a.spin.z, a.ccd, &a.parts), (3.0, true, &b.parts));
    assert_eq!((b.spin.z, b.ccd), (4.0, false));
}

#[test]
fn layers_become_masks() {
    let one = |name: &str, more: &str| {
        format!("[[body]]\nname = \"{name}\"\nshape = {{ disc = 0.1 }}\nat = [0, 0]\nmaterial = \"iron\"\n{more}\n")
    };
    let text = [
        one("a", "layers = [\"gate\"]"),
        one("b", "layers = [\"shot\", \"common\"]\nmeets = [\"gate\"]"),
        one("c", ""),
        "[[apart]]\nbetween = [\"c\", \"a, b\"]\n".to_owned(),
    ]
    .concat();
    let setup = setup_of(&text);
    let masks: Vec<(u32, u32)> = setup.world.bodies.iter().map(|body| (body.layers, body.collision_mask)).collect();
    assert_eq!(masks, [(2, u32::MAX), (5, 2), (1, u32::MAX)]);
    assert_eq!(setup.world.excluded_pairs, [[0, 2], [1, 2]]);
    assert_eq!(setup.features, ["filter"]);
}

#[test]
fn motions_bring_a_body_to_the_right_place_after_every_step() {
    let dt = 0.125;
    for (motion, exact) in [
        (
            "line = { to = [3, 1], speed = 2 }",
            Box::new(|t: f64| DVec2::new((1.0 + 2.0 * t).min(3.0), 1.0)) as Box<dyn Fn(f64) -> DVec2>,
        ),
        (
            "circle = { about = [1, 0], period = 2 }",
            Box::new(|t: f64| DVec2::new(2.0, 1.0) - DVec2::from_angle(TAU * t / 2.0)),
        ),
        (
            "swing = { reach = [0, 2], period = 4 }",
            Box::new(|t: f64| DVec2::new(1.0, 1.0 + 2.0 * (TAU * t / 4.0).sin())),
        ),
    ] {
        let setup = setup_of(&format!(
            "[[body]]\nname = \"k\"\nkind = \"kinematic\"\nmotion = {{ {motion} }}\nshape = {{ disc = 0.1 }}\nat = [1, 1]\nmaterial = \"iron\"\n"
        ));
        let body = &setup.world.bodies[0];
        assert_eq!(body.kind, BodyKind::Kinematic);
        let (mut at, mut velocity) = (body.pose.position.truncate(), body.velocity.truncate());
        for step in 0..32_u32 {
            let time = f64::from(step) * dt;
            for action in setup.world.actions.iter().filter(|action| action.at_time == time) {
                if let Effect::Velocity(v) = action.effect {
                    velocity = v.truncate();
                }
            }
            at += velocity * dt;
            let there = exact(time + dt);
            assert!(at.distance(there) < 1e-12, "{motion} at step {step}: {at} for {there}");
        }
    }
}

const TWO: &str = "[[body]]\nname = \"a\"\nshape = { disc = 0.1 }\nat = [0, 0]\nangle = \"90 deg\"\nmaterial = \"iron\"\n\
    [[body]]\nname = \"b\"\nshape = { disc = 0.1 }\nat = [2, 0]\nmaterial = \"iron\"\n";

#[test]
fn joints_hold_points_of_the_world_in_the_frames_of_their_bodies() {
    let setup = setup_of(&format!(
        "{TWO}[[joint]]\nkind = \"hinge\"\nbetween = [\"a\", \"b\"]\nat = [1, 0]\nlimits = [-1, 1]\n\
         [[joint]]\nkind = \"slider\"\nbetween = [\"a\", \"b\"]\naxis = [3, 0]\n\
         [[joint]]\nkind = \"spring\"\nbetween = [\"a\", \"b\"]\nstiffness = 5\nlength = 1.5\nanchors = [[0.1, 0], [0, 0]]\n"
    ));
    let [hinge, slider, spring] = setup.world.joints.as_slice() else { panic!("three joints") };
    // The first body is turned to the left: the world's x is its -y.
    assert!(hinge.frames[0].anchor.distance(DVec3::NEG_Y) < 1e-15 && hinge.frames[1].anchor == DVec3::NEG_X);
    assert_eq!(hinge.kind, JointKind::Hinge { limits: Some([-1.0, 1.0]) });
    let JointKind::Slider { limits: None } = slider.kind else { panic!("{slider:?}") };
    assert!(slider.frames[0].axis.distance(DVec3::NEG_Y) < 1e-15);
    assert_eq!((spring.length, spring.frames[0].anchor), (Some(1.5), DVec3::new(0.1, 0.0, 0.0)));
    assert_eq!(setup.features, ["joint.hinge", "joint.slider", "joint.spring"]);
}

#[test]
fn actions_repeat_last_and_name_what_they_need() {
    let setup = setup_of(&format!(
        "{TWO}[[action]]\nat_time = 0.5\nevery = 0.5\nuntil = 2\non = \"a\"\nspin = 1\n\
         [[action]]\nat_time = 1\non = \"b\"\nforce = [\"mass\", 0]\nfor_time = 0.5\n\
         [[action]]\nat_time = 3\ngravity = [0, 0]\n\
         [[action]]\nat_time = 1\nray = {{ from = [0, 0], to = [1, 0] }}\n\
         [[action]]\nat_time = 2\nforecast = {{ horizon = 1 }}\n"
    ));
    let of = |wanted: &dyn Fn(&Effect) -> bool| -> Vec<f64> {
        setup.world.actions.iter().filter(|action| wanted(&action.effect)).map(|action| action.at_time).collect()
    };
    assert_eq!(of(&|effect| matches!(effect, Effect::Spin(_))), [0.5, 1.0, 1.5, 2.0]);
    // Over half a second at steps of an eighth: one a step.
    assert_eq!(of(&|effect| matches!(effect, Effect::Force { .. })), [1.0, 1.125, 1.25, 1.375]);
    assert_eq!(of(&|effect| matches!(effect, Effect::Gravity(_))), [3.0]);
    assert!(setup.world.actions.windows(2).all(|two| two[0].at_time <= two[1].at_time));
    assert!(matches!(setup.probes[0].question, Question::Ray { .. }));
    let Question::Forecast { of, horizon } = &setup.probes[1].question else { panic!("a forecast") };
    assert_eq!((of.as_slice(), *horizon), ([0, 1].as_slice(), 1.0));
    assert_eq!(setup.features, ["ray", "restore"]);
}

/// What is to be done before a step of an eighth of a second.
fn due(
    script: &mut ironspin_scene::Script<'_>,
    states: &[ironspin_model::BodyState],
    time: f64,
) -> Vec<(usize, Effect)> {
    script.due(states, time, 0.125).expect("no force").deeds
}

#[test]
fn a_condition_is_met_once_and_a_force_lasts() {
    use ironspin_model::BodyState;
    let setup = setup_of(&format!(
        "{TWO}[[action]]\nwhen = \"y < 1 && vy < 0\"\non = \"b\"\nforce = [1, 0]\nvelocity = [0, 0]\nfor_time = 0.25\n"
    ));
    let mut watch = ironspin_scene::Script::new(&setup);
    let states =
        |y: f64, vy: f64| vec![BodyState::planar(DVec3::new(0.0, y, 0.0), 0.0, DVec3::new(0.0, vy, 0.0), 0.0); 2];
    assert!(due(&mut watch, &states(2.0, -1.0), 0.0).is_empty());
    assert!(due(&mut watch, &states(0.5, 1.0), 0.125).is_empty());
    let first = due(&mut watch, &states(0.5, -1.0), 0.25);
    assert_eq!((first.len(), first[0].0, watch.is_over()), (2, 1, false));
    let second = due(&mut watch, &states(5.0, 1.0), 0.375);
    assert!(matches!(second.as_slice(), [(1, Effect::Force { .. })]) && watch.is_over());
    assert!(due(&mut watch, &states(0.5, -1.0), 0.5).is_empty());
}

#[test]
fn groups_stand_for_sets_of_bodies() {
    let text = format!(
        "{TWO}[group]\nboth = \"a, b\"\nfirst = \"a\"\n[[claim]]\ngauge = \"x\"\nof = \"first\"\nagainst = \"both\"\nat_most = 1\nbecause = \"it must\"\n"
    );
    let setup = setup_of(&text);
    assert_eq!(
        (setup.claims[0].of.as_slice(), setup.claims[0].against.as_slice()),
        ([0].as_slice(), [0, 1].as_slice())
    );
}

#[test]
fn a_mixing_rule_is_spelt_out_for_every_engine() {
    let text = "[world]\ngravity = [0, 0]\nduration = 1\nmixing = \"product\"\n[material.iron]\ndensity = 1\nfriction = 0.5\nrestitution = 0.5\n\
        [material.ice]\ndensity = 1\nfriction = 0.1\nrestitution = 0.2\n[[pair]]\nbetween = [\"ice\", \"iron\"]\nfriction = 0.3\n\
        [[body]]\nname = \"b\"\nshape = { disc = 1 }\nat = [0, 0]\nmaterial = \"ice\"\n";
    let world = setup_text(&format!("scene = 1\nname = \"x\"\nabout = \"x\"\n{text}"), &[]).unwrap().world;
    let (friction, restitution) = world.mixed(0, 1);
    assert!((friction - 0.3).abs() < 1e-15 && (restitution - 0.1).abs() < 1e-15);
    assert!((world.mixed(1, 1).0 - 0.01).abs() < 1e-15 && (world.mixed(0, 0).1 - 0.25).abs() < 1e-15);
}

#[test]
fn only_if_leaves_bodies_out() {
    let setup = setup_of(
        "[[body]]\nname = \"b\"\nrepeat = { i = 5 }\nonly_if = \"i % 2 == 0\"\nshape = { disc = 0.1 }\nat = [\"i\", 0]\nmaterial = \"iron\"\n",
    );
    let names: Vec<&str> = setup.world.bodies.iter().map(|body| body.name.as_str()).collect();
    assert_eq!(names, ["b[0]", "b[2]", "b[4]"]);
    assert!(matches!(setup.world.bodies[0].parts[0].shape.planar(), Some(PlaneShape::Disc(_))));
}
