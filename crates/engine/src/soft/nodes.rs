//! State and mass of all nodes, one list for each quantity; what never changes of a soft body.

use super::mid_step::Slips;
use super::pins::{self, Pin};
use super::place::Place;
use crate::common::scalar::Real;
use ironspin_model::{BodyState, Effect, EngineError, Pose, World};
use std::ops::Range;

/// Nodes of all soft bodies.
#[derive(Clone, Debug)]
pub(crate) struct Nodes<V, R> {
    pub(crate) position: Vec<V>,
    pub(crate) velocity: Vec<V>,
    /// 1/kg; zero for a node that is held.
    pub(crate) inverse: Vec<R>,
    /// 1/kg as built.
    pub(crate) built: Vec<R>,
    /// Force by actions over the step, N.
    pub(crate) push: Vec<V>,
}

/// A spring by numbers of nodes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Spring<R> {
    /// Narrow, so that a large net fits the caches better.
    narrow_ends: [u32; 2],
    pub(crate) length: R,
    pub(crate) stiffness: R,
    pub(crate) damping: R,
}

impl<R> Spring<R> {
    /// Between two nodes, with its length at rest, stiffness and damping.
    pub(super) fn new(ends: [usize; 2], [length, stiffness, damping]: [R; 3]) -> Self {
        // Fewer nodes can be built than this could number.
        Spring { narrow_ends: ends.map(|end| end as u32), length, stiffness, damping }
    }

    /// Its nodes.
    #[inline]
    pub(crate) fn ends(&self) -> [usize; 2] {
        self.narrow_ends.map(|end| end as usize)
    }
}

/// A distance that stays, by numbers of nodes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Stick<R> {
    pub(crate) ends: [usize; 2],
    pub(crate) length: R,
    /// What the sub-step before needed, to begin with.
    pub(crate) pull: R,
}

/// What draws nodes to the built shape.
#[derive(Clone, Debug)]
pub(crate) struct Matching<V: Place<R>, R: Real> {
    /// Square of the rate, 1/s^2.
    pub(crate) squared: R,
    /// Weight of each node, kg, and where it was built from the centre on.
    pub(crate) shape: Vec<(R, V)>,
    /// How the shape stood last.
    pub(crate) turn: V::Turn,
}

/// A soft body: what is in it, and whether it is in the world.
#[derive(Clone, Debug)]
pub(crate) struct Soft<V: Place<R>, R: Real> {
    pub(crate) nodes: Range<usize>,
    pub(crate) springs: Vec<Spring<R>>,
    /// Their lengths as built.
    pub(crate) built_lengths: Vec<R>,
    pub(crate) sticks: Vec<Stick<R>>,
    /// Springs and, behind them, sticks by colours: none of a colour shares a node with another, so that the machine can work on several at once.
    pub(super) by_colours: Vec<u32>,
    pub(crate) matching: Option<Matching<V, R>>,
    /// Strain from which on springs give way, and the most by which their length changes.
    pub(crate) yielding: Option<[R; 2]>,
    /// Pieces by numbers of nodes: segments with the inside to the left, triangles counter-clockwise seen from outside.
    pub(crate) skin: Vec<V::Piece>,
    pub(crate) closed: bool,
    /// Amount of gas and pressure outside.
    pub(crate) gas: Option<[R; 2]>,
    pub(crate) gravity_factor: R,
    /// Of the nodes, 1/s.
    pub(crate) damping: R,
    /// Whether any spring is damped.
    pub(crate) damped_springs: bool,
    pub(crate) radius: R,
    pub(crate) material: usize,
    pub(crate) layers: u32,
    pub(crate) meets: u32,
    pub(crate) swept: bool,
    pub(crate) touches_itself: bool,
    pub(crate) present: bool,
    pub(crate) pins: Vec<Pin<V>>,
    /// What is enclosed as built; worked out for the mistake that asks for it alone.
    pub(crate) built_volume: R,
    pub(crate) slips: Slips,
    /// Pairs of a node and a piece of the own skin, or of two bare nodes, that were built near each other and never touch, sorted.
    pub(crate) neighbours: Vec<(usize, usize)>,
}

impl<V: Place<R>, R: Real> Nodes<V, R> {
    pub(crate) fn len(&self) -> usize {
        self.position.len()
    }

    /// Whether a node is where it is whatever pulls at it.
    pub(crate) fn is_held(&self, node: usize) -> bool {
        !(self.inverse[node] > R::ZERO)
    }

    pub(crate) fn state(&self, node: usize) -> BodyState {
        BodyState {
            pose: Pose::at(self.position[node].to_space()),
            velocity: self.velocity[node].to_space(),
            spin: ironspin_model::DVec3::ZERO,
        }
    }
}

/// All nodes and soft bodies.
type All<V, R> = (Nodes<V, R>, Vec<Soft<V, R>>);

