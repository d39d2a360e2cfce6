//! Worlds of space as the engine steps them.

use crate::common::scalar::Real;
use crate::common::settings::{Precision, Settings};
use crate::common::stepped::Stepped;
use crate::common::tolerance::{TOUCH, TOUCH_SINGLE};
use crate::space::broad::most_pairs;
use crate::space::checks::check;
use crate::space::contact::Impact;
use crate::space::narrow::{Gap, gap};
use crate::space::rays;
use crate::space::simulation::Simulation;
use crate::space::vector::{Quat, Vec3};
use ironspin_model::{BodyState, Contact, DVec3, Effect, EngineError, RayHit, SensorEvent, World};

/// A world of space in the form that the settings choose.
///
/// # Errors
/// [`EngineError::BadWorld`] and [`EngineError::Unsupported`] when it cannot be built.
pub(crate) fn build(world: &World, settings: &Settings, threads: usize) -> Result<Box<dyn Stepped>, EngineError> {
    Ok(match settings.precision {
        Precision::F64 => {
            check::<f64>(world, settings)?;
            Box::new(Simulation::<f64>::begin(world, settings, TOUCH, threads)?)
        }
        Precision::F32 => {
            check::<f32>(world, settings)?;
            Box::new(Simulation::<f32>::begin(world, settings, TOUCH_SINGLE, threads)?)
        }
    })
}

impl<R: Real> Simulation<R> {
    fn not_crowded(&self) -> Result<(), EngineError> {
        match self.crowded {
            false => Ok(()),
            true => {
                let most = most_pairs(self.bodies.pieces.len());
                Err(EngineError::BadWorld {
                    why: format!("more than {most} pairs of its pieces overlap: its bodies stand in one place"),
                })
            }
        }
    }
}

impl<R: Real> Stepped for Simulation<R> {
    fn step(&mut self, dt: f64, contacts: Option<&mut Vec<Contact>>) -> Result<(), EngineError> {
        let Some(out) = contacts else {
            Simulation::step(self, R::of(dt), &mut |_| {});
            return self.not_crowded();
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
        self.not_crowded()
    }

    fn refusal(&self, body: usize, effect: &Effect) -> Option<EngineError> {
        if body < self.bodies.len() { None } else { crate::soft::refusal(effect) }
    }

    fn is_held(&self, node: usize) -> bool {
        self.soft.as_ref().is_some_and(|soft| soft.room.is_held(node))
    }

    fn act(&mut self, body: usize, effect: &Effect) {
        Simulation::act(self, body, effect);
    }

    fn state(&self, body: usize) -> BodyState {
        match &self.soft {
            Some(soft) if body >= self.bodies.len() => soft.room.state(body),
            _ => self.bodies.state(body),
        }
    }

    fn write_states(&self, moving: &[bool], out: &mut [BodyState]) {
        let (rigid, nodes) = out.split_at_mut(self.bodies.len());
        for (body, state) in rigid.iter_mut().enumerate().filter(|&(body, _)| moving[body]) {
            *state = self.bodies.state(body);
        }
        if let Some(soft) = &self.soft {
            soft.room.write_states(nodes);
        }
    }

    fn put(&mut self, body: usize, state: &BodyState) {
        if body >= self.bodies.len() {
            return self.soft.iter_mut().for_each(|soft| soft.room.put(body, state));
        }
        self.looked_ahead = false;
        self.put_at(body, Vec3::of(state.pose.position), Quat::of(state.pose.rotation));
        self.bodies.motion[body].linear = Vec3::of(state.velocity);
        self.bodies.set_spin(body, Vec3::of(state.spin));
    }

    fn take_events(&mut self, out: &mut Vec<SensorEvent>) {
        out.clear();
        out.append(&mut self.sensors.overlaps.events);
    }

    fn rays(&mut self, from: DVec3, to: DVec3) -> Vec<RayHit> {
        let length = (to - from).length();
        let mut hits = rays::cast(&self.bodies, Vec3::of(from), Vec3::of(to));
        hits.extend(self.soft.iter().flat_map(|soft| soft.rays(Vec3::of(from), Vec3::of(to))));
        rays::in_order(&mut hits);
        hits.into_iter()
            .map(|hit| RayHit {
                body: hit.body,
                point: from.lerp(to, hit.share.to_f64()),
                normal: hit.normal.to_f64(),
                distance: length * hit.share.to_f64(),
            })
            .collect()
    }

    fn gap(&self, a: usize, b: usize) -> Option<(f64, DVec3)> {
        let pieces = |body: usize| self.bodies.pieces.iter().filter(move |piece| piece.body == body);
        let mut best: Option<Gap<R>> = None;
        for first in pieces(a) {
            for second in pieces(b) {
                let found = gap(first, &self.bodies.pose(a), second, &self.bodies.pose(b), R::INFINITY);
                best = match (best, found) {
                    (Some(known), Some(found)) if found.distance < known.distance => Some(found),
                    (None, found) => found,
                    (known, _) => known,
                };
            }
        }
        best.map(|gap| (gap.distance.to_f64(), gap.normal.to_f64()))
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

fn contact_of<R: Real>(impact: &Impact<R>) -> Contact {
    let flip = impact.bodies[0] > impact.bodies[1];
    let normal = if flip { -impact.normal } else { impact.normal };
    Contact {
        bodies: if flip { [impact.bodies[1], impact.bodies[0]] } else { impact.bodies },
        point: impact.point.to_f64(),
        normal: normal.to_f64(),
        depth: -impact.gap.to_f64(),
        impulse: impact.impulse.to_f64(),
        times: Some(1),
    }
}
