//! `edge`, `series` and `cost`: where it breaks, how it grows, what it costs.

use crate::args::{CostOptions, EdgeOptions, Format, SeriesOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::{output, progress};
use ironspin_lab::{
    CostDocument, CostOrder, EdgeDocument, EdgeOrder, GridOrder, Kept, RunFolder, SeriesDocument, SeriesOrder,
    TrialPlan, find_edges, measure_cost, plan_grid, put_file, run_series,
};
use ironspin_model::Verdict;
use ironspin_report::{
    Beyond, cost_csv, cost_plot, cost_table, document_json, edge_csv, edge_text, series_csv, series_plot, series_text,
    worst_of,
};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

fn file_error(path: &Path, cause: std::io::Error) -> Diagnostic {
    Diagnostic::File { path: path.display().to_string(), cause }
}

pub(crate) fn edge(options: &EdgeOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let order = EdgeOrder {
        grid: options.conditions.order(std::slice::from_ref(&options.scene)),
        axis: options.raise.name.clone(),
        range: options.raise.range,
        until: options.until.clone(),
        resolution: options.resolution,
        scan: usize::from(options.scan),
        jobs: options.jobs,
    };
    let stop = progress::stop_flag();
    let bar = progress::Bar::new(0, quiet);
    let listener = |engine: &str, value: f64| bar.say(&format!("{engine}: {} = {value}", options.raise.name));
    let found = stop.during(|| find_edges(&order, &stop, &listener));
    bar.clear();
    let found = found?;
    output::print(&match options.format {
        Format::Json => document_json(&EdgeDocument::of(found))?,
        Format::Csv => edge_csv(&found)?,
        _ => edge_text(&found),
    })?;
    Ok(if stop.load(Ordering::Relaxed) { ExitStatus::Interrupted } else { ExitStatus::Holds })
}

/// The series to be run: the one that was typed, or those that the scenes claim.
fn series_orders(options: &SeriesOptions) -> Result<Vec<SeriesOrder>, Diagnostic> {
    let mut orders = Vec::new();
    for scene in &options.scenes {
        for engine in &options.conditions.engines {
            let whole = options.conditions.order(std::slice::from_ref(scene));
            let grid = GridOrder { engines: vec![engine.clone()], ..whole };
            let order = |over: &str, values: Vec<String>, gauge: &str, claimed| SeriesOrder {
                grid: grid.clone(),
                over: over.to_owned(),
                values,
                gauge: gauge.to_owned(),
                claimed,
                jobs: options.jobs,
            };
            if let (Some((over, values)), Some(gauge)) = (&options.over, &options.gauge) {
                orders.push(order(over, values.clone(), gauge, None));
                continue;
            }
            let plans = plan_grid(&grid)?;
            for series in plans.first().map_or(&[][..], |plan| &plan.setup.series) {
                let values = series.values.iter().map(f64::to_string).collect();
                orders.push(order(&series.over, values, &series.gauge, Some(series.clone())));
            }
        }
    }
    Ok(orders)
}

pub(crate) fn series(options: &SeriesOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let orders = series_orders(options)?;
    let folder = options.out.as_deref().map(RunFolder::prepare).transpose()?;
    if orders.is_empty() && !quiet {
        output::note("none of these scenes claims a series; --over and --gauge name one");
    }
    let stop = progress::stop_flag();
    let bar = progress::Bar::new(orders.len(), quiet);
    let mut found = Vec::new();
    for order in &orders {
        bar.say(&format!("{} over {}", order.gauge, order.over));
        let record = stop.during(|| run_series(order, &stop))?;
        bar.done(record.verdict);
        found.push(record);
    }
    bar.clear();
    if let Some(folder) = &options.plots {
        std::fs::create_dir_all(folder).map_err(|cause| file_error(folder, cause))?;
        for (number, record) in found.iter().enumerate() {
            let path = folder.join(format!("{:02}-{}-{}.svg", number + 1, record.scene, record.gauge));
            put_file(&path, series_plot(record)?.as_bytes()).map_err(|cause| file_error(&path, cause))?;
        }
    }
    let status = match worst_of(&found) {
        Some(Verdict::Fail) => ExitStatus::Fails,
        _ => ExitStatus::Holds,
    };
    let text = series_text(&found);
    let document = SeriesDocument::of(found);
    output::print(&match options.format {
        Format::Json => document_json(&document)?,
        Format::Csv => series_csv(&document.series)?,
        _ => text,
    })?;
    if let Some(folder) = folder {
        let beyond = Beyond { series: Some(document), ..Beyond::default() };
        super::report::publish_beyond(folder, &format!("Series of {}", options.scenes.join(", ")), &beyond, &[])?;
    }
    Ok(if stop.load(Ordering::Relaxed) { ExitStatus::Interrupted } else { status })
}

/// Memory of a trial, from a process of its own.
fn weigh(plan: &TrialPlan) -> Option<u64> {
    let program = std::env::current_exe().ok()?;
    let output = std::process::Command::new(program).arg("weigh").args(&plan.arguments()[1..]).output().ok()?;
    String::from_utf8(output.stdout).ok()?.trim().parse().ok()
}

pub(crate) fn cost(options: &CostOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let (axis, texts) = options.over.clone().unwrap_or_else(|| ("-".to_owned(), vec!["1".to_owned()]));
    let (mut plans, mut values) = (Vec::new(), Vec::new());
    for text in &texts {
        let mut grid = options.conditions.order(std::slice::from_ref(&options.scene));
        if options.over.is_some() {
            grid.set.retain(|(name, _)| *name != axis);
            grid.set.push((axis.clone(), vec![text.clone()]));
        }
        for plan in plan_grid(&grid)? {
            let parameter = plan.setup.parameters.iter().find(|parameter| parameter.name == axis);
            values.push(parameter.map_or(1.0, |parameter| parameter.value));
            plans.push(plan);
        }
    }
    if let (Some(gauge), Some(plan)) = (&options.error, plans.first()) {
        let known: Vec<&str> = plan.setup.claims.iter().map(|claim| claim.gauge.as_str()).collect();
        if !known.contains(&gauge.as_str()) {
            let why = format!("the scene claims nothing about `{gauge}`; it claims: {}", known.join(", "));
            return Err(Diagnostic::Kept { why });
        }
    }
    if let Some(file) = &options.ledger {
        // A ledger that cannot be written is reported before the first trial.
        ironspin_lab::Ledger::open(file)?;
    }
    let folder = options.out.as_deref().map(RunFolder::prepare).transpose()?;
    let order = CostOrder {
        plans,
        axis,
        values,
        rounds: usize::from(options.rounds),
        longest: Duration::from_secs_f64(options.longest),
        budget: 1e-3 * options.budget,
        error: options.error.clone(),
    };
    let stop = progress::stop_flag();
    let bar = progress::Bar::new(order.plans.len() * order.rounds, quiet);
    let listener = |plan: &TrialPlan| {
        bar.say(&format!("now {} bodies on {}", plan.setup.world.bodies.len(), plan.engine.text()));
        bar.done(Verdict::Pass);
    };
    let document = stop.during(|| measure_cost(&order, &stop, &listener, &weigh));
    bar.clear();
    super::tell_remarks(order.plans.iter().map(|plan| &plan.engine));
    if let Some(path) = &options.plot {
        put_file(path, cost_plot(&document)?.as_bytes()).map_err(|cause| file_error(path, cause))?;
    }
    if let Some(folder) = folder {
        let beyond = Beyond { costs: Some(document.clone()), ..Beyond::default() };
        super::report::publish_beyond(folder, &format!("Cost of {}", options.scene), &beyond, &order.plans)?;
    }
    tell_cost(options, &document, &stop)
}

fn tell_cost(options: &CostOptions, document: &CostDocument, stop: &AtomicBool) -> Result<ExitStatus, Diagnostic> {
    output::print(&match options.format {
        Format::Json => document_json(document)?,
        Format::Csv => cost_csv(document)?,
        Format::Table => cost_table(document),
    })?;
    if let Some(file) = &options.ledger {
        let kept = Kept::Costs(Box::new(document.clone()));
        super::ledger::keep(file, options.name.as_deref(), &kept)?;
    }
    Ok(if stop.load(Ordering::Relaxed) { ExitStatus::Interrupted } else { ExitStatus::Holds })
}

/// The other end of a weighing: memory of a trial in a process of its own.
pub(crate) fn weigh_here(options: &crate::args::FramesOptions) -> Result<ExitStatus, Diagnostic> {
    let plans = plan_grid(&options.conditions.order(std::slice::from_ref(&options.scene)))?;
    for plan in plans.iter().take(1) {
        if let Some(bytes) = ironspin_lab::weigh_trial(plan)? {
            output::print(&format!("{bytes}\n"))?;
        }
    }
    Ok(ExitStatus::Holds)
}
