//! The first drop: how bodies fall and where they come to rest, with the usual mistakes of a set-up named.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Dimension, World};

pub(crate) const RATIO: GaugeEntry = GaugeEntry {
    name: "fall.ratio",
    label: "fall against gravity",
    better: Better::Nearer,
    definition: "Acceleration of one body over the window, fitted to where it is, along the fall that gravity should give it, as a share of that. The reading names the usual mistake: nothing moved, wrong unit of time, wrong axis or sign, gravity twice or not at all.",
    formula: "sum((x - x0 - v0 t) t^2 / 2) / sum((t^2 / 2)^2) . g / g^2",
    source: "uniformly accelerated motion; least squares",
    limits: "For one body in free flight: the window must end before it touches anything. An integrator of first order is off by about dt over the length of the window.",
    usual_causes: "the step was never called; milliseconds taken for seconds; gravity of the wrong sign or axis, or applied twice; pixels taken for metres",
    next_step: advice::FALL,
    one_body: true,
    make: ratio,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const REST: GaugeEntry = GaugeEntry {
    name: "rest.gap",
    label: "gap at rest",
    better: Better::Nearer,
    definition: "Gap between one body and the nearest of those it should rest on, in the last frame of the window, as a share of the body's smallest size; negative when it is sunk in. The reading names the usual mistake.",
    formula: "gap(t_end) / s",
    source: "bodies at rest touch",
    limits: "For one body; it says nothing of whether it lies still.",
    usual_causes: "half size taken for full size, or the other way round; the corner taken for the centre; a radius taken for a diameter",
    needs: &[Need::Against],
    next_step: advice::OVERLAP,
    one_body: true,
    make: rest,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Ratio {
    of: Vec<usize>,
    start: Option<(f64, DVec3, DVec3)>,
    expected: DVec3,
    weighted: DVec3,
    weight: f64,
    travelled: f64,
    frames: u64,
}

pub(crate) fn ratio(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Ratio {
        of: scope.of.clone(),
        start: None,
        expected: DVec3::ZERO,
        weighted: DVec3::ZERO,
        weight: 0.0,
        travelled: 0.0,
        frames: 0,
    })
}

impl Gauge for Ratio {
    fn observe(&mut self, view: &View<'_>) {
        let [id] = self.of.as_slice() else { return };
        let state = &view.now.bodies[*id];
        if state.is_absent() {
            return;
        }
        self.frames += 1;
        self.expected = view.fall(*id);
        let &mut (t0, x0, v0) = self.start.get_or_insert((view.now.time, state.pose.position, state.velocity));
        let time = view.now.time - t0;
        let half = 0.5 * time * time;
        let moved = state.pose.position - x0;
        self.travelled = self.travelled.max(moved.length());
        self.weighted += (moved - v0 * time) * half;
        self.weight += half * half;
    }

    fn reading(&self, _: &World) -> Reading {
        if self.of.len() != 1 {
            return Reading::nothing(format!("it measures one body, and {} are named", self.of.len()));
        }
        if self.frames < 3 || self.weight == 0.0 {
            return Reading::nothing("fewer than three frames lie in the window");
        }
        let fall = self.expected.length();
        if fall == 0.0 {
            return Reading::nothing("there is no gravity to fall under");
        }
        let found = self.weighted / self.weight;
        let ratio = found.dot(self.expected) / (fall * fall);
        Reading::of(ratio, mistake_of_fall(found, self.expected, ratio, self.travelled))
    }
}

/// What a fall of the wrong size or direction comes from, in words.
fn mistake_of_fall(found: DVec3, expected: DVec3, ratio: f64, travelled: f64) -> String {
    let size = found.length() / expected.length();
    let about = |value: f64, of: f64| (value / of - 1.0).abs() < 0.1;
    let axis = |v: DVec3| {
        let (name, value) = match [v.x.abs() > v.y.abs(), v.z.abs() > v.x.abs().max(v.y.abs())] {
            [_, true] => ("z", v.z),
            [true, false] => ("x", v.x),
            [false, false] => ("y", v.y),
        };
        format!("{}{name}", if value < 0.0 { "-" } else { "+" })
    };
    if travelled == 0.0 {
        return "nothing moved: was the step ever called?".to_owned();
    }
    if size < 1e-3 && !about(size, 1e-6) {
        return "it does not fall: is gravity set, and the body dynamic?".to_owned();
    }
    if ratio.abs() < 0.5 * size {
        return format!("falls along {} and not {}: is gravity on the wrong axis?", axis(found), axis(expected));
    }
    if ratio < 0.0 {
        return format!("falls along {}: has gravity the wrong sign, or does y point down?", axis(found));
    }
    let words = if about(size, 1.0) {
        "falls as it should"
    } else if size > 0.5e6 && size < 2e6 {
        "moves 1000 times too fast: is dt in milliseconds?"
    } else if size < 2e-6 {
        "moves 1000 times too slowly: are milliseconds divided by 1000 twice?"
    } else if about(size, 2.0) {
        "falls twice as hard: is gravity applied twice, or added as a force too?"
    } else if about(size, 0.5) {
        "falls half as hard: is half of gravity left out at each step?"
    } else if size > 30.0 {
        "falls far too fast: are metres taken for pixels?"
    } else if size < 0.03 {
        "falls far too slowly: are pixels taken for metres?"
    } else {
        "falls with the wrong acceleration"
    };
    words.to_owned()
}

struct Rest {
    of: Vec<usize>,
    against: Vec<usize>,
    gap: Option<f64>,
    time: f64,
}

pub(crate) fn rest(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Rest { of: scope.of.clone(), against: scope.against.clone(), gap: None, time: 0.0 })
}

