//! The engine as the bench sees it.

use crate::event::EventWorld;
use crate::faults::{FaultInjector, InjectionPoint};
use crate::rays;
use crate::scalar::Real;
use crate::settings::{Precision, Settings, SolverKind};
use crate::simulation::Simulation;
use crate::sweep::Impact;
use crate::tolerance::{TOUCH, TOUCH_SINGLE};
use crate::vector::Vec2;
use ironspin_model::{
    Action, BodyKind, BodyState, Conditions, Contact, DVec3, Dimension, Effect, Engine, EngineError, EngineInfo,
    FEATURES, Frame, FrameSink, RayHit, Scalar, SensorEvent, Token, World,
};

/// The built-in engine.
#[derive(Debug, Default)]
pub struct Builtin {
    settings: Settings,
    running: Option<Running>,
    saved: Vec<Running>,
}

/// A world in one of the forms that the settings choose.
#[derive(Clone, Debug)]
enum Core {
    Double(Box<Simulation<f64>>),
    Single(Box<Simulation<f32>>),
    Event(Box<EventWorld>),
}

impl Core {
    /// Only for the fault that forgets.
    fn forget_contacts(&mut self) {
        match self {
            Core::Double(simulation) => simulation.contacts.list.clear(),
            Core::Single(simulation) => simulation.contacts.list.clear(),
            Core::Event(_) => {}
        }
    }
}

#[derive(Clone, Debug)]
struct Running {
    core: Core,
    actions: Vec<Action>,
    next_action: usize,
    moving: Vec<bool>,
    frame: Frame,
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
            running.core.step(dt)?;
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
        match self.running.as_mut().map(|running| &mut running.core) {
            Some(Core::Double(simulation)) => simulation.find_pairs(),
            Some(Core::Single(simulation)) => simulation.find_pairs(),
            Some(Core::Event(_)) | None => 0,
        }
    }

    /// Contact points now, and passes of the contact solver since the start.
    pub fn work(&self) -> (usize, u64) {
        match self.running.as_ref().map(|running| &running.core) {
            Some(Core::Double(s)) => (s.contacts.list.iter().map(|c| c.count).sum(), s.solver.passes),
            Some(Core::Single(s)) => (s.contacts.list.iter().map(|c| c.count).sum(), s.solver.passes),
            Some(Core::Event(world)) => (0, world.impacts),
            None => (0, 0),
        }
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
            spaces: Dimension::PLANE_ONLY.to_vec(),
            // The event solver does less and says so when it builds.
            features: FEATURES
                .iter()
                .filter(|&&feature| feature != "soft")
                .map(|&feature| feature.to_owned())
                .collect(),
        }
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        match world.dimension {
            Dimension::Plane => {}
            Dimension::Space => return Err(EngineError::Unsupported { feature: "space 3".to_owned() }),
        }
        self.running = None;
        self.saved.clear();
        let threads = match self.settings.threads {
            0 => conditions.threads,
            chosen => chosen as usize,
        };
        let fault = self.settings.fault_in_force();
        let faulty_world = fault.map(|(entry, size)| entry.world(world, size));
        let world = faulty_world.as_deref().unwrap_or(world);
        let faulty_settings = fault.and_then(|(entry, size)| entry.settings(&self.settings, size));
        let settings = faulty_settings.as_ref().unwrap_or(&self.settings);
        let core = match (settings.solver, settings.precision) {
            (SolverKind::Event, _) => Core::Event(Box::new(EventWorld::new(world, settings)?)),
            (_, Precision::F64) => Core::Double(Box::new(Simulation::new(world, settings, TOUCH, threads)?)),
            (_, Precision::F32) => Core::Single(Box::new(Simulation::new(world, settings, TOUCH_SINGLE, threads)?)),
        };
        let mut running = Running {
            frame: Frame::default(),
            actions: world.actions.clone(),
            next_action: 0,
            moving: world.bodies.iter().map(|body| body.kind != BodyKind::Static || body.absent).collect(),
            core,
            injector: fault.and_then(|(entry, size)| FaultInjector::new(entry, size, world)),
        };
        for action in &world.actions {
            // A static body may be placed elsewhere or taken out.
            running.moving[action.body] = true;
        }
        running.frame.bodies = (0..world.bodies.len()).map(|body| running.core.state(body)).collect();
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
        if let (Core::Event(_), Effect::Force { .. } | Effect::Torque(_) | Effect::Split(_)) = (&running.core, effect) {
            return Err(EngineError::Unsupported { feature: "solver=event for forces, torques and splits".to_owned() });
        }
        running.moving[body] = true;
        running.core.observe_query(body, effect, running.injector.as_ref());
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

impl Core {
    fn step(&mut self, dt: f64) -> Result<(), EngineError> {
        match self {
            Core::Double(simulation) => simulation.step(dt),
            Core::Single(simulation) => simulation.step(dt as f32),
            Core::Event(world) => return world.step(dt),
        }
        Ok(())
    }

