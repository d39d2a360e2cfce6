//! Mechanical energy: drift and gain.

use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{DVec3, Frame, World};

/// Which figure of the energy is asked for.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Figure {
    Drift,
    Gain,
}

struct Energy {
    scope: Scope,
    figure: Figure,
    first: Option<f64>,
    lowest: f64,
    /// Largest kinetic energy: the yardstick.
    largest_kinetic: f64,
    /// Largest magnitude of the sum, for the noise floor.
    largest_sum: f64,
    worst: f64,
    worst_time: f64,
}

pub(crate) fn drift(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Energy::new(scope, Figure::Drift))
}

pub(crate) fn gain(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Energy::new(scope, Figure::Gain))
}

/// Mechanical energy of some bodies, J; height counts from the origin.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct MechanicalEnergy {
    /// Of moving and turning.
    pub kinetic: f64,
    /// Kinetic energy and energy of height.
    pub total: f64,
}

/// Mechanical energy of some bodies in a frame: sum(m v²/2 + I w²/2 - m g·x).
pub fn mechanical_energy(world: &World, frame: &Frame, of: &[usize]) -> MechanicalEnergy {
    energy_under(world, frame, of, world.gravity)
}

/// The same under another gravity, m/s². Bodies that are not there have none.
pub(crate) fn energy_under(world: &World, frame: &Frame, of: &[usize], gravity: DVec3) -> MechanicalEnergy {
    of.iter().filter(|&&id| !frame.bodies[id].is_absent()).fold(MechanicalEnergy::default(), |sum, &id| {
        let (body, state) = (&world.bodies[id], &frame.bodies[id]);
        let moving =
            0.5 * body.mass * state.velocity.length_squared() + 0.5 * body.inertia * state.spin.length_squared();
        let height = body.mass * (gravity * body.gravity_factor).dot(state.position);
        MechanicalEnergy { kinetic: sum.kinetic + moving, total: sum.total + moving - height }
    })
}

impl Energy {
    fn new(scope: &Scope, figure: Figure) -> Self {
        Energy {
            scope: scope.clone(),
            figure,
            first: None,
            lowest: f64::INFINITY,
            largest_kinetic: 0.0,
            largest_sum: 0.0,
            worst: 0.0,
            worst_time: 0.0,
        }
    }
}

impl Gauge for Energy {
    fn observe(&mut self, view: &View<'_>) {
        let MechanicalEnergy { kinetic, total } = energy_under(view.world, view.now, &self.scope.of, view.gravity);
        let first = *self.first.get_or_insert(total);
        self.lowest = self.lowest.min(total);
        self.largest_kinetic = self.largest_kinetic.max(kinetic);
        self.largest_sum = self.largest_sum.max(total.abs());
        let off = match self.figure {
            Figure::Drift => (total - first).abs(),
            Figure::Gain => total - self.lowest,
        };
        if off > self.worst {
            self.worst = off;
            self.worst_time = view.now.time;
        }
    }

    fn reading(&self, _: &World) -> Reading {
        if self.first.is_none() {
            return Reading::nothing("no frame lies in the window");
        }
        if self.largest_kinetic == 0.0 {
            return Reading::of(0.0, "nothing moved").warn("nothing moved, so there was no energy to gain or lose");
        }
        let value = self.worst / self.largest_kinetic;
        let reading = Reading::of(
            value,
            format!("{:.2e} J of {:.2e} J at {:.3} s", self.worst, self.largest_kinetic, self.worst_time),
        );
        if self.largest_kinetic < 1e-10 * self.largest_sum {
            return reading.warn("the motion is close to the rounding noise of the energy of height");
        }
        reading
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{bouncing, measure, state, trace, world};
    use ironspin_model::{BodyKind, DVec2, Shape};

    fn ball() -> ironspin_model::World {
        world(&[("ball", BodyKind::Dynamic, Shape::Disc(0.1), DVec2::new(0.0, 1.0))])
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
}
