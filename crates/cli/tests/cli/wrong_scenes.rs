//! Wrong scenes, each with its message: place, what was found, what was expected, the nearest known name.

use crate::util::Yard;

pub(crate) const HEAD: &str = r#"scene = 1
name  = "yard"
about = "A yard."
[set]
count = { value = 3, about = "how many", range = [1, 9] }
[world]
gravity  = [0, -9.81]
duration = 2
[material.iron]
density     = 7200
friction    = 0.6
restitution = 0.2
[[body]]
name     = "ball"
repeat   = { i = "count" }
shape    = { disc = 0.1 }
at       = ["i", 1]
material = "iron"
[[body]]
name     = "post"
kind     = "static"
shape    = { box = [0.2, 2] }
at       = [-1, 1]
material = "iron"
"#;

/// What `scenes check` says of a head with some tables behind it.
fn of(head: &str, tables: &str) -> String {
    let yard = Yard::new();
    yard.write("yard.toml", &format!("{head}{tables}\n"));
    let answer = yard.expect(2, "scenes check yard.toml");
    assert!(answer.out.is_empty() && !answer.err.contains("panicked"), "{}{}", answer.out, answer.err);
    answer.err
}

pub(crate) fn message(tables: &str) -> String {
    of(HEAD, tables)
}

fn body(lines: &str) -> String {
    message(&format!("[[body]]\nname = \"b\"\nat = [0, 3]\nmaterial = \"iron\"\n{lines}"))
}

fn joint(lines: &str) -> String {
    message(&format!("[[joint]]\n{lines}"))
}

fn action(lines: &str) -> String {
    message(&format!("[[action]]\n{lines}"))
}

#[test]
fn bodies() {
    insta::assert_snapshot!("no-shape", body(""));
    insta::assert_snapshot!("shape-and-parts", body("shape = { disc = 1 }\nparts = [{ shape = { disc = 1 } }]"));
    insta::assert_snapshot!("not-convex", body("shape = { polygon = [[0, 0], [2, 0], [1, 0.2], [2, 2], [0, 2]] }"));
    insta::assert_snapshot!("doubled-corner", body("shape = { polygon = [[0, 0], [1, 0], [1, 0], [0, 1]] }"));
    insta::assert_snapshot!("needless-corner", body("shape = { polygon = [[0, 0], [1, 0], [2, 0], [0, 1]] }"));
    insta::assert_snapshot!("no-area", body("shape = { polygon = [[0, 0], [1, 1], [2, 2]] }"));
    insta::assert_snapshot!("falling-polyline", body("shape = { polyline = [[0, 0], [1, 0]] }"));
    insta::assert_snapshot!("capsule-of-one-number", body("shape = { capsule = [1] }"));
    insta::assert_snapshot!("two-places", message("[[body]]\nname = \"b\"\nshape = { disc = 1 }\nmaterial = \"iron\""));
    insta::assert_snapshot!("unknown-template", body("template = \"bal\"\n[template.ball]\nshape = { disc = 1 }"));
    insta::assert_snapshot!("unknown-layer", body("shape = { disc = 1 }\nlayers = [\"gate\"]\nmeets = [\"gat\"]"));
    insta::assert_snapshot!("moving-static", body("shape = { disc = 1 }\nkind = \"static\"\nvelocity = [1, 0]"));
    insta::assert_snapshot!("unknown-kind", body("shape = { disc = 1 }\nkind = \"dynamik\""));
    insta::assert_snapshot!(
        "motion-of-a-dynamic",
        body("shape = { disc = 1 }\nmotion = { line = { to = [1, 1], speed = 1 } }")
    );
    insta::assert_snapshot!("unknown-pattern", body("shape = { disc = 1 }\nplace = { grids = { columns = 1 } }"));
    insta::assert_snapshot!(
        "scatter-too-tight",
        body("shape = { disc = 1 }\nplace = { scatter = { count = 50, in_box = [3, 3] } }")
    );
    insta::assert_snapshot!(
        "a-billion-bodies",
        body("shape = { disc = 1 }\nplace = { grid = { columns = 1e5, rows = 1e4, pitch = [1, 1] } }")
    );
    insta::assert_snapshot!("a-billion-turns", body("shape = { disc = 1 }\nrepeat = { j = 1e5, k = 1e4 }"));
    insta::assert_snapshot!(
        "misspelt-pattern",
        body("shape = { disc = 1 }\nplace = { line = { cuont = 3, to = [1, 1] } }")
    );
    insta::assert_snapshot!("weightless", body("shape = { disc = 1 }\nsensor = true"));
    insta::assert_snapshot!("counter-taken", body("shape = { disc = 1 }\nrepeat = { count = 2 }"));
}

