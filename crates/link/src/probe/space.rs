//! Free bodies in space: order and sign of quaternions, axes of spin and inertia, which way is up, which hand the axes have.

use super::Question;
use super::say::{numbered, with};
use super::talk::{IN_SPACE, Seen, Stop, Talk, expect, wrong};
use serde_json::{Value, json};

pub(super) const QUESTIONS: &[Question] = &[
    Question {
        name: "space as built",
        asks: "gives 13 numbers a body, as built, when asked for no steps",
        needs: "space",
        ask: as_built,
    },
    Question { name: "gravity in space", asks: "lets bodies fall along y", needs: "space", ask: gravity },
    Question {
        name: "quaternion",
        asks: "turns a quaternion as the spin does, by the right-hand rule, in radians",
        needs: "space",
        ask: quaternion,
    },
    Question { name: "axes of the spin", asks: "takes spins along the world's axes", needs: "space", ask: spin_axes },
    Question {
        name: "axes of inertia",
        asks: "takes inertia along the body's own axes",
        needs: "space",
        ask: inertia_axes,
    },
    Question {
        name: "products of inertia",
        asks: "takes Ixy, Ixz and Iyz for entries of the matrix",
        needs: "space",
        ask: products,
    },
    Question {
        name: "hand of the axes",
        asks: "turns a body that is pushed beside its centre by the cross product of arm and push",
        needs: "space",
        ask: hand,
    },
    Question { name: "free turning", asks: "keeps the angular momentum of a free body", needs: "space", ask: tumbling },
    Question {
        name: "place in space",
        asks: "puts a body elsewhere and lets it go on as it moved",
        needs: "space",
        ask: place,
    },
    Question {
        name: "fast turning",
        asks: "turns a kinematic body by its spin, exactly",
        needs: "space and kinematic",
        ask: driven,
    },
];

/// Half the root of two: sine and cosine of 45 degrees.
const ROOT: f64 = std::f64::consts::FRAC_1_SQRT_2;

/// A body of space of mass 1 with the same inertia of 1 about every axis.
pub(super) fn body(shape: &Value, at: [f64; 3]) -> Value {
    json!({
        "id": 0, "name": "piece", "kind": "dynamic", "position": at, "rotation": [1.0, 0.0, 0.0, 0.0],
        "velocity": [0.0, 0.0, 0.0], "spin": [0.0, 0.0, 0.0], "mass": 1.0, "inertia": [1.0, 1.0, 1.0, 0.0, 0.0, 0.0],
        "linear_damping": 0.0, "angular_damping": 0.0, "gravity_factor": 1.0, "fixed_turn": false, "swept": false,
        "layers": 1, "meets": 4_294_967_295_u32,
        "parts": [{"shape": shape, "position": [0.0, 0.0, 0.0], "rotation": [1.0, 0.0, 0.0, 0.0], "material": 0, "sensor": false}],
    })
}

pub(super) fn fixed(what: Value) -> Value {
    with(what, json!({"kind": "static", "mass": 0.0, "inertia": [0.0, 0.0, 0.0, 0.0, 0.0, 0.0]}))
}

/// A world of space without gravity, friction and restitution.
pub(super) fn world(bodies: Vec<Value>) -> Value {
    json!({
        "space": 3, "gravity": [0.0, 0.0, 0.0], "dt": 0.01, "seed": 1, "threads": 1, "options": {}, "pairs": [], "joints": [], "apart": [],
        "materials": [{"name": "iron", "friction": 0.0, "restitution": 0.0}], "bodies": numbered(bodies),
    })
}

/// A ball or a cube, whichever the engine knows.
fn piece(talk: &Talk, at: [f64; 3]) -> Result<Value, Stop> {
    let shape = if talk.lists("shape sphere") {
        json!({"sphere": 0.5})
    } else if talk.lists("shape box") {
        json!({"box": [1.0, 1.0, 1.0]})
    } else {
        return Err(Stop::Lacks("the shape sphere or box".to_owned()));
    };
    Ok(body(&shape, at))
}

fn run(talk: &mut Talk, bodies: Vec<Value>, steps: usize, dt: f64, actions: &Value) -> Result<Seen<IN_SPACE>, Stop> {
    talk.build(&world(bodies))?;
    talk.run_in_space(steps, dt, actions)
}

