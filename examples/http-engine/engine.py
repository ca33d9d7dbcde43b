#!/usr/bin/env python3
"""An engine behind the HTTP contract, with nothing but Python's own library.

Written from inst/contract/openapi.yaml alone. What it makes is simple: it reads
the reference and lets it sink into flat bands of colour; the lower the hold, the
fewer bands. Run it:  python3 engine.py 8600  and then, in another terminal:
sprenn engines --conform --at http://127.0.0.1:8600
"""
import email.parser
import email.policy
import hashlib
import json
import struct
import sys
import zlib
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

ABOUT = {
    "version": "1", "checkpoints": {"bands": {}}, "hold": {"at_0": 2, "at_1": 64},
    "settings": {"tint": {"from": 0, "to": 1, "default": 0}}, "takes": ["text_alone", "mask"],
    "emphasis": "none", "price": 0.001, "seconds": 0.2, "per_call": 4,
}
TAKES = {}  # by key: once made, a take stays what it is and is not paid again


class Problem(Exception):
    def __init__(self, status, title, detail=""):
        self.status, self.title, self.detail = status, title, detail


def read_png(data):
    """Pixels of a PNG of 8 bits without interlace: width, height, channels, rows."""
    if data[:8] != b"\x89PNG\r\n\x1a\n":
        raise Problem(422, "A picture that is none")
    at, packed = 8, b""
    while at < len(data):
        size, kind = struct.unpack(">I4s", data[at:at + 8])
        body = data[at + 8:at + 8 + size]
        if kind == b"IHDR":
            width, height, depth, colour, _, _, lace = struct.unpack(">IIBBBBB", body)
        packed += body if kind == b"IDAT" else b""
        at += size + 12
    if depth != 8 or lace or colour not in (0, 2):
        raise Problem(422, "A PNG of another form than the contract says")
    count = 3 if colour == 2 else 1
    flat, stride, rows, above = zlib.decompress(packed), width * count, [], bytes(width * count)
    for y in range(height):
        how, row = flat[y * (stride + 1)], bytearray(flat[y * (stride + 1) + 1:(y + 1) * (stride + 1)])
        for x in range(stride if how else 0):
            left, up, corner = (row[x - count] if x >= count else 0), above[x], (above[x - count] if x >= count else 0)
            guess = left + up - corner
            near = min((abs(guess - left), 0, left), (abs(guess - up), 1, up), (abs(guess - corner), 2, corner))[2]
            row[x] = (row[x] + (0, left, up, (left + up) // 2, near)[how]) & 255
        rows.append(bytes(row))
        above = row
    return width, height, count, rows


def write_png(width, height, rows):
    def chunk(kind, body):
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
    flat = b"".join(b"\0" + row for row in rows)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)) + chunk(b"IDAT", zlib.compress(flat)) + chunk(b"IEND", b"")


def make(asked, parts, seed):
    if asked.get("checkpoint") not in ABOUT["checkpoints"]:
        raise Problem(422, "No such checkpoint", str(asked.get("checkpoint")))
    for name, value in asked["settings"].items():
        if name not in ABOUT["settings"] or not 0 <= value <= 1:
            raise Problem(422, "No such setting, or not this value of it", name)
    width, height = asked["size"]
    if asked.get("references"):
        name = asked["references"][0]["part"]
        if name not in parts:
            raise Problem(422, "A picture is missing", name)
        w, h, count, rows = read_png(parts[name])
        if (w, h, count) != (width, height, 3):
            raise Problem(422, "The reference is not of the size asked for")
    else:
        noise = hashlib.sha256(f"{asked['text']} {seed}".encode()).digest()
        rows = [bytes((noise[(x // 48 + y // 8 * 3) % 32] + x // 3) % 256 for x in range(3 * width)) for y in range(height)]
    bands = max(2, round(asked.get("knob", 8)))
    tint = asked["settings"].get("tint", 0)
    table = [min(255, int((v * bands // 256) * 255 / (bands - 1) * (1 - tint / 2) + seed % 7)) for v in range(256)]
    made = [row.translate(bytes(table)) for row in rows]
    if asked.get("mask"):
        _, _, _, mask = read_png(parts[asked["mask"]["part"]])
        made = [bytes(a if m[x // 3] > 127 else b for x, (a, b) in enumerate(zip(new, old))) for new, old, m in zip(made, rows, mask)]
    return write_png(width, height, made)


class Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def answer(self, status, body, kind="application/json"):
        body = body if isinstance(body, bytes) else json.dumps(body).encode()
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def serve(self, work):
        try:
            work()
        except Problem as p:
            self.answer(p.status, {"title": p.title, "status": p.status, "detail": p.detail}, "application/problem+json")
        except (KeyError, ValueError, TypeError, IndexError, zlib.error) as e:
            self.answer(400, {"title": "The request can't be read", "status": 400, "detail": str(e)}, "application/problem+json")

    def do_GET(self):
        self.serve(self.get)

    def do_POST(self):
        self.serve(self.post)

    def get(self):
        if self.path == "/about":
            return self.answer(200, ABOUT)
        key, _, number = self.path.removeprefix("/takes/").partition("/")
        made = TAKES.get(key, [])
        if not number.isdigit() or int(number) >= len(made):
            raise Problem(404, "There is no such picture")
        self.answer(200, made[int(number)], "image/png")

    def post(self):
        body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        key, kind = self.headers.get("Idempotency-Key", ""), self.headers.get("Content-Type", "")
        if self.path != "/takes":
            raise Problem(404, "There is no such place")
        if len(key) < 8:
            raise Problem(400, "An Idempotency-Key is missing")
        if not kind.startswith("multipart/form-data"):
            raise Problem(415, "A form is wanted")
        form = email.parser.BytesParser(policy=email.policy.HTTP).parsebytes(b"Content-Type: " + kind.encode() + b"\r\n\r\n" + body)
        parts = {part.get_param("name", header="content-disposition"): part.get_payload(decode=True) for part in form.iter_parts()}
        asked = json.loads(parts["request"])
        seeds = asked["seeds"]
        if len(seeds) > ABOUT["per_call"]:
            raise Problem(422, "More seeds than one request may name")
        if key not in TAKES:
            TAKES[key] = [make(asked, parts, seed) for seed in seeds]
        pictures = [{"href": f"/takes/{key}/{i}", "seed": seed} for i, seed in enumerate(seeds)]
        self.answer(200, {"key": key, "cost": ABOUT["price"] * len(seeds), "pictures": pictures})

    def log_message(self, *args):
        pass


if __name__ == "__main__":
    ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1]) if len(sys.argv) > 1 else 8600), Handler).serve_forever()
