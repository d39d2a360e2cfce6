//! The built program, driven on files in temporary folders.

mod agreement;
mod catches;
mod demo;
mod docs;
mod judge;
mod mistakes;
mod remote;
mod run;
mod scenes;
mod search;
mod sweep;
mod twins;
mod util;
mod wrong_scenes;
