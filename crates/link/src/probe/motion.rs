//! Free motion, actions, step lengths.

use super::Question;
use super::say::{disc, fixed, flying, heavy, with, world};
use super::talk::{Stop, Talk, expect, wrong};
use serde_json::{Value, json};

pub(super) const QUESTIONS: &[Question] = &[
    Question { name: "velocity", asks: "moves by velocity times time", needs: "", ask: velocity },
    Question { name: "spin", asks: "turns in radians, counter-clockwise", needs: "", ask: spin },
    Question { name: "gravity", asks: "falls by gravity, whatever the mass", needs: "", ask: gravity },
    Question { name: "static bodies", asks: "leaves static bodies where they are", needs: "", ask: static_bodies },
    Question {
        name: "gravity of a body",
        asks: "multiplies gravity by `gravity_factor`",
        needs: "body_gravity",
        ask: factor,
    },
    Question { name: "step lengths", asks: "takes each step's own length", needs: "", ask: lengths },
    Question { name: "step of 0", asks: "counts a step of length 0 and changes nothing", needs: "", ask: nothing },
    Question { name: "linear damping", asks: "slows by exp(-c t)", needs: "", ask: damped },
    Question { name: "angular damping", asks: "slows turning by exp(-c t)", needs: "", ask: damped_spin },
    Question { name: "impulse", asks: "changes velocity by impulse over mass", needs: "", ask: impulse },
    Question {
        name: "impulse at a point",
        asks: "turns by lever arm times impulse over inertia",
        needs: "",
        ask: at_a_point,
    },
    Question { name: "force", asks: "pushes for one step", needs: "", ask: force },
    Question { name: "torque", asks: "twists for one step", needs: "", ask: torque },
    Question { name: "setting", asks: "sets velocity, spin and place", needs: "", ask: setting },
    Question { name: "action timing", asks: "acts before the step that is named", needs: "", ask: timing },
    Question { name: "actions kept", asks: "keeps actions for later calls", needs: "", ask: kept },
    Question { name: "late actions", asks: "refuses actions on steps that are done", needs: "", ask: late },
    Question { name: "gravity changed", asks: "takes a new gravity on the way", needs: "", ask: gravity_changed },
    Question {
        name: "removal",
        asks: "gives \"nan\" for a removed body, and keeps the rows of the others",
        needs: "",
        ask: removal,
    },
    Question { name: "fixed turn", asks: "keeps the angle of a body with `fixed_turn`", needs: "", ask: fixed_turn },
];

/// Roundings of some hundred steps.
fn slack(talk: &Talk) -> f64 {
    talk.exact().max(1e-9)
}

fn velocity(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![flying(0.5, 0.0, 0.0, 1.0, 2.0)]))?;
    let row = talk.run(100, 0.01)?.bodies[0];
    let hints = [
        (1e-3, "`dt` is in seconds, and is taken for milliseconds"),
        (1000.0, "`dt` is in seconds, and is multiplied by 1000"),
        (0.0, "nothing moves: is `velocity` read, and the body dynamic?"),
    ];
    expect("after 1 s at 1 m/s x", row[0], 1.0, slack(talk), &hints, "position is the sum of velocity times `dt`")?;
    let hints = [(-2.0, "y is up; the engine counts it down"), (1.0, "y follows x")];
    expect("after 1 s at 2 m/s y", row[1], 2.0, slack(talk), &hints, "position is the sum of velocity times `dt`")
}

fn spin(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![with(disc(0.5, 0.0, 0.0), json!({"spin": 1.0}))]))?;
    let row = talk.run(100, 0.01)?.bodies[0];
    let degree = 180.0 / std::f64::consts::PI;
    let hints = [
        (degree, "angles are in radians; these are degrees"),
        (1.0 / degree, "`spin` is in radians a second, and is taken for degrees"),
        (-1.0, "counter-clockwise is positive"),
        (0.0, "nothing turns: is `spin` read?"),
    ];
    expect("after 1 s at 1 rad/s the angle", row[2], 1.0, slack(talk), &hints, "angle is the sum of spin times `dt`")
}

