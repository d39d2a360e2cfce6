//! The nodes of a soft body in rows of four numbers, for what pulls along springs: a row is read, added to and written at once where the machine has
//! vectors, with the same bits as number by number.

use super::nodes::{Nodes, Soft, Spring};
use super::place::Place;
#[cfg(target_arch = "x86_64")]
use super::rows_wide;
use crate::common::scalar::Real;
use std::ops::Range;

/// Three numbers, or two, and what fills the row up: nothing.
pub(super) type Row<R> = [R; 4];

/// Where a node is and how it moves, in one line of the cache.
#[derive(Clone, Copy, Debug, Default)]
#[repr(align(64))]
pub(super) struct Moving<R> {
    pub(super) place: Row<R>,
    pub(super) speed: Row<R>,
}

/// The nodes of all soft bodies, and the forces on them; kept between steps.
#[derive(Clone, Debug, Default)]
pub(super) struct Rows<R> {
    pub(super) moving: Vec<Moving<R>>,
    pub(super) force: Vec<Row<R>>,
    /// How what a skin encloses grows with each node: m in the plane, m^2 in space.
    pub(super) growth: Vec<Row<R>>,
}

impl<V: Place<R>, R: Real> Soft<V, R> {
    /// Area or volume inside its skin.
    pub(super) fn enclosed(&self, nodes: &Nodes<V, R>) -> R {
        let mut rows = Rows::new(nodes.len());
        rows.take(self.nodes.clone(), [&nodes.position, &nodes.velocity], nodes);
        rows.grow::<V>(self.nodes.clone(), &self.skin);
        rows.enclosed::<V>(self.nodes.clone())
    }
}

impl<R: Real> Rows<R> {
    pub(super) fn new(count: usize) -> Self {
        let rows = || vec![[R::ZERO; 4]; count];
        Rows { moving: vec![Moving::default(); count], force: rows(), growth: rows() }
    }

    /// Takes up the nodes of a range; the forces on them are what actions push.
    pub(super) fn take<V: Place<R>>(
        &mut self,
        range: Range<usize>,
        [position, velocity]: [&[V]; 2],
        nodes: &Nodes<V, R>,
    ) {
        let moved = position[range.clone()].iter().zip(&velocity[range.clone()]);
        let rows = self.moving[range.clone()].iter_mut().zip(&mut self.force[range.clone()]);
        for (((place, speed), (row, force)), push) in moved.zip(rows).zip(&nodes.push[range]) {
            *row = Moving { place: place.row(), speed: speed.row() };
            *force = push.row();
        }
    }

    /// Works out how what some pieces of a skin enclose grows with each node.
    pub(super) fn grow<V: Place<R>>(&mut self, range: Range<usize>, skin: &Vec<V::Piece>) {
        self.growth[range].fill([R::ZERO; 4]);
        #[cfg(target_arch = "x86_64")]
        if rows_wide::grow_faces(skin, self) {
            return;
        }
        self.grow_one_by_one::<V>(skin);
    }

    fn grow_one_by_one<V: Place<R>>(&mut self, skin: &[V::Piece]) {
        let Rows { moving, growth, .. } = self;
        V::grow(
            skin,
            |node| V::of_row(moving[node].place),
            |node, push| {
                for (sum, part) in growth[node].iter_mut().zip(push.row()) {
                    *sum += part;
                }
            },
        );
    }

    /// Area or volume inside a skin, of which [`Rows::grow`] was asked before. It is of degree 2 or 3 in the places, so that Euler's theorem gives it from
    /// how it grows: each node's place times its share, over the degree; seen from the first node, so that a place far away costs no digits.
    pub(super) fn enclosed<V: Place<R>>(&self, range: Range<usize>) -> R {
        let origin = self.moving[range.start].place;
        let nodes = self.moving[range.clone()].iter().zip(&self.growth[range]);
        let parts = nodes.map(|(node, growth)| dot(&less(&node.place, &origin), growth));
        parts.fold(R::ZERO, |sum, part| sum + part) * R::of(1.0 / V::AXES)
    }

