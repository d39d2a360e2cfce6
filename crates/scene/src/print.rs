//! A scene with everything worked out, as a scene again: no parameters, loops or patterns, every number written out.
//!
//! Read again it builds the same world, bit for bit: numbers are printed so that they read back exactly, bodies stand about their
//! centres of mass, and masses and inertias are given.

use crate::setup::Setup;
use ironspin_model::{
    Action, Body, BodyKind, Bound, DVec2, DVec3, Effect, Joint, JointKind, Law, Part, PlaneShape, Severity, World,
    about_z,
};
use std::fmt::Write;

/// The resolved form of a scene.
pub(crate) fn resolved(setup: &Setup, allow: &[&str]) -> String {
    let mut out = String::new();
    let mut line = |text: String| {
        out.push_str(&text);
        out.push('\n');
    };
    let world = &setup.world;
    line("# Resolved: every expression worked out. Bodies stand about their centres of mass.".to_owned());
    line(format!("scene = 1\nname = {}\nabout = {}\nspace = 2", quoted(&setup.name), quoted(&setup.about)));
    if !allow.is_empty() {
        line(format!("allow = [{}]", allow.iter().map(|kind| quoted(kind)).collect::<Vec<_>>().join(", ")));
    }
    line(String::new());
    line(format!("[world]\ngravity = {}\nduration = {}", pair(world.gravity), number(world.duration)));
    if let Some(bounds) = &world.bounds {
        line(format!("bounds = {{ min = {}, max = {} }}", pair(bounds.min), pair(bounds.max)));
    }
    if !setup.features.is_empty() {
        let names = setup.features.iter().map(|feature| quoted(feature)).collect::<Vec<_>>().join(", ");
        line(format!("\n[engine]\nneeds = [{names}]"));
    }
    for material in &world.materials {
        line(format!(
            "\n[material.{}]\ndensity = {}\nfriction = {}\nrestitution = {}",
            quoted(&material.name),
            number(material.density),
            number(material.friction),
            number(material.restitution)
        ));
    }
    for pair in &world.pairs {
        let names = pair.between.map(|material| quoted(&world.materials[material].name));
        line(format!(
            "\n[[pair]]\nbetween = [{}]\nfriction = {}\nrestitution = {}",
            names.join(", "),
            number(pair.friction),
            number(pair.restitution)
        ));
    }
    let layers = layer_names(&world.bodies);
    for body in &world.bodies {
        line(body_table(body, world, &layers));
    }
    for joint in &world.joints {
        line(joint_table(joint, world));
    }
    for [a, b] in &world.excluded_pairs {
        line(format!("\n[[apart]]\nbetween = [{}, {}]", name(world, *a), name(world, *b)));
    }
    for action in &world.actions {
        line(action_table(action, world));
    }
    for claim in setup.claims.iter().filter(|claim| claim.bound != Bound::None) {
        line(claim_table(claim, world));
    }
    out
}

fn quoted(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}

/// A number that reads back with the same bits.
fn number(value: f64) -> String {
    if value.is_infinite() {
        // Only bounds are open, and those are not written.
        return "1e308".to_owned();
    }
    format!("{value:?}")
}

fn limit_of(bound: Bound) -> f64 {
    match bound {
        Bound::AtMost(limit) | Bound::AtLeast(limit) => limit,
        Bound::Equals { value, .. } => value,
        Bound::None => f64::INFINITY,
    }
}

/// A number that is another for an engine of single precision, as an expression that gives the same bits again.
fn by_scalar(double: f64, single: Option<f64>) -> String {
    match single.filter(|single| *single != double) {
        Some(single) => format!("\"if eps > 1e-10 {{ {} }} else {{ {} }}\"", number(single), number(double)),
        None => number(double),
    }
}

fn flat(v: DVec2) -> String {
    format!("[{}, {}]", number(v.x), number(v.y))
}

fn pair(v: DVec3) -> String {
    flat(v.truncate())
}

fn name(world: &World, id: usize) -> String {
    quoted(&world.bodies[id].name)
}

