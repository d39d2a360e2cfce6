//! `farm`: shares of sweeps and proofs that a scheduler or other processes work on; and the one way by which commands hand them over.

use crate::args::{
    Arguments, Change, Command, FarmAction, FarmOptions, FarmPlace, JoinOptions, StatusFormat, StatusOptions,
    WorkOptions,
};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use clap::{CommandFactory, FromArgMatches};
use ironspin_lab::{
    FarmError, FarmFile, FarmKind, FarmOrder, FarmState, GridOrder, Manifest, Piece, Planner, Progress, Share, State,
    Submission, SweepFolder, TwinOrder, Where, Work, begin_here, shell_line, stop_here, submit, supervise, withdraw,
};
use ironspin_report::{document_json, farm_table};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// How often the files of trials are counted.
const COUNTED: Duration = Duration::from_millis(500);
/// How often the scheduler is asked.
const ASKED: Duration = Duration::from_secs(5);
/// So often in a row nothing may be at work before the work is taken for lost.
const LOST: u32 = 3;

/// Trials that are to be run elsewhere.
pub(super) struct Sending<'a> {
    /// Folder of the results.
    pub(super) out: &'a Path,
    /// The trials.
    pub(super) work: &'a [Work],
    /// What becomes of them.
    pub(super) kind: FarmKind,
    /// Arguments of the proof they are for.
    pub(super) proof: Vec<String>,
    /// Arguments that belong to every trial but stand in none.
    pub(super) options: Vec<String>,
    /// Arguments of the join.
    pub(super) join: Vec<String>,
    /// Prints what a run here would have printed.
    pub(super) show: &'a dyn Fn(&SweepFolder) -> Result<(), Diagnostic>,
}

/// Hands trials over to where they are to be run, and stays with them if that is asked for.
pub(super) fn send(
    options: &FarmPlace,
    (place, shares): (Where, Option<usize>),
    sending: Sending<'_>,
    quiet: bool,
) -> Result<ExitStatus, Diagnostic> {
    if options.follow && place == Where::List {
        return Err(Diagnostic::Kept { why: "whoever runs the commands of a list cannot be followed".to_owned() });
    }
    let file = |cause| Diagnostic::File { path: sending.out.display().to_string(), cause };
    let out = std::path::absolute(sending.out).map_err(file)?;
    let program = std::env::current_exe().map_err(file)?;
    if let Ok(earlier) = FarmFile::read(&out) {
        let jobs = earlier.alive(&out)?;
        if !jobs.is_empty() && options.follow {
            return follow(&out, &earlier, sending.show, quiet);
        }
        if !jobs.is_empty() && !options.dry_run {
            return Err(FarmError::Alive { folder: out, jobs: jobs.join(", ") }.into());
        }
    }
    let most_shares = if options.dry_run { 1000 } else { FarmFile::most_shares(&place) };
    let order = FarmOrder {
        folder: &out,
        work: sending.work,
        kind: sending.kind,
        proof: sending.proof,
        options: sending.options,
        place: place.clone(),
        shares,
        most_shares,
        command: std::env::args().collect(),
        join: sending.join,
    };
    if options.dry_run {
        return dry_run(&order, &program);
    }
    let (folder, farm) = order.lay_out()?;
    let begun = match &place {
        Where::Slurm(resources) => {
            let jobs = submit(&folder, &farm, resources, &program)?;
            let number = |job: &Option<String>| job.clone().unwrap_or_default();
            format!("job {} for the shares, job {} for the join", number(&jobs.array), number(&jobs.join))
        }
        Where::Local { .. } => format!("process {} leads", begin_here(&folder, &farm, &program)?),
        Where::List => {
            output::print(&commands(&out, &farm, &program))?;
            format!("then `{}`", shell_line(&join_words(&out, &farm, &program)))
        }
    };
    if !quiet {
        let (trials, shares) = (farm.planned - farm.kept, farm.shares.len());
        let kept = if farm.kept > 0 { format!("; {} were finished before", farm.kept) } else { String::new() };
        output::note(&format!("{} in {}{kept}; {begun}", count(trials, "trial"), count(shares, "share")));
    }
    if options.follow {
        return follow(&out, &farm, sending.show, quiet);
    }
    if !quiet && place != Where::List {
        output::note(&format!(
            "`ironspin farm status {}` says how far they are",
            shell_line(&[sending.out.display().to_string()])
        ));
    }
    Ok(ExitStatus::Holds)
}

