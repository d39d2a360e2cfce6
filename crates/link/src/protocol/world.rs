//! Worlds as JSON, and back: parameters of `build`.

use super::number::Number;
use super::softs::SoftRow;
use super::vector::{Amount, TurnRow, Vector};
use ironspin_model::{
    Body, BodyKind, Conditions, DVec2, DVec3, Dimension, Hull, Joint, JointFrame, JointKind, Material, PairMaterial,
    Part, PlaneShape, Shape, SpaceShape, THREAD_LIMIT, TriangleMesh, WireIds, World,
};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

fn pair(v: DVec2) -> [Number; 2] {
    [Number(v.x), Number(v.y)]
}

fn plane([x, y]: [Number; 2]) -> DVec2 {
    DVec2::new(x.0, y.0)
}

pub(super) fn is_false(value: &bool) -> bool {
    !value
}

/// Parameters of `build`.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Build {
    space: u8,
    gravity: Vector,
    dt: Number,
    #[serde(default)]
    seed: u64,
    #[serde(default)]
    threads: usize,
    #[serde(default)]
    pub(crate) options: BTreeMap<String, String>,
    materials: Vec<MaterialRow>,
    #[serde(default)]
    pairs: Vec<PairRow>,
    bodies: Vec<BodyRow>,
    #[serde(default)]
    joints: Vec<JointRow>,
    #[serde(default)]
    apart: Vec<[usize; 2]>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    softs: Vec<SoftRow>,
}

#[derive(Debug, Serialize, Deserialize)]
struct MaterialRow {
    name: String,
    friction: Number,
    restitution: Number,
}

#[derive(Debug, Serialize, Deserialize)]
struct PairRow {
    between: [usize; 2],
    friction: Number,
    restitution: Number,
}

#[derive(Debug, Serialize, Deserialize)]
struct BodyRow {
    id: usize,
    name: String,
    kind: KindWord,
    position: Vector,
    #[serde(flatten)]
    turn: TurnRow,
    velocity: Vector,
    spin: Amount,
    mass: Number,
    inertia: Amount,
    linear_damping: Number,
    angular_damping: Number,
    gravity_factor: Number,
    fixed_turn: bool,
    swept: bool,
    layers: u32,
    meets: u32,
    #[serde(default, skip_serializing_if = "is_false")]
    absent: bool,
    parts: Vec<PartRow>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
enum KindWord {
    Static,
    Kinematic,
    Dynamic,
}

#[derive(Debug, Serialize, Deserialize)]
struct PartRow {
    shape: ShapeRow,
    position: Vector,
    #[serde(flatten)]
    turn: TurnRow,
    material: usize,
    sensor: bool,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum ShapeRow {
    Disc(Number),
    Sphere(Number),
    Box(Vec<Number>),
    Polygon(Vec<[Number; 2]>),
    Capsule([Number; 2]),
    Polyline(Vec<[Number; 2]>),
    HalfPlane([Number; 2]),
    HalfSpace([Number; 3]),
    Cylinder([Number; 2]),
    Hull(Vec<[Number; 3]>),
    Mesh(MeshRow),
}

#[derive(Debug, Serialize, Deserialize)]
struct MeshRow {
    points: Vec<[Number; 3]>,
    faces: Vec<[u32; 3]>,
}

#[derive(Debug, Serialize, Deserialize)]
struct JointRow {
    kind: String,
    bodies: [usize; 2],
    at: [Vector; 2],
    #[serde(default, skip_serializing_if = "Option::is_none")]
    length: Option<Number>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    stiffness: Option<Number>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    damping: Option<Number>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    axis: Option<Vector>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    limits: Option<[Number; 2]>,
}

impl Build {
    /// The parameters for a world.
    pub(crate) fn of(world: &World, conditions: &Conditions, options: BTreeMap<String, String>) -> Build {
        let (dimension, ids) = (world.dimension, WireIds::of(world));
        Build {
            space: dimension.number(),
            gravity: Vector::of(dimension, world.gravity),
            dt: Number(conditions.clock.step(conditions.dt.seconds)),
            seed: conditions.seed,
            threads: conditions.threads,
            options,
            materials: world.materials.iter().map(material_row).collect(),
            pairs: world.pairs.iter().map(pair_row).collect(),
            bodies: world.rigid().iter().enumerate().map(|(id, body)| body_row(dimension, id, body)).collect(),
            joints: world.joints.iter().map(|joint| joint_row(dimension, joint)).collect(),
            apart: ids.pairs_outside(&world.excluded_pairs),
            softs: (0..world.softs.len()).map(|number| SoftRow::of(world, &ids, number)).collect(),
        }
    }

