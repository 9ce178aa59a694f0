// Tables of cells that are edited in place: arrows move, shift marks a range,
// typing changes a cell, and ranges are copied and pasted with a spreadsheet.
// Every change goes to the server, which answers with the page as it stands.
"use strict";
(() => {
  const all = (sel, at = document) => [...at.querySelectorAll(sel)];
  const cellAt = (el) => el?.closest?.("table[data-cells] td[data-col]");
  const rows = (table) => all("tbody tr", table).filter((r) => !r.hidden);
  const cells = (row) => all("td[data-col]", row);
  const place = (td) => { const list = rows(td.closest("table")); return [list.indexOf(td.parentElement), cells(td.parentElement).indexOf(td)]; };
  const at = (table, r, c) => cells(rows(table)[r] ?? document.createElement("tr"))[c];
  let anchor = null, again = null;

  // The range lies between the anchor and the cell that has the focus.
  const range = (td) => {
    const table = td.closest("table");
    const from = anchor?.closest("table") === table ? anchor : td;
    const [r1, c1] = place(from), [r2, c2] = place(td);
    const out = [];
    for (let r = Math.min(r1, r2); r <= Math.max(r1, r2); r++) out.push(cells(rows(table)[r]).slice(Math.min(c1, c2), Math.max(c1, c2) + 1));
    return out;
  };
  const paint = (td) => {
    for (const c of all("table[data-cells] td.sel")) c.classList.remove("sel");
    const marked = range(td).flat();
    if (marked.length > 1) for (const c of marked) c.classList.add("sel");
  };
  const go = (td, keep) => {
    if (!td) return;
    for (const c of all('td[data-col][tabindex="0"]', td.closest("table"))) c.tabIndex = -1;
    td.tabIndex = 0;
    if (!keep) anchor = td;
    td.focus();
    paint(td);
  };

  const send = (table, changes, focus) => {
    if (!changes.length) return;
    const values = { do: "cells", rev: document.getElementById("page").dataset.rev, table: table.dataset.cells, back: location.search,
      row: changes.map((c) => c[0].parentElement.dataset.id), col: changes.map((c) => c[0].dataset.col), value: changes.map((c) => c[1]) };
    again = { focus: focus?.id, anchor: anchor?.id };
    htmx.ajax("POST", table.dataset.post, { values, target: "#page", select: "#page", swap: "outerHTML show:none" });
  };
  document.addEventListener("htmx:afterSwap", () => {
    if (!again) return;
    const td = document.getElementById(again.focus);
    anchor = document.getElementById(again.anchor);
    again = null;
    if (td) go(td, true);
  });

  // A cell that was refused shows what was typed; this is what it holds.
  const held = (td) => td.dataset.was ?? td.textContent;
  const giveBack = (table) => {
    for (const td of all("td[data-was]", table)) { td.textContent = td.dataset.was; delete td.dataset.was; td.removeAttribute("aria-invalid"); td.removeAttribute("aria-describedby"); }
  };

  const edit = (td, first) => {
    const was = held(td), shown = td.textContent, input = document.createElement("input");
    let done = false;
    input.className = "editing";
    input.value = first ?? shown;
    input.setAttribute("aria-label", td.dataset.col);
    if (td.dataset.list) input.setAttribute("list", td.dataset.list);
    td.replaceChildren(input);
    const pick = td.dataset.col === "colour" && document.createElement("input"); // beside the text, for picking by eye
    if (pick) {
      pick.type = "color";
      pick.className = "picking";
      pick.value = /^#[0-9a-f]{6}$/i.test(was) ? was.toLowerCase() : "#7a7f87";
      pick.setAttribute("aria-label", "pick the colour");
      pick.addEventListener("input", () => { input.value = pick.value; });
      pick.addEventListener("change", () => { input.value = pick.value; end(true, 0, 0); });
      pick.addEventListener("blur", () => end(true, 0, 0));
      pick.addEventListener("keydown", (e) => { if (e.key === "Escape") end(false, 0, 0); e.stopPropagation(); });
      td.append(pick);
    }
    input.focus();
    if (first === undefined) input.select();
    const end = (keep, dr, dc) => {
      if (done) return;
      done = true;
      const value = input.value;
      td.textContent = keep && value !== was ? shown : was;
      if (!keep || value === was) { delete td.dataset.was; td.removeAttribute("aria-invalid"); }
      const [r, c] = place(td), next = at(td.closest("table"), r + dr, c + dc) ?? td;
      go(next);
      if (keep && value !== was) { td.textContent = value; send(td.closest("table"), [[td, value]], next); }
    };
    input.addEventListener("keydown", (e) => {
      if (e.key === "Enter") { e.preventDefault(); end(true, e.shiftKey ? -1 : 1, 0); }
      else if (e.key === "Tab" && pick && !e.shiftKey) { e.preventDefault(); pick.focus(); }
      else if (e.key === "Tab") { e.preventDefault(); end(true, 0, e.shiftKey ? -1 : 1); }
      else if (e.key === "Escape") { e.preventDefault(); end(false, 0, 0); }
      e.stopPropagation();
    });
    input.addEventListener("blur", (e) => { if (!pick || e.relatedTarget !== pick) end(true, 0, 0); });
  };

  document.addEventListener("keydown", (e) => {
    const td = cellAt(e.target);
    if (!td || e.target !== td) return;
    if (e.ctrlKey || e.metaKey) {
      const id = { z: "undo", y: "redo" }[e.key.toLowerCase()];
      const button = id && document.getElementById(e.shiftKey && id === "undo" ? "redo" : id);
      if (button && !button.disabled) { e.preventDefault(); again = { focus: td.id }; button.click(); }
      return;
    }
    if (e.altKey) {
      const button = { ArrowUp: "up-", ArrowDown: "down-" }[e.key] && document.getElementById(({ ArrowUp: "up-", ArrowDown: "down-" }[e.key]) + td.parentElement.dataset.id);
      if (button && !button.disabled) { e.preventDefault(); again = { focus: td.id, anchor: td.id }; button.click(); }
      return;
    }
    const table = td.closest("table"), [r, c] = place(td), last = cells(td.parentElement).length - 1;
    const to = { ArrowUp: [r - 1, c], ArrowDown: [r + 1, c], ArrowLeft: [r, c - 1], ArrowRight: [r, c + 1], Home: [r, 0], End: [r, last],
      PageUp: [Math.max(0, r - 15), c], PageDown: [Math.min(rows(table).length - 1, r + 15), c] }[e.key];
    if (to) go(at(table, ...to), e.shiftKey);
    else if (e.key === "Enter" || e.key === "F2") edit(td);
    else if (e.key === "Delete" || e.key === "Backspace") send(table, range(td).flat().filter((x) => (table.dataset.clears !== undefined ? !x.classList.contains("inh") : x.dataset.col !== "name") && x.textContent).map((x) => [x, ""]), td);
    else if (e.key === "Escape") { anchor = td; paint(td); giveBack(table); }
    else if (e.key.length === 1) { edit(td, ""); e.stopImmediatePropagation(); return; } // the key goes on into the cell
    else return;
    e.preventDefault();
    e.stopImmediatePropagation();
  }, true);

  document.addEventListener("mousedown", (e) => {
    const td = cellAt(e.target);
    if (!td || e.target.tagName === "INPUT" || e.button) return;
    e.preventDefault();
    go(td, e.shiftKey);
  });
  document.addEventListener("mouseover", (e) => { const td = cellAt(e.target); if (td && e.buttons === 1 && document.activeElement !== td && anchor?.closest("table") === td.closest("table")) go(td, true); });
  document.addEventListener("dblclick", (e) => { const td = cellAt(e.target); if (td && e.target === td) edit(td); });

  const clean = (s) => s.replace(/[\t\r\n]+/g, " ");
  document.addEventListener("copy", (e) => {
    const td = cellAt(document.activeElement);
    if (!td || document.activeElement !== td) return;
    e.preventDefault();
    e.clipboardData.setData("text/plain", range(td).map((row) => row.map((c) => clean(c.textContent)).join("\t")).join("\n"));
  });
  document.addEventListener("paste", (e) => {
    const td = cellAt(document.activeElement);
    if (!td || document.activeElement !== td) return;
    e.preventDefault();
    const lines = (e.clipboardData?.getData("text/plain") || "").replace(/\r?\n$/, "").split(/\r?\n/).map((l) => l.split("\t"));
    const marked = range(td), table = td.closest("table"), [r0, c0] = place(marked[0][0]);
    const one = lines.length === 1 && lines[0].length === 1;
    const changes = [];
    if (one) for (const c of marked.flat()) changes.push([c, lines[0][0]]);
    else lines.forEach((line, r) => line.forEach((value, c) => { const to = at(table, r0 + r, c0 + c); if (to) changes.push([to, value]); }));
    send(table, changes, td);
  });

  // A row is dragged among its neighbours: those with the same parent.
  let dragging = null;
  const over = (e) => { const row = e.target.closest?.("tr[data-parent]"); return row && dragging && row !== dragging && row.closest("table") === dragging.closest("table") ? row : null; };
  const may = (row) => row.dataset.parent === dragging.dataset.parent;
  document.addEventListener("dragstart", (e) => { const row = e.target.closest?.("[draggable]")?.closest("tr[data-parent]"); if (row) { dragging = row; e.dataTransfer.setData("text/plain", row.dataset.id); e.dataTransfer.effectAllowed = "move"; } });
  document.addEventListener("dragover", (e) => {
    const row = over(e);
    for (const r of all("tr.dropping")) r.classList.toggle("dropping", r === row);
    if (row && may(row)) { e.preventDefault(); row.classList.add("dropping"); }
  });
  document.addEventListener("dragend", () => { dragging = null; for (const r of all("tr.dropping")) r.classList.remove("dropping"); });
  document.addEventListener("drop", (e) => {
    const row = over(e);
    if (!row || !may(row)) return;
    e.preventDefault();
    // Dropped from above it goes behind, from below before.
    const list = rows(row.closest("table")).filter(may), down = list.indexOf(dragging) < list.indexOf(row);
    const before = down ? list[list.indexOf(row) + 1] : row;
    const table = row.closest("table");
    htmx.ajax("POST", table.dataset.post, { values: { do: "move", rev: document.getElementById("page").dataset.rev, back: location.search, role: dragging.dataset.id, before: before?.dataset.id ?? "" }, target: "#page", select: "#page", swap: "outerHTML show:none" });
  });
})();
