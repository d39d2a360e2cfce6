//! A reading held against a bound.

use crate::entry::GaugeEntry;
use crate::gauge::Reading;
use ironspin_model::{Bound, Verdict};

/// How a claim turned out.
#[derive(Clone, Debug, PartialEq)]
pub struct Outcome {
    /// Pass, fail or not known.
    pub verdict: Verdict,
    /// Measured against bound, in words.
    pub reason: String,
}

/// Holds a reading of a gauge against a bound. Of a count the right digits are reported; of another value that is missed, by what plain
/// ratio it is, where there is one: that often names the mistake.
pub fn judge(gauge: &GaugeEntry, reading: &Reading, bound: &Bound) -> Outcome {
    if *bound == Bound::None {
        let reported = if reading.value.is_some() { "" } else { "not measured: " };
        return Outcome { verdict: Verdict::Pass, reason: format!("{reported}{}", reading.detail) };
    }
    if reading.unsupported {
        return Outcome { verdict: Verdict::Unsupported, reason: reading.detail.clone() };
    }
    let Some(value) = reading.value else {
        return Outcome { verdict: Verdict::Fail, reason: format!("not measured: {}", reading.detail) };
    };
    if !reading.at_least_because.is_empty() && !bound.is_broken_from(value) {
        let least = if reading.detail.is_empty() { String::new() } else { format!("; at least {}", reading.detail) };
        return Outcome {
            verdict: Verdict::Unknown,
            reason: format!("not known: {}{least}", reading.at_least_because),
        };
    }
    let holds = bound.holds(value);
    let mut reason = reading.detail.clone();
    if let (true, Bound::Equals { value: expected, .. }) = (gauge.counts, bound) {
        let digits = right_digits(value, *expected);
        let all = format!("{expected:.0}").len();
        let digits = if holds && all == 1 {
            "its digit right".to_owned()
        } else if holds {
            format!("all {all} digits right")
        } else {
            format!("{digits} of {all} digits right")
        };
        reason = if reason.is_empty() { digits } else { format!("{digits}; {reason}") };
    }
    if let (false, false, Bound::Equals { value: expected, .. }) = (holds, gauge.counts, bound)
        && let Some(ratio) = plain_ratio(value, *expected, gauge.unit == "1")
    {
        reason = if reason.is_empty() { ratio.to_owned() } else { format!("{ratio}; {reason}") };
    }
    Outcome { verdict: if holds { Verdict::Pass } else { Verdict::Fail }, reason }
}

/// Ratios that mistakes are known to give.
const RATIOS: [(f64, &str); 14] = [
    (2.0, "twice what is due"),
    (0.5, "half of what is due"),
    (-1.0, "what is due with the other sign"),
    (4.0, "four times what is due"),
    (0.25, "a quarter of what is due"),
    (std::f64::consts::SQRT_2, "what is due times the square root of two"),
    (std::f64::consts::FRAC_1_SQRT_2, "what is due over the square root of two"),
    (180.0 / std::f64::consts::PI, "what is due times 180 / pi: are degrees taken for radians?"),
    (std::f64::consts::PI / 180.0, "what is due times pi / 180: are radians taken for degrees?"),
    (std::f64::consts::TAU, "what is due times 2 pi: are turns taken for radians?"),
    (1.0 / std::f64::consts::TAU, "what is due over 2 pi: are radians taken for turns?"),
    (1000.0, "a thousand times what is due: a unit of time or length?"),
    (0.001, "a thousandth of what is due: a unit of time or length?"),
    (1e6, "a million times what is due: a unit squared?"),
];

/// How near a value must be to a plain ratio, as a share of it.
const NEAR_RATIO: f64 = 0.005;

/// The plain ratio of a value to what is due, in words, if there is one. `pure` says that it is a number without unit, of which the square
/// and the square root are something.
fn plain_ratio(value: f64, due: f64, pure: bool) -> Option<&'static str> {
    let near = |wanted: f64| wanted != 0.0 && (value - wanted).abs() <= NEAR_RATIO * wanted.abs();
    if let Some((_, words)) = RATIOS.iter().find(|(ratio, _)| near(ratio * due)) {
        return Some(words);
    }
    let powers = [(due.max(0.0).sqrt(), "the square root of what is due"), (due * due, "the square of what is due")];
    powers.into_iter().find(|(wanted, _)| pure && near(*wanted)).map(|(_, words)| words)
}

