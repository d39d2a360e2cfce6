//! Every threshold of the engine, each a share of something in the scene. None is in metres, seconds or newtons.

/// Overlap left alone, and gap within which a slow contact already counts, as a share of the smaller body's size. Kept
/// so that a resting contact does not flicker on and off; small enough to stay well under what an overlap claim
/// would notice.
pub(crate) const SLOP: f64 = 1e-3;

/// Gap at which a swept body counts as touching, as a share of the smaller body's size. It must lie above the
/// rounding noise of coordinates and far below [`SLOP`].
pub(crate) const TOUCH: f64 = 1e-7;

/// The same for single precision, whose coordinates have nine digits fewer.
pub(crate) const TOUCH_SINGLE: f64 = 1e-3;

/// Share of the overlap beyond the slop that is removed in a step. Larger values overshoot in piles, because each
/// contact corrects without knowing of the others.
pub(crate) const OVERLAP_SHARE: f64 = 0.2;

/// Most overlap removed in one step, as a share of the smaller body's size, so that bodies built into each
/// other part without a leap.
pub(crate) const OVERLAP_STEP: f64 = 0.1;

/// A face of the second shape becomes the reference only when it separates better by this share of the size, so that
/// rounding does not make the reference flip from step to step.
pub(crate) const FACE_PREFERENCE: f64 = 1e-3;

/// Impacts a single body may have in one step before it is held where it is for the rest of the step.
pub(crate) const IMPACTS_IN_A_STEP: u32 = 100_000;

/// Impacts of one pair without any progress in time before the pair is held for the rest of the step.
pub(crate) const IMPACTS_WITHOUT_PROGRESS: u32 = 16;

/// Steps of conservative advancement before a pair is taken to touch where it is.
pub(crate) const ADVANCES: u32 = 400;

/// Passes of the contact solver end when no relative speed changed by more than this share of one step of gravity.
pub(crate) const CONVERGED: f64 = 1e-7;

/// A direction counts as that of a face when the cosine of the angle between them is within this of 1: a third of a
/// degree, below which a capsule lies on a face rather than on its end.
pub(crate) const FACE_CONE: f64 = 2e-5;

/// How far a body may go before pairs are found anew, as a share of its smallest size. Larger values find pairs less often and
/// more of them that do not touch.
pub(crate) const SLACK: f64 = 0.1;
