//! Mass and inertia from geometry.

use ironspin_model::Shape;

/// Mass and moment of inertia of one shape about its own centre.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct MassProperties {
    /// kg.
    pub mass: f64,
    /// kg m², about the centre of mass.
    pub inertia: f64,
}

/// Mass properties of a homogeneous planar shape: disc m = rho pi r², I = m r² / 2; box m = rho w h,
/// I = m (w² + h²) / 12. `None` for a half-plane, which has no finite mass.
/// Source: textbook integrals of the area density.
pub fn mass_properties(shape: &Shape, density: f64) -> Option<MassProperties> {
    match shape {
        Shape::Disc(radius) => {
            let mass = density * std::f64::consts::PI * radius * radius;
            Some(MassProperties { mass, inertia: 0.5 * mass * radius * radius })
        }
        Shape::Box(size) => {
            let mass = density * size.x * size.y;
            Some(MassProperties { mass, inertia: mass * size.length_squared() / 12.0 })
        }
        Shape::HalfPlane(_) => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::DVec2;

    /// Sums thin squares: a second, naive way to the same integral.
    fn by_squares(inside: impl Fn(DVec2) -> bool, half: f64) -> MassProperties {
        let n = 800;
        let side = 2.0 * half / f64::from(n);
        let mut total = MassProperties { mass: 0.0, inertia: 0.0 };
        for row in 0..n {
            for column in 0..n {
                let middle = DVec2::new(f64::from(column) + 0.5, f64::from(row) + 0.5) * side - half;
                if inside(middle) {
                    total.mass += side * side;
                    total.inertia += side * side * middle.length_squared();
                }
            }
        }
        total
    }

    #[test]
    fn agrees_with_summed_squares() {
        let size = DVec2::new(1.0, 0.5);
        let cases = [
            (Shape::Disc(0.5), by_squares(|p| p.length() <= 0.5, 0.5)),
            (Shape::Box(size), by_squares(|p| p.abs().cmple(0.5 * size).all(), 0.5)),
        ];
        for (shape, naive) in cases {
            let exact = mass_properties(&shape, 3.0).unwrap();
            assert!((exact.mass / (3.0 * naive.mass) - 1.0).abs() < 1e-3, "{shape:?}");
            assert!((exact.inertia / (3.0 * naive.inertia) - 1.0).abs() < 2e-3, "{shape:?}");
        }
    }
}
