//! Rows of a trace to frames.

use crate::columns::Column;
use crate::companions::Notices;
use crate::error::TraceError;
use crate::table::{Cell, Table, TableRow};
use crate::turns::{Hand, MATRIX, ScalarPlace, TurnOrder, of_matrix};
use ironspin_model::{BodyKind, BodyState, DQuat, DVec3, Dimension, Frame, Pose, World, nearest, turn};
use std::collections::BTreeMap;
use std::sync::Arc;

/// Which way is up in the file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Upward {
    /// y points up.
    #[default]
    Y,
    /// y points down, as on a screen: y, angles and spins change their sign.
    MinusY,
    /// z points up: z becomes y, and y goes into the plane.
    Z,
}

/// The unit of angles and spins in the file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Angles {
    /// Radians.
    #[default]
    Radians,
    /// Degrees, and degrees a second.
    Degrees,
}

/// Units and axes of a file.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Conventions {
    /// Which way is up.
    pub up: Upward,
    /// Unit of angles.
    pub angles: Angles,
    /// Units of length of the file in a metre.
    pub units_per_metre: f64,
    /// Units of time of the file in a second. Velocities are in these units too.
    pub units_per_second: f64,
    /// Which hand the axes have.
    pub hand: Hand,
    /// Where the scalar of a quaternion in columns `q0` to `q3` stands.
    pub scalar: Option<ScalarPlace>,
    /// About which axes the angles in columns `a1` to `a3` turn.
    pub turns: Option<TurnOrder>,
    /// Length of a step, s, for files that number their steps and give no times.
    pub dt: Option<f64>,
}

impl Default for Conventions {
    fn default() -> Self {
        Conventions {
            up: Upward::default(),
            angles: Angles::default(),
            units_per_metre: 1.0,
            units_per_second: 1.0,
            hand: Hand::default(),
            scalar: None,
            turns: None,
            dt: None,
        }
    }
}

/// What came of reading a trace.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Reading {
    /// Frames read.
    pub frames: u64,
    /// What was left out, filled in or worked out.
    pub notes: Vec<String>,
}

/// The frames of a trace, one after the other. Memory does not grow with the length of the trace, but for contacts and notices.
#[derive(Debug)]
pub struct FrameReader {
    table: Table,
    reader: Reader,
    over: bool,
}

impl FrameReader {
    /// Begins to read a trace of a world.
    ///
    /// # Errors
    /// When it gives no times, or the files of contacts and notices beside it are wrong.
    pub fn new(table: Table, world: Arc<World>, conventions: &Conventions) -> Result<FrameReader, TraceError> {
        let reader = Reader::new(&table, world, conventions)?;
        Ok(FrameReader { table, reader, over: false })
    }

    /// The next frame; nothing after the last.
    ///
    /// # Errors
    /// For the first row that is wrong, with its line: what was found and what was expected.
    pub fn next_frame(&mut self) -> Result<Option<Frame>, TraceError> {
        if self.over {
            return Ok(None);
        }
        while let Some(row) = self.table.next_row() {
            let done = row.and_then(|row| self.reader.take(&row));
            match done {
                Ok(None) => {}
                Ok(Some(frame)) => return Ok(Some(frame)),
                Err(error) => {
                    self.over = true;
                    return Err(error);
                }
            }
        }
        self.over = true;
        self.reader.end().map(Some)
    }

    /// What came of it so far.
    pub fn reading(&self) -> &Reading {
        &self.reader.reading
    }

    /// Whether there are notices of sensors beside the trace.
    pub fn has_notices(&self) -> bool {
        self.reader.has_notices
    }
}

