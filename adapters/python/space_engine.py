#!/usr/bin/env python3
"""A small rigid-body engine in space that speaks the engine protocol: a template for joining your own.

Standard library only. What is said over the pipe is part 1 of `engine.py` beside this file; here is what differs in
space. Spheres, boxes and half spaces; contacts by separating axes and clipping; sequential impulses with warm starting
(Catto, "Iterative dynamics with temporal coherence", 2005) and a round friction cone; free turning by the midpoint
rule on an angular momentum that stays.

    ironspin run solid-drop --engine "cmd:python3 adapters/python/space_engine.py"
    ironspin run solid-tower --engine "cmd:python3 adapters/python/space_engine.py :: passes=60"
"""

import math
import sys

# What is imported from beside this file leaves nothing there.
sys.dont_write_bytecode = True

import engine
from engine import Refusal, Server, serve

HELLO = {
    "protocol": 1,
    "engine": {"name": "python sample in space", "version": "1"},
    # 3 is space; an engine that does both lists [2, 3] and looks at `space` of each build.
    "spaces": [3],
    "scalar": "f64",
    "shapes": ["sphere", "box", "half_space"],
    "features": ["contacts", "filter", "kinematic", "body_gravity", "restore"],
    "options": {"passes": {"about": "times that all contacts are solved in a step", "default": "30"}},
}

# ---------------------------------------------------------------------------------------------------------------
# Vectors are lists of three, quaternions of four with the scalar first; q turns from the body's axes to the world's.


def dot(a, b):
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def cross(a, b):
    return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]


def plus(a, b, times=1.0):
    return [a[0] + times * b[0], a[1] + times * b[1], a[2] + times * b[2]]


def scaled(a, by):
    return [a[0] * by, a[1] * by, a[2] * by]


def unit(a):
    length = math.sqrt(dot(a, a))
    return scaled(a, 1.0 / length) if length > 0.0 else [0.0, 1.0, 0.0]


def product(a, b):
    """First b, then a."""
    axis = plus(plus(scaled(b[1:], a[0]), a[1:], b[0]), cross(a[1:], b[1:]))
    return [a[0] * b[0] - dot(a[1:], b[1:])] + axis


def turned(q, v):
    twice = scaled(cross(q[1:], v), 2.0)
    return plus(plus(v, twice, q[0]), cross(q[1:], twice))


def turned_back(q, v):
    return turned([q[0], -q[1], -q[2], -q[3]], v)


def turned_on(q, spin, dt):
    """The rotation after a spin about the world's axes has been kept for a time, of unit length again."""
    angle = math.sqrt(dot(spin, spin)) * dt
    if angle > 0.0:
        q = product([math.cos(0.5 * angle)] + scaled(unit(spin), math.sin(0.5 * angle)), q)
    length = math.sqrt(q[0] ** 2 + dot(q[1:], q[1:]))
    return [part / length for part in q]


def times(m, v):
    return [dot(row, v) for row in m]


def inverse(m):
    """Of a symmetric matrix of three rows, by its cofactors."""
    rows = [cross(m[1], m[2]), cross(m[2], m[0]), cross(m[0], m[1])]
    return [scaled(row, 1.0 / dot(m[0], rows[0])) for row in rows]


# ---------------------------------------------------------------------------------------------------------------
# The engine. y up where the scene has it so: gravity is given as a vector.


