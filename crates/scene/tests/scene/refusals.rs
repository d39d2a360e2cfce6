//! What a scene cannot say: the message, what helps, and the line it stands on.

use crate::{FRAME, setup_text};
use ironspin_scene::SceneError;

const TWO: &str = "[[body]]\nname = \"a\"\nshape = { disc = 0.1 }\nat = [0, 0]\nmaterial = \"iron\"\n\
    [[body]]\nname = \"b\"\nshape = { disc = 0.1 }\nat = [2, 0]\nmaterial = \"iron\"\n\
    [[body]]\nname = \"quay\"\nkind = \"static\"\nshape = { half_plane = [0, 1] }\nat = [0, -9]\nmaterial = \"iron\"\n";

/// What is said of some tables after a world of two discs and a quay; the tables begin on line 25.
fn refused(tables: &str) -> SceneError {
    match setup_text(&format!("{FRAME}{TWO}{tables}"), &[]) {
        Err(error) => error,
        Ok(_) => panic!("it was taken:\n{tables}"),
    }
}

/// Each of some tables is refused with a message, on the line of the tables that holds a mark.
fn each_is_refused(cases: &[(&str, &str, &str)]) {
    for (tables, part, mark) in cases {
        let error = refused(tables);
        assert!(error.message.contains(part), "{tables}: `{part}` not in `{}`", error.message);
        let due = FRAME.lines().count()
            + TWO.lines().count()
            + tables.lines().position(|line| line.contains(mark)).unwrap()
            + 1;
        let line = error.place.as_ref().unwrap_or_else(|| panic!("{tables}: no place")).line();
        assert_eq!(line, due, "{tables}: {}", error.message);
        assert!(!error.label.is_empty(), "{tables}");
    }
}

fn claim(lines: &str) -> String {
    format!("[[claim]]\ngauge = \"x\"\nof = \"a\"\n{lines}\nbecause = \"it must\"\n")
}

#[test]
fn claims_that_cannot_be_held_against_anything() {
    let cases = [
        (claim("at_most = 1\nat_least = 0"), "exactly one of", "gauge"),
        (claim("severity = \"must\""), "exactly one of", "gauge"),
        (claim("at_most = \"1 %\""), "a share of nothing here", "at_most"),
        (claim("equals = 0\nwithin = \"1 %\""), "a share of 0 is 0", "within"),
        (claim("at_most = { at_dt = 0, of = 1, order = 2 }"), "the step of a bound must be above zero", "at_most"),
        (claim("at_most = { at_dt = 1, of = 1, order = 0 }"), "the order of a bound lies above 0", "at_most"),
        (claim("at_most = 1\nat_time = 9"), "comes after the end of the trial", "at_time"),
        (claim("at_most = 1\nat_time = 1\nwindow = [0, 2]"), "either `at_time` or `window`", "at_time"),
        (claim("at_most = 1\nnth = 0"), "`nth` cannot be 0", "nth"),
        (claim("at_most = 1\nbecomes = \"x + 1\""), "is a number and no condition", "becomes"),
        (claim("at_most = 1\nname = \"a/b\""), "is no name for a claim", "name"),
        (claim("at_most = 1\nfor = { i = \"3..1\" }"), "cannot count from 3 to 1", "for"),
        (claim("at_most = 1\nfor = { g = 2 }"), "a loop counter cannot be called `g`", "for"),
        (claim("at_most = 1\nmeasure = \"c.x\""), "speaks of `c`, and no body is called so", "measure"),
        (claim("at_most = 1\nmeasure = \"b.mas\""), "a body has no `mas`", "measure"),
        (claim("at_most = 1\nmeasure = \"b.point([1]).x\""), "found 1 numbers where 2 are expected", "measure"),
        (claim("at_most = 1\nmeasure = \"b.point([x, 0]).x\""), "the point changes with the state", "measure"),
        (claim("at_most = 1\nmeasure = \"sum(sum(x))\""), "stands within another", "measure"),
        (claim("at_most = 1\nmeasure = \"b[*].x\""), "one body is asked for", "measure"),
        (claim("equals = 1\nwithin = -0.1"), "must not be negative", "gauge"),
        (claim("at_most = 1\nwindow = [2, 1]"), "must lie within the trial", "window"),
        (claim("at_most = 1\nwindow = [5, 6]"), "must lie within the trial", "window"),
        (claim("at_most = 1\nwindow = [-1, 1]"), "must lie within the trial", "window"),
        (claim("at_most = \"1 +\""), "it ends where", "at_most"),
        (claim("at_most = \"weight\""), "unknown name `weight`", "at_most"),
        (claim("at_most = 1").replace("it must", "  "), "must say why", "because"),
        (claim("at_most = 1").replace("of = \"a\"", "of = \"quay\""), "names only bodies that never move", "of ="),
        (claim("at_most = 1").replace("of = \"a\"", "of = \"a[\""), "has no closing bracket", "of ="),
        (claim("at_most = 1").replace("of = \"a\"", "of = \"a[0.5]\""), "gives 0.5, which is no index", "of ="),
        (claim("at_most = 1").replace("of = \"a\"", "of = \"crane\""), "no body is called `crane`", "of ="),
        (claim("at_most = 1\nagainst = \"crane\""), "no body is called `crane`", "against"),
        (claim("at_most = 1\nmeasure = \"x + wieght\""), "unknown name `wieght`", "measure"),
        (claim("at_most = 1\nmeasure = \"x > 1 +\""), "no expression", "measure"),
        (claim("at_most = 1\npath = [\"t\", \"x\"]"), "unknown name `x`", "path"),
    ];
    each_is_refused(&cases.each_ref().map(|(tables, part, mark)| (tables.as_str(), *part, *mark)));
}

