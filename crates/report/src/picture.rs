//! Bodies of a world as SVG.

use crate::figure::{
    Ground, Primitive, Sight, Tint, View, body_figure, deepest_strain, joint_figure, paint_order, placed_point,
    soft_figure,
};
use crate::look::{GRID, GROUND, SERIES, SHADOW, STILL, css, hex, strain_colour};
use ironspin_lab::Recording;
use ironspin_model::{
    Body, BodyKind, BodyState, DVec2, DVec3, Dimension, Part, PlaneShape, Pose, Shape, SpaceShape, World, shown, turn,
};
use std::fmt::Write;

/// The part of a world that a picture shows, so that several pictures of one trial show the same.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Scenery {
    low: DVec3,
    high: DVec3,
    /// 1 along each axis of the world, 0 along z in the plane.
    extents: DVec3,
    sight: Sight,
}

/// A body that has been so many times as far from its start as it ends has come back.
const COMES_BACK: f64 = 1.5;
/// A view grows by so many times at most to hold where bodies touched.
const TOUCHES: f64 = 12.0;
/// Width of a picture, px; the height follows, within limits.
const WIDTH: f64 = 420.0;

/// How far a part reaches from the body's centre.
pub(crate) fn reach(body: &Body) -> f64 {
    body.parts.iter().map(|p| p.pose.position.length() + p.shape.reach()).fold(0.0, f64::max)
}

