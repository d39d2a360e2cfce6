//! Actions: at a time, every so often, over a time, or when a condition comes true; rays and forecasts.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::expression::Own;
use crate::file::{ActionTable, Placed, SceneFile};
use crate::rules::{Probe, Question, Trigger};
use crate::state::{state_names, state_values};
use ironspin_model::{Action, Body, BodyKind, BodyState, DVec3, Effect, FEATURES, Pose, World};

/// What the actions of a scene come to.
#[derive(Default)]
pub(super) struct Script {
    pub(super) effects: Vec<Action>,
    pub(super) triggers: Vec<Trigger>,
    pub(super) probes: Vec<Probe>,
}

/// What an action does each time it comes, and what it asks.
#[derive(Default)]
struct EachTime {
    effects: Vec<(usize, Effect)>,
    questions: Vec<Question>,
}

/// Whether an effect acts over a time and not at once.
fn is_lasting(effect: &Effect) -> bool {
    matches!(effect, Effect::Force { .. } | Effect::Torque(_))
}

impl Resolver {
    pub(super) fn actions(&self, tables: &[ActionTable], bodies: &[Body]) -> Result<Script, Diagnostic> {
        let mut script = Script::default();
        for (number, table) in tables.iter().enumerate() {
            self.action((number, table), bodies, &mut script)?;
        }
        Ok(script)
    }

    fn action(
        &self,
        (number, table): (usize, &ActionTable),
        bodies: &[Body],
        script: &mut Script,
    ) -> Result<(), Diagnostic> {
        let place = place_of(table);
        let for_time = table
            .for_time
            .as_ref()
            .map(|time| self.positive(time, "`for_time`", &self.names))
            .transpose()?
            .unwrap_or(0.0);
        if let Some(number) = &table.for_time
            && table.force.is_none()
            && table.torque.is_none()
        {
            return Err(Diagnostic::at(number.span(), "`for_time` goes with `force` and `torque`"));
        }
        if let Some(condition) = &table.when {
            return self.when((number, table), condition, for_time, bodies, script);
        }
        let Some(at_time) = &table.at_time else {
            return Err(Diagnostic::at(place, "an action needs `at_time` or `when`").label("in this action"));
        };
        let first = self.not_negative(at_time, "the time of an action", &self.names)?;
        if first > self.duration {
            return Err(Diagnostic::at(at_time.span(), "the action comes after the end of the trial")
                .label(format!("{first} s, of {} s", self.duration)));
        }
        let turn = self.each_time((number, table), bodies)?;
        let times = self.times(table, first)?;
        let lasting = (for_time / self.dt - 1e-9).ceil().max(1.0);
        let count = |effect: &Effect| if is_lasting(effect) { lasting } else { 1.0 };
        let effects: f64 = turn.effects.iter().map(|(_, effect)| count(effect)).sum();
        let all = (effects + turn.questions.len() as f64) * times.len() as f64;
        self.budget.spend(Cost::Actions, all.min(1e15) as usize, || place)?;
        let named: usize = turn.questions.iter().map(Question::named).sum();
        self.budget.spend(Cost::Named, named.saturating_mul(times.len()), || place_of(table))?;
        for at_time in times {
            script.probes.extend(turn.questions.iter().map(|question| Probe { at_time, question: question.clone() }));
            for (body, effect) in &turn.effects {
                script.effects.extend((0..count(effect) as u64).map(|step| Action {
                    at_time: at_time + step as f64 * self.dt,
                    body: *body,
                    effect: effect.clone(),
                }));
            }
        }
        Ok(())
    }

    /// All times of an action.
    fn times(&self, table: &ActionTable, first: f64) -> Result<Vec<f64>, Diagnostic> {
        let Some(every) = &table.every else {
            return match &table.until {
                Some(until) => Err(Diagnostic::at(until.span(), "`until` goes with `every`")),
                None => Ok(vec![first]),
            };
        };
        let period = self.positive(every, "`every`", &self.names)?;
        let last = table.until.as_ref().map_or(Ok(self.duration), |until| self.value(until))?.min(self.duration);
        let count = ((last - first) / period * (1.0 + 1e-12)).floor();
        self.budget.spend(Cost::Actions, count.clamp(0.0, 1e15) as usize, || every.span())?;
        Ok((0..=count.max(0.0) as u64).map(|k| first + period * k as f64).collect())
    }