fn gravity(talk: &mut Talk) -> Result<(), Stop> {
    let heavy = with(disc(0.5, 5.0, 0.0), json!({"mass": 3.0}));
    talk.build(&with(world(vec![disc(0.5, 0.0, 0.0), heavy]), json!({"gravity": [1.0, -2.0]})))?;
    let seen = talk.run(100, 0.01)?;
    for (row, mass) in seen.bodies.iter().zip(["1", "3"]) {
        let hints = [
            (2.0, "y is up, and gravity has its own sign: add it as it comes"),
            (-4.0, "gravity is applied twice"),
            (-6.0, "gravity is an acceleration: it is not multiplied by the mass"),
            (-2.0 / 3.0, "gravity is an acceleration: it is not divided by the mass"),
            (0.0, "gravity does not act: is it read from `build`?"),
            (-9.81, "gravity is the one of `build`, not a number of the engine's own"),
        ];
        let what = format!("after 1 s under gravity [1, -2], mass {mass} kg, vy");
        expect(&what, row[4], -2.0, 1e3 * slack(talk), &hints, "velocity changes by gravity times `dt`")?;
        expect(
            "vx",
            row[3],
            1.0,
            1e3 * slack(talk),
            &[(0.0, "gravity has an x too")],
            "velocity changes by gravity times `dt`",
        )?;
        // Whatever the integrator, it lies within one step's worth of the parabola.
        let otherwise = "position follows velocity: y = g t^2 / 2, within the error of the integrator";
        expect("y", row[1], -1.0, 0.021, &[], otherwise)?;
    }
    Ok(())
}

fn static_bodies(talk: &mut Talk) -> Result<(), Stop> {
    let strange = with(fixed(disc(0.5, 1.0, 2.0)), json!({"velocity": [0.0, 0.0]}));
    talk.build(&heavy(world(vec![strange])))?;
    let row = talk.run(50, 0.01)?.bodies[0];
    if row != [1.0, 2.0, 0.0, 0.0, 0.0, 0.0] {
        return wrong(
            format!("a static body at {row:?}"),
            "static bodies have no velocity and feel no gravity; their mass is given as 0",
        );
    }
    Ok(())
}

fn factor(talk: &mut Talk) -> Result<(), Stop> {
    let bodies = [0.0, 0.5, -1.0]
        .iter()
        .enumerate()
        .map(|(n, &factor)| with(disc(0.2, 2.0 * n as f64, 0.0), json!({"gravity_factor": factor})));
    talk.build(&heavy(world(bodies.collect())))?;
    let seen = talk.run(100, 0.01)?;
    for (row, due) in seen.bodies.iter().zip([0.0, -5.0, 10.0]) {
        let hints = [(-10.0, "`gravity_factor` is not read")];
        expect(
            "vy after 1 s",
            row[4],
            due,
            1e3 * slack(talk),
            &hints,
            "gravity of a body is gravity times `gravity_factor`",
        )?;
    }
    Ok(())
}

fn lengths(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![flying(0.5, 0.0, 0.0, 1.0, 0.0)]))?;
    let frames = talk.steps(&[0.1, 0.2, 0.05], 1, &json!([]))?;
    for (seen, due) in frames.iter().zip([0.1, 0.3, 0.35]) {
        let what = format!("x after step {}", seen.step);
        let hint = "each step has its own length in `dt` of `advance`; the one in `build` is only what is usual";
        expect(&what, seen.bodies[0][0], due, slack(talk), &[], hint)?;
    }
    Ok(())
}

fn nothing(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&heavy(world(vec![flying(0.5, 0.0, 0.0, 1.0, 0.0)])))?;
    let before = talk.run(3, 0.01)?;
    let after = talk.run(1, 0.0)?;
    if after.step != 4 {
        return wrong(
            format!("step {} after three steps and one of length 0", after.step),
            "a step of length 0 is a step, and counts",
        );
    }
    if after.bodies != before.bodies {
        return wrong(
            format!("{:?} became {:?}", before.bodies[0], after.bodies[0]),
            "a step of length 0 changes nothing, and nothing is divided by it",
        );
    }
    Ok(())
}

fn damping(talk: &mut Talk, what: &str, body: Value, place: usize) -> Result<(), Stop> {
    talk.build(&world(vec![body]))?;
    let row = talk.run(100, 0.01)?.bodies[0];
    let hints = [
        (2.0, "the damping is not read"),
        (0.0, "damping c slows by exp(-c t): it is no share lost at each step"),
        (2.0 * 0.99, "damping is per second, not per step"),
    ];
    expect(
        what,
        row[place],
        2.0 / std::f64::consts::E,
        0.02,
        &hints,
        "speed falls as exp(-c t): multiply by exp(-c dt) in each step",
    )
}

