//! What soft bodies cost the built-in engine, beside what the machine can do.
//!
//! `cargo bench -p ironspin-engine --bench softs` prints our figures. With `IRONSPIN_LIMITS=DIR`, a folder of the C programs `springs.c` and `sticks.c`, each figure
//! is measured in turns with its program, five pairs, and given as a ratio of medians. `IRONSPIN_QUICK=1` prints ours alone, three times.

#![allow(clippy::print_stdout)]

mod beside;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/space/yard.rs"]
mod space_yard;
#[allow(dead_code, unreachable_pub)]
#[path = "../tests/engine/yard.rs"]
mod yard;

use beside::{Limits, median, row};
use ironspin_model::{DVec3, Dimension, NodeSpring, NodeTraits, Pressure, SoftBody, Stick, World};
use space_yard::world;
use std::collections::BTreeMap;
use std::time::Instant;
use yard::Bench;

/// Portions of a measurement of which the median counts.
const PORTIONS: usize = 21;
/// Of a step of 8 sub-steps, s.
const DT: f64 = 8e-3;
const SYMPLECTIC: &str = "integrator=symplectic-euler,soft-substeps=8";

fn main() {
    // One figure alone, to count instructions by.
    if std::env::var("IRONSPIN_QUICK").is_ok_and(|which| which == "spring") {
        println!("spring {:.2} ns", spring(100, SYMPLECTIC));
        return;
    }
    if std::env::var("IRONSPIN_QUICK").is_ok() {
        for _ in 0..3 {
            println!("spring {:.2} face {:.2} stick {:.2} ns", spring(100, SYMPLECTIC), face(4), stick(100));
        }
        return;
    }
    let limits = Limits::build(&["springs", "sticks"]);
    println!("| what | ours | limit | ratio |\n|---|---|---|---|");
    for limit in ["cloth_scalar@100", "cloth_simd4@100"] {
        row("spring a sub-step, cloth of 100 x 100, ns", &limits, "springs", "100", limit, || spring(100, SYMPLECTIC));
    }
    for limit in ["skin_scalar@4", "skin_simd4@4"] {
        row("face a sub-step with its springs and gas, skin of 5,120, ns", &limits, "springs", "100", limit, || {
            face(4)
        });
    }
    for limit in ["sticks_nat@100", "sticks_col@100", "sticks_simd4@100"] {
        row("stick a pass, cloth of 100 x 100, ns", &limits, "sticks", "100", limit, || stick(100));
    }
    println!("\n| cloth of 100 x 100, 60 steps a second | seconds a second |\n|---|---|");
    for options in ["", "soft-solver=position,iterations=4", "soft-solver=implicit,soft-substeps=1"] {
        let seconds = 60.0 * spring(100, options) * springs_of(100) as f64 * substeps(options) * 1e-9;
        println!("| {} | {seconds:.3} |", if options.is_empty() { "default" } else { options });
    }
    println!("\n| nodes | ns a spring and sub-step |\n|---|---|");
    let mut points = Vec::new();
    for side in [32_usize, 100, 316] {
        let ns = median((0..5).map(|_| spring(side, SYMPLECTIC)).collect());
        println!("| {} | {ns:.2} |", side * side);
        points.push((((side * side) as f64).ln(), (ns * springs_of(side) as f64).ln()));
    }
    let (first, last) = (points[0], points[points.len() - 1]);
    println!("\nGrowth exponent of a step from 1,000 to 100,000 nodes: {:.3}", (last.1 - first.1) / (last.0 - first.0));
}

fn substeps(options: &str) -> f64 {
    if options.contains("soft-substeps=1") { 1.0 } else { 8.0 }
}

/// Springs of a cloth with both diagonals.
fn springs_of(side: usize) -> usize {
    2 * side * (side - 1) + 2 * (side - 1) * (side - 1)
}

/// The links of a cloth with both diagonals, and whether each is one.
fn links(side: usize) -> Vec<([usize; 2], bool)> {
    let mut links = Vec::new();
    for node in 0..side * side {
        let (right, down) = (node % side + 1 < side, node / side + 1 < side);
        if right {
            links.push(([node, node + 1], false));
        }
        if down {
            links.push(([node, node + side], false));
        }
        if right && down {
            links.push(([node, node + side + 1], true));
            links.push(([node + 1, node + side], true));
        }
    }
    links
}

/// A world with one soft body of nodes of about 1 kg and what is still to be tied.
fn net(places: &[DVec3]) -> (World, SoftBody) {
    let mut world = world(0.0, 0.0, 0.0);
    let traits = NodeTraits { dimension: Dimension::Space, collision_mask: 0, ..NodeTraits::plain("net") };
    for (node, &place) in places.iter().enumerate() {
        let velocity = 0.1 * DVec3::new((node % 7) as f64 / 7.0, (node % 5) as f64 / 5.0, (node % 3) as f64 / 3.0);
        world.bodies.push(traits.node(&format!("[{node}]"), place, velocity, 1.0 + 0.2 * (node % 11) as f64 / 11.0));
    }
    let soft = SoftBody { name: traits.name, nodes: 0..places.len(), ..SoftBody::default() };
    (world, soft)
}

