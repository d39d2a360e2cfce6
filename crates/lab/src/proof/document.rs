//! A proof as it stands on disk.

use super::cells::{Cell, Cells, STEPS, Work};
use super::evidence::{Evidence, Outcome};
use super::known_failures::{Excuse, known_failures};
use super::{DECADES, ProofOrder};
use crate::document::Tool;
use ironspin_engine::{FaultEntry, SOUND};
use ironspin_model::Verdict;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Name and version of the form.
const FORMAT: &str = "ironspin.proof/1";

/// A proof.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ProofDocument {
    /// Name and version of the form.
    pub format: String,
    /// The program that wrote it.
    pub tool: Tool,
    /// The engine.
    pub engine: String,
    /// Whether it is the small proof.
    pub quick: bool,
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

/// Works out what the evidence says.
pub(super) fn conclude(order: &ProofOrder, cells: &Cells<'_>, evidence: &Evidence) -> ProofDocument {
    let faults: Vec<FaultProof> = order.faults.iter().map(|fault| fault_proof(cells, evidence, fault)).collect();
    let mut document = ProofDocument {
        format: FORMAT.to_owned(),
        tool: Tool::this(),
        engine: order.engine.clone(),
        quick: order.quick,
        sound_trials: 0,
        sound_unsupported: 0,
        sound_settings: Vec::new(),
        sound_steps: Vec::new(),
        sound_units: Vec::new(),
        sound_held: 0,
        alarms: Vec::new(),
        excused: Vec::new(),
        claims: claim_proofs(cells, evidence, &faults),
        faults,
        trials: evidence.len(),
    };
    sound(cells, evidence, &mut document);
    document
}

/// The settings that an engine has beyond those of the sound one; nothing when it has a fault.
fn setting<'a>(cells: &Cells<'_>, cell: &'a Cell) -> Option<&'a str> {
    let text = cell.plan().engine.text();
    let rest = text.strip_prefix(cells.sound.text())?;
    (!rest.contains("fault=")).then(|| rest.trim_start_matches([':', ',', ' ']))
}

/// Keeps each text once, in order.
fn note(list: &mut Vec<String>, text: &str) {
    if let Err(place) = list.binary_search_by(|known| known.as_str().cmp(text)) {
        list.insert(place, text.to_owned());
    }
}

fn sound(cells: &Cells<'_>, evidence: &Evidence, document: &mut ProofDocument) {
    let mut used: BTreeMap<usize, usize> = BTreeMap::new();
    for (cell, outcome) in evidence.all() {
        let Some(setting) = setting(cells, cell) else { continue };
        if outcome.verdict == Verdict::Unsupported {
            document.sound_unsupported += 1;
            continue;
        }
        document.sound_trials += 1;
        let conditions = &cell.plan().conditions;
        note(&mut document.sound_settings, setting);
        note(&mut document.sound_steps, &conditions.dt.text);
        note(&mut document.sound_units, &conditions.units.text);
        document.sound_held += outcome.held;
        for alarm in alarms(cell, outcome) {
            let step = &conditions.dt.text;
            match known_failures()
                .position(|known_failure| known_failure.covers(setting, &alarm.scene, &alarm.claim, step))
            {
                Some(number) => *used.entry(number).or_default() += 1,
                None => document.alarms.push(alarm),
            }
        }
    }
    document.alarms.sort();
    let reported = |(number, known_failure): (usize, &Excuse)| KnownFailure {
        setting: known_failure.setting.to_owned(),
        scene: known_failure.scene.to_owned(),
        claims: known_failure.claims.iter().map(|&claim| claim.to_owned()).collect(),
        steps: known_failure.steps.iter().map(|&step| step.to_owned()).collect(),
        because: known_failure.because.to_owned(),
        failures: used.get(&number).copied().unwrap_or(0),
    };
    let concerned = |known_failure: &Excuse| cells.order.scenes.iter().any(|scene| scene == known_failure.scene);
    document.excused =
        known_failures().enumerate().filter(|(_, known_failure)| concerned(known_failure)).map(reported).collect();
    if cells.order.quick {
        document.excused.retain(|excused| excused.failures > 0);
    }
}