#[test]
fn laws_that_are_none() {
    for (law, part) in [
        ("{ binomial = [0, 0.5] }", "whole number of tries"),
        ("{ binomial = [2.5, 0.5] }", "whole number of tries"),
        ("{ binomial = [3, 1.5] }", "a chance from 0 to 1"),
        ("{ normal = [0, 0] }", "a deviation above 0"),
        ("{ exponential = -1 }", "a mean above 0"),
        ("{ uniform = [2, 1] }", "a lower end below its upper end"),
        ("{ }", "exactly one of"),
        ("{ exponential = 1, uniform = [0, 1] }", "exactly one of"),
        ("{ poisson = 3 }", "unknown key `poisson`"),
    ] {
        let error = refused(&claim(&format!("at_most = 1\nlaw = {law}")));
        assert!(error.message.contains(part), "{law}: `{part}` not in `{}`", error.message);
    }
}

fn action(lines: &str) -> String {
    format!("[[action]]\n{lines}\n")
}

#[test]
fn actions_that_cannot_be_done() {
    let cases = [
        (action("on = \"a\"\nspin = 1"), "needs `at_time` or `when`", "on ="),
        (action("at_time = -1\non = \"a\"\nspin = 1"), "must not be negative", "at_time"),
        (action("at_time = 9\non = \"a\"\nspin = 1"), "after the end of the trial", "at_time"),
        (action("at_time = 1\nuntil = 2\non = \"a\"\nspin = 1"), "`until` goes with `every`", "until"),
        (action("at_time = 1\nevery = 0\non = \"a\"\nspin = 1"), "must be above zero", "every"),
        (action("at_time = 0\nevery = 1e-9\non = \"a\"\nspin = 1"), "more than 600000 actions", "every"),
        (action("at_time = 1\nfor_time = 1\non = \"a\"\nspin = 1"), "`for_time` goes with", "for_time"),
        (action("at_time = 1\non = \"a\"\nspin = 1\npoint = [0, 0]"), "`point` goes with", "point"),
        (action("at_time = 1\nspin = 1"), "does nothing", "at_time"),
        (action("at_time = 1\non = \"a\""), "does nothing", "on ="),
        (action("at_time = 1\non = \"quay\"\nimpulse = [1, 0]"), "nothing pushes `quay`", "on ="),
        (action("at_time = 1\non = \"quay\"\nvelocity = [1, 0]"), "is static and cannot have a velocity", "on ="),
        (action("at_time = 1\non = \"a\"\nadd = true"), "`a` is there already", "on ="),
        (action("at_time = 1\non = \"a\"\nsplit = \"b\""), "`b` is there already", "split"),
        (action("at_time = 1\non = \"a\"\nimpulse = [1]"), "found 1 number", "impulse"),
        (action("at_time = 1\nray = { from = [0, 0], to = [0, 0] }"), "ends where it begins", "ray"),
        (action("at_time = 1\nforecast = { horizon = 0 }"), "must be above zero", "forecast"),
        (action("at_time = 1\nwhen = \"y < 1\"\non = \"a\"\nspin = 1"), "either at a time or `when`", "at_time"),
        (action("when = \"y < 1\"\nspin = 1"), "a condition is about a body", "when"),
        (action("when = \"y < 1\"\non = \"a\""), "does nothing", "when"),
        (action("when = \"hight < 1\"\non = \"a\"\nspin = 1"), "unknown name `hight`", "when"),
        (action("when = \"y < 1\"\ngravity = [0, 0]\non = \"a\""), "come at a time", "when"),
    ];
    each_is_refused(&cases.each_ref().map(|(tables, part, mark)| (tables.as_str(), *part, *mark)));
}

