//! What can be chosen in `builtin:name=value,...`.

use crate::faults::{FaultEntry, InjectionPoint};
use ironspin_model::{EngineError, OptionInfo, World, nearest};

/// A setting with a fixed set of words.
macro_rules! words {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $word:literal),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        pub enum $name {
            $($(#[$vdoc])* $variant,)+
        }
        impl $name {
            /// The words, as they are typed.
            const WORDS: &'static [&'static str] = &[$($word),+];
            fn read(text: &str) -> Option<Self> {
                match text {
                    $($word => Some($name::$variant),)+
                    _ => None,
                }
            }
            fn word(self) -> &'static str {
                match self {
                    $($name::$variant => $word,)+
                }
            }
        }
    };
}

words! {
    /// Which bodies get swept collision.
    Swept {
        /// None: bodies are seen only where they stand at the end of a step.
        Off = "off",
        /// Those the scene marks.
        Marked = "marked",
        /// Every dynamic body.
        All = "all",
    }
}
words! {
    /// How forces are integrated.
    Integrator {
        /// Place and speed by what they were: order 1, gains energy.
        ExplicitEuler = "explicit-euler",
        /// Speed first, place by the new speed: order 1, keeps energy in the mean.
        SymplecticEuler = "symplectic-euler",
        /// Velocity Verlet: order 2, exact for constant forces.
        Verlet = "verlet",
        /// Runge and Kutta: order 4 on smooth forces, four evaluations.
        Rk4 = "rk4",
    }
}
words! {
    /// How contacts are solved.
    SolverKind {
        /// Sequential impulses with warm starting.
        Impulse = "impulse",
        /// Compliant contact rows over substeps with a relaxing pass.
        Compliant = "compliant",
        /// Extended position-based dynamics over substeps.
        Position = "position",
        /// From impact to impact at its exact time.
        Event = "event",
    }
}
words! {
    /// How pairs are found.
    BroadPhase {
        /// Every pair.
        AllPairs = "all-pairs",
        /// Sorted along x.
        Sort = "sort",
        /// Cells of a grid.
        Grid = "grid",
        /// A tree of boxes.
        Tree = "tree",
    }
}
words! {
    /// How friction and restitution of two materials mix where the scene lists no pair.
    Mixing {
        /// Geometric mean of frictions, larger restitution.
        Standard = "standard",
        /// Arithmetic means.
        Average = "average",
        /// Products.
        Product = "product",
        /// The smaller of both.
        Smaller = "smaller",
        /// The larger of both.
        Larger = "larger",
    }
}
words! {
    /// Scalar of the engine.
    Precision {
        /// Single.
        F32 = "f32",
        /// Double.
        F64 = "f64",
    }
}

impl Integrator {
    /// Share of a change of velocity by contacts that moves the body within the same step: all of it for the methods of order 1,
    /// half of it where what pushes acts over the whole step, as gravity does.
    pub(crate) fn lateness<R: crate::scalar::Real>(self) -> R {
        match self {
            Integrator::ExplicitEuler | Integrator::SymplecticEuler => R::ONE,
            Integrator::Verlet | Integrator::Rk4 => R::HALF,
        }
    }
}

impl Mixing {
    /// Friction and restitution where two materials meet.
    pub(crate) fn mix(self, world: &World, a: usize, b: usize) -> (f64, f64) {
        if world.pairs.iter().any(|p| p.between == [a, b] || p.between == [b, a]) {
            return world.mixed(a, b);
        }
        let (one, other) = (&world.materials[a], &world.materials[b]);
        let both =
            |mix: fn(f64, f64) -> f64| (mix(one.friction, other.friction), mix(one.restitution, other.restitution));
        match self {
            Mixing::Standard => world.mixed(a, b),
            Mixing::Average => both(|x, y| 0.5 * (x + y)),
            Mixing::Product => both(|x, y| x * y),
            Mixing::Smaller => both(f64::min),
            Mixing::Larger => both(f64::max),
        }
    }
}

