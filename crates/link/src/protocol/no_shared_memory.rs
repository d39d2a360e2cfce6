//! No shared memory on this system: frames go through the pipe.

/// The bench's end, which there never is.
pub(super) enum Reading {}

impl Reading {
    pub(super) fn new() -> Option<Reading> {
        None
    }

    pub(super) fn hand_to(&self, _: &mut std::process::Command) -> String {
        match *self {}
    }

    pub(super) fn take(&mut self, _: usize, _: usize, _: &mut Vec<u8>) -> Option<()> {
        match *self {}
    }
}

/// The other end, which there never is.
pub(crate) enum Writing {}

impl Writing {
    pub(crate) fn open(_: i32) -> Option<Writing> {
        None
    }

    pub(crate) fn place(&mut self, _: usize) -> Option<usize> {
        match *self {}
    }

    pub(crate) fn largest(&self) -> usize {
        match *self {}
    }

    pub(crate) fn at(&self, _: usize) -> *mut u64 {
        match *self {}
    }

    pub(crate) fn reported(&mut self) {
        match *self {}
    }
}
