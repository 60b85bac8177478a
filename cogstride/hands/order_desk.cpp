#include "cogstride/hands/order_desk.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <utility>

#include "cogstride/hands/state_line.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/source_line.hpp"

namespace cogstride {
namespace {

constexpr std::string_view unreadable = "(no order)";
constexpr std::string_view is_gone = " is gone";

const ExactTime shortest_watch = ExactTime::from_base({1, 100});
const ExactTime longest_watch = ExactTime::from_base({3600});

std::string first_word(const std::string& order) {
  const SourceLine words = split_words(1, order);
  return words.words.empty() ? std::string() : std::string(words.words.front().text);
}

/// "every 100 ms"; 0: off. @throws Error
ExactTime watched_every(const std::string& order) {
  const SourceLine words = split_words(1, order);
  if (words.words.size() == 2 && words.words[1].text == "off") return {};
  if (words.words.size() < 3 || words.words[1].text != "every")
    throw Error("'watch every 100 ms', or 'watch off'");
  const std::string text(words.words[2].text.data(), order.data() + order.size());
  const auto every = parse_quantity<ExactTime>(statement_text(split_words(1, text)));
  if (every < shortest_watch || longest_watch < every)
    throw Error(fmt::format("found {}; from 10 ms to 1 h", to_text(every, "s")));
  return every;
}

}  // namespace

std::shared_ptr<OrderDesk::Way> OrderDesk::open(std::string name, std::function<void(std::string)> say,
                                                bool json) {
  auto way = std::make_shared<Way>();
  way->name_ = std::move(name);
  way->say_ = std::move(say);
  way->json_ = json;
  const std::lock_guard lock(mutex_);
  ways_.push_back(way);
  return way;
}

void OrderDesk::answer(const std::shared_ptr<Way>& way, const OrderLine& read,
                       const Operation::Answer& answer) {
  way->waiting_.fetch_sub(1, std::memory_order_relaxed);
  if (way->is_open_.load() && way->say_)
    way->say_(answer_line(read, answer, bench_.now().in(units::s), way->json_ || read.is_json));
}

void OrderDesk::line(const std::shared_ptr<Way>& way, const std::string& text) {
  OrderLine read;
  std::string why;
  try {
    read = read_order(text);
  } catch (const Error& error) {
    read = {text.substr(0, longest_order), {}, false};
    why = error.what();
  }
  const bool is_stop = why.empty() && statement_text(split_words(1, read.order)) == "stop everything";
  if (is_stop) operation_.stop_everything();  // before all that waits
  const int waiting = way->waiting_.fetch_add(1, std::memory_order_relaxed);
  // Posted even where it is refused, so that answers keep the order of their lines; but for a flood.
  if (waiting >= most_waiting && !is_stop) {
    way->waiting_.fetch_sub(1, std::memory_order_relaxed);
    if (way->is_open_.load() && way->say_)
      way->say_(answer_line(
          read, {Operation::Answer::Kind::refused, fmt::format("{} lines wait already", most_waiting), 0},
          0.0, way->json_ || read.is_json));
    return;
  }
  if (!why.empty()) {
    bench_.post(fmt::format("{}: {}", way->name_, unreadable), [this, way, read, why] {
      operation_.take_unreadable(
          read.order, way->name_, why,
          [this, way, read](const Operation::Answer& said) { answer(way, read, said); });
    });
    return;
  }
  bench_.post(fmt::format("{}: {}", way->name_, read.order), [this, way, read] { carry_out(way, read); });
}

void OrderDesk::carry_out(const std::shared_ptr<Way>& way, const OrderLine& read) {
  if (first_word(read.order) == "watch") return watch(way, read);
  if (first_word(read.order) == "press") return press(way, read);
  if (first_word(read.order) == "heard") return hear(way, read);
  if (first_word(read.order) == "show") return show(way, read);
  if (statement_text(split_words(1, read.order)) == "renew token") {
    try {
      if (!renew_) throw Error("nobody listens at a socket");
      answer(way, read, {Operation::Answer::Kind::done, renew_(), 0});
    } catch (const Error& error) {
      answer(way, read, {Operation::Answer::Kind::refused, error.what(), 0});
    }
    return;
  }
  operation_.take(read.order, way->name_,
                  [this, way, read](const Operation::Answer& said) { answer(way, read, said); });
}

void OrderDesk::watch(const std::shared_ptr<Way>& way, const OrderLine& read) {
  try {
    const ExactTime every = watched_every(read.order);
    const bool json = way->json_ || read.is_json;
    std::function<void(const OperationState&)> show;
    if (ExactTime() < every)
      show = [way, json](const OperationState& state) {
        if (way->is_open_.load() && way->say_) way->say_(state_line(state, json));
      };
    answer(way, read, {Operation::Answer::Kind::done, {}, 0});
    operation_.show(way->name_, every, std::move(show));
  } catch (const Error& error) {
    answer(way, read, {Operation::Answer::Kind::refused, error.what(), 0});
  }
}

void OrderDesk::show(const std::shared_ptr<Way>& way, const OrderLine& read) {
  const SourceLine words = split_words(1, read.order);
  const OperationState state = operation_.state();
  std::vector<std::string> names;
  for (const MovedState& moved : state.moved) {
    names.push_back(moved.name);
    if (words.words.size() == 2 && words.words[1].text == moved.name)
      return answer(way, read, {Operation::Answer::Kind::done, state_words(moved), 0});
  }
  answer(way, read,
         {Operation::Answer::Kind::refused,
          fmt::format("'show NAME': it is one of {}", fmt::join(names, ", ")), 0});
}

void OrderDesk::hear(const std::shared_ptr<Way>& way, const OrderLine& read) {
  const SourceLine line = split_words(1, read.order);
  std::string words;
  for (std::size_t i = 1; i < line.words.size(); ++i)
    words += fmt::format("{}{}", i == 1 ? "" : " ", line.words[i].text);
  try {
    if (words.empty())
      throw Error("'heard panel.station 5': what a device said, and its number where it has one");
    bench_.hear(words, way->name_);
    answer(way, read, {Operation::Answer::Kind::done, {}, 0});
  } catch (const Error& error) {
    answer(way, read, {Operation::Answer::Kind::refused, error.what(), 0});
  }
}

void OrderDesk::press(const std::shared_ptr<Way>& way, const OrderLine& read) {
  const SourceLine words = split_words(1, read.order);
  try {
    if (words.words.size() != 2 || words.words[1].text.size() != 1) throw Error("'press f': one key");
    if (operation_.is_stopped()) throw Error("everything is stopped: 'clear' comes before any other order");
    if (!press_) throw Error("the rig binds no key");
    press_(words.words[1].text.front(), way->name_);
    answer(way, read, {Operation::Answer::Kind::done, {}, 0});
  } catch (const Error& error) {
    answer(way, read, {Operation::Answer::Kind::refused, error.what(), 0});
  }
}

void OrderDesk::close(const std::shared_ptr<Way>& way) {
  if (!way->is_open_.exchange(false)) return;
  bench_.post(way->name_ + std::string(is_gone), [this, way] { operation_.lost(way->name_); });
}

void OrderDesk::play_again(const std::string& posted) {
  if (posted.ends_with(is_gone)) return operation_.lost(posted.substr(0, posted.size() - is_gone.size()));
  const std::size_t colon = posted.find(": ");
  if (colon == std::string::npos) return;
  const std::string order = posted.substr(colon + 2);
  // Refused again: what is looked at then is looked at now.
  if (order == unreadable)
    return operation_.take_unreadable(order, posted.substr(0, colon), "it could not be read", {});
  carry_out(open(posted.substr(0, colon), {}, false), {order, {}, false});
}

void OrderDesk::tell_fault(const std::string& why) {
  const std::lock_guard lock(mutex_);
  std::erase_if(ways_, [](const auto& way) { return way.expired(); });
  for (const auto& each : ways_) {
    const std::shared_ptr<Way> way = each.lock();
    if (way && way->is_open_.load() && way->say_)
      way->say_(answer_line({{}, {}, false}, {Operation::Answer::Kind::faulted, why, 0},
                            bench_.now().in(units::s), way->json_));
  }
}

void LineSplitter::take(std::string_view bytes, const std::function<void(const std::string&)>& line) {
  for (std::size_t at = 0; at < bytes.size();) {
    const std::size_t end = std::min(bytes.find('\n', at), bytes.size());
    // No more of it than it takes to see that it is too long.
    const std::size_t room = 4 * longest_order - std::min(text_.size(), 4 * longest_order);
    text_.append(bytes.substr(at, std::min(end - at, room)));
    if (end < bytes.size()) {
      line(text_);
      text_.clear();
    }
    at = end + 1;
  }
}

void LineSplitter::finish(const std::function<void(const std::string&)>& line) {
  if (!text_.empty()) line(text_);
  text_.clear();
}

}  // namespace cogstride
