//! Traces written and read again, and traces from elsewhere.

mod companions;

use ironspin_model::{
    Body, BodyKind, BodyState, Contact, DVec2, DVec3, Dimension, Frame, Part, PlaneShape, Pose, SensorEvent,
    SensorEventKind, World,
};
use ironspin_trace::{
    Angles, Conventions, FrameReader, Hand, Header, ScalarPlace, Table, TraceError, TraceFormat, TraceWriter, Upward,
};
use proptest::prelude::*;
use std::path::Path;
use std::sync::Arc;

pub(crate) fn world() -> World {
    let body = |name: &str, kind: BodyKind| Body {
        kind,
        pose: Pose::at(DVec3::new(0.0, -1.0, 0.0)),
        parts: vec![Part::solid(PlaneShape::Box(DVec2::ONE), 0)],
        ..Body::plain(name)
    };
    World {
        bodies: vec![
            body("quay", BodyKind::Static),
            body("ingot[0]", BodyKind::Dynamic),
            body("ingot[1]", BodyKind::Dynamic),
        ],
        ..World::planar(1.0)
    }
}

fn read(path: &Path, conventions: &Conventions) -> Result<(Vec<Frame>, Vec<String>), TraceError> {
    read_of(world(), path, conventions)
}

fn read_of(world: World, path: &Path, conventions: &Conventions) -> Result<(Vec<Frame>, Vec<String>), TraceError> {
    let mut reader = FrameReader::new(Table::open(path)?, Arc::new(world), conventions)?;
    let mut frames = Vec::new();
    while let Some(frame) = reader.next_frame()? {
        frames.push(frame);
    }
    Ok((frames, reader.reading().notes.clone()))
}

fn read_text(text: &str, conventions: &Conventions) -> Result<(Vec<Frame>, Vec<String>), TraceError> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("from-elsewhere.csv");
    std::fs::write(&path, text).unwrap();
    read(&path, conventions)
}

fn number() -> impl Strategy<Value = f64> {
    prop_oneof![any::<f64>().prop_filter("finite", |v| v.is_finite()), -10.0..10.0_f64]
}

fn frames() -> impl Strategy<Value = Vec<Frame>> {
    let state = (number(), number(), number(), number(), number(), number())
        .prop_map(|(x, y, a, vx, vy, w)| BodyState::planar(DVec3::new(x, y, 0.0), a, DVec3::new(vx, vy, 0.0), w));
    let contact = (number(), number(), 0..9_u64).prop_map(|(depth, impulse, times)| Contact {
        bodies: [0, 2],
        point: DVec3::new(depth, impulse, 0.0),
        normal: DVec3::Y,
        depth,
        impulse,
        times: Some(times),
    });
    let one = (prop::collection::vec(state, 3), prop::collection::vec(contact, 0..3), 1e-6..1.0_f64, any::<bool>());
    prop::collection::vec(one, 1..8).prop_map(|list| {
        let mut time = 0.0;
        let mut frames = Vec::new();
        for (step, (mut bodies, contacts, dt, gone)) in list.into_iter().enumerate() {
            if step > 0 {
                time += dt;
                if gone {
                    bodies[1] = BodyState::absent();
                }
            }
            let step = step as u64;
            let kind = if gone { SensorEventKind::Enter } else { SensorEventKind::Leave };
            let events = vec![SensorEvent { step, kind, sensor: [0, 0], other: [2, 0] }];
            frames.push(Frame { step, time, bodies, contacts, events, ..Frame::default() });
        }
        frames
    })
}

/// Frames as text, so that states of absent bodies, which equal nothing, can be compared.
fn reported(frames: &[Frame]) -> Vec<String> {
    frames.iter().map(|frame| format!("{frame:?}")).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// What was written is read again with the same bits, whatever the format.
    #[test]
    fn a_trace_comes_back_as_it_was(frames in frames()) {
        let folder = tempfile::tempdir().unwrap();
        for format in [TraceFormat::Csv, TraceFormat::Parquet] {
            let path = folder.path().join(format!("drop.{}", format.ending()));
            let header = Header { scene: "drop".into(), engine: "builtin".into(), dt: "1/60".into(), seed: 1 };
            let names = world().bodies.iter().map(|body| body.name.clone()).collect();
            let mut writer = TraceWriter::begin(&path, format, &header, Dimension::Plane, names).unwrap();
            frames.iter().for_each(|frame| writer.add(frame).unwrap());
            prop_assert!(!path.exists(), "nothing by halves");
            writer.finish().unwrap();
            let table = Table::open(&path).unwrap();
            prop_assert_eq!(table.about("dt"), Some("1/60"));
            let (found, notes) = read(&path, &Conventions::default()).unwrap();
            prop_assert_eq!(reported(&found), reported(&frames));
            prop_assert!(notes.is_empty(), "{:?}", notes);
        }
    }
}

