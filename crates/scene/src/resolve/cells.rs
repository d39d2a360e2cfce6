//! Bodies of many cells, and what is left of them when an action takes cells away.
//!
//! Cells hold together where they share a side. What comes apart is known before the trial starts, so that every engine that can split a body can run
//! it: each piece is a body of its own that is absent until its action splits it off.

use super::Resolver;
use super::bodies::Built;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{ActionTable, BodyTable, CellsTable, Placed};
use crate::names::Names;
use ironspin_model::{
    Body, BodyKind, DVec2, DVec3, Dimension, Effect, Inertia, Material, Part, PlaneShape, Pose, Shape, SpaceShape,
    body_mass, solid_body_mass,
};
use std::collections::BTreeMap;

/// Most cells of a body, there or not.
const CELL_LIMIT: usize = 100_000;
/// What expressions may use of a cell: its counts, and its place from the middle of all.
const CELL_NAMES: [&str; 6] = ["column", "row", "layer", "x", "y", "z"];

/// The cells of a body.
#[derive(Clone, Debug)]
pub(super) struct Cells {
    size: DVec3,
    count: [usize; 3],
    filled: Vec<bool>,
}

impl Cells {
    fn number(&self, [i, j, k]: [usize; 3]) -> usize {
        (k * self.count[1] + j) * self.count[0] + i
    }

    fn indices(&self, number: usize) -> [usize; 3] {
        let [columns, rows, _] = self.count;
        [number % columns, number / columns % rows, number / (columns * rows)]
    }

    /// Middle of a block of cells, m from the middle of all.
    fn middle(&self, from: [usize; 3], to: [usize; 3]) -> DVec3 {
        let along = |axis: usize| 0.5 * ((from[axis] + to[axis]) as f64 - self.count[axis] as f64);
        DVec3::new(along(0), along(1), along(2)) * self.size
    }

    /// The cells as few boxes: runs along x, as wide along y and then z as they go.
    fn boxes(&self) -> Vec<[[usize; 3]; 2]> {
        let mut left = self.filled.clone();
        let mut boxes = Vec::new();
        for number in 0..left.len() {
            if !left[number] {
                continue;
            }
            let from = self.indices(number);
            let mut to = from.map(|index| index + 1);
            for axis in 0..3 {
                while to[axis] < self.count[axis] && self.all(&left, from, to, axis) {
                    to[axis] += 1;
                }
            }
            for k in from[2]..to[2] {
                for j in from[1]..to[1] {
                    for i in from[0]..to[0] {
                        left[self.number([i, j, k])] = false;
                    }
                }
            }
            boxes.push([from, to]);
        }
        boxes
    }

    /// Whether the next slice of a block along an axis is there.
    fn all(&self, left: &[bool], from: [usize; 3], to: [usize; 3], axis: usize) -> bool {
        let (mut low, mut high) = (from, to);
        (low[axis], high[axis]) = (to[axis], to[axis] + 1);
        (low[2]..high[2]).all(|k| (low[1]..high[1]).all(|j| (low[0]..high[0]).all(|i| left[self.number([i, j, k])])))
    }

    /// What hangs together by common sides, in the order of the first cell of each.
    fn pieces(&self) -> Vec<Cells> {
        let mut left = self.filled.clone();
        let mut pieces = Vec::new();
        for first in 0..left.len() {
            if !left[first] {
                continue;
            }
            let mut piece = Cells { filled: vec![false; left.len()], ..self.clone() };
            let mut todo = vec![first];
            left[first] = false;
            while let Some(number) = todo.pop() {
                piece.filled[number] = true;
                let at = self.indices(number);
                for axis in 0..3 {
                    for next in [at[axis].wrapping_sub(1), at[axis] + 1] {
                        let mut beside = at;
                        beside[axis] = next;
                        if next < self.count[axis] && left[self.number(beside)] {
                            left[self.number(beside)] = false;
                            todo.push(self.number(beside));
                        }
                    }
                }
            }
            pieces.push(piece);
        }
        pieces
    }

    fn parts(&self, dimension: Dimension, like: &Part) -> Vec<Part> {
        let part = |[from, to]: [[usize; 3]; 2]| {
            let size =
                DVec3::new((to[0] - from[0]) as f64, (to[1] - from[1]) as f64, (to[2] - from[2]) as f64) * self.size;
            let shape = match dimension {
                Dimension::Plane => Shape::Plane(PlaneShape::Box(DVec2::new(size.x, size.y))),
                Dimension::Space => Shape::Space(SpaceShape::Box(size)),
            };
            let mut middle = self.middle(from, to);
            if dimension == Dimension::Plane {
                middle.z = 0.0;
            }
            Part { shape, pose: Pose::planar(middle, 0.0), ..like.clone() }
        };
        self.boxes().into_iter().map(part).collect()
    }
}

/// What happens to which bodies.
type Effects = Vec<(usize, Effect)>;

/// A body that is there before the next action, with its cells and its centre from the middle of all cells.
struct Standing {
    body: usize,
    cells: Cells,
    centre: DVec3,
}

