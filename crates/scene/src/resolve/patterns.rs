//! Patterns of bodies: where each stands, and its counters.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{PlaceTable, Placed};
use crate::names::Names;
use crate::number::Number;
use crate::random::Generator;
use ironspin_model::DVec2;
use std::collections::BTreeMap;

/// Tries for one body of a scatter.
const TRIES: u32 = 2_000;

/// One body of a pattern.
#[derive(Clone, Debug)]
pub(super) struct Placing {
    /// From the body's `at`, m.
    pub(super) offset: DVec2,
    /// rad, added to the body's angle.
    pub(super) turn: f64,
    /// Values of the counters: row and column, or one number.
    pub(super) counters: [usize; 2],
}

impl PlaceTable {
    /// The names of the counters.
    pub(super) fn counters(&self) -> &'static [&'static str] {
        match self {
            PlaceTable::Grid { .. } | PlaceTable::Brick { .. } | PlaceTable::Pyramid { .. } => &["row", "column"],
            PlaceTable::Ring { .. }
            | PlaceTable::Line { .. }
            | PlaceTable::Slope { .. }
            | PlaceTable::Scatter { .. } => &["i"],
        }
    }
}

impl Resolver {
    /// The placings of a pattern, in the order of the bodies. `at` is where the body stands, `reach` how far it reaches from there.
    pub(super) fn placings(
        &self,
        table: &Placed<PlaceTable>,
        at: DVec2,
        reach: f64,
        stream: u64,
        names: &Names,
    ) -> Result<Vec<Placing>, Diagnostic> {
        match table.get_ref() {
            PlaceTable::Grid { columns, rows, pitch } => {
                self.rows(columns, Some(rows), pitch, names, |_, columns| (columns, 0.0))
            }
            PlaceTable::Brick { columns, rows, pitch } => {
                self.rows(columns, Some(rows), pitch, names, |row, columns| (columns, 0.5 * (row % 2) as f64))
            }
            PlaceTable::Pyramid { base, pitch } => {
                self.rows(base, None, pitch, names, |row, base| (base - row, 0.5 * row as f64))
            }
            PlaceTable::Ring { count, radius, from, facing } => {
                let count = self.count(count, "the number of bodies", names)?;
                let radius = self.positive(radius, "a radius", names)?;
                let from = self.optional(from.as_ref(), 0.0, names)?;
                let placing = |i: usize| {
                    let angle = from + std::f64::consts::TAU * i as f64 / count as f64;
                    let (sin, cos) = (libm::sin(angle), libm::cos(angle));
                    let turn = if *facing { angle } else { 0.0 };
                    Placing { offset: radius * DVec2::new(cos, sin), turn, counters: [i, 0] }
                };
                Ok((0..count).map(placing).collect())
            }
            PlaceTable::Line { count, to } => {
                let count = self.count(count, "the number of bodies", names)?;
                let way = self.planar_vector(to, names)? - at;
                let gaps = count.saturating_sub(1).max(1) as f64;
                let placing = |i: usize| Placing { offset: way * (i as f64 / gaps), turn: 0.0, counters: [i, 0] };
                Ok((0..count).map(placing).collect())
            }
            PlaceTable::Slope { count, angle, pitch } => {
                let count = self.count(count, "the number of bodies", names)?;
                let angle = self.evaluator.value(angle, names)?;
                let pitch = self.evaluator.value(pitch, names)?;
                let along = DVec2::new(libm::cos(angle), libm::sin(angle)) * pitch;
                let placing = |i: usize| Placing { offset: along * i as f64, turn: angle, counters: [i, 0] };
                Ok((0..count).map(placing).collect())
            }
            PlaceTable::Scatter { .. } => self.scatter(table, reach, stream, names),
        }
    }

