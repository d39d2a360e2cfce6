  // Plays a trial of the plane back on a canvas. Data stands beside the canvas; nothing is fetched.
  // Springs by their strain, from -1 squeezed to 1 stretched: the colours of films.
  const strained = (share) => blended("#a8a296", share < 0 ? "#1f5f8b" : "#c04810", Math.abs(share));

  class Player {
    constructor(figure) {
      this.figure = figure;
      const data = JSON.parse(figure.querySelector("script").textContent);
      Object.assign(this, data, { states: unpack(data.states), contacts: unpack(data.contacts), ghost: unpack(data.ghost || ""), normals: data.normals ? unpack(data.normals) : null, at_rest: data.at_rest ? unpack(data.at_rest) : null, joints: data.joints || [], softs: data.softs || [] });
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
      this.moments = data.moments || [];
      this.mark = null;
      this.other = null;
      this.tellMoments(this.moments);
      this.offerOthers();
      this.listen();
      for (const box of figure.querySelectorAll("input[type=checkbox]")) box.addEventListener("change", () => this.draw());
      this.show(this.now);
    }
    is(name) { const box = (this.asks || this).figure.querySelector(`[data-show=${name}]`); return box !== null && box.checked; }
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
      this.say();
    }
    step(by) {
      this.pause();
      const frame = this.frame();
      const next = by > 0 ? frame + 1 : (this.times[frame] < this.now ? frame : frame - 1);
      this.show(this.times[Math.min(this.last, Math.max(0, next))]);
      this.say();
    }
    show(time) {
      this.now = Math.min(this.times[this.last], Math.max(this.times[0], time));
      this.scrub.value = String(1000 * this.now);
      this.clock.textContent = `${this.now.toFixed(3)} s`;
      this.draw();
    }
    frame(time = this.now) {
      let low = 0, high = this.last;
      while (low < high) { const mid = (low + high + 1) >> 1; if (this.times[mid] <= time) low = mid; else high = mid - 1; }
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
    // Whether a body is at rest to the last bit.
    rests(frame, body) { return this.at_rest !== null && (this.at_rest[frame * Math.ceil(this.bodies.length / 16) + (body >> 4)] >> (body & 15) & 1) === 1; }
    // The colour of the body that moves, of a number, in the frame that is drawn: most of the way to the paper where it rests, or all nodes of it do.
    inked(number, first, count = 1) {
      const colour = COLOURS[number % COLOURS.length];
      if (!this.pales) return colour;
      for (let node = first; node < first + count; node++) if (!this.rests(this.drawn, node)) return colour;
      return blended(colour, "#fbfaf6", 0.6);
    }
    draw() {
      // It is told anew when the reader has moved or turned it.
      clearTimeout(this.telling);
      if (this.timer === null) this.telling = setTimeout(() => this.say(), 300);
      this.asks = null;
      const ratio = Math.min(window.devicePixelRatio || 1, 2), width = this.canvas.clientWidth || 640, height = this.height(width);
      this.canvas.style.height = `${height}px`;
      this.canvas.width = width * ratio; this.canvas.height = height * ratio;
      const pen = this.canvas.getContext("2d", { willReadFrequently: true }), wide = this.canvas.width, tall = this.canvas.height, half = wide >> 1;
      pen.fillStyle = "#fbfaf6"; pen.fillRect(0, 0, wide, tall);
      const beside = this.other !== null && this.how === "beside";
      this.drawIn(pen, [0, 0, beside ? half - ratio : wide, tall], this.now, ratio);
      if (!beside) return;
      this.other.seenAs(this);
      this.other.drawIn(pen, [half + ratio, 0, wide - half - ratio, tall], this.now, ratio);
      pen.fillStyle = "#d9d4c8"; pen.fillRect(half - ratio, 0, 2 * ratio, tall);
      this.title(pen, this.label, 6 * ratio, ratio); this.title(pen, this.other.label, half + 7 * ratio, ratio);
    }
    height(width) { const [left, bottom, right, top] = this.view; return Math.min(460, Math.max(160, width * (top - bottom) / (right - left))); }
    // From where another player looks.
    seenAs(other) { this.view = other.view; this.asks = other; }
    title(pen, text, x, ratio) {
      pen.font = `${12 * ratio}px system-ui, "DejaVu Sans", sans-serif`; pen.textBaseline = "top";
      const wide = pen.measureText(text).width;
      pen.fillStyle = "rgba(251, 250, 246, 0.85)"; pen.fillRect(x - 3 * ratio, 4 * ratio, wide + 6 * ratio, 17 * ratio);
      pen.fillStyle = "#22262a"; pen.fillText(text, x, 6 * ratio);
    }
    // The world at a time, in an area of the canvas: left, top, width and height in dots.
    drawIn(pen, [x, y, wide, tall], time, ratio) {
      const [left, bottom, right, top] = this.view, scale = Math.min(wide / (right - left), tall / (top - bottom));
      const frame = this.frame(time), line = 1.2 * ratio / scale;
      this.drawn = frame; this.pales = this.at_rest !== null && this.is("rest");
      const gap = frame < this.last ? this.times[frame + 1] - this.times[frame] : 0;
      const share = gap > 0 ? Math.min(1, (time - this.times[frame]) / gap) : 0;
      const places = this.bodies.map((body, i) => this.between(frame, share, i));
      pen.save();
      pen.beginPath(); pen.rect(x, y, wide, tall); pen.clip();
      this.background(pen, places, [x, y, wide, tall], scale);
      pen.translate(x + wide / 2 - scale * (left + right) / 2, y + tall / 2 + scale * (bottom + top) / 2); pen.scale(scale, -scale);
      if (this.is("trails")) this.trails(pen, frame, line);
      this.scene(pen, places, line);
      this.joints.forEach((joint) => this.joint(pen, joint, joint.bodies.map((i) => this.between(frame, share, i)), line));
      if (this.is("twin")) this.twin(pen, frame, share, line);
      if (this.other !== null && this.how === "over") { this.other.seenAs(this); this.other.ghostly(pen, time, line); }
      if (this.is("velocities")) this.velocities(pen, frame, share, line);
      this.more(pen, frame, share, line);
      if (this.is("contacts")) this.dots(pen, frame, line);
      this.broken(pen, places, time, line);
      pen.restore();
      this.measures(pen, [x, y, wide, tall], ratio);
    }
    background() {}
    measures() {}
    more() {}
    // A ring and words at what broke, about the time at which it did and wherever the reader asked for it.
    broken(pen, places, time, line) {
      const gap = Math.max(0.05, 1.5 * (this.times[this.last] - this.times[0]) / Math.max(1, this.last));
      const near = this.moments.filter((moment) => moment === this.mark || Math.abs(moment.time - time) <= gap);
      near.forEach((moment, number) => {
        const at = moment.body === undefined ? null : places[moment.body];
        this.ring(pen, at, line);
        pen.save();
        const far = at ? pen.getTransform().transformPoint(new DOMPoint(at[0] + 24 * line, at[1] - 5 * line)) : new DOMPoint(8, 30);
        const dot = line * pen.getTransform().a;
        pen.setTransform(1, 0, 0, 1, 0, 0);
        pen.font = `${10 * dot}px system-ui, "DejaVu Sans", sans-serif`; pen.textBaseline = "alphabetic";
        const text = `${moment.text}, ${moment.time.toFixed(3)} s`, wide = pen.measureText(text).width;
        const x = Math.max(4, Math.min(far.x, pen.canvas.width - wide - 8)), y = far.y + 14 * dot * number;
        pen.fillStyle = "rgba(251, 250, 246, 0.85)"; pen.fillRect(x - 3, y - 11 * dot, wide + 6, 14 * dot);
        pen.fillStyle = "#a93a12"; pen.fillText(text, x, y);
        pen.restore();
      });
    }
    // What the picture shows, for those who listen to the page.
    say() {
      const place = this.figure.querySelector(".said");
      if (!place) return;
      const frame = this.frame(), there = this.moving.filter((i) => this.place(frame, i)).length, touches = this.ends[frame + 1] - this.ends[frame];
      const moments = this.moments.filter((moment) => moment.time <= this.now).map((moment) => `${moment.text} at ${moment.time.toFixed(3)} s`);
      const resting = this.moving.filter((i) => this.rests(frame, i)).length;
      place.textContent = `At ${this.now.toFixed(3)} s: ${there} moving bodies${this.inSight()}, ${resting > 0 ? `${resting} of them at rest, ` : ""}${touches} contacts${moments.length ? `; ${moments.join("; ")}` : ""}.`;
    }
    inSight() { return ""; }
    // Other trials of the same scene on this page, to be shown by the same clock and from the same side.
    offerOthers() {
      this.label = this.figure.dataset.label || "";
      const others = [...document.querySelectorAll("figure.replay")].filter((one) => one !== this.figure && one.dataset.scene && one.dataset.scene === this.figure.dataset.scene);
      const place = this.figure.querySelector("[data-do=other]");
      if (!place) return;
      if (others.length === 0) { place.closest("label").remove(); return; }
      const offer = (text, value) => { const one = document.createElement("option"); one.textContent = text; one.value = value; place.append(one); };
      others.slice(0, 20).forEach((one, k) => ["beside", "over"].forEach((how) => offer(`${how} ${one.dataset.label}`, `${how} ${k}`)));
      place.addEventListener("change", () => {
        const [how, k] = place.value.split(" ");
        this.how = how; this.other = k === undefined ? null : begin(others[Number(k)]);
        this.draw();
      });
    }
    // Keys on the picture: blank plays, comma and full stop step.
    listen() {
      this.canvas.tabIndex = 0;
      this.canvas.addEventListener("keydown", (event) => {
        const act = { " ": () => this.toggle(), ",": () => this.step(-1), ".": () => this.step(1), ...this.keys() }[event.key];
        if (!act || event.ctrlKey || event.altKey || event.metaKey) return;
        event.preventDefault(); act(event);
      });
      const link = this.figure.querySelector("[data-do=link]");
      if (link) link.addEventListener("click", () => { history.replaceState(null, "", `#${this.address()}`); if (navigator.clipboard) navigator.clipboard.writeText(location.href).catch(() => {}); });
    }
    keys() { return {}; }
    // The moment as a link, after the name of the trial.
    address() {
      const trial = this.figure.closest("details[id]");
      return [...(trial ? [trial.id] : []), `t=${Number(this.now.toFixed(4))}`, ...this.sideAddress()].join("&");
    }
    sideAddress() { return []; }
    goto(values) { this.pause(); if (values.t !== undefined && Number.isFinite(Number(values.t))) this.show(Number(values.t)); this.say(); }
    // All bodies where they are.
    scene(pen, places, line) {
      this.softs.forEach((soft, k) => this.soft(pen, soft, places, this.inked(this.moving.length + k, ...soft.nodes), line));
      let number = 0;
      this.bodies.forEach((body, i) => {
        if (i >= this.rigid) return;
        const still = body.kind === "static", colour = still ? "#9a958a" : this.inked(number++, i);
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
      for (const { end, at, corners } of sign.marks || []) {
        const anchor = joint.anchors[end], corner = (c) => this.anchor([p, q][end], at.map((part, k) => (anchor[k] || 0) + part + small * c[k]));
        corners.forEach((c, k) => (k ? pen.lineTo(...corner(c)) : pen.moveTo(...corner(c))));
      }
      [a, b].filter((_, end) => sign.rings[end]).forEach((end) => { pen.moveTo(end[0] + small, end[1]); pen.arc(end[0], end[1], small, 0, TURN); });
      pen.stroke();
    }
    // Outlines of all that moves at a time, without a filling.
    ghostly(pen, time, line) {
      const frame = this.frame(time), gap = frame < this.last ? this.times[frame + 1] - this.times[frame] : 0;
      const places = this.bodies.map((body, i) => this.between(frame, gap > 0 ? Math.min(1, (time - this.times[frame]) / gap) : 0, i));
      for (const i of this.moving) if (places[i]) this.body(pen, this.bodies[i], places[i], null, false, line);
      for (const soft of this.softs) this.soft(pen, soft, places, null, line);
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
      const small = this.crowd(frame);
      for (let k = this.ends[frame]; k < this.ends[frame + 1]; k++) {
        const [x, y, share] = this.contact(k);
        pen.beginPath(); pen.arc(x, y, small * line * (1.5 + 4 * Math.sqrt(share)), 0, TURN); pen.fill();
      }
    }
    // Of very many contacts each is drawn smaller.
    crowd(frame) { return Math.min(1, Math.max(0.35, Math.sqrt(50 / (this.ends[frame + 1] - this.ends[frame] || 1)))); }
    contact(k) {
      const [a, b, c, d] = this.range, [x, y, share] = this.contacts.subarray(3 * k, 3 * k + 3);
      return [a + (c - a) * x / STEPS, b + (d - b) * y / STEPS, share / STEPS];
    }
  }
