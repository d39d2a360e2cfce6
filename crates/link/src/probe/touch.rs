//! Sizes of shapes, restitution, friction, contacts.

use super::Question;
use super::say::{body, disc, fixed, flying, heavy, made_of, of, part, with, world};
use super::talk::{Stop, Talk, expect, wrong};
use serde_json::{Value, json};

pub(super) const QUESTIONS: &[Question] = &[
    Question { name: "disc", asks: "takes the number of a disc for its radius", needs: "shape disc", ask: disc_size },
    Question {
        name: "box",
        asks: "takes the numbers of a box for its full width and height",
        needs: "shape box",
        ask: box_size,
    },
    Question {
        name: "box turned",
        asks: "turns shapes by radians, counter-clockwise",
        needs: "shape box",
        ask: box_turned,
    },
    Question {
        name: "capsule",
        asks: "reads a capsule along x, length between its caps' centres",
        needs: "shape capsule",
        ask: capsule,
    },
    Question { name: "polygon", asks: "takes corners in either sense", needs: "shape polygon", ask: polygon },
    Question { name: "polyline", asks: "stops bodies at both sides of a line", needs: "shape polyline", ask: polyline },
    Question {
        name: "half-plane",
        asks: "takes the normal out of the solid",
        needs: "shape half_plane",
        ask: half_plane,
    },
    Question { name: "parts", asks: "places parts about the body's centre", needs: "shape disc", ask: parts },
    Question { name: "restitution", asks: "bounces back at restitution times the speed", needs: "", ask: restitution },
    Question {
        name: "restitution mixed",
        asks: "takes the larger restitution of two materials",
        needs: "",
        ask: restitution_mixed,
    },
    Question { name: "pair of materials", asks: "lets an entry in `pairs` override the mixture", needs: "", ask: pair },
    Question { name: "masses", asks: "shares momentum by mass", needs: "", ask: masses },
    Question { name: "friction", asks: "mixes friction by geometric mean", needs: "shape box", ask: friction },
    Question {
        name: "contacts",
        asks: "reports contacts: i < j, normal from i to j, impulse in N s",
        needs: "contacts",
        ask: contacts,
    },
];

/// Where a disc of radius 0.1 that flies along the x axis at 1 m/s is held up by what stands at the origin.
fn held_at(talk: &mut Talk, what: Value, from: f64) -> Result<f64, Stop> {
    let towards = -from.signum();
    let bullet = with(flying(0.1, from, 0.0, towards, 0.0), json!({"fixed_turn": true}));
    talk.build(&world(vec![fixed(what), bullet]))?;
    Ok(talk.run(600, 0.01)?.bodies[1][0])
}

/// A few percent: what an engine leaves of slop.
const SLOP: f64 = 0.04;

fn disc_size(talk: &mut Talk) -> Result<(), Stop> {
    let x = held_at(talk, disc(1.0, 0.0, 0.0), 4.0)?;
    let hints = [
        (0.55, "the number of a disc is its radius, and is taken for the diameter"),
        (2.2, "the number of a disc is its radius, and is doubled"),
        (-2.0, "it passes through: are static bodies given a place in the collision search?"),
    ];
    expect(
        "a disc of radius 0.1 against one of radius 1 is held up where x",
        x,
        1.1,
        SLOP,
        &hints,
        "a disc is described by its radius",
    )
}

fn box_size(talk: &mut Talk) -> Result<(), Stop> {
    let x = held_at(talk, body(&json!({"box": [2.0, 1.0]}), 0.0, 0.0), 4.0)?;
    let hints = [
        (2.1, "sizes of boxes are full, and are taken for half ones"),
        (0.6, "sizes of boxes are full and are halved twice, or width and height are exchanged"),
        (-2.0, "it passes through"),
    ];
    expect(
        "a disc against a box 2 wide is held up where x",
        x,
        1.1,
        SLOP,
        &hints,
        "a box is described by its full width and height",
    )
}

