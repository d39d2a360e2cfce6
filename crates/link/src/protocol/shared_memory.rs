//! Memory that the bench shares with its own process around a library: a frame is written there once, by the library itself, and
//! read there, instead of going through a pipe in pieces.
//!
//! A file in memory. Its first page holds how many frames have been read; then come [`SLOTS`] frames, each as the rows of its
//! bodies and contacts. The other end alone makes it larger, and nobody can make it smaller, so that the bench
//! can never be led beyond its end.
#![allow(unsafe_code)]

use nix::fcntl::{FcntlArg, FdFlag, SealFlag, fcntl};
use nix::sys::memfd::{MFdFlags, memfd_create};
use nix::sys::mman::{MapFlags, ProtFlags, mmap, munmap};
use std::ffi::c_void;
use std::num::NonZeroUsize;
use std::os::fd::{AsRawFd, FromRawFd, OwnedFd};
use std::ptr::NonNull;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

/// Frames that may wait to be read.
const SLOTS: usize = 4;
/// Words before the first frame: a page.
const FIRST: usize = 512;
/// Bytes of a word.
const WORD: usize = 8;
/// Most words of a frame; a larger one goes through the pipe, which has limits of its own.
const LARGEST: usize = 1 << 24;
/// Pause while all places are taken.
const PAUSE: Duration = Duration::from_micros(20);

/// Some words of a file, as memory.
struct Map {
    start: NonNull<c_void>,
    words: usize,
}

// It is memory of the process, not of a thread.
unsafe impl Send for Map {}

impl Map {
    fn new(file: &OwnedFd, words: usize) -> Option<Map> {
        let length = NonZeroUsize::new(words * WORD)?;
        let access = ProtFlags::PROT_READ | ProtFlags::PROT_WRITE;
        // A new mapping, where the system likes it.
        let start = unsafe { mmap(None, length, access, MapFlags::MAP_SHARED, file, 0) }.ok()?;
        Some(Map { start, words })
    }

    fn word(&self, at: usize) -> *mut u64 {
        assert!(at <= self.words, "word {at} of {}", self.words);
        // Within the mapping, or just past its end.
        unsafe { self.start.cast::<u64>().as_ptr().add(at) }
    }

    /// How many frames have been read.
    fn read(&self) -> &AtomicU64 {
        // The first word is used in no other way, and stands on a page of its own.
        unsafe { AtomicU64::from_ptr(self.word(0)) }
    }
}

impl Drop for Map {
    fn drop(&mut self) {
        // Nothing that was lent out lives longer.
        let _ = unsafe { munmap(self.start, self.words * WORD) };
    }
}

/// The bench's end.
pub(super) struct Reading {
    file: OwnedFd,
    map: Map,
    count: u64,
}

impl Reading {
    /// Nothing where the system has none to give.
    pub(super) fn new() -> Option<Reading> {
        let file = memfd_create("ironspin-frames", MFdFlags::MFD_CLOEXEC | MFdFlags::MFD_ALLOW_SEALING).ok()?;
        nix::unistd::ftruncate(&file, (FIRST * WORD) as i64).ok()?;
        fcntl(&file, FcntlArg::F_ADD_SEALS(SealFlag::F_SEAL_SHRINK)).ok()?;
        let map = Map::new(&file, FIRST)?;
        Some(Reading { file, map, count: 0 })
    }

    /// Lets a program that is about to be started have it; the word that says where.
    pub(super) fn hand_to(&self, command: &mut std::process::Command) -> String {
        let number = self.file.as_raw_fd();
        let keep = move || {
            // It is open: `self` outlives the start.
            let file = unsafe { std::os::fd::BorrowedFd::borrow_raw(number) };
            fcntl(file, FcntlArg::F_SETFD(FdFlag::empty())).map(drop).map_err(std::io::Error::from)
        };
        // One system call, which is safe between fork and exec.
        unsafe { std::os::unix::process::CommandExt::pre_exec(command, keep) };
        number.to_string()
    }

    /// Appends so many words from a place to some bytes, and gives the place back; nothing when there are not so many.
    pub(super) fn take(&mut self, at: usize, words: usize, bytes: &mut Vec<u8>) -> Option<()> {
        let end = at.checked_add(words)?;
        if at < FIRST {
            return None;
        }
        if end > self.map.words {
            let size = nix::sys::stat::fstat(&self.file).ok()?.st_size;
            let there = usize::try_from(size).ok()? / WORD;
            if end > there {
                return None;
            }
            self.map = Map::new(&self.file, there)?;
        }
        bytes.reserve(words * WORD);
        for number in at..end {
            // Another process may write there if it breaks the rules, so nothing is taken for granted about it.
            let word = unsafe { self.map.word(number).read_volatile() };
            bytes.extend_from_slice(&word.to_le_bytes());
        }
        self.count += 1;
        self.map.read().store(self.count, Ordering::Release);
        Some(())
    }
}