impl Resolver {
    /// The parts of a body of cells.
    pub(super) fn cell_parts(
        &self,
        table: &BodyTable,
        cells: &Placed<CellsTable>,
        like: &Part,
        names: &Names,
    ) -> Result<Vec<Part>, Diagnostic> {
        let cells = self.cells(table, cells, names)?;
        Ok(cells.parts(self.dimension, like))
    }

    pub(super) fn cells(
        &self,
        table: &BodyTable,
        cells: &Placed<CellsTable>,
        names: &Names,
    ) -> Result<Cells, Diagnostic> {
        let at = |message: String| Diagnostic::at(cells.span(), message);
        let written = cells.get_ref();
        if table.inertia.is_some() {
            return Err(at("cells give a body its inertia".to_owned())
                .label("and `inertia` is given")
                .help("leave it out"));
        }
        let size = self.placed_vector(&written.size, names)?;
        let wanted = self.placed_vector(&written.count, names)?;
        let axes = if self.dimension == Dimension::Plane { 2 } else { 3 };
        let mut all = Cells { size, count: [1; 3], filled: Vec::new() };
        for axis in 0..axes {
            let (length, count) = (size[axis], wanted[axis]);
            if !(length > 0.0 && length.is_finite()) {
                return Err(Diagnostic::at(written.size.span(), format!("a cell cannot be {length} m long"))
                    .label("expected sizes above zero"));
            }
            if !(count >= 1.0 && count.fract() == 0.0 && count <= CELL_LIMIT as f64) {
                return Err(Diagnostic::at(
                    written.count.span(),
                    format!("there cannot be {count} cells along an axis"),
                )
                .label("expected whole numbers from 1"));
            }
            all.count[axis] = count as usize;
        }
        let total = all.count.iter().fold(1_usize, |all, &count| all.saturating_mul(count));
        if total > CELL_LIMIT {
            return Err(at(format!("a body has {CELL_LIMIT} cells at most, and this has {total}")).label("too many"));
        }
        self.budget.spend(Cost::Parts, total.div_ceil(8), || cells.span())?;
        all.filled = vec![true; total];
        if let Some(filled) = &written.filled {
            let values = self.of_cells(&all, filled, names)?;
            all.filled = values;
        }
        match all.pieces().len() {
            0 => Err(at("no cell is filled".to_owned()).label("a body needs one cell at least")),
            1 => Ok(all),
            many => Err(at(format!("the cells hang together in {many} pieces, and a body is one"))
                .label("comes apart")
                .help("cells hold where they share a side; make bodies of their own of the others")),
        }
    }

    /// Of which cells an expression is not zero.
    fn of_cells(
        &self,
        cells: &Cells,
        expression: &crate::number::Number,
        names: &Names,
    ) -> Result<Vec<bool>, Diagnostic> {
        let known = if self.dimension == Dimension::Plane { [0, 1, 3, 4].as_slice() } else { &[0, 1, 2, 3, 4, 5] };
        let mut inside = names.clone();
        for &k in known {
            let name = CELL_NAMES[k];
            if inside.has(name) {
                return Err(Diagnostic::at(
                    expression.span(),
                    format!("cells are counted by `{name}`, and that name is taken"),
                )
                .label("rename the parameter, or take `repeat` with other counters in the place of the pattern"));
            }
            inside = inside.with(name, 0.0);
        }
        let mut values = Vec::with_capacity(cells.filled.len());
        for number in 0..cells.filled.len() {
            let at = cells.indices(number);
            let middle = cells.middle(at, at.map(|index| index + 1));
            let of = [at[0] as f64, at[1] as f64, at[2] as f64, middle.x, middle.y, middle.z];
            known.iter().for_each(|&k| inside.set(CELL_NAMES[k], of[k]));
            values.push(self.evaluator.value(expression, &inside)? != 0.0);
        }
        Ok(values)
    }

