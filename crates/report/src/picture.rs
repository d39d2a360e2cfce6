//! Bodies of a world as SVG.

use crate::figure::{Primitive, body_figure, joint_figure};
use crate::look::css;
use ironspin_lab::Recording;
use ironspin_model::{Body, BodyKind, BodyState, DVec2, PlaneShape, World};
use std::fmt::Write;

/// The part of a world that a picture shows, so that several pictures of one trial show the same.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Scenery {
    low: DVec2,
    high: DVec2,
}

/// A view grows by so many times at most to hold where bodies touched.
const TOUCHES: f64 = 12.0;
/// Width of a picture, px; the height follows, within limits.
const WIDTH: f64 = 420.0;

/// How far a part reaches from the body's centre.
fn reach(body: &Body) -> f64 {
    body.parts.iter().map(|p| p.pose.xy().length() + p.shape.reach()).fold(0.0, f64::max)
}

/// Half the width and height of the box around a body as it was built.
fn half_extent(body: &Body) -> DVec2 {
    let part = |shape: &PlaneShape, angle: f64| {
        let (sin, cos) = (libm::sin(angle), libm::cos(angle));
        match shape {
            PlaneShape::Box(size) => {
                let (sin, cos) = (sin.abs(), cos.abs());
                0.5 * DVec2::new(cos * size.x + sin * size.y, sin * size.x + cos * size.y)
            }
            PlaneShape::Polygon(points) | PlaneShape::Polyline(points) => points
                .iter()
                .map(|p| DVec2::new(cos * p.x - sin * p.y, sin * p.x + cos * p.y).abs())
                .fold(DVec2::ZERO, DVec2::max),
            other => DVec2::splat(other.reach()),
        }
    };
    body.parts
        .iter()
        .fold(DVec2::ZERO, |far, p| far.max(p.pose.xy().abs() + part(p.shape.planar(), body.pose.angle + p.pose.angle)))
}

impl Scenery {
    /// What is worth seeing: where bodies start and what holds them there, what stands near them, and where they end unless that is far
    /// away.
    pub fn of(world: &World, start: &[BodyState], end: &[BodyState]) -> Scenery {
        let mut view = Scenery { low: DVec2::INFINITY, high: DVec2::NEG_INFINITY };
        let moving = || world.bodies.iter().enumerate().filter(|(_, body)| body.kind != BodyKind::Static);
        for (id, body) in moving() {
            if let Some(state) = start.get(id) {
                view.include(state.pose.position.truncate(), reach(body));
            }
        }
        for joint in &world.joints {
            for end in [0, 1] {
                if let (Some(state), Some(_)) = (start.get(joint.bodies[end]), start.get(joint.bodies[1 - end])) {
                    let turn = DVec2::new(libm::cos(state.pose.angle), libm::sin(state.pose.angle));
                    view.include(state.pose.xy() + turn.rotate(joint.frames[end].anchor.truncate()), 0.0);
                }
            }
        }
        if !(view.low.x <= view.high.x) {
            view = Scenery { low: DVec2::splat(-1.0), high: DVec2::ONE };
        }
        let near = view.grown(0.6);
        for body in world.bodies.iter().filter(|body| body.kind == BodyKind::Static) {
            let at = body.pose.position.truncate();
            let arm = half_extent(body);
            let (low, high) = ((at - arm).max(near.low), (at + arm).min(near.high));
            if low.cmple(high).all() {
                view.low = view.low.min(low);
                view.high = view.high.max(high);
            }
        }
        let near = view.grown(1.0);
        for (id, body) in moving() {
            if let Some(at) = end.get(id).map(|state| state.pose.position.truncate()).filter(|&at| near.holds(at)) {
                view.include(at, reach(body));
            }
        }
        view.grown(0.06)
    }

