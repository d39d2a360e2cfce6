//! What came of the trials of a proof.

use super::cells::{Cell, Cells};
use crate::record::TrialRecord;
use crate::trial::run_trial;
use crate::twins::{TwinRecord, run_twin};
use crate::work::Work;
use ironspin_engine::{FaultEntry, Notice, SOUND};
use ironspin_model::Verdict;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::path::Path;

/// What came of a trial or twin, as far as a proof asks; also as it stands in the files of a folder.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(super) struct Outcome {
    pub(super) verdict: Verdict,
    /// Why it is an error.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) reason: String,
    /// Numbers of the claims that must hold and do not.
    pub(super) broken: Vec<usize>,
    /// How many claims were held against it.
    pub(super) held: usize,
    /// For each claim what was measured, and how much of the bound is used up.
    #[serde(with = "figures")]
    pub(super) measured: Vec<(Option<f64>, f64)>,
}

/// Numbers that JSON has no digits for stand there as words, and come back as they were.
mod figures {
    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    #[derive(Serialize, Deserialize)]
    #[serde(untagged)]
    enum Figure {
        Number(f64),
        Word(String),
    }

    impl Figure {
        fn of(value: f64) -> Figure {
            if value.is_finite() { Figure::Number(value) } else { Figure::Word(value.to_string()) }
        }

        fn value(self) -> Option<f64> {
            match self {
                Figure::Number(value) => Some(value),
                Figure::Word(word) => word.parse().ok(),
            }
        }
    }

    pub(super) fn serialize<S: Serializer>(measured: &[(Option<f64>, f64)], serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(measured.iter().map(|(value, used)| (value.map(Figure::of), Figure::of(*used))))
    }

    pub(super) fn deserialize<'d, D: Deserializer<'d>>(reader: D) -> Result<Vec<(Option<f64>, f64)>, D::Error> {
        let read = Vec::<(Option<Figure>, Figure)>::deserialize(reader)?;
        let pair = |(value, used): (Option<Figure>, Figure)| {
            Some((value.map(|v| v.value().ok_or(())).transpose().ok()?, used.value()?))
        };
        read.into_iter()
            .map(|read| pair(read).ok_or_else(|| serde::de::Error::custom("a word that is no number")))
            .collect()
    }
}

impl Outcome {
    /// Does a piece of work; `program` runs twins in another process.
    pub(super) fn of(work: &Work, program: Option<&Path>) -> Outcome {
        match work {
            Work::Trial(plan) => Outcome::of_trial(&run_trial(plan)),
            Work::Twin(twin) => Outcome::of_twin(&run_twin(twin, program)),
        }
    }

    pub(super) fn of_trial(record: &TrialRecord) -> Outcome {
        let claims = || record.claims.iter().enumerate();
        Outcome {
            verdict: record.verdict,
            reason: record.reason.clone(),
            broken: claims().filter(|(_, claim)| claim.decides()).map(|(number, _)| number).collect(),
            held: claims().filter(|(_, claim)| claim.verdict == Verdict::Pass).count(),
            measured: record.claims.iter().map(|claim| (claim.measured, claim.used)).collect(),
        }
    }

    pub(super) fn of_twin(record: &TwinRecord) -> Outcome {
        let broken = if record.verdict == Verdict::Fail { vec![0] } else { Vec::new() };
        let apart = record.worst.as_ref().map_or(0.0, |worst| worst.0);
        Outcome {
            verdict: record.verdict,
            reason: record.reason.clone(),
            held: usize::from(record.verdict == Verdict::Pass),
            broken,
            measured: vec![(Some(apart).filter(|apart| apart.is_finite()), f64::NAN)],
        }
    }
}

/// All that is known.
#[derive(Default)]
pub(super) struct Evidence {
    known: BTreeMap<String, (Cell, Outcome)>,
}

impl Evidence {
    pub(super) fn len(&self) -> usize {
        self.known.len()
    }

