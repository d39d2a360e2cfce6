//! What a trial of a scene will need, as far as that can be told without running it.

use crate::order::STEP_LIMIT;
use ironspin_model::{Conditions, Timestep};
use ironspin_scene::Setup;

/// Time that a body takes in a step with its contacts, its joints and the gauges, s: of heaps and stacks of a thousand to a hundred thousand
/// boxes in the built-in engine, 3 to 10 millionths of a second.
const A_BODY_A_STEP: f64 = 5e-6;
/// Time that a force takes before each step for a body or a pair of bodies, s.
const A_PULL: f64 = 5e-7;
/// Memory of the program, and of a body with its contacts, its gauges and what is kept of its motion, bytes; from the same heaps.
const PROGRAM: f64 = 15e6;
const A_BODY: f64 = 5_000.0;
/// Of a scripted action, bytes.
const AN_ACTION: f64 = 120.0;

/// What a trial of a scene will need.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Needs {
    /// Bodies, and nodes of soft bodies.
    pub bodies: usize,
    /// Steps.
    pub steps: f64,
    /// Memory, bytes; a guess.
    pub bytes: f64,
    /// Time on the built-in engine, s; a guess, good to a factor of three.
    pub seconds: f64,
}

impl Needs {
    /// Of one trial with such steps.
    pub fn of(setup: &Setup, dt: &Timestep) -> Needs {
        let bodies = setup.world.bodies.len();
        let rough = setup.world.duration / dt.seconds;
        // Of too many there is no schedule.
        let steps = match rough < STEP_LIMIT as f64 {
            true => Conditions::with_dt(dt.clone()).schedule(setup.world.duration).count() as f64,
            false => rough.ceil(),
        };
        let pulls: usize = setup.forces.iter().map(|force| force.pairs.len()).sum();
        Needs {
            bodies,
            steps,
            bytes: PROGRAM + A_BODY * bodies as f64 + AN_ACTION * setup.world.actions.len() as f64,
            seconds: steps * (A_BODY_A_STEP * bodies as f64 + A_PULL * pulls as f64),
        }
    }

    /// Whether a trial is refused for its length, unless it is allowed to be longer.
    pub fn is_too_long(&self) -> bool {
        self.steps > STEP_LIMIT as f64
    }

    /// The same in words, such as `158 steps, some 15 MB, under 0.1 s`.
    pub fn words(&self) -> String {
        let steps = if self.steps == 1.0 { "1 step".to_owned() } else { format!("{} steps", self.steps) };
        let steps = if self.steps < 1e15 { steps } else { format!("{:.1e} steps", self.steps) };
        let memory = match self.bytes / 1e6 {
            megabytes if megabytes < 1000.0 => format!("some {megabytes:.0} MB"),
            megabytes => format!("some {:.1} GB", megabytes / 1e3),
        };
        let time = match self.seconds {
            seconds if seconds < 0.1 => "under 0.1 s".to_owned(),
            seconds if seconds < 10.0 => format!("some {seconds:.1} s"),
            seconds if seconds < 600.0 => format!("some {seconds:.0} s"),
            seconds if seconds < 36_000.0 => format!("some {:.0} min", seconds / 60.0),
            seconds if seconds < 3.6e6 => format!("some {:.0} h", seconds / 3600.0),
            _ => "longer than a month".to_owned(),
        };
        format!("{steps}, {memory}, {time}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn needs_are_told_in_words_of_every_size() {
        let of = |bodies: f64, steps: f64| Needs {
            bodies: bodies as usize,
            steps,
            bytes: PROGRAM + A_BODY * bodies,
            seconds: A_BODY_A_STEP * steps * bodies,
        };
        assert_eq!(of(2.0, 158.0).words(), "158 steps, some 15 MB, under 0.1 s");
        assert_eq!(of(1_000.0, 600.0).words(), "600 steps, some 20 MB, some 3.0 s");
        assert_eq!(of(200_000.0, 3_600.0).words(), "3600 steps, some 1.0 GB, some 60 min");
        assert_eq!(of(1.0, 1e300).words(), "1.0e300 steps, some 15 MB, longer than a month");
        assert!(of(1.0, 1e300).is_too_long() && !of(1.0, 1.0).is_too_long());
    }
}
