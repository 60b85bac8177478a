#!/usr/bin/env python3
"""The least that answers as a drive of the profile: written from the standards' tables alone, in no common code with what
it is tried against. It goes to each place at once, and has no motor.

  minimal_drive.py ID          reads "MS ID-IN-HEX BYTES-IN-HEX" or "MS", a line each; answers with as many frames as it
                               has, "ID BYTES", and a line with a full stop
"""
import struct
import sys

node = int(sys.argv[1])
SIZES = {0x1000: "<I", 0x1011: "<I", 0x1016: "<I", 0x1017: "<H", 0x1018: "<I", 0x6007: "<h", 0x603F: "<H", 0x6040: "<H",
         0x6041: "<H", 0x605A: "<h", 0x605E: "<h", 0x6060: "<b", 0x6061: "<b", 0x6064: "<i", 0x6065: "<I", 0x6066: "<H",
         0x606C: "<i", 0x6071: "<h", 0x6072: "<H", 0x6073: "<H", 0x6075: "<I", 0x6076: "<I", 0x6077: "<h", 0x6078: "<h",
         0x6079: "<I", 0x607A: "<i", 0x607E: "<B", 0x607F: "<I", 0x6080: "<I", 0x6081: "<I", 0x6083: "<I", 0x6084: "<I",
         0x6085: "<I", 0x6086: "<h", 0x608F: "<I", 0x6091: "<I", 0x6092: "<I", 0x60F4: "<i", 0x60FF: "<i"}
SIZES_OF_PARTS = {(0x60C2, 1): "<B", (0x60C2, 2): "<b"}
READ_ONLY = {0x1000, 0x1018, 0x603F, 0x6041, 0x6061, 0x6064, 0x606C, 0x6077, 0x6078, 0x6079, 0x60F4}
values, state, driven, ordered, beats_at, answers = {}, 0x00, "off", [], None, []


def size_of(index, part):
    if (index, part) in SIZES_OF_PARTS:
        return SIZES_OF_PARTS[index, part]
    if 0x1400 <= index < 0x1408 or 0x1800 <= index < 0x1808:
        return {1: "<I", 2: "<B"}.get(part)
    if 0x1600 <= index < 0x1608 or 0x1A00 <= index < 0x1A08:
        return "<B" if part == 0 else "<I"
    return SIZES.get(index)


def value(index, part=0):
    return values.get((index, part), 0)


def begin():
    """With its defaults: there is nothing that it would keep."""
    global values, state, driven, beats_at
    values = {(0x1000, 0): 402 | 2 << 16, (0x1018, 1): 901, (0x1018, 2): 24, (0x6079, 0): 24000}
    state, driven, beats_at = 0x7F, "off", None
    ordered.clear()
    answers.append((0x700 + node, b"\0"))


def status():
    values[0x6041, 0] = {"off": 0x0240, "ready": 0x0221, "on": 0x0223, "driven": 0x0227}[driven]


def control():
    word = value(0x6040)
    if word & 0x02 == 0 or word & 0x04 == 0:  # no voltage, or a quick stop: nothing turns here
        driven_next = "off"
    elif word & 0x0F == 0x0F:
        driven_next = {"off": "off", "ready": "on"}.get(driven, "driven")
    elif word & 0x0F == 0x07:
        driven_next = {"off": "off"}.get(driven, "on")
    else:
        driven_next = "ready"
    return driven_next


def access(data):
    """Expedited transfer of an object: read or written in one frame."""
    command, index, part = data[0], data[1] | data[2] << 8, data[3]
    head = data[1:4]
    form = size_of(index, part)
    refuse = lambda code: answers.append((0x580 + node, b"\x80" + head + struct.pack("<I", code)))
    if form is None:
        refuse(0x06020000)
    elif command >> 5 == 2:
        packed = struct.pack(form, value(index, part))
        answers.append((0x580 + node, bytes([0x43 | (4 - len(packed)) << 2]) + head + packed.ljust(4, b"\0")))
    elif command >> 5 == 1 and command & 3 == 3:
        size = 4 - (command >> 2 & 3)
        if size != struct.calcsize(form):
            refuse(0x06070010)
        elif index in READ_ONLY:
            refuse(0x06010002)
        else:
            values[index, part] = struct.unpack(form, data[4:4 + size])[0]
            answers.append((0x580 + node, b"\x60" + head + bytes(4)))
    else:
        refuse(0x05040001)


def mapped(at):
    return [(entry >> 16, entry >> 8 & 0xFF) for entry in (value(at, part) for part in range(1, value(at) + 1))]


def take(which, data):
    for index, part in mapped(0x1600 + which):
        form = size_of(index, part)
        values[index, part], data = struct.unpack(form, data[:struct.calcsize(form)])[0], data[struct.calcsize(form):]


def hear(now, ident, data):
    global state, driven, beats_at
    if ident == 0 and data[1] in (0, node):
        if data[0] in (0x81, 0x82):
            begin()
        else:
            state = {0x01: 0x05, 0x02: 0x04, 0x80: 0x7F}[data[0]]
    elif ident == 0x600 + node:
        access(data)
    elif ident == 0x80 and state == 0x05:
        for which, waiting in ordered:
            take(which, waiting)
        ordered.clear()
        driven = control()
        status()
        values[0x6061, 0] = value(0x6060)
        if driven == "driven" and value(0x6060) == 8:
            values[0x6064, 0] = value(0x607A)
        for which in range(8):
            told = value(0x1800 + which, 1)
            if told and told & 0x80000000 == 0 and value(0x1800 + which, 2) == 1:
                packed = b"".join(struct.pack(size_of(*each), value(*each)) for each in mapped(0x1A00 + which))
                answers.append((told, packed))
    elif state == 0x05:
        for which in range(8):
            if ident != value(0x1400 + which, 1):
                continue
            if value(0x1400 + which, 2) < 0xF0:
                ordered.append((which, data))
            else:
                take(which, data)
                driven = control()
                status()


begin()
for line in sys.stdin:
    words = line.split()
    now = int(words[0])
    if len(words) > 1:
        hear(now, int(words[1], 16), bytes.fromhex(words[2] if len(words) > 2 else ""))
    if value(0x1017) and (beats_at is None or now >= beats_at):
        beats_at = now + value(0x1017)
        answers.append((0x700 + node, bytes([state])))
    for ident, data in answers:
        print(f"{ident:x} {data.hex()}")
    answers.clear()
    print(".", flush=True)
