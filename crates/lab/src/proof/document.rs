//! A proof as it stands on disk.

use crate::document::Tool;
use serde::{Deserialize, Serialize};

/// Name and version of the form.
pub(super) const FORMAT: &str = "ironspin.proof/1";

/// How much is proved.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ProofDepth {
    /// Only what the entries of the faults name, at one step and the stated size, and the sound engine as it is by default.
    Quick,
    /// What the entries name at all steps, seeds and sizes, and the sound engine in all settings, units and twins.
    Named,
    /// Beside that every fault on every scene: which claims notice it, and which claims notice none.
    Whole,
}

/// A proof.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ProofDocument {
    /// Name and version of the form.
    pub format: String,
    /// The program that wrote it.
    pub tool: Tool,
    /// The engine.
    pub engine: String,
    /// How much of the proof it is.
    pub depth: ProofDepth,
    /// Trials and twins of the sound engine that could be judged.
    pub sound_trials: usize,
    /// Those that could not: a setting lacks what a scene needs, or a step is too long for what is to be measured.
    pub sound_unsupported: usize,
    /// The settings of the sound engine; an empty one is the engine as it is.
    pub sound_settings: Vec<String>,
    /// The steps it was run at.
    pub sound_steps: Vec<String>,
    /// The length units in which it got the world.
    pub sound_units: Vec<String>,
    /// Claims that held in them.
    pub sound_held: usize,
    /// Claims that failed on the sound engine although it promises them.
    pub alarms: Vec<Alarm>,
    /// Claims that the sound engine does not promise under some conditions, with the reason.
    pub excused: Vec<KnownFailure>,
    /// The faults, in the order of the catalogue.
    pub faults: Vec<FaultProof>,
    /// The claims, in the order of the scenes.
    pub claims: Vec<ClaimProof>,
    /// Trials and twins in all.
    pub trials: usize,
}

/// A claim that fails on a sound engine.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Alarm {
    /// Name of the scene.
    pub scene: String,
    /// The engine with its settings.
    pub engine: String,
    /// Step and everything unusual.
    pub conditions: String,
    /// The gauge, or the kind of the twin.
    pub claim: String,
    /// The bodies measured.
    pub of: String,
    /// What was measured, in words.
    pub measured: String,
}

/// A claim that the sound engine does not promise.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct KnownFailure {
    /// The setting.
    pub setting: String,
    /// Name of the scene.
    pub scene: String,
    /// The claims, by their gauges; empty for all of the scene.
    pub claims: Vec<String>,
    /// The steps at which it is not promised; empty for all.
    pub steps: Vec<String>,
    /// Why.
    pub because: String,
    /// How many failures it stands for; one that stands for none is out of date.
    pub failures: usize,
}

/// How a fault turned out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FaultVerdict {
    /// A claim that its entry names notices it, at every step and seed that was tried.
    Caught,
    /// One does, but not at every step and seed.
    Weak,
    /// Only claims that its entry does not name notice it.
    Elsewhere,
    /// Nothing notices it.
    Missed,
}

/// A fault and who notices it.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct FaultProof {
    /// Its name.
    pub name: String,
    /// What is wrong.
    pub wrong: String,
    /// How it comes about.
    pub cause: String,
    /// How it turned out.
    pub verdict: FaultVerdict,
    /// Why it is not caught.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub reason: String,
    /// How small it may be.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<SizeProof>,
    /// The claims that should notice it.
    pub named: Vec<NoticeProof>,
    /// All that notice it at its stated size, at the first step and wherever its entry says.
    pub caught_by: Vec<Capture>,
    /// The command that shows it.
    pub command: String,
}

/// How small a fault may be.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct SizeProof {
    /// The size in its entry.
    pub stated: f64,
    /// What the number means.
    pub meaning: String,
    /// Whether a tenth of it is caught at every step.
    pub tenth: bool,
    /// The smallest size that is still caught, of those a tenth, a hundredth ... of what is stated.
    pub smallest: f64,
    /// Whether no smaller one was tried.
    pub open: bool,
}

/// A claim that should notice a fault.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct NoticeProof {
    /// Name of the scene.
    pub scene: String,
    /// The gauge, twin or what every engine owes.
    pub claim: String,
    /// Conditions that it takes.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub under: String,
    /// Steps and seeds at which it does.
    pub at: Vec<String>,
    /// Steps and seeds at which it does not.
    pub not_at: Vec<String>,
}

/// A claim that notices a fault.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Capture {
    /// Name of the scene.
    pub scene: String,
    /// Number of the claim in its scene; nothing for a twin and for what every engine owes.
    pub number: Option<usize>,
    /// The gauge, twin or what every engine owes.
    pub claim: String,
}

/// A claim and the faults that break it.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ClaimProof {
    /// Name of the scene.
    pub scene: String,
    /// Number of the claim in its scene; nothing for a twin.
    pub number: Option<usize>,
    /// The gauge, or `twin.` and its kind.
    pub claim: String,
    /// The bodies measured.
    pub of: String,
    /// The faults.
    pub broken_by: Vec<String>,
}

impl ProofDocument {
    /// Faults of a verdict.
    pub fn count(&self, verdict: FaultVerdict) -> usize {
        self.faults.iter().filter(|fault| fault.verdict == verdict).count()
    }

    /// Scenes in their order.
    pub fn scenes(&self) -> Vec<&str> {
        let mut scenes: Vec<&str> = Vec::new();
        for claim in self.claims.iter().filter(|claim| claim.number.is_some()) {
            if scenes.last() != Some(&claim.scene.as_str()) {
                scenes.push(&claim.scene);
            }
        }
        scenes
    }

    /// Claims that no fault breaks.
    pub fn unproven(&self) -> impl Iterator<Item = &ClaimProof> {
        self.claims.iter().filter(|claim| claim.broken_by.is_empty())
    }

    /// Whether every fault is caught, and no sound engine accused.
    pub fn holds(&self) -> bool {
        self.alarms.is_empty() && self.faults.iter().all(|fault| fault.verdict == FaultVerdict::Caught)
    }
}

impl FaultProof {
    /// Whether its entry names a claim.
    pub fn names(&self, capture: &Capture) -> bool {
        self.named.iter().any(|notice| notice.scene == capture.scene && notice.claim == capture.claim)
    }
}
