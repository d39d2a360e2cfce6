//! How values spread, against a law of chance.

mod laws;

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Exhibit, Gauge, Reading, Scope, View};
use ironspin_model::{Dimension, Law, Measure, World};
use laws::{Shape, chi_square, histogram, largest_distance};

pub(crate) const CHI: GaugeEntry = GaugeEntry {
    name: "spread.chi",
    label: "fit by chi-square",
    better: Better::Higher,
    definition: "Chance that values which follow the claim's `law` would spread as badly as those of the claim's `measure` over the bodies in the last frame of the window: Pearson's test over 2 N^(2/5) classes of equal chance, or of single values for a binomial law, each with at least five expected.",
    formula: "p = 1 - F_chi2(sum((n_k - N p_k)^2 / (N p_k)), classes - 1)",
    source: "Pearson (1900); at least five expected as of Cochran (1954), number of classes as of Moore (1986)",
    limits: "Fewer than 20 values say little. Bodies that are not there are left out. A small chance comes once in a while for a right engine too: the bound is that chance.",
    usual_causes: "energy lost or gained at pegs; a preferred side; seeds that are not random; particles that stick together",
    needs: &[Need::Measure, Need::Law],
    next_step: advice::SPREAD,
    make: chi,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const KOLMOGOROV: GaugeEntry = GaugeEntry {
    name: "spread.kolmogorov",
    label: "fit by Kolmogorov and Smirnov",
    definition: "Chance that values which follow the claim's `law` would lie as far from it as those of the claim's `measure` over the bodies in the last frame of the window: the largest distance of the two cumulative curves.",
    formula: "p = Q((sqrt N + 0.12 + 0.11 / sqrt N) D), Q(x) = 2 sum_k (-1)^(k-1) exp(-2 k^2 x^2)",
    source: "Kolmogorov (1933), Smirnov (1948); correction for few values by Stephens (1970)",
    limits: "For laws of continuous values; for a binomial law the chance comes out too large. Fewer than 20 values say little.",
    next_step: advice::SPREAD,
    make: kolmogorov,
    ..CHI
};

pub(crate) const MEAN: GaugeEntry = GaugeEntry {
    name: "spread.mean",
    label: "mean of the spread",
    better: Better::Nearer,
    definition: "Mean of the claim's `measure` over the bodies in the last frame of the window.",
    formula: "sum(q) / N",
    source: "definition; its standard error is the deviation over sqrt N",
    needs: &[Need::Measure],
    next_step: advice::SPREAD,
    make: mean,
    ..CHI
};

pub(crate) const DEVIATION: GaugeEntry = GaugeEntry {
    name: "spread.deviation",
    label: "width of the spread",
    better: Better::Nearer,
    definition: "Standard deviation of the claim's `measure` over the bodies in the last frame of the window.",
    formula: "sqrt(sum((q - mean)^2) / (N - 1))",
    source: "definition",
    needs: &[Need::Measure],
    next_step: advice::SPREAD,
    make: deviation,
    ..CHI
};

#[derive(Clone, Copy, Debug, PartialEq)]
enum Figure {
    Chi,
    Kolmogorov,
    Mean,
    Deviation,
}

struct Spread {
    of: Vec<usize>,
    measure: Option<Measure>,
    law: Option<Law>,
    figure: Figure,
    values: Vec<f64>,
    frames: u64,
}

fn new(scope: &Scope, figure: Figure) -> Box<dyn Gauge> {
    Box::new(Spread {
        of: scope.of.clone(),
        measure: scope.details.measure.clone(),
        law: scope.details.law,
        figure,
        values: Vec::new(),
        frames: 0,
    })
}

pub(crate) fn chi(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(scope, Figure::Chi)
}

pub(crate) fn kolmogorov(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(scope, Figure::Kolmogorov)
}

pub(crate) fn mean(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(scope, Figure::Mean)
}

pub(crate) fn deviation(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(scope, Figure::Deviation)
}

impl Gauge for Spread {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let Some(measure) = &self.measure else { return };
        self.values.clear();
        for &id in self.of.iter().filter(|&&id| !view.now.bodies[id].is_absent()) {
            let value = measure.at(&view.moment(id, &self.of));
            if value.is_finite() {
                self.values.push(value);
            }
        }
    }

    /// Values of the last frame alone count.
    fn so_far(&self, _: &World) -> Option<f64> {
        None
    }

    fn exhibit(&self) -> Option<Exhibit> {
        histogram(&self.values, self.law.as_ref().and_then(Shape::of).as_ref())
    }

    fn reading(&self, _: &World) -> Reading {
        if self.frames == 0 {
            return Reading::nothing("no frame lies in the window");
        }
        pooled(self.figure, &self.values, self.law.as_ref())
    }
}

/// The reading of a spread gauge, by its name, for values pooled from several trials. `None` for other gauges.
pub fn pooled_reading(gauge: &str, values: &[f64], law: Option<&Law>) -> Option<Reading> {
    let figure = match gauge {
        "spread.chi" => Figure::Chi,
        "spread.kolmogorov" => Figure::Kolmogorov,
        "spread.mean" => Figure::Mean,
        "spread.deviation" => Figure::Deviation,
        _ => return None,
    };
    Some(pooled(figure, values, law))
}

