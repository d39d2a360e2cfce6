//! Edges and series of claims that have closed forms, so that the right answer is known.

use crate::yard::{Yard, fall};
use ironspin_lab::{
    EdgeOrder, PlanError, REFINED, ResultDocument, SeriesOrder, collapse, find_edges, run_series, run_trial,
};
use ironspin_model::Verdict;
use ironspin_scene::{Series, SeriesShape};
use std::sync::atomic::AtomicBool;

fn edge(yard: &Yard, axis: &str, range: [f64; 2], until: &str) -> Result<ironspin_lab::EdgeRecord, PlanError> {
    let order = EdgeOrder {
        grid: yard.order(&[]),
        axis: axis.to_owned(),
        range,
        until: until.to_owned(),
        resolution: 1e-3,
        scan: 4,
        jobs: 1,
    };
    find_edges(&order, &AtomicBool::new(false), &|_, _| {}).map(|mut found| found.remove(0))
}

#[test]
fn the_edge_of_a_claim_is_found_between_two_values() {
    // The claim allows a millionth of a metre.
    let found = edge(&fall(), "off", [0.0, 1e-5], "value").unwrap();
    let [only] = found.edges.as_slice() else { panic!("{:?}", found.edges) };
    assert!(only.breaks && only.before <= 1.001e-6 && only.behind >= 0.999e-6, "{only:?}");
    assert!((only.behind - only.before) <= 1e-3 * only.behind && found.is_clean(), "{only:?}");
    assert!(only.detail.starts_with("value.y "), "{}", only.detail);
    assert!(found.tried.windows(2).all(|two| two[0].value < two[1].value), "in the order of the values");
    assert!(found.tried.iter().all(|tried| tried.breaks() == (tried.value > only.before)));
}

#[test]
fn a_range_may_run_downwards_and_may_have_no_edge() {
    let down = edge(&fall(), "off", [1e-5, 0.0], "value.y").unwrap();
    assert!(down.edges.len() == 1 && !down.edges[0].breaks, "it breaks first, and holds below: {:?}", down.edges);
    assert!(down.tried[0].value > down.tried[1].value);
    let holds = edge(&fall(), "height", [6.0, 60.0], "value.y").unwrap();
    assert!(holds.edges.is_empty() && holds.tried.iter().all(|tried| !tried.breaks()));
    // Another claim is not asked about.
    let other = edge(&fall(), "off", [0.0, 1.0], "escape").unwrap();
    assert!(other.edges.is_empty());
}

#[test]
fn a_claim_that_the_scene_does_not_make_is_named() {
    let Err(PlanError::Scene(error)) = edge(&fall(), "off", [0.0, 1.0], "tunnel.count") else { panic!("it was taken") };
    assert!(error.message.contains("claims nothing about `tunnel.count`"), "{}", error.message);
    assert_eq!(error.help.as_deref(), Some("claims of this scene: value.y, escape.count; or any"));
    assert!(matches!(edge(&fall(), "offf", [0.0, 1.0], "any"), Err(PlanError::Scene(_))));
}

fn series(
    yard: &Yard,
    engine: &str,
    gauge: &str,
    over: &str,
    values: &[&str],
    shape: Option<SeriesShape>,
) -> ironspin_lab::SeriesRecord {
    let grid = ironspin_lab::GridOrder { engines: vec![engine.to_owned()], ..yard.order(&[]) };
    let claimed = shape.map(|shape| Series {
        over: over.to_owned(),
        values: Vec::new(),
        gauge: gauge.to_owned(),
        of: vec![0],
        against: Vec::new(),
        shape,
        because: Some("Taylor".to_owned()),
    });
    let values = values.iter().map(|value| (*value).to_owned()).collect();
    let order = SeriesOrder { grid, over: over.to_owned(), values, gauge: gauge.to_owned(), claimed, jobs: 1 };
    run_series(&order, &AtomicBool::new(false)).unwrap_or_else(|error| panic!("{error}"))
}

const EULER: &str = "builtin:integrator=symplectic-euler,substeps=1";

