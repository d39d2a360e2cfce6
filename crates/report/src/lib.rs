//! Tables, JSON, plots and pages from results. Draws and writes text; prints nothing.
//!
//! | type | duty | file |
//! |---|---|---|
//! | [`verdict_table`], [`pooled_lines`], [`what_broke`], [`what_was_reported`] | what a person reads in a terminal | `terminal.rs` |
//! | [`result_json`], [`trials_csv`] | what a program reads | `machine.rs` |
//! | [`verdict_map`], [`broken_claims`] | verdicts of a sweep over step and scale | `map.rs` |
//! | [`page`] | one self-contained HTML page, with replays | `page/` |
//! | [`junit_xml`], [`markdown`] | what build servers and reviews read | `exchange.rs` |
//! | [`RESULT_FORMATS`] | all formats of results | `formats.rs` |
//! | [`result_plot`] | a gauge over a condition, a parameter or time | `scatter.rs` |
//! | [`Drawing`], [`TwinDrawing`] | what trials and twins are drawn from, kept beside results | `drawing/` |
//! | [`gif`], [`apng`], [`strip`], [`still`], [`play`] | films and raster images, and in a terminal | `film/` |
//! | `picture` | bodies of a world as SVG | `picture.rs` |
//! | `sparkline` | a quantity over time in one line of characters | `sparkline.rs` |
//! | [`sketch`] | a world as characters | `sketch.rs` |
//! | `plot` | curves over time, spectra, histograms | `plot.rs` |
//! | [`twin_table`], [`twin_csv`], [`growth_plot`] | twins | `twins.rs` |
//! | [`edge_text`], [`series_text`], [`comparison_text`], [`history_text`] | edges, series, comparisons, history | `search.rs` |
//! | [`cost_table`], [`cost_plot`] | costs | `cost.rs` |
//! | [`probe_table`] | the examination of an engine | `probe.rs` |
//! | [`proof_text`], [`proof_markdown`], [`proof_page`] | faults and who notices them | `proof/` |
//! | `axes`, `dots` | figures with linear or logarithmic axes, as SVG and PNG | `axes.rs`, `dots.rs` |
//! | `look` | colours, marks and words of verdicts, the same everywhere | `look.rs` |
//! | [`show`] | numbers for people | `number.rs` |

mod axes;
mod cells;
mod cost;
mod dots;
mod drawing;
mod engine_key;
mod exchange;
mod farm;
mod figure;
mod film;
mod formats;
mod json;
mod lettering;
mod look;
mod machine;
mod map;
mod number;
mod page;
mod picture;
mod plot;
mod polar;
mod probe;
mod proof;
mod scatter;
mod scenes;
mod search;
mod search_csv;
mod sketch;
mod sparkline;
mod terminal;
mod twins;

pub use axes::PlotError;
pub use cost::{cost_csv, cost_plot, cost_table, tradeoff_plot};
pub use drawing::{Drawing, TwinDrawing};
pub use exchange::{junit_xml, markdown};
pub use farm::farm_table;
pub use figure::{FIGURES_MADE_FOR, View, coarsened};
pub use film::{FilmError, FilmStyle, apng, gif, play, still, strip};
pub use formats::{RESULT_FORMATS, ResultFormat};
pub use lettering::missing_letters;
pub use machine::{MachineError, document_json, result_json, results_csv, trials_csv, write_json, write_trials_csv};
pub use map::{broken_claims, document_summary, verdict_map};
pub use number::{show, with_unit};
pub use page::{A_PAGE, Beyond, PAGED, PageTrial, page, page_among, page_of_many};
pub use picture::{Scenery, picture};
pub use probe::probe_table;
pub use proof::{fault_list, proof_markdown, proof_page, proof_text};
pub use scatter::{ResultPlot, ResultPlotError, result_plot};
pub use scenes::{coverage_holes, coverage_text, topic_list};
pub use search::{collapse_text, comparison_text, edge_text, history_text, series_plot, series_text, worst_of};
pub use search_csv::{comparison_csv, edge_csv, series_csv};
pub use sketch::sketch;
pub use terminal::{
    TableStyle, common_lines, pooled_lines, summary_line, verdict_table, what_broke, what_was_reported,
};
pub use twins::{growth_plot, twin_csv, twin_table};
