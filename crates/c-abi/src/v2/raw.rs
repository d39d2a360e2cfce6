//! The structures of the second header, field by field. What they mean stands there.
#![allow(missing_docs)]

pub use crate::raw::{EngineHandle, Material, Pair};
use std::ffi::c_char;

/// `ironspin_part`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Part {
    pub shape: u32,
    pub sensor: u32,
    pub first_number: u64,
    pub number_count: u64,
    pub position: [f64; 3],
    pub rotation: [f64; 4],
    pub angle: f64,
    pub material: u64,
}

/// `ironspin_body`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Body {
    pub name: *const c_char,
    pub kind: u32,
    pub fixed_turn: u32,
    pub swept: u32,
    pub absent: u32,
    pub layers: u32,
    pub meets: u32,
    pub position: [f64; 3],
    pub rotation: [f64; 4],
    pub angle: f64,
    pub velocity: [f64; 3],
    pub spin: [f64; 3],
    pub mass: f64,
    pub inertia: [f64; 6],
    pub linear_damping: f64,
    pub angular_damping: f64,
    pub gravity_factor: f64,
    pub first_part: u64,
    pub part_count: u64,
}

/// `ironspin_joint`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Joint {
    pub kind: u32,
    pub has_length: u32,
    pub has_limits: u32,
    pub unused: u32,
    pub bodies: [u64; 2],
    pub anchors: [f64; 6],
    pub length: f64,
    pub stiffness: f64,
    pub damping: f64,
    pub axis: [f64; 3],
    pub limits: [f64; 2],
}

/// `ironspin_world`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct World {
    pub size: u64,
    pub space: u32,
    pub threads: u32,
    pub seed: u64,
    pub gravity: [f64; 3],
    pub dt: f64,
    pub material_count: u64,
    pub pair_count: u64,
    pub body_count: u64,
    pub part_count: u64,
    pub number_count: u64,
    pub joint_count: u64,
    pub apart_count: u64,
    pub materials: *const Material,
    pub pairs: *const Pair,
    pub bodies: *const Body,
    pub parts: *const Part,
    pub numbers: *const f64,
    pub joints: *const Joint,
    pub apart: *const u64,
    pub soft_count: u64,
    pub node_count: u64,
    pub spring_count: u64,
    pub skin_count: u64,
    pub cell_count: u64,
    pub softs: *const Soft,
    pub nodes: *const Node,
    pub springs: *const Spring,
    pub skin: *const u64,
    pub cells: *const u64,
    pub stick_count: u64,
    pub sticks: *const Stick,
    pub laws: *const Law,
    pub pin_count: u64,
    pub pins: *const Pin,
}

/// `ironspin_soft`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Soft {
    pub name: *const c_char,
    pub material: u64,
    pub radius: f64,
    pub layers: u32,
    pub meets: u32,
    pub swept: u32,
    pub absent: u32,
    pub touches_itself: u32,
    pub has_pressure: u32,
    pub gravity_factor: f64,
    pub damping: f64,
    pub amount: f64,
    pub outside: f64,
    pub first_node: u64,
    pub node_count: u64,
    pub first_spring: u64,
    pub spring_count: u64,
    pub first_skin: u64,
    pub skin_count: u64,
    pub first_cell: u64,
    pub cell_count: u64,
}

/// `ironspin_node`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Node {
    pub position: [f64; 3],
    pub velocity: [f64; 3],
    pub mass: f64,
}

/// `ironspin_spring`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Spring {
    pub ends: [u64; 2],
    pub length: f64,
    pub stiffness: f64,
    pub damping: f64,
}

/// `ironspin_stick`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Stick {
    pub ends: [u64; 2],
    pub length: f64,
}

/// `ironspin_law`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Law {
    pub first_stick: u64,
    pub stick_count: u64,
    pub has_matching: u32,
    pub has_yield: u32,
    pub matching: f64,
    pub strain: f64,
    pub most: f64,
}

/// `ironspin_pin`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Pin {
    pub soft: u64,
    pub node: u64,
    pub body: u64,
    pub point: [f64; 3],
}

/// `ironspin_action`.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
pub struct Action {
    pub kind: u32,
    pub has_point: u32,
    pub body: u64,
    pub vector: [f64; 3],
    pub point: [f64; 3],
    pub rotation: [f64; 4],
    pub angle: f64,
    pub piece_count: u64,
    pub pieces: *const u64,
    pub node: u64,
    pub has_node: u32,
    pub held: u32,
}

/// `ironspin_hit`.
#[repr(C)]
#[derive(Clone, Copy, Debug, Default)]
pub struct Hit {
    pub body: u64,
    pub point: [f64; 3],
    pub normal: [f64; 3],
    pub distance: f64,
}
