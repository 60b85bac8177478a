#include "cogstride/session/operation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

constexpr const char* by_hand = "by hand";

std::string first_of(const InputError& error) {
  const std::vector<Diagnostic>& wrong = error.diagnostics();
  return wrong.empty() ? std::string(error.what()) : wrong.front().message;
}

}  // namespace

/// A statement that has begun.
struct Operation::Order {
  std::shared_ptr<const Script> script;
  std::unique_ptr<ScriptPlayer> player;
  Told told;
};

/// A mechanism that goes as long as somebody asks for it.
struct Operation::Push {
  Jogging jogging;
  int way = 0;
  Tick lapses = 0;
};

const char* to_text(Operation::Answer::Kind kind) {
  switch (kind) {
    case Operation::Answer::Kind::done:
      return "done";
    case Operation::Answer::Kind::refused:
      return "refused";
    case Operation::Answer::Kind::superseded:
      return "superseded";
    case Operation::Answer::Kind::faulted:
      return "fault";
  }
  return "";
}

Operation::Operation(Bench& bench) : Operation(bench, Options{}) {}

Operation::Operation(Bench& bench, const Options& options)
    : bench_(bench),
      options_(options),
      cast_(bench.cast()),
      known_(known_at_begin(bench.rig())),
      kept_(known_.standing.size()) {}

Operation::~Operation() = default;

void Operation::answer(const Told& told, Answer::Kind kind, std::string words) const {
  if (told) told({kind, std::move(words), now()});
}

Tick Operation::now() const {
  return std::llround(bench_.now().in(units::s)*bench_.rig().controller.timer_clock.base().to_double());
}

void Operation::stop_everything() noexcept {
  stopped_.store(true, std::memory_order_release);
  bench_.request_stop();
}

bool Operation::has_ended() const {
  return ends_ && orders_.empty() && pushes_.empty();
}

std::vector<std::string> Operation::held() const {
  std::vector<std::string> names;
  for (const auto& [place, push] : pushes_)
    if (push.way != 0)
      names.push_back(
          fmt::format("{} {}", bench_.rig().mechanisms[place].name, push.way > 0 ? "on" : "back"));
  return names;
}

/// What was foreseen of places is held against what movers say: a hand may come at any time.
void Operation::look_where_all_stand() {
  const Tick at = now();
  for (std::size_t i = 0; i < known_.standing.size(); ++i) {
    Mover* const mover = cast_.mechanisms[i];
    if (mover == nullptr) continue;
    Standing& standing = known_.standing[i];
    if (const Zeroed* const zeroed = mover->zeroed()) standing.is_homed = zeroed->knows_zero();
    if (const Places* const places = mover->places()) standing.at = places->position(at);
    if (!mover->has_ended() || mover->is_driven(at)) continue;
    standing.spins = standing.follows = nullptr;
    standing.duty = 0.0;
    standing.is_held = false;
    kept_[i] = {};
  }
}

/// What turns on is named by its statement until it stands.
void Operation::keep(const std::shared_ptr<const Script>& script) {
  const auto is_of = [&](const Statement* statement) {
    return std::any_of(script->statements.begin(), script->statements.end(),
                       [&](const Statement& each) { return &each == statement; });
  };
  for (std::size_t i = 0; i < known_.standing.size(); ++i) {
    if (is_of(known_.standing[i].spins)) kept_[i].spins = script;
    if (is_of(known_.standing[i].follows)) kept_[i].follows = script;
  }
}

void Operation::take(const std::string& line, Told told) {
  const SourceLine words = split_words(1, line);
  if (words.words.empty()) return answer(told, Answer::Kind::refused, "nothing is asked");
  const std::string_view verb = words.words.front().text;
  const std::string text = statement_text(words);
  if (text == "stop everything") return take_stop(told);
  if (text == "clear") {
    const bool was = stopped_.exchange(false, std::memory_order_acq_rel);
    return answer(told, Answer::Kind::done,
                  was ? "orders are taken again; nothing moves by it" : "nothing was stopped");
  }
  if (is_stopped())
    return answer(told, Answer::Kind::refused, "everything is stopped: 'clear' comes before any other order");
  if (text == "end") {
    ends_ = true;
    for (auto& [place, push] : pushes_) push.way = 0;
    return answer(told, Answer::Kind::done);
  }
  if (ends_) return answer(told, Answer::Kind::refused, "it comes to its end: 'end' was ordered");
  try {
    if (verb == "push") return take_push(line, told);
    if (verb == "release") return take_release(line, told);
    take_statement(line, told);
  } catch (const InputError& error) {
    answer(told, Answer::Kind::refused, first_of(error));
  } catch (const Error& error) {
    answer(told, Answer::Kind::refused, error.what());
  } catch (const Wrong& wrong) {
    answer(told, Answer::Kind::refused, fmt::format("column {}: {}", wrong.column, wrong.message));
  }
}

