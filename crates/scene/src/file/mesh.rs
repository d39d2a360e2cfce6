//! Surfaces as they are written: points and faces, or a file that holds them.

use super::{BodyTable, MadeOfTable, Placed, ShapeTable, SoftTable};
use crate::number::Number;
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::Deserialize;
use serde::de::value::{MapAccessDeserializer, SeqAccessDeserializer};
use serde::de::{self, Deserializer, MapAccess, SeqAccess, Visitor};
use std::borrow::Cow;
use std::fmt;
use std::ops::Range;

/// Which way is up in a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum UpWord {
    X,
    /// As in a scene.
    #[default]
    Y,
    Z,
}

/// A surface of triangles, counter-clockwise seen from outside: points and faces, or a file.
#[derive(Clone, Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct MeshFields {
    /// Points, m.
    pub(crate) points: Option<Vec<Vec<Number>>>,
    /// Three numbers of points each, from 0 on.
    pub(crate) faces: Option<Vec<[u32; 3]>>,
    /// A file of the scene's folder: OBJ, STL or PLY.
    pub(crate) file: Option<Placed<String>>,
    /// Metres of one unit of the file; 1 when left out, 0.001 for a file in millimetres.
    pub(crate) scale: Option<Number>,
    /// Which axis points up in the file: x, y (as in a scene) or z.
    #[serde(default)]
    pub(crate) up: UpWord,
    /// Doubled points are merged, faces without area or that come again dropped, faces turned to look outwards.
    #[serde(default)]
    pub(crate) mend: bool,
}

/// A surface, or the name of its file alone.
#[derive(Clone, Debug)]
pub(crate) struct MeshTable(pub(crate) MeshFields);

impl MeshTable {
    fn of_file(name: &str) -> MeshTable {
        MeshTable(MeshFields { file: Some(Placed::nowhere(name.to_owned())), ..MeshFields::default() })
    }

    /// Where the file is named: there, or in the whole that says so.
    pub(crate) fn place(&self, whole: &Range<usize>) -> Range<usize> {
        match &self.0.file {
            Some(file) if !file.span().is_empty() => file.span(),
            _ => whole.clone(),
        }
    }
}

/// Corners of a convex body, or the file that holds them.
#[derive(Clone, Debug)]
pub(crate) enum HullTable {
    Corners(Vec<Vec<Number>>),
    File(MeshTable),
}

struct MeshReader;

impl<'de> Visitor<'de> for MeshReader {
    type Value = MeshTable;

    fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str("the name of a file, { file = ... } or { points = ..., faces = ... }")
    }

    fn visit_str<E: de::Error>(self, name: &str) -> Result<MeshTable, E> {
        Ok(MeshTable::of_file(name))
    }

    fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<MeshTable, A::Error> {
        MeshFields::deserialize(MapAccessDeserializer::new(map)).map(MeshTable)
    }
}

impl<'de> Deserialize<'de> for MeshTable {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(MeshReader)
    }
}

impl<'de> Deserialize<'de> for HullTable {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = HullTable;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("a list of corners, the name of a file or { file = ... }")
            }
            fn visit_str<E: de::Error>(self, name: &str) -> Result<HullTable, E> {
                MeshReader.visit_str(name).map(HullTable::File)
            }
            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<HullTable, A::Error> {
                MeshReader.visit_map(map).map(HullTable::File)
            }
            fn visit_seq<A: SeqAccess<'de>>(self, list: A) -> Result<HullTable, A::Error> {
                Vec::deserialize(SeqAccessDeserializer::new(list)).map(HullTable::Corners)
            }
        }
        deserializer.deserialize_any(Reader)
    }
}

impl JsonSchema for MeshTable {
    fn schema_name() -> Cow<'static, str> {
        "Mesh".into()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let fields = generator.subschema_for::<MeshFields>();
        schemars::json_schema!({
            "description": "a surface: the name of a file of the scene's folder, or a table",
            "anyOf": [{ "type": "string" }, fields]
        })
    }
}

impl JsonSchema for HullTable {
    fn schema_name() -> Cow<'static, str> {
        "Hull".into()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let corners = generator.subschema_for::<Vec<Vec<Number>>>();
        let file = generator.subschema_for::<MeshTable>();
        schemars::json_schema!({
            "description": "corners of a convex body, 4 to 256, or the file whose points they are among",
            "anyOf": [corners, file]
        })
    }
}

impl SoftTable {
    /// The surface that it is made of, with the place of the whole that names it.
    pub(crate) fn surface(&self) -> Option<(&MeshTable, Range<usize>)> {
        match self.made_of.get_ref() {
            MadeOfTable::Mesh(table) => Some((table, self.made_of.span())),
            _ => None,
        }
    }
}

impl BodyTable {
    /// The surfaces that may stand in files, each with the place of the whole that names it.
    pub(crate) fn surfaces(&self) -> Vec<(&MeshTable, Range<usize>)> {
        let parts = self.parts.iter().flatten().map(|part| &part.shape);
        let mass_from = self.mass_from.as_ref().map(|table| (table.get_ref(), table.span()));
        self.shape.iter().chain(parts).filter_map(of_shape).chain(mass_from).collect()
    }
}

fn of_shape(shape: &Placed<ShapeTable>) -> Option<(&MeshTable, Range<usize>)> {
    match shape.get_ref() {
        ShapeTable::Mesh(table) | ShapeTable::Hull(HullTable::File(table)) => Some((table, shape.span())),
        _ => None,
    }
}
