//! What a soft body encloses and stores.

use super::{NodeSpring, Pressure, SoftBody};
use glam::DVec3;

impl SoftBody {
    /// What is inside the skin by Gauss's theorem. In the plane an area, m²: half the sum of x_a × x_b over its segments; in space a volume, m³: a
    /// sixth of the sum of x_a · (x_b × x_c) over its triangles. `at` gives the place of a node of the body by its number. Of an open skin it
    /// means nothing.
    pub fn enclosed(&self, at: impl Fn(usize) -> DVec3) -> f64 {
        if let Some(&[origin, ..]) = self.faces.first() {
            let origin = at(origin);
            let six = |&[a, b, c]: &[usize; 3]| (at(a) - origin).dot((at(b) - origin).cross(at(c) - origin));
            return self.faces.iter().map(six).sum::<f64>() / 6.0;
        }
        // Seen from one of its nodes, so that a place far out costs no digits.
        let Some(&[origin, _]) = self.skin.first() else { return 0.0 };
        let origin = at(origin).truncate();
        let half = |&[a, b]: &[usize; 2]| (at(a).truncate() - origin).perp_dot(at(b).truncate() - origin);
        0.5 * self.skin.iter().map(half).sum::<f64>()
    }

    /// How many cells it has.
    pub fn cell_count(&self) -> usize {
        self.cells.len() + self.tetrahedra.len()
    }

    /// The nodes of a cell.
    pub fn cell_nodes(&self, cell: usize) -> &[usize] {
        match cell.checked_sub(self.cells.len()) {
            None => &self.cells[cell],
            Some(solid) => &self.tetrahedra[solid],
        }
    }

    /// Twice the signed area of a cell, m², six times its signed volume in space, m³: above zero as built, below zero turned inside out.
    pub fn cell_turn(&self, cell: usize, at: impl Fn(usize) -> DVec3) -> f64 {
        if let Some(solid) = cell.checked_sub(self.cells.len()) {
            let [a, b, c, d] = self.tetrahedra[solid].map(at);
            return (b - a).dot((c - a).cross(d - a));
        }
        let [a, b, c] = self.cells[cell].map(|node| at(node).truncate());
        (b - a).perp_dot(c - a)
    }

    /// Numbers of the nodes of its skin, piece by piece.
    pub fn skin_nodes(&self) -> impl Iterator<Item = &[usize]> {
        self.skin.iter().map(|ends| &ends[..]).chain(self.faces.iter().map(|corners| &corners[..]))
    }

    /// Whether it touches with a skin, and not with its nodes alone.
    pub fn has_skin(&self) -> bool {
        !(self.skin.is_empty() && self.faces.is_empty())
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

    /// Whether it has a skin that is closed and evenly oriented: in the plane every node begins as many of its segments as it ends, in space every
    /// edge of a triangle is that of one other, the other way round. The numbers of nodes must be known to be sound.
    pub fn is_closed(&self) -> bool {
        self.has_skin() && self.open_node().is_none()
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
    let way = b - a;
    libm::hypot(libm::hypot(way.x, way.y), way.z)
}
