//! What a fault does in the middle of a step. Nothing of this is called in a sound engine.

use crate::common::injection::{InjectionPoint, is_left_out};
use crate::common::scalar::Real;
use crate::space::bodies::{Bodies, Motion};
use crate::space::contact::Contact;
use crate::space::shape::{Form, Piece};
use crate::space::shell::View;
use crate::space::simulation::Simulation;
use crate::space::vector::{Mat3, Vec3};
use ironspin_model::BodyKind;

/// Cosine of the angle to the normal of a face from which on a contact is one of that face.
const OF_A_FACE: f64 = 1.0 - 1e-6;

/// How bodies turned before they were moved.
pub(crate) struct TurningBefore<R> {
    spins: Vec<Vec3<R>>,
    momenta: Vec<Vec3<R>>,
    axes: Vec<Mat3<R>>,
}

impl<R: Real> Simulation<R> {
    /// Tells the parts of the engine what they do not see.
    pub(crate) fn take_on_mistakes(&mut self) {
        let on = |point| self.settings.injected(point).is_some();
        self.bodies.one_way = on(InjectionPoint::OneWayFilter);
        self.contacts.seams_catch = on(InjectionPoint::SeamsCatch);
        self.sensors.at_end_only = on(InjectionPoint::SensorsAtEnd);
        self.sweeper.blind_to_moving = on(InjectionPoint::SweptStandingOnly);
        self.sweeper.blind_to_turning = on(InjectionPoint::SweptNoTurning);
        self.joints.let_sliders_turn(on(InjectionPoint::SliderTurns));
        self.built_axes = if on(InjectionPoint::InertiaStays) { self.bodies.axes.clone() } else { Vec::new() };
    }

    /// Contacts and points that the engine does not know of.
    pub(crate) fn lose_contacts(&mut self) {
        let on = |point| self.settings.injected(point).is_some();
        let list = &mut self.contacts.list;
        let pieces = &self.bodies.pieces;
        let both = |contact: &Contact<R>| [contact.pieces.0, contact.pieces.1].map(|piece| &pieces[piece as usize]);
        if on(InjectionPoint::PairsLost) {
            list.retain(|contact| (contact.pieces.0 + contact.pieces.1) % 10 != 1);
        }
        if on(InjectionPoint::EmptyPair) {
            let round = |piece: &Piece<R>| matches!(piece.form, Form::Capsule { .. });
            list.retain(|contact| {
                let [a, b] = both(contact);
                !(round(a) && flat(b).is_some() || flat(a).is_some() && round(b))
            });
        }
        if on(InjectionPoint::EdgesMissed) {
            list.retain(|contact| {
                let [a, b] = both(contact);
                !(is_an_edge(&self.bodies, a, contact.normal) && is_an_edge(&self.bodies, b, -contact.normal))
            });
        }
        if on(InjectionPoint::MeshOneSided) {
            list.retain(|contact| {
                let [a, b] = both(contact);
                let (surface, out) = match (&a.form, &b.form) {
                    (Form::Mesh(mesh), _) => ((mesh, a), contact.normal),
                    (_, Form::Mesh(mesh)) => ((mesh, b), -contact.normal),
                    _ => return true,
                };
                let axes = surface.1.pose(&self.bodies.pose(surface.1.body)).axes;
                axes.times(surface.0.normal(contact.face as usize)).dot(out) > R::ZERO
            });
        }
        if on(InjectionPoint::OnePoint) {
            for contact in list {
                let deepest = (1..contact.count)
                    .fold(0, |best, k| if contact.points[k].gap < contact.points[best].gap { k } else { best });
                contact.points.swap(0, deepest);
                contact.count = contact.count.min(1);
            }
        }
    }

    /// Leaves bodies out of the sweep in a share of their steps.
    pub(crate) fn leave_out(&mut self) {
        let Some(share) = self.settings.injected(InjectionPoint::SweptNowAndThen) else { return };
        for (body, marked) in self.marked.iter_mut().enumerate() {
            *marked &= !is_left_out(self.steps, body, share);
        }
    }

