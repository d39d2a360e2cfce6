//! Processes that wait for their next trial.

use super::child::Process;
use super::message::Hello;
use super::remarks::Remarks;
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
pub(crate) struct ProcessPool {
    waiting: Mutex<Vec<Resting>>,
    /// What was noticed about any of them.
    pub(super) remarks: Remarks,
}

impl std::fmt::Debug for ProcessPool {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str("Stable")
    }
}

impl ProcessPool {
    pub(super) fn take(&self) -> Option<Resting> {
        self.waiting.lock().unwrap_or_else(PoisonError::into_inner).pop()
    }

    /// Ends those that wait; what was noticed about them and all before.
    pub(crate) fn close(&self) -> Vec<String> {
        let waiting = std::mem::take(&mut *self.waiting.lock().unwrap_or_else(PoisonError::into_inner));
        drop(waiting);
        self.remarks.take()
    }

    pub(super) fn put(&self, resting: Resting) {
        let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
        if waiting.len() < ROOM {
            waiting.push(resting);
        }
    }
}
