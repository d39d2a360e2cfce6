//! Swept collision: bodies fly from impact to impact within a step.
//!
//! Source: Mirtich, "Impulse-based Dynamic Simulation of Rigid Body Systems" (1996), chapters 2 and 3: conservative advancement, and a heap of the
//! times at which pairs may touch.

use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::tolerance::{IMPACTS_WITHOUT_PROGRESS, SLOP};
use crate::space::bodies::{Bodies, Motion};
use crate::space::box_tree::{Bounds, BoxTree};
use crate::space::contact::{Impact, POINTS};
use crate::space::impact::{PairInMotion, Target};
use crate::space::inner::are_level;
use crate::space::leg::{Carried, Leg};
use crate::space::narrow::{gap, manifolds};
use crate::space::shape::Form;
use crate::space::vector::{Pose, Quat, Vec3};
use crate::space::way::{Place, Way};
use ironspin_model::BodyKind;
use std::cmp::{Ordering, Reverse};
use std::collections::{BTreeMap, BinaryHeap};

/// Share of a step that a pair must have gone on by for its impacts to count anew: what rattles to rest on an edge never comes to an end otherwise.
const PROGRESS: f64 = 1e-5;

/// Impacts that a body may have in one step before it is held where it is for the rest of the step.
const IMPACTS_OF_A_BODY: u32 = 100;

/// A pair that will touch. Ordered by time, then by pieces.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Event {
    share: f64,
    pieces: (u32, u32),
    impacts: [u32; 2],
}

impl Eq for Event {}

impl PartialOrd for Event {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Event {
    fn cmp(&self, other: &Self) -> Ordering {
        self.share.total_cmp(&other.share).then(self.pieces.cmp(&other.pieces)).then(self.impacts.cmp(&other.impacts))
    }
}

/// How deep in all a pair may sink within a step, in slops.
const DEEPEST: f64 = 10.0;

/// What a sweep needs to know of the step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SweepNumbers<R> {
    pub(crate) dt: R,
    pub(crate) rest_speed: R,
    /// Gap at which pieces count as touching, as a share of the smaller one's size.
    pub(crate) touch: R,
}

/// Swept collision that keeps its lists between steps.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sweeper<R> {
    tree: BoxTree<R>,
    /// Which pieces the boxes of the tree belong to, and the box of each piece; pieces without an end are apart.
    boxed: Vec<u32>,
    box_of: Vec<Option<u32>>,
    endless: Vec<u32>,
    /// First piece of each body, and behind the last.
    first: Vec<u32>,
    /// Impacts of a pair since time went on.
    stuck: BTreeMap<(u32, u32), (f64, u32)>,
    heap: BinaryHeap<Reverse<Event>>,
    /// Mistakes: only what stands is seen, or no turning is.
    pub(crate) blind_to_moving: bool,
    pub(crate) blind_to_turning: bool,
}

/// The world that is swept.
struct Swept<'a, R> {
    bodies: &'a mut Bodies<R>,
    legs: &'a mut [Leg<R>],
    marked: &'a [bool],
    mixed: &'a Mixed<R>,
    numbers: SweepNumbers<R>,
    hits: &'a mut Vec<Impact<R>>,
    blind_to_turning: bool,
}

