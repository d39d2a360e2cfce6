//! What holds the nodes of a soft body beside its springs: sticks, pins, yield, gas.

use super::Resolver;
use super::bodies::Built;
use super::joints::into_frame;
use super::net_shapes::NetShape;
use crate::diagnostic::Diagnostic;
use crate::file::{Placed, SoftTable, SticksTable};
use crate::names::Names;
use crate::number::Number;
use crate::select::around_node;
use ironspin_model::{Pin, Pressure, SPRING_LIMIT, Stick, Yield};

impl Resolver {
    pub(super) fn sticks(&self, table: &SoftTable, shape: &NetShape, names: &Names) -> Result<Vec<Stick>, Diagnostic> {
        let length = |ends: [usize; 2]| shape.nodes[ends[0]].distance(shape.nodes[ends[1]]);
        let lists = match &table.sticks {
            None | Some(SticksTable::All(false)) => return Ok(Vec::new()),
            Some(SticksTable::All(true)) => {
                let ties = shape.ties(table.bracing).into_iter().filter(|tie| !tie.is_brace);
                return Ok(ties.map(|tie| Stick { ends: tie.ends, length: length(tie.ends) }).collect());
            }
            Some(SticksTable::List(lists)) => lists,
        };
        if lists.len() > SPRING_LIMIT {
            return Err(Diagnostic::at(table.made_of.span(), format!("a soft body has {SPRING_LIMIT} sticks at most")));
        }
        let stick = |list: &Placed<Vec<Number>>| {
            let numbers = list.get_ref();
            if !(2..=3).contains(&numbers.len()) {
                return Err(Diagnostic::at(list.span(), format!("found {} numbers for a stick", numbers.len()))
                    .label("expected [a, b], and a length where it is not as built"));
            }
            let ends = self.node_numbers::<2>(&numbers[..2], list.span(), "a stick", shape.nodes.len(), names)?;
            let own = numbers.get(2).map(|number| self.positive(number, "a length", names)).transpose()?;
            Ok(Stick { ends, length: own.unwrap_or_else(|| length(ends)) })
        };
        lists.iter().map(stick).collect()
    }

    pub(super) fn pins(
        &self,
        table: &SoftTable,
        shape: &NetShape,
        built: &Built,
        names: &Names,
    ) -> Result<Vec<Pin>, Diagnostic> {
        let mut pins: Vec<Pin> = Vec::new();
        for own in &table.pins {
            let body = self.one(&own.body, &built.bodies, names)?;
            let held = &built.bodies[body];
            if around_node(&held.name).1.is_some() {
                return Err(Diagnostic::at(own.body.span(), "a node is pinned to a rigid body")
                    .label("this is a node")
                    .help("join nodes of one soft body by springs or sticks"));
            }
            let nodes = self.nodes_called(&own.node, shape, names)?;
            let point = own.point.as_ref().map(|point| self.placed_vector(point, names)).transpose()?;
            if point.is_some() && nodes.len() > 1 {
                return Err(Diagnostic::at(own.node.span(), format!("{} nodes at one point", nodes.len()))
                    .label("expected one node, or no `point`"));
            }
            for node in nodes {
                if pins.iter().any(|pin| pin.node == node) {
                    return Err(Diagnostic::at(own.node.span(), format!("node{} is pinned twice", shape.label(node)))
                        .label("again here"));
                }
                let as_built = || into_frame(shape.nodes[node] - held.pose.position, held, self.dimension);
                pins.push(Pin { node, body, point: point.unwrap_or_else(as_built) });
            }
        }
        Ok(pins)
    }

    pub(super) fn yielding(&self, table: &SoftTable, names: &Names) -> Result<Option<Yield>, Diagnostic> {
        let Some(own) = &table.yielding else { return Ok(None) };
        let strain = self.not_negative(&own.strain, "a strain", names)?;
        let most = self.not_negative(&own.most, "a share", names)?;
        if !(most < 1.0) {
            return Err(Diagnostic::at(own.most.span(), "a spring that yields keeps some of its length")
                .label("expected less than 1"));
        }
        Ok(Some(Yield { strain, most }))
    }

    pub(super) fn pressure(&self, table: &SoftTable, names: &Names) -> Result<Option<Pressure>, Diagnostic> {
        let Some(pressure) = &table.pressure else { return Ok(None) };
        let outside = pressure.get_ref().outside.as_ref();
        Ok(Some(Pressure {
            amount: self.not_negative(&pressure.get_ref().amount, "an amount of gas", names)?,
            outside: outside.map_or(Ok(0.0), |number| self.not_negative(number, "a pressure", names))?,
        }))
    }
}
