//! How steps come out of frame times: a program draws frames, and the physics must keep up with them.

use serde::Serialize;
use std::fmt;
use std::str::FromStr;

/// Most steps of a trial whose lengths differ.
const MOST_STEPS: u64 = 50_000_000;

/// A clock.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Clock {
    /// What becomes of the frame time.
    pub kind: ClockKind,
    /// Frame times differ: each is its even time multiplied by something between 0.5 and 1.5, by the seed.
    pub uneven: bool,
    /// One frame takes longer.
    pub stall: Option<Stall>,
}

/// What becomes of the frame time.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum ClockKind {
    /// Steps of a fixed length, whatever the frame times are.
    #[default]
    Fixed,
    /// Each frame time is handed to the engine as it comes; frames per second.
    Raw(f64),
    /// Frame time is banked and paid out in steps of a fixed length; frames per second.
    Bank(f64),
}

/// A frame that takes longer.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Stall {
    /// How long it takes, s.
    pub seconds: f64,
    /// It is the first frame that begins at or after this time, s.
    pub at: f64,
}

/// Why a text is no clock or stall.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("`{text}` is no {what}: write {how}")]
pub struct ClockError {
    text: String,
    what: &'static str,
    how: &'static str,
}

impl FromStr for ClockKind {
    type Err = ClockError;

    /// Reads `fixed`, `raw:60` or `bank:60`.
    ///
    /// # Errors
    /// For anything else.
    fn from_str(text: &str) -> Result<Self, ClockError> {
        let wrong =
            || ClockError { text: text.to_owned(), what: "clock", how: "fixed, raw:FPS or bank:FPS, such as raw:60" };
        let rate = |text: &str| match text.trim().parse::<f64>() {
            Ok(rate) if rate > 0.0 && rate.is_finite() => Ok(rate),
            _ => Err(wrong()),
        };
        match text.trim().split_once(':') {
            None if text.trim() == "fixed" => Ok(ClockKind::Fixed),
            Some(("raw", fps)) => Ok(ClockKind::Raw(rate(fps)?)),
            Some(("bank", fps)) => Ok(ClockKind::Bank(rate(fps)?)),
            _ => Err(wrong()),
        }
    }
}

impl fmt::Display for ClockKind {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ClockKind::Fixed => out.write_str("fixed"),
            ClockKind::Raw(fps) => write!(out, "raw:{fps}"),
            ClockKind::Bank(fps) => write!(out, "bank:{fps}"),
        }
    }
}

impl FromStr for Stall {
    type Err = ClockError;

    /// Reads `0.4@2.0`: a frame of 0.4 s at 2 s.
    ///
    /// # Errors
    /// For anything else.
    fn from_str(text: &str) -> Result<Self, ClockError> {
        let wrong = || ClockError { text: text.to_owned(), what: "stall", how: "SECONDS@TIME, such as 0.4@2.0" };
        let (seconds, at) = text.split_once('@').ok_or_else(wrong)?;
        let part = |text: &str| text.trim().parse::<f64>().ok().filter(|value| value.is_finite());
        match (part(seconds), part(at)) {
            (Some(seconds), Some(at)) if seconds > 0.0 && at >= 0.0 => Ok(Stall { seconds, at }),
            _ => Err(wrong()),
        }
    }
}

impl fmt::Display for Stall {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{}@{}", self.seconds, self.at)
    }
}

impl Clock {
    /// Whether steps are of a fixed length and nothing groups them.
    pub fn is_plain(&self) -> bool {
        self.kind == ClockKind::Fixed
    }

    /// Length of an ordinary step for a step of `dt`.
    pub fn step(&self, dt: f64) -> f64 {
        match self.kind {
            ClockKind::Raw(fps) => 1.0 / fps,
            _ => dt,
        }
    }

    /// About how many steps and frames of its own a duration will take, without laying them out: what a budget is held against.
    pub fn size(&self, dt: f64, duration: f64) -> f64 {
        // An uneven frame takes half of the even time at least.
        let frames = |fps: f64| duration * fps * if self.uneven { 2.0 } else { 1.0 };
        let stalled = self.stall.map_or(0.0, |stall| stall.seconds);
        match self.kind {
            ClockKind::Fixed => duration / dt,
            ClockKind::Raw(fps) => frames(fps),
            // The last frame may be longer than all before it.
            ClockKind::Bank(fps) => frames(fps) + (duration + stalled + 1.0 / fps) / dt,
        }
    }

