//! What is to be run, resolved and checked before anything runs.

use ironspin_gauge::{GAUGES, GaugeEntry, Need};
use ironspin_link::EngineSpec;
use ironspin_model::{Claim, Conditions, Measure, nearest};
use ironspin_scene::{Question, Scene, SceneError, Setup};
use ironspin_trace::TraceFormat;
use sha2::{Digest, Sha256};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// One trial to be run.
#[derive(Clone, Debug)]
pub struct TrialPlan {
    /// The scene as it was named: a bundled name or a path.
    pub scene: String,
    /// SHA-256 of the texts of the scene.
    pub scene_hash: String,
    /// Parameters set from outside: name and value, as typed.
    pub set: Vec<(String, String)>,
    /// The scene, worked out for these conditions.
    pub setup: Arc<Setup>,
    /// The engine under test.
    pub engine: EngineSpec,
    /// What the engine is known by: its version, or the hash of its file.
    pub engine_hash: String,
    /// Everything else.
    pub conditions: Conditions,
    /// Steps from one frame of its replay to the next; nothing for as many as make a few hundred.
    pub pace: Option<u64>,
    /// Where its frames are to be kept, and how.
    pub trace: Option<(PathBuf, TraceFormat)>,
    /// The arguments that judge a recorded trace again, in place of a run.
    pub judged_by: Option<Vec<String>>,
}

impl TrialPlan {
    /// The arguments that run this trial alone.
    pub fn arguments(&self) -> Vec<String> {
        if let Some(words) = &self.judged_by {
            return words.clone();
        }
        let mut words = vec!["run".to_owned(), self.scene.clone(), "--dt".to_owned(), self.conditions.dt.text.clone()];
        words.extend(["--engine".to_owned(), self.engine.text().to_owned()]);
        let unusual = self.conditions.unusual().into_iter();
        words.extend(unusual.flat_map(|(name, value)| [format!("--{name}"), value]));
        words.extend(self.engine.process_limits().arguments());
        words.extend(self.set.iter().flat_map(|(name, value)| ["--set".to_owned(), format!("{name}={value}")]));
        words
    }

    /// What identifies this trial among all others of any grid, whatever the version of anything.
    pub fn identity(&self) -> String {
        identity(&self.scene, &self.engine, &self.conditions, &self.set)
    }

    /// Names what comes of this trial: changes with the trial, with the text of its scene, with the engine, and with the version of the
    /// program.
    pub fn key(&self) -> String {
        let version = env!("CARGO_PKG_VERSION");
        let kept = self.engine.process_limits().arguments().join(" ");
        let whole = format!("{version}\n{}\n{}\n{}\n{kept}", self.scene_hash, self.engine_hash, self.identity());
        hash([whole.as_str()])[..20].to_owned()
    }

    /// A share of the grid from 0 to `shares - 1`, by a hash that never changes.
    pub fn share(&self, shares: u64) -> u64 {
        let digits = &hash([self.identity().as_str()])[..15];
        u64::from_str_radix(digits, 16).unwrap_or(0) % shares.max(1)
    }

    /// How long it will take beside the others: bodies times steps.
    pub fn weight(&self) -> f64 {
        let steps = self.conditions.schedule(self.setup.world.duration).count() as f64;
        steps * (self.setup.world.bodies.len() as f64 + 1.0)
    }
}

/// What identifies a trial among all others, of a scene that need not have been read.
pub(crate) fn identity(scene: &str, engine: &EngineSpec, conditions: &Conditions, set: &[(String, String)]) -> String {
    let mut reported = vec![
        scene.to_owned(),
        engine.text().to_owned(),
        conditions.dt.text.clone(),
        conditions.unusual_text(),
        conditions.repeat.to_string(),
    ];
    reported.extend(set.iter().map(|(name, value)| format!("{name}={value}")));
    reported.join("\n")
}

