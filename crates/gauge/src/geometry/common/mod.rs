//! What gauges ask of worlds of every dimension.

mod membership;

pub(crate) use membership::Membership;
