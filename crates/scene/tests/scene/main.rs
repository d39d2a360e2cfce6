//! Scene files, read and resolved.

mod budgets;
mod forces;
mod language;
mod lists;
mod promises;
mod refusals;
mod roundtrip;
mod schema;
mod soft;
mod space;
mod uses;
mod warnings;

use ironspin_model::{BodyKind, Bound, DVec2, DVec3, Effect, PlaneShape};
use ironspin_scene::{Scene, SceneError, Settings, Setup, bundled};
use proptest::prelude::*;

const HEAD: &str = r#"scene = 1
name = "yard"
about = "A yard."
[set]
count = { value = 4, about = "how many", range = [1, 9] }
side  = { value = "1 / 2", about = "edge", unit = "m" }
twice = { value = "2 * side", about = "derived" }
[world]
gravity = [0, -9.81]
duration = "count"
[material.iron]
density = 8
friction = 0.5
restitution = 0.25
"#;

const BODIES: &str = r#"
[[body]]
name = "quay"
kind = "static"
shape = { half_plane = [0, 2] }
at = [0, 0]
material = "iron"
[[body]]
name = "wall"
repeat = { row = "count", column = "row + 1" }
shape = { box = ["side", "twice"] }
at = ["column", "row + side"]
angle = "90 deg"
material = "iron"
[[body]]
name = "ball"
repeat = { k = 2 }
shape = { disc = "side" }
at = ["10 + k", 3]
velocity = ["-2 ^ k", 0]
mass = "k + 1"
material = "iron"
"#;

/// The head of a scene without parameters.
pub(crate) const FRAME: &str = "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, -9.81]\nduration = 4\n\
    [material.iron]\ndensity = 8\nfriction = 0.5\nrestitution = 0.25\n";

/// What a text resolves to at dt 1/8.
pub(crate) fn setup_text(text: &str, set: &[(&str, &str)]) -> Result<Setup, SceneError> {
    setup_with(text, set)
}

/// What some tables come to in a world with gravity and one material, `iron`.
pub(crate) fn setup_of(tables: &str) -> Setup {
    setup_with(&format!("{FRAME}{tables}"), &[]).unwrap_or_else(|error| panic!("{error}: {:?}", error.help))
}

fn setup_with(text: &str, set: &[(&str, &str)]) -> Result<Setup, SceneError> {
    let set = set.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
    Scene::parse(text, "yard.toml")?.resolve(&Settings { set, ..Settings::with_dt(0.125) })
}

fn setup(more: &str) -> Setup {
    setup_with(&format!("{HEAD}{BODIES}{more}"), &[]).unwrap_or_else(|error| panic!("{error}: {:?}", error.help))
}

#[test]
fn loops_nest_and_name_their_bodies() {
    let setup = setup("");
    let names: Vec<&str> = setup.world.bodies.iter().map(|body| body.name.as_str()).collect();
    assert_eq!(names[..4], ["quay", "wall[0][0]", "wall[1][0]", "wall[1][1]"]);
    assert_eq!(names.len(), 1 + (1 + 2 + 3 + 4) + 2);
    let brick = &setup.world.bodies[3];
    assert_eq!(brick.pose.position, DVec3::new(1.0, 1.5, 0.0));
    assert_eq!(brick.parts[0].shape, PlaneShape::Box(DVec2::new(0.5, 1.0)).into());
    assert!((brick.pose.angle - std::f64::consts::FRAC_PI_2).abs() < 1e-15);
    assert_eq!((brick.mass, brick.inertia.zz()), (4.0, 4.0 * 1.25 / 12.0));
}

#[test]
fn a_given_mass_is_spread_as_the_density_would_have_been() {
    let setup = setup("");
    let ball = setup.world.bodies.last().unwrap();
    assert_eq!((ball.mass, ball.inertia.zz()), (2.0, 0.5 * 2.0 * 0.25));
    assert_eq!(ball.velocity, DVec3::new(-2.0, 0.0, 0.0));
    let quay = &setup.world.bodies[0];
    assert_eq!((quay.kind, quay.mass), (BodyKind::Static, 0.0));
    assert_eq!(quay.parts[0].shape, PlaneShape::HalfPlane(DVec2::Y).into(), "the normal is brought to length 1");
}

#[test]
fn parameters_are_set_from_outside_and_carry_on() {
    let text = format!("{HEAD}{BODIES}");
    let changed = setup_with(&text, &[("count", "2"), ("side", "0.25 * 8")]).unwrap();
    assert_eq!(changed.world.duration, 2.0);
    assert_eq!(changed.world.bodies.len(), 1 + 3 + 2);
    let values: Vec<f64> = changed.parameters.iter().map(|parameter| parameter.value).collect();
    assert_eq!(values, [2.0, 2.0, 4.0]);
    assert_eq!(
        setup_with(&text, &[("count", "3"), ("count", "5")]).unwrap().parameters[0].value,
        5.0,
        "the last one counts"
    );
    for (wrong, part) in [
        (("cuont", "2"), "no parameter `cuont`"),
        (("count", "10"), "outside its range"),
        (("count", "x"), "unknown name"),
    ] {
        let error = setup_with(&text, &[wrong]).unwrap_err();
        assert!(error.message.contains(part), "{}", error.message);
        assert!(error.place.is_none());
    }
}

