#!/usr/bin/env python3
"""What anybody can send to the page's port, and what becomes of it.

protocol_test.py COGSTRIDE [--fuzz SECONDS] [NAME...]
"""
import base64
import http.client
import json
import os
import pathlib
import random
import re
import socket
import subprocess
import sys
import tempfile
import time

import websocket

from bench import Bench, root, run_tests, steps_of, until

command = sys.argv[1]
fuzz_seconds = float(sys.argv[sys.argv.index("--fuzz") + 1]) if "--fuzz" in sys.argv else 3.0
demo = root / "demo" / "bobbin.rig.toml"
scratch = pathlib.Path(tempfile.mkdtemp(prefix="cogstride-page-"))


def viewer(bench, **more):
    return websocket.create_connection(f"ws://127.0.0.1:{bench.port}/orders", timeout=10, **more)


def ask(link, message, key="answer"):
    link.send(json.dumps(message) if isinstance(message, dict) else message)
    while True:
        came = json.loads(link.recv())
        if key in came:
            return came


def get(bench, path, **headers):
    link = http.client.HTTPConnection("127.0.0.1", bench.port, timeout=20)
    link.request("GET", path, headers=headers)
    came = link.getresponse()
    return came.status, came.read().decode("utf-8", "replace"), came.headers


shared = []


def on_a_bench(test, rig=None):
    """One bench for all that want nothing else of it."""
    if rig is not None:
        bench = Bench(command, rig, "--only", "traverse")
        try:
            test(bench)
        finally:
            assert bench.end() == 0, bench.told[-5:]
        return
    if not shared:
        shared.append(Bench(command, demo, "--only", "traverse", watch="10 ms"))
        assert shared[0].ask("home traverse")["answer"] == "done"
    until(lambda: "held_by" not in shared[0].moved("traverse"))
    test(shared[0])


def others_are_refused():
    """Pages from elsewhere, names that are not ours, what is not there, what is too long."""
    def test(bench):
        own = f"127.0.0.1:{bench.port}"
        assert get(bench, "/")[0] == 200
        assert get(bench, "/", Host="bobbin.example")[0] == 421
        assert get(bench, "/", Host=f"localhost:{bench.port}")[0] == 200
        assert get(bench, "/record.csv", Origin="http://bobbin.example")[0] == 403
        assert get(bench, "/record.csv", Origin=f"http://{own}")[0] == 200
        assert get(bench, "/../../etc/passwd")[0] == 404
        assert get(bench, "/" + "a" * 20000)[0] == 413
        for origin in ("http://bobbin.example", "null", f"http://{own}.bobbin.example"):
            try:
                viewer(bench, origin=origin)
                raise AssertionError(f"{origin} came in")
            except websocket.WebSocketBadStatusException as refused:
                assert refused.status_code == 403
        policy = get(bench, "/")[2]["Content-Security-Policy"]
        assert "default-src 'none'" in policy and "script-src 'self'" in policy and "unsafe" not in policy
        link = http.client.HTTPConnection("127.0.0.1", bench.port, timeout=10)
        link.request("POST", "/", body="x" * 100000)
        assert link.getresponse().status in (405, 413)
        page = get(bench, "/")[1]
        assert not re.search(r"(src|href)=\"(https?:)?//", page), "nothing is fetched from elsewhere"
        status, _, headers = get(bench, "/page.css")
        link = http.client.HTTPConnection("127.0.0.1", bench.port, timeout=10)
        link.request("GET", "/page.css", headers={"If-None-Match": headers["ETag"]})
        assert link.getresponse().status == 304
    on_a_bench(test)


