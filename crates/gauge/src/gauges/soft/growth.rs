//! Energy of a net that grows from step to step: an explosion.

use super::{SOFT, is_there, places, softs_of};
use crate::advice;
use crate::derived::{given_way, yielded};
use crate::entry::GaugeEntry;
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{BodyKind, DVec3, Frame, World};

pub(crate) const GROWTH: GaugeEntry = GaugeEntry {
    name: "growth.rate",
    label: "growth a step",
    unit: "1",
    definition: "Mean growth of the energy of vibration of a soft body from one step to the next: its motion against its own centre, or in the world where a node is held, and the energy of its springs, at the end of the window against its beginning, or against what gravity, gas and rigid bodies can give it where that is more. Below nothing it dies away; above it the net explodes. Of a net whose energy never comes back below sixteen times that of its first frame in the last tenth, and no longer grows in its second half, it is the growth up to its largest energy: what has torn swings on at its own limit. Soft bodies with a spring that has given way for good are left out.",
    formula: "(E_late / max(E_early, G))^(1/n) - 1, E = sum(m |v - v_c|^2 / 2) + sum(k (l - L)^2 / 2), E_early and E_late means of the first and last tenth of the window, n the steps between their middles, or E_late the largest, E_early that of the first frame and n the steps between, G = sum(m g) d + nRT + K of rigid bodies, d the extent as built",
    source: "growth factor of a step matrix: the energy of its fastest mode grows by the square of its largest eigenvalue",
    limits: "Actions that push a soft body in the window count as growth. What does not exceed G is no growth, so that a net has to outgrow all that a scene can give it before it is said to explode; with nothing else about, G is 0 and the figure is that of the step matrix.",
    usual_causes: "an explicit step too long for the stiffest spring: 2/w by symplectic Euler and Verlet, 2.83/w by the classical method of order 4, none without damping by explicit Euler; damping taken with the wrong sign",
    next_step: advice::SOFT,
    make: growth,
    ..SOFT
};

/// Bins of a history; when all are full two become one.
const BINS: usize = 80;

/// Times the energy of the first frame at which a net may have exploded. A sound method swings by as much at nine tenths of its limit, and comes back.
const NOTICED: f64 = 16.0;

/// Growth a step above which what was noticed is called an explosion.
const EXPLODES: f64 = 1e-3;

/// The energy of one soft body over the window.
struct History {
    soft: usize,
    /// What a scene can give it, J.
    given: f64,
    /// Sums of energies and the least of them, J, over as many frames each.
    bins: Vec<[f64; 2]>,
    width: u64,
    filled: u64,
    /// Energy of the first frame, or what a scene can give it, J.
    start: f64,
    /// The largest, J, and the frame that has it first.
    peak: (f64, u64),
    frames: u64,
    /// The swiftest node when it was noticed, and when.
    first: Option<(usize, f64)>,
    /// A node of a spring that has given way for good.
    yielded: Option<usize>,
}

struct Growth {
    histories: Vec<History>,
}

pub(crate) fn growth(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    let history = |soft| History {
        soft,
        given: 0.0,
        bins: Vec::new(),
        width: 1,
        filled: 0,
        start: 0.0,
        peak: (0.0, 0),
        frames: 0,
        first: None,
        yielded: None,
    };
    Box::new(Growth { histories: softs_of(world, &scope.of).into_iter().map(history).collect() })
}

impl History {
    /// What gravity, gas and rigid bodies can give it beyond what it has, J.
    fn bound(&self, view: &View<'_>) -> f64 {
        let soft = &view.world.softs[self.soft];
        let nodes = &view.world.bodies[soft.nodes.clone()];
        let weight: f64 = nodes.iter().map(|node| node.mass * (view.gravity * node.gravity_factor).length()).sum();
        let corner = |pick: fn(DVec3, DVec3) -> DVec3| nodes.iter().map(|node| node.pose.position).reduce(pick);
        let extent = corner(DVec3::max).zip(corner(DVec3::min)).map_or(0.0, |(high, low)| (high - low).length());
        let rigid = view.world.rigid().iter().zip(&view.now.bodies).filter(|(body, _)| body.kind != BodyKind::Static);
        // A driven body has no mass of its own to speak of: it gives by its speed to the whole net.
        let mass: f64 = nodes.iter().map(|node| node.mass).sum();
        let moving = rigid.map(|(body, state)| {
            let fall = (view.gravity * body.gravity_factor).length() * body.mass * extent;
            let mass = if body.mass > 0.0 { body.mass } else { mass };
            fall + 0.5 * mass * state.velocity.length_squared()
        });
        weight * extent + soft.pressure.map_or(0.0, |gas| gas.amount) + moving.sum::<f64>()
    }

