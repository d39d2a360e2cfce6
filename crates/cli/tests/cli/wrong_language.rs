//! What the language of scenes cannot say of forces, lists, loops, several bodies and moments, each with its message.

use crate::util::Yard;
use crate::wrong_scenes::{HEAD, message};

fn claim(lines: &str) -> String {
    message(&format!("[[claim]]\n{lines}\nat_most = 1\nbecause = \"it must\""))
}

fn measure(text: &str) -> String {
    claim(&format!("gauge = \"value.measure\"\nof = \"ball[0]\"\nmeasure = \"{text}\""))
}

fn force(lines: &str) -> String {
    message(&format!("[[force]]\n{lines}"))
}

/// What is said of a parameter.
fn parameter(line: &str) -> String {
    let yard = Yard::new();
    yard.write("yard.toml", &HEAD.replace("[set]\n", &format!("[set]\n{line}\n")));
    let answer = yard.expect(2, "scenes check yard.toml");
    answer.err
}

#[test]
fn expressions() {
    insta::assert_snapshot!("number-where-a-truth-is-wanted", measure("x and y > 1"));
    insta::assert_snapshot!("truth-where-a-number-is-wanted", measure("(x > 1) * 3"));
    insta::assert_snapshot!("unknown-unit", measure("sin(30 dge)"));
    insta::assert_snapshot!("open-division-by-degrees", measure("360 / count deg"));
    insta::assert_snapshot!("unit-in-a-denominator", measure("5 m / s"));
    insta::assert_snapshot!("unknown-body", measure("bal[1].x - x"));
    insta::assert_snapshot!("several-bodies-for-one", measure("ball.x"));
    insta::assert_snapshot!("unknown-field", measure("ball[1].speeed"));
    insta::assert_snapshot!("all-bodies-in-brackets", measure("ball[*].x"));
    insta::assert_snapshot!("point-of-one-number", measure("post.point([1]).y"));
    insta::assert_snapshot!("name-in-quotes-alone", measure("'post' + 1"));
}

#[test]
fn lists_and_loops() {
    insta::assert_snapshot!("list-and-value", parameter("masses = { value = 1, values = [1], about = \"of balls\" }"));
    insta::assert_snapshot!("list-without-about", parameter("masses = { values = [1, 2] }"));
    insta::assert_snapshot!("list-for-a-table", parameter("masses = [1, 2]"));
    insta::assert_snapshot!("empty-list", parameter("masses = { values = [], about = \"of balls\" }"));
    insta::assert_snapshot!(
        "item-that-is-not-there",
        parameter("a = { values = [1, 2], about = \"of balls\" }\nb = { value = \"a[2]\", about = \"third\" }")
    );
    insta::assert_snapshot!(
        "list-as-a-number",
        parameter("a = { values = [1, 2], about = \"of balls\" }\nb = { value = \"2 * a\", about = \"twice\" }")
    );
    let early = HEAD.replace("[set]\n", "[set]\nlow = { value = \"g / 2\", about = \"half\" }\n");
    let yard = Yard::new();
    yard.write("yard.toml", &early.replace("[0, -9.81]", "[0, \"-count\"]"));
    insta::assert_snapshot!("gravity-before-it-is-known", yard.expect(2, "scenes check yard.toml").err);
    insta::assert_snapshot!("loop-backwards", claim("gauge = \"value.x\"\nfor = { i = \"3..1\" }\nof = \"ball[i]\""));
    insta::assert_snapshot!("loop-beyond-the-bodies", claim("gauge = \"value.x\"\nfor = { i = 9 }\nof = \"ball[i]\""));
    let yard = Yard::new();
    yard.write("yard.toml", &HEAD.replace("[set]\n", "[set]\nmasses = { values = [1, 2], about = \"of balls\" }\n"));
    insta::assert_snapshot!("list-set-to-a-number", yard.expect(2, "run yard.toml --set masses=1,2,3").err);
    insta::assert_snapshot!("number-set-to-a-list", yard.expect(2, "run yard.toml --set count=[1,2]").err);
}

