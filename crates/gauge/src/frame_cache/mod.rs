//! What all gauges see of a frame, worked out once: outlines in place, who is near whom, and what several gauges ask for.

mod cache;
mod nearness;

use crate::geometry::{Bounds, Gap, Membership, Plane, Room, Shapes, Space};
pub(crate) use cache::Cache;
use ironspin_model::{Body, BodyState, DQuat, DVec3, Dimension, Effect, Frame, Inertia, World, turn};
pub(crate) use nearness::Candidate;
use std::collections::BTreeSet;

/// Which of the two frames of a step.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum When {
    Before,
    Now,
}

/// By how much bounds of gaps may be wider than they could be, as a share of the margin of a search.
const LOOSE: f64 = 1e-5;

/// How a body resists turning.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Turning {
    /// In the plane: the moment about z, kg m².
    AboutZ(f64),
    /// In space: the matrix along the body's own axes.
    InSpace(Inertia),
}

impl Turning {
    /// Angular momentum about the centre of mass, along the world's axes, kg m²/s.
    #[inline]
    pub(crate) fn momentum(&self, rotation: DQuat, spin: DVec3) -> DVec3 {
        match self {
            Turning::AboutZ(moment) => *moment * spin,
            Turning::InSpace(inertia) => turn::turned_inertia(rotation, *inertia).0 * spin,
        }
    }

    /// Energy of turning, J.
    #[inline]
    pub(crate) fn energy(&self, rotation: DQuat, spin: DVec3) -> f64 {
        match self {
            Turning::AboutZ(moment) => 0.5 * moment * spin.length_squared(),
            Turning::InSpace(_) => 0.5 * spin.dot(self.momentum(rotation, spin)),
        }
    }

    /// The change of spin by an angular impulse, rad/s; nothing for a body that nothing turns.
    pub(crate) fn spin_by(&self, rotation: DQuat, impulse: DVec3) -> DVec3 {
        match self {
            Turning::AboutZ(moment) if *moment > 0.0 => impulse * (1.0 / moment),
            Turning::InSpace(inertia) if inertia.0.determinant() > 0.0 => {
                turn::turned_inertia(rotation, *inertia).0.inverse() * impulse
            }
            Turning::AboutZ(_) | Turning::InSpace(_) => DVec3::ZERO,
        }
    }
}

/// What gauges ask of a body in every frame, close together in memory.
#[derive(Clone, Copy, Debug)]
pub(crate) struct BodyTraits {
    /// kg.
    pub(crate) mass: f64,
    pub(crate) turning: Turning,
    pub(crate) gravity_factor: f64,
    /// Whether nothing but gravity, actions, contacts and joints changes its velocity: it may turn, and nothing damps it.
    pub(crate) is_free: bool,
}

impl BodyTraits {
    pub(crate) fn of(dimension: Dimension, body: &Body) -> Self {
        let is_free = body.linear_damping == 0.0 && body.angular_damping == 0.0 && !body.fixed_turn;
        let turning = match dimension {
            Dimension::Plane => Turning::AboutZ(body.inertia.zz()),
            Dimension::Space => Turning::InSpace(body.inertia),
        };
        BodyTraits { mass: body.mass, turning, gravity_factor: body.gravity_factor, is_free }
    }

    /// Kinetic energy of the body in a state with a velocity, J.
    pub(crate) fn kinetic_energy(&self, velocity: DVec3, state: &BodyState) -> f64 {
        0.5 * self.mass * velocity.length_squared() + self.turning.energy(state.pose.rotation, state.spin)
    }
}

/// The two last frames of a trial as the gauges see them. Shared by all gauges of a trial, so that outlines are placed and
/// neighbours looked for once a frame.
#[derive(Clone, Debug)]
pub struct FrameCache {
    traits: Vec<BodyTraits>,
    /// Nodes that an action holds now; empty in most worlds.
    held: BTreeSet<usize>,
    room: ByDimension,
}

/// The geometry of the frames, by the dimension of the world.
#[derive(Clone, Debug)]
enum ByDimension {
    Plane(Cache<Plane>),
    Space(Cache<Space>),
}

/// The geometry of a dimension of which there are worlds.
pub(crate) trait Dimensioned: Room + Send {
    /// The frames, if they are of such a world.
    fn cache(cache: &FrameCache) -> Option<&Cache<Self>>;
}

impl Dimensioned for Plane {
    #[inline]
    fn cache(cache: &FrameCache) -> Option<&Cache<Plane>> {
        match &cache.room {
            ByDimension::Plane(cache) => Some(cache),
            ByDimension::Space(_) => None,
        }
    }
}

impl Dimensioned for Space {
    #[inline]
    fn cache(cache: &FrameCache) -> Option<&Cache<Space>> {
        match &cache.room {
            ByDimension::Plane(_) => None,
            ByDimension::Space(cache) => Some(cache),
        }
    }
}

/// Asks the cache of either dimension the same.
macro_rules! either {
    ($self:expr, $cache:ident => $asked:expr) => {
        match &$self.room {
            ByDimension::Plane($cache) => $asked,
            ByDimension::Space($cache) => $asked,
        }
    };
}

/// The gap as every gauge sees it.
fn shown<G: Room>(_: &Cache<G>, gap: G::OwnGap) -> Gap {
    G::shown(gap)
}

