// People and things: faces with their expression, which way they look and a descriptor, joints of
// people, and things of 80 kinds. The nets are those of the package @vladmandic/human, run by the
// WASM backend of @tensorflow/tfjs.

import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { basename, join } from "node:path";

export const name = "people";
export const version = "1-3.3.6";

export const EXPRESSIONS = ["angry", "disgust", "fear", "happy", "neutral", "sad", "surprise"];
const JOINTS = [
  "nose",
  "leftEye",
  "rightEye",
  "leftEar",
  "rightEar",
  "leftShoulder",
  "rightShoulder",
  "leftElbow",
  "rightElbow",
  "leftWrist",
  "rightWrist",
  "leftHip",
  "rightHip",
  "leftKnee",
  "rightKnee",
  "leftAnkle",
  "rightAnkle",
];
const DESCRIPTOR = 1024;

export const outputs = [
  { name: "thing", datatype: "BYTES", shape: [-1, -1] },
  { name: "thing_box", datatype: "FP32", shape: [-1, -1, 5] },
  { name: "face_box", datatype: "FP32", shape: [-1, -1, 5] },
  { name: "expression", datatype: "FP32", shape: [-1, -1, EXPRESSIONS.length] },
  { name: "turn", datatype: "FP32", shape: [-1, -1, 3] },
  { name: "descriptor", datatype: "FP32", shape: [-1, -1, DESCRIPTOR] },
  { name: "figures", datatype: "FP32", shape: [-1, -1, JOINTS.length, 3] },
];

// The nets that are used, by file, with the SHA-256 of what they are.
const NETS = JSON.parse(readFileSync(new URL("people/nets.json", import.meta.url), "utf8"));

// What a look at a picture asks for; the settings of the look before would hold on otherwise.
const FACES_AND_THINGS = {
  face: { enabled: true },
  object: { enabled: true },
  body: { enabled: false },
};
const FIGURES = { face: { enabled: false }, object: { enabled: false }, body: { enabled: true } };

const WHOLE = { top: 0, left: 0, rows: 1, columns: 1 };
// Joints are looked for in each person's box, with this much around it.
const AROUND_PERSON = 0.2;
const MOST_FIGURES = 8;
// A person is told from a thing that looks a little like one, and a figure from joints that are
// guessed here and there.
const SURE_PERSON = 0.3;
const SURE_JOINT = 0.3;
const FEWEST_JOINTS = 6;

export async function load(modules) {
  const require = createRequire(join(modules, "here.js"));
  const folder = (of) => join(modules, "node_modules", of);
  const wasm = folder("@tensorflow/tfjs-backend-wasm/dist/");
  serveNets(folder("@vladmandic/human/models"));
  require("@tensorflow/tfjs-backend-wasm").setWasmPaths(wasm);
  const { Human } = require(folder("@vladmandic/human/dist/human.node-wasm.js"));
  const human = new Human(settings(wasm));
  await human.load();
  // The nets' settings belong to one look at a time.
  let last = Promise.resolve();
  const inTurn = (picture) => {
    const found = last.then(() => find(human, picture));
    last = found.catch(() => {});
    return found;
  };
  return { find: inTurn };
}

function settings(wasm) {
  return {
    backend: "wasm",
    wasmPath: wasm,
    modelBasePath: "http://nets/",
    debug: false,
    // Every picture stands for itself: nothing is taken over from the one before.
    cacheSensitivity: 0,
    skipAllowed: false,
    warmup: "none",
    filter: { enabled: false },
    face: {
      enabled: true,
      detector: { rotation: true, maxDetected: 20, minConfidence: 0.2, iouThreshold: 0.3 },
      mesh: { enabled: true },
      iris: { enabled: false },
      emotion: { enabled: true, minConfidence: 0 },
      description: { enabled: true, minConfidence: 0 },
      antispoof: { enabled: false },
      liveness: { enabled: false },
    },
    body: { enabled: false, modelPath: "movenet-lightning.json", minConfidence: 0.1 },
    hand: { enabled: false },
    object: { enabled: true, modelPath: "centernet.json", maxDetected: 50, minConfidence: 0.15 },
    gesture: { enabled: false },
    segmentation: { enabled: false },
  };
}

// The nets are read from the disk, each checked; nothing else can be fetched by this process.
function serveNets(folder) {
  const nets = Object.entries(NETS).map(([file, hash]) => [file, intact(folder, file, hash)]);
  const bytes = Object.fromEntries(nets);
  globalThis.fetch = async (address) => {
    const file = basename(String(address));
    if (!(file in bytes)) {
      throw new Error(`${file} is none of this judge's files`);
    }

    const type = file.endsWith(".json") ? "application/json" : "application/octet-stream";
    return new Response(bytes[file], { headers: { "content-type": type } });
  };
}

