//! Where each body can be until the end of a step, and who can be where another is.
//!
//! Source: Goldsmith and Salmon, "Automatic Creation of Object Hierarchies for Ray Tracing" (1987) for trees of boxes; here halved at the
//! median of the longer side, and enlarged from a leaf to the root when a body is hit and goes elsewhere.

use crate::common::scalar::Real;
use crate::plane::bodies::Bodies;
use crate::plane::vector::Vec2;

/// Lower and upper corner of a rectangle.
pub(crate) type Room<R> = [Vec2<R>; 2];

/// Looks at all bodies one by one that are worth a tree, and bodies below which none ever is.
const WORTH_A_TREE: usize = 12;
const MANY: usize = 200;

/// A box around some rooms, and the filters of their bodies together.
#[derive(Clone, Copy, Debug)]
struct Node<R> {
    room: Room<R>,
    layers: u32,
    meets: u32,
}

impl<R: Real> Node<R> {
    const EMPTY: fn() -> Self = || Node {
        room: [Vec2::new(R::INFINITY, R::INFINITY), Vec2::new(-R::INFINITY, -R::INFINITY)],
        layers: 0,
        meets: 0,
    };

    fn with(&self, other: &Self) -> Self {
        let ([a, b], [c, d]) = (self.room, other.room);
        Node {
            room: [Vec2::new(a.x.min(c.x), a.y.min(c.y)), Vec2::new(b.x.max(d.x), b.y.max(d.y))],
            layers: self.layers | other.layers,
            meets: self.meets | other.meets,
        }
    }

    /// Whether a body in it may be where another is, and meet it.
    #[inline]
    fn may_hold(&self, other: &Self) -> bool {
        overlap(&self.room, &other.room) && self.layers & other.meets != 0 && self.meets & other.layers != 0
    }
}

/// Whether two rooms share a place.
#[inline]
pub(crate) fn overlap<R: Real>(one: &Room<R>, other: &Room<R>) -> bool {
    !(one[0].x > other[1].x || one[1].x < other[0].x || one[0].y > other[1].y || one[1].y < other[0].y)
}

/// The rooms of all bodies in a step. Looks at them one by one until a tree pays.
#[derive(Clone, Debug, Default)]
pub(crate) struct Rooms<R> {
    leaves: Vec<Node<R>>,
    /// An implicit binary tree: the root at 1, the children of n at 2n and 2n + 1, the leaves behind all others. Empty until it pays.
    tree: Vec<Node<R>>,
    /// The body of each leaf of the tree, and the leaf of each body.
    bodies: Vec<u32>,
    places: Vec<u32>,
    looks: usize,
    stack: Vec<u32>,
}

impl<R: Real> Rooms<R> {
    /// Begins a step.
    pub(crate) fn begin(&mut self, bodies: &Bodies<R>, rooms: impl Iterator<Item = Room<R>>) {
        self.tree.clear();
        self.looks = 0;
        self.leaves.clear();
        self.leaves.extend(rooms.enumerate().map(|(body, room)| {
            let traits = &bodies.traits[body];
            // Filters that hold one way only are not asked here.
            let all = bodies.one_way;
            Node {
                room,
                layers: if all { u32::MAX } else { traits.layers },
                meets: if all { u32::MAX } else { traits.meets },
            }
        }));
    }

    pub(crate) fn of(&self, body: usize) -> Room<R> {
        self.leaves[body].room
    }

    /// A body goes elsewhere from now on.
    pub(crate) fn set(&mut self, body: usize, room: Room<R>) {
        self.leaves[body].room = room;
        if !self.tree.is_empty() {
            let mut node = self.places[body] as usize;
            self.tree[node] = self.leaves[body];
            while node > 1 {
                node /= 2;
                self.tree[node] = self.tree[2 * node].with(&self.tree[2 * node + 1]);
            }
        }
    }

    /// All bodies that can be where a body is and whose layers let them meet it, in their order, itself among them.
    pub(crate) fn beside(&mut self, body: usize, found: &mut Vec<u32>) {
        found.clear();
        let wanted = self.leaves[body];
        if self.tree.is_empty() {
            self.looks += 1;
            if self.looks > WORTH_A_TREE && self.leaves.len() >= MANY {
                self.plant();
            } else {
                let beside = self.leaves.iter().enumerate().filter(|(_, leaf)| leaf.may_hold(&wanted));
                found.extend(beside.map(|(body, _)| body as u32));
                return;
            }
        }
        let first_leaf = self.tree.len() / 2;
        self.stack.clear();
        self.stack.push(1);
        while let Some(number) = self.stack.pop() {
            let number = number as usize;
            if !self.tree[number].may_hold(&wanted) {
                continue;
            }
            if number >= first_leaf {
                found.push(self.bodies[number - first_leaf]);
            } else {
                self.stack.extend([2 * number as u32, 2 * number as u32 + 1]);
            }
        }
        found.sort_unstable();
    }

