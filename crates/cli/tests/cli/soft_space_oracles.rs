//! Soft bodies of space, sticks and matching against values that were computed independently, run as a user would: each value is a claim. Mechanics of
//! constrained points (Lagrange), shape matching (Müller et al. 2005), gas in a skin (Boyle and Mariotte), statics of nets.

use crate::util::{Yard, list, number};
use serde_json::Value;
use std::fmt::Write;

pub(crate) fn cases(kind: &str) -> Vec<Value> {
    let all: Vec<Value> = serde_json::from_str(include_str!("soft_cases.json")).expect("the file of cases");
    let found: Vec<Value> = all.into_iter().filter(|case| case["id"].as_str().unwrap().starts_with(kind)).collect();
    assert!(!found.is_empty(), "no case of {kind}");
    found
}

pub(crate) fn lists(value: &Value) -> Vec<Vec<f64>> {
    value.as_array().unwrap_or_else(|| panic!("no list: {value}")).iter().map(list).collect()
}

const AXES: [&str; 3] = ["x", "y", "z"];

/// A scene of one soft body under way, in the dimension of its nodes.
pub(crate) struct Written {
    text: String,
    masses: Vec<f64>,
    dt: f64,
    engine: &'static str,
}

impl Written {
    pub(crate) fn new(
        built: &[Vec<f64>],
        masses: Vec<f64>,
        gravity: &[f64],
        duration: f64,
        dt: f64,
        engine: &'static str,
    ) -> Written {
        let space = if built[0].len() == 3 { "space = 3\n" } else { "" };
        let origin = vec![0.0; built[0].len()];
        let text = format!(
            "scene = 1\nname = \"case\"\nabout = \"A case.\"\nallow = [\"stiff-net\", \"mesh-scale\"]\n{space}[world]\n\
             gravity = {gravity:?}\nduration = {duration:?}\n[material.m]\ndensity = 1\nfriction = 0\nrestitution = 0\n[[soft]]\n\
             name = \"s\"\nmade_of = {{ nodes = {{ at = {built:?} }} }}\nat = {origin:?}\nmaterial = \"m\"\nmasses = {masses:?}\n"
        );
        Written { text, masses, dt, engine }
    }

    pub(crate) fn with(mut self, line: &str) -> Written {
        self.text.push_str(line);
        self.text.push('\n');
        self
    }

    /// Puts the nodes elsewhere before the first step.
    fn placed(mut self, places: &[Vec<f64>]) -> Written {
        for (node, place) in places.iter().enumerate() {
            let _ =
                writeln!(self.text, "[[action]]\nat_time = 0\non = \"s.node[{node}]\"\nplace = {{ at = {place:?} }}");
        }
        self
    }

    /// Places, or velocities by a word before the axis, of all nodes that are free.
    pub(crate) fn expects(&mut self, word: &str, time: f64, expected: &[Vec<f64>], within: f64) {
        for (node, row) in expected.iter().enumerate().filter(|(node, _)| self.masses[*node] > 0.0) {
            for (axis, value) in AXES.iter().zip(row) {
                let _ = writeln!(
                    self.text,
                    "[[claim]]\ngauge = \"value.{word}{axis}\"\nof = \"s.node[{node}]\"\nwindow = [0, {:?}]\nequals = {value:?}\n\
                     within = {within:?}\nbecause = \"the law of the case\"",
                    time + 0.2 * self.dt
                );
            }
        }
    }

    /// A gauge of one node at a time.
    pub(crate) fn expects_of(&mut self, node: usize, gauge: &str, time: f64, value: f64, within: f64) {
        let _ = writeln!(
            self.text,
            "[[claim]]\ngauge = \"{gauge}\"\nof = \"s.node[{node}]\"\nwindow = [0, {:?}]\nequals = {value:?}\nwithin = {within:?}\n\
             because = \"the law of the case\"",
            time + 0.2 * self.dt
        );
    }