fn alarms(cell: &Cell, outcome: &Outcome) -> Vec<Alarm> {
    let plan = cell.plan();
    let unusual = plan.conditions.unusual_text();
    let alarm = |claim: String, of: String, measured: String| Alarm {
        scene: plan.setup.name.clone(),
        engine: plan.engine.text().to_owned(),
        conditions: format!("{}{}{unusual}", plan.conditions.dt.text, if unusual.is_empty() { "" } else { ", " }),
        claim,
        of,
        measured,
    };
    if outcome.verdict == Verdict::Error {
        return vec![alarm(SOUND.to_owned(), String::new(), outcome.reason.clone())];
    }
    let reported = |number: usize| {
        let (measured, used) = outcome.measured[number];
        let value = measured.map_or_else(|| "nothing".to_owned(), |value| format!("{value:.4e}"));
        if used.is_finite() { format!("{value}, {used:.2} of the bound") } else { value }
    };
    let of_claim = |&number: &usize| match &cell.work {
        Work::Twin(order) => alarm(format!("twin.{}", order.kind.word()), String::new(), reported(number)),
        Work::Trial(plan) => {
            let claim = &plan.setup.claims[number];
            alarm(claim.gauge.clone(), claim.of_text.clone(), reported(number))
        }
    };
    outcome.broken.iter().map(of_claim).collect()
}

fn fault_proof(cells: &Cells<'_>, evidence: &Evidence, fault: &'static FaultEntry) -> FaultProof {
    let mut tried: Vec<(String, (i32, &str, u64))> =
        cells.steps.iter().map(|&step| (step.to_owned(), (0, step, 1))).collect();
    if !cells.order.quick {
        tried.push((format!("{}, seed 2", STEPS[0]), (0, STEPS[0], 2)));
    }
    let named: Vec<NoticeProof> = cells
        .notices(fault)
        .map(|notice| {
            let (at, not_at): (Vec<_>, Vec<_>) =
                tried.iter().partition(|(_, at)| evidence.notices(cells, fault, notice, *at));
            let texts = |list: Vec<&(String, (i32, &str, u64))>| list.iter().map(|(text, _)| text.clone()).collect();
            NoticeProof {
                scene: notice.scene.to_owned(),
                claim: notice.claim.to_owned(),
                under: notice.under.replace("RATE", STEPS[0].trim_start_matches("1/")),
                at: texts(at),
                not_at: texts(not_at),
            }
        })
        .collect();
    let caught_by = captures(cells, evidence, fault);
    let everywhere = tried.iter().all(|(text, _)| named.iter().any(|notice| notice.at.contains(text)));
    let somewhere = named.iter().any(|notice| !notice.at.is_empty());
    let verdict = match (everywhere, somewhere, caught_by.is_empty()) {
        (true, ..) => FaultVerdict::Caught,
        (false, true, _) => FaultVerdict::Weak,
        (false, false, false) => FaultVerdict::Elsewhere,
        (false, false, true) => FaultVerdict::Missed,
    };
    let reason = match verdict {
        FaultVerdict::Caught => String::new(),
        FaultVerdict::Weak => {
            let not = tried.iter().filter(|(text, _)| !named.iter().any(|notice| notice.at.contains(text)));
            format!("not caught at {}", not.map(|(text, _)| text.as_str()).collect::<Vec<_>>().join("; "))
        }
        FaultVerdict::Elsewhere => "no claim that its entry names notices it".to_owned(),
        FaultVerdict::Missed => "no claim of any scene in this proof notices it".to_owned(),
    };
    FaultProof {
        name: fault.name.to_owned(),
        wrong: fault.wrong.to_owned(),
        cause: fault.cause.to_owned(),
        verdict,
        reason,
        size: fault.size.filter(|_| !cells.order.quick && somewhere).map(|_| size_proof(cells, evidence, fault)),
        command: command(cells, fault),
        named,
        caught_by,
    }
}

