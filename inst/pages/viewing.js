// What happens on the page of a viewing: what is shown comes by "show", what is said goes
// back as "said". Zoom and place are one for all pictures, so that they move in step.
(function () {
  "use strict";
  const { by } = pages;
  const kind = by("viewing").dataset.kind;
  let shown = null,
    began = 0,
    sending = false,
    phrase = 0;
  const view = new pages.View({
    pictures: ".pane img, #wiped img",
    surface: ".pane, #wiped",
    moved: () => wipe.slide(),
  });
  const wipe = new pages.Wipe(view);
  const pairs =
    kind === "pairs"
      ? [
          ["one", "other"],
          ["reference", "one"],
          ["reference", "other"],
        ]
      : [["reference", "one"]];
  let pair = -1;

  function show(id) {
    for (const other of ["door", "look", "end"]) by(other).hidden = other !== id;
  }
  function set_pair(which) {
    pair = which;
    const on = pair >= 0;
    by("wipe").hidden = !on;
    by("stage").hidden = on;
    by("wiping").setAttribute("aria-pressed", on);
    by("next-wipe").disabled = !on || pairs.length < 2;
    if (!on || !shown) return;
    const words = {
      reference: "reference",
      one: kind === "pairs" ? "left" : "take",
      other: "right",
    };
    const [under, over] = pairs[pair].map((id) => ({
      src: shown.pictures[id],
      name: words[id],
    }));
    wipe.show(under, over);
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
  function undo() {
    if (!sending) {
      sending = true;
      send("undo", {});
    }
  }

  const heard = {
    show: (next) => {
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
        view.whole();
        phrase_rows();
        set_pair(pair);
        began = performance.now();
        sending = false;
        by("viewing").dataset.shown = next.ballot;
      });
    },
    refused: (words) => {
      by("refused").textContent = words;
      sending = false;
    },
    done: (words) => {
      shown = null;
      sending = false;
      by("end-words").textContent = words;
      show("end");
      by("end").focus();
    },
    results: (html) => {
      by("results").innerHTML = html;
    },
  };
  const send = pages.talk(heard, () => {
    by("lost").hidden = false;
  });

  by("who").addEventListener("submit", (event) => {
    event.preventDefault();
    send("person", { name: by("name").value });
  });
  by("undo").addEventListener("click", undo);
  by("last").addEventListener("click", undo);
  by("show").addEventListener("click", () => send("results", {}));
  by("nearer").addEventListener("click", () => view.zoom(1.5));
  by("further").addEventListener("click", () => view.zoom(1 / 1.5));
  by("whole").addEventListener("click", () => view.whole());
  by("wiping").addEventListener("click", () => set_pair(pair >= 0 ? -1 : 0));
  by("next-wipe").addEventListener("click", () => set_pair((pair + 1) % pairs.length));
  document
    .querySelectorAll(".choice")
    .forEach((button) => button.addEventListener("click", () => say(button.dataset.choice)));
  by("name").focus();

  document.addEventListener("keydown", (event) => {
    if (by("look").hidden || pages.with_modifier(event)) return;
    if (event.repeat || pages.arrow_at(event)) return;
    const key = pages.plain_key(event);
    const keys = {
      u: undo,
      ...view.keys(),
      w: () => by("wiping").click(),
      e: () => {
        if (pair >= 0) by("next-wipe").click();
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
  });
  document.addEventListener("keyup", (event) => {
    if (event.key.toLowerCase() === "r") hold_reference(false);
  });
})();