    /// A measure of a body at a time.
    pub(crate) fn claims(&mut self, of: &str, measure: &str, time: f64, value: f64, within: f64) {
        let _ = writeln!(
            self.text,
            "[[claim]]\ngauge = \"value.measure\"\nof = \"{of}\"\nmeasure = \"{measure}\"\nwindow = [0, {:?}]\nequals = {value:?}\n\
             within = {within:?}\nbecause = \"the law of the case\"",
            time + 0.2 * self.dt
        );
    }

    /// A gauge of a measure over the whole trial.
    pub(crate) fn claims_gauge(&mut self, gauge: &str, of: &str, measure: &str, value: f64, within: f64) {
        let _ = writeln!(
            self.text,
            "[[claim]]\ngauge = \"{gauge}\"\nof = \"{of}\"\nmeasure = \"{measure}\"\nequals = {value:?}\nwithin = {within:?}\n\
             because = \"the law of the case\""
        );
    }

    pub(crate) fn run(&self, case: &Value) {
        let yard = Yard::new();
        yard.write("case.toml", &self.text);
        let answer = yard.ironspin(&format!("run case.toml --dt {:?} --engine builtin:{}", self.dt, self.engine));
        assert_eq!(answer.status, 0, "{}\n{}{}", case["id"], answer.out, answer.err);
    }
}

pub(crate) fn last(times: &[f64]) -> f64 {
    times.iter().copied().fold(0.0, f64::max)
}

fn centre(built: &[Vec<f64>], masses: &[f64]) -> Vec<f64> {
    let all: f64 = masses.iter().sum();
    (0..built[0].len()).map(|axis| built.iter().zip(masses).map(|(p, m)| p[axis] * m).sum::<f64>() / all).collect()
}

/// The velocities of a frame that begins with a rigid spin about its centre.
fn spinning(inputs: &Value, built: &[Vec<f64>], masses: &[f64]) -> Vec<Vec<f64>> {
    let (middle, common) = (centre(built, masses), list(&inputs["velocity"]));
    let of = |p: &Vec<f64>| -> Vec<f64> {
        let r: Vec<f64> = p.iter().zip(&middle).map(|(p, c)| p - c).collect();
        let turned = match inputs["spin"].as_f64() {
            Some(spin) => vec![-spin * r[1], spin * r[0]],
            None => {
                let w = list(&inputs["spin"]);
                vec![w[1] * r[2] - w[2] * r[1], w[2] * r[0] - w[0] * r[2], w[0] * r[1] - w[1] * r[0]]
            }
        };
        turned.iter().zip(&common).map(|(a, b)| a + b).collect()
    };
    built.iter().map(of).collect()
}

#[test]
fn frames_and_pendulums_of_sticks_move_as_mechanics_says() {
    for kind in ["f29.frame2", "f29.frame3", "f29.pendulum2", "f29.pendulum3"] {
        for case in cases(kind) {
            let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
            let (built, masses) = (lists(&inputs["nodes"]), list(&inputs["masses"]));
            let velocities = match inputs.get("velocities") {
                Some(given) => lists(given),
                None => spinning(inputs, &built, &masses),
            };
            let sticks: Vec<Vec<usize>> =
                lists(&inputs["sticks"]).iter().map(|s| vec![s[0] as usize, s[1] as usize]).collect();
            let times = list(&inputs["sample_times"]);
            let fine = "integrator=verlet,soft-substeps=64";
            let scene = Written::new(&built, masses, &list(&inputs["gravity"]), last(&times) + 0.05, 0.01, fine);
            let mut scene = scene.with(&format!("velocities = {velocities:?}\nsticks = {sticks:?}"));
            for (sample, &time) in times.iter().enumerate() {
                scene.expects("", time, &lists(&outputs["position_at"][sample]), 2e-6);
            }
            scene.run(&case);
        }
    }
}