/// The settings in force.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// How forces are integrated.
    pub integrator: Integrator,
    /// How contacts are solved.
    pub solver: SolverKind,
    /// Most passes of the contact solver in a substep.
    pub iterations: u32,
    /// Steps within a step; 0 for the solver's own number.
    pub substeps: u32,
    /// Whether a contact starts from its impulse of the step before.
    pub warm_start: bool,
    /// Which bodies get swept collision.
    pub swept: Swept,
    /// How pairs are found.
    pub broad: BroadPhase,
    /// How friction and restitution mix.
    pub mixing: Mixing,
    /// Approach speed below which a contact rests instead of bouncing, as a share of g·dt.
    pub rest_speed: f64,
    /// Whether piles at rest are left alone.
    pub sleep: bool,
    /// Scalar of the engine.
    pub precision: Precision,
    /// Worker threads; 0 for as many as the conditions allow.
    pub threads: u32,
    /// A mistake built in on purpose.
    pub fault: Option<&'static FaultEntry>,
    /// How wrong it is; nothing for as wrong as its entry says.
    pub fault_size: Option<f64>,
}

impl Default for Settings {
    fn default() -> Self {
        Settings {
            integrator: Integrator::Verlet,
            solver: SolverKind::Impulse,
            iterations: 100,
            substeps: 0,
            warm_start: true,
            swept: Swept::Marked,
            broad: BroadPhase::Grid,
            mixing: Mixing::Standard,
            rest_speed: 2.0,
            sleep: false,
            precision: Precision::F64,
            threads: 0,
            fault: None,
            fault_size: None,
        }
    }
}

/// One setting: the single place that knows its name, meaning, values and how to read and show it.
pub struct Setting {
    /// Name as written on the command line.
    pub name: &'static str,
    /// What it does and costs.
    pub about: &'static str,
    values: fn() -> String,
    read: fn(&mut Settings, &str) -> bool,
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
pub const SETTINGS: [Setting; 14] = [
    Setting {
        name: "integrator",
        about: "how forces are integrated; verlet is exact for constant forces, rk4 costs four evaluations of springs",
        values: || one_of(Integrator::WORDS),
        read: |s, text| set(&mut s.integrator, Integrator::read(text)),
        show: |s| s.integrator.word().to_owned(),
    },
    Setting {
        name: "solver",
        about: "how contacts are solved; event is exact and has no resting contact, compliant and position take substeps",
        values: || one_of(SolverKind::WORDS),
        // `soft` is its older name, which plans and scripts may hold.
        read: |s, text| set(&mut s.solver, SolverKind::read(if text == "soft" { "compliant" } else { text })),
        show: |s| s.solver.word().to_owned(),
    },
    Setting {
        name: "iterations",
        about: "most passes of the contact solver in a substep; it ends sooner when nothing changes any more",
        values: || "a whole number from 1 to 10000".to_owned(),
        read: |s, text| set(&mut s.iterations, whole(text, 1, 10_000)),
        show: |s| s.iterations.to_string(),
    },
    Setting {
        name: "substeps",
        about: "steps within a step; many with few passes hold piles better than few with many",
        values: || "a whole number to 1000, 0 for 2 with impulse, 4 with compliant, 8 with position".to_owned(),
        read: |s, text| set(&mut s.substeps, whole(text, 0, 1000)),
        show: |s| s.substeps.to_string(),
    },
    Setting {
        name: "warm-start",
        about: "whether a contact starts from its impulse of the step before; off costs stability, not time",
        values: || "on or off".to_owned(),
        read: |s, text| set(&mut s.warm_start, switch(text)),
        show: |s| on_off(s.warm_start),
    },
    Setting {
        name: "swept",
        about: "which bodies are followed along their path instead of being seen once a step",
        values: || one_of(Swept::WORDS),
        read: |s, text| set(&mut s.swept, Swept::read(text)),
        show: |s| s.swept.word().to_owned(),
    },
    Setting {
        name: "broad",
        about: "how pairs are found; all ways give the same bits, all-pairs costs the square of the count",
        values: || one_of(BroadPhase::WORDS),
        read: |s, text| set(&mut s.broad, BroadPhase::read(text)),
        show: |s| s.broad.word().to_owned(),
    },
    Setting {
        name: "mixing",
        about: "friction and restitution of two materials without a pair of their own; standard is geometric mean and larger",
        values: || one_of(Mixing::WORDS),
        read: |s, text| set(&mut s.mixing, Mixing::read(text)),
        show: |s| s.mixing.word().to_owned(),
    },
    Setting {
        name: "rest-speed",
        about: "approach speed below which a contact rests instead of bouncing, as a share of g*dt",
        values: || "a number from 0 to 1000".to_owned(),
        read: |s, text| set(&mut s.rest_speed, text.parse().ok().filter(|share| (0.0..=1000.0).contains(share))),
        show: |s| s.rest_speed.to_string(),
    },
    Setting {
        name: "sleep",
        about: "whether piles that have come to rest are left alone until something touches them; saves time",
        values: || "on or off".to_owned(),
        read: |s, text| set(&mut s.sleep, switch(text)),
        show: |s| on_off(s.sleep),
    },
    Setting {
        name: "precision",
        about: "scalar of the engine; f32 keeps seven digits",
        values: || one_of(Precision::WORDS),
        read: |s, text| set(&mut s.precision, Precision::read(text)),
        show: |s| s.precision.word().to_owned(),
    },
    Setting {
        name: "threads",
        about: "worker threads, 0 for as many as the conditions allow; any number gives the same bits",
        values: || "a whole number from 0 to 256".to_owned(),
        read: |s, text| set(&mut s.threads, whole(text, 0, 256)),
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
        show: |s| s.fault.map_or("none", |fault| fault.name).to_owned(),
    },
    Setting {
        name: "fault-size",
        about: "how wrong that mistake is, as its entry in the catalogue measures it",
        values: || "a number above zero, or `stated`".to_owned(),
        read: |s, text| {
            s.fault_size = text.parse().ok().filter(|size: &f64| *size > 0.0 && size.is_finite());
            s.fault_size.is_some() || text == "stated"
        },
        show: |s| s.fault_size.map_or_else(|| "stated".to_owned(), |size| format!("{size:?}")),
    },
];

impl Settings {
    /// The fault that is on, and its size.
    pub(crate) fn fault_in_force(&self) -> Option<(&'static FaultEntry, f64)> {
        self.fault.map(|fault| (fault, self.fault_size.unwrap_or(fault.stated_size())))
    }

