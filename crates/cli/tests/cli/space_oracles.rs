//! Scenes in space made from values that were computed independently, checked and run as a user would: each value is a claim.

use crate::util::{Yard, list, number};
use serde_json::Value;
use std::fmt::Write;

pub(crate) fn cases(family: &str, kind: &str) -> Vec<Value> {
    let all: Vec<Value> = serde_json::from_str(include_str!("space_cases.json")).expect("the file of cases");
    let start = format!("{family}.{kind}.");
    let found: Vec<Value> = all.into_iter().filter(|case| case["id"].as_str().unwrap().starts_with(&start)).collect();
    assert!(!found.is_empty(), "no case of {start}");
    found
}

/// A scene under way: its text, with a step and a duration.
pub(crate) struct Written {
    pub(crate) text: String,
    dt: f64,
}

impl Written {
    pub(crate) fn new(gravity: &[f64], duration: f64, dt: f64, friction: f64, restitution: f64) -> Written {
        let text = format!(
            "scene = 1\nname = \"case\"\nabout = \"A case.\"\nspace = 3\n[world]\ngravity = {gravity:?}\nduration = {duration:?}\n\
             [material.m]\ndensity = 1000\nfriction = {friction:?}\nrestitution = {restitution:?}\n"
        );
        Written { text, dt }
    }

    pub(crate) fn body(&mut self, name: &str, shape: &str, at: &[f64], lines: &str) {
        let _ =
            writeln!(self.text, "[[body]]\nname = \"{name}\"\nshape = {shape}\nat = {at:?}\nmaterial = \"m\"\n{lines}");
    }

    fn floor(&mut self) {
        self.body("floor", "{ half_space = [0, 1, 0] }", &[0.0; 3], "kind = \"static\"");
    }

    pub(crate) fn claim(&mut self, gauge: &str, of: &str, until: f64, (expected, within): (f64, f64), more: &str) {
        // A hair beyond the step, so that roundings of its time do not count.
        let until = until + 0.2 * self.dt;
        let _ = writeln!(
            self.text,
            "[[claim]]\ngauge = \"{gauge}\"\nof = \"{of}\"\nwindow = [0, {until:?}]\nequals = {expected:?}\nwithin = {within:?}\n\
             because = \"the law of the case\"\n{more}"
        );
    }

    pub(crate) fn vector(&mut self, gauges: [&str; 3], of: &str, until: f64, expected: &[f64], within: f64) {
        for (gauge, &expected) in gauges.iter().zip(expected) {
            self.claim(gauge, of, until, (expected, within), "");
        }
    }

    /// Place and velocity along x and z; velocities are off by `step` at most.
    fn in_the_plane(&mut self, of: &str, time: f64, [place, velocity]: [&Value; 2], step: f64) {
        let (p, v) = (list(place), list(velocity));
        for (gauge, expected, within) in [
            ("value.x", p[0], step * time),
            ("value.z", p[1], step * time),
            ("value.vx", v[0], step),
            ("value.vz", v[1], step),
        ] {
            self.claim(gauge, of, time, (expected, within), "");
        }
    }

    /// All claims hold, for the engine in this program.
    pub(crate) fn run(&self, case: &Value) {
        let yard = Yard::new();
        yard.write("case.toml", &self.text);
        let answer = yard.ironspin(&format!("run case.toml --dt {:?}", self.dt));
        assert_eq!(answer.status, 0, "{}\n{}{}\n{}", case["id"], answer.out, answer.err, self.text);
    }
}

pub(crate) const PLACE: [&str; 3] = ["value.x", "value.y", "value.z"];
pub(crate) const VELOCITY: [&str; 3] = ["value.vx", "value.vy", "value.vz"];
pub(crate) const SPIN: [&str; 3] = ["value.wx", "value.wy", "value.wz"];

pub(crate) fn shape(value: &Value) -> String {
    let (word, size) = value.as_object().unwrap().iter().next().unwrap();
    format!("{{ {word} = {size} }}")
}

pub(crate) fn quaternion(value: &Value) -> String {
    format!("turn = {{ quaternion = {value} }}")
}

