//! Gauges: each measures one quantity from frames, never from what an engine says about itself where it can be worked
//! out. Works on frames as they stream by; shares no collision code with any engine.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`Gauge`], [`View`], [`Scope`], [`Reading`], [`Exhibit`] | the shape every gauge has | `gauge.rs` |
//! | [`Step`] | one step of a trial with the frames at both its ends | `step.rs` |
//! | [`GaugeEntry`] | name, label, unit, better direction, definition, formula, source, dimensions, maker | `entry.rs` |
//! | [`GAUGES`] | the one list of gauges, one file each | `gauges/` |
//! | [`handbook`] | the list as a document | `handbook.rs` |
//! | [`Derived`] | what several gauges work out from the same frames | `derived/` |
//! | [`judge`], [`Outcome`] | a reading held against a bound | `judge.rs` |
//! | [`FrameCache`] | what all gauges of a trial see of its two last frames, worked out once | `cache/` |
//! | `geometry` | outlines, gaps by support functions, first touches | `geometry/` |
//!
//! To add a gauge: copy a file of `gauges/`, add its entries to the list in `gauges/mod.rs`, and write both its tests.

mod advice;
mod derived;
mod entry;
mod frame_cache;
mod gauge;
mod gauges;
mod geometry;
mod handbook;
mod judge;
mod step;

pub use derived::{Derived, MechanicalEnergy, mechanical_energy};
pub use entry::{Better, GaugeEntry, Need, UNIT_OF_THE_CLAIM};
pub use frame_cache::FrameCache;
pub use gauge::{Exhibit, Gauge, Moment, QueryResult, Reading, Scope, View};
pub use gauges::{GAUGES, find, pooled_reading};
pub use geometry::{Collider, Gap, PlaneGap, SpaceCollider};
pub use handbook::{entry_text, handbook};
pub use judge::{Outcome, judge};
pub use step::Step;
