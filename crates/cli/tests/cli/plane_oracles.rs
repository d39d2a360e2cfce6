//! Scenes in the plane made from values that were computed independently, run as a user would: what lies between frames, what several bodies have
//! together, and what forces that follow the state do, each held to the order in the step that it should have.

use crate::util::{Yard, list, number};
use serde_json::Value;
use std::collections::BTreeMap;
use std::fmt::Write;

fn cases(text: &str, start: &str) -> Vec<Value> {
    let all: Vec<Value> = serde_json::from_str(text).expect("the file of cases");
    let found: Vec<Value> = all.into_iter().filter(|case| case["id"].as_str().unwrap().starts_with(start)).collect();
    assert!(!found.is_empty(), "no case of {start}");
    found
}

/// Bodies that attract each other: Newton's law and Kepler's.
fn orbits(start: &str) -> Vec<Value> {
    cases(include_str!("plane_cases.json"), start)
}

/// All others of the plane, as the bench itself is held against them.
fn others(start: &str) -> Vec<Value> {
    cases(include_str!("../../../lab/tests/oracles/cases.json"), start)
}

/// A scene under way, and what each of its claims should measure.
struct Written {
    text: String,
    due: BTreeMap<String, f64>,
}

impl Written {
    fn new(gravity: f64, duration: f64, material: &str) -> Written {
        let text = format!(
            "scene = 1\nname = \"case\"\nabout = \"A case.\"\n[world]\ngravity = [0, {gravity:?}]\nduration = {duration:?}\n[material.m]\n{material}\n"
        );
        Written { text, due: BTreeMap::new() }
    }

    fn body(&mut self, name: &str, lines: &str) {
        let _ = writeln!(self.text, "[[body]]\nname = \"{name}\"\nmaterial = \"m\"\n{lines}");
    }

    /// A claim by its name; what it measures is read, so that its bound may be wide.
    fn claim(&mut self, name: &str, gauge: &str, lines: &str, due: f64) {
        let _ = writeln!(
            self.text,
            "[[claim]]\nname = \"{name}\"\ngauge = \"{gauge}\"\n{lines}\nat_least = -1e9\nbecause = \"the law of the case\""
        );
        self.due.insert(name.to_owned(), due);
    }

    /// How far each claim is off, as a share of what is due where that is large.
    fn errors(&self, dt: f64, engine: &str) -> BTreeMap<String, f64> {
        let yard = Yard::new();
        yard.write("case.toml", &self.text);
        let answer = yard.ironspin(&format!("run case.toml --dt {dt:?} --engine {engine} --format csv"));
        assert_eq!(answer.status, 0, "{}{}\n{}", answer.out, answer.err, self.text);
        let mut reader = csv::Reader::from_reader(answer.out.as_bytes());
        let heads = reader.headers().unwrap().clone();
        let column = |name: &str| heads.iter().position(|head| head == name).unwrap();
        let (name, measured) = (column("claim"), column("measured"));
        let rows = reader.records().map(|row| {
            let row = row.unwrap();
            let found: f64 = row[measured].parse().unwrap_or_else(|_| panic!("{} is not measured", &row[name]));
            let due = self.due[&row[name]];
            (row[name].to_owned(), (found - due).abs() / due.abs().max(1.0))
        });
        rows.collect()
    }

    /// Every error falls at least with an order from one step to its fourth, unless it is down in the rounding already. Where a top lies between two frames
    /// differs from step to step, so that a half is too little to tell.
    fn falls_with_order(&self, id: &Value, dt: f64, engine: &str, order: f64, floor: f64) {
        let (coarse, fine) = (self.errors(dt, engine), self.errors(0.25 * dt, engine));
        assert_eq!(coarse.len(), self.due.len(), "{id}");
        for (name, coarse) in &coarse {
            let fine = fine[name];
            let found = 0.5 * (coarse / fine).log2();
            assert!(fine <= floor || found > order - 0.25, "{id} {name}: {coarse:e} then {fine:e}, order {found:.2}");
            assert!(fine < 0.05, "{id} {name}: {fine:e}");
        }
    }
}

