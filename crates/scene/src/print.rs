//! A scene with everything worked out, as a scene again: no parameters, loops or patterns, every number written out.
//!
//! Read again it builds the same world, bit for bit: numbers are printed so that they read back exactly, bodies stand about their
//! centres of mass, and masses and inertias are given.

mod claims;
mod soft;

use crate::rules::{Probe, Question, Series, SeriesShape, Trigger, Twin};
use crate::setup::Setup;
use claims::{claim_table, force_table};
use ironspin_model::{
    Action, Body, BodyKind, Bound, DVec2, DVec3, Dimension, Effect, Inertia, Joint, JointKind, Part, PlaneShape, Pose,
    Shape, SpaceShape, World,
};
use soft::soft_table;
use std::fmt::Write;

/// The resolved form of a scene.
pub(crate) fn resolved(setup: &Setup, topics: &[&str], allow: &[&str]) -> String {
    let mut out = String::new();
    let mut line = |text: String| {
        out.push_str(&text);
        out.push('\n');
    };
    let world = &setup.world;
    line("# Resolved: every expression worked out. Bodies stand about their centres of mass.".to_owned());
    line(format!(
        "scene = 1\nname = {}\nabout = {}\nspace = {}",
        quoted(&setup.name),
        quoted(&setup.about),
        world.dimension.number()
    ));
    let vector = |v: DVec3| vector(world.dimension, v);
    for (key, words) in [("topics", topics), ("allow", allow)] {
        if !words.is_empty() {
            line(format!("{key} = [{}]", words.iter().map(|word| quoted(word)).collect::<Vec<_>>().join(", ")));
        }
    }
    line(String::new());
    line(format!("[world]\ngravity = {}\nduration = {}", vector(world.gravity), number(world.duration)));
    if let Some(bounds) = &world.bounds {
        line(format!("bounds = {{ min = {}, max = {} }}", vector(bounds.min), vector(bounds.max)));
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
    for body in world.rigid() {
        line(body_table(body, world, &layers));
    }
    for soft in &world.softs {
        line(soft_table(soft, world, &layers));
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
    for trigger in &setup.triggers {
        line(trigger_table(trigger, setup));
    }
    for force in &setup.forces {
        line(force_table(force, world));
    }
    for probe in &setup.probes {
        line(probe_table(probe, world));
    }
    for claim in setup.claims.iter().filter(|claim| claim.bound != Bound::None) {
        line(claim_table(claim, world));
    }
    for twin in &setup.twins {
        line(twin_table(twin));
    }
    // One along a parameter makes no sense where there are no parameters any more.
    for series in setup.series.iter().filter(|series| ["dt", "size"].contains(&series.over.as_str())) {
        line(series_table(series, world));
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

fn vector(dimension: Dimension, v: DVec3) -> String {
    match dimension {
        Dimension::Plane => flat(v.truncate()),
        Dimension::Space => format!("[{}, {}, {}]", number(v.x), number(v.y), number(v.z)),
    }
}

/// A spin or a torque.
fn axial(dimension: Dimension, v: DVec3) -> String {
    match dimension {
        Dimension::Plane => number(v.z),
        Dimension::Space => vector(dimension, v),
    }
}

/// How something is turned: `angle` in the plane, `turn` in space.
fn turned(dimension: Dimension, pose: &Pose) -> String {
    match dimension {
        Dimension::Plane => format!("angle = {}", number(pose.angle)),
        Dimension::Space => {
            let q = pose.rotation;
            let numbers = [q.w, q.x, q.y, q.z].map(number).join(", ");
            format!("turn = {{ quaternion = [{numbers}] }}")
        }
    }
}

/// A moment in the plane; in space the six numbers of the matrix.
fn inertia(dimension: Dimension, inertia: Inertia) -> String {
    let m = inertia.0;
    match dimension {
        Dimension::Plane => number(inertia.zz()),
        Dimension::Space => {
            let six = [m.x_axis.x, m.y_axis.y, m.z_axis.z, m.x_axis.y, m.x_axis.z, m.y_axis.z].map(number);
            format!("[{}]", six.join(", "))
        }
    }
}

fn name(world: &World, id: usize) -> String {
    quoted(world.name_of(id))
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

fn shape(shape: &Shape) -> String {
    match shape {
        Shape::Plane(shape) => plane_shape(shape),
        Shape::Space(shape) => space_shape(shape),
    }
}

fn space_shape(shape: &SpaceShape) -> String {
    let list =
        |points: &[DVec3]| points.iter().map(|&point| vector(Dimension::Space, point)).collect::<Vec<_>>().join(", ");
    match shape {
        SpaceShape::Sphere(radius) => format!("{{ sphere = {} }}", number(*radius)),
        SpaceShape::Box(size) => format!("{{ box = {} }}", vector(Dimension::Space, *size)),
        SpaceShape::Capsule { length, radius } => format!("{{ capsule = [{}, {}] }}", number(*length), number(*radius)),
        SpaceShape::Cylinder { length, radius } => {
            format!("{{ cylinder = [{}, {}] }}", number(*length), number(*radius))
        }
        SpaceShape::Hull(hull) => format!("{{ hull = [{}] }}", list(hull.corners())),
        SpaceShape::Mesh(mesh) => {
            let faces = mesh.faces().iter().map(|[p, q, r]| format!("[{p}, {q}, {r}]")).collect::<Vec<_>>().join(", ");
            format!("{{ mesh = {{ points = [{}], faces = [{faces}] }} }}", list(mesh.points()))
        }
        SpaceShape::HalfSpace(normal) => format!("{{ half_space = {} }}", vector(Dimension::Space, *normal)),
    }
}

fn plane_shape(shape: &PlaneShape) -> String {
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
        "    {{ shape = {}, at = {}, {}, material = {}{sensor} }},\n",
        shape(&part.shape),
        vector(world.dimension, part.pose.position),
        turned(world.dimension, &part.pose),
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
            let inertia = inertia(world.dimension, body.inertia);
            let _ = writeln!(out, "mass = {}\ninertia = {inertia}", number(body.mass));
        }
    }
    let turned = turned(world.dimension, &body.pose);
    let _ = writeln!(out, "about_centre = true\nat = {}\n{turned}", vector(world.dimension, body.pose.position));
    if body.velocity != DVec3::ZERO {
        let _ = writeln!(out, "velocity = {}", vector(world.dimension, body.velocity));
    }
    if body.spin != DVec3::ZERO {
        let _ = writeln!(out, "spin = {}", axial(world.dimension, body.spin));
    }
    for (key, value, usual) in [
        ("gravity_factor", body.gravity_factor, 1.0),
        ("damping", body.linear_damping, 0.0),
        ("turn_damping", body.angular_damping, 0.0),
    ] {
        if value != usual {
            let _ = writeln!(out, "{key} = {}", number(value));
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
        JointKind::Hinge { limits } if world.dimension == Dimension::Plane => ("hinge", limits_line(limits)),
        JointKind::Hinge { limits } => {
            ("hinge", format!("\nown_axis = {}{}", vector(world.dimension, joint.frames[0].axis), limits_line(limits)))
        }
        JointKind::Socket => ("socket", String::new()),
        JointKind::Slider { limits } => {
            ("slider", format!("\nown_axis = {}{}", vector(world.dimension, joint.frames[0].axis), limits_line(limits)))
        }
        JointKind::Weld => ("weld", String::new()),
    };
    let length = joint.length.map_or_else(String::new, |length| format!("\nlength = {}", number(length)));
    format!(
        "\n[[joint]]\nkind = \"{kind}\"\nbetween = [{}, {}]\nanchors = [{}, {}]{length}{more}",
        name(world, joint.bodies[0]),
        name(world, joint.bodies[1]),
        vector(world.dimension, joint.frames[0].anchor),
        vector(world.dimension, joint.frames[1].anchor)
    )
}

fn limits_line(limits: Option<[f64; 2]>) -> String {
    limits.map_or_else(String::new, |[low, high]| format!("\nlimits = [{}, {}]", number(low), number(high)))
}

fn action_table(action: &Action, world: &World) -> String {
    let on = match action.effect {
        Effect::Gravity(_) => String::new(),
        _ => format!("\non = {}", name(world, action.body)),
    };
    let effect = effects_lines(std::slice::from_ref(&action.effect), world);
    format!("\n[[action]]\nat_time = {}{on}{effect}", number(action.at_time))
}

/// The lines of what is done to one body at once; each kind comes once at most, and all at the same point.
fn effects_lines(effects: &[Effect], world: &World) -> String {
    let mut at = None;
    let mut out = String::new();
    let dimension = world.dimension;
    let pair = |v: DVec3| vector(dimension, v);
    for effect in effects {
        let line = match effect {
            Effect::Impulse { impulse, point } => {
                at = at.or(*point);
                format!("impulse = {}", pair(*impulse))
            }
            Effect::Force { force, point } => {
                at = at.or(*point);
                format!("force = {}", pair(*force))
            }
            Effect::Torque(torque) => format!("torque = {}", axial(dimension, *torque)),
            Effect::Velocity(velocity) => format!("velocity = {}", pair(*velocity)),
            Effect::Spin(spin) => format!("spin = {}", axial(dimension, *spin)),
            Effect::Place(pose) => {
                format!("place = {{ at = {}, {} }}", pair(pose.position), turned(dimension, pose))
            }
            Effect::Remove => "remove = true".to_owned(),
            Effect::Add => "add = true".to_owned(),
            Effect::Split(pieces) => format!("split = {}", names(pieces, world)),
            Effect::Gravity(gravity) => format!("gravity = {}", pair(*gravity)),
            Effect::Shift(way) => format!("move_by = {}", pair(*way)),
            Effect::Hold(held) => format!("hold = {held}"),
        };
        // Writing to a string cannot fail.
        let _ = write!(out, "\n{line}");
    }
    if let Some(point) = at {
        let _ = write!(out, "\npoint = {}", pair(point));
    }
    out
}

/// Names of bodies as a selector.
fn names(ids: &[usize], world: &World) -> String {
    let names: Vec<&str> = ids.iter().map(|&id| world.bodies[id].name.as_str()).collect();
    quoted(&names.join(", "))
}

fn trigger_table(trigger: &Trigger, setup: &Setup) -> String {
    let lasts = match trigger.further_steps {
        0 => String::new(),
        further => format!("\nfor_time = {}", number((further + 1) as f64 * setup.dt)),
    };
    let on = name(&setup.world, trigger.body);
    let effects = effects_lines(&trigger.effects, &setup.world);
    format!("\n[[action]]\nwhen = {}\non = {on}{effects}{lasts}", quoted(trigger.condition.text()))
}

fn probe_table(probe: &Probe, world: &World) -> String {
    let what = match &probe.question {
        Question::Ray { from, to } => {
            let [from, to] = [from, to].map(|end| vector(world.dimension, *end));
            format!("ray = {{ from = {from}, to = {to} }}")
        }
        Question::Forecast { of, horizon } => {
            format!("on = {}\nforecast = {{ horizon = {} }}", names(of, world), number(*horizon))
        }
    };
    format!("\n[[action]]\nat_time = {}\n{what}", number(probe.at_time))
}

fn because_line(because: Option<&String>) -> String {
    because.map_or_else(String::new, |because| format!("\nbecause = {}", quoted(because)))
}

fn twin_table(twin: &Twin) -> String {
    let within = twin.within.map_or_else(String::new, |within| format!("\nwithin = {}", number(within)));
    format!("\n[[twin]]\nby = {}{within}{}", quoted(&twin.by), because_line(twin.because.as_ref()))
}

fn series_table(series: &Series, world: &World) -> String {
    let mut out = format!("\n[[series]]\nover = {}\ngauge = {}", quoted(&series.over), quoted(&series.gauge));
    // Writing to a string cannot fail.
    if !series.values.is_empty() {
        let values: Vec<String> = series.values.iter().map(|value| number(*value)).collect();
        let _ = write!(out, "\nvalues = [{}]", values.join(", "));
    }
    let _ = write!(out, "\nof = {}", names(&series.of, world));
    if !series.against.is_empty() {
        let _ = write!(out, "\nagainst = {}", names(&series.against, world));
    }
    let _ = match series.shape {
        SeriesShape::FallsWithOrder(order) => write!(out, "\nfalls_with_order = {}", number(order)),
        SeriesShape::GrowsAtMost(power) => write!(out, "\ngrows_at_most = {}", number(power)),
        SeriesShape::OnlyRises => write!(out, "\nonly = \"rises\""),
        SeriesShape::OnlyFalls => write!(out, "\nonly = \"falls\""),
    };
    out + &because_line(series.because.as_ref())
}
