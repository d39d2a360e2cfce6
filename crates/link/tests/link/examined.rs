//! The examination of engines: of the sound one, of ones with a mistake built in, and of ones that cannot be talked to.
//!
//! The engine under examination is this test program itself, started once more: it serves the built-in engine with what the test wants
//! wrong about it.

use crate::scripted::{HELLO, Script};
use ironspin_link::probe::{Outcome, ProbeReport, probe, questions};
use ironspin_link::{EngineSpec, ProcessLimits, Served, serve, start_builtin};
use ironspin_model::EngineError;
use std::io::{BufReader, BufWriter};

/// Names the mistake that the served engine makes; without it the test that serves does nothing.
const MISTAKE: &str = "SERVED_MISTAKE";

/// Not a test but the engine: run alone, with its answers on the third stream, since the first is the test program's.
#[test]
fn serves_the_engine_when_started_for_it() {
    let Ok(mistake) = std::env::var(MISTAKE) else { return };
    let start = move |options: &[(String, String)]| {
        let mut options = options.to_vec();
        if mistake != "none" {
            options.push(("fault".to_owned(), mistake.clone()));
        }
        start_builtin(&options)
    };
    let mut output = BufWriter::new(std::fs::OpenOptions::new().write(true).open("/dev/fd/3").unwrap());
    let served = Served { start: &start, hello: None, follow: None, in_bytes: false };
    serve(served, &mut BufReader::new(std::io::stdin().lock()), &mut output).unwrap();
}

/// The name of the built-in engine in a process of its own, with a mistake.
fn mistaken(mistake: &str) -> EngineSpec {
    let program = std::env::current_exe().unwrap();
    let test = "examined::serves_the_engine_when_started_for_it";
    let line = format!("{MISTAKE}={mistake} exec {} --exact {test} --nocapture 3>&1 >/dev/null", program.display());
    EngineSpec::read(&format!("cmd:sh -c '{line}'")).unwrap()
}

/// The questions that are not answered as they should be.
fn missed(report: &ProbeReport) -> Vec<&'static str> {
    let wrong = |outcome: &Outcome| matches!(outcome, Outcome::Wrong { .. } | Outcome::Broken { .. });
    report.answers.iter().filter(|answer| wrong(&answer.outcome)).map(|answer| answer.name).collect()
}

fn examined(mistake: &str) -> ProbeReport {
    probe(&mistaken(mistake), &|_| {}).unwrap_or_else(|error| panic!("{mistake}: {error}"))
}

#[test]
fn a_sound_engine_answers_every_question() {
    let report = examined("none");
    assert_eq!(missed(&report), Vec::<&str>::new());
    assert_eq!(report.counts(), [questions().len(), 0, 0]);
    assert_eq!((report.name.as_str(), report.answers.len()), ("builtin", questions().len()));
}

/// Mistakes with the question that is made for them, and a part of what its author is told.
const NAMED: [(&str, &str, &str); 22] = [
    ("explicit-euler", "spring for long", "explicit Euler"),
    ("velocity-cap", "fast", "no upper limit"),
    ("first-step-kept", "step lengths", "each step has its own length"),
    ("impulse-point-ignored", "impulse at a point", "the point of the impulse is not used"),
    ("removal-ignored", "obstacle removed", "held up where the removed body stood"),
    ("half-sizes", "disc", "taken for the diameter"),
    ("degrees-for-radians", "box turned", "taken for degrees"),
    ("gravity-twice", "gravity", "applied twice"),
    ("gravity-factor-forgotten", "gravity of a body", "`gravity_factor` is not read"),
    ("empty-pair", "pairs of shapes", "missing in the collision search"),
    ("friction-never-zero", "no friction", "a number like any other"),
    ("friction-without-lever", "rolling", "its lever arm turns the body"),
    ("friction-turns-backwards", "rolling", "the wrong way round"),
    ("driver-does-not-carry", "belt", "do not know its velocity"),
    ("swept-against-standing-only", "swept against moving", "whether it can move or not"),
    ("swept-mark-lost", "swept", "not only where they end"),
    ("split-loses-turning", "split", "what the turning of the whole adds"),
    ("mass-ignored", "joints between two", "each over its own mass"),
    ("filter-one-way", "layers", "both must want to"),
    ("contact-points-explode", "contacts", "a point that stays is one contact"),
    ("contacts-of-strangers", "contacts", "they do not touch"),
    ("forgets-on-restore", "restore", "warm-start impulses"),
];

