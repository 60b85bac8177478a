// The computer's end of what is said on a link (docs/link.md): frames, numbers, what is said again, and how
// much may be on its way. It knows no clock and no port: bytes and instants are given to it.
//
//   LinkTalk talk;
//   talk.greet(mark, session, 100);
//   talk.order(LinkBytes(LinkOrder::levels).word(tick).byte(code));
//   port.write(talk.send(now));                  // what is to go out now
//   talk.hear(bytes, now, messages);             // what came in
#pragma once

#include <array>
#include <cstdint>
#include <deque>
#include <optional>
#include <span>
#include <vector>

#include "cogstride/chip/link_frame.hpp"
#include "cogstride/chip/link_words.hpp"
#include "cogstride/plan/link_figures.hpp"

namespace cogstride {

using chip::LinkOrder;
using chip::LinkReading;

/// What an order consists of behind its head.
class LinkBytes {
 public:
  explicit LinkBytes(std::uint8_t what) : what_(what) {}
  LinkBytes& byte(std::uint8_t byte) {
    bytes_.push_back(byte);
    return *this;
  }
  LinkBytes& half(std::uint16_t number) {
    return byte(static_cast<std::uint8_t>(number)).byte(static_cast<std::uint8_t>(number >> 8));
  }
  LinkBytes& word(std::uint32_t number) {
    return half(static_cast<std::uint16_t>(number)).half(static_cast<std::uint16_t>(number >> 16));
  }
  [[nodiscard]] std::uint8_t what() const { return what_; }
  [[nodiscard]] const std::vector<std::uint8_t>& bytes() const { return bytes_; }

 private:
  std::uint8_t what_;
  std::vector<std::uint8_t> bytes_{};
};

/// What a chip has said, its fields read.
struct LinkMessage {
  std::uint8_t what = 0;
  std::uint32_t tick = 0;
  std::uint8_t which = 0;     ///< line, axis or channel
  bool high = false;          ///< of an edge
  std::uint8_t ended = 0;     ///< of an edge: axes whose runs it has ended, a bit each
  std::int32_t value = 0;     ///< code, place, ticks, or a count's low half and how long ago that came
  std::uint8_t how = 0;       ///< LinkStood, or the state that it tells
  std::int64_t asked_ns = 0;  ///< when it was asked for that; 0: it was not
  std::uint8_t version = 0;
  std::uint32_t mark = 0;
  std::uint16_t session = 0;
  std::uint8_t count = 0;              ///< of a cut
  std::vector<std::uint32_t> words{};  ///< places, or levels of inputs (a byte each)
  std::vector<std::uint8_t> room{};    ///< for runs, by axis
};

class LinkTalk {
 public:
  /// Orders that have not been heard of: no more than this on its way at once.
  static constexpr std::size_t most_orders = 24;
  static constexpr std::int64_t most_waiting_ns = link_most_waiting_ns;
  static constexpr std::int64_t asks_each_ns = 20'000'000;

  /// @param bytes_per_ns  that the line and the other end take
  explicit LinkTalk(double bytes_per_ns) : bytes_per_ns_(bytes_per_ns) {}

  void greet(std::uint32_t mark, std::uint16_t session, std::uint16_t silence_ms);
  /// All orders that have not gone out are dropped, and those on their way are not obeyed any more.
  void cut(std::uint8_t count);
  [[nodiscard]] bool is_cutting() const { return cuts_.has_value(); }
  /// @param axis, runs  that take room there; the other end says how much it has
  void order(LinkBytes order, std::uint8_t axis = 0, std::uint8_t runs = 0);
  /// Orders that wait here, or are on their way.
  [[nodiscard]] std::size_t waiting() const { return orders_.size(); }
  /// Runs of an axis on their way, that no room has been told for since.
  [[nodiscard]] std::size_t runs_on_their_way(std::uint8_t axis) const;
  /// Asks at once, however short ago it was asked.
  void ask() { asks_now_ = true; }

  /// What is to go out now.
  [[nodiscard]] std::span<const std::uint8_t> send(std::int64_t now_ns);
  /// When it has something to send again, if nothing comes in meanwhile.
  [[nodiscard]] std::int64_t next_ns() const;
  /// Numbered ones come once, and in their order.
  void hear(std::span<const std::uint8_t> bytes, std::int64_t now_ns, std::vector<LinkMessage>& messages);

  struct Counts {
    std::int64_t frames_sent = 0;
    std::int64_t sent_again = 0;
    std::int64_t bytes_sent = 0;
    std::int64_t frames_heard = 0;
    std::int64_t refused = 0;  ///< what came and was no sound frame
  };
  [[nodiscard]] const Counts& counts() const { return counts_; }
  /// From a question to its answer, the shortest of late.
  [[nodiscard]] std::int64_t round_trip_ns() const { return round_trip_ns_; }

 private:
  struct Order {
    LinkBytes bytes;
    std::uint8_t axis;
    std::uint8_t runs;
    std::int64_t sent_ns = 0;   // when it has gone out; 0: it has not been sent
    std::int64_t given_ns = 0;  // to the port
  };
  void frame(const LinkBytes& bytes, std::uint8_t number, std::int64_t now_ns);
  void heard(std::uint8_t next, std::int64_t asked_ns, std::int64_t now_ns);
  void say_again();
  [[nodiscard]] std::int64_t patience_ns() const;
  [[nodiscard]] std::int64_t cut_patience_ns() const;
  [[nodiscard]] std::int64_t may_wait_ns() const;
  bool read(std::span<const std::uint8_t> bytes, LinkMessage& message, std::uint8_t& number,
            std::int64_t now_ns);

  struct Sink {
    std::vector<std::uint8_t>& bytes;
    void put(std::uint8_t byte) { bytes.push_back(byte); }
  };

  double bytes_per_ns_;
  chip::FrameReader<64> reader_{};
  std::vector<std::uint8_t> out_{};
  std::deque<Order> orders_{};  // the first one has the number first_
  std::uint8_t first_ = 0;
  std::uint8_t next_reading_ = 0;  // that has not been heard
  std::optional<std::uint8_t> cuts_{};
  std::int64_t cut_sent_ns_ = 0;
  int cuts_said_ = 0;
  std::int64_t free_ns_ = 0;  // what was given to the port has gone out by then
  struct Greeting {
    std::uint32_t mark = 0;
    std::uint16_t session = 0;
    std::uint16_t silence_ms = 0;
    std::int64_t sent_ns = 0;
  };
  std::optional<Greeting> greeting_{};
  std::array<std::int64_t, 256> asked_{};  // by stamp
  std::uint8_t stamp_ = 0;
  std::int64_t asked_ns_ = -asks_each_ns;
  std::int64_t round_trip_ns_ = 5'000'000;
  bool asks_now_ = false;
  bool acknowledges_ = false;
  Counts counts_{};
};

}  // namespace cogstride
