//! The state of one body at the end of the window.

use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{BodyState, World};

/// One number of a state.
type Pick = fn(&BodyState) -> f64;

struct Value {
    of: Vec<usize>,
    pick: Pick,
    last: Option<(f64, BodyState)>,
}

fn gauge(scope: &Scope, pick: Pick) -> Box<dyn Gauge> {
    Box::new(Value { of: scope.of.clone(), pick, last: None })
}

pub(crate) fn x(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.position.x)
}

pub(crate) fn y(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.position.y)
}

pub(crate) fn vx(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.velocity.x)
}

pub(crate) fn vy(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.velocity.y)
}

pub(crate) fn speed(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.velocity.length())
}

pub(crate) fn spin(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.spin.z)
}

impl Gauge for Value {
    fn observe(&mut self, view: &View<'_>) {
        if let [only] = self.of.as_slice() {
            self.last = Some((view.now.time, view.now.bodies[*only]));
        }
    }

    fn reading(&self, _: &World) -> Reading {
        if self.of.len() != 1 {
            return Reading::nothing(format!("it measures one body, and {} are named", self.of.len()));
        }
        match &self.last {
            None => Reading::nothing("no frame lies in the window"),
            Some((time, state)) if state.is_absent() => Reading::nothing(format!("it is not there at {time:.3} s")),
            Some((time, state)) => Reading::of((self.pick)(state), format!("at {time:.3} s")),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::gauges::trace::{measure, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, Shape};

    /// A throw under gravity: x = 3 t, y = 5 t - g t^2 / 2.
    fn thrown(time: f64) -> BodyState {
        state(3.0 * time, 5.0 * time - 0.5 * 9.81 * time * time, 3.0, 5.0 - 9.81 * time)
    }

    #[test]
    fn a_throw_is_where_the_parabola_says() {
        let world = world(&[("ball", BodyKind::Dynamic, Shape::Disc(0.1), DVec2::ZERO)]);
        let frames = trace(0.25, 1.0, |time| vec![thrown(time)]);
        for (gauge, expected) in [
            ("value.x", 3.0),
            ("value.y", 5.0 - 0.5 * 9.81),
            ("value.vx", 3.0),
            ("value.vy", 5.0 - 9.81),
            ("value.speed", f64::hypot(3.0, 5.0 - 9.81)),
            ("value.spin", 0.0),
        ] {
            let found = measure(gauge, &world, &[0], &[], &frames).value.unwrap();
            assert!((found - expected).abs() < 1e-14, "{gauge}: {found}");
            // A throw without gravity is found out, where gravity matters.
            let straight = trace(0.25, 1.0, |time| vec![state(3.0 * time, 5.0 * time, 3.0, 5.0)]);
            let wrong = measure(gauge, &world, &[0], &[], &straight).value.unwrap();
            assert_eq!(
                (wrong - expected).abs() > 0.1,
                !["value.x", "value.vx", "value.spin"].contains(&gauge),
                "{gauge}"
            );
        }
    }

    #[test]
    fn nothing_is_told_of_several_or_of_one_that_is_gone() {
        let world = world(&[
            ("a", BodyKind::Dynamic, Shape::Disc(0.1), DVec2::ZERO),
            ("b", BodyKind::Dynamic, Shape::Disc(0.1), DVec2::ZERO),
        ]);
        let frames =
            trace(0.25, 1.0, |time| vec![if time < 0.5 { thrown(time) } else { BodyState::absent() }, thrown(time)]);
        assert!(measure("value.x", &world, &[0, 1], &[], &frames).value.is_none());
        assert!(measure("value.x", &world, &[0], &[], &frames).detail.contains("not there at 1.000 s"));
        assert_eq!(measure("value.x", &world, &[1], &[], &frames).value, Some(3.0));
    }
}
