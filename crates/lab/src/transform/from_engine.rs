//! From the engine back to the scene: frames and hits of rays.

use super::Transform;
use ironspin_model::{BodyState, Contact, DVec3, Frame, Pose, RayHit};

impl Transform {
    fn vector_back(&self, v: DVec3, factor: f64) -> DVec3 {
        self.turned.turn_back(v) / factor
    }

    fn place_back(&self, point: DVec3, time: f64) -> DVec3 {
        self.vector_back(point - self.moved(time), self.length)
    }

    /// Which body of the scene a body of the engine is; nothing for one that the scene does not have.
    fn id_back(&self, body: usize, count: usize) -> Option<usize> {
        (body < count).then(|| if self.reversed { count - 1 - body } else { body })
    }

    fn state_back(&self, state: &BodyState, time: f64) -> BodyState {
        let hand = self.turned.hand();
        let boost = self.boost * self.factor(1, 0, -1);
        BodyState {
            pose: Pose {
                position: self.place_back(state.pose.position, time),
                rotation: self.turned.rotation_back(state.pose.rotation),
                angle: hand * state.pose.angle,
            },
            velocity: self.vector_back(state.velocity - boost, self.factor(1, 0, -1)),
            spin: hand * self.turned.turn_back(state.spin) / self.factor(0, 0, -1),
        }
    }

    /// A frame of the engine in terms of a scene of `count` bodies, put into `out`.
    pub(super) fn frame_back(&self, frame: &Frame, count: usize, out: &mut Frame) {
        out.step = frame.step;
        out.time = frame.time / self.time;
        let time = out.time;
        out.bodies.clear();
        // A wrong number of bodies is for those who look at frames to notice.
        let own = frame.bodies.len() - usize::from(self.bystander && frame.bodies.len() == count + 1);
        out.bodies.extend(frame.bodies[..own].iter().map(|state| self.state_back(state, time)));
        if self.reversed {
            out.bodies.reverse();
        }
        out.contacts.clear();
        out.contacts.extend(frame.contacts.iter().filter_map(|contact| self.contact_back(contact, count, time)));
        out.events.clear();
        out.events.extend(frame.events.iter().filter_map(|event| {
            let end = |[body, part]: [usize; 2]| Some([self.id_back(body, count)?, part]);
            Some(ironspin_model::SensorEvent { sensor: end(event.sensor)?, other: end(event.other)?, ..*event })
        }));
    }

    fn contact_back(&self, contact: &Contact, count: usize, time: f64) -> Option<Contact> {
        let [a, b] = [self.id_back(contact.bodies[0], count)?, self.id_back(contact.bodies[1], count)?];
        let normal = self.vector_back(contact.normal, 1.0);
        // The smaller id stands first, and the normal goes from it to the other.
        let (bodies, normal) = if a > b { ([b, a], -normal) } else { ([a, b], normal) };
        Some(Contact {
            bodies,
            point: self.place_back(contact.point, time),
            normal,
            depth: contact.depth / self.length,
            impulse: contact.impulse / self.factor(1, 1, -1),
            times: contact.times,
        })
    }

    /// A hit of a ray in terms of the scene; nothing for one of a body that the scene does not have.
    pub(super) fn hit_back(&self, hit: &RayHit, count: usize, time: f64) -> Option<RayHit> {
        Some(RayHit {
            body: self.id_back(hit.body, count)?,
            point: self.place_back(hit.point, time),
            normal: self.vector_back(hit.normal, 1.0),
            distance: hit.distance / self.length,
        })
    }
}
