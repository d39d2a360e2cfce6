//! Broken engines are caught, and the sound one is left alone.

use crate::remote::{library, program, run};
use crate::util::Yard;
use ironspin_engine::faults;

fn proof(yard: &Yard, status: i32, line: &str) -> serde_json::Value {
    let answer = yard.expect(status, &format!("proof {line} --format json"));
    serde_json::from_str(&answer.out).expect("JSON on standard output")
}

/// The small proof: every fault where its entry says, at one step, and the sound engine on all scenes.
#[test]
fn every_fault_is_caught_and_the_sound_engine_left_alone() {
    let yard = Yard::new();
    let proof = proof(&yard, 0, "--quick --out proof");
    assert_eq!(proof["alarms"].as_array().unwrap().len(), 0, "{}", proof["alarms"]);
    let reported = proof["faults"].as_array().unwrap();
    assert_eq!(reported.len(), faults().count());
    for fault in reported {
        assert_eq!(fault["verdict"], "caught", "{fault}");
        let command = fault["command"].as_str().unwrap();
        assert!(command.starts_with("ironspin run ") || command.starts_with("ironspin twin "), "{command}");
    }
    assert_eq!(yard.names(), ["proof"]);
    let kept: serde_json::Value = serde_json::from_str(&yard.read("proof/proof.json")).unwrap();
    assert_eq!(kept, proof);
    let page = yard.read("proof/proof.html");
    assert!(page.contains("are caught, and the sound one is left alone"));
    assert!(!page.contains("http://") && !page.contains("https://"));
}

#[test]
fn a_fault_that_no_scene_of_the_proof_can_see_is_missed() {
    let yard = Yard::new();
    let line = "--quick --fault split-loses-turning --scene first-drop --out kept";
    let proof = proof(&yard, 1, line);
    // An older proof makes way for a newer one.
    yard.expect(1, &format!("proof {line} -q"));
    assert_eq!(proof["faults"][0]["verdict"], "missed");
    let text = yard.expect(1, "proof --quick --fault split-loses-turning --scene first-drop").out;
    assert!(text.contains("0 of 1 faults caught; 1 missed") && text.contains("MISSED  split-loses-turning"), "{text}");
}

#[test]
fn the_smallest_size_that_is_caught_is_found() {
    let yard = Yard::new();
    let proof = proof(&yard, 0, "--fault gravity-short --scene slag-lob --scene ladle-swing");
    let size = &proof["faults"][0]["size"];
    assert_eq!((size["tenth"].as_bool(), size["smallest"].as_f64()), (Some(true), Some(0.005)), "{size}");
    let caught = proof["faults"][0]["caught_by"].as_array().unwrap();
    assert!(caught.iter().any(|capture| capture["claim"] == "period.mean" || capture["claim"] == "path.error"));
}

#[test]
fn an_engine_over_the_wire_or_in_a_library_can_be_broken_as_well() {
    let yard = Yard::new();
    for engine in [format!("cmd:{} serve-engine", program()), format!("lib:{}", library())] {
        let words = ["proof", "--quick", "--fault", "half-sizes,gravity-twice", "--scene", "first-drop", "--engine"];
        let (status, out, err) = run(&yard, &[&words[..], &[&engine]].concat());
        assert_eq!(status, 0, "{out}{err}");
        assert!(out.contains("2 of 2 faults caught; no false alarm"), "{out}");
    }
}

/// Bounds that are made of roundings are those of the engine's own scalar, and no wider for double precision.
#[test]
fn single_precision_is_not_accused_of_its_roundings() {
    let yard = Yard::new();
    let bound = |engine: &str| {
        let (status, out, err) = run(&yard, &["run", "gate-layers", "--engine", engine, "--format", "json"]);
        assert_eq!(status, 0, "{out}{err}");
        let result: serde_json::Value = serde_json::from_str(&out).unwrap();
        result["trials"][0]["claims"][0]["bound"]["equals"]["within"].as_f64().unwrap()
    };
    let served = format!("cmd:{} serve-engine", program());
    let (double, single) = (bound("builtin"), bound("builtin:precision=f32"));
    assert!((double - 1e-9).abs() < 1e-11 && single > 1e-5, "{double} {single}");
    assert_eq!((bound(&served), bound(&format!("{served} :: precision=f32"))), (double, single));
    // A scene written out keeps both.
    yard.write("resolved.toml", &yard.expect(0, "scenes show gate-layers --resolved").out);
    assert_eq!((bound("builtin:precision=f32"), yard.json(0, "resolved.toml --engine builtin:precision=f32")
        ["trials"][0]["claims"][0]["bound"]["equals"]["within"].as_f64().unwrap()), (single, single));
}

#[test]
fn impacts_that_a_step_blurs_are_held_against_nobody() {
    let yard = Yard::new();
    let result = yard.json(0, "bearing-drop --dt 1/30");
    assert_eq!(result["trials"][0]["verdict"], "unsupported");
    assert!(result["trials"][0]["reason"].as_str().unwrap().contains("too slow for this step"), "{result}");
}

#[test]
fn wrong_names_are_told_with_the_nearest() {
    let yard = Yard::new();
    let message = |line: &str| yard.expect(2, line).err;
    assert!(message("proof --fault half-size").contains("did you mean `half-sizes`?"));
    assert!(message("proof --scene first-drip").contains("did you mean `first-drop`?"));
    assert!(message("run first-drop --engine builtin:fault-size=2").contains("a fault that has a size"));
    assert!(
        message("run first-drop --engine builtin:fault=seams-catch,fault-size=2").contains("a fault that has a size")
    );
    assert!(message("run first-drop --engine builtin:fault=half-size").contains("ironspin proof --list"));
    let other = "run first-drop --engine builtin:solver=compliant,fault=joint-drifts";
    assert!(message(other).contains("joint-drifts with solver=compliant"));
    let list = yard.expect(0, "proof --list").out;
    assert!(faults().all(|fault| list.contains(fault.name)), "{list}");
}

/// The page of the documentation is made by the command; a fault or scene that is new must be on it.
#[test]
fn the_documentation_knows_every_fault_and_scene() {
    let page = include_str!("../../../../docs/proof.md");
    for fault in faults() {
        assert!(page.contains(&format!("- **{}**: {}", fault.name, fault.wrong)), "{}", fault.name);
    }
    for scene in ironspin_scene::bundled::names() {
        assert!(page.contains(&format!("| {scene} |")), "{scene}");
    }
}