#[test]
fn joints() {
    insta::assert_snapshot!("unknown-joint", joint("kind = \"hing\"\nbetween = [\"ball[0]\", \"post\"]"));
    insta::assert_snapshot!("spring-without-stiffness", joint("kind = \"spring\"\nbetween = [\"ball[0]\", \"post\"]"));
    insta::assert_snapshot!(
        "rod-with-limits",
        joint("kind = \"rod\"\nbetween = [\"ball[0]\", \"post\"]\nlimits = [0, 1]")
    );
    insta::assert_snapshot!("joint-of-many", joint("kind = \"rod\"\nbetween = [\"ball\", \"post\"]"));
    insta::assert_snapshot!("joint-with-itself", joint("kind = \"rod\"\nbetween = [\"post\", \"post\"]"));
    insta::assert_snapshot!(
        "index-too-large",
        joint("kind = \"rod\"\nrepeat = { i = \"count\" }\nbetween = [\"ball[i]\", \"ball[i+1]\"]")
    );
    insta::assert_snapshot!(
        "limits-upside-down",
        joint("kind = \"hinge\"\nbetween = [\"ball[0]\", \"post\"]\nat = [0, 1]\nlimits = [1, -1]")
    );
}

#[test]
fn actions_and_the_rest() {
    insta::assert_snapshot!("action-without-time", action("on = \"ball\"\nspin = 1"));
    insta::assert_snapshot!("action-on-nobody", action("at_time = 1\nimpulse = [1, 0]"));
    insta::assert_snapshot!("action-of-nothing", action("at_time = 1\non = \"ball\""));
    insta::assert_snapshot!("action-too-late", action("at_time = 3\non = \"ball\"\nspin = 1"));
    insta::assert_snapshot!("pushed-post", action("at_time = 1\non = \"post\"\nimpulse = [1, 0]"));
    insta::assert_snapshot!("wrong-condition", action("when = \"hight < 1\"\non = \"ball\"\nspin = 1"));
    insta::assert_snapshot!("added-twice", action("at_time = 1\non = \"ball\"\nadd = true"));
    insta::assert_snapshot!("force-that-lasts", action("at_time = 1\non = \"ball\"\nspin = 1\nfor_time = 1"));
    insta::assert_snapshot!("unknown-twin", message("[[twin]]\nby = \"mirrow\""));
    insta::assert_snapshot!(
        "unknown-axis",
        message("[[series]]\nover = \"cont\"\ngauge = \"creep.rate\"\nfalls_with_order = 1")
    );
    insta::assert_snapshot!("unknown-feature", message("[engine]\nneeds = [\"sensors\"]"));
    insta::assert_snapshot!("group-like-a-body", message("[group]\nball = \"post\""));
    insta::assert_snapshot!("pair-of-strangers", message("[[pair]]\nbetween = [\"iron\", \"tin\"]"));
    insta::assert_snapshot!(
        "deep-expression",
        body(&format!("shape = {{ disc = \"{}1{}\" }}", "(".repeat(99), ")".repeat(99)))
    );
}

const SPACE_HEAD: &str = r#"scene = 1
name  = "yard"
about = "A yard."
space = 3
[world]
gravity  = [0, -9.81, 0]
duration = 2
[material.iron]
density     = 7200
friction    = 0.6
restitution = 0.2
[[body]]
name     = "ball"
shape    = { sphere = 0.1 }
at       = [0, 1, 0]
material = "iron"
"#;

fn space(tables: &str) -> String {
    of(SPACE_HEAD, tables)
}

