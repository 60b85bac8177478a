// Lines as hands send them that nobody taught: orders, wrong ones, and rubbish.
#pragma once

#include <fmt/format.h>

#include <random>
#include <string>

namespace cogstride::testing_support {

class RandomHands {
 public:
  explicit RandomHands(std::uint64_t seed) : dice_(seed) {}

  [[nodiscard]] int of(int sides) { return static_cast<int>(dice_() % static_cast<std::uint64_t>(sides)); }
  /// A line without its end. Now and then everything is stopped, and cleared more often.
  std::string line() {
    switch (of(24)) {
      case 0:
        return fmt::format("move traverse to {} mm", of(125));
      case 1:
        return fmt::format("move traverse by {} mm at {} mm/s", of(60) - 30, 1 + of(70));
      case 2:
      case 3:
        return fmt::format("jog traverse {} at {} mm/s", of(2) == 0 ? "on" : "back", 1 + of(65));
      case 4:
        return fmt::format("nudge traverse by {} mm", of(5) - 2);
      case 5:
        return fmt::format("set traverse speed {} mm/s", 1 + of(70));
      case 6:
        return fmt::format("set traverse acceleration {} mm/s2", 10 + of(1600));
      case 7:
        return "stop traverse";
      case 8:
        return fmt::format("spin feeder at {} % until stopped", 20 + of(100));
      case 9:
        return fmt::format("jog feeder {} at {} %", of(2) == 0 ? "on" : "back", 10 + of(100));
      case 10:
        return of(2) == 0 ? "reverse feeder" : "faster feeder by 10 %";
      case 11:
        return of(2) == 0 ? "stop feeder" : "coast feeder";
      case 12:
        return of(2) == 0 ? "switch lamp on" : "switch lamp off";
      case 13:
        return of(3) == 0 ? "stop everything" : "stop";
      case 14:
      case 15:
        return "clear";
      case 16:
        return fmt::format("watch every {} ms", of(300));
      case 17:
        return fmt::format("wait {} ms", of(500));
      case 18:
        return of(2) == 0 ? "home traverse" : "zero traverse here";
      case 19:
        return of(2) == 0 ? "pause" : "keep";
      case 20:
        return "{\"order\": \"nudge traverse by 1 mm\"}";
      default:
        return rubbish();
    }
  }

 private:
  std::string rubbish() {
    std::string text;
    for (int left = of(80); left > 0; --left) {
      const char each = static_cast<char>(of(256));
      text += each == '\n' ? ' ' : each;
    }
    // No rubbish is an order by chance that ends the session.
    return of(4) == 0 ? "move " + text : text;
  }

  std::mt19937_64 dice_;
};

}  // namespace cogstride::testing_support
