//! The files of contacts and notices beside a trace, and the step of a trace: what is read, and what is said of damage.

use crate::world;
use ironspin_model::{BodyState, Contact, DVec3, Dimension, Frame, SensorEvent, SensorEventKind};
use ironspin_trace::{
    Column, Conventions, FrameReader, Header, Table, TraceError, TraceFormat, TraceWriter, column_names,
};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tempfile::TempDir;

/// A trace of two frames, the second with a contact and a notice.
fn written(format: TraceFormat) -> (TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(format!("yard.{}", format.ending()));
    let header = Header { scene: "yard".into(), engine: "builtin".into(), dt: "1/8".into(), seed: 3 };
    let names = world().bodies.iter().map(|body| body.name.clone()).collect();
    let mut writer = TraceWriter::begin(&path, format, &header, Dimension::Plane, names).unwrap();
    let bodies = vec![BodyState::planar(DVec3::Y, 0.25, DVec3::X, 0.5); 3];
    let contact = Contact { bodies: [0, 1], point: DVec3::X, normal: DVec3::Y, depth: 0.5, impulse: 2.0, times: None };
    let event = SensorEvent { step: 1, kind: SensorEventKind::Enter, sensor: [0, 0], other: [1, 2] };
    for step in 0..2_u64 {
        let mut frame = Frame { step, time: 0.125 * step as f64, bodies: bodies.clone(), ..Frame::default() };
        if step == 1 {
            frame.contacts = vec![contact, Contact { bodies: [1, 2], times: Some(4), ..contact }];
            frame.events = vec![event];
        }
        writer.add(&frame).unwrap();
    }
    assert_eq!(writer.finish().unwrap(), path);
    (folder, path)
}

fn frames(path: &Path) -> Result<Vec<Frame>, TraceError> {
    let mut reader = FrameReader::new(Table::open(path)?, Arc::new(world()), &Conventions::default())?;
    let mut frames = Vec::new();
    while let Some(frame) = reader.next_frame()? {
        frames.push(frame);
    }
    Ok(frames)
}

#[test]
fn contacts_and_notices_come_back_with_their_frame() {
    for format in [TraceFormat::Csv, TraceFormat::Parquet] {
        let (_folder, path) = written(format);
        let frames = frames(&path).unwrap();
        assert!(frames[0].contacts.is_empty() && frames[0].events.is_empty());
        let [open, counted] = &frames[1].contacts[..] else { panic!("{:?}", frames[1].contacts) };
        assert_eq!((open.bodies, open.times, counted.bodies, counted.times), ([0, 1], None, [1, 2], Some(4)));
        assert_eq!((open.point, open.normal, open.depth, open.impulse), (DVec3::X, DVec3::Y, 0.5, 2.0));
        assert_eq!(
            frames[1].events,
            [SensorEvent { step: 1, kind: SensorEventKind::Enter, sensor: [0, 0], other: [1, 2] }]
        );
        let table = Table::open(&path).unwrap();
        assert_eq!((table.about("scene"), table.about("seed"), table.about("colour")), (Some("yard"), Some("3"), None));
    }
}

#[test]
fn a_later_trace_without_contacts_leaves_none_of_an_earlier_one() {
    let (_folder, path) = written(TraceFormat::Csv);
    let contacts = TraceWriter::contacts_of(&path);
    assert!(contacts.is_file());
    let header = Header { scene: "yard".into(), engine: "builtin".into(), dt: "1/8".into(), seed: 1 };
    let names = world().bodies.iter().map(|body| body.name.clone()).collect();
    let mut writer = TraceWriter::begin(&path, TraceFormat::Csv, &header, Dimension::Plane, names).unwrap();
    writer
        .add(&Frame { bodies: vec![BodyState::planar(DVec3::Y, 0.0, DVec3::ZERO, 0.0); 3], ..Frame::default() })
        .unwrap();
    assert!(contacts.is_file(), "nothing changes before it is whole");
    writer.finish().unwrap();
    assert!(!contacts.exists());
    assert!(frames(&path).unwrap()[0].contacts.is_empty());
}