fn claim(of: &str, bound: &str) -> String {
    format!("[[claim]]\ngauge = \"x\"\nof = \"{of}\"\n{bound}\nbecause = \"it must\"\n")
}

#[test]
fn selectors_name_bodies_in_every_way() {
    for (selector, expected) in [
        ("ball", vec![11, 12]),
        ("ball[*]", vec![11, 12]),
        ("ball[1]", vec![12]),
        ("ball[count-3]", vec![12]),
        ("wall[1..3][0]", vec![2, 4]),
        ("wall[3]", vec![7, 8, 9, 10]),
        ("wall[..1], ball[0]", vec![1, 11]),
        ("*", (1..13).collect()),
    ] {
        let setup = setup(&claim(selector, "at_most = 1"));
        assert_eq!(setup.claims[0].of, expected, "{selector}");
    }
}

#[test]
fn bounds_and_windows_are_worked_out() {
    let text = [
        claim("ball", "at_most = \"0.5 * g * dt\""),
        claim("ball", "at_least = \"pi\"\nwindow = [1, \"count / 2\"]\nseverity = \"should\""),
        claim("ball", "equals = -4\nwithin = \"5 %\""),
        claim("ball", "equals = 3"),
    ]
    .concat();
    let claims = setup(&text).claims;
    assert_eq!(claims[0].bound, Bound::AtMost(0.5 * 9.81 * 0.125));
    assert_eq!(claims[1].bound, Bound::AtLeast(std::f64::consts::PI));
    assert_eq!((claims[1].window.from, claims[1].window.to), (1.0, 2.0));
    let Bound::Equals { value, within } = claims[2].bound else { panic!("{:?}", claims[2].bound) };
    assert!(value == -4.0 && (within - 0.2).abs() < 1e-15);
    assert_eq!(claims[3].bound, Bound::Equals { value: 3.0, within: 0.0 });
}

#[test]
fn actions_know_the_mass_of_their_body_and_come_in_order_of_time() {
    let setup = setup(
        "[[action]]\nat_time = 2\non = \"ball\"\nimpulse = [\"0.5 * mass\", 0]\n[[action]]\nat_time = 1\non = \"ball[1]\"\nvelocity = [0, 3]\n",
    );
    let reported: Vec<(f64, usize, &Effect)> =
        setup.world.actions.iter().map(|a| (a.at_time, a.body, &a.effect)).collect();
    let impulse = |x: f64| Effect::Impulse { impulse: DVec3::new(x, 0.0, 0.0), point: None };
    assert_eq!(reported[0], (1.0, 12, &Effect::Velocity(DVec3::new(0.0, 3.0, 0.0))));
    assert_eq!(reported[1], (2.0, 11, &impulse(0.5)));
    assert_eq!(reported[2], (2.0, 12, &impulse(1.0)));
}

#[test]
fn mistakes_stand_on_their_line() {
    let base = format!("{HEAD}{BODIES}");
    let line_of = |text: &str, part: &str| {
        text.lines().count() - text.lines().rev().position(|line| line.contains(part)).unwrap()
    };
    for (from, to, part) in [
        ("disc = \"side\"", "disc = \"side - 1\"", "a radius must be above zero"),
        ("k = 2 }", "k = 2.5 }", "cannot run 2.5 times"),
        ("k = 2 }", "k = 1e9 }", "more than"),
        ("k = 2 }", "side = 2 }", "loop counter"),
        ("kind = \"static\"\nshape = { half_plane = [0, 2] }", "shape = { half_plane = [0, 2] }", "no finite mass"),
        ("half_plane = [0, 2]", "half_plane = [0, 0]", "cannot be zero"),
        ("box = [\"side\", \"twice\"]", "box = [\"side\"]", "a width and a height"),
        ("at = [0, 0]", "at = [0, 0, 0]", "found 3 numbers"),
        ("name = \"ball\"", "name = \"wall\"", "two [[body]] tables"),
        ("name = \"ball\"", "name = \"a ball\"", "no name for a body"),
        ("mass = \"k + 1\"", "mass = 0", "a mass must be above zero"),
        ("density = 8", "density = -8", "a density must be above zero"),
        ("friction = 0.5", "friction = -0.5", "must not be negative"),
        ("duration = \"count\"", "duration = 0", "the duration must be above zero"),
    ] {
        assert!(base.contains(from), "{from}");
        let text = base.replacen(from, to, 1);
        let error = setup_with(&text, &[]).unwrap_err();
        assert!(error.message.contains(part), "{to}: {}", error.message);
        let line = error.place.expect("a place").line();
        let mark = to.lines().last().unwrap();
        // The place is the line of the change, or the table it belongs to, which begins above.
        assert!(line <= line_of(&text, mark) && line + 3 >= line_of(&text, mark), "{to}: line {line}");
    }
}

