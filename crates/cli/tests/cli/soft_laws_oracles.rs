//! Gas in skins of space, yield, falls on a floor, and hanging nets against values that were computed independently, run as a user would: each value
//! is a claim. Gas in a skin (Boyle and Mariotte), yield as the protocol states it, statics of nets, compound pendulum.

use super::soft_space_oracles::{Written, cases, last, lists};
use crate::util::{list, number};
use serde_json::Value;

/// Corners of a regular body at a distance of 1 from its middle, and its triangles, counter-clockwise from outside.
fn regular(word: &str) -> (Vec<[f64; 3]>, Vec<[usize; 3]>) {
    let golden = 0.5 * (1.0 + 5.0_f64.sqrt());
    let corners: Vec<[f64; 3]> = match word {
        "tetrahedron" => vec![[1.0, 1.0, 1.0], [1.0, -1.0, -1.0], [-1.0, 1.0, -1.0], [-1.0, -1.0, 1.0]],
        "octahedron" => (0..6)
            .map(|k| std::array::from_fn(|axis| if axis == k / 2 { 1.0 - 2.0 * (k % 2) as f64 } else { 0.0 }))
            .collect(),
        "icosahedron" => {
            let signs = [[1.0, 1.0], [1.0, -1.0], [-1.0, 1.0], [-1.0, -1.0]];
            let of = |turn: usize| {
                signs.map(|[a, b]| {
                    let mut corner = [0.0; 3];
                    (corner[turn], corner[(turn + 1) % 3]) = (a, b * golden);
                    corner
                })
            };
            (0..3).flat_map(of).collect()
        }
        other => panic!("no regular body is called {other}"),
    };
    let size = corners[0].iter().map(|x| x * x).sum::<f64>().sqrt();
    let corners: Vec<[f64; 3]> = corners.iter().map(|corner| corner.map(|x| x / size)).collect();
    let far = |a: usize, b: usize| (0..3).map(|k| (corners[a][k] - corners[b][k]).powi(2)).sum::<f64>();
    let count = corners.len();
    let edge = (1..count).map(|b| far(0, b)).fold(f64::INFINITY, f64::min);
    let next = |a: usize, b: usize| (far(a, b) - edge).abs() < 1e-9;
    let mut faces = Vec::new();
    for a in 0..count {
        for b in a + 1..count {
            for c in b + 1..count {
                if next(a, b) && next(b, c) && next(a, c) {
                    faces.push(if is_outward(&corners, [a, b, c]) { [a, b, c] } else { [a, c, b] });
                }
            }
        }
    }
    (corners, faces)
}

/// Whether a triangle around the origin looks away from it.
fn is_outward(corners: &[[f64; 3]], [a, b, c]: [usize; 3]) -> bool {
    let [a, b, c] = [a, b, c].map(|k| corners[k]);
    a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0]) > 0.0
}

/// Each edge once, in order.
fn edges(faces: &[[usize; 3]]) -> Vec<[usize; 2]> {
    let mut edges: Vec<[usize; 2]> =
        faces.iter().flat_map(|&[a, b, c]| [[a, b], [b, c], [c, a]]).map(|[a, b]| [a.min(b), a.max(b)]).collect();
    edges.sort_unstable();
    edges.dedup();
    edges
}

fn scaled(corners: &[[f64; 3]], radius: f64) -> Vec<Vec<f64>> {
    corners.iter().map(|corner| corner.iter().map(|x| radius * x).collect()).collect()
}

fn gas(inputs: &Value) -> String {
    format!("pressure = {{ amount = {}, outside = {} }}", inputs["amount"], inputs["outside"])
}

#[test]
fn regular_skins_of_gas_breathe_as_their_closed_form_says() {
    for case in cases("f25.solid") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (corners, faces) = regular(inputs["skin"].as_str().unwrap());
        let springs: Vec<String> = edges(&faces)
            .iter()
            .map(|[a, b]| format!("[{a}, {b}, {}, {}, 0]", inputs["length"], inputs["stiffness"]))
            .collect();
        let masses = vec![number(&inputs["mass"]); corners.len()];
        let (start, times) = (number(&outputs["start_radius"]), list(&inputs["sample_times"]));
        let fine = "integrator=rk4,soft-substeps=32";
        let mut scene = Written::new(&scaled(&corners, start), masses, &[0.0; 3], last(&times) + 0.05, 0.005, fine)
            .with(&format!("springs = [{}]\nskin = {faces:?}\n{}", springs.join(", "), gas(inputs)));
        for (&time, radius) in times.iter().zip(list(&outputs["radius_at"])) {
            scene.claims("s.node[0]", "sqrt(x ^ 2 + y ^ 2 + z ^ 2)", time, radius, 1e-6 * start);
        }
        let period = number(&outputs["finite_period"]);
        scene.claims_gauge(
            "period.mean",
            "s.node[0]",
            &format!("sqrt(x ^ 2 + y ^ 2 + z ^ 2) - {}", outputs["radius"]),
            period,
            1e-5 * period,
        );
        scene.run(&case);
    }
}

