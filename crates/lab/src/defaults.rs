//! What is measured in a scene that claims nothing.

use crate::plan::lacks;
use ironspin_gauge::GAUGES;
use ironspin_model::{Bound, Claim, Details, Severity, Window};
use ironspin_scene::Setup;

/// Lets the default gauges measure a scene that has no claim, twin or series: all bodies that move, over the whole trial, without a bound.
pub(crate) fn measure_by_default(setup: &mut Setup) {
    let of: Vec<usize> = setup.world.dynamic_bodies().collect();
    let claims_something = !(setup.claims.is_empty() && setup.twins.is_empty() && setup.series.is_empty());
    if claims_something || of.is_empty() {
        return;
    }
    for entry in GAUGES.iter().filter(|entry| entry.by_default) {
        let claim = Claim {
            name: String::new(),
            gauge: entry.name.to_owned(),
            of: of.clone(),
            of_text: "*".to_owned(),
            against: Vec::new(),
            details: Details::default(),
            window: Window { from: 0.0, to: setup.world.duration },
            bound: Bound::None,
            single: None,
            severity: Severity::Should,
            because: "the scene claims nothing".to_owned(),
        };
        if lacks(entry.needs, &claim, setup).is_none() {
            setup.claims.push(claim);
        }
    }
}
