//! Claims held against a trace: the same figures as while it was run, and what a trace cannot tell.

use crate::yard::{FALL, Yard, fall, place};
use ironspin_lab::{JudgeError, JudgeOrder, TrialRecord, judge_trace, keep_traces, run_trial};
use ironspin_model::Verdict;
use ironspin_trace::{Conventions, TraceFormat, Upward};
use std::path::{Path, PathBuf};

/// Runs a scene and keeps its frames; the record and the trace.
fn recorded(yard: &Yard, folder: &Path, format: TraceFormat) -> (TrialRecord, PathBuf) {
    std::fs::create_dir_all(folder).unwrap();
    let mut plans = yard.plans(&[]);
    keep_traces(&mut plans, folder, format);
    let record = run_trial(&plans[0]);
    let trace = record.trace.clone().unwrap().unwrap();
    (record, trace)
}

fn figures(record: &TrialRecord) -> Vec<(&'static str, Option<u64>, Verdict)> {
    record.claims.iter().map(|claim| (claim.gauge.name, claim.measured.map(f64::to_bits), claim.verdict)).collect()
}

#[test]
fn a_trace_gives_the_figures_of_its_trial_to_the_bit() {
    let (yard, (_folder, place)) = (fall(), place());
    for format in [TraceFormat::Csv, TraceFormat::Parquet] {
        let (record, trace) = recorded(&yard, &place, format);
        assert!(trace.file_name().unwrap().to_str().unwrap().starts_with("fall_1-50_builtin."), "{trace:?}");
        let (judged, notes) = judge_trace(&JudgeOrder::plain(&yard.scene, &trace)).unwrap();
        assert_eq!((figures(&judged), judged.verdict, judged.steps), (figures(&record), Verdict::Pass, 50));
        assert!(notes.is_empty(), "{notes:?}");
        assert_eq!(judged.plan.conditions.dt.text, "1/50");
    }
}

#[test]
fn parameters_and_steps_of_a_trace_can_be_told() {
    let (yard, (_folder, place)) = (fall(), place());
    let (_, trace) = recorded(&yard, &place, TraceFormat::Csv);
    let off = JudgeOrder { set: vec![("off".to_owned(), "1".to_owned())], ..JudgeOrder::plain(&yard.scene, &trace) };
    let (judged, _) = judge_trace(&off).unwrap();
    assert_eq!(
        (judged.verdict, judged.claims[0].verdict, judged.claims[1].verdict),
        (Verdict::Fail, Verdict::Fail, Verdict::Pass)
    );
    let words = judged.plan.arguments().join(" ");
    assert!(words.starts_with("judge ") && words.ends_with("--set off=1"), "{words}");
    // Its heads gone, the step is worked out from the frames.
    let bare: String = std::fs::read_to_string(&trace)
        .unwrap()
        .lines()
        .filter(|line| !line.starts_with('#'))
        .map(|line| line.to_owned() + "\n")
        .collect();
    std::fs::write(&trace, bare).unwrap();
    let (judged, _) = judge_trace(&JudgeOrder::plain(&yard.scene, &trace)).unwrap();
    assert_eq!((judged.plan.conditions.dt.text.as_str(), judged.verdict), ("1/50", Verdict::Pass));
}

#[test]
fn a_trace_upside_down_is_wrong_until_it_is_said_so() {
    let (yard, (_folder, place)) = (fall(), place());
    let (_, trace) = recorded(&yard, &place, TraceFormat::Csv);
    let turned: String = std::fs::read_to_string(&trace)
        .unwrap()
        .lines()
        .map(|line| {
            let mut cells: Vec<String> = line.split(',').map(str::to_owned).collect();
            if line.starts_with('#') || cells[0] == "step" {
                return line.to_owned() + "\n";
            }
            for place in [4, 5, 7, 8] {
                cells[place] = format!("{:?}", -cells[place].parse::<f64>().unwrap());
            }
            cells.join(",") + "\n"
        })
        .collect();
    std::fs::write(&trace, turned).unwrap();
    let plain = JudgeOrder::plain(&yard.scene, &trace);
    assert_eq!(judge_trace(&plain).unwrap().0.verdict, Verdict::Fail);
    let conventions = Conventions { up: Upward::MinusY, ..Conventions::default() };
    let (judged, _) = judge_trace(&JudgeOrder { conventions, ..plain }).unwrap();
    assert_eq!(judged.verdict, Verdict::Pass);
    assert!(judged.plan.arguments().join(" ").contains("--up minus-y"));
}

