// What happens on the page on which a run is watched: "state" and "verdict" come from its server,
// "stop" and "leave-out" go back.
(function () {
  "use strict";
  const { by, make } = pages;
  const may_order = by("watch").dataset.orders === "yes";
  let state = null,
    held = false,
    // The list and the place in it of the take in the dialog.
    open = null;
  // The takes that are shown; while they are held still, not those of the state.
  const shown = { newest: [], flawed: [] };
  const at_most = { newest: 6, flawed: 3 };
  const source = (size, kind, id) => "pictures/" + size + "/" + kind + "/" + id;

  // Puts children into `parent` in the order of `rows`: those that are there by the same key stay,
  // with the focus in them.
  function keep_rows(parent, rows, key, fresh, fill) {
    const before = new Map([...parent.children].map((child) => [child.dataset.key, child]));
    rows.forEach((row, i) => {
      const name = key(row);
      const child = before.get(name) || fresh(row);
      before.delete(name);
      child.dataset.key = name;
      if (parent.children[i] !== child) parent.insertBefore(child, parent.children[i] || null);
      fill(child, row);
    });
    for (const child of before.values()) child.remove();
  }
  function set_text(element, text) {
    if (element.textContent !== String(text)) element.textContent = text;
  }
  // A name that may be broken before a setting, or within it.
  function set_name(element, name) {
    if (element.textContent === name) return;
    const parts = name.split(/(?<=[/,=])/);
    element.replaceChildren(...parts.flatMap((part, i) => (i ? [make("wbr"), part] : [part])));
  }
  const cells = (count) => Array.from({ length: count }, () => make("td", {}));
  function table_row(count) {
    return make("tr", {}, make("th", { scope: "row" }), ...cells(count));
  }
  function set_cells(row, texts) {
    texts.forEach((text, i) => set_text(row.children[i], text));
  }

  function flaw_words(take) {
    if (!take.measured) return "not measured yet";
    return take.flaws || "no flaws found";
  }
  function take_words(take) {
    const control = take.control ? ", control: " + take.control : "";
    return take.case + ", seed " + take.seed + control;
  }
  function new_card(take, list) {
    const picture = (kind, id, name) => make("img", { src: source("small", kind, id), alt: name });
    const button = make(
      "button",
      { type: "button" },
      make(
        "span",
        { class: "pictures" },
        take.reference
          ? picture("reference", take.reference, "reference")
          : make("span", { text: "no reference" }),
        picture("take", take.take, "take"),
      ),
      make("b", { class: "name" }),
      make("span", { class: "of-case", text: take_words(take) }),
      make("span", { class: "flaws" }),
    );
    button.addEventListener("click", () =>
      open_take(
        list,
        shown[list].findIndex((one) => one.take === take.take),
      ),
    );
    return make("li", {}, button);
  }
  function fill_card(card, take) {
    set_name(card.querySelector(".name"), take.pipeline);
    const flaws = card.querySelector(".flaws");
    set_text(flaws, flaw_words(take));
    flaws.classList.toggle("bad", take.serious);
  }
  function show_takes(list) {
    if (held || opened.is_open) {
      // Takes that stay are still told of: their flaws come after them.
      tell_flaws(state[list]);
      const open = shown[list].filter((take) => !take.measured).map((take) => take.take);
      if (open.length > 0) send("flaws", { takes: open });
    } else {
      shown[list] = state[list].slice(0, at_most[list]);
    }
    keep_rows(
      by(list),
      shown[list],
      (take) => take.take,
      (take) => new_card(take, list),
      fill_card,
    );
  }
  // What is found of takes that are shown already.
  function tell_flaws(told) {
    const now = new Map(told.map((take) => [take.take, take]));
    for (const list of Object.keys(shown))
      shown[list] = shown[list].map((take) => ({ ...take, ...now.get(take.take) }));
    for (const list of Object.keys(shown))
      for (const card of by(list).children) {
        const take = shown[list].find((one) => one.take === card.dataset.key);
        if (take) fill_card(card, take);
      }
  }
  function show_lists() {
    show_takes("newest");
    show_takes("flawed");
    by("none").hidden = shown.newest.length > 0;
    by("flawless").hidden = shown.flawed.length > 0;
  }

  function show_state(told) {
    state = told;
    by("watch").dataset.state = told.state;
    set_text(by("verdict-title"), told.state === "complete" ? "Verdict" : "Verdict so far");
    set_text(by("state"), told.words);
    set_text(by("doing"), told.doing);
    if (told.measured > 0 && by("waiting"))
      set_text(by("waiting"), "It is being computed, which takes a moment.");
    by("progress").max = Math.max(1, told.total);
    by("progress").value = told.done;
    by("stop").hidden = !may_order || told.state !== "running";
    keep_rows(
      by("counts"),
      told.counts,
      (one) => one.name,
      () => make("div", {}, make("dt", {}), make("dd", {})),
      (child, one) => set_cells(child, [one.name, one.value]),
    );
    show_lists();
    keep_rows(by("engines"), told.engines, (one) => one.engine, new_engine, fill_engine);
    by("failed").hidden = told.failures.length === 0;
    keep_rows(
      by("failures"),
      told.failures,
      (one) => [one.pipeline, one.failure, one.message, one.planned].join("\n"),
      () => make("li", {}, make("b", {}), make("span", {}), make("p", {}), make("p", {})),
      (item, one) =>
        set_cells(item, [
          one.pipeline + ", " + one.failure,
          " " + one.takes + (one.planned ? " tried, still planned" : " given up"),
          one.message,
          one.advice && "To do: " + one.advice + ".",
        ]),
    );
    keep_rows(
      by("pipelines").tBodies[0],
      told.pipelines,
      (one) => one.pipeline,
      new_pipeline,
      fill_pipeline,
    );
  }
  function new_engine(one) {
    const done = make("progress", { "aria-label": one.engine });
    return make("li", {}, make("b", {}), make("span", {}), done, make("span", { class: "bad" }));
  }
  function fill_engine(item, one) {
    const flying = one.in_flight > 0 ? ", " + one.in_flight + " in flight" : "";
    const failed = one.failed > 0 ? one.failed + " failed or refused" : "";
    const done = item.querySelector("progress");
    set_cells(item, [one.engine, " " + one.made + " of " + one.total + flying]);
    done.max = Math.max(1, one.total);
    done.value = one.made + one.failed;
    set_text(item.lastChild, [failed, one.words].filter((words) => words).join(", "));
  }
  function new_pipeline(one) {
    const row = table_row(6);
    if (one.is_choice && may_order) {
      const button = make("button", { type: "button" });
      button.addEventListener("click", () =>
        send("leave-out", {
          pipeline: one.pipeline,
          back: row.classList.contains("out"),
        }),
      );
      row.lastChild.append(button);
    }
    return row;
  }
  function fill_pipeline(row, one) {
    row.classList.toggle("out", one.left_out);
    set_name(row.firstChild, one.pipeline);
    set_cells(row, [
      one.pipeline,
      one.made,
      one.failed + one.refused || "",
      one.planned || "",
      one.measured,
      one.cost,
    ]);
    const button = row.querySelector("button");
    if (!button) return;
    button.hidden = one.planned === 0 && !one.left_out;
    set_text(button, one.left_out ? "Take back in" : "Leave out");
    button.setAttribute(
      "aria-label",
      (one.left_out ? "Take back in: " : "Leave out: ") + one.pipeline,
    );
  }

  // A take in the dialog, beside its reference.
  function open_take(list, at) {
    const take = shown[list][at];
    if (!take) return;
    open = { list, at };
    const picture = (kind, id, name) => ({ src: source("whole", kind, id), name });
    opened.show({
      title: take.pipeline + ", " + take_words(take),
      words: flaw_words(take) + "; made at " + take.made + " in " + take.seconds,
      pictures: {
        one: picture("take", take.take, "take"),
        ...(take.reference ? { reference: picture("reference", take.reference, "reference") } : {}),
      },
      is_first: at === 0,
      is_last: at === shown[list].length - 1,
    });
  }
  const opened = new pages.Opened({
    pairs: [["reference", "one"]],
    step: (by) => open_take(open.list, open.at + by),
    closed: () => {
      const card = by(open.list).children[open.at]?.querySelector("button");
      show_lists();
      if (card && card.isConnected) card.focus();
    },
  });
  function hold(on) {
    held = on;
    by("hold").setAttribute("aria-pressed", on);
    if (state) show_lists();
  }

  const send = pages.talk(
    {
      state: show_state,
      flaws: tell_flaws,
      verdict: (html) => {
        by("verdict").innerHTML = html;
      },
      refused: (lines) => {
        by("refused").hidden = lines.length === 0;
        by("refused").textContent = lines.join(" ");
      },
    },
    () => {
      by("lost").hidden = false;
      by("stop").hidden = true;
    },
  );

  show_state(JSON.parse(by("first-state").textContent));
  by("hold").addEventListener("click", () => hold(!held));
  by("stop").addEventListener("click", () => by("really").showModal());
  by("no").addEventListener("click", () => by("really").close());
  by("yes").addEventListener("click", () => {
    by("really").close();
    send("stop", {});
  });
  document.addEventListener("keydown", (event) => {
    if (opened.is_open || by("really").open || event.repeat) return;
    if (pages.with_modifier(event) || pages.plain_key(event) !== "h") return;
    event.preventDefault();
    hold(!held);
  });
})();
