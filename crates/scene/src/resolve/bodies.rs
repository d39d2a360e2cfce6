//! Bodies: templates, loops, patterns, places.

use super::cells::Cells;
use super::parts::SANE_LIMIT;
use super::patterns::Placing;
use super::{Resolver, parameters::is_identifier};
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::file::{BodyTable, KindWord, Ordered, Placed, SoftTable};
use crate::names::Names;
use crate::number::Number;
use crate::select::split;
use ironspin_model::{Action, Body, BodyKind, DQuat, DVec3, Dimension, Material, Pose};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// Most layers a scene may have: the bits of a mask.
const LAYER_LIMIT: usize = 32;

/// All bodies, and what makes some of them move.
#[derive(Default)]
pub(super) struct Built {
    pub(super) bodies: Vec<Body>,
    /// Velocities over time of kinematic bodies.
    pub(super) effects: Vec<Action>,
    /// Where the table of each body stands.
    pub(super) places: Vec<Range<usize>>,
    /// The cells of those that have some.
    pub(super) cells: BTreeMap<usize, Cells>,
}

impl Resolver {
    pub(super) fn bodies(
        &mut self,
        tables: &[BodyTable],
        softs: &[SoftTable],
        templates: &[&(Placed<String>, BodyTable)],
        materials: &[Material],
    ) -> Result<Built, Diagnostic> {
        let templates: BTreeMap<&str, &BodyTable> =
            templates.iter().map(|(name, template)| (name.get_ref().as_str(), template)).collect();
        let tables = tables.iter().map(|table| with_template(table, &templates)).collect::<Result<Vec<_>, _>>()?;
        let layers = tables.iter().filter_map(|table| table.layers.as_ref());
        self.note_layers(layers.chain(softs.iter().filter_map(|table| table.layers.as_ref())))?;
        let mut built = Built::default();
        let mut known = BTreeSet::new();
        for (number, table) in tables.iter().enumerate() {
            let Some(name) = &table.name else {
                return Err(Diagnostic::nowhere("a [[body]] has no name").help("add a line name = \"...\""));
            };
            if !is_body_name(name.get_ref()) {
                return Err(Diagnostic::at(name.span(), format!("`{}` is no name for a body", name.get_ref()))
                    .help("use letters, digits, - and _; indices come from `repeat` and `place`"));
            }
            if !known.insert(name.get_ref()) {
                return Err(Diagnostic::at(
                    name.span(),
                    format!("two [[body]] tables are called `{}`", name.get_ref()),
                )
                .label("second of this name"));
            }
            let loops = table.repeat.clone().unwrap_or_default();
            let mut names = self.names.clone();
            self.repeat(&loops, &mut names, name.get_ref().clone(), &mut |names, full_name| {
                self.pattern(table, number as u64, materials, names, full_name, &mut built)
            })?;
        }
        Ok(built)
    }

    /// Runs nested loops, outermost first, adding each counter to the names and to the body's name.
    pub(super) fn repeat(
        &self,
        loops: &Ordered<Number>,
        names: &mut Names,
        name: String,
        each: &mut dyn FnMut(&mut Names, String) -> Result<(), Diagnostic>,
    ) -> Result<(), Diagnostic> {
        self.repeat_from(&loops.0, names, name, each)
    }

    fn repeat_from(
        &self,
        loops: &[(Placed<String>, Number)],
        names: &mut Names,
        name: String,
        each: &mut dyn FnMut(&mut Names, String) -> Result<(), Diagnostic>,
    ) -> Result<(), Diagnostic> {
        let Some(((counter, count), inner)) = loops.split_first() else {
            return each(names, name);
        };
        self.check_counter(counter, names)?;
        let times = self.evaluator.value(count, names)?;
        if times < 0.0 || times.fract() != 0.0 {
            return Err(Diagnostic::at(count.span(), format!("a loop cannot run {times} times"))
                .label("expected a whole number from 0"));
        }
        if times > self.body_limit as f64 {
            return Err(self.too_many(count.span()).label(format!("is {times}")));
        }
        let mut inside = names.with(counter.get_ref(), 0.0);
        for turn in 0..times as usize {
            self.budget.spend(Cost::Turns, 1, || counter.span())?;
            inside.set(counter.get_ref(), turn as f64);
            self.repeat_from(inner, &mut inside, format!("{name}[{turn}]"), each)?;
        }
        Ok(())
    }

