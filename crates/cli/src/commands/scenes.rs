//! `scenes`: what is bundled, what is in a scene, and scenes of one's own.

use super::film::can_be_seen;
use crate::args::{ScenesAction, ScenesOptions, ShowOptions};
use crate::diagnostic::{Diagnostic, ExitStatus, tell_warning};
use crate::output;
use ironspin_lab::{GridOrder, Needs, check_claims, plan_grid, put_file, put_new_file, try_building};
use ironspin_model::{BodyState, DVec3, Dimension, Timestep, World};
use ironspin_report::{Scenery, View, coverage_text, picture, show, sketch, topic_list};
use ironspin_scene::{Coverage, Scene, SceneError, Settings, Setup, TOPICS, bundled, is_scene_name};
use std::fmt::Write;
use std::path::Path;

/// The scene that `scenes new` writes; NAME stands for its name.
const STARTER: &str = include_str!("starter.toml");
/// The same in space.
const SPACE_STARTER: &str = include_str!("space_starter.toml");

pub(crate) fn run(options: &ScenesOptions) -> Result<ExitStatus, Diagnostic> {
    match &options.action {
        None => output::print(&list(options)?)?,
        Some(ScenesAction::Topics { markdown }) => output::print(&topic_text(*markdown)?)?,
        Some(ScenesAction::Coverage { markdown }) => {
            let of = |dimension: Dimension| Coverage::of(bundled::names(), dimension);
            output::print(&coverage_text(&[of(Dimension::Plane)?, of(Dimension::Space)?], *markdown))?;
        }
        Some(ScenesAction::Show(options)) => output::print(&shown(options)?)?,
        Some(ScenesAction::Copy { name, folder }) => copy(name, folder)?,
        Some(ScenesAction::Check { scenes, dt, engines, strict }) => return check(scenes, dt, engines, *strict),
        Some(ScenesAction::New { name, space }) => begin(name, *space)?,
    }
    Ok(ExitStatus::Holds)
}

/// A line a scene.
fn list(options: &ScenesOptions) -> Result<String, Diagnostic> {
    let mut out = String::new();
    for name in options.selection.names_or_all()? {
        let scene = Scene::open(&name)?;
        let topics: Vec<&str> = scene.topics().iter().map(|topic| topic.name).collect();
        // Writing to a string cannot fail.
        let _ = writeln!(out, "{name:15}  {}  [{}]", scene.about(), topics.join(", "));
    }
    out.push_str(
        "\n`ironspin scenes show NAME` prints a scene, `ironspin run NAME` runs it, `ironspin scenes copy NAME DIR` copies it;\n\
         `ironspin scenes topics` says what the topics are, and `--topic stacking,bouncing` takes the scenes of some.\n",
    );
    Ok(out)
}

/// Each topic with the bundled scenes of it.
fn topic_text(markdown: bool) -> Result<String, Diagnostic> {
    let mut scenes: Vec<(&str, Scene)> = Vec::new();
    for name in bundled::names() {
        scenes.push((name, Scene::open(name)?));
    }
    let of = |topic: &str| -> Vec<&str> {
        let about = scenes.iter().filter(|(_, scene)| scene.topics().iter().any(|own| own.name == topic));
        about.map(|(name, _)| *name).collect()
    };
    let rows: Vec<(&str, &str, Vec<&str>)> =
        TOPICS.iter().map(|topic| (topic.name, topic.about, of(topic.name))).collect();
    Ok(topic_list(&rows, markdown))
}

