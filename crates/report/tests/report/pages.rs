//! What stands on a page beside plain trials.

use crate::records;
use ironspin_lab::{CostDocument, Difference, Growth, SeriesDocument, SeriesRecord, Tool, TwinDocument, TwinsDocument};
use ironspin_model::Verdict;
use ironspin_report::{Beyond, PageTrial, growth_plot, page, twin_csv};

fn trials() -> Vec<PageTrial> {
    records().iter().map(PageTrial::of).collect()
}

fn html(trials: &[PageTrial], beyond: &Beyond) -> String {
    page("a yard", &["a note".to_owned()], trials, beyond).unwrap()
}

/// The headline and the sentence below it.
fn head(html: &str) -> String {
    html[html.find("<h1>").unwrap()..html.find("<p class=\"soft\">").unwrap()].to_owned()
}

fn twin(by: &str, verdict: Verdict) -> TwinDocument {
    TwinDocument {
        scene: "lob".to_owned(),
        engine: "builtin".to_owned(),
        dt_text: "1/60".to_owned(),
        conditions: "units 2".to_owned(),
        by: by.to_owned(),
        change: "x becomes -x".to_owned(),
        within: Some(1e-6),
        verdict,
        reason: String::new(),
        steps: 60,
        first: Some(Difference {
            step: 7,
            time: 0.125,
            body: "<ball>".to_owned(),
            component: "vx".to_owned(),
            plain: Some(1.0),
            twin: None,
        }),
        apart: Some(0.25),
        growth: Some(Growth { times: vec![0.1, 0.2, 0.3], apart: vec![0.0, 1e-9, 0.25], doubling: Some(0.05) }),
    }
}

fn same(by: &str) -> TwinDocument {
    TwinDocument { first: None, apart: Some(0.0), growth: None, within: None, ..twin(by, Verdict::Pass) }
}

fn twins(all: Vec<TwinDocument>) -> Beyond {
    let document = TwinsDocument { format: "ironspin.twins/1".to_owned(), tool: Tool::this(), twins: all };
    Beyond { twins: Some(document), ..Beyond::default() }
}

#[test]
fn the_first_sentence_says_what_failed_and_how_far() {
    let all = html(&trials(), &Beyond::default());
    let said = head(&all);
    assert!(said.contains("4 trials: 1 pass, 1 fail, 1 unsupported, 1 engine error"), "{said}");
    assert!(
        said.contains(
            "In 1 of 1 scene a claim fails under some of the conditions. In 1 of 1 scene the engine itself failed."
        ),
        "{said}"
    );
    assert!(said.contains("Furthest past its bound: tunnel.count in rivet-shot on builtin:swept=off"), "{said}");
    assert!(all.contains("a note"));
    let held = head(&html(&trials()[..1], &Beyond::default()));
    assert!(held.contains("Every claim of 1 of 1 scene holds under all conditions."), "{held}");
    let lacking = head(&html(&trials()[2..3], &Beyond::default()));
    assert!(lacking.contains("1 of 1 scene need something the engine does not have"), "{lacking}");
}

#[test]
fn what_is_not_known_is_never_said_to_hold() {
    let mut unknown = trials().swap_remove(0);
    unknown.document.verdict = Verdict::Unknown;
    let said = head(&html(&[unknown], &Beyond::default()));
    assert!(!said.contains("holds"), "{said}");
    assert!(said.contains("In 1 of 1 scene what the engine reports does not let anybody tell."), "{said}");
}

#[test]
fn several_trials_that_break_one_claim_are_one_entry_with_links_to_the_others() {
    let mut many = trials();
    for number in 0..12 {
        let mut copy = many[1].clone();
        copy.document.dt_text = format!("1/{}", 61 + number);
        many.push(copy);
    }
    let all = html(&many, &Beyond::default());
    let list = &all[all.find("<ol class=\"broken\">").unwrap()..all.find("</ol>").unwrap()];
    assert_eq!(list.matches("<li").count(), 2, "the engine error and the claim");
    assert!(list.contains("dt 1/61") && list.contains(" and 4 more."), "{list}");
    for place in list.split("href=\"#").skip(1) {
        let id = &place[..place.find('"').unwrap()];
        assert!(all.contains(&format!("id=\"{id}\"")), "a link to {id}, which is not there");
    }
}

#[test]
fn twins_that_differ_lead_to_where_and_how_they_part() {
    let all = html(&[], &twins(vec![twin("mirror", Verdict::Fail), same("again"), twin("boost", Verdict::Unknown)]));
    let said = head(&all);
    assert!(said.contains("3 twins: 1 agree, 1 do not, 1 not known."), "{said}");
    assert!(all.contains("href=\"#twin-0\"") && all.contains("id=\"twin-0\"") && !all.contains("href=\"#twin-1\""));
    for part in
        ["vx of &lt;ball&gt;, step 7 (0.125 s)", "every bit", "no bit differs", "0.25 m", "It doubles every 0.05 s."]
    {
        assert!(all.contains(part), "`{part}` is not on the page");
    }
    // Only what is not known is put down to chaos.
    assert_eq!(all.matches("(chaos)").count(), 1);
}

