//! Claims: gauge, bodies, window, bound, reason; twins and series.

use super::Resolver;
use crate::budget::Cost;
use crate::diagnostic::Diagnostic;
use crate::expression::{Compiled, Own};
use crate::file::{ClaimTable, LawTable, Placed, SeriesTable, SeverityWord, TwinTable};
use crate::names::Names;
use crate::number::{Number, NumberText};
use crate::rules::{Series, SeriesShape, TWIN_KINDS, Twin};
use crate::scene::is_scene_name;
use crate::select::split;
use crate::setup::Parameter;
use ironspin_model::{BodyKind, Claim, Details, Dimension, Law, Measure, Nth, Scalar, Severity, Window, World};
use std::collections::BTreeSet;

/// What is made at each turn of the loops of a claim, for an engine of double and one of single precision, with the indices of the turn.
type EachTurn<'a> = dyn FnMut(&[&Names; 2], &str) -> Result<(), Diagnostic> + 'a;

impl Resolver {
    /// All claims, and of which table each is.
    pub(super) fn claims(&self, tables: &[ClaimTable], world: &World) -> Result<(Vec<Claim>, Vec<usize>), Diagnostic> {
        let names = |scalar: Scalar| self.names.with("dt", self.dt).with("eps", scalar.epsilon());
        let (mut double, mut single) = (names(Scalar::F64), names(Scalar::F32));
        let (mut claims, mut sources) = (Vec::new(), Vec::new());
        let mut known = BTreeSet::new();
        for (number, table) in tables.iter().enumerate() {
            self.claim_turns(&table.loops.0, &mut [&mut double, &mut single], "", &mut |names, indices| {
                self.budget.spend(Cost::Claims, 1, || table.gauge.span())?;
                let claim = self.claim(table, world, names[0])?;
                let single = Some(self.bound(table, names[1])?).filter(|bound| *bound != claim.bound);
                let name = self.claim_name(table, indices, &mut known)?;
                claims.push(Claim { single, name, ..claim });
                sources.push(number);
                Ok(())
            })?;
        }
        Ok((claims, sources))
    }

    /// Runs nested loops, outermost first; what is made in them knows their counters, and their indices as they stand behind names.
    fn claim_turns(
        &self,
        loops: &[(Placed<String>, Number)],
        names: &mut [&mut Names; 2],
        indices: &str,
        each: &mut EachTurn<'_>,
    ) -> Result<(), Diagnostic> {
        let Some(((counter, span), inner)) = loops.split_first() else {
            return each(&[&*names[0], &*names[1]], indices);
        };
        self.check_counter(counter, names[0])?;
        let [from, to] = self.ends(span, names[0])?;
        let mut inside = [names[0].with(counter.get_ref(), 0.0), names[1].with(counter.get_ref(), 0.0)];
        for turn in from..to {
            self.budget.spend(Cost::Turns, 1, || counter.span())?;
            let [one, other] = &mut inside;
            one.set(counter.get_ref(), turn as f64);
            other.set(counter.get_ref(), turn as f64);
            self.claim_turns(inner, &mut [one, other], &format!("{indices}[{turn}]"), each)?;
        }
        Ok(())
    }

    /// From where to where a loop counts: `"1..count"`, or how many times.
    fn ends(&self, number: &Number, names: &Names) -> Result<[usize; 2], Diagnostic> {
        let text = match number.text() {
            NumberText::Expression(text) => text.as_str(),
            NumberText::Literal(_) => "",
        };
        let [from, to] = match text.split_once("..") {
            Some((from, to)) => {
                let end = |text: &str| self.evaluator.evaluate_at(text, number.span(), names);
                [end(from)?, end(to)?]
            }
            None => [0.0, self.evaluator.value(number, names)?],
        };
        if !(from >= 0.0 && from.fract() == 0.0 && to.fract() == 0.0 && to >= from) {
            return Err(Diagnostic::at(number.span(), format!("a loop cannot count from {from} to {to}"))
                .label("expected whole numbers from 0, as in \"0..count\""));
        }
        if to > self.body_limit as f64 {
            return Err(self.too_many(number.span()).label(format!("is {to}")));
        }
        Ok([from as usize, to as usize])
    }

