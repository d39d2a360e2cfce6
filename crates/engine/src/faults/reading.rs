//! Mistakes in reading a world: sizes, angles, masses, gravity, materials, filters.

use super::{FaultEntry, Hook, SHARE, by, sized};
use ironspin_model::{Body, BodyKind, DQuat, Dimension, Inertia, PlaneShape, World, shape_mass, turn};

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "half-sizes",
        dimensions: Dimension::BOTH,
        wrong: "Full sizes are taken for half sizes: every shape is half as large.",
        cause: "Boxes and discs are built from half extents, and the caller hands over full ones, or the other way round.",
        size: SHARE,
        noticed: &[by("first-drop", "rest.gap"), by("shape-court", "overlap.share"), by("solid-drop", "value.y")],
        hook: Hook::World(|world, share| {
            let parts = world.bodies.iter_mut().flat_map(|body| &mut body.parts);
            parts.for_each(|part| part.shape = part.shape.scaled(1.0 - 0.5 * share));
        }),
    },
    FaultEntry {
        name: "degrees-for-radians",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Angles of bodies and parts are taken for degrees: everything lies almost level.",
        cause: "One side of an interface speaks degrees and the other radians.",
        size: SHARE,
        noticed: &[by("tip-test", "stands"), by("chute", "value.speed")],
        hook: Hook::World(|world, share| {
            let factor = 1.0 - share * (1.0 - std::f64::consts::PI / 180.0);
            for body in &mut world.bodies {
                body.pose.angle *= factor;
                body.parts.iter_mut().for_each(|part| part.pose.angle *= factor);
            }
        }),
    },
    FaultEntry {
        name: "gravity-twice",
        dimensions: Dimension::BOTH,
        wrong: "Gravity acts twice.",
        cause: "The caller adds gravity as a force and the engine adds its own.",
        size: SHARE,
        noticed: &[by("first-drop", "fall.ratio"), by("slag-lob", "path.error"), by("solid-drop", "path.error")],
        hook: Hook::World(|world, share| world.gravity *= 1.0 + share),
    },
    FaultEntry {
        name: "gravity-per-mass",
        dimensions: Dimension::BOTH,
        wrong: "Gravity is taken for a force: heavy bodies fall slower.",
        cause: "The acceleration is added to the forces and divided by the mass with them.",
        size: SHARE,
        noticed: &[by("first-drop", "fall.ratio"), by("slag-lob", "path.error")],
        hook: Hook::World(|world, share| {
            for body in world.bodies.iter_mut().filter(|body| body.mass > 0.0) {
                body.gravity_factor *= 1.0 - share + share / body.mass;
            }
        }),
    },
    FaultEntry {
        name: "gravity-sideways",
        dimensions: Dimension::BOTH,
        wrong: "Gravity acts along another axis: at full size along x.",
        cause: "Axes are exchanged between a world whose y points up and one whose z does, or a level is not level.",
        size: SHARE,
        noticed: &[by("slag-lob", "path.error"), by("ingot-stack", "stands"), by("greased-floor", "creep.rate")],
        hook: Hook::World(|world, share| {
            let (sin, cos) = (libm::sin(share * FRAC_PI_2), libm::cos(share * FRAC_PI_2));
            let g = world.gravity;
            (world.gravity.x, world.gravity.y) = (g.x * cos - g.y * sin, g.x * sin + g.y * cos);
        }),
    },
    FaultEntry {
        name: "z-for-y",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Gravity acts along z, whatever the scene says.",
        cause: "One side of an interface has y upwards and the other z.",
        size: SHARE,
        noticed: &[by("solid-drop", "path.error"), by("solid-tower", "stands")],
        hook: Hook::World(|world, share| {
            let g = world.gravity;
            let (sin, cos) = (libm::sin(share * FRAC_PI_2), libm::cos(share * FRAC_PI_2));
            (world.gravity.y, world.gravity.z) = (g.y * cos - g.z * sin, g.y * sin + g.z * cos);
        }),
    },
    FaultEntry {
        name: "quaternion-scalar-last",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "The scalar of a quaternion is read as its last number, where it is the first.",
        cause: "There are two customs for the order of the numbers.",
        size: None,
        noticed: &[by("solid-drop", "value.measure"), by("solid-drop", "value.y")],
        hook: Hook::World(|world, _| {
            let exchanged = |q: DQuat| DQuat::from_xyzw(q.w, q.x, q.y, q.z);
            for body in &mut world.bodies {
                body.pose.rotation = exchanged(body.pose.rotation);
                body.parts.iter_mut().for_each(|part| part.pose.rotation = exchanged(part.pose.rotation));
            }
        }),
    },
    FaultEntry {
        name: "spin-about-own-axes",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Spins that bodies start with are taken about their own axes, where they are about those of the world.",
        cause: "Euler's equations are written in own axes, and the caller's spin is put into them as it is.",
        size: SHARE,
        noticed: &[by("solid-drop", "value.measure"), by("solid-tumble", "value.wy")],
        hook: Hook::World(|world, share| {
            for body in &mut world.bodies {
                body.spin += share * (turn::turned(body.pose.rotation, body.spin) - body.spin);
            }
        }),
    },
    FaultEntry {
        name: "inertia-along-world-axes",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "The inertia of a body that is built turned is taken along the axes of the world.",
        cause: "The matrix is worked out once, and not turned with the body.",
        size: SHARE,
        noticed: &[by("solid-drop", "value.wy"), by("solid-tumble", "value.wx")],
        hook: Hook::World(|world, share| {
            for body in &mut world.bodies {
                let wrong = turn::turned_inertia(body.pose.rotation.conjugate(), body.inertia);
                body.inertia = Inertia(body.inertia.0 + (wrong.0 - body.inertia.0) * share);
            }
        }),
    },
    FaultEntry {
        name: "gravity-short",
        dimensions: Dimension::BOTH,
        wrong: "A twentieth of gravity is missing.",
        cause: "A constant is rounded, or gravity is multiplied by a damping that nobody remembers.",
        size: sized(0.05, "share of gravity that is missing"),
        noticed: &[by("first-drop", "fall.ratio"), by("slag-lob", "path.error"), by("ladle-swing", "period.mean")],
        hook: Hook::World(|world, share| world.gravity *= 1.0 - share),
    },
    FaultEntry {
        name: "gravity-factor-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "The gravity factor of a body is not read: all fall alike.",
        cause: "A field that is rarely used is lost on the way.",
        size: SHARE,
        noticed: &[by("push-bench", "value.vy")],
        hook: Hook::World(|world, share| {
            world.bodies.iter_mut().for_each(|body| body.gravity_factor += share * (1.0 - body.gravity_factor));
        }),
    },
    FaultEntry {
        name: "damping-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "Damping that the scene asks for is not read.",
        cause: "A field that is rarely used is lost on the way.",
        size: SHARE,
        noticed: &[by("push-bench", "value.vx"), by("push-bench", "value.spin"), by("plank-bridge", "measure.largest")],
        hook: Hook::World(|world, share| {
            for body in &mut world.bodies {
                body.linear_damping *= 1.0 - share;
                body.angular_damping *= 1.0 - share;
            }
        }),
    },
    FaultEntry {
        name: "fixed-turn-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "Bodies that must keep their angle are turned by what pushes them.",
        cause: "The lock of one axis is left out where the mass is set after it.",
        size: None,
        noticed: &[by("push-bench", "value.spin"), by("compass-court", "measure.largest")],
        hook: Hook::World(|world, _| world.bodies.iter_mut().for_each(|body| body.fixed_turn = false)),
    },
    FaultEntry {
        name: "mass-ignored",
        dimensions: Dimension::BOTH,
        wrong: "All bodies weigh the same.",
        cause: "The mass is set before the shapes are, and worked out anew from a density of one.",
        size: SHARE,
        noticed: &[by("wagon-count", "impacts.count"), by("push-bench", "value.vx")],
        hook: Hook::World(|world, share| {
            for body in world.bodies.iter_mut().filter(|body| body.mass > 0.0) {
                let factor = libm::pow(body.mass, -share);
                body.mass *= factor;
                body.inertia.0 *= factor;
            }
        }),
    },
    FaultEntry {
        name: "disc-like-a-ring",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "A disc has the inertia of a ring, m r² in place of half of it.",
        cause: "The wrong line of a table of moments of inertia.",
        size: SHARE,
        noticed: &[by("roller-table", "value.vx"), by("chute", "value.spin"), by("glancing-discs", "value.spin")],
        hook: Hook::World(|world, share| {
            let disc = |body: &&mut Body| matches!(body.parts.as_slice(), [only] if matches!(only.shape.planar(), Some(PlaneShape::Disc(_))));
            world.bodies.iter_mut().filter(disc).for_each(|body| body.inertia.0 *= 1.0 + share);
        }),
    },
    FaultEntry {
        name: "no-parallel-axis",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "The inertia of a compound body is the sum of its parts' own.",
        cause: "The parallel-axis theorem (Steiner) is forgotten where parts are added up.",
        size: SHARE,
        noticed: &[by("push-bench", "value.spin")],
        hook: Hook::World(|world, share| {
            let densities: Vec<f64> = world.materials.iter().map(|material| material.density).collect();
            for body in world.bodies.iter_mut().filter(|body| body.parts.len() > 1 && body.inertia.zz() > 0.0) {
                let own = body.parts.iter().filter(|part| !part.sensor);
                let own = own.filter_map(|part| shape_mass(part.shape.planar()?, densities[part.material]));
                let (mass, inertia) = own.fold((0.0, 0.0), |sum, part| (sum.0 + part.mass, sum.1 + part.inertia));
                // The scene may give a mass of its own: the shape of the mistake stays.
                let alone = inertia * body.mass / mass;
                let moment = body.inertia.zz();
                body.inertia = Inertia::planar(moment + share * (alone - moment));
            }
        }),
    },
    FaultEntry {
        name: "restitution-of-height",
        dimensions: Dimension::BOTH,
        wrong: "Restitution is taken for a ratio of heights, which is the square of the ratio of speeds.",
        cause: "The number is read off a bouncing ball.",
        size: SHARE,
        noticed: &[
            by("bearing-drop", "rebound.speed"),
            by("bearing-trays", "rebound.speed"),
            by("glancing-discs", "value.vx"),
            by("solid-bearings", "rebound.speed"),
        ],
        hook: Hook::World(|world, share| {
            restitutions(world, |keeps| keeps + share * (keeps.sqrt() - keeps));
        }),
    },
    FaultEntry {
        name: "restitution-adds",
        dimensions: Dimension::BOTH,
        wrong: "A bounce gives more speed than it should: a fiftieth at the stated size.",
        cause: "The speed wanted after an impact is added to a correction for overlap that is not zero.",
        size: sized(0.02, "share of the speed that is added"),
        noticed: &[
            by("lively-crowd", "energy.drift"),
            by("buffer-row", "value.vx"),
            by("bearing-drop", "energy.drift"),
        ],
        hook: Hook::World(|world, share| restitutions(world, |keeps| keeps * (1.0 + share))),
    },
    FaultEntry {
        name: "friction-never-zero",
        dimensions: Dimension::BOTH,
        wrong: "A friction of nothing is taken for one of a twentieth.",
        cause: "Zero is taken for not set, and the default is put in its place.",
        size: sized(0.05, "friction that is put in place of none"),
        noticed: &[by("greased-floor", "value.vx"), by("greased-floor", "value.spin")],
        hook: Hook::World(|world, least| {
            world.materials.iter_mut().for_each(|material| material.friction = material.friction.max(least));
            world.pairs.iter_mut().for_each(|pair| pair.friction = pair.friction.max(least));
        }),
    },
    FaultEntry {
        name: "mass-floor",
        dimensions: Dimension::BOTH,
        wrong: "No body weighs less than 100 kg.",
        cause: "A guard against division by small masses, in kilograms.",
        size: None,
        noticed: &[by("push-bench", "twin.mass")],
        hook: Hook::World(|world, _| {
            for body in world.bodies.iter_mut().filter(|body| body.mass > 0.0 && body.mass < 100.0) {
                body.inertia.0 *= 100.0 / body.mass;
                body.mass = 100.0;
            }
        }),
    },
    FaultEntry {
        name: "friction-and-restitution-swapped",
        dimensions: Dimension::BOTH,
        wrong: "Friction is read as restitution and restitution as friction.",
        cause: "Two numbers of the same type stand beside each other in a call.",
        size: None,
        noticed: &[by("bearing-drop", "rebound.speed"), by("chute", "value.speed")],
        hook: Hook::World(|world, _| {
            world.materials.iter_mut().for_each(|m| std::mem::swap(&mut m.friction, &mut m.restitution));
            world.pairs.iter_mut().for_each(|m| std::mem::swap(&mut m.friction, &mut m.restitution));
        }),
    },
    FaultEntry {
        name: "pairs-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "Friction and restitution given for a pair of materials are not read; the mixed values count.",
        cause: "A table of pairs is looked up in one order only, or not at all.",
        size: None,
        noticed: &[by("bearing-trays", "rebound.speed"), by("chute", "value.speed")],
        hook: Hook::World(|world, _| world.pairs.clear()),
    },
    FaultEntry {
        name: "slop-of-metres",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Five millimetres of overlap are left alone, whatever the size of the bodies.",
        cause: "A slop chosen for crates of a metre is a constant of the engine.",
        size: sized(0.005, "overlap that is left, m"),
        noticed: &[by("first-drop", "rest.gap"), by("first-drop", "twin.units"), by("hopper-count", "overlap.share")],
        hook: Hook::World(|world, overlap| {
            shapes(world, |body| body.kind == BodyKind::Dynamic, |shape| grow(shape, -overlap));
        }),
    },
    FaultEntry {
        name: "skin-for-surface",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Contacts are found a centimetre too early, and bodies rest that far above the ground.",
        cause: "The margin in which pairs are looked for is taken for the surface.",
        size: sized(0.01, "distance at which bodies touch, m"),
        noticed: &[
            by("first-drop", "rest.gap"),
            by("first-drop", "twin.units"),
            by("contact-thrift", "contacts.phantom"),
        ],
        hook: Hook::World(|world, skin| {
            shapes(world, |body| body.kind == BodyKind::Dynamic, |shape| grow(shape, skin));
        }),
    },
    FaultEntry {
        name: "capsule-over-all",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "The length of a capsule is taken to hold its caps.",
        cause: "There are two customs for the length of a capsule.",
        size: SHARE,
        noticed: &[by("rivet-ray", "ray.error")],
        hook: Hook::World(|world, share| {
            shapes(
                world,
                |_| true,
                |shape| {
                    if let PlaneShape::Capsule { length, radius } = shape {
                        *length = (*length - 2.0 * *radius * share).max(1e-3 * *length);
                    }
                },
            );
        }),
    },
    FaultEntry {
        name: "sensor-pushes",
        dimensions: Dimension::BOTH,
        wrong: "A sensor is solid.",
        cause: "The flag is lost when the shape is copied.",
        size: None,
        noticed: &[
            by("turnstile", "sensor.wrong"),
            by("turnstile", "ghost.count"),
            by("turnstile", "value.x"),
            by("solid-turnstile", "sensor.wrong"),
        ],
        hook: Hook::World(|world, _| {
            world.bodies.iter_mut().flat_map(|body| &mut body.parts).for_each(|part| part.sensor = false);
        }),
    },
    FaultEntry {
        name: "apart-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "Pairs of bodies that are kept apart by name collide after all.",
        cause: "The list of pairs is asked with the ids in one order only.",
        size: None,
        noticed: &[by("gate-layers", "value.x"), by("solid-gates", "value.x")],
        hook: Hook::World(|world, _| world.excluded_pairs.clear()),
    },
    FaultEntry {
        name: "swept-mark-lost",
        dimensions: Dimension::BOTH,
        wrong: "No body gets swept collision, whatever the scene marks.",
        cause: "The flag is set before the body is built, and reset by it.",
        size: None,
        noticed: &[
            by("rivet-shot", "tunnel.count"),
            by("rivet-swarm", "tunnel.count"),
            by("rivet-hung", "tunnel.count"),
            by("solid-shot", "tunnel.count"),
            by("sheet-shot", "tunnel.count"),
        ],
        hook: Hook::World(|world, _| world.bodies.iter_mut().for_each(|body| body.ccd = false)),
    },
];

