#!/usr/bin/env python3
"""A small rigid-body engine that speaks the engine protocol: a template for joining your own.

Standard library only, one file. Discs, boxes and half-planes; contacts by separating axes and clipping; sequential
impulses with warm starting (Catto, "Iterative dynamics with temporal coherence", 2005) and friction; overlap is taken
out beside the velocities, so that it adds no energy.

    ironspin engines probe "cmd:python3 adapters/python/engine.py"
    ironspin run first-drop --engine "cmd:python3 adapters/python/engine.py :: passes=40"

To join your own engine keep part 1 (what is said over the pipe), and replace parts 2 and 3 by calls to it. For one in space
see `space_engine.py` beside this file.
"""

import copy
import json
import math
import sys

# ---------------------------------------------------------------------------------------------------------------
# Part 1: the protocol. One JSON object a line comes in, one goes out. Nothing else may be printed to standard
# output; print what you want to see to standard error, whose last lines the bench shows when the engine fails.


class Refusal(Exception):
    """Becomes an error of the protocol. -32001 says that a feature is missing, which is no failure of the engine."""

    def __init__(self, code, message):
        super().__init__(message)
        self.code = code


HELLO = {
    "protocol": 1,
    "engine": {"name": "python sample", "version": "1"},
    "spaces": [2],
    "scalar": "f64",
    # What is not listed here is never asked for: such scenes come out as `unsupported`, not as failures.
    "shapes": ["disc", "box", "half_plane"],
    "features": ["contacts", "filter", "kinematic", "body_gravity", "restore"],
    "options": {"passes": {"about": "times that all contacts are solved in a step", "default": "20"}},
}


def number(x):
    """JSON has no word for what is not finite; the protocol writes it as a text."""
    if math.isfinite(x):
        return x
    return "nan" if math.isnan(x) else ("inf" if x > 0 else "-inf")


class Server:
    """Holds the world and answers calls."""

    def __init__(self, hello, make_world):
        self.words, self.make_world = hello, make_world
        self.world = None
        self.saved = {}

    def hello(self, params):
        return self.words

    def build(self, params):
        for name in params.get("options", {}):
            if name not in self.words["options"]:
                # A slip in an option must not pass unnoticed.
                raise Refusal(-32602, f"no option {name}")
        self.world = None
        self.saved = {}
        self.world = self.make_world(params)
        return {"bodies": len(self.world.bodies)}

    def built(self):
        if self.world is None:
            raise Refusal(-32000, "nothing is built yet")
        return self.world

    def advance(self, params):
        world = self.built()
        record = params.get("record", 1)
        for action in params.get("actions", []):
            if action["before_step"] < world.step:
                raise Refusal(-32602, f"step {action['before_step']} is done already")
            world.waiting.append(action)
        frames = []
        if not params["dt"]:
            # No steps: the present frame. Before the first step that is frame 0, the world as built.
            frames.append(self.frame(world))
        for dt in params["dt"]:
            world.do_step(dt)
            if world.step % record == 0:
                frames.append(self.frame(world))
        return {"frames": frames}

    def frame(self, world):
        state = []
        for b in world.bodies:
            # Every body keeps its row, in the order of the ids; a removed one is all "nan".
            row = b.row()
            state.extend(number(x if b.there else math.nan) for x in row)
        contacts = [c.row() for c in world.contacts if c.impulse > 0 or c.depth >= 0]
        return {"step": world.step, "state": state, "contacts": contacts, "events": []}

    def save(self, params):
        token = len(self.saved) + 1
        # Everything that the next step uses, warm starts too.
        self.saved[token] = copy.deepcopy(self.built())
        return {"token": token}

    def restore(self, params):
        if params["token"] not in self.saved:
            raise Refusal(-32602, "no such token")
        self.world = copy.deepcopy(self.saved[params["token"]])
        return {}


