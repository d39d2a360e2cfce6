//! What expressions give, and how their mistakes are named.

use super::*;

fn eval(text: &str) -> Result<f64, String> {
    let mut names = Names::constants();
    names.add_list("list", &[3.0, 4.0, 5.0]);
    let names = names.with("side", 0.5).with("i", 3.0).with("h", 2.0);
    Evaluator::new(1)
        .evaluate(text, &names)
        .map_err(|f| format!("{} | {} | {}", f.message, f.label, f.help.unwrap_or_default()))
}

#[test]
fn arithmetic_is_in_floats_with_usual_precedence() {
    for (text, expected) in [
        ("1 / 2", 0.5),
        ("2 ^ 10", 1024.0),
        ("-2 ^ 2", -4.0),
        ("side * (i + 0.5)", 1.75),
        ("7 % 4", 3.0),
        ("2 + 3 * 4", 14.0),
        ("sqrt(16)", 4.0),
        ("max(1, 2)", 2.0),
        ("30 deg", 30_f64.to_radians()),
        ("i > 2", 1.0),
        ("if i > 2 { 5 } else { 6 }", 5.0),
        ("1e-3", 0.001),
        ("clamp(7, 0, 5) + sign(-3) + fract(1.25)", 4.25),
        ("1e2 * side", 50.0),
    ] {
        assert_eq!(eval(text), Ok(expected), "{text}");
    }
}

#[test]
fn a_value_is_kept_only_as_long_as_no_name_in_it_changes() {
    let evaluator = Evaluator::new(1);
    let mut names = Names::constants();
    names.add("side", 0.5);
    let mut names = names.with("i", 0.0);
    for i in 0..3 {
        names.set("i", f64::from(i));
        assert_eq!(evaluator.evaluate("side * i", &names).unwrap(), 0.5 * f64::from(i));
        assert_eq!(evaluator.evaluate("side + side", &names).unwrap(), 1.0);
    }
    assert!(evaluator.has_used("side") && evaluator.has_used("i") && !evaluator.has_used("pi"));
    assert_eq!(parse::parse("sin (a) + 1e5*b - c").map(|parsed| parsed.names).unwrap(), ["a", "b", "c"]);
}

#[test]
fn random_numbers_are_decided_by_seed_and_number_for_ever() {
    let of = |seed, k: f64| Evaluator::new(seed).evaluate("random(k)", &Names::constants().with("k", k)).unwrap();
    assert_eq!(of(1, 0.0), of(1, 0.0));
    assert!(of(1, 0.0) != of(1, 1.0) && of(1, 0.0) != of(2, 0.0));
    assert_eq!(of(1, 0.0), 0.883_310_808_213_642_6);
    let mean = (0..1000).map(|k| of(7, f64::from(k))).sum::<f64>() / 1000.0;
    assert!((mean - 0.5).abs() < 0.03, "{mean}");
}

#[test]
fn operators_bind_as_documented() {
    for (text, expected) in [
        ("2 ^ 3 ^ 2", 512.0),
        ("2 ^ -1", 0.5),
        ("2 ** 3", 8.0),
        ("-side ^ 2", -0.25),
        ("6 - 3 - 2", 1.0),
        ("24 / 4 / 2 * 3", 9.0),
        ("7 - -2", 9.0),
        ("2 * 3 > 5 && !(1 > 2)", 1.0),
        ("1 > 2 || 3 != 3", 0.0),
        ("(1 > 2) == (2 > 3)", 1.0),
        ("if i < 2 { 1 } else if i < 4 { 2 } else { 3 }", 2.0),
        ("1 + if i < 2 { 1 } else { 10 } * 2", 21.0),
        ("true", 1.0),
        ("1_000 + 0x10 + 0b11", 1019.0),
        ("1.5e+2 + 2E-1", 150.2),
        ("1 / exp(1000)", 0.0),
        ("false && 1 / 0 > 1", 0.0),
        ("if i > 2 { 1 } else { missing }", 1.0),
    ] {
        assert_eq!(eval(text), Ok(expected), "{text}");
    }
}

proptest::proptest! {
    /// Trees give what the same arithmetic written in Rust gives, bit for bit.
    #[test]
    fn trees_are_worked_out_as_written(a in -5.0..5.0_f64, b in -5.0..5.0_f64) {
        let names = Names::constants().with("a", a).with("b", b);
        for (text, expected) in [
            ("a + b * 2 - 3 / (a * a + 1)", a + b * 2.0 - 3.0 / (a * a + 1.0)),
            ("-a ^ 2 + b ^ 3", -libm::pow(a, 2.0) + libm::pow(b, 3.0)),
            ("sin(a) * max(a, b) % 1.5", libm::fmod(libm::sin(a) * a.max(b), 1.5)),
            ("atan2(a, b) - hypot(a, -b)", libm::atan2(a, b) - libm::hypot(a, -b)),
            ("(a - b) / (b - a + 0.1)", (a - b) / (b - a + 0.1)),
            ("2 ^ -1 * a - -b", libm::pow(2.0, -1.0) * a - -b),
            ("floor(a) % 3 + exp(b)", libm::fmod(libm::floor(a), 3.0) + libm::exp(b)),
            ("if a < b { a } else { b }", a.min(b)),
        ] {
            let ours = Evaluator::new(3).evaluate(text, &names).unwrap();
            proptest::prop_assert_eq!(ours.to_bits(), expected.to_bits(), "{}", text);
        }
    }

    /// Whatever stands there, it is a number or a mistake, within the stack and without a panic.
    #[test]
    fn any_text_is_a_number_or_a_mistake(text in "[-+*/%^!(){}<>=&|a-e0-9._, ifls\"é]{0,60}") {
        let _ = eval(&text);
    }
}