fn joint(lines: &str) -> String {
    format!("[[joint]]\nbetween = [\"a\", \"b\"]\n{lines}\n")
}

#[test]
fn joints_that_hold_nothing() {
    let cases = [
        (joint("kind = \"spring\""), "a spring needs the key `stiffness`", "kind"),
        (joint("kind = \"slider\""), "a slider needs the key `axis`", "kind"),
        (joint("kind = \"slider\"\naxis = [0, 0]"), "cannot be zero", "axis"),
        (joint("kind = \"slider\"\naxis = [1, 0]\nown_axis = [1, 0]"), "either `axis` or `own_axis`", "own_axis"),
        (joint("kind = \"weld\"\nlength = 1"), "`length` means nothing for a weld", "length"),
        (joint("kind = \"rod\"\nlimits = [0, 1]"), "`limits` means nothing for a rod", "limits"),
        (joint("kind = \"hinge\"\nstiffness = 1"), "`stiffness` means nothing for a hinge", "stiffness"),
        (joint("kind = \"hinge\"\nlimits = [1, 0]"), "", "limits"),
        (joint("kind = \"rod\"\nlength = -1"), "must not be negative", "length"),
        (joint("kind = \"spring\"\nstiffness = -1"), "must not be negative", "stiffness"),
        (joint("kind = \"rod\"\nat = [0, 0]\nanchors = [[0, 0], [0, 0]]"), "either `at` or `anchors`", "anchors"),
        (joint("kind = \"rod\"").replace("\"b\"", "\"a\""), "cannot hold a body to itself", "between"),
        (joint("kind = \"rod\"").replace("\"b\"", "\"*\""), "names 3 bodies, and one is expected", "between"),
    ];
    each_is_refused(&cases.each_ref().map(|(tables, part, mark)| (tables.as_str(), *part, *mark)));
}

#[test]
fn twins_and_series_that_cannot_be_promised() {
    let twin = |lines: &str| format!("[[twin]]\n{lines}\n");
    let series = |lines: &str| format!("[[series]]\ngauge = \"x\"\nover = \"dt\"\n{lines}\n");
    let cases = [
        (twin("by = \"miror\""), "there is no twin by `miror`", "by ="),
        (twin("by = [\"again\", \"again\"]"), "promised twice", "by ="),
        (twin("by = \"mirror\"\nwithin = -1"), "must not be negative", "within"),
        (series(""), "exactly one of `falls_with_order`", "gauge"),
        (series("falls_with_order = 1\nonly = \"rises\""), "exactly one of", "gauge"),
        (series("only = \"up\""), "`only` is \"rises\" or \"falls\"", "only"),
        (series("only = \"rises\"").replace("\"dt\"", "\"speed\""), "there is no axis called `speed`", "over"),
    ];
    each_is_refused(&cases.each_ref().map(|(tables, part, mark)| (tables.as_str(), *part, *mark)));
    assert_eq!(refused(&twin("by = \"miror\"")).help.as_deref(), Some("did you mean `mirror`?"));
}

