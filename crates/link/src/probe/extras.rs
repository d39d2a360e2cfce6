//! Whatever an engine lists beyond the plain: sensors, filters, rays, restore, threads.

use super::Question;
use super::manners::{bits, heap};
use super::say::{body, disc, driven, fixed, flying, made_of, with, world};
use super::talk::{Seen, Stop, Talk, expect, wrong};
use serde_json::{Value, json};

pub(super) const QUESTIONS: &[Question] = &[
    Question {
        name: "kinematic",
        asks: "moves kinematic bodies at their velocity, whatever they meet",
        needs: "kinematic",
        ask: kinematic,
    },
    Question { name: "layers", asks: "lets bodies meet only when both want to", needs: "filter", ask: layers },
    Question {
        name: "apart",
        asks: "keeps pairs in `apart` from touching, in either order",
        needs: "filter",
        ask: apart,
    },
    Question {
        name: "sensor",
        asks: "notices what enters and leaves, and pushes nothing",
        needs: "sensor",
        ask: sensor,
    },
    Question {
        name: "sensor as built",
        asks: "notices at step 0 what overlaps as built",
        needs: "sensor",
        ask: sensor_as_built,
    },
    Question { name: "swept", asks: "stops fast bodies at thin walls", needs: "swept", ask: swept },
    Question { name: "restore", asks: "goes back to a saved state, to the last bit", needs: "restore", ask: restore },
    Question { name: "ray", asks: "reports what a ray hits first", needs: "ray", ask: ray },
    Question { name: "ray from inside", asks: "hits at distance 0 from inside a solid", needs: "ray", ask: ray_inside },
    Question { name: "threads", asks: "does the same on two threads as on one", needs: "threads", ask: threads },
    Question { name: "absent bodies", asks: "takes bodies in that were absent", needs: "absent", ask: absent },
];

fn kinematic(talk: &mut Talk) -> Result<(), Stop> {
    let pusher = with(driven(disc(0.5, 0.0, 0.0)), json!({"velocity": [1.0, 0.0]}));
    talk.build(&with(world(vec![pusher, disc(0.5, 2.0, 0.0)]), json!({"gravity": [0.0, 0.0]})))?;
    let seen = talk.run(300, 0.01)?;
    let hints = [(0.0, "a kinematic body does not move by itself here: it moves at the velocity that it has")];
    expect(
        "x of a kinematic body after 3 s at 1 m/s",
        seen.bodies[0][0],
        3.0,
        1e-3,
        &hints,
        "nothing pushes a kinematic body: it counts as infinitely heavy",
    )?;
    if seen.bodies[1][0] < 3.9 {
        return wrong(
            format!("the disc in its way is at x = {}", seen.bodies[1][0]),
            "kinematic bodies push dynamic ones",
        );
    }
    Ok(())
}

/// Whether a flying disc is held up by a fixed one, with layers and meets of both.
fn meet(talk: &mut Talk, first: [u32; 2], second: [u32; 2], apart: &Value) -> Result<bool, Stop> {
    let wall = with(fixed(disc(1.0, 0.0, 0.0)), json!({"layers": first[0], "meets": first[1]}));
    let bullet = with(flying(0.5, 3.0, 0.0, -1.0, 0.0), json!({"layers": second[0], "meets": second[1]}));
    talk.build(&with(world(vec![wall, bullet]), json!({"apart": apart})))?;
    Ok(talk.run(400, 0.01)?.bodies[1][0] > 0.0)
}

fn layers(talk: &mut Talk) -> Result<(), Stop> {
    for (first, second, due, hint) in [
        ([1, 2], [2, 1], true, "each one's `layers` share a bit with the other's `meets`: they meet"),
        ([1, 1], [2, 2], false, "neither wants the other: they do not meet"),
        (
            [1, 2],
            [2, 4],
            false,
            "both must want to: the second's `meets` leaves the first out, though the first wants it",
        ),
        (
            [1, 4],
            [2, 1],
            false,
            "both must want to: the first's `meets` leaves the second out, though the second wants it",
        ),
        ([0x8000_0000, 0x8000_0000], [0x8000_0000, 0x8000_0000], true, "layers are 32 bits without a sign"),
    ] {
        if meet(talk, first, second, &json!([]))? != due {
            return wrong(
                format!("layers and meets {first:?} and {second:?}: {}", if due { "passes" } else { "is held up" }),
                hint,
            );
        }
    }
    Ok(())
}

