//! Plain arrays of the second version as worlds and actions.
#![allow(unsafe_code)]

use super::pack::{LAW_SIZE, RIGID_SIZE, SPRING_SIZE};
use super::{raw, softs};
use crate::unpack::{list, text};
use ironspin_model::{
    Body, BodyKind, Conditions, DMat3, DQuat, DVec2, DVec3, Dimension, Effect, Hull, Inertia, Joint, JointFrame,
    JointKind, Material, PairMaterial, Part, PlaneShape, Pose, Shape, SpaceShape, Timestep, TriangleMesh, WireIds,
    World,
};
use std::sync::Arc;

fn vector(v: [f64; 3]) -> DVec3 {
    DVec3::from_array(v)
}

/// A pose in a world of some dimension: in the plane by the angle, which counts whole turns.
fn pose(dimension: Dimension, position: [f64; 3], [w, x, y, z]: [f64; 4], angle: f64) -> Pose {
    match dimension {
        Dimension::Plane => Pose::planar(vector(position), angle),
        Dimension::Space => Pose { position: vector(position), rotation: DQuat::from_xyzw(x, y, z, w), angle: 0.0 },
    }
}

/// The world that stands in some arrays, and its conditions.
///
/// # Errors
/// Says what is wrong with it.
///
/// # Safety
/// Every pointer must lead to as many items as the counts beside it say.
pub unsafe fn world_of(reported: &raw::World) -> Result<(World, Conditions), String> {
    let has_pins = reported.size == size_of::<raw::World>() as u64;
    let has_laws = has_pins || reported.size == LAW_SIZE;
    let has_softs = has_laws || reported.size == SPRING_SIZE;
    if !has_softs && reported.size != RIGID_SIZE {
        return Err(format!("a world of {} bytes, and {} are due", reported.size, size_of::<raw::World>()));
    }
    let dimension =
        Dimension::of_number(u64::from(reported.space)).ok_or("a world of neither two nor three dimensions")?;
    // The caller guarantees it, here and below.
    let (parts, numbers) =
        unsafe { (list(reported.parts, reported.part_count), list(reported.numbers, reported.number_count)) };
    let bodies = unsafe { list(reported.bodies, reported.body_count) };
    let mut bodies = bodies
        .iter()
        .map(|row| {
            let name = unsafe { text(row.name) };
            let first = row.first_part as usize;
            let rows = parts.get(first..first + row.part_count as usize).ok_or("parts beyond the list")?;
            let parts = rows.iter().map(|part| part_of(dimension, part, numbers)).collect::<Result<_, String>>()?;
            body_of(dimension, row, name, parts)
        })
        .collect::<Result<Vec<_>, String>>()?;
    let joints = unsafe { list(reported.joints, reported.joint_count) };
    let joints = joints.iter().map(|row| joint_of(row, &bodies)).collect::<Result<_, _>>()?;
    let softs = if has_softs {
        unsafe { softs::read(reported, dimension, &mut bodies, [has_laws, has_pins]) }?
    } else {
        Vec::new()
    };
    let world = World {
        dimension,
        softs,
        joints,
        gravity: vector(reported.gravity),
        materials: unsafe { list(reported.materials, reported.material_count) }
            .iter()
            .map(|row| Material {
                name: unsafe { text(row.name) },
                density: 1.0,
                friction: row.friction,
                restitution: row.restitution,
            })
            .collect(),
        pairs: unsafe { list(reported.pairs, reported.pair_count) }
            .iter()
            .map(|row| PairMaterial {
                between: row.between.map(|index| index as usize),
                friction: row.friction,
                restitution: row.restitution,
            })
            .collect(),
        bodies,
        ..World::planar(f64::INFINITY)
    };
    let apart = unsafe { list(reported.apart, 2 * reported.apart_count) };
    let apart: Vec<[usize; 2]> = apart.as_chunks::<2>().0.iter().map(|pair| pair.map(|id| id as usize)).collect();
    let excluded_pairs = WireIds::of(&world).pairs_inside(&apart);
    let world = World { excluded_pairs, ..world };
    let dt = Timestep { text: reported.dt.to_string(), seconds: reported.dt };
    let conditions =
        Conditions { seed: reported.seed, threads: reported.threads.max(1) as usize, ..Conditions::with_dt(dt) };
    Ok((world, conditions))
}

