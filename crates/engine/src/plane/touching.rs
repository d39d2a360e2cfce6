//! When two outlines that do not turn will touch: exact roots, no stepping.

use crate::plane::vector::Vec2;

/// The outlines that the event solver knows, about their centres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Outline {
    Disc(f64),
    /// Half the width and height.
    Box(Vec2<f64>),
    HalfPlane {
        normal: Vec2<f64>,
        offset: f64,
    },
}

/// Place, speed and acceleration of the second outline's centre relative to the first's.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Relative {
    pub(crate) place: Vec2<f64>,
    pub(crate) speed: Vec2<f64>,
    pub(crate) pull: Vec2<f64>,
}

impl Relative {
    fn place_at(&self, time: f64) -> Vec2<f64> {
        self.place + self.speed * time + self.pull * (0.5 * time * time)
    }

    fn speed_at(&self, time: f64) -> Vec2<f64> {
        self.speed + self.pull * time
    }

    fn turned_round(&self) -> Relative {
        Relative { place: -self.place, speed: -self.speed, pull: -self.pull }
    }

    /// First time at which a face that looks along a direction is met from outside. What lies on its inner side has to come out and
    /// back again.
    fn closes_along(&self, direction: Vec2<f64>, to: f64) -> f64 {
        let place = direction.dot(self.place);
        if place > 0.0 {
            return self.falls_to(direction, to);
        }
        let (rate, pull) = (direction.dot(self.speed), direction.dot(self.pull));
        let inside = rate * rate - 2.0 * pull * (place - to);
        if rate > 0.0 && pull < 0.0 && inside > 0.0 { (rate + inside.sqrt()) / -pull } else { f64::INFINITY }
    }

    /// First time from now at which the distance along a direction has fallen to `to` while it falls; at once when it is already below.
    fn falls_to(&self, direction: Vec2<f64>, to: f64) -> f64 {
        falls_to_zero(direction.dot(self.place) - to, direction.dot(self.speed), direction.dot(self.pull))
    }
}

/// First t >= 0 with c + b t + a t^2 / 2 = 0 while it falls; 0 when it is not positive now and falls.
#[inline]
pub(crate) fn falls_to_zero(c: f64, b: f64, a: f64) -> f64 {
    if c <= 0.0 {
        if b < 0.0 {
            return 0.0;
        }
        if a >= 0.0 {
            return f64::INFINITY;
        }
        // Goes up first; comes down again through what it is now.
        let root = (b * b - 2.0 * a * c).max(0.0).sqrt();
        return (b + root) / -a;
    }
    if a == 0.0 {
        return if b < 0.0 { c / -b } else { f64::INFINITY };
    }
    let inside = b * b - 2.0 * a * c;
    if inside < 0.0 {
        return f64::INFINITY;
    }
    let root = inside.sqrt();
    if b < 0.0 {
        // The nearer root in the form that does not cancel.
        2.0 * c / (root - b)
    } else if a < 0.0 {
        (b + root) / -a
    } else {
        f64::INFINITY
    }
}

/// Time from now until two outlines touch while approaching; infinity when they do not.
#[inline]
pub(crate) fn time_to_touch(a: &Outline, b: &Outline, relative: &Relative) -> f64 {
    match (a, b) {
        (Outline::Disc(ra), Outline::Disc(rb)) => discs(ra + rb, relative),
        (Outline::Box(one), Outline::Box(other)) => boxes(*one + *other, relative),
        (Outline::Box(half), Outline::Disc(radius)) => rounded_box(*half, *radius, relative),
        (Outline::Disc(radius), Outline::Box(half)) => rounded_box(*half, *radius, &relative.turned_round()),
        (Outline::HalfPlane { normal, offset }, other) => relative.falls_to(*normal, offset + other.reach(*normal)),
        (other, Outline::HalfPlane { normal, offset }) => {
            relative.turned_round().falls_to(*normal, offset + other.reach(*normal))
        }
    }
}

impl Outline {
    /// How far the outline reaches from its centre against a direction.
    fn reach(&self, direction: Vec2<f64>) -> f64 {
        match self {
            Outline::Disc(radius) => *radius,
            Outline::Box(half) => half.x * direction.x.abs() + half.y * direction.y.abs(),
            Outline::HalfPlane { .. } => f64::INFINITY,
        }
    }