/// Half the sizes of the box around a body as it was built.
fn half_extent(body: &Body) -> DVec3 {
    let flat = |shape: &PlaneShape, angle: f64| {
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
    let part = |part: &Part| match &part.shape {
        Shape::Plane(shape) => flat(shape, body.pose.angle + part.pose.angle).extend(0.0),
        Shape::Space(SpaceShape::Box(size)) => {
            let m = turn::matrix(turn::product(body.pose.rotation, part.pose.rotation));
            0.5 * (m.x_axis.abs() * size.x + m.y_axis.abs() * size.y + m.z_axis.abs() * size.z)
        }
        Shape::Space(shape) => DVec3::splat(shape.reach()),
    };
    body.parts.iter().fold(DVec3::ZERO, |far, p| far.max(p.pose.position.abs() + part(p)))
}

impl Scenery {
    /// What is worth seeing: where bodies start and what holds them there, what stands near them, and where they end unless that is far
    /// away; from where it is usual, or from a side.
    pub fn of(world: &World, start: &[BodyState], end: &[BodyState], view: Option<View>) -> Scenery {
        let sight = Sight::of(world, view.unwrap_or(View::usual(world.dimension)));
        let extents = match world.dimension {
            Dimension::Plane => DVec3::new(1.0, 1.0, 0.0),
            Dimension::Space => DVec3::ONE,
        };
        let mut view = Scenery { low: DVec3::INFINITY, high: DVec3::NEG_INFINITY, extents, sight };
        let moving = || world.bodies.iter().enumerate().filter(|(_, body)| body.kind != BodyKind::Static);
        for (id, body) in moving() {
            if let Some(state) = start.get(id) {
                view.include(state.pose.position, reach(body));
            }
        }
        for joint in &world.joints {
            for end in [0, 1] {
                if let (Some(state), Some(_)) = (start.get(joint.bodies[end]), start.get(joint.bodies[1 - end])) {
                    let turn = DVec2::new(libm::cos(state.pose.angle), libm::sin(state.pose.angle));
                    view.include((state.pose.xy() + turn.rotate(joint.frames[end].anchor.truncate())).extend(0.0), 0.0);
                }
            }
        }
        if !(view.low.x <= view.high.x) {
            view = Scenery { low: -extents, high: extents, ..view };
        }
        let near = view.grown(0.6);
        for body in world.bodies.iter().filter(|body| body.kind == BodyKind::Static) {
            let at = body.pose.position;
            let arm = half_extent(body);
            let (low, high) = ((at - arm).max(near.low), (at + arm).min(near.high));
            if low.cmple(high).all() {
                view.low = view.low.min(low);
                view.high = view.high.max(high);
            }
        }
        let near = view.grown(1.0);
        for (id, body) in moving() {
            if let Some(at) = end.get(id).map(|state| state.pose.position).filter(|&at| near.holds(at)) {
                view.include(at, reach(body));
            }
        }
        view.grown(0.06)
    }

    /// The same for a trial, with where its bodies touched, unless that makes everything else small.
    pub(crate) fn of_trial(world: &World, recording: &Recording, view: Option<View>) -> Scenery {
        let mut view = Scenery::of(world, &recording.start, &recording.end, view)
            .with_ways_of_joined(world, recording)
            .with_ways_that_come_back(world, recording);
        // All but the outermost few.
        let (mut low, mut high) = (view.low, view.high);
        for axis in 0..3 {
            let mut values: Vec<f64> =
                recording.replay.contacts.iter().flatten().map(|contact| contact.point[axis]).collect();
            values.retain(|value| value.is_finite());
            values.sort_by(f64::total_cmp);
            let edge = values.len() / 50;
            let Some(&[from, to]) =
                values.get(edge).zip(values.get(values.len().saturating_sub(1 + edge))).map(|(a, b)| [*a, *b]).as_ref()
            else {
                return view;
            };
            low[axis] = low[axis].min(from);
            high[axis] = high[axis].max(to);
        }
        let size = (view.high - view.low).max_element();
        if (high - low).max_element() <= TOUCHES * size && (low, high) != (view.low, view.high) {
            view = Scenery { low, high, ..view }.grown(0.06);
        }
        view
    }

    /// With all places where a body that a joint holds, or a node, has been, but for those that are far away.
    fn with_ways_of_joined(mut self, world: &World, recording: &Recording) -> Scenery {
        let near = self.grown(1.0);
        let nodes = world.rigid_count()..world.bodies.len();
        let mut joined: Vec<usize> = world.joints.iter().flat_map(|joint| joint.bodies).chain(nodes).collect();
        joined.sort_unstable();
        joined.dedup();
        joined.retain(|&id| world.bodies.get(id).is_some_and(|body| body.kind != BodyKind::Static));
        for number in 0..recording.replay.times.len() {
            let frame = recording.replay.frame(number);
            for &id in &joined {
                let Some(at) = frame.get(id).map(|pose| pose.position) else { continue };
                if near.holds(at) {
                    self.include(at, reach(&world.bodies[id]));
                }
            }
        }
        self
    }

    /// With all places of a body that has been far from where it began and has come back: on an orbit both ends show nothing of the way.
    fn with_ways_that_come_back(mut self, world: &World, recording: &Recording) -> Scenery {
        let frames = || (0..recording.replay.times.len()).map(|number| recording.replay.frame(number));
        let dynamic = world.bodies.iter().enumerate().filter(|(_, body)| body.kind == BodyKind::Dynamic);
        for (id, body) in dynamic {
            let (Some(start), Some(end)) = (recording.start.get(id), recording.end.get(id)) else { continue };
            let from_start = |at: DVec3| at.distance(start.pose.position);
            let places = || frames().filter_map(|frame| frame.get(id)).map(|pose| pose.position);
            let furthest = places().map(from_start).filter(|way| way.is_finite()).fold(0.0, f64::max);
            if furthest > COMES_BACK * from_start(end.pose.position) {
                places().for_each(|at| self.include(at, reach(body)));
            }
        }
        self
    }

    /// Lower and upper corner of the region, m.
    pub(crate) fn region(&self) -> (DVec3, DVec3) {
        (self.low, self.high)
    }

    /// From where it is seen.
    pub(crate) fn sight(&self) -> &Sight {
        &self.sight
    }

    /// Lower left and upper right corner of what is seen, m in the plane that is looked at.
    pub(crate) fn corners(&self) -> (DVec2, DVec2) {
        self.corners_from(&self.sight)
    }

    /// The same from another side.
    pub(crate) fn corners_from(&self, sight: &Sight) -> (DVec2, DVec2) {
        let corner = |k: usize| {
            let pick = |axis: usize| if k >> axis & 1 == 1 { self.high[axis] } else { self.low[axis] };
            sight.project(DVec3::new(pick(0), pick(1), pick(2)))
        };
        (0..8).map(corner).fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), p| (low.min(p), high.max(p)))
    }

    fn include(&mut self, at: DVec3, reach: f64) {
        if at.is_finite() && reach.is_finite() {
            self.low = self.low.min(at - self.extents * reach);
            self.high = self.high.max(at + self.extents * reach);
        }
    }

    /// Grown on all sides by a share of the larger side.
    fn grown(&self, share: f64) -> Scenery {
        let by = self.extents * (share * (self.high - self.low).max_element().max(1e-9));
        Scenery { low: self.low - by, high: self.high + by, ..*self }
    }

    fn holds(&self, point: DVec3) -> bool {
        point.cmpge(self.low).all() && point.cmple(self.high).all()
    }
}

