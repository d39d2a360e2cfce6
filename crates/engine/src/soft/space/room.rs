//! Soft bodies of space, sub-step by sub-step.

use super::among::built_near;
use super::side::{Corners, SpaceTouch};
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::Settings;
use crate::soft::nodes::NEAR;
use crate::soft::notes::Notes;
use crate::soft::press::{Moving, Stage, note_impacts, solve};
use crate::soft::room::{Room, SubStep, Touching};
use crate::soft::touch::{Guest, Homes, Look};
use crate::space::bodies::{Bodies, Motion};
use crate::space::shape::Piece;
use crate::space::vector::Vec3;
use ironspin_model::{Contact, EngineError, Part, SoftBody, SpaceShape, World};

/// All soft bodies of a world of space, and what they touch.
#[derive(Clone, Debug)]
pub(crate) struct SpaceSofts<R: Real> {
    pub(crate) room: Room<Vec3<R>, R>,
    touches: Vec<SpaceTouch<R>>,
    /// Around what each soft body sweeps in the sub-step.
    boxes: Vec<[Vec3<R>; 2]>,
    /// A ball of the radius of each soft body.
    probes: Vec<Piece<R>>,
    rigid: Vec<Motion<R>>,
    homes: Homes,
    notes: Notes<Vec3<R>, R>,
}

impl<R: Real> SpaceSofts<R> {
    /// The soft bodies of a world; nothing where there is none.
    ///
    /// # Errors
    /// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] for what cannot be built.
    pub(crate) fn new(world: &World, settings: &Settings) -> Result<Option<Self>, EngineError> {
        let Some(mut room) = Room::<Vec3<R>, R>::new(world, settings)? else { return Ok(None) };
        let Room { nodes, softs, .. } = &mut room;
        for soft in softs.iter_mut().filter(|soft| soft.touches_itself && !soft.skin.is_empty()) {
            soft.neighbours = built_near(&nodes.position, soft, R::of(NEAR) * soft.radius);
        }
        let ball = |soft: &SoftBody| Piece::of_part(0, 0, &Part::solid(SpaceShape::Sphere(soft.radius), soft.material));
        Ok(Some(SpaceSofts {
            room,
            touches: Vec::new(),
            boxes: Vec::new(),
            probes: world.softs.iter().filter_map(ball).collect(),
            rigid: Vec::new(),
            homes: Homes::default(),
            notes: Notes::default(),
        }))
    }

    /// What touched in this step, one row a touching node or corner.
    pub(crate) fn contacts(&self) -> impl Iterator<Item = Contact> + '_ {
        self.notes.contacts()
    }

    /// Lets rigid bodies have what touches made of their motions, each once; whether there were any.
    fn pushed(&self, bodies: &mut Bodies<R>, mut take: impl FnMut(&mut Bodies<R>, usize, Motion<R>)) -> bool {
        let mut touched: Vec<usize> = self
            .touches
            .iter()
            .filter_map(|touch| if let Corners::Rigid { body, .. } = touch.sides[0] { Some(body) } else { None })
            .filter(|&body| bodies.inverse[body].moves() && self.rigid[body] != bodies.motion[body])
            .collect();
        touched.sort_unstable();
        touched.dedup();
        for &body in &touched {
            take(bodies, body, self.rigid[body]);
        }
        !touched.is_empty()
    }
}

impl<R: Real> Touching<R> for SpaceSofts<R> {
    type Vector = Vec3<R>;
    type Bodies = Bodies<R>;

    fn room(&mut self) -> &mut Room<Vec3<R>, R> {
        &mut self.room
    }

    fn clear_notes(&mut self) {
        self.notes.clear();
    }

    fn find_touches(&mut self, bodies: &Bodies<R>, mixed: &Mixed<R>, SubStep { dt, ahead, .. }: SubStep<R>) -> bool {
        let SpaceSofts { room, touches, boxes, probes, homes, .. } = self;
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
            Guest::Piece(index) => {
                look.with_piece(&softs[number], boxes[number], index, &probes[number], (number, homes), touches);
            }
            Guest::Soft(other) => {
                let homes = (other != number).then_some((other, Guest::Soft(number), &mut *homes));
                look.with_soft(&softs[number], &softs[other], boxes[other], homes, touches);
            }
        });
        homes.end();
        !touches.is_empty()
    }

    fn fit_ways(&mut self, bodies: &mut Bodies<R>, dt: R, passes: u32) -> bool {
        self.rigid.clone_from(&bodies.motion);
        let mut moving = Moving {
            nodes: &mut self.room.scratch.way,
            inverse: &self.room.nodes.inverse,
            rigid: &mut self.rigid,
            bodies: &bodies.inverse,
        };
        solve(&mut self.touches, &mut moving, Stage::Ways, R::ONE / dt, passes);
        self.pushed(bodies, |bodies, body, wanted| {
            let change = wanted.minus(bodies.motion[body]).scaled(dt);
            bodies.shift(body, change);
        })
    }

    fn fit_speeds(&mut self, bodies: &mut Bodies<R>, step: SubStep<R>, passes: u32) -> bool {
        self.touches.retain(|touch| touch.on_ways.0 > R::ZERO || touch.gap <= R::ZERO);
        self.rigid.clone_from(&bodies.motion);
        let mut moving = Moving {
            nodes: &mut self.room.nodes.velocity,
            inverse: &self.room.nodes.inverse,
            rigid: &mut self.rigid,
            bodies: &bodies.inverse,
        };
        note_impacts(&mut self.touches, &moving, step.rest_speed);
        solve(&mut self.touches, &mut moving, Stage::Speeds, R::ONE / step.dt, passes);
        self.notes.add(&self.touches, self.room.first);
        // A body keeps its angular momentum beside its motion.
        self.pushed(bodies, Bodies::take_motion)
    }
}
