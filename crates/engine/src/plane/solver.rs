//! Resting contacts and joints: velocities by sequential impulses, and removal of overlap.
//!
//! Source: Catto, "Iterative Dynamics with Temporal Coherence" (2005): accumulated, clamped impulses with warm
//! starting. Two points of a manifold are pressed together (Cottle, Pang, Stone, "The Linear Complementarity Problem",
//! 1992, section 1.2: two unknowns by enumeration), and passes end early when nothing changes any more. Overlap is removed by velocities of its own that move bodies and are forgotten, so that they
//! add no kinetic energy.

use crate::common::colouring::Colouring;
use crate::common::passes::{Blocks, LANES, Width, Work, iterate};
use crate::common::scalar::Real;
use crate::common::threads::Threads;
use crate::common::tolerance::{CONVERGED, OVERLAP_SHARE, OVERLAP_STEP, SLOP};
use crate::plane::bodies::{Bodies, Inverse, Motion};
use crate::plane::contact::Contact;
use crate::plane::contacts::Contacts;
use crate::plane::joints::Joints;
use crate::plane::vector::Vec2;
use crate::plane::wide::Bundle;

/// Most passes of the removal of overlap.
const OVERLAP_PASSES: u32 = 8;

/// Solver that keeps its lists between steps.
#[derive(Clone, Debug)]
pub(crate) struct Solver<R> {
    width: Width,
    colouring: Colouring,
    blocks: Blocks<R>,
    bundles: Vec<Bundle<R>>,
    /// Velocities, and some more behind them.
    motion: Vec<Motion<R>>,
    /// Velocities after the pass before.
    motion_before: Vec<Motion<R>>,
    /// Overlap removal: the way of each body.
    shifts: Vec<Motion<R>>,
    /// Bodies of each contact, and whether it is deep.
    sides: Vec<([u32; 2], bool)>,
    /// Pushes on the points of each contact by the removal of overlap.
    pushed: Vec<[R; 2]>,
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
            motion_before: Vec::new(),
            shifts: Vec::new(),
            sides: Vec::new(),
            pushed: Vec::new(),
            passes: 0,
        }
    }
}

/// What a solve needs to know of the step.
#[derive(Clone, Copy, Debug)]
pub(crate) struct StepNumbers<R> {
    pub(crate) dt: R,
    pub(crate) iterations: u32,
    /// Approach speed above which a contact that does not overlap yet is left to swept collision or the next step.
    pub(crate) rest_speed: R,
    /// The speed that changes are held against: one step of gravity, or the fastest approach where there is none.
    pub(crate) scale: R,
    /// Time from the start of the step at which its pushes act, as far as the ways of the bodies go.
    pub(crate) push_time: R,
    /// Only for faults: what lever arm and response of friction are multiplied by.
    pub(crate) grip: Option<[R; 2]>,
}

fn relative<R: Real>(motion: &[Motion<R>], bodies: [usize; 2], arms: [Vec2<R>; 2]) -> Vec2<R> {
    motion[bodies[1]].at(arms[1]) - motion[bodies[0]].at(arms[0])
}

