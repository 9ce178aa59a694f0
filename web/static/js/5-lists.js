// Lists that filter as one types, the kinds to choose from above them, and the ladder.
"use strict";
(() => {
  const { $, all } = HL;
  const sift = (list, typed) => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean),
      only = $('.pickone[aria-pressed="true"]')?.dataset.family || "";
    let left = 0;
    for (const row of all("[data-row]", list)) {
      const text = row.dataset.text ?? row.textContent.toLowerCase();
      row.hidden = (only && row.dataset.kind !== only) || !words.every((w) => text.includes(w));
      left += row.hidden ? 0 : 1;
    }
    const none = $(".none"),
      found = $("#found");
    if (none) none.hidden = left > 0;
    if (found?.dataset.one)
      found.textContent = left === 1 ? `1 ${found.dataset.one}` : `${left} ${found.dataset.many}`;
  };
  document.addEventListener("input", (e) => {
    const list = e.target.dataset?.filter && $(e.target.dataset.filter);
    if (list) sift(list, e.target.value);
  });
  document.addEventListener("click", (e) => {
    const pick = e.target.closest(".pickone");
    if (!pick) return;
    for (const b of all(".pickone")) {
      b.classList.toggle("on", b === pick);
      b.setAttribute("aria-pressed", b === pick);
    }
    sift($("#list"), $("#find").value);
  });
  // A search that the server answers follows the typing.
  let waiting = 0;
  document.addEventListener("input", (e) => {
    const box = e.target;
    if (box.type !== "search" || !box.closest("form[data-finds]")) return;
    clearTimeout(waiting);
    // the box may have been exchanged meanwhile
    waiting = setTimeout(() => (box.isConnected ? box : HL.id(box.id))?.form.requestSubmit(), 120);
  });
  document.addEventListener("change", (e) => {
    const form = e.target.closest?.("form[data-finds]");
    if (form && e.target.matches("select, input[type=checkbox]")) form.requestSubmit();
  });

  // The ladder: arrow keys and the pointer move the cut.
  document.addEventListener("keydown", (e) => {
    const box = e.target.closest?.("[data-ladder]");
    if (!box || e.target !== box || e.ctrlKey || e.metaKey || e.altKey) return;
    const to = {
      ArrowLeft: box.dataset.more,
      ArrowUp: box.dataset.more,
      ArrowRight: box.dataset.fewer,
      ArrowDown: box.dataset.fewer,
    }[e.key];
    if (!to) return;
    e.preventDefault();
    HL.visit(to, { focus: () => HL.id(box.id) });
  });
  let dragged = null;
  document.addEventListener("pointermove", (e) => {
    if (e.buttons !== 1) return;
    const a = e.target.closest?.(".ladderbox a");
    if (a && a !== dragged) {
      dragged = a;
      HL.visit(a.getAttribute("href")).then(() => {
        dragged = null;
      });
    }
  });
  // What is printed is whole: where the page holds a part, the whole of it is opened first.
  document.addEventListener("click", (e) => {
    const b = e.target.closest("[data-print]");
    if (!b || (b.href && $(".windowbar"))) return;
    e.preventDefault();
    print();
  });
  addEventListener("load", () => {
    if (new URLSearchParams(location.search).has("print")) document.fonts.ready.then(() => print());
  });
})();