/// A body of some parts, as `scenes show --resolved` gives it back, against mass, centre and inertia.
fn resolved(case: &Value, parts: &str, materials: &str) {
    let outputs = &case["outputs"];
    let mut scene = Written::new(&[0.0; 3], 1.0, 0.01, 0.0, 0.0);
    scene.text.push_str(materials);
    let _ = writeln!(scene.text, "[[body]]\nname = \"b\"\nat = [0, 0, 0]\nmaterial = \"m\"\nparts = [{parts}]");
    let yard = Yard::new();
    yard.write("case.toml", &scene.text);
    let shown: toml::Table = yard.expect(0, "scenes show case.toml --resolved").out.parse().unwrap();
    let body = &shown["body"][0];
    let close = |found: f64, expected: f64, scale: f64| {
        assert!((found - expected).abs() <= 1e-13 * scale, "{}: {found} and not {expected}", case["id"]);
    };
    let mass = number(&outputs["mass"]);
    close(body["mass"].as_float().unwrap(), mass, 10.0 * mass);
    let floats = |value: &toml::Value| -> Vec<f64> {
        value.as_array().unwrap().iter().map(|part| part.as_float().unwrap()).collect()
    };
    let expected = list(&outputs["inertia"]);
    let largest = expected.iter().fold(0.0, |most: f64, part| most.max(part.abs()));
    for (found, expected) in floats(&body["inertia"]).into_iter().zip(expected) {
        close(found, expected, 20.0 * largest);
    }
    for (found, expected) in floats(&body["at"]).into_iter().zip(list(&outputs["centre"])) {
        close(found, expected, 10.0);
    }
}

fn material(name: usize, density: &Value) -> String {
    format!("[material.m{name}]\ndensity = {density}\nfriction = 0\nrestitution = 0\n")
}

fn part(shape_and_place: &Value, material: usize) -> String {
    format!(
        "{{ shape = {}, at = {}, {}, material = \"m{material}\" }}",
        shape(&shape_and_place["shape"]),
        shape_and_place["position"],
        quaternion(&shape_and_place["rotation"])
    )
}

#[test]
fn mass_properties_are_those_of_the_resolved_scene() {
    for case in cases("f15", "primitive") {
        // As a part of a body whose own axes are those of the case.
        resolved(&case, &part(&case["inputs"], 0), &material(0, &case["inputs"]["rho"]));
    }
    for kind in ["tetrahedron", "hull"] {
        for case in cases("f15", kind) {
            let parts = format!("{{ shape = {{ hull = {} }}, material = \"m0\" }}", case["inputs"]["corners"]);
            resolved(&case, &parts, &material(0, &case["inputs"]["rho"]));
        }
    }
    for case in cases("f15", "compound") {
        let all = case["inputs"]["parts"].as_array().unwrap();
        let parts: Vec<String> = all.iter().enumerate().map(|(number, of)| part(of, number)).collect();
        let materials: String = all.iter().enumerate().map(|(number, of)| material(number, &of["rho"])).collect();
        resolved(&case, &parts.join(", "), &materials);
    }
}

