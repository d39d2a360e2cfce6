//! A shared library with the C interface (`include/ironspin_engine.h` or `include/ironspin_engine_2.h`) behind the `Engine` trait, and served to the bench.
//!
//! Only the process that is started for it loads a library, so that nothing it breaks is the bench's.
#![allow(unsafe_code)]

use crate::interface::{Count, Interface, Version, fault};
use crate::protocol::{Follower, Served, Writing, serve};
use ironspin_c_abi::{EVENT_NUMBERS, Packed, PackedAction, raw, status, v2};
use ironspin_model::rows;
use ironspin_model::{
    Conditions, DVec3, Dimension, Effect, Engine, EngineError, EngineInfo, Frame, FrameSink, RayHit, RowSink, Rows,
    Scalar, SensorEvent, SensorEventKind, Token, WireIds, World,
};
use raw::EngineHandle;
use serde_json::Value;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::ffi::{CStr, CString};
use std::io::{self, Write};
use std::path::Path;
use std::rc::Rc;

/// Room in the pipe to the bench, bytes.
#[cfg(target_os = "linux")]
const ROOM: i32 = 1 << 20;

type SharedMemory = Rc<RefCell<Writing>>;

/// Most contacts and events of a frame: so many, and so many for each body.
const ROWS: usize = 500_000;
const ROWS_A_BODY: usize = 64;

/// One engine of a library.
struct Foreign {
    interface: Rc<Interface>,
    handle: EngineHandle,
    options: Vec<(String, String)>,
    dimension: Dimension,
    bodies: usize,
    ids: WireIds,
    step: u64,
    time: f64,
    /// Memory shared with the bench.
    shared_memory: Option<SharedMemory>,
    /// Frames that find no place there.
    rows: Vec<f64>,
    contacts: Vec<f64>,
    events: Vec<u64>,
    /// Steps and times at the states that were saved.
    saved: BTreeMap<u64, (u64, f64)>,
}

impl Foreign {
    fn start(
        interface: &Rc<Interface>,
        options: &[(String, String)],
        shared_memory: Option<SharedMemory>,
    ) -> Result<Foreign, EngineError> {
        // The header asks for nothing more.
        let handle = unsafe { (interface.create)() };
        if handle.is_null() {
            return Err(fault("ironspin_create gave nothing"));
        }
        Ok(Foreign {
            interface: Rc::clone(interface),
            handle,
            options: options.to_vec(),
            dimension: Dimension::Plane,
            bodies: 0,
            ids: WireIds::default(),
            step: 0,
            time: 0.0,
            shared_memory,
            rows: Vec::new(),
            contacts: Vec::new(),
            events: Vec::new(),
            saved: BTreeMap::new(),
        })
    }

    fn check(&self, code: i32) -> Result<(), EngineError> {
        if code == status::OK {
            return Ok(());
        }
        // The header guarantees a text after a failure.
        let text = unsafe { (self.interface.last_error)(self.handle) };
        let text = match text.is_null() {
            true => "it does not say why".to_owned(),
            false => unsafe { CStr::from_ptr(text) }.to_string_lossy().into_owned(),
        };
        Err(match code {
            status::UNSUPPORTED => EngineError::Unsupported { feature: text },
            status::NOTHING_BUILT => EngineError::NothingBuilt,
            status::BAD_VALUE => EngineError::BadWorld { why: text },
            _ => EngineError::BadAnswer { why: text },
        })
    }

    /// Numbers of a state and of a contact.
    fn widths(&self) -> [usize; 2] {
        [rows::state_len(self.dimension), rows::contact_len(self.dimension)]
    }

    /// Asks for the present frame of a world with soft bodies, and hands it on with every node as a body.
    fn look_at_nodes(&mut self, sink: &mut RowSink<'_>) -> Result<(), EngineError> {
        let (dimension, [state, contact]) = (self.dimension, self.widths());
        let (rigid, node) = (state * self.ids.rigid(), rows::node_len(dimension));
        self.rows.resize(rigid + node * self.ids.nodes(), f64::NAN);
        // There is room for every body and node, and for as many rows as are said.
        let code = unsafe { (self.interface.state)(self.handle, self.rows.as_mut_ptr()) };
        self.check(code)?;
        let most = self.most_rows();
        let contacts = unsafe { counted(self.interface.contacts, self.handle, &mut self.contacts, contact, most) }?;
        let events = self.noticed()?;
        let (bodies, nodes) = self.rows.split_at(rigid);
        let mut frame = Frame {
            step: self.step,
            time: self.time,
            bodies: bodies.chunks_exact(state).map(|row| rows::state_of(dimension, row)).collect(),
            contacts: self.contacts[..contacts * contact]
                .chunks_exact(contact)
                .map(|row| rows::contact_of(dimension, row))
                .collect(),
            events,
            off_unit: Vec::new(),
        };
        frame.bodies.extend(nodes.chunks_exact(node).map(|row| rows::node_of(dimension, row)));
        self.ids.take_in(&mut frame);
        let (mut states, mut touches) = (Vec::new(), Vec::new());
        frame.bodies.iter().for_each(|body| rows::push_state(dimension, body, &mut states));
        frame.contacts.iter().for_each(|contact| rows::push_contact(dimension, contact, &mut touches));
        sink(Rows { step: self.step, state: &states, contacts: &touches, events: &frame.events, place: None });
        Ok(())
    }

