//! Lists, loops of claims, their names and bounds, and measures of several bodies.

use crate::{FRAME, setup_text};
use ironspin_model::{BodyState, Bound, DVec3, Moment, Nth};
use ironspin_scene::Setup;

const ROW: &str = "[[body]]\nname = \"ball\"\nrepeat = { i = \"count(masses)\" }\nshape = { disc = 0.1 }\nmass = \"masses[i]\"\nat = [\"i\", 1]\nmaterial = \"iron\"\n";

fn with_set(set: &str, tables: &str, given: &[(&str, &str)]) -> Result<Setup, String> {
    let text = format!("{}{ROW}{tables}", FRAME.replacen("[world]", &format!("[set]\n{set}\n[world]"), 1));
    setup_text(&text, given).map_err(|error| error.message)
}

const MASSES: &str =
    "masses = { values = [1, \"5 / 2\", 40], unit = \"kg\", about = \"of the balls\", range = [0.5, 100] }";

#[test]
fn a_list_is_read_used_and_set_from_outside() {
    let setup = with_set(MASSES, "", &[]).unwrap();
    let masses: Vec<f64> = setup.world.bodies.iter().map(|body| body.mass).collect();
    assert_eq!(masses, [1.0, 2.5, 40.0]);
    assert_eq!(setup.parameters[0].values.as_deref(), Some([1.0, 2.5, 40.0].as_slice()));
    let set = with_set(MASSES, "", &[("masses", "[ 2, max(3, 4), 2 * (1 + 1), 5 ]")]).unwrap();
    assert_eq!(set.parameters[0].values.as_deref(), Some([2.0, 4.0, 4.0, 5.0].as_slice()));
    assert_eq!(set.world.bodies.len(), 4);
    for (given, message) in [
        ("[0.1, 1]", "`masses` is 0.1, outside its range from 0.5 to 100"),
        ("3", "cannot set `masses`: it is a list"),
        ("[]", "the list `masses` has no item"),
        ("[1, two]", "uses the unknown name `two`"),
    ] {
        let error = with_set(MASSES, "", &[("masses", given)]).unwrap_err();
        assert!(error.contains(message), "{given}: {error}");
    }
}

#[test]
fn gravity_is_known_to_parameters_as_soon_as_it_can_be() {
    let setup = with_set(&format!("{MASSES}\ndouble = {{ value = \"2 * g\", about = \"twice\" }}"), "", &[]).unwrap();
    assert_eq!(setup.parameters[1].value, 2.0 * 9.81);
}

const LOOP: &str = "[[claim]]\nfor = { i = \"0..count(masses)\", k = 2 }\nname = \"fall\"\ngauge = \"value.measure\"\nof = \"ball[i]\"\nmeasure = \"y - masses[i] + if i > 0 { masses[i - 1] } else { k }\"\n\
    at_time = \"i + k / 2\"\nequals = \"masses[i] + k\"\nwithin = \"1 %\"\nbecause = \"it must\"\n\
    [[claim]]\ngauge = \"time.when\"\nof = \"ball[0]\"\nbecomes = \"vy < 0 and not (y > 3)\"\nnth = \"last\"\nat_most = { at_dt = \"1/4\", of = 8, order = 3 }\nwithin = \"50 %\"\nbecause = \"it must\"\n";

#[test]
fn one_table_makes_a_claim_for_each_turn_with_its_own_values() {
    let setup = with_set(MASSES, LOOP, &[]).unwrap();
    let names: Vec<&str> = setup.claims.iter().map(|claim| claim.name.as_str()).collect();
    assert_eq!(names, ["fall[0][0]", "fall[0][1]", "fall[1][0]", "fall[1][1]", "fall[2][0]", "fall[2][1]", ""]);
    assert_eq!(setup.claim_tables, [0, 0, 0, 0, 0, 0, 1]);
    let claim = &setup.claims[3];
    assert_eq!(
        (claim.of.as_slice(), claim.of_text.as_str(), claim.details.at_time),
        ([1].as_slice(), "ball[1]", Some(1.5))
    );
    assert_eq!(claim.bound, Bound::Equals { value: 3.5, within: 0.01 * 3.5 });
    assert_eq!(claim.details.measure.as_ref().unwrap().text(), "y - (2.5) + if (1.0) > 0 { (1.0) } else { (1.0) }");
    assert_eq!(claim.title(), "fall[1][1] (value.measure)");
    // An item that is not there is told only where it is asked for.
    assert_eq!(
        setup.claims[0].details.measure.as_ref().unwrap().text(),
        "y - (1.0) + if (0.0) > 0 { (1 / 0) } else { (0.0) }"
    );
    // The step is an eighth of a second here: half of the one of the bound.
    let last = &setup.claims[6];
    assert_eq!((last.bound, last.details.nth), (Bound::AtMost(1.5), Some(Nth::Last)));
}

