//! Soft bodies: their nodes as bodies behind all rigid ones, springs, skins, cells, gas.

use super::Resolver;
use super::bodies::{Built, is_body_name};
use super::net_shapes::{NetShape, Tie};
use crate::diagnostic::Diagnostic;
use crate::file::{BracingWord, Placed, SkinTable, SoftTable, SticksTable};
use crate::names::Names;
use crate::number::Number;
use crate::select::{node_matches, split};
use ironspin_model::{
    CELL_LIMIT, DVec3, Dimension, Material, NODE_LIMIT, NodeSpring, NodeTraits, SPRING_LIMIT, SoftBody, World, turn,
};
use std::ops::Range;

/// Segments, and triangles.
type Skin = (Vec<[usize; 2]>, Vec<[usize; 3]>);

impl Resolver {
    /// Adds the soft bodies of a scene to its bodies.
    pub(super) fn softs(
        &self,
        tables: &[SoftTable],
        materials: &[Material],
        built: &mut Built,
    ) -> Result<Vec<SoftBody>, Diagnostic> {
        let mut softs = Vec::new();
        let rigid: Vec<String> = built.bodies.iter().map(|body| split(&body.name).0.to_owned()).collect();
        for (number, table) in tables.iter().enumerate() {
            let name = table.name.get_ref();
            if !is_body_name(name) {
                return Err(Diagnostic::at(table.name.span(), format!("`{name}` is no name for a soft body"))
                    .help("use letters, digits, - and _; indices come from `repeat`"));
            }
            let taken = tables[..number].iter().any(|other| other.name.get_ref() == name);
            if taken || rigid.iter().any(|other| other == name) {
                return Err(Diagnostic::at(table.name.span(), format!("there is a body called `{name}` already"))
                    .label("second of this name"));
            }
            let mut names = self.names.clone();
            self.repeat(&table.repeat, &mut names, name.clone(), &mut |names, full_name| {
                softs.push(self.soft(table, materials, names, full_name, built)?);
                Ok(())
            })?;
        }
        Ok(softs)
    }

    fn soft(
        &self,
        table: &SoftTable,
        materials: &[Material],
        names: &Names,
        name: String,
        built: &mut Built,
    ) -> Result<SoftBody, Diagnostic> {
        let traits = self.node_traits(table, materials, names, name)?;
        let mut shape = self.net_shape(&table.made_of, names)?;
        self.turn_and_move(table, &mut shape, names)?;
        let masses = self.masses(table, &shape, names)?;
        let velocities = self.velocities(table, shape.nodes.len(), names)?;
        let springs = self.net_springs(table, &shape, names)?;
        let sticks = self.sticks(table, &shape, names)?;
        let count = shape.nodes.len();
        if built.bodies.len() + count > self.body_limit {
            return Err(self.too_many(table.made_of.span()).label("each node counts as one"));
        }
        let (skin, faces) = self.skin(table, &shape, names)?;
        let (mut cells, mut tetrahedra) = (shape.cells.clone(), shape.tetrahedra.clone());
        match self.dimension {
            Dimension::Plane => cells.extend(self.node_lists::<3>(&table.cells, "a cell", count, names)?),
            Dimension::Space => tetrahedra.extend(self.node_lists::<4>(&table.cells, "a cell", count, names)?),
        }
        if skin.len() + faces.len() > CELL_LIMIT || cells.len() + tetrahedra.len() > CELL_LIMIT {
            return Err(Diagnostic::at(table.made_of.span(), format!("a soft body has {CELL_LIMIT} cells at most")));
        }
        let first = built.bodies.len();
        for (node, &position) in shape.nodes.iter().enumerate() {
            built.bodies.push(traits.node(&shape.label(node), position, velocities[node], masses[node]));
            built.places.push(table.name.span());
        }
        let soft = SoftBody {
            nodes: first..built.bodies.len(),
            material: traits.material,
            radius: traits.radius,
            self_contact: table.self_contact,
            springs,
            sticks,
            skin,
            faces,
            cells,
            tetrahedra,
            pressure: self.pressure(table, names)?,
            matching: table
                .matching
                .as_ref()
                .map(|own| self.not_negative(&own.rate, "a rate of matching", names))
                .transpose()?,
            yielding: self.yielding(table, names)?,
            pins: self.pins(table, &shape, built, names)?,
            name: traits.name,
        };
        self.check_soft(table, soft, materials, built)
    }