#[test]
fn a_trace_that_is_given_up_leaves_what_was_there() {
    let (_folder, path) = written(TraceFormat::Csv);
    let before = std::fs::read(&path).unwrap();
    let header = Header { scene: "other".into(), engine: "builtin".into(), dt: "1/8".into(), seed: 1 };
    let names = world().bodies.iter().map(|body| body.name.clone()).collect();
    let mut writer = TraceWriter::begin(&path, TraceFormat::Csv, &header, Dimension::Plane, names).unwrap();
    writer
        .add(&Frame { bodies: vec![BodyState::planar(DVec3::Y, 0.0, DVec3::ZERO, 0.0); 3], ..Frame::default() })
        .unwrap();
    drop(writer);
    assert_eq!(std::fs::read(&path).unwrap(), before);
    let left = path.parent().unwrap().read_dir().unwrap().count();
    assert_eq!(left, 3, "the trace, its contacts and its notices");
}

#[test]
fn damage_beside_a_trace_is_named_with_its_file_and_line() {
    let (_folder, path) = written(TraceFormat::Csv);
    let contacts = TraceWriter::contacts_of(&path);
    let events = path.with_file_name("yard.events.csv");
    assert!(events.is_file(), "{events:?}");
    for (file, from, to, part) in [
        (&contacts, "quay", "crane", "`crane`, which is no body of the scene"),
        (&contacts, "0.5", "deep", "`deep`, where a number is expected"),
        (&contacts, ",4", ",many", "`many`, where a whole number is expected"),
        (&contacts, "depth", "depht", "columns are"),
        (&events, "enter", "near", "`near`, where enter or leave is expected"),
        (&events, "quay", "crane", "`crane`, which is no body of the scene"),
    ] {
        let whole = std::fs::read_to_string(file).unwrap();
        assert!(whole.contains(from), "{from} in\n{whole}");
        std::fs::write(file, whole.replacen(from, to, 1)).unwrap();
        let error = frames(&path).unwrap_err().to_string();
        assert!(error.contains(part), "{to}: `{part}` not in `{error}`");
        assert!(error.contains(file.file_name().unwrap().to_str().unwrap()), "{error}");
        std::fs::write(file, whole).unwrap();
    }
    assert_eq!(frames(&path).unwrap().len(), 2, "whole again");
}

#[test]
fn the_step_of_a_trace_is_what_it_says_or_what_its_frames_show() {
    let step = |text: &str, conventions: &Conventions| {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("t.csv");
        std::fs::write(&path, text).unwrap();
        Table::open(&path).unwrap().step(conventions)
    };
    let plain = Conventions::default();
    let (_folder, path) = written(TraceFormat::Parquet);
    assert_eq!(Table::open(&path).unwrap().step(&plain).unwrap(), (Some("1/8".to_owned()), 0.0));
    let rows = "time,body,x,y\n0,a,0,0\n0,b,0,0\n0.25,a,0,0\n";
    assert_eq!(step(rows, &plain).unwrap(), (None, 0.25));
    let ticks = Conventions { units_per_second: 50.0, ..plain };
    assert_eq!(step(rows, &ticks).unwrap(), (None, 0.005));
    let given = Conventions { dt: Some(0.1), ..plain };
    assert_eq!(step("step,body,x,y\n0,a,0,0\n", &given).unwrap(), (None, 0.1));
    for (text, part) in [
        ("step,body,x,y\n0,a,0,0\n", "it gives no times"),
        ("time,body,x,y\n0,a,0,0\n0,b,0,0\n", "it has no two frames"),
    ] {
        let error = step(text, &plain).unwrap_err();
        assert!(error.to_string().contains(part) && error.help().is_some(), "{error}");
    }
}

#[test]
fn every_column_has_one_name_and_is_found_by_it() {
    let names: Vec<&str> = column_names().collect();
    for name in &names {
        assert_eq!(Column::named(name).map(Column::name), Some(*name));
        assert_eq!(names.iter().filter(|other| *other == name).count(), 1, "{name}");
    }
    assert_eq!(Column::named("X"), None);
}
