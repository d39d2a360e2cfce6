//! What must hold in a trial, and how it turned out.

use crate::Scalar;
use crate::measure::Measure;
use glam::DVec3;
use serde::{Deserialize, Serialize};

/// A gauge with a bound that must hold in one trial.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Claim {
    /// Its name; empty for one without. Unique in a scene.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// Name of the gauge.
    pub gauge: String,
    /// The bodies measured.
    pub of: Vec<usize>,
    /// The selector as written, for messages.
    pub of_text: String,
    /// The bodies they are measured against (a barrier, an anvil); empty when the gauge needs none.
    pub against: Vec<usize>,
    /// What the gauge is given beyond bodies and window.
    pub details: Details,
    /// The part of the trial that counts.
    pub window: Window,
    /// The bound.
    pub bound: Bound,
    /// The bound for an engine whose numbers are single precision, where it is another.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub single: Option<Bound>,
    /// A failed `must` fails the trial; a failed `should` is only reported.
    pub severity: Severity,
    /// Why the bound is what it is.
    pub because: String,
}

impl Claim {
    /// What it is called: by its name with the gauge, or by the gauge alone.
    pub fn title(&self) -> String {
        title_of(&self.name, &self.gauge)
    }

    /// The bound for an engine whose numbers are of a kind, in a world that stands `further` times as far from the origin as it is large: there
    /// one rounding is so much more. A bound without `eps` is always the same.
    pub fn bound_for(&self, scalar: Scalar, further: f64) -> Bound {
        let Some(single) = self.single else { return self.bound };
        let (one, other) = (Scalar::F64.epsilon(), Scalar::F32.epsilon());
        let eps = scalar.epsilon() * further.max(1.0);
        if eps == one {
            return self.bound;
        }
        if eps == other {
            return single;
        }
        let share = (eps - one) / (other - one);
        let between = |at_one: f64, at_other: f64| at_one + (at_other - at_one) * share;
        match (self.bound, single) {
            (Bound::AtMost(a), Bound::AtMost(b)) => Bound::AtMost(between(a, b)),
            (Bound::AtLeast(a), Bound::AtLeast(b)) => Bound::AtLeast(between(a, b)),
            (Bound::Equals { value: v, within: a }, Bound::Equals { value: w, within: b }) => {
                Bound::Equals { value: between(v, w), within: between(a, b) }
            }
            _ => self.bound,
        }
    }
}

/// What a claim is called: by its name with the gauge, or by the gauge alone where it has none.
pub fn title_of(name: &str, gauge: &str) -> String {
    if name.is_empty() { gauge.to_owned() } else { format!("{name} ({gauge})") }
}

/// What some gauges are given beyond bodies and window.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Details {
    /// A quantity of a body's state.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub measure: Option<Measure>,
    /// Closed form of x, y and in space z over time, m.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path: Option<Vec<Measure>>,
    /// The law that values must follow.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub law: Option<Law>,
    /// A condition, of which the times are measured at which it becomes true.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub becomes: Option<Measure>,
    /// Which of several times; the first where nothing is said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub nth: Option<Nth>,
    /// The time at which is measured, s; the end of the window where nothing is said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub at_time: Option<f64>,
    /// A point in the body's own frame about its centre of mass, m; the centre where nothing is said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub point: Option<DVec3>,
}

/// Which of several.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Nth {
    /// Counted from 1.
    Nth(u64),
    /// The last there is.
    Last,
}

/// A law of chance.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Law {
    /// Number of successes in a number of tries, each with a chance.
    Binomial {
        /// Number of tries.
        tries: u64,
        /// Chance of each.
        chance: f64,
    },
    /// The bell curve.
    Normal {
        /// Its mean.
        mean: f64,
        /// Its standard deviation.
        deviation: f64,
    },
    /// Waiting times.
    Exponential {
        /// Mean of the values.
        mean: f64,
    },
    /// Even between two ends.
    Uniform {
        /// The lower end.
        from: f64,
        /// The upper end.
        to: f64,
    },
}

/// A span of simulated time, both ends included, s.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Window {
    /// Start, s.
    pub from: f64,
    /// End, s.
    pub to: f64,
}

impl Window {
    /// Whether a time lies in the window, give or take a rounding error of the time itself.
    pub fn contains(&self, time: f64) -> bool {
        let slack = 1e-9 * time.abs();
        time >= self.from - slack && time <= self.to + slack
    }

    /// Length, s.
    pub fn length(&self) -> f64 {
        self.to - self.from
    }
}

/// What a measured value is held against.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Bound {
    /// The value must not be larger.
    AtMost(f64),
    /// The value must not be smaller.
    AtLeast(f64),
    /// The value must be `value`, give or take `within`, in the value's own unit.
    Equals {
        /// The value expected.
        value: f64,
        /// Largest difference that still holds.
        within: f64,
    },
    /// None: the value is reported and held against nothing.
    None,
}

