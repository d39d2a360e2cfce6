//! Where soft bodies touch each other, and themselves where they are asked to: nodes against skin, and bare nodes against bare nodes.

use super::side::{Corners, SpaceTouch};
use super::triangle::{blend, encloses, nearest, normal};
use crate::common::scalar::Real;
use crate::soft::nodes::Soft;
use crate::soft::room::{are_apart, holds};
use crate::soft::touch::{Guest, Homes, Key, Look, Side};
use crate::space::bodies::Bodies;
use crate::space::vector::Vec3;

/// Two points so near to each other, as a share of the distance at which they touch, are one.
const SAME: f64 = 1e-6;

impl<R: Real> Look<'_, Vec3<R>, Bodies<R>, R> {
    /// Touches of the nodes of one soft body with another, or with itself. `around` is the box of what the other sweeps;
    /// `homes` the other's number, who comes and who lives where, nothing for itself.
    pub(super) fn with_soft(
        &self,
        one: &Soft<Vec3<R>, R>,
        other: &Soft<Vec3<R>, R>,
        around: [Vec3<R>; 2],
        homes: Option<(usize, Guest, &mut Homes)>,
        out: &mut Vec<SpaceTouch<R>>,
    ) {
        let same = homes.is_none();
        let rim = one.radius + other.radius;
        if other.skin.is_empty() {
            if one.skin.is_empty() {
                self.bare_nodes(one, other, same, out);
            }
            return;
        }
        let closed = other.closed && !same;
        let near: Vec<usize> =
            one.nodes.clone().filter(|&node| !are_apart(self.box_of(std::iter::once(node), rim), around)).collect();
        if near.is_empty() {
            return;
        }
        let now = || self.mostly(one, |point| encloses(&other.skin, |node| self.at(node), point));
        let lives_inside = closed && homes.is_some_and(|(skin, guest, homes)| homes.is_home(skin, guest, now));
        // What lies outside of the box lies outside of the skin.
        let skin_box = self.box_of(other.skin.iter().flatten().copied(), R::ZERO);
        let boxes: Vec<[Vec3<R>; 2]> =
            other.skin.iter().map(|corners| self.box_of(corners.iter().copied(), R::ZERO)).collect();
        for node in near {
            let (from, to) = (self.at(node), self.after(node));
            let own = self.box_of(std::iter::once(node), rim);
            let first = out.len();
            let is_inside = || holds(skin_box, from) && encloses(&other.skin, |node| self.at(node), from);
            let wrong_side = closed && is_inside() != lives_inside;
            let mut best: Option<(R, SpaceTouch<R>)> = None;
            for (face, &corners) in other.skin.iter().enumerate() {
                if !wrong_side && are_apart(own, boxes[face]) {
                    continue;
                }
                if same && (corners.contains(&node) || one.neighbours.binary_search(&(node, face)).is_ok()) {
                    continue;
                }
                let places = corners.map(|corner| self.at(corner));
                let shares = nearest(from, places);
                let base = blend(shares, places);
                let distance = (from - base).length();
                let out_of = normal(places);
                let (side, gap) = if wrong_side {
                    (if lives_inside { -out_of } else { out_of }, -distance - rim)
                } else {
                    ((from - base).unit_or(out_of), distance - rim)
                };
                let then = blend(shares, corners.map(|corner| self.after(corner)));
                let later = gap + side.dot((to - from) - (then - base));
                if !(gap <= R::ZERO || later < R::ZERO) {
                    continue;
                }
                let key = Key::Skin { first_node: other.nodes.start, skin: face, node };
                let mut touch: SpaceTouch<R> = self.between_materials([other.material, one.material], key);
                touch.sides = [Corners::Nodes { corners, weights: shares }, Corners::node(node)];
                (touch.normal, touch.gap) = (side, gap);
                touch.point = base + side * other.radius;
                if !wrong_side {
                    // Faces that meet where they are nearest are touched once.
                    let near = R::of(SAME) * (rim + distance);
                    if !out[first..].iter().any(|other| (other.point - touch.point).length() <= near) {
                        out.push(touch);
                    }
                } else if best.as_ref().is_none_or(|(nearest, _)| distance < *nearest) {
                    best = Some((distance, touch));
                }
            }
            out.extend(best.map(|(_, touch)| touch));
        }
    }
}

/// Pairs of a node and a piece of the own skin that were built within a distance of each other, sorted.
pub(super) fn built_near<R: Real>(position: &[Vec3<R>], soft: &Soft<Vec3<R>, R>, within: R) -> Vec<(usize, usize)> {
    let mut near = Vec::new();
    for node in soft.nodes.clone() {
        for (face, corners) in soft.skin.iter().enumerate() {
            let places = corners.map(|corner| position[corner]);
            let foot = blend(nearest(position[node], places), places);
            if corners.contains(&node) || (position[node] - foot).length() < within {
                near.push((node, face));
            }
        }
    }
    near
}
