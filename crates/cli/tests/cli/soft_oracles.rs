//! Soft bodies made from values that were computed independently, run as a user would: each value is a claim.

use crate::util::{Yard, list, number};
use serde_json::Value;
use std::fmt::Write;

fn cases(kind: &str) -> Vec<Value> {
    let all: Vec<Value> = serde_json::from_str(include_str!("soft_cases.json")).expect("the file of cases");
    let start = format!("{kind}.");
    // Those that lie in the plane.
    let flat = |case: &Value| {
        let two = |key: &str| case["inputs"].get(key).is_none_or(|v| v.as_array().is_none_or(|list| list.len() == 2));
        let nodes = case["inputs"].get("nodes").is_none_or(|nodes| nodes[0].as_array().unwrap().len() == 2);
        nodes && ["anchor", "first", "gravity"].into_iter().all(two)
    };
    let named = |case: &Value| case["id"].as_str().unwrap().starts_with(&start);
    let found: Vec<Value> = all.into_iter().filter(|case| named(case) && flat(case)).collect();
    assert!(!found.is_empty(), "no case of {start}");
    found
}

fn lists(value: &Value) -> Vec<Vec<f64>> {
    value.as_array().unwrap_or_else(|| panic!("no list: {value}")).iter().map(list).collect()
}

/// A scene with one soft body under way.
struct Written {
    text: String,
    dt: f64,
    engine: String,
}

impl Written {
    /// Nodes, masses and springs are lists as the scene language writes them.
    fn new(
        gravity: [f64; 2],
        duration: f64,
        dt: f64,
        engine: &str,
        nodes: &[Vec<f64>],
        masses: &[f64],
        more: &str,
    ) -> Written {
        let text = format!(
            "scene = 1\nname = \"case\"\nabout = \"A case.\"\nallow = [\"stiff-net\"]\n[world]\ngravity = {gravity:?}\nduration = {duration:?}\n\
             [material.m]\ndensity = 1\nfriction = 0\nrestitution = 0\n\
             [[soft]]\nname = \"s\"\nmade_of = {{ nodes = {{ at = {nodes:?} }} }}\nat = [0, 0]\nmaterial = \"m\"\nmasses = {masses:?}\n{more}\n"
        );
        Written { text, dt, engine: engine.to_owned() }
    }

    fn claim(&mut self, gauge: &str, of: &str, until: f64, bound: &str) {
        // A hair beyond the step, so that roundings of its time do not count.
        let until = until + 0.2 * self.dt;
        let _ = writeln!(
            self.text,
            "[[claim]]\ngauge = \"{gauge}\"\nof = \"{of}\"\nwindow = [0, {until:?}]\n{bound}\nbecause = \"the law of the case\""
        );
    }

    /// Places or velocities of all nodes that are free at a time.
    fn nodes(&mut self, gauges: [&str; 2], masses: &[f64], time: f64, expected: &[Vec<f64>], within: f64) {
        for (node, row) in expected.iter().enumerate().filter(|(node, _)| masses[*node] > 0.0) {
            for (gauge, value) in gauges.iter().zip(row) {
                self.claim(
                    gauge,
                    &format!("s.node[{node}]"),
                    time,
                    &format!("equals = {value:?}\nwithin = {within:?}"),
                );
            }
        }
    }

    /// Whether all claims hold, and what was said.
    fn holds(&self) -> (bool, String) {
        let yard = Yard::new();
        yard.write("case.toml", &self.text);
        let answer = yard.ironspin(&format!("run case.toml --dt {:?} --engine builtin:{}", self.dt, self.engine));
        assert!(answer.status <= 1, "{}{}\n{}", answer.out, answer.err, self.text);
        (answer.status == 0, format!("{}\n{}", answer.out, self.text))
    }

    fn run(&self, case: &Value) {
        let (holds, said) = self.holds();
        assert!(holds, "{}\n{said}", case["id"]);
    }
}

