//! Arguments of `report`, `plot` and `film`.

use super::{ConditionOptions, above_zero, not_negative};
use clap::Args;
use clap::builder::{PossibleValuesParser, TypedValueParser};
use ironspin_report::View;
use std::path::PathBuf;

/// Reads the word of a side.
pub(crate) fn view_parser() -> impl TypedValueParser<Value = View> {
    PossibleValuesParser::new(View::ALL.map(View::word)).try_map(|word| View::of(&word).ok_or("no side of a scene"))
}

/// From where a film is seen.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum FilmView {
    Side(View),
    /// From all named sides at once.
    All,
    /// A body stays in the middle.
    Follow(String),
}

fn film_view(text: &str) -> Result<FilmView, String> {
    if let Some(body) = text.strip_prefix("follow:") {
        return Ok(FilmView::Follow(body.to_owned()));
    }
    let words = View::ALL.map(View::word).join(", ");
    let side = View::of(text).map(FilmView::Side).or((text == "all").then_some(FilmView::All));
    side.ok_or_else(|| format!("expected {words}, all or follow:BODY"))
}

/// A point or a vector of space.
fn three_numbers(text: &str) -> Result<[f64; 3], String> {
    let numbers: Option<Vec<f64>> =
        text.split(',').map(|part| part.trim().parse().ok().filter(|number: &f64| number.is_finite())).collect();
    numbers
        .and_then(|numbers| numbers.try_into().ok())
        .ok_or_else(|| "expected three numbers such as 2,1.5,-3".to_owned())
}

#[derive(Debug, Args)]
pub(crate) struct ReportOptions {
    /// A folder that `run --out`, `demo` or `sweep` has left
    #[arg(value_name = "DIR")]
    pub(crate) folder: PathBuf,
    /// The page; report.html in the folder when left out
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
    /// A title for the page
    #[arg(long, value_name = "TEXT")]
    pub(crate) title: Option<String>,
}

#[derive(Debug, Args)]
pub(crate) struct PlotOptions {
    /// Folders that `run --out`, `demo` or `sweep` has left; or recorded traces of a scene, with --scene
    #[arg(required = true, value_name = "DIR|TRACE")]
    pub(crate) results: Vec<PathBuf>,
    /// The scene of recorded traces: a bundled one by name, a file by path
    #[arg(long, value_name = "SCENE")]
    pub(crate) scene: Option<String>,
    /// The gauge up
    #[arg(long, value_name = "GAUGE")]
    pub(crate) y: String,
    /// What is across: time, dt, steps, bodies, seed, or a parameter of the scene; dt when left out, time for traces
    #[arg(long, value_name = "NAME")]
    pub(crate) over: Option<String>,
    /// Logarithmic axes: x, y or xy; what is not above 0 is then left out
    #[arg(long, value_name = "AXES", default_value = "", value_parser = ["", "x", "y", "xy"])]
    pub(crate) log: String,
    /// The plot (.svg or .png)
    #[arg(long, value_name = "FILE")]
    pub(crate) out: PathBuf,
}

#[derive(Debug, Args)]
pub(crate) struct FilmOptions {
    /// A bundled scene by name, a scene file by path; with --engine trace:FILE a recorded trace of it
    #[arg(value_name = "SCENE")]
    pub(crate) scene: String,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
    /// The film (.gif, or .apng in all colours), the picture or strip (.png)
    #[arg(long, value_name = "FILE", required_unless_present = "play")]
    pub(crate) out: Option<PathBuf>,
    /// Play the film in the terminal, in half blocks; Ctrl-C ends it
    #[arg(long, conflicts_with_all = ["strip", "at"])]
    pub(crate) play: bool,
    /// So many pictures on one sheet, evenly over the trial
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=60))]
    pub(crate) strip: Option<u16>,
    /// One picture, of this time in seconds; the end when left out
    #[arg(long, value_name = "TIME", conflicts_with = "strip", value_parser = not_negative)]
    pub(crate) at: Option<f64>,
    /// Pictures a second
    #[arg(long, value_name = "N", default_value_t = 25.0, value_parser = above_zero)]
    pub(crate) fps: f64,
    /// Times as fast as it happened: 0.1 shows it slowed
    #[arg(long, value_name = "FACTOR", default_value_t = 1.0, value_parser = above_zero)]
    pub(crate) speed: f64,
    /// Width of a picture, dots
    #[arg(long, value_name = "N", default_value_t = 640)]
    pub(crate) width: u32,
    /// The side from which a scene in space is seen: front, side, top, corner, all of them at once, or follow:BODY; the corner from which least is hidden when left out
    #[arg(long, value_name = "SIDE", value_parser = film_view)]
    pub(crate) view: Option<FilmView>,
    /// Look at a scene in space from this point, m; with --to what is seen is as tall as the two are apart
    #[arg(long, value_name = "X,Y,Z", value_parser = three_numbers, allow_hyphen_values = true, conflicts_with = "view")]
    pub(crate) from: Option<[f64; 3]>,
    /// The point in the middle of the picture, m; the middle of the scene when left out
    #[arg(long, value_name = "X,Y,Z", value_parser = three_numbers, allow_hyphen_values = true, requires = "from")]
    pub(crate) to: Option<[f64; 3]>,
    /// Keep a body in the middle, by its name
    #[arg(long, value_name = "BODY")]
    pub(crate) follow: Option<String>,
    /// Draw velocities as arrows
    #[arg(long)]
    pub(crate) velocities: bool,
    /// Draw the ways that bodies have come
    #[arg(long)]
    pub(crate) trails: bool,
    /// Do not slow down where a claim broke
    #[arg(long)]
    pub(crate) no_slow: bool,
    /// Draw no contact points
    #[arg(long)]
    pub(crate) no_contacts: bool,
}
