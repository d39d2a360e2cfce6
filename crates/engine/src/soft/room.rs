//! The soft bodies of a world, whatever they touch: their state, free motion, and what actions do to them.

use super::integrate::{self, Method, Scratch};
use super::mid_step::Slips;
use super::nodes::{Nodes, Soft, read};
use super::pins::Carriers;
use super::place::Place;
use super::touch::Guest;
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::{Settings, Swept};
use ironspin_model::{BodyState, Effect, EngineError, World};

/// How a sub-step is done.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SubStep<R> {
    pub(crate) dt: R,
    /// Time from its start until rigid bodies are where they stand now.
    pub(crate) ahead: R,
    pub(crate) rest_speed: R,
}

/// A share of a step that the rigid bodies have done, `part` of `parts`, of a step of length `dt`; and the speed below which nothing bounces in a sub-step
/// of a length.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Turn<R> {
    pub(crate) part: u32,
    pub(crate) parts: u32,
    pub(crate) dt: R,
    pub(crate) rest_speed: R,
}

/// The soft bodies of a world, and what they touch there.
pub(crate) trait Touching<R: Real> {
    type Vector: Place<R>;
    type Bodies: Carriers<Self::Vector, R> + Clone;

    fn room(&mut self) -> &mut Room<Self::Vector, R>;
    /// Forgets what was noted of the step before.
    fn clear_notes(&mut self);
    /// What must be so before any of the sub-steps that are due.
    fn prepare(&self, _: &mut Self::Bodies) {}
    /// Finds what touches along the ways of a sub-step; whether anything does.
    fn find_touches(&mut self, bodies: &Self::Bodies, mixed: &Mixed<R>, step: SubStep<R>) -> bool;
    /// Bends the ways so that no gap ends below nothing. What rigid bodies are to go other than they went is made good at once; whether there is any.
    fn fit_ways(&mut self, bodies: &mut Self::Bodies, dt: R, passes: u32) -> bool;
    /// Gives what touches the velocities with which it parts, and notes the impulses; whether rigid bodies have to be told.
    fn fit_speeds(&mut self, bodies: &mut Self::Bodies, step: SubStep<R>, passes: u32) -> bool;

    fn begin_step(&mut self, bodies: &mut Self::Bodies) {
        self.clear_notes();
        self.room().begin_step();
        if self.room().has_pins() {
            self.prepare(bodies);
            self.room().close_pins(bodies);
        }
    }

    /// The sub-steps that are due after a share of the step; whether any rigid body that can move was touched.
    fn soften(&mut self, turn: Turn<R>, bodies: &mut Self::Bodies, mixed: &Mixed<R>, settings: &Settings) -> bool {
        let of = settings.soft_substeps;
        let due = self.room().due(turn.part, turn.parts, of);
        let dt = turn.dt / R::of(f64::from(of));
        if due > 0 {
            self.prepare(bodies);
        }
        let mut touched = false;
        for number in 0..due {
            let ahead = dt * R::of(f64::from(due - number));
            let before = self.room().pushes_nobody().then(|| bodies.clone());
            touched |= self.advance(bodies, mixed, settings, SubStep { dt, ahead, rest_speed: turn.rest_speed });
            if let Some(before) = before {
                *bodies = before;
            }
        }
        if turn.part == turn.parts {
            self.room().end_step();
        }
        touched
    }

    /// One sub-step; whether any rigid body that can move was touched.
    fn advance(&mut self, bodies: &mut Self::Bodies, mixed: &Mixed<R>, settings: &Settings, step: SubStep<R>) -> bool {
        let (dt, method, passes) = (step.dt, Method::of(settings), settings.iterations);
        self.room().begin(dt, method);
        let has_pins = self.room().has_pins();
        let mut moved = false;
        if has_pins {
            self.room().carry_held(bodies, step);
            moved |= self.room().pin_ways(bodies, step);
        }
        let pressed = self.find_touches(bodies, mixed, step);
        if pressed {
            moved |= self.fit_ways(bodies, dt, passes);
            self.room().stick_again(dt, method);
            if has_pins {
                self.room().pin_ways(bodies, step);
            }
        }
        self.room().travel(dt, method);
        if pressed {
            moved |= self.fit_speeds(bodies, step, passes);
        }
        if has_pins {
            self.room().pin_speeds(bodies, step);
        }
        self.room().finish(dt, method, pressed);
        moved
    }
}