    /// The same for a trial, with where its bodies touched, unless that makes everything else small.
    pub(crate) fn of_trial(world: &World, recording: &Recording) -> Scenery {
        let mut view = Scenery::of(world, &recording.start, &recording.end).with_ways_of_joined(world, recording);
        // All but the outermost few.
        let along = |pick: fn(&[f64; 3]) -> f64| {
            let mut values: Vec<f64> = recording.replay.contacts.iter().flatten().map(pick).collect();
            values.retain(|value| value.is_finite());
            values.sort_by(f64::total_cmp);
            let edge = values.len() / 50;
            Some((*values.get(edge)?, *values.get(values.len() - 1 - edge)?))
        };
        let (Some(x), Some(y)) = (along(|contact| contact[0]), along(|contact| contact[1])) else { return view };
        let (low, high) = (view.low.min(DVec2::new(x.0, y.0)), view.high.max(DVec2::new(x.1, y.1)));
        let size = (view.high - view.low).max_element();
        if (high - low).max_element() <= TOUCHES * size && (low, high) != (view.low, view.high) {
            view = Scenery { low, high }.grown(0.06);
        }
        view
    }

    /// With all places where a body that a joint holds has been, but for those that are far away.
    fn with_ways_of_joined(mut self, world: &World, recording: &Recording) -> Scenery {
        let near = self.grown(1.0);
        let mut joined: Vec<usize> = world.joints.iter().flat_map(|joint| joint.bodies).collect();
        joined.sort_unstable();
        joined.dedup();
        joined.retain(|&id| world.bodies.get(id).is_some_and(|body| body.kind != BodyKind::Static));
        for number in 0..recording.replay.times.len() {
            let frame = recording.replay.frame(number);
            for &id in &joined {
                let Some(&[x, y, _]) = frame.get(id) else { continue };
                let at = DVec2::new(x, y);
                if near.holds(at) {
                    self.include(at, reach(&world.bodies[id]));
                }
            }
        }
        self
    }

    /// Lower left and upper right corner, m.
    pub(crate) fn corners(&self) -> (DVec2, DVec2) {
        (self.low, self.high)
    }

    fn include(&mut self, at: DVec2, reach: f64) {
        if at.is_finite() && reach.is_finite() {
            self.low = self.low.min(at - reach);
            self.high = self.high.max(at + reach);
        }
    }

    /// Grown on all sides by a share of the larger side.
    fn grown(&self, share: f64) -> Scenery {
        let by = DVec2::splat(share * (self.high - self.low).max_element().max(1e-9));
        Scenery { low: self.low - by, high: self.high + by }
    }

    fn holds(&self, point: DVec2) -> bool {
        point.cmpge(self.low).all() && point.cmple(self.high).all()
    }
}

/// Draws all bodies; y points up. Bodies outside the view are counted in the corner.
pub fn picture(world: &World, states: &[BodyState], view: &Scenery, caption: &str) -> String {
    let size = view.high - view.low;
    let height = (WIDTH * size.y / size.x).clamp(120.0, 420.0);
    let unit = 1.0 / (WIDTH / size.x).min(height / size.y);
    let mut out = String::new();
    // Writing to a string cannot fail.
    let _ = write!(
        out,
        "<svg class=\"picture\" role=\"img\" aria-label=\"{}\" viewBox=\"{} {} {} {}\" width=\"{WIDTH}\" height=\"{height:.0}\" preserveAspectRatio=\"xMidYMid meet\">",
        escape(caption),
        view.low.x,
        -view.high.y,
        size.x,
        size.y
    );
    let _ = write!(out, "<title>{}</title>", escape(caption));
    let mut outside = 0;
    let mut moving = 0;
    for (id, (body, state)) in world.bodies.iter().zip(states).enumerate() {
        let still = body.kind == BodyKind::Static;
        if state.is_absent() {
            continue;
        }
        if !still {
            moving += 1;
            if !view.holds(state.pose.position.truncate()) {
                outside += 1;
                continue;
            }
        }
        let colour = if still { "#9a958a".to_owned() } else { css(moving - 1) };
        let _ = write!(
            out,
            "<g fill=\"{colour}\" fill-opacity=\"{}\" stroke=\"#22262a\" stroke-width=\"{}\"><title>{} ({id})</title>",
            if still { 0.55 } else { 0.85 },
            unit,
            escape(&body.name)
        );
        let far = 2.0 * (size.x + size.y) + (state.pose.xy() - 0.5 * (view.low + view.high)).length();
        for part in body_figure(body, state.pose.xy(), state.pose.angle) {
            let dashes = if part.sensor { format!("{} {}", 4.0 * unit, 3.0 * unit) } else { String::new() };
            primitive(&mut out, &part.primitive, far, still, unit, &dashes);
        }
        out.push_str("</g>");
    }
    let pose = |body: usize| {
        states.get(body).filter(|state| state.is_finite()).map(|state| (state.pose.xy(), state.pose.angle))
    };
    let joints: Vec<Primitive> =
        world.joints.iter().flat_map(|joint| joint_figure(joint, pose, JOINT * unit)).collect();
    if !joints.is_empty() {
        let _ = write!(out, "<g fill=\"none\" stroke=\"#22262a\" stroke-width=\"{}\">", 1.5 * unit);
        joints.iter().for_each(|joint| primitive(&mut out, joint, 0.0, true, unit, ""));
        out.push_str("</g>");
    }
    if outside > 0 {
        let noun = if outside == 1 { "body" } else { "bodies" };
        let _ = write!(
            out,
            "<text x=\"{}\" y=\"{}\" font-size=\"{}\" text-anchor=\"end\" fill=\"#b44a1c\">{outside} {noun} outside the picture</text>",
            view.high.x - 6.0 * unit,
            -view.low.y - 8.0 * unit,
            13.0 * unit
        );
    }
    out.push_str("</svg>");
    out
}

