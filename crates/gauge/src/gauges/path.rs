//! Distance from a path in closed form.

use crate::advice;
use crate::derived::Reader;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, Measure, Moment, World};

pub(crate) const ERROR: GaugeEntry = GaugeEntry {
    name: "path.error",
    label: "distance from the closed form",
    unit: "m",
    better: Better::Lower,
    definition: "Largest distance of the centre of any of the bodies from where the closed form that the claim gives has it at that time: in all frames, or at the claim's `at_time`.",
    formula: "max_t |x(t) - x_closed(t)|",
    source: "the closed form that the scene gives, with its law",
    limits: "Frames only. An engine of first order is off by about half a step of the motion at any time: the bound should say so.",
    usual_causes: "an integrator of first order held to a bound of second; damping; gravity or time of a wrong size",
    needs: &[Need::Path],
    takes: &[Need::AtTime],
    next_step: advice::MOTION,
    make: error,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Path {
    of: Vec<usize>,
    reader: Reader,
    closed: Option<Vec<Measure>>,
    frames: u64,
    worst: f64,
    worst_time: f64,
    worst_body: usize,
    /// The first time at which the closed form was no number, s.
    undefined: Option<f64>,
}

pub(crate) fn error(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Path {
        of: scope.of.clone(),
        reader: Reader::of(scope),
        closed: scope.details.path.clone(),
        frames: 0,
        worst: 0.0,
        worst_time: 0.0,
        worst_body: 0,
        undefined: None,
    })
}

impl Gauge for Path {
    fn observe(&mut self, view: &View<'_>) {
        let Some(closed) = &self.closed else { return };
        let of = &self.of;
        let looked = self.reader.read(view, |bodies, time| {
            let off = |body: usize| {
                let place = bodies[body].pose.position;
                let moment = Moment { bodies, body, of, time };
                match closed.as_slice() {
                    [x, y] => (place.x - x.at(&moment)).hypot(place.y - y.at(&moment)),
                    [x, y, z] => (place - DVec3::new(x.at(&moment), y.at(&moment), z.at(&moment))).length(),
                    _ => f64::NAN,
                }
            };
            let there = of.iter().filter(|&&id| !bodies[id].is_absent());
            there.map(|&id| (id, time, off(id))).collect::<Vec<_>>()
        });
        let Some(looked) = looked else { return };
        self.frames += 1;
        for (id, time, off) in looked {
            if off.is_nan() {
                self.undefined.get_or_insert(time);
            } else if off > self.worst {
                (self.worst, self.worst_time, self.worst_body) = (off, time, id);
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        match (self.frames, self.undefined) {
            (0, _) => Reading::nothing(self.reader.nothing()),
            (_, Some(time)) => Reading::nothing(format!("the path has no value at {time:.4} s")),
            _ => {
                let name = self.of.first().map_or("", |_| world.bodies[self.worst_body].name.as_str());
                let detail = format!("{name} at {:.3} s", self.worst_time);
                Reading::of(self.worst, detail).seen_at(self.worst_time, self.worst_body)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::gauge::Scope;
    use crate::gauges::trace::{measure_with, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, Details, Measure, PlaneShape};

    #[test]
    fn a_throw_follows_its_parabola_and_one_step_late_is_seen() {
        let world = world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO)]);
        let path = [
            Measure::new("3 * t", |_, t| 3.0 * t),
            Measure::new("5 * t - g * t^2 / 2", |_, t| 5.0 * t - 4.905 * t * t),
        ];
        let scope = Scope {
            of: vec![0],
            details: Details { path: Some(path.to_vec()), ..Details::default() },
            ..Scope::default()
        };
        let thrown = |late: f64| {
            trace(0.01, 1.0, move |t| {
                let t = t - late;
                vec![state(3.0 * t, 5.0 * t - 4.905 * t * t, 3.0, 5.0 - 9.81 * t)]
            })
        };
        assert!(measure_with("path.error", &world, &scope, &thrown(0.0)).value.unwrap() < 1e-14);
        let late = measure_with("path.error", &world, &scope, &thrown(0.01)).value.unwrap();
        assert!(late > 0.05, "{late}");
    }
}
