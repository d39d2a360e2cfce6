//! What soft bodies are made of: ropes, grids, rings, nodes one by one; in space also cloths, blocks, spheres and tori.

use super::Resolver;
use super::space_nets::{self, SpaceNet};
use crate::diagnostic::Diagnostic;
use crate::file::{BracingWord, MadeOfTable, MeshTable, Placed, SphereWord};
use crate::names::Names;
use crate::number::Number;
use ironspin_model::{DVec3, Dimension, NODE_LIMIT, SpaceShape};

/// Which form it has.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Form {
    /// To where it goes.
    Rope(DVec3),
    /// Columns and rows.
    Grid(usize, usize),
    Ring,
    Nodes,
    /// Columns and rows, in space.
    Cloth(usize, usize),
    /// Columns, rows and layers.
    Block([usize; 3]),
    /// A closed skin whose edges are joined.
    Shell,
}

/// Nodes and what follows from their form.
#[derive(Clone, Debug)]
pub(super) struct NetShape {
    pub(super) form: Form,
    /// From `at` on, m; of a rope set by its ends.
    pub(super) nodes: Vec<DVec3>,
    /// Nodes of a row, for labels of two indices, and rows of a layer, for three.
    width: Option<usize>,
    depth: Option<usize>,
    pub(super) skin: Vec<[usize; 2]>,
    pub(super) cells: Vec<[usize; 3]>,
    /// Skin and cells in space.
    pub(super) faces: Vec<[usize; 3]>,
    pub(super) tetrahedra: Vec<[usize; 4]>,
}

impl NetShape {
    fn bare(form: Form, nodes: Vec<DVec3>) -> NetShape {
        let (skin, cells, faces, tetrahedra) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
        NetShape { form, nodes, width: None, depth: None, skin, cells, faces, tetrahedra }
    }

    fn solid(form: Form, net: SpaceNet) -> NetShape {
        NetShape { faces: net.faces, tetrahedra: net.tetrahedra, ..NetShape::bare(form, net.nodes) }
    }
}

/// Two nodes that a spring joins.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Tie {
    pub(super) ends: [usize; 2],
    pub(super) is_brace: bool,
}