impl Bound {
    /// Whether no value from `least` on keeps the bound.
    pub fn is_broken_from(&self, least: f64) -> bool {
        match *self {
            Bound::AtMost(limit) => least > limit,
            Bound::AtLeast(_) | Bound::None => false,
            Bound::Equals { value, within } => least > value && !self.holds(least) && within.is_finite(),
        }
    }

    /// Whether a measured value keeps the bound; a value that is not a number never does.
    pub fn holds(&self, measured: f64) -> bool {
        match *self {
            Bound::AtMost(limit) => measured <= limit,
            Bound::AtLeast(limit) => measured >= limit,
            Bound::Equals { value, within } => (measured - value).abs() <= within || measured == value,
            Bound::None => true,
        }
    }

    /// How much of the bound a measured value uses up: at most 1 where the bound holds, above 1 where it does not,
    /// infinite for a value that is not a number. It says which of several claims came nearest to failing.
    pub fn used(&self, measured: f64) -> f64 {
        if !self.holds(measured) && measured.is_nan() {
            return f64::INFINITY;
        }
        let share = match *self {
            Bound::AtMost(limit) if limit > 0.0 => measured / limit,
            Bound::AtLeast(limit) if limit > 0.0 && measured > 0.0 => limit / measured,
            Bound::Equals { value, within } if within > 0.0 => (measured - value).abs() / within,
            _ if self.holds(measured) => 0.0,
            _ => f64::INFINITY,
        };
        // Rounding of the quotient must not contradict the verdict.
        if self.holds(measured) { share.clamp(0.0, 1.0) } else { share.max(1.0 + f64::EPSILON) }
    }

    /// The bound as a relation to read: `<= 0.01`, `>= 1`, `= 0.5 +- 0.005`.
    pub fn relation(&self, show: impl Fn(f64) -> String) -> String {
        match *self {
            Bound::AtMost(limit) => format!("<= {}", show(limit)),
            Bound::AtLeast(limit) => format!(">= {}", show(limit)),
            Bound::Equals { value, within: 0.0 } => format!("= {}", show(value)),
            Bound::Equals { value, within } => format!("= {} +- {}", show(value), show(within)),
            Bound::None => "none".to_owned(),
        }
    }
}

/// How much a failed claim weighs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// A failure fails the trial.
    Must,
    /// A failure is reported and fails nothing.
    Should,
}

/// How a claim or a trial turned out. The order is from best to worst.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// It holds.
    Pass,
    /// The engine says it lacks the feature.
    Unsupported,
    /// What the engine reports does not let anybody tell: neither for nor against it.
    Unknown,
    /// It does not hold.
    Fail,
    /// Crash, hang, bad answer, or an explosion that stopped the trial.
    Error,
}

