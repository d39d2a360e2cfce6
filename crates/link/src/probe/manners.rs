//! The protocol itself: `hello`, errors, numbering, names, the end.

use super::Question;
use super::say::{body, disc, fixed, flying, heavy, made_of, with, world};
use super::talk::{Stop, Talk, wrong};
use ironspin_model::{FEATURES, PlaneShape, SpaceShape, nearest};
use serde_json::{Value, json};

/// Asked first, while nothing is built.
pub(super) const FIRST: &[Question] = &[
    Question { name: "hello", asks: "says what it is, in words that are known", needs: "", ask: hello },
    Question { name: "before build", asks: "refuses to advance before there is a world", needs: "", ask: before_build },
    Question { name: "unknown method", asks: "refuses a method that it does not know", needs: "", ask: unknown_method },
    Question { name: "bad parameters", asks: "refuses a world without bodies", needs: "", ask: bad_parameters },
    Question { name: "bad JSON", asks: "refuses a line that is no JSON, and goes on", needs: "", ask: bad_json },
    Question {
        name: "unknown option",
        asks: "refuses an option that it does not list",
        needs: "",
        ask: unknown_option,
    },
    Question { name: "unknown keys", asks: "passes over keys that it does not know", needs: "", ask: unknown_keys },
    Question { name: "frame 0", asks: "gives the world as built when asked for no steps", needs: "", ask: frame_zero },
    Question { name: "body order", asks: "keeps the bodies in the order of their ids", needs: "", ask: body_order },
    Question { name: "names", asks: "takes names in any script", needs: "", ask: names },
    Question { name: "record", asks: "gives every frame whose step is a multiple of `record`", needs: "", ask: record },
    Question { name: "build again", asks: "replaces the world by the next `build`", needs: "", ask: build_again },
    Question { name: "same again", asks: "does the same twice, to the last bit", needs: "", ask: same_again },
    Question { name: "calls split", asks: "does the same in one call and in ten", needs: "", ask: calls_split },
    Question { name: "seeds", asks: "takes seeds up to 2^53 - 1", needs: "", ask: seeds },
    Question { name: "many bodies", asks: "builds 2,000 bodies", needs: "", ask: many },
];

/// Asked last.
pub(super) const LAST: &[Question] =
    &[Question { name: "close", asks: "answers `close` and ends", needs: "", ask: close }];

fn hello(talk: &mut Talk) -> Result<(), Stop> {
    let reported = talk.tell("hello", &Talk::greeting())?;
    if reported["protocol"] != json!(1) {
        return wrong(format!("`protocol` is {}", reported["protocol"]), "answer `hello` with \"protocol\":1");
    }
    if reported["engine"]["name"].as_str().is_none_or(str::is_empty) {
        return wrong("no name", "`hello` names the engine: \"engine\":{\"name\":\"...\",\"version\":\"...\"}");
    }
    let known_spaces = |spaces: &Vec<Value>| spaces.iter().all(|space| [json!(2), json!(3)].contains(space));
    if !reported["spaces"].as_array().is_some_and(|spaces| !spaces.is_empty() && known_spaces(spaces)) {
        let hint = "list the worlds it can build: \"spaces\":[2] for the plane, [3] for space, [2,3] for both";
        return wrong(format!("`spaces` is {}", reported["spaces"]), hint);
    }
    let known = |words: &Value, of: &[&str], what: &str| {
        let words = words.as_array().cloned().unwrap_or_default();
        for word in words {
            let text = word.as_str().unwrap_or_default();
            if !of.contains(&text) {
                let near =
                    nearest(text, of.iter().copied()).map_or(String::new(), |near| format!("; did you mean `{near}`?"));
                return wrong(
                    format!("the {what} {word}"),
                    format!("a word outside the protocol is never asked for{near}"),
                );
            }
        }
        Ok(())
    };
    let shapes: Vec<&str> = PlaneShape::WORDS.into_iter().chain(SpaceShape::WORDS).collect();
    known(&reported["shapes"], &shapes, "shape")?;
    let features: Vec<&str> = FEATURES.iter().copied().chain(["absent"]).collect();
    known(&reported["features"], &features, "feature")?;
    if reported["shapes"].as_array().is_none_or(Vec::is_empty) {
        return wrong("no shapes", "list what bodies may be made of: \"shapes\":[\"disc\",\"box\"]");
    }
    Ok(())
}

fn before_build(talk: &mut Talk) -> Result<(), Stop> {
    // Whatever was asked before, this process has built nothing yet.
    let hint = "answer calls that need a world with error -32000 until there is one";
    talk.refused("advance", &json!({"dt": [0.01], "record": 1, "actions": []}), -32000, hint)
}