impl<R: Real> Swept<'_, R> {
    /// The box around everything that a piece may pass until the end of the step.
    fn bounds(&self, piece: u32) -> Bounds<R> {
        let piece = &self.bodies.pieces[piece as usize];
        let leg = &self.legs[piece.body];
        let pose = piece.pose(&self.bodies.pose(piece.body));
        let (middle, half) = piece.around(&pose);
        if leg.held || !self.bodies.travels(piece.body) {
            let centre = self.bodies.position[piece.body];
            let [low, high] = leg.carried.bounds(centre).map(|corner| corner + (middle - centre));
            return Bounds { low: low - half, high: high + half };
        }
        let half = if leg.turn == Vec3::ZERO {
            half
        } else {
            // As it turns, no point comes further from the body's centre than it is.
            let reach = Vec3::new(piece.reach, piece.reach, piece.reach);
            let off = (middle - self.bodies.position[piece.body]).abs();
            (reach + off).max(half)
        };
        let far = middle + leg.way;
        let bend = leg.bend.abs() * R::of(0.25);
        Bounds { low: middle.min(far) - half - bend, high: middle.max(far) + half + bend }
    }

    fn place(&self, body: usize, share: R) -> Place<R> {
        self.legs[body].place(self.bodies.position[body], self.bodies.rotation[body], share)
    }

    /// The way of two bodies from the later of their beginnings on, and that beginning.
    fn way(&self, a: usize, b: usize) -> (Way<R>, R) {
        let from = self.legs[a].since.max(self.legs[b].since);
        let rest = |body: usize| {
            let leg = &self.legs[body];
            let part = (R::ONE - from) / (R::ONE - leg.since);
            let still = leg.held || !self.bodies.travels(body);
            if still || self.blind_to_turning {
                (Vec3::ZERO, Vec3::ZERO)
            } else {
                (leg.turn * part, leg.bend * (part * part))
            }
        };
        let places = [a, b].map(|body| self.place(body, from));
        let ends = [a, b].map(|body| self.place(body, R::ONE).0);
        let [(turn_a, bend_a), (turn_b, bend_b)] = [rest(a), rest(b)];
        (Way::bent(places, ends, [turn_a, turn_b], [bend_a, bend_b]), from)
    }
}

impl<R: Real> Sweeper<R> {
    /// Moves all bodies over the step, each along its leg until it meets something.
    pub(crate) fn run(
        &mut self,
        bodies: &mut Bodies<R>,
        legs: &mut [Leg<R>],
        marked: &[bool],
        mixed: &Mixed<R>,
        numbers: SweepNumbers<R>,
        hits: &mut Vec<Impact<R>>,
    ) {
        let blind_to_turning = self.blind_to_turning;
        let mut swept = Swept { bodies, legs, marked, mixed, numbers, hits, blind_to_turning };
        self.begin(&swept);
        while let Some(Reverse(event)) = self.heap.pop() {
            let (a, b) = event.pieces;
            let ids = [a, b].map(|piece| swept.bodies.pieces[piece as usize].body);
            if ids.map(|body| swept.legs[body].impacts) != event.impacts {
                continue;
            }
            let progress = self.stuck.entry(event.pieces).or_insert((event.share, 0));
            *progress =
                if event.share > progress.0 + PROGRESS { (event.share, 1) } else { (progress.0, progress.1 + 1) };
            let many = event.impacts.iter().any(|&impacts| impacts >= IMPACTS_OF_A_BODY);
            let is_stuck = progress.1 > IMPACTS_WITHOUT_PROGRESS || many;
            swept.meet(event.pieces, R::of(event.share), is_stuck);
            for body in ids {
                if swept.bodies.inverse[body].moves() {
                    self.look_again(&swept, body);
                }
            }
        }
        for body in 0..swept.bodies.len() {
            let leg = swept.legs[body];
            if !swept.bodies.travels(body) {
                continue;
            }
            let from = swept.bodies.position[body];
            if leg.held {
                swept.bodies.place(body, leg.carried.place(from, R::ONE), swept.bodies.rotation[body]);
                // What is held is borne: gravity gives it no speed meanwhile.
                let Motion { linear, spin } = swept.bodies.motion[body];
                let borne = swept.bodies.fall[body] * ((R::ONE - leg.since) * swept.numbers.dt);
                swept.bodies.take_motion(body, Motion { linear: linear - borne, spin });
            } else {
                swept.bodies.place(body, from + leg.way, leg.end);
            }
        }
    }

    /// Boxes of all pieces, and the first times of all pairs.
    fn begin(&mut self, swept: &Swept<'_, R>) {
        self.heap.clear();
        self.stuck.clear();
        self.boxed.clear();
        self.endless.clear();
        self.box_of.clear();
        self.first.clear();
        for (number, piece) in swept.bodies.pieces.iter().enumerate() {
            while self.first.len() <= piece.body {
                self.first.push(number as u32);
            }
            let endless = matches!(piece.form, Form::HalfSpace(_));
            self.box_of.push((!endless).then_some(self.boxed.len() as u32));
            if endless { &mut self.endless } else { &mut self.boxed }.push(number as u32);
        }
        self.first.resize(swept.bodies.len() + 1, swept.bodies.pieces.len() as u32);
        self.tree.build(self.boxed.iter().map(|&piece| swept.bounds(piece)));
        for body in 0..swept.bodies.len() {
            if swept.marked[body] {
                self.look(swept, body, true);
            }
        }
    }

