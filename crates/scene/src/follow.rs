//! Forces that follow the state, worked out at the side of an engine in another process.

use crate::forces::{Forces, StateForce};
use crate::print;
use crate::scene::Scene;
use crate::setup::{Settings, Setup};
use ironspin_model::{BodyState, Dimension, Effect, StepForces, World};

/// The forces of a resolved scene, worked out at the side of an engine.
struct Followed {
    dimension: Dimension,
    forces: Vec<StateForce>,
}

impl StepForces for Followed {
    fn due(&mut self, states: &[BodyState], time: f64, dt: f64) -> Result<Vec<(usize, Effect)>, String> {
        let mut due = Vec::new();
        let worked_out = Forces::new(self.dimension, &self.forces).due(states, time, dt, &mut due);
        worked_out.map(|()| due).map_err(|fault| format!("its [[force]] number {} has no value", fault.number + 1))
    }
}

/// Reads the forces of a scene that was printed by [`forces_text`], for a seed; nothing for one that cannot be read.
pub fn follow(scene: &str, seed: u64) -> Option<Box<dyn StepForces>> {
    let settings = Settings { seed, body_limit: usize::MAX, ..Settings::with_dt(1.0) };
    let setup = Scene::parse(scene, "forces").and_then(|scene| scene.resolve(&settings)).ok()?;
    Some(Box::new(Followed { dimension: setup.world.dimension, forces: setup.forces }))
}

/// What [`follow`] reads: the bodies of a scene and its forces, everything worked out.
pub fn forces_text(setup: &Setup) -> String {
    let world = World { actions: Vec::new(), joints: Vec::new(), ..setup.world.clone() };
    let forces_alone = Setup {
        world,
        claims: Vec::new(),
        claim_tables: Vec::new(),
        twins: Vec::new(),
        series: Vec::new(),
        triggers: Vec::new(),
        probes: Vec::new(),
        features: Vec::new(),
        ..setup.clone()
    };
    print::resolved(&forces_alone, &[], &[])
}
