//! What was noticed about the processes of an engine beside its answers.

use super::message::EngineRow;
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex, PoisonError};

/// Remarks on one engine, shared by all its processes; each is kept once.
#[derive(Clone, Debug, Default)]
pub(crate) struct Remarks(Arc<Mutex<Noticed>>);

#[derive(Debug, Default)]
struct Noticed {
    said: BTreeSet<String>,
    /// Name and version as its first process told them.
    first: Option<(String, String)>,
}

/// Most that are kept.
const MOST: usize = 16;

impl Remarks {
    fn with<T>(&self, act: impl FnOnce(&mut Noticed) -> T) -> T {
        act(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }

    pub(crate) fn add(&self, remark: String) {
        self.with(|noticed| {
            if noticed.said.len() < MOST {
                noticed.said.insert(remark);
            }
        });
    }

    /// Holds what a process calls itself against what the first one did.
    pub(super) fn hear(&self, engine: &EngineRow) {
        let now = (engine.name.clone(), engine.version.clone());
        let before = self.with(|noticed| noticed.first.get_or_insert_with(|| now.clone()).clone());
        if before != now {
            let [before, now] = [before, now].map(|(name, version)| format!("{name} {version}"));
            self.add(format!(
                "one process of it called itself `{before}`, another `{now}`: results may not belong together"
            ));
        }
    }

    /// What was noticed so far, in the order of the alphabet; it is not given twice.
    pub(crate) fn take(&self) -> Vec<String> {
        self.with(|noticed| std::mem::take(&mut noticed.said)).into_iter().collect()
    }
}
