// A map of grey values as large as its picture, drawn pixel by pixel: a pixel belongs to a shape
// if its centre does. What was drawn since begin() can be taken back.
pages.Bitmap = class {
  constructor(width, height) {
    this.width = width;
    this.height = height;
    this.data = new Uint8Array(width * height);
    this.begin();
  }

  begin() {
    this.dirty = null;
    this.origin = null;
  }
  // Notes that the pixels of a box are about to change; returns the box within the picture.
  touch(left, top, right, bottom) {
    if (!this.origin) this.origin = this.data.slice();
    const box = [
      Math.max(0, Math.floor(left)),
      Math.max(0, Math.floor(top)),
      Math.min(this.width, Math.ceil(right)),
      Math.min(this.height, Math.ceil(bottom)),
    ];
    if (box[0] >= box[2] || box[1] >= box[3]) return null;
    const was = this.dirty || box;
    this.dirty = [
      Math.min(was[0], box[0]),
      Math.min(was[1], box[1]),
      Math.max(was[2], box[2]),
      Math.max(was[3], box[3]),
    ];
    return box;
  }
  // What has changed since begin(), as a patch, or null.
  end() {
    const { dirty, origin } = this;
    this.begin();
    if (!dirty) return null;
    return { box: dirty, before: this.cut(origin, dirty), after: this.cut(this.data, dirty) };
  }
  cut(data, [left, top, right, bottom]) {
    const part = new Uint8Array((right - left) * (bottom - top));
    for (let y = top; y < bottom; y++)
      part.set(
        data.subarray(y * this.width + left, y * this.width + right),
        (y - top) * (right - left),
      );
    return part;
  }
  paste([left, top, right, bottom], part) {
    const wide = right - left;
    for (let y = top; y < bottom; y++)
      this.data.set(part.subarray((y - top) * wide, (y - top + 1) * wide), y * this.width + left);
  }

  // A stroke of a round brush from one point to another.
  stroke([x1, y1], [x2, y2], radius, value) {
    const box = this.touch(
      Math.min(x1, x2) - radius,
      Math.min(y1, y2) - radius,
      Math.max(x1, x2) + radius,
      Math.max(y1, y2) + radius,
    );
    if (!box) return;
    const [dx, dy] = [x2 - x1, y2 - y1];
    const length = dx * dx + dy * dy;
    for (let y = box[1]; y < box[3]; y++)
      for (let x = box[0]; x < box[2]; x++) {
        const [px, py] = [x + 0.5 - x1, y + 0.5 - y1];
        const t = length ? Math.min(1, Math.max(0, (px * dx + py * dy) / length)) : 0;
        const [ex, ey] = [px - t * dx, py - t * dy];
        if (ex * ex + ey * ey <= radius * radius) this.data[y * this.width + x] = value;
      }
  }
  rectangle([left, top, right, bottom], value) {
    const box = this.touch(
      Math.ceil(left - 0.5),
      Math.ceil(top - 0.5),
      Math.ceil(right - 0.5),
      Math.ceil(bottom - 0.5),
    );
    if (!box) return;
    for (let y = box[1]; y < box[3]; y++)
      this.data.fill(value, y * this.width + box[0], y * this.width + box[2]);
  }
  // By the even-odd rule.
  polygon(points, value) {
    const ys = points.map((point) => point[1]);
    const box = this.touch(0, Math.min(...ys), this.width, Math.max(...ys));
    if (!box) return;
    for (let y = box[1]; y < box[3]; y++) {
      const crossings = [];
      points.forEach(([x1, y1], i) => {
        const [x2, y2] = points[(i + 1) % points.length];
        const middle = y + 0.5;
        if (y1 <= middle !== y2 <= middle)
          crossings.push(x1 + ((middle - y1) / (y2 - y1)) * (x2 - x1));
      });
      crossings.sort((a, b) => a - b);
      for (let k = 0; k + 1 < crossings.length; k += 2) {
        const from = Math.max(0, Math.ceil(crossings[k] - 0.5));
        const to = Math.min(this.width, Math.ceil(crossings[k + 1] - 0.5));
        if (from < to) this.data.fill(value, y * this.width + from, y * this.width + to);
      }
    }
  }
  // Every pixel that is like one of the picture.
  matching(like, value) {
    this.touch(0, 0, this.width, this.height);
    for (let i = 0; i < this.data.length; i++) if (like(i)) this.data[i] = value;
  }
  // Those that hang together with it, side by side.
  flood([x, y], like, value) {
    const start = Math.floor(y) * this.width + Math.floor(x);
    if (x < 0 || y < 0 || x >= this.width || y >= this.height) return;
    this.touch(0, 0, this.width, this.height);
    const seen = new Uint8Array(this.data.length);
    const open = [start];
    seen[start] = 1;
    const visit = (i) => {
      if (!seen[i] && like(i)) {
        seen[i] = 1;
        open.push(i);
      }
    };
    while (open.length) {
      const i = open.pop();
      this.data[i] = value;
      const column = i % this.width;
      if (column > 0) visit(i - 1);
      if (column < this.width - 1) visit(i + 1);
      if (i >= this.width) visit(i - this.width);
      if (i < this.data.length - this.width) visit(i + this.width);
    }
  }
  fill(value) {
    this.touch(0, 0, this.width, this.height);
    this.data.fill(value);
  }

  // Draws the pixels of a box in one colour, the more opaque the higher they are.
  show(canvas, [red, green, blue], inverted, box = [0, 0, this.width, this.height]) {
    const [left, top, right, bottom] = box;
    if (right <= left || bottom <= top) return;
    const image = new ImageData(right - left, bottom - top);
    const part = this.cut(this.data, box);
    for (let i = 0; i < part.length; i++) {
      const value = inverted ? 255 - part[i] : part[i];
      image.data.set([red, green, blue, value * 0.55], 4 * i);
    }
    canvas.getContext("2d").putImageData(image, left, top);
  }
  // As a PNG in base64, grey as it is here.
  async png() {
    const image = new ImageData(this.width, this.height);
    for (let i = 0; i < this.data.length; i++) {
      const value = this.data[i];
      image.data[4 * i] = value;
      image.data[4 * i + 1] = value;
      image.data[4 * i + 2] = value;
      image.data[4 * i + 3] = 255;
    }
    const canvas = pages.make("canvas", { width: this.width, height: this.height });
    canvas.getContext("2d").putImageData(image, 0, 0);
    const blob = await new Promise((done) => canvas.toBlob(done, "image/png"));
    const bytes = new Uint8Array(await blob.arrayBuffer());
    let text = "";
    for (let at = 0; at < bytes.length; at += 8192)
      text += String.fromCharCode(...bytes.subarray(at, at + 8192));
    return btoa(text);
  }
  // Out of a picture of its size.
  static read(image) {
    const { data, width, height } = pages.pixels(image);
    const map = new pages.Bitmap(width, height);
    for (let i = 0; i < map.data.length; i++) map.data[i] = data[4 * i];
    return map;
  }
};

// The pixels of a picture that is loaded.
pages.pixels = function (image) {
  const size = { width: image.naturalWidth, height: image.naturalHeight };
  const context = pages.make("canvas", size).getContext("2d", { willReadFrequently: true });
  context.drawImage(image, 0, 0);
  return context.getImageData(0, 0, size.width, size.height);
};

// Whether pixels of a picture are like that at a point: by their distance in OKLab, in hundredths.
pages.likeness = function ({ data, width }, [x, y], most) {
  const linear = Array.from({ length: 256 }, (_, i) => {
    const v = i / 255;
    return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  });
  const oklab = (i) => {
    const [r, g, b] = [linear[data[4 * i]], linear[data[4 * i + 1]], linear[data[4 * i + 2]]];
    const l = Math.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
    const m = Math.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
    const s = Math.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
    return [
      0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
      1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
      0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
    ];
  };
  const wanted = oklab(Math.floor(y) * width + Math.floor(x));
  return (i) => {
    const own = oklab(i);
    const far = Math.hypot(own[0] - wanted[0], own[1] - wanted[1], own[2] - wanted[2]);
    return 100 * far <= most;
  };
};