    /// The world and conditions of the parameters; actions come later, one by one.
    pub(crate) fn world(self) -> Result<(World, Conditions), String> {
        let count = self.bodies.len();
        for (place, body) in self.bodies.iter().enumerate() {
            if body.id != place {
                return Err(format!("body {place} has the id {}", body.id));
            }
            if let Some(part) = body.parts.iter().find(|part| part.material >= self.materials.len()) {
                return Err(format!("body {place} is made of material {}, and there is none", part.material));
            }
        }
        let joined = self.joints.iter().flat_map(|joint| joint.bodies).find(|&id| id >= count);
        let apart = self.apart.iter().flatten().copied().find(|&id| id >= count + self.softs.len());
        if let Some(wrong) = joined.or(apart) {
            return Err(format!("a joint or pair names body {wrong}, and there are {count}"));
        }
        let dimension = Dimension::of_number(u64::from(self.space))
            .ok_or_else(|| format!("a world of {} dimensions, where 2 or 3 are expected", self.space))?;
        if self.threads > THREAD_LIMIT {
            return Err(format!("{} threads, and {THREAD_LIMIT} are the most", self.threads));
        }
        let dt = ironspin_model::Timestep { text: self.dt.0.to_string(), seconds: self.dt.0 };
        let conditions = Conditions { seed: self.seed, threads: self.threads.max(1), ..Conditions::with_dt(dt) };
        let mut bodies: Vec<Body> = self
            .bodies
            .into_iter()
            .map(|row| {
                let id = row.id;
                body_of(dimension, row).map_err(|why| format!("body {id} has {why}"))
            })
            .collect::<Result<_, _>>()?;
        let joints = self.joints.iter().map(|row| joint_of(dimension, row, &bodies)).collect::<Result<_, _>>()?;
        let mut softs = Vec::new();
        for (number, row) in self.softs.into_iter().enumerate() {
            softs.push(row.read(dimension, count + number, &mut bodies)?);
        }
        let world = World {
            dimension,
            softs,
            joints,
            gravity: self.gravity.read(dimension)?,
            materials: self
                .materials
                .into_iter()
                .map(|row| Material {
                    name: row.name,
                    density: 1.0,
                    friction: row.friction.0,
                    restitution: row.restitution.0,
                })
                .collect(),
            pairs: self
                .pairs
                .into_iter()
                .map(|row| PairMaterial {
                    between: row.between,
                    friction: row.friction.0,
                    restitution: row.restitution.0,
                })
                .collect(),
            bodies,
            ..World::planar(f64::INFINITY)
        };
        let excluded_pairs = WireIds::of(&world).pairs_inside(&self.apart);
        Ok((World { excluded_pairs, ..world }, conditions))
    }
}

fn material_row(material: &Material) -> MaterialRow {
    MaterialRow {
        name: material.name.clone(),
        friction: Number(material.friction),
        restitution: Number(material.restitution),
    }
}

fn pair_row(pair: &PairMaterial) -> PairRow {
    PairRow { between: pair.between, friction: Number(pair.friction), restitution: Number(pair.restitution) }
}

fn body_row(dimension: Dimension, id: usize, body: &Body) -> BodyRow {
    BodyRow {
        id,
        name: body.name.clone(),
        kind: match body.kind {
            BodyKind::Static => KindWord::Static,
            BodyKind::Kinematic => KindWord::Kinematic,
            BodyKind::Dynamic => KindWord::Dynamic,
        },
        position: Vector::of(dimension, body.pose.position),
        turn: TurnRow::of(dimension, &body.pose),
        velocity: Vector::of(dimension, body.velocity),
        spin: Amount::axial(dimension, body.spin),
        mass: Number(body.mass),
        inertia: Amount::inertia(dimension, body.inertia),
        linear_damping: Number(body.linear_damping),
        angular_damping: Number(body.angular_damping),
        gravity_factor: Number(body.gravity_factor),
        fixed_turn: body.fixed_turn,
        swept: body.ccd,
        layers: body.layers,
        meets: body.collision_mask,
        absent: body.absent,
        parts: body.parts.iter().map(|part| part_row(dimension, part)).collect(),
    }
}

fn body_of(dimension: Dimension, row: BodyRow) -> Result<Body, String> {
    Ok(Body {
        name: row.name,
        kind: match row.kind {
            KindWord::Static => BodyKind::Static,
            KindWord::Kinematic => BodyKind::Kinematic,
            KindWord::Dynamic => BodyKind::Dynamic,
        },
        pose: row.turn.pose(dimension, &row.position)?,
        velocity: row.velocity.read(dimension)?,
        spin: row.spin.read_axial(dimension)?,
        mass: row.mass.0,
        inertia: row.inertia.read_inertia(dimension)?,
        gravity_factor: row.gravity_factor.0,
        linear_damping: row.linear_damping.0,
        angular_damping: row.angular_damping.0,
        fixed_turn: row.fixed_turn,
        ccd: row.swept,
        layers: row.layers,
        collision_mask: row.meets,
        absent: row.absent,
        parts: row.parts.into_iter().map(|part| part_of(dimension, part)).collect::<Result<_, _>>()?,
    })
}

fn part_row(dimension: Dimension, part: &Part) -> PartRow {
    PartRow {
        shape: match &part.shape {
            Shape::Plane(shape) => plane_row(shape),
            Shape::Space(shape) => space_row(shape),
        },
        position: Vector::of(dimension, part.pose.position),
        turn: TurnRow::of(dimension, &part.pose),
        material: part.material,
        sensor: part.sensor,
    }
}

fn space_row(shape: &SpaceShape) -> ShapeRow {
    let points = |points: &[DVec3]| points.iter().map(|point| point.to_array().map(Number)).collect();
    match shape {
        SpaceShape::Sphere(radius) => ShapeRow::Sphere(Number(*radius)),
        SpaceShape::Box(size) => ShapeRow::Box(size.to_array().map(Number).to_vec()),
        SpaceShape::Capsule { length, radius } => ShapeRow::Capsule([Number(*length), Number(*radius)]),
        SpaceShape::Cylinder { length, radius } => ShapeRow::Cylinder([Number(*length), Number(*radius)]),
        SpaceShape::Hull(hull) => ShapeRow::Hull(points(hull.corners())),
        SpaceShape::Mesh(mesh) => {
            ShapeRow::Mesh(MeshRow { points: points(mesh.points()), faces: mesh.faces().to_vec() })
        }
        SpaceShape::HalfSpace(normal) => ShapeRow::HalfSpace(normal.to_array().map(Number)),
    }
}

fn plane_row(shape: &PlaneShape) -> ShapeRow {
    let points = |points: &[DVec2]| points.iter().map(|&point| pair(point)).collect();
    match shape {
        PlaneShape::Disc(radius) => ShapeRow::Disc(Number(*radius)),
        PlaneShape::Box(size) => ShapeRow::Box(pair(*size).to_vec()),
        PlaneShape::Polygon(corners) => ShapeRow::Polygon(points(corners)),
        PlaneShape::Capsule { length, radius } => ShapeRow::Capsule([Number(*length), Number(*radius)]),
        PlaneShape::Polyline(corners) => ShapeRow::Polyline(points(corners)),
        PlaneShape::HalfPlane(normal) => ShapeRow::HalfPlane(pair(*normal)),
    }
}

fn part_of(dimension: Dimension, row: PartRow) -> Result<Part, String> {
    let points = |points: Vec<[Number; 2]>| points.into_iter().map(plane).collect();
    let places = |points: Vec<[Number; 3]>| -> Vec<DVec3> {
        points.into_iter().map(|point| DVec3::from_array(point.map(|part| part.0))).collect()
    };
    let shape: Shape = match row.shape {
        ShapeRow::Disc(radius) => PlaneShape::Disc(radius.0).into(),
        ShapeRow::Sphere(radius) => SpaceShape::Sphere(radius.0).into(),
        ShapeRow::Box(size) => match size[..] {
            [w, h] => PlaneShape::Box(DVec2::new(w.0, h.0)).into(),
            [w, h, d] => SpaceShape::Box(DVec3::new(w.0, h.0, d.0)).into(),
            _ => return Err(format!("a box of {} numbers, and two or three are due", size.len())),
        },
        ShapeRow::Polygon(corners) => PlaneShape::Polygon(points(corners)).into(),
        ShapeRow::Capsule([Number(length), Number(radius)]) => match dimension {
            Dimension::Plane => PlaneShape::Capsule { length, radius }.into(),
            Dimension::Space => SpaceShape::Capsule { length, radius }.into(),
        },
        ShapeRow::Cylinder([Number(length), Number(radius)]) => SpaceShape::Cylinder { length, radius }.into(),
        ShapeRow::Hull(corners) => {
            SpaceShape::Hull(Arc::new(Hull::new(&places(corners)).map_err(|error| error.to_string())?)).into()
        }
        ShapeRow::Mesh(MeshRow { points, faces }) => {
            let mesh = TriangleMesh::new(places(points), faces).map_err(|error| error.to_string())?;
            SpaceShape::Mesh(Arc::new(mesh)).into()
        }
        ShapeRow::Polyline(corners) => PlaneShape::Polyline(points(corners)).into(),
        ShapeRow::HalfPlane(normal) => PlaneShape::HalfPlane(plane(normal)).into(),
        ShapeRow::HalfSpace([x, y, z]) => SpaceShape::HalfSpace(DVec3::new(x.0, y.0, z.0)).into(),
    };
    if shape.dimension() != dimension {
        return Err(format!("the shape {}, which is none of the {}", shape.word(), dimension.word()));
    }
    Ok(Part { shape, pose: row.turn.pose(dimension, &row.position)?, material: row.material, sensor: row.sensor })
}

fn joint_row(dimension: Dimension, joint: &Joint) -> JointRow {
    let mut row = JointRow {
        kind: joint.kind.word().to_owned(),
        bodies: joint.bodies,
        at: joint.frames.map(|frame| Vector::of(dimension, frame.anchor)),
        length: joint.length.map(Number),
        stiffness: None,
        damping: None,
        axis: None,
        limits: None,
    };
    let limited = |limits: Option<[f64; 2]>| limits.map(|limits| limits.map(Number));
    match joint.kind {
        JointKind::Spring { stiffness, damping } => {
            (row.stiffness, row.damping) = (Some(Number(stiffness)), Some(Number(damping)));
        }
        JointKind::Hinge { limits } => {
            row.limits = limited(limits);
            row.axis = match dimension {
                Dimension::Plane => None,
                Dimension::Space => Some(Vector::of(dimension, joint.frames[0].axis)),
            };
        }
        JointKind::Slider { limits } => {
            (row.axis, row.limits) = (Some(Vector::of(dimension, joint.frames[0].axis)), limited(limits));
        }
        JointKind::Rod | JointKind::Rope | JointKind::Socket | JointKind::Weld => {}
    }
    row
}

fn joint_of(dimension: Dimension, row: &JointRow, bodies: &[Body]) -> Result<Joint, String> {
    let limits = row.limits.map(|limits| limits.map(|limit| limit.0));
    let mut axis = DVec3::Z;
    let kind = match row.kind.as_str() {
        "rod" => JointKind::Rod,
        "rope" => JointKind::Rope,
        "socket" => JointKind::Socket,
        "weld" => JointKind::Weld,
        "hinge" => {
            if dimension == Dimension::Space {
                axis = row.axis.as_ref().ok_or("a hinge without an axis")?.read(dimension)?;
            }
            JointKind::Hinge { limits }
        }
        "slider" => {
            axis = row.axis.as_ref().ok_or("a slider without an axis")?.read(dimension)?;
            JointKind::Slider { limits }
        }
        "spring" => JointKind::Spring {
            stiffness: row.stiffness.ok_or("a spring without a stiffness")?.0,
            damping: row.damping.map_or(0.0, |damping| damping.0),
        },
        other => return Err(format!("a joint of an unknown kind `{other}`")),
    };
    // The ids were looked at before.
    let anchors = [row.at[0].read(dimension)?, row.at[1].read(dimension)?];
    let frames = JointFrame::pair(anchors, axis, row.bodies.map(|id| bodies[id].pose.rotation));
    Ok(Joint { kind, bodies: row.bodies, frames, length: row.length.map(|length| length.0) })
}