    /// What an action does each time it comes: the same every time, since it is worked out for the bodies as they are built.
    fn each_time(&self, (number, table): (usize, &ActionTable), bodies: &[Body]) -> Result<EachTime, Diagnostic> {
        let mut turn = EachTime::default();
        if let Some(gravity) = &table.gravity {
            turn.effects.push((0, Effect::Gravity(self.placed_vector(gravity, &self.names)?)));
        }
        if let Some(ray) = &table.ray {
            let (from, to) = (self.placed_vector(&ray.from, &self.names)?, self.placed_vector(&ray.to, &self.names)?);
            if from == to {
                return Err(Diagnostic::at(ray.to.span(), "the ray ends where it begins").label("has no length"));
            }
            turn.questions.push(Question::Ray { from, to });
        }
        let on = match &table.on {
            Some(on) => self.targets(on, bodies, &self.names)?,
            None => Vec::new(),
        };
        if let Some(forecast) = &table.forecast {
            let horizon = self.positive(&forecast.horizon, "the horizon", &self.names)?;
            let meant =
                |&id: &usize| if id < bodies.len() { id..id + 1 } else { self.softs[id - bodies.len()].nodes.clone() };
            let of: Vec<usize> = if on.is_empty() { moving(bodies) } else { on.iter().flat_map(meant).collect() };
            turn.questions.push(Question::Forecast { of, horizon });
        }
        for &body in &on {
            turn.effects.extend(self.effects(table, body, bodies)?.into_iter().map(|effect| (body, effect)));
        }
        turn.effects.extend(self.taken.get(&number).into_iter().flatten().cloned());
        if turn.effects.is_empty() && turn.questions.is_empty() {
            let diagnostic = Diagnostic::at(place_of(table), "this action does nothing");
            return Err(if table.on.is_none() && wants_bodies(table) {
                diagnostic.label("on which bodies?").help("add a line on = \"...\"")
            } else {
                diagnostic.help("give it one of impulse, force, torque, velocity, spin, place, move_by, hold, remove, add, split, take_cells, gravity, ray, forecast")
            });
        }
        Ok(turn)
    }

    fn when(
        &self,
        (number, table): (usize, &ActionTable),
        condition: &Placed<String>,
        for_time: f64,
        bodies: &[Body],
        script: &mut Script,
    ) -> Result<(), Diagnostic> {
        if let Some(other) = [&table.at_time, &table.every, &table.until].into_iter().flatten().next() {
            return Err(Diagnostic::at(other.span(), "an action comes either at a time or `when` a condition holds")
                .label("both"));
        }
        if table.ray.is_some() || table.forecast.is_some() || table.gravity.is_some() {
            return Err(Diagnostic::at(
                condition.span(),
                "rays, forecasts and gravity come at a time, not on a condition",
            ));
        }
        let Some(on) = &table.on else {
            return Err(Diagnostic::at(condition.span(), "a condition is about a body").help("add a line on = \"...\""));
        };
        let waiting = self.selected(on, bodies, &self.names)?;
        // Each takes the room of several actions.
        self.budget.spend(Cost::Actions, 4 * waiting.len(), || on.span())?;
        let condition_measure = self.compiled(condition, &self.names, Own::State)?.into_measure();
        for body in waiting {
            let mut effects = self.effects(table, body, bodies)?;
            let taken = self.taken.get(&number).into_iter().flatten().filter(|(of, _)| *of == body);
            effects.extend(taken.map(|(_, effect)| effect.clone()));
            if effects.is_empty() {
                return Err(Diagnostic::at(condition.span(), "this action does nothing").label("when this holds"));
            }
            // Counted in whole steps, as a force at a time is.
            let steps = if for_time > 0.0 { (for_time / self.dt - 1e-9).ceil().max(1.0) - 1.0 } else { 0.0 };
            script.triggers.push(Trigger {
                body,
                condition: condition_measure.clone(),
                effects,
                further_steps: steps as u64,
            });
        }
        Ok(())
    }

