//! What has one number in the plane and several in space: spins, torques, inertias, turns.

use super::Placed;
use super::number_or::{Beside, NumberOr};
use crate::number::Number;
use schemars::JsonSchema;
use serde::Deserialize;
use serde::de::value::{MapAccessDeserializer, SeqAccessDeserializer};
use serde::de::{Deserializer, MapAccess, SeqAccess, Visitor};
use std::fmt;

/// A number, or a list of numbers.
#[derive(Clone, Debug)]
pub(crate) enum Amount {
    One(Number),
    List(Placed<Vec<Number>>),
}

impl Beside for Vec<Number> {
    const EXPECTED: &'static str = "a number, an expression in a string, or a list of them";

    fn of_list<'de, A: SeqAccess<'de>>(list: A) -> Result<Self, A::Error> {
        Vec::deserialize(SeqAccessDeserializer::new(list))
    }
}

impl<'de> Deserialize<'de> for Amount {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let (span, written) = Placed::<NumberOr<Vec<Number>>>::deserialize(deserializer)?.into_parts();
        Ok(match written {
            NumberOr::Number(text) => Amount::One(Number::at(span, text)),
            NumberOr::Other(list) => Amount::List(Placed::at(span, list)),
        })
    }
}

impl JsonSchema for Amount {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Amount".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({
            "type": ["number", "string", "array"],
            "items": { "type": ["number", "string"] },
            "description": "a number in the plane, several in space; each may be an expression in a string"
        })
    }
}

/// One turn of a body of space: about an axis, by a quaternion, or at random.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TurnTable {
    /// Direction about which it turns, by the right-hand rule; any length but 0.
    pub(crate) axis: Option<Placed<Vec<Number>>>,
    /// rad, or "30 deg".
    pub(crate) angle: Option<Number>,
    /// Hamilton's quaternion [w, x, y, z], from the body's axes to those it stands in, as a resolved scene gives it.
    pub(crate) quaternion: Option<Placed<Vec<Number>>>,
    /// Any turn, each as likely as any other: another number gives another turn, and so does each body of a pattern.
    pub(crate) random: Option<Number>,
}

/// A turn, or several, the first first, each about the axes in which the body stands.
#[derive(Clone, Debug)]
pub(crate) struct Turns(pub(crate) Vec<TurnTable>);

impl<'de> Deserialize<'de> for Turns {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = Turns;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("a turn such as { axis = [0, 1, 0], angle = \"30 deg\" }, or a list of turns")
            }
            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<Turns, A::Error> {
                Ok(Turns(vec![TurnTable::deserialize(MapAccessDeserializer::new(map))?]))
            }
            fn visit_seq<A: SeqAccess<'de>>(self, list: A) -> Result<Turns, A::Error> {
                Vec::deserialize(SeqAccessDeserializer::new(list)).map(Turns)
            }
        }
        deserializer.deserialize_any(Reader)
    }
}

impl JsonSchema for Turns {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Turns".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let one = generator.subschema_for::<TurnTable>();
        schemars::json_schema!({
            "description": "in space: a turn, or a list of turns, first to last",
            "anyOf": [one, { "type": "array", "items": one }]
        })
    }
}
