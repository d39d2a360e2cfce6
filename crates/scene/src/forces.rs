//! Forces that follow the state of the world, worked out by the bench before every step.

use crate::expression::{Compiled, Member, Partner};
use ironspin_model::{BodyState, DVec3, Dimension, Effect, Moment, Pose, Window, turn};
use std::collections::BTreeMap;

/// A force on bodies, or between pairs of them.
#[derive(Clone, Debug)]
pub struct StateForce {
    /// The bodies that it acts on, each with its partner if there is one.
    pub pairs: Vec<(usize, Option<usize>)>,
    /// Whether the partners feel the opposite.
    pub(crate) answered: Vec<bool>,
    /// Where it acts, in the body's own frame about its centre of mass, m; at the centre when none.
    pub point: Option<DVec3>,
    /// When it acts.
    pub window: Window,
    /// N, along x, y and in space z.
    pub(crate) force: Vec<Compiled>,
    /// N m, about z, or in space along x, y and z.
    pub(crate) torque: Vec<Compiled>,
    /// J.
    pub(crate) potential: Option<Compiled>,
    /// Whether its work is what its potential loses: not with a partner that is driven, a time or a named body in the potential.
    pub keeps_energy: bool,
    /// Whether it depends on a velocity or a spin, so that it is of first order in the step.
    pub follows_velocity: bool,
}

/// A force has no value.
#[derive(Clone, Debug, PartialEq)]
pub struct NoForce {
    /// The number of the force in the scene.
    pub number: usize,
    /// The body that it acts on.
    pub body: usize,
}

/// What a component may be.
#[derive(Clone, Copy)]
enum What {
    Force,
    Torque,
}

/// The forces of a scene while a trial runs.
pub(crate) struct Forces<'a> {
    dimension: Dimension,
    forces: &'a [StateForce],
    /// The states in the middle of the step, kept for their memory.
    middle: Vec<BodyState>,
    /// Kept for its memory too.
    member: Member,
}

impl<'a> Forces<'a> {
    pub(crate) fn new(dimension: Dimension, forces: &'a [StateForce]) -> Self {
        Forces { dimension, forces, middle: Vec::new(), member: Member::default() }
    }

    /// What the forces do over the next step, a force for each body at its centre and one for each point: worked out for the places in the middle of
    /// the step as the velocities at its start foretell them, x + v dt/2, and for those velocities.
    ///
    /// # Errors
    /// For a force that has no value there.
    pub(crate) fn due(
        &mut self,
        states: &[BodyState],
        time: f64,
        dt: f64,
        due: &mut Vec<(usize, Effect)>,
    ) -> Result<(), NoForce> {
        self.middle.clear();
        let dimension = self.dimension;
        self.middle.extend(states.iter().map(|state| foretold(dimension, state, 0.5 * dt)));
        let time = time + 0.5 * dt;
        let (mut pushes, mut twists) = (BTreeMap::<usize, DVec3>::new(), BTreeMap::<usize, DVec3>::new());
        for (number, force) in self.forces.iter().enumerate().filter(|(_, force)| force.window.contains(time)) {
            for (&(body, partner), &answered) in force.pairs.iter().zip(&force.answered) {
                let there = |id: usize| states.get(id).is_some_and(BodyState::is_finite);
                if !there(body) || !partner.is_none_or(there) {
                    continue;
                }
                let pair = PairAt { states: &self.middle, body, partner, time };
                let mut whole =
                    |what: What| force.value(what, &pair, dimension, &mut self.member).ok_or(NoForce { number, body });
                let push = whole(What::Force)?;
                let twist = whole(What::Torque)?;
                match force.point {
                    // The arm is that of the middle of the step, about the centre where it is.
                    Some(local) if push != DVec3::ZERO => {
                        let arm = turn::turned(self.middle[body].pose.rotation, local);
                        let point = Some(states[body].pose.position + arm);
                        due.push((body, Effect::Force { force: push, point }));
                    }
                    Some(_) => {}
                    None => *pushes.entry(body).or_default() += push,
                }
                *twists.entry(body).or_default() += twist;
                if let Some(partner) = partner.filter(|_| answered) {
                    *pushes.entry(partner).or_default() -= push;
                }
            }
        }
        let pushes = pushes.into_iter().filter(|(_, push)| *push != DVec3::ZERO);
        due.extend(pushes.map(|(body, force)| (body, Effect::Force { force, point: None })));
        let twists = twists.into_iter().filter(|(_, twist)| *twist != DVec3::ZERO);
        due.extend(twists.map(|(body, twist)| (body, Effect::Torque(twist))));
        Ok(())
    }
}

/// The energy that the forces of a scene are the slope of, J; none where one of them gives none, or has no value.
pub fn potential(forces: &[StateForce], states: &[BodyState], time: f64) -> Option<f64> {
    let (mut sum, mut member) = (0.0, Member::default());
    for force in forces {
        let potential = force.potential.as_ref()?;
        for &(body, partner) in &force.pairs {
            let there = |id: usize| states.get(id).is_some_and(BodyState::is_finite);
            if there(body) && partner.is_none_or(there) {
                sum += force.at(potential, &PairAt { states, body, partner, time }, &mut member);
            }
        }
    }
    (sum.is_finite() && !forces.is_empty()).then_some(sum)
}

impl StateForce {
    /// The texts of its components, N, then those of its torque, N m.
    pub fn texts(&self) -> impl Iterator<Item = &str> {
        self.force.iter().chain(&self.torque).map(Compiled::text)
    }

    /// A vector of it; none where a component has no value.
    fn value(&self, what: What, pair: &PairAt<'_>, dimension: Dimension, member: &mut Member) -> Option<DVec3> {
        let (parts, first) = match what {
            What::Force => (&self.force, 0),
            // In the plane the one component is that about z.
            What::Torque => (&self.torque, if dimension == Dimension::Plane { 2 } else { 0 }),
        };
        let mut vector = DVec3::ZERO;
        for (axis, part) in parts.iter().enumerate() {
            vector[first + axis] = self.at(part, pair, member);
        }
        vector.is_finite().then_some(vector)
    }

    /// A component, or the potential.
    fn at(&self, part: &Compiled, pair: &PairAt<'_>, member: &mut Member) -> f64 {
        let PairAt { states, body, partner, time } = *pair;
        let state = &states[body];
        let at_point = self.point.map(|local| BodyState {
            pose: Pose { position: state.place_of(local), ..state.pose },
            velocity: state.velocity_of(local),
            ..*state
        });
        let place = at_point.as_ref().unwrap_or(state).pose.position;
        let partner = partner.map(|id| Partner { id, way: place - states[id].pose.position });
        let moment = Moment { bodies: states, body, of: std::slice::from_ref(&body), time };
        part.value_for(&moment, at_point.as_ref(), partner, member)
    }
}

/// A body, with its partner if it has one, at a moment.
#[derive(Clone, Copy)]
struct PairAt<'a> {
    states: &'a [BodyState],
    body: usize,
    partner: Option<usize>,
    time: f64,
}

/// Where a body will be after a time, s, as its velocity now has it.
fn foretold(dimension: Dimension, state: &BodyState, ahead: f64) -> BodyState {
    if !state.is_finite() {
        return *state;
    }
    let position = state.pose.position + state.velocity * ahead;
    let pose = match dimension {
        Dimension::Plane => Pose::planar(position, state.pose.angle + state.spin.z * ahead),
        Dimension::Space => Pose {
            position,
            rotation: turn::product(turn::by_vector(state.spin * ahead), state.pose.rotation),
            angle: 0.0,
        },
    };
    BodyState { pose, ..*state }
}
