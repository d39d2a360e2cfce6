//! What soft bodies of space are made of: cloths, blocks, spheres, tori.

use super::net_shapes::Tie;
use crate::file::BracingWord;
use ironspin_model::DVec3;
use std::collections::{BTreeMap, BTreeSet};
use std::f64::consts::{PI, TAU};

/// Nodes, the triangles of the skin, counter-clockwise seen from outside, and tetrahedra of the inside.
#[derive(Clone, Debug, Default)]
pub(super) struct SpaceNet {
    pub(super) nodes: Vec<DVec3>,
    pub(super) faces: Vec<[usize; 3]>,
    pub(super) tetrahedra: Vec<[usize; 4]>,
}

/// Rows along y of columns along x.
pub(super) fn cloth(columns: usize, rows: usize, pitch: [f64; 2]) -> SpaceNet {
    let id = |row: usize, column: usize| row * columns + column;
    let places = (0..rows).flat_map(|row| (0..columns).map(move |column| (row, column)));
    let cells = (0..rows - 1).flat_map(|row| (0..columns - 1).map(move |column| (row, column)));
    let faces = cells.flat_map(|(row, column)| {
        let [a, b] = [id(row, column), id(row, column + 1)];
        let [d, c] = [id(row + 1, column), id(row + 1, column + 1)];
        [[a, b, c], [a, c, d]]
    });
    SpaceNet {
        nodes: places.map(|(row, column)| DVec3::new(column as f64 * pitch[0], row as f64 * pitch[1], 0.0)).collect(),
        faces: faces.collect(),
        tetrahedra: Vec::new(),
    }
}

/// The eight corners of the cell that begins at a node: along x first, then y, then z.
fn corners_of([columns, rows, _]: [usize; 3], [x, y, z]: [usize; 3]) -> [usize; 8] {
    [0, 1, 2, 3, 4, 5, 6, 7].map(|k| ((z + (k >> 2)) * rows + y + (k >> 1 & 1)) * columns + x + (k & 1))
}

fn cells_of([columns, rows, layers]: [usize; 3]) -> impl Iterator<Item = [usize; 3]> {
    (0..layers - 1).flat_map(move |z| (0..rows - 1).flat_map(move |y| (0..columns - 1).map(move |x| [x, y, z])))
}

/// Layers along z of rows along y of columns along x. Each cell is six tetrahedra about its long diagonal (Kuhn 1960), so that those of neighbours fit.
pub(super) fn block(counts: [usize; 3], pitch: DVec3) -> SpaceNet {
    const KUHN: [[usize; 4]; 6] = [[0, 1, 3, 7], [0, 5, 1, 7], [0, 3, 2, 7], [0, 2, 6, 7], [0, 4, 5, 7], [0, 6, 4, 7]];
    let [columns, rows, layers] = counts;
    let places = (0..layers).flat_map(move |z| {
        (0..rows).flat_map(move |y| (0..columns).map(move |x| DVec3::new(x as f64, y as f64, z as f64)))
    });
    let mut tetrahedra = Vec::new();
    for cell in cells_of(counts) {
        let corners = corners_of(counts, cell);
        tetrahedra.extend(KUHN.map(|own| own.map(|k| corners[k])));
    }
    // The outside are the faces that no other tetrahedron has.
    let mut seen: BTreeMap<[usize; 3], Option<[usize; 3]>> = BTreeMap::new();
    for &[a, b, c, d] in &tetrahedra {
        for face in [[b, c, d], [a, d, c], [a, b, d], [a, c, b]] {
            let mut key = face;
            key.sort_unstable();
            seen.entry(key).and_modify(|face| *face = None).or_insert(Some(face));
        }
    }
    SpaceNet {
        nodes: places.map(|place| place * pitch).collect(),
        faces: seen.into_values().flatten().collect(),
        tetrahedra,
    }
}

/// What springs join in a block: neighbours, diagonals of the faces of its cells, and diagonals through the cells.
pub(super) fn block_ties(counts: [usize; 3], bracing: BracingWord) -> Vec<Tie> {
    let [columns, rows, layers] = counts;
    let id = |[x, y, z]: [usize; 3]| (z * rows + y) * columns + x;
    let mut ties = Vec::new();
    for z in 0..layers {
        for y in 0..rows {
            for x in 0..columns {
                let here = [x, y, z];
                let has = |axis: usize| here[axis] + 1 < counts[axis];
                let step = |axes: &[usize], from: [usize; 3]| {
                    let mut to = from;
                    axes.iter().for_each(|&axis| to[axis] += 1);
                    to
                };
                for axis in (0..3).filter(|&axis| has(axis)) {
                    ties.push(Tie { ends: [id(here), id(step(&[axis], here))], is_brace: false });
                }
                if bracing == BracingWord::None {
                    continue;
                }
                for (a, b) in [(0, 1), (1, 2), (0, 2)] {
                    if has(a) && has(b) {
                        ties.push(Tie { ends: [id(here), id(step(&[a, b], here))], is_brace: true });
                        if bracing == BracingWord::Both {
                            let ends = [id(step(&[a], here)), id(step(&[b], here))];
                            ties.push(Tie { ends, is_brace: true });
                        }
                    }
                }
            }
        }
    }
    if bracing == BracingWord::Both {
        for cell in cells_of(counts) {
            let corners = corners_of(counts, cell);
            ties.extend(
                [[0, 7], [1, 6], [2, 5], [3, 4]].map(|ends| Tie { ends: ends.map(|k| corners[k]), is_brace: true }),
            );
        }
    }
    ties
}