impl Table {
    /// The length of a step that the file gives, or that its first frames show, s, as text if it gives one.
    ///
    /// # Errors
    /// When its first rows are wrong, or it has no two frames.
    pub fn step(mut self, conventions: &Conventions) -> Result<(Option<String>, f64), TraceError> {
        if let Some(text) = self.about("dt") {
            return Ok((Some(text.to_owned()), 0.0));
        }
        if let Some(dt) = conventions.dt {
            return Ok((None, dt));
        }
        let whole = |why: &str, help: &str| TraceError::Whole {
            path: self.path().to_owned(),
            why: why.to_owned(),
            help: Some(help.to_owned()),
        };
        let Some(place) = self.columns().iter().position(|&column| column == Column::Time) else {
            return Err(whole("it gives no times", "give the length of a step with --dt"));
        };
        let none = whole("it has no two frames", "a trace has a row for each body and frame");
        let mut first = None;
        while let Some(row) = self.next_row() {
            let Cell::Number(time) = row?.cells[place] else { continue };
            let first = *first.get_or_insert(time);
            if time > first {
                return Ok((None, (time - first) / conventions.units_per_second));
            }
        }
        Err(none)
    }
}

/// The rotation vector from one rotation to another, the short way, rad.
fn turn_between(from: DQuat, to: DQuat) -> DVec3 {
    let way = turn::product(to, from.conjugate());
    let axis = DVec3::new(way.x, way.y, way.z) * if way.w < 0.0 { -1.0 } else { 1.0 };
    let sine = axis.length();
    if sine > 0.0 { axis * (2.0 * libm::atan2(sine, way.w.abs()) / sine) } else { DVec3::ZERO }
}

/// Frames in the making.
#[derive(Debug)]
struct Reader {
    world: Arc<World>,
    conventions: Conventions,
    path: std::path::PathBuf,
    columns: Vec<Column>,
    ids: BTreeMap<String, usize>,
    notices: Notices,
    has_notices: bool,
    own: bool,
    frame: Frame,
    /// Bodies with a row in this frame.
    seen: Vec<bool>,
    begun: bool,
    /// The step or time by which rows belong together.
    key: f64,
    line: u64,
    before: Option<(f64, Vec<BodyState>)>,
    reading: Reading,
    unwrapped: bool,
}

impl Reader {
    fn new(table: &Table, world: Arc<World>, conventions: &Conventions) -> Result<Self, TraceError> {
        let ids: BTreeMap<String, usize> =
            world.bodies.iter().enumerate().map(|(id, body)| (body.name.clone(), id)).collect();
        let notices = Notices::read(table.path(), world.dimension, &|name| ids.get(name).copied())?;
        let mut notes = Vec::new();
        if !table.unknown_columns().is_empty() {
            notes.push(format!("columns left out: {}", table.unknown_columns().join(", ")));
        }
        let has = |column: Column| table.columns().contains(&column);
        if !has(Column::Vx) || !has(Column::Vy) {
            notes.push("velocities are worked out from where bodies are: (x - x before) / dt".to_owned());
        }
        let turns = match world.dimension {
            Dimension::Plane => has(Column::Angle) || has(Column::Qw),
            Dimension::Space => [Column::Qw, Column::Q0, Column::R11, Column::A1].into_iter().any(has),
        };
        let whole = |why: &str, help: &str| {
            Err(TraceError::Whole { path: table.path().to_owned(), why: why.to_owned(), help: Some(help.to_owned()) })
        };
        if world.dimension == Dimension::Space {
            if has(Column::Q0) && conventions.scalar.is_none() {
                return whole(
                    "the columns `q0` to `q3` do not tell which of them is the scalar",
                    "give --quaternion first or last, or name them qw, qx, qy and qz",
                );
            }
            if has(Column::A1) && conventions.turns.is_none() {
                return whole(
                    "the columns `a1` to `a3` do not tell about which axes they turn",
                    "give --turns with three axes of the world, in the order in which they turn, such as xyz",
                );
            }
        }
        match (world.dimension, turns) {
            (Dimension::Plane, false) => notes.push("angles are not given: bodies are taken not to turn".to_owned()),
            (Dimension::Space, false) => notes.push("rotations are not given: bodies are taken not to turn".to_owned()),
            (_, true) if has(Column::Spin) || has(Column::Wz) => {}
            (Dimension::Plane, true) => notes.push("spins are worked out from angles".to_owned()),
            (Dimension::Space, true) => notes.push("spins are worked out from rotations".to_owned()),
        }
        if has(Column::Time) || conventions.dt.is_some() {
            Ok(())
        } else {
            Err(TraceError::Whole {
                path: table.path().to_owned(),
                why: "it gives no times".to_owned(),
                help: Some("give the length of a step with --dt".to_owned()),
            })
        }?;
        Ok(Reader {
            conventions: *conventions,
            path: table.path().to_owned(),
            columns: table.columns().to_vec(),
            has_notices: !notices.events.is_empty(),
            seen: vec![false; world.bodies.len()],
            world,
            ids,
            notices,
            own: table.about("format").is_some_and(|format| format.starts_with("ironspin.trace/")),
            frame: Frame::default(),
            begun: false,
            key: 0.0,
            line: 0,
            before: None,
            reading: Reading { frames: 0, notes },
            unwrapped: false,
        })
    }

