//! Notices of sensors against where bodies are.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::{Moving, Plane, Room, Space};
use ironspin_model::{BodyKind, BodyState, Dimension, SensorEventKind, World};
use std::collections::{BTreeMap, BTreeSet};

pub(crate) const WRONG: GaugeEntry = GaugeEntry {
    name: "sensor.wrong",
    label: "wrong notices",
    unit: "notices",
    better: Better::Lower,
    definition: "Number of times that what the notices of a sensor say is inside differs for two frames on end from what is inside by the gauge's own geometry, and of passes within one step of which no notice came.",
    formula: "count of (sensor part, other part) with inside_told != inside_seen for two frames, + unnoticed passes",
    source: "definition: a sensor notices every solid part that overlaps it",
    limits: "A graze of less than a fiftieth of the smaller part's size is not counted either way. The sensors among `of` and `against`, or all there are where neither has one, are tried against all bodies.",
    usual_causes: "no leave for a body that is removed or asleep; a pass between two frames; enter again for a body that never left; an overlap as built",
    needs: &[Need::Sensor],
    counts: true,
    needs_geometry: true,
    next_step: advice::SENSOR,
    make: wrong,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const MISSED: GaugeEntry = GaugeEntry {
    name: "sensor.missed",
    label: "missed by a sensor",
    definition: "Of the wrong notices, those where something was inside, or passed, that the notices do not mention.",
    formula: "count of (sensor part, other part) with inside_seen and not inside_told for two frames, + unnoticed passes",
    next_step: advice::SENSOR,
    make: missed,
    ..WRONG
};

/// Body and part of the sensor, body and part of the other.
type Key = ([usize; 2], [usize; 2]);

/// One solid or sensor part in its body's frame.
struct Piece<G: Room> {
    part: [usize; 2],
    colliders: Vec<G::Collider>,
    size: f64,
}

struct Sensor<G: Room> {
    sensors: Vec<Piece<G>>,
    others: Vec<Piece<G>>,
    missed_only: bool,
    reported: BTreeSet<Key>,
    /// For how many frames a difference has lasted.
    differs: BTreeMap<Key, u32>,
    /// Passes within the last step that no notice has reported yet.
    passes: BTreeSet<Key>,
    /// What notices came of in the last two steps.
    recent: [BTreeSet<Key>; 2],
    frames: u64,
    seen: u64,
    missed: u64,
    made_up: u64,
    first: Option<(f64, Key)>,
}

fn new(world: &World, scope: &Scope, missed_only: bool) -> Box<dyn Gauge> {
    match world.dimension {
        Dimension::Plane => of_dimension::<Plane>(world, scope, missed_only),
        Dimension::Space => of_dimension::<Space>(world, scope, missed_only),
    }
}

fn of_dimension<G: Room>(world: &World, scope: &Scope, missed_only: bool) -> Box<dyn Gauge>
where
    Sensor<G>: Gauge,
{
    let pieces = |ids: &mut dyn Iterator<Item = usize>, sensor: bool| -> Vec<Piece<G>> {
        let of_body = |id: usize| {
            let parts = world.bodies[id].parts.iter().enumerate().filter(move |(_, part)| part.sensor == sensor);
            parts.map(move |(number, part)| Piece {
                part: [id, number],
                colliders: G::colliders(part),
                size: part.shape.smallest_size(),
            })
        };
        ids.flat_map(of_body).collect()
    };
    let has_sensor = |id: &usize| world.bodies[*id].parts.iter().any(|part| part.sensor);
    // Sensors are mostly static, which a claim's `of` leaves out: without one in the set all of the world count.
    let chosen: Vec<usize> = scope.of.iter().chain(&scope.against).copied().filter(has_sensor).collect();
    let sensors = if chosen.is_empty() { (0..world.bodies.len()).filter(has_sensor).collect() } else { chosen };
    Box::new(Sensor::<G> {
        sensors: pieces(&mut sensors.into_iter(), true),
        others: pieces(&mut (0..world.bodies.len()), false),
        missed_only,
        reported: BTreeSet::new(),
        differs: BTreeMap::new(),
        passes: BTreeSet::new(),
        recent: [BTreeSet::new(), BTreeSet::new()],
        frames: 0,
        seen: 0,
        missed: 0,
        made_up: 0,
        first: None,
    })
}

pub(crate) fn wrong(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, false)
}

