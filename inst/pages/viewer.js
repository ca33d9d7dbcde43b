// What every page has in common: making elements, and looking at pictures. Pages are written as
// viewer.js followed by their own script.
const pages = (function () {
  "use strict";
  const by = (id) => document.getElementById(id);
  function make(name, attributes, ...inside) {
    const element = document.createElement(name);
    fill(element, attributes, inside);
    return element;
  }
  function draw(name, attributes, ...inside) {
    const element = document.createElementNS("http://www.w3.org/2000/svg", name);
    fill(element, attributes, inside);
    return element;
  }
  function fill(element, attributes, inside) {
    for (const [key, value] of Object.entries(attributes || {})) {
      if (key === "text") element.textContent = value;
      else element.setAttribute(key, value);
    }
    element.append(...inside.filter((one) => one !== null));
  }
  function swatch(colour) {
    return draw(
      "svg",
      { class: "swatch", viewBox: "0 0 1 1", "aria-hidden": "true" },
      draw("rect", { width: 1, height: 1, fill: colour }),
    );
  }

  // Follows fingers, pens and the mouse on elements that match `surface`. `drag` is told each
  // step in pixels, `pinch` the factor by which two fingers have moved apart, `turn` (optional)
  // the direction of the wheel.
  function follow(surface, { start, drag, pinch, turn, end }) {
    const fingers = new Map();
    const far = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]);
    document.addEventListener("pointerdown", (event) => {
      const on = event.target.closest(surface);
      if (!on || event.button > 0) return;
      event.preventDefault();
      fingers.set(event.pointerId, { at: [event.clientX, event.clientY], on });
      if (start) start(event, on);
    });
    document.addEventListener("pointermove", (event) => {
      const finger = fingers.get(event.pointerId);
      if (!finger) return;
      // The button was let go outside the window.
      if (event.pointerType === "mouse" && event.buttons === 0) {
        fingers.delete(event.pointerId);
        return;
      }
      const now = [event.clientX, event.clientY];
      const other = [...fingers].find(([id]) => id !== event.pointerId);
      if (other && pinch) {
        const [was, is] = [far(finger.at, other[1].at), far(now, other[1].at)];
        pinch(is / Math.max(20, was));
      } else {
        drag(now[0] - finger.at[0], now[1] - finger.at[1], event, finger.on);
      }
      finger.at = now;
    });
    for (const name of ["pointerup", "pointercancel"])
      document.addEventListener(name, (event) => {
        const finger = fingers.get(event.pointerId);
        fingers.delete(event.pointerId);
        if (finger && end) end(event, finger.on);
      });
    if (turn)
      document.addEventListener(
        "wheel",
        (event) => {
          if (!event.target.closest(surface)) return;
          event.preventDefault();
          turn(event.deltaY < 0 ? 1 : -1);
        },
        { passive: false },
      );
  }

  // One zoom and one place for all pictures of a stage, so that they move in step. `pictures`
  // selects what is moved, `surface` what is dragged, if anything; `moved` is called after each
  // change.
  class View {
    constructor({ pictures, surface, moved }) {
      this.pictures = pictures;
      this.moved = moved || (() => {});
      this.scale = 1;
      this.x = 0;
      this.y = 0;
      if (surface)
        follow(surface, {
          drag: (dx, dy, event, on) =>
            this.move((100 * dx) / on.clientWidth, (100 * dy) / on.clientHeight),
          pinch: (times) => this.zoom(times),
          turn: (way) => this.zoom(way > 0 ? 1.2 : 1 / 1.2),
        });
    }
    place() {
      for (const picture of document.querySelectorAll(this.pictures))
        picture.style.transform = `translate(${this.x}%, ${this.y}%) scale(${this.scale})`;
      this.moved();
    }
    zoom(times) {
      this.scale = Math.min(16, Math.max(1, this.scale * times));
      this.move(0, 0);
    }
    move(dx, dy) {
      const most = 50 * (this.scale - 1);
      this.x = Math.min(most, Math.max(-most, this.x + dx));
      this.y = Math.min(most, Math.max(-most, this.y + dy));
      this.place();
    }
    whole() {
      this.scale = 1;
      this.x = 0;
      this.y = 0;
      this.place();
    }
    // The keys that every page has for this.
    keys() {
      return {
        "+": () => this.zoom(1.5),
        "=": () => this.zoom(1.5),
        "-": () => this.zoom(1 / 1.5),
        0: () => this.whole(),
      };
    }
  }

  // A picture over another, cut at an edge that a slider moves. The edge lies on the page,
  // whatever the zoom: the picture is cut where it shows.
  class Wipe {
    constructor(view) {
      this.view = view;
      by("edge").addEventListener("input", () => this.slide());
    }
    show(under, over) {
      for (const [id, picture] of Object.entries({ under, over })) {
        by(id).src = picture.src;
        by(id).alt = picture.name;
      }
      by("wipe-of").textContent = over.name + " over " + under.name;
      this.slide();
    }
    slide() {
      const { x, scale } = this.view;
      const edge = 50 + (by("edge").value - 50 - x) / scale;
      by("over").style.clipPath = `inset(0 ${100 - edge}% 0 0)`;
    }
  }

  const clamp = (x, low, high) => Math.min(high, Math.max(low, x));
  const arrow_at = (event) =>
    event.key.startsWith("Arrow") && event.target.closest?.("input, select, textarea");
  const plain_key = (event) => (event.key.length === 1 ? event.key.toLowerCase() : event.key);
  const with_modifier = (event) => event.ctrlKey || event.metaKey || event.altKey;

  return {
    by,
    make,
    draw,
    swatch,
    clamp,
    follow,
    View,
    Wipe,
    arrow_at,
    plain_key,
    with_modifier,
  };
})();