/// Draws all bodies; y points up. Bodies outside the view are counted in the corner.
pub fn picture(world: &World, states: &[BodyState], view: &Scenery, caption: &str) -> String {
    let (low, high) = view.corners();
    let size = high - low;
    let height = (WIDTH * size.y / size.x).clamp(120.0, 420.0);
    let unit = 1.0 / (WIDTH / size.x).min(height / size.y);
    let mut out = String::new();
    // Writing to a string cannot fail.
    let _ = write!(
        out,
        "<svg class=\"picture\" role=\"img\" aria-label=\"{}\" viewBox=\"{} {} {} {}\" width=\"{WIDTH}\" height=\"{height:.0}\" preserveAspectRatio=\"xMidYMid meet\">",
        escape(caption),
        low.x,
        -high.y,
        size.x,
        size.y
    );
    let _ = write!(out, "<title>{}</title>", escape(caption));
    let in_space = world.dimension == Dimension::Space;
    let poses: Vec<Pose> = states.iter().map(|state| state.pose).collect();
    if let Some(ground) = Ground::of(world, view.low, view.high) {
        backdrop(&mut out, &ground, world, &poses, view.sight(), unit);
    }
    let is_moving = |body: &Body| body.kind != BodyKind::Static;
    // Colours go by the number of a body among those that move, whatever hides what.
    let numbers: Vec<usize> = world
        .bodies
        .iter()
        .scan(0, |count, body| {
            let number = *count;
            *count += usize::from(is_moving(body));
            Some(number)
        })
        .collect();
    let mut outside = 0;
    softs(&mut out, world, states, view.sight(), unit);
    for id in paint_order(world.rigid().iter().zip(poses.iter().copied()), in_space, view.sight()) {
        let (body, state) = (&world.bodies[id], &states[id]);
        let still = !is_moving(body);
        if state.is_absent() {
            continue;
        }
        if !still && !view.holds(state.pose.position) {
            outside += 1;
            continue;
        }
        let colour = if still { STILL } else { SERIES[numbers[id] % SERIES.len()] };
        let opacity = if in_space { 1.0 } else { opacity(still) };
        let _ = write!(
            out,
            "<g fill=\"{}\" fill-opacity=\"{opacity}\" stroke=\"#22262a\" stroke-width=\"{unit}\"><title>{} ({id})</title>",
            hex(colour),
            escape(&body.name)
        );
        let far = 2.0 * (size.x + size.y) + (view.sight().project(state.pose.position) - 0.5 * (low + high)).length();
        for part in body_figure(body, &state.pose, view.sight()) {
            let dashes = if part.sensor { format!("{} {}", 4.0 * unit, 3.0 * unit) } else { String::new() };
            for piece in &part.pieces {
                let shaded = in_space && (piece.light != 1.0 || !piece.edged);
                if shaded {
                    let fill = hex(piece.lit(colour));
                    let edge = match (&piece.primitive, piece.edged) {
                        (_, true) => String::new(),
                        // A hair of its own colour, so that nothing is seen through between faces.
                        (Primitive::Area(_), false) => format!(" stroke=\"{fill}\" stroke-width=\"{}\"", 0.6 * unit),
                        (_, false) => " stroke=\"none\"".to_owned(),
                    };
                    let _ = write!(out, "<g fill=\"{fill}\"{edge}>");
                }
                primitive(&mut out, &piece.primitive, far, still, unit, &dashes);
                if shaded {
                    out.push_str("</g>");
                }
            }
        }
        out.push_str("</g>");
    }
    let place = |body: usize, point: DVec3| {
        let there = states.get(body).filter(|state| state.is_finite());
        there.map(|state| placed_point(world.dimension, &state.pose, point, view.sight()))
    };
    let joints: Vec<Primitive> =
        world.joints.iter().flat_map(|joint| joint_figure((joint, world), place, JOINT * unit)).collect();
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
            high.x - 6.0 * unit,
            -low.y - 8.0 * unit,
            13.0 * unit
        );
    }
    out.push_str("</svg>");
    out
}

fn opacity(still: bool) -> f64 {
    if still { 0.55 } else { 0.85 }
}