    /// Asks for the present frame, and hands it on.
    fn look(&mut self, sink: &mut RowSink<'_>) -> Result<(), EngineError> {
        if !self.ids.are_same() {
            return self.look_at_nodes(sink);
        }
        let [state, contact] = self.widths();
        self.rows.resize(state * self.bodies, f64::NAN);
        // There is room for every body, and for as many rows as are said.
        let code = unsafe { (self.interface.state)(self.handle, self.rows.as_mut_ptr()) };
        self.check(code)?;
        let most = self.most_rows();
        let contacts = unsafe { counted(self.interface.contacts, self.handle, &mut self.contacts, contact, most) }?;
        let events = self.noticed()?;
        let contacts = &self.contacts[..contacts * contact];
        sink(Rows { step: self.step, state: &self.rows, contacts, events: &events, place: None });
        Ok(())
    }

    /// The same by way of memory that the bench reads, where there is enough of it. Only for frames that the bench is notified of.
    fn look_together(&mut self, sink: &mut RowSink<'_>) -> Result<(), EngineError> {
        // Nodes need their rows laid out anew.
        match self.ids.are_same() && self.look_into_the_room(sink)? {
            true => Ok(()),
            false => self.look(sink),
        }
    }

    /// False where there is no such memory, or not enough.
    fn look_into_the_room(&mut self, sink: &mut RowSink<'_>) -> Result<bool, EngineError> {
        let Some(shared_memory) = self.shared_memory.clone() else { return Ok(false) };
        let mut shared_memory = shared_memory.borrow_mut();
        let [width, contact] = self.widths();
        let state = width * self.bodies;
        let (mut wanted, mut asked) = (state, 0);
        loop {
            let Some(place) = shared_memory.place(wanted) else { return Ok(false) };
            let free = (shared_memory.largest() - state) / contact;
            let rows: *mut f64 = shared_memory.at(place).cast();
            // There is room for every body, and for as many rows as are said.
            let code = unsafe { (self.interface.state)(self.handle, rows) };
            self.check(code)?;
            let count = self.interface.contacts.map_or(0, |ask| {
                // As above.
                unsafe { ask(self.handle, rows.add(state), free as u64) }
            });
            let count = within(count, self.most_rows())?;
            if count > free {
                asked += 1;
                if asked > TRIES {
                    return Err(fault("it says of one frame that it has ever more contacts"));
                }
                wanted = count.saturating_mul(contact).saturating_add(state);
                continue;
            }
            let events = self.noticed()?;
            // Nobody writes there before the bench has read it.
            let [state, contacts] = unsafe {
                let contacts = std::slice::from_raw_parts(rows.add(state), count * contact);
                [std::slice::from_raw_parts(rows, state), contacts]
            };
            shared_memory.reported();
            sink(Rows { step: self.step, state, contacts, events: &events, place: Some(place) });
            return Ok(true);
        }
    }

    /// What sensors noticed.
    fn noticed(&mut self) -> Result<Vec<SensorEvent>, EngineError> {
        let (step, most) = (self.step, self.most_rows());
        // There is room for as many rows as are said.
        let count = unsafe { counted(self.interface.events, self.handle, &mut self.events, EVENT_NUMBERS, most) }?;
        Ok(self.events[..count * EVENT_NUMBERS].chunks_exact(EVENT_NUMBERS).map(|n| event(n, step)).collect())
    }

    /// Most contacts, or events, that are taken of a frame.
    fn most_rows(&self) -> usize {
        ROWS.saturating_add(ROWS_A_BODY.saturating_mul(self.bodies))
    }

    fn step(&mut self, length: f64) -> Result<(), EngineError> {
        // The header asks for nothing more.
        let code = unsafe { (self.interface.step)(self.handle, length) };
        self.check(code)?;
        self.step += 1;
        self.time += length;
        Ok(())
    }
}

fn frame_of(dimension: Dimension, frame: &Rows<'_>, time: f64) -> Frame {
    let bodies = frame.state.chunks_exact(rows::state_len(dimension)).map(|row| rows::state_of(dimension, row));
    let contacts = frame.contacts.chunks_exact(rows::contact_len(dimension));
    Frame {
        step: frame.step,
        time,
        bodies: bodies.collect(),
        contacts: contacts.map(|row| rows::contact_of(dimension, row)).collect(),
        events: frame.events.to_vec(),
        off_unit: Vec::new(),
    }
}

