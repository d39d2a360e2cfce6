//! Pendulums, slopes and shots in space from values that were computed independently, run as a user would: each value is a claim.

use crate::space_oracles::{PLACE, VELOCITY, Written, cases, quaternion, shape};
use crate::util::{list, number};
use serde_json::Value;

/// The step of the bounds.
const DT: f64 = 1.0 / 240.0;

fn down(case: &Value) -> [f64; 3] {
    [0.0, -number(&case["inputs"]["g"]), 0.0]
}

fn post(scene: &mut Written) {
    scene.body("post", "{ sphere = 0.001 }", &[0.0; 3], "kind = \"static\"");
}

/// Claims of the places at the sample times. Errors grow with the time that has passed.
fn follows(scene: &mut Written, case: &Value, of: &str, [places, velocities]: [Option<&str>; 2], within: [f64; 2]) {
    for (k, time) in list(&case["inputs"]["sample_times"]).into_iter().enumerate() {
        if let Some(places) = places {
            scene.vector(PLACE, of, time, &list(&case["outputs"][places][k]), within[0] * time.max(0.5));
        }
        if let Some(velocities) = velocities {
            scene.vector(VELOCITY, of, time, &list(&case["outputs"][velocities][k]), within[1] * time.max(0.5));
        }
    }
}

fn last(case: &Value) -> f64 {
    list(&case["inputs"]["sample_times"]).into_iter().fold(0.0, f64::max)
}

#[test]
fn a_weight_on_a_rod_goes_round_as_the_law_says() {
    for case in cases("f20", "conical") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let mut scene = Written::new(&down(&case), last(&case) + 0.1, DT, 0.0, 0.0);
        post(&mut scene);
        let (radius, length) = (number(&outputs["radius"]), number(&inputs["length"]));
        let at = [radius, -length * number(&inputs["theta_deg"]).to_radians().cos(), 0.0];
        let lines = format!("mass = {}\nvelocity = [0, 0, {:?}]", inputs["mass"], -number(&outputs["speed"]));
        scene.body("bob", "{ sphere = 0.01 }", &at, &lines);
        scene.text.push_str("[[joint]]\nkind = \"rod\"\nbetween = [\"post\", \"bob\"]\n");
        // A method of the second order is behind by a share of the square of the turn a step.
        let rate = number(&outputs["rate"]);
        let behind = (rate * DT) * (rate * DT) * rate / 6.0;
        let within = [radius * behind, number(&outputs["speed"]) * behind];
        follows(&mut scene, &case, "bob", [Some("position_at"), Some("velocity_at")], within);
        scene.run(&case);
    }
    for case in cases("f20", "spherical") {
        let inputs = &case["inputs"];
        let mut scene = Written::new(&down(&case), last(&case) + 0.1, DT, 0.0, 0.0);
        post(&mut scene);
        let lines = format!("mass = {}\nvelocity = {}", inputs["mass"], inputs["v0"]);
        scene.body("bob", "{ sphere = 0.01 }", &list(&inputs["r0"]), &lines);
        scene.text.push_str("[[joint]]\nkind = \"rod\"\nbetween = [\"post\", \"bob\"]\n");
        follows(&mut scene, &case, "bob", [Some("position_at"), Some("velocity_at")], [2e-3, 2e-2]);
        scene.run(&case);
    }
}