const PLACE: [&str; 2] = ["value.x", "value.y"];
const VELOCITY: [&str; 2] = ["value.vx", "value.vy"];
/// Accurate to some 1e-10 for the cases here.
const FINE: &str = "integrator=rk4,soft-substeps=32";

/// One chain, net or ring whose places and velocities at some times are known.
fn motion(case: &Value, velocities: &Value, more: &str, within: f64) {
    let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
    let masses = list(&inputs["masses"]);
    let times = list(&inputs["sample_times"]);
    let damping = inputs.get("damping").map_or(0.0, number);
    let more = format!("velocities = {velocities}\nsprings = {}\ndamping = {damping:?}\n{more}", inputs["springs"]);
    let last = times.iter().copied().fold(0.0, f64::max);
    let mut scene = Written::new([0.0; 2], last + 0.05, 0.01, FINE, &lists(&inputs["nodes"]), &masses, &more);
    for (sample, &time) in times.iter().enumerate() {
        scene.nodes(PLACE, &masses, time, &lists(&outputs["position_at"][sample]), within);
        scene.nodes(VELOCITY, &masses, time, &lists(&outputs["velocity_at"][sample]), 10.0 * within);
    }
    scene.run(case);
}

#[test]
fn chains_and_webs_swing_as_their_modes_say_with_and_without_damping() {
    for kind in ["f23.chain", "f23.damped", "f23.zerolength"] {
        for case in cases(kind) {
            motion(&case, &case["inputs"]["velocities"], "", 1e-7);
        }
    }
}

/// The largest frequency that the check of a scene tells.
fn told_frequency(text: &str) -> f64 {
    let yard = Yard::new();
    yard.write("case.toml", text);
    let said = yard.ironspin("scenes check case.toml --dt 1000");
    let all = format!("{}{}", said.out, said.err);
    let at = all.find("fastest motion has ").unwrap_or_else(|| panic!("{all}")) + "fastest motion has ".len();
    all[at..].split(' ').next().unwrap().parse().unwrap()
}

#[test]
fn the_check_of_a_scene_tells_the_largest_frequency_of_the_assembled_net() {
    for case in cases("f23.net") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let [nx, ny] = ["nx", "ny"].map(|key| inputs[key].as_u64().unwrap() as usize + 2);
        let pitch = number(&inputs["pitch"]);
        let masses: Vec<f64> = (0..nx * ny)
            .map(|k| (k % nx, k / nx))
            .map(|(x, y)| if x == 0 || y == 0 || x == nx - 1 || y == ny - 1 { 0.0 } else { number(&inputs["mass"]) })
            .collect();
        let text = format!(
            "scene = 1\nname = \"case\"\nabout = \"A case.\"\n[world]\ngravity = [0, 0]\nduration = 1\n\
             [material.m]\ndensity = 1\nfriction = 0\nrestitution = 0\n[[soft]]\nname = \"s\"\nat = [0, 0]\nmaterial = \"m\"\n\
             made_of = {{ grid = {{ columns = {nx}, rows = {ny}, pitch = [{pitch}, {pitch}] }} }}\nmasses = {masses:?}\n\
             stiffness = {}\nlength = {}\n",
            inputs["stiffness"], inputs["length"]
        );
        let most = list(&outputs["in_plane"]).into_iter().fold(0.0, f64::max);
        let told = told_frequency(&text);
        assert!((told / most - 1.0).abs() < 1e-4, "{}: {told} and not {most}", case["id"]);
    }
}

