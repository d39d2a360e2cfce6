//! Folders of sweeps: they go on where they stopped, take shares, and lose nothing.

use crate::yard::{Yard, fall, place};
use ironspin_lab::{Draws, FolderError, LabEvent, MANY, ResultStream, Shard, Survey, SweepFolder, Swept, TrialPlan};
use std::path::Path;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

const HEIGHTS: &[(&str, &[&str])] = &[("height", &["5", "10", "15", "20", "25", "30", "35", "40"])];

fn plans(yard: &Yard) -> Vec<TrialPlan> {
    yard.plans(HEIGHTS)
}

/// Files of all trials together: how many there are.
fn count(folder: &SweepFolder, survey: &Survey) -> Result<(), FolderError> {
    folder.put("count.txt", survey.trials.len().to_string().as_bytes())
}

fn sweep(
    folder: &SweepFolder,
    plans: &[TrialPlan],
    shard: Option<Shard>,
    stop: &AtomicBool,
    heard: &Mutex<Vec<LabEvent>>,
) -> Swept {
    let draws = Draws { files: &count, trial: &|record| Some(record.steps.to_string().into_bytes()) };
    let listener = |event: &LabEvent| heard.lock().unwrap().push(event.clone());
    let ran = folder.run_trials(plans, shard, 1, stop, &listener, draws).unwrap();
    folder.conclude(&ran, &count).unwrap()
}

fn run(place: &Path, plans: &[TrialPlan], shard: Option<Shard>) -> Swept {
    let folder = SweepFolder::prepare(place, plans, shard).unwrap();
    sweep(&folder, plans, shard, &AtomicBool::new(false), &Mutex::default())
}

/// What stands in a folder as one document, written while it is read.
fn text(place: &Path, survey: &Survey) -> String {
    let folder = SweepFolder::open(place).unwrap();
    let text = serde_json::to_string(&ResultStream::of(&folder, survey)).unwrap();
    assert_eq!(text, serde_json::to_string(&SweepFolder::read(place).unwrap()).unwrap(), "in one piece");
    text
}

fn drawings(place: &Path) -> usize {
    let (folder, survey) = (SweepFolder::open(place).unwrap(), SweepFolder::open(place).unwrap().survey().unwrap());
    survey.keys.iter().filter(|key| folder.drawing(key).as_deref() == Some(b"50".as_slice())).count()
}

#[test]
fn what_is_finished_is_not_run_again_and_the_results_are_the_same() {
    let (yard, (_folder, place)) = (fall(), place());
    let plans = plans(&yard);
    let first = run(&place, &plans, None);
    assert_eq!((first.survey.planned, first.run, first.strangers, first.survey.summary.pass), (8, 8, 0, 8));
    let found = text(&place, &first.survey);
    assert_eq!(std::fs::read_to_string(place.join("count.txt")).unwrap(), "8");
    let again = run(&place, &plans, None);
    assert_eq!((again.survey.planned, again.run), (8, 0));
    assert_eq!(text(&place, &again.survey), found);
    assert_eq!(drawings(&place), 8);
}

#[test]
fn a_trial_whose_file_is_damaged_or_gone_is_run_again_and_no_other() {
    let (yard, (_folder, place)) = (fall(), place());
    let plans = plans(&yard);
    let found = text(&place, &run(&place, &plans, None).survey);
    let file = |number: usize| place.join(format!("trials/{}.json", plans[number].key()));
    std::fs::write(file(2), "{\"scene\":").unwrap();
    std::fs::remove_file(file(5)).unwrap();
    let folder = SweepFolder::prepare(&place, &plans, None).unwrap();
    let heard = Mutex::default();
    let second = sweep(&folder, &plans, None, &AtomicBool::new(false), &heard);
    assert_eq!((second.run, text(&place, &second.survey)), (2, found));
    let mut begun: Vec<usize> = heard
        .into_inner()
        .unwrap()
        .into_iter()
        .filter_map(|event| if let LabEvent::Started { trial } = event { Some(trial) } else { None })
        .collect();
    begun.sort_unstable();
    assert_eq!(begun, [2, 5]);
}

#[test]
fn a_sweep_that_is_stopped_keeps_what_is_finished_and_goes_on() {
    let (yard, (_folder, place)) = (fall(), place());
    let plans = plans(&yard);
    let folder = SweepFolder::prepare(&place, &plans, None).unwrap();
    let (stop, finished) = (AtomicBool::new(false), AtomicUsize::new(0));
    let listener = |event: &LabEvent| {
        if matches!(event, LabEvent::Finished { .. }) && finished.fetch_add(1, Ordering::SeqCst) == 2 {
            stop.store(true, Ordering::SeqCst);
        }
    };
    let draws = Draws { files: &count, trial: &|_| None };
    let ran = folder.run_trials(&plans, None, 1, &stop, &listener, draws).unwrap();
    let part = folder.conclude(&ran, &count).unwrap();
    assert!(part.run >= 3 && part.run < 8, "{}", part.run);
    assert_eq!((part.survey.trials.len(), part.survey.missing()), (part.run, 8 - part.run));
    let rest = run(&place, &plans, None);
    assert_eq!((rest.run, rest.survey.trials.len()), (8 - part.run, 8));
}

