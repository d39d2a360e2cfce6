//! Actions and frames as they are said and heard.

use super::super::message::{ActionRow, Advance, FrameRow, Hello, Ray};
use ironspin_model::{
    Body, DQuat, DVec3, Dimension, Effect, Frame, Pose, SensorEventKind, SoftBody, WireIds, World, about_z,
};
use serde_json::{Value, from_value, to_value};
/// The ids of a world of so many rigid bodies.
fn bodies(count: usize) -> WireIds {
    WireIds::of(&World { bodies: vec![Body::plain("piece"); count], ..World::planar(1.0) })
}

fn three() -> WireIds {
    bodies(3)
}

/// Three rigid bodies and a soft one of two nodes.
fn with_a_rope() -> WireIds {
    let soft = SoftBody {
        name: "rope".into(),
        nodes: 3..5,
        material: 0,
        radius: 0.0,
        self_contact: false,
        springs: Vec::new(),
        skin: Vec::new(),
        cells: Vec::new(),
        pressure: None,
        ..SoftBody::default()
    };
    WireIds::of(&World { bodies: vec![Body::plain("piece"); 5], softs: vec![soft], ..World::planar(1.0) })
}

#[test]
fn actions_on_nodes_and_on_a_soft_body_as_a_whole_name_it_and_the_node() {
    let ids = with_a_rope();
    let push = DVec3::new(0.1, -2.0, 0.0);
    let place = Effect::Place(Pose { position: push, ..Pose::IDENTITY });
    for (id, effect, node) in [
        (4, Effect::Impulse { impulse: push, point: None }, Some(1)),
        (3, place, Some(0)),
        (3, Effect::Hold(true), Some(0)),
        (5, Effect::Shift(push), None),
        (5, Effect::Hold(false), None),
        (5, Effect::Remove, None),
    ] {
        let said = to_value(ActionRow::of(Dimension::Plane, &ids, 8, id, &effect)).unwrap();
        assert_eq!((said["body"].as_u64(), said.get("node").and_then(Value::as_u64)), (Some(3), node), "{said}");
        let heard: ActionRow = from_value(said).unwrap();
        assert_eq!(heard.effect(Dimension::Plane, &ids).unwrap(), (id, effect));
    }
    for wrong in [
        r#"{"before_step": 0, "body": 3, "node": 2, "hold": true}"#,
        r#"{"before_step": 0, "body": 4, "hold": true}"#,
        r#"{"before_step": 0, "body": 0, "place": {"by": [1, 0]}}"#,
        r#"{"before_step": 0, "body": 3, "place": {"position": [1, 0]}}"#,
    ] {
        let row: ActionRow = serde_json::from_str(wrong).unwrap();
        assert!(row.effect(Dimension::Plane, &ids).is_err(), "{wrong}");
    }
}

#[test]
fn frames_with_nodes_come_back_to_the_bit() {
    let ids = with_a_rope();
    let state = "0,0,0,0,0,0, ".repeat(3);
    let text = format!(
        r#"{{"step": 3, "state": [{}], "soft": [0.5, -0.0, 1, 2, "nan", "nan", "nan", "nan"],
        "contacts": [[0, 3, 0.4, 0, 0, 1, 0.001, 0.7]]}}"#,
        state.trim_end_matches(", ")
    );
    let frame = serde_json::from_str::<FrameRow>(&text).unwrap().frame(Dimension::Plane, &ids).unwrap();
    assert_eq!((frame.bodies.len(), frame.contacts[0].bodies), (5, [0, 3]));
    assert!(frame.bodies[4].is_absent() && frame.bodies[3].velocity == DVec3::new(1.0, 2.0, 0.0));
    let said = to_value(FrameRow::of(Dimension::Plane, &ids, &frame)).unwrap();
    assert_eq!(said["soft"].as_array().unwrap().len(), 8);
    let again = from_value::<FrameRow>(said).unwrap().frame(Dimension::Plane, &ids).unwrap();
    assert_eq!(again.bodies[..4], frame.bodies[..4]);
    let short = format!(r#"{{"step": 3, "state": [{}], "soft": [0.5]}}"#, state.trim_end_matches(", "));
    let why = serde_json::from_str::<FrameRow>(&short).unwrap().frame(Dimension::Plane, &ids).unwrap_err();
    assert!(why.contains("1 numbers in `soft` of frame 3, and 8 for 2 nodes"), "{why}");
}

#[test]
fn every_action_comes_back_as_it_was_said() {
    let point = Some(DVec3::new(0.5, -1.5, 0.0));
    let push = DVec3::new(0.1, -2.0, 0.0);
    for effect in [
        Effect::Impulse { impulse: push, point },
        Effect::Impulse { impulse: push, point: None },
        Effect::Force { force: push, point },
        Effect::Torque(about_z(-0.3)),
        Effect::Velocity(DVec3::ZERO),
        Effect::Spin(about_z(7.0)),
        Effect::Place(Pose::planar(push, 9.5)),
        Effect::Remove,
        Effect::Add,
        Effect::Split(vec![3, 4]),
    ] {
        let said = to_value(ActionRow::of(Dimension::Plane, &three(), 8, 2, &effect)).unwrap();
        // Nothing is said but the step, the body, what is done, and where.
        assert!(said.as_object().unwrap().len() <= 4, "{said}");
        let heard: ActionRow = from_value(said).unwrap();
        assert_eq!((heard.before_step, heard.effect(Dimension::Plane, &three()).unwrap()), (8, (2, effect)));
    }
    let gravity = Effect::Gravity(DVec3::new(0.0, -1.6, 0.0));
    let said = to_value(ActionRow::of(Dimension::Plane, &three(), 1, 0, &gravity)).unwrap();
    assert!(said.get("body").is_none());
    assert_eq!(from_value::<ActionRow>(said).unwrap().effect(Dimension::Plane, &three()).unwrap().1, gravity);
}

