// What a finger, the mouse or the keyboard does on the picture, by tool. Each tool has start(),
// drag() and end(), which are given a point in shares of the picture; `table` tells it the case,
// the pixels and how near is near.
pages.mark_tools = function (table) {
  "use strict";
  const { clamp } = pages;
  const limit_box = ([l, t, r, b], low, high) => {
    const [x, y] = [Math.min(l, r), Math.min(t, b)];
    const [right, bottom] = [Math.max(l, r), Math.max(t, b)];
    return [x, y, right, bottom].map((v) => clamp(v, low, high));
  };

  // Which part of a box a point holds: its sides by letters, "move" inside, or null.
  function hold_of(point, box) {
    const near = table.near();
    const [x, y] = point;
    const inside_x = x > box[0] - near[0] && x < box[2] + near[0];
    const inside_y = y > box[1] - near[1] && y < box[3] + near[1];
    if (!inside_x || !inside_y) return null;
    const side = (at, low, high, far, first, last) => {
      if (Math.abs(at - low) < far && Math.abs(at - low) <= Math.abs(at - high)) return first;
      return Math.abs(at - high) < far ? last : "";
    };
    const held =
      side(y, box[1], box[3], near[1], "n", "s") + side(x, box[0], box[2], near[0], "w", "e");
    return held || "move";
  }
  function moved_box(box, hold, dx, dy, low, high) {
    const [l, t, r, b] = box;
    if (hold === "move") {
      const sx = clamp(dx, low - l, high - r);
      const sy = clamp(dy, low - t, high - b);
      return [l + sx, t + sy, r + sx, b + sy];
    }
    return limit_box(
      [
        hold.includes("w") ? l + dx : l,
        hold.includes("n") ? t + dy : t,
        hold.includes("e") ? r + dx : r,
        hold.includes("s") ? b + dy : b,
      ],
      low,
      high,
    );
  }
  const is_box = (box) => box[2] - box[0] > 0.001 && box[3] - box[1] > 0.001;

  // Drags one of several boxes, or draws a new one. `get` lists them, `put` sets one, `add` makes
  // one of a box and returns its number.
  function box_tool({ get, put, add, low = 0, high = 1 }) {
    let held = null;
    return {
      start(point) {
        const boxes = get();
        const order = boxes.map((_, i) => i);
        order.sort((a, b) => (b === table.chosen()) - (a === table.chosen()));
        for (const at of order) {
          const hold = boxes[at] && hold_of(point, boxes[at]);
          if (hold) {
            held = { at, hold, from: point, box: boxes[at] };
            table.choose(at);
            return;
          }
        }
        held = add ? { at: -1, hold: "se", from: point, box: [...point, ...point] } : null;
      },
      drag(point) {
        if (!held) return;
        const [dx, dy] = [point[0] - held.from[0], point[1] - held.from[1]];
        const box =
          held.at < 0
            ? limit_box([...held.from, ...point], low, high)
            : moved_box(held.box, held.hold, dx, dy, low, high);
        if (held.at < 0) table.ghost(box);
        else if (is_box(box)) put(held.at, box);
        held.last = box;
      },
      end() {
        table.ghost(null);
        if (held && held.at < 0 && held.last && is_box(held.last)) add(held.last);
        held = null;
      },
    };
  }

  // Painting on the map that is chosen; all in its pixels.
  function paint_tool(kind) {
    let last = null;
    let corners = [];
    const pixel = ([x, y]) => [x * table.size()[0], y * table.size()[1]];
    const value = () => (table.setting("erase") ? 0 : 255);
    const like = (at) => pages.likeness(table.pixels(), at, Number(table.setting("tolerance")));
    const inside = ([x, y]) => x >= 0 && y >= 0 && x < 1 && y < 1;
    const kinds = {
      brush: {
        start(point) {
          last = pixel(point);
          table.map().stroke(last, last, table.setting("size") / 2, value());
        },
        drag(point) {
          const now = pixel(point);
          table.map().stroke(last, now, table.setting("size") / 2, value());
          last = now;
        },
      },
      rectangle: {
        start(point) {
          last = point;
        },
        drag(point) {
          table.ghost(limit_box([...last, ...point], 0, 1));
        },
        end(point) {
          const box = limit_box([...last, ...point], 0, 1);
          table.ghost(null);
          table.map().rectangle([...pixel(box), ...pixel(box.slice(2))], value());
        },
      },
      flood: {
        end(point) {
          if (inside(point)) table.map().flood(pixel(point), like(pixel(point)), value());
        },
      },
      colour: {
        end(point) {
          if (inside(point)) table.map().matching(like(pixel(point)), value());
        },
      },
      // Corner by corner; a corner on the first one, or Enter, closes it.
      polygon: {
        end(point) {
          const near = table.near();
          const [first] = corners;
          const closes =
            corners.length > 2 &&
            Math.abs(first[0] - point[0]) < near[0] &&
            Math.abs(first[1] - point[1]) < near[1];
          if (closes) this.close();
          else {
            corners.push(point);
            table.outline(corners);
          }
        },
        close() {
          if (corners.length > 2) table.map().polygon(corners.map(pixel), value());
          this.drop();
        },
        drop() {
          corners = [];
          table.outline(null);
        },
      },
    };
    const own = kinds[kind];
    return {
      painting: true,
      start: (point) => own.start && own.start(point),
      drag: (point) => own.drag && own.drag(point),
      end: (point) => own.end && own.end(point),
      close: () => own.close && own.close(),
      drop: () => own.drop && own.drop(),
    };
  }

  // Moves points; `pick` says which one a point takes, `put` sets it.
  function point_tool({ pick, put }) {
    let held = null;
    return {
      start(point) {
        held = pick(point);
        if (held) put(held, point);
      },
      drag(point) {
        if (held) put(held, point);
      },
      end() {
        held = null;
      },
    };
  }

  return { box_tool, paint_tool, point_tool };
};
