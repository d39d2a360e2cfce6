//! The ledger: one SQLite file that keeps the results of past sweeps, with versions, machine, conditions and figures. Any SQLite reader
//! can read it.

mod compare;
mod rows;

pub use compare::{Change, ChangeKind, Comparison, compare_costs, compare_results};

use crate::cost::CostDocument;
use crate::document::{Host, ResultDocument, Tool};
use crate::folder::FolderError;
use crate::sweep::{Survey, SweepFolder};
use rusqlite::{Connection, OptionalExtension, Transaction, TransactionBehavior, params};
use std::cell::RefCell;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How long a writer waits for another one.
const PATIENCE: Duration = Duration::from_secs(30);
/// By this number a file is known as a ledger ("Spin").
const MARK: i32 = 0x5370_696e;
/// Each brings a file one version further; a file of version n has had the first n.
const STEPS: [&str; 4] = [
    "CREATE TABLE entry (
        id INTEGER PRIMARY KEY,
        written TEXT NOT NULL,
        kind TEXT NOT NULL,
        tool TEXT NOT NULL,
        os TEXT NOT NULL,
        arch TEXT NOT NULL,
        cores INTEGER NOT NULL,
        command TEXT NOT NULL,
        document TEXT NOT NULL
    );
    CREATE TABLE figure (
        entry INTEGER NOT NULL REFERENCES entry (id),
        scene TEXT NOT NULL,
        engine TEXT NOT NULL,
        dt TEXT NOT NULL,
        conditions TEXT NOT NULL,
        trial_verdict TEXT NOT NULL,
        gauge TEXT NOT NULL,
        of TEXT NOT NULL,
        measured REAL,
        unit TEXT NOT NULL,
        verdict TEXT NOT NULL
    );
    CREATE INDEX figure_of_scene ON figure (scene, gauge, entry);",
    "ALTER TABLE entry ADD COLUMN name TEXT;
    CREATE INDEX entry_name ON entry (name);",
    // Trials of a sweep one by one: all of a large one in a single text would not fit in memory.
    "CREATE TABLE trial (
        entry INTEGER NOT NULL REFERENCES entry (id),
        number INTEGER NOT NULL,
        document TEXT NOT NULL,
        PRIMARY KEY (entry, number)
    ) WITHOUT ROWID;",
    "ALTER TABLE figure ADD COLUMN claim TEXT NOT NULL DEFAULT '';",
];