#[test]
fn the_resolved_form_has_neither_lists_nor_loops_and_claims_the_same() {
    let text = format!("{}{ROW}{LOOP}", FRAME.replacen("[world]", &format!("[set]\n{MASSES}\n[world]"), 1));
    let scene = ironspin_scene::Scene::parse(&text, "x.toml").unwrap();
    let first = scene.resolve(&ironspin_scene::Settings::with_dt(0.125)).unwrap();
    let printed = scene.print_resolved(&first);
    let second = setup_text(&printed, &[]).unwrap_or_else(|error| panic!("{error}\n{printed}"));
    for (one, other) in first.claims.iter().zip(&second.claims) {
        assert_eq!((&one.name, &one.of, one.bound), (&other.name, &other.of, other.bound));
        assert_eq!(
            (one.details.at_time, one.details.nth, one.details.measure.as_ref().map(|m| m.text())),
            (other.details.at_time, other.details.nth, other.details.measure.as_ref().map(|m| m.text()))
        );
    }
    assert_eq!(first.claims.len(), second.claims.len());
}

#[test]
fn measures_speak_of_several_bodies() {
    let states =
        |x: f64| BodyState::planar(DVec3::new(x, 2.0, 0.0), std::f64::consts::FRAC_PI_2, DVec3::new(x, -x, 0.0), 2.0);
    let bodies = [states(1.0), states(3.0), states(-1.0)];
    let value = |measure: &str| {
        let claim = format!(
            "[[claim]]\ngauge = \"value.measure\"\nof = \"ball[0..2]\"\nmeasure = \"{measure}\"\nat_most = 1\nbecause = \"it must\"\n"
        );
        let setup = with_set(MASSES, &claim, &[]).unwrap_or_else(|error| panic!("{measure}: {error}"));
        let found = setup.claims[0].details.measure.clone().unwrap();
        (found.at(&Moment { bodies: &bodies, body: 1, of: &[0, 1], time: 0.5 }), found.is_whole())
    };
    for (measure, due, whole) in [
        ("x", 3.0, false),
        ("ball[2].x - ball[0].x", -2.0, true),
        ("ball[count(masses) - 1].x - x", -4.0, false),
        ("sum(mass * vx)", 1.0 + 7.5, true),
        ("mean(x) + min(x) + 10 * max(x)", 2.0 + 1.0 + 30.0, true),
        ("count() + 10 * count(x > 2)", 12.0, true),
        ("sum(x - ball[2].x)", 2.0 + 4.0, true),
        ("sum(masses) + count(masses)", 46.5, true),
        ("'ball[2]'.speed ^ 2", 2.0, true),
        ("ball[2].mass + mass", 42.5, false),
        // A quarter turn takes the own x to y; the point goes back by the spin.
        ("ball[0].point([0.5, 0]).y", 2.5, true),
        ("point([0.5, 0]).vx", 3.0 - 2.0 * 0.5, false),
        ("t + 0 * ball[0].x", 0.5, true),
    ] {
        let (found, is_whole) = value(measure);
        assert!((found - due).abs() < 1e-14, "{measure}: {found}");
        assert_eq!(is_whole, whole, "{measure}");
    }
    // Who is not there is in no sum, and has no value of its own.
    let gone = [bodies[0], BodyState::absent(), bodies[2]];
    let claim = "[[claim]]\ngauge = \"value.measure\"\nof = \"ball\"\nmeasure = \"count() + ball[1].x\"\nat_most = 1\nbecause = \"it must\"\n";
    let setup = with_set(MASSES, &claim.replace(" + ball[1].x", ""), &[]).unwrap();
    let measure = setup.claims[0].details.measure.clone().unwrap();
    assert_eq!(measure.at(&Moment { bodies: &gone, body: 0, of: &[0, 1, 2], time: 0.0 }), 2.0);
    let setup = with_set(MASSES, claim, &[]).unwrap();
    let measure = setup.claims[0].details.measure.clone().unwrap();
    assert!(measure.at(&Moment { bodies: &gone, body: 0, of: &[0, 1, 2], time: 0.0 }).is_nan());
}
