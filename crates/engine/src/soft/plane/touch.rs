//! Where nodes and skin of soft bodies touch rigid bodies.
//!
//! Two outlines of which one is convex come nearest at a corner of one of them: a node against a piece of a rigid body, or a corner of the
//! piece against a segment of skin. Rigid bodies have gone their way of the sub-step already; a point of theirs is looked at where it
//! was by its velocity.

use super::segment::to_segment;
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::plane::bodies::Bodies;
use crate::plane::narrow::disc_to_convex;
use crate::plane::rays::meet;
use crate::plane::shape::{Form, Piece};
use crate::plane::vector::{Pose, Vec2};
use crate::soft::nodes::{Nodes, Soft};

/// One of the two that touch.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Side<R> {
    /// A point of a rigid body, by its arm from the centre.
    Rigid { body: usize, arm: Vec2<R> },
    /// A point between two nodes, or one node twice with weights 1 and 0.
    Nodes { ends: [usize; 2], weights: [R; 2] },
}

impl<R: Real> Side<R> {
    pub(super) fn node(node: usize) -> Self {
        Side::Nodes { ends: [node, node], weights: [R::ONE, R::ZERO] }
    }

    pub(super) fn between(ends: [usize; 2], share: R) -> Self {
        Side::Nodes { ends, weights: [R::ONE - share, share] }
    }
}

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

/// One contact of a sub-step.
#[derive(Clone, Debug)]
pub(crate) struct Touch<R> {
    pub(super) sides: [Side<R>; 2],
    /// From the first side to the second.
    pub(super) normal: Vec2<R>,
    /// At the start of the sub-step.
    pub(super) gap: R,
    pub(super) friction: R,
    pub(super) restitution: R,
    pub(super) point: Vec2<R>,
    pub(super) key: Key,
    /// Impulses on ways and on velocities, along the normal and across it.
    pub(super) on_ways: [R; 2],
    pub(super) on_speeds: [R; 2],
    /// Speed of parting after the impact.
    pub(super) parting: R,
    pub(super) is_impact: bool,
}

/// A sub-step as those see it who look for touches.
pub(super) struct Look<'a, R> {
    pub(super) nodes: &'a Nodes<Vec2<R>, R>,
    /// Mean velocities of the nodes over the sub-step.
    pub(super) way: &'a [Vec2<R>],
    pub(super) bodies: &'a Bodies<R>,
    pub(super) mixed: &'a Mixed<R>,
    pub(super) dt: R,
    /// Time from the start of the sub-step until rigid bodies are where they stand now.
    pub(super) ahead: R,
}

impl<R: Real> Look<'_, R> {
    pub(super) fn at(&self, node: usize) -> Vec2<R> {
        self.nodes.position[node]
    }

    pub(super) fn after(&self, node: usize) -> Vec2<R> {
        self.nodes.position[node] + self.way[node] * self.dt
    }

    /// Lower and upper corner of the box around what a soft body sweeps, with its radius.
    pub(super) fn swept_box(&self, soft: &Soft<Vec2<R>, R>) -> [Vec2<R>; 2] {
        let (mut low, mut high) = (Vec2::new(R::INFINITY, R::INFINITY), Vec2::new(-R::INFINITY, -R::INFINITY));
        for node in soft.nodes.clone() {
            for p in [self.at(node), self.after(node)] {
                low = Vec2::new(low.x.min(p.x), low.y.min(p.y));
                high = Vec2::new(high.x.max(p.x), high.y.max(p.y));
            }
        }
        let rim = Vec2::new(soft.radius, soft.radius);
        [low - rim, high + rim]
    }

    pub(super) fn between_materials(&self, materials: [usize; 2], key: Key) -> Touch<R> {
        let (friction, restitution) = self.mixed.of(materials[0], materials[1]);
        Touch {
            sides: [Side::node(0); 2],
            normal: Vec2::ZERO,
            gap: R::ZERO,
            friction,
            restitution,
            point: Vec2::ZERO,
            key,
            on_ways: [R::ZERO; 2],
            on_speeds: [R::ZERO; 2],
            parting: R::ZERO,
            is_impact: false,
        }
    }

    /// Touches of a soft body with one piece of a rigid one. `number` is that of the piece.
    pub(super) fn with_piece(
        &self,
        soft: &Soft<Vec2<R>, R>,
        around: [Vec2<R>; 2],
        number: usize,
        out: &mut Vec<Touch<R>>,
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
                    self.corners_against_skin(soft, number, piece, &pose, out);
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
        out: &mut Vec<Touch<R>>,
    ) {
        let piece = &self.bodies.pieces[number];
        let body = piece.body;
        let centre = self.bodies.position[body];
        let drift = self.bodies.motion[body].at(self.at(node) - centre);
        // Seen from the body: where the node is and will be against it as it stands now.
        let from = self.at(node) + drift * self.ahead;
        let to = from + (self.way[node] - drift) * self.dt;
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
        let mut touch = self.between_materials([piece.material, soft.material], key);
        touch.sides = [Side::Rigid { body, arm: from - centre }, Side::node(node)];
        (touch.normal, touch.gap) = (normal, gap);
        touch.point = from - normal * (soft.radius + gap * R::HALF);
        out.push(touch);
    }

    /// Corners of a piece against the segments of a skin, between their nodes.
    fn corners_against_skin(
        &self,
        soft: &Soft<Vec2<R>, R>,
        number: usize,
        piece: &Piece<R>,
        pose: &Pose<R>,
        out: &mut Vec<Touch<R>>,
    ) {
        let Form::Convex(convex) = &piece.form else { return };
        let (body, centre) = (piece.body, self.bodies.position[piece.body]);
        let rim = convex.radius + soft.radius;
        // What has its middle inside a closed skin lives there, and is kept inside.
        let lives_inside = soft.closed && piece.size < R::INFINITY && self.is_inside(soft, pose.point(convex.middle()));
        for (corner, &local) in convex.corners.iter().enumerate() {
            let now = pose.point(local);
            let drift = self.bodies.motion[body].at(now - centre);
            let from = now - drift * self.ahead;
            let to = from + drift * self.dt;
            let wrong_side = soft.closed && self.is_inside(soft, from) != lives_inside;
            let mut best: Option<(R, Touch<R>)> = None;
            for (segment, &[a, b]) in soft.skin.iter().enumerate() {
                let (distance, share) = to_segment(from, self.at(a), self.at(b));
                if share <= R::ZERO || share >= R::ONE {
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
                let mut touch = self.between_materials([piece.material, soft.material], key);
                touch.sides = [Side::Rigid { body, arm: now - centre }, Side::between([a, b], share)];
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