class Body:
    def __init__(self, row):
        self.kind = row["kind"]
        self.at, self.turn = list(row["position"]), list(row["rotation"])
        # About the axes of the world, rad/s.
        self.velocity, self.spin = list(row["velocity"]), list(row["spin"])
        moves = self.kind == "dynamic"
        self.inverse_mass = 1.0 / row["mass"] if moves else 0.0
        self.turns = moves and not row["fixed_turn"]
        if self.turns:
            # [Ixx, Iyy, Izz, Ixy, Ixz, Iyz] along the body's own axes, as entries of the matrix.
            xx, yy, zz, xy, xz, yz = row["inertia"]
            self.inertia = [[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]]
            self.own_inverse = inverse(self.inertia)
        self.linear_damping, self.angular_damping = row["linear_damping"], row["angular_damping"]
        self.gravity_factor = row["gravity_factor"]
        self.layers, self.meets = row["layers"], row["meets"]
        self.there = True
        self.force, self.torque = [0.0] * 3, [0.0] * 3
        self.parts = [Part(part) for part in row["parts"]]

    def row(self):
        return self.at + self.turn + self.velocity + self.spin

    def by_moment(self, moment):
        """The change of spin that an angular impulse makes."""
        if not self.turns:
            return [0.0] * 3
        return turned(self.turn, times(self.own_inverse, turned_back(self.turn, moment)))

    def push(self, impulse, point):
        self.velocity = plus(self.velocity, impulse, self.inverse_mass)
        if self.turns:
            self.spin = plus(self.spin, self.by_moment(cross(plus(point, self.at, -1.0), impulse)))

    def move(self, dt, shift):
        self.at = plus(plus(self.at, self.velocity, dt), shift[0])
        spin = self.spin
        if self.turns:
            # The angular momentum of a free body stays, and its spin does not: half a step on for the middle.
            momentum = turned(self.turn, times(self.inertia, turned_back(self.turn, self.spin)))
            middle = turned_on(self.turn, self.spin, 0.5 * dt)
            spin = turned(middle, times(self.own_inverse, turned_back(middle, momentum)))
        self.turn = turned_on(turned_on(self.turn, spin, dt), shift[1], 1.0)
        if self.turns:
            self.spin = self.by_moment(momentum)


class Part:
    def __init__(self, row):
        ((self.shape, size),) = row["shape"].items()
        if self.shape not in HELLO["shapes"]:
            raise Refusal(-32001, f"the shape {self.shape}")
        if row["sensor"]:
            raise Refusal(-32001, "sensor")
        self.material = row["material"]
        self.own, self.own_turn = list(row["position"]), list(row["rotation"])
        self.radius = size if self.shape == "sphere" else 0.0
        # Sizes are full.
        self.half = [0.5 * edge for edge in size] if self.shape == "box" else [0.0] * 3
        self.normal = size if self.shape == "half_space" else None

    def place(self, body):
        """Where the part is now: centre, axes and how far it reaches along x."""
        self.at = plus(body.at, turned(body.turn, self.own))
        turn = product(body.turn, self.own_turn)
        self.axes = [turned(turn, axis) for axis in ([1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0])]
        if self.shape == "half_space":
            self.out = turned(turn, self.normal)
            self.left, self.right = -math.inf, math.inf
        else:
            reach = self.reach([1.0, 0.0, 0.0])
            self.left, self.right = self.at[0] - reach, self.at[0] + reach

    def reach(self, n):
        return self.radius + sum(half * abs(dot(axis, n)) for half, axis in zip(self.half, self.axes))

    def corners(self):
        for k in range(8):
            corner = self.at
            for axis in range(3):
                corner = plus(corner, self.axes[axis], self.half[axis] if k >> axis & 1 else -self.half[axis])
            yield k, corner


class Contact:
    """One contact point. The normal goes from body i to body j, i < j; depth is positive in overlap."""

    def __init__(self, key, i, j, point, normal, depth):
        self.key, self.i, self.j = key, i, j
        self.point, self.normal, self.depth = point, normal, depth
        self.impulse, self.rub, self.lift = 0.0, [0.0] * 3, 0.0

    def row(self):
        return [self.i, self.j, *self.point, *self.normal, self.depth, self.impulse]