/// Value, gauge and field of a state at a time.
fn state_claims(scene: &mut Written, of: &str, time: f64, place: &Value, velocity: &Value) {
    let (p, v) = (list(place), list(velocity));
    for (field, due) in [("x", p[0]), ("y", p[1]), ("vx", v[0]), ("vy", v[1])] {
        let lines = format!("of = \"{of}\"\nat_time = {time:?}");
        scene.claim(&format!("{of} {field} at {time}"), &format!("value.{field}"), &lines, due);
    }
}

#[test]
fn orbits_about_a_fixed_centre_are_keplers_to_the_second_order() {
    for (case, dt) in orbits("f12.kepler.").iter().zip([1.0 / 300.0, 1.0 / 300.0, 1.0 / 8000.0]) {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let (mu, a, e) = (number(&inputs["mu"]), number(&inputs["a"]), number(&inputs["e"]));
        let times = list(&inputs["sample_times"]);
        let period = number(&outputs["period"]);
        let mut scene = Written::new(0.0, times[3].max(1.2 * period), "density = 1\nfriction = 0\nrestitution = 0");
        scene.body("heap", "kind = \"static\"\nshape = { disc = 0.001 }\nat = [0, 0]");
        let speed = number(&outputs["periapsis_speed"]);
        let lines =
            format!("shape = {{ disc = 0.001 }}\nmass = 2\nat = [{:?}, 0]\nvelocity = [0, {speed:?}]", a * (1.0 - e));
        scene.body("comet", &lines);
        let _ = writeln!(
            scene.text,
            "[[apart]]\nbetween = [\"heap\", \"comet\"]\n[[force]]\non = \"comet\"\nby = \"heap\"\n\
             force = [\"-{mu:?} * mass * dx / r^3\", \"-{mu:?} * mass * dy / r^3\"]\npotential = \"-{mu:?} * mass / r\""
        );
        for (number, &time) in times.iter().enumerate() {
            let (place, velocity) = (&outputs["position_at"][number], &outputs["velocity_at"][number]);
            state_claims(&mut scene, "comet", time, place, velocity);
        }
        let of = "of = \"comet\"";
        let turn = format!("{of}\nbecomes = \"y > 0 and x > 0\"\nwindow = [{:?}, {:?}]", 0.5 * period, 1.2 * period);
        scene.claim("period", "time.when", &turn, period);
        let measured = |measure: &str| format!("{of}\nmeasure = \"{measure}\"\nwindow = [0, {:?}]", 1.1 * period);
        scene.claim("far", "measure.largest", &measured("hypot(x, y)"), number(&outputs["apoapsis_distance"]));
        scene.claim("slowest", "measure.smallest", &measured("speed"), number(&outputs["apoapsis_speed"]));
        scene.claim("fastest", "measure.largest", &measured("speed"), speed);
        let energy = format!("{of}\nat_time = {:?}\nmeasure = \"speed^2 / 2 - {mu:?} / hypot(x, y)\"", times[3]);
        scene.claim("energy", "value.measure", &energy, number(&outputs["specific_energy"]));
        let momentum = format!("{of}\nat_time = {:?}\nmeasure = \"x * vy - y * vx\"", times[3]);
        scene.claim("momentum", "value.measure", &momentum, number(&outputs["specific_ang_momentum"]));
        scene.falls_with_order(&case["id"], dt, "builtin", 2.0, 1e-9);
    }
}

