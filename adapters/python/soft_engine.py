#!/usr/bin/env python3
"""A small engine for soft bodies of the plane that speaks the engine protocol: a template for joining your own.

Standard library only; the protocol and the contacts are those of `engine.py` beside it. Every node is a disc of the skin's radius that does not
turn, so that it touches as any other body does; springs and gas push it over a few symplectic Euler steps within each step. It touches with its
nodes alone: what is narrower than the gap between two of them slips in.

    ironspin run bellows-size --engine "cmd:python3 adapters/python/soft_engine.py"
    ironspin run coupling-chain --engine "cmd:python3 adapters/python/soft_engine.py :: substeps=2"

To join your own engine keep part 1, what is read of a soft body and told of its nodes, and replace part 2 by calls to it.
"""

import copy
import math

import engine
from engine import Refusal, number

# ---------------------------------------------------------------------------------------------------------------
# Part 1: what the protocol has for soft bodies. Their ids follow those of the rigid ones: of n bodies and m softs, 0 to n-1 and n to n+m-1.

HELLO = copy.deepcopy(engine.HELLO)
HELLO["engine"]["name"] = "python sample for soft bodies"
HELLO["features"].append("soft")
HELLO["options"]["substeps"] = {"about": "symplectic Euler steps within a step", "default": "8"}


class Node(engine.Body):
    """A node as a body: a disc that does not turn. One of mass 0 is held."""

    def __init__(self, soft, place, velocity, mass):
        disc = {"shape": {"disc": soft["radius"]}, "sensor": False, "material": soft["material"], "angle": 0.0, "position": [0.0, 0.0]}
        super().__init__(
            {
                "kind": "dynamic" if mass > 0.0 else "static",
                "position": place,
                "angle": 0.0,
                "velocity": velocity if mass > 0.0 else [0.0, 0.0],
                "spin": 0.0,
                "mass": mass,
                "inertia": 0.0,
                "fixed_turn": True,
                "linear_damping": soft.get("damping", 0.0),
                "angular_damping": 0.0,
                "gravity_factor": soft.get("gravity_factor", 1.0),
                "layers": soft.get("layers", 1),
                "meets": soft.get("meets", 4294967295),
                "parts": [disc],
            }
        )
        self.mass, self.built = mass, self.inverse_mass


class Soft:
    """What never changes of a soft body, and its nodes."""

    def __init__(self, row):
        for key, feature in (("sticks", "sticks"), ("matching", "matching"), ("yield", "yield"), ("pins", "pins")):
            if row.get(key):
                raise Refusal(-32001, f"soft bodies with {feature}")
        if row.get("self") or row.get("swept") or row.get("absent"):
            raise Refusal(-32001, "soft bodies that touch themselves, are swept or absent")
        still = [[0.0, 0.0]] * len(row["nodes"])
        self.nodes = [Node(row, *node) for node in zip(row["nodes"], row.get("velocities") or still, row["masses"])]
        self.springs, self.skin = row.get("springs", []), row.get("skin", [])
        gas = row.get("pressure")
        self.gas = (gas["amount"], gas.get("outside", 0.0)) if gas else None
        ends = [0] * len(self.nodes)
        for a, b in self.skin:
            ends[a] += 1
            ends[b] -= 1
        # A skin that holds gas is closed and has its inside to the left.
        if self.gas and (not self.skin or any(ends) or self.enclosed() <= 0.0):
            raise Refusal(-32602, "a pressure in a skin that is open, unevenly oriented or inside out")

    def enclosed(self):
        return 0.5 * sum(
            self.nodes[a].x * self.nodes[b].y - self.nodes[b].x * self.nodes[a].y for a, b in self.skin
        )

    def act(self, action):
        """An action on one node, or on the whole: impulse and force are then shared by mass among the nodes that are free."""
        if any(word in action for word in ("torque", "spin", "split")):
            raise Refusal(-32602, "an action that means nothing for a soft body")
        k = action.get("node")
        chosen = self.nodes if k is None else [self.nodes[k]]
        free = [node for node in chosen if node.inverse_mass > 0.0]
        mass = sum(node.mass for node in free)
        for node in free:
            share = node.mass / mass
            if "impulse" in action:
                x, y = action["impulse"]
                node.push(share * x, share * y, node.x, node.y)
            elif "force" in action:
                node.force_x += share * action["force"][0]
                node.force_y += share * action["force"][1]
            elif "velocity" in action:
                node.vx, node.vy = action["velocity"]
        for node in chosen:
            if "by" in action.get("place", {}):
                node.x += action["place"]["by"][0]
                node.y += action["place"]["by"][1]
            elif "place" in action:
                if k is None:
                    raise Refusal(-32602, "a soft body as a whole is moved by a way")
                node.x, node.y = action["place"]["position"]
            elif "hold" in action and node.mass > 0.0:
                # One that is let go starts from rest.
                node.vx = node.vy = 0.0
                node.inverse_mass = 0.0 if action["hold"] else node.built
            elif action.get("remove"):
                node.there = False
            elif action.get("add"):
                raise Refusal(-32001, "absent")