impl Resolver {
    pub(super) fn net_shape(&self, table: &Placed<MadeOfTable>, names: &Names) -> Result<NetShape, Diagnostic> {
        let bare = NetShape::bare;
        self.fits_dimension(table)?;
        match table.get_ref() {
            MadeOfTable::Rope { count, to } => {
                let count = self.node_count(count, 2, names)?;
                Ok(bare(Form::Rope(self.placed_vector(to, names)?), vec![DVec3::ZERO; count]))
            }
            MadeOfTable::Ring { count, radius } => {
                let count = self.node_count(count, 3, names)?;
                let radius = self.positive(radius, "a radius", names)?;
                let place = |i: usize| {
                    let angle = std::f64::consts::TAU * i as f64 / count as f64;
                    radius * DVec3::new(libm::cos(angle), libm::sin(angle), 0.0)
                };
                let mut shape = bare(Form::Ring, (0..count).map(place).collect());
                if self.dimension == Dimension::Plane {
                    shape.skin = shape.usual_skin();
                }
                Ok(shape)
            }
            MadeOfTable::Cloth { columns, rows, pitch } => self.cloth(table, [columns, rows], pitch, names),
            MadeOfTable::Block { columns, rows, layers, pitch } => {
                self.block(table, [columns, rows, layers], pitch, names)
            }
            MadeOfTable::Sphere { radius, by, rings, around, parts } => {
                self.sphere(table, radius, *by, [rings, around, parts].map(Option::as_ref), names)
            }
            MadeOfTable::Torus { radius, tube, along, around } => {
                let counts = [self.node_count(along, 3, names)?, self.node_count(around, 3, names)?];
                self.few_enough(table, &counts)?;
                let [radius, tube] =
                    [self.positive(radius, "a radius", names)?, self.positive(tube, "a radius", names)?];
                Ok(NetShape::solid(Form::Shell, space_nets::torus(radius, tube, counts[0], counts[1])))
            }
            MadeOfTable::Mesh(mesh) => self.skin_of_mesh(table, mesh, names),
            MadeOfTable::Grid { columns, rows, pitch } => {
                let (columns_wanted, rows) = (self.node_count(columns, 2, names)?, self.node_count(rows, 2, names)?);
                if columns_wanted.saturating_mul(rows) > NODE_LIMIT {
                    return Err(Diagnostic::at(columns.span(), format!("{NODE_LIMIT} nodes are the most"))
                        .label(format!("{columns_wanted} x {rows}")));
                }
                let pitch = self.placed_vector(pitch, names)?;
                let places = (0..rows).flat_map(|row| {
                    (0..columns_wanted).map(move |column| DVec3::new(column as f64, row as f64, 0.0) * pitch)
                });
                let mut shape = bare(Form::Grid(columns_wanted, rows), places.collect());
                shape.width = Some(columns_wanted);
                shape.skin = shape.usual_skin();
                shape.cells = grid_cells(columns_wanted, rows);
                Ok(shape)
            }
            MadeOfTable::Nodes { at, width, depth } => {
                if at.is_empty() || at.len() > NODE_LIMIT {
                    return Err(Diagnostic::at(table.span(), format!("{} nodes cannot be built", at.len()))
                        .label(format!("expected 1 to {NODE_LIMIT}")));
                }
                let places = at.iter().map(|place| self.placed_vector(place, names)).collect::<Result<_, _>>()?;
                let width = width.as_ref().map(|width| self.node_count(width, 1, names)).transpose()?;
                let depth = depth.as_ref().map(|depth| self.node_count(depth, 1, names)).transpose()?;
                Ok(NetShape { width, depth, ..bare(Form::Nodes, places) })
            }
        }
    }

    /// Refuses what is not made in this dimension.
    fn fits_dimension(&self, table: &Placed<MadeOfTable>) -> Result<(), Diagnostic> {
        let (word, of_space) = match table.get_ref() {
            MadeOfTable::Rope { .. } | MadeOfTable::Ring { .. } | MadeOfTable::Nodes { .. } => return Ok(()),
            MadeOfTable::Grid { .. } => ("grid", false),
            MadeOfTable::Cloth { .. } => ("cloth", true),
            MadeOfTable::Block { .. } => ("block", true),
            MadeOfTable::Sphere { .. } => ("sphere", true),
            MadeOfTable::Torus { .. } => ("torus", true),
            MadeOfTable::Mesh(_) => ("mesh", true),
        };
        match (self.dimension, of_space) {
            (Dimension::Plane, true) => Err(Diagnostic::at(table.span(), format!("a {word} is for scenes of space"))
                .label("this scene has space = 2")
                .help("in the plane there are rope, grid, ring and nodes")),
            (Dimension::Space, false) => {
                Err(Diagnostic::at(table.span(), format!("a {word} is for scenes of the plane"))
                    .label("this scene has space = 3")
                    .help("in space there are rope, ring, cloth, block, sphere, torus, mesh and nodes"))
            }
            (Dimension::Plane, false) | (Dimension::Space, true) => Ok(()),
        }
    }

    /// So many nodes can be built.
    fn few_enough(&self, table: &Placed<MadeOfTable>, counts: &[usize]) -> Result<(), Diagnostic> {
        let all = counts.iter().fold(1_usize, |all, &count| all.saturating_mul(count));
        if all <= NODE_LIMIT {
            return Ok(());
        }
        Err(Diagnostic::at(table.span(), format!("{NODE_LIMIT} nodes are the most")).label(format!("{all} nodes")))
    }

