//! Mistakes that only space has: how bodies turn, quaternions, axes of shapes and joints, edges and faces.

use super::{FaultEntry, Hook, SHARE, by, sized};
use crate::common::injection::InjectionPoint;
use ironspin_model::{DMat3, DQuat, DVec3, Dimension, Hull, Inertia, JointKind, Part, Shape, SpaceShape, World, turn};
use std::f64::consts::FRAC_PI_2;
use std::sync::Arc;

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "gyroscopic-term-left-out",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "The spin of a free body stays, where its angular momentum should.",
        cause: "The gyroscopic term of Euler's equations is switched off because it blew up once.",
        size: SHARE,
        noticed: &[
            by("flip-plate", "time.when"),
            by("flip-plate", "spin.balance"),
            by("spinning-top", "measure.largest"),
        ],
        hook: Hook::MidStep(InjectionPoint::GyroscopicLeftOut),
    },
    FaultEntry {
        name: "gyroscopic-term-explicit",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "The gyroscopic term is taken at the start of the step: a tumbling body gains energy.",
        cause: "Euler's equations are stepped explicitly.",
        size: SHARE,
        noticed: &[by("spinning-top", "precession.rate"), by("spinning-top", "measure.largest")],
        hook: Hook::MidStep(InjectionPoint::GyroscopicExplicit),
    },
    FaultEntry {
        name: "inertia-not-turned",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Inertia keeps the axes that a body was built with while it turns.",
        cause: "The matrix along the axes of the world is worked out when the body is made, and never again.",
        size: SHARE,
        noticed: &[by("flip-plate", "spin.balance")],
        hook: Hook::MidStep(InjectionPoint::InertiaStays),
    },
    FaultEntry {
        name: "inertia-diagonal-only",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Products of inertia are dropped.",
        cause: "A body has three moments, and axes that are not its principal ones are not thought of.",
        size: SHARE,
        noticed: &[by("struck-bars", "value.wx")],
        hook: Hook::World(|world, share| {
            for body in &mut world.bodies {
                let m = body.inertia.0;
                let own = DMat3::from_diagonal(DVec3::new(m.x_axis.x, m.y_axis.y, m.z_axis.z));
                body.inertia = Inertia(m + (own - m) * share);
            }
        }),
    },
    FaultEntry {
        name: "quaternion-not-normalised",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Quaternions are told that are too long by a thousandth.",
        cause: "Half the spin times the quaternion is added, and the sum never made of unit length again.",
        size: sized(1e-3, "by how much longer than one a quaternion is"),
        noticed: &[by("flip-plate", "quaternion.norm"), by("spinning-top", "quaternion.norm")],
        hook: Hook::Frame(|frame, _, share| {
            frame.bodies.iter_mut().for_each(|body| body.pose.rotation *= 1.0 + share);
        }),
    },
    FaultEntry {
        name: "rotations-read-backwards",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Quaternions of bodies and parts are read as turning from the world's axes to the body's.",
        cause: "There are two customs for which way a quaternion turns.",
        size: None,
        noticed: &[by("solid-drop", "value.measure"), by("solid-ray", "ray.error")],
        hook: Hook::World(|world, _| {
            for body in &mut world.bodies {
                body.pose.rotation = body.pose.rotation.conjugate();
            }
            each_part(world, |part| part.pose.rotation = part.pose.rotation.conjugate());
        }),
    },
    FaultEntry {
        name: "rotations-told-backwards",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "The quaternions that are told turn from the world's axes to the body's.",
        cause: "The matrix is transposed on its way out.",
        size: None,
        noticed: &[by("solid-drop", "value.measure"), by("flip-plate", "precession.rate")],
        hook: Hook::Frame(|frame, _, _| {
            frame.bodies.iter_mut().for_each(|body| body.pose.rotation = body.pose.rotation.conjugate());
        }),
    },
    FaultEntry {
        name: "spin-mirrored",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Spins are by the left hand.",
        cause: "The axes of one side are left-handed.",
        size: None,
        noticed: &[by("solid-drop", "value.measure"), by("spinning-top", "precession.rate")],
        hook: Hook::World(|world, _| world.bodies.iter_mut().for_each(|body| body.spin = -body.spin)),
    },
    FaultEntry {
        name: "z-mirrored",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Places and velocities are told with z the other way.",
        cause: "The world is drawn in left-handed axes, and what is drawn is told.",
        size: None,
        noticed: &[by("swing-cone", "path.error"), by("struck-bars", "value.vz")],
        hook: Hook::Frame(|frame, _, _| {
            for body in &mut frame.bodies {
                body.pose.position.z = -body.pose.position.z;
                body.velocity.z = -body.velocity.z;
            }
        }),
    },
    FaultEntry {
        name: "ball-like-a-shell",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "A ball has the inertia of a shell, 2/3 m r² in place of 2/5.",
        cause: "The wrong line of a table of moments of inertia.",
        size: SHARE,
        noticed: &[by("compass-slope", "measure.largest")],
        hook: Hook::World(|world, share| {
            for body in &mut world.bodies {
                let ball = |part: &Part| matches!(part.shape.spatial(), Some(SpaceShape::Sphere(_)));
                if matches!(body.parts.as_slice(), [only] if ball(only)) {
                    body.inertia.0 *= 1.0 + share * (2.0 / 3.0 / 0.4 - 1.0);
                }
            }
        }),
    },
    FaultEntry {
        name: "moments-exchanged",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "A cylinder has the moment about its axis about y, and that across it about x.",
        cause: "The moments of a cylinder along y are taken for one along x.",
        size: SHARE,
        noticed: &[by("flip-plate", "precession.rate"), by("slanted-flywheel", "value.measure")],
        hook: Hook::World(|world, share| {
            for body in &mut world.bodies {
                let long = |part: &Part| {
                    matches!(part.shape.spatial(), Some(SpaceShape::Cylinder { .. } | SpaceShape::Capsule { .. }))
                };
                if matches!(body.parts.as_slice(), [only] if long(only)) {
                    let quarter = turn::about(DVec3::Z, FRAC_PI_2);
                    let wrong = turn::turned_inertia(quarter, body.inertia).0;
                    body.inertia.0 += (wrong - body.inertia.0) * share;
                }
            }
        }),
    },
    FaultEntry {
        name: "axis-along-y",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Cylinders and capsules lie along their own y.",
        cause: "There are two customs for the axis of a cylinder.",
        size: None,
        noticed: &[by("solid-ray", "ray.error"), by("shape-yard", "measure.largest")],
        hook: Hook::World(|world, _| {
            each_part(world, |part| {
                if let Some(SpaceShape::Cylinder { .. } | SpaceShape::Capsule { .. }) = part.shape.spatial() {
                    part.pose.rotation = turn::product(part.pose.rotation, turn::about(DVec3::Z, FRAC_PI_2));
                }
            });
        }),
    },
    FaultEntry {
        name: "cylinder-with-round-ends",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "A cylinder is a capsule of the same length over all.",
        cause: "There is no cylinder, and the nearest shape is put in its place.",
        size: None,
        noticed: &[by("solid-ray", "ray.error"), by("drum-stack", "stands")],
        hook: Hook::World(|world, _| {
            each_part(world, |part| {
                if let Some(&SpaceShape::Cylinder { length, radius }) = part.shape.spatial() {
                    let between = (length - 2.0 * radius).max(0.01 * length);
                    part.shape = Shape::from(SpaceShape::Capsule { length: between, radius });
                }
            });
        }),
    },
    FaultEntry {
        name: "hull-corner-lost",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "A hull lacks its first corner.",
        cause: "The corners are counted from one.",
        size: None,
        noticed: &[by("shape-yard", "measure.largest")],
        hook: Hook::World(|world, _| {
            each_part(world, |part| {
                if let Some(SpaceShape::Hull(hull)) = part.shape.spatial()
                    && let Ok(smaller) = Hull::new(&hull.corners()[1..])
                {
                    part.shape = Shape::from(SpaceShape::Hull(Arc::new(smaller)));
                }
            });
        }),
    },
    FaultEntry {
        name: "part-not-turned",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Parts of a body stand where they should and are not turned.",
        cause: "The pose of a part is an offset.",
        size: None,
        noticed: &[by("solid-ray", "ray.error")],
        hook: Hook::World(|world, _| each_part(world, |part| part.pose.rotation = DQuat::IDENTITY)),
    },
    FaultEntry {
        name: "friction-pyramid",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Friction is bounded along two axes by themselves, and holds up to 1.41 times as much between them.",
        cause: "Two rows of the solver, each with its own bound, are simpler than a cone.",
        size: SHARE,
        noticed: &[by("compass-court", "friction.isotropy"), by("compass-slope", "friction.isotropy")],
        hook: Hook::MidStep(InjectionPoint::FrictionPyramid),
    },
    FaultEntry {
        name: "edges-missed",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Edges against edges are not looked at.",
        cause: "Faces separate most pairs, and the nine products of edges are left for later.",
        size: None,
        noticed: &[by("shape-yard", "tunnel.count")],
        hook: Hook::MidStep(InjectionPoint::EdgesMissed),
    },
    FaultEntry {
        name: "one-contact-point",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "A pair has one contact point, the deepest, found anew in every step.",
        cause: "The algorithm for depth gives one point, and none is kept.",
        size: None,
        noticed: &[by("solid-tower", "stands"), by("tip-compass", "stands")],
        hook: Hook::MidStep(InjectionPoint::OnePoint),
    },
    FaultEntry {
        name: "mesh-one-sided",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Triangles of a mesh push to one side only.",
        cause: "Faces that look away are left out, as in drawing.",
        size: None,
        noticed: &[by("shape-yard", "tunnel.count")],
        hook: Hook::MidStep(InjectionPoint::MeshOneSided),
    },
    FaultEntry {
        name: "limits-of-the-wrong-sign",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "The angle of a hinge counts the other way round: its limits are exchanged.",
        cause: "The angle is measured from the second body to the first.",
        size: None,
        noticed: &[by("solid-limits", "value.measure")],
        hook: Hook::World(|world, _| {
            for joint in &mut world.joints {
                if let JointKind::Hinge { limits: Some([low, high]) } = &mut joint.kind {
                    (*low, *high) = (-*high, -*low);
                }
            }
        }),
    },
    FaultEntry {
        name: "hinge-about-z",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Hinges turn about z of the world, whatever their axis is.",
        cause: "The axis of a hinge is a default that is never set.",
        size: None,
        noticed: &[by("slanted-flywheel", "value.measure"), by("solid-limits", "value.measure")],
        hook: Hook::World(|world, _| {
            for joint in &mut world.joints {
                if let JointKind::Hinge { .. } = joint.kind {
                    for (frame, &body) in joint.frames.iter_mut().zip(&joint.bodies) {
                        frame.axis = turn::turned_back(world.bodies[body].pose.rotation, DVec3::Z);
                    }
                }
            }
        }),
    },
    FaultEntry {
        name: "slider-turns",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "Bodies on a slider keep to its line and turn against each other.",
        cause: "The rows that hold the angle are left out.",
        size: None,
        noticed: &[by("solid-couples", "measure.largest")],
        hook: Hook::MidStep(InjectionPoint::SliderTurns),
    },
    FaultEntry {
        name: "restore-forgets-turn",
        dimensions: Dimension::SPACE_ONLY,
        wrong: "A state that was saved comes back with bodies that are not turned.",
        cause: "Only places and velocities are saved.",
        size: None,
        noticed: &[by("solid-forecast", "forecast.error")],
        hook: Hook::MidStep(InjectionPoint::TurnNotRestored),
    },
];

fn each_part(world: &mut World, change: impl FnMut(&mut Part)) {
    world.bodies.iter_mut().flat_map(|body| &mut body.parts).for_each(change);
}
