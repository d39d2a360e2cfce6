//! What soft bodies are made of: ropes, grids, rings, nodes one by one.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{BracingWord, MadeOfTable, Placed};
use crate::names::Names;
use ironspin_model::{DVec3, NODE_LIMIT};

/// Which form it has.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum Form {
    /// To where it goes.
    Rope(DVec3),
    /// Columns and rows.
    Grid(usize, usize),
    Ring,
    Nodes,
}

/// Nodes and what follows from their form.
#[derive(Clone, Debug)]
pub(super) struct NetShape {
    pub(super) form: Form,
    /// From `at` on, m; of a rope set by its ends.
    pub(super) nodes: Vec<DVec3>,
    /// Nodes of a row, for labels of two indices.
    width: Option<usize>,
    pub(super) skin: Vec<[usize; 2]>,
    pub(super) cells: Vec<[usize; 3]>,
}

/// Two nodes that a spring joins.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Tie {
    pub(super) ends: [usize; 2],
    pub(super) is_brace: bool,
}

impl Resolver {
    pub(super) fn net_shape(&self, table: &Placed<MadeOfTable>, names: &Names) -> Result<NetShape, Diagnostic> {
        let bare =
            |form: Form, nodes: Vec<DVec3>| NetShape { form, nodes, width: None, skin: Vec::new(), cells: Vec::new() };
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
                shape.skin = shape.usual_skin();
                Ok(shape)
            }
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
            MadeOfTable::Nodes { at, width } => {
                if at.is_empty() || at.len() > NODE_LIMIT {
                    return Err(Diagnostic::at(table.span(), format!("{} nodes cannot be built", at.len()))
                        .label(format!("expected 1 to {NODE_LIMIT}")));
                }
                let places = at.iter().map(|place| self.placed_vector(place, names)).collect::<Result<_, _>>()?;
                let width = width.as_ref().map(|width| self.node_count(width, 1, names)).transpose()?;
                Ok(NetShape { width, ..bare(Form::Nodes, places) })
            }
        }
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
        match self.width {
            Some(width) => format!("[{}][{}]", node / width, node % width),
            None => format!("[{node}]"),
        }
    }

    /// The skin that its form suggests: a rope's open one, a ring's, the rim of a grid.
    pub(super) fn usual_skin(&self) -> Vec<[usize; 2]> {
        let count = self.nodes.len();
        match self.form {
            Form::Rope(_) => (1..count).map(|i| [i - 1, i]).collect(),
            Form::Ring => (0..count).map(|i| [i, (i + 1) % count]).collect(),
            Form::Nodes => Vec::new(),
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
            Form::Grid(columns, rows) => {
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