fn shown(options: &ShowOptions) -> Result<String, Diagnostic> {
    let scene = Scene::open(&options.scene)?;
    let settings = Settings {
        set: options.set.clone(),
        seed: options.seed,
        body_limit: options.max_bodies,
        ..Settings::with_dt(options.dt.seconds)
    };
    let setup = scene.resolve(&settings)?;
    check_claims(&scene, &setup)?;
    for warning in &setup.warnings {
        tell_warning(warning);
    }
    if let Some(path) = &options.picture {
        can_be_seen(&setup.world, options.view.as_slice())?;
        write_new(path, &drawn(&setup, options.view), true)?;
    }
    if options.resolved {
        return Ok(scene.print_resolved(&setup));
    }
    let mut out = format!("{}: {}\n", setup.name, setup.about);
    let topics: Vec<&str> = scene.topics().iter().map(|topic| topic.name).collect();
    if !topics.is_empty() {
        let _ = writeln!(out, "topics {}", topics.join(", "));
    }
    let world = &setup.world;
    let _ = writeln!(
        out,
        "{}, {} s, gravity ({}) m/s2\n",
        contents(world),
        show(world.duration),
        numbers(world.dimension, world.gravity)
    );
    out.push_str(&sketch(world));
    out.push('\n');
    for parameter in &setup.parameters {
        let unit = parameter.unit.as_deref().unwrap_or("");
        let range =
            parameter.range.map_or_else(String::new, |[low, high]| format!(" [{} to {}]", show(low), show(high)));
        let value = match &parameter.values {
            None => show(parameter.value),
            Some(items) => format!("[{}]", items.iter().map(|item| show(*item)).collect::<Vec<_>>().join(",")),
        };
        let _ = writeln!(out, "  --set {}={value} {unit}{range}  {}", parameter.name, parameter.about);
    }
    out.push('\n');
    for force in &setup.forces {
        let name = |id: usize| world.bodies[id].name.as_str();
        let (on, by) = force.pairs[0];
        let by = by.map_or_else(String::new, |by| format!(" by {}", name(by)));
        let more = match force.pairs.len() - 1 {
            0 => String::new(),
            more => format!(" and {more} more"),
        };
        let texts: Vec<&str> = force.texts().collect();
        let order = if force.follows_velocity { "; it follows a velocity: of first order in the step" } else { "" };
        let _ = writeln!(out, "  force on {}{by}{more}: {}{order}", name(on), texts.join(", "));
    }
    for claim in &setup.claims {
        let _ = writeln!(out, "  {} of {} {}", claim.title(), claim.of_text, claim.bound.relation(show));
        let _ = writeln!(out, "      because {}", claim.because);
    }
    for twin in &setup.twins {
        let exact = twin.within.map_or_else(|| "to the bit".to_owned(), |within| format!("within {} m", show(within)));
        let _ = writeln!(out, "  twin by {}, {exact}", twin.by);
    }
    for series in &setup.series {
        let _ = writeln!(out, "  series of {} over {}", series.gauge, series.over);
    }
    let _ = write!(out, "\n{}", scene.text());
    Ok(out)
}

/// The numbers of a vector of a world.
fn numbers(dimension: Dimension, vector: DVec3) -> String {
    vector.to_array()[..usize::from(dimension.number())]
        .iter()
        .map(|&number| show(number))
        .collect::<Vec<_>>()
        .join(", ")
}

/// How much there is of everything.
fn contents(world: &World) -> String {
    let reported = |count: usize, one: &str, many: &str| format!("{count} {}", if count == 1 { one } else { many });
    let mut parts = Vec::new();
    let rigid = world.rigid_count();
    if rigid > 0 || world.softs.is_empty() {
        parts.push(reported(rigid, "body", "bodies"));
    }
    if !world.softs.is_empty() {
        let nodes = reported(world.bodies.len() - rigid, "node", "nodes");
        parts.push(format!("{} of {nodes}", reported(world.softs.len(), "soft body", "soft bodies")));
    }
    for (count, one, many) in [(world.joints.len(), "joint", "joints"), (world.actions.len(), "action", "actions")] {
        if count > 0 {
            parts.push(reported(count, one, many));
        }
    }
    parts.join(", ")
}

/// The world as it is built, as an SVG file.
fn drawn(setup: &Setup, view: Option<View>) -> String {
    let bodies = &setup.world.bodies;
    let absent = |body: &ironspin_model::Body| body.absent;
    let states: Vec<BodyState> = bodies
        .iter()
        .map(|b| {
            if absent(b) { BodyState::absent() } else { BodyState { pose: b.pose, velocity: b.velocity, spin: b.spin } }
        })
        .collect();
    let view = Scenery::of(&setup.world, &states, &states, view);
    let svg = picture(&setup.world, &states, &view, &setup.name);
    // On its own it fills the window that shows it.
    let size = svg.find(" width=").zip(svg.find(" preserveAspectRatio"));
    let svg = size.map_or_else(|| svg.clone(), |(from, to)| format!("{}{}", &svg[..from], &svg[to..]));
    svg.replacen("<svg ", "<svg xmlns=\"http://www.w3.org/2000/svg\" ", 1)
}

