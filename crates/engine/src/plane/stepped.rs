//! Worlds of the plane as the engine steps them.

use crate::common::scalar::Real;
use crate::common::settings::{Precision, Settings, SolverKind};
use crate::common::stepped::Stepped;
use crate::common::tolerance::{TOUCH, TOUCH_SINGLE};
use crate::plane::bodies::Bodies;
use crate::plane::event::EventWorld;
use crate::plane::rays;
use crate::plane::simulation::Simulation;
use crate::plane::sweep::Impact;
use crate::plane::vector::Vec2;
use ironspin_model::{BodyState, Contact, DVec3, Effect, EngineError, RayHit, SensorEvent, World};

/// A world of the plane in the form that the settings choose.
///
/// # Errors
/// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] when it cannot be built.
pub(crate) fn build(world: &World, settings: &Settings, threads: usize) -> Result<Box<dyn Stepped>, EngineError> {
    Ok(match (settings.solver, settings.precision) {
        (SolverKind::Event, _) if !world.softs.is_empty() => {
            return Err(EngineError::Unsupported { feature: "solver=event for soft bodies".to_owned() });
        }
        (SolverKind::Event, _) => Box::new(EventWorld::new(world, settings)?),
        (_, Precision::F64) => Box::new(Simulation::<f64>::begin(world, settings, TOUCH, threads)?),
        (_, Precision::F32) => Box::new(Simulation::<f32>::begin(world, settings, TOUCH_SINGLE, threads)?),
    })
}

impl<R: Real> Stepped for Simulation<R> {
    fn step(&mut self, dt: f64, contacts: Option<&mut Vec<Contact>>) -> Result<(), EngineError> {
        let Some(out) = contacts else {
            Simulation::step(self, R::of(dt), &mut |_| {});
            return Ok(());
        };
        out.clear();
        let mut hits = 0;
        Simulation::step(self, R::of(dt), &mut |simulation| {
            hits = simulation.hit_now.len();
            out.extend(simulation.record().map(|impact| contact_of(&impact)));
            out.extend(simulation.soft.iter().flat_map(|soft| soft.contacts()));
        });
        // And what was seen at its end.
        out.extend(self.hit_now[hits..].iter().map(contact_of));
        Ok(())
    }

    fn refusal(&self, body: usize, effect: &Effect) -> Option<EngineError> {
        if body < self.bodies.len() { None } else { crate::soft::refusal(effect) }
    }

    fn act(&mut self, body: usize, effect: &Effect) {
        Simulation::act(self, body, effect);
    }

    fn is_held(&self, node: usize) -> bool {
        self.soft.as_ref().is_some_and(|soft| soft.room.is_held(node))
    }

    fn state(&self, body: usize) -> BodyState {
        match &self.soft {
            Some(soft) if body >= self.bodies.len() => soft.room.state(body),
            _ => self.bodies.state(body),
        }
    }

    fn write_states(&self, moving: &[bool], out: &mut [BodyState]) {
        let (rigid, nodes) = out.split_at_mut(self.bodies.len());
        write_states(&self.bodies, moving, rigid);
        if let Some(soft) = &self.soft {
            soft.room.write_states(nodes);
        }
    }

    fn put(&mut self, body: usize, state: &BodyState) {
        Simulation::put(self, body, state);
    }

    fn take_events(&mut self, out: &mut Vec<SensorEvent>) {
        out.clear();
        out.append(&mut self.sensors.overlaps.events);
    }

    fn rays(&mut self, from: DVec3, to: DVec3) -> Vec<RayHit> {
        self.bodies.turn_axes();
        let [start, end] = [from, to].map(|point| Vec2::of(point.truncate()));
        let mut hits = rays::cast(&self.bodies, start, end);
        hits.extend(self.soft.iter().flat_map(|soft| soft.rays(start, end)));
        rays::in_order(&mut hits);
        shown(&hits, from, to)
    }

    fn forget_contacts(&mut self) {
        self.contacts.list.clear();
        self.looked_ahead = false;
    }

