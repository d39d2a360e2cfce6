//! Soft bodies of the plane, sub-step by sub-step.

use super::segment::built_near;
use super::touch::{Ends, PlaneTouch};
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::Settings;
use crate::plane::bodies::{Bodies, Motion};
use crate::plane::vector::Vec2;
use crate::soft::nodes::NEAR;
use crate::soft::notes::Notes;
use crate::soft::press::{Moving, Stage, note_impacts, solve};
use crate::soft::room::{Room, SubStep, Touching};
use crate::soft::touch::{Guest, Homes, Look};
use ironspin_model::{Contact, EngineError, World};

/// All soft bodies of a world of the plane, and what they touch.
#[derive(Clone, Debug)]
pub(crate) struct PlaneSofts<R: Real> {
    pub(crate) room: Room<Vec2<R>, R>,
    touches: Vec<PlaneTouch<R>>,
    /// Around what each soft body sweeps in the sub-step.
    boxes: Vec<[Vec2<R>; 2]>,
    rigid_ways: Vec<Motion<R>>,
    homes: Homes,
    notes: Notes<Vec2<R>, R>,
}

impl<R: Real> PlaneSofts<R> {
    /// The soft bodies of a world; nothing where there is none.
    ///
    /// # Errors
    /// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] for what cannot be built.
    pub(crate) fn new(world: &World, settings: &Settings) -> Result<Option<Self>, EngineError> {
        let Some(mut room) = Room::<Vec2<R>, R>::new(world, settings)? else { return Ok(None) };
        let Room { nodes, softs, .. } = &mut room;
        for soft in softs.iter_mut().filter(|soft| soft.touches_itself && !soft.skin.is_empty()) {
            soft.neighbours = built_near(&nodes.position, &soft.nodes, &soft.skin, R::of(NEAR) * soft.radius);
        }
        Ok(Some(PlaneSofts {
            room,
            touches: Vec::new(),
            boxes: Vec::new(),
            rigid_ways: Vec::new(),
            homes: Homes::default(),
            notes: Notes::default(),
        }))
    }

    /// What touched in this step, one row a touching node or corner.
    pub(crate) fn contacts(&self) -> impl Iterator<Item = Contact> + '_ {
        self.notes.contacts()
    }
}

impl<R: Real> Touching<R> for PlaneSofts<R> {
    type Vector = Vec2<R>;
    type Bodies = Bodies<R>;

    fn room(&mut self) -> &mut Room<Vec2<R>, R> {
        &mut self.room
    }

    fn clear_notes(&mut self) {
        self.notes.clear();
    }

    fn prepare(&self, bodies: &mut Bodies<R>) {
        bodies.turn_axes();
    }

    fn find_touches(&mut self, bodies: &Bodies<R>, mixed: &Mixed<R>, SubStep { dt, ahead, .. }: SubStep<R>) -> bool {
        let PlaneSofts { room, touches, boxes, homes, .. } = self;
        let Room { nodes, softs, scratch, .. } = &*room;
        let look = Look { nodes, way: &scratch.way, bodies, mixed, dt, ahead };
        touches.clear();
        boxes.clear();
        boxes.extend(softs.iter().map(|soft| look.swept_box(soft)));
        let piece = |index: usize| {
            let body = bodies.pieces[index].body;
            let traits = &bodies.traits[body];
            bodies.present[body].then_some((body, [traits.layers, traits.meets]))
        };
        room.each_meeting(boxes, bodies.pieces.len(), piece, |number, met| match met {
            Guest::Piece(index) => look.with_piece(&softs[number], boxes[number], index, (number, homes), touches),
            Guest::Soft(other) => {
                let homes = (other != number).then_some((other, Guest::Soft(number), &mut *homes));
                look.with_soft(&softs[number], &softs[other], boxes[other], homes, touches);
            }
        });
        homes.end();
        !touches.is_empty()
    }

    fn fit_ways(&mut self, bodies: &mut Bodies<R>, dt: R, passes: u32) -> bool {
        self.rigid_ways.clone_from(&bodies.motion);
        let mut moving = Moving {
            nodes: &mut self.room.scratch.way,
            inverse: &self.room.nodes.inverse,
            rigid: &mut self.rigid_ways,
            bodies: &bodies.inverse,
        };
        solve(&mut self.touches, &mut moving, Stage::Ways, R::ONE / dt, passes);
        let mut moved = false;
        for touch in &self.touches {
            if let Ends::Rigid { body, .. } = touch.sides[0]
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

    fn fit_speeds(&mut self, bodies: &mut Bodies<R>, step: SubStep<R>, passes: u32) -> bool {
        self.touches.retain(|touch| touch.on_ways.0 > R::ZERO || touch.gap <= R::ZERO);
        let mut moving = Moving {
            nodes: &mut self.room.nodes.velocity,
            inverse: &self.room.nodes.inverse,
            rigid: &mut bodies.motion,
            bodies: &bodies.inverse,
        };
        note_impacts(&mut self.touches, &moving, step.rest_speed);
        solve(&mut self.touches, &mut moving, Stage::Speeds, R::ONE / step.dt, passes);
        self.notes.add(&self.touches, self.room.first);
        // Motions are what bodies have; nothing follows from them but at the next look.
        false
    }
}
