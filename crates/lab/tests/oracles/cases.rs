//! The cases of `cases.json` that a planar engine of rigid bodies, springs and joints can express, as worlds.
//!
//! Reference values: closed forms and high-precision numerics, each with its law or author in the file. Families: 1 free flight, 2 bouncing
//! ball, 3 two-body collisions, 4 blocks and wall, 5 chains of blocks, 6 inclines and rolling, 7 pendulums, 8 springs and limits of
//! integrators, 13 similarity of scale, 14 clock and thin wall.

use crate::bench::{
    Row, STEPS, ball, bouncing_height, error, frames, measured, measured_with, moving, point, post, row, sampled,
    spring, value, value_of, when,
};
use crate::yard::{fixed, world};
use ironspin_model::{
    Body, DVec2, DVec3, Details, Inertia, Joint, JointFrame, JointKind, Measure, PlaneShape, World, about_z,
};
use serde_json::Value;

pub(crate) fn all() -> Vec<Value> {
    serde_json::from_str(include_str!("cases.json")).expect("the file of cases")
}

fn number(value: &Value) -> f64 {
    value.as_f64().expect("a number")
}

fn list(value: &Value) -> Vec<f64> {
    value.as_array().expect("a list").iter().map(number).collect()
}

fn lists(value: &Value) -> Vec<Vec<f64>> {
    value.as_array().expect("a list").iter().map(list).collect()
}

/// All rows of one case.
pub(crate) fn rows(case: &Value) -> Vec<Row> {
    let kind = case["id"].as_str().expect("an id");
    let (input, output) = (&case["inputs"], &case["outputs"]);
    let family_and_kind = kind.rsplit_once('.').map_or(kind, |(head, _)| head);
    match family_and_kind {
        "f01.throw" | "f01.damped" => throw(case, input, output),
        "f02.drop" => drop(case, input, output),
        "f03.line" => line(case, input, output),
        "f03.smooth" | "f03.friction" => discs(case, input, output),
        "f04.wall" => wall(case, input, output),
        "f05.chain" => chain(case, input, output),
        "f06.slide" => slide(case, input, output),
        "f06.roll" => roll(case, input, output),
        "f06.slideroll" => slide_into_roll(case, input, output),
        "f06.tip" => tip(case, input, output),
        "f07.compound" => compound(case, input, output),
        "f07.double" => double(case, input, output),
        "f08.oscillator" => oscillator(case, input, output),
        "f08.twomass" => two_masses(case, input, output),
        "f08.fixedchain" => fixed_chain(case, input, output),
        "f08.stability" => stability(case, input, output),
        "f13.bounce" => scaled_bounce(case, input, output),
        "f13.pendulum" => scaled_pendulum(case, input, output),
        "f13.throw" => scaled_throw(case, input, output),
        "f13.spring" => scaled_spring(case, input, output),
        "f14.wall" => thin_wall(case, input, output),
        _ => Vec::new(),
    }
}

/// x and y of a body at sample times.
fn places(world: &World, options: &str, step: f64, of: usize, times: &[f64]) -> [Vec<f64>; 2] {
    let runs: Vec<_> = times.iter().map(|&time| sampled(world, options, step, time)).collect();
    ["x", "y"].map(|what| runs.iter().map(|frames| value(what, world, of, frames)).collect())
}

fn throw(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (speed, angle) = (number(&input["speed"]), number(&input["angle_deg"]).to_radians());
    let mut yard = world(number(&input["g"]), 0.0, 0.0);
    let mut shot = moving(
        ball(0.01, 1.0, 0.0, number(&input["start_height"])),
        speed * libm::cos(angle),
        speed * libm::sin(angle),
    );
    shot.linear_damping = input.get("c").map_or(0.0, number);
    yard.bodies.push(shot);
    let times = list(&input["sample_times"]);
    let expected = [list(&output["x_at"]), list(&output["y_at"])].concat();
    let at = |options: &'static str| {
        let (yard, times, expected) = (yard.clone(), times.clone(), expected.clone());
        move |step: f64| error(&places(&yard, options, step, 0, &times).concat(), &expected)
    };
    let mut rows = vec![row(case, "x and y at sample times", "", (1e-12, None), at(""))];
    // A flight shorter than some steps says nothing about their order.
    if times.iter().all(|&time| time > 4.0 * STEPS[0]) {
        let euler = "integrator=symplectic-euler";
        rows.push(row(case, "x and y at sample times", euler, (1e-2, Some(1.0)), at(euler)));
    }
    rows
}

fn floor_and_ball(g: f64, e: f64, radius: f64, gap: f64, v0: f64) -> World {
    let mut yard = world(g, 0.0, e);
    yard.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::Y), 0.0, 0.0));
    yard.bodies.push(moving(ball(radius, 1.0, 0.0, gap + radius), 0.0, v0));
    yard
}

