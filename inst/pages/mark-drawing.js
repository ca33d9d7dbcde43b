// What is drawn over the picture: lines and knobs by what is marked, and the map that is painted
// on. `desk` is what the page shows (mark.js).
pages.mark_drawing = function (desk, view) {
  "use strict";
  const { by, draw } = pages;

  // Drawing. Lines are in pixels of the sheet as it lies on the page.
  function lay_out() {
    if (!desk.one || !desk.one.about.size) return;
    const [wide, high] = desk.one.about.size;
    const room = by("table");
    // Where things may lie beyond the picture there is room around it.
    const share = desk.mode === "grow" || desk.mode === "crop" ? 0.6 : 1;
    const scale = share * Math.min(room.clientWidth / wide, room.clientHeight / high);
    by("sheet").style.width = wide * scale + "px";
    by("sheet").style.height = high * scale + "px";
    draw_lines();
  }
  // The map that is painted on, over the picture: of a mask what may change.
  function draw_ink() {
    const map = desk.one.maps.get(desk.map_key());
    const ink = by("ink");
    const mask = desk.mode === "mask" ? desk.one.now.mask : null;
    ink.hidden = !map || (desk.mode === "mask" && !mask);
    if (ink.hidden) return;
    if (ink.width !== map.width || ink.height !== map.height) {
      ink.width = map.width;
      ink.height = map.height;
    }
    show_ink(map);
    const per_pixel = by("sheet").offsetWidth / frame_of_reference();
    ink.style.filter = mask && mask.feather ? `blur(${(mask.feather / 2) * per_pixel}px)` : "";
  }
  function show_ink(map, box) {
    const inverted = desk.mode === "mask" && desk.one.now.mask.invert;
    map.show(by("ink"), desk.mode === "mask" ? [213, 94, 0] : [0, 158, 115], inverted, box);
  }
  // How many pixels of the frame the reference's whole width takes.
  function frame_of_reference() {
    const [l, , r] = inner_window();
    return desk.one.about.inner[0] / (r - l);
  }
  // What of the reference gets into the frame: as fit_window() of the package has it.
  function used_window() {
    const { fit, box, focus } = desk.one.now.crop;
    if (fit !== "crop") return box;
    const [wide, high] = desk.one.about.size;
    const cut = [(box[2] - box[0]) * wide, (box[3] - box[1]) * high];
    const frame = desk.one.about.inner;
    const scale = Math.min(cut[0] / frame[0], cut[1] / frame[1]);
    const window_size = [(frame[0] * scale) / wide, (frame[1] * scale) / high];
    const start = [0, 1].map((k) =>
      pages.clamp(focus[k] - window_size[k] / 2, box[k], box[k + 2] - window_size[k]),
    );
    return [...start, start[0] + window_size[0], start[1] + window_size[1]];
  }

  // The frame before canvas is added, which may show more than the picture.
  function inner_window() {
    const { fit, box } = desk.one.now.crop;
    if (fit === "crop" || fit === "stretch") return used_window();
    const [wide, high] = desk.one.about.size;
    const cut = [(box[2] - box[0]) * wide, (box[3] - box[1]) * high];
    const frame = desk.one.about.inner;
    const scale = Math.max(cut[0] / frame[0], cut[1] / frame[1]);
    const half = [(frame[0] * scale) / wide / 2, (frame[1] * scale) / high / 2];
    const middle = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    return [middle[0] - half[0], middle[1] - half[1], middle[0] + half[0], middle[1] + half[1]];
  }
  // The frame with the canvas that is added at its sides.
  function grown_window() {
    const [l, t, r, b] = inner_window();
    const { left, top, right, bottom } = desk.one.now.grow;
    const [wide, high] = [r - l, b - t];
    return [l - left * wide, t - top * high, r + right * wide, b + bottom * high];
  }

  let scale_x = 1;
  let scale_y = 1;
  const rectangle = ([l, t, r, b]) => ({
    x: l * scale_x,
    y: t * scale_y,
    width: (r - l) * scale_x,
    height: (b - t) * scale_y,
  });
  function outlined(name, attributes, kind) {
    return [
      draw(name, { ...attributes, class: "edge" }),
      draw(name, { ...attributes, class: "line " + kind }),
    ];
  }
  const drawn_box = (box, kind) => outlined("rect", rectangle(box), kind);
  function knob([x, y], kind) {
    const r = 6 / view.scale;
    return draw("circle", { cx: x * scale_x, cy: y * scale_y, r, class: "knob " + kind });
  }
  function knobs([l, t, r, b]) {
    const [x, y] = [(l + r) / 2, (t + b) / 2];
    const at = [
      [l, t],
      [x, t],
      [r, t],
      [l, y],
      [r, y],
      [l, b],
      [x, b],
      [r, b],
    ];
    return at.map((point) => knob(point, "chosen"));
  }
  const label = ([x, y], text) => draw("text", { x: x * scale_x + 5, y: y * scale_y + 16, text });
  const lines = {
    watch: () =>
      desk.one.now.watch.flatMap((region, i) => {
        if (region.drawn) return [];
        const kind = i === desk.chosen ? "chosen" : "";
        return [
          ...drawn_box(region.box, kind),
          label(region.box, region.name),
          ...(i === desk.chosen ? knobs(region.box) : []),
        ];
      }),
    crop: () => {
      const used = used_window();
      const path = ({ x, y, width, height }) => `M${x},${y}h${width}v${height}h${-width}z`;
      return [
        draw("path", {
          d: path(rectangle([-4, -4, 5, 5])) + path(rectangle(used)),
          "fill-rule": "evenodd",
          class: "dim",
        }),
        ...drawn_box(used, "dashed"),
        ...drawn_box(desk.one.now.crop.box, "chosen"),
        ...knobs(desk.one.now.crop.box),
        ...(desk.one.now.crop.fit === "crop" ? [knob(desk.one.now.crop.focus, "")] : []),
      ];
    },
    mask: () =>
      desk.one.now.mask && !desk.one.now.mask.drawn
        ? desk.one.now.mask.boxes.flatMap((box) => drawn_box(box, "chosen"))
        : [],
    grow: () => {
      const frame = grown_window();
      const middle = [(frame[0] + frame[2]) / 2, (frame[1] + frame[3]) / 2];
      return [
        draw("rect", { ...rectangle(frame), class: "added" }),
        ...drawn_box(inner_window(), "dashed"),
        ...drawn_box(frame, "chosen"),
        knob([frame[0], middle[1]], "chosen"),
        knob([frame[2], middle[1]], "chosen"),
        knob([middle[0], frame[1]], "chosen"),
        knob([middle[0], frame[3]], "chosen"),
      ];
    },
    pose: () =>
      (desk.one.now.pose || []).flatMap((figure, i) => [
        ...desk.suite.limbs.flatMap(([from, to]) => {
          if (!figure[from] || !figure[to]) return [];
          const [[x1, y1], [x2, y2]] = [figure[from], figure[to]];
          const ends = {
            x1: x1 * scale_x,
            y1: y1 * scale_y,
            x2: x2 * scale_x,
            y2: y2 * scale_y,
          };
          return outlined("line", ends, i === desk.chosen ? "chosen" : "");
        }),
        ...Object.entries(figure).map(([name, at]) =>
          knob(at, i === desk.chosen && name === desk.joint ? "chosen" : ""),
        ),
      ]),
  };
  function draw_lines() {
    if (!desk.one || !desk.one.about.size) return;
    const sheet = by("sheet");
    scale_x = sheet.offsetWidth;
    scale_y = sheet.offsetHeight;
    const inside = lines[desk.mode]();
    if (desk.ghost) inside.push(...drawn_box(desk.ghost, "chosen dashed"));
    if (desk.corners)
      inside.push(
        ...outlined(
          "polyline",
          { points: desk.corners.map(([x, y]) => [x * scale_x, y * scale_y].join()).join(" ") },
          "chosen",
        ),
        ...desk.corners.map((point) => knob(point, "chosen")),
      );
    if (desk.cursor.on) inside.push(knob(desk.cursor.at, desk.cursor.down ? "chosen" : ""));
    by("lines").replaceChildren(...inside);
  }

  return {
    lay_out,
    ink: draw_ink,
    show_ink,
    lines: draw_lines,
    used_window,
    inner_window,
    grown_window,
  };
};