    fn add(&mut self, energy: f64) {
        self.frames += 1;
        if self.filled == 0 {
            self.bins.push([0.0, f64::INFINITY]);
        }
        if let Some([sum, least]) = self.bins.last_mut() {
            *sum += energy;
            *least = least.min(energy);
        }
        self.filled += 1;
        if self.filled < self.width {
            return;
        }
        self.filled = 0;
        if self.bins.len() == BINS {
            self.bins = self.bins.as_chunks::<2>().0.iter().map(|[a, b]| [a[0] + b[0], a[1].min(b[1])]).collect();
            self.width *= 2;
        }
    }

    /// Growth a step; nothing of a window of a few frames.
    fn value(&self) -> Option<f64> {
        let full = self.bins.len() - usize::from(self.filled > 0 && !self.bins.is_empty());
        let share = full.div_ceil(10);
        if full < 10 {
            return None;
        }
        let mean =
            |bins: &[[f64; 2]]| bins.iter().map(|bin| bin[0]).sum::<f64>() / (bins.len() as f64 * self.width as f64);
        let (early, late) = (mean(&self.bins[..share]).max(self.given), mean(&self.bins[full - share..full]));
        let steps = (full - share) as f64 * self.width as f64;
        if late == 0.0 || early == 0.0 {
            return Some(if late > early { f64::INFINITY } else { 0.0 });
        }
        let rate = |growth: f64, steps: f64| libm::expm1(libm::log(growth) / steps);
        let least = self.bins[full - share..full].iter().map(|bin| bin[1]).fold(f64::INFINITY, f64::min);
        let grows_on = {
            let half = full / 2;
            let middle = mean(&self.bins[half - share / 2..half + share.div_ceil(2)]);
            rate(late / middle, (full - half) as f64 * self.width as f64) > EXPLODES
        };
        let has_torn = !grows_on && self.first.is_some() && least > NOTICED * self.start;
        Some(if has_torn { rate(self.peak.0 / self.start, self.peak.1 as f64) } else { rate(late / early, steps) })
    }
}

/// Energy of vibration, J, and the node that is swiftest against the centre.
fn vibration(world: &World, number: usize, frame: &Frame) -> (f64, usize) {
    let soft = &world.softs[number];
    let of = |node: usize| (world.bodies[node].mass, frame.bodies[node].velocity);
    let mass: f64 = soft.nodes.clone().map(|node| of(node).0).sum();
    let momentum: DVec3 = soft.nodes.clone().map(|node| of(node).0 * of(node).1).sum();
    // A net with held nodes cannot drift, so that all its motion counts.
    let drifts = mass > 0.0 && soft.nodes.clone().all(|node| of(node).0 > 0.0);
    let centre = if drifts { momentum / mass } else { DVec3::ZERO };
    let (mut kinetic, mut swiftest) = (0.0, (0.0, soft.nodes.start));
    for node in soft.nodes.clone() {
        let (mass, velocity) = of(node);
        let square = (velocity - centre).length_squared();
        kinetic += 0.5 * mass * square;
        if mass > 0.0 && square > swiftest.0 {
            swiftest = (square, node);
        }
    }
    (kinetic + soft.spring_energy(places(soft, frame)), swiftest.1)
}

impl Gauge for Growth {
    fn observe(&mut self, view: &View<'_>) {
        for history in &mut self.histories {
            if !is_there(&view.world.softs[history.soft], view.now) {
                continue;
            }
            // One that comes in later begins then.
            if history.frames == 0 {
                history.given = history.bound(view);
            }
            history.yielded = history.yielded.or_else(|| given_way(view, &view.world.softs[history.soft]));
            let (energy, swiftest) = vibration(view.world, history.soft, view.now);
            if history.frames == 0 {
                history.start = energy.max(history.given);
            } else if history.first.is_none() && history.start > 0.0 && energy > NOTICED * history.start {
                history.first = Some((swiftest, view.now.time));
            }
            if energy > history.peak.0 {
                history.peak = (energy, history.frames);
            }
            history.add(energy);
        }
    }