fn box_turned(talk: &mut Talk) -> Result<(), Stop> {
    // A bar of length 4 that stands on the x axis at a right angle, and one that leans to the left.
    let upright = with(body(&json!({"box": [4.0, 0.2]}), 0.0, 0.0), json!({"angle": std::f64::consts::FRAC_PI_2}));
    let x = held_at(talk, upright, 3.0)?;
    let hints = [
        (2.1, "angles are in radians, and are taken for degrees (or not read): the bar still lies"),
        (0.3, "the angle is right, but sizes of boxes are full, and are taken for half ones"),
        (4.1, "sizes of boxes are full, and are taken for half ones; angles are in radians"),
    ];
    expect(
        "a disc against a bar turned by pi/2 is held up where x",
        x,
        0.2,
        SLOP,
        &hints,
        "`angle` of a body turns its shapes",
    )?;
    let leaning = with(body(&json!({"box": [4.0, 0.2]}), 0.0, 0.0), json!({"angle": 1.0}));
    let bullet = with(flying(0.1, 3.0, 1.2, -1.0, 0.0), json!({"fixed_turn": true}));
    talk.build(&made_of(world(vec![fixed(leaning), bullet]), &[[50.0, 0.0]]))?;
    let frames = talk.steps(&[0.01; 250], 1, &json!([]))?;
    let (sine, cosine) = (1.0_f64.sin(), 1.0_f64.cos());
    let touches = (0.2 + 1.2 * cosine) / sine;
    let first = frames.iter().find(|seen| seen.bodies[1][3] > -0.9).map_or(f64::NAN, |seen| seen.bodies[1][0]);
    let mirrored = (0.2 - 1.2 * cosine) / sine;
    let hints = [(mirrored, "the box turns clockwise for a positive angle")];
    expect(
        "a disc at y = 1.2 against a bar turned by 1 rad is held up where x",
        first,
        touches,
        SLOP,
        &hints,
        "positive angles turn counter-clockwise",
    )
}

fn capsule(talk: &mut Talk) -> Result<(), Stop> {
    let shape = json!({"capsule": [2.0, 0.5]});
    let x = held_at(talk, body(&shape, 0.0, 0.0), 4.0)?;
    let hints = [
        (1.1, "the length of a capsule goes from centre to centre of its caps, and is taken for the whole"),
        (2.6, "the length of a capsule is full, and is taken for half"),
        (0.6, "a capsule lies along its x axis, and is built along y"),
    ];
    expect(
        "a disc against a capsule [2, 0.5] is held up where x",
        x,
        1.6,
        SLOP,
        &hints,
        "capsule [length, radius], along x",
    )
}

fn polygon(talk: &mut Talk) -> Result<(), Stop> {
    let corners = [[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]];
    let mut turned = corners;
    turned.reverse();
    for (sense, corners) in [("counter-clockwise", corners), ("clockwise", turned)] {
        let x = held_at(talk, body(&json!({"polygon": corners}), 0.0, 0.0), 4.0)?;
        let hint = "corners may come in either sense: turn them round where your engine wants one of them";
        expect(&format!("a disc against a square given {sense} is held up where x"), x, 1.1, SLOP, &[], hint)?;
    }
    Ok(())
}

fn polyline(talk: &mut Talk) -> Result<(), Stop> {
    for (side, from, due) in [("right", 3.0, 0.1), ("left", -3.0, -0.1)] {
        let line = body(&json!({"polyline": [[0.0, -1.0], [0.0, 1.0]]}), 0.0, 0.0);
        let x = held_at(talk, line, from)?;
        let hint = "a polyline has two sides, and stops bodies at both";
        expect(&format!("a disc from the {side} against a line is held up where x"), x, due, SLOP, &[], hint)?;
    }
    Ok(())
}

fn half_plane(talk: &mut Talk) -> Result<(), Stop> {
    let mut wall = body(&json!({"half_plane": [1.0, 0.0]}), 0.0, 0.0);
    wall["parts"][0]["position"] = json!([0.5, 0.0]);
    let x = held_at(talk, wall, 4.0)?;
    let hints = [
        (0.1, "the surface goes through the part's position, which is not read"),
        (-2.0, "the normal points out of the solid; the solid is taken to lie on the other side"),
    ];
    expect(
        "a disc against a half-plane at 0.5 is held up where x",
        x,
        0.6,
        SLOP,
        &hints,
        "the normal points out of the solid",
    )
}

