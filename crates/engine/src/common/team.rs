//! Several threads on the same lists at once, in turns that a barrier keeps apart.
//!
//! All that is unsafe about it is here: a list that threads share without locks. It is sound because within one turn no two
//! threads touch the same entry, which the graph colouring of the contacts is for, and turns are kept apart by the barrier.

#![allow(unsafe_code)]

use std::marker::PhantomData;
use std::ops::Range;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// A list that several threads write to, each to entries of its own.
pub(crate) struct Shared<'a, T> {
    first: *mut T,
    count: usize,
    list: PhantomData<&'a mut [T]>,
}

// SAFETY: entries go from thread to thread only by the unsafe functions below, whose callers see to it that no two threads use one
// entry in the same turn.
unsafe impl<T: Send> Sync for Shared<'_, T> {}

impl<'a, T> Shared<'a, T> {
    pub(crate) fn new(list: &'a mut [T]) -> Self {
        Shared { first: list.as_mut_ptr(), count: list.len(), list: PhantomData }
    }

    pub(crate) fn len(&self) -> usize {
        self.count
    }

    /// # Safety
    /// No other thread writes to the entry in this turn.
    #[inline(always)]
    pub(crate) unsafe fn get(&self, index: usize) -> &T {
        assert!(index < self.count, "an entry of the list");
        // SAFETY: within the list; see above.
        unsafe { &*self.first.add(index) }
    }

    /// # Safety
    /// No other thread reads or writes the entry in this turn, and the caller holds no other reference to it.
    #[inline(always)]
    #[allow(clippy::mut_from_ref)]
    pub(crate) unsafe fn entry(&self, index: usize) -> &mut T {
        assert!(index < self.count, "an entry of the list");
        // SAFETY: within the list; see above.
        unsafe { &mut *self.first.add(index) }
    }

    /// # Safety
    /// No other thread reads or writes these entries in this turn, and the caller holds no other reference to them.
    #[allow(clippy::mut_from_ref)]
    pub(crate) unsafe fn run(&self, range: Range<usize>) -> &mut [T] {
        assert!(range.start <= range.end && range.end <= self.count, "entries of the list");
        // SAFETY: within the list; see above.
        unsafe { std::slice::from_raw_parts_mut(self.first.add(range.start), range.len()) }
    }
}

/// Looks at the barrier before a waiting thread lets others have its core.
const PATIENCE: u32 = 1000;

/// Where threads wait for each other. They spin, since turns last microseconds.
pub(crate) struct Barrier {
    members: usize,
    arrived: AtomicUsize,
    round: AtomicUsize,
    broken: AtomicBool,
}

impl Barrier {
    pub(crate) fn new(members: usize) -> Self {
        Barrier { members, arrived: AtomicUsize::new(0), round: AtomicUsize::new(0), broken: AtomicBool::new(false) }
    }

    /// Returns when all members have come. What each wrote before is then seen by all.
    pub(crate) fn wait(&self) {
        if self.members < 2 {
            return;
        }
        let round = self.round.load(Ordering::Acquire);
        if self.arrived.fetch_add(1, Ordering::AcqRel) + 1 == self.members {
            self.arrived.store(0, Ordering::Relaxed);
            self.round.store(round.wrapping_add(1), Ordering::Release);
            return;
        }
        let mut looks = 0;
        while self.round.load(Ordering::Acquire) == round {
            assert!(!self.broken.load(Ordering::Relaxed), "another thread of the team has given up");
            looks += 1;
            if looks < PATIENCE { std::hint::spin_loop() } else { std::thread::yield_now() }
        }
    }

    /// The share of `count` things that falls to a member: always the same, side by side.
    pub(crate) fn share(&self, count: usize, member: usize) -> Range<usize> {
        count * member / self.members..count * (member + 1) / self.members
    }
}

/// Tells the others when its thread panics, so that nobody waits for ever.
pub(crate) struct Alarm<'a>(pub(crate) &'a Barrier);

impl Drop for Alarm<'_> {
    fn drop(&mut self) {
        if std::thread::panicking() {
            self.0.broken.store(true, Ordering::Relaxed);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn turns_are_kept_apart() {
        let mut list = vec![0_u64; 1000];
        let shared = Shared::new(&mut list);
        let barrier = Barrier::new(3);
        std::thread::scope(|scope| {
            for member in 0..3 {
                let (shared, barrier) = (&shared, &barrier);
                scope.spawn(move || {
                    for round in 0..50 {
                        // Each turn another member has each share, and finds what the turn before left there.
                        let range = barrier.share(shared.len(), (member + round) % 3);
                        // SAFETY: the shares of a turn do not overlap.
                        for entry in unsafe { shared.run(range) } {
                            assert_eq!(*entry, round as u64);
                            *entry += 1;
                        }
                        barrier.wait();
                    }
                });
            }
        });
        assert!(list.iter().all(|&entry| entry == 50));
    }

    #[test]
    fn nobody_waits_for_one_that_panics() {
        let barrier = Barrier::new(2);
        let outcome = std::thread::scope(|scope| {
            let waits = scope.spawn(|| barrier.wait());
            let panics = scope.spawn(|| {
                let _alarm = Alarm(&barrier);
                panic!("on purpose");
            });
            (waits.join().is_err(), panics.join().is_err())
        });
        assert_eq!(outcome, (true, true));
    }
}