#[test]
fn units_lists_and_words_are_read_everywhere() {
    for (text, expected) in [
        ("5 mm", 0.005),
        ("5mm + 2 cm", 0.025),
        ("2 ms * 3", 0.006),
        ("5 m / 2 ms", 2500.0),
        ("sin(30 deg)", 30_f64.to_radians().sin()),
        ("i * 10 deg", 30_f64.to_radians()),
        ("(i + 2) deg", 5_f64.to_radians()),
        ("1 + 30 deg", 1.0 + 30_f64.to_radians()),
        ("-i deg", -(3_f64.to_radians())),
        ("60 rpm", std::f64::consts::TAU),
        ("2 kN * 3 mm", 6.0),
        ("list[0] + list[i - 1]", 8.0),
        ("count(list) * sum(list)", 36.0),
        ("mean(list) + min(list) * max(list)", 19.0),
        ("if i > 3 { list[9] } else { 7 }", 7.0),
        ("i > 2 and not i > 3 or false", 1.0),
        ("orbit", 8.0),
        ("-2 ^ 2", -4.0),
        ("(-2) ^ 2", 4.0),
        ("-2 ^ -2", -0.25),
        ("2 ^ -2 ^ 2", 0.0625),
        ("-i ^ 3", -27.0),
    ] {
        let mut names = Names::constants();
        names.add_list("list", &[3.0, 4.0, 5.0]);
        let names = names.with("side", 0.5).with("i", 3.0).with("orbit", 8.0);
        let found =
            Evaluator::new(1).evaluate(text, &names).unwrap_or_else(|fault| panic!("{text}: {}", fault.message));
        assert!((found - expected).abs() <= 1e-15 * expected.abs(), "{text}: {found}");
    }
}

#[test]
fn what_once_meant_something_else_is_remarked() {
    let kinds = |text: &str| {
        let evaluator = Evaluator::new(1);
        evaluator.note_degrees("slope");
        let names = Names::constants().with("slope", 30.0).with("a", 2.0);
        evaluator.evaluate_at(text, 3..4, &names).unwrap();
        evaluator.remarks().into_iter().map(|(kind, _)| kind).collect::<Vec<_>>()
    };
    for (text, expected) in [
        ("-a ^ 2", vec!["sign-of-power"]),
        ("1 - a ^ 2", vec![]),
        ("-(a ^ 2)", vec![]),
        ("(-a) ^ 2", vec![]),
        ("-a ^ 3", vec![]),
        ("a + 5 deg", vec!["unit-of-sum"]),
        ("a + (5 deg)", vec![]),
        ("5 deg + a", vec![]),
        ("2 * slope", vec!["degrees"]),
        ("2 * slope deg", vec![]),
        ("slope * pi / 180", vec![]),
        ("if slope > 20 { 1 } else { 2 }", vec![]),
    ] {
        assert_eq!(kinds(text), expected, "{text}");
    }
}

#[test]
fn mistakes_are_named() {
    for (text, part) in [
        ("1 / 0", "division by zero"),
        ("sdie * 2", "did you mean `side`?"),
        ("sin(", "no expression"),
        ("sinn(1)", "did you mean `sin`?"),
        ("sin(1, 2)", "wrong number"),
        ("", "no expression"),
        ("sqrt(-1)", "not a finite number"),
        ("\"a\"", "not a number"),
        ("2 dge + 1", "did you mean `deg`?"),
        ("360 / side deg", "write (a / b) deg"),
        ("sum(side)", "over what?"),
        ("side[0]", "a number and no list"),
        ("list * 2", "list[0] for its first item"),
        ("list[3]", "no item 3"),
        ("list[0.5]", "no item 0.5"),
        ("ball.x", "speaks of the state of a body"),
        ("5 + m", "a unit stands behind a number"),
        ("not 3", "takes a truth value"),
        ("2 h", "write 2 * h for the product"),
        ("1 < 2 < 3", "takes"),
        ("(1 > 2) * 3", "takes"),
        ("if i { 1 } else { 2 }", "not a comparison"),
        ("if i > 1 { 1 }", "`else { ... }` is expected"),
        ("2 * + ", "it ends where"),
        ("12ab", "`12ab` is not a number"),
        ("max(1, )", "no expression"),
    ] {
        let message = eval(text).expect_err(text);
        assert!(message.contains(part), "{text}: {message}");
    }
}

#[test]
fn no_expression_runs_for_ever_or_grows_without_end() {
    for text in ["loop {}", "while true {}", "let x = 1", "fn f() { f() } f()", "eval(\"1\")"] {
        assert!(eval(text).is_err(), "{text}");
    }
    assert!(eval(&"(".repeat(3000)).is_err());
    assert!(eval(&"1+".repeat(3000)).is_err());
    assert!(eval(&"-".repeat(3000)).is_err());
    assert!(eval(&format!("2{}", "^2".repeat(1000))).is_err());
    assert_eq!(eval(&format!("1{}", "+1".repeat(2000))), Ok(2001.0));
    assert_eq!(eval(&format!("{}1{}", "(".repeat(40), ")".repeat(40))), Ok(1.0));
}