fn unknown_method(talk: &mut Talk) -> Result<(), Stop> {
    talk.refused(
        "pirouette",
        &json!({}),
        -32601,
        "answer methods that you do not know with error -32601, not with a result",
    )
}

fn bad_parameters(talk: &mut Talk) -> Result<(), Stop> {
    // In a world that it can build, so that only what is missing is wrong.
    let space = talk.tell("hello", &Talk::greeting())?["spaces"][0].clone();
    talk.refused("build", &json!({"space": space}), -32602, "answer parameters that lack something with error -32602")
}

fn bad_json(talk: &mut Talk) -> Result<(), Stop> {
    let answer = talk.line("this is not JSON")?;
    if answer["error"]["code"] != json!(-32700) {
        return wrong(
            answer.to_string(),
            "answer a line that is no JSON with error -32700 and \"id\":null, and read the next",
        );
    }
    talk.tell("hello", &Talk::greeting()).map(drop)
}

fn unknown_option(talk: &mut Talk) -> Result<(), Stop> {
    let wrong_world = with(world(vec![disc(0.5, 0.0, 0.0)]), json!({"options": {"no-such-option": "1"}}));
    talk.refused(
        "build",
        &wrong_world,
        -32602,
        "an option that is not known must not be passed over: a test with a slip would test something else",
    )
}

fn unknown_keys(talk: &mut Talk) -> Result<(), Stop> {
    let body = with(disc(0.5, 0.0, 0.0), json!({"colour": "grey", "weather": [1, 2]}));
    let strange = with(world(vec![body]), json!({"season": {"name": "autumn"}}));
    talk.build(&strange)?;
    let asked = json!({"dt": [0.01], "record": 1, "actions": [], "mood": "good"});
    talk.tell("advance", &asked).map(drop)
}

fn frame_zero(talk: &mut Talk) -> Result<(), Stop> {
    let turned = with(disc(0.5, 0.1, -0.2), json!({"angle": 0.3, "velocity": [1.5, -2.5], "spin": 0.7}));
    talk.build(&heavy(world(vec![turned, disc(0.25, 3.0, 4.0)])))?;
    let seen = talk.run(0, 0.01)?;
    if seen.step != 0 {
        return wrong(
            format!("step {}", seen.step),
            "steps count from 0 at `build`; asked for no steps, give the present frame",
        );
    }
    let due = [[0.1, -0.2, 0.3, 1.5, -2.5, 0.7], [3.0, 4.0, 0.0, 0.0, 0.0, 0.0]];
    let exact = talk.exact();
    for (number, (row, due)) in seen.bodies.iter().zip(due).enumerate() {
        if row.iter().zip(due).any(|(found, due)| !((found - due).abs() <= exact)) {
            return wrong(
                format!("body {number} at {row:?}, and {due:?} is due"),
                "the frame before the first step is the world as built: no hidden step, and x, y, angle, vx, vy, spin in this order",
            );
        }
    }
    Ok(())
}

fn body_order(talk: &mut Talk) -> Result<(), Stop> {
    let bodies: Vec<Value> = (0..6)
        .map(|number| {
            let body = disc(0.25, 2.0 * f64::from(number), f64::from(number * number));
            if number % 2 == 0 { fixed(body) } else { body }
        })
        .collect();
    talk.build(&world(bodies))?;
    let seen = talk.run(1, 0.01)?;
    if seen.bodies.len() != 6 {
        return wrong(format!("{} bodies", seen.bodies.len()), "give a row for every body, static ones too");
    }
    for (number, row) in seen.bodies.iter().enumerate() {
        if !((row[0] - 2.0 * number as f64).abs() < 1e-6) {
            return wrong(
                format!("the row of body {number} is at x = {}", row[0]),
                "rows stand in the order of the ids, not in that of your own lists (static bodies first, or sorted)",
            );
        }
    }
    Ok(())
}

fn names(talk: &mut Talk) -> Result<(), Stop> {
    let mut strange = world(vec![disc(0.5, 0.0, 0.0), disc(0.5, 5.0, 0.0)]);
    strange["bodies"][0]["name"] = json!("Gießkelle \u{1F525} \"quoted\" \\ [0]");
    strange["bodies"][1]["name"] = json!("");
    strange["materials"][0]["name"] = json!("鉄");
    talk.build(&strange)?;
    talk.run(1, 0.01).map(drop)
}