#[test]
fn gas_filled_rings_breathe_as_their_closed_form_says() {
    for case in cases("f25.ring").into_iter().chain(cases("f25.ringdamped")) {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let count = inputs["n"].as_u64().unwrap() as usize;
        let start = number(&outputs["start_radius"]);
        let place = |i: usize| {
            let angle = std::f64::consts::TAU * i as f64 / count as f64;
            vec![start * angle.cos(), start * angle.sin()]
        };
        let nodes: Vec<Vec<f64>> = (0..count).map(place).collect();
        let masses = vec![number(&inputs["mass"]); count];
        let damping = inputs.get("spring_damping").map_or(0.0, number);
        let springs: Vec<String> = (0..count)
            .map(|i| format!("[{i}, {}, {}, {}, {damping:?}]", (i + 1) % count, inputs["length"], inputs["stiffness"]))
            .collect();
        let skin: Vec<[usize; 2]> = (0..count).map(|i| [i, (i + 1) % count]).collect();
        let more = format!(
            "springs = [{}]\nskin = {skin:?}\npressure = {{ amount = {}, outside = {} }}\ndamping = {:?}",
            springs.join(", "),
            inputs["amount"],
            inputs["outside"],
            inputs.get("node_damping").map_or(0.0, number)
        );
        let times = list(&inputs["sample_times"]);
        let last = times.iter().copied().fold(0.0, f64::max);
        let mut scene = Written::new([0.0; 2], last + 0.05, 0.01, FINE, &nodes, &masses, &more);
        for (sample, &time) in times.iter().enumerate() {
            let [radius, speed] = ["radius_at", "radial_speed_at"].map(|key| number(&outputs[key][sample]));
            scene.claim("value.x", "s.node[0]", time, &format!("equals = {radius:?}\nwithin = 1e-7"));
            scene.claim("value.vx", "s.node[0]", time, &format!("equals = {speed:?}\nwithin = 1e-5"));
        }
        scene.run(&case);
    }
}

/// Velocities after one step of explicit Euler are the accelerations of the moment.
#[test]
fn forces_of_springs_gas_and_damping_at_one_moment_are_those_of_the_law() {
    let dt = 1.0 / 1024.0;
    let once = "integrator=explicit-euler,soft-substeps=1";
    for case in cases("f25.skin2").into_iter().chain(cases("f25.pull")) {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let nodes = lists(&inputs["nodes"]);
        let masses = inputs.get("masses").map_or_else(|| vec![1.0; nodes.len()], list);
        let still = vec![vec![0.0; 2]; nodes.len()];
        let velocities = inputs.get("velocities").map_or(still.clone(), lists);
        let accelerations: Vec<Vec<f64>> = match outputs.get("accelerations") {
            None => lists(&outputs["forces"]),
            // Those of all laws together, without that of matching.
            Some(all) => {
                let matching = lists(&outputs["matching_forces"]);
                let without =
                    |(i, row): (usize, Vec<f64>)| (0..2).map(|k| row[k] - matching[i][k] / masses[i]).collect();
                lists(all).into_iter().enumerate().map(without).collect()
            }
        };
        let gravity = inputs.get("gravity").map_or(vec![0.0; 2], list);
        let springs = inputs.get("springs").map_or("[]".to_owned(), Value::to_string);
        let more = format!(
            "velocities = {velocities:?}\nsprings = {springs}\nskin = {}\npressure = {{ amount = {}, outside = {} }}\ndamping = {:?}",
            inputs["skin"],
            inputs["amount"],
            inputs["outside"],
            inputs.get("damping").map_or(0.0, number)
        );
        let mut scene = Written::new([gravity[0], gravity[1]], 2.0 * dt, dt, once, &nodes, &masses, &more);
        let after: Vec<Vec<f64>> = velocities
            .iter()
            .zip(&accelerations)
            .map(|(v, a)| (0..2).map(|axis| v[axis] + dt * a[axis]).collect())
            .collect();
        scene.nodes(VELOCITY, &masses, dt, &after, 1e-13);
        scene.run(&case);
    }
}

const INTEGRATORS: [(&str, &str); 4] = [
    ("explicit_euler", "explicit-euler"),
    ("symplectic_euler", "symplectic-euler"),
    ("velocity_verlet", "verlet"),
    ("rk4", "rk4"),
];

