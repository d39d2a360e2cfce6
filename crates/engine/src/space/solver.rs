//! Resting contacts: velocities by sequential impulses.
//!
//! Source: Catto, "Iterative Dynamics with Temporal Coherence" (2005): accumulated, clamped impulses with warm starting. Friction is a
//! vector in the plane of the contact, held within a round cone. Passes gain momentum (Nesterov, 1983; O'Donoghue and Candès, 2015) and end
//! early when nothing changes any more.

use crate::common::colouring::{COLOURS, Colouring};
use crate::common::passes::{Blocks, Width, Work, iterate};
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

/// Solver that keeps its lists between steps.
#[derive(Clone, Debug)]
pub(crate) struct Solver<R> {
    width: Width,
    colouring: Colouring,
    blocks: Blocks<R>,
    bundles: Vec<Bundle<R>>,
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
        // Full ones are written over; those that are not may still have lanes of the step before.
        self.bundles.truncate(count);
        for (colour, ends) in self.colouring.first_bundle.windows(2).enumerate().filter(|(_, ends)| ends[0] < ends[1]) {
            let first = if colour < COLOURS { ends[1] - 1 } else { ends[0] };
            let last = (ends[1] as usize).min(self.bundles.len());
            if let Some(bundles) = self.bundles.get_mut(first as usize..last) {
                bundles.fill(Bundle::empty(nobody));
            }
        }
        self.bundles.resize(count, Bundle::empty(nobody));
        self.motion.clone_from(&bodies.motion);
        let mut any = !joints.is_empty();
        for (contact, &(bundle, lane)) in contacts.list.iter_mut().zip(&self.colouring.slots) {
            let bundle = &mut self.bundles[bundle as usize];
            any |= prepare(bundle, usize::from(lane), contact, bodies, (start, &mut self.motion), step);
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
        for (contact, &(bundle, lane)) in contacts.list.iter_mut().zip(&self.colouring.slots) {
            let (bundle, lane) = (&self.bundles[bundle as usize], usize::from(lane));
            for (k, point) in contact.points[..contact.count].iter_mut().enumerate() {
                (point.normal_impulse, point.friction_impulse) = bundle.impulses(lane, k);
            }
        }
        &self.motion[..bodies.len()]
    }
}

/// Fills a lane with the rows of a contact and gives the bodies its impulses of the step before; whether any point takes part.
fn prepare<R: Real>(
    bundle: &mut Bundle<R>,
    lane: usize,
    contact: &mut Contact<R>,
    bodies: &Bodies<R>,
    (start, motion): (&[Motion<R>], &mut [Motion<R>]),
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
    let [one, other] = bundle.fill(lane, &now);
    motion[a] = motion[a].plus(one);
    motion[b] = motion[b].plus(other);
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
