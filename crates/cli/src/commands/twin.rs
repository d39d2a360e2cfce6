//! `twin`: trials that must agree with themselves after an exact change.

use crate::args::{Change, Format, FramesOptions, TwinOptions};
use crate::diagnostic::{Diagnostic, ExitStatus};
use crate::progress::Stop;
use crate::{output, progress};
use ironspin_lab::{
    RunFolder, TrialPlan, TwinKind, TwinOrder, TwinRecord, TwinsDocument, plan_grid, run_twin, share_out, twins_of,
    write_frames,
};
use ironspin_model::Verdict;
use ironspin_report::{document_json, growth_plot, twin_csv, twin_table};
use std::sync::atomic::Ordering;
use std::sync::{Arc, Mutex, PoisonError};

/// The twins that were asked for, of every trial.
fn orders(plans: &[TrialPlan], by: &[Change]) -> Vec<TwinOrder> {
    if by.is_empty() {
        return twins_of(plans, Some(&TwinKind::all()));
    }
    plans
        .iter()
        .flat_map(|plan| {
            let plan = std::slice::from_ref(plan);
            by.iter().flat_map(move |change| match change {
                Change::Kind(kind) => twins_of(plan, Some(&[*kind])),
                Change::Promised => twins_of(plan, None),
            })
        })
        .collect()
}

/// Runs twins on all cores, in the order of the list; what was finished, and whether Ctrl-C came.
pub(super) fn run_twins(orders: &[TwinOrder], jobs: usize, quiet: bool, stop: &Stop) -> (Vec<TwinRecord>, bool) {
    let program = std::env::current_exe().ok();
    let bar = Arc::new(progress::Bar::new(orders.len(), quiet));
    let mut longest: Vec<usize> = (0..orders.len()).collect();
    longest.sort_by(|&a, &b| orders[b].plan.weight().total_cmp(&orders[a].plan.weight()).then(a.cmp(&b)));
    let records: Arc<Mutex<Vec<Option<TwinRecord>>>> = Arc::new(Mutex::new(orders.iter().map(|_| None).collect()));
    stop.wait_for({
        let (orders, bar, records, stop) = (orders.to_vec(), Arc::clone(&bar), Arc::clone(&records), stop.clone());
        move || {
            let work = |number: usize| {
                let order = &orders[number];
                bar.say(&format!("now {} by {}", order.plan.setup.name, order.kind.word()));
                let record = run_twin(order, program.as_deref());
                bar.done(record.verdict);
                if let Some(place) = records.lock().unwrap_or_else(PoisonError::into_inner).get_mut(number) {
                    *place = Some(record);
                }
            };
            share_out(&longest, jobs, &stop, &work);
        }
    });
    let records = std::mem::take(&mut *records.lock().unwrap_or_else(PoisonError::into_inner));
    let records: Vec<TwinRecord> = records.into_iter().flatten().collect();
    bar.end_as(records.len(), "twin");
    super::tell_remarks(orders.iter().map(|order| &order.plan.engine));
    (records, stop.load(Ordering::Relaxed))
}

/// The worse of a status and what twins come to.
pub(super) fn worse(status: ExitStatus, twins: &[TwinRecord]) -> ExitStatus {
    match (status, twins.iter().map(|record| record.verdict).max()) {
        (ExitStatus::EngineFailed, _) | (_, Some(Verdict::Error)) => ExitStatus::EngineFailed,
        (ExitStatus::Fails, _) | (_, Some(Verdict::Fail)) => ExitStatus::Fails,
        // A twin that agrees was judged.
        (ExitStatus::NothingJudged, Some(_)) if twins.iter().any(|record| record.verdict == Verdict::Pass) => {
            ExitStatus::Holds
        }
        _ => status,
    }
}

pub(crate) fn run(options: &TwinOptions, quiet: bool) -> Result<ExitStatus, Diagnostic> {
    let plans = plan_grid(&options.conditions.order(&options.scenes.names()?))?;
    let orders = orders(&plans, &options.by);
    let folder = options.out.as_deref().map(RunFolder::prepare).transpose()?;
    let (records, interrupted) = run_twins(&orders, options.jobs, quiet, &progress::stop_flag());
    let document = TwinsDocument::of(&records);
    if let Some(folder) = folder {
        for (number, twin) in document.twins.iter().enumerate() {
            if let Some(svg) = growth_plot(twin)? {
                folder.write(&format!("{:03}-{}-{}.svg", number + 1, twin.scene, twin.by), svg.as_bytes())?;
            }
        }
        let title = format!("Twins of {}", options.scenes.title());
        super::report::publish_beyond(folder, &title, &super::report::of_twins(&records), &plans)?;
    }
    output::print(&match options.format {
        Format::Json => document_json(&document)?,
        Format::Csv => twin_csv(&document)?,
        Format::Table => twin_table(&records),
    })?;
    let status = worse(ExitStatus::Holds, &records);
    Ok(super::after(interrupted, orders.len(), records.len(), status))
}

/// The other end of a twin in a process of its own.
pub(crate) fn frames(options: &FramesOptions) -> Result<ExitStatus, Diagnostic> {
    let plans = plan_grid(&options.conditions.order(std::slice::from_ref(&options.scene)))?;
    let mut out = std::io::BufWriter::with_capacity(1 << 20, std::io::stdout().lock());
    for plan in plans.iter().take(1) {
        write_frames(plan, &mut out)?;
    }
    Ok(ExitStatus::Holds)
}
