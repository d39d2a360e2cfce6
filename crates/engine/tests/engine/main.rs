//! The built-in engine on worlds with known answers.

mod determinism;
mod elastic;
mod events;
mod faults;
mod flight;
mod friction;
mod insane;
mod integrators;
mod joints;
mod kinds;
mod materials;
mod pairs;
mod pins;
mod precision;
mod rest;
mod seams;
mod sensors;
mod shots;
mod soft;
mod soft_solvers;
mod space;
mod symmetry;
mod worlds;
mod yard;
