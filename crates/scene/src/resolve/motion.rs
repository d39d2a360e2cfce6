//! Scripted motions of kinematic bodies: a velocity for each step that takes the body exactly from point to point.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{MotionTable, Placed};
use crate::names::Names;
use ironspin_model::{Action, Body, DVec3, Dimension, Effect, about_z};
use std::f64::consts::TAU;

/// Offset and angle about z from where the body was built, at a time.
type Path = Box<dyn Fn(f64) -> (DVec3, f64)>;

impl Resolver {
    /// Sets the velocity of a kinematic body at the start and adds the actions that change it, step by step.
    pub(super) fn drive(
        &self,
        motion: &Placed<MotionTable>,
        id: usize,
        body: &mut Body,
        names: &Names,
        effects: &mut Vec<Action>,
    ) -> Result<(), Diagnostic> {
        if body.velocity != DVec3::ZERO || body.spin != about_z(0.0) {
            return Err(Diagnostic::at(motion.span(), "a body has either a `motion` or a `velocity` and `spin`")
                .label("has both"));
        }
        let path = self.path(motion, body.pose.position, names)?;
        let steps = (self.duration / self.dt).ceil();
        self.budget.spend(Cost::Actions, steps.clamp(0.0, 1e15) as usize, || motion.span())?;
        let mut last = None;
        for step in 0..steps as u64 {
            let (from, to) = (step as f64 * self.dt, (step + 1) as f64 * self.dt);
            let ((p, a), (q, b)) = (path(from), path(to));
            let now = ((q - p) / self.dt, (b - a) / self.dt);
            if step == 0 {
                (body.velocity, body.spin) = (now.0, about_z(now.1));
            } else if last.is_some_and(|(velocity, _)| velocity != now.0) {
                effects.push(Action { at_time: from, body: id, effect: Effect::Velocity(now.0) });
            }
            if step > 0 && last.is_some_and(|(_, spin)| spin != now.1) {
                effects.push(Action { at_time: from, body: id, effect: Effect::Spin(about_z(now.1)) });
            }
            last = Some(now);
        }
        Ok(())
    }

    fn path(&self, motion: &Placed<MotionTable>, start: DVec3, names: &Names) -> Result<Path, Diagnostic> {
        match motion.get_ref() {
            MotionTable::Line { to, speed, back } => {
                let way = self.placed_vector(to, names)? - start;
                let speed = self.positive(speed, "a speed", names)?;
                let length = way.length();
                if length == 0.0 {
                    return Err(Diagnostic::at(to.span(), "the line ends where the body stands").label("has no length"));
                }
                let (along, back) = (way / length, *back);
                Ok(Box::new(move |time| {
                    let gone = speed * time;
                    let there = if back {
                        // To and fro: a triangle over the way.
                        let within = gone % (2.0 * length);
                        if within <= length { within } else { 2.0 * length - within }
                    } else {
                        gone.min(length)
                    };
                    (along * there, 0.0)
                }))
            }
            MotionTable::Circle { about, period } => {
                if self.dimension == Dimension::Space {
                    return Err(Diagnostic::at(motion.span(), "the motion `circle` is for scenes of the plane")
                        .label("this scene has space = 3")
                        .help("in space a driven body follows a line or swings, or has a velocity and a spin"));
                }
                let centre = self.placed_vector(about, names)?;
                let period = self.period(period, names)?;
                if centre == DVec3::ZERO {
                    return Err(
                        Diagnostic::at(about.span(), "the circle has no radius").label("the centre lies on the body")
                    );
                }
                Ok(Box::new(move |time| {
                    let angle = TAU * time / period;
                    let (sin, cos) = (libm::sin(angle), libm::cos(angle));
                    let arm = -centre;
                    (centre + DVec3::new(cos * arm.x - sin * arm.y, sin * arm.x + cos * arm.y, 0.0), 0.0)
                }))
            }
            MotionTable::Swing { reach, turn, period, phase } => {
                let reach = self.optional_vector(reach.as_ref(), names)?;
                let turn = self.optional(turn.as_ref(), 0.0, names)?;
                let period = self.period(period, names)?;
                let phase = self.optional(phase.as_ref(), 0.0, names)?;
                if reach == DVec3::ZERO && turn == 0.0 {
                    return Err(
                        Diagnostic::at(motion.span(), "the swing goes nowhere").help("give it `reach` or `turn`")
                    );
                }
                let share = move |time: f64| libm::sin(TAU * (time / period + phase)) - libm::sin(TAU * phase);
                Ok(Box::new(move |time| (reach * share(time), turn * share(time))))
            }
        }
    }

    fn period(&self, number: &crate::number::Number, names: &Names) -> Result<f64, Diagnostic> {
        let period = self.evaluator.value(number, names)?;
        if period == 0.0 {
            return Err(Diagnostic::at(number.span(), "a period cannot be zero").label("is 0"));
        }
        Ok(period)
    }
}
