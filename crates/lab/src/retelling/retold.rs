//! An engine that is told the world in another way and answers in the terms of the scene.

use super::Retelling;
use ironspin_model::{
    Conditions, DVec3, Deed, Engine, EngineError, EngineInfo, Frame, FrameSink, RayHit, Token, World,
};
use ironspin_scene::Setup;

pub(crate) struct Retold {
    engine: Box<dyn Engine>,
    telling: Retelling,
    /// Bodies that come in where another body is.
    pieces: Vec<usize>,
    /// Bodies of the scene.
    count: usize,
    /// Time of the last frame, s of the scene.
    now: f64,
    /// What is handed on, kept for its memory.
    frame: Frame,
    lengths: Vec<f64>,
}

impl Retold {
    pub(crate) fn new(engine: Box<dyn Engine>, telling: Retelling, setup: &Setup) -> Self {
        let scripted = setup.world.actions.iter().map(|action| &action.deed);
        let deeds = scripted.chain(setup.triggers.iter().flat_map(|trigger| &trigger.deeds));
        let pieces = deeds.filter_map(|deed| if let Deed::Split(pieces) = deed { Some(pieces) } else { None });
        Retold {
            engine,
            telling,
            pieces: pieces.flatten().copied().collect(),
            count: 0,
            now: 0.0,
            frame: Frame::default(),
            lengths: Vec::new(),
        }
    }
}

impl Engine for Retold {
    fn info(&self) -> EngineInfo {
        self.engine.info()
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        if let Some(why) = self.telling.obstacle(world) {
            return Err(EngineError::Unsupported { feature: format!("this way of telling the world: {why}") });
        }
        (self.count, self.now) = (world.bodies.len(), 0.0);
        self.engine.build(&self.telling.world(world, &self.pieces), conditions)
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        self.lengths.clear();
        self.lengths.extend(steps.iter().map(|length| length * self.telling.time));
        let Retold { engine, telling, count, now, frame, lengths, .. } = self;
        engine.advance(lengths, &mut |told| {
            telling.frame_back(told, *count, frame);
            *now = frame.time;
            sink(frame);
        })
    }

    fn act(&mut self, body: usize, deed: &Deed) -> Result<(), EngineError> {
        let deed = self.telling.deed(deed, self.now, self.count);
        self.engine.act(self.telling.id(body, self.count), &deed)
    }

    fn save(&mut self) -> Result<Token, EngineError> {
        self.engine.save()
    }

    fn restore(&mut self, token: Token) -> Result<(), EngineError> {
        self.engine.restore(token)?;
        // The engine knows its own time; a frame tells it.
        self.advance(&[], &mut |_| {})
    }

    fn ray(&mut self, from: DVec3, to: DVec3) -> Result<Option<RayHit>, EngineError> {
        let [from, to] = [from, to].map(|point| self.telling.place(point, self.now));
        Ok(self.engine.ray(from, to)?.and_then(|hit| self.telling.hit_back(&hit, self.count, self.now)))
    }
}
