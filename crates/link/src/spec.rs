//! Engines by name.

use crate::guarded::Guarded;
use crate::playback::Playback;
use crate::process_limits::ProcessLimits;
use crate::protocol::{ProcessPool, Program, Remote};
use ironspin_engine::{Builtin, Settings};
use ironspin_model::{Engine, EngineError, SoftMethod, nearest, open_plain};
use sha2::{Digest, Sha256};
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The kinds of engine that can be named.
const KINDS: [&str; 4] = ["builtin", "trace", "cmd", "lib"];

/// An engine as named on the command line, such as `builtin:swept=all,iterations=8`. Checked when it is read, so that
/// a wrong name costs nothing.
#[derive(Clone, Debug)]
pub struct EngineSpec {
    text: String,
    kind: Kind,
    process_limits: ProcessLimits,
    /// Processes of this engine that wait for their next trial, shared by all copies of this name.
    process_pool: Arc<ProcessPool>,
}

impl PartialEq for EngineSpec {
    fn eq(&self, other: &Self) -> bool {
        (&self.text, &self.kind, &self.process_limits) == (&other.text, &other.kind, &other.process_limits)
    }
}

#[derive(Clone, Debug, PartialEq)]
enum Kind {
    Builtin(Box<Settings>),
    Trace(PathBuf),
    Process { program: Program, options: Vec<(String, String)> },
}

impl EngineSpec {
    /// Reads a name.
    ///
    /// # Errors
    /// [`EngineError::UnknownEngine`], [`EngineError::UnknownOption`] and [`EngineError::BadValue`].
    pub fn read(text: &str) -> Result<EngineSpec, EngineError> {
        let (kind, options) = text.split_once(':').unwrap_or((text, ""));
        if kind == "trace" && options.trim().is_empty() {
            return Err(wrong("trace", options, "a recorded trace, such as trace:fall.csv"));
        }
        if kind == "trace" {
            return Ok(EngineSpec::of_trace(Path::new(options)));
        }
        if kind == "cmd" {
            let (words, options) = program(options)?;
            return Ok(EngineSpec::of(text, Kind::Process { program: Program::Words(words), options }));
        }
        if kind == "lib" {
            let (path, options) = with_options(options)?;
            if path.trim().is_empty() {
                return Err(wrong("lib", options_text(text), "a shared library, such as lib:./libengine.so"));
            }
            let program = Program::Library(PathBuf::from(path.trim()));
            return Ok(EngineSpec::of(text, Kind::Process { program, options }));
        }
        if kind != "builtin" {
            return Err(EngineError::UnknownEngine {
                found: kind.to_owned(),
                nearest: nearest(kind, KINDS).map(str::to_owned),
            });
        }
        let pairs = options.split(',').filter(|pair| !pair.is_empty()).map(|pair| {
            let (name, value) = pair.split_once('=').unwrap_or((pair, ""));
            (name.trim(), value.trim())
        });
        Ok(EngineSpec::of(text, Kind::Builtin(Box::new(Settings::read(pairs)?))))
    }

    fn of(text: &str, kind: Kind) -> EngineSpec {
        EngineSpec {
            text: text.to_owned(),
            kind,
            process_limits: ProcessLimits::default(),
            process_pool: Arc::default(),
        }
    }

    /// The same engine, under other process limits.
    #[must_use]
    pub fn on(self, process_limits: &ProcessLimits) -> EngineSpec {
        EngineSpec { process_limits: process_limits.clone(), process_pool: Arc::default(), ..self }
    }

    /// The same engine with more options, as `name=value,name=value`; the last of a name counts.
    ///
    /// # Errors
    /// As [`EngineSpec::read`].
    pub fn with_options(&self, options: &str) -> Result<EngineSpec, EngineError> {
        if options.is_empty() {
            return Ok(self.clone());
        }
        let has_options = match &self.kind {
            Kind::Builtin(_) => self.text.contains(':'),
            _ => self.text.contains(" :: "),
        };
        let between = match (&self.kind, has_options) {
            (_, true) => ",",
            (Kind::Builtin(_), false) => ":",
            (_, false) => " :: ",
        };
        Ok(EngineSpec::read(&format!("{}{between}{options}", self.text))?.on(&self.process_limits))
    }