pub(crate) fn missed(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    new(world, scope, true)
}

/// Overlap of two parts, m; negative where they are apart.
fn depth<G: Room>(a: &Piece<G>, at: &BodyState, b: &Piece<G>, bt: &BodyState) -> f64 {
    let mut deepest = f64::NEG_INFINITY;
    for part in &a.colliders {
        let placed = G::placed(part, at);
        for counterpart in &b.colliders {
            deepest = deepest.max(-G::distance(&G::gap_within(&placed, &G::placed(counterpart, bt), 0.0)));
        }
    }
    deepest
}

impl<G: Room> Sensor<G> {
    fn take_notices(&mut self, view: &View<'_>) {
        self.recent.swap(0, 1);
        self.recent[0].clear();
        for event in &view.now.events {
            let key = (event.sensor, event.other);
            self.recent[0].insert(key);
            match event.kind {
                SensorEventKind::Enter => self.reported.insert(key),
                SensorEventKind::Leave => self.reported.remove(&key),
            };
        }
    }

    fn noticed(&self, key: &Key) -> bool {
        self.recent.iter().any(|recent| recent.contains(key))
    }

    fn note(&mut self, time: f64, key: Key, missed: bool) {
        self.first.get_or_insert((time, key));
        if missed { self.missed += 1 } else { self.made_up += 1 }
    }
}

