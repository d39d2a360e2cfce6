//! Throws so many inputs at a target, keeps what broke something, and counts.

use crate::change::Changer;
use crate::targets::Target;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// The input that is thrown, and since when.
type Current = Arc<Mutex<Option<(Instant, Vec<u8>)>>>;

/// What came of many inputs.
#[derive(Clone, Debug, Default)]
pub struct Figures {
    /// Inputs that were thrown.
    pub inputs: u64,
    /// Those that were taken for good ones.
    pub taken: u64,
    /// Longest time of one, s.
    pub slowest: f64,
    /// What broke: the message, and the input.
    pub broken: Vec<(String, Vec<u8>)>,
}

/// Throws `count` inputs that a seed decides. What breaks something is written into `kept`, where one is named, and an input that takes longer
/// than [`Target::longest`] is written there before the process is ended.
pub fn drive(target: &Target, seed: u64, count: u64, kept: Option<&Path>) -> Figures {
    let seeds = (target.seeds)();
    let mut changer = Changer::new(seed);
    let mut figures = Figures::default();
    let current = Current::default();
    if let Some(kept) = kept {
        watch(&current, Duration::from_secs(target.longest), &kept.join(format!("{}-hang", target.name)));
    }
    for number in 0..count {
        let (input, other) = (changer.pick(&seeds).clone(), changer.pick(&seeds).clone());
        let input = changer.changed(&input, &other, target.is_text);
        if kept.is_some() {
            *current.lock().unwrap_or_else(PoisonError::into_inner) = Some((Instant::now(), input.clone()));
        }
        let began = Instant::now();
        let outcome = catch_unwind(AssertUnwindSafe(|| (target.throw)(&input)));
        figures.slowest = figures.slowest.max(began.elapsed().as_secs_f64());
        figures.inputs += 1;
        let broken = match outcome {
            Ok(Ok(taken)) => {
                figures.taken += u64::from(taken);
                continue;
            }
            Ok(Err(why)) => why,
            Err(panic) => panic
                .downcast_ref::<String>()
                .cloned()
                .or_else(|| panic.downcast_ref::<&str>().map(|text| (*text).to_owned()))
                .unwrap_or_else(|| "a panic without words".to_owned()),
        };
        if let Some(kept) = kept {
            // The message stays in the figures where it cannot be kept.
            let _ = std::fs::write(kept.join(format!("{}-{seed}-{number}", target.name)), &input);
        }
        figures.broken.push((broken, input));
    }
    *current.lock().unwrap_or_else(PoisonError::into_inner) = None;
    figures
}

/// Ends the process when an input takes too long, once it is written down.
fn watch(current: &Current, longest: Duration, place: &Path) {
    let (current, place) = (Arc::clone(current), place.to_owned());
    std::thread::spawn(move || {
        loop {
            std::thread::sleep(Duration::from_millis(200));
            let now = current.lock().unwrap_or_else(PoisonError::into_inner);
            if let Some((began, input)) = &*now
                && began.elapsed() > longest
            {
                let _ = std::fs::write(&place, input);
                std::process::exit(3);
            }
        }
    });
}
