//! The built-in engine behind the C interface of `include/ironspin_engine_2.h`: how the interface is tested both ways, and an
//! example of it in Rust. Every function is one of the header, where it is explained.
#![allow(unsafe_code)]

use ironspin_c_abi::v2::{INTERFACE, action_of, raw, world_of};
use ironspin_c_abi::{EVENT_NUMBERS, status};
use ironspin_engine::{Builtin, Settings};
use ironspin_model::rows::{plane, push_node, space, state_len};
use ironspin_model::{
    Contact, DVec3, Dimension, Engine, EngineError, Frame, PlaneShape, RayHit, SensorEvent, SensorEventKind,
    SpaceShape, Token, WireIds,
};
use serde_json::json;
use std::ffi::{CStr, CString, c_char};
use std::sync::OnceLock;

/// What stands behind the handle.
pub struct Handle {
    engine: Option<Builtin>,
    /// Of the world that was built last.
    dimension: Dimension,
    ids: WireIds,
    options: Vec<(String, String)>,
    error: CString,
}

impl Handle {
    fn built(&mut self) -> Result<&mut Builtin, EngineError> {
        self.engine.as_mut().ok_or(EngineError::NothingBuilt)
    }

    /// The present frame, once something is built.
    fn frame(&self) -> Option<&Frame> {
        self.engine.as_ref().and_then(Builtin::frame)
    }

    fn tell(&mut self, outcome: Result<(), EngineError>) -> i32 {
        let Err(error) = outcome else { return status::OK };
        let (code, text) = match &error {
            EngineError::Unsupported { feature } => (status::UNSUPPORTED, feature.clone()),
            EngineError::NothingBuilt => (status::NOTHING_BUILT, error.to_string()),
            EngineError::UnknownOption { .. } | EngineError::BadValue { .. } | EngineError::BadWorld { .. } => {
                (status::BAD_VALUE, error.to_string())
            }
            _ => (status::FAILED, error.to_string()),
        };
        self.error = CString::new(text.replace('\0', "?")).unwrap_or_default();
        code
    }
}

fn event_numbers(event: &SensorEvent) -> [u64; EVENT_NUMBERS] {
    let ([sensor, part], [other, other_part]) = (event.sensor, event.other);
    let kind = u64::from(event.kind == SensorEventKind::Leave);
    [kind, sensor as u64, part as u64, other as u64, other_part as u64]
}

/// Writes a row of numbers for each thing, as many as there is room for; how many things there are.
///
/// # Safety
/// There must be room for so many rows.
unsafe fn write_rows<T, N, const W: usize>(things: &[T], numbers: fn(&T) -> [N; W], to: *mut N, room: u64) -> u64 {
    let to: *mut [N; W] = to.cast();
    for (number, thing) in things.iter().take(room as usize).enumerate() {
        // The caller guarantees it.
        unsafe { to.add(number).write(numbers(thing)) };
    }
    things.len() as u64
}

/// # Safety
/// `engine` comes from [`ironspin_create`] and is in nobody else's hands.
unsafe fn with(engine: *mut Handle, act: impl FnOnce(&mut Handle) -> Result<(), EngineError>) -> i32 {
    // The caller guarantees it.
    let handle = unsafe { &mut *engine };
    let outcome = act(handle);
    handle.tell(outcome)
}

/// See the header.
#[unsafe(no_mangle)]
pub extern "C" fn ironspin_interface() -> u32 {
    INTERFACE
}

/// See the header.
#[unsafe(no_mangle)]
pub extern "C" fn ironspin_describe() -> *const c_char {
    static REPORTED: OnceLock<CString> = OnceLock::new();
    let reported = REPORTED.get_or_init(|| {
        let info = Builtin::new(Settings::default()).info();
        let options: serde_json::Map<String, serde_json::Value> = info
            .options
            .iter()
            .map(|option| (option.name.clone(), json!({"about": option.about, "default": option.default})))
            .collect();
        let features: Vec<&str> = info.features.iter().map(String::as_str).chain(["absent"]).collect();
        let mut shapes = PlaneShape::WORDS.to_vec();
        shapes.extend(SpaceShape::WORDS.iter().filter(|word| !PlaneShape::WORDS.contains(word)));
        let hello = json!({
            "engine": {"name": info.name, "version": info.version},
            "spaces": info.spaces.iter().map(|dimension| dimension.number()).collect::<Vec<u8>>(),
            "scalar": info.scalar.word(),
            "shapes": shapes,
            "features": features,
            "options": options,
        });
        CString::new(hello.to_string()).unwrap_or_default()
    });
    reported.as_ptr()
}

/// See the header.
#[unsafe(no_mangle)]
pub extern "C" fn ironspin_create() -> *mut Handle {
    let handle = Handle {
        engine: None,
        dimension: Dimension::Plane,
        ids: WireIds::default(),
        options: Vec::new(),
        error: CString::default(),
    };
    Box::into_raw(Box::new(handle))
}

