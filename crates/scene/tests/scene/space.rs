//! The language of space: vectors of three, turns, shapes, patterns, and what it refuses.

use crate::setup_text;
use ironspin_model::{Body, DMat3, DQuat, DVec3, Dimension, Effect, SpaceShape, World, turn};
use ironspin_scene::{Scene, SceneError, Settings, Setup};
use proptest::prelude::*;
use std::collections::BTreeSet;

const HEAD: &str = "scene = 1\nname = \"x\"\nabout = \"x\"\nspace = 3\n[world]\ngravity = [0, -9.81, 0]\nduration = 4\n\
    [material.iron]\ndensity = 8\nfriction = 0.5\nrestitution = 0.25\n";

const BLOCK: &str = "[[body]]\nname = \"a\"\nshape = { box = [1, 2, 3] }\nat = [0, 4, -1]\nmaterial = \"iron\"\n";

fn setup(tables: &str) -> Setup {
    setup_text(&format!("{HEAD}{tables}"), &[]).unwrap_or_else(|error| panic!("{error}: {:?}\n{tables}", error.help))
}

fn refused(tables: &str) -> SceneError {
    match setup_text(&format!("{HEAD}{tables}"), &[]) {
        Err(error) => error,
        Ok(_) => panic!("it was taken:\n{tables}"),
    }
}

fn body(lines: &str) -> Body {
    setup(&format!("{BLOCK}{lines}\n")).world.bodies.remove(0)
}

#[test]
fn vectors_have_three_numbers_and_bodies_their_whole_inertia() {
    let body = body("velocity = [1, 2, 3]\nspin = [0, \"pi / 2\", -1]\n");
    assert_eq!((body.pose.position, body.velocity), (DVec3::new(0.0, 4.0, -1.0), DVec3::new(1.0, 2.0, 3.0)));
    assert_eq!(body.spin, DVec3::new(0.0, std::f64::consts::FRAC_PI_2, -1.0));
    assert_eq!(body.parts[0].shape, SpaceShape::Box(DVec3::new(1.0, 2.0, 3.0)).into());
    assert_eq!(body.mass, 48.0);
    assert_eq!(body.inertia.0, DMat3::from_diagonal(DVec3::new(52.0, 40.0, 20.0)));
    let world = setup(BLOCK).world;
    assert_eq!((world.dimension, world.gravity), (Dimension::Space, DVec3::new(0.0, -9.81, 0.0)));
}

#[test]
fn turns_are_done_one_after_the_other_about_the_axes_of_the_world() {
    let quarter = |axis: DVec3| turn::about(axis, std::f64::consts::FRAC_PI_2);
    let one = body("turn = { axis = [0, 3, 0], angle = \"90 deg\" }");
    assert_eq!(one.pose.rotation, quarter(DVec3::Y));
    let both = body("turn = [{ axis = [0, 1, 0], angle = \"90 deg\" }, { axis = [1, 0, 0], angle = \"90 deg\" }]");
    // x goes to -z about y, and on to y about x.
    assert!(turn::turned(both.pose.rotation, DVec3::X).distance(DVec3::Y) < 1e-15);
    let given = body("turn = { quaternion = [0.5, 0.5, -0.5, 0.5] }");
    assert_eq!(given.pose.rotation, DQuat::from_xyzw(0.5, -0.5, 0.5, 0.5));
}

#[test]
fn random_turns_are_unit_and_spread_over_all_and_stay_the_same() {
    let of = |seed: &str| {
        let text = format!(
            "[[body]]\nname = \"a\"\nplace = {{ grid = {{ columns = 20, rows = 20, layers = 5, pitch = [2, 2, 2] }} }}\n\
             shape = {{ box = [1, 1, 1] }}\nat = [0, 0, 0]\nmaterial = \"iron\"\nturn = {{ random = {seed} }}\n"
        );
        setup(&text).world.bodies.iter().map(|body| body.pose.rotation).collect::<Vec<DQuat>>()
    };
    let turns = of("1");
    assert!(turns.iter().all(|q| (q.length() - 1.0).abs() < 1e-15));
    assert_eq!(turns, of("1"));
    assert!(turns.iter().zip(of("2")).all(|(a, b)| *a != b));
    // Where the x axis points: no direction is favoured, and neither is any square of one.
    let mean = turns.iter().map(|&q| turn::turned(q, DVec3::X)).sum::<DVec3>() / turns.len() as f64;
    let squares = turns.iter().map(|&q| turn::turned(q, DVec3::X).powf(2.0)).sum::<DVec3>() / turns.len() as f64;
    assert!(mean.length() < 0.04 && (squares - 1.0 / 3.0).length() < 0.03, "{mean} {squares}");
}

