//! From the scene to the engine: worlds, actions, points.

use super::{Census, Transform, Turned};
use ironspin_model::{
    Action, Body, BodyKind, Bounds, DQuat, DVec2, DVec3, Dimension, Effect, Inertia, Joint, JointFrame, JointKind,
    Material, NodeSpring, Part, Pin, PlaneShape, Pose, Pressure, Shape, SoftBody, SpaceShape, Stick, World, shape_mass,
    solid_mass, turn,
};
use std::sync::Arc;

/// A bystander stands this many times the extent of the world away.
const ASIDE: f64 = 64.0;

impl Transform {
    /// A direction with some dimension.
    fn vector(&self, v: DVec3, [length, mass, time]: [i32; 3]) -> DVec3 {
        let factor = self.factor(length, mass, time);
        self.turned.turn(v) * factor
    }

    /// A place at a time of the scene.
    pub(crate) fn place(&self, point: DVec3, time: f64) -> DVec3 {
        self.vector(point, [1, 0, 0]) + self.moved(time)
    }

    /// How far the world has been moved at a time of the scene, in lengths of the engine.
    pub(super) fn moved(&self, time: f64) -> DVec3 {
        if self.shift == DVec3::ZERO && self.boost == DVec3::ZERO {
            return DVec3::ZERO;
        }
        (self.shift + self.boost * time) * self.length
    }

    fn velocity(&self, velocity: DVec3) -> DVec3 {
        self.vector(velocity, [1, 0, -1]) + self.boost * self.factor(1, 0, -1)
    }

    /// A spin or torque: the other way round in a mirror.
    fn turning(&self, axial: DVec3) -> DVec3 {
        self.turned.hand() * self.turned.turn(axial)
    }

    fn pose(&self, position: DVec3, pose: &Pose) -> Pose {
        Pose { position, rotation: self.turned.rotation(pose.rotation), angle: self.turned.hand() * pose.angle }
    }

    fn local(&self, point: DVec3) -> DVec3 {
        self.turned.turn(point) * self.length
    }

    /// Which body of the engine a body of the scene is. Nodes keep their order; a bystander stands before them.
    pub(crate) fn id(&self, id: usize, census: Census) -> usize {
        match id < census.rigid {
            true if self.reversed => census.rigid - 1 - id,
            true => id,
            false => id + usize::from(self.bystander),
        }
    }

    /// The world as the engine gets it. `pieces` come in where another body is, and are placed in its frame.
    pub(crate) fn world(&self, world: &World, pieces: &[usize]) -> World {
        let (census, rigid) = (Census::of(world), world.rigid_count());
        let transformed = |(id, body): (usize, &Body)| {
            let reported = self.body(body);
            if pieces.contains(&id) {
                return Body {
                    pose: Pose { position: self.vector(body.pose.position, [1, 0, 0]), ..reported.pose },
                    ..reported
                };
            }
            reported
        };
        let mut bodies: Vec<Body> = world.bodies.iter().enumerate().map(transformed).collect();
        if self.reversed {
            bodies[..rigid].reverse();
        }
        if self.bystander {
            bodies.insert(rigid, bystander(world, self));
        }
        let pair = |pair: [usize; 2]| pair.map(|id| self.id(id, census));
        World {
            dimension: world.dimension,
            gravity: self.vector(world.gravity, [1, 0, -2]),
            duration: world.duration * self.time,
            bounds: world.bounds.map(|bounds| {
                let corners = [bounds.min, bounds.max].map(|corner| self.place(corner, 0.0));
                Bounds { min: corners[0].min(corners[1]), max: corners[0].max(corners[1]) }
            }),
            materials: world
                .materials
                .iter()
                .map(|material| Material {
                    density: material.density * self.factor(-i32::from(world.dimension.number()), 1, 0),
                    ..material.clone()
                })
                .collect(),
            pairs: world.pairs.clone(),
            bodies,
            joints: world.joints.iter().map(|joint| self.joint(joint, census)).collect(),
            softs: world.softs.iter().map(|soft| self.soft(soft, world.dimension, census)).collect(),
            excluded_pairs: world.excluded_pairs.iter().map(|&ids| pair(ids)).collect(),
            actions: world
                .actions
                .iter()
                .map(|action| Action {
                    at_time: action.at_time * self.time,
                    body: self.id(action.body, census),
                    effect: self.effect(&action.effect, action.at_time, census),
                })
                .collect(),
        }
    }

    fn body(&self, body: &Body) -> Body {
        let moves = self.boost != DVec3::ZERO && body.kind == BodyKind::Static;
        Body {
            kind: if moves { BodyKind::Kinematic } else { body.kind },
            pose: self.pose(self.place(body.pose.position, 0.0), &body.pose),
            velocity: self.velocity(body.velocity),
            spin: self.turning(body.spin) * self.factor(0, 0, -1),
            mass: body.mass * self.factor(0, 1, 0),
            inertia: Inertia(self.turned.inertia(body.inertia).0 * self.factor(2, 1, 0)),
            linear_damping: body.linear_damping * self.factor(0, 0, -1),
            angular_damping: body.angular_damping * self.factor(0, 0, -1),
            parts: body.parts.iter().map(|part| self.part(part)).collect(),
            ..body.clone()
        }
    }