#[test]
fn units_and_axes_of_a_screen_become_those_of_the_bench() {
    // Pixels, milliseconds, degrees, y down: 50 pixels a metre.
    let text = "time,body,x,y,angle,vx,vy,spin,colour\n\
                0,ingot[0],100,-50,90,0.05,0.1,0.018,red\n0,ingot[1],0,0,0,0,0,0,red\n\
                20,ingot[0],101,-48,90,0.05,0.1,0.018,red\n20,ingot[1],0,0,0,0,0,0,red\n";
    let conventions = Conventions {
        up: Upward::MinusY,
        angles: Angles::Degrees,
        units_per_metre: 50.0,
        units_per_second: 1000.0,
        ..Conventions::default()
    };
    let (frames, notes) = read_text(text, &conventions).unwrap();
    let state = &frames[1].bodies[1];
    assert_eq!(frames[1].time, 0.02);
    assert!((state.pose.position - DVec3::new(2.02, 0.96, 0.0)).length() < 1e-12, "{state:?}");
    assert!((state.velocity - DVec3::new(1.0, -2.0, 0.0)).length() < 1e-12, "{state:?}");
    assert!((state.pose.angle + std::f64::consts::FRAC_PI_2).abs() < 1e-12, "{state:?}");
    assert!((state.spin.z + 18.0_f64.to_radians()).abs() < 1e-12, "{state:?}");
    // The quay, which never moves, is taken from the scene.
    assert_eq!(frames[0].bodies[0].pose.position.y, -1.0);
    assert_eq!(notes, ["columns left out: colour", "static bodies taken from the scene: 1"]);
}

#[test]
fn what_is_not_told_is_worked_out_and_said() {
    let text = "step,body,x,y\n0,ingot[0],0,1\n0,ingot[1],0,0\n1,ingot[0],0.5,0.9\n1,ingot[1],0,0\n";
    let (frames, notes) = read_text(text, &Conventions { dt: Some(0.1), ..Conventions::default() }).unwrap();
    assert!((frames[1].bodies[1].velocity - DVec3::new(5.0, -1.0, 0.0)).length() < 1e-12);
    assert!(notes[0].contains("velocities are worked out") && notes[1].contains("angles are not given"), "{notes:?}");
    let wrapped =
        "time,body,x,y,angle\n0,ingot[0],0,1,3.1\n0,ingot[1],0,0,0\n0.1,ingot[0],0,1,-3.1\n0.1,ingot[1],0,0,0\n";
    let (frames, notes) = read_text(wrapped, &Conventions::default()).unwrap();
    assert!((frames[1].bodies[1].pose.angle - (std::f64::consts::TAU - 3.1)).abs() < 1e-12);
    assert!(notes.iter().any(|note| note.contains("unwrapped")), "{notes:?}");
}

#[test]
fn a_trace_in_space_is_read_with_its_quaternions() {
    let turned = std::f64::consts::FRAC_PI_4;
    let text = format!(
        "time,body,x,y,z,qw,qx,qy,qz,vx,vy,vz,wx,wy,wz\n\
         0,ingot[0],1,2,3,{0:?},0,0,{1:?},4,5,6,0,0,7\n0,ingot[1],0,0,0,1,0,0,0,0,0,0,0,0,0\n",
        (0.5 * turned).cos(),
        (0.5 * turned).sin()
    );
    let (frames, _) = read_text(&text, &Conventions::default()).unwrap();
    let state = &frames[0].bodies[1];
    assert_eq!(
        (state.pose.position, state.velocity, state.spin.z),
        (DVec3::new(1.0, 2.0, 3.0), DVec3::new(4.0, 5.0, 6.0), 7.0)
    );
    assert!((state.pose.angle - turned).abs() < 1e-15);
    let up = Conventions { up: Upward::Z, ..Conventions::default() };
    assert_eq!(read_text(&text, &up).unwrap().0[0].bodies[1].pose.position, DVec3::new(1.0, 3.0, -2.0));
}

