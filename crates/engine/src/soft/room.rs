//! All soft bodies of a world, sub-step by sub-step.

use super::integrate::{self, Scratch};
use super::nodes::{Nodes, Soft, read};
use super::press::{self, Moving, Stage};
use super::touch::{Key, Look, Side, Touch};
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::{Settings, Swept};
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::vector::Vec2;
use ironspin_model::{BodyState, Contact, EngineError, World};
use std::collections::BTreeMap;

/// All soft bodies of a world.
#[derive(Clone, Debug)]
pub(crate) struct SoftRoom<R> {
    pub(super) nodes: Nodes<R>,
    pub(super) softs: Vec<Soft<R>>,
    pub(super) gravity: Vec2<R>,
    /// The id of the first node.
    pub(super) first: usize,
    /// Pairs of a rigid body or soft body and a soft body that never touch: ids of bodies, and those of soft ones behind all bodies, sorted.
    apart: Vec<(usize, usize)>,
    scratch: Scratch<R>,
    touches: Vec<Touch<R>>,
    /// Around what each soft body sweeps in the sub-step.
    boxes: Vec<[Vec2<R>; 2]>,
    rigid_ways: Vec<Motion<R>>,
    /// What touched in this step.
    noted: BTreeMap<Key, Noted<R>>,
    /// Sub-steps done of this step.
    done: u32,
}

/// A touch summed over the sub-steps of a step.
#[derive(Clone, Debug)]
struct Noted<R> {
    ids: [usize; 2],
    point: Vec2<R>,
    normal: Vec2<R>,
    gap: R,
    impulse: R,
    impacts: u64,
}

/// How a sub-step is done.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SubStep<R> {
    pub(crate) dt: R,
    /// Time from its start until rigid bodies are where they stand now.
    pub(crate) ahead: R,
    pub(crate) rest_speed: R,
}

impl<R: Real> SoftRoom<R> {
    /// The soft bodies of a world; nothing where there is none.
    ///
    /// # Errors
    /// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] for what cannot be built.
    pub(crate) fn new(world: &World, settings: &Settings) -> Result<Option<Self>, EngineError> {
        if world.softs.is_empty() {
            return Ok(None);
        }
        let (nodes, mut softs) = read(world)?;
        for soft in &mut softs {
            soft.swept = match settings.swept {
                Swept::Off => false,
                Swept::Marked => soft.swept,
                Swept::All => true,
            };
        }
        let whole = |id: usize| world.soft_of_node(id).map_or(id, |soft| world.soft_id(soft));
        let mut apart: Vec<(usize, usize)> = world
            .excluded_pairs
            .iter()
            .map(|pair| pair.map(whole))
            .map(|[a, b]| (a.min(b), a.max(b)))
            .filter(|&(_, b)| b >= world.bodies.len())
            .collect();
        apart.sort_unstable();
        apart.dedup();
        Ok(Some(SoftRoom {
            scratch: Scratch::new(nodes.len()),
            nodes,
            softs,
            gravity: Vec2::of(world.gravity.truncate()),
            first: world.rigid_count(),
            apart,
            touches: Vec::new(),
            boxes: Vec::new(),
            rigid_ways: Vec::new(),
            noted: BTreeMap::new(),
            done: 0,
        }))
    }

    pub(crate) fn state(&self, body: usize) -> BodyState {
        let node = body - self.first;
        if self.softs[self.soft_of(node)].present { self.nodes.state(node) } else { BodyState::absent() }
    }

    /// The number of the soft body of a node.
    pub(super) fn soft_of(&self, node: usize) -> usize {
        self.softs.partition_point(|soft| soft.nodes.end <= node)
    }

    /// Writes the states of all nodes.
    pub(crate) fn write_states(&self, out: &mut [BodyState]) {
        for soft in &self.softs {
            for node in soft.nodes.clone() {
                out[node] = if soft.present { self.nodes.state(node) } else { BodyState::absent() };
            }
        }
    }

    /// Forgets what was noted of the step before.
    pub(crate) fn begin_step(&mut self) {
        self.noted.clear();
        self.done = 0;
    }

    /// Forgets what actions push over one step.
    pub(crate) fn end_step(&mut self) {
        self.nodes.push.fill(Vec2::ZERO);
    }

    /// How many sub-steps are due once a share of the step, `part` of `parts`, has been done by the rigid bodies.
    pub(crate) fn due(&mut self, part: u32, parts: u32, of: u32) -> u32 {
        let until = (u64::from(part) * u64::from(of) / u64::from(parts)) as u32;
        let due = until.saturating_sub(self.done);
        self.done = self.done.max(until);
        due
    }

    /// One sub-step; whether any rigid body that can move was touched.
    pub(crate) fn advance(
        &mut self,
        bodies: &mut Bodies<R>,
        mixed: &Mixed<R>,
        settings: &Settings,
        step: SubStep<R>,
    ) -> bool {
        let SubStep { dt, ahead, rest_speed } = step;
        for soft in self.softs.iter().filter(|soft| soft.present) {
            integrate::begin(soft, &mut self.nodes, self.gravity, dt, settings.integrator, &mut self.scratch);
        }
        self.find_touches(bodies, mixed, dt, ahead);
        let mut moved = false;
        if !self.touches.is_empty() {
            moved = self.fit_ways(bodies, dt, settings.iterations);
        }
        for soft in self.softs.iter().filter(|soft| soft.present) {
            for node in soft.nodes.clone() {
                self.nodes.position[node] += self.scratch.way[node] * dt;
            }
            integrate::end(soft, &mut self.nodes, self.gravity, dt, settings.integrator, &mut self.scratch);
        }
        if !self.touches.is_empty() {
            self.fit_speeds(bodies, dt, rest_speed, settings.iterations);
        }
        for soft in self.softs.iter().filter(|soft| soft.present) {
            integrate::finish(soft, &mut self.nodes, dt, settings.integrator);
        }
        moved
    }

