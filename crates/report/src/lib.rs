//! Tables, JSON, plots and pages from results. Draws and writes text; prints nothing.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`verdict_table`], [`pooled_lines`], [`what_broke`] | what a person reads in a terminal | `terminal.rs` |
//! | [`result_json`], [`trials_csv`] | what a program reads | `machine.rs` |
//! | [`page`] | one self-contained HTML page | `page.rs`, `page.css` |
//! | `picture` | bodies of a world as SVG | `picture.rs` |
//! | [`sketch`] | a world as characters | `sketch.rs` |
//! | `plot` | curves over time as SVG | `plot.rs` |
//! | `look` | colours, marks and words of verdicts, the same everywhere | `look.rs` |
//! | [`show`] | numbers for people | `number.rs` |

mod look;
mod machine;
mod number;
mod page;
mod picture;
mod plot;
mod sketch;
mod terminal;

pub use machine::{MachineError, result_json, trials_csv};
pub use number::{show, with_unit};
pub use page::page;
pub use picture::{Scenery, picture};
pub use plot::PlotError;
pub use sketch::sketch;
pub use terminal::{TableStyle, pooled_lines, summary_line, verdict_table, what_broke};
