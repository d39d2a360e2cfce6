//! Resting contacts: velocities by sequential impulses.
//!
//! Source: Catto, "Iterative Dynamics with Temporal Coherence" (2005): accumulated, clamped impulses with warm starting. Friction is a
//! vector in the plane of the contact, held within a round cone. Passes gain momentum (Nesterov, 1983; O'Donoghue and Candès, 2015) and end
//! early when nothing changes any more.

use crate::common::colouring::Colouring;
use crate::common::passes::{Blocks, LANES, Width, Work, iterate};
use crate::common::scalar::Real;
use crate::common::threads::Threads;
use crate::common::tolerance::CONVERGED;
use crate::space::bodies::{Bodies, Motion};
use crate::space::contact::{Contact, POINTS};
use crate::space::contacts::Contacts;
use crate::space::joints::Joints;
use crate::space::mid_step::of_a_pyramid;
use crate::space::rows::{ContactNow, PointNow};
use crate::space::vector::Vec3;
use crate::space::wide::Bundle;

/// Stands for no contact in a lane.
const NO_CONTACT: u32 = u32::MAX;

/// Solver that keeps its lists between steps.
#[derive(Clone, Debug)]
pub(crate) struct Solver<R> {
    width: Width,
    colouring: Colouring,
    blocks: Blocks<R>,
    bundles: Vec<Bundle<R>>,
    /// The contact of each lane of each bundle.
    lanes: Vec<[u32; LANES]>,
    /// What the impulses that each contact begins with change of the motion of its bodies.
    begun: Vec<[Motion<R>; 2]>,
    /// Velocities of the bodies, and some more behind them; and those after the pass before.
    motion: Vec<Motion<R>>,
    before: Vec<Motion<R>>,
    /// Passes done so far, for reports on cost.
    pub(crate) passes: u64,
}

impl<R: Real> Default for Solver<R> {
    fn default() -> Self {
        Solver {
            width: Width::of_this_machine(),
            colouring: Colouring::default(),
            blocks: Blocks::default(),
            bundles: Vec::new(),
            lanes: Vec::new(),
            begun: Vec::new(),
            motion: Vec::new(),
            before: Vec::new(),
            passes: 0,
        }
    }
}

/// What a solve needs to know of the step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct StepNumbers<R> {
    pub(crate) dt: R,
    pub(crate) iterations: u32,
    /// Approach speed above which a contact that does not overlap yet is left to the impacts of the next look.
    pub(crate) rest_speed: R,
    /// The speed that changes are held against: one step of gravity, or the fastest motion where there is none.
    pub(crate) scale: R,
    /// What the impulses of joints of the step before are multiplied by.
    pub(crate) carry: R,
    /// Time from the start of the step at which its pushes act, as far as the ways of the bodies go.
    pub(crate) push_time: R,
    /// A mistake: how far friction is a pyramid.
    pub(crate) pyramid: R,
}

impl<R: Real> Solver<R> {
    /// Works out velocities with which no contact approaches; `start` holds those before this step's forces. Gives the changed motions of the
    /// bodies back.
    pub(crate) fn solve(
        &mut self,
        bodies: &Bodies<R>,
        start: &[Motion<R>],
        contacts: &mut Contacts<R>,
        joints: &mut Joints<R>,
        step: StepNumbers<R>,
        threads: &Threads,
    ) -> &[Motion<R>] {
        let pairs = contacts.list.iter().map(|contact| contact.bodies);
        let count = self.colouring.arrange(pairs, bodies.len(), |body| bodies.inverse[body].moves());
        let nobody = bodies.len() as u32;
        self.bundles.resize(count, Bundle::empty(nobody));
        self.motion.clone_from(&bodies.motion);
        self.lanes.clear();
        self.lanes.resize(count, [NO_CONTACT; LANES]);
        for (number, &(bundle, lane)) in self.colouring.slots.iter().enumerate() {
            self.lanes[bundle as usize][usize::from(lane)] = number as u32;
        }
        let mut any = !joints.is_empty();
        self.begun.resize(contacts.list.len(), [Motion::default(); 2]);
        // Bundle by bundle, because one is much larger than what it is made from.
        for (bundle, lanes) in self.bundles.iter_mut().zip(&self.lanes) {
            if lanes.contains(&NO_CONTACT) {
                *bundle = Bundle::empty(nobody);
            }
            for (lane, number) in taken(lanes) {
                any |= prepare(bundle, lane, &contacts.list[number], bodies, start, step);
            }
            let begun = bundle.work_out(self.width);
            for (lane, number) in taken(lanes) {
                self.begun[number] = begun[lane];
            }
        }
        // In the order of the contacts, on which no bit may depend otherwise.
        for (contact, begun) in contacts.list.iter().zip(&self.begun) {
            for (&body, &begun) in contact.bodies.iter().zip(begun) {
                self.motion[body] = self.motion[body].plus(begun);
            }
        }
        joints.prepare(bodies, &mut self.motion, step.dt, step.carry);
        if any {
            let work = Work {
                width: self.width,
                colouring: &self.colouring,
                blocks: &mut self.blocks,
                bundles: &mut self.bundles,
                motion: &mut self.motion,
                before: &mut self.before,
                bodies,
                joints,
                iterations: step.iterations,
                enough: R::of(CONVERGED) * step.scale,
                scale: step.scale,
            };
            self.passes += u64::from(iterate(work, threads));
        }
        for (bundle, lanes) in self.bundles.iter().zip(&self.lanes) {
            for (lane, number) in taken(lanes) {
                let contact = &mut contacts.list[number];
                for (k, point) in contact.points[..contact.count].iter_mut().enumerate() {
                    (point.normal_impulse, point.friction_impulse) = bundle.impulses(lane, k);
                }
            }
        }
        &self.motion[..bodies.len()]
    }
}

