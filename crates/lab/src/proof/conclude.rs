//! What the evidence of a proof comes to.

use super::cells::{Cell, Cells, STEPS};
use super::document::{
    Alarm, Capture, ClaimProof, FORMAT, FaultProof, FaultVerdict, KnownFailure, NoticeProof, ProofDepth, ProofDocument,
    SizeProof,
};
use super::evidence::{Evidence, Outcome};
use super::known_failures::{Excuse, known_failures};
use super::{DECADES, ProofOrder};
use crate::document::Tool;
use crate::work::Work;
use ironspin_engine::{FaultEntry, SOUND};
use ironspin_model::Verdict;
use std::collections::{BTreeMap, BTreeSet};

/// Works out what the evidence says.
pub(super) fn conclude(order: &ProofOrder, cells: &Cells<'_>, evidence: &Evidence) -> ProofDocument {
    let faults: Vec<FaultProof> = order.faults.iter().map(|fault| fault_proof(cells, evidence, fault)).collect();
    let mut document = ProofDocument {
        format: FORMAT.to_owned(),
        tool: Tool::this(),
        engine: order.engine.clone(),
        depth: order.depth,
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
    let text = cell.work.plan().engine.text();
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
        let conditions = &cell.work.plan().conditions;
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
    if cells.order.depth == ProofDepth::Quick {
        document.excused.retain(|excused| excused.failures > 0);
    }
}

fn alarms(cell: &Cell, outcome: &Outcome) -> Vec<Alarm> {
    let plan = cell.work.plan();
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
    if cells.order.depth != ProofDepth::Quick {
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
        size: fault
            .size
            .filter(|_| cells.order.depth != ProofDepth::Quick && somewhere)
            .map(|_| size_proof(cells, evidence, fault)),
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
    for (cell, outcome) in evidence.all().filter(|(cell, _)| cell.work.plan().engine == engine) {
        let (broken, unsound) = evidence.broken_by(cells, cell, outcome);
        let scene = || cell.work.plan().setup.name.clone();
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
        plans.entry(cell.work.plan().setup.name.as_str()).or_insert(cell.work.plan());
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