class World(engine.World):
    """What mixes materials and finds pairs is that of the plane."""

    MARGIN = 0.005  # gap at which a contact is already known
    SLOP = 0.001  # overlap that is left alone, so that resting contacts stay

    def __init__(self, params):
        if params.get("space") != 3:
            raise Refusal(-32001, "worlds of 2 dimensions")
        if params.get("joints"):
            raise Refusal(-32001, "joint." + params["joints"][0]["kind"])
        self.gravity = list(params["gravity"])
        self.passes = int(params.get("options", {}).get("passes", HELLO["options"]["passes"]["default"]))
        self.materials = params["materials"]
        self.pairs = {tuple(sorted(p["between"])): (p["friction"], p["restitution"]) for p in params.get("pairs", [])}
        self.apart = {tuple(sorted(pair)) for pair in params.get("apart", [])}
        self.bodies = [Body(row) for row in params["bodies"]]
        self.step = 0
        self.waiting, self.contacts, self.known = [], [], {}

    def collide(self, first, second):
        return collide(first, second)

    def contact(self, *words):
        return Contact(*words)

    def act(self, action):
        if "gravity" in action:
            self.gravity = list(action["gravity"])
            return
        b = self.bodies[action["body"]]
        point = action.get("point") or b.at
        if "impulse" in action:
            b.push(action["impulse"], point)
        elif "force" in action:
            b.force = plus(b.force, action["force"])
            b.torque = plus(b.torque, cross(plus(point, b.at, -1.0), action["force"]))
        elif "torque" in action:
            b.torque = plus(b.torque, action["torque"])
        elif "velocity" in action:
            b.velocity = list(action["velocity"])
        elif "spin" in action:
            b.spin = list(action["spin"])
        elif "place" in action:
            b.at, b.turn = list(action["place"]["position"]), list(action["place"]["rotation"])
        elif action.get("remove"):
            b.there = False
        else:
            raise Refusal(-32001, "absent")

    def do_step(self, dt):
        due = [action for action in self.waiting if action["before_step"] == self.step]
        self.waiting = [action for action in self.waiting if action["before_step"] > self.step]
        for action in due:
            self.act(action)
        self.step += 1
        if dt == 0.0:
            return
        for b in self.bodies:
            if b.inverse_mass > 0.0:
                b.velocity = plus(plus(b.velocity, self.gravity, dt * b.gravity_factor), b.force, dt * b.inverse_mass)
                b.spin = plus(b.spin, b.by_moment(scaled(b.torque, dt)))
                # Speed falls as exp(-c t), whatever the step.
                b.velocity = scaled(b.velocity, math.exp(-b.linear_damping * dt))
                b.spin = scaled(b.spin, math.exp(-b.angular_damping * dt))
            b.force, b.torque = [0.0] * 3, [0.0] * 3
        self.find_contacts()
        shifts = self.solve(dt)
        for b, shift in zip(self.bodies, shifts):
            if b.kind != "static":
                b.move(dt, shift)

    def solve(self, dt):
        slow = 2.0 * dt * math.sqrt(dot(self.gravity, self.gravity))
        for c in self.contacts:
            a, b = self.bodies[c.i], self.bodies[c.j]
            c.arms = (plus(c.point, a.at, -1.0), plus(c.point, b.at, -1.0))
            c.along = self.weight(c, c.normal)
            first = unit(cross(c.normal, [1.0, 0.0, 0.0] if abs(c.normal[0]) < 0.8 else [0.0, 1.0, 0.0]))
            c.across = max(self.weight(c, first), self.weight(c, cross(c.normal, first)))
            speed = dot(self.way(c), c.normal)
            # What comes in slower than gravity makes in a step or two is at rest, and does not bounce.
            c.bounce = -c.restitution * speed if speed < -slow else 0.0
            # A gap may close in this step, but no further.
            c.room = max(0.0, -c.depth) / dt
            # What was rubbed before lies across the normal of now.
            c.rub = plus(c.rub, c.normal, -dot(c.rub, c.normal))
        for c in self.contacts:
            self.push(c, plus(c.rub, c.normal, c.impulse))
        for _ in range(self.passes):
            for c in self.contacts:
                # Within a round cone: the impulse across is cut to its length, whatever its direction.
                way = self.way(c)
                sliding = plus(way, c.normal, -dot(way, c.normal))
                rub = plus(c.rub, sliding, -1.0 / c.across)
                length, limit = math.sqrt(dot(rub, rub)), c.friction * c.impulse
                if length > limit:
                    rub = scaled(rub, limit / length)
                change, c.rub = plus(rub, c.rub, -1.0), rub
                self.push(c, change)
                wanted = c.bounce if c.bounce > 0.0 else -c.room
                impulse = max(0.0, c.impulse - (dot(self.way(c), c.normal) - wanted) / c.along)
                change, c.impulse = impulse - c.impulse, impulse
                self.push(c, scaled(c.normal, change))
        self.known = {c.key: (c.impulse, c.rub) for c in self.contacts}
        return self.part_overlaps()

    def part_overlaps(self):
        """Takes a fifth of each overlap out, as ways rather than velocities: what is moved so gains no speed."""
        shifts = [[[0.0] * 3, [0.0] * 3] for _ in self.bodies]
        deep = [c for c in self.contacts if c.depth > self.SLOP]
        for _ in range(self.passes if deep else 0):
            for c in deep:
                (a, turn_a), (b, turn_b) = shifts[c.i], shifts[c.j]
                ways = plus(plus(b, cross(turn_b, c.arms[1])), plus(a, cross(turn_a, c.arms[0])), -1.0)
                lift = max(0.0, c.lift + (0.2 * (c.depth - self.SLOP) - dot(ways, c.normal)) / c.along)
                change, c.lift = lift - c.lift, lift
                for body, arm, sign in ((c.i, c.arms[0], -change), (c.j, c.arms[1], change)):
                    of = self.bodies[body]
                    shifts[body][0] = plus(shifts[body][0], c.normal, sign * of.inverse_mass)
                    shifts[body][1] = plus(shifts[body][1], of.by_moment(scaled(cross(arm, c.normal), sign)))
        return shifts

    def way(self, c):
        """Velocity of body j against body i at the contact."""
        a, b = self.bodies[c.i], self.bodies[c.j]
        at_b = plus(b.velocity, cross(b.spin, c.arms[1]))
        return plus(at_b, plus(a.velocity, cross(a.spin, c.arms[0])), -1.0)

    def weight(self, c, along):
        """Speed along a direction that a unit impulse makes."""
        total = 0.0
        for body, arm in ((self.bodies[c.i], c.arms[0]), (self.bodies[c.j], c.arms[1])):
            total += body.inverse_mass + dot(cross(body.by_moment(cross(arm, along)), arm), along)
        return total

    def push(self, c, impulse):
        self.bodies[c.i].push(scaled(impulse, -1.0), c.point)
        self.bodies[c.j].push(impulse, c.point)


