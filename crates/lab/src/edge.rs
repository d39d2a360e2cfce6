//! Edges: the value of a parameter or condition at which a claim starts to break, found by a scan and by halving what lies between two
//! values that turned out differently.

use crate::document::Tool;
use crate::grid::share_out;
use crate::order::{GridOrder, PlanError, plan_grid};
use crate::plan::TrialPlan;
use crate::trial::run_trial;
use ironspin_model::{Claim, Factor, Origin, Timestep, Verdict, nearest};
use ironspin_scene::SceneError;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::atomic::AtomicBool;
use std::sync::{Mutex, PoisonError};

/// Name and version of the form.
const FORMAT: &str = "ironspin.edge/1";
/// Most halvings of one gap.
const MOST_HALVINGS: usize = 200;
/// Neighbours of an edge that are looked at, in resolutions away from it.
const NEIGHBOURS: [f64; 3] = [1.5, 3.0, 6.0];

/// What is searched.
#[derive(Clone, Debug)]
pub struct EdgeOrder {
    /// The scene with everything that stays.
    pub grid: GridOrder,
    /// The parameter, or `dt`, `size`, `units` or `origin`.
    pub axis: String,
    /// Where the search begins and ends.
    pub range: [f64; 2],
    /// Name of a claim, of a gauge, or its first word; `any` for whatever claim.
    pub until: String,
    /// How closely the edge is to be known, as a share of its value.
    pub resolution: f64,
    /// Values of the first scan.
    pub scan: usize,
    /// Trials at a time; 0 for one a core.
    pub jobs: usize,
}

/// What came of one value.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tried {
    /// The value.
    pub value: f64,
    /// Seeds with which the claim broke.
    pub broken: usize,
    /// Seeds that were tried.
    pub of: usize,
    /// Why it broke, for the first seed with which it did.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub detail: String,
}

impl Tried {
    /// Whether the claim broke with any seed.
    pub fn breaks(&self) -> bool {
        self.broken > 0
    }
}

/// A place at which a claim starts or stops to hold.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Edge {
    /// The value nearer to the start of the range.
    pub before: f64,
    /// The value behind the edge.
    pub behind: f64,
    /// Whether the claim breaks behind it.
    pub breaks: bool,
    /// Neighbours that turned out otherwise than the edge says: where there are some, there are more edges than were found.
    pub against: Vec<f64>,
    /// Why it breaks there.
    pub detail: String,
}

/// What came of a search on one engine.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct EdgeRecord {
    /// Name of the scene.
    pub scene: String,
    /// The engine as it was named.
    pub engine: String,
    /// Everything else that was fixed, in words.
    pub conditions: String,
    /// The parameter or condition.
    pub axis: String,
    /// The claim.
    pub until: String,
    /// How closely the edges are known, as a share of their values; 0 for whole numbers.
    pub resolution: f64,
    /// Only whole numbers make sense.
    pub whole: bool,
    /// Everything that was tried, in the order of the values.
    pub tried: Vec<Tried>,
    /// The edges, from the start of the range on.
    pub edges: Vec<Edge>,
}

impl EdgeRecord {
    /// Whether there is at most one edge, and no neighbour says otherwise.
    pub fn is_clean(&self) -> bool {
        self.edges.len() <= 1 && self.edges.iter().all(|edge| edge.against.is_empty())
    }
}

/// Edges as they stand on disk.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct EdgeDocument {
    /// Name and version of the form.
    pub format: String,
    /// The program that wrote it.
    pub tool: Tool,
    /// One search an engine.
    pub searches: Vec<EdgeRecord>,
}

impl EdgeDocument {
    /// The document of some searches.
    pub fn of(searches: Vec<EdgeRecord>) -> Self {
        EdgeDocument { format: FORMAT.to_owned(), tool: Tool::this(), searches }
    }
}

struct Search<'a> {
    order: &'a EdgeOrder,
    grid: GridOrder,
    whole: bool,
    stop: &'a AtomicBool,
    tried: BTreeMap<u64, Tried>,
}

/// Finds the edges for every engine of the grid.
///
/// # Errors
/// For a scene, engine or parameter that is wrong, and for a claim that the scene does not make.
pub fn find_edges(
    order: &EdgeOrder,
    stop: &AtomicBool,
    heard: &(dyn Fn(&str, f64) + Sync),
) -> Result<Vec<EdgeRecord>, PlanError> {
    order.grid.engines.iter().map(|engine| on_engine(order, engine, stop, heard)).collect()
}

