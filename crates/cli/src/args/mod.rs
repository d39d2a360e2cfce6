//! What may be typed.

mod conditions;
mod engines;
mod farm;
mod look;
mod proof;
mod search;
mod selection;
mod sweep;
mod twin;

pub(crate) use conditions::ConditionOptions;
pub(crate) use engines::{EnginesAction, EnginesOptions, KeepOptions, ProbeFormat, ProbeOptions, ServeLibraryOptions};
pub(crate) use farm::{FarmAction, FarmOptions, FarmPlace, JoinOptions, StatusFormat, StatusOptions, WorkOptions};
pub(crate) use look::{FilmOptions, FilmView, PlotOptions, ReportOptions, view_parser};
pub(crate) use proof::{ProofFormat, ProofOptions};
pub(crate) use search::{CompareOptions, CostOptions, EdgeOptions, HistoryOptions, SeriesOptions};
pub(crate) use selection::SceneSelection;
pub(crate) use sweep::{MergeOptions, SweepOptions};
pub(crate) use twin::{Change, FramesOptions, TwinOptions};

use clap::builder::PossibleValue;
use clap::{Args, Parser, Subcommand, ValueEnum};
use conditions::name_and_value;
use ironspin_model::Timestep;
use ironspin_report::{RESULT_FORMATS, ResultFormat};
use ironspin_trace::TurnOrder;
use std::path::PathBuf;
use std::sync::LazyLock;

/// A test bench for physics engines: scripted scenes, measured facts, a verdict with its reason.
#[derive(Debug, Parser)]
#[command(name = "ironspin", version, arg_required_else_help = true)]
#[command(
    after_help = "Exit status: 0 all claims hold; 1 a claim fails; 2 bad input; 3 an engine failed; 4 trials of a whole are missing; 5 no claim could be judged; 130 interrupted. A share whose trials were run ends with 0: the verdict comes with `merge`."
)]
pub(crate) struct Arguments {
    /// Show no progress
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// End with 0 also when claims were asked and none could be judged
    #[arg(long, global = true)]
    pub(crate) accept_unjudged: bool,
    /// End the command after so many seconds, as a signal would: what is finished is kept, status 130
    #[arg(long, global = true, value_name = "SECONDS", value_parser = above_zero)]
    pub(crate) timeout: Option<f64>,
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Run all bundled scenes of the plane and a choice of those of space under a careful and a careless setting, and leave a report to look at
    Demo(DemoOptions),
    /// Run scenes and say which claims hold
    Run(RunOptions),
    /// Run a grid of trials in a folder: steps, units, sizes, clocks, parameters, seeds, engines; goes on where it was stopped
    Sweep(SweepOptions),
    /// Join folders of shares of one sweep or proof
    Merge(MergeOptions),
    /// Look after shares that a scheduler or other processes work on (see --on of sweep and proof)
    Farm(FarmOptions),
    /// Hold trials against themselves after an exact change: run again, in other units, mirrored, on more threads
    Twin(TwinOptions),
    /// Find the value of a parameter or condition at which a claim starts to break
    Edge(EdgeOptions),
    /// Measure along an axis: order of convergence over the step, growth over a count
    Series(SeriesOptions),
    /// Measure what a step costs, over a count, for several engines in turns
    Cost(CostOptions),
    /// Prove that the bench catches engines broken on purpose, and leaves a sound one alone
    Proof(ProofOptions),
    /// Compare two results: what newly fails, newly passes, got better or worse
    Compare(CompareOptions),
    /// Show the figures of a scene over time, from a ledger
    History(HistoryOptions),
    /// Tell the memory of a trial, from a process of its own
    #[command(hide = true)]
    Weigh(FramesOptions),
    /// Write the frames of a trial as bytes, for a twin in another process
    #[command(hide = true)]
    Frames(FramesOptions),
    /// Hold the claims of a scene against a recorded trace, from whatever engine or program
    Judge(JudgeOptions),
    /// Make the page of a folder of results again
    Report(ReportOptions),
    /// Plot a gauge over a condition or parameter, from folders of results
    Plot(PlotOptions),
    /// Draw a trial as a picture, a strip of pictures or a film
    Film(FilmOptions),
    /// List the bundled scenes; show, copy, check or begin one
    Scenes(ScenesOptions),
    /// Print the JSON Schema of a file format, for editors and validators
    Schema(SchemaOptions),
    /// Serve the built-in engine over the engine protocol, one JSON-RPC call a line on standard input
    ServeEngine,
    /// Load a shared library and serve its engine, for the bench
    #[command(hide = true)]
    ServeLibrary(ServeLibraryOptions),
    /// Run an engine within limits, ending it when the bench ends
    #[command(hide = true)]
    KeepEngine(KeepOptions),
    /// List the engines that can be tested, with their settings; probe one
    Engines(EnginesOptions),
    /// Print a script that completes commands and options in a shell
    Completions {
        /// The shell
        #[arg(value_enum)]
        shell: clap_complete::Shell,
    },
    /// Print the manual page, or write one for each command into a folder
    Manual {
        /// The folder; it is made if it is not there
        #[arg(long, value_name = "DIR")]
        out: Option<PathBuf>,
    },
    /// Say what a gauge measures or a verdict means, what usually breaks it, and what to try next
    Explain(ExplainOptions),
}