    fn reading(&self, world: &World) -> Reading {
        let elastic = self.histories.iter().filter(|history| history.yielded.is_none());
        let known = elastic.filter_map(|history| Some((history.value()?, history)));
        let Some((value, history)) = known.reduce(|a, b| if b.0 > a.0 { b } else { a }) else {
            if let Some(node) = self.histories.iter().find_map(|history| history.yielded) {
                return Reading::unsupported(yielded(world, node));
            }
            return Reading::nothing("fewer than ten frames of a soft body lie in the window");
        };
        let name = &world.softs[history.soft].name;
        match history.first.filter(|_| value > EXPLODES) {
            Some((node, time)) => {
                let detail = format!("{name} exploded from {} on at {time:.3} s", world.bodies[node].name);
                Reading::of(value, detail).seen_at(time, node)
            }
            None => Reading::of(value, format!("of {name}, which did not explode")),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::{CORNERS, frames, square};
    use crate::gauges::trace::{measure, state};
    use ironspin_model::{BodyState, DVec3};

    /// The square breathes with an amplitude that grows by a factor a step, seen when it is fastest and at rest in turns.
    fn breathing(factor: f64) -> Vec<ironspin_model::Frame> {
        frames(101, move |i, t| {
            let steps = (t / 0.1).round();
            let [x, y] = CORNERS[i];
            let swing = 1e-3 * libm::pow(factor, steps) * std::f64::consts::FRAC_1_SQRT_2;
            state(x + swing * (x - 0.5), y + swing * (y - 1.5), 0.0, 0.0)
        })
    }

    #[test]
    fn energy_grows_by_the_square_of_the_factor_of_the_amplitude() {
        let mut still = square();
        still.gravity = DVec3::ZERO;
        for factor in [1.0, 1.02, 1.1, 0.97] {
            let value = measure("growth.rate", &still, &[1], &[], &breathing(factor)).value.unwrap();
            assert!((value - (factor * factor - 1.0)).abs() < 1e-9, "{factor}: {value}");
        }
    }

    #[test]
    fn an_explosion_is_told_with_its_first_node_and_what_gravity_gives_is_none() {
        // Node 2 alone swings ever wider.
        let torn = frames(101, |i, t| {
            let [x, y] = CORNERS[i];
            let way = if i == 2 { 1e-3 * libm::pow(1.1, t / 0.1) } else { 0.0 };
            state(x + way, y, if i == 2 { way } else { 0.0 }, 0.0)
        });
        let mut still = square();
        still.gravity = DVec3::ZERO;
        let reading = measure("growth.rate", &still, &[1], &[], &torn);
        assert!(reading.value.unwrap() > 0.15 && reading.detail.contains("from pad.node[2] on"), "{reading:?}");
        // The same under gravity has not outgrown it: 4 kg fall 1.4 m within the net.
        let small = measure("growth.rate", &square(), &[1], &[], &torn[..40]);
        assert!(small.value.unwrap() < 0.0, "{small:?}");
        // Torn in the first tenth, and swinging on at its own limit.
        let early = frames(101, |i, t| {
            let [x, y] = CORNERS[i];
            let way = if i == 2 { 1e-3 * libm::pow(3.0, (t / 0.1).min(6.0)) } else { 0.0 };
            state(x + way, y, if i == 2 { way } else { 0.0 }, 0.0)
        });
        let reading = measure("growth.rate", &still, &[1], &[], &early);
        assert!((reading.value.unwrap() - 8.0).abs() < 0.2, "{reading:?}");
        // One that is not there at first is measured from when it comes: it sags under its weight, and nothing explodes.
        let late = frames(101, |i, t| {
            let [x, y] = CORNERS[i];
            let sag = if i == 2 { 0.3 * (1.0 - libm::exp(1.0 - t)) } else { 0.0 };
            if t < 1.0 { BodyState::absent() } else { state(x, y - sag, 0.0, 0.0) }
        });
        assert!(measure("growth.rate", &square(), &[1], &[], &late).value.unwrap() <= 0.0);
        let falling = frames(101, |i, t| state(CORNERS[i][0], CORNERS[i][1] - 4.905 * t * t, 0.0, -9.81 * t));
        assert!(measure("growth.rate", &square(), &[1], &[], &falling).value.unwrap() <= 0.0);
    }

    #[test]
    fn energy_is_not_told_once_a_spring_has_given_way() {
        let mut world = square();
        world.gravity = DVec3::ZERO;
        world.softs[0].yielding = Some(ironspin_model::Yield { strain: 0.2, most: 0.5 });
        let pulled = |most: f64| {
            frames(101, move |i, t| {
                let [x, y] = CORNERS[i];
                state(
                    x + if x > 0.5 { most * libm::sin(t) } else { 0.0 },
                    y,
                    if x > 0.5 { most * libm::cos(t) } else { 0.0 },
                    0.0,
                )
            })
        };
        for gauge in ["growth.rate", "energy.gain", "energy.drift"] {
            let elastic = measure(gauge, &world, &[1, 2, 3, 4], &[], &pulled(0.1));
            assert!(elastic.value.is_some(), "{gauge}: {elastic:?}");
            let beyond = measure(gauge, &world, &[1, 2, 3, 4], &[], &pulled(0.25));
            assert!(beyond.unsupported && beyond.detail.contains("gives way for good"), "{gauge}: {beyond:?}");
        }
    }
}
