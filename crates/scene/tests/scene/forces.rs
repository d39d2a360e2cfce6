//! Forces that follow the state: what is handed over, for whom, and what the resolved form keeps of it.

use crate::{FRAME, setup_of, setup_text};
use ironspin_model::{BodyState, DVec3, Dimension, Effect, Pose, turn};
use ironspin_scene::{Scene, Script, Settings, potential};

const TWO: &str = "[[body]]\nname = \"a\"\nshape = { disc = 0.1 }\nmass = 2\nat = [0, 0]\nmaterial = \"iron\"\n\
    [[body]]\nname = \"b\"\nshape = { disc = 0.1 }\nmass = 3\nat = [4, 0]\nmaterial = \"iron\"\n\
    [[body]]\nname = \"quay\"\nkind = \"static\"\nshape = { disc = 0.1 }\nat = [0, 2]\nmaterial = \"iron\"\n";

fn at(x: f64, y: f64, vx: f64, vy: f64) -> BodyState {
    BodyState::planar(DVec3::new(x, y, 0.0), 0.0, DVec3::new(vx, vy, 0.0), 0.0)
}

/// What some forces do before a step of a quarter of a second, to bodies in these states.
fn due(forces: &str, states: &[BodyState]) -> Vec<(usize, Effect)> {
    let setup = setup_of(&format!("{TWO}{forces}"));
    Script::new(&setup).due(states, 1.0, 0.25).expect("a value").deeds
}

fn push(force: DVec3) -> Effect {
    Effect::Force { force, point: None }
}

#[test]
fn a_force_is_that_of_the_middle_of_the_step_with_the_velocity_of_its_start() {
    let states = [at(1.0, 0.0, 8.0, 0.0), at(4.0, 0.0, 0.0, 0.0), at(0.0, 2.0, 0.0, 0.0)];
    // x is 1 + 8 / 8, t is 1 + 1 / 8.
    let done = due("[[force]]\non = \"a\"\nforce = [\"x * mass\", \"vx + 80 * t\"]\n", &states);
    assert_eq!(done, [(0, push(DVec3::new(4.0, 98.0, 0.0)))]);
    // Nothing is handed over where nothing pushes, and nothing before its window.
    assert!(due("[[force]]\non = \"a\"\nforce = [0, \"0 * x\"]\n", &states).is_empty());
    assert!(due("[[force]]\non = \"a\"\nforce = [1, 0]\nwindow = [2, 3]\n", &states).is_empty());
}

#[test]
fn a_partner_that_moves_feels_the_opposite_and_one_that_does_not_feels_nothing() {
    let states = [at(0.0, 0.0, 0.0, 0.0), at(4.0, 0.0, 0.0, 0.0), at(0.0, 2.0, 0.0, 0.0)];
    let pull = "force = [\"-mass * by.mass * dx / r\", \"-mass * by.mass * dy / r\"]\n";
    let done = due(&format!("[[force]]\non = \"b\"\nby = \"a\"\n{pull}"), &states);
    assert_eq!(done, [(0, push(6.0 * DVec3::X)), (1, push(-6.0 * DVec3::X))]);
    let done = due("[[force]]\non = \"a\"\nby = \"quay\"\nforce = [\"-dx\", \"-dy\"]\n", &states);
    assert_eq!(done, [(0, push(2.0 * DVec3::Y))]);
    // Two that are named by both are one pair, and what acts on one body is handed over as one force.
    let both =
        due(&format!("[[force]]\non = \"*\"\nby = \"*\"\n{pull}[[force]]\non = \"a\"\nforce = [0, 5]\n"), &states);
    assert_eq!(both, [(0, push(DVec3::new(6.0, 5.0, 0.0))), (1, push(-6.0 * DVec3::X))]);
}

#[test]
fn a_force_at_a_point_is_told_with_the_arm_of_the_middle_of_the_step() {
    let mut turning = at(1.0, 1.0, 4.0, 0.0);
    turning.spin.z = 8.0;
    let states = [turning, at(4.0, 0.0, 0.0, 0.0), at(0.0, 2.0, 0.0, 0.0)];
    // It has turned by a radian in the middle, and the point has gone round with it.
    let done = due("[[force]]\non = \"a\"\npoint = [0.5, 0]\nforce = [\"x\", \"vy\"]\ntorque = \"angle\"\n", &states);
    let arm = turn::turned(turn::about(DVec3::Z, 1.0), 0.5 * DVec3::X);
    let [(0, Effect::Force { force, point: Some(point) }), (0, Effect::Torque(torque))] = done.as_slice() else {
        panic!("{done:?}")
    };
    assert!(point.distance(DVec3::new(1.0, 1.0, 0.0) + arm) < 1e-15);
    assert!(force.distance(DVec3::new(1.5 + arm.x, 8.0 * arm.x, 0.0)) < 1e-14, "{force}");
    assert!((torque.z - 1.0).abs() < 1e-15);
}

#[test]
fn bodies_that_are_not_there_neither_push_nor_are_pushed_and_what_has_no_value_is_named() {
    let gone = [at(0.0, 0.0, 0.0, 0.0), BodyState::absent(), at(0.0, 2.0, 0.0, 0.0)];
    let forces = "[[force]]\non = \"a, b\"\nby = \"b\"\nforce = [\"dx\", \"dy\"]\n";
    assert!(due(forces, &gone).is_empty());
    let setup = setup_of(&format!("{TWO}{forces}[[force]]\non = \"a\"\nforce = [\"1 / x\", 0]\n"));
    let fault = Script::new(&setup).due(&gone, 0.0, 0.25).unwrap_err();
    assert_eq!((fault.number, fault.body), (1, 0));
}