fn check(scenes: &[String], dt: &Timestep, engines: &[String], strict: bool) -> Result<ExitStatus, Diagnostic> {
    let mut warnings = 0;
    let mut wrong = false;
    for name in scenes {
        let outcome = Scene::open(name).and_then(|scene| {
            let setup = scene.resolve(&Settings::with_dt(dt.seconds))?;
            check_claims(&scene, &setup)?;
            Ok::<_, SceneError>(setup)
        });
        match outcome {
            // All files are looked at, so that one mistake does not hide the next.
            Err(error) => {
                wrong = true;
                Diagnostic::Scene(error).tell();
            }
            Ok(setup) => {
                setup.warnings.iter().for_each(tell_warning);
                warnings += setup.warnings.len();
                let reported = match setup.warnings.len() {
                    0 => "ok".to_owned(),
                    1 => "1 warning".to_owned(),
                    count => format!("{count} warnings"),
                };
                let claims = match setup.claims.len() {
                    1 => "1 claim".to_owned(),
                    count => format!("{count} claims"),
                };
                let needs = Needs::of(&setup, dt);
                let long = if needs.is_too_long() { ": more than --max-steps allows" } else { "" };
                let contents = contents(&setup.world);
                output::print(&format!("{name}: {reported}; {contents}, {claims}; {}{long}\n", needs.words()))?;
                if !engines.is_empty() {
                    let order = GridOrder::plain(vec![name.clone()], engines.to_vec(), vec![dt.clone()]);
                    for plan in plan_grid(&order)? {
                        if let Err(fault) = try_building(&plan) {
                            wrong = true;
                            output::print(&format!("{name}: {} cannot take it: {fault}\n", plan.engine.text()))?;
                        }
                    }
                }
            }
        }
    }
    Ok(match (wrong, strict && warnings > 0) {
        (true, _) => ExitStatus::BadInput,
        (_, true) => ExitStatus::Fails,
        _ => ExitStatus::Holds,
    })
}

fn copy(name: &str, folder: &Path) -> Result<(), Diagnostic> {
    let scene = Scene::open(name)?;
    let file = folder.join(format!("{}.toml", scene.name()));
    std::fs::create_dir_all(folder).map_err(|cause| Diagnostic::File { path: folder.display().to_string(), cause })?;
    write_new(&file, scene.text(), false)?;
    output::print(&format!("{0}\nrun it: ironspin run {0}\n", file.display()))?;
    Ok(())
}

fn begin(name: &str, space: u8) -> Result<(), Diagnostic> {
    let plain = name.trim_end_matches(".toml");
    let file = Path::new(plain).with_extension("toml");
    let title = file.file_stem().map_or_else(|| plain.to_owned(), |stem| stem.to_string_lossy().into_owned());
    if !is_scene_name(&title) {
        let why = format!("`{title}` is no name for a scene: use letters, digits, blanks between them, and - _ . ( )");
        return Err(Diagnostic::Kept { why });
    }
    let starter = if space == 3 { SPACE_STARTER } else { STARTER };
    write_new(&file, &starter.replace("NAME", &title), false)?;
    output::print(&format!("{0}\ncheck it: ironspin scenes check {0}\nrun it:   ironspin run {0}\n", file.display()))?;
    Ok(())
}

/// Writes a file, whole or not at all; one that is there already stays unless it may be replaced.
fn write_new(path: &Path, text: &str, replace: bool) -> Result<(), Diagnostic> {
    let reported = |cause: std::io::Error| match cause.kind() {
        std::io::ErrorKind::AlreadyExists => Diagnostic::AlreadyThere { path: path.display().to_string() },
        _ => Diagnostic::File { path: path.display().to_string(), cause },
    };
    let put = if replace { put_file } else { put_new_file };
    put(path, text.as_bytes()).map_err(reported)
}
