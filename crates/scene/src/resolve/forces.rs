//! Forces that follow the state: bodies, pairs, components.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::expression::{Compiled, Own};
use crate::file::{Amount, ForceTable};
use crate::forces::StateForce;
use crate::number::{Number, NumberText};
use crate::rules::{Probe, Question};
use ironspin_model::{BodyKind, Dimension, Window, World};
use std::collections::BTreeSet;

impl Resolver {
    pub(super) fn forces(
        &self,
        tables: &[ForceTable],
        world: &World,
        probes: &[Probe],
    ) -> Result<Vec<StateForce>, Diagnostic> {
        if let Some(first) = tables.first()
            && probes.iter().any(|probe| matches!(probe.question, Question::Forecast { .. }))
        {
            return Err(Diagnostic::at(first.on.span(), "a forecast knows no forces that follow the state")
                .label("beside a forecast")
                .help("they are worked out by the bench step by step, and a forecast is the engine's own"));
        }
        tables.iter().map(|table| self.force(table, world)).collect()
    }

    fn force(&self, table: &ForceTable, world: &World) -> Result<StateForce, Diagnostic> {
        let pairs = self.pairs_of(table, world)?;
        let own = if table.by.is_some() { Own::Pair } else { Own::State };
        let due = usize::from(world.dimension.number());
        let mut force = Vec::new();
        if let Some(list) = &table.force {
            if list.get_ref().len() != due {
                let form = if due == 2 { "[fx, fy]" } else { "[fx, fy, fz]" };
                return Err(Diagnostic::at(
                    list.span(),
                    format!("found {} numbers where the {form} of a force is expected", list.get_ref().len()),
                )
                .label(format!("expected {due} expressions")));
            }
            force = list.get_ref().iter().map(|part| self.component(part, own)).collect::<Result<_, _>>()?;
        }
        let torque = self.torque_of(table, own)?;
        if force.is_empty() && torque.is_empty() {
            return Err(Diagnostic::at(table.on.span(), "this force has neither `force` nor `torque`")
                .label("does nothing")
                .help("add a line force = [\"-k * x\", 0]"));
        }
        if let (Some(point), true) = (&table.point, force.is_empty()) {
            return Err(Diagnostic::at(point.span(), "`point` goes with `force`"));
        }
        let potential = table.potential.as_ref().map(|number| self.component(number, own)).transpose()?;
        let follows_velocity = force.iter().chain(&torque).any(Compiled::follows_velocity);
        if let (true, Some(number)) = (follows_velocity, &table.potential) {
            return Err(Diagnostic::at(number.span(), "a force that depends on a velocity has no potential")
                .label("leave it out")
                .help("give what has a potential and what has none as two [[force]] tables"));
        }
        if let (Some(number), Some(_)) = (&table.potential, &table.window) {
            return Err(Diagnostic::at(number.span(), "a force that acts for a time only has no potential")
                .label("beside a window")
                .help("leave out the potential or the window"));
        }
        let driven = |id: usize| world.bodies[id].kind == BodyKind::Kinematic;
        let keeps_energy = potential.as_ref().is_some_and(Compiled::is_of_places_alone)
            && !pairs.iter().any(|(_, partner)| partner.is_some_and(driven));
        let dynamic = |id: usize| world.bodies[id].kind == BodyKind::Dynamic && world.bodies[id].mass > 0.0;
        Ok(StateForce {
            answered: pairs.iter().map(|(_, partner)| partner.is_some_and(dynamic)).collect(),
            pairs,
            point: table.point.as_ref().map(|point| self.placed_vector(point, &self.names)).transpose()?,
            window: self.force_window(table)?,
            force,
            torque,
            potential,
            keeps_energy,
            follows_velocity,
        })
    }