#[test]
fn two_bodies_that_attract_each_other_go_about_their_centre_to_the_second_order() {
    for case in orbits("f12.twobody.") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let of = |name: &str| number(&inputs[name]);
        let times = list(&inputs["sample_times"]);
        let mut scene = Written::new(0.0, times[2], "density = 1\nfriction = 0\nrestitution = 0");
        let body = |mass: f64, x: f64, vy: f64| {
            format!("shape = {{ disc = 0.001 }}\nmass = {mass:?}\nat = [{x:?}, 0]\nvelocity = [0, {vy:?}]")
        };
        scene.body("ingot", &body(of("m1"), 0.0, 0.0));
        scene.body("wagon", &body(of("m2"), of("distance"), of("relative_speed")));
        // Both are named by both selectors, and are one pair; masses are those of the body and of its partner.
        let _ = writeln!(
            scene.text,
            "[set]\nG = {{ value = {:?}, about = \"of gravitation\" }}\n[[force]]\non = \"*\"\nby = \"*\"\n\
             force = [\"-G * mass * by.mass * dx / r^3\", \"-G * mass * by.mass * dy / r^3\"]\npotential = \"-G * mass * by.mass / r\"",
            of("G")
        );
        for (number, &time) in times.iter().enumerate() {
            for (body, index) in [("ingot", "1"), ("wagon", "2")] {
                let at = |what: &str| &outputs[format!("{what}{index}_at")][number];
                state_claims(&mut scene, body, time, at("position"), at("velocity"));
            }
        }
        let energy =
            "sum(mass * speed^2 / 2) - G * ingot.mass * wagon.mass / hypot(ingot.x - wagon.x, ingot.y - wagon.y)";
        let lines = format!("measure = \"{energy}\"\nat_time = {:?}", times[2]);
        scene.claim("energy", "value.measure", &lines, number(&outputs["total_energy"]));
        scene.falls_with_order(&case["id"], 1.0 / 300.0, "builtin", 2.0, 1e-9);
        // What the two push each other with is equal and opposite: their momentum stays to the last digits.
        let mut balance = Written { text: scene.text.clone(), due: BTreeMap::new() };
        let due = of("m2") * of("relative_speed");
        balance.text.truncate(balance.text.find("[[claim]]").unwrap());
        balance.claim("momentum", "value.measure", "measure = \"sum(mass * vy)\"", due);
        assert!(balance.errors(1.0 / 100.0, "builtin")["momentum"] < 1e-13);
    }
}

#[test]
fn landings_and_hops_of_a_ball_are_found_between_frames() {
    for case in others("f02.drop.") {
        let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
        let of = |name: &str| number(&inputs[name]);
        let (gap, radius, g) = (of("drop_gap"), of("radius").max(0.01), of("g"));
        let landings = list(&outputs["impact_times"]);
        let counted = landings.len().min(4);
        let end = if landings.len() > counted {
            0.5 * (landings[counted - 1] + landings[counted])
        } else {
            landings[counted - 1] + 0.3
        };
        let material = format!("density = 1\nfriction = 0\nrestitution = {:?}", of("restitution"));
        let mut scene = Written::new(-g, end, &material);
        scene.body("quay", "kind = \"static\"\nshape = { half_plane = [0, 1] }\nat = [0, 0]");
        let lines = format!(
            "shape = {{ disc = {radius:?} }}\nat = [0, {:?}]\nvelocity = [0, {:?}]\nswept = true",
            gap + radius,
            of("v0")
        );
        scene.body("ball", &lines);
        for (number, landing) in landings.iter().take(counted).enumerate() {
            let lines = format!("of = \"ball\"\nagainst = \"quay\"\nnth = {}", number + 1);
            scene.claim(&format!("landing {number}"), "time.impact", &lines, *landing);
        }
        scene.claim("last landing", "time.impact", "of = \"ball\"\nnth = \"last\"", landings[counted - 1]);
        let fast = format!(
            "of = \"ball\"\nmeasure = \"speed\"\nwindow = [0, {:?}]",
            landings[0] + 0.5 * (end - landings[0]).min(0.1)
        );
        scene.claim("fastest", "measure.largest", &fast, number(&outputs["first_impact_speed"]));
        let heights = list(&outputs["rebound_heights"]);
        for (number, hop) in landings.windows(2).take(counted - 1).enumerate() {
            let middle = 0.5 * (hop[0] + hop[1]);
            let half = 0.3 * (hop[1] - hop[0]);
            let lines = format!(
                "of = \"ball\"\nmeasure = \"y - {radius:?}\"\nwindow = [{:?}, {:?}]",
                middle - half,
                middle + half
            );
            scene.claim(&format!("hop {number}"), "measure.largest", &lines, heights[number]);
        }
        // Where a frame lies is known to a step only: the way is asked for where the ball rests, if it comes to rest.
        if let Some(path) = outputs["total_path"].as_f64().filter(|_| of("restitution") < 0.6) {
            let mut way = Written { text: scene.text.clone(), due: BTreeMap::new() };
            way.text.truncate(way.text.find("[[claim]]").unwrap());
            way.text = way.text.replacen(
                &format!("duration = {end:?}"),
                &format!("duration = {:?}", number(&outputs["total_time"]) + 0.5),
                1,
            );
            way.claim("way", "way.length", "of = \"ball\"", path);
            let error = way.errors(1.0 / 960.0, "builtin")["way"];
            assert!(error < 2e-3, "{}: {error:e}", case["id"]);
        }
        scene.falls_with_order(&case["id"], 1.0 / 240.0, "builtin", 2.0, 2e-6);
        scene.falls_with_order(&case["id"], 1.0 / 240.0, "builtin:solver=event", 2.0, 2e-6);
    }
}