fn drop(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let radius = number(&input["radius"]).max(0.01);
    let e = number(&input["restitution"]);
    let gap = number(&input["drop_gap"]);
    let gravity = number(&input["g"]);
    let yard = floor_and_ball(gravity, e, radius, gap, number(&input["v0"]));
    let times = list(&input["sample_times"]);
    // Until the ball lies still; from there on an engine may let it rest.
    let last = list(&output["impact_times"]).last().copied().unwrap_or(0.0);
    let kept: Vec<usize> = (0..times.len()).filter(|&k| times[k] < last || e == 0.0).collect();
    let gaps = list(&output["gap_at"]);
    let expected: Vec<f64> = kept.iter().map(|&k| gaps[k] + radius).collect();
    let samples: Vec<f64> = kept.iter().map(|&k| times[k]).collect();
    let world = yard.clone();
    let mut rows = vec![row(case, "height at sample times", "", (1e-11, None), move |step| {
        let height = |&time: &f64| bouncing_height(&frames(&world, "", step, time), 1, gravity, step, time);
        error(&samples.iter().map(height).collect::<Vec<_>>(), &expected)
    })];
    if e > 0.0 {
        let until = list(&output["impact_times"])[2] * 1.02;
        rows.push(row(case, "rebound by speed (gauge)", "", (1e-12, None), move |step| {
            error(&[measured("rebound.speed", &yard, 1, &[0], &frames(&yard, "", step, until))], &[e])
        }));
    }
    rows
}

fn line(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (m1, v1, v2) = (number(&input["m1"]), number(&input["v1"]), number(&input["v2"]));
    let run = |what: &'static str, of: usize, options: &'static str| {
        let (masses, e) = (list(&input["m2"]), number(&input["restitution"]));
        let expected = list(&output[what]);
        move |step: f64| {
            let found: Vec<f64> = masses
                .iter()
                .map(|&m2| {
                    let mut yard = world(0.0, 0.0, e);
                    yard.bodies.push(moving(ball(0.1, m1, -0.5, 0.0), v1, 0.0));
                    yard.bodies.push(moving(ball(0.1, m2, 0.0, 0.0), v2, 0.0));
                    value("vx", &yard, of, &frames(&yard, options, step, 0.5))
                })
                .collect();
            error(&found, &expected)
        }
    };
    vec![
        row(case, "velocity of the first", "", (1e-9, None), run("v1_after", 0, "")),
        row(case, "velocity of the second", "", (1e-9, None), run("v2_after", 1, "")),
        row(case, "velocity of the second", "swept=all", (1e-9, None), run("v2_after", 1, "swept=all")),
    ]
}

fn two_discs(input: &Value, friction: f64) -> World {
    let mut yard = world(0.0, friction, number(&input["restitution"]));
    for k in ["1", "2"] {
        let get = |name: &str| &input[format!("{name}{k}")];
        let (at, velocity) = (list(get("p")), list(get("v")));
        let mut disc = moving(ball(number(get("r")), number(get("m")), at[0], at[1]), velocity[0], velocity[1]);
        disc.spin = about_z(input.get(format!("w{k}")).map_or(0.0, number));
        yard.bodies.push(disc);
    }
    yard
}

fn discs(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let frictions = input.get("mu").map_or(vec![0.0], list);
    let each = |name: &str| -> Vec<Vec<f64>> {
        let value = &output[name];
        if value[0].is_array() { lists(value) } else { vec![list(value)] }
    };
    let mut expected: Vec<f64> = each("v1_after").concat();
    expected.extend(each("v2_after").concat());
    for name in ["w1_after", "w2_after"] {
        expected.extend(output.get(name).map_or(vec![0.0; frictions.len()], list));
    }
    let until = number(&output["contact_time"]) + 0.2;
    let run = |options: &'static str, bound: f64| {
        let (input, frictions, expected) = (input.clone(), frictions.clone(), expected.clone());
        row(case, "velocities and spins", options, (bound, None), move |step| {
            let run = |&friction: &f64| {
                let yard = two_discs(&input, friction);
                let run = frames(&yard, options, step, until);
                (yard, run)
            };
            let runs: Vec<_> = frictions.iter().map(run).collect();
            let mut found = Vec::new();
            for of in [0, 1] {
                for (yard, run) in &runs {
                    found.extend([value("vx", yard, of, run), value("vy", yard, of, run)]);
                }
            }
            for of in [0, 1] {
                found.extend(runs.iter().map(|(yard, run)| value("spin", yard, of, run)));
            }
            error(&found, &expected)
        })
    };
    vec![run("", 1e-10), run("swept=off", 1e-10), run("swept=all", 1e-10)]
}

