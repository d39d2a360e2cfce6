//! What touched in a step, summed over its sub-steps.

use super::place::Place;
use super::touch::{Key, Side, Touch};
use crate::common::scalar::Real;
use ironspin_model::Contact;
use std::collections::BTreeMap;

/// Touches of a step, one row a touching node or corner.
#[derive(Clone, Debug, Default)]
pub(super) struct Notes<V, R>(BTreeMap<Key, Noted<V, R>>);

#[derive(Clone, Debug)]
struct Noted<V, R> {
    ids: [usize; 2],
    point: V,
    normal: V,
    gap: R,
    impulse: R,
    impacts: u64,
}

impl<V: Place<R>, R: Real> Notes<V, R> {
    pub(super) fn clear(&mut self) {
        self.0.clear();
    }

    /// Notes the touches of a sub-step; `first` is the id of the first node.
    pub(super) fn add<S: Side, A>(&mut self, touches: &[Touch<S, V, A, R>], first: usize) {
        for touch in touches {
            let ids = touch.sides.map(|side| side.owner().unwrap_or_else(|node| first + node));
            let (point, normal, gap) = (touch.point, touch.normal, touch.gap);
            let fresh = Noted { ids, point, normal, gap, impulse: R::ZERO, impacts: 0 };
            let noted = self.0.entry(touch.key).or_insert(fresh);
            (noted.point, noted.normal, noted.gap) = (point, normal, gap);
            noted.impulse += touch.on_speeds.0;
            noted.impacts += u64::from(touch.is_impact);
        }
    }

    pub(super) fn contacts(&self) -> impl Iterator<Item = Contact> + '_ {
        self.0.values().map(|noted| {
            let [a, b] = noted.ids;
            let flip = a > b;
            let normal = if flip { -noted.normal } else { noted.normal };
            Contact {
                bodies: if flip { [b, a] } else { [a, b] },
                point: noted.point.to_space(),
                normal: normal.to_space(),
                depth: (-noted.gap).to_f64(),
                impulse: noted.impulse.to_f64(),
                times: Some(noted.impacts.max(1)),
            }
        })
    }
}
