//! The state of one body at the end of the window.

use crate::advice;
use crate::derived::Reader;
use crate::entry::{Better, GaugeEntry, Need, PLAIN, UNIT_OF_THE_CLAIM};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{BodyState, Dimension, Measure, Moment, World};

pub(crate) const X: GaugeEntry = GaugeEntry {
    name: "value.x",
    label: "x at the end",
    unit: "m",
    better: Better::Nearer,
    definition: "The x coordinate of the centre of mass of one body in the last frame of the window, or at the claim's `at_time`.",
    formula: "x(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window: what changes fast is asked for at a time, and then interpolated, as of time.when.",
    usual_causes: "wrong forces, friction or impulses on the way; a wrong scale or axis",
    next_step: advice::MOTION,
    takes: &[Need::AtTime],
    one_body: true,
    make: x,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const Y: GaugeEntry = GaugeEntry {
    name: "value.y",
    label: "y at the end",
    unit: "m",
    better: Better::Nearer,
    definition: "The y coordinate of the centre of mass of one body in the last frame of the window, or at the claim's `at_time`.",
    formula: "y(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window: what changes fast is asked for at a time, and then interpolated, as of time.when.",
    usual_causes: "gravity of a wrong size or sign; half sizes taken for full sizes; sinking",
    next_step: advice::MOTION,
    takes: &[Need::AtTime],
    one_body: true,
    make: y,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const VX: GaugeEntry = GaugeEntry {
    name: "value.vx",
    label: "velocity along x at the end",
    unit: "m/s",
    better: Better::Nearer,
    definition: "The x component of the velocity of one body in the last frame of the window, or at the claim's `at_time`.",
    formula: "v_x(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window: what changes fast is asked for at a time, and then interpolated, as of time.when.",
    usual_causes: "friction or impulses of a wrong size; hidden damping; an impact that is not passed on whole",
    next_step: advice::MOTION,
    takes: &[Need::AtTime],
    one_body: true,
    make: vx,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const VY: GaugeEntry = GaugeEntry {
    name: "value.vy",
    label: "velocity along y at the end",
    unit: "m/s",
    better: Better::Nearer,
    definition: "The y component of the velocity of one body in the last frame of the window, or at the claim's `at_time`.",
    formula: "v_y(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window: what changes fast is asked for at a time, and then interpolated, as of time.when.",
    usual_causes: "gravity of a wrong size; restitution; hidden damping",
    next_step: advice::MOTION,
    takes: &[Need::AtTime],
    one_body: true,
    make: vy,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const SPEED: GaugeEntry = GaugeEntry {
    name: "value.speed",
    label: "speed at the end",
    unit: "m/s",
    better: Better::Nearer,
    definition: "The magnitude of the velocity of one body in the last frame of the window, or at the claim's `at_time`.",
    formula: "|v(t_end)|, t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window: what changes fast is asked for at a time, and then interpolated, as of time.when.",
    usual_causes: "friction of a wrong size or mixed wrongly; a cap on speeds; hidden damping",
    next_step: advice::MOTION,
    takes: &[Need::AtTime],
    one_body: true,
    make: speed,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const SPIN: GaugeEntry = GaugeEntry {
    name: "value.spin",
    label: "spin at the end",
    unit: "rad/s",
    better: Better::Nearer,
    definition: "The angular velocity of one body about z in the last frame of the window, or at the claim's `at_time`.",
    formula: "w_z(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window: what changes fast is asked for at a time, and then interpolated, as of time.when.",
    usual_causes: "a wrong moment of inertia; friction without lever arm or of the wrong sign; a cap on turning",
    next_step: advice::MOTION,
    takes: &[Need::AtTime],
    one_body: true,
    make: spin,
    needs_geometry: false,
    dimensions: Dimension::PLANE_ONLY,
    ..PLAIN
};

pub(crate) const Z: GaugeEntry = GaugeEntry {
    name: "value.z",
    label: "z at the end",
    definition: "The z coordinate of the centre of mass of one body in the last frame of the window, or at the claim's `at_time`.",
    formula: "z(t_end), t_end the time of the last frame that lies in the window",
    make: z,
    dimensions: Dimension::SPACE_ONLY,
    ..X
};

pub(crate) const VZ: GaugeEntry = GaugeEntry {
    name: "value.vz",
    label: "velocity along z at the end",
    definition: "The z component of the velocity of one body in the last frame of the window, or at the claim's `at_time`.",
    formula: "v_z(t_end), t_end the time of the last frame that lies in the window",
    make: vz,
    dimensions: Dimension::SPACE_ONLY,
    ..VX
};

pub(crate) const WX: GaugeEntry = GaugeEntry {
    name: "value.wx",
    label: "spin about x at the end",
    definition: "The x component of the angular velocity of one body, along the world's axes, in the last frame of the window, or at the claim's `at_time`.",
    formula: "w_x(t_end), t_end the time of the last frame that lies in the window",
    usual_causes: "spin or inertia taken along other axes than they are given in; friction without lever arm or of the wrong sign; no gyroscopic torque",
    make: wx,
    dimensions: Dimension::SPACE_ONLY,
    ..SPIN
};

pub(crate) const WY: GaugeEntry = GaugeEntry {
    name: "value.wy",
    label: "spin about y at the end",
    definition: "The y component of the angular velocity of one body, along the world's axes, in the last frame of the window, or at the claim's `at_time`.",
    formula: "w_y(t_end), t_end the time of the last frame that lies in the window",
    make: wy,
    ..WX
};

pub(crate) const WZ: GaugeEntry = GaugeEntry {
    name: "value.wz",
    label: "spin about z at the end",
    definition: "The z component of the angular velocity of one body, along the world's axes, in the last frame of the window, or at the claim's `at_time`.",
    formula: "w_z(t_end), t_end the time of the last frame that lies in the window",
    make: wz,
    ..WX
};

/// One number of a state.
type Pick = fn(&BodyState) -> f64;

pub(crate) const MEASURE: GaugeEntry = GaugeEntry {
    name: "value.measure",
    label: "measure at the end",
    unit: UNIT_OF_THE_CLAIM,
    better: Better::Nearer,
    definition: "The claim's `measure`, an expression over the state of one body (x, y, angle, vx, vy, speed, spin, mass, inertia, t; in space x, y, z, qw, qx, qy, qz, vx, vy, vz, speed, wx, wy, wz, mass, t), of others by their names, of all that are measured by sums, and the parameters, in the last frame of the window, or at the claim's `at_time`.",
    formula: "q(state(t_end), t_end)",
    source: "definition; the scene gives the closed form it is held against",
    limits: "For one body, or for the whole world where the measure names its bodies itself. The last frame comes up to one step before the end of the window: what changes fast is asked for at a time, and then interpolated, as of time.when.",
    usual_causes: "as for the quantities that the measure is made of",
    needs: &[Need::Measure],
    takes: &[Need::AtTime],
    one_body: true,
    next_step: advice::MOTION,
    make: measured,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Measured {
    of: Vec<usize>,
    measure: Option<Measure>,
    reader: Reader,
    last: Option<(f64, f64)>,
}

pub(crate) fn measured(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Measured {
        of: scope.of.clone(),
        measure: scope.details.measure.clone(),
        reader: Reader::of(scope),
        last: None,
    })
}

/// Why nothing is measured of several bodies.
fn too_many(of: &[usize]) -> Reading {
    Reading::nothing(format!("it measures one body, and {} are named", of.len()))
}

impl Gauge for Measured {
    fn observe(&mut self, view: &View<'_>) {
        let Some(measure) = &self.measure else { return };
        let (Some(&body), true) = (self.of.first(), self.of.len() == 1 || measure.is_whole()) else { return };
        let of = &self.of;
        let read = |bodies: &[BodyState], time: f64| (time, measure.at(&Moment { bodies, body, of, time }));
        if let Some(value) = self.reader.read(view, read) {
            self.last = Some(value);
        }
    }

    fn reading(&self, _: &World) -> Reading {
        match self.last {
            None if self.of.len() != 1 && !self.measure.as_ref().is_some_and(Measure::is_whole) => too_many(&self.of),
            None => Reading::nothing(self.reader.nothing()),
            Some((time, value)) if value.is_nan() => Reading::nothing(format!("it has no value at {time:.3} s")),
            Some((time, value)) => Reading::of(value, self.reader.said(time)),
        }
    }
}

struct Value {
    of: Vec<usize>,
    pick: Pick,
    reader: Reader,
    last: Option<(f64, BodyState)>,
}

fn gauge(scope: &Scope, pick: Pick) -> Box<dyn Gauge> {
    Box::new(Value { of: scope.of.clone(), pick, reader: Reader::of(scope), last: None })
}

pub(crate) fn x(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.pose.position.x)
}

pub(crate) fn y(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.pose.position.y)
}

pub(crate) fn vx(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.velocity.x)
}

pub(crate) fn vy(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.velocity.y)
}

pub(crate) fn z(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.pose.position.z)
}

