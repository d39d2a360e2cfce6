//! Tops, flywheels, double pendulums and broken triangles of balls in space from values that were computed independently, run as a user would.

use crate::space_oracles::{PLACE, SPIN, VELOCITY, Written, cases, quaternion, shape};
use crate::util::{list, number};
use serde_json::Value;

/// The step of the bounds.
const DT: f64 = 1.0 / 240.0;

fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn three(value: &Value) -> [f64; 3] {
    [0, 1, 2].map(|k| number(&value[k]))
}

fn post(scene: &mut Written) {
    scene.body("post", "{ sphere = 0.001 }", &[0.0; 3], "kind = \"static\"");
}

fn last(case: &Value) -> f64 {
    list(&case["inputs"]["sample_times"]).into_iter().fold(0.0, f64::max)
}

#[test]
fn a_top_on_a_socket_nods_and_goes_round_as_the_law_says() {
    for case in cases("f19", "top") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let length = number(&inputs["arm"]);
        let rotation = list(&inputs["rotation"]);
        let (w, axis) = (rotation[0], [rotation[1], rotation[2], rotation[3]]);
        // Where the quaternion turns the arm along x.
        let twice = cross(axis, [length, 0.0, 0.0]).map(|part| 2.0 * part);
        let more = cross(axis, twice);
        let arm = [length + w * twice[0] + more[0], w * twice[1] + more[1], w * twice[2] + more[2]];
        let velocity = cross(three(&inputs["spin"]), arm);
        let mut scene = Written::new(&[0.0, -number(&inputs["g"]), 0.0], last(&case) + 0.1, DT, 0.0, 0.0);
        post(&mut scene);
        let lines = format!(
            "mass = {}\ninertia = {}\nvelocity = {velocity:?}\nspin = {}\n{}",
            inputs["mass"],
            inputs["inertia"],
            inputs["spin"],
            quaternion(&inputs["rotation"])
        );
        scene.body("top", "{ sphere = 0.01 }", &arm, &lines);
        scene.text.push_str("[[joint]]\nkind = \"socket\"\nbetween = [\"post\", \"top\"]\nat = [0, 0, 0]\n");
        for (time, axis) in list(&inputs["sample_times"]).into_iter().zip(outputs["axis_at"].as_array().unwrap()) {
            let centre = three(axis).map(|part| part * length);
            // The fastest of them turns by 0.8 rad a step.
            scene.vector(PLACE, "top", time, &centre, 0.02 * length);
        }
        scene.run(&case);
    }
}

#[test]
fn a_driven_flywheel_gains_speed_by_its_inertia_about_the_axis() {
    for case in cases("f19", "flywheel") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let axis = three(&inputs["axis"]);
        let along = |size: f64| axis.map(|part| part * size);
        let end = last(&case) + 0.1;
        let mut scene = Written::new(&[0.0, -9.81, 0.0], end, DT, 0.0, 0.0);
        post(&mut scene);
        let lines = format!(
            "mass = {}\nspin = {:?}\n{}",
            inputs["mass"],
            along(number(&inputs["spin0"])),
            quaternion(&inputs["rotation"])
        );
        scene.body("wheel", &shape(&inputs["shape"]), &[0.0; 3], &lines);
        scene.text.push_str(&format!(
            "[[joint]]\nkind = \"hinge\"\nbetween = [\"post\", \"wheel\"]\nat = [0, 0, 0]\naxis = {axis:?}\n\
             [[action]]\nat_time = 0\non = \"wheel\"\ntorque = {:?}\nfor_time = {end:?}\n",
            along(number(&inputs["torque"]))
        ));
        for (time, rate) in list(&inputs["sample_times"]).into_iter().zip(list(&outputs["rate_at"])) {
            scene.vector(SPIN, "wheel", time, &along(rate), 1e-4 * rate.abs().max(0.1));
        }
        scene.run(&case);
    }
}

#[test]
fn two_rods_on_hinges_swing_as_the_law_says() {
    for case in cases("f20", "rods") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let way = three(&inputs["direction"]);
        // Turns what hangs towards the direction.
        let axis = [-way[2], 0.0, way[0]];
        let [angles, rates] = ["angles0", "rates0"].map(|key| list(&inputs[key]));
        let [first, second] = ["l1", "l2"].map(|key| number(&inputs[key]));
        let sum = |a: [f64; 3], b: [f64; 3]| [a[0] + b[0], a[1] + b[1], a[2] + b[2]];
        let out = |rod: usize, length: f64| {
            let (sin, cos) = angles[rod].sin_cos();
            [way[0] * sin * length, -cos * length, way[2] * sin * length]
        };
        let moved = |rod: usize, length: f64| {
            let (sin, cos) = angles[rod].sin_cos();
            [way[0] * cos, sin, way[2] * cos].map(|part| part * length * rates[rod])
        };
        let joint = out(0, first);
        let rods = [
            (out(0, 0.5 * first), moved(0, 0.5 * first), "m1", "I1"),
            (sum(joint, out(1, 0.5 * second)), sum(moved(0, first), moved(1, 0.5 * second)), "m2", "I2"),
        ];
        let mut scene = Written::new(&[0.0, -number(&inputs["g"]), 0.0], last(&case) + 0.1, DT, 0.0, 0.0);
        post(&mut scene);
        for (rod, (at, velocity, mass, moment)) in rods.into_iter().enumerate() {
            let moment = number(&inputs[moment]);
            let spin = axis.map(|part| part * rates[rod]);
            let lines = format!(
                "mass = {}\ninertia = [{moment:?}, {moment:?}, {moment:?}]\nvelocity = {velocity:?}\nspin = {spin:?}",
                inputs[mass]
            );
            scene.body(&format!("rod{rod}"), "{ sphere = 0.01 }", &at, &lines);
        }
        for (between, at) in [("\"post\", \"rod0\"", [0.0; 3]), ("\"rod0\", \"rod1\"", joint)] {
            scene.text.push_str(&format!(
                "[[joint]]\nkind = \"hinge\"\nbetween = [{between}]\nat = {at:?}\naxis = {axis:?}\n"
            ));
        }
        for (time, centres) in list(&inputs["sample_times"]).into_iter().zip(outputs["centres"].as_array().unwrap()) {
            for rod in 0..2 {
                scene.vector(PLACE, &format!("rod{rod}"), time, &list(&centres[rod]), 1e-3 * time.max(0.5));
            }
        }
        scene.run(&case);
    }
}

#[test]
fn a_cue_breaks_two_touching_balls_one_blow_after_the_other() {
    for case in cases("f17", "break") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let mut scene = Written::new(&[0.0; 3], 0.05, 0.001, 0.0, number(&inputs["restitution"]));
        for k in 0..3 {
            let velocity = if k == 0 { list(&inputs["v"]) } else { vec![0.0; 3] };
            let lines = format!("mass = {}\nvelocity = {velocity:?}", inputs["masses"][k]);
            let ball = format!("{{ sphere = {} }}", inputs["radii"][k]);
            scene.body(&format!("b{k}"), &ball, &list(&inputs["centres"][k]), &lines);
            scene.vector(VELOCITY, &format!("b{k}"), 0.04, &list(&outputs["velocities"][k]), 1e-9);
        }
        scene.run(&case);
    }
}
