//! What bodies of space do to each other: sizes and axes of shapes, which way surfaces look, friction in every direction, contacts, joints.

use super::Question;
use super::say::with;
use super::space::{body, fixed, world};
use super::talk::{Stop, Talk, expect, wrong};
use serde_json::{Value, json};

pub(super) const QUESTIONS: &[Question] = &[
    Question {
        name: "sphere",
        asks: "takes the number of a sphere for its radius",
        needs: "space and shape sphere",
        ask: sphere,
    },
    Question {
        name: "box in space",
        asks: "takes full sizes along x, y and z",
        needs: "space and shape sphere and shape box",
        ask: sizes,
    },
    Question {
        name: "turned box",
        asks: "turns shapes with the quaternion of their body",
        needs: "space and shape sphere and shape box",
        ask: turned_box,
    },
    Question {
        name: "capsule in space",
        asks: "lays a capsule along x, its length between the centres of its caps",
        needs: "space and shape sphere and shape capsule",
        ask: capsule,
    },
    Question {
        name: "cylinder",
        asks: "lays a cylinder along x, its length between its ends",
        needs: "space and shape sphere and shape cylinder",
        ask: cylinder,
    },
    Question {
        name: "half space",
        asks: "takes the normal of a half space for the way out of it",
        needs: "space and shape sphere and shape half_space",
        ask: half_space,
    },
    Question {
        name: "mesh",
        asks: "stops what comes from either side of a mesh",
        needs: "space and shape sphere and shape mesh",
        ask: mesh,
    },
    Question {
        name: "hull",
        asks: "fills the corners of a hull",
        needs: "space and shape sphere and shape hull",
        ask: hull,
    },
    Question {
        name: "round friction",
        asks: "slows what slides alike in every direction",
        needs: "space and shape box and shape half_space",
        ask: round_friction,
    },
    Question {
        name: "contacts in space",
        asks: "reports contacts with their normal from the first body to the second",
        needs: "space and contacts and shape sphere",
        ask: contacts,
    },
    Question {
        name: "socket",
        asks: "keeps two anchors together and lets bodies turn about any axis",
        needs: "space and joint.socket",
        ask: socket,
    },
    Question {
        name: "hinge in space",
        asks: "keeps an axis common and lets bodies turn about it",
        needs: "space and joint.hinge",
        ask: hinge,
    },
];

const BALL: f64 = 0.5;

/// A ball on its way along an axis from 6 m away.
fn ball(axis: usize, sign: f64) -> Value {
    let (mut at, mut velocity) = ([0.0; 3], [0.0; 3]);
    at[axis] = 6.0 * sign;
    velocity[axis] = -4.0 * sign;
    with(body(&json!({"sphere": BALL}), at), json!({"velocity": velocity}))
}

/// How far from the middle of a fixed body a ball is stopped that comes along an axis.
fn stopped(talk: &mut Talk, target: &Value, axis: usize) -> Result<f64, Stop> {
    talk.build(&world(vec![fixed(target.clone()), ball(axis, 1.0)]))?;
    Ok(talk.run_in_space(300, 0.01, &json!([]))?.bodies[1][axis])
}

const AXES: [&str; 3] = ["x", "y", "z"];
const WITHIN: f64 = 0.03;

fn sphere(talk: &mut Talk) -> Result<(), Stop> {
    let target = body(&json!({"sphere": 1.0}), [0.0; 3]);
    let x = stopped(talk, &target, 0)?;
    let hints = [
        (0.75, "the number of a sphere is its radius, not its diameter"),
        (3.0, "the number of a sphere is its radius, not half of it"),
        (-6.0, "nothing stops it"),
    ];
    expect("where a ball of radius 0.5 is stopped by one of radius 1", x, 1.5, WITHIN, &hints, "radii are full radii")
}

