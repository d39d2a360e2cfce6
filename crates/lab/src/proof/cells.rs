//! The trials and twins that a proof is made of.

use super::{ProofDepth, ProofOrder};
use crate::order::{GridOrder, PlanError, plan_grid};
use crate::plan::{TrialPlan, identity};
use crate::twins::{TwinKind, TwinOrder};
use crate::work::{Work, twin_identity};
use ironspin_engine::{FaultEntry, Notice};
use ironspin_link::EngineSpec;
use ironspin_model::{Clock, Conditions, EngineError, Factor, Timestep};
use std::collections::BTreeMap;

/// Steps at which every fault must be caught.
pub(super) const STEPS: [&str; 2] = ["1/60", "1/240"];
/// Steps of the sound engine.
const SOUND_STEPS: [&str; 4] = ["1/30", "1/60", "1/120", "1/240"];
/// Settings of the sound engine, with the steps at which each is run.
const SOUND_SETTINGS: [(&str, &[&str]); 10] = [
    ("", &SOUND_STEPS),
    ("precision=f32", &SOUND_STEPS),
    ("solver=compliant", &SOUND_STEPS),
    ("solver=position", &SOUND_STEPS),
    ("solver=event", &["1/60"]),
    ("integrator=symplectic-euler", &["1/240"]),
    ("integrator=rk4", &["1/60"]),
    ("swept=all", &["1/60"]),
    ("broad=tree,threads=2", &["1/60"]),
    ("sleep=on", &["1/60"]),
];
/// Units beside the scene's own.
const OTHER_UNITS: [&str; 2] = ["2^-10", "2^10"];

/// One trial or twin.
#[derive(Clone, Debug)]
pub(super) struct Cell {
    pub(super) key: String,
    pub(super) work: Work,
}

impl Cell {
    fn of(work: Work) -> Cell {
        Cell { key: work.identity(), work }
    }

    fn trial(plan: TrialPlan) -> Cell {
        Cell::of(Work::Trial(Box::new(plan)))
    }

    fn twin(plan: TrialPlan, kind: TwinKind) -> Cell {
        Cell::of(Work::Twin(Box::new(TwinOrder { plan, kind })))
    }

    /// The key of the same on another engine.
    pub(super) fn key_on(&self, engine: &EngineSpec) -> String {
        self.work.identity_on(engine)
    }

    pub(super) fn words(&self) -> String {
        let plan = self.work.plan();
        format!("{} on {} at {}", plan.setup.name, plan.engine.text(), plan.conditions.dt.text)
    }
}

/// Lays out cells.
pub(super) struct Cells<'a> {
    pub(super) order: &'a ProofOrder,
    /// The sound engine.
    pub(super) sound: EngineSpec,
    /// Steps at which faults are looked for.
    pub(super) steps: &'static [&'static str],
    /// Names of the options that the engine takes.
    options: Vec<String>,
}

impl<'a> Cells<'a> {
    pub(super) fn new(order: &'a ProofOrder) -> Result<Self, PlanError> {
        let steps = if order.depth == ProofDepth::Quick { &STEPS[..1] } else { &STEPS[..] };
        let sound = EngineSpec::read(&order.engine)?.on(&order.process_limits);
        let options = sound.start()?.info().options.into_iter().map(|option| option.name).collect();
        Ok(Cells { order, sound, steps, options })
    }

    /// Whether the engine takes an option.
    pub(super) fn has_option(&self, name: &str) -> bool {
        self.options.iter().any(|option| option == name)
    }

    /// Whether the engine takes all options of a setting.
    fn can_be(&self, setting: &str) -> bool {
        let mut names = setting.split(',').filter_map(|pair| pair.split_once('=')).map(|(name, _)| name);
        names.all(|name| self.has_option(name))
    }

