// Dragging, by mouse and by finger: lanes by their grips to another number or onto a bus, feeds on the
// map onto an output or a lane, lanes there onto a bus, points from output to output, instruments in
// their order, roles of the chart. What would happen is said before the drop; Escape cancels. Each has a
// way by keyboard: Alt and the arrow keys, the boxes of the panel, Enter on a point.
"use strict";
(() => {
  const { $, all, id } = HL;
  const far = 5; // pixels until a press is a drag
  let drag = null;

  const lanesOf = (row) => {
    const marked = all('#lanes [data-mark="keep"]:checked').map((m) => m.value);
    return marked.includes(row.dataset.id) ? marked : [row.dataset.id];
  };
  const nameOf = (row) => $("[data-col=name]", row)?.textContent.trim() ?? "";
  const numberOf = (row) => +($("[data-col=number] text", row) ?? $("[data-col=number]", row)).textContent.trim();
  const pathsOf = (n) => (n.dataset.paths || "").split(" ").filter(Boolean);

  // What can be dragged: each says what is dragged, and what would come of it over an element: what is
  // said, what is marked, and the change.
  const kinds = [
    {
      grip: "#lanes .grip",
      pick: (el) => {
        const row = el.closest("tr"),
          lanes = lanesOf(row),
          name = lanes.length > 1 ? `${lanes.length} lanes` : nameOf(row);
        const over = (to) => {
          const at = to?.closest("#lanes tbody tr");
          if (!at || lanes.includes(at.dataset.id)) return null;
          const post = at.closest("table").dataset.post;
          if (at.matches(".busrow") && !row.matches(".busrow"))
            return {
              el: at,
              says: `Route ${name} to ${nameOf(at)}`,
              post,
              fields: { do: "route", lane: lanes, to: at.dataset.id },
            };
          if (at.matches(".other")) return null;
          const n = numberOf(at);
          if (lanes.length > 1)
            return {
              el: at,
              says: `${name} → from lane ${n}`,
              post,
              fields: { do: "move-block", lane: lanes, "number-to": n },
            };
          const own = all("#lanes tbody tr:not(.other)").sort((a, b) => numberOf(a) - numberOf(b));
          const beside = own[own.indexOf(at) + (numberOf(row) < n ? -1 : 1)];
          const moves = beside ? `, ${nameOf(at)} moves to ${numberOf(beside)}` : "";
          const fields = { do: "cells", table: "lanes", row: [row.dataset.id], col: ["number"], value: [n] };
          return { el: at, says: `${name} → lane ${n}${moves}`, post, fields };
        };
        return { name, over };
      },
    },
    {
      grip: "#map .node.feed[data-feed]",
      pick: (el) => {
        const name = el.dataset.name;
        const over = (to) => {
          const lane = to?.closest("#map .node.lane");
          const outputs = all("#map .node.output[data-jack]").filter((o) => o.dataset.placed === el.dataset.placed);
          const on = (n) => new Set(pathsOf(n));
          // Those that the lane takes.
          const of = lane && outputs.filter((o) => pathsOf(o).some((p) => on(lane).has(p)));
          const at = lane ? of.length === 1 && of[0] : to?.closest("#map .node.output[data-jack]");
          if (!outputs.includes(at)) return null;
          const mine = on(at);
          const there = all("#map .node.feed").filter((f) => f !== el && pathsOf(f).some((p) => mine.has(p)));
          const beside = there.length ? `, beside ${there.map((f) => f.dataset.name).join(", ")}` : "";
          const fields = { do: "decide", feed: el.dataset.feed, to: at.dataset.jack };
          const where = `output ${at.dataset.jack}${lane ? `, lane ${lane.dataset.name}` : ""}`;
          return { el: lane ?? at, says: `${name} → ${where}${beside}`, post: $("#map").dataset.post, fields };
        };
        return { name, over };
      },
    },
    {
      grip: "#map .node.lane[data-lane]",
      pick: (el) => {
        const name = el.dataset.name;
        const over = (to) => {
          const at = to?.closest("#map .node.bus[data-lane]");
          if (!at) return null;
          const fields = { do: "route", lane: el.dataset.lane, to: at.dataset.lane };
          return { el: at, says: `Route ${name} to ${at.dataset.name}`, post: $("#map").dataset.post, fields };
        };
        return { name, over };
      },
    },
    {
      grip: ".line[data-instrument] .grip",
      pick: (el) => {
        const line = el.closest(".line"),
          name = line.dataset.name;
        const over = (to) => {
          const at = to?.closest(".line[data-instrument]");
          if (!at || at === line) return null;
          const fields = { do: "instrument-to", placed: line.dataset.instrument, to: at.dataset.instrument };
          return { el: at, says: `${name} → the place of ${at.dataset.name}`, post: line.dataset.post, fields };
        };
        return { name, over };
      },
    },
    {
      grip: ".rolestep .grip, .house .rolestep", // among those with the same parent
      pick: (el) => {
        const row = el.closest("tr");
        const list = all(`tr[data-parent="${row.dataset.parent}"]`, row.closest("tbody"));
        const over = (to) => {
          const at = to?.closest("tr[data-parent]");
          if (!list.includes(at) || at === row) return null;
          // Dropped from above it goes behind, from below before.
          const behind = list.indexOf(row) < list.indexOf(at);
          const before = behind ? list[list.indexOf(at) + 1] : at;
          const says = `${row.dataset.name} → ${behind ? "behind" : "before"} ${at.dataset.name}`;
          const fields = { do: "move", role: row.dataset.id, before: before?.dataset.id ?? "" };
          return { el: at, says, post: row.closest("table").dataset.post, fields };
        };
        return { name: row.dataset.name, over };
      },
    },
    {
      grip: "button.x.on",
      pick: (el) => {
        const row = el.closest("tr"),
          name = $("th", row).textContent.trim(),
          [feed] = el.value.split("|");
        const over = (to) => {
          const at = to?.closest("button.x") ?? $("button.x", to?.closest("td.pt") ?? document.createElement("i"));
          if (!at || at === el || at.closest("tr") !== row) return null;
          const jack = at.value.split("|")[1];
          const post = row.closest("table").dataset.post;
          return { el: at, says: `${name} → output ${jack}`, post, fields: { do: "decide", feed, to: jack } };
        };
        return { name, over };
      },
    },
  ];
  const sourceOf = (el) => {
    for (const k of kinds) {
      const grip = el?.closest?.(k.grip);
      if (grip) return { grip, k };
    }
    return null;
  };

  const hint = () => {
    if (id("draghint")) return id("draghint");
    const box = document.createElement("div");
    box.id = "draghint";
    box.setAttribute("role", "status");
    document.body.append(box);
    return box;
  };
  const end = () => {
    drag?.to?.el.classList.remove("dropping");
    id("draghint")?.remove();
    document.documentElement.classList.remove("dragging");
    drag = null;
  };
  document.addEventListener("pointerdown", (e) => {
    const s = e.button === 0 && !drag && sourceOf(e.target);
    if (!s || (e.pointerType !== "mouse" && !s.grip.matches(".grip"))) return;
    drag = { x: e.clientX, y: e.clientY, ...s, began: false };
  });
  document.addEventListener("pointermove", (e) => {
    if (!drag) return;
    if (!drag.began) {
      if (Math.hypot(e.clientX - drag.x, e.clientY - drag.y) < far) return;
      Object.assign(drag, drag.k.pick(drag.grip), { began: true });
      document.documentElement.classList.add("dragging");
      getSelection()?.removeAllRanges();
    }
    const edge = e.clientY < 70 ? -14 : e.clientY > innerHeight - 70 ? 14 : 0;
    if (edge) scrollBy(0, edge);
    const to = drag.over(document.elementFromPoint(e.clientX, e.clientY));
    if (drag.to?.el !== to?.el) drag.to?.el.classList.remove("dropping");
    drag.to = to;
    to?.el.classList.add("dropping");
    const box = hint();
    box.textContent = to ? to.says : drag.name;
    box.style.left = `${Math.min(e.clientX + 14, innerWidth - box.offsetWidth - 8)}px`;
    box.style.top = `${Math.min(e.clientY + 18, innerHeight - box.offsetHeight - 8)}px`;
  });
  // A press that was a drag is no click besides.
  let swallow = false;
  document.addEventListener("pointerup", () => {
    if (!drag) return;
    const { began, to } = drag;
    end();
    if (!began) return;
    swallow = true;
    setTimeout(() => {
      swallow = false;
    }, 0);
    if (to) HL.change(to.post, to.fields);
  });
  document.addEventListener(
    "click",
    (e) => {
      if (!swallow) return;
      swallow = false;
      e.preventDefault();
      e.stopImmediatePropagation();
    },
    true,
  );
  document.addEventListener("pointercancel", end);
  document.addEventListener(
    "keydown",
    (e) => {
      if (e.key !== "Escape" || !drag?.began) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      end();
      swallow = true; // the button is let go later
      addEventListener("pointerup", () => setTimeout(() => (swallow = false), 0), { once: true, capture: true });
      HL.say("Cancelled.");
    },
    true,
  );
  document.addEventListener("dragstart", (e) => {
    if (sourceOf(e.target)) e.preventDefault(); // links of the map are no files to be dragged out
  });
})();