#[derive(Debug, Args)]
pub(crate) struct DemoOptions {
    /// Folder for the report; an older report there is replaced
    #[arg(long, value_name = "DIR", default_value = "out/demo")]
    pub(crate) out: PathBuf,
    /// Trials at a time; 0 for one a core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
}

/// What is written to standard output.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// A table to read
    Table,
    /// One JSON document
    Json,
    /// One CSV row a claim
    Csv,
}

/// What results of trials are written as.
#[derive(Clone, Copy, Debug)]
pub(crate) enum ResultsAs {
    /// Tables to read
    Table,
    /// For another program
    Format(&'static ResultFormat),
}

impl ValueEnum for ResultsAs {
    fn value_variants<'a>() -> &'a [ResultsAs] {
        static ALL: LazyLock<Vec<ResultsAs>> = LazyLock::new(|| {
            [ResultsAs::Table].into_iter().chain(RESULT_FORMATS.iter().map(ResultsAs::Format)).collect()
        });
        &ALL
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        Some(match self {
            ResultsAs::Table => PossibleValue::new("table").help("A table to read"),
            ResultsAs::Format(format) => PossibleValue::new(format.name).help(format.about),
        })
    }
}

#[derive(Debug, Args)]
pub(crate) struct RunOptions {
    #[command(flatten)]
    pub(crate) scenes: SceneSelection,
    #[command(flatten)]
    pub(crate) conditions: ConditionOptions,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = ResultsAs::Table)]
    pub(crate) format: ResultsAs,
    /// Folder for result.json, trials.csv and report.html
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
    /// Folder for the frames of every trial, one file each; it is made if it is not there
    #[arg(long, value_name = "DIR")]
    pub(crate) trace: Option<PathBuf>,
    /// Format of these files
    #[arg(long, value_enum, value_name = "FORMAT", default_value_t = TraceAs::Csv, requires = "trace")]
    pub(crate) trace_format: TraceAs,
    /// Write how long each trial took into JSON; without it, the same run gives the same bytes
    #[arg(long)]
    pub(crate) timing: bool,
    /// Also hold the trials against themselves after the changes that their scenes promise (see twin)
    #[arg(long)]
    pub(crate) twins: bool,
    /// Keep the results in a ledger (SQLite)
    #[arg(long, value_name = "FILE")]
    pub(crate) ledger: Option<PathBuf>,
    /// Name of the entry in the ledger
    #[arg(long, value_name = "NAME", requires = "ledger")]
    pub(crate) name: Option<String>,
    /// Trials at a time; 0 for one a core
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) jobs: usize,
}

/// Formats of traces.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum TraceAs {
    /// Text, one row a body and frame
    Csv,
    /// Packed columns
    Parquet,
}

/// Which way is up in a trace.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum UpIs {
    /// y points up
    Y,
    /// y points down, as on a screen
    MinusY,
    /// z points up
    Z,
}

/// Which hand the axes of a trace have.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum HandIs {
    /// Right-handed
    Right,
    /// Left-handed: x and up as said, the third axis the other way
    Left,
}

/// Which number of a quaternion in a trace is the scalar.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum ScalarIs {
    /// q0
    First,
    /// q3
    Last,
}

/// Units of angles in a trace.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum AngleUnit {
    /// Radians
    Rad,
    /// Degrees
    Deg,
}