/// All soft bodies of a world.
#[derive(Clone, Debug)]
pub(crate) struct Room<V: Place<R>, R: Real> {
    pub(super) nodes: Nodes<V, R>,
    pub(super) softs: Vec<Soft<V, R>>,
    pub(super) gravity: V,
    /// The id of the first node.
    pub(super) first: usize,
    /// Pairs of a rigid body or soft body and a soft body that never touch: ids of bodies, and those of soft ones behind all bodies, sorted.
    apart: Vec<(usize, usize)>,
    pub(super) scratch: Scratch<V, R>,
    /// Sub-steps done of this step.
    done: u32,
}

impl<V: Place<R>, R: Real> Room<V, R> {
    /// The soft bodies of a world; nothing where there is none.
    ///
    /// # Errors
    /// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] for what cannot be built.
    pub(crate) fn new(world: &World, settings: &Settings) -> Result<Option<Self>, EngineError> {
        if world.softs.is_empty() {
            return Ok(None);
        }
        let (nodes, mut softs) = read(world)?;
        let slips = Slips::of(settings);
        for soft in &mut softs {
            soft.swept = match settings.swept {
                Swept::Off => false,
                Swept::Marked => soft.swept,
                Swept::All => true,
            };
            soft.slips = slips;
            if slips.gas_stays {
                soft.built_volume = soft.enclosed(&nodes);
            }
            // Yield is looked at from the first moment on.
            soft.give_way(&nodes);
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
        Ok(Some(Room {
            scratch: Scratch::new(nodes.len()),
            nodes,
            softs,
            gravity: V::of_space(world.gravity),
            first: world.rigid_count(),
            apart,
            done: 0,
        }))
    }

    pub(crate) fn state(&self, body: usize) -> BodyState {
        let node = body - self.first;
        if self.softs[self.soft_of(node)].present { self.nodes.state(node) } else { BodyState::absent() }
    }

    /// The number of the soft body of a node.
    fn soft_of(&self, node: usize) -> usize {
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

    fn begin_step(&mut self) {
        self.done = 0;
        // Actions may have placed nodes.
        for soft in self.softs.iter_mut().filter(|soft| soft.present) {
            soft.give_way(&self.nodes);
        }
    }

    /// Forgets what actions push over one step.
    fn end_step(&mut self) {
        self.nodes.push.fill(V::ZERO);
    }

    /// How many sub-steps are due once a share of the step, `part` of `parts`, has been done by the rigid bodies.
    fn due(&mut self, part: u32, parts: u32, of: u32) -> u32 {
        let until = (u64::from(part) * u64::from(of) / u64::from(parts)) as u32;
        let due = until.saturating_sub(self.done);
        self.done = self.done.max(until);
        due
    }

    /// Ways and velocities of a sub-step as springs, gas and gravity make them; sticks keep their lengths.
    fn begin(&mut self, dt: R, method: Method) {
        for soft in self.softs.iter_mut().filter(|soft| soft.present) {
            soft.note_turn(&self.nodes);
            integrate::begin(soft, &mut self.nodes, self.gravity, dt, method, &mut self.scratch);
            if method.keeps_sticks() {
                soft.stick_as_before(&mut self.nodes, &mut self.scratch.way);
                soft.stick_ways(&mut self.nodes, &mut self.scratch.way, dt);
            }
        }
    }

    /// Goes the ways, and ends the integrator's step at the places reached.
    fn travel(&mut self, dt: R, method: Method) {
        for soft in self.softs.iter_mut().filter(|soft| soft.present) {
            for node in soft.nodes.clone() {
                self.nodes.position[node] += self.scratch.way[node] * dt;
            }
            soft.give_way(&self.nodes);
            integrate::end(soft, &mut self.nodes, self.gravity, dt, method, &mut self.scratch);
            if method.keeps_sticks() {
                soft.stick_speeds(&mut self.nodes);
            }
        }
    }

    /// What comes after contacts have pressed.
    fn finish(&mut self, dt: R, method: Method, pressed: bool) {
        for soft in self.softs.iter().filter(|soft| soft.present) {
            if pressed && method.keeps_sticks() {
                soft.stick_speeds(&mut self.nodes);
            }
            integrate::finish(soft, &mut self.nodes, dt, method);
        }
    }

    /// Ways that contacts have bent keep the lengths of sticks again.
    fn stick_again(&mut self, dt: R, method: Method) {
        if method.keeps_sticks() {
            for soft in self.softs.iter_mut().filter(|soft| soft.present) {
                soft.stick_ways(&mut self.nodes, &mut self.scratch.way, dt);
            }
        }
    }

    /// Only for a fault.
    fn pushes_nobody(&self) -> bool {
        self.softs.iter().any(|soft| soft.slips.pushes_nobody)
    }

    /// Only for a fault: every spring is as long as it was built.
    pub(crate) fn forget_dents(&mut self) {
        for soft in &mut self.softs {
            soft.springs.iter_mut().zip(&soft.built_lengths).for_each(|(spring, &built)| spring.length = built);
        }
    }

    fn is_apart(&self, a: usize, b: usize) -> bool {
        !self.apart.is_empty() && self.apart.binary_search(&(a.min(b), a.max(b))).is_ok()
    }

    /// Calls `met` with the number of each soft body and whom it may meet by filters, presence and, for soft bodies, the boxes of what all sweep. `piece`
    /// gives the body of a rigid piece that is there, with its layers and the layers that it meets.
    pub(super) fn each_meeting(
        &self,
        boxes: &[[V; 2]],
        pieces: usize,
        piece: impl Fn(usize) -> Option<(usize, [u32; 2])>,
        mut met: impl FnMut(usize, Guest),
    ) {
        let all = self.first + self.nodes.len();
        for (number, soft) in self.softs.iter().enumerate().filter(|(_, soft)| soft.present) {
            let agrees = |[layers, meets]: [u32; 2]| soft.meets & layers != 0 && meets & soft.layers != 0;
            for index in 0..pieces {
                let Some((body, masks)) = piece(index) else { continue };
                if agrees(masks) && !self.is_apart(body, all + number) {
                    met(number, Guest::Piece(index));
                }
            }
            for (other, them) in self.softs.iter().enumerate().filter(|(_, them)| them.present) {
                if are_apart(boxes[number], boxes[other]) {
                    continue;
                }
                let may = if other == number {
                    soft.touches_itself
                } else {
                    agrees([them.layers, them.meets]) && !self.is_apart(all + number, all + other)
                };
                if may {
                    met(number, Guest::Soft(other));
                }
            }
        }
    }

    /// Does an action to the node of an id. Actions on a soft body as a whole come spread over its nodes.
    pub(crate) fn act(&mut self, id: usize, effect: &Effect) {
        let node = id - self.first;
        let nodes = &mut self.nodes;
        let free = !nodes.is_held(node);
        match effect {
            Effect::Impulse { impulse, .. } => {
                nodes.velocity[node] += V::of_space(*impulse) * nodes.inverse[node];
            }
            Effect::Force { force, .. } => nodes.push[node] += V::of_space(*force),
            Effect::Velocity(velocity) if free => nodes.velocity[node] = V::of_space(*velocity),
            Effect::Place(pose) => nodes.position[node] = V::of_space(pose.position),
            Effect::Shift(way) => nodes.position[node] += V::of_space(*way),
            Effect::Hold(true) => (nodes.inverse[node], nodes.velocity[node]) = (R::ZERO, V::ZERO),
            // One let go starts from rest.
            Effect::Hold(false) => nodes.inverse[node] = nodes.built[node],
            Effect::Remove | Effect::Add => {
                let soft = self.soft_of(node);
                self.softs[soft].present = matches!(effect, Effect::Add);
            }
            // Refused before the world is stepped, or nothing that a held node feels.
            Effect::Velocity(_) | Effect::Torque(_) | Effect::Spin(_) | Effect::Split(_) | Effect::Gravity(_) => {}
        }
    }

    /// Only for faults: a node is put elsewhere and given another motion.
    pub(crate) fn put(&mut self, id: usize, state: &BodyState) {
        let node = id - self.first;
        self.nodes.position[node] = V::of_space(state.pose.position);
        self.nodes.velocity[node] = V::of_space(state.velocity);
    }

    /// Whether a node is held now.
    pub(crate) fn is_held(&self, id: usize) -> bool {
        self.nodes.is_held(id - self.first)
    }

    pub(crate) fn set_gravity(&mut self, gravity: V) {
        self.gravity = gravity;
    }
}

/// Whether a point lies in a box.
pub(super) fn holds<V: Place<R>, R: Real>(around: [V; 2], p: V) -> bool {
    !are_apart(around, [p, p])
}

/// Whether two boxes have nothing in common.
pub(super) fn are_apart<V: Place<R>, R: Real>(a: [V; 2], b: [V; 2]) -> bool {
    V::beyond(a[0], b[1]) || V::beyond(b[0], a[1])
}