impl FrameCache {
    /// Knows the shapes of a world, and has seen no frame yet.
    pub fn new(world: &World) -> Self {
        FrameCache {
            traits: world.bodies.iter().map(|body| BodyTraits::of(world.dimension, body)).collect(),
            held: BTreeSet::new(),
            room: match world.dimension {
                Dimension::Plane => ByDimension::Plane(Cache::new(world)),
                Dimension::Space => ByDimension::Space(Cache::new(world)),
            },
        }
    }

    /// Notes what is done to bodies before the step that the next frame ends.
    pub fn note_effects(&mut self, effects: &[(usize, Effect)]) {
        for (id, effect) in effects {
            match effect {
                Effect::Hold(true) => _ = self.held.insert(*id),
                Effect::Hold(false) => _ = self.held.remove(id),
                _ => {}
            }
        }
    }

    /// Whether an action holds a node over the step.
    #[inline]
    pub fn is_held(&self, body: usize) -> bool {
        !self.held.is_empty() && self.held.contains(&body)
    }

    /// Takes the next frame; the one before becomes the frame before.
    pub fn update(&mut self, frame: &Frame) {
        match &mut self.room {
            ByDimension::Plane(cache) => cache.update(frame),
            ByDimension::Space(cache) => cache.update(frame),
        }
    }

    /// Lets a frame pass without a look at it: no gauge of the trial needs geometry. One that asks all the same stops with a panic in debug
    /// builds.
    pub fn pass_over(&mut self) {
        match &mut self.room {
            ByDimension::Plane(cache) => cache.pass_over(),
            ByDimension::Space(cache) => cache.pass_over(),
        }
    }

    /// What gauges that are written over a dimension ask; nothing in a world of the other one, where none of them is made.
    #[inline]
    pub(crate) fn of<G: Dimensioned>(&self) -> Option<&Cache<G>> {
        G::cache(self)
    }

    #[inline]
    pub(crate) fn traits(&self, body: usize) -> &BodyTraits {
        &self.traits[body]
    }

    /// Whether all bodies are there in both frames.
    pub(crate) fn all_are_there(&self) -> bool {
        either!(self, cache => cache.all_are_there())
    }

    /// Whether the same bodies are there in both frames.
    pub(crate) fn same_are_there(&self) -> bool {
        either!(self, cache => cache.same_are_there())
    }

    /// The speed of a body in a frame, m/s; 0 when it is not there.
    #[inline]
    pub(crate) fn speed(&self, when: When, body: usize) -> f64 {
        either!(self, cache => cache.speed(when, body))
    }

    /// The highest speed of any point of a body in a frame, m/s, but for points without end.
    #[inline]
    pub(crate) fn swiftness(&self, when: When, body: usize) -> f64 {
        either!(self, cache => cache.swiftness(when, body))
    }

    /// The highest speed of any point of any body in both frames, m/s.
    pub(crate) fn fastest(&self) -> f64 {
        either!(self, cache => cache.fastest())
    }

    #[inline]
    pub(crate) fn shapes(&self) -> &Shapes {
        either!(self, cache => cache.shapes())
    }

    /// The number of the frame now.
    pub(crate) fn frame(&self) -> u64 {
        either!(self, cache => cache.frame())
    }

    /// The smallest gap of any parts of two bodies; infinity at once when it is certainly above `within`.
    pub(crate) fn gap(&self, when: When, a: usize, b: usize, within: f64) -> Gap {
        either!(self, cache => shown(cache, cache.gap(when, a, b, within)))
    }

    /// The smallest gap of a candidate now; infinity at once when it is certainly above `within`.
    pub(crate) fn gap_of(&self, candidate: &Candidate, within: f64) -> Gap {
        either!(self, cache => shown(cache, cache.gap_of(candidate, within)))
    }

    /// The smallest gap of two bodies in states of their own, wherever they are in the frames; nothing for bodies without solid parts.
    pub(crate) fn gap_in(&self, pair: [usize; 2], states: &[BodyState; 2]) -> Option<Gap> {
        either!(self, cache => cache.gap_in(pair, states).map(|gap| shown(cache, gap)))
    }

    /// Calls `each` for every pair of bodies that may touch, one of them in `of` and the other in `others`, whose gap now may be within
    /// a distance, in the order of their ids.
    pub(crate) fn candidates(&self, of: &Membership, others: &Membership, within: f64, each: impl FnMut(&Candidate)) {
        either!(self, cache => cache.candidates(of, others, within, each));
    }

    /// Between what the gap of two bodies lies now. The number of their pair is looked for from `from` on first, and left there, since
    /// most ask for one pair after the other.
    pub(crate) fn bounds_of(&self, pair: (usize, usize), from: &mut usize) -> Bounds {
        either!(self, cache => cache.bounds_of(pair, from))
    }

    /// How many pairs of neighbours there are, and how often they were looked for.
    pub(crate) fn neighbours(&self) -> (usize, u64) {
        either!(self, cache => cache.neighbours())
    }

    /// Calls `each` for every pair of bodies that may touch, one of them in `of` and the other in `others`, whose boxes
    /// come within a distance of each other. Each pair comes once, the smaller id first.
    pub(crate) fn near_pairs(
        &self,
        when: When,
        of: &Membership,
        others: &Membership,
        within: f64,
        each: impl FnMut(usize, usize),
    ) {
        either!(self, cache => cache.near_pairs(when, of, others, within, each));
    }
}