#[derive(Debug, Args)]
pub(crate) struct JudgeOptions {
    /// The scene whose claims are to hold: a bundled one by name, a file by path
    #[arg(value_name = "SCENE")]
    pub(crate) scene: String,
    /// The trace, .csv or .parquet
    #[arg(value_name = "TRACE")]
    pub(crate) trace: PathBuf,
    /// Length of a step in seconds; given by the trace or its first frames when left out
    #[arg(long, value_name = "STEP")]
    pub(crate) dt: Option<Timestep>,
    /// Which way is up in the trace
    #[arg(long, value_enum, value_name = "AXIS", default_value_t = UpIs::Y)]
    pub(crate) up: UpIs,
    /// Unit of angles and spins in the trace
    #[arg(long, value_enum, value_name = "UNIT", default_value_t = AngleUnit::Rad)]
    pub(crate) angles: AngleUnit,
    /// Which hand the axes of the trace have, in space
    #[arg(long, value_enum, value_name = "HAND", default_value_t = HandIs::Right)]
    pub(crate) hand: HandIs,
    /// Which of the columns q0 to q3 is the scalar of the quaternion
    #[arg(long, value_enum, value_name = "PLACE")]
    pub(crate) quaternion: Option<ScalarIs>,
    /// The axes of the world about which the angles in the columns a1, a2 and a3 turn a body, one after the other, such as xyz or zxz
    #[arg(long, value_name = "AXES")]
    pub(crate) turns: Option<TurnOrder>,
    /// Units of length of the trace in a metre
    #[arg(long, value_name = "N", default_value_t = 1.0, value_parser = above_zero)]
    pub(crate) pixels_per_metre: f64,
    /// Units of time of the trace in a second: 1000 for milliseconds
    #[arg(long, value_name = "N", default_value_t = 1.0, value_parser = above_zero)]
    pub(crate) ticks_per_second: f64,
    /// Set a parameter of the scene; may be given several times
    #[arg(long = "set", value_name = "NAME=VALUE", value_parser = name_and_value)]
    pub(crate) set: Vec<(String, String)>,
    /// Seed of everything random in the scene
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub(crate) seed: u64,
    /// Most bodies the scene may have
    #[arg(long, value_name = "N", default_value_t = ironspin_scene::BODY_LIMIT)]
    pub(crate) max_bodies: usize,
    /// What to write to standard output
    #[arg(long, value_enum, default_value_t = ResultsAs::Table)]
    pub(crate) format: ResultsAs,
    /// Folder for result.json, trials.csv and report.html
    #[arg(long, value_name = "DIR")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Debug, Args)]
#[command(args_conflicts_with_subcommands = true)]
pub(crate) struct ScenesOptions {
    #[command(subcommand)]
    pub(crate) action: Option<ScenesAction>,
    #[command(flatten)]
    pub(crate) selection: SceneSelection,
}

#[derive(Debug, Subcommand)]
pub(crate) enum ScenesAction {
    /// Print a scene: a sketch, its parameters with their values, what must hold, and its source
    Show(ShowOptions),
    /// Copy a bundled scene into a folder, to be changed
    Copy {
        /// A bundled scene by name
        #[arg(value_name = "NAME")]
        name: String,
        /// The folder; it is made if it is not there
        #[arg(value_name = "DIR")]
        folder: PathBuf,
    },
    /// Read scene files and say what is wrong with them, without running anything
    Check {
        /// Scene files by path, bundled scenes by name
        #[arg(required = true, value_name = "FILE")]
        scenes: Vec<String>,
        /// Step length in seconds at which expressions are worked out
        #[arg(long, value_name = "STEP", default_value = "1/60")]
        dt: Timestep,
        /// Also build each scene on this engine, such as builtin:solver=event, and say why it cannot; may be given several times
        #[arg(long = "engine", value_name = "ENGINE")]
        engines: Vec<String>,
        /// End with status 1 when there is a warning
        #[arg(long)]
        strict: bool,
    },
    /// List the topics with a line on each, and the bundled scenes of each
    Topics {
        /// Write Markdown
        #[arg(long)]
        markdown: bool,
    },
    /// Show which bundled scenes bring shapes, joints, actions, filters, sensors and kinds of bodies together under a claim, and which pairs none does
    Coverage {
        /// Write Markdown
        #[arg(long)]
        markdown: bool,
    },
    /// Write a commented scene to begin with
    New {
        /// Name of the scene; the file is NAME.toml
        #[arg(value_name = "NAME")]
        name: String,
        /// Dimensions of its world: 2 for the plane, 3 for space
        #[arg(long, value_name = "N", default_value_t = 2, value_parser = clap::value_parser!(u8).range(2..=3))]
        space: u8,
    },
}

#[derive(Debug, Args)]
pub(crate) struct ShowOptions {
    /// A bundled scene by name, or a scene file by path
    #[arg(value_name = "SCENE")]
    pub(crate) scene: String,
    /// Set a parameter of the scene; may be given several times
    #[arg(long = "set", value_name = "NAME=VALUE", value_parser = name_and_value)]
    pub(crate) set: Vec<(String, String)>,
    /// Step length in seconds at which expressions are worked out
    #[arg(long, value_name = "STEP", default_value = "1/60")]
    pub(crate) dt: Timestep,
    /// Seed of everything random in the scene
    #[arg(long, value_name = "N", default_value_t = 1)]
    pub(crate) seed: u64,
    /// Most bodies the scene may have
    #[arg(long, value_name = "N", default_value_t = ironspin_scene::BODY_LIMIT)]
    pub(crate) max_bodies: usize,
    /// Print the scene with everything worked out instead, as a scene file that builds the same world
    #[arg(long)]
    pub(crate) resolved: bool,
    /// Also draw it to an SVG file
    #[arg(long, value_name = "FILE")]
    pub(crate) picture: Option<PathBuf>,
    /// The side from which that of a scene in space is seen; the corner when left out
    #[arg(long, value_name = "SIDE", value_parser = view_parser(), requires = "picture")]
    pub(crate) view: Option<ironspin_report::View>,
}

#[derive(Debug, Args)]
pub(crate) struct SchemaOptions {
    /// Which format
    #[arg(value_enum)]
    pub(crate) format: SchemaOf,
}

/// Formats that have a schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SchemaOf {
    /// Scene files
    Scene,
    /// Plan files of sweeps
    Plan,
}

