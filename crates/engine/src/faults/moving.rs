//! Mistakes in time and in free motion: integration, damping, limits, actions, and bodies that are lost.

use super::{FaultEntry, Hook, SHARE, SOUND, by, sized, under};
use crate::common::injection::InjectionPoint;
use crate::common::settings::Integrator;
use ironspin_model::{BodyKind, BodyState, DVec3, Dimension, Effect};

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "explicit-euler",
        dimensions: Dimension::BOTH,
        wrong: "Bodies are moved by the velocity of the start of the step.",
        cause: "Position is integrated before velocity.",
        size: None,
        noticed: &[
            by("spring-hammer", "energy.drift"),
            by("spring-hammer", "path.error"),
            by("solid-couples", "energy.drift"),
        ],
        hook: Hook::Settings(|settings, _| settings.integrator = Integrator::ExplicitEuler),
    },
    FaultEntry {
        name: "milliseconds-for-seconds",
        dimensions: Dimension::BOTH,
        wrong: "The length of a step is taken for milliseconds: nothing seems to move.",
        cause: "One side of an interface speaks milliseconds.",
        size: SHARE,
        noticed: &[
            by("first-drop", "fall.ratio"),
            by("slag-lob", "path.error"),
            by("turnstile", "value.x"),
            by("solid-drop", "path.error"),
        ],
        hook: Hook::Length(|lengths, share| lengths.asked * (1.0 - 0.999 * share)),
    },
    FaultEntry {
        name: "dt-ignored",
        dimensions: Dimension::BOTH,
        wrong: "A step is a fiftieth of a second, whatever is asked for.",
        cause: "The engine has a step of its own and the argument is not handed on.",
        size: SHARE,
        noticed: &[
            by("slag-lob", "path.error"),
            by("turnstile", "value.x"),
            by("ladle-swing", "period.mean"),
            by("solid-drop", "path.error"),
        ],
        hook: Hook::Length(|lengths, share| lengths.asked + share * (0.02 - lengths.asked)),
    },
    FaultEntry {
        name: "leftover-time-lost",
        dimensions: Dimension::BOTH,
        wrong: "A step is cut into parts of five milliseconds, and what is left over is forgotten.",
        cause: "The time that is saved up is set to zero in place of being carried on.",
        size: sized(0.005, "length of a part, s"),
        noticed: &[
            by("slag-lob", "path.error"),
            by("turnstile", "value.x"),
            by("first-drop", "fall.ratio"),
            by("swing-cone", "path.error"),
        ],
        // The small share keeps a step of whole parts whole.
        hook: Hook::Length(|lengths, part| ((lengths.asked / part + 1e-9).floor() * part).min(lengths.asked)),
    },
    FaultEntry {
        name: "stall-cut-short",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "A long step is cut to one and a half times the first one: after a stall the world is behind.",
        cause: "A guard against the spiral of ever longer steps, of which the caller is not informed.",
        size: SHARE,
        noticed: &[under("slag-lob", "path.error", "--clock raw:RATE --stall 0.3@0.5")],
        hook: Hook::Length(|lengths, share| {
            let longest = 1.5 * lengths.first;
            if lengths.asked > longest { lengths.asked + share * (longest - lengths.asked) } else { lengths.asked }
        }),
    },
    FaultEntry {
        name: "first-step-kept",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Every step is as long as the first.",
        cause: "Constants of the solver are worked out once, with the step length in them.",
        size: SHARE,
        noticed: &[
            under("ladle-swing", "period.mean", "--clock raw:RATE --frames uneven"),
            under("slag-lob", "path.error", "--clock raw:RATE --frames uneven"),
        ],
        hook: Hook::Length(|lengths, share| lengths.asked + share * (lengths.first - lengths.asked)),
    },
    FaultEntry {
        name: "hidden-damping",
        dimensions: Dimension::BOTH,
        wrong: "Every velocity falls by a tenth a second.",
        cause: "A default damping that keeps demonstrations calm.",
        size: sized(0.1, "damping, 1/s"),
        noticed: &[
            by("flywheel", "value.spin"),
            by("spring-hammer", "energy.drift"),
            by("greased-floor", "value.vx"),
            by("flywheel", "twin.boost"),
            by("solid-tumble", "value.measure"),
        ],
        hook: Hook::States(|bodies, rate| {
            let factor = libm::exp(-rate * bodies.dt);
            bodies.movers().for_each(|(_, now)| {
                now.velocity *= factor;
                now.spin *= factor;
            });
        }),
    },
    FaultEntry {
        name: "hidden-spin-damping",
        dimensions: Dimension::BOTH,
        wrong: "Every spin falls by a twentieth a second.",
        cause: "A default damping of spins that stands in for rolling friction.",
        size: sized(0.05, "damping, 1/s"),
        noticed: &[
            by("flywheel", "value.spin"),
            by("flywheel", "angular.balance"),
            by("plate-seams", "value.vx"),
            by("solid-tumble", "value.measure"),
        ],
        hook: Hook::States(|bodies, rate| {
            let factor = libm::exp(-rate * bodies.dt);
            bodies.movers().for_each(|(_, now)| now.spin *= factor);
        }),
    },
    FaultEntry {
        name: "velocity-cap",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "No body is faster than 100 m/s.",
        cause: "A limit against tunnelling or explosions, in units that are not the caller's.",
        size: sized(0.01, "inverse of the largest speed, s/m"),
        noticed: &[by("push-bench", "value.vx"), by("turnstile", "ghost.count")],
        hook: Hook::States(|bodies, inverse| {
            bodies.movers().for_each(|(_, now)| {
                let speed = now.velocity.length();
                if speed * inverse > 1.0 {
                    now.velocity /= speed * inverse;
                }
            });
        }),
    },
    FaultEntry {
        name: "spin-cap",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "No body turns faster than 50 rad/s.",
        cause: "A limit of a quarter turn a step, so that swept tests stay simple.",
        size: sized(0.02, "inverse of the largest spin, s/rad"),
        noticed: &[by("push-bench", "value.spin")],
        hook: Hook::States(|bodies, inverse| {
            bodies.movers().for_each(|(_, now)| {
                let spin = now.spin.z.abs();
                if spin * inverse > 1.0 {
                    now.spin /= spin * inverse;
                }
            });
        }),
    },
    FaultEntry {
        name: "sleep-too-early",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "What is slower than 0.1 m/s for a moment stops, held by something or not.",
        cause: "Bodies are put to sleep by a threshold of speed alone, in metres a second.",
        size: sized(0.1, "speed below which a body stops, m/s"),
        noticed: &[by("push-bench", "value.x")],
        hook: Hook::States(|bodies, speed| {
            bodies.movers().filter(|(_, now)| now.velocity.length() < speed && now.spin.z.abs() < speed).for_each(
                |(_, now)| {
                    now.velocity = DVec3::ZERO;
                    now.spin = DVec3::ZERO;
                },
            );
        }),
    },
    FaultEntry {
        name: "body-lost",
        dimensions: Dimension::BOTH,
        wrong: "After fifty steps the last body has no state any more.",
        cause: "A handle becomes stale when a list of bodies is packed.",
        size: None,
        noticed: &[by("ingot-stack", SOUND), by("slag-lob", SOUND), by("solid-tower", SOUND)],
        hook: Hook::Frame(|frame, reported, _| {
            let last = reported.kinds.iter().rposition(|&kind| kind == BodyKind::Dynamic);
            if let Some(last) = last.filter(|_| frame.step > 50) {
                frame.bodies[last] = BodyState::absent();
            }
        }),
    },
    FaultEntry {
        name: "not-a-number-later",
        dimensions: Dimension::BOTH,
        wrong: "After sixty steps the velocity of the first body that moves is not a number.",
        cause: "A length of zero is divided by, in a case that comes up now and then.",
        size: None,
        noticed: &[by("ingot-stack", SOUND), by("slag-lob", SOUND), by("solid-tower", SOUND)],
        hook: Hook::Frame(|frame, reported, _| {
            let first = reported.kinds.iter().position(|&kind| kind == BodyKind::Dynamic);
            if let Some(first) = first.filter(|_| frame.step > 60) {
                frame.bodies[first].velocity.y = f64::NAN;
            }
        }),
    },
    FaultEntry {
        name: "coarse-far-out",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Positions are kept to seven digits: far from the origin the world is coarse.",
        cause: "Poses are single precision, in world coordinates, though the engine says double.",
        size: sized(6e-8, "smallest step of a position, as a share of its distance from the origin"),
        noticed: &[by("slag-lob", "twin.shift"), by("first-drop", "twin.shift")],
        hook: Hook::States(|bodies, share| {
            let coarse = |x: f64| {
                let grain = libm::exp2(libm::floor(libm::log2(x.abs() * share)));
                if grain > 0.0 { libm::round(x / grain) * grain } else { x }
            };
            bodies.movers().for_each(|(_, now)| {
                now.pose.position = now.pose.position.to_array().map(coarse).into();
            });
        }),
    },
    FaultEntry {
        name: "grain-of-the-world",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Positions are kept to a ten-millionth of the size of the whole world.",
        cause: "Poses are packed into whole numbers that reach from one end of the world to the other.",
        size: sized(1e-7, "grain of positions, as a share of the world"),
        noticed: &[by("turnstile", "value.x"), by("slag-lob", "twin.bystander")],
        hook: Hook::States(|bodies, share| {
            let far = bodies.now.iter().filter(|body| !body.is_absent()).map(|body| body.pose.position.length());
            let grain = share * far.fold(0.0, f64::max);
            if grain > 0.0 {
                bodies.movers().for_each(|(_, now)| {
                    let coarse = |x: f64| libm::round(x / grain) * grain;
                    now.pose.position = now.pose.position.to_array().map(coarse).into();
                });
            }
        }),
    },
    FaultEntry {
        name: "positions-cut-off",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Positions are cut off to a hundredth of a millimetre at every step, always downward.",
        cause: "Poses are packed into whole numbers without rounding.",
        size: sized(1e-5, "grain of positions, m"),
        noticed: &[by("turnstile", "value.x"), by("slag-lob", "twin.mirror"), by("slag-lob", "twin.turn")],
        hook: Hook::States(|bodies, grain| {
            bodies.movers().for_each(|(_, now)| {
                let cut = |x: f64| libm::floor(x / grain) * grain;
                now.pose.position = DVec3::new(cut(now.pose.position.x), cut(now.pose.position.y), 0.0);
            });
        }),
    },
    FaultEntry {
        name: "velocities-told-late",
        dimensions: Dimension::BOTH,
        wrong: "The velocities reported with a frame are those of the frame before.",
        cause: "A buffer is read before it is exchanged.",
        size: SHARE,
        noticed: &[
            by("first-drop", "ghost.speed"),
            by("spring-hammer", "energy.drift"),
            by("solid-bearings", "energy.gain"),
        ],
        hook: Hook::Frame(|frame, reported, share| {
            for (now, before) in frame.bodies.iter_mut().zip(reported.before).filter(|(_, before)| !before.is_absent())
            {
                now.velocity += share * (before.velocity - now.velocity);
                now.spin += share * (before.spin - now.spin);
            }
        }),
    },
    FaultEntry {
        name: "impulse-point-ignored",
        dimensions: Dimension::BOTH,
        wrong: "An impulse at a point acts at the centre: nothing turns.",
        cause: "The overload with a point is not the one that is called.",
        size: SHARE,
        noticed: &[by("push-bench", "value.spin"), by("struck-bars", "value.wz")],
        hook: Hook::Effects(|effect, centre, share| {
            Some(match effect {
                Effect::Impulse { impulse, point: Some(point) } => {
                    Effect::Impulse { impulse: *impulse, point: Some(*point + (centre - *point) * share) }
                }
                other => other.clone(),
            })
        }),
    },
    FaultEntry {
        name: "force-too-weak",
        dimensions: Dimension::BOTH,
        wrong: "A force over a time gives half the momentum that it should.",
        cause: "It is added in one of two substeps only.",
        size: SHARE,
        noticed: &[by("push-bench", "value.vx"), by("slanted-flywheel", "value.measure")],
        hook: Hook::Effects(|effect, _, share| {
            Some(match effect {
                Effect::Force { force, point } => Effect::Force { force: *force * (1.0 - 0.5 * share), point: *point },
                Effect::Torque(torque) => Effect::Torque(torque * (1.0 - 0.5 * share)),
                other => other.clone(),
            })
        }),
    },
    FaultEntry {
        name: "gravity-change-ignored",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Gravity stays what it was at the start.",
        cause: "The acceleration of each body is worked out once.",
        size: None,
        noticed: &[by("push-bench", "value.vy")],
        hook: Hook::Effects(|effect, _, _| {
            Some(effect).filter(|effect| !matches!(effect, Effect::Gravity(_))).cloned()
        }),
    },
    FaultEntry {
        name: "spin-order-ignored",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "A spin that is set by an action is not taken.",
        cause: "The call that sets velocities has a linear part only.",
        size: None,
        noticed: &[by("push-bench", "value.spin"), by("shape-orders", "value.spin")],
        hook: Hook::Effects(|effect, _, _| Some(effect).filter(|effect| !matches!(effect, Effect::Spin(_))).cloned()),
    },
    FaultEntry {
        name: "addition-ignored",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "A body that is to come in later never does.",
        cause: "Bodies are made when the world is built, and what is switched on afterwards is not put among them.",
        size: None,
        noticed: &[by("trapdoors", "value.y"), by("shape-cuts", "value.vx")],
        hook: Hook::Effects(|effect, _, _| Some(effect).filter(|effect| !matches!(effect, Effect::Add)).cloned()),
    },
    FaultEntry {
        name: "removal-ignored",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "A body that is taken out stays.",
        cause: "It is marked for removal and never collected.",
        size: None,
        noticed: &[by("yard-edge", "escape.count"), by("cleared-track", "value.vx"), by("trapdoors", "value.y")],
        hook: Hook::Effects(|effect, _, _| Some(effect).filter(|effect| !matches!(effect, Effect::Remove)).cloned()),
    },
    FaultEntry {
        name: "deeds-late",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Scripted actions are done a step late.",
        cause: "A queue of commands is emptied after the step in place of before it.",
        size: None,
        noticed: &[by("push-bench", "value.x")],
        hook: Hook::MidStep(InjectionPoint::ActionsLate),
    },
];
