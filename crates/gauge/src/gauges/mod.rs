//! The gauges, one file each.

pub(crate) mod balance;
pub(crate) mod creep;
pub(crate) mod energy;
pub(crate) mod escape;
pub(crate) mod impacts;
pub(crate) mod jitter;
pub(crate) mod overlap;
pub(crate) mod rebound;
pub(crate) mod stands;
pub(crate) mod tunnel;
pub(crate) mod value;

#[cfg(test)]
pub(crate) mod trace;