    fn part(&self, part: &Part) -> Part {
        let pose = self.pose(self.local(part.pose.position), &part.pose);
        let (shape, pose) = match &part.shape {
            // Of what has no numbers to be turned itself, the pose is turned.
            Shape::Plane(shape @ PlaneShape::Capsule { .. }) if matches!(self.turned, Turned::Quarter(_)) => {
                let lying = Pose::planar(pose.position, pose.angle + std::f64::consts::FRAC_PI_2);
                (self.plane_shape(shape).into(), lying)
            }
            Shape::Plane(shape) => (self.plane_shape(shape).into(), pose),
            Shape::Space(shape @ (SpaceShape::Capsule { .. } | SpaceShape::Cylinder { .. })) => {
                (self.space_shape(shape).into(), Pose { rotation: turn::product(pose.rotation, self.lying()), ..pose })
            }
            Shape::Space(shape) => (self.space_shape(shape).into(), pose),
        };
        Part { shape, pose, ..part.clone() }
    }

    /// The turn that brings the x axis to where it goes, up to its sense.
    fn lying(&self) -> DQuat {
        let to = self.turned.turn(DVec3::X);
        if to.x != 0.0 {
            return DQuat::IDENTITY;
        }
        let half = std::f64::consts::FRAC_1_SQRT_2;
        DQuat::from_vec4((DVec3::X.cross(to) * half).extend(half))
    }

    fn plane_shape(&self, shape: &PlaneShape) -> PlaneShape {
        let corners = |points: &[DVec2]| {
            let mut points: Vec<DVec2> = points.iter().map(|&p| self.local(p.extend(0.0)).truncate()).collect();
            if self.turned.hand() < 0.0 {
                // The sense of the corners stays what it was.
                points.reverse();
            }
            points
        };
        match shape {
            PlaneShape::Disc(radius) => PlaneShape::Disc(radius * self.length),
            PlaneShape::Box(size) => PlaneShape::Box(self.local(size.extend(0.0)).abs().truncate()),
            PlaneShape::Capsule { length, radius } => {
                PlaneShape::Capsule { length: length * self.length, radius: radius * self.length }
            }
            PlaneShape::Polygon(points) => PlaneShape::Polygon(corners(points)),
            PlaneShape::Polyline(points) => PlaneShape::Polyline(corners(points)),
            PlaneShape::HalfPlane(normal) => PlaneShape::HalfPlane(self.turned.turn(normal.extend(0.0)).truncate()),
        }
    }

    fn space_shape(&self, shape: &SpaceShape) -> SpaceShape {
        match shape {
            SpaceShape::Sphere(radius) => SpaceShape::Sphere(radius * self.length),
            SpaceShape::Box(size) => SpaceShape::Box(self.local(*size).abs()),
            SpaceShape::Capsule { length, radius } => {
                SpaceShape::Capsule { length: length * self.length, radius: radius * self.length }
            }
            SpaceShape::Cylinder { length, radius } => {
                SpaceShape::Cylinder { length: length * self.length, radius: radius * self.length }
            }
            SpaceShape::Hull(hull) => SpaceShape::Hull(Arc::new(hull.carried(&|corner| self.local(corner)))),
            SpaceShape::Mesh(mesh) => {
                let carried = mesh.carried(&|point| self.local(point));
                // Outside stays outside.
                SpaceShape::Mesh(Arc::new(if self.turned.hand() < 0.0 { carried.turned_inside_out() } else { carried }))
            }
            SpaceShape::HalfSpace(normal) => SpaceShape::HalfSpace(self.turned.turn(*normal)),
        }
    }

    fn joint(&self, joint: &Joint, census: Census) -> Joint {
        let kind = match joint.kind {
            JointKind::Spring { stiffness, damping } => JointKind::Spring {
                stiffness: stiffness * self.factor(0, 1, -2),
                damping: damping * self.factor(0, 1, -1),
            },
            JointKind::Hinge { limits } => JointKind::Hinge {
                limits: limits.map(|[from, to]| if self.turned.hand() < 0.0 { [-to, -from] } else { [from, to] }),
            },
            JointKind::Slider { limits } => {
                JointKind::Slider { limits: limits.map(|limits| limits.map(|limit| limit * self.length)) }
            }
            JointKind::Rod | JointKind::Rope | JointKind::Socket | JointKind::Weld => joint.kind,
        };
        Joint {
            kind,
            bodies: joint.bodies.map(|id| self.id(id, census)),
            frames: joint
                .frames
                .map(|frame| JointFrame { anchor: self.local(frame.anchor), axis: self.turned.turn(frame.axis) }),
            length: joint.length.map(|length| length * self.length),
        }
    }

