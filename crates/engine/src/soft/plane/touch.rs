//! Where nodes and skin of soft bodies touch rigid bodies.
//!
//! Two outlines of which one is convex come nearest at a corner of one of them: a node against a piece of a rigid body, or a corner of the
//! piece against a segment of skin. Rigid bodies have gone their way of the sub-step already; a point of theirs is looked at where it
//! was by its velocity.

use super::segment::to_segment;
use crate::common::scalar::Real;
use crate::plane::bodies::Bodies;
use crate::plane::narrow::disc_to_convex;
use crate::plane::rays::meet;
use crate::plane::shape::Form;
use crate::plane::vector::{Pose, Vec2};
use crate::soft::nodes::Soft;
use crate::soft::pins::any_held;
use crate::soft::touch::{Guest, Homes, Key, Look, Side, Touch};

/// One of the two that touch.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Ends<R> {
    /// A point of a rigid body, by its arm from the centre.
    Rigid { body: usize, arm: Vec2<R> },
    /// A point between two nodes, or one node twice with weights 1 and 0.
    Nodes { ends: [usize; 2], weights: [R; 2] },
}

/// A touch of the plane: across its normal there is one direction.
pub(super) type PlaneTouch<R> = Touch<Ends<R>, Vec2<R>, R, R>;

impl<R: Real> Side for Ends<R> {
    fn node(node: usize) -> Self {
        Ends::Nodes { ends: [node, node], weights: [R::ONE, R::ZERO] }
    }

    fn owner(&self) -> Result<usize, usize> {
        match *self {
            Ends::Rigid { body, .. } => Ok(body),
            Ends::Nodes { ends, weights } => Err(ends[usize::from(weights[1] > weights[0])]),
        }
    }
}

impl<R: Real> Ends<R> {
    pub(super) fn between(ends: [usize; 2], share: R) -> Self {
        Ends::Nodes { ends, weights: [R::ONE - share, share] }
    }
}