    /// The bodies of a force with their partners; two that could each be the other's partner are one pair.
    fn pairs_of(&self, table: &ForceTable, world: &World) -> Result<Vec<(usize, Option<usize>)>, Diagnostic> {
        let mut on = self.selected(&table.on, &world.bodies, &self.names)?;
        if table.on.get_ref().trim() == "*" {
            on.retain(|&id| world.bodies[id].kind == BodyKind::Dynamic);
        }
        if let Some(&still) = on.iter().find(|&&id| world.bodies[id].kind != BodyKind::Dynamic) {
            return Err(Diagnostic::at(
                table.on.span(),
                format!("nothing pushes `{}`: it is not dynamic", world.bodies[still].name),
            )
            .label("not dynamic"));
        }
        let Some(by) = &table.by else {
            self.budget.spend(Cost::Pulls, on.len(), || table.on.span())?;
            return Ok(on.into_iter().map(|id| (id, None)).collect());
        };
        let mut partners = self.selected(by, &world.bodies, &self.names)?;
        if by.get_ref().trim() == "*" {
            partners.retain(|&id| world.bodies[id].kind == BodyKind::Dynamic);
        }
        self.budget.spend(Cost::Pulls, on.len().saturating_mul(partners.len()), || by.span())?;
        let (ons, bys): (BTreeSet<_>, BTreeSet<_>) = (on.iter().copied().collect(), partners.iter().copied().collect());
        let once = |a: usize, b: usize| !(bys.contains(&a) && ons.contains(&b)) || a < b;
        let mut pairs = Vec::new();
        for &a in &on {
            pairs.extend(partners.iter().filter(|&&b| a != b && once(a, b)).map(|&b| (a, Some(b))));
        }
        if pairs.is_empty() {
            return Err(Diagnostic::at(by.span(), "no body has a partner but itself").label("no pair"));
        }
        Ok(pairs)
    }

    fn component(&self, number: &Number, own: Own) -> Result<Compiled, Diagnostic> {
        let text = match number.text() {
            NumberText::Literal(_) => format!("{:?}", self.evaluator.value(number, &self.names)?),
            NumberText::Expression(text) => text.clone(),
        };
        let names = self.names.with("dt", self.dt);
        let compiled = self
            .evaluator
            .compile(&text, &names, own, &self.cast)
            .map_err(|diagnostic| Diagnostic { span: Some(number.span()), ..diagnostic })?;
        if compiled.is_truth() {
            return Err(Diagnostic::at(number.span(), format!("`{text}` is a truth value and no number"))
                .label("true or false")
                .help("make a number of it by if a < b { 1 } else { 0 }"));
        }
        self.evaluator.remark(&text, &number.span());
        Ok(compiled)
    }

    fn torque_of(&self, table: &ForceTable, own: Own) -> Result<Vec<Compiled>, Diagnostic> {
        let wrong = |span, what: &str| Err(Diagnostic::at(span, format!("a torque {what}")));
        match (&table.torque, self.dimension) {
            (None, _) => Ok(Vec::new()),
            (Some(Amount::One(number)), Dimension::Plane) => Ok(vec![self.component(number, own)?]),
            (Some(Amount::List(list)), Dimension::Space) if list.get_ref().len() == 3 => {
                list.get_ref().iter().map(|part| self.component(part, own)).collect()
            }
            (Some(Amount::One(number)), Dimension::Space) => wrong(number.span(), "of space has three numbers"),
            (Some(Amount::List(list)), Dimension::Plane) => wrong(list.span(), "of the plane is one number"),
            (Some(Amount::List(list)), Dimension::Space) => wrong(list.span(), "of space has three numbers"),
        }
    }

    fn force_window(&self, table: &ForceTable) -> Result<Window, Diagnostic> {
        let Some([from, to]) = &table.window else { return Ok(Window { from: 0.0, to: f64::INFINITY }) };
        let window = Window { from: self.value(from)?, to: self.value(to)? };
        if window.from >= 0.0 && window.to > window.from && window.from <= self.duration {
            return Ok(window);
        }
        Err(Diagnostic::at(
            from.span().start..to.span().end,
            "the window of a force must lie within the trial and end after it begins",
        )
        .label(format!("from {} to {} s, of {} s", window.from, window.to, self.duration)))
    }
}
