  // Pictures of space drawn by depth: of all that lies behind a dot the nearest is seen, so that nothing is shown before what hides it, bowls and
  // bodies that stick into each other included (Catmull 1974). Needs no graphics card.
  class DepthPicture {
    resize(width, height) {
      if (this.width === width && this.height === height) return;
      this.width = width; this.height = height;
      this.image = new ImageData(width, height);
      this.colours = new Uint32Array(this.image.data.buffer);
      this.near = new Float32Array(width * height);
      this.owner = new Int32Array(width * height);
    }
    clear() { this.colours.fill(0xfff6fafb); this.near.fill(-Infinity); this.owner.fill(0); }
    // A flat convex face of so many corners, each x, y (dots) and nearness, which falls evenly over the picture. Below an opacity of 1 it hides nothing.
    // What lies in the plane of something else is seen if it is brought nearer by a `lift`.
    face(corners, count, colour, owner, opacity = 1, lift = 0) {
      const { width, height, near, colours, owner: owners } = this, end = 3 * count, ox = corners[0], oy = corners[1], oq = corners[2];
      let top = oy, bottom = oy, nx = 0, ny = 0, nq = 0;
      for (let k = 3; k < end; k += 3) {
        const y = corners[k + 1];
        if (y < top) top = y;
        if (y > bottom) bottom = y;
        if (k > 3) {
          const ax = corners[k - 3] - ox, ay = corners[k - 2] - oy, aq = corners[k - 1] - oq, bx = corners[k] - ox, by = y - oy, bq = corners[k + 2] - oq;
          nx += ay * bq - aq * by; ny += aq * bx - ax * bq; nq += ax * by - ay * bx;
        }
      }
      if (!(Math.abs(nq) > 1e-9)) return;
      const across = -nx / nq, down = -ny / nq, first = Math.max(0, Math.ceil(top - 0.5)), last = Math.min(height - 1, Math.ceil(bottom - 0.5) - 1);
      for (let row = first; row <= last; row++) {
        const y = row + 0.5;
        let left = Infinity, right = -Infinity, ax = corners[end - 3], ay = corners[end - 2];
        for (let k = 0; k < end; k += 3) {
          const bx = corners[k], by = corners[k + 1];
          if ((ay <= y) !== (by <= y)) {
            const x = ax + (bx - ax) * (y - ay) / (by - ay);
            if (x < left) left = x;
            if (x > right) right = x;
          }
          ax = bx; ay = by;
        }
        const from = Math.max(0, Math.ceil(left - 0.5)), to = row * width + Math.min(width - 1, Math.ceil(right - 0.5) - 1);
        let q = oq + across * (from + 0.5 - ox) + down * (y - oy) + lift;
        for (let at = row * width + from; at <= to; at++, q += across) {
          if (!(q > near[at])) continue;
          if (opacity < 1) { colours[at] = mixed(colours[at], colour, opacity); continue; }
          near[at] = q; colours[at] = colour; owners[at] = owner;
        }
      }
    }
    // A line between two points, `wide` dots thick.
    line(a, b, wide, colour, owner, lift = 0) {
      const x = b[0] - a[0], y = b[1] - a[1], long = Math.hypot(x, y) || 1, u = -y / long * wide / 2, v = x / long * wide / 2;
      this.face([a[0] + u, a[1] + v, a[2], b[0] + u, b[1] + v, b[2], b[0] - u, b[1] - v, b[2], a[0] - u, a[1] - v, a[2]], 4, colour, owner, 1, lift);
    }
    // A ball: `shade` gives the colour of a dot by its normal to the right, up and to the eye; `nearer` the nearness of what lies so much before the centre.
    ball([x, y], radius, nearer, shade, owner) {
      const { width, height, near } = this, reach = Math.max(radius, 1.2);
      for (let row = Math.max(0, Math.ceil(y - reach - 0.5)), last = Math.min(height - 1, Math.floor(y + reach - 0.5)); row <= last; row++) {
        const v = (y - row - 0.5) / reach, half = reach * Math.sqrt(Math.max(0, 1 - v * v));
        for (let column = Math.max(0, Math.ceil(x - half - 0.5)), end = Math.min(width - 1, Math.floor(x + half - 0.5)); column <= end; column++) {
          const u = (column + 0.5 - x) / reach, w = Math.sqrt(Math.max(0, 1 - u * u - v * v)), q = nearer(w), at = row * width + column;
          if (!(q > near[at])) continue;
          near[at] = q; this.owner[at] = owner; this.colours[at] = shade(u, v, w);
        }
      }
    }
    // Lines where one thing, or one face of it, ends before another.
    outline(ink) {
      const { width, height, owner, colours } = this;
      for (let row = height - 2; row >= 0; row--) for (let at = row * width, end = at + width - 1; at < end; at++) {
        const own = owner[at];
        if (own !== owner[at + 1] || own !== owner[at + width]) colours[at] = ink;
      }
    }
    // How many dots each body takes, by the number of its owner.
    counted() {
      const counts = new Map();
      for (const owner of this.owner) if (owner > 0) counts.set(owner >> 12, (counts.get(owner >> 12) || 0) + 1);
      return counts;
    }
  }

  // From where space is seen: axes to the right, up and to the eye, the point in the middle, and the distance of the eye; without end for a parallel view.
  class Eye {
    constructor([right, up, toward], middle, distance = Infinity) { Object.assign(this, { right, up, toward, middle, distance }); }
    // Where a point lies: to the right and up of the middle, m as long as it lies in its plane, and how near it is.
    see(p) {
      const way = plus(p, this.middle, -1), t = dot(way, this.toward), x = dot(way, this.right), y = dot(way, this.up);
      if (this.distance === Infinity) return [x, y, t];
      const grown = this.distance / Math.max(this.distance - t, 1e-3 * this.distance);
      return [x * grown, y * grown, grown];
    }
    // The nearness of what lies so much before a point.
    nearer(p, by) {
      const t = dot(plus(p, this.middle, -1), this.toward) + by;
      return this.distance === Infinity ? t : this.distance / Math.max(this.distance - t, 1e-3 * this.distance);
    }
    // How large a length looks at a point.
    grown(p) { return this.distance === Infinity ? 1 : this.see(p)[2]; }
    // Towards the eye from a point.
    way(p) { return this.distance === Infinity ? this.toward : unit(plus(plus(this.middle, this.toward, this.distance), p, -1)); }
    // Of a face what lies before the eye.
    before(points) {
      if (this.distance === Infinity) return points;
      const room = (p) => 0.98 * this.distance - dot(plus(p, this.middle, -1), this.toward), kept = [];
      points.forEach((p, k) => {
        const q = points[(k + 1) % points.length], a = room(p), b = room(q);
        if (a >= 0) kept.push(p);
        if ((a >= 0) !== (b >= 0)) kept.push(plus(p, plus(q, p, -1), a / (a - b)));
      });
      return kept;
    }
    turned(axis, angle) { return new Eye([this.right, this.up, this.toward].map((v) => about(axis, angle, v)), this.middle, this.distance); }
  }