# ---------------------------------------------------------------------------------------------------------------
# Collision. Each function gives (mark, point, normal from the first to the second, depth); the mark knows a point
# again in the next step. Negative depth is a gap.


def collide(a, b):
    order = {"half_space": 0, "box": 1, "sphere": 2}
    if order[a.shape] > order[b.shape]:
        return [(mark, point, scaled(normal, -1.0), depth) for mark, point, normal, depth in collide(b, a)]
    if a.shape == "half_space":
        return on_plane(a, b) if b.shape != "half_space" else []
    if a.shape == "box":
        return boxes(a, b) if b.shape == "box" else box_sphere(a, b)
    return spheres(a.at, a.radius, b)


def on_plane(plane, b):
    points = b.corners() if b.shape == "box" else [(0, plus(b.at, plane.out, -b.radius))]
    return [(k, point, plane.out, dot(plus(plane.at, point, -1.0), plane.out)) for k, point in points]


def spheres(at, radius, b):
    way = plus(b.at, at, -1.0)
    normal = unit(way)
    depth = radius + b.radius - math.sqrt(dot(way, way))
    return [(0, plus(at, normal, radius - 0.5 * depth), normal, depth)]


def box_sphere(box, ball):
    way = plus(ball.at, box.at, -1.0)
    own = [dot(way, axis) for axis in box.axes]
    inside = [min(max(part, -half), half) for part, half in zip(own, box.half)]
    if inside != own:
        nearest = box.at
        for axis, part in zip(box.axes, inside):
            nearest = plus(nearest, axis, part)
        return spheres(nearest, 0.0, ball)
    # The centre lies inside: out by the nearest face.
    room, k = min((half - abs(part), k) for k, (part, half) in enumerate(zip(own, box.half)))
    normal = scaled(box.axes[k], 1.0 if own[k] >= 0.0 else -1.0)
    return [(0, plus(ball.at, normal, 0.5 * (room - ball.radius)), normal, ball.radius + room)]


