//! What a soft body encloses and stores.

use super::{NodeSpring, Pressure, SoftBody};
use glam::{DVec2, DVec3};

impl SoftBody {
    /// Area inside the skin, m², by Gauss's theorem: half the sum of x_a × x_b over its segments. `at` gives the place of a node of the
    /// body by its number. Of an open skin it means nothing.
    pub fn enclosed(&self, at: impl Fn(usize) -> DVec3) -> f64 {
        // Seen from one of its nodes, so that a place far out costs no digits.
        let Some(&[origin, _]) = self.skin.first() else { return 0.0 };
        let origin = at(origin).truncate();
        let half = |&[a, b]: &[usize; 2]| (at(a).truncate() - origin).perp_dot(at(b).truncate() - origin);
        0.5 * self.skin.iter().map(half).sum::<f64>()
    }

    /// Twice the signed area of a cell, m²: above zero as built, below zero turned inside out.
    pub fn cell_turn(&self, cell: usize, at: impl Fn(usize) -> DVec3) -> f64 {
        let [a, b, c] = self.cells[cell].map(|node| at(node).truncate());
        (b - a).perp_dot(c - a)
    }

    /// Energy of its springs, J: k (l - length)² / 2 each.
    pub fn spring_energy(&self, at: impl Fn(usize) -> DVec3) -> f64 {
        self.springs.iter().map(|spring| spring.energy(spring.span(&at))).sum()
    }

    /// Energy of its gas at constant temperature, J, against the volume `built`; 0 without gas. A skin that encloses nothing has left the
    /// law: its energy is infinite.
    pub fn gas_energy(&self, built: f64, at: impl Fn(usize) -> DVec3) -> f64 {
        self.pressure.map_or(0.0, |pressure| pressure.energy(built, self.enclosed(at)))
    }

    /// Whether it has a skin, and every node begins as many of its segments as it ends. The numbers of nodes must be known to be sound.
    pub fn is_closed(&self) -> bool {
        !self.skin.is_empty() && self.open_node().is_none()
    }
}

impl NodeSpring {
    /// How long it is, m.
    pub fn span(&self, at: impl Fn(usize) -> DVec3) -> f64 {
        let [a, b] = self.ends;
        between(at(a), at(b))
    }

    /// J at a length.
    pub fn energy(&self, span: f64) -> f64 {
        0.5 * self.stiffness * (span - self.length) * (span - self.length)
    }

    /// How much longer it is than at rest, as a share of its rest length; of one without a length nothing.
    pub fn strain(&self, span: f64) -> Option<f64> {
        (self.length > 0.0).then(|| (span - self.length) / self.length)
    }
}

impl Pressure {
    /// Energy at a volume against that at another, J: -amount ln(V / V0) + outside (V - V0).
    pub fn energy(&self, built: f64, volume: f64) -> f64 {
        if !(volume > 0.0 && built > 0.0) {
            return f64::INFINITY;
        }
        -self.amount * libm::log(volume / built) + self.outside * (volume - built)
    }

    /// Pressure over that outside at a volume, Pa.
    pub fn over(&self, volume: f64) -> f64 {
        self.amount / volume - self.outside
    }
}

/// Distance of two points, m, whose squares may be too small or too large for a number.
fn between(a: DVec3, b: DVec3) -> f64 {
    let way: DVec2 = (b - a).truncate();
    libm::hypot(libm::hypot(way.x, way.y), (b - a).z)
}