#[test]
fn blows_of_balls_and_boxes_end_with_the_velocities_and_spins_of_the_law() {
    for case in cases("f17", "spheres") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let mut scene = Written::new(&[0.0; 3], 0.01, 0.001, number(&inputs["mu"]), number(&inputs["restitution"]));
        for ball in ["1", "2"] {
            let of = |what: &str| &inputs[format!("{what}{ball}")];
            let lines = format!("mass = {}\nvelocity = {}\nspin = {}", of("m"), of("v"), of("w"));
            scene.body(&format!("b{ball}"), &format!("{{ sphere = {} }}", of("r")), &list(of("p")), &lines);
            let after = |what: &str| list(&outputs[format!("{what}{ball}_after")]);
            scene.vector(VELOCITY, &format!("b{ball}"), 0.01, &after("v"), 1e-9);
            scene.vector(SPIN, &format!("b{ball}"), 0.01, &after("w"), 1e-9);
        }
        scene.run(&case);
    }
    for case in cases("f17", "floor") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let mut scene = Written::new(&[0.0; 3], 0.01, 0.001, number(&inputs["mu"]), number(&inputs["restitution"]));
        let normal = list(&inputs["normal"]);
        scene.body("floor", &format!("{{ half_space = {normal:?} }}"), &[0.0; 3], "kind = \"static\"");
        let radius = number(&inputs["radius"]);
        let at: Vec<f64> = normal.iter().map(|part| part * radius).collect();
        let lines = format!("mass = {}\nvelocity = {}\nspin = {}", inputs["mass"], inputs["v"], inputs["w"]);
        scene.body("ball", &format!("{{ sphere = {radius:?} }}"), &at, &lines);
        scene.vector(VELOCITY, "ball", 0.01, &list(&outputs["v_after"]), 1e-9);
        scene.vector(SPIN, "ball", 0.01, &list(&outputs["w_after"]), 1e-7);
        scene.run(&case);
    }
    for case in cases("f17", "hit") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        // Over one short step, in which the box hardly turns.
        let mut scene = Written::new(&[0.0; 3], 1e-6, 1e-6, 0.0, number(&inputs["restitution"]));
        let ball = format!("mass = {}\nvelocity = {}", inputs["m1"], inputs["v1"]);
        scene.body("ball", &format!("{{ sphere = {} }}", inputs["r1"]), &list(&inputs["p1"]), &ball);
        let lines = format!(
            "mass = {}\nvelocity = {}\nspin = {}\n{}",
            inputs["m2"],
            inputs["v2"],
            inputs["w2"],
            quaternion(&inputs["rotation"])
        );
        scene.body("box", &shape(&inputs["shape"]), &list(&inputs["position"]), &lines);
        scene.vector(VELOCITY, "ball", 1e-6, &list(&outputs["v1_after"]), 1e-5);
        scene.vector(VELOCITY, "box", 1e-6, &list(&outputs["v2_after"]), 1e-5);
        scene.vector(SPIN, "box", 1e-6, &list(&outputs["w2_after"]), 1e-4);
        scene.run(&case);
    }
    for case in cases("f17", "struck") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let mut scene = Written::new(&[0.0; 3], 1e-7, 1e-7, 0.0, 0.0);
        let lines = format!(
            "mass = {}\nvelocity = {}\nspin = {}\n{}",
            inputs["mass"],
            inputs["v"],
            inputs["w"],
            quaternion(&inputs["rotation"])
        );
        scene.body("body", &shape(&inputs["shape"]), &list(&inputs["position"]), &lines);
        let _ = writeln!(
            scene.text,
            "[[action]]\nat_time = 0\non = \"body\"\nimpulse = {}\npoint = {}",
            inputs["impulse"], inputs["point"]
        );
        scene.vector(VELOCITY, "body", 1e-7, &list(&outputs["velocity"]), 1e-9);
        scene.vector(SPIN, "body", 1e-7, &list(&outputs["spin"]), 1e-4);
        scene.run(&case);
    }
}

#[test]
fn chains_of_balls_hand_their_speed_on() {
    for case in cases("f17", "chain") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let times = list(&outputs["times"]);
        let end = times.last().unwrap() + 0.05;
        let mut scene = Written::new(&[0.0; 3], end, 0.001, 0.0, number(&inputs["restitution"]));
        let of = |what: &str| inputs[what].as_array().unwrap();
        for (k, radius) in of("radii").iter().enumerate() {
            let lines = format!("mass = {}\nvelocity = {}", of("masses")[k], of("velocities")[k]);
            scene.body(&format!("b{k}"), &format!("{{ sphere = {radius} }}"), &list(&of("centres")[k]), &lines);
        }
        let direction = list(&outputs["direction"]);
        for (k, speed) in list(&outputs["speeds_final"]).into_iter().enumerate() {
            let expected: Vec<f64> = direction.iter().map(|part| part * speed).collect();
            scene.vector(VELOCITY, &format!("b{k}"), end, &expected, 1e-9);
        }
        scene.run(&case);
    }
}

#[test]
fn a_spinning_ball_hops_by_the_law_of_impact_with_friction() {
    for case in cases("f17", "hops") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let times = list(&outputs["impact_times"]);
        let gravity = [0.0, -number(&inputs["g"]), 0.0];
        let end = times.last().unwrap() - 0.05;
        let mut scene = Written::new(&gravity, end, 0.001, number(&inputs["mu"]), number(&inputs["restitution"]));
        scene.floor();
        let radius = number(&inputs["radius"]);
        let lines = format!("mass = {}\nvelocity = {}\nspin = {}", inputs["mass"], inputs["v"], inputs["w"]);
        scene.body("ball", &format!("{{ sphere = {radius:?} }}"), &[0.0, number(&inputs["height"]), 0.0], &lines);
        for (k, pair) in times.windows(2).enumerate() {
            let middle = 0.5 * (pair[0] + pair[1]);
            let (v, w) = (list(&outputs["v_after"][k]), list(&outputs["w_after"][k]));
            // Between bounces they do not change.
            for (gauge, expected) in [("value.vx", v[0]), ("value.vz", v[2])] {
                scene.claim(gauge, "ball", middle, (expected, 0.003), "");
            }
            scene.vector(SPIN, "ball", middle, &w, 0.004 / radius);
        }
        scene.run(&case);
    }
}

