//! Mistakes in soft bodies.

use super::{FaultEntry, Hook, SHARE, by};
use crate::common::injection::InjectionPoint;
use ironspin_model::{Dimension, NodeSpring, SoftBody, World};

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "sticks-as-springs",
        dimensions: Dimension::BOTH,
        wrong: "A stick is a stiff spring.",
        cause: "Distances are kept by a penalty in the place of a constraint.",
        size: None,
        noticed: &[by("stick-frame", "stick.error")],
        hook: Hook::World(|world, _| {
            softs(world, |soft| {
                let spring = |stick: &ironspin_model::Stick| NodeSpring {
                    ends: stick.ends,
                    length: stick.length,
                    stiffness: 500.0,
                    damping: 0.0,
                };
                soft.springs.extend(soft.sticks.iter().map(spring));
                soft.sticks.clear();
            });
        }),
    },
    FaultEntry {
        name: "stick-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "The last stick of a soft body is left out.",
        cause: "A loop over constraints ends one early.",
        size: None,
        noticed: &[by("stick-frame", "stick.error"), by("stick-frame", "shape.error")],
        hook: Hook::World(|world, _| {
            softs(world, |soft| {
                soft.sticks.pop();
            });
        }),
    },
    FaultEntry {
        name: "matching-left-out",
        dimensions: Dimension::BOTH,
        wrong: "Nothing draws nodes to the built shape.",
        cause: "The key of the protocol is not read.",
        size: None,
        noticed: &[by("felt-cube", "period.mean")],
        hook: Hook::World(|world, _| softs(world, |soft| soft.matching = None)),
    },
    FaultEntry {
        name: "matching-by-half",
        dimensions: Dimension::BOTH,
        wrong: "Nodes are drawn to the built shape too softly.",
        cause: "The factor of a half in the energy of matching is taken into its force.",
        size: SHARE,
        noticed: &[by("felt-cube", "period.mean")],
        hook: Hook::World(|world, share| {
            softs(world, |soft| {
                soft.matching = soft.matching.map(|rate| rate * (1.0 - 0.5 * share).sqrt());
            });
        }),
    },
    FaultEntry {
        name: "never-yields",
        dimensions: Dimension::BOTH,
        wrong: "Springs are elastic however far they are strained.",
        cause: "The key of the protocol is not read.",
        size: None,
        noticed: &[by("dented-gasket", "measure.largest"), by("dented-gasket", "measure.smallest")],
        hook: Hook::World(|world, _| softs(world, |soft| soft.yielding = None)),
    },
    FaultEntry {
        name: "yields-at-once",
        dimensions: Dimension::BOTH,
        wrong: "Springs give way at a fraction of the strain at which they may.",
        cause: "Strain is taken for a share of a percent, or the whole length moves to where it is strained.",
        size: None,
        noticed: &[by("dented-gasket", "measure.largest"), by("dented-gasket", "measure.smallest")],
        hook: Hook::World(|world, _| {
            softs(world, |soft| {
                if let Some(law) = &mut soft.yielding {
                    law.strain *= 0.1;
                }
            });
        }),
    },
    FaultEntry {
        name: "volume-of-bounding-ball",
        dimensions: Dimension::BOTH,
        wrong: "The pressure of a gas is that in a ball around the skin.",
        cause: "The volume is worked out from the furthest node.",
        size: SHARE,
        noticed: &[by("bellows-size", "value.x"), by("gas-globe", "measure.largest")],
        hook: Hook::World(|world, share| {
            softs(world, |soft| {
                // The ball around a regular icosahedron is 1.65 times as large, the circle around a ring of twelve 1.05 times.
                let larger = if soft.faces.is_empty() { 1.3 } else { 1.65 };
                if let Some(gas) = &mut soft.pressure {
                    gas.amount /= 1.0 + share * (larger - 1.0);
                }
            });
        }),
    },
    FaultEntry {
        name: "outer-pressure-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "Nothing presses on a skin from outside.",
        cause: "Pressure is taken for absolute where it is over that outside.",
        size: None,
        noticed: &[by("bellows-size", "value.x")],
        hook: Hook::World(|world, _| {
            softs(world, |soft| {
                if let Some(gas) = &mut soft.pressure {
                    gas.outside = 0.0;
                }
            });
        }),
    },
    FaultEntry {
        name: "rest-length-as-built",
        dimensions: Dimension::BOTH,
        wrong: "A spring is at rest as it was built, whatever its length is to be.",
        cause: "Lengths are measured when the net is made.",
        size: None,
        noticed: &[by("bellows-size", "value.x"), by("gas-globe", "strain.largest")],
        hook: Hook::World(|world, _| {
            let places: Vec<_> = world.bodies.iter().map(|body| body.pose.position).collect();
            softs(world, |soft| {
                let first = soft.nodes.start;
                for spring in &mut soft.springs {
                    spring.length = spring.span(|node| places[first + node]);
                }
            });
        }),
    },
    FaultEntry {
        name: "node-spring-too-soft",
        dimensions: Dimension::BOTH,
        wrong: "The springs of a net have half their stiffness.",
        cause: "A spring is counted for each of its nodes by half.",
        size: SHARE,
        noticed: &[
            by("coupling-chain", "period.mean"),
            by("bellows-size", "value.x"),
            by("gas-globe", "measure.largest"),
        ],
        hook: Hook::World(|world, share| {
            softs(world, |soft| {
                soft.springs.iter_mut().for_each(|spring| spring.stiffness *= 1.0 - 0.5 * share);
            });
        }),
    },
    FaultEntry {
        name: "held-nodes-fall",
        dimensions: Dimension::BOTH,
        wrong: "Nodes of mass 0 have the mass of the others, and move.",
        cause: "A mass of zero is taken for one that is not given.",
        size: None,
        noticed: &[by("corner-sheet", "strain.largest"), by("mooring-rope", "strain.largest")],
        hook: Hook::World(|world, _| {
            for soft in 0..world.softs.len() {
                let nodes = world.softs[soft].nodes.clone();
                let mass = world.bodies[nodes.clone()].iter().map(|node| node.mass).fold(0.0, f64::max);
                for node in &mut world.bodies[nodes] {
                    if node.mass == 0.0 && mass > 0.0 {
                        (node.mass, node.kind) = (mass, ironspin_model::BodyKind::Dynamic);
                    }
                }
            }
        }),
    },
    FaultEntry {
        name: "soft-misses-soft",
        dimensions: Dimension::BOTH,
        wrong: "Soft bodies go through each other.",
        cause: "Only rigid bodies are looked for around a net.",
        size: None,
        noticed: &[by("pad-pile", "value.y")],
        hook: Hook::World(|world, _| {
            let firsts: Vec<usize> = world.softs.iter().map(|soft| soft.nodes.start).collect();
            for (k, &a) in firsts.iter().enumerate() {
                world.excluded_pairs.extend(firsts[k + 1..].iter().map(|&b| [a, b]));
            }
        }),
    },
    FaultEntry {
        name: "net-damping-left-out",
        dimensions: Dimension::BOTH,
        wrong: "Neither nodes nor springs of a net are damped.",
        cause: "The keys of the protocol are not read.",
        size: None,
        noticed: &[
            by("bellows-size", "value.x"),
            by("gas-globe", "measure.largest"),
            by("pad-pile", "measure.largest"),
        ],
        hook: Hook::World(|world, _| {
            softs(world, |soft| soft.springs.iter_mut().for_each(|spring| spring.damping = 0.0));
            let first = world.rigid_count();
            world.bodies[first..].iter_mut().for_each(|node| node.linear_damping = 0.0);
        }),
    },
    FaultEntry {
        name: "last-spring-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "The last spring of a net is left out.",
        cause: "A loop over springs ends one early.",
        size: None,
        noticed: &[by("gas-globe", "strain.largest"), by("bellows-size", "volume.change")],
        hook: Hook::World(|world, _| {
            softs(world, |soft| {
                soft.springs.pop();
            });
        }),
    },
    FaultEntry {
        name: "springs-of-both-ends",
        dimensions: Dimension::BOTH,
        wrong: "Every spring pulls twice.",
        cause: "A spring is put down at each of its nodes, and both are worked out.",
        size: None,
        noticed: &[by("coupling-chain", "period.mean"), by("gas-globe", "measure.largest")],
        hook: Hook::World(|world, _| {
            softs(world, |soft| soft.springs.extend(soft.springs.clone()));
        }),
    },
    FaultEntry {
        name: "node-velocities-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "All nodes of a net start at rest.",
        cause: "The key of the protocol is not read.",
        size: None,
        noticed: &[by("coupling-chain", "period.mean"), by("dented-gasket", "measure.largest")],
        hook: Hook::World(|world, _| {
            let first = world.rigid_count();
            world.bodies[first..].iter_mut().for_each(|node| node.velocity = ironspin_model::DVec3::ZERO);
        }),
    },
    FaultEntry {
        name: "node-masses-alike",
        dimensions: Dimension::BOTH,
        wrong: "The mass of a net is shared evenly among the nodes that have some.",
        cause: "Only the sum of the masses is read.",
        size: None,
        noticed: &[by("stick-frame", "energy.drift"), by("stick-frame", "momentum.balance")],
        hook: Hook::World(|world, _| {
            for soft in 0..world.softs.len() {
                let nodes = &mut world.bodies[world.softs[soft].nodes.clone()];
                let (sum, count) = nodes.iter().fold((0.0, 0.0), |(sum, count), node| {
                    (sum + node.mass, count + if node.mass > 0.0 { 1.0 } else { 0.0 })
                });
                nodes.iter_mut().filter(|node| node.mass > 0.0).for_each(|node| node.mass = sum / count);
            }
        }),
    },
    FaultEntry {
        name: "skin-without-thickness",
        dimensions: Dimension::BOTH,
        wrong: "Nodes and skins have next to no radius.",
        cause: "Skins are met as surfaces without the radius that rounds them.",
        size: SHARE,
        noticed: &[by("pad-pile", "measure.smallest")],
        hook: Hook::World(|world, share| softs(world, |soft| soft.radius *= 1.0 - 0.99 * share)),
    },
    FaultEntry {
        name: "matching-rate-for-its-square",
        dimensions: Dimension::BOTH,
        wrong: "The rate at which nodes are drawn to the built shape is taken for its square.",
        cause: "A stiffness over a mass is asked for, and a rate is given.",
        size: None,
        noticed: &[by("felt-cube", "period.mean")],
        hook: Hook::World(|world, _| softs(world, |soft| soft.matching = soft.matching.map(f64::sqrt))),
    },
    FaultEntry {
        name: "gas-on-one-side",
        dimensions: Dimension::BOTH,
        wrong: "Gas pushes half of the pieces of a skin.",
        cause: "A loop over the skin ends halfway, or pieces of the other sense are left out.",
        size: None,
        noticed: &[by("bellows-size", "momentum.balance"), by("gas-globe", "volume.change")],
        hook: Hook::MidStep(InjectionPoint::GasOnOneSide),
    },
    FaultEntry {
        name: "gas-without-volume",
        dimensions: Dimension::BOTH,
        wrong: "Gas pushes as it did as built, whatever it has become to fill.",
        cause: "The pressure is worked out once.",
        size: None,
        noticed: &[by("bellows-size", "value.x"), by("gas-globe", "measure.largest")],
        hook: Hook::MidStep(InjectionPoint::GasStays),
    },
    FaultEntry {
        name: "sticks-only-pull",
        dimensions: Dimension::BOTH,
        wrong: "Sticks let their ends come together.",
        cause: "A constraint is taken for a rope.",
        size: None,
        noticed: &[by("stick-frame", "stick.error")],
        hook: Hook::MidStep(InjectionPoint::SticksOnlyPull),
    },
    FaultEntry {
        name: "goals-unturned",
        dimensions: Dimension::BOTH,
        wrong: "The built shape that nodes are drawn to is moved and not turned.",
        cause: "The best rotation is left out.",
        size: None,
        noticed: &[by("felt-tumble", "angular.balance")],
        hook: Hook::MidStep(InjectionPoint::GoalsUnturned),
    },
    FaultEntry {
        name: "yields-one-way",
        dimensions: Dimension::BOTH,
        wrong: "Squeezed springs do not give way, stretched ones do.",
        cause: "The strain is compared without its amount.",
        size: None,
        noticed: &[by("pressed-gasket", "dent.kept")],
        hook: Hook::MidStep(InjectionPoint::YieldsOneWay),
    },
    FaultEntry {
        name: "nets-push-nobody",
        dimensions: Dimension::BOTH,
        wrong: "Rigid bodies feel nothing of soft ones.",
        cause: "Contacts and pins are solved for the nodes alone.",
        size: None,
        noticed: &[by("hammer-pad", "momentum.balance"), by("slung-beam", "pin.error")],
        hook: Hook::MidStep(InjectionPoint::NetsPushNobody),
    },
    FaultEntry {
        name: "restore-forgets-dents",
        dimensions: Dimension::BOTH,
        wrong: "A state that was saved comes back with springs as long as they were built.",
        cause: "Rest lengths are taken from the world and not from the state.",
        size: None,
        noticed: &[by("dented-gasket", "twin.restore")],
        hook: Hook::MidStep(InjectionPoint::DentsNotRestored),
    },
    FaultEntry {
        name: "pins-forgotten",
        dimensions: Dimension::BOTH,
        wrong: "Nothing holds nodes to bodies.",
        cause: "The key of the protocol is not read.",
        size: None,
        noticed: &[by("slung-beam", "pin.error")],
        hook: Hook::World(|world, _| softs(world, |soft| soft.pins.clear())),
    },
    FaultEntry {
        name: "pins-along-world",
        dimensions: Dimension::BOTH,
        wrong: "The point of a pin is taken along the axes of the world.",
        cause: "A place in the frame of a body is not turned with it.",
        size: None,
        noticed: &[by("slung-beam", "pin.error")],
        hook: Hook::World(|world, _| {
            let World { softs, bodies, .. } = world;
            for pin in softs.iter_mut().flat_map(|soft| &mut soft.pins) {
                let rotation = bodies[pin.body].pose.rotation;
                pin.point = ironspin_model::turn::turned(rotation.conjugate(), pin.point);
            }
        }),
    },
];

fn softs(world: &mut World, change: impl Fn(&mut SoftBody)) {
    world.softs.iter_mut().for_each(change);
}
