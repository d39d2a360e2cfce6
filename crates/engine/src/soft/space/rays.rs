//! Rays against skins at their radius, and against bare nodes, by walking as far as nothing can be met.
//!
//! Source: Hart, "Sphere tracing" (1996).

use super::room::SpaceSofts;
use super::side::heaviest;
use super::triangle::{blend, encloses, nearest};
use crate::common::scalar::Real;
use crate::soft::nodes::Soft;
use crate::space::rays::Hit;
use crate::space::vector::Vec3;

/// Steps along a ray at most, and the share of its length that counts as there.
const STEPS: usize = 400;
const THERE: f64 = 1e-10;

impl<R: Real> SpaceSofts<R> {
    /// The nearest hit of each soft body, as of its nearest node.
    pub(crate) fn rays(&self, from: Vec3<R>, to: Vec3<R>) -> Vec<Hit<R>> {
        let hits = self.room.softs.iter().filter(|soft| soft.present).filter_map(|soft| self.ray(soft, from, to));
        hits.collect()
    }

    fn ray(&self, soft: &Soft<Vec3<R>, R>, from: Vec3<R>, to: Vec3<R>) -> Option<Hit<R>> {
        let at = |node: usize| self.room.nodes.position[node];
        let back = (from - to).unit_or(Vec3::axis(1));
        if soft.closed && encloses(&soft.skin, at, from) {
            return Some(Hit { body: self.room.first + soft.nodes.start, share: R::ZERO, normal: back });
        }
        let length = (to - from).length();
        if !(length > R::ZERO) {
            return None;
        }
        let mut share = R::ZERO;
        for _ in 0..STEPS {
            let p = from + (to - from) * share;
            let (foot, node) = self.nearest_of(soft, p);
            let away = (p - foot).length() - soft.radius;
            if away <= R::of(THERE).max(R::EPSILON) * length {
                return Some(Hit { body: self.room.first + node, share, normal: (p - foot).unit_or(back) });
            }
            share += away / length;
            if share > R::ONE {
                return None;
            }
        }
        None
    }

    /// The nearest point of a skin, or of bare nodes, and the node that is nearest to it.
    fn nearest_of(&self, soft: &Soft<Vec3<R>, R>, p: Vec3<R>) -> (Vec3<R>, usize) {
        let at = |node: usize| self.room.nodes.position[node];
        let mut best = (R::INFINITY, Vec3::ZERO, soft.nodes.start);
        if soft.skin.is_empty() {
            for node in soft.nodes.clone() {
                let far = (at(node) - p).length();
                if far < best.0 {
                    best = (far, at(node), node);
                }
            }
        }
        for corners in &soft.skin {
            let places = corners.map(at);
            let shares = nearest(p, places);
            let foot = blend(shares, places);
            let far = (foot - p).length();
            if far < best.0 {
                best = (far, foot, corners[heaviest(shares)]);
            }
        }
        (best.1, best.2)
    }
}
