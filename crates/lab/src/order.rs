//! What a grid of trials is made of, and the trials that come of it.

use crate::defaults::measure_by_default;
use crate::plan::{TrialPlan, check_claims, hash};
use ironspin_link::{EngineSpec, ProcessLimits};
use ironspin_model::{Clock, ClockKind, Conditions, Dimension, EngineError, Factor, Origin, SoftMethod, Timestep};
use ironspin_scene::{Question, Scene, SceneError, Settings, Setup};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Most steps of a trial, and of a forecast in it, unless it is raised.
pub const STEP_LIMIT: u64 = 20_000_000;
/// Most trials of a grid unless it is raised.
pub const TRIAL_LIMIT: usize = 20_000;

/// What a grid is made of: every scene with every engine under every combination of conditions.
#[derive(Clone, Debug)]
pub struct GridOrder {
    /// Scenes by bundled name or path.
    pub scenes: Vec<String>,
    /// Engines by name.
    pub engines: Vec<String>,
    /// Step lengths.
    pub steps: Vec<Timestep>,
    /// Parameters set from outside: name and the values to be tried.
    pub set: Vec<(String, Vec<String>)>,
    /// Clocks.
    pub clocks: Vec<Clock>,
    /// Length units.
    pub units: Vec<Factor>,
    /// Sizes.
    pub sizes: Vec<Factor>,
    /// Places.
    pub origins: Vec<Origin>,
    /// Threads allowed to the engine.
    pub threads: Vec<usize>,
    /// Seeds of everything random; every trial is run with each.
    pub seeds: Vec<u64>,
    /// How often each trial is run.
    pub repeat: u32,
    /// How foreign engines are kept.
    pub process_limits: ProcessLimits,
    /// Most bodies a scene may have.
    pub body_limit: usize,
    /// Most trials of the grid.
    pub trial_limit: usize,
    /// Most steps of a trial.
    pub step_limit: u64,
}

impl GridOrder {
    /// Scenes on engines at steps, and nothing else unusual.
    pub fn plain(scenes: Vec<String>, engines: Vec<String>, steps: Vec<Timestep>) -> Self {
        GridOrder {
            scenes,
            engines,
            steps,
            set: Vec::new(),
            clocks: vec![Clock::default()],
            units: vec![Factor::one()],
            sizes: vec![Factor::one()],
            origins: vec![Origin::default()],
            threads: vec![1],
            seeds: vec![1],
            repeat: 1,
            process_limits: ProcessLimits::default(),
            body_limit: ironspin_scene::BODY_LIMIT,
            trial_limit: TRIAL_LIMIT,
            step_limit: STEP_LIMIT,
        }
    }

    /// How many trials it makes; nothing when they cannot be counted.
    pub fn trials(&self) -> Option<usize> {
        let lists = [
            self.scenes.len(),
            self.engines.len(),
            self.steps.len(),
            self.clocks.len(),
            self.units.len(),
            self.sizes.len(),
            self.origins.len(),
            self.threads.len(),
            self.seeds.len(),
            self.repeat as usize,
        ];
        lists.into_iter().chain(self.set.iter().map(|(_, values)| values.len())).try_fold(1, usize::checked_mul)
    }

    /// Every combination of parameters.
    fn settings(&self) -> Vec<Vec<(String, String)>> {
        self.set.iter().fold(vec![Vec::new()], |all, (name, values)| {
            let with = |set: &Vec<(String, String)>, value: &String| {
                set.iter().cloned().chain([(name.clone(), value.clone())]).collect()
            };
            all.iter().flat_map(|set| values.iter().map(move |value| with(set, value))).collect()
        })
    }