    fn forget_dents(&mut self) {
        self.soft.iter_mut().for_each(|soft| soft.room.forget_dents());
    }

    fn find_pairs(&mut self) -> usize {
        Simulation::find_pairs(self)
    }

    fn work(&self) -> (usize, u64) {
        (self.contacts.list.iter().map(|contact| contact.count).sum(), self.solver.passes)
    }

    fn boxed_clone(&self) -> Box<dyn Stepped> {
        Box::new(self.clone())
    }
}

impl Stepped for EventWorld {
    fn step(&mut self, dt: f64, contacts: Option<&mut Vec<Contact>>) -> Result<(), EngineError> {
        EventWorld::step(self, dt)?;
        if let Some(out) = contacts {
            out.clear();
            out.extend(self.record.iter().map(contact_of));
        }
        Ok(())
    }

    fn refusal(&self, _: usize, effect: &Effect) -> Option<EngineError> {
        match effect {
            Effect::Force { .. } | Effect::Torque(_) | Effect::Split(_) => {
                Some(EngineError::Unsupported { feature: "solver=event for forces, torques and splits".to_owned() })
            }
            Effect::Impulse { .. }
            | Effect::Velocity(_)
            | Effect::Spin(_)
            | Effect::Place(_)
            | Effect::Remove
            | Effect::Add
            | Effect::Shift(_)
            | Effect::Hold(_)
            | Effect::Gravity(_) => None,
        }
    }

    fn act(&mut self, body: usize, effect: &Effect) {
        EventWorld::act(self, body, effect);
    }

    fn state(&self, body: usize) -> BodyState {
        self.bodies.state(body)
    }

    fn write_states(&self, moving: &[bool], out: &mut [BodyState]) {
        write_states(&self.bodies, moving, out);
    }

    // Faults of states are not made by this solver.
    fn put(&mut self, _: usize, _: &BodyState) {}

    fn take_events(&mut self, out: &mut Vec<SensorEvent>) {
        out.clear();
    }

    fn rays(&mut self, from: DVec3, to: DVec3) -> Vec<RayHit> {
        rays_of(&mut self.bodies, from, to)
    }

    // It keeps none.
    fn forget_contacts(&mut self) {}

    fn find_pairs(&mut self) -> usize {
        0
    }

    fn work(&self) -> (usize, u64) {
        (0, self.impacts)
    }

    fn boxed_clone(&self) -> Box<dyn Stepped> {
        Box::new(self.clone())
    }
}

fn write_states<R: Real>(bodies: &Bodies<R>, moving: &[bool], out: &mut [BodyState]) {
    for (body, state) in out.iter_mut().enumerate().filter(|&(body, _)| moving[body]) {
        *state = bodies.state(body);
    }
}

fn rays_of<R: Real>(bodies: &mut Bodies<R>, from: DVec3, to: DVec3) -> Vec<RayHit> {
    bodies.turn_axes();
    shown(&rays::cast(bodies, Vec2::of(from.truncate()), Vec2::of(to.truncate())), from, to)
}

fn shown<R: Real>(hits: &[rays::Hit<R>], from: DVec3, to: DVec3) -> Vec<RayHit> {
    let length = (to - from).length();
    hits.iter()
        .map(|hit| RayHit {
            body: hit.body,
            point: from.lerp(to, hit.share.to_f64()),
            normal: hit.normal.to_f64().extend(0.0),
            distance: length * hit.share.to_f64(),
        })
        .collect()
}

fn contact_of<R: Real>(impact: &Impact<R>) -> Contact {
    let flip = impact.bodies[0] > impact.bodies[1];
    let normal = if flip { -impact.normal } else { impact.normal };
    Contact {
        bodies: if flip { [impact.bodies[1], impact.bodies[0]] } else { impact.bodies },
        point: impact.point.to_f64().extend(0.0),
        normal: normal.to_f64().extend(0.0),
        depth: -impact.gap.to_f64(),
        impulse: impact.impulse.to_f64(),
        times: Some(impact.times),
    }
}
