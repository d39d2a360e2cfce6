//! Plan files: what a sweep is made of, in TOML.

use crate::farm::FarmTable;
use crate::order::GridOrder;
use ironspin_model::{Clock, Factor, Origin, THREAD_LIMIT, Timestep};
use ironspin_scene::{Place, SceneError, toml_error};
use schemars::JsonSchema;
use serde::Deserialize;
use std::collections::BTreeMap;
use std::ops::Range;
use std::path::Path;
use std::str::FromStr;
use std::sync::Arc;
use toml::Spanned;

/// Largest plan file, bytes.
pub(crate) const PLAN_LIMIT: u64 = 4 << 20;

/// A text or a number, with its place.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(untagged)]
enum Plain {
    Text(String),
    Whole(i64),
    Number(f64),
}

impl Plain {
    fn text(&self) -> String {
        match self {
            Plain::Text(text) => text.clone(),
            Plain::Whole(number) => number.to_string(),
            Plain::Number(number) => number.to_string(),
        }
    }
}

/// A plan file.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct PlanFile {
    /// Version of the form: 1.
    #[schemars(with = "i64")]
    plan: Spanned<i64>,
    /// Bundled scenes by name, scene files by path as seen from the folder of the plan.
    #[schemars(with = "Vec<String>")]
    scenes: Spanned<Vec<String>>,
    /// Engines under test; the built-in one when left out.
    engines: Option<Vec<String>>,
    /// Step lengths, s, such as "1/60".
    #[schemars(with = "Option<Vec<Plain>>")]
    dt: Option<Vec<Spanned<Plain>>>,
    /// "fixed", "raw:60" or "bank:60".
    #[schemars(with = "Option<Vec<Plain>>")]
    clock: Option<Vec<Spanned<Plain>>>,
    /// Frame times differ, by the seed.
    #[serde(default)]
    uneven: bool,
    /// One frame takes longer: "SECONDS@TIME".
    #[schemars(with = "Option<Plain>")]
    stall: Option<Spanned<Plain>>,
    /// Length units, such as 100 or "2^-10".
    #[schemars(with = "Option<Vec<Plain>>")]
    units: Option<Vec<Spanned<Plain>>>,
    /// Sizes under the same gravity.
    #[schemars(with = "Option<Vec<Plain>>")]
    size: Option<Vec<Spanned<Plain>>>,
    /// Places, m: "x" or "x:y".
    #[schemars(with = "Option<Vec<Plain>>")]
    origin: Option<Vec<Spanned<Plain>>>,
    /// Seeds of everything random.
    seed: Option<Vec<u64>>,
    /// Threads allowed to the engine, up to 256.
    #[schemars(with = "Option<Vec<usize>>")]
    threads: Option<Vec<Spanned<usize>>>,
    /// How often each trial is run, up to 10,000 times.
    #[schemars(with = "Option<u32>")]
    repeat: Option<Spanned<u32>>,
    /// Values of parameters, each a list.
    #[serde(default)]
    set: BTreeMap<String, Vec<Plain>>,
    /// Where the trials are run when `--on` is given, and with what.
    #[expect(dead_code, reason = "read on its own by `read_farm_table`; named here so that it is known")]
    farm: Option<FarmTable>,
}

/// The JSON Schema of plan files.
pub fn plan_schema() -> schemars::Schema {
    schemars::schema_for!(PlanFile)
}

struct Reader {
    text: Arc<str>,
    origin: String,
}

impl Reader {
    fn fault(&self, span: Range<usize>, message: String, help: Option<String>) -> SceneError {
        let place = Place { file: self.origin.clone(), text: Arc::clone(&self.text), span };
        SceneError { message, label: "here".to_owned(), help, place: Some(Box::new(place)) }
    }

    fn one<T: FromStr<Err: std::fmt::Display>>(&self, value: &Spanned<Plain>) -> Result<T, SceneError> {
        value.get_ref().text().parse().map_err(|error: T::Err| self.fault(value.span(), error.to_string(), None))
    }

    /// A number from 1 to a limit.
    fn within<T: Copy + PartialOrd + std::fmt::Display + From<u8>>(
        &self,
        value: &Spanned<T>,
        most: T,
    ) -> Result<T, SceneError> {
        let found = *value.get_ref();
        if found >= T::from(1) && found <= most {
            return Ok(found);
        }
        Err(self.fault(value.span(), format!("{found} is out of range: expected 1 to {most}"), None))
    }

    fn list<T: FromStr<Err: std::fmt::Display>>(
        &self,
        values: Option<&Vec<Spanned<Plain>>>,
        usual: T,
    ) -> Result<Vec<T>, SceneError> {
        match values {
            None => Ok(vec![usual]),
            Some(values) => values.iter().map(|value| self.one(value)).collect(),
        }
    }
}