#[test]
fn each_mistake_is_named_by_the_question_that_is_made_for_it() {
    for (mistake, question, hint) in NAMED {
        let report = examined(mistake);
        let answer = report.answers.iter().find(|answer| answer.name == question).unwrap();
        let Outcome::Wrong { hint: said, .. } = &answer.outcome else {
            panic!("{mistake}: `{question}` came out as {:?}; wrong were {:?}", answer.outcome, missed(&report))
        };
        assert!(said.contains(hint), "{mistake}: `{hint}` not in `{said}`");
    }
}

#[test]
fn what_is_not_listed_is_not_asked() {
    let report = probe(&Script::new(&[HELLO, HELLO]).spec(), &|_| {}).unwrap();
    let not_asked = |name: &str| {
        let answer = report.answers.iter().find(|answer| answer.name == name).unwrap();
        matches!(&answer.outcome, Outcome::NotAsked { .. })
    };
    for name in ["box", "half-plane", "sensor", "layers", "threads", "kinematic", "rod", "weld", "belt", "split"] {
        assert!(not_asked(name), "{name}");
    }
    for name in ["hello", "velocity", "restitution", "contacts", "restore"] {
        assert!(!not_asked(name), "{name}");
    }
    // It goes on after every answer that is none, and asks all.
    assert_eq!(report.counts().iter().sum::<usize>(), questions().len());
}

#[test]
fn an_engine_that_hangs_is_asked_three_times_and_no_more() {
    let script = Script::new(&[HELLO, "sleep"]);
    let limits = ProcessLimits { limits: "build=0.2,step=0.2".parse().unwrap(), ..ProcessLimits::default() };
    let report = probe(&script.spec().on(&limits), &|_| {}).unwrap();
    let hangs = |answer: &&ironspin_link::probe::AnswerRecord| matches!(&answer.outcome, Outcome::Broken { why } if why.contains("hung"));
    assert_eq!(report.answers.iter().filter(hangs).count(), 3);
    let last = &report.answers.last().unwrap().outcome;
    assert!(matches!(last, Outcome::NotAsked { needs } if needs.contains("it hung 3 times")), "{last:?}");
}

#[test]
fn an_option_that_is_refused_is_told_once_and_nothing_is_asked() {
    let refusal = r#"{"jsonrpc":"2.0","id":2,"error":{"code":-32602,"message":"no option `grain`"}}"#;
    let script = Script::new(&[HELLO, refusal]);
    let spec = EngineSpec::read(&format!("{} :: grain=3", script.spec().text())).unwrap();
    let error = probe(&spec, &|_| panic!("nothing is to be asked")).map(drop).unwrap_err().to_string();
    assert!(error.contains("refuses the options grain=3: error -32602: no option `grain`"), "{error}");
}

#[test]
fn what_cannot_be_examined_is_told() {
    let examined = |spec: &EngineSpec| probe(spec, &|_| {}).map(drop).unwrap_err();
    let trace = examined(&EngineSpec::read("trace:quay.csv").unwrap());
    assert!(trace.to_string().contains("held against a scene by `judge`"), "{trace}");
    let built_in = examined(&EngineSpec::read("builtin").unwrap());
    assert!(matches!(built_in, EngineError::BadValue { .. }), "{built_in}");
    let refusal = r#"{"jsonrpc":"2.0","id":1,"error":{"code":-7,"message":"closed on Sundays"}}"#;
    let refused = examined(&Script::new(&[refusal]).spec());
    assert!(refused.to_string().contains("error -7: closed on Sundays"), "{refused}");
    let strange = examined(&Script::new(&[r#"{"jsonrpc":"2.0","id":1,"result":{"protocol":1}}"#]).spec());
    assert!(strange.to_string().contains("missing field `engine`"), "{strange}");
}

#[test]
fn questions_have_names_of_their_own() {
    let mut names: Vec<&str> = questions().iter().map(|question| question.name).collect();
    assert!(questions().iter().all(|question| !question.asks.is_empty()));
    names.sort_unstable();
    let all = names.len();
    names.dedup();
    assert_eq!(names.len(), all);
}