fn count(many: usize, what: &str) -> String {
    format!("{many} {what}{}", if many == 1 { "" } else { "s" })
}

fn work_words(out: &Path, program: &Path) -> Vec<String> {
    vec![program.display().to_string(), "farm".to_owned(), "work".to_owned(), out.display().to_string()]
}

fn join_words(out: &Path, farm: &FarmFile, program: &Path) -> Vec<String> {
    let own = [program.display().to_string(), "farm".to_owned(), "join".to_owned(), out.display().to_string()];
    own.into_iter().chain(farm.join.iter().cloned()).collect()
}

/// The commands of the shares, one a line.
fn commands(out: &Path, farm: &FarmFile, program: &Path) -> String {
    let line = |share: usize| {
        let mut words = work_words(out, program);
        words.extend(["--share".to_owned(), share.to_string()]);
        shell_line(&words) + "\n"
    };
    (1..=farm.shares.len()).map(line).collect()
}

fn dry_run(order: &FarmOrder<'_>, program: &Path) -> Result<ExitStatus, Diagnostic> {
    let (farm, _) = order.draft()?;
    let out = order.folder;
    let (trials, shares) = (count(farm.planned, "trial"), count(farm.shares.len(), "share"));
    let mut text = format!("{trials}, {} of them finished, in {shares} in {}\n\n", farm.kept, out.display());
    if let Where::Slurm(resources) = &order.place {
        let submission = Submission::of(out, &farm, resources, program, None)?;
        for (path, script) in &submission.scripts {
            text.push_str(&format!("{}:\n{}\n", path.display(), indented(script)));
        }
        text.push_str("submitted, every argument as it stands here:\n");
        for words in [&submission.array, &submission.join] {
            text.push_str(&format!("{}\n", indented(&words.join("\n"))));
        }
        text.push_str("run on a node, K being the number of its share:\n");
    } else {
        text.push_str("run, K being the number of a share:\n");
    }
    let mut words = work_words(out, program);
    words.extend(["--share".to_owned(), "K".to_owned()]);
    text.push_str(&format!("    {}\n    {}\n", shell_line(&words), shell_line(&join_words(out, &farm, program))));
    output::print(&text)?;
    Ok(ExitStatus::Holds)
}

fn indented(text: &str) -> String {
    text.lines().map(|line| format!("    {line}\n")).collect()
}

/// Stays with the work of a folder until it is joined.
fn follow(
    out: &Path,
    farm: &FarmFile,
    show: &dyn Fn(&SweepFolder) -> Result<(), Diagnostic>,
    quiet: bool,
) -> Result<ExitStatus, Diagnostic> {
    let folder = SweepFolder::open(out)?;
    let (stop, progress, bar) =
        (progress::stop_flag(), Progress::of(&folder)?, progress::Bar::new(farm.planned, quiet));
    let (mut asked, mut missed) = (Instant::now(), 0);
    let asked_every = if farm.on == "local" { COUNTED } else { ASKED };
    let status = loop {
        if let Some(status) = FarmFile::end(out) {
            break Some(status);
        }
        if stop.load(Ordering::Relaxed) {
            bar.clear();
            output::note(&format!(
                "the work goes on without this command; `ironspin farm stop {}` ends it",
                out.display()
            ));
            return Ok(ExitStatus::Interrupted);
        }
        bar.reach(progress.count(), farm.planned, &format!("{} on {}", count(farm.shares.len(), "share"), farm.on));
        if asked.elapsed() >= asked_every {
            // A scheduler that does not answer is asked again.
            missed = if farm.alive(out).is_ok_and(|jobs| jobs.is_empty()) { missed + 1 } else { 0 };
            asked = Instant::now();
        }
        if missed >= LOST {
            break FarmFile::end(out);
        }
        std::thread::sleep(COUNTED);
    };
    bar.end(progress.count() - farm.kept.min(progress.count()));
    let failed = failures(&farm.state(&folder)?);
    failed.iter().for_each(|failed| output::note(failed));
    let Some(status) = status.and_then(ExitStatus::of) else {
        output::note(&format!("the join was lost; `ironspin farm join {}` does it", out.display()));
        return Ok(ExitStatus::Incomplete);
    };
    if status == ExitStatus::BadInput {
        output::note(&format!("the join failed; what it said is in {}", out.join("farm").join("join.txt").display()));
        return Ok(status);
    }
    show(&folder)?;
    if !quiet {
        output::note(&format!("results in {}", out.display()));
    }
    Ok(status)
}

