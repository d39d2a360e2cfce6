//! The built program, driven on files in temporary folders.

#[cfg(unix)]
mod adapters;
mod agreement;
mod catches;
mod cells;
mod demo;
mod docs;
mod farm;
mod hostile;
mod judge;
mod kept;
#[cfg(unix)]
mod look;
mod look_space;
mod mesh_files;
mod mistakes;
mod named;
mod pendulum_oracles;
mod plane_oracles;
mod proof;
mod remote;
mod run;
#[cfg(unix)]
mod saboteurs;
mod scenes;
mod search;
mod selection;
mod soft_laws_oracles;
mod soft_oracles;
mod soft_space_oracles;
mod space_oracles;
mod spinning_oracles;
mod sweep;
mod twins;
mod util;
mod wrong_language;
mod wrong_scenes;
