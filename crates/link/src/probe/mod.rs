//! The examination of an engine: small questions with known answers, and what its author probably did wrong.
//!
//! | file | content |
//! |---|---|
//! | `talk.rs` | one engine, asked and answered as JSON |
//! | `say.rs` | worlds in few words |
//! | `manners.rs` | the protocol itself: `hello`, errors, numbering, names |
//! | `motion.rs` | free motion, actions, step lengths |
//! | `touch.rs` | sizes of shapes, restitution, friction, contacts |
//! | `loads.rs` | what bodies do to each other for longer: friction by shape, belts, joints between two that are free |
//! | `extras.rs` | whatever an engine lists beyond that: sensors, filters, rays, restore |
//! | `joints.rs` | each kind of joint |
//! | `space.rs`, `space_shapes.rs` | the forms that questions take in space: axes, signs and orders; sizes and faces of shapes, contacts, joints |

mod extras;
mod joints;
mod loads;
mod manners;
mod motion;
mod say;
mod space;
mod space_shapes;
mod talk;
mod touch;

use crate::spec::EngineSpec;
use ironspin_model::EngineError;
use serde::Serialize;
use talk::{Stop, Talk};

/// One question.
#[derive(Clone, Copy)]
pub struct Question {
    /// Its name.
    pub name: &'static str,
    /// What is asked, in a sentence.
    pub asks: &'static str,
    /// What the engine must list to be asked: features, `shape WORD` or `space`, with ` and ` between; empty for all engines.
    pub needs: &'static str,
    ask: fn(&mut Talk) -> Result<(), Stop>,
}

/// How a question was answered.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(tag = "outcome", rename_all = "snake_case")]
pub enum Outcome {
    /// As it should be.
    Right,
    /// Otherwise.
    Wrong {
        /// What was found instead.
        found: String,
        /// What the author probably did.
        hint: String,
    },
    /// The engine does not list what is needed, so it was not asked.
    NotAsked {
        /// What is needed.
        needs: String,
    },
    /// The engine came to an end over it, or said what cannot be read.
    Broken {
        /// Its last words.
        why: String,
    },
}

/// A question and its answer.
#[derive(Clone, Debug, Serialize)]
pub struct AnswerRecord {
    /// Name of the question.
    pub name: &'static str,
    /// What was asked.
    pub asks: &'static str,
    /// How it was answered.
    #[serde(flatten)]
    pub outcome: Outcome,
}

/// What came of an examination.
#[derive(Clone, Debug, Serialize)]
pub struct ProbeReport {
    /// The engine as it was named.
    pub engine: String,
    /// What it calls itself.
    pub name: String,
    /// Its version.
    pub version: String,
    /// What it lists.
    pub features: Vec<String>,
    /// Shapes it lists.
    pub shapes: Vec<String>,
    /// Every question.
    pub answers: Vec<AnswerRecord>,
}

impl ProbeReport {
    /// How many questions were answered rightly, wrongly (or not at all), and were not asked.
    pub fn counts(&self) -> [usize; 3] {
        let count = |what: fn(&Outcome) -> bool| self.answers.iter().filter(|answer| what(&answer.outcome)).count();
        [
            count(|outcome| matches!(outcome, Outcome::Right)),
            count(|outcome| matches!(outcome, Outcome::Wrong { .. } | Outcome::Broken { .. })),
            count(|outcome| matches!(outcome, Outcome::NotAsked { .. })),
        ]
    }
}

/// Every question, in the order in which they are asked.
pub fn questions() -> Vec<Question> {
    [
        manners::FIRST,
        motion::QUESTIONS,
        touch::QUESTIONS,
        extras::QUESTIONS,
        joints::QUESTIONS,
        loads::QUESTIONS,
        space::QUESTIONS,
        space_shapes::QUESTIONS,
        manners::LAST,
    ]
    .concat()
}

/// Hangs after which an engine is asked nothing more: each costs its whole limit of time.
const HANGS: u32 = 3;

/// Asks an engine every question that it lists what is needed for.
///
/// # Errors
/// When it cannot be started or does not say `hello`, when it refuses the options it was given, and for traces, which answer nothing.
pub fn probe(spec: &EngineSpec, listener: &dyn Fn(&Question)) -> Result<ProbeReport, EngineError> {
    let mut talk = Talk::begin(spec)?;
    talk.try_options()?;
    let mut hung = 0;
    let answers = questions()
        .iter()
        .map(|question| {
            listener(question);
            let outcome = if hung >= HANGS {
                Outcome::NotAsked { needs: format!("an engine that answers: it hung {HANGS} times") }
            } else if question.needs.is_empty() || talk.lists(question.needs) {
                match (question.ask)(&mut talk) {
                    Ok(()) => Outcome::Right,
                    Err(Stop::Wrong { found, hint }) => Outcome::Wrong { found, hint },
                    Err(Stop::Lacks(needs)) => Outcome::NotAsked { needs },
                    Err(Stop::Broken(why)) => {
                        talk.forget();
                        hung += u32::from(matches!(why, EngineError::Hung { .. }));
                        Outcome::Broken { why: why.to_string() }
                    }
                }
            } else {
                Outcome::NotAsked { needs: question.needs.to_owned() }
            };
            AnswerRecord { name: question.name, asks: question.asks, outcome }
        })
        .collect();
    let reported = |list: &[String]| list.to_vec();
    Ok(ProbeReport {
        engine: spec.text().to_owned(),
        name: talk.hello.engine.name.clone(),
        version: talk.hello.engine.version.clone(),
        features: reported(&talk.hello.features),
        shapes: reported(&talk.hello.shapes),
        answers,
    })
}