impl Verdict {
    /// The word for it, in lower case.
    pub fn word(self) -> &'static str {
        match self {
            Verdict::Pass => "pass",
            Verdict::Unsupported => "unsupported",
            Verdict::Unknown => "unknown",
            Verdict::Fail => "fail",
            Verdict::Error => "error",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn claim(bound: Bound, single: Option<Bound>) -> Claim {
        Claim {
            name: String::new(),
            gauge: "momentum.balance".into(),
            of: vec![0],
            of_text: "ball".into(),
            against: Vec::new(),
            details: Details::default(),
            window: Window { from: 0.0, to: 1.0 },
            bound,
            single,
            severity: Severity::Must,
            because: "it is".into(),
        }
    }

    #[test]
    fn a_bound_with_roundings_is_wider_in_single_precision_and_far_from_the_origin() {
        // 1e-9 + 100 eps.
        let at = |scalar: Scalar| Bound::AtMost(1e-9 + 100.0 * scalar.epsilon());
        let claim = claim(at(Scalar::F64), Some(at(Scalar::F32)));
        let limit = |scalar, further| match claim.bound_for(scalar, further) {
            Bound::AtMost(limit) => limit,
            other => panic!("{other:?}"),
        };
        assert_eq!(claim.bound_for(Scalar::F64, 1.0), claim.bound);
        assert_eq!(claim.bound_for(Scalar::F64, 0.0), claim.bound);
        assert_eq!(Some(claim.bound_for(Scalar::F32, 1.0)), claim.single);
        for (scalar, further) in [(Scalar::F64, 1e5), (Scalar::F32, 1e3)] {
            let due = 1e-9 + 100.0 * scalar.epsilon() * further;
            assert!((limit(scalar, further) / due - 1.0).abs() < 1e-9, "{scalar:?} {further}");
        }
    }

    #[test]
    fn a_bound_without_roundings_is_the_same_everywhere() {
        for bound in [Bound::AtMost(1.0), Bound::AtLeast(2.0), Bound::Equals { value: 3.0, within: 0.1 }] {
            assert_eq!(claim(bound, None).bound_for(Scalar::F32, 1e6), bound);
        }
        let values = claim(
            Bound::Equals { value: 3.0, within: 1e-9 },
            Some(Bound::Equals { value: 3.0, within: 1e-9 + f64::from(f32::EPSILON) }),
        );
        let Bound::Equals { value, within } = values.bound_for(Scalar::F32, 10.0) else { panic!() };
        assert!(value == 3.0 && (within / (1e-9 + 10.0 * f64::from(f32::EPSILON)) - 1.0).abs() < 1e-6, "{within}");
    }

    #[test]
    fn what_only_grows_can_break_a_bound_from_above_alone() {
        for (bound, least, broken) in [
            (Bound::AtMost(3.0), 3.0, false),
            (Bound::AtMost(3.0), 4.0, true),
            (Bound::AtLeast(3.0), 1.0, false),
            (Bound::Equals { value: 3.0, within: 0.5 }, 1.0, false),
            (Bound::Equals { value: 3.0, within: 0.5 }, 3.5, false),
            (Bound::Equals { value: 3.0, within: 0.5 }, 4.0, true),
            (Bound::None, 9.0, false),
        ] {
            assert_eq!(bound.is_broken_from(least), broken, "{bound:?} from {least}");
        }
    }

    #[test]
    fn not_a_number_keeps_no_bound() {
        for bound in [
            Bound::AtMost(f64::INFINITY),
            Bound::AtLeast(f64::NEG_INFINITY),
            Bound::Equals { value: 0.0, within: f64::INFINITY },
        ] {
            assert!(!bound.holds(f64::NAN), "{bound:?}");
        }
    }

    #[test]
    fn the_share_used_agrees_with_the_verdict() {
        let bounds = [
            Bound::AtMost(2.0),
            Bound::AtMost(0.0),
            Bound::AtLeast(2.0),
            Bound::Equals { value: 3.0, within: 0.5 },
            Bound::Equals { value: 3.0, within: 0.0 },
        ];
        for bound in bounds {
            for measured in [-1.0, 0.0, 1.0, 2.0, 2.1, 2.6, 3.0, 3.4, f64::INFINITY, f64::NAN] {
                assert_eq!(bound.holds(measured), bound.used(measured) <= 1.0, "{bound:?} {measured}");
            }
        }
        assert_eq!(Bound::AtMost(2.0).used(1.0), 0.5);
        assert_eq!(Bound::AtLeast(2.0).used(8.0), 0.25);
    }

    #[test]
    fn bounds_include_their_edge() {
        assert!(Bound::AtMost(2.0).holds(2.0) && !Bound::AtMost(2.0).holds(2.1));
        assert!(Bound::AtLeast(2.0).holds(2.0) && !Bound::AtLeast(2.0).holds(1.9));
        assert!(Bound::Equals { value: 3.0, within: 0.5 }.holds(3.5));
        assert!(Bound::Equals { value: f64::INFINITY, within: 0.0 }.holds(f64::INFINITY));
    }

    #[test]
    fn a_window_holds_both_its_ends_and_what_rounds_to_them() {
        let window = Window { from: 0.1, to: 0.3 };
        assert!(window.contains(0.1) && window.contains(0.3) && window.contains(0.1 + 0.2));
        assert!(!window.contains(0.099) && !window.contains(0.301) && !window.contains(f64::NAN));
        assert!((window.length() - 0.2).abs() < 1e-15);
        let open = Window { from: 0.0, to: f64::INFINITY };
        assert!(open.contains(0.0) && open.contains(1e300));
    }

    #[test]
    fn relations_are_read_as_they_are_meant() {
        let show = |value: f64| format!("{value}");
        for (bound, text) in [
            (Bound::AtMost(2.0), "<= 2"),
            (Bound::AtLeast(-1.0), ">= -1"),
            (Bound::Equals { value: 3.0, within: 0.0 }, "= 3"),
            (Bound::Equals { value: 3.0, within: 0.5 }, "= 3 +- 0.5"),
            (Bound::None, "none"),
        ] {
            assert_eq!(bound.relation(show), text);
        }
    }

    #[test]
    fn bounds_and_verdicts_come_back_from_json() {
        for bound in [Bound::AtMost(0.1), Bound::AtLeast(-2.0), Bound::Equals { value: 1.0, within: 0.25 }, Bound::None]
        {
            let text = serde_json::to_string(&bound).unwrap();
            assert_eq!(serde_json::from_str::<Bound>(&text).unwrap(), bound, "{text}");
        }
        let all = [Verdict::Pass, Verdict::Unsupported, Verdict::Unknown, Verdict::Fail, Verdict::Error];
        // Of several the worst counts.
        assert!(all.windows(2).all(|two| two[0] < two[1]));
        for verdict in all {
            assert_eq!(serde_json::to_string(&verdict).unwrap(), format!("\"{}\"", verdict.word()));
        }
    }
}