#[test]
fn friction_slows_balls_and_blocks_in_every_direction_alike() {
    const DT: f64 = 0.001;
    for case in cases("f18", "ball") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let samples = list(&inputs["sample_times"]);
        let (mu, g, radius) = (number(&inputs["mu"]), number(&inputs["g"]), number(&inputs["radius"]));
        let mut scene = Written::new(&[0.0, -g, 0.0], *samples.last().unwrap(), DT, mu, 0.0);
        scene.floor();
        let lines = format!("mass = {}\nvelocity = {}\nspin = {}", inputs["mass"], inputs["v"], inputs["w"]);
        scene.body("ball", &format!("{{ sphere = {radius:?} }}"), &[0.0, radius, 0.0], &lines);
        for (k, &time) in samples.iter().enumerate() {
            // A step of friction is left to when rolling is noticed.
            let step = 2.0 * mu * g * DT;
            let path = list(&outputs["path"][k]);
            for (gauge, expected) in [("value.x", path[0]), ("value.z", path[2])] {
                scene.claim(gauge, "ball", time, (expected, step * time + 1e-6), "");
            }
            scene.vector(VELOCITY, "ball", time, &list(&outputs["velocity_at"][k]), step);
            scene.vector(SPIN, "ball", time, &list(&outputs["spin_at"][k]), 2.5 * step / radius);
        }
        scene.run(&case);
    }
    for case in cases("f18", "ballincline") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let samples = list(&inputs["sample_times"]);
        let slope = number(&inputs["theta_deg"]).to_radians();
        let (mu, g, radius) = (number(&inputs["mu"]), number(&inputs["g"]), number(&inputs["radius"]));
        let gravity = [g * slope.sin(), -g * slope.cos(), 0.0];
        let mut scene = Written::new(&gravity, *samples.last().unwrap(), DT, mu, 0.0);
        scene.floor();
        let lines = format!("mass = 1\nvelocity = {}\nspin = {}", inputs["v"], inputs["w"]);
        scene.body("ball", &format!("{{ sphere = {radius:?} }}"), &[0.0, radius, 0.0], &lines);
        for (k, &time) in samples.iter().enumerate() {
            let step = 2.0 * g * DT;
            scene.in_the_plane("ball", time, [&outputs["position_at"][k], &outputs["velocity_at"][k]], step);
            scene.vector(SPIN, "ball", time, &list(&outputs["spin_at"][k]), 2.5 * step / radius);
        }
        scene.run(&case);
    }
    for case in cases("f18", "block") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let samples = list(&inputs["sample_times"]);
        let (slope, way) = (number(&inputs["theta_deg"]).to_radians(), number(&inputs["phi_deg"]).to_radians());
        let (mu, g, speed) = (number(&inputs["mu"]), number(&inputs["g"]), number(&inputs["v0"]));
        let gravity = [g * slope.sin(), -g * slope.cos(), 0.0];
        let mut scene = Written::new(&gravity, *samples.last().unwrap(), DT, mu, 0.0);
        scene.floor();
        let velocity = [speed * way.cos(), 0.0, speed * way.sin()];
        // So flat that friction does not tip it.
        scene.body("block", "{ box = [0.4, 0.0001, 0.4] }", &[0.0, 0.00005, 0.0], &format!("velocity = {velocity:?}"));
        for (k, &time) in samples.iter().enumerate() {
            let step = 2.0 * g * DT;
            scene.in_the_plane("block", time, [&outputs["position_at"][k], &outputs["velocity_at"][k]], step);
        }
        scene.run(&case);
    }
    for case in cases("f18", "stop") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let end = number(&outputs["stop_time"]) + 0.1;
        let (mu, g, speed) = (number(&inputs["mu"]), number(&inputs["g"]), number(&inputs["v0"]));
        let mut scene = Written::new(&[0.0, -g, 0.0], end, DT, mu, 0.0);
        scene.floor();
        for (k, azimuth) in list(&inputs["azimuths_deg"]).into_iter().enumerate() {
            let way = azimuth.to_radians();
            let velocity = [speed * way.cos(), 0.0, -speed * way.sin()];
            let (name, above) = (format!("b{k}"), 100.0 * k as f64);
            scene.body(
                &name,
                "{ box = [0.4, 0.0001, 0.4] }",
                &[above, 0.00005, 0.0],
                &format!("velocity = {velocity:?}"),
            );
            let place = list(&outputs["stop_positions"][k]);
            scene.claim("value.x", &name, end, (above + place[0], 2.0 * speed * DT), "");
            scene.claim("value.z", &name, end, (place[1], 2.0 * speed * DT), "");
        }
        scene.run(&case);
    }
}

