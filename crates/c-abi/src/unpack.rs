//! Plain arrays as worlds and actions.
#![allow(unsafe_code)]

use crate::raw;
use ironspin_model::{
    Body, BodyKind, Conditions, DVec2, DVec3, Effect, Joint, JointKind, Material, PairMaterial, Part, Shape, Timestep,
    World,
};
use std::ffi::{CStr, c_char};

/// # Safety
/// `count` items must stand there unless it is 0.
unsafe fn list<'a, T>(items: *const T, count: u64) -> &'a [T] {
    if count == 0 || items.is_null() {
        return &[];
    }
    // The caller guarantees it.
    unsafe { std::slice::from_raw_parts(items, count as usize) }
}

/// # Safety
/// A text that ends with a zero must stand there, or nothing.
unsafe fn text(text: *const c_char) -> String {
    if text.is_null() {
        return String::new();
    }
    // The caller guarantees it.
    unsafe { CStr::from_ptr(text) }.to_string_lossy().into_owned()
}

fn plane([x, y]: [f64; 2]) -> DVec2 {
    DVec2::new(x, y)
}

fn space(v: [f64; 2]) -> DVec3 {
    plane(v).extend(0.0)
}

/// The world that stands in some arrays, and its conditions.
///
/// # Errors
/// Says what is wrong with it.
///
/// # Safety
/// Every pointer must lead to as many items as the counts beside it say.
pub unsafe fn world_of(reported: &raw::World) -> Result<(World, Conditions), String> {
    if reported.size != size_of::<raw::World>() as u64 {
        return Err(format!("a world of {} bytes, and {} are due", reported.size, size_of::<raw::World>()));
    }
    // The caller guarantees it, here and below.
    let (parts, numbers) =
        unsafe { (list(reported.parts, reported.part_count), list(reported.numbers, reported.number_count)) };
    let bodies = unsafe { list(reported.bodies, reported.body_count) };
    let bodies = bodies
        .iter()
        .map(|row| {
            let name = unsafe { text(row.name) };
            let first = row.first_part as usize;
            let rows = parts.get(first..first + row.part_count as usize).ok_or("parts beyond the list")?;
            let parts = rows.iter().map(|part| part_of(part, numbers)).collect::<Result<_, String>>()?;
            body_of(row, name, parts)
        })
        .collect::<Result<Vec<_>, String>>()?;
    let world = World {
        space: u8::try_from(reported.space).map_err(|_| "a space of many dimensions")?,
        gravity: space(reported.gravity),
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
        joints: unsafe { list(reported.joints, reported.joint_count) }
            .iter()
            .map(joint_of)
            .collect::<Result<_, _>>()?,
        apart: unsafe { list(reported.apart, 2 * reported.apart_count) }
            .chunks_exact(2)
            .map(|pair| [pair[0] as usize, pair[1] as usize])
            .collect(),
        ..World::planar(f64::INFINITY)
    };
    let dt = Timestep { text: reported.dt.to_string(), seconds: reported.dt };
    let conditions =
        Conditions { seed: reported.seed, threads: reported.threads.max(1) as usize, ..Conditions::with_dt(dt) };
    Ok((world, conditions))
}

fn part_of(row: &raw::Part, numbers: &[f64]) -> Result<Part, String> {
    let first = row.first_number as usize;
    let numbers = numbers.get(first..first + row.number_count as usize).ok_or("numbers beyond the list")?;
    let points = || numbers.chunks_exact(2).map(|point| DVec2::new(point[0], point[1])).collect();
    let shape = match (row.shape, numbers) {
        (0, &[radius]) => Shape::Disc(radius),
        (1, &[width, height]) => Shape::Box(DVec2::new(width, height)),
        (2, _) => Shape::Polygon(points()),
        (3, &[length, radius]) => Shape::Capsule { length, radius },
        (4, _) => Shape::Polyline(points()),
        (5, &[x, y]) => Shape::HalfPlane(DVec2::new(x, y)),
        (kind, numbers) => return Err(format!("a shape of kind {kind} with {} numbers", numbers.len())),
    };
    Ok(Part {
        shape,
        position: plane(row.position),
        angle: row.angle,
        material: row.material as usize,
        sensor: row.sensor != 0,
    })
}

fn body_of(row: &raw::Body, name: String, parts: Vec<Part>) -> Result<Body, String> {
    Ok(Body {
        name,
        kind: match row.kind {
            0 => BodyKind::Static,
            1 => BodyKind::Kinematic,
            2 => BodyKind::Dynamic,
            other => return Err(format!("a body of kind {other}")),
        },
        position: space(row.position),
        angle: row.angle,
        velocity: space(row.velocity),
        spin: row.spin,
        mass: row.mass,
        inertia: row.inertia,
        gravity_factor: row.gravity_factor,
        linear_damping: row.linear_damping,
        angular_damping: row.angular_damping,
        fixed_turn: row.fixed_turn != 0,
        swept: row.swept != 0,
        layers: row.layers,
        meets: row.meets,
        absent: row.absent != 0,
        parts,
    })
}

fn joint_of(row: &raw::Joint) -> Result<Joint, String> {
    let limits = (row.has_limits != 0).then_some(row.limits);
    let kind = match row.kind {
        0 => JointKind::Rod,
        1 => JointKind::Spring { stiffness: row.stiffness, damping: row.damping },
        2 => JointKind::Hinge { limits },
        3 => JointKind::Slider { axis: plane(row.axis), limits },
        4 => JointKind::Weld,
        5 => JointKind::Rope,
        other => return Err(format!("a joint of kind {other}")),
    };
    let [ax, ay, bx, by] = row.anchors;
    Ok(Joint {
        kind,
        bodies: row.bodies.map(|id| id as usize),
        at: [DVec2::new(ax, ay), DVec2::new(bx, by)],
        length: (row.has_length != 0).then_some(row.length),
    })
}

