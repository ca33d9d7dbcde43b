#!/usr/bin/env python3
"""An engine server that lies, stalls and breaks off, for bench/chaos.R.

Usage: hostile.py PORT FOLDER. Every scenario is an engine of its own at /NAME. Pictures lie as files in
FOLDER, from where a web server serves them; this server answers everything else, byte by byte as the
scenario says. `hostile.py names FOLDER` writes the pictures and prints the scenarios, a line each: its
name, and `file` if a web server has to serve its picture.
"""
import json
import os
import socket
import struct
import sys
import threading
import time
import zlib

ABOUT = {"version": "1", "checkpoints": {"a": {}}, "takes": ["text_alone"], "price": 0.01, "seconds": 0.1}
WIDTH, HEIGHT = 128, 96


def answer(status, body=b"", kind="application/json", headers=()):
    body = body if isinstance(body, bytes) else body.encode()
    lines = [f"HTTP/1.1 {status}", f"Content-Type: {kind}", f"Content-Length: {len(body)}", "Connection: close"]
    return "\r\n".join([*lines, *headers, "", ""]).encode() + body


def head(*lines):
    return ("HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n" + "".join(x + "\r\n" for x in lines) + "\r\n").encode()


def drip(first, then, pause=0.5):
    yield first
    while True:
        time.sleep(pause)
        yield then


def endless(first, block):
    yield first
    while True:
        yield block


def silence(first=b""):
    yield first
    time.sleep(300)


def take(request, **changes):
    said = {"key": request.key, "cost": 0.01, "pictures": [{"href": f"/{request.name}/picture", "seed": 1}]}
    said.update(changes)
    return answer("200 OK", json.dumps(said))


# Pictures.

def chunk(kind, body):
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def png(width=WIDTH, height=HEIGHT, depth=8, colour=2, data=None, extra=b"", lace=0):
    if data is None:
        rows = b"".join(b"\0" + bytes((x * y * 7 + x) % 256 for x in range(3 * width)) for y in range(height))
        data = zlib.compress(rows)
    return (b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, depth, colour, 0, 0, lace))
            + extra + chunk(b"IDAT", data) + chunk(b"IEND", b""))


