// What several verbs read of an order: places, speeds, limits, shares, ramps, against one mechanism.
#pragma once

#include <optional>
#include <string>

#include "cogstride/motion/orders.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"

namespace cogstride {

class OrderReader {
 public:
  /// @param mechanism  its place in the rig
  OrderReader(LineReader& reader, std::size_t mechanism)
      : reader_(reader), mechanism_(reader.rig().mechanisms[mechanism]), place_(mechanism) {}

  OutputPosition position(const std::string& wanted) { return reader_.position(mechanism_, wanted); }
  /// "station 5", or a place that is wanted.
  OutputPosition station_or(const std::string& wanted);
  /// "clockwise", "anticlockwise", "the short way"; nothing where none of them comes.
  std::optional<Way> way();
  /// A speed that its ramps can have, or (a change of speed) any.
  OutputSpeed speed(const std::string& wanted, bool is_limit);
  /// A speed that its encoder can hold.
  OutputSpeed held_speed(const std::string& wanted);
  /// An acceleration; `require` throws where it is too much.
  template <class Require>
  OutputAcceleration acceleration(const std::string& wanted, const Require& require) {
    return reader_.amount(wanted, [&](const std::string& text) {
      const OutputAcceleration value = parse_output<2>(mechanism_, text);
      require_kind(mechanism_, value.kind);
      require(value);
      return value;
    });
  }
  /// A speed with the word for its way that follows it, if one does.
  OutputSpeed turned(OutputSpeed speed);
  /// Whether a way is forwards. @throws Wrong when it is none of two
  bool is_forwards(Way way, const char* amount) const;

  /// "at 40 mm/s and 800 mm/s2": what is said, else what holds in the stretch.
  void limits(MoveOrder& order);
  /// "at 200 deg/s and 2000 deg/s2" of what swings.
  void swing_limits(MoveOrder& order);
  /// "in 3 s"
  void takes(MoveOrder& order);

  /// A share of full duty, from `least` to 1.
  double share(const std::string& wanted, int least) { return share(reader_, wanted, least); }
  static double share(LineReader& reader, const std::string& wanted, int least);
  /// "in 2 s"
  std::optional<ExactTime> ramp();
  /// "for 10 s" or "until stopped"
  std::optional<ExactTime> lasts();

 private:
  template <class Check>
  void limit(const char* wanted, MoveOrder& order, Check check);

  LineReader& reader_;
  const Mechanism& mechanism_;
  std::size_t place_;
};

inline constexpr std::int64_t most_repeats = 1'000'000'000;

}  // namespace cogstride
