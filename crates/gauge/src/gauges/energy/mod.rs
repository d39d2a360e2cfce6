//! Mechanical energy: drift, gain, loss, and what has no cause.

mod causes;

use crate::advice;
use crate::derived::{MechanicalEnergy, Stores, brought, first_touch, unexplained, yielded};
use crate::entry::{Better, GaugeEntry, PLAIN};
use crate::frame_cache::When;
use crate::gauge::{Gauge, Reading, Scope, View};
use crate::geometry::Membership;
use causes::{Cause, Causes, cause};
use ironspin_model::{BodyKind, DVec3, Dimension, World};

pub(crate) const DRIFT: GaugeEntry = GaugeEntry {
    name: "energy.drift",
    label: "energy drift",
    unit: "1",
    better: Better::Lower,
    definition: "Largest distance of the mechanical energy of the bodies from its value in the first frame of the window, as a share of their largest kinetic energy in the window. Springs and the gas in soft bodies count; the work of scripted actions, of changes of gravity and of bodies that come and go is taken off.",
    formula: "max_t |E(t) - W(t) - E(t0)| / max_t K(t), with E = sum(m v^2/2 + w.I w/2 - m g.x) + sum(k d^2/2) + sum(p0 (V - V0) - nRT ln(V/V0)), K its first two terms and W the work from outside",
    source: "conservation of mechanical energy; work-energy theorem",
    limits: "Only for bodies that nothing but gravity, springs without damping and perfectly elastic contact acts on. Below 1e-10 of the energy of height the share is rounding noise, and a warning says so. The work of a kinematic body is taken off where it moves without turning and is the only one outside the set that is touched; otherwise the gauge says that it is not supported. So it does once a spring of a soft body was strained to where it gives way for good.",
    usual_causes: "restitution applied at the end of the step with the bodies already inside each other; an explicit integrator; pushing bodies apart against gravity; hidden damping",
    next_step: advice::ENERGY,
    by_default: true,
    make: drift,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const GAIN: GaugeEntry = GaugeEntry {
    name: "energy.gain",
    label: "energy gain",
    definition: "Largest rise of the mechanical energy of the bodies above its lowest value so far, as a share of their largest kinetic energy in the window, counted as in the energy drift. The reading says which contact or joint gained most.",
    formula: "max_t (E(t) - W(t) - min_{s<=t} (E(s) - W(s))) / max_t K(t)",
    source: "no passive contact adds energy (second law)",
    limits: "The bodies must form a closed set: energy handed over from bodies outside it counts as a gain. Drivers as in the energy drift.",
    usual_causes: "an explicit integrator; correction of overlap that leaves velocity behind; restitution above what was set; a step too long for a stiff spring",
    next_step: advice::ENERGY,
    by_default: true,
    make: gain,
    ..DRIFT
};

pub(crate) const LOSS: GaugeEntry = GaugeEntry {
    name: "energy.loss",
    label: "energy lost in contacts",
    better: Better::Nearer,
    definition: "Energy that the bodies lost over all steps in which a contact of theirs changed their motion, as a share of their largest kinetic energy in the window; that at an impact between two frames counts, to which free flight carries them. The reading says in which contact most was lost.",
    formula: "sum over contact steps of max(-dE, 0) / max(K at frames and at first touches)",
    source: "restitution e keeps e^2 of the energy of the normal motion (Poinsot)",
    limits: "What is lost in several contacts of one step is put down to the one that changed the most motion. Steps that change less than a millionth of the energy are not looked at.",
    usual_causes: "restitution of heights taken for one of speeds; friction where there should be none; hidden damping in contacts",
    next_step: advice::ENERGY,
    make: loss,
    ..DRIFT
};

pub(crate) const UNEXPLAINED: GaugeEntry = GaugeEntry {
    name: "energy.unexplained",
    label: "energy from nowhere",
    definition: "Energy that the bodies gained and lost in steps in which no contact, joint or action can be seen that would explain it, as a share of their largest kinetic energy in the window.",
    formula: "sum over steps without a cause of |dE| / max_t K(t)",
    source: "conservation of mechanical energy in free flight",
    limits: "Steps that change less than a millionth of the energy are not looked at; a slow steady loss is seen by the energy drift.",
    usual_causes: "an integrator that does not keep energy in free flight; a cap on speeds; hidden damping",
    next_step: advice::ENERGY,
    by_default: true,
    make: from_nowhere,
    ..DRIFT
};

/// A change smaller than this share of the largest energy is not put down to anything.
const NOTICED: f64 = 1e-6;

/// Which figure of the energy is asked for.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Figure {
    Drift,
    Gain,
    Loss,
    Unexplained,
}

