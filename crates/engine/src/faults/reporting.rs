//! Mistakes in what an engine notices, reports and remembers: filters, sensors, rays, contacts, saved states, order.

use super::{FaultEntry, Hook, Reported, SHARE, by, sized};
use crate::common::injection::InjectionPoint;
use ironspin_model::{BodyKind, Contact, DVec3, Dimension, Frame};

pub(super) const FAULTS: &[FaultEntry] = &[
    FaultEntry {
        name: "filter-one-way",
        dimensions: Dimension::BOTH,
        wrong: "Of two bodies only the layers that the first one meets are asked.",
        cause: "The test is written once, for the body whose turn it is.",
        size: None,
        noticed: &[by("gate-layers", "value.x"), by("solid-gates", "value.x")],
        hook: Hook::MidStep(InjectionPoint::OneWayFilter),
    },
    FaultEntry {
        name: "sensor-at-the-end-of-a-step",
        dimensions: Dimension::BOTH,
        wrong: "A sensor looks where bodies stand at the end of a step: what flies through within one is missed.",
        cause: "Sensors are left out of swept collision.",
        size: None,
        noticed: &[by("turnstile", "sensor.wrong"), by("solid-turnstile", "sensor.wrong")],
        hook: Hook::MidStep(InjectionPoint::SensorsAtEnd),
    },
    FaultEntry {
        name: "ray-from-inside",
        dimensions: Dimension::BOTH,
        wrong: "A ray does not see the body that it starts in.",
        cause: "The nearer root of the quadratic is behind the start, and is dropped.",
        size: None,
        noticed: &[by("rivet-ray", "ray.error"), by("solid-ray", "ray.error")],
        hook: Hook::MidStep(InjectionPoint::RayFromInside),
    },
    FaultEntry {
        name: "forgets-on-restore",
        dimensions: Dimension::BOTH,
        wrong: "A state that was saved comes back without the impulses of its contacts.",
        cause: "What warm starting remembers is not part of the state.",
        size: None,
        noticed: &[
            by("crane-forecast", "forecast.error"),
            by("billet-pyramid", "twin.restore"),
            by("solid-forecast", "forecast.error"),
        ],
        hook: Hook::MidStep(InjectionPoint::ForgetsOnRestore),
    },
    FaultEntry {
        name: "forgets-between-calls",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Contacts forget their impulses whenever the caller asks for further steps.",
        cause: "What warm starting remembers lives as long as the call.",
        size: None,
        noticed: &[by("billet-pyramid", "twin.split")],
        hook: Hook::MidStep(InjectionPoint::ForgetsBetweenCalls),
    },
    FaultEntry {
        name: "hash-map-order",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Impacts are applied in the order of a hash map, which is another in every run.",
        cause: "Contacts are kept in a hash map with a random seed and iterated over.",
        size: None,
        noticed: &[by("hopper-count", "twin.again"), by("hopper-count", "twin.process")],
        hook: Hook::MidStep(InjectionPoint::HashOrder),
    },
    FaultEntry {
        name: "thread-race",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "With more than one thread impacts are applied as the threads come to them.",
        cause: "Each thread writes what it has found behind what the others have.",
        size: None,
        noticed: &[by("hopper-count", "twin.threads"), by("ingot-wall", "twin.threads")],
        hook: Hook::MidStep(InjectionPoint::ThreadRace),
    },
    FaultEntry {
        name: "split-loses-turning",
        dimensions: Dimension::BOTH,
        wrong: "Pieces of a body that is split get the velocity of its centre.",
        cause: "The velocity is copied, and what the turning adds at the place of the piece is not.",
        size: SHARE,
        noticed: &[by("casting-split", "value.vx"), by("casting-split", "energy.drift"), by("cell-cut", "value.vx")],
        hook: Hook::MidStep(InjectionPoint::SplitLosesTurning),
    },
    FaultEntry {
        name: "contact-points-explode",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Every contact point is reported eight times.",
        cause: "Points are found anew in every substep and never merged with what is there.",
        size: None,
        noticed: &[by("contact-thrift", "contacts.points")],
        hook: Hook::Frame(|frame, _, _| {
            frame.contacts = frame
                .contacts
                .iter()
                .flat_map(|contact| std::iter::repeat_n(Contact { impulse: contact.impulse / 8.0, ..*contact }, 8))
                .collect();
        }),
    },
    FaultEntry {
        name: "contacts-of-strangers",
        dimensions: Dimension::PLANE_ONLY,
        wrong: "Bodies that do not touch are reported as touching, with an impulse.",
        cause: "Pairs of bounding boxes are reported as contacts.",
        size: sized(1.0, "impulse that is reported, N s"),
        noticed: &[by("contact-thrift", "contacts.phantom")],
        hook: Hook::Frame(strangers),
    },
];

/// A contact of the first and the last body that move.
fn strangers(frame: &mut Frame, reported: &Reported<'_>, impulse: f64) {
    let mut movers = (0..reported.kinds.len())
        .filter(|&body| reported.kinds[body] == BodyKind::Dynamic && !frame.bodies[body].is_absent());
    if let (Some(a), Some(b)) = (movers.next(), movers.next_back()) {
        let point = 0.5 * (frame.bodies[a].pose.position + frame.bodies[b].pose.position);
        frame.contacts.push(Contact { bodies: [a, b], point, normal: DVec3::Y, depth: 0.0, impulse, times: Some(1) });
    }
}
