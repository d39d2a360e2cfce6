//! Mistakes in the middle of a sub-step.

use crate::common::injection::InjectionPoint;
use crate::common::settings::Settings;

/// Which mistakes are made.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Slips {
    /// Gas pushes half of the pieces of a skin.
    pub(super) gas_on_one_side: bool,
    /// Gas pushes as it did as built, whatever it has become to fill.
    pub(super) gas_stays: bool,
    /// Sticks let their ends come together.
    pub(super) sticks_only_pull: bool,
    /// The built shape is moved and not turned.
    pub(super) goals_unturned: bool,
    /// Squeezed springs do not give way.
    pub(super) yields_one_way: bool,
    /// Rigid bodies feel nothing of soft ones.
    pub(super) pushes_nobody: bool,
}

impl Slips {
    pub(super) fn of(settings: &Settings) -> Self {
        let on = |point| settings.injected(point).is_some();
        Slips {
            gas_on_one_side: on(InjectionPoint::GasOnOneSide),
            gas_stays: on(InjectionPoint::GasStays),
            sticks_only_pull: on(InjectionPoint::SticksOnlyPull),
            goals_unturned: on(InjectionPoint::GoalsUnturned),
            yields_one_way: on(InjectionPoint::YieldsOneWay),
            pushes_nobody: on(InjectionPoint::NetsPushNobody),
        }
    }
}