    /// A counter of a loop must be a name of its own.
    pub(super) fn check_counter(&self, counter: &Placed<String>, names: &Names) -> Result<(), Diagnostic> {
        let name = counter.get_ref();
        if is_identifier(name) && !names.has(name) && names.list(name).is_none() {
            return Ok(());
        }
        Err(Diagnostic::at(counter.span(), format!("a loop counter cannot be called `{name}`"))
            .label("taken, or not a name")
            .help("use another name, such as i, j, row or column"))
    }

    /// The bodies of a table at one turn of its loops: one, or those of its pattern.
    fn pattern(
        &self,
        table: &BodyTable,
        stream: u64,
        materials: &[Material],
        names: &mut Names,
        name: String,
        built: &mut Built,
    ) -> Result<(), Diagnostic> {
        let Some(place) = &table.place else {
            let placing = Placing::at(DVec3::ZERO, [0; 3]);
            return self.add_body(table, materials, names, name, &placing, built);
        };
        let counters = place.get_ref().counters(self.dimension);
        let mut inside = names.clone();
        for counter in counters {
            if inside.has(counter) {
                return Err(Diagnostic::at(
                    place.span(),
                    format!("the pattern counts by `{counter}`, and that name is taken"),
                )
                .label("rename the loop counter or parameter"));
            }
            inside = inside.with(counter, 0.0);
        }
        let at = self.optional_vector(table.at.as_ref(), &inside)?;
        let reach = self
            .parts(table, materials, &inside)?
            .iter()
            .map(|p| p.pose.position.length() + p.shape.reach())
            .fold(0.0, f64::max);
        let placings = self.placings(place, at, reach, stream, &inside)?;
        self.budget.spend(Cost::Turns, placings.len(), || place.span())?;
        for placing in placings {
            let mut full_name = name.clone();
            for (counter, &value) in counters.iter().zip(&placing.counters) {
                inside.set(counter, value as f64);
                full_name = format!("{full_name}[{value}]");
            }
            self.add_body(table, materials, &inside, full_name, &placing, built)?;
        }
        Ok(())
    }

    fn add_body(
        &self,
        table: &BodyTable,
        materials: &[Material],
        names: &Names,
        name: String,
        placing: &Placing,
        built: &mut Built,
    ) -> Result<(), Diagnostic> {
        if let Some(condition) = &table.only_if
            && self.evaluator.value(condition, names)? == 0.0
        {
            return Ok(());
        }
        let span = table.name.as_ref().map_or(0..0, Placed::span);
        if built.bodies.len() >= self.body_limit {
            return Err(self.too_many(span));
        }
        let id = built.bodies.len();
        let mut body = self.body(table, materials, names, name, placing, id)?;
        match (&table.motion, body.kind) {
            (None, _) => {}
            (Some(motion), BodyKind::Kinematic) => self.drive(motion, id, &mut body, names, &mut built.effects)?,
            (Some(motion), _) => {
                return Err(Diagnostic::at(motion.span(), "only a kinematic body follows a scripted motion")
                    .help("add kind = \"kinematic\""));
            }
        }
        built.bodies.push(body);
        built.places.push(span);
        if let Some(cells) = &table.cells {
            built.cells.insert(id, self.cells(table, cells, names)?);
        }
        Ok(())
    }