#[test]
fn compounds_are_moved_onto_their_centre_of_mass_as_they_stand() {
    let text = "[[body]]\nname = \"a\"\nat = [1, 0, 0]\nturn = { axis = [0, 0, 1], angle = \"90 deg\" }\nmaterial = \"iron\"\n\
        parts = [{ shape = { box = [1, 1, 1] } }, { shape = { box = [1, 1, 1] }, at = [2, 0, 0], turn = { axis = [1, 0, 0], angle = 0.3 } }]\n";
    let body = &setup(text).world.bodies[0];
    assert!(body.pose.position.distance(DVec3::new(1.0, 1.0, 0.0)) < 1e-15, "{}", body.pose.position);
    assert_eq!(body.parts[1].pose.position, DVec3::new(1.0, 0.0, 0.0));
    assert_eq!(body.mass, 16.0);
}

#[test]
fn a_given_inertia_is_three_moments_or_the_six_numbers_of_a_matrix() {
    assert_eq!(body("inertia = [1, 2, 2.5]").inertia.0, DMat3::from_diagonal(DVec3::new(1.0, 2.0, 2.5)));
    let six = body("inertia = [2, 2, 2, 0.1, -0.2, 0.3]").inertia.0;
    assert_eq!((six.x_axis.y, six.x_axis.z, six.y_axis.z), (0.1, -0.2, 0.3));
    assert_eq!(six, six.transpose());
    // A given mass is spread as the density would have been.
    assert_eq!(body("mass = 12").inertia.0, DMat3::from_diagonal(DVec3::new(13.0, 10.0, 5.0)));
}

/// Bodies of a pattern: their names and places.
fn pattern(place: &str) -> Vec<(String, DVec3)> {
    let text = format!(
        "[[body]]\nname = \"b\"\nplace = {{ {place} }}\nshape = {{ box = [1, 1, 1] }}\nat = [0, 10, 0]\nmaterial = \"iron\"\n"
    );
    let bodies = setup(&text).world.bodies;
    bodies.into_iter().map(|body| (body.name, body.pose.position - DVec3::Y * 10.0)).collect()
}

#[test]
fn patterns_have_a_third_dimension() {
    let grid = pattern("grid = { columns = 2, rows = 3, layers = 4, pitch = [1, 2, 3] }");
    assert_eq!(grid.len(), 24);
    assert_eq!(grid.last().unwrap(), &("b[2][1][3]".to_owned(), DVec3::new(1.0, 4.0, 9.0)));
    let wall = pattern("brick = { columns = 2, rows = 2, layers = 2, pitch = [2, 1, 1] }");
    let at = |name: &str, list: &[(String, DVec3)]| list.iter().find(|(n, _)| n == name).unwrap().1;
    assert_eq!(at("b[0][0][0]", &wall), DVec3::ZERO);
    assert_eq!(at("b[1][0][0]", &wall), DVec3::new(1.0, 1.0, 0.0));
    assert_eq!(at("b[0][0][1]", &wall), DVec3::new(1.0, 0.0, 1.0), "the layer behind is shifted");
    assert_eq!(at("b[1][0][1]", &wall), DVec3::new(0.0, 1.0, 1.0));
    let pyramid = pattern("pyramid = { base = 3, pitch = [2, 1, 4] }");
    assert_eq!(pyramid.len(), 9 + 4 + 1);
    assert_eq!(at("b[2][0][0]", &pyramid), DVec3::new(2.0, 2.0, 4.0), "the top stands over the middle");
    let stack = pattern("stack = { count = 3, step = [0.5, 1, -1] }");
    assert_eq!(stack[2], ("b[2]".to_owned(), DVec3::new(1.0, 2.0, -2.0)));
    let line = pattern("line = { count = 3, to = [2, 10, 4] }");
    assert_eq!(line[1].1, DVec3::new(1.0, 0.0, 2.0));
    let scatter = pattern("scatter = { count = 40, in_box = [10, 10, 10], seed = 3 }");
    for (number, (_, p)) in scatter.iter().enumerate() {
        assert!(p.abs().max_element() <= 5.0, "{p}");
        assert!(scatter[..number].iter().all(|(_, q)| p.distance(*q) >= 3.0_f64.sqrt()), "outer spheres overlap");
    }
    let ball = pattern("scatter = { count = 40, in_ball = 6, spacing = 0.5, seed = 3 }");
    assert!(ball.iter().all(|(_, p)| p.length() <= 6.0) && ball.iter().any(|(_, p)| p.z.abs() > 3.0));
    let heights: BTreeSet<i64> = scatter.iter().map(|(_, p)| p.z.round() as i64).collect();
    assert!(heights.len() > 5, "spread along z");
    assert_eq!(scatter, pattern("scatter = { count = 40, in_box = [10, 10, 10], seed = 3 }"));
}

