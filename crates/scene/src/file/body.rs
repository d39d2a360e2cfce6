//! Bodies as they are written.

use super::{Amount, HullTable, MeshTable, Ordered, Placed, Turns};
use crate::number::Number;
use schemars::JsonSchema;
use serde::Deserialize;

/// How a body takes part.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(crate) enum KindWord {
    /// Never moves.
    Static,
    /// Moves as scripted; nothing pushes it.
    Kinematic,
    /// Moves by forces and contacts.
    #[default]
    Dynamic,
}

/// A shape; full sizes, m.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum ShapeTable {
    /// Radius; in the plane.
    Disc(Number),
    /// Radius; in space.
    Sphere(Number),
    /// Width and height, in space depth too.
    Box(Vec<Number>),
    /// Corners of a convex polygon, in either sense.
    Polygon(Vec<Vec<Number>>),
    /// Length between the centres of the caps, along x, and their radius.
    Capsule(Vec<Number>),
    /// Length along x, and radius; in space.
    Cylinder(Vec<Number>),
    /// Corners of a convex body, 4 to 256, or a file with them; in space.
    Hull(HullTable),
    /// A surface of triangles, or a file with them; static only, in space.
    Mesh(MeshTable),
    /// Points of a chain of segments; static only.
    Polyline(Vec<Vec<Number>>),
    /// Normal that points out of the solid; static only, in the plane.
    HalfPlane(Vec<Number>),
    /// Normal that points out of the solid; static only, in space.
    HalfSpace(Vec<Number>),
}

/// One piece of a body.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PartTable {
    pub(crate) shape: Placed<ShapeTable>,
    /// Offset in the body's frame, m.
    pub(crate) at: Option<Placed<Vec<Number>>>,
    /// Angle in the body's frame, rad; in the plane.
    pub(crate) angle: Option<Number>,
    /// Turn in the body's frame; in space.
    pub(crate) turn: Option<Placed<Turns>>,
    /// Its own material; the body's when left out.
    pub(crate) material: Option<Placed<String>>,
    /// It notices what overlaps it and pushes nothing.
    #[serde(default)]
    pub(crate) sensor: bool,
}

/// Many boxes of one size side by side, as one body.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CellsTable {
    /// Width and height of a cell, in space depth too, m.
    pub(crate) size: Placed<Vec<Number>>,
    /// How many there are along each axis; their middle is the body's origin.
    pub(crate) count: Placed<Vec<Number>>,
    /// Which are there: an expression of column, row, in space layer, and of the place x, y, z of the cell from the middle, not 0 for a cell
    /// that is there; all when left out.
    pub(crate) filled: Option<Number>,
}

/// How a kinematic body moves.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub(crate) enum MotionTable {
    /// Straight to a point at a speed, and there it stops, or goes back and forth.
    Line {
        to: Placed<Vec<Number>>,
        /// m/s.
        speed: Number,
        #[serde(default)]
        back: bool,
    },
    /// Round a circle that begins at the body's place and whose centre lies at an offset from it.
    Circle {
        /// Offset of the centre, m.
        about: Placed<Vec<Number>>,
        /// Time of one turn, s; negative for clockwise.
        period: Number,
    },
    /// To and fro like a pendulum: reach * sin(tau * (t / period + phase)), and the same for the angle.
    Swing {
        /// m.
        reach: Option<Placed<Vec<Number>>>,
        /// rad.
        turn: Option<Number>,
        /// s.
        period: Number,
        /// In turns.
        phase: Option<Number>,
    },
}