fn part_of(dimension: Dimension, row: &raw::Part, numbers: &[f64]) -> Result<Part, String> {
    let first = row.first_number as usize;
    let numbers = numbers.get(first..first + row.number_count as usize).ok_or("numbers beyond the list")?;
    let points = || numbers.chunks_exact(2).map(|point| DVec2::new(point[0], point[1])).collect();
    let shape: Shape = match (row.shape, numbers) {
        (0, &[radius]) => PlaneShape::Disc(radius).into(),
        (1, &[width, height]) => PlaneShape::Box(DVec2::new(width, height)).into(),
        (1, &[width, height, depth]) => SpaceShape::Box(DVec3::new(width, height, depth)).into(),
        (2, _) => PlaneShape::Polygon(points()).into(),
        (3, &[length, radius]) => match dimension {
            Dimension::Plane => PlaneShape::Capsule { length, radius }.into(),
            Dimension::Space => SpaceShape::Capsule { length, radius }.into(),
        },
        (4, _) => PlaneShape::Polyline(points()).into(),
        (5, &[x, y]) => PlaneShape::HalfPlane(DVec2::new(x, y)).into(),
        (6, &[radius]) => SpaceShape::Sphere(radius).into(),
        (7, &[x, y, z]) => SpaceShape::HalfSpace(DVec3::new(x, y, z)).into(),
        (8, &[length, radius]) => SpaceShape::Cylinder { length, radius }.into(),
        (9, _) => SpaceShape::Hull(Arc::new(Hull::new(&triples(numbers)).map_err(|error| error.to_string())?)).into(),
        (10, [count, rest @ ..]) => mesh_of(*count, rest)?.into(),
        (kind, numbers) => return Err(format!("a shape of kind {kind} with {} numbers", numbers.len())),
    };
    Ok(Part {
        shape,
        pose: pose(dimension, row.position, row.rotation, row.angle),
        material: row.material as usize,
        sensor: row.sensor != 0,
    })
}

fn triples(numbers: &[f64]) -> Vec<DVec3> {
    numbers.as_chunks::<3>().0.iter().map(|&point| DVec3::from_array(point)).collect()
}

/// A surface from the number of its points, their coordinates, and three numbers of points a face.
fn mesh_of(count: f64, rest: &[f64]) -> Result<SpaceShape, String> {
    let coordinates = 3 * count.clamp(0.0, TriangleMesh::MOST as f64) as usize;
    let (points, faces) = rest.split_at_checked(coordinates).ok_or("a mesh with fewer numbers than its points")?;
    let faces = faces.as_chunks::<3>().0.iter().map(|face| face.map(|number| number as u32)).collect();
    let mesh = TriangleMesh::new(triples(points), faces).map_err(|error| error.to_string())?;
    Ok(SpaceShape::Mesh(Arc::new(mesh)))
}

fn body_of(dimension: Dimension, row: &raw::Body, name: String, parts: Vec<Part>) -> Result<Body, String> {
    let [xx, yy, zz, xy, xz, yz] = row.inertia;
    Ok(Body {
        name,
        kind: match row.kind {
            0 => BodyKind::Static,
            1 => BodyKind::Kinematic,
            2 => BodyKind::Dynamic,
            other => return Err(format!("a body of kind {other}")),
        },
        pose: pose(dimension, row.position, row.rotation, row.angle),
        velocity: vector(row.velocity),
        spin: vector(row.spin),
        mass: row.mass,
        inertia: Inertia(DMat3::from_cols(vector([xx, xy, xz]), vector([xy, yy, yz]), vector([xz, yz, zz]))),
        gravity_factor: row.gravity_factor,
        linear_damping: row.linear_damping,
        angular_damping: row.angular_damping,
        fixed_turn: row.fixed_turn != 0,
        ccd: row.swept != 0,
        layers: row.layers,
        collision_mask: row.meets,
        absent: row.absent != 0,
        parts,
    })
}