    fn soft(&self, soft: &SoftBody, dimension: Dimension, census: Census) -> SoftBody {
        let shift = usize::from(self.bystander);
        let mirrored = self.turned.hand() < 0.0;
        // Per metre of depth in the plane.
        let pressure = self.factor(2 - i32::from(dimension.number()), 1, -2);
        SoftBody {
            nodes: soft.nodes.start + shift..soft.nodes.end + shift,
            radius: soft.radius * self.length,
            springs: soft
                .springs
                .iter()
                .map(|spring| NodeSpring {
                    ends: spring.ends,
                    length: spring.length * self.length,
                    stiffness: spring.stiffness * self.factor(0, 1, -2),
                    damping: spring.damping * self.factor(0, 1, -1),
                })
                .collect(),
            // The inside stays to the left.
            skin: soft.skin.iter().map(|&[a, b]| if mirrored { [b, a] } else { [a, b] }).collect(),
            faces: soft.faces.iter().map(|&[a, b, c]| if mirrored { [a, c, b] } else { [a, b, c] }).collect(),
            cells: soft.cells.iter().map(|&[a, b, c]| if mirrored { [a, c, b] } else { [a, b, c] }).collect(),
            tetrahedra: soft
                .tetrahedra
                .iter()
                .map(|&[a, b, c, d]| if mirrored { [a, c, b, d] } else { [a, b, c, d] })
                .collect(),
            sticks: soft
                .sticks
                .iter()
                .map(|stick| Stick { ends: stick.ends, length: stick.length * self.length })
                .collect(),
            matching: soft.matching.map(|rate| rate * self.factor(0, 0, -1)),
            pins: soft
                .pins
                .iter()
                .map(|pin| Pin { node: pin.node, body: self.id(pin.body, census), point: self.local(pin.point) })
                .collect(),
            pressure: soft
                .pressure
                .map(|gas| Pressure { amount: gas.amount * self.factor(2, 1, -2), outside: gas.outside * pressure }),
            ..soft.clone()
        }
    }

    /// An action that is done at a time of the scene.
    pub(crate) fn effect(&self, effect: &Effect, time: f64, census: Census) -> Effect {
        let point = |point: Option<DVec3>| point.map(|point| self.place(point, time));
        match effect {
            Effect::Impulse { impulse, point: at } => {
                Effect::Impulse { impulse: self.vector(*impulse, [1, 1, -1]), point: point(*at) }
            }
            Effect::Force { force, point: at } => {
                Effect::Force { force: self.vector(*force, [1, 1, -2]), point: point(*at) }
            }
            Effect::Torque(torque) => Effect::Torque(self.turning(*torque) * self.factor(2, 1, -2)),
            Effect::Velocity(velocity) => Effect::Velocity(self.velocity(*velocity)),
            Effect::Spin(spin) => Effect::Spin(self.turning(*spin) * self.factor(0, 0, -1)),
            Effect::Place(pose) => Effect::Place(self.pose(self.place(pose.position, time), pose)),
            // The pieces are built in the frame of the body, whose turn they share.
            Effect::Split(pieces) => Effect::Split(pieces.iter().map(|&id| self.id(id, census)).collect()),
            Effect::Gravity(gravity) => Effect::Gravity(self.vector(*gravity, [1, 0, -2])),
            Effect::Shift(way) => Effect::Shift(self.vector(*way, [1, 0, 0])),
            Effect::Hold(held) => Effect::Hold(*held),
            Effect::Remove => Effect::Remove,
            Effect::Add => Effect::Add,
        }
    }
}

/// A disc or sphere so far away that it touches nothing: aside, and as high as it can fall in the trial.
fn bystander(world: &World, transform: &Transform) -> Body {
    let reach = |body: &Body| {
        let parts = body.parts.iter().map(|part| part.pose.position.length() + part.shape.reach());
        body.pose.position.length() + parts.fold(0.0, f64::max)
    };
    let extent = world.bodies.iter().map(reach).fold(1.0, f64::max);
    let fall = world.gravity.length() * world.duration * world.duration;
    let up = if fall > 0.0 { -world.gravity.normalize() } else { DVec3::Y };
    let radius = 0.5 * world.bodies.iter().map(Body::smallest_size).fold(f64::INFINITY, f64::min).min(extent);
    let density = world.materials.first().map_or(1.0, |material| material.density);
    let (shape, mass, inertia): (Shape, f64, Inertia) = match world.dimension {
        Dimension::Plane => {
            let shape = PlaneShape::Disc(radius);
            let properties = shape_mass(&shape, density).unwrap_or_default();
            (shape.into(), properties.mass, Inertia::planar(properties.inertia))
        }
        Dimension::Space => {
            let shape = SpaceShape::Sphere(radius);
            let properties = solid_mass(&shape, density);
            (shape.into(), properties.map_or(0.0, |p| p.mass), properties.map_or(Inertia::ZERO, |p| p.inertia))
        }
    };
    let body = Body {
        pose: Pose::at(DVec3::new(ASIDE * extent, 0.0, 0.0) + up * (ASIDE * extent + fall)),
        mass,
        inertia,
        parts: vec![Part::solid(shape, 0)],
        ..Body::plain("bystander")
    };
    transform.body(&body)
}
