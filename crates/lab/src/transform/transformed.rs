//! An engine that gets the world in other coordinates and units and answers in the terms of the scene.

use super::{Census, Transform};
use ironspin_model::{
    Conditions, DVec3, Effect, Engine, EngineError, EngineInfo, Frame, FrameSink, RayHit, Token, World,
};
use ironspin_scene::Setup;

pub(crate) struct Transformed {
    engine: Box<dyn Engine>,
    transform: Transform,
    /// Bodies that come in where another body is.
    pieces: Vec<usize>,
    /// Bodies of the scene.
    census: Census,
    /// Time of the last frame, s of the scene.
    now: f64,
    /// What is handed on, kept for its memory.
    frame: Frame,
    lengths: Vec<f64>,
}

impl Transformed {
    pub(crate) fn new(engine: Box<dyn Engine>, transform: Transform, setup: &Setup) -> Self {
        let scripted = setup.world.actions.iter().map(|action| &action.effect);
        let effects = scripted.chain(setup.triggers.iter().flat_map(|trigger| &trigger.effects));
        let pieces = effects.filter_map(|effect| if let Effect::Split(pieces) = effect { Some(pieces) } else { None });
        Transformed {
            engine,
            transform,
            pieces: pieces.flatten().copied().collect(),
            census: Census::default(),
            now: 0.0,
            frame: Frame::default(),
            lengths: Vec::new(),
        }
    }
}

impl Engine for Transformed {
    fn info(&self) -> EngineInfo {
        self.engine.info()
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        if let Some(why) = self.transform.obstacle(world) {
            return Err(EngineError::Unsupported { feature: format!("this transform of the world: {why}") });
        }
        (self.census, self.now) = (Census::of(world), 0.0);
        self.engine.build(&self.transform.world(world, &self.pieces), conditions)
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        self.lengths.clear();
        self.lengths.extend(steps.iter().map(|length| length * self.transform.time));
        let Transformed { engine, transform, census, now, frame, lengths, .. } = self;
        engine.advance(lengths, &mut |reported| {
            transform.frame_back(reported, *census, frame);
            *now = frame.time;
            sink(frame);
        })
    }

    fn act(&mut self, body: usize, effect: &Effect) -> Result<(), EngineError> {
        let effect = self.transform.effect(effect, self.now, self.census);
        self.engine.act(self.transform.id(body, self.census), &effect)
    }

    fn save(&mut self) -> Result<Token, EngineError> {
        self.engine.save()
    }

    fn restore(&mut self, token: Token) -> Result<(), EngineError> {
        self.engine.restore(token)?;
        // The engine knows its own time; a frame gives it.
        self.advance(&[], &mut |_| {})
    }

    fn ray(&mut self, from: DVec3, to: DVec3) -> Result<Option<RayHit>, EngineError> {
        let [from, to] = [from, to].map(|point| self.transform.place(point, self.now));
        Ok(self.engine.ray(from, to)?.and_then(|hit| self.transform.hit_back(&hit, self.census, self.now)))
    }
}
