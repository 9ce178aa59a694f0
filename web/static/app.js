// The page's own behaviour: keys, the lighting of paths, lists that filter as
// one types, and uploads that can be stopped. Everything else is the server's.
"use strict";
(() => {
  const $ = (sel, at = document) => at.querySelector(sel);
  const all = (sel, at = document) => [...at.querySelectorAll(sel)];
  const typing = (el) => el.closest("input:not([type=checkbox]):not([type=color]), textarea, select");

  // One page is exchanged for another without a reload, so focus and scroll stay.
  const intoPage = { target: "#page", select: "#page", swap: "outerHTML show:none" };
  const swap = (url, push = true) => htmx.ajax("GET", url, intoPage).then(() => { if (push) history.pushState(null, "", url); });
  addEventListener("popstate", () => swap(location.href, false));
  document.addEventListener("click", (e) => {
    const a = e.target.closest("a[data-soft]");
    if (!a || e.ctrlKey || e.metaKey || e.shiftKey || e.button) return;
    e.preventDefault();
    swap(a.getAttribute("href"));
  });
  document.addEventListener("click", (e) => { if (e.target.closest("[data-print]")) print(); });

  // The map: hover or focus lights one whole path and dims the rest.
  const light = (el) => {
    const map = $("#map");
    if (!map) return;
    const chosen = new Set((el.dataset.paths || "").split(" ").filter(Boolean));
    map.dataset.was ??= JSON.stringify(all(".lit", map).map((n) => [...all("[data-paths]", map)].indexOf(n)));
    map.classList.toggle("has-lit", chosen.size > 0);
    for (const n of all("[data-paths]", map)) n.classList.toggle("lit", n === el || n.dataset.paths.split(" ").some((p) => chosen.has(p)));
  };
  const unlight = () => {
    const map = $("#map");
    if (!map || !map.dataset.was) return;
    const was = JSON.parse(map.dataset.was);
    all("[data-paths]", map).forEach((n, i) => n.classList.toggle("lit", was.includes(i)));
    map.classList.toggle("has-lit", was.length > 0);
  };
  for (const [on, off] of [["mouseover", "mouseout"], ["focusin", "focusout"]]) {
    document.addEventListener(on, (e) => { const n = e.target.closest?.("#map .node"); if (n) light(n); });
    document.addEventListener(off, (e) => { if (e.target.closest?.("#map .node")) unlight(); });
  }

  // Lists filter as one types.
  document.addEventListener("input", (e) => {
    const list = e.target.dataset?.filter && $(e.target.dataset.filter);
    if (!list) return;
    sift(list, e.target.value);
  });
  const sift = (list, typed) => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean), only = $(".pickone.on")?.dataset.family || "";
    let left = 0;
    for (const row of all("[data-row]", list)) {
      const text = row.dataset.text ?? (row.textContent + " " + all("input", row).map((i) => i.value).join(" ")).toLowerCase();
      row.hidden = (only && row.dataset.kind !== only) || !words.every((w) => text.includes(w));
      left += row.hidden ? 0 : 1;
    }
    const none = $(".none"), found = $("#found");
    if (none) none.hidden = left > 0;
    if (found) found.textContent = left === 1 ? "1 instrument" : `${left} instruments`;
  };
  document.addEventListener("click", (e) => {
    const pick = e.target.closest(".pickone");
    if (!pick) return;
    for (const b of all(".pickone")) { b.classList.toggle("on", b === pick); b.setAttribute("aria-pressed", b === pick); }
    sift($("#list"), $("#find").value);
  });

  // The ladder: arrow keys and the pointer move the cut.
  document.addEventListener("keydown", (e) => {
    const box = e.target.closest?.("[data-ladder]");
    if (!box || e.target !== box || e.ctrlKey || e.metaKey || e.altKey) return;
    const to = { ArrowLeft: box.dataset.more, ArrowUp: box.dataset.more, ArrowRight: box.dataset.fewer, ArrowDown: box.dataset.fewer }[e.key];
    if (!to) return;
    e.preventDefault();
    swap(to).then(() => document.getElementById(box.id)?.focus({ preventScroll: true }));
  });
  document.addEventListener("pointermove", (e) => {
    if (e.buttons !== 1) return;
    const a = e.target.closest?.("[data-ladder] a");
    if (a && a !== dragged) { dragged = a; swap(a.getAttribute("href")).then(() => { dragged = null; }); }
  });
  let dragged = null;

  // A button that stands outside its form says its value as well.
  let outside = null;
  document.addEventListener("click", (e) => { outside = e.target.closest?.("button[form][name]") ?? null; }, true);
  document.addEventListener("htmx:configRequest", (e) => {
    if (outside && outside.form === e.detail.elt) e.detail.parameters[outside.name] = outside.value;
    outside = null;
  });

  // A changed cell is sent at once; a select or colour as soon as it is chosen.
  document.addEventListener("change", (e) => { if (e.target.matches("[data-auto]")) e.target.form.requestSubmit(); });

  // A column of names pasted from a spreadsheet goes to this row and those below.
  document.addEventListener("paste", (e) => {
    const cell = e.target.closest?.('.cell[data-col="name"]');
    const names = (e.clipboardData?.getData("text/plain") || "").replace(/\r?\n$/, "").split(/\r?\n/).map((l) => l.split("\t")[0]);
    if (!cell || names.length < 2) return;
    e.preventDefault();
    const column = all('.cell[data-col="name"]').filter((n) => !n.closest("[hidden]"));
    const lanes = column.slice(column.indexOf(cell)).slice(0, names.length).map((n) => n.form.elements.lane.value);
    const { rev, back } = cell.form.elements;
    htmx.ajax("POST", cell.form.action, { values: { rev: rev.value, back: back.value, do: "names", lane: lanes, name: names }, ...intoPage });
  });

  // Marks: all, and shift for a range.
  let lastMark = null;
  document.addEventListener("click", (e) => {
    const t = e.target;
    const marks = all("[data-mark]:not(:disabled)").filter((m) => !m.closest("[hidden]"));
    if (t.id === "mark-all") for (const m of marks) m.checked = t.checked;
    if (!t.matches("[data-mark]")) return;
    const from = marks.indexOf(lastMark), to = marks.indexOf(t);
    if (e.shiftKey && from >= 0) for (const m of marks.slice(Math.min(from, to), Math.max(from, to) + 1)) m.checked = t.checked;
    lastMark = t;
  });

  // Uploads, and changes that take long, show how far they are and can be stopped.
  document.addEventListener("submit", (e) => {
    const form = e.target.closest("form[data-upload]");
    if (!form) return;
    e.preventDefault();
    const line = $(".progress-line", form), bar = $("progress", form), says = $("[data-says]", form), button = $("button:not([data-stop])", form);
    const x = new XMLHttpRequest(), name = Date.now().toString(36) + Math.random().toString(36).slice(2);
    let asking = 0;
    const done = () => { clearTimeout(asking); line.hidden = true; button.disabled = false; };
    const ask = async () => {
      const p = await fetch("/progress/" + name).then((r) => r.json()).catch(() => ({}));
      if (x.readyState === XMLHttpRequest.DONE) return;
      if (p.of) { bar.value = (100 * p.done) / p.of; says.textContent = `${p.done} of ${p.of} ${p.what}`; }
      asking = setTimeout(ask, 250);
    };
    x.upload.onprogress = (p) => { bar.value = p.lengthComputable ? (100 * p.loaded) / p.total : 50; };
    x.upload.onload = () => { bar.removeAttribute("value"); asking = setTimeout(ask, 250); }; // all is sent; the rest is the server's to tell
    x.onload = () => {
      clearTimeout(asking);
      const page = new DOMParser().parseFromString(x.responseText, "text/html").getElementById("page");
      if (!page) return x.onerror();
      if (![form.action, location.href].includes(x.responseURL)) history.pushState(null, "", x.responseURL); // it led on to a page of its own
      $("#page").replaceWith(page);
      htmx.process(page);
      $("#flash")?.scrollIntoView({ block: "nearest" });
    };
    x.onerror = () => { done(); alert("The connection broke off. Nothing was changed; try again."); };
    x.onabort = done;
    $("[data-stop]", form).onclick = () => x.abort();
    x.open("POST", form.action);
    x.setRequestHeader("X-Progress", name);
    says.textContent = "";
    line.hidden = false;
    button.disabled = true;
    const fields = new FormData(form);
    x.send(form.enctype === "multipart/form-data" ? fields : new URLSearchParams(fields));
  });

  // Keys.
  const press = (id) => { const el = $(id); if (el && !el.disabled) { el.click(); return true; } return false; };
  const point = (grid, r, c) => {
    const b = $(`.x[data-r="${r}"][data-c="${c}"]`, grid);
    if (!b) return false;
    for (const o of all('.x[tabindex="0"]', grid)) o.tabIndex = -1;
    b.tabIndex = 0;
    b.focus();
    return true;
  };
  const send = (button, to) => {
    const form = button.form, [feed] = button.value.split("|");
    const base = Object.fromEntries(["rev", "back"].map((n) => [n, form.elements[n].value]));
    htmx.ajax("POST", form.action, { values: { ...base, do: "decide", feed, to }, ...intoPage });
  };
  document.addEventListener("keydown", (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    const x = e.target.closest?.(".x");
    if (x) {
      const grid = x.closest("[data-grid]"), r = +x.dataset.r, c = +x.dataset.c, last = all(`.x[data-r="${r}"]`, grid).length - 1;
      const to = { ArrowUp: [r - 1, c], ArrowDown: [r + 1, c], ArrowLeft: [r, c - 1], ArrowRight: [r, c + 1], Home: [r, 0], End: [r, last] }[e.key];
      if (to) { e.preventDefault(); point(grid, ...to); return; }
      if (e.key === "Enter" && e.shiftKey) { e.preventDefault(); send(x, "park:" + x.value.split("|")[1]); return; }
      if (e.key === "Delete" || e.key === "Backspace") { e.preventDefault(); send(x, "off"); return; }
    }
    if (e.target.classList?.contains("tickbox") && ["ArrowUp", "ArrowDown"].includes(e.key)) {
      const boxes = all(".tickbox"), next = boxes[boxes.indexOf(e.target) + (e.key === "ArrowUp" ? -1 : 1)];
      e.preventDefault();
      next?.focus();
      return;
    }
    const own = e.key === "Enter" && e.target.dataset?.enter; // where a form has several buttons
    if (own) { e.preventDefault(); press("#" + own); return; }
    const cell = e.target.closest?.(".cell[data-col]");
    if (cell && ["ArrowUp", "ArrowDown", "Enter"].includes(e.key)) {
      const column = all(`.cell[data-col="${cell.dataset.col}"]`).filter((n) => !n.closest("[hidden]"));
      const next = column[column.indexOf(cell) + (e.key === "ArrowUp" ? -1 : 1)];
      e.preventDefault();
      if (next) { next.focus(); next.select(); } else cell.blur();
      return;
    }
    if (e.key === "Escape") {
      if (typing(e.target)) { e.target.value = e.target.dataset.was ?? e.target.defaultValue ?? e.target.value; e.target.dispatchEvent(new Event("input", { bubbles: true })); e.target.blur(); return; }
      if ($("#map") && location.search) swap(location.pathname);
      return;
    }
    if (e.target.closest && typing(e.target)) return;
    if (e.key === "/" && $("#find")) { e.preventDefault(); $("#find").focus(); return; }
    // Whatever leads somewhere or does something by a key says so itself.
    const keyed = all("[data-key]").find((el) => el.dataset.key.split(" ").includes(e.key));
    if (keyed && !keyed.disabled) { e.preventDefault(); keyed.click(); }
  });

  // After an exchange the crosspoint that had the focus is the one tab comes back to.
  document.addEventListener("htmx:afterSwap", () => {
    const b = document.activeElement?.closest?.(".x");
    if (b) point(b.closest("[data-grid]"), b.dataset.r, b.dataset.c);
  });
})();