/// Soft bodies: skins filled, springs by their strain, held nodes as squares.
fn softs(out: &mut String, world: &World, states: &[BodyState], sight: &Sight, unit: f64) {
    let place = |id: usize| states.get(id).filter(|state| state.is_finite()).map(|state| state.pose.position);
    let rigid = world.rigid().iter().filter(|body| body.kind != BodyKind::Static).count();
    // The deepest colour is that of the most strained spring of the picture.
    let most = deepest_strain(world, place);
    for number in 0..world.softs.len() {
        let Some(figure) = soft_figure(world, number, place, sight, most) else { continue };
        let colour = css(rigid + number);
        let name = escape(&world.softs[number].name);
        let _ = write!(
            out,
            "<g fill=\"{colour}\" stroke=\"{colour}\" stroke-width=\"{unit}\" fill-rule=\"evenodd\"><title>{name}</title>"
        );
        for (parts, opacity) in [(&figure.inside, 0.3), (&figure.rim, 0.85)] {
            let _ = write!(out, "<g fill-opacity=\"{opacity}\" stroke-opacity=\"{opacity}\">");
            parts.iter().for_each(|part| primitive(out, part, 0.0, true, unit, ""));
            out.push_str("</g>");
        }
        out.push_str("</g>");
        let _ = write!(out, "<g fill=\"none\" stroke-width=\"{}\">", 1.8 * unit);
        for (spring, share) in &figure.springs {
            let _ = write!(out, "<g stroke=\"{}\">", hex(strain_colour(*share)));
            primitive(out, spring, 0.0, true, unit, "");
            out.push_str("</g>");
        }
        if !figure.sticks.is_empty() {
            out.push_str("<g stroke=\"#22262a\">");
            figure.sticks.iter().for_each(|stick| primitive(out, stick, 0.0, true, unit, ""));
            out.push_str("</g>");
        }
        out.push_str("</g>");
        for held in &figure.held {
            let (x, y, side) = (held.x - 3.5 * unit, -held.y - 3.5 * unit, 7.0 * unit);
            let _ = write!(out, "<rect x=\"{x}\" y=\"{y}\" width=\"{side}\" height=\"{side}\" fill=\"#22262a\"/>");
        }
    }
}

/// The ground of space with its grid and shadows.
fn backdrop(out: &mut String, ground: &Ground, world: &World, poses: &[Pose], sight: &Sight, unit: f64) {
    for (tint, drawn) in ground.backdrop(world, poses, sight) {
        let (fill, stroke) = match tint {
            Tint::Ground => (hex(GROUND), "none".to_owned()),
            Tint::Grid => ("none".to_owned(), hex(GRID)),
            Tint::Shadow => (hex(SHADOW), "none".to_owned()),
        };
        let _ = write!(out, "<g fill=\"{fill}\" stroke=\"{stroke}\" stroke-width=\"{unit}\">");
        primitive(out, &drawn, 0.0, true, unit, "");
        out.push_str("</g>");
    }
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
        Primitive::Area(_) | Primitive::Blob(_) | Primitive::HalfPlane { .. } => {
            let corners = primitive.corners(far).unwrap_or_default();
            write!(out, "<polygon points=\"{}\"{dashed}/>", list(&corners))
        }
    };
}

/// Text for HTML and SVG.
pub(crate) fn escape(text: &str) -> String {
    shown(text).replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
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
        let two = DVec3::new(2.0, 2.0, 0.0);
        let extents = DVec3::new(1.0, 1.0, 0.0);
        let view = Scenery { low: two, high: two, extents, sight: Sight::FRONT }.grown(0.1);
        assert!(view.holds(two) && view.high.x > view.low.x);
    }

    /// A comet that comes round is seen with its whole orbit; one that flies away is seen where it begins.
    #[test]
    fn what_comes_back_is_seen_with_its_way() {
        let comet = Body {
            parts: vec![ironspin_model::Part::solid(PlaneShape::Disc(0.05), 0)],
            mass: 1.0,
            ..Body::plain("comet")
        };
        let world = World { bodies: vec![comet], ..World::planar(1.0) };
        let recorded = |places: &[[f64; 2]]| {
            let states = places.iter().map(|&[x, y]| BodyState::planar(DVec3::new(x, y, 0.0), 0.0, DVec3::ZERO, 0.0));
            let states: Vec<BodyState> = states.collect();
            let mut recording =
                Recording { start: vec![states[0]], end: vec![states[states.len() - 1]], ..Recording::default() };
            recording.replay.times = (0..states.len()).map(|number| number as f64).collect();
            recording.replay.poses = states.iter().map(|state| state.pose).collect();
            recording.replay.contacts = vec![Vec::new(); states.len()];
            recording
        };
        let seen = |places: &[[f64; 2]]| Scenery::of_trial(&world, &recorded(places), None);
        let orbit = seen(&[[1.0, 0.0], [0.0, 1.0], [-3.0, 0.0], [0.0, -1.0], [1.0, 0.01]]);
        assert!(orbit.holds(DVec3::new(-3.0, 0.0, 0.0)) && orbit.holds(DVec3::new(1.0, 0.0, 0.0)));
        let flight = seen(&[[1.0, 0.0], [20.0, 1.0], [50.0, 0.0]]);
        assert!(!flight.holds(DVec3::new(20.0, 1.0, 0.0)));
    }
}
