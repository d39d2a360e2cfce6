//! The state of one body at the end of the window.

use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN, UNIT_OF_THE_CLAIM};
use crate::gauge::{Gauge, Reading, Scope, View};
use ironspin_model::{BodyState, Dimension, Measure, World};

pub(crate) const X: GaugeEntry = GaugeEntry {
    name: "value.x",
    label: "x at the end",
    unit: "m",
    better: Better::Nearer,
    definition: "The x coordinate of the centre of mass of one body in the last frame of the window.",
    formula: "x(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
    usual_causes: "wrong forces, friction or impulses on the way; a wrong scale or axis",
    next_step: advice::MOTION,
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
    definition: "The y coordinate of the centre of mass of one body in the last frame of the window.",
    formula: "y(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
    usual_causes: "gravity of a wrong size or sign; half sizes taken for full sizes; sinking",
    next_step: advice::MOTION,
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
    definition: "The x component of the velocity of one body in the last frame of the window.",
    formula: "v_x(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
    usual_causes: "friction or impulses of a wrong size; hidden damping; an impact that is not passed on whole",
    next_step: advice::MOTION,
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
    definition: "The y component of the velocity of one body in the last frame of the window.",
    formula: "v_y(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
    usual_causes: "gravity of a wrong size; restitution; hidden damping",
    next_step: advice::MOTION,
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
    definition: "The magnitude of the velocity of one body in the last frame of the window.",
    formula: "|v(t_end)|, t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
    usual_causes: "friction of a wrong size or mixed wrongly; a cap on speeds; hidden damping",
    next_step: advice::MOTION,
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
    definition: "The angular velocity of one body about z in the last frame of the window.",
    formula: "w_z(t_end), t_end the time of the last frame that lies in the window",
    source: "definition of the state; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window, so what changes fast needs a window that ends on a step.",
    usual_causes: "a wrong moment of inertia; friction without lever arm or of the wrong sign; a cap on turning",
    next_step: advice::MOTION,
    make: spin,
    needs_geometry: false,
    dimensions: Dimension::PLANE_ONLY,
    ..PLAIN
};

pub(crate) const Z: GaugeEntry = GaugeEntry {
    name: "value.z",
    label: "z at the end",
    definition: "The z coordinate of the centre of mass of one body in the last frame of the window.",
    formula: "z(t_end), t_end the time of the last frame that lies in the window",
    make: z,
    dimensions: Dimension::SPACE_ONLY,
    ..X
};

pub(crate) const VZ: GaugeEntry = GaugeEntry {
    name: "value.vz",
    label: "velocity along z at the end",
    definition: "The z component of the velocity of one body in the last frame of the window.",
    formula: "v_z(t_end), t_end the time of the last frame that lies in the window",
    make: vz,
    dimensions: Dimension::SPACE_ONLY,
    ..VX
};

pub(crate) const WX: GaugeEntry = GaugeEntry {
    name: "value.wx",
    label: "spin about x at the end",
    definition: "The x component of the angular velocity of one body, along the world's axes, in the last frame of the window.",
    formula: "w_x(t_end), t_end the time of the last frame that lies in the window",
    usual_causes: "spin or inertia taken along other axes than they are given in; friction without lever arm or of the wrong sign; no gyroscopic torque",
    make: wx,
    dimensions: Dimension::SPACE_ONLY,
    ..SPIN
};

pub(crate) const WY: GaugeEntry = GaugeEntry {
    name: "value.wy",
    label: "spin about y at the end",
    definition: "The y component of the angular velocity of one body, along the world's axes, in the last frame of the window.",
    formula: "w_y(t_end), t_end the time of the last frame that lies in the window",
    make: wy,
    ..WX
};

pub(crate) const WZ: GaugeEntry = GaugeEntry {
    name: "value.wz",
    label: "spin about z at the end",
    definition: "The z component of the angular velocity of one body, along the world's axes, in the last frame of the window.",
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
    definition: "The claim's `measure`, an expression over the state of one body (x, y, angle, vx, vy, speed, spin, t; in space x, y, z, qw, qx, qy, qz, vx, vy, vz, speed, wx, wy, wz, t) and the parameters, in the last frame of the window.",
    formula: "q(state(t_end), t_end)",
    source: "definition; the scene gives the closed form it is held against",
    limits: "For one body. The last frame comes up to one step before the end of the window.",
    usual_causes: "as for the quantities that the measure is made of",
    needs: &[Need::Measure],
    next_step: advice::MOTION,
    make: measured,
    needs_geometry: false,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

struct Measured {
    of: Vec<usize>,
    measure: Option<Measure>,
    last: Option<(f64, f64)>,
}

pub(crate) fn measured(_: &World, scope: &Scope) -> Box<dyn Gauge> {
    Box::new(Measured { of: scope.of.clone(), measure: scope.details.measure.clone(), last: None })
}

impl Gauge for Measured {
    fn observe(&mut self, view: &View<'_>) {
        if let ([id], Some(measure)) = (self.of.as_slice(), &self.measure) {
            self.last = Some((view.now.time, measure.value(&view.now.bodies[*id], view.now.time)));
        }
    }

    fn reading(&self, _: &World) -> Reading {
        match self.last {
            _ if self.of.len() != 1 => {
                Reading::nothing(format!("it measures one body, and {} are named", self.of.len()))
            }
            None => Reading::nothing("no frame lies in the window"),
            Some((time, value)) if value.is_nan() => Reading::nothing(format!("it has no value at {time:.3} s")),
            Some((time, value)) => Reading::of(value, format!("at {time:.3} s")),
        }
    }
}

struct Value {
    of: Vec<usize>,
    pick: Pick,
    last: Option<(f64, BodyState)>,
}

fn gauge(scope: &Scope, pick: Pick) -> Box<dyn Gauge> {
    Box::new(Value { of: scope.of.clone(), pick, last: None })
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