/// All nodes and soft bodies of a world; numbers of nodes count from the first node on.
///
/// # Errors
/// [`EngineError::BadWorld`] for what cannot be built, [`EngineError::Unsupported`] for an action that a soft body does not know.
pub(crate) fn read<V: Place<R>, R: Real>(world: &World) -> Result<All<V, R>, EngineError> {
    let mut nodes =
        Nodes { position: Vec::new(), velocity: Vec::new(), inverse: Vec::new(), built: Vec::new(), push: Vec::new() };
    let mut softs = Vec::new();
    let first = world.rigid_count();
    for soft in &world.softs {
        if let Some(what) = soft.complaint(world) {
            return Err(EngineError::BadWorld { why: format!("the soft body `{}` has {what}", soft.name) });
        }
        for node in &world.bodies[soft.nodes.clone()] {
            nodes.position.push(V::of_space(node.pose.position));
            nodes.velocity.push(V::of_space(node.velocity));
            let inverse = if node.mass > 0.0 { R::ONE / R::of(node.mass) } else { R::ZERO };
            // Single precision knows no mass below 1e-38 kg.
            if !inverse.to_f64().is_finite() {
                let why = format!("the mass {} of `{}` is too small for this precision", node.mass, node.name);
                return Err(EngineError::BadWorld { why });
            }
            nodes.built.push(inverse);
        }
        let from = soft.nodes.start - first;
        let traits = &world.bodies[soft.nodes.start];
        let springs: Vec<Spring<R>> = soft
            .springs
            .iter()
            .map(|spring| {
                let laws = [spring.length, spring.stiffness, spring.damping];
                Spring::new(spring.ends.map(|end| from + end), laws.map(R::of))
            })
            .collect();
        let range = from..soft.nodes.end - first;
        let sticks = soft.sticks.iter().map(|stick| Stick {
            ends: stick.ends.map(|end| from + end),
            length: R::of(stick.length),
            pull: R::ZERO,
        });
        softs.push(Soft {
            closed: soft.is_closed(),
            gas: soft.pressure.map(|gas| [R::of(gas.amount), R::of(gas.outside)]),
            gravity_factor: R::of(traits.gravity_factor),
            damping: R::of(traits.linear_damping),
            damped_springs: springs.iter().any(|spring| spring.damping > R::ZERO),
            radius: R::of(soft.radius),
            material: soft.material,
            layers: traits.layers,
            meets: traits.collision_mask,
            swept: traits.ccd,
            touches_itself: soft.self_contact,
            present: !traits.absent,
            neighbours: if soft.self_contact && !soft.has_skin() {
                near_bare(&nodes.position, &range, R::of(NEAR * soft.radius))
            } else {
                Vec::new()
            },
            by_colours: by_colours(soft),
            sticks: sticks.collect(),
            matching: soft.matching.map(|rate| Matching {
                squared: R::of(rate * rate),
                shape: built_shape(&nodes, &range, world, soft.nodes.start),
                turn: V::Turn::default(),
            }),
            yielding: soft.yielding.map(|law| [R::of(law.strain), R::of(law.most)]),
            skin: V::skin(soft, from),
            pins: pins::read(soft, from),
            built_volume: R::ZERO,
            slips: Slips::default(),
            nodes: range,
            built_lengths: springs.iter().map(|spring| spring.length).collect(),
            springs,
        });
    }
    nodes.inverse = nodes.built.clone();
    nodes.push = vec![V::ZERO; nodes.len()];
    let whole = |action: &&ironspin_model::Action| action.body >= first;
    for action in world.actions.iter().filter(whole) {
        refusal(&action.effect).map_or(Ok(()), Err)?;
    }
    Ok((nodes, softs))
}

/// Why an action means nothing for a soft body; nothing where it does.
pub(crate) fn refusal(effect: &Effect) -> Option<EngineError> {
    let word = effect.body_word().filter(|_| effect.is_for_rigid_bodies())?;
    Some(EngineError::Unsupported { feature: format!("{word} on a soft body") })
}

/// Radii within which what was built never touches itself.
pub(super) const NEAR: f64 = 3.0;

/// The springs and sticks of a soft body by colours, each time the first that neither of its nodes has; what finds none of 64 comes last.
fn by_colours(soft: &ironspin_model::SoftBody) -> Vec<u32> {
    let ends = soft.springs.iter().map(|spring| spring.ends).chain(soft.sticks.iter().map(|stick| stick.ends));
    let mut used = vec![0_u64; soft.nodes.len()];
    let coloured = ends.zip(0_u32..).map(|([a, b], number)| {
        let colour = (used[a] | used[b]).trailing_ones();
        let bit = 1_u64.checked_shl(colour).unwrap_or(0);
        (used[a], used[b]) = (used[a] | bit, used[b] | bit);
        (colour, number)
    });
    let mut coloured: Vec<(u32, u32)> = coloured.collect();
    coloured.sort_unstable();
    coloured.into_iter().map(|(_, number)| number).collect()
}

/// Pairs of nodes that were built within a distance of each other.
fn near_bare<V: Place<R>, R: Real>(position: &[V], range: &Range<usize>, within: R) -> Vec<(usize, usize)> {
    let pairs = range.clone().flat_map(|a| (a + 1..range.end).map(move |b| (a, b)));
    pairs.filter(|&(a, b)| (position[b] - position[a]).length() < within).collect()
}

/// Weights of the nodes and where they were built, from their mass-weighted centre on.
fn built_shape<V: Place<R>, R: Real>(
    nodes: &Nodes<V, R>,
    range: &Range<usize>,
    world: &World,
    first: usize,
) -> Vec<(R, V)> {
    let weights: Vec<R> = world.bodies[first..first + range.len()].iter().map(|node| R::of(node.mass)).collect();
    let places = &nodes.position[range.clone()];
    let centre = centre(weights.iter().copied(), places);
    weights.into_iter().zip(places).map(|(weight, &place)| (weight, place - centre)).collect()
}

/// The weighted centre of some places; without any weight their middle.
pub(super) fn centre<V: Place<R>, R: Real>(weights: impl Iterator<Item = R> + Clone, places: &[V]) -> V {
    let all = weights.clone().fold(R::ZERO, |sum, weight| sum + weight);
    if !(all > R::ZERO) {
        let share = R::ONE / R::of(places.len().max(1) as f64);
        return places.iter().fold(V::ZERO, |sum, &place| sum + place * share);
    }
    // Seen from the first, so that a place far out costs no digits.
    let origin = places[0];
    let moment = weights.zip(places).fold(V::ZERO, |sum, (weight, &place)| sum + (place - origin) * weight);
    origin + moment * (R::ONE / all)
}
