//! Claims: gauge, bodies, window, bound, reason; twins and series.

use super::Resolver;
use crate::diagnostic::Diagnostic;
use crate::file::{ClaimTable, LawTable, Placed, SeriesTable, SeverityWord, TwinTable};
use crate::names::Names;
use crate::number::{Number, NumberText};
use crate::rules::{Series, SeriesShape, TWIN_KINDS, Twin};
use crate::setup::Parameter;
use crate::state::state_names;
use ironspin_model::{BodyKind, Bound, Claim, Details, Dimension, Law, Scalar, Severity, Window, World};

impl Resolver {
    pub(super) fn claims(&self, tables: &[ClaimTable], world: &World) -> Result<Vec<Claim>, Diagnostic> {
        let names = |scalar: Scalar| self.names.with("dt", self.dt).with("eps", scalar.epsilon());
        let (double, single) = (names(Scalar::F64), names(Scalar::F32));
        let claim = |table| {
            let claim = self.claim(table, world, &double)?;
            let single = Some(self.bound(table, &single)?).filter(|bound| *bound != claim.bound);
            Ok(Claim { single, ..claim })
        };
        tables.iter().map(claim).collect()
    }

    fn claim(&self, table: &ClaimTable, world: &World, names: &Names) -> Result<Claim, Diagnostic> {
        if table.because.get_ref().trim().is_empty() {
            return Err(
                Diagnostic::at(table.because.span(), "a claim must say why its bound is what it is").label("empty")
            );
        }
        let mut of = self.selected(&table.of, &world.bodies, names)?;
        // What never moves has nothing to measure; naming it by `*` is no mistake.
        of.retain(|&id| world.bodies[id].kind != BodyKind::Static);
        if table.of.get_ref().trim() == "*" {
            of.retain(|&id| world.bodies[id].kind == BodyKind::Dynamic);
        }
        if of.is_empty() {
            return Err(Diagnostic::at(
                table.of.span(),
                format!("`{}` names only bodies that never move", table.of.get_ref()),
            )
            .label("nothing to measure"));
        }
        let against =
            table.against.as_ref().map_or(Ok(Vec::new()), |selector| self.selected(selector, &world.bodies, names))?;
        let window = match &table.window {
            None => Window { from: 0.0, to: f64::INFINITY },
            Some([from, to]) => {
                let window = Window { from: self.evaluator.value(from, names)?, to: self.evaluator.value(to, names)? };
                let positive = window.from >= 0.0 && window.to > window.from;
                if !positive || window.from > world.duration {
                    return Err(Diagnostic::at(
                        from.span().start..to.span().end,
                        "the window of a claim must lie within the trial and end after it begins",
                    )
                    .label(format!("from {} to {} s, of {} s", window.from, window.to, world.duration)));
                }
                window
            }
        };
        Ok(Claim {
            gauge: table.gauge.get_ref().clone(),
            of,
            of_text: table.of.get_ref().clone(),
            against,
            details: self.details(table, names)?,
            window,
            bound: self.bound(table, names)?,
            single: None,
            severity: match table.severity {
                SeverityWord::Must => Severity::Must,
                SeverityWord::Should => Severity::Should,
            },
            because: table.because.get_ref().clone(),
        })
    }

    fn details(&self, table: &ClaimTable, names: &Names) -> Result<Details, Diagnostic> {
        let measure = |text: &Placed<String>, own: &[&str]| {
            self.evaluator
                .measure(self.dimension, text.get_ref(), names, own)
                .map_err(|diagnostic| Diagnostic { span: Some(text.span()), ..diagnostic })
        };
        let path = match &table.path {
            Some(path) => {
                let (due, form) = match self.dimension {
                    Dimension::Plane => (2, "[x, y]"),
                    Dimension::Space => (3, "[x, y, z]"),
                };
                let texts = path.get_ref();
                if texts.len() != due {
                    return Err(Diagnostic::at(
                        path.span(),
                        format!("found {} expressions where the {form} of a path is expected", texts.len()),
                    )
                    .label(format!("expected {due} expressions over t")));
                }
                Some(texts.iter().map(|text| measure(text, &["t"])).collect::<Result<Vec<_>, _>>()?)
            }
            None => None,
        };
        Ok(Details {
            measure: table.measure.as_ref().map(|text| measure(text, state_names(self.dimension))).transpose()?,
            path,
            law: table.law.as_ref().map(|law| self.law(law, names)).transpose()?,
        })
    }

    fn law(&self, table: &Placed<LawTable>, names: &Names) -> Result<Law, Diagnostic> {
        let value = |number: &Number| self.evaluator.value(number, names);
        let wrong = |what: &str| Diagnostic::at(table.span(), format!("the law {what}")).label("in this law");
        let LawTable { binomial, normal, exponential, uniform } = table.get_ref();
        let law = match (binomial, normal, exponential, uniform) {
            (Some([tries, chance]), None, None, None) => {
                let (tries, chance) = (value(tries)?, value(chance)?);
                if !(tries >= 1.0 && tries.fract() == 0.0 && tries <= 1e6 && (0.0..=1.0).contains(&chance)) {
                    return Err(wrong(
                        "binomial has a whole number of tries, up to a million, and a chance from 0 to 1",
                    ));
                }
                Law::Binomial { tries: tries as u64, chance }
            }
            (None, Some([mean, deviation]), None, None) => {
                let (mean, deviation) = (value(mean)?, value(deviation)?);
                if !(deviation > 0.0) {
                    return Err(wrong("normal has a mean and a deviation above 0"));
                }
                Law::Normal { mean, deviation }
            }
            (None, None, Some(mean), None) => {
                let mean = value(mean)?;
                if !(mean > 0.0) {
                    return Err(wrong("exponential has a mean above 0"));
                }
                Law::Exponential { mean }
            }
            (None, None, None, Some([from, to])) => {
                let (from, to) = (value(from)?, value(to)?);
                if !(from < to) {
                    return Err(wrong("uniform has a lower end below its upper end"));
                }
                Law::Uniform { from, to }
            }
            _ => return Err(wrong("is exactly one of `binomial`, `normal`, `exponential` and `uniform`")),
        };
        Ok(law)
    }

