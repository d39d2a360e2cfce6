//! What stores energy beside moving and lying high: springs of joints, springs and gas of soft bodies.

use super::best_fit::goals;
use crate::step::Step;
use ironspin_model::{BodyState, DVec2, DVec3, Joint, JointKind, SoftBody, World};

/// The stores at some bodies of a world.
#[derive(Clone, Debug, Default)]
pub(crate) struct Stores {
    /// Numbers of joints.
    joints: Vec<usize>,
    /// Soft bodies, what each stores.
    softs: Vec<SoftStore>,
}

#[derive(Clone, Debug)]
struct SoftStore {
    soft: usize,
    /// Numbers of its springs.
    springs: Vec<usize>,
    /// What it encloses as built where its gas counts.
    built: Option<f64>,
    /// Square of the rate at which its nodes are drawn to its shape, 1/s².
    matching: f64,
}

impl Stores {
    /// Springs with a body of a set at one end, and gas of which every node is in the set.
    pub(crate) fn of(world: &World, counts: impl Fn(usize) -> bool) -> Stores {
        let held =
            |joint: &Joint| matches!(joint.kind, JointKind::Spring { .. }) && joint.bodies.iter().any(|&id| counts(id));
        let softs = world.softs.iter().enumerate().filter_map(|(number, soft)| {
            let id = |node: usize| soft.nodes.start + node;
            let springs: Vec<usize> =
                (0..soft.springs.len()).filter(|&k| soft.springs[k].ends.iter().any(|&end| counts(id(end)))).collect();
            let whole = soft.pressure.is_some() && soft.skin_nodes().flatten().any(|&node| counts(id(node)));
            let built = whole.then(|| soft.enclosed(|node| world.bodies[id(node)].pose.position));
            let drawn = soft.matching.filter(|_| soft.nodes.clone().any(&counts));
            let matching = drawn.map_or(0.0, |rate| rate * rate);
            (!springs.is_empty() || built.is_some() || matching > 0.0).then_some(SoftStore {
                soft: number,
                springs,
                built,
                matching,
            })
        });
        Stores {
            joints: (0..world.joints.len()).filter(|&number| held(&world.joints[number])).collect(),
            softs: softs.collect(),
        }
    }

    /// Energy in them, J. What is not there stores nothing.
    pub(crate) fn energy(&self, world: &World, states: &[BodyState]) -> f64 {
        self.added_to(0.0, world, states)
    }

    /// A sum and the energy in them, J, added one by one.
    pub(crate) fn added_to(&self, sum: f64, world: &World, states: &[BodyState]) -> f64 {
        let joints = self.joints.iter().map(|&number| spring_energy(world, states, &world.joints[number]));
        let softs = self.softs.iter().map(|own| soft_energy(world, own, states));
        joints.chain(softs).fold(sum, |sum, own| sum + own)
    }

    /// A node of a spring that may have given way for good by the end of the step: it is stored by the built length, which no longer holds then.
    pub(crate) fn given_way(&self, step: &Step<'_>) -> Option<usize> {
        let softs = self.softs.iter().map(|own| &step.world.softs[own.soft]);
        softs.filter_map(|soft| given_way(step, soft)).next()
    }

    /// Whether any of them is that of a soft body.
    pub(crate) fn any_soft(&self) -> bool {
        !self.softs.is_empty()
    }
}

/// Why the energy of springs cannot be told once a node's has given way.
pub(crate) fn yielded(world: &World, node: usize) -> String {
    let name = &world.bodies[node].name;
    format!(
        "a spring at {name} was strained to where it gives way for good, and its new length cannot be told from the states"
    )
}

/// A node of a spring of a soft body that is strained beyond its yield, or fast enough to have been so within the step.
pub(crate) fn given_way(step: &Step<'_>, soft: &SoftBody) -> Option<usize> {
    let limit = soft.yielding?.strain;
    let states = &step.now.bodies[soft.nodes.clone()];
    if states.first().is_none_or(BodyState::is_absent) {
        return None;
    }
    let beyond = |spring: &&ironspin_model::NodeSpring| {
        let [a, b] = spring.ends.map(|end| &states[end]);
        let strain = spring.strain(a.pose.position.distance(b.pose.position)).map_or(0.0, f64::abs);
        let change = (a.velocity - b.velocity).length() * step.span() / spring.length.max(f64::MIN_POSITIVE);
        strain > 0.0 && strain + change > limit
    };
    soft.springs.iter().find(beyond).map(|spring| soft.nodes.start + spring.ends[0])
}

fn soft_energy(world: &World, own: &SoftStore, all: &[BodyState]) -> f64 {
    let soft = &world.softs[own.soft];
    let states = &all[soft.nodes.clone()];
    if states.first().is_none_or(BodyState::is_absent) {
        return 0.0;
    }
    let at = |node: usize| states[node].pose.position;
    let stored: f64 = own.springs.iter().map(|&k| soft.springs[k].energy(soft.springs[k].span(at))).sum();
    let stored = stored + own.built.map_or(0.0, |built| soft.gas_energy(built, at));
    if own.matching == 0.0 {
        return stored;
    }
    // What draws nodes to the built shape: (w²/2) sum m |g - x|².
    let masses = world.bodies[soft.nodes.clone()].iter().map(|node| node.mass);
    let off = goals(world, soft, all).into_iter().zip(masses).enumerate();
    stored + 0.5 * own.matching * off.map(|(node, (goal, mass))| mass * goal.distance_squared(at(node))).sum::<f64>()
}

/// Where an anchor of a body is, m.
fn anchor(state: &BodyState, at: DVec2) -> DVec2 {
    let (sin, cos) = (libm::sin(state.pose.angle), libm::cos(state.pose.angle));
    state.pose.position.truncate() + DVec2::new(cos * at.x - sin * at.y, sin * at.x + cos * at.y)
}

fn spring_energy(world: &World, states: &[BodyState], joint: &Joint) -> f64 {
    let JointKind::Spring { stiffness, .. } = joint.kind else { return 0.0 };
    let [i, j] = joint.bodies;
    if states[i].is_absent() || states[j].is_absent() {
        return 0.0;
    }
    let built = |id: usize| {
        let body = &world.bodies[id];
        BodyState::planar(body.pose.position, body.pose.angle, DVec3::ZERO, 0.0)
    };
    let length = |a: &BodyState, b: &BodyState| {
        (anchor(b, joint.frames[1].anchor.truncate()) - anchor(a, joint.frames[0].anchor.truncate())).length()
    };
    let rest = joint.length.unwrap_or_else(|| length(&built(i), &built(j)));
    let stretch = length(&states[i], &states[j]) - rest;
    0.5 * stiffness * stretch * stretch
}
