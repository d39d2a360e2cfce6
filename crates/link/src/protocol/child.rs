//! An engine's process: started, talked to line by line within time limits, its last words kept, never left behind.

use ironspin_model::EngineError;
use std::collections::VecDeque;
use std::io::{BufRead, BufReader, Read, Write};
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// Longest line of an answer, bytes.
const LONGEST_LINE: u64 = 1 << 30;
/// Lines of its log that are kept, and bytes of each.
const LINES_KEPT: usize = 12;
const LINE_KEPT: usize = 400;
/// Lines told when it fails.
const LINES_TOLD: usize = 3;
/// Time for a line that is on its way when the process has gone.
const LAST_LINE: Duration = Duration::from_millis(200);
/// Time to end after `close`.
const TO_END: Duration = Duration::from_millis(500);

pub(super) struct Process {
    child: Child,
    input: Option<ChildStdin>,
    lines: Receiver<Result<String, String>>,
    log: Arc<Mutex<VecDeque<String>>>,
}

impl Process {
    pub(super) fn start(program: &str, arguments: &[String]) -> Result<Process, EngineError> {
        let mut child = Command::new(program)
            .args(arguments)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .map_err(|error| EngineError::Crashed { why: format!("`{program}` cannot be started: {error}") })?;
        let gone = || EngineError::Crashed { why: "a process without streams".to_owned() };
        let input = child.stdin.take().ok_or_else(gone)?;
        let output = child.stdout.take().ok_or_else(gone)?;
        let errors = child.stderr.take().ok_or_else(gone)?;
        // One line ahead at most, so that an engine that talks without end fills no memory.
        let (send, lines) = sync_channel(1);
        std::thread::spawn(move || {
            let mut output = BufReader::with_capacity(1 << 18, output);
            loop {
                let mut line = String::new();
                let read = (&mut output).take(LONGEST_LINE).read_line(&mut line);
                let told = match read {
                    Ok(0) => return,
                    Ok(_) if !line.ends_with('\n') => Err(format!("half a line: `{}`", shortened(&line))),
                    Ok(_) => Ok(line),
                    Err(error) => Err(error.to_string()),
                };
                let ends = told.is_err();
                if send.send(told).is_err() || ends {
                    return;
                }
            }
        });
        let log = Arc::new(Mutex::new(VecDeque::new()));
        let kept = Arc::clone(&log);
        std::thread::spawn(move || {
            let mut errors = BufReader::new(errors);
            loop {
                let mut line = Vec::new();
                match (&mut errors).take(LINE_KEPT as u64).read_until(b'\n', &mut line) {
                    Ok(0) | Err(_) => return,
                    Ok(_) => {
                        let mut log = kept.lock().unwrap_or_else(PoisonError::into_inner);
                        log.push_back(String::from_utf8_lossy(&line).trim_end().to_owned());
                        if log.len() > LINES_KEPT {
                            log.pop_front();
                        }
                    }
                }
            }
        });
        Ok(Process { child, input: Some(input), lines, log })
    }

    /// Sends a line and waits for one.
    pub(super) fn ask(&mut self, line: &str, limit: Duration) -> Result<String, EngineError> {
        let written = match &mut self.input {
            Some(input) => {
                input.write_all(line.as_bytes()).and_then(|()| input.write_all(b"\n")).and_then(|()| input.flush())
            }
            None => Err(std::io::Error::other("it was closed")),
        };
        if let Err(error) = written {
            // What it said before it went says more than that it went.
            return match self.lines.recv_timeout(LAST_LINE) {
                Ok(Ok(answer)) => Ok(answer),
                Ok(Err(why)) => Err(self.ended(&why)),
                Err(_) => Err(self.ended(&format!("no answer to {}: it takes no calls ({error})", shortened(line)))),
            };
        }
        match self.lines.recv_timeout(limit) {
            Ok(Ok(answer)) => Ok(answer),
            Ok(Err(why)) => Err(self.ended(&why)),
            Err(RecvTimeoutError::Timeout) => {
                self.kill();
                Err(EngineError::Crashed {
                    why: format!(
                        "no answer in {:.1} s to {}{}",
                        limit.as_secs_f64(),
                        shortened(line),
                        self.last_words()
                    ),
                })
            }
            Err(RecvTimeoutError::Disconnected) => Err(self.ended(&format!("no answer to {}", shortened(line)))),
        }
    }

    /// Why it has ended, with its status and last words.
    fn ended(&mut self, why: &str) -> EngineError {
        self.input = None;
        let status = self.wait().map_or_else(|| "it closed its output".to_owned(), |status| status.to_string());
        self.kill();
        // Its log comes by another thread.
        std::thread::sleep(Duration::from_millis(20));
        EngineError::Crashed { why: format!("{why}; {status}{}", self.last_words()) }
    }

    fn wait(&mut self) -> Option<std::process::ExitStatus> {
        let pause = Duration::from_millis(5);
        for _ in 0..TO_END.as_millis() / pause.as_millis() {
            if let Ok(Some(status)) = self.child.try_wait() {
                return Some(status);
            }
            std::thread::sleep(pause);
        }
        None
    }

    fn kill(&mut self) {
        // It may have ended already.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }

    fn last_words(&self) -> String {
        let log = self.log.lock().unwrap_or_else(PoisonError::into_inner);
        let told: Vec<&str> =
            log.iter().rev().filter(|line| !line.is_empty()).take(LINES_TOLD).map(String::as_str).collect();
        if told.is_empty() {
            return String::new();
        }
        format!("; its log ends: {}", told.into_iter().rev().collect::<Vec<_>>().join(" / "))
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        if let Some(mut input) = self.input.take() {
            let _ = input.write_all(b"{\"jsonrpc\":\"2.0\",\"id\":0,\"method\":\"close\",\"params\":{}}\n");
            drop(input);
            let _ = self.wait();
        }
        self.kill();
    }
}

/// The beginning of a line, to be quoted.
pub(super) fn shortened(line: &str) -> String {
    const MOST: usize = 120;
    let line = line.trim_end();
    match line.char_indices().nth(MOST) {
        Some((at, _)) => format!("{}...", &line[..at]),
        None => line.to_owned(),
    }
}
