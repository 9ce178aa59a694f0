// The map: hover or focus lights one whole path and dims the rest. It is one stop of the Tab
// key; up and down go from feed to feed (or lane to lane), left and right along a path.
"use strict";
(() => {
  const { $, all } = HL;
  const map = () => $("#map");
  const paths = (n) => (n.dataset.paths || "").split(" ").filter(Boolean);
  const light = (el) => {
    const at = map();
    if (!at) return;
    const chosen = new Set(paths(el)),
      parts = all("[data-paths]", at);
    at.dataset.was ??= JSON.stringify(parts.flatMap((n, i) => (n.classList.contains("lit") ? [i] : [])));
    at.classList.toggle("has-lit", chosen.size > 0);
    for (const n of parts) n.classList.toggle("lit", n === el || paths(n).some((p) => chosen.has(p)));
  };
  const unlight = () => {
    const at = map();
    if (!at?.dataset.was) return;
    const was = new Set(JSON.parse(at.dataset.was));
    all("[data-paths]", at).forEach((n, i) => n.classList.toggle("lit", was.has(i)));
    at.classList.toggle("has-lit", was.size > 0);
  };
  for (const [on, off] of [
    ["mouseover", "mouseout"],
    ["focusin", "focusout"],
  ]) {
    document.addEventListener(on, (e) => {
      const n = e.target.closest?.("#map .node");
      if (n) light(n);
    });
    document.addEventListener(off, (e) => {
      if (e.target.closest?.("#map .node")) unlight();
    });
  }

  const columns = ["feed", "output", "lane", "bus"];
  const columnOf = (n) => columns.find((c) => n.classList.contains(c));
  const one = (n) => {
    for (const o of all('.node[tabindex="0"]', map())) o.setAttribute("tabindex", "-1");
    n.setAttribute("tabindex", "0");
  };
  const setUp = () => {
    if (!map()) return;
    const nodes = all(".node", map());
    for (const n of nodes) n.setAttribute("tabindex", "-1");
    const stop = $('.node[aria-current="true"]', map()) ?? nodes[0];
    if (stop) one(stop);
  };
  HL.after.push((fresh) => {
    if (fresh.some((n) => n.id === "map" || $("#map", n))) setUp();
  });
  document.addEventListener("DOMContentLoaded", setUp);

  const next = (n, key) => {
    const column = columnOf(n),
      list = all(`.node.${column}`, map()),
      i = list.indexOf(n);
    if (key === "ArrowUp" || key === "ArrowDown") return list[i + (key === "ArrowUp" ? -1 : 1)];
    if (key === "Home") return list[0];
    if (key === "End") return list.at(-1);
    const way = { ArrowLeft: -1, ArrowRight: 1 }[key],
      mine = new Set(paths(n));
    if (!way) return null;
    for (let c = columns.indexOf(column) + way; c >= 0 && c < columns.length; c += way) {
      const on = all(`.node.${columns[c]}`, map()).find((o) => paths(o).some((p) => mine.has(p)));
      if (on) return on;
    }
    return null;
  };
  document.addEventListener("keydown", (e) => {
    const n = e.target.closest?.("#map .node");
    if (!n || e.ctrlKey || e.metaKey || e.altKey || e.shiftKey) return;
    if (!["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight", "Home", "End"].includes(e.key)) return;
    e.preventDefault();
    const to = next(n, e.key);
    if (to) {
      one(to);
      to.focus();
    }
  });
  document.addEventListener("focusin", (e) => {
    const n = e.target.closest?.("#map .node");
    if (n) one(n);
  });
})();