def nobody_orders_without_the_token():
    rig = scratch / "bobbin.rig.toml"
    rig.write_text(demo.read_text() + '\n[operate]\ntoken = "bobbin-and-cone"\n')

    def test(bench):
        link = viewer(bench)
        assert json.loads(link.recv()) == {"wanted": "token", "looks": False}
        assert ask(link, {"order": "move traverse to 5 mm", "tag": 1}) == {
            "tag": 1, "answer": "refused", "order": "move traverse to 5 mm", "words": "who orders here says the token first"}
        assert get(bench, "/record.csv")[0] == 401
        assert get(bench, "/record.csv", Authorization="Bearer bobbin")[0] == 401
        assert get(bench, "/record.csv", Authorization="Bearer bobbin-and-cone")[0] == 200
        assert ask(link, {"token": "bobbin"}, "let_in")["let_in"] is False
        assert ask(link, {"order": "stop everything"})["answer"] == "done", "anybody may stop it"
        assert ask(link, {"order": "clear"})["answer"] == "refused"
        assert bench.ask("clear")["answer"] == "done"
        assert ask(link, {"token": "bobbin-and-cone"}, "let_in")["let_in"] is True
        assert ask(link, {"order": "nudge traverse by 1 mm"})["answer"] == "done"
        guesser = viewer(bench)
        for word in ("a", "b", "c"):
            assert ask(guesser, {"token": word}, "let_in")["let_in"] is False
        assert ask(guesser, {"token": "bobbin-and-cone"}, "over") == {"over": "it said three wrong tokens"}
        bench.order("renew token")
        assert ask(link, {"order": "stop traverse"}, "over") == {"over": "the token is another one now"}
    on_a_bench(test, rig=rig)


def wrong_messages_are_refused_and_do_nothing():
    def test(bench):
        link = viewer(bench)
        for wrong, why in (("move traverse to 5 mm", "a message is a JSON object"), ("[]", "a message is a JSON object"),
                           ("{}", "it has no `order`"), ('{"order": 5}', "it has no `order`"),
                           ('{"order": "move traverse to 5 furlongs"}', "furlongs"),
                           ('{"look": "the moon"}', "`look` is"), ('{"order": "' + "x" * 2000 + '"}', "an order has 1000")):
            said = ask(link, wrong)
            assert said["answer"] == "refused" and why in said["words"], said
        assert ask(link, {"order": "stop traverse", "tag": {"a": 1}})["answer"] == "refused"
        # A hold that the link has kept back is none any more.
        seen = ask(link, {"order": "stop traverse"}, "state")["state"]["at_s"]
        assert ask(link, {"order": "jog traverse on at 5 mm/s", "seen_s": seen})["answer"] == "done"
        late = ask(link, {"order": "jog traverse on at 5 mm/s", "seen_s": seen - 0.7})
        assert late["answer"] == "refused" and "too late" in late["words"], late
        assert ask(link, {"order": "stop traverse", "seen_s": seen - 5})["answer"] == "done", "a stop is never too late"
        link.send_binary(b"stop traverse")
        try:
            while True:
                link.recv()
        except (websocket.WebSocketException, OSError):
            pass
        too_long = viewer(bench)
        too_long.send("x" * 100_000)
        try:
            while True:
                too_long.recv()
        except (websocket.WebSocketException, OSError):
            pass
        assert viewer(bench).recv()
    on_a_bench(test)


