//! Expressions over the states of bodies, worked out for many moments: measures, conditions, forces.

use super::own::{INERTIA, MASS, OWN_SIZE, Partner, Source, WAY};
use super::reference::{Field, PointField, Target, Who};
use super::tree::{Member, Members, Scope, Tree};
use crate::state::{STATE_SIZE, state_names, state_values};
use ironspin_model::{BodyState, Dimension, Measure, Moment};
use std::sync::Arc;

/// An expression that was read and whose names are known.
#[derive(Clone, Debug)]
pub(crate) struct Compiled {
    pub(super) text: String,
    pub(super) tree: Arc<Tree>,
    pub(super) sources: Vec<Source>,
    pub(super) lists: Vec<Option<Arc<[f64]>>>,
    pub(super) targets: Vec<Target>,
    pub(super) traits: Arc<[[f64; 2]]>,
    pub(super) dimension: Dimension,
    pub(super) seed: u64,
    pub(super) gathers: bool,
    pub(super) is_whole: bool,
    pub(super) is_truth: bool,
}

impl Compiled {
    /// The text, with values for all names that are known.
    pub(crate) fn text(&self) -> &str {
        &self.text
    }

    /// Whether it depends on nothing but where the body and its partner are.
    pub(crate) fn is_of_places_alone(&self) -> bool {
        let time = |source: &Source| matches!(source, Source::Own(place) if is_time(self.dimension, *place));
        !self.follows_velocity()
            && !self.sources.iter().any(time)
            && !self.targets.iter().any(|target| matches!(target.who, Who::Id(_)))
    }

    /// Whether it depends on a velocity or a spin.
    pub(crate) fn follows_velocity(&self) -> bool {
        let names = state_names(self.dimension);
        let moves = |place: usize| {
            names
                .get(place)
                .is_some_and(|name| name.starts_with('v') || name.starts_with('w') || ["speed", "spin"].contains(name))
        };
        self.sources.iter().any(|source| matches!(source, Source::Own(place) if moves(*place)))
            || self.targets.iter().any(|target| match target.field {
                Field::State(place) => moves(place),
                Field::Point(_, field) => !matches!(field, PointField::Place(_)),
                Field::Known(_) => false,
            })
    }

    /// Whether it is true or false.
    pub(crate) fn is_truth(&self) -> bool {
        self.is_truth
    }

    /// Its value at a moment; not a number where it has none.
    pub(crate) fn value(&self, moment: &Moment<'_>) -> f64 {
        self.value_for(moment, None, None, &mut Member::default())
    }

    /// Its value for a body in another state than it has at the moment, and with a partner; `own` is there for its memory.
    pub(crate) fn value_for(
        &self,
        moment: &Moment<'_>,
        state: Option<&BodyState>,
        partner: Option<Partner>,
        own: &mut Member,
    ) -> f64 {
        self.fill(moment, moment.body, state, partner, own);
        let gathered = Gathered { compiled: self, moment, partner };
        let scope = Scope {
            names: &own.names,
            lists: &self.lists,
            references: &own.references,
            members: self.gathers.then_some(&gathered),
            seed: self.seed,
        };
        self.tree.value(&scope).ok().filter(|value| value.is_finite()).unwrap_or(f64::NAN)
    }

    /// The values of names and references for a body.
    fn fill(
        &self,
        moment: &Moment<'_>,
        body: usize,
        state: Option<&BodyState>,
        partner: Option<Partner>,
        member: &mut Member,
    ) {
        let absent = BodyState::absent();
        let state = state.or_else(|| moment.bodies.get(body)).unwrap_or(&absent);
        let mut own = [f64::NAN; OWN_SIZE];
        own[..STATE_SIZE].copy_from_slice(&state_values(self.dimension, state, moment.time));
        if let Some(traits) = self.traits.get(body) {
            own[MASS..=INERTIA].copy_from_slice(traits);
        }
        if let Some(Partner { way, .. }) = partner {
            own[WAY..].copy_from_slice(&[way.x, way.y, way.z, way.length()]);
        }
        member.names.clear();
        member.names.extend(self.sources.iter().map(|source| match source {
            Source::Own(place) => Some(own[*place]),
            Source::Known(value) => *value,
        }));
        let pick = |state: &BodyState, place: usize| state_values(self.dimension, state, moment.time)[place];
        member.references.clear();
        member.references.extend(self.targets.iter().map(|target| match (target.who, target.field) {
            (Who::Partner, Field::State(place @ (MASS | INERTIA))) => {
                partner.and_then(|partner| self.traits.get(partner.id)).map_or(f64::NAN, |t| t[place - MASS])
            }
            (Who::Own, Field::State(place @ (MASS | INERTIA))) => own[place],
            _ => target.value(moment, body, partner.map(|partner| partner.id), pick),
        }));
    }

    /// As a measure.
    pub(crate) fn into_measure(self) -> Measure {
        let (text, is_whole) = (self.text.clone(), self.is_whole);
        let named = |target: &Target| if let Who::Id(id) = target.who { Some(id) } else { None };
        let others: Vec<usize> = self.targets.iter().filter_map(named).collect();
        let own = |target: &Target| matches!(target.who, Who::Own);
        let is_alone = !self.gathers && self.targets.iter().all(own);
        let measure = Measure::of_moment(text, move |moment| self.value(moment)).speaking_of(&others);
        let measure = if is_alone { measure.of_one_alone() } else { measure };
        if is_whole { measure.of_the_whole() } else { measure }
    }
}

/// Whether it is the time that stands there among what is told of a state.
pub(super) fn is_time(dimension: Dimension, place: usize) -> bool {
    state_names(dimension).get(place) == Some(&"t")
}

/// All that are measured at a moment.
struct Gathered<'a> {
    compiled: &'a Compiled,
    moment: &'a Moment<'a>,
    partner: Option<Partner>,
}

impl Members for Gathered<'_> {
    fn count(&self) -> usize {
        self.moment.of.len()
    }

    fn fill(&self, number: usize, member: &mut Member) -> bool {
        let id = self.moment.of[number];
        let there = self.moment.bodies.get(id).is_some_and(|state| !state.is_absent());
        if there {
            self.compiled.fill(self.moment, id, None, self.partner, member);
        }
        there
    }
}
