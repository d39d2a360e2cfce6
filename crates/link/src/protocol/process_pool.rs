//! Processes that wait for their next trial.

use super::child::Process;
use super::message::Hello;
use std::sync::{Arc, Mutex, PoisonError};

/// Most that wait.
const ROOM: usize = 64;

/// A process that waits, and what it said about itself.
pub(super) struct Resting {
    pub(super) process: Process,
    pub(super) hello: Arc<Hello>,
}

/// Processes of one engine, ended when nobody names that engine any more.
#[derive(Default)]
pub(crate) struct ProcessPool(Mutex<Vec<Resting>>);

impl std::fmt::Debug for ProcessPool {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str("Stable")
    }
}

impl ProcessPool {
    pub(super) fn take(&self) -> Option<Resting> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).pop()
    }

    pub(super) fn put(&self, resting: Resting) {
        let mut waiting = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if waiting.len() < ROOM {
            waiting.push(resting);
        }
    }
}
