// What a report does beyond being read: takes are filtered, sorted, opened beside their
// reference and held against each other. What is shown is in the page's address.
(function () {
  "use strict";
  const { by, make, draw: draw_svg, swatch } = pages;
  const read = (id) => JSON.parse(by(id).textContent);
  const facts = read("facts");
  const columns = facts.takes;
  const count = columns.case.length;
  const takes = Array.from({ length: count }, (_, i) => {
    const one = { index: i };
    for (const name of Object.keys(columns)) one[name] = columns[name][i];
    return one;
  });
  // Which of its case's pictures a take has.
  const seen = new Map();
  for (const take of takes)
    if (take.state === "made") {
      take.picture = seen.get(take.case) || 0;
      seen.set(take.case, take.picture + 1);
    }
  const shelf = new Map();
  function pictures(of_case) {
    if (!shelf.has(of_case)) shelf.set(of_case, read("pictures-" + of_case));
    return shelf.get(of_case);
  }
  const jpeg = (text) => "data:image/jpeg;base64," + text;
  const source = (take) => jpeg(pictures(take.case).takes[take.picture]);
  const name_of = (take) => facts.pipelines[take.pipeline].id + ", seed " + take.seed;
  const two = (x) => (x === null ? "–" : x.toFixed(2));
  // What is shown, as it stands in the address.
  const plain = {
    job: "",
    case: "",
    pipeline: "",
    seed: "",
    show: "all",
    sort: "pipeline",
    open: "",
    wipe: "",
    overlay: "none",
    part: "",
  };
  let state = Object.assign({}, plain);
  const jobs = [...document.querySelectorAll("article[data-job]")].map((one) => one.dataset.job);
  function read_address() {
    const given = new URLSearchParams(location.hash.slice(1));
    state = Object.assign({}, plain, { job: jobs[0] });
    for (const key of Object.keys(plain)) if (given.has(key)) state[key] = given.get(key);
    if (!jobs.includes(state.job)) state.job = jobs[0];
  }
  function write_address(replace) {
    const said = new URLSearchParams();
    for (const key of Object.keys(plain))
      if (state[key] !== plain[key] && !(key === "job" && jobs.length < 2))
        said.set(key, state[key]);
    const hash = "#" + said.toString();
    if (hash === location.hash || (hash === "#" && !location.hash)) return;
    if (replace) history.replaceState(null, "", hash);
    else history.pushState(null, "", hash);
  }
  function change(what, replace) {
    Object.assign(state, what);
    write_address(replace);
    draw();
  }

  // The takes that are asked for.
  const fitting = {
    all: () => true,
    keepers: (one) => one.keeper === true,
    others: (one) => one.keeper === false,
    failed: (one) => one.state === "failed" || one.state === "refused",
    flawed: (one) => one.flawed,
  };
  function wanted() {
    const fits = fitting[state.show] || fitting.all;
    return takes.filter(
      (one) =>
        one.job === state.job &&
        (!state.case || facts.cases[one.case].id === state.case) &&
        (!state.pipeline || facts.pipelines[one.pipeline].id === state.pipeline) &&
        (!state.seed || String(one.seed) === state.seed) &&
        fits(one),
    );
  }
  function sorted(some) {
    if (state.sort === "pipeline") return some;
    const low = (x) => (x === null ? -1 : x);
    return [...some].sort((a, b) => low(b[state.sort]) - low(a[state.sort]));
  }

  const marked = new Set();
  function card(take) {
    const picture =
      take.state === "made"
        ? make("img", {
            alt: "take of " + facts.cases[take.case].id + " by " + name_of(take),
            src: source(take),
            loading: "lazy",
            decoding: "async",
          })
        : make("span", { class: "none", text: take.state });
    const open = make(
      "button",
      { type: "button", class: "open", "aria-label": "open the take by " + name_of(take) },
      picture,
    );
    open.addEventListener("click", () => change({ open: String(take.index) }));
    const mark = make("input", {
      type: "checkbox",
      "aria-label": "compare the take by " + name_of(take),
    });
    mark.checked = marked.has(take.index);
    mark.addEventListener("change", () => {
      if (mark.checked) marked.add(take.index);
      else marked.delete(take.index);
      mark_bar(take.case);
    });
    const scores =
      take.state === "made"
        ? [
            ["structure", take.structure],
            ["adherence", take.adherence],
            ["style", take.style],
          ]
        : [];
    return make(
      "li",
      { class: "take" + (take.keeper ? " keeper" : ""), "data-take": take.index },
      open,
      take.state === "made" ? make("label", { class: "mark" }, mark) : null,
      make(
        "div",
        { class: "facts" },
        make(
          "p",
          { class: "by" },
          swatch(facts.pipelines[take.pipeline].colour),
          make("b", { text: facts.pipelines[take.pipeline].id }),
          " seed " + take.seed,
        ),
        make("p", {
          class: "worth",
          text:
            take.worth === null
              ? ""
              : take.keeper
                ? "keeper, worth " + two(take.worth)
                : "not a keeper",
        }),
        make("p", {
          class: "scores",
          text: scores.map(([what, x]) => what + " " + two(x)).join(", "),
        }),
        take.notes ? make("p", { class: "note", text: take.notes }) : null,
      ),
    );
  }
  function fixed(kind, text, alt) {
    return make(
      "li",
      { class: "take " + kind },
      make("img", { src: jpeg(text), alt: alt, loading: "lazy" }),
      make("div", { class: "facts" }, make("p", { class: "by" }, make("b", { text: kind }))),
    );
  }
  function fill(section) {
    if (section.dataset.filled) return;
    section.dataset.filled = "yes";
    const number = Number(section.dataset.case);
    const own = pictures(number);
    const list = section.querySelector("ul");
    const about = facts.cases[number];
    if (own.reference) list.append(fixed("reference", own.reference, "reference of " + about.id));
    for (const text of own.look || []) list.append(fixed("look", text, "look of " + about.id));
    for (const index of section.takes) list.append(card(takes[index]));
    section.classList.remove("waiting");
  }
  // A case's pictures are decoded when it comes near.
  const near = new IntersectionObserver(
    (entries) => {
      for (const entry of entries)
        if (entry.isIntersecting) {
          near.unobserve(entry.target);
          fill(entry.target);
        }
    },
    { rootMargin: "900px" },
  );

  function mark_bar(of_case) {
    const section = document.querySelector(`.case[data-case="${of_case}"]`);
    if (!section) return;
    const own = [...marked].filter((index) => takes[index].case === of_case);
    const button = section.querySelector(".together");
    button.hidden = own.length < 2;
    button.textContent = "compare these " + own.length;
  }
  let drawn = "";
  function draw_takes() {
    const key = ["job", "case", "pipeline", "seed", "show", "sort"]
      .map((name) => state[name])
      .join("|");
    if (key === drawn) return;
    drawn = key;
    const some = wanted();
    const groups = new Map();
    for (const one of some) groups.set(one.case, [...(groups.get(one.case) || []), one]);
    const box = by("cases");
    near.disconnect();
    box.replaceChildren();
    for (const [number, own] of groups) {
      const about = facts.cases[number];
      const together = make("button", { type: "button", class: "together", hidden: "" });
      together.addEventListener("click", () =>
        change({
          open: [...marked]
            .filter((index) => takes[index].case === number)
            .slice(0, 4)
            .join(","),
        }),
      );
      const section = make(
        "section",
        { class: "case waiting", "data-case": number, "aria-labelledby": "case-" + number },
        make("h3", { id: "case-" + number, text: about.id }),
        make("p", {
          class: "prompt",
          text:
            about.prompt.join(", ") +
            (about.unwanted.length ? " — not: " + about.unwanted.join(", ") : "") +
            (about.look ? " — look: " + about.look : ""),
        }),
        together,
        make("ul", { class: "strip" }),
      );
      section.takes = sorted(own).map((one) => one.index);
      box.append(section);
      mark_bar(number);
      near.observe(section);
    }
    by("count").textContent =
      some.length +
      " of " +
      takes.length +
      " takes, " +
      groups.size +
      (groups.size === 1 ? " case" : " cases");
    if (!some.length) box.append(make("p", { text: "No take matches." }));
  }

  // The takes of a sweep, below its curves.
  function draw_under() {
    for (const box of document.querySelectorAll(".under")) {
      if (box.childElementCount || box.dataset.job !== state.job) continue;
      const lines = (facts.lines || []).filter((line) => line.job === box.dataset.job);
      const own = takes.filter((one) => one.job === box.dataset.job && one.state === "made");
      const cases = [...new Set(own.map((one) => one.case))];
      if (!cases.length) continue;
      const pick = make(
        "select",
        {},
        ...cases.map((number) => make("option", { value: number, text: facts.cases[number].id })),
      );
      const rows = make("div", { class: "lines" });
      const show = () =>
        rows.replaceChildren(
          ...lines.map((line) =>
            make(
              "div",
              { class: "line" },
              make("h3", { text: line.line }),
              make(
                "ul",
                { class: "strip" },
                ...line.values.map((value, i) => {
                  const take = own.find(
                    (one) => one.case === Number(pick.value) && one.pipeline === line.pipelines[i],
                  );
                  if (!take) return null;
                  const open = make(
                    "button",
                    {
                      type: "button",
                      class: "open",
                      "aria-label": "open the take at " + line.vary + " " + value,
                    },
                    make("img", {
                      src: source(take),
                      alt: line.line + " at " + line.vary + " " + value,
                      loading: "lazy",
                    }),
                  );
                  open.addEventListener("click", () => change({ open: String(take.index) }));
                  return make(
                    "li",
                    { class: "take" + (take.keeper ? " keeper" : "") },
                    open,
                    make(
                      "div",
                      { class: "facts" },
                      make("p", { class: "by" }, make("b", { text: line.vary + " " + value })),
                      make("p", {
                        text: take.keeper ? "worth " + two(take.worth) : "not a keeper",
                      }),
                    ),
                  );
                }),
              ),
            ),
          ),
        );
      pick.addEventListener("change", show);
      box.append(make("label", {}, "takes of ", pick), rows);
      show();
    }
  }

  // The take of a pipeline, a case and a seed that an element speaks of, by their names.
  const place_of = new Map(
    takes.map((one) => [
      [one.job, facts.cases[one.case].id, facts.pipelines[one.pipeline].id, one.seed].join("\n"),
      one,
    ]),
  );
  const take_at = (job, { case: of_case, pipeline, seed }) =>
    place_of.get([job, of_case, pipeline, seed].join("\n"));
  function open_of(button) {
    const { job } = button.closest("article").dataset;
    const one = take_at(job, button.dataset);
    const other =
      button.dataset.with && take_at(job, { ...button.dataset, pipeline: button.dataset.with });
    if (one) change({ open: [one, other].flatMap((take) => (take ? [take.index] : [])).join(",") });
  }
  document.addEventListener("click", (event) => {
    const button = event.target.closest("button.opens");
    if (button) open_of(button);
  });
  // The pictures beside what a pipeline loses by.
  const near_slots = new IntersectionObserver(
    (entries) => {
      for (const { isIntersecting, target } of entries) {
        if (!isIntersecting) continue;
        near_slots.unobserve(target);
        fill_slot(target);
      }
    },
    { rootMargin: "600px" },
  );
  function fill_slot(slot) {
    const take = take_at(slot.closest("article").dataset.job, slot.dataset);
    if (!take || slot.firstChild) return;
    slot.append(
      take.state === "made"
        ? make("img", { src: source(take), alt: "" })
        : make("span", { class: "none", text: take.state }),
    );
  }
  // On paper there is what the page shows; at the address #paper=verdicts the verdicts of all jobs
  // instead, without the takes.
  window.addEventListener("beforeprint", () => {
    if (location.hash !== "#paper=verdicts") return;
    document.documentElement.dataset.paper = "verdicts";
    for (const article of document.querySelectorAll("article[data-job]")) article.hidden = false;
    document.querySelectorAll(".slot").forEach(fill_slot);
    for (const box of document.querySelectorAll(".seeds:empty"))
      draw_seeds(box, box.closest("article").dataset.job);
  });
  window.addEventListener("afterprint", () => {
    if (!document.documentElement.dataset.paper) return;
    delete document.documentElement.dataset.paper;
    draw();
  });

  // The first screen: the edge between reference and takes follows the slider, and a finger or
  // the mouse on the pictures; a press without moving opens the take.
  function set_edge(stage, share) {
    const edge = Math.min(100, Math.max(0, share));
    const slider = stage.querySelector(".edge");
    if (slider) slider.value = edge;
    for (const cut of stage.querySelectorAll(".wiped")) cut.style.setProperty("--edge", edge + "%");
  }
  let moved = 0;
  pages.follow(".cut.wiped", {
    start: () => {
      moved = 0;
    },
    drag: (dx, dy, event, cut) => {
      moved += Math.abs(dx) + Math.abs(dy);
      if (moved < 4) return;
      const { left, width } = cut.getBoundingClientRect();
      set_edge(cut.closest(".shown"), (100 * (event.clientX - left)) / width);
    },
    end: (event, cut) => {
      if (moved < 4) cut.closest("figure").querySelector("button.opens").click();
    },
  });
  const layer = (name, src, alt) => make("img", { class: name, src, alt, draggable: "false" });
  // The reference over each take, where there are both.
  function lay_reference(stage) {
    const reference = stage.querySelector(".side[data-kind=reference] .base");
    for (const cut of stage.querySelectorAll(".side[data-kind=take] .cut")) {
      const wiped = reference && cut.querySelector(".base");
      cut.classList.toggle("wiped", Boolean(wiped));
      if (wiped) cut.append(layer("over", reference.src, ""), make("span", { class: "grip" }));
    }
  }
  function show_case(stage, shown, at) {
    const one = shown[at];
    stage.querySelector(".of-case").textContent = one.title;
    stage.querySelector(".asked").lastChild.textContent = " " + one.asked;
    stage.querySelectorAll(".side").forEach((side, i) => {
      const pane = one.panes[i];
      side.hidden = !pane;
      if (!pane) return;
      side
        .querySelector(".cut")
        .replaceChildren(
          pane.src
            ? layer("base", pane.src, pane.name)
            : make("span", { class: "none", text: pane.words }),
        );
      side.querySelector(".words").textContent = pane.words;
      const button = side.querySelector("button.opens");
      if (button) Object.assign(button.dataset, { case: pane.case, seed: pane.seed });
    });
    lay_reference(stage);
    set_edge(stage, 0);
    stage
      .querySelectorAll(".strips button")
      .forEach((button, i) => button.setAttribute("aria-pressed", i === at));
  }
  function begin_first(stage) {
    lay_reference(stage);
    const slider = stage.querySelector(".edge");
    if (slider) {
      slider.addEventListener("input", () => set_edge(stage, slider.value));
      slider.parentElement.hidden = false;
    }
    const block = by("first-" + stage.closest("article").dataset.job);
    if (!block) return;
    const shown = JSON.parse(block.textContent);
    // The pictures of the case that is shown first are on the page already.
    for (const one of shown)
      one.panes.forEach((pane, i) => {
        const there = stage.querySelectorAll(".side")[i]?.querySelector(".base");
        if (pane.src) pane.src = jpeg(pane.src);
        else if (pane.here && there) pane.src = there.src;
      });
    stage.querySelector(".strips").addEventListener("click", (event) => {
      const button = event.target.closest("button");
      if (button) show_case(stage, shown, Number(button.dataset.at));
    });
  }

  // Where the contents bar leads: the part of the job that is shown.
  const part_called = (name) =>
    [...document.querySelectorAll(`[data-part="${CSS.escape(name)}"]`)].find(
      (part) => part.offsetParent,
    );
  function go_to(name) {
    const part = part_called(name);
    if (part) part.scrollIntoView();
  }
  // Which part the page is at; the last one that begins in its upper half.
  function mark_contents() {
    const links = [...document.querySelectorAll(".contents a")];
    const parts = links.map((link) => part_called(link.dataset.to));
    const above = parts.map(
      (part) => part && part.getBoundingClientRect().top < window.innerHeight / 2,
    );
    const at = above.lastIndexOf(true);
    links.forEach((link, i) => {
      link.hidden = !parts[i];
      if (i === at) link.setAttribute("aria-current", "true");
      else link.removeAttribute("aria-current");
    });
  }

  // What each take of a job is worth, as a dot that opens it: a band for each pipeline, in the
  // order of the table, with a line for each case.
  const chart = { width: 1000, names: 270, right: 20, least_band: 26, row: 5, bottom: 34 };
  function draw_seeds(box, job) {
    const article = box.closest("article");
    const order = [...article.querySelectorAll("a[data-takes]")].map((link) => link.dataset.takes);
    const own = takes.filter((one) => one.job === job && one.worth !== null);
    const cases = [...new Set(own.map((one) => one.case))];
    const band = Math.max(chart.least_band, chart.row * (cases.length + 1));
    const height = band * order.length + chart.bottom;
    const across = (worth) => chart.names + worth * (chart.width - chart.names - chart.right);
    const down = (one) => {
      const row = order.indexOf(facts.pipelines[one.pipeline].id);
      return band * (row + (cases.indexOf(one.case) + 1) / (cases.length + 1));
    };
    const sheet = draw_svg("svg", {
      viewBox: `0 0 ${chart.width} ${height}`,
      role: "img",
      "aria-label": "What each take is worth, by pipeline and case",
    });
    for (const at of [0, 0.25, 0.5, 0.75, 1]) {
      const [x, foot] = [across(at), height - chart.bottom];
      sheet.append(
        draw_svg("line", { x1: x, x2: x, y1: 0, y2: foot, class: "rule" }),
        draw_svg("text", { x, y: foot + 14, class: "tick", text: at.toFixed(2) }),
      );
    }
    const middle = { x: across(0.5), y: height - 4, class: "tick" };
    sheet.append(draw_svg("text", { ...middle, text: "worth of a take; 0 is not a keeper" }));
    order.forEach((name, row) =>
      sheet.append(
        draw_svg("text", { x: chart.names - 14, y: band * (row + 0.5) + 4, text: name }),
      ),
    );
    const lines = new Map();
    for (const one of own) {
      const key = one.pipeline + " " + one.case;
      lines.set(key, [...(lines.get(key) || []), one]);
    }
    for (const some of lines.values()) {
      const worths = some.map((one) => across(one.worth));
      const y = down(some[0]);
      const stroke = facts.pipelines[some[0].pipeline].colour;
      const [x1, x2] = [Math.min(...worths), Math.max(...worths)];
      sheet.append(draw_svg("line", { x1, x2, y1: y, y2: y, stroke, class: "span" }));
    }
    for (const one of own) {
      const words = `${facts.cases[one.case].id}, ${name_of(one)}: worth ${two(one.worth)}`;
      const place = { cx: across(one.worth), cy: down(one), r: 3.4 };
      const fill = facts.pipelines[one.pipeline].colour;
      sheet.append(
        draw_svg(
          "circle",
          { ...place, fill, "data-take": one.index },
          draw_svg("title", { text: words }),
        ),
      );
    }
    sheet.addEventListener("click", (event) => {
      const dot = event.target.closest("circle");
      if (dot) change({ open: dot.dataset.take });
    });
    box.replaceChildren(sheet);
  }

  // Takes beside their reference.
  let panes = [],
    pair = 0,
    came_from = null;
  const pairs = () => {
    const all = [];
    for (let i = 1; i < panes.length; i++) all.push([0, i]);
    for (let i = 1; i < panes.length; i++)
      for (let j = i + 1; j < panes.length; j++) all.push([i, j]);
    return all;
  };
  const view = new pages.View({
    pictures: "#stage .seen, #wiped img",
    surface: ".pane, #wiped",
    moved: () => wipe.slide(),
  });
  const wipe = new pages.Wipe(view);
  function read_overlay(text) {
    if (!text) return null;
    const bytes = Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
    const [width, height, gone, come] = bytes;
    const box = (at) => [0, 1, 2, 3].map((k) => bytes[4 + 4 * at + k] / 255);
    return {
      width,
      height,
      gone: Array.from({ length: gone }, (_, i) => box(i)),
      come: Array.from({ length: come }, (_, i) => box(gone + i)),
      map: bytes.subarray(4 + 4 * (gone + come)),
    };
  }
  function contours(found) {
    const sheet = make("canvas", { width: found.width, height: found.height, class: "map" });
    const brush = sheet.getContext("2d");
    const pixels = brush.createImageData(found.width, found.height);
    found.map.forEach((value, i) => {
      const way = (value - 127.5) / 127.5;
      pixels.data.set(way > 0 ? [0, 114, 178, 220 * way] : [213, 94, 0, -220 * way], 4 * i);
    });
    brush.putImageData(pixels, 0, 0);
    return sheet;
  }
  function boxes(some, kind) {
    const sheet = draw_svg("svg", {
      viewBox: "0 0 1 1",
      preserveAspectRatio: "none",
      class: "map",
    });
    for (const [left, top, right, bottom] of some)
      sheet.append(
        draw_svg("rect", {
          x: left,
          y: top,
          width: right - left,
          height: bottom - top,
          class: kind,
        }),
      );
    return sheet;
  }
  // What judges found: boxes with labels, and limbs between joints.
  function findings(found) {
    const sheet = boxes(
      found.boxes.map((box) => [box.left, box.top, box.right, box.bottom]),
      "come",
    );
    for (const [x1, y1, x2, y2] of found.limbs)
      sheet.append(draw_svg("line", { x1, y1, x2, y2, class: "limb" }));
    const labels = found.boxes.map((box) => {
      const label = make("span", { class: "label", text: box.label });
      label.style.left = 100 * Math.max(0, box.left) + "%";
      // A face is within a person, whose label stands at the top; a word is not to be covered.
      if (box.part === "face") label.style.bottom = 100 * Math.max(0, 1 - box.bottom) + "%";
      else if (box.part === "word" && box.top > 0.06)
        label.style.bottom = 100 * (1 - box.top) + "%";
      else label.style.top = 100 * Math.max(0, box.top) + "%";
      return label;
    });
    return [sheet, ...labels];
  }
  // A pane's picture with what is drawn over it. `lone` is the overlay of the only take beside
  // the reference: what vanished in it is drawn on the reference.
  function pane_picture(pane, lone) {
    const inside = make("div", { class: "seen" });
    if (pane.src) {
      inside.append(make("img", { src: pane.src, alt: pane.name, draggable: "false" }));
    } else {
      inside.append(make("span", { class: "none", text: pane.take.notes }));
    }
    if (state.overlay === "contours" && pane.overlay) inside.append(contours(pane.overlay));
    if (state.overlay === "details") {
      if (pane.overlay) inside.append(boxes(pane.overlay.come, "come"));
      if (!pane.take && lone) inside.append(boxes(lone.gone, "gone"));
    }
    if (state.overlay === "found" && pane.found) inside.append(...findings(pane.found));
    return inside;
  }
  const keeper_words = (keeper) => (keeper === null ? "" : keeper ? ", keeper" : ", not a keeper");
  function take_words(take) {
    return [
      ` structure ${two(take.structure)}, adherence ${two(take.adherence)}`,
      `, style ${two(take.style)}`,
      keeper_words(take.keeper),
      take.notes ? "; " + take.notes : "",
      take.cost === null ? "" : `; cost ${take.cost}`,
      take.seconds === null ? "" : `, ${take.seconds} s`,
    ].join("");
  }
  function pane_caption(pane) {
    const caption = make("figcaption", {}, make("b", { text: pane.name }));
    if (!pane.take) return caption;
    if (pane.take.state === "made") caption.append(take_words(pane.take));
    if (facts.originals && pane.take.file) {
      const href = facts.originals + "/" + pane.take.file;
      const link = { href: href, target: "_blank", rel: "noopener", text: "original" };
      caption.append(" ", make("a", link));
    }
    return caption;
  }
  // What a pane shows: the picture, and what can be drawn over it.
  function reference_panes(number) {
    const { reference, found } = pictures(number);
    return reference
      ? [{ name: "reference", src: jpeg(reference), found: found && found.reference }]
      : [];
  }
  function take_pane(number, take) {
    const made = take.state === "made";
    const { overlays, found } = pictures(number);
    return {
      name: name_of(take),
      take,
      src: made ? source(take) : null,
      overlay: made ? read_overlay((overlays || [])[take.picture]) : null,
      found: made && found ? found.takes[take.picture] : null,
    };
  }
  function open_takes() {
    const own = state.open
      .split(",")
      .map(Number)
      .filter((index) => takes[index])
      .slice(0, 4)
      .map((index) => takes[index]);
    const dialog = by("compare");
    if (!own.length || state.open === "") {
      if (dialog.open) dialog.close();
      return;
    }
    const number = own[0].case;
    const about = facts.cases[number];
    const shown = own.filter((one) => one.case === number);
    panes = [...reference_panes(number), ...shown.map((take) => take_pane(number, take))];
    by("compare-title").textContent = about.id + ": " + shown.map(name_of).join(" and ");
    by("compare-asked").textContent = about.prompt.join(", ");
    // Tall pictures stay on the page.
    const widest = Math.round((62 * about.frame[0]) / about.frame[1]) + "vh";
    by("wipe").style.maxWidth = widest;
    const lone = panes.length === 2 && panes[0].name === "reference" ? panes[1].overlay : null;
    by("stage").replaceChildren(
      ...panes.map((pane) => {
        const inside = pane_picture(pane, lone);
        const figure = make(
          "figure",
          {},
          make("div", { class: "pane" }, inside),
          pane_caption(pane),
        );
        figure.style.maxWidth = widest;
        return figure;
      }),
    );
    by("overlay").value = state.overlay;
    by("overlay-words").textContent =
      {
        none: "",
        contours: "Blue: contours run as in the reference. Orange: they do not.",
        details: "Solid: new in the take." + (lone ? " Dashed, on the reference: vanished." : ""),
        found: "Boxes: what judges found. Lines: joints.",
      }[state.overlay] || "";
    draw_wipe();
    view.whole();
    if (!dialog.open) {
      came_from = document.activeElement;
      dialog.showModal();
    }
  }
  function draw_wipe() {
    const all = pairs().filter(([a, b]) => panes[a].src && panes[b].src);
    const on = state.wipe !== "" && all.length > 0;
    pair = on ? Number(state.wipe) % all.length || 0 : 0;
    by("wipe").hidden = !on;
    by("stage").hidden = on;
    by("wiping").setAttribute("aria-pressed", on);
    by("wiping").disabled = all.length === 0;
    by("next-wipe").disabled = !on || all.length < 2;
    if (!on) return;
    const [under, over] = all[pair].map((at) => panes[at]);
    wipe.show(under, over);
  }
  function step(by_much) {
    const order = [...document.querySelectorAll(".case")].flatMap((section) => section.takes);
    const at = order.indexOf(Number(state.open.split(",")[0]));
    if (order.length)
      change({ open: String(order[(at + by_much + order.length) % order.length]) }, true);
  }
  function hold_reference(on) {
    if (!panes.length || panes[0].name !== "reference") return;
    document.querySelectorAll("#stage .seen > img").forEach((image, i) => {
      image.src = on ? panes[0].src : panes[i].src;
    });
  }

  function draw() {
    for (const article of document.querySelectorAll("article[data-job]"))
      article.hidden = article.dataset.job !== state.job;
    for (const link of document.querySelectorAll(".jobs a"))
      if (link.dataset.job === state.job) link.setAttribute("aria-current", "page");
      else link.removeAttribute("aria-current");
    options();
    for (const key of ["case", "pipeline", "seed", "show", "sort"])
      by("f-" + key).value = state[key];
    draw_under();
    for (const box of document.querySelectorAll("article:not([hidden]) .seeds:empty"))
      draw_seeds(box, state.job);
    draw_takes();
    open_takes();
    mark_contents();
  }
  let offered = "";
  function options() {
    if (offered === state.job) return;
    offered = state.job;
    const own = takes.filter((one) => one.job === state.job);
    const offer = (id, every, some) =>
      by(id).replaceChildren(
        make("option", { value: "", text: every }),
        ...some.map((one) => make("option", { value: one, text: one })),
      );
    offer("f-case", "all", [...new Set(own.map((one) => facts.cases[one.case].id))]);
    offer("f-pipeline", "all", [...new Set(own.map((one) => facts.pipelines[one.pipeline].id))]);
    offer("f-seed", "all", [...new Set(own.map((one) => String(one.seed)))]);
  }

  for (const key of ["case", "pipeline", "seed", "show", "sort"])
    by("f-" + key).addEventListener("change", (event) => change({ [key]: event.target.value }));
  by("filters").addEventListener("submit", (event) => event.preventDefault());
  by("f-clear").addEventListener("click", () =>
    change({ case: "", pipeline: "", seed: "", show: "all", sort: "pipeline" }),
  );
  document.querySelectorAll(".jobs a").forEach((link) =>
    link.addEventListener("click", (event) => {
      event.preventDefault();
      change(Object.assign({}, plain, { job: link.dataset.job }));
      window.scrollTo(0, 0);
    }),
  );
  document.addEventListener("click", (event) => {
    const link = event.target.closest("a[data-to], a[data-takes]");
    if (!link) return;
    event.preventDefault();
    if (link.dataset.to) change({ part: link.dataset.to });
    else change({ pipeline: link.dataset.takes, part: "cases" });
    go_to(state.part);
  });
  let waiting = false;
  document.addEventListener(
    "scroll",
    () => {
      if (waiting) return;
      waiting = true;
      requestAnimationFrame(() => {
        waiting = false;
        mark_contents();
      });
    },
    { passive: true },
  );
  by("earlier").addEventListener("click", () => step(-1));
  by("later").addEventListener("click", () => step(1));
  by("nearer").addEventListener("click", () => view.zoom(1.5));
  by("further").addEventListener("click", () => view.zoom(1 / 1.5));
  by("whole").addEventListener("click", () => view.whole());
  by("wiping").addEventListener("click", () =>
    change({ wipe: state.wipe === "" ? "0" : "" }, true),
  );
  by("next-wipe").addEventListener("click", () => change({ wipe: String(pair + 1) }, true));
  by("overlay").addEventListener("change", (event) =>
    change({ overlay: event.target.value }, true),
  );
  by("close").addEventListener("click", () => by("compare").close());
  by("compare").addEventListener("close", () => {
    if (state.open !== "") change({ open: "", wipe: "", overlay: "none" });
    if (came_from && came_from.isConnected) came_from.focus();
  });

  document.addEventListener("keydown", (event) => {
    if (!by("compare").open || pages.with_modifier(event) || pages.arrow_at(event)) return;
    const key = pages.plain_key(event);
    const overlays = Array.from(by("overlay").options, (option) => option.value);
    const keys = {
      ArrowLeft: () => step(-1),
      ArrowRight: () => step(1),
      ...view.keys(),
      w: () => by("wiping").click(),
      e: () => by("next-wipe").click(),
      Escape: () => by("compare").close(),
      o: () =>
        change(
          { overlay: overlays[(overlays.indexOf(state.overlay) + 1) % overlays.length] },
          true,
        ),
      r: () => {
        if (!event.repeat) hold_reference(true);
      },
    };
    if (!keys[key]) return;
    event.preventDefault();
    keys[key]();
  });
  document.addEventListener("keyup", (event) => {
    if (event.key.toLowerCase() === "r") hold_reference(false);
  });

  // On paper there is no scrolling: all that is asked for is there.
  window.addEventListener("beforeprint", () => document.querySelectorAll(".case").forEach(fill));
  for (const name of ["hashchange", "popstate"])
    window.addEventListener(name, () => {
      read_address();
      draw();
      if (state.part) go_to(state.part);
    });
  by("filters").hidden = false;
  document.querySelector(".keys").hidden = false;
  // The previews come after this script in the file.
  read_address();
  for (const article of document.querySelectorAll("article[data-job]"))
    article.hidden = article.dataset.job !== state.job;
  document.querySelectorAll(".shown").forEach(begin_first);
  function begin() {
    draw();
    document.querySelectorAll(".slot").forEach((slot) => near_slots.observe(slot));
    if (state.part) go_to(state.part);
  }
  if (document.readyState === "loading") document.addEventListener("DOMContentLoaded", begin);
  else begin();
})();