#[test]
fn tops_and_landings_of_throws_are_found_between_frames() {
    for (start, floor) in [("f01.throw.", 1e-9), ("f01.damped.", 1e-7)] {
        for case in others(start) {
            let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
            let of = |name: &str| number(&inputs[name]);
            let (speed, angle) = (of("speed"), of("angle_deg"));
            let landing = number(&outputs["landing_time"]);
            let mut scene = Written::new(-of("g"), landing + 0.5, "density = 1\nfriction = 0\nrestitution = 0");
            let damping = inputs["c"].as_f64().map_or_else(String::new, |c| format!("damping = {c:?}"));
            let lines = format!(
                "shape = {{ disc = 0.01 }}\nat = [0, {:?}]\nvelocity = [\"{speed:?} * cos({angle:?} deg)\", \"{speed:?} * sin({angle:?} deg)\"]\n{damping}",
                of("start_height")
            );
            scene.body("slag", &lines);
            let slag = "of = \"slag\"";
            if number(&outputs["apex_time"]) > 0.0 {
                let top = format!("{slag}\nbecomes = \"vy < 0\"");
                scene.claim("top", "time.when", &top, number(&outputs["apex_time"]));
                let height = format!("{slag}\nmeasure = \"y\"");
                scene.claim("height", "measure.largest", &height, number(&outputs["apex_height"]));
            }
            scene.claim("landing", "time.when", &format!("{slag}\nbecomes = \"y < 0 and vy < 0\""), landing);
            scene.claim("range", "value.x", &format!("{slag}\nat_time = {landing:?}"), number(&outputs["range"]));
            for (number_of, &time) in list(&inputs["sample_times"]).iter().enumerate() {
                for field in ["x", "y"] {
                    let due = number(&outputs[format!("{field}_at")][number_of]);
                    let lines = format!("{slag}\nat_time = {time:?}");
                    scene.claim(&format!("{field} {number_of}"), &format!("value.{field}"), &lines, due);
                }
            }
            scene.falls_with_order(&case["id"], 1.0 / 60.0, "builtin", 2.0, floor);
        }
    }
}