def boxes(a, b):
    way = plus(b.at, a.at, -1.0)
    best = None
    # The direction in which they overlap least. Faces before edges, the first before the second, unless by a hair.
    faces = [(box, axis) for box in (0, 1) for axis in range(3)]
    edges = [(i, j) for i in range(3) for j in range(3)]
    for kind, (p, q) in [("face", face) for face in faces] + [("edge", edge) for edge in edges]:
        normal = (a, b)[p].axes[q] if kind == "face" else cross(a.axes[p], b.axes[q])
        if dot(normal, normal) < 1e-8:
            continue
        normal = unit(normal)
        if dot(normal, way) < 0.0:
            normal = scaled(normal, -1.0)
        overlap = a.reach(normal) + b.reach(normal) - dot(way, normal)
        # A choice that changed from step to step would lose what is known of the last.
        favour = 0.0 if best is None else {"face": 0.01 * (p == 1), "edge": 0.02}[kind] * min(a.half + b.half)
        if best is None or overlap < best[0] - favour:
            best = (overlap, kind, p, q, normal)
        if overlap < -World.MARGIN:
            return []
    overlap, kind, p, q, normal = best
    if kind == "edge":
        return edge_edge(a, b, p, q, normal, overlap)
    first, second, out = (a, b, normal) if p == 0 else (b, a, scaled(normal, -1.0))
    return clip(first, second, q, out, normal, 100 * p + 20 * q)


def edge_edge(a, b, p, q, normal, overlap):
    """The middle of the shortest way between two edges."""
    ends = []
    for box, along, sign in ((a, p, 1.0), (b, q, -1.0)):
        point = box.at
        for k in range(3):
            if k != along:
                point = plus(point, box.axes[k], math.copysign(box.half[k], sign * dot(box.axes[k], normal)))
        ends.append((point, box.axes[along]))
    (at, u), (to, v) = ends
    way, uv = plus(to, at, -1.0), dot(u, v)
    share = (dot(way, u) - dot(way, v) * uv) / (1.0 - uv * uv)
    return [(1000 + 10 * p + q, plus(plus(at, u, share), normal, -0.5 * overlap), normal, overlap)]


def clip(first, second, axis, out, normal, mark):
    """The face of the second box that looks most against a face of the first, cut off at the edges of that face."""
    k = max(range(3), key=lambda k: abs(dot(second.axes[k], out)))
    sign = -1.0 if dot(second.axes[k], out) > 0.0 else 1.0
    middle = plus(second.at, second.axes[k], sign * second.half[k])
    u, v = (k + 1) % 3, (k + 2) % 3
    # Each corner with a mark by which the next step knows it again: its own, or that of the cut that made it.
    corners = []
    for name, (i, j) in enumerate(((-1, -1), (1, -1), (1, 1), (-1, 1))):
        corner = plus(plus(middle, second.axes[u], i * second.half[u]), second.axes[v], j * second.half[v])
        corners.append((name, corner))
    cut = 0
    for side in ((axis + 1) % 3, (axis + 2) % 3):
        for way in (1.0, -1.0):
            edge = scaled(first.axes[side], way)
            height = [dot(plus(corner, first.at, -1.0), edge) - first.half[side] for _, corner in corners]
            cut += 2
            kept = []
            for here in range(len(corners)):
                there = (here + 1) % len(corners)
                if height[here] <= 0.0:
                    kept.append(corners[here])
                if height[here] * height[there] < 0.0:
                    share = height[here] / (height[here] - height[there])
                    (_, start), (_, end) = corners[here], corners[there]
                    kept.append((2 + cut + (height[here] > 0.0), plus(start, plus(end, start, -1.0), share)))
            corners = kept
    found = []
    for name, corner in corners:
        depth = first.half[axis] - dot(plus(corner, first.at, -1.0), out)
        found.append((mark + name, plus(corner, out, 0.5 * depth), normal, depth))
    return found


if __name__ == "__main__":
    serve(Server(HELLO, World))
