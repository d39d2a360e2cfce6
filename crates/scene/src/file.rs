//! The form of a scene file, version 1, word for word. Nothing is worked out here.

use crate::number::Number;
use serde::Deserialize;
use serde::de::{Deserializer, MapAccess, Visitor};
use std::fmt;
use toml::Spanned;

/// The version this program reads.
pub(crate) const SCENE_VERSION: i64 = 1;

/// A table whose entries keep the order of the file.
#[derive(Clone, Debug)]
pub(crate) struct Ordered<T>(pub(crate) Vec<(Spanned<String>, T)>);

impl<T> Default for Ordered<T> {
    fn default() -> Self {
        Ordered(Vec::new())
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Ordered<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader<T>(std::marker::PhantomData<T>);
        impl<'de, T: Deserialize<'de>> Visitor<'de> for Reader<T> {
            type Value = Ordered<T>;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("a table")
            }
            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Ordered<T>, A::Error> {
                let mut entries = Vec::new();
                while let Some(entry) = map.next_entry()? {
                    entries.push(entry);
                }
                Ok(Ordered(entries))
            }
        }
        deserializer.deserialize_map(Reader(std::marker::PhantomData))
    }
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct SceneFile {
    pub(crate) scene: Spanned<i64>,
    pub(crate) name: String,
    pub(crate) about: String,
    #[serde(default)]
    pub(crate) needs: Vec<String>,
    #[serde(default = "two")]
    pub(crate) space: Spanned<i64>,
    #[serde(default)]
    pub(crate) set: Ordered<ParameterTable>,
    pub(crate) world: WorldTable,
    #[serde(default)]
    pub(crate) material: Ordered<MaterialTable>,
    #[serde(default)]
    pub(crate) body: Vec<BodyTable>,
    #[serde(default)]
    pub(crate) action: Vec<ActionTable>,
    #[serde(default)]
    pub(crate) claim: Vec<ClaimTable>,
}

fn two() -> Spanned<i64> {
    Spanned::new(0..0, 2)
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct ParameterTable {
    pub(crate) value: Number,
    pub(crate) about: String,
    pub(crate) unit: Option<String>,
    pub(crate) range: Option<[Number; 2]>,
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct WorldTable {
    pub(crate) gravity: Spanned<Vec<Number>>,
    pub(crate) duration: Number,
    pub(crate) bounds: Option<BoundsTable>,
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct BoundsTable {
    pub(crate) min: Spanned<Vec<Number>>,
    pub(crate) max: Spanned<Vec<Number>>,
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct MaterialTable {
    pub(crate) density: Number,
    pub(crate) friction: Number,
    pub(crate) restitution: Number,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum KindWord {
    Static,
    #[default]
    Dynamic,
}

#[derive(Clone, Debug, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(crate) enum ShapeTable {
    Disc(Number),
    Box(Vec<Number>),
    HalfPlane(Vec<Number>),
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct BodyTable {
    pub(crate) name: Spanned<String>,
    #[serde(default)]
    pub(crate) kind: KindWord,
    #[serde(default)]
    pub(crate) repeat: Ordered<Number>,
    pub(crate) shape: Spanned<ShapeTable>,
    pub(crate) at: Spanned<Vec<Number>>,
    pub(crate) angle: Option<Number>,
    pub(crate) velocity: Option<Spanned<Vec<Number>>>,
    pub(crate) spin: Option<Number>,
    pub(crate) material: Spanned<String>,
    pub(crate) mass: Option<Number>,
    pub(crate) gravity_factor: Option<Number>,
    #[serde(default)]
    pub(crate) fixed_turn: bool,
    #[serde(default)]
    pub(crate) swept: bool,
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct ActionTable {
    pub(crate) at_time: Number,
    pub(crate) on: Spanned<String>,
    pub(crate) impulse: Option<Spanned<Vec<Number>>>,
    pub(crate) velocity: Option<Spanned<Vec<Number>>>,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum SeverityWord {
    #[default]
    Must,
    Should,
}

#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct ClaimTable {
    pub(crate) gauge: Spanned<String>,
    #[serde(default = "everything")]
    pub(crate) of: Spanned<String>,
    pub(crate) against: Option<Spanned<String>>,
    pub(crate) window: Option<[Number; 2]>,
    pub(crate) at_most: Option<Number>,
    pub(crate) at_least: Option<Number>,
    pub(crate) equals: Option<Number>,
    pub(crate) within: Option<Number>,
    pub(crate) because: Spanned<String>,
    #[serde(default)]
    pub(crate) severity: SeverityWord,
}

fn everything() -> Spanned<String> {
    Spanned::new(0..0, "*".to_owned())
}
