//! What is answered to what is right.

use crate::conversation::{answers, answers_to_lines, call, steps, yard};
use serde_json::{Value, json};

/// x, y, angle, vx, vy, spin of the rivet in a frame.
fn rivet(frame: &Value) -> Vec<f64> {
    let state = frame["state"].as_array().unwrap();
    assert_eq!(state.len(), 18);
    state[12..].iter().map(|number| number.as_f64().unwrap()).collect()
}

#[test]
fn an_engine_says_what_it_is() {
    let hello = &answers(&[("hello", json!({}))])[0]["result"];
    assert_eq!(
        (&hello["protocol"], &hello["engine"]["name"], &hello["spaces"]),
        (&json!(1), &json!("builtin"), &json!([2, 3]))
    );
    for shape in ["disc", "box", "polygon", "capsule", "polyline", "half_plane", "sphere", "half_space"] {
        assert!(hello["shapes"].as_array().unwrap().contains(&json!(shape)), "{shape}");
    }
    assert!(hello["options"]["iterations"]["about"].as_str().unwrap().len() > 5);
}

#[test]
fn frames_come_as_often_as_asked_and_only_those() {
    let all = answers(&[("build", yard()), ("advance", steps(6, 1, &json!([]))), ("close", json!({}))]);
    assert_eq!(all[0]["result"], json!({"bodies": 3, "scalar": "f64"}));
    let all = all[1]["result"]["frames"].as_array().unwrap().clone();
    assert_eq!(all.iter().map(|frame| frame["step"].as_u64().unwrap()).collect::<Vec<_>>(), [1, 2, 3, 4, 5, 6]);
    // Under constant gravity from rest the velocity is g t, whatever the integrator.
    for frame in &all {
        let time = 0.01 * frame["step"].as_f64().unwrap();
        assert!((rivet(frame)[4] + 10.0 * time).abs() < 1e-12);
    }
    // Steps are counted on over calls.
    let some =
        answers(&[("build", yard()), ("advance", steps(2, 3, &json!([]))), ("advance", steps(4, 3, &json!([])))]);
    assert_eq!(some[1]["result"]["frames"], json!([]));
    assert_eq!(some[2]["result"]["frames"], json!([all[2], all[5]]));
    let now = answers(&[("build", yard()), ("advance", steps(0, 1, &json!([])))]);
    assert_eq!(rivet(&now[1]["result"]["frames"][0]), [0.0, 2.0, 0.0, 0.0, 0.0, 0.0]);
}

#[test]
fn what_sensors_notice_between_two_frames_comes_with_the_next() {
    // It enters the gate after falling by 0.8 m, at 0.4 s, and has left it after 1.2 m, at 0.49 s.
    let every = answers(&[("build", yard()), ("advance", steps(55, 1, &json!([])))]);
    let last = answers(&[("build", yard()), ("advance", steps(55, 55, &json!([])))]);
    let events = |answer: &Value| -> Vec<Value> {
        let frames = answer["result"]["frames"].as_array().unwrap();
        frames.iter().flat_map(|frame| frame["events"].as_array().unwrap().clone()).collect()
    };
    let (seen, at_last) = (events(&every[1]), events(&last[1]));
    assert_eq!(seen, at_last);
    assert_eq!(seen.iter().map(|event| event["kind"].as_str().unwrap()).collect::<Vec<_>>(), ["enter", "leave"]);
    assert!(seen.iter().all(|event| event["sensor"] == json!([1, 0]) && event["other"] == json!([2, 0])));
    assert!(
        (39..=42).contains(&seen[0]["step"].as_u64().unwrap())
            && (48..=51).contains(&seen[1]["step"].as_u64().unwrap())
    );
}

#[test]
fn a_restored_state_goes_on_to_the_bit() {
    let all = answers(&[
        ("build", yard()),
        ("advance", steps(30, 30, &json!([]))),
        ("save", json!({})),
        ("advance", steps(40, 1, &json!([]))),
        ("restore", json!({"token": 0})),
        ("advance", steps(40, 1, &json!([]))),
    ]);
    let token = &all[2]["result"]["token"];
    assert_eq!(token, &json!(0), "the first token is the one that is restored above");
    assert_eq!(all[3]["result"], all[5]["result"]);
    assert_eq!(all[3]["result"]["frames"].as_array().unwrap().len(), 40);
}

#[test]
fn actions_are_done_before_their_step_and_no_earlier() {
    let kick = json!([{"before_step": 2, "body": 2, "impulse": [3.0, 0.0]}, {"before_step": 4, "gravity": [0.0, 0.0]}]);
    let all = answers(&[("build", yard()), ("advance", steps(3, 1, &kick)), ("advance", steps(3, 1, &json!([])))]);
    let frames: Vec<Value> =
        all[1..].iter().flat_map(|answer| answer["result"]["frames"].as_array().unwrap().clone()).collect();
    let along: Vec<f64> = frames.iter().map(|frame| rivet(frame)[3]).collect();
    assert_eq!(along, [0.0, 0.0, 3.0, 3.0, 3.0, 3.0]);
    let falls: Vec<f64> = frames.iter().map(|frame| (100.0 * rivet(frame)[4]).round() / 100.0).collect();
    assert_eq!(falls, [-0.1, -0.2, -0.3, -0.4, -0.4, -0.4]);
}

#[test]
fn a_ray_ends_on_the_first_surface_or_nowhere() {
    let all = answers(&[
        ("build", yard()),
        ("ray", json!({"from": [-5.0, 2.0], "to": [5.0, 2.0]})),
        ("ray", json!({"from": [-5.0, 3.0], "to": [5.0, 3.0]})),
    ]);
    let hit = &all[1]["result"]["hit"];
    assert_eq!(hit["body"], 2);
    for (name, wanted) in [("point", [-0.1, 2.0]), ("normal", [-1.0, 0.0])] {
        for axis in [0, 1] {
            assert!((hit[name][axis].as_f64().unwrap() - wanted[axis]).abs() < 1e-12, "{name}");
        }
    }
    assert!((hit["distance"].as_f64().unwrap() - 4.9).abs() < 1e-12);
    assert_eq!(all[2]["result"], json!({"hit": null}));
}

#[test]
fn nothing_is_read_after_close() {
    let lines = [call(0, "close", &json!({})), call(1, "hello", &json!({}))];
    assert_eq!(answers_to_lines(&lines), [json!({"jsonrpc": "2.0", "id": 0, "result": {}})]);
}
