//! An engine's process: started, talked to line by line within time limits, its last words kept, never left behind.

use super::remarks::Remarks;
use super::shared_memory::Reading;
use super::streams::{InBytes, Log, Longest, Piece, follow_log, read_answers, shortened, write_calls};
#[cfg(unix)]
use crate::control_group::ControlGroup;
use crate::process_limits::{Limits, ProcessLimits};
#[cfg(unix)]
use crate::processes::end_below;
use crate::supervisor::ending;
use ironspin_model::EngineError;
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel, sync_channel};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// Pieces of answers that may wait.
const AHEAD: usize = 4;
/// Time for a line that is on its way when the process has gone.
const LAST_LINE: Duration = Duration::from_millis(200);
/// Time to end after `close`.
const TO_END: Duration = Duration::from_millis(700);
/// Time for what it said last to come through.
const LAST_WORDS: Duration = Duration::from_millis(100);

/// What is started.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Program {
    /// A program with its arguments.
    Words(Vec<String>),
    /// A shared library, loaded by this program in a process of its own.
    Library(std::path::PathBuf),
}

impl Program {
    /// Whether frames come as bytes: at the other end is this program.
    pub(super) fn in_bytes(&self) -> bool {
        matches!(self, Program::Library(_))
    }

    fn command(&self, process_limits: &ProcessLimits, shared: Option<&Reading>) -> Result<Command, EngineError> {
        let words = match (self, &process_limits.program) {
            (Program::Words(words), _) => words.clone(),
            (Program::Library(path), Some(program)) => [program.as_path(), "serve-library".as_ref(), path.as_path()]
                .map(|word| word.display().to_string())
                .to_vec(),
            (Program::Library(_), None) => {
                let why = "a shared library is loaded by the program `ironspin` only".to_owned();
                return Err(EngineError::Crashed { why });
            }
        };
        let mut command = match &process_limits.program {
            Some(supervisor) if cfg!(unix) => {
                let mut command = Command::new(supervisor);
                command.args(["keep-engine", "--bench", &std::process::id().to_string()]);
                if process_limits.limits != Limits::default() {
                    command.args(["--limits", &process_limits.limits.to_string()]);
                }
                command.arg("--").args(&words);
                command
            }
            _ => {
                let mut command = Command::new(&words[0]);
                command.args(&words[1..]);
                command
            }
        };
        if let Some(shared) = shared {
            let number = shared.hand_to(&mut command);
            command.args(["--room", &number]);
        }
        // Ctrl-C is the bench's to answer, and an engine is ended with all that it has started.
        #[cfg(unix)]
        std::os::unix::process::CommandExt::process_group(&mut command, 0);
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
        Ok(command)
    }
}

/// A running process.
pub(crate) struct Process {
    child: Child,
    /// Takes calls; gone when it takes no more.
    calls: Option<Sender<String>>,
    answers: Receiver<Result<Piece, String>>,
    /// Takes back the room of frames.
    empty: Sender<Vec<u8>>,
    log: Log,
    /// Ends with the log.
    follows: Option<JoinHandle<()>>,
    longest: Longest,
    limits: Limits,
    ended: Option<ExitStatus>,
    asked: u64,
    remarks: Remarks,
}

impl Process {
    /// # Errors
    /// When it cannot be started.
    pub(crate) fn start(
        program: &Program,
        process_limits: &ProcessLimits,
        remarks: &Remarks,
    ) -> Result<Process, EngineError> {
        let in_bytes = program.in_bytes();
        let shared = in_bytes.then(Reading::new).flatten();
        let mut child = program
            .command(process_limits, shared.as_ref())?
            .spawn()
            .map_err(|error| EngineError::Crashed { why: format!("it cannot be started: {error}") })?;
        let gone = || EngineError::Crashed { why: "a process without streams".to_owned() };
        let input = child.stdin.take().ok_or_else(gone)?;
        let output = child.stdout.take().ok_or_else(gone)?;
        let errors = child.stderr.take().ok_or_else(gone)?;
        // A few pieces ahead at most, so that an engine that talks without end fills no memory.
        let (send, answers) = sync_channel(AHEAD);
        // Room that was read goes back to be filled again.
        let (back, empty) = channel();
        let frames = in_bytes.then_some(InBytes { shared, empty });
        let longest = Longest::default();
        let bounded = longest.clone();
        std::thread::spawn(move || read_answers(output, frames, &bounded, &send));
        // An engine that reads nothing holds up this thread only.
        let (calls, lines) = channel();
        std::thread::spawn(move || write_calls(input, &lines));
        let log = Log::default();
        let kept = log.clone();
        let follows = std::thread::spawn(move || follow_log(errors, &kept));
        Ok(Process {
            child,
            calls: Some(calls),
            answers,
            empty: back,
            log,
            follows: Some(follows),
            longest,
            limits: process_limits.limits,
            ended: None,
            asked: 0,
            remarks: remarks.clone(),
        })
    }