    pub(super) fn all(&self) -> impl Iterator<Item = &(Cell, Outcome)> {
        self.known.values()
    }

    /// The cells of a list that are not known yet, each once.
    pub(super) fn unknown(&self, cells: Vec<Cell>) -> Vec<Cell> {
        let mut due: BTreeMap<String, Cell> = BTreeMap::new();
        for cell in cells.into_iter().filter(|cell| !self.known.contains_key(&cell.key)) {
            due.insert(cell.key.clone(), cell);
        }
        due.into_values().collect()
    }

    pub(super) fn add(&mut self, found: impl Iterator<Item = (Cell, Outcome)>) {
        self.known.extend(found.map(|(cell, outcome)| (cell.key.clone(), (cell, outcome))));
    }

    /// What came of a trial on the sound engine under the same conditions.
    fn baseline(&self, cells: &Cells<'_>, cell: &Cell) -> Option<&Outcome> {
        self.known.get(&cell.key_on(&cells.sound)).map(|(_, outcome)| outcome)
    }

    /// The claims that a fault breaks in a trial and that hold without it, by number; and whether it is the first to give an answer that is
    /// none.
    pub(super) fn broken_by(&self, cells: &Cells<'_>, cell: &Cell, outcome: &Outcome) -> (Vec<usize>, bool) {
        let Some(sound) = self.baseline(cells, cell) else { return (Vec::new(), false) };
        let broken = outcome.broken.iter().copied().filter(|number| !sound.broken.contains(number));
        (broken.collect(), outcome.verdict == Verdict::Error && sound.verdict != Verdict::Error)
    }

    /// Whether a claim that the entry of a fault names notices it: at a size, step and seed.
    pub(super) fn notices(
        &self,
        cells: &Cells<'_>,
        fault: &FaultEntry,
        notice: &Notice,
        (decade, step, seed): (i32, &str, u64),
    ) -> bool {
        let key = cells.broken(fault, decade).and_then(|engine| cells.key(notice, &engine, step, seed));
        let Some((cell, outcome)) = key.ok().and_then(|key| self.known.get(&key)) else { return false };
        let (broken, unsound) = self.broken_by(cells, cell, outcome);
        if notice.claim == SOUND {
            return unsound;
        }
        match &cell.work {
            Work::Twin(_) => !broken.is_empty(),
            Work::Trial(plan) => broken.iter().any(|&number| plan.setup.claims[number].gauge == notice.claim),
        }
    }

    /// Whether any claim that the entry of a fault names notices it.
    pub(super) fn catches(&self, cells: &Cells<'_>, fault: &FaultEntry, decade: i32, step: &str) -> bool {
        cells.notices(fault).any(|notice| self.notices(cells, fault, notice, (decade, step, 1)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn outcomes_come_back_from_their_files_to_the_bit() {
        let measured = vec![(Some(0.1 + 0.2), 1e-320), (None, f64::NAN), (Some(f64::INFINITY), f64::NEG_INFINITY)];
        let outcome = Outcome { verdict: Verdict::Fail, reason: "x".to_owned(), broken: vec![2], held: 3, measured };
        let text = serde_json::to_string(&outcome).unwrap();
        let back: Outcome = serde_json::from_str(&text).unwrap();
        let bits = |outcome: &Outcome| -> Vec<(Option<u64>, bool, u64)> {
            let one = |(value, used): &(Option<f64>, f64)| {
                (value.map(f64::to_bits), used.is_nan(), if used.is_nan() { 0 } else { used.to_bits() })
            };
            outcome.measured.iter().map(one).collect()
        };
        assert_eq!((bits(&back), back.verdict, back.broken, back.held), (bits(&outcome), outcome.verdict, vec![2], 3));
        assert!(serde_json::from_str::<Outcome>(&text.replace("\"inf\"", "\"info\"")).is_err());
    }
}