#[test]
fn every_action_of_space_comes_back_as_it_was_said() {
    let point = Some(DVec3::new(0.5, -1.5, 2.0));
    let push = DVec3::new(0.1, -2.0, 3.0);
    let turned = Pose { position: push, rotation: DQuat::from_xyzw(0.5, -0.5, 0.5, 0.5), angle: 0.0 };
    for effect in [
        Effect::Impulse { impulse: push, point },
        Effect::Force { force: push, point: None },
        Effect::Torque(push),
        Effect::Velocity(push),
        Effect::Spin(push),
        Effect::Place(turned),
        Effect::Gravity(push),
    ] {
        let said = to_value(ActionRow::of(Dimension::Space, &three(), 8, 2, &effect)).unwrap();
        let heard: ActionRow = from_value(said.clone()).unwrap();
        assert_eq!(heard.effect(Dimension::Space, &three()).unwrap().1, effect);
        // What is said of space cannot be meant of the plane.
        assert!(heard.effect(Dimension::Plane, &three()).is_err(), "{said}");
    }
}

fn frame_of(text: &str) -> Result<Frame, String> {
    serde_json::from_str::<FrameRow>(text).map_err(|error| error.to_string())?.frame(Dimension::Plane, &bodies(1))
}

#[test]
fn frames_come_back_to_the_bit() {
    let text = r#"{"step": 3, "state": [0.1, -0.0, 7.5, 1e-300, 2, 3],
        "contacts": [[0, 1, 0.5, 0.25, 0, 1, -0.001, 0.7]],
        "events": [{"step": 2, "kind": "leave", "sensor": [1, 0], "other": [0, 2]}]}"#;
    let frame = frame_of(text).unwrap();
    let again: FrameRow = from_value(to_value(FrameRow::of(Dimension::Plane, &bodies(1), &frame)).unwrap()).unwrap();
    assert_eq!(again.frame(Dimension::Plane, &bodies(1)).unwrap(), frame);
    assert_eq!(frame.bodies[0].pose.position.y.to_bits(), (-0.0_f64).to_bits());
    assert_eq!((frame.contacts[0].bodies, frame.contacts[0].times), ([0, 1], None));
    assert_eq!(frame.events[0].kind, SensorEventKind::Leave);
}

#[test]
fn frames_that_cannot_be_are_refused_with_what_was_found() {
    let state = "[0, 0, 0, 0, 0, 0]";
    for (text, part) in [
        (r#"{"step": 1, "state": [0, 0, 0, 0, 0]}"#.to_owned(), "5 numbers in the state of frame 1, and 6 for 1"),
        (format!(r#"{{"step": 1, "state": {state}, "contacts": [[0, 1]]}}"#), "a contact of 2 numbers"),
        (format!(r#"{{"step": 1, "state": {state}, "contacts": [[0, 0.5, 0, 0, 0, 1, 0, 0]]}}"#), "no bodies"),
        (format!(r#"{{"step": 1, "state": {state}, "contacts": [[-1, 0, 0, 0, 0, 1, 0, 0]]}}"#), "no bodies"),
        (format!(r#"{{"step": 1, "state": {state}, "contacts": [[1e300, 0, 0, 0, 0, 1, 0, 0]]}}"#), "no bodies"),
        (
            format!(
                r#"{{"step": 1, "state": {state}, "events": [{{"step": 1, "kind": "stay", "sensor": [0, 0], "other": [0, 0]}}]}}"#
            ),
            "an event of the kind `stay`",
        ),
        (r#"{"step": -1, "state": []}"#.to_owned(), "-1"),
        (r#"{"state": []}"#.to_owned(), "missing field `step`"),
    ] {
        let why = frame_of(&text).unwrap_err();
        assert!(why.contains(part), "{text}: {why}");
    }
}

#[test]
fn an_engine_may_leave_out_what_it_has_nothing_to_say_of() {
    let bare = r#"{"protocol": 1, "engine": {"name": "smithy"}}"#;
    let hello: Hello = serde_json::from_str(bare).unwrap();
    assert!(hello.spaces.is_empty() && hello.features.is_empty() && hello.engine.version.is_empty());
    let advance: Advance = serde_json::from_str(r#"{"dt": [0.1]}"#).unwrap();
    assert_eq!((advance.record, advance.actions.len()), (1, 0));
    assert_eq!(to_value(Ray { hit: None }).unwrap()["hit"], Value::Null);
}
