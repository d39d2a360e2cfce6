//! Worlds and actions as plain arrays.

use crate::raw;
use ironspin_model::{Body, BodyKind, Conditions, DVec2, DVec3, Effect, Joint, JointKind, PlaneShape, World};
use std::ffi::CString;

/// A world as plain arrays, and the arrays themselves.
#[derive(Debug)]
pub struct Packed {
    /// Points into the lists below.
    world: raw::World,
    _names: Vec<CString>,
    _materials: Vec<raw::Material>,
    _pairs: Vec<raw::Pair>,
    _bodies: Vec<raw::Body>,
    _parts: Vec<raw::Part>,
    _numbers: Vec<f64>,
    _joints: Vec<raw::Joint>,
    _apart: Vec<u64>,
}

/// A text for C; a zero within it cannot be passed there.
pub(crate) fn text(name: &str) -> CString {
    CString::new(name.replace('\0', "?")).unwrap_or_default()
}

fn pair(v: DVec2) -> [f64; 2] {
    [v.x, v.y]
}

fn flat(v: DVec3) -> [f64; 2] {
    [v.x, v.y]
}

impl Packed {
    /// Lays a world out.
    pub fn new(world: &World, conditions: &Conditions) -> Packed {
        let mut names: Vec<CString> = Vec::new();
        let mut named = |name: &str| {
            // The bytes stay where they are when the list grows.
            names.push(text(name));
            names.last().map_or(std::ptr::null(), |name| name.as_ptr())
        };
        let materials: Vec<raw::Material> = world
            .materials
            .iter()
            .map(|m| raw::Material { name: named(&m.name), friction: m.friction, restitution: m.restitution })
            .collect();
        let pairs: Vec<raw::Pair> = world
            .pairs
            .iter()
            .map(|pair| raw::Pair {
                between: pair.between.map(|index| index as u64),
                friction: pair.friction,
                restitution: pair.restitution,
            })
            .collect();
        let (mut parts, mut numbers) = (Vec::new(), Vec::new());
        let bodies: Vec<raw::Body> = world
            .bodies
            .iter()
            .map(|body| {
                let first_part = parts.len() as u64;
                for part in &body.parts {
                    let first_number = numbers.len() as u64;
                    // Only worlds of the plane are laid out for version 1.
                    let shape = part.shape.planar().map_or(u32::MAX, |shape| shape_numbers(shape, &mut numbers));
                    parts.push(raw::Part {
                        shape,
                        sensor: u32::from(part.sensor),
                        first_number,
                        number_count: numbers.len() as u64 - first_number,
                        position: pair(part.pose.xy()),
                        angle: part.pose.angle,
                        material: part.material as u64,
                    });
                }
                body_row(body, named(&body.name), first_part)
            })
            .collect();
        let joints: Vec<raw::Joint> = world.joints.iter().map(joint_row).collect();
        let apart: Vec<u64> = world.excluded_pairs.iter().flatten().map(|&id| id as u64).collect();
        let reported = raw::World {
            size: size_of::<raw::World>() as u64,
            space: u32::from(world.dimension.number()),
            threads: u32::try_from(conditions.threads).unwrap_or(u32::MAX),
            seed: conditions.seed,
            gravity: flat(world.gravity),
            dt: conditions.clock.step(conditions.dt.seconds),
            material_count: materials.len() as u64,
            pair_count: pairs.len() as u64,
            body_count: bodies.len() as u64,
            part_count: parts.len() as u64,
            number_count: numbers.len() as u64,
            joint_count: joints.len() as u64,
            apart_count: world.excluded_pairs.len() as u64,
            materials: materials.as_ptr(),
            pairs: pairs.as_ptr(),
            bodies: bodies.as_ptr(),
            parts: parts.as_ptr(),
            numbers: numbers.as_ptr(),
            joints: joints.as_ptr(),
            apart: apart.as_ptr(),
        };
        Packed {
            world: reported,
            _names: names,
            _materials: materials,
            _pairs: pairs,
            _bodies: bodies,
            _parts: parts,
            _numbers: numbers,
            _joints: joints,
            _apart: apart,
        }
    }

    /// The world; it holds as long as this.
    pub fn world(&self) -> &raw::World {
        &self.world
    }
}

/// Kind of a shape; its numbers are put to the others.
fn shape_numbers(shape: &PlaneShape, numbers: &mut Vec<f64>) -> u32 {
    match shape {
        PlaneShape::Disc(radius) => {
            numbers.push(*radius);
            0
        }
        PlaneShape::Box(size) => {
            numbers.extend(pair(*size));
            1
        }
        PlaneShape::Polygon(corners) => {
            numbers.extend(corners.iter().flat_map(|&corner| pair(corner)));
            2
        }
        PlaneShape::Capsule { length, radius } => {
            numbers.extend([*length, *radius]);
            3
        }
        PlaneShape::Polyline(points) => {
            numbers.extend(points.iter().flat_map(|&point| pair(point)));
            4
        }
        PlaneShape::HalfPlane(normal) => {
            numbers.extend(pair(*normal));
            5
        }
    }
}

