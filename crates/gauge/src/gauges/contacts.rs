//! Contact points as the engine reports them, held against where the bodies are.

use crate::advice;
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use ironspin_model::{Contact, Dimension, Frame, World};

pub(crate) const POINTS: GaugeEntry = GaugeEntry {
    name: "contacts.points",
    label: "contact points a pair",
    unit: "points",
    better: Better::Lower,
    definition: "Mean number of contact points that the engine reports for two bodies, one of the set, that lie in contact by the gauge's own geometry; over all frames and such pairs. The reading also gives points a body.",
    formula: "sum of points of pairs with gap <= 0.01 s / sum of such pairs",
    source: "definition; two bodies in the plane rest on each other by at most two points (a box on a floor by its corners), boxes in space by four, or by up to eight where faces cross",
    limits: "An engine need not report contacts: then nothing is measured. Points of an engine that adds up several impacts of a step count each time they are reported.",
    usual_causes: "points between the ends of an edge that carry nothing; the same point reported twice; every vertex of a chain",
    next_step: advice::CONTACTS,
    make: points,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const PHANTOM: GaugeEntry = GaugeEntry {
    name: "contacts.phantom",
    label: "contacts that are not there",
    unit: "contacts",
    definition: "Number of reported contact points with an impulse whose bodies stay further apart than they travel in a step and a half, by the gauge's own geometry.",
    formula: "count of points with impulse > 0 and gap > 1.5 |v_rel| dt + 0.01 s before and after the step",
    source: "bodies push each other where they touch",
    limits: "As far as bodies travel in a step and a half, contacts are believed.",
    usual_causes: "contacts kept after bodies parted; surrounding boxes taken for shapes; wrong ids",
    counts: true,
    next_step: advice::CONTACTS,
    make: phantom,
    ..POINTS
};

struct Contacts {
    members: Membership,
    everything: Membership,
    phantoms_count: bool,
    frames: u64,
    reported: u64,
    points: u64,
    pairs: u64,
    bodies: u64,
    /// The frame in which each body was last counted.
    touched_in: Vec<u64>,
    /// Kept for the next step, to spare allocations.
    pairs_told: Vec<(usize, usize)>,
    phantoms: u64,
    first_phantom: Option<(f64, usize, usize)>,
}

fn new(world: &World, scope: &Scope, phantoms_count: bool) -> Box<dyn Gauge> {
    Box::new(Contacts {
        members: Membership::of(world, &scope.of),
        everything: Membership::of_or_everything(world, &scope.against),
        phantoms_count,
        frames: 0,
        reported: 0,
        points: 0,
        pairs: 0,
        bodies: 0,
        touched_in: vec![0; world.bodies.len()],
        pairs_told: Vec::new(),
        phantoms: 0,
        first_phantom: None,
    })
}

pub(crate) fn points(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, false)
}

pub(crate) fn phantom(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, true)
}