impl<R: Real> Solver<R> {
    /// Changes the velocities so that no contact approaches and every joint holds; `start` holds the velocities before this
    /// step's forces.
    pub(crate) fn solve(
        &mut self,
        bodies: &mut Bodies<R>,
        start: &[Motion<R>],
        contacts: &mut Contacts<R>,
        joints: &mut Joints<R>,
        step: StepNumbers<R>,
        threads: &Threads,
    ) {
        if contacts.list.is_empty() && joints.is_empty() {
            return;
        }
        let pairs = contacts.list.iter().map(|contact| contact.bodies);
        let count = self.colouring.arrange(pairs, bodies.len(), |body| bodies.inverse[body].moves());
        let nobody = bodies.len() as u32;
        self.bundles.clear();
        self.bundles.resize(count, Bundle::empty(nobody));
        for (contact, &(bundle, lane)) in contacts.list.iter_mut().zip(&self.colouring.slots) {
            let bundle = &mut self.bundles[bundle as usize];
            prepare(bundle, usize::from(lane), contact, bodies, start, step);
        }
        if let Some([lever, response]) = step.grip {
            self.untwist(bodies, contacts, R::ONE - lever);
            for rows in self.bundles.iter_mut().flat_map(|bundle| &mut bundle.points) {
                rows.tangent_arm.iter_mut().flatten().for_each(|arm| *arm = *arm * lever);
                rows.tangent_mass.iter_mut().for_each(|mass| *mass = *mass * response);
            }
        }
        self.motion.clear();
        self.motion.extend_from_slice(&bodies.motion);
        let work = Work {
            width: self.width,
            colouring: &self.colouring,
            blocks: &mut self.blocks,
            bundles: &mut self.bundles,
            motion: &mut self.motion,
            before: &mut self.motion_before,
            bodies,
            joints,
            iterations: step.iterations,
            enough: R::of(CONVERGED) * step.scale,
            scale: step.scale,
        };
        self.passes += u64::from(iterate(work, threads));
        let count = bodies.len();
        bodies.motion.copy_from_slice(&self.motion[..count]);
        for (contact, &(bundle, lane)) in contacts.list.iter_mut().zip(&self.colouring.slots) {
            let (bundle, lane) = (&self.bundles[bundle as usize], usize::from(lane));
            for (point, rows) in contact.points[..contact.count].iter_mut().zip(&bundle.points) {
                point.normal_impulse = rows.normal_impulse[lane];
                point.tangent_impulse = rows.tangent_impulse[lane];
            }
        }
    }

    /// Only for faults: takes a share of the turning back that friction of the step before gave to begin with.
    fn untwist(&self, bodies: &mut Bodies<R>, contacts: &Contacts<R>, share: R) {
        for (contact, &(bundle, lane)) in contacts.list.iter().zip(&self.colouring.slots) {
            let (bundle, lane) = (&self.bundles[bundle as usize], usize::from(lane));
            for rows in &bundle.points[..contact.count] {
                for (side, sign) in [(0, R::ONE), (1, -R::ONE)] {
                    let turn = bundle.inverse_inertia[side][lane] * rows.tangent_arm[side][lane];
                    bodies.motion[contact.bodies[side]].spin += sign * turn * rows.tangent_impulse[lane] * share;
                }
            }
        }
    }

    /// Moves bodies out of each other, by a share of the overlap beyond the slop.
    pub(crate) fn remove_overlap(&mut self, bodies: &mut Bodies<R>, contacts: &Contacts<R>) {
        let slop = R::of(SLOP);
        let deep = |contact: &Contact<R>| contact.points().iter().any(|p| p.gap < -slop * contact.size);
        self.sides.clear();
        self.sides.extend(contacts.list.iter().map(|c| (c.bodies.map(|body| body as u32), deep(c))));
        if !self.sides.iter().any(|side| side.1) {
            return;
        }
        self.shifts.clear();
        self.shifts.resize(bodies.len(), Motion::default());
        self.pushed.clear();
        self.pushed.resize(contacts.list.len(), [R::ZERO; 2]);
        for _ in 0..OVERLAP_PASSES {
            for (number, &([a, b], deep)) in self.sides.iter().enumerate() {
                // One that is not deep has nothing to do until one of its bodies is pushed against it.
                let still = |body: u32| self.shifts[body as usize] == Motion::default();
                if !deep && still(a) && still(b) {
                    continue;
                }
                let (contact, pushed) = (&contacts.list[number], &mut self.pushed[number]);
                push_apart(contact, pushed, &mut self.shifts, &bodies.inverse);
            }
        }
        for (contact, pushed) in contacts.list.iter().zip(&self.pushed) {
            balance(contact, pushed[0] + pushed[1], bodies);
        }
        for body in 0..bodies.len() {
            let shift = self.shifts[body];
            if shift != Motion::default() {
                bodies.place(body, bodies.position[body] + shift.linear, bodies.angle[body] + shift.spin);
            }
        }
    }
}

