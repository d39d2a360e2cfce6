//! Mistakes in swept collision.

use super::{FaultEntry, Hook, by, sized};
use crate::common::injection::InjectionPoint;
use ironspin_model::Dimension;

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "swept-against-standing-only",
        dimensions: Dimension::BOTH,
        wrong: "Swept collision sees what cannot move, and passes through the rest.",
        cause: "Only the level geometry is in the tree that is swept through.",
        size: None,
        noticed: &[
            by("rivet-hung", "tunnel.count"),
            by("rivet-blade", "tunnel.count"),
            by("solid-hung", "tunnel.count"),
        ],
        hook: Hook::MidStep(InjectionPoint::SweptStandingOnly),
    },
    FaultEntry {
        name: "swept-without-turning",
        dimensions: Dimension::BOTH,
        wrong: "Swept collision follows centres and forgets that bodies turn.",
        cause: "The sweep of a shape is a translation.",
        size: None,
        noticed: &[by("rivet-blade", "tunnel.count"), by("solid-hung", "tunnel.count")],
        hook: Hook::MidStep(InjectionPoint::SweptNoTurning),
    },
    FaultEntry {
        name: "swept-now-and-then",
        dimensions: Dimension::BOTH,
        wrong: "In a quarter of its steps a body is not swept.",
        cause: "The work of a step has a limit, and what comes after it is left out.",
        size: sized(0.25, "share of the steps that are left out"),
        noticed: &[
            by("rivet-swarm", "tunnel.count"),
            by("rivet-shot", "tunnel.count"),
            by("solid-shot", "tunnel.count"),
        ],
        hook: Hook::MidStep(InjectionPoint::SweptNowAndThen),
    },
    FaultEntry {
        name: "thin-bodies-not-swept",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Swept collision leaves out what is thinner than half a metre.",
        cause: "Shapes are shrunk by a margin in metres before they are swept, and thin ones vanish.",
        size: sized(0.5, "thickness below which a body is left out, m"),
        noticed: &[
            by("rivet-shot", "tunnel.count"),
            by("rivet-hung", "tunnel.count"),
            by("rivet-blade", "tunnel.count"),
        ],
        hook: Hook::MidStep(InjectionPoint::SweptNotThin),
    },
];
