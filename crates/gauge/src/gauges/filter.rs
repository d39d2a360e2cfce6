//! Who may collide with whom.

use crate::advice;
use crate::derived::beyond_contacts;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{Dimension, World};
use std::collections::BTreeSet;

pub(crate) const BREACHES: GaugeEntry = GaugeEntry {
    name: "filter.breaches",
    label: "excluded pairs that answered",
    unit: "pairs",
    better: Better::Lower,
    definition: "Number of pairs that layers, `apart` or a joint keep from touching, one of the set, of which a body's velocity changed while they touched in a way that its allowed contacts do not explain.",
    formula: "count of excluded pairs within reach of each other and ghost > max(0.001 |v|, 0.5 g dt)",
    source: "definition of the filter: two bodies meet only if each one's layers share a bit with what the other meets",
    limits: "A pair that never touches shows nothing, and the reading warns when that is so for all. Bodies that overlap others at the same time are explained by them.",
    usual_causes: "masks compared in one order only; one body's mask ignored; the filter looked up when bodies are built and not when they meet",
    counts: true,
    next_step: advice::FILTER,
    make: breaches,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const IGNORED: GaugeEntry = GaugeEntry {
    name: "filter.ignored",
    label: "allowed pairs that did not answer",
    definition: "Number of pairs that may touch, one of the set, that lay in each other by more than a quarter of the smaller one's smallest size.",
    formula: "count of allowed pairs with depth > s / 4 in any frame",
    limits: "A fast body that passes through another between two frames is seen by the tunnel gauges instead.",
    usual_causes: "a filter that excludes too much; masks of more than sixteen bits cut short; collision switched off for one kind of pair",
    next_step: advice::FILTER,
    make: ignored,
    ..BREACHES
};

struct Filter {
    of: Vec<usize>,
    members: Membership,
    others: Membership,
    ignored: bool,
    excluded: Vec<(usize, usize)>,
    frames: u64,
    touched: BTreeSet<(usize, usize)>,
    /// Which pairs of the last search for neighbours are known to have touched.
    known: Vec<bool>,
    search: u64,
    found: BTreeSet<(usize, usize)>,
    first: Option<(f64, usize, usize)>,
}

fn new(world: &World, scope: &Scope, ignored: bool) -> Box<dyn Gauge> {
    Box::new(Filter {
        of: scope.of.clone(),
        members: Membership::of(world, &scope.of),
        others: Membership::of_or_everything(world, &scope.against),
        ignored,
        excluded: Vec::new(),
        frames: 0,
        touched: BTreeSet::new(),
        known: Vec::new(),
        search: 0,
        found: BTreeSet::new(),
        first: None,
    })
}

pub(crate) fn breaches(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, false)
}

pub(crate) fn ignored(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, true)
}

impl Filter {
    fn note(&mut self, time: f64, pair: (usize, usize)) {
        self.found.insert(pair);
        self.first.get_or_insert((time, pair.0, pair.1));
    }

    fn see_excluded(&mut self, view: &View<'_>) {
        if self.frames == 1 {
            let shapes = view.cache.shapes();
            let anybody = if shapes.all_may_meet() { &[] } else { &self.of[..] };
            for &a in anybody {
                let others = (0..view.world.bodies.len()).filter(|&b| b != a && self.others.has(b));
                self.excluded.extend(others.filter(|&b| !shapes.may_meet(a, b)).map(|b| (a.min(b), a.max(b))));
            }
            self.excluded.sort_unstable();
            self.excluded.dedup();
        }
        let mut answered = Vec::new();
        for &(a, b) in &self.excluded {
            if !(view.present(a) && view.present(b)) {
                continue;
            }
            let speed = |id: usize| {
                view.now.bodies[id].velocity.length().max(view.before.map_or(0.0, |f| f.bodies[id].velocity.length()))
            };
            let size = view.smaller_size(a, b);
            let within = 1.5 * (speed(a) + speed(b)) * view.span() + 0.01 * size;
            let gap = |when: When| view.gap(when, a, b, within).distance;
            let nearest = gap(When::Before).min(gap(When::Now));
            if !(nearest <= within) {
                continue;
            }
            if nearest <= 0.0 {
                self.touched.insert((a, b));
            }
            let pushed = |id: usize| {
                let floor =
                    (1e-3 * view.now.bodies[id].velocity.length()).max(0.5 * view.fall(id).length() * view.span());
                view.world.bodies[id].mass > 0.0 && beyond_contacts(view, id) > floor
            };
            if pushed(a) || pushed(b) {
                answered.push((a, b));
            }
        }
        for pair in answered {
            self.note(view.now.time, pair);
        }
    }