fn parts(talk: &mut Talk) -> Result<(), Stop> {
    let mut apart = disc(0.5, 0.0, 0.0);
    let offset = with(part(&json!({"disc": 0.5})), json!({"position": [2.0, 0.0]}));
    apart["parts"] = json!([part(&json!({"disc": 0.25})), offset]);
    let x = held_at(talk, apart, 4.0)?;
    let hints = [
        (0.35, "only the first part is built, or all stand at the centre"),
        (0.6, "a part's position is not read: it stands `position` away from the body's centre"),
    ];
    expect(
        "a disc against a part 2 m right of its body is held up where x",
        x,
        2.6,
        SLOP,
        &hints,
        "parts are placed about the centre of mass",
    )
}

/// Speed after a disc at 1 m/s has met a fixed one, for two materials and an entry for the pair.
fn bounce(talk: &mut Talk, materials: [[f64; 2]; 2], pairs: &Value) -> Result<f64, Stop> {
    let bodies = vec![fixed(disc(1.0, 0.0, 0.0)), of(flying(0.5, 3.0, 0.0, -1.0, 0.0), 1)];
    talk.build(&with(made_of(world(bodies), &materials), json!({"pairs": pairs})))?;
    Ok(talk.run(250, 0.01)?.bodies[1][3])
}

fn restitution(talk: &mut Talk) -> Result<(), Stop> {
    let speed = bounce(talk, [[0.0, 0.5], [0.0, 0.5]], &json!([]))?;
    let hints = [
        (0.0, "it does not bounce: is there a speed below which restitution is dropped, and is it above 1 m/s?"),
        (0.25, "restitution is a ratio of speeds: it is multiplied in twice, or two materials are multiplied"),
        (0.5_f64.sqrt(), "restitution is a ratio of speeds, not of heights"),
        (1.0, "restitution is not read, or added up over two materials"),
        (-1.0, "it passes through"),
    ];
    expect(
        "speed after a bounce at restitution 0.5, from 1 m/s,",
        speed,
        0.5,
        0.02,
        &hints,
        "speed after is restitution times speed before",
    )
}

fn restitution_mixed(talk: &mut Talk) -> Result<(), Stop> {
    let speed = bounce(talk, [[0.0, 0.2], [0.0, 0.8]], &json!([]))?;
    let hints = [
        (0.2, "the smaller one is taken"),
        (0.16, "they are multiplied"),
        (0.5, "the mean is taken"),
        (0.4, "the geometric mean is for friction; restitution takes the larger"),
    ];
    expect(
        "speed after a bounce at restitutions 0.2 and 0.8",
        speed,
        0.8,
        0.02,
        &hints,
        "two materials take the larger restitution",
    )
}

fn pair(talk: &mut Talk) -> Result<(), Stop> {
    let entry = json!([{"between": [1, 0], "friction": 0.0, "restitution": 0.3}]);
    let speed = bounce(talk, [[0.0, 0.9], [0.0, 0.9]], &entry)?;
    let hints = [(0.9, "`pairs` is not read, or only in one order of the two materials")];
    expect(
        "speed after a bounce with 0.3 for the pair",
        speed,
        0.3,
        0.02,
        &hints,
        "an entry in `pairs` stands in the place of the mixture",
    )
}

fn masses(talk: &mut Talk) -> Result<(), Stop> {
    let heavy = with(disc(0.5, 0.0, 0.0), json!({"mass": 3.0}));
    talk.build(&made_of(world(vec![heavy, flying(0.5, 3.0, 0.0, -2.0, 0.0)]), &[[0.0, 1.0]]))?;
    let seen = talk.run(200, 0.01)?;
    let (heavy, light) = (seen.bodies[0][3], seen.bodies[1][3]);
    let hints = [
        (-2.0, "mass is left out: both answer as if they weighed the same"),
        (0.0, "only one of the two bodies answers"),
    ];
    // From -2 and 0 at masses 1 and 3: -1 for the heavy one, 1 for the light one.
    expect("velocity of 3 kg hit by 1 kg at -2 m/s", heavy, -1.0, 0.02, &hints, "impulse over the mass that is given")?;
    expect("velocity of the 1 kg", light, 1.0, 0.02, &[], "impulse over the mass that is given")?;
    expect(
        "momentum",
        3.0 * heavy + light,
        -2.0,
        1e3 * talk.exact(),
        &[],
        "both bodies take the same impulse, against each other",
    )
}

