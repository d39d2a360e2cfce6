"use strict";
// What the scripts of a page share: trials are played back on canvases from data beside each canvas; nothing is fetched.
(() => {
  const NOWHERE = 65535, STEPS = 65000, TURN = 2 * Math.PI;
  const unpack = (text) => {
    const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
    return new Uint16Array(bytes.buffer);
  };

  const dot = (a, b) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  const plus = (a, b, times = 1) => [a[0] + times * b[0], a[1] + times * b[1], a[2] + times * b[2]];
  const cross = (a, b) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
  const unit = (a) => { const long = Math.hypot(...a); return long > 0 ? a.map((part) => part / long) : a; };
  // A vector turned by a quaternion w, x, y, z.
  const turned = ([w, ...axis], v) => { const twice = cross(axis, v).map((part) => 2 * part); return plus(plus(v, twice, w), cross(axis, twice)); };
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
  // A vector turned about a unit axis (Rodrigues).
  const about = (axis, angle, v) => {
    const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
    return plus(plus(v.map((part) => cos * part), cross(axis, v), sin), axis, (1 - cos) * dot(axis, v));
  };
  // A colour of six digits in its light, faded to the paper, as a dot of a picture.
  const PAPER = [0xfb, 0xfa, 0xf6], PARTS = new Map();
  const dotted = (colour, light, faded = 0) => {
    if (!PARTS.has(colour)) PARTS.set(colour, [1, 3, 5].map((k) => parseInt(colour.slice(k, k + 2), 16)));
    const parts = PARTS.get(colour), part = (n) => { const lit = Math.min(255, light * parts[n]); return Math.round(lit + faded * (PAPER[n] - lit)); };
    return (0xff000000 | part(2) << 16 | part(1) << 8 | part(0)) >>> 0;
  };
  // A colour of six digits with a share of another.
  const blended = (from, to, share) => `#${[1, 3, 5].map((k) => { const [a, b] = [from, to].map((colour) => parseInt(colour.slice(k, k + 2), 16)); return Math.round(a + share * (b - a)).toString(16).padStart(2, "0"); }).join("")}`;
  // A dot with another colour laid over it.
  const mixed = (under, over, opacity) => {
    let dot = 0xff000000;
    for (let k = 0; k < 24; k += 8) { const a = under >> k & 255; dot |= Math.round(a + opacity * ((over >> k & 255) - a)) << k; }
    return dot >>> 0;
  };
