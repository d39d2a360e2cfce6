//! `scenes`: what is bundled, and what is in a scene.

use crate::args::{ScenesAction, ScenesOptions};
use crate::complaint::{Complaint, ExitStatus};
use crate::output;
use ironspin_report::show;
use ironspin_scene::{Scene, Settings, bundled};
use std::fmt::Write;

/// Step used where a scene is shown and not run.
const SHOWN_DT: f64 = 1.0 / 60.0;

pub(crate) fn run(options: &ScenesOptions) -> Result<ExitStatus, Complaint> {
    let text = match &options.action {
        None => list()?,
        Some(ScenesAction::Show { scene }) => shown(scene)?,
    };
    output::print(&text)?;
    Ok(ExitStatus::Holds)
}

fn list() -> Result<String, Complaint> {
    let mut out = String::new();
    for name in bundled::names() {
        let scene = Scene::open(name)?;
        // Writing to a string cannot fail.
        let _ = writeln!(out, "{name:14}  {}", scene.about());
    }
    out.push_str("\n`ironspin scenes show NAME` prints a scene, `ironspin run NAME` runs it.\n");
    Ok(out)
}

fn shown(name: &str) -> Result<String, Complaint> {
    let scene = Scene::open(name)?;
    let setup = scene.resolve(&Settings::with_dt(SHOWN_DT))?;
    let mut out = format!("{}: {}\n", setup.name, setup.about);
    if !scene.needs().is_empty() {
        let _ = writeln!(out, "needs {}", scene.needs().join(", "));
    }
    let _ = writeln!(
        out,
        "{} bodies, {} s, gravity ({}, {}) m/s2\n",
        setup.world.bodies.len(),
        show(setup.world.duration),
        show(setup.world.gravity.x),
        show(setup.world.gravity.y)
    );
    for parameter in &setup.parameters {
        let unit = parameter.unit.as_deref().unwrap_or("");
        let range =
            parameter.range.map_or_else(String::new, |[low, high]| format!(" [{} to {}]", show(low), show(high)));
        let _ =
            writeln!(out, "  --set {}={} {unit}{range}  {}", parameter.name, show(parameter.value), parameter.about);
    }
    out.push('\n');
    for claim in &setup.claims {
        let _ = writeln!(out, "  {} of {} {}", claim.gauge, claim.of_text, claim.bound.relation(show));
        let _ = writeln!(out, "      because {}", claim.because);
    }
    let _ = write!(out, "\n{}", scene.text());
    Ok(out)
}
