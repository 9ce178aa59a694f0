// The page and the server: a form or a link is answered by the regions that differ, and each
// becomes what the answer has. Focus stays where it was, or goes to what is there now; what came
// of it is said in a region that is never exchanged.
"use strict";
const HL = (() => {
  const $ = (sel, at = document) => at.querySelector(sel);
  const all = (sel, at = document) => [...at.querySelectorAll(sel)];
  const id = (name) => (name ? document.getElementById(name) : null);
  const here = () => location.pathname + location.search;

  const headers = () => ({
    Page: id("page").dataset.page,
    Revision: id("state").dataset.rev ?? "",
    Regions: all("[data-region]")
      .map((n) => encodeURIComponent(n.id) + "=" + n.dataset.region)
      .join(" "),
  });

  // Where the focus is, so that it can be found again when the page is another.
  const reach =
    'a[href], button:not(:disabled), input:not(:disabled):not([type=hidden]), select, textarea, summary, [tabindex="0"]';
  const usable = (el) => el && el.isConnected && !el.disabled && el.checkVisibility();
  const around = (el) => {
    const out = [];
    for (let n = el.parentElement; n; n = n.parentElement) if (n.id) out.push(n.id);
    return out;
  };
  const remember = (el = document.activeElement) => {
    if (!el || el === document.body) return null;
    const row = el.closest("tr, li, article");
    const list = row?.parentElement;
    return {
      el,
      id: el.id,
      around: around(el),
      command: el.name === "do" ? el.value : "",
      row: list ? [...list.children].indexOf(row) : -1,
      list: list && (list.id || list.closest("[id]")?.id),
      tag: list?.tagName,
      at: row ? all(reach, row).indexOf(el) : -1,
    };
  };
  const heading = (el) => el && (el.matches("h1, h2, h3") ? el : $("h1, h2, h3", el));
  const take = (el) => {
    if (!usable(el)) return false;
    if (!el.matches(reach) && !el.hasAttribute("tabindex")) el.tabIndex = -1;
    el.focus({ preventScroll: false });
    return document.activeElement === el;
  };
  const restore = (was) => {
    const now = document.activeElement;
    if (!was || (now && now !== document.body && now.isConnected)) return;
    const invalid = $('[aria-invalid="true"]');
    if (take(invalid) || take(id(was.id))) return;
    const home = id(was.list);
    const list = home && (home.tagName === was.tag ? home : $(was.tag, home));
    if (list && was.row >= 0 && list.children.length) {
      const row = list.children[Math.min(was.row, list.children.length - 1)];
      const inside = all(reach, row).filter(usable);
      if (take(inside[Math.min(Math.max(was.at, 0), inside.length - 1)])) return;
    }
    for (const name of was.around) if (name !== "page" && take(heading(id(name)))) return;
    take($("#flash")) || take($("h1")) || take(id("main"));
  };

  // What the user has changed in a field stays when the field is exchanged: a text, a box, a choice. sent
  // are the fields of the form that is answered, by what they held: those that hold the same still take
  // what the answer has.
  const held = (el) => (el.matches("[type=checkbox], [type=radio]") ? el.checked : el.value);
  const usual = (el) => {
    if (el.matches("[type=checkbox], [type=radio]")) return el.defaultChecked;
    if (!el.matches("select")) return el.defaultValue;
    return ([...el.options].find((o) => o.defaultSelected) ?? el.options[0])?.value;
  };
  const field = "input:not([type=file], [type=hidden]), select, textarea";
  const sentBy = (form) => new Map([...form.elements].filter((el) => el.matches(field)).map((el) => [el, held(el)]));
  const keeps = (el, sent) =>
    el.matches(field) &&
    (el.matches("[data-mark]") || (held(el) !== usual(el) && !(sent?.has(el) && sent.get(el) === held(el))));
  let composing = null; // the field in which an input method composes
  document.addEventListener("compositionstart", (e) => {
    composing = e.target;
  });
  document.addEventListener("compositionend", () => {
    composing = null;
  });

  // A region becomes what the answer has in its place: its elements stay themselves, with the focus, the
  // caret, what is selected, how far they are scrolled and what is open. An element that is worked in by
  // a script of its own says what becomes of it by its property works: fresh(el) and gone().
  const scripted = ["tabindex", "aria-selected", "open", "data-open", "data-some"]; // which no answer takes away
  const morph = (old, el, sent) =>
    Idiomorph.morph(old, el, {
      callbacks: {
        beforeNodeMorphed: (was, now) => {
          if (was === composing) return false;
          if (!was.works) return true;
          was.works.fresh(now);
          return false;
        },
        beforeNodeRemoved: (was) => {
          if (was.nodeType !== Node.ELEMENT_NODE) return true;
          if (was.dataset.made !== undefined) return false; // by a script, and no answer has it
          for (const el of [was, ...all("[data-works]", was)]) el.works?.gone();
          return true;
        },
        beforeAttributeUpdated: (name, el, how) => {
          if (how === "remove" && scripted.includes(name)) return false;
          if (name === "hidden" && el.matches("[data-row]")) return false;
          if (name === "value" || name === "checked") return !keeps(el, sent);
          return !(name === "selected" && el.parentElement?.closest("select") && keeps(el.closest("select"), sent));
        },
      },
    });

  // One live region says what came of it. The same words twice are two events.
  const say = (text) => {
    const live = id("live");
    live.textContent = "";
    if (text)
      requestAnimationFrame(() => {
        live.textContent = text;
      });
  };
  const after = []; // what else is done when regions have been answered
  const along = []; // what else goes along with a form
  const saved = []; // what else is done with the fields of a form that was not refused
  const waits = new Set(); // what a form waits for that is sent meanwhile
  const wait = (promise) => {
    waits.add(promise);
    promise.catch(() => broken()).finally(() => waits.delete(promise));
  };

  // A page as the server answers it: a title, regions, and what is to be said. sent are the fields that
  // it answers, by what they held.
  const apply = (text, at, push, sent) => {
    const doc = new DOMParser().parseFromString(text, "text/html");
    const whole = doc.getElementById("page");
    const said = $("output", doc.body)?.textContent;
    if (doc.title) document.title = doc.title;
    const fresh = [];
    const put = (el) => {
      const old = id(el.id);
      if (!old) return;
      if (el === whole && old.dataset.page !== whole.dataset.page) old.replaceWith(el); // another page
      else morph(old, el, sent);
      fresh.push(id(el.id));
      htmx.process(id(el.id));
    };
    if (whole) put(document.adoptNode(whole));
    else for (const t of all("template", doc)) put(document.adoptNode(t.content.firstElementChild));
    if (at && at !== here()) history[push ? "pushState" : "replaceState"](null, "", at);
    delete id("page").dataset.old;
    id("page").dataset.turn = +(id("page").dataset.turn ?? 0) + 1;
    for (const f of after) f(fresh);
    if (said) say(said);
    return fresh;
  };

  const warn = (text) => {
    const box = id("flashbox");
    box.innerHTML = '<div class="flash bad" role="alert" id="flash" tabindex="-1"><span></span></div>';
    $("span", box).textContent = text;
    box.dataset.region = ""; // so that the next answer clears it
  };
  const broken = () => {
    warn("The application does not answer. Nothing was changed. Start it again, then try once more.");
    return false;
  };

  // One request after the other, so that each is made for the revision that the one before
  // it left. Of those that ask for the same thing (options.latest) only the last is made, and one that
  // was meant for what the user saw only while that is still so (options.still). Where
  // the focus was moved before the answer came, it stays where it is.
  let queue = Promise.resolve();
  const asked = {};
  const request = (method, url, values, options = {}) => {
    const { push = method === "GET", from, focus, latest, sent, fields, still } = options;
    const active = document.activeElement;
    const was = remember(active && active !== document.body ? active : from);
    from?.classList.add("htmx-request");
    const turn = latest && (asked[latest] = (asked[latest] ?? 0) + 1);
    const run = async () => {
      if ((latest && asked[latest] !== turn) || (still && !still())) {
        from?.classList.remove("htmx-request");
        return false;
      }
      try {
        const body = values && new URLSearchParams(values);
        if (body?.has("rev")) body.set("rev", id("state").dataset.rev ?? body.get("rev"));
        const r = await fetch(url, { method, body: body ?? undefined, headers: headers() });
        const at = r.headers.get("At");
        const text = await r.text();
        if (at === null) return broken();
        if (r.ok && fields) for (const f of saved) f(fields);
        const now = document.activeElement;
        const moved = now && now !== document.body && now !== active ? remember(now) : null;
        apply(text, at, push || (at && at.split("?")[0] !== location.pathname), sent);
        if (moved) restore(moved);
        else if (!(focus && take(focus())) && !(method === "POST" && take($('[aria-invalid="true"]')))) restore(was);
        return r.ok;
      } catch {
        return broken();
      } finally {
        from?.classList.remove("htmx-request");
      }
    };
    return (queue = queue.then(run)); // whether it was answered, and not refused
  };
  // When everything that was asked for has been answered.
  const idle = async () => {
    for (let q = null; q !== queue || waits.size; ) await Promise.all([...waits, (q = queue)]);
    return true;
  };
  const visit = (url, options) => request("GET", url, null, options);
  const post = (url, values, options) => request("POST", url, values, options);

  // A change of the page's document, by the address that its undo form leads to.
  const change = (action, fields, options) => {
    const values = new URLSearchParams();
    for (const [name, value] of Object.entries({
      rev: id("state").dataset.rev ?? "",
      back: $('#top input[name="back"]')?.value ?? "",
      ...fields,
    }))
      for (const one of [value].flat()) values.append(name, one);
    return post(action, values, options);
  };

  document.addEventListener("submit", (e) => {
    if (e.submitter?.getAttribute("formmethod") === "dialog") e.preventDefault();
    const form = e.target.closest("form[data-exchange]");
    if (!form || e.defaultPrevented) return;
    e.preventDefault();
    if (waits.size) {
      Promise.all(waits).then(() => form.requestSubmit(e.submitter));
      return;
    }
    const data = new FormData(form, e.submitter);
    for (const f of along) f(form, data);
    const options = { from: e.submitter ?? undefined, sent: sentBy(form), fields: [...form.elements] };
    if (form.method === "get") {
      const url = new URL(form.action);
      url.search = new URLSearchParams(data);
      visit(url.pathname + url.search, { ...options, latest: form.matches("[data-finds]") && form.action });
    } else post(form.action, data, options);
  });

  document.addEventListener("click", (e) => {
    const a = e.target.closest?.("a[data-soft]");
    if (!a || e.ctrlKey || e.metaKey || e.shiftKey || e.button) return;
    e.preventDefault();
    visit(a.getAttribute("href"));
  });
  addEventListener("popstate", () => visit(here(), { push: false }));

  // A field that saves by itself does so when it is left or by Enter; one chosen by the
  // pointer at once. Escape gives back what it held.
  let keyed = null;
  document.addEventListener(
    "keydown",
    (e) => {
      const el = e.target;
      if (!el.matches?.("select[data-auto]")) return;
      if (e.key === "Enter" && keyed === el) {
        e.preventDefault();
        keyed = null;
        el.form.requestSubmit();
        return;
      }
      if (e.key === "Escape" && keyed === el) {
        el.value = el.dataset.held;
        keyed = null;
        return;
      }
      if (e.key.length === 1 || e.key.startsWith("Arrow") || ["Home", "End", "PageUp", "PageDown"].includes(e.key)) {
        if (keyed !== el) el.dataset.held = el.value;
        keyed = el;
      }
    },
    true,
  );
  document.addEventListener(
    "pointerdown",
    (e) => {
      if (keyed && keyed === e.target) keyed = null;
    },
    true,
  );
  document.addEventListener("change", (e) => {
    const el = e.target;
    if (el.matches('[data-auto]:not([data-auto="one"])') && keyed !== el) el.form.requestSubmit();
  });
  document.addEventListener("focusout", (e) => {
    if (keyed !== e.target) return;
    const el = keyed;
    keyed = null;
    if (el.isConnected && el.value !== el.dataset.held) el.form.requestSubmit();
  });

  return {
    $, all, id, after, along, apply, broken, change, headers, held, idle, post, remember, restore, saved, say,
    take, usual, visit, wait, warn,
  };
})();