fn damped(talk: &mut Talk) -> Result<(), Stop> {
    let body = with(flying(0.5, 0.0, 0.0, 2.0, 0.0), json!({"linear_damping": 1.0}));
    damping(talk, "speed after 1 s, from 2 m/s at c = 1/s,", body, 3)
}

fn damped_spin(talk: &mut Talk) -> Result<(), Stop> {
    let body = with(disc(0.5, 0.0, 0.0), json!({"angular_damping": 1.0, "spin": 2.0}));
    damping(talk, "spin after 1 s, from 2 rad/s at c = 1/s,", body, 5)
}

fn impulse(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![with(disc(0.5, 0.0, 0.0), json!({"mass": 3.0}))]))?;
    let row = talk.run_with(1, 0.01, &json!([{"before_step": 0, "body": 0, "impulse": [6.0, 0.0]}]))?.bodies[0];
    let hints = [
        (6.0, "velocity changes by impulse over mass; the mass is left out"),
        (0.02, "an impulse is taken for a force: it is not multiplied by `dt`"),
        (0.0, "the impulse does not act: are actions before the first step done?"),
    ];
    expect(
        "vx after 6 N s on 3 kg",
        row[3],
        2.0,
        slack(talk),
        &hints,
        "velocity changes by impulse over the mass that is given",
    )?;
    expect("spin", row[5], 0.0, slack(talk), &[], "an impulse without a point acts at the centre of mass")
}

fn at_a_point(talk: &mut Talk) -> Result<(), Stop> {
    let body = with(disc(0.5, 5.0, 0.0), json!({"inertia": 4.0}));
    talk.build(&world(vec![body]))?;
    let action = json!([{"before_step": 0, "body": 0, "impulse": [2.0, 0.0], "point": [5.0, -1.0]}]);
    let row = talk.run_with(1, 0.01, &action)?.bodies[0];
    let hints = [
        (0.0, "the point of the impulse is not used"),
        (-0.5, "the sign of the lever arm is turned: spin changes by (r x J) / I, counter-clockwise positive"),
        (2.0, "the inertia that is given is left out"),
        (16.0, "mass and inertia are taken as given; this looks like the inertia of the shape"),
    ];
    let otherwise = "points are in world coordinates, and inertia is taken as given";
    expect("spin after 2 N s, 1 m below the centre, I = 4,", row[5], 0.5, slack(talk), &hints, otherwise)
}

fn force(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![with(disc(0.5, 0.0, 0.0), json!({"mass": 2.0}))]))?;
    let row = talk.run_with(1, 0.01, &json!([{"before_step": 0, "body": 0, "force": [400.0, 0.0]}]))?.bodies[0];
    let hints = [(200.0, "a force acts for the step: it is multiplied by `dt`"), (4.0, "the mass is left out")];
    expect(
        "vx after 400 N on 2 kg for 0.01 s",
        row[3],
        2.0,
        slack(talk),
        &hints,
        "velocity changes by force times `dt` over mass",
    )?;
    let row = talk.run(5, 0.01)?.bodies[0];
    expect(
        "vx five steps later",
        row[3],
        2.0,
        slack(talk),
        &[],
        "a force acts for one step only; the bench says it again for each",
    )
}

fn torque(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![with(disc(0.5, 0.0, 0.0), json!({"inertia": 4.0}))]))?;
    let row = talk.run_with(2, 0.01, &json!([{"before_step": 0, "body": 0, "torque": 800.0}]))?.bodies[0];
    let hints = [
        (200.0, "a torque acts for the step: it is multiplied by `dt`"),
        (8.0, "the inertia is left out"),
        (4.0, "a torque acts for one step only"),
    ];
    expect(
        "spin after 800 N m on I = 4 for 0.01 s",
        row[5],
        2.0,
        slack(talk),
        &hints,
        "spin changes by torque times `dt` over inertia",
    )
}

fn setting(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![disc(0.5, 0.0, 0.0)]))?;
    let actions = json!([
        {"before_step": 0, "body": 0, "velocity": [1.0, -1.0]},
        {"before_step": 0, "body": 0, "spin": 3.0},
        {"before_step": 0, "body": 0, "place": {"position": [10.0, 20.0], "angle": 0.5}},
    ]);
    let row = talk.run_with(1, 0.1, &actions)?.bodies[0];
    let due = [10.1, 19.9, 0.8, 1.0, -1.0, 3.0];
    for (found, due) in row.iter().zip(due) {
        if !((found - due).abs() <= slack(talk)) {
            return wrong(
                format!(
                    "{row:?} after setting velocity [1, -1], spin 3 and place [10, 20] at 0.5, and {due:?} is due there"
                ),
                "`velocity`, `spin` and `place` set what they name and leave the rest; several actions of one step act in the order of the list",
            );
        }
    }
    Ok(())
}