fn event(n: &[u64], step: u64) -> SensorEvent {
    SensorEvent {
        step,
        kind: if n[0] == 1 { SensorEventKind::Leave } else { SensorEventKind::Enter },
        sensor: [n[1] as usize, n[2] as usize],
        other: [n[3] as usize, n[4] as usize],
    }
}

/// Times that a library may be asked for the rows of one frame.
const TRIES: usize = 4;

/// A number of rows that a library gave, when it may be.
fn within(count: u64, most: usize) -> Result<usize, EngineError> {
    let fits = usize::try_from(count).ok().filter(|&count| count <= most);
    fits.ok_or_else(|| fault(format!("it says that a frame has {count} contacts or events; up to {most} are taken")))
}

/// Fills rows of so many numbers, with more room where it was too little; how many there are, at most `most`.
///
/// # Safety
/// The function must keep to the header.
unsafe fn counted<T: Copy + Default>(
    ask: Option<Count<T>>,
    handle: EngineHandle,
    rows: &mut Vec<T>,
    numbers: usize,
    most: usize,
) -> Result<usize, EngineError> {
    let Some(ask) = ask else { return Ok(0) };
    for _ in 0..TRIES {
        let room = rows.len() / numbers;
        // The caller guarantees it; there is room for so many.
        let count = within(unsafe { ask(handle, rows.as_mut_ptr(), room as u64) }, most)?;
        if count <= room {
            return Ok(count);
        }
        rows.resize(numbers * (count + count / 2), T::default());
    }
    Err(fault("it says of one frame that it has ever more contacts or events"))
}

impl Drop for Foreign {
    fn drop(&mut self) {
        // It is not used again.
        unsafe { (self.interface.destroy)(self.handle) }
    }
}

fn missing<T>(function: Option<T>, feature: &str) -> Result<T, EngineError> {
    function.ok_or_else(|| EngineError::Unsupported { feature: feature.to_owned() })
}

impl Engine for Foreign {
    fn info(&self) -> EngineInfo {
        let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
        EngineInfo {
            name: text(&self.interface.hello["engine"]["name"]),
            version: text(&self.interface.hello["engine"]["version"]),
            options: Vec::new(),
            scalar: Scalar::of(&text(&self.interface.hello["scalar"])),
            spaces: Dimension::listed(
                self.interface.hello["spaces"].as_array().into_iter().flatten().filter_map(Value::as_u64),
            ),
            features: self.interface.features(),
        }
    }

    fn build(&mut self, world: &World, conditions: &Conditions) -> Result<(), EngineError> {
        for (name, value) in &self.options {
            let set = missing(self.interface.option, &format!("the option {name}"))?;
            let [name, value] = [name, value].map(|text| CString::new(text.replace('\0', "?")).unwrap_or_default());
            // Both texts end with a zero.
            let code = unsafe { set(self.handle, name.as_ptr(), value.as_ptr()) };
            self.check(code)?;
        }
        let code = match (self.interface.version, world.dimension) {
            (Version::One, _) if !world.softs.is_empty() => {
                return Err(EngineError::Unsupported { feature: "soft".to_owned() });
            }
            (Version::One, Dimension::Plane) => {
                let packed = Packed::new(world, conditions);
                // The arrays stand in `packed`.
                unsafe { (self.interface.build)(self.handle, std::ptr::from_ref(packed.world()).cast()) }
            }
            (Version::One, Dimension::Space) => {
                return Err(EngineError::Unsupported { feature: world.dimension.feature() });
            }
            (Version::Two, _) => {
                let packed = v2::Packed::new(world, conditions);
                // As above.
                unsafe { (self.interface.build)(self.handle, std::ptr::from_ref(packed.world()).cast()) }
            }
        };
        self.check(code)?;
        (self.dimension, self.bodies, self.step, self.time) = (world.dimension, world.bodies.len(), 0, 0.0);
        self.ids = WireIds::of(world);
        self.saved.clear();
        Ok(())
    }

    fn advance(&mut self, steps: &[f64], sink: &mut FrameSink<'_>) -> Result<(), EngineError> {
        let dimension = self.dimension;
        if steps.is_empty() {
            let time = self.time;
            return self.look(&mut |rows| sink(&frame_of(dimension, &rows, time)));
        }
        for &length in steps {
            self.step(length)?;
            let time = self.time;
            self.look(&mut |rows| sink(&frame_of(dimension, &rows, time)))?;
        }
        Ok(())
    }

