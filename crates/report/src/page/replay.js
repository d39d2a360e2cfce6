"use strict";
// Plays trials back on canvases. Data stands beside each canvas; nothing is fetched.
(() => {
  const NOWHERE = 65535, STEPS = 65000, TURN = 2 * Math.PI;
  const unpack = (text) => {
    const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
    return new Uint16Array(bytes.buffer);
  };

  // Springs by their strain, from -1 squeezed to 1 stretched: the colours of films.
  const strained = (share) => {
    const rest = [0xa8, 0xa2, 0x96], end = share < 0 ? [0x1f, 0x5f, 0x8b] : [0xc0, 0x48, 0x10];
    return `rgb(${rest.map((part, k) => Math.round(part + Math.abs(share) * (end[k] - part))).join(",")})`;
  };

  class Player {
    constructor(figure) {
      this.figure = figure;
      const data = JSON.parse(figure.querySelector("script").textContent);
      Object.assign(this, data, { states: unpack(data.states), contacts: unpack(data.contacts), ghost: unpack(data.ghost || ""), joints: data.joints || [], softs: data.softs || [] });
      this.rigid = this.softs.length ? this.softs[0].nodes[0] : this.bodies.length;
      this.ends = data.contact_counts.reduce((ends, n) => (ends.push(ends[ends.length - 1] + n), ends), [0]);
      this.canvas = figure.querySelector("canvas");
      this.clock = figure.querySelector("output");
      this.scrub = figure.querySelector("input[type=range]");
      this.last = this.times.length - 1;
      this.scrub.max = String(1000 * this.times[this.last] || 1);
      this.now = this.times[0];
      this.timer = null;
      this.moving = this.bodies.map((body, i) => i).filter((i) => i < this.rigid && this.bodies[i].kind !== "static");
      const on = (name, event, act) => figure.querySelector(`[data-do=${name}]`).addEventListener(event, act);
      on("play", "click", () => this.toggle());
      on("back", "click", () => this.step(-1));
      on("forth", "click", () => this.step(1));
      this.scrub.addEventListener("input", () => { this.pause(); this.show(Number(this.scrub.value) / 1000); });
      this.mark = null;
      this.tellMoments(data.moments || []);
      for (const box of figure.querySelectorAll("input[type=checkbox]")) box.addEventListener("change", () => this.draw());
      this.show(this.now);
    }
    is(name) { const box = this.figure.querySelector(`[data-show=${name}]`); return box !== null && box.checked; }
    // A button for each moment worth seeing, and a tick on the time.
    tellMoments(moments) {
      const place = this.figure.querySelector(".moments");
      if (!place || moments.length === 0) return;
      const ticks = document.createElement("datalist");
      ticks.id = `${this.scrub.id}-moments`;
      this.scrub.setAttribute("list", ticks.id);
      place.append("Look at ", ticks);
      for (const moment of moments) {
        const tick = document.createElement("option"), button = document.createElement("button");
        tick.value = String(1000 * moment.time);
        ticks.append(tick);
        button.type = "button";
        button.textContent = `${moment.text}, ${moment.time.toFixed(3)} s`;
        button.addEventListener("click", () => { this.pause(); this.mark = moment; this.show(moment.time); });
        place.append(button, " ");
      }
    }
    speed() { return Number(this.figure.querySelector("select[aria-label=speed]").value); }
    toggle() { if (this.timer === null) this.play(); else this.pause(); }
    play() {
      if (this.now >= this.times[this.last]) this.now = this.times[0];
      let before = null;
      const tick = (at) => {
        if (before !== null) this.show(this.now + this.speed() * (at - before) / 1000);
        before = at;
        if (this.now >= this.times[this.last]) this.pause();
        else this.timer = requestAnimationFrame(tick);
      };
      this.timer = requestAnimationFrame(tick);
      this.figure.querySelector("[data-do=play]").textContent = "Pause";
    }
    pause() {
      if (this.timer !== null) cancelAnimationFrame(this.timer);
      this.timer = null;
      this.figure.querySelector("[data-do=play]").textContent = "Play";
    }
    step(by) {
      this.pause();
      const frame = this.frame();
      const next = by > 0 ? frame + 1 : (this.times[frame] < this.now ? frame : frame - 1);
      this.show(this.times[Math.min(this.last, Math.max(0, next))]);
    }
    show(time) {
      this.now = Math.min(this.times[this.last], Math.max(this.times[0], time));
      this.scrub.value = String(1000 * this.now);
      this.clock.textContent = `${this.now.toFixed(3)} s`;
      this.draw();
    }
    frame() {
      let low = 0, high = this.last;
      while (low < high) { const mid = (low + high + 1) >> 1; if (this.times[mid] <= this.now) low = mid; else high = mid - 1; }
      return low;
    }
    place(frame, body, states = this.states) {
      const at = 3 * (frame * this.bodies.length + body), [a, b, c, d] = this.range;
      const x = states[at], y = states[at + 1];
      if (x === NOWHERE || y === NOWHERE) return null;
      return [a + (c - a) * x / STEPS, b + (d - b) * y / STEPS, TURN * states[at + 2] / STEPS];
    }
    between(frame, share, body, states = this.states) {
      const p = this.place(frame, body, states), q = share > 0 ? this.place(frame + 1, body, states) : null;
      if (!p || !q) return p;
      const turn = ((q[2] - p[2] + 1.5 * TURN) % TURN) - TURN / 2;
      return [p[0] + share * (q[0] - p[0]), p[1] + share * (q[1] - p[1]), p[2] + share * turn];
    }
    draw() {
      const ratio = window.devicePixelRatio || 1, width = this.canvas.clientWidth || 640;
      const [left, bottom, right, top] = this.view;
      const height = Math.min(460, Math.max(160, width * (top - bottom) / (right - left)));
      this.canvas.style.height = `${height}px`;
      this.canvas.width = width * ratio; this.canvas.height = height * ratio;
      const pen = this.canvas.getContext("2d");
      const scale = Math.min(width / (right - left), height / (top - bottom)) * ratio;
      const middle = [(left + right) / 2, (bottom + top) / 2];
      pen.fillStyle = "#fbfaf6"; pen.fillRect(0, 0, this.canvas.width, this.canvas.height);
      pen.setTransform(scale, 0, 0, -scale, this.canvas.width / 2 - scale * middle[0], this.canvas.height / 2 + scale * middle[1]);
      const line = 1.2 * ratio / scale, frame = this.frame();
      const gap = frame < this.last ? this.times[frame + 1] - this.times[frame] : 0;
      const share = gap > 0 ? (this.now - this.times[frame]) / gap : 0;
      if (this.is("trails")) this.trails(pen, frame, line);
      const places = this.bodies.map((body, i) => this.between(frame, share, i));
      this.softs.forEach((soft, k) => this.soft(pen, soft, places, COLOURS[(this.moving.length + k) % COLOURS.length], line));
      this.scene(pen, places, line);
      this.joints.forEach((joint) => this.joint(pen, joint, joint.bodies.map((i) => this.between(frame, share, i)), line));
      if (this.is("twin")) this.twin(pen, frame, share, line);
      if (this.mark && this.mark.body !== undefined) this.ring(pen, this.between(frame, share, this.mark.body), line);
      if (this.is("velocities")) this.velocities(pen, frame, share, line);
      if (this.is("contacts")) this.dots(pen, frame, line);
      pen.setTransform(1, 0, 0, 1, 0, 0);
    }
    // All bodies where they are.
    scene(pen, places, line) {
      let number = 0;
      this.bodies.forEach((body, i) => {
        if (i >= this.rigid) return;
        const still = body.kind === "static", colour = still ? "#9a958a" : COLOURS[number++ % COLOURS.length];
        if (places[i]) this.body(pen, body, places[i], colour, still, line);
      });
    }
    // A soft body: its closed skin filled, its springs by their strain, nodes that are held as squares. Without a colour as a ghost.
    soft(pen, soft, places, colour, line) {
      const [first, count] = soft.nodes, at = places.slice(first, first + count);
      if (at.some((place) => !place)) return;
      const ghost = colour === null, ink = ghost ? "#a93a12" : colour;
      pen.setLineDash([]); pen.lineCap = "round";
      const trace = (pieces) => { pen.beginPath(); for (const [a, b] of pieces) { pen.moveTo(at[a][0], at[a][1]); pen.lineTo(at[b][0], at[b][1]); } };
      if (soft.closed && !ghost) {
        const next = new Map(soft.skin.map(([a, b]) => [a, b]));
        pen.beginPath();
        while (next.size > 0) {
          const start = next.keys().next().value;
          pen.moveTo(at[start][0], at[start][1]);
          for (let node = start; next.has(node);) { const to = next.get(node); next.delete(node); node = to; pen.lineTo(at[node][0], at[node][1]); }
        }
        pen.globalAlpha = 0.3; pen.fillStyle = ink; pen.fill("evenodd"); pen.globalAlpha = 1;
      }
      pen.strokeStyle = ink; pen.lineWidth = ghost ? 1.6 * line : Math.max(2 * soft.radius, line); pen.globalAlpha = ghost ? 1 : 0.85;
      trace(soft.skin); pen.stroke(); pen.globalAlpha = 1;
      if (soft.skin.length === 0) for (const [x, y] of at) { pen.beginPath(); pen.arc(x, y, Math.max(soft.radius, 1.5 * line), 0, TURN); pen.fillStyle = ink; if (ghost) pen.stroke(); else pen.fill(); }
      if (!ghost) for (const [a, b, length] of soft.springs) {
        const strain = length > 0 ? (Math.hypot(at[b][0] - at[a][0], at[b][1] - at[a][1]) - length) / length : 0;
        pen.strokeStyle = strained(Math.max(-1, Math.min(1, strain / soft.most))); pen.lineWidth = 1.6 * line;
        trace([[a, b]]); pen.stroke();
      }
      pen.fillStyle = "#22262a";
      for (const node of soft.held) pen.fillRect(at[node][0] - 3.5 * line, at[node][1] - 3.5 * line, 7 * line, 7 * line);
      pen.lineCap = "butt";
    }
    // Where a point of a body is seen.
    anchor([x, y, angle], [u, v]) { return [x + Math.cos(angle) * u - Math.sin(angle) * v, y + Math.sin(angle) * u + Math.cos(angle) * v]; }
    // The line and the rings that its sign says.
    joint(pen, joint, [p, q], line) {
      if (!p || !q) return;
      const a = this.anchor(p, joint.anchors[0]), b = this.anchor(q, joint.anchors[1]), small = 4 * line;
      const stroke = (from, to) => { pen.moveTo(...from); pen.lineTo(...to); };
      const lines = {
        straight: () => stroke(a, b),
        zigzag: () => {
          const way = [b[0] - a[0], b[1] - a[1]], long = Math.hypot(...way) || 1;
          pen.moveTo(...a);
          for (let k = 0; k < 12; k++) {
            const at = (k + 0.5) / 12, out = (k % 2 ? -1 : 1) * small / long;
            pen.lineTo(a[0] + at * way[0] - out * way[1], a[1] + at * way[1] + out * way[0]);
          }
          pen.lineTo(...b);
        },
        arms: () => { for (const centre of [p, q]) if (Math.hypot(centre[0] - a[0], centre[1] - a[1]) > 3 * small) stroke(a, [centre[0], centre[1]]); },
        cross: () => { for (const side of [1, -1]) stroke([a[0] - small, a[1] - side * small], [a[0] + small, a[1] + side * small]); },
        axis: (direction) => {
          const end = (side) => this.anchor(p, joint.anchors[0].map((part, k) => part + side * 6 * small * direction[k]));
          stroke(end(-1), end(1));
        },
      };
      const sign = joint.sign || { line: "straight", rings: [false, false] };
      const [name, value] = typeof sign.line === "string" ? [sign.line] : Object.entries(sign.line)[0];
      pen.strokeStyle = "#22262a"; pen.lineWidth = 1.4 * line; pen.setLineDash([]);
      pen.beginPath();
      lines[name](value);
      [a, b].filter((_, end) => sign.rings[end]).forEach((end) => { pen.moveTo(end[0] + small, end[1]); pen.arc(end[0], end[1], small, 0, TURN); });
      pen.stroke();
    }
    // Outlines of the twin's bodies, without a filling.
    twin(pen, frame, share, line) {
      for (const i of this.moving) {
        const at = this.between(frame, share, i, this.ghost);
        if (at) this.body(pen, this.bodies[i], at, null, false, line);
      }
      if (this.softs.length === 0) return;
      const ghosts = this.bodies.map((body, i) => this.between(frame, share, i, this.ghost));
      for (const soft of this.softs) this.soft(pen, soft, ghosts, null, line);
    }
    ring(pen, at, line) {
      if (!at) return;
      pen.strokeStyle = "#a93a12"; pen.lineWidth = 2.4 * line; pen.setLineDash([]);
      pen.beginPath(); pen.arc(at[0], at[1], 22 * line, 0, TURN); pen.stroke();
    }
    // Without a colour as a ghost.
    body(pen, body, at, colour, still, line) {
      const ghost = colour === null;
      pen.save();
      pen.translate(at[0], at[1]); pen.rotate(at[2]);
      pen.lineWidth = ghost ? 1.6 * line : line; pen.strokeStyle = ghost ? "#a93a12" : "#22262a"; pen.fillStyle = ghost ? "transparent" : colour;
      for (const part of body.parts) {
        pen.beginPath();
        pen.setLineDash(part.sensor ? [4 * line, 3 * line] : []);
        pen.globalAlpha = part.sensor ? 0.15 : (still ? 0.55 : 0.85);
        if (part.disc) {
          const [x, y, r] = part.disc, seen = Math.max(r, 1.5 * line);
          pen.arc(x, y, seen, 0, TURN); pen.fill();
          if (!still) { pen.moveTo(x, y); pen.lineTo(x + r, y); }
        } else if (part.capsule) {
          const [a, b, c, d, r] = part.capsule, along = Math.atan2(d - b, c - a);
          pen.arc(c, d, r, along - TURN / 4, along + TURN / 4);
          pen.arc(a, b, r, along + TURN / 4, along + 3 * TURN / 4);
          pen.closePath(); pen.fill();
        } else {
          const points = part.polygon || part.line;
          points.forEach(([x, y], k) => (k ? pen.lineTo(x, y) : pen.moveTo(x, y)));
          if (part.polygon) { pen.closePath(); pen.fill(); }
        }
        pen.globalAlpha = 1;
        pen.stroke();
      }
      pen.restore();
    }
    trails(pen, frame, line) {
      pen.lineWidth = line; pen.globalAlpha = 0.6;
      this.moving.forEach((i, number) => {
        pen.strokeStyle = COLOURS[number % COLOURS.length];
        pen.beginPath();
        for (let f = 0, open = false; f <= frame; f++) {
          const at = this.place(f, i);
          if (!at) { open = false; continue; }
          if (open) pen.lineTo(at[0], at[1]); else pen.moveTo(at[0], at[1]);
          open = true;
        }
        pen.stroke();
      });
      pen.globalAlpha = 1;
    }
    velocities(pen, frame, share, line) {
      const f = Math.min(frame, this.last - 1);
      if (f < 0) return;
      const time = this.times[f + 1] - this.times[f], reach = 0.12 * (this.view[2] - this.view[0]);
      const arrows = this.moving.map((i) => [this.between(frame, share, i), this.place(f, i), this.place(f + 1, i)]);
      const ways = arrows.filter(([at, p, q]) => at && p && q).map(([at, p, q]) => [at, (q[0] - p[0]) / time, (q[1] - p[1]) / time]);
      const most = this.fastest();
      if (!(most > 0)) return;
      pen.strokeStyle = "#22262a"; pen.lineWidth = 1.4 * line;
      for (const [at, x, y] of ways) {
        const u = x / most * reach, v = y / most * reach, head = 0.22 * Math.hypot(u, v), angle = Math.atan2(v, u);
        pen.beginPath(); pen.moveTo(at[0], at[1]); pen.lineTo(at[0] + u, at[1] + v);
        for (const side of [2.6, -2.6]) { pen.moveTo(at[0] + u, at[1] + v); pen.lineTo(at[0] + u + head * Math.cos(angle + side), at[1] + v + head * Math.sin(angle + side)); }
        pen.stroke();
      }
    }
    // Of the whole trial, so that what slows down is seen to.
    fastest() {
      if (this.most === undefined) {
        this.most = 0;
        for (let f = 0; f < this.last; f++) for (const i of this.moving) {
          const p = this.place(f, i), q = this.place(f + 1, i), time = this.times[f + 1] - this.times[f];
          if (p && q && time > 0) this.most = Math.max(this.most, Math.hypot(q[0] - p[0], q[1] - p[1]) / time);
        }
      }
      return this.most;
    }
    dots(pen, frame, line) {
      pen.fillStyle = "#a93a12";
      for (let k = this.ends[frame]; k < this.ends[frame + 1]; k++) {
        const [x, y, share] = this.contact(k);
        pen.beginPath(); pen.arc(x, y, line * (1.5 + 4 * Math.sqrt(share)), 0, TURN); pen.fill();
      }
    }
    contact(k) {
      const [a, b, c, d] = this.range, [x, y, share] = this.contacts.subarray(3 * k, 3 * k + 3);
      return [a + (c - a) * x / STEPS, b + (d - b) * y / STEPS, share / STEPS];
    }
  }

  const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  const plus = (a, b, times = 1) => [a[0] + times * b[0], a[1] + times * b[1], a[2] + times * b[2]];
  const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  const unit = (a) => { const long = Math.hypot(...a); return long > 0 ? a.map((part) => part / long) : a; };
  // A vector turned by a quaternion w, x, y, z.
  const turned = ([w, ...axis], v) => { const twice = cross(axis, v).map((part) => 2 * part); return plus(plus(v, twice, w), cross(axis, twice)); };
  const shaded = (colour, light) => `rgb(${[1, 3, 5].map((k) => Math.min(255, Math.round(light * parseInt(colour.slice(k, k + 2), 16)))).join(",")})`;
  // The smallest convex area around points.
  const hull = (points) => {
    const side = (a, b, p) => (b[0] - a[0]) * (p[1] - b[1]) - (b[1] - a[1]) * (p[0] - b[0]);
    const chain = (points) => {
      const kept = [];
      for (const p of points) { while (kept.length > 1 && side(kept[kept.length - 2], kept[kept.length - 1], p) <= 0) kept.pop(); kept.push(p); }
      return kept.slice(0, -1);
    };
    const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
    return [...chain(sorted), ...chain(sorted.reverse())];
  };

  // Space, seen from one of some sides by parallel projection. The first two numbers of a place are those of the picture, as in the plane.
  class SolidPlayer extends Player {
    look(number) {
      this.sight = this.sights[number];
      [this.right, this.up, this.toward] = this.sight.axes;
      this.view = this.sight.view;
      this.light = unit(plus(plus(this.right.map((part) => 0.35 * part), this.up, 0.75), this.toward, 0.55));
      this.most = undefined;
      if (this.now !== undefined) this.draw();
    }
    show(time) {
      if (!this.sight) {
        const side = this.figure.querySelector("[data-do=side]");
        side.addEventListener("change", () => this.look(Number(side.value)));
        this.look(Number(side.value));
      }
      super.show(time);
    }
    draw() { if (this.sight) super.draw(); }
    seen(p) { return [dot(p, this.right), dot(p, this.up)]; }
    point(numbers) { return [0, 1, 2].map((axis) => this.range[axis] + (this.range[axis + 3] - this.range[axis]) * numbers[axis] / STEPS); }
    place(frame, body, states = this.states) {
      const from = 7 * (frame * this.bodies.length + body), numbers = states.subarray(from, from + 7);
      if (numbers[0] === NOWHERE) return null;
      const at = this.point(numbers), turn = unit([3, 4, 5, 6].map((k) => 2 * numbers[k] / STEPS - 1));
      return [...this.seen(at), { at, turn }];
    }
    between(frame, share, body, states = this.states) {
      const p = this.place(frame, body, states), q = share > 0 ? this.place(frame + 1, body, states) : null;
      if (!p || !q) return p;
      const at = plus(p[2].at, plus(q[2].at, p[2].at, -1), share);
      // The shorter way round.
      const same = p[2].turn.reduce((sum, part, k) => sum + part * q[2].turn[k], 0) < 0 ? -1 : 1;
      const turn = unit(p[2].turn.map((part, k) => part + share * (same * q[2].turn[k] - part)));
      return [...this.seen(at), { at, turn }];
    }
    contact(k) {
      const numbers = this.contacts.subarray(4 * k, 4 * k + 4);
      return [...this.seen(this.point(numbers)), numbers[3] / STEPS];
    }
    anchor([, , { at, turn }], point) { return this.seen(plus(at, turned(turn, point))); }
    // The convex parts of a body where they stand.
    solids(body, { at, turn }) {
      return body.parts.filter((part) => part.ball || part.block || part.facets).map((part) => {
        if (part.facets) {
          const { centre, corners, faces } = part.facets, points = corners.map((p) => turned(turn, p));
          const normals = faces.map((face) => unit(face.slice(2).reduce((sum, k, i) => plus(sum, cross(plus(points[face[i + 1]], points[face[0]], -1), plus(points[k], points[face[0]], -1))), [0, 0, 0])));
          return { part, turn, centre: plus(at, turned(turn, centre)), halves: [], radius: 0, points, normals };
        }
        const n = part.ball || part.block, centre = plus(at, turned(turn, n.slice(0, 3)));
        if (part.ball) return { part, turn, centre, halves: [], radius: n[3] };
        return { part, turn, centre, halves: [3, 6, 9].map((k) => turned(turn, n.slice(k, k + 3))), radius: 0 };
      });
    }
    reach(solid, n) { return (solid.points || []).reduce((most, p) => Math.max(most, dot(p, n)), 0) + solid.halves.reduce((sum, half) => sum + Math.abs(dot(half, n)), solid.radius); }
    // Whether one must be painted before another; nothing when neither hides the other. By the plane between them, as films do it.
    behind(a, b) {
      const way = plus(b.centre, a.centre, -1);
      if ([this.right, this.up].some((axis) => Math.abs(dot(way, axis)) >= this.reach(a, axis) + this.reach(b, axis))) return null;
      let best = null;
      for (const raw of [...a.halves, ...b.halves, way, ...(a.normals || []).slice(0, 64), ...(b.normals || []).slice(0, 64)]) {
        const n = unit(raw), reach = this.reach(a, n) + this.reach(b, n), along = dot(way, n);
        const apart = (Math.abs(along) - reach) / reach, slant = dot(n, this.toward) * (along < 0 ? -1 : 1);
        if (!(apart > -0.1 && Math.abs(slant) > 1e-6)) continue;
        const rank = [Math.min(apart, 0), Math.abs(slant)];
        if (!best || rank[0] > best.rank[0] || (rank[0] === best.rank[0] && rank[1] > best.rank[1])) best = { rank, slant };
      }
      return best ? best.slant > 0 : dot(way, this.toward) > 0;
    }
    order(solids) {
      const count = solids.length, before = solids.map(() => []);
      const first = (a, b) => { for (const p of solids[a]) for (const q of solids[b]) { const found = this.behind(p, q); if (found !== null) return found; } return null; };
      for (let a = 0; a < count; a++) for (let b = a + 1; b < count; b++) {
        const found = first(a, b);
        if (found !== null) before[found ? b : a].push(found ? a : b);
      }
      const depth = (id) => (solids[id].length ? dot(solids[id][0].centre, this.toward) : -Infinity);
      const order = [], begun = solids.map(() => false);
      const visit = (id) => { if (!begun[id]) { begun[id] = true; before[id].forEach(visit); order.push(id); } };
      [...solids.keys()].sort((a, b) => depth(a) - depth(b)).forEach(visit);
      return order;
    }
    scene(pen, places, line) {
      const solids = this.bodies.map((body, i) => (places[i] ? this.solids(body, places[i][2]) : []));
      this.paintGround(pen, solids.flat(), line);
      let number = 0;
      const colours = this.bodies.map((body) => (body.kind === "static" ? "#9a958a" : COLOURS[number++ % COLOURS.length]));
      this.bodies.forEach((body, i) => { if (places[i]) this.halves(pen, body, places[i][2], line); });
      for (const i of this.order(solids)) for (const solid of solids[i]) this.paint(pen, solid, colours[i], this.bodies[i].kind === "static", line);
    }
    path(pen, points, close = true) {
      pen.beginPath();
      points.forEach(([x, y], k) => (k ? pen.lineTo(x, y) : pen.moveTo(x, y)));
      if (close) pen.closePath();
    }
    paintGround(pen, solids, line) {
      const ground = this.ground;
      if (!ground || dot(ground.normal, this.toward) < 0.05) return;
      pen.setLineDash([]);
      pen.fillStyle = "#ece8dd"; this.path(pen, ground.patch.map((p) => this.seen(p))); pen.fill();
      pen.strokeStyle = "#cfc9b9"; pen.lineWidth = line;
      for (const ends of ground.lines) { this.path(pen, ends.map((p) => this.seen(p)), false); pen.stroke(); }
      const onto = (p) => plus(p, ground.normal, -dot(plus(p, ground.point, -1), ground.normal));
      pen.fillStyle = "#b9b2a2";
      for (const solid of solids) {
        if (solid.part.sensor || dot(plus(solid.centre, ground.point, -1), ground.normal) < 0) continue;
        this.path(pen, hull(this.outline(solid, ground.normal).map((p) => this.seen(onto(p))))); pen.fill();
      }
    }
    // Points whose shadow along a direction is that of the solid.
    outline(solid, normal) {
      if (solid.radius > 0) {
        const u = unit(cross(normal, Math.abs(normal[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0])), v = cross(normal, u);
        return Array.from({ length: 24 }, (_, k) => plus(plus(solid.centre, u, solid.radius * Math.cos(TURN * k / 24)), v, solid.radius * Math.sin(TURN * k / 24)));
      }
      if (solid.points) return solid.points.map((p) => plus(solid.centre, p));
      return Array.from({ length: 8 }, (_, k) => solid.halves.reduce((p, half, axis) => plus(p, half, (k >> axis) & 1 ? 1 : -1), solid.centre));
    }
    // What has no end is seen only on edge.
    halves(pen, body, { at, turn }, line) {
      for (const part of body.parts.filter((part) => part.half)) {
        const point = plus(at, turned(turn, part.half.slice(0, 3))), normal = turned(turn, part.half.slice(3));
        if (Math.abs(dot(normal, this.toward)) >= 0.05) continue;
        const p = this.seen(point), n = unit([...this.seen(normal), 0]), far = 8 * (this.view[2] - this.view[0] + this.view[3] - this.view[1]);
        const [x, y] = [n[0] * far, n[1] * far];
        this.path(pen, [[p[0] - y, p[1] + x], [p[0] + y, p[1] - x], [p[0] + y - x, p[1] - x - y], [p[0] - y - x, p[1] + x - y]]);
        pen.globalAlpha = 0.55; pen.fillStyle = "#9a958a"; pen.fill(); pen.globalAlpha = 1;
        pen.strokeStyle = "#22262a"; pen.lineWidth = line; pen.setLineDash([]); pen.stroke();
      }
    }
    // A twin's body, as an outline.
    body(pen, body, place, colour, still, line) { for (const solid of this.solids(body, place[2])) this.paint(pen, solid, null, still, line); }
    paint(pen, solid, colour, still, line) {
      const ghost = colour === null, sensor = solid.part.sensor;
      pen.strokeStyle = ghost ? "#a93a12" : "#22262a"; pen.lineWidth = ghost ? 1.6 * line : line;
      pen.setLineDash(sensor ? [4 * line, 3 * line] : []);
      const fill = (light) => { if (ghost) return; pen.globalAlpha = sensor ? 0.15 : 1; pen.fillStyle = shaded(colour, light); pen.fill(); pen.globalAlpha = 1; };
      if (solid.radius > 0) return this.paintBall(pen, solid, still, fill, line);
      if (solid.points) return this.paintFacets(pen, solid, ghost, fill);
      for (let axis = 0; axis < 3; axis++) {
        const half = solid.halves[axis], out = dot(half, this.toward) < 0 ? half.map((part) => -part) : half, normal = unit(out);
        if (dot(normal, this.toward) < 1e-6) continue;
        const middle = plus(solid.centre, out), u = solid.halves[(axis + 1) % 3], v = solid.halves[(axis + 2) % 3];
        this.path(pen, [[-1, -1], [1, -1], [1, 1], [-1, 1]].map(([a, b]) => this.seen(plus(plus(middle, u, a), v, b))));
        fill(0.72 + 0.4 * dot(normal, this.light)); pen.stroke();
      }
    }
    // Flat faces, the furthest first. What only looks round has no lines between its faces, but a hair of their own colour against gaps.
    paintFacets(pen, { part, centre, points, normals }, ghost, fill) {
      const { faces, edged, two_sided: both } = part.facets;
      const depth = (face) => face.reduce((sum, k) => sum + dot(points[k], this.toward), 0) / face.length;
      const seen = faces.map((face, k) => ({ face, normal: normals[k], slant: dot(normals[k], this.toward) })).filter(({ slant }) => slant > 1e-6 || (both && slant < -1e-6));
      seen.sort((a, b) => depth(a.face) - depth(b.face));
      for (const { face, normal, slant } of seen) {
        this.path(pen, face.map((k) => this.seen(plus(centre, points[k]))));
        fill(0.72 + 0.4 * Math.sign(slant) * dot(normal, this.light));
        if (edged || face.length > 4) pen.stroke();
        else if (!ghost) { const ink = pen.strokeStyle; pen.strokeStyle = pen.fillStyle; pen.stroke(); pen.strokeStyle = ink; }
      }
    }
    paintBall(pen, { centre, radius, turn }, still, fill, line) {
      const [x, y] = this.seen(centre), seen = Math.max(radius, 1.5 * line);
      for (const [shift, share, light] of [[0, 1, 0.8], [0.12, 0.84, 0.92], [0.3, 0.6, 1.04], [0.5, 0.3, 1.16]]) {
        pen.beginPath(); pen.arc(x + 0.35 * shift * radius, y + 0.75 * shift * radius, share * seen, 0, TURN); fill(light);
        if (share === 1) pen.stroke();
      }
      // Two great circles show how it is turned.
      for (const own of still ? [] : [[1, 0, 0], [0, 1, 0]]) {
        const axis = turned(turn, own), near = plus(this.toward, axis, -dot(axis, this.toward));
        if (Math.hypot(...near) < 1e-3) continue;
        const front = unit(near), side = cross(axis, front);
        const arc = Array.from({ length: 13 }, (_, k) => TURN / 4 * (k / 6 - 1)).map((angle) => this.seen(plus(plus(centre, front, radius * Math.cos(angle)), side, radius * Math.sin(angle))));
        this.path(pen, arc, false); pen.stroke();
      }
    }
  }

  const players = new Map();
  const begin = (figure) => { if (!players.has(figure)) players.set(figure, figure.querySelector("[data-do=side]") ? new SolidPlayer(figure) : new Player(figure)); return players.get(figure); };
  // Some at once, the rest when they come into view: a long page opens at once.
  [...document.querySelectorAll("details[open] figure.replay")].slice(0, 6).forEach(begin);
  const watch = new IntersectionObserver((seen) => seen.filter((one) => one.isIntersecting).forEach((one) => begin(one.target)));
  document.querySelectorAll("figure.replay").forEach((figure) => watch.observe(figure));
  document.querySelectorAll("details").forEach((one) => one.addEventListener("toggle", () => { if (one.open) one.querySelectorAll("figure.replay").forEach(begin); }));
  window.addEventListener("resize", () => players.forEach((player) => player.draw()));
  window.addEventListener("beforeprint", () => document.querySelectorAll("details[open] figure.replay").forEach(begin));
  // A link to a trial opens it.
  const open = () => { const target = document.getElementById(location.hash.slice(1)); if (target instanceof HTMLDetailsElement) { target.open = true; target.scrollIntoView(); } };
  window.addEventListener("hashchange", open);
  open();
})();
