//! Units behind numbers: `30 deg`, `5 mm`, `2 ms`.

/// A unit by its name.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Unit {
    pub(super) name: &'static str,
    /// How many SI units it is; not used for degrees, which are turned to radians by the standard library's own conversion.
    factor: f64,
}

/// All units; `g` and `t` are other things in expressions, and so is `%`.
const UNITS: [Unit; 34] = [
    Unit { name: "deg", factor: std::f64::consts::PI / 180.0 },
    Unit { name: "rad", factor: 1.0 },
    Unit { name: "rpm", factor: std::f64::consts::TAU / 60.0 },
    Unit { name: "um", factor: 1e-6 },
    Unit { name: "mm", factor: 1e-3 },
    Unit { name: "cm", factor: 1e-2 },
    Unit { name: "dm", factor: 1e-1 },
    Unit { name: "m", factor: 1.0 },
    Unit { name: "km", factor: 1e3 },
    Unit { name: "us", factor: 1e-6 },
    Unit { name: "ms", factor: 1e-3 },
    Unit { name: "s", factor: 1.0 },
    Unit { name: "min", factor: 60.0 },
    Unit { name: "h", factor: 3600.0 },
    Unit { name: "mg", factor: 1e-6 },
    Unit { name: "kg", factor: 1.0 },
    Unit { name: "mN", factor: 1e-3 },
    Unit { name: "N", factor: 1.0 },
    Unit { name: "kN", factor: 1e3 },
    Unit { name: "MN", factor: 1e6 },
    Unit { name: "mJ", factor: 1e-3 },
    Unit { name: "J", factor: 1.0 },
    Unit { name: "kJ", factor: 1e3 },
    Unit { name: "MJ", factor: 1e6 },
    Unit { name: "W", factor: 1.0 },
    Unit { name: "kW", factor: 1e3 },
    Unit { name: "Pa", factor: 1.0 },
    Unit { name: "hPa", factor: 1e2 },
    Unit { name: "kPa", factor: 1e3 },
    Unit { name: "MPa", factor: 1e6 },
    Unit { name: "mHz", factor: 1e-3 },
    Unit { name: "Hz", factor: 1.0 },
    Unit { name: "kHz", factor: 1e3 },
    Unit { name: "kmh", factor: 1.0 / 3.6 },
];

impl Unit {
    pub(super) fn is_degrees(self) -> bool {
        self.name == "deg"
    }

    /// A number of it in SI units. Small units divide, so that `5 mm` is the nearest number to 0.005.
    pub(super) fn in_si(self, value: f64) -> f64 {
        if self.is_degrees() {
            return value.to_radians();
        }
        let whole = (1.0 / self.factor).round();
        if self.factor < 1.0 && (1.0 / whole) == self.factor { value / whole } else { value * self.factor }
    }
}

pub(super) fn find_unit(name: &str) -> Option<Unit> {
    UNITS.iter().find(|unit| unit.name == name).copied()
}

pub(super) fn unit_names() -> impl Iterator<Item = &'static str> + Clone {
    UNITS.iter().map(|unit| unit.name)
}

/// Whether a unit is called so.
pub(crate) fn is_unit(name: &str) -> bool {
    find_unit(name).is_some()
}