fn record(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![flying(0.5, 0.0, 0.0, 1.0, 0.0)]))?;
    let hint = "`record`: k gives the frames whose step, counted since `build`, is a multiple of k; not every k-th of the call";
    for (count, due) in [(12, vec![5, 10]), (3, vec![15]), (4, vec![])] {
        let steps: Vec<u64> = talk.steps(&vec![0.01; count], 5, &json!([]))?.iter().map(|seen| seen.step).collect();
        if steps != due {
            return wrong(format!("frames {steps:?}, and {due:?} are due"), hint);
        }
    }
    Ok(())
}

fn build_again(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![flying(0.5, 0.0, 0.0, 1.0, 0.0), disc(0.5, 9.0, 0.0)]))?;
    talk.run(5, 0.01)?;
    talk.build(&world(vec![disc(0.5, 7.0, 0.0)]))?;
    let seen = talk.run(1, 0.01)?;
    if seen.step != 1 || seen.bodies.len() != 1 || !((seen.bodies[0][0] - 7.0).abs() < 1e-6) {
        return wrong(
            format!("step {} with {} bodies, the first at {:?}", seen.step, seen.bodies.len(), seen.bodies.first()),
            "`build` begins anew: no body of the world before is left, and steps count from 0 again",
        );
    }
    Ok(())
}

/// Discs that fall onto each other and a floor; beside them, where there are boxes, a stack that presses with friction.
pub(super) fn heap(talk: &Talk, threads: u64) -> Value {
    let mut bodies = vec![fixed(disc(50.0, 0.0, -50.0))];
    bodies.extend((0..12).map(|n| disc(0.3, 0.17 * f64::from(n % 3), 0.5 + 0.65 * f64::from(n))));
    if talk.lists("shape box") {
        let piece = |width: f64, y: f64| body(&json!({"box": [width, 0.5]}), 100.0, y);
        bodies.push(fixed(piece(20.0, -0.25)));
        bodies.extend((0..8).map(|n| with(piece(1.0, 0.26 + 0.51 * f64::from(n)), json!({"spin": 0.1}))));
    }
    let heap = made_of(world(bodies), &[[0.3, 0.0]]);
    with(heap, json!({"gravity": [0.0, -9.8], "threads": threads}))
}

pub(super) fn bits(talk: &mut Talk, threads: u64, parts: usize) -> Result<Vec<Vec<u64>>, Stop> {
    talk.build(&heap(talk, threads))?;
    let mut all = Vec::new();
    for _ in 0..parts {
        for seen in talk.steps(&vec![0.01; 100 / parts], 1, &json!([]))? {
            all.push(seen.bodies.iter().flatten().map(|number| number.to_bits()).collect());
        }
    }
    Ok(all)
}

fn first_difference(a: &[Vec<u64>], b: &[Vec<u64>]) -> Option<usize> {
    (a.len() != b.len()).then_some(0).or_else(|| a.iter().zip(b).position(|(a, b)| a != b).map(|at| at + 1))
}

fn same_again(talk: &mut Talk) -> Result<(), Stop> {
    let (first, second) = (bits(talk, 1, 1)?, bits(talk, 1, 1)?);
    match first_difference(&first, &second) {
        None => Ok(()),
        Some(step) => wrong(
            format!("the same world built again differs at step {step}"),
            "something is left of the world before (warm starts, a broad phase, random numbers), or an order hangs on addresses or hashes",
        ),
    }
}

fn calls_split(talk: &mut Talk) -> Result<(), Stop> {
    let (whole, parts) = (bits(talk, 1, 1)?, bits(talk, 1, 10)?);
    match first_difference(&whole, &parts) {
        None => Ok(()),
        Some(step) => wrong(
            format!("a hundred steps in one call and in ten differ at step {step}"),
            "nothing may happen at the beginning or end of an `advance`: no reset of impulses, no rounding of the state",
        ),
    }
}

fn seeds(talk: &mut Talk) -> Result<(), Stop> {
    let far = with(world(vec![disc(0.5, 0.0, 0.0)]), json!({"seed": (1_u64 << 53) - 1}));
    talk.build(&far)?;
    talk.run(1, 0.01).map(drop)
}

fn many(talk: &mut Talk) -> Result<(), Stop> {
    let bodies = (0..2000).map(|n| disc(0.25, f64::from(n % 50), f64::from(n / 50))).collect();
    talk.build(&world(bodies))?;
    let seen = talk.run(1, 0.01)?;
    match seen.bodies.len() {
        2000 => Ok(()),
        count => {
            wrong(format!("{count} bodies of 2000"), "read whole lines: a world of this size is a line of a megabyte")
        }
    }
}

fn close(talk: &mut Talk) -> Result<(), Stop> {
    talk.tell("close", &json!({}))?;
    talk.must_end()
}