#[test]
fn what_is_drawn_to_its_shape_swings_and_whirls_as_the_law_says() {
    let fine = "integrator=rk4,soft-substeps=16";
    for case in cases("f26.") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (built, masses) = (lists(&inputs["built"]), list(&inputs["masses"]));
        let times = list(&inputs["sample_times"]);
        let still = vec![0.0; built[0].len()];
        let whirls = inputs.get("spin").is_some();
        let velocities: Vec<Vec<f64>> = if whirls {
            let (middle, spin) = (centre(&built, &masses), number(&inputs["spin"]));
            built.iter().map(|p| vec![-spin * (p[1] - middle[1]), spin * (p[0] - middle[0])]).collect()
        } else {
            vec![list(&inputs["velocity"]); built.len()]
        };
        let damping = inputs.get("damping").map_or(0.0, number);
        let scene = Written::new(&built, masses, &still, last(&times) + 0.05, 0.01, fine);
        let scene = scene.with(&format!(
            "velocities = {velocities:?}\nmatching = {{ rate = {} }}\ndamping = {damping:?}",
            inputs["rate"]
        ));
        let mut scene = if whirls { scene } else { scene.placed(&lists(&inputs["nodes"])) };
        for (sample, &time) in times.iter().enumerate() {
            scene.expects("", time, &lists(&outputs["position_at"][sample]), 1e-9);
        }
        scene.run(&case);
    }
}

#[test]
fn sticks_and_cloths_rest_where_statics_puts_them() {
    for case in cases("f24.sticks") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (rest, masses) = (lists(&outputs["positions"]), list(&inputs["masses"]));
        let lengths = list(&inputs["lengths"]);
        let sticks: Vec<String> =
            lengths.iter().enumerate().map(|(i, length)| format!("[{i}, {}, {length:?}]", i + 1)).collect();
        let scene = Written::new(&rest, masses, &list(&inputs["gravity"]), 3.0, 0.01, "soft-substeps=8");
        let mut scene = scene.with(&format!("sticks = [{}]\ndamping = 2", sticks.join(", ")));
        scene.expects("", 2.9, &rest, 1e-9);
        scene.run(&case);
    }
    for case in cases("f24.cloth") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let count = |key: &str| number(&inputs[key]) as usize;
        let (nx, nz, pitch) = (count("nx"), count("nz"), number(&inputs["pitch"]));
        let places = || (0..nx).flat_map(|i| (0..nz).map(move |j| (i, j)));
        let built: Vec<Vec<f64>> = places().map(|(i, j)| vec![i as f64 * pitch, 0.0, j as f64 * pitch]).collect();
        let corner = |(i, j): (usize, usize)| (i == 0 || i == nx - 1) && (j == 0 || j == nz - 1);
        let masses = places().map(|at| if corner(at) { 0.0 } else { number(&inputs["mass"]) }).collect();
        let (along, across) = (number(&inputs["stiffness"]), number(&inputs["diagonal_stiffness"]));
        let mut springs = Vec::new();
        for (i, j) in places() {
            let id = |i: usize, j: usize| i * nz + j;
            let mut join = |a: usize, b: usize, length: f64, stiffness: f64| {
                springs.push(format!("[{a}, {b}, {length:?}, {stiffness:?}, 0]"));
            };
            if i + 1 < nx {
                join(id(i, j), id(i + 1, j), pitch, along);
            }
            if j + 1 < nz {
                join(id(i, j), id(i, j + 1), pitch, along);
            }
            if i + 1 < nx && j + 1 < nz && across > 0.0 {
                join(id(i, j), id(i + 1, j + 1), pitch * 2.0_f64.sqrt(), across);
                join(id(i + 1, j), id(i, j + 1), pitch * 2.0_f64.sqrt(), across);
            }
        }
        let gravity = [0.0, -number(&inputs["g"]), 0.0];
        let scene = Written::new(&built, masses, &gravity, 25.0, 0.01, "soft-substeps=16");
        let mut scene = scene.with(&format!("springs = [{}]\ndamping = 4", springs.join(", ")));
        scene.expects("", 24.9, &lists(&outputs["positions"]), 1e-6);
        scene.run(&case);
    }
}