    /// Every combination of conditions, seed by seed innermost.
    fn conditions(&self) -> Vec<Conditions> {
        let mut all: Vec<Conditions> = Vec::new();
        for units in &self.units {
            for size in &self.sizes {
                for origin in &self.origins {
                    for clock in &self.clocks {
                        for &threads in &self.threads {
                            for step in self.steps_of(clock) {
                                for &seed in &self.seeds {
                                    all.extend((1..=self.repeat.max(1)).map(|repeat| Conditions {
                                        dt: step.clone(),
                                        clock: *clock,
                                        units: units.clone(),
                                        size: size.clone(),
                                        origin: origin.clone(),
                                        seed,
                                        threads,
                                        repeat,
                                    }));
                                }
                            }
                        }
                    }
                }
            }
        }
        all
    }

    /// The steps that make a difference under a clock: a raw one knows its own only.
    fn steps_of(&self, clock: &Clock) -> Vec<Timestep> {
        match clock.kind {
            ClockKind::Raw(fps) => vec![Timestep { text: format!("1/{fps}"), seconds: 1.0 / fps }],
            _ => self.steps.clone(),
        }
    }
}

/// Why a grid cannot be run.
#[derive(Debug, thiserror::Error)]
pub enum PlanError {
    /// A scene cannot be read or resolved.
    #[error(transparent)]
    Scene(#[from] SceneError),
    /// An engine is named wrongly.
    #[error(transparent)]
    Engine(#[from] EngineError),
    /// More trials than the limit.
    #[error("this grid has {} trials, and the limit is {limit}", .found.map_or_else(|| "more than can be counted".to_owned(), |found| found.to_string()))]
    TooMany {
        /// How many there are.
        found: Option<usize>,
        /// How many there may be.
        limit: usize,
    },
    /// More steps than the limit.
    #[error("{what} of `{scene}` takes some {found:.3e} steps, and the limit is {limit}")]
    TooLong {
        /// Such as `a trial`.
        what: &'static str,
        /// The scene.
        scene: String,
        /// About how many steps.
        found: f64,
        /// How many there may be.
        limit: u64,
    },
    /// One step is longer than the whole trial.
    #[error("a step of {dt} s is longer than the {duration} s of `{scene}`: no step would be done")]
    StepTooLong {
        /// The scene.
        scene: String,
        /// Length of a step in the time of the scene, s.
        dt: f64,
        /// Length of the trial, s.
        duration: f64,
    },
    /// A list without anything in it.
    #[error("a grid without {0}: nothing would be run")]
    Nothing(&'static str),
    /// A world of the plane moved out of it.
    #[error("the origin {origin} has a z, and `{scene}` is a scene of the plane")]
    OutOfThePlane {
        /// The scene.
        scene: String,
        /// As typed.
        origin: String,
    },
}

/// Resolves and checks a grid; trials come scene by scene, parameters by parameters, engine by engine, then units, size, origin, clock, threads,
/// step, seed.
///
/// # Errors
/// For the first scene, engine, parameter or claim that is wrong, and for too many trials.
pub fn plan_grid(order: &GridOrder) -> Result<Vec<TrialPlan>, PlanError> {
    Planner::default().plan(order)
}

/// Plans grids one after the other; scenes are read, and engines known by their files, once.
#[derive(Debug, Default)]
pub struct Planner {
    scenes: BTreeMap<String, (Scene, String)>,
    engines: BTreeMap<(String, Vec<String>), (EngineSpec, String)>,
}

impl Planner {
    /// As [`plan_grid`].
    ///
    /// # Errors
    /// As [`plan_grid`].
    pub fn plan(&mut self, order: &GridOrder) -> Result<Vec<TrialPlan>, PlanError> {
        let found = order.trials();
        if found.is_none_or(|found| found > order.trial_limit) {
            return Err(PlanError::TooMany { found, limit: order.trial_limit });
        }
        for (what, empty) in [
            ("scenes", order.scenes.is_empty()),
            ("engines", order.engines.is_empty()),
            ("step lengths", order.steps.is_empty()),
            ("seeds", order.seeds.is_empty()),
        ] {
            if empty {
                return Err(PlanError::Nothing(what));
            }
        }
        let engines = order
            .engines
            .iter()
            .map(|text| self.engine(text, &order.process_limits))
            .collect::<Result<Vec<_>, EngineError>>()?;
        let conditions = order.conditions();
        let mut plans = Vec::new();
        for name in &order.scenes {
            let (scene, scene_hash) = self.scene(name)?;
            for set in order.settings() {
                let limits = (order.body_limit, order.step_limit);
                plan_settings((name, scene, scene_hash), &set, &engines, &conditions, limits, &mut plans)?;
            }
        }
        Ok(plans)
    }

    fn engine(&mut self, text: &str, limits: &ProcessLimits) -> Result<(EngineSpec, String), EngineError> {
        let key = (text.to_owned(), limits.arguments());
        if let Some(known) = self.engines.get(&key) {
            return Ok(known.clone());
        }
        let engine = EngineSpec::read(text)?.on(limits);
        let known = (engine.clone(), engine.fingerprint());
        self.engines.insert(key, known.clone());
        Ok(known)
    }

    fn scene(&mut self, name: &str) -> Result<&(Scene, String), SceneError> {
        if !self.scenes.contains_key(name) {
            let scene = Scene::open(name)?;
            let hash = hash(scene.texts());
            self.scenes.insert(name.to_owned(), (scene, hash));
        }
        Ok(&self.scenes[name])
    }
}

/// Every trial of a scene under some parameters.
fn plan_settings(
    (name, scene, scene_hash): (&str, &Scene, &str),
    set: &[(String, String)],
    engines: &[(EngineSpec, String)],
    conditions: &[Conditions],
    (body_limit, step_limit): (usize, u64),
    plans: &mut Vec<TrialPlan>,
) -> Result<(), PlanError> {
    // Trials that differ in nothing a scene can see share what it resolves to.
    let mut known: BTreeMap<(u64, u64, SoftMethod), Arc<Setup>> = BTreeMap::new();
    for (engine, engine_hash) in engines {
        for conditions in conditions {
            let (dt, seed, soft_method) = (conditions.scene_dt(), conditions.seed, engine.soft_method());
            let key = (dt.to_bits(), seed, soft_method);
            let setup = match known.get(&key) {
                Some(setup) => Arc::clone(setup),
                None => {
                    let settings = Settings { set: set.to_vec(), dt, seed, body_limit, soft_method };
                    let setup = Arc::new(resolved(scene, &settings)?);
                    known.insert(key, Arc::clone(&setup));
                    setup
                }
            };
            check_length(name, &setup, conditions, step_limit)?;
            if setup.world.dimension == Dimension::Plane && conditions.origin.at[2] != 0.0 {
                let origin = conditions.origin.text.clone();
                return Err(PlanError::OutOfThePlane { scene: name.to_owned(), origin });
            }
            plans.push(TrialPlan {
                scene: name.to_owned(),
                scene_hash: scene_hash.to_owned(),
                set: set.to_vec(),
                setup,
                engine: engine.clone(),
                engine_hash: engine_hash.clone(),
                conditions: conditions.clone(),
                pace: None,
                trace: None,
                judged_by: None,
            });
        }
    }
    Ok(())
}

/// A trial and its forecasts must have an end, and their lists must fit in memory.
fn check_length(scene: &str, setup: &Setup, conditions: &Conditions, limit: u64) -> Result<(), PlanError> {
    let (dt, duration) = (conditions.scene_dt(), setup.world.duration);
    if dt > duration * (1.0 + 1e-9) {
        return Err(PlanError::StepTooLong { scene: scene.to_owned(), dt, duration });
    }
    let trial = ("a trial", conditions.size_of_schedule(setup.world.duration));
    let forecasts = setup.probes.iter().filter_map(|probe| match &probe.question {
        Question::Forecast { horizon, .. } => Some(("a forecast", horizon / conditions.scene_dt())),
        Question::Ray { .. } => None,
    });
    for (what, found) in std::iter::once(trial).chain(forecasts) {
        if !(found <= limit as f64) {
            return Err(PlanError::TooLong { what, scene: scene.to_owned(), found, limit });
        }
    }
    Ok(())
}

/// A scene worked out and checked, with what is measured where it claims nothing.
///
/// # Errors
/// For the first parameter or claim that is wrong.
pub(crate) fn resolved(scene: &Scene, settings: &Settings) -> Result<Setup, SceneError> {
    let mut setup = scene.resolve(settings)?;
    check_claims(scene, &setup)?;
    measure_by_default(&mut setup);
    Ok(setup)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn order(scene: &str) -> GridOrder {
        GridOrder::plain(
            vec![scene.to_owned()],
            vec!["builtin".to_owned(), "builtin:swept=off".to_owned()],
            vec!["1/60".parse().unwrap(), "1/240".parse().unwrap()],
        )
    }

    #[test]
    fn a_grid_has_every_combination_in_a_fixed_order() {
        let plans = plan_grid(&order("ingot-stack")).unwrap();
        let reported: Vec<(&str, &str)> =
            plans.iter().map(|plan| (plan.engine.text(), plan.conditions.dt.text.as_str())).collect();
        let expected =
            [("builtin", "1/60"), ("builtin", "1/240"), ("builtin:swept=off", "1/60"), ("builtin:swept=off", "1/240")];
        assert_eq!(reported, expected);
    }

    #[test]
    fn every_bundled_scene_is_planned() {
        for name in ironspin_scene::bundled::names() {
            plan_grid(&order(name)).unwrap_or_else(|error| panic!("{name}: {error}"));
        }
    }

    #[test]
    fn every_condition_is_an_axis_and_raw_clocks_know_one_step() {
        let order = GridOrder {
            set: vec![("count".to_owned(), vec!["2".to_owned(), "3".to_owned()])],
            units: vec!["1".parse().unwrap(), "2^-10".parse().unwrap()],
            clocks: vec![Clock::default(), Clock { kind: ClockKind::Raw(30.0), ..Clock::default() }],
            repeat: 2,
            ..order("ingot-stack")
        };
        assert_eq!(order.trials(), Some(64));
        let plans = plan_grid(&order).unwrap();
        // Two steps of the fixed clock and one of the raw one.
        assert_eq!(plans.len(), 2 * 2 * 2 * 3 * 2);
        let mut keys: Vec<String> = plans.iter().map(TrialPlan::key).collect();
        keys.sort();
        keys.dedup();
        assert_eq!(keys.len(), plans.len());
        let shares: usize = (0..5).map(|share| plans.iter().filter(|plan| plan.share(5) == share).count()).sum();
        assert_eq!(shares, plans.len());
    }

    #[test]
    fn the_share_of_a_trial_never_changes() {
        let plans = plan_grid(&order("ingot-stack")).unwrap();
        assert_eq!(plans.iter().map(|plan| plan.share(5)).collect::<Vec<_>>(), SHARES_OF_FIVE);
    }

    const SHARES_OF_FIVE: [u64; 4] = [0, 1, 0, 2];

    #[test]
    fn too_many_and_nothing_are_refused() {
        let limited = GridOrder { trial_limit: 3, ..order("ingot-stack") };
        assert!(matches!(plan_grid(&limited), Err(PlanError::TooMany { found: Some(4), limit: 3 })));
        let endless = GridOrder { seeds: vec![1; 1 << 20], repeat: u32::MAX, ..order("ingot-stack") };
        assert!(endless.trials().is_none_or(|trials| trials > endless.trial_limit));
        assert!(matches!(plan_grid(&GridOrder { steps: Vec::new(), ..order("x") }), Err(PlanError::Nothing(_))));
        let deep = |scene: &str| plan_grid(&GridOrder { origins: vec!["0:0:9".parse().unwrap()], ..order(scene) });
        assert!(matches!(deep("ingot-stack"), Err(PlanError::OutOfThePlane { .. })) && deep("solid-drop").is_ok());
    }
}
