// What a computer and a chip say to each other, each a frame (link_frame.hpp): a byte that says what, a
// number, the number of the next one that the sender has not heard yet, and what follows. docs/link.md has it
// byte by byte.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

namespace cogstride {
namespace chip {

enum : uint8_t { link_version = 1 };
/// Bytes of the longest frame: three runs of one axis.
enum : uint8_t { link_longest = 56, link_most_runs = 3 };

/// By the computer. Those from `levels` on have a number each, and come in its order or not at all.
struct LinkOrder {
  enum : uint8_t {
    greet = 0x01,   ///< version, mark (word), session (half), silence in ms (half): all begins anew
    ask = 0x02,     ///< stamp: told at once
    cut = 0x03,     ///< count: all at rest, whatever is still to come; the next numbered one has this number
    levels = 0x10,  ///< tick (word), then a byte a line: its number, 0x80 with it where it is high
    runs = 0x11,    ///< axis, tick (word) and fraction (half) of their start, bridge, stop, runs
    take_back = 0x12,  ///< axis, steps (word) that stay, since all began; 0x80 with the axis: it has been
                       ///< heard that an edge ended its runs, and what comes from here on is of others
    sample = 0x13,  ///< channel, or 0x80 and a counter's number, or 0xa0 and an axis's, or 0xc0 and a loop's;
                    ///< tick of the first (word), period (word); 0xffffffff: no more
    react = 0x15,  ///< line (0x80: when high), axis that has to move (0xff: none), steady, released and waits
                   ///< in ms (half each): all at rest by the chip itself
    answered = 0x16,     ///< the computer acts on what waits for it
    watch = 0x17,        ///< axis, whether what reacts while it moves does
    keep_levels = 0x14,  ///< tick (word), then a byte a line: what was to come to them from then on does not
    loop = 0x19,  ///< how a loop is made: loop, counter, ticks of a period (word), gain for the speed wanted
                  ///< and for the back-EMF (word each), span and most duty (half each), change of speed by
                  ///< which it is braked (word), LoopFlags; then a line (byte), what it is given (LoopGives)
                  ///< and counts of its timer (half; 0: a level) each
    hold = 0x1a,  ///< what a loop is to hold from a tick on, in the place of what it was told for later:
                  ///< loop, flags, tick (word), place, speed, change (word each), periods, base duty (half
                  ///< each), gains for speed and place (word each), what is let through
    gear = 0x1b,  ///< an axis goes by a counter: axis, counter, tick (word), steps for counts (word each);
                  ///< when it says (half), it belongs on the step (word) and so many parts of one beyond
                  ///< (word); speed, start speed (half each), acceleration (word)
    let_go = 0x1c,    ///< it comes to rest: axis, tick (word)
    brake_by = 0x1d,  ///< an edge that ends runs of an axis brakes it: axis, stop (as of runs, which say
                      ///< none), speed, start speed (half each), acceleration (word)
    duties = 0x18,    ///< tick (word), then a line (byte) and its compare value (half) each: counts of its
                      ///< timer, or ticks of a pulse in a frame
  };
};

/// What an order says of a line of a loop: two bits each.
struct LoopGives {
  enum : uint8_t { low = 0, high = 1, duty = 2, forwards_at = 0, backwards_at = 2, none_at = 4 };
};
struct LoopFlags {
  enum : uint8_t { can_brake = 1, is_reversed = 2 };
};

/// By the chip. Those from `edge` on have a number each.
struct LinkReading {
  enum : uint8_t {
    hail = 0x41,    ///< version, mark (word), session (half; 0: none is on), tick (word), axes, inputs
    told = 0x42,    ///< stamp, tick (word), state, room for runs (a byte an axis)
    rested = 0x43,  ///< count, tick (word), where each axis stands (a word each)
    edge = 0x50,    ///< line (0x80: high), tick (word), axes whose runs it has ended, a bit each
    code = 0x51,    ///< channel, tick (word), code (half)
    stood = 0x52,   ///< axis, tick (word), where it stands (word), how
    late = 0x53,    ///< axis, or 0xff: levels; ticks by which it came too late (word)
    count = 0x54,   ///< counter, tick (word), its count's low half (half), how long ago that came, in 16
                    ///< ticks; 0xffff: longer (half)
    place = 0x56,   ///< axis that is geared, tick (word), where it is (word)
    turned = 0x57,  ///< an edge brakes an axis: axis, tick (word), the step where its ramp begins (word)
    held = 0x55,    ///< loop, tick (word), what it gave way to, 1/16 count, low half, its duty (half)
  };
};

/// What `told` says of the whole.
struct LinkState {
  enum : uint8_t {
    well = 0,
    braked = 1,   ///< runs did not come in time: an axis has been braked, and takes nothing until all is cut
    silent = 2,   ///< the computer was silent for too long: all at rest until it cuts or greets
    flooded = 4,  ///< more happened than was heard of: something has been left out
    acted = 8,    ///< an input that does so put all at rest, until the computer cuts or greets
    unanswered = 16,  ///< the same, after it had waited for the computer
  };
};

/// How an axis came to stand.
struct LinkStood {
  enum : uint8_t {
    at_end = 0,   ///< where its runs end
    by_edge = 1,  ///< the edge that was to end them
    braked = 2,   ///< on a ramp of the chip's own
    starved = 3,  ///< nothing followed in time, and it stood at once
    silent = 4    ///< braked, since the computer was silent
  };
};

}  // namespace chip
}  // namespace cogstride
