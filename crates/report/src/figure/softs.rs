//! Primitives of a soft body: its filled skin, its springs by their strain, its bare nodes.

use super::{Primitive, Sight};
use ironspin_lab::Replay;
use ironspin_model::{DVec2, DVec3, SoftBody, Stick, World};

/// Strain of the deepest colour unless springs are strained further, and the most that counts.
const STRAINS: [f64; 2] = [0.02, 1.0];

/// A soft body as it is drawn.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct SoftFigure {
    /// Its closed skin, to be filled, ring by ring.
    pub(crate) inside: Vec<Primitive>,
    /// Every piece of skin, and nodes that no skin covers, at their radius.
    pub(crate) rim: Vec<Primitive>,
    /// Springs with their strain as a share of the deepest colour, from -1 squeezed to 1 stretched.
    pub(crate) springs: Vec<(Primitive, f64)>,
    pub(crate) sticks: Vec<Primitive>,
    /// Nodes that are held for good.
    pub(crate) held: Vec<DVec2>,
}

/// The soft body of a number where its nodes are; nothing where it is not there. `most` is the strain of the deepest colour.
pub(crate) fn soft_figure(
    world: &World,
    number: usize,
    place: impl Fn(usize) -> Option<DVec3>,
    sight: &Sight,
    most: f64,
) -> Option<SoftFigure> {
    let soft = &world.softs[number];
    let there: Vec<DVec3> =
        soft.nodes.clone().map(|id| place(id).filter(|p| p.is_finite())).collect::<Option<Vec<_>>>()?;
    let places: Vec<DVec2> = there.iter().map(|&at| sight.project(at)).collect();
    let piece = |&[a, b]: &[usize; 2]| Primitive::Stadium { ends: [places[a], places[b]], radius: soft.radius };
    let face = |corners: &[usize; 3]| Primitive::Area(corners.map(|corner| places[corner]).to_vec());
    let mut covered = vec![false; places.len()];
    soft.skin_nodes().flatten().for_each(|&node| covered[node] = true);
    let bare = (0..places.len()).filter(|&node| !covered[node] && (!soft.has_skin() || soft.springs.is_empty()));
    let dots = bare.map(|node| Primitive::Round { centre: places[node], radius: soft.radius, spoke: None });
    let springs = soft.springs.iter().map(|spring| {
        let ends = spring.ends.map(|end| places[end]);
        let strain = spring.strain(spring.span(|end| there[end])).unwrap_or(0.0);
        (Primitive::Line(ends.to_vec()), (strain / most).clamp(-1.0, 1.0))
    });
    let stick = |stick: &Stick| Primitive::Line(stick.ends.map(|end| places[end]).to_vec());
    let held = soft.nodes.clone().zip(&places).filter(|(id, _)| world.bodies[*id].mass == 0.0);
    let inside = if soft.is_closed() { rings(soft, &places) } else { Vec::new() };
    Some(SoftFigure {
        inside: inside.into_iter().chain(soft.faces.iter().map(face)).collect(),
        rim: soft.skin.iter().map(piece).chain(dots).collect(),
        springs: springs.collect(),
        sticks: soft.sticks.iter().map(stick).collect(),
        held: held.map(|(_, place)| *place).collect(),
    })
}

/// The rings of a closed skin, as areas of any form.
fn rings(soft: &SoftBody, places: &[DVec2]) -> Vec<Primitive> {
    let mut left = soft.skin.clone();
    let mut rings = Vec::new();
    while let Some([start, mut next]) = left.pop() {
        let mut ring = vec![places[start]];
        while next != start {
            ring.push(places[next]);
            let Some(at) = left.iter().position(|piece| piece[0] == next) else { break };
            next = left.swap_remove(at)[1];
        }
        rings.push(Primitive::Blob(ring));
    }
    rings
}

/// The strain that the deepest colour stands for where the nodes are at some places: the largest in amount, within limits.
pub(crate) fn deepest_strain(world: &World, place: impl Fn(usize) -> Option<DVec3>) -> f64 {
    let strains = world.softs.iter().flat_map(|soft| {
        soft.springs.iter().filter_map(|spring| {
            let [a, b] = spring.ends.map(|end| place(soft.nodes.start + end));
            spring.strain(a?.distance(b?)).filter(|strain| strain.is_finite())
        })
    });
    strains.map(f64::abs).fold(STRAINS[0], f64::max).min(STRAINS[1])
}

/// The same over all frames of a trial.
pub(crate) fn largest_strain(world: &World, replay: &Replay) -> f64 {
    let frames = (0..replay.times.len()).map(|frame| {
        let poses = replay.frame(frame);
        deepest_strain(world, |id| poses.get(id).map(|pose| pose.position))
    });
    frames.fold(STRAINS[0], f64::max)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ironspin_model::{NodeSpring, NodeTraits};

    #[test]
    fn a_ring_is_one_filled_area_and_its_springs_are_told_by_their_strain() {
        let traits = NodeTraits { radius: 0.1, ..NodeTraits::plain("ring") };
        let corners = [DVec3::ZERO, DVec3::X, DVec3::new(1.0, 1.0, 0.0), DVec3::Y];
        let mut world = World::planar(1.0);
        for (i, at) in corners.into_iter().enumerate() {
            world.bodies.push(traits.node(&format!("[{i}]"), at, DVec3::ZERO, i as f64));
        }
        let spring =
            |a: usize, b: usize, length: f64| NodeSpring { ends: [a, b], length, stiffness: 1.0, damping: 0.0 };
        world.softs.push(SoftBody {
            name: "ring".into(),
            nodes: 0..4,
            material: 0,
            radius: 0.1,
            self_contact: false,
            springs: vec![spring(0, 1, 0.8), spring(1, 2, 2.0)],
            skin: vec![[0, 1], [1, 2], [2, 3], [3, 0]],
            cells: Vec::new(),
            pressure: None,
            sticks: vec![Stick { ends: [2, 3], length: 1.0 }],
            ..SoftBody::default()
        });
        let figure = soft_figure(&world, 0, |id| Some(corners[id]), &Sight::FRONT, 0.5).unwrap();
        assert_eq!((figure.inside.len(), figure.rim.len(), figure.held.len()), (1, 4, 1));
        assert!(figure.inside[0].covers(DVec2::splat(0.5), 0.0) && !figure.inside[0].covers(DVec2::splat(1.5), 0.0));
        assert_eq!(figure.sticks, [Primitive::Line(vec![DVec2::ONE, DVec2::Y])]);
        assert!((figure.springs[0].1 - 0.5).abs() < 1e-12 && figure.springs[1].1 == -1.0);
        assert_eq!(soft_figure(&world, 0, |id| (id > 0).then_some(DVec3::ZERO), &Sight::FRONT, 0.5), None);
    }
}