    fn plant(&mut self) {
        let count = self.leaves.len();
        let size = count.next_power_of_two().max(2);
        self.bodies.clear();
        self.bodies.extend(0..count as u32);
        halve(&self.leaves, &mut self.bodies, size);
        self.tree.clear();
        self.tree.resize(2 * size, Node::EMPTY());
        self.places.clear();
        self.places.resize(count, 0);
        for (place, &body) in self.bodies.iter().enumerate() {
            self.tree[size + place] = self.leaves[body as usize];
            self.places[body as usize] = (size + place) as u32;
        }
        for node in (1..size).rev() {
            self.tree[node] = self.tree[2 * node].with(&self.tree[2 * node + 1]);
        }
    }
}

/// Puts bodies in the order of the leaves under a node with room for `size` of them: the first half of it is filled first.
fn halve<R: Real>(leaves: &[Node<R>], bodies: &mut [u32], size: usize) {
    let half = size / 2;
    if half == 0 || bodies.len() <= half {
        if half > 1 {
            halve(leaves, bodies, half);
        }
        return;
    }
    let middle = |body: u32| {
        let [low, high] = leaves[body as usize].room;
        // Rooms without an end have no middle; they stand together.
        [low.x + high.x, low.y + high.y].map(|sum| if sum.to_f64().is_finite() { sum.to_f64() } else { f64::MAX })
    };
    let range = |axis: usize| {
        let finite = bodies.iter().map(|&body| middle(body)[axis]).filter(|middle| *middle < f64::MAX);
        let [low, high] = finite.fold([f64::INFINITY, f64::NEG_INFINITY], |[l, h], m| [l.min(m), h.max(m)]);
        high - low
    };
    let axis = usize::from(range(1) > range(0));
    bodies.select_nth_unstable_by(half, |&a, &b| middle(a)[axis].total_cmp(&middle(b)[axis]).then(a.cmp(&b)));
    let (first, second) = bodies.split_at_mut(half);
    halve(leaves, first, half);
    halve(leaves, second, half);
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{Body, DVec2, Part, PlaneShape, World};
    use proptest::prelude::*;

    fn bodies(filters: &[(u32, u32)]) -> Bodies<f64> {
        let body = |&(layers, collision_mask): &(u32, u32)| Body {
            layers,
            collision_mask,
            mass: 1.0,
            inertia: ironspin_model::Inertia::planar(1.0),
            parts: vec![Part::solid(PlaneShape::Disc(1.0), 0)],
            ..Body::plain("b")
        };
        let material = ironspin_model::Material { name: "m".into(), density: 1.0, friction: 0.0, restitution: 0.0 };
        let bodies = filters.iter().map(body).collect();
        Bodies::new(&World { bodies, materials: vec![material], ..World::planar(1.0) }).unwrap()
    }

    fn room((x, y, wide, high): (f64, f64, f64, f64)) -> Room<f64> {
        [Vec2::of(DVec2::new(x, y)), Vec2::of(DVec2::new(x + wide, y + high))]
    }

    fn places() -> impl Strategy<Value = (f64, f64, f64, f64)> {
        let long = prop_oneof![0.0..1.0_f64, 0.0..60.0_f64, Just(f64::INFINITY)];
        (-20.0..20.0_f64, -20.0..20.0_f64, long, 0.0..1.0_f64)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(300))]
        /// The tree finds what a look at all rooms finds, before and after bodies have gone elsewhere.
        #[test]
        fn a_tree_finds_whom_a_look_at_all_finds(
            start in proptest::collection::vec((places(), 0..4_u32, 0..4_u32), 1..40),
            moves in proptest::collection::vec((0..40_usize, places()), 0..30),
        ) {
            let filters: Vec<(u32, u32)> = start.iter().map(|&(_, layers, meets)| (layers, meets)).collect();
            let bodies = bodies(&filters);
            let mut planted = Rooms::default();
            planted.begin(&bodies, start.iter().map(|&(place, ..)| room(place)));
            planted.plant();
            let mut plain = Rooms::default();
            plain.begin(&bodies, start.iter().map(|&(place, ..)| room(place)));
            let (mut found, mut wanted) = (Vec::new(), Vec::new());
            for (body, place) in [(0, start[0].0)].into_iter().chain(moves) {
                let body = body % start.len();
                planted.set(body, room(place));
                plain.set(body, room(place));
                prop_assert_eq!(planted.of(body), room(place));
                for body in 0..start.len() {
                    planted.beside(body, &mut found);
                    plain.looks = 0;
                    plain.beside(body, &mut wanted);
                    prop_assert!(plain.tree.is_empty());
                    prop_assert_eq!(&found, &wanted);
                }
            }
        }
    }

    #[test]
    fn those_whose_layers_keep_them_apart_are_never_beside_each_other() {
        let mut filters = vec![(1, 2); MANY];
        filters[2] = (2, 1);
        let bodies = bodies(&filters);
        let mut rooms = Rooms::default();
        rooms.begin(&bodies, (0..MANY).map(|_| room((0.0, 0.0, 1.0, 1.0))));
        let mut found = Vec::new();
        for look in 0..2 * WORTH_A_TREE {
            rooms.beside(0, &mut found);
            assert_eq!(found, [2], "look {look}");
        }
        assert!(!rooms.tree.is_empty());
    }
}
