//! What a scene does to bodies while it runs.

use crate::{Pose, World};
use glam::DVec3;

/// A scripted action, done just before a step.
#[derive(Clone, Debug, PartialEq)]
pub struct Action {
    /// Simulated time at which it is done, s: before the first step that starts at or after it.
    pub at_time: f64,
    /// The body or node it is done to, or a soft body as a whole ([`World::soft_id`](crate::World::soft_id)); of no meaning for gravity.
    pub body: usize,
    /// What is done.
    pub effect: Effect,
}

/// What an [`Action`] does.
#[derive(Clone, Debug, PartialEq)]
pub enum Effect {
    /// An impulse, N s, at a point in world coordinates, or at the centre.
    Impulse {
        /// N s.
        impulse: DVec3,
        /// m.
        point: Option<DVec3>,
    },
    /// A force over the one step that follows, N, at a point in world coordinates, or at the centre.
    Force {
        /// N.
        force: DVec3,
        /// m.
        point: Option<DVec3>,
    },
    /// A torque over the one step that follows, N m; in the plane about z.
    Torque(DVec3),
    /// The velocity is set, m/s.
    Velocity(DVec3),
    /// The spin is set, rad/s; in the plane about z.
    Spin(DVec3),
    /// The body is put elsewhere; its velocity stays.
    Place(Pose),
    /// The body is taken out of the world.
    Remove,
    /// A body that was absent comes in, where and as it was built.
    Add,
    /// The body is taken out and others, absent so far, come in at their places relative to it, moving as its pieces moved.
    /// Their built poses are read in the frame of the body.
    Split(Vec<usize>),
    /// Gravity changes, m/s².
    Gravity(DVec3),
    /// Nodes are moved by a way, m; their velocities stay.
    Shift(DVec3),
    /// A node is held where it is, or let go from rest.
    Hold(bool),
}

impl Effect {
    /// How many of [`Effect::BODY_WORDS`] can be done to a rigid body.
    pub const RIGID_WORDS: usize = 9;
    /// The words of what is done to a body, as scenes write them; those behind the first few are of nodes.
    pub const BODY_WORDS: [&'static str; 11] =
        ["impulse", "force", "torque", "velocity", "spin", "place", "remove", "add", "split", "move_by", "hold"];

    /// Whether it means something for rigid bodies alone: points do not turn, and nets are not split.
    pub fn is_for_rigid_bodies(&self) -> bool {
        matches!(self, Effect::Torque(_) | Effect::Spin(_) | Effect::Split(_))
    }

    /// The word of what is done to a body; nothing for what is done to the whole world.
    pub fn body_word(&self) -> Option<&'static str> {
        let index = match self {
            Effect::Impulse { .. } => 0,
            Effect::Force { .. } => 1,
            Effect::Torque(_) => 2,
            Effect::Velocity(_) => 3,
            Effect::Spin(_) => 4,
            Effect::Place(_) => 5,
            Effect::Remove => 6,
            Effect::Add => 7,
            Effect::Split(_) => 8,
            Effect::Shift(_) => 9,
            Effect::Hold(_) => 10,
            Effect::Gravity(_) => return None,
        };
        Some(Effect::BODY_WORDS[index])
    }
}

/// What an action on a soft body as a whole does to each of its nodes: `impulse` and `force` are shared by mass among those that are free,
/// everything else is done to all. `held` tells which nodes are held now.
pub fn spread(world: &World, id: usize, effect: &Effect, held: impl Fn(usize) -> bool) -> Vec<(usize, Effect)> {
    let Some(soft) = world.whole_soft(id) else { return vec![(id, effect.clone())] };
    let free = |node: usize| world.bodies[node].mass > 0.0 && !held(node);
    let mass: f64 = soft.nodes.clone().filter(|&node| free(node)).map(|node| world.bodies[node].mass).sum();
    let share = |node: usize| if free(node) { world.bodies[node].mass / mass } else { 0.0 };
    let with_mass = |node: usize| world.bodies[node].mass > 0.0;
    soft.nodes
        .clone()
        .filter_map(|node| {
            let own = match effect {
                Effect::Impulse { impulse, .. } => {
                    free(node).then(|| Effect::Impulse { impulse: *impulse * share(node), point: None })
                }
                Effect::Force { force, .. } => {
                    free(node).then(|| Effect::Force { force: *force * share(node), point: None })
                }
                Effect::Velocity(_) => free(node).then(|| effect.clone()),
                Effect::Hold(_) => with_mass(node).then(|| effect.clone()),
                _ => Some(effect.clone()),
            };
            own.map(|own| (node, own))
        })
        .collect()
}