    /// The times at which a body may meet others from now on.
    fn look_again(&mut self, swept: &Swept<'_, R>, body: usize) {
        for piece in self.first[body]..self.first[body + 1] {
            if let Some(number) = self.box_of[piece as usize] {
                self.tree.change(number as usize, swept.bounds(piece));
            }
        }
        if swept.bodies.present[body] {
            self.look(swept, body, false);
        }
    }

    fn look(&mut self, swept: &Swept<'_, R>, body: usize, first_time: bool) {
        let mut near: Vec<(u32, u32)> = Vec::new();
        for piece in self.first[body]..self.first[body + 1] {
            let Some(number) = self.box_of[piece as usize] else { continue };
            let bounds = self.tree.bounds(number as usize);
            self.tree.meeting(&bounds, &mut |other| near.push((piece, self.boxed[other])));
            near.extend(self.endless.iter().map(|&other| (piece, other)));
        }
        for (piece, other) in near {
            let others = swept.bodies.pieces[other as usize].body;
            let wanted = swept.marked[body] || swept.marked[others];
            // Of two that are swept the lower one looks for both, the first time.
            let twice = first_time && swept.marked[others] && others < body;
            let unseen = self.blind_to_moving && swept.bodies.travels(body) && swept.bodies.travels(others);
            if !wanted || twice || unseen || !swept.bodies.may_meet(body, others) {
                continue;
            }
            self.time(swept, (piece.min(other), piece.max(other)));
        }
    }

    /// Puts a pair on the heap if it will touch.
    fn time(&mut self, swept: &Swept<'_, R>, pair: (u32, u32)) {
        let pieces = [pair.0, pair.1].map(|piece| &swept.bodies.pieces[piece as usize]);
        let ids = pieces.map(|piece| piece.body);
        let (way, from) = swept.way(ids[0], ids[1]);
        // What is held gives way to nothing any more in this step.
        if way.is_still() || ids.iter().all(|&body| swept.legs[body].held || !swept.bodies.inverse[body].moves()) {
            return;
        }
        let size = pieces[0].size.min(pieces[1].size);
        let touching = swept.numbers.touch * size;
        let poses = [way.pose(0, R::ZERO), way.pose(1, R::ZERO)];
        let now = gap(pieces[0], &poses[0], pieces[1], &poses[1], size).map(|gap| gap.distance);
        let within = match now {
            // What touches and does not approach, or is seen to by the solver, may sink by a little; then it is hit again.
            Some(now) if now <= R::of(SLOP) * size && !swept.approaches(pair, &poses, size) => {
                // Not so often that it comes out on the other side.
                let deepest = -R::of(DEEPEST * SLOP) * size;
                (now.min(R::ZERO) - R::HALF * R::of(SLOP) * size).max(deepest.min(now))
            }
            _ => touching,
        };
        // Where the search came to its end the pair is looked at anew from there on, as if it touched.
        if let Some(touch) = way.first_touch(pieces[0], pieces[1], within) {
            let share = from + (R::ONE - from) * touch.share;
            if self.is_inner(swept, pair, [way.pose(0, touch.share), way.pose(1, touch.share)], share) {
                return;
            }
            let impacts = ids.map(|body| swept.legs[body].impacts);
            self.heap.push(Reverse(Event { share: share.to_f64(), pieces: pair, impacts }));
        }
    }
}

