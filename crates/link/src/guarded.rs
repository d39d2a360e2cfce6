//! A wall around an engine in this process: its panic is an error of its trial.

use ironspin_model::{Conditions, DVec3, Effect, Engine, EngineError, EngineInfo, FrameSink, RayHit, Token, World};
use std::panic::{AssertUnwindSafe, catch_unwind};

pub(crate) struct Guarded {
    engine: Box<dyn Engine>,
    /// After a panic the engine's state cannot be trusted any more.
    broken: bool,
}

impl Guarded {
    pub(crate) fn new(engine: Box<dyn Engine>) -> Self {
        Guarded { engine, broken: false }
    }

    fn guard<T>(&mut self, call: impl FnOnce(&mut dyn Engine) -> Result<T, EngineError>) -> Result<T, EngineError> {
        if self.broken {
            return Err(EngineError::Crashed { why: "it has crashed before".to_owned() });
        }
        let engine = &mut *self.engine;
        catch_unwind(AssertUnwindSafe(|| call(engine))).unwrap_or_else(|panic| {
            self.broken = true;
            let why = panic
                .downcast_ref::<&str>()
                .map(|text| (*text).to_owned())
                .or_else(|| panic.downcast_ref::<String>().cloned())
                .unwrap_or_else(|| "it left no message".to_owned());
            Err(EngineError::Crashed { why })
        })
    }
}

impl Engine for Guarded {
    fn info(&self) -> EngineInfo {
        self.engine.info()
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        self.guard(|engine| engine.build(world, conditions))
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        self.guard(|engine| engine.advance(steps, sink))
    }

    fn act(&mut self, body: usize, effect: &Effect) -> Result<(), EngineError> {
        self.guard(|engine| engine.act(body, effect))
    }

    fn follow(&mut self, scene: &str, seed: u64) -> Result<bool, EngineError> {
        self.guard(|engine| engine.follow(scene, seed))
    }

    fn save(&mut self) -> Result<Token, EngineError> {
        self.guard(|engine| engine.save())
    }

    fn restore(&mut self, token: Token) -> Result<(), EngineError> {
        self.guard(|engine| engine.restore(token))
    }

    fn ray(&mut self, from: DVec3, to: DVec3) -> Result<Option<RayHit>, EngineError> {
        self.guard(|engine| engine.ray(from, to))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Bomb;

    impl Engine for Bomb {
        fn info(&self) -> EngineInfo {
            EngineInfo {
                name: "bomb".into(),
                version: "1".into(),
                options: Vec::new(),
                scalar: Default::default(),
                spaces: Vec::new(),
                features: Vec::new(),
            }
        }
        fn build(&mut self, _: &World, _: &Conditions) -> Result<(), EngineError> {
            Ok(())
        }
        fn advance(&mut self, _: &[f64], _: &mut FrameSink<'_>) -> Result<(), EngineError> {
            panic!("tick")
        }
    }

    #[test]
    fn a_panic_is_an_error_and_the_engine_stays_broken() {
        let mut engine = Guarded::new(Box::new(Bomb));
        let first = engine.advance(&[0.1], &mut |_| {});
        assert_eq!(first, Err(EngineError::Crashed { why: "tick".into() }));
        assert!(matches!(engine.advance(&[], &mut |_| {}), Err(EngineError::Crashed { .. })));
    }
}
