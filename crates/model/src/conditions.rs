//! The conditions of a trial.

use serde::Serialize;

/// A step length together with the text the user wrote for it, so that `1/60` is shown as `1/60`.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Timestep {
    /// As typed: `1/60` or `0.01`.
    pub text: String,
    /// Length of a step, s.
    pub seconds: f64,
}

/// Why a text is no step length.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("`{text}` is no step length: {why}")]
pub struct TimestepError {
    /// What was typed.
    pub text: String,
    /// What is wrong with it.
    pub why: &'static str,
}

impl std::str::FromStr for Timestep {
    type Err = TimestepError;

    /// Reads `0.01` or a fraction such as `1/60`.
    ///
    /// # Errors
    /// When the text is no number or fraction, or the value is not positive and finite.
    fn from_str(text: &str) -> Result<Self, TimestepError> {
        let fault = |why| TimestepError { text: text.to_owned(), why };
        let number = |part: &str| part.trim().parse::<f64>().map_err(|_| fault("write seconds, such as 0.01 or 1/60"));
        let seconds = match text.split_once('/') {
            Some((over, under)) => number(over)? / number(under)?,
            None => number(text)?,
        };
        if !(seconds.is_finite() && seconds > 0.0) {
            return Err(fault("a step must be longer than nothing and finite"));
        }
        Ok(Timestep { text: text.trim().to_owned(), seconds })
    }
}

/// Everything about a run that is neither the scene nor the engine.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Conditions {
    /// Step length.
    pub dt: Timestep,
    /// Seed of everything random in the scene or the engine.
    pub seed: u64,
    /// Worker threads the engine may use.
    pub threads: usize,
}

impl Conditions {
    /// Conditions with a step length and nothing else unusual: seed 1, one thread.
    pub fn with_dt(dt: Timestep) -> Self {
        Conditions { dt, seed: 1, threads: 1 }
    }

    /// Number of whole steps in `duration` seconds, rounded to the nearest, at least one.
    pub fn steps_in(&self, duration: f64) -> u64 {
        // `as` saturates, and a scene's duration has been checked to be finite and positive.
        ((duration / self.dt.seconds).round() as u64).max(1)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_step_is_read_as_a_number_or_a_fraction() {
        let fraction: Timestep = "1/60".parse().unwrap();
        assert_eq!((fraction.seconds, fraction.text.as_str()), (1.0 / 60.0, "1/60"));
        assert_eq!("0.25".parse::<Timestep>().unwrap().seconds, 0.25);
    }

    #[test]
    fn what_is_no_step_is_refused() {
        for text in ["", "0", "-1/60", "1/0", "abc", "1/60/2", "nan", "inf"] {
            assert!(text.parse::<Timestep>().is_err(), "{text:?} was taken");
        }
    }

    #[test]
    fn steps_cover_the_duration() {
        let conditions = Conditions::with_dt("1/60".parse().unwrap());
        assert_eq!(conditions.steps_in(20.0), 1200);
        assert_eq!(conditions.steps_in(1e-9), 1);
    }
}
