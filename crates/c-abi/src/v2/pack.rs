//! Worlds and actions as plain arrays of the second version.

use super::raw;
use super::softs::{Lists, skin_size};
use crate::pack::text;
use ironspin_model::{
    Body, BodyKind, Conditions, DVec2, DVec3, Effect, Joint, JointKind, PlaneShape, Pose, Shape, SpaceShape, WireIds,
    World,
};
use std::ffi::CString;

/// Bytes of a world without soft bodies, as the header had it before it knew them: libraries that compare sizes stay welcome.
pub(super) const RIGID_SIZE: u64 = std::mem::offset_of!(raw::World, soft_count) as u64;
/// Size of a world whose soft bodies have springs and gas alone.
pub(super) const SPRING_SIZE: u64 = std::mem::offset_of!(raw::World, stick_count) as u64;
/// Of a world whose soft bodies have no pins.
pub(super) const LAW_SIZE: u64 = std::mem::offset_of!(raw::World, pin_count) as u64;

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
    _softs: Lists,
}

fn pair(v: DVec2) -> [f64; 2] {
    [v.x, v.y]
}

fn rotation(pose: &Pose) -> [f64; 4] {
    let q = pose.rotation;
    [q.w, q.x, q.y, q.z]
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
            .rigid()
            .iter()
            .map(|body| {
                let first_part = parts.len() as u64;
                for part in &body.parts {
                    let first_number = numbers.len() as u64;
                    let shape = shape_numbers(&part.shape, &mut numbers);
                    parts.push(raw::Part {
                        shape,
                        sensor: u32::from(part.sensor),
                        first_number,
                        number_count: numbers.len() as u64 - first_number,
                        position: part.pose.position.to_array(),
                        rotation: rotation(&part.pose),
                        angle: part.pose.angle,
                        material: part.material as u64,
                    });
                }
                body_row(body, named(&body.name), first_part)
            })
            .collect();
        let joints: Vec<raw::Joint> = world.joints.iter().map(joint_row).collect();
        let apart = WireIds::of(world).pairs_outside(&world.excluded_pairs);
        let apart: Vec<u64> = apart.iter().flatten().map(|&id| id as u64).collect();
        let softs = Lists::of(world, &mut named);
        let reported = raw::World {
            size: match (world.softs.is_empty(), softs.pins.is_empty()) {
                (true, _) => RIGID_SIZE,
                (false, false) => size_of::<raw::World>() as u64,
                (false, true) if softs.have_laws() => LAW_SIZE,
                (false, true) => SPRING_SIZE,
            },
            space: u32::from(world.dimension.number()),
            threads: u32::try_from(conditions.threads).unwrap_or(u32::MAX),
            seed: conditions.seed,
            gravity: world.gravity.to_array(),
            dt: conditions.clock.step(conditions.dt.seconds),
            material_count: materials.len() as u64,
            pair_count: pairs.len() as u64,
            body_count: bodies.len() as u64,
            part_count: parts.len() as u64,
            number_count: numbers.len() as u64,
            joint_count: joints.len() as u64,
            apart_count: (apart.len() / 2) as u64,
            materials: materials.as_ptr(),
            pairs: pairs.as_ptr(),
            bodies: bodies.as_ptr(),
            parts: parts.as_ptr(),
            numbers: numbers.as_ptr(),
            joints: joints.as_ptr(),
            apart: apart.as_ptr(),
            soft_count: softs.softs.len() as u64,
            node_count: softs.nodes.len() as u64,
            spring_count: softs.springs.len() as u64,
            skin_count: (softs.skin.len() / skin_size(world.dimension)) as u64,
            cell_count: (softs.cells.len() / (skin_size(world.dimension) + 1)) as u64,
            softs: softs.softs.as_ptr(),
            nodes: softs.nodes.as_ptr(),
            springs: softs.springs.as_ptr(),
            skin: softs.skin.as_ptr(),
            cells: softs.cells.as_ptr(),
            stick_count: softs.sticks.len() as u64,
            sticks: softs.sticks.as_ptr(),
            laws: softs.laws.as_ptr(),
            pin_count: softs.pins.len() as u64,
            pins: softs.pins.as_ptr(),
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
            _softs: softs,
        }
    }

    /// The world; it holds as long as this.
    pub fn world(&self) -> &raw::World {
        &self.world
    }
}

/// Kind of a shape; its numbers are put to the others.
fn shape_numbers(shape: &Shape, numbers: &mut Vec<f64>) -> u32 {
    match shape {
        Shape::Plane(shape) => plane_numbers(shape, numbers),
        Shape::Space(shape) => space_numbers(shape, numbers),
    }
}