    /// The engine with a fault, at ten to the power of `decade` times its stated size.
    pub(super) fn broken(&self, fault: &FaultEntry, decade: i32) -> Result<EngineSpec, EngineError> {
        let engine = self.sound.with_options(&format!("fault={}", fault.name))?;
        match fault.size {
            Some(size) if decade != 0 => {
                // Written with few digits, so that the command can be typed.
                let smaller = size.stated / 10_f64.powi(-decade);
                engine.with_options(&format!("fault-size={smaller:?}"))
            }
            _ => Ok(engine),
        }
    }

    /// The sound engine under all that it must stand, and as it is where a fault will be looked for.
    pub(super) fn sound(&self) -> Result<Vec<Cell>, PlanError> {
        let mut cells = Vec::new();
        let settings = if self.is_quick() { &SOUND_SETTINGS[..1] } else { &SOUND_SETTINGS[..] };
        for &(options, steps) in settings.iter().filter(|(options, _)| self.can_be(options)) {
            let engine = self.sound.with_options(options)?;
            let steps = if self.is_quick() { &STEPS[..] } else { steps };
            let mut grid = self.grid(&self.order.scenes, &engine, steps)?;
            cells.extend(plan_grid(&grid)?.into_iter().map(Cell::trial));
            // In other units where several steps are tried: the engine as it is at all of them, others at one.
            if !self.is_quick() && steps.len() > 1 {
                grid.units = OTHER_UNITS.iter().map(|text| factor(text)).collect::<Result<_, _>>()?;
                grid.steps.retain(|step| options.is_empty() || step.text == STEPS[0]);
                cells.extend(plan_grid(&grid)?.into_iter().map(Cell::trial));
            }
        }
        if !self.is_quick() {
            let grid = self.grid(&self.order.scenes, &self.sound, &STEPS[..1])?;
            for plan in plan_grid(&grid)? {
                let promised: Vec<TwinKind> =
                    plan.setup.twins.iter().filter_map(|twin| TwinKind::of(&twin.by)).collect();
                cells.extend(promised.into_iter().map(|kind| Cell::twin(plan.clone(), kind)));
            }
        }
        for fault in &self.order.faults {
            cells.extend(self.named(fault, &self.sound, self.steps, self.seeds())?);
        }
        Ok(cells)
    }

    /// Every fault at its stated size: where its entry says at every step and seed, and in the whole proof on all scenes.
    pub(super) fn stated(&self) -> Result<Vec<Cell>, PlanError> {
        let mut cells = Vec::new();
        for fault in &self.order.faults {
            let engine = self.broken(fault, 0)?;
            cells.extend(self.named(fault, &engine, self.steps, self.seeds())?);
            if self.order.depth == ProofDepth::Whole {
                let grid = self.grid(&self.order.scenes, &engine, &STEPS[..1])?;
                cells.extend(plan_grid(&grid)?.into_iter().map(Cell::trial));
            }
        }
        Ok(cells)
    }

    /// A fault at another size, where its entry says.
    pub(super) fn smaller(&self, fault: &FaultEntry, decade: i32) -> Result<Vec<Cell>, PlanError> {
        let steps = if decade == -1 { self.steps } else { &self.steps[..1] };
        self.named(fault, &self.broken(fault, decade)?, steps, &[1])
    }

    /// All that a proof may ask for, whatever comes of it: what can be worked off in any order, by many.
    pub(super) fn all(&self) -> Result<Vec<Cell>, PlanError> {
        let mut cells = self.sound()?;
        cells.extend(self.stated()?);
        if !self.is_quick() {
            for fault in self.order.faults.iter().filter(|fault| fault.size.is_some()) {
                for decade in 1..=super::DECADES {
                    cells.extend(self.smaller(fault, -decade)?);
                }
            }
        }
        Ok(cells)
    }

    fn is_quick(&self) -> bool {
        self.order.depth == ProofDepth::Quick
    }