def viewers_change_no_edge():
    """A hundred who take nothing, and one who sends ten thousand messages a second: the same steps, to the nanosecond."""
    def gaps(bench, before):
        assert bench.ask("move traverse to 30 mm at 40 mm/s")["answer"] == "done"
        assert bench.ask("move traverse to 5 mm at 40 mm/s")["answer"] == "done"
        rises = steps_of(get(bench, "/record.vcd")[1])[before:]
        return len(rises), [b - a for a, b in zip(rises, rises[1:])]

    def test(bench):
        assert bench.ask("move traverse to 5 mm at 40 mm/s")["answer"] == "done"
        at_first = len(steps_of(get(bench, "/record.vcd")[1]))
        count, alone = gaps(bench, at_first)
        sleepers = []
        for _ in range(100):
            sleeper = viewer(bench)
            sleeper.sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
            sleepers.append(sleeper)
        flood = viewer(bench)
        flood.sock.settimeout(None)
        import threading
        ends = threading.Event()
        sent = [0]

        def pour():
            message = json.dumps({"order": "show traverse"})
            began = time.monotonic()
            while not ends.is_set():
                try:
                    flood.send(message)
                except (websocket.WebSocketException, OSError):
                    return  # it takes no answers and is let go
                sent[0] += 1
                behind = sent[0] / 10_000 - (time.monotonic() - began)
                if behind > 0.002:
                    time.sleep(behind)

        pouring = threading.Thread(target=pour, daemon=True)
        pouring.start()
        other, watched = gaps(bench, at_first + count)
        ends.set()
        pouring.join(5)
        assert other == count and count > 10_000, (other, count)
        # The pause between the two moves is as long as their orders are apart.
        pause = max(range(len(alone)), key=alone.__getitem__)
        assert pause == max(range(len(watched)), key=watched.__getitem__)
        differ = [abs(a - b) for i, (a, b) in enumerate(zip(alone, watched)) if i != pause]
        print(f"    {count} steps, {sent[0]} messages: no gap differs by more than {max(differ)} ns")
        assert max(differ) <= 42, "more than a tick of 48 MHz, twice rounded"
        assert sent[0] > 1000
        # A new one is served as ever.
        assert ask(viewer(bench), {"order": "nudge traverse by 1 mm"})["answer"] == "done"
    on_a_bench(test)


def any_bytes_do_no_harm():
    """Before and after the handshake, in frames and outside of them."""
    def test(bench):
        chance = random.Random(11)
        ends = time.monotonic() + fuzz_seconds
        seeds = [b'{"order":"nudge traverse by 0.1 mm","tag":1}', b'{"token":"a"}', b'{"look":{"lines":0.1}}',
                 b'{"order":"show traverse","seen_s":1e308}', b'{"look":{"lines":1e999}}', b'{"order":"jog traverse on at 1 mm/s","seen_s":-5}']
        count = 0
        while time.monotonic() < ends:
            count += 1
            link = socket.create_connection(("127.0.0.1", bench.port), timeout=2)
            link.settimeout(0.05)
            try:
                kind = chance.randrange(3)
                if kind == 0:
                    link.sendall(chance.randbytes(chance.randrange(1, 4000)))
                elif kind == 1:
                    head = b"GET /%s HTTP/1.1\r\nHost: 127.0.0.1\r\n" % chance.randbytes(chance.randrange(30)).replace(b"\n", b"")
                    head += b"".join(b"X-%d: %s\r\n" % (i, chance.randbytes(20).replace(b"\n", b"")) for i in range(chance.randrange(5)))
                    link.sendall(head + b"\r\n")
                else:
                    link.sendall(b"GET /orders HTTP/1.1\r\nHost: 127.0.0.1\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
                                 b"Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: " + base64.b64encode(os.urandom(16)) + b"\r\n\r\n")
                    for _ in range(chance.randrange(1, 12)):
                        text = bytearray(chance.choice(seeds))
                        for _ in range(chance.randrange(4)):
                            text[chance.randrange(len(text))] = chance.randrange(256)
                        mask = chance.randbytes(4)
                        frame = bytes((chance.choice((0x81, 0x81, 0x81, 0x82, 0x01, 0x80, 0x88, 0x89, 0xf1)), 0x80 | len(text))) + mask
                        frame += bytes(b ^ mask[i % 4] for i, b in enumerate(text))
                        link.sendall(frame if chance.random() < 0.9 else frame[:-3])
                try:
                    link.recv(4096)
                except OSError:
                    pass
            except OSError:
                pass
            link.close()
        print(f"    {count} connections")
        assert bench.ask("stop traverse")["answer"] == "done"
        until(lambda: not bench.goes("traverse") and "held_by" not in bench.moved("traverse"))
        came = bench.ask("move traverse to 20 mm", 60)
        assert came["answer"] == "done", came
        assert ask(viewer(bench), {"order": "nudge traverse by 1 mm"})["answer"] == "done"
    on_a_bench(test)