fn rotation(row: &[f64; IN_SPACE]) -> [f64; 4] {
    [row[3], row[4], row[5], row[6]]
}

/// Whether two quaternions are the same rotation.
fn alike(a: [f64; 4], b: [f64; 4], within: f64) -> bool {
    let dot: f64 = a.iter().zip(b).map(|(x, y)| x * y).sum();
    (dot.abs() - 1.0).abs() <= within
}

fn show(q: [f64; 4]) -> String {
    let [w, x, y, z] = q.map(|number| (number * 1e4).round() / 1e4);
    format!("[{w}, {x}, {y}, {z}]")
}

/// A rotation must be as expected; `hints` are rotations that point to a mistake.
fn turned(what: &str, found: [f64; 4], due: [f64; 4], hints: &[([f64; 4], &str)], otherwise: &str) -> Result<(), Stop> {
    const WITHIN: f64 = 1e-3;
    if alike(found, due, WITHIN) {
        return Ok(());
    }
    let hint = hints.iter().find(|(rotation, _)| alike(found, *rotation, WITHIN)).map_or(otherwise, |(_, hint)| hint);
    wrong(format!("{what} is {}, and {} is due", show(found), show(due)), hint)
}

fn as_built(talk: &mut Talk) -> Result<(), Stop> {
    let rotation_due = [0.5, 0.1, -0.7, 0.5];
    let moving = with(
        piece(talk, [0.1, -0.2, 0.3])?,
        json!({"rotation": rotation_due, "velocity": [1.5, -2.5, 3.5], "spin": [0.7, -0.8, 0.9]}),
    );
    let still = piece(talk, [5.0, 6.0, 7.0])?;
    let seen = run(talk, vec![moving, still], 0, 0.01, &json!([]))?;
    let row = seen.bodies[0];
    turned(
        "the quaternion of frame 0",
        rotation(&row),
        rotation_due,
        &[
            ([0.1, -0.7, 0.5, 0.5], "the scalar comes first: qw, qx, qy, qz"),
            ([0.5, -0.1, 0.7, -0.5], "it is turned back: a quaternion turns from the body's axes to the world's"),
        ],
        "the frame before the first step is the world as built, its quaternion as given but for the sign",
    )?;
    let due = [(0, 0.1), (1, -0.2), (2, 0.3), (7, 1.5), (8, -2.5), (9, 3.5), (10, 0.7), (11, -0.8), (12, 0.9)];
    let exact = talk.exact();
    for (place, due) in due {
        if !((row[place] - due).abs() <= exact) {
            return wrong(
                format!("number {place} of a body is {}, and {due} is due", row[place]),
                "a body is x y z, qw qx qy qz, vx vy vz, wx wy wz in this order; the spin is along the world's axes",
            );
        }
    }
    Ok(())
}

fn gravity(talk: &mut Talk) -> Result<(), Stop> {
    let falling = piece(talk, [1.0, 2.0, 3.0])?;
    talk.build(&with(world(vec![falling]), json!({"gravity": [0.0, -10.0, 0.0]})))?;
    let row = talk.run_in_space(100, 0.01, &json!([]))?.bodies[0];
    let hints = [(-10.0, "gravity comes as a vector: what falls along z has taken z for up")];
    expect("vz after 1 s of gravity along -y", row[9], 0.0, 1e-6, &hints, "y is up in space, too")?;
    let hints = [(10.0, "gravity points where things fall: [0, -10, 0] is down"), (0.0, "nothing falls along y")];
    expect("vy after 1 s", row[8], -10.0, 1e-3, &hints, "y is up in space, too")
}

fn quaternion(talk: &mut Talk) -> Result<(), Stop> {
    let half = 0.5_f64;
    for (axis, name) in ["x", "y", "z"].into_iter().enumerate() {
        let mut spin = [0.0; 3];
        spin[axis] = 1.0;
        let spinning = with(piece(talk, [0.0; 3])?, json!({"spin": spin}));
        let row = run(talk, vec![spinning], 100, 0.01, &json!([]))?.bodies[0];
        let about = |angle: f64| {
            let mut q = [(half * angle).cos(), 0.0, 0.0, 0.0];
            q[1 + axis] = (half * angle).sin();
            q
        };
        let last_scalar = |[w, x, y, z]: [f64; 4]| [x, y, z, w];
        let degree = 1.0_f64.to_radians();
        turned(
            &format!("the quaternion after 1 s at 1 rad/s about {name}"),
            rotation(&row),
            about(1.0),
            &[
                (last_scalar(about(1.0)), "the scalar comes first: qw, qx, qy, qz"),
                (about(-1.0), "it turns back: by the right-hand rule, from the body's axes to the world's"),
                (about(degree), "spins are in radians a second, not in degrees"),
                (about(2.0), "a quaternion has the sine and cosine of half the angle"),
                (about(0.5), "the rate of a quaternion is half the spin times the quaternion, no quarter"),
                (about(0.0), "nothing turns"),
            ],
            "q' = 1/2 (0, spin) q with the spin along the world's axes",
        )?;
    }
    Ok(())
}