fn solid(lines: &str) -> String {
    space(&format!("[[body]]\nname = \"b\"\nat = [0, 3, 0]\nmaterial = \"iron\"\n{lines}"))
}

#[test]
fn space_has_mistakes_of_its_own() {
    insta::assert_snapshot!(
        "two-numbers-in-space",
        space("[[body]]\nname = \"b\"\nat = [0, 3]\nmaterial = \"iron\"\nshape = { sphere = 1 }")
    );
    insta::assert_snapshot!("angle-in-space", solid("shape = { sphere = 1 }\nangle = \"30 deg\""));
    insta::assert_snapshot!("disc-in-space", solid("shape = { disc = 1 }"));
    insta::assert_snapshot!("half-plane-in-space", solid("kind = \"static\"\nshape = { half_plane = [0, 1] }"));
    insta::assert_snapshot!("box-of-two-edges", solid("shape = { box = [1, 2] }"));
    insta::assert_snapshot!(
        "turn-about-no-axis",
        solid("shape = { sphere = 1 }\nturn = { axis = [0, 0, 0], angle = 1 }")
    );
    insta::assert_snapshot!(
        "quaternion-of-length-two",
        solid("shape = { sphere = 1 }\nturn = { quaternion = [2, 0, 0, 0] }")
    );
    insta::assert_snapshot!("quaternion-of-three", solid("shape = { sphere = 1 }\nturn = { quaternion = [1, 0, 0] }"));
    insta::assert_snapshot!("misspelt-turn", solid("shape = { sphere = 1 }\nturn = { axs = [0, 1, 0], angle = 1 }"));
    insta::assert_snapshot!("one-number-for-a-spin", solid("shape = { sphere = 1 }\nspin = 2"));
    insta::assert_snapshot!("inertia-of-no-body", solid("shape = { sphere = 1 }\ninertia = [1, 1, 3, 0, 0, 0]"));
    insta::assert_snapshot!("half-space-that-falls", solid("shape = { half_space = [0, 1, 0] }"));
    insta::assert_snapshot!(
        "ring-in-space",
        solid("shape = { sphere = 1 }\nplace = { ring = { count = 3, radius = 1, rings = 2 } }")
    );
    insta::assert_snapshot!("joint-in-space", space("[[joint]]\nkind = \"rod\"\nbetween = [\"ball\", \"ball\"]"));
    insta::assert_snapshot!(
        "angle-of-a-body-of-space",
        space(
            "[[claim]]\ngauge = \"value.measure\"\nof = \"ball\"\nmeasure = \"angle\"\nequals = 1\nwithin = 0.1\nbecause = \"it turns\""
        )
    );
}

#[test]
fn a_gauge_that_is_not_made_for_space_is_not_supported_there() {
    let yard = Yard::new();
    let claim = "[[claim]]\ngauge = \"value.spin\"\nof = \"ball\"\nequals = 0\nwithin = 0.1\nbecause = \"it falls\"\n";
    yard.write("yard.toml", &format!("{SPACE_HEAD}{claim}"));
    let out = yard.expect(5, "run yard.toml --dt 1/60 -q").out;
    assert!(out.contains("1 unsupported") && out.contains("not made for worlds of the space"), "{out}");
}

#[test]
fn the_plane_refuses_what_is_of_space() {
    insta::assert_snapshot!("sphere-in-the-plane", body("shape = { sphere = 1 }"));
    insta::assert_snapshot!("turn-in-the-plane", body("shape = { disc = 1 }\nturn = { axis = [0, 0, 1], angle = 1 }"));
    insta::assert_snapshot!(
        "three-numbers-in-the-plane",
        message("[[body]]\nname = \"b\"\nat = [0, 3, 0]\nmaterial = \"iron\"\nshape = { disc = 1 }")
    );
}

fn soft(made_of: &str, lines: &str) -> String {
    let stiff = if lines.contains("stiffness") { "" } else { "stiffness = 50\n" };
    let mass = if lines.contains("mass") { "" } else { "mass = 1\n" };
    message(&format!(
        "[[soft]]\nname = \"net\"\nmade_of = {{ {made_of} }}\nat = [0, 3]\nmaterial = \"iron\"\n{mass}{stiff}{lines}"
    ))
}

