//! The engine as the bench sees it.

use crate::common::injection::InjectionPoint;
use crate::common::settings::{Precision, Settings, SolverKind};
use crate::common::stepped::Stepped;
use crate::faults::{FaultEntry, FaultInjector};
use crate::{plane, space};
use ironspin_model::{
    Action, BodyKind, BodyState, Conditions, DQuat, DVec3, Dimension, Effect, Engine, EngineError, EngineInfo,
    FEATURES, Frame, FrameSink, RayHit, Scalar, Token, World, spread,
};
use std::sync::Arc;

/// The built-in engine.
#[derive(Debug, Default)]
pub struct Builtin {
    settings: Settings,
    running: Option<Running>,
    saved: Vec<Running>,
}

#[derive(Debug)]
struct Running {
    core: Box<dyn Stepped>,
    actions: Vec<Action>,
    next_action: usize,
    moving: Vec<bool>,
    frame: Frame,
    /// What soft bodies there are, for actions on all of one.
    world: Arc<World>,
    /// A fault at work around the steps; nothing in a sound engine.
    injector: Option<FaultInjector>,
}

impl Builtin {
    /// An engine with these settings and no world yet.
    pub fn new(settings: Settings) -> Self {
        Builtin { settings, running: None, saved: Vec::new() }
    }

    fn running(&mut self) -> Result<&mut Running, EngineError> {
        self.running.as_mut().ok_or(EngineError::NothingBuilt)
    }

    /// Does steps without giving frames: for measuring what a step costs.
    ///
    /// # Errors
    /// As [`Engine::advance`].
    pub fn advance_blind(&mut self, dt: f64, steps: u64) -> Result<(), EngineError> {
        let running = self.running()?;
        for _ in 0..steps {
            running.act(dt);
            running.core.step(dt, None)?;
            running.frame.step += 1;
            running.frame.time += dt;
        }
        Ok(())
    }

    /// The present frame; nothing before `build`.
    pub fn frame(&self) -> Option<&Frame> {
        self.running.as_ref().map(|running| &running.frame)
    }

    /// Finds the pairs that may touch, anew, and counts them: for measuring what it costs.
    pub fn find_pairs(&mut self) -> usize {
        self.running.as_mut().map_or(0, |running| running.core.find_pairs())
    }

    /// Distance of the solid parts of two bodies as the engine's own collision code has it, m, negative for the length of the shortest way
    /// out, and the direction in which the second moves away from the first: for comparison with another code. Nothing before `build`, and
    /// in the plane.
    pub fn gap(&self, a: usize, b: usize) -> Option<(f64, DVec3)> {
        self.running.as_ref().and_then(|running| running.core.gap(a, b))
    }

    /// Contact points now, and passes of the contact solver since the start.
    pub fn work(&self) -> (usize, u64) {
        self.running.as_ref().map_or((0, 0), |running| running.core.work())
    }
}

impl Engine for Builtin {
    fn info(&self) -> EngineInfo {
        EngineInfo {
            name: "builtin".to_owned(),
            version: env!("CARGO_PKG_VERSION").to_owned(),
            options: self.settings.list(),
            scalar: match (self.settings.solver, self.settings.precision) {
                (SolverKind::Event, _) | (_, Precision::F64) => Scalar::F64,
                (_, Precision::F32) => Scalar::F32,
            },
            spaces: vec![Dimension::Plane, Dimension::Space],
            // The event solver does less and says so when it builds.
            features: FEATURES.iter().map(|&feature| feature.to_owned()).collect(),
        }
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        self.running = None;
        self.saved.clear();
        let threads = match self.settings.threads {
            0 => conditions.threads,
            chosen => chosen as usize,
        };
        let fault = self.settings.injection.and_then(|on| FaultEntry::find(on.name).map(|entry| (entry, on.size)));
        if let Some((entry, _)) = fault
            && !entry.dimensions.contains(&world.dimension)
        {
            let feature = format!("fault={} in {}", entry.name, world.dimension.feature());
            return Err(EngineError::Unsupported { feature });
        }
        let faulty_world = fault.map(|(entry, size)| entry.world(world, size));
        let world = faulty_world.as_deref().unwrap_or(world);
        let faulty_settings = fault.and_then(|(entry, size)| entry.settings(&self.settings, size));
        let settings = faulty_settings.as_ref().unwrap_or(&self.settings);
        let core = match world.dimension {
            Dimension::Plane => plane::build(world, settings, threads)?,
            Dimension::Space => space::build(world, settings, threads)?,
        };
        let mut running = Running {
            frame: Frame::default(),
            world: Arc::new(soft_alone(world)),
            actions: world.actions.clone(),
            next_action: 0,
            moving: world.bodies.iter().map(|body| body.kind != BodyKind::Static || body.absent).collect(),
            core,
            injector: fault.and_then(|(entry, size)| FaultInjector::new(entry, size, world)),
        };
        for action in &world.actions {
            // A static body may be placed elsewhere or taken out.
            world.meant_by(action.body).for_each(|body| running.moving[body] = true);
        }
        running.frame.bodies = states(&*running.core, world.bodies.len());
        running.core.take_events(&mut running.frame.events);
        self.running = Some(running);
        Ok(())
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        let forgets = self.settings.injected(InjectionPoint::ForgetsBetweenCalls).is_some();
        let running = self.running()?;
        if forgets {
            running.core.forget_contacts();
        }
        if steps.is_empty() {
            sink(&running.frame);
        }
        for &dt in steps {
            running.step(dt)?;
            sink(&running.frame);
        }
        Ok(())
    }

