//! The choices of the engine, as values; `options.rs` reads and shows them.

use crate::common::injection::{Injection, InjectionPoint};
use ironspin_model::{SOFT_SUBSTEPS, SoftMethod, World};

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
            pub(crate) const WORDS: &'static [&'static str] = &[$($word),+];
            pub(crate) fn read(text: &str) -> Option<Self> {
                match text {
                    $($word => Some($name::$variant),)+
                    _ => None,
                }
            }
            pub(crate) fn word(self) -> &'static str {
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
    /// How soft bodies move.
    SoftSolver {
        /// By forces, with the integrator; sticks are kept to rounding.
        Force = "force",
        /// By constraints with compliance.
        Position = "position",
        /// By backward Euler steps.
        Implicit = "implicit",
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
    pub(crate) fn lateness<R: crate::common::scalar::Real>(self) -> R {
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
    /// How soft bodies move.
    pub soft_solver: SoftSolver,
    /// Sub-steps of soft bodies within a step.
    pub soft_substeps: u32,
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
    pub injection: Option<Injection>,
}

impl Default for Settings {
    fn default() -> Self {
        Settings {
            integrator: Integrator::Verlet,
            solver: SolverKind::Impulse,
            iterations: 100,
            substeps: 0,
            soft_solver: SoftSolver::Force,
            soft_substeps: SOFT_SUBSTEPS,
            warm_start: true,
            swept: Swept::Marked,
            broad: BroadPhase::Grid,
            mixing: Mixing::Standard,
            rest_speed: 2.0,
            sleep: false,
            precision: Precision::F64,
            threads: 0,
            injection: None,
        }
    }
}

impl Settings {
    /// How soft bodies are moved.
    pub fn soft_method(&self) -> SoftMethod {
        let integrator = match self.soft_solver {
            SoftSolver::Force => self.integrator.word(),
            other => other.word(),
        };
        SoftMethod { integrator, substeps: self.soft_substeps }
    }

    /// The size of a mistake in the middle of a step, if it is the one that is on.
    #[inline]
    pub(crate) fn injected(&self, point: InjectionPoint) -> Option<f64> {
        self.injection.filter(|injection| injection.point == Some(point)).map(|injection| injection.size)
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
}
