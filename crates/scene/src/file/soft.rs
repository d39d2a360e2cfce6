//! Soft bodies as they are written.

use super::{MeshTable, Ordered, Placed, Turns};
use crate::number::Number;
use schemars::JsonSchema;
use serde::Deserialize;
use serde::de::value::SeqAccessDeserializer;
use serde::de::{self, Deserializer, SeqAccess, Visitor};
use std::fmt;

/// What a soft body is made of.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub(crate) enum MadeOfTable {
    /// Nodes in a row from `at` to another point, both included, each joined to the next; labels node\[i\].
    Rope { count: Number, to: Placed<Vec<Number>> },
    /// Rows and columns of nodes from `at` on, neighbours joined, with cells and the rim as skin; labels node\[row\]\[column\].
    Grid { columns: Number, rows: Number, pitch: Placed<Vec<Number>> },
    /// Nodes on a circle about `at`, counter-clockwise from the right, each joined to the next, with a closed skin; labels node\[i\].
    Ring { count: Number, radius: Number },
    /// In space: rows and columns of nodes from `at` on along x and y, neighbours joined, with a skin of both sides; labels node\[row\]\[column\].
    Cloth { columns: Number, rows: Number, pitch: Vec<Number> },
    /// In space: layers along z of rows along y of columns along x, neighbours joined, with cells and the outside as skin; labels
    /// node\[layer\]\[row\]\[column\].
    Block { columns: Number, rows: Number, layers: Number, pitch: Placed<Vec<Number>> },
    /// In space: a sphere about `at`, its edges joined, with a closed skin.
    Sphere {
        radius: Number,
        /// How its nodes lie: by circles of latitude, or from a cube or an icosahedron whose faces are divided.
        by: SphereWord,
        /// Circles of latitude between the poles, each of `around` nodes.
        rings: Option<Number>,
        around: Option<Number>,
        /// Into how many parts each edge of the cube or icosahedron is divided.
        parts: Option<Number>,
    },
    /// In space: a torus about `at` around z, its edges joined, with a closed skin.
    Torus {
        /// Of the circle in the middle of the tube.
        radius: Number,
        /// Of the tube.
        tube: Number,
        /// Nodes around z, and around the tube.
        along: Number,
        around: Number,
    },
    /// In space: the points of a closed or open surface, turned about `at`, its edges joined, with its faces as skin.
    Mesh(MeshTable),
    /// Nodes one by one; nothing joins them but `springs`.
    Nodes {
        /// Their places from `at` on, m.
        at: Vec<Placed<Vec<Number>>>,
        /// Nodes of a row, for labels node\[row\]\[column\]; node\[i\] without it.
        width: Option<Number>,
        /// Rows of a layer, with `width`, for labels node\[layer\]\[row\]\[column\].
        depth: Option<Number>,
    },
}

/// How the nodes of a sphere lie.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum SphereWord {
    Latitude,
    Cube,
    Icosahedron,
}

/// Which diagonals of a grid are joined.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum BracingWord {
    /// None.
    #[default]
    None,
    /// Of a grid, a cloth and a block one diagonal of each face of a cell, of a rope and a ring each node with the next but one.
    One,
    /// Both diagonals, of a block those through its cells too; of a ring also each node with the one opposite.
    Both,
}

/// A skin as it is asked for.
#[derive(Clone, Debug)]
pub(crate) enum SkinTable {
    /// The usual one of what it is made of, or none.
    Usual(bool),
    /// Segments by numbers of nodes, the inside to the left; in space triangles, counter-clockwise seen from outside.
    Pieces(Vec<Placed<Vec<Number>>>),
}

impl<'de> Deserialize<'de> for SkinTable {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = SkinTable;
            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("true, false, or a list of pieces such as [[0, 1], [1, 2], [2, 0]]")
            }
            fn visit_bool<E: de::Error>(self, wanted: bool) -> Result<SkinTable, E> {
                Ok(SkinTable::Usual(wanted))
            }
            fn visit_seq<A: SeqAccess<'de>>(self, list: A) -> Result<SkinTable, A::Error> {
                Vec::deserialize(SeqAccessDeserializer::new(list)).map(SkinTable::Pieces)
            }
        }
        deserializer.deserialize_any(Reader)
    }
}

impl JsonSchema for SkinTable {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Skin".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let piece = generator.subschema_for::<Vec<Number>>();
        schemars::json_schema!({
            "description": "true for the usual skin of what it is made of, false for none, or pieces by numbers of nodes",
            "anyOf": [{ "type": "boolean" }, { "type": "array", "items": piece }]
        })
    }
}

/// Which distances stay.
#[derive(Clone, Debug)]
pub(crate) enum SticksTable {
    /// All that springs would join otherwise, but for bracing.
    All(bool),
    /// Two numbers of nodes each, and the length where it is not as built.
    List(Vec<Placed<Vec<Number>>>),
}

impl<'de> Deserialize<'de> for SticksTable {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Ok(match SkinTable::deserialize(deserializer)? {
            SkinTable::Usual(all) => SticksTable::All(all),
            SkinTable::Pieces(list) => SticksTable::List(list),
        })
    }
}

