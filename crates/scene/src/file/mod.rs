//! The form of a scene file, version 1, word for word. Nothing is worked out here.

pub(crate) mod amount;
pub(crate) mod body;
pub(crate) mod force;
pub(crate) mod limit;
mod mesh;
mod number_or;
pub(crate) mod parameter;
pub(crate) mod rules;
pub(crate) mod soft;

use crate::number::Number;
pub(crate) use crate::placed::{Ordered, Placed};
pub(crate) use amount::{Amount, TurnTable, Turns};
pub(crate) use body::{BodyTable, CellsTable, KindWord, MotionTable, PartTable, PlaceTable, ShapeTable};
pub(crate) use force::ForceTable;
pub(crate) use limit::{FallingTable, Limit};
pub(crate) use mesh::{HullTable, MeshFields, MeshTable, UpWord};
pub(crate) use parameter::{ParameterFields, ParameterTable};
pub(crate) use rules::{
    ActionTable, ApartTable, ClaimTable, JointTable, JointWord, LawTable, SeriesTable, SeverityWord, TwinTable,
};
use schemars::JsonSchema;
use serde::Deserialize;
pub(crate) use soft::{BracingWord, MadeOfTable, SkinTable, SoftTable, SphereWord, SticksTable};

/// The version this program reads.
pub(crate) const SCENE_VERSION: i64 = 1;

/// A scene: a scripted physical set-up and what must hold in it. Any number may be an expression in a string, such as "2 * side".
/// Lengths are in metres, times in seconds, masses in kilograms, angles in radians or as "30 deg". Sizes are full sizes.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SceneFile {
    /// Version of the scene language: 1.
    pub(crate) scene: Placed<i64>,
    /// Name of the scene: letters, digits, blanks, and - _ . ( ), up to 100 of them.
    pub(crate) name: Placed<String>,
    /// One line about it.
    pub(crate) about: String,
    /// What it is about, such as "stacking"; `ironspin scenes topics` lists them all.
    #[serde(default)]
    pub(crate) topics: Vec<Placed<String>>,
    /// The older form of `topics`: codes such as N2.
    #[serde(default)]
    pub(crate) needs: Vec<String>,
    /// 2 for the plane, 3 for space: then every vector has three numbers.
    #[serde(default = "two")]
    pub(crate) space: Placed<i64>,
    /// Files of the same folder whose parameters, materials, pairs and templates are used.
    #[serde(default, rename = "use")]
    pub(crate) uses: Vec<Placed<String>>,
    /// Kinds of warnings that are meant and need not be reported.
    #[serde(default)]
    pub(crate) allow: Vec<Placed<String>>,
    /// Parameters, changed with --set name=value.
    #[serde(default)]
    pub(crate) set: Ordered<ParameterTable>,
    pub(crate) world: WorldTable,
    /// Features that an engine must have for this scene.
    pub(crate) engine: Option<EngineTable>,
    #[serde(default)]
    pub(crate) material: Ordered<MaterialTable>,
    /// Friction and restitution of particular pairs of materials.
    #[serde(default)]
    pub(crate) pair: Vec<PairTable>,
    /// What several bodies share.
    #[serde(default)]
    pub(crate) template: Ordered<BodyTable>,
    #[serde(default)]
    pub(crate) body: Vec<BodyTable>,
    #[serde(default)]
    pub(crate) soft: Vec<SoftTable>,
    /// Names for sets of bodies.
    #[serde(default)]
    pub(crate) group: Ordered<Placed<String>>,
    #[serde(default)]
    pub(crate) joint: Vec<JointTable>,
    /// Bodies that never touch each other.
    #[serde(default)]
    pub(crate) apart: Vec<ApartTable>,
    #[serde(default)]
    pub(crate) action: Vec<ActionTable>,
    /// Forces that follow the state.
    #[serde(default)]
    pub(crate) force: Vec<ForceTable>,
    #[serde(default)]
    pub(crate) claim: Vec<ClaimTable>,
    #[serde(default)]
    pub(crate) twin: Vec<TwinTable>,
    #[serde(default)]
    pub(crate) series: Vec<SeriesTable>,
}

/// What a file may hold that others use.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct SharedFile {
    pub(crate) scene: Placed<i64>,
    #[serde(default)]
    pub(crate) set: Ordered<ParameterTable>,
    #[serde(default)]
    pub(crate) material: Ordered<MaterialTable>,
    #[serde(default)]
    pub(crate) pair: Vec<PairTable>,
    #[serde(default)]
    pub(crate) template: Ordered<BodyTable>,
}

fn two() -> Placed<i64> {
    Placed::nowhere(2)
}

/// The world.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WorldTable {
    /// Acceleration of free fall, m/s²; y points up.
    pub(crate) gravity: Placed<Vec<Number>>,
    /// Simulated time of a trial, s.
    pub(crate) duration: Number,
    /// Where bodies are expected to stay.
    pub(crate) bounds: Option<BoundsTable>,
    /// How two materials mix: standard (geometric mean of frictions, larger restitution), average, product, smaller or larger.
    #[serde(default)]
    pub(crate) mixing: MixingWord,
}

/// How two materials without a pair of their own mix.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum MixingWord {
    #[default]
    Standard,
    Average,
    Product,
    Smaller,
    Larger,
}

/// A region.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct BoundsTable {
    /// Lower corner, m.
    pub(crate) min: Placed<Vec<Number>>,
    /// Upper corner, m.
    pub(crate) max: Placed<Vec<Number>>,
}

/// Which engines the scene is for.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct EngineTable {
    /// Features without which the scene makes no sense; what the scene plainly uses (joints, sensors, ...) need not be named.
    pub(crate) needs: Vec<Placed<String>>,
}

/// A material.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct MaterialTable {
    /// Mass per area, kg/m²; in space per volume, kg/m³.
    pub(crate) density: Number,
    /// Coulomb's coefficient.
    pub(crate) friction: Number,
    /// Newton's restitution, a ratio of speeds.
    pub(crate) restitution: Number,
}

/// Two materials and what happens where they meet.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PairTable {
    /// Names of the two materials.
    pub(crate) between: [Placed<String>; 2],
    /// Coulomb's coefficient; mixed when left out.
    pub(crate) friction: Option<Number>,
    /// Newton's restitution; mixed when left out.
    pub(crate) restitution: Option<Number>,
}