/// A pattern of bodies that begins at the body's `at`. Expressions may use its counters.
#[derive(Clone, Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub(crate) enum PlaceTable {
    /// Columns along x, rows along y and in space layers along z; counters row, column and in space layer.
    Grid { columns: Number, rows: Number, layers: Option<Number>, pitch: Placed<Vec<Number>> },
    /// As a grid, every other row shifted by half a pitch along x, and of those of a layer behind the others; counters as of a grid.
    Brick { columns: Number, rows: Number, layers: Option<Number>, pitch: Placed<Vec<Number>> },
    /// Rows that get shorter by one, in space on a square base; counters as of a grid.
    Pyramid { base: Number, pitch: Placed<Vec<Number>> },
    /// One after the other, each a step further; counter i.
    Stack { count: Number, step: Placed<Vec<Number>> },
    /// On a circle about `at`; counter i, and ring before it where there are several.
    Ring {
        count: Number,
        radius: Number,
        /// Angle of the first, rad.
        from: Option<Number>,
        /// Whether bodies are turned so that their x axis looks outwards.
        #[serde(default)]
        facing: bool,
        /// About which the circle goes, from x towards z about y when left out; in space.
        axis: Option<Placed<Vec<Number>>>,
        /// How many rings stand on each other, every other one turned by half a body; in space.
        rings: Option<Number>,
        /// How far one ring is above the other, m; in space.
        rise: Option<Number>,
    },
    /// From `at` to another point, both included; counter i.
    Line { count: Number, to: Placed<Vec<Number>> },
    /// Up a slope, turned with it; counter i.
    Slope { count: Number, angle: Number, pitch: Number },
    /// At random in a box, a disc or a ball about `at`, without overlap; counter i.
    Scatter {
        count: Number,
        /// Width and height, in space depth too, m.
        in_box: Option<Placed<Vec<Number>>>,
        /// Radius, m; in the plane.
        in_disc: Option<Number>,
        /// Radius, m; in space.
        in_ball: Option<Number>,
        /// Least distance of centres, m; that of the bodies' outer circles when left out.
        spacing: Option<Number>,
        /// Another number gives another scatter.
        seed: Option<Number>,
    },
}

macro_rules! body_table {
    ($($(#[$attribute:meta])* $field:ident: $kind:ty,)*) => {
        /// A body, or many of one kind.
        #[derive(Clone, Debug, Default, Deserialize, JsonSchema)]
        #[serde(deny_unknown_fields)]
        pub(crate) struct BodyTable {
            /// Its name; bodies of loops and patterns get their indices behind it, as wall\[2\]\[0\].
            pub(crate) name: Option<Placed<String>>,
            /// The template whose entries count where the body has none of its own.
            pub(crate) template: Option<Placed<String>>,
            $($(#[$attribute])* pub(crate) $field: Option<$kind>,)*
        }

        impl BodyTable {
            /// What this table leaves out is taken from another.
            pub(crate) fn or(&self, other: &BodyTable) -> BodyTable {
                BodyTable {
                    name: self.name.clone(),
                    template: self.template.clone(),
                    $($field: self.$field.clone().or_else(|| other.$field.clone()),)*
                }
            }
        }
    };
}

body_table! {
    /// static, kinematic or dynamic (the default).
    kind: KindWord,
    /// Loops, the outermost first: counter = times.
    repeat: Ordered<Number>,
    /// A pattern of bodies.
    place: Placed<PlaceTable>,
    /// Only those bodies for which this is not zero.
    only_if: Number,
    /// The shape of a body of one part.
    shape: Placed<ShapeTable>,
    /// The parts of a body of several.
    parts: Vec<PartTable>,
    /// Cells in the place of a shape.
    cells: Placed<CellsTable>,
    /// Where it stands, m.
    at: Placed<Vec<Number>>,
    /// rad, or "30 deg"; in the plane.
    angle: Number,
    /// How it is turned; in space.
    turn: Placed<Turns>,
    /// m/s.
    velocity: Placed<Vec<Number>>,
    /// rad/s; in space three numbers, along the world's axes.
    spin: Amount,
    /// Name of its material.
    material: Placed<String>,
    /// kg; from the density when left out.
    mass: Number,
    /// kg m² about the centre of mass; as the density spreads it when left out. In space the three moments about the body's own axes, or the
    /// six numbers Ixx, Iyy, Izz, Ixy, Ixz, Iyz of its matrix.
    inertia: Amount,
    /// A closed surface whose volume, at the density of the body's material, gives mass, centre and inertia in the place of the parts; in space.
    mass_from: Placed<MeshTable>,
    /// Whether `at` and the places of the parts are about the centre of mass, as in a resolved scene.
    about_centre: bool,
    /// The speed falls as exp(-c t), 1/s.
    damping: Number,
    /// The spin falls as exp(-c t), 1/s.
    turn_damping: Number,
    /// Multiplies gravity for this body.
    gravity_factor: Number,
    /// It keeps its angle whatever pushes it.
    fixed_turn: bool,
    /// It asks for swept collision.
    swept: bool,
    /// It notices what overlaps it and pushes nothing.
    sensor: bool,
    /// It comes only when an action adds it.
    absent: bool,
    /// Names of the layers it is on; without any it is on the layer common.
    layers: Vec<Placed<String>>,
    /// Names of the layers it meets; all when left out.
    meets: Vec<Placed<String>>,
    /// How a kinematic body moves.
    motion: Placed<MotionTable>,
}
