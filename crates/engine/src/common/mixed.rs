//! Friction and restitution where materials meet.

use crate::common::injection::InjectionPoint;
use crate::common::scalar::Real;
use crate::common::settings::Settings;
use ironspin_model::World;

/// Friction and restitution of every pair of materials.
#[derive(Clone, Debug, Default)]
pub(crate) struct Mixed<R> {
    table: Vec<(R, R)>,
    materials: usize,
}

impl<R: Real> Mixed<R> {
    pub(crate) fn new(world: &World, settings: &Settings) -> Self {
        let materials = world.materials.len();
        let table = (0..materials * materials)
            .map(|cell| {
                let (a, b) = (cell / materials, cell % materials);
                let mixed = settings.mixing.mix(world, a, b);
                settings.injected(InjectionPoint::FirstMaterial).map_or(mixed, |share| {
                    let first = &world.materials[a];
                    (mixed.0 + share * (first.friction - mixed.0), mixed.1 + share * (first.restitution - mixed.1))
                })
            })
            .map(|(friction, restitution)| (R::of(friction), R::of(restitution)))
            .collect();
        Mixed { table, materials }
    }

    pub(crate) fn of(&self, a: usize, b: usize) -> (R, R) {
        self.table[a * self.materials + b]
    }
}