impl Gauge for Rest {
    fn observe(&mut self, view: &View<'_>) {
        let [id] = self.of.as_slice() else { return };
        let gaps = self.against.iter().map(|&other| view.gap(When::Now, other, *id, f64::INFINITY).distance);
        let nearest = gaps.fold(f64::INFINITY, f64::min);
        self.gap = nearest.is_finite().then_some(nearest);
        self.time = view.now.time;
    }

    fn reading(&self, world: &World) -> Reading {
        let [id] = self.of.as_slice() else {
            return Reading::nothing(format!("it measures one body, and {} are named", self.of.len()));
        };
        let Some(gap) = self.gap else { return Reading::nothing("nothing to rest on is there") };
        let share = gap / world.bodies[*id].smallest_size();
        let words = if share < -2.0 {
            "fell through"
        } else if (share + 0.25).abs() < 0.05 {
            "rests half of its half size too low: half size taken for full size"
        } else if (share + 0.5).abs() < 0.05 {
            "rests half its size too low: half size taken for full size on both sides, or a corner for the centre"
        } else if share < -0.02 {
            "sunk in"
        } else if (share - 0.5).abs() < 0.05 {
            "rests half its size too high: full size taken for half size"
        } else if share > 3.0 {
            "never came down"
        } else if share > 0.02 {
            "hovers"
        } else {
            "rests where it should"
        };
        Reading::of(share, format!("{words}, at {:.3} s", self.time))
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, PlaneShape, World};

    fn quay() -> World {
        world(&[
            ("quay", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ingot", BodyKind::Dynamic, PlaneShape::Box(DVec2::ONE), DVec2::new(0.0, 5.0)),
        ])
    }

    #[test]
    fn each_mistake_of_a_first_drop_has_its_ratio_and_its_name() {
        for (ax, ay, ratio, words) in [
            (0.0, -9.81, 1.0, "as it should"),
            (0.0, 0.0, 0.0, "nothing moved"),
            (0.0, -9.81e6, 1e6, "milliseconds"),
            (0.0, -9.81e-6, 1e-6, "too slowly"),
            (0.0, 9.81, -1.0, "falls along +y"),
            (9.81, 0.0, 0.0, "falls along +x and not -y"),
            (0.0, -19.62, 2.0, "twice"),
            (0.0, -981.0, 100.0, "pixels"),
        ] {
            let frames = trace(0.01, 0.5, |t| {
                vec![state(0.0, 0.0, 0.0, 0.0), state(0.5 * ax * t * t, 5.0 + 0.5 * ay * t * t, ax * t, ay * t)]
            });
            let reading = measure("fall.ratio", &quay(), &[1], &[], &frames);
            let value = reading.value.unwrap();
            assert!((value - ratio).abs() <= 1e-9 * ratio.abs().max(1e-3), "{reading:?}");
            assert!(reading.detail.contains(words), "{reading:?}");
        }
    }

    #[test]
    fn each_wrong_size_has_its_gap_and_its_name() {
        for (y, share, words) in [
            (0.5, 0.0, "where it should"),
            (0.25, -0.25, "half size taken for full size"),
            (1.0, 0.5, "full size taken for half"),
            (5.0, 4.5, "never came down"),
            (-9.0, -9.5, "fell through"),
        ] {
            let frames = trace(0.1, 0.5, |_| vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, y, 0.0, 0.0)]);
            let reading = measure("rest.gap", &quay(), &[1], &[0], &frames);
            assert!((reading.value.unwrap() - share).abs() < 1e-14, "{reading:?}");
            assert!(reading.detail.contains(words), "{reading:?}");
        }
    }
}
