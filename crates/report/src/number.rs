//! Numbers for people.

use ironspin_model::Bound;

/// A number with four significant digits, without needless zeros: `0.01`, `314`, `6.283`, `1.2e-13`.
pub fn show(value: f64) -> String {
    show_digits(value, FEWEST)
}

/// Significant digits of a number unless more are needed.
const FEWEST: usize = 4;
/// Digits that tell any two numbers apart.
const MOST: usize = 17;

/// A measured value and its bound, with as many digits that what is read says the same as what was judged.
pub(crate) fn told_apart(measured: f64, bound: &Bound, unit: &str) -> (String, String) {
    let read = |digits: usize| move |value: f64| show_digits(value, digits).parse::<f64>().unwrap_or(value);
    let says_it = |digits: usize| {
        let read = read(digits);
        let shown = match *bound {
            Bound::AtMost(limit) => Bound::AtMost(read(limit)),
            Bound::AtLeast(limit) => Bound::AtLeast(read(limit)),
            Bound::Equals { value, within } => Bound::Equals { value: read(value), within: read(within) },
            Bound::None => return true,
        };
        shown.holds(read(measured)) == bound.holds(measured)
    };
    let digits = (FEWEST..MOST).find(|&digits| says_it(digits)).unwrap_or(MOST);
    let own = |value: f64| with_named_unit(&show_digits(value, digits), unit);
    (own(measured), bound.relation(own))
}

/// The same for a value that may be missing.
pub(crate) fn measured_and_bound(measured: Option<f64>, bound: &Bound, unit: &str, missing: &str) -> (String, String) {
    match measured {
        Some(value) => told_apart(value, bound, unit),
        None => (missing.to_owned(), bound.relation(|value| with_unit(value, unit))),
    }
}

fn show_digits(value: f64, digits: usize) -> String {
    if value == 0.0 {
        return "0".to_owned();
    }
    if !value.is_finite() {
        return if value.is_nan() {
            "nan".to_owned()
        } else if value > 0.0 {
            "inf".to_owned()
        } else {
            "-inf".to_owned()
        };
    }
    let size = value.abs();
    if (1e-3..1e9).contains(&size) && value.fract() == 0.0 {
        return format!("{value:.0}");
    }
    if !(1e-3..1e6).contains(&size) {
        let text = format!("{value:.*e}", digits - 1);
        let (digits, exponent) = text.split_once('e').unwrap_or((&text, "0"));
        return format!("{}e{exponent}", trimmed(digits));
    }
    let before_point = size.log10().floor() as i32 + 1;
    let decimals = usize::try_from((digits as i32 - before_point).clamp(0, digits as i32 + 2)).unwrap_or(0);
    trimmed(&format!("{value:.decimals$}")).to_owned()
}

/// A number with its unit, where it has one of its own.
pub fn with_unit(value: f64, unit: &str) -> String {
    with_named_unit(&show(value), unit)
}

fn with_named_unit(number: &str, unit: &str) -> String {
    named_unit(unit).map_or_else(|| number.to_owned(), |unit| format!("{number} {unit}"))
}

/// A unit that can stand behind a number: a pure number has none, and that of a claim's own measure is known to the claim alone.
pub(crate) fn named_unit(unit: &str) -> Option<&str> {
    (unit != "1" && unit != ironspin_gauge::UNIT_OF_THE_CLAIM).then_some(unit)
}

/// A name with the unit of what it names, for the side of a plot.
pub(crate) fn name_with_unit(name: &str, unit: &str) -> String {
    named_unit(unit).map_or_else(|| name.to_owned(), |unit| format!("{name}, {unit}"))
}

fn trimmed(text: &str) -> &str {
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { text }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_read_says_what_was_judged() {
        for (measured, bound, expected) in [
            (0.999_99, Bound::AtMost(1.0), ("1", "<= 1")),
            (1.000_02, Bound::AtMost(1.0), ("1.00002", "<= 1")),
            (12.5674, Bound::Equals { value: 12.5664, within: 0.0009 }, ("12.567", "= 12.566 +- 9e-4")),
            (12.5670, Bound::Equals { value: 12.5664, within: 0.0009 }, ("12.57", "= 12.57 +- 9e-4")),
            (99.999_96, Bound::AtLeast(100.0), ("99.99996", ">= 100")),
            (f64::INFINITY, Bound::AtMost(1.0), ("inf", "<= 1")),
            (3.0_f64.next_up(), Bound::AtMost(3.0), ("3.0000000000000004", "<= 3")),
        ] {
            let (shown, relation) = told_apart(measured, &bound, "1");
            assert_eq!((shown.as_str(), relation.as_str()), expected, "{measured} {bound:?}");
        }
        assert_eq!(told_apart(1.000_02, &Bound::AtMost(1.0), "m"), ("1.00002 m".to_owned(), "<= 1 m".to_owned()));
        assert_eq!(measured_and_bound(None, &Bound::AtLeast(2.0), "m", "-"), ("-".to_owned(), ">= 2 m".to_owned()));
    }

    #[test]
    fn a_number_without_a_unit_of_its_own_stands_alone() {
        assert_eq!(with_unit(0.5, "m/s"), "0.5 m/s");
        assert_eq!(with_unit(0.5, "1"), "0.5");
        assert_eq!(with_unit(0.5, ironspin_gauge::find("value.measure").unwrap().unit), "0.5");
        assert_eq!(name_with_unit("value.measure", "as the claim"), "value.measure");
        assert_eq!(name_with_unit("value.vx", "m/s"), "value.vx, m/s");
    }

    #[test]
    fn four_digits_and_no_needless_zeros() {
        for (value, text) in [
            (0.0, "0"),
            (314.0, "314"),
            (31_415_926.0, "31415926"),
            (0.5, "0.5"),
            (0.01, "0.01"),
            (std::f64::consts::TAU, "6.283"),
            (0.012_345, "0.01235"),
            (-12.0, "-12"),
            (123_456.7, "123457"),
            (1.2e-13, "1.2e-13"),
            (2.5e9, "2.5e9"),
            (f64::NAN, "nan"),
            (f64::NEG_INFINITY, "-inf"),
        ] {
            assert_eq!(show(value), text);
        }
        assert_eq!(with_unit(0.5, "1"), "0.5");
        assert_eq!(with_unit(0.5, "m/s"), "0.5 m/s");
    }
}