/// The world's coordinates of the body's own axes, from a quaternion: each a measure and its value.
fn axes(q: &[f64]) -> [(&'static str, f64); 3] {
    let [w, x, y, z] = [q[0], q[1], q[2], q[3]];
    [
        ("2 * (qx * qy + qw * qz)", 2.0 * (x * y + w * z)),
        ("2 * (qx * qz - qw * qy)", 2.0 * (x * z - w * y)),
        ("2 * (qy * qz + qw * qx)", 2.0 * (y * z + w * x)),
    ]
}

fn turned(q: &[f64], v: &[f64]) -> Vec<f64> {
    let rotation = ironspin_model::DQuat::from_xyzw(q[1], q[2], q[3], q[0]);
    ironspin_model::turn::turned(rotation, ironspin_model::DVec3::new(v[0], v[1], v[2])).to_array().to_vec()
}

#[test]
fn free_bodies_turn_by_eulers_equations() {
    const DT: f64 = 0.001;
    for case in cases("f19", "free").into_iter().chain(cases("f19", "middle")) {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let samples = list(&inputs["sample_times"]);
        let mut scene = Written::new(&[0.0; 3], *samples.last().unwrap(), DT, 0.0, 0.0);
        let lines =
            format!("mass = {}\nspin = {}\n{}", inputs["mass"], inputs["spin"], quaternion(&inputs["rotation"]));
        scene.body("body", &shape(&inputs["shape"]), &[0.0; 3], &lines);
        for (k, &time) in samples.iter().enumerate() {
            scene.vector(SPIN, "body", time, &list(&outputs["spin_at"][k]), 1e-8);
            for (measure, expected) in axes(&list(&outputs["rotation_at"][k])) {
                let more = format!("measure = \"{measure}\"");
                scene.claim("value.measure", "body", time, (expected, 1e-8), &more);
            }
        }
        scene.run(&case);
    }
    for case in cases("f09", "symmetric").into_iter().chain(cases("f09", "asymmetric")) {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let samples = list(&inputs["sample_times"]);
        let mut scene = Written::new(&[0.0; 3], *samples.last().unwrap(), DT, 0.0, 0.0);
        let i = list(&inputs["I"]);
        let lines =
            format!("mass = 1\ninertia = [{:?}, {:?}, {:?}, 0, 0, 0]\nspin = {}", i[0], i[1], i[2], inputs["omega0"]);
        scene.body("body", "{ box = [1, 1, 1] }", &[0.0; 3], &lines);
        if 2.0 * i.iter().copied().fold(0.0, f64::max) > i.iter().sum() {
            // Euler's equations have a solution, but no body of any shape has such moments.
            let yard = Yard::new();
            yard.write("case.toml", &scene.text);
            assert!(yard.expect(2, "scenes check case.toml").err.contains("no body has this inertia"));
            continue;
        }
        for (k, &time) in samples.iter().enumerate() {
            let q = list(&outputs["quaternion_at"][k]);
            let spin = turned(&q, &list(&outputs["omega_body_at"][k]));
            // A perturbation of a thousandth grows by a thousand over some of these.
            scene.vector(SPIN, "body", time, &spin, 1e-7);
            for (measure, expected) in axes(&q) {
                let more = format!("measure = \"{measure}\"");
                scene.claim("value.measure", "body", time, (expected, 1e-7), &more);
            }
        }
        scene.run(&case);
    }
}

#[test]
fn places_are_kept_where_nothing_moves_them() {
    let case = &cases("f09", "symmetric")[0];
    let mut scene = Written::new(&[0.0; 3], 1.0, 0.01, 0.0, 0.0);
    scene.body("body", "{ box = [1, 2, 3] }", &[1.0, -2.0, 3.0], "spin = [1, 2, 3]");
    scene.vector(PLACE, "body", 1.0, &[1.0, -2.0, 3.0], 0.0);
    scene.run(case);
}
