//! What can be chosen in `builtin:name=value,...`.

use ironspin_model::{EngineError, OptionInfo, nearest};

/// Which bodies get swept collision.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Swept {
    /// None: bodies are seen only where they stand at the end of a step.
    Off,
    /// Those the scene marks.
    Marked,
    /// Every dynamic body.
    All,
}

/// The settings in force.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// Most passes of the contact solver in a step.
    pub iterations: u32,
    /// Whether a contact starts from its impulse of the step before.
    pub warm_start: bool,
    /// Which bodies get swept collision.
    pub swept: Swept,
    /// Approach speed below which a contact rests instead of bouncing, as a share of g·dt.
    pub rest_speed: f64,
}

impl Default for Settings {
    fn default() -> Self {
        Settings { iterations: 60, warm_start: true, swept: Swept::Marked, rest_speed: 2.0 }
    }
}

/// One setting: the single place that knows its name, meaning, values and how to read and show it.
pub struct Setting {
    /// Name as written on the command line.
    pub name: &'static str,
    /// What it does and costs.
    pub about: &'static str,
    /// What it may be.
    pub values: &'static str,
    read: fn(&mut Settings, &str) -> bool,
    show: fn(&Settings) -> String,
}

/// All settings of the built-in engine.
pub const SETTINGS: [Setting; 4] = [
    Setting {
        name: "iterations",
        about: "most passes of the contact solver in a step; it ends sooner when nothing changes any more",
        values: "a whole number from 1 to 10000",
        read: |settings, text| {
            text.parse().is_ok_and(|n| {
                settings.iterations = n;
                (1..=10_000).contains(&n)
            })
        },
        show: |settings| settings.iterations.to_string(),
    },
    Setting {
        name: "warm-start",
        about: "whether a contact starts from its impulse of the step before; off costs stability, not time",
        values: "on or off",
        read: |settings, text| {
            settings.warm_start = text == "on";
            ["on", "off"].contains(&text)
        },
        show: |settings| if settings.warm_start { "on" } else { "off" }.to_owned(),
    },
    Setting {
        name: "swept",
        about: "which bodies are followed along their path instead of being seen once a step",
        values: "off, marked or all",
        read: |settings, text| {
            settings.swept = match text {
                "off" => Swept::Off,
                "marked" => Swept::Marked,
                "all" => Swept::All,
                _ => return false,
            };
            true
        },
        show: |settings| match settings.swept {
            Swept::Off => "off".to_owned(),
            Swept::Marked => "marked".to_owned(),
            Swept::All => "all".to_owned(),
        },
    },
    Setting {
        name: "rest-speed",
        about: "approach speed below which a contact rests instead of bouncing, as a share of g*dt",
        values: "a number from 0 to 1000",
        read: |settings, text| {
            text.parse().is_ok_and(|share| {
                settings.rest_speed = share;
                (0.0..=1000.0).contains(&share)
            })
        },
        show: |settings| settings.rest_speed.to_string(),
    },
];

impl Settings {
    /// Reads `name=value` pairs.
    ///
    /// # Errors
    /// [`EngineError::UnknownOption`] and [`EngineError::BadValue`].
    pub fn read<'a>(pairs: impl IntoIterator<Item = (&'a str, &'a str)>) -> Result<Settings, EngineError> {
        let mut settings = Settings::default();
        for (name, value) in pairs {
            let known = || SETTINGS.iter().map(|s| s.name);
            let setting = SETTINGS.iter().find(|s| s.name == name).ok_or_else(|| EngineError::UnknownOption {
                engine: "builtin".to_owned(),
                found: name.to_owned(),
                nearest: nearest(name, known()).map(str::to_owned),
                known: known().map(str::to_owned).collect(),
            })?;
            if !(setting.read)(&mut settings, value) {
                return Err(EngineError::BadValue {
                    option: name.to_owned(),
                    found: value.to_owned(),
                    expected: setting.values.to_owned(),
                });
            }
        }
        Ok(settings)
    }

    /// Every setting with its meaning, default and the value in force.
    pub fn list(&self) -> Vec<OptionInfo> {
        let default = Settings::default();
        SETTINGS
            .iter()
            .map(|setting| OptionInfo {
                name: setting.name.to_owned(),
                about: format!("{} ({})", setting.about, setting.values),
                default: (setting.show)(&default),
                value: (setting.show)(self),
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_default_reads_back_as_itself() {
        let default = Settings::default();
        let listed = default.list();
        let pairs = listed.iter().map(|option| (option.name.as_str(), option.default.as_str()));
        assert_eq!(Settings::read(pairs), Ok(default));
    }

    #[test]
    fn wrong_names_and_values_are_told_apart() {
        assert!(matches!(
            Settings::read([("sweept", "all")]),
            Err(EngineError::UnknownOption { nearest: Some(name), .. }) if name == "swept"
        ));
        for pair in
            [("iterations", "0"), ("iterations", "x"), ("swept", "some"), ("rest-speed", "nan"), ("warm-start", "yes")]
        {
            assert!(matches!(Settings::read([pair]), Err(EngineError::BadValue { .. })), "{pair:?}");
        }
    }
}