#[test]
fn two_masses_are_after_some_steps_where_the_step_matrix_of_each_integrator_puts_them() {
    for case in cases("f28.steps") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (x0, v0) = (list(&inputs["x0"]), list(&inputs["v0"]));
        let nodes: Vec<Vec<f64>> = x0.iter().map(|&x| vec![x, 0.0]).collect();
        let masses = [number(&inputs["m1"]), number(&inputs["m2"])];
        let dt = number(&inputs["dt"]);
        let end = dt * number(&inputs["n_steps"]);
        for (key, word) in INTEGRATORS {
            let more = format!(
                "velocities = [[{:?}, 0.0], [{:?}, 0.0]]\nsprings = [[0, 1, {}, {}, 0]]",
                v0[0], v0[1], inputs["length"], inputs["stiffness"]
            );
            let engine = format!("integrator={word},soft-substeps=1");
            let mut scene = Written::new([0.0; 2], end + 0.5 * dt, dt, &engine, &nodes, &masses, &more);
            let along = |name: &str| -> Vec<Vec<f64>> {
                list(&outputs[format!("{key}_{name}")]).into_iter().map(|x| vec![x]).collect()
            };
            // Beyond nothing a spring turns round, which the line of the case does not.
            let (x, length) = (along("x"), number(&inputs["length"]));
            if (x[1][0] - x[0][0] - length).abs() > 0.9 * length {
                continue;
            }
            let size = along("x").iter().chain(&along("v")).map(|row| row[0].abs()).fold(1.0, f64::max);
            scene.nodes(["value.x", ""], &masses, end, &along("x"), 1e-10 * size);
            scene.nodes(["value.vx", ""], &masses, end, &along("v"), 1e-9 * size);
            scene.run(&case);
        }
    }
}

/// A mass on a spring of no length, which is linear however far it swings, under a frequency of 1 rad/s.
fn swinging(integrator: &str, dt: f64, steps: f64, ratio: f64) -> Written {
    let nodes = [vec![0.0, 0.0], vec![1e-3, 0.0]];
    let more = format!("springs = [[0, 1, 0, 1, {:?}]]", 2.0 * ratio);
    let engine = format!("integrator={integrator},soft-substeps=1");
    Written::new([0.0; 2], steps * dt, dt, &engine, &nodes, &[0.0, 1.0], &more)
}

#[test]
fn energy_grows_a_step_by_the_square_of_the_growth_of_the_step_matrix() {
    for case in cases("f28.growth") {
        let products = list(&case["inputs"]["w_dt"]);
        for (key, word) in INTEGRATORS {
            let growths = list(&case["outputs"][format!("{key}_growth")]);
            for (&dt, &growth) in products.iter().zip(&growths).filter(|(dt, _)| **dt >= 0.02) {
                let rate = growth * growth - 1.0;
                // Just above the limit both modes have nearly the same shape, and energy first grows by the square of time.
                let steps = if rate > 0.0 { (100.0 / rate.ln_1p()).round().clamp(120.0, 1200.0) } else { 120.0 };
                let mut scene = swinging(word, dt, steps, 0.0);
                // What neither grows nor dies still swings within a period, and slowly so near the limit; a mode that grows carries a little of
                // the other one along.
                let within = if growth == 1.0 { 0.03 } else { 0.02 * rate.abs() + 2e-3 };
                scene.claim("growth.rate", "s", steps * dt, &format!("equals = {rate:?}\nwithin = {within:?}"));
                scene.run(&case);
            }
        }
    }
}

/// Just below the limit nothing grows, and just above it the net explodes.
fn stable_up_to(limit: f64, case: &Value, scene: impl Fn(f64) -> Written) {
    for (share, explodes) in [(0.99, false), (1.01, true)] {
        let mut scene = scene(share * limit);
        scene.claim("growth.rate", "s", 1e9, "at_most = 0.005");
        let (holds, said) = scene.holds();
        assert_eq!(holds, !explodes, "{} at {share} of {limit}\n{said}", case["id"]);
    }
}

