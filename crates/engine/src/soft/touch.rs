//! One contact of a sub-step, and what those see who look for contacts.

use super::nodes::{Nodes, Soft};
use super::place::Place;
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use std::collections::{BTreeMap, BTreeSet};

/// Which features touch, so that the impulses of one touch are summed over the sub-steps. In the order of the rigid bodies, their pieces, and
/// the nodes; touches among soft bodies come last.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Key {
    /// A piece of a body, and a node.
    Node { body: usize, piece: usize, node: usize },
    /// A corner of a piece, and a piece of the skin of the soft body that begins with a node.
    Corner { body: usize, piece: usize, first_node: usize, skin: usize, corner: usize },
    /// A piece of the skin of the soft body that begins with a node, and a node.
    Skin { first_node: usize, skin: usize, node: usize },
    /// Two nodes.
    Nodes(usize, usize),
}

/// One of the two that touch: a point of a rigid body, or of a skin.
pub(super) trait Side: Copy {
    /// A node alone.
    fn node(node: usize) -> Self;
    /// The rigid body that it belongs to; otherwise the nearest node.
    fn owner(&self) -> Result<usize, usize>;
}

/// One contact of a sub-step between two sides, along a normal, and across it by one number or a vector.
#[derive(Clone, Debug)]
pub(super) struct Touch<S, V, A, R> {
    pub(super) sides: [S; 2],
    /// From the first side to the second.
    pub(super) normal: V,
    /// At the start of the sub-step.
    pub(super) gap: R,
    pub(super) friction: R,
    pub(super) restitution: R,
    pub(super) point: V,
    pub(super) key: Key,
    /// Impulses on ways and on velocities: along the normal, and across it.
    pub(super) on_ways: (R, A),
    pub(super) on_speeds: (R, A),
    /// How much a unit of impulse along the normal changes the velocity of one side against the other, 1/kg.
    pub(super) answer: R,
    /// Speed of parting after the impact.
    pub(super) parting: R,
    pub(super) is_impact: bool,
}

/// A sub-step as those see it who look for touches with bodies.
pub(super) struct Look<'a, V, B, R> {
    pub(super) nodes: &'a Nodes<V, R>,
    /// Mean velocities of the nodes over the sub-step.
    pub(super) way: &'a [V],
    pub(super) bodies: &'a B,
    pub(super) mixed: &'a Mixed<R>,
    pub(super) dt: R,
    /// Time from the start of the sub-step until rigid bodies are where they stand now.
    pub(super) ahead: R,
}

impl<V: Place<R>, B, R: Real> Look<'_, V, B, R> {
    pub(super) fn at(&self, node: usize) -> V {
        self.nodes.position[node]
    }

    pub(super) fn after(&self, node: usize) -> V {
        self.nodes.position[node] + self.way[node] * self.dt
    }

    /// Whether most of the nodes of a soft body are somewhere, such as inside of a skin.
    pub(super) fn mostly(&self, soft: &Soft<V, R>, is_there: impl Fn(V) -> bool) -> bool {
        2 * soft.nodes.clone().filter(|&node| is_there(self.at(node))).count() > soft.nodes.len()
    }

    /// Lower and upper corner of the box around what some nodes sweep, grown by a radius.
    pub(super) fn box_of(&self, nodes: impl Iterator<Item = usize>, radius: R) -> [V; 2] {
        let far = V::alike(R::INFINITY);
        let (mut low, mut high) = (far, -far);
        for node in nodes {
            for p in [self.at(node), self.after(node)] {
                (low, high) = (low.lower(p), high.upper(p));
            }
        }
        let rim = V::alike(radius);
        [low - rim, high + rim]
    }

    /// The same of a soft body with its radius.
    pub(super) fn swept_box(&self, soft: &Soft<V, R>) -> [V; 2] {
        self.box_of(soft.nodes.clone(), soft.radius)
    }

    /// A touch of which only the materials and the features are known.
    pub(super) fn between_materials<S: Side, A: Copy + Default>(
        &self,
        materials: [usize; 2],
        key: Key,
    ) -> Touch<S, V, A, R> {
        let (friction, restitution) = self.mixed.of(materials[0], materials[1]);
        Touch {
            sides: [S::node(0); 2],
            normal: V::ZERO,
            gap: R::ZERO,
            friction,
            restitution,
            point: V::ZERO,
            key,
            on_ways: (R::ZERO, A::default()),
            on_speeds: (R::ZERO, A::default()),
            answer: R::ZERO,
            parting: R::ZERO,
            is_impact: false,
        }
    }

    /// Touches of the nodes of two soft bodies without a skin, or of one with itself, each pair once.
    pub(super) fn bare_nodes<S: Side, A: Copy + Default>(
        &self,
        one: &Soft<V, R>,
        other: &Soft<V, R>,
        same: bool,
        out: &mut Vec<Touch<S, V, A, R>>,
    ) {
        let rim = one.radius + other.radius;
        if !(rim > R::ZERO) || (!same && one.nodes.start > other.nodes.start) {
            return;
        }
        for a in one.nodes.clone() {
            for b in if same { a + 1..other.nodes.end } else { other.nodes.clone() } {
                if same && one.neighbours.binary_search(&(a, b)).is_ok() {
                    continue;
                }
                let way = self.at(b) - self.at(a);
                let later = way + (self.way[b] - self.way[a]) * self.dt;
                let gap = way.length() - rim;
                if gap > R::ZERO && later.length() >= rim {
                    continue;
                }
                let mut touch = self.between_materials([one.material, other.material], Key::Nodes(a, b));
                touch.sides = [S::node(a), S::node(b)];
                (touch.normal, touch.gap) = (way.unit_or(V::upward()), gap);
                touch.point = self.at(a) + touch.normal * one.radius;
                out.push(touch);
            }
        }
    }
}

/// Who may be inside a closed skin: a piece of a rigid body, or a soft body.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Guest {
    Piece(usize),
    Soft(usize),
}

/// Who lives inside of which closed skin, by the number of its soft body: found out when both come near each other, and kept until they part, so that
/// nothing is swallowed that is pressed in past its middle, or hangs around the skin.
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
