//! Worlds in few words.

use serde_json::{Value, json};

/// Values of the second over those of the first, key by key.
pub(super) fn with(mut what: Value, other: Value) -> Value {
    if let (Some(into), Value::Object(from)) = (what.as_object_mut(), other) {
        into.extend(from);
    }
    what
}

/// A dynamic body of mass 1 and inertia 1 with one part.
pub(super) fn body(shape: &Value, x: f64, y: f64) -> Value {
    json!({
        "id": 0, "name": "piece", "kind": "dynamic", "position": [x, y], "angle": 0.0, "velocity": [0.0, 0.0], "spin": 0.0,
        "mass": 1.0, "inertia": 1.0, "linear_damping": 0.0, "angular_damping": 0.0, "gravity_factor": 1.0,
        "fixed_turn": false, "swept": false, "layers": 1, "meets": 4_294_967_295_u32, "parts": [part(shape)],
    })
}

pub(super) fn part(shape: &Value) -> Value {
    json!({"shape": shape, "position": [0.0, 0.0], "angle": 0.0, "material": 0, "sensor": false})
}

pub(super) fn disc(radius: f64, x: f64, y: f64) -> Value {
    body(&json!({"disc": radius}), x, y)
}

/// A disc with a velocity.
pub(super) fn flying(radius: f64, x: f64, y: f64, vx: f64, vy: f64) -> Value {
    with(disc(radius, x, y), json!({"velocity": [vx, vy]}))
}

/// The same body as one that never moves.
pub(super) fn fixed(what: Value) -> Value {
    with(what, json!({"kind": "static", "mass": 0.0, "inertia": 0.0}))
}

/// The same body as one that moves at its own velocity.
pub(super) fn driven(what: Value) -> Value {
    with(what, json!({"kind": "kinematic", "mass": 0.0, "inertia": 0.0}))
}

/// Bodies with numbers and names in their order.
pub(super) fn numbered(bodies: Vec<Value>) -> Vec<Value> {
    let named = |(id, body)| with(body, json!({"id": id, "name": format!("piece[{id}]")}));
    bodies.into_iter().enumerate().map(named).collect()
}

/// A world without gravity, friction and restitution.
pub(super) fn world(bodies: Vec<Value>) -> Value {
    json!({
        "space": 2, "gravity": [0.0, 0.0], "dt": 0.01, "seed": 1, "threads": 1, "options": {},
        "materials": [{"name": "iron", "friction": 0.0, "restitution": 0.0}], "pairs": [],
        "bodies": numbered(bodies), "joints": [], "apart": [],
    })
}

/// A world in which things fall at 10 m/s².
pub(super) fn heavy(world: Value) -> Value {
    with(world, json!({"gravity": [0.0, -10.0]}))
}

/// The materials of a world, as friction and restitution.
pub(super) fn made_of(world: Value, materials: &[[f64; 2]]) -> Value {
    let rows: Vec<Value> = materials
        .iter()
        .enumerate()
        .map(|(number, [friction, restitution])| {
            json!({"name": format!("material {number}"), "friction": friction, "restitution": restitution})
        })
        .collect();
    with(world, json!({"materials": rows}))
}

/// The same body of another material.
pub(super) fn of(mut body: Value, material: usize) -> Value {
    body["parts"][0]["material"] = json!(material);
    body
}