    /// Rows of so many columns, each shifted by a share of the pitch.
    fn rows(
        &self,
        columns: &Number,
        rows: Option<&Number>,
        pitch: &Placed<Vec<Number>>,
        names: &Names,
        of_row: impl Fn(usize, usize) -> (usize, f64),
    ) -> Result<Vec<Placing>, Diagnostic> {
        let most = self.count(columns, "the number of columns", names)?;
        let rows_wanted = rows.map_or(Ok(most), |rows| self.count(rows, "the number of rows", names))?;
        if most.saturating_mul(rows_wanted) > self.body_limit.saturating_mul(2) {
            return Err(self.too_many(columns.span()).label(format!("{most} x {rows_wanted}")));
        }
        let pitch = self.planar_vector(pitch, names)?;
        let mut placings = Vec::new();
        for row in 0..rows_wanted {
            let (columns, shift) = of_row(row, most);
            for column in 0..columns {
                let offset = DVec2::new((column as f64 + shift) * pitch.x, row as f64 * pitch.y);
                placings.push(Placing { offset, turn: 0.0, counters: [row, column] });
            }
        }
        Ok(placings)
    }

    /// Points at random, none nearer to another than the spacing: each is thrown again until it fits.
    fn scatter(
        &self,
        table: &Placed<PlaceTable>,
        reach: f64,
        stream: u64,
        names: &Names,
    ) -> Result<Vec<Placing>, Diagnostic> {
        let PlaceTable::Scatter { count, in_box, in_disc, spacing, seed } = table.get_ref() else {
            return Ok(Vec::new());
        };
        let wanted = self.count(count, "the number of bodies", names)?;
        let region = match (in_box, in_disc) {
            (Some(size), None) => Region::Box(self.planar_vector(size, names)?),
            (None, Some(radius)) => Region::Disc(self.positive(radius, "a radius", names)?),
            _ => {
                return Err(Diagnostic::at(table.span(), "a scatter has one of `in_box` and `in_disc`")
                    .label("in this scatter"));
            }
        };
        let spacing = match spacing {
            Some(spacing) => self.not_negative(spacing, "a spacing", names)?,
            None => 2.0 * reach * (1.0 + 1e-9),
        };
        let own = self.optional(seed.as_ref(), 0.0, names)?;
        let mut generator = Generator::new(self.seed, stream ^ own.to_bits().rotate_left(17));
        // Cells of the spacing: only neighbours can be too near.
        let cell = |p: DVec2| {
            if spacing > 0.0 { ((p.x / spacing).floor() as i64, (p.y / spacing).floor() as i64) } else { (0, 0) }
        };
        let mut taken: BTreeMap<(i64, i64), Vec<DVec2>> = BTreeMap::new();
        let mut placings = Vec::with_capacity(wanted);
        for i in 0..wanted {
            let free = (0..TRIES).map(|_| region.throw(&mut generator)).find(|&p| {
                let (x, y) = cell(p);
                let near = |dx: i64, dy: i64| taken.get(&(x + dx, y + dy)).into_iter().flatten();
                spacing == 0.0 || !(-1..=1).any(|dx| (-1..=1).any(|dy| near(dx, dy).any(|q| q.distance(p) < spacing)))
            });
            let Some(offset) = free else {
                return Err(Diagnostic::at(count.span(), format!("there is no room for body {i} of {wanted}"))
                    .label(format!("{TRIES} places were tried"))
                    .help("make the region larger, the spacing smaller, or use a grid"));
            };
            taken.entry(cell(offset)).or_default().push(offset);
            placings.push(Placing { offset, turn: 0.0, counters: [i, 0] });
        }
        Ok(placings)
    }
}

enum Region {
    Box(DVec2),
    Disc(f64),
}

impl Region {
    /// A point of the region, each as likely as any other.
    fn throw(&self, generator: &mut Generator) -> DVec2 {
        match self {
            Region::Box(size) => DVec2::new(generator.share() - 0.5, generator.share() - 0.5) * *size,
            Region::Disc(radius) => loop {
                let p = DVec2::new(2.0 * generator.share() - 1.0, 2.0 * generator.share() - 1.0);
                if p.length_squared() <= 1.0 {
                    return p * *radius;
                }
            },
        }
    }
}
