//! What bodies do to each other for longer: friction by shape, belts, joints between two that are free, what is taken out of the way.

use super::Question;
use super::say::{body, disc, driven, fixed, flying, heavy, made_of, with, world};
use super::talk::{Seen, Stop, Talk, expect, wrong};
use serde_json::{Value, json};

pub(super) const QUESTIONS: &[Question] = &[
    Question { name: "fast", asks: "moves and turns as fast as it is told", needs: "", ask: fast },
    Question { name: "obstacle removed", asks: "takes the shapes of a removed body away", needs: "", ask: obstacle },
    Question { name: "pairs of shapes", asks: "lets every shape meet every other", needs: "", ask: pairs },
    Question { name: "friction by shape", asks: "slows every shape alike", needs: "shape box", ask: by_shape },
    Question { name: "no friction", asks: "takes a friction of 0 for none", needs: "shape box", ask: none },
    Question { name: "rolling", asks: "turns what friction pushes at its edge", needs: "shape box", ask: rolling },
    Question { name: "belt", asks: "carries what lies on a kinematic body", needs: "kinematic", ask: belt },
    Question { name: "swept against moving", asks: "stops fast bodies at what moves", needs: "swept", ask: swept },
    Question { name: "split", asks: "lets pieces go on as they moved", needs: "absent", ask: split },
    Question { name: "rod pressed", asks: "holds what a rod carries from below", needs: "joint.rod", ask: pressed },
    Question {
        name: "spring between two",
        asks: "pulls at both ends of a spring, and swings by the reduced mass",
        needs: "joint.spring",
        ask: between,
    },
    Question { name: "spring for long", asks: "gives a spring no energy", needs: "joint.spring", ask: for_long },
    Question { name: "joints between two", asks: "keeps the momentum of what is joined", needs: "", ask: joined },
];

/// A floor whose surface is y = 0, of the first material.
fn floor() -> Value {
    fixed(body(&json!({"box": [60.0, 1.0]}), 0.0, -0.5))
}

fn fast(talk: &mut Talk) -> Result<(), Stop> {
    let shot = with(flying(0.5, 0.0, 0.0, 2000.0, 0.0), json!({"spin": 500.0}));
    talk.build(&world(vec![shot]))?;
    let row = talk.run(100, 0.001)?.bodies[0];
    let hint = "velocities and spins have no upper limit of the engine's own: one in other units is not the caller's";
    expect("x after 0.1 s at 2,000 m/s", row[0], 200.0, 0.02, &[], hint)?;
    expect("the angle after 0.1 s at 500 rad/s", row[2], 50.0, 0.005, &[], hint)
}

fn obstacle(talk: &mut Talk) -> Result<(), Stop> {
    let wall = fixed(disc(1.0, 0.0, 0.0));
    talk.build(&world(vec![wall, flying(0.5, 3.0, 0.0, -1.0, 0.0)]))?;
    let x = talk.run_with(400, 0.01, &json!([{"before_step": 100, "body": 0, "remove": true}]))?.bodies[1][0];
    let hints = [(1.5, "it is held up where the removed body stood: take its shapes out of the collision search too")];
    expect("x after 4 s at -1 m/s past what was removed", x, -1.0, 0.01, &hints, "a removed body is in nobody's way")
}

