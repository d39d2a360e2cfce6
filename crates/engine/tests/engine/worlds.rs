//! Worlds with known answers, shared by tests, the accuracy report and the benchmarks.

use crate::yard::{Bench, fixed, floor, solid, square, world};
use ironspin_model::{BodyKind, DVec2, DVec3, Inertia, Joint, JointFrame, JointKind, PlaneShape, World, about_z};

/// Gravity of these worlds, m/s².
pub(crate) const G: f64 = 9.81;
/// The step at which piles are judged, s.
pub(crate) const DT: f64 = 1.0 / 60.0;

pub(crate) fn stack(count: usize) -> World {
    let mut world = world(G, 0.6, 0.0);
    world.bodies.push(floor());
    for i in 0..count {
        world.bodies.push(solid(square(1.0), 0.0, 0.5 + i as f64));
    }
    world
}

pub(crate) fn pyramid(base: usize) -> World {
    let mut world = world(G, 0.6, 0.0);
    world.bodies.push(floor());
    for row in 0..base {
        for i in 0..base - row {
            world.bodies.push(solid(square(1.0), 1.1 * (i as f64 + 0.5 * row as f64), 0.5 + row as f64));
        }
    }
    world
}

/// Largest rms speed over `dt g` and largest creep, edge/s, over the last part of a run; panics when something moved away.
pub(crate) fn rest(world: World, options: &str, seconds: f64, from: f64) -> (f64, f64) {
    let mut bench = Bench::new(world, options, DT);
    let start = bench.frame.clone();
    bench.seconds(from, |_| {});
    let middle = bench.frame.clone();
    let mut squares = vec![0.0; start.bodies.len()];
    let mut frames = 0.0;
    bench.seconds(seconds - from, |frame| {
        frames += 1.0;
        for (sum, state) in squares.iter_mut().zip(&frame.bodies) {
            *sum += state.velocity.length_squared();
        }
    });
    let mut creep = 0.0_f64;
    for ((a, b), c) in start.bodies.iter().zip(&middle.bodies).zip(&bench.frame.bodies) {
        assert!(
            (c.pose.position - a.pose.position).length() < 0.3,
            "moved from {} to {}",
            a.pose.position,
            c.pose.position
        );
        creep = creep.max((c.pose.position - b.pose.position).length() / (seconds - from));
    }
    let rms = squares.iter().map(|sum| (sum / frames).sqrt()).fold(0.0, f64::max);
    (rms / (G * DT), creep)
}

/// Discs at rest points of a grid with speeds from a fixed generator, in a box without gravity.
pub(crate) fn gas(count: usize, side: f64) -> World {
    let mut world = world(0.0, 0.0, 1.0);
    for (x, y, normal) in
        [(0.0, 0.0, DVec2::Y), (0.0, 0.0, DVec2::X), (side, side, DVec2::NEG_Y), (side, side, DVec2::NEG_X)]
    {
        world.bodies.push(fixed(PlaneShape::HalfPlane(normal), x, y));
    }
    let columns = (count as f64).sqrt().ceil() as usize;
    let pitch = side / columns as f64;
    let mut seed = 12_345_u64;
    let mut random = || {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 11) as f64 / (1_u64 << 53) as f64 * 2.0 - 1.0
    };
    for i in 0..count {
        let (x, y) = ((i % columns) as f64 + 0.5, (i / columns) as f64 + 0.5);
        let mut disc = solid(PlaneShape::Disc(0.2 * pitch), x * pitch, y * pitch);
        disc.velocity = DVec3::new(random(), random(), 0.0);
        world.bodies.push(disc);
    }
    world
}

/// A slope falling to the right by `angle`, and a body on it that touches with its underside.
pub(crate) fn slope(angle: f64, friction: f64, shape: PlaneShape, under: f64) -> World {
    let mut world = world(G, friction, 0.0);
    let normal = DVec2::new(angle.sin(), angle.cos());
    world.bodies.push(fixed(PlaneShape::HalfPlane(normal), 0.0, 0.0));
    let at = normal * under;
    let mut body = solid(shape, at.x, at.y);
    body.pose.turn_to(-angle);
    world.bodies.push(body);
    world
}

/// Way down the slope after some seconds.
pub(crate) fn slid(angle: f64, friction: f64, shape: PlaneShape, under: f64, options: &str, seconds: f64) -> f64 {
    let mut bench = Bench::new(slope(angle, friction, shape, under), options, 1.0 / 240.0);
    let start = bench.position(1);
    bench.seconds(seconds, |_| {});
    (bench.position(1) - start).dot(DVec2::new(angle.cos(), -angle.sin()))
}

