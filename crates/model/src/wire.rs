//! How engines outside number things: of n rigid bodies and m soft ones, 0 to n-1 and n to n+m-1, and the nodes of a soft body from 0 on.
//! Within the bench every node is a body with an id of its own.

use crate::{BodyState, Contact, Frame, RayHit, SensorEvent, World};
use std::ops::Range;

/// The ids of a world, inside and outside.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct WireIds {
    rigid: usize,
    bodies: usize,
    nodes: Vec<Range<usize>>,
}

impl WireIds {
    /// Those of a world.
    pub fn of(world: &World) -> WireIds {
        WireIds {
            rigid: world.rigid_count(),
            bodies: world.bodies.len(),
            nodes: world.softs.iter().map(|soft| soft.nodes.clone()).collect(),
        }
    }

    /// How many rigid bodies there are.
    pub fn rigid(&self) -> usize {
        self.rigid
    }

    /// How many nodes there are.
    pub fn nodes(&self) -> usize {
        self.bodies - self.rigid
    }

    /// How many bodies there are outside: rigid ones and soft ones.
    pub fn count(&self) -> usize {
        self.rigid + self.nodes.len()
    }

    /// Whether there are no soft bodies, so that ids are the same on both sides.
    pub fn are_same(&self) -> bool {
        self.nodes.is_empty()
    }

    /// The body outside, and the number of the node where one is meant.
    pub fn outside(&self, id: usize) -> (usize, Option<usize>) {
        if id < self.rigid || self.nodes.is_empty() {
            return (id, None);
        }
        if id >= self.bodies {
            return (self.rigid + id - self.bodies, None);
        }
        let soft = self.nodes.partition_point(|nodes| nodes.end <= id);
        (self.rigid + soft, self.nodes.get(soft).map(|nodes| id - nodes.start))
    }

    /// The id inside of a body and, where one is named, a node; nothing where there is none.
    pub fn inside(&self, body: usize, node: Option<usize>) -> Option<usize> {
        if body < self.rigid {
            return node.is_none().then_some(body);
        }
        let soft = body - self.rigid;
        let nodes = self.nodes.get(soft)?;
        match node {
            None => Some(self.bodies + soft),
            Some(node) => (node < nodes.len()).then_some(nodes.start + node),
        }
    }

    /// Pairs of bodies as they are named outside, each once.
    pub fn pairs_outside(&self, pairs: &[[usize; 2]]) -> Vec<[usize; 2]> {
        let mut outside: Vec<[usize; 2]> = pairs.iter().map(|pair| pair.map(|id| self.outside(id).0)).collect();
        if !self.are_same() {
            outside.sort_unstable();
            outside.dedup();
        }
        outside
    }

    /// Pairs as they are named inside: every node of a soft body.
    pub fn pairs_inside(&self, pairs: &[[usize; 2]]) -> Vec<[usize; 2]> {
        let meant = |body: usize| match body.checked_sub(self.rigid).and_then(|soft| self.nodes.get(soft)) {
            Some(nodes) => nodes.clone(),
            None => body..body + 1,
        };
        let both = |&[a, b]: &[usize; 2]| meant(a).flat_map(move |a| meant(b).map(move |b| [a, b]));
        pairs.iter().flat_map(both).collect()
    }

    /// A contact as it is told outside.
    pub fn contact_outside(&self, contact: &Contact) -> Contact {
        Contact { bodies: contact.bodies.map(|id| self.outside(id).0), ..*contact }
    }

    /// What a sensor noticed as it is told outside.
    pub fn event_outside(&self, event: &SensorEvent) -> SensorEvent {
        let end = |[id, part]: [usize; 2]| [self.outside(id).0, part];
        SensorEvent { sensor: end(event.sensor), other: end(event.other), ..*event }
    }

    /// Gives the contacts and notices of a frame from outside their ids inside: of a soft body the node that is nearest to the point, or its
    /// first. An id that there is not becomes one beyond all bodies.
    pub fn take_in(&self, frame: &mut Frame) {
        if self.are_same() {
            return;
        }
        let Frame { bodies, contacts, events, .. } = frame;
        for contact in contacts {
            contact.bodies = contact.bodies.map(|id| self.nearest(id, contact, bodies));
        }
        for event in events {
            for end in [&mut event.sensor, &mut event.other] {
                end[0] = self.first(end[0]);
            }
        }
    }

    /// A hit of a ray from outside: of a soft body it is one of its first node.
    pub fn hit_inside(&self, hit: RayHit) -> RayHit {
        RayHit { body: if self.are_same() { hit.body } else { self.first(hit.body) }, ..hit }
    }

    fn nearest(&self, body: usize, contact: &Contact, states: &[BodyState]) -> usize {
        let Some(nodes) = body.checked_sub(self.rigid).and_then(|soft| self.nodes.get(soft)) else {
            return self.first(body);
        };
        let far = |&node: &usize| {
            states.get(node).map_or(f64::INFINITY, |state| state.pose.position.distance_squared(contact.point))
        };
        nodes.clone().min_by(|a, b| far(a).total_cmp(&far(b))).unwrap_or(nodes.start)
    }

    fn first(&self, body: usize) -> usize {
        match body.checked_sub(self.rigid) {
            None => body,
            Some(soft) => self.nodes.get(soft).map_or(self.bodies.saturating_add(body), |nodes| nodes.start),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::DVec3;

    fn ids() -> WireIds {
        WireIds { rigid: 2, bodies: 9, nodes: vec![2..5, 5..9] }
    }

    #[test]
    fn ids_go_out_and_come_back() {
        let ids = ids();
        for (inside, outside) in [(1, (1, None)), (2, (2, Some(0))), (8, (3, Some(3))), (10, (3, None)), (9, (2, None))]
        {
            assert_eq!(ids.outside(inside), outside);
            assert_eq!(ids.inside(outside.0, outside.1), Some(inside));
        }
        assert_eq!((ids.inside(4, None), ids.inside(3, Some(4)), ids.inside(0, Some(0))), (None, None, None));
        assert_eq!(ids.pairs_inside(&[[0, 2]]), [[0, 2], [0, 3], [0, 4]]);
        assert_eq!(ids.pairs_outside(&[[0, 2], [0, 3], [0, 4], [0, 1]]), [[0, 1], [0, 2]]);
    }

    #[test]
    fn a_contact_of_a_soft_body_is_one_of_its_nearest_node() {
        let mut frame =
            Frame { bodies: vec![BodyState::planar(DVec3::ZERO, 0.0, DVec3::ZERO, 0.0); 9], ..Frame::default() };
        frame.bodies[7].pose.position = DVec3::new(3.0, 0.0, 0.0);
        let (point, normal) = (DVec3::new(2.5, 0.0, 0.0), DVec3::Y);
        let contact = Contact { bodies: [0, 3], point, normal, depth: 0.0, impulse: 0.0, times: None };
        frame.contacts = vec![contact, Contact { bodies: [0, 7], ..contact }];
        ids().take_in(&mut frame);
        assert_eq!(frame.contacts[0].bodies, [0, 7]);
        assert!(frame.contacts[1].bodies[1] >= 9, "{:?}", frame.contacts[1]);
    }
}
