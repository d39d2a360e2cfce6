//! What is answered to what is wrong: an error with a code, and the next call as if nothing had been.

use crate::conversation::{answers, answers_to_lines, call, steps, yard};
use proptest::prelude::*;
use serde_json::{Value, json};

/// The yard with one value put somewhere else in it.
fn yard_with(pointer: &str, value: Value) -> Value {
    let mut params = yard();
    *params.pointer_mut(pointer).unwrap() = value;
    params
}

#[test]
fn each_slip_has_its_code_and_says_what_was_found() {
    let mut joined = yard();
    joined["joints"] = json!([{"kind": "gum", "bodies": [0, 2], "at": [[0, 0], [0, 0]]}]);
    let mut slack = joined.clone();
    slack["joints"][0]["kind"] = json!("spring");
    let mut far = joined.clone();
    far["joints"][0]["bodies"] = json!([0, 7]);
    let mut stranger = yard();
    stranger["options"] = json!({"iteratoins": "4"});
    for (method, params, code, part) in [
        ("dance", json!({}), -32601, "no method `dance`"),
        ("build", json!({}), -32602, "missing field"),
        ("build", yard_with("/space", json!(4)), -32602, "a world of 4 dimensions"),
        ("build", yard_with("/space", json!(3)), -32602, "a vector of 2 numbers, and three are due"),
        ("build", yard_with("/bodies/2/id", json!(5)), -32602, "body 2 has the id 5"),
        ("build", yard_with("/bodies/2/kind", json!("lively")), -32602, "lively"),
        ("build", yard_with("/bodies/2/parts/0/material", json!(9)), -32602, "material 9"),
        ("build", yard_with("/bodies/2/parts/0/shape", json!({"egg": 1})), -32602, "egg"),
        ("build", yard_with("/bodies/2/mass", json!(-1.0)), -32602, "mass"),
        ("build", yard_with("/bodies/2/position/0", json!("NaN")), -32602, ""),
        ("build", joined, -32602, "an unknown kind `gum`"),
        ("build", slack, -32602, "without a stiffness"),
        ("build", far, -32602, "names body 7, and there are 3"),
        ("build", stranger, -32602, "iteratoins"),
        ("restore", json!({}), -32602, "a token is due"),
        ("advance", steps(1, 1, &json!([])), -32000, "built"),
        ("save", json!({}), -32000, "built"),
        ("ray", json!({"from": [0, 0], "to": [1, 0]}), -32000, "built"),
    ] {
        let all = answers(&[(method, params), ("build", yard())]);
        assert_eq!(all[0]["error"]["code"], code, "{method}: {}", all[0]);
        let message = all[0]["error"]["message"].as_str().unwrap();
        assert!(message.contains(part), "{method}: {message}");
        assert_eq!(all[1]["result"]["bodies"], 3, "after {method} with {message}");
    }
}

#[test]
fn wrong_steps_and_actions_change_nothing() {
    let lone = |action: Value| steps(1, 1, &json!([action]));
    let fair =
        answers(&[("build", yard()), ("advance", steps(1, 1, &json!([]))), ("advance", steps(1, 1, &json!([])))]);
    for (params, part) in [
        (steps(1, 0, &json!([])), "`record` is 1 or more"),
        (lone(json!({"before_step": 0, "body": 2, "impulse": [1, 0]})), "before step 0, and 1 are done"),
        (lone(json!({"before_step": 1, "body": 3, "impulse": [1, 0]})), "an action on body 3, and there are 3"),
        (json!({"dt": ["soon"]}), "soon"),
    ] {
        let all = answers(&[
            ("build", yard()),
            ("advance", steps(1, 1, &json!([]))),
            ("advance", params),
            ("advance", steps(1, 1, &json!([]))),
        ]);
        assert_eq!(all[2]["error"]["code"], -32602, "{}", all[2]);
        assert!(all[2]["error"]["message"].as_str().unwrap().contains(part), "{}", all[2]);
        assert_eq!((&all[1]["result"], &all[3]["result"]), (&fair[1]["result"], &fair[2]["result"]), "{part}");
    }
}

#[test]
fn actions_that_say_nothing_are_refused_when_they_are_due() {
    for (action, part) in [
        (json!({"before_step": 0, "body": 2}), "does nothing"),
        (json!({"before_step": 0, "impulse": [1, 0]}), "without a body"),
    ] {
        let all = answers(&[("build", yard()), ("advance", steps(1, 1, &json!([action])))]);
        assert!(all[1]["error"]["message"].as_str().unwrap().contains(part), "{}", all[1]);
    }
}

#[test]
fn a_broken_line_is_answered_and_the_next_one_as_well() {
    let lines = ["{\"method\":".to_owned(), "[1, 2]".to_owned(), String::new(), call(7, "hello", &json!({}))];
    let all = answers_to_lines(&lines);
    assert_eq!(all.len(), 3);
    for broken in &all[..2] {
        assert_eq!((&broken["id"], &broken["error"]["code"]), (&Value::Null, &json!(-32700)));
    }
    assert_eq!(all[2]["id"], 7);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]
    /// Whatever stands in one place of a world, there is one answer, and the engine can be asked again.
    #[test]
    fn any_value_anywhere_in_a_world_is_answered(
        place in 0..PLACES.len(),
        value in prop_oneof![
            any::<f64>().prop_map(|number| json!(number)),
            any::<i64>().prop_map(|number| json!(number)),
            Just(json!("inf")), Just(json!("nan")), Just(json!(null)), Just(json!([])), Just(json!({})), Just(json!(-0.0)),
        ],
    ) {
        let all = answers(&[
            ("build", yard_with(PLACES[place], value)),
            ("advance", steps(3, 1, &json!([]))),
            ("build", yard()),
        ]);
        prop_assert_eq!(all.len(), 3);
        prop_assert_eq!(&all[2]["result"]["bodies"], 3);
    }
}

/// Places in the parameters of a world.
const PLACES: [&str; 16] = [
    "/space",
    "/gravity/1",
    "/dt",
    "/materials/0/friction",
    "/materials/0/restitution",
    "/bodies/2/position/1",
    "/bodies/2/angle",
    "/bodies/2/velocity",
    "/bodies/2/mass",
    "/bodies/2/inertia",
    "/bodies/2/linear_damping",
    "/bodies/2/layers",
    "/bodies/2/parts/0/shape/disc",
    "/bodies/2/parts/0/material",
    "/bodies/1/parts/0/shape/box/0",
    "/bodies/0/parts/0/shape/half_plane",
];