/// A mass on a spring without gravity: x'' = -w^2 x about the anchor at rest length 2.
pub(crate) fn oscillator(stiffness: f64, damping: f64) -> World {
    let mut world = world(0.0, 0.0, 0.0);
    world.bodies.push(fixed(square(0.1), 0.0, 0.0));
    let mut mass = solid(square(0.5), 2.5, 0.0);
    (mass.mass, mass.inertia) = (1.0, Inertia::planar(1.0));
    world.bodies.push(mass);
    let kind = JointKind::Spring { stiffness, damping };
    world.joints.push(Joint { kind, bodies: [0, 1], frames: JointFrame::planar([DVec2::ZERO; 2]), length: Some(2.0) });
    world
}

/// Error of place and speed against the closed form at time 1.
pub(crate) fn integration_error(integrator: &str, dt: f64) -> f64 {
    let w = 6.0_f64;
    let mut bench = Bench::new(oscillator(w * w, 0.0), &format!("integrator={integrator}"), dt);
    bench.seconds(1.0, |_| {});
    let (x, v) = (bench.position(1).x - 2.0, bench.velocity(1).x);
    ((x - 0.5 * w.cos()) * w).hypot(v + 0.5 * w * w.sin())
}

pub(crate) fn joint(kind: JointKind, bodies: [usize; 2], at: [(f64, f64); 2]) -> Joint {
    Joint { kind, bodies, frames: JointFrame::planar(at.map(|(x, y)| DVec2::new(x, y))), length: None }
}

/// A bar of length 1 hung at its end, let go at a small angle.
pub(crate) fn bar_pendulum(amplitude: f64) -> World {
    let mut world = world(G, 0.0, 0.0);
    world.bodies.push(fixed(square(0.1), 0.0, 0.0));
    let mut bar = solid(PlaneShape::Box(DVec2::new(0.1, 1.0)), 0.5 * amplitude.sin(), -0.5 * amplitude.cos());
    bar.pose.turn_to(amplitude);
    world.bodies.push(bar);
    world.joints.push(joint(JointKind::Hinge { limits: None }, [0, 1], [(0.0, 0.0), (0.0, 0.5)]));
    world
}

/// Mean period over whole swings, by the times at which the angle passes zero, interpolated.
pub(crate) fn period(bench: &mut Bench, body: usize, seconds: f64) -> f64 {
    let mut before: Option<(f64, f64)> = None;
    let mut crossings = Vec::new();
    bench.seconds(seconds, |frame| {
        let now = (frame.time, frame.bodies[body].pose.angle);
        if let Some((time, angle)) = before
            && angle < 0.0
            && now.1 >= 0.0
        {
            crossings.push(time + (now.0 - time) * angle / (angle - now.1));
        }
        before = Some(now);
    });
    (crossings[crossings.len() - 1] - crossings[0]) / (crossings.len() - 1) as f64
}

/// Lanes far from each other, each with a plate (resting, moving or turning) and a projectile shot at its middle.
pub(crate) fn range(dice: &mut Dice, lanes: usize) -> World {
    spaced_range(dice, lanes, 1e5)
}

/// The same with the lanes at a distance of one's choice, m.
pub(crate) fn spaced_range(dice: &mut Dice, lanes: usize, spacing: f64) -> World {
    let mut world = world(0.0, 0.3, 0.3);
    for lane in 0..lanes {
        let y = spacing * lane as f64;
        let thickness = 10_f64.powf(dice.roll(-3.0, -0.5));
        let mut plate = fixed(PlaneShape::Box(DVec2::new(thickness, 40.0)), 0.0, y);
        match lane % 3 {
            0 => {}
            1 => {
                plate.kind = BodyKind::Kinematic;
                plate.velocity = DVec3::new(dice.roll(-30.0, 30.0), 0.0, 0.0);
            }
            _ => {
                plate.kind = BodyKind::Kinematic;
                plate.spin = about_z(dice.roll(-1.0, 1.0));
            }
        }
        let speed = 10_f64.powf(dice.roll(0.5, 4.0));
        let size = dice.roll(0.01, 0.3);
        let shape = match lane % 4 {
            0 => PlaneShape::Disc(size),
            1 => PlaneShape::Box(DVec2::new(size, 0.5 * size)),
            2 => PlaneShape::Capsule { length: size, radius: 0.3 * size },
            _ => PlaneShape::Polygon(vec![
                DVec2::new(-size, -size),
                DVec2::new(size, -0.8 * size),
                DVec2::new(0.0, size),
            ]),
        };
        // Close enough to arrive within a few steps, far enough to be outside.
        let start = dice.roll(1.5, 2.0) + speed * dice.roll(0.0, 0.05);
        let mut shot = solid(shape, -start, y + dice.roll(-0.5, 0.5));
        (shot.velocity, shot.spin) = (DVec3::new(speed, 0.0, 0.0), about_z(dice.roll(-50.0, 50.0)));
        world.bodies.extend([plate, shot]);
    }
    world
}