fn joint_of(row: &raw::Joint, bodies: &[Body]) -> Result<Joint, String> {
    let limits = (row.has_limits != 0).then_some(row.limits);
    let kind = match row.kind {
        0 => JointKind::Rod,
        1 => JointKind::Spring { stiffness: row.stiffness, damping: row.damping },
        2 => JointKind::Hinge { limits },
        3 => JointKind::Slider { limits },
        4 => JointKind::Weld,
        6 => JointKind::Socket,
        5 => JointKind::Rope,
        other => return Err(format!("a joint of kind {other}")),
    };
    let [ax, ay, az, bx, by, bz] = row.anchors;
    let ids = row.bodies.map(|id| id as usize);
    // A wrong id is for the engine to refuse.
    let rotations = ids.map(|id| bodies.get(id).map_or(DQuat::IDENTITY, |body| body.pose.rotation));
    // Of a hinge in a world of the plane it may be left at nothing.
    let axis = if vector(row.axis) == DVec3::ZERO { DVec3::Z } else { vector(row.axis) };
    Ok(Joint {
        kind,
        bodies: ids,
        frames: JointFrame::pair([vector([ax, ay, az]), vector([bx, by, bz])], axis, rotations),
        length: (row.has_length != 0).then_some(row.length),
    })
}