/// The first frame of a trace of space with one moving body, its rotation told in some columns.
fn spatial(columns: &str, numbers: &str, conventions: &Conventions) -> Result<BodyState, String> {
    let mut world = world();
    world.dimension = Dimension::Space;
    let text = format!(
        "time,body,x,y,z,{columns},vx,vy,vz,wx,wy,wz\n0,ingot[0],1,2,3,{numbers},4,5,6,7,8,9\n0,ingot[1],0,0,0,{numbers},0,0,0,0,0,0\n"
    );
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("from-elsewhere.csv");
    std::fs::write(&path, text).unwrap();
    let read = read_of(world, &path, conventions).map_err(|error| error.to_string());
    read.map(|(frames, _)| frames[0].bodies[1])
}

#[test]
fn rotations_of_space_are_read_from_quaternions_of_either_order_matrices_and_angles() {
    // A third of a turn about (1, 1, 1): x to y, y to z, z to x.
    let plain = spatial("qw,qx,qy,qz", "0.5,0.5,0.5,0.5", &Conventions::default()).unwrap();
    let first = Conventions { scalar: Some(ScalarPlace::First), ..Conventions::default() };
    let last = Conventions { scalar: Some(ScalarPlace::Last), ..Conventions::default() };
    let angles = Conventions { turns: Some("xyx".parse().unwrap()), angles: Angles::Degrees, ..Conventions::default() };
    let quarter = std::f64::consts::FRAC_1_SQRT_2;
    for (columns, numbers, conventions) in [
        ("q0,q1,q2,q3", "0.5,0.5,0.5,0.5".to_owned(), &first),
        ("r11,r12,r13,r21,r22,r23,r31,r32,r33", "0,0,1,1,0,0,0,1,0".to_owned(), &Conventions::default()),
    ] {
        let found = spatial(columns, &numbers, conventions).unwrap().pose.rotation;
        assert!(ironspin_model::turn::angle_between(found, plain.pose.rotation) < 1e-12, "{columns}: {found:?}");
    }
    let about_x = spatial("q0,q1,q2,q3", &format!("{quarter:?},0,0,{quarter:?}"), &last).unwrap().pose.rotation;
    assert!((about_x.x - quarter).abs() < 1e-15 && about_x.z == 0.0, "{about_x:?}");
    let turned = spatial("a1,a2,a3", "90,0,0", &angles).unwrap().pose.rotation;
    assert!(ironspin_model::turn::angle_between(turned, about_x) < 1e-12, "{turned:?}");
    // What is not told is asked for, and what is no rotation is named.
    let why = |columns: &str, numbers: &str| spatial(columns, numbers, &Conventions::default()).unwrap_err();
    assert!(why("q0,q1,q2,q3", "1,0,0,0").contains("which of them is the scalar"));
    assert!(why("a1,a2,a3", "1,0,0").contains("about which axes they turn"));
    let mirror = why("r11,r12,r13,r21,r22,r23,r31,r32,r33", "1,0,0,0,1,0,0,0,-1");
    assert!(mirror.contains("mirrors"), "{mirror}");
}

#[test]
fn left_handed_axes_are_turned_over_with_their_turns() {
    let left = Conventions { hand: Hand::Left, ..Conventions::default() };
    // About y by a quarter in left-handed axes carries x to where z points there, which is -z here.
    let quarter = std::f64::consts::FRAC_1_SQRT_2;
    let state = spatial("qw,qx,qy,qz", &format!("{quarter:?},0,{quarter:?},0"), &left).unwrap();
    assert_eq!(state.pose.position, DVec3::new(1.0, 2.0, -3.0));
    assert_eq!(state.velocity, DVec3::new(4.0, 5.0, -6.0));
    assert_eq!(state.spin, DVec3::new(-7.0, -8.0, 9.0));
    assert!((state.pose.rotation.y + quarter).abs() < 1e-15);
}

