//! The functions of a shared library with the C interface (`include/ironspin_engine.h`), found by their names; of either of its versions.
#![allow(unsafe_code)]

use ironspin_c_abi::{INTERFACE, raw, v2};
use ironspin_model::EngineError;
use libloading::Library;
use raw::EngineHandle;
use serde_json::Value;
use std::ffi::{CStr, c_char, c_void};
use std::path::Path;

/// The headers that are known.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Version {
    /// The plane alone.
    One,
    /// Plane and space.
    Two,
}

pub(crate) type Count<T> = unsafe extern "C" fn(EngineHandle, *mut T, u64) -> u64;

/// The functions of a library. Those that only some libraries have may be missing.
pub(crate) struct Interface {
    pub(crate) create: unsafe extern "C" fn() -> EngineHandle,
    pub(crate) destroy: unsafe extern "C" fn(EngineHandle),
    pub(crate) last_error: unsafe extern "C" fn(EngineHandle) -> *const c_char,
    /// Which of the two headers it keeps to.
    pub(crate) version: Version,
    /// A world and an action are the structures of its version.
    pub(crate) build: unsafe extern "C" fn(EngineHandle, *const c_void) -> i32,
    pub(crate) act: unsafe extern "C" fn(EngineHandle, *const c_void) -> i32,
    pub(crate) step: unsafe extern "C" fn(EngineHandle, f64) -> i32,
    pub(crate) state: unsafe extern "C" fn(EngineHandle, *mut f64) -> i32,
    pub(crate) option: Option<unsafe extern "C" fn(EngineHandle, *const c_char, *const c_char) -> i32>,
    pub(crate) contacts: Option<Count<f64>>,
    pub(crate) events: Option<Count<u64>>,
    pub(crate) save: Option<unsafe extern "C" fn(EngineHandle, *mut u64) -> i32>,
    pub(crate) restore: Option<unsafe extern "C" fn(EngineHandle, u64) -> i32>,
    pub(crate) ray: Option<unsafe extern "C" fn(EngineHandle, *const f64, *mut u32, *mut c_void) -> i32>,
    pub(crate) hello: Value,
    /// Last, so that the functions go before the code.
    _library: Library,
}

pub(crate) fn fault(why: impl Into<String>) -> EngineError {
    EngineError::Crashed { why: why.into() }
}

impl Interface {
    pub(crate) fn open(path: &Path) -> Result<Interface, EngineError> {
        // A plain name would be looked for in the system's folders.
        let path = std::path::absolute(path).map_err(|error| fault(error.to_string()))?;
        // The library's own start-up code runs here, which is why this process is not the bench's.
        let library = unsafe { Library::new(&path) }
            .map_err(|error| fault(format!("`{}` cannot be loaded: {error}", path.display())))?;
        // The header says what each name stands for.
        unsafe {
            let version: unsafe extern "C" fn() -> u32 = needed(&library, "ironspin_interface")?;
            let version = match version() {
                INTERFACE => Version::One,
                v2::INTERFACE => Version::Two,
                other => {
                    return Err(fault(format!(
                        "it was built for version {other} of the interface, and {INTERFACE} and {} are spoken here",
                        v2::INTERFACE
                    )));
                }
            };
            let describe: unsafe extern "C" fn() -> *const c_char = needed(&library, "ironspin_describe")?;
            let hello = described(describe())?;
            Ok(Interface {
                version,
                create: needed(&library, "ironspin_create")?,
                destroy: needed(&library, "ironspin_destroy")?,
                last_error: needed(&library, "ironspin_last_error")?,
                build: needed(&library, "ironspin_build")?,
                act: needed(&library, "ironspin_act")?,
                step: needed(&library, "ironspin_step")?,
                state: needed(&library, "ironspin_state")?,
                option: offered(&library, "ironspin_option"),
                contacts: offered(&library, "ironspin_contacts"),
                events: offered(&library, "ironspin_events"),
                save: offered(&library, "ironspin_save"),
                restore: offered(&library, "ironspin_restore"),
                ray: offered(&library, "ironspin_ray"),
                hello,
                _library: library,
            })
        }
    }

    pub(crate) fn features(&self) -> Vec<String> {
        let names = self.hello["features"].as_array();
        names.into_iter().flatten().filter_map(Value::as_str).map(str::to_owned).collect()
    }
}

/// # Safety
/// `T` must be the type that the header gives to `name`.
unsafe fn offered<T: Copy>(library: &Library, name: &str) -> Option<T> {
    // The caller guarantees it.
    unsafe { library.get::<T>(name) }.ok().map(|function| *function)
}

/// # Safety
/// As [`offered`].
unsafe fn needed<T: Copy>(library: &Library, name: &str) -> Result<T, EngineError> {
    // The caller guarantees it.
    unsafe { offered(library, name) }.ok_or_else(|| fault(format!("it has no function `{name}`")))
}

/// # Safety
/// A text that ends with a zero must stand there, or nothing.
unsafe fn described(text: *const c_char) -> Result<Value, EngineError> {
    if text.is_null() {
        return Err(fault("ironspin_describe gave nothing"));
    }
    // The caller guarantees it.
    let text = unsafe { CStr::from_ptr(text) }.to_string_lossy().into_owned();
    let mut hello: Value = serde_json::from_str(&text)
        .map_err(|error| fault(format!("ironspin_describe gave no JSON: {error}: `{}`", text.trim())))?;
    hello["protocol"] = crate::protocol::VERSION.into();
    Ok(hello)
}