/// # Safety
/// `engine` comes from [`ironspin_create`] and is not used again.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_destroy(engine: *mut Handle) {
    if !engine.is_null() {
        // The caller guarantees it.
        drop(unsafe { Box::from_raw(engine) });
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_last_error(engine: *mut Handle) -> *const c_char {
    // The caller guarantees it.
    unsafe { &*engine }.error.as_ptr()
}

/// # Safety
/// `engine` comes from [`ironspin_create`]; both texts end with a zero.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_option(engine: *mut Handle, name: *const c_char, value: *const c_char) -> i32 {
    // The caller guarantees it.
    let [name, value] = [name, value].map(|text| unsafe { CStr::from_ptr(text) }.to_string_lossy().into_owned());
    unsafe {
        with(engine, |handle| {
            handle.options.retain(|(known, _)| *known != name);
            handle.options.push((name, value));
            Settings::read(handle.options.iter().map(|(name, value)| (name.as_str(), value.as_str()))).map(drop)
        })
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`]; the arrays of the world are as long as it says.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_build(engine: *mut Handle, world: *const raw::World) -> i32 {
    // The caller guarantees it.
    unsafe {
        with(engine, |handle| {
            handle.engine = None;
            let options = std::mem::take(&mut handle.options);
            let settings = Settings::read(options.iter().map(|(name, value)| (name.as_str(), value.as_str())))?;
            let (world, conditions) = world_of(&*world).map_err(|why| EngineError::BadWorld { why })?;
            let mut engine = Builtin::new(settings);
            engine.build(&world, &conditions)?;
            (handle.dimension, handle.ids) = (world.dimension, WireIds::of(&world));
            handle.engine = Some(engine);
            Ok(())
        })
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`]; the list of the action is as long as it says.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_act(engine: *mut Handle, action: *const raw::Action) -> i32 {
    // The caller guarantees it.
    unsafe {
        with(engine, |handle| {
            let (body, effect) =
                action_of(handle.dimension, &handle.ids, &*action).map_err(|why| EngineError::BadAnswer { why })?;
            handle.built()?.act(body, &effect)
        })
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_step(engine: *mut Handle, dt: f64) -> i32 {
    // The caller guarantees it.
    unsafe { with(engine, |handle| handle.built()?.advance(&[dt], &mut |_| {})) }
}

/// # Safety
/// `engine` comes from [`ironspin_create`]; there is room for the numbers of every body.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_state(engine: *mut Handle, rows: *mut f64) -> i32 {
    // The caller guarantees it.
    unsafe {
        with(engine, |handle| {
            let frame = handle.frame().ok_or(EngineError::NothingBuilt)?;
            let (rigid, nodes) = frame.bodies.split_at(handle.ids.rigid());
            match handle.dimension {
                Dimension::Plane => write_rows(rigid, plane::state_row, rows, u64::MAX),
                Dimension::Space => write_rows(rigid, space::state_row, rows, u64::MAX),
            };
            if !nodes.is_empty() {
                let mut numbers = Vec::new();
                nodes.iter().for_each(|node| push_node(handle.dimension, node, &mut numbers));
                let behind = rows.add(state_len(handle.dimension) * rigid.len());
                behind.copy_from_nonoverlapping(numbers.as_ptr(), numbers.len());
            }
            Ok(())
        })
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`]; there is room for so many rows.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_contacts(engine: *mut Handle, rows: *mut f64, room: u64) -> u64 {
    // The caller guarantees it.
    unsafe {
        let handle = &*engine;
        handle.frame().map_or(0, |frame| {
            let outside: Vec<Contact>;
            let contacts = if handle.ids.are_same() {
                &frame.contacts
            } else {
                outside = frame.contacts.iter().map(|contact| handle.ids.contact_outside(contact)).collect();
                &outside
            };
            match handle.dimension {
                Dimension::Plane => write_rows(contacts, plane::contact_row, rows, room),
                Dimension::Space => write_rows(contacts, space::contact_row, rows, room),
            }
        })
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`]; there is room for so many rows of five numbers.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_events(engine: *mut Handle, rows: *mut u64, room: u64) -> u64 {
    // The caller guarantees it.
    unsafe {
        (*engine).frame().map_or(0, |frame| {
            let events: Vec<SensorEvent> =
                frame.events.iter().map(|event| (*engine).ids.event_outside(event)).collect();
            write_rows(&events, event_numbers, rows, room)
        })
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_save(engine: *mut Handle, token: *mut u64) -> i32 {
    // The caller guarantees it.
    unsafe {
        with(engine, |handle| {
            *token = handle.built()?.save()?.0;
            Ok(())
        })
    }
}

/// # Safety
/// `engine` comes from [`ironspin_create`].
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_restore(engine: *mut Handle, token: u64) -> i32 {
    // The caller guarantees it.
    unsafe { with(engine, |handle| handle.built()?.restore(Token(token))) }
}

/// # Safety
/// `engine` comes from [`ironspin_create`]; `ends` are six numbers.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ironspin_ray(
    engine: *mut Handle,
    ends: *const f64,
    found: *mut u32,
    hit: *mut raw::Hit,
) -> i32 {
    // The caller guarantees it.
    unsafe {
        with(engine, |handle| {
            let ends = std::slice::from_raw_parts(ends, 6);
            let [from, to] = [DVec3::from_slice(&ends[..3]), DVec3::from_slice(&ends[3..])];
            let reported: Option<RayHit> = handle.built()?.ray(from, to)?;
            *found = u32::from(reported.is_some());
            if let Some(reported) = reported {
                let (body, distance) = (handle.ids.outside(reported.body).0 as u64, reported.distance);
                let [point, normal] = [reported.point, reported.normal].map(|v| v.to_array());
                *hit = raw::Hit { body, point, normal, distance };
            }
            Ok(())
        })
    }
}