    /// What cannot be built, at the key that says so.
    fn check_soft(
        &self,
        table: &SoftTable,
        soft: SoftBody,
        materials: &[Material],
        built: &mut Built,
    ) -> Result<SoftBody, Diagnostic> {
        let span = table.pressure.as_ref().map_or(table.made_of.span(), Placed::span);
        // Only what the check looks at.
        let bodies = std::mem::take(&mut built.bodies);
        let dimension = self.dimension;
        let world = World { dimension, materials: materials.to_vec(), bodies, ..World::planar(1.0) };
        let complaint = soft.complaint(&world);
        built.bodies = world.bodies;
        if let Some(what) = complaint {
            let span = if what.contains("pressure") { span } else { table.made_of.span() };
            return Err(Diagnostic::at(span, format!("`{}` has {what}", soft.name)).label("cannot be built"));
        }
        if let Some((a, b)) = same_place(&built.bodies[soft.nodes.clone()]) {
            let names = [a, b].map(|node| &built.bodies[soft.nodes.start + node].name);
            return Err(Diagnostic::at(
                table.made_of.span(),
                format!("`{}` and `{}` stand in the same place", names[0], names[1]),
            )
            .label("a node comes twice"));
        }
        Ok(soft)
    }

    fn node_traits(
        &self,
        table: &SoftTable,
        materials: &[Material],
        names: &Names,
        name: String,
    ) -> Result<NodeTraits, Diagnostic> {
        let not_negative = |number: &Option<Number>, what: &str| {
            number.as_ref().map_or(Ok(0.0), |number| self.not_negative(number, what, names))
        };
        Ok(NodeTraits {
            name,
            material: self.material(&table.material, materials)?,
            radius: not_negative(&table.radius, "a radius")?,
            layers: table.layers.as_ref().map_or(Ok(1), |layers| self.mask(layers))?,
            collision_mask: table.meets.as_ref().map_or(Ok(u32::MAX), |layers| self.mask(layers))?,
            gravity_factor: self.optional(table.gravity_factor.as_ref(), 1.0, names)?,
            damping: not_negative(&table.damping, "a damping")?,
            ccd: table.swept,
            absent: table.absent,
            dimension: self.dimension,
        })
    }

    fn turn_and_move(&self, table: &SoftTable, shape: &mut NetShape, names: &Names) -> Result<(), Diagnostic> {
        let at = self.placed_vector(&table.at, names)?;
        if let super::net_shapes::Form::Rope(to) = shape.form {
            // The far end stands where it is named.
            let gaps = (shape.nodes.len() - 1).max(1) as f64;
            for (i, node) in shape.nodes.iter_mut().enumerate() {
                *node = at + (to - at) * (i as f64 / gaps);
            }
            let turned = table.angle.as_ref().map(Number::span).or(table.turn.as_ref().map(Placed::span));
            if let Some(span) = turned {
                return Err(Diagnostic::at(span, "a rope lies from `at` to `to` and is not turned"));
            }
            return Ok(());
        }
        let pose = self.pose(at, table.angle.as_ref(), table.turn.as_ref(), 0, names)?;
        if self.dimension == Dimension::Space {
            for node in &mut shape.nodes {
                *node = at + turn::turned(pose.rotation, *node);
            }
            return Ok(());
        }
        let angle = pose.angle;
        let (sin, cos) = if angle == 0.0 { (0.0, 1.0) } else { (libm::sin(angle), libm::cos(angle)) };
        for node in &mut shape.nodes {
            let turned = if angle == 0.0 {
                *node
            } else {
                DVec3::new(cos * node.x - sin * node.y, sin * node.x + cos * node.y, 0.0)
            };
            *node = at + turned;
        }
        Ok(())
    }

    /// Masses of all nodes; those that are held have none.
    fn masses(&self, table: &SoftTable, shape: &NetShape, names: &Names) -> Result<Vec<f64>, Diagnostic> {
        let count = shape.nodes.len();
        let mut masses = match (&table.mass, &table.masses) {
            (Some(mass), None) => vec![self.positive(mass, "a mass", names)? / count as f64; count],
            (None, Some(masses)) => {
                let list = masses.get_ref();
                if list.len() != count {
                    return Err(Diagnostic::at(
                        masses.span(),
                        format!("found {} masses for {count} nodes", list.len()),
                    )
                    .label(format!("expected {count} numbers")));
                }
                list.iter().map(|mass| self.not_negative(mass, "a mass", names)).collect::<Result<_, _>>()?
            }
            (Some(mass), Some(_)) => {
                return Err(Diagnostic::at(mass.span(), "a soft body has `mass` or `masses`").label("both"));
            }
            (None, None) => {
                return Err(Diagnostic::at(table.name.span(), format!("`{}` has no mass", table.name.get_ref()))
                    .label("`mass` is missing here")
                    .help("add a line `mass = ...` for all nodes together, or `masses = [...]`"));
            }
        };
        if let Some(held) = &table.held {
            for node in self.nodes_called(held, shape, names)? {
                masses[node] = 0.0;
            }
        }
        Ok(masses)
    }