#[test]
fn bodies_that_cannot_be_built() {
    let body = |lines: &str| format!("[[body]]\nname = \"c\"\nat = [5, 5]\nmaterial = \"iron\"\n{lines}\n");
    let driven =
        |motion: &str| body(&format!("kind = \"kinematic\"\nshape = {{ disc = 0.1 }}\nmotion = {{ {motion} }}"));
    let cases = [
        (driven("line = { to = [5, 5], speed = 1 }"), "ends where the body stands", "motion"),
        (driven("line = { to = [6, 5], speed = 0 }"), "must be above zero", "motion"),
        (driven("circle = { about = [0, 0], period = 1 }"), "has no radius", "motion"),
        (driven("circle = { about = [1, 0], period = 0 }"), "a period cannot be zero", "motion"),
        (driven("swing = { period = 1 }"), "the swing goes nowhere", "motion"),
        (
            driven("swing = { reach = [1, 0], period = 1 }") + "velocity = [1, 0]\n",
            "either a `motion` or a `velocity`",
            "motion",
        ),
        (body("shape = { disc = 0.1 }\nmass = -1"), "a mass must be above zero", "mass"),
        (body("shape = { disc = 0.1 }\nonly_if = \"2 +\""), "no expression", "only_if"),
        (body("shape = { capsule = [1, 0] }"), "must be above zero", "capsule"),
        (body("shape = { polygon = [[0, 0], [1, 0]] }"), "", "polygon"),
    ];
    each_is_refused(&cases.each_ref().map(|(tables, part, mark)| (tables.as_str(), *part, *mark)));
}

#[test]
fn groups_that_name_nothing() {
    let cases = [
        ("[group]\nall = \"crane\"\n", "no body is called `crane`", "all"),
        ("[group]\na = \"b\"\n", "`a` is the name of a body already", "a ="),
        ("[[apart]]\nbetween = [\"a\", \"crane\"]\n", "no body is called `crane`", "between"),
        ("[[pair]]\nbetween = [\"iron\", \"irn\"]\nfriction = 1\n", "there is no material called `irn`", "between"),
        ("[[pair]]\nbetween = [\"iron\", \"iron\"]\nfriction = -1\n", "must not be negative", "friction"),
        ("[engine]\nneeds = [\"sensors\"]\n", "there is no feature called `sensors`", "needs"),
    ];
    each_is_refused(&cases);
    let twice = "[[pair]]\nbetween = [\"iron\", \"iron\"]\n[[pair]]\nbetween = [\"iron\", \"iron\"]\n";
    assert!(refused(twice).message.contains("have a pair already"));
}

#[test]
fn the_form_of_the_file_is_told_in_our_words() {
    let head = |from: &str, to: &str| {
        let text = format!("{FRAME}{TWO}");
        assert!(text.contains(from), "{from}");
        setup_text(&text.replacen(from, to, 1), &[]).expect_err(to)
    };
    for (from, to, message, help) in [
        ("scene = 1", "scene = 2", "this scene is of version 2", "a newer program reads it: upgrade"),
        ("scene = 1", "scene = 0", "this scene is of version 0", "write scene = 1"),
        (
            "about = \"x\"",
            "about = \"x\"\ntopics = [\"staking\"]",
            "there is no topic called `staking`",
            "did you mean `stacking`?",
        ),
        ("about = \"x\"", "about = \"x\"\nspace = 4", "", ""),
        ("about = \"x\"", "about = \"x\"\nuse = [\"iron.toml\"]", "only a scene in a file can use other files", ""),
        ("about = \"x\"\n", "", "the key `about` is missing", "add a line `about = ...`"),
        ("gravity = [0, -9.81]", "gravity = [0, -9.81, 0]", "found 3 numbers", ""),
        ("gravity = [0, -9.81]", "gravity = \"down\"", "", ""),
        ("duration = 4", "duration = \"forever\"", "unknown name `forever`", ""),
        ("duration = 4", "duraton = 4", "unknown key `duraton`", "did you mean `duration`?"),
        ("duration = 4", "duration = 4\nmixing = \"mean\"", "unknown word `mean`", ""),
        ("duration = 4", "duration = 4\nbounds = { min = [1, 1], max = [0, 2] }", "must lie above and right", ""),
        ("density = 8", "density = inf", "is not a finite number", "write an ordinary number"),
        ("density = 8", "density = \"8 kgs\"", "`kgs` is no unit (did you mean `kg`?)", ""),
        ("density = 8", "density = true", "", ""),
    ] {
        let error = head(from, to);
        assert!(error.message.contains(message), "{to}: `{message}` not in `{}`", error.message);
        assert!(error.help.as_deref().unwrap_or_default().contains(help), "{to}: {:?}", error.help);
    }
}
