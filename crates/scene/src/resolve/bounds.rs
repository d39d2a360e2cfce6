//! Bounds of claims: plain, as a share, or falling with the step.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{ClaimTable, FallingTable, Limit, Placed};
use crate::names::Names;
use crate::number::{Number, NumberText};
use ironspin_model::Bound;

/// Largest power with which a bound may fall.
const LARGEST_ORDER: f64 = 16.0;

impl Resolver {
    pub(super) fn bound(&self, table: &ClaimTable, names: &Names) -> Result<Bound, Diagnostic> {
        let given = [table.at_most.is_some(), table.at_least.is_some(), table.equals.is_some()];
        if given.iter().filter(|given| **given).count() != 1 {
            return Err(Diagnostic::at(
                table.gauge.span(),
                "a claim has exactly one of `at_most`, `at_least` and `equals`",
            )
            .label("in this claim"));
        }
        let value = match (&table.at_most, &table.at_least, &table.equals) {
            (Some(limit), ..) | (_, Some(limit), _) => self.limit(limit, None, names)?,
            (.., Some(number)) => self.evaluator.value(number, names)?,
            _ => 0.0,
        };
        let within = table.within.as_ref().map_or(Ok(0.0), |limit| self.limit(limit, Some(value), names))?;
        if within < 0.0 {
            return Err(Diagnostic::at(table.gauge.span(), "`within` must not be negative"));
        }
        Ok(match (&table.at_most, &table.at_least) {
            (Some(_), _) => Bound::AtMost(value + within),
            (_, Some(_)) => Bound::AtLeast(value - within),
            _ => Bound::Equals { value, within },
        })
    }

    /// A number in the gauge's unit, `"1 %"` of a value, or a bound that falls with the step.
    fn limit(&self, limit: &Limit, of: Option<f64>, names: &Names) -> Result<f64, Diagnostic> {
        match limit {
            Limit::Number(number) => self.share(number, of, names),
            Limit::Falling(table) => self.falling(table, of, names),
        }
    }

    fn falling(&self, table: &Placed<FallingTable>, of: Option<f64>, names: &Names) -> Result<f64, Diagnostic> {
        let FallingTable { at_dt, of: bound, order } = table.get_ref();
        let step = self.positive(at_dt, "the step of a bound", names)?;
        let exponent = self.evaluator.value(order, names)?;
        if !(exponent > 0.0 && exponent <= LARGEST_ORDER) {
            return Err(Diagnostic::at(
                order.span(),
                format!("the order of a bound lies above 0 and up to {LARGEST_ORDER}, and this is {exponent}"),
            )
            .label(format!("is {exponent}")));
        }
        let limit = self.share(bound, of, names)? * libm::pow(self.dt / step, exponent);
        if !limit.is_finite() {
            return Err(Diagnostic::at(table.span(), format!("the bound is {limit} with a step of {} s", self.dt))
                .label("not finite"));
        }
        Ok(limit)
    }

    /// A number, or a share of a value such as `"1 %"`.
    fn share(&self, number: &Number, of: Option<f64>, names: &Names) -> Result<f64, Diagnostic> {
        let NumberText::Expression(text) = number.text() else { return self.evaluator.value(number, names) };
        let Some(percent) = text.trim().strip_suffix('%') else { return self.evaluator.value(number, names) };
        let Some(value) = of else {
            return Err(Diagnostic::at(number.span(), "a bound in per cent is a share of nothing here")
                .label("of what?")
                .help("per cent go with `within`: they are a share of the bound that it widens"));
        };
        let share = self.evaluator.evaluate_at(percent, number.span(), names)?;
        if value == 0.0 && share != 0.0 {
            return Err(Diagnostic::at(number.span(), "a share of 0 is 0, so that only the bound itself would hold")
                .label("per cent of 0")
                .help("give `within` in the unit of the gauge"));
        }
        Ok(0.01 * share * value.abs())
    }
}