fn push_apart<R: Real>(contact: &Contact<R>, pushed: &mut [R; 2], shifts: &mut [Motion<R>], inverse: &[Inverse<R>]) {
    let [a, b] = contact.bodies;
    for (point, pushed) in contact.points().iter().zip(pushed) {
        let beyond = -point.gap - R::of(SLOP) * contact.size;
        // A shallow point may close its own gap again, but is not pushed past it.
        let wanted = if beyond > R::ZERO {
            (R::of(OVERLAP_SHARE) * beyond).min(R::of(OVERLAP_STEP) * contact.size)
        } else {
            beyond
        };
        let turns = [point.arms[0].cross(contact.normal), point.arms[1].cross(contact.normal)];
        let response = inverse[a].mass
            + inverse[b].mass
            + inverse[a].inertia * turns[0] * turns[0]
            + inverse[b].inertia * turns[1] * turns[1];
        let speed = relative(shifts, contact.bodies, point.arms).dot(contact.normal);
        let total = (*pushed + (wanted - speed) / response).max(R::ZERO);
        let change = contact.normal * (total - *pushed);
        *pushed = total;
        shifts[a] = shifts[a].minus(inverse[a].kick(point.arms[0], change));
        shifts[b] = shifts[b].plus(inverse[b].kick(point.arms[1], change));
    }
}

/// Pushing two moving bodies apart shifts their momenta sideways; their spins take up what that changes of the angular
/// momentum.
fn balance<R: Real>(contact: &Contact<R>, pushed: R, bodies: &mut Bodies<R>) {
    let [a, b] = contact.bodies;
    let [one, other] = contact.bodies.map(|body| bodies.inverse[body]);
    if !(pushed > R::ZERO && one.inertia > R::ZERO && other.inertia > R::ZERO) {
        return;
    }
    let gained = (contact.normal * pushed).cross(bodies.motion[b].linear - bodies.motion[a].linear);
    // 1 / (Ia + Ib) by the inverses.
    let turn = gained * one.inertia * other.inertia / (one.inertia + other.inertia);
    bodies.motion[a].spin -= turn;
    bodies.motion[b].spin -= turn;
}

/// From where each centre will be when the push of the step acts to where the point will be then. With the arms of the start of
/// the step the angular momentum of two bodies in flight would not be kept.
pub(crate) fn arms_at_push<R: Real>(
    bodies: [usize; 2],
    arms: [Vec2<R>; 2],
    motion: &[Motion<R>],
    moving: [bool; 2],
    time: R,
) -> [Vec2<R>; 2] {
    if moving != [true, true] {
        return arms;
    }
    // The point of contact goes with both bodies, as it does where two discs roll on each other.
    let apart = (motion[bodies[1]].linear - motion[bodies[0]].linear) * (R::HALF * time);
    [arms[0] + apart, arms[1] - apart]
}

