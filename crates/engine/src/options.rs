//! What can be chosen in `builtin:name=value,...`: the one table of options, their reading and showing.

use crate::common::settings::{BroadPhase, Integrator, Mixing, Precision, Settings, SoftSolver, SolverKind, Swept};
use crate::faults::FaultEntry;
use ironspin_model::{EngineError, OptionInfo, nearest};

/// What was chosen so far.
#[derive(Default)]
struct Chosen {
    settings: Settings,
    fault: Option<&'static FaultEntry>,
    fault_size: Option<f64>,
}

/// One setting: the single place that knows its name, meaning, values and how to read and show it.
pub struct Setting {
    /// Name as written on the command line.
    pub name: &'static str,
    /// What it does and costs.
    pub about: &'static str,
    values: fn() -> String,
    read: fn(&mut Chosen, &str) -> bool,
    show: fn(&Settings) -> String,
}

fn set<T>(target: &mut T, value: Option<T>) -> bool {
    value.map(|value| *target = value).is_some()
}

fn whole(text: &str, low: u32, high: u32) -> Option<u32> {
    text.parse().ok().filter(|n| (low..=high).contains(n))
}

fn switch(text: &str) -> Option<bool> {
    match text {
        "on" => Some(true),
        "off" => Some(false),
        _ => None,
    }
}

fn on_off(value: bool) -> String {
    if value { "on" } else { "off" }.to_owned()
}

/// A list as it is read out: `a, b or c`.
fn one_of(words: &[&str]) -> String {
    match words {
        [] => String::new(),
        [only] => (*only).to_owned(),
        [head @ .., last] => format!("{} or {last}", head.join(", ")),
    }
}

/// All settings of the built-in engine.
pub const SETTINGS: [Setting; 16] = [
    Setting {
        name: "integrator",
        about: "how forces are integrated, those in soft bodies too; verlet is exact for constant forces, rk4 costs four evaluations of springs",
        values: || one_of(Integrator::WORDS),
        read: |s, text| set(&mut s.settings.integrator, Integrator::read(text)),
        show: |s| s.integrator.word().to_owned(),
    },
    Setting {
        name: "solver",
        about: "how contacts are solved; event is exact and has no resting contact, compliant and position take substeps",
        values: || one_of(SolverKind::WORDS),
        // `soft` is its older name, which plans and scripts may hold.
        read: |s, text| set(&mut s.settings.solver, SolverKind::read(if text == "soft" { "compliant" } else { text })),
        show: |s| s.solver.word().to_owned(),
    },
    Setting {
        name: "iterations",
        about: "most passes of the contact solver in a substep; it ends sooner when nothing changes any more",
        values: || "a whole number from 1 to 10000".to_owned(),
        read: |s, text| set(&mut s.settings.iterations, whole(text, 1, 10_000)),
        show: |s| s.iterations.to_string(),
    },
    Setting {
        name: "substeps",
        about: "steps within a step; many with few passes hold piles better than few with many",
        values: || {
            "a whole number to 1000, 0 for 2 with impulse, 4 with compliant, 8 with position; 0 with soft bodies takes turns with their sub-steps".to_owned()
        },
        read: |s, text| set(&mut s.settings.substeps, whole(text, 0, 1000)),
        show: |s| s.substeps.to_string(),
    },
    Setting {
        name: "soft-solver",
        about: "how soft bodies move: force by the integrator, position by constraints with compliance and as many passes as iterations, implicit by backward Euler; the last two hold at any step and lose what swings fast",
        values: || one_of(SoftSolver::WORDS),
        read: |s, text| set(&mut s.settings.soft_solver, SoftSolver::read(text)),
        show: |s| s.soft_solver.word().to_owned(),
    },
    Setting {
        name: "soft-substeps",
        about: "steps of soft bodies within a step, shared out over the substeps; more of them carry stiffer springs",
        values: || "a whole number from 1 to 1000".to_owned(),
        read: |s, text| set(&mut s.settings.soft_substeps, whole(text, 1, 1000)),
        show: |s| s.soft_substeps.to_string(),
    },
    Setting {
        name: "warm-start",
        about: "whether a contact starts from its impulse of the step before; off costs stability, not time",
        values: || "on or off".to_owned(),
        read: |s, text| set(&mut s.settings.warm_start, switch(text)),
        show: |s| on_off(s.warm_start),
    },
    Setting {
        name: "swept",
        about: "which bodies are followed along their path instead of being seen once a step",
        values: || one_of(Swept::WORDS),
        read: |s, text| set(&mut s.settings.swept, Swept::read(text)),
        show: |s| s.swept.word().to_owned(),
    },
    Setting {
        name: "broad",
        about: "how pairs are found; all ways give the same bits, all-pairs costs the square of the count",
        values: || one_of(BroadPhase::WORDS),
        read: |s, text| set(&mut s.settings.broad, BroadPhase::read(text)),
        show: |s| s.broad.word().to_owned(),
    },
    Setting {
        name: "mixing",
        about: "friction and restitution of two materials without a pair of their own; standard is geometric mean and larger",
        values: || one_of(Mixing::WORDS),
        read: |s, text| set(&mut s.settings.mixing, Mixing::read(text)),
        show: |s| s.mixing.word().to_owned(),
    },
    Setting {
        name: "rest-speed",
        about: "approach speed below which a contact rests instead of bouncing, as a share of g*dt",
        values: || "a number from 0 to 1000".to_owned(),
        read: |s, text| {
            set(&mut s.settings.rest_speed, text.parse().ok().filter(|share| (0.0..=1000.0).contains(share)))
        },
        show: |s| s.rest_speed.to_string(),
    },
    Setting {
        name: "sleep",
        about: "whether piles that have come to rest are left alone until something touches them; saves time",
        values: || "on or off".to_owned(),
        read: |s, text| set(&mut s.settings.sleep, switch(text)),
        show: |s| on_off(s.sleep),
    },
    Setting {
        name: "precision",
        about: "scalar of the engine; f32 keeps seven digits",
        values: || one_of(Precision::WORDS),
        read: |s, text| set(&mut s.settings.precision, Precision::read(text)),
        show: |s| s.precision.word().to_owned(),
    },
    Setting {
        name: "threads",
        about: "worker threads, 0 for as many as the conditions allow; any number gives the same bits",
        values: || "a whole number from 0 to 256".to_owned(),
        read: |s, text| set(&mut s.settings.threads, whole(text, 0, 256)),
        show: |s| s.threads.to_string(),
    },
    Setting {
        name: "fault",
        about: "a mistake built in on purpose, to see what notices it",
        values: || "none, or a fault that `ironspin proof --list` lists".to_owned(),
        read: |s, text| {
            s.fault = FaultEntry::find(text);
            s.fault.is_some() || text == "none"
        },
        show: |s| s.injection.map_or("none", |injection| injection.name).to_owned(),
    },
    Setting {
        name: "fault-size",
        about: "how wrong that mistake is, as its entry in the catalogue measures it",
        values: || "a number above zero, or `stated`".to_owned(),
        read: |s, text| {
            s.fault_size = text.parse().ok().filter(|size: &f64| *size > 0.0 && size.is_finite());
            s.fault_size.is_some() || text == "stated"
        },
        show: |s| {
            let asked = s.injection.and_then(|injection| injection.asked_size);
            asked.map_or_else(|| "stated".to_owned(), |size| format!("{size:?}"))
        },
    },
];

