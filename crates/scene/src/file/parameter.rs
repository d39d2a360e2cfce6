//! A parameter, as it is written.

use super::Placed;
use crate::number::Number;
use schemars::JsonSchema;
use serde::Deserialize;
use serde::de::value::MapAccessDeserializer;
use serde::de::{Deserializer, MapAccess, Visitor};
use std::fmt;

/// A parameter.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ParameterFields {
    /// Its value; may use the parameters above it.
    pub(crate) value: Option<Number>,
    /// The items of a list, used as masses\[i\]; instead of a value.
    pub(crate) values: Option<Placed<Vec<Number>>>,
    /// What it means.
    pub(crate) about: String,
    /// Its unit, for people to read.
    pub(crate) unit: Option<String>,
    /// Smallest and largest value allowed, of a list of each item.
    pub(crate) range: Option<[Number; 2]>,
}

/// The same, of which a number or a list alone is refused with what to write.
#[derive(Clone, Debug)]
pub(crate) struct ParameterTable(pub(crate) ParameterFields);

impl<'de> Deserialize<'de> for ParameterTable {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = ParameterTable;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str(
                    "a table such as { value = 3, about = \"...\" }, or { values = [1, 2], about = \"...\" } for a list",
                )
            }
            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<ParameterTable, A::Error> {
                ParameterFields::deserialize(MapAccessDeserializer::new(map)).map(ParameterTable)
            }
        }
        deserializer.deserialize_any(Reader)
    }
}

impl JsonSchema for ParameterTable {
    fn inline_schema() -> bool {
        ParameterFields::inline_schema()
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        ParameterFields::schema_name()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        ParameterFields::json_schema(generator)
    }
}
