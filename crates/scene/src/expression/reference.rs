//! What an expression may say of bodies by their names: `two.x`, `ingot[i+1].vy`, `crane.point([0.5, 0]).y`.

use super::tree::Tree;
use ironspin_model::{BodyState, DVec3, Dimension, Moment};

/// A body as it is written, its indices still to be worked out.
#[derive(Clone, Debug)]
pub(super) struct BodyText {
    pub(super) base: String,
    pub(super) indices: Vec<Tree>,
    /// Indices of a node, where one is meant.
    pub(super) node: Option<Vec<Tree>>,
}

/// A field of a body or of a point of it, as it is written; of the body that is measured itself where none is named.
#[derive(Clone, Debug)]
pub(super) struct Reference {
    pub(super) body: Option<BodyText>,
    /// In the body's own frame about its centre of mass, m.
    pub(super) point: Option<Vec<Tree>>,
    pub(super) field: String,
    /// Place in the text, counted in characters from 1.
    pub(super) at: usize,
}

/// A number of a state.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Field {
    /// One of the names of a state, by its index.
    State(usize),
    /// Known already: a mass or a moment of inertia.
    Known(f64),
    /// Of a point of the body: a component of its place or velocity, or its speed.
    Point(DVec3, PointField),
}

/// What may be asked of a point.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum PointField {
    Place(usize),
    Velocity(usize),
    Speed,
}

/// The names of [`PointField`]s.
const POINT_FIELDS: [(&str, PointField); 7] = [
    ("x", PointField::Place(0)),
    ("y", PointField::Place(1)),
    ("z", PointField::Place(2)),
    ("vx", PointField::Velocity(0)),
    ("vy", PointField::Velocity(1)),
    ("vz", PointField::Velocity(2)),
    ("speed", PointField::Speed),
];

/// What may be asked of a point of a body, and under which names.
pub(super) fn point_fields(dimension: Dimension) -> impl Iterator<Item = (&'static str, PointField)> + Clone {
    let outside = move |name: &str| dimension == Dimension::Plane && name.ends_with('z');
    POINT_FIELDS.into_iter().filter(move |(name, _)| !outside(name))
}

/// Whose number it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Who {
    /// The body that is measured itself.
    Own,
    /// The partner in a force.
    Partner,
    /// A body by its id.
    Id(usize),
}

/// A reference that was worked out.
#[derive(Clone, Copy, Debug)]
pub(super) struct Target {
    pub(super) who: Who,
    pub(super) field: Field,
}

impl Target {
    /// Its value; not a number for a body that is not there.
    pub(super) fn value(
        &self,
        moment: &Moment<'_>,
        own: usize,
        partner: Option<usize>,
        state_value: impl Fn(&BodyState, usize) -> f64,
    ) -> f64 {
        let id = match self.who {
            Who::Own => Some(own),
            Who::Partner => partner,
            Who::Id(id) => Some(id),
        };
        let Some(state) = id.and_then(|id| moment.bodies.get(id)) else { return f64::NAN };
        match self.field {
            _ if state.is_absent() => f64::NAN,
            Field::Known(value) => value,
            Field::State(index) => state_value(state, index),
            Field::Point(local, field) => match field {
                PointField::Place(axis) => state.place_of(local)[axis],
                PointField::Velocity(axis) => state.velocity_of(local)[axis],
                PointField::Speed => state.velocity_of(local).length(),
            },
        }
    }
}
