//! What is probably a mistake in a scene that can be built.

use crate::diagnostic::Diagnostic;
use crate::file::SceneFile;
use crate::near::each_near_pair;
use crate::resolve::Resolved;
use ironspin_model::{BodyKind, Dimension, Net, SoftBody, SoftMethod, World, largest_step};
use std::ops::Range;

/// The kinds of warnings, as `allow` names them.
pub const WARNINGS: [&str; 15] = [
    "overlap",
    "pixels",
    "step",
    "gravity",
    "mass-ratio",
    "bounds",
    "restitution",
    "stiff-net",
    "mesh-scale",
    "open-mesh",
    "mended-mesh",
    "sign-of-power",
    "unit-of-sum",
    "degrees",
    "unused",
];

/// Unused parameters that are told one by one.
const UNUSED_TOLD: usize = 20;
/// Overlap below this share of the smaller size is touching.
const TOUCHING: f64 = 1e-3;
/// Mass ratio in contact beyond which most engines give way.
const MASS_RATIO: f64 = 1e4;
/// Typical size of a body, m, beyond which gravity of the Earth is probably meant for pixels.
const LARGE: f64 = 50.0;

/// Everything that looks wrong, with its kind, in the order of [`WARNINGS`], those that are allowed left out.
///
/// # Errors
/// For a kind in `allow` that there is not.
pub(crate) fn warnings(
    file: &SceneFile,
    resolved: &Resolved,
    dt: f64,
    method: SoftMethod,
) -> Result<Vec<(&'static str, Diagnostic)>, Diagnostic> {
    for kind in &file.allow {
        if !WARNINGS.contains(&kind.get_ref().as_str()) {
            return Err(Diagnostic::at(kind.span(), format!("there is no warning called `{}`", kind.get_ref()))
                .label("unknown warning")
                .help_names(kind.get_ref(), WARNINGS));
        }
    }
    let allowed = |kind: &str| file.allow.iter().any(|allowed| allowed.get_ref() == kind);
    let world = &resolved.world;
    let mut found = Vec::new();
    if !(allowed("overlap") && allowed("mass-ratio")) {
        found.extend(near_pairs(world, &resolved.places));
    }
    found.extend(units(world, dt, &file.world.gravity.span()));
    found.extend(outside_bounds(world, &resolved.places));
    found.extend(restitutions(world, &resolved.material_places));
    if !allowed("stiff-net") {
        found.extend(stiff_net(world, &resolved.places, dt, method));
    }
    found.extend(resolved.remarks.iter().cloned());
    for (number, place) in resolved.unused.iter().enumerate().take(UNUSED_TOLD) {
        let more = resolved.unused.len() - UNUSED_TOLD.min(resolved.unused.len());
        let message = match number + 1 == UNUSED_TOLD && more > 0 {
            true => format!("nothing uses this parameter, and {more} more after it"),
            false => "nothing uses this parameter".to_owned(),
        };
        found.push(("unused", Diagnostic::at(place.clone(), message).label("unused")));
    }
    found.retain(|(kind, _)| !allowed(kind));
    found.sort_by_key(|(kind, _)| WARNINGS.iter().position(|known| known == kind));
    Ok(found)
}

/// Units and axes that are probably others than those of scenes.
fn units(world: &World, dt: f64, gravity: &Range<usize>) -> Vec<(&'static str, Diagnostic)> {
    let mut found = Vec::new();
    let mut sizes: Vec<f64> =
        world.bodies.iter().filter(|body| body.kind == BodyKind::Dynamic).map(|body| body.smallest_size()).collect();
    // Points have no size.
    sizes.retain(|size| size.is_finite());
    sizes.sort_by(f64::total_cmp);
    let typical = sizes.get(sizes.len() / 2).copied().unwrap_or(0.0);
    let fall = world.gravity.length();
    if typical > LARGE && (1.0..20.0).contains(&fall) {
        let message = format!("bodies of {typical} m fall at {fall} m/s2: are pixels taken for metres?");
        let diagnostic = Diagnostic::at(gravity.clone(), message).label("as slow as in a world of giants");
        found.push(("pixels", diagnostic.help("scale sizes down to metres, or gravity up")));
    }
    if dt > 1.0 {
        let message = format!("the step is {dt} s: are milliseconds taken for seconds?");
        found.push(("step", Diagnostic::nowhere(message).help("steps are given in seconds, such as 1/60")));
    }
    if world.gravity.y > 0.0 {
        let diagnostic = Diagnostic::at(gravity.clone(), "gravity points upwards; y points up here");
        let help = match world.dimension {
            Dimension::Plane => "write [0, -9.81]",
            Dimension::Space => "write [0, -9.81, 0]",
        };
        found.push(("gravity", diagnostic.label("falls upwards").help(help)));
    }
    found
}

