//! The room of space: free flight, impacts, friction, piles, and what must give the same bits.

mod flight;
mod friction;
mod impacts;
mod joints;
mod notices;
mod refusals;
mod rest;
mod same_bits;
mod shapes;
mod shots;
mod softs;
#[allow(dead_code)]
pub(crate) mod worlds;
pub(crate) mod yard;