fn on_engine(
    order: &EdgeOrder,
    engine: &str,
    stop: &AtomicBool,
    heard: &(dyn Fn(&str, f64) + Sync),
) -> Result<EdgeRecord, PlanError> {
    let grid = GridOrder { engines: vec![engine.to_owned()], ..order.grid.clone() };
    let mut search = Search { order, whole: false, grid, stop, tried: BTreeMap::new() };
    let [from, to] = order.range;
    let ends = search.plans(from)?;
    search.plans(to)?;
    let claims = &ends[0].setup.claims;
    if !claims.iter().any(|claim| is_meant(claim, &order.until)) && order.until != "any" {
        let mut known: Vec<&str> =
            claims.iter().map(|claim| claim.name.as_str()).filter(|name| !name.is_empty()).collect();
        known.extend(claims.iter().map(|claim| claim.gauge.as_str()));
        known.dedup();
        let near = nearest(&order.until, known.iter().copied());
        let help = near.map_or_else(
            || format!("claims of this scene: {}; or any", known.join(", ")),
            |near| format!("did you mean `{near}`?"),
        );
        let message = format!("the scene claims nothing about `{}`", order.until);
        return Err(PlanError::Scene(SceneError::without_place(message, Some(help))));
    }
    // Some parameters are numbers of things, and nothing between two whole numbers can be built.
    let between = 0.5 * (from + to) + 0.25;
    search.whole = from.fract() == 0.0 && to.fract() == 0.0 && search.plans(between).is_err();
    let scanned = search.places();
    heard(engine, from);
    search.try_all(&scanned)?;
    let mut edges = Vec::new();
    for pair in scanned.windows(2) {
        edges.extend(search.halve(pair[0], pair[1], heard, engine)?);
    }
    for edge in &mut edges {
        search.look_around(edge)?;
    }
    let backwards = to < from;
    let mut tried: Vec<Tried> = search.tried.into_values().collect();
    tried.sort_by(|a, b| if backwards { b.value.total_cmp(&a.value) } else { a.value.total_cmp(&b.value) });
    let plan = &ends[0];
    let mut fixed: Vec<String> = vec![format!("dt {}", plan.conditions.dt.text)];
    fixed.extend(plan.conditions.unusual().into_iter().map(|(name, value)| format!("{name} {value}")));
    fixed.extend(order.grid.set.iter().map(|(name, values)| format!("{name}={}", values.join(","))));
    fixed.retain(|text| !text.starts_with(&format!("{} ", order.axis)) && !text.starts_with("seed "));
    Ok(EdgeRecord {
        scene: plan.setup.name.clone(),
        engine: engine.to_owned(),
        conditions: fixed.join(", "),
        axis: order.axis.clone(),
        until: order.until.clone(),
        resolution: if search.whole { 0.0 } else { order.resolution },
        whole: search.whole,
        tried,
        edges,
    })
}

/// Whether a claim is the one that was named, by its name, its gauge or the family of that, or one of a loop by the name of all.
fn is_meant(claim: &Claim, until: &str) -> bool {
    let begins = |text: &str, next: char| text.strip_prefix(until).is_some_and(|rest| rest.starts_with(next));
    claim.name == until || claim.gauge == until || begins(&claim.gauge, '.') || begins(&claim.name, '[')
}

