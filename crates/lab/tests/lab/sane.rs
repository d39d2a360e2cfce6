//! What no sound engine answers, beside what `main.rs` shows: bodies that are lost, worlds that blow up, frames that are missing.

use crate::on;
use ironspin_lab::{ResultDocument, TrialRecord};
use ironspin_model::{BodyState, Bound, Contact, DVec3, Scalar, SensorEvent, SensorEventKind, Verdict};

fn told(record: &TrialRecord, verdict: Verdict, part: &str) {
    assert_eq!(record.verdict, verdict, "{}", record.reason);
    assert!(record.reason.contains(part), "`{part}` not in `{}`", record.reason);
}

#[test]
fn a_body_that_nothing_took_out_is_lost() {
    let record = on(|frame| {
        if frame.step == 12 {
            frame.bodies[2] = BodyState::absent();
        }
        Ok(())
    });
    told(&record, Verdict::Error, "`ingot[1]` is lost at step 12 (0.2000 s): it has no state, and nothing took it out");
    assert_eq!(record.steps, 11, "what came before is kept");
}

#[test]
fn one_number_that_is_none_is_no_absence() {
    for spoil in [
        (|state: &mut BodyState| state.pose.angle = f64::INFINITY) as fn(&mut BodyState),
        |state| state.spin.z = f64::NAN,
        |state| state.pose.position.x = f64::NEG_INFINITY,
    ] {
        let record = on(move |frame| {
            spoil(&mut frame.bodies[1]);
            Ok(())
        });
        told(&record, Verdict::Error, "the state of `ingot[0]` is not finite at step 1");
    }
}

#[test]
fn energy_beyond_all_that_the_scene_can_bring_is_an_explosion_and_a_little_more_is_not() {
    let at = |speed: f64| {
        on(move |frame| {
            if frame.step == 30 {
                frame.bodies[2].velocity = DVec3::new(speed, 0.0, 0.0);
            }
            Ok(())
        })
    };
    told(&at(1e7), Verdict::Error, "it blew up: `ingot[1]` moves at 1.000e7 m/s at step 30 (0.5000 s)");
    let lively = at(30.0);
    assert_eq!(lively.verdict, Verdict::Fail, "it is judged: {}", lively.reason);
}

#[test]
fn an_engine_that_skips_or_repeats_a_frame_is_not_believed() {
    for (from, to, part) in [(40, 42, "frame 42 where frame 40 is due"), (40, 39, "frame 39 where frame 40 is due")] {
        let record = on(move |frame| {
            if frame.step == from {
                frame.step = to;
            }
            Ok(())
        });
        told(&record, Verdict::Error, part);
    }
}

#[test]
fn notices_of_sensors_that_nobody_asked_for_are_no_error() {
    let record = on(|frame| {
        frame.events =
            vec![SensorEvent { step: frame.step, kind: SensorEventKind::Enter, sensor: [0, 0], other: [1, 0] }];
        Ok(())
    });
    assert_eq!(record.verdict, Verdict::Pass, "{}", record.reason);
}

#[test]
fn a_document_comes_back_from_json_as_it_was() {
    let records = [
        on(|_| Ok(())),
        on(|frame| {
            frame.bodies[2].pose.position.y -= 1e-3;
            Ok(())
        }),
    ];
    for timing in [false, true] {
        let document = ResultDocument::of(&records, timing);
        let text = serde_json::to_string(&document).unwrap();
        let back: ResultDocument = serde_json::from_str(&text).unwrap();
        assert_eq!((back.trials.clone(), back.summary), (document.trials, document.summary));
        assert_eq!(text.contains("\"timing\""), timing, "how long it took is no result");
        assert_eq!(back.summary.trials, 2);
        let deciding = back.trials[1].deciding().unwrap();
        assert!(deciding.decides() && deciding.used() > 1.0 && matches!(deciding.bound, Bound::AtMost(_)));
        let first = back.trials[1].claims.iter().find(|claim| claim.decides()).unwrap();
        assert_eq!((&first.gauge, &first.of), (&deciding.gauge, &deciding.of), "the first one broken");
    }
    let info = records[0].engine_info.as_ref().unwrap();
    assert_eq!((info.name.as_str(), info.scalar), ("still", Scalar::F64));
}

#[test]
fn contacts_are_of_two_bodies_in_order_with_a_normal_and_numbers() {
    let good =
        Contact { bodies: [0, 1], point: DVec3::ZERO, normal: DVec3::Y, depth: 0.0, impulse: 1.0, times: Some(0) };
    let with = |contact: Contact| {
        on(move |frame| {
            if frame.step == 12 {
                frame.contacts = vec![contact];
            }
            Ok(())
        })
    };
    assert_ne!(with(good).verdict, Verdict::Error);
    assert_ne!(with(Contact { normal: DVec3::Y * 1.000_001, ..good }).verdict, Verdict::Error, "single precision");
    for (contact, part) in [
        (Contact { bodies: [1, 1], ..good }, "in the order 1, 1: the smaller number comes first at step 12"),
        (Contact { bodies: [1, 0], ..good }, "in the order 1, 0"),
        (Contact { bodies: [0, 99], ..good }, "a contact of bodies [0, 99]"),
        (Contact { normal: DVec3::ZERO, ..good }, "a normal of the length 0.000000"),
        (Contact { normal: DVec3::NAN, ..good }, "a normal of the length NaN"),
        (Contact { normal: DVec3::Y * 2.0, ..good }, "a normal of the length 2.000000"),
        (Contact { depth: f64::NAN, ..good }, "that is no number"),
        (Contact { impulse: f64::INFINITY, ..good }, "that is no number"),
    ] {
        told(&with(contact), Verdict::Error, part);
    }
}
