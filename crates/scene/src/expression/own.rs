//! What expressions over states may speak of: the body itself, its partner, the bodies of the scene.

use crate::state::{STATE_SIZE, state_names};
use ironspin_model::{DVec3, Dimension};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What expressions may know of the bodies of a scene.
#[derive(Clone, Debug)]
pub(crate) struct Cast {
    pub(crate) dimension: Dimension,
    /// Ids by full name.
    pub(crate) ids: BTreeMap<String, usize>,
    /// Mass, kg, and in the plane moment of inertia, kg m², of each body.
    pub(crate) traits: Arc<[[f64; 2]]>,
}

/// Which names of an expression are those of the body itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Own {
    /// Its state and the time, its mass and moment of inertia.
    State,
    /// The time alone.
    Time,
    /// As [`Own::State`], and the way from a partner to it.
    Pair,
}

/// Names behind those of the state.
pub(super) const MASS: usize = STATE_SIZE;
pub(super) const INERTIA: usize = STATE_SIZE + 1;
pub(super) const WAY: usize = STATE_SIZE + 2;
pub(super) const OWN_SIZE: usize = STATE_SIZE + 6;

impl Own {
    /// The names, with their places among the values.
    pub(super) fn names(self, dimension: Dimension) -> Vec<(&'static str, usize)> {
        let state = state_names(dimension).iter().copied().enumerate().map(|(place, name)| (name, place));
        if self == Own::Time {
            return state.filter(|(name, _)| *name == "t").collect();
        }
        let mut names: Vec<_> = state.collect();
        names.push(("mass", MASS));
        if dimension == Dimension::Plane {
            names.push(("inertia", INERTIA));
        }
        if self == Own::Pair {
            let way = [("dx", WAY), ("dy", WAY + 1), ("dz", WAY + 2), ("r", WAY + 3)];
            names.extend(way.into_iter().filter(|(name, _)| dimension == Dimension::Space || *name != "dz"));
        }
        names
    }
}

/// The partner of a body in a force.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Partner {
    pub(crate) id: usize,
    /// From it to the body, or to the point of the body at which the force acts, m.
    pub(crate) way: DVec3,
}

/// Where the value of a name comes from.
#[derive(Clone, Copy, Debug)]
pub(super) enum Source {
    /// The body itself, by the place among its values.
    Own(usize),
    /// Known; none for the name of a list.
    Known(Option<f64>),
}