    fn bound(&self, table: &ClaimTable, names: &Names) -> Result<Bound, Diagnostic> {
        let bounds = [&table.at_most, &table.at_least, &table.equals];
        if bounds.iter().filter(|bound| bound.is_some()).count() != 1 {
            return Err(Diagnostic::at(
                table.gauge.span(),
                "a claim has exactly one of `at_most`, `at_least` and `equals`",
            )
            .label("in this claim"));
        }
        if let (Some(within), None) = (&table.within, &table.equals) {
            return Err(Diagnostic::at(within.span(), "`within` goes with `equals` only"));
        }
        if let Some(limit) = &table.at_most {
            return Ok(Bound::AtMost(self.evaluator.value(limit, names)?));
        }
        if let Some(limit) = &table.at_least {
            return Ok(Bound::AtLeast(self.evaluator.value(limit, names)?));
        }
        let value = table.equals.as_ref().map_or(Ok(0.0), |number| self.evaluator.value(number, names))?;
        let within = table.within.as_ref().map_or(Ok(0.0), |number| self.within(number, value, names))?;
        if within < 0.0 {
            return Err(Diagnostic::at(table.gauge.span(), "`within` must not be negative"));
        }
        Ok(Bound::Equals { value, within })
    }

    /// `0.02` in the gauge's unit, or `"1 %"` of the value.
    fn within(&self, number: &Number, value: f64, names: &Names) -> Result<f64, Diagnostic> {
        if let NumberText::Expression(text) = number.text()
            && let Some(percent) = text.trim().strip_suffix('%')
        {
            let share =
                self.evaluator.evaluate(percent, names).map_err(|f| Diagnostic { span: Some(number.span()), ..f })?;
            return Ok(0.01 * share * value.abs());
        }
        self.evaluator.value(number, names)
    }

    pub(super) fn twins(&self, tables: &[TwinTable]) -> Result<Vec<Twin>, Diagnostic> {
        let mut twins: Vec<Twin> = Vec::new();
        for table in tables {
            let within =
                table.within.as_ref().map(|within| self.not_negative(within, "`within`", &self.names)).transpose()?;
            for by in table.by.get_ref().words() {
                let wrong = |message: String| Diagnostic::at(table.by.span(), message);
                if !TWIN_KINDS.contains(&by.as_str()) {
                    return Err(wrong(format!("there is no twin by `{by}`"))
                        .label("unknown change")
                        .help_names(by, TWIN_KINDS));
                }
                if twins.iter().any(|twin| twin.by == *by) {
                    return Err(wrong(format!("the twin by `{by}` is promised twice")).label("second promise"));
                }
                twins.push(Twin { by: by.clone(), within, because: table.because.clone() });
            }
        }
        Ok(twins)
    }

    pub(super) fn series(
        &self,
        tables: &[SeriesTable],
        world: &World,
        parameters: &[Parameter],
    ) -> Result<Vec<Series>, Diagnostic> {
        tables.iter().map(|table| self.one_series(table, world, parameters)).collect()
    }

    fn one_series(&self, table: &SeriesTable, world: &World, parameters: &[Parameter]) -> Result<Series, Diagnostic> {
        let over = table.over.get_ref();
        let axes = ["dt", "size"].into_iter().chain(parameters.iter().map(|parameter| parameter.name.as_str()));
        if !axes.clone().any(|axis| axis == over) {
            return Err(Diagnostic::at(table.over.span(), format!("there is no axis called `{over}`"))
                .label("unknown axis")
                .help_names(over, axes));
        }
        let values = table.values.iter().flatten().map(|value| self.value(value)).collect::<Result<_, _>>()?;
        let mut shapes = Vec::new();
        if let Some(order) = &table.falls_with_order {
            shapes.push(SeriesShape::FallsWithOrder(self.value(order)?));
        }
        if let Some(exponent) = &table.grows_at_most {
            shapes.push(SeriesShape::GrowsAtMost(self.value(exponent)?));
        }
        if let Some(only) = &table.only {
            shapes.push(match only.get_ref().as_str() {
                "rises" => SeriesShape::OnlyRises,
                "falls" => SeriesShape::OnlyFalls,
                other => {
                    return Err(Diagnostic::at(
                        only.span(),
                        format!("`only` is \"rises\" or \"falls\", and not \"{other}\""),
                    ));
                }
            });
        }
        let [shape] = shapes.as_slice() else {
            return Err(Diagnostic::at(
                table.gauge.span(),
                "a series has exactly one of `falls_with_order`, `grows_at_most` and `only`",
            )
            .label("in this series"));
        };
        let selected = |selector: &Placed<String>| self.selected(selector, &world.bodies, &self.names);
        let mut of = selected(&table.of)?;
        of.retain(|&id| world.bodies[id].kind != BodyKind::Static);
        Ok(Series {
            over: over.clone(),
            values,
            gauge: table.gauge.get_ref().clone(),
            of,
            against: table.against.as_ref().map_or(Ok(Vec::new()), selected)?,
            shape: *shape,
            because: table.because.clone(),
        })
    }
}