/// Two blocks of edge 0.1 on a line towards a wall; the places of the case are those of faces without size.
fn wall(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (small, big) = (number(&input["x_small"]), number(&input["x_big"]));
    let counts = list(&output["collisions"]);
    let ratios = list(&input["mass_ratio"]);
    let speed = number(&input["v_big"]);
    let run = |what: &'static str| {
        let (counts, ratios, expected) = (counts.clone(), ratios.clone(), list(&output[what]));
        move |step: f64| {
            let mut found = Vec::new();
            for (&ratio, _) in ratios.iter().zip(&counts) {
                let mut yard = world(0.0, 0.0, 1.0);
                let block = |mass: f64, x: f64| {
                    let mut body = ball(0.05, mass, x, 0.0);
                    body.fixed_turn = true;
                    body
                };
                yard.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::X), 0.0, 0.0));
                yard.bodies.push(block(1.0, small + 0.05));
                yard.bodies.push(moving(block(ratio, big + 0.15), speed, 0.0));
                let until = 1.5 * big / speed.abs() + 2.5 / speed.abs() * (big / small).max(1.0);
                let run = frames(&yard, "solver=event", step, until * 4.0);
                found.push(match what {
                    "collisions" => measured("impacts.count", &yard, 1, &[], &run),
                    "v_big_final" => value("vx", &yard, 2, &run),
                    _ => value("vx", &yard, 1, &run),
                });
            }
            error(&found, &expected)
        }
    };
    // A million impacts and more cost more than a test may: they are counted once, at the coarsest step.
    let dear = counts.iter().any(|&count| count > 1e5);
    let most = counts.iter().copied().fold(0.0, f64::max);
    let (mut rows, options) = (Vec::new(), "solver=event");
    for (what, quantity, bound) in [
        ("collisions", "number of impacts (gauge)", 0.0),
        // A rounding of both speeds at every impact adds up in the angle that unfolds them, of which the light one's speed is the sine.
        ("v_big_final", "last speed of the heavy block", 1e-15 * most.max(1e3)),
        ("v_small_final", "last speed of the light block", 1e-12 * most.max(1e3)),
    ] {
        let at = run(what);
        let at: Box<dyn Fn(f64) -> f64> = if dear {
            let once = at(STEPS[0]);
            Box::new(move |_| once)
        } else {
            Box::new(at)
        };
        rows.push(row(case, quantity, options, (bound, None), at));
    }
    rows
}

fn chain(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (masses, places, speeds) = (list(&input["m"]), list(&input["x"]), list(&input["v"]));
    let width = number(&input["width"]);
    let mut yard = world(0.0, 0.0, number(&input["restitution"]));
    for ((&mass, &x), &v) in masses.iter().zip(&places).zip(&speeds) {
        let mut block = moving(ball(0.5 * width, mass, x, 0.0), v, 0.0);
        block.fixed_turn = true;
        yard.bodies.push(block);
    }
    let until = number(&output["last_collision_time"]) + 0.1;
    let (expected, count) = (list(&output["v_final"]), number(&output["collisions"]));
    let run = |options: &'static str| {
        let (yard, expected) = (yard.clone(), expected.clone());
        move |step: f64| {
            let run = frames(&yard, options, step, until);
            let found: Vec<f64> = (0..expected.len()).map(|of| value("vx", &yard, of, &run)).collect();
            error(&found, &expected)
        }
    };
    let counted = |options: &'static str| {
        let yard = yard.clone();
        move |step: f64| {
            let run = frames(&yard, options, step, until);
            // Each impact is between neighbours: counted for every second body with its neighbours.
            let impacts = |of: usize| {
                let others: Vec<usize> =
                    [of.wrapping_sub(1), of + 1].into_iter().filter(|&k| k < yard.bodies.len()).collect();
                measured("impacts.count", &yard, of, &others, &run)
            };
            error(&[(0..yard.bodies.len()).step_by(2).map(impacts).sum()], &[count])
        }
    };
    vec![
        row(case, "last velocities", "swept=all", (1e-9, None), run("swept=all")),
        row(case, "last velocities", "solver=event", (1e-9, None), run("solver=event")),
        row(case, "number of impacts (gauge)", "swept=all", (0.0, None), counted("swept=all")),
    ]
}

/// A chute that falls to the right, and a body that stands on it with its foot at the origin.
fn chute(g: f64, theta: f64, friction: f64, mut body: Body, height: f64) -> World {
    let (sin, cos) = (libm::sin(theta), libm::cos(theta));
    let mut yard = world(g, friction, 0.0);
    yard.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::new(sin, cos)), 0.0, 0.0));
    body.pose.position = DVec3::new(height * sin, height * cos, 0.0);
    body.pose.turn_to(-theta);
    yard.bodies.push(body);
    yard
}

/// Way down the chute of a body.
fn downhill(world: &World, frames: &[ironspin_model::Frame], theta: f64) -> f64 {
    let (sin, cos) = (libm::sin(theta), libm::cos(theta));
    value_of(world, 1, frames, move |state, _| state.pose.position.x * cos - state.pose.position.y * sin)
}