#[test]
fn every_bundled_scene_resolves_and_gives_reasons() {
    for name in bundled::names() {
        let scene = Scene::open(name).unwrap();
        assert_eq!(scene.name(), name);
        assert!(!scene.topics().is_empty() && !scene.about().is_empty());
        let setup = scene.resolve(&Settings::with_dt(1.0 / 60.0)).unwrap();
        assert!(!setup.claims.is_empty());
        assert!(setup.claims.iter().all(|claim| claim.because.len() > 20), "{name}");
        // The header says what goes wrong in real engines.
        assert!(scene.text().starts_with('#') && scene.text().contains("What goes wrong"), "{name}");
    }
    assert!(Scene::open("no-such-scene").is_err() && Scene::open("no/such.toml").is_err());
}

proptest! {
    /// Whatever stands in the file: an answer, and no panic.
    #[test]
    fn random_text_is_answered(text in "\\PC{0,200}") {
        let _ = Scene::parse(&text, "x.toml");
    }

    /// A sound scene with a piece cut out or put in twice.
    #[test]
    fn broken_scenes_are_answered(from in 0..900_usize, length in 0..80_usize, twice in any::<bool>()) {
        let text = format!("{HEAD}{BODIES}{}", claim("ball", "at_most = 1"));
        let from = from.min(text.len());
        let to = (from + length).min(text.len());
        let broken = if twice { format!("{}{}", &text[..to], &text[from..]) } else { format!("{}{}", &text[..from], &text[to..]) };
        if let Ok(scene) = Scene::parse(&broken, "x.toml") {
            let _ = scene.resolve(&Settings::with_dt(0.01));
        }
    }
}

/// All pieces of the language: the examples of its page, one after the other.
fn examples() -> Vec<String> {
    let page = include_str!("../../../../docs/scenes.md");
    page.split("```toml\n")
        .skip(1)
        .filter_map(|rest| rest.split("```").next())
        .map(|text| format!("{FRAME}{text}"))
        .collect()
}

/// Resolves what can be resolved, within a limit of bodies, and prints it.
fn answer(text: &str) {
    if let Ok(scene) = Scene::parse(text, "x.toml") {
        let settings = Settings { body_limit: 2_000, ..Settings::with_dt(0.01) };
        if let Ok(setup) = scene.resolve(&settings) {
            let _ = scene.print_resolved(&setup);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(4000))]

    /// Examples with bytes changed, pieces moved and numbers made extreme: an answer every time, soon, and no panic.
    #[test]
    fn mutated_scenes_are_answered(
        pick in any::<prop::sample::Index>(),
        edits in prop::collection::vec((any::<prop::sample::Index>(), 0..60_usize, 0..12_usize), 1..5),
    ) {
        let all = examples();
        let mut bytes = all[pick.index(all.len())].clone().into_bytes();
        for (at, length, what) in edits {
            let from = at.index(bytes.len());
            let to = (from + length).min(bytes.len());
            let piece: Vec<u8> = bytes[from..to].to_vec();
            let put: &[u8] = match what {
                0 => b"",
                1 => b"-1e308",
                2 => b"\"1/0\"",
                3 => b"1e9",
                4 => b"nan",
                5 => b"[[body]]\n",
                6 => b"\"random(i)\"",
                7 => b"{}",
                8 => b"\xff\x00",
                9 => b"[*]",
                10 => "\"\u{e9}\u{4e16}\"".as_bytes(),
                _ => &[piece.as_slice(), piece.as_slice()].concat(),
            };
            let put = put.to_vec();
            bytes.splice(from..to, put);
        }
        answer(&String::from_utf8_lossy(&bytes));
    }

    #[test]
    fn random_tokens_are_answered(words in prop::collection::vec(prop::sample::select(vec![
        "[[body]]\n", "[world]\n", "[set]\n", "name", "at", "=", "[0, 1]", "\"x\"", "1", "{", "}", "shape", "disc", "\n", "place", "scatter", "count",
        "1e300", "\"2 ^ 999\"", "repeat", "[", "]", ",", "gravity", "duration", "[[action]]\n", "when", "\"y < x\"", "kind", "\"static\"",
    ]), 0..80)) {
        answer(&words.join(" "));
        answer(&format!("{FRAME}{}", words.join(" ")));
    }
}
