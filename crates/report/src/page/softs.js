  // Soft bodies in space.
  const nodesOf = ({ nodes: [first, count] }, places) => {
    const at = places.slice(first, first + count);
    return at.some((place) => !place) ? null : at.map((place) => place[2].at);
  };
  // Skins as faces of both sides.
  const paintSkin = (painter, soft, places, colour, owner) => {
    const at = nodesOf(soft, places);
    for (const piece of at ? soft.skin.filter((piece) => piece.length === 3) : []) {
      const points = piece.map((k) => at[k]), normal = unit(cross(plus(points[1], points[0], -1), plus(points[2], points[0], -1))), slant = dot(normal, painter.eye.way(points[0]));
      painter.fill(points, dotted(colour, 0.75 + 0.35 * Math.sign(slant) * dot(normal, painter.light), painter.haze(points[0])), owner + (slant > 0 ? 1 : 2), 1, 0);
    }
  };
  // Springs as lines by their strain, sticks dark, bare nodes as dots, those that are held as squares.
  const paintSprings = (painter, soft, places, colour) => {
    const at = nodesOf(soft, places), { picture } = painter, thread = 3e-3 * painter.hair;
    if (!at) return;
    const line = (a, b, ink) => { const ends = painter.shown([at[a], at[b]]); if (ends.length === 2) picture.line(ends[0], ends[1], 1.6, ink, 0, thread); };
    const square = (node, half, ink) => { const [dot] = painter.shown([at[node]]); if (dot) picture.face([[-half, -half], [half, -half], [half, half], [-half, half]].flatMap(([x, y]) => [dot[0] + x, dot[1] + y, dot[2]]), 4, ink, 0, 1, 2 * thread); };
    for (const [a, b, length] of soft.springs) {
      const long = Math.hypot(...plus(at[b], at[a], -1));
      line(a, b, dotted(strained(length > 0 ? Math.max(-1, Math.min(1, (long - length) / length / soft.most)) : 0), 1));
    }
    for (const [a, b] of soft.sticks || []) line(a, b, INK);
    if (soft.skin.length === 0) at.forEach((_, node) => square(node, 2, dotted(colour, 1)));
    for (const node of soft.held) square(node, 3.5, INK);
  };