    fn body(
        &self,
        table: &BodyTable,
        materials: &[Material],
        names: &Names,
        name: String,
        placing: &Placing,
        id: usize,
    ) -> Result<Body, Diagnostic> {
        let Some(at) = &table.at else {
            let span = table.name.as_ref().map_or(0..0, Placed::span);
            return Err(Diagnostic::at(span, "the key `at` is missing").label("where does it stand?").help(match self
                .dimension
            {
                Dimension::Plane => "add a line at = [x, y]",
                Dimension::Space => "add a line at = [x, y, z]",
            }));
        };
        let optional = |number: &Option<Number>, default: f64| self.optional(number.as_ref(), default, names);
        let damping = |number: &Option<Number>, what: &str| {
            number.as_ref().map_or(Ok(0.0), |number| self.not_negative(number, what, names))
        };
        let mut body = Body {
            kind: match table.kind.unwrap_or_default() {
                KindWord::Static => BodyKind::Static,
                KindWord::Kinematic => BodyKind::Kinematic,
                KindWord::Dynamic => BodyKind::Dynamic,
            },
            pose: self.body_pose(table, at, placing, id, names)?,
            velocity: self.optional_vector(table.velocity.as_ref(), names)?,
            spin: table.spin.as_ref().map_or(Ok(DVec3::ZERO), |spin| self.axial(spin, "a spin", names))?,
            gravity_factor: optional(&table.gravity_factor, 1.0)?,
            linear_damping: damping(&table.damping, "a damping")?,
            angular_damping: damping(&table.turn_damping, "a damping")?,
            fixed_turn: table.fixed_turn.unwrap_or(false),
            ccd: table.swept.unwrap_or(false),
            absent: table.absent.unwrap_or(false),
            layers: table.layers.as_ref().map_or(Ok(1), |layers| self.mask(layers))?,
            collision_mask: table.meets.as_ref().map_or(Ok(u32::MAX), |layers| self.mask(layers))?,
            parts: self.parts(table, materials, names)?,
            ..Body::plain(name)
        };
        if body.kind == BodyKind::Dynamic {
            self.give_mass(&mut body, table, materials, names)?;
        } else if body.kind == BodyKind::Static && (body.velocity != DVec3::ZERO || body.spin != DVec3::ZERO) {
            let span = table.velocity.as_ref().map_or(at.span(), Placed::span);
            return Err(Diagnostic::at(span, "a static body cannot have a velocity")
                .help("leave it out, or make the body dynamic or kinematic"));
        } else if body.kind == BodyKind::Kinematic && body.parts.iter().any(|part| part.shape.static_only()) {
            let what = match self.dimension {
                Dimension::Plane => "a half-plane or polyline",
                Dimension::Space => "a half-space",
            };
            return Err(Diagnostic::at(at.span(), format!("{what} cannot move")).help("add kind = \"static\""));
        }
        // Of its centre of mass, where it stands from now on.
        if body.pose.position.abs().max_element() > SANE_LIMIT {
            let far = format!("a body cannot start beyond {SANE_LIMIT:e} m");
            return Err(Diagnostic::at(at.span(), far).label("too far out"));
        }
        Ok(body)
    }

    /// Where a body stands, and how it is turned.
    fn body_pose(
        &self,
        table: &BodyTable,
        at: &Placed<Vec<Number>>,
        placing: &Placing,
        id: usize,
        names: &Names,
    ) -> Result<Pose, Diagnostic> {
        let position = self.placed_vector(at, names)? + placing.offset;
        // Bodies of a pattern that are turned at random are turned each in its own way.
        let mut pose = self.pose(position, table.angle.as_ref(), table.turn.as_ref(), id as u64, names)?;
        match self.dimension {
            Dimension::Plane => pose.turn_to(pose.angle + placing.turn),
            Dimension::Space if placing.rotation == DQuat::IDENTITY => {}
            Dimension::Space => pose.rotation = (placing.rotation * pose.rotation).normalize(),
        }
        Ok(pose)
    }

    /// Gives each layer its bit, in the order in which they are named.
    fn note_layers<'a>(&mut self, layers: impl Iterator<Item = &'a Vec<Placed<String>>>) -> Result<(), Diagnostic> {
        for layer in layers.flatten() {
            if !self.layers.contains(layer.get_ref()) {
                if self.layers.len() == LAYER_LIMIT {
                    return Err(Diagnostic::at(layer.span(), format!("a scene may have {LAYER_LIMIT} layers at most")));
                }
                self.layers.push(layer.get_ref().clone());
            }
        }
        Ok(())
    }

    pub(super) fn mask(&self, names: &[Placed<String>]) -> Result<u32, Diagnostic> {
        names.iter().try_fold(0, |mask, name| {
            let bit = self.layers.iter().position(|layer| layer == name.get_ref()).ok_or_else(|| {
                Diagnostic::at(name.span(), format!("no body is on the layer `{}`", name.get_ref()))
                    .label("unknown layer")
                    .help_names(name.get_ref(), self.layers.iter().map(String::as_str))
            })?;
            Ok(mask | 1 << bit)
        })
    }
}

/// Whether a body may be called so: letters, digits, - and _, and the indices of a resolved scene.
pub(super) fn is_body_name(name: &str) -> bool {
    let (base, indices) = split(name);
    !base.is_empty()
        && base.chars().all(|c| c.is_alphanumeric() || c == '-' || c == '_')
        && indices.iter().all(|index| index.parse::<usize>().is_ok_and(|n| n.to_string() == *index))
}

fn with_template(table: &BodyTable, templates: &BTreeMap<&str, &BodyTable>) -> Result<BodyTable, Diagnostic> {
    let Some(name) = &table.template else { return Ok(table.clone()) };
    let template = templates.get(name.get_ref().as_str()).ok_or_else(|| {
        Diagnostic::at(name.span(), format!("there is no template called `{}`", name.get_ref()))
            .label("unknown template")
            .help_names(name.get_ref(), templates.keys().copied())
    })?;
    if let Some(inner) = &template.template {
        return Err(Diagnostic::at(inner.span(), "a template cannot be made from another template"));
    }
    Ok(table.or(template))
}