    /// What an action does to a body.
    fn effects(&self, table: &ActionTable, id: usize, bodies: &[Body]) -> Result<Vec<Effect>, Diagnostic> {
        let whole;
        let body = match bodies.get(id) {
            Some(body) => body,
            None => {
                whole = self.as_one(id - bodies.len(), bodies);
                &whole
            }
        };
        let is_soft = id >= bodies.len() || self.softs.first().is_some_and(|soft| id >= soft.nodes.start);
        let mut names = self.names.clone();
        let values = state_values(self.dimension, &as_built(body), 0.0);
        let own = state_names(self.dimension).iter().copied().zip(values);
        for (name, value) in std::iter::once(("mass", body.mass)).chain(own) {
            if !names.has(name) && name != "t" && name != "speed" {
                names = names.with(name, value);
            }
        }
        let names = &names;
        let point = table.point.as_ref().map(|point| self.placed_vector(point, names)).transpose()?;
        if let (Some(point), None, None) = (&table.point, &table.impulse, &table.force) {
            return Err(Diagnostic::at(point.span(), "`point` goes with `impulse` and `force`"));
        }
        let mut effects = Vec::new();
        if let Some(impulse) = &table.impulse {
            effects.push(Effect::Impulse { impulse: self.placed_vector(impulse, names)?, point });
        }
        if let Some(force) = &table.force {
            effects.push(Effect::Force { force: self.placed_vector(force, names)?, point });
        }
        if let Some(torque) = &table.torque {
            effects.push(Effect::Torque(self.axial(torque, "a torque", names)?));
        }
        if let Some(velocity) = &table.velocity {
            effects.push(Effect::Velocity(self.placed_vector(velocity, names)?));
        }
        if let Some(spin) = &table.spin {
            effects.push(Effect::Spin(self.axial(spin, "a spin", names)?));
        }
        if let Some(place) = &table.place {
            let at = self.placed_vector(&place.at, names)?;
            let pose = self.pose(at, place.angle.as_ref(), place.turn.as_ref(), id as u64, names)?;
            // It keeps its turn where none is given.
            let turned = place.angle.is_some() || place.turn.is_some();
            effects.push(Effect::Place(if turned { pose } else { Pose { position: at, ..body.pose } }));
        }
        if let Some(way) = &table.move_by {
            effects.push(Effect::Shift(self.placed_vector(way, names)?));
        }
        if let Some(hold) = table.hold {
            effects.push(Effect::Hold(hold));
        }
        if let Some(unfit) = effects.iter().find(|effect| !fits(effect, is_soft, id >= bodies.len())) {
            let (word, name) = (unfit.body_word().unwrap_or(""), &body.name);
            let what = if is_soft { "soft" } else { "rigid" };
            return Err(Diagnostic::at(
                place_of(table),
                format!("`{word}` means nothing for `{name}`, which is {what}"),
            )
            .label(if is_soft {
                "points do not turn; a whole is moved by `move_by`"
            } else {
                "for nodes and soft bodies"
            }));
        }
        if table.remove {
            effects.push(Effect::Remove);
        }
        if table.add {
            if !body.absent {
                return Err(Diagnostic::at(place_of(table), format!("`{}` is there already", body.name))
                    .label("cannot be added")
                    .help("give the body absent = true"));
            }
            effects.push(Effect::Add);
        }
        if let Some(into) = &table.split {
            if is_soft {
                return Err(Diagnostic::at(
                    into.span(),
                    format!("`{}` is soft, and soft bodies are not split", body.name),
                ));
            }
            let pieces = self.selected(into, bodies, names)?;
            if let Some(&piece) = pieces.iter().find(|&&piece| !bodies[piece].absent || piece == id) {
                return Err(Diagnostic::at(into.span(), format!("`{}` is there already", bodies[piece].name))
                    .label("pieces come in only now")
                    .help("give the pieces absent = true, at their places in the frame of the whole"));
            }
            effects.push(Effect::Split(pieces));
        }
        let pushes =
            |effect: &Effect| matches!(effect, Effect::Impulse { .. } | Effect::Force { .. } | Effect::Torque(_));
        if body.kind != BodyKind::Dynamic && effects.iter().any(pushes) {
            return Err(Diagnostic::at(place_of(table), format!("nothing pushes `{}`: it is not dynamic", body.name)));
        }
        if table.hold.is_some() && body.kind != BodyKind::Dynamic {
            return Err(Diagnostic::at(place_of(table), format!("`{}` has no mass and is held for good", body.name)));
        }
        let moves = |effect: &Effect| matches!(effect, Effect::Velocity(_) | Effect::Spin(_));
        if body.kind == BodyKind::Static && effects.iter().any(moves) {
            return Err(Diagnostic::at(
                place_of(table),
                format!("`{}` is static and cannot have a velocity", body.name),
            ));
        }
        Ok(effects)
    }