struct Energy {
    scope: Scope,
    members: Membership,
    everything: Membership,
    /// Kinematic bodies, if there are any.
    drivers: Option<Membership>,
    stores: Stores,
    figure: Figure,
    first: Option<f64>,
    /// Work from outside since the first frame, J.
    work: f64,
    last: f64,
    gravity: DVec3,
    lowest: f64,
    /// Largest kinetic energy: the yardstick.
    largest_kinetic: f64,
    /// Largest magnitude of the sum, for the noise floor.
    largest_sum: f64,
    worst: f64,
    worst_time: f64,
    causes: Causes,
    /// A driver whose work cannot be worked out.
    driver: Option<usize>,
    /// A node of a spring that has given way for good.
    yielded: Option<usize>,
}

pub(crate) fn drift(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Energy::new(world, scope, Figure::Drift))
}

pub(crate) fn gain(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Energy::new(world, scope, Figure::Gain))
}

pub(crate) fn loss(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Energy::new(world, scope, Figure::Loss))
}

pub(crate) fn from_nowhere(world: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Energy::new(world, scope, Figure::Unexplained))
}

impl Energy {
    fn new(world: &World, scope: &Scope, figure: Figure) -> Self {
        let members = Membership::of(world, &scope.of);
        let kinematic: Vec<usize> = (0..world.bodies.len())
            .filter(|&id| world.bodies[id].kind == BodyKind::Kinematic && !members.has(id))
            .collect();
        Energy {
            stores: Stores::of(world, |id| members.has(id)),
            drivers: (!kinematic.is_empty()).then(|| Membership::of(world, &kinematic)),
            everything: Membership::everything(world),
            scope: scope.clone(),
            members,
            figure,
            first: None,
            work: 0.0,
            last: 0.0,
            gravity: DVec3::ZERO,
            lowest: f64::INFINITY,
            largest_kinetic: 0.0,
            largest_sum: 0.0,
            worst: 0.0,
            worst_time: 0.0,
            causes: Causes::default(),
            driver: None,
            yielded: None,
        }
    }

    /// Kinetic energy of the bodies when two of a pair first touch within the step, J: all fly freely until then. Nothing where they do not.
    fn kinetic_at_touch(&self, view: &View<'_>, pair: [usize; 2]) -> f64 {
        let (Some(before), Some(touch)) = (view.before, first_touch(view, pair)) else { return 0.0 };
        let present = self.scope.of.iter().filter(|&&id| view.present(id));
        let own = present.map(|&id| {
            let state = &before.bodies[id];
            view.cache.traits(id).kinetic_energy(state.velocity + view.fall(id) * touch.time, state)
        });
        own.sum()
    }