def serve(server):
    methods = {name: getattr(server, name) for name in ("hello", "build", "advance", "save", "restore")}
    for line in sys.stdin:
        if not line.strip():
            continue
        answer = {"jsonrpc": "2.0", "id": None}
        method = None
        try:
            call = json.loads(line)
            answer["id"] = call.get("id")
            method = call.get("method")
            if method == "close":
                answer["result"] = {}
            elif method in methods:
                answer["result"] = methods[method](call.get("params", {}))
            else:
                raise Refusal(-32601, f"no method {method}")
        except json.JSONDecodeError as error:
            answer["error"] = {"code": -32700, "message": str(error)}
        except Refusal as refusal:
            answer["error"] = {"code": refusal.code, "message": str(refusal)}
        except (KeyError, TypeError, IndexError) as error:
            answer["error"] = {"code": -32602, "message": f"{type(error).__name__}: {error}"}
        # Python writes floats with as many digits as bring back the same bits, which is what the protocol wants.
        sys.stdout.write(json.dumps(answer, separators=(",", ":")) + "\n")
        sys.stdout.flush()
        if method == "close":
            return


# ---------------------------------------------------------------------------------------------------------------
# Part 2: the engine. Everything is in SI units, y up, angles counter-clockwise in radians, as it comes.


class Body:
    def __init__(self, row):
        self.kind = row["kind"]
        self.x, self.y = row["position"]
        self.angle = row["angle"]
        self.vx, self.vy = row["velocity"]
        self.spin = row["spin"]
        # Mass and inertia are taken as given: they need not be those of the shape.
        moves = self.kind == "dynamic"
        self.inverse_mass = 1.0 / row["mass"] if moves else 0.0
        self.inverse_inertia = 1.0 / row["inertia"] if moves and not row["fixed_turn"] else 0.0
        self.linear_damping = row["linear_damping"]
        self.angular_damping = row["angular_damping"]
        self.gravity_factor = row["gravity_factor"]
        self.layers, self.meets = row["layers"], row["meets"]
        self.there = True
        self.force_x = self.force_y = self.torque = 0.0
        self.parts = [Part(part) for part in row["parts"]]

    def row(self):
        return self.x, self.y, self.angle, self.vx, self.vy, self.spin

    def push(self, x, y, px, py):
        """An impulse at a point in world coordinates."""
        self.vx += x * self.inverse_mass
        self.vy += y * self.inverse_mass
        self.spin += ((px - self.x) * y - (py - self.y) * x) * self.inverse_inertia


class Part:
    def __init__(self, row):
        (self.shape, size), = row["shape"].items()
        if self.shape not in HELLO["shapes"]:
            raise Refusal(-32001, f"the shape {self.shape}")
        if row["sensor"]:
            raise Refusal(-32001, "sensor")
        self.material = row["material"]
        cos, sin = math.cos(row["angle"]), math.sin(row["angle"])
        self.x, self.y = row["position"]
        self.radius, self.corners, self.normal = 0.0, [], None
        if self.shape == "disc":
            self.radius = size
        elif self.shape == "half_plane":
            self.normal = (size[0] * cos - size[1] * sin, size[0] * sin + size[1] * cos)
        else:
            # Sizes are full.
            w, h = 0.5 * size[0], 0.5 * size[1]
            around = ((-w, -h), (w, -h), (w, h), (-w, h))
            self.corners = [(self.x + u * cos - v * sin, self.y + u * sin + v * cos) for u, v in around]

    def place(self, body):
        """Where the part is now: centre, corners and reach in world coordinates."""
        cos, sin = math.cos(body.angle), math.sin(body.angle)

        def turn(u, v):
            return u * cos - v * sin, u * sin + v * cos

        dx, dy = turn(self.x, self.y)
        self.at = (body.x + dx, body.y + dy)
        self.points = [(body.x + u, body.y + v) for u, v in (turn(*corner) for corner in self.corners)]
        if self.shape == "half_plane":
            self.out = turn(*self.normal)
            self.left, self.right = -math.inf, math.inf
        elif self.shape == "disc":
            self.left, self.right = self.at[0] - self.radius, self.at[0] + self.radius
        else:
            self.left, self.right = min(p[0] for p in self.points), max(p[0] for p in self.points)


class Contact:
    """One contact point. The normal goes from body i to body j, i < j; depth is positive in overlap."""

    def __init__(self, key, i, j, point, normal, depth):
        self.key, self.i, self.j, self.depth = key, i, j, depth
        (self.px, self.py), (self.nx, self.ny) = point, normal
        self.impulse = self.rub = self.lift = 0.0

    def row(self):
        return [self.i, self.j, self.px, self.py, self.nx, self.ny, self.depth, self.impulse]