    fn seeds(&self) -> &'static [u64] {
        if self.is_quick() { &[1] } else { &[1, 2] }
    }

    /// The notices of an entry whose scenes are part of the proof.
    pub(super) fn notices<'f>(&'f self, fault: &'f FaultEntry) -> impl Iterator<Item = &'f Notice> + 'f {
        fault.noticed.iter().filter(|notice| self.order.scenes.iter().any(|scene| scene == notice.scene))
    }

    /// What the entry of a fault names.
    fn named(
        &self,
        fault: &FaultEntry,
        engine: &EngineSpec,
        steps: &[&str],
        seeds: &[u64],
    ) -> Result<Vec<Cell>, PlanError> {
        let mut cells: BTreeMap<String, Cell> = BTreeMap::new();
        for notice in self.notices(fault) {
            for (index, &step) in steps.iter().enumerate() {
                for &seed in seeds {
                    // Other seeds at the first step only.
                    if seed == 1 || index == 0 {
                        let cell = self.cell(notice, engine, step, seed)?;
                        cells.insert(cell.key.clone(), cell);
                    }
                }
            }
        }
        Ok(cells.into_values().collect())
    }

    /// The trial or twin of a notice.
    pub(super) fn cell(&self, notice: &Notice, engine: &EngineSpec, step: &str, seed: u64) -> Result<Cell, PlanError> {
        let mut grid = self.grid(&[notice.scene.to_owned()], engine, &[step])?;
        grid.seeds = vec![seed];
        grid.clocks = vec![clock(notice.under, step)?];
        let plan = plan_grid(&grid)?.swap_remove(0);
        Ok(match twin_of(notice) {
            Some(kind) => Cell::twin(plan, kind),
            None => Cell::trial(plan),
        })
    }

    /// Its key, without reading the scene.
    pub(super) fn key(
        &self,
        notice: &Notice,
        engine: &EngineSpec,
        step: &str,
        seed: u64,
    ) -> Result<String, EngineError> {
        let clock = clock(notice.under, step)?;
        let conditions = Conditions { seed, clock, ..Conditions::with_dt(step_of(step)?) };
        let key = identity(notice.scene, engine, &conditions, &[]);
        Ok(twin_of(notice).map_or(key.clone(), |kind| twin_identity(&key, kind)))
    }

    fn grid(&self, scenes: &[String], engine: &EngineSpec, steps: &[&str]) -> Result<GridOrder, EngineError> {
        let steps = steps.iter().map(|text| step_of(text)).collect::<Result<_, _>>()?;
        Ok(GridOrder {
            process_limits: self.order.process_limits.clone(),
            ..GridOrder::plain(scenes.to_vec(), vec![engine.text().to_owned()], steps)
        })
    }
}

fn twin_of(notice: &Notice) -> Option<TwinKind> {
    notice.claim.strip_prefix("twin.").and_then(TwinKind::of)
}

fn wrong(what: &str, found: &str) -> EngineError {
    EngineError::BadValue { option: what.to_owned(), found: found.to_owned(), expected: format!("a {what}") }
}

fn step_of(text: &str) -> Result<Timestep, EngineError> {
    text.parse().map_err(|_| wrong("step", text))
}

fn factor(text: &str) -> Result<Factor, EngineError> {
    text.parse().map_err(|_| wrong("factor", text))
}

/// The clock of conditions as the command line writes them; a clock of frame times makes as many a second as there are steps.
fn clock(under: &str, step: &str) -> Result<Clock, EngineError> {
    let mut clock = Clock::default();
    let words: Vec<&str> = under.split_whitespace().collect();
    for pair in words.chunks(2) {
        let [name, value] = pair else { return Err(wrong("condition", under)) };
        match *name {
            "--clock" => {
                let rate = step.strip_prefix("1/").unwrap_or(step);
                clock.kind = value.replace("RATE", rate).parse().map_err(|_| wrong("clock", value))?;
            }
            "--stall" => clock.stall = Some(value.parse().map_err(|_| wrong("stall", value))?),
            "--frames" if *value == "uneven" => clock.uneven = true,
            _ => return Err(wrong("condition", under)),
        }
    }
    Ok(clock)
}