impl<R: Real> Look<'_, Vec2<R>, Bodies<R>, R> {
    /// Touches of a soft body with one piece of a rigid one. `number` is that of the piece; `homes` knows who lives where, by the number of the soft body.
    pub(super) fn with_piece(
        &self,
        soft: &Soft<Vec2<R>, R>,
        around: [Vec2<R>; 2],
        number: usize,
        homes: (usize, &mut Homes),
        out: &mut Vec<PlaneTouch<R>>,
    ) {
        let piece = &self.bodies.pieces[number];
        let pose = self.bodies.pose(piece.body);
        match &piece.form {
            Form::HalfPlane { normal, offset } => {
                let normal = pose.rotation.turn(*normal);
                let level = *offset + normal.dot(pose.position);
                // The lowest corner of the box decides whether anything can touch.
                let pick = |axis: R, low: R, high: R| if axis > R::ZERO { low } else { high };
                let lowest =
                    Vec2::new(pick(normal.x, around[0].x, around[1].x), pick(normal.y, around[0].y, around[1].y));
                if normal.dot(lowest) > level {
                    return;
                }
                for node in soft.nodes.clone() {
                    let height = |p: Vec2<R>| (normal.dot(p) - level - soft.radius, normal);
                    self.node_against(soft, node, number, &height, None, out);
                }
            }
            Form::Convex(convex) => {
                let [low, high] = convex.bounds(&pose);
                let motion = self.bodies.motion[piece.body];
                let stray = (motion.linear.length() + motion.spin.abs() * piece.reach) * self.ahead;
                let apart = |low: R, high: R, l: R, h: R| low - stray > h || high + stray < l;
                if apart(low.x, high.x, around[0].x, around[1].x) || apart(low.y, high.y, around[0].y, around[1].y) {
                    return;
                }
                let height = |p: Vec2<R>| {
                    let (gap, normal, _) = disc_to_convex(p, convex, &pose);
                    (gap - soft.radius, normal)
                };
                let enlarged = soft.swept.then(|| {
                    let mut convex = convex.clone();
                    convex.radius += soft.radius;
                    Form::Convex(convex)
                });
                for node in soft.nodes.clone() {
                    self.node_against(soft, node, number, &height, enlarged.as_ref(), out);
                }
                if !soft.skin.is_empty() {
                    self.corners_against_skin(soft, number, &pose, homes, out);
                }
            }
        }
    }

    /// A node against a piece whose signed distance and normal at a point are given. `enlarged` is the piece made thicker by the radius, for nodes
    /// that are followed along their path.
    fn node_against(
        &self,
        soft: &Soft<Vec2<R>, R>,
        node: usize,
        number: usize,
        height: &dyn Fn(Vec2<R>) -> (R, Vec2<R>),
        enlarged: Option<&Form<R>>,
        out: &mut Vec<PlaneTouch<R>>,
    ) {
        let piece = &self.bodies.pieces[number];
        let body = piece.body;
        let centre = self.bodies.position[body];
        let drift = self.bodies.motion[body].at(self.at(node) - centre);
        // Seen from the body: where the node is and will be against it as it stands now.
        let from = self.at(node) + drift * self.ahead;
        let to = from + (self.way[node] - drift) * self.dt;
        if any_held(&soft.pins, &[node], body) {
            return;
        }
        let (mut gap, mut normal) = height(from);
        let travel = (to - from).length();
        if gap > travel {
            return;
        }
        if gap > R::ZERO && height(to).0 >= R::ZERO {
            let pose = self.bodies.pose(body);
            let Some((share, hit)) = enlarged.and_then(|form| meet(form, &pose, from, to)) else { return };
            (gap, normal) = (-hit.dot(to - from) * share, hit);
        }
        let key = Key::Node { body, piece: number, node };
        let mut touch: PlaneTouch<R> = self.between_materials([piece.material, soft.material], key);
        touch.sides = [Ends::Rigid { body, arm: from - centre }, Ends::node(node)];
        (touch.normal, touch.gap) = (normal, gap);
        touch.point = from - normal * (soft.radius + gap * R::HALF);
        out.push(touch);
    }

    /// Corners of a piece against the segments of a skin, between their nodes.
    fn corners_against_skin(
        &self,
        soft: &Soft<Vec2<R>, R>,
        number: usize,
        pose: &Pose<R>,
        (skin, homes): (usize, &mut Homes),
        out: &mut Vec<PlaneTouch<R>>,
    ) {
        let piece = &self.bodies.pieces[number];
        let Form::Convex(convex) = &piece.form else { return };
        let (body, centre) = (piece.body, self.bodies.position[piece.body]);
        let rim = convex.radius + soft.radius;
        // What has its middle inside a closed skin lives there, and is kept inside.
        let now = || self.is_inside(soft, pose.point(convex.middle()));
        let lives_inside = soft.closed && piece.size < R::INFINITY && homes.is_home(skin, Guest::Piece(number), now);
        for (corner, &local) in convex.corners.iter().enumerate() {
            let now = pose.point(local);
            let drift = self.bodies.motion[body].at(now - centre);
            let from = now - drift * self.ahead;
            let to = from + drift * self.dt;
            let wrong_side = soft.closed && self.is_inside(soft, from) != lives_inside;
            let mut best: Option<(R, PlaneTouch<R>)> = None;
            for (segment, &[a, b]) in soft.skin.iter().enumerate() {
                let (distance, share) = to_segment(from, self.at(a), self.at(b));
                if share <= R::ZERO || share >= R::ONE || any_held(&soft.pins, &[a, b], body) {
                    continue;
                }
                let right = -(self.at(b) - self.at(a)).left().unit_or(Vec2::new(R::ZERO, R::ONE));
                let on_right = right.dot(from - self.at(a)) >= R::ZERO;
                // Towards the side on which the corner belongs.
                let outwards = if soft.closed { !lives_inside } else { on_right };
                let side = if outwards { right } else { -right };
                let gap = if wrong_side { -distance - rim } else { side.dot(from - self.at(a)) - rim };
                if !wrong_side && side.dot(from - self.at(a)) < R::ZERO {
                    continue;
                }
                let foot = |at: &dyn Fn(usize) -> Vec2<R>| at(a) * (R::ONE - share) + at(b) * share;
                let later = gap + side.dot((to - from) - (foot(&|n| self.after(n)) - foot(&|n| self.at(n))));
                if !(gap <= R::ZERO || later < R::ZERO) {
                    continue;
                }
                let first_node = soft.nodes.start;
                let key = Key::Corner { body, piece: number, first_node, skin: segment, corner };
                let mut touch: PlaneTouch<R> = self.between_materials([piece.material, soft.material], key);
                touch.sides = [Ends::Rigid { body, arm: now - centre }, Ends::between([a, b], share)];
                // From the rigid body to the skin.
                (touch.normal, touch.gap) = (-side, gap);
                touch.point = foot(&|n| self.at(n)) + side * soft.radius;
                if !wrong_side {
                    out.push(touch);
                } else if best.as_ref().is_none_or(|(nearest, _)| distance < *nearest) {
                    best = Some((distance, touch));
                }
            }
            out.extend(best.map(|(_, touch)| touch));
        }
    }

    /// Whether a point lies inside a closed skin, by the crossings of a ray along x.
    pub(super) fn is_inside(&self, soft: &Soft<Vec2<R>, R>, p: Vec2<R>) -> bool {
        encloses(&soft.skin, |node| self.at(node), p)
    }
}

/// Whether a point lies inside a closed skin, by the crossings of a ray along x.
pub(super) fn encloses<R: Real>(skin: &[[usize; 2]], at: impl Fn(usize) -> Vec2<R>, p: Vec2<R>) -> bool {
    let mut inside = false;
    for &[a, b] in skin {
        let (a, b) = (at(a), at(b));
        if (a.y > p.y) != (b.y > p.y) && p.x < a.x + (b.x - a.x) * ((p.y - a.y) / (b.y - a.y)) {
            inside = !inside;
        }
    }
    inside
}
