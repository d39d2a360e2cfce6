//! A number in a scene file: written out, or an expression in a string.

use crate::placed::Placed;
use serde::de::{self, Deserialize, Deserializer, Visitor};
use std::fmt;
use std::ops::Range;

/// What stands in the file for a number.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum NumberText {
    Literal(f64),
    Expression(String),
}

impl<'de> Deserialize<'de> for NumberText {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader;
        impl Visitor<'_> for Reader {
            type Value = NumberText;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("a number or an expression in a string, such as 0.5 or \"2 * side\"")
            }
            fn visit_f64<E: de::Error>(self, value: f64) -> Result<NumberText, E> {
                Ok(NumberText::Literal(value))
            }
            fn visit_i64<E: de::Error>(self, value: i64) -> Result<NumberText, E> {
                Ok(NumberText::Literal(value as f64))
            }
            fn visit_u64<E: de::Error>(self, value: u64) -> Result<NumberText, E> {
                Ok(NumberText::Literal(value as f64))
            }
            fn visit_str<E: de::Error>(self, value: &str) -> Result<NumberText, E> {
                Ok(NumberText::Expression(value.to_owned()))
            }
        }
        deserializer.deserialize_any(Reader)
    }
}

/// A number with its place.
#[derive(Clone, Debug, serde::Deserialize)]
#[serde(transparent)]
pub(crate) struct Number(Placed<NumberText>);

impl Number {
    /// A number at a place.
    pub(crate) fn at(span: Range<usize>, text: NumberText) -> Self {
        Number(Placed::at(span, text))
    }

    pub(crate) fn text(&self) -> &NumberText {
        self.0.get_ref()
    }

    pub(crate) fn span(&self) -> Range<usize> {
        self.0.span()
    }
}

impl schemars::JsonSchema for Number {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Number".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({
            "type": ["number", "string"],
            "description": "a number, or an expression in a string, such as 0.5 or \"2 * side\""
        })
    }
}