/// The end of the process around a library.
pub(crate) struct Writing {
    file: OwnedFd,
    map: Map,
    /// Words of a frame that there are places for.
    largest: usize,
    reported: u64,
}

impl Writing {
    /// What the bench has handed over under a number; nothing where that is no such file.
    pub(crate) fn open(number: i32) -> Option<Writing> {
        if number <= 2 {
            return None;
        }
        // The bench has opened it for this process alone, and says so once.
        let file = unsafe { OwnedFd::from_raw_fd(number) };
        fcntl(&file, FcntlArg::F_GET_SEALS).ok()?;
        // Nothing that the library starts shall have it.
        fcntl(&file, FcntlArg::F_SETFD(FdFlag::FD_CLOEXEC)).ok()?;
        let map = Map::new(&file, FIRST)?;
        Some(Writing { file, map, largest: 0, reported: 0 })
    }

    /// A place for a frame of so many words, as the number of its first word, where the bench reads nothing any more; nothing
    /// where there is no room to be had.
    pub(crate) fn place(&mut self, words: usize) -> Option<usize> {
        if words > self.largest {
            self.grow(words)?;
        }
        self.wait(SLOTS as u64 - 1);
        Some(FIRST + (self.reported as usize % SLOTS) * self.largest)
    }

    /// Words that a place has.
    pub(crate) fn largest(&self) -> usize {
        self.largest
    }

    /// Where a word stands.
    pub(crate) fn at(&self, word: usize) -> *mut u64 {
        self.map.word(word)
    }

    /// The bench is notified of the frame in the present place: the next one comes elsewhere.
    pub(crate) fn reported(&mut self) {
        self.reported += 1;
    }

    /// Waits until at most so many frames are still to be read. When the bench has gone, this process is ended.
    fn wait(&self, most: u64) {
        while self.reported.saturating_sub(self.map.read().load(Ordering::Acquire)) > most {
            std::thread::sleep(PAUSE);
        }
    }

    fn grow(&mut self, words: usize) -> Option<()> {
        let largest = words + words / 2;
        if largest > LARGEST {
            return None;
        }
        // What is still to be read stands where it is until then.
        self.wait(0);
        let all = FIRST + SLOTS * largest;
        nix::unistd::ftruncate(&self.file, (all * WORD) as i64).ok()?;
        self.map = Map::new(&self.file, all)?;
        self.largest = largest;
        Some(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ends() -> (Reading, Writing) {
        let reading = Reading::new().unwrap();
        let number = std::os::fd::IntoRawFd::into_raw_fd(reading.file.try_clone().unwrap());
        (reading, Writing::open(number).unwrap())
    }

    fn put(writing: &mut Writing, words: &[u64]) -> usize {
        let at = writing.place(words.len()).unwrap();
        for (number, word) in words.iter().enumerate() {
            unsafe { writing.at(at + number).write(*word) };
        }
        writing.reported();
        at
    }

    #[test]
    fn what_is_written_is_read_however_large_it_grows() {
        let (mut reading, mut writing) = ends();
        for size in [3_usize, 1, 4, 400, 5, 90_000, 2] {
            let words: Vec<u64> = (0..size as u64).map(|word| word * word).collect();
            let at = put(&mut writing, &words);
            let mut bytes = Vec::new();
            reading.take(at, size, &mut bytes).unwrap();
            assert_eq!(bytes, words.iter().flat_map(|word| word.to_le_bytes()).collect::<Vec<_>>());
        }
    }

    #[test]
    fn frames_ahead_do_not_run_over_those_that_wait() {
        let (mut reading, mut writing) = ends();
        let (send, places) = std::sync::mpsc::channel();
        let writer = std::thread::spawn(move || {
            for number in 0..100 {
                send.send(put(&mut writing, &[number; 9])).unwrap();
            }
        });
        for number in 0..100_u64 {
            let at = places.recv().unwrap();
            // The writer would be far ahead by now.
            std::thread::sleep(Duration::from_micros(200));
            let mut bytes = Vec::new();
            reading.take(at, 9, &mut bytes).unwrap();
            assert_eq!(bytes, number.to_le_bytes().repeat(9));
        }
        writer.join().unwrap();
    }

    #[test]
    fn no_place_beyond_the_end_is_read_and_no_end_comes_nearer() {
        let (mut reading, mut writing) = ends();
        let at = put(&mut writing, &[1, 2, 3]);
        let mut bytes = Vec::new();
        assert_eq!(reading.take(at, 1 << 20, &mut bytes), None);
        assert_eq!(reading.take(usize::MAX, 2, &mut bytes), None);
        assert_eq!(reading.take(0, 2, &mut bytes), None);
        assert!(nix::unistd::ftruncate(&writing.file, 8).is_err());
        assert!(Writing::open(1).is_none());
    }
}