#[test]
fn damped_swings_are_held_up_to_the_limits_of_theory_to_one_in_a_hundred() {
    for case in cases("f28.damped") {
        let ratio = number(&case["inputs"]["zeta"]);
        for (key, word) in
            [("explicit_euler", "explicit-euler"), ("symplectic_euler", "symplectic-euler"), ("rk4", "rk4")]
        {
            let limit = number(&case["outputs"][format!("limit_{key}")]);
            // Near its limit explicit Euler grows by little a step.
            if limit * limit * 0.01 < 0.006 {
                continue;
            }
            stable_up_to(limit, &case, |dt| swinging(word, dt, 400.0, ratio));
        }
    }
}

#[test]
fn chains_are_held_up_to_the_limits_of_theory_to_one_in_a_hundred() {
    for case in cases("f28.limits") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let masses = list(&inputs["masses"]);
        let springs = lists(&inputs["springs"]);
        let mut x = 0.0;
        let mut nodes = vec![vec![0.0, 0.0]];
        for spring in &springs {
            x += spring[2];
            nodes.push(vec![x, 0.0]);
        }
        // Every way to swing is kicked, the fastest ones most.
        let kick =
            |(i, &mass): (usize, &f64)| if mass > 0.0 { 1e-9 * if i % 2 == 0 { 1.0 } else { -0.7 } } else { 0.0 };
        let kicks: Vec<Vec<f64>> = masses.iter().enumerate().map(|node| vec![kick(node), 0.0]).collect();
        let more = format!("velocities = {kicks:?}\nsprings = {}", inputs["springs"]);
        for (key, word) in &INTEGRATORS[1..] {
            let limit = number(&outputs[format!("limit_{key}")]);
            let engine = format!("integrator={word},soft-substeps=1");
            stable_up_to(limit, &case, |dt| Written::new([0.0; 2], 120.0 * dt, dt, &engine, &nodes, &masses, &more));
        }
        let told = {
            let scene = Written::new([0.0; 2], 1.0, 1.0, "", &nodes, &masses, &more);
            told_frequency(&scene.text.replace("allow = [\"stiff-net\"]\n", ""))
        };
        let most = number(&outputs["omega_max"]);
        assert!((told / most - 1.0).abs() < 1e-3, "{}: {told} and not {most}", case["id"]);
    }
}

#[test]
fn fixed_chains_and_pairs_of_masses_between_walls_swing_as_their_modes_say() {
    for case in cases("f08.fixedchain") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let count = inputs["N"].as_u64().unwrap() as usize;
        let (mode, amplitude) = (number(&inputs["mode"]), number(&inputs["amplitude"]));
        let shift = |i: usize| amplitude * (i as f64 * mode * std::f64::consts::PI / (count + 1) as f64).sin();
        let ends = |i: usize| i == 0 || i == count + 1;
        let nodes: Vec<Vec<f64>> =
            (0..count + 2).map(|i| vec![i as f64 + if ends(i) { 0.0 } else { shift(i) }, 0.0]).collect();
        let masses: Vec<f64> = (0..count + 2).map(|i| if ends(i) { 0.0 } else { number(&inputs["m"]) }).collect();
        let springs: Vec<String> = (0..=count).map(|i| format!("[{i}, {}, 1, {}, 0]", i + 1, inputs["k"])).collect();
        let more = format!("springs = [{}]", springs.join(", "));
        let times = list(&inputs["sample_times"]);
        let last = times.iter().copied().fold(0.0, f64::max);
        let mut scene = Written::new([0.0; 2], last + 0.05, 0.01, FINE, &nodes, &masses, &more);
        for (sample, &time) in times.iter().enumerate() {
            let moved = list(&outputs["u_at"][sample]);
            let places: Vec<Vec<f64>> =
                (0..count + 2).map(|i| vec![i as f64 + if ends(i) { 0.0 } else { moved[i - 1] }]).collect();
            scene.nodes(["value.x", ""], &masses, time, &places, 1e-8);
        }
        scene.run(&case);
    }
    for case in cases("f08.twomass") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (u, v) = (list(&inputs["u0"]), list(&inputs["v0"]));
        let nodes = [vec![0.0, 0.0], vec![1.0 + u[0], 0.0], vec![2.0 + u[1], 0.0], vec![3.0, 0.0]];
        let masses = [0.0, number(&inputs["m1"]), number(&inputs["m2"]), 0.0];
        let springs = ["k_left", "k_mid", "k_right"].map(|key| &inputs[key]);
        let springs: Vec<String> = (0..3).map(|i| format!("[{i}, {}, 1, {}, 0]", i + 1, springs[i])).collect();
        let more = format!(
            "velocities = [[0, 0], [{:?}, 0], [{:?}, 0], [0, 0]]\nsprings = [{}]",
            v[0],
            v[1],
            springs.join(", ")
        );
        let times = list(&inputs["sample_times"]);
        let last = times.iter().copied().fold(0.0, f64::max);
        let mut scene = Written::new([0.0; 2], last + 0.05, 0.01, FINE, &nodes, &masses, &more);
        for (sample, &time) in times.iter().enumerate() {
            let (u, v) = (list(&outputs["u_at"][sample]), list(&outputs["v_at"][sample]));
            scene.nodes(["value.x", ""], &masses, time, &[vec![], vec![1.0 + u[0]], vec![2.0 + u[1]]], 1e-8);
            scene.nodes(["value.vx", ""], &masses, time, &[vec![], vec![v[0]], vec![v[1]]], 1e-7);
        }
        scene.run(&case);
    }
}