/// The lanes of a bundle that have a contact, with its number.
fn taken(lanes: &[u32; LANES]) -> impl Iterator<Item = (usize, usize)> {
    let numbers = lanes.iter().enumerate().filter(|(_, number)| **number != NO_CONTACT);
    numbers.map(|(lane, &number)| (lane, number as usize))
}

/// Puts a contact into a lane; whether any of its points takes part.
fn prepare<R: Real>(
    bundle: &mut Bundle<R>,
    lane: usize,
    contact: &Contact<R>,
    bodies: &Bodies<R>,
    start: &[Motion<R>],
    step: StepNumbers<R>,
) -> bool {
    let count = contact.count;
    let mut points = [PointNow::default(); POINTS];
    let mut any = false;
    let mut middle = Vec3::ZERO;
    for (now, point) in points.iter_mut().zip(&contact.points[..count]) {
        let approach = -relative(start, contact.bodies, point.arms).dot(contact.normal);
        let is_on = !(point.gap > R::ZERO && approach > step.rest_speed);
        any |= is_on;
        middle += point.position;
        *now = PointNow {
            position: point.position,
            floor: if point.gap > R::ZERO { -point.gap / step.dt } else { R::ZERO },
            impulse: contact.normal * point.normal_impulse + point.friction_impulse,
            is_on,
        };
    }
    middle = middle * (R::ONE / R::of(count as f64));
    let [a, b] = contact.bodies;
    let arms = contact.bodies.map(|body| middle - bodies.position[body]);
    let moving = contact.bodies.map(|body| bodies.travels(body));
    let now = ContactNow {
        bodies: contact.bodies,
        inverse: [&bodies.inverse[a], &bodies.inverse[b]],
        arms: arms_at_push(contact.bodies, arms, start, moving, step.push_time),
        middle,
        normal: contact.normal,
        friction: if step.pyramid > R::ZERO {
            let slip = relative(start, contact.bodies, arms);
            contact.friction * of_a_pyramid(contact.normal, slip, step.pyramid)
        } else {
            contact.friction
        },
        points: &points[..count],
    };
    bundle.take(lane, &now);
    any
}

fn relative<R: Real>(motion: &[Motion<R>], bodies: [usize; 2], arms: [Vec3<R>; 2]) -> Vec3<R> {
    motion[bodies[1]].at(arms[1]) - motion[bodies[0]].at(arms[0])
}

/// From where each centre will be when the push of the step acts to where the point will be then. With the arms of the start of
/// the step the angular momentum of two bodies in flight would not be kept.
pub(crate) fn arms_at_push<R: Real>(
    bodies: [usize; 2],
    arms: [Vec3<R>; 2],
    motion: &[Motion<R>],
    moving: [bool; 2],
    time: R,
) -> [Vec3<R>; 2] {
    if moving != [true, true] {
        return arms;
    }
    // The point of contact goes with both bodies, as it does where two balls roll on each other.
    let apart = (motion[bodies[1]].linear - motion[bodies[0]].linear) * (R::HALF * time);
    [arms[0] + apart, arms[1] - apart]
}
