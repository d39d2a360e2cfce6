//! A world as characters, for a terminal.

use crate::figure::{Primitive, Sight, View, body_figure, soft_figure};
use crate::picture::Scenery;
use ironspin_model::{Body, BodyKind, BodyState, DVec2, Dimension, World};

/// Characters across.
const COLUMNS: usize = 76;
/// Most lines.
const ROWS: usize = 24;
/// A character is about twice as high as it is wide.
const ASPECT: f64 = 2.0;

/// Draws a world as it is built: `#` static, `=` kinematic, `o` round, `%` other bodies, `.` sensors, `+` what is not there yet; of soft bodies
/// `~` inside the skin, `*` skin and springs, `@` nodes that are held.
/// Space is drawn from the side and from above.
pub fn sketch(world: &World) -> String {
    match world.dimension {
        Dimension::Plane => sketch_from(world, View::Front),
        Dimension::Space => format!(
            "  from the front\n{}\n  from above\n{}",
            sketch_from(world, View::Front),
            sketch_from(world, View::Top)
        ),
    }
}

fn sketch_from(world: &World, view: View) -> String {
    let state = |body: &Body| BodyState { pose: body.pose, velocity: body.velocity, spin: body.spin };
    let states: Vec<BodyState> = world.bodies.iter().map(state).collect();
    let view = Scenery::of(world, &states, &states, Some(view));
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
    let mut bodies: Vec<&Body> = world.rigid().iter().collect();
    bodies.sort_by_key(|body| order(body.kind));
    for body in bodies {
        paint(&mut cells, columns, rows, body, view.sight(), (low, pitch));
    }
    for number in 0..world.softs.len() {
        paint_soft(&mut cells, [columns, rows], world, number, view.sight(), (low, pitch));
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

/// A soft body as it is built: what its skin encloses, then springs and skin, then nodes that are held.
fn paint_soft(
    cells: &mut [u8],
    [columns, rows]: [usize; 2],
    world: &World,
    number: usize,
    sight: &Sight,
    (low, pitch): (DVec2, f64),
) {
    let place = |id: usize| Some(world.bodies[id].pose.position);
    let Some(figure) = soft_figure(world, number, place, sight, 1.0) else { return };
    let absent = world.bodies[world.softs[number].nodes.start].absent;
    let springs = figure.springs.iter().map(|(spring, _)| spring).chain(&figure.sticks);
    for row in 0..rows {
        for column in 0..columns {
            let centre = low + pitch * DVec2::new(column as f64 + 0.5, ASPECT * (row as f64 + 0.5));
            let covers = |part: &Primitive| part.covers(centre, pitch);
            let mark = match () {
                () if figure.rim.iter().chain(springs.clone()).any(covers) => b'*',
                () if figure.inside.iter().any(covers) => b'~',
                () => continue,
            };
            cells[row * columns + column] = if absent { b'+' } else { mark };
        }
    }
    for held in &figure.held {
        let at = (*held - low) / DVec2::new(pitch, pitch * ASPECT);
        if at.cmpge(DVec2::ZERO).all() && (at.x as usize) < columns && (at.y as usize) < rows {
            cells[at.y as usize * columns + at.x as usize] = b'@';
        }
    }
}

fn paint(cells: &mut [u8], columns: usize, rows: usize, body: &Body, sight: &Sight, (low, pitch): (DVec2, f64)) {
    for (part, figure) in body.parts.iter().zip(body_figure(body, &body.pose, sight)) {
        let Some(first) = figure.pieces.first() else { continue };
        let mark = match (body.kind, &first.primitive) {
            _ if body.absent => b'+',
            _ if figure.sensor => b'.',
            (BodyKind::Static, _) => b'#',
            (BodyKind::Kinematic, _) => b'=',
            (BodyKind::Dynamic, Primitive::Round { .. }) => b'o',
            (BodyKind::Dynamic, _) => b'%',
        };
        let endless = matches!(first.primitive, Primitive::HalfPlane { .. });
        let (origin, reach) = (figure.origin, part.shape.reach());
        let (from, to) = if endless {
            (DVec2::NEG_INFINITY, DVec2::INFINITY)
        } else {
            (origin - reach - pitch, origin + reach + pitch)
        };
        let span = |from: f64, to: f64, count: usize| {
            let first = from.floor().clamp(0.0, count as f64) as usize;
            first..(to.ceil().clamp(0.0, count as f64) as usize)
        };
        let mut any = false;
        for row in span((from.y - low.y) / (pitch * ASPECT), (to.y - low.y) / (pitch * ASPECT), rows) {
            for column in span((from.x - low.x) / pitch, (to.x - low.x) / pitch, columns) {
                let centre = low + pitch * DVec2::new(column as f64 + 0.5, ASPECT * (row as f64 + 0.5));
                if figure.pieces.iter().any(|piece| piece.primitive.covers(centre, pitch)) {
                    cells[row * columns + column] = mark;
                    any = true;
                }
            }
        }
        // What is smaller than a character is still to be seen, on top of what is long.
        let at = (origin - low) / DVec2::new(pitch, pitch * ASPECT);
        let inside = at.x >= 0.0 && at.y >= 0.0 && (at.x as usize) < columns && (at.y as usize) < rows;
        if !any && inside && !endless {
            cells[at.y as usize * columns + at.x as usize] = mark;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{DVec3, Part, PlaneShape, Pose};

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