#[test]
fn divided_skins_of_gas_rest_with_two_radii() {
    for case in cases("f25.icoskin") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (mut corners, old) = regular("icosahedron");
        // A node in the middle of each edge, pushed out.
        let rims = edges(&old);
        let middle = |a: usize, b: usize| 12 + rims.iter().position(|&rim| rim == [a.min(b), a.max(b)]).unwrap();
        for &[a, b] in &rims {
            let sum: [f64; 3] = std::array::from_fn(|k| corners[a][k] + corners[b][k]);
            let size = sum.iter().map(|x| x * x).sum::<f64>().sqrt();
            corners.push(sum.map(|x| x / size));
        }
        let faces: Vec<[usize; 3]> = old
            .iter()
            .flat_map(|&[a, b, c]| {
                let [d, e, f] = [middle(a, b), middle(b, c), middle(c, a)];
                [[a, d, f], [b, e, d], [c, f, e], [d, e, f]]
            })
            .collect();
        let radius = number(&inputs["built_radius"]);
        let factor = number(&inputs["length_factor"]);
        let springs: Vec<String> = edges(&faces)
            .iter()
            .map(|&[a, b]| {
                let far = (0..3).map(|k| (corners[a][k] - corners[b][k]).powi(2)).sum::<f64>().sqrt();
                format!("[{a}, {b}, {:?}, {}, 0]", factor * radius * far, inputs["stiffness"])
            })
            .collect();
        let masses = vec![number(&inputs["mass"]); corners.len()];
        let scene = Written::new(&scaled(&corners, radius), masses, &[0.0; 3], 6.0, 0.005, "soft-substeps=8");
        let mut scene =
            scene.with(&format!("springs = [{}]\nskin = {faces:?}\ndamping = 10\n{}", springs.join(", "), gas(inputs)));
        for (node, key) in [(0, "radius_corner"), (20, "radius_middle")] {
            let rest = number(&outputs[key]);
            scene.claims(&format!("s.node[{node}]"), "sqrt(x ^ 2 + y ^ 2 + z ^ 2)", 6.0, rest, 1e-6 * rest);
        }
        scene.run(&case);
    }
}

/// A spring led from length to length pulls at a weight so heavy that it hardly moves: what it gets in a step tells the force.
#[test]
fn a_spring_that_is_led_past_its_yield_pulls_by_its_new_length() {
    let (mass, dt) = (1e9, 0.01);
    for case in cases("f27.path") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (path, forces) = (list(&inputs["path"]), list(&outputs["forces"]));
        let length = number(&inputs["length"]);
        let built = [vec![0.0, 0.0], vec![length, 0.0]];
        let mut scene =
            Written::new(&built, vec![0.0, mass], &[0.0; 2], 0.1 * (path.len() + 2) as f64, dt, "soft-substeps=8")
                .with(&format!(
                    "springs = [[0, 1, {length:?}, {}, 0]]\nyield = {{ strain = {}, most = {} }}",
                    inputs["stiffness"], inputs["strain"], inputs["most"]
                ));
        for (k, (&place, &force)) in path.iter().zip(&forces).enumerate() {
            let time = 0.1 * (k + 1) as f64;
            for action in [format!("place = {{ at = [{place:?}, 0] }}"), "velocity = [0, 0]".to_owned()] {
                scene = scene.with(&format!("[[action]]\nat_time = {time:?}\non = \"s.node[1]\"\n{action}"));
            }
            let speed = -force * dt / mass;
            scene.expects_of(1, "value.vx", time + dt, speed, 1e-6 * number(&inputs["stiffness"]) * length * dt / mass);
        }
        scene.run(&case);
    }
}

#[test]
fn a_weight_on_a_spring_that_yields_swings_as_its_pieces_say() {
    for case in cases("f27.oscillator") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let times = list(&inputs["sample_times"]);
        let built = [vec![0.0, 0.0], vec![number(&inputs["x0"]), 0.0]];
        let fine = "integrator=verlet,soft-substeps=1000";
        let scene =
            Written::new(&built, vec![0.0, number(&inputs["mass"])], &[0.0; 2], last(&times) + 0.05, 0.01, fine);
        let mut scene = scene.with(&format!(
            "velocities = [[0, 0], [{}, 0]]\nsprings = [[0, 1, {}, {}, 0]]\nyield = {{ strain = {}, most = {} }}",
            inputs["v0"], inputs["length"], inputs["stiffness"], inputs["strain"], inputs["most"]
        ));
        let (places, speeds) = (list(&outputs["x_at"]), list(&outputs["v_at"]));
        let fastest = number(&inputs["v0"]).abs();
        for (k, &time) in times.iter().enumerate() {
            scene.expects_of(1, "value.x", time, places[k], 1e-4 * number(&inputs["length"]));
            scene.expects_of(1, "value.vx", time, speeds[k], 1e-3 * fastest);
        }
        scene.run(&case);
    }
}