class World:
    MARGIN = 0.005  # gap at which a contact is already known
    SLOP = 0.002  # overlap that is left alone, so that resting contacts stay

    def __init__(self, params):
        self.gravity = tuple(params["gravity"])
        self.passes = int(params.get("options", {}).get("passes", HELLO["options"]["passes"]["default"]))
        self.materials = params["materials"]
        self.pairs = {tuple(sorted(p["between"])): (p["friction"], p["restitution"]) for p in params.get("pairs", [])}
        self.apart = {tuple(sorted(pair)) for pair in params.get("apart", [])}
        if params.get("joints"):
            raise Refusal(-32001, "joint." + params["joints"][0]["kind"])
        self.bodies = [Body(row) for row in params["bodies"]]
        self.step = 0
        self.waiting, self.contacts, self.known = [], [], {}

    def collide(self, first, second):
        return collide(first, second)

    def contact(self, *words):
        return Contact(*words)

    def mixed(self, a, b):
        pair = (a, b) if a < b else (b, a)
        if pair in self.pairs:
            return self.pairs[pair]
        a, b = self.materials[a], self.materials[b]
        return math.sqrt(a["friction"] * b["friction"]), max(a["restitution"], b["restitution"])

    def act(self, action):
        if "gravity" in action:
            self.gravity = tuple(action["gravity"])
            return
        b = self.bodies[action["body"]]
        point = action.get("point") or (b.x, b.y)
        if "impulse" in action:
            b.push(*action["impulse"], *point)
        elif "force" in action:
            (fx, fy), (px, py) = action["force"], point
            b.force_x += fx
            b.force_y += fy
            b.torque += (px - b.x) * fy - (py - b.y) * fx
        elif "torque" in action:
            b.torque += action["torque"]
        elif "velocity" in action:
            b.vx, b.vy = action["velocity"]
        elif "spin" in action:
            b.spin = action["spin"]
        elif "place" in action:
            (b.x, b.y), b.angle = action["place"]["position"], action["place"]["angle"]
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
        if dt > 0.0:
            self.move(dt)
            for b in self.bodies:
                b.force_x = b.force_y = b.torque = 0.0

    def move(self, dt):
        for b in self.bodies:
            if b.inverse_mass > 0.0:
                b.vx += dt * (self.gravity[0] * b.gravity_factor + b.force_x * b.inverse_mass)
                b.vy += dt * (self.gravity[1] * b.gravity_factor + b.force_y * b.inverse_mass)
                b.spin += dt * b.torque * b.inverse_inertia
                # Speed falls as exp(-c t), whatever the step.
                slower = math.exp(-b.linear_damping * dt)
                b.vx, b.vy = b.vx * slower, b.vy * slower
                b.spin *= math.exp(-b.angular_damping * dt)
        self.find_contacts()
        shifts = self.solve(dt)
        for b, (sx, sy, turn) in zip(self.bodies, shifts):
            if b.kind != "static":
                b.x += dt * b.vx + sx
                b.y += dt * b.vy + sy
                b.angle += dt * b.spin + turn

    def find_contacts(self):
        """Also that of `space_engine.py`: parts know how to place themselves, and where they end along x."""
        parts = []
        for i, b in enumerate(self.bodies):
            if b.there:
                for n, part in enumerate(b.parts):
                    part.place(b)
                    parts.append((part.left - self.MARGIN, i, n, part))
        # Sweep along x: only what overlaps there is looked at more closely. Ties go by the ids, never by chance.
        parts.sort(key=lambda row: row[:3])
        self.contacts, open_parts = [], []
        for left, j, m, part in parts:
            open_parts = [row for row in open_parts if row[3].right >= left]
            for _, i, n, other in open_parts:
                self.meet(i, n, other, j, m, part)
            open_parts.append((left, j, m, part))
        self.contacts.sort(key=lambda c: c.key)
        # Impulses of the last step are where this step begins: piles need it.
        for c in self.contacts:
            c.impulse, c.rub = self.known.get(c.key, (0.0, c.rub))

    def meet(self, i, n, first, j, m, second):
        if i > j:
            i, n, first, j, m, second = j, m, second, i, n, first
        a, b = self.bodies[i], self.bodies[j]
        if i == j or a.inverse_mass + b.inverse_mass == 0.0 or (i, j) in self.apart:
            return
        # Both must want to.
        if not (a.layers & b.meets and b.layers & a.meets):
            return
        friction, restitution = self.mixed(first.material, second.material)
        for mark, point, normal, depth in self.collide(first, second):
            if depth > -self.MARGIN:
                c = self.contact((i, n, j, m, mark), i, j, point, normal, depth)
                c.friction, c.restitution = friction, restitution
                self.contacts.append(c)

    def solve(self, dt):
        bodies = self.bodies
        slow = 2.0 * dt * math.hypot(*self.gravity)
        for c in self.contacts:
            a, b = bodies[c.i], bodies[c.j]
            c.arms = (c.px - a.x, c.py - a.y, c.px - b.x, c.py - b.y)
            c.along = self.weight(c, c.nx, c.ny)
            c.across = self.weight(c, -c.ny, c.nx)
            speed = self.speed(c, c.nx, c.ny)
            # What comes in slower than gravity makes in a step or two is at rest, and does not bounce.
            c.bounce = -c.restitution * speed if speed < -slow else 0.0
            # A gap may close in this step, but no further.
            c.room = max(0.0, -c.depth) / dt
        for c in self.contacts:
            self.push(c, c.impulse * c.nx - c.rub * c.ny, c.impulse * c.ny + c.rub * c.nx)
        for _ in range(self.passes):
            for c in self.contacts:
                limit = c.friction * c.impulse
                rub = max(-limit, min(limit, c.rub - self.speed(c, -c.ny, c.nx) / c.across))
                change, c.rub = rub - c.rub, rub
                self.push(c, -change * c.ny, change * c.nx)
                speed = self.speed(c, c.nx, c.ny)
                wanted = c.bounce if c.bounce > 0.0 else -c.room
                impulse = max(0.0, c.impulse - (speed - wanted) / c.along)
                change, c.impulse = impulse - c.impulse, impulse
                self.push(c, change * c.nx, change * c.ny)
        self.known = {c.key: (c.impulse, c.rub) for c in self.contacts}
        return self.part_overlaps()

    def part_overlaps(self):
        """Takes a fifth of each overlap out, as ways rather than velocities: what is moved so gains no speed."""
        shifts = [[0.0, 0.0, 0.0] for _ in self.bodies]
        deep = [c for c in self.contacts if c.depth > self.SLOP]
        for _ in range(self.passes if deep else 0):
            for c in deep:
                a, b, (ax, ay, bx, by) = shifts[c.i], shifts[c.j], c.arms
                apart = (b[0] - b[2] * by - a[0] + a[2] * ay) * c.nx + (b[1] + b[2] * bx - a[1] - a[2] * ax) * c.ny
                lift = max(0.0, c.lift + (0.2 * (c.depth - self.SLOP) - apart) / c.along)
                change, c.lift = lift - c.lift, lift
                for shift, body, sign, rx, ry in ((a, self.bodies[c.i], -change, ax, ay), (b, self.bodies[c.j], change, bx, by)):
                    shift[0] += sign * c.nx * body.inverse_mass
                    shift[1] += sign * c.ny * body.inverse_mass
                    shift[2] += sign * (rx * c.ny - ry * c.nx) * body.inverse_inertia
        return shifts

    def speed(self, c, x, y):
        """Of body j against body i at the contact, along a direction."""
        a, b, (ax, ay, bx, by) = self.bodies[c.i], self.bodies[c.j], c.arms
        return (b.vx - b.spin * by - a.vx + a.spin * ay) * x + (b.vy + b.spin * bx - a.vy - a.spin * ax) * y

    def weight(self, c, x, y):
        """Speed along a direction that a unit impulse makes."""
        a, b, (ax, ay, bx, by) = self.bodies[c.i], self.bodies[c.j], c.arms
        arm_a, arm_b = ax * y - ay * x, bx * y - by * x
        return a.inverse_mass + b.inverse_mass + arm_a**2 * a.inverse_inertia + arm_b**2 * b.inverse_inertia

    def push(self, c, x, y):
        self.bodies[c.i].push(-x, -y, c.px, c.py)
        self.bodies[c.j].push(x, y, c.px, c.py)


