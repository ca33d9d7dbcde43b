// Lettering: whether there is any, where, and what it says, by the program tesseract.

import { execFile, execFileSync } from "node:child_process";

export const name = "letters";
export const outputs = [
  { name: "word", datatype: "BYTES", shape: [-1, -1] },
  { name: "word_box", datatype: "FP32", shape: [-1, -1, 5] },
];

const SECONDS = 60;
// Ways of reading: lettering anywhere, in no order, as on signs (11), and blocks of text, as on labels
// (3). Of 12 photographs with lettering (bench/judges/photographs.csv), the first reads something in
// 7 and the second in 3, but two of these better; titles of drawn cards only the second reads. Words
// over a busy picture are read where the lightest or the darkest parts alone are looked at.
const WAYS = [
  { layout: "11", shows: pixmap, scale: 1 },
  { layout: "3", shows: pixmap, scale: 1 },
  { layout: "11", shows: lightest, scale: 0.5 },
  { layout: "11", shows: darkest, scale: 0.5 },
];
// From which value on all colours of a pixel are light, and up to which all are dark.
const LIGHT = 217;
const DARK = 31;
// Letters of fewer pixels than about 20 are not read; smaller pictures are enlarged to this.
const LEAST_EDGE = 1600;

export const version = `3-${programVersion()}`;

function programVersion() {
  try {
    const said = execFileSync("tesseract", ["--version"], { encoding: "utf8", stdio: "pipe" });
    return /tesseract v?([\d.]+)/.exec(said)?.[1] ?? "unknown";
  } catch {
    return "missing";
  }
}

export async function load() {
  if (version === "3-missing") {
    throw new Error("the program tesseract is not installed");
  }

  const languages = execFileSync("tesseract", ["--list-langs"], { encoding: "utf8" });
  if (!languages.split("\n").includes("eng")) {
    throw new Error("tesseract has no data for English (Debian: tesseract-ocr-eng)");
  }

  return { find };
}

async function find(picture) {
  const shown = enlarged(picture);
  const words = [];
  for (const way of WAYS) {
    const size = { columns: shown.columns * way.scale, rows: shown.rows * way.scale };
    for (const word of await read(way.shows(shown), way.layout)) {
      keepSurer(words, inShares(word, size));
    }
  }

  return {
    word: words.map((one) => one.said),
    word_box: words.map((one) => [
      one.left,
      one.top,
      one.left + one.width,
      one.top + one.height,
      one.sure / 100,
    ]),
  };
}

function inShares(word, size) {
  return {
    ...word,
    left: word.left / size.columns,
    top: word.top / size.rows,
    width: word.width / size.columns,
    height: word.height / size.rows,
  };
}

// Adds a word, unless one in its place is surer.
function keepSurer(words, word) {
  const at = words.findIndex((other) => overlap(other, word) > 0.5);
  if (at < 0) {
    words.push(word);
  } else if (word.sure > words[at].sure) {
    words[at] = word;
  }
}

// The share of the smaller box that lies in the other.
function overlap(one, other) {
  const along = (a, b, from, size) =>
    Math.min(a[from] + a[size], b[from] + b[size]) - Math.max(a[from], b[from]);
  const shared =
    Math.max(0, along(one, other, "left", "width")) *
    Math.max(0, along(one, other, "top", "height"));
  return shared / Math.max(1e-9, Math.min(one.width * one.height, other.width * other.height));
}

function read(bytes, layout) {
  return new Promise((resolve, reject) => {
    const limits = { timeout: SECONDS * 1000, maxBuffer: 32e6 };
    const program = execFile(
      "tesseract",
      ["-", "-", "-l", "eng", "--psm", layout, "tsv"],
      // One thread each: the judge's speed must not depend on what else runs here.
      { ...limits, env: { ...process.env, OMP_THREAD_LIMIT: "1" } },
      (error, said) => (error ? reject(new Error(error.message)) : resolve(wordsIn(said))),
    );
    program.stdin.on("error", () => {});
    program.stdin.end(bytes);
  });
}

// The words of tesseract's table, whose rows of level 5 are words.
function wordsIn(table) {
  return table
    .split("\n")
    .map((line) => line.split("\t"))
    .filter((cells) => cells[0] === "5" && cells[11]?.trim())
    .map((cells) => ({
      left: Number(cells[6]),
      top: Number(cells[7]),
      width: Number(cells[8]),
      height: Number(cells[9]),
      sure: Number(cells[10]),
      said: cells[11].trim(),
    }))
    .filter((one) => one.sure > 0);
}

function enlarged(picture) {
  const by = LEAST_EDGE / Math.max(picture.rows, picture.columns);
  if (by <= 1) {
    return picture;
  }

  const rows = Math.max(1, Math.round(picture.rows * by));
  const columns = Math.max(1, Math.round(picture.columns * by));
  const values = new Float32Array(rows * columns * 3);
  for (let row = 0; row < rows; row += 1) {
    for (let column = 0; column < columns; column += 1) {
      const at = (row * columns + column) * 3;
      blend(picture, (row + 0.5) / by - 0.5, (column + 0.5) / by - 0.5, values, at);
    }
  }

  return { rows, columns, values };
}

// Bilinear interpolation of one pixel.
function blend(picture, row, column, into, at) {
  const top = Math.min(Math.max(Math.floor(row), 0), picture.rows - 1);
  const left = Math.min(Math.max(Math.floor(column), 0), picture.columns - 1);
  const bottom = Math.min(top + 1, picture.rows - 1);
  const right = Math.min(left + 1, picture.columns - 1);
  const down = Math.min(Math.max(row - top, 0), 1);
  const along = Math.min(Math.max(column - left, 0), 1);
  const value = (y, x, colour) => picture.values[(y * picture.columns + x) * 3 + colour];
  for (let colour = 0; colour < 3; colour += 1) {
    const above = value(top, left, colour) * (1 - along) + value(top, right, colour) * along;
    const below = value(bottom, left, colour) * (1 - along) + value(bottom, right, colour) * along;
    into[at + colour] = above * (1 - down) + below * down;
  }
}

// A picture as a portable pixmap.
function pixmap(picture) {
  const head = Buffer.from(`P6\n${picture.columns} ${picture.rows}\n255\n`);
  return Buffer.concat([head, Buffer.from(Uint8ClampedArray.from(picture.values))]);
}

// The lightest parts as black on white, and the darkest.
function lightest(picture) {
  return bitmap(picture, (red, green, blue) => Math.min(red, green, blue) >= LIGHT);
}

function darkest(picture) {
  return bitmap(picture, (red, green, blue) => Math.max(red, green, blue) <= DARK);
}

// A picture of half the size as a portable graymap: black where `is` holds, grey where it does so for
// some of four pixels.
function bitmap(picture, is) {
  const columns = Math.floor(picture.columns / 2);
  const rows = Math.floor(picture.rows / 2);
  const head = Buffer.from(`P5\n${columns} ${rows}\n255\n`);
  const grey = new Uint8Array(columns * rows);
  const colours = picture.values;
  for (let row = 0; row < rows; row += 1) {
    for (let column = 0; column < columns; column += 1) {
      let white = 4;
      for (const corner of [0, 1, picture.columns, picture.columns + 1]) {
        const at = (2 * row * picture.columns + 2 * column + corner) * 3;
        white -= is(colours[at], colours[at + 1], colours[at + 2]);
      }

      grey[row * columns + column] = Math.round((white * 255) / 4);
    }
  }

  return Buffer.concat([head, Buffer.from(grey)]);
}
