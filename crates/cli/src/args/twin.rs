//! Arguments of `twin`.

use super::{ConditionOptions, Format, SceneSelection};
use clap::Args;
use ironspin_lab::TwinKind;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(crate) struct TwinOptions {
    #[command(flatten)]
    pub(crate) scenes: SceneSelection,
    /// Changes after which the trial must agree with itself; all when nothing is said: again, process, threads, split, restore, units, mass, tempo,
    /// bystander, order, mirror, turn, shift, boost; or promised, for those that the scene lists
    #[arg(long, value_name = "CHANGE,...", value_delimiter = ',', value_parser = change)]
    pub(crate) by: Vec<Change>,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = Format::Table)]
    pub(crate) format: Format,
    /// Folder for a page with replays of what differs, twins.json and a plot of each difference over time
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Twins at a time; 0 for one a core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
}

/// A change, or those that the scene promises.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Change {
    /// One kind.
    Kind(TwinKind),
    /// Those that the scene lists.
    Promised,
}

fn change(text: &str) -> Result<Change, String> {
    if text == "promised" {
        return Ok(Change::Promised);
    }
    let words = || TwinKind::all().into_iter().map(TwinKind::word).chain(["promised"]);
    TwinKind::of(text).map(Change::Kind).ok_or_else(|| match ironspin_model::nearest(text, words()) {
        Some(near) => format!("there is no twin by `{text}`; did you mean `{near}`?"),
        None => format!("there is no twin by `{text}`; there are: {}", words().collect::<Vec<_>>().join(", ")),
    })
}

/// One trial, all of whose frames are written as bytes. For this program's own use.
#[derive(Debug, Args)]
pub(crate) struct FramesOptions {
    #[arg(value_name = "SCENE")]
    pub(crate) scene: String,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
}
