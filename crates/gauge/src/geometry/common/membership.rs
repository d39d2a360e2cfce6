//! Sets of bodies.

use ironspin_model::World;

/// A set of bodies.
#[derive(Clone, Debug)]
pub(crate) struct Membership(Vec<bool>);

impl Membership {
    pub(crate) fn of(world: &World, ids: &[usize]) -> Self {
        let mut inside = vec![false; world.bodies.len()];
        for &id in ids {
            inside[id] = true;
        }
        Membership(inside)
    }

    /// All bodies but those of a list.
    pub(crate) fn all_but(world: &World, ids: &[usize]) -> Self {
        let mut rest = Membership::of(world, ids);
        rest.0.iter_mut().for_each(|inside| *inside = !*inside);
        rest
    }

    pub(crate) fn everything(world: &World) -> Self {
        Membership(vec![true; world.bodies.len()])
    }

    /// The bodies of a list, or all when it is empty.
    pub(crate) fn of_or_everything(world: &World, ids: &[usize]) -> Self {
        if ids.is_empty() { Membership::everything(world) } else { Membership::of(world, ids) }
    }

    pub(crate) fn has(&self, id: usize) -> bool {
        self.0[id]
    }

    /// Whether one of two bodies is in this set and the other in another.
    pub(crate) fn links(&self, others: &Membership, a: usize, b: usize) -> bool {
        (self.has(a) && others.has(b)) || (self.has(b) && others.has(a))
    }
}
