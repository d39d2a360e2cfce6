//! Rows of a ledger: one a claim and a cost, and the trials of a sweep.

use crate::cost::CostDocument;
use crate::document::TrialDocument;
use rusqlite::{Connection, Statement, Transaction, params};

const FIGURE: &str =
    "INSERT INTO figure (entry, scene, engine, dt, conditions, trial_verdict, gauge, of, measured, unit, verdict, claim)
     VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12)";

/// Writes figures of trials.
pub(super) struct Figures<'w>(Statement<'w>);

impl<'w> Figures<'w> {
    pub(super) fn of(work: &'w Transaction<'_>) -> Result<Self, rusqlite::Error> {
        work.prepare(FIGURE).map(Figures)
    }

    pub(super) fn add(&mut self, entry: i64, trial: &TrialDocument) -> Result<(), rusqlite::Error> {
        let (conditions, whole) = (trial.unusual_text(), trial.verdict.word());
        let mut row = |name: &str, gauge: &str, of: &str, measured: Option<f64>, unit: &str, verdict: &str| {
            let TrialDocument { scene, engine, dt_text, .. } = trial;
            let figure =
                params![entry, scene, engine, dt_text, conditions, whole, gauge, of, measured, unit, verdict, name];
            self.0.execute(figure).map(|_| ())
        };
        if trial.claims.is_empty() {
            row("", "", "", None, "", whole)?;
        }
        trial.claims.iter().try_for_each(|claim| {
            let measured = claim.measured.filter(|value| value.is_finite());
            row(&claim.name, &claim.gauge, &claim.of, measured, &claim.unit, claim.verdict.word())
        })
    }
}

/// Writes trials, each as a document.
pub(super) struct Trials<'w>(Statement<'w>);

impl<'w> Trials<'w> {
    pub(super) fn of(work: &'w Transaction<'_>) -> Result<Self, rusqlite::Error> {
        work.prepare("INSERT INTO trial (entry, number, document) VALUES (?1, ?2, ?3)").map(Trials)
    }

    pub(super) fn add(&mut self, entry: i64, number: usize, document: &str) -> Result<(), rusqlite::Error> {
        self.0.execute(params![entry, number as i64, document]).map(|_| ())
    }
}

/// The documents of the trials of an entry, in order.
pub(super) fn trials(connection: &Connection, entry: i64) -> Result<Vec<String>, rusqlite::Error> {
    let mut query = connection.prepare("SELECT document FROM trial WHERE entry = ?1 ORDER BY number")?;
    let rows = query.query_map(params![entry], |row| row.get(0))?;
    rows.collect()
}

pub(super) fn add_costs(work: &Transaction<'_>, entry: i64, costs: &CostDocument) -> Result<(), rusqlite::Error> {
    let mut insert = work.prepare(FIGURE)?;
    for cost in &costs.costs {
        let conditions = format!("{}={}", costs.axis, cost.value);
        insert.execute(params![
            entry,
            cost.scene,
            cost.engine,
            "",
            conditions,
            "",
            "cost",
            "",
            cost.median,
            "s",
            "",
            ""
        ])?;
    }
    Ok(())
}
