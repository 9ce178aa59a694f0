// Tables that are worked in like a spreadsheet. One is a single stop of the Tab key; arrows
// move from cell to cell, Shift marks a range, typing changes a cell, and ranges are copied
// and pasted. A cell may hold a button, a link or a box instead of text. Of a long table the
// page holds a window; arrows, copying and pasting go beyond it by the server's index.
"use strict";
(() => {
  const { $, all, id } = HL;
  const cellAt = (el) => el?.closest?.("table[data-grid] :is(td, th)[data-col]");
  const inside = (cell) => $("a[href], button, input:not(.editing, .picking), select", cell);
  const target = (cell) => inside(cell) ?? cell;
  const rows = (table) => [...(table.tBodies[0]?.rows ?? [])];
  const cells = (row) => all("[data-col]", row);
  const first = (table) => +(table.dataset.from ?? 0); // what stands in the first row, counted from 0
  // One to work in, above row 0.
  const headRow = (table) => [...(table.tHead?.rows ?? [])].find((r) => $("td[data-col]", r));
  const place = (cell) => {
    const table = cell.closest("table"),
      row = cell.parentElement;
    return [row === headRow(table) ? -1 - first(table) : rows(table).indexOf(row), cells(row).indexOf(cell)];
  };
  const at = (table, r, c) => {
    const row = r + first(table) === -1 ? headRow(table) : rows(table)[r];
    return row && cells(row)[Math.max(0, Math.min(c, cells(row).length - 1))];
  };
  let anchor = null; // { table, row, col }: where a range began, by the row's place in the whole table

  const setUp = (table, part = table) => {
    // part is what of it is new
    if (part === table) table.setAttribute("role", "grid");
    for (const cell of all("[data-col]", part))
      if (!cell.hasAttribute("tabindex") && !inside(cell)) cell.tabIndex = -1;
    for (const el of all("[data-col] :is(a[href], button, input, select)", part))
      if (el.tabIndex !== 0 || !el.hasAttribute("tabindex")) el.tabIndex = -1;
    if ($('[data-col][tabindex="0"], [data-col] [tabindex="0"]', table)) return;
    const cell = at(table, 0, 0);
    if (cell) target(cell).tabIndex = 0;
  };
  const setUpAll = () => all("table[data-grid]").forEach((t) => setUp(t));
  HL.after.push((fresh) => {
    for (const n of fresh) {
      const table = n.closest("table[data-grid]");
      if (table) setUp(table, n);
      else for (const t of all("table[data-grid]", n)) setUp(t);
    }
    arrive();
  });
  document.addEventListener("DOMContentLoaded", setUpAll);

  // The range lies between the anchor and the cell that has the focus.
  const range = (cell) => {
    const table = cell.closest("table"),
      [r, c] = place(cell),
      row = r + first(table);
    const from = anchor?.table === table.id ? anchor : { row, col: c };
    return {
      top: Math.min(from.row, row),
      bottom: Math.max(from.row, row),
      left: Math.min(from.col, c),
      right: Math.max(from.col, c),
    };
  };
  const inRange = (cell) => {
    const table = cell.closest("table"),
      g = range(cell),
      out = [];
    rows(table).forEach((row, i) => {
      const r = i + first(table);
      if (r >= g.top && r <= g.bottom) out.push(cells(row).slice(g.left, g.right + 1));
    });
    return out;
  };
  const paint = (cell) => {
    for (const c of all("table[data-grid] [data-col][aria-selected]")) c.removeAttribute("aria-selected");
    const marked = inRange(cell).flat(),
      g = range(cell);
    if (marked.length > 1) for (const c of marked) c.setAttribute("aria-selected", "true");
    if (g.bottom > g.top || g.right > g.left)
      HL.say(`${g.bottom - g.top + 1} by ${g.right - g.left + 1} cells selected`);
  };
  const go = (cell, keep) => {
    if (!cell) return;
    const table = cell.closest("table"),
      to = target(cell);
    for (const c of all('[data-col][tabindex="0"], [data-col] [tabindex="0"]', table)) c.tabIndex = -1;
    to.tabIndex = 0;
    if (!keep) {
      const [r, c] = place(cell);
      anchor = { table: table.id, row: r + first(table), col: c };
    }
    to.focus();
    paint(cell);
  };

  // What gets the focus otherwise is where a range begins, and where Tab comes back to.
  document.addEventListener("focusin", (e) => {
    const cell = cellAt(e.target);
    if (!cell || e.target !== target(cell) || e.target.tabIndex === 0) return;
    const table = cell.closest("table"),
      [r, c] = place(cell);
    for (const el of all('[data-col][tabindex="0"], [data-col] [tabindex="0"]', table)) el.tabIndex = -1;
    e.target.tabIndex = 0;
    anchor = { table: table.id, row: r + first(table), col: c };
  });

  // Beyond the window: the row is fetched with those around it.
  let arriving = null;
  const arrive = () => {
    if (!arriving) return;
    const { table, row, col, keep } = arriving,
      t = id(table);
    arriving = null;
    const cell = t && at(t, Math.max(0, Math.min(row - first(t), rows(t).length - 1)), col);
    if (cell) go(cell, keep);
  };
  const goTo = (table, row, col, keep) => {
    // row by its place in the whole table
    const of = +(table.dataset.of ?? rows(table).length),
      r = row - first(table);
    if (row === -1 && headRow(table)) {
      go(at(table, r, col), keep);
      return;
    }
    if (row < 0 || row >= of) return;
    if (r >= 0 && r < rows(table).length) {
      go(at(table, r, col), keep);
      return;
    }
    const size = +table.dataset.size,
      url = new URL(location);
    url.searchParams.set(table.dataset.fromName, Math.floor(row / size) * size);
    arriving = { table: table.id, row, col, keep };
    HL.visit(url.pathname + url.search);
  };

  // The whole table, as the server has it: ids of its rows and the texts of its cells.
  const index = async (table) => {
    const url = new URL(location);
    url.searchParams.set("index", table.id);
    return (await fetch(url)).json();
  };

  const post = (table, fields, back, still) => HL.change(table.dataset.post, fields, { focus: back, still });
  const cellOf = (table, row, col) => {
    const line = rows(id(table.id) ?? table).find((r) => r.dataset.id === row);
    return line && cells(line).find((c) => columnOf(c) === col);
  };
  // What was typed into a cell that shows something else by now is not sent: both are shown.
  const asSeen = (table, changes) => () =>
    changes.every(([row, col, value, saw]) => {
      const cell = saw === undefined ? null : cellOf(table, row, col);
      if (!cell || cell.dataset.typed === saw || cell.works) return true;
      const now = text(cell);
      if (now === saw || now === value) return true;
      cell.dataset.was = now;
      cell.textContent = value;
      HL.refuse(cell, "flash");
      HL.warn(
        `Changed in another window: what was “${saw}” is “${now}” now, and “${value}” was typed. ` +
          "Enter in the cell saves what was typed, Escape keeps what is there.",
      );
      return false;
    });
  const send = (table, changes, back) => {
    if (!changes.length) return;
    const name = table.dataset.cells;
    post(
      table,
      {
        do: "cells",
        table: name,
        row: changes.map((c) => c[0]),
        col: changes.map((c) => c[1]),
        value: changes.map((c) => c[2]),
      },
      back,
      asSeen(table, changes),
    ).then((ok) => {
      for (const [row, col] of changes) {
        const cell = cellOf(table, row, col);
        if (!cell) continue;
        if (ok) HL.draftCell(cell, null);
        if (cell.dataset.typed === undefined) continue;
        if (ok) cell.textContent = cell.dataset.typed; // what the server left as it was shows that again
        else {
          // what was not saved stays as it was typed
          cell.dataset.was ??= cell.dataset.typed;
          HL.refuse(cell, "flash");
        }
        delete cell.dataset.typed;
      }
    });
  };
  const backTo = (cell) => {
    const name = cell.id;
    return () => {
      const c = name && id(name);
      if (c) {
        go(c, true);
        return null;
      }
      return null;
    };
  };
  const rowOf = (cell) => cell.parentElement.dataset.id;
  const columnOf = (cell) => cell.dataset.col;
  const typeOf = (cell) =>
    cell.closest("table").querySelector(`thead [data-column="${CSS.escape(columnOf(cell))}"]`)?.dataset ?? {};
  const editable = (cell) =>
    cell.closest("table").dataset.cells !== undefined && !inside(cell) && !cell.hasAttribute("data-fixed");

  // A cell that was refused shows what was typed, and says where the reason stands; data-was is what it
  // holds, and what it shows again when that is given back.
  HL.refuse = (cell, why) => {
    cell.setAttribute("aria-invalid", "true");
    cell.setAttribute("aria-describedby", why);
  };
  HL.giveBack = (cell) => {
    if (cell.dataset.was !== undefined) cell.textContent = cell.dataset.was;
    for (const name of ["data-was", "aria-invalid", "aria-describedby"]) cell.removeAttribute(name);
  };
  const text = (cell) => (cell.dataset.text ?? cell.textContent).trim();
  const held = (cell) => cell.dataset.was ?? text(cell);
  const giveBack = (table) => {
    for (const c of all("[data-was]", table)) {
      HL.draftCell(c, null);
      HL.giveBack(c);
    }
  };

  // typed is what is typed already, with the caret at its end or what is selected of it.
  const edit = (cell, typed, selected) => {
    const table = cell.closest("table");
    const saw = cell.dataset.typed === undefined && cell.dataset.was === undefined ? held(cell) : undefined;
    let was = held(cell),
      kept = [...cell.childNodes];
    const shown = cell.dataset.was === undefined ? was : cell.textContent.trim(),
      kind = typeOf(cell),
      input = document.createElement("input");
    let done = false;
    input.className = "editing";
    input.setAttribute("aria-label", cell.dataset.label ?? kind.label ?? columnOf(cell));
    const list = cell.dataset.list ?? kind.list;
    if (list) input.setAttribute("list", list);
    // A list offers all it has only to an empty field.
    if (list && typed === undefined) input.placeholder = shown;
    else input.value = typed ?? shown;
    // What the cell holds keeps its place, so that no column and no row changes under the pointer.
    const ghost = document.createElement("span");
    ghost.className = "ghost";
    ghost.append(...kept);
    cell.replaceChildren(ghost, input);
    const pick = kind.kind === "colour" && document.createElement("input"); // beside the text, for picking by eye
    if (pick) {
      pick.type = "color";
      pick.className = "picking";
      pick.value = /^#[0-9a-f]{6}$/i.test(was) ? was.toLowerCase() : "#7a7f87";
      pick.setAttribute("aria-label", "Pick the colour");
      pick.addEventListener("input", () => {
        input.value = pick.value;
      });
      pick.addEventListener("change", () => {
        input.value = pick.value;
        end(true, 0, 0);
      });
      pick.addEventListener("blur", () => end(true, 0, 0, true));
      pick.addEventListener("keydown", (e) => {
        if (e.key === "Escape") end(false, 0, 0);
        e.stopPropagation();
      });
      cell.append(pick);
    }
    input.focus();
    if (typed === undefined) input.select();
    else if (selected) input.setSelectionRange(...selected);
    cell.dataset.works = "";
    cell.works = {
      fresh: (now) => {
        // another value is there, and what is typed stays
        was = held(now);
        kept = [...now.childNodes];
        ghost.replaceChildren(...kept);
      },
      gone: () => {
        done = true;
        const untouched = typed === undefined && (list ? input.value === "" : input.value === shown);
        if (!untouched) HL.warn(`That row is no longer here. What was typed into it: “${input.value}”.`);
      },
    };
    if (list && typed === undefined)
      try {
        input.showPicker?.();
      } catch {
        /* only where a person pressed */
      }
    const end = (keep, dr, dc, left) => {
      if (done) return;
      done = true;
      delete cell.works;
      delete cell.dataset.works;
      const empty = input.value === "" && input.placeholder !== "",
        value = empty ? shown : input.value;
      const [r, c] = place(cell),
        changed = keep && value !== was;
      if (!changed) HL.draftCell(cell, null);
      cell.replaceChildren(...kept);
      if (!keep || value === was) {
        if (cell.dataset.was !== undefined) cell.textContent = was;
        delete cell.dataset.was;
        cell.removeAttribute("aria-invalid");
        cell.removeAttribute("aria-describedby");
      }
      if (changed) {
        if (cell.dataset.typed === undefined && !cell.firstElementChild) cell.dataset.typed = was;
        if (!cell.firstElementChild) cell.textContent = value;
      }
      const next = left ? null : at(table, r + dr, c + dc); // who has left is somewhere else already
      if (next) go(next);
      else if (!left) goTo(table, first(table) + r + dr, c, false);
      if (changed)
        send(table, [[rowOf(cell), columnOf(cell), value, saw]], left ? undefined : backTo(next ?? cell));
    };
    input.addEventListener("keydown", (e) => {
      if (e.key === "Enter") {
        e.preventDefault();
        end(true, e.shiftKey ? -1 : 1, 0);
      } else if (e.key === "Tab" && pick && !e.shiftKey) {
        e.preventDefault();
        pick.focus();
      } else if (e.key === "Tab") {
        e.preventDefault();
        end(true, 0, e.shiftKey ? -1 : 1);
      } else if (e.key === "Escape") {
        e.preventDefault();
        end(false, 0, 0);
      }
      e.stopPropagation();
    });
    input.addEventListener("blur", (e) => {
      if (!pick || e.relatedTarget !== pick) end(true, 0, 0, true);
    });
  };

  document.addEventListener(
    "keydown",
    (e) => {
      const cell = cellAt(e.target);
      if (!cell || e.target !== target(cell)) return;
      const table = cell.closest("table");
      const [r, c] = place(cell),
        row = r + first(table),
        of = +(table.dataset.of ?? rows(table).length),
        last = cells(cell.parentElement).length - 1;
      const stop = () => {
        e.preventDefault();
        e.stopImmediatePropagation();
      };
      if (e.ctrlKey || e.metaKey) {
        const to = { Home: [0, 0], End: [of - 1, last] }[e.key];
        if (to) {
          stop();
          goTo(table, ...to, e.shiftKey);
          return;
        }
        if (e.key === "a") {
          stop();
          anchor = { table: table.id, row: 0, col: 0 };
          goTo(table, of - 1, last, true);
          return;
        }
        const name = { z: "undo", y: "redo" }[e.key.toLowerCase()];
        const button = name && id(e.shiftKey && name === "undo" ? "redo" : name);
        if (button && !button.disabled) {
          stop();
          button.form.requestSubmit(button);
        }
        return;
      }
      if (e.altKey) {
        const way = { ArrowUp: "up-", ArrowDown: "down-" }[e.key];
        const button = way && (id(way + rowOf(cell)) ?? withSelection(way, cell));
        if (button && !button.disabled) {
          stop();
          button.form.requestSubmit(button);
        }
        return;
      }
      const to = {
        ArrowUp: [row - 1, c],
        ArrowDown: [row + 1, c],
        PageUp: [Math.max(0, row - 15), c],
        PageDown: [Math.min(of - 1, row + 15), c],
      }[e.key];
      const along = { ArrowLeft: c - 1, ArrowRight: c + 1, Home: 0, End: last }[e.key];
      if (to) {
        stop();
        goTo(table, ...to, e.shiftKey);
        return;
      }
      if (along !== undefined) {
        stop();
        if (along >= 0 && along <= last) go(at(table, r, along), e.shiftKey);
        else columnsOn(table, row, along < 0 ? -1 : 1);
        return;
      }
      const field = inside(cell);
      if (field?.matches("input:not([type=checkbox])") && e.key === "Enter") {
        stop();
        field.blur();
        field.focus();
        return;
      } // leaving it saves
      if (cell.classList.contains("pt")) return; // crosspoints have keys of their own
      if (e.key === "Escape") {
        anchor = { table: table.id, row, col: c };
        paint(cell);
        giveBack(table);
        return;
      }
      if (!editable(cell)) return;
      if (e.key === "Enter" || e.key === "F2") {
        stop();
        edit(cell);
      } else if (e.key === "Delete" || e.key === "Backspace") {
        stop();
        const clears = (x) =>
          editable(x) &&
          text(x) &&
          (table.dataset.clears !== undefined ? !x.classList.contains("inh") : x.dataset.col !== "name");
        send(
          table,
          inRange(cell)
            .flat()
            .filter(clears)
            .map((x) => [rowOf(x), columnOf(x), ""]),
          backTo(cell),
        );
      } else if (e.key.length === 1) {
        edit(cell, "");
        e.stopImmediatePropagation();
      } // the key goes on into the cell
    },
    true,
  );

  // A wide table holds a window of its columns too.
  const columnsOn = (table, row, way) => {
    const link = $(`#${CSS.escape(table.id)}-columns a[rel=${way < 0 ? "prev" : "next"}]`);
    if (!link) return;
    arriving = { table: table.id, row, col: way < 0 ? 1e6 : 0, keep: false };
    HL.visit(link.getAttribute("href"));
  };

  let pressed = [0, 0]; // where: cells that come under a pointer that rests are not dragged over
  document.addEventListener("mousedown", (e) => {
    const cell = cellAt(e.target);
    if (!cell || e.button || inside(cell) || e.target.closest("input")) return;
    e.preventDefault();
    pressed = [e.clientX, e.clientY];
    go(cell, e.shiftKey);
  });
  document.addEventListener("mouseover", (e) => {
    const cell = cellAt(e.target);
    if (
      cell &&
      e.buttons === 1 &&
      Math.hypot(e.clientX - pressed[0], e.clientY - pressed[1]) > 3 &&
      !inside(cell) &&
      document.activeElement !== cell &&
      cellAt(document.activeElement) &&
      anchor?.table === cell.closest("table").id
    )
      go(cell, true);
  });
  document.addEventListener("dblclick", (e) => {
    const cell = cellAt(e.target);
    if (cell && editable(cell) && !e.target.closest("input")) edit(cell);
  });

  const clean = (s) => s.replace(/[\t\r\n]+/g, " ");
  const lines = (list) => list.map((row) => row.map(clean).join("\t")).join("\n");
  document.addEventListener("copy", (e) => {
    const cell = cellAt(document.activeElement);
    if (!cell || document.activeElement !== target(cell)) return;
    const table = cell.closest("table"),
      g = range(cell);
    e.preventDefault();
    if (g.top >= first(table) && g.bottom < first(table) + rows(table).length) {
      e.clipboardData.setData("text/plain", lines(inRange(cell).map((row) => row.map(text))));
      return;
    }
    index(table).then((whole) => {
      const keys = cells(cell.parentElement)
        .slice(g.left, g.right + 1)
        .map(columnOf);
      const picked = whole.rows
        .slice(g.top, g.bottom + 1)
        .map((row) => keys.map((k) => row[whole.columns.indexOf(k)] ?? ""));
      navigator.clipboard.writeText(lines(picked)).then(() => HL.say(`${picked.length} rows copied`));
    });
  });
  document.addEventListener("paste", async (e) => {
    const cell = cellAt(document.activeElement);
    if (!cell || document.activeElement !== target(cell)) return;
    const table = cell.closest("table");
    if (table.dataset.cells === undefined) return;
    e.preventDefault();
    const typed = (e.clipboardData?.getData("text/plain") || "")
      .replace(/\r?\n$/, "")
      .split(/\r?\n/)
      .map((l) => l.split("\t"));
    const g = range(cell),
      one = typed.length === 1 && typed[0].length === 1;
    const keys = cells(cell.parentElement).map((x) =>
      x.hasAttribute("data-fixed") || inside(x) ? null : columnOf(x),
    );
    const room = +(table.dataset.of ?? rows(table).length) - g.top;
    if (!one && typed.length > room) {
      HL.warn(
        `${typed.length} rows were pasted, and there are ${room} from here down. ` +
          "Nothing was changed; start higher up or copy fewer.",
      );
      return;
    }
    const bottom = one ? g.bottom : Math.min(g.top + typed.length - 1, +(table.dataset.of ?? 1e9) - 1),
      changes = [];
    const beyond = bottom >= first(table) + rows(table).length || g.top < first(table);
    const ids = beyond ? (await index(table)).ids : rows(table).map((row) => row.dataset.id),
      from = beyond ? 0 : first(table);
    for (let r = g.top; r <= bottom; r++) {
      const row = ids[r - from];
      const values = one ? keys.slice(g.left, g.right + 1).map(() => typed[0][0]) : typed[r - g.top];
      values.forEach((value, i) => {
        if (row && keys[g.left + i]) changes.push([row, keys[g.left + i], value]);
      });
    }
    send(table, changes, backTo(cell));
  });

  // Of a form with many fields the one that changed is sent alone.
  document.addEventListener("change", (e) => {
    const el = e.target;
    if (el.dataset?.auto !== "one") return;
    const fields = Object.fromEntries(
      [...new FormData(el.form)].filter(([name]) => ["rev", "back", "do"].includes(name)),
    );
    const sent = new Map([[el, el.value]]);
    HL.post(el.form.action, { ...fields, [el.name]: el.value }, { from: el, fields: [el], sent });
  });

  // A frame takes the focus where it scrolls, and else is not a stop on the way.
  const frames = () => {
    for (const f of all(".tablewrap, .gridwrap, .mapwrap, .portwrap, .ladderscroll, [role=region].wide"))
      f.tabIndex = f.scrollWidth > f.clientWidth + 1 || f.scrollHeight > f.clientHeight + 1 ? 0 : -1;
  };
  HL.after.push(() => requestAnimationFrame(frames));
  addEventListener("resize", frames);
  addEventListener("load", frames);

  // Selected rows: all that are found, a family, and Shift for a range. Those of a table that is worked on
  // with its selection stay selected when their rows are answered, when the page shows another part of
  // the list, and when a search does not find them; the form that works on them sends them all.
  let lastMark = null;
  const kept = new Map(); // what is selected: what it is called, by value
  let sends = {}; // the form that works on what is selected, and the name that it is sent by
  const marksOf = (scope) => all("[data-mark]:not(:disabled)", scope).filter((m) => !m.closest("[hidden]"));
  const few = (names) =>
    names.length > 12 ? `${names.slice(0, 10).join(", ")} and ${names.length - 10} more` : names.join(", ");
  HL.selectNone = () => {
    kept.clear();
    const marks = all('[data-mark="keep"], [data-mark-all]');
    for (const m of marks) m.checked = false;
    count(all('[data-mark="keep"]'));
  };
  const nameOf = (m) => (m.getAttribute("aria-label") ?? "").replace(/^Select /, "");
  const count = (marks, quiet) => {
    for (const m of marks) {
      if (m.dataset.mark !== "keep") continue;
      sends = { form: m.getAttribute("form"), name: m.name };
      m.checked ? kept.set(m.value, nameOf(m)) : kept.delete(m.value);
    }
    const keeps = marks.some((m) => m.dataset.mark === "keep") || kept.size > 0;
    const n = keeps ? kept.size : marks.filter((m) => m.checked).length;
    if (!quiet) HL.say(n === 1 ? "1 selected" : `${n} selected`);
    for (const out of all("[data-selected]", document)) {
      const here = new Set(all('[data-mark="keep"]').map((m) => m.value));
      const away = keeps ? [...kept].filter(([value]) => !here.has(value)).map(([, name]) => name) : [];
      const [one, many] = out.dataset.selected.split(" ");
      out.textContent = n ? [n, n === 1 ? one : many, "selected"].filter(Boolean).join(" ") : "";
      const rest = $(".away", out.closest("form") ?? document);
      if (rest) rest.textContent = away.length ? `${away.length} not on this page: ${few(away)}` : "";
    }
    for (const form of all("form.many")) form.toggleAttribute("data-some", n > 0);
  };
  // Rows that were on this very page and are no more, of a list that is shorter now, are gone.
  let before = { at: "", of: 0, rows: [] };
  const seen = () => {
    const marks = all('[data-mark="keep"]'),
      at = location.pathname + location.search;
    const of = +(marks[0]?.closest("table")?.dataset.of ?? 0),
      rows = marks.map((m) => m.value);
    if (before.at.split("?")[0] !== location.pathname) kept.clear();
    else if (before.at === at && of < before.of)
      for (const row of before.rows) if (!rows.includes(row)) kept.delete(row);
    before = { at, of, rows };
    return marks;
  };
  HL.after.push((fresh) => {
    const marks = seen();
    for (const m of marks) m.checked ||= kept.has(m.value) && fresh.some((el) => el.contains(m));
    count(marks, true);
  });
  document.addEventListener("DOMContentLoaded", () => count(seen(), true));
  // What is selected and not on the page goes along, after what is.
  HL.along.push((form, data) => {
    if (form.id !== sends.form) return;
    const here = all('[data-mark="keep"]').map((m) => m.value);
    for (const value of kept.keys()) if (!here.includes(value)) data.append(sends.name, value);
  });
  // The keys that move a row move the selected ones, or the one that they are pressed in.
  const withSelection = (way, cell) => {
    const button = id(way + "selected");
    const mark = $('[data-mark="keep"]', cell.parentElement);
    if (!button || !mark) return null;
    const marks = marksOf($("main"));
    if (!marks.some((m) => m.checked)) {
      mark.checked = true;
      count(marks, true);
    }
    return button;
  };
  // Rows are selected or not where which says so of their groups, and whether they stay out where all are
  // selected; of those on other parts of the list the server tells.
  const selectIn = (table, which, on) => {
    const marks = marksOf(table);
    const put = (value, name) => (on ? kept.set(value, name) : kept.delete(value));
    const done = () => {
      for (const m of marksOf(id(table.id))) m.checked = kept.has(m.value);
      count(marksOf(id(table.id)));
    };
    if (+table.dataset.of <= rows(table).length) {
      for (const m of marks)
        if (which((m.dataset.family ?? "").split(" "), m.dataset.aside !== undefined)) put(m.value, nameOf(m));
      done();
      return;
    }
    HL.wait(
      index(table).then((whole) => {
        const named = whole.columns.indexOf("name");
        whole.ids.forEach((row, i) => {
          if (which(whole.groups[i].split(" "), whole.aside[i])) put(row, whole.rows[i][named] ?? row);
        });
        done();
      }),
    );
  };
  document.addEventListener("change", (e) => {
    const t = e.target;
    if (t.dataset?.markSome === undefined || !t.value) return;
    const group = t.value,
      table = id(t.dataset.markTable);
    t.value = "";
    if (table) selectIn(table, (groups) => groups.includes(group), true);
  });
  document.addEventListener("click", (e) => {
    const t = e.target;
    if (!t.matches?.("input[type=checkbox]")) return;
    const table = id(t.dataset.markTable);
    if (table) {
      selectIn(table, (_, aside) => !t.checked || !aside, t.checked);
      return;
    }
    const marks = marksOf(t.closest("table") ?? $("main"));
    if (t.dataset.markAll !== undefined) for (const m of marks) m.checked = t.checked;
    if (t.dataset.mark === undefined && t.dataset.markAll === undefined) return;
    const from = marks.indexOf(lastMark),
      to = marks.indexOf(t);
    if (e.shiftKey && from >= 0 && to >= 0)
      for (const m of marks.slice(Math.min(from, to), Math.max(from, to) + 1)) m.checked = t.checked;
    lastMark = t;
    count(marks);
  });
})();