#[test]
fn the_order_of_an_integrator_is_measured_and_judged() {
    let steps = ["1/10", "1/20", "1/40", "1/80"];
    // Symplectic Euler is off by g dt t / 2: of first order.
    let found = series(&fall(), EULER, REFINED, "dt", &steps, Some(SeriesShape::FallsWithOrder(1.0)));
    assert_eq!(
        (found.verdict, found.unit.as_str(), found.claim.as_str()),
        (Verdict::Pass, "m", "falls at least as dt^1")
    );
    assert!((found.exponent.unwrap() - 1.0).abs() < 1e-6, "{found:?}");
    // Each against the next finer step: 5 m/s times half the difference of the steps.
    for (dt, apart) in &found.points {
        assert!((apart.unwrap() - 2.5 * dt).abs() < 1e-9, "{dt}: {apart:?}");
    }
    assert_eq!(found.points.len(), 3, "there is nothing finer than the finest");
    let second = series(&fall(), EULER, REFINED, "dt", &steps, Some(SeriesShape::FallsWithOrder(2.0)));
    assert_eq!((second.verdict, second.because.as_str()), (Verdict::Fail, "Taylor"));
    // The default is exact for a parabola: nothing to fall.
    let exact = series(&fall(), "builtin", "path.error", "dt", &["1/10", "1/20", "1/40"], None);
    assert_eq!(exact.verdict, Verdict::Pass);
}

#[test]
fn a_gauge_along_a_parameter_comes_in_the_order_of_its_values() {
    let found = series(&fall(), "builtin", "value.y", "height", &["40", "10", "20"], Some(SeriesShape::OnlyRises));
    let values: Vec<f64> = found.points.iter().map(|point| point.0).collect();
    assert_eq!((values, found.verdict), (vec![10.0, 20.0, 40.0], Verdict::Pass));
    for (height, end) in &found.points {
        assert!((end.unwrap() - (height - 5.0)).abs() < 1e-6, "{height}: {end:?}");
    }
    let falls = series(&fall(), "builtin", "value.y", "height", &["40", "10", "20"], Some(SeriesShape::OnlyFalls));
    assert_eq!(falls.verdict, Verdict::Fail);
    let few = series(&fall(), "builtin", "value.y", "height", &["40", "10"], Some(SeriesShape::GrowsAtMost(1.0)));
    assert_eq!(few.verdict, Verdict::Unsupported, "a power needs more values");
}

#[test]
fn worlds_of_all_sizes_fall_on_one_line() {
    let yard = fall();
    let mut grid = yard.order(&[]);
    grid.steps = vec!["1/64".parse().unwrap(), "1/32".parse().unwrap()];
    grid.sizes = vec!["1".parse().unwrap(), "4".parse().unwrap()];
    let records: Vec<_> = ironspin_lab::plan_grid(&grid).unwrap().iter().map(run_trial).collect();
    let document = ResultDocument::of(&records, false);
    let found = collapse(&document.trials);
    let [only] = found.as_slice() else { panic!("{found:?}") };
    // Size 4 at 1/32 has the dimensionless step of size 1 at 1/64.
    assert_eq!((only.pairs, only.same_verdict, only.scene.as_str()), (1, 1, "fall"));
    assert!(only.apart.as_ref().unwrap().0 < 1e-12, "{only:?}");
    assert_eq!(collapse(&document.trials[..1]), []);
}

#[test]
fn a_wrong_gauge_or_value_of_a_series_is_told() {
    let fails = |gauge: &str, value: &str| {
        let yard = fall();
        let grid = yard.order(&[]);
        let order = SeriesOrder {
            grid,
            over: "dt".to_owned(),
            values: vec![value.to_owned()],
            gauge: gauge.to_owned(),
            claimed: None,
            jobs: 1,
        };
        run_series(&order, &AtomicBool::new(false)).map(drop).unwrap_err().to_string()
    };
    assert!(fails("hight", "1/60").contains("there is no gauge called `hight`"));
    assert!(fails("value.y", "soon").contains("soon"));
}
