//! Where work is done, and with what: as it is typed, and as a plan file has it.

use ironspin_model::nearest;
use ironspin_scene::{SceneError, toml_error};
use schemars::JsonSchema;
use serde::Deserialize;
use std::path::Path;
use std::str::FromStr;

/// Longest value of a resource, bytes.
const LONGEST: usize = 500;

/// What a share may use, as the scheduler is told.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Resources {
    /// Partition or queue.
    pub partition: Option<String>,
    /// Longest time, in the scheduler's own words.
    pub time: Option<String>,
    /// Memory, in the scheduler's own words.
    pub memory: Option<String>,
    /// Who pays.
    pub account: Option<String>,
    /// Processors of a share; as many trials are run at once.
    pub cpus: Option<usize>,
    /// More arguments, each handed on as one.
    pub extra: Vec<String>,
}

/// Where shares are worked on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Where {
    /// By the scheduler of the site.
    Slurm(Resources),
    /// By processes here.
    Local {
        /// Shares at a time; nothing for as many as there are processors for.
        processes: Option<usize>,
        /// Trials at a time in each.
        cpus: usize,
    },
    /// By whoever runs the commands that are printed.
    List,
}

impl Where {
    /// Its name as it is typed.
    pub fn word(&self) -> &'static str {
        match self {
            Where::Slurm(_) => "slurm",
            Where::Local { .. } => "local",
            Where::List => "list",
        }
    }

    /// Trials at a time in a share.
    pub fn cpus(&self) -> usize {
        match self {
            Where::Slurm(resources) => resources.cpus.unwrap_or(1),
            Where::Local { cpus, .. } => *cpus,
            Where::List => 1,
        }
    }
}

/// `[farm]` of a plan file: where the work is done, and with what.
#[derive(Clone, Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FarmTable {
    /// "slurm", "local" or "list"; `--on` says otherwise.
    on: Option<String>,
    /// How many shares.
    pub(super) shares: Option<usize>,
    /// Shares at a time, of "local".
    processes: Option<usize>,
    /// Processors of a share.
    cpus: Option<usize>,
    /// Partition or queue.
    partition: Option<String>,
    /// Longest time of a share, as the scheduler reads it.
    time: Option<String>,
    /// Memory of a share, as the scheduler reads it.
    memory: Option<String>,
    /// Who pays.
    account: Option<String>,
    /// More arguments for the scheduler, each handed on as one.
    #[serde(default)]
    extra: Vec<String>,
}

impl FarmTable {
    /// As it would be typed; `kind` in the place of what it names.
    fn pairs(&self, kind: &str) -> Vec<(&'static str, String)> {
        let number = |value: Option<usize>| value.map(|value| value.to_string());
        let slurm = kind == "slurm";
        let of = |wanted: bool, value: &Option<String>| value.clone().filter(|_| wanted);
        let all = [
            ("processes", number(self.processes).filter(|_| kind == "local")),
            ("cpus", number(self.cpus).filter(|_| kind != "list")),
            ("partition", of(slurm, &self.partition)),
            ("time", of(slurm, &self.time)),
            ("memory", of(slurm, &self.memory)),
            ("account", of(slurm, &self.account)),
        ];
        let extra = self.extra.iter().filter(|_| slurm).map(|extra| ("extra", extra.clone()));
        all.into_iter().filter_map(|(name, value)| Some((name, value?))).chain(extra).collect()
    }
}

#[derive(Deserialize)]
struct FarmOnly {
    farm: Option<FarmTable>,
}