fn spin_axes(talk: &mut Talk) -> Result<(), Stop> {
    // Turned by a quarter about z, then by 1 rad about the world's x.
    let quarter = [ROOT, 0.0, 0.0, ROOT];
    let spinning = with(piece(talk, [0.0; 3])?, json!({"rotation": quarter, "spin": [1.0, 0.0, 0.0]}));
    let row = run(talk, vec![spinning], 100, 0.01, &json!([]))?.bodies[0];
    let (sin, cos) = 0.5_f64.sin_cos();
    turned(
        "the quaternion of a body turned by a quarter about z, after 1 s at 1 rad/s about x",
        rotation(&row),
        [ROOT * cos, ROOT * sin, -ROOT * sin, ROOT * cos],
        &[([ROOT * cos, ROOT * sin, ROOT * sin, ROOT * cos], "the spin was taken along the body's own axes")],
        "spins come and go along the world's axes: q' = 1/2 (0, spin) q",
    )?;
    expect(
        "wx then",
        row[10],
        1.0,
        1e-3,
        &[(0.0, "the spin is given along the body's own axes")],
        "a ball keeps its spin",
    )
}

fn inertia_axes(talk: &mut Talk) -> Result<(), Stop> {
    // Its own x axis, about which it is light, lies along the world's y.
    let light = with(
        piece(talk, [0.0; 3])?,
        json!({"rotation": [ROOT, 0.0, 0.0, ROOT], "inertia": [1.0, 4.0, 5.0, 0.0, 0.0, 0.0]}),
    );
    let actions: Vec<Value> =
        (0..10).map(|step| json!({"before_step": step, "body": 0, "torque": [0.0, 1.0, 0.0]})).collect();
    let row = run(talk, vec![light], 10, 0.01, &json!(actions))?.bodies[0];
    expect(
        "wy of a body after 0.1 s of a torque of 1 N m along its own x axis, about which its inertia is 1",
        row[11],
        0.1,
        1e-4,
        &[
            (0.025, "the inertia was taken along the world's axes; it is along the body's own and turns with it"),
            (0.02, "the three moments are Ixx, Iyy, Izz in this order"),
            (0.0, "a torque turns nothing"),
        ],
        "the spin changes by the inverse of R I R^T times the torque",
    )
}

fn products(talk: &mut Talk) -> Result<(), Stop> {
    let skew = with(piece(talk, [0.0; 3])?, json!({"inertia": [2.0, 2.0, 3.0, 0.5, 0.0, 0.0]}));
    let torque = json!([{"before_step": 0, "body": 0, "torque": [375.0, 0.0, 0.0]}]);
    // One short step, so that it hardly turns: the inverse of [[2, 0.5], [0.5, 2]] is [[2, -0.5], [-0.5, 2]] / 3.75.
    let row = run(talk, vec![skew], 1, 1e-4, &torque)?.bodies[0];
    let hints = [
        (0.005, "Ixy is the entry of the matrix, which some books call minus the product of inertia"),
        (0.0, "the numbers after the three moments are left out"),
    ];
    expect(
        "wy of a body with Ixy of 0.5 after a torque along x",
        row[11],
        -0.005,
        1e-5,
        &hints,
        "the matrix is [[Ixx, Ixy, Ixz], ...]",
    )?;
    expect(
        "wx then",
        row[10],
        0.02,
        1e-5,
        &[(0.01875, "the products are left out")],
        "the inverse of the whole matrix counts",
    )
}

