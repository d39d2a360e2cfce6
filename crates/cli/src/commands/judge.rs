//! `judge`: claims on a trace that came from anywhere.

use crate::args::{AngleUnit, HandIs, JudgeOptions, ScalarIs, UpIs};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::output;
use ironspin_lab::{JudgeOrder, RunFolder, judge_trace};
use ironspin_report::Beyond;
use ironspin_trace::{Angles, Conventions, Hand, ScalarPlace, Upward};

pub(crate) fn run(options: &JudgeOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let conventions = Conventions {
        up: match options.up {
            UpIs::Y => Upward::Y,
            UpIs::MinusY => Upward::MinusY,
            UpIs::Z => Upward::Z,
        },
        angles: match options.angles {
            AngleUnit::Rad => Angles::Radians,
            AngleUnit::Deg => Angles::Degrees,
        },
        units_per_metre: options.pixels_per_metre,
        units_per_second: options.ticks_per_second,
        hand: match options.hand {
            HandIs::Right => Hand::Right,
            HandIs::Left => Hand::Left,
        },
        scalar: options.quaternion.map(|place| match place {
            ScalarIs::First => ScalarPlace::First,
            ScalarIs::Last => ScalarPlace::Last,
        }),
        turns: options.turns,
        dt: options.dt.as_ref().map(|dt| dt.seconds),
    };
    let (record, notes) = judge_trace(&JudgeOrder {
        scene: options.scene.clone(),
        trace: options.trace.clone(),
        set: options.set.clone(),
        seed: options.seed,
        body_limit: options.max_bodies,
        dt: options.dt.clone(),
        conventions,
    })?;
    let records = [record];
    if !quiet {
        super::run::tell_warnings(&[records[0].plan.clone()]);
        notes.iter().for_each(|note| output::note(&format!("note: {note}")));
    }
    if let Some(folder) = options.out.as_deref().map(RunFolder::prepare).transpose()? {
        let title = format!("{} judged by {}", options.trace.display(), options.scene);
        let place = super::publish(folder, &title, &records, &Beyond::default(), (records[0].seconds, false))?;
        output::note(&format!("results in {}", place.display()));
    }
    output::document(&super::reported(&records, &[], options.format, false)?)?;
    Ok(super::status(&records))
}