impl<G: Room> Gauge for Sensor<G>
where
    G::Collider: Send,
{
    fn observe(&mut self, view: &View<'_>) {
        self.frames += 1;
        self.take_notices(view);
        for key in std::mem::take(&mut self.passes) {
            if !self.noticed(&key) {
                self.note(view.now.time, key, true);
            }
        }
        let mut found = Vec::new();
        let mut passed = Vec::new();
        for sensor in &self.sensors {
            for other in &self.others {
                let (a, b) = (sensor.part[0], other.part[0]);
                let bodies = &view.world.bodies;
                let still = bodies[a].kind == BodyKind::Static && bodies[b].kind == BodyKind::Static;
                if a == b || still || !view.cache.shapes().may_meet(a, b) {
                    continue;
                }
                let key = (sensor.part, other.part);
                let reported = self.reported.contains(&key);
                let state = |id: usize| &view.now.bodies[id];
                if state(a).is_absent() || state(b).is_absent() {
                    found.push((key, reported, false));
                    continue;
                }
                let size = sensor.size.min(other.size);
                let depth = depth(sensor, state(a), other, state(b));
                let graze = 0.02 * if size.is_finite() { size } else { 0.0 };
                if depth > 0.0 {
                    self.seen += 1;
                }
                let inside = if depth.abs() <= graze { reported } else { depth > 0.0 };
                found.push((key, reported, inside));
                // Clear of it before and after, and yet across it: a pass within the step.
                if let Some(before) = view.before
                    && depth < 0.0
                    && view.present(a)
                    && view.present(b)
                    && !reported
                    && crossed(sensor, other, [&before.bodies[a], state(a)], [&before.bodies[b], state(b)], graze)
                {
                    passed.push(key);
                }
            }
        }
        for key in passed {
            if !self.noticed(&key) {
                self.passes.insert(key);
            }
        }
        for (key, reported, inside) in found {
            if reported == inside {
                self.differs.remove(&key);
                continue;
            }
            let frames = self.differs.entry(key).or_default();
            *frames += 1;
            if *frames == 2 {
                self.note(view.now.time, key, inside);
            }
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.sensors.is_empty() {
            return Reading::unsupported("there is no sensor");
        }
        if self.frames < 2 {
            return Reading::nothing("fewer than two frames lie in the window");
        }
        let value = if self.missed_only { self.missed } else { self.missed + self.made_up };
        let detail = match self.first {
            None => format!("all notices are right; something was inside for {} frames", self.seen),
            Some((time, (sensor, other))) => format!(
                "{} missed, {} made up; first {} in {}, at {time:.3} s",
                self.missed, self.made_up, world.bodies[other[0]].name, world.bodies[sensor[0]].name
            ),
        };
        let reading = Reading::of(value as f64, detail);
        if self.seen == 0 && self.missed + self.made_up == 0 {
            return reading.warn("nothing was ever inside at a frame, so the sensors were hardly tried");
        }
        reading
    }
}

/// Whether one part was deep in the other between two frames at both of which they are apart.
fn crossed<G: Room>(sensor: &Piece<G>, other: &Piece<G>, at: [&BodyState; 2], bt: [&BodyState; 2], graze: f64) -> bool {
    if depth(sensor, at[0], other, bt[0]) >= 0.0 {
        return false;
    }
    let touch = |part: &G::Collider, counterpart: &G::Collider| {
        let (one, two) = (
            Moving::<G> { collider: part, from: at[0], to: at[1] },
            Moving::<G> { collider: counterpart, from: bt[0], to: bt[1] },
        );
        one.first_touch(&two, 1e-9).map(|(share, _)| share)
    };
    let shares =
        || sensor.colliders.iter().flat_map(|part| other.colliders.iter().map(move |other| touch(part, other)));
    let Some(first) =
        shares().flatten().fold(None, |first: Option<f64>, share| Some(first.map_or(share, |f| f.min(share))))
    else {
        return false;
    };
    // Somewhere after the first touch it must be in by more than a graze.
    (1..16).any(|k| {
        let share = first + (1.0 - first) * f64::from(k) / 16.0;
        let between = |[from, to]: [&BodyState; 2]| G::between(from, to, share);
        depth(sensor, &between(at), other, &between(bt)) > graze
    })
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, DVec3, Frame, PlaneShape, SensorEvent, SensorEventKind, World};

    fn gate() -> World {
        let mut world = world(&[
            ("gate", BodyKind::Static, PlaneShape::Box(DVec2::new(0.4, 4.0)), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::new(-1.0, 0.0)),
        ]);
        world.gravity = DVec3::ZERO;
        world.bodies[0].parts[0].sensor = true;
        world
    }

    /// The ball runs through the gate at 2 m/s; it is inside from t = 0.35 to 0.65.
    fn run(dt: f64, notices: &[(u64, SensorEventKind)]) -> Vec<Frame> {
        let mut frames = trace(dt, 1.0, |t| vec![state(0.0, 0.0, 0.0, 0.0), state(2.0 * t - 1.0, 0.0, 2.0, 0.0)]);
        for &(step, kind) in notices {
            frames[step as usize].events.push(SensorEvent { step, kind, sensor: [0, 0], other: [1, 0] });
        }
        frames
    }

    fn wrong(frames: &[Frame]) -> [f64; 2] {
        ["sensor.wrong", "sensor.missed"].map(|gauge| measure(gauge, &gate(), &[1], &[], frames).value.unwrap())
    }

    #[test]
    fn notices_at_the_right_steps_are_right_and_others_are_not() {
        use SensorEventKind::{Enter, Leave};
        assert_eq!(wrong(&run(0.01, &[(36, Enter), (66, Leave)])), [0.0, 0.0]);
        assert_eq!(wrong(&run(0.01, &[])), [1.0, 1.0], "missed");
        assert_eq!(wrong(&run(0.01, &[(36, Enter)])), [1.0, 0.0], "no leave");
        assert_eq!(wrong(&run(0.01, &[(10, Enter), (66, Leave)])), [1.0, 0.0], "too early");
        assert_eq!(wrong(&run(0.01, &[(50, Enter), (66, Leave)])), [1.0, 1.0], "too late");
    }

    #[test]
    fn a_pass_within_one_step_must_be_noticed() {
        use SensorEventKind::{Enter, Leave};
        assert_eq!(wrong(&run(0.5, &[(2, Enter), (2, Leave)])), [0.0, 0.0], "one frame late");
        let pass = |notices: &[(u64, SensorEventKind)]| {
            let mut frames = run(1.0, notices);
            frames.push(Frame { step: 2, time: 2.0, ..frames[1].clone() });
            frames[2].events.clear();
            wrong(&frames)
        };
        assert_eq!(pass(&[(1, Enter), (1, Leave)]), [0.0, 0.0]);
        assert_eq!(pass(&[]), [1.0, 1.0]);
    }
}
