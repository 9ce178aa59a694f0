// Uploads, and changes that take long, show how far they are and can be stopped.
"use strict";
document.addEventListener("submit", (e) => {
  const { $, all, id } = HL;
  const form = e.target.closest("form[data-upload]");
  if (!form) return;
  e.preventDefault();
  const line = $(".progress-line", form),
    bar = $("progress", form),
    says = $("[data-says]", form),
    button = $("button:not([data-stop])", form);
  const x = new XMLHttpRequest(),
    name = Date.now().toString(36) + Math.random().toString(36).slice(2),
    was = HL.remember(button);
  let asking = 0;
  const done = () => {
    clearTimeout(asking);
    line.hidden = true;
    button.disabled = false;
  };
  const ask = async () => {
    const p = await fetch("/progress/" + name)
      .then((r) => r.json())
      .catch(() => ({}));
    if (x.readyState === XMLHttpRequest.DONE) return;
    if (p.of) {
      bar.value = (100 * p.done) / p.of;
      says.textContent = `${p.done} of ${p.of} ${p.what}`;
    }
    asking = setTimeout(ask, 250);
  };
  x.upload.onprogress = (p) => {
    bar.value = p.lengthComputable ? (100 * p.loaded) / p.total : 50;
  };
  x.upload.onload = () => {
    bar.removeAttribute("value");
    asking = setTimeout(ask, 250);
  }; // all is sent; the rest is the server's to tell
  x.onload = () => {
    done();
    const at = x.getResponseHeader("At");
    if (at === null) return x.onerror();
    if (x.status < 400) for (const f of HL.saved) f([...form.elements]);
    const posted = new URL(form.action).pathname === at.split("?")[0]; // the page itself, or one that it led on to
    HL.apply(x.responseText, posted ? "" : at, !posted && at.split("?")[0] !== location.pathname);
    form.reset();
    if (!HL.take(id("flash"))) HL.restore(was);
  };
  x.onerror = () => {
    done();
    HL.broken();
    HL.take(id("flash"));
  };
  x.onabort = () => {
    done();
    HL.take(button);
    HL.say("Stopped. Nothing was changed.");
  };
  $("[data-stop]", form).onclick = () => x.abort();
  x.open("POST", form.action);
  x.setRequestHeader("X-Progress", name);
  for (const [key, value] of Object.entries(HL.headers())) x.setRequestHeader(key, value);
  says.textContent = "";
  line.hidden = false;
  button.disabled = true;
  const fields = new FormData(form);
  if (fields.has("rev")) fields.set("rev", id("state").dataset.rev);
  x.send(form.enctype === "multipart/form-data" ? fields : new URLSearchParams(fields));
});
