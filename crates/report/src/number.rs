//! Numbers for people.

/// A number with four significant digits, without needless zeros: `0.01`, `314`, `6.283`, `1.2e-13`.
pub fn show(value: f64) -> String {
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
        let text = format!("{value:.3e}");
        let (digits, exponent) = text.split_once('e').unwrap_or((&text, "0"));
        return format!("{}e{exponent}", trimmed(digits));
    }
    let before_point = size.log10().floor() as i32 + 1;
    let decimals = usize::try_from((4 - before_point).clamp(0, 6)).unwrap_or(0);
    trimmed(&format!("{value:.decimals$}")).to_owned()
}

/// A number with its unit, where it has one of its own.
pub fn with_unit(value: f64, unit: &str) -> String {
    named_unit(unit).map_or_else(|| show(value), |unit| format!("{} {unit}", show(value)))
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
