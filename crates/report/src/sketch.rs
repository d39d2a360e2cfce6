//! A world as characters, for a terminal.

use crate::picture::Scenery;
use ironspin_model::{Body, BodyKind, BodyState, DVec2, PlaneShape, World};

/// Characters across.
const COLUMNS: usize = 76;
/// Most lines.
const ROWS: usize = 24;
/// A character is about twice as high as it is wide.
const ASPECT: f64 = 2.0;

/// Draws a world as it is built: `#` static, `=` kinematic, `o` round, `%` other bodies, `.` sensors, `+` what is not there yet.
pub fn sketch(world: &World) -> String {
    let states: Vec<BodyState> =
        world.bodies.iter().map(|b| BodyState::planar(b.pose.position, b.pose.angle, b.velocity, b.spin.z)).collect();
    let view = Scenery::of(world, &states, &states);
    let (low, high) = view.corners();
    let size = high - low;
    // As wide as the line, unless it would be too high.
    let pitch = (size.x / COLUMNS as f64).max(size.y / (ROWS as f64 * ASPECT));
    let columns = (size.x / pitch).ceil().max(1.0) as usize;
    let rows = (size.y / (pitch * ASPECT)).ceil().max(1.0) as usize;
    let mut cells = vec![b' '; columns * rows];
    let order = |kind: BodyKind| match kind {
        BodyKind::Static => 0,
        BodyKind::Kinematic => 1,
        BodyKind::Dynamic => 2,
    };
    let mut bodies: Vec<&Body> = world.bodies.iter().collect();
    bodies.sort_by_key(|body| order(body.kind));
    for body in bodies {
        paint(&mut cells, columns, rows, body, low, pitch);
    }
    let mut out = String::new();
    // Empty lines above and below are left out.
    let top = cells.iter().rposition(|&cell| cell != b' ').map_or(0, |cell| cell / columns);
    let bottom = cells.iter().position(|&cell| cell != b' ').map_or(0, |cell| cell / columns);
    for row in (bottom..=top).rev() {
        let line = String::from_utf8_lossy(&cells[row * columns..(row + 1) * columns]).into_owned();
        out.push_str("  ");
        out.push_str(line.trim_end());
        out.push('\n');
    }
    out.push_str(&format!("  {} m across\n", crate::show(columns as f64 * pitch)));
    out
}

fn paint(cells: &mut [u8], columns: usize, rows: usize, body: &Body, low: DVec2, pitch: f64) {
    let (sin, cos) = (libm::sin(body.pose.angle), libm::cos(body.pose.angle));
    for part in &body.parts {
        let mark = match (body.kind, part.shape.planar()) {
            _ if body.absent => b'+',
            _ if part.sensor => b'.',
            (BodyKind::Static, _) => b'#',
            (BodyKind::Kinematic, _) => b'=',
            (BodyKind::Dynamic, PlaneShape::Disc(_)) => b'o',
            (BodyKind::Dynamic, _) => b'%',
        };
        let offset = part.pose.xy();
        let origin = body.pose.position.truncate()
            + DVec2::new(cos * offset.x - sin * offset.y, sin * offset.x + cos * offset.y);
        let reach = part.shape.reach();
        let (from, to) = if matches!(part.shape.planar(), PlaneShape::HalfPlane(_)) {
            (DVec2::NEG_INFINITY, DVec2::INFINITY)
        } else {
            (origin - reach - pitch, origin + reach + pitch)
        };
        let span = |from: f64, to: f64, count: usize| {
            let first = from.floor().clamp(0.0, count as f64) as usize;
            first..(to.ceil().clamp(0.0, count as f64) as usize)
        };
        let angle = body.pose.angle + part.pose.angle;
        let mut any = false;
        for row in span((from.y - low.y) / (pitch * ASPECT), (to.y - low.y) / (pitch * ASPECT), rows) {
            for column in span((from.x - low.x) / pitch, (to.x - low.x) / pitch, columns) {
                let centre = low + pitch * DVec2::new(column as f64 + 0.5, ASPECT * (row as f64 + 0.5));
                if covers(part.shape.planar(), centre - origin, angle, pitch) {
                    cells[row * columns + column] = mark;
                    any = true;
                }
            }
        }
        // What is smaller than a character is still to be seen, on top of what is long.
        let at = (origin - low) / DVec2::new(pitch, pitch * ASPECT);
        let inside = at.x >= 0.0 && at.y >= 0.0 && (at.x as usize) < columns && (at.y as usize) < rows;
        if !any && inside && !matches!(part.shape.planar(), PlaneShape::HalfPlane(_)) {
            cells[at.y as usize * columns + at.x as usize] = mark;
        }
    }
}

/// Whether a point lies in a shape at the origin, turned by an angle; lines are as thick as half a character.
fn covers(shape: &PlaneShape, point: DVec2, angle: f64, pitch: f64) -> bool {
    let (sin, cos) = (libm::sin(angle), libm::cos(angle));
    let p = DVec2::new(cos * point.x + sin * point.y, -sin * point.x + cos * point.y);
    let near = |from: DVec2, to: DVec2| {
        let way = to - from;
        let share = ((p - from).dot(way) / way.length_squared()).clamp(0.0, 1.0);
        p.distance(from + way * share)
    };
    match shape {
        PlaneShape::Disc(radius) => p.length() <= *radius,
        PlaneShape::Box(size) => {
            // What is long is drawn, however thin it is.
            let long = size.max_element() > 2.0 * ASPECT * pitch;
            let half = if long { (0.5 * *size).max(DVec2::splat(pitch)) } else { 0.5 * *size };
            p.abs().cmple(half).all()
        }
        PlaneShape::Capsule { length, radius } => {
            let half = DVec2::new(0.5 * length, 0.0);
            near(-half, half) <= *radius
        }
        PlaneShape::HalfPlane(normal) => normal.dot(p) <= 0.0,
        PlaneShape::Polyline(points) => points.windows(2).any(|ends| near(ends[0], ends[1]) <= 0.9 * pitch),
        PlaneShape::Polygon(corners) => {
            let side = |i: usize| {
                let (a, b) = (corners[i], corners[(i + 1) % corners.len()]);
                (b - a).perp_dot(p - a)
            };
            (0..corners.len()).all(|i| side(i) >= 0.0) || (0..corners.len()).all(|i| side(i) <= 0.0)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{DVec3, Part, Pose};

    #[test]
    fn a_ball_over_a_floor_looks_like_one() {
        let mut world = World::planar(1.0);
        world.bodies.push(Body {
            kind: BodyKind::Static,
            parts: vec![Part::solid(PlaneShape::HalfPlane(DVec2::Y), 0)],
            ..Body::plain("floor")
        });
        world.bodies.push(Body {
            pose: Pose::at(DVec3::new(0.0, 2.0, 0.0)),
            parts: vec![Part::solid(PlaneShape::Disc(1.0), 0)],
            ..Body::plain("ball")
        });
        let drawn = sketch(&world);
        let lines: Vec<&str> = drawn.lines().collect();
        let ball = lines.iter().filter(|line| line.contains('o') && line.contains("oo")).count();
        let floor = lines.iter().filter(|line| line.contains("####")).count();
        assert!(ball > 5 && floor >= 1, "{drawn}");
        assert!(lines.iter().position(|line| line.contains("oo")) < lines.iter().position(|line| line.contains("##")));
        assert!(lines.iter().all(|line| line.len() <= 80));
    }
}
