//! Two results compared: what newly fails, newly passes, got better or worse.

use crate::cost::{CostDocument, CostRecord};
use crate::document::{ResultDocument, TrialDocument};
use ironspin_model::Verdict;
use serde::Serialize;
use std::collections::BTreeMap;

/// A timing must be this much longer, beyond what the rounds of both sides spread, to be called worse.
const NOISE: f64 = 0.1;

/// What became of something.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ChangeKind {
    /// It held and does not any more.
    NewlyFails,
    /// It still fails or holds, by a worse figure.
    Worse,
    /// It is in the base only.
    Gone,
    /// It is in the new results only.
    New,
    /// It failed and holds now.
    NewlyPasses,
    /// It still fails or holds, by a better figure.
    Better,
}

impl ChangeKind {
    /// Whether it is a change for the worse.
    pub fn is_worse(self) -> bool {
        matches!(self, ChangeKind::NewlyFails | ChangeKind::Worse)
    }

    /// Its words.
    pub fn words(self) -> &'static str {
        match self {
            ChangeKind::NewlyFails => "newly fails",
            ChangeKind::Worse => "worse",
            ChangeKind::Gone => "gone",
            ChangeKind::New => "new",
            ChangeKind::NewlyPasses => "newly passes",
            ChangeKind::Better => "better",
        }
    }
}

/// One thing that changed.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Change {
    /// What became of it.
    pub kind: ChangeKind,
    /// The trial.
    pub trial: String,
    /// The claim, or what else changed.
    pub what: String,
    /// The figure of the base.
    pub base: Option<f64>,
    /// The new figure.
    pub new: Option<f64>,
    /// Unit of both.
    pub unit: String,
}

/// What came of a comparison.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Comparison {
    /// Figures that were compared.
    pub compared: usize,
    /// Figures that are equal to the last digit, or timings within noise.
    pub same: usize,
    /// What changed, the worst first.
    pub changes: Vec<Change>,
}

impl Comparison {
    /// Whether anything is worse.
    pub fn is_worse(&self) -> bool {
        self.changes.iter().any(|change| change.kind.is_worse())
    }

    fn sorted(mut self) -> Self {
        self.changes.sort_by_key(|change| change.kind);
        self
    }
}

fn name(trial: &TrialDocument) -> String {
    let unusual = trial.unusual_text();
    let and = if unusual.is_empty() { "" } else { ", " };
    format!("{} at dt {}{and}{unusual} on {}", trial.scene, trial.dt_text, trial.engine)
}

/// Compares the trials of two results, figure by figure, without any allowance: the same program gives the same digits.
pub fn compare_results(base: &ResultDocument, new: &ResultDocument) -> Comparison {
    let mut found = Comparison::default();
    let of_base: BTreeMap<String, &TrialDocument> = base.trials.iter().map(|trial| (name(trial), trial)).collect();
    let of_new: BTreeMap<String, &TrialDocument> = new.trials.iter().map(|trial| (name(trial), trial)).collect();
    let whole = |kind, trial: &str, what: &str| Change {
        kind,
        trial: trial.to_owned(),
        what: what.to_owned(),
        base: None,
        new: None,
        unit: String::new(),
    };
    for trial in &base.trials {
        if !of_new.contains_key(&name(trial)) {
            found.changes.push(whole(ChangeKind::Gone, &name(trial), trial.verdict.word()));
        }
    }
    for trial in &new.trials {
        let key = name(trial);
        let Some(before) = of_base.get(&key) else {
            found.changes.push(whole(ChangeKind::New, &key, trial.verdict.word()));
            continue;
        };
        if before.claims.is_empty() || trial.claims.is_empty() {
            found.compared += 1;
            match trial.verdict.cmp(&before.verdict) {
                std::cmp::Ordering::Equal => found.same += 1,
                order => {
                    let kind = if order.is_gt() { ChangeKind::NewlyFails } else { ChangeKind::NewlyPasses };
                    let what = format!("{} became {}", before.verdict.word(), trial.verdict.word());
                    found.changes.push(whole(kind, &key, &what));
                }
            }
            continue;
        }
        for (number, claim) in trial.claims.iter().enumerate() {
            // Claims stand in the order of the scene; one that was put in moves the others.
            // A name holds on to a claim whatever else of it has changed.
            let same = |other: &&crate::document::ClaimDocument| {
                other.gauge == claim.gauge
                    && other.name == claim.name
                    && (other.of == claim.of || !claim.name.is_empty())
            };
            let at_place = before.claims.get(number).filter(same);
            let Some(old) = at_place.or_else(|| before.claims.iter().find(same)) else { continue };
            found.compared += 1;
            let reported = |kind| Change {
                kind,
                trial: key.clone(),
                what: format!("{} of {}", claim.title(), claim.of),
                base: old.measured,
                new: claim.measured,
                unit: claim.unit.clone(),
            };
            let fails = |verdict: Verdict| matches!(verdict, Verdict::Fail | Verdict::Error);
            match (fails(old.verdict), fails(claim.verdict)) {
                (false, true) => found.changes.push(reported(ChangeKind::NewlyFails)),
                (true, false) => found.changes.push(reported(ChangeKind::NewlyPasses)),
                _ if old.measured == claim.measured && old.bound == claim.bound => found.same += 1,
                _ => match claim.used().total_cmp(&old.used()) {
                    std::cmp::Ordering::Greater => found.changes.push(reported(ChangeKind::Worse)),
                    std::cmp::Ordering::Less => found.changes.push(reported(ChangeKind::Better)),
                    std::cmp::Ordering::Equal => found.same += 1,
                },
            }
        }
    }
    found.sorted()
}

/// Compares timings: worse is what is longer by a tenth and beyond what the rounds of both sides spread.
pub fn compare_costs(base: &CostDocument, new: &CostDocument) -> Comparison {
    let mut found = Comparison::default();
    let same = |a: &CostRecord, b: &CostRecord| a.scene == b.scene && a.engine == b.engine && a.value == b.value;
    for cost in &new.costs {
        let Some(old) = base.costs.iter().find(|old| same(old, cost)) else { continue };
        if !cost.reason.is_empty() || !old.reason.is_empty() {
            continue;
        }
        found.compared += 1;
        let kind = if cost.rounds[0] > old.rounds[1] && cost.median > (1.0 + NOISE) * old.median {
            ChangeKind::Worse
        } else if cost.rounds[1] < old.rounds[0] && old.median > (1.0 + NOISE) * cost.median {
            ChangeKind::Better
        } else {
            found.same += 1;
            continue;
        };
        found.changes.push(Change {
            kind,
            trial: format!("{} with {}={} on {}", cost.scene, new.axis, cost.value, cost.engine),
            what: "median step".to_owned(),
            base: Some(old.median),
            new: Some(cost.median),
            unit: "s".to_owned(),
        });
    }
    found.sorted()
}