fn body_row(body: &Body, name: *const std::ffi::c_char, first_part: u64) -> raw::Body {
    raw::Body {
        name,
        kind: match body.kind {
            BodyKind::Static => 0,
            BodyKind::Kinematic => 1,
            BodyKind::Dynamic => 2,
        },
        fixed_turn: u32::from(body.fixed_turn),
        swept: u32::from(body.ccd),
        absent: u32::from(body.absent),
        layers: body.layers,
        meets: body.collision_mask,
        position: flat(body.pose.position),
        angle: body.pose.angle,
        velocity: flat(body.velocity),
        spin: body.spin.z,
        mass: body.mass,
        inertia: body.inertia.zz(),
        linear_damping: body.linear_damping,
        angular_damping: body.angular_damping,
        gravity_factor: body.gravity_factor,
        first_part,
        part_count: body.parts.len() as u64,
    }
}

fn joint_row(joint: &Joint) -> raw::Joint {
    let [a, b] = joint.frames.map(|frame| frame.anchor);
    let (kind, stiffness, damping, axis, limits) = match joint.kind {
        JointKind::Rod => (0, 0.0, 0.0, DVec2::ZERO, None),
        JointKind::Spring { stiffness, damping } => (1, stiffness, damping, DVec2::ZERO, None),
        JointKind::Hinge { limits } => (2, 0.0, 0.0, DVec2::ZERO, limits),
        JointKind::Slider { limits } => (3, 0.0, 0.0, joint.frames[0].axis.truncate(), limits),
        // A world of the plane has no sockets.
        JointKind::Socket | JointKind::Weld => (4, 0.0, 0.0, DVec2::ZERO, None),
        JointKind::Rope => (5, 0.0, 0.0, DVec2::ZERO, None),
    };
    raw::Joint {
        kind,
        has_length: u32::from(joint.length.is_some()),
        has_limits: u32::from(limits.is_some()),
        unused: 0,
        bodies: joint.bodies.map(|id| id as u64),
        anchors: [a.x, a.y, b.x, b.y],
        length: joint.length.unwrap_or(0.0),
        stiffness,
        damping,
        axis: pair(axis),
        limits: limits.unwrap_or_default(),
    }
}

/// An action as plain numbers, and the list of its pieces.
#[derive(Debug)]
pub struct PackedAction {
    action: raw::Action,
    _pieces: Vec<u64>,
}

impl PackedAction {
    /// Lays an action out.
    pub fn new(body: usize, effect: &Effect) -> PackedAction {
        let pieces: Vec<u64> = match effect {
            Effect::Split(pieces) => pieces.iter().map(|&id| id as u64).collect(),
            _ => Vec::new(),
        };
        let (kind, vector, number) = match effect {
            Effect::Impulse { impulse, .. } => (0, *impulse, 0.0),
            Effect::Force { force, .. } => (1, *force, 0.0),
            Effect::Torque(torque) => (2, DVec3::ZERO, torque.z),
            Effect::Velocity(velocity) => (3, *velocity, 0.0),
            Effect::Spin(spin) => (4, DVec3::ZERO, spin.z),
            Effect::Place(pose) => (5, pose.position, pose.angle),
            Effect::Remove => (6, DVec3::ZERO, 0.0),
            Effect::Add => (7, DVec3::ZERO, 0.0),
            Effect::Split(_) => (8, DVec3::ZERO, 0.0),
            Effect::Gravity(gravity) => (9, *gravity, 0.0),
            // Of nodes, which the first header does not know: no world with them is built by it.
            Effect::Shift(way) => (10, *way, 0.0),
            Effect::Hold(_) => (11, DVec3::ZERO, 0.0),
        };
        let point = match effect {
            Effect::Impulse { point, .. } | Effect::Force { point, .. } => *point,
            _ => None,
        };
        let action = raw::Action {
            kind,
            has_point: u32::from(point.is_some()),
            body: body as u64,
            vector: flat(vector),
            point: flat(point.unwrap_or(DVec3::ZERO)),
            number,
            piece_count: pieces.len() as u64,
            pieces: pieces.as_ptr(),
        };
        PackedAction { action, _pieces: pieces }
    }

    /// The action; it holds as long as this.
    pub fn action(&self) -> &raw::Action {
        &self.action
    }
}
