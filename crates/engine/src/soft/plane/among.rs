//! Where soft bodies touch each other, and themselves where they are asked to: nodes against skin, and bare nodes against bare nodes.

use super::segment::to_segment;
use super::touch::{Key, Look, Side, Touch, encloses};
use crate::common::scalar::Real;
use crate::plane::vector::Vec2;
use crate::soft::nodes::Soft;

impl<R: Real> Look<'_, R> {
    /// Touches of the nodes of one soft body with another, or with itself.
    /// `around` is the box of what the other sweeps.
    pub(super) fn with_soft(
        &self,
        one: &Soft<Vec2<R>, R>,
        other: &Soft<Vec2<R>, R>,
        around: [Vec2<R>; 2],
        same: bool,
        out: &mut Vec<Touch<R>>,
    ) {
        let [low, high] = around;
        let rim = one.radius + other.radius;
        if other.skin.is_empty() {
            if one.skin.is_empty() {
                self.bare_nodes(one, other, same, out);
            }
            return;
        }
        let middle = || {
            let sum = one.nodes.clone().map(|node| self.at(node)).fold(Vec2::ZERO, |sum, p| sum + p);
            sum * (R::ONE / R::of(one.nodes.len() as f64))
        };
        let closed = other.closed && !same;
        let lives_inside = closed && encloses(&other.skin, |node| self.at(node), middle());
        for node in one.nodes.clone() {
            let (from, to) = (self.at(node), self.after(node));
            let reach = rim + (to - from).length();
            let beside = |x: R, low: R, high: R| x + reach < low || x - reach > high;
            if beside(from.x, low.x, high.x) || beside(from.y, low.y, high.y) {
                continue;
            }
            let wrong_side = closed && encloses(&other.skin, |node| self.at(node), from) != lives_inside;
            let mut best: Option<(R, Touch<R>)> = None;
            for (segment, &[a, b]) in other.skin.iter().enumerate() {
                if same && (node == a || node == b || one.neighbours.binary_search(&(node, segment)).is_ok()) {
                    continue;
                }
                let (distance, share) = to_segment(from, self.at(a), self.at(b));
                let foot = |at: &dyn Fn(usize) -> Vec2<R>| at(a) * (R::ONE - share) + at(b) * share;
                let base = foot(&|n| self.at(n));
                let right = -(self.at(b) - self.at(a)).left().unit_or(Vec2::new(R::ZERO, R::ONE));
                let (side, gap) = if wrong_side {
                    (if lives_inside { -right } else { right }, -distance - rim)
                } else {
                    ((from - base).unit_or(right), distance - rim)
                };
                let later = gap + side.dot((to - from) - (foot(&|n| self.after(n)) - base));
                if !(gap <= R::ZERO || later < R::ZERO) {
                    continue;
                }
                let key = Key::Skin { first_node: other.nodes.start, skin: segment, node };
                let mut touch = self.between_materials([other.material, one.material], key);
                touch.sides = [Side::between([a, b], share), Side::node(node)];
                (touch.normal, touch.gap) = (side, gap);
                touch.point = base + side * other.radius;
                if !wrong_side {
                    out.push(touch);
                } else if best.as_ref().is_none_or(|(nearest, _)| distance < *nearest) {
                    best = Some((distance, touch));
                }
            }
            out.extend(best.map(|(_, touch)| touch));
        }
    }

    /// Nodes of two soft bodies without a skin, each pair once.
    fn bare_nodes(&self, one: &Soft<Vec2<R>, R>, other: &Soft<Vec2<R>, R>, same: bool, out: &mut Vec<Touch<R>>) {
        let rim = one.radius + other.radius;
        if !(rim > R::ZERO) || (!same && one.nodes.start > other.nodes.start) {
            return;
        }
        for a in one.nodes.clone() {
            for b in if same { a + 1..other.nodes.end } else { other.nodes.clone() } {
                let way = self.at(b) - self.at(a);
                let later = way + (self.way[b] - self.way[a]) * self.dt;
                let gap = way.length() - rim;
                if gap > R::ZERO && later.length() >= rim {
                    continue;
                }
                let mut touch = self.between_materials([one.material, other.material], Key::Nodes(a, b));
                touch.sides = [Side::node(a), Side::node(b)];
                (touch.normal, touch.gap) = (way.unit_or(Vec2::new(R::ZERO, R::ONE)), gap);
                touch.point = self.at(a) + touch.normal * one.radius;
                out.push(touch);
            }
        }
    }
}