/// Weights above each other on springs fall on a floor, on which the lowest stops dead and from which it lifts.
#[test]
fn columns_of_weights_bounce_as_their_pieces_say() {
    for case in cases("f30.") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (masses, springs) = (list(&inputs["masses"]), lists(&inputs["springs"]));
        let (radius, gap, times) = (number(&inputs["radius"]), number(&inputs["gap"]), list(&inputs["sample_times"]));
        let mut built = vec![vec![0.0, radius + gap]];
        for spring in &springs {
            let below = built[built.len() - 1][1];
            built.push(vec![0.0, below + spring[2]]);
        }
        let velocities: Vec<[f64; 2]> = masses.iter().map(|_| [0.0, number(&inputs["v0"])]).collect();
        let gravity = [0.0, -number(&inputs["g"])];
        let fine = "integrator=verlet,soft-substeps=1000,rest-speed=0";
        let springs: Vec<String> =
            springs.iter().map(|s| format!("[{}, {}, {:?}, {:?}, {:?}]", s[0], s[1], s[2], s[3], s[4])).collect();
        let scene = Written::new(&built, masses.clone(), &gravity, last(&times) + 0.05, 0.01, fine);
        let mut scene = scene.with(&format!(
            "velocities = {velocities:?}\nsprings = [{}]\nradius = {radius:?}\n[[body]]\nname = \"floor\"\nkind = \"static\"\n\
             shape = {{ half_plane = [0, 1] }}\nat = [0, 0]\nmaterial = \"m\"",
            springs.join(", ")
        ));
        let (places, speeds) = (lists(&outputs["y_at"]), lists(&outputs["v_at"]));
        for (k, &time) in times.iter().enumerate() {
            for node in 0..masses.len() {
                scene.expects_of(node, "value.y", time, places[k][node], 5e-4);
                scene.expects_of(node, "value.vy", time, speeds[k][node], 2e-2);
            }
        }
        scene.run(&case);
    }
}

#[test]
fn hanging_chains_rest_where_statics_puts_them() {
    for case in cases("f24.hang").into_iter().chain(cases("f24.sag")) {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (masses, gravity) = (list(&inputs["masses"]), list(&inputs["gravity"]));
        let axes = gravity.len();
        // Built straight, at rest lengths or evenly between the ends.
        let built: Vec<Vec<f64>> = match inputs.get("anchor") {
            Some(anchor) => {
                let anchor = list(anchor);
                let down = gravity.iter().map(|g| g * g).sum::<f64>().sqrt();
                let mut far = 0.0;
                let mut nodes = vec![anchor.clone()];
                for spring in lists(&inputs["springs"]) {
                    far += spring[2];
                    nodes.push((0..axes).map(|axis| anchor[axis] + far * gravity[axis] / down).collect());
                }
                nodes
            }
            None => {
                let (first, end) = (list(&inputs["first"]), list(&inputs["last"]));
                let share = |i: usize| i as f64 / (masses.len() - 1) as f64;
                let at = |i: usize| (0..axes).map(|axis| first[axis] + share(i) * (end[axis] - first[axis])).collect();
                (0..masses.len()).map(at).collect()
            }
        };
        let scene = Written::new(&built, masses, &gravity, 40.0, 1.0 / 60.0, "soft-substeps=8");
        let mut scene = scene.with(&format!("springs = {}\ndamping = 2", inputs["springs"]));
        scene.expects("", 40.0, &lists(&outputs["positions"]), 1e-6);
        scene.run(&case);
    }
}

#[test]
fn frames_of_sticks_that_hang_from_a_corner_swing_as_a_compound_pendulum() {
    for case in cases("f29.hungframe") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let times = list(&inputs["sample_times"]);
        let gravity = [0.0, -number(&inputs["g"])];
        let fine = "integrator=verlet,soft-substeps=64";
        let scene =
            Written::new(&lists(&inputs["nodes"]), list(&inputs["masses"]), &gravity, last(&times) + 0.05, 0.01, fine);
        let mut scene = scene.with(&format!("sticks = {}", inputs["sticks"]));
        for (sample, &time) in times.iter().enumerate() {
            scene.expects("", time, &lists(&outputs["position_at"][sample]), 5e-6);
        }
        scene.run(&case);
    }
}