/// A name for each bit that any body is on, so that masks come back as they were: bit 0 is the layer common.
fn layer_names(bodies: &[Body]) -> Vec<String> {
    let used = bodies.iter().fold(0, |used, body| used | body.layers);
    let count = 32 - u32::leading_zeros(used);
    (0..count).map(|bit| if bit == 0 { "common".to_owned() } else { format!("layer{bit}") }).collect()
}

fn layers(mask: u32, names: &[String]) -> String {
    let on = names.iter().enumerate().filter(|(bit, _)| mask >> bit & 1 == 1).map(|(_, name)| quoted(name));
    format!("[{}]", on.collect::<Vec<_>>().join(", "))
}

fn shape(shape: &PlaneShape) -> String {
    let list = |points: &[DVec2]| points.iter().map(|&point| flat(point)).collect::<Vec<_>>().join(", ");
    match shape {
        PlaneShape::Disc(radius) => format!("{{ disc = {} }}", number(*radius)),
        PlaneShape::Box(size) => format!("{{ box = {} }}", flat(*size)),
        PlaneShape::Polygon(corners) => format!("{{ polygon = [{}] }}", list(corners)),
        PlaneShape::Capsule { length, radius } => format!("{{ capsule = [{}, {}] }}", number(*length), number(*radius)),
        PlaneShape::Polyline(points) => format!("{{ polyline = [{}] }}", list(points)),
        PlaneShape::HalfPlane(normal) => format!("{{ half_plane = {} }}", flat(*normal)),
    }
}

fn part(part: &Part, world: &World) -> String {
    let sensor = if part.sensor { ", sensor = true" } else { "" };
    format!(
        "    {{ shape = {}, at = {}, angle = {}, material = {}{sensor} }},\n",
        shape(part.shape.planar()),
        flat(part.pose.xy()),
        number(part.pose.angle),
        quoted(&world.materials[part.material].name)
    )
}

fn body_table(body: &Body, world: &World, names: &[String]) -> String {
    let mut out = format!("\n[[body]]\nname = {}\n", quoted(&body.name));
    // Writing to a string cannot fail.
    match body.kind {
        BodyKind::Static => out.push_str("kind = \"static\"\n"),
        BodyKind::Kinematic => out.push_str("kind = \"kinematic\"\n"),
        BodyKind::Dynamic => {
            let _ = writeln!(out, "mass = {}\ninertia = {}", number(body.mass), number(body.inertia.zz()));
        }
    }
    let _ =
        writeln!(out, "about_centre = true\nat = {}\nangle = {}", pair(body.pose.position), number(body.pose.angle));
    if body.velocity != DVec3::ZERO {
        let _ = writeln!(out, "velocity = {}", pair(body.velocity));
    }
    for (key, value, usual) in [
        ("spin", body.spin, 0.0),
        ("gravity_factor", about_z(body.gravity_factor), 1.0),
        ("damping", about_z(body.linear_damping), 0.0),
        ("turn_damping", about_z(body.angular_damping), 0.0),
    ] {
        if value != about_z(usual) {
            let _ = writeln!(out, "{key} = {}", number(value.z));
        }
    }
    for (key, value) in [("fixed_turn", body.fixed_turn), ("swept", body.ccd), ("absent", body.absent)] {
        if value {
            let _ = writeln!(out, "{key} = true");
        }
    }
    if names.len() > 1 || body.layers != 1 {
        let _ = writeln!(out, "layers = {}", layers(body.layers, names));
    }
    if body.collision_mask != u32::MAX {
        let _ = writeln!(out, "meets = {}", layers(body.collision_mask, names));
    }
    out.push_str("parts = [\n");
    for piece in &body.parts {
        out.push_str(&part(piece, world));
    }
    out.push(']');
    out
}