fn sizes(talk: &mut Talk) -> Result<(), Stop> {
    let size = [1.0, 2.2, 3.0];
    let target = body(&json!({"box": size}), [0.0; 3]);
    for axis in 0..3 {
        let found = stopped(talk, &target, axis)?;
        let others = [size[(axis + 1) % 3], size[(axis + 2) % 3]].map(|other| 0.5 * other + BALL);
        let order = "the sizes of a box are width, height and depth: along x, y and z";
        let hints = [
            (size[axis] + BALL, "sizes are full sizes; these were taken for half ones"),
            (others[0], order),
            (others[1], order),
        ];
        let what = format!("where a ball of radius 0.5 along {} is stopped by a box of 1, 2.2, 3", AXES[axis]);
        expect(&what, found, 0.5 * size[axis] + BALL, WITHIN, &hints, "sizes are full sizes along the body's axes")?;
    }
    Ok(())
}

fn turned_box(talk: &mut Talk) -> Result<(), Stop> {
    // By 30 degrees about z: a tall box leans to the left, and a ball above on the left side meets it.
    let (sin, cos) = 15_f64.to_radians().sin_cos();
    let lying = with(body(&json!({"box": [4.0, 1.0, 1.0]}), [0.0; 3]), json!({"rotation": [cos, 0.0, 0.0, sin]}));
    let mut falling = with(body(&json!({"sphere": BALL}), [1.0, 5.0, 0.0]), json!({"velocity": [0.0, -4.0, 0.0]}));
    falling["fixed_turn"] = json!(true);
    talk.build(&world(vec![fixed(lying), falling]))?;
    // Of the ball that comes down at x = 1: when it first is slower.
    let mut height = f64::NAN;
    for _ in 0..200 {
        let row = talk.run_in_space(1, 0.01, &json!([]))?.bodies[1];
        if row[8] > -3.99 {
            height = row[1];
            break;
        }
    }
    let level = |angle: f64| angle.tan() + (0.5 + BALL) / angle.cos();
    let hints = [
        (
            level(-30_f64.to_radians()),
            "it is turned the other way: a quaternion turns from the body's axes to the world's",
        ),
        (level(0.0), "shapes turn with their body"),
    ];
    let due = level(30_f64.to_radians());
    expect("how high a ball meets a plank turned by 30 degrees about z", height, due, 0.08, &hints, "x_world = q x q*")
}

/// Where balls along the three axes are stopped by something long.
fn long(talk: &mut Talk, shape: &Value, [along, across]: [f64; 2], what: &str) -> Result<(), Stop> {
    let target = body(shape, [0.0; 3]);
    for axis in 0..3 {
        let found = stopped(talk, &target, axis)?;
        let (due, other) = if axis == 0 { (along, across) } else { (across, along) };
        let lies = format!("a {what} lies along the local x axis");
        let hints = [
            (other, lies.as_str()),
            (along - 0.25, "the length of a capsule is between the centres of its caps"),
            (along - 0.5, "the length of a capsule is between the centres of its caps"),
            (along + 0.25, "the length of a cylinder is between its ends"),
            (along + 1.0, "lengths are full lengths; this was taken for half of one"),
        ];
        let where_to = format!("where a ball of radius 0.5 along {} is stopped by a {what}", AXES[axis]);
        expect(&where_to, found, due, WITHIN, &hints, "full lengths along the local x axis, and a radius")?;
    }
    Ok(())
}

fn capsule(talk: &mut Talk) -> Result<(), Stop> {
    long(talk, &json!({"capsule": [2.0, 0.25]}), [1.25 + BALL, 0.25 + BALL], "capsule")
}

fn cylinder(talk: &mut Talk) -> Result<(), Stop> {
    long(talk, &json!({"cylinder": [2.0, 0.25]}), [1.0 + BALL, 0.25 + BALL], "cylinder")
}

fn half_space(talk: &mut Talk) -> Result<(), Stop> {
    let ground = fixed(body(&json!({"half_space": [0.0, 1.0, 0.0]}), [0.0, 1.0, 0.0]));
    talk.build(&with(
        world(vec![ground, body(&json!({"sphere": BALL}), [0.0, 2.0, 0.0])]),
        json!({"gravity": [0.0, -10.0, 0.0]}),
    ))?;
    let y = talk.run_in_space(200, 0.01, &json!([]))?.bodies[1][1];
    let hints = [
        (0.5, "the surface goes through the part's position"),
        (1.0, "the ball rests by its surface, not by its centre"),
    ];
    expect(
        "how high a ball of radius 0.5 rests on a half space at 1",
        y,
        1.5,
        WITHIN,
        &hints,
        "the normal of a half space points out of the solid",
    )
}