    /// Whether it lives in a process of its own.
    pub fn is_foreign(&self) -> bool {
        matches!(self.kind, Kind::Process { .. })
    }

    /// How it moves soft bodies; of a foreign engine nothing is known, and it is taken for the built-in one as it is set from the start.
    pub fn soft_method(&self) -> SoftMethod {
        match &self.kind {
            Kind::Builtin(settings) => settings.soft_method(),
            _ => SoftMethod::default(),
        }
    }

    /// How it is kept.
    pub fn process_limits(&self) -> &ProcessLimits {
        &self.process_limits
    }

    /// Ends its processes that wait for their next trial; what was noticed about any of its processes beside their answers, such as
    /// another version or processes left behind, each told once.
    pub fn close(&self) -> Vec<String> {
        self.process_pool.close()
    }

    /// A recorded trace in the place of an engine, as `trace:FILE` names it.
    pub fn of_trace(path: &Path) -> EngineSpec {
        EngineSpec::of(&format!("trace:{}", path.display()), Kind::Trace(path.to_owned()))
    }

    /// The name as it was typed.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// What the engine is known by, so that results of another one are not taken for its own: the version of the built-in one, the
    /// SHA-256 of the file of a trace (`unread` when it cannot be read).
    pub fn fingerprint(&self) -> String {
        match &self.kind {
            Kind::Builtin(_) => format!("builtin {}", env!("CARGO_PKG_VERSION")),
            Kind::Trace(path) => hash_of(path).unwrap_or_else(|_| "unread".to_owned()),
            Kind::Process { program: Program::Library(path), .. } => {
                hash_of(path).unwrap_or_else(|_| "unread".to_owned())
            }
            // What a program found by name is may change unseen; what is named by its path is known by its file.
            Kind::Process { program: Program::Words(words), .. } => {
                let known: Vec<String> = words.iter().filter_map(|word| hash_of(Path::new(word)).ok()).collect();
                if known.is_empty() { "unread".to_owned() } else { known.join(" ") }
            }
        }
    }

    /// Starts the engine, or takes a process of it that has finished another trial.
    ///
    /// # Errors
    /// When it cannot be started.
    pub fn start(&self) -> Result<Box<dyn Engine>, EngineError> {
        self.begin(false).map(|(engine, _)| engine)
    }

    /// As [`EngineSpec::start`]; always a new process when `fresh` is asked for. Also gives back whether it is one that has been used before.
    ///
    /// # Errors
    /// When it cannot be started.
    pub fn begin(&self, fresh: bool) -> Result<(Box<dyn Engine>, bool), EngineError> {
        let mut used = false;
        let engine: Box<dyn Engine> = match &self.kind {
            Kind::Builtin(settings) => Box::new(Builtin::new((**settings).clone())),
            Kind::Trace(path) => Box::new(Playback::open(path)?),
            Kind::Process { program, options } => {
                let (remote, rested) =
                    Remote::start(program, options, &self.process_limits, &self.process_pool, fresh)?;
                used = rested;
                Box::new(remote)
            }
        };
        Ok((Box::new(Guarded::new(engine)), used))
    }

    /// The program that answers the plain protocol for this engine, and its options.
    ///
    /// # Errors
    /// For a trace, and where this program is needed and not known.
    pub(crate) fn examined(&self) -> Result<(Program, Options), EngineError> {
        let own = |words: &[&str]| {
            let program = self.process_limits.program.as_ref();
            let program = program.ok_or_else(|| wrong("engine", &self.text, "the program `ironspin` around it"))?;
            let words = words.iter().map(|&word| word.to_owned());
            Ok(Program::Words([program.display().to_string()].into_iter().chain(words).collect()))
        };
        match &self.kind {
            Kind::Builtin(settings) => {
                let options = settings.list().into_iter().map(|option| (option.name, option.value)).collect();
                Ok((own(&["serve-engine"])?, options))
            }
            Kind::Trace(_) => Err(wrong(
                "engine",
                &self.text,
                "an engine that can be asked; a trace is held against a scene by `judge`",
            )),
            Kind::Process { program: Program::Library(path), options } => {
                Ok((own(&["serve-library", "--plain", &path.display().to_string()])?, options.clone()))
            }
            Kind::Process { program, options } => Ok((program.clone(), options.clone())),
        }
    }
}

