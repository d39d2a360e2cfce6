//! One contact of a sub-step, and what those see who look for contacts.

use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::soft::nodes::{Nodes, Soft};
use crate::space::bodies::Bodies;
use crate::space::vector::Vec3;
use std::collections::{BTreeMap, BTreeSet};

/// One of the two that touch.
#[derive(Clone, Copy, Debug)]
pub(super) enum Side<R> {
    /// A point of a rigid body, by its arm from the centre.
    Rigid { body: usize, arm: Vec3<R> },
    /// A point of a triangle, or one node three times with weights 1, 0 and 0.
    Nodes { corners: [usize; 3], weights: [R; 3] },
}

impl<R: Real> Side<R> {
    pub(super) fn node(node: usize) -> Self {
        Side::Nodes { corners: [node; 3], weights: [R::ONE, R::ZERO, R::ZERO] }
    }
}

/// Which features touch, so that the impulses of one touch are summed over the sub-steps. In the order of the rigid bodies, their pieces, and
/// the nodes; touches among soft bodies come last.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Key {
    /// A piece of a body, and a node.
    Node { body: usize, piece: usize, node: usize },
    /// A point of a piece, and a piece of the skin of the soft body that begins with a node.
    Corner { body: usize, piece: usize, first_node: usize, skin: usize, corner: usize },
    /// A piece of the skin of the soft body that begins with a node, and a node.
    Skin { first_node: usize, skin: usize, node: usize },
    /// Two nodes.
    Nodes(usize, usize),
}

/// One contact of a sub-step.
#[derive(Clone, Debug)]
pub(super) struct Touch<R> {
    pub(super) sides: [Side<R>; 2],
    /// From the first side to the second.
    pub(super) normal: Vec3<R>,
    /// At the start of the sub-step.
    pub(super) gap: R,
    pub(super) friction: R,
    pub(super) restitution: R,
    pub(super) point: Vec3<R>,
    pub(super) key: Key,
    /// Impulses on ways and on velocities: along the normal, and across it.
    pub(super) on_ways: (R, Vec3<R>),
    pub(super) on_speeds: (R, Vec3<R>),
    /// How much a unit of impulse along the normal changes the velocity of one side against the other, 1/kg.
    pub(super) answer: R,
    /// Speed of parting after the impact.
    pub(super) parting: R,
    pub(super) is_impact: bool,
}

/// Who may be inside a closed skin: a piece of a rigid body, or a soft body.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Guest {
    Piece(usize),
    Soft(usize),
}

/// Who lives inside of which closed skin, by the number of its soft body: found out when both come near each other, and kept until they part, so that
/// nothing is swallowed that is pressed in past its middle.
#[derive(Clone, Debug, Default)]
pub(super) struct Homes {
    known: BTreeMap<(usize, Guest), bool>,
    /// Those asked for in this sub-step.
    met: BTreeSet<(usize, Guest)>,
}

impl Homes {
    /// Whether a guest lives inside of a skin; `now` tells whether it is inside.
    pub(super) fn is_home(&mut self, skin: usize, guest: Guest, now: impl FnOnce() -> bool) -> bool {
        self.met.insert((skin, guest));
        *self.known.entry((skin, guest)).or_insert_with(now)
    }

    /// Forgets those that have parted.
    pub(super) fn end(&mut self) {
        let met = std::mem::take(&mut self.met);
        self.known.retain(|pair, _| met.contains(pair));
    }
}

/// A sub-step as those see it who look for touches.
pub(super) struct Look<'a, R: Real> {
    pub(super) nodes: &'a Nodes<Vec3<R>, R>,
    /// Mean velocities of the nodes over the sub-step.
    pub(super) way: &'a [Vec3<R>],
    pub(super) bodies: &'a Bodies<R>,
    pub(super) mixed: &'a Mixed<R>,
    pub(super) dt: R,
    /// Time from the start of the sub-step until rigid bodies are where they stand now.
    pub(super) ahead: R,
}

impl<R: Real> Look<'_, R> {
    pub(super) fn at(&self, node: usize) -> Vec3<R> {
        self.nodes.position[node]
    }

    pub(super) fn after(&self, node: usize) -> Vec3<R> {
        self.nodes.position[node] + self.way[node] * self.dt
    }

    /// Lower and upper corner of the box around what some nodes sweep, grown by a radius.
    pub(super) fn box_of(&self, nodes: impl Iterator<Item = usize>, radius: R) -> [Vec3<R>; 2] {
        let far = Vec3::new(R::INFINITY, R::INFINITY, R::INFINITY);
        let (mut low, mut high) = (far, -far);
        for node in nodes {
            for p in [self.at(node), self.after(node)] {
                (low, high) = (low.min(p), high.max(p));
            }
        }
        let rim = Vec3::new(radius, radius, radius);
        [low - rim, high + rim]
    }

    /// Whether a point lies in a box.
    pub(super) fn holds([low, high]: [Vec3<R>; 2], p: Vec3<R>) -> bool {
        p.x >= low.x && p.y >= low.y && p.z >= low.z && p.x <= high.x && p.y <= high.y && p.z <= high.z
    }

    pub(super) fn swept_box(&self, soft: &Soft<Vec3<R>, R>) -> [Vec3<R>; 2] {
        self.box_of(soft.nodes.clone(), soft.radius)
    }

    pub(super) fn between_materials(&self, materials: [usize; 2], key: Key) -> Touch<R> {
        let (friction, restitution) = self.mixed.of(materials[0], materials[1]);
        Touch {
            sides: [Side::node(0); 2],
            normal: Vec3::ZERO,
            gap: R::ZERO,
            friction,
            restitution,
            point: Vec3::ZERO,
            key,
            on_ways: (R::ZERO, Vec3::ZERO),
            on_speeds: (R::ZERO, Vec3::ZERO),
            answer: R::ZERO,
            parting: R::ZERO,
            is_impact: false,
        }
    }
}