#[test]
fn soft_bodies() {
    let square = "nodes = { at = [[0, 0], [1, 0], [1, 1], [0, 1]] }";
    let rope = "rope = { count = 4, to = [3, 3] }";
    insta::assert_snapshot!("open-skin", soft(square, "skin = [[0, 1], [1, 2], [2, 3]]\npressure = { amount = 1 }"));
    insta::assert_snapshot!(
        "skin-inside-out",
        soft(square, "skin = [[1, 0], [2, 1], [3, 2], [0, 3]]\npressure = { amount = 1 }")
    );
    insta::assert_snapshot!(
        "uneven-skin",
        soft(square, "skin = [[0, 1], [1, 2], [3, 2], [3, 0]]\npressure = { amount = 1 }")
    );
    insta::assert_snapshot!("no-skin", soft(rope, "pressure = { amount = 1 }"));
    insta::assert_snapshot!("unknown-node", soft(square, "springs = [[0, 4]]"));
    insta::assert_snapshot!("repeated-node", soft(square, "springs = [[2, 2]]"));
    insta::assert_snapshot!("node-in-the-same-place", soft("nodes = { at = [[0, 0], [1, 0], [0, 0]] }", ""));
    insta::assert_snapshot!("cell-inside-out", soft(square, "cells = [[0, 2, 1]]"));
    insta::assert_snapshot!(
        "massless",
        message(
            "[[soft]]\nname = \"net\"\nmade_of = { ring = { count = 8, radius = 1 } }\nat = [0, 3]\nmaterial = \"iron\"\nstiffness = 5"
        )
    );
    insta::assert_snapshot!("masses-missing", soft(square, "masses = [1, 1]"));
    insta::assert_snapshot!(
        "no-stiffness",
        message(
            "[[soft]]\nname = \"net\"\nmade_of = { ring = { count = 8, radius = 1 } }\nat = [0, 3]\nmaterial = \"iron\"\nmass = 5"
        )
    );
    insta::assert_snapshot!("held-nobody", soft(rope, "held = \"node[0], node[4]\""));
    insta::assert_snapshot!("too-few-nodes", soft("ring = { count = 2, radius = 1 }", ""));
    insta::assert_snapshot!("unknown-form", soft("ropes = { count = 4, to = [3, 3] }", ""));
    insta::assert_snapshot!("skin-of-words", soft(rope, "skin = \"rim\""));
    insta::assert_snapshot!(
        "soft-name-taken",
        message(
            "[[soft]]\nname = \"ball\"\nmade_of = { ring = { count = 8, radius = 1 } }\nat = [0, 3]\nmaterial = \"iron\"\nmass = 5\nstiffness = 1"
        )
    );
    let acted = |lines: &str| soft(rope, &format!("[[action]]\nat_time = 1\n{lines}"));
    insta::assert_snapshot!("spun-node", acted("on = \"net.node[1]\"\nspin = 1"));
    insta::assert_snapshot!("placed-whole", acted("on = \"net\"\nplace = { at = [0, 0] }"));
    insta::assert_snapshot!("held-ball", acted("on = \"ball[0]\"\nhold = true"));
    insta::assert_snapshot!("node-beyond", acted("on = \"net.node[7]\"\nimpulse = [1, 0]"));
    insta::assert_snapshot!(
        "jointed-node",
        soft(rope, "[[joint]]\nkind = \"rod\"\nbetween = [\"net.node[1]\", \"post\"]")
    );
    insta::assert_snapshot!(
        "grid-in-space",
        of(
            &HEAD
                .replace("[set]", "space = 3\n[set]")
                .replace("-9.81]", "-9.81, 0]")
                .replace("1]\n", "1, 0]\n")
                .replace("{ disc = 0.1 }", "{ sphere = 0.1 }")
                .replace("[0.2, 2]", "[0.2, 2, 1]"),
            "[[soft]]\nname = \"net\"\nmade_of = { grid = { columns = 3, rows = 3, pitch = [1, 1, 1] } }\nat = [0, 3, 0]\nmaterial = \"iron\"\nmass = 5\nstiffness = 1"
        )
    );
}