fn apart(talk: &mut Talk) -> Result<(), Stop> {
    let all = [1, u32::MAX];
    for order in [json!([[0, 1]]), json!([[1, 0]])] {
        if meet(talk, all, all, &order)? {
            return wrong(
                format!("the pair {order} touches"),
                "pairs in `apart` never touch, in whichever order they are named",
            );
        }
    }
    Ok(())
}

fn gate(layers: u32) -> Value {
    let mut gate = with(fixed(disc(0.5, 0.0, 0.0)), json!({"layers": layers}));
    gate["parts"][0]["sensor"] = json!(true);
    gate
}

fn kinds(frames: &[Seen]) -> Vec<(String, u64)> {
    let reported = |event: &Value| {
        (event["kind"].as_str().unwrap_or_default().to_owned(), event["step"].as_u64().unwrap_or(u64::MAX))
    };
    frames.iter().flat_map(|seen| seen.events.iter().map(reported)).collect()
}

fn sensor(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![gate(1), flying(0.1, 2.0, 0.0, -1.0, 0.0)]))?;
    let frames = talk.steps(&[0.01; 400], 1, &json!([]))?;
    let Some(last) = frames.last() else { return wrong("no frames", "give a frame after every step") };
    expect(
        "x after 4 s through a sensor",
        last.bodies[1][0],
        -2.0,
        1e-3,
        &[(0.6, "a sensor pushes nothing")],
        "a sensor pushes nothing",
    )?;
    let reported = kinds(&frames);
    let words: Vec<&str> = reported.iter().map(|(kind, _)| kind.as_str()).collect();
    if words != ["enter", "leave"] {
        return wrong(
            format!("it reported {words:?}"),
            "one `enter` and one `leave` for each body that passes, not one for each step",
        );
    }
    for ((kind, step), due) in reported.iter().zip([140.0, 260.0]) {
        let what = format!("the step of `{kind}`");
        expect(
            &what,
            *step as f64,
            due,
            2.0,
            &[(1.0, "an event has its own step")],
            "a sensor notices overlap of surfaces, not of centres, at the step where it begins",
        )?;
    }
    let event = frames.iter().flat_map(|seen| &seen.events).next().cloned().unwrap_or_default();
    if event["sensor"] != json!([0, 0]) || event["other"] != json!([1, 0]) {
        return wrong(event.to_string(), "`sensor` and `other` are [body, part], the sensor's own first");
    }
    Ok(())
}

fn sensor_as_built(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![gate(1), disc(0.1, 0.2, 0.0)]))?;
    let frames = talk.steps(&[0.01; 3], 1, &json!([]))?;
    let zero = talk.steps(&[], 1, &json!([]))?;
    let mut reported = kinds(&frames);
    if reported.is_empty() {
        reported = kinds(&zero);
    }
    // Frame 0 was not asked for, so that the first frame shows it.
    if reported != [("enter".to_owned(), 0)] {
        return wrong(
            format!("it reported {reported:?}"),
            "an overlap as built is an `enter` at step 0, reported with the first frame that is given",
        );
    }
    Ok(())
}

fn swept(talk: &mut Talk) -> Result<(), Stop> {
    let shapes = &talk.hello.shapes;
    let wall = if shapes.iter().any(|shape| shape == "box") {
        body(&json!({"box": [0.05, 4.0]}), 0.0, 0.0)
    } else {
        disc(0.1, 0.0, 0.0)
    };
    let bullet = with(flying(0.05, 5.0, 0.0, -300.0, 0.0), json!({"swept": true}));
    talk.build(&world(vec![fixed(wall), bullet]))?;
    let x = talk.run(20, 0.01)?.bodies[1][0];
    if x < 0.0 {
        return wrong(
            format!("a swept disc at 300 m/s is at x = {x}, behind a wall at 0"),
            "bodies with `swept` are followed along their way in the step, not only where they end",
        );
    }
    Ok(())
}