#[test]
fn rings_stand_about_an_axis_and_on_each_other_and_look_outwards() {
    let ring = "ring = { count = 4, radius = 2, facing = true, rings = 2, rise = 0.5 }";
    let world = setup(&format!("{BLOCK}place = {{ {ring} }}\n")).world;
    let middle = DVec3::new(0.0, 4.0, -1.0);
    assert_eq!((world.bodies.len(), world.bodies[5].name.as_str()), (8, "a[1][1]"));
    for (number, body) in world.bodies.iter().enumerate() {
        let out = body.pose.position - middle;
        let storey = (number / 4) as f64;
        assert!((out.y - 0.5 * storey).abs() < 1e-15 && ((out.x * out.x + out.z * out.z).sqrt() - 2.0).abs() < 1e-15);
        let outwards = DVec3::new(out.x, 0.0, out.z) / 2.0;
        assert!(turn::turned(body.pose.rotation, DVec3::X).distance(outwards) < 1e-15, "{number}");
        assert!(turn::turned(body.pose.rotation, DVec3::Y).distance(DVec3::Y) < 1e-15);
    }
    // The first goes from x towards z, the first of the second ring is half a body on.
    assert!(world.bodies[1].pose.position.distance(middle + 2.0 * DVec3::Z) < 1e-15);
    let half = std::f64::consts::FRAC_PI_4;
    let on = middle + DVec3::new(2.0 * half.cos(), 0.5, 2.0 * half.sin());
    assert!(world.bodies[4].pose.position.distance(on) < 1e-15);
    let about_z = pattern("ring = { count = 4, radius = 1, axis = [0, 0, 2] }");
    assert!(about_z.iter().all(|(_, at)| at.z == about_z[0].1.z) && about_z.len() == 4);
    // Up a slope along x, turned with it.
    let slope = setup(&format!("{BLOCK}place = {{ slope = {{ count = 3, angle = \"30 deg\", pitch = 2 }} }}\n")).world;
    let along = DVec3::new(3.0_f64.sqrt(), 1.0, 0.0);
    assert!(slope.bodies[2].pose.position.distance(middle + 2.0 * along) < 1e-14);
    assert!(turn::turned(slope.bodies[2].pose.rotation, DVec3::X).distance(along / 2.0) < 1e-15);
}

#[test]
fn a_stack_is_there_in_the_plane_too() {
    let text = "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, -9.81]\nduration = 4\n\
        [material.iron]\ndensity = 8\nfriction = 0.5\nrestitution = 0.25\n\
        [[body]]\nname = \"b\"\nplace = { stack = { count = 3, step = [0, 0.5] } }\nshape = { disc = 0.2 }\nat = [1, 1]\nmaterial = \"iron\"\n";
    let bodies = setup_text(text, &[]).unwrap().world.bodies;
    assert_eq!(bodies[2].pose.position, DVec3::new(1.0, 2.0, 0.0));
}

