//! The gauges, one file each.

pub(crate) mod balance;
pub(crate) mod contacts;
pub(crate) mod creep;
pub(crate) mod energy;
pub(crate) mod escape;
pub(crate) mod explainer;
pub(crate) mod fall;
pub(crate) mod filter;
pub(crate) mod frequency;
pub(crate) mod ghost;
pub(crate) mod impacts;
pub(crate) mod jitter;
pub(crate) mod motion;
pub(crate) mod overlap;
pub(crate) mod path;
pub(crate) mod period;
pub(crate) mod probes;
pub(crate) mod rebound;
pub(crate) mod sensor;
pub(crate) mod settle;
pub(crate) mod spread;
pub(crate) mod stands;
pub(crate) mod tunnel;
pub(crate) mod value;

#[cfg(test)]
pub(crate) mod trace;