impl Search<'_> {
    /// The trials at a value, one a seed.
    fn plans(&self, value: f64) -> Result<Vec<TrialPlan>, PlanError> {
        let text = format!("{value:?}");
        let mut grid = self.grid.clone();
        match self.order.axis.as_str() {
            "dt" => grid.steps = vec![Timestep { text, seconds: value }],
            "size" => grid.sizes = vec![Factor { text, value }],
            "units" => grid.units = vec![Factor { text, value }],
            "origin" => grid.origins = vec![Origin { text, at: [value, 0.0, 0.0] }],
            parameter => {
                grid.set.retain(|(name, _)| name != parameter);
                let text = if self.whole { format!("{value:.0}") } else { text };
                grid.set.push((parameter.to_owned(), vec![text]));
            }
        }
        plan_grid(&grid)
    }

    fn is_ratio(&self) -> bool {
        let [from, to] = self.order.range;
        from > 0.0 && to > 0.0 && (to / from).max(from / to) >= 4.0
    }

    fn middle(&self, a: f64, b: f64) -> f64 {
        let middle = if self.is_ratio() { (a * b).sqrt() } else { 0.5 * (a + b) };
        if self.whole { middle.round() } else { middle }
    }

    /// Whether two values are as near as was asked for.
    fn is_near(&self, a: f64, b: f64) -> bool {
        match self.whole {
            true => (a - b).abs() <= 1.0,
            false => (a - b).abs() <= self.order.resolution * a.abs().max(b.abs()).max(f64::MIN_POSITIVE),
        }
    }

    /// The values of the first scan.
    fn places(&self) -> Vec<f64> {
        let [from, to] = self.order.range;
        let count = self.order.scan.max(2);
        let place = |k: usize| {
            let share = k as f64 / (count - 1) as f64;
            let value = match self.is_ratio() {
                _ if k == 0 => from,
                _ if k == count - 1 => to,
                true => from * libm::pow(to / from, share),
                false => from + (to - from) * share,
            };
            if self.whole { value.round() } else { value }
        };
        let mut places: Vec<f64> = (0..count).map(place).collect();
        places.dedup();
        places
    }

    /// Runs what has not been tried yet.
    fn try_all(&mut self, values: &[f64]) -> Result<(), PlanError> {
        let new: Vec<f64> = values.iter().copied().filter(|value| !self.tried.contains_key(&value.to_bits())).collect();
        let plans = new.iter().map(|&value| self.plans(value)).collect::<Result<Vec<_>, _>>()?;
        let pieces: Vec<(usize, &TrialPlan)> =
            plans.iter().enumerate().flat_map(|(place, plans)| plans.iter().map(move |plan| (place, plan))).collect();
        let found: Mutex<Vec<Option<Option<String>>>> = Mutex::new(vec![None; pieces.len()]);
        let all: Vec<usize> = (0..pieces.len()).collect();
        share_out(&all, self.order.jobs, self.stop, &|piece| {
            let broken = broken(pieces[piece].1, &self.order.until);
            found.lock().unwrap_or_else(PoisonError::into_inner)[piece] = Some(broken);
        });
        let found = found.into_inner().unwrap_or_else(PoisonError::into_inner);
        for (place, &value) in new.iter().enumerate() {
            let of_value =
                || pieces.iter().zip(&found).filter(|((at, _), _)| *at == place).filter_map(|(_, f)| f.as_ref());
            let broken: Vec<&String> = of_value().flatten().collect();
            let detail = broken.first().map_or_else(String::new, |why| (*why).clone());
            let tried = Tried { value, broken: broken.len(), of: of_value().count(), detail };
            self.tried.insert(value.to_bits(), tried);
        }
        Ok(())
    }

    fn at(&mut self, value: f64) -> Result<Tried, PlanError> {
        self.try_all(&[value])?;
        let unknown = Tried { value, broken: 0, of: 0, detail: String::new() };
        Ok(self.tried.get(&value.to_bits()).cloned().unwrap_or(unknown))
    }

    /// The edge between two values that turned out differently.
    fn halve(
        &mut self,
        before: f64,
        behind: f64,
        heard: &(dyn Fn(&str, f64) + Sync),
        engine: &str,
    ) -> Result<Option<Edge>, PlanError> {
        let (mut near, mut far) = (self.at(before)?, self.at(behind)?);
        if near.breaks() == far.breaks() {
            return Ok(None);
        }
        for _ in 0..MOST_HALVINGS {
            let middle = self.middle(near.value, far.value);
            let spent = middle == near.value || middle == far.value;
            if spent || self.is_near(near.value, far.value) || self.stop.load(std::sync::atomic::Ordering::Relaxed) {
                break;
            }
            heard(engine, middle);
            let tried = self.at(middle)?;
            if tried.breaks() == near.breaks() {
                near = tried;
            } else {
                far = tried;
            }
        }
        let detail = if far.breaks() { far.detail.clone() } else { near.detail.clone() };
        Ok(Some(Edge { before: near.value, behind: far.value, breaks: far.breaks(), against: Vec::new(), detail }))
    }

    /// Looks at the neighbours of an edge: a claim that breaks now and then has more edges than one.
    fn look_around(&mut self, edge: &mut Edge) -> Result<(), PlanError> {
        let gap = edge.behind - edge.before;
        let [from, to] = self.order.range;
        let (low, high) = (from.min(to), from.max(to));
        let apart = if self.whole { gap } else { gap.signum() * self.order.resolution * edge.behind.abs() };
        let mut against = Vec::new();
        let mut sides = Vec::new();
        for reach in NEIGHBOURS {
            sides.push((edge.before - apart * reach, !edge.breaks));
            sides.push((edge.behind + apart * reach, edge.breaks));
        }
        if self.whole {
            sides.iter_mut().for_each(|side| side.0 = side.0.round());
        }
        sides.retain(|side| (low..=high).contains(&side.0));
        self.try_all(&sides.iter().map(|side| side.0).collect::<Vec<_>>())?;
        for (value, expected) in sides {
            if self.at(value)?.breaks() != expected {
                against.push(value);
            }
        }
        against.sort_by(f64::total_cmp);
        against.dedup();
        edge.against = against;
        Ok(())
    }
}

/// Runs a trial; why the claim breaks in it, if it does. An engine that fails has broken every claim.
fn broken(plan: &TrialPlan, until: &str) -> Option<String> {
    let record = run_trial(plan);
    if record.verdict == Verdict::Error {
        return Some(record.reason);
    }
    let meant = record.claims.iter().filter(|claim| until == "any" || is_meant(&claim.claim, until));
    let mut failed = meant.filter(|claim| claim.verdict == Verdict::Fail && (until != "any" || claim.decides()));
    failed.next().map(|claim| {
        let measured = claim.measured.map_or("not measured".to_owned(), |value| match value.fract() == 0.0 {
            true => format!("{value:.0}"),
            false => format!("{value:.4e}"),
        });
        format!("{} {measured}: {}", claim.claim.title(), claim.detail)
    })
}