#[test]
fn actions_have_three_components_and_know_the_body_as_built() {
    let tables = format!(
        "{BLOCK}[[action]]\nat_time = 1\non = \"a\"\nimpulse = [0, 0, \"mass * z\"]\npoint = [\"x\", \"y\", 0]\n\
        [[action]]\nat_time = 1\non = \"a\"\ntorque = [1, 2, 3]\nspin = [0, 0, 1]\n\
        [[action]]\nat_time = 2\non = \"a\"\nplace = {{ at = [1, 1, 1], turn = {{ axis = [0, 0, 1], angle = 1 }} }}\n\
        [[action]]\nat_time = 2\ngravity = [0, 0, -9.81]\n\
        [[action]]\nwhen = \"z < -2 && qw > 0.5 && wx == 0\"\non = \"a\"\nvelocity = [0, 0, 1]\n"
    );
    let setup = setup(&tables);
    let effects: Vec<&Effect> = setup.world.actions.iter().map(|action| &action.effect).collect();
    assert_eq!(
        effects[0],
        &Effect::Impulse { impulse: DVec3::new(0.0, 0.0, -48.0), point: Some(DVec3::new(0.0, 4.0, 0.0)) }
    );
    assert_eq!((effects[1], effects[2]), (&Effect::Torque(DVec3::new(1.0, 2.0, 3.0)), &Effect::Spin(DVec3::Z)));
    assert!(matches!(effects[3], Effect::Place(pose) if pose.rotation == turn::about(DVec3::Z, 1.0)));
    let mut watch = ironspin_scene::Script::new(&setup);
    let state = |z: f64| ironspin_model::BodyState {
        pose: ironspin_model::Pose::at(DVec3::new(0.0, 0.0, z)),
        velocity: DVec3::ZERO,
        spin: DVec3::ZERO,
    };
    assert!(watch.due(&[state(-1.0)], 0.0, 0.1).unwrap().deeds.is_empty());
    assert_eq!(watch.due(&[state(-3.0)], 0.1, 0.1).unwrap().deeds, [(0, Effect::Velocity(DVec3::Z))]);
}

#[test]
fn claims_measure_all_components() {
    let tables = format!(
        "{BLOCK}[[claim]]\ngauge = \"g\"\nof = \"a\"\nmeasure = \"z + 10 * qw + wz\"\nat_most = 1\nbecause = \"b\"\n\
        [[claim]]\ngauge = \"g\"\nof = \"a\"\npath = [\"0\", \"4\", \"t - 1\"]\nat_most = 1\nbecause = \"b\"\n"
    );
    let setup = setup(&tables);
    let body = &setup.world.bodies[0];
    let state = ironspin_model::BodyState { pose: body.pose, velocity: body.velocity, spin: DVec3::new(0.0, 0.0, 0.5) };
    assert_eq!(setup.claims[0].details.measure.as_ref().unwrap().value(&state, 0.0), 9.5);
    let path = setup.claims[1].details.path.as_ref().unwrap();
    assert_eq!((path.len(), path[2].value(&state, 3.0)), (3, 2.0));
}