/// Reads a plan file. Scene files are named as seen from its folder.
///
/// # Errors
/// With its place, for anything that is wrong in the file; without, when it cannot be read.
pub fn read_plan(path: &Path) -> Result<GridOrder, SceneError> {
    let origin = path.display().to_string();
    let text = ironspin_model::read_text(path, PLAN_LIMIT)
        .map_err(|error| SceneError::without_place(format!("cannot read the plan `{origin}`: {error}"), None))?;
    let file: PlanFile = toml::from_str(&text).map_err(|error| toml_error(&error, &text, &origin))?;
    let reader = Reader { text: text.into(), origin };
    if *file.plan.get_ref() != 1 {
        let message = format!("this plan is of version {}", file.plan.get_ref());
        return Err(reader.fault(file.plan.span(), message, Some("write plan = 1".to_owned())));
    }
    if file.scenes.get_ref().is_empty() {
        let help = Some("`ironspin scenes` lists the bundled scenes".to_owned());
        return Err(reader.fault(file.scenes.span(), "a plan without scenes".to_owned(), help));
    }
    let stall = file.stall.as_ref().map(|stall| reader.one(stall)).transpose()?;
    let kinds = reader.list(file.clock.as_ref(), ironspin_model::ClockKind::Fixed)?;
    let sixtieth = Timestep { text: "1/60".to_owned(), seconds: 1.0 / 60.0 };
    let folder = path.parent().unwrap_or(Path::new(""));
    let scene = |name: &String| match name.ends_with(".toml") {
        true => folder.join(name).display().to_string(),
        false => name.clone(),
    };
    Ok(GridOrder {
        set: file.set.iter().map(|(name, values)| (name.clone(), values.iter().map(Plain::text).collect())).collect(),
        clocks: kinds.into_iter().map(|kind| Clock { kind, uneven: file.uneven, stall }).collect(),
        units: reader.list(file.units.as_ref(), Factor::one())?,
        sizes: reader.list(file.size.as_ref(), Factor::one())?,
        origins: reader.list(file.origin.as_ref(), Origin::default())?,
        threads: match &file.threads {
            None => vec![1],
            Some(threads) => {
                threads.iter().map(|threads| reader.within(threads, THREAD_LIMIT)).collect::<Result<_, _>>()?
            }
        },
        seeds: file.seed.unwrap_or_else(|| vec![1]),
        repeat: file.repeat.as_ref().map_or(Ok(1), |repeat| reader.within(repeat, 10_000))?,
        ..GridOrder::plain(
            file.scenes.get_ref().iter().map(scene).collect(),
            file.engines.unwrap_or_else(|| vec!["builtin".to_owned()]),
            reader.list(file.dt.as_ref(), sixtieth)?,
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> Result<GridOrder, SceneError> {
        let place = tempfile::tempdir().unwrap();
        let path = place.path().join("yard.toml");
        std::fs::write(&path, text).unwrap();
        read_plan(&path)
    }

    #[test]
    fn a_plan_is_read() {
        let order = read(
            "plan = 1\nscenes = [\"ingot-stack\"]\nengines = [\"builtin\", \"builtin:swept=off\"]\ndt = [\"1/60\", 0.01]\n\
             units = [1, \"2^-10\"]\nclock = [\"raw:30\"]\nstall = \"0.4@1\"\nseed = [1, 2]\nset = { count = [2, 3], span = [2] }\n",
        )
        .unwrap();
        assert_eq!(order.trials(), Some(2 * 2 * 2 * 2 * 2));
        assert_eq!(order.set[0], ("count".to_owned(), vec!["2".to_owned(), "3".to_owned()]));
        assert_eq!(order.clocks[0].stall.map(|stall| stall.seconds), Some(0.4));
    }

    #[test]
    fn slips_are_told_with_their_place() {
        let fault = read("plan = 1\nscenes = [\"x\"]\nunit = [1]\n").unwrap_err();
        assert_eq!(fault.help.as_deref(), Some("did you mean `units`?"));
        assert_eq!(fault.place.unwrap().line(), 3);
        let fault = read("plan = 1\nscenes = [\"x\"]\ndt = [\"1/60\", \"1/0\"]\n").unwrap_err();
        assert!(fault.message.contains("`1/0` is no step length"), "{}", fault.message);
        assert_eq!(fault.place.unwrap().line(), 3);
        assert!(read("plan = 2\nscenes = [\"x\"]\n").unwrap_err().message.contains("version 2"));
        assert!(read("plan = 1\nscenes = []\n").unwrap_err().message.contains("without scenes"));
    }
}