function intact(folder, file, hash) {
  const bytes = readFileSync(join(folder, file));
  if (createHash("sha256").update(bytes).digest("hex") !== hash) {
    throw new Error(`${file} is damaged: install the judge again`);
  }

  return bytes;
}

async function find(human, picture) {
  const { rows, columns } = picture;
  const seen = await detect(human, picture, WHOLE, FACES_AND_THINGS);
  const share = ([x, y, width, height]) => [
    x / columns,
    y / rows,
    (x + width) / columns,
    (y + height) / rows,
  ];
  const things = seen.object.map((one) => ({
    said: one.label,
    box: [...share(one.box), one.score],
  }));
  const figures = await figuresOf(human, picture, things);
  return {
    thing: things.map((one) => one.said),
    thing_box: things.map((one) => one.box),
    face_box: seen.face.map((one) => [...share(one.box), Math.min(one.boxScore, one.faceScore)]),
    expression: seen.face.map(expressionOf),
    turn: seen.face.map(turnOf),
    descriptor: seen.face.map((one) => Array.from(one.embedding ?? Array(DESCRIPTOR).fill(0))),
    figures,
  };
}

// What is found in a part of a picture, in shares of it.
async function detect(human, picture, part, what) {
  const pixels = cropped(picture, part);
  const shape = [1, pixels.rows, pixels.columns, 3];
  const tensor = human.tf.tensor(pixels.values, shape, "float32");
  try {
    const seen = await human.detect(tensor, what);
    if (seen.error) {
      throw new Error(String(seen.error));
    }

    return seen;
  } finally {
    human.tf.dispose(tensor);
  }
}

// The joints of each person; without one, those that are found in the whole picture.
async function figuresOf(human, picture, things) {
  const people = things
    .filter((one) => one.said === "person" && one.box[4] >= SURE_PERSON)
    .sort((a, b) => b.box[4] - a.box[4])
    .slice(0, MOST_FIGURES);
  const parts = people.length ? people.map((one) => around(one.box)) : [WHOLE];
  const figures = [];
  for (const part of parts) {
    const seen = await detect(human, picture, part, FIGURES);
    const joints = seen.body.length ? jointsOf(seen.body[0], part) : [];
    if (joints.filter(([, , sure]) => sure >= SURE_JOINT).length >= FEWEST_JOINTS) {
      figures.push(joints);
    }
  }

  return figures;
}

function around([left, top, right, bottom]) {
  const aside = (right - left) * AROUND_PERSON;
  const above = (bottom - top) * AROUND_PERSON;
  const from = { left: Math.max(0, left - aside), top: Math.max(0, top - above) };
  return {
    ...from,
    columns: Math.min(1, right + aside) - from.left,
    rows: Math.min(1, bottom + above) - from.top,
  };
}

function jointsOf(body, part) {
  return JOINTS.map((joint) => {
    const found = body.keypoints.find((one) => one.part === joint);
    return found
      ? [
          part.left + found.positionRaw[0] * part.columns,
          part.top + found.positionRaw[1] * part.rows,
          found.score,
        ]
      : [0, 0, 0];
  });
}

function expressionOf(face) {
  const said = face.emotion ?? [];
  return EXPRESSIONS.map((word) => said.find((one) => one.emotion === word)?.score ?? 0);
}

// How far a face is turned, in degrees: to the picture's right, up, and clockwise.
function turnOf(face) {
  const { yaw = 0, pitch = 0, roll = 0 } = face.rotation?.angle ?? {};
  const degrees = 180 / Math.PI;
  return [yaw * degrees, pitch * degrees, roll * degrees];
}

function cropped(picture, part) {
  const top = Math.floor(part.top * picture.rows);
  const left = Math.floor(part.left * picture.columns);
  const rows = Math.max(1, Math.min(picture.rows - top, Math.round(part.rows * picture.rows)));
  const wide = Math.round(part.columns * picture.columns);
  const columns = Math.max(1, Math.min(picture.columns - left, wide));
  if (rows === picture.rows && columns === picture.columns) {
    return picture;
  }

  const values = new Float32Array(rows * columns * 3);
  for (let row = 0; row < rows; row += 1) {
    const from = ((top + row) * picture.columns + left) * 3;
    values.set(picture.values.subarray(from, from + columns * 3), row * columns * 3);
  }

  return { rows, columns, values };
}