/// Reads `[farm]` of a plan file; nothing where there is none. With `kind`, for that in place of what it names.
///
/// # Errors
/// With its place, for anything that is wrong in the table; without, when the file cannot be read.
pub fn read_farm_table(path: &Path, kind: Option<&str>) -> Result<Option<(Where, Option<usize>)>, SceneError> {
    let origin = path.display().to_string();
    let text = ironspin_model::read_text(path, crate::plan_file::PLAN_LIMIT)
        .map_err(|error| SceneError::without_place(format!("cannot read the plan `{origin}`: {error}"), None))?;
    let file: FarmOnly = toml::from_str(&text).map_err(|error| toml_error(&error, &text, &origin))?;
    let Some(table) = file.farm else { return Ok(None) };
    let kind = kind.or(table.on.as_deref()).unwrap_or("slurm");
    let wrong = |why: String| SceneError::without_place(format!("[farm] of `{origin}`: {why}"), None);
    if table.shares == Some(0) {
        return Err(wrong("shares = 0: expected 1 or more".to_owned()));
    }
    let pairs = table.pairs(kind);
    let pairs = pairs.iter().map(|(name, value)| (*name, value.as_str()));
    Ok(Some((of_pairs(kind, pairs).map_err(wrong)?, table.shares)))
}

impl FromStr for Where {
    type Err = String;

    fn from_str(text: &str) -> Result<Where, String> {
        let (kind, rest) = text.split_once(':').unwrap_or((text, ""));
        let pieces = pieces(rest)?;
        let pair = |piece: &String| match piece.split_once('=') {
            Some((name, value)) => Ok((name.trim().to_owned(), value.to_owned())),
            None => Err(format!("`{piece}`: expected NAME=VALUE, such as time=02:00:00")),
        };
        let pairs = pieces.iter().map(pair).collect::<Result<Vec<_>, String>>()?;
        of_pairs(kind, pairs.iter().map(|(name, value)| (name.as_str(), value.as_str())))
    }
}

/// Pieces between commas; what stands in double quotes is one, without them.
fn pieces(text: &str) -> Result<Vec<String>, String> {
    let (mut pieces, mut piece, mut quoted) = (Vec::new(), String::new(), false);
    for letter in text.chars() {
        match letter {
            '"' => quoted = !quoted,
            ',' if !quoted => pieces.push(std::mem::take(&mut piece)),
            _ => piece.push(letter),
        }
    }
    if quoted {
        return Err(format!("`{text}`: expected quotes in pairs"));
    }
    pieces.push(piece);
    pieces.retain(|piece| !piece.trim().is_empty());
    Ok(pieces)
}

const KINDS: [&str; 3] = ["slurm", "local", "list"];

fn of_pairs<'a>(kind: &str, pairs: impl Iterator<Item = (&'a str, &'a str)>) -> Result<Where, String> {
    let names: &[&str] = match kind {
        "slurm" => &["partition", "time", "memory", "cpus", "account", "extra"],
        "local" => &["processes", "cpus"],
        "list" => &[],
        other => {
            let near = nearest(other, KINDS).map_or_else(String::new, |near| format!("; did you mean `{near}`?"));
            return Err(format!(
                "work is done on slurm, local or list, or as a plan file says, and not on `{other}`{near}"
            ));
        }
    };
    let (mut resources, mut processes) = (Resources::default(), None);
    for (name, value) in pairs {
        if value.is_empty() || value.len() > LONGEST || value.chars().any(char::is_control) {
            return Err(format!("{name}: expected a value of 1 to {LONGEST} letters in one line"));
        }
        let number = || match value.parse::<usize>() {
            Ok(number) if (1..=4096).contains(&number) => Ok(Some(number)),
            _ => Err(format!("{name}={value}: expected a number from 1 to 4096")),
        };
        let text = || Some(value.to_owned());
        match name {
            _ if !names.contains(&name) => {
                let near = nearest(name, names.iter().copied());
                let near = near.map_or_else(String::new, |near| format!("; did you mean `{near}`?"));
                return Err(format!("`{kind}` has no `{name}`{near}"));
            }
            "processes" => processes = number()?,
            "cpus" => resources.cpus = number()?,
            "partition" => resources.partition = text(),
            "time" => resources.time = text(),
            "memory" => resources.memory = text(),
            "account" => resources.account = text(),
            _ => resources.extra.push(checked_extra(value)?),
        }
    }
    Ok(match kind {
        "slurm" => Where::Slurm(resources),
        "local" => Where::Local { processes, cpus: resources.cpus.unwrap_or(1) },
        _ => Where::List,
    })
}