fn slide(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (g, theta) = (number(&input["g"]), number(&input["theta_deg"]).to_radians());
    let (mu, v0) = (number(&input["mu"]), number(&input["v0"]));
    let block = || {
        // Flat, so that it does not tip.
        let mut body = crate::yard::solid(PlaneShape::Box(DVec2::new(1.0, 0.1)), 0.0, 0.0);
        body.fixed_turn = true;
        body
    };
    let sent = move |speed: f64| {
        let mut yard = chute(g, theta, mu, block(), 0.05);
        yard.bodies[1].velocity = DVec3::new(speed * libm::cos(theta), -speed * libm::sin(theta), 0.0);
        yard
    };
    let mut rows = Vec::new();
    let up = (number(&output["stop_distance_up"]), number(&output["stop_time_up"]));
    // Sliding ends somewhere inside a step, within which a body is taken to slow down evenly: off by at most a dt^2 / 8, by how much hangs on
    // where, so that three steps show no order.
    rows.push(row(case, "way uphill until it stops", "", (1e-5, None), move |step| {
        let yard = sent(-v0);
        error(&[-downhill(&yard, &sampled(&yard, "", step, up.1), theta)], &[up.0])
    }));
    if let Some(distance) = output.get("stop_distance_down").map(number) {
        let time = number(&output["stop_time_down"]);
        rows.push(row(case, "way downhill until it stops", "", (1e-5, None), move |step| {
            let yard = sent(v0);
            error(&[downhill(&yard, &frames(&yard, "", step, time + 0.5), theta)], &[distance])
        }));
    }
    if output["slides_from_rest"] == 1 {
        let accel = number(&output["accel_sliding_down"]);
        rows.push(row(case, "speed after a second from rest", "", (1e-11, None), move |step| {
            let yard = sent(0.0);
            error(&[value("speed", &yard, 1, &sampled(&yard, "", step, 1.0))], &[accel])
        }));
    }
    rows
}

fn roll(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (g, theta) = (number(&input["g"]), number(&input["theta_deg"]).to_radians());
    let (mu, radius, mass) = (number(&input["mu"]), number(&input["radius"]), number(&input["mass"]));
    // In the plane a body may have any moment of inertia: all four of the list.
    let shares = [0.5, 0.4, 1.0, 2.0 / 3.0];
    let run = |what: &'static str| {
        let (times, expected) = (list(&output["time"]), list(&output[what]));
        move |step: f64| {
            let found: Vec<f64> = shares
                .iter()
                .zip(&times)
                .map(|(share, &time)| {
                    let mut body = ball(radius, mass, 0.0, 0.0);
                    body.inertia = Inertia::planar(share * mass * radius * radius);
                    let yard = chute(g, theta, mu, body, radius);
                    let run = sampled(&yard, "", step, time);
                    if what == "speed" { value("speed", &yard, 1, &run) } else { -value("spin", &yard, 1, &run) }
                })
                .collect();
            error(&found, &expected)
        }
    };
    vec![
        row(case, "speed after the distance", "", (1e-11, None), run("speed")),
        row(case, "spin after the distance", "", (1e-11, None), run("spin")),
    ]
}

fn slide_into_roll(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (v0, mu, radius) = (number(&input["v0"]), number(&input["mu"]), number(&input["radius"]));
    let (mass, g) = (number(&input["mass"]), number(&input["g"]));
    let w0 = number(&input["w0"]);
    let shares = [0.5, 0.4, 1.0, 2.0 / 3.0];
    let run = |what: &'static str, gauge: &'static str| {
        let (times, expected) = (list(&output["transition_time"]), list(&output[what]));
        move |step: f64| {
            let found: Vec<f64> = shares
                .iter()
                .zip(&times)
                .map(|(share, &time)| {
                    let mut yard = floor_and_ball(g, 0.0, radius, 0.0, 0.0);
                    yard.materials[0].friction = mu;
                    let body = &mut yard.bodies[1];
                    (body.mass, body.inertia) = (mass, Inertia::planar(share * mass * radius * radius));
                    (body.velocity, body.spin) = (DVec3::new(v0, 0.0, 0.0), about_z(w0));
                    value(gauge, &yard, 1, &sampled(&yard, "", step, if gauge == "x" { time } else { 2.0 * time }))
                })
                .collect();
            error(&found, &expected)
        }
    };
    vec![
        row(case, "speed of rolling", "", (1e-10, None), run("rolling_speed", "vx")),
        row(case, "spin of rolling", "", (1e-10, None), run("rolling_spin", "spin")),
        // As above.
        row(case, "way until it rolls", "", (1e-5, None), run("distance", "x")),
    ]
}