#[test]
fn oscillators_die_away_as_their_damping_says() {
    for case in cases("f08.oscillator") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let [m, k, c, x0, v0] = ["m", "k", "c", "x0", "v0"].map(|key| list(&inputs[key]));
        let times = list(&inputs["sample_times"]);
        let last = times.iter().copied().fold(0.0, f64::max);
        for i in 0..m.len() {
            // Long enough that it never turns over.
            let nodes = [vec![0.0, 0.0], vec![10.0 + x0[i], 0.0]];
            let masses = [0.0, m[i]];
            let more =
                format!("velocities = [[0, 0], [{:?}, 0]]\nsprings = [[0, 1, 10, {:?}, {:?}]]", v0[i], k[i], c[i]);
            let mut scene = Written::new([0.0; 2], last + 0.1, 0.05, FINE, &nodes, &masses, &more);
            for (sample, &time) in times.iter().enumerate() {
                let [x, v] = ["x_at", "v_at"].map(|key| number(&outputs[key][i][sample]));
                scene.nodes(["value.x", ""], &masses, time, &[vec![], vec![10.0 + x]], 1e-7);
                scene.nodes(["value.vx", ""], &masses, time, &[vec![], vec![v]], 1e-6);
            }
            scene.run(&case);
        }
    }
}

#[test]
fn the_warning_of_a_stiff_net_counts_the_integrator_and_the_sub_steps_of_the_engine() {
    let yard = Yard::new();
    let told = |engine: &str, dt: &str| {
        let line = format!("run coupling-chain --set stiffness=400000 --dt {dt} --engine {engine}");
        let said = yard.ironspin(&line).err;
        said.lines().find(|line| line.contains("too stiff")).map(|line| line.trim_matches([' ', '⚠']).to_owned())
    };
    let warned = |dt, method| Some(format!("the net of `chain` is too stiff for a step of {dt} s with {method}"));
    // Its fastest motion has 3864 rad/s: a sub-step of Verlet may have 0.518 ms, one of rk4 0.732 ms.
    assert_eq!(told("builtin", "0.004"), None);
    assert_eq!(told("builtin", "0.0045"), warned("0.0045", "8 sub-steps of verlet"));
    assert_eq!(told("builtin:integrator=rk4", "0.0045"), None);
    assert_eq!(told("builtin:soft-substeps=1", "0.0006"), warned("0.0006", "1 step of verlet"));
    assert_eq!(told("builtin:soft-substeps=1,integrator=rk4", "0.0006"), None);
    let explicit = "8 sub-steps of explicit-euler";
    assert_eq!(told("builtin:integrator=explicit-euler", "0.0001"), warned("0.0001", explicit));
}
