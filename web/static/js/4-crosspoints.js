// The crosspoints: Enter assigns or clears, Shift+Enter parks, Delete switches the feed off.
// Moving from point to point is the table's.
"use strict";
(() => {
  const decide = (point, to) => {
    const [feed] = point.value.split("|"),
      name = point.id;
    HL.change(point.closest("table").dataset.post, { do: "decide", feed, to }, { focus: () => HL.id(name) });
  };
  document.addEventListener(
    "keydown",
    (e) => {
      const point = e.target.closest?.("button.x");
      if (!point || e.ctrlKey || e.metaKey || e.altKey) return;
      const to =
        e.key === "Enter" && e.shiftKey
          ? "park:" + point.value.split("|")[1]
          : ["Delete", "Backspace"].includes(e.key)
            ? "off"
            : "";
      if (!to) return;
      e.preventDefault();
      e.stopImmediatePropagation();
      taken = point;
      decide(point, to);
    },
    true,
  );
  // A key that was taken presses no button besides: the click it makes would assign.
  let taken = null;
  for (const name of ["keypress", "click"]) {
    document.addEventListener(
      name,
      (e) => {
        if (!taken || e.detail) return;
        e.preventDefault();
        e.stopImmediatePropagation();
      },
      true,
    );
  }
  document.addEventListener(
    "keyup",
    () => {
      taken = null;
    },
    true,
  );
})();
