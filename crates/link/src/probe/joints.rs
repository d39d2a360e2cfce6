//! What each kind of joint does to two bodies.

use super::Question;
use super::say::{disc, fixed, flying, with, world};
use super::talk::{Seen, Stop, Talk, expect, wrong};
use serde_json::{Value, json};

pub(super) const QUESTIONS: &[Question] = &[
    Question { name: "rod", asks: "keeps the distance of two anchors", needs: "joint.rod", ask: rod },
    Question {
        name: "rope",
        asks: "keeps anchors from going further apart, and no more",
        needs: "joint.rope",
        ask: rope,
    },
    Question { name: "spring", asks: "pulls by stiffness times stretch", needs: "joint.spring", ask: spring },
    Question {
        name: "hinge",
        asks: "keeps two anchors together and lets bodies turn",
        needs: "joint.hinge",
        ask: hinge,
    },
    Question { name: "slider", asks: "keeps an anchor on an axis", needs: "joint.slider", ask: slider },
    Question { name: "weld", asks: "keeps place and angle of two bodies", needs: "joint.weld", ask: weld },
];

fn joined(bodies: Vec<Value>, joint: &Value) -> Value {
    with(world(bodies), json!({"joints": [joint]}))
}

fn distance(seen: &Seen) -> f64 {
    let [a, b] = [seen.bodies[0], seen.bodies[1]];
    (a[0] - b[0]).hypot(a[1] - b[1])
}

const CENTRES: [[f64; 2]; 2] = [[0.0, 0.0], [0.0, 0.0]];

fn rod(talk: &mut Talk) -> Result<(), Stop> {
    let joint = json!({"kind": "rod", "bodies": [0, 1], "at": CENTRES});
    talk.build(&joined(vec![fixed(disc(0.1, 0.0, 0.0)), flying(0.1, 2.0, 0.0, 1.0, 3.0)], &joint))?;
    let seen = talk.run(200, 0.01)?;
    let hint = "a rod keeps the distance of its anchors; `length` left out is the distance as built";
    expect("distance after 2 s on a rod of 2 m", distance(&seen), 2.0, 0.05, &[], hint)
}

fn rope(talk: &mut Talk) -> Result<(), Stop> {
    let joint = json!({"kind": "rope", "bodies": [0, 1], "at": CENTRES, "length": 3.0});
    talk.build(&joined(vec![fixed(disc(0.1, 0.0, 0.0)), flying(0.1, 1.0, 0.0, 1.0, 0.0)], &joint))?;
    let slack = talk.run(100, 0.01)?;
    expect(
        "distance after 1 s on a slack rope",
        distance(&slack),
        2.0,
        0.02,
        &[(1.0, "a rope does not hold bodies apart: it is no rod"), (3.0, "a slack rope does nothing")],
        "a slack rope does nothing",
    )?;
    let taut = talk.run(300, 0.01)?;
    match distance(&taut) < 3.1 {
        true => Ok(()),
        false => wrong(
            format!("{} m on a rope of 3 m", distance(&taut)),
            "a rope lets anchors go no further apart than its length",
        ),
    }
}

fn spring(talk: &mut Talk) -> Result<(), Stop> {
    let joint =
        json!({"kind": "spring", "bodies": [0, 1], "at": CENTRES, "length": 1.0, "stiffness": 4.0, "damping": 0.0});
    talk.build(&joined(vec![fixed(disc(0.1, 0.0, 0.0)), disc(0.1, 1.5, 0.0)], &joint))?;
    // Angular frequency 2: a half period takes pi / 2.
    let steps = 1570;
    let seen = talk.run(steps, 1e-3)?;
    let hint = "force is stiffness (N/m) times stretch beyond `length`: half a period is pi sqrt(m/k)";
    expect(
        "distance half a period after a stretch of 0.5 on a spring of 1 m",
        distance(&seen),
        0.5,
        0.03,
        &[(1.5, "nothing pulls")],
        hint,
    )
}

fn hinge(talk: &mut Talk) -> Result<(), Stop> {
    let joint = json!({"kind": "hinge", "bodies": [0, 1], "at": [[1.0, 0.0], [-1.0, 0.0]]});
    let arm = with(disc(0.1, 2.0, 0.0), json!({"velocity": [0.0, 2.0], "spin": 2.0}));
    talk.build(&joined(vec![fixed(disc(0.1, 0.0, 0.0)), arm], &joint))?;
    let row = talk.run(100, 0.01)?.bodies[1];
    let at = [row[0] - row[2].cos(), row[1] - row[2].sin()];
    let off = (at[0] - 1.0).hypot(at[1]);
    let hint = "anchors stand in each body's own frame, and turn with it; a hinge keeps them together";
    expect("the anchors of a hinge after 1 s are apart by", off, 0.0, 0.05, &[], hint)?;
    match row[2].abs() > 0.5 {
        true => Ok(()),
        false => wrong(
            format!("it turned by {} rad in 1 s at 2 rad/s", row[2]),
            "a hinge lets bodies turn freely; this looks like a weld",
        ),
    }
}

fn slider(talk: &mut Talk) -> Result<(), Stop> {
    let joint = json!({"kind": "slider", "bodies": [0, 1], "at": CENTRES, "axis": [1.0, 0.0]});
    talk.build(&joined(
        vec![fixed(disc(0.1, 0.0, 0.0)), with(flying(0.1, 1.0, 0.0, 2.0, 3.0), json!({"spin": 1.0}))],
        &joint,
    ))?;
    let row = talk.run(100, 0.01)?.bodies[1];
    expect(
        "y off the axis after 1 s",
        row[1],
        0.0,
        0.05,
        &[],
        "the second anchor stays on a line along `axis` through the first",
    )?;
    expect("angle", row[2], 0.0, 0.05, &[], "a slider lets nothing turn")?;
    expect("x along the axis after 1 s at 2 m/s", row[0], 3.0, 0.1, &[], "along the axis it slides freely")
}

fn weld(talk: &mut Talk) -> Result<(), Stop> {
    let joint = json!({"kind": "weld", "bodies": [0, 1], "at": [[0.5, 0.0], [-0.5, 0.0]]});
    talk.build(&joined(vec![disc(0.1, 0.0, 0.0), flying(0.1, 1.0, 0.0, 0.0, 1.0)], &joint))?;
    let seen = talk.run(100, 0.01)?;
    expect(
        "distance after 1 s",
        distance(&seen),
        1.0,
        0.05,
        &[],
        "a weld keeps the place of two bodies to each other",
    )?;
    let turned = seen.bodies[1][2] - seen.bodies[0][2];
    expect("angle between them", turned, 0.0, 0.05, &[], "a weld keeps the angle of two bodies to each other")
}
