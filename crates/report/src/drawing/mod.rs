//! What a trial is drawn from, once it is over: kept beside results, so that reports can be made again.

mod packed;
mod replay;
mod watched;

use crate::figure::{Sight, View};
use ironspin_gauge::Exhibit;
use ironspin_lab::{ClaimRecord, Curve, TrialRecord, TwinRecord};
use ironspin_model::{DVec3, Verdict};
pub(crate) use replay::DrawnMoment;
pub(crate) use replay::DrawnReplay;
use serde::{Deserialize, Serialize};
use watched::WatchedBody;

/// Bodies whose way is drawn, and points of each curve.
const PATHS: usize = 6;
const POINTS: usize = 160;
/// Most lines of a spectrum.
const LINES: usize = 256;
/// Most moments shown of a trial.
const MOMENTS: usize = 6;

/// One trial's pictures and curves.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawing {
    /// What the scene is about.
    pub about: String,
    pub(crate) times: Vec<f64>,
    pub(crate) energy: Vec<DrawnCurve>,
    /// The axis along which most happens.
    pub(crate) axis: char,
    pub(crate) paths: Vec<DrawnCurve>,
    /// Whether other bodies move too.
    pub(crate) more_paths: bool,
    pub(crate) replay: DrawnReplay,
    /// Of a body in space: how it moves and turns.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) watched: Option<WatchedBody>,
    /// Of each claim the value so far, over time; empty where there is none.
    #[serde(default)]
    pub(crate) tracks: Vec<Vec<Option<f64>>>,
    /// Spectra and histograms, with the numbers of their claims.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) exhibits: Vec<(usize, DrawnExhibit)>,
}

/// What a gauge has found beyond a value.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum DrawnExhibit {
    /// Power over frequency: the body, Hz between lines, share of each line.
    Spectrum { of: String, spacing: f64, shares: Vec<f64> },
    /// Ways to the right and up as seen from above, what was found along each, and where the world's axes point.
    Directions { ways: Vec<([f64; 2], f64)>, axes: Vec<(char, [f64; 2])> },
    /// Counts between edges, and what a law expects.
    Histogram { edges: Vec<f64>, found: Vec<f64>, expected: Vec<f64> },
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct DrawnCurve {
    name: String,
    values: Vec<Option<f64>>,
}

impl DrawnCurve {
    fn of(curve: &Curve, stride: usize) -> DrawnCurve {
        let values = curve.values.iter().step_by(stride).map(|&value| value.is_finite().then(|| short(value)));
        DrawnCurve { name: curve.name.clone(), values: values.collect() }
    }

    pub(crate) fn curve(&self) -> Curve {
        let values = self.values.iter().map(|value| value.unwrap_or(f64::NAN));
        Curve { name: self.name.clone(), values: values.collect() }
    }
}

/// Six digits are more than a picture shows.
fn short(value: f64) -> f64 {
    format!("{value:.5e}").parse().unwrap_or(value)
}

impl Drawing {
    /// What a trial is drawn from; nothing when it came to no frame.
    pub fn of(record: &TrialRecord) -> Option<Drawing> {
        let recording = &record.recording;
        if recording.times.is_empty() {
            return None;
        }
        let stride = recording.times.len().div_ceil(POINTS).max(1);
        let still = recording.energy[1].values.iter().all(|v| *v == 0.0);
        let energy = if still { &recording.energy[..1] } else { &recording.energy[..] };
        let axes = [('x', &recording.x), ('z', &recording.z)];
        let (axis, paths) = axes
            .into_iter()
            .fold(('y', &recording.y), |most, axis| if range(axis.1) > range(most.1) { axis } else { most });
        let some = paths.len().min(PATHS);
        let chosen = (0..some).map(|k| &paths[k * paths.len() / some.max(1)]);
        let mut replay = DrawnReplay::of(record.world(), recording, None);
        replay.moments = moments(record);
        let exhibit = |(number, claim): (usize, &ClaimRecord)| Some((number, drawn_exhibit(record, claim)?));
        Some(Drawing {
            about: record.plan.setup.about.clone(),
            times: recording.times.iter().step_by(stride).map(|&time| short(time)).collect(),
            energy: energy.iter().map(|curve| DrawnCurve::of(curve, stride)).collect(),
            axis,
            paths: chosen.map(|curve| DrawnCurve::of(curve, stride)).collect(),
            more_paths: some < record.world().dynamic_bodies().count(),
            replay,
            watched: watched::watched(record),
            tracks: record.claims.iter().map(|claim| drawn_track(claim, stride)).collect(),
            exhibits: reported_once(record.claims.iter().enumerate().filter_map(exhibit).collect()),
        })
    }
}

/// A trial and its twin, to be played back together.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct TwinDrawing {
    pub(crate) replay: DrawnReplay,
}