def a_tap_is_followed_soon():
    """From a message to the first step after it, by the bench's own record: a figure."""
    def test(bench):
        link = viewer(bench)
        took = []
        for i in range(20):
            began = time.monotonic()
            known = len(bench.states)
            link.send(json.dumps({"order": f"nudge traverse by {'-' if i % 2 else ''}0.5 mm"}))
            place = bench.place("traverse")
            until(lambda: any(abs(m["place"] - place) > 1e-4 for at, s in bench.states[known:] for m in s["moved"]), 2, 0.001)
            took.append(next(at for at, s in bench.states[known:] if abs(s["moved"][0]["place"] - place) > 1e-4) - began)
            time.sleep(0.25)
        took.sort()
        print(f"    from a message to a state that shows motion: {1e3 * took[10]:.0f} ms, the worst of 20 {1e3 * took[-1]:.0f} ms (states each 10 ms)")
        assert took[10] < 0.3
    on_a_bench(test)


def a_camera_reads_the_link():
    """Served to others, the start prints a link with a token, and the same as a square code."""
    bench = Bench(command, demo, "--only", "traverse", listen="0.0.0.0:0")
    try:
        assert re.fullmatch(r"http://[\d.]+:\d+/#token=[0-9a-f]{32}", bench.link), bench.link
        rows = []
        for line in until(lambda: [line for line in bench.told if "\x1b[30;107m" in line]):
            blocks = line.replace("\x1b[30;107m", "").replace("\x1b[0m", "")
            rows += [[c in "\u2588\u2580" for c in blocks], [c in "\u2588\u2584" for c in blocks]]
        assert len({len(row) for row in rows}) == 1 and abs(len(rows) - len(rows[0])) <= 1, "it is square"
        picture = scratch / "code.pbm"
        picture.write_text(f"P1 {6 * len(rows[0])} {6 * len(rows)}\n" + "".join(
            " ".join("1" if dark else "0" for dark in row for _ in range(6)) + "\n" for row in rows for _ in range(6)))
        read = subprocess.run(["zbarimg", "-q", "--raw", picture], stdout=subprocess.PIPE, text=True, check=True).stdout.strip()
        assert read in [line.removeprefix("the page is at ") for line in bench.told], read
        assert "401" in str(get(bench, "/record.csv")[0])
        link = viewer(bench)
        assert ask(link, {"token": bench.link.split("#token=")[1]}, "let_in")["let_in"] is True
    finally:
        assert bench.end() == 0, bench.told[-5:]


def a_program_of_ones_own_serves_it():
    """The example: its guide is moved by a viewer until it has gone far enough."""
    example = pathlib.Path(command).parent.parent / "examples" / "own_page"
    program = subprocess.Popen([example, demo, "8", "127.0.0.1:0"], stdout=subprocess.PIPE, text=True)
    try:
        address = re.match(r"open http://([^/]+)/", program.stdout.readline()).group(1)
        link = websocket.create_connection(f"ws://{address}/orders", timeout=30)
        assert "a program of one's own" in link.recv()
        for way in (2, -2) * 5:
            link.send(json.dumps({"order": f"nudge traverse by {way} mm"}))
            while json.loads(link.recv()).get("answer") is None:
                pass
            if program.poll() is not None:
                break
            time.sleep(0.1)
    except (websocket.WebSocketException, OSError):
        pass  # it has ended
    assert program.wait(30) == 0
    gone = float(re.search(r"has gone (\d+) mm", program.stdout.read()).group(1))
    assert 8 <= gone < 12, gone


TESTS = [others_are_refused, nobody_orders_without_the_token, wrong_messages_are_refused_and_do_nothing,
         viewers_change_no_edge, any_bytes_do_no_harm, a_tap_is_followed_soon, a_camera_reads_the_link,
         a_program_of_ones_own_serves_it]


def at_end():
    for bench in shared:
        assert bench.end() == 0, bench.told[-5:]


sys.exit(run_tests(TESTS, [word for word in sys.argv[2:] if word.replace("_", "").isalpha()], at_end))
