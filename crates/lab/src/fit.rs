//! Straight lines through points, with how well the slope is known.

use statrs::distribution::{ContinuousCDF, StudentsT};

/// A line y = at_zero + slope x.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Line {
    /// Its slope.
    pub slope: f64,
    /// Its value at x = 0.
    pub at_zero: f64,
    /// Half the width of the 95 % confidence interval of the slope (Student's t with n - 2 degrees of freedom); infinite for two points.
    pub margin: f64,
}

/// The line of least squares through points; nothing for fewer than two places along x.
pub fn line(points: &[(f64, f64)]) -> Option<Line> {
    let count = points.len() as f64;
    if points.len() < 2 {
        return None;
    }
    let mean = |of: fn(&(f64, f64)) -> f64| points.iter().map(of).sum::<f64>() / count;
    let (x, y) = (mean(|p| p.0), mean(|p| p.1));
    let spread = points.iter().map(|p| (p.0 - x) * (p.0 - x)).sum::<f64>();
    if !(spread > 0.0) || !spread.is_finite() || !y.is_finite() {
        return None;
    }
    let slope = points.iter().map(|p| (p.0 - x) * (p.1 - y)).sum::<f64>() / spread;
    let at_zero = y - slope * x;
    let rest = points.iter().map(|p| (p.1 - at_zero - slope * p.0).powi(2)).sum::<f64>();
    let freedom = count - 2.0;
    let margin = match StudentsT::new(0.0, 1.0, freedom) {
        Ok(student) if freedom > 0.0 => student.inverse_cdf(0.975) * (rest / freedom / spread).sqrt(),
        _ => f64::INFINITY,
    };
    Some(Line { slope, at_zero, margin })
}

/// The power of x by which y grows, y = c x^slope: the line through the logarithms. Points that are not above nothing are left out.
pub fn power_law(points: &[(f64, f64)]) -> Option<Line> {
    let kept: Vec<(f64, f64)> =
        points.iter().filter(|p| p.0 > 0.0 && p.1 > 0.0).map(|p| (libm::log(p.0), libm::log(p.1))).collect();
    line(&kept)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_through_points_of_a_line_is_that_line() {
        let found = line(&[(0.0, 1.0), (1.0, 3.0), (2.0, 5.0), (3.0, 7.0)]).unwrap();
        assert!((found.slope - 2.0).abs() < 1e-12 && (found.at_zero - 1.0).abs() < 1e-12 && found.margin < 1e-6);
    }

    #[test]
    fn the_margin_is_that_of_a_table_of_student() {
        // y = x with residuals +1, -2, +1 at 0, 1, 2 after the fit: rest 6, spread 2, one degree of freedom: 12.706 sqrt(6/2).
        let found = line(&[(0.0, 1.0), (1.0, -1.0), (2.0, 3.0)]).unwrap();
        assert!((found.slope - 1.0).abs() < 1e-12);
        assert!((found.margin - 12.706_204_736 * 3.0_f64.sqrt()).abs() < 1e-3, "{}", found.margin);
    }

    #[test]
    fn a_power_is_found_and_too_little_is_nothing() {
        let cubes: Vec<(f64, f64)> = (1..6).map(|x| (f64::from(x), 2.0 * f64::from(x * x * x))).collect();
        assert!((power_law(&cubes).unwrap().slope - 3.0).abs() < 1e-12);
        assert_eq!(line(&[(1.0, 1.0)]), None);
        assert_eq!(line(&[(1.0, 1.0), (1.0, 2.0)]), None);
        assert_eq!(power_law(&[(1.0, 0.0), (2.0, 1.0)]), None);
        assert_eq!(line(&[(0.0, 0.0), (1.0, 1.0)]).unwrap().margin, f64::INFINITY);
    }
}