/// Both poles, along y, and circles of latitude between them.
pub(super) fn latitude(radius: f64, rings: usize, around: usize) -> SpaceNet {
    let mut nodes = vec![radius * DVec3::Y];
    for ring in 1..=rings {
        let polar = PI * ring as f64 / (rings + 1) as f64;
        nodes.extend((0..around).map(|k| {
            let angle = TAU * k as f64 / around as f64;
            let (sin, cos) = (libm::sin(polar), libm::cos(polar));
            radius * DVec3::new(sin * libm::sin(angle), cos, sin * libm::cos(angle))
        }));
    }
    nodes.push(-radius * DVec3::Y);
    let last = nodes.len() - 1;
    let id = |ring: usize, k: usize| 1 + ring * around + k % around;
    let mut faces = Vec::new();
    for k in 0..around {
        faces.push([0, id(0, k), id(0, k + 1)]);
        faces.push([last, id(rings - 1, k + 1), id(rings - 1, k)]);
        for ring in 0..rings - 1 {
            faces.push([id(ring, k), id(ring + 1, k), id(ring + 1, k + 1)]);
            faces.push([id(ring, k), id(ring + 1, k + 1), id(ring, k + 1)]);
        }
    }
    SpaceNet { nodes, faces, tetrahedra: Vec::new() }
}

/// Points that are joined where they are the same but for roundings.
#[derive(Default)]
struct Joined {
    nodes: Vec<DVec3>,
    known: BTreeMap<[i64; 3], usize>,
}

impl Joined {
    fn id(&mut self, on_unit_sphere: DVec3, radius: f64) -> usize {
        let key = on_unit_sphere.to_array().map(|part| (part * 1e7).round() as i64);
        let nodes = &mut self.nodes;
        *self.known.entry(key).or_insert_with(|| {
            nodes.push(radius * on_unit_sphere);
            nodes.len() - 1
        })
    }
}

/// The faces of a cube, divided into squares, pushed out to a sphere.
pub(super) fn cube_sphere(radius: f64, parts: usize) -> SpaceNet {
    let mut joined = Joined::default();
    let mut faces = Vec::new();
    for axis in 0..3 {
        for side in [1.0, -1.0] {
            let unit = |axis: usize| [DVec3::X, DVec3::Y, DVec3::Z][axis % 3];
            let (out, u, v) = (side * unit(axis), side * unit(axis + 1), unit(axis + 2));
            let mut point = |i: usize, j: usize| {
                let share = |k: usize| 2.0 * k as f64 / parts as f64 - 1.0;
                joined.id((out + share(i) * u + share(j) * v).normalize(), radius)
            };
            for (i, j) in (0..parts).flat_map(|i| (0..parts).map(move |j| (i, j))) {
                let [a, b, c, d] = [point(i, j), point(i + 1, j), point(i + 1, j + 1), point(i, j + 1)];
                faces.extend([[a, b, c], [a, c, d]]);
            }
        }
    }
    SpaceNet { nodes: joined.nodes, faces, tetrahedra: Vec::new() }
}

/// The faces of an icosahedron, divided into triangles, pushed out to a sphere.
pub(super) fn icosphere(radius: f64, parts: usize) -> SpaceNet {
    let golden = 0.5 * (1.0 + 5.0_f64.sqrt());
    let signs = [(-1.0, 1.0), (1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)];
    let corners: Vec<DVec3> = signs
        .iter()
        .map(|&(a, b)| DVec3::new(a, b * golden, 0.0))
        .chain(signs.iter().map(|&(a, b)| DVec3::new(0.0, a, b * golden)))
        .chain(signs.iter().map(|&(a, b)| DVec3::new(b * golden, 0.0, a)))
        .map(DVec3::normalize)
        .collect();
    let edge = corners.iter().skip(1).map(|c| c.distance(corners[0])).fold(f64::INFINITY, f64::min);
    let near = |a: usize, b: usize| a != b && corners[a].distance(corners[b]) < 1.1 * edge;
    let mut joined = Joined::default();
    let mut faces = Vec::new();
    for a in 0..12 {
        for b in a + 1..12 {
            for c in b + 1..12 {
                if !(near(a, b) && near(b, c) && near(a, c)) {
                    continue;
                }
                let outward = (corners[b] - corners[a]).cross(corners[c] - corners[a]).dot(corners[a]) > 0.0;
                let [p, q, r] = [a, if outward { b } else { c }, if outward { c } else { b }].map(|k| corners[k]);
                let mut point = |i: usize, j: usize| {
                    let share = |k: usize| k as f64 / parts as f64;
                    joined.id((p + (q - p) * share(i) + (r - p) * share(j)).normalize(), radius)
                };
                for i in 0..parts {
                    for j in 0..parts - i {
                        faces.push([point(i, j), point(i + 1, j), point(i, j + 1)]);
                        if i + j + 2 <= parts {
                            faces.push([point(i + 1, j), point(i + 1, j + 1), point(i, j + 1)]);
                        }
                    }
                }
            }
        }
    }
    SpaceNet { nodes: joined.nodes, faces, tetrahedra: Vec::new() }
}

