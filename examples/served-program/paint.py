#!/usr/bin/env python3
"""A program that stays loaded, with nothing but Python's own library.

It gets a request a line on its input and answers each in a line on its output:

    engines:
      bands:
        kind: command
        command: [python3, paint.py]
        serve: lines
        about: {version: "1", takes: [text_alone]}

What it makes is simple: bands of colour from the prompt and the seed. A real one
would load its model before it says that it is ready.
"""
import hashlib
import json
import os
import struct
import sys
import zlib


def write_png(file, width, height, rows):
    def chunk(kind, body):
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))
    flat = b"".join(b"\0" + row for row in rows)
    with open(file, "wb") as out:
        out.write(b"\x89PNG\r\n\x1a\n")
        out.write(chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)))
        out.write(chunk(b"IDAT", zlib.compress(flat)) + chunk(b"IEND", b""))


def paint(asked):
    if asked["text"] == "something forbidden":
        return {"failed": "refused", "why": "This prompt is not painted."}
    width, height = asked["size"]
    seed = asked["seeds"][0]
    noise = hashlib.sha256(f"{asked['text']} {seed}".encode()).digest()
    rows = [bytes((noise[(x // 48 + y // 8 * 3) % 32] + x // 3) % 256 for x in range(3 * width)) for y in range(height)]
    write_png(os.path.join(asked["folder"], "picture.png"), width, height, rows)
    return {"seed": seed, "cost": 0, "says": {"bands": height // 8}}


def say(answer):
    print(json.dumps(answer), flush=True)


say({"ready": True})
for line in sys.stdin:
    asked = json.loads(line)
    say({"id": asked["id"], **paint(asked)})