    /// The number of the next call.
    pub(crate) fn next_call(&mut self) -> u64 {
        self.asked += 1;
        self.asked
    }

    /// The next answers may hold so many frames of so many bodies.
    pub(crate) fn expect_frames(&self, frames: usize, bodies: usize) {
        self.longest.set(frames, bodies);
    }

    /// Sends a line and waits for an answer, handing on the frames that come before it as bytes.
    pub(crate) fn ask(
        &mut self,
        line: String,
        limit: Duration,
        frames: &mut dyn FnMut(&[u8]),
    ) -> Result<String, EngineError> {
        let quoted = shortened(&line);
        let sent = self.calls.as_ref().is_some_and(|calls| calls.send(line).is_ok());
        if !sent {
            // What it said before it went says more than that it went.
            return match self.answers.recv_timeout(LAST_LINE) {
                Ok(Ok(Piece::Line(answer))) => Ok(answer),
                Ok(Err(why)) => Err(self.gone(&why)),
                Ok(Ok(Piece::Frame(_))) | Err(_) => {
                    Err(self.gone(&format!("no answer to {quoted}: it takes no calls")))
                }
            };
        }
        let began = Instant::now();
        let piece = loop {
            match self.answers.recv_timeout(limit.saturating_sub(began.elapsed())) {
                Ok(Ok(Piece::Frame(bytes))) => {
                    frames(&bytes);
                    // The reader may have ended.
                    let _ = self.empty.send(bytes);
                }
                Ok(Ok(Piece::Line(answer))) => return Ok(answer),
                Ok(Err(why)) => break Ok(why),
                Err(error) => break Err(error),
            }
        };
        match piece {
            Ok(why) => Err(self.gone(&why)),
            Err(RecvTimeoutError::Timeout) => {
                self.kill();
                let seconds = limit.as_secs_f64();
                let why = format!("no answer in {seconds:.1} s to {quoted}{}", self.log.last_words());
                Err(EngineError::Hung { why })
            }
            Err(RecvTimeoutError::Disconnected) => Err(self.gone(&format!("no answer to {quoted}"))),
        }
    }

    /// Why it has ended, with its status and last words.
    fn gone(&mut self, why: &str) -> EngineError {
        self.calls = None;
        self.wait();
        let ended = self.ended;
        self.kill();
        self.hear_out();
        let mut remarks = self.log.take_remarks();
        let status = match ended {
            Some(status) => ending(status, &self.limits, &mut remarks),
            None => "it closed its output".to_owned(),
        };
        remarks.into_iter().for_each(|remark| self.remarks.add(remark));
        EngineError::Crashed { why: format!("{why}; {status}{}", self.log.last_words()) }
    }

    fn wait(&mut self) {
        let pause = Duration::from_millis(2);
        for _ in 0..TO_END.as_millis() / pause.as_millis() {
            if self.ended.is_none() {
                self.ended = self.child.try_wait().ok().flatten();
            }
            if self.ended.is_some() {
                return;
            }
            std::thread::sleep(pause);
        }
    }

    /// Whether it ends without being ended.
    pub(crate) fn ends_by_itself(&mut self) -> bool {
        self.calls = None;
        self.wait();
        self.ended.is_some()
    }

    /// Waits until its log has come through, which another thread reads.
    fn hear_out(&mut self) {
        let began = Instant::now();
        while self.follows.as_ref().is_some_and(|follows| !follows.is_finished()) && began.elapsed() < LAST_WORDS {
            std::thread::sleep(Duration::from_millis(1));
        }
    }

    /// Ends it, with all that it has started.
    fn kill(&mut self) {
        #[cfg(unix)]
        if let (None, Ok(leader)) = (self.ended, i32::try_from(self.child.id())) {
            // What has left its group is found as long as its supervisor lives.
            let below = end_below(leader);
            let apart = below.values().filter(|seen| seen.group != leader).count();
            if apart > 0 {
                self.remarks.add(format!("it had started processes in groups apart ({apart}); ended"));
            }
        }
        #[cfg(unix)]
        if let Ok(leader) = i32::try_from(self.child.id()) {
            // The group may be empty already.
            let _ = nix::sys::signal::killpg(nix::unistd::Pid::from_raw(leader), nix::sys::signal::Signal::SIGKILL);
        }
        let _ = self.child.kill();
        self.ended = self.ended.or(self.child.wait().ok());
        #[cfg(unix)]
        ControlGroup::end_of(self.child.id());
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        if let Some(calls) = self.calls.take()
            && self.ended.is_none()
        {
            // The thread that writes it closes the input afterwards.
            let _ = calls.send("{\"jsonrpc\":\"2.0\",\"id\":0,\"method\":\"close\",\"params\":{}}".to_owned());
            drop(calls);
            self.wait();
        }
        self.kill();
        self.hear_out();
        self.log.take_remarks().into_iter().for_each(|remark| self.remarks.add(remark));
    }
}