/// The body and the action of an action.
///
/// # Errors
/// For a kind that is not known.
///
/// # Safety
/// As many pieces as are counted must stand where the action says.
pub unsafe fn action_of(reported: &raw::Action) -> Result<(usize, Effect), String> {
    let (vector, point) = (space(reported.vector), (reported.has_point != 0).then(|| space(reported.point)));
    let effect = match reported.kind {
        0 => Effect::Impulse { impulse: vector, point },
        1 => Effect::Force { force: vector, point },
        2 => Effect::Torque(reported.number),
        3 => Effect::Velocity(vector),
        4 => Effect::Spin(reported.number),
        5 => Effect::Place { position: vector, angle: reported.number },
        6 => Effect::Remove,
        7 => Effect::Add,
        // The caller guarantees it.
        8 => Effect::Split(
            unsafe { list(reported.pieces, reported.piece_count) }.iter().map(|&id| id as usize).collect(),
        ),
        9 => Effect::Gravity(vector),
        other => return Err(format!("an action of kind {other}")),
    };
    Ok((reported.body as usize, effect))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Packed, PackedAction};

    fn world() -> World {
        let mut world = World { gravity: DVec3::new(0.5, -9.81, 0.0), ..World::planar(f64::INFINITY) };
        world.materials = vec![
            Material { name: "iron ü".into(), density: 1.0, friction: 0.3, restitution: 0.1 },
            Material { name: "brass".into(), density: 1.0, friction: 0.7, restitution: 0.9 },
        ];
        world.pairs = vec![PairMaterial { between: [1, 0], friction: 0.2, restitution: 0.4 }];
        let shapes = [
            Shape::Disc(0.5),
            Shape::Box(DVec2::new(1.0, 2.0)),
            Shape::Polygon(vec![DVec2::ZERO, DVec2::X, DVec2::Y]),
            Shape::Capsule { length: 1.5, radius: 0.25 },
            Shape::Polyline(vec![DVec2::ZERO, DVec2::X, DVec2::ONE]),
            Shape::HalfPlane(DVec2::Y),
        ];
        for (number, shape) in shapes.into_iter().enumerate() {
            let parts = vec![
                Part {
                    position: DVec2::new(0.1, 0.2),
                    angle: 0.3,
                    sensor: number == 1,
                    ..Part::solid(shape, number % 2)
                },
                Part::solid(Shape::Disc(0.125), 0),
            ];
            world.bodies.push(Body {
                kind: [BodyKind::Static, BodyKind::Kinematic, BodyKind::Dynamic][number % 3],
                position: DVec3::new(number as f64, -1.0, 0.0),
                angle: 0.25,
                velocity: DVec3::new(1.0, 2.0, 0.0),
                spin: 3.0,
                mass: 4.0,
                inertia: 5.0,
                gravity_factor: 0.5,
                linear_damping: 0.1,
                angular_damping: 0.2,
                fixed_turn: number == 2,
                swept: number == 3,
                layers: 6,
                meets: 9,
                absent: number == 4,
                parts,
                ..Body::plain(format!("körper[{number}]"))
            });
        }
        let kinds = [
            JointKind::Rod,
            JointKind::Spring { stiffness: 7.0, damping: 0.5 },
            JointKind::Hinge { limits: Some([-1.0, 1.0]) },
            JointKind::Slider { axis: DVec2::X, limits: None },
            JointKind::Weld,
            JointKind::Rope,
        ];
        world.joints = kinds
            .into_iter()
            .enumerate()
            .map(|(number, kind)| Joint {
                kind,
                bodies: [number, (number + 1) % 6],
                at: [DVec2::new(0.1, 0.2), DVec2::new(0.3, 0.4)],
                length: (number == 0).then_some(2.5),
            })
            .collect();
        world.apart = vec![[0, 1], [5, 2]];
        world
    }

    #[test]
    fn worlds_come_back_as_they_were() {
        let world = world();
        let dt: Timestep = "0.0125".parse().unwrap();
        let conditions = Conditions { seed: 7, threads: 3, ..Conditions::with_dt(dt) };
        let packed = Packed::new(&world, &conditions);
        // The lists stand in `packed`.
        let (back, reported) = unsafe { world_of(packed.world()) }.unwrap();
        assert_eq!(back, world);
        assert_eq!((reported.seed, reported.threads, reported.dt.seconds), (7, 3, 0.0125));
        let wrong = raw::World { size: 8, ..*packed.world() };
        assert!(unsafe { world_of(&wrong) }.unwrap_err().contains("8 bytes"));
    }

    #[test]
    fn effects_come_back_as_they_were() {
        let (vector, point) = (DVec3::new(1.0, 2.0, 0.0), Some(DVec3::new(3.0, 4.0, 0.0)));
        for effect in [
            Effect::Impulse { impulse: vector, point },
            Effect::Force { force: vector, point: None },
            Effect::Torque(1.5),
            Effect::Velocity(vector),
            Effect::Spin(2.5),
            Effect::Place { position: vector, angle: 0.5 },
            Effect::Remove,
            Effect::Add,
            Effect::Split(vec![4, 9]),
            Effect::Gravity(vector),
        ] {
            let packed = PackedAction::new(3, &effect);
            assert_eq!(unsafe { action_of(packed.action()) }, Ok((3, effect)));
        }
    }
}
