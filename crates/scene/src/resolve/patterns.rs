//! Patterns of bodies: where each stands, and its counters.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{PlaceTable, Placed};
use crate::names::Names;
use crate::number::Number;
use crate::random::Generator;
use ironspin_model::{DQuat, DVec2, DVec3, Dimension, turn};
use std::collections::BTreeMap;
use std::ops::Range;

/// Tries for one body of a scatter.
const TRIES: u32 = 2_000;

/// One body of a pattern.
#[derive(Clone, Debug)]
pub(super) struct Placing {
    /// From the body's `at`, m.
    pub(super) offset: DVec3,
    /// rad, added to the body's angle; in the plane.
    pub(super) turn: f64,
    /// How it is turned after its own turn; in space.
    pub(super) rotation: DQuat,
    /// Values of the counters: row, column and layer, or one number.
    pub(super) counters: [usize; 3],
}

impl Placing {
    /// Of a pattern that counts by one number.
    fn simple(offset: DVec3, turn: f64, i: usize) -> Self {
        Placing { offset, turn, rotation: turn::about(DVec3::Z, turn), counters: [i, 0, 0] }
    }
}

impl Placing {
    /// Somewhere, as the body is turned by itself.
    pub(super) fn at(offset: DVec3, counters: [usize; 3]) -> Self {
        Placing { offset, turn: 0.0, rotation: DQuat::IDENTITY, counters }
    }
}

