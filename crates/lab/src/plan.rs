//! What is to be run, resolved and checked before anything runs.

use ironspin_gauge::{GAUGES, Need};
use ironspin_link::EngineSpec;
use ironspin_model::{Claim, Conditions, EngineError, Timestep, nearest};
use ironspin_scene::{Question, Scene, SceneError, Settings, Setup};
use ironspin_trace::TraceFormat;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// One trial to be run.
#[derive(Clone, Debug)]
pub struct TrialPlan {
    /// The scene as it was named: a bundled name or a path.
    pub scene: String,
    /// Parameters set from outside: name and value, as typed.
    pub set: Vec<(String, String)>,
    /// The scene, worked out for these conditions.
    pub setup: Arc<Setup>,
    /// The engine under test.
    pub engine: EngineSpec,
    /// Everything else.
    pub conditions: Conditions,
    /// Where its frames are to be kept, and how.
    pub trace: Option<(PathBuf, TraceFormat)>,
    /// The arguments that judge a recorded trace again, in place of a run.
    pub judged_by: Option<Vec<String>>,
}

impl TrialPlan {
    /// The arguments that run this trial alone.
    pub fn arguments(&self) -> Vec<String> {
        if let Some(words) = &self.judged_by {
            return words.clone();
        }
        let mut words = vec!["run".to_owned(), self.scene.clone(), "--dt".to_owned(), self.conditions.dt.text.clone()];
        words.extend(["--engine".to_owned(), self.engine.text().to_owned()]);
        if self.conditions.seed != 1 {
            words.extend(["--seed".to_owned(), self.conditions.seed.to_string()]);
        }
        words.extend(self.set.iter().flat_map(|(name, value)| ["--set".to_owned(), format!("{name}={value}")]));
        words
    }
}

/// Gives every trial of a plan a file of its own in a folder for its frames: `SCENE_DT_ENGINE.csv`, numbered where names
/// would be the same.
pub fn keep_traces(plans: &mut [TrialPlan], folder: &Path, format: TraceFormat) {
    let mut used = std::collections::BTreeSet::new();
    for plan in plans {
        let plain = |text: &str| -> String {
            text.chars().map(|c| if c.is_ascii_alphanumeric() || ".=-".contains(c) { c } else { '-' }).collect()
        };
        let mut stem =
            format!("{}_{}_{}", plain(&plan.setup.name), plain(&plan.conditions.dt.text), plain(plan.engine.text()));
        if plan.conditions.seed != 1 {
            stem.push_str(&format!("_seed{}", plan.conditions.seed));
        }
        let mut name = stem.clone();
        let mut number = 2;
        while !used.insert(name.clone()) {
            name = format!("{stem}_{number}");
            number += 1;
        }
        plan.trace = Some((folder.join(format!("{name}.{}", format.ending())), format));
    }
}

/// What a grid is made of: every scene with every engine at every step.
#[derive(Clone, Debug)]
pub struct GridOrder {
    /// Scenes by bundled name or path.
    pub scenes: Vec<String>,
    /// Engines by name.
    pub engines: Vec<String>,
    /// Step lengths.
    pub steps: Vec<Timestep>,
    /// Parameters set from outside: name and value.
    pub set: Vec<(String, String)>,
    /// Seeds of everything random; every trial is run with each.
    pub seeds: Vec<u64>,
    /// Most bodies a scene may have.
    pub body_limit: usize,
}

