//! The seam between the bench and an engine under test.

use crate::{BodyState, Conditions, Dimension, Effect, EngineError, Frame, SensorEvent, World};
use glam::DVec3;

/// What an engine may say that it can do, and a scene that it needs.
pub const FEATURES: [&str; 18] = [
    "contacts",
    "events",
    "sensor",
    "filter",
    "swept",
    "ray",
    "restore",
    "kinematic",
    "body_gravity",
    "threads",
    "joint.rod",
    "joint.spring",
    "joint.hinge",
    "joint.slider",
    "joint.weld",
    "joint.rope",
    "joint.socket",
    "soft",
];

/// What an engine says about itself.
#[derive(Clone, Debug, PartialEq)]
pub struct EngineInfo {
    /// Its name.
    pub name: String,
    /// Its version.
    pub version: String,
    /// Every option it takes, with the value in force.
    pub options: Vec<OptionInfo>,
    /// The numbers it works with.
    pub scalar: Scalar,
    /// The worlds it takes; an engine that does not say so takes those of the plane.
    pub spaces: Vec<Dimension>,
    /// What it can do: `sensor`, `joint.hinge`, ...; what is not listed is not asked for.
    pub features: Vec<String>,
}

/// Numbers that an engine works with. Bounds that are made of rounding errors depend on it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Scalar {
    /// IEEE 754 binary32.
    F32,
    /// IEEE 754 binary64.
    #[default]
    F64,
}

impl Scalar {
    /// The scalar of a word; double precision for what is no word of one.
    pub fn of(word: &str) -> Scalar {
        if word == "f32" { Scalar::F32 } else { Scalar::F64 }
    }

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            Scalar::F32 => "f32",
            Scalar::F64 => "f64",
        }
    }

    /// A size below which a product of two numbers of that size is lost to underflow.
    pub fn smallest_factor(self) -> f64 {
        match self {
            Scalar::F32 => f64::from(f32::MIN_POSITIVE).sqrt(),
            Scalar::F64 => f64::MIN_POSITIVE.sqrt(),
        }
    }

    /// Distance from 1 to the next number.
    pub fn epsilon(self) -> f64 {
        match self {
            Scalar::F32 => f64::from(f32::EPSILON),
            Scalar::F64 => f64::EPSILON,
        }
    }
}

/// One option of an engine.
#[derive(Clone, Debug, PartialEq)]
pub struct OptionInfo {
    /// Name as written in `builtin:name=value`.
    pub name: String,
    /// What it does, in a sentence.
    pub about: String,
    /// The value when nothing is said.
    pub default: String,
    /// The value in force.
    pub value: String,
}

/// Takes frames as they are made.
pub type FrameSink<'a> = dyn FnMut(&Frame) + 'a;

/// A frame as rows of numbers.
#[derive(Clone, Copy, Debug)]
pub struct Rows<'a> {
    /// Steps done so far.
    pub step: u64,
    /// x, y, angle, vx, vy, spin of each body, m and rad and s.
    pub state: &'a [f64],
    /// i, j, x, y, nx, ny, depth, impulse, times of each contact.
    pub contacts: &'a [f64],
    /// What sensors noticed.
    pub events: &'a [SensorEvent],
    /// Where state and contacts stand, one after the other, in memory that is shared with who reads them; nothing where they do not.
    pub place: Option<usize>,
}

/// Takes frames as rows.
pub type RowSink<'a> = dyn FnMut(Rows<'_>) + 'a;

/// An engine under test. The bench calls `build` once for each trial and then `advance`.
pub trait Engine {
    /// Name, version and options.
    fn info(&self) -> EngineInfo;

    /// Replaces the present world by a new one, at step 0.
    ///
    /// # Errors
    /// [`EngineError::Unsupported`] when the world needs something the engine lacks, [`EngineError::BadWorld`]
    /// when it cannot be built.
    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError>;

    /// Does one step for each entry of `steps` (lengths in s), giving a frame after each to `sink`. Without steps
    /// the present frame is given. Actions of the world are done by the engine before the first step that starts at
    /// or after their time.
    ///
    /// # Errors
    /// [`EngineError::NothingBuilt`] before `build`, any other variant when the engine fails on the way.
    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError>;

    /// As [`Engine::advance`], for engines that hold a frame as rows of numbers anyway; false, and nothing done, for all others.
    ///
    /// # Errors
    /// As [`Engine::advance`].
    fn advance_rows(&mut self, _steps: &[f64], _sink: &mut RowSink<'_>) -> Result<bool, EngineError> {
        Ok(false)
    }

    /// Does something to a body before the next step, beside the actions of the world.
    ///
    /// # Errors
    /// [`EngineError::Unsupported`] when the engine cannot, [`EngineError::NothingBuilt`] before `build`.
    fn act(&mut self, _body: usize, _deed: &Effect) -> Result<(), EngineError> {
        Err(EngineError::Unsupported { feature: "actions on a condition".to_owned() })
    }

