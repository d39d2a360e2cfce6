//! Contacts of soft bodies of space, sub-step by sub-step.

use super::among::built_near;
use super::press::{self, Moving, Stage};
use super::touch::{Guest, Homes, Key, Look, Side, Touch};
use crate::common::mixed::Mixed;
use crate::common::scalar::Real;
use crate::common::settings::Settings;
use crate::soft::room::{Room, SubStep, are_apart};
use crate::space::bodies::{Bodies, Motion};
use crate::space::shape::Piece;
use crate::space::vector::Vec3;
use ironspin_model::{Contact, EngineError, Part, SpaceShape, World};
use std::collections::BTreeMap;

/// All soft bodies of a world of space, and what they touch.
#[derive(Clone, Debug)]
pub(crate) struct SpaceSofts<R: Real> {
    pub(crate) room: Room<Vec3<R>, R>,
    touches: Vec<Touch<R>>,
    /// Around what each soft body sweeps in the sub-step.
    boxes: Vec<[Vec3<R>; 2]>,
    /// A ball of the radius of each soft body.
    probes: Vec<Piece<R>>,
    rigid: Vec<Motion<R>>,
    homes: Homes,
    /// What touched in this step.
    noted: BTreeMap<Key, Noted<R>>,
}

/// A touch summed over the sub-steps of a step.
#[derive(Clone, Debug)]
struct Noted<R> {
    ids: [usize; 2],
    point: Vec3<R>,
    normal: Vec3<R>,
    gap: R,
    impulse: R,
    impacts: u64,
}