fn options_text(text: &str) -> &str {
    text.split_once(':').map_or("", |(_, options)| options)
}

fn wrong(kind: &str, found: &str, expected: &str) -> EngineError {
    EngineError::BadValue { option: kind.to_owned(), found: found.to_owned(), expected: expected.to_owned() }
}

/// Options as pairs of name and value.
type Options = Vec<(String, String)>;

/// Takes `:: name=value,name=value` from the end of a name.
fn with_options(reported: &str) -> Result<(&str, Options), EngineError> {
    let (line, options) = reported.split_once(" :: ").unwrap_or((reported, ""));
    let pairs = options.split(',').filter(|pair| !pair.trim().is_empty()).map(|pair| {
        let (name, value) =
            pair.split_once('=').ok_or_else(|| wrong("options", pair, "options as name=value after ` :: `"))?;
        Ok((name.trim().to_owned(), value.trim().to_owned()))
    });
    Ok((line, pairs.collect::<Result<_, EngineError>>()?))
}

/// Reads `PROGRAM ARGUMENTS :: name=value,name=value`; quotes keep blanks together.
fn program(reported: &str) -> Result<(Vec<String>, Options), EngineError> {
    let (line, options) = with_options(reported)?;
    let mut words: Vec<String> = Vec::new();
    let (mut quote, mut open) = (None, false);
    for c in line.chars() {
        match quote {
            Some(mark) if c == mark => quote = None,
            None if c == '"' || c == '\'' => {
                quote = Some(c);
                if !open {
                    words.push(String::new());
                    open = true;
                }
            }
            None if c.is_whitespace() => open = false,
            _ => {
                if !open {
                    words.push(String::new());
                    open = true;
                }
                if let Some(word) = words.last_mut() {
                    word.push(c);
                }
            }
        }
    }
    if quote.is_some() {
        return Err(wrong("cmd", reported, "quotes in pairs"));
    }
    if words.first().is_none_or(String::is_empty) {
        return Err(wrong("cmd", reported, "a program, such as cmd:./engine --flag"));
    }
    Ok((words, options))
}

/// SHA-256 of a file in hexadecimal digits.
///
/// # Errors
/// When it cannot be read.
pub fn hash_of(path: &Path) -> std::io::Result<String> {
    let mut hasher = Sha256::new();
    let mut file = open_plain(path)?;
    let mut piece = [0; 1 << 16];
    loop {
        let count = file.read(&mut piece)?;
        if count == 0 {
            return Ok(hasher.finalize().iter().map(|byte| format!("{byte:02x}")).collect());
        }
        hasher.update(&piece[..count]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_read_with_their_options() {
        let spec = EngineSpec::read("builtin:swept=all, iterations=8").unwrap();
        let engine = spec.start().unwrap();
        let value = |name: &str| engine.info().options.into_iter().find(|option| option.name == name).unwrap().value;
        assert_eq!((value("swept").as_str(), value("iterations").as_str()), ("all", "8"));
        assert_eq!(spec.text(), "builtin:swept=all, iterations=8");
    }

    #[test]
    fn slips_are_told_with_the_nearest_name() {
        let message = |text: &str| EngineSpec::read(text).unwrap_err().to_string();
        assert_eq!(message("bultin"), "no engine called `bultin` (did you mean `builtin`?)");
        assert!(message("builtin:sweep=all").contains("no option `sweep`"));
        assert!(message("builtin:swept=some").contains("expected off, marked or all"));
    }
}