#[test]
fn a_board_on_a_slanted_hinge_and_a_bar_on_two_rods_swing_as_the_law_says() {
    for case in cases("f20", "compound") {
        let inputs = &case["inputs"];
        let mut scene = Written::new(&list(&inputs["gravity"]), last(&case) + 0.1, DT, 0.0, 0.0);
        post(&mut scene);
        let lines = format!("mass = {}\n{}", inputs["mass"], quaternion(&inputs["rotation"]));
        scene.body("board", &shape(&inputs["shape"]), &list(&inputs["position"]), &lines);
        scene.text.push_str(&format!(
            "[[joint]]\nkind = \"hinge\"\nbetween = [\"post\", \"board\"]\nat = {}\naxis = {}\n",
            inputs["hinge"], inputs["axis"]
        ));
        follows(&mut scene, &case, "board", [Some("centre_at"), None], [1e-3, 0.0]);
        scene.run(&case);
    }
    for case in cases("f20", "bifilar") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let mut scene = Written::new(&down(&case), last(&case) + 0.1, DT, 0.0, 0.0);
        let (b, length) = (number(&inputs["b"]), number(&inputs["length"]));
        scene.body("post", "{ sphere = 0.001 }", &[0.0, length, 0.0], "kind = \"static\"");
        let lines = format!(
            "mass = {}\nturn = {{ axis = [0, 1, 0], angle = \"{} deg\" }}",
            inputs["mass"], inputs["amplitude_deg"]
        );
        scene.body("bar", &format!("{{ box = {} }}", inputs["box"]), &[0.0, number(&outputs["rise"]), 0.0], &lines);
        for side in [-b, b] {
            scene.text.push_str(&format!(
                "[[joint]]\nkind = \"rod\"\nbetween = [\"post\", \"bar\"]\nanchors = [[{side:?}, 0, 0], [{side:?}, 0, 0]]\nlength = {length:?}\n"
            ));
        }
        for (time, height) in list(&inputs["sample_times"]).into_iter().zip(list(&outputs["height_at"])) {
            scene.claim("value.y", "bar", time, (height, 1e-4 * time), "");
        }
        scene.run(&case);
    }
}

#[test]
fn balls_cylinders_and_capsules_roll_down_a_slope_as_the_law_says() {
    for case in cases("f18", "incline") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let time = number(&inputs["time"]);
        let (normal, downhill) = (list(&inputs["normal"]), list(&outputs["downhill"]));
        let mut scene = Written::new(&list(&inputs["gravity"]), time + 0.1, DT, number(&inputs["mu"]), 0.0);
        scene.body("floor", &format!("{{ half_space = {normal:?} }}"), &[0.0; 3], "kind = \"static\"");
        // The axis of what is long lies level, across the way down.
        let across = [
            normal[1] * downhill[2] - normal[2] * downhill[1],
            normal[2] * downhill[0] - normal[0] * downhill[2],
            normal[0] * downhill[1] - normal[1] * downhill[0],
        ];
        for (k, of) in inputs["shapes"].as_array().unwrap().iter().enumerate() {
            let radius = of["sphere"]
                .as_f64()
                .unwrap_or_else(|| of.as_object().unwrap().values().next().unwrap()[1].as_f64().unwrap());
            let at: Vec<f64> = (0..3).map(|axis| normal[axis] * radius + across[axis] * 3.0 * k as f64).collect();
            // The smallest turn from x to the axis.
            let turn = [1.0 + across[0], 0.0, -across[2], across[1]];
            let size = turn.iter().map(|part| part * part).sum::<f64>().sqrt();
            let turn = if size < 1e-9 { [0.0, 0.0, 1.0, 0.0] } else { turn.map(|part| part / size) };
            let lines = format!("mass = {}\nturn = {{ quaternion = {turn:?} }}", inputs["masses"][k]);
            scene.body(&format!("b{k}"), &shape(of), &at, &lines);
            let way = list(&outputs["displacement"][k]);
            let end: Vec<f64> = (0..3).map(|axis| at[axis] + way[axis]).collect();
            let far = way.iter().map(|part| part * part).sum::<f64>().sqrt();
            scene.vector(PLACE, &format!("b{k}"), time, &end, 1e-3 * far + 1e-4);
            scene.vector(VELOCITY, &format!("b{k}"), time, &list(&outputs["velocity"][k]), 1e-3 * far + 1e-4);
        }
        scene.run(&case);
    }
}