/// Why a ledger cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum LedgerError {
    /// From SQLite.
    #[error("the ledger `{}`: {cause}", .file.display())]
    Sqlite {
        /// The file.
        file: PathBuf,
        /// What it says.
        cause: rusqlite::Error,
    },
    /// The file is something else.
    #[error("`{}` is no ledger", .0.display())]
    NotOurs(PathBuf),
    /// Written by a newer program.
    #[error("the ledger `{}` is of version {found}, and this program knows versions up to {}", .file.display(), STEPS.len())]
    Newer {
        /// The file.
        file: PathBuf,
        /// Its version.
        found: i32,
    },
    /// No such entry.
    #[error("the ledger `{}` has no entry `{wanted}`", .file.display())]
    NoEntry {
        /// The file.
        file: PathBuf,
        /// What was asked for.
        wanted: String,
    },
    /// An entry cannot be read or written.
    #[error("an entry of the ledger cannot be read: {0}")]
    Form(#[from] serde_json::Error),
    /// A trial of the folder that is to be kept cannot be read.
    #[error(transparent)]
    Folder(#[from] FolderError),
}

/// What an entry holds.
#[derive(Clone, Debug)]
pub enum Kept {
    /// Results of trials.
    Results(Box<ResultDocument>),
    /// Costs.
    Costs(Box<CostDocument>),
}

/// One figure at one time.
#[derive(Clone, Debug, PartialEq)]
pub struct Figure {
    /// Number of the entry.
    pub entry: i64,
    /// Its name, if it was given one.
    pub name: Option<String>,
    /// When it was written, UTC.
    pub written: String,
    /// Version of the program.
    pub tool: String,
    /// The engine as it was named.
    pub engine: String,
    /// Length of a step as typed.
    pub dt: String,
    /// Everything unusual about the conditions.
    pub conditions: String,
    /// Name of the claim; empty where it has none.
    pub claim: String,
    /// Name of the gauge.
    pub gauge: String,
    /// The bodies measured.
    pub of: String,
    /// The value.
    pub measured: Option<f64>,
    /// Its unit.
    pub unit: String,
    /// How it turned out.
    pub verdict: String,
}

/// A ledger that is open.
#[derive(Debug)]
pub struct Ledger {
    file: PathBuf,
    connection: Connection,
}

impl Ledger {
    /// Opens a ledger; a new one is made, an older one is brought up to date.
    ///
    /// # Errors
    /// When the file is something else, or of a newer version, or cannot be written.
    pub fn open(file: &Path) -> Result<Ledger, LedgerError> {
        let sqlite = |cause| reported(file, cause);
        let connection = Connection::open(file).map_err(sqlite)?;
        connection.busy_timeout(PATIENCE).map_err(sqlite)?;
        let mut ledger = Ledger { file: file.to_owned(), connection };
        ledger.upgrade()?;
        Ok(ledger)
    }

    fn upgrade(&mut self) -> Result<(), LedgerError> {
        let file = self.file.clone();
        let sqlite = |cause| reported(&file, cause);
        // Two programs may open a new file at once: the second waits here and finds it made.
        let work = self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(sqlite)?;
        let number = |pragma: &str| work.query_row(&format!("PRAGMA {pragma}"), [], |row| row.get::<_, i32>(0));
        let (mark, version) = (number("application_id").map_err(sqlite)?, number("user_version").map_err(sqlite)?);
        let tables: i64 = work.query_row("SELECT count(*) FROM sqlite_master", [], |row| row.get(0)).map_err(sqlite)?;
        if mark != MARK && tables > 0 {
            return Err(LedgerError::NotOurs(file));
        }
        let known = usize::try_from(version).unwrap_or(usize::MAX);
        if known > STEPS.len() {
            return Err(LedgerError::Newer { file, found: version });
        }
        for step in &STEPS[known..] {
            work.execute_batch(step).map_err(sqlite)?;
        }
        work.execute_batch(&format!("PRAGMA application_id = {MARK}; PRAGMA user_version = {}", STEPS.len()))
            .map_err(sqlite)?;
        work.commit().map_err(sqlite)
    }

    /// Writes results under a name or without one; the number of the entry.
    ///
    /// # Errors
    /// When the file cannot be written.
    pub fn keep(&mut self, name: Option<&str>, command: &[String], kept: &Kept) -> Result<i64, LedgerError> {
        let (kind, document) = match kept {
            Kept::Results(results) => ("results", serde_json::to_string(results)?),
            Kept::Costs(costs) => ("costs", serde_json::to_string(costs)?),
        };
        self.keep_entry(name, command, (kind, &document), &|work, entry| match kept {
            Kept::Results(results) => {
                let mut figures = rows::Figures::of(work)?;
                results.trials.iter().try_for_each(|trial| figures.add(entry, trial))
            }
            Kept::Costs(costs) => rows::add_costs(work, entry, costs),
        })
    }

    /// Writes the trials of a folder in one go, one after the other; the number of the entry.
    ///
    /// # Errors
    /// When the file cannot be written, or a trial not be read; nothing is kept then.
    pub fn keep_swept(
        &mut self,
        name: Option<&str>,
        command: &[String],
        folder: &SweepFolder,
        survey: &Survey,
    ) -> Result<i64, LedgerError> {
        let lost: RefCell<Option<LedgerError>> = RefCell::new(None);
        let head = serde_json::to_string(&survey.head())?;
        let kept = self.keep_entry(name, command, ("results", &head), &|work, entry| {
            let (mut figures, mut trials) = (rows::Figures::of(work)?, rows::Trials::of(work)?);
            for (number, trial) in folder.trials(survey).enumerate() {
                let text =
                    trial.map_err(LedgerError::from).and_then(|trial| Ok((serde_json::to_string(&trial)?, trial)));
                match text {
                    Ok((text, trial)) => {
                        figures.add(entry, &trial)?;
                        trials.add(entry, number, &text)?;
                    }
                    Err(error) => {
                        lost.replace(Some(error));
                        return Err(rusqlite::Error::QueryReturnedNoRows);
                    }
                }
            }
            Ok(())
        });
        lost.into_inner().map_or(kept, Err)
    }

    /// An entry and what belongs to it, all or nothing.
    fn keep_entry(
        &mut self,
        name: Option<&str>,
        command: &[String],
        (kind, document): (&str, &str),
        fill: &dyn Fn(&Transaction<'_>, i64) -> Result<(), rusqlite::Error>,
    ) -> Result<i64, LedgerError> {
        let file = self.file.clone();
        let sqlite = |cause| reported(&file, cause);
        let host = Host::this();
        let work = self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(sqlite)?;
        let line = command.join(" ");
        let version = Tool::this().version;
        work.execute(
            "INSERT INTO entry (written, kind, tool, os, arch, cores, command, document, name)
             VALUES (strftime('%Y-%m-%d %H:%M:%S', 'now'), ?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)",
            params![kind, version, host.os, host.arch, host.cores as i64, line, document, name],
        )
        .map_err(sqlite)?;
        let entry = work.last_insert_rowid();
        fill(&work, entry).map_err(sqlite)?;
        work.commit().map_err(sqlite)?;
        Ok(entry)
    }

    /// An entry by its name (the latest of that name) or number.
    ///
    /// # Errors
    /// When there is none.
    pub fn entry(&self, wanted: &str) -> Result<Kept, LedgerError> {
        let number: i64 = wanted.parse().unwrap_or(-1);
        let sqlite = |cause| reported(&self.file, cause);
        let found: Option<(i64, String, String)> = self
            .connection
            .query_row(
                "SELECT id, kind, document FROM entry WHERE name = ?1 OR id = ?2 ORDER BY name = ?1 DESC, id DESC LIMIT 1",
                params![wanted, number],
                |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)),
            )
            .optional()
            .map_err(sqlite)?;
        let Some((id, kind, document)) = found else {
            return Err(LedgerError::NoEntry { file: self.file.clone(), wanted: wanted.to_owned() });
        };
        if kind == "costs" {
            return Ok(Kept::Costs(Box::new(serde_json::from_str(&document)?)));
        }
        let mut results: ResultDocument = serde_json::from_str(&document)?;
        for text in rows::trials(&self.connection, id).map_err(sqlite)? {
            results.trials.push(serde_json::from_str(&text)?);
        }
        Ok(Kept::Results(Box::new(results)))
    }

    /// The figures of a scene over time, all or those of one gauge or claim, the oldest first.
    ///
    /// # Errors
    /// When the file cannot be read.
    pub fn history(&self, scene: &str, gauge: Option<&str>) -> Result<Vec<Figure>, LedgerError> {
        let sqlite = |cause| reported(&self.file, cause);
        let mut query = self
            .connection
            .prepare(
                "SELECT entry.id, entry.name, entry.written, entry.tool, engine, dt, conditions, gauge, of, measured, unit, verdict, claim
                 FROM figure JOIN entry ON entry.id = figure.entry
                 WHERE scene = ?1 AND (?2 IS NULL OR gauge = ?2 OR claim = ?2)
                 ORDER BY gauge, claim, of, engine, dt, conditions, entry.id",
            )
            .map_err(sqlite)?;
        let rows = query
            .query_map(params![scene, gauge], |row| {
                Ok(Figure {
                    entry: row.get(0)?,
                    name: row.get(1)?,
                    written: row.get(2)?,
                    tool: row.get(3)?,
                    engine: row.get(4)?,
                    dt: row.get(5)?,
                    conditions: row.get(6)?,
                    gauge: row.get(7)?,
                    of: row.get(8)?,
                    measured: row.get(9)?,
                    unit: row.get(10)?,
                    verdict: row.get(11)?,
                    claim: row.get(12)?,
                })
            })
            .map_err(sqlite)?;
        rows.collect::<Result<_, _>>().map_err(sqlite)
    }

    /// The scenes that the ledger has figures of.
    ///
    /// # Errors
    /// When the file cannot be read.
    pub fn scenes(&self) -> Result<Vec<String>, LedgerError> {
        let sqlite = |cause| reported(&self.file, cause);
        let mut query = self.connection.prepare("SELECT DISTINCT scene FROM figure ORDER BY scene").map_err(sqlite)?;
        let names = query.query_map([], |row| row.get(0)).map_err(sqlite)?;
        names.collect::<Result<_, _>>().map_err(sqlite)
    }
}

