"""A rig that is operated with its page, and what the session itself says of it."""
import json
import pathlib
import re
import socket
import subprocess
import sys
import threading
import time
import traceback

root = pathlib.Path(__file__).resolve().parent.parent.parent


def until(what, seconds=10.0, every=0.02):
    """Waits until `what()` is true, and gives it; an AssertionError when it is not in time."""
    ends = time.monotonic() + seconds
    while True:
        value = what()
        if value:
            return value
        if time.monotonic() > ends:
            raise AssertionError("not within %.1f s" % seconds)
        time.sleep(every)


def steps_of(vcd):
    """ns of each rising edge of STEP."""
    code = re.search(r"\$var wire 1 (\S+) step \$end", vcd).group(1)
    now, rises = 0, []
    for line in vcd.split("$enddefinitions $end")[1].splitlines():
        if line.startswith("#"):
            now = int(line[1:])
        elif line == "1" + code:
            rises.append(now)
    return rises


def run_tests(tests, wanted, at_end):
    """Those that are wanted by their names, or all, one after the other. Returns the exit status."""
    failed = 0
    for test in tests:
        if wanted and test.__name__ not in wanted:
            continue
        began = time.monotonic()
        result = "ok     "
        try:
            test()
        except Exception:  # told, and the next one is run
            traceback.print_exc()
            failed, result = failed + 1, "FAILED "
        print(f"{result} {test.__name__} ({time.monotonic() - began:.1f} s)")
        sys.stdout.flush()
    at_end()
    return 1 if failed else 0


class Bench:
    """`cogstride operate RIG --page` on a simulated bench; its states and answers as they come."""

    def __init__(self, command, rig, *options, watch="20 ms", listen="127.0.0.1:0"):
        self.states, self.answers, self.told = [], [], []
        self.process = subprocess.Popen(
            [command, "operate", str(rig), "--page", "--listen", listen, "--json", *options],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, bufsize=1)
        for stream, read in ((self.process.stdout, self._answer), (self.process.stderr, self.told.append)):
            threading.Thread(target=self._lines, args=(stream, read), daemon=True).start()
        self.link = until(lambda: next((m.group(1) for line in self.told
                                        if (m := re.search(r"the page is at (\S+)", line))), None), 30)
        self.port = int(re.search(r":(\d+)/", self.link).group(1))
        self.order("watch every " + watch)
        until(lambda: self.states)

    @staticmethod
    def _lines(stream, read):
        for line in stream:
            read(line.rstrip("\n"))

    def _answer(self, line):
        message = json.loads(line)
        if "state" in message:
            self.states.append((time.monotonic(), message["state"]))
        else:
            self.answers.append(message)

    def order(self, order):
        self.process.stdin.write(order + "\n")
        self.process.stdin.flush()

    def ask(self, order, seconds=30):
        """The answer in the end."""
        known = len(self.answers)
        self.order(order)
        return until(lambda: next((a for a in self.answers[known:] if a.get("order") == order), None), seconds)

    @property
    def state(self):
        return self.states[-1][1]

    def moved(self, name):
        return next(each for each in self.state["moved"] if each["name"] == name)

    def place(self, name):
        return self.moved(name)["place"]

    def goes(self, name):
        return abs(self.moved(name).get("speed") or 0.0) > 0.01

    def rests_within(self, name, seconds):
        """How long it took to come to rest."""
        began = time.monotonic()
        until(lambda: not self.goes(name), seconds)
        return time.monotonic() - began

    def end(self):
        if self.process.poll() is None:
            try:
                self.order("stop everything")
                self.order("clear")
                self.order("end")
                self.process.wait(10)
            except (OSError, subprocess.TimeoutExpired):
                self.process.kill()
        return self.process.wait(10)


class Link:
    """Between a browser and the bench: hands bytes on until it is told not to."""

    def __init__(self, port):
        self.port, self.holds, self.pairs = port, False, []
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.at = self.listener.getsockname()[1]
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self):
        while True:
            try:
                near, _ = self.listener.accept()
                far = socket.create_connection(("127.0.0.1", self.port))
            except OSError:
                return
            self.pairs.append((near, far))
            for a, b in ((near, far), (far, near)):
                threading.Thread(target=self._hand_on, args=(a, b), daemon=True).start()

    def _hand_on(self, a, b):
        try:
            while data := a.recv(65536):
                while self.holds:
                    time.sleep(0.01)
                b.sendall(data)
        except OSError:
            pass
        for each in (a, b):
            try:
                each.shutdown(socket.SHUT_RDWR)
            except OSError:
                pass

    def cut(self):
        for pair in self.pairs:
            for each in pair:
                try:
                    each.shutdown(socket.SHUT_RDWR)
                    each.close()
                except OSError:
                    pass
        self.pairs = []

    def end(self):
        self.listener.close()
        self.cut()