    fn find_touches(&mut self, bodies: &Bodies<R>, mixed: &Mixed<R>, dt: R, ahead: R) {
        let mut touches = std::mem::take(&mut self.touches);
        touches.clear();
        let look = Look { nodes: &self.nodes, way: &self.scratch.way, bodies, mixed, dt, ahead };
        let all = bodies.len() + self.nodes.len();
        self.boxes.clear();
        self.boxes.extend(self.softs.iter().map(|soft| look.swept_box(soft)));
        for (number, soft) in self.softs.iter().enumerate().filter(|(_, soft)| soft.present) {
            let around = self.boxes[number];
            for (index, piece) in bodies.pieces.iter().enumerate() {
                let traits = &bodies.traits[piece.body];
                let met = soft.meets & traits.layers != 0 && traits.meets & soft.layers != 0;
                if met && bodies.present[piece.body] && !self.is_apart(piece.body, all + number) {
                    look.with_piece(soft, around, index, &mut touches);
                }
            }
            for (other, them) in self.softs.iter().enumerate().filter(|(_, them)| them.present) {
                let same = other == number;
                if apart(around, self.boxes[other]) {
                    continue;
                }
                let met = soft.meets & them.layers != 0 && them.meets & soft.layers != 0;
                let may = if same { soft.touches_itself } else { met && !self.is_apart(all + number, all + other) };
                if may {
                    look.with_soft(soft, them, self.boxes[other], same, &mut touches);
                }
            }
        }
        self.touches = touches;
    }

    fn is_apart(&self, a: usize, b: usize) -> bool {
        !self.apart.is_empty() && self.apart.binary_search(&(a.min(b), a.max(b))).is_ok()
    }

    /// Bends the ways so that no gap ends below nothing. What rigid bodies are to go other than they went is made good at once.
    fn fit_ways(&mut self, bodies: &mut Bodies<R>, dt: R, passes: u32) -> bool {
        self.rigid_ways.clone_from(&bodies.motion);
        let mut moving = Moving {
            nodes: &mut self.scratch.way,
            inverse: &self.nodes.inverse,
            rigid: &mut self.rigid_ways,
            bodies: &bodies.inverse,
        };
        press::solve(&mut self.touches, &mut moving, Stage::Ways, R::ONE / dt, passes);
        let mut moved = false;
        for touch in &self.touches {
            if let Side::Rigid { body, .. } = touch.sides[0]
                && bodies.inverse[body].moves()
                && self.rigid_ways[body] != bodies.motion[body]
            {
                let change = self.rigid_ways[body].minus(bodies.motion[body]).scaled(dt);
                bodies.place(body, bodies.position[body] + change.linear, bodies.angle[body] + change.spin);
                // Once for each body.
                self.rigid_ways[body] = bodies.motion[body];
                moved = true;
            }
        }
        moved
    }

    /// Gives what touches the velocities with which it parts, and notes the impulses.
    fn fit_speeds(&mut self, bodies: &mut Bodies<R>, dt: R, rest_speed: R, passes: u32) {
        self.touches.retain(|touch| touch.on_ways[0] > R::ZERO || touch.gap <= R::ZERO);
        let mut moving = press::speeds(&mut self.nodes, bodies);
        for touch in &mut self.touches {
            let speed = moving.relative(touch).dot(touch.normal);
            touch.is_impact = speed < -rest_speed;
            touch.parting = if touch.is_impact { -speed * touch.restitution } else { R::ZERO };
        }
        press::solve(&mut self.touches, &mut moving, Stage::Speeds, R::ONE / dt, passes);
        for index in 0..self.touches.len() {
            let touch = &self.touches[index];
            let ids = touch.sides.map(|side| self.id(&side));
            let impulse = touch.on_speeds[0];
            let fresh =
                Noted { ids, point: touch.point, normal: touch.normal, gap: touch.gap, impulse: R::ZERO, impacts: 0 };
            let noted = self.noted.entry(touch.key).or_insert(fresh);
            (noted.point, noted.normal, noted.gap) = (touch.point, touch.normal, touch.gap);
            noted.impulse += impulse;
            noted.impacts += u64::from(touch.is_impact);
        }
    }

    /// The body that a side belongs to: a rigid one, or the nearer node.
    fn id(&self, side: &Side<R>) -> usize {
        match *side {
            Side::Rigid { body, .. } => body,
            Side::Nodes { ends, weights } => self.first + ends[usize::from(weights[1] > weights[0])],
        }
    }

    /// What touched in this step, one row a touching node or corner.
    pub(crate) fn contacts(&self) -> impl Iterator<Item = Contact> + '_ {
        self.noted.values().map(|noted| {
            let [a, b] = noted.ids;
            let flip = a > b;
            let normal = if flip { -noted.normal } else { noted.normal };
            Contact {
                bodies: if flip { [b, a] } else { [a, b] },
                point: noted.point.to_f64().extend(0.0),
                normal: normal.to_f64().extend(0.0),
                depth: (-noted.gap).to_f64(),
                impulse: noted.impulse.to_f64(),
                times: Some(noted.impacts.max(1)),
            }
        })
    }
}

/// Whether two boxes have nothing in common.
fn apart<R: Real>([low, high]: [Vec2<R>; 2], [other_low, other_high]: [Vec2<R>; 2]) -> bool {
    low.x > other_high.x || other_low.x > high.x || low.y > other_high.y || other_low.y > high.y
}
