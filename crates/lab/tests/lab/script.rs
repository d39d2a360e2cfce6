//! Scenes whose scripts need the bench while they run: conditions, bodies that come and go, gravity that changes, features.

use ironspin_lab::{Answer, GridOrder, TrialRecord, plan_grid, run_trial, run_trial_on};
use ironspin_model::{Dimension, Engine, EngineError, EngineInfo, FrameSink, Verdict, World};

const HEAD: &str = "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, -10]\nduration = 2\nbounds = { min = [-9, -99], max = [9, 9] }\n\
    [material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n";

fn plan(tables: &str) -> ironspin_lab::TrialPlan {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("x.toml");
    std::fs::write(&path, format!("{HEAD}{tables}")).unwrap();
    let order =
        GridOrder::plain(vec![path.display().to_string()], vec!["builtin".to_owned()], vec!["1/100".parse().unwrap()]);
    plan_grid(&order).unwrap_or_else(|error| panic!("{error}")).remove(0)
}

fn run(tables: &str) -> TrialRecord {
    run_trial(&plan(tables))
}

const BALL: &str = "[[body]]\nname = \"ball\"\nshape = { disc = 0.1 }\nat = [0, 5]\nmaterial = \"iron\"\n";

#[test]
fn a_condition_acts_once_before_the_step_after_it_came_true() {
    let record = run(&format!("{BALL}[[action]]\nwhen = \"y < 2\"\non = \"ball\"\nvelocity = [0, 0]\n"));
    // Free fall from 5 m reaches 2 m at sqrt(0.6) s: after 78 steps. From there it falls again.
    let fallen = |time: f64| 5.0 * time * time;
    let end = record.recording.end[0].pose.position.y;
    let expected = 5.0 - fallen(0.78) - fallen(2.0 - 0.78);
    assert!((end - expected).abs() < 1e-9, "{end} for {expected}");
}

#[test]
fn a_force_on_a_condition_lasts() {
    let record =
        run(&format!("{BALL}[[action]]\nwhen = \"t >= 0.5\"\non = \"ball\"\nforce = [\"mass\", 0]\nfor_time = 0.25\n"));
    let speed = record.recording.end[0].velocity.x;
    assert!((speed - 0.25).abs() < 1e-12, "{speed}");
}

#[test]
fn bodies_come_and_go_without_an_error() {
    let record = run(&format!(
        "{BALL}[[body]]\nname = \"late\"\nabsent = true\nshape = {{ disc = 0.1 }}\nat = [3, 5]\nmaterial = \"iron\"\n\
         [[action]]\nat_time = 0.5\non = \"late\"\nadd = true\n[[action]]\nat_time = 1\non = \"ball\"\nremove = true\n\
         [[claim]]\ngauge = \"escape.count\"\nat_most = 0\nbecause = \"who is not there has not escaped\"\n\
         [[claim]]\ngauge = \"overlap.deepest\"\nat_most = 0\nbecause = \"they never meet\"\n\
         [[claim]]\ngauge = \"jitter.speed\"\nof = \"late\"\nat_least = 1\nbecause = \"it falls\"\n\
         [[claim]]\ngauge = \"momentum.balance\"\nof = \"ball, late\"\nat_most = 1e-9\nbecause = \"the steps in which both are there\"\n"
    ));
    assert_eq!(record.verdict, Verdict::Pass, "{} {:?}", record.reason, record.claims);
    assert!(
        record.recording.end[0].is_absent()
            && (record.recording.end[1].pose.position.y - 5.0 + 5.0 * 1.5 * 1.5).abs() < 1e-9
    );
}

#[test]
fn a_split_keeps_the_motion_of_the_whole() {
    let record = run(
        "[[body]]\nname = \"plate\"\nshape = { box = [2, 0.2] }\nat = [0, 5]\nspin = 2\nmaterial = \"iron\"\n\
         [[body]]\nname = \"half\"\nrepeat = { i = 2 }\nabsent = true\nshape = { box = [1, 0.2] }\nat = [\"i - 0.5\", 0]\nmaterial = \"iron\"\n\
         [[action]]\nat_time = 1\non = \"plate\"\nsplit = \"half\"\n",
    );
    assert_eq!(record.verdict, Verdict::Pass, "{}", record.reason);
    let end = &record.recording.end;
    // Half a metre from the centre at 2 rad/s: 1 m/s against each other, and each goes on turning.
    let apart = (end[2].velocity - end[1].velocity).length();
    assert!(end[0].is_absent() && (apart - 2.0).abs() < 1e-9 && (end[1].spin.z - 2.0).abs() < 1e-12, "{apart}");
}