    fn cloth(
        &self,
        table: &Placed<MadeOfTable>,
        counts: [&Number; 2],
        pitch: &[Number],
        names: &Names,
    ) -> Result<NetShape, Diagnostic> {
        let [columns, rows] = [self.node_count(counts[0], 2, names)?, self.node_count(counts[1], 2, names)?];
        self.few_enough(table, &[columns, rows])?;
        let [across, up] = pitch else {
            return Err(Diagnostic::at(table.span(), format!("found {} numbers for `pitch`", pitch.len()))
                .label("expected [across, up]"));
        };
        let pitch = [self.positive(across, "a pitch", names)?, self.positive(up, "a pitch", names)?];
        let net = space_nets::cloth(columns, rows, pitch);
        Ok(NetShape { width: Some(columns), ..NetShape::solid(Form::Cloth(columns, rows), net) })
    }

    fn block(
        &self,
        table: &Placed<MadeOfTable>,
        counts: [&Number; 3],
        pitch: &Placed<Vec<Number>>,
        names: &Names,
    ) -> Result<NetShape, Diagnostic> {
        let count = |number: &Number| self.node_count(number, 2, names);
        let counts = [count(counts[0])?, count(counts[1])?, count(counts[2])?];
        self.few_enough(table, &counts)?;
        let pitch = self.placed_vector(pitch, names)?;
        if !(pitch.min_element() > 0.0) {
            return Err(Diagnostic::at(table.span(), "the pitch of a block is positive along each axis")
                .label(format!("found {pitch}")));
        }
        let shape = NetShape::solid(Form::Block(counts), space_nets::block(counts, pitch));
        Ok(NetShape { width: Some(counts[0]), depth: Some(counts[1]), ..shape })
    }

    /// Nodes at the points of a surface.
    fn skin_of_mesh(
        &self,
        table: &Placed<MadeOfTable>,
        mesh: &MeshTable,
        names: &Names,
    ) -> Result<NetShape, Diagnostic> {
        let SpaceShape::Mesh(surface) = self.mesh(mesh, table.span(), names)? else {
            return Err(Diagnostic::at(table.span(), "this surface has no faces"));
        };
        self.few_enough(table, &[surface.points().len()])?;
        let faces = surface.faces().iter().map(|face| face.map(|corner| corner as usize)).collect();
        let net = SpaceNet { nodes: surface.points().to_vec(), faces, tetrahedra: Vec::new() };
        Ok(NetShape::solid(Form::Shell, net))
    }

    /// A closed skin; which of rings, nodes around and parts it needs depends on its kind.
    fn sphere(
        &self,
        table: &Placed<MadeOfTable>,
        radius: &Number,
        by: SphereWord,
        [rings, around, parts]: [Option<&Number>; 3],
        names: &Names,
    ) -> Result<NetShape, Diagnostic> {
        let radius = self.positive(radius, "a radius", names)?;
        let needed = |number: Option<&Number>, key: &str, least: usize| match number {
            Some(number) => self.node_count(number, least, names),
            None => Err(Diagnostic::at(table.span(), format!("a sphere of this kind needs the key `{key}`"))
                .label(format!("`{key}` is missing"))),
        };
        let unused = match by {
            SphereWord::Latitude => parts,
            SphereWord::Cube | SphereWord::Icosahedron => rings.or(around),
        };
        if let Some(number) = unused {
            return Err(Diagnostic::at(number.span(), "this key is for spheres of another kind")
                .help("by = \"latitude\" has rings and around; by = \"cube\" and by = \"icosahedron\" have parts"));
        }
        let net = match by {
            SphereWord::Latitude => {
                let (rings, around) = (needed(rings, "rings", 1)?, needed(around, "around", 3)?);
                self.few_enough(table, &[rings, around])?;
                space_nets::latitude(radius, rings, around)
            }
            SphereWord::Cube | SphereWord::Icosahedron => {
                let parts = needed(parts, "parts", 1)?;
                self.few_enough(table, &[10, parts, parts])?;
                let sphere = if by == SphereWord::Cube { space_nets::cube_sphere } else { space_nets::icosphere };
                sphere(radius, parts)
            }
        };
        Ok(NetShape::solid(Form::Shell, net))
    }
}

