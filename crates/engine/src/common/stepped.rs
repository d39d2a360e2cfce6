//! What the engine asks of a world that it steps, whatever its dimension, scalar and solver.

use ironspin_model::{BodyState, Contact, DVec3, Effect, EngineError, RayHit, SensorEvent};
use std::fmt::Debug;

/// A world in the form that dimension and settings choose.
pub(crate) trait Stepped: Debug + Send {
    /// Does one step of a length, s, and writes its contacts over what stands in a list, if there is one.
    ///
    /// # Errors
    /// [`EngineError::Unsupported`] for what this form of stepping meets and cannot do.
    fn step(&mut self, dt: f64, contacts: Option<&mut Vec<Contact>>) -> Result<(), EngineError>;

    /// Why it does not do an action on a condition; nothing where it does.
    fn refusal(&self, body: usize, effect: &Effect) -> Option<EngineError>;

    /// Does an action.
    fn act(&mut self, body: usize, effect: &Effect);

    /// Whether a node is held now.
    fn is_held(&self, _node: usize) -> bool {
        false
    }

    /// The state of a body.
    fn state(&self, body: usize) -> BodyState;

    /// Writes the states of the bodies that are marked.
    fn write_states(&self, moving: &[bool], out: &mut [BodyState]);

    /// Only for faults: a body is put elsewhere.
    fn put(&mut self, body: usize, state: &BodyState);

    /// Hands over what sensors noticed, over what stands in a list.
    fn take_events(&mut self, out: &mut Vec<SensorEvent>);

    /// All bodies on the way of a ray, the nearest first.
    fn rays(&mut self, from: DVec3, to: DVec3) -> Vec<RayHit>;

    /// Distance of the solid parts of two bodies, m, or the length of the shortest way out as a negative one, and the direction in which
    /// the second moves away from the first; nothing where this form does not work it out.
    fn gap(&self, _: usize, _: usize) -> Option<(f64, DVec3)> {
        None
    }

    /// Only for the fault that forgets.
    fn forget_contacts(&mut self);

    /// Only for the fault that forgets dents.
    fn forget_dents(&mut self) {}

    /// Finds the pairs that may touch, anew, and counts them.
    fn find_pairs(&mut self) -> usize;

    /// Contact points now, and passes of the contact solver since the start.
    fn work(&self) -> (usize, u64);

    /// A copy with everything that the next steps depend on.
    fn boxed_clone(&self) -> Box<dyn Stepped>;
}
