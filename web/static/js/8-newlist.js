// A new instrument from a list of names: what each line is read as, while it is typed. A role that is
// corrected is written into its line, which is what is sent.
"use strict";
(() => {
  const { id } = HL;
  const make = (tag, props = {}, ...inside) => {
    const el = Object.assign(document.createElement(tag), props);
    el.append(...inside);
    return el;
  };
  const roleIn = /^\s*(?:role\s+)?(?:[a-z]+(?:\/[a-z0-9-]+)+|(?<=role\s+)[a-z]+)\s*$/i;
  const correct = (list, line, role) => {
    const lines = list.value.split("\n");
    const parts = lines[line - 1].split(/[,;\t]/).filter((x) => !roleIn.test(x));
    if (role) parts.push(role.includes("/") ? ` ${role}` : ` role ${role}`);
    lines[line - 1] = parts.join(",");
    list.value = lines.join("\n");
    read(list);
  };
  const show = (list, box, { lines, error }) => {
    box.hidden = !error && !lines?.length;
    box.tabIndex = box.hidden ? -1 : 0;
    if (error) {
      box.replaceChildren(make("p", { className: "warn", textContent: error }));
      return;
    }
    let table = box.querySelector("table");
    if (!table || table.tBodies[0].rows.length !== lines.length) {
      const head = make("tr");
      for (const title of ["Name", "Kind", "Role", ""]) head.append(make("th", { scope: "col", textContent: title }));
      const body = make("tbody");
      for (const _ of lines) {
        const field = make("input", { className: "form-control form-control-sm", type: "text", autocomplete: "off" });
        field.setAttribute("list", "list-roles");
        field.addEventListener("change", () => correct(list, +field.dataset.line, field.value.trim()));
        const row = make("tr", {}, make("th", { scope: "row", className: "plain", dir: "auto" }), make("td"));
        row.append(make("td", {}, field), make("td", { className: "soft" }));
        body.append(row);
      }
      table = make("table", { className: "sheet narrowtable" }, make("thead", {}, head), body);
      box.replaceChildren(table);
    }
    lines.forEach((l, i) => {
      const [name, kind, role, says] = table.tBodies[0].rows[i].cells;
      const field = role.firstChild;
      name.textContent = l.name;
      kind.textContent = l.kind;
      says.textContent = l.told ? "written" : l.role ? (l.sure ? "guessed" : "unsure") : "no role";
      says.classList.toggle("warn", !l.told && !l.sure);
      field.dataset.line = l.line;
      field.setAttribute("aria-label", `Role of ${l.name}`);
      if (document.activeElement !== field) field.value = l.role;
    });
  };
  let asked = 0;
  const read = async (list) => {
    const turn = ++asked;
    try {
      const body = new URLSearchParams({ names: list.value });
      const answer = await (await fetch(list.dataset.reads, { method: "POST", body })).json();
      if (turn === asked && list.isConnected) show(list, id(list.dataset.into), answer);
    } catch {
      // the list can be sent all the same
    }
  };
  let waiting = 0;
  document.addEventListener("input", (e) => {
    if (e.target.dataset?.reads === undefined) return;
    clearTimeout(waiting);
    waiting = setTimeout(() => read(e.target), 200);
  });
  const filled = () => {
    const list = id("list-names");
    if (list?.value.trim()) read(list);
  };
  HL.after.push(filled);
  addEventListener("load", filled);
})();