/// Two triangles a cell, counter-clockwise.
fn grid_cells(columns: usize, rows: usize) -> Vec<[usize; 3]> {
    let corner = |row: usize, column: usize| row * columns + column;
    let cells = (0..rows - 1).flat_map(|row| (0..columns - 1).map(move |column| (row, column)));
    cells
        .flat_map(|(row, column)| {
            let [a, b] = [corner(row, column), corner(row, column + 1)];
            let [d, c] = [corner(row + 1, column), corner(row + 1, column + 1)];
            [[a, b, c], [a, c, d]]
        })
        .collect()
}

impl NetShape {
    /// What stands behind `.node` in the name of a node.
    pub(super) fn label(&self, node: usize) -> String {
        match (self.width, self.depth) {
            (Some(width), Some(depth)) => {
                let row = node / width;
                format!("[{}][{}][{}]", row / depth, row % depth, node % width)
            }
            (Some(width), None) => format!("[{}][{}]", node / width, node % width),
            (None, _) => format!("[{node}]"),
        }
    }

    /// The skin that its form suggests: a rope's open one, a ring's, the rim of a grid.
    pub(super) fn usual_skin(&self) -> Vec<[usize; 2]> {
        let count = self.nodes.len();
        match self.form {
            Form::Rope(_) => (1..count).map(|i| [i - 1, i]).collect(),
            Form::Ring => (0..count).map(|i| [i, (i + 1) % count]).collect(),
            Form::Nodes | Form::Cloth(..) | Form::Block(_) | Form::Shell => Vec::new(),
            Form::Grid(columns, rows) => {
                let last = rows - 1;
                let bottom = 0..columns;
                let right = (1..rows).map(|row| row * columns + columns - 1);
                let top = (0..columns - 1).rev().map(|column| last * columns + column);
                let left = (1..last).rev().map(|row| row * columns);
                let rim: Vec<usize> = bottom.chain(right).chain(top).chain(left).collect();
                (0..rim.len()).map(|i| [rim[i], rim[(i + 1) % rim.len()]]).collect()
            }
        }
    }

    /// Which nodes springs join.
    pub(super) fn ties(&self, bracing: BracingWord) -> Vec<Tie> {
        let count = self.nodes.len();
        let tie = |a: usize, b: usize| Tie { ends: [a, b], is_brace: false };
        let brace = |a: usize, b: usize| Tie { ends: [a, b], is_brace: true };
        let mut ties = Vec::new();
        match self.form {
            Form::Nodes => {}
            Form::Rope(_) => {
                ties.extend((1..count).map(|i| tie(i - 1, i)));
                if bracing != BracingWord::None {
                    ties.extend((2..count).map(|i| brace(i - 2, i)));
                }
            }
            Form::Ring => {
                ties.extend((0..count).map(|i| tie(i, (i + 1) % count)));
                if bracing != BracingWord::None && count > 4 {
                    ties.extend((0..count).map(|i| brace(i, (i + 2) % count)));
                }
                if bracing == BracingWord::Both && count > 5 {
                    ties.extend((0..count / 2).map(|i| brace(i, i + count / 2)));
                }
            }
            Form::Block(counts) => return space_nets::block_ties(counts, bracing),
            Form::Shell => return space_nets::edges(&self.faces),
            Form::Grid(columns, rows) | Form::Cloth(columns, rows) => {
                let id = |row: usize, column: usize| row * columns + column;
                for (row, column) in (0..rows).flat_map(|row| (0..columns).map(move |column| (row, column))) {
                    let (right, up) = (column + 1 < columns, row + 1 < rows);
                    if right {
                        ties.push(tie(id(row, column), id(row, column + 1)));
                    }
                    if up {
                        ties.push(tie(id(row, column), id(row + 1, column)));
                    }
                    if right && up && bracing != BracingWord::None {
                        ties.push(brace(id(row, column), id(row + 1, column + 1)));
                    }
                    if right && up && bracing == BracingWord::Both {
                        ties.push(brace(id(row, column + 1), id(row + 1, column)));
                    }
                }
            }
        }
        ties
    }
}