/// Velocities after one step of explicit Euler are the accelerations of the moment.
#[test]
fn forces_of_all_laws_at_one_moment_are_those_of_space() {
    let dt = 1.0 / 1024.0;
    let once = "integrator=explicit-euler,soft-substeps=1";
    for case in cases("f25.skin3").into_iter().chain(cases("f25.pull")) {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let nodes = lists(&inputs["nodes"]);
        let masses = inputs.get("masses").map_or_else(|| vec![1.0; nodes.len()], list);
        let still = vec![0.0; nodes[0].len()];
        let velocities = inputs.get("velocities").map_or(vec![still.clone(); nodes.len()], lists);
        let accelerations = lists(outputs.get("accelerations").unwrap_or(&outputs["forces"]));
        let springs = inputs.get("springs").map_or("[]".to_owned(), Value::to_string);
        let built = inputs.get("built").map_or(nodes.clone(), lists);
        let gravity = inputs.get("gravity").map_or(still, list);
        let mut scene = Written::new(&built, masses, &gravity, 2.0 * dt, dt, once).with(&format!(
            "velocities = {velocities:?}\nsprings = {springs}\nskin = {}\npressure = {{ amount = {}, outside = {} }}\ndamping = {:?}",
            inputs["skin"],
            inputs["amount"],
            inputs["outside"],
            inputs.get("damping").map_or(0.0, number)
        ));
        if let Some(rate) = inputs.get("rate") {
            scene = scene.with(&format!("matching = {{ rate = {rate} }}"));
        }
        let mut scene = scene.placed(&nodes);
        let sum = |(v, a): (&Vec<f64>, &Vec<f64>)| v.iter().zip(a).map(|(v, a)| v + dt * a).collect::<Vec<f64>>();
        let after: Vec<Vec<f64>> = velocities.iter().zip(&accelerations).map(sum).collect();
        scene.expects("v", dt, &after, 1e-12);
        scene.run(&case);
    }
}

#[test]
fn scenes_of_space_say_what_is_wrong_with_a_soft_body() {
    let yard = Yard::new();
    let scene = |soft: &str| {
        format!(
            "scene = 1\nname = \"wrong\"\nabout = \"x\"\nspace = 3\n[world]\ngravity = [0, 0, 0]\nduration = 1\n[material.m]\ndensity = 1\n\
             friction = 0\nrestitution = 0\n[[soft]]\nname = \"s\"\nat = [0, 0, 0]\nmaterial = \"m\"\nmass = 1\nstiffness = 10\n{soft}\n"
        )
    };
    for (soft, why) in [
        ("made_of = { grid = { columns = 3, rows = 3, pitch = [1, 1, 1] } }", "a grid is for scenes of the plane"),
        ("made_of = { sphere = { radius = 1, by = \"cube\" } }", "needs the key `parts`"),
        ("made_of = { sphere = { radius = 1, by = \"cube\", parts = 2, rings = 3 } }", "spheres of another kind"),
        ("made_of = { block = { columns = 2, rows = 2, layers = 2, pitch = [1, 0, 1] } }", "positive along each axis"),
        ("made_of = { rope = { count = 3, to = [1, 0, 0] } }\nskin = true", "has no skin in space"),
        ("made_of = { cloth = { columns = 3, rows = 3, pitch = [1, 1] } }\npressure = { amount = 1 }", "not closed"),
        ("made_of = { ring = { count = 5, radius = 1 } }\nangle = 1", "`angle` is for scenes of the plane"),
        (
            "made_of = { ring = { count = 5, radius = 1 } }\nyield = { strain = 0.1, most = 1 }",
            "keeps some of its length",
        ),
        ("made_of = { ring = { count = 5, radius = 1 } }\nsticks = [[0, 1, 2, 3]]", "numbers for a stick"),
    ] {
        yard.write("wrong.toml", &scene(soft));
        let said = yard.expect(2, "run wrong.toml").err;
        assert!(said.contains(why), "{soft}: {said}");
    }
}