# ---------------------------------------------------------------------------------------------------------------
# Part 3: collision. Each function gives (mark, point, normal from the first to the second, depth); the mark knows a
# point again in the next step. Negative depth is a gap.


def collide(a, b):
    order = {"half_plane": 0, "box": 1, "disc": 2}
    if order[a.shape] > order[b.shape]:
        return [(mark, p, (-nx, -ny), depth) for mark, p, (nx, ny), depth in collide(b, a)]
    if a.shape == "half_plane":
        return on_plane(a, b) if b.shape != "half_plane" else []
    if b.shape == "box":
        return boxes(a, b)
    return box_disc(a, b) if a.shape == "box" else discs(a.at, a.radius, b)


def on_plane(plane, b):
    (nx, ny), (ox, oy) = plane.out, plane.at
    points = b.points if b.shape == "box" else [(b.at[0] - b.radius * nx, b.at[1] - b.radius * ny)]
    return [(k, (x, y), (nx, ny), (ox - x) * nx + (oy - y) * ny) for k, (x, y) in enumerate(points)]


def discs(at, radius, b):
    dx, dy = b.at[0] - at[0], b.at[1] - at[1]
    far = math.hypot(dx, dy)
    nx, ny = (dx / far, dy / far) if far > 0.0 else (0.0, 1.0)
    depth = radius + b.radius - far
    reach = radius - 0.5 * depth
    return [(0, (at[0] + nx * reach, at[1] + ny * reach), (nx, ny), depth)]


