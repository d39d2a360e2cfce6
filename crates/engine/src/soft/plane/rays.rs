//! Rays against skins at their radius, and against bare nodes.

use super::room::PlaneSofts;
use super::segment::to_segment;
use super::touch::encloses;
use crate::common::scalar::Real;
use crate::plane::rays::{Hit, meet};
use crate::plane::shape::{Convex, Form};
use crate::plane::vector::{Pose, Rotation, Vec2};
use crate::soft::nodes::Soft;

impl<R: Real> PlaneSofts<R> {
    /// The nearest hit of each soft body, as of its nearest node.
    pub(crate) fn rays(&self, from: Vec2<R>, to: Vec2<R>) -> Vec<Hit<R>> {
        let hits = self.room.softs.iter().filter(|soft| soft.present).filter_map(|soft| self.ray(soft, from, to));
        hits.collect()
    }

    fn ray(&self, soft: &Soft<Vec2<R>, R>, from: Vec2<R>, to: Vec2<R>) -> Option<Hit<R>> {
        let at = |node: usize| self.room.nodes.position[node];
        if soft.closed && encloses(&soft.skin, at, from) {
            let normal = (from - to).unit_or(Vec2::new(R::ZERO, R::ONE));
            return Some(Hit { body: self.room.first + soft.nodes.start, share: R::ZERO, normal });
        }
        let frame = Pose { position: Vec2::ZERO, rotation: Rotation::default() };
        let mut best: Option<Hit<R>> = None;
        let mut keep = |corners: Vec<usize>| {
            let places = corners.iter().map(|&node| at(node)).collect();
            let form = Form::Convex(Convex::rounded(places, soft.radius));
            let Some((share, normal)) = meet(&form, &frame, from, to) else { return };
            if best.as_ref().is_none_or(|other| share < other.share) {
                let point = from + (to - from) * share;
                let nearer = corners.iter().copied().min_by(|&a, &b| {
                    let far = |node: usize| to_segment(point, at(node), at(node)).0.to_f64();
                    far(a).total_cmp(&far(b))
                });
                best = Some(Hit { body: self.room.first + nearer.unwrap_or(corners[0]), share, normal });
            }
        };
        if soft.skin.is_empty() {
            soft.nodes.clone().for_each(|node| keep(vec![node]));
        } else {
            soft.skin.iter().for_each(|ends| keep(ends.to_vec()));
        }
        best
    }
}