    /// The steps of length `dt` (or of the frames) that cover `duration`, all in s.
    pub fn schedule(&self, dt: f64, duration: f64, seed: u64) -> Schedule {
        // `as` saturates, and a scene's duration has been checked to be finite and positive.
        let even = |step: f64| ((duration / step).round() as u64).max(1);
        match self.kind {
            ClockKind::Fixed => Schedule { step: dt, count: even(dt), list: Vec::new(), calls: Vec::new() },
            ClockKind::Raw(fps) if !self.uneven && self.stall.is_none() => {
                Schedule { step: 1.0 / fps, count: even(1.0 / fps), list: Vec::new(), calls: Vec::new() }
            }
            ClockKind::Raw(fps) => {
                let list = self.frame_times(fps, duration, seed);
                Schedule { step: 1.0 / fps, count: list.len() as u64, list, calls: Vec::new() }
            }
            ClockKind::Bank(fps) => {
                let mut saved = 0.0;
                let pay = |picture: f64| {
                    saved += picture;
                    // A rounding error of the sum must not hold back a step that is due.
                    let steps = (saved / dt + 1e-9).floor().max(0.0);
                    saved -= steps * dt;
                    steps as u32
                };
                let calls: Vec<u32> = self.frame_times(fps, duration, seed).into_iter().map(pay).collect();
                let count = calls.iter().map(|&steps| u64::from(steps)).sum::<u64>();
                Schedule { step: dt, count, list: Vec::new(), calls }
            }
        }
    }

    /// Frame times that together cover a duration.
    fn frame_times(&self, fps: f64, duration: f64, seed: u64) -> Vec<f64> {
        let mut times = Vec::new();
        let mut time = 0.0;
        let mut stalled = false;
        while time < duration * (1.0 - 1e-9) && (times.len() as u64) < MOST_STEPS {
            let mut picture = 1.0 / fps;
            if self.uneven {
                picture *= 0.5 + share(seed, times.len() as u64);
            }
            if let Some(stall) = self.stall.filter(|stall| !stalled && time >= stall.at - 1e-9 * stall.at) {
                picture = stall.seconds;
                stalled = true;
            }
            times.push(picture);
            time += picture;
        }
        times
    }
}