impl Settings {
    /// Reads `name=value` pairs.
    ///
    /// # Errors
    /// [`EngineError::UnknownOption`] and [`EngineError::BadValue`].
    pub fn read<'a>(pairs: impl IntoIterator<Item = (&'a str, &'a str)>) -> Result<Settings, EngineError> {
        let mut chosen = Chosen::default();
        for (name, value) in pairs {
            let known = || SETTINGS.iter().map(|s| s.name);
            let setting = SETTINGS.iter().find(|s| s.name == name).ok_or_else(|| EngineError::UnknownOption {
                engine: "builtin".to_owned(),
                found: name.to_owned(),
                nearest: nearest(name, known()).map(str::to_owned),
                known: known().map(str::to_owned).collect(),
            })?;
            if !(setting.read)(&mut chosen, value) {
                return Err(EngineError::BadValue {
                    option: name.to_owned(),
                    found: value.to_owned(),
                    expected: (setting.values)(),
                });
            }
        }
        let Chosen { mut settings, fault, fault_size } = chosen;
        if let Some(fault) = fault.filter(|fault| !fault.is_made_by(settings.solver)) {
            return Err(EngineError::BadValue {
                option: "fault".to_owned(),
                found: format!("{} with solver={}", fault.name, settings.solver.word()),
                expected: "solver=impulse, where this mistake is made".to_owned(),
            });
        }
        if let Some(size) = fault_size.filter(|_| fault.is_none_or(|fault| fault.size.is_none())) {
            return Err(EngineError::BadValue {
                option: "fault-size".to_owned(),
                found: format!("{size:?}"),
                expected: "a fault that has a size".to_owned(),
            });
        }
        settings.injection = fault.map(|fault| fault.injection(fault_size));
        Ok(settings)
    }

    /// Every setting with its meaning, default and the value in force.
    pub fn list(&self) -> Vec<OptionInfo> {
        let default = Settings::default();
        SETTINGS
            .iter()
            .map(|setting| OptionInfo {
                name: setting.name.to_owned(),
                about: format!("{} ({})", setting.about, (setting.values)()),
                default: (setting.show)(&default),
                value: (setting.show)(self),
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_default_reads_back_as_itself() {
        let default = Settings::default();
        let listed = default.list();
        let pairs = listed.iter().map(|option| (option.name.as_str(), option.default.as_str()));
        assert_eq!(Settings::read(pairs), Ok(default));
    }

    #[test]
    fn the_older_name_of_a_solver_is_still_read() {
        let read = |word| Settings::read([("solver", word)]).map(|settings| settings.solver);
        assert_eq!((read("soft"), read("compliant")), (Ok(SolverKind::Compliant), Ok(SolverKind::Compliant)));
    }

    #[test]
    fn wrong_names_and_values_are_told_apart() {
        assert!(matches!(
            Settings::read([("sweept", "all")]),
            Err(EngineError::UnknownOption { nearest: Some(name), .. }) if name == "swept"
        ));
        for pair in
            [("iterations", "0"), ("iterations", "x"), ("swept", "some"), ("rest-speed", "nan"), ("warm-start", "yes")]
        {
            assert!(matches!(Settings::read([pair]), Err(EngineError::BadValue { .. })), "{pair:?}");
        }
    }
}