impl<R: Real> Sweeper<R> {
    /// Whether a pair, of which nothing can push one, meets at a face inside of it and of what lies level beside it.
    fn is_inner(&self, swept: &Swept<'_, R>, pair: (u32, u32), poses: [Pose<R>; 2], share: R) -> bool {
        let bodies = &*swept.bodies;
        let still = |piece: u32| !bodies.inverse[bodies.pieces[piece as usize].body].moves();
        let (stands, own) = match (still(pair.0), still(pair.1)) {
            (true, false) => (0, pair.1),
            (false, true) => (1, pair.0),
            _ => return false,
        };
        let pieces = [pair.0, pair.1].map(|piece| &bodies.pieces[piece as usize]);
        let (Some(number), Form::Block(..) | Form::Hull(..)) = (self.box_of[own as usize], &pieces[stands].form) else {
            return false;
        };
        let slop = R::of(SLOP) * pieces[0].size.min(pieces[1].size);
        let mut found = manifolds(pieces[0], &poses[0], pieces[1], &poses[1], slop);
        found.retain(|manifold| !manifold.points().is_empty());
        if found.is_empty() {
            // Nothing is told of where they meet: they have not come near enough yet.
            return false;
        }
        let (met, mover, pose) = (pieces[stands], pieces[1 - stands], &poses[1 - stands]);
        let mut is_inner = false;
        self.tree.meeting(&self.tree.bounds(number as usize), &mut |other| {
            let other = self.boxed[other];
            let beside = &bodies.pieces[other as usize];
            if is_inner
                || other == pair.0
                || other == pair.1
                || !still(other)
                || !bodies.may_meet(mover.body, beside.body)
            {
                return;
            }
            let (position, rotation) = swept.place(beside.body, share);
            let beside_pose = Pose { position, axes: rotation.axes() };
            let Some(up) = gap(beside, &beside_pose, mover, pose, slop).filter(|up| up.distance <= slop) else {
                return;
            };
            is_inner = found.iter().all(|manifold| {
                let out = if stands == 0 { manifold.normal } else { -manifold.normal };
                let points = manifold.points().iter().map(|point| (point.position, point.gap));
                are_level(points, out, slop, (met, &poses[stands]), (beside, &beside_pose, up.normal))
            });
        });
        is_inner
    }
}