#[test]
fn bad_rows_are_named_by_their_line() {
    let head = "time,body,x,y\n";
    let good = "0,ingot[0],0,1\n0,ingot[1],0,0\n";
    for (text, expected, help) in [
        (format!("{head}{good}0.1,ingot[0],zero,1\n"), ":4: `zero` in the column `x`, where a number is expected", ""),
        (format!("{head}{good}0.1,ingot[0],0\n"), ":4: 3 cells where 4 are expected", ""),
        (format!("{head}0,ignot[0],0,1\n"), ":2: `ignot[0]` is no body of the scene", "did you mean `ingot[0]`?"),
        (format!("{head}0,ingot[0],0,1\n0,ingot[0],0,1\n"), ":3: a second row of `ingot[0]` in one frame", ""),
        (format!("{head}{good}-1,ingot[0],0,1\n"), ":4: time -1 comes after time 0", ""),
        (
            format!("{head}0,ingot[0],0,1\n1,ingot[0],0,1\n"),
            ":2: the first frame has no row of `ingot[1]`",
            "every body",
        ),
        ("time,name,x,y\n".to_owned(), "it has no column `body`", "columns: step, time"),
        ("time,body,x,hight\n".to_owned(), "it has no column `y`", "columns: "),
        (head.to_owned(), "it has no rows", "a row for each body"),
        (format!("{head}0,ingot[0],,1\n"), ":2: the column `x` is empty", ""),
        (format!("step,body,x,y\n{good}"), "it gives no times", "--dt"),
        ("step,time,body,x,y\n0.5,0,ingot[0],0,1\n".to_owned(), ":2: step 0.5, where a whole number", ""),
    ] {
        let error = read_text(&text, &Conventions::default()).unwrap_err();
        assert!(error.to_string().contains(expected), "{error} and not {expected}");
        assert!(error.help().unwrap_or("").contains(help), "{:?} and not {help}", error.help());
    }
    assert!(matches!(Table::open(Path::new("trace.txt")), Err(TraceError::Format { .. })));
    assert!(matches!(Table::open(Path::new("nowhere.csv")), Err(TraceError::File { .. })));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]
    /// Whatever stands in a file, reading it ends with frames or a fault.
    #[test]
    fn no_bytes_panic(bytes in prop::collection::vec(any::<u8>(), 0..200), head in any::<bool>(), parquet in any::<bool>()) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join(if parquet { "x.parquet" } else { "x.csv" });
        let mut content = if head { b"time,body,x,y\n0,ingot[0],0,1\n".to_vec() } else { Vec::new() };
        if parquet && head {
            content = b"PAR1".to_vec();
        }
        content.extend(bytes);
        if parquet && head {
            content.extend(b"PAR1");
        }
        std::fs::write(&path, content).unwrap();
        let _ = read(&path, &Conventions::default());
    }
}

/// Files whose bytes were changed or cut are read, or refused with their name; none takes the program with it, whatever the reader of the format does.
#[test]
fn damaged_parquet_files_are_errors_of_their_own() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("whole.parquet");
    let header = Header { scene: "drop".into(), engine: "builtin".into(), dt: "1/10".into(), seed: 1 };
    let names = world().bodies.iter().map(|body| body.name.clone()).collect();
    let mut writer = TraceWriter::begin(&path, TraceFormat::Parquet, &header, Dimension::Plane, names).unwrap();
    for step in 0..40 {
        let bodies = vec![BodyState::planar(DVec3::X * step as f64, 0.0, DVec3::X, 0.0); 3];
        writer.add(&Frame { step, time: step as f64 * 0.1, bodies, ..Frame::default() }).unwrap();
    }
    writer.finish().unwrap();
    let whole = std::fs::read(&path).unwrap();
    let (mut seed, mut refused) = (1_u64, 0);
    let mut next = |below: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) as usize % below
    };
    let damaged = folder.path().join("damaged.parquet");
    for _ in 0..1500 {
        let mut bytes = whole.clone();
        for _ in 0..=next(3) {
            let place = next(bytes.len());
            bytes[place] = next(256) as u8;
        }
        if next(8) == 0 {
            bytes.truncate(next(bytes.len()));
        }
        std::fs::write(&damaged, &bytes).unwrap();
        if let Err(error) = read(&damaged, &Conventions::default()) {
            assert!(error.to_string().contains("damaged.parquet"), "{error}");
            refused += 1;
        }
    }
    assert!(refused > 100, "{refused}");
}