/// An argument more for the scheduler: an option, and none of those that the shares hang on.
fn checked_extra(value: &str) -> Result<String, String> {
    const OURS: [&str; 7] = ["--array", "--dependency", "--output", "--parsable", "--job-name", "--chdir", "--wrap"];
    let name = value.split('=').next().unwrap_or(value);
    if !value.starts_with('-') {
        return Err(format!("extra={value}: expected an option, such as extra=\"--constraint=fast\""));
    }
    match OURS.contains(&name) {
        true => Err(format!("extra={value}: {name} is set by this program")),
        false => Ok(value.to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_read_with_their_resources() {
        let found: Where =
            "slurm:partition=long,time=02:00:00,memory=4G,cpus=2,account=yard,extra=\"--constraint=a,b\",extra=--qos=low"
                .parse()
                .unwrap();
        let text = |text: &str| Some(text.to_owned());
        let expected = Resources {
            partition: text("long"),
            time: text("02:00:00"),
            memory: text("4G"),
            account: text("yard"),
            cpus: Some(2),
            extra: vec!["--constraint=a,b".to_owned(), "--qos=low".to_owned()],
        };
        assert_eq!(found, Where::Slurm(expected));
        assert_eq!("local:processes=3".parse(), Ok(Where::Local { processes: Some(3), cpus: 1 }));
        assert_eq!(("list".parse(), "slurm".parse()), (Ok(Where::List), Ok(Where::Slurm(Resources::default()))));
    }

    #[test]
    fn slips_are_told_with_what_is_expected() {
        for (typed, words) in [
            ("slrum", "did you mean `slurm`?"),
            ("slurm:partitoin=long", "did you mean `partition`?"),
            ("local:partition=long", "`local` has no `partition`"),
            ("slurm:time", "expected NAME=VALUE"),
            ("slurm:cpus=0", "a number from 1 to 4096"),
            ("slurm:extra=rm", "expected an option"),
            ("slurm:extra=--array=1-9", "--array is set by this program"),
            ("slurm:extra=\"--x", "quotes in pairs"),
            ("slurm:account=a\nb", "in one line"),
        ] {
            let why = typed.parse::<Where>().unwrap_err();
            assert!(why.contains(words), "{typed}: {why}");
        }
    }

    #[test]
    fn a_table_says_the_same_as_a_line() {
        let place = tempfile::tempdir().unwrap();
        let file = place.path().join("yard.toml");
        std::fs::write(
            &file,
            "plan = 1\nscenes = []\n[farm]\nshares = 8\ntime = \"60\"\ncpus = 2\nextra = [\"--a=b,c\"]\n",
        )
        .unwrap();
        let (found, shares) = read_farm_table(&file, None).unwrap().unwrap();
        assert_eq!((Ok(found), shares), ("slurm:time=60,cpus=2,extra=\"--a=b,c\"".parse(), Some(8)));
        // What another place has no use for is left out.
        let (found, _) = read_farm_table(&file, Some("local")).unwrap().unwrap();
        assert_eq!(found, Where::Local { processes: None, cpus: 2 });
        std::fs::write(&file, "[farm]\npartitoin = \"x\"\n").unwrap();
        let fault = read_farm_table(&file, None).unwrap_err();
        assert_eq!(
            (fault.help.as_deref(), fault.place.map(|place| place.line())),
            (Some("did you mean `partition`?"), Some(2))
        );
        std::fs::write(&file, "plan = 1\n").unwrap();
        assert!(read_farm_table(&file, None).unwrap().is_none());
    }
}