    fn advance_rows(&mut self, steps: &[f64], sink: &mut RowSink<'_>) -> Result<bool, EngineError> {
        if steps.is_empty() {
            self.look_together(sink)?;
        }
        for &length in steps {
            self.step(length)?;
            self.look_together(sink)?;
        }
        Ok(true)
    }

    fn act(&mut self, body: usize, effect: &Effect) -> Result<(), EngineError> {
        let code = match self.interface.version {
            Version::One => {
                let packed = PackedAction::new(body, effect);
                // The list stands in `packed`.
                unsafe { (self.interface.act)(self.handle, std::ptr::from_ref(packed.action()).cast()) }
            }
            Version::Two => {
                let packed = v2::PackedAction::new(&self.ids, body, effect);
                // As above.
                unsafe { (self.interface.act)(self.handle, std::ptr::from_ref(packed.action()).cast()) }
            }
        };
        self.check(code)
    }

    fn save(&mut self) -> Result<Token, EngineError> {
        let (save, mut token) = (missing(self.interface.save, "restore")?, 0);
        // There is room for a token.
        let code = unsafe { save(self.handle, &raw mut token) };
        self.check(code)?;
        self.saved.insert(token, (self.step, self.time));
        Ok(Token(token))
    }

    fn restore(&mut self, token: Token) -> Result<(), EngineError> {
        let restore = missing(self.interface.restore, "restore")?;
        // The header asks for nothing more.
        let code = unsafe { restore(self.handle, token.0) };
        self.check(code)?;
        let known = self.saved.get(&token.0).copied();
        (self.step, self.time) = known.ok_or_else(|| fault(format!("nothing is saved under {}", token.0)))?;
        Ok(())
    }

    fn ray(&mut self, from: DVec3, to: DVec3) -> Result<Option<RayHit>, EngineError> {
        let ray = missing(self.interface.ray, "ray")?;
        let mut found = 0;
        let hit = match self.interface.version {
            Version::One => {
                let (ends, mut hit) = ([from.x, from.y, to.x, to.y], raw::Hit::default());
                // Four numbers, and room for a hit.
                let code =
                    unsafe { ray(self.handle, ends.as_ptr(), &raw mut found, std::ptr::from_mut(&mut hit).cast()) };
                self.check(code)?;
                let [point, normal] = [hit.point, hit.normal].map(|[x, y]| DVec3::new(x, y, 0.0));
                RayHit { body: hit.body as usize, point, normal, distance: hit.distance }
            }
            Version::Two => {
                let (ends, mut hit) = ([from.x, from.y, from.z, to.x, to.y, to.z], v2::raw::Hit::default());
                // Six numbers, and room for a hit.
                let code =
                    unsafe { ray(self.handle, ends.as_ptr(), &raw mut found, std::ptr::from_mut(&mut hit).cast()) };
                self.check(code)?;
                let [point, normal] = [hit.point, hit.normal].map(DVec3::from_array);
                RayHit { body: hit.body as usize, point, normal, distance: hit.distance }
            }
        };
        Ok((found != 0).then(|| self.ids.hit_inside(hit)))
    }
}

/// Loads a shared library and serves its engine to the bench on standard input and output, frames as bytes; over the plain protocol when
/// `plain`; `shared_memory` is the number of an open file in memory for them. What the library itself prints goes to standard error.
///
/// # Errors
/// When a stream breaks, or the library cannot be loaded.
pub fn serve_library(path: &Path, plain: bool, shared_memory: Option<i32>, follow: &Follower<'_>) -> io::Result<()> {
    let mut output = io::BufWriter::with_capacity(1 << 18, output()?);
    let interface = Rc::new(Interface::open(path).map_err(io::Error::other)?);
    let shared_memory = shared_memory.and_then(Writing::open).map(|shared_memory| Rc::new(RefCell::new(shared_memory)));
    let start = |options: &[(String, String)]| -> Result<Box<dyn Engine>, EngineError> {
        Ok(Box::new(Foreign::start(&interface, options, shared_memory.clone())?))
    };
    let served = Served { start: &start, hello: Some(&interface.hello), follow: Some(follow), in_bytes: !plain };
    serve(served, &mut io::stdin().lock(), &mut output)
}

/// Standard output for the protocol alone.
#[cfg(unix)]
fn output() -> io::Result<impl Write> {
    let own = nix::unistd::dup(io::stdout())?;
    nix::unistd::dup2_stdout(io::stderr())?;
    let own = std::fs::File::from(own);
    // A frame of a thousand bodies and their contacts goes in whole, so that the engine need not wait until it is read.
    #[cfg(target_os = "linux")]
    let _ = nix::fcntl::fcntl(&own, nix::fcntl::FcntlArg::F_SETPIPE_SZ(ROOM));
    Ok(own)
}

#[cfg(not(unix))]
fn output() -> io::Result<impl Write> {
    Ok(io::stdout())
}