impl<R: Real> SpaceSofts<R> {
    /// The soft bodies of a world; nothing where there is none.
    ///
    /// # Errors
    /// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] for what cannot be built.
    pub(crate) fn new(world: &World, settings: &Settings) -> Result<Option<Self>, EngineError> {
        let Some(mut room) = Room::<Vec3<R>, R>::new(world, settings)? else { return Ok(None) };
        let Room { nodes, softs, .. } = &mut room;
        for soft in softs.iter_mut().filter(|soft| soft.touches_itself) {
            soft.neighbours = built_near(&nodes.position, soft, R::of(3.0) * soft.radius);
        }
        let ball = |soft: &ironspin_model::SoftBody| {
            Piece::of_part(0, 0, &Part::solid(SpaceShape::Sphere(soft.radius), soft.material))
        };
        Ok(Some(SpaceSofts {
            room,
            touches: Vec::new(),
            boxes: Vec::new(),
            probes: world.softs.iter().filter_map(ball).collect(),
            rigid: Vec::new(),
            homes: Homes::default(),
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
            moved |= self.fit_speeds(bodies, dt, rest_speed, settings.iterations);
        }
        self.room.finish(dt, settings.integrator, pressed);
        moved
    }

    fn find_touches(&mut self, bodies: &Bodies<R>, mixed: &Mixed<R>, dt: R, ahead: R) {
        let mut touches = std::mem::take(&mut self.touches);
        let mut homes = std::mem::take(&mut self.homes);
        touches.clear();
        let Room { nodes, softs, scratch, .. } = &self.room;
        let look = Look { nodes, way: &scratch.way, bodies, mixed, dt, ahead };
        let all = bodies.len() + nodes.len();
        self.boxes.clear();
        self.boxes.extend(softs.iter().map(|soft| look.swept_box(soft)));
        for (number, soft) in softs.iter().enumerate().filter(|(_, soft)| soft.present) {
            let around = self.boxes[number];
            for (index, piece) in bodies.pieces.iter().enumerate() {
                let traits = &bodies.traits[piece.body];
                let met = soft.meets & traits.layers != 0 && traits.meets & soft.layers != 0;
                if met && bodies.present[piece.body] && !self.room.is_apart(piece.body, all + number) {
                    let homes = (number, &mut homes);
                    look.with_piece(soft, around, index, &self.probes[number], homes, &mut touches);
                }
            }
            for (other, them) in softs.iter().enumerate().filter(|(_, them)| them.present) {
                let same = other == number;
                if are_apart::<Vec3<R>, R>(around, self.boxes[other]) {
                    continue;
                }
                let met = soft.meets & them.layers != 0 && them.meets & soft.layers != 0;
                let may =
                    if same { soft.touches_itself } else { met && !self.room.is_apart(all + number, all + other) };
                if may {
                    let homes = (!same).then_some((other, Guest::Soft(number), &mut homes));
                    look.with_soft(soft, them, self.boxes[other], homes, &mut touches);
                }
            }
        }
        homes.end();
        (self.touches, self.homes) = (touches, homes);
    }

    /// Bends the ways so that no gap ends below nothing. What rigid bodies are to go other than they went is made good at once.
    fn fit_ways(&mut self, bodies: &mut Bodies<R>, dt: R, passes: u32) -> bool {
        self.rigid.clone_from(&bodies.motion);
        let mut moving = Moving {
            nodes: &mut self.room.scratch.way,
            inverse: &self.room.nodes.inverse,
            rigid: &mut self.rigid,
            bodies: &bodies.inverse,
        };
        press::solve(&mut self.touches, &mut moving, Stage::Ways, R::ONE / dt, passes);
        self.pushed(bodies, |bodies, body, wanted| {
            let change = wanted.minus(bodies.motion[body]).scaled(dt);
            bodies.shift(body, change);
        })
    }

    /// Lets rigid bodies have what touches made of their motions, each once; whether there were any.
    fn pushed(&self, bodies: &mut Bodies<R>, mut take: impl FnMut(&mut Bodies<R>, usize, Motion<R>)) -> bool {
        let mut touched: Vec<usize> = self
            .touches
            .iter()
            .filter_map(|touch| if let Side::Rigid { body, .. } = touch.sides[0] { Some(body) } else { None })
            .filter(|&body| bodies.inverse[body].moves() && self.rigid[body] != bodies.motion[body])
            .collect();
        touched.sort_unstable();
        touched.dedup();
        for &body in &touched {
            take(bodies, body, self.rigid[body]);
        }
        !touched.is_empty()
    }

    /// Gives what touches the velocities with which it parts, and notes the impulses.
    fn fit_speeds(&mut self, bodies: &mut Bodies<R>, dt: R, rest_speed: R, passes: u32) -> bool {
        self.touches.retain(|touch| touch.on_ways.0 > R::ZERO || touch.gap <= R::ZERO);
        self.rigid.clone_from(&bodies.motion);
        let mut moving = Moving {
            nodes: &mut self.room.nodes.velocity,
            inverse: &self.room.nodes.inverse,
            rigid: &mut self.rigid,
            bodies: &bodies.inverse,
        };
        for touch in &mut self.touches {
            let speed = moving.relative(touch).dot(touch.normal);
            touch.is_impact = speed < -rest_speed;
            touch.parting = if touch.is_impact { -speed * touch.restitution } else { R::ZERO };
        }
        press::solve(&mut self.touches, &mut moving, Stage::Speeds, R::ONE / dt, passes);
        for touch in &self.touches {
            let first = self.room.first;
            let ids = touch.sides.map(|side| match side {
                Side::Rigid { body, .. } => body,
                Side::Nodes { corners, weights } => {
                    first + corners[(1..3).fold(0, |best, k| if weights[k] > weights[best] { k } else { best })]
                }
            });
            let (point, normal, gap) = (touch.point, touch.normal, touch.gap);
            let fresh = Noted { ids, point, normal, gap, impulse: R::ZERO, impacts: 0 };
            let noted = self.noted.entry(touch.key).or_insert(fresh);
            (noted.point, noted.normal, noted.gap) = (point, normal, gap);
            noted.impulse += touch.on_speeds.0;
            noted.impacts += u64::from(touch.is_impact);
        }
        self.pushed(bodies, Bodies::take_motion)
    }

    /// What touched in this step, one row a touching node or corner.
    pub(crate) fn contacts(&self) -> impl Iterator<Item = Contact> + '_ {
        self.noted.values().map(|noted| {
            let [a, b] = noted.ids;
            let flip = a > b;
            let normal = if flip { -noted.normal } else { noted.normal };
            Contact {
                bodies: if flip { [b, a] } else { [a, b] },
                point: noted.point.to_f64(),
                normal: normal.to_f64(),
                depth: (-noted.gap).to_f64(),
                impulse: noted.impulse.to_f64(),
                times: Some(noted.impacts.max(1)),
            }
        })
    }
}