#[derive(Debug, Args)]
pub(crate) struct ExplainOptions {
    /// Name of a gauge, a kind of twin such as restore, or a verdict: pass, fail, unsupported, unknown, error
    #[arg(value_name = "NAME", required_unless_present = "all")]
    pub(crate) gauge: Option<String>,
    /// Explain all gauges, as one Markdown document
    #[arg(long, conflicts_with = "gauge")]
    pub(crate) all: bool,
}

fn not_negative(text: &str) -> Result<f64, String> {
    match text.trim().parse::<f64>() {
        Ok(value) if value >= 0.0 && value.is_finite() => Ok(value),
        _ => Err("expected a number of at least 0, such as 2.5".to_owned()),
    }
}

fn above_zero(text: &str) -> Result<f64, String> {
    match text.trim().parse::<f64>() {
        Ok(value) if value > 0.0 && value.is_finite() => Ok(value),
        _ => Err("expected a number above 0, such as 50".to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;

    #[test]
    fn the_definitions_do_not_contradict_each_other() {
        Arguments::command().debug_assert();
    }

    #[test]
    fn steps_and_parameters_are_read() {
        let typed = ["ironspin", "run", "ingot-stack", "--dt", "1/60,1/240", "--set", "count = 3"];
        let Command::Run(options) = Arguments::parse_from(typed).command else { panic!("not a run") };
        assert_eq!(options.conditions.dt[1].seconds, 1.0 / 240.0);
        assert_eq!(options.conditions.set, [("count".to_owned(), vec!["3".to_owned()])]);
        for wrong in [
            ["--seed", "x"],
            ["--seed", "3..1"],
            ["--seed", "1,1"],
            ["--seed", "1..99999"],
            ["--dt", "1/0"],
            ["--set", "count"],
            ["--format", "tabel"],
            ["--clock", "raw"],
            ["--units", "0"],
            ["--origin", "far"],
            ["--stall", "0.4"],
        ] {
            assert!(Arguments::try_parse_from(["ironspin", "run", "x", wrong[0], wrong[1]]).is_err(), "{wrong:?}");
        }
    }
}
