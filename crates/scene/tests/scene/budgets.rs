//! Short files that ask for very much are refused for what they ask, before it is made.

use ironspin_scene::{Scene, Settings, bundled};

const WORLD: &str = "scene = 1\nname = \"flood\"\nabout = \"a flood of ingots\"\n[world]\ngravity = [0, -9.81]\nduration = 1\n[material.iron]\ndensity = 7200\nfriction = 0.6\nrestitution = 0\n";
const INGOT: &str = "shape = { disc = 1 }\nat = [0, 0]\nmaterial = \"iron\"\n";
/// As many bodies as there may be here.
const MANY: &str = "[[body]]\nname = \"b\"\nshape = { disc = 1 }\nat = [0, 0]\nmaterial = \"iron\"\nplace = { line = { count = 10000, to = [1e6, 0] } }\n";

fn complaint(rest: &str) -> String {
    let text = format!("{WORLD}{rest}");
    let scene = Scene::parse(&text, "flood.toml").unwrap_or_else(|error| panic!("{error}: {rest:.200}"));
    let settings = Settings { body_limit: 10_000, ..Settings::with_dt(1.0 / 60.0) };
    match scene.resolve(&settings) {
        Err(error) => format!("{error} | {}", error.help.as_deref().unwrap_or_default()),
        Ok(setup) => panic!("{} bodies of {rest:.200}", setup.world.bodies.len()),
    }
}

#[test]
fn loops_patterns_and_lists_have_bounds_together() {
    let body = |keys: &str| format!("[[body]]\nname = \"a\"\n{keys}\n{INGOT}");
    let repeated = |what: &str, count: usize| what.repeat(count);
    let two = "[[body]]\nname = \"c\"\nshape = { disc = 1 }\nat = [9, 0]\nmaterial = \"iron\"\n";
    let parts = "{ shape = { disc = 1 } }, ".repeat(1_001);
    let long = "sin(i) * cos(i) + ".repeat(200);
    for (rest, words) in [
        (body("only_if = 0\nrepeat = { i = 10000, j = 10000 }"), "more than 100000 turns of loops"),
        (body("repeat = { i = 10000, j = 10000, k = 0 }"), "more than 100000 turns of loops"),
        (
            body(
                "only_if = 0\nrepeat = { i = 10000 }\nplace = { grid = { columns = 100, rows = 100, pitch = [1, 1] } }",
            ),
            "more than 100000 turns of loops",
        ),
        (
            body(
                "repeat = { j = 101 }\nonly_if = \"j < 1\"\nplace = { scatter = { count = 1001, in_box = [90, 90], spacing = 0 } }",
            ),
            "more than 100000 turns of loops",
        ),
        (
            format!(
                "[[body]]\nname = \"a\"\nmaterial = \"iron\"\nat = [\"{long} i\", 0]\nshape = {{ disc = 1 }}\nrepeat = {{ i = 10000 }}\n"
            ),
            "more than 2500000 operations",
        ),
        (
            format!("[[body]]\nname = \"a\"\nmaterial = \"iron\"\nat = [0, 0]\nparts = [{parts}]\n"),
            "1000 parts at most",
        ),
        (
            format!(
                "[[body]]\nname = \"a\"\nmaterial = \"iron\"\nat = [0, 0]\nrepeat = {{ i = 21 }}\nparts = [{}]\n",
                "{ shape = { disc = 1 } }, ".repeat(999)
            ),
            "more than 20000 parts of bodies",
        ),
        (
            format!(
                "{}{two}[[joint]]\nkind = \"rod\"\nbetween = [\"a\", \"c\"]\nrepeat = {{ i = 10000, j = 10000 }}\n",
                body("")
            ),
            "more than 20000 joints",
        ),
        (format!("{MANY}[[apart]]\nbetween = [\"b[*]\", \"b[*]\"]\n"), "more than 50000 pairs that are kept apart"),
        (
            format!("{MANY}{}", repeated("[[action]]\nat_time = 0\non = \"b[*]\"\nimpulse = [0, 1]\n", 6)),
            "more than 30000 actions",
        ),
        (
            format!("{MANY}{}", repeated("[[action]]\nwhen = \"y < 1\"\non = \"b[*]\"\nimpulse = [0, 1]\n", 2)),
            "more than 30000 actions",
        ),
        (
            format!("{}[[action]]\nat_time = 0\nevery = 1e-9\nray = {{ from = [0, 0], to = [1, 0] }}\n", body("")),
            "more than 30000 actions",
        ),
        (
            format!(
                "{MANY}{}",
                repeated("[[claim]]\ngauge = \"settle.time\"\nof = \"b[*]\"\nat_most = 1\nbecause = \"x\"\n", 26)
            ),
            "more than 250000 bodies named",
        ),
        (
            format!(
                "{MANY}{}",
                repeated(
                    "[[claim]]\ngauge = \"settle.time\"\nof = \"b[0..1], b[1..2]\"\nat_most = 1\nbecause = \"x\"\n",
                    101
                )
            ),
            "more than 1000000 names of bodies",
        ),
        (
            format!(
                "{}[group]\ng0 = \"a\"\n{}",
                body(""),
                (0..20).map(|i| format!("g{} = \"g{i}, g{i}\"\n", i + 1)).collect::<String>()
            ),
            "the group stands for too long a list",
        ),
        (
            format!(
                "{}[[claim]]\ngauge = \"settle.time\"\nof = \"{}\"\nat_most = 1\nbecause = \"x\"\n",
                body(""),
                "*a".repeat(600_000)
            ),
            "1000000 letters at most",
        ),
        (
            format!(
                "{}{}",
                body(""),
                (0..1_001)
                    .map(|i| format!("[material.m{i}]\ndensity = 1\nfriction = 1\nrestitution = 0\n"))
                    .collect::<String>()
            ),
            "1000 materials at most",
        ),
    ] {
        let found = complaint(&rest);
        assert!(found.contains(words), "{found}\n{rest:.300}");
    }
}