impl PlaceTable {
    /// The names of the counters.
    pub(super) fn counters(&self, dimension: Dimension) -> &'static [&'static str] {
        match self {
            PlaceTable::Grid { .. } | PlaceTable::Brick { .. } | PlaceTable::Pyramid { .. } => match dimension {
                Dimension::Plane => &["row", "column"],
                Dimension::Space => &["row", "column", "layer"],
            },
            PlaceTable::Ring { rings: Some(_), .. } => &["ring", "i"],
            PlaceTable::Ring { .. }
            | PlaceTable::Stack { .. }
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
        at: DVec3,
        reach: f64,
        stream: u64,
        names: &Names,
    ) -> Result<Vec<Placing>, Diagnostic> {
        match table.get_ref() {
            PlaceTable::Grid { columns, rows, layers, pitch } => {
                self.rows([columns, rows], layers.as_ref(), pitch, names, |_, _| 0.0)
            }
            // The joints of a row lie amid the bricks of the next, and so do those of a layer behind.
            PlaceTable::Brick { columns, rows, layers, pitch } => {
                self.rows([columns, rows], layers.as_ref(), pitch, names, |row, layer| 0.5 * ((row + layer) % 2) as f64)
            }
            PlaceTable::Pyramid { base, pitch } => self.pyramid(base, pitch, names),
            PlaceTable::Stack { count, step } => {
                let count = self.count(count, "the number of bodies", names)?;
                let step = self.placed_vector(step, names)?;
                Ok((0..count).map(|i| Placing::simple(step * i as f64, 0.0, i)).collect())
            }
            PlaceTable::Ring { .. } => self.ring(table, names),
            PlaceTable::Line { count, to } => {
                let count = self.count(count, "the number of bodies", names)?;
                let way = self.placed_vector(to, names)? - at;
                let gaps = count.saturating_sub(1).max(1) as f64;
                Ok((0..count).map(|i| Placing::simple(way * (i as f64 / gaps), 0.0, i)).collect())
            }
            PlaceTable::Slope { count, angle, pitch } => {
                let count = self.count(count, "the number of bodies", names)?;
                let angle = self.evaluator.value(angle, names)?;
                let pitch = self.evaluator.value(pitch, names)?;
                let along = DVec3::new(libm::cos(angle), libm::sin(angle), 0.0) * pitch;
                Ok((0..count).map(|i| Placing::simple(along * i as f64, angle, i)).collect())
            }
            PlaceTable::Scatter { .. } => self.scatter(table, reach, stream, names),
        }
    }

    /// Bodies on a circle: in the plane counter-clockwise from the right, in space about an axis from x towards z, and there ring on ring as well, every
    /// other one turned by half a body.
    fn ring(&self, table: &Placed<PlaceTable>, names: &Names) -> Result<Vec<Placing>, Diagnostic> {
        let PlaceTable::Ring { count, radius, from, facing, axis, rings, rise } = table.get_ref() else {
            return Ok(Vec::new());
        };
        let count = self.count(count, "the number of bodies", names)?;
        let radius = self.positive(radius, "a radius", names)?;
        let from = self.optional(from.as_ref(), 0.0, names)?;
        if self.dimension == Dimension::Plane {
            if axis.is_some() || rings.is_some() || rise.is_some() {
                return Err(Diagnostic::at(table.span(), "`axis`, `rings` and `rise` are for rings in space")
                    .label("this scene is of the plane"));
            }
            let placing = |i: usize| {
                let angle = from + std::f64::consts::TAU * i as f64 / count as f64;
                let turn = if *facing { angle } else { 0.0 };
                Placing::simple(radius * DVec3::new(libm::cos(angle), libm::sin(angle), 0.0), turn, i)
            };
            return Ok((0..count).map(placing).collect());
        }
        let axis = match axis {
            Some(axis) => self.normal(axis.get_ref(), axis.span(), names, "ring", "[0, 1, 0]")?,
            None => DVec3::Y,
        };
        let upright = DQuat::from_rotation_arc(DVec3::Y, axis);
        let storeys = rings.as_ref().map_or(Ok(1), |rings| self.count(rings, "the number of rings", names))?;
        self.check_size(&[count, storeys], table.span())?;
        let rise = match (rise, storeys) {
            (Some(rise), _) => self.evaluator.value(rise, names)?,
            (None, 0 | 1) => 0.0,
            (None, _) => {
                return Err(Diagnostic::at(table.span(), "rings on each other need `rise`")
                    .label("how far is one above the other?"));
            }
        };
        let placing = |storey: usize, i: usize| {
            let angle = from + std::f64::consts::TAU * (i as f64 + 0.5 * (storey % 2) as f64) / count as f64;
            let out = DVec3::new(radius * libm::cos(angle), rise * storey as f64, radius * libm::sin(angle));
            let rotation = if *facing { upright * turn::about(DVec3::Y, -angle) } else { DQuat::IDENTITY };
            let counters = if rings.is_some() { [storey, i, 0] } else { [i, 0, 0] };
            Placing { offset: upright * out, turn: 0.0, rotation, counters }
        };
        Ok((0..storeys)
            .flat_map(|storey| (0..count).map(move |i| (storey, i)))
            .map(|(storey, i)| placing(storey, i))
            .collect())
    }

    /// Refuses layers in the plane.
    fn layers(&self, layers: Option<&Number>, names: &Names) -> Result<usize, Diagnostic> {
        match (self.dimension, layers) {
            (_, None) => Ok(1),
            (Dimension::Space, Some(layers)) => self.count(layers, "the number of layers", names),
            (Dimension::Plane, Some(layers)) => {
                Err(Diagnostic::at(layers.span(), "`layers` lie behind each other, and in the plane nothing does")
                    .label("this scene has space = 2")
                    .help("leave it out, or write space = 3 at the head of the scene"))
            }
        }
    }

    fn check_size(&self, counts: &[usize], span: Range<usize>) -> Result<(), Diagnostic> {
        let all = counts.iter().fold(1_usize, |all, &count| all.saturating_mul(count));
        if all <= self.body_limit.saturating_mul(2) {
            return Ok(());
        }
        let shown: Vec<String> = counts.iter().map(usize::to_string).collect();
        Err(self.too_many(span).label(shown.join(" x ")))
    }

    /// Rows of so many columns, in so many layers, each shifted by a share of the pitch.
    fn rows(
        &self,
        [columns, rows]: [&Number; 2],
        layers: Option<&Number>,
        pitch: &Placed<Vec<Number>>,
        names: &Names,
        shift: impl Fn(usize, usize) -> f64,
    ) -> Result<Vec<Placing>, Diagnostic> {
        let most = self.count(columns, "the number of columns", names)?;
        let rows_wanted = self.count(rows, "the number of rows", names)?;
        let layers_wanted = self.layers(layers, names)?;
        let counts = [most, rows_wanted, layers_wanted];
        self.check_size(if self.dimension == Dimension::Plane { &counts[..2] } else { &counts }, columns.span())?;
        let pitch = self.placed_vector(pitch, names)?;
        let mut placings = Vec::new();
        for row in 0..rows_wanted {
            for column in 0..most {
                for layer in 0..layers_wanted {
                    let steps = DVec3::new(column as f64 + shift(row, layer), row as f64, layer as f64);
                    placings.push(Placing::at(steps * pitch, [row, column, layer]));
                }
            }
        }
        Ok(placings)
    }

    /// Rows that get shorter by one, over the middle of the one below; in space squares.
    fn pyramid(&self, base: &Number, pitch: &Placed<Vec<Number>>, names: &Names) -> Result<Vec<Placing>, Diagnostic> {
        let base_wanted = self.count(base, "the number of columns", names)?;
        let deep = match self.dimension {
            Dimension::Plane => 1,
            Dimension::Space => base_wanted,
        };
        let counts = [base_wanted, base_wanted, deep];
        self.check_size(if self.dimension == Dimension::Plane { &counts[..2] } else { &counts }, base.span())?;
        let pitch = self.placed_vector(pitch, names)?;
        let mut placings = Vec::new();
        for row in 0..base_wanted {
            let (along, shift) = (base_wanted - row, 0.5 * row as f64);
            for column in 0..along {
                for layer in 0..along.min(deep) {
                    let steps = DVec3::new(column as f64 + shift, row as f64, layer as f64 + shift);
                    placings.push(Placing::at(steps * pitch, [row, column, layer]));
                }
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
        let PlaceTable::Scatter { count, in_box, in_disc, in_ball, spacing, seed } = table.get_ref() else {
            return Ok(Vec::new());
        };
        let wanted = self.count(count, "the number of bodies", names)?;
        let round = match self.dimension {
            Dimension::Plane => "in_disc",
            Dimension::Space => "in_ball",
        };
        let region = match (in_box, in_disc, in_ball) {
            (Some(size), None, None) => Region::Box(self.placed_vector(size, names)?, self.dimension),
            (None, Some(radius), None) if self.dimension == Dimension::Plane => {
                Region::Disc(self.positive(radius, "a radius", names)?)
            }
            (None, None, Some(radius)) if self.dimension == Dimension::Space => {
                Region::Ball(self.positive(radius, "a radius", names)?)
            }
            _ => {
                let dimension = if self.dimension == Dimension::Plane { 2 } else { 3 };
                return Err(Diagnostic::at(table.span(), format!("a scatter has one of `in_box` and `{round}`"))
                    .label(format!("this scene has space = {dimension}")));
            }
        };
        let spacing = match spacing {
            Some(spacing) => self.not_negative(spacing, "a spacing", names)?,
            None => 2.0 * reach * (1.0 + 1e-9),
        };
        let own = self.optional(seed.as_ref(), 0.0, names)?;
        let mut generator = Generator::new(self.seed, stream ^ own.to_bits().rotate_left(17));
        // Cells of the spacing: only neighbours can be too near.
        let cell = |p: DVec3| {
            let of = |x: f64| if spacing > 0.0 { (x / spacing).floor() as i64 } else { 0 };
            [of(p.x), of(p.y), of(p.z)]
        };
        let mut taken: BTreeMap<[i64; 3], Vec<DVec3>> = BTreeMap::new();
        let mut placings = Vec::with_capacity(wanted);
        for i in 0..wanted {
            let mut tries = 0;
            let free = (0..TRIES).map(|_| region.throw(&mut generator)).find(|&p| {
                tries += 1;
                let [x, y, z] = cell(p);
                let near = |by: [i64; 3]| {
                    // Cells at the end of all numbers hold what lies beyond.
                    let cell = [x.saturating_add(by[0]), y.saturating_add(by[1]), z.saturating_add(by[2])];
                    taken.get(&cell).into_iter().flatten()
                };
                spacing == 0.0 || !around(self.dimension).any(|by| near(by).any(|q| q.distance(p) < spacing))
            });
            // A try looks at what stands around it.
            self.budget.spend(Cost::Turns, 4 * tries, || count.span())?;
            let Some(offset) = free else {
                return Err(Diagnostic::at(count.span(), format!("there is no room for body {i} of {wanted}"))
                    .label(format!("{TRIES} places were tried"))
                    .help("make the region larger, the spacing smaller, or use a grid"));
            };
            taken.entry(cell(offset)).or_default().push(offset);
            placings.push(Placing::simple(offset, 0.0, i));
        }
        Ok(placings)
    }
}

/// The steps to a cell itself and to those around it.
fn around(dimension: Dimension) -> impl Iterator<Item = [i64; 3]> {
    let one = || -1..=1_i64;
    let deep = if dimension == Dimension::Plane { 0..=0 } else { one() };
    one().flat_map(move |x| {
        let deep = deep.clone();
        one().flat_map(move |y| deep.clone().map(move |z| [x, y, z]))
    })
}

enum Region {
    Box(DVec3, Dimension),
    Disc(f64),
    Ball(f64),
}

impl Region {
    /// A point of the region, each as likely as any other.
    fn throw(&self, generator: &mut Generator) -> DVec3 {
        match self {
            Region::Box(size, dimension) => {
                let mut share = || generator.share() - 0.5;
                let (x, y) = (share(), share());
                let z = match dimension {
                    Dimension::Plane => 0.0,
                    Dimension::Space => share(),
                };
                DVec3::new(x, y, z) * *size
            }
            Region::Disc(radius) => loop {
                let p = DVec2::new(2.0 * generator.share() - 1.0, 2.0 * generator.share() - 1.0);
                if p.length_squared() <= 1.0 {
                    return (p * *radius).extend(0.0);
                }
            },
            Region::Ball(radius) => loop {
                let mut side = || 2.0 * generator.share() - 1.0;
                let p = DVec3::new(side(), side(), side());
                if p.length_squared() <= 1.0 {
                    return p * *radius;
                }
            },
        }
    }
}