/// Words as they are typed to a shell: what a shell would take apart stands in quotes.
pub fn shell_line(words: &[String]) -> String {
    let plain =
        |word: &str| !word.is_empty() && word.chars().all(|c| c.is_ascii_alphanumeric() || "-_./:=,@+^%".contains(c));
    let reported = |word: &String| match plain(word) {
        true => word.clone(),
        false => format!("'{}'", word.replace('\'', r"'\''")),
    };
    words.iter().map(reported).collect::<Vec<_>>().join(" ")
}

/// SHA-256 of some texts, one after the other, in hexadecimal digits.
pub(crate) fn hash<'a>(texts: impl IntoIterator<Item = &'a str>) -> String {
    let mut hasher = Sha256::new();
    for text in texts {
        hasher.update(text.as_bytes());
        hasher.update([0]);
    }
    hasher.finalize().iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Gives every trial of a plan a file of its own in a folder for its frames: `SCENE_DT_ENGINE.csv`, numbered where names
/// would be the same.
pub fn keep_traces(plans: &mut [TrialPlan], folder: &Path, format: TraceFormat) {
    let mut used = std::collections::BTreeSet::new();
    for plan in plans {
        let plain = |text: &str| -> String {
            // Longer ones would be no file names any more.
            text.chars()
                .map(|c| if c.is_ascii_alphanumeric() || ".=-".contains(c) { c } else { '-' })
                .take(80)
                .collect()
        };
        let mut stem =
            format!("{}_{}_{}", plain(&plan.setup.name), plain(&plan.conditions.dt.text), plain(plan.engine.text()));
        let unusual = plan.conditions.unusual().into_iter();
        stem.extend(unusual.map(|(name, value)| format!("_{name}{}", plain(&value))));
        stem.truncate(200);
        let mut name = stem.clone();
        let mut number = 2;
        while !used.insert(name.clone()) {
            name = format!("{stem}_{number}");
            number += 1;
        }
        plan.trace = Some((folder.join(format!("{name}.{}", format.ending())), format));
    }
}

/// The first of a gauge's needs that a claim or its scene does not meet, with its name and a line that would.
pub(crate) fn lacks(needs: &[Need], claim: &Claim, setup: &Setup) -> Option<(Need, (&'static str, &'static str))> {
    let asks = |ray: bool| setup.probes.iter().any(|probe| matches!(probe.question, Question::Ray { .. }) == ray);
    let met = |need: Need| match need {
        Need::Against => !claim.against.is_empty(),
        Need::Bounds => setup.world.bounds.is_some(),
        Need::Measure => claim.details.measure.is_some(),
        Need::Path => claim.details.path.is_some(),
        Need::Law => claim.details.law.is_some(),
        Need::Becomes => claim.details.becomes.is_some(),
        Need::Nth => claim.details.nth.is_some(),
        Need::AtTime => claim.details.at_time.is_some(),
        Need::Point => claim.details.point.is_some(),
        Need::Ray => asks(true),
        Need::Forecast => asks(false),
        Need::Soft => !setup.world.softs.is_empty(),
        Need::Sensor => setup.world.bodies.iter().any(|body| body.parts.iter().any(|part| part.sensor)),
    };
    needs.iter().copied().find(|&need| !met(need)).map(|need| (need, need.texts()))
}

/// What a claim may give, of which its gauge may make nothing.
const DETAILS: [Need; 7] = [Need::Measure, Need::Path, Need::Law, Need::Becomes, Need::Nth, Need::AtTime, Need::Point];

fn makes_use_of(gauge: &GaugeEntry, detail: Need) -> bool {
    gauge.needs.contains(&detail) || gauge.takes.contains(&detail)
}

/// What a claim gives and its gauge makes nothing of.
fn unused(gauge: &GaugeEntry, claim: &Claim) -> Option<Need> {
    let details = &claim.details;
    let given = |detail: Need| match detail {
        Need::Measure => details.measure.is_some(),
        Need::Path => details.path.is_some(),
        Need::Law => details.law.is_some(),
        Need::Becomes => details.becomes.is_some(),
        Need::Nth => details.nth.is_some(),
        Need::AtTime => details.at_time.is_some(),
        Need::Point => details.point.is_some(),
        _ => false,
    };
    DETAILS.into_iter().find(|&detail| given(detail) && !makes_use_of(gauge, detail))
}

/// The gauges of a scene's claims must exist and be given what they need.
///
/// # Errors
/// With the place of the first claim that is wrong.
pub fn check_claims(scene: &Scene, setup: &Setup) -> Result<(), SceneError> {
    for (index, claim) in setup.claims.iter().enumerate() {
        let Some(gauge) = ironspin_gauge::find(&claim.gauge) else {
            let names = || GAUGES.iter().map(|gauge| gauge.name);
            let help = nearest(&claim.gauge, names()).map_or_else(
                || format!("gauges: {}", names().collect::<Vec<_>>().join(", ")),
                |name| format!("did you mean `{name}`?"),
            );
            let message = format!("there is no gauge called `{}`", claim.gauge);
            return Err(scene.claim_error(setup, index, message, "unknown gauge".to_owned(), Some(help)));
        };
        if gauge.one_body && claim.of.len() != 1 && !claim.details.measure.as_ref().is_some_and(Measure::is_whole) {
            let first = claim.of.first().and_then(|&id| setup.world.bodies.get(id));
            return Err(scene.claim_error(
                setup,
                index,
                format!("`{}` measures one body, and `{}` names {}", gauge.name, claim.of_text, claim.of.len()),
                "of which?".to_owned(),
                first.map(|body| format!("name one by `of`, such as of = \"{}\"", body.name)),
            ));
        }
        if let Some(detail) = unused(gauge, claim) {
            let takers = || GAUGES.iter().filter(|other| makes_use_of(other, detail)).map(|other| other.name);
            let word = detail.texts().0;
            return Err(scene.claim_error(
                setup,
                index,
                format!("`{}` makes nothing of {word}", gauge.name),
                format!("{word} goes unused"),
                Some(format!(
                    "leave it out, or take a gauge that uses it: {}",
                    takers().collect::<Vec<_>>().join(", ")
                )),
            ));
        }
        if let Some((need, (what, line))) = lacks(gauge.needs, claim, setup) {
            let of_claim = need == Need::Against || DETAILS.contains(&need);
            return Err(scene.claim_error(
                setup,
                index,
                format!("`{}` needs {what}", gauge.name),
                if of_claim { "this claim has none" } else { "the scene has none" }.to_owned(),
                Some(format!("add a line such as {line}")),
            ));
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_scene::Settings;

    #[test]
    fn words_with_blanks_are_quoted() {
        let words = ["run", "a-b.toml", "--engine", "cmd:./x --flag 'y'"].map(str::to_owned);
        assert_eq!(shell_line(&words), r"run a-b.toml --engine 'cmd:./x --flag '\''y'\'''");
        assert_eq!(shell_line(&[String::new()]), "''");
    }

    fn claim_fault(claim: &str) -> SceneError {
        let text = format!(
            "scene = 1\nname = \"x\"\nabout = \"x\"\n[world]\ngravity = [0, 0]\nduration = 1\n[material.iron]\ndensity = 1\nfriction = 0\nrestitution = 0\n\
             [[body]]\nname = \"ball\"\nshape = {{ disc = 1 }}\nat = [0, 0]\nmaterial = \"iron\"\n[[claim]]\n{claim}\nat_most = 0\nbecause = \"x\"\n"
        );
        let scene = Scene::parse(&text, "x.toml").unwrap();
        let setup = scene.resolve(&Settings::with_dt(0.01)).unwrap();
        check_claims(&scene, &setup).unwrap_err()
    }

    #[test]
    fn claims_are_checked_with_their_place() {
        let fault = claim_fault("gauge = \"tunel.count\"");
        assert_eq!(fault.help.as_deref(), Some("did you mean `tunnel.count`?"));
        assert_eq!(fault.place.unwrap().line(), 17);
        assert!(claim_fault("gauge = \"tunnel.count\"").message.contains("needs `against`"));
        assert!(claim_fault("gauge = \"escape.count\"").message.contains("needs `bounds`"));
    }
}