fn joint_table(joint: &Joint, world: &World) -> String {
    let (kind, more) = match joint.kind {
        JointKind::Rod => ("rod", String::new()),
        JointKind::Rope => ("rope", String::new()),
        JointKind::Spring { stiffness, damping } => {
            ("spring", format!("\nstiffness = {}\ndamping = {}", number(stiffness), number(damping)))
        }
        JointKind::Hinge { limits } => ("hinge", limits_line(limits)),
        JointKind::Slider { limits } => {
            ("slider", format!("\nown_axis = {}{}", pair(joint.frames[0].axis), limits_line(limits)))
        }
        JointKind::Weld => ("weld", String::new()),
    };
    let length = joint.length.map_or_else(String::new, |length| format!("\nlength = {}", number(length)));
    format!(
        "\n[[joint]]\nkind = \"{kind}\"\nbetween = [{}, {}]\nanchors = [{}, {}]{length}{more}",
        name(world, joint.bodies[0]),
        name(world, joint.bodies[1]),
        pair(joint.frames[0].anchor),
        pair(joint.frames[1].anchor)
    )
}

fn limits_line(limits: Option<[f64; 2]>) -> String {
    limits.map_or_else(String::new, |[low, high]| format!("\nlimits = [{}, {}]", number(low), number(high)))
}

fn action_table(action: &Action, world: &World) -> String {
    let point = |point: &Option<DVec3>| point.map_or_else(String::new, |point| format!("\npoint = {}", pair(point)));
    let effect = match &action.effect {
        Effect::Impulse { impulse, point: at } => format!("impulse = {}{}", pair(*impulse), point(at)),
        Effect::Force { force, point: at } => format!("force = {}{}", pair(*force), point(at)),
        Effect::Torque(torque) => format!("torque = {}", number(torque.z)),
        Effect::Velocity(velocity) => format!("velocity = {}", pair(*velocity)),
        Effect::Spin(spin) => format!("spin = {}", number(spin.z)),
        Effect::Place(pose) => format!("place = {{ at = {}, angle = {} }}", pair(pose.position), number(pose.angle)),
        Effect::Remove => "remove = true".to_owned(),
        Effect::Add => "add = true".to_owned(),
        Effect::Split(pieces) => {
            let names: Vec<&str> = pieces.iter().map(|&piece| world.bodies[piece].name.as_str()).collect();
            format!("split = {}", quoted(&names.join(", ")))
        }
        Effect::Gravity(gravity) => format!("gravity = {}", pair(*gravity)),
    };
    let on = match action.effect {
        Effect::Gravity(_) => String::new(),
        _ => format!("\non = {}", name(world, action.body)),
    };
    format!("\n[[action]]\nat_time = {}{on}\n{effect}", number(action.at_time))
}

fn law_text(law: &Law) -> String {
    let two = |name: &str, a: f64, b: f64| format!("{{ {name} = [{}, {}] }}", number(a), number(b));
    match *law {
        Law::Binomial { tries, chance } => two("binomial", tries as f64, chance),
        Law::Normal { mean, deviation } => two("normal", mean, deviation),
        Law::Exponential { mean } => format!("{{ exponential = {} }}", number(mean)),
        Law::Uniform { from, to } => two("uniform", from, to),
    }
}

fn claim_table(claim: &ironspin_model::Claim, world: &World) -> String {
    let names = |ids: &[usize]| {
        let names: Vec<&str> = ids.iter().map(|&id| world.bodies[id].name.as_str()).collect();
        quoted(&names.join(", "))
    };
    let mut out = format!("\n[[claim]]\ngauge = {}\nof = {}", quoted(&claim.gauge), names(&claim.of));
    // Writing to a string cannot fail.
    if !claim.against.is_empty() {
        let _ = write!(out, "\nagainst = {}", names(&claim.against));
    }
    if let Some(measure) = &claim.details.measure {
        let _ = write!(out, "\nmeasure = {}", quoted(measure.text()));
    }
    if let Some([x, y]) = &claim.details.path {
        let _ = write!(out, "\npath = [{}, {}]", quoted(x.text()), quoted(y.text()));
    }
    if let Some(law) = &claim.details.law {
        let _ = write!(out, "\nlaw = {}", law_text(law));
    }
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
