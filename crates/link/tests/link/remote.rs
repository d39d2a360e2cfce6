//! An engine in a process of its own, behind the trait: what it is asked, and what its answers may not be.

use crate::scripted::{BUILT, HELLO, Script, advance, conditions, frame, height, one_disc, result};
use ironspin_link::ProcessLimits;
use ironspin_model::{Action, DVec3, Dimension, Effect, Engine, EngineError, Part, PlaneShape, Scalar, Token};
use serde_json::json;

/// The engine of a script, with the world of one disc built.
fn built(answers: &[&str]) -> (Script, Box<dyn Engine>) {
    let script = Script::new(&[&[HELLO, BUILT], answers].concat());
    let mut engine = script.spec().start().unwrap();
    engine.build(&one_disc(), &conditions()).unwrap();
    (script, engine)
}

/// What comes of three steps that are answered in some way.
fn three_steps(answer: &str) -> Result<Vec<ironspin_model::Frame>, EngineError> {
    advance(built(&[answer]).1.as_mut(), 3)
}

#[test]
fn it_is_asked_in_turn_for_what_the_bench_wants_to_know() {
    let frames = result(3, &format!(r#"{{"frames":[{},{}]}}"#, frame(1, 1.9), frame(2, 1.7)));
    let (script, mut engine) = built(&[&frames]);
    let seen = advance(engine.as_mut(), 2).unwrap();
    assert_eq!(seen.iter().map(height).collect::<Vec<_>>(), [1.9, 1.7]);
    // Times are those of the bench, not of the engine.
    assert_eq!(seen.iter().map(|frame| frame.time).collect::<Vec<_>>(), [0.1, 0.2]);
    let asked = script.asked();
    let methods: Vec<&str> = asked.iter().map(|call| call["method"].as_str().unwrap()).collect();
    assert_eq!(methods, ["hello", "build", "advance"]);
    assert!(asked.iter().all(|call| call["jsonrpc"] == "2.0"));
    assert_eq!(asked[0]["params"]["protocol"], 1);
    let world = &asked[1]["params"];
    assert_eq!((&world["space"], &world["dt"], &world["gravity"]), (&json!(2), &json!(0.1), &json!([0.0, -10.0])));
    assert_eq!(world["bodies"][0]["parts"][0]["shape"], json!({"disc": 1.0}));
    assert_eq!(asked[2]["params"], json!({"dt": [0.1, 0.1], "record": 1, "actions": []}));
}

#[test]
fn it_is_known_by_what_it_says_of_itself() {
    let script = Script::new(&[HELLO]);
    let spec = script.spec().with_options("passes=5").unwrap();
    assert!(spec.is_foreign() && spec.text().ends_with(" :: passes=5"));
    let info = spec.start().unwrap().info();
    assert_eq!((info.name.as_str(), info.version.as_str(), info.scalar), ("capstan", "7", Scalar::F64));
    assert_eq!(
        (info.spaces, info.features),
        (vec![Dimension::Plane], ["contacts", "restore", "ray"].map(String::from).to_vec())
    );
    let option = &info.options[0];
    assert_eq!((option.name.as_str(), option.default.as_str(), option.value.as_str()), ("passes", "3", "5"));
    // The chosen options reach `build`.
    let script = Script::new(&[HELLO, BUILT]);
    let mut engine = script.spec().with_options("passes=5").unwrap().start().unwrap();
    engine.build(&one_disc(), &conditions()).unwrap();
    assert_eq!(script.asked()[1]["params"]["options"], json!({"passes": "5"}));
}

#[test]
fn numbers_of_its_own_may_depend_on_its_options() {
    let single = result(2, r#"{"bodies":1,"scalar":"f32"}"#);
    let script = Script::new(&[HELLO, &single]);
    let mut engine = script.spec().start().unwrap();
    assert_eq!(engine.info().scalar, Scalar::F64);
    engine.build(&one_disc(), &conditions()).unwrap();
    assert_eq!(engine.info().scalar, Scalar::F32);
}

#[test]
fn a_wrong_greeting_is_told() {
    let greeted = |hello: &str| Script::new(&[hello]).spec().start().map(drop).unwrap_err().to_string();
    for (hello, part) in [
        (
            r#"{"jsonrpc":"2.0","id":1,"result":{"protocol":9,"engine":{"name":"capstan"}}}"#,
            "version 9 of the protocol, and 1 is spoken",
        ),
        (r#"{"jsonrpc":"2.0","id":1,"result":{"protocol":1}}"#, "missing field `engine`"),
        (r#"{"jsonrpc":"2.0","id":1,"result":{"engine":{"name":"capstan"}}}"#, "missing field `protocol`"),
        (
            r#"{"jsonrpc":"2.0","id":1,"error":{"code":-5,"message":"not today"}}"#,
            "to `hello` it answered error -5: not today",
        ),
        (r#"{"jsonrpc":"2.0","id":1}"#, "neither a result nor an error"),
        (r#"{"jsonrpc":"2.0","id":"1","result":{}}"#, "to call 1 (`hello`) it answered call \"1\""),
        ("good morning", "it said `good morning`"),
        ("exit 5", "exit status: 5; its log ends: the crane fell"),
        ("half {\"jsonrpc\":", "half a line: `{\"jsonrpc\":`"),
    ] {
        let said = greeted(hello);
        assert!(said.contains(part), "{hello}: `{part}` not in `{said}`");
    }
}

#[test]
fn an_option_that_it_does_not_list_is_named_with_the_nearest() {
    let script = Script::new(&[HELLO]);
    let error = script.spec().with_options("pases=5").unwrap().start().map(drop).unwrap_err();
    let EngineError::UnknownOption { engine, found, nearest, known } = error else { panic!("{error}") };
    assert_eq!((engine.as_str(), found.as_str(), nearest.as_deref()), ("capstan", "pases", Some("passes")));
    assert_eq!(known, ["passes"]);
}

#[test]
fn what_it_does_not_list_is_not_asked_of_it() {
    let feature = |world: &ironspin_model::World| {
        let script = Script::new(&[HELLO, BUILT]);
        let error = script.spec().start().unwrap().build(world, &conditions()).unwrap_err();
        assert!(script.asked().iter().all(|call| call["method"] != "build"), "it was asked nevertheless");
        let EngineError::Unsupported { feature } = error else { panic!("{error}") };
        feature
    };
    let mut boxed = one_disc();
    boxed.bodies[0].parts.push(Part::solid(PlaneShape::Capsule { length: 1.0, radius: 0.1 }, 0));
    assert_eq!(feature(&boxed), "the shape capsule");
    let mut absent = one_disc();
    absent.bodies[0].absent = true;
    assert_eq!(feature(&absent), "absent");
    let mut space = one_disc();
    space.dimension = Dimension::Space;
    assert_eq!(feature(&space), "worlds of 3 dimensions");
}

#[test]
fn its_refusals_are_refusals_and_not_crashes() {
    let refused = |code: i64| {
        let answer = format!(r#"{{"jsonrpc":"2.0","id":2,"error":{{"code":{code},"message":"hinges with a brake"}}}}"#);
        let script = Script::new(&[HELLO, &answer, &result(3, r#"{"bodies":1}"#)]);
        let mut engine = script.spec().start().unwrap();
        let first = engine.build(&one_disc(), &conditions()).unwrap_err();
        (first, engine.build(&one_disc(), &conditions()))
    };
    let (error, again) = refused(-32001);
    assert_eq!(error, EngineError::Unsupported { feature: "hinges with a brake".into() });
    assert_eq!(again, Ok(()), "an engine that lacks something can be asked for another world");
    assert_eq!(refused(-32000).0, EngineError::NothingBuilt);
    let (error, again) = refused(-32602);
    assert!(error.to_string().contains("error -32602: hinges with a brake"), "{error}");
    assert!(matches!(again, Err(EngineError::Crashed { .. })), "nothing more is asked of what answers wrongly");
}

#[test]
fn a_world_of_other_bodies_is_not_the_one_that_was_sent() {
    for answer in [r#"{"bodies":2}"#, "{}", r#"{"bodies":"1"}"#] {
        let script = Script::new(&[HELLO, &result(2, answer)]);
        let error = script.spec().start().unwrap().build(&one_disc(), &conditions()).unwrap_err();
        assert!(error.to_string().contains("bodies of 1"), "{error}");
    }
}

#[test]
fn frames_that_are_not_those_of_the_steps_are_refused() {
    let whole = format!("{},{},{}", frame(1, 1.0), frame(2, 1.0), frame(3, 1.0));
    assert_eq!(three_steps(&result(3, &format!(r#"{{"frames":[{whole}]}}"#))).unwrap().len(), 3);
    for (frames, part) in [
        (String::new(), "0 frames for 3 steps"),
        (format!("{},{}", frame(1, 1.0), frame(2, 1.0)), "2 frames for 3 steps"),
        (format!("{whole},{}", frame(4, 1.0)), "more than 3 frames"),
        (format!("{},{},{}", frame(0, 1.0), frame(1, 1.0), frame(2, 1.0)), "frame 0 where frame 1 is due"),
        (format!("{},{},{}", frame(1, 1.0), frame(1, 1.0), frame(3, 1.0)), "frame 1 where frame 2 is due"),
        (
            r#"{"step":1,"state":[0,1,0,0,0]}"#.to_owned(),
            "5 numbers in the state of frame 1, and 6 for 1 bodies are due",
        ),
        (r#"{"step":1,"state":[0,1,0,0,0,0,0]}"#.to_owned(), "7 numbers in the state"),
        (r#"{"step":1,"state":[0,1,0,0,0,null]}"#.to_owned(), "a number, or one of"),
        (r#"{"step":-1,"state":[0,1,0,0,0,0]}"#.to_owned(), "invalid value"),
        (
            r#"{"step":1,"state":[0,1,0,0,0,0],"contacts":[[0,0,0,0,0,1,0]]}"#.to_owned(),
            "a contact of 7 numbers, and 8 are due",
        ),
        (r#"{"step":1,"state":[0,1,0,0,0,0],"contacts":[[0,0.5,0,0,0,1,0,0]]}"#.to_owned(), "a contact of no bodies"),
        (r#"{"step":1,"state":[0,1,0,0,0,0],"contacts":[[-1,0,0,0,0,1,0,0]]}"#.to_owned(), "a contact of no bodies"),
        (r#"{"step":1,"state":[0,1,0,0,0,0],"contacts":[["nan",0,0,0,0,1,0,0]]}"#.to_owned(), "a contact of no bodies"),
        (
            r#"{"step":1,"state":[0,1,0,0,0,0],"events":[{"step":1,"kind":"near","sensor":[0,0],"other":[0,0]}]}"#
                .to_owned(),
            "an event of the kind `near`",
        ),
    ] {
        let error = three_steps(&result(3, &format!(r#"{{"frames":[{frames}]}}"#))).unwrap_err();
        assert!(matches!(error, EngineError::BadAnswer { .. }), "{frames}: {error}");
        assert!(error.to_string().contains(part), "{frames}: `{part}` not in `{error}`");
    }
}

#[test]
fn frames_before_the_wrong_one_have_been_handed_on() {
    let frames = format!("{},{},{}", frame(1, 1.5), frame(9, 1.4), frame(3, 1.3));
    let (_script, mut engine) = built(&[&result(3, &format!(r#"{{"frames":[{frames}]}}"#))]);
    let mut seen = Vec::new();
    let error = engine.advance(&[0.1; 3], &mut |frame| seen.push(height(frame))).unwrap_err();
    assert_eq!(seen, [1.5]);
    assert!(error.to_string().contains("frame 9 where frame 2 is due"), "{error}");
}

#[test]
fn what_is_not_finite_comes_through_as_it_was_said() {
    let frames = r#"{"frames":[{"step":1,"state":["nan","inf","-inf",0,0,0]},{"step":2,"state":["nan","nan","nan","nan","nan","nan"]}]}"#;
    let (_script, mut engine) = built(&[&result(3, frames)]);
    let seen = advance(engine.as_mut(), 2).unwrap();
    let first = seen[0].bodies[0];
    assert!(first.pose.position.x.is_nan() && first.pose.angle == f64::NEG_INFINITY && !first.is_absent());
    assert_eq!(first.pose.position.y, f64::INFINITY);
    assert!(seen[1].bodies[0].is_absent());
}

#[test]
fn contacts_say_how_many_impacts_they_are_or_leave_it_open() {
    let frames =
        r#"{"frames":[{"step":1,"state":[0,0,0,0,0,0],"contacts":[[0,0,1,2,0,1,0.5,3],[0,0,1,2,0,1,0.5,3,4]]}]}"#;
    let (_script, mut engine) = built(&[&result(3, frames)]);
    let seen = advance(engine.as_mut(), 1).unwrap();
    let [plain, counted] = &seen[0].contacts[..] else { panic!("{:?}", seen[0].contacts) };
    assert_eq!((plain.times, counted.times), (None, Some(4)));
    assert_eq!(
        (plain.point, plain.normal, plain.depth, plain.impulse),
        (DVec3::new(1.0, 2.0, 0.0), DVec3::Y, 0.5, 3.0)
    );
}

#[test]
fn actions_of_the_scene_go_out_with_the_step_that_they_come_before() {
    let mut world = one_disc();
    let kick =
        |at_time: f64, along: f64| Action { at_time, body: 0, effect: Effect::Velocity(DVec3::new(along, 0.0, 0.0)) };
    // The second is due at the third step; the third when nothing moves any more, after the last.
    world.actions = vec![kick(0.0, 1.0), kick(0.2, 2.0), kick(9.0, 3.0)];
    let frames = |from: usize| {
        result(from + 2, &format!(r#"{{"frames":[{},{}]}}"#, frame(2 * from - 1, 1.0), frame(2 * from, 1.0)))
    };
    let script = Script::new(&[HELLO, BUILT, &frames(1), &frames(2)]);
    let mut engine = script.spec().start().unwrap();
    engine.build(&world, &conditions()).unwrap();
    advance(engine.as_mut(), 2).unwrap();
    engine.act(0, &Effect::Impulse { impulse: DVec3::Y, point: None }).unwrap();
    advance(engine.as_mut(), 2).unwrap();
    let asked = script.asked();
    assert_eq!(asked[2]["params"]["actions"], json!([{"before_step": 0, "body": 0, "velocity": [1.0, 0.0]}]));
    // 0.1 + 0.1 is 0.2, and an action on a condition goes first.
    assert_eq!(
        asked[3]["params"]["actions"],
        json!([{"before_step": 2, "body": 0, "impulse": [0.0, 1.0]}, {"before_step": 2, "body": 0, "velocity": [2.0, 0.0]}])
    );
}

#[test]
fn a_restored_state_brings_back_the_count_of_steps_and_the_actions_that_were_still_to_come() {
    let mut world = one_disc();
    world.actions = vec![Action { at_time: 0.1, body: 0, effect: Effect::Remove }];
    let step = |id: usize, step: usize| result(id, &format!(r#"{{"frames":[{}]}}"#, frame(step, 1.0)));
    let script = Script::new(&[
        HELLO,
        BUILT,
        &step(3, 1),
        &result(4, r#"{"token":77}"#),
        &step(5, 2),
        &result(6, "{}"),
        &step(7, 2),
    ]);
    let mut engine = script.spec().start().unwrap();
    engine.build(&world, &conditions()).unwrap();
    advance(engine.as_mut(), 1).unwrap();
    let token = engine.save().unwrap();
    assert_eq!(token, Token(77));
    let first = advance(engine.as_mut(), 1).unwrap();
    engine.restore(token).unwrap();
    let second = advance(engine.as_mut(), 1).unwrap();
    assert_eq!((first[0].step, first[0].time), (second[0].step, second[0].time));
    let asked = script.asked();
    assert_eq!(asked[5]["params"], json!({"token": 77}));
    assert_eq!(asked[4]["params"], asked[6]["params"]);
    assert_eq!(asked[6]["params"]["actions"], json!([{"before_step": 1, "body": 0, "remove": true}]));
}

#[test]
fn tokens_that_are_none_and_states_that_were_never_saved_are_told() {
    let (_script, mut engine) = built(&[&result(3, r#"{"token":"first"}"#)]);
    assert!(engine.save().unwrap_err().to_string().contains("a token such as \"first\""));
    let (_script, mut engine) = built(&[&result(3, "{}")]);
    assert!(engine.restore(Token(5)).unwrap_err().to_string().contains("nothing is saved under 5"));
}

#[test]
fn a_ray_is_asked_for_and_its_hit_understood() {
    let hit = result(3, r#"{"hit":{"body":0,"point":[-1,2],"normal":[-1,0],"distance":4}}"#);
    let (script, mut engine) = built(&[&hit, &result(4, r#"{"hit":null}"#)]);
    let ends = [DVec3::new(-5.0, 2.0, 0.0), DVec3::new(5.0, 2.0, 0.0)];
    let hit = engine.ray(ends[0], ends[1]).unwrap().unwrap();
    assert_eq!((hit.body, hit.point, hit.normal, hit.distance), (0, DVec3::new(-1.0, 2.0, 0.0), -DVec3::X, 4.0));
    assert_eq!(engine.ray(ends[0], ends[1]).unwrap(), None);
    assert_eq!(script.asked()[2]["params"], json!({"from": [-5.0, 2.0], "to": [5.0, 2.0]}));
}

#[test]
fn a_crash_says_at_which_steps_and_the_engine_stays_gone() {
    let first = result(3, &format!(r#"{{"frames":[{}]}}"#, frame(1, 1.0)));
    let (script, mut engine) = built(&[&first, "exit 9"]);
    advance(engine.as_mut(), 1).unwrap();
    let error = advance(engine.as_mut(), 3).unwrap_err();
    assert!(matches!(error, EngineError::Crashed { .. }), "{error}");
    for part in ["in steps 2 to 4: ", "exit status: 9", "its log ends: the crane fell"] {
        assert!(error.to_string().contains(part), "`{part}` not in `{error}`");
    }
    assert!(advance(engine.as_mut(), 1).unwrap_err().to_string().contains("it has failed before"));
    drop(engine);
    // A process that failed is not used for the next trial.
    let next = script.spec().start().unwrap();
    assert_eq!((next.info().name.as_str(), script.starts()), ("capstan", 2));
}

#[test]
fn a_hang_ends_at_the_limit_of_its_steps() {
    let script = Script::new(&[HELLO, BUILT, "sleep"]);
    let limits = ProcessLimits { limits: "step=0.1".parse().unwrap(), ..ProcessLimits::default() };
    let mut engine = script.spec().on(&limits).start().unwrap();
    engine.build(&one_disc(), &conditions()).unwrap();
    // 0.1 s for each of the steps that are asked for at once.
    let error = advance(engine.as_mut(), 2).unwrap_err();
    assert!(matches!(error, EngineError::Hung { .. }), "{error}");
    assert!(error.to_string().contains("in steps 1 to 2: no answer in 0.2 s to {"), "{error}");
}

#[test]
fn a_process_serves_one_trial_after_the_other_unless_each_wants_its_own() {
    let many: Vec<String> = (2..9).map(|id| result(id, r#"{"bodies":1}"#)).collect();
    let answers: Vec<&str> = std::iter::once(HELLO).chain(many.iter().map(String::as_str)).collect();
    let script = Script::new(&answers);
    let spec = script.spec();
    for used in [false, true, true] {
        let (mut engine, again) = spec.begin(false).unwrap();
        assert_eq!(again, used);
        engine.build(&one_disc(), &conditions()).unwrap();
    }
    assert_eq!(script.starts(), 1);
    let hellos = script.asked().iter().filter(|call| call["method"] == "hello").count();
    assert_eq!(hellos, 1, "what it said of itself is remembered");
    assert!(!spec.begin(true).unwrap().1);
    assert_eq!(script.starts(), 2);
    let fresh = spec.on(&ProcessLimits { fresh: true, ..ProcessLimits::default() });
    for _ in 0..2 {
        assert!(!fresh.begin(false).unwrap().1);
    }
    assert_eq!(script.starts(), 4);
}

#[test]
fn nothing_is_asked_before_a_world_is_built() {
    let script = Script::new(&[HELLO]);
    let mut engine = script.spec().start().unwrap();
    assert_eq!(advance(engine.as_mut(), 1), Err(EngineError::NothingBuilt));
    assert_eq!(engine.act(0, &Effect::Remove), Err(EngineError::NothingBuilt));
    assert_eq!(script.asked().len(), 1);
}

#[test]
fn a_program_that_is_not_there_cannot_be_started() {
    let error = ironspin_link::EngineSpec::read("cmd:./no/such/engine --quick").unwrap().start().map(drop).unwrap_err();
    assert!(matches!(error, EngineError::Crashed { .. }) && error.to_string().contains("cannot be started"), "{error}");
    let library = ironspin_link::EngineSpec::read("lib:./engine.so").unwrap();
    assert!(library.start().map(drop).unwrap_err().to_string().contains("by the program `ironspin` only"));
}
