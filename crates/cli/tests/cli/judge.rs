//! Traces: written by `run`, judged, played back, and doctored.

use crate::util::{Yard, claim};

/// The figures of all claims of the first trial: gauge, bodies, value as text, verdict.
fn figures(result: &serde_json::Value) -> Vec<String> {
    let claims = result["trials"][0]["claims"].as_array().expect("claims");
    claims
        .iter()
        .map(|claim| format!("{} {} {} {}", claim["gauge"], claim["of"], claim["measured"], claim["verdict"]))
        .collect()
}

fn judged(yard: &Yard, status: i32, line: &str) -> serde_json::Value {
    let answer = yard.expect(status, &format!("judge {line} --format json"));
    serde_json::from_str(&answer.out).expect("JSON on standard output")
}

#[test]
fn a_trace_of_ones_own_has_the_same_figures_to_the_last_digit() {
    let yard = Yard::new();
    for (scene, options) in [
        ("bearing-drop", ""),
        ("wagon-count", ""),
        ("ingot-stack", "--set count=4"),
        ("casting-split", ""),
        ("gate-layers", ""),
        ("turnstile", ""),
        ("yard-edge", ""),
        ("contact-thrift", ""),
        ("solid-drop", ""),
        ("solid-bearings", ""),
        ("solid-tower", "--set count=3 --set span=2"),
        ("solid-tumble", ""),
        ("hammer-pad", ""),
        ("bellows-size", ""),
    ] {
        for format in ["csv", "parquet"] {
            let run =
                yard.json(0, &format!("{scene} {options} --trace traces --trace-format {format} --engine builtin"));
            let trace = format!("traces/{scene}_1-60_builtin.{format}");
            let judged = judged(&yard, 0, &format!("{scene} {trace} {options}"));
            assert_eq!(figures(&judged), figures(&run), "{scene} {format}");
            let played = yard.json(0, &format!("{scene} {options} --engine trace:{trace}"));
            assert_eq!(figures(&played), figures(&run), "{scene} {format}, played back");
        }
    }
}

#[test]
fn a_trace_in_pixels_with_y_down_is_judged_by_the_same_claims() {
    let yard = Yard::new();
    // A drop from 2 m as a screen sees it: 100 pixels a metre, milliseconds.
    let mut text = "time,body,x,y,vx,vy\n".to_owned();
    for step in 0..=160 {
        let t = f64::from(step) / 60.0;
        let height = (2.25 - 0.5 * 9.81 * t * t).max(0.25);
        let fall = if height > 0.25 { 0.1 * 9.81 * t } else { 0.0 };
        text.push_str(&format!("{},ingot,0,{},0,{fall}\n", 1000.0 * t, -100.0 * height));
    }
    yard.write("screen.csv", &text);
    let line = "first-drop screen.csv --up minus-y --pixels-per-metre 100 --ticks-per-second 1000";
    let right = judged(&yard, 0, line);
    assert_eq!(claim(&right, "fall.ratio", "ingot")["verdict"], "pass");
    // Without the options the mistake is named.
    let wrong = judged(&yard, 1, "first-drop screen.csv --ticks-per-second 1000");
    let detail = claim(&wrong, "fall.ratio", "ingot")["detail"].as_str().unwrap().to_owned();
    assert!(detail.contains("has gravity the wrong sign, or does y point down?"), "{detail}");
}

#[test]
fn a_doctored_trace_fails_the_claim_that_it_breaks_and_no_other() {
    let yard = Yard::new();
    yard.expect(0, "run flywheel --trace traces --engine builtin -q");
    let sound = yard.read("traces/flywheel_1-60_builtin.csv");
    // The wheel loses a ten-thousandth of its spin in one step halfway.
    let mut changed = String::new();
    for line in sound.lines() {
        let mut cells: Vec<String> = line.split(',').map(str::to_owned).collect();
        let step: u64 = cells[0].parse().unwrap_or(0);
        if cells.len() == 9 && cells[2] == "wheel" && step > 60 {
            cells[8] = format!("{:?}", cells[8].parse::<f64>().unwrap() * 0.9999);
        }
        changed.push_str(&cells.join(","));
        changed.push('\n');
    }
    yard.write("doctored.csv", &changed);
    let result = judged(&yard, 1, "flywheel doctored.csv");
    let failed: Vec<String> = figures(&result).into_iter().filter(|line| line.contains("\"fail\"")).collect();
    assert_eq!(failed.len(), 3, "{failed:?}");
    assert!(failed[0].starts_with("\"value.spin\" \"wheel\""), "{failed:?}");
    assert!(failed[1].contains("angular.balance") && failed[2].contains("energy.drift"), "{failed:?}");
}

#[test]
fn what_is_wrong_with_a_trace_is_told_with_its_line_and_ends_with_status_2() {
    let yard = Yard::new();
    yard.write("slip.csv", "time,body,x,y\n0,ignot,0,2.25\n");
    let answer = yard.expect(2, "judge first-drop slip.csv --dt 1/60");
    assert!(answer.err.contains("slip.csv:2: `ignot` is no body of the scene"), "{}", answer.err);
    assert!(answer.err.contains("did you mean `ingot`?"), "{}", answer.err);
    let answer = yard.expect(2, "judge first-drop nowhere.csv");
    assert!(answer.err.contains("cannot read the trace `nowhere.csv`"), "{}", answer.err);
    let answer = yard.expect(2, "judge first-drop slip.txt");
    assert!(answer.err.contains("neither .csv nor .parquet"), "{}", answer.err);
    assert!(answer.out.is_empty());
}

#[test]
fn a_lying_trace_is_an_error_of_its_engine() {
    let yard = Yard::new();
    yard.write("lost.csv", "time,body,x,y\n0,ingot,0,2.25\n0.1,ingot,nan,2\n0.2,ingot,0,2\n");
    let result = judged(&yard, 3, "first-drop lost.csv");
    let reason = result["trials"][0]["reason"].as_str().unwrap().to_owned();
    assert!(reason.contains("`ingot` is not finite at step 1"), "{reason}");
    yard.write("blown.csv", "time,body,x,y\n0,ingot,0,2.25\n0.1,ingot,1e9,2\n0.2,ingot,5e9,2\n");
    let result = judged(&yard, 3, "first-drop blown.csv");
    assert!(result["trials"][0]["reason"].as_str().unwrap().contains("it blew up: `ingot`"));
}

#[test]
fn what_a_trace_cannot_answer_is_unsupported() {
    let yard = Yard::new();
    yard.expect(0, "run rivet-ray --trace traces -q");
    let result = judged(&yard, 0, "rivet-ray traces/rivet-ray_1-60_builtin.csv");
    assert_eq!(result["trials"][0]["verdict"], "unsupported");
    assert_eq!(claim(&result, "value.x", "rivet")["verdict"], "pass");
}
