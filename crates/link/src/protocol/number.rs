//! Numbers on the wire: one that is not finite is written as "nan", "inf" or "-inf".

use serde::de::{self, Deserializer, Visitor};
use serde::{Deserialize, Serialize, Serializer};
use std::fmt;

/// A number of the protocol.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Number(pub(crate) f64);

impl Serialize for Number {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.0 {
            value if value.is_finite() => serializer.serialize_f64(value),
            value if value.is_nan() => serializer.serialize_str("nan"),
            value if value > 0.0 => serializer.serialize_str("inf"),
            _ => serializer.serialize_str("-inf"),
        }
    }
}

impl<'de> Deserialize<'de> for Number {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader;
        impl Visitor<'_> for Reader {
            type Value = Number;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("a number, or one of \"nan\", \"inf\" and \"-inf\"")
            }
            fn visit_f64<E>(self, value: f64) -> Result<Number, E> {
                Ok(Number(value))
            }
            fn visit_i64<E>(self, value: i64) -> Result<Number, E> {
                Ok(Number(value as f64))
            }
            fn visit_u64<E>(self, value: u64) -> Result<Number, E> {
                Ok(Number(value as f64))
            }
            fn visit_str<E: de::Error>(self, text: &str) -> Result<Number, E> {
                match text {
                    "nan" => Ok(Number(f64::NAN)),
                    "inf" => Ok(Number(f64::INFINITY)),
                    "-inf" => Ok(Number(f64::NEG_INFINITY)),
                    _ => Err(E::invalid_value(de::Unexpected::Str(text), &self)),
                }
            }
        }
        deserializer.deserialize_any(Reader)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_number_comes_back_to_the_bit() {
        for value in [0.1 + 0.2, -0.0, 5e-324, f64::MAX, 3.0, f64::INFINITY, f64::NEG_INFINITY] {
            let text = serde_json::to_string(&Number(value)).unwrap();
            assert_eq!(serde_json::from_str::<Number>(&text).unwrap().0.to_bits(), value.to_bits(), "{text}");
        }
        assert!(serde_json::from_str::<Number>("\"nan\"").unwrap().0.is_nan());
        assert!(serde_json::from_str::<Number>("\"NaN\"").is_err() && serde_json::from_str::<Number>("null").is_err());
    }
}
