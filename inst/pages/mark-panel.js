// The panel beside the picture: all that is marked, as fields and buttons. `desk` is what the page
// shows, `acts` what can be done to it (mark.js).
pages.mark_panel = function (desk, acts) {
  "use strict";
  const { by, make } = pages;
  const box_words = ["left", "top", "right", "bottom"];
  // A figure to begin with.
  const standing = {
    nose: [0.5, 0.16],
    left_eye: [0.52, 0.14],
    right_eye: [0.48, 0.14],
    left_ear: [0.55, 0.15],
    right_ear: [0.45, 0.15],
    left_shoulder: [0.6, 0.28],
    right_shoulder: [0.4, 0.28],
    left_elbow: [0.64, 0.42],
    right_elbow: [0.36, 0.42],
    left_wrist: [0.65, 0.55],
    right_wrist: [0.35, 0.55],
    left_hip: [0.56, 0.55],
    right_hip: [0.44, 0.55],
    left_knee: [0.57, 0.74],
    right_knee: [0.43, 0.74],
    left_ankle: [0.57, 0.92],
    right_ankle: [0.43, 0.92],
  };

  function field(words, type, value, set, more) {
    const input = make("input", { type, value, "aria-label": words, ...more });
    input.addEventListener("change", () => {
      const given_value = type === "text" ? input.value.trim() : Number(input.value);
      const sound = type === "text" ? given_value : input.value !== "" && input.checkValidity();
      if (sound) acts.edit(() => void set(given_value));
      else acts.say("Not a value for " + words + ": " + input.value, true);
      acts.refresh();
    });
    return make("label", {}, words, input);
  }
  function tick(words, checked, set) {
    const input = make("input", { type: "checkbox" });
    input.checked = checked;
    input.addEventListener("change", () => {
      set(input.checked);
      acts.refresh();
    });
    return make("label", { class: "tick" }, input, words);
  }
  function button(words, act, more) {
    const element = make("button", { type: "button", text: words, ...more });
    element.addEventListener("click", () => {
      act();
      acts.refresh();
    });
    return element;
  }
  function choice(words, options, value, set) {
    const select = make(
      "select",
      { "aria-label": words },
      ...options.map(([at, text]) => make("option", { value: at, text })),
    );
    select.value = value;
    select.addEventListener("change", () => {
      set(select.value);
      acts.refresh();
    });
    return make("label", {}, words, select);
  }
  // A box in pixels of the reference.
  function box_fields(box, set, low, high) {
    const size = desk.one.about.size;
    return make(
      "div",
      { class: "four" },
      ...box.map((share, k) => {
        const whole = size[k % 2];
        const limits = { min: low * whole, max: high * whole, step: "any" };
        const value = Math.round(10 * share * whole) / 10;
        const put = (pixel) => {
          const next = [...box];
          next[k] = pages.clamp(pixel / whole, low, high);
          if (next[0] < next[2] && next[1] < next[3]) set(next);
          else acts.say("That would leave no box.", true);
        };
        return field(box_words[k], "number", value, put, limits);
      }),
    );
  }
  function paint_fields() {
    const set = (name) => (value) => {
      desk.settings[name] = value;
    };
    const kinds = [
      ["brush", "brush"],
      ["polygon", "polygon"],
      ["rectangle", "rectangle"],
      ["flood", "flood: what hangs together"],
      ["colour", "colour: all that is alike"],
    ];
    const slider = (name, words, most) => {
      const input = make("input", { type: "range", min: 1, max: most, value: desk.settings[name] });
      input.setAttribute("aria-label", words);
      const shown = make("span", { text: desk.settings[name] });
      input.addEventListener("input", () => {
        desk.settings[name] = Number(input.value);
        shown.textContent = input.value;
      });
      return make("label", {}, words, input, shown);
    };
    const size = Math.round(Math.max(...desk.one.about.size) / 3);
    return [
      choice("tool", kinds, desk.settings.paint, set("paint")),
      desk.settings.paint === "brush" ? slider("size", "width in pixels", size) : null,
      ["flood", "colour"].includes(desk.settings.paint)
        ? slider("tolerance", "tolerance", 40)
        : null,
      tick("take away", desk.settings.erase, set("erase")),
      desk.settings.paint === "polygon" && desk.corners
        ? make(
            "div",
            { class: "row" },
            button("close the polygon", () => acts.commit(() => desk.tool.close())),
            button("give it up", () => desk.tool.drop()),
          )
        : null,
    ];
  }
  const panels = {
    watch: () => [
      make("p", { class: "soft", text: "Regions of the reference that must survive." }),
      ...desk.one.now.watch.map((region, i) =>
        button(region.name + (region.drawn ? " (drawn)" : ""), () => acts.choose(i), {
          "aria-pressed": i === desk.chosen,
        }),
      ),
      make(
        "div",
        { class: "row" },
        button("new box", () =>
          acts.edit(() => void acts.add_region({ box: [0.35, 0.35, 0.65, 0.65] })),
        ),
        button("new drawn region", () => acts.edit(() => void acts.add_region({ drawn: true }))),
      ),
      ...region_fields(desk.one.now.watch[desk.chosen]),
    ],
    crop: () => {
      const crop = desk.one.now.crop;
      const fits = ["crop", "pad", "stretch", "extend"].map((fit) => [fit, fit]);
      const used = acts.used_window();
      const size = [0, 1].map((k) => Math.round((used[k + 2] - used[k]) * desk.one.about.size[k]));
      const put_focus = (k) => (pixel) => {
        crop.focus = crop.focus.with(k, pages.clamp(pixel / desk.one.about.size[k], 0, 1));
      };
      const focus_field = (words, k) => {
        const value = Math.round(100 * crop.focus[k] * desk.one.about.size[k]) / 100;
        const limits = { min: 0, max: desk.one.about.size[k], step: "any" };
        return field(words, "number", value, put_focus(k), limits);
      };
      return [
        make("p", {
          class: "soft",
          text: `Used: ${size.join(" x ")} pixels, for a frame of ${desk.one.about.inner.join(" x ")}.`,
        }),
        choice("fit", fits, crop.fit, (fit) =>
          acts.edit(() => {
            crop.fit = fit;
          }),
        ),
        make("h3", { text: "Box" }),
        box_fields(
          crop.box,
          (box) => {
            crop.box = box;
          },
          -4,
          5,
        ),
        make("h3", { text: "Focus" }),
        make("div", { class: "four" }, focus_field("across", 0), focus_field("down", 1)),
        button("the whole picture", () =>
          acts.edit(() => {
            crop.box = [0, 0, 1, 1];
            crop.focus = [0.5, 0.5];
          }),
        ),
      ];
    },
    mask: () => [
      make("p", { class: "soft", text: "Coloured: what may change." }),
      ...paint_fields(),
      ...(desk.one.now.mask ? mask_fields(desk.one.now.mask) : []),
    ],
    grow: () => [
      make("p", {
        class: "soft",
        text: "Canvas added around the frame (dashed), in per cent of it.",
      }),
      make(
        "div",
        { class: "four" },
        ...box_words.map((side) =>
          field(
            side,
            "number",
            Math.round(1000 * desk.one.now.grow[side]) / 10,
            (value) => {
              desk.one.now.grow[side] = value / 100;
            },
            { min: 0, max: 200, step: "any" },
          ),
        ),
      ),
    ],
    pose: () => [
      make("p", { class: "soft", text: "Joints, as the figure has them: its left is its own." }),
      ...(desk.one.now.pose || []).map((figure, i) =>
        button("figure " + (i + 1), () => acts.choose(i), { "aria-pressed": i === desk.chosen }),
      ),
      make(
        "div",
        { class: "row" },
        button("new figure", () => acts.edit(new_figure)),
      ),
      ...joint_fields((desk.one.now.pose || [])[desk.chosen]),
    ],
  };
  function region_fields(region) {
    if (!region) return [];
    const rename = (name) => {
      if (desk.one.now.watch.some((other) => other !== region && other.name === name))
        acts.say("Another region has the name " + name + ".", true);
      else region.name = name;
    };
    const keep = (value) => {
      region.keep = value;
    };
    return [
      make("h3", { text: "Region" }),
      field("name", "text", region.name, rename),
      field("must keep", "number", region.keep, keep, { min: 0, max: 1, step: 0.05 }),
      ...(region.drawn
        ? paint_fields()
        : [
            box_fields(
              region.box,
              (box) => {
                region.box = box;
              },
              0,
              1,
            ),
          ]),
      button("delete region", () => {
        acts.edit(() => void desk.one.now.watch.splice(desk.one.now.watch.indexOf(region), 1));
        desk.chosen = -1;
      }),
    ];
  }
  function mask_fields(mask) {
    const put = (name, most) =>
      field(
        name === "padding" ? "padding (none: whole)" : name,
        "number",
        mask[name] ?? "",
        (value) => {
          mask[name] = value;
        },
        { min: 0, max: most, step: 1 },
      );
    return [
      tick("inverted", mask.invert, (on) =>
        acts.edit(() => {
          mask.invert = on;
        }),
      ),
      put("feather", 256),
      put("padding", 2048),
      make(
        "div",
        { class: "row" },
        button("clear", () =>
          acts.commit(() => {
            acts.map().fill(0);
          }),
        ),
        button("remove mask", () =>
          acts.edit(() => {
            desk.one.now.mask = null;
          }),
        ),
      ),
    ];
  }
  function new_figure() {
    desk.one.now.pose = [...(desk.one.now.pose || []), structuredClone(standing)];
    desk.chosen = desk.one.now.pose.length - 1;
  }
  function joint_fields(figure) {
    if (!figure) return [];
    return [
      make("h3", { text: "Joints" }),
      make(
        "div",
        { class: "row" },
        ...desk.suite.joints.map((name) =>
          button(
            name.replace("_", " ") + (figure[name] ? "" : " (not seen)"),
            () => {
              desk.joint = name;
            },
            { "aria-pressed": name === desk.joint },
          ),
        ),
      ),
      desk.joint && figure[desk.joint]
        ? button("not seen: " + desk.joint.replace("_", " "), () =>
            acts.edit(() => void delete figure[desk.joint]),
          )
        : null,
      button("delete figure", () => {
        acts.edit(() => {
          desk.one.now.pose.splice(desk.chosen, 1);
          if (!desk.one.now.pose.length) desk.one.now.pose = null;
        });
        desk.chosen = -1;
      }),
    ];
  }
  function draw_panel() {
    const focused = document.activeElement;
    const label_of = (element) =>
      element && (element.getAttribute("aria-label") || element.textContent);
    const name = by("panel").contains(focused) ? label_of(focused) : null;
    const shown = panels[desk.mode]();
    if (desk.one.about.depth)
      shown.push(
        tick("show the depth map", !by("depth").hidden, (on) => {
          by("depth").hidden = !on;
        }),
      );
    by("panel").replaceChildren(...shown.filter((part) => part));
    // What had the keyboard keeps it.
    if (name) {
      const again = [...by("panel").querySelectorAll("button, input, select")];
      const same = again.find((element) => label_of(element) === name);
      if (same) same.focus();
    }
  }

  return { draw: draw_panel };
};