impl Contacts {
    /// Reported contacts of the bodies asked for that are there.
    fn reported<'v>(&self, view: &View<'v>) -> impl Iterator<Item = &'v Contact> {
        let (view, all) = (*view, view.cache.all_are_there());
        let known = move |id: usize| id < view.world.bodies.len() && (all || view.present(id));
        view.now.contacts.iter().filter(move |contact| {
            let [a, b] = contact.bodies;
            known(a) && known(b) && self.members.links(&self.everything, a, b)
        })
    }

    fn see_phantoms(&mut self, view: &View<'_>, before: &Frame) {
        let (mut reported, mut phantoms, mut first) = (0, 0, None);
        let mut place = 0;
        for contact in self.reported(view) {
            reported += 1;
            let [a, b] = contact.bodies;
            let slop = 0.01 * view.smaller_size(a, b);
            // Most lie so near that it need not be asked how far they travel.
            if !(contact.impulse > 0.0) || view.cache.bounds_of((a, b), &mut place).high <= slop {
                continue;
            }
            let relative = |frame: &Frame| (frame.bodies[a].velocity - frame.bodies[b].velocity).length();
            let turning = |id: usize| {
                let reach = view.cache.shapes().reach(id);
                let spin = before.bodies[id].spin.length().max(view.now.bodies[id].spin.length());
                if reach.is_finite() { spin * reach } else { 0.0 }
            };
            let fall = view.fall(a).length().max(view.fall(b).length()) * view.span();
            let speed = relative(before).max(relative(view.now)) + turning(a) + turning(b) + fall;
            let within = 1.5 * speed * view.span() + slop;
            if ![When::Now, When::Before].iter().any(|&when| view.gap(when, a, b, within).distance <= within) {
                phantoms += 1;
                first.get_or_insert((view.now.time, a, b));
            }
        }
        self.reported += reported;
        self.phantoms += phantoms;
        self.first_phantom = self.first_phantom.or(first);
    }

    fn see_points(&mut self, view: &View<'_>) {
        let mut reported = std::mem::take(&mut self.pairs_told);
        reported.clear();
        reported.extend(self.reported(view).map(|contact| {
            let [a, b] = contact.bodies;
            (a.min(b), a.max(b))
        }));
        self.reported += reported.len() as u64;
        if !reported.is_sorted() {
            reported.sort_unstable();
        }
        let mut next = reported.iter().peekable();
        view.cache.candidates(&self.members, &self.everything, 0.01 * view.cache.shapes().widest(), |candidate| {
            let (a, b) = candidate.bodies;
            let within = 0.01 * view.smaller_size(a, b);
            let near = candidate.bounds.high <= within
                || !(candidate.bounds.low > within) && view.cache.gap_of(candidate, within).distance <= within;
            if !near {
                return;
            }
            self.pairs += 1;
            while next.next_if(|&&pair| pair < (a, b)).is_some() {}
            while next.next_if(|&&pair| pair == (a, b)).is_some() {
                self.points += 1;
            }
            for id in [a, b] {
                if self.members.has(id) && self.touched_in[id] != self.frames {
                    self.touched_in[id] = self.frames;
                    self.bodies += 1;
                }
            }
        });
        self.pairs_told = reported;
    }
}

impl Gauge for Contacts {
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        let Some(before) = view.before else { return };
        if self.phantoms_count {
            self.see_phantoms(view, before);
        } else {
            self.see_points(view);
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        if self.phantoms_count {
            let detail = self.first_phantom.map_or_else(
                || format!("all of {} reported contacts are near enough", self.reported),
                |(time, a, b)| format!("{} with {} first, at {time:.3} s", world.bodies[a].name, world.bodies[b].name),
            );
            return Reading::of(self.phantoms as f64, detail);
        }
        if self.pairs == 0 {
            return Reading::nothing("nothing touched");
        }
        if self.reported == 0 {
            return Reading::unsupported("no contacts are reported, though bodies touch");
        }
        let per_body = self.points as f64 / self.bodies.max(1) as f64;
        let detail = format!("{} pairs over {} frames, {per_body:.2} points a body", self.pairs, self.frames);
        Reading::of(self.points as f64 / self.pairs as f64, detail)
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, Contact, DVec2, DVec3, Frame, PlaneShape, World};

    fn quay() -> World {
        world(&[
            ("quay", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO),
            ("ingot", BodyKind::Dynamic, PlaneShape::Box(DVec2::ONE), DVec2::new(0.0, 0.5)),
        ])
    }

    fn lying(y: f64, points: usize) -> Vec<Frame> {
        let mut frames = trace(0.01, 0.2, |_| vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, y, 0.0, 0.0)]);
        for frame in &mut frames {
            let contact = Contact {
                bodies: [0, 1],
                point: DVec3::ZERO,
                normal: DVec3::Y,
                depth: 0.0,
                impulse: 0.1,
                times: Some(1),
            };
            frame.contacts = vec![contact; points];
        }
        frames
    }

    #[test]
    fn a_box_on_its_corners_has_two_points_and_one_on_three_is_seen() {
        assert_eq!(measure("contacts.points", &quay(), &[1], &[], &lying(0.5, 2)).value, Some(2.0));
        assert_eq!(measure("contacts.points", &quay(), &[1], &[], &lying(0.5, 3)).value, Some(3.0));
        assert!(measure("contacts.points", &quay(), &[1], &[], &lying(0.5, 0)).value.is_none());
    }

    #[test]
    fn contacts_of_bodies_that_are_far_apart_are_phantoms() {
        assert_eq!(measure("contacts.phantom", &quay(), &[1], &[], &lying(0.5, 2)).value, Some(0.0));
        let hovering = measure("contacts.phantom", &quay(), &[1], &[], &lying(0.9, 2));
        assert_eq!(hovering.value, Some(40.0));
        assert!(hovering.detail.contains("quay with ingot"), "{hovering:?}");
    }
}