/// Half the size of the sign of a joint, px.
const JOINT: f64 = 4.0;

/// Draws a primitive; `unit` is a px in m, `dashes` the lengths of dashes and gaps, empty for a whole line.
fn primitive(out: &mut String, primitive: &Primitive, far: f64, still: bool, unit: f64, dashes: &str) {
    let dashed = if dashes.is_empty() { String::new() } else { format!(" stroke-dasharray=\"{dashes}\"") };
    let list = |points: &[DVec2]| points.iter().map(|c| format!("{},{}", c.x, -c.y)).collect::<Vec<_>>().join(" ");
    let _ = match primitive {
        Primitive::Round { centre, radius, spoke } => {
            let (x, y) = (centre.x, -centre.y);
            let spoke = match spoke.filter(|_| !still) {
                Some(rim) => format!("<path d=\"M{x} {y}L{} {}\" fill=\"none\"/>", rim.x, -rim.y),
                None => String::new(),
            };
            // A disc too small to see is drawn as a dot.
            let radius = radius.max(1.5 * unit);
            write!(out, "<circle cx=\"{x}\" cy=\"{y}\" r=\"{radius}\"{dashed}/>{spoke}")
        }
        Primitive::Stadium { ends, radius } => {
            let side = (ends[1] - ends[0]).normalize_or(DVec2::X).perp() * *radius;
            let [a, b, c, d] = [ends[0] - side, ends[1] - side, ends[1] + side, ends[0] + side].map(|p| (p.x, -p.y));
            write!(
                out,
                "<path d=\"M{} {}L{} {}A{radius} {radius} 0 0 0 {} {}L{} {}A{radius} {radius} 0 0 0 {} {}Z\"{dashed}/>",
                a.0, a.1, b.0, b.1, c.0, c.1, d.0, d.1, a.0, a.1
            )
        }
        Primitive::Line(points) => write!(out, "<polyline points=\"{}\" fill=\"none\"{dashed}/>", list(points)),
        Primitive::Area(_) | Primitive::HalfPlane { .. } => {
            let corners = primitive.corners(far).unwrap_or_default();
            write!(out, "<polygon points=\"{}\"{dashed}/>", list(&corners))
        }
    };
}

/// Text for HTML and SVG.
pub(crate) fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn markup_in_names_is_no_markup() {
        assert_eq!(escape("<a b=\"c\">&"), "&lt;a b=&quot;c&quot;&gt;&amp;");
    }

    #[test]
    fn a_view_of_nothing_is_still_a_view() {
        let view = Scenery { low: DVec2::splat(2.0), high: DVec2::splat(2.0) }.grown(0.1);
        assert!(view.holds(DVec2::splat(2.0)) && view.high.x > view.low.x);
    }
}