#[test]
fn claims() {
    let named = "gauge = \"escape.count\"\nat_most = 1\nbecause = \"it must\"\nname = \"same\"";
    insta::assert_snapshot!("two-claims-of-a-name", message(&format!("[[claim]]\n{named}\n[[claim]]\n{named}")));
    insta::assert_snapshot!("claim-name-with-a-comma", claim("gauge = \"value.x\"\nof = \"ball[0]\"\nname = \"a, b\""));
    insta::assert_snapshot!("time-after-the-end", claim("gauge = \"value.x\"\nof = \"ball[0]\"\nat_time = 3"));
    insta::assert_snapshot!("three-for-one", claim("gauge = \"value.x\"\nof = \"ball\""));
    insta::assert_snapshot!(
        "measure-that-goes-unused",
        claim("gauge = \"value.x\"\nof = \"ball[0]\"\nmeasure = \"y\"")
    );
    insta::assert_snapshot!("becomes-a-number", claim("gauge = \"time.when\"\nof = \"ball[0]\"\nbecomes = \"y\""));
    insta::assert_snapshot!("without-becomes", claim("gauge = \"time.when\"\nof = \"ball[0]\""));
    insta::assert_snapshot!("number-zero", claim("gauge = \"time.impact\"\nof = \"ball[0]\"\nnth = 0"));
    let falling = |order: &str| {
        format!(
            "[[claim]]\ngauge = \"escape.count\"\nat_most = {{ at_dt = \"1/240\", of = 1, {order} }}\nbecause = \"it must\""
        )
    };
    insta::assert_snapshot!("bound-without-an-order", message(&falling("oder = 2")));
    insta::assert_snapshot!("bound-of-order-zero", message(&falling("order = 0")));
    let within =
        "[[claim]]\ngauge = \"value.x\"\nof = \"ball[0]\"\nequals = 0\nwithin = \"1 %\"\nbecause = \"it must\"";
    insta::assert_snapshot!("share-of-nothing", message(within));
}

#[test]
fn forces() {
    insta::assert_snapshot!("force-of-nothing", force("on = \"ball[0]\""));
    insta::assert_snapshot!("force-of-one-number", force("on = \"ball[0]\"\nforce = [1]"));
    insta::assert_snapshot!("force-on-what-is-static", force("on = \"post\"\nforce = [1, 0]"));
    insta::assert_snapshot!(
        "force-with-itself-alone",
        force("on = \"ball[0]\"\nby = \"ball[0]\"\nforce = [\"dx\", \"dy\"]")
    );
    insta::assert_snapshot!("way-without-a-partner", force("on = \"ball[0]\"\nforce = [\"-dx\", 0]"));
    insta::assert_snapshot!("force-that-is-true", force("on = \"ball[0]\"\nforce = [\"x > 1\", 0]"));
    insta::assert_snapshot!("potential-of-drag", force("on = \"ball[0]\"\nforce = [\"-vx\", 0]\npotential = \"vx\""));
    insta::assert_snapshot!(
        "potential-in-a-window",
        force("on = \"ball[0]\"\nforce = [\"-x\", 0]\npotential = \"x ^ 2 / 2\"\nwindow = [0, 1]")
    );
    insta::assert_snapshot!(
        "forecast-beside-a-force",
        force("on = \"ball[0]\"\nforce = [1, 0]\n[[action]]\nat_time = 1\nforecast = { horizon = 1 }")
    );
    // Nothing is wrong with the engine: the scene itself cannot go on, and says where and when.
    let yard = Yard::new();
    yard.write(
        "yard.toml",
        &format!("{HEAD}[[force]]\non = \"ball[1]\"\nforce = [\"sqrt(0.5 - t)\", 0]\nwindow = [0.4, 1]\n"),
    );
    let out = yard.expect(5, "run yard.toml --dt 1/10 -q").out;
    insta::assert_snapshot!("force-without-a-value", out);
}

#[test]
fn what_once_meant_something_else_is_warned_of_with_its_line() {
    let yard = Yard::new();
    let tables = "[[body]]\nname = \"b\"\nat = [\"-count^2\", \"5 + count deg\"]\nangle = \"tilt\"\nmaterial = \"iron\"\nshape = { disc = 0.1 }\n";
    let head = HEAD.replace("[set]\n", "[set]\ntilt = { value = 30, unit = \"deg\", about = \"of the body\" }\n");
    yard.write("yard.toml", &format!("{head}{tables}"));
    let answer = yard.expect(0, "scenes check yard.toml");
    insta::assert_snapshot!(
        "once-meant-otherwise",
        format!("{}{}", answer.err, answer.out.replace(", some 15 MB, under 0.1 s", ""))
    );
    yard.expect(1, "scenes check yard.toml --strict");
    yard.write(
        "meant.toml",
        &format!("{head}{tables}").replacen(
            "[set]",
            "allow = [\"sign-of-power\", \"unit-of-sum\", \"degrees\"]\n[set]",
            1,
        ),
    );
    yard.expect(0, "scenes check meant.toml --strict");
}

#[test]
fn a_step_longer_than_the_trial_is_refused_and_an_engine_that_cannot_take_a_scene_is_named() {
    let yard = Yard::new();
    yard.write("yard.toml", &HEAD.replace("duration = 2", "duration = 0.5"));
    insta::assert_snapshot!("step-longer-than-the-trial", yard.expect(2, "run yard.toml --dt 3").err);
    let pulled = format!("{HEAD}[[force]]\non = \"ball[1]\"\nforce = [\"-x\", 0]\n");
    yard.write("pulled.toml", &pulled);
    let out = yard.expect(2, "scenes check pulled.toml --engine builtin --engine builtin:solver=event").out;
    assert!(out.contains("builtin:solver=event cannot take it") && !out.contains("builtin cannot take it"), "{out}");
}