pub(crate) fn vz(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.velocity.z)
}

pub(crate) fn wx(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.spin.x)
}

pub(crate) fn wy(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.spin.y)
}

pub(crate) fn wz(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.spin.z)
}

pub(crate) fn speed(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.velocity.length())
}

pub(crate) fn spin(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    gauge(scope, |state| state.spin.z)
}

impl Gauge for Value {
    fn observe(&mut self, view: &View<'_>) {
        let [only] = self.of.as_slice() else { return };
        if let Some(last) = self.reader.read_one(view, *only) {
            self.last = Some(last);
        }
    }

    fn reading(&self, _: &World) -> Reading {
        if self.of.len() != 1 {
            return too_many(&self.of);
        }
        match &self.last {
            None => Reading::nothing(self.reader.nothing()),
            Some((time, state)) if state.is_absent() => Reading::nothing(format!("it is not there at {time:.3} s")),
            Some((time, state)) => Reading::of((self.pick)(state), self.reader.said(*time)),
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::gauge::Scope;
    use crate::gauges::trace::{measure, measure_with, state, trace, world};
    use ironspin_model::{BodyKind, BodyState, DVec2, Details, Measure, PlaneShape};

    /// A throw under gravity: x = 3 t, y = 5 t - g t^2 / 2.
    fn thrown(time: f64) -> BodyState {
        state(3.0 * time, 5.0 * time - 0.5 * 9.81 * time * time, 3.0, 5.0 - 9.81 * time)
    }

    #[test]
    fn a_throw_is_where_the_parabola_says() {
        let world = world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO)]);
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
    fn any_expression_over_the_state_can_be_measured() {
        let world = world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO)]);
        let energy =
            Measure::new("vy^2 / 2 + g * y", |state, _| 0.5 * state.velocity.y.powi(2) + 9.81 * state.pose.position.y);
        let scope =
            Scope { of: vec![0], details: Details { measure: Some(energy), ..Details::default() }, ..Scope::default() };
        let found =
            measure_with("value.measure", &world, &scope, &trace(0.25, 1.0, |t| vec![thrown(t)])).value.unwrap();
        assert!((found - 12.5).abs() < 1e-13, "{found}");
        let straight = trace(0.25, 1.0, |t| vec![state(3.0 * t, 5.0 * t, 3.0, 5.0)]);
        assert!(measure_with("value.measure", &world, &scope, &straight).value.unwrap() > 60.0);
    }

    #[test]
    fn between_two_frames_the_throw_is_where_the_parabola_says() {
        let world = world(&[("ball", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO)]);
        let frames = trace(0.25, 1.0, |time| vec![thrown(time)]);
        let at = |at_time: f64, gauge: &str| {
            let details = Details { at_time: Some(at_time), ..Details::default() };
            measure_with(gauge, &world, &Scope { of: vec![0], details, ..Scope::default() }, &frames)
        };
        for time in [0.0, 0.1, 0.25, 0.6180339, 1.0] {
            let (y, vy) = (5.0 * time - 0.5 * 9.81 * time * time, 5.0 - 9.81 * time);
            assert!((at(time, "value.y").value.unwrap() - y).abs() < 1e-13, "{time}");
            assert!((at(time, "value.vy").value.unwrap() - vy).abs() < 1e-13, "{time}");
        }
        assert!(at(1.5, "value.y").detail.contains("before 1.5 s"));
    }

    #[test]
    fn nothing_is_told_of_several_or_of_one_that_is_gone() {
        let world = world(&[
            ("a", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO),
            ("b", BodyKind::Dynamic, PlaneShape::Disc(0.1), DVec2::ZERO),
        ]);
        let frames =
            trace(0.25, 1.0, |time| vec![if time < 0.5 { thrown(time) } else { BodyState::absent() }, thrown(time)]);
        assert!(measure("value.x", &world, &[0, 1], &[], &frames).value.is_none());
        assert!(measure("value.x", &world, &[0], &[], &frames).detail.contains("not there at 1.000 s"));
        assert_eq!(measure("value.x", &world, &[1], &[], &frames).value, Some(3.0));
    }
}