    /// Work of kinematic bodies on the set over the step, J; keeps a driver whose work cannot be worked out.
    fn driven(&mut self, view: &View<'_>) -> f64 {
        let (Some(drivers), Some(before)) = (&self.drivers, view.before) else { return 0.0 };
        let moves = |id: usize| {
            let states = [&before.bodies[id], &view.now.bodies[id]];
            states.iter().any(|state| state.velocity != DVec3::ZERO || state.spin != DVec3::ZERO)
                || states[0].pose.position != states[1].pose.position
        };
        let world = view.world;
        let joints = world.joints.iter().map(|joint| joint.bodies);
        let joined = joints.chain(world.pinned_pairs()).find_map(|[a, b]| {
            let (own, other) = if self.members.has(a) { (a, b) } else { (b, a) };
            (self.members.has(own) && drivers.has(other) && moves(other)).then_some(other)
        });
        if joined.is_some() {
            self.driver = joined;
            return 0.0;
        }
        // Whom the set touches outside itself, and what the outside gave it.
        let mut touched: Vec<usize> = Vec::new();
        let speed = |id: usize| before.bodies[id].velocity.length().max(view.now.bodies[id].velocity.length());
        let fastest = (0..world.bodies.len()).filter(|&id| view.present(id)).map(speed).fold(0.0, f64::max);
        let within = 2.0 * fastest * view.span();
        view.cache.near_pairs(When::Now, &self.members, &self.everything, within, |a, b| {
            let other = match (self.members.has(a), self.members.has(b)) {
                (true, false) => b,
                (false, true) => a,
                _ => return,
            };
            let size = view.smaller_size(a, b);
            let within = 1.5 * (speed(a) + speed(b)) * view.span() + 0.01 * size;
            let near = [When::Before, When::Now].iter().any(|&when| view.gap(when, a, b, within).distance <= within);
            if near && !touched.contains(&other) {
                touched.push(other);
            }
        });
        let mut moving = touched.iter().copied().filter(|&id| drivers.has(id) && moves(id));
        let Some(driver) = moving.next() else { return 0.0 };
        let state = &view.now.bodies[driver];
        let steady = state.spin == DVec3::ZERO && state.velocity == before.bodies[driver].velocity;
        if touched.len() > 1 || !steady {
            self.driver = Some(driver);
            return 0.0;
        }
        let given: DVec3 = self
            .scope
            .of
            .iter()
            .filter(|&&id| view.present(id))
            .filter_map(|&id| Some(world.bodies[id].mass * unexplained(view, id)?.velocity))
            .sum();
        given.dot(state.velocity)
    }
}

impl Gauge for Energy {
    fn observe(&mut self, view: &View<'_>) {
        let MechanicalEnergy { kinetic, total } =
            view.derived.energies.borrow_mut().now(view, &self.scope.of, &self.stores);
        if self.first.is_none() {
            self.gravity = view.gravity;
        }
        self.yielded = self.yielded.or_else(|| self.stores.given_way(view));
        self.work += brought(view, &self.scope.of, &self.stores, self.gravity) + self.driven(view);
        self.gravity = view.gravity;
        let own = total - self.work;
        let first = *self.first.get_or_insert(own);
        self.lowest = self.lowest.min(own);
        self.largest_kinetic = self.largest_kinetic.max(kinetic);
        self.largest_sum = self.largest_sum.max(total.abs());
        let change = own - self.last;
        self.last = own;
        let noticed = view.before.is_some()
            && change.abs() > NOTICED * self.largest_kinetic
            && change.abs() > 1e-12 * self.largest_sum;
        if noticed {
            let cause = cause(view, &self.scope.of, &self.members, &self.everything);
            if let (Figure::Loss, Cause::Contact(a, b)) = (self.figure, cause) {
                self.largest_kinetic = self.largest_kinetic.max(self.kinetic_at_touch(view, [a, b]));
            }
            self.causes.add(cause, change);
        }
        let off = match self.figure {
            Figure::Drift => (own - first).abs(),
            Figure::Gain => own - self.lowest,
            Figure::Loss => self.causes.sum(|cause| matches!(cause, Cause::Contact(..))).lost,
            Figure::Unexplained => {
                let sum = self.causes.sum(|cause| *cause == Cause::Nothing);
                sum.gained + sum.lost
            }
        };
        if off > self.worst {
            self.worst = off;
            self.worst_time = view.now.time;
        }
    }

    fn reading(&self, world: &World) -> Reading {
        if self.first.is_none() {
            return Reading::nothing("no frame lies in the window");
        }
        if let Some(driver) = self.driver {
            let name = &world.bodies[driver].name;
            return Reading::unsupported(format!(
                "{name} drives them, and its work cannot be worked out from the states"
            ));
        }
        if let Some(node) = self.yielded {
            return Reading::unsupported(yielded(world, node));
        }
        if self.largest_kinetic == 0.0 {
            return Reading::of(0.0, "nothing moved").warn("nothing moved, so there was no energy to gain or lose");
        }
        let value = self.worst / self.largest_kinetic;
        let mut detail = format!("{:.2e} J of {:.2e} J at {:.3} s", self.worst, self.largest_kinetic, self.worst_time);
        let from = match self.figure {
            Figure::Drift => self.causes.largest(world, |share| share.gained.max(share.lost)),
            Figure::Gain => self.causes.largest(world, |share| share.gained),
            Figure::Loss => self.causes.largest(world, |share| share.lost),
            Figure::Unexplained => None,
        };
        if let Some(from) = from {
            detail = format!("{detail}; most {from}");
        }
        let reading = Reading::of(value, detail);
        if self.largest_kinetic < 1e-10 * self.largest_sum {
            return reading.warn("the motion is close to the rounding noise of the energy of height");
        }
        reading
    }
}