/// How many leading digits of a count are right: none unless it has as many digits as expected.
fn right_digits(measured: f64, expected: f64) -> usize {
    let (measured, expected) = (format!("{measured:.0}"), format!("{expected:.0}"));
    if measured.len() != expected.len() {
        return 0;
    }
    measured.bytes().zip(expected.bytes()).take_while(|(a, b)| a == b).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn count() -> &'static GaugeEntry {
        crate::find("impacts.count").unwrap()
    }

    fn value() -> &'static GaugeEntry {
        crate::find("value.vx").unwrap()
    }

    #[test]
    fn a_plain_ratio_is_named_where_a_value_is_missed_and_only_there() {
        let said = |gauge: &str, value: f64, due: f64| {
            let bound = Bound::Equals { value: due, within: 0.001 * due.abs() };
            judge(crate::find(gauge).unwrap(), &Reading::of(value, "at 1.000 s"), &bound).reason
        };
        assert_eq!(said("value.vx", 1.5, 3.0), "half of what is due; at 1.000 s");
        assert_eq!(said("value.spin", 2.0, -2.0), "what is due with the other sign; at 1.000 s");
        assert_eq!(
            said("value.spin", 1.0 / 57.29578, 1.0),
            "what is due times pi / 180: are radians taken for degrees?; at 1.000 s"
        );
        assert_eq!(said("rebound.speed", 0.3_f64.sqrt(), 0.3), "the square root of what is due; at 1.000 s");
        assert_eq!(said("rebound.height", 0.09, 0.3), "the square of what is due; at 1.000 s");
        // The square root of a speed is no speed.
        assert_eq!(said("value.vx", 0.3_f64.sqrt(), 0.3), "at 1.000 s");
        assert_eq!(said("value.vx", 1.1, 1.0), "at 1.000 s");
        assert_eq!(said("value.vx", 0.0, 1.0), "at 1.000 s");
        assert_eq!(said("value.vx", 1.0, 1.0), "at 1.000 s");
        assert!(said("impacts.count", 22.0, 11.0).starts_with("0 of 2 digits right"));
    }

    #[test]
    fn digits_are_counted_from_the_left() {
        assert_eq!(right_digits(314.0, 314.0), 3);
        assert_eq!(right_digits(312.0, 314.0), 2);
        assert_eq!(right_digits(31.0, 314.0), 0);
        assert_eq!(right_digits(214.0, 314.0), 0);
    }

    #[test]
    fn what_is_not_known_neither_passes_nor_fails_unless_it_is_too_much_already() {
        let reading = Reading::of(43.0, "43 of light with wall").at_least("notices may be sums");
        for (bound, verdict) in [
            (Bound::Equals { value: 314.0, within: 0.0 }, Verdict::Unknown),
            (Bound::Equals { value: 43.0, within: 0.0 }, Verdict::Unknown),
            (Bound::Equals { value: 31.0, within: 0.5 }, Verdict::Fail),
            (Bound::AtMost(50.0), Verdict::Unknown),
            (Bound::AtMost(40.0), Verdict::Fail),
            (Bound::AtLeast(40.0), Verdict::Unknown),
        ] {
            assert_eq!(judge(count(), &reading, &bound).verdict, verdict, "{bound:?}");
        }
        let outcome = judge(count(), &reading, &Bound::AtLeast(1.0));
        assert_eq!(outcome.reason, "not known: notices may be sums; at least 43 of light with wall");
    }

    #[test]
    fn what_was_not_measured_does_not_pass() {
        let outcome = judge(value(), &Reading::nothing("no impact"), &Bound::AtMost(f64::INFINITY));
        assert_eq!(outcome.verdict, Verdict::Fail);
        let outcome = judge(value(), &Reading::of(f64::NAN, ""), &Bound::AtMost(1.0));
        assert_eq!(outcome.verdict, Verdict::Fail);
        let outcome = judge(value(), &Reading::nothing("no impact"), &Bound::None);
        assert_eq!((outcome.verdict, outcome.reason.as_str()), (Verdict::Pass, "not measured: no impact"));
    }
}
