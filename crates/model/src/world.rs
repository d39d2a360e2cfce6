//! The description of a world: what an engine is asked to build.

use crate::{Action, Body, BodyKind, Dimension, Joint, SoftBody};
use glam::DVec3;

/// A world as handed to an engine and to the gauges. SI units, full sizes.
#[derive(Clone, Debug, PartialEq)]
pub struct World {
    /// Whether it is a world of the plane (z = 0, turning about z) or of space.
    pub dimension: Dimension,
    /// Acceleration of free fall, m/s².
    pub gravity: DVec3,
    /// Simulated time of the trial, s.
    pub duration: f64,
    /// Where bodies are expected to stay; a body outside has escaped.
    pub bounds: Option<Bounds>,
    /// Materials that parts refer to by index.
    pub materials: Vec<Material>,
    /// Friction and restitution of particular material pairs, instead of the mixed values.
    pub pairs: Vec<PairMaterial>,
    /// Bodies; a body's index here is its id everywhere. Behind the rigid ones stand the nodes of soft bodies.
    pub bodies: Vec<Body>,
    /// Soft bodies, in the order of their nodes.
    pub softs: Vec<SoftBody>,
    /// Joints between bodies.
    pub joints: Vec<Joint>,
    /// Pairs of bodies that never touch each other (`apart` in scenes), in either order.
    pub excluded_pairs: Vec<[usize; 2]>,
    /// Scripted actions, in order of time.
    pub actions: Vec<Action>,
}

/// An axis-aligned region, m.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bounds {
    /// Lower corner.
    pub min: DVec3,
    /// Upper corner.
    pub max: DVec3,
}

impl Bounds {
    /// Whether a point lies inside; a point that is not a number does not.
    pub fn contains(&self, point: DVec3) -> bool {
        point.cmpge(self.min).all() && point.cmple(self.max).all()
    }
}

/// Surface and bulk properties of a material.
#[derive(Clone, Debug, PartialEq)]
pub struct Material {
    /// Name in the scene file.
    pub name: String,
    /// Mass per area (planar), kg/m², or per volume (space), kg/m³.
    pub density: f64,
    /// Coulomb friction coefficient; two materials mix by geometric mean.
    pub friction: f64,
    /// Newton's restitution, a ratio of speeds; two materials mix by the larger value.
    pub restitution: f64,
}

/// Friction and restitution of one pair of materials.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PairMaterial {
    /// Indices of the two materials, in either order.
    pub between: [usize; 2],
    /// Coulomb friction coefficient of the pair.
    pub friction: f64,
    /// Restitution of the pair, a ratio of speeds.
    pub restitution: f64,
}

impl World {
    /// An empty planar world without gravity, to be filled.
    pub fn planar(duration: f64) -> World {
        World {
            dimension: Dimension::Plane,
            gravity: DVec3::ZERO,
            duration,
            bounds: None,
            materials: Vec::new(),
            pairs: Vec::new(),
            bodies: Vec::new(),
            softs: Vec::new(),
            joints: Vec::new(),
            excluded_pairs: Vec::new(),
            actions: Vec::new(),
        }
    }

    /// Friction and restitution where materials `a` and `b` meet: the pair's own values where given, else the
    /// geometric mean of the frictions and the larger restitution.
    pub fn mixed(&self, a: usize, b: usize) -> (f64, f64) {
        let listed = self.pairs.iter().find(|p| p.between == [a, b] || p.between == [b, a]);
        listed.map_or_else(
            || {
                let (a, b) = (&self.materials[a], &self.materials[b]);
                ((a.friction * b.friction).sqrt(), a.restitution.max(b.restitution))
            },
            |p| (p.friction, p.restitution),
        )
    }

    /// The ids of all bodies that can move by forces.
    pub fn dynamic_bodies(&self) -> impl Iterator<Item = usize> + '_ {
        (0..self.bodies.len()).filter(|&id| self.bodies[id].kind == BodyKind::Dynamic)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn materials_mix_by_geometric_mean_and_the_larger_restitution_unless_the_pair_has_its_own() {
        let material = |friction, restitution| Material { name: "m".into(), density: 1.0, friction, restitution };
        let mut world = World { materials: vec![material(0.4, 0.1), material(0.9, 0.7)], ..World::planar(1.0) };
        assert!((world.mixed(0, 1).0 - 0.6).abs() < 1e-15);
        assert_eq!(world.mixed(0, 1), world.mixed(1, 0));
        assert_eq!(world.mixed(0, 1).1, 0.7);
        world.pairs.push(PairMaterial { between: [1, 0], friction: 0.2, restitution: 0.3 });
        assert_eq!((world.mixed(0, 1), world.mixed(1, 0)), ((0.2, 0.3), (0.2, 0.3)));
        assert_eq!(world.mixed(0, 0), (0.4, 0.1));
    }

    #[test]
    fn bounds_hold_their_edge_and_nothing_that_is_not_a_number() {
        let bounds = Bounds { min: DVec3::splat(-1.0), max: DVec3::ONE };
        assert!(bounds.contains(DVec3::ONE) && bounds.contains(DVec3::ZERO));
        assert!(!bounds.contains(DVec3::new(0.0, 1.1, 0.0)) && !bounds.contains(DVec3::new(f64::NAN, 0.0, 0.0)));
    }
}
