//! The gauges, one file each, and the list of all. To add one: copy a file, name it below, and add its entries to the list.

mod balance;
mod contacts;
mod creep;
mod energy;
mod escape;
mod extremes;
mod fall;
mod filter;
mod frequency;
mod ghost;
mod impacts;
mod isotropy;
mod jitter;
mod moments;
mod overlap;
mod path;
mod period;
mod precession;
mod probes;
mod quaternion;
mod rebound;
mod sensor;
mod settle;
pub(crate) mod soft;
mod spin_balance;
mod spread;
mod stands;
mod tunnel;
mod value;

#[cfg(test)]
pub(crate) mod trace;

pub use spread::pooled_reading;

use crate::entry::GaugeEntry;

/// All gauges.
pub static GAUGES: [GaugeEntry; 79] = [
    energy::DRIFT,
    energy::GAIN,
    energy::LOSS,
    energy::UNEXPLAINED,
    soft::GROWTH,
    soft::CHANGE,
    soft::INVERTED,
    soft::STRAIN,
    soft::STICK_ERROR,
    soft::SHAPE_ERROR,
    soft::REGAINED,
    soft::DENT_KEPT,
    soft::PIN_ERROR,
    soft::VOLUME_LAW,
    soft::PASSED,
    soft::CROSSED,
    soft::THROUGH,
    soft::SUCTION,
    balance::LINEAR,
    balance::ANGULAR,
    spin_balance::BALANCE,
    quaternion::NORM,
    rebound::BY_SPEED,
    rebound::BY_HEIGHT,
    tunnel::COUNT,
    tunnel::UNTOUCHED,
    tunnel::TOUCHED,
    tunnel::STACK,
    tunnel::PUSHED,
    tunnel::SEAM,
    overlap::DEEPEST,
    overlap::SHARE,
    overlap::MEAN,
    jitter::SPEED,
    jitter::TRAVEL,
    jitter::STEPS,
    frequency::FREQUENCY,
    settle::TIME,
    creep::RATE,
    stands::STANDS,
    impacts::COUNT,
    escape::COUNT,
    ghost::SPEED,
    ghost::COUNT,
    contacts::POINTS,
    contacts::PHANTOM,
    filter::BREACHES,
    filter::IGNORED,
    sensor::WRONG,
    sensor::MISSED,
    fall::RATIO,
    fall::REST,
    path::ERROR,
    period::MEAN,
    precession::RATE,
    isotropy::ISOTROPY,
    spread::CHI,
    spread::KOLMOGOROV,
    spread::MEAN,
    spread::DEVIATION,
    probes::FORECAST,
    probes::RAY,
    value::X,
    value::Y,
    value::Z,
    value::VX,
    value::VY,
    value::VZ,
    value::SPEED,
    value::SPIN,
    value::WX,
    value::WY,
    value::WZ,
    value::MEASURE,
    extremes::LARGEST,
    extremes::SMALLEST,
    extremes::WAY,
    moments::WHEN,
    moments::IMPACT,
];

/// The gauge of a name.
pub fn find(name: &str) -> Option<&'static GaugeEntry> {
    GAUGES.iter().find(|gauge| gauge.name == name)
}
