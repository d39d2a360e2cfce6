//! Arguments of `edge`, `series`, `cost`, `compare` and `history`.

use super::conditions::name_and_values;
use super::{ConditionOptions, Format};
use clap::Args;
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(crate) struct EdgeOptions {
    /// A bundled scene by name, a scene file by path
    #[arg(value_name = "SCENE")]
    pub(crate) scene: String,
    /// What is raised, from where to where: a parameter, or dt, size, units or origin, such as speed=10..5000; backwards to lower it
    #[arg(long, value_name = "NAME=FROM..TO", value_parser = raise)]
    pub(crate) raise: Raise,
    /// The claim that is to break: its name in the scene, a gauge such as tunnel.count, or its first word, or any
    #[arg(long, value_name = "CLAIM")]
    pub(crate) until: String,
    /// How closely the edge is to be known, such as 1% or 0.01
    #[arg(long, value_name = "SHARE", default_value = "1%", value_parser = share)]
    pub(crate) resolution: f64,
    /// Values of the first scan; more of them find more edges
    #[arg(long, value_name = "N", default_value_t = 12, value_parser = clap::value_parser!(u16).range(2..=1000))]
    pub(crate) scan: u16,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = Format::Table)]
    pub(crate) format: Format,
    /// Trials at a time; 0 for one a core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
}

#[derive(Debug, Args)]
pub(crate) struct SeriesOptions {
    /// Bundled scenes by name, scene files by path; the series that they claim are run unless --over says another
    #[arg(required = true, value_name = "SCENE")]
    pub(crate) scenes: Vec<String>,
    /// The axis and its values: dt, size or a parameter, such as dt=1/30,1/60,1/120
    #[arg(long, value_name = "NAME=VALUE,...", value_parser = name_and_values, requires = "gauge")]
    pub(crate) over: Option<(String, Vec<String>)>,
    /// What is measured: a gauge, cost, or refined (the distance at the end from where the next finer step comes)
    #[arg(long, value_name = "GAUGE", requires = "over")]
    pub(crate) gauge: Option<String>,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = Format::Table)]
    pub(crate) format: Format,
    /// Folder for a page and series.json
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Folder for a plot of each series
    #[arg(long, value_name = "DIR")]
    pub(crate) plots: Option<PathBuf>,
    /// Trials at a time; 0 for one a core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
}

#[derive(Debug, Args)]
pub(crate) struct CostOptions {
    /// A bundled scene by name, a scene file by path
    #[arg(value_name = "SCENE")]
    pub(crate) scene: String,
    /// The parameter and its values, such as count=10,20,50,100
    #[arg(long, value_name = "NAME=VALUE,...", value_parser = name_and_values)]
    pub(crate) over: Option<(String, Vec<String>)>,
    /// The claim by which the error of each setting is measured, for a table of error against cost
    #[arg(long, value_name = "GAUGE")]
    pub(crate) error: Option<String>,
    /// Time for a step, ms
    #[arg(long, value_name = "MS", default_value_t = 16.7, value_parser = super::above_zero)]
    pub(crate) budget: f64,
    /// How often the turns go round
    #[arg(long, value_name = "N", default_value_t = 3, value_parser = clap::value_parser!(u16).range(1..=100))]
    pub(crate) rounds: u16,
    /// Longest time for one setting in one round, s
    #[arg(long, value_name = "S", default_value_t = 1.0, value_parser = super::above_zero)]
    pub(crate) longest: f64,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = Format::Table)]
    pub(crate) format: Format,
    /// Folder for a page and cost.json
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// File for a plot of cost over count, .svg
    #[arg(long, value_name = "FILE")]
    pub(crate) plot: Option<PathBuf>,
    /// Keep the figures in a ledger
    #[arg(long, value_name = "FILE")]
    pub(crate) ledger: Option<PathBuf>,
    /// Name of the entry in the ledger
    #[arg(long, value_name = "NAME", requires = "ledger")]
    pub(crate) name: Option<String>,
}

#[derive(Debug, Args)]
pub(crate) struct CompareOptions {
    /// What it was and what it is now, each a folder of results, a .json file of results or costs, or LEDGER#ENTRY (number or name); with --name
    /// only what it is now
    #[arg(value_name = "BASE NEW", required = true, num_args = 1..=2)]
    pub(crate) results: Vec<String>,
    /// Compare with the entry of this name in the ledger
    #[arg(long, value_name = "NAME", requires = "ledger")]
    pub(crate) name: Option<String>,
    /// The ledger
    #[arg(long, value_name = "FILE", requires = "name")]
    pub(crate) ledger: Option<PathBuf>,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = Format::Table)]
    pub(crate) format: Format,
}

#[derive(Debug, Args)]
pub(crate) struct HistoryOptions {
    /// Name of a scene
    #[arg(value_name = "SCENE")]
    pub(crate) scene: String,
    /// One gauge of it, one claim by its name, or cost
    #[arg(value_name = "GAUGE")]
    pub(crate) gauge: Option<String>,
    /// The ledger
    #[arg(long, value_name = "FILE")]
    pub(crate) ledger: PathBuf,
}

/// What is raised.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Raise {
    /// Its name.
    pub(crate) name: String,
    /// From where to where.
    pub(crate) range: [f64; 2],
}

fn raise(text: &str) -> Result<Raise, String> {
    let wrong = || "expected NAME=FROM..TO, such as speed=10..5000 or dt=1/240..1/10".to_owned();
    let (name, range) = text.split_once('=').ok_or_else(wrong)?;
    let (from, to) = range.split_once("..").ok_or_else(wrong)?;
    let number = |text: &str| -> Result<f64, String> {
        match text.split_once('/') {
            Some((over, under)) => {
                let part = |text: &str| text.trim().parse::<f64>().map_err(|_| wrong());
                Ok(part(over)? / part(under)?)
            }
            None => text.trim().parse().map_err(|_| wrong()),
        }
    };
    let range = [number(from)?, number(to)?];
    if name.trim().is_empty() || !range.iter().all(|end| end.is_finite()) || range[0] == range[1] {
        return Err(wrong());
    }
    Ok(Raise { name: name.trim().to_owned(), range })
}

fn share(text: &str) -> Result<f64, String> {
    let wrong = || "expected a share between 0 and 1, such as 1% or 0.01".to_owned();
    let value = match text.trim().strip_suffix('%') {
        Some(percent) => percent.trim().parse::<f64>().map(|percent| 0.01 * percent),
        None => text.trim().parse::<f64>(),
    };
    value.ok().filter(|value| *value > 0.0 && *value < 1.0).ok_or_else(wrong)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_raised_and_how_closely_is_read() {
        assert_eq!(raise("speed=10..5000"), Ok(Raise { name: "speed".to_owned(), range: [10.0, 5000.0] }));
        assert_eq!(raise("dt=1/10..1/240").map(|raise| raise.range), Ok([0.1, 1.0 / 240.0]));
        assert!(raise("speed=10").is_err() && raise("=1..2").is_err() && raise("x=1..1").is_err());
        assert_eq!((share("1%"), share("0.5")), (Ok(0.01), Ok(0.5)));
        assert!(share("0").is_err() && share("100%").is_err());
    }
}