#[test]
fn what_a_scene_of_space_cannot_say_is_refused_with_what_to_write() {
    let block = |lines: &str| format!("[[body]]\nname = \"b\"\nat = [0, 9, 0]\nmaterial = \"iron\"\n{lines}\n");
    let action = |lines: &str| format!("{BLOCK}[[action]]\nat_time = 1\non = \"a\"\n{lines}\n");
    for (tables, message, help) in [
        (block("shape = { disc = 1 }"), "`disc` is a shape of the plane", "did you mean `sphere`?"),
        (block("shape = { half_plane = [0, 1] }"), "`half_plane` is a shape of the plane", "`half_space`"),
        (block("shape = { polygon = [[0, 0]] }"), "`polygon` is a shape of the plane", "did you mean `hull`?"),
        (block("shape = { polyline = [[0, 0]] }"), "`polyline` is a shape of the plane", "did you mean `mesh`?"),
        (block("shape = { cylinder = [1] }"), "a length and a radius, and here are 1 numbers", ""),
        (block("shape = { hull = [[0, 0, 0], [1, 0, 0], [0, 1, 0]] }"), "a hull of 3 corners", "a thickness"),
        (
            block("shape = { hull = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]] }"),
            "lie in one plane",
            "its upper and its lower corners",
        ),
        (
            block("shape = { hull = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [0.1, 0.1, 0.1]] }"),
            "corner 4 of the hull lies within the others",
            "several `parts`",
        ),
        (
            block("shape = { mesh = { points = [[0, 0, 0], [1, 0, 0], [0, 1, 0]], faces = [[0, 1, 3]] } }"),
            "face 0 of the mesh names point 3, and there are 3",
            "",
        ),
        (
            block("shape = { mesh = { points = [[0, 0, 0], [1, 0, 0], [2, 0, 0]], faces = [[0, 1, 2]] } }"),
            "face 0 of the mesh has no area",
            "",
        ),
        (block("shape = { box = [1, 1] }"), "a height and a depth, and here are 2 numbers", ""),
        (block("shape = { half_space = [0, 0, 0] }"), "cannot be zero", "[0, 1, 0] is a floor"),
        (block("shape = { half_space = [0, 1, 0] }"), "a half-space has no finite mass", "kind = \"static\""),
        (block("shape = { sphere = 1 }\nangle = 1"), "`angle` is for scenes of the plane", "turn = {"),
        (block("shape = { sphere = 1 }\nspin = 1"), "a spin in space has three numbers", "[0, 0, ...]"),
        (block("shape = { sphere = 1 }\nspin = [1, 2]"), "found 2 numbers where [x, y, z] is expected", ""),
        (block("shape = { sphere = 1 }\nvelocity = [1, 2]"), "found 2 numbers where [x, y, z]", ""),
        (block("shape = { sphere = 1 }\nturn = { axis = [0, 0, 0], angle = 1 }"), "no direction", "[0, 1, 0]"),
        (block("shape = { sphere = 1 }\nturn = { axis = [0, 1, 0] }"), "an axis and no angle", "angle ="),
        (block("shape = { sphere = 1 }\nturn = { angle = 1 }"), "an angle and no axis", "axis ="),
        (block("shape = { sphere = 1 }\nturn = []"), "one turn at least", ""),
        (block("shape = { sphere = 1 }\nturn = { random = 1, angle = 1 }"), "or by `random`", ""),
        (block("shape = { sphere = 1 }\nturn = { quaternion = [1, 1, 0, 0] }"), "a unit quaternion", "comes first"),
        (block("shape = { sphere = 1 }\nturn = { quaternion = [1, 0, 0] }"), "a quaternion has four numbers", ""),
        (block("shape = { sphere = 1 }\ninertia = 2"), "three numbers, or six of its matrix", "own axes"),
        (block("shape = { sphere = 1 }\ninertia = [1, 1, 3]"), "no body has this inertia", "Ixy"),
        (block("shape = { sphere = 1 }\ninertia = [1, 1, 1, 2, 0, 0]"), "no body has this inertia", "Ixy"),
        (block("shape = { sphere = 1 }\ninertia = [1, 1]"), "three or six numbers", ""),
        (block("shape = { sphere = 1 }\nplace = { ring = { count = 3, radius = 2, rings = 2 } }"), "need `rise`", ""),
        (
            block("shape = { sphere = 1 }\nplace = { grid = { columns = 2, rows = 2, pitch = [1, 1] } }"),
            "found 2 numbers where [x, y, z]",
            "",
        ),
        (
            block(
                "shape = { sphere = 1 }\nkind = \"kinematic\"\nmotion = { circle = { about = [1, 0, 0], period = 1 } }",
            ),
            "`circle` is for scenes of the plane",
            "velocity and a spin",
        ),
        (action("torque = 1"), "a torque in space has three numbers", ""),
        (action("place = { at = [0, 1, 0], angle = 1 }"), "`angle` is for scenes of the plane", "turn = {"),
        (format!("{BLOCK}[[joint]]\nkind = \"weld\"\nbetween = [\"a\", \"a\"]\n"), "cannot hold a body to itself", ""),
        (
            format!(
                "{BLOCK}{}[[joint]]\nkind = \"hinge\"\nbetween = [\"a\", \"b\"]\n",
                block("shape = { sphere = 1 }")
            ),
            "a hinge needs the key `axis`",
            "axis = ",
        ),
        (
            format!("{BLOCK}[[claim]]\ngauge = \"g\"\npath = [\"t\", \"t\"]\nat_most = 1\nbecause = \"b\"\n"),
            "found 2 expressions where the [x, y, z]",
            "",
        ),
        (
            format!("{BLOCK}[[claim]]\ngauge = \"g\"\nmeasure = \"angle\"\nat_most = 1\nbecause = \"b\"\n"),
            "unknown name `angle`",
            "",
        ),
    ] {
        let error = refused(&tables);
        assert!(error.message.contains(message), "{tables}: `{message}` not in `{}`", error.message);
        assert!(error.help.as_deref().unwrap_or_default().contains(help), "{tables}: {:?}", error.help);
        assert!(error.place.is_some() && !error.label.is_empty(), "{tables}: {error:?}");
    }
}

