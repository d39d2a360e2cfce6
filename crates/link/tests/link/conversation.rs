//! What every other test talks with.

use ironspin_link::{Served, serve, start_builtin};
use serde_json::{Value, json};

/// A disc of 1 kg above a floor, with a sensor between them: parameters of `build`.
pub(crate) fn yard() -> Value {
    let body = |id: usize, name: &str, kind: &str, y: f64, shape: Value, sensor: bool| {
        let dynamic = kind == "dynamic";
        json!({
            "id": id, "name": name, "kind": kind, "position": [0.0, y], "angle": 0.0, "velocity": [0.0, 0.0], "spin": 0.0,
            "mass": if dynamic { 1.0 } else { 0.0 }, "inertia": if dynamic { 0.005 } else { 0.0 },
            "linear_damping": 0.0, "angular_damping": 0.0, "gravity_factor": 1.0, "fixed_turn": false, "swept": false,
            "layers": 1, "meets": 1,
            "parts": [{"shape": shape, "position": [0.0, 0.0], "angle": 0.0, "material": 0, "sensor": sensor}],
        })
    };
    json!({
        "space": 2, "gravity": [0.0, -10.0], "dt": 0.01, "materials": [{"name": "iron", "friction": 0.5, "restitution": 0.0}],
        "bodies": [
            body(0, "quay", "static", 0.0, json!({"half_plane": [0.0, 1.0]}), false),
            body(1, "gate", "static", 1.0, json!({"box": [2.0, 0.2]}), true),
            body(2, "rivet", "dynamic", 2.0, json!({"disc": 0.1}), false),
        ],
    })
}

/// One call as a line.
pub(crate) fn call(id: usize, method: &str, params: &Value) -> String {
    json!({"jsonrpc": "2.0", "id": id, "method": method, "params": params}).to_string()
}

/// The answers to some lines, as lines.
pub(crate) fn answers_to_lines(lines: &[String]) -> Vec<Value> {
    let served = Served { start: &start_builtin, hello: None, follow: None, in_bytes: false };
    let (input, mut output) = (lines.join("\n"), Vec::new());
    serve(served, &mut input.as_bytes(), &mut output).unwrap();
    String::from_utf8(output).unwrap().lines().map(|line| serde_json::from_str(line).unwrap()).collect()
}

/// The answers to some calls, numbered from 0; every one must be answered in turn.
pub(crate) fn answers(calls: &[(&str, Value)]) -> Vec<Value> {
    let lines: Vec<String> = calls.iter().enumerate().map(|(id, (method, params))| call(id, method, params)).collect();
    let answers = answers_to_lines(&lines);
    for (id, answer) in answers.iter().enumerate() {
        assert_eq!((&answer["jsonrpc"], &answer["id"]), (&json!("2.0"), &json!(id)));
        assert_ne!(answer.get("result").is_some(), answer.get("error").is_some(), "{answer}");
    }
    answers
}

/// Parameters of `advance` for some steps of 0.01 s.
pub(crate) fn steps(count: usize, record: u64, actions: &Value) -> Value {
    json!({"dt": vec![0.01; count], "record": record, "actions": actions})
}