fn cloth_places(side: usize) -> Vec<DVec3> {
    let place = |node: usize| {
        let (i, j) = ((node % side) as f64, (node / side) as f64);
        DVec3::new(i, 0.1 * (0.3 * i + 0.2 * j).sin(), j)
    };
    (0..side * side).map(place).collect()
}

fn tie([a, b]: [usize; 2], places: &[DVec3], stiffness: f64) -> NodeSpring {
    let length = places[a].distance(places[b]) * (1.0 + 0.02 * ((a * 7 + b) % 13) as f64 / 13.0);
    NodeSpring { ends: [a, b], length, stiffness, damping: 1e-3 * stiffness }
}

/// Median time of a step, ns, in portions of some milliseconds.
fn step_of(world: World, options: &str) -> f64 {
    let mut bench = Bench::new(world, options, DT);
    bench.engine.advance_blind(DT, 10).expect("a step");
    let mut measured = Vec::new();
    for _ in 0..PORTIONS {
        let began = Instant::now();
        bench.engine.advance_blind(DT, 4).expect("a step");
        measured.push(began.elapsed().as_secs_f64() * 1e9 / 4.0);
    }
    median(measured)
}

/// ns a spring and sub-step of a cloth.
fn spring(side: usize, options: &str) -> f64 {
    let places = cloth_places(side);
    let (mut world, soft) = net(&places);
    let springs = links(side).into_iter().map(|(ends, is_brace)| tie(ends, &places, if is_brace { 5e3 } else { 1e4 }));
    world.softs.push(SoftBody { springs: springs.collect(), ..soft });
    step_of(world, options) / (substeps(options) * springs_of(side) as f64)
}

/// ns a face and sub-step of an icosahedron divided so many times, with its springs and gas.
fn face(level: u32) -> f64 {
    let (places, faces) = divided(level);
    let (mut world, soft) = net(&places);
    let mut edges: Vec<[usize; 2]> =
        faces.iter().flat_map(|&[a, b, c]| [[a, b], [b, c], [c, a]]).filter(|[a, b]| a < b).collect();
    edges.sort_unstable();
    let springs = edges.into_iter().map(|ends| tie(ends, &places, 1e4)).collect();
    let count = faces.len();
    let pressure = Some(Pressure { amount: 1050.0 * 4188.0, outside: 1000.0 });
    world.softs.push(SoftBody { springs, faces, pressure, ..soft });
    step_of(world, SYMPLECTIC) / (8.0 * count as f64)
}

/// An icosahedron of radius 10 whose faces are divided into four so many times.
fn divided(level: u32) -> (Vec<DVec3>, Vec<[usize; 3]>) {
    let golden = 0.5 * (1.0 + 5.0_f64.sqrt());
    let mut places: Vec<DVec3> = Vec::new();
    for turn in 0..3 {
        for [a, b] in [[1.0, golden], [1.0, -golden], [-1.0, golden], [-1.0, -golden]] {
            let mut place = [0.0; 3];
            (place[turn], place[(turn + 1) % 3]) = (a, b);
            places.push(DVec3::from_array(place));
        }
    }
    let near = |a: usize, b: usize, places: &[DVec3]| places[a].distance_squared(places[b]) < 4.1;
    let mut faces = Vec::new();
    for (a, b, c) in (0..12).flat_map(|a| (a + 1..12).flat_map(move |b| (b + 1..12).map(move |c| (a, b, c)))) {
        if near(a, b, &places) && near(b, c, &places) && near(a, c, &places) {
            let outward = places[a].cross(places[b]).dot(places[c]) > 0.0;
            faces.push(if outward { [a, b, c] } else { [a, c, b] });
        }
    }
    for _ in 0..level {
        let mut known: BTreeMap<[usize; 2], usize> = BTreeMap::new();
        let mut middle = |a: usize, b: usize| {
            *known.entry([a.min(b), a.max(b)]).or_insert_with(|| {
                places.push(0.5 * (places[a] + places[b]));
                places.len() - 1
            })
        };
        let split = faces.iter().flat_map(|&[a, b, c]| {
            let [d, e, f] = [middle(a, b), middle(b, c), middle(c, a)];
            [[a, d, f], [d, b, e], [f, e, c], [d, e, f]]
        });
        faces = split.collect();
    }
    (places.into_iter().map(|place| 10.0 * place.normalize()).collect(), faces)
}

/// ns a stick and pass of a cloth of sticks: what 30 more passes take.
fn stick(side: usize) -> f64 {
    let places = cloth_places(side);
    let time = |passes: u32| {
        let (mut world, soft) = net(&places);
        let stick = |(ends, _): ([usize; 2], bool)| Stick { ends, length: tie(ends, &places, 1.0).length };
        world.softs.push(SoftBody { sticks: links(side).into_iter().map(stick).collect(), ..soft });
        step_of(world, &format!("soft-solver=position,soft-substeps=1,iterations={passes}"))
    };
    (time(40) - time(10)) / (30.0 * springs_of(side) as f64)
}