#[test]
fn oscillators_of_a_list_are_where_the_law_has_them_at_any_time() {
    let case = &others("f08.oscillator.1")[0];
    let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
    let times = list(&inputs["sample_times"]);
    let mut scene = Written::new(0.0, times[3], "density = 1\nfriction = 0\nrestitution = 0");
    let head = format!(
        "[set]\nm = {{ values = {}, about = \"masses\" }}\nk = {{ values = {}, about = \"stiffnesses\" }}\nc = {{ values = {}, about = \"dampers\" }}\nx0 = {{ values = {}, about = \"starts\" }}\nv0 = {{ values = {}, about = \"speeds\" }}\n[world]",
        inputs["m"], inputs["k"], inputs["c"], inputs["x0"], inputs["v0"]
    );
    scene.text = scene.text.replacen("[world]", &head, 1);
    scene.body(
        "wall",
        "kind = \"static\"\nrepeat = { i = \"count(m)\" }\nshape = { disc = 0.01 }\nat = [-5, \"10 * i\"]",
    );
    let lines = "repeat = { i = \"count(m)\" }\nshape = { disc = 0.01 }\nmass = \"m[i]\"\nat = [\"x0[i]\", \"10 * i\"]\nvelocity = [\"v0[i]\", 0]";
    scene.body("casting", lines);
    let _ = writeln!(
        scene.text,
        "[[joint]]\nkind = \"spring\"\nrepeat = {{ i = \"count(m)\" }}\nbetween = [\"wall[i]\", \"casting[i]\"]\nlength = 5\nstiffness = \"k[i]\"\ndamping = \"c[i]\""
    );
    for (row, time) in times.iter().enumerate() {
        // One table for all four of them; what each should be stands in the case.
        let (name, text) = (format!("x at {time}"), &mut scene.text);
        let _ = writeln!(
            text,
            "[[claim]]\nname = \"{name}\"\nfor = {{ i = \"0..count(m)\" }}\ngauge = \"value.x\"\nof = \"casting[i]\"\nat_time = {time:?}\nat_least = -1e9\nbecause = \"the law of the case\""
        );
        for i in 0..4 {
            scene.due.insert(format!("{name}[{i}]"), number(&outputs["x_at"][i][row]));
        }
    }
    scene.falls_with_order(&case["id"], 1.0 / 480.0, "builtin", 2.0, 1e-7);
}

#[test]
fn a_chain_of_masses_is_where_its_mode_has_it_at_any_time() {
    let case = &others("f08.fixedchain.1")[0];
    let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
    let of = |name: &str| number(&inputs[name]);
    let times = list(&inputs["sample_times"]);
    let count = of("N");
    let mut scene = Written::new(0.0, times[2], "density = 1\nfriction = 0\nrestitution = 0");
    scene.body(
        "wall",
        &format!(
            "kind = \"static\"\nrepeat = {{ i = 2 }}\nshape = {{ disc = 0.01 }}\nat = [\"i * {:?}\", 0]",
            count + 1.0
        ),
    );
    let lines = format!(
        "repeat = {{ i = {count} }}\nshape = {{ disc = 0.01 }}\nmass = {:?}\nat = [\"i + 1 + {:?} * sin((i + 1) * {:?} * pi / {:?})\", 0]",
        of("m"),
        of("amplitude"),
        of("mode"),
        count + 1.0
    );
    scene.body("link", &lines);
    let spring = format!("length = 1\nstiffness = {:?}", of("k"));
    let _ = writeln!(
        scene.text,
        "[[joint]]\nkind = \"spring\"\nbetween = [\"wall[0]\", \"link[0]\"]\n{spring}\n[[joint]]\nkind = \"spring\"\nbetween = [\"link[{count}-1]\", \"wall[1]\"]\n{spring}\n\
         [[joint]]\nkind = \"spring\"\nrepeat = {{ i = \"{count} - 1\" }}\nbetween = [\"link[i]\", \"link[i+1]\"]\n{spring}"
    );
    for (row, time) in times.iter().enumerate() {
        for (i, due) in list(&outputs["u_at"][row]).into_iter().enumerate() {
            let lines = format!("of = \"link[{i}]\"\nat_time = {time:?}\nmeasure = \"x - {}\"", i + 1);
            scene.claim(&format!("u{i} at {time}"), "value.measure", &lines, due);
        }
    }
    scene.falls_with_order(&case["id"], 1.0 / 480.0, "builtin", 2.0, 1e-7);
}