#[test]
fn the_potential_is_summed_over_pairs_and_is_none_where_a_force_gives_none() {
    let forces = "[[force]]\non = \"*\"\nby = \"*\"\nforce = [\"-dx\", \"-dy\"]\npotential = \"r ^ 2 / 2\"\n\
        [[force]]\non = \"a\"\nforce = [0, -3]\npotential = \"3 * y\"\n";
    let states = [at(0.0, 2.0, 0.0, 0.0), at(4.0, 2.0, 0.0, 0.0), at(0.0, 2.0, 0.0, 0.0)];
    let setup = setup_of(&format!("{TWO}{forces}"));
    assert_eq!(potential(&setup.forces, &states, 0.0), Some(8.0 + 6.0));
    assert!(setup.forces.iter().all(|force| !force.follows_velocity));
    assert!(setup.forces.iter().all(|force| force.keeps_energy));
    let driven = forces.replace("potential = \"3 * y\"", "potential = \"3 * y + 0 * t\"");
    assert!(!setup_of(&format!("{TWO}{driven}")).forces[1].keeps_energy);
    let drag = setup_of(&format!("{TWO}{forces}[[force]]\non = \"a\"\nforce = [\"-speed * vx\", 0]\n"));
    assert_eq!(potential(&drag.forces, &states, 0.0), None);
    assert!(drag.forces[2].follows_velocity);
    assert_eq!(potential(&[], &states, 0.0), None);
}

/// The resolved form names bodies one by one, and has neither parameters nor lists.
#[test]
fn the_resolved_form_pushes_alike() {
    let set = "[set]\nk = { values = [2, 3], about = \"strengths\" }\n[world]";
    let tables = "[[body]]\nname = \"late-ball\"\nrepeat = { i = 3 }\nshape = { disc = 0.1 }\nat = [\"i\", 8]\nmaterial = \"iron\"\n\
         [[force]]\non = \"late-ball, a\"\nby = \"late-ball[*], quay\"\nforce = [\"-k[1] * dx * by.mass\", \"'late-ball[0]'.y - k[count(k) - 1]\"]\npoint = [\"k[0] / 20\", 0]\nwindow = [0.5, 3]\n\
         [[force]]\non = \"a\"\ntorque = \"-sum(k) * spin + quay.y\"\n";
    let text = format!("{}{TWO}{tables}", FRAME.replacen("[world]", set, 1));
    let scene = Scene::parse(&text, "x.toml").unwrap();
    let first = scene.resolve(&Settings::with_dt(0.125)).unwrap();
    let printed = scene.print_resolved(&first);
    let second = setup_text(&printed, &[]).unwrap_or_else(|error| panic!("{error}\n{printed}"));
    let mut states = vec![at(0.5, 0.0, 1.0, 0.0), at(4.0, 0.0, 0.0, 0.0), at(0.0, 2.0, 0.0, 0.0)];
    states.extend((0..3).map(|i| at(f64::from(i), 8.0, 0.0, -1.0)));
    let [one, other] = [&first, &second].map(|setup| Script::new(setup).due(&states, 1.0, 0.125).unwrap().deeds);
    assert_eq!(one, other, "{printed}");
    assert!(one.len() >= 5, "{one:?}");
}

#[test]
fn in_space_forces_have_three_components() {
    let text = "scene = 1\nname = \"x\"\nabout = \"x\"\nspace = 3\n[world]\ngravity = [0, 0, 0]\nduration = 4\n[material.iron]\ndensity = 8\nfriction = 0\nrestitution = 0\n\
        [[body]]\nname = \"a\"\nshape = { sphere = 1 }\nmass = 2\nat = [0, 0, 0]\nmaterial = \"iron\"\n\
        [[body]]\nname = \"sun\"\nkind = \"static\"\nshape = { sphere = 1 }\nat = [0, 0, 4]\nmaterial = \"iron\"\n\
        [[force]]\non = \"a\"\nby = \"sun\"\npoint = [0, 1, 0]\nforce = [\"-mass * dx / r\", \"-mass * dy / r\", \"wx\"]\ntorque = [0, \"-wy\", \"z\"]\n\
        [[claim]]\ngauge = \"measure.largest\"\nof = \"a\"\nmeasure = \"point([0, 0, 1]).z + sun.point([0, 0, 1]).vz - a.mass\"\nat_most = 1\nbecause = \"x\"\n";
    let setup = setup_text(text, &[]).unwrap();
    assert_eq!(setup.world.dimension, Dimension::Space);
    let state =
        |z: f64, spin: DVec3| BodyState { pose: Pose::at(DVec3::new(0.0, 0.0, z)), velocity: DVec3::ZERO, spin };
    let states = [state(0.0, DVec3::new(0.0, 0.5, 0.0)), state(4.0, DVec3::ZERO)];
    let done = Script::new(&setup).due(&states, 0.0, 0.25).unwrap().deeds;
    let [(0, Effect::Force { force, point: Some(point) }), (0, Effect::Torque(torque))] = done.as_slice() else {
        panic!("{done:?}")
    };
    // The point lies on the axis of the turn: it stays where it is, and the way to it is (0, 1, -4).
    assert!(point.distance(DVec3::Y) < 1e-15 && torque.distance(DVec3::new(0.0, -0.5, 0.0)) < 1e-15);
    assert!(force.distance(DVec3::new(0.0, -2.0 / 17.0_f64.sqrt(), 0.0)) < 1e-15, "{force}");
    let measure = setup.claims[0].details.measure.as_ref().unwrap();
    let moment = ironspin_model::Moment { bodies: &states, body: 0, of: &[0], time: 0.0 };
    assert_eq!(measure.at(&moment), 1.0 - 2.0);
}
