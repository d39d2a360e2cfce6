//! The three streams of an engine's process, each on a thread of its own.

use super::bytes::read_bytes;
use super::shared_memory::Reading;
use crate::supervisor::MARK;
use std::collections::VecDeque;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::process::{ChildStderr, ChildStdin, ChildStdout};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::mpsc::{Receiver, SyncSender};
use std::sync::{Arc, Mutex, PoisonError};

/// Bytes that any answer may have, beside those for the states that were asked for.
const AN_ANSWER: u64 = 1 << 24;
/// Bytes for a frame that was asked for.
const A_FRAME: u64 = 1 << 20;
/// Bytes for the state of a body in it, with its contacts.
const A_STATE: u64 = 1 << 11;
/// Lines of its log that are kept, and bytes of each.
const LINES_KEPT: usize = 12;
const LINE_KEPT: u64 = 400;
/// Lines shown when it fails.
const LINES_TOLD: usize = 3;

/// A piece of an answer as it came.
pub(crate) enum Piece {
    /// A frame as bytes; more follows.
    Frame(Vec<u8>),
    /// The answer itself.
    Line(String),
}

/// Most bytes of the answer that is waited for.
#[derive(Clone)]
pub(crate) struct Longest(Arc<AtomicU64>);

impl Default for Longest {
    fn default() -> Longest {
        Longest(Arc::new(AtomicU64::new(AN_ANSWER)))
    }
}

impl Longest {
    /// For an answer with so many frames of so many bodies.
    pub(crate) fn set(&self, frames: usize, bodies: usize) {
        let a_frame = A_FRAME.saturating_add(A_STATE.saturating_mul(bodies as u64));
        let frames = a_frame.saturating_mul(frames as u64);
        self.0.store(AN_ANSWER.saturating_add(frames), Ordering::Relaxed);
    }

    fn get(&self) -> u64 {
        self.0.load(Ordering::Relaxed)
    }
}

/// Where frames come from that are bytes.
pub(super) struct InBytes {
    /// Memory shared with the other end.
    pub(super) shared: Option<Reading>,
    /// What was read and may be filled again.
    pub(super) empty: Receiver<Vec<u8>>,
}

impl InBytes {
    /// A frame; nothing where a line follows, or the end.
    fn read(&mut self, output: &mut impl BufRead, longest: &Longest) -> io::Result<Option<Vec<u8>>> {
        if output.fill_buf()?.is_empty() {
            return Ok(None);
        }
        let mut bytes = self.empty.try_recv().unwrap_or_default();
        Ok(read_bytes(output, &mut self.shared, &mut bytes, longest.get())?.then_some(bytes))
    }
}

/// Hands on one answer after the other until the stream ends or breaks.
pub(super) fn read_answers(
    output: ChildStdout,
    mut in_bytes: Option<InBytes>,
    longest: &Longest,
    send: &SyncSender<Result<Piece, String>>,
) {
    let mut output = BufReader::with_capacity(1 << 18, output);
    loop {
        let answer = match in_bytes.as_mut().map(|frames| frames.read(&mut output, longest)) {
            Some(Ok(Some(frame))) => Ok(Piece::Frame(frame)),
            Some(Err(why)) => Err(why.to_string()),
            Some(Ok(None)) | None => match read_line(&mut output, longest) {
                Ok(None) => return,
                Ok(Some(line)) => Ok(Piece::Line(line)),
                Err(why) => Err(why),
            },
        };
        let ends = answer.is_err();
        if send.send(answer).is_err() || ends {
            return;
        }
    }
}

fn read_line(output: &mut impl BufRead, longest: &Longest) -> Result<Option<String>, String> {
    let mut line = Vec::new();
    // The first byte tells that the answer has begun, so that the limit is the one of its call.
    output.fill_buf().map_err(|error| error.to_string())?;
    let longest = longest.get();
    let read = output.take(longest).read_until(b'\n', &mut line).map_err(|error| error.to_string())?;
    let text = |line: Vec<u8>| match String::from_utf8(line) {
        Ok(line) => Ok(line),
        Err(error) => {
            let line = String::from_utf8_lossy(error.as_bytes()).into_owned();
            Err(format!("a line that is no UTF-8: `{}`", shortened(&line)))
        }
    };
    if read == 0 {
        return Ok(None);
    }
    if line.last() == Some(&b'\n') {
        return text(line).map(Some);
    }
    let line = text(line)?;
    Err(match read as u64 >= longest {
        true => format!("a line of more than {longest} bytes: `{}`", shortened(&line)),
        false => format!("half a line: `{}`", shortened(&line)),
    })
}

/// Writes one line after the other until there are no more or none is taken.
pub(super) fn write_calls(mut input: ChildStdin, lines: &Receiver<String>) {
    while let Ok(line) = lines.recv() {
        let written =
            input.write_all(line.as_bytes()).and_then(|()| input.write_all(b"\n")).and_then(|()| input.flush());
        if written.is_err() {
            return;
        }
    }
}

/// The last lines of a log.
#[derive(Clone, Default)]
pub(super) struct Log {
    lines: Arc<Mutex<VecDeque<String>>>,
    /// What the supervisor of the engine said.
    remarks: Arc<Mutex<Vec<String>>>,
}

impl Log {
    fn keep(&self, line: &[u8]) {
        let line = String::from_utf8_lossy(line).trim_end().to_owned();
        if let Some(remark) = line.strip_prefix(MARK) {
            let mut remarks = self.remarks.lock().unwrap_or_else(PoisonError::into_inner);
            // There are few; an engine that says the same says it of itself.
            if remarks.len() < LINES_KEPT {
                remarks.push(remark.to_owned());
            }
            return;
        }
        let mut lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        lines.push_back(line);
        if lines.len() > LINES_KEPT {
            lines.pop_front();
        }
    }

    /// What the supervisor of the engine said; it is not given twice.
    pub(super) fn take_remarks(&self) -> Vec<String> {
        std::mem::take(&mut *self.remarks.lock().unwrap_or_else(PoisonError::into_inner))
    }

    pub(super) fn last_words(&self) -> String {
        let lines = self.lines.lock().unwrap_or_else(PoisonError::into_inner);
        let reported: Vec<&str> =
            lines.iter().rev().filter(|line| !line.is_empty()).take(LINES_TOLD).map(String::as_str).collect();
        if reported.is_empty() {
            return String::new();
        }
        format!("; its log ends: {}", reported.into_iter().rev().collect::<Vec<_>>().join(" / "))
    }
}

/// Keeps the last lines of a log, however long it is.
pub(super) fn follow_log(errors: ChildStderr, log: &Log) {
    let mut errors = BufReader::new(errors);
    loop {
        let mut line = Vec::new();
        match (&mut errors).take(LINE_KEPT).read_until(b'\n', &mut line) {
            Ok(0) | Err(_) => return,
            Ok(_) => log.keep(&line),
        }
    }
}

/// The beginning of a line, to be quoted.
pub(crate) fn shortened(line: &str) -> String {
    const MOST: usize = 120;
    let line = line.trim_end();
    match line.char_indices().nth(MOST) {
        Some((at, _)) => format!("{}...", &line[..at]),
        None => line.to_owned(),
    }
}
