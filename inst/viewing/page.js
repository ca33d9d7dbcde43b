// What happens on the page of a viewing: what is shown comes by "show", what is said goes
// back as "said". Zoom and place are one for all pictures, so that they move in step.
(function () {
  "use strict";
  const by = (id) => document.getElementById(id);
  const kind = by("viewing").dataset.kind;
  let shown = null,
    began = 0,
    sending = false,
    phrase = 0;
  const view = { scale: 1, x: 0, y: 0 };
  const wipes =
    kind === "pairs"
      ? [
          ["one", "other"],
          ["reference", "one"],
          ["reference", "other"],
        ]
      : [["reference", "one"]];
  let wipe = -1;

  function show(id) {
    for (const other of ["door", "look", "end"]) by(other).hidden = other !== id;
  }
  function place() {
    const how = `translate(${view.x}%, ${view.y}%) scale(${view.scale})`;
    for (const image of document.querySelectorAll(".pane img, #wiped img"))
      image.style.transform = how;
  }
  function zoom(by_much) {
    view.scale = Math.min(16, Math.max(1, view.scale * by_much));
    move(0, 0);
  }
  function move(dx, dy) {
    const most = 50 * (view.scale - 1);
    view.x = Math.min(most, Math.max(-most, view.x + dx));
    view.y = Math.min(most, Math.max(-most, view.y + dy));
    place();
  }
  function whole() {
    view.scale = 1;
    view.x = 0;
    view.y = 0;
    place();
  }
  function set_wipe(which) {
    wipe = which;
    const on = wipe >= 0;
    by("wipe").hidden = !on;
    by("stage").hidden = on;
    by("wiping").setAttribute("aria-pressed", on);
    by("next-wipe").disabled = !on || wipes.length < 2;
    if (!on || !shown) return;
    const words = {
      reference: "reference",
      one: kind === "pairs" ? "left" : "take",
      other: "right",
    };
    const [under, over] = wipes[wipe];
    by("under").src = shown.pictures[under];
    by("over").src = shown.pictures[over];
    by("under").alt = words[under];
    by("over").alt = words[over];
    by("wipe-of").textContent = words[over] + " over " + words[under];
    slide();
  }
  function slide() {
    // The edge lies on the page, whatever the zoom: the picture is cut where it shows.
    const t = 50 + (by("edge").value - 50 - view.x) / view.scale;
    by("over").style.clipPath = `inset(0 ${100 - t}% 0 0)`;
  }
  function hold_reference(on) {
    if (!shown || !shown.pictures.reference) return;
    for (const id of ["one", "other"])
      if (by("picture-" + id))
        by("picture-" + id).src = on ? shown.pictures.reference : shown.pictures[id];
  }
  function phrase_rows() {
    const box = by("phrases");
    if (!box) return;
    box.querySelectorAll(".phrase").forEach((row) => row.remove());
    phrase = 0;
    box.hidden = shown.phrases.length === 0;
    shown.phrases.forEach((text, i) => {
      const row = document.createElement("div");
      row.className = "phrase";
      const label = document.createElement("span");
      label.textContent = text;
      const buttons = document.createElement("span");
      for (const [value, word] of [
        ["yes", "there"],
        ["no", "not there"],
        ["", "can't tell"],
      ]) {
        const button = document.createElement("button");
        button.type = "button";
        button.textContent = word;
        button.dataset.value = value;
        button.setAttribute("aria-label", text + ": " + word);
        button.setAttribute("aria-pressed", value === "");
        button.addEventListener("click", () => {
          phrase = i;
          answer(value);
        });
        buttons.append(button);
      }
      row.append(label, buttons);
      box.append(row);
    });
    mark_phrase();
  }
  function mark_phrase() {
    document
      .querySelectorAll(".phrase")
      .forEach((row, i) => row.classList.toggle("current", i === phrase));
  }
  function answer(value) {
    const rows = document.querySelectorAll(".phrase");
    if (!rows[phrase]) return;
    rows[phrase]
      .querySelectorAll("button")
      .forEach((button) => button.setAttribute("aria-pressed", button.dataset.value === value));
    phrase = Math.min(phrase + 1, rows.length - 1);
    mark_phrase();
  }
  function say(choice) {
    if (!shown || sending) return;
    sending = true;
    const phrases = {};
    document.querySelectorAll(".phrase").forEach((row, i) => {
      const pressed = row.querySelector("button[aria-pressed=true]");
      if (pressed && pressed.dataset.value) phrases[shown.phrases[i]] = pressed.dataset.value;
    });
    const reasons =
      choice === "reject"
        ? [...document.querySelectorAll("#reasons input:checked")].map((box) => box.value)
        : [];
    send("said", {
      ballot: shown.ballot,
      choice,
      reasons,
      phrases,
      seconds: (performance.now() - began) / 1000,
    });
  }
  function send(name, value) {
    Shiny.setInputValue(name, Object.assign({ nonce: Math.random() }, value), {
      priority: "event",
    });
  }
  function undo() {
    if (!sending) {
      sending = true;
      send("undo", {});
    }
  }

  function begin() {
    Shiny.addCustomMessageHandler("show", (next) => {
      const images = Object.values(next.pictures).map(
        (src) =>
          new Promise((done) => {
            const image = new Image();
            image.onload = image.onerror = done;
            image.src = src;
          }),
      );
      // Both pictures appear at the same moment: the first to load would be looked at longer.
      Promise.all(images).then(() => {
        shown = next;
        show("look");
        for (const id of ["reference", "one", "other"]) {
          if (!by("picture-" + id)) continue;
          by("frame-" + id).hidden = !next.pictures[id];
          if (next.pictures[id]) by("picture-" + id).src = next.pictures[id];
        }
        by("asked").textContent = next.asked;
        by("unwanted").textContent = next.unwanted;
        by("count").textContent = next.number + " of " + next.wanted;
        by("undo").disabled = next.number <= 1;
        document.querySelectorAll("#reasons input").forEach((box) => {
          box.checked = false;
        });
        whole();
        phrase_rows();
        set_wipe(wipe);
        began = performance.now();
        sending = false;
        by("viewing").dataset.shown = next.ballot;
      });
    });
    Shiny.addCustomMessageHandler("refused", (words) => {
      by("refused").textContent = words;
      sending = false;
    });
    Shiny.addCustomMessageHandler("done", (words) => {
      shown = null;
      sending = false;
      by("end-words").textContent = words;
      show("end");
      by("end").focus();
    });
    Shiny.addCustomMessageHandler("results", (html) => {
      by("results").innerHTML = html;
    });
    by("who").addEventListener("submit", (event) => {
      event.preventDefault();
      send("person", { name: by("name").value });
    });
    by("begin").addEventListener("click", () => by("who").requestSubmit());
    by("undo").addEventListener("click", undo);
    by("last").addEventListener("click", undo);
    by("show").addEventListener("click", () => send("results", {}));
    by("nearer").addEventListener("click", () => zoom(1.5));
    by("further").addEventListener("click", () => zoom(1 / 1.5));
    by("whole").addEventListener("click", whole);
    by("wiping").addEventListener("click", () => set_wipe(wipe >= 0 ? -1 : 0));
    by("next-wipe").addEventListener("click", () => set_wipe((wipe + 1) % wipes.length));
    by("edge").addEventListener("input", slide);
    document
      .querySelectorAll(".choice")
      .forEach((button) => button.addEventListener("click", () => say(button.dataset.choice)));
    by("name").focus();
  }

  const fingers = new Map();
  document.addEventListener("pointerdown", (event) => {
    if (!event.target.closest(".pane, #wiped")) return;
    fingers.set(event.pointerId, [event.clientX, event.clientY]);
    event.target.setPointerCapture(event.pointerId);
  });
  document.addEventListener("pointermove", (event) => {
    const from = fingers.get(event.pointerId);
    if (!from) return;
    const pane = event.target.closest(".pane, #wiped") || document.querySelector(".pane");
    const others = [...fingers.entries()].filter(([id]) => id !== event.pointerId);
    if (others.length) {
      const far = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);
      const now = [event.clientX, event.clientY];
      zoom(far(now, others[0][1]) / Math.max(20, far(from, others[0][1])));
    } else {
      move(
        (100 * (event.clientX - from[0])) / pane.clientWidth,
        (100 * (event.clientY - from[1])) / pane.clientHeight,
      );
    }
    if (wipe >= 0) slide();
    fingers.set(event.pointerId, [event.clientX, event.clientY]);
  });
  for (const name of ["pointerup", "pointercancel"])
    document.addEventListener(name, (event) => fingers.delete(event.pointerId));
  document.addEventListener(
    "wheel",
    (event) => {
      if (!event.target.closest(".pane, #wiped")) return;
      event.preventDefault();
      zoom(event.deltaY < 0 ? 1.2 : 1 / 1.2);
      if (wipe >= 0) slide();
    },
    { passive: false },
  );

  document.addEventListener("keydown", (event) => {
    if (by("look").hidden || event.ctrlKey || event.metaKey || event.altKey) return;
    const at_slider = event.target.id === "edge" && event.key.startsWith("Arrow");
    if (event.repeat || at_slider) return;
    const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    const keys = {
      u: undo,
      "+": () => zoom(1.5),
      "=": () => zoom(1.5),
      "-": () => zoom(1 / 1.5),
      0: whole,
      w: () => by("wiping").click(),
      e: () => {
        if (wipe >= 0) by("next-wipe").click();
      },
      r: () => hold_reference(true),
    };
    if (kind === "pairs")
      Object.assign(keys, {
        ArrowLeft: () => say("one"),
        ArrowRight: () => say("other"),
        ArrowDown: () => say("neither"),
      });
    else
      Object.assign(keys, {
        k: () => say("keep"),
        j: () => say("reject"),
        q: () => answer("yes"),
        a: () => answer("no"),
        z: () => answer(""),
      });
    if (kind === "singles" && /^[1-6]$/.test(key))
      keys[key] = () => {
        const box = document.querySelectorAll("#reasons input")[key - 1];
        box.checked = !box.checked;
      };
    if (!keys[key]) return;
    event.preventDefault();
    keys[key]();
    if (wipe >= 0) slide();
  });
  document.addEventListener("keyup", (event) => {
    if (event.key.toLowerCase() === "r") hold_reference(false);
  });

  if (window.Shiny && Shiny.addCustomMessageHandler) begin();
  else document.addEventListener("DOMContentLoaded", begin);
})();
