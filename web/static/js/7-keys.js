// Keys of whole pages. What leads somewhere or does something by a key says so itself, in
// data-key; which keys these are, and whether there are any, is in the settings.
"use strict";
(() => {
  const { $, all } = HL;
  // Wherever a key means something already, no shortcut fires.
  const takesKeys = (el) => el.closest?.("input, textarea, select, [contenteditable], dialog");
  // On a box the Enter key would press the first button of its form.
  document.addEventListener("keypress", (e) => {
    if (e.key === "Enter" && e.target.matches?.("input:is([type=checkbox], [type=radio])")) e.preventDefault();
  });
  document.addEventListener("keydown", (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return;
    const t = e.target;
    if (t.classList?.contains("tickbox") && ["ArrowUp", "ArrowDown"].includes(e.key)) {
      const boxes = all(".tickbox"),
        next = boxes[boxes.indexOf(t) + (e.key === "ArrowUp" ? -1 : 1)];
      e.preventDefault();
      next?.focus();
      return;
    }
    const own = e.key === "Enter" && t.dataset?.enter; // where a form has several buttons
    if (own) {
      e.preventDefault();
      $("#" + own)?.click();
      return;
    }
    if (e.key === "Escape") {
      if (t.matches?.("input:not([type=checkbox]):not([type=radio]):not([type=color]), textarea")) {
        t.value = t.dataset.was ?? t.defaultValue ?? t.value;
        t.dispatchEvent(new Event("input", { bubbles: true }));
        t.blur();
      } else if ($("#map") && location.search) HL.visit(location.pathname);
      return;
    }
    if (takesKeys(t)) return;
    const key = e.key;
    const keyed = all("[data-key]").find((el) => el.dataset.key === key && !el.disabled);
    if (!keyed) return;
    e.preventDefault();
    if (keyed.matches("input")) keyed.focus();
    else keyed.click();
  });
})();
