//! The language of soft bodies: what they are made of, selectors and actions that reach nodes, what is warned of.

use crate::setup_text;
use ironspin_model::{BodyKind, DVec3, Effect, Pressure};
use ironspin_scene::{Scene, Settings, Setup};

const HEAD: &str = "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, -9.81]\nduration = 4\n\
    [material.rubber]\ndensity = 8\nfriction = 0.5\nrestitution = 0.25\n\
    [[body]]\nname = \"quay\"\nkind = \"static\"\nshape = { half_plane = [0, 1] }\nat = [0, -5]\nmaterial = \"rubber\"\n";

const SHEET: &str = "[[soft]]\nname = \"sheet\"\nmade_of = { grid = { columns = 3, rows = 2, pitch = [0.5, 0.25] } }\nat = [1, 2]\n\
    material = \"rubber\"\nmass = 1.2\nstiffness = 50\n";

const RING: &str = "[[soft]]\nname = \"ring\"\nrepeat = { i = 2 }\nmade_of = { ring = { count = 6, radius = 1 } }\nat = [\"5 * i\", 0]\n\
    material = \"rubber\"\nmasses = [1, 1, 1, 1, 1, 1]\nstiffness = 100\nspring_damping = 0.5\nradius = 0.1\npressure = { amount = 3, outside = 1 }\n";

fn setup(tables: &str) -> Setup {
    setup_text(&format!("{HEAD}{tables}"), &[]).unwrap_or_else(|error| panic!("{error}: {:?}\n{tables}", error.help))
}

#[test]
fn a_grid_has_rows_and_columns_a_rim_and_cells_and_nodes_are_bodies_behind_the_rigid_ones() {
    let world =
        setup(&format!("{SHEET}bracing = \"both\"\nbrace_stiffness = 20\ndamping = 0.3\nheld = \"node[1][*]\"\n"))
            .world;
    let sheet = &world.softs[0];
    assert_eq!((world.rigid_count(), sheet.nodes.clone(), sheet.skin.len(), sheet.cells.len()), (1, 1..7, 6, 4));
    // 7 along rows and columns, 4 diagonals.
    assert_eq!(sheet.springs.iter().filter(|spring| spring.stiffness == 20.0).count(), 4);
    assert_eq!(sheet.springs.len(), 11);
    assert!(sheet.is_closed() && (sheet.enclosed(|node| world.bodies[1 + node].pose.position) - 0.25).abs() < 1e-15);
    let node = &world.bodies[6];
    assert_eq!((node.name.as_str(), node.pose.position), ("sheet.node[1][2]", DVec3::new(2.0, 2.25, 0.0)));
    assert_eq!((node.mass, node.kind, node.linear_damping), (0.0, BodyKind::Static, 0.3));
    assert!((world.bodies[1].mass - 0.2).abs() < 1e-15 && world.bodies[1].fixed_turn);
}

#[test]
fn ropes_lie_between_their_ends_and_rings_run_counter_clockwise() {
    let world = setup(
        "[[soft]]\nname = \"rope\"\nmade_of = { rope = { count = 5, to = [4, 2] } }\nat = [0, 2]\nmaterial = \"rubber\"\nmass = 5\nstiffness = 9\n\
        length = 0.7\nbracing = \"one\"\nheld = \"node[0], node[4]\"\n",
    )
    .world;
    let rope = &world.softs[0];
    assert_eq!(world.bodies[3].pose.position, DVec3::new(2.0, 2.0, 0.0));
    assert_eq!(rope.springs.len(), 7);
    assert!(rope.springs[..4].iter().all(|spring| spring.length == 0.7) && rope.springs[4].length == 2.0);
    assert!(rope.skin.is_empty());
    let world = setup(RING).world;
    let ring = &world.softs[1];
    assert_eq!((ring.name.as_str(), ring.pressure), ("ring[1]", Some(Pressure { amount: 3.0, outside: 1.0 })));
    assert!(ring.enclosed(|node| world.bodies[ring.nodes.start + node].pose.position) > 2.5);
    assert_eq!(world.bodies[7].name, "ring[1].node[0]");
}

#[test]
fn selectors_and_actions_reach_nodes_and_soft_bodies_as_a_whole() {
    let setup = setup(&format!(
        "{SHEET}skin = [[0, 1], [1, 4], [4, 0]]\n{RING}\
        [[action]]\nat_time = 1\non = \"ring[0]\"\nimpulse = [\"mass\", 0]\n\
        [[action]]\nat_time = 2\non = \"sheet.node[*][1]\"\nhold = true\n\
        [[action]]\nat_time = 3\non = \"ring\"\nmove_by = [1, 0]\n\
        [[claim]]\ngauge = \"value.y\"\nof = \"sheet.skin\"\nat_most = 9\nbecause = \"they stay below\"\n\
        [[claim]]\ngauge = \"value.y\"\nof = \"ring[1], sheet.node[0][2]\"\nat_most = 9\nbecause = \"they stay below\"\n"
    ));
    let world = &setup.world;
    let done: Vec<(usize, &Effect)> = world.actions.iter().map(|action| (action.body, &action.effect)).collect();
    let whole = Effect::Impulse { impulse: DVec3::new(6.0, 0.0, 0.0), point: None };
    assert_eq!(done[0], (world.soft_id(1), &whole));
    assert_eq!(done[1..3], [(2, &Effect::Hold(true)), (5, &Effect::Hold(true))]);
    assert_eq!(done[3..].iter().map(|(id, _)| *id).collect::<Vec<_>>(), [world.soft_id(1), world.soft_id(2)]);
    assert_eq!(setup.claims[0].of, [1, 2, 5]);
    assert_eq!(setup.claims[1].of, [vec![3], (13..19).collect()].concat());
    assert_eq!(setup.features, ["soft"]);
}