    /// Unit normal from this outline to another whose centre lies at `between`, and the point of contact from this centre.
    #[inline]
    pub(crate) fn contact(&self, other: &Outline, between: Vec2<f64>) -> (Vec2<f64>, Vec2<f64>) {
        let up = Vec2::new(0.0, 1.0);
        match (self, other) {
            (Outline::HalfPlane { normal, .. }, other) => (*normal, between - *normal * other.reach(*normal)),
            (one, Outline::HalfPlane { normal, .. }) => (-*normal, *normal * -one.reach(*normal)),
            (Outline::Disc(radius), Outline::Disc(_)) => {
                let normal = between.unit_or(up);
                (normal, normal * *radius)
            }
            (Outline::Box(half), Outline::Disc(radius)) => {
                let nearest = Vec2::new(between.x.clamp(-half.x, half.x), between.y.clamp(-half.y, half.y));
                let normal =
                    face_or((between - nearest).unit_or(Vec2::ZERO), between, *half + Vec2::new(*radius, *radius));
                (normal, between - normal * *radius)
            }
            (Outline::Disc(radius), Outline::Box(_)) => {
                let (normal, _) = other.contact(self, -between);
                (-normal, -normal * *radius)
            }
            (Outline::Box(one), Outline::Box(two)) => {
                let normal = face_or(Vec2::ZERO, between, *one + *two);
                // Boxes do not turn, so any point of the face will do: the middle of what they share.
                (normal, Vec2::new(normal.x * one.x, normal.y * one.y))
            }
        }
    }
}

/// A direction, or where there is none the face of a box of half size `half` through which `between` points out most.
fn face_or(direction: Vec2<f64>, between: Vec2<f64>, half: Vec2<f64>) -> Vec2<f64> {
    if direction != Vec2::ZERO {
        return direction;
    }
    if between.x.abs() - half.x > between.y.abs() - half.y {
        Vec2::new(1.0_f64.copysign(between.x), 0.0)
    } else {
        Vec2::new(0.0, 1.0_f64.copysign(between.y))
    }
}

/// Coefficients of |place(t)|^2 - r^2, from the constant on.
fn distance_polynomial(r: f64, relative: &Relative) -> [f64; 5] {
    let (p, v, a) = (relative.place, relative.speed, relative.pull);
    [p.dot(p) - r * r, 2.0 * p.dot(v), v.dot(v) + p.dot(a), v.dot(a), 0.25 * a.dot(a)]
}

fn discs(r: f64, relative: &Relative) -> f64 {
    let c = distance_polynomial(r, relative);
    if c[0] <= 0.0 && c[1] < 0.0 {
        return 0.0;
    }
    if relative.pull == Vec2::ZERO {
        // |v|^2 t^2 + 2 p.v t + c = 0, the nearer root.
        let half = 0.5 * c[1];
        let inside = half * half - c[2] * c[0];
        return if half < 0.0 && inside >= 0.0 { c[0] / (inside.sqrt() - half) } else { f64::INFINITY };
    }
    first_fall(&c)
}

/// First t >= 0 at which a polynomial falls through zero, by the roots of its derivatives (between two extremes it is monotone).
fn first_fall(coefficients: &[f64]) -> f64 {
    let value = |c: &[f64], t: f64| c.iter().rev().fold(0.0, |sum, &k| sum * t + k);
    // Beyond this no real root lies (Cauchy's bound).
    let leading = coefficients.iter().rposition(|&k| k != 0.0).unwrap_or(0);
    if leading == 0 {
        return f64::INFINITY;
    }
    let largest = coefficients[..leading].iter().fold(0.0_f64, |most, &k| most.max((k / coefficients[leading]).abs()));
    let end = 1.0 + largest;
    let roots = roots_between(&coefficients[..=leading], 0.0, end);
    let slope = derivative(coefficients);
    let touching = value(coefficients, 0.0) <= 0.0 && value(&slope, 0.0) < 0.0;
    if touching {
        return 0.0;
    }
    roots.into_iter().find(|&t| t > 0.0 && value(&slope, t) < 0.0).unwrap_or(f64::INFINITY)
}

fn derivative(c: &[f64]) -> Vec<f64> {
    c.iter().enumerate().skip(1).map(|(power, &k)| power as f64 * k).collect()
}