    /// Numbers of the nodes that some terms name, each of which names one at least.
    pub(super) fn nodes_called(
        &self,
        called: &Placed<String>,
        shape: &NetShape,
        names: &Names,
    ) -> Result<Vec<usize>, Diagnostic> {
        let mut nodes = Vec::new();
        for term in self.with_worked_out_indices(called, names)?.split(',').map(str::trim) {
            let before = nodes.len();
            nodes.extend((0..shape.nodes.len()).filter(|&node| node_matches(term, &shape.label(node))));
            if nodes.len() == before {
                let last = shape.nodes.len() - 1;
                return Err(Diagnostic::at(called.span(), format!("no node is called `{term}`"))
                    .label("matches nothing")
                    .help(format!("nodes are `node{}` to `node{}`", shape.label(0), shape.label(last))));
            }
        }
        nodes.sort_unstable();
        nodes.dedup();
        Ok(nodes)
    }

    fn velocities(&self, table: &SoftTable, count: usize, names: &Names) -> Result<Vec<DVec3>, Diagnostic> {
        let common = self.optional_vector(table.velocity.as_ref(), names)?;
        let Some(list) = &table.velocities else { return Ok(vec![common; count]) };
        if list.len() != count {
            return Err(Diagnostic::at(
                table.name.span(),
                format!("found {} velocities for {count} nodes", list.len()),
            )
            .label(format!("expected {count}")));
        }
        list.iter().map(|own| Ok(common + self.placed_vector(own, names)?)).collect()
    }

    fn net_springs(&self, table: &SoftTable, shape: &NetShape, names: &Names) -> Result<Vec<NodeSpring>, Diagnostic> {
        let mut ties = shape.ties(table.bracing);
        // Sticks take the place of springs between neighbours.
        if matches!(table.sticks, Some(SticksTable::All(true))) {
            ties.retain(|tie| tie.is_brace);
        }
        let stiffness =
            table.stiffness.as_ref().map(|number| self.not_negative(number, "a stiffness", names)).transpose()?;
        if stiffness.is_none() && !ties.is_empty() {
            return Err(Diagnostic::at(table.made_of.span(), "its springs need the key `stiffness`")
                .label("`stiffness` is missing")
                .help("add a line `stiffness = ...`, N/m"));
        }
        let stiffness = stiffness.unwrap_or(0.0);
        if table.bracing == BracingWord::None
            && let Some(number) = &table.brace_stiffness
        {
            return Err(Diagnostic::at(number.span(), "`brace_stiffness` goes with `bracing`"));
        }
        let brace = table.brace_stiffness.as_ref();
        let brace = brace.map_or(Ok(stiffness), |number| self.not_negative(number, "a stiffness", names))?;
        let damping = table.spring_damping.as_ref();
        let damping = damping.map_or(Ok(0.0), |number| self.not_negative(number, "a damping", names))?;
        let length = table.length.as_ref().map(|number| self.not_negative(number, "a length", names)).transpose()?;
        let span = |[a, b]: [usize; 2]| shape.nodes[a].distance(shape.nodes[b]);
        let mut springs: Vec<NodeSpring> = ties
            .into_iter()
            .map(|Tie { ends, is_brace }| NodeSpring {
                ends,
                length: length.filter(|_| !is_brace).unwrap_or_else(|| span(ends)),
                stiffness: if is_brace { brace } else { stiffness },
                damping,
            })
            .collect();
        for list in &table.springs {
            let numbers = list.get_ref();
            if !(2..=5).contains(&numbers.len()) {
                return Err(Diagnostic::at(list.span(), format!("found {} numbers for a spring", numbers.len()))
                    .label("expected [a, b], and length, stiffness and damping where they differ"));
            }
            let ends = self.node_numbers::<2>(&numbers[..2], list.span(), "a spring", shape.nodes.len(), names)?;
            let own = |place: usize, what: &str, usual: f64| {
                numbers.get(place).map_or(Ok(usual), |number| self.not_negative(number, what, names))
            };
            springs.push(NodeSpring {
                ends,
                length: own(2, "a length", span(ends))?,
                stiffness: own(3, "a stiffness", stiffness)?,
                damping: own(4, "a damping", damping)?,
            });
        }
        if springs.len() > SPRING_LIMIT {
            return Err(Diagnostic::at(
                table.made_of.span(),
                format!("a soft body has {SPRING_LIMIT} springs at most"),
            ));
        }
        Ok(springs)
    }