#[test]
fn shares_run_every_trial_once_and_join_to_the_whole() {
    let (yard, (_folder, place)) = (fall(), place());
    let plans = plans(&yard);
    let whole = run(&place.join("whole"), &plans, None);
    let shares: Vec<_> = (1..=3_u64).map(|number| place.join(format!("share-{number}"))).collect();
    let in_shares: Vec<usize> =
        (1..).zip(&shares).map(|(number, share)| run(share, &plans, Some(Shard { number, of: 3 })).run).collect();
    assert_eq!(in_shares.iter().sum::<usize>(), 8);
    let (_, joined) = SweepFolder::merge(&place.join("joined"), &shares, &count).unwrap();
    let found = text(&place.join("whole"), &whole.survey);
    assert_eq!((joined.planned, text(&place.join("joined"), &joined)), (8, found));
    assert_eq!(drawings(&place.join("joined")), 8);
    // A share that is missing leaves its trials out, and is seen by the count.
    // The scene lies in a folder of another name each time, so that any share may have come out empty.
    let fullest = (0..3).max_by_key(|&share| in_shares[share]).unwrap();
    let others: Vec<_> = (0..3).filter(|&share| share != fullest).map(|share| shares[share].clone()).collect();
    let (_, part) = SweepFolder::merge(&place.join("part"), &others, &count).unwrap();
    assert!(part.trials.len() < part.planned);
    // A folder of another grid is no share of this one.
    let other = fall();
    run(&place.join("other"), &other.plans(&[("height", &["7"])]), None);
    let wrong = SweepFolder::merge(&place.join("wrong"), &[shares[0].clone(), place.join("other")], &count);
    assert!(matches!(wrong, Err(FolderError::OtherGrid(folder)) if folder.ends_with("other")));
}

#[test]
fn trials_of_an_earlier_plan_stay_and_are_counted() {
    let (yard, (_folder, place)) = (fall(), place());
    run(&place, &plans(&yard), None);
    let fewer = yard.plans(&[("height", &["5", "10"])]);
    let now = run(&place, &fewer, None);
    assert_eq!((now.survey.planned, now.run, now.strangers, now.survey.trials.len()), (2, 0, 6, 2));
}

#[test]
fn a_folder_of_something_else_is_left_alone() {
    let (yard, (_folder, place)) = (fall(), place());
    std::fs::create_dir_all(&place).unwrap();
    std::fs::write(place.join("letter.txt"), "dear").unwrap();
    let plans = plans(&yard);
    assert!(matches!(SweepFolder::prepare(&place, &plans, None), Err(FolderError::NotOurs(_))));
    assert!(matches!(SweepFolder::read(&place), Err(FolderError::NotOurs(_))));
    assert!(matches!(SweepFolder::prepare(&place.join("letter.txt"), &plans, None), Err(FolderError::NotOurs(_))));
    std::fs::write(place.join("plan.json"), "{\"format\":\"ironspin.plan/9\",\"trials\":[]}").unwrap();
    assert!(matches!(SweepFolder::read(&place), Err(FolderError::NotOurs(_))), "a plan of a newer program");
    assert_eq!(std::fs::read_to_string(place.join("letter.txt")).unwrap(), "dear");
}

#[test]
fn a_share_is_a_number_of_a_number() {
    assert_eq!("2/5".parse(), Ok(Shard { number: 2, of: 5 }));
    for wrong in ["", "2", "0/5", "6/5", "2/0", "-1/5", "a/b", "1/2/3", "1.5/2"] {
        assert!(wrong.parse::<Shard>().unwrap_err().contains("such as 2/5"), "{wrong}");
    }
}

#[test]
fn of_very_many_trials_only_figures_are_in_memory_and_files_have_everything() {
    let (yard, (_folder, place)) = (fall(), place());
    let plans = yard.plans(&[("height", &["5"])]);
    run(&place, &plans, None);
    let trial = std::fs::read(place.join(format!("trials/{}.json", plans[0].key()))).unwrap();
    let keys: Vec<String> = (0..=MANY).map(|number| format!("{number:020x}")).collect();
    let planned: Vec<String> = keys.iter().map(|key| format!("{{\"key\":\"{key}\",\"trial\":\"x\"}}")).collect();
    let plan = format!("{{\"format\":\"ironspin.plan/1\",\"trials\":[{}]}}", planned.join(","));
    std::fs::write(place.join("plan.json"), plan).unwrap();
    for key in &keys[1..] {
        std::fs::write(place.join(format!("trials/{key}.json")), &trial).unwrap();
    }
    let survey = SweepFolder::open(&place).unwrap().survey().unwrap();
    assert_eq!((survey.trials.len(), survey.planned, survey.missing()), (MANY, MANY + 1, 1));
    let whole: ironspin_lab::TrialDocument = serde_json::from_slice(&trial).unwrap();
    assert!(!whole.again.is_empty() && !whole.parameters.is_empty());
    for lean in &survey.trials[..2] {
        assert!(lean.again.is_empty() && lean.parameters.is_empty());
        let figures = |trial: &ironspin_lab::TrialDocument| -> Vec<_> {
            trial.claims.iter().map(|claim| (claim.gauge.clone(), claim.measured, claim.verdict)).collect()
        };
        assert_eq!(figures(lean), figures(&whole));
    }
    // Compares with the document of trials that are all in memory.
    text(&place, &survey);
}