/// Shots that ended on the far side of their plate, in the plate's own frame.
pub(crate) fn passed(world: World, options: &str) -> usize {
    let lanes = world.bodies.len() / 2;
    let mut bench = Bench::new(world, options, 1.0 / 30.0);
    let mut through = vec![false; lanes];
    bench.run(4, |frame| {
        for (lane, through) in through.iter_mut().enumerate() {
            let (plate, shot) = (&frame.bodies[2 * lane], &frame.bodies[2 * lane + 1]);
            let away = (shot.pose.position - plate.pose.position).truncate();
            let local = DVec2::from_angle(-plate.pose.angle).rotate(away);
            *through |= local.x > 0.0 && local.y.abs() < 19.0;
        }
    });
    through.into_iter().filter(|&through| through).count()
}

/// Random numbers from a fixed generator.
pub(crate) struct Dice(pub(crate) u64);

impl Dice {
    /// A number between two others.
    pub(crate) fn roll(&mut self, low: f64, high: f64) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        low + (high - low) * (self.0 >> 11) as f64 / (1_u64 << 53) as f64
    }
}

/// A heavy block drives a light one against a wall.
pub(crate) fn blocks(ratio: f64) -> World {
    let mut world = world(0.0, 0.0, 1.0);
    world.bodies.push(fixed(PlaneShape::HalfPlane(DVec2::X), 0.0, 0.0));
    for (x, mass, speed) in [(1.5, 1.0, 0.0), (4.0, ratio, -1.0)] {
        let mut block = solid(PlaneShape::Box(DVec2::ONE), x, 0.0);
        (block.mass, block.fixed_turn, block.ccd) = (mass, true, true);
        block.velocity = DVec3::new(speed, 0.0, 0.0);
        world.bodies.push(block);
    }
    world
}

/// Forty bodies of all shapes that fly towards each other in free space.
pub(crate) fn swarm() -> World {
    let mut world = world(0.0, 0.5, 0.7);
    for i in 0..40 {
        let (x, y) = (f64::from(i % 8) * 1.3, f64::from(i / 8) * 1.2);
        let shape = match i % 4 {
            0 => PlaneShape::Disc(0.5),
            1 => PlaneShape::Box(DVec2::new(0.8, 0.6)),
            2 => PlaneShape::Capsule { length: 0.5, radius: 0.3 },
            _ => PlaneShape::Polygon(vec![DVec2::new(-0.4, -0.3), DVec2::new(0.5, -0.2), DVec2::new(0.0, 0.6)]),
        };
        let mut body = solid(shape, x, y);
        // All fly towards the middle.
        body.velocity = (DVec3::new(4.5, 2.4, 0.0) - body.pose.position) * 0.7;
        body.spin = about_z(f64::from(i % 5) - 2.0);
        world.bodies.push(body);
    }
    world
}

/// A lively heap: boxes, discs, capsules and polygons fall on each other, two of them hinged.
pub(crate) fn heap() -> World {
    let mut world = world(8.0, 0.5, 0.3);
    world.bodies.push(floor());
    for i in 0..40 {
        let (x, y) = (0.7 * f64::from(i % 5) - 1.5, 1.0 + 0.9 * f64::from(i / 5));
        let shape = match i % 4 {
            0 => square(0.5),
            1 => PlaneShape::Disc(0.25),
            2 => PlaneShape::Capsule { length: 0.25, radius: 0.125 },
            _ => PlaneShape::Polygon(vec![DVec2::new(-0.25, -0.25), DVec2::new(0.25, -0.25), DVec2::new(0.0, 0.25)]),
        };
        let mut body = solid(shape, x, y);
        (body.spin, body.ccd) = (about_z(f64::from(i % 3) - 1.0), i % 7 == 0);
        world.bodies.push(body);
    }
    let hinge = JointKind::Hinge { limits: None };
    world.joints.push(Joint {
        kind: hinge,
        bodies: [1, 2],
        frames: JointFrame::planar([DVec2::new(0.25, 0.0), DVec2::new(-0.45, 0.0)]),
        length: None,
    });
    world
}