    fn act(&mut self, body: usize, effect: &Effect) -> Result<(), EngineError> {
        let running = self.running()?;
        if let Some(refusal) = running.core.refusal(body, effect) {
            return Err(refusal);
        }
        running.act_on(body, effect);
        Ok(())
    }

    fn save(&mut self) -> Result<Token, EngineError> {
        let copy = self.running()?.clone();
        self.saved.push(copy);
        Ok(Token(self.saved.len() as u64 - 1))
    }

    fn restore(&mut self, token: Token) -> Result<(), EngineError> {
        let saved = usize::try_from(token.0).ok().and_then(|index| self.saved.get(index));
        let copy =
            saved.ok_or_else(|| EngineError::BadAnswer { why: format!("nothing is saved under {}", token.0) })?;
        let mut running = copy.clone();
        if self.settings.injected(InjectionPoint::ForgetsOnRestore).is_some() {
            running.core.forget_contacts();
        }
        if self.settings.injected(InjectionPoint::DentsNotRestored).is_some() {
            running.core.forget_dents();
        }
        if self.settings.injected(InjectionPoint::TurnNotRestored).is_some() {
            for body in (0..running.moving.len()).filter(|&body| running.moving[body]) {
                let mut state = running.core.state(body);
                if !state.is_absent() {
                    state.pose.rotation = DQuat::IDENTITY;
                    running.core.put(body, &state);
                }
            }
        }
        self.running = Some(running);
        Ok(())
    }

    fn ray(&mut self, from: DVec3, to: DVec3) -> Result<Option<RayHit>, EngineError> {
        Ok(self.rays(from, to)?.into_iter().next())
    }
}

impl Builtin {
    /// All bodies on the way of a ray, the nearest first.
    ///
    /// # Errors
    /// [`EngineError::NothingBuilt`] before `build`.
    pub fn rays(&mut self, from: DVec3, to: DVec3) -> Result<Vec<RayHit>, EngineError> {
        let blind = self.settings.injected(InjectionPoint::RayFromInside).is_some();
        let mut hits = self.running()?.core.rays(from, to);
        if blind {
            hits.retain(|hit| hit.distance > 0.0);
        }
        Ok(hits)
    }
}

impl Clone for Running {
    fn clone(&self) -> Self {
        Running {
            core: self.core.boxed_clone(),
            actions: self.actions.clone(),
            next_action: self.next_action,
            moving: self.moving.clone(),
            frame: self.frame.clone(),
            injector: self.injector.clone(),
            world: Arc::clone(&self.world),
        }
    }
}

/// What actions on a soft body as a whole ask of its world; nothing of one without soft bodies.
fn soft_alone(world: &World) -> World {
    let empty = World::planar(world.duration);
    if world.softs.is_empty() {
        return empty;
    }
    World { bodies: world.bodies.clone(), softs: world.softs.clone(), ..empty }
}

/// The states of all bodies.
fn states(core: &dyn Stepped, count: usize) -> Vec<BodyState> {
    (0..count).map(|body| core.state(body)).collect()
}

impl Running {
    /// Does an action on a body, a node, or all nodes of a soft body.
    fn act_on(&mut self, body: usize, effect: &Effect) {
        if body < self.moving.len() {
            self.moving[body] = true;
            return self.act_on_one(body, effect);
        }
        let core = &self.core;
        for (node, effect) in spread(&self.world, body, effect, |node| core.is_held(node)) {
            self.act_on_one(node, &effect);
        }
    }

    /// Does an action, or what a fault makes of it.
    fn act_on_one(&mut self, body: usize, effect: &Effect) {
        let Some(injector) = &self.injector else { return self.core.act(body, effect) };
        let centre = self.core.state(body).pose.position;
        if let Some(effect) = injector.effect(effect, centre) {
            self.core.act(body, &effect);
        }
    }

    fn act(&mut self, dt: f64) {
        // A time that should be equal may be an ulp or two short after many additions.
        let mut now = self.frame.time + 1e-9 * dt;
        if self.injector.as_ref().is_some_and(FaultInjector::delays_actions) {
            now -= dt;
        }
        while let Some(action) = self.actions.get(self.next_action).filter(|action| action.at_time <= now) {
            let (body, effect) = (action.body, action.effect.clone());
            self.act_on(body, &effect);
            self.next_action += 1;
        }
    }

    fn step(&mut self, dt: f64) -> Result<(), EngineError> {
        self.act(dt);
        match self.injector.take() {
            None => self.core.step(dt, Some(&mut self.frame.contacts))?,
            Some(mut injector) => {
                let done = self.faulty_step(&mut injector, dt);
                self.injector = Some(injector);
                done?;
            }
        }
        self.frame.step += 1;
        self.frame.time += dt;
        self.core.write_states(&self.moving, &mut self.frame.bodies);
        self.core.take_events(&mut self.frame.events);
        if let Some(injector) = &mut self.injector {
            injector.report(&mut self.frame);
        }
        Ok(())
    }

    /// A step with a fault around it.
    fn faulty_step(&mut self, injector: &mut FaultInjector, dt: f64) -> Result<(), EngineError> {
        let count = self.moving.len();
        injector.begin(states(&*self.core, count));
        self.core.step(injector.length(dt), Some(&mut self.frame.contacts))?;
        let mut bodies = states(&*self.core, count);
        for body in injector.meddle(&mut bodies, dt) {
            self.core.put(body, &bodies[body]);
        }
        Ok(())
    }
}