#[cfg(test)]
mod tests {
    use crate::gauge::Scope;
    use crate::gauges::trace::{bouncing, measure, measure_with_effects, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, DVec3, Effect, Joint, JointKind, PlaneShape};

    fn ball() -> ironspin_model::World {
        world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::new(0.0, 1.0))])
    }

    #[test]
    fn free_fall_keeps_its_energy() {
        let frames = trace(0.01, 1.0, |t| vec![state(3.0, 1.0 - 4.905 * t * t, 2.0, -9.81 * t)]);
        for gauge in ["energy.drift", "energy.gain"] {
            let value = measure(gauge, &ball(), &[0], &[], &frames).value.unwrap();
            assert!(value < 1e-14, "{gauge}: {value}");
        }
    }

    #[test]
    fn an_inelastic_bounce_loses_what_the_law_says_and_gains_nothing() {
        let frames = trace(0.001, 0.6, |t| {
            let (gap, speed) = bouncing(1.0, 0.5, t);
            vec![state(0.0, gap, 0.0, speed)]
        });
        let drift = measure("energy.drift", &ball(), &[0], &[], &frames).value.unwrap();
        // A quarter is kept; the largest sampled kinetic energy lies a sample below that of the impact.
        assert!((drift - 0.75).abs() < 0.01, "{drift}");
        assert!(measure("energy.gain", &ball(), &[0], &[], &frames).value.unwrap() < 1e-12);
    }

    #[test]
    fn a_step_too_coarse_for_its_integrator_is_caught() {
        // Explicit Euler: height moves with the old speed, which adds m g^2 dt^2 / 2 a step.
        let dt = 0.05;
        let frames = trace(dt, 1.0, |t| {
            let n = (t / dt).round();
            vec![state(0.0, -9.81 * dt * dt * 0.5 * n * (n - 1.0), 0.0, -9.81 * dt * n)]
        });
        let gain = measure("energy.gain", &ball(), &[0], &[], &frames).value.unwrap();
        assert!((gain - dt).abs() < 1e-9, "a share dt/t of the energy: {gain}");
    }

    #[test]
    fn a_bounce_is_put_down_to_its_contact_and_a_push_in_free_flight_to_nothing() {
        let floor = || ("anvil", BodyKind::Static, PlaneShape::HalfPlane(DVec2::Y), DVec2::ZERO);
        let world = world(&[floor(), ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::new(0.0, 1.1))]);
        let fall = |e: f64| {
            trace(0.001, 0.6, move |t| {
                let (gap, speed) = bouncing(1.0, e, t);
                vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + 0.1, 0.0, speed)]
            })
        };
        let lost = measure("energy.loss", &world, &[1], &[], &fall(0.5));
        // By the energy at the impact, which no frame shows.
        assert!((lost.value.unwrap() - 0.75).abs() < 1e-9, "{lost:?}");
        let coarse = trace(1.0 / 30.0, 0.6, move |t| {
            let (gap, speed) = bouncing(1.0, 0.5, t);
            vec![state(0.0, 0.0, 0.0, 0.0), state(0.0, gap + 0.1, 0.0, speed)]
        });
        let lost_coarsely = measure("energy.loss", &world, &[1], &[], &coarse);
        assert!((lost_coarsely.value.unwrap() - 0.75).abs() < 1e-9, "{lost_coarsely:?}");
        // A wrong engine: restitution of heights, which keeps a half and not a quarter.
        let wrong = measure("energy.loss", &world, &[1], &[], &fall(0.5_f64.sqrt()));
        assert!((wrong.value.unwrap() - 0.5).abs() < 1e-9, "{wrong:?}");
        assert!(lost.detail.contains("the contact of anvil with ball"), "{lost:?}");
        assert_eq!(measure("energy.unexplained", &world, &[1], &[], &fall(0.5)).value, Some(0.0));
        let pushed = trace(0.001, 0.3, |t| {
            let push = if t > 0.1 { 1.0 } else { 0.0 };
            vec![state(0.0, 0.0, 0.0, 0.0), state(push * (t - 0.1), 1.1 - 4.905 * t * t, push, -9.81 * t)]
        });
        let nowhere = measure("energy.unexplained", &world, &[1], &[], &pushed);
        // One joule of mass 2 at 1 m/s, of the energy at the end: 1 + (9.81 * 0.3)^2.
        assert!((nowhere.value.unwrap() - 1.0 / (1.0 + (9.81_f64 * 0.3).powi(2))).abs() < 1e-3, "{nowhere:?}");
    }

    #[test]
    fn a_spring_keeps_what_it_takes() {
        let mut bench = world(&[
            ("beam", BodyKind::Static, PlaneShape::Disc(0.1), DVec2::ZERO),
            ("hammer", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::X),
        ]);
        bench.gravity = DVec3::ZERO;
        bench.joints.push(Joint {
            kind: JointKind::Spring { stiffness: 50.0, damping: 0.0 },
            bodies: [0, 1],
            frames: ironspin_model::JointFrame::pair([DVec3::ZERO; 2], DVec3::Z, [ironspin_model::DQuat::IDENTITY; 2]),
            length: None,
        });
        // Mass 2 on stiffness 50 swings at 5 rad/s about its length as built.
        let swing = |w: f64| {
            trace(0.01, 2.0, move |t| {
                vec![
                    state(0.0, 0.0, 0.0, 0.0),
                    state(1.0 + 0.2 * libm::cos(w * t), 0.0, -0.2 * w * libm::sin(w * t), 0.0),
                ]
            })
        };
        assert!(measure("energy.drift", &bench, &[1], &[], &swing(5.0)).value.unwrap() < 1e-14);
        let wrong = measure("energy.drift", &bench, &[1], &[], &swing(6.0));
        assert!(wrong.value.unwrap() > 0.2 && wrong.detail.contains("the joint of beam and hammer"), "{wrong:?}");
    }

    #[test]
    fn the_work_of_deeds_and_of_a_steady_driver_is_taken_off_and_other_drivers_are_not_supported() {
        let mut ball = ball();
        ball.gravity = DVec3::ZERO;
        // An impulse of 6 N s before step 50 gives mass 2 a speed of 3.
        let frames = trace(0.01, 1.0, |t| {
            vec![if t < 0.505 { state(t, 0.0, 1.0, 0.0) } else { state(0.5 + 4.0 * (t - 0.5), 0.0, 4.0, 0.0) }]
        });
        let impulse = Effect::Impulse { impulse: DVec3::new(6.0, 0.0, 0.0), point: None };
        let scope = Scope { of: vec![0], ..Scope::default() };
        let reported = measure_with_effects("energy.drift", &ball, &scope, &frames, |step| {
            if step == 50 { vec![(0, impulse.clone())] } else { Vec::new() }
        });
        assert!(reported.value.unwrap() < 1e-14, "{reported:?}");
        assert!(measure("energy.drift", &ball, &[0], &[], &frames).value.unwrap() > 0.9);
        // A plate at 2 m/s hits a ball at rest, which leaves at 4 m/s.
        let mut hit = world(&[
            ("plate", BodyKind::Kinematic, PlaneShape::Box(DVec2::new(0.2, 2.0)), DVec2::ZERO),
            ("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::X),
        ]);
        hit.gravity = DVec3::ZERO;
        let collide = |spin: f64| {
            trace(0.01, 1.0, move |t| {
                let mut plate = state(2.0 * t, 0.0, 2.0, 0.0);
                plate.spin.z = spin;
                vec![
                    plate,
                    if t < 0.405 { state(1.0, 0.0, 0.0, 0.0) } else { state(1.0 + 4.0 * (t - 0.4), 0.0, 4.0, 0.0) },
                ]
            })
        };
        let reported = measure("energy.drift", &hit, &[1], &[], &collide(0.0));
        assert!(reported.value.unwrap() < 1e-14, "{reported:?}");
        let turning = measure("energy.drift", &hit, &[1], &[], &collide(0.1));
        assert!(turning.unsupported && turning.detail.contains("plate drives them"), "{turning:?}");
    }
}
