// The page on which references are marked: what is shown, what is chosen, and the talk with the
// server. Marks are kept by mark-state.js, drawn by the tools of mark-tools.js.
(function () {
  "use strict";
  const { by, make } = pages;
  const marks = new pages.Marks();
  // What is on the page: the suite, the case that is shown, what is chosen of it, and the tool.
  const desk = {
    suite: { cases: [], joints: [], limbs: [] },
    one: null,
    mode: "watch",
    tool: null,
    chosen: -1, // which box, region or figure
    joint: null, // which joint of the figure
    ghost: null, // a box that is being drawn
    corners: null, // those of a polygon
    settings: { paint: "brush", size: 40, tolerance: 8, erase: false },
    // The pointer that the keyboard moves.
    cursor: { on: false, at: [0.5, 0.5], down: false },
  };
  let pixels = null; // those of the reference
  let news = ""; // what is said when the next case is shown

  const view = new pages.View({ pictures: "#sheet", moved: () => drawing.lines() });
  const drawing = pages.mark_drawing(desk, view);

  function say(lines, wrong) {
    by("said").textContent = [].concat(lines).join("\n");
    by("said").classList.toggle("wrong", Boolean(wrong));
  }

  // The list of cases. Its pictures are loaded one at a time, and wait while a case is opened, so
  // that large ones do not hold it up.
  const waiting = [];
  let loading = false;
  let opening = false;
  function load_next() {
    if (loading || opening) return;
    const picture = waiting.shift();
    if (!picture) return;
    if (picture.src) {
      load_next();
      return;
    }
    loading = true;
    picture.onload = picture.onerror = () => {
      loading = false;
      load_next();
    };
    picture.src = picture.dataset.src;
  }
  const thumbs = new Map();
  function thumb_of(about, at) {
    if (!about.reference) return make("span", { class: "none" });
    const picture = make("img", { alt: "", "data-src": "pictures/thumb-" + at });
    near.observe(picture);
    return picture;
  }
  const near = new IntersectionObserver((entries) => {
    for (const { isIntersecting, target } of entries)
      if (isIntersecting && !target.src) waiting.push(target);
    load_next();
  });
  function draw_list() {
    const wanted = by("find").value.trim().toLowerCase();
    const items = desk.suite.cases.flatMap((about, i) => {
      if (!(about.id + " " + about.job).toLowerCase().includes(wanted)) return [];
      if (!thumbs.has(i)) thumbs.set(i, thumb_of(about, i + 1));
      const known = marks.cases.get(i + 1);
      const changed = known && marks.changed(known).length > 0;
      const button = make(
        "button",
        { type: "button", "data-at": i + 1 },
        thumbs.get(i),
        make(
          "span",
          {},
          about.id,
          make("span", {
            class: changed ? "given changed" : "given",
            text: changed ? "changed" : about.job + (about.given.length ? ": " : "") + given(about),
          }),
        ),
      );
      if (desk.one && desk.one.about.at === i + 1) button.setAttribute("aria-current", "true");
      return [make("li", {}, button)];
    });
    by("list").replaceChildren(...items);
  }
  const given_words = { grow: "canvas", guides: "guides" };
  const given = (about) => about.given.map((part) => given_words[part] || part).join(", ");
  by("find").addEventListener("input", draw_list);
  by("list").addEventListener("click", (event) => {
    const button = event.target.closest("button");
    if (button) open(Number(button.dataset.at));
  });

  // A case is asked for once, and kept with what is marked on it.
  function open(at) {
    const known = marks.cases.get(at);
    opening = !known;
    if (known) show(known);
    else send("open", { at });
  }
  function step(by_much) {
    const count = desk.suite.cases.length;
    const from = desk.one ? desk.one.about.at : 0;
    if (count) open(((from - 1 + by_much + count) % count) + 1);
  }
  function show(next) {
    drop();
    desk.one = next;
    desk.chosen = -1;
    desk.joint = null;
    pixels = null;
    view.whole();
    by("empty").hidden = true;
    by("desk").hidden = false;
    by("case-name").textContent = desk.one.about.id + " (" + desk.one.about.job + ")";
    const has = Boolean(desk.one.about.size);
    document.querySelector(".work").hidden = !has;
    say(has ? news : "This case has no reference to mark.");
    news = "";
    opening = false;
    if (has) load_pictures();
    else load_next();
    refresh();
    draw_list();
  }
  function load_pictures() {
    const at = desk.one.about.at;
    const picture = by("picture");
    opening = true;
    picture.onload = picture.onerror = () => {
      by("desk").dataset.ready = at;
      opening = false;
      load_next();
    };
    delete by("desk").dataset.ready;
    picture.alt = "the reference of " + desk.one.about.id;
    picture.src = "pictures/reference-" + at;
    by("depth").hidden = true;
    if (desk.one.about.depth) by("depth").src = "pictures/depth-" + at;
    if (desk.one.now.mask && desk.one.now.mask.drawn) load_map("mask", "mask-" + at);
    desk.one.now.watch.forEach((region, i) => {
      if (region.drawn && !desk.one.maps.has(region.uid))
        load_map(region.uid, "watch-" + at + "-" + (i + 1));
    });
  }
  // What existing maps have, unless they were loaded before.
  function load_map(key, name) {
    if (desk.one.maps.has(key)) return;
    const own = desk.one;
    const image = new Image();
    image.onload = () => {
      own.maps.set(key, pages.Bitmap.read(image));
      if (own === desk.one) refresh();
    };
    image.src = "pictures/" + name;
  }

  // Which map is painted on: that of the mask, or of the region that is chosen.
  desk.map_key = () => {
    if (desk.mode === "mask") return "mask";
    const region = desk.mode === "watch" && desk.one.now.watch[desk.chosen];
    return region && region.drawn ? region.uid : null;
  };
  function blank_map(key) {
    const map = new pages.Bitmap(...desk.one.about.size);
    desk.one.maps.set(key, map);
    desk.one.drawn.add(key);
    return map;
  }
  // A mask of boxes becomes a drawn one when it is painted on.
  function ready_mask() {
    const mask = desk.one.now.mask || { boxes: [], drawn: false, invert: false, feather: 0 };
    if (!mask.drawn) {
      const map = blank_map("mask");
      const [wide, high] = desk.one.about.size;
      for (const [l, t, r, b] of mask.boxes)
        map.rectangle([l * wide, t * high, r * wide, b * high], 255);
      map.begin();
    }
    desk.one.now.mask = { ...mask, boxes: [], drawn: true };
  }

  // What the tools know of the page.
  const table = {
    near() {
      const { width, height } = by("sheet").getBoundingClientRect();
      return [12 / width, 12 / height];
    },
    chosen: () => desk.chosen,
    choose(at) {
      desk.chosen = at;
      desk.joint = null;
      refresh();
    },
    size: () => desk.one.about.size,
    pixels() {
      if (!pixels) pixels = pages.pixels(by("picture"));
      return pixels;
    },
    map: () => desk.one.maps.get(desk.map_key()),
    setting: (name) => desk.settings[name],
    ghost(box) {
      desk.ghost = box;
      drawing.lines();
    },
    outline(points) {
      desk.corners = points;
      drawing.lines();
    },
  };
  const tools = pages.mark_tools(table);
  function choose(at) {
    desk.chosen = at;
    desk.joint = null;
  }
  const edit = (make_change) => marks.change(desk.one, make_change);
  const panel = pages.mark_panel(desk, {
    edit,
    commit,
    refresh,
    say,
    choose,
    add_region,
    map: table.map,
    used_window: drawing.used_window,
  });

  const modes = {
    watch: () =>
      desk.map_key()
        ? tools.paint_tool(desk.settings.paint)
        : tools.box_tool({
            get: () => desk.one.now.watch.map((region) => (region.drawn ? null : region.box)),
            put: (at, box) => {
              desk.one.now.watch[at].box = box;
            },
            add: (box) => add_region({ box }),
          }),
    crop: () => {
      const boxes = tools.box_tool({
        get: () => [desk.one.now.crop.box],
        put: (at, box) => {
          desk.one.now.crop.box = box;
        },
        low: -4,
        high: 5,
      });
      const focus = tools.point_tool({
        pick: (point) => (is_near(point, desk.one.now.crop.focus) ? "focus" : null),
        put: (held, [x, y]) => {
          desk.one.now.crop.focus = [pages.clamp(x, 0, 1), pages.clamp(y, 0, 1)];
        },
      });
      let own = boxes;
      return {
        start(point) {
          own = is_near(point, desk.one.now.crop.focus) ? focus : boxes;
          own.start(point);
        },
        drag: (point) => own.drag(point),
        end: (point) => own.end(point),
      };
    },
    mask: () => tools.paint_tool(desk.settings.paint),
    grow: () =>
      tools.point_tool({
        pick: (point) => side_at(point),
        put: (side, point) => put_side(side, point),
      }),
    pose: () =>
      tools.point_tool({
        pick: (point) => pick_joint(point),
        put: ({ figure, name }, point) => {
          desk.one.now.pose[figure][name] = point;
        },
      }),
  };
  const is_near = ([x, y], [u, v]) => {
    const far = table.near();
    return Math.abs(x - u) < far[0] && Math.abs(y - v) < far[1];
  };

  function add_region(region) {
    const taken = new Set(desk.one.now.watch.map((other) => other.name));
    let n = desk.one.now.watch.length + 1;
    while (taken.has("region-" + n)) n++;
    const uid = "n" + Date.now() + "-" + n;
    desk.one.now.watch.push({ name: "region-" + n, drawn: false, keep: 0.5, uid, ...region });
    desk.chosen = desk.one.now.watch.length - 1;
    if (region.drawn) blank_map(uid);
    return desk.chosen;
  }

  // Added canvas: the reference's window lies in a frame that grows at its sides.
  function side_at([x, y]) {
    const [l, t, r, b] = drawing.grown_window();
    const far = table.near();
    if (Math.abs(x - l) < far[0]) return "left";
    if (Math.abs(x - r) < far[0]) return "right";
    if (Math.abs(y - t) < far[1]) return "top";
    return Math.abs(y - b) < far[1] ? "bottom" : null;
  }
  function put_side(side, [x, y]) {
    const [l, t, r, b] = drawing.inner_window();
    const added = {
      left: (l - x) / (r - l),
      right: (x - r) / (r - l),
      top: (t - y) / (b - t),
      bottom: (y - b) / (b - t),
    };
    desk.one.now.grow[side] = Math.round(1000 * pages.clamp(added[side], 0, 2)) / 1000;
  }

  // Poses.
  function pick_joint(point) {
    const figures = desk.one.now.pose || [];
    for (let figure = 0; figure < figures.length; figure++)
      for (const [name, at] of Object.entries(figures[figure]))
        if (is_near(point, at)) {
          desk.chosen = figure;
          desk.joint = name;
          return { figure, name };
        }
    // A joint that was chosen in the list is put where it is pressed.
    return figures[desk.chosen] && desk.joint ? { figure: desk.chosen, name: desk.joint } : null;
  }
  window.addEventListener("resize", drawing.lay_out);

  // All that depends on what is marked.
  function refresh() {
    const changed = marks.all_changed().length;
    by("review").disabled = changed === 0;
    by("review").textContent = changed
      ? `Review changes (${changed} ${changed === 1 ? "case" : "cases"})`
      : "Review changes";
    by("undo").disabled = !desk.one || !desk.one.done.length;
    by("redo").disabled = !desk.one || !desk.one.undone.length;
    if (!desk.one || !desk.one.about.size) return;
    const { may, job } = desk.suite.cases[desk.one.about.at - 1];
    if (!may.includes(desk.mode)) desk.mode = "watch";
    document.querySelectorAll("#modes button").forEach((element) => {
      const allowed = may.includes(element.dataset.mode);
      element.disabled = !allowed;
      element.title = allowed ? "" : "not for the job " + job;
      element.setAttribute("aria-pressed", element.dataset.mode === desk.mode);
    });
    const kind = desk.mode + desk.settings.paint + desk.map_key();
    if (!desk.tool || desk.tool.kind !== kind) {
      drop();
      desk.tool = Object.assign(modes[desk.mode](), { kind });
    }
    drawing.lay_out();
    drawing.ink();
    panel.draw();
  }
  // A polygon that is not closed is given up.
  function drop() {
    if (desk.tool && desk.tool.drop) desk.tool.drop();
    desk.corners = null;
    desk.ghost = null;
  }

  // One use of a tool, from start to end, is one step that can be taken back.
  let stroke = null;
  function press(point) {
    const before = JSON.stringify(desk.one.now);
    if (desk.tool.painting) {
      if (desk.mode === "mask") ready_mask();
      if (!table.map()) return;
      table.map().begin();
    }
    stroke = { before };
    desk.tool.start(point);
    after_move();
  }
  function drag(point) {
    if (!stroke) return;
    desk.tool.drag(point);
    after_move();
  }
  function release(point) {
    if (!stroke) return;
    desk.tool.end(point);
    keep_stroke();
  }
  function keep_stroke() {
    const own = stroke;
    stroke = null;
    const after = JSON.stringify(desk.one.now);
    const patch = desk.tool.painting && table.map() ? table.map().end() : null;
    if (patch) patch.key = desk.map_key();
    desk.one.now = JSON.parse(own.before);
    if (patch || !desk.tool.painting)
      edit(() => {
        desk.one.now = JSON.parse(after);
        return patch;
      });
    refresh();
    draw_list();
  }
  // A change of the map by a button.
  function commit(act) {
    if (desk.mode === "mask") ready_mask();
    stroke = { before: JSON.stringify(desk.one.now) };
    table.map().begin();
    act();
    keep_stroke();
  }
  function after_move() {
    if (desk.tool.painting) {
      const map = table.map();
      const ink = by("ink");
      if (map && map.dirty && !ink.hidden && ink.width === map.width)
        drawing.show_ink(map, map.dirty);
      else drawing.ink();
    }
    drawing.lines();
  }
  // What two fingers began is no stroke.
  function give_up() {
    if (!stroke) return;
    const { before } = stroke;
    stroke = null;
    const map = desk.tool.painting && table.map();
    const patch = map && map.end();
    if (patch) map.paste(patch.box, patch.before);
    desk.one.now = JSON.parse(before);
    refresh();
  }

  const point_of = (event) => {
    const { left, top, width, height } = by("sheet").getBoundingClientRect();
    return [(event.clientX - left) / width, (event.clientY - top) / height];
  };
  const is_moving = () => by("table").classList.contains("moving");
  pages.follow("#table", {
    start: (event) => {
      by("table").focus();
      desk.cursor.on = false;
      if (stroke) give_up();
      else if (!is_moving() && desk.one && desk.one.about.size) press(point_of(event));
    },
    drag: (dx, dy, event, on) => {
      if (is_moving()) view.move((100 * dx) / on.clientWidth, (100 * dy) / on.clientHeight);
      else drag(point_of(event));
    },
    pinch: (times) => {
      give_up();
      view.zoom(times);
    },
    turn: (way) => view.zoom(way > 0 ? 1.2 : 1 / 1.2),
    end: (event) => release(point_of(event)),
  });

  function move_cursor(event) {
    const [wide, high] = desk.one.about.size;
    const step_size = event.altKey ? 1 / wide : event.shiftKey ? 0.1 : 0.01;
    const step_down = event.altKey ? 1 / high : step_size;
    const [dx, dy] = {
      ArrowLeft: [-step_size, 0],
      ArrowRight: [step_size, 0],
      ArrowUp: [0, -step_down],
      ArrowDown: [0, step_down],
    }[event.key];
    desk.cursor.on = true;
    desk.cursor.at = [
      pages.clamp(desk.cursor.at[0] + dx, -0.5, 1.5),
      pages.clamp(desk.cursor.at[1] + dy, -0.5, 1.5),
    ];
    const [x, y] = [desk.cursor.at[0] * wide, desk.cursor.at[1] * high];
    by("pointer").textContent = `pointer at ${Math.round(x)}, ${Math.round(y)}`;
    if (desk.cursor.down) drag(desk.cursor.at);
    else drawing.lines();
  }
  function press_cursor() {
    desk.cursor.on = true;
    desk.cursor.down = !desk.cursor.down;
    if (desk.cursor.down) press(desk.cursor.at);
    else release(desk.cursor.at);
    desk.cursor.down = Boolean(stroke);
  }
  by("table").addEventListener("keydown", (event) => {
    if (!desk.one || !desk.one.about.size || event.ctrlKey || event.metaKey) return;
    const keys = {
      " ": press_cursor,
      Enter: () => {
        if (desk.tool.close && desk.corners) commit(() => desk.tool.close());
      },
      Escape: () => {
        drop();
        give_up();
        desk.cursor.down = false;
        drawing.lines();
      },
    };
    const act = event.key.startsWith("Arrow") ? () => move_cursor(event) : keys[event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  });
  function set_size(times) {
    desk.settings.size = pages.clamp(Math.round(desk.settings.size * times), 1, 2000);
    refresh();
  }
  document.addEventListener("keydown", (event) => {
    const typing = event.target.closest?.("input, select, textarea, dialog");
    if (typing || event.altKey) return;
    const key = pages.plain_key(event);
    const keys = {
      z: () => take_back("undo"),
      y: () => take_back("redo"),
      "[": () => set_size(1 / 1.25),
      "]": () => set_size(1.25),
      e: () => {
        desk.settings.erase = !desk.settings.erase;
        refresh();
      },
      h: () => by("hand").click(),
      n: () => step(1),
      p: () => step(-1),
      ...view.keys(),
    };
    // Only undo and redo are known with Ctrl as well.
    const known = keys[key] && (!(event.ctrlKey || event.metaKey) || "zy".includes(key));
    if (!known) return;
    event.preventDefault();
    keys[key]();
  });

  function take_back(way) {
    if (!desk.one) return;
    give_up();
    marks[way](desk.one);
    desk.chosen = -1;
    refresh();
    draw_list();
  }
  by("undo").addEventListener("click", () => take_back("undo"));
  by("redo").addEventListener("click", () => take_back("redo"));
  by("earlier").addEventListener("click", () => step(-1));
  by("later").addEventListener("click", () => step(1));
  by("nearer").addEventListener("click", () => view.zoom(1.5));
  by("further").addEventListener("click", () => view.zoom(1 / 1.5));
  by("whole").addEventListener("click", () => view.whole());
  by("hand").addEventListener("click", () => {
    const on = by("table").classList.toggle("moving");
    by("hand").setAttribute("aria-pressed", on);
  });
  by("modes").addEventListener("click", (event) => {
    const button_pressed = event.target.closest("button");
    if (!button_pressed) return;
    desk.mode = button_pressed.dataset.mode;
    desk.chosen = -1;
    desk.joint = null;
    refresh();
  });
  by("panel").addEventListener("submit", (event) => event.preventDefault());

  // What would be written is shown before it is.
  by("review").addEventListener("click", async () => {
    say("");
    send("propose", { marked: await marks.told() });
  });
  function show_proposal({ changes, files }) {
    const each = changes.map((change) =>
      make(
        "section",
        {},
        make("h3", { text: `${change.case}: ${change.part} (suite.yml, line ${change.line})` }),
        make(
          "pre",
          {},
          ...change.before.map((text) => make("del", { text: "- " + text })),
          ...change.after.map((text) => make("ins", { text: "+ " + text })),
        ),
      ),
    );
    const list = files.length
      ? [
          make("h3", { text: "Files" }),
          make("ul", {}, ...files.map((text) => make("li", { text }))),
        ]
      : [];
    by("changes").replaceChildren(...each, ...list);
    by("proposal").showModal();
  }
  by("back").addEventListener("click", () => by("proposal").close());
  by("write").addEventListener("click", () => send("write", {}));
  window.addEventListener("beforeunload", (event) => {
    if (marks.all_changed().length) event.preventDefault();
  });

  const send = pages.talk(
    {
      suite: (told) => {
        desk.suite = told;
        draw_list();
        refresh();
      },
      case: (told) => {
        if (told.size) show(marks.load(told));
        else show({ about: told, done: [], undone: [], now: null });
      },
      proposal: show_proposal,
      written: ({ files }) => {
        const at = desk.one.about.at;
        by("proposal").close();
        marks.cases.clear();
        news = "Written: " + files.join(", ") + ".";
        open(at);
      },
      refused: (lines_said) => {
        opening = false;
        by("proposal").close();
        say(lines_said, true);
      },
    },
    () => {
      by("lost").hidden = false;
    },
  );
})();
