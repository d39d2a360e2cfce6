//! Mistakes built in on purpose, so that it can be shown that the bench catches them.
//!
//! The engine asks in two places only: [`spoilt`] changes the world before it is built, for mistakes in what an engine reads;
//! [`Fault::is_on`] is asked on the way, for mistakes in what it does. Both cost nothing when no fault is on: the world is not
//! even copied, and the question is a comparison outside every inner loop.

use crate::settings::Fault;
use ironspin_model::{DVec2, Shape, World};
use std::borrow::Cow;

impl Fault {
    /// Whether this fault is the one that was switched on.
    #[inline]
    pub(crate) fn is_on(self, switched_on: Fault) -> bool {
        self == switched_on
    }
}

/// The world as an engine with a fault reads it.
pub(crate) fn spoilt(world: &World, fault: Fault) -> Cow<'_, World> {
    match fault {
        Fault::None | Fault::OneAnswers | Fault::ForgetsOnRestore => Cow::Borrowed(world),
        Fault::HalfSizes => changed(world, |world| {
            let parts = world.bodies.iter_mut().flat_map(|body| &mut body.parts);
            parts.for_each(|part| halve(&mut part.shape));
        }),
        Fault::GravityTwice => changed(world, |world| world.gravity *= 2.0),
        Fault::RestitutionOfHeight => changed(world, |world| {
            // A height ratio of e is a speed ratio of its root.
            world.materials.iter_mut().for_each(|material| material.restitution = material.restitution.sqrt());
            world.pairs.iter_mut().for_each(|pair| pair.restitution = pair.restitution.sqrt());
        }),
    }
}

fn changed(world: &World, change: impl FnOnce(&mut World)) -> Cow<'_, World> {
    let mut world = world.clone();
    change(&mut world);
    Cow::Owned(world)
}

fn halve(shape: &mut Shape) {
    let half = |v: &mut DVec2| *v *= 0.5;
    match shape {
        Shape::Disc(radius) => *radius *= 0.5,
        Shape::Box(size) => half(size),
        Shape::Capsule { length, radius } => (*length, *radius) = (0.5 * *length, 0.5 * *radius),
        Shape::Polygon(points) | Shape::Polyline(points) => points.iter_mut().for_each(half),
        Shape::HalfPlane(_) => {}
    }
}
