//! From the engine back to the scene: frames and hits of rays.

use super::{Census, Transform};
use ironspin_model::{BodyState, Contact, DVec3, Frame, Pose, RayHit};

impl Transform {
    fn vector_back(&self, v: DVec3, factor: f64) -> DVec3 {
        self.turned.turn_back(v) / factor
    }

    fn place_back(&self, point: DVec3, time: f64) -> DVec3 {
        self.vector_back(point - self.moved(time), self.length)
    }

    /// Which body of the scene a body of the engine is; nothing for one that the scene does not have.
    fn id_back(&self, body: usize, census: Census) -> Option<usize> {
        if body < census.rigid {
            return Some(if self.reversed { census.rigid - 1 - body } else { body });
        }
        let own = if self.bystander { body.checked_sub(1).filter(|&own| own >= census.rigid)? } else { body };
        (own < census.bodies).then_some(own)
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

    /// A frame of the engine in terms of a scene of so many bodies, put into `out`.
    pub(super) fn frame_back(&self, frame: &Frame, census: Census, out: &mut Frame) {
        out.step = frame.step;
        out.time = frame.time / self.time;
        let time = out.time;
        out.bodies.clear();
        // A wrong number of bodies is for those who look at frames to notice.
        let aside = (self.bystander && frame.bodies.len() == census.bodies + 1).then_some(census.rigid);
        let own = frame.bodies.iter().enumerate().filter(|(id, _)| Some(*id) != aside);
        out.bodies.extend(own.map(|(_, state)| self.state_back(state, time)));
        if self.reversed {
            let rigid = census.rigid.min(out.bodies.len());
            out.bodies[..rigid].reverse();
        }
        out.contacts.clear();
        out.contacts.extend(frame.contacts.iter().filter_map(|contact| self.contact_back(contact, census, time)));
        out.events.clear();
        out.events.extend(frame.events.iter().filter_map(|event| {
            let end = |[body, part]: [usize; 2]| Some([self.id_back(body, census)?, part]);
            Some(ironspin_model::SensorEvent { sensor: end(event.sensor)?, other: end(event.other)?, ..*event })
        }));
    }

    fn contact_back(&self, contact: &Contact, census: Census, time: f64) -> Option<Contact> {
        let [a, b] = [self.id_back(contact.bodies[0], census)?, self.id_back(contact.bodies[1], census)?];
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
    pub(super) fn hit_back(&self, hit: &RayHit, census: Census, time: f64) -> Option<RayHit> {
        Some(RayHit {
            body: self.id_back(hit.body, census)?,
            point: self.place_back(hit.point, time),
            normal: self.vector_back(hit.normal, 1.0),
            distance: hit.distance / self.length,
        })
    }
}