/// A box on a slope a degree beyond the lesser of both angles does what comes first; a degree below it stands.
fn tip(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (widths, heights, mus) = (list(&input["b"]), list(&input["h"]), list(&input["mu"]));
    let (uphill, above) = (number(&input["offset_x"]), number(&input["offset_y"]));
    let (mass, g) = (number(&input["mass"]), number(&input["g"]));
    let angles = [list(&output["tip_angle_deg"]), list(&output["slide_angle_deg"])];
    let first: Vec<bool> = output["first"].as_array().expect("a list").iter().map(|word| word == "tip").collect();
    vec![row(case, "tips or slides first, or stands", "", (0.0, None), move |step| {
        let mut wrong = 0.0;
        for k in 0..widths.len() {
            let limit = angles[0][k].min(angles[1][k]);
            for (theta, moves) in [(limit - 1.0, false), (limit + 1.0, true)] {
                let mut body = crate::yard::solid(PlaneShape::Box(DVec2::new(widths[k], heights[k])), 0.0, 0.0);
                (body.mass, body.inertia) =
                    (mass, Inertia::planar(mass * (widths[k].powi(2) + heights[k].powi(2)) / 12.0));
                // The chute falls to the right, so that uphill is against the body's x.
                body.parts[0].pose.position = DVec3::new(uphill, -above, 0.0);
                let mut yard = chute(g, theta.to_radians(), mus[k], body, 0.5 * heights[k] + above);
                yard.bodies[1].parts[0].pose.position = DVec3::new(uphill, -above, 0.0);
                let angle = -theta.to_radians();
                let run = frames(&yard, "", step, 2.0);
                let turned = value_of(&yard, 1, &run, move |state, _| (state.pose.angle - angle).abs());
                let slid = downhill(&yard, &run, theta.to_radians()).abs();
                let tipped = turned > 0.15;
                let moved = tipped || slid > 0.1;
                let right = if moves { moved && tipped == first[k] } else { !moved };
                wrong += f64::from(u8::from(!right));
            }
        }
        wrong
    })]
}

/// A pendulum: the bob with its inertia at a distance from the pivot, on a hinge.
fn pendulum(g: f64, arm: f64, inertia: f64, amplitude: f64) -> World {
    let mut yard = world(g, 0.0, 0.0);
    yard.bodies.push(post(0.0, 0.0));
    let mut bob = point(1.0, arm * libm::sin(amplitude), -arm * libm::cos(amplitude));
    bob.pose.turn_to(amplitude);
    bob.inertia = Inertia::planar(inertia);
    yard.bodies.push(bob);
    // A point on a massless rod has no angle of its own.
    let (kind, end) = if inertia > 0.0 {
        (JointKind::Hinge { limits: None }, DVec2::new(0.0, arm))
    } else {
        yard.bodies[1].inertia = Inertia::planar(1e-6);
        (JointKind::Rod, DVec2::ZERO)
    };
    yard.joints.push(Joint { kind, bodies: [0, 1], frames: JointFrame::planar([DVec2::ZERO, end]), length: None });
    yard
}

/// The angle of a pendulum from where its bob is.
fn swing(state: &ironspin_model::BodyState) -> f64 {
    libm::atan2(state.pose.position.x, -state.pose.position.y)
}

/// Mean period of a pendulum by the gauge.
fn mean_period(yard: &World, frames: &[ironspin_model::Frame]) -> f64 {
    let details = Details { measure: Some(Measure::new("swing", |state, _| swing(state))), ..Details::default() };
    measured_with("period.mean", yard, 1, &[], details, frames)
}

fn compound(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let g = number(&input["g"]);
    let (arm, inertia) = match (input.get("radius"), case["title"].as_str().unwrap_or("").contains("rod pivoted")) {
        (Some(radius), _) => (number(radius), 0.5 * number(radius).powi(2)),
        (None, true) => (0.5 * number(&input["length"]), number(&input["length"]).powi(2) / 12.0),
        (None, false) => (number(&input["length"]), 0.0),
    };
    let amplitudes = list(&input["amplitudes_deg"]);
    // Beyond an eighth short of the top a pendulum multiplies every error; those are asked for their period only.
    let tame: Vec<usize> = (0..amplitudes.len()).filter(|&k| amplitudes[k] <= 120.0).collect();
    let (times, thetas) = (list(&input["sample_times"]), lists(&output["theta_at"]));
    let periods = list(&output["period"]);
    let all = amplitudes.clone();
    vec![
        row(case, "period (gauge)", "", (5e-5, Some(2.0)), move |step| {
            let found: Vec<f64> = all
                .iter()
                .zip(&periods)
                .map(|(amplitude, period)| {
                    let yard = pendulum(g, arm, inertia, amplitude.to_radians());
                    mean_period(&yard, &frames(&yard, "", step, 2.9 * period))
                })
                .collect();
            error(&found, &periods)
        }),
        row(case, "angle at sample times", "", (2e-4, Some(2.0)), move |step| {
            let (mut found, mut expected) = (Vec::new(), Vec::new());
            for &k in &tame {
                let yard = pendulum(g, arm, inertia, amplitudes[k].to_radians());
                for (j, &time) in times.iter().enumerate() {
                    let run = sampled(&yard, "", step, time);
                    found.push(value_of(&yard, 1, &run, |state, _| swing(state)));
                    expected.push(thetas[k][j]);
                }
            }
            error(&found, &expected)
        }),
    ]
}

