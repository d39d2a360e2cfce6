//! Where soft bodies touch each other, and themselves where they are asked to: nodes against skin, and bare nodes against bare nodes.

use super::segment::to_segment;
use super::touch::{Ends, PlaneTouch, encloses};
use crate::common::scalar::Real;
use crate::plane::bodies::Bodies;
use crate::plane::vector::Vec2;
use crate::soft::nodes::Soft;
use crate::soft::touch::{Guest, Homes, Key, Look, Side};

impl<R: Real> Look<'_, Vec2<R>, Bodies<R>, R> {
    /// Touches of the nodes of one soft body with another, or with itself. `around` is the box of what the other sweeps;
    /// `homes` the other's number, who comes and who lives where, nothing for itself.
    pub(super) fn with_soft(
        &self,
        one: &Soft<Vec2<R>, R>,
        other: &Soft<Vec2<R>, R>,
        around: [Vec2<R>; 2],
        homes: Option<(usize, Guest, &mut Homes)>,
        out: &mut Vec<PlaneTouch<R>>,
    ) {
        let same = homes.is_none();
        let [low, high] = around;
        let rim = one.radius + other.radius;
        if other.skin.is_empty() {
            if one.skin.is_empty() {
                self.bare_nodes(one, other, same, out);
            }
            return;
        }
        let closed = other.closed && !same;
        let now = || self.mostly(one, |point| encloses(&other.skin, |node| self.at(node), point));
        let lives_inside = closed && homes.is_some_and(|(skin, guest, homes)| homes.is_home(skin, guest, now));
        for node in one.nodes.clone() {
            let (from, to) = (self.at(node), self.after(node));
            let reach = rim + (to - from).length();
            let beside = |x: R, low: R, high: R| x + reach < low || x - reach > high;
            if beside(from.x, low.x, high.x) || beside(from.y, low.y, high.y) {
                continue;
            }
            let wrong_side = closed && encloses(&other.skin, |node| self.at(node), from) != lives_inside;
            let mut best: Option<(R, PlaneTouch<R>)> = None;
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
                let mut touch: PlaneTouch<R> = self.between_materials([other.material, one.material], key);
                touch.sides = [Ends::between([a, b], share), Ends::node(node)];
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
}
