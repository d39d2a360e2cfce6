  // What stands in space: parts as faces and balls, painted by depth with the ground, its grid and shadows.
  const INK = 0xff2a2622, OWNERS = 4096;
  const BOX = [[1, 3, 7, 5], [0, 4, 6, 2], [2, 6, 7, 3], [0, 1, 5, 4], [4, 5, 7, 6], [0, 2, 3, 1]];

  // The parts of a body with corners, faces and normals in its own frame; worked out once.
  const solidsOf = (body) => {
    if (!body.solids) body.solids = body.parts.filter((part) => part.ball || part.block || part.facets).map((part) => {
      if (part.ball) return { part, radius: part.ball[3], centre: part.ball.slice(0, 3), corners: [], faces: [], size: part.ball[3] };
      const n = part.block, { centre, corners, faces, edged } = part.facets || {
        centre: n.slice(0, 3), faces: BOX, edged: true,
        corners: Array.from({ length: 8 }, (_, k) => [0, 1, 2].map((axis) => [3, 6, 9].reduce((sum, from, side) => sum + (k >> side & 1 ? 1 : -1) * n[from + axis], 0))),
      };
      const normal = (face) => unit(face.slice(2).reduce((sum, k, i) => plus(sum, cross(plus(corners[face[i + 1]], corners[face[0]], -1), plus(corners[k], corners[face[0]], -1))), [0, 0, 0]));
      const outward = (face) => { const out = normal(face); return n && dot(out, corners[face[0]]) < 0 ? [[...face].reverse(), out.map((x) => -x)] : [face, out]; };
      const made = faces.map(outward).map(([ids, out]) => ({ ids, normal: out, edged: edged || ids.length > 4, off: dot(out, corners[ids[0]]) }));
      const flat = new Float64Array(corners.flatMap((p) => plus(p, centre)));
      return { part, radius: 0, centre, corners: flat, faces: made, size: Math.max(...corners.slice(0, 500).map((p) => Math.hypot(...p))), both: Boolean(part.facets && part.facets.two_sided) };
    });
    return body.solids;
  };
  // Corners of the faces of a part in the world.
  const facesOf = (solid, { at, turn }) => solid.faces.map(({ ids, normal }) => ({ points: ids.map((k) => plus(at, turned(turn, [...solid.corners.subarray(3 * k, 3 * k + 3)]))), normal: turned(turn, normal) }));

  // Paints bodies on the picture of a player, seen from where it looks; `scale` is dots a metre.
  class Painter {
    constructor(player, scale) {
      const { eye, picture, region } = player;
      Object.assign(this, { player, eye, picture, region, scale, flat: eye.distance === Infinity });
      this.light = unit(plus(plus(eye.right.map((part) => 0.35 * part), eye.up, 0.75), eye.toward, 0.55));
      // A little of nearness, in its measure.
      this.hair = region / (this.flat ? 1 : eye.distance);
      this.through = [];
      this.scratch = new Float64Array(3 * 64);
    }
    spot(p) { const [x, y, q] = this.eye.see(p); return [this.picture.width / 2 + this.scale * x, this.picture.height / 2 - this.scale * y, q]; }
    shown(points) { return this.eye.before(points).map((p) => this.spot(p)); }
    fill(points, colour, owner, opacity, lift) {
      const corners = this.shown(points);
      if (corners.length > 2) this.picture.face(corners.flat(), corners.length, colour, owner, opacity, lift * this.hair);
    }
    // What is further away is paler.
    haze(p) { return Math.min(0.4, Math.max(0, 0.16 - 0.28 * dot(plus(p, this.eye.middle, -1), this.eye.toward) / this.region)); }
    // A turned body's axes in those of the eye, row by row, and where it stands there.
    stand({ at, turn: [w, x, y, z] }) {
      const { right, up, toward, middle } = this.eye, axes = [[1 - 2 * (y * y + z * z), 2 * (x * y + w * z), 2 * (x * z - w * y)], [2 * (x * y - w * z), 1 - 2 * (x * x + z * z), 2 * (y * z + w * x)], [2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)]];
      const way = plus(at, middle, -1);
      return [right, up, toward].map((v) => [dot(v, axes[0]), dot(v, axes[1]), dot(v, axes[2]), dot(v, way)]);
    }
    // All corners of a part as seen, or nothing when some lie behind the eye: x, y and nearness of each; `flatten` first moves them in the eye's axes.
    corners(solid, [r, u, t], flatten) {
      const { corners } = solid, count = corners.length, { width, height } = this.picture, distance = this.eye.distance;
      if (this.scratch.length < count) this.scratch = new Float64Array(2 * count);
      const out = this.scratch;
      for (let k = 0; k < count; k += 3) {
        const a = corners[k], b = corners[k + 1], c = corners[k + 2];
        let x = r[0] * a + r[1] * b + r[2] * c + r[3], y = u[0] * a + u[1] * b + u[2] * c + u[3], q = t[0] * a + t[1] * b + t[2] * c + t[3];
        if (flatten) { const far = flatten[0] * x + flatten[1] * y + flatten[2] * q - flatten[3]; x -= far * flatten[0]; y -= far * flatten[1]; q -= far * flatten[2]; }
        if (!this.flat) {
          if (q > 0.98 * distance) return null;
          q = distance / (distance - q); x *= q; y *= q;
        }
        out[k] = width / 2 + this.scale * x; out[k + 1] = height / 2 - this.scale * y; out[k + 2] = q;
      }
      return out;
    }
    faces(solid, pose, colour, owner, opacity = 1) {
      const frame = this.stand(pose), seen = this.corners(solid, frame), flat = [], light = this.light;
      if (!seen) return this.cut(solid, pose, colour, owner, opacity);
      const centre = plus(pose.at, turned(pose.turn, solid.centre)), faded = this.haze(centre);
      const lights = [0, 1, 2].map((axis) => dot(light, this.eye.right) * frame[0][axis] + dot(light, this.eye.up) * frame[1][axis] + dot(light, this.eye.toward) * frame[2][axis]);
      solid.faces.forEach(({ ids, normal, edged, off }, number) => {
        let area = 0;
        for (let k = 0, j = ids.length - 1; k < ids.length; j = k++) {
          const p = 3 * ids[j], q = 3 * ids[k];
          area += seen[p] * seen[q + 1] - seen[q] * seen[p + 1];
          flat[3 * k] = seen[q]; flat[3 * k + 1] = seen[q + 1]; flat[3 * k + 2] = seen[q + 2];
        }
        // The picture's y points down, so what is counter-clockwise from outside has an area below nothing.
        const side = -Math.sign(area);
        if (side === 0 || (side < 0 && !solid.both)) return;
        const tone = dotted(colour, 0.72 + 0.4 * side * (lights[0] * normal[0] + lights[1] * normal[1] + lights[2] * normal[2]), faded);
        // The near wall of a bowl would hide all that lies in it.
        if (solid.both && side * off > 0.1 * solid.size) this.glass([...flat.slice(0, 3 * ids.length)], tone, dotted(colour, 0.55));
        else this.picture.face(flat, ids.length, tone, owner + (edged ? number + 8 : side > 0 ? 1 : 2) % (OWNERS - 70), opacity);
      });
    }
    glass(corners, tone, rim) {
      this.through.push(() => {
        const count = corners.length / 3, at = (k) => corners.slice(3 * (k % count), 3 * (k % count) + 3);
        this.picture.face(corners, count, tone, 0, 0.25);
        for (let k = 0; k < count; k++) this.picture.line(at(k), at(k + 1), 0.8, rim, 0);
      });
    }
    // What reaches behind the eye, face by face.
    cut(solid, pose, colour, owner, opacity) {
      facesOf(solid, pose).forEach(({ points, normal }, k) => {
        const slant = dot(normal, this.eye.way(points[0]));
        if (slant > 1e-6 || (solid.both && slant < -1e-6)) this.fill(points, dotted(colour, 0.72 + 0.4 * Math.sign(slant) * dot(normal, this.light)), owner + k % (OWNERS - 70), opacity, 0);
      });
    }
    ball(solid, { at, turn }, colour, still, owner) {
      const { eye, picture, scale, light } = this, { radius } = solid, centre = plus(at, turned(turn, solid.centre)), seen = radius * eye.grown(centre) * scale;
      const basis = [eye.right, eye.up, eye.toward], faded = this.haze(centre), [a, b, c] = basis.map((axis) => dot(axis, light));
      // Colours by steps of light, and two great circles that show how it is turned.
      const tones = Array.from({ length: 33 }, (_, k) => dotted(colour, 0.62 + 0.55 * (k / 16 - 1), faded)), rings = still || seen < 5 ? [] : [[1, 0, 0], [0, 1, 0]].map((own) => basis.map((axis) => dot(axis, turned(turn, own))));
      const thin = 0.7 / Math.max(seen, 1), dark = dotted(colour, 0.3, faded);
      const shade = (u, v, w) => {
        for (const ring of rings) if (Math.abs(ring[0] * u + ring[1] * v + ring[2] * w) < thin) return dark;
        return tones[Math.round(16 + 15.9 * Math.max(-1, Math.min(1, a * u + b * v + c * w)))];
      };
      picture.ball(this.spot(centre), seen, (w) => eye.nearer(centre, w * radius), shade, owner + 1);
    }
    ground(places) {
      const { eye, player } = this, { ground, bodies, rigid } = player, { normal, point, patch, lines } = ground;
      this.fill(patch, dotted("#ece8dd", 1), 0, 1, 0);
      const flatten = [eye.right, eye.up, eye.toward].map((axis) => dot(axis, normal)), shadow = dotted("#b9b2a2", 1), lift = 2e-4 * this.hair, flat = [];
      flatten.push(dot(plus(point, eye.middle, -1), normal));
      for (let i = 0; i < rigid; i++) for (const solid of places[i] ? solidsOf(bodies[i]) : []) {
        const pose = places[i][2], centre = plus(pose.at, turned(pose.turn, solid.centre)), high = dot(plus(centre, point, -1), normal);
        if (solid.part.sensor || high < 0) continue;
        if (solid.radius > 0) {
          const u = unit(cross(normal, Math.abs(normal[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0])), v = cross(normal, u), foot = plus(centre, normal, -high);
          this.fill(Array.from({ length: 20 }, (_, k) => plus(plus(foot, u, solid.radius * Math.cos(TURN * k / 20)), v, solid.radius * Math.sin(TURN * k / 20))), shadow, 0, 1, 2e-4);
          continue;
        }
        const seen = this.corners(solid, this.stand(pose), flatten);
        if (!seen) continue;
        // What looks up throws all of the shadow.
        for (const face of solid.faces) {
          if (!solid.both && dot(turned(pose.turn, face.normal), normal) <= 0) continue;
          face.ids.forEach((id, k) => { for (let n = 0; n < 3; n++) flat[3 * k + n] = seen[3 * id + n]; });
          this.picture.face(flat, face.ids.length, shadow, 0, 1, lift);
        }
      }
      const onto = (p) => plus(p, normal, -dot(plus(p, point, -1), normal));
      for (const soft of player.softs) {
        const at = nodesOf(soft, places);
        if (at) for (const piece of soft.skin) if (piece.length === 3) this.fill(piece.map((k) => onto(at[k])), shadow, 0, 1, 2e-4);
      }
      for (const ends of lines) { const seen = this.shown(ends); if (seen.length > 1) this.picture.line(seen[0], seen[1], 1, dotted("#c6bfae", 1), 0, 2 * lift); }
    }
    // What has no end, but the ground: a pale square of it.
    half(half, { at, turn }) {
      const point = plus(at, turned(turn, half.slice(0, 3))), normal = turned(turn, half.slice(3)), { region, player: { ground, centre } } = this;
      if (ground && Math.abs(dot(normal, ground.normal)) > 0.999 && Math.abs(dot(plus(point, ground.point, -1), normal)) < 1e-3 * region) return;
      const middle = plus(centre, normal, -dot(plus(centre, point, -1), normal)), u = unit(cross(normal, Math.abs(normal[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0])), v = cross(normal, u);
      this.fill([[-1, -1], [1, -1], [1, 1], [-1, 1]].map(([a, b]) => plus(plus(middle, u, 0.6 * a * region), v, 0.6 * b * region)), dotted("#9a958a", 1), 0, 0.3, 0);
    }
    // Everything where it is.
    paint(places) {
      const { player, picture, through } = this, { ground, bodies, rigid, softs, moving } = player;
      picture.clear();
      if (ground && dot(ground.normal, this.eye.way(ground.patch[0])) > 0.02) this.ground(places);
      let number = 0;
      for (let i = 0; i < rigid; i++) {
        const body = bodies[i], still = body.kind === "static", colour = still ? "#9a958a" : player.inked(number++, i);
        if (!places[i]) continue;
        const pose = places[i][2];
        solidsOf(body).forEach((solid, k) => {
          const owner = (i + 1) * OWNERS + k % 64;
          if (solid.part.sensor) through.push(() => (solid.radius > 0 ? null : this.faces(solid, pose, colour, owner, 0.18)));
          else if (solid.radius > 0) this.ball(solid, pose, colour, still, owner);
          else this.faces(solid, pose, colour, owner);
        });
        for (const part of body.parts) if (part.half) through.push(() => this.half(part.half, pose));
      }
      softs.forEach((soft, k) => {
        const colour = player.inked(moving.length + k, ...soft.nodes);
        paintSkin(this, soft, places, colour, (bodies.length + k + 1) * OWNERS);
        through.push(() => paintSprings(this, soft, places, colour));
      });
      picture.outline(INK);
      through.forEach((paint) => paint());
    }
  }
