//! What each exact change shows, what usually breaks it, and what to try next.

use super::TwinKind;

/// What there is to say about a kind of twin.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TwinEntry {
    /// What is changed, and why it must make no difference.
    pub change: &'static str,
    /// What in an engine usually makes one.
    pub usual_causes: &'static str,
    /// What to try next.
    pub next_step: &'static str,
}

impl TwinKind {
    /// What there is to say about it.
    pub fn entry(self) -> TwinEntry {
        let entry = |change, usual_causes, next_step| TwinEntry { change, usual_causes, next_step };
        match self {
            TwinKind::Again => entry(
                "The trial is run a second time in the same process. Nothing differs.",
                "state that is left from the run before; memory that is read before it is written; a hash map whose order is random; a clock in the results",
                "two trials of one step; then a tool that finds reads of memory that was never written",
            ),
            TwinKind::Process => entry(
                "The trial is run in a process of its own. Only addresses, the environment and the time differ.",
                "sorting by address; a hash map whose order is random; a clock or a seed from the system",
                "sort by numbers of bodies in the place of pointers; fix the seed of hash maps",
            ),
            TwinKind::Threads => entry(
                "The engine is given more threads.",
                "sums whose order hangs on who is first; islands that are joined in the order in which they are found",
                "one thread against two: sum by blocks in a fixed order, and join in the order of the numbers of bodies",
            ),
            TwinKind::Split => entry(
                "The same steps are asked for in other portions.",
                "something that is done once a call in the place of once a step: warm starting, sleeping, the clearing of forces",
                "two calls of one step against one of two",
            ),
            TwinKind::Restore => entry(
                "The engine saves its state, runs on, puts the state back and runs the same steps again.",
                "state that is not saved: impulses for warm starting, sleep timers, the order of pairs, random generators, sensors that hold somebody",
                "save and put back at once, without steps between; then after one step; compare contact lists and their impulses",
            ),
            TwinKind::Units => entry(
                "All lengths are multiplied by a power of two, which no rounding notices.",
                "thresholds in metres or metres a second: slop, rest speed, sleep speed, margins, epsilons in the narrow phase",
                "scale the scene by ten and see which threshold sets in: it belongs to a size, or to g dt",
            ),
            TwinKind::Mass => entry(
                "All masses are multiplied by a power of two.",
                "thresholds in kilograms or newtons; masses or impulses held above a least value",
                "look for constants that are compared with a mass, an impulse or a force",
            ),
            TwinKind::Tempo => entry(
                "All times are multiplied by a power of two, speeds and accelerations with them.",
                "thresholds in seconds or metres a second; a step that is written into the engine",
                "look for constants that are compared with a speed or a time, and for 1/60",
            ),
            TwinKind::Bystander => entry(
                "One more body stands far away from all others.",
                "a broad phase whose cells hang on the extent of the world; pairs in the order of a tree; sums over all bodies; memory that moves when a list grows",
                "sort pairs by the numbers of their bodies before they are solved",
            ),
            TwinKind::Order => entry(
                "The bodies are handed over in the opposite order.",
                "a solver that passes over contacts in the order of bodies and stops too early; a pair of which the first body is treated in another way",
                "more passes: what goes away is a residual of the solver, what stays treats the first body in another way",
            ),
            TwinKind::Mirror => entry(
                "x becomes -x, and with it the sign of angles; in space y and z too, one after the other, and spins are axial vectors.",
                "a tie that is broken to the left; a normal or tangent that points one way; corners in one sense only",
                "a world that is its own mirror image, such as one box on a floor: does it go to a side?",
            ),
            TwinKind::Turn => entry(
                "The whole world is turned by a quarter, gravity too.",
                "an up that is written into the engine; boxes along the axes that are treated in another way; friction along x only",
                "the same scene with gravity along x",
            ),
            TwinKind::Shift => entry(
                "The whole world is moved far from the origin.",
                "coordinates in single precision; cells of a grid that end; absolute places in thresholds; differences of large numbers",
                "halve the distance: what goes away by halves is rounding, what goes away at once is a limit",
            ),
            TwinKind::Boost => entry(
                "The whole world is in uniform motion, what stands still too.",
                "speeds against the world in the place of speeds against each other: sleep, rest, damping, caps; a kinematic body whose velocity contacts do not know",
                "a box on a kinematic floor that moves evenly: does it slide?",
            ),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_has_an_entry_of_its_own_in_full_sentences() {
        let mut seen = std::collections::BTreeSet::new();
        for kind in TwinKind::all() {
            let entry = kind.entry();
            assert!(entry.change.ends_with('.') && entry.change.len() > 20, "{kind:?}");
            // They end sentences of their own where they are printed.
            for text in [entry.usual_causes, entry.next_step] {
                assert!(!text.is_empty() && !text.ends_with('.'), "{kind:?}: {text}");
            }
            assert!(seen.insert(entry.change) && seen.insert(entry.usual_causes), "{kind:?} has the text of another");
        }
    }
}
