//! Numbers that keep the text the user wrote, so that `1/60` is shown as `1/60`.

use serde::Serialize;
use std::str::FromStr;

/// Why a text is no such number.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
#[error("`{text}` is no {what}: {why}")]
pub struct NumberError {
    /// What was typed.
    pub text: String,
    /// What it should have been.
    pub what: &'static str,
    /// What is wrong with it.
    pub why: &'static str,
}

/// A step length together with its text.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Timestep {
    /// As typed: `1/60` or `0.01`.
    pub text: String,
    /// Length of a step, s.
    pub seconds: f64,
}

/// Reads `0.01`, `1/60` or `2^-10`.
fn number(text: &str) -> Option<f64> {
    let plain = |part: &str| part.trim().parse::<f64>().ok();
    if let Some((over, under)) = text.split_once('/') {
        return Some(plain(over)? / plain(under)?);
    }
    match text.split_once('^') {
        Some((base, power)) => Some(libm::pow(plain(base)?, plain(power)?)),
        None => plain(text),
    }
}

fn above_nothing(text: &str, what: &'static str, how: &'static str, wrong: &'static str) -> Result<f64, NumberError> {
    let fault = |why| NumberError { text: text.to_owned(), what, why };
    let value = number(text).ok_or(fault(how))?;
    if !(value.is_finite() && value > 0.0) {
        return Err(fault(wrong));
    }
    Ok(value)
}

impl FromStr for Timestep {
    type Err = NumberError;

    /// Reads `0.01` or a fraction such as `1/60`.
    ///
    /// # Errors
    /// When the text is no number or fraction, or the value is not positive and finite.
    fn from_str(text: &str) -> Result<Self, NumberError> {
        let seconds = above_nothing(
            text,
            "step length",
            "write seconds, such as 0.01 or 1/60",
            "a step must be longer than nothing and finite",
        )?;
        Ok(Timestep { text: text.trim().to_owned(), seconds })
    }
}

/// A ratio together with its text.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Factor {
    /// As typed: `100`, `1/1024` or `2^-10`.
    pub text: String,
    /// Its value.
    pub value: f64,
}

impl Factor {
    /// Nothing changed.
    pub fn one() -> Self {
        Factor { text: "1".to_owned(), value: 1.0 }
    }
}

impl FromStr for Factor {
    type Err = NumberError;

    /// Reads a number above nothing, a fraction or a power.
    ///
    /// # Errors
    /// When the text is none of these, or the value is not positive and finite.
    fn from_str(text: &str) -> Result<Self, NumberError> {
        let value = above_nothing(
            text,
            "factor",
            "write a number such as 100, 1/1024 or 2^-10",
            "a factor must be more than nothing and finite",
        )?;
        Ok(Factor { text: text.trim().to_owned(), value })
    }
}

/// A place far out together with its text.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Origin {
    /// As typed: `1e6`, `1e6:2e6` for x and y, or `1e6:2e6:-3e6` for x, y and z.
    pub text: String,
    /// x, y and z, m.
    pub at: [f64; 3],
}

impl Default for Origin {
    fn default() -> Self {
        Origin { text: "0".to_owned(), at: [0.0; 3] }
    }
}

impl Origin {
    /// Whether nothing is moved.
    pub fn is_nowhere(&self) -> bool {
        self.at == [0.0; 3]
    }

    /// How far from nowhere it is, m. Without z it is that of the plane to the bit.
    pub fn distance(&self) -> f64 {
        let [x, y, z] = self.at;
        if z == 0.0 { x.hypot(y) } else { x.hypot(y).hypot(z) }
    }
}

impl FromStr for Origin {
    type Err = NumberError;

    /// Reads x, x and y, or x, y and z, with colons between them; what is left out is 0.
    ///
    /// # Errors
    /// When a part is no finite number, or there are more than three.
    fn from_str(text: &str) -> Result<Self, NumberError> {
        let fault = |why| NumberError { text: text.to_owned(), what: "place", why };
        let unread = || fault("write x in m, x:y or x:y:z, such as 1e6 or 1e6:-2000");
        let mut at = [0.0; 3];
        for (axis, part) in text.split(':').enumerate() {
            *at.get_mut(axis).ok_or_else(unread)? = number(part).ok_or_else(unread)?;
        }
        if !at.iter().all(|part| part.is_finite()) {
            return Err(fault("it must be finite"));
        }
        Ok(Origin { text: text.trim().to_owned(), at })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_step_is_read_as_a_number_or_a_fraction() {
        let fraction: Timestep = "1/60".parse().unwrap();
        assert_eq!((fraction.seconds, fraction.text.as_str()), (1.0 / 60.0, "1/60"));
        assert_eq!("0.25".parse::<Timestep>().unwrap().seconds, 0.25);
    }

    #[test]
    fn what_is_no_step_is_refused() {
        for text in ["", "0", "-1/60", "1/0", "abc", "1/60/2", "nan", "inf", "2^"] {
            assert!(text.parse::<Timestep>().is_err(), "{text:?} was taken");
            assert!(text.parse::<Factor>().is_err(), "{text:?} was taken");
        }
    }

    #[test]
    fn factors_and_places_are_read() {
        assert_eq!("2^-10".parse::<Factor>().unwrap().value, 1.0 / 1024.0);
        assert_eq!("1e6".parse::<Origin>().unwrap().at, [1e6, 0.0, 0.0]);
        assert_eq!("-3:2^4".parse::<Origin>().unwrap().at, [-3.0, 16.0, 0.0]);
        assert_eq!("0:0:1e6".parse::<Origin>().unwrap().at, [0.0, 0.0, 1e6]);
        assert!("1:2:3:4".parse::<Origin>().is_err());
        assert!("1:nan".parse::<Origin>().is_err() && "x".parse::<Origin>().is_err());
    }
}
