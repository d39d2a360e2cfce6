//! A proof as text, Markdown and page, from one that is made up.

use ironspin_engine::faults;
use ironspin_lab::{
    Alarm, Capture, ClaimProof, FaultProof, FaultVerdict, KnownFailure, NoticeProof, ProofDepth, ProofDocument,
    SizeProof, Tool,
};
use ironspin_report::{fault_list, proof_markdown, proof_page, proof_text};

fn notice(scene: &str, claim: &str, at: &[&str], not_at: &[&str]) -> NoticeProof {
    let list = |words: &[&str]| words.iter().map(|&word| word.to_owned()).collect();
    NoticeProof {
        scene: scene.to_owned(),
        claim: claim.to_owned(),
        under: String::new(),
        at: list(at),
        not_at: list(not_at),
    }
}

fn fault(name: &str, verdict: FaultVerdict) -> FaultProof {
    FaultProof {
        name: name.to_owned(),
        wrong: "Half the winch is missing.".to_owned(),
        cause: "A typo | in a cable.".to_owned(),
        verdict,
        reason: String::new(),
        size: None,
        named: vec![notice("lob", "value.x", &["1/60"], &[])],
        caught_by: vec![
            Capture { scene: "lob".to_owned(), number: Some(0), claim: "value.x".to_owned() },
            Capture { scene: "lob".to_owned(), number: Some(1), claim: "value.y".to_owned() },
        ],
        command: format!("ironspin run lob --engine builtin:fault={name}"),
    }
}

fn claim(scene: &str, number: Option<usize>, claim: &str, broken_by: &[&str]) -> ClaimProof {
    ClaimProof {
        scene: scene.to_owned(),
        number,
        claim: claim.to_owned(),
        of: "ball".to_owned(),
        broken_by: broken_by.iter().map(|&word| word.to_owned()).collect(),
    }
}

fn proof() -> ProofDocument {
    let sized = SizeProof { stated: 0.5, meaning: "share".to_owned(), tenth: true, smallest: 0.005, open: true };
    ProofDocument {
        format: "ironspin.proof/1".to_owned(),
        tool: Tool::this(),
        engine: "builtin".to_owned(),
        depth: ProofDepth::Whole,
        sound_trials: 40,
        sound_unsupported: 2,
        sound_settings: vec![String::new(), "precision=f32".to_owned()],
        sound_steps: vec!["1/60".to_owned()],
        sound_units: vec!["1".to_owned()],
        sound_held: 38,
        alarms: Vec::new(),
        excused: Vec::new(),
        faults: vec![
            FaultProof { size: Some(sized), ..fault("winch-short", FaultVerdict::Caught) },
            fault("winch-long", FaultVerdict::Caught),
        ],
        claims: vec![
            claim("lob", Some(0), "value.x", &["winch-short", "winch-long"]),
            claim("lob", Some(1), "value.y", &["winch-short"]),
            claim("lob", None, "twin.mirror", &["winch-long"]),
        ],
        trials: 99,
    }
}

#[test]
fn a_proof_that_holds_says_so_everywhere() {
    let proof = proof();
    assert!(proof.holds() && proof.unproven().next().is_none());
    let text = proof_text(&proof, 100);
    assert!(
        text.starts_with(
            "2 of 2 faults caught; 1 of 1 that have a size also at a tenth of it; no false alarm in 40 trials"
        ),
        "{text}"
    );
    assert!(text.contains("caught  winch-short      2  below 0.005   value.x in lob"), "{text}");
    assert!(text.contains("noticed by (* named): *value.x in lob, value.y in lob"), "{text}");
    assert!(!text.contains("FALSE") && !text.contains("Unproven"));
    let page = proof_page(&proof);
    assert!(page.contains("All 2 broken engines are caught, and the sound one is left alone"));
    assert!(page.contains("Every claim is broken by at least one fault.") && page.contains("No false alarm."));
    let markdown = proof_markdown(&proof);
    assert!(markdown.contains("3 of 3 claims and kinds of twins are broken by a fault.\n"), "{markdown}");
    assert!(markdown.contains("- **winch-short**: lob 2\n"), "{markdown}");
}

#[test]
fn whatever_does_not_hold_is_counted_and_marked() {
    let mut proof = proof();
    proof.faults.push(FaultProof { reason: "only at 1/240".to_owned(), ..fault("winch-bent", FaultVerdict::Weak) });
    proof.faults.push(FaultProof {
        named: vec![notice("lob", "value.x", &[], &["1/60"])],
        caught_by: Vec::new(),
        reason: "nothing notices it".to_owned(),
        ..fault("winch-lost", FaultVerdict::Missed)
    });
    proof.faults.push(fault("winch-odd", FaultVerdict::Elsewhere));
    assert!(!proof.holds());
    let text = proof_text(&proof, 200);
    assert!(
        text.contains(
            "2 of 5 faults caught; 1 caught at some steps or seeds only; 1 caught by other claims only; 1 missed"
        ),
        "{text}"
    );
    for part in ["WEAK    winch-bent", "MISSED  winch-lost", "OTHER   winch-odd", "nothing notices it"] {
        assert!(text.contains(part), "`{part}` not in\n{text}");
    }
    assert!(proof_page(&proof).contains("3 of 5 broken engines are not caught as they should be"));
    assert!(proof_markdown(&proof).contains("| winch-lost | MISSED |  |  | 0 | nothing notices it |\n"));
}

