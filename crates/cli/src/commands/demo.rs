//! `demo`: everything once, to a report.

use crate::args::DemoOptions;
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use ironspin_lab::{GridOrder, RunFolder, TrialPlan, TwinKind, plan_grid, twins_of};
use ironspin_model::Dimension;
use ironspin_report::{Beyond, summary_line, twin_table, verdict_table, what_broke};
use ironspin_scene::{Scene, SceneError, bundled};

/// The default, and a setting that looks for collisions only where bodies stand at the end of a step and forgets the
/// load of a pile from step to step.
const ENGINES: [&str; 2] = ["builtin", "builtin:swept=off,warm-start=off,substeps=1,iterations=4"];
const STEPS: [&str; 2] = ["1/60", "1/240"];

/// Changes after which some of the trials are held against themselves.
const TWINS: [TwinKind; 4] = [TwinKind::Process, TwinKind::Restore, TwinKind::Units, TwinKind::Mirror];
const TWIN_SCENES: [&str; 3] = ["ingot-stack", "rivet-shot", "turnstile"];

/// The scenes of space that are shown beside all of the plane: one for each thing that space brings, so that a demo stays short.
const SPACE_SCENES: [&str; 11] = [
    "solid-drop",
    "solid-bearings",
    "solid-tower",
    "solid-wall",
    "solid-comet",
    "solid-tumble",
    "spinning-top",
    "flip-plate",
    "solid-shot",
    "slanted-count",
    "swing-cone",
];

/// The scenes of a demo.
fn scenes() -> Result<Vec<String>, SceneError> {
    let mut chosen = Vec::new();
    for name in bundled::names() {
        if SPACE_SCENES.contains(&name) || Scene::open(name)?.dimension()? == Dimension::Plane {
            chosen.push(name.to_owned());
        }
    }
    Ok(chosen)
}

fn is_twin_trial(plan: &TrialPlan) -> bool {
    let usual = plan.engine.text() == ENGINES[0] && plan.conditions.dt.text == STEPS[0];
    usual && TWIN_SCENES.contains(&plan.scene.as_str())
}

pub(crate) fn run(options: &DemoOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let folder = RunFolder::prepare(&options.out)?;
    let plans = plan_grid(&GridOrder::plain(
        scenes()?,
        ENGINES.map(str::to_owned).to_vec(),
        STEPS.iter().filter_map(|text| text.parse().ok()).collect(),
    ))?;
    let progress::Watched { records, seconds, interrupted, stop } = progress::run_watched(&plans, options.jobs, quiet);
    let title = "Demo: scenes of the plane and of space on the built-in engine, with a careful and a careless setting, at two steps";
    let mut twins = Vec::new();
    if !interrupted {
        let orders: Vec<_> = plans
            .iter()
            .filter(|plan| is_twin_trial(plan))
            .flat_map(|plan| twins_of(std::slice::from_ref(plan), Some(&TWINS)))
            .collect();
        (twins, _) = super::twin::run_twins(&orders, options.jobs, quiet, &stop);
    }
    let beyond = if interrupted { Beyond::default() } else { super::report::of_twins(&twins) };
    let place = super::publish(folder, title, &records, &beyond, (seconds, false))?;
    let table = verdict_table(&records, super::style());
    output::document(&format!("{}\n{table}", summary_line(&records)))?;
    output::print(&what_broke(&records, output::blocks()))?;
    if !interrupted {
        output::print(&format!("\n{}", twin_table(&twins)))?;
    }
    let status = super::twin::worse(ExitStatus::Holds, &twins);
    output::print(&format!("\nReport: {}\n", place.join("report.html").display()))?;
    // That the careless setting fails is part of the demo, so it is no failure of the command.
    Ok(super::after(interrupted, plans.len(), records.len(), status))
}
