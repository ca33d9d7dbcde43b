// A small server that speaks the Open Inference Protocol (version 2, REST).
//
//   node serve.mjs MODEL [--modules FOLDER] [--port PORT] [--listen ADDRESS] [--with-parent]
//
// MODEL is a file beside this one (people, letters). What it needs is read from FOLDER. Once the
// model is loaded, one line is written: "ready PORT". It listens to this machine alone unless
// ADDRESS is another. With --with-parent it ends when its standard input is closed, and so with
// whoever started it.

import http from "node:http";
import { parseArgs } from "node:util";

const LOOPBACK = "127.0.0.1";
const MOST_BYTES = 256e6;
const BYTES_EACH = { UINT8: 1, FP32: 4 };

class Refusal extends Error {
  constructor(status, message) {
    super(message);
    this.status = status;
  }
}

const { values: given, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    modules: { type: "string" },
    port: { type: "string", default: "0" },
    listen: { type: "string", default: LOOPBACK },
    "with-parent": { type: "boolean", default: false },
  },
});
const model = await import(`./${positionals[0]}.mjs`);
const finder = await model.load(given.modules);

const server = http.createServer((request, response) => {
  answer(request)
    .then((said) => send(response, 200, said))
    .catch((error) => send(response, error.status ?? 500, { error: error.message }));
});
server.listen(Number(given.port), given.listen, () => {
  process.stdout.write(`ready ${server.address().port}\n`);
});
if (given["with-parent"]) {
  process.stdin.on("end", () => process.exit(0));
  process.stdin.resume();
}

function send(response, status, said) {
  const body = JSON.stringify(said);
  response.writeHead(status, {
    "Content-Type": "application/json",
    "Content-Length": Buffer.byteLength(body),
  });
  response.end(body);
}

async function answer(request) {
  // A page in a browser of this machine must not get here under another name.
  const host = (request.headers.host ?? "").replace(/:\d+$/, "");
  if (given.listen === LOOPBACK && host !== LOOPBACK && host !== "localhost") {
    throw new Refusal(403, `this server is not ${host}`);
  }

  const path = new URL(request.url, "http://127.0.0.1").pathname;
  const of = `/v2/models/${model.name}`;
  switch (`${request.method} ${path}`) {
    case "GET /v2":
      return { name: "sprenn-judges", version: model.version, extensions: ["binary_tensor_data"] };
    case "GET /v2/health/live":
    case "GET /v2/health/ready":
      return {};
    case `GET ${of}`:
      return {
        name: model.name,
        versions: [model.version],
        platform: "node",
        inputs: [{ name: "picture", datatype: "UINT8", shape: [-1, -1, -1, 3] }],
        outputs: model.outputs,
      };
    case `POST ${of}/infer`:
      return infer(request);
    default:
      throw new Refusal(404, `there is no ${request.method} ${path}`);
  }
}

async function infer(request) {
  const { said, rest } = split(await bodyOf(request), request.headers);
  const pictures = picturesIn(said, rest);
  const wanted = outputsWanted(said);
  const found = [];
  for (const picture of pictures) {
    found.push(await finder.find(picture));
  }

  return {
    id: said.id,
    model_name: model.name,
    model_version: model.version,
    outputs: wanted.map((name) => padded(name, found)),
  };
}

async function bodyOf(request) {
  const parts = [];
  let size = 0;
  for await (const part of request) {
    size += part.length;
    if (size > MOST_BYTES) {
      throw new Refusal(413, `a request of more than ${MOST_BYTES} bytes`);
    }

    parts.push(part);
  }

  return Buffer.concat(parts);
}

// The JSON of a request, and the bytes after it.
function split(body, headers) {
  const stated = headers["inference-header-content-length"];
  const length = stated === undefined ? body.length : Number(stated);
  if (!Number.isInteger(length) || length < 0 || length > body.length) {
    throw new Refusal(400, `no JSON of ${stated} bytes is here`);
  }

  try {
    return { said: JSON.parse(body.subarray(0, length)), rest: body.subarray(length) };
  } catch {
    throw new Refusal(400, "the request is no JSON");
  }
}

// The pictures of the input `picture`: rows x columns x 3 of 0 to 255 each.
function picturesIn(said, rest) {
  const inputs = said?.inputs ?? [];
  const input = inputs.find((one) => one.name === "picture");
  if (input === undefined) {
    throw new Refusal(400, "the input picture is missing");
  }

  const shape = input.shape ?? [];
  const [count, rows, columns, colours] = shape;
  const sound = shape.length === 4 && shape.every((one) => Number.isInteger(one) && one > 0);
  if (!sound || colours !== 3 || !(input.datatype in BYTES_EACH)) {
    throw new Refusal(400, "picture must be pictures x rows x columns x 3 of UINT8 or FP32");
  }

  const values = valuesOf(input, inputs, rest);
  const each = rows * columns * 3;
  if (values.length !== count * each) {
    throw new Refusal(400, `picture has ${values.length} values of ${count * each}`);
  }

  return Array.from({ length: count }, (_, i) => ({
    rows,
    columns,
    values: values.subarray(i * each, (i + 1) * each),
  }));
}

function valuesOf(input, inputs, rest) {
  // Numbers of the type FP32 are colours from 0 to 1.
  const scale = input.datatype === "FP32" ? 255 : 1;
  const size = input.parameters?.binary_data_size;
  if (size === undefined) {
    return Float32Array.from((input.data ?? []).flat(Infinity), (one) => one * scale);
  }

  const before = inputs
    .slice(0, inputs.indexOf(input))
    .reduce((sum, one) => sum + (one.parameters?.binary_data_size ?? 0), 0);
  const bytes = rest.subarray(before, before + size);
  if (input.datatype === "UINT8") {
    return Float32Array.from(bytes);
  }

  const aligned = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length);
  return new Float32Array(aligned.slice(0, aligned.byteLength & ~3)).map((one) => one * scale);
}

function outputsWanted(said) {
  const known = model.outputs.map((one) => one.name);
  const asked = said.outputs ?? model.outputs;
  if (!Array.isArray(asked)) {
    throw new Refusal(400, "outputs must be a list");
  }

  const wanted = asked.map((one) => one.name);
  const unknown = wanted.find((name) => !known.includes(name));
  if (unknown !== undefined) {
    throw new Refusal(400, `there is no output ${unknown}; there are ${known.join(", ")}`);
  }

  return wanted;
}

// One output of all pictures as a tensor. Shorter lists are filled up: text with nothing, numbers
// with -1. A box of that confidence is none.
function padded(name, found) {
  const about = model.outputs.find((one) => one.name === name);
  const inner = about.shape.slice(2);
  const each = inner.reduce((product, one) => product * one, 1);
  const most = Math.max(0, ...found.map((one) => one[name].length));
  const text = about.datatype === "BYTES";
  const data = found.flatMap((one) => {
    const lacking = most - one[name].length;
    return [...one[name].flat(Infinity), ...Array(lacking * each).fill(text ? "" : -1)];
  });
  return { name, datatype: about.datatype, shape: [found.length, most, ...inner], data };
}
