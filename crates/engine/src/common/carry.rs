//! What a contact takes over from the substep before.

/// What becomes of the impulses of the substep before.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Carry<R> {
    /// Ratio of the lengths of the substeps, or zero for a cold start.
    pub(crate) ratio: R,
    /// Whether that substep belongs to the same step.
    pub(crate) same_step: bool,
}
