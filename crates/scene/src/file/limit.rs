//! A bound of a claim: a number, a share, or one that falls with the step.

use super::Placed;
use crate::number::{Number, NumberText};
use schemars::JsonSchema;
use serde::Deserialize;
use serde::de::value::MapAccessDeserializer;
use serde::de::{self, Deserializer, MapAccess, Visitor};
use std::fmt;

/// A bound that is `of` with a step of `at_dt`, and falls with a power of the step.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FallingTable {
    /// The step, s.
    pub(crate) at_dt: Number,
    /// The bound with that step: a number, or a share such as "1 %".
    pub(crate) of: Number,
    /// The order: with half the step it is `2 ^ order` times smaller.
    pub(crate) order: Number,
}

/// A bound.
#[derive(Clone, Debug)]
pub(crate) enum Limit {
    Number(Number),
    Falling(Placed<FallingTable>),
}

enum Raw {
    Number(NumberText),
    Falling(FallingTable),
}

impl<'de> Deserialize<'de> for Raw {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = Raw;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str(
                    "a number, an expression in a string, or a table such as { at_dt = \"1/240\", of = 1e-4, order = 2 }",
                )
            }
            fn visit_f64<E: de::Error>(self, value: f64) -> Result<Raw, E> {
                Ok(Raw::Number(NumberText::Literal(value)))
            }
            fn visit_i64<E: de::Error>(self, value: i64) -> Result<Raw, E> {
                Ok(Raw::Number(NumberText::Literal(value as f64)))
            }
            fn visit_u64<E: de::Error>(self, value: u64) -> Result<Raw, E> {
                Ok(Raw::Number(NumberText::Literal(value as f64)))
            }
            fn visit_str<E: de::Error>(self, value: &str) -> Result<Raw, E> {
                Ok(Raw::Number(NumberText::Expression(value.to_owned())))
            }
            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Raw, A::Error> {
                FallingTable::deserialize(MapAccessDeserializer::new(map)).map(Raw::Falling)
            }
        }
        deserializer.deserialize_any(Reader)
    }
}

impl<'de> Deserialize<'de> for Limit {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let (span, raw) = Placed::<Raw>::deserialize(deserializer)?.into_parts();
        Ok(match raw {
            Raw::Number(text) => Limit::Number(Number::at(span, text)),
            Raw::Falling(table) => Limit::Falling(Placed::at(span, table)),
        })
    }
}

impl JsonSchema for Limit {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Limit".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let falling = generator.subschema_for::<FallingTable>();
        schemars::json_schema!({
            "description": "a number, an expression in a string, or a bound that falls with an order in dt",
            "anyOf": [{ "type": ["number", "string"] }, falling]
        })
    }
}
