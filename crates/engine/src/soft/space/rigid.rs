//! Where nodes touch rigid bodies, and corners and round parts of rigid bodies the skin between its nodes.
//!
//! Rigid bodies have gone their way of the sub-step already; a point of theirs is looked at where it was by its velocity. Edges that cross edges of
//! the skin are not looked for: the nodes of a skin stand for it there.

use super::side::{Corners, SpaceTouch};
use super::triangle::{blend, encloses, nearest, normal};
use crate::common::scalar::Real;
use crate::soft::nodes::Soft;
use crate::soft::pins::any_held;
use crate::soft::room::are_apart;
use crate::soft::touch::{Guest, Homes, Key, Look, Side};
use crate::space::bodies::Bodies;
use crate::space::narrow::gap;
use crate::space::shape::{Form, Piece, corner};
use crate::space::vector::{Mat3, Pose, Vec3};

/// Rounds of conservative advancement along the path of a node.
const ROUNDS: usize = 48;

/// A rigid piece and where it stands now.
struct Placed<'a, R> {
    piece: &'a Piece<R>,
    number: usize,
    body: Pose<R>,
}

impl<R: Real> Look<'_, Vec3<R>, Bodies<R>, R> {
    /// Touches of a soft body with one piece of a rigid one. `number` is that of the piece, `around` the box of what the soft body sweeps, `probe` a
    /// ball of its radius.
    pub(super) fn with_piece(
        &self,
        soft: &Soft<Vec3<R>, R>,
        around: [Vec3<R>; 2],
        number: usize,
        probe: &Piece<R>,
        homes: (usize, &mut Homes),
        out: &mut Vec<SpaceTouch<R>>,
    ) {
        let far = Vec3::new(R::INFINITY, R::INFINITY, R::INFINITY);
        let mut reach = [-far, far];
        let piece = &self.bodies.pieces[number];
        let placed = Placed { piece, number, body: self.bodies.pose(piece.body) };
        let own = piece.pose(&placed.body);
        if let Form::HalfSpace(n) = &piece.form {
            let n = own.axes.times(*n);
            // The lowest corner of the box decides whether anything can touch.
            let pick = |axis: R, low: R, high: R| if axis > R::ZERO { low } else { high };
            let [low, high] = around;
            let lowest = Vec3::new(pick(n.x, low.x, high.x), pick(n.y, low.y, high.y), pick(n.z, low.z, high.z));
            if n.dot(lowest - own.position) > R::ZERO {
                return;
            }
        } else {
            let motion = self.bodies.motion[piece.body];
            let stray = (motion.linear.length() + motion.spin.length() * piece.reach) * self.ahead;
            let (middle, half) = piece.around(&own);
            let half = half + Vec3::new(stray, stray, stray);
            reach = [middle - half, middle + half];
            if are_apart(reach, around) {
                return;
            }
        }
        for node in soft.nodes.clone() {
            if any_held(&soft.pins, &[node], piece.body) {
                continue;
            }
            if !are_apart(reach, self.box_of(std::iter::once(node), soft.radius)) {
                self.node_against(soft, node, &placed, probe, out);
            }
        }
        if !soft.skin.is_empty() {
            self.points_against_skin(soft, &placed, &own, homes, out);
        }
    }

    /// A node against a piece.
    fn node_against(
        &self,
        soft: &Soft<Vec3<R>, R>,
        node: usize,
        placed: &Placed<'_, R>,
        probe: &Piece<R>,
        out: &mut Vec<SpaceTouch<R>>,
    ) {
        let (piece, number) = (placed.piece, placed.number);
        let body = piece.body;
        let centre = self.bodies.position[body];
        let drift = self.bodies.motion[body].at(self.at(node) - centre);
        // Seen from the body: where the node is and will be against it as it stands now.
        let from = self.at(node) + drift * self.ahead;
        let to = from + (self.way[node] - drift) * self.dt;
        let travel = (to - from).length();
        // A net that has exploded touches nothing: what it is to be is for the frame to tell.
        if !(travel + from.length() < R::INFINITY) {
            return;
        }
        let reach = travel + soft.radius;
        let height = |p: Vec3<R>| {
            let pose = Pose { position: p, axes: Mat3::alike(R::ONE) };
            gap(piece, &placed.body, probe, &pose, reach + reach)
        };
        let Some(mut found) = height(from) else { return };
        if found.distance > travel {
            return;
        }
        if found.distance > R::ZERO && height(to).is_none_or(|after| after.distance >= R::ZERO) {
            // It may have gone through. Mirtich, "Impulse-based dynamic simulation of rigid body systems" (1996), section 2.3.2.
            if !soft.swept {
                return;
            }
            let (mut share, mut last) = (R::ZERO, Some(found));
            let near = R::of(1e-6) * (soft.radius + travel);
            for _ in 0..ROUNDS {
                match last {
                    Some(now) if now.distance <= near => break,
                    Some(now) => share += now.distance / travel,
                    None => return,
                }
                if !(share < R::ONE) {
                    return;
                }
                last = height(from + (to - from) * share);
            }
            let Some(hit) = last else { return };
            // Only what it runs against.
            if !(hit.normal.dot(to - from) < R::ZERO) {
                return;
            }
            found.normal = hit.normal;
            found.distance = -hit.normal.dot(to - from) * share;
        }
        let key = Key::Node { body, piece: number, node };
        let mut touch: SpaceTouch<R> = self.between_materials([piece.material, soft.material], key);
        touch.sides = [Corners::Rigid { body, arm: from - centre }, Corners::node(node)];
        (touch.normal, touch.gap) = (found.normal, found.distance);
        touch.point = from - found.normal * (soft.radius + found.distance * R::HALF);
        out.push(touch);
    }

    fn points_against_skin(
        &self,
        soft: &Soft<Vec3<R>, R>,
        placed: &Placed<'_, R>,
        own: &Pose<R>,
        (skin_number, homes): (usize, &mut Homes),
        out: &mut Vec<SpaceTouch<R>>,
    ) {
        let (piece, number) = (placed.piece, placed.number);
        if matches!(piece.form, Form::Mesh(_) | Form::HalfSpace(_)) {
            return;
        }
        let body = piece.body;
        let centre = self.bodies.position[body];
        if !(centre.length() < R::INFINITY) {
            return;
        }
        // What has its middle inside a closed skin lives there, and is kept inside.
        let inside = |p: Vec3<R>| encloses(&soft.skin, |node| self.at(node), p);
        let lives_inside = soft.closed && homes.is_home(skin_number, Guest::Piece(number), || inside(own.position));
        let (middle, half) = piece.around(own);
        let motion = self.bodies.motion[body];
        let stray = (motion.linear.length() + motion.spin.length() * piece.reach) * (self.ahead + self.dt);
        let reach = half + Vec3::new(stray, stray, stray);
        // The nearest face for each point on the wrong side of a closed skin.
        let mut wrong: Vec<(usize, R, SpaceTouch<R>)> = Vec::new();
        let points = Points::of(piece, own);
        let mut sides: Vec<Option<bool>> = vec![None; points.places.len()];
        for (face, &corners) in soft.skin.iter().enumerate() {
            let around = self.box_of(corners.into_iter(), soft.radius);
            if are_apart([middle - reach, middle + reach], around) || any_held(&soft.pins, &corners, body) {
                continue;
            }
            let places = corners.map(|node| self.at(node));
            let out_of = normal(places);
            let rounding = points.radius;
            let rim = rounding + soft.radius;
            let towards = if lives_inside { out_of } else { -out_of };
            let round = points.rim.map(|rim| rim.furthest(own, towards));
            let fixed = points.places.iter().copied().zip(0..);
            for (now, k) in fixed.chain(round.into_iter().flatten().zip(points.places.len()..)) {
                let drift = self.bodies.motion[body].at(now - centre);
                let from = now - drift * self.ahead;
                let to = from + drift * self.dt;
                let shares = nearest(from, places);
                if shares.iter().any(|&share| share <= R::ZERO) {
                    continue;
                }
                let foot = blend(shares, places);
                let height = out_of.dot(from - foot);
                let is_wrong = soft.closed && {
                    let is_in = match sides.get_mut(k) {
                        Some(known) => *known.get_or_insert_with(|| inside(from)),
                        None => inside(from),
                    };
                    is_in != lives_inside
                };
                // Towards the side on which the point belongs.
                let outwards = if soft.closed { !lives_inside } else { height >= R::ZERO };
                let side = if outwards { out_of } else { -out_of };
                let gap = if is_wrong { -height.abs() - rim } else { side.dot(from - foot) - rim };
                if !is_wrong && side.dot(from - foot) < R::ZERO {
                    continue;
                }
                let later = blend(shares, corners.map(|node| self.after(node)));
                let then = gap + side.dot((to - from) - (later - foot));
                if !(gap <= R::ZERO || then < R::ZERO) {
                    continue;
                }
                let key = Key::Corner { body, piece: number, first_node: soft.nodes.start, skin: face, corner: k };
                let mut touch: SpaceTouch<R> = self.between_materials([piece.material, soft.material], key);
                let touching = now - side * rounding;
                touch.sides =
                    [Corners::Rigid { body, arm: touching - centre }, Corners::Nodes { corners, weights: shares }];
                // From the rigid body to the skin.
                (touch.normal, touch.gap) = (-side, gap);
                touch.point = foot + side * soft.radius;
                if !is_wrong {
                    out.push(touch);
                    continue;
                }
                let depth = height.abs();
                match wrong.iter_mut().find(|(point, ..)| *point == k) {
                    Some(best) if depth < best.1 => *best = (k, depth, touch),
                    Some(_) => {}
                    None => wrong.push((k, depth, touch)),
                }
            }
        }
        out.extend(wrong.into_iter().map(|(_, _, touch)| touch));
    }
}