#[test]
fn what_is_of_space_is_refused_in_the_plane() {
    let head = "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, -9.81]\nduration = 4\n\
        [material.iron]\ndensity = 8\nfriction = 0.5\nrestitution = 0.25\n[[body]]\nname = \"b\"\nat = [0, 9]\nmaterial = \"iron\"\n";
    for (lines, message, help) in [
        ("shape = { sphere = 1 }", "`sphere` is a shape of space", "did you mean `disc`?"),
        ("shape = { half_space = [0, 1, 0] }", "`half_space` is a shape of space", "`half_plane`"),
        ("shape = { disc = 1 }\nturn = { axis = [0, 0, 1], angle = 1 }", "`turn` is for scenes of space", "angle ="),
        ("shape = { disc = 1 }\nspin = [0, 0, 1]", "a spin in the plane is one number", ""),
        ("shape = { disc = 1 }\ninertia = [1, 1, 1]", "one number, about z", ""),
        (
            "shape = { disc = 1 }\nplace = { grid = { columns = 2, rows = 2, layers = 2, pitch = [1, 1] } }",
            "`layers` lie behind each other",
            "space = 3",
        ),
    ] {
        let error = setup_text(&format!("{head}{lines}\n"), &[]).err().unwrap_or_else(|| panic!("taken: {lines}"));
        assert!(error.message.contains(message), "{lines}: {}", error.message);
        assert!(error.help.as_deref().unwrap_or_default().contains(help), "{lines}: {:?}", error.help);
    }
    let flat = setup_text(&HEAD.replace("space = 3", "space = 4"), &[]).err().unwrap();
    assert!(flat.message.contains("space = 4 cannot be built") && flat.label.contains("2 or 3"));
}

#[test]
fn overlaps_are_warned_of_and_a_wall_without_gaps_is_none() {
    let warned = |tables: &str| {
        let kinds: Vec<&str> = setup(tables).warnings.iter().map(|warning| warning.kind).collect();
        kinds.into_iter().map(str::to_owned).collect::<Vec<String>>()
    };
    let wall = "[[body]]\nname = \"q\"\nkind = \"static\"\nshape = { half_space = [0, 1, 0] }\nat = [0, 0, 0]\nmaterial = \"iron\"\n\
        [[body]]\nname = \"b\"\nplace = { brick = { columns = 4, rows = 3, layers = 2, pitch = [1, 0.5, 0.5] } }\nshape = { box = [1, 0.5, 0.5] }\nat = [0, 0.25, 0]\nmaterial = \"iron\"\n";
    assert!(warned(wall).is_empty(), "{:?}", warned(wall));
    assert_eq!(warned(&wall.replace("at = [0, 0.25, 0]", "at = [0, 0.2, 0]")), ["overlap"]);
    assert_eq!(warned(&wall.replace("box = [1, 0.5, 0.5]", "box = [1, 0.5, 0.6]")), ["overlap"]);
}

fn printed_again(text: &str) -> (World, World) {
    let scene = Scene::parse(text, "x.toml").unwrap_or_else(|error| panic!("{error}\n{text}"));
    let first = scene.resolve(&Settings::with_dt(0.125)).unwrap_or_else(|error| panic!("{error}\n{text}"));
    let printed = scene.print_resolved(&first);
    let second = setup_text(&printed, &[]).unwrap_or_else(|error| panic!("{error}\n{printed}"));
    (first.world, second.world)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(100))]
    /// The resolved form builds the same world, to the bit.
    #[test]
    fn worlds_of_space_come_back_bit_for_bit(
        at in prop::array::uniform3(-9.0..9.0_f64), spin in prop::array::uniform3(-9.0..9.0_f64),
        axis in prop::array::uniform3(0.1..1.0_f64), angle in -7.0..7.0_f64, size in prop::array::uniform3(0.1..3.0_f64),
    ) {
        let list = |v: [f64; 3]| format!("[{:?}, {:?}, {:?}]", v[0], v[1], v[2]);
        let text = format!(
            "{HEAD}[[body]]\nname = \"a\"\nplace = {{ stack = {{ count = 2, step = [9, 9, 9] }} }}\nat = {}\nspin = {}\nturn = [{{ axis = {}, angle = {angle:?} }}, {{ random = 1 }}]\nmaterial = \"iron\"\n\
            parts = [{{ shape = {{ box = {} }} }}, {{ shape = {{ sphere = {:?} }}, at = [1, 2, 3], turn = {{ axis = [1, 0, 1], angle = 0.4 }} }}]\n\
            [[action]]\nat_time = 0.1\non = \"a[0]\"\ntorque = {}\npoint = [0, 0, 1]\nforce = [0, 1, 0]\n\
            [[action]]\nat_time = 0.2\non = \"a[1]\"\nplace = {{ at = {}, turn = {{ random = 2 }} }}\n",
            list(at), list(spin), list(axis), list(size), size[0], list(spin), list(at),
        );
        let (first, second) = printed_again(&text);
        prop_assert_eq!(format!("{:?}", first), format!("{:?}", second));
    }
}
