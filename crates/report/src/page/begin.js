  // What stands on the page: which trials are played at once, and links to trials and moments.
  const players = new Map();
  const begin = (figure) => { if (!players.has(figure)) players.set(figure, figure.querySelector("[data-do=side]") ? new SolidPlayer(figure) : new Player(figure)); return players.get(figure); };
  // Some at once, the rest when they come into view: a long page opens at once.
  [...document.querySelectorAll("details[open] figure.replay")].slice(0, 6).forEach(begin);
  const watch = new IntersectionObserver((seen) => seen.filter((one) => one.isIntersecting).forEach((one) => begin(one.target)));
  document.querySelectorAll("figure.replay").forEach((figure) => watch.observe(figure));
  document.querySelectorAll("details").forEach((one) => one.addEventListener("toggle", () => { if (one.open) one.querySelectorAll("figure.replay").forEach(begin); }));
  window.addEventListener("resize", () => players.forEach((player) => player.draw()));
  window.addEventListener("beforeprint", () => document.querySelectorAll("details[open] figure.replay").forEach(begin));
  // A link opens its trial, shows its moment (`t`, s) and looks from its side (`view`, or `from`, `to` and `zoom`): `#trial-3&t=3.2&view=corner`, without
  // the trial the first that is open.
  const open = () => {
    const words = location.hash.slice(1).split("&").map((word) => decodeURIComponent(word)), values = Object.fromEntries(words.filter((word) => word.includes("=")).map((word) => [word.slice(0, word.indexOf("=")), word.slice(word.indexOf("=") + 1)]));
    const named = words.find((word) => word && !word.includes("=")), target = named ? document.getElementById(named) : null;
    if (target instanceof HTMLDetailsElement) { target.open = true; target.scrollIntoView(); }
    if (Object.keys(values).length === 0) return;
    const figure = target ? target.querySelector("figure.replay") : document.querySelector("details[open] figure.replay") || document.querySelector("figure.replay");
    if (!figure) return;
    const around = figure.closest("details");
    if (around) around.open = true;
    begin(figure).goto(values);
    if (!target) figure.scrollIntoView({ block: "center" });
  };
  window.addEventListener("hashchange", open);
  open();
})();
