//! Laws of chance, and how far some values are from one.

use crate::gauge::Exhibit;
use ironspin_model::Law;
use statrs::distribution::{Binomial, ChiSquared, ContinuousCDF, DiscreteCDF, Exp, Normal, Uniform};

/// Fewest values expected in a class.
const LEAST_EXPECTED: f64 = 5.0;
/// Most classes of a continuous law in a picture.
const MOST_CLASSES: usize = 40;
/// Most classes of a continuous law in a test: those that Mann and Wald's rule gives for a million values.
const MOST_TESTED: usize = 502;

/// A law with its parameters checked.
pub(super) enum Shape {
    Binomial(Binomial, u64),
    Normal(Normal),
    Exponential(Exp),
    Uniform(Uniform),
}

impl Shape {
    pub(super) fn of(law: &Law) -> Option<Shape> {
        match *law {
            Law::Binomial { tries, chance } => Some(Shape::Binomial(Binomial::new(chance, tries).ok()?, tries)),
            Law::Normal { mean, deviation } => Normal::new(mean, deviation).ok().map(Shape::Normal),
            Law::Exponential { mean } => Exp::new(1.0 / mean).ok().map(Shape::Exponential),
            Law::Uniform { from, to } => Uniform::new(from, to).ok().map(Shape::Uniform),
        }
    }

    /// Chance of a value of at most `value`.
    pub(super) fn cumulative(&self, value: f64) -> f64 {
        match self {
            Shape::Binomial(law, _) => {
                let whole = (value + 0.5).floor();
                if whole < 0.0 { 0.0 } else { law.cdf(whole as u64) }
            }
            Shape::Normal(law) => law.cdf(value),
            Shape::Exponential(law) => law.cdf(value),
            Shape::Uniform(law) => law.cdf(value),
        }
    }
}

/// Classes of equal width, or of single values for a binomial law.
pub(super) fn histogram(values: &[f64], law: Option<&Shape>) -> Option<Exhibit> {
    let count = values.len() as f64;
    let (low, high) =
        values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), &v| (low.min(v), high.max(v)));
    if values.len() < 2 || !(low < high) {
        return None;
    }
    let edges: Vec<f64> = match law {
        Some(Shape::Binomial(_, tries)) => (0..=*tries + 1).map(|k| k as f64 - 0.5).collect(),
        _ => {
            let classes = (count.sqrt().ceil() as usize).clamp(4, MOST_CLASSES);
            (0..=classes).map(|k| low + (high - low) * k as f64 / classes as f64).collect()
        }
    };
    let mut found = vec![0.0; edges.len() - 1];
    for &value in values {
        let class = edges[1..].iter().position(|&end| value <= end).unwrap_or(found.len() - 1);
        found[class] += 1.0;
    }
    let share = |ends: &[f64], law: &Shape| count * (law.cumulative(ends[1]) - law.cumulative(ends[0]));
    let expected = law.map_or_else(Vec::new, |law| match law {
        // Half a value beside a whole one belongs to it, not to its neighbour.
        Shape::Binomial(law, tries) => {
            let below = |k: u64| if k == 0 { 0.0 } else { law.cdf(k - 1) };
            (0..=*tries).map(|k| count * (law.cdf(k) - below(k))).collect()
        }
        _ => edges.windows(2).map(|ends| share(ends, law)).collect(),
    });
    Some(Exhibit::Histogram { edges, found, expected })
}

/// Pearson's statistic, its degrees of freedom, and the chance of one as large.
pub(super) fn chi_square(values: &[f64], law: &Shape) -> Option<(f64, usize, f64)> {
    let count = values.len() as f64;
    // Upper ends of the classes as chances: equal ones, or those of the single values.
    let ends: Vec<f64> = match law {
        Shape::Binomial(law, tries) => (0..=*tries).map(|k| law.cdf(k)).collect(),
        _ => {
            let wanted = (2.0 * libm::pow(count, 0.4)).min(count / LEAST_EXPECTED);
            let classes = (wanted.floor() as usize).min(MOST_TESTED);
            (1..=classes).map(|k| k as f64 / classes.max(1) as f64).collect()
        }
    };
    // Small classes are put together with their neighbours.
    let mut merged: Vec<f64> = Vec::new();
    for &end in &ends {
        let last = merged.last().copied().unwrap_or(0.0);
        if (end - last) * count >= LEAST_EXPECTED {
            merged.push(end);
        }
    }
    if let Some(last) = merged.last_mut() {
        *last = 1.0;
    }
    if merged.len() < 2 {
        return None;
    }
    let mut found = vec![0.0; merged.len()];
    for &value in values {
        let chance = law.cumulative(value);
        let class = merged.iter().position(|&end| chance <= end * (1.0 + 1e-12)).unwrap_or(merged.len() - 1);
        found[class] += 1.0;
    }
    let mut statistic = 0.0;
    let mut from = 0.0;
    for (&end, found) in merged.iter().zip(&found) {
        let expected = count * (end - from);
        statistic += (found - expected) * (found - expected) / expected;
        from = end;
    }
    let freedom = merged.len() - 1;
    Some((statistic, freedom, chance_of(statistic, freedom)?))
}

/// The chance of a chi-square statistic at least as large.
pub(super) fn chance_of(statistic: f64, freedom: usize) -> Option<f64> {
    Some(ChiSquared::new(freedom as f64).ok()?.sf(statistic))
}

/// The largest distance of the cumulative curve of some values from a law's, and the chance of one as large.
pub(super) fn largest_distance(values: &[f64], law: &Shape) -> (f64, f64) {
    let mut sorted = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    let count = sorted.len() as f64;
    let mut distance = 0.0_f64;
    for (number, &value) in sorted.iter().enumerate() {
        let expected = law.cumulative(value);
        distance = distance.max(expected - number as f64 / count).max((number + 1) as f64 / count - expected);
    }
    let root = count.sqrt();
    let x = (root + 0.12 + 0.11 / root) * distance;
    let chance = if x < 0.2 {
        1.0
    } else {
        let term = |k: i32| 2.0 * libm::exp(-2.0 * f64::from(k * k) * x * x) * if k % 2 == 1 { 1.0 } else { -1.0 };
        (1..=100).map(term).sum::<f64>().clamp(0.0, 1.0)
    };
    (distance, chance)
}