/// Real roots in a span, ascending.
fn roots_between(c: &[f64], from: f64, to: f64) -> Vec<f64> {
    let value = |t: f64| c.iter().rev().fold(0.0, |sum, &k| sum * t + k);
    if c.len() < 2 {
        return Vec::new();
    }
    let mut ends = vec![from];
    ends.extend(roots_between(&derivative(c), from, to));
    ends.push(to);
    let mut roots = Vec::new();
    for span in ends.windows(2) {
        let (mut low, mut high) = (span[0], span[1]);
        let sign = value(low) < 0.0;
        if (value(high) < 0.0) == sign {
            continue;
        }
        // Bisection down to neighbouring numbers: slow, and always right.
        loop {
            let middle = 0.5 * (low + high);
            if middle <= low || middle >= high {
                break;
            }
            if (value(middle) < 0.0) == sign {
                low = middle;
            } else {
                high = middle;
            }
        }
        roots.push(high);
    }
    roots
}

/// Boxes touch when the later of both axes closes while the other overlaps.
#[inline]
fn boxes(reach: Vec2<f64>, relative: &Relative) -> f64 {
    if relative.pull == Vec2::ZERO {
        return boxes_in_a_line(reach, relative);
    }
    let axes = [
        (Vec2::new(1.0, 0.0), reach.x, Vec2::new(0.0, 1.0), reach.y),
        (Vec2::new(0.0, 1.0), reach.y, Vec2::new(1.0, 0.0), reach.x),
    ];
    let mut best = f64::INFINITY;
    for (axis, reach, across, width) in axes {
        for direction in [axis, -axis] {
            let time = relative.closes_along(direction, reach);
            if time < best {
                let there = relative.place_at(time);
                let beside = across.dot(there).abs();
                let inside = beside < width;
                let deeper = reach - direction.dot(there) <= width - beside;
                if inside && (time > 0.0 || deeper) {
                    best = time;
                }
            }
        }
    }
    best
}

/// The same without acceleration: one division for each axis along which they close.
#[inline]
fn boxes_in_a_line(reach: Vec2<f64>, relative: &Relative) -> f64 {
    let (place, speed) = (relative.place, relative.speed);
    let mut best = f64::INFINITY;
    let axes = [
        (place.x, speed.x, reach.x, place.y, speed.y, reach.y),
        (place.y, speed.y, reach.y, place.x, speed.x, reach.x),
    ];
    for (along, rate, reach, across, drift, width) in axes {
        if along * rate >= 0.0 {
            continue;
        }
        let gap = along.abs() - reach;
        let time = if gap > 0.0 { gap / rate.abs() } else { 0.0 };
        let beside = (across + drift * time).abs();
        if time < best && beside < width && (time > 0.0 || -gap <= width - beside) {
            best = time;
        }
    }
    best
}

/// A disc against a box: the box grown by the radius, its corners rounded.
fn rounded_box(half: Vec2<f64>, radius: f64, relative: &Relative) -> f64 {
    let mut best = f64::INFINITY;
    let faces = [
        (Vec2::new(1.0, 0.0), half.x, Vec2::new(0.0, 1.0), half.y),
        (Vec2::new(0.0, 1.0), half.y, Vec2::new(1.0, 0.0), half.x),
    ];
    for (axis, reach, across, width) in faces {
        for direction in [axis, -axis] {
            let time = relative.closes_along(direction, reach + radius);
            if time < best && across.dot(relative.place_at(time)).abs() <= width {
                best = time;
            }
        }
    }
    for (x, y) in [(1.0, 1.0), (1.0, -1.0), (-1.0, 1.0), (-1.0, -1.0)] {
        let corner = Vec2::new(x * half.x, y * half.y);
        let from_corner = Relative { place: relative.place - corner, ..*relative };
        let time = discs(radius, &from_corner);
        if time < best {
            let there = from_corner.place_at(time);
            // The rounded part only: beyond the corner on both sides.
            if there.x * x >= 0.0 && there.y * y >= 0.0 && from_corner.speed_at(time).dot(there) <= 0.0 {
                best = time;
            }
        }
    }
    best
}

#[cfg(test)]
mod tests {
    use super::*;

    fn relative(place: (f64, f64), speed: (f64, f64), pull: (f64, f64)) -> Relative {
        let v = |(x, y): (f64, f64)| Vec2::new(x, y);
        Relative { place: v(place), speed: v(speed), pull: v(pull) }
    }