def bomb(size, byte=b"\0"):
    packer = zlib.compressobj(9)
    block = byte * 1000000
    return b"".join([packer.compress(block) for _ in range(size // 1000000)]) + packer.flush()


def animated(frames):
    extra = chunk(b"acTL", struct.pack(">II", frames, 0))
    control = b"".join(chunk(b"fcTL", struct.pack(">IIIIIHHBB", i, WIDTH, HEIGHT, 0, 0, 1, 100, 0, 0)) for i in range(frames))
    return png(extra=extra + control)


def gif(frames):
    table = bytes(range(256)) * 3
    one = b"\x21\xf9\x04\0\0\0\0\0" + b"\x2c" + struct.pack("<HHHHB", 0, 0, WIDTH, HEIGHT, 0) + b"\x08\x04\0\x01\x02\x03\0"
    return b"GIF89a" + struct.pack("<HHBBB", WIDTH, HEIGHT, 0xf7, 0, 0) + table + one * frames + b";"


def jpeg_head(width, height):
    return (b"\xff\xd8\xff\xe0\0\x10JFIF\0\x01\x01\0\0\x01\0\x01\0\0"
            + b"\xff\xc0\0\x11\x08" + struct.pack(">HH", height, width) + b"\x03\x01\x11\0\x02\x11\0\x03\x11\0")


def tiff_loop():
    entry = struct.pack("<HHII", 256, 4, 1, WIDTH) + struct.pack("<HHII", 257, 4, 1, HEIGHT)
    return b"II*\0" + struct.pack("<I", 8) + struct.pack("<H", 2) + entry + struct.pack("<I", 8)


def tiff_huge():
    entry = b"".join(struct.pack("<HHII", tag, 4, 1, value) for tag, value in
                     ((256, 65535), (257, 65535), (258, 8), (259, 1), (262, 1), (273, 8), (277, 1), (278, 65535), (279, 4294967295)))
    return b"II*\0" + struct.pack("<I", 8) + struct.pack("<H", 9) + entry + struct.pack("<I", 0)


def svg(text):
    return f'<?xml version="1.0"?><!DOCTYPE svg [{text}]><svg xmlns="http://www.w3.org/2000/svg" width="128" height="96"><text>&x;</text></svg>'.encode()


LAUGHS = '<!ENTITY a "ha">' + "".join(f'<!ENTITY {chr(98 + i)} "{("&" + chr(97 + i) + ";") * 10}">' for i in range(9)) + '<!ENTITY x "&j;">'

def pictures():
    return {
        "huge-png": png(60000, 60000, data=zlib.compress(b"\0" * 1000)),
        "vast-png": png(2147483647, 2147483647, data=b"x"),
        "zero-png": png(0, 0, data=b"x"),
        "deflate-bomb": png(data=bomb(800000000)),
        "text-bomb": png(extra=chunk(b"zTXt", b"Comment\0\0" + bomb(500000000, b"A"))),
        "xmp-bomb": png(extra=chunk(b"iTXt", b"XML:com.adobe.xmp\0\1\0\0\0" + bomb(500000000, b" "))),
        "profile-bomb": png(extra=chunk(b"iCCP", b"icc\0\0" + bomb(500000000))),
        "many-chunks": png(extra=chunk(b"tEXt", b"a\0b") * 40000),
        "long-chunk": png()[:33] + struct.pack(">I", 0x7fffffff) + b"tEXt" + b"x" * 100,
        "animated-png": animated(20000),
        "animated-gif": gif(30000),
        "truncated": png()[:200],
        "no-end": png()[:-12],
        "bad-sum": png()[:40] + b"\xff" + png()[41:],
        "interlaced": png(lace=1),
        "sixteen-bit": png(depth=16),
        "odd-depth": png(depth=3),
        "no-palette": png(colour=3),
        "other-size": png(64, 64),
        "flat": png(data=zlib.compress((b"\0" + b"\x55" * 384) * HEIGHT)),
        "png-and-zip": png() + b"PK\x03\x04" + b"\0" * 200 + b"PK\x05\x06" + b"\0" * 18,
        "png-and-page": png() + b"<script>alert(1)</script>",
        "pdf-and-jpeg": b"%PDF-1.4\n" + jpeg_head(WIDTH, HEIGHT),
        "pdf": b"%PDF-1.4\n1 0 obj<</Type/Catalog>>endobj\n%%EOF",
        "postscript": b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 128 96\n(%pipe%touch /tmp/owned) (r) file\n",
        "drawing-commands": b"push graphic-context\nviewbox 0 0 128 96\nfill 'url(https://127.0.0.1/x.png\"|touch /tmp/owned\")'\npop graphic-context\n",
        "svg-entity": svg('<!ENTITY x SYSTEM "file:///etc/passwd">'),
        "svg-laughs": svg(LAUGHS),
        "svg-image": b'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="128" height="96"><image xlink:href="text:/etc/passwd" width="128" height="96"/></svg>',
        "huge-jpeg": jpeg_head(65500, 65500) + b"\0" * 100,
        "jpeg-head": jpeg_head(WIDTH, HEIGHT),
        "jpeg-segments": b"\xff\xd8" + b"\xff\xe1\xff\xff" * 5000,
        "tiff-loop": tiff_loop(),
        "tiff-huge": tiff_huge(),
        "webp-head": b"RIFF" + struct.pack("<I", 4294967295) + b"WEBPVP8L" + struct.pack("<I", 4294967295) + b"\x2f\xff\xff\xff\xff",
        "webp-frames": b"RIFF" + struct.pack("<I", 300000) + b"WEBPVP8X" + struct.pack("<I", 10) + b"\x02\0\0\0\x7f\0\0\x5f\0\0" + (b"ANMF" + struct.pack("<I", 24) + b"\0" * 24) * 9000,
        "bmp-huge": b"BM" + struct.pack("<IHHI", 4294967295, 0, 0, 54) + struct.pack("<IiiHHIIiiII", 40, 2147483647, 2147483647, 1, 24, 0, 0, 0, 0, 0, 0),
        "pnm": b"P6 99999 99999 255\n" + b"x" * 1000,
        "xpm": b"/* XPM */ static char *x[] = {\"99999 99999 99999 9\"};",
        "font": b"\0\1\0\0" + b"\xff" * 500,
        "script": b"#!/bin/sh\ntouch /tmp/owned\n",
        "page": b"<!doctype html><title>Log in</title>",
        "nothing": b"",
        "zeros": b"\0" * 500000,
        "large": b"\x89PNG\r\n\x1a\n" + b"x" * 3000000,
    }


# The pictures' names, while serving.
NAMED = set()
DEEP = "[" * 30000 + "]" * 30000

# What is wrong with the engine's own word, by name.
ABOUTS = {
    "about-page": lambda r: answer("200 OK", "<html>", "text/html"),
    "about-nothing": lambda r: b"",
    "about-hangs": lambda r: silence(),
    "about-endless": lambda r: endless(head(), b'{"a": "' + b"x" * 100000),
    "about-deep": lambda r: answer("200 OK", DEEP),
    "about-list": lambda r: answer("200 OK", "[1, 2]"),
    "about-null": lambda r: answer("200 OK", "null"),
    "about-elsewhere": lambda r: answer("302 Found", "", headers=["Location: http://127.0.0.2:9/about"]),
    "about-loop": lambda r: answer("302 Found", "", headers=[f"Location: /{r.name}/about"]),
    "about-later": lambda r: answer("503 Busy", "", headers=["Retry-After: 86400"]),
    "about-secret": lambda r: answer("401 No", json.dumps({"title": "no such key " + r.secret, "status": 401}), "application/problem+json"),
}
for name, change in {
    "checkpoints-list": {"checkpoints": [1, 2]}, "checkpoints-empty": {"checkpoints": {}}, "checkpoints-text": {"checkpoints": "a"},
    "sizes-negative": {"checkpoints": {"a": {"sizes": [[-1, -1]]}}}, "sizes-vast": {"checkpoints": {"a": {"sizes": [[1e9, 1e9]]}}},
    "multiple-zero": {"checkpoints": {"a": {"multiple_of": 0}}}, "hold-words": {"hold": {"at_0": "low", "at_1": "high"}},
    "hold-same": {"hold": {"at_0": 1, "at_1": 1}}, "settings-text": {"settings": "many"}, "settings-odd": {"settings": {"x": {"from": 9, "to": 1}}},
    "settings-null": {"settings": {"x": None}}, "takes-odd": {"takes": ["time travel"]}, "takes-number": {"takes": 7}, "version-number": {"version": 7},
    "version-list": {"version": ["1", "2"]}, "version-controls": {"version": "1\u001b[31m\u202e\u0000"}, "price-negative": {"price": -5},
    "price-text": {"price": "free"}, "at-once-vast": {"at_once": 1e12}, "at-once-zero": {"at_once": 0}, "seconds-text": {"seconds": "soon"},
    "emphasis-number": {"emphasis": 4}, "name-long": {"name": "n" * 500000}, "add-ons-object": {"add_ons": {"a": {"b": 1}}},
    "curve-odd": {"curve": {"hold": [1], "knob": "x"}},
}.items():
    ABOUTS["about-" + name] = lambda r, change=change: answer("200 OK", json.dumps({**ABOUT, **change}))


def problem(status, **more):
    return answer(f"{status} X", json.dumps({"title": "no", "status": status, **more}), "application/problem+json")


def later(said):
    return b"HTTP/1.1 429 Busy\r\nContent-Length: 0\r\nConnection: close\r\nRetry-After: " + said + b"\r\n\r\n"


# What is wrong with the answer to an order, by name.
TAKES = {
    "hangs": lambda r: silence(),
    "hangs-in-head": lambda r: silence(b"HTTP/1.1 200 OK\r\nContent-"),
    "hangs-in-body": lambda r: silence(head("Content-Length: 500") + b"{"),
    "drips-head": lambda r: drip(b"HTTP/1.1 200 OK\r\n", b"X: y\r\n"),
    "drips-body": lambda r: drip(head("Content-Length: 100000"), b" "),
    "drips-chunks": lambda r: drip(head("Transfer-Encoding: chunked"), b"1\r\n \r\n"),
    "cut-at-once": lambda r: b"",
    "cut-in-head": lambda r: b"HTTP/1.1 200",
    "cut-in-body": lambda r: head("Content-Length: 500") + b"{",
    "length-negative": lambda r: head("Content-Length: -5") + b"{}",
    "length-words": lambda r: head("Content-Length: many") + b"{}",
    "length-vast": lambda r: head("Content-Length: 99999999999999999999") + b"{}",
    "length-twice": lambda r: head("Content-Length: 2", "Content-Length: 9") + b"{}",
    "length-short": lambda r: head("Content-Length: 1") + b"{}",
    "chunk-odd": lambda r: head("Transfer-Encoding: chunked") + b"zz\r\nhello\r\n0\r\n\r\n",
    "chunk-negative": lambda r: head("Transfer-Encoding: chunked") + b"-5\r\nhello\r\n",
    "chunk-wide": lambda r: head("Transfer-Encoding: chunked") + b"f" * 40 + b"\r\nhello",
    "chunk-endless": lambda r: endless(head("Transfer-Encoding: chunked"), b"10000\r\n" + b"x" * 65536 + b"\r\n"),
    "headers-endless": lambda r: endless(b"HTTP/1.1 200 OK\r\n", b"X-A: " + b"a" * 4000 + b"\r\n"),
    "headers-long": lambda r: head("X: " + "a" * 3000000),
    "headers-many": lambda r: head(*[f"X-{i}: a" for i in range(30000)]),
    "headers-zero": lambda r: b"HTTP/1.1 200 OK\r\nX: a\0b\r\nContent-Length: 2\r\n\r\n{}",
    "headers-no-colon": lambda r: b"HTTP/1.1 200 OK\r\nno colon here\r\n\r\n",
    "headers-bytes": lambda r: b"HTTP/1.1 200 OK\r\nX-\xff\xfe: \xff\r\nContent-Length: 2\r\n\r\n{}",
    "status-vast": lambda r: b"HTTP/1.1 99999 OK\r\n\r\n",
    "status-words": lambda r: b"HTTP/1.1 fine\r\n\r\n",
    "status-100": lambda r: endless(b"", b"HTTP/1.1 100 Continue\r\n\r\n"),
    "old-http": lambda r: b"hello",
    "http-2": lambda r: b"PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n",
    "tls": lambda r: b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03" + b"\0" * 500,
    "gzip-bomb": lambda r: (lambda body: head("Content-Encoding: gzip", f"Content-Length: {len(body)}") + body)(bomb(300000000)),
    "endless": lambda r: endless(head(), b"x" * 100000),
    "two-answers": lambda r: take(r) + take(r),
    "redirect-elsewhere": lambda r: answer("307 X", "", headers=["Location: http://127.0.0.2:9/x"]),
    "redirect-file": lambda r: answer("307 X", "", headers=["Location: file:///etc/passwd"]),
    "redirect-loop": lambda r: answer("302 X", "", headers=[f"Location: /{r.name}/takes"]),
    "job-none": lambda r: answer("202 X", "{}"),
    "job-elsewhere": lambda r: answer("202 X", "{}", headers=["Location: http://127.0.0.2:9/job"]),
    "job-userinfo": lambda r: answer("202 X", "{}", headers=["Location: //127.0.0.1@evil.example/job"]),
    "job-file": lambda r: answer("202 X", "{}", headers=["Location: file:///etc/passwd"]),
    "job-breaks-line": lambda r: answer("202 X", "{}", headers=["Location: /a\tb c"]),
    "job-forever": lambda r: answer("202 X", "{}", headers=[f"Location: /{r.name}/job", "Retry-After: 1"]),
    "job-forgotten": lambda r: answer("202 X", "{}", headers=[f"Location: /{r.name}/lost", "Retry-After: 0"]),
    "job-a-day": lambda r: answer("202 X", "{}", headers=[f"Location: /{r.name}/job", "Retry-After: 86400"]),
    "problem-deep": lambda r: answer("422 X", DEEP, "application/problem+json"),
    "problem-types": lambda r: problem(422, title=[1, {"a": 2}], detail={"x": 1}, type=7),
    "problem-controls": lambda r: problem(422, title="a\u001b]0;x\u0007b\u202e\u0000\r\nc" * 50),
    "problem-long": lambda r: problem(422, title="n" * 900000),
    "problem-secret": lambda r: problem(422, title="key " + r.secret + " is odd"),
    "problem-bytes": lambda r: answer("500 X", b"\xff\xfe\x00broken \x1b[31m" * 30, "text/plain"),
    "retry-negative": lambda r: later(b"-1"),
    "retry-vast": lambda r: later(b"1e300"),
    "retry-nan": lambda r: later(b"NaN"),
    "retry-bytes": lambda r: later(b"\xff\xfe"),
    "retry-past": lambda r: later(b"Thu, 01 Jan 1970 00:00:00 GMT"),
    "retry-day": lambda r: later(b"86400"),
    "retry-words": lambda r: later(b"after lunch"),
    "json-deep": lambda r: answer("200 OK", DEEP),
    "json-cut": lambda r: answer("200 OK", '{"key": "'),
    "json-utf16": lambda r: answer("200 OK", json.dumps({"key": r.key}).encode("utf-16")),
    "json-zero": lambda r: answer("200 OK", b'{"key": "\0"}'),
    "json-surrogate": lambda r: take(r, says={"a": "\ud800"}),
    "json-list": lambda r: answer("200 OK", "[[], {}, null]"),
    "json-text": lambda r: answer("200 OK", '"made"'),
    "json-twice": lambda r: answer("200 OK", f'{{"key": "{r.key}", "key": 1, "pictures": []}}'),
    "key-other": lambda r: take(r, key="another-key"),
    "key-number": lambda r: take(r, key=7),
    "key-list": lambda r: take(r, key=[r.key, r.key]),
    "pictures-none": lambda r: take(r, pictures=[]),
    "pictures-null": lambda r: take(r, pictures=None),
    "pictures-text": lambda r: take(r, pictures="picture"),
    "pictures-numbers": lambda r: take(r, pictures=[1, 2]),
    "pictures-object": lambda r: take(r, pictures={"a": {"href": "/x"}}),
    "pictures-many": lambda r: take(r, pictures=[{"href": "/x"}] * 30000),
    "href-elsewhere": lambda r: take(r, pictures=[{"href": "http://127.0.0.2:9/x"}]),
    "href-file": lambda r: take(r, pictures=[{"href": "file:///etc/passwd"}]),
    "href-data": lambda r: take(r, pictures=[{"href": "data:image/png;base64,iVBORw0KGgo="}]),
    "href-list": lambda r: take(r, pictures=[{"href": ["/a", "/b"]}]),
    "href-long": lambda r: take(r, pictures=[{"href": "/" + "a" * 500000}]),
    "href-missing": lambda r: take(r, pictures=[{"href": f"/{r.name}/nowhere"}]),
    "href-controls": lambda r: take(r, pictures=[{"href": "/a\r\nHost: evil"}]),
    "cost-negative": lambda r: take(r, cost=-100),
    "cost-text": lambda r: take(r, cost="free"),
    "cost-infinite": lambda r: answer("200 OK", f'{{"key": "{r.key}", "cost": 1e400, "pictures": [{{"href": "/{r.name}/picture"}}]}}'),
    "cost-nan": lambda r: answer("200 OK", f'{{"key": "{r.key}", "cost": NaN, "pictures": [{{"href": "/{r.name}/picture"}}]}}'),
    "cost-list": lambda r: take(r, cost=[1, 2]),
    "cost-object": lambda r: take(r, cost={"amount": 1}),
    "seed-text": lambda r: take(r, pictures=[{"href": f"/{r.name}/picture", "seed": "x"}]),
    "seed-vast": lambda r: take(r, pictures=[{"href": f"/{r.name}/picture", "seed": 1e300}]),
    "seed-list": lambda r: take(r, pictures=[{"href": f"/{r.name}/picture", "seed": [1, 2]}]),
    "waited-text": lambda r: take(r, waited="long"),
    "says-text": lambda r: take(r, says="hello"),
    "says-list": lambda r: take(r, says=[1, [2, [3]]]),
    "says-large": lambda r: take(r, says={"a": "x" * 900000}),
    "says-names": lambda r: take(r, says={"": 1, "a\u0000b": 2, "__proto__": 3, "=1+1": "=2+2"}),
    "says-controls": lambda r: take(r, says={"a": "\u001b[2J\u202e@SUM(A1)\u0000"}),
    "says-secret": lambda r: take(r, says={"echo": r.secret, "again": {"Authorization": "Bearer " + r.secret}}),
    "state-making": lambda r: take(r, state="making"),
}


class Request:
    def __init__(self, raw):
        top, _, self.body = raw.partition(b"\r\n\r\n")
        lines = top.decode("latin-1").split("\r\n")
        self.method, self.path = (lines[0].split(" ") + ["", ""])[:2]
        fields = dict(line.split(": ", 1) for line in lines[1:] if ": " in line)
        fields = {name.lower(): value for name, value in fields.items()}
        self.length = int(fields.get("content-length", 0))
        self.key = fields.get("idempotency-key", "")
        self.secret = fields.get("authorization", "Bearer none").split(" ")[-1]
        self.name, _, self.rest = self.path.strip("/").partition("/")


def respond(request):
    name, rest = request.name, request.rest
    if rest == "about":
        return ABOUTS[name](request) if name in ABOUTS else answer("200 OK", json.dumps(ABOUT))
    if rest == "takes" and name in TAKES:
        return TAKES[name](request)
    if rest == "takes" and name in NAMED:
        return take(request, pictures=[{"href": f"/pictures/{name}"}])
    if rest == "takes":
        return take(request)
    if rest == "job":
        return answer("202 X", "{}", headers=["Retry-After: 1"])
    if rest == "picture":
        return answer("200 OK", png(), "image/png")
    return answer("404 No", json.dumps({"title": "no", "status": 404}), "application/problem+json")


def serve(connection):
    try:
        connection.settimeout(60)
        raw = b""
        while b"\r\n\r\n" not in raw:
            block = connection.recv(65536)
            if not block:
                return
            raw += block
        request = Request(raw)
        while len(request.body) < request.length:
            request.body += connection.recv(65536)
        made = respond(request)
        began = time.time()
        for block in [made] if isinstance(made, bytes) else made:
            connection.sendall(block)
            if time.time() - began > 120:
                return
        connection.shutdown(socket.SHUT_WR)
        connection.settimeout(2)
        while connection.recv(65536):
            pass
    except OSError:
        pass
    finally:
        connection.close()


def main():
    if sys.argv[1] == "names":
        os.makedirs(os.path.join(sys.argv[2], "pictures"), exist_ok=True)
        for name, body in pictures().items():
            with open(os.path.join(sys.argv[2], "pictures", name), "wb") as file:
                file.write(body)
            print(name, "file")
        for name in [*ABOUTS, *TAKES]:
            print(name)
        return
    NAMED.update(os.listdir(os.path.join(sys.argv[2], "pictures")))
    listening = socket.create_server(("127.0.0.1", int(sys.argv[1])), backlog=500)
    while True:
        connection, _ = listening.accept()
        threading.Thread(target=serve, args=(connection,), daemon=True).start()


main()