    /// Works out what comes apart by every action that takes cells, and adds the pieces to the bodies, absent.
    pub(super) fn take_cells(
        &mut self,
        actions: &[ActionTable],
        materials: &[Material],
        built: &mut Built,
    ) -> Result<(), Diagnostic> {
        let mut takes = Vec::new();
        for (number, action) in actions.iter().enumerate() {
            let Some(taken) = &action.take_cells else { continue };
            if let Some(other) = action.every.as_ref() {
                return Err(Diagnostic::at(other.span(), "cells are taken once").label("take them by several actions"));
            }
            let time = match (&action.at_time, &action.when) {
                (Some(time), _) => self.value(time)?,
                (None, _) => f64::INFINITY,
            };
            let Some(on) = &action.on else {
                return Err(Diagnostic::at(taken.span(), "cells are taken from a body").help("add a line on = \"...\""));
            };
            for body in self.selected(on, &built.bodies, &self.names)? {
                takes.push((time, number, body));
            }
        }
        takes.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
        let mut standing: BTreeMap<usize, Vec<Standing>> = BTreeMap::new();
        let mut count: BTreeMap<usize, usize> = BTreeMap::new();
        for (time, number, body) in takes {
            let action = &actions[number];
            let Some(expression) = &action.take_cells else { continue };
            let whole = &built.bodies[body];
            let Some(cells) = built.cells.get(&body) else {
                return Err(Diagnostic::at(expression.span(), format!("`{}` has no cells", whole.name))
                    .label("nothing to take")
                    .help("give the body `cells` in the place of its shape"));
            };
            let known = count.entry(body).or_default();
            if *known > 0 && time == f64::INFINITY {
                return Err(Diagnostic::at(
                    expression.span(),
                    format!("cells of `{}` are taken at a time already, and here on a condition", whole.name),
                )
                .label("in which order?")
                .help("take cells of one body at times, or once on a condition"));
            }
            *known += 1;
            let before = match standing.remove(&body) {
                Some(before) => before,
                None => {
                    let cells = cells.clone();
                    let (_, centre) = self.piece(whole, &cells, materials, 1.0)?;
                    vec![Standing { body, cells, centre }]
                }
            };
            let taken = self.of_cells(&before[0].cells, expression, &self.names.clone())?;
            let (after, effects) = self.split_cells(body, before, &taken, materials, built)?;
            if effects.is_empty() {
                return Err(Diagnostic::at(
                    expression.span(),
                    format!("no cell of `{}` is taken", built.bodies[body].name),
                )
                .label("is 0 for all that are left")
                .help("it may use column, row, layer, and x, y, z from the middle of all cells"));
            }
            self.taken.entry(number).or_default().extend(effects);
            standing.insert(body, after);
        }
        Ok(())
    }

    /// Takes cells from what is left of a body; gives what then stands, and what happens to what stood.
    fn split_cells(
        &self,
        whole: usize,
        before: Vec<Standing>,
        taken: &[bool],
        materials: &[Material],
        built: &mut Built,
    ) -> Result<(Vec<Standing>, Effects), Diagnostic> {
        let (mut after, mut effects) = (Vec::new(), Vec::new());
        let place = built.places[whole].clone();
        for part in before {
            let is_hit = part.cells.filled.iter().zip(taken).any(|(&filled, &taken)| filled && taken);
            if !is_hit {
                after.push(part);
                continue;
            }
            let mut left = part.cells.clone();
            left.filled.iter_mut().zip(taken).for_each(|(filled, &taken)| *filled &= !taken);
            let mut pieces = Vec::new();
            for cells in left.pieces() {
                if built.bodies.len() >= self.body_limit {
                    return Err(self.too_many(place));
                }
                let natural = self.piece(&built.bodies[whole], &part.cells, materials, 1.0)?.0.mass;
                let factor = if natural > 0.0 { built.bodies[part.body].mass / natural } else { 1.0 };
                let (mut body, centre) = self.piece(&built.bodies[whole], &cells, materials, factor)?;
                body.pose.position = centre - part.centre;
                body.name = self.name_of_piece(whole, built);
                pieces.push(built.bodies.len());
                after.push(Standing { body: built.bodies.len(), cells, centre });
                built.bodies.push(body);
                built.places.push(place.clone());
            }
            effects.push((part.body, if pieces.is_empty() { Effect::Remove } else { Effect::Split(pieces) }));
        }
        Ok((after, effects))
    }

    /// The next name of the pieces of a body: wall_piece\[0\] of wall, wall_piece\[2\]\[0\] of wall\[2\].
    fn name_of_piece(&self, whole: usize, built: &Built) -> String {
        let name = &built.bodies[whole].name;
        let (base, indices) = name.split_at(name.find('[').unwrap_or(name.len()));
        let start = format!("{base}_piece{indices}[");
        let known = built.bodies.iter().filter(|body| body.name.starts_with(&start)).count();
        format!("{start}{known}]")
    }

    /// A body like another of some of its cells, absent, and its centre from the middle of all cells; `factor` multiplies its mass.
    fn piece(
        &self,
        like: &Body,
        cells: &Cells,
        materials: &[Material],
        factor: f64,
    ) -> Result<(Body, DVec3), Diagnostic> {
        let mut parts = cells.parts(self.dimension, &like.parts[0]);
        self.budget.spend(Cost::Parts, parts.len(), || 0..0)?;
        let mut body = Body {
            absent: true,
            velocity: DVec3::ZERO,
            spin: DVec3::ZERO,
            pose: Pose::planar(DVec3::ZERO, 0.0),
            ..like.clone()
        };
        let mut centre = DVec3::ZERO;
        if like.kind == BodyKind::Dynamic {
            let density = |part: &Part| materials[part.material].density;
            let natural = match self.dimension {
                Dimension::Plane => body_mass(&parts, density)
                    .map(|plane| (plane.mass, plane.centre.extend(0.0), Inertia::planar(plane.inertia))),
                Dimension::Space => {
                    solid_body_mass(&parts, density).map(|solid| (solid.mass, solid.centre, solid.inertia))
                }
            };
            if let Some((mass, middle, inertia)) = natural {
                (body.mass, body.inertia, centre) = (factor * mass, Inertia(inertia.0 * factor), middle);
            }
            parts.iter_mut().for_each(|part| part.pose.position -= centre);
        }
        body.parts = parts;
        Ok((body, centre))
    }
}
