//! Whether an answer depends on the direction.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Exhibit, Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, Measure, World};

pub(crate) const ISOTROPY: GaugeEntry = GaugeEntry {
    name: "friction.isotropy",
    label: "spread over directions",
    better: Better::Lower,
    definition: "Difference of the largest and the smallest of what the bodies come to, as a share of their mean, in the last frame of the window: of how far each is from where it began, or of the claim's `measure`. For bodies that are alike and differ only in the direction in which they were sent off. The reading names the directions in which most and least was found.",
    formula: "(max_k q_k - min_k q_k) / mean_k q_k, q_k = |x_k(t_end) - x_k(t_0)| across gravity",
    source: "Coulomb's law: the force of friction is opposed to the slip, whatever its direction, and a floor has none of its own",
    limits: "Three bodies at least. It says nothing of how large the answer is: hold one of them against its closed form as well.",
    usual_causes: "the cone of friction taken as a pyramid along two axes of the contact, which holds up to 1.41 times as much along its diagonals; tangents that follow an axis of the world; friction of one axis only",
    next_step: advice::FRICTION,
    takes: &[Need::Measure],
    needs_geometry: false,
    dimensions: Dimension::SPACE_ONLY,
    make: isotropy,
    ..PLAIN
};

struct Isotropy {
    of: Vec<usize>,
    measure: Option<Measure>,
    start: Vec<Option<DVec3>>,
    /// What each came to, and the way it went.
    values: Vec<Option<(f64, DVec3)>>,
}

pub(crate) fn isotropy(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Isotropy {
        of: scope.of.clone(),
        measure: scope.details.measure.clone(),
        start: vec![None; scope.of.len()],
        values: vec![None; scope.of.len()],
    })
}

impl Gauge for Isotropy {
    fn observe(&mut self, view: &View<'_>) {
        for (slot, &id) in self.of.iter().enumerate() {
            let state = &view.now.bodies[id];
            if state.is_absent() {
                self.values[slot] = None;
                continue;
            }
            let start = *self.start[slot].get_or_insert(state.pose.position);
            let up = view.fall(id).normalize_or_zero();
            let way = state.pose.position - start;
            let way = way - up * way.dot(up);
            let value = match &self.measure {
                Some(measure) => measure.at(&view.moment(id, &self.of)),
                None => way.length(),
            };
            self.values[slot] = value.is_finite().then_some((value, way));
        }
    }

    /// Values of the last frame alone count.
    fn so_far(&self, _: &World) -> Option<f64> {
        None
    }

    fn exhibit(&self) -> Option<Exhibit> {
        let ways: Vec<(DVec3, f64)> = self.values.iter().flatten().map(|&(value, way)| (way, value)).collect();
        // As in the reading: where all came to nothing there is no share of it.
        let sum = ways.iter().map(|(_, value)| value).sum::<f64>();
        (ways.len() >= 3 && sum != 0.0).then_some(Exhibit::Directions { ways })
    }

    fn reading(&self, world: &World) -> Reading {
        let known: Vec<(f64, DVec3, usize)> = self
            .values
            .iter()
            .zip(&self.of)
            .filter_map(|(value, &id)| value.map(|(value, way)| (value, way, id)))
            .collect();
        if known.len() < 3 {
            return Reading::nothing(format!("{} bodies are there, and three are needed", known.len()));
        }
        let mean = known.iter().map(|(value, ..)| value).sum::<f64>() / known.len() as f64;
        if !(mean.abs() > 0.0) {
            return Reading::nothing("all came to nothing");
        }
        let pick = |better: fn(f64, f64) -> bool| {
            known.iter().fold(&known[0], |best, one| if better(one.0, best.0) { one } else { best })
        };
        let (most, least) = (pick(|a, b| a > b), pick(|a, b| a < b));
        let towards = |way: DVec3| {
            let way = way.normalize_or_zero();
            // Rounded first, so that no zero has a sign.
            let [x, y, z] = way.to_array().map(|part| (100.0 * part).round() / 100.0 + 0.0);
            format!("({x:.2}, {y:.2}, {z:.2})")
        };
        let detail = format!(
            "from {:.6} ({} towards {}) to {:.6} ({} towards {})",
            least.0,
            world.bodies[least.2].name,
            towards(least.1),
            most.0,
            world.bodies[most.2].name,
            towards(most.1)
        );
        Reading::of((most.0 - least.0) / mean.abs(), detail)
    }
}