class SoftServer(engine.Server):
    def build(self, params):
        return {**super().build(params), "bodies": self.world.rigid}

    def frame(self, world):
        told = super().frame(world)
        told["state"] = told["state"][: 6 * world.rigid]
        rows = [(n.x, n.y, n.vx, n.vy) if n.there else (math.nan,) * 4 for soft in world.softs for n in soft.nodes]
        told["soft"] = [number(x) for row in rows for x in row]
        return told


# ---------------------------------------------------------------------------------------------------------------
# Part 2: springs and gas as forces on the nodes.


class SoftWorld(engine.World):
    def __init__(self, params):
        super().__init__(params)
        self.rigid = len(self.bodies)
        self.substeps = int(params.get("options", {}).get("substeps", HELLO["options"]["substeps"]["default"]))
        self.softs = [Soft(row) for row in params.get("softs", [])]
        # The soft body that each body belongs to, by its id; a rigid body is its own.
        self.owner = list(range(self.rigid))
        for k, soft in enumerate(self.softs):
            self.bodies += soft.nodes
            self.owner += [self.rigid + k] * len(soft.nodes)

    def act(self, action):
        body = action.get("body")
        if body is not None and body >= self.rigid:
            self.softs[body - self.rigid].act(action)
        else:
            super().act(action)

    def meet(self, i, n, first, j, m, second):
        pair = tuple(sorted((self.owner[i], self.owner[j])))
        # Nodes of one soft body never touch.
        if pair[0] != pair[1] and pair not in self.apart:
            super().meet(i, n, first, j, m, second)

    def move(self, dt):
        touched = {}
        h = dt / self.substeps
        pushed = [(b.force_x, b.force_y) for b in self.bodies]
        for _ in range(self.substeps):
            for b, (fx, fy) in zip(self.bodies, pushed):
                b.force_x, b.force_y = fx, fy
            for soft in self.softs:
                self.pull(soft)
            super().move(h)
            for c in self.contacts:
                before = touched.get(c.key)
                c.sum = c.impulse + (before.sum if before else 0.0)
                touched[c.key] = c
        # A row stands for the whole step, and names soft bodies.
        self.contacts = []
        for key in sorted(touched):
            c = copy.copy(touched[key])
            c.impulse, c.i, c.j = c.sum, self.owner[c.i], self.owner[c.j]
            self.contacts.append(c)

    def pull(self, soft):
        nodes = soft.nodes
        for a, b, length, stiffness, damping in soft.springs:
            p, q = nodes[a], nodes[b]
            dx, dy = q.x - p.x, q.y - p.y
            span = math.hypot(dx, dy)
            if span == 0.0:
                continue
            dx, dy = dx / span, dy / span
            growth = (q.vx - p.vx) * dx + (q.vy - p.vy) * dy
            force = stiffness * (span - length) + damping * growth
            p.force_x += force * dx
            p.force_y += force * dy
            q.force_x -= force * dx
            q.force_y -= force * dy
        if soft.gas and soft.enclosed() > 0.0:
            amount, outside = soft.gas
            half = 0.5 * (amount / soft.enclosed() - outside)
            for a, b in soft.skin:
                # Outwards is to the right of a segment; each end takes half.
                x, y = half * (nodes[b].y - nodes[a].y), half * (nodes[a].x - nodes[b].x)
                for node in (nodes[a], nodes[b]):
                    node.force_x += x
                    node.force_y += y


if __name__ == "__main__":
    engine.serve(SoftServer(HELLO, SoftWorld))