fn hand(talk: &mut Talk) -> Result<(), Stop> {
    let blow = json!([{"before_step": 0, "body": 0, "impulse": [0.0, 0.0, 1.0], "point": [1.0, 0.0, 0.0]}]);
    let still = piece(talk, [0.0; 3])?;
    let row = run(talk, vec![still], 1, 0.01, &blow)?.bodies[0];
    let hints = [
        (1.0, "the axes are left-handed: x cross y is z, so that x cross z is minus y"),
        (0.0, "the point of an impulse is not used"),
    ];
    expect(
        "wy after a blow along z at 1 m along x",
        row[11],
        -1.0,
        1e-3,
        &hints,
        "an impulse J at an arm r turns by r x J",
    )?;
    expect(
        "vz then",
        row[9],
        1.0,
        1e-6,
        &[(0.0, "an impulse beside the centre moves it as well")],
        "an impulse changes v by J / m",
    )
}

fn tumbling(talk: &mut Talk) -> Result<(), Stop> {
    let moments = [1.0, 2.0, 3.0];
    let tumbler =
        with(piece(talk, [0.0; 3])?, json!({"inertia": [1.0, 2.0, 3.0, 0.0, 0.0, 0.0], "spin": [0.1, 2.0, 0.1]}));
    let row = run(talk, vec![tumbler], 1000, 0.01, &json!([]))?.bodies[0];
    // Along the body's axes, by the turned-back quaternion.
    let [w, x, y, z] = rotation(&row);
    let axes = [
        [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)],
        [2.0 * (x * y - w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z + w * x)],
        [2.0 * (x * z + w * y), 2.0 * (y * z - w * x), 1.0 - 2.0 * (x * x + y * y)],
    ];
    let spin = [row[10], row[11], row[12]];
    let mut momentum = [0.0; 3];
    for (axis, moment) in axes.into_iter().zip(moments) {
        let along: f64 = axis.iter().zip(spin).map(|(a, w)| a * w).sum();
        (0..3).for_each(|k| momentum[k] += axis[k] * moment * along);
    }
    let hint = "of a free body the angular momentum stays and not the spin: I w' = -w x I w along its own axes";
    for (name, found, due) in [("x", momentum[0], 0.1), ("y", momentum[1], 4.0), ("z", momentum[2], 0.3)] {
        let what = format!("the angular momentum along {name} of a free body of moments 1, 2, 3 after 10 s");
        expect(&what, found, due, 0.2, &[], hint)?;
    }
    Ok(())
}

fn place(talk: &mut Talk) -> Result<(), Stop> {
    let moving = with(piece(talk, [0.0; 3])?, json!({"velocity": [1.0, 0.0, 0.0], "spin": [0.0, 0.5, 0.0]}));
    let there = json!([{"before_step": 10, "body": 0, "place": {"position": [5.0, 6.0, 7.0], "rotation": [ROOT, ROOT, 0.0, 0.0]}}]);
    let row = run(talk, vec![moving], 11, 0.01, &there)?.bodies[0];
    expect(
        "x a step after it was put at 5",
        row[0],
        5.01,
        1e-4,
        &[(5.0, "it stands: `place` keeps the velocity")],
        "`place` moves the centre of mass",
    )?;
    turned(
        "the quaternion then",
        rotation(&row),
        [ROOT, ROOT, 0.0, 0.0],
        &[([1.0, 0.0, 0.0, 0.0], "`place` turns it as well, by its `rotation`")],
        "`place` gives the rotation anew and keeps velocity and spin",
    )?;
    expect("wy then", row[11], 0.5, 1e-3, &[(0.0, "`place` keeps the spin")], "`place` keeps velocity and spin")
}

fn driven(talk: &mut Talk) -> Result<(), Stop> {
    let spin = 20.0_f64;
    let wheel = with(
        piece(talk, [0.0; 3])?,
        json!({"kind": "kinematic", "mass": 0.0, "inertia": [0.0, 0.0, 0.0, 0.0, 0.0, 0.0], "spin": [0.0, spin, 0.0]}),
    );
    let row = run(talk, vec![wheel], 50, 0.02, &json!([]))?.bodies[0];
    let (sin, cos) = (0.5 * spin).sin_cos();
    turned(
        "the quaternion of a kinematic body after 1 s at 20 rad/s about y",
        rotation(&row),
        [cos, 0.0, sin, 0.0],
        &[([1.0, 0.0, 0.0, 0.0], "a kinematic body turns as well as it moves")],
        "a turn of spin times dt is cos and sin of half the angle, not 1 and half the angle made of unit length",
    )
}