#[test]
fn the_rows_of_twins_have_all_their_digits() {
    let Some(document) = twins(vec![twin("mirror", Verdict::Fail), same("again")]).twins else { unreachable!() };
    let text = twin_csv(&document).unwrap();
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let head = reader.headers().unwrap().clone();
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    let cell = |row: usize, name: &str| rows[row][head.iter().position(|known| known == name).unwrap()].to_owned();
    assert_eq!(
        (cell(0, "by"), cell(0, "verdict"), cell(0, "first_step")),
        ("mirror".into(), "fail".into(), "7".into())
    );
    assert_eq!((cell(0, "plain"), cell(0, "twin"), cell(0, "doubling")), ("1".into(), String::new(), "0.05".into()));
    assert_eq!((cell(1, "within"), cell(1, "body"), cell(1, "apart")), (String::new(), String::new(), "0".into()));
}

#[test]
fn a_distance_that_never_was_is_not_drawn() {
    assert!(growth_plot(&twin("mirror", Verdict::Fail)).unwrap().is_some_and(|svg| svg.contains("lob by mirror")));
    assert_eq!(growth_plot(&same("again")).unwrap(), None);
    let mut nowhere = twin("mirror", Verdict::Fail);
    nowhere.growth = Some(Growth { times: vec![0.1, 0.2], apart: vec![0.0, f64::NAN], doubling: None });
    assert_eq!(growth_plot(&nowhere).unwrap(), None);
}

#[test]
fn series_and_costs_have_their_sections_and_figures() {
    let record = SeriesRecord {
        scene: "lob".to_owned(),
        engine: "builtin".to_owned(),
        over: "dt".to_owned(),
        gauge: "value.x".to_owned(),
        unit: "m".to_owned(),
        points: vec![(0.01, Some(1e-4)), (0.02, Some(4e-4))],
        exponent: Some(2.0),
        margin: None,
        claim: "order at least 1.9".to_owned(),
        verdict: Verdict::Pass,
        reason: "2".to_owned(),
        because: "Taylor".to_owned(),
    };
    let costs: CostDocument = serde_json::from_value(serde_json::json!({
        "format": "ironspin.cost/1", "tool": {"name": "ironspin", "version": "0"},
        "host": {"os": "quay", "arch": "crane", "cores": 2}, "axis": "count", "budget": 4e-3,
        "costs": [
            {"scene": "lob", "engine": "builtin", "value": 10.0, "bodies": 11, "contacts": 4.0, "steps": 9, "median": 1e-3, "p95": 2e-3,
             "p99": 3e-3, "largest": 4e-3, "rounds": [1e-3, 1e-3]},
            {"scene": "lob", "engine": "cmd:x", "value": 10.0, "bodies": 11, "contacts": 4.0, "steps": 9, "median": 0.0, "p95": 0.0,
             "p99": 0.0, "largest": 0.0, "rounds": [0.0, 0.0], "reason": "it hung"},
        ],
        "trends": [{"engine": "builtin", "exponent": 1.25, "margin": 0.1, "within_budget": 10.0, "all_within": true}],
    }))
    .unwrap();
    let series = SeriesDocument::of(vec![record]);
    let beyond = Beyond { series: Some(series), costs: Some(costs), ..Beyond::default() };
    let all = html(&[], &beyond);
    let said = head(&all);
    assert!(said.contains("1 series. A step of lob with 11 bodies takes 1 ms on builtin."), "{said}");
    assert!(all.contains("Power 2.00. pass: order at least 1.9. 2 Because Taylor."), "{all}");
    assert!(all.contains("builtin grows as bodies^1.25") && all.contains("<td colspan=\"4\">it hung</td>"));
    assert_eq!(all.matches("<figure class=\"plot\">").count(), 2);
}

#[test]
fn sizes_collapse_in_one_figure_a_claim() {
    let mut sized = trials();
    sized.truncate(1);
    let mut large = sized[0].clone();
    large.document.conditions.insert("size".to_owned(), "4".to_owned());
    for trial in [&mut sized[0], &mut large] {
        trial.document.dimensionless_dt = Some(0.1);
        trial.document.claims[0].dimensionless = Some(2.0);
    }
    assert!(!html(&sized, &Beyond::default()).contains("<h2>Sizes</h2>"), "one size is no collapse");
    sized.push(large);
    let all = html(&sized, &Beyond::default());
    assert!(all.contains("<h2>Sizes</h2>") && all.contains("size 4"));
}

#[test]
fn a_page_of_very_many_trials_shows_the_worst_and_counts_the_rest() {
    let all = trials();
    let mut many = vec![all[0].clone(); 650];
    many.push(all[1].clone());
    let html = html(&many, &Beyond::default());
    assert_eq!(html.matches("<details id=\"trial-").count(), 600);
    assert!(html.contains("51 more trials stand in the map only"));
    assert!(html.contains("id=\"trial-650\""), "what failed is among those shown");
    // Those that passed are not drawn where there are so many.
    assert!(html.contains("1 of these trials are drawn"));
}
