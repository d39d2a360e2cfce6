//! What was found in each direction, as a polar plot in SVG: a circle where the answer does not depend on the direction.

use crate::look::hex;
use crate::look::{BOUND, GRID, INK, SERIES};
use crate::number::show;
use std::fmt::Write;

/// Size of the picture and of its rim, px.
const SIDE: f64 = 300.0;
const RIM: f64 = 105.0;
/// A spread of a smaller share of the mean is drawn larger, up to this share.
const VISIBLE: f64 = 0.25;

/// A polar plot; `ways` are directions to the right and up with what was found there, `axes` where the axes of the world point.
pub(crate) fn polar(gauge: &str, ways: &[([f64; 2], f64)], axes: &[(char, [f64; 2])]) -> String {
    let mean = ways.iter().map(|(_, value)| value).sum::<f64>() / ways.len() as f64;
    let off = ways.iter().map(|(_, value)| (value - mean).abs()).fold(0.0, f64::max) / mean.abs();
    let larger = magnified(off);
    // What is of the other sign stands in the middle.
    let radius = |value: f64| (RIM * (1.0 + larger * (value - mean) / mean) / (1.0 + VISIBLE.max(off))).max(0.0);
    let place = |[x, y]: [f64; 2], r: f64| {
        let length = x.hypot(y).max(f64::MIN_POSITIVE);
        [SIDE / 2.0 + r * x / length, SIDE / 2.0 + 8.0 - r * y / length]
    };
    let [middle, level] = [SIDE / 2.0, SIDE / 2.0 + 8.0];
    let mut svg = String::new();
    // Writing to a string cannot fail.
    let _ = write!(
        svg,
        r#"<svg width="{SIDE}" height="{SIDE}" viewBox="0 0 {SIDE} {SIDE}" xmlns="http://www.w3.org/2000/svg" font-family="sans-serif" font-size="12">"#
    );
    let _ = write!(
        svg,
        r#"<text x="{middle}" y="14" text-anchor="middle" font-size="15">{gauge} by direction, from above</text>"#
    );
    for k in 0..8 {
        let angle = f64::from(k) * std::f64::consts::FRAC_PI_4;
        let [x, y] = place([libm::cos(angle), libm::sin(angle)], RIM);
        let _ = write!(svg, r#"<path d="M{middle} {level}L{x:.1} {y:.1}" stroke="{}"/>"#, hex(GRID));
    }
    let _ = write!(svg, r#"<circle cx="{middle}" cy="{level}" r="{RIM}" fill="none" stroke="{}"/>"#, hex(GRID));
    for &(name, axis) in axes {
        let [x, y] = place(axis, RIM + 12.0);
        let _ = write!(svg, r#"<text x="{x:.1}" y="{:.1}" text-anchor="middle">{name}</text>"#, y + 4.0);
    }
    let _ = write!(
        svg,
        r#"<circle cx="{middle}" cy="{level}" r="{:.1}" fill="none" stroke="{}" stroke-dasharray="6 4"/>"#,
        radius(mean),
        hex(BOUND)
    );
    let mut sorted: Vec<_> = ways.to_vec();
    sorted.sort_by(|(a, _), (b, _)| libm::atan2(a[1], a[0]).total_cmp(&libm::atan2(b[1], b[0])));
    let dots: Vec<[f64; 2]> = sorted.iter().map(|&(way, value)| place(way, radius(value))).collect();
    let path: String = dots.iter().map(|[x, y]| format!("{x:.1},{y:.1} ")).collect();
    let colour = hex(SERIES[0]);
    let _ = write!(svg, r#"<polygon points="{}" fill="none" stroke="{colour}" stroke-width="1.5"/>"#, path.trim_end());
    for [x, y] in &dots {
        let _ = write!(svg, r#"<circle cx="{x:.1}" cy="{y:.1}" r="2.5" fill="{colour}"/>"#);
    }
    let scale = if larger > 1.0 { format!(", differences {} times as large", show(larger)) } else { String::new() };
    let _ = write!(
        svg,
        r#"<text x="{middle}" y="{}" text-anchor="middle" fill="{}">dashed: the mean, {}{scale}</text></svg>"#,
        SIDE - 8.0,
        hex(INK),
        show(mean)
    );
    svg
}

/// How many times as large differences are drawn so that they are seen, a power of ten.
fn magnified(off: f64) -> f64 {
    if !(off > 1e-12) {
        return 1.0;
    }
    let wanted = (VISIBLE / off).log10().floor();
    libm::pow(10.0, wanted.clamp(0.0, 12.0))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ways(value: impl Fn(f64) -> f64) -> Vec<([f64; 2], f64)> {
        (0..16)
            .map(|k| {
                let angle = std::f64::consts::TAU * f64::from(k) / 16.0;
                ([angle.cos(), angle.sin()], value(angle))
            })
            .collect()
    }

    #[test]
    fn a_pyramid_of_friction_is_no_circle_and_small_differences_are_drawn_larger() {
        let pyramid =
            polar("friction.isotropy", &ways(|a| 1.0 / (a.cos().abs() + a.sin().abs())), &[('x', [1.0, 0.0])]);
        assert!(pyramid.contains("dashed: the mean") && !pyramid.contains("times as large"), "{pyramid}");
        assert_eq!(pyramid.matches("<circle").count(), 18);
        assert!(pyramid.contains(">x</text>"));
        let nearly = polar("friction.isotropy", &ways(|a| 1.0 + 1e-3 * a.cos()), &[]);
        assert!(nearly.contains("100 times as large"), "{nearly}");
        assert_eq!(magnified(0.0), 1.0);
    }
}