    fn see_allowed(&mut self, view: &View<'_>) {
        let (neighbours, search) = view.cache.neighbours();
        if search != self.search {
            self.search = search;
            self.known.clear();
            self.known.resize(neighbours, false);
        }
        let mut sunk = Vec::new();
        view.cache.candidates(&self.members, &self.others, 0.0, |candidate| {
            let (a, b) = candidate.bodies;
            let deep = 0.25 * view.smaller_size(a, b);
            let known = candidate.number.is_some_and(|number| self.known[number]);
            // What is known to touch need not be looked at, if it cannot lie deep.
            let touches = known || candidate.bounds.high <= 0.0;
            if !touches || !(-candidate.bounds.low <= deep) {
                let gap = view.cache.gap_of(candidate, 0.0).distance;
                if -gap > deep {
                    sunk.push((a, b));
                }
                if gap > 0.0 {
                    return;
                }
            }
            if !known {
                self.touched.insert((a, b));
                if let Some(number) = candidate.number {
                    self.known[number] = true;
                }
            }
        });
        for pair in sunk {
            self.note(view.now.time, pair);
        }
    }
}

impl Gauge for Filter {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        if self.ignored { self.see_allowed(view) } else { self.see_excluded(view) }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let name = |id: usize| world.bodies[id].name.as_str();
        let kind = if self.ignored { "allowed" } else { "excluded" };
        let detail = match self.first {
            Some((time, a, b)) => format!("{} with {} first, at {time:.3} s", name(a), name(b)),
            None => format!("{} {kind} pairs touched", self.touched.len()),
        };
        let reading = Reading::of(self.found.len() as f64, detail);
        if self.touched.is_empty() && !self.ignored {
            return reading.warn("no excluded pair touched, so the filter was not tried");
        }
        reading
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, DVec3, Frame, PlaneShape, World};

    /// Two wagons on different layers that run towards each other.
    fn wagons(excluded: bool) -> World {
        let wagon = |x: f64| ("wagon", BodyKind::Dynamic, PlaneShape::Box(DVec2::ONE), DVec2::new(x, 0.0));
        let mut world = world(&[wagon(-2.0), wagon(2.0)]);
        world.gravity = DVec3::ZERO;
        if excluded {
            // The first meets everything; the second does not meet the first's layer.
            world.bodies[1].collision_mask = !world.bodies[0].layers;
        }
        world
    }

    fn run(answers: bool) -> Vec<Frame> {
        trace(0.01, 2.0, move |t| {
            let turned = answers && t >= 0.75;
            let (x, v) = if turned { (-0.5 - 2.0 * (t - 0.75), -2.0) } else { (-2.0 + 2.0 * t, 2.0) };
            vec![state(x, 0.0, v, 0.0), state(-x, 0.0, -v, 0.0)]
        })
    }

    #[test]
    fn excluded_pairs_must_pass_and_allowed_ones_must_answer() {
        assert_eq!(measure("filter.breaches", &wagons(true), &[0, 1], &[], &run(false)).value, Some(0.0));
        assert_eq!(measure("filter.breaches", &wagons(true), &[0, 1], &[], &run(true)).value, Some(1.0));
        assert_eq!(measure("filter.ignored", &wagons(false), &[0, 1], &[], &run(true)).value, Some(0.0));
        let passed = measure("filter.ignored", &wagons(false), &[0, 1], &[], &run(false));
        assert_eq!(passed.value, Some(1.0));
        assert!(passed.detail.contains("wagon with wagon first"), "{passed:?}");
    }

    #[test]
    fn a_filter_that_was_never_tried_is_told() {
        let apart = trace(0.01, 0.5, |_| vec![state(-2.0, 0.0, 0.0, 0.0), state(2.0, 0.0, 0.0, 0.0)]);
        let reading = measure("filter.breaches", &wagons(true), &[0, 1], &[], &apart);
        assert_eq!((reading.value, reading.warnings.len()), (Some(0.0), 1));
    }
}