#[test]
fn a_resolved_scene_with_soft_bodies_builds_the_same_world_to_the_bit() {
    let text = format!(
        "{HEAD}{SHEET}velocity = [0.1, 0]\nangle = \"20 deg\"\nself = true\nswept = true\nlayers = [\"goods\"]\nmeets = [\"common\", \"goods\"]\n{RING}\
        [[apart]]\nbetween = [\"quay\", \"sheet\"]\n[[action]]\nat_time = 1\non = \"ring[0]\"\nimpulse = [1, 0]\n\
        [[claim]]\ngauge = \"growth.rate\"\nof = \"ring\"\nat_most = 1\nbecause = \"it does not explode\"\n"
    );
    let scene = Scene::parse(&text, "a.toml").unwrap();
    let first = scene.resolve(&Settings::with_dt(0.01)).unwrap();
    let again = Scene::parse(&scene.print_resolved(&first), "b.toml").unwrap_or_else(|error| panic!("{error}"));
    let second = again.resolve(&Settings::with_dt(0.01)).unwrap();
    assert_eq!(first.world, second.world);
    assert_eq!(first.claims[0].of, second.claims[0].of);
    assert_eq!(first.world.excluded_pairs.len(), 6);
}

#[test]
fn a_net_that_the_step_cannot_carry_is_warned_of_with_the_step_that_would_do() {
    let chain = "[[soft]]\nname = \"chain\"\nmade_of = { rope = { count = 7, to = [1.2, 0] } }\nat = [0, 0]\nmaterial = \"rubber\"\n\
        masses = [0, 0.1, 0.1, 0.1, 0.1, 0.1, 0]\nstiffness = 80\n";
    // 2 / 54.64 s a sub-step, of which there are 8; one spring alone would say 0.0707 s.
    let warnings = |dt: f64| {
        let scene = Scene::parse(&format!("{HEAD}{chain}"), "x.toml").unwrap();
        scene.resolve(&Settings::with_dt(dt)).unwrap().warnings
    };
    let below = warnings(0.29);
    assert!(below.is_empty(), "{below:?}");
    let found = warnings(0.295);
    assert_eq!(found.len(), 1);
    assert_eq!(found[0].kind, "stiff-net");
    let what = &found[0].what;
    assert!(what.message.ends_with("for a step of 0.2950 s with 8 sub-steps of verlet"), "{what:?}");
    assert!(what.label.starts_with("0.2928 s would do: its fastest motion has 54.64"), "{what:?}");
    assert!(what.help.as_ref().unwrap().contains("0.0366 s, of rk4 0.0518 s"), "{what:?}");
}

#[test]
fn pins_stand_where_nodes_are_built_or_at_a_point_of_the_body() {
    let wagon = "[[body]]\nname = \"wagon\"\nshape = { box = [1, 0.5] }\nat = [2, 0]\nangle = \"90 deg\"\nmaterial = \"rubber\"\n";
    let rope = "[[soft]]\nname = \"rope\"\nmade_of = { rope = { count = 3, to = [2, 0.5] } }\nat = [0, 0.5]\nmaterial = \"rubber\"\nmass = 1\nsticks = true\n";
    let pins = "pins = [{ node = \"node[2]\", body = \"wagon\" }, { node = \"node[0]\", body = \"quay\", point = [0.25, 0] }]\n";
    let text = format!("{HEAD}{wagon}{rope}{pins}");
    let world = setup_text(&text, &[]).unwrap().world;
    let [by_place, by_point] = [world.softs[0].pins[0], world.softs[0].pins[1]];
    // Half a metre above a body that is turned by a quarter is along its own x.
    assert!((by_place.point - DVec3::new(0.5, 0.0, 0.0)).length() < 1e-15 && (by_place.node, by_place.body) == (2, 1));
    assert_eq!((by_point.point, by_point.node, by_point.body), (DVec3::new(0.25, 0.0, 0.0), 0, 0));
    for (from, to, part) in [
        ("body = \"wagon\"", "body = \"rope.node[1]\"", "pinned to a rigid body"),
        ("node[0]", "node[2]", "pinned twice"),
        ("node[0]", "node[7]", "no node is called"),
        ("node[0]", "node[0], node[1]", "2 nodes at one point"),
    ] {
        let error = setup_text(&text.replacen(from, to, 1), &[]).unwrap_err();
        assert!(error.message.contains(part), "{to}: {}", error.message);
    }
}
