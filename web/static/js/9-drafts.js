// Drafts: what is typed stays, in this tab, until it is saved or thrown away: through a reload, a
// visit elsewhere, and a server that is stopped. A draft belongs to a page, a form, a field and the
// revision that it was typed for; where it is found it is put into its field again and says so.
"use strict";
(() => {
  const { $, all, id } = HL;
  const prefix = () => `draft ${location.pathname} `;
  const store = sessionStorage;
  const fields =
    "input:not([type=hidden], [type=file], [type=search], [data-mark], [data-mark-all], .editing, .picking), " +
    "select, textarea";
  const drafted = (el) =>
    el.matches?.(fields) &&
    el.form?.method === "post" &&
    (el.id || el.name) &&
    !el.matches("select[data-mark-some]") &&
    !el.form.matches(".bar"); // what its acts go by is no work of its own
  // A form is known by its id, or by where it goes and what it carries besides.
  const formOf = (form) =>
    form.id ||
    [
      form.getAttribute("action"),
      ...all("input[type=hidden]", form)
        .filter((el) => !["rev", "back"].includes(el.name))
        .map((el) => `${el.name}=${el.value}`),
    ].join(" ");
  const keyOf = (el) => `${prefix()}form ${formOf(el.form)} ${el.id || el.name}`;
  const box = (el) => el.matches("[type=checkbox], [type=radio]");
  const rev = () => id("state").dataset.rev ?? "";

  const note = (el) => {
    const value = HL.held(el);
    if (value === HL.usual(el)) store.removeItem(keyOf(el));
    else store.setItem(keyOf(el), JSON.stringify({ value, rev: rev() }));
  };
  for (const type of ["input", "change"])
    document.addEventListener(type, (e) => {
      if (drafted(e.target)) note(e.target);
      else if (e.target.matches?.("input.editing")) HL.draftCell(e.target.closest("[data-col]"), e.target.value);
    });

  // Cells: by table, row and column.
  const cellKey = (cell) => `${prefix()}cell ${cell.id}`;
  HL.draftCell = (cell, value) => {
    if (!cell?.id) return;
    if (value === null) store.removeItem(cellKey(cell));
    else store.setItem(cellKey(cell), JSON.stringify({ value, rev: rev() }));
  };

  const drafts = () => {
    const out = [];
    for (let i = 0; i < store.length; i++) if (store.key(i).startsWith(prefix())) out.push(store.key(i));
    return out;
  };
  const clear = (keys) => {
    for (const key of keys) store.removeItem(key);
  };
  // What a form that was saved had typed is a draft no more.
  HL.saved.push((elements) => clear([...elements].filter(drafted).map(keyOf)));
  document.addEventListener("submit", (e) => {
    const form = e.target; // the page that answers it shows what was refused
    if (!form.matches("[data-exchange], [data-upload]")) clear([...form.elements].filter(drafted).map(keyOf));
  });

  const put = (el, value) => {
    if (box(el)) el.checked = value;
    else el.value = value;
    el.dispatchEvent(new Event("input", { bubbles: true }));
  };
  const throwAway = () => {
    for (const el of all(fields).filter(drafted)) if (store.getItem(keyOf(el)) !== null) put(el, HL.usual(el));
    for (const cell of all("[data-was][id]")) if (store.getItem(cellKey(cell)) !== null) HL.giveBack(cell);
    clear(drafts());
    id("drafts")?.remove();
    HL.take($("h1"));
    HL.say("Thrown away.");
  };
  const offer = () => {
    let n = 0,
      old = false;
    const read = (key) => JSON.parse(store.getItem(key) ?? "null");
    for (const el of all(fields).filter(drafted)) {
      const d = read(keyOf(el));
      if (!d || d.value === HL.held(el)) continue;
      n++;
      old ||= d.rev !== rev();
      put(el, d.value);
    }
    for (const cell of all("table[data-cells] [data-col][id]")) {
      const d = read(cellKey(cell));
      if (!d || cell.works || cell.textContent.trim() === d.value) continue;
      n++;
      old ||= d.rev !== rev();
      cell.dataset.was ??= cell.textContent.trim();
      cell.textContent = d.value;
      HL.refuse(cell, "drafts");
    }
    id("drafts")?.remove();
    if (!n) return;
    const says = document.createElement("div"),
      text = document.createElement("span"),
      button = document.createElement("button");
    says.id = "drafts";
    says.className = "flash";
    says.dataset.made = "";
    text.textContent =
      "What was typed here was not saved yet and is in its fields again" +
      (old ? "; the page has changed since." : ".");
    button.type = "button";
    button.className = "btn btn-sm btn-outline-primary";
    button.textContent = "Throw away";
    button.addEventListener("click", throwAway);
    says.append(text, " ", button);
    id("flashbox")?.after(says);
    HL.say(text.textContent);
  };
  let at = "";
  HL.after.push(() => {
    if (at === location.pathname) return;
    at = location.pathname;
    offer();
  });
  document.addEventListener("DOMContentLoaded", () => {
    at = location.pathname;
    offer();
  });
})();
