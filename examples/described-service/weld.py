#!/usr/bin/env python3
"""Weld, a service with an interface of its own; python3 weld.py 8471 starts it.

What its makers would write about it:

    POST /pictures makes a picture. The header X-Weld-Key has your key. The body is JSON:

      words   what to make
      from    the picture to start from, PNG in base64
      bands   2 (little is left of it) to 64 (hardly anything changes)
      wide, high   its size in pixels
      seed    the same seed makes the same picture

    The answer is the PNG. Its headers say what it cost (X-Cost) and which seed was used
    (X-Seed). A header X-Order is yours to choose: an order that comes twice is charged once.

    Errors have a status and {"why": TEXT}: 401 the key is wrong, 451 this is not made here,
    422 something in the body can't be used.
"""
import base64
import json
import os
import sys
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

sys.path.insert(0, os.path.join(os.path.dirname(os.path.abspath(__file__)), "..", "http-engine"))
from engine import Problem, read_png, write_png  # noqa: E402

ORDERS = {}
PRICE = 0.002


def weld(asked):
    width, height, count, rows = read_png(base64.b64decode(asked["from"]))
    if (width, height, count) != (asked["wide"], asked["high"], 3):
        raise Problem(422, "from is not of the size asked for")
    bands = max(2, round(asked.get("bands", 8)))
    shade = asked.get("seed", 0) % 7
    table = bytes(min(255, (v * bands // 256) * 255 // (bands - 1) + shade) for v in range(256))
    return write_png(width, height, [row.translate(table) for row in rows])


class Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def answer(self, status, body, kind, **headers):
        self.send_response(status)
        for name, value in {"Content-Type": kind, "Content-Length": len(body), **headers}.items():
            self.send_header(name.replace("_", "-"), str(value))
        self.end_headers()
        self.wfile.write(body)

    def do_POST(self):
        body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        try:
            self.make(body)
        except Problem as p:
            self.answer(p.status, json.dumps({"why": p.title}).encode(), "application/json")
        except (KeyError, ValueError, TypeError) as e:
            self.answer(422, json.dumps({"why": f"Not usable: {e}"}).encode(), "application/json")

    def make(self, body):
        if self.path != "/pictures":
            raise Problem(404, "There is no such place")
        if self.headers.get("X-Weld-Key") != os.environ.get("WELD_KEY", "opensesame"):
            raise Problem(401, "The key is wrong")
        asked = json.loads(body)
        if "smoke" in asked["words"]:
            raise Problem(451, "Smoke is not made here")
        order = self.headers.get("X-Order", os.urandom(8).hex())
        if order not in ORDERS:
            ORDERS[order] = weld(asked)
        self.answer(200, ORDERS[order], "image/png", X_Cost=PRICE, X_Seed=asked.get("seed", 0))

    def log_message(self, *about):
        pass


if __name__ == "__main__":
    ThreadingHTTPServer(("127.0.0.1", int((sys.argv + ["8471"])[1])), Handler).serve_forever()