/// Fills a lane with the rows of a contact and gives the bodies its impulses of the step before.
fn prepare<R: Real>(
    bundle: &mut Bundle<R>,
    lane: usize,
    contact: &mut Contact<R>,
    bodies: &mut Bodies<R>,
    start: &[Motion<R>],
    step: StepNumbers<R>,
) {
    debug_assert!(lane < LANES);
    let (normal, tangent) = (contact.normal, contact.normal.left());
    let inverse = contact.bodies.map(|body| bodies.inverse[body]);
    bundle.normal[0][lane] = normal.x;
    bundle.normal[1][lane] = normal.y;
    bundle.friction[lane] = contact.friction;
    for side in 0..2 {
        // A body that nothing pushes may stand in several lanes: each writes back what it read, since its inverse mass is zero.
        bundle.bodies[side][lane] = contact.bodies[side] as u32;
        bundle.inverse_mass[side][lane] = inverse[side].mass;
        bundle.inverse_inertia[side][lane] = inverse[side].inertia;
    }
    let mut responses = [R::ZERO; 2];
    let mut both_arms = contact.points.map(|point| point.arms);
    let moving = contact.bodies.map(|body| bodies.travels(body));
    for (index, point) in contact.points[..contact.count].iter_mut().enumerate() {
        let rows = &mut bundle.points[index];
        let approach = -relative(start, contact.bodies, point.arms).dot(normal);
        let arms = arms_at_push(contact.bodies, point.arms, start, moving, step.push_time);
        both_arms[index] = arms;
        if point.gap > R::ZERO && approach > step.rest_speed {
            (point.normal_impulse, point.tangent_impulse) = (R::ZERO, R::ZERO);
            continue;
        }
        let response = |along: Vec2<R>| {
            let turns = [arms[0].cross(along), arms[1].cross(along)];
            inverse[0].mass
                + inverse[1].mass
                + inverse[0].inertia * turns[0] * turns[0]
                + inverse[1].inertia * turns[1] * turns[1]
        };
        responses[index] = response(normal);
        for side in 0..2 {
            rows.normal_arm[side][lane] = arms[side].cross(normal);
            rows.tangent_arm[side][lane] = arms[side].cross(tangent);
        }
        rows.response[lane] = responses[index];
        rows.normal_mass[lane] = R::ONE / responses[index];
        rows.tangent_mass[lane] = R::ONE / response(tangent);
        rows.floor[lane] = if point.gap > R::ZERO { -point.gap / step.dt } else { R::ZERO };
        rows.normal_impulse[lane] = point.normal_impulse;
        rows.tangent_impulse[lane] = point.tangent_impulse;
        rows.normal_before[lane] = point.normal_impulse;
        rows.tangent_before[lane] = point.tangent_impulse;
        let impulse = normal * point.normal_impulse + tangent * point.tangent_impulse;
        let [a, b] = contact.bodies;
        bodies.motion[a] = bodies.motion[a].minus(inverse[0].kick(arms[0], impulse));
        bodies.motion[b] = bodies.motion[b].plus(inverse[1].kick(arms[1], impulse));
    }
    couple(bundle, lane, normal, both_arms, inverse, responses);
}

/// The inverse of the matrix of normal responses.
fn couple<R: Real>(
    bundle: &mut Bundle<R>,
    lane: usize,
    normal: Vec2<R>,
    arms: [[Vec2<R>; 2]; 2],
    inverse: [Inverse<R>; 2],
    responses: [R; 2],
) {
    let [k11, k22] = responses;
    let set = |bundle: &mut Bundle<R>, values: [R; 3]| {
        for (row, value) in bundle.inverse.iter_mut().zip(values) {
            row[lane] = value;
        }
    };
    if k11 == R::ZERO || k22 == R::ZERO {
        let alone = |k: R| if k > R::ZERO { R::ONE / k } else { R::ZERO };
        set(bundle, [alone(k11), R::ZERO, alone(k22)]);
        return;
    }
    let turn = |side: usize| inverse[side].inertia * arms[0][side].cross(normal) * arms[1][side].cross(normal);
    let k12 = inverse[0].mass + inverse[1].mass + turn(0) + turn(1);
    bundle.coupling[lane] = k12;
    let determinant = k11 * k22 - k12 * k12;
    if determinant > R::of(1e-5) * k11 * k22 {
        let scale = R::ONE / determinant;
        set(bundle, [k22 * scale, -k12 * scale, k11 * scale]);
    } else {
        // Neither body turns: both points act alike and share the load.
        let share = R::HALF / (k11 + k12);
        set(bundle, [share; 3]);
    }
}