    fn error(&self, line: u64, why: String, help: Option<String>) -> TraceError {
        TraceError::Row { path: self.path.clone(), line, why, help }
    }

    fn has(&self, column: Column) -> bool {
        self.columns.contains(&column)
    }

    fn number(&self, row: &TableRow, column: Column) -> Result<Option<f64>, TraceError> {
        let Some(place) = self.columns.iter().position(|&known| known == column) else { return Ok(None) };
        match &row.cells[place] {
            Cell::Number(value) => Ok(Some(*value)),
            _ => Err(self.error(row.line, format!("the column `{}` is empty", column.name()), None)),
        }
    }

    /// Takes a row; the frame before it, when the row begins a new one.
    fn take(&mut self, row: &TableRow) -> Result<Option<Frame>, TraceError> {
        let step = self.number(row, Column::Step)?;
        let time = self.number(row, Column::Time)?.map(|time| time / self.conventions.units_per_second);
        let key = step.or(time).unwrap_or(0.0);
        let mut done = None;
        if !self.begun || key != self.key {
            if self.begun {
                if !(key > self.key) {
                    let what = if step.is_some() { "step" } else { "time" };
                    return Err(self.error(row.line, format!("{what} {key} comes after {what} {}", self.key), None));
                }
                done = Some(self.finish()?);
            }
            self.begin(row.line, step, time, key)?;
        } else if let (Some(time), true) = (time, step.is_some())
            && time != self.frame.time
        {
            let why = format!("time {time} in a frame of time {}", self.frame.time);
            return Err(self.error(row.line, why, None));
        }
        self.line = row.line;
        self.body(row)?;
        Ok(done)
    }

    fn begin(&mut self, line: u64, step: Option<f64>, time: Option<f64>, key: f64) -> Result<(), TraceError> {
        if let Some(step) = step.filter(|step| !(*step >= 0.0 && step.fract() == 0.0 && *step < 9e15)) {
            return Err(self.error(line, format!("step {step}, where a whole number from 0 is expected"), None));
        }
        let number = step.map_or(self.reading.frames, |step| step as u64);
        let time = time.unwrap_or_else(|| number as f64 * self.conventions.dt.unwrap_or(0.0));
        if !time.is_finite() {
            return Err(self.error(line, format!("time {time}, where a number is expected"), None));
        }
        if let Some((before, _)) = &self.before
            && !(time > *before)
        {
            return Err(self.error(line, format!("time {time} comes after time {before}"), None));
        }
        self.frame.step = number;
        self.frame.time = time;
        self.frame.bodies.clear();
        self.frame.bodies.resize(self.world.bodies.len(), BodyState::absent());
        self.seen.fill(false);
        self.begun = true;
        self.key = key;
        Ok(())
    }