#[test]
fn gauges_follow_gravity_that_changes() {
    let record = run(&format!(
        "{BALL}[[action]]\nat_time = 1\ngravity = [0, 2]\n\
         [[claim]]\ngauge = \"momentum.balance\"\nof = \"ball\"\nat_most = 1e-9\nbecause = \"gravity explains every change\"\n"
    ));
    assert_eq!(record.verdict, Verdict::Pass, "{:?}", record.claims);
    let end = record.recording.end[0].velocity.y;
    assert!((end - (-10.0 + 2.0)).abs() < 1e-9, "{end}");
}

#[test]
fn rays_and_forecasts_are_answered_without_changing_the_trial() {
    let tables = format!(
        "{BALL}[[body]]\nname = \"post\"\nkind = \"static\"\nshape = {{ box = [1, 1] }}\nat = [4, 5]\nmaterial = \"iron\"\n\
         [[action]]\nat_time = 0.5\non = \"ball\"\nvelocity = [1, 0]\n"
    );
    let plain = run(&tables);
    let asked = run(&format!(
        "{tables}[[action]]\nat_time = 0\nray = {{ from = [-3, 5], to = [9, 5] }}\n\
         [[action]]\nat_time = 1\nray = {{ from = [-3, 5], to = [9, 5] }}\n\
         [[action]]\nat_time = 1.5\nray = {{ from = [0, 8], to = [1, 9] }}\n\
         [[action]]\nat_time = 0.2\nforecast = {{ horizon = 1 }}\n[[action]]\nat_time = 1.9\nforecast = {{ horizon = 1 }}\n"
    ));
    assert_eq!(plain.recording.end, asked.recording.end, "asking changes nothing");
    let hits: Vec<Option<(usize, f64)>> = asked
        .probes
        .iter()
        .filter_map(|probe| match &probe.answer {
            Answer::Ray(hit) => Some(hit.map(|hit| (hit.body, (hit.distance * 1e6).round()))),
            Answer::Forecast { .. } => None,
        })
        .collect();
    // The ball has fallen out of the way by the second ray.
    assert_eq!(hits, [Some((0, 2_900_000.0)), Some((1, 6_500_000.0)), None]);
    let forecasts: Vec<&Answer> = asked
        .probes
        .iter()
        .map(|probe| &probe.answer)
        .filter(|answer| matches!(answer, Answer::Forecast { .. }))
        .collect();
    assert!(
        matches!(forecasts[0], Answer::Forecast { worst: Some((0.0, 0)), .. }),
        "a copy goes the same way: {forecasts:?}"
    );
    assert!(matches!(forecasts[1], Answer::Forecast { worst: None, .. }), "the trial ended before");
}

/// An engine that can do nothing in particular.
struct Plain;

impl Engine for Plain {
    fn info(&self) -> EngineInfo {
        EngineInfo {
            spaces: Dimension::PLANE_ONLY.to_vec(),
            name: "plain".into(),
            version: "1".into(),
            options: Vec::new(),
            scalar: Default::default(),
            features: vec!["swept".into()],
        }
    }
    fn build(&mut self, _: &World, _: &ironspin_model::Conditions) -> Result<(), EngineError> {
        panic!("never asked")
    }
    fn advance(&mut self, _: &[f64], _: &mut FrameSink<'_>) -> Result<(), EngineError> {
        panic!("never asked")
    }
}

#[test]
fn what_an_engine_does_not_list_is_never_asked() {
    let two = format!(
        "{BALL}[[body]]\nname = \"post\"\nkind = \"static\"\nshape = {{ disc = 0.1 }}\nat = [1, 5]\nmaterial = \"iron\"\n"
    );
    for (tables, feature) in [
        (format!("{two}[[joint]]\nkind = \"hinge\"\nbetween = [\"post\", \"ball\"]\nat = [1, 5]\n"), "joint.hinge"),
        (format!("{two}[[apart]]\nbetween = [\"post\", \"ball\"]\n"), "filter"),
        (format!("{BALL}gravity_factor = 2\n"), "body_gravity"),
        (format!("[engine]\nneeds = [\"restore\", \"swept\"]\n{BALL}"), "restore"),
    ] {
        let record = run_trial_on(&plan(&tables), Ok(Box::new(Plain)));
        assert_eq!(record.verdict, Verdict::Unsupported, "{feature}");
        assert!(record.reason.contains(feature), "{}", record.reason);
    }
}
