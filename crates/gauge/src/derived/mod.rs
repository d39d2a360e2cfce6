//! What several gauges of a trial work out from the same frames, kept so that it is worked out once.

mod best_fit;
mod between;
mod energy;
mod explainer;
mod motion;
mod reader;
mod skin;
mod stores;
mod touch;

pub(crate) use best_fit::goals;
pub(crate) use between::Between;
pub(crate) use energy::brought;
pub use energy::{MechanicalEnergy, mechanical_energy};
pub(crate) use explainer::beyond_contacts;
pub(crate) use motion::{driven, unexplained};
pub(crate) use reader::Reader;
pub(crate) use skin::each_skin_overlap;
pub(crate) use stores::{Stores, given_way, yielded};
pub(crate) use touch::{closing, first_touch};

use energy::Energies;
use explainer::Explainers;
use std::cell::RefCell;

/// Kept beside the frames of a trial.
#[derive(Debug, Default)]
pub struct Derived {
    /// What gauges know of the pushes on bodies.
    pub(crate) explainers: RefCell<Explainers>,
    /// The energies of all bodies in the frame now.
    pub(crate) energies: RefCell<Energies>,
}
