//! Surfaces of triangles: who their neighbours are, and a tree of boxes over them.
//!
//! Source: Goldsmith and Salmon (1987) for the tree of boxes.

use crate::common::scalar::Real;
use crate::space::vector::Vec3;
use ironspin_model::TriangleMesh;

/// Faces in a leaf of the tree.
const LEAF: usize = 4;

/// A height above a neighbour below which two faces are level, as a share of the edge between them.
const LEVEL: f64 = 1e-6;

/// A box of the tree and what is in it.
#[derive(Clone, Copy, Debug)]
struct Node<R> {
    low: Vec3<R>,
    high: Vec3<R>,
    /// Run of faces in the order of the tree.
    first: u32,
    count: u32,
    /// The node after all that is below this one.
    next: u32,
}

/// A surface of triangles in the frame of its piece.
#[derive(Clone, Debug)]
pub(crate) struct Mesh<R> {
    corners: Vec<Vec3<R>>,
    faces: Vec<[u32; 3]>,
    normals: Vec<Vec3<R>>,
    /// Corners that an edge joins with each corner: all lists one after another, and where each begins.
    beside: Vec<u32>,
    starts: Vec<u32>,
    nodes: Vec<Node<R>>,
    /// Faces in the order of the tree.
    order: Vec<u32>,
}

impl<R: Real> Mesh<R> {
    pub(crate) fn new(mesh: &TriangleMesh) -> Self {
        // Neighbours are found by place: files repeat points for every face.
        let mut order: Vec<usize> = (0..mesh.points().len()).collect();
        let bits = |k: usize| mesh.points()[k].to_array().map(|x| (x + 0.0).to_bits());
        order.sort_by_key(|&k| (bits(k), k));
        let mut same = vec![0_u32; order.len()];
        for run in order.chunk_by(|&a, &b| bits(a) == bits(b)) {
            run.iter().for_each(|&k| same[k] = run[0] as u32);
        }
        let corners: Vec<Vec3<R>> = mesh.points().iter().map(|&point| Vec3::of(point)).collect();
        let faces: Vec<[u32; 3]> = mesh.faces().iter().map(|face| face.map(|k| same[k as usize])).collect();
        let normals = faces.iter().map(|face| {
            let [p, q, r] = face.map(|k| mesh.points()[k as usize]);
            Vec3::of((q - p).cross(r - p).normalize_or_zero())
        });
        let normals = normals.collect();
        let mut edges: Vec<(u32, u32)> =
            faces.iter().flat_map(|&[p, q, r]| [(p, q), (q, p), (q, r), (r, q), (r, p), (p, r)]).collect();
        edges.sort_unstable();
        edges.dedup();
        let starts =
            (0..=corners.len()).map(|k| edges.partition_point(|&(from, _)| (from as usize) < k) as u32).collect();
        let beside = edges.into_iter().map(|(_, to)| to).collect();
        let mut own = Mesh { corners, faces, normals, beside, starts, nodes: Vec::new(), order: Vec::new() };
        own.order = (0..own.faces.len() as u32).collect();
        let mut order = std::mem::take(&mut own.order);
        own.grow(&mut order, 0);
        own.order = order;
        own
    }

    pub(crate) fn triangle(&self, face: usize) -> [Vec3<R>; 3] {
        self.faces[face].map(|k| self.corners[k as usize])
    }

    pub(crate) fn corner_numbers(&self, face: usize) -> [u32; 3] {
        self.faces[face]
    }

    pub(crate) fn normal(&self, face: usize) -> Vec3<R> {
        self.normals[face]
    }

    /// Middle and half extent of the box around it.
    pub(crate) fn around(&self) -> (Vec3<R>, Vec3<R>) {
        self.nodes.first().map_or((Vec3::ZERO, Vec3::ZERO), |root| {
            ((root.low + root.high) * R::HALF, (root.high - root.low) * R::HALF)
        })
    }

    /// Whether no neighbour of a corner rises above it along a direction: whether something can touch the surface there from that side.
    pub(crate) fn is_foremost(&self, corner: u32, along: Vec3<R>) -> bool {
        let at = self.corners[corner as usize];
        let run = self.starts[corner as usize] as usize..self.starts[corner as usize + 1] as usize;
        self.beside[run].iter().all(|&other| {
            let way = self.corners[other as usize] - at;
            along.dot(way) <= R::of(LEVEL) * way.length()
        })
    }

    fn grow(&mut self, order: &mut [u32], first: usize) {
        let infinite = Vec3::new(R::INFINITY, R::INFINITY, R::INFINITY);
        let (mut low, mut high) = (infinite, -infinite);
        for &face in order.iter() {
            for corner in self.triangle(face as usize) {
                (low, high) = (low.min(corner), high.max(corner));
            }
        }
        let number = self.nodes.len();
        self.nodes.push(Node { low, high, first: first as u32, count: order.len() as u32, next: 0 });
        if order.len() > LEAF {
            let way = high - low;
            let axis = (1..3).fold(0, |best, axis| if way.component(axis) > way.component(best) { axis } else { best });
            let middle = |face: u32| {
                let [p, q, r] = self.triangle(face as usize);
                (p + q + r).component(axis).to_f64()
            };
            order.sort_by(|&a, &b| middle(a).total_cmp(&middle(b)).then(a.cmp(&b)));
            let half = order.len() / 2;
            let (left, right) = order.split_at_mut(half);
            self.grow(left, first);
            self.grow(right, first + half);
        }
        self.nodes[number].next = self.nodes.len() as u32;
    }

    /// Calls with every face whose box meets a box.
    pub(crate) fn meeting(&self, low: Vec3<R>, high: Vec3<R>, call: &mut dyn FnMut(usize)) {
        let meets = |a: Vec3<R>, b: Vec3<R>| {
            a.x <= high.x && low.x <= b.x && a.y <= high.y && low.y <= b.y && a.z <= high.z && low.z <= b.z
        };
        let mut number = 0;
        while let Some(node) = self.nodes.get(number) {
            if !meets(node.low, node.high) {
                number = node.next as usize;
                continue;
            }
            if node.count as usize <= LEAF {
                for &face in &self.order[node.first as usize..(node.first + node.count) as usize] {
                    let [p, q, r] = self.triangle(face as usize);
                    if meets(p.min(q).min(r), p.max(q).max(r)) {
                        call(face as usize);
                    }
                }
            }
            number += 1;
        }
    }
}