fn space_numbers(shape: &SpaceShape, numbers: &mut Vec<f64>) -> u32 {
    match shape {
        SpaceShape::Sphere(radius) => {
            numbers.push(*radius);
            6
        }
        SpaceShape::Box(size) => {
            numbers.extend(size.to_array());
            1
        }
        SpaceShape::Capsule { length, radius } => {
            numbers.extend([*length, *radius]);
            3
        }
        SpaceShape::Cylinder { length, radius } => {
            numbers.extend([*length, *radius]);
            8
        }
        SpaceShape::Hull(hull) => {
            numbers.extend(hull.corners().iter().flat_map(|corner| corner.to_array()));
            9
        }
        SpaceShape::Mesh(mesh) => {
            numbers.push(mesh.points().len() as f64);
            numbers.extend(mesh.points().iter().flat_map(|point| point.to_array()));
            numbers.extend(mesh.faces().iter().flatten().map(|&number| f64::from(number)));
            10
        }
        SpaceShape::HalfSpace(normal) => {
            numbers.extend(normal.to_array());
            7
        }
    }
}

fn plane_numbers(shape: &PlaneShape, numbers: &mut Vec<f64>) -> u32 {
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
    let m = body.inertia.0;
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
        position: body.pose.position.to_array(),
        rotation: rotation(&body.pose),
        angle: body.pose.angle,
        velocity: body.velocity.to_array(),
        spin: body.spin.to_array(),
        mass: body.mass,
        inertia: [m.x_axis.x, m.y_axis.y, m.z_axis.z, m.x_axis.y, m.x_axis.z, m.y_axis.z],
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
        JointKind::Rod => (0, 0.0, 0.0, DVec3::ZERO, None),
        JointKind::Spring { stiffness, damping } => (1, stiffness, damping, DVec3::ZERO, None),
        JointKind::Hinge { limits } => (2, 0.0, 0.0, joint.frames[0].axis, limits),
        JointKind::Slider { limits } => (3, 0.0, 0.0, joint.frames[0].axis, limits),
        JointKind::Weld => (4, 0.0, 0.0, DVec3::ZERO, None),
        JointKind::Socket => (6, 0.0, 0.0, DVec3::ZERO, None),
        JointKind::Rope => (5, 0.0, 0.0, DVec3::ZERO, None),
    };
    raw::Joint {
        kind,
        has_length: u32::from(joint.length.is_some()),
        has_limits: u32::from(limits.is_some()),
        unused: 0,
        bodies: joint.bodies.map(|id| id as u64),
        anchors: [a.x, a.y, a.z, b.x, b.y, b.z],
        length: joint.length.unwrap_or(0.0),
        stiffness,
        damping,
        axis: axis.to_array(),
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
    pub fn new(ids: &WireIds, id: usize, effect: &Effect) -> PackedAction {
        let (body, node) = ids.outside(id);
        let pieces: Vec<u64> = match effect {
            Effect::Split(pieces) => pieces.iter().map(|&id| id as u64).collect(),
            _ => Vec::new(),
        };
        let (kind, vector) = match effect {
            Effect::Impulse { impulse, .. } => (0, *impulse),
            Effect::Force { force, .. } => (1, *force),
            Effect::Torque(torque) => (2, *torque),
            Effect::Velocity(velocity) => (3, *velocity),
            Effect::Spin(spin) => (4, *spin),
            Effect::Place(pose) => (5, pose.position),
            Effect::Remove => (6, DVec3::ZERO),
            Effect::Add => (7, DVec3::ZERO),
            Effect::Split(_) => (8, DVec3::ZERO),
            Effect::Gravity(gravity) => (9, *gravity),
            Effect::Shift(way) => (10, *way),
            Effect::Hold(_) => (11, DVec3::ZERO),
        };
        let pose = match effect {
            Effect::Place(pose) => *pose,
            _ => Pose::IDENTITY,
        };
        let point = match effect {
            Effect::Impulse { point, .. } | Effect::Force { point, .. } => *point,
            _ => None,
        };
        let action = raw::Action {
            kind,
            has_point: u32::from(point.is_some()),
            body: body as u64,
            vector: vector.to_array(),
            point: point.unwrap_or(DVec3::ZERO).to_array(),
            rotation: rotation(&pose),
            angle: pose.angle,
            piece_count: pieces.len() as u64,
            pieces: pieces.as_ptr(),
            node: node.unwrap_or(0) as u64,
            has_node: u32::from(node.is_some()),
            held: u32::from(matches!(effect, Effect::Hold(true))),
        };
        PackedAction { action, _pieces: pieces }
    }

    /// The action; it holds as long as this.
    pub fn action(&self) -> &raw::Action {
        &self.action
    }
}