/// A tube around z.
pub(super) fn torus(radius: f64, tube: f64, along: usize, around: usize) -> SpaceNet {
    let place = |i: usize, j: usize| {
        let (u, v) = (TAU * i as f64 / along as f64, TAU * j as f64 / around as f64);
        let out = radius + tube * libm::cos(v);
        DVec3::new(out * libm::cos(u), out * libm::sin(u), tube * libm::sin(v))
    };
    let id = |i: usize, j: usize| i % along * around + j % around;
    let all = || (0..along).flat_map(|i| (0..around).map(move |j| (i, j)));
    let faces = all().flat_map(|(i, j)| {
        let [a, b, c, d] = [id(i, j), id(i + 1, j), id(i + 1, j + 1), id(i, j + 1)];
        [[a, b, c], [a, c, d]]
    });
    SpaceNet { nodes: all().map(|(i, j)| place(i, j)).collect(), faces: faces.collect(), tetrahedra: Vec::new() }
}

/// The edges of triangles, each once, in order.
pub(super) fn edges(faces: &[[usize; 3]]) -> Vec<Tie> {
    let sides = faces.iter().flat_map(|&[a, b, c]| [[a, b], [b, c], [c, a]]);
    let once: BTreeSet<[usize; 2]> = sides.map(|[a, b]| [a.min(b), a.max(b)]).collect();
    once.into_iter().map(|ends| Tie { ends, is_brace: false }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn volume(net: &SpaceNet) -> f64 {
        net.faces.iter().map(|&[a, b, c]| net.nodes[a].dot(net.nodes[b].cross(net.nodes[c]))).sum::<f64>() / 6.0
    }

    /// Of a closed skin of one piece: corners - edges + faces is 2, of a torus 0.
    fn euler(net: &SpaceNet) -> i64 {
        net.nodes.len() as i64 - edges(&net.faces).len() as i64 + net.faces.len() as i64
    }

    #[test]
    fn spheres_of_all_kinds_are_closed_look_outwards_and_come_near_to_the_volume() {
        let ball = 4.0 / 3.0 * PI * 8.0;
        for net in [latitude(2.0, 15, 32), cube_sphere(2.0, 10), icosphere(2.0, 8)] {
            assert_eq!(euler(&net), 2);
            assert!((volume(&net) / ball - 1.0).abs() < 0.02 && volume(&net) < ball, "{}", volume(&net) / ball);
            assert!(net.nodes.iter().all(|node| (node.length() - 2.0).abs() < 1e-12));
        }
        assert_eq!((icosphere(1.0, 2).nodes.len(), icosphere(1.0, 2).faces.len()), (42, 80));
        assert_eq!((cube_sphere(1.0, 1).nodes.len(), latitude(1.0, 3, 6).nodes.len()), (8, 20));
    }

    #[test]
    fn a_torus_and_a_block_have_the_volumes_of_their_laws() {
        let net = torus(2.0, 0.5, 64, 32);
        assert_eq!(euler(&net), 0);
        assert!((volume(&net) / (2.0 * PI * PI * 2.0 * 0.25) - 1.0).abs() < 0.01);
        let net = block([3, 4, 2], DVec3::new(0.5, 0.25, 2.0));
        assert!((volume(&net) - 1.0 * 0.75 * 2.0).abs() < 1e-12 && euler(&net) == 2);
        let cells: f64 = net
            .tetrahedra
            .iter()
            .map(|own| {
                let [a, b, c, d] = own.map(|k| net.nodes[k]);
                let six = (b - a).dot((c - a).cross(d - a));
                assert!(six > 0.0);
                six / 6.0
            })
            .sum();
        assert!((cells - 1.5).abs() < 1e-12);
        // 12 edges of a cube; 6 diagonals of its faces; with both 12 and 4 through it.
        let count = |bracing| block_ties([2, 2, 2], bracing).len();
        assert_eq!([BracingWord::None, BracingWord::One, BracingWord::Both].map(count), [12, 18, 28]);
    }
}