    /// Takes the state of one body.
    fn body(&mut self, row: &TableRow) -> Result<(), TraceError> {
        let place = self.columns.iter().position(|&column| column == Column::Body);
        let name = match place.map(|place| &row.cells[place]) {
            Some(Cell::Text(name)) => name.as_str(),
            _ => "",
        };
        let Some(&id) = self.ids.get(name) else {
            let help = nearest(name, self.ids.keys().map(String::as_str)).map(|near| format!("did you mean `{near}`?"));
            return Err(self.error(row.line, format!("`{name}` is no body of the scene"), help));
        };
        if std::mem::replace(&mut self.seen[id], true) {
            return Err(self.error(row.line, format!("a second row of `{name}` in one frame"), None));
        }
        let get = |column: Column| self.number(row, column);
        let length = 1.0 / self.conventions.units_per_metre;
        let speed = length * self.conventions.units_per_second;
        let turn = match self.conventions.angles {
            Angles::Radians => 1.0,
            Angles::Degrees => 1.0_f64.to_radians(),
        };
        let or0 = |value: Option<f64>| value.unwrap_or(0.0);
        let vector = |columns: [Column; 3], scale: f64| -> Result<DVec3, TraceError> {
            Ok(self.upright(DVec3::new(or0(get(columns[0])?), or0(get(columns[1])?), or0(get(columns[2])?))) * scale)
        };
        let position = vector([Column::X, Column::Y, Column::Z], length)?;
        let mut state = match self.rotation(row, turn)? {
            Some(DQuat { x, y, z, w }) => {
                let axis = self.upright_turn(DVec3::new(x, y, z));
                let rotation = DQuat::from_xyzw(axis.x, axis.y, axis.z, w);
                let angle = match self.world.dimension {
                    Dimension::Plane => 2.0 * libm::atan2(axis.z, w),
                    Dimension::Space => 0.0,
                };
                BodyState { pose: Pose { position, rotation, angle }, velocity: DVec3::ZERO, spin: DVec3::ZERO }
            }
            // Without a rotation a body of space is taken not to turn.
            None if self.world.dimension == Dimension::Space => {
                let pose = Pose { position, ..self.world.bodies[id].pose };
                BodyState { pose, velocity: DVec3::ZERO, spin: DVec3::ZERO }
            }
            None => {
                let sign = if self.conventions.up == Upward::MinusY { -turn } else { turn };
                BodyState::planar(position, or0(get(Column::Angle)?) * sign, DVec3::ZERO, 0.0)
            }
        };
        let mut unwrapped = false;
        let before = self.before.as_ref().map(|(time, states)| (self.frame.time - time, states[id]));
        let known = before.filter(|(_, before)| !before.is_absent());
        if !self.own
            && let Some((_, before)) = known
        {
            // Angles that jump by more than half a turn were wrapped.
            let turns = ((state.pose.angle - before.pose.angle) / std::f64::consts::TAU).round();
            if turns != 0.0 && turns.is_finite() {
                state.pose.angle -= turns * std::f64::consts::TAU;
                unwrapped = true;
            }
        }
        let (velocity, spin) = (self.world.bodies[id].velocity, self.world.bodies[id].spin);
        state.velocity = if self.has(Column::Vx) && self.has(Column::Vy) {
            vector([Column::Vx, Column::Vy, Column::Vz], speed)?
        } else {
            known.map_or(velocity, |(span, before)| (state.pose.position - before.pose.position) / span)
        };
        let rate = turn * self.conventions.units_per_second;
        let mirrored = if self.conventions.up == Upward::MinusY { -1.0 } else { 1.0 };
        state.spin = if self.has(Column::Wz) {
            let [x, y, z] = [or0(get(Column::Wx)?), or0(get(Column::Wy)?), or0(get(Column::Wz)?)];
            self.upright_turn(DVec3::new(x, y, z)) * rate
        } else if let Some(spin) = get(Column::Spin)? {
            DVec3::new(0.0, 0.0, spin * rate * mirrored)
        } else {
            match self.world.dimension {
                Dimension::Plane => {
                    let rate = |(span, before): (f64, BodyState)| (state.pose.angle - before.pose.angle) / span;
                    DVec3::new(0.0, 0.0, known.map_or(spin.z, rate))
                }
                Dimension::Space => {
                    known.map_or(spin, |(span, before)| turn_between(before.pose.rotation, state.pose.rotation) / span)
                }
            }
        };
        self.unwrapped |= unwrapped;
        self.frame.bodies[id] = state;
        Ok(())
    }