impl GridOrder {
    /// Scenes on engines at steps, and nothing else unusual.
    pub fn plain(scenes: Vec<String>, engines: Vec<String>, steps: Vec<Timestep>) -> Self {
        GridOrder { scenes, engines, steps, set: Vec::new(), seeds: vec![1], body_limit: ironspin_scene::BODY_LIMIT }
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
}

/// Resolves and checks a grid; trials come scene by scene, engine by engine, step by step, seed by seed.
///
/// # Errors
/// For the first scene, engine, parameter or claim that is wrong.
pub fn plan_grid(order: &GridOrder) -> Result<Vec<TrialPlan>, PlanError> {
    let engines = order.engines.iter().map(|text| EngineSpec::read(text)).collect::<Result<Vec<_>, _>>()?;
    let mut plans = Vec::new();
    for name in &order.scenes {
        let scene = Scene::open(name)?;
        let cells = order.steps.iter().flat_map(|step| order.seeds.iter().map(move |&seed| (step, seed)));
        let setups = cells
            .map(|(step, seed)| {
                let settings =
                    Settings { set: order.set.clone(), dt: step.seconds, seed, body_limit: order.body_limit };
                let setup = scene.resolve(&settings)?;
                check_claims(&scene, &setup)?;
                let conditions = Conditions { seed, ..Conditions::with_dt(step.clone()) };
                Ok((conditions, Arc::new(setup)))
            })
            .collect::<Result<Vec<_>, SceneError>>()?;
        for engine in &engines {
            for (conditions, setup) in &setups {
                plans.push(TrialPlan {
                    scene: name.clone(),
                    set: order.set.clone(),
                    setup: Arc::clone(setup),
                    engine: engine.clone(),
                    conditions: conditions.clone(),
                    trace: None,
                    judged_by: None,
                });
            }
        }
    }
    Ok(plans)
}

/// The first of a gauge's needs that a claim or its scene does not meet, with its name and a line that would.
fn lacks(needs: &[Need], claim: &Claim, setup: &Setup) -> Option<(Need, (&'static str, &'static str))> {
    let asks = |ray: bool| setup.probes.iter().any(|probe| matches!(probe.question, Question::Ray { .. }) == ray);
    let met = |need: Need| match need {
        Need::Against => !claim.against.is_empty(),
        Need::Bounds => setup.world.bounds.is_some(),
        Need::Measure => claim.details.measure.is_some(),
        Need::Path => claim.details.path.is_some(),
        Need::Law => claim.details.law.is_some(),
        Need::Ray => asks(true),
        Need::Forecast => asks(false),
        Need::Sensor => setup.world.bodies.iter().any(|body| body.parts.iter().any(|part| part.sensor)),
    };
    needs.iter().copied().find(|&need| !met(need)).map(|need| (need, need.texts()))
}

/// The gauges of a scene's claims must exist and be given what they need.
///
/// # Errors
/// With the place of the first claim that is wrong.
pub fn check_claims(scene: &Scene, setup: &Setup) -> Result<(), SceneError> {
    for (index, claim) in setup.claims.iter().enumerate() {
        let Some(gauge) = ironspin_gauge::find(&claim.gauge) else {
            let names = || GAUGES.iter().map(|gauge| gauge.name);
            let help = nearest(&claim.gauge, names()).map_or_else(
                || format!("gauges: {}", names().collect::<Vec<_>>().join(", ")),
                |name| format!("did you mean `{name}`?"),
            );
            let message = format!("there is no gauge called `{}`", claim.gauge);
            return Err(scene.claim_error(index, message, "unknown gauge".to_owned(), Some(help)));
        };
        if let Some((need, (what, line))) = lacks(gauge.needs, claim, setup) {
            let of_claim = matches!(need, Need::Against | Need::Measure | Need::Path | Need::Law);
            return Err(scene.claim_error(
                index,
                format!("`{}` needs {what}", gauge.name),
                if of_claim { "this claim has none" } else { "the scene has none" }.to_owned(),
                Some(format!("add a line such as {line}")),
            ));
        }
    }
    Ok(())
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
        let told: Vec<(&str, &str)> =
            plans.iter().map(|plan| (plan.engine.text(), plan.conditions.dt.text.as_str())).collect();
        let expected =
            [("builtin", "1/60"), ("builtin", "1/240"), ("builtin:swept=off", "1/60"), ("builtin:swept=off", "1/240")];
        assert_eq!(told, expected);
    }

    #[test]
    fn every_bundled_scene_is_planned() {
        for name in ironspin_scene::bundled::names() {
            plan_grid(&order(name)).unwrap_or_else(|error| panic!("{name}: {error}"));
        }
    }

    fn claim_fault(claim: &str) -> SceneError {
        let text = format!(
            "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, 0]\nduration = 1\n[material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n\
             [[body]]\nname = \"ball\"\nshape = {{ disc = 1 }}\nat = [0, 0]\nmaterial = \"iron\"\n[[claim]]\n{claim}\nat_most = 0\nbecause = \"x\"\n"
        );
        let scene = Scene::parse(&text, "x.toml").unwrap();
        let setup = scene.resolve(&Settings::with_dt(0.01)).unwrap();
        check_claims(&scene, &setup).unwrap_err()
    }

    #[test]
    fn claims_are_checked_with_their_place() {
        let fault = claim_fault("gauge = \"tunel.count\"");
        assert_eq!(fault.help.as_deref(), Some("did you mean `tunnel.count`?"));
        assert_eq!(fault.place.unwrap().line(), 17);
        assert!(claim_fault("gauge = \"tunnel.count\"").message.contains("needs `against`"));
        assert!(claim_fault("gauge = \"escape.count\"").message.contains("needs `bounds`"));
    }
}
