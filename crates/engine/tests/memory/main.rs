//! What a world holds in memory, and that a steady step asks for none, by an allocator that counts.

#![allow(unsafe_code, clippy::print_stdout)]

#[allow(dead_code, unreachable_pub)]
#[path = "../engine/worlds.rs"]
mod worlds;
#[allow(dead_code, unreachable_pub)]
#[path = "../engine/yard.rs"]
mod yard;

use ironspin_model::{DVec3, Joint, JointKind, World};
use std::alloc::{GlobalAlloc, Layout, System};
use std::cell::Cell;
use yard::{Bench, floor, solid, square, world};

thread_local! {
    /// Allocations of this thread so far, and bytes it holds.
    static COUNT: Cell<(u64, i64)> = const { Cell::new((0, 0)) };
}

struct Counting;

fn note(calls: u64, bytes: i64) {
    // A thread that is going away no longer counts.
    let _ = COUNT.try_with(|count| count.set((count.get().0 + calls, count.get().1 + bytes)));
}

// SAFETY: hands everything on to the system's allocator.
unsafe impl GlobalAlloc for Counting {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        note(1, layout.size() as i64);
        // SAFETY: as asked.
        unsafe { System.alloc(layout) }
    }

    unsafe fn dealloc(&self, pointer: *mut u8, layout: Layout) {
        note(0, -(layout.size() as i64));
        // SAFETY: as asked.
        unsafe { System.dealloc(pointer, layout) }
    }

    unsafe fn realloc(&self, pointer: *mut u8, layout: Layout, size: usize) -> *mut u8 {
        note(1, size as i64 - layout.size() as i64);
        // SAFETY: as asked.
        unsafe { System.realloc(pointer, layout, size) }
    }
}

#[global_allocator]
static ALLOCATOR: Counting = Counting;

/// A pile that rests, with joints, a spring, a marked body and a sensor, so that every part of a step has work.
fn yard_at_rest() -> World {
    let mut world = worlds::pyramid(6);
    let link = |a: usize, b: usize, kind: JointKind| Joint {
        kind,
        bodies: [a, b],
        frames: ironspin_model::JointFrame::planar([ironspin_model::DVec2::ZERO; 2]),
        length: None,
    };
    let first = world.bodies.len();
    for i in 0..3 {
        world.bodies.push(solid(square(0.5), 20.0 + f64::from(i), 0.25));
    }
    world.bodies[first].ccd = true;
    world.joints.push(link(first, first + 1, JointKind::Rod));
    world.joints.push(link(first + 1, first + 2, JointKind::Spring { stiffness: 10.0, damping: 1.0 }));
    let mut gate = yard::fixed(square(2.0), 3.0, 1.0);
    gate.parts[0].sensor = true;
    world.bodies.push(gate);
    world
}

#[test]
fn a_steady_step_allocates_nothing() {
    for options in [
        "threads=1",
        "threads=1,broad=sort",
        "threads=1,broad=tree",
        "threads=1,swept=all",
        "threads=1,solver=compliant",
        "threads=1,solver=position",
        "threads=1,sleep=on",
        "threads=1,integrator=rk4",
        "threads=1,precision=f32",
    ] {
        let mut bench = Bench::new(yard_at_rest(), options, 1.0 / 60.0);
        bench.engine.advance_blind(1.0 / 60.0, 300).expect("steps");
        let before = COUNT.get().0;
        bench.engine.advance_blind(1.0 / 60.0, 60).expect("steps");
        assert_eq!(COUNT.get().0 - before, 0, "{options}");
    }
}

/// Bytes held by an engine after some steps of a world.
fn held(world: &World) -> (f64, usize) {
    let before = COUNT.get().1;
    let mut engine = ironspin_engine::Builtin::new(yard::settings("threads=1"));
    ironspin_model::Engine::build(&mut engine, world, &yard::conditions()).expect("a world");
    engine.advance_blind(1.0 / 60.0, 30).expect("steps");
    ((COUNT.get().1 - before) as f64, engine.work().0)
}

#[test]
fn a_body_takes_less_than_a_kilobyte_and_a_contact_less_than_400_bytes_more() {
    let count = 4000;
    let mut loose = world(0.0, 0.5, 0.0);
    loose.bodies.push(floor());
    let mut piled = world(9.81, 0.5, 0.0);
    piled.bodies.push(floor());
    for i in 0..count {
        let (x, y) = (f64::from(i % 100), f64::from(i / 100));
        let mut free = solid(square(0.9), 1.5 * x, 1.0 + 1.5 * y);
        free.velocity = DVec3::new(0.01, 0.0, 0.0);
        loose.bodies.push(free);
        // Side by side, as in a wall: every body has its four neighbours.
        piled.bodies.push(solid(square(0.9), 0.9 * x, 0.45 + 0.9 * y));
    }
    // One contact, so that the lists of the solver are there for all bodies.
    loose.bodies.push(solid(square(0.9), -10.0, 0.45));
    let (free, few) = held(&loose);
    let (resting, points) = held(&piled);
    assert!(few <= 2);
    let (a_body, a_point) = (free / f64::from(count), (resting - free) / points as f64);
    println!("{a_body:.0} bytes a body, {a_point:.0} a contact point");
    assert!(a_body < 1024.0, "{a_body} bytes a body");
    assert!(points > 4000 && a_point < 400.0, "{a_point} bytes a contact point");
}
