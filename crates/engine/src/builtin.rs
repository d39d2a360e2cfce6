//! The engine as the bench sees it.

use crate::settings::Settings;
use crate::simulation::Simulation;
use crate::tolerance::TOUCH;
use ironspin_model::{
    Action, BodyKind, Conditions, Contact, DVec3, Engine, EngineError, EngineInfo, Frame, FrameSink, World,
};

/// The built-in engine.
#[derive(Debug, Default)]
pub struct Builtin {
    settings: Settings,
    running: Option<Running>,
}

#[derive(Debug)]
struct Running {
    simulation: Simulation<f64>,
    actions: Vec<Action>,
    next_action: usize,
    moving: Vec<bool>,
    frame: Frame,
}

impl Builtin {
    /// An engine with these settings and no world yet.
    pub fn new(settings: Settings) -> Self {
        Builtin { settings, running: None }
    }
}

impl Engine for Builtin {
    fn info(&self) -> EngineInfo {
        EngineInfo {
            name: "builtin".to_owned(),
            version: env!("CARGO_PKG_VERSION").to_owned(),
            options: self.settings.list(),
        }
    }

    fn build(&mut self, world: &World, _conditions: &Conditions) -> Result<(), EngineError> {
        if world.space != 2 {
            return Err(EngineError::Unsupported { feature: format!("space {}", world.space) });
        }
        let simulation = Simulation::new(world, &self.settings, TOUCH)?;
        let bodies = (0..world.bodies.len()).map(|body| simulation.bodies.state(body)).collect();
        self.running = Some(Running {
            simulation,
            actions: world.actions.clone(),
            next_action: 0,
            moving: world.bodies.iter().map(|body| body.kind != BodyKind::Static).collect(),
            frame: Frame { step: 0, time: 0.0, bodies, contacts: Vec::new() },
        });
        Ok(())
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        let running = self.running.as_mut().ok_or(EngineError::NothingBuilt)?;
        if steps.is_empty() {
            sink(&running.frame);
        }
        for &dt in steps {
            running.step(dt);
            sink(&running.frame);
        }
        Ok(())
    }
}

impl Running {
    fn step(&mut self, dt: f64) {
        // A time that should be equal may be an ulp or two short after many additions.
        let now = self.frame.time + 1e-9 * dt;
        while let Some(action) = self.actions.get(self.next_action).filter(|action| action.at_time <= now) {
            self.simulation.act(action.body, action.deed);
            self.next_action += 1;
        }
        self.simulation.step(dt);
        self.frame.step += 1;
        self.frame.time += dt;
        for body in (0..self.moving.len()).filter(|&body| self.moving[body]) {
            self.frame.bodies[body] = self.simulation.bodies.state(body);
        }
        self.frame.contacts.clear();
        self.frame.contacts.extend(self.simulation.record.iter().map(|blow| {
            let flip = blow.bodies[0] > blow.bodies[1];
            let normal = if flip { -blow.normal } else { blow.normal };
            Contact {
                bodies: if flip { [blow.bodies[1], blow.bodies[0]] } else { blow.bodies },
                point: blow.point.to_f64().extend(0.0),
                normal: DVec3::new(normal.x, normal.y, 0.0),
                depth: -blow.gap,
                impulse: blow.impulse,
            }
        }));
    }
}
