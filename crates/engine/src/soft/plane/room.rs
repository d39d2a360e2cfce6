//! Contacts of soft bodies of the plane, sub-step by sub-step.

use super::press::{self, Moving, Stage};
use super::segment::built_near;
use super::touch::{Key, Look, Side, Touch};
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::Settings;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::vector::Vec2;
use crate::soft::room::{Room, SubStep, are_apart};
use ironspin_model::{Contact, EngineError, World};
use std::collections::BTreeMap;

/// All soft bodies of a world of the plane, and what they touch.
#[derive(Clone, Debug)]
pub(crate) struct PlaneSofts<R: Real> {
    pub(crate) room: Room<Vec2<R>, R>,
    touches: Vec<Touch<R>>,
    /// Around what each soft body sweeps in the sub-step.
    boxes: Vec<[Vec2<R>; 2]>,
    rigid_ways: Vec<Motion<R>>,
    /// What touched in this step.
    noted: BTreeMap<Key, Noted<R>>,
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

impl<R: Real> PlaneSofts<R> {
    /// The soft bodies of a world; nothing where there is none.
    ///
    /// # Errors
    /// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] for what cannot be built.
    pub(crate) fn new(world: &World, settings: &Settings) -> Result<Option<Self>, EngineError> {
        let Some(mut room) = Room::<Vec2<R>, R>::new(world, settings)? else { return Ok(None) };
        let Room { nodes, softs, .. } = &mut room;
        for soft in softs.iter_mut().filter(|soft| soft.touches_itself) {
            soft.neighbours = built_near(&nodes.position, &soft.nodes, &soft.skin, R::of(3.0) * soft.radius);
        }
        Ok(Some(PlaneSofts {
            room,
            touches: Vec::new(),
            boxes: Vec::new(),
            rigid_ways: Vec::new(),
            noted: BTreeMap::new(),
        }))
    }

    /// Forgets what was noted of the step before.
    pub(crate) fn begin_step(&mut self) {
        self.noted.clear();
        self.room.begin_step();
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
        self.room.begin(dt, settings.integrator);
        self.find_touches(bodies, mixed, dt, ahead);
        let pressed = !self.touches.is_empty();
        let mut moved = false;
        if pressed {
            moved = self.fit_ways(bodies, dt, settings.iterations);
            self.room.stick_again(dt);
        }
        self.room.travel(dt, settings.integrator);
        if pressed {
            self.fit_speeds(bodies, dt, rest_speed, settings.iterations);
        }
        self.room.finish(dt, settings.integrator, pressed);
        moved
    }

    fn find_touches(&mut self, bodies: &Bodies<R>, mixed: &Mixed<R>, dt: R, ahead: R) {
        let mut touches = std::mem::take(&mut self.touches);
        touches.clear();
        let look = Look { nodes: &self.room.nodes, way: &self.room.scratch.way, bodies, mixed, dt, ahead };
        let all = bodies.len() + self.room.nodes.len();
        self.boxes.clear();
        self.boxes.extend(self.room.softs.iter().map(|soft| look.swept_box(soft)));
        for (number, soft) in self.room.softs.iter().enumerate().filter(|(_, soft)| soft.present) {
            let around = self.boxes[number];
            for (index, piece) in bodies.pieces.iter().enumerate() {
                let traits = &bodies.traits[piece.body];
                let met = soft.meets & traits.layers != 0 && traits.meets & soft.layers != 0;
                if met && bodies.present[piece.body] && !self.room.is_apart(piece.body, all + number) {
                    look.with_piece(soft, around, index, &mut touches);
                }
            }
            for (other, them) in self.room.softs.iter().enumerate().filter(|(_, them)| them.present) {
                let same = other == number;
                if are_apart(around, self.boxes[other]) {
                    continue;
                }
                let met = soft.meets & them.layers != 0 && them.meets & soft.layers != 0;
                let may =
                    if same { soft.touches_itself } else { met && !self.room.is_apart(all + number, all + other) };
                if may {
                    look.with_soft(soft, them, self.boxes[other], same, &mut touches);
                }
            }
        }
        self.touches = touches;
    }

    /// Bends the ways so that no gap ends below nothing. What rigid bodies are to go other than they went is made good at once.
    fn fit_ways(&mut self, bodies: &mut Bodies<R>, dt: R, passes: u32) -> bool {
        self.rigid_ways.clone_from(&bodies.motion);
        let mut moving = Moving {
            nodes: &mut self.room.scratch.way,
            inverse: &self.room.nodes.inverse,
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
        let mut moving = press::speeds(&mut self.room.nodes, bodies);
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
            Side::Nodes { ends, weights } => self.room.first + ends[usize::from(weights[1] > weights[0])],
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