fn pooled(figure: Figure, values: &[f64], law: Option<&Law>) -> Reading {
    let count = values.len();
    if count < 2 {
        return Reading::nothing(format!("{count} values, and two are needed"));
    }
    let mean = values.iter().sum::<f64>() / count as f64;
    let square = values.iter().map(|value| (value - mean) * (value - mean)).sum::<f64>();
    let deviation = (square / (count - 1) as f64).sqrt();
    let reported = format!("{count} values, mean {mean:.4}, deviation {deviation:.4}");
    let mut reading = match (figure, law.map(Shape::of)) {
        (Figure::Mean, _) => Reading::of(mean, reported),
        (Figure::Deviation, _) => Reading::of(deviation, reported),
        (_, None) => return Reading::nothing("the claim gives no law"),
        (_, Some(None)) => return Reading::nothing("the law has no such parameters"),
        (Figure::Chi, Some(Some(law))) => match chi_square(values, &law) {
            Some((statistic, freedom, chance)) => {
                Reading::of(chance, format!("chi-square {statistic:.2} of {freedom} degrees of freedom; {reported}"))
            }
            None => return Reading::nothing(format!("{count} values are too few for two classes of five")),
        },
        (Figure::Kolmogorov, Some(Some(law))) => {
            let (distance, chance) = largest_distance(values, &law);
            Reading::of(chance, format!("largest distance {distance:.4}; {reported}"))
        }
    };
    reading.samples = values.to_vec();
    if count < 20 { reading.warn(format!("only {count} values")) } else { reading }
}

#[cfg(test)]
mod tests {
    use super::laws::chance_of;
    use super::*;
    use crate::gauges::trace::{measure_with, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, Details, PlaneShape as ModelShape};
    use statrs::distribution::{Binomial, ContinuousCDF, Discrete};

    /// The middle quantiles of a law: as even a spread as there can be.
    fn quantiles(count: usize, inverse: impl Fn(f64) -> f64) -> Vec<f64> {
        (0..count).map(|k| inverse((k as f64 + 0.5) / count as f64)).collect()
    }

    fn chance(gauge: &str, values: &[f64], law: &Law) -> f64 {
        pooled_reading(gauge, values, Some(law)).unwrap().value.unwrap()
    }

    #[test]
    fn values_of_the_law_fit_it_and_shifted_or_wider_ones_do_not() {
        let normal = statrs::distribution::Normal::new(1.0, 2.0).unwrap();
        for (law, values) in [
            (Law::Normal { mean: 1.0, deviation: 2.0 }, quantiles(200, |p| normal.inverse_cdf(p))),
            (Law::Exponential { mean: 3.0 }, quantiles(200, |p| -3.0 * (1.0 - p).ln())),
            (Law::Uniform { from: -1.0, to: 3.0 }, quantiles(200, |p| 4.0 * p - 1.0)),
        ] {
            for gauge in ["spread.chi", "spread.kolmogorov"] {
                assert!(chance(gauge, &values, &law) > 0.99, "{law:?} {gauge}");
                let shifted: Vec<f64> = values.iter().map(|v| v + 1.0).collect();
                assert!(chance(gauge, &shifted, &law) < 1e-3, "{law:?} {gauge}");
                let wider: Vec<f64> = values.iter().map(|v| 2.0 * v).collect();
                assert!(chance(gauge, &wider, &law) < 1e-3, "{law:?} {gauge}");
            }
        }
    }

    #[test]
    fn a_binomial_spread_is_held_against_its_own_numbers() {
        let law = Binomial::new(0.5, 12).unwrap();
        let drawn = |law: &Binomial| -> Vec<f64> {
            (0..=12).flat_map(|k| vec![k as f64; (1000.0 * law.pmf(k)).round() as usize]).collect()
        };
        let fair = Law::Binomial { tries: 12, chance: 0.5 };
        assert!(chance("spread.chi", &drawn(&law), &fair) > 0.99);
        assert!(chance("spread.chi", &drawn(&Binomial::new(0.55, 12).unwrap()), &fair) < 1e-6);
    }

    #[test]
    fn the_tests_have_the_chances_of_their_tables() {
        // Kolmogorov's distribution: Q(1.3581) = 0.05, Q(1.6276) = 0.01.
        let even = |off: f64| -> f64 {
            // Values of a uniform law, all moved by `off`: the largest distance is off + half a step.
            let values = quantiles(10_000, |p| (p + off).min(1.0));
            chance("spread.kolmogorov", &values, &Law::Uniform { from: 0.0, to: 1.0 })
        };
        let off = |x: f64| x / (100.0 + 0.12 + 0.0011) - 0.5e-4;
        assert!((even(off(1.3581)) - 0.05).abs() < 1e-4, "{}", even(off(1.3581)));
        assert!((even(off(1.6276)) - 0.01).abs() < 1e-4);
        // Chi-square with one degree of freedom: 60 and 40 of two equal classes give 4.0, of chance 0.0455.
        let coin = Law::Binomial { tries: 1, chance: 0.5 };
        let tossed: Vec<f64> = (0..100).map(|k| f64::from(u8::from(k < 60))).collect();
        assert!((chance("spread.chi", &tossed, &coin) - 0.0455).abs() < 1e-4);
    }

