//! What the claims that fail on an engine have in common: a shape, a joint, an action. A mistake in one place of an engine shows in many
//! scenes, and what these share names the place sooner than any of them.

use crate::record::{ClaimRecord, TrialRecord};
use ironspin_model::{BodyKind, Verdict};
use ironspin_scene::{Family, Feature, Setup, features_of_bodies};
use std::collections::BTreeSet;

/// A trait of the bodies that are measured by every claim that fails on an engine, and by so few that hold that this is no chance.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CommonTrait {
    /// The engine as it was named.
    pub engine: String,
    /// The trait, in words that go on "measure": `capsules`.
    pub words: String,
    /// Claims that fail, all of which have it.
    pub failing: usize,
    /// Scenes that they belong to.
    pub scenes: usize,
    /// Claims that hold and have it.
    pub holding: usize,
    /// Claims that hold.
    pub all_holding: usize,
}

/// A trait is told where all failures would have it by chance less often than this, were failures spread evenly over all claims.
const BY_CHANCE: f64 = 1e-3;

/// One claim of a scene, under whatever conditions it was judged.
struct Judged<'a> {
    scene: &'a str,
    number: usize,
    failed: bool,
    traits: BTreeSet<Feature>,
}

/// What the failures on each engine have in common, in the order in which the engines come.
pub fn common_traits(records: &[TrialRecord]) -> Vec<CommonTrait> {
    let mut engines: Vec<&str> = Vec::new();
    for record in records {
        if !engines.contains(&record.engine()) {
            engines.push(record.engine());
        }
    }
    engines.into_iter().flat_map(|engine| of_engine(engine, records)).collect()
}

fn of_engine(engine: &str, records: &[TrialRecord]) -> Vec<CommonTrait> {
    let judged = judged(engine, records);
    let (failing, holding): (Vec<&Judged<'_>>, Vec<&Judged<'_>>) = judged.iter().partition(|claim| claim.failed);
    let scenes: BTreeSet<&str> = failing.iter().map(|claim| claim.scene).collect();
    // One scene proves nothing of others.
    if scenes.len() < 2 {
        return Vec::new();
    }
    let shared = failing.iter().skip(1).fold(failing[0].traits.clone(), |shared, claim| &shared & &claim.traits);
    let with = |feature: &Feature| holding.iter().filter(|claim| claim.traits.contains(feature)).count();
    // The share of a trait among what holds, by Laplace's rule, so that what none of a few has is not taken for impossible.
    let share = |feature: &Feature| (with(feature) as f64 + 1.0) / (holding.len() as f64 + 2.0);
    let by_chance = |feature: &Feature| libm::pow(share(feature), failing.len() as f64);
    let telling = shared.into_iter().filter(|feature| by_chance(feature) < BY_CHANCE);
    let found = telling.map(|feature| CommonTrait {
        engine: engine.to_owned(),
        words: words(feature),
        failing: failing.len(),
        scenes: scenes.len(),
        holding: with(&feature),
        all_holding: holding.len(),
    });
    found.collect()
}

/// The claims that could be judged on an engine, each once: failed where it failed under any conditions.
fn judged<'a>(engine: &str, records: &'a [TrialRecord]) -> Vec<Judged<'a>> {
    let mut found: Vec<Judged<'a>> = Vec::new();
    for record in records.iter().filter(|record| record.engine() == engine) {
        let features = features_of_bodies(&record.plan.setup);
        for (number, claim) in record.claims.iter().enumerate().filter(|(_, claim)| !claim.only_tells()) {
            let failed = match claim.verdict {
                Verdict::Fail => true,
                Verdict::Pass => false,
                Verdict::Unsupported | Verdict::Unknown | Verdict::Error => continue,
            };
            let known = found.iter_mut().find(|known| known.scene == record.scene() && known.number == number);
            match known {
                Some(known) => known.failed |= failed,
                None => found.push(Judged {
                    scene: record.scene(),
                    number,
                    failed,
                    traits: traits(claim, &record.plan.setup, &features),
                }),
            }
        }
    }
    found
}

/// What all bodies that a claim measures have in common.
fn traits(claim: &ClaimRecord, setup: &Setup, features: &[BTreeSet<Feature>]) -> BTreeSet<Feature> {
    let measured = claim.claim.of.iter().filter(|&&body| setup.world.bodies[body].kind != BodyKind::Static);
    let mut sets = measured.map(|&body| &features[body]);
    let Some(first) = sets.next() else { return BTreeSet::new() };
    let shared = sets.fold(first.clone(), |shared, other| &shared & other);
    // That a body is dynamic says nothing: nearly all that are measured are.
    shared.into_iter().filter(|feature| feature.family != Family::Kind || feature.word == "kinematic").collect()
}

fn words(feature: Feature) -> String {
    let word = feature.word.replace('_', " ");
    match feature.family {
        Family::Shape if word == "box" => "boxes".to_owned(),
        Family::Shape => format!("{word}s"),
        Family::Kind => format!("{word} bodies"),
        Family::Build => match feature.word {
            "compound" => "bodies of several parts".to_owned(),
            "swept" => "swept bodies".to_owned(),
            _ => "bodies whose turn is fixed".to_owned(),
        },
        Family::Joint => format!("bodies at a {word}"),
        Family::Action => format!("bodies with the action `{}`", feature.word),
        Family::Filter => format!("bodies with the filter `{}`", feature.word),
        Family::Sensor => "bodies with a sensor".to_owned(),
    }
}