    fn claim_name(
        &self,
        table: &ClaimTable,
        indices: &str,
        known: &mut BTreeSet<String>,
    ) -> Result<String, Diagnostic> {
        let Some(name) = &table.name else { return Ok(String::new()) };
        let wrong = |message: String| Diagnostic::at(name.span(), message);
        // Indices behind it stand in resolved scenes.
        let (base, indices_of_name) = split(name.get_ref());
        if !is_scene_name(base) || indices_of_name.iter().any(|index| index.parse::<usize>().is_err()) {
            return Err(wrong(format!("`{}` is no name for a claim", name.get_ref()))
                .label("not a plain name")
                .help("use letters, digits, blanks between them, and - _ . ( ), up to 100"));
        }
        let whole = format!("{}{indices}", name.get_ref());
        if !known.insert(whole.clone()) {
            return Err(wrong(format!("two claims are called `{whole}`")).label("second of this name"));
        }
        Ok(whole)
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
            name: String::new(),
            gauge: table.gauge.get_ref().clone(),
            of,
            of_text: match table.loops.0.is_empty() {
                true => table.of.get_ref().clone(),
                false => self.with_worked_out_indices(&table.of, names)?,
            },
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
        let measure = |text: &Placed<String>, own: Own| self.compiled(text, names, own).map(Compiled::into_measure);
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
                Some(texts.iter().map(|text| measure(text, Own::Time)).collect::<Result<Vec<_>, _>>()?)
            }
            None => None,
        };
        Ok(Details {
            measure: table.measure.as_ref().map(|text| measure(text, Own::State)).transpose()?,
            path,
            law: table.law.as_ref().map(|law| self.law(law, names)).transpose()?,
            becomes: table.becomes.as_ref().map(|text| self.condition(text, names)).transpose()?,
            nth: table.nth.as_ref().map(|nth| self.nth(nth, names)).transpose()?,
            at_time: table.at_time.as_ref().map(|time| self.moment(time, table, names)).transpose()?,
            point: table.point.as_ref().map(|point| self.placed_vector(point, names)).transpose()?,
        })
    }

    /// What becomes true or not.
    pub(super) fn condition(&self, text: &Placed<String>, names: &Names) -> Result<Measure, Diagnostic> {
        let compiled = self.compiled(text, names, Own::State)?;
        if !compiled.is_truth() {
            return Err(Diagnostic::at(text.span(), format!("`{}` is a number and no condition", text.get_ref()))
                .label("never true or false")
                .help("write a comparison, such as \"vy < 0 and y > 1\""));
        }
        Ok(compiled.into_measure())
    }

    /// An expression over states that is written in the scene.
    pub(super) fn compiled(&self, text: &Placed<String>, names: &Names, own: Own) -> Result<Compiled, Diagnostic> {
        let at = |diagnostic: Diagnostic| Diagnostic { span: Some(text.span()), ..diagnostic };
        let compiled = self.evaluator.compile(text.get_ref(), names, own, &self.cast).map_err(at)?;
        self.evaluator.remark(text.get_ref(), &text.span());
        Ok(compiled)
    }

    fn nth(&self, number: &Number, names: &Names) -> Result<Nth, Diagnostic> {
        if matches!(number.text(), NumberText::Expression(text) if text.trim() == "last") {
            return Ok(Nth::Last);
        }
        let nth = self.evaluator.value(number, names)?;
        if !(nth >= 1.0 && nth.fract() == 0.0 && nth <= 1e9) {
            return Err(Diagnostic::at(number.span(), format!("`nth` cannot be {nth}"))
                .label("expected a whole number from 1, or \"last\""));
        }
        Ok(Nth::Nth(nth as u64))
    }

    /// The time at which a claim measures, within the trial and in no window.
    fn moment(&self, number: &Number, table: &ClaimTable, names: &Names) -> Result<f64, Diagnostic> {
        let time = self.not_negative(number, "the time of a claim", names)?;
        if table.window.is_some() {
            return Err(Diagnostic::at(number.span(), "a claim has either `at_time` or `window`").label("both"));
        }
        if time > self.duration * (1.0 + 1e-12) {
            return Err(Diagnostic::at(number.span(), "the time of a claim comes after the end of the trial")
                .label(format!("{time} s, of {} s", self.duration)));
        }
        Ok(time)
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