/// Shapes that lie within 0.5 m of their centre along x, with their words; the last two only stand.
fn shapes() -> [(&'static str, Value); 6] {
    [
        ("disc", json!({"disc": 0.5})),
        ("box", json!({"box": [1.0, 1.0]})),
        ("polygon", json!({"polygon": [[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]]})),
        ("capsule", json!({"capsule": [0.5, 0.25]})),
        ("polyline", json!({"polyline": [[0.5, 1.0], [0.5, -1.0]]})),
        ("half_plane", json!({"half_plane": [1.0, 0.0]})),
    ]
}

/// Those that the engine lists; those that move only, where asked for.
fn listed(talk: &Talk, moving: bool) -> Vec<(&'static str, Value)> {
    let count = if moving { 4 } else { 6 };
    shapes().into_iter().take(count).filter(|(word, _)| talk.lists(&format!("shape {word}"))).collect()
}

fn pairs(talk: &mut Talk) -> Result<(), Stop> {
    for (first, flies) in listed(talk, true) {
        for (second, stands) in listed(talk, false) {
            let bullet = with(body(&flies, 2.5, 0.0), json!({"velocity": [-1.0, 0.0], "fixed_turn": true}));
            talk.build(&world(vec![fixed(body(&stands, 0.0, 0.0)), bullet]))?;
            let x = talk.run(400, 0.01)?.bodies[1][0];
            if !(x > 0.4) {
                return wrong(
                    format!("a {first} that flies at a {second} is at x = {x}, inside it or behind it"),
                    "every shape meets every other: is one pair of shapes missing in the collision search?",
                );
            }
        }
    }
    Ok(())
}

fn by_shape(talk: &mut Talk) -> Result<(), Stop> {
    for (word, shape) in listed(talk, true) {
        let rests_at = if word == "capsule" { 0.25 } else { 0.5 };
        let slider = with(body(&shape, 0.0, rests_at), json!({"velocity": [2.0, 0.0], "fixed_turn": true}));
        talk.build(&heavy(made_of(world(vec![floor(), slider]), &[[0.2, 0.0]])))?;
        let row = talk.run(200, 0.01)?.bodies[1];
        let hints = [
            (4.0, "nothing slows it: is the friction of this shape's contacts read?"),
            (0.5, "it is slowed twice as much: friction of each of several contact points bears the whole weight"),
            (2.0, "it is slowed half as much"),
        ];
        let what = format!("the way of a {word} that slides from 2 m/s at a friction of 0.2");
        let otherwise = "friction is its coefficient times the normal force, whatever the shape: v^2 / (2 mu g)";
        expect(&what, row[0], 1.0, 0.06, &hints, otherwise)?;
    }
    Ok(())
}

fn none(talk: &mut Talk) -> Result<(), Stop> {
    let slider = with(body(&json!({"box": [0.5, 0.5]}), 0.0, 0.25), json!({"velocity": [2.0, 0.0]}));
    talk.build(&heavy(world(vec![floor(), slider])))?;
    let row = talk.run(100, 0.01)?.bodies[1];
    let hint = "a friction of 0 is a number like any other, and not the sign for a value of the engine's own";
    expect("speed after 1 s from 2 m/s without friction", row[3], 2.0, 2e-3, &[], hint)
}

fn rolling(talk: &mut Talk) -> Result<(), Stop> {
    // A solid disc slides, is slowed and turned, and rolls at two thirds of its speed, whatever the friction is.
    let ball = with(flying(0.5, 0.0, 0.5, 3.0, 0.0), json!({"inertia": 0.125}));
    talk.build(&heavy(made_of(world(vec![floor(), ball]), &[[0.5, 0.0]])))?;
    let row = talk.run(100, 0.01)?.bodies[1];
    let hints = [
        (0.0, "friction acts at the contact point: its lever arm turns the body, and is left out"),
        (4.0, "friction turns it the wrong way round: spin changes by (r x J) / I, counter-clockwise positive"),
    ];
    let otherwise =
        "friction pushes until the lowest point stands still: spin is -v / r, and v two thirds of the start";
    expect("spin after sliding from 3 m/s, radius 0.5,", row[5], -4.0, 0.2, &hints, otherwise)?;
    expect("speed of the rolling disc", row[3], 2.0, 0.1, &[(0.0, "it is braked until it stands")], otherwise)
}

fn belt(talk: &mut Talk) -> Result<(), Stop> {
    let shape = if talk.lists("shape box") { json!({"box": [60.0, 1.0]}) } else { json!({"disc": 500.0}) };
    let down = if talk.lists("shape box") { -0.5 } else { -500.0 };
    let belt = with(driven(body(&shape, 0.0, down)), json!({"velocity": [1.0, 0.0]}));
    let load = with(disc(0.5, 0.0, 0.5), json!({"fixed_turn": true}));
    talk.build(&heavy(made_of(world(vec![belt, load]), &[[0.5, 0.0]])))?;
    let row = talk.run(100, 0.01)?.bodies[1];
    let hints = [(0.0, "a kinematic body is moved, and its contacts do not know its velocity: set it, not the place")];
    expect("speed of what lies on a belt of 1 m/s", row[3], 1.0, 0.05, &hints, "friction is against the moving surface")
}

fn swept(talk: &mut Talk) -> Result<(), Stop> {
    // Bullets that arrive in one step after the other, at plates that float.
    let plate = |n: i32| {
        let y = 3.0 * f64::from(n);
        with(disc(0.5, 0.0, y), json!({"mass": 1e4, "inertia": 1e4}))
    };
    let bullet = |n: i32| {
        let y = 3.0 * f64::from(n);
        with(flying(0.05, 5.0 + 2.0 * f64::from(n), y, -300.0, 0.0), json!({"swept": true}))
    };
    talk.build(&world((0..8).map(plate).chain((0..8).map(bullet)).collect()))?;
    let seen = talk.run(20, 0.01)?;
    let through = seen.bodies[8..].iter().filter(|row| row[0] < 0.0).count();
    match through {
        0 => Ok(()),
        _ => wrong(
            format!("{through} of 8 swept discs at 300 m/s are behind discs that can move"),
            "swept bodies are stopped by whatever is in their way, in every step, whether it can move or not",
        ),
    }
}

fn split(talk: &mut Talk) -> Result<(), Stop> {
    let piece = |x: f64| with(disc(0.25, x, 0.0), json!({"absent": true}));
    let whole = with(flying(0.5, 3.0, 0.0, 1.0, 0.0), json!({"spin": 2.0}));
    talk.build(&world(vec![whole, piece(1.0), piece(-1.0)]))?;
    let seen = talk.run_with(1, 0.001, &json!([{"before_step": 0, "body": 0, "split": [1, 2]}]))?;
    if !seen.bodies[0].iter().all(|number| number.is_nan()) {
        return wrong(
            format!("{:?} for the body that was split", seen.bodies[0]),
            "it is taken out: six times \"nan\"",
        );
    }
    for (row, due) in seen.bodies[1..].iter().zip([[4.0, 2.0], [2.0, -2.0]]) {
        let hints = [(due[0] - 3.0, "a piece stands where it was built in the frame of the body that is split")];
        expect("x of a piece", row[0], due[0], 0.01, &hints, "pieces come in about the body that is split")?;
        let hints = [(0.0, "what the turning of the whole adds at the piece's place is left out: v + w x r")];
        expect("vy of a piece", row[4], due[1], 0.01, &hints, "a piece goes on as its place in the whole moved")?;
        expect("spin of a piece", row[5], 2.0, 0.01, &[], "a piece goes on turning as the whole did")?;
    }
    Ok(())
}

fn distance(seen: &Seen) -> f64 {
    let [a, b] = [seen.bodies[0], seen.bodies[1]];
    (a[0] - b[0]).hypot(a[1] - b[1])
}

fn with_joint(bodies: Vec<Value>, joint: Value) -> Value {
    let joint = with(json!({"bodies": [0, 1], "at": [[0.0, 0.0], [0.0, 0.0]]}), joint);
    with(world(bodies), json!({"joints": [joint]}))
}

fn pressed(talk: &mut Talk) -> Result<(), Stop> {
    let bodies = vec![fixed(disc(0.1, 0.0, 0.0)), with(disc(0.1, 0.0, 2.0), json!({"fixed_turn": true}))];
    talk.build(&heavy(with_joint(bodies, json!({"kind": "rod"}))))?;
    let seen = talk.run(100, 0.01)?;
    let hint = "a rod keeps its length from both sides: it pushes as well as it pulls, which a rope does not";
    expect("length of a rod of 2 m that carries a body from below", distance(&seen), 2.0, 0.05, &[], hint)
}

fn spring(bodies: Vec<Value>) -> Value {
    with_joint(bodies, json!({"kind": "spring", "length": 1.0, "stiffness": 3.0, "damping": 0.0}))
}

fn between(talk: &mut Talk) -> Result<(), Stop> {
    let second = with(disc(0.1, 1.5, 0.0), json!({"mass": 3.0}));
    talk.build(&spring(vec![disc(0.1, 0.0, 0.0), second]))?;
    // Angular frequency 2 with the reduced mass of 0.75 kg: a half period takes pi / 2.
    let seen = talk.run(1571, 1e-3)?;
    let hint = "a spring pulls at both ends with opposite forces; two free bodies swing at sqrt(k (m1 + m2) / (m1 m2))";
    let hints = [(0.0, "only one end of the spring is pulled")];
    expect("x of 1 kg half a period after a stretch of 0.5", seen.bodies[0][0], 0.75, 0.03, &hints, hint)?;
    let hints = [(1.5, "only one end of the spring is pulled")];
    expect("x of 3 kg half a period after a stretch of 0.5", seen.bodies[1][0], 1.25, 0.02, &hints, hint)
}

fn for_long(talk: &mut Talk) -> Result<(), Stop> {
    talk.build(&spring(vec![fixed(disc(0.1, 0.0, 0.0)), with(disc(0.1, 1.5, 0.0), json!({"mass": 0.75}))]))?;
    let longest = talk.steps(&[0.01; 3000], 1, &json!([]))?.iter().map(distance).fold(0.0, f64::max);
    match longest <= 1.53 {
        true => Ok(()),
        false => wrong(
            format!("a spring of 1 m stretched by 0.5 m is {longest} m long within 30 s"),
            "no undamped spring swings further than it was stretched: is the position moved by the velocity of before the step (explicit Euler)?",
        ),
    }
}

fn joined(talk: &mut Talk) -> Result<(), Stop> {
    let kinds = ["rod", "rope", "spring", "hinge", "slider", "weld"];
    let known: Vec<&str> = kinds.into_iter().filter(|kind| talk.lists(&format!("joint.{kind}"))).collect();
    if known.is_empty() {
        return Err(Stop::Lacks("a joint".to_owned()));
    }
    for kind in known {
        let more = match kind {
            "spring" => json!({"stiffness": 30.0, "damping": 1.0}),
            "slider" => json!({"axis": [1.0, 0.0]}),
            _ => json!({}),
        };
        // The second anchor of what holds anchors together stands in the first body.
        let reach = if matches!(kind, "hinge" | "weld") { [[0.5, 0.0], [-0.5, 0.0]] } else { [[0.0, 0.0]; 2] };
        let joint = with(with(json!({"kind": kind}), more), json!({"at": reach}));
        let second = with(flying(0.1, 1.0, 0.0, 1.0, 2.0), json!({"mass": 3.0, "inertia": 3.0}));
        talk.build(&with_joint(vec![disc(0.1, 0.0, 0.0), second], joint))?;
        let seen = talk.run(100, 0.01)?;
        let hint =
            "what a joint gives one body it takes from the other: equal and opposite impulses, each over its own mass";
        for (axis, name, due) in [(3, "x", 3.0), (4, "y", 6.0)] {
            let momentum = seen.bodies[0][axis] + 3.0 * seen.bodies[1][axis];
            let what = format!("momentum along {name} of 1 and 3 kg on a {kind} after 1 s");
            expect(&what, momentum, due, 0.01, &[], hint)?;
        }
    }
    Ok(())
}
