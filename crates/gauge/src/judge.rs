//! A reading held against a bound.

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

/// Holds a reading against a bound. `counts` says that the value is a count, for which the right digits are reported.
pub fn judge(reading: &Reading, bound: &Bound, counts: bool) -> Outcome {
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
    if let (true, Bound::Equals { value: expected, .. }) = (counts, bound) {
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
    Outcome { verdict: if holds { Verdict::Pass } else { Verdict::Fail }, reason }
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
            assert_eq!(judge(&reading, &bound, true).verdict, verdict, "{bound:?}");
        }
        let outcome = judge(&reading, &Bound::AtLeast(1.0), true);
        assert_eq!(outcome.reason, "not known: notices may be sums; at least 43 of light with wall");
    }

    #[test]
    fn what_was_not_measured_does_not_pass() {
        let outcome = judge(&Reading::nothing("no impact"), &Bound::AtMost(f64::INFINITY), false);
        assert_eq!(outcome.verdict, Verdict::Fail);
        let outcome = judge(&Reading::of(f64::NAN, ""), &Bound::AtMost(1.0), false);
        assert_eq!(outcome.verdict, Verdict::Fail);
        let outcome = judge(&Reading::nothing("no impact"), &Bound::None, false);
        assert_eq!((outcome.verdict, outcome.reason.as_str()), (Verdict::Pass, "not measured: no impact"));
    }
}