fn friction(talk: &mut Talk) -> Result<(), Stop> {
    let floor = fixed(body(&json!({"box": [40.0, 1.0]}), 0.0, -0.5));
    let block = with(body(&json!({"box": [0.5, 0.5]}), 0.0, 0.25), json!({"velocity": [4.0, 0.0], "fixed_turn": true}));
    let sliding = made_of(world(vec![floor, of(block, 1)]), &[[0.4, 0.0], [0.1, 0.0]]);
    talk.build(&heavy(sliding))?;
    let row = talk.run(100, 0.01)?.bodies[1];
    let hints = [
        (4.0, "there is no friction: is it read, and is there a normal force behind it?"),
        (4.0 - 0.4, "friction of two materials is multiplied; the square root is left out"),
        (4.0 - 2.5, "the mean is taken"),
        (4.0 - 1.0, "the smaller one is taken"),
        (0.0, "the larger one is taken, or friction is added up"),
    ];
    expect(
        "speed after 1 s from 4 m/s at frictions 0.4 and 0.1",
        row[3],
        2.0,
        0.1,
        &hints,
        "friction of two materials is sqrt(a b), times the normal force",
    )
}

fn contacts(talk: &mut Talk) -> Result<(), Stop> {
    // The floor comes last, so that the normal points down.
    let floor = fixed(disc(50.0, 0.0, -50.0));
    // The bounding boxes of the first and the third overlap, and they do not touch; the last slides down on its own.
    let above = fixed(disc(0.5, 0.8, 1.3));
    let bodies = vec![with(disc(0.5, 0.0, 0.5), json!({"mass": 2.0})), floor, above, disc(0.5, 1.5, 0.478)];
    talk.build(&heavy(world(bodies)))?;
    let seen = talk.run(100, 0.01)?;
    let between = |row: &[f64], pair: [f64; 2]| row.len() >= 8 && row[..2] == pair;
    let strange = |row: &&Vec<f64>| row.len() >= 8 && !between(row, [0.0, 1.0]) && !between(row, [1.0, 0.0]);
    if let Some(row) = seen.contacts.iter().filter(strange).find(|row| !between(row, [1.0, 3.0]) && row[7] != 0.0) {
        return wrong(
            format!("a contact of bodies {} and {} with an impulse of {}", row[0], row[1], row[7]),
            "they do not touch: only pairs whose shapes meet are contacts, not those whose bounding boxes overlap",
        );
    }
    let points = seen.contacts.iter().filter(|row| between(row, [0.0, 1.0])).count();
    if points > 2 {
        return wrong(
            format!("{points} contact points of one disc on the ground"),
            "a point that stays is one contact: merge those of substeps, and take old ones out",
        );
    }
    let Some(row) = seen.contacts.iter().find(|row| !between(row, [1.0, 3.0])) else {
        return wrong(
            "no contact of a disc that lies on the ground",
            "an engine that lists `contacts` reports them in every frame",
        );
    };
    if !(8..=9).contains(&row.len()) {
        return wrong(
            format!("a contact of {} numbers", row.len()),
            "a contact is [i, j, px, py, nx, ny, depth, impulse]",
        );
    }
    if row[..2] != [0.0, 1.0] {
        return wrong(format!("a contact of bodies {} and {}", row[0], row[1]), "the smaller id comes first");
    }
    let hints = [(1.0, "the normal points from the first body (here the disc) to the second (the ground)")];
    expect(
        "ny of a disc on the ground",
        row[5],
        -1.0,
        1e-3,
        &hints,
        "the normal is a unit vector from the first body to the second",
    )?;
    let impulse: f64 = seen.contacts.iter().filter(|row| between(row, [0.0, 1.0])).map(|row| row[7]).sum();
    let hints = [
        (20.0, "this is a force; an impulse over the step is due"),
        (-0.2, "the normal impulse is positive where bodies push each other apart"),
        (0.0, "the impulse of the step is not reported"),
    ];
    expect(
        "impulse over a step of 2 kg at rest",
        impulse,
        0.2,
        0.02,
        &hints,
        "impulse is the normal impulse over the step, in N s: m g dt at rest",
    )?;
    if row[6].abs() > 0.1 {
        return wrong(format!("a depth of {}", row[6]), "depth is the overlap in m, positive where they overlap");
    }
    Ok(())
}