fn timing(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![disc(0.5, 0.0, 0.0)]))?;
    let frames = talk.steps(&[0.1; 5], 1, &json!([{"before_step": 3, "body": 0, "impulse": [1.0, 0.0]}]))?;
    let first = frames.iter().find(|seen| seen.bodies[0][3] != 0.0).map(|seen| seen.step);
    let hint = match first {
        Some(3) => {
            "one step early: `before_step` 3 acts when three steps are done, so frame 4 is the first that shows it"
        }
        Some(5) => "one step late: an action before step 3 is part of the fourth step",
        None => "it never acts: `before_step` counts from the start of the trial",
        _ => "`before_step` counts steps done since `build`",
    };
    if first != Some(4) {
        return wrong(format!("an impulse before step 3 shows first in frame {first:?}"), hint);
    }
    let moved = frames.iter().find(|seen| seen.bodies[0][0] != 0.0).map(|seen| seen.step);
    if moved != Some(4) {
        return wrong(
            format!("it moves first in frame {moved:?}"),
            "the step after an impulse already moves with the new velocity",
        );
    }
    Ok(())
}

fn kept(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![disc(0.5, 0.0, 0.0)]))?;
    talk.run_with(2, 0.1, &json!([{"before_step": 4, "body": 0, "impulse": [1.0, 0.0]}]))?;
    let early = talk.run(2, 0.1)?.bodies[0];
    let row = talk.run(1, 0.1)?.bodies[0];
    if early[3] != 0.0 || (row[3] - 1.0).abs() > slack(talk) {
        return wrong(
            format!("vx is {} after four steps and {} after five", early[3], row[3]),
            "an action for a later step is kept until then, over any number of calls",
        );
    }
    Ok(())
}

fn late(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![disc(0.5, 0.0, 0.0)]))?;
    talk.run(3, 0.01)?;
    let asked = json!({"dt": [0.01], "record": 1, "actions": [{"before_step": 1, "body": 0, "impulse": [1.0, 0.0]}]});
    talk.refused(
        "advance",
        &asked,
        -32602,
        "an action before a step that is done already is an error, not something to do late",
    )
}

fn gravity_changed(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&heavy(world(vec![disc(0.5, 0.0, 0.0)])))?;
    let row = talk.run_with(10, 0.01, &json!([{"before_step": 5, "gravity": [0.0, 10.0]}]))?.bodies[0];
    let hints = [(-1.0, "an action `gravity` names no body and changes gravity for all")];
    expect(
        "vy after five steps of -10 and five of +10",
        row[4],
        0.0,
        slack(talk),
        &hints,
        "the new gravity holds from the step on that is named",
    )
}

fn removal(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![disc(0.5, 0.0, 0.0), flying(0.5, 5.0, 0.0, 1.0, 0.0), disc(0.5, 9.0, 0.0)]))?;
    let seen = talk.run_with(2, 0.01, &json!([{"before_step": 1, "body": 0, "remove": true}]))?;
    if seen.bodies.len() != 3 {
        return wrong(
            format!("{} rows", seen.bodies.len()),
            "a removed body keeps its row, so that the others keep their places",
        );
    }
    if !seen.bodies[0].iter().all(|number| number.is_nan()) {
        return wrong(
            format!("{:?} for a removed body", seen.bodies[0]),
            "all six numbers of a removed body are the text \"nan\"",
        );
    }
    expect(
        "x of the body behind it",
        seen.bodies[1][0],
        5.02,
        slack(talk),
        &[],
        "ids stay what they are after a removal",
    )
}

fn fixed_turn(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&world(vec![with(disc(0.5, 0.0, 0.0), json!({"fixed_turn": true}))]))?;
    let action = json!([{"before_step": 0, "body": 0, "impulse": [2.0, 0.0], "point": [0.0, 0.5]}]);
    let row = talk.run_with(1, 0.01, &action)?.bodies[0];
    expect("vx", row[3], 2.0, slack(talk), &[], "a body that cannot turn still moves by impulse over mass")?;
    expect("spin", row[5], 0.0, 0.0, &[], "`fixed_turn` keeps the angle: nothing turns the body")
}
