//! What the claims that fail on an engine have in common: a shape, a joint, an action. A mistake in one place of an engine shows in many
//! scenes, and what these share names the place sooner than any of them.

use crate::record::{ClaimRecord, TrialRecord};
use ironspin_model::{BodyKind, Verdict};
use ironspin_scene::{Family, Feature, Setup, features_of_bodies};
use std::collections::{BTreeMap, BTreeSet};

/// A trait of the bodies that are measured by every claim that fails on an engine, and by so few that hold that this is no chance.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CommonTrait {
    /// The engine as it was named.
    pub engine: String,
    /// The trait.
    pub feature: Feature,
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

/// The claims of each scene, by their numbers; under the first conditions, or under some that they fail under.
type Judged<'a> = BTreeMap<&'a str, BTreeMap<usize, (&'a TrialRecord, &'a ClaimRecord)>>;

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
    let fails = |(_, claim): &(&TrialRecord, &ClaimRecord)| claim.verdict == Verdict::Fail;
    let scenes = judged.values().filter(|claims| claims.values().any(fails)).count();
    // One scene proves nothing of others.
    if scenes < 2 {
        return Vec::new();
    }
    let (mut failing, mut holding) = (Vec::new(), Vec::new());
    for claims in judged.values() {
        // Bodies have their features in every trial of a scene.
        let features = claims.values().next().map(|(record, _)| features_of_bodies(&record.plan.setup));
        for entry in claims.values() {
            let found = traits(entry.1, &entry.0.plan.setup, features.as_deref().unwrap_or_default());
            if fails(entry) { failing.push(found) } else { holding.push(found) }
        }
    }
    let shared = failing.iter().skip(1).fold(failing[0].clone(), |shared, traits| &shared & traits);
    let found = shared.into_iter().map(|feature| CommonTrait {
        engine: engine.to_owned(),
        feature,
        failing: failing.len(),
        scenes,
        holding: holding.iter().filter(|traits| traits.contains(&feature)).count(),
        all_holding: holding.len(),
    });
    found.filter(CommonTrait::tells).collect()
}

impl CommonTrait {
    /// Whether that all failures share it is no chance. The share among what holds is by Laplace's rule, so that what none of a few has is
    /// not taken for impossible.
    fn tells(&self) -> bool {
        let share = (self.holding as f64 + 1.0) / (self.all_holding as f64 + 2.0);
        libm::pow(share, self.failing as f64) < BY_CHANCE
    }
}

/// The claims that could be judged on an engine.
fn judged<'a>(engine: &str, records: &'a [TrialRecord]) -> Judged<'a> {
    let mut found = Judged::new();
    for record in records.iter().filter(|record| record.engine() == engine) {
        for (number, claim) in record.claims.iter().enumerate().filter(|(_, claim)| !claim.only_tells()) {
            let of_scene = found.entry(record.scene()).or_default();
            match claim.verdict {
                Verdict::Fail => drop(of_scene.insert(number, (record, claim))),
                Verdict::Pass => drop(of_scene.entry(number).or_insert((record, claim))),
                Verdict::Unsupported | Verdict::Unknown | Verdict::Error => {}
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