fn mesh(talk: &mut Talk) -> Result<(), Stop> {
    let sheet = json!({"mesh": {
        "points": [[0.0, -3.0, -3.0], [0.0, 3.0, -3.0], [0.0, 3.0, 3.0], [0.0, -3.0, 3.0]],
        "faces": [[0, 1, 2], [0, 2, 3]],
    }});
    for (sign, side) in [(1.0, "to which its faces look"), (-1.0, "from which its faces look away")] {
        talk.build(&world(vec![fixed(body(&sheet, [0.0; 3])), ball(0, sign)]))?;
        let x = talk.run_in_space(300, 0.01, &json!([]))?.bodies[1][0] * sign;
        let what = format!("where a ball is stopped by a mesh from the side {side}");
        let hints = [(-6.0, "a mesh is a surface with two sides: it stops what comes from either")];
        expect(
            &what,
            x,
            BALL,
            WITHIN,
            &hints,
            "a body is pushed back to the side of a mesh on which it has its middle",
        )?;
    }
    Ok(())
}

fn hull(talk: &mut Talk) -> Result<(), Stop> {
    // An octahedron: along every axis a corner, and between them flat faces.
    let corners = json!([
        [1.0, 0.0, 0.0],
        [-1.0, 0.0, 0.0],
        [0.0, 2.0, 0.0],
        [0.0, -2.0, 0.0],
        [0.0, 0.0, 1.0],
        [0.0, 0.0, -1.0]
    ]);
    let target = body(&json!({"hull": corners}), [0.0; 3]);
    for (axis, reach) in [(0, 1.0), (1, 2.0)] {
        let found = stopped(talk, &target, axis)?;
        let what = format!("where a ball along {} is stopped by a corner of a hull", AXES[axis]);
        expect(
            &what,
            found,
            reach + BALL,
            0.1,
            &[(-6.0, "nothing stops it")],
            "a hull fills the space between its corners",
        )?;
    }
    Ok(())
}

fn round_friction(talk: &mut Talk) -> Result<(), Stop> {
    for degrees in [0.0_f64, 45.0, 100.0] {
        let (sin, cos) = degrees.to_radians().sin_cos();
        let ground = fixed(body(&json!({"half_space": [0.0, 1.0, 0.0]}), [0.0; 3]));
        let slab = with(
            body(&json!({"box": [1.0, 0.1, 1.0]}), [0.0, 0.05, 0.0]),
            json!({"velocity": [3.0 * cos, 0.0, 3.0 * sin]}),
        );
        let world = with(
            world(vec![ground, slab]),
            json!({
                "gravity": [0.0, -10.0, 0.0], "materials": [{"name": "iron", "friction": 0.5, "restitution": 0.0}],
            }),
        );
        talk.build(&world)?;
        let row = talk.run_in_space(20, 0.01, &json!([]))?.bodies[1];
        let speed = row[7].hypot(row[9]);
        let hints = [
            (3.0, "friction slows nothing"),
            (
                3.0 - 2.0_f64.sqrt(),
                "two directions of friction with a limit each make a pyramid: the limit is mu n for their vector",
            ),
        ];
        let what = format!("the speed of a slab at {degrees} degrees to x after 0.2 s of friction 0.5");
        expect(&what, speed, 2.0, 0.08, &hints, "friction is a round cone: |t| <= mu n, against the slip")?;
    }
    Ok(())
}