#[test]
fn a_trace_that_ends_early_says_so_and_is_judged_as_far_as_it_goes() {
    let (yard, (_folder, place)) = (fall(), place());
    let (_, trace) = recorded(&yard, &place, TraceFormat::Csv);
    let short: Vec<String> = std::fs::read_to_string(&trace).unwrap().lines().take(30).map(str::to_owned).collect();
    std::fs::write(&trace, short.join("\n") + "\n").unwrap();
    let (judged, notes) = judge_trace(&JudgeOrder::plain(&yard.scene, &trace)).unwrap();
    assert!(
        notes.iter().any(|note| note.contains("the trace ends at") && note.contains("the scene lasts 1 s")),
        "{notes:?}"
    );
    assert_ne!(judged.verdict, Verdict::Pass, "the window of the claim is never reached");
}

#[test]
fn what_only_an_engine_can_answer_is_not_held_against_a_trace() {
    let asking = FALL.replace("window = [1, 1]", "window = [0.99, 1]")
        + "[[body]]\nname = \"post\"\nkind = \"static\"\nshape = { box = [1, 1] }\nat = [5, 0]\nmaterial = \"iron\"\n\
           [[action]]\nat_time = 0.5\nray = { from = [0, 0], to = [9, 0] }\n\
           [[claim]]\ngauge = \"ray.error\"\nat_most = 1e-9\nbecause = \"the post stands there\"\n";
    let (yard, (_folder, place)) = (Yard::new(&asking), place());
    let (record, trace) = recorded(&yard, &place, TraceFormat::Csv);
    assert_eq!(record.verdict, Verdict::Pass, "{} {:?}", record.reason, figures(&record));
    let (judged, _) = judge_trace(&JudgeOrder::plain(&yard.scene, &trace)).unwrap();
    let ray = judged.claims.iter().find(|claim| claim.gauge.name == "ray.error").unwrap();
    assert_eq!(
        (ray.verdict, ray.measured, ray.detail.as_str()),
        (Verdict::Unsupported, None, "a trace cannot be asked")
    );
    assert_eq!(judged.verdict, Verdict::Unsupported);
}

#[test]
fn what_cannot_be_read_is_told_by_which_file_it_is() {
    let (yard, (_folder, place)) = (fall(), place());
    let (_, trace) = recorded(&yard, &place, TraceFormat::Csv);
    let judge = |scene: &str, trace: &Path| judge_trace(&JudgeOrder::plain(scene, trace)).map(drop).unwrap_err();
    assert!(matches!(judge("no-such-scene", &trace), JudgeError::Scene(_)));
    assert!(matches!(judge(&yard.scene, &place.join("none.csv")), JudgeError::Trace(_)));
    let text = std::fs::read_to_string(&trace).unwrap().replace("dt: 1/50", "dt: soon");
    std::fs::write(&trace, text).unwrap();
    assert!(matches!(judge(&yard.scene, &trace), JudgeError::Step(_)));
    // A row that does not belong to its frame is named by its line.
    let text = std::fs::read_to_string(&trace).unwrap().replace("dt: soon", "dt: 1/50");
    std::fs::write(&trace, text.replacen("\n20,", "\n19,", 1)).unwrap();
    let told = judge(&yard.scene, &trace).to_string();
    assert!(told.contains(":27: time 0.4") && told.contains("in a frame of time 0.38"), "{told}");
}
