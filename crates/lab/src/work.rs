//! A trial or a twin of one: what lists of work are made of, wherever they are worked off.

use crate::plan::{TrialPlan, hash, identity};
use crate::twins::{TwinKind, TwinOrder};
use ironspin_link::EngineSpec;

/// How much longer a twin takes than its trial.
const TWIN: f64 = 3.0;

/// A trial or a twin.
#[derive(Clone, Debug)]
pub enum Work {
    /// A trial.
    Trial(Box<TrialPlan>),
    /// A trial and a change after which it must agree with itself.
    Twin(Box<TwinOrder>),
}

impl Work {
    /// The trial.
    pub fn plan(&self) -> &TrialPlan {
        match self {
            Work::Trial(plan) => plan,
            Work::Twin(order) => &order.plan,
        }
    }

    /// The trial alone.
    pub fn into_plan(self) -> TrialPlan {
        match self {
            Work::Trial(plan) => *plan,
            Work::Twin(order) => order.plan,
        }
    }

    /// The trial, to be changed.
    pub fn plan_mut(&mut self) -> &mut TrialPlan {
        match self {
            Work::Trial(plan) => plan,
            Work::Twin(order) => &mut order.plan,
        }
    }

    /// The arguments that do it alone.
    pub fn words(&self) -> Vec<String> {
        let mut words = self.plan().arguments();
        if let Work::Twin(order) = self {
            let by = ["twin".to_owned(), order.plan.scene.clone(), "--by".to_owned(), order.kind.word().to_owned()];
            words.splice(..2, by);
        }
        words
    }

    /// What identifies it among all others, whatever the version of anything.
    pub(crate) fn identity(&self) -> String {
        self.identity_on(&self.plan().engine)
    }

    /// The identity of the same on another engine.
    pub(crate) fn identity_on(&self, engine: &EngineSpec) -> String {
        let plan = self.plan();
        let trial = identity(&plan.scene, engine, &plan.conditions, &plan.set);
        match self {
            Work::Trial(_) => trial,
            Work::Twin(order) => twin_identity(&trial, order.kind),
        }
    }

    /// Names what comes of it: changes with it, with the text of its scene, with the engine, and with the version of the program.
    pub fn key(&self) -> String {
        let trial = self.plan().key();
        match self {
            Work::Trial(_) => trial,
            Work::Twin(order) => hash([twin_identity(&trial, order.kind).as_str()])[..20].to_owned(),
        }
    }

    /// How long it will take beside the others.
    pub fn weight(&self) -> f64 {
        self.plan().weight() * if matches!(self, Work::Twin(_)) { TWIN } else { 1.0 }
    }
}

/// The identity of a twin of a trial.
pub(crate) fn twin_identity(trial: &str, kind: TwinKind) -> String {
    format!("{trial}\ntwin {}", kind.word())
}
