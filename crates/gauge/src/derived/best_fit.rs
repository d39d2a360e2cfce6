//! How a built shape fits the places of a soft body's nodes best.

use ironspin_model::{BodyState, DMat3, DQuat, DVec3, Dimension, SoftBody, World, turn};

/// Rounds of the search for a rotation, and the angle below which it ends, rad.
const ROUNDS: usize = 200;
const ENOUGH: f64 = 1e-14;

/// The places where the nodes of a soft body would be if it had its built shape and fitted their states as well as it can: moved rigidly so that
/// sum m |g - x|² is least. Nodes that are held for good have no mass and no say; where none has any, all have the same.
///
/// Source: in the plane by an angle in closed form; in space Müller, Bender, Chentanez and Macklin, "A robust method to extract the rotational part of
/// deformations" (2016), begun from several sides, of which the best is taken.
pub(crate) fn goals(world: &World, soft: &SoftBody, states: &[BodyState]) -> Vec<DVec3> {
    let nodes = &world.bodies[soft.nodes.clone()];
    let states = &states[soft.nodes.clone()];
    let any = nodes.iter().any(|node| node.mass > 0.0);
    let weight = |node: usize| if any { nodes[node].mass } else { 1.0 };
    let all: f64 = (0..nodes.len()).map(weight).sum();
    let built = |node: usize| nodes[node].pose.position;
    let place = |node: usize| states[node].pose.position;
    let centre = |at: &dyn Fn(usize) -> DVec3| {
        at(0) + (0..nodes.len()).map(|node| (at(node) - at(0)) * weight(node)).sum::<DVec3>() / all
    };
    let (from, to) = (centre(&built), centre(&place));
    // Columns: sum m (x - c) (x0 - c0) along each axis.
    let moment = (0..nodes.len()).fold(DMat3::ZERO, |sum, node| {
        let (a, b) = ((place(node) - to) * weight(node), built(node) - from);
        sum + DMat3::from_cols(a * b.x, a * b.y, a * b.z)
    });
    let rotation = match world.dimension {
        Dimension::Plane => {
            let (cos, sin) = (moment.x_axis.x + moment.y_axis.y, moment.x_axis.y - moment.y_axis.x);
            DQuat::from_rotation_z(libm::atan2(sin, cos))
        }
        Dimension::Space => rotation_of(&moment),
    };
    (0..nodes.len()).map(|node| to + turn::turned(rotation, built(node) - from)).collect()
}

fn rotation_of(moment: &DMat3) -> DQuat {
    let half = std::f64::consts::FRAC_1_SQRT_2;
    let starts = [
        DQuat::IDENTITY,
        DQuat::from_xyzw(1.0, 0.0, 0.0, 0.0),
        DQuat::from_xyzw(0.0, 1.0, 0.0, 0.0),
        DQuat::from_xyzw(0.0, 0.0, 1.0, 0.0),
        DQuat::from_xyzw(half, 0.0, 0.0, half),
        DQuat::from_xyzw(0.0, half, 0.0, half),
        DQuat::from_xyzw(0.0, 0.0, half, half),
    ];
    let fits = |rotation: DQuat| {
        let r = turn::matrix(rotation);
        r.x_axis.dot(moment.x_axis) + r.y_axis.dot(moment.y_axis) + r.z_axis.dot(moment.z_axis)
    };
    let found = starts.into_iter().map(|start| searched(moment, start)).map(|rotation| (rotation, fits(rotation)));
    // The first of those that fit as well, so that nothing hangs on the last digits.
    let best = found.reduce(|best, other| if other.1 > best.1 + 1e-12 * best.1.abs() { other } else { best });
    best.map_or(DQuat::IDENTITY, |(rotation, _)| rotation)
}

fn searched(moment: &DMat3, start: DQuat) -> DQuat {
    let mut rotation = start;
    for _ in 0..ROUNDS {
        let r = turn::matrix(rotation);
        let torque = r.x_axis.cross(moment.x_axis) + r.y_axis.cross(moment.y_axis) + r.z_axis.cross(moment.z_axis);
        let fits = r.x_axis.dot(moment.x_axis) + r.y_axis.dot(moment.y_axis) + r.z_axis.dot(moment.z_axis);
        let way = torque / (fits.abs() + 1e-300);
        if !(way.length() > ENOUGH) {
            break;
        }
        let angle = way.length().min(1.0);
        let (sin, cos) = (libm::sin(0.5 * angle), libm::cos(0.5 * angle));
        let axis = way.normalize() * sin;
        rotation = turn::product(DQuat::from_xyzw(axis.x, axis.y, axis.z, cos), rotation).normalize();
    }
    rotation
}