impl TwinDrawing {
    /// Nothing where the two are the same.
    pub fn of(record: &TwinRecord) -> Option<TwinDrawing> {
        let [plain, twin] = record.recordings.as_deref()?;
        let world = &record.order.plan.setup.world;
        let mut replay = DrawnReplay::of(world, plain, Some(twin));
        let named = |name: &str| world.bodies.iter().position(|body| body.name == name);
        let first = record.first.as_ref().map(|first| DrawnMoment {
            time: short(first.time),
            body: named(&first.body),
            text: format!("first difference: {} of {}", first.component, first.body),
        });
        let worst = record.worst.as_ref().filter(|worst| worst.0.is_finite()).map(|(apart, body, time)| DrawnMoment {
            time: short(*time),
            body: named(body),
            text: format!("furthest apart: {}, {} m", body, crate::number::show(*apart)),
        });
        replay.moments = first.into_iter().chain(worst).collect();
        Some(TwinDrawing { replay })
    }
}

/// Of histograms of the same values one, beside a law if there is one.
fn reported_once(exhibits: Vec<(usize, DrawnExhibit)>) -> Vec<(usize, DrawnExhibit)> {
    let all = |exhibit: &DrawnExhibit| match exhibit {
        DrawnExhibit::Histogram { edges, found, .. } => Some((edges.clone(), found.clone())),
        DrawnExhibit::Spectrum { .. } | DrawnExhibit::Directions { .. } => None,
    };
    let has_law =
        |exhibit: &DrawnExhibit| matches!(exhibit, DrawnExhibit::Histogram { expected, .. } if !expected.is_empty());
    let mut kept: Vec<(usize, DrawnExhibit)> = Vec::new();
    for (number, exhibit) in exhibits {
        let same = kept.iter().position(|(_, other)| all(other).is_some() && all(other) == all(&exhibit));
        match same {
            None => kept.push((number, exhibit)),
            Some(place) if has_law(&exhibit) && !has_law(&kept[place].1) => kept[place] = (number, exhibit),
            Some(_) => {}
        }
    }
    kept
}

/// A curve over time; empty where it would show nothing.
fn drawn_track(claim: &ClaimRecord, stride: usize) -> Vec<Option<f64>> {
    let values: Vec<Option<f64>> =
        claim.track.iter().step_by(stride).map(|&value| value.is_finite().then(|| short(value))).collect();
    if values.iter().flatten().count() < 2 { Vec::new() } else { values }
}

fn drawn_exhibit(record: &TrialRecord, claim: &ClaimRecord) -> Option<DrawnExhibit> {
    let shorter = |values: &[f64]| values.iter().map(|&value| short(value)).collect::<Vec<_>>();
    Some(match claim.exhibit.as_ref()? {
        Exhibit::Spectrum { body, spacing, shares } => {
            // Of many lines the largest of each few.
            let few = shares.len().div_ceil(LINES).max(1);
            let largest = shares.chunks(few).map(|some| some.iter().copied().fold(0.0, f64::max)).collect::<Vec<_>>();
            DrawnExhibit::Spectrum {
                of: record.world().bodies[*body].name.clone(),
                spacing: spacing * few as f64,
                shares: shorter(&largest),
            }
        }
        Exhibit::Directions { ways } => {
            let above = Sight::of(record.world(), View::Top);
            let seen = |way: DVec3| above.project(way.normalize_or_zero()).to_array().map(short);
            let axes = [('x', DVec3::X), ('y', DVec3::Y), ('z', DVec3::Z)].map(|(name, axis)| (name, seen(axis)));
            DrawnExhibit::Directions {
                ways: ways.iter().map(|&(way, value)| (seen(way), short(value))).collect(),
                axes: axes.into_iter().filter(|(_, [x, y])| x.hypot(*y) > 0.5).collect(),
            }
        }
        Exhibit::Histogram { edges, found, expected } => {
            DrawnExhibit::Histogram { edges: shorter(edges), found: found.clone(), expected: shorter(expected) }
        }
    })
}

/// What is worth seeing of the claims that broke.
pub(crate) fn moments(record: &TrialRecord) -> Vec<DrawnMoment> {
    let broken = record.claims.iter().filter(|claim| claim.verdict == Verdict::Fail);
    let mut found: Vec<DrawnMoment> = broken
        .filter_map(|claim| {
            // A claim about one body alone broke at that one, if at no other time at the end of its window.
            let alone = claim.claim.of.first().copied().filter(|_| claim.claim.of.len() == 1);
            let end = claim.claim.window.to.min(*record.recording.times.last()?);
            let (time, body) = match (claim.moment, claim.since) {
                (Some(moment), _) => (moment.time, Some(moment.body)),
                (None, Some(since)) => (since, alone),
                (None, None) => (end, Some(alone?)),
            };
            let of = body.map_or_else(String::new, |body| format!(" of {}", record.world().bodies[body].name));
            Some(DrawnMoment { time: short(time), body, text: format!("{}{of}", claim.gauge.name) })
        })
        .collect();
    found.dedup_by(|a, b| a.time == b.time && a.body == b.body);
    found.truncate(MOMENTS);
    found
}

/// Largest way that any of the curves covers.
fn range(curves: &[Curve]) -> f64 {
    let width = |curve: &Curve| {
        let (low, high) =
            curve.values.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), &v| (l.min(v), h.max(v)));
        high - low
    };
    curves.iter().map(width).fold(0.0, f64::max)
}
