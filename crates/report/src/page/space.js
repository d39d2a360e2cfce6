  // Plays a trial of space: turned, moved and brought nearer by mouse, touch and keys. The first two numbers of a place are those of the picture, as in
  // the plane.
  class SolidPlayer extends Player {
    constructor(figure) {
      super(figure);
      const side = figure.querySelector("[data-do=side]");
      for (const [name, of] of OPPOSITE) if (this.sights.some((sight) => sight.name === of)) side.append(Object.assign(document.createElement("option"), { value: name, textContent: name }));
      side.addEventListener("change", () => this.look(side.value));
      const perspective = figure.querySelector("[data-show=perspective]");
      if (perspective) perspective.addEventListener("change", () => { this.deepen(); this.draw(); });
      this.canvas.setAttribute("aria-roledescription", "scene that can be turned");
      this.look(this.sights[0].name);
      this.say();
    }
    show(time) { if (!this.eye) this.begin(); super.show(time); }
    begin() {
      this.picture = new DepthPicture();
      this.pole = (this.sights.find((sight) => sight.name === "front") || this.sights[0]).axes[1];
      this.centre = [0, 1, 2].map((axis) => (this.range[axis] + this.range[axis + 3]) / 2);
      this.region = Math.hypot(...[0, 1, 2].map((axis) => this.range[axis + 3] - this.range[axis])) / 3;
      const [left, bottom, right, top] = this.sights[0].view;
      this.form = Math.min(0.85, Math.max(0.3, (top - bottom) / (right - left)));
      this.take(this.sights[0]);
    }
    // From one of the sides by its name.
    look(name) {
      const known = this.sights.find((sight) => sight.name === name), back = OPPOSITE.find(([other]) => other === name);
      const front = back && this.sights.find((sight) => sight.name === back[1]);
      if (known) this.take(known);
      else if (front) {
        const [right, up, toward] = front.axes, far = toward.map((part) => -part), [left, bottom, ...rest] = front.view;
        // Upright things stay upright; from below what lay to the right stays there.
        this.take(name === "below" ? { axes: [right, up.map((part) => -part), far], view: [left, -rest[1], rest[0], -bottom] } : { axes: [right.map((part) => -part), up, far], view: [-rest[0], bottom, -left, rest[1]] });
      } else return;
      this.side = name;
      const choice = this.figure.querySelector("[data-do=side]");
      if (choice) choice.value = name;
      this.draw();
    }
    take({ axes, view }) {
      const [right, up] = axes, [left, bottom, rightmost, top] = view;
      let middle = plus(this.centre, right, (left + rightmost) / 2 - dot(this.centre, right));
      middle = plus(middle, up, (bottom + top) / 2 - dot(middle, up));
      this.span = [rightmost - left, top - bottom]; this.zoom = 1;
      this.eye = new Eye(axes, middle);
      this.deepen();
    }
    deepen() { this.eye.distance = this.is("perspective") ? 2.4 * Math.max(...this.span) / this.zoom : Infinity; this.light = undefined; }
    height(width) { return Math.min(460, Math.max(160, width * this.form)); }
    seenAs(other) { this.asks = other; if (!this.eye) this.begin(); Object.assign(this, { eye: other.eye, span: other.span, zoom: other.zoom }); }
    get view() { const [wide, tall] = (this.span || [1, 1]).map((span) => span / this.zoom / 2); return [-wide, -tall, wide, tall]; }
    set view(unused) {}
    free() {
      this.side = null;
      const choice = this.figure.querySelector("[data-do=side]");
      if (choice && ![...choice.options].some((option) => option.value === "")) choice.prepend(Object.assign(document.createElement("option"), { value: "", textContent: "free" }));
      if (choice) choice.value = "";
    }
    inSight() {
      if (!this.picture || !this.picture.owner) return "";
      const dots = this.picture.counted();
      return ` of which ${this.moving.filter((i) => dots.get(i + 1) > 3).length} are in sight from ${this.side || "where you look"}`;
    }
    // The axes of the world and how large a square of the ground is.
    measures(pen, [x, y, , tall], ratio) {
      const middle = [x + 30 * ratio, y + tall - 34 * ratio];
      pen.lineWidth = 1.5 * ratio; pen.setLineDash([]);
      pen.font = `${11 * ratio}px system-ui, "DejaVu Sans", sans-serif`; pen.textBaseline = "middle";
      [["x", "#a93a12"], ["y", "#33694b"], ["z", "#1f5f8b"]].forEach(([name, ink], axis) => {
        const end = [middle[0] + 20 * ratio * this.eye.right[axis], middle[1] - 20 * ratio * this.eye.up[axis]];
        pen.strokeStyle = pen.fillStyle = ink;
        pen.beginPath(); pen.moveTo(...middle); pen.lineTo(...end); pen.stroke();
        if (Math.abs(this.eye.toward[axis]) < 0.98) pen.fillText(name, end[0] + 5 * ratio * (this.eye.right[axis] < -0.1 ? -2 : 1), end[1] - 6 * ratio * this.eye.up[axis]);
      });
      if (!this.ground || this.ground.lines.length < 2) return;
      const [[a], [b]] = this.ground.lines, size = Number(Math.hypot(...plus(a, b, -1)).toPrecision(3));
      pen.fillStyle = "#5f6469"; pen.fillText(`squares of ${size} m`, x + 64 * ratio, y + tall - 12 * ratio);
    }
    turn(around, over) {
      let eye = this.eye.turned(this.pole, -around);
      const over_it = eye.turned(eye.right, -over);
      if (dot(over_it.up, this.pole) > -1e-9) eye = over_it;
      this.eye = eye; this.free(); this.draw();
    }
    move(right, up) { this.eye.middle = plus(plus(this.eye.middle, this.eye.right, -right), this.eye.up, -up); this.free(); this.draw(); }
    nearer(times) { this.zoom = Math.min(1e4, Math.max(1e-2, this.zoom * times)); this.deepen(); this.free(); this.draw(); }
    listen() {
      super.listen();
      const held = new Map(), canvas = this.canvas, metre = () => { const [left, , right] = this.view; return (right - left) / (canvas.clientWidth || 640); };
      canvas.addEventListener("pointerdown", (event) => { held.set(event.pointerId, [event.clientX, event.clientY]); try { canvas.setPointerCapture(event.pointerId); } catch { /* of a pointer that is none any more */ } });
      ["pointerup", "pointercancel"].forEach((name) => canvas.addEventListener(name, (event) => held.delete(event.pointerId)));
      canvas.addEventListener("pointermove", (event) => {
        const before = held.get(event.pointerId);
        if (!before) return;
        const way = [event.clientX - before[0], event.clientY - before[1]], other = [...held].find(([id]) => id !== event.pointerId);
        held.set(event.pointerId, [event.clientX, event.clientY]);
        if (other) {
          const far = (p) => Math.hypot(p[0] - other[1][0], p[1] - other[1][1]) || 1;
          this.move(way[0] * metre() / 2, -way[1] * metre() / 2);
          this.nearer(far([event.clientX, event.clientY]) / far(before));
        } else if (event.shiftKey || event.buttons & 6) this.move(way[0] * metre(), -way[1] * metre());
        else this.turn(0.008 * way[0], 0.008 * way[1]);
      });
      canvas.addEventListener("contextmenu", (event) => event.preventDefault());
      // The page goes on being scrolled until the picture is clicked.
      canvas.addEventListener("wheel", (event) => { if (document.activeElement !== canvas && !event.ctrlKey) return; event.preventDefault(); this.nearer(Math.exp(-0.0015 * event.deltaY)); }, { passive: false });
    }
    keys() {
      const [left, , right] = this.view, far = 0.06 * (right - left), go = (x, y) => (event) => (event.shiftKey ? this.move(x * far, y * far) : this.turn(0.12 * x, -0.12 * y));
      const names = [...this.sights.map((sight) => sight.name), ...OPPOSITE.map(([name]) => name)];
      const box = () => { const perspective = this.figure.querySelector("[data-show=perspective]"); if (perspective) perspective.click(); };
      return {
        ArrowLeft: go(-1, 0), ArrowRight: go(1, 0), ArrowUp: go(0, 1), ArrowDown: go(0, -1),
        "+": () => this.nearer(1.2), "=": () => this.nearer(1.2), "-": () => this.nearer(1 / 1.2), Home: () => this.look(this.sights[0].name), p: box,
        ...Object.fromEntries(names.slice(0, 9).map((name, k) => [String(k + 1), () => this.look(name)])),
      };
    }
    sideAddress() {
      if (this.side) return [`view=${this.side}`];
      const short = (v) => v.map((part) => Number(part.toPrecision(5))).join(",");
      return [`from=${short(this.eye.toward)}`, `to=${short(this.eye.middle)}`, `zoom=${Number(this.zoom.toPrecision(4))}`];
    }
    goto(values) {
      if (values.view) this.look(values.view);
      const numbers = (text) => { const list = (text || "").split(",").map(Number); return list.length === 3 && list.every(Number.isFinite) ? list : null; };
      const from = numbers(values.from), to = numbers(values.to);
      if (from && Math.hypot(...from) > 0) {
        const toward = unit(from), flat = cross(this.pole, toward), right = Math.hypot(...flat) > 1e-6 ? unit(flat) : this.eye.right;
        this.eye = new Eye([right, cross(toward, right), toward], to || this.eye.middle); this.free();
      }
      if (Number(values.zoom) > 0) this.zoom = Math.min(1e4, Math.max(1e-2, Number(values.zoom)));
      this.deepen();
      super.goto(values);
      this.draw();
    }

    seen(p) { return this.eye.see(p); }
    point(numbers) { return [0, 1, 2].map((axis) => this.range[axis] + (this.range[axis + 3] - this.range[axis]) * numbers[axis] / STEPS); }
    place(frame, body, states = this.states) {
      const from = 7 * (frame * this.bodies.length + body), numbers = states.subarray(from, from + 7);
      if (numbers[0] === NOWHERE) return null;
      const at = this.point(numbers), turn = unit([3, 4, 5, 6].map((k) => 2 * numbers[k] / STEPS - 1)), [x, y] = this.seen(at);
      return [x, y, { at, turn }];
    }
    between(frame, share, body, states = this.states) {
      const p = this.place(frame, body, states), q = share > 0 ? this.place(frame + 1, body, states) : null;
      if (!p || !q) return p;
      const at = plus(p[2].at, plus(q[2].at, p[2].at, -1), share);
      // The shorter way round.
      const same = p[2].turn.reduce((sum, part, k) => sum + part * q[2].turn[k], 0) < 0 ? -1 : 1;
      const turn = unit(p[2].turn.map((part, k) => part + share * (same * q[2].turn[k] - part))), [x, y] = this.seen(at);
      return [x, y, { at, turn }];
    }
    contact(k) {
      const numbers = this.contacts.subarray(4 * k, 4 * k + 4), [x, y] = this.seen(this.point(numbers));
      return [x, y, numbers[3] / STEPS];
    }
    anchor([, , { at, turn }], point) { return this.seen(plus(at, turned(turn, point))).slice(0, 2); }

    background(pen, places, [x, y, wide, tall], scale) {
      this.picture.resize(Math.max(1, Math.round(wide)), Math.max(1, Math.round(tall)));
      new Painter(this, scale).paint(places);
      pen.putImageData(this.picture.image, Math.round(x), Math.round(y));
    }
    // Only what is seen through: rims of sensors, springs.
    scene(pen, places, line) {
      this.bodies.forEach((body, i) => { if (i < this.rigid && places[i] && body.parts.some((part) => part.sensor)) this.rims(pen, body, places[i][2], "#22262a", line, true); });
    }
    // A twin's body, as an outline.
    body(pen, body, place, colour, still, line) { this.rims(pen, body, place[2], "#a93a12", 1.6 * line, false); }
    // Edges of what is not smooth, outlines of balls.
    rims(pen, body, pose, ink, wide, sensors) {
      pen.strokeStyle = ink; pen.lineWidth = wide; pen.setLineDash(sensors ? [4 * wide, 3 * wide] : []);
      for (const solid of solidsOf(body)) {
        if (sensors && !solid.part.sensor) continue;
        pen.beginPath();
        if (solid.radius > 0) {
          const centre = plus(pose.at, turned(pose.turn, solid.centre)), [x, y] = this.seen(centre);
          pen.arc(x, y, solid.radius * this.eye.grown(centre), 0, TURN);
        } else for (const { points, normal } of facesOf(solid, pose)) {
          if (dot(normal, this.eye.way(points[0])) < 1e-6) continue;
          points.forEach((p, k) => { const [x, y] = this.seen(p); if (k) pen.lineTo(x, y); else pen.moveTo(x, y); });
          pen.closePath();
        }
        pen.stroke();
      }
      pen.setLineDash([]);
    }
    soft(pen, soft, places, colour, line) {
      const [first, count] = soft.nodes, at = places.slice(first, first + count);
      if (colour !== null || at.some((place) => !place)) return;
      pen.strokeStyle = "#a93a12"; pen.lineWidth = line; pen.setLineDash([]);
      pen.beginPath();
      for (const piece of soft.skin.length ? soft.skin : soft.springs.map(([a, b]) => [a, b])) { pen.moveTo(at[piece[0]][0], at[piece[0]][1]); piece.slice(1).concat(piece[0]).forEach((node) => pen.lineTo(at[node][0], at[node][1])); }
      pen.stroke();
    }
    more(pen, frame, share, line) {
      if (this.is("spins")) this.spins(pen, frame, share, line);
      if (this.is("heights")) this.drops(pen, frame, share, line);
      if (this.is("contacts")) this.normals_of(pen, frame, line);
    }
    // Axes about which bodies turn from this frame to the next, as long as they turn fast.
    spins(pen, frame, share, line) {
      const f = Math.min(frame, this.last - 1);
      if (f < 0) return;
      const time = this.times[f + 1] - this.times[f], arrows = [];
      for (const i of this.moving) {
        const p = this.place(f, i), q = this.place(f + 1, i), at = this.between(frame, share, i);
        if (!p || !q || !at) continue;
        const [a, b] = [p[2].turn, q[2].turn], way = b.reduce((sum, part, k) => sum + part * a[k], 0) < 0 ? -1 : 1;
        const [w, ...v] = a, [s, ...u] = b.map((part) => way * part), real = s * w + dot(u, v);
        const turn = plus(plus(u.map((part) => w * part), v, -s), cross(u, v), -1), sin = Math.hypot(...turn), angle = 2 * Math.atan2(sin, real);
        if (sin > 1e-4) arrows.push([at[2].at, turn.map((part) => part / sin * angle / time)]);
      }
      const most = Math.max(...arrows.map(([, spin]) => Math.hypot(...spin)), 0), reach = 0.14 * (this.view[2] - this.view[0]);
      pen.strokeStyle = "#6a3d7c"; pen.lineWidth = 1.8 * line; pen.setLineDash([]);
      for (const [at, spin] of arrows) {
        const [a, b] = [at, plus(at, spin, reach / most)].map((p) => this.seen(p)), angle = Math.atan2(b[1] - a[1], b[0] - a[0]), head = 6 * line;
        pen.beginPath(); pen.moveTo(a[0], a[1]); pen.lineTo(b[0], b[1]);
        // Two heads, so that it is not taken for a velocity.
        for (const back of [0, 4 * line]) for (const side of [2.5, -2.5]) {
          const x = b[0] - back * Math.cos(angle), y = b[1] - back * Math.sin(angle);
          pen.moveTo(x, y); pen.lineTo(x + head * Math.cos(angle + side), y + head * Math.sin(angle + side));
        }
        pen.stroke();
      }
    }
    // From each moving body straight down to the ground.
    drops(pen, frame, share, line) {
      if (!this.ground) return;
      const { normal, point } = this.ground;
      pen.strokeStyle = "#5f6469"; pen.lineWidth = line; pen.setLineDash([2 * line, 3 * line]);
      for (const i of this.moving) {
        const at = this.between(frame, share, i), high = at && dot(plus(at[2].at, point, -1), normal);
        if (!at || !(high > 0)) continue;
        const foot = this.seen(plus(at[2].at, normal, -high));
        pen.beginPath(); pen.moveTo(at[0], at[1]); pen.lineTo(foot[0], foot[1]); pen.stroke();
        pen.beginPath(); pen.arc(foot[0], foot[1], 1.5 * line, 0, TURN); pen.stroke();
      }
      pen.setLineDash([]);
    }
    // Which way each contact pushes, as long as it pushes hard.
    normals_of(pen, frame, line) {
      if (!this.normals) return;
      const small = this.crowd(frame);
      pen.strokeStyle = "#a93a12"; pen.lineWidth = 1.4 * small * line; pen.setLineDash([]);
      for (let k = this.ends[frame]; k < this.ends[frame + 1]; k++) {
        const n = [...this.normals.subarray(3 * k, 3 * k + 3)].map((part) => 2 * part / STEPS - 1), share = this.contacts[4 * k + 3] / STEPS;
        const p = this.point(this.contacts.subarray(4 * k, 4 * k + 3)), long = small * line * (6 + 26 * Math.sqrt(share)) / this.eye.grown(p);
        const [a, b] = [p, plus(p, n, long)].map((q) => this.seen(q));
        pen.beginPath(); pen.moveTo(a[0], a[1]); pen.lineTo(b[0], b[1]); pen.stroke();
      }
    }
  }
  const OPPOSITE = [["back", "front"], ["left", "side"], ["below", "top"]];
