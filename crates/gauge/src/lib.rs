//! Gauges: each measures one quantity from frames, never from what an engine says about itself where it can be worked
//! out. Works on frames as they stream by; shares no collision code with any engine.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`Gauge`], [`View`], [`Scope`], [`Reading`], [`Exhibit`] | the shape every gauge has | `gauge.rs` |
//! | [`GAUGES`], [`GaugeEntry`] | the one table: name, label, unit, better direction, definition, formula, source, maker | `table.rs` |
//! | [`judge`], [`Outcome`] | a reading held against a bound | `judge.rs` |
//! | [`FrameCache`] | what all gauges of a trial see of its two last frames, worked out once | `cache/` |
//! | `geometry` | outlines, gaps by support functions, first touches | `geometry/` |
//! | one file each | the gauges | `gauges/` |
//!
//! To add a gauge: copy a file of `gauges/`, add its entry to the table, and write both its tests.

mod advice;
mod frame_cache;
mod gauge;
mod gauges;
mod geometry;
mod judge;
mod table;

pub use advice::next_step;
pub use frame_cache::FrameCache;
pub use gauge::{Exhibit, Gauge, Moment, QueryResult, Reading, Scope, View};
pub use gauges::energy::{MechanicalEnergy, mechanical_energy};
pub use gauges::spread::pooled_reading;
pub use geometry::{Collider, Gap, Moving};
pub use judge::{Outcome, judge};
pub use table::{Better, GAUGES, GaugeEntry, Need, entry_text, find, handbook};
