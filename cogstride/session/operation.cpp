#include "cogstride/session/operation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/script/verbs/verb.hpp"
#include "cogstride/session/operation_inside.hpp"

namespace cogstride {
namespace {

/// Orders of which the next one takes the place of one that has not been looked at: "move traverse to", of
/// one hand. "": none.
std::string value_key(const std::string& line) {
  const SourceLine words = split_words(1, line);
  if (words.words.size() < 3) return {};
  constexpr std::array<std::pair<std::string_view, std::string_view>, 6> kinds{
      {{"move", "to"}, {"turn", "to"}, {"spin", "at"}, {"swing", "to"}, {"throttle", "to"}, {"fade", "to"}}};
  const std::string_view verb = words.words[0].text;
  const std::string_view how = words.words[2].text;
  const bool is_value = verb == "set" || (verb == "jog" && how != "with") ||
                        std::find(kinds.begin(), kinds.end(), std::pair(verb, how)) != kinds.end();
  if (!is_value) return {};
  const bool has_ways = verb == "jog" && how != "at";
  return fmt::format("{} {} {}", verb, words.words[1].text, has_ways ? std::string_view() : how);
}

/// The mechanism that a line names: its second word.
std::string named_in(const std::string& line) {
  const SourceLine words = split_words(1, line);
  return words.words.size() < 2 ? std::string() : std::string(words.words[1].text);
}

}  // namespace

std::string first_of(const InputError& error) {
  const std::vector<Diagnostic>& wrong = error.diagnostics();
  return wrong.empty() ? std::string(error.what()) : wrong.front().message;
}

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

Operation::Operation(Bench& bench, Options options)
    : bench_(bench),
      options_(std::move(options)),
      cast_(bench.cast()),
      known_(known_at_begin(bench.rig())),
      kept_(known_.standing.size()),
      is_set_(known_.standing.size()),
      claim_lasts_(ticks_at_least(ExactTime::from_base({1, 10}), cast_.clock)),
      hold_lasts_(std::llround(bench.rig().operating.hold_lasts.in(units::s)*cast_.clock.base().to_double())),
      looks_every_(ticks_at_least(ExactTime::from_base({1, 50}), cast_.clock)),
      times_stopped_(bench.times_stopped()) {
  known_.is_by_hand = true;
  for (const Mechanism& mechanism : bench.rig().mechanisms) settings_.push_back(mechanism.by_hand);
}

Operation::~Operation() = default;

bool Operation::InRigOrder::operator()(const Mover* a, const Mover* b) const {
  return a->id() < b->id();
}

void Operation::answer(const Told& told, Answer::Kind kind, std::string words) const {
  if (told) told({kind, std::move(words), now()});
}

void Operation::refuse(const Incoming& incoming, std::string why) const {
  answer(incoming.told, Answer::Kind::refused, std::move(why));
}

Tick Operation::now() const {
  return std::llround(bench_.now().in(units::s)*cast_.clock.base().to_double());
}

bool Operation::has_ended() const {
  return ends_ && incoming_.empty() && orders_.empty() && jogs_.empty() && !script_;
}

std::vector<std::string> Operation::held() const {
  std::vector<std::string> names;
  for (const auto& mover : bench_.movers())
    if (const auto jog = jogs_.find(mover.get()); jog != jogs_.end() && jog->second.way != 0)
      names.push_back(fmt::format("{} {}", mover->name(), jog->second.way > 0 ? "on" : "back"));
  return names;
}

OperationState Operation::state() const {
  OperationState state = state_of(bench_.rig(), cast_, now());
  for (const auto& [mover, claim] : claims_)
    for (MovedState& each : state.moved)
      if (each.name == mover->name()) each.held_by = claim.by;
  for (std::size_t i = 0; i < settings_.size(); ++i) {
    const Mechanism& mechanism = bench_.rig().mechanisms[i];
    const double shown = display_units_per_base(output_kind(mechanism.train));
    for (MovedState& each : state.moved) {
      if (each.name != mechanism.name) continue;
      if (settings_[i].speed) each.usual_speed = settings_[i].speed->base.to_double() * shown;
      if (settings_[i].acceleration)
        each.usual_acceleration = settings_[i].acceleration->base.to_double() * shown;
    }
  }
  state.is_stopped = is_stopped();
  state.fault = fault_;
  if (script_) {
    state.script = script_->line;
    state.statement = script_->statement;
    state.script_is_paused = script_->player->is_paused();
    const ScriptLength& length = script_->length;
    if (length.has_an_end) state.script_lasts = length.seconds;
    state.script_takes_longer = !length.is_whole;
    state.script_played = static_cast<double>(script_->played_until(now())) / cast_.clock.base().to_double();
  }
  return state;
}

void Operation::show(const std::string& by, ExactTime every,
                     std::function<void(const OperationState&)> show) {
  if (!show) {
    shown_.erase(by);
    return;
  }
  shown_[by] = {std::max<Tick>(1, ticks_at_least(every, cast_.clock)), now(), std::move(show)};
}

/// What was foreseen of places is held against what movers say: a hand may come at any time.
void Operation::look_where_all_stand() {
  const Tick at = now();
  for (std::size_t i = 0; i < known_.standing.size(); ++i) {
    Mover* const mover = cast_.mechanisms[i];
    if (mover == nullptr) continue;
    Standing& standing = known_.standing[i];
    const auto homes = [&](const auto& order) { return order->homes && order->has(mover); };
    if (std::any_of(orders_.begin(), orders_.end(), homes)) continue;  // it will be there when its turn comes
    if (const Zeroed* const zeroed = mover->zeroed()) standing.is_homed = zeroed->knows_zero();
    if (const Places* const places = mover->places()) standing.at = places->position(at);
    // A way is counted from where the one that is on ends, and that may be changed.
    if (!mover->has_ended()) standing.at.reset();
    if (!mover->has_ended() || mover->is_driven(at)) continue;
    standing.spins = standing.follows = nullptr;
    standing.duty = 0.0;
    standing.is_held = false;
    kept_[i] = {};
  }
}

/// What turns on is named by its statement until it stands.
void Operation::keep(const std::shared_ptr<const Script>& script) {
  const std::function<bool(std::span<const Statement>, const Statement*)> has =
      [&](std::span<const Statement> statements, const Statement* wanted) {
        return std::any_of(statements.begin(), statements.end(), [&](const Statement& each) {
          return &each == wanted || has(each.verb->inside(), wanted);
        });
      };
  for (std::size_t i = 0; i < known_.standing.size(); ++i) {
    if (has(script->statements, known_.standing[i].spins)) kept_[i].spins = script;
    if (has(script->statements, known_.standing[i].follows)) kept_[i].follows = script;
  }
  known_.endless = nullptr;
}

std::vector<Stretch> Operation::stretches() const {
  std::vector<Stretch> stretches;
  for (std::size_t i = 0; i < settings_.size(); ++i)
    if (settings_[i].speed || settings_[i].acceleration)
      stretches.push_back({i, settings_[i].speed, settings_[i].acceleration});
  return stretches;
}

// ---- who has what

std::vector<Mover*> Operation::movers_of(std::span<const Statement> statements, bool moved) const {
  std::vector<Mover*> movers;
  const auto add = [&](Mover* mover) {
    if (mover != nullptr && std::find(movers.begin(), movers.end(), mover) == movers.end())
      movers.push_back(mover);
  };
  for (const Statement& statement : statements) {
    const About about = statement.verb->about();
    if (about.mechanism < cast_.mechanisms.size() && (!moved || about.moves || about.homes))
      add(cast_.mechanisms[about.mechanism]);
    if (about.pair < cast_.carts.size()) {
      add(cast_.carts[about.pair]);
      for (Mover* const wheel : cast_.carts[about.pair]->moves()) add(wheel);
    }
    for (Mover* const inside : movers_of(statement.verb->inside(), moved)) add(inside);
  }
  return movers;
}

void Operation::require_free(const std::vector<Mover*>& movers, const std::string& by) const {
  for (Mover* const mover : movers) {
    const auto claim = claims_.find(mover);
    if (claim != claims_.end() && claim->second.by != by)
      throw RangeError(
          fmt::format("{0} has {1} until it stands; anyone may 'stop {1}'", claim->second.by, mover->name()));
  }
}

void Operation::claim(const std::vector<Mover*>& movers, const std::string& by) {
  for (Mover* const mover : movers) claims_[mover] = {by, now()};
}

void Operation::let_go_what_stands() {
  const Tick at = now();
  std::erase_if(claims_, [&](const auto& claim) {
    Mover* const mover = claim.first;
    const auto has = [&](const auto& order) { return order->has(mover); };
    // What has been ordered just now may begin to be driven a little later.
    return at - claim.second.since > claim_lasts_ && mover->stands() && !mover->is_driven(at) &&
           !jogs_.contains(mover) && std::none_of(orders_.begin(), orders_.end(), has) &&
           !(script_ && script_->has(mover));
  });
}

void Operation::lost(const std::string& by) {
  shown_.erase(by);
  const bool holds =
      std::any_of(claims_.begin(), claims_.end(), [&](const auto& claim) { return claim.second.by == by; });
  if (!holds) return;
  if (bench_.rig().operating.when_lost == Operating::Lost::stop_everything) {
    incoming_.push_front({"stop everything", by, {}, {}});
    return;
  }
  lost_.push_back(by);
}

/// Holds, and what goes on without an end of its own.
void Operation::bring_to_rest(Lines& lines, const std::string& by) {
  for (const auto& [mover, claim] : claims_) {
    if (claim.by != by) continue;
    if (const auto jog = jogs_.find(mover); jog != jogs_.end()) {
      jog->second.way = 0;
      continue;
    }
    const auto has = [mover = mover](const auto& order) { return order->has(mover); };
    const bool ends_by_itself = std::any_of(orders_.begin(), orders_.end(), has);
    if (!ends_by_itself) mover->answers_for().stop(lines, Braking::on_a_ramp);
  }
}

// ---- lines

void Operation::take(const std::string& line, const std::string& by, Told told) {
  incoming_.push_back({line, by.empty() ? "the program" : by, std::move(told), {}});
}

void Operation::take_unreadable(const std::string& line, const std::string& by, std::string why, Told told) {
  incoming_.push_back({line, by, std::move(told), std::move(why)});
}

/// The next value of the same hand for the same thing among what waits, as long as nothing else about the
/// same mechanism stands between; the end of it when there is none.
std::deque<Operation::Incoming>::iterator Operation::next_value_after(const Incoming& value) {
  const std::string key = value.wrong.empty() ? value_key(value.line) : std::string();
  if (key.empty()) return incoming_.end();
  const std::string name = named_in(value.line);
  for (auto next = incoming_.begin(); next != incoming_.end(); ++next) {
    const std::string other = next->wrong.empty() ? value_key(next->line) : std::string();
    if (other == key && next->by == value.by) return next;
    if (other.empty() || named_in(next->line) == name) break;
  }
  return incoming_.end();
}

/// The first line that waits. Of a flood of values the last one wins that is not refused.
void Operation::begin_next(Lines& lines) {
  std::vector<Incoming> values;
  values.push_back(std::move(incoming_.front()));
  incoming_.pop_front();
  for (auto next = next_value_after(values.back()); next != incoming_.end();
       next = next_value_after(values.back())) {
    values.push_back(std::move(*next));
    incoming_.erase(next);
  }
  std::string by;
  for (auto value = values.rbegin(); value != values.rend(); ++value) {
    if (!by.empty()) {
      answer(value->told, Answer::Kind::superseded, "by " + by);
      continue;
    }
    const auto is_refused = std::make_shared<bool>(false);
    Incoming told = *value;
    told.told = [is_refused, told = value->told](const Answer& said) {
      *is_refused = said.kind == Answer::Kind::refused;
      if (told) told(said);
    };
    begin(lines, told);
    if (!*is_refused) by = value->line;
  }
}

void Operation::latch(const std::string& why) {
  stopped_.store(true, std::memory_order_release);
  drop_all(why);
}

/// What was ordered before does not go on when orders are taken again.
void Operation::drop_all(const std::string& why) {
  for (const auto& [mover, jog] : jogs_)
    if (jog.way != 0) held_through_[{claims_[mover].by, mover->name()}] = jog.lapses - hold_lasts_;
  jogs_.clear();
  lost_.clear();
  for (const std::unique_ptr<Order>& order : std::exchange(orders_, {}))
    for (const Told& told : order->told) answer(told, Answer::Kind::faulted, why);
  if (const std::unique_ptr<Order> script = std::move(script_))
    for (const Told& told : script->told) answer(told, Answer::Kind::faulted, why);
  claims_.clear();
}

Tick Operation::next_act() const {
  if (!incoming_.empty() || !lost_.empty() || bench_.times_stopped() != times_stopped_) return 0;
  Tick next = never;
  for (const auto& order : orders_) next = std::min(next, order->next_act());
  if (script_) next = std::min(next, script_->next_act());
  for (const auto& [mover, jog] : jogs_) {
    if (jog.jogging.would_change(jog.way)) return 0;
    next = std::min(next, jog.way != 0 ? jog.lapses : jog.looks);
  }
  for (const auto& [by, shown] : shown_) next = std::min(next, shown.next);
  if (!claims_.empty()) next = std::min(next, looks_at_claims_);
  return next;
}

void Operation::go_on_jogging(Lines& lines) {
  for (auto each = jogs_.begin(); each != jogs_.end();) {
    Jog& jog = each->second;
    if (jog.way != 0 && lines.now() >= jog.lapses) jog.way = 0;
    try {
      jog.jogging.want(lines, jog.way);
    } catch (const RangeError& error) {  // something stands in its way
      fault_ = error.what();
      jog.way = 0;
    }
    jog.looks = lines.now() + looks_every_;
    const bool is_over = jog.way == 0 && jog.jogging.stands(lines.now());
    each = is_over ? jogs_.erase(each) : std::next(each);
  }
}

/// What went wrong, without where: it is said of the line.
std::string Operation::Order::fault() const {
  if (motion)
    return motion->status == MotionStatus::done ? std::string()
           : motion->fault.empty()              ? "it was stopped"
                                                : motion->fault;
  std::string fault = player->fault();
  for (const std::string& where : {fmt::format("{}:1: ", by_hand), line + ": "})
    if (!is_script && fault.starts_with(where)) fault.erase(0, where.size());
  return fault;
}

bool Operation::Order::has(const Mover* mover) const {
  return std::find(movers.begin(), movers.end(), mover) != movers.end();
}

Tick Operation::Order::next_act() const {
  if (motion) return motion->has_ended() ? 0 : never;
  return player->has_ended() ? 0 : player->next_act();
}

bool Operation::Order::has_ended() const {
  return motion ? motion->has_ended() : player->has_ended();
}

void Operation::finish(const Order& order) {
  if (order.player)
    for (const TaughtLimit& taught : order.player->taught()) taught_[taught.mechanism] = taught;
  const std::string fault = order.fault();
  for (const Told& told : order.told)
    answer(told, fault.empty() ? Answer::Kind::done : Answer::Kind::faulted, fault);
}

void Operation::go_on_with(Lines& lines, std::span<const Reading> readings) {
  for (std::size_t i = 0; i < orders_.size(); ++i) {
    if (orders_[i]->player) orders_[i]->player->act(lines, readings);
    if (!orders_[i]->has_ended()) continue;
    const std::unique_ptr<Order> order = std::move(orders_[i]);
    orders_.erase(orders_.begin() + static_cast<std::ptrdiff_t>(i--));
    finish(*order);
  }
  if (!script_) return;
  script_->player->act(lines, readings);
  if (!script_->has_ended()) return;
  const std::unique_ptr<Order> script = std::move(script_);
  finish(*script);
}

void Operation::act(Lines& lines, std::span<const Reading> readings) {
  if (bench_.times_stopped() != times_stopped_) {
    times_stopped_ = bench_.times_stopped();
    latch("everything was stopped");
  }
  // A stop comes before what was ordered before it.
  const auto stop = std::find_if(incoming_.rbegin(), incoming_.rend(), [](const Incoming& each) {
    return each.wrong.empty() && is_stop_everything(each.line);
  });
  if (stop != incoming_.rend()) {
    if (!is_stopped()) bench_.stop(bench_.rig().stops.interrupt, "stop everything was ordered");
    latch("everything was stopped");
    const auto last = stop.base();
    for (auto each = incoming_.begin(); each != last; ++each) {
      note_held(lines, *each);
      if (is_stop_everything(each->line))
        answer(each->told, Answer::Kind::done, "everything is stopped: 'clear' takes orders again");
      else
        refuse(*each, "everything was stopped after it");
    }
    incoming_.erase(incoming_.begin(), last);
  }
  while (!incoming_.empty()) begin_next(lines);
  for (const std::string& by : std::exchange(lost_, {})) bring_to_rest(lines, by);
  go_on_with(lines, readings);
  go_on_jogging(lines);
  let_go_what_stands();
  looks_at_claims_ = lines.now() + looks_every_;
  for (auto& [by, shown] : shown_) {
    if (shown.next > lines.now()) continue;
    shown.next = lines.now() + shown.every;
    shown.show(state());
  }
}

/// What another order takes the place of. @param merges  both are nudges: they are answered together
void Operation::supersede(const std::vector<Mover*>& movers, const std::string& line, Order* merged) {
  for (std::size_t i = 0; i < orders_.size(); ++i) {
    Order& order = *orders_[i];
    const bool is_same =
        std::any_of(movers.begin(), movers.end(), [&](Mover* each) { return order.has(each); });
    if (!is_same || &order == merged) continue;
    for (Told& told : order.told) {
      if (merged != nullptr && merged->motion && order.motion)
        merged->told.push_back(std::move(told));
      else
        answer(told, Answer::Kind::superseded, "by " + line);
    }
    orders_.erase(orders_.begin() + static_cast<std::ptrdiff_t>(i--));
  }
}

}  // namespace cogstride
