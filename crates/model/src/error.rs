//! How an engine can refuse or fail.

/// A refusal or a failure of an engine under test. It costs its own trial and no other.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum EngineError {
    /// The engine says that it lacks a feature: the verdict is `unsupported`, not `fail`.
    #[error("the engine does not support {feature}")]
    Unsupported {
        /// The missing feature.
        feature: String,
    },
    /// The world cannot be built.
    #[error("the engine cannot build this world: {why}")]
    BadWorld {
        /// What is wrong with it.
        why: String,
    },
    /// What the scene asks the bench to do cannot be done: a force without a value. No fault of the engine.
    #[error("the scene cannot go on: {why}")]
    BadScene {
        /// What is wrong with it.
        why: String,
    },
    /// No engine of this name.
    #[error("no engine called `{found}`{}", did_you_mean(.nearest.as_deref()))]
    UnknownEngine {
        /// What was asked for.
        found: String,
        /// The nearest known name.
        nearest: Option<String>,
    },
    /// The engine has no such option.
    #[error("engine `{engine}` has no option `{found}`{}; it has: {}", did_you_mean(.nearest.as_deref()), .known.join(", "))]
    UnknownOption {
        /// Name of the engine.
        engine: String,
        /// What was asked for.
        found: String,
        /// The nearest known option.
        nearest: Option<String>,
        /// All options.
        known: Vec<String>,
    },
    /// An option was given a value it cannot take.
    #[error("option `{option}` cannot be `{found}`: expected {expected}")]
    BadValue {
        /// Name of the option.
        option: String,
        /// The value found.
        found: String,
        /// What would have been right.
        expected: String,
    },
    /// `advance` came before `build`.
    #[error("the engine was asked to advance before a world was built")]
    NothingBuilt,
    /// An answer that no sound engine gives.
    #[error("the engine gave a bad answer: {why}")]
    BadAnswer {
        /// What is wrong with it.
        why: String,
    },
    /// The engine crashed.
    #[error("the engine crashed: {why}")]
    Crashed {
        /// Its last words.
        why: String,
    },
    /// The engine did not answer in time.
    #[error("the engine hung: {why}")]
    Hung {
        /// What it was asked, and its last words.
        why: String,
    },
}

impl EngineError {
    /// The same with what the engine was doing when it crashed or hung.
    #[must_use]
    pub fn during(self, what: &str) -> EngineError {
        match self {
            EngineError::Crashed { why } => EngineError::Crashed { why: format!("{what}: {why}") },
            EngineError::Hung { why } => EngineError::Hung { why: format!("{what}: {why}") },
            other => other,
        }
    }
}

fn did_you_mean(nearest: Option<&str>) -> String {
    nearest.map_or_else(String::new, |name| format!(" (did you mean `{name}`?)"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_crash_and_a_hang_say_during_what_and_nothing_else_changes() {
        let crash = EngineError::Crashed { why: "bang".into() }.during("in step 3");
        assert_eq!(crash.to_string(), "the engine crashed: in step 3: bang");
        let hang = EngineError::Hung { why: "silence".into() }.during("in steps 3 to 9");
        assert_eq!(hang.to_string(), "the engine hung: in steps 3 to 9: silence");
        assert_eq!(EngineError::NothingBuilt.during("in step 3"), EngineError::NothingBuilt);
    }

    #[test]
    fn unknown_names_come_with_the_nearest_and_what_there_is() {
        let error = EngineError::UnknownOption {
            engine: "winch".into(),
            found: "pases".into(),
            nearest: Some("passes".into()),
            known: vec!["passes".into(), "slop".into()],
        };
        assert_eq!(
            error.to_string(),
            "engine `winch` has no option `pases` (did you mean `passes`?); it has: passes, slop"
        );
        let error = EngineError::UnknownEngine { found: "winch".into(), nearest: None };
        assert_eq!(error.to_string(), "no engine called `winch`");
    }
}