/// What shows the first claim that an entry names.
fn command(cells: &Cells<'_>, fault: &FaultEntry) -> String {
    let Some(notice) = cells.notices(fault).next() else { return String::new() };
    let engine = cells.broken(fault, 0).map(|engine| engine.text().to_owned()).unwrap_or_default();
    let twin = notice.claim.strip_prefix("twin.");
    let mut words = vec![
        "ironspin",
        if twin.is_some() { "twin" } else { "run" },
        notice.scene,
        "--dt",
        STEPS[0],
        "--engine",
        &engine,
    ];
    words.extend(twin.into_iter().flat_map(|kind| ["--by", kind]));
    let rate = STEPS[0].trim_start_matches("1/");
    let under = notice.under.replace("RATE", rate);
    words.extend(under.split_whitespace());
    crate::plan::shell_line(&words.into_iter().map(str::to_owned).collect::<Vec<_>>())
}

fn size_proof(cells: &Cells<'_>, evidence: &Evidence, fault: &'static FaultEntry) -> SizeProof {
    let stated = fault.stated_size();
    let caught = |decade: i32| evidence.catches(cells, fault, -decade, STEPS[0]);
    let decades = (0..=DECADES).take_while(|&decade| caught(decade)).count() as i32 - 1;
    SizeProof {
        stated,
        meaning: fault.size.map_or_else(String::new, |size| size.meaning.to_owned()),
        tenth: STEPS.iter().all(|step| evidence.catches(cells, fault, -1, step)),
        smallest: stated / 10_f64.powi(decades.max(0)),
        open: decades == DECADES,
    }
}

/// All claims that notice a fault of its stated size.
fn captures(cells: &Cells<'_>, evidence: &Evidence, fault: &FaultEntry) -> Vec<Capture> {
    let Ok(engine) = cells.broken(fault, 0) else { return Vec::new() };
    let mut found = BTreeSet::new();
    for (cell, outcome) in evidence.all().filter(|(cell, _)| cell.plan().engine == engine) {
        let (broken, unsound) = evidence.broken_by(cells, cell, outcome);
        let scene = || cell.plan().setup.name.clone();
        if unsound {
            found.insert(Capture { scene: scene(), number: None, claim: SOUND.to_owned() });
        }
        for number in broken {
            found.insert(match &cell.work {
                Work::Twin(order) => {
                    Capture { scene: scene(), number: None, claim: format!("twin.{}", order.kind.word()) }
                }
                Work::Trial(plan) => {
                    Capture { scene: scene(), number: Some(number), claim: plan.setup.claims[number].gauge.clone() }
                }
            });
        }
    }
    found.into_iter().collect()
}

/// Every claim of the scenes, and every kind of twin that they promise, with the faults that break it.
fn claim_proofs(cells: &Cells<'_>, evidence: &Evidence, faults: &[FaultProof]) -> Vec<ClaimProof> {
    let mut claims: Vec<ClaimProof> = Vec::new();
    let mut seen = BTreeSet::new();
    let mut kinds = BTreeSet::new();
    let sound = evidence.all().map(|(cell, _)| cell).filter(|cell| setting(cells, cell) == Some(""));
    let mut plans: BTreeMap<&str, &crate::plan::TrialPlan> = BTreeMap::new();
    for cell in sound {
        plans.entry(cell.plan().setup.name.as_str()).or_insert(cell.plan());
    }
    for scene in &cells.order.scenes {
        let Some(plan) = plans.get(scene.as_str()).filter(|_| seen.insert(scene)) else { continue };
        for (number, claim) in plan.setup.claims.iter().enumerate() {
            let breaks = |fault: &&FaultProof| {
                fault.caught_by.iter().any(|capture| capture.scene == *scene && capture.number == Some(number))
            };
            if claim.severity != ironspin_model::Severity::Must {
                continue;
            }
            claims.push(ClaimProof {
                scene: scene.clone(),
                number: Some(number),
                claim: claim.gauge.clone(),
                of: claim.of_text.clone(),
                broken_by: faults.iter().filter(breaks).map(|fault| fault.name.clone()).collect(),
            });
        }
        kinds.extend(plan.setup.twins.iter().map(|twin| format!("twin.{}", twin.by)));
    }
    // A promise of a kind of twin is the same in every scene.
    for kind in kinds {
        let breaks = |fault: &&FaultProof| fault.caught_by.iter().any(|capture| capture.claim == kind);
        let broken_by = faults.iter().filter(breaks).map(|fault| fault.name.clone()).collect();
        claims.push(ClaimProof { scene: "*".to_owned(), number: None, claim: kind, of: String::new(), broken_by });
    }
    claims
}
