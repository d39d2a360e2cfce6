//! Claims and forces in the resolved form.

use super::{by_scalar, limit_of, names, number, quoted, vector};
use crate::expression::Compiled;
use crate::forces::StateForce;
use ironspin_model::{Bound, Details, Dimension, Law, Nth, Severity, World};
use std::collections::BTreeSet;
use std::fmt::Write;

fn law_text(law: &Law) -> String {
    let two = |name: &str, a: f64, b: f64| format!("{{ {name} = [{}, {}] }}", number(a), number(b));
    match *law {
        Law::Binomial { tries, chance } => two("binomial", tries as f64, chance),
        Law::Normal { mean, deviation } => two("normal", mean, deviation),
        Law::Exponential { mean } => format!("{{ exponential = {} }}", number(mean)),
        Law::Uniform { from, to } => two("uniform", from, to),
    }
}

pub(super) fn force_table(force: &StateForce, world: &World) -> String {
    let mut on: Vec<usize> = force.pairs.iter().map(|(body, _)| *body).collect();
    on.dedup();
    let by: BTreeSet<usize> = force.pairs.iter().filter_map(|(_, partner)| *partner).collect();
    let mut out = format!("\n[[force]]\non = {}", names(&on, world));
    let texts = |parts: &[Compiled]| parts.iter().map(|part| quoted(part.text())).collect::<Vec<_>>().join(", ");
    // Writing to a string cannot fail.
    if !by.is_empty() {
        let _ = write!(out, "\nby = {}", names(&by.into_iter().collect::<Vec<_>>(), world));
    }
    if !force.force.is_empty() {
        let _ = write!(out, "\nforce = [{}]", texts(&force.force));
    }
    let _ = match (force.torque.as_slice(), world.dimension) {
        ([], _) => Ok(()),
        (parts, Dimension::Plane) => write!(out, "\ntorque = {}", texts(parts)),
        (parts, Dimension::Space) => write!(out, "\ntorque = [{}]", texts(parts)),
    };
    if let Some(point) = force.point {
        let _ = write!(out, "\npoint = {}", vector(world.dimension, point));
    }
    if force.window.from > 0.0 || force.window.to.is_finite() {
        let _ = write!(out, "\nwindow = [{}, {}]", number(force.window.from), number(force.window.to));
    }
    if let Some(potential) = &force.potential {
        let _ = write!(out, "\npotential = {}", quoted(potential.text()));
    }
    out
}

/// What a claim is given beyond bodies, window and bound.
fn details_lines(details: &Details, dimension: Dimension) -> String {
    let mut out = String::new();
    if let Some(becomes) = &details.becomes {
        let _ = write!(out, "\nbecomes = {}", quoted(becomes.text()));
    }
    let _ = match details.nth {
        None => Ok(()),
        Some(Nth::Nth(nth)) => write!(out, "\nnth = {nth}"),
        Some(Nth::Last) => write!(out, "\nnth = \"last\""),
    };
    if let Some(time) = details.at_time {
        let _ = write!(out, "\nat_time = {}", number(time));
    }
    if let Some(point) = details.point {
        let _ = write!(out, "\npoint = {}", vector(dimension, point));
    }
    out
}

pub(super) fn claim_table(claim: &ironspin_model::Claim, world: &World) -> String {
    let mut out = format!("\n[[claim]]\ngauge = {}\nof = {}", quoted(&claim.gauge), names(&claim.of, world));
    if !claim.name.is_empty() {
        let _ = write!(out, "\nname = {}", quoted(&claim.name));
    }
    // Writing to a string cannot fail.
    if !claim.against.is_empty() {
        let _ = write!(out, "\nagainst = {}", names(&claim.against, world));
    }
    if let Some(measure) = &claim.details.measure {
        let _ = write!(out, "\nmeasure = {}", quoted(measure.text()));
    }
    if let Some(path) = &claim.details.path {
        let texts: Vec<String> = path.iter().map(|measure| quoted(measure.text())).collect();
        let _ = write!(out, "\npath = [{}]", texts.join(", "));
    }
    if let Some(law) = &claim.details.law {
        let _ = write!(out, "\nlaw = {}", law_text(law));
    }
    out.push_str(&details_lines(&claim.details, world.dimension));
    if claim.window.from > 0.0 || claim.window.to.is_finite() {
        let _ = write!(out, "\nwindow = [{}, {}]", number(claim.window.from), number(claim.window.to));
    }
    let single = |of: fn(Bound) -> f64| claim.single.map(of);
    let _ = match claim.bound {
        Bound::AtMost(limit) => write!(out, "\nat_most = {}", by_scalar(limit, single(limit_of))),
        Bound::AtLeast(limit) => write!(out, "\nat_least = {}", by_scalar(limit, single(limit_of))),
        Bound::Equals { value, within } => write!(
            out,
            "\nequals = {}\nwithin = {}",
            by_scalar(value, single(limit_of)),
            by_scalar(within, single(|bound| if let Bound::Equals { within, .. } = bound { within } else { 0.0 }))
        ),
        // No claim of a scene, so that it is not printed.
        Bound::None => Ok(()),
    };
    if claim.severity == Severity::Should {
        out.push_str("\nseverity = \"should\"");
    }
    let _ = write!(out, "\nbecause = {}", quoted(&claim.because));
    out
}