impl<R: Real> Swept<'_, R> {
    /// Whether two pieces approach each other faster than rest at any point where they nearly touch.
    fn approaches(&self, pair: (u32, u32), poses: &[Pose<R>; 2], size: R) -> bool {
        let pieces = [pair.0, pair.1].map(|piece| &self.bodies.pieces[piece as usize]);
        let ids = pieces.map(|piece| piece.body);
        let both = PairInMotion {
            motion: ids.map(|body| if self.legs[body].held { Motion::default() } else { self.bodies.motion[body] }),
            inverse: ids.map(|body| self.bodies.inverse[body]),
        };
        let found = manifolds(pieces[0], &poses[0], pieces[1], &poses[1], R::of(SLOP) * size);
        found.iter().any(|manifold| {
            manifold.points().iter().any(|point| {
                let arms = poses.map(|pose| point.position - pose.position);
                both.relative(arms).dot(manifold.normal) < -self.numbers.rest_speed
            })
        })
    }

    /// Brings a pair to where it touches, hits it, and sends both bodies on their new ways.
    fn meet(&mut self, pair: (u32, u32), share: R, is_stuck: bool) {
        let ids = [pair.0, pair.1].map(|piece| self.bodies.pieces[piece as usize].body);
        let rest = (R::ONE - share) * self.numbers.dt;
        for body in ids {
            if self.bodies.travels(body) {
                let (position, rotation) = self.place(body, share);
                self.bodies.place(body, position, rotation);
                let way = self.rest_of(body, share);
                let leg = &mut self.legs[body];
                // What is left of the leg.
                let part = (R::ONE - share) / (R::ONE - leg.since);
                leg.way = way;
                leg.carried = leg.carried.after(R::ONE - part);
                leg.turn = leg.turn * part;
                leg.bend = leg.bend * (part * part);
                leg.since = share;
                // The way of a driven body stays what it was, and with it the times that others may touch it.
                leg.impacts += u32::from(self.bodies.inverse[body].moves());
            }
        }
        let pieces = [pair.0, pair.1].map(|piece| &self.bodies.pieces[piece as usize]);
        let size = pieces[0].size.min(pieces[1].size);
        if is_stuck {
            for (body, other) in [(ids[0], ids[1]), (ids[1], ids[0])] {
                if self.bodies.inverse[body].moves() {
                    let carried = self.carried_by(other, rest).unwrap_or_else(|| self.creep(body, size));
                    (self.legs[body].held, self.legs[body].carried) = (true, carried);
                }
            }
            return;
        }
        let poses = ids.map(|body| self.bodies.pose(body));
        let found = manifolds(pieces[0], &poses[0], pieces[1], &poses[1], R::of(SLOP) * size);
        let (friction, restitution) = self.mixed.of(pieces[0].material, pieces[1].material);
        let fall = ids.map(|body| self.bodies.fall[body]);
        for manifold in found {
            let least = manifold.points().iter().map(|point| point.gap).fold(R::INFINITY, R::min);
            let normal = manifold.normal;
            // Motions as they are now: those of the end of the step without what gravity does until then.
            let now = [0, 1].map(|k| {
                let motion = self.bodies.motion[ids[k]];
                Motion { linear: motion.linear - fall[k] * rest, spin: motion.spin }
            });
            let mut hit = PairInMotion { motion: now, inverse: ids.map(|body| self.bodies.inverse[body]) };
            let mut targets = [Target::default(); POINTS];
            let mut places = [(Vec3::ZERO, R::ZERO); POINTS];
            let mut count = 0;
            let near = (R::of(10.0) * self.numbers.touch * size).max(R::ZERO);
            // All that touches: of points that overlap not the deepest ones alone, or the others go on approaching and the pair never parts.
            for point in manifold.points().iter().filter(|point| point.gap - least.max(R::ZERO) <= near) {
                let arms = poses.map(|pose| point.position - pose.position);
                let rebound = -restitution * hit.relative(arms).dot(normal);
                let wanted = if rebound > self.numbers.rest_speed { rebound } else { R::ZERO };
                targets[count] = Target { arms, wanted };
                places[count] = (point.position, point.gap);
                count += 1;
            }
            let approaching = targets[..count].iter().any(|target| hit.relative(target.arms).dot(normal) < R::ZERO);
            if !approaching {
                continue;
            }
            let pressed = hit.collide(normal, &targets[..count], friction);
            for (k, &body) in ids.iter().enumerate() {
                if self.bodies.inverse[body].moves() {
                    let end = Motion { linear: hit.motion[k].linear + fall[k] * rest, spin: hit.motion[k].spin };
                    self.bodies.take_motion(body, end);
                }
            }
            for (&(point, gap), impulse) in places[..count].iter().zip(pressed) {
                self.hits.push(Impact { bodies: ids, point, normal, gap, impulse });
            }
        }
        for body in ids {
            if self.bodies.inverse[body].moves() {
                self.send(body, rest);
            }
        }
    }

    /// How a body takes along what is held on it for the rest of the step, if it is driven.
    fn carried_by(&self, body: usize, rest: R) -> Option<Carried<R>> {
        let Motion { linear, spin } = self.bodies.motion[body];
        let carried = Carried { centre: self.bodies.position[body], way: linear * rest, turn: spin * rest };
        (self.bodies.traits[body].kind == BodyKind::Kinematic).then_some(carried)
    }

    /// What is held between others goes on by half the slop: then it touches them, and the solver of what rests presses where blows one by one come to no
    /// end. Held in its place it would be hit as often in every step to come.
    fn creep(&self, body: usize, size: R) -> Carried<R> {
        let (way, most) = (self.legs[body].way, R::HALF * R::of(SLOP) * size);
        let far = way.length();
        let way = if far > most { way * (most / far) } else { way };
        Carried { way, ..Carried::NOWHERE }
    }

    /// What is left of the way of a body from a share of the step on.
    fn rest_of(&self, body: usize, share: R) -> Vec3<R> {
        let leg = &self.legs[body];
        let part = (share - leg.since) / (R::ONE - leg.since);
        leg.way - leg.way * part + leg.bend * (part * (R::ONE - part))
    }

    /// The leg of a body that has been hit, for the rest of the step.
    fn send(&mut self, body: usize, rest: R) {
        let (motion, fall) = (self.bodies.motion[body], self.bodies.fall[body]);
        let turn = motion.spin * rest;
        let end = Quat::by(turn).after(self.bodies.rotation[body]).of_unit_length();
        let leg = &mut self.legs[body];
        leg.way = (motion.linear - fall * (R::HALF * rest)) * rest;
        leg.bend = fall * (R::HALF * rest * rest);
        (leg.turn, leg.end) = (turn, end);
    }
}
