//! The list of gauges as a document.

use crate::entry::GaugeEntry;
use crate::gauges::GAUGES;

/// All gauges as a Markdown document.
pub fn handbook() -> String {
    let mut out = String::from(
        "# Gauges\n\n\
         Each gauge measures one quantity from the states that an engine gives, with geometry of its own. This page is made from \
         the gauge table of the program (`ironspin explain --all` prints it); a test keeps the two equal.\n\n\
         A value that could not be measured never passes. All values are in SI units; planar worlds count per metre of depth.\n\n\
         | gauge | unit | better | in short |\n|---|---|---|---|\n",
    );
    for gauge in &GAUGES {
        out.push_str(&format!(
            "| [`{}`](#{}) | {} | {} | {} |\n",
            gauge.name,
            gauge.name.replace('.', ""),
            gauge.unit,
            gauge.better.word(),
            gauge.label
        ));
    }
    for gauge in &GAUGES {
        out.push('\n');
        out.push_str(&entry_text(gauge));
    }
    out
}

/// One gauge as Markdown.
pub fn entry_text(gauge: &GaugeEntry) -> String {
    let mut needs = String::new();
    for need in gauge.needs {
        let (what, _) = need.texts();
        needs.push_str(&format!("- **Needs** {what}.\n"));
    }
    let worlds = gauge.dimensions.iter().map(|dimension| dimension.word()).collect::<Vec<_>>().join(" and ");
    format!(
        "## {}\n\n{}{}\n\n- **Formula**: `{}`\n- **Unit**: {}; {} is better\n- **Source**: {}\n- **Limits**: {}\n- **Worlds**: {worlds}\n{needs}- **Usual causes when it fails**: {}\n- **What to try next**: {}\n",
        gauge.name,
        gauge.definition,
        if gauge.by_default { " Measured by default: in every scene that claims nothing." } else { "" },
        gauge.formula,
        gauge.unit,
        gauge.better.word(),
        gauge.source,
        gauge.limits,
        gauge.usual_causes,
        gauge.next_step
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_unique_and_every_text_is_there() {
        for (number, gauge) in GAUGES.iter().enumerate() {
            assert!(GAUGES[..number].iter().all(|other| other.name != gauge.name), "{}", gauge.name);
            for text in [
                gauge.label,
                gauge.unit,
                gauge.definition,
                gauge.formula,
                gauge.source,
                gauge.limits,
                gauge.usual_causes,
                gauge.next_step,
            ] {
                assert!(!text.is_empty(), "{}", gauge.name);
            }
        }
    }

    #[test]
    fn the_handbook_in_the_docs_is_the_one_of_the_table() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/gauges.md");
        let written = std::fs::read_to_string(path).unwrap_or_default();
        assert!(written == handbook(), "docs/gauges.md is out of date: write `ironspin explain --all` to it");
    }
}