    /// Adds what all springs of a soft body pull.
    pub(super) fn pull<V: Place<R>>(&mut self, soft: &Soft<V, R>) {
        #[cfg(target_arch = "x86_64")]
        let done = rows_wide::pull_blocks(&soft.springs, self);
        #[cfg(not(target_arch = "x86_64"))]
        let done = 0;
        self.pull_one_by_one(&soft.springs[done..]);
    }

    fn pull_one_by_one(&mut self, springs: &[Spring<R>]) {
        let Rows { moving, force, .. } = self;
        for spring in springs {
            let [a, b] = spring.ends();
            let (from, to) = (&moving[a], &moving[b]);
            let way = less(&to.place, &from.place);
            let square = dot(&way, &way);
            // A spring of no extent has no direction, and pulls nowhere.
            if !(square > R::ZERO) {
                continue;
            }
            let (over, growth) = (R::ONE / square.sqrt(), dot(&way, &less(&to.speed, &from.speed)));
            let share =
                spring.stiffness - spring.stiffness * spring.length * over + spring.damping * growth * over * over;
            let pull = way.map(|part| part * share);
            for (sum, part) in force[a].iter_mut().zip(pull) {
                *sum += part;
            }
            force[b] = less(&force[b], &pull);
        }
    }
}

#[inline]
fn less<R: Real>(a: &Row<R>, b: &Row<R>) -> Row<R> {
    let [[a, b, c, d], [e, f, g, h]] = [*a, *b];
    [a - e, b - f, c - g, d - h]
}

#[inline]
fn dot<R: Real>(a: &Row<R>, b: &Row<R>) -> R {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

#[cfg(all(test, target_arch = "x86_64"))]
mod tests {
    use super::*;
    use crate::space::vector::Vec3;

    fn rows() -> Rows<f64> {
        let number = |k: usize| libm::sin(1.7 * k as f64 * k as f64) * 3.0;
        let row = |k: usize| [number(k), number(k + 50), number(k + 100), 0.0];
        let mut rows = Rows::new(12);
        for (k, moving) in rows.moving.iter_mut().enumerate() {
            *moving = Moving { place: row(k), speed: row(k + 200) };
        }
        // Two nodes at one place.
        rows.moving[7].place = rows.moving[3].place;
        rows.force = (0..12).map(|k| row(k + 300)).collect();
        rows
    }

    fn bits(rows: &[Row<f64>]) -> Vec<[u64; 4]> {
        rows.iter().map(|row| row.map(f64::to_bits)).collect()
    }

    #[test]
    fn blocks_give_the_same_bits_as_springs_one_by_one() {
        let ends = (0..23).map(|k| [(5 * k + 1) % 12, (7 * k + 3) % 12]).chain([[3, 7]]).filter(|[a, b]| a != b);
        let springs = ends.zip(1_u8..).map(|(ends, k)| {
            let k = f64::from(k);
            Spring::new(ends, [0.1 * k, 1e3 / k, 2.0 * k])
        });
        let springs: Vec<Spring<f64>> = springs.collect();
        let (mut by_blocks, mut alone) = (rows(), rows());
        let done = rows_wide::pull_blocks(&springs, &mut by_blocks);
        assert!(done == 0 || done == springs.len() / 4 * 4);
        by_blocks.pull_one_by_one(&springs[done..]);
        alone.pull_one_by_one(&springs);
        assert_eq!(bits(&by_blocks.force), bits(&alone.force));
    }

    #[test]
    fn rows_of_triangles_give_the_same_bits_as_triangles_one_by_one() {
        let skin: Vec<[usize; 3]> = (0..20).map(|k| [k % 12, (5 * k + 1) % 12, (7 * k + 2) % 12]).collect();
        let (mut by_rows, mut alone) = (rows(), rows());
        if rows_wide::grow_faces(&skin, &mut by_rows) {
            alone.grow_one_by_one::<Vec3<f64>>(&skin);
            assert_eq!(bits(&by_rows.growth), bits(&alone.growth));
        }
    }
}
