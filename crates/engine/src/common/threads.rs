//! Work shared between threads, with results in the order of the work.

use rayon::prelude::*;
use std::sync::Arc;

/// Items below which sharing costs more than it saves.
const WORTH_SHARING: usize = 512;

/// Worker threads that are kept alive; none for a single thread.
#[derive(Clone, Debug, Default)]
pub(crate) struct Threads(Option<Arc<rayon::ThreadPool>>);

impl Threads {
    /// A machine that gives no more threads still does the work on this one.
    pub(crate) fn new(count: usize) -> Self {
        Threads(
            (count > 1)
                .then(|| rayon::ThreadPoolBuilder::new().num_threads(count).build().ok().map(Arc::new))
                .flatten(),
        )
    }

    pub(crate) fn count(&self) -> usize {
        self.0.as_ref().map_or(1, |pool| pool.current_num_threads())
    }

    /// Runs the same work on every thread at once, each with its own number, and gives what the first says.
    pub(crate) fn together(&self, work: impl Fn(usize) -> u32 + Sync) -> u32 {
        match &self.0 {
            Some(pool) => pool.broadcast(|context| work(context.index())).first().copied().unwrap_or(0),
            None => work(0),
        }
    }

    /// Fills `out` with the result of each item, in their order, whatever the number of threads.
    pub(crate) fn map<T: Sync, U: Send>(&self, items: &[T], work: impl Fn(&T) -> U + Sync + Send, out: &mut Vec<U>) {
        out.clear();
        match &self.0 {
            Some(pool) if items.len() >= WORTH_SHARING => {
                pool.install(|| items.par_iter().with_min_len(64).map(work).collect_into_vec(out));
            }
            _ => out.extend(items.iter().map(work)),
        }
    }
}
