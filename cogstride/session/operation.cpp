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
struct Operation::Jog {
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
  return ends_ && orders_.empty() && jogs_.empty();
}

std::vector<std::string> Operation::held() const {
  std::vector<std::string> names;
  for (const auto& [place, jog] : jogs_)
    if (jog.way != 0)
      names.push_back(fmt::format("{} {}", bench_.rig().mechanisms[place].name, jog.way > 0 ? "on" : "back"));
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
  if (text == "end") {
    ends_ = true;
    for (auto& [place, jog] : jogs_) jog.way = 0;
    return answer(told, Answer::Kind::done);
  }
  if (is_stopped())
    return answer(told, Answer::Kind::refused, "everything is stopped: 'clear' comes before any other order");
  if (ends_) return answer(told, Answer::Kind::refused, "it comes to its end: 'end' was ordered");
  try {
    const bool is_jog = verb == "jog" && words.words.size() > 2 &&
                        (words.words[2].text == "on" || words.words[2].text == "back");
    if (is_jog) return take_jog(line, told);
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
  const About about = script->statements.front().verb->about();
  // It stops as one that was asked to go on no longer: on its ramp.
  if (script->statements.front().text.starts_with("stop"))
    for (auto& [place, jog] : jogs_)
      if (about.mechanism == place || about.mechanism == About::everything) jog.way = 0;
  if (about.moves && jogs_.contains(about.mechanism))
    return answer(told, Answer::Kind::refused,
                  bench_.rig().mechanisms[about.mechanism].name + " is jogged: 'stop' it first");
  auto player = std::make_unique<ScriptPlayer>(*script, bench_.rig(), cast_);
  orders_.push_back(std::make_unique<Order>(Order{std::move(script), std::move(player), told}));
}

void Operation::take_jog(const std::string& line, const Told& told) {
  const SourceLine words = split_words(1, line);
  const PatternValues none;
  LineReader reader(words, bench_.rig(), none);
  reader.expect("jog");
  const std::size_t place = reader.mechanism();
  const Mechanism& mechanism = bench_.rig().mechanisms[place];
  const bool on = reader.take("on");
  if (!on) reader.expect("back");
  OutputSpeed speed = mechanism.homing ? mechanism.homing->speed : mechanism.limits.speed;
  if (reader.take("at")) speed = OrderReader(reader, place).speed("a speed such as 5 mm/s", true);
  reader.expect_end();
  Mover& mover = *cast_.mechanisms[place];
  const auto known = jogs_.find(place);
  if (known == jogs_.end()) {
    const Zeroed& zeroed = able(mechanism.name, mover.zeroed(), "be jogged");
    if (!zeroed.knows_zero())
      throw RangeError(mechanism.name + ": nobody knows where it stands: 'home' comes first");
    if (!mover.has_ended()) throw RangeError(mechanism.name + ": is on its way by another order");
  }
  const Tick lapses = now() + ticks_at_least(options_.jog_lasts, bench_.rig().controller.timer_clock);
  const int way = on ? 1 : -1;
  if (known == jogs_.end()) {
    jogs_.emplace(place, Jog{Jogging(mover, speed, false), way, lapses});
  } else {
    known->second.way = way;
    known->second.lapses = lapses;
  }
  answer(told, Answer::Kind::done);
}

void Operation::take_stop(const Told& told) {
  stopped_.store(true, std::memory_order_release);
  bench_.stop(bench_.rig().stops.interrupt, "stop everything was ordered");
  drop_all();
  answer(told, Answer::Kind::done, "everything is stopped: 'clear' takes orders again");
}

Tick Operation::next_act() const {
  if (is_stopped() && !(orders_.empty() && jogs_.empty())) return 0;
  Tick next = never;
  for (const auto& order : orders_)
    next = std::min(next, order->player->has_ended() ? 0 : order->player->next_act());
  for (const auto& [place, jog] : jogs_) {
    if (jog.jogging.would_change(jog.way) || (jog.way == 0 && jog.jogging.stands())) return 0;
    if (jog.way != 0) next = std::min(next, jog.lapses);
  }
  return next;
}

/// What was ordered before does not go on when orders are taken again.
void Operation::drop_all() {
  jogs_.clear();
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
  for (auto jog = jogs_.begin(); jog != jogs_.end();) {
    if (jog->second.way != 0 && lines.now() >= jog->second.lapses) jog->second.way = 0;
    try {
      jog->second.jogging.want(lines, jog->second.way);
    } catch (const RangeError&) {  // something stands in its way: the mover has told it
      jog->second.way = 0;
    }
    const bool is_over = jog->second.way == 0 && jog->second.jogging.stands();
    jog = is_over ? jogs_.erase(jog) : std::next(jog);
  }
}

}  // namespace cogstride