/// A line for each share that failed.
fn failures(state: &FarmState) -> Vec<String> {
    let failed = state.shares.iter().filter(|share| share.state == State::Failed);
    let words = |share: &ironspin_lab::ShareState| {
        let said = share.last_words.as_ref().map_or_else(String::new, |words| format!(": {words}"));
        format!("share {} failed with {} of {} trials{said}", share.share, share.done, share.trials)
    };
    failed.map(words).collect()
}

pub(crate) fn run(options: &FarmOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    match &options.action {
        FarmAction::Status(options) => status(options),
        FarmAction::Work(options) => work(options, quiet),
        FarmAction::Join(options) => join(options, quiet),
        FarmAction::Stop { folder } => halt(&absolute(folder)?),
        FarmAction::Here { folder } => {
            let program = std::env::current_exe().map_err(Diagnostic::Output)?;
            let joined = supervise(folder, &program, &progress::stop_flag())?;
            Ok(if joined { ExitStatus::Holds } else { ExitStatus::Interrupted })
        }
    }
}

/// As the jobs of a folder are named.
fn absolute(folder: &Path) -> Result<PathBuf, Diagnostic> {
    std::path::absolute(folder).map_err(|cause| Diagnostic::File { path: folder.display().to_string(), cause })
}

fn status(options: &StatusOptions) -> Result<ExitStatus, Diagnostic> {
    let place = absolute(&options.folder)?;
    let (farm, folder) = (FarmFile::read(&place)?, SweepFolder::open(&place)?);
    let state = farm.state(&folder)?;
    output::print(&match options.format {
        StatusFormat::Json => document_json(&state)?,
        StatusFormat::Table => farm_table(&state, usize::from(output::width())),
    })?;
    Ok(if state.done < state.planned { ExitStatus::Incomplete } else { ExitStatus::Holds })
}

fn halt(place: &Path) -> Result<ExitStatus, Diagnostic> {
    let farm = FarmFile::read(place)?;
    match farm.on.as_str() {
        "slurm" => withdraw(place)?,
        "local" => {
            stop_here(place);
        }
        _ => output::note("whoever runs the commands of a list must end them"),
    }
    output::note("what is finished stays; the same command as before goes on from there");
    Ok(ExitStatus::Holds)
}

/// Reads trials and twins from their arguments.
struct Reader {
    planner: Planner,
    command: clap::Command,
}

impl Reader {
    fn read(&mut self, words: &[String]) -> Result<Work, Diagnostic> {
        let wrong = || Diagnostic::Kept { why: format!("`{}` is no trial", shell_line(words)) };
        let line = ["ironspin".to_owned()];
        let matches = self.command.try_get_matches_from_mut(line.iter().chain(words)).map_err(|_| wrong())?;
        let arguments = Arguments::from_arg_matches(&matches).map_err(|_| wrong())?;
        let mut one =
            |order: GridOrder| -> Result<_, Diagnostic> { self.planner.plan(&order)?.pop().ok_or_else(wrong) };
        match &arguments.command {
            Command::Run(options) => {
                Ok(Work::Trial(Box::new(one(options.conditions.order(&options.scenes.names()?))?)))
            }
            Command::Twin(options) => {
                let [Change::Kind(kind)] = options.by.as_slice() else { return Err(wrong()) };
                let plan = one(options.conditions.order(&options.scenes.names()?))?;
                Ok(Work::Twin(Box::new(TwinOrder { plan, kind: *kind })))
            }
            _ => Err(wrong()),
        }
    }
}

