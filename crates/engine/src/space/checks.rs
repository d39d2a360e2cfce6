//! What no world of space may have, whoever built it, and what this room does not do yet.

use crate::common::joint_checks::check_joints;
use crate::common::scalar::Real;
use crate::common::settings::{Settings, SolverKind};
use ironspin_model::{Body, BodyKind, DMat3, Dimension, EngineError, SpaceShape, World};

/// Whether a number is positive and finite, also in the engine's own scalar.
fn positive<R: Real>(x: f64) -> bool {
    x > 0.0 && x.is_finite() && R::of(x) > R::ZERO && R::of(x) < R::INFINITY
}

/// # Errors
/// [`EngineError::BadWorld`] for what makes no sense, [`EngineError::Unsupported`] for what is not made for space.
pub(crate) fn check<R: Real>(world: &World, settings: &Settings) -> Result<(), EngineError> {
    for body in world.rigid() {
        if let Some(what) = complaint::<R>(body, world) {
            return Err(EngineError::BadWorld { why: format!("body `{}` has {what}", body.name) });
        }
    }
    check_joints(world)?;
    if world.excluded_pairs.iter().flatten().any(|&body| body >= world.bodies.len()) {
        return Err(EngineError::BadWorld { why: "a pair of bodies that are not both there".to_owned() });
    }
    match missing(settings) {
        Some(what) => Err(EngineError::Unsupported { feature: format!("{what} in {}", Dimension::Space.feature()) }),
        None => Ok(()),
    }
}

/// What this room does not do, by the name of its setting or feature.
fn missing(settings: &Settings) -> Option<String> {
    match settings.solver {
        SolverKind::Impulse => None,
        SolverKind::Compliant | SolverKind::Position | SolverKind::Event => {
            Some(format!("solver={}", settings.solver.word()))
        }
    }
}

/// What is wrong with a body, if anything.
fn complaint<R: Real>(body: &Body, world: &World) -> Option<&'static str> {
    let dynamic = body.kind == BodyKind::Dynamic;
    if dynamic && !positive::<R>(body.mass) {
        return Some("a mass that is not positive and finite");
    }
    if dynamic && !body.fixed_turn && body.inertia.0 != DMat3::ZERO && !turns::<R>(&body.inertia.0) {
        return Some("an inertia that is not symmetric and positive");
    }
    let (p, v, w) = (body.pose.position, body.velocity, body.spin);
    let numbers = [p.x, p.y, p.z, v.x, v.y, v.z, w.x, w.y, w.z].into_iter().chain([
        body.gravity_factor,
        body.linear_damping,
        body.angular_damping,
    ]);
    if numbers.into_iter().any(|x| !x.is_finite() || !(R::of(x).abs() < R::INFINITY)) {
        return Some("a position, velocity or factor that is not finite");
    }
    let unit = |rotation: ironspin_model::DQuat| (rotation.length() - 1.0).abs() <= 1e-6;
    if !unit(body.pose.rotation) {
        return Some("a rotation that is not a unit quaternion");
    }
    if body.linear_damping < 0.0 || body.angular_damping < 0.0 {
        return Some("a damping below zero");
    }
    if body.parts.is_empty() {
        return Some("no part");
    }
    if body.parts.iter().any(|part| part.material >= world.materials.len()) {
        return Some("a part of an unknown material");
    }
    if body.parts.iter().any(|part| part.sensor && matches!(part.shape.spatial(), Some(SpaceShape::Mesh(_)))) {
        return Some("a mesh as a sensor, which has no inside");
    }
    if dynamic && body.parts.iter().any(|part| part.shape.static_only() && !part.sensor) {
        return Some("a half-space or a mesh, which only a static body may have");
    }
    if body.parts.iter().any(|part| !(part.pose.position.is_finite() && unit(part.pose.rotation))) {
        return Some("a part at a place that is not finite, or turned by no unit quaternion");
    }
    body.parts.iter().find_map(|part| {
        let sound = match part.shape.spatial() {
            None => return Some("a part that is no shape of space"),
            Some(SpaceShape::Sphere(radius)) => positive::<R>(*radius),
            Some(SpaceShape::Box(size)) => size.to_array().into_iter().all(positive::<R>),
            Some(SpaceShape::Capsule { length, radius } | SpaceShape::Cylinder { length, radius }) => {
                positive::<R>(*length) && positive::<R>(*radius)
            }
            // Sound by construction, but for what another scalar makes of it.
            Some(shape @ SpaceShape::Hull(hull)) => positive::<R>(shape.reach()) && positive::<R>(hull.thickness()),
            Some(shape @ SpaceShape::Mesh(_)) => positive::<R>(shape.reach()),
            Some(SpaceShape::HalfSpace(normal)) => normal.is_finite() && (normal.length() - 1.0).abs() < 1e-6,
        };
        (!sound).then_some("a part without a sound size")
    })
}

/// Whether a matrix can be an inertia: symmetric but for rounding, and positive definite (Sylvester's criterion).
fn turns<R: Real>(m: &DMat3) -> bool {
    let [a, b, c] = [m.x_axis, m.y_axis, m.z_axis];
    let scale = m.x_axis.abs().max(m.y_axis.abs()).max(m.z_axis.abs()).max_element();
    let alike = |p: f64, q: f64| (p - q).abs() <= 1e-9 * scale;
    alike(a.y, b.x)
        && alike(a.z, c.x)
        && alike(b.z, c.y)
        && [a.x, b.y, c.z].into_iter().all(positive::<R>)
        && a.x * b.y - a.y * b.x > 0.0
        && m.determinant() > 0.0
}
