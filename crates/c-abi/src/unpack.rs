//! Plain arrays as worlds and actions.
#![allow(unsafe_code)]

use crate::raw;
use ironspin_model::{
    Body, BodyKind, Conditions, DQuat, DVec2, DVec3, Dimension, Effect, Inertia, Joint, JointFrame, JointKind,
    Material, PairMaterial, Part, PlaneShape, Pose, Timestep, World, about_z,
};
use std::ffi::{CStr, c_char};

/// # Safety
/// `count` items must stand there unless it is 0.
pub(crate) unsafe fn list<'a, T>(items: *const T, count: u64) -> &'a [T] {
    if count == 0 || items.is_null() {
        return &[];
    }
    // The caller guarantees it.
    unsafe { std::slice::from_raw_parts(items, count as usize) }
}

/// # Safety
/// A text that ends with a zero must stand there, or nothing.
pub(crate) unsafe fn text(text: *const c_char) -> String {
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
        dimension: Dimension::of_number(u64::from(reported.space))
            .ok_or("a world of neither two nor three dimensions")?,
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
        joints: unsafe { list(reported.joints, reported.joint_count) }
            .iter()
            .map(|row| joint_of(row, &bodies))
            .collect::<Result<_, _>>()?,
        bodies,
        excluded_pairs: unsafe { list(reported.apart, 2 * reported.apart_count) }
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
        (0, &[radius]) => PlaneShape::Disc(radius),
        (1, &[width, height]) => PlaneShape::Box(DVec2::new(width, height)),
        (2, _) => PlaneShape::Polygon(points()),
        (3, &[length, radius]) => PlaneShape::Capsule { length, radius },
        (4, _) => PlaneShape::Polyline(points()),
        (5, &[x, y]) => PlaneShape::HalfPlane(DVec2::new(x, y)),
        (kind, numbers) => return Err(format!("a shape of kind {kind} with {} numbers", numbers.len())),
    };
    Ok(Part {
        shape: shape.into(),
        pose: Pose::flat(plane(row.position), row.angle),
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
        pose: Pose::planar(space(row.position), row.angle),
        velocity: space(row.velocity),
        spin: about_z(row.spin),
        mass: row.mass,
        inertia: Inertia::planar(row.inertia),
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
        5 => JointKind::Rope,
        other => return Err(format!("a joint of kind {other}")),
    };
    let [ax, ay, bx, by] = row.anchors;
    let ids = row.bodies.map(|id| id as usize);
    // A wrong id is for the engine to refuse.
    let rotations = ids.map(|id| bodies.get(id).map_or(DQuat::IDENTITY, |body| body.pose.rotation));
    let axis = if row.kind == 3 { space(row.axis) } else { DVec3::Z };
    Ok(Joint {
        kind,
        bodies: ids,
        frames: JointFrame::pair([space([ax, ay]), space([bx, by])], axis, rotations),
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
        2 => Effect::Torque(about_z(reported.number)),
        3 => Effect::Velocity(vector),
        4 => Effect::Spin(about_z(reported.number)),
        5 => Effect::Place(Pose::planar(vector, reported.number)),
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
            PlaneShape::Disc(0.5),
            PlaneShape::Box(DVec2::new(1.0, 2.0)),
            PlaneShape::Polygon(vec![DVec2::ZERO, DVec2::X, DVec2::Y]),
            PlaneShape::Capsule { length: 1.5, radius: 0.25 },
            PlaneShape::Polyline(vec![DVec2::ZERO, DVec2::X, DVec2::ONE]),
            PlaneShape::HalfPlane(DVec2::Y),
        ];
        for (number, shape) in shapes.into_iter().enumerate() {
            let parts = vec![
                Part {
                    pose: Pose::flat(DVec2::new(0.1, 0.2), 0.3),
                    sensor: number == 1,
                    ..Part::solid(shape, number % 2)
                },
                Part::solid(PlaneShape::Disc(0.125), 0),
            ];
            world.bodies.push(Body {
                kind: [BodyKind::Static, BodyKind::Kinematic, BodyKind::Dynamic][number % 3],
                pose: Pose::planar(DVec3::new(number as f64, -1.0, 0.0), 0.25),
                velocity: DVec3::new(1.0, 2.0, 0.0),
                spin: about_z(3.0),
                mass: 4.0,
                inertia: Inertia::planar(5.0),
                gravity_factor: 0.5,
                linear_damping: 0.1,
                angular_damping: 0.2,
                fixed_turn: number == 2,
                ccd: number == 3,
                layers: 6,
                collision_mask: 9,
                absent: number == 4,
                parts,
                ..Body::plain(format!("körper[{number}]"))
            });
        }
        let kinds = [
            JointKind::Rod,
            JointKind::Spring { stiffness: 7.0, damping: 0.5 },
            JointKind::Hinge { limits: Some([-1.0, 1.0]) },
            JointKind::Slider { limits: None },
            JointKind::Weld,
            JointKind::Rope,
        ];
        world.joints = kinds
            .into_iter()
            .enumerate()
            .map(|(number, kind)| Joint {
                kind,
                bodies: [number, (number + 1) % 6],
                frames: JointFrame::pair(
                    [DVec3::new(0.1, 0.2, 0.0), DVec3::new(0.3, 0.4, 0.0)],
                    if matches!(kind, JointKind::Slider { .. }) { DVec3::X } else { DVec3::Z },
                    [0, 1].map(|id: usize| world.bodies[id].pose.rotation),
                ),
                length: (number == 0).then_some(2.5),
            })
            .collect();
        world.excluded_pairs = vec![[0, 1], [5, 2]];
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

    /// What is said of a packed world in which something is changed.
    fn refused(change: impl FnOnce(&mut raw::World, &mut Vec<raw::Body>, &mut Vec<raw::Part>)) -> String {
        let packed = Packed::new(&world(), &Conditions::with_dt("0.5".parse().unwrap()));
        let mut changed = *packed.world();
        // The lists stand in `packed`, which lives longer than the copies.
        let (mut bodies, mut parts) = unsafe {
            let bodies = std::slice::from_raw_parts(changed.bodies, changed.body_count as usize).to_vec();
            (bodies, std::slice::from_raw_parts(changed.parts, changed.part_count as usize).to_vec())
        };
        change(&mut changed, &mut bodies, &mut parts);
        (changed.bodies, changed.parts) = (bodies.as_ptr(), parts.as_ptr());
        unsafe { world_of(&changed) }.unwrap_err()
    }

    #[test]
    fn numbers_that_mean_nothing_are_refused_and_not_followed() {
        for (part, said) in [
            ("neither two nor three dimensions", refused(|world, _, _| world.space = 4)),
            ("parts beyond the list", refused(|_, bodies, _| bodies[2].first_part = 99)),
            ("parts beyond the list", refused(|_, bodies, _| bodies[0].part_count = 99)),
            ("numbers beyond the list", refused(|_, _, parts| parts[3].first_number = 99)),
            ("numbers beyond the list", refused(|_, _, parts| parts[0].number_count = 999)),
            ("a shape of kind 77 with 1 numbers", refused(|_, _, parts| parts[0].shape = 77)),
            ("a shape of kind 1 with 1 numbers", refused(|_, _, parts| parts[0].shape = 1)),
            ("a body of kind 5", refused(|_, bodies, _| bodies[1].kind = 5)),
        ] {
            assert!(said.contains(part), "`{part}` not in `{said}`");
        }
    }

    #[test]
    fn a_library_may_be_asked_for_no_thread_at_all_and_gets_one() {
        let packed = Packed::new(&world(), &Conditions::with_dt("0.5".parse().unwrap()));
        let idle = raw::World { threads: 0, ..*packed.world() };
        assert_eq!(unsafe { world_of(&idle) }.unwrap().1.threads, 1);
    }

    #[test]
    fn counts_of_nothing_need_no_list() {
        let packed = Packed::new(&World::planar(f64::INFINITY), &Conditions::with_dt("0.5".parse().unwrap()));
        let mut empty = *packed.world();
        empty.bodies = std::ptr::null();
        (empty.parts, empty.numbers, empty.joints) = (std::ptr::null(), std::ptr::null(), std::ptr::null());
        (empty.materials, empty.pairs, empty.apart) = (std::ptr::null(), std::ptr::null(), std::ptr::null());
        assert_eq!(unsafe { world_of(&empty) }.unwrap().0, World::planar(f64::INFINITY));
    }

    #[test]
    fn a_joint_to_a_body_that_is_not_there_is_for_the_engine_to_refuse() {
        let mut wrong = world();
        wrong.joints[0].bodies = [0, 99];
        let packed = Packed::new(&wrong, &Conditions::with_dt("0.5".parse().unwrap()));
        assert_eq!(unsafe { world_of(packed.world()) }.unwrap().0.joints[0].bodies, [0, 99]);
    }

    #[test]
    fn a_name_with_a_zero_in_it_reaches_c_whole() {
        let mut odd = world();
        odd.bodies[0].name = "in\0got".to_owned();
        odd.materials[0].name = String::new();
        let packed = Packed::new(&odd, &Conditions::with_dt("0.5".parse().unwrap()));
        let back = unsafe { world_of(packed.world()) }.unwrap().0;
        assert_eq!((back.bodies[0].name.as_str(), back.materials[0].name.as_str()), ("in?got", ""));
    }

    #[test]
    fn an_action_of_an_unknown_kind_is_refused() {
        let packed = PackedAction::new(3, &Effect::Remove);
        let odd = raw::Action { kind: 42, ..*packed.action() };
        assert_eq!(unsafe { action_of(&odd) }, Err("an action of kind 42".to_owned()));
        // A split into nothing needs no list.
        let none = raw::Action { kind: 8, piece_count: 0, pieces: std::ptr::null(), ..*packed.action() };
        assert_eq!(unsafe { action_of(&none) }, Ok((3, Effect::Split(Vec::new()))));
    }

    #[test]
    fn effects_come_back_as_they_were() {
        let (vector, point) = (DVec3::new(1.0, 2.0, 0.0), Some(DVec3::new(3.0, 4.0, 0.0)));
        for effect in [
            Effect::Impulse { impulse: vector, point },
            Effect::Force { force: vector, point: None },
            Effect::Torque(about_z(1.5)),
            Effect::Velocity(vector),
            Effect::Spin(about_z(2.5)),
            Effect::Place(Pose::planar(vector, 0.5)),
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