    /// The skin: segments in the plane, triangles in space.
    fn skin(&self, table: &SoftTable, shape: &NetShape, names: &Names) -> Result<Skin, Diagnostic> {
        let count = shape.nodes.len();
        Ok(match (&table.skin, self.dimension) {
            (None, _) => (shape.skin.clone(), shape.faces.clone()),
            (Some(SkinTable::Usual(false)), _) => (Vec::new(), Vec::new()),
            (Some(SkinTable::Usual(true)), Dimension::Plane) => (shape.usual_skin(), Vec::new()),
            (Some(SkinTable::Usual(true)), Dimension::Space) if shape.faces.is_empty() => {
                return Err(Diagnostic::at(table.made_of.span(), "what this is made of has no skin in space")
                    .help("give triangles by numbers of nodes, or make a cloth, a block, a sphere or a torus"));
            }
            (Some(SkinTable::Usual(true)), Dimension::Space) => (Vec::new(), shape.faces.clone()),
            (Some(SkinTable::Pieces(pieces)), Dimension::Plane) => {
                (self.node_lists::<2>(pieces, "a piece of skin", count, names)?, Vec::new())
            }
            (Some(SkinTable::Pieces(pieces)), Dimension::Space) => {
                (Vec::new(), self.node_lists::<3>(pieces, "a piece of skin", count, names)?)
            }
        })
    }

    /// Lists of so many numbers of nodes each.
    fn node_lists<const N: usize>(
        &self,
        lists: &[Placed<Vec<Number>>],
        what: &str,
        count: usize,
        names: &Names,
    ) -> Result<Vec<[usize; N]>, Diagnostic> {
        lists.iter().map(|list| self.node_numbers(list.get_ref(), list.span(), what, count, names)).collect()
    }

    pub(super) fn node_numbers<const N: usize>(
        &self,
        numbers: &[Number],
        span: Range<usize>,
        what: &str,
        count: usize,
        names: &Names,
    ) -> Result<[usize; N], Diagnostic> {
        if numbers.len() != N {
            return Err(Diagnostic::at(span, format!("found {} numbers for {what}", numbers.len()))
                .label(format!("expected {N} numbers of nodes")));
        }
        let mut found = [0; N];
        for (place, number) in numbers.iter().enumerate() {
            let value = self.evaluator.value(number, names)?;
            if value < 0.0 || value.fract() != 0.0 || value >= count as f64 {
                return Err(Diagnostic::at(number.span(), format!("there is no node {value}"))
                    .label(format!("expected a number from 0 to {}", count.saturating_sub(1))));
            }
            found[place] = value as usize;
            if found[..place].contains(&found[place]) {
                return Err(Diagnostic::at(number.span(), format!("{what} names node {value} twice")).label("again"));
            }
        }
        Ok(found)
    }

    /// A count of nodes.
    pub(super) fn node_count(&self, number: &Number, least: usize, names: &Names) -> Result<usize, Diagnostic> {
        let count = self.count(number, "the number of nodes", names)?;
        if !(least..=NODE_LIMIT).contains(&count) {
            return Err(Diagnostic::at(number.span(), format!("{count} nodes cannot be built"))
                .label(format!("expected {least} to {NODE_LIMIT}")));
        }
        Ok(count)
    }
}

/// Two nodes that stand in the same place.
fn same_place(nodes: &[ironspin_model::Body]) -> Option<(usize, usize)> {
    let place = |node: usize| nodes[node].pose.position;
    let mut order: Vec<usize> = (0..nodes.len()).collect();
    let along = |a: usize, b: usize, axis: usize| place(a)[axis].total_cmp(&place(b)[axis]);
    order.sort_by(|&a, &b| along(a, b, 0).then(along(a, b, 1)).then(along(a, b, 2)).then(a.cmp(&b)));
    order.windows(2).find(|two| place(two[0]) == place(two[1])).map(|two| (two[0].min(two[1]), two[0].max(two[1])))
}