#[test]
fn the_lowest_point_and_the_largest_speed_of_a_hanging_mass_lie_between_frames() {
    let case = &others("f13.spring.1")[0];
    let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
    for side in ["base", "scaled"] {
        let of = |name: &str| number(&outputs[format!("{side}_{name}")]);
        let length = number(&inputs["rest_length"]) * if side == "base" { 1.0 } else { number(&inputs["scale"]) };
        let mut scene =
            Written::new(-number(&inputs["g"]), 1.1 * of("period"), "density = 1\nfriction = 0\nrestitution = 0");
        scene.body("hook", "kind = \"static\"\nshape = { disc = 0.01 }\nat = [0, 0]");
        scene.body("weight", &format!("shape = {{ disc = 0.01 }}\nmass = {:?}\nat = [0, {:?}]", of("mass"), -length));
        let _ = writeln!(
            scene.text,
            "[[joint]]\nkind = \"spring\"\nbetween = [\"hook\", \"weight\"]\nlength = {length:?}\nstiffness = {:?}",
            of("stiffness")
        );
        let measured = |measure: &str| format!("of = \"weight\"\nmeasure = \"{measure}\"");
        scene.claim("lowest", "measure.smallest", &measured(&format!("y + {length:?}")), -of("lowest_extension"));
        scene.claim("fastest", "measure.largest", &measured("speed"), of("max_speed"));
        let back = format!(
            "of = \"weight\"\nbecomes = \"vy < 0 and t > 0.5 * {:?}\"\nwindow = [{:?}, {:?}]",
            of("period"),
            0.6 * of("period"),
            1.1 * of("period")
        );
        scene.claim("period", "time.when", &back, of("period"));
        scene.falls_with_order(&case["id"], 1.0 / 240.0, "builtin", 2.0, 1e-9);
    }
}

#[test]
fn a_rod_pendulum_is_fastest_at_the_bottom_and_comes_back_after_its_period() {
    let case = &others("f07.compound.1")[0];
    let (inputs, outputs) = (&case["inputs"], &case["outputs"]);
    let length = number(&inputs["length"]);
    for (index, amplitude) in list(&inputs["amplitudes_deg"]).into_iter().enumerate().skip(1).step_by(3) {
        let period = number(&outputs["period"][index]);
        let mut scene =
            Written::new(-number(&inputs["g"]), 1.15 * period, "density = 1\nfriction = 0\nrestitution = 0");
        scene.body("hook", "kind = \"static\"\nshape = { disc = 0.01 }\nat = [0, 0]");
        // A thin rod: its moment of inertia about its middle is m l^2 / 12, whatever it looks like.
        let half = 0.5 * length;
        let _ = writeln!(
            scene.text,
            "[[body]]\nname = \"rod\"\nmaterial = \"m\"\nshape = {{ box = [0.01, {length:?}] }}\nmass = 1\ninertia = {:?}\nat = [\"{half:?} * sin({amplitude:?} deg)\", \"-{half:?} * cos({amplitude:?} deg)\"]\nangle = \"{amplitude:?} deg\"\n\
             [[joint]]\nkind = \"hinge\"\nbetween = [\"hook\", \"rod\"]\nat = [0, 0]",
            length * length / 12.0
        );
        let of = "of = \"rod\"";
        scene.claim(
            "fastest",
            "measure.largest",
            &format!("{of}\nmeasure = \"abs(spin)\""),
            number(&outputs["max_ang_speed"][index]),
        );
        let back = format!("{of}\nbecomes = \"spin < 0\"\nwindow = [{:?}, {:?}]", 0.7 * period, 1.15 * period);
        scene.claim("period", "time.when", &back, period);
        for (row, time) in
            list(&inputs["sample_times"]).into_iter().enumerate().filter(|(_, time)| *time < 1.1 * period)
        {
            let lines = format!("{of}\nat_time = {time:?}\nmeasure = \"angle\"");
            scene.claim(&format!("angle at {time}"), "value.measure", &lines, number(&outputs["theta_at"][index][row]));
        }
        scene.falls_with_order(&case["id"], 1.0 / 480.0, "builtin", 2.0, 2e-6);
    }
}