    /// Takes a share of their motion from driven bodies; what it was.
    pub(crate) fn forget_drivers(&mut self) -> Vec<(usize, Motion<R>)> {
        let Some(share) = self.settings.injected(InjectionPoint::NoCarry) else { return Vec::new() };
        let driven = (0..self.bodies.len()).filter(|&body| self.bodies.traits[body].kind == BodyKind::Kinematic);
        let kept: Vec<_> = driven.map(|body| (body, self.bodies.motion[body])).collect();
        for &(body, motion) in &kept {
            self.bodies.motion[body] = motion.scaled(R::of(1.0 - share));
        }
        kept
    }

    /// How bodies turn before they are moved, if a mistake asks for it.
    pub(crate) fn turning_before(&self) -> Option<TurningBefore<R>> {
        let points =
            [InjectionPoint::GyroscopicLeftOut, InjectionPoint::GyroscopicExplicit, InjectionPoint::InertiaStays];
        points.iter().any(|&point| self.settings.injected(point).is_some()).then(|| TurningBefore {
            spins: self.bodies.motion.iter().map(|motion| motion.spin).collect(),
            momenta: self.bodies.momentum.clone(),
            axes: self.bodies.axes.clone(),
        })
    }

    /// Gives bodies that were moved the spin of a wrong equation.
    pub(crate) fn turn_wrongly(&mut self, before: &TurningBefore<R>, dt: R) {
        for body in 0..self.bodies.len() {
            let dynamic = self.bodies.traits[body].kind == BodyKind::Dynamic;
            if !dynamic || !self.bodies.travels(body) || self.bodies.own[body].alike {
                continue;
            }
            let (spin, now) = (before.spins[body], self.bodies.motion[body].spin);
            let own = self.bodies.own[body];
            let wrong = if let Some(share) = self.settings.injected(InjectionPoint::GyroscopicLeftOut) {
                now + (spin - now) * R::of(share)
            } else if let Some(share) = self.settings.injected(InjectionPoint::GyroscopicExplicit) {
                let rate = own.spin(&before.axes[body], before.momenta[body].cross(spin));
                now + (spin + rate * dt - now) * R::of(share)
            } else if let Some(share) = self.settings.injected(InjectionPoint::InertiaStays) {
                let kept = own.spin(&self.built_axes[body], self.bodies.momentum[body]);
                // The momentum is the engine's own belief, and is kept: only what it makes of it is wrong.
                self.bodies.motion[body].spin = now + (kept - now) * R::of(share);
                continue;
            } else {
                continue;
            };
            self.bodies.set_spin(body, wrong);
        }
    }
}

fn flat<R: Real>(piece: &Piece<R>) -> Option<View<'_, R>> {
    match &piece.form {
        Form::Block(_, shell) | Form::Hull(shell) => Some(shell.view()),
        Form::Ball(_) | Form::Capsule { .. } | Form::Cylinder { .. } | Form::Mesh(_) | Form::HalfSpace(_) => None,
    }
}

/// Whether a contact along a direction out of a piece with flat faces is of an edge or a corner of it.
fn is_an_edge<R: Real>(bodies: &Bodies<R>, piece: &Piece<R>, out: Vec3<R>) -> bool {
    let Some(view) = flat(piece) else { return false };
    let axes = piece.pose(&bodies.pose(piece.body)).axes;
    view.faces.iter().all(|face| axes.times(face.normal).dot(out) < R::of(OF_A_FACE))
}

/// What friction holds along a slip, as a share of what it should, where it is bounded along two axes across the normal by themselves.
pub(crate) fn of_a_pyramid<R: Real>(normal: Vec3<R>, slip: Vec3<R>, share: R) -> R {
    let [one, other] = normal.across();
    let (x, y) = (slip.dot(one).abs(), slip.dot(other).abs());
    let (long, length) = (x.max(y), (x * x + y * y).sqrt());
    if long > R::ZERO { R::ONE + share * (length / long - R::ONE) } else { R::ONE }
}