    /// A soft body as a whole, as expressions of an action on it see it: its mass, its centre and mean velocity.
    fn as_one(&self, soft: usize, bodies: &[Body]) -> Body {
        let soft = &self.softs[soft];
        let nodes = &bodies[soft.nodes.clone()];
        let mass: f64 = nodes.iter().map(|node| node.mass).sum();
        let mean = |of: &dyn Fn(&Body) -> DVec3| {
            let sum: DVec3 = nodes.iter().map(|node| node.mass * of(node)).sum();
            if mass > 0.0 { sum / mass } else { of(&nodes[0]) }
        };
        Body {
            kind: if mass > 0.0 { BodyKind::Dynamic } else { BodyKind::Static },
            pose: Pose::planar(mean(&|node| node.pose.position), 0.0),
            velocity: mean(&|node| node.velocity),
            mass,
            absent: nodes[0].absent,
            ..Body::plain(soft.name.clone())
        }
    }

    /// Features an engine must have: those named, and those the scene plainly uses.
    pub(super) fn features(
        &self,
        file: &SceneFile,
        world: &World,
        probes: &[Probe],
    ) -> Result<Vec<String>, Diagnostic> {
        let mut features = Vec::new();
        for named in file.engine.iter().flat_map(|engine| &engine.needs) {
            if !FEATURES.contains(&named.get_ref().as_str()) {
                return Err(Diagnostic::at(named.span(), format!("there is no feature called `{}`", named.get_ref()))
                    .label("unknown feature")
                    .help_names(named.get_ref(), FEATURES));
            }
            features.push(named.get_ref().clone());
        }
        let mut uses = |feature: &str, used: bool| {
            if used {
                features.push(feature.to_owned());
            }
        };
        uses("sensor", world.bodies.iter().any(|body| body.parts.iter().any(|part| part.sensor)));
        let filtered = |body: &Body| body.layers != 1 || body.collision_mask != u32::MAX;
        uses("filter", !world.excluded_pairs.is_empty() || world.bodies.iter().any(filtered));
        uses("kinematic", world.bodies.iter().any(|body| body.kind == BodyKind::Kinematic));
        uses("body_gravity", world.bodies.iter().any(|body| body.gravity_factor != 1.0));
        uses("soft", !world.softs.is_empty());
        uses("ray", probes.iter().any(|probe| matches!(probe.question, Question::Ray { .. })));
        uses("restore", probes.iter().any(|probe| matches!(probe.question, Question::Forecast { .. })));
        for joint in &world.joints {
            uses(joint.kind.feature(), true);
        }
        features.sort_unstable();
        features.dedup();
        Ok(features)
    }
}

/// Whether an action means something for a rigid body, for a node, or for a soft body as a whole.
fn fits(effect: &Effect, is_soft: bool, is_whole: bool) -> bool {
    match effect {
        _ if effect.is_for_rigid_bodies() => !is_soft,
        Effect::Shift(_) | Effect::Hold(_) => is_soft,
        Effect::Place(_) => !is_whole,
        _ => true,
    }
}

/// The state that a body has as it is built.
fn as_built(body: &Body) -> BodyState {
    BodyState { pose: body.pose, velocity: body.velocity, spin: body.spin }
}

/// All bodies that can be pushed.
fn moving(bodies: &[Body]) -> Vec<usize> {
    (0..bodies.len()).filter(|&id| bodies[id].kind == BodyKind::Dynamic).collect()
}

fn wants_bodies(table: &ActionTable) -> bool {
    table.impulse.is_some()
        || table.force.is_some()
        || table.torque.is_some()
        || table.velocity.is_some()
        || table.spin.is_some()
        || table.place.is_some()
        || table.move_by.is_some()
        || table.hold.is_some()
        || table.remove
        || table.add
        || table.split.is_some()
        || table.take_cells.is_some()
}

/// Where an action stands: its body, its time, or the first thing it says.
fn place_of(table: &ActionTable) -> std::ops::Range<usize> {
    table
        .on
        .as_ref()
        .map(Placed::span)
        .or_else(|| table.at_time.as_ref().map(crate::number::Number::span))
        .or_else(|| table.gravity.as_ref().map(Placed::span))
        .or_else(|| table.impulse.as_ref().map(Placed::span))
        .unwrap_or(0..0)
}