#[test]
fn a_false_alarm_is_no_small_print() {
    let mut proof = proof();
    proof.alarms.push(Alarm {
        scene: "lob".to_owned(),
        engine: "builtin:precision=f32".to_owned(),
        conditions: "dt 1/60".to_owned(),
        claim: "value.x".to_owned(),
        of: "<ball>".to_owned(),
        measured: "1 m for 2 m".to_owned(),
    });
    assert!(!proof.holds());
    let text = proof_text(&proof, 200);
    assert!(
        text.contains("1 false alarm in 40 trials") && text.contains("FALSE ALARMS on the sound engine\n"),
        "{text}"
    );
    assert!(text.contains("lob at dt 1/60 on builtin:precision=f32: value.x of <ball> measured 1 m for 2 m"), "{text}");
    let page = proof_page(&proof);
    assert!(page.contains("All 2 broken engines are caught, and the sound one is accused 1 times"));
    assert!(page.contains("of &lt;ball&gt; measured") && !page.contains("<ball>"));
    proof.faults[0].verdict = FaultVerdict::Missed;
    assert!(
        proof_page(&proof)
            .contains("1 of 2 broken engines are not caught as they should be, and the sound one is accused 1 times")
    );
}

#[test]
fn claims_that_nothing_breaks_are_named_but_not_in_a_small_proof() {
    let mut proof = proof();
    proof.claims.push(claim("lob", Some(2), "overlap.deepest", &[]));
    assert!(
        proof_text(&proof, 100)
            .contains("Unproven: 1 of 4 claims are broken by no fault\n  lob overlap.deepest of ball\n")
    );
    assert!(proof_page(&proof).contains("1 claims are broken by no fault: they are unproven."));
    assert!(proof_markdown(&proof).contains(
        "3 of 4 claims and kinds of twins are broken by a fault.\n Unproven:\n\n- lob overlap.deepest of ball\n"
    ));
    proof.depth = ProofDepth::Quick;
    assert!(!proof_text(&proof, 100).contains("Unproven"));
    assert!(proof_page(&proof).contains("Only the whole proof"));
}

#[test]
fn what_is_not_promised_says_why_and_whether_it_is_out_of_date() {
    let mut proof = proof();
    let excused = KnownFailure {
        setting: "solver=position".to_owned(),
        scene: "lob".to_owned(),
        claims: vec!["value.x".to_owned()],
        steps: vec!["1/30".to_owned()],
        because: "positions are moved first".to_owned(),
        failures: 3,
    };
    proof.excused = vec![
        excused.clone(),
        KnownFailure { failures: 0, setting: String::new(), claims: Vec::new(), steps: Vec::new(), ..excused },
    ];
    let text = proof_text(&proof, 200);
    assert!(text.contains("lob solver=position at 1/30: value.x; positions are moved first\n"), "{text}");
    assert!(
        text.contains("lob by default: all claims; positions are moved first (OUT OF DATE: nothing fails)\n"),
        "{text}"
    );
    assert!(proof_markdown(&proof).contains("(3 failures)"));
    assert!(proof.holds());
}

#[test]
fn the_matrix_names_each_scene_once_and_boxes_what_is_named() {
    let mut proof = proof();
    proof.faults[1].named.clear();
    let page = proof_page(&proof);
    assert_eq!(page.matches("<th><span>lob</span></th>").count(), 1, "twins have no column");
    assert_eq!((page.matches("class=\"named\"").count(), page.matches("class=\"seen\"").count()), (1, 1));
    assert!(page.contains("title=\"winch-short in lob: value.x, value.y\""));
    for tag in ["details", "table", "td", "th", "main", "ol"] {
        let opened = page.matches(&format!("<{tag}>")).count() + page.matches(&format!("<{tag} ")).count();
        assert_eq!(opened, page.matches(&format!("</{tag}>")).count(), "{tag}");
    }
}

#[test]
fn cells_of_the_markdown_hold_no_bar_of_their_own() {
    let mut proof = proof();
    proof.claims[0].of = "a | b".to_owned();
    let markdown = proof_markdown(&proof);
    assert!(markdown.contains("| a \\| b |"), "{markdown}");
}

#[test]
fn the_catalogue_lists_each_fault_with_who_should_notice() {
    let all: Vec<_> = faults().take(3).collect();
    let text = fault_list(&all, 80);
    assert!(text.ends_with("3 faults\n") && text.lines().all(|line| line.chars().count() <= 80), "{text}");
    for fault in all {
        assert!(text.contains(&format!("{}\n", fault.name)), "{text}");
        assert!(text.contains(fault.noticed[0].scene) && text.contains(fault.noticed[0].claim), "{text}");
    }
    assert_eq!(text.matches("How it comes about: ").count(), 3);
    assert!(!text.contains("RATE"));
}
