//! The entries of the gauges of bodies that went through a barrier: all of them, and each way by itself.

use super::{count, pushed, seam, stack, touched, untouched};
use crate::advice;
use crate::entry::{Better, GaugeEntry, Need, PLAIN};
use ironspin_model::Dimension;

pub(crate) const COUNT: GaugeEntry = GaugeEntry {
    name: "tunnel.count",
    label: "bodies gone through",
    unit: "bodies",
    better: Better::Lower,
    definition: "Number of bodies whose centre went into a barrier by one face and out by one that looks the other way, on the path from frame to frame in the barrier's own frame; that crossed a segment of a polyline or a face of a mesh; or that passed between two barriers through a gap narrower than themselves. A half-plane or half-space counts as passed when a body that came from outside lies wholly inside. The reading tells how many went in which way: the five gauges that follow count them one by one.",
    formula: "count of bodies with n_in . n_out < 0, or whose centre crosses a segment or face, or the line across a gap d < 0.98 s; in space, that goes where d_a + d_b < 0.98 s is least along its way and n_a . n_b < -0.94, d and n the distances and directions to both rims",
    source: "solids do not pass through each other; Cyrus and Beck (1978) for the clipping",
    limits: "The path of the centre counts: a body that lost only a corner is seen by the overlap. A barrier that turns within a step is taken to turn evenly; its turn is followed in pieces of 0.05 rad, against the straight way of the body; what goes in and comes back out within a step has not gone through.",
    usual_causes: "collision looked for only where bodies stand at the end of a step; swept collision for static barriers only, or for translation only",
    needs: &[Need::Against],
    counts: true,
    needs_geometry: true,
    next_step: advice::TUNNEL,
    make: count,
    dimensions: Dimension::BOTH,
    ..PLAIN
};

pub(crate) const UNTOUCHED: GaugeEntry = GaugeEntry {
    name: "tunnel.untouched",
    label: "gone through untouched",
    definition: "Number of bodies that went through a barrier, whose velocity no step near it changed beyond gravity, damping and actions, and which no frame shows overlapping it.",
    formula: "count of bodies with n_in . n_out < 0, of this kind",
    usual_causes: "collision looked for only where bodies stand at the end of a step; a barrier thinner than a step of travel",
    next_step: advice::TUNNEL,
    make: untouched,
    ..COUNT
};

pub(crate) const TOUCHED: GaugeEntry = GaugeEntry {
    name: "tunnel.touched",
    label: "touched and still through",
    definition: "Number of bodies that went through a barrier although it changed their velocity on the way, or although a frame shows them overlapping it, so that it could have been noticed.",
    formula: "count of bodies with n_in . n_out < 0, of this kind",
    usual_causes: "a pair of bodies or shapes that is never looked at; impulses too weak because iterations or mass ratio do not suffice; a body beyond the middle that is taken out by the far face, since that is nearer",
    next_step: advice::TUNNEL,
    make: touched,
    ..COUNT
};

pub(crate) const STACK: GaugeEntry = GaugeEntry {
    name: "tunnel.stack",
    label: "out at the other end of a stack",
    definition: "Number of bodies that went through several barriers in one go, each nearer to the next than the body is wide.",
    formula: "count of bodies with n_in . n_out < 0, of this kind",
    usual_causes: "correction of overlap that hands a body from one barrier to the next",
    next_step: advice::TUNNEL,
    make: stack,
    ..COUNT
};

pub(crate) const PUSHED: GaugeEntry = GaugeEntry {
    name: "tunnel.pushed",
    label: "pushed out on the wrong side",
    definition: "Number of bodies that lay inside a barrier at the end of a step and left it by the far face because they were pushed: faster than before, or further than their velocity carries them.",
    formula: "count of bodies with n_in . n_out < 0, of this kind",
    usual_causes: "the shortest way out of an overlap taken instead of the way back",
    next_step: advice::TUNNEL,
    make: pushed,
    ..COUNT
};

pub(crate) const SEAM: GaugeEntry = GaugeEntry {
    name: "tunnel.seam",
    label: "escaped through a seam",
    definition: "Number of bodies that passed between two barriers through a gap narrower than themselves, or left a closed chain without crossing any of its segments.",
    formula: "count of bodies with n_in . n_out < 0, of this kind",
    usual_causes: "edges of neighbouring pieces that do not meet; the last segment of a chain left out; corners without thickness",
    next_step: advice::TUNNEL,
    make: seam,
    ..COUNT
};