impl JsonSchema for SticksTable {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Sticks".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let stick = generator.subschema_for::<Vec<Number>>();
        schemars::json_schema!({
            "description": "true for sticks in the place of springs between neighbours, or pairs of nodes with a length where it is not as built",
            "anyOf": [{ "type": "boolean" }, { "type": "array", "items": stick }]
        })
    }
}

/// What draws nodes to the built shape.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct MatchingTable {
    /// How fast nodes swing about the built shape, placed as it fits best, rad/s.
    pub(crate) rate: Number,
}

/// When springs give way for good.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct YieldTable {
    /// From this strain on, as a share of the built length.
    pub(crate) strain: Number,
    /// By no more than this share of the built length.
    pub(crate) most: Number,
}

/// Nodes that are held to points of a rigid body.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PinTable {
    /// Which of its nodes, such as "node\[0\], node\[*\]\[2\]".
    pub(crate) node: Placed<String>,
    /// The rigid body.
    pub(crate) body: Placed<String>,
    /// In the body's own frame about its centre of mass, m, for one node; where each node is built when left out.
    pub(crate) point: Option<Placed<Vec<Number>>>,
}

/// Gas in a closed skin.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PressureTable {
    /// n R T, J; in the plane per metre of depth: the pressure inside is this over the area.
    pub(crate) amount: Number,
    /// Pressure outside, Pa; none when left out.
    pub(crate) outside: Option<Number>,
}

/// A soft body: point masses, springs and sticks between them, a skin by which it touches.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SoftTable {
    /// Its name; its nodes are called name.node\[i\].
    pub(crate) name: Placed<String>,
    pub(crate) made_of: Placed<MadeOfTable>,
    /// Loops, the outermost first: counter = times.
    #[serde(default)]
    pub(crate) repeat: Ordered<Number>,
    /// Where it begins, m; the middle of a ring, the first node of all others.
    pub(crate) at: Placed<Vec<Number>>,
    /// It is turned about `at`, rad, or "30 deg"; in the plane.
    pub(crate) angle: Option<Number>,
    /// How it is turned about `at` in space.
    pub(crate) turn: Option<Placed<Turns>>,
    /// m/s.
    pub(crate) velocity: Option<Placed<Vec<Number>>>,
    /// Of each node, m/s, on top of `velocity`.
    pub(crate) velocities: Option<Vec<Placed<Vec<Number>>>>,
    pub(crate) material: Placed<String>,
    /// kg, shared evenly by all nodes.
    pub(crate) mass: Option<Number>,
    /// kg, of each node; one of mass 0 is held for good.
    pub(crate) masses: Option<Placed<Vec<Number>>>,
    /// Nodes that are held for good, such as "node\[0\], node\[*\]\[2\]".
    pub(crate) held: Option<Placed<String>>,
    /// Nodes and skin are rounded by it, m; 0 when left out.
    pub(crate) radius: Option<Number>,
    /// Of its springs, N/m.
    pub(crate) stiffness: Option<Number>,
    /// Of its springs, N s/m.
    pub(crate) spring_damping: Option<Number>,
    /// Length at rest of the springs between neighbours, m; as built when left out.
    pub(crate) length: Option<Number>,
    /// Which diagonals are joined: none, one or both.
    #[serde(default)]
    pub(crate) bracing: BracingWord,
    /// Of the springs of the bracing, N/m; as of all others when left out.
    pub(crate) brace_stiffness: Option<Number>,
    /// Further springs: two numbers of nodes, then length, stiffness and damping; those left out are as built and as above.
    #[serde(default)]
    pub(crate) springs: Vec<Placed<Vec<Number>>>,
    /// Distances that stay: true for those between neighbours, or two numbers of nodes each, then the length where it is not as built.
    pub(crate) sticks: Option<SticksTable>,
    /// Its nodes are drawn to the built shape, placed as it fits best.
    pub(crate) matching: Option<MatchingTable>,
    /// Nodes that are held to points of rigid bodies.
    #[serde(default)]
    pub(crate) pins: Vec<PinTable>,
    /// Its springs give way for good.
    #[serde(rename = "yield")]
    pub(crate) yielding: Option<YieldTable>,
    /// true, false, or segments (in space triangles) by numbers of nodes.
    pub(crate) skin: Option<SkinTable>,
    /// Triangles of the inside by numbers of nodes, counter-clockwise, in space right-handed tetrahedra; those of a grid and a block are known.
    #[serde(default)]
    pub(crate) cells: Vec<Placed<Vec<Number>>>,
    /// Gas in its closed skin.
    pub(crate) pressure: Option<Placed<PressureTable>>,
    /// The speed of its nodes falls as exp(-c t), 1/s.
    pub(crate) damping: Option<Number>,
    /// Multiplies gravity.
    pub(crate) gravity_factor: Option<Number>,
    /// No node passes a wall within a step.
    #[serde(default)]
    pub(crate) swept: bool,
    /// It touches itself.
    #[serde(default, rename = "self")]
    pub(crate) self_contact: bool,
    /// It comes only when an action adds it.
    #[serde(default)]
    pub(crate) absent: bool,
    /// Names of the layers it is on; without any it is on the layer common.
    pub(crate) layers: Option<Vec<Placed<String>>>,
    /// Names of the layers it meets; all when left out.
    pub(crate) meets: Option<Vec<Placed<String>>>,
}
