//! Tables, documents and pages from real trials.

mod costs;
mod documents;
mod drawings;
mod pages;
mod proofs;
mod searches;
mod terminal;

use ironspin_lab::{GridOrder, TrialRecord, plan_grid, run_trial, run_trial_on};
use ironspin_model::EngineError;
use ironspin_report::{
    Beyond, PageTrial, Scenery, TableStyle, page, picture, result_json, summary_line, trials_csv, verdict_table,
    what_broke,
};

/// A passing, a failing, an unsupported and a crashed trial.
pub(crate) fn records() -> Vec<TrialRecord> {
    let order = GridOrder {
        scenes: vec!["rivet-shot".to_owned()],
        engines: vec!["builtin".to_owned(), "builtin:swept=off".to_owned()],
        steps: vec!["1/60".parse().unwrap()],
        ..GridOrder::plain(Vec::new(), Vec::new(), Vec::new())
    };
    let plans = plan_grid(&order).unwrap();
    let mut records: Vec<TrialRecord> = plans.iter().map(run_trial).collect();
    records.push(run_trial_on(&plans[0], Err(EngineError::Unsupported { feature: "swept".into() })));
    records.push(run_trial_on(&plans[0], Err(EngineError::Crashed { why: "<b>\"boom\"</b> & more".into() })));
    records
}

#[test]
fn the_table_fits_its_width_and_marks_without_colour() {
    for width in [80, 120] {
        let table = verdict_table(&records(), TableStyle { width, colour: false });
        assert!(table.lines().all(|line| line.chars().count() <= usize::from(width)), "{table}");
        assert!(!table.contains('\u{1b}'));
        for mark in ["pass", "FAIL", "none", "ERR!"] {
            assert_eq!(table.lines().filter(|line| line.starts_with(mark)).count(), 1, "{mark}: {table}");
        }
        assert!(table.contains("engine A  builtin\n") && table.contains("engine B  builtin:swept=off\n"));
    }
    assert!(verdict_table(&records(), TableStyle { width: 120, colour: true }).contains('\u{1b}'));
}

#[test]
fn what_broke_says_what_where_how_badly_and_how_to_see_it_again() {
    let text = what_broke(&records(), true);
    for part in [
        "FAIL rivet-shot at dt 1/60 on builtin:swept=off",
        "tunnel.count of rivet[*]: ",
        "bound <= 0 bodies",
        "m/s on (rivet[",
        "because a plate that never moves",
        "again: ironspin run rivet-shot --dt 1/60 --engine builtin:swept=off",
        "ERR! rivet-shot",
    ] {
        assert!(text.contains(part), "{part}: {text}");
    }
    assert_eq!(what_broke(&records()[..1], true), "");
    assert_eq!(summary_line(&records()), "4 trials: 1 pass, 1 fail, 1 unsupported, 1 engine error");
}

#[test]
fn csv_and_json_are_read_back_by_ordinary_readers() {
    let records = records();
    let text = trials_csv(&ironspin_lab::ResultDocument::of(&records, false).trials).unwrap();
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let columns = reader.headers().unwrap().len();
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    assert_eq!(rows.len(), 2 + 2 + 1 + 1, "two claims in each of two trials, and two without");
    assert!(rows.iter().all(|row| row.len() == columns));
    assert!(rows[5].iter().any(|cell| cell.contains("<b>\"boom\"</b>")));
    let document: serde_json::Value = serde_json::from_str(&result_json(&records, true).unwrap()).unwrap();
    assert_eq!(document["summary"]["error"], 1);
    assert_eq!(document["trials"][1]["claims"][0]["bound"]["at_most"], 0.0);
    assert!(document["trials"][0]["timing"]["seconds"].as_f64().unwrap() > 0.0);
}

#[test]
fn the_page_holds_everything_and_escapes_what_it_is_told() {
    let html =
        page("A <title>", &[], &records().iter().map(PageTrial::of).collect::<Vec<_>>(), &Beyond::default()).unwrap();
    assert!(html.contains("A &lt;title&gt;") && !html.contains("A <title>"));
    assert!(html.contains("&lt;b&gt;&quot;boom&quot;&lt;/b&gt; &amp; more") && !html.contains("<b>\"boom\""));
    for number in 0..4 {
        assert!(html.contains(&format!("id=\"trial-{number}\"")));
    }
    // The unsupported trial has the conditions of the first, which stands in the map for both.
    for number in [0, 1, 3] {
        assert!(html.contains(&format!("href=\"#trial-{number}\"")));
    }
    for tag in ["details", "table", "figure", "svg", "ol", "main"] {
        assert_eq!(html.matches(&format!("<{tag}")).count(), html.matches(&format!("</{tag}>")).count(), "{tag}");
    }
    assert!(html.contains("Usual causes in an engine"));
    assert!(page("empty", &[], &[], &Beyond::default()).unwrap().contains("0 trials"));
}

#[test]
fn a_picture_draws_every_body_that_is_in_view_and_counts_the_others() {
    let record = &records()[1];
    let recording = &record.recording;
    let view = Scenery::of(record.world(), &recording.start, &recording.end, None);
    let start = picture(record.world(), &recording.start, &view, "start");
    assert_eq!(start.matches("<g ").count(), record.world().bodies.len());
    assert!(!start.contains("outside the picture"));
    let end = picture(record.world(), &recording.end, &view, "end");
    assert!(end.contains("outside the picture"), "rivets that went through are far away");
}

#[test]
fn every_bundled_scene_can_be_sketched_in_eighty_columns() {
    for name in ironspin_scene::bundled::names() {
        let scene = ironspin_scene::Scene::open(name).unwrap();
        let setup = scene.resolve(&ironspin_scene::Settings::with_dt(1.0 / 60.0)).unwrap();
        let drawn = ironspin_report::sketch(&setup.world);
        // Space is sketched twice, with a heading each.
        let most = if setup.world.dimension == ironspin_model::Dimension::Plane { 26 } else { 56 };
        assert!(
            drawn.lines().count() <= most && drawn.lines().all(|line| line.chars().count() <= 80),
            "{name}: {drawn}"
        );
        assert!(drawn.contains(['o', '%']) && drawn.ends_with(" m across\n"), "{name}: {drawn}");
        // A driven body that is a sensor alone is drawn as one.
        let driven = |body: &ironspin_model::Body| {
            body.kind == ironspin_model::BodyKind::Kinematic && body.parts.iter().any(|part| !part.sensor)
        };
        assert_eq!(drawn.contains('='), setup.world.bodies.iter().any(driven), "{name}: {drawn}");
    }
}
