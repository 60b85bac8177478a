#include "cogstride/study/measure_link.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "cogstride/link/link_talk.hpp"
#include "cogstride/plan/link_figures.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t ms = 1'000'000;

class LinkMeasuring {
 public:
  LinkMeasuring(ByteStream& stream, const Controller& controller, const LinkMap& map)
      : stream_(stream),
        link_(*controller.link),
        map_(map),
        baud_(controller.small_chip->serial_baud),
        bytes_per_second_(link_figures(controller).bytes_per_second),
        talk_(1e-9 * bytes_per_second_) {}

  LinkResult run(Time each) {
    greet();
    const auto span = static_cast<std::int64_t>(1e9 * each.base());
    LinkResult result;
    result.on = link_.port;
    result.nominal_bytes_per_second = bytes_per_second_;
    result.may_add = link_.delay.base();
    ask_for(span);
    std::sort(trips_.begin(), trips_.end());
    result.questions = asked_;
    result.answers = static_cast<std::int64_t>(trips_.size());
    if (!trips_.empty()) {
      result.least_trip = trips_.front();
      result.median_trip = trips_[trips_.size() / 2];
      result.worst_trip = trips_.back();
      // Of a question and its answer, flags and check included.
      const double bytes = 8.0 + 13.0 + static_cast<double>(map_.axes.size());
      constexpr double bits_of_a_byte = 10.0;
      result.bytes_take = bytes * bits_of_a_byte / static_cast<double>(baud_);
      result.added = std::max(0.0, 0.5 * (result.worst_trip - result.bytes_take));
      result.proposed = 1e-3 * std::max(1.0, std::ceil(1e3 * 1.5 * result.added));
    }
    result.carried_bytes_per_second = fill_for(span);
    result.spoiled = talk_.counts().refused;
    result.sent_again = talk_.counts().sent_again;
    return result;
  }

 private:
  void turn() {
    std::array<std::uint8_t, 512> bytes{};
    for (;;) {
      const std::size_t count = stream_.read(bytes);
      if (count == 0) break;
      messages_.clear();
      const std::int64_t now = stream_.now_ns();
      talk_.hear({bytes.data(), count}, now, messages_);
      for (const LinkMessage& message : messages_) take(message, now);
    }
    if (unsent_.empty()) {
      const auto all = talk_.send(stream_.now_ns());
      unsent_.assign(all.begin(), all.end());
    }
    if (unsent_.empty()) return;
    const std::size_t count = stream_.write(unsent_);
    unsent_.erase(unsent_.begin(), unsent_.begin() + static_cast<std::ptrdiff_t>(count));
  }

  void take(const LinkMessage& message, std::int64_t now) {
    if (message.what == LinkReading::hail) {
      const std::string why = why_not_with(map_, message.version, message.mark, link_.port);
      if (!why.empty()) throw Error(why);
      is_greeted_ = is_greeted_ || message.session == session_;
    }
    if (message.what == LinkReading::told && message.asked_ns != 0)
      trips_.push_back(1e-9 * static_cast<double>(now - message.asked_ns));
  }

  void wait(std::int64_t until) {
    stream_.wait_until(std::min(until, std::max(talk_.next_ns(), stream_.now_ns() + ms / 4)));
  }

  void greet() {
    talk_.greet(map_.mark, session_, static_cast<std::uint16_t>(std::lround(1e3 * link_.silence.base())));
    const std::int64_t until = stream_.now_ns() + 4'000 * ms;
    while (!is_greeted_) {
      turn();
      if (stream_.now_ns() >= until) throw Error(no_answer_words(link_.port, baud_));
      wait(until);
    }
  }

  /// Questions alone, one after another.
  void ask_for(std::int64_t span) {
    // The first one may find the chip busy with what it was greeted by.
    const auto settle = stream_.now_ns() + 50 * ms;
    while (stream_.now_ns() < settle) {
      turn();
      wait(settle);
    }
    trips_.clear();
    const std::int64_t until = stream_.now_ns() + span;
    std::int64_t asks_at = stream_.now_ns();
    while (stream_.now_ns() < until) {
      if (stream_.now_ns() >= asks_at) {
        talk_.ask();
        ++asked_;
        asks_at = stream_.now_ns() + 5 * ms;
      }
      turn();
      wait(std::min(until, asks_at));
    }
  }

  /// Orders that do nothing, as many as it takes. @return bytes a second of those that were heard
  double fill_for(std::int64_t span) {
    // Nothing is to come to this line from an instant on: as before. As long as an order of three runs.
    const auto output = std::find_if(map_.lines.begin(), map_.lines.end(), [](const LinkMap::Line& line) {
      return line.use == LinkMap::Use::output;
    });
    if (output == map_.lines.end()) return 0.0;
    constexpr int lines = 41;
    constexpr double bytes_of_one = 3.0 + 4.0 + lines + 2.0 + 2.0;
    std::int64_t given = 0;
    const std::int64_t begins = stream_.now_ns();
    const std::int64_t until = begins + span;
    while (stream_.now_ns() < until) {
      while (talk_.waiting() < LinkTalk::most_orders) {
        LinkBytes order(LinkOrder::keep_levels);
        order.word(0);
        for (int i = 0; i < lines; ++i) order.byte(output->code);
        talk_.order(std::move(order));
        ++given;
      }
      turn();
      wait(until);
    }
    const std::int64_t heard = given - static_cast<std::int64_t>(talk_.waiting());
    return bytes_of_one * static_cast<double>(heard) * 1e9 / static_cast<double>(stream_.now_ns() - begins);
  }

  const std::uint16_t session_ = new_link_session();
  ByteStream& stream_;
  const ChipLink& link_;
  const LinkMap& map_;
  std::int64_t baud_;
  double bytes_per_second_;
  LinkTalk talk_;
  bool is_greeted_ = false;
  std::int64_t asked_ = 0;
  std::vector<double> trips_{};
  std::vector<LinkMessage> messages_{};
  std::vector<std::uint8_t> unsent_{};
};

}  // namespace

LinkResult measure_link(ByteStream& stream, const Controller& controller, const LinkMap& map, Time each) {
  return LinkMeasuring(stream, controller, map).run(each);
}

}  // namespace cogstride