fn reported(file: &Path, cause: rusqlite::Error) -> LedgerError {
    if cause.sqlite_error_code() == Some(rusqlite::ErrorCode::NotADatabase) {
        return LedgerError::NotOurs(file.to_owned());
    }
    LedgerError::Sqlite { file: file.to_owned(), cause }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn results() -> Kept {
        let plans = crate::plan_grid(&crate::GridOrder::plain(
            vec!["first-drop".to_owned()],
            vec!["builtin".to_owned()],
            vec!["1/60".parse().unwrap()],
        ))
        .unwrap();
        Kept::Results(Box::new(ResultDocument::of(&[crate::run_trial(&plans[0])], false)))
    }

    #[test]
    fn entries_come_back_by_name_and_number_and_figures_in_order() {
        let place = tempfile::tempdir().unwrap();
        let file = place.path().join("yard.db");
        let first = Ledger::open(&file).unwrap().keep(Some("baseline"), &[], &results()).unwrap();
        let second = Ledger::open(&file).unwrap().keep(None, &[], &results()).unwrap();
        assert_eq!((first, second), (1, 2));
        let ledger = Ledger::open(&file).unwrap();
        for wanted in ["baseline", "1", "2"] {
            assert!(matches!(ledger.entry(wanted).unwrap(), Kept::Results(results) if results.trials.len() == 1));
        }
        assert!(matches!(ledger.entry("3"), Err(LedgerError::NoEntry { .. })));
        let history = ledger.history("first-drop", None).unwrap();
        assert!(history.len() >= 2 && history.len().is_multiple_of(2));
        assert_eq!(history[0].name.as_deref(), Some("baseline"));
        assert_eq!(history[0].measured, history[1].measured);
        assert_eq!(ledger.scenes().unwrap(), ["first-drop"]);
    }

    #[test]
    fn an_older_file_is_brought_up_to_date_a_newer_or_foreign_one_refused() {
        let place = tempfile::tempdir().unwrap();
        let file = place.path().join("old.db");
        let old = Connection::open(&file).unwrap();
        old.execute_batch(STEPS[0]).unwrap();
        old.execute_batch(&format!("PRAGMA application_id = {MARK}; PRAGMA user_version = 1")).unwrap();
        old.execute("INSERT INTO entry VALUES (1, '2020-01-01 00:00:00', 'results', '0', 'x', 'x', 1, '', '{}')", [])
            .unwrap();
        drop(old);
        Ledger::open(&file).unwrap().keep(Some("new"), &[], &results()).unwrap();
        let count: i64 =
            Connection::open(&file).unwrap().query_row("SELECT count(*) FROM entry", [], |row| row.get(0)).unwrap();
        assert_eq!(count, 2, "what was there stays");
        Connection::open(&file).unwrap().execute_batch("PRAGMA user_version = 99").unwrap();
        assert!(matches!(Ledger::open(&file), Err(LedgerError::Newer { found: 99, .. })));
        let foreign = place.path().join("foreign.db");
        Connection::open(&foreign).unwrap().execute_batch("CREATE TABLE a (b)").unwrap();
        assert!(matches!(Ledger::open(&foreign), Err(LedgerError::NotOurs(_))));
        let text = place.path().join("text.db");
        std::fs::write(&text, "not a database at all, but long enough to be looked at as one. ".repeat(40)).unwrap();
        assert!(matches!(Ledger::open(&text), Err(LedgerError::NotOurs(_))));
    }

    #[test]
    fn writers_wait_for_each_other() {
        let place = tempfile::tempdir().unwrap();
        let file = place.path().join("yard.db");
        let kept = results();
        std::thread::scope(|scope| {
            for _ in 0..8 {
                scope.spawn(|| {
                    for _ in 0..5 {
                        Ledger::open(&file).unwrap().keep(None, &[], &kept).unwrap();
                    }
                });
            }
        });
        assert!(Ledger::open(&file).unwrap().entry("40").is_ok());
    }
}