def edges(points):
    """Each edge with its outward unit normal; corners run counter-clockwise."""
    for k, (x, y) in enumerate(points):
        u, v = points[(k + 1) % len(points)]
        length = math.hypot(u - x, v - y)
        yield (x, y), (u, v), ((v - y) / length, (x - u) / length)


def box_disc(box, disc):
    x, y = disc.at
    # The face from which the centre is furthest out.
    gap, p, q, n = max(
        (((x - p[0]) * n[0] + (y - p[1]) * n[1], p, q, n) for p, q, n in edges(box.points)), key=lambda row: row[0]
    )
    along = ((x - p[0]) * (q[0] - p[0]) + (y - p[1]) * (q[1] - p[1])) / ((q[0] - p[0]) ** 2 + (q[1] - p[1]) ** 2)
    if gap > 0.0 and not 0.0 <= along <= 1.0:
        # Beyond the face: the nearest corner decides.
        return discs(p if along < 0.0 else q, 0.0, disc)
    depth = disc.radius - gap
    reach = disc.radius - 0.5 * depth
    return [(0, (x - n[0] * reach, y - n[1] * reach), n, depth)]


def best_face(a, b):
    """The face of a over which b stands out furthest, and by how much."""
    best = None
    for k, (p, q, n) in enumerate(edges(a)):
        gap = min((x - p[0]) * n[0] + (y - p[1]) * n[1] for x, y in b)
        if best is None or gap > best[0] + 1e-9:
            best = (gap, k, p, q, n)
    return best


def boxes(a, b):
    face_a, face_b = best_face(a.points, b.points), best_face(b.points, a.points)
    swap = face_b[0] > face_a[0] + 1e-4
    (_, k, p, q, n), other = (face_b, a.points) if swap else (face_a, b.points)
    # Of the other box the edge that looks most against the face, cut off where the face ends.
    m, (start, end, _) = min(enumerate(edges(other)), key=lambda row: row[1][2][0] * n[0] + row[1][2][1] * n[1])
    tx, ty = -n[1], n[0]
    low, high = sorted((p[0] * tx + p[1] * ty, q[0] * tx + q[1] * ty))
    found = []
    for mark, (here, there) in enumerate(((start, end), (end, start))):
        at, to = here[0] * tx + here[1] * ty, there[0] * tx + there[1] * ty
        inside = min(max(at, low), high)
        if at != to and at != inside:
            share = (inside - at) / (to - at)
            if not 0.0 <= share <= 1.0:
                continue
            here = (here[0] + share * (there[0] - here[0]), here[1] + share * (there[1] - here[1]))
        depth = (p[0] - here[0]) * n[0] + (p[1] - here[1]) * n[1]
        point = (here[0] + 0.5 * depth * n[0], here[1] + 0.5 * depth * n[1])
        normal = (-n[0], -n[1]) if swap else n
        found.append((1000 * swap + 100 * k + 10 * m + mark, point, normal, depth))
    return found


if __name__ == "__main__":
    serve(Server(HELLO, World))
