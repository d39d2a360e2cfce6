//! A bound of a claim: a number, a share, or one that falls with the step.

use super::Placed;
use super::number_or::{Beside, NumberOr};
use crate::number::Number;
use schemars::JsonSchema;
use serde::Deserialize;
use serde::de::value::MapAccessDeserializer;
use serde::de::{Deserializer, MapAccess};

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

impl Beside for FallingTable {
    const EXPECTED: &'static str =
        "a number, an expression in a string, or a table such as { at_dt = \"1/240\", of = 1e-4, order = 2 }";

    fn of_table<'de, A: MapAccess<'de>>(table: A) -> Result<Self, A::Error> {
        FallingTable::deserialize(MapAccessDeserializer::new(table))
    }
}

impl<'de> Deserialize<'de> for Limit {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let (span, written) = Placed::<NumberOr<FallingTable>>::deserialize(deserializer)?.into_parts();
        Ok(match written {
            NumberOr::Number(text) => Limit::Number(Number::at(span, text)),
            NumberOr::Other(table) => Limit::Falling(Placed::at(span, table)),
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