    /// The size of a mistake in the middle of a step, if it is the one that is on.
    #[inline]
    pub(crate) fn injected(&self, slip: InjectionPoint) -> Option<f64> {
        self.fault_in_force().filter(|(fault, _)| fault.is(slip)).map(|(_, size)| size)
    }

    /// Steps within a step.
    pub(crate) fn substeps_in_force(&self) -> u32 {
        match (self.substeps, self.solver) {
            (0, SolverKind::Impulse | SolverKind::Event) => 2,
            (0, SolverKind::Compliant) => 4,
            (0, SolverKind::Position) => 8,
            (chosen, _) => chosen,
        }
    }

    /// Reads `name=value` pairs.
    ///
    /// # Errors
    /// [`EngineError::UnknownOption`] and [`EngineError::BadValue`].
    pub fn read<'a>(pairs: impl IntoIterator<Item = (&'a str, &'a str)>) -> Result<Settings, EngineError> {
        let mut settings = Settings::default();
        for (name, value) in pairs {
            let known = || SETTINGS.iter().map(|s| s.name);
            let setting = SETTINGS.iter().find(|s| s.name == name).ok_or_else(|| EngineError::UnknownOption {
                engine: "builtin".to_owned(),
                found: name.to_owned(),
                nearest: nearest(name, known()).map(str::to_owned),
                known: known().map(str::to_owned).collect(),
            })?;
            if !(setting.read)(&mut settings, value) {
                return Err(EngineError::BadValue {
                    option: name.to_owned(),
                    found: value.to_owned(),
                    expected: (setting.values)(),
                });
            }
        }
        if let Some(fault) = settings.fault.filter(|fault| !fault.is_made_by(settings.solver)) {
            return Err(EngineError::BadValue {
                option: "fault".to_owned(),
                found: format!("{} with solver={}", fault.name, settings.solver.word()),
                expected: "solver=impulse, where this mistake is made".to_owned(),
            });
        }
        if let Some(size) = settings.fault_size.filter(|_| settings.fault.is_none_or(|fault| fault.size.is_none())) {
            return Err(EngineError::BadValue {
                option: "fault-size".to_owned(),
                found: format!("{size:?}"),
                expected: "a fault that has a size".to_owned(),
            });
        }
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