void Operation::take_statement(const std::string& line, const Told& told) {
  look_where_all_stand();
  auto script = std::make_shared<const Script>(parse_orders(line, by_hand, bench_.rig(), known_));
  keep(script);
  const About about = script->statements.empty() ? About{} : script->statements.front().verb->about();
  if (about.moves && pushes_.contains(about.mechanism))
    return answer(told, Answer::Kind::refused,
                  bench_.rig().mechanisms[about.mechanism].name + " is pushed: 'release' comes first");
  auto player = std::make_unique<ScriptPlayer>(*script, bench_.rig(), cast_);
  orders_.push_back(std::make_unique<Order>(Order{std::move(script), std::move(player), told}));
}

void Operation::take_push(const std::string& line, const Told& told) {
  const SourceLine words = split_words(1, line);
  const PatternValues none;
  LineReader reader(words, bench_.rig(), none);
  reader.expect("push");
  const std::size_t place = reader.mechanism();
  const Mechanism& mechanism = bench_.rig().mechanisms[place];
  const bool on = reader.take("on");
  if (!on) reader.expect("back");
  OutputSpeed speed = mechanism.homing ? mechanism.homing->speed : mechanism.limits.speed;
  if (reader.take("at")) speed = OrderReader(reader, place).speed("a speed such as 5 mm/s", true);
  reader.expect_end();
  Mover& mover = *cast_.mechanisms[place];
  const auto known = pushes_.find(place);
  if (known == pushes_.end()) {
    const Zeroed& zeroed = able(mechanism.name, mover.zeroed(), "be pushed");
    if (!zeroed.knows_zero())
      throw RangeError(mechanism.name + ": nobody knows where it stands: 'home' comes first");
    if (!mover.has_ended()) throw RangeError(mechanism.name + ": is on its way by another order");
  }
  const Tick lapses = now() + ticks_at_least(options_.push_lasts, bench_.rig().controller.timer_clock);
  const int way = on ? 1 : -1;
  if (known == pushes_.end()) {
    pushes_.emplace(place, Push{Jogging(mover, speed, false), way, lapses});
  } else {
    known->second.way = way;
    known->second.lapses = lapses;
  }
  answer(told, Answer::Kind::done);
}

void Operation::take_release(const std::string& line, const Told& told) {
  const SourceLine words = split_words(1, line);
  const PatternValues none;
  LineReader reader(words, bench_.rig(), none);
  reader.expect("release");
  const std::size_t place = reader.mechanism();
  reader.expect_end();
  const auto known = pushes_.find(place);
  if (known == pushes_.end())
    return answer(told, Answer::Kind::done, bench_.rig().mechanisms[place].name + " was not pushed");
  known->second.way = 0;
  answer(told, Answer::Kind::done);
}

void Operation::take_stop(const Told& told) {
  stopped_.store(true, std::memory_order_release);
  bench_.stop(bench_.rig().stops.interrupt, "stop everything was ordered");
  drop_all();
  answer(told, Answer::Kind::done, "everything is stopped: 'clear' takes orders again");
}

Tick Operation::next_act() const {
  if (is_stopped() && !(orders_.empty() && pushes_.empty())) return 0;
  Tick next = never;
  for (const auto& order : orders_)
    next = std::min(next, order->player->has_ended() ? 0 : order->player->next_act());
  for (const auto& [place, push] : pushes_) {
    if (push.jogging.would_change(push.way) || (push.way == 0 && push.jogging.stands())) return 0;
    if (push.way != 0) next = std::min(next, push.lapses);
  }
  return next;
}

/// What was ordered before does not go on when orders are taken again.
void Operation::drop_all() {
  pushes_.clear();
  for (const std::unique_ptr<Order>& order : std::exchange(orders_, {}))
    answer(order->told, Answer::Kind::faulted, "everything was stopped");
}

void Operation::act(Lines& lines, std::span<const Reading> readings) {
  if (is_stopped()) return drop_all();
  for (std::size_t i = 0; i < orders_.size(); ++i) {
    Order& order = *orders_[i];
    order.player->act(lines, readings);
    if (!order.player->has_ended()) continue;
    std::string fault = order.player->fault();
    const std::string where = fmt::format("{}:1: ", by_hand);
    if (fault.starts_with(where)) fault.erase(0, where.size());
    const Told told = std::move(order.told);
    orders_.erase(orders_.begin() + static_cast<std::ptrdiff_t>(i--));
    answer(told, fault.empty() ? Answer::Kind::done : Answer::Kind::faulted, fault);
  }
  for (auto push = pushes_.begin(); push != pushes_.end();) {
    if (push->second.way != 0 && lines.now() >= push->second.lapses) push->second.way = 0;
    try {
      push->second.jogging.want(lines, push->second.way);
    } catch (const RangeError&) {  // something stands in its way: the mover has told it
      push->second.way = 0;
    }
    const bool is_over = push->second.way == 0 && push->second.jogging.stands();
    push = is_over ? pushes_.erase(push) : std::next(push);
  }
}

}  // namespace cogstride
