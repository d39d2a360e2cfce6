//! The conditions of a trial.

use crate::clock::{Clock, Schedule};
use crate::factor::{Factor, Origin, Timestep};
use serde::Serialize;

/// Most threads that an engine is allowed.
pub const THREAD_LIMIT: usize = 256;

/// Everything about a run that is neither the scene nor the engine.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Conditions {
    /// Step length, in the engine's own time.
    pub dt: Timestep,
    /// How steps come out of frame times.
    pub clock: Clock,
    /// The same world in another length unit: every length, speed and gravity times this. Nothing may change.
    pub units: Factor,
    /// The world this many times as big under the same gravity: times grow with its square root, masses with its square.
    pub size: Factor,
    /// The whole world moved to here, m of the scene.
    pub origin: Origin,
    /// Seed of everything random in the scene, the clock or the engine.
    pub seed: u64,
    /// Worker threads the engine may use.
    pub threads: usize,
    /// Which of several equal runs it is, counted from 1.
    pub repeat: u32,
}

impl Conditions {
    /// Conditions with a step length and nothing else unusual: a fixed clock, the scene's own units, size and origin, seed 1, one
    /// thread, run once.
    pub fn with_dt(dt: Timestep) -> Self {
        Conditions {
            dt,
            clock: Clock::default(),
            units: Factor::one(),
            size: Factor::one(),
            origin: Origin::default(),
            seed: 1,
            threads: 1,
            repeat: 1,
        }
    }

    /// Times of the scene in a second of the engine: a world of another size runs slower by the root of it.
    pub fn slowness(&self) -> f64 {
        // The root of exactly 1 is exactly 1, so that ordinary trials are untouched.
        self.size.value.sqrt()
    }

    /// Length of a step in the scene's own time, s: what claims know as `dt`. With a raw clock it is the frame time.
    pub fn scene_dt(&self) -> f64 {
        self.clock.step(self.dt.seconds) / self.slowness()
    }

    /// The steps for `duration` seconds of the scene, in the scene's own time.
    pub fn schedule(&self, duration: f64) -> Schedule {
        self.clock.schedule(self.dt.seconds, duration * self.slowness(), self.seed).scaled(1.0 / self.slowness())
    }

    /// About how many steps, and frames of the clock, a duration of the scene takes, without laying them out.
    pub fn size_of_schedule(&self, duration: f64) -> f64 {
        self.clock.size(self.dt.seconds, duration * self.slowness())
    }

    /// Whether the engine gets the world just as the scene has it.
    pub fn is_plain_world(&self) -> bool {
        self.units.value == 1.0 && self.size.value == 1.0 && self.origin.is_nowhere()
    }

    /// What is unusual, as the command line writes it: option and value, in a fixed order, without the step.
    pub fn unusual(&self) -> Vec<(&'static str, String)> {
        let mut reported = Vec::new();
        if !self.clock.is_plain() {
            reported.push(("clock", self.clock.kind.to_string()));
            if self.clock.uneven {
                reported.push(("frames", "uneven".to_owned()));
            }
            if let Some(stall) = self.clock.stall {
                reported.push(("stall", stall.to_string()));
            }
        }
        if self.units.value != 1.0 {
            reported.push(("units", self.units.text.clone()));
        }
        if self.size.value != 1.0 {
            reported.push(("size", self.size.text.clone()));
        }
        if !self.origin.is_nowhere() {
            reported.push(("origin", self.origin.text.clone()));
        }
        if self.seed != 1 {
            reported.push(("seed", self.seed.to_string()));
        }
        if self.threads != 1 {
            reported.push(("threads", self.threads.to_string()));
        }
        reported
    }

    /// All that is unusual in one line, such as `units 1/1024, threads 2`; empty for ordinary conditions.
    pub fn unusual_text(&self) -> String {
        let reported = self.unusual();
        reported.iter().map(|(name, value)| format!("{name} {value}")).collect::<Vec<_>>().join(", ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn with(size: &str, clock: &str) -> Conditions {
        Conditions {
            size: size.parse().unwrap(),
            clock: Clock { kind: clock.parse().unwrap(), ..Clock::default() },
            ..Conditions::with_dt("1/60".parse().unwrap())
        }
    }

    #[test]
    fn steps_cover_the_duration() {
        let conditions = with("1", "fixed");
        assert_eq!(conditions.schedule(20.0).count(), 1200);
        assert_eq!(conditions.schedule(1e-9).count(), 1);
        assert_eq!(conditions.schedule(20.0).length(7), 1.0 / 60.0);
    }

    #[test]
    fn a_world_four_times_as_big_takes_twice_as_long_in_as_many_more_steps() {
        let conditions = with("4", "fixed");
        assert_eq!(conditions.scene_dt(), 1.0 / 120.0);
        let schedule = conditions.schedule(1.0);
        assert_eq!((schedule.count(), schedule.length(0)), (120, 1.0 / 120.0));
        assert_eq!(conditions.unusual_text(), "size 4");
    }

    #[test]
    fn a_raw_clock_makes_the_picture_the_step() {
        assert_eq!(with("1", "raw:30").scene_dt(), 1.0 / 30.0);
        assert_eq!(with("1", "bank:30").scene_dt(), 1.0 / 60.0);
    }

    #[test]
    fn all_that_is_unusual_is_told_in_a_fixed_order_as_it_was_typed() {
        assert_eq!(with("1", "fixed").unusual(), []);
        let strange = Conditions {
            clock: Clock { kind: "raw:30".parse().unwrap(), uneven: true, stall: Some("0.4@1".parse().unwrap()) },
            units: "2^-10".parse().unwrap(),
            origin: "1e6:-2".parse().unwrap(),
            seed: 7,
            threads: 2,
            repeat: 3,
            ..with("4", "fixed")
        };
        assert_eq!(
            strange.unusual_text(),
            "clock raw:30, frames uneven, stall 0.4@1, units 2^-10, size 4, origin 1e6:-2, seed 7, threads 2"
        );
        assert!(!strange.is_plain_world() && with("1", "raw:30").is_plain_world());
    }

    #[test]
    fn a_step_longer_than_the_scene_is_one_step() {
        for clock in ["fixed", "raw:1"] {
            let conditions = Conditions { dt: "10".parse().unwrap(), ..with("1", clock) };
            assert_eq!(conditions.schedule(0.25).count(), 1, "{clock}");
        }
    }
}
