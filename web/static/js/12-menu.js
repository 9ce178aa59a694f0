// A menu on the rows of a table that is worked on with its selection: the acts of its bar, by the right
// button, a long press or the menu key. On the map it shows the panel of what it is called up on.
"use strict";
(() => {
  const { $, all, id } = HL;
  let back = null; // what had the focus
  const close = (focus) => {
    const menu = id("menu");
    if (!menu) return;
    menu.remove();
    if (focus) HL.take(back);
  };
  const item = (text, act) => {
    const b = document.createElement("button");
    b.type = "button";
    b.setAttribute("role", "menuitem");
    b.tabIndex = -1;
    b.textContent = text;
    b.addEventListener("click", () => {
      close(false);
      act();
    });
    return b;
  };
  const words = (el) => el.textContent.replace(/\s+/g, " ").trim();
  const items = (form) =>
    all(".inline[role=group]", form).flatMap((group) => {
      const fields = all("input:not([type=hidden]), select", group),
        buttons = all("button[name=do]", group);
      const direct = fields.length ? buttons.filter((b) => /^(up|down)-/.test(b.id)) : buttons;
      const acts = direct.map((b) => item(words(b), () => form.requestSubmit(b)));
      if (!fields.length) return acts;
      const open = item(`${words($("b", group))}…`, () => {
        HL.reveal(fields[0]);
        fields[0].focus();
      });
      return [open, ...acts];
    });
  const open = (form, x, y) => {
    close(false);
    back = document.activeElement;
    const menu = document.createElement("div");
    menu.id = "menu";
    menu.setAttribute("role", "menu");
    menu.setAttribute("aria-label", "Acts on what is selected");
    menu.append(...items(form));
    document.body.append(menu);
    menu.style.left = `${Math.max(4, Math.min(x, innerWidth - menu.offsetWidth - 4))}px`;
    menu.style.top = `${Math.max(4, Math.min(y, innerHeight - menu.offsetHeight - 4))}px`;
    menu.firstElementChild?.focus();
  };
  document.addEventListener("contextmenu", (e) => {
    const node = e.target.closest?.("#map .node");
    if (node) {
      e.preventDefault();
      HL.visit(node.getAttribute("href"));
      return;
    }
    const row = e.target.closest?.("tr[data-id]");
    const mark = row && $('[data-mark="keep"]', row);
    const form = mark && id(mark.getAttribute("form"));
    if (!form?.matches(".bar") || e.target.matches("input.editing")) return;
    e.preventDefault();
    if (!mark.checked) {
      HL.selectNone();
      mark.click();
    }
    const at = row.getBoundingClientRect();
    open(form, e.clientX || at.left + 40, e.clientY || at.bottom);
  });
  document.addEventListener(
    "keydown",
    (e) => {
      const menu = id("menu");
      if (!menu) return;
      const list = all("[role=menuitem]", menu),
        i = list.indexOf(document.activeElement);
      const to = { ArrowDown: i + 1, ArrowUp: i - 1, Home: 0, End: -1 }[e.key];
      if (to !== undefined) list.at(to % list.length).focus();
      else if (e.key === "Escape" || e.key === "Tab") close(true);
      else if (e.key !== "Enter" && e.key !== " ") return;
      if (e.key !== "Enter" && e.key !== " ") e.preventDefault();
      e.stopImmediatePropagation();
    },
    true,
  );
  document.addEventListener("pointerdown", (e) => {
    if (!e.target.closest?.("#menu")) close(false);
  });
  addEventListener("scroll", () => close(false), { passive: true });
})();