#[test]
fn one_option_raises_the_bounds() {
    let text = format!("{WORLD}[[body]]\nname = \"a\"\nonly_if = \"i < 1\"\nrepeat = {{ i = 150, j = 1000 }}\n{INGOT}");
    let scene = Scene::parse(&text, "flood.toml").unwrap();
    let settings = |body_limit: usize| Settings { body_limit, ..Settings::with_dt(0.1) };
    let error = scene.resolve(&settings(10_000)).unwrap_err();
    assert!(error.help.as_deref().is_some_and(|help| help.contains("--max-bodies raises the limit")), "{error}");
    assert_eq!(scene.resolve(&settings(20_000)).unwrap().world.bodies.len(), 1_000);
}

#[test]
fn very_many_unused_parameters_are_told_together() {
    let set: String = (0..30_000).map(|i| format!("p{i} = {{ value = {i}, about = \"x\" }}\n")).collect();
    let text = format!("{}[set]\n{set}[[body]]\nname = \"a\"\n{INGOT}", WORLD);
    let setup = Scene::parse(&text, "flood.toml").unwrap().resolve(&Settings::with_dt(0.1)).unwrap();
    assert_eq!((setup.parameters.len(), setup.warnings.len()), (30_000, 20));
    assert!(
        setup.warnings[19].what.message.ends_with("and 29980 more after it"),
        "{}",
        setup.warnings[19].what.message
    );
}

#[test]
fn no_bundled_scene_comes_near_a_tenth_of_the_bounds() {
    for name in bundled::names() {
        let settings = Settings { body_limit: 20_000, ..Settings::with_dt(1.0 / 240.0) };
        let outcome = Scene::open(name).and_then(|scene| scene.resolve(&settings));
        assert!(outcome.is_ok(), "{name}: {}", outcome.err().map(|error| error.to_string()).unwrap_or_default());
    }
}

/// Claims of loops, forces between pairs, and sums over long lists.
#[test]
fn what_the_language_repeats_has_bounds_too() {
    let one = "[[body]]\nname = \"a\"\nshape = { disc = 1 }\nat = [0, 0]\nmaterial = \"iron\"\n";
    let claim = |keys: &str| format!("{one}[[claim]]\n{keys}\nof = \"a\"\nat_most = 1\nbecause = \"it must\"\n");
    let long = "x * i + ".repeat(200);
    let list = format!("[set]\nbig = {{ values = [{}], about = \"many\" }}\n", "1, ".repeat(9_999));
    let sums = "sum(big) * i + ".repeat(40);
    for (rest, words) in [
        (claim("gauge = \"value.x\"\nfor = { i = 200, j = 200 }"), "more than 10000 claims"),
        (
            claim(&format!("gauge = \"value.measure\"\nfor = {{ i = 10000 }}\nmeasure = \"{long}1\"")),
            "operations of its expressions",
        ),
        (
            format!(
                "{list}{}",
                claim(&format!("gauge = \"value.measure\"\nfor = {{ i = 99 }}\nmeasure = \"{sums}x\""))
            ),
            "operations of its expressions",
        ),
        (
            format!("{MANY}[[force]]\non = \"b\"\nby = \"b\"\nforce = [\"dx\", 0]\n"),
            "bodies and pairs of them with forces",
        ),
        (
            format!("[set]\nbig = {{ values = [{}], about = \"many\" }}\n{one}", "1, ".repeat(10_001)),
            "10001 items, of 10000 at most",
        ),
        (claim("gauge = \"value.x\"\nfor = { i = \"0..1e9\" }"), "more than 10000 bodies"),
    ] {
        let found = complaint(&rest);
        assert!(found.contains(words), "{words}: {found:.300}");
    }
}