    /// Works out the forces of a scene before each step itself, at its own side, from here until the next `build`: those of the resolved scene `scene`, with the
    /// seed that it was resolved with. True where it will: then the bench need not ask for steps one by one.
    ///
    /// # Errors
    /// [`EngineError::NothingBuilt`] before `build`, any other variant when the engine fails.
    fn follow(&mut self, _scene: &str, _seed: u64) -> Result<bool, EngineError> {
        Ok(false)
    }

    /// Keeps the present state of the world; the token holds until the next `build`.
    ///
    /// # Errors
    /// [`EngineError::Unsupported`] when the engine cannot, [`EngineError::NothingBuilt`] before `build`.
    fn save(&mut self) -> Result<Token, EngineError> {
        Err(EngineError::Unsupported { feature: "restore".to_owned() })
    }

    /// Goes back to a state that was kept.
    ///
    /// # Errors
    /// As [`Engine::save`], and [`EngineError::BadAnswer`] for a token that is not known.
    fn restore(&mut self, _token: Token) -> Result<(), EngineError> {
        Err(EngineError::Unsupported { feature: "restore".to_owned() })
    }

    /// The first solid part on the way from one point to another; sensors are passed over, and from inside a solid it is
    /// hit at distance 0.
    ///
    /// # Errors
    /// [`EngineError::Unsupported`] when the engine cannot, [`EngineError::NothingBuilt`] before `build`.
    fn ray(&mut self, _from: DVec3, _to: DVec3) -> Result<Option<RayHit>, EngineError> {
        Err(EngineError::Unsupported { feature: "ray".to_owned() })
    }
}

/// Forces that are worked out from the state of the world before each step.
pub trait StepForces {
    /// What acts over the next step of `dt` s, with the bodies.
    ///
    /// # Errors
    /// With why, for a force that has no value.
    fn due(&mut self, states: &[BodyState], time: f64, dt: f64) -> Result<Vec<(usize, Effect)>, String>;
}

/// Names a state kept by [`Engine::save`].
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Token(pub u64);

/// Where a ray hits.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct RayHit {
    /// The body hit.
    pub body: usize,
    /// Where, m.
    pub point: DVec3,
    /// Outward unit normal there; against the ray when it began inside.
    pub normal: DVec3,
    /// From the start of the ray, m.
    pub distance: f64,
}

#[cfg(test)]
mod tests {
    use super::*;

    /// An engine that can do nothing but what every engine must.
    struct Bare;

    impl Engine for Bare {
        fn info(&self) -> EngineInfo {
            let spaces = Dimension::PLANE_ONLY.to_vec();
            EngineInfo {
                name: "bare".into(),
                version: "1".into(),
                options: Vec::new(),
                scalar: Scalar::F64,
                spaces,
                features: Vec::new(),
            }
        }
        fn build(&mut self, _: &World, _: &Conditions) -> Result<(), EngineError> {
            Ok(())
        }
        fn advance(&mut self, _: &[f64], _: &mut FrameSink<'_>) -> Result<(), EngineError> {
            Ok(())
        }
    }

    #[test]
    fn what_an_engine_does_not_offer_is_unsupported_and_named() {
        let lacks = |feature: &str| EngineError::Unsupported { feature: feature.to_owned() };
        assert_eq!(Bare.save(), Err(lacks("restore")));
        assert_eq!(Bare.restore(Token(1)), Err(lacks("restore")));
        assert_eq!(Bare.ray(DVec3::ZERO, DVec3::X), Err(lacks("ray")));
        assert_eq!(Bare.act(0, &Effect::Remove), Err(lacks("actions on a condition")));
        assert_eq!(Bare.advance_rows(&[], &mut |_| panic!("no rows")), Ok(false));
    }

    #[test]
    fn scalars_are_known_by_their_words_and_anything_else_is_double() {
        for scalar in [Scalar::F32, Scalar::F64] {
            assert_eq!(Scalar::of(scalar.word()), scalar);
        }
        assert_eq!((Scalar::of(""), Scalar::of("float")), (Scalar::F64, Scalar::F64));
        assert_eq!(1.0_f32 + Scalar::F32.epsilon() as f32, 1.0_f32.next_up());
        // The product of two numbers of that size is still a normal one.
        let least = Scalar::F32.smallest_factor() as f32;
        assert!(least * least * 1.01 >= f32::MIN_POSITIVE && (0.5 * least) * (0.5 * least) < f32::MIN_POSITIVE);
    }

    #[test]
    fn features_are_named_once() {
        let mut names = FEATURES.to_vec();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), FEATURES.len());
        for kind in [crate::JointKind::Rod, crate::JointKind::Rope, crate::JointKind::Socket, crate::JointKind::Weld] {
            assert!(FEATURES.contains(&kind.feature()));
        }
    }
}