const FRAC_PI_2: f64 = std::f64::consts::FRAC_PI_2;

fn shapes(world: &mut World, of: impl Fn(&Body) -> bool, change: impl Fn(&mut PlaneShape)) {
    let bodies = world.bodies.iter_mut().filter(|body| of(body));
    bodies.flat_map(|body| &mut body.parts).filter_map(|part| part.shape.planar_mut()).for_each(change);
}

fn restitutions(world: &mut World, change: impl Fn(f64) -> f64) {
    world.materials.iter_mut().for_each(|material| material.restitution = change(material.restitution));
    world.pairs.iter_mut().for_each(|pair| pair.restitution = change(pair.restitution));
}

/// Moves the surface out by a distance, as far as a shape has one of its own.
fn grow(shape: &mut PlaneShape, by: f64) {
    match shape {
        PlaneShape::Disc(radius) | PlaneShape::Capsule { radius, .. } => *radius = (*radius + by).max(0.1 * *radius),
        PlaneShape::Box(size) => *size = (*size + 2.0 * by).max(0.1 * *size),
        PlaneShape::Polygon(points) => {
            let reach = points.iter().map(|point| point.length()).fold(0.0, f64::max);
            points.iter_mut().for_each(|point| *point *= (1.0 + by / reach).max(0.1));
        }
        PlaneShape::Polyline(_) | PlaneShape::HalfPlane(_) => {}
    }
}