fn work(options: &WorkOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let share = Share::open(&absolute(&options.folder)?, options.share)?;
    // Scenes and engines are named as seen from there.
    share.enter_directory()?;
    let mut reader = Reader { planner: Planner::default(), command: Arguments::command() };
    let (stop, program) = (progress::stop_flag(), std::env::current_exe().ok());
    let (number, of, trials) = (share.number, share.farm.shares.len(), share.pieces.len());
    let (bar, done, whole) = (progress::Bar::new(trials, quiet), AtomicUsize::new(0), share.farm.planned);
    let told = || bar.reach(done.fetch_add(1, Ordering::Relaxed) + 1, trials, "of a share");
    let sketch = |record: &ironspin_lab::TrialRecord| super::sweep::sketch(record, whole);
    let mut made = share.maker();
    for part in share.parts() {
        let words = |piece: &Piece| -> Vec<String> { piece.words.iter().chain(&share.farm.options).cloned().collect() };
        let mut work = part.iter().map(|piece| reader.read(&words(piece))).collect::<Result<Vec<_>, _>>()?;
        share.check(part, &mut work, &mut made)?;
        share.sign(&made)?;
        stop.during(|| share.run(work, &mut made, program.as_deref(), &stop, (&told, &sketch)))?;
        if stop.load(Ordering::Relaxed) {
            break;
        }
    }
    share.sign(&made)?;
    bar.clear();
    let missing = share.missing();
    if missing > 0 {
        output::note(&format!("share {number}/{of} is interrupted: {missing} of {trials} trials are missing"));
        return Ok(ExitStatus::Interrupted);
    }
    let run = made.run;
    output::note(&format!(
        "share {number}/{of} is done, {trials} trials, {run} of them run now; the verdict comes with the join"
    ));
    Ok(ExitStatus::Holds)
}

fn join(options: &JoinOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let place = absolute(&options.folder)?;
    let (farm, folder) = (FarmFile::read(&place)?, SweepFolder::open(&place)?);
    let joined = join_as(options, &farm, &folder, quiet);
    let status = joined.as_ref().map_or(ExitStatus::BadInput, |status| *status);
    FarmFile::put_end(&folder, status as u8)?;
    joined
}

fn join_as(
    options: &JoinOptions,
    farm: &FarmFile,
    folder: &SweepFolder,
    quiet: bool,
) -> Result<ExitStatus, Diagnostic> {
    let makers = farm.makers(folder.place())?;
    let mut manifest = Manifest::new(farm.command.clone(), std::iter::empty(), 0.0);
    manifest.program.clone_from(&farm.program);
    (manifest.scenes, manifest.engines) = (farm.scenes.clone(), farm.engines.clone());
    manifest.seconds = makers.iter().map(|made| made.seconds).sum();
    let failed = || -> Result<Vec<String>, Diagnostic> { Ok(failures(&farm.state(folder)?)) };
    if farm.kind == FarmKind::Proof {
        let status = super::proof::join(folder, &manifest)?;
        if status == ExitStatus::Incomplete {
            failed()?.iter().for_each(|failed| output::note(failed));
        }
        return Ok(status);
    }
    let survey = folder.survey()?;
    super::sweep::draw(folder, &survey)?;
    let mut notes: Vec<String> = super::sweep::missing_note(&survey).into_iter().collect();
    if !notes.is_empty() {
        notes.extend(failed()?);
    }
    super::sweep::leave_page(folder, &survey, &manifest, &notes)?;
    if let Some(file) = &options.ledger {
        super::ledger::keep_swept(file, options.name.as_deref(), folder, &survey)?;
    }
    output::document(&super::sweep::reported(folder, &survey, crate::args::ResultsAs::Table)?)?;
    notes.iter().for_each(|note| output::note(note));
    if !quiet {
        output::note(&format!("results in {}", folder.place().display()));
    }
    Ok(if survey.missing() > 0 { ExitStatus::Incomplete } else { super::sweep::status(&survey) })
}