/// The first body that starts outside the bounds.
fn outside_bounds(world: &World, places: &[Range<usize>]) -> Option<(&'static str, Diagnostic)> {
    let bounds = world.bounds.as_ref()?;
    let (id, body) = world
        .bodies
        .iter()
        .enumerate()
        .find(|(_, body)| body.kind != BodyKind::Static && !body.absent && !bounds.contains(body.pose.position))?;
    let at = body.pose.position;
    let place = match world.dimension {
        Dimension::Plane => format!("({}, {})", at.x, at.y),
        Dimension::Space => format!("({}, {}, {})", at.x, at.y, at.z),
    };
    let message = format!("`{}` starts outside the bounds, at {place}", body.name);
    let diagnostic = Diagnostic::at(places[id].clone(), message).label("counts as escaped at once");
    Some(("bounds", diagnostic.help("widen the bounds in [world]")))
}

/// The first soft body that an engine of this method cannot carry with this step. Engines with other methods have other limits, so that
/// the frequency is told too.
fn stiff_net(
    world: &World,
    places: &[Range<usize>],
    dt: f64,
    method: SoftMethod,
) -> Option<(&'static str, Diagnostic)> {
    // What bounds hold needs no closer look; with explicit Euler, a bound of the damping is no safe one.
    let holds_surely =
        |soft: &SoftBody| method.integrator != "explicit-euler" && dt <= method.largest_step(&Net::rough(soft, world));
    let (soft, net) = world
        .softs
        .iter()
        .filter(|soft| !holds_surely(soft))
        .map(|soft| (soft, Net::of(soft, world)))
        .find(|(_, net)| dt > method.largest_step(net))?;
    let SoftMethod { integrator, substeps } = method;
    let steps = if substeps == 1 { "step" } else { "sub-steps" };
    let message = format!(
        "the net of `{}` is too stiff for a step of {dt:.4} s with {substeps} {steps} of {integrator}",
        soft.name
    );
    let would_do = match method.largest_step(&net) {
        0.0 => "no step would do".to_owned(),
        limit => format!("{limit:.4} s would do"),
    };
    let diagnostic = Diagnostic::at(places[soft.nodes.start].clone(), message)
        .label(format!("{would_do}: its fastest motion has {:.4} rad/s", net.omega))
        .help(format!(
            "with one step of verlet or symplectic Euler {:.4} s, of rk4 {:.4} s; take shorter steps, more sub-steps, heavier nodes or softer springs",
            largest_step(&net, "verlet"),
            largest_step(&net, "rk4")
        ));
    Some(("stiff-net", diagnostic))
}

/// Materials that add energy with each bounce.
fn restitutions(world: &World, places: &[Range<usize>]) -> Vec<(&'static str, Diagnostic)> {
    let lively = world.materials.iter().zip(places).filter(|(material, _)| material.restitution > 1.0);
    let warning = |(material, place): (&ironspin_model::Material, &Range<usize>)| {
        let message = format!("`{}` has a restitution of {}", material.name, material.restitution);
        ("restitution", Diagnostic::at(place.clone(), message).label("each bounce adds energy"))
    };
    lively.map(warning).collect()
}

/// Pairs that overlap as built, and pairs in contact of very different masses: one warning of each kind, with how many there are.
fn near_pairs(world: &World, places: &[Range<usize>]) -> Vec<(&'static str, Diagnostic)> {
    let (mut overlaps, mut ratios) = (Vec::new(), Vec::new());
    let uneven = |a: usize, b: usize| {
        let (one, other) = (world.bodies[a].mass, world.bodies[b].mass);
        let both_move = [a, b].iter().all(|&id| world.bodies[id].kind == BodyKind::Dynamic);
        both_move && one.max(other) > MASS_RATIO * one.min(other)
    };
    let all = each_near_pair(world, TOUCHING, uneven, |a, b, gap| {
        let size = world.bodies[a].smallest_size().min(world.bodies[b].smallest_size());
        if gap < -TOUCHING * size {
            overlaps.push((a, b, -gap));
        }
        if uneven(a, b) && gap < TOUCHING * size {
            let (one, other) = (world.bodies[a].mass, world.bodies[b].mass);
            ratios.push((a, b, one.max(other) / one.min(other)));
        }
    });
    let mut found = Vec::new();
    let least = if all { "" } else { "at least " };
    let more = |count: usize| match count {
        0 | 1 => String::new(),
        count => format!(", and {least}{} more pairs", count - 1),
    };
    if let Some(&(a, b, depth)) = overlaps.first() {
        let (one, other) = (&world.bodies[a].name, &world.bodies[b].name);
        found.push((
            "overlap",
            Diagnostic::at(
                places[a.max(b)].clone(),
                format!("`{one}` and `{other}` overlap by {depth:.3} m at the start{}", more(overlaps.len())),
            )
            .label("built into another body")
            .help("sizes are full sizes; are half sizes meant?"),
        ));
    }
    if let Some(&(a, b, ratio)) = ratios.first() {
        let (one, other) = (&world.bodies[a].name, &world.bodies[b].name);
        found.push((
            "mass-ratio",
            Diagnostic::at(
                places[a.max(b)].clone(),
                format!("`{one}` and `{other}` touch and differ {ratio:.0} times in mass{}", more(ratios.len())),
            )
            .label("most contact solvers give way"),
        ));
    }
    found
}