    fn act(&mut self, body: usize, effect: &Effect) {
        match self {
            Core::Double(simulation) => simulation.act(body, effect),
            Core::Single(simulation) => simulation.act(body, effect),
            Core::Event(world) => world.act(body, effect),
        }
    }

    /// Does an action, or what a fault makes of it.
    fn observe_query(&mut self, body: usize, effect: &Effect, injector: Option<&FaultInjector>) {
        let Some(injector) = injector else { return self.act(body, effect) };
        let centre = self.state(body).pose.position;
        if let Some(effect) = injector.effect(effect, centre) {
            self.act(body, &effect);
        }
    }

    fn state(&self, body: usize) -> BodyState {
        match self {
            Core::Double(simulation) => simulation.bodies.state(body),
            Core::Single(simulation) => simulation.bodies.state(body),
            Core::Event(world) => world.bodies.state(body),
        }
    }

    /// Only for faults: a body is put elsewhere.
    fn put(&mut self, body: usize, state: &BodyState) {
        match self {
            Core::Double(simulation) => simulation.put(body, state),
            Core::Single(simulation) => simulation.put(body, state),
            Core::Event(_) => {}
        }
    }

    fn contacts(&self, out: &mut Vec<Contact>) {
        out.clear();
        match self {
            Core::Double(simulation) => out.extend(simulation.record().map(|impact| notice(&impact))),
            Core::Single(simulation) => out.extend(simulation.record().map(|impact| notice(&impact))),
            Core::Event(world) => out.extend(world.record.iter().map(notice)),
        }
    }

    fn take_events(&mut self, out: &mut Vec<SensorEvent>) {
        out.clear();
        match self {
            Core::Double(simulation) => out.append(&mut simulation.sensors.events),
            Core::Single(simulation) => out.append(&mut simulation.sensors.events),
            Core::Event(_) => {}
        }
    }

    fn rays(&mut self, from: DVec3, to: DVec3) -> Vec<RayHit> {
        match self {
            Core::Double(simulation) => rays_of(&mut simulation.bodies, from, to),
            Core::Single(simulation) => rays_of(&mut simulation.bodies, from, to),
            Core::Event(world) => rays_of(&mut world.bodies, from, to),
        }
    }
}

fn rays_of<R: Real>(bodies: &mut crate::bodies::Bodies<R>, from: DVec3, to: DVec3) -> Vec<RayHit> {
    bodies.turn_axes();
    let length = (to - from).length();
    let hits = rays::cast(bodies, Vec2::of(from.truncate()), Vec2::of(to.truncate()));
    hits.into_iter()
        .map(|hit| RayHit {
            body: hit.body,
            point: from.lerp(to, hit.share.to_f64()),
            normal: hit.normal.to_f64().extend(0.0),
            distance: length * hit.share.to_f64(),
        })
        .collect()
}

fn notice<R: Real>(impact: &Impact<R>) -> Contact {
    let flip = impact.bodies[0] > impact.bodies[1];
    let normal = if flip { -impact.normal } else { impact.normal };
    Contact {
        bodies: if flip { [impact.bodies[1], impact.bodies[0]] } else { impact.bodies },
        point: impact.point.to_f64().extend(0.0),
        normal: normal.to_f64().extend(0.0),
        depth: -impact.gap.to_f64(),
        impulse: impact.impulse.to_f64(),
        times: impact.times,
    }
}

impl Running {
    fn act(&mut self, dt: f64) {
        // A time that should be equal may be an ulp or two short after many additions.
        let mut now = self.frame.time + 1e-9 * dt;
        if self.injector.as_ref().is_some_and(FaultInjector::delays_actions) {
            now -= dt;
        }
        while let Some(action) = self.actions.get(self.next_action).filter(|action| action.at_time <= now) {
            self.core.observe_query(action.body, &action.effect, self.injector.as_ref());
            self.next_action += 1;
        }
    }

    fn step(&mut self, dt: f64) -> Result<(), EngineError> {
        self.act(dt);
        match self.injector.take() {
            None => self.core.step(dt)?,
            Some(mut injector) => {
                let done = self.spoilt_step(&mut injector, dt);
                self.injector = Some(injector);
                done?;
            }
        }
        self.frame.step += 1;
        self.frame.time += dt;
        for body in (0..self.moving.len()).filter(|&body| self.moving[body]) {
            self.frame.bodies[body] = self.core.state(body);
        }
        self.core.contacts(&mut self.frame.contacts);
        self.core.take_events(&mut self.frame.events);
        if let Some(injector) = &mut self.injector {
            injector.tell(&mut self.frame);
        }
        Ok(())
    }

    /// A step with a fault around it.
    fn spoilt_step(&mut self, injector: &mut FaultInjector, dt: f64) -> Result<(), EngineError> {
        let states = |core: &Core| (0..self.moving.len()).map(|body| core.state(body)).collect::<Vec<_>>();
        injector.begin(states(&self.core));
        self.core.step(injector.length(dt))?;
        let mut bodies = states(&self.core);
        for body in injector.meddle(&mut bodies, dt) {
            self.core.put(body, &bodies[body]);
        }
        Ok(())
    }
}