fn double(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let get = |name: &str| number(&input[name]);
    let (l1, l2, a1, a2) = (get("l1"), get("l2"), get("a1_deg").to_radians(), get("a2_deg").to_radians());
    let (w1, w2) = (get("w1"), get("w2"));
    let mut yard = world(get("g"), 0.0, 0.0);
    yard.bodies.push(post(0.0, 0.0));
    let (sin1, cos1, sin2, cos2) = (libm::sin(a1), libm::cos(a1), libm::sin(a2), libm::cos(a2));
    let (v1x, v1y) = (l1 * w1 * cos1, l1 * w1 * sin1);
    yard.bodies.push(moving(point(get("m1"), l1 * sin1, -l1 * cos1), v1x, v1y));
    let end = point(get("m2"), l1 * sin1 + l2 * sin2, -l1 * cos1 - l2 * cos2);
    yard.bodies.push(moving(end, v1x + l2 * w2 * cos2, v1y + l2 * w2 * sin2));
    for bodies in [[0, 1], [1, 2]] {
        yard.joints.push(Joint {
            kind: JointKind::Rod,
            bodies,
            frames: JointFrame::planar([DVec2::ZERO; 2]),
            length: None,
        });
    }
    let times = list(&input["sample_times"]);
    let ends = lists(&output["end_position"]);
    let expected: Vec<f64> = [0, 1].iter().flat_map(|&k| ends.iter().map(move |end| end[k])).collect();
    vec![row(case, "place of the end", "", (1e-5, Some(2.0)), move |step| {
        error(&places(&yard, "", step, 2, &times).concat(), &expected)
    })]
}

/// A mass on a line held by a spring and dashpot, displaced from its rest length of 10 m.
fn held(mass: f64, stiffness: f64, damping: f64, off: f64, v: f64) -> World {
    let mut yard = world(0.0, 0.0, 0.0);
    yard.bodies.push(post(0.0, 0.0));
    yard.bodies.push(moving(point(mass, 10.0 + off, 0.0), v, 0.0));
    yard.joints.push(spring([0, 1], 10.0, stiffness, damping));
    yard
}

fn oscillator(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let get = |name: &str| list(&input[name]);
    let (m, k, c, x0, v0) = (get("m"), get("k"), get("c"), get("x0"), get("v0"));
    let (times, expected) = (get("sample_times"), lists(&output["x_at"]).concat());
    let run = |options: &'static str| {
        let (m, k, c, x0, v0) = (m.clone(), k.clone(), c.clone(), x0.clone(), v0.clone());
        let (times, expected) = (times.clone(), expected.clone());
        move |step: f64| {
            let mut found = Vec::new();
            for i in 0..m.len() {
                let yard = held(m[i], k[i], c[i], x0[i], v0[i]);
                found.extend(places(&yard, options, step, 1, &times)[0].iter().map(|x| x - 10.0));
            }
            error(&found, &expected)
        }
    };
    vec![
        row(case, "place at sample times", "", (1e-4, Some(2.0)), run("")),
        row(case, "place at sample times", "integrator=rk4", (1e-7, Some(4.0)), run("integrator=rk4")),
        row(
            case,
            "place at sample times",
            "integrator=symplectic-euler",
            (1e-2, Some(1.0)),
            run("integrator=symplectic-euler"),
        ),
    ]
}

fn two_masses(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let get = |name: &str| number(&input[name]);
    let (u, v) = (list(&input["u0"]), list(&input["v0"]));
    let mut yard = world(0.0, 0.0, 0.0);
    yard.bodies.push(post(0.0, 0.0));
    yard.bodies.push(moving(point(get("m1"), 10.0 + u[0], 0.0), v[0], 0.0));
    yard.bodies.push(moving(point(get("m2"), 20.0 + u[1], 0.0), v[1], 0.0));
    yard.bodies.push(post(30.0, 0.0));
    for (bodies, stiffness) in [([0, 1], "k_left"), ([1, 2], "k_mid"), ([2, 3], "k_right")] {
        yard.joints.push(spring(bodies, 10.0, get(stiffness), 0.0));
    }
    let times = list(&input["sample_times"]);
    let expected: Vec<f64> = lists(&output["u_at"]).concat();
    vec![row(case, "displacements at sample times", "", (5e-4, Some(2.0)), move |step| {
        let mut found = Vec::new();
        for &time in &times {
            let run = sampled(&yard, "", step, time);
            found.extend([value("x", &yard, 1, &run) - 10.0, value("x", &yard, 2, &run) - 20.0]);
        }
        error(&found, &expected)
    })]
}

