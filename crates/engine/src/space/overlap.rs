//! Removal of overlap by moving bodies, so that no kinetic energy comes of it.

use crate::common::scalar::Real;
use crate::common::tolerance::{OVERLAP_SHARE, OVERLAP_STEP, SLOP};
use crate::space::bodies::{Bodies, Inverse, Motion};
use crate::space::contact::{Contact, POINTS};
use crate::space::contacts::Contacts;
use crate::space::impact::{response, strengths};
use crate::space::vector::Vec3;

/// Most passes.
const PASSES: u32 = 8;

/// Moves bodies apart where they overlap by more than the slop and will still do so at the end of the step.
pub(crate) fn remove<R: Real>(bodies: &mut Bodies<R>, contacts: &Contacts<R>, dt: R) {
    let beyond = |contact: &Contact<R>| {
        let [a, b] = contact.bodies.map(|body| bodies.motion[body]);
        contact.points().iter().any(|point| {
            let deep = -point.gap - R::of(SLOP) * contact.size;
            // What parts fast enough by itself is let be.
            deep > R::ZERO && (b.at(point.arms[1]) - a.at(point.arms[0])).dot(contact.normal) * dt < deep
        })
    };
    if !contacts.list.iter().any(beyond) {
        return;
    }
    let mut shifts = vec![Motion::default(); bodies.len()];
    let mut pushed = vec![[R::ZERO; POINTS]; contacts.list.len()];
    for _ in 0..PASSES {
        for (contact, pushed) in contacts.list.iter().zip(&mut pushed) {
            // One that is not deep has nothing to do until one of its bodies is pushed against it.
            if beyond(contact) || contact.bodies.iter().any(|&body| shifts[body] != Motion::default()) {
                push_apart(contact, pushed, &mut shifts, &bodies.inverse);
            }
        }
    }
    for (contact, pushed) in contacts.list.iter().zip(&pushed) {
        balance(contact, pushed.iter().fold(R::ZERO, |sum, &push| sum + push), bodies);
    }
    for (body, shift) in shifts.into_iter().enumerate().filter(|(_, shift)| *shift != Motion::default()) {
        bodies.shift(body, shift);
    }
}

fn push_apart<R: Real>(
    contact: &Contact<R>,
    pushed: &mut [R; POINTS],
    shifts: &mut [Motion<R>],
    inverse: &[Inverse<R>],
) {
    let [a, b] = contact.bodies;
    let pair = [inverse[a], inverse[b]];
    for (point, pushed) in contact.points().iter().zip(pushed) {
        let beyond = -point.gap - R::of(SLOP) * contact.size;
        // A shallow point may close its own gap again, but is not pushed past it.
        let wanted = if beyond > R::ZERO {
            (R::of(OVERLAP_SHARE) * beyond).min(R::of(OVERLAP_STEP) * contact.size)
        } else {
            beyond
        };
        let (along, _) = strengths(&response(&pair, point.arms), contact.normal);
        let speed = (shifts[b].at(point.arms[1]) - shifts[a].at(point.arms[0])).dot(contact.normal);
        let total = (*pushed + (wanted - speed) / along).max(R::ZERO);
        let change = contact.normal * (total - *pushed);
        *pushed = total;
        shifts[a] = shifts[a].minus(pair[0].kick(point.arms[0], change));
        shifts[b] = shifts[b].plus(pair[1].kick(point.arms[1], change));
    }
}

/// Pushing two moving bodies apart shifts their momenta sideways; their spins take up what that changes of the angular
/// momentum.
fn balance<R: Real>(contact: &Contact<R>, pushed: R, bodies: &mut Bodies<R>) {
    let [a, b] = contact.bodies;
    if !(pushed > R::ZERO && [a, b].iter().all(|&body| bodies.inverse[body].inertia.trace() > R::ZERO)) {
        return;
    }
    let gained = (contact.normal * pushed).cross(bodies.motion[b].linear - bodies.motion[a].linear);
    let both = [a, b].map(|body| bodies.own[body].matrix.turned(&bodies.axes[body]));
    let turn = both[0].plus(&both[1]).inverse().times(gained);
    if turn == Vec3::ZERO {
        return;
    }
    for body in [a, b] {
        let motion = bodies.motion[body];
        bodies.take_motion(body, Motion { spin: motion.spin - turn, ..motion });
    }
}