    #[test]
    fn known_times() {
        let ball = Outline::Disc(0.5);
        let square = Outline::Box(Vec2::new(1.0, 1.0));
        let floor = Outline::HalfPlane { normal: Vec2::new(0.0, 1.0), offset: 0.0 };
        for (a, b, motion, expected) in [
            (ball, ball, relative((3.0, 0.0), (-2.0, 0.0), (0.0, 0.0)), 1.0),
            (ball, ball, relative((3.0, 0.0), (2.0, 0.0), (0.0, 0.0)), f64::INFINITY),
            (ball, ball, relative((3.0, 2.0), (-2.0, 0.0), (0.0, 0.0)), f64::INFINITY),
            // Falls 4 m from rest: sqrt(2 * 4 / 2).
            (ball, ball, relative((0.0, 5.0), (0.0, 0.0), (0.0, -2.0)), 2.0),
            (floor, ball, relative((0.0, 4.5), (0.0, 0.0), (0.0, -2.0)), 2.0),
            (ball, floor, relative((0.0, -4.5), (0.0, 0.0), (0.0, 2.0)), 2.0),
            (square, square, relative((5.0, 1.0), (-1.5, 0.0), (0.0, 0.0)), 2.0),
            (square, square, relative((5.0, 2.5), (-1.5, 0.0), (0.0, 0.0)), f64::INFINITY),
            (square, ball, relative((0.3, 4.5), (0.0, -1.0), (0.0, 0.0)), 3.0),
            (ball, square, relative((-0.3, -4.5), (0.0, 1.0), (0.0, 0.0)), 3.0),
            // Onto the corner, along the diagonal: distance of the centre from the corner 5 m, less the radius.
            (square, ball, relative((4.0, 5.0), (-0.6, -0.8), (0.0, 0.0)), 4.5),
        ] {
            let found = time_to_touch(&a, &b, &motion);
            assert!((found - expected).abs() < 1e-12 || found == expected, "{a:?} {b:?} {motion:?}: {found}");
        }
    }

    #[test]
    fn touching_and_parting_is_no_impact_and_coming_back_is() {
        assert_eq!(falls_to_zero(0.0, 3.0, 0.0), f64::INFINITY);
        assert_eq!(falls_to_zero(0.0, -3.0, 0.0), 0.0);
        // Thrown up at 3 under -2: back after 2 * 3 / 2.
        assert_eq!(falls_to_zero(0.0, 3.0, -2.0), 3.0);
    }

    /// Gap of two outlines at a relative place, by plain geometry.
    fn gap(a: &Outline, b: &Outline, place: Vec2<f64>) -> f64 {
        match (a, b) {
            (Outline::Disc(ra), Outline::Disc(rb)) => place.length() - ra - rb,
            (Outline::Box(one), Outline::Box(two)) => {
                (place.x.abs() - one.x - two.x).max(place.y.abs() - one.y - two.y)
            }
            (Outline::Box(half), Outline::Disc(radius)) | (Outline::Disc(radius), Outline::Box(half)) => {
                let out = Vec2::new((place.x.abs() - half.x).max(0.0), (place.y.abs() - half.y).max(0.0));
                let inside = (place.x.abs() - half.x).max(place.y.abs() - half.y).min(0.0);
                out.length() + inside - radius
            }
            _ => f64::INFINITY,
        }
    }

    proptest::proptest! {
        #![proptest_config(proptest::prelude::ProptestConfig::with_cases(2000))]
        /// The time found against small steps: nothing overlaps before it, and the outlines touch at it.
        #[test]
        fn nothing_touches_before_the_time_found(
            kinds in 0..3_u8, x in -4.0..4.0_f64, y in -4.0..4.0_f64, vx in -3.0..3.0_f64, vy in -3.0..3.0_f64, pull in proptest::prelude::prop_oneof![proptest::prelude::Just(0.0), -2.0..2.0_f64],
        ) {
            let (disc, square) = (Outline::Disc(0.6), Outline::Box(Vec2::new(0.9, 0.4)));
            let (a, b) = [(disc, Outline::Disc(0.3)), (square, disc), (square, Outline::Box(Vec2::new(0.3, 0.7)))][usize::from(kinds)];
            let motion = relative((x, y), (vx, vy), (0.0, pull));
            if gap(&a, &b, motion.place) > 0.0 {
                let found = time_to_touch(&a, &b, &motion);
                let until = found.min(6.0);
                for k in 0..600 {
                    let time = until * f64::from(k) / 600.0;
                    proptest::prop_assert!(gap(&a, &b, motion.place_at(time)) > -1e-9, "overlap at {time}, found {found}");
                }
                if found.is_finite() {
                    let there = gap(&a, &b, motion.place_at(found));
                    proptest::prop_assert!(there.abs() < 1e-7, "gap {there} at {found}");
                }
            }
        }
    }
}