/// Points of a piece by which it may touch a skin between its nodes: corners, centres of balls and of caps, and how far it reaches around each.
struct Points<R> {
    places: Vec<Vec3<R>>,
    radius: R,
    /// Of a cylinder.
    rim: Option<Rim<R>>,
}

/// Half the length and the radius of a cylinder: its rims touch with other points for each face.
#[derive(Clone, Copy)]
struct Rim<R> {
    half: R,
    radius: R,
}

impl<R: Real> Points<R> {
    fn of(piece: &Piece<R>, own: &Pose<R>) -> Self {
        let at = |places: Vec<Vec3<R>>, radius: R| Points { places, radius, rim: None };
        match &piece.form {
            Form::Ball(radius) => at(vec![own.position], *radius),
            Form::Block(half, _) => at((0..8).map(|k| own.point(corner(*half, k))).collect(), R::ZERO),
            Form::Hull(shell) => at(shell.view().corners.iter().map(|&p| own.point(p)).collect(), R::ZERO),
            Form::Capsule { half, radius } => {
                at([*half, -*half].map(|x| own.point(Vec3::new(x, R::ZERO, R::ZERO))).to_vec(), *radius)
            }
            Form::Cylinder { half, radius } => {
                Points { rim: Some(Rim { half: *half, radius: *radius }), ..at(Vec::new(), R::ZERO) }
            }
            Form::Mesh(_) | Form::HalfSpace(_) => at(Vec::new(), R::ZERO),
        }
    }
}

impl<R: Real> Rim<R> {
    /// The points of both rims that reach furthest along a direction.
    fn furthest(self, own: &Pose<R>, along: Vec3<R>) -> [Vec3<R>; 2] {
        let local = own.axes.times_back(along);
        let flat = Vec3::new(R::ZERO, local.y, local.z).unit_or(Vec3::ZERO) * self.radius;
        [self.half, -self.half].map(|x| own.point(Vec3::new(x, flat.y, flat.z)))
    }
}