    #[test]
    fn laws_and_tests_have_the_values_that_were_computed_independently() {
        // Binomial and Boltzmann's laws, and the critical values of Pearson's test; each case names its source.
        let cases: serde_json::Value = serde_json::from_str(include_str!("cases.json")).unwrap();
        let list = |value: &serde_json::Value| -> Vec<f64> {
            value.as_array().unwrap().iter().map(|number| number.as_f64().unwrap()).collect()
        };
        let mut compared = 0;
        for case in cases.as_array().unwrap() {
            let (input, output) = (&case["inputs"], &case["outputs"]);
            let kind = case["id"].as_str().unwrap();
            if kind.contains("pegboard") {
                let chance = input["p"].as_f64().unwrap();
                for (rows, expected) in list(&input["rows"]).iter().zip(output["probabilities"].as_array().unwrap()) {
                    let law = Shape::of(&Law::Binomial { tries: *rows as u64, chance }).unwrap();
                    for (k, expected) in list(expected).iter().enumerate() {
                        let found = law.cumulative(k as f64) - law.cumulative(k as f64 - 1.0);
                        assert!((found - expected).abs() < 1e-13, "{rows} rows, {k}: {found} and not {expected}");
                        compared += 1;
                    }
                }
            } else if kind.contains("chisquare") {
                for (freedom, expected) in list(&input["dof"]).iter().zip(output["critical"].as_array().unwrap()) {
                    for (alpha, critical) in list(&input["alpha"]).iter().zip(list(expected)) {
                        let found = chance_of(critical, *freedom as usize).unwrap();
                        assert!((found / alpha - 1.0).abs() < 1e-9, "{freedom}: {found} and not {alpha}");
                        compared += 1;
                    }
                }
            } else {
                let law = Shape::of(&Law::Exponential { mean: output["scale_height"].as_f64().unwrap() }).unwrap();
                let edges = list(&input["bin_edges"]);
                let mut found: Vec<f64> =
                    edges.windows(2).map(|ends| law.cumulative(ends[1]) - law.cumulative(ends[0])).collect();
                let expected = list(&output["fractions"]);
                if expected.len() > found.len() {
                    found.push(1.0 - law.cumulative(edges[edges.len() - 1]));
                }
                for (found, expected) in found.iter().zip(&expected) {
                    assert!((found - expected).abs() < 1e-14, "{found} and not {expected}");
                    compared += 1;
                }
            }
        }
        assert!(compared > 150, "{compared}");
    }

    #[test]
    fn mean_and_deviation_are_those_of_the_bodies_in_the_last_frame() {
        let bodies: Vec<_> = (0..4).map(|_| ("shot", BodyKind::Dynamic, ModelShape::Disc(0.1), DVec2::ZERO)).collect();
        let world = world(&bodies);
        let frames = trace(0.5, 1.0, |t| (0..4).map(|k| state(f64::from(k) * t, 0.0, 0.0, 0.0)).collect());
        let measure = Measure::new("x", |state, _| state.pose.position.x);
        let details = Details { measure: Some(measure), ..Details::default() };
        let scope = Scope { of: vec![0, 1, 2, 3], details, ..Scope::default() };
        assert_eq!(measure_with("spread.mean", &world, &scope, &frames).value, Some(1.5));
        let width = measure_with("spread.deviation", &world, &scope, &frames);
        assert!((width.value.unwrap() - (5.0_f64 / 3.0).sqrt()).abs() < 1e-15);
        assert_eq!(width.samples, [0.0, 1.0, 2.0, 3.0]);
    }

    #[test]
    fn a_histogram_counts_every_value_once_and_expects_what_the_law_says() {
        let values = [0.0, 1.0, 1.0, 2.0, 2.0, 2.0, 3.0, 3.0];
        let law = Shape::of(&Law::Binomial { tries: 3, chance: 0.5 });
        let Some(Exhibit::Histogram { edges, found, expected }) = histogram(&values, law.as_ref()) else { panic!() };
        assert_eq!(edges, [-0.5, 0.5, 1.5, 2.5, 3.5]);
        assert_eq!(found, [1.0, 2.0, 3.0, 2.0]);
        for (expected, exact) in expected.iter().zip([1.0, 3.0, 3.0, 1.0]) {
            assert!((expected - exact).abs() < 1e-12, "{expected}");
        }
        let law = Shape::of(&Law::Uniform { from: 0.0, to: 3.0 });
        let Some(Exhibit::Histogram { found, expected, .. }) = histogram(&values, law.as_ref()) else { panic!() };
        assert_eq!((found.iter().sum::<f64>(), found.len()), (8.0, 4));
        assert!(expected.iter().all(|expected| (expected - 2.0).abs() < 1e-12), "{expected:?}");
        assert_eq!(histogram(&[1.0; 9], law.as_ref()), None);
    }
}
