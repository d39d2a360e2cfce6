//! State and mass of all nodes, one list for each quantity; what never changes of a soft body.

use crate::common::scalar::Real;
use crate::plane::vector::Vec2;
use ironspin_model::{BodyState, DVec3, Effect, EngineError, World};
use std::ops::Range;

/// Nodes of all soft bodies.
#[derive(Clone, Debug, Default)]
pub(crate) struct Nodes<R> {
    pub(crate) position: Vec<Vec2<R>>,
    pub(crate) velocity: Vec<Vec2<R>>,
    /// 1/kg; zero for a node that is held.
    pub(crate) inverse: Vec<R>,
    /// 1/kg as built.
    pub(crate) built: Vec<R>,
    /// Force by actions over the step, N.
    pub(crate) push: Vec<Vec2<R>>,
}

/// A spring by numbers of nodes.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Spring<R> {
    pub(crate) ends: [usize; 2],
    pub(crate) length: R,
    pub(crate) stiffness: R,
    pub(crate) damping: R,
}

/// What never changes of a soft body while it is in the world, and whether it is.
#[derive(Clone, Debug)]
pub(crate) struct Soft<R> {
    pub(crate) nodes: Range<usize>,
    pub(crate) springs: Vec<Spring<R>>,
    /// Segments by numbers of nodes, the inside to the left.
    pub(crate) skin: Vec<[usize; 2]>,
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
    /// Pairs of a node and a piece of the own skin that were built near each other and never touch, sorted.
    pub(crate) neighbours: Vec<(usize, usize)>,
}

impl<R: Real> Nodes<R> {
    pub(crate) fn len(&self) -> usize {
        self.position.len()
    }

    /// Whether a node is where it is whatever pulls at it.
    pub(crate) fn is_held(&self, node: usize) -> bool {
        !(self.inverse[node] > R::ZERO)
    }

    pub(crate) fn state(&self, node: usize) -> BodyState {
        let flat = |v: Vec2<R>| DVec3::new(v.x.to_f64(), v.y.to_f64(), 0.0);
        BodyState::planar(flat(self.position[node]), 0.0, flat(self.velocity[node]), 0.0)
    }
}

/// All nodes and soft bodies of a world; numbers of nodes count from the first node on.
///
/// # Errors
/// [`EngineError::BadWorld`] for what cannot be built, [`EngineError::Unsupported`] for an action that a soft body does not know.
pub(crate) fn read<R: Real>(world: &World) -> Result<(Nodes<R>, Vec<Soft<R>>), EngineError> {
    let (mut nodes, mut softs) = (Nodes::default(), Vec::new());
    let first = world.rigid_count();
    for soft in &world.softs {
        if let Some(what) = soft.complaint(world) {
            return Err(EngineError::BadWorld { why: format!("the soft body `{}` has {what}", soft.name) });
        }
        for node in &world.bodies[soft.nodes.clone()] {
            nodes.position.push(Vec2::of(node.pose.xy()));
            nodes.velocity.push(Vec2::of(node.velocity.truncate()));
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
            .map(|spring| Spring {
                ends: spring.ends.map(|end| from + end),
                length: R::of(spring.length),
                stiffness: R::of(spring.stiffness),
                damping: R::of(spring.damping),
            })
            .collect();
        let range = from..soft.nodes.end - first;
        let skin: Vec<[usize; 2]> = soft.skin.iter().map(|ends| ends.map(|end| from + end)).collect();
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
            neighbours: if soft.self_contact {
                built_near(&nodes, &range, &skin, R::of(3.0 * soft.radius))
            } else {
                Vec::new()
            },
            nodes: range,
            springs,
            skin,
        });
    }
    nodes.inverse = nodes.built.clone();
    nodes.push = vec![Vec2::ZERO; nodes.len()];
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

/// Pairs of a node and a piece of skin that were built within a distance of each other.
fn built_near<R: Real>(nodes: &Nodes<R>, range: &Range<usize>, skin: &[[usize; 2]], within: R) -> Vec<(usize, usize)> {
    let mut near = Vec::new();
    for node in range.clone() {
        for (piece, &[a, b]) in skin.iter().enumerate() {
            let (distance, _) = to_segment(nodes.position[node], nodes.position[a], nodes.position[b]);
            if node == a || node == b || distance < within {
                near.push((node, piece));
            }
        }
    }
    near
}

/// Distance of a point from a segment, and the share of the way along it at which it is nearest.
pub(crate) fn to_segment<R: Real>(point: Vec2<R>, start: Vec2<R>, end: Vec2<R>) -> (R, R) {
    let along = end - start;
    let full = along.dot(along);
    let share = if full > R::ZERO { ((point - start).dot(along) / full).held(R::ZERO, R::ONE) } else { R::ZERO };
    ((point - (start + along * share)).length(), share)
}