fn restore(talk: &mut Talk) -> Result<(), Stop> {
    let heap = heap(talk, 1);
    talk.build(&heap)?;
    talk.run(30, 0.01)?;
    let token = talk.tell("save", &json!({}))?["token"].clone();
    let first = talk.run(40, 0.01)?;
    talk.tell("restore", &json!({"token": token}))?;
    let back = talk.run(0, 0.01)?;
    if back.step != 30 {
        return wrong(
            format!("step {} after going back to step 30", back.step),
            "`restore` goes back in the count of steps too",
        );
    }
    let second = talk.run(40, 0.01)?;
    if first.bodies != second.bodies {
        return wrong(
            "the same steps from the restored state end elsewhere",
            "save everything that the next step uses: warm-start impulses, sleep timers, the broad phase",
        );
    }
    Ok(())
}

fn hit(talk: &mut Talk, from: [f64; 2], to: [f64; 2]) -> Result<Value, Stop> {
    Ok(talk.tell("ray", &json!({"from": from, "to": to}))?["hit"].clone())
}

fn ray(talk: &mut Talk) -> Result<(), Stop> {
    let mut first = gate(1);
    first["position"] = json!([2.0, 0.0]);
    let far = disc(1.0, 5.0, 0.0);
    talk.build(&world(vec![far, first, disc(1.0, 9.0, 0.0)]))?;
    talk.run(0, 0.01)?;
    let reported = hit(talk, [0.0, 0.0], [20.0, 0.0])?;
    if reported["body"] == json!(1) {
        return wrong("it hits a sensor", "rays pass over sensors");
    }
    if reported["body"] != json!(0) {
        return wrong(
            format!("it hits {}", reported["body"]),
            "the first body on the way is reported, not the first in the list",
        );
    }
    let number = |value: &Value| value.as_f64().unwrap_or(f64::NAN);
    let hints = [(0.2, "`distance` is in m from the start of the ray, not a share of it")];
    expect(
        "distance",
        number(&reported["distance"]),
        4.0,
        1e-3,
        &hints,
        "`distance` is in m from the start of the ray",
    )?;
    expect(
        "nx",
        number(&reported["normal"][0]),
        -1.0,
        1e-3,
        &[(1.0, "the normal points out of the body, against the ray")],
        "the normal points out of the body",
    )?;
    match hit(talk, [0.0, 3.0], [20.0, 3.0])?.is_null() {
        true => Ok(()),
        false => wrong("a ray that passes by hits something", "answer {\"hit\":null} where nothing is hit"),
    }
}

fn ray_inside(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![disc(1.0, 0.0, 0.0)]))?;
    talk.run(0, 0.01)?;
    let reported = hit(talk, [0.2, 0.0], [5.0, 0.0])?;
    if reported.is_null() {
        return wrong("it misses the body in which it begins", "from inside a solid a ray hits it at distance 0");
    }
    expect(
        "distance from inside",
        reported["distance"].as_f64().unwrap_or(f64::NAN),
        0.0,
        1e-6,
        &[(0.8, "this is the way out")],
        "from inside a solid a ray hits it at distance 0",
    )
}

fn threads(talk: &mut Talk) -> Result<(), Stop> {
    match bits(talk, 1, 1)? == bits(talk, 2, 1)? {
        true => Ok(()),
        false => wrong(
            "two threads give other bits than one",
            "sums and orders must not hang on who is first: fix them by the numbers of bodies",
        ),
    }
}

fn absent(talk: &mut Talk) -> Result<(), Stop> {
    let later = with(flying(0.5, 5.0, 0.0, 1.0, 0.0), json!({"absent": true}));
    talk.build(&made_of(world(vec![disc(0.5, 0.0, 0.0), later]), &[[0.0, 0.0]]))?;
    let before = talk.run(2, 0.01)?;
    if !before.bodies[1].iter().all(|number| number.is_nan()) {
        return wrong(
            format!("{:?} for an absent body", before.bodies[1]),
            "all six numbers of an absent body are the text \"nan\"",
        );
    }
    let row = talk.run_with(2, 0.01, &json!([{"before_step": 2, "body": 1, "add": true}]))?.bodies[1];
    expect(
        "x two steps after it came in at 5 m",
        row[0],
        5.02,
        1e-6,
        &[],
        "an absent body comes in where and as it was built",
    )
}