fn contacts(talk: &mut Talk) -> Result<(), Stop> {
    let still = fixed(body(&json!({"sphere": 1.0}), [0.0; 3]));
    talk.build(&world(vec![still, ball(2, 1.0)]))?;
    for _ in 0..200 {
        let seen = talk.run_in_space(1, 0.01, &json!([]))?;
        let Some(row) = seen.contacts.first() else { continue };
        if !(10..=11).contains(&row.len()) {
            return wrong(
                format!("a contact of {} numbers", row.len()),
                "a contact is [i,j,px,py,pz,nx,ny,nz,depth,impulse]",
            );
        }
        let hints = [(-1.0, "the normal points from the first body to the second, the first with the lower number")];
        expect(
            "nz of a contact of body 0 with body 1 above it along z",
            row[7],
            1.0,
            0.01,
            &hints,
            "normals are unit vectors from i to j",
        )?;
        return expect(
            "pz of the contact",
            row[4],
            1.0,
            0.15,
            &[(2.5, "the point lies where they touch, in the world")],
            "the point lies where they touch",
        );
    }
    wrong("no contact is reported", "list `contacts` only where contacts are reported")
}

/// An arm of 1 m that is held at the origin, with a velocity and a spin as of one that turns about it.
fn arm(talk: &Talk, spin: [f64; 3]) -> Result<Vec<Value>, Stop> {
    let shape = ["sphere", "box"].into_iter().find(|shape| talk.lists(&format!("shape {shape}")));
    let shape = match shape {
        Some("sphere") => json!({"sphere": 0.1}),
        Some(_) => json!({"box": [0.2, 0.2, 0.2]}),
        None => return Err(Stop::Lacks("the shape sphere or box".to_owned())),
    };
    let [wx, wy, wz] = spin;
    // w x r at r = (1, 0, 0).
    let velocity = [0.0, wz, -wy];
    let arm = with(body(&shape, [1.0, 0.0, 0.0]), json!({"spin": [wx, wy, wz], "velocity": velocity}));
    Ok(vec![fixed(body(&shape, [0.0; 3])), arm])
}

fn held(talk: &mut Talk, bodies: Vec<Value>, joint: &Value) -> Result<[f64; 13], Stop> {
    talk.build(&with(world(bodies), json!({"joints": [joint]})))?;
    Ok(talk.run_in_space(100, 0.01, &json!([]))?.bodies[1])
}

/// How far the anchor at (-1, 0, 0) of a body is from the origin.
fn off(row: &[f64; 13]) -> f64 {
    let (w, x, y, z) = (row[3], row[4], row[5], row[6]);
    let along = [1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y + w * z), 2.0 * (x * z - w * y)];
    (0..3).map(|k| (row[k] - along[k]).powi(2)).sum::<f64>().sqrt()
}

fn socket(talk: &mut Talk) -> Result<(), Stop> {
    let joint = json!({"kind": "socket", "bodies": [0, 1], "at": [[0.0, 0.0, 0.0], [-1.0, 0.0, 0.0]]});
    let bodies = arm(talk, [0.7, 1.0, 0.5])?;
    let row = held(talk, bodies, &joint)?;
    let hint = "a socket keeps its anchors together, which stand in each body's own frame and turn with it";
    expect("how far the anchors of a socket are apart after 1 s", off(&row), 0.0, 0.05, &[], hint)?;
    match row[0] < 0.8 {
        true => Ok(()),
        false => wrong(
            format!("an arm of 1 m still points along x at {} after 1 s", row[0]),
            "a socket lets bodies turn about any axis",
        ),
    }
}

fn hinge(talk: &mut Talk) -> Result<(), Stop> {
    let joint =
        json!({"kind": "hinge", "bodies": [0, 1], "at": [[0.0, 0.0, 0.0], [-1.0, 0.0, 0.0]], "axis": [0.0, 0.0, 1.0]});
    // What of the spin is not along the axis is taken by the hinge.
    let bodies = arm(talk, [0.0, 1.0, 2.0])?;
    let row = held(talk, bodies, &joint)?;
    let hint = "a hinge keeps its anchors together and lets bodies turn about its axis alone";
    expect("how far the anchors of a hinge are apart after 1 s", off(&row), 0.0, 0.05, &[], hint)?;
    expect(
        "z of an arm on a hinge about z",
        row[2],
        0.0,
        0.05,
        &[],
        "the axis of a hinge stays common to both bodies",
    )?;
    let turned = row[1].atan2(row[0]);
    expect(
        "the angle of an arm after 1 s at 2 rad/s on a hinge about z",
        turned,
        2.0,
        0.15,
        &[(0.0, "a hinge lets bodies turn about its axis")],
        hint,
    )
}