fn fixed_chain(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let get = |name: &str| number(&input[name]);
    let (count, mode, amplitude) = (get("N") as usize, get("mode"), get("amplitude"));
    let mut yard = world(0.0, 0.0, 0.0);
    yard.bodies.push(post(0.0, 0.0));
    for i in 1..=count {
        let off = amplitude * libm::sin(i as f64 * mode * std::f64::consts::PI / (count as f64 + 1.0));
        yard.bodies.push(point(get("m"), i as f64 + off, 0.0));
    }
    yard.bodies.push(post(count as f64 + 1.0, 0.0));
    for i in 0..=count {
        yard.joints.push(spring([i, i + 1], 1.0, get("k"), 0.0));
    }
    let (times, expected) = (list(&input["sample_times"]), lists(&output["u_at"]).concat());
    vec![row(case, "displacements at sample times", "", (5e-3, Some(2.0)), move |step| {
        let mut found = Vec::new();
        for &time in &times {
            let run = sampled(&yard, "", step, time);
            found.extend((1..=count).map(|i| value("x", &yard, i, &run) - i as f64));
        }
        error(&found, &expected)
    })]
}

/// The numerical solution itself is known: the same place after n steps, whatever it has to do with the truth.
fn stability(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (omega, count) = (number(&input["omega"]), number(&input["n_steps"]) as u64);
    let steps = list(&input["dt"]);
    let mut rows = Vec::new();
    for (options, what) in [
        ("integrator=explicit-euler,substeps=1", "explicit_euler_x_n"),
        ("integrator=symplectic-euler,substeps=1", "semi_implicit_x_n"),
        ("integrator=verlet,substeps=1", "velocity_verlet_x_n"),
        ("integrator=rk4,substeps=1", "rk4_x_n"),
    ] {
        let Some(expected) = output.get(what).map(list) else { continue };
        let steps = steps.clone();
        // Only steps that keep the mass within its spring: beyond, the far side of the post is another spring.
        let kept: Vec<usize> =
            (0..steps.len()).filter(|&k| expected[k].abs() < 5.0 && expected[k].abs() > 1e-6).collect();
        rows.push(row(case, what_of(what), options, (1e-9, None), move |_| {
            let mut worst = 0.0_f64;
            for &k in &kept {
                let yard = held(1.0, omega * omega, 0.0, 1.0, 0.0);
                let run = frames(&yard, options, steps[k], steps[k] * count as f64);
                worst = worst.max(error(&[value("x", &yard, 1, &run) - 10.0], &[expected[k]]));
            }
            worst
        }));
    }
    rows
}

fn what_of(name: &str) -> &'static str {
    match name {
        "explicit_euler_x_n" => "place after n steps of explicit Euler",
        "semi_implicit_x_n" => "place after n steps of symplectic Euler",
        "velocity_verlet_x_n" => "place after n steps of velocity Verlet",
        _ => "place after n steps of Runge-Kutta",
    }
}

/// Lengths, speeds and gravity of the scaled set-up.
fn scaled(input: &Value, output: &Value) -> (f64, f64, f64) {
    (number(&input["scale"]), number(&output["speed_factor"]), number(&output["gravity_factor"]))
}

fn scaled_bounce(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (length, _, gravity) = scaled(input, output);
    let factor = number(&output["time_factor"]);
    let (height, e, g) = (number(&input["height"]), number(&input["restitution"]), number(&input["g"]));
    let run = |name: &'static str, length: f64, gravity: f64, factor: f64| {
        let times = list(&output[name]);
        move |step: f64| {
            let yard = floor_and_ball(g * gravity, e, 0.01 * length, height * length, 0.0);
            // The third landing, from the sign of the velocity between two frames and the parabola after it.
            let mut landings = 0;
            let found = when(&yard, "", step * factor, times[2] * 1.5, |before, now| {
                let hit = before.bodies[1].velocity.y < 0.0 && now.bodies[1].velocity.y > 0.0;
                landings += u32::from(hit);
                (hit && landings == 3).then(|| {
                    let (v, gap) = (now.bodies[1].velocity.y, now.bodies[1].pose.position.y - 0.01 * length);
                    let fall = g * gravity;
                    now.time - (-v + (v * v + 2.0 * fall * gap).sqrt()) / fall
                })
            });
            error(&[found], &[times[2]])
        }
    };
    vec![
        row(case, "third landing", "", (1e-11, None), run("base_impact_times", 1.0, 1.0, 1.0)),
        row(case, "third landing, scaled", "", (1e-11, None), run("scaled_impact_times", length, gravity, factor)),
    ]
}

