// The bar of what is selected: a button for each group of acts, of which one is open.
"use strict";
(() => {
  const { $, all } = HL;
  document.documentElement.classList.add("scripted");
  const open = (form, group) => {
    for (const g of all(".inline[role=group]", form)) g.toggleAttribute("data-open", g === group);
    for (const b of all(".acts-of button", form)) b.setAttribute("aria-expanded", b.of === group);
  };
  HL.reveal = (el) => {
    // what is to be used is in a group that may be closed
    const group = el?.closest(".bar .inline[role=group]");
    if (group && !group.hasAttribute("data-open")) open(group.closest("form"), group);
  };
  const setUp = () => {
    for (const form of all("form.bar")) {
      if ($(".acts-of", form)) continue;
      const box = document.createElement("div");
      box.className = "acts-of";
      box.id = form.id + "-acts";
      box.dataset.made = "";
      box.setAttribute("role", "group");
      box.setAttribute("aria-label", "Acts on what is selected");
      for (const group of all(".inline[role=group]", form)) {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "btn btn-sm btn-outline-primary";
        button.textContent = $("b", group).textContent;
        button.setAttribute("aria-expanded", "false");
        button.of = group;
        button.addEventListener("click", () => open(form, group.hasAttribute("data-open") ? null : group));
        box.append(button);
      }
      const none = document.createElement("button"),
        away = document.createElement("p");
      none.type = "button";
      none.className = "quiet";
      none.textContent = "Select none";
      none.addEventListener("click", () => {
        HL.selectNone();
        HL.take($("#mark-all"));
      });
      box.append(none);
      away.className = "away soft";
      away.id = form.id + "-away";
      away.dataset.made = "";
      form.append(away);
      $("h2", form)?.after(box);
      const invalid = $('[aria-invalid="true"]', form);
      if (invalid) HL.reveal(invalid);
    }
  };
  HL.after.push(setUp);
  document.addEventListener("DOMContentLoaded", setUp);
  // Escape in the bar closes its group first.
  document.addEventListener("keydown", (e) => {
    const form = e.key === "Escape" && e.target.closest?.("form.bar");
    const group = form && $(".inline[data-open]", form);
    if (!group || e.target.matches("input, textarea")) return;
    e.preventDefault();
    open(form, null);
    all(".acts-of button", form)
      .find((b) => b.of === group)
      ?.focus();
  });
})();