    /// The rotation that a row tells, in the axes of the file.
    fn rotation(&self, row: &TableRow, unit: f64) -> Result<Option<DQuat>, TraceError> {
        let numbers = |columns: &[Column]| -> Result<Vec<f64>, TraceError> {
            columns.iter().map(|&column| Ok(self.number(row, column)?.unwrap_or(0.0))).collect()
        };
        if self.has(Column::Qw) {
            let n = numbers(&[Column::Qx, Column::Qy, Column::Qz, Column::Qw])?;
            return Ok(Some(DQuat::from_xyzw(n[0], n[1], n[2], n[3])));
        }
        if let (Some(scalar), true) = (self.conventions.scalar, self.has(Column::Q0)) {
            let n = numbers(&[Column::Q0, Column::Q1, Column::Q2, Column::Q3])?;
            return Ok(Some(match scalar {
                ScalarPlace::First => DQuat::from_xyzw(n[1], n[2], n[3], n[0]),
                ScalarPlace::Last => DQuat::from_xyzw(n[0], n[1], n[2], n[3]),
            }));
        }
        if self.has(Column::R11) {
            let rows = numbers(&MATRIX)?;
            let rows: [f64; 9] = std::array::from_fn(|place| rows[place]);
            let found = of_matrix(rows);
            return found.map(Some).map_err(|(why, help)| self.error(row.line, why, Some(help.to_owned())));
        }
        if let (Some(turns), true) = (self.conventions.turns, self.has(Column::A1)) {
            let angles = numbers(&[Column::A1, Column::A2, Column::A3])?;
            return Ok(Some(turns.rotation([angles[0] * unit, angles[1] * unit, angles[2] * unit])));
        }
        Ok(None)
    }

    /// The axis of a turn, as the scene has it: where axes are mirrored, turns go the other way round.
    fn upright_turn(&self, axis: DVec3) -> DVec3 {
        let mirrors = (self.conventions.up == Upward::MinusY) != (self.conventions.hand == Hand::Left);
        let upright = self.upright(axis);
        if mirrors { -upright } else { upright }
    }

    fn upright(&self, v: DVec3) -> DVec3 {
        let v = match (self.conventions.hand, self.conventions.up) {
            (Hand::Right, _) => v,
            (Hand::Left, Upward::Y | Upward::MinusY) => DVec3::new(v.x, v.y, -v.z),
            (Hand::Left, Upward::Z) => DVec3::new(v.x, -v.y, v.z),
        };
        match self.conventions.up {
            Upward::Y => v,
            Upward::MinusY => DVec3::new(v.x, -v.y, v.z),
            Upward::Z => DVec3::new(v.x, v.z, -v.y),
        }
    }

    /// Ends the frame in the making.
    fn finish(&mut self) -> Result<Frame, TraceError> {
        let first = self.reading.frames == 0;
        let mut filled = 0;
        let world = Arc::clone(&self.world);
        for (id, body) in world.bodies.iter().enumerate().filter(|(id, _)| !self.seen[*id]) {
            if body.kind == BodyKind::Static {
                self.frame.bodies[id] = BodyState { pose: body.pose, velocity: DVec3::ZERO, spin: DVec3::ZERO };
                filled += 1;
            } else if first && !body.absent {
                let why = format!("the first frame has no row of `{}`", body.name);
                return Err(self.error(
                    self.line,
                    why,
                    Some("every body of the scene that moves needs one".to_owned()),
                ));
            }
        }
        if first && filled > 0 {
            self.reading.notes.push(format!("static bodies taken from the scene: {filled}"));
        }
        self.frame.contacts = self.notices.contacts.remove(&self.frame.step).unwrap_or_default();
        self.frame.events.clear();
        let later = self.notices.events.split_off(&(self.frame.step + 1));
        let due = std::mem::replace(&mut self.notices.events, later);
        self.frame.events.extend(due.into_values().flatten());
        self.before = Some((self.frame.time, self.frame.bodies.clone()));
        self.reading.frames += 1;
        Ok(self.frame.clone())
    }

    /// The last frame.
    fn end(&mut self) -> Result<Frame, TraceError> {
        if !self.begun {
            return Err(TraceError::Whole {
                path: self.path.clone(),
                why: "it has no rows".to_owned(),
                help: Some("a trace has a row for each body and frame".to_owned()),
            });
        }
        let frame = self.finish()?;
        if self.unwrapped {
            self.reading.notes.push("angles that jump by more than half a turn were unwrapped".to_owned());
        }
        Ok(frame)
    }
}
