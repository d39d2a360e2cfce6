//! Engines by name.

use crate::guarded::Guarded;
use crate::playback::Playback;
use crate::protocol::Remote;
use ironspin_engine::{Builtin, Settings};
use ironspin_model::{Engine, EngineError, nearest};
use sha2::{Digest, Sha256};
use std::io::Read;
use std::path::{Path, PathBuf};

/// The kinds of engine that can be named.
const KINDS: [&str; 3] = ["builtin", "trace", "cmd"];

/// An engine as named on the command line, such as `builtin:swept=all,iterations=8`. Checked when it is read, so that
/// a wrong name costs nothing.
#[derive(Clone, Debug, PartialEq)]
pub struct EngineSpec {
    text: String,
    kind: Kind,
}

#[derive(Clone, Debug, PartialEq)]
enum Kind {
    Builtin(Box<Settings>),
    Trace(PathBuf),
    Program { words: Vec<String>, options: Vec<(String, String)> },
}

impl EngineSpec {
    /// Reads a name.
    ///
    /// # Errors
    /// [`EngineError::UnknownEngine`], [`EngineError::UnknownOption`] and [`EngineError::BadValue`].
    pub fn read(text: &str) -> Result<EngineSpec, EngineError> {
        let (kind, options) = text.split_once(':').unwrap_or((text, ""));
        if kind == "trace" && !options.is_empty() {
            return Ok(EngineSpec::of_trace(Path::new(options)));
        }
        if kind == "cmd" {
            return program(text, options);
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
        Ok(EngineSpec { kind: Kind::Builtin(Box::new(Settings::read(pairs)?)), text: text.to_owned() })
    }

    /// A recorded trace in the place of an engine, as `trace:FILE` names it.
    pub fn of_trace(path: &Path) -> EngineSpec {
        EngineSpec { text: format!("trace:{}", path.display()), kind: Kind::Trace(path.to_owned()) }
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
            // What a program found by name is may change unseen; one named by its path is known by its file.
            Kind::Program { words, .. } => hash_of(Path::new(&words[0])).unwrap_or_else(|_| "unread".to_owned()),
        }
    }

    /// Starts the engine.
    ///
    /// # Errors
    /// When it cannot be started.
    pub fn start(&self) -> Result<Box<dyn Engine>, EngineError> {
        let engine: Box<dyn Engine> = match &self.kind {
            Kind::Builtin(settings) => Box::new(Builtin::new((**settings).clone())),
            Kind::Trace(path) => Box::new(Playback::open(path)?),
            Kind::Program { words, options } => Box::new(Remote::start(&words[0], &words[1..], options)?),
        };
        Ok(Box::new(Guarded::new(engine)))
    }
}

/// Reads `PROGRAM ARGUMENTS :: name=value,name=value`; quotes keep blanks together.
fn program(text: &str, told: &str) -> Result<EngineSpec, EngineError> {
    let (line, options) = told.split_once(" :: ").unwrap_or((told, ""));
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
    let wrong = |expected: &str| {
        Err(EngineError::BadValue { option: "cmd".to_owned(), found: told.to_owned(), expected: expected.to_owned() })
    };
    if quote.is_some() {
        return wrong("quotes in pairs");
    }
    if words.first().is_none_or(String::is_empty) {
        return wrong("a program, such as cmd:./engine --flag");
    }
    let mut pairs = Vec::new();
    for pair in options.split(',').filter(|pair| !pair.trim().is_empty()) {
        match pair.split_once('=') {
            Some((name, value)) => pairs.push((name.trim().to_owned(), value.trim().to_owned())),
            None => return wrong("options as name=value after ` :: `"),
        }
    }
    Ok(EngineSpec { text: text.to_owned(), kind: Kind::Program { words, options: pairs } })
}

fn hash_of(path: &Path) -> std::io::Result<String> {
    let mut hasher = Sha256::new();
    let mut file = std::fs::File::open(path)?;
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