/// The id and the action of an action.
///
/// # Errors
/// For a kind that is not known.
///
/// # Safety
/// As many pieces as are counted must stand where the action says.
pub unsafe fn action_of(
    dimension: Dimension,
    ids: &WireIds,
    reported: &raw::Action,
) -> Result<(usize, Effect), String> {
    let node = (reported.has_node != 0).then_some(reported.node as usize);
    let id = ids.inside(reported.body as usize, node).ok_or("an action on a body that there is not")?;
    let (given, point) = (vector(reported.vector), (reported.has_point != 0).then(|| vector(reported.point)));
    let effect = match reported.kind {
        0 => Effect::Impulse { impulse: given, point },
        1 => Effect::Force { force: given, point },
        2 => Effect::Torque(given),
        3 => Effect::Velocity(given),
        4 => Effect::Spin(given),
        5 => Effect::Place(pose(dimension, reported.vector, reported.rotation, reported.angle)),
        6 => Effect::Remove,
        7 => Effect::Add,
        // The caller guarantees it.
        8 => Effect::Split(
            unsafe { list(reported.pieces, reported.piece_count) }.iter().map(|&id| id as usize).collect(),
        ),
        9 => Effect::Gravity(given),
        10 => Effect::Shift(given),
        11 => Effect::Hold(reported.held != 0),
        other => return Err(format!("an action of kind {other}")),
    };
    Ok((id, effect))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::v2::{Packed, PackedAction};
    use ironspin_model::{NodeSpring, NodeTraits, Pin, Pressure, SoftBody, Stick, Yield, about_z};

    fn conditions() -> Conditions {
        Conditions { seed: 7, threads: 3, ..Conditions::with_dt("0.0125".parse().unwrap()) }
    }

    fn body(shape: impl Into<Shape>, pose: Pose) -> Body {
        Body {
            pose,
            velocity: DVec3::new(1.0, 2.0, 0.0),
            spin: about_z(3.0),
            mass: 4.0,
            inertia: Inertia::planar(5.0),
            parts: vec![Part { pose, ..Part::solid(shape, 0) }],
            ..Body::plain("körper")
        }
    }

    fn world(dimension: Dimension) -> World {
        let mut world = World { dimension, gravity: DVec3::new(0.5, -9.81, 0.0), ..World::planar(f64::INFINITY) };
        world.materials = vec![Material { name: "iron".into(), density: 1.0, friction: 0.3, restitution: 0.1 }];
        world.pairs = vec![PairMaterial { between: [0, 0], friction: 0.2, restitution: 0.4 }];
        with_bodies(&mut world);
        world
    }

    /// A ring of three nodes, the first held.
    fn with_ring(mut world: World) -> World {
        let traits = NodeTraits {
            name: "ring".into(),
            material: 0,
            radius: 0.1,
            layers: 2,
            collision_mask: 7,
            gravity_factor: 0.5,
            damping: 0.2,
            ccd: true,
            absent: false,
            dimension: Dimension::Plane,
        };
        let first = world.bodies.len();
        for (i, at) in [DVec3::ZERO, DVec3::X, DVec3::Y].into_iter().enumerate() {
            world.bodies.push(traits.node(&format!("[{i}]"), at, DVec3::X, i as f64));
        }
        let spring = |a: usize, b: usize| NodeSpring { ends: [a, b], length: 0.9, stiffness: 20.0, damping: 0.1 };
        world.softs.push(SoftBody {
            name: "ring".into(),
            nodes: first..first + 3,
            material: 0,
            radius: 0.1,
            self_contact: true,
            springs: vec![spring(0, 1), spring(1, 2)],
            skin: vec![[0, 1], [1, 2], [2, 0]],
            cells: vec![[0, 1, 2]],
            pressure: Some(Pressure { amount: 3.0, outside: 1.0 }),
            ..SoftBody::default()
        });
        world.excluded_pairs = (first..first + 3).map(|node| [0, node]).collect();
        world
    }

    #[test]
    fn soft_bodies_come_back_as_they_were_and_a_world_without_them_has_its_older_size() {
        let world = with_ring(world(Dimension::Plane));
        let packed = Packed::new(&world, &conditions());
        // The lists stand in `packed`.
        assert_eq!(unsafe { world_of(packed.world()) }.unwrap().0, world);
        assert_eq!(packed.world().apart_count, 1);
        let rigid = Packed::new(&super::tests::world(Dimension::Plane), &conditions());
        assert_eq!(rigid.world().size, RIGID_SIZE);
        let mut wrong = *packed.world();
        wrong.spring_count = 1;
        assert!(unsafe { world_of(&wrong) }.unwrap_err().contains("beyond its end"));
        let mut with_laws = world.clone();
        with_laws.softs[0].sticks = vec![Stick { ends: [0, 2], length: 0.7 }];
        with_laws.softs[0].matching = Some(5.0);
        with_laws.softs[0].yielding = Some(Yield { strain: 0.1, most: 0.4 });
        let longer = Packed::new(&with_laws, &conditions());
        assert_eq!(unsafe { world_of(longer.world()) }.unwrap().0, with_laws);
        assert_eq!([packed.world().size, longer.world().size], [SPRING_SIZE, LAW_SIZE]);
        with_laws.softs[0].pins = vec![Pin { node: 1, body: 0, point: DVec3::new(0.1, 0.2, 0.0) }];
        let longest = Packed::new(&with_laws, &conditions());
        assert_eq!(unsafe { world_of(longest.world()) }.unwrap().0, with_laws);
        let mut wrong = *longest.world();
        wrong.soft_count = 0;
        assert!(unsafe { world_of(&wrong) }.unwrap_err().contains("a pin of soft body 0"));
        let ids = WireIds::of(&world);
        for (id, effect) in [(7, Effect::Hold(true)), (9, Effect::Shift(DVec3::X))] {
            let packed = PackedAction::new(&ids, id, &effect);
            assert_eq!(unsafe { action_of(Dimension::Plane, &ids, packed.action()) }, Ok((id, effect)));
        }
    }

    fn with_bodies(world: &mut World) {
        match world.dimension {
            Dimension::Plane => {
                let pose = Pose::planar(DVec3::new(1.0, -1.0, 0.0), 7.25);
                for shape in [
                    PlaneShape::Disc(0.5),
                    PlaneShape::Box(DVec2::new(1.0, 2.0)),
                    PlaneShape::Polygon(vec![DVec2::ZERO, DVec2::X, DVec2::Y]),
                    PlaneShape::Capsule { length: 1.5, radius: 0.25 },
                    PlaneShape::Polyline(vec![DVec2::ZERO, DVec2::X]),
                    PlaneShape::HalfPlane(DVec2::Y),
                ] {
                    world.bodies.push(body(shape, pose));
                }
                let frames = JointFrame::pair(
                    [DVec3::X, DVec3::Y],
                    DVec3::X,
                    [world.bodies[0].pose.rotation, world.bodies[1].pose.rotation],
                );
                let kind = JointKind::Slider { limits: Some([-1.0, 1.0]) };
                world.joints = vec![Joint { kind, bodies: [0, 1], frames, length: None }];
            }
            Dimension::Space => {
                let rotation = DQuat::from_xyzw(0.5, -0.5, 0.5, 0.5);
                let pose = Pose { position: DVec3::new(1.0, 2.0, 3.0), rotation, angle: 0.0 };
                for shape in [
                    SpaceShape::Sphere(0.5),
                    SpaceShape::Box(DVec3::new(1.0, 2.0, 3.0)),
                    SpaceShape::HalfSpace(DVec3::Z),
                ] {
                    let mut body = body(shape, pose);
                    body.spin = DVec3::new(4.0, 5.0, 6.0);
                    body.inertia.0 = DMat3::from_cols(
                        DVec3::new(1.0, 0.1, -0.2),
                        DVec3::new(0.1, 2.0, 0.3),
                        DVec3::new(-0.2, 0.3, 2.5),
                    );
                    world.bodies.push(body);
                }
                world.excluded_pairs = vec![[0, 1], [2, 1]];
            }
        }
    }

    #[test]
    fn worlds_of_both_dimensions_come_back_as_they_were() {
        for dimension in [Dimension::Plane, Dimension::Space] {
            let world = world(dimension);
            let packed = Packed::new(&world, &conditions());
            // The lists stand in `packed`.
            let (back, reported) = unsafe { world_of(packed.world()) }.unwrap();
            assert_eq!(back, world);
            assert_eq!((reported.seed, reported.threads, reported.dt.seconds), (7, 3, 0.0125));
            let wrong = raw::World { size: 8, ..*packed.world() };
            assert!(unsafe { world_of(&wrong) }.unwrap_err().contains("8 bytes"));
            let wrong = raw::World { space: 4, ..*packed.world() };
            assert!(unsafe { world_of(&wrong) }.unwrap_err().contains("neither two nor three"));
        }
    }

    #[test]
    fn numbers_that_mean_nothing_are_refused_and_not_followed() {
        let world = world(Dimension::Space);
        for (part, change) in [
            ("numbers beyond the list", (|p| p.first_number = 99) as fn(&mut raw::Part)),
            ("numbers beyond the list", |p| p.number_count = 999),
            ("a shape of kind 77 with 1 numbers", |p| p.shape = 77),
            ("a shape of kind 7 with 1 numbers", |p| p.shape = 7),
        ] {
            let packed = Packed::new(&world, &conditions());
            let mut changed = *packed.world();
            // The lists stand in `packed`, which lives longer than the copy.
            let mut parts = unsafe { std::slice::from_raw_parts(changed.parts, changed.part_count as usize) }.to_vec();
            change(&mut parts[0]);
            changed.parts = parts.as_ptr();
            let said = unsafe { world_of(&changed) }.unwrap_err();
            assert!(said.contains(part), "`{part}` not in `{said}`");
        }
    }

    #[test]
    fn actions_come_back_as_they_were() {
        let push = DVec3::new(0.1, -2.0, 3.0);
        let ids = WireIds::of(&world(Dimension::Space));
        let turned = Pose { position: push, rotation: DQuat::from_xyzw(0.5, -0.5, 0.5, 0.5), angle: 0.0 };
        for effect in [
            Effect::Impulse { impulse: push, point: Some(DVec3::ONE) },
            Effect::Force { force: push, point: None },
            Effect::Torque(push),
            Effect::Velocity(push),
            Effect::Spin(push),
            Effect::Place(turned),
            Effect::Remove,
            Effect::Add,
            Effect::Split(vec![3, 4]),
            Effect::Gravity(push),
            Effect::Shift(push),
            Effect::Hold(true),
            Effect::Hold(false),
        ] {
            let packed = PackedAction::new(&ids, 2, &effect);
            // The list stands in `packed`.
            assert_eq!(unsafe { action_of(Dimension::Space, &ids, packed.action()) }, Ok((2, effect)));
        }
        let wrong = raw::Action { kind: 77, ..*PackedAction::new(&ids, 2, &Effect::Remove).action() };
        assert!(unsafe { action_of(Dimension::Space, &ids, &wrong) }.unwrap_err().contains("kind 77"));
    }
}