fn scaled_pendulum(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (length, _, gravity) = scaled(input, output);
    let factor = number(&output["time_factor"]);
    let (arm, amplitude, g) =
        (number(&input["length"]), number(&input["amplitude_deg"]).to_radians(), number(&input["g"]));
    let run = |name: &'static str, length: f64, gravity: f64, factor: f64| {
        let period = number(&output[name]);
        move |step: f64| {
            let yard = pendulum(g * gravity, arm * length, 0.0, amplitude);
            let run = frames(&yard, "", step * factor, 2.9 * period);
            error(&[mean_period(&yard, &run)], &[period])
        }
    };
    vec![
        row(case, "period (gauge)", "", (5e-5, Some(2.0)), run("base_period", 1.0, 1.0, 1.0)),
        row(case, "period (gauge), scaled", "", (5e-5, Some(2.0)), run("scaled_period", length, gravity, factor)),
    ]
}

fn scaled_throw(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (_, speed, gravity) = scaled(input, output);
    let (v, angle, g) = (number(&input["speed"]), number(&input["angle_deg"]).to_radians(), number(&input["g"]));
    let run = |prefix: &'static str, speed: f64, gravity: f64| {
        let get = |name: &str| number(&output[format!("{prefix}_{name}")]);
        let (time, range) = (get("flight_time"), get("range"));
        move |step: f64| {
            let mut yard = world(g * gravity, 0.0, 0.0);
            let v = v * speed;
            yard.bodies.push(moving(ball(0.01, 1.0, 0.0, 0.0), v * libm::cos(angle), v * libm::sin(angle)));
            let [x, y] = places(&yard, "", step, 0, &[time]);
            error(&[x[0], y[0]], &[range, 0.0])
        }
    };
    vec![
        row(case, "range", "", (1e-11, None), run("base", 1.0, 1.0)),
        row(case, "range, scaled", "", (1e-11, None), run("scaled", speed, gravity)),
    ]
}

fn scaled_spring(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let (length, _, gravity) = scaled(input, output);
    let factor = number(&output["time_factor"]);
    let (rest, g) = (number(&input["rest_length"]), number(&input["g"]));
    let run = |prefix: &'static str, length: f64, gravity: f64, factor: f64| {
        let get = |name: &str| number(&output[format!("{prefix}_{name}")]);
        let (mass, stiffness, period) = (get("mass"), get("stiffness"), get("period"));
        let middle = -(rest * length + get("static_extension"));
        move |step: f64| {
            let mut yard = world(g * gravity, 0.0, 0.0);
            yard.bodies.push(post(0.0, 0.0));
            yard.bodies.push(point(mass, 0.0, -rest * length));
            yard.joints.push(spring([0, 1], rest * length, stiffness, 0.0));
            let about = Measure::new("y about the middle", move |state, _| state.pose.position.y - middle);
            let details = Details { measure: Some(about), ..Details::default() };
            let run = frames(&yard, "", step * factor, 3.9 * period);
            error(&[measured_with("period.mean", &yard, 1, &[], details, &run)], &[period])
        }
    };
    vec![
        row(case, "period (gauge)", "", (5e-5, Some(2.0)), run("base", 1.0, 1.0, 1.0)),
        row(case, "period (gauge), scaled", "", (5e-5, Some(2.0)), run("scaled", length, gravity, factor)),
    ]
}

/// Without swept collision the ball goes through where no sample overlaps the wall; with it never. Yes or no: errors are counts.
fn thin_wall(case: &Value, input: &Value, output: &Value) -> Vec<Row> {
    let get = |name: &str| number(&input[name]);
    let share = get("normal_fraction");
    let (radius, thickness, dt) = (get("radius"), get("wall_thickness"), get("dt"));
    let mut yard = world(0.0, 0.0, 0.0);
    yard.bodies.push(fixed(PlaneShape::Box(DVec2::new(thickness, 1e4)), get("wall_x") + 0.5 * thickness, 0.0));
    let mut shot = moving(
        ball(radius, 1.0, get("x0"), 0.0),
        get("speed") * share,
        get("speed") * (1.0 - share * share).max(0.0).sqrt(),
    );
    shot.ccd = true;
    yard.bodies.push(shot);
    let until = ((get("wall_x") - get("x0")) / (get("speed") * share) / dt).ceil() * dt + 3.0 * dt;
    let missed = number(&output["overlaps_or_touches"]) == 0.0;
    let passes =
        move |options: &str, yard: &World| measured("tunnel.count", yard, 1, &[0], &frames(yard, options, dt, until));
    let world = yard.clone();
    vec![
        row(case, "goes through as the samples say (gauge)", "swept=off,substeps=1", (0.0, None), move |_| {
            let found = passes("swept=off,substeps=1", &world);
            // Touching or overlapping by little, an engine may still be passed by the next sample: only misses are certain.
            if missed { (found - 1.0).abs() } else { 0.0 }
        }),
        row(case, "never goes through (gauge)", "swept=marked", (0.0, None), move |_| passes("swept=marked", &yard)),
    ]
}
