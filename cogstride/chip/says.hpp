// What a chip says over a serial line, letter by letter as the line takes them: nothing waits for it.
//
//   Says<avr8::Serial, 64> says;
//   says.text("carriage ").fixed(4000, 2).text(" mm\r\n");      // "carriage 40.00 mm"
//   for (;;) says.serve();                       // the main program
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

/// @tparam Serial  has, static: is_ready(), send(byte) @tparam room  letters that wait, a power of two
template <class Serial, uint8_t room>
class Says {
 public:
  static_assert(room >= 16 && room <= 128 && (room & (room - 1)) == 0, "a power of two");

  Says& text(const char* words) {
    for (; *words != 0; ++words) letter(*words);
    return *this;
  }
  /// The same of words that lie elsewhere.
  template <class Read>
  Says& text(const char* words, Read read) {
    for (char each = read(*words); each != 0; each = read(*++words)) letter(each);
    return *this;
  }
  Says& whole(int32_t number) { return fixed(number, 0); }
  /// A number with so many digits behind the point. @param number  in units of the last of them
  COGSTRIDE_ONCE Says& fixed(int32_t number, uint8_t digits) {
    uint32_t left = static_cast<uint32_t>(number);
    if (number < 0) {
      letter('-');
      left = 0 - left;
    }
    char each[11];
    uint8_t count = 0;
    while (left != 0 || count <= digits) {
      each[count++] = static_cast<char>('0' + left % 10);
      left /= 10;
    }
    while (count != 0) {
      if (count == digits) letter('.');
      letter(each[--count]);
    }
    return *this;
  }
  /// So many letters could wait beside those that do.
  uint8_t free() const { return static_cast<uint8_t>((taken_ - put_ - 1) & (room - 1)); }

  void serve() {
    if (taken_ == put_ || !Serial::is_ready()) return;
    Serial::send(static_cast<uint8_t>(letters_[taken_]));
    taken_ = static_cast<uint8_t>((taken_ + 1) & (room - 1));
  }

 private:
  /// One too many is left out.
  COGSTRIDE_ONCE void letter(char each) {
    const uint8_t next = static_cast<uint8_t>((put_ + 1) & (room - 1));
    if (next == taken_) return;
    letters_[put_] = each;
    put_ = next;
  }

  char letters_[room];
  uint8_t put_ = 0;
  uint8_t taken_ = 0;
};

}  // namespace chip
}  // namespace cogstride
