//! A tree of boxes along the axes: what meets a box, also after boxes have changed.
//!
//! Source: Goldsmith and Salmon, "Automatic Creation of Object Hierarchies for Ray Tracing" (1987); cut in half along the longest way of the middles.

use crate::common::scalar::Real;
use crate::space::vector::Vec3;

/// Boxes in a leaf of the tree.
const LEAF: usize = 4;

/// A box along the axes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Bounds<R> {
    pub(crate) low: Vec3<R>,
    pub(crate) high: Vec3<R>,
}

impl<R: Real> Bounds<R> {
    /// Around nothing.
    pub(crate) fn none() -> Self {
        let infinite = Vec3::new(R::INFINITY, R::INFINITY, R::INFINITY);
        Bounds { low: infinite, high: -infinite }
    }

    pub(crate) fn around(self, other: Self) -> Self {
        Bounds { low: self.low.min(other.low), high: self.high.max(other.high) }
    }

    #[inline]
    pub(crate) fn meets(&self, other: &Self) -> bool {
        self.low.x <= other.high.x
            && other.low.x <= self.high.x
            && self.low.y <= other.high.y
            && other.low.y <= self.high.y
            && self.low.z <= other.high.z
            && other.low.z <= self.high.z
    }
}

/// A box around some of the boxes: a run of them in the order of the tree.
#[derive(Clone, Copy, Debug)]
struct Node<R> {
    bounds: Bounds<R>,
    first: u32,
    count: u32,
    /// The node after all that is below this one.
    next: u32,
    parent: u32,
}

/// A tree over numbered boxes.
#[derive(Clone, Debug, Default)]
pub(crate) struct BoxTree<R> {
    boxes: Vec<Bounds<R>>,
    nodes: Vec<Node<R>>,
    /// Numbers of the boxes in the order of the tree.
    order: Vec<u32>,
    /// The leaf of each box.
    leaf: Vec<u32>,
}

impl<R: Real> BoxTree<R> {
    /// Takes over a list of boxes, whose numbers are their places in it.
    pub(crate) fn build(&mut self, boxes: impl Iterator<Item = Bounds<R>>) {
        self.boxes.clear();
        self.boxes.extend(boxes);
        self.nodes.clear();
        self.order.clear();
        self.order.extend(0..self.boxes.len() as u32);
        self.leaf.clear();
        self.leaf.resize(self.boxes.len(), 0);
        if !self.boxes.is_empty() {
            let mut order = std::mem::take(&mut self.order);
            self.grow(&mut order, 0, 0);
            self.order = order;
        }
    }

    fn grow(&mut self, order: &mut [u32], first: u32, parent: u32) {
        let all = order.iter().fold(Bounds::none(), |all, &number| all.around(self.boxes[number as usize]));
        let node = self.nodes.len() as u32;
        self.nodes.push(Node { bounds: all, first, count: order.len() as u32, next: 0, parent });
        if order.len() > LEAF {
            let way = all.high - all.low;
            let axis = (1..3).fold(0, |best, axis| if way.component(axis) > way.component(best) { axis } else { best });
            let middle = |number: u32| {
                let Bounds { low, high } = self.boxes[number as usize];
                (low + high).component(axis).to_f64()
            };
            let half = order.len() / 2;
            order.select_nth_unstable_by(half, |&a, &b| middle(a).total_cmp(&middle(b)).then(a.cmp(&b)));
            let (left, right) = order.split_at_mut(half);
            self.grow(left, first, node);
            self.grow(right, first + half as u32, node);
        } else {
            order.iter().for_each(|&number| self.leaf[number as usize] = node);
        }
        self.nodes[node as usize].next = self.nodes.len() as u32;
    }

    /// Gives a box another place or size.
    pub(crate) fn change(&mut self, number: usize, to: Bounds<R>) {
        self.boxes[number] = to;
        let mut node = self.leaf[number] as usize;
        loop {
            self.nodes[node].bounds = self.nodes[node].bounds.around(to);
            if node == 0 {
                return;
            }
            node = self.nodes[node].parent as usize;
        }
    }

    pub(crate) fn bounds(&self, number: usize) -> Bounds<R> {
        self.boxes[number]
    }

    /// Calls with the number of every box that meets a box.
    pub(crate) fn meeting(&self, bounds: &Bounds<R>, call: &mut dyn FnMut(usize)) {
        let mut number = 0;
        while let Some(node) = self.nodes.get(number) {
            if !node.bounds.meets(bounds) {
                number = node.next as usize;
                continue;
            }
            if node.count as usize <= LEAF {
                for &inside in &self.order[node.first as usize..(node.first + node.count) as usize] {
                    if self.boxes[inside as usize].meets(bounds) {
                        call(inside as usize);
                    }
                }
            }
            number += 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_meets_a_box_is_found_also_where_boxes_have_moved_to() {
        let cube = |k: usize| {
            let at = Vec3::new((k % 7) as f64, (k / 7 % 7) as f64, (k / 49) as f64);
            Bounds { low: at, high: at + Vec3::new(0.9, 0.9, 0.9) }
        };
        let mut tree = BoxTree::default();
        tree.build((0..343).map(cube));
        let mut boxes: Vec<Bounds<f64>> = (0..343).map(cube).collect();
        let far = Bounds { low: Vec3::new(20.0, 20.0, 20.0), high: Vec3::new(21.0, 21.0, 21.0) };
        for number in [5, 100, 342] {
            tree.change(number, far);
            boxes[number] = far;
        }
        let asked = Bounds { low: Vec3::new(1.5, 2.95, 3.0), high: Vec3::new(3.5, 4.2, 4.5) };
        for asked in [asked, far, cube(17)] {
            let mut found = Vec::new();
            tree.meeting(&asked, &mut |number| found.push(number));
            found.sort_unstable();
            let expected: Vec<usize> = (0..343).filter(|&k| boxes[k].meets(&asked)).collect();
            assert_eq!(found, expected);
        }
    }
}