/// A number from 0 to 1 for a place in a sequence (the finaliser of SplitMix64; Steele, Lea and Flood 2014).
fn share(seed: u64, place: u64) -> f64 {
    let mut bits = seed.wrapping_add((place + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15));
    bits = (bits ^ (bits >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    bits = (bits ^ (bits >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    (((bits ^ (bits >> 31)) >> 11) as f64) * (1.0 / (1u64 << 53) as f64)
}

/// The steps of a trial.
#[derive(Clone, Debug, PartialEq)]
pub struct Schedule {
    /// Length of a step where all are alike, s.
    step: f64,
    count: u64,
    /// The lengths, s, where they differ; empty where they do not.
    list: Vec<f64>,
    /// Steps of each call of the engine; empty where nothing groups them.
    calls: Vec<u32>,
}

impl Schedule {
    /// How many steps there are.
    pub fn count(&self) -> u64 {
        self.count
    }

    /// Length of one of them, s.
    pub fn length(&self, step: u64) -> f64 {
        self.list.get(step as usize).copied().unwrap_or(self.step)
    }

    /// Whether all are alike.
    pub fn is_even(&self) -> bool {
        self.list.is_empty()
    }

    /// Steps of each call of the engine; empty where nothing groups them.
    pub fn calls(&self) -> &[u32] {
        &self.calls
    }

    /// Steps from one on until at least `time` seconds have gone by, give or take a rounding error.
    pub fn steps_for(&self, from: u64, time: f64) -> u64 {
        if self.is_even() {
            return (time / self.step - 1e-9).ceil().max(0.0) as u64;
        }
        let mut gone = 0.0;
        let mut steps = 0;
        while gone < time - 1e-9 * self.step && from + steps < self.count {
            gone += self.length(from + steps);
            steps += 1;
        }
        steps
    }

    /// The same with all lengths multiplied by a factor.
    #[must_use]
    pub fn scaled(mut self, factor: f64) -> Self {
        self.step *= factor;
        self.list.iter_mut().for_each(|length| *length *= factor);
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn clock(kind: &str, uneven: bool, stall: Option<&str>) -> Clock {
        Clock { kind: kind.parse().unwrap(), uneven, stall: stall.map(|stall| stall.parse().unwrap()) }
    }

    #[test]
    fn texts_are_read_and_written_alike() {
        for text in ["fixed", "raw:60", "bank:47.5"] {
            assert_eq!(text.parse::<ClockKind>().unwrap().to_string(), text);
        }
        assert_eq!("0.4@2.5".parse::<Stall>().unwrap().to_string(), "0.4@2.5");
        for wrong in ["", "raw", "raw:0", "raw:x", "bank:-1", "fix", "raw:inf"] {
            assert!(wrong.parse::<ClockKind>().is_err(), "{wrong}");
        }
        for wrong in ["0.4", "@2", "0@1", "0.4@-1", "x@1"] {
            assert!(wrong.parse::<Stall>().is_err(), "{wrong}");
        }
    }

    #[test]
    fn a_stall_is_one_long_step_of_a_raw_clock() {
        let schedule = clock("raw:10", false, Some("0.4@0.5")).schedule(0.001, 1.0, 1);
        let lengths: Vec<f64> = (0..schedule.count()).map(|step| schedule.length(step)).collect();
        assert_eq!(lengths.iter().filter(|&&length| length == 0.4).count(), 1);
        assert_eq!(lengths[5], 0.4);
        assert!((lengths.iter().sum::<f64>() - 1.0).abs() < 0.05 + 1e-12);
    }

    #[test]
    fn uneven_pictures_keep_within_half_and_half_again_and_follow_the_seed() {
        let lengths = |seed| {
            let schedule = clock("raw:60", true, None).schedule(1.0, 10.0, seed);
            (0..schedule.count()).map(|step| schedule.length(step)).collect::<Vec<_>>()
        };
        assert!(lengths(1).iter().all(|length| (0.5 / 60.0..1.5 / 60.0).contains(length)));
        assert_eq!(lengths(3), lengths(3));
        assert_ne!(lengths(3), lengths(4));
        let sum: f64 = lengths(1).iter().sum();
        assert!((10.0..10.03).contains(&sum), "{sum}");
    }

    #[test]
    fn a_bank_pays_out_whole_steps_and_keeps_the_rest() {
        // Pictures of 1/50 s in steps of 1/60 s: 1, 1, 1, 1, 2, and again.
        let schedule = clock("bank:50", false, None).schedule(1.0 / 60.0, 1.0, 1);
        assert_eq!(schedule.calls()[..10], [1, 1, 1, 1, 2, 1, 1, 1, 1, 2]);
        assert_eq!((schedule.count(), schedule.length(3)), (60, 1.0 / 60.0));
        // A stall is paid out at once; nothing of it is lost.
        let stalled = clock("bank:50", false, Some("0.5@0.3")).schedule(1.0 / 60.0, 1.0, 1);
        assert!(stalled.calls().contains(&30));
        assert_eq!(stalled.count(), 60);
    }

    #[test]
    fn steps_for_a_time_are_counted_in_even_and_uneven_lists() {
        let even = Clock::default().schedule(0.1, 1.0, 1);
        assert_eq!((even.steps_for(0, 0.25), even.steps_for(3, 0.3), even.steps_for(0, 0.0)), (3, 3, 0));
        let uneven = clock("raw:10", false, Some("0.4@0.2")).schedule(0.1, 1.0, 1);
        assert_eq!(
            (uneven.steps_for(0, 0.2), uneven.steps_for(2, 0.3), uneven.steps_for(0, 9.0)),
            (2, 1, uneven.count())
        );
    }
}
