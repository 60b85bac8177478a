// The orders that a hand needs beside the statements of the script language, and those.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/files/output_file.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verb.hpp"
#include "cogstride/session/operation_inside.hpp"

namespace cogstride {
namespace {

using Moved = LineReader::Moved;
constexpr std::initializer_list<Moved> all_kinds = {Moved::by_steps, Moved::by_duty, Moved::swings,
                                                    Moved::throttled, Moved::six_step};

/// s that one nudge may take while nobody knows where it stands, at the slow speed of its homing.
constexpr int longest_blind_nudge = 2;

/// "jog NAME on": the script's own `jog` has keys.
bool is_hold(const SourceLine& words) {
  constexpr std::array<std::string_view, 5> ways{"on", "back", "left", "right", "at"};
  return words.words.size() > 2 && words.words[0].text == "jog" &&
         std::find(ways.begin(), ways.end(), words.words[2].text) != ways.end();
}

/// "jog traverse at -5 mm/s" of one that goes on or back is "jog traverse back at 5 mm/s"; "": it says its
/// way.
std::string with_its_way(const SourceLine& words, const Rig& rig) {
  const auto is_its = [&](const auto& part) { return part.name == words.words[1].text; };
  if (words.words[2].text != "at" || words.words.size() < 4 ||
      std::none_of(rig.mechanisms.begin(), rig.mechanisms.end(), is_its))
    return {};
  const std::string_view speed = words.words[3].text;
  const bool back = speed.starts_with('-');
  std::string text = fmt::format("jog {} {} at {}", words.words[1].text, back ? "back" : "on",
                                 back ? speed.substr(1) : speed);
  for (std::size_t i = 4; i < words.words.size(); ++i) text += fmt::format(" {}", words.words[i].text);
  return text;
}

/// The patterns of a script, without what stands outside them.
std::string patterns_of(const std::string& text) {
  std::string patterns;
  int depth = 0;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    const std::string line = text.substr(at, end - at);
    at = end + 1;
    const SourceLine words = split_words(1, line);
    const std::string_view verb = words.words.empty() ? std::string_view() : words.words.front().text;
    const auto opens = [&](const VerbWord& each) { return each.word == verb && each.read_block != nullptr; };
    const std::span<const VerbWord> verbs = verb_words();
    const bool is_inside = depth > 0 || verb == "pattern";
    if (verb == "pattern" || (depth > 0 && std::any_of(verbs.begin(), verbs.end(), opens))) ++depth;
    if (depth > 0 && verb == "end") --depth;
    patterns += (is_inside ? line : std::string()) + "\n";  // lines keep their numbers
  }
  return patterns;
}

/// How fast, of a hold: "at 20 mm/s", "at 40 %".
JogPace pace_of(LineReader& reader, std::size_t place) {
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  OrderReader order(reader, place);
  JogPace pace;
  if (reader.comes_a_share()) {
    const Word share = reader.peek();
    pace.duty = Fraction::from_base(order.share("a share such as 40 %", 0));
    if (!(pace.duty->base() > 0.0))
      throw LineReader::wrong(share, "how fast: above 0; 'on' and 'back' say which way");
    return pace;
  }
  const Word speed = reader.peek();
  if (mechanism.is_movable()) {
    pace.speed = order.speed("a speed such as 5 mm/s", true);
  } else if (mechanism.is_driven_by_duty()) {
    pace.speed = order.held_speed("a duty such as 40 %, or a speed such as 300 rpm");
  } else {
    pace.speed = reader.amount("a speed such as 300 rpm", [&](const std::string& text) {
      const OutputSpeed value = parse_output<1>(mechanism, text);
      require_kind(mechanism, value.kind);
      return value;
    });
  }
  if (pace.speed->base <= Ratio(0))
    throw LineReader::wrong(speed, "how fast: above 0; 'on' and 'back' say which way");
  return pace;
}

/// Of a cart, by two axes: "200 mm/s and -30 deg/s".
JogPace::Steered steered(LineReader& reader) {
  const auto speed = reader.amount("a speed such as 200 mm/s",
                                   [](const std::string& text) { return parse_quantity<Speed>(text); });
  reader.expect("and");
  const auto turn = reader.amount("a turn such as 30 deg/s",
                                  [](const std::string& text) { return parse_quantity<AngularSpeed>(text); });
  return {speed, turn};
}

/// The speed of a hold that does not say it.
JogPace usual_pace(const Mechanism& mechanism, const ByHand& settings) {
  if (settings.speed) return {settings.speed, {}};
  if (mechanism.homing) return {mechanism.homing->speed, {}};
  if (mechanism.is_movable()) return {mechanism.limits.speed, {}};
  if (mechanism.swings()) return {};
  throw RangeError(
      fmt::format("{0}: how fast is not said: 'jog {0} on at ...', or a speed in [mechanism.{0}.by_hand]",
                  mechanism.name));
}

/// What is wrong with a line, in words; "" when nothing is.
template <class Take>
std::string wrong_in(Take take) {
  try {
    take();
    return {};
  } catch (const InputError& error) {
    return first_of(error);
  } catch (const Error& error) {
    return error.what();
  } catch (const Wrong& wrong) {
    return fmt::format("column {}: {}", wrong.column, wrong.message);
  }
}

}  // namespace

void Operation::begin(Lines& lines, const Incoming& incoming) {
  if (!incoming.wrong.empty()) return refuse(incoming, incoming.wrong);
  const SourceLine words = split_words(1, incoming.line);
  if (words.words.empty()) return refuse(incoming, "nothing is asked");
  const std::string text = statement_text(words);
  if (text == "clear") {
    const bool was = stopped_.exchange(false, std::memory_order_acq_rel);
    times_cleared_ += was ? 1 : 0;
    fault_.clear();
    return answer(incoming.told, Answer::Kind::done,
                  was ? "orders are taken again; nothing moves by it" : "nothing was stopped");
  }
  if (text == "end") {
    ends_ = true;
    for (auto& [mover, jog] : jogs_) jog.way = 0;
    if (script_ && script_->is_endless) end_script(lines, "by end");
    return answer(incoming.told, Answer::Kind::done);
  }
  if (is_stopped()) {
    note_held(lines, incoming);
    return refuse(incoming, "everything is stopped: 'clear' comes before any other order");
  }
  if (ends_) return refuse(incoming, "it comes to its end: 'end' was ordered");
  const std::string why = wrong_in([&] { begin_order(lines, incoming, words); });
  if (!why.empty()) refuse(incoming, why);
}

/// While everything is stopped: a hold that is said is held, and `stop` lets go.
void Operation::note_held(Lines& lines, const Incoming& incoming) {
  if (!incoming.wrong.empty()) return;
  // What has not been said for so long is let go.
  std::erase_if(held_through_, [&](const auto& held) { return lines.now() - held.second >= hold_lasts_; });
  const SourceLine words = split_words(1, incoming.line);
  if (is_hold(words))
    held_through_[{incoming.by, std::string(words.words[1].text)}] = lines.now();
  else if (words.words.size() == 2 && words.words.front().text == "stop" &&
           words.words[1].text != "everything")
    held_through_.erase({incoming.by, std::string(words.words[1].text)});
}

void Operation::require_let_go(Lines& lines, const std::string& by, const std::string& name) {
  const auto held = held_through_.find({by, name});
  if (held == held_through_.end()) return;
  const bool was_let_go = lines.now() - held->second >= hold_lasts_;
  held->second = lines.now();
  if (!was_let_go) throw RangeError(name + ": was held when everything was stopped: let it go first");
  held_through_.erase(held);
}

std::string Operation::why_never(const std::string& line) {
  const SourceLine words = split_words(1, line);
  if (words.words.empty()) return "nothing is asked";
  const std::string text = statement_text(words);
  for (const char* const known : {"clear", "end", "keep", "pause", "resume", "end script", "stop everything"})
    if (text == known) return {};
  const auto wrong_where = [&](bool all_are_armed) {
    return wrong_in([&] {
      if (take_own(nullptr, {line, {}, {}, {}}, words)) return;
      Foreseen known = known_at_begin(bench_.rig());
      known.is_by_hand = true;
      for (Standing& standing : known.standing) {
        standing.is_homed = true;
        standing.is_armed = all_are_armed;
        standing.at.reset();
      }
      (void)parse_orders(line, by_hand, bench_.rig(), known, {}, stretches());
    });
  };
  const std::string why = wrong_where(true);
  return why.empty() || wrong_where(false).empty() ? std::string() : why;
}

/// Whether a line is about one that goes along with another: `nudge` is the script's own then.
bool Operation::follows(const SourceLine& words) const {
  if (words.words.size() < 2) return false;
  const auto& mechanisms = bench_.rig().mechanisms;
  for (std::size_t i = 0; i < mechanisms.size(); ++i)
    if (words.words[1].text == mechanisms[i].name) {
      Follows* const able = cast_.mechanisms[i] == nullptr ? nullptr : cast_.mechanisms[i]->follows();
      return able != nullptr && able->following() != nullptr;
    }
  return false;
}

/// Orders that a hand needs and no script has. @param on  null: it is read, and not carried out
/// @return whether it is one
bool Operation::take_own(Lines* on, const Incoming& incoming, const SourceLine& words) {
  const PatternValues none;
  LineReader reader(words, bench_.rig(), none);
  const std::string_view verb = words.words.front().text;
  if (is_hold(words)) {
    const std::string by_its_way = with_its_way(words, bench_.rig());
    const SourceLine said = split_words(1, by_its_way);
    LineReader its(by_its_way.empty() ? words : said, bench_.rig(), none);
    take_jog(on, incoming, its);
  } else if (verb == "nudge" && !follows(words)) {
    take_nudge(on, incoming, reader);
  } else if (verb == "set") {
    take_setting(on, incoming, reader);
  } else if (verb == "zero") {
    take_zero(on, incoming, reader);
  } else if (verb == "play") {
    take_script(on, incoming, reader);
  } else {
    return false;
  }
  return true;
}

void Operation::begin_order(Lines& lines, const Incoming& incoming, const SourceLine& words) {
  if (take_own(&lines, incoming, words)) return;
  const std::string text = statement_text(words);
  if (text == "keep") return keep_settings(incoming);
  if (text != "pause" && text != "resume" && text != "end script") return take_statement(lines, incoming);
  if (!script_) return refuse(incoming, "no script is played");
  if (text == "end script") {
    end_script(lines, "by end script");
  } else {
    script_->pause(now(), text == "pause");
  }
  answer(incoming.told, Answer::Kind::done);
}

void Operation::take_statement(Lines& lines, const Incoming& incoming) {
  look_where_all_stand();
  auto script = std::make_shared<const Script>(
      parse_orders(incoming.line, by_hand, bench_.rig(), known_, {}, stretches()));
  keep(script);
  const std::string& text = script->statements.front().text;
  const bool stops = script->statements.front().text.starts_with("stop");
  const About about = script->statements.front().verb->about();
  std::vector<Mover*> movers = movers_of(script->statements, !stops);
  if (stops && about.mechanism == About::everything)
    for (const auto& mover : bench_.movers()) movers.push_back(mover.get());
  if (!stops) require_free(movers_of(script->statements, false), incoming.by);
  // What would come after a hold, and not instead of it, would let it run on.
  const OrderedMove* const way = script->statements.front().verb->move();
  const bool takes_place = (way != nullptr && !way->order.in) || text.ends_with("until stopped");
  for (Mover* const mover : movers)
    if (!stops && !takes_place && mover->redirects() != nullptr && jogs_.contains(mover))
      throw RangeError(mover->name() + " is jogged: 'stop' it first");
  // Who comes after what is on, and who takes its place.
  std::vector<Mover*> replaced;
  for (Mover* const mover : movers) {
    const Redirects* const redirects = mover->redirects();
    if (stops || redirects == nullptr || mover->has_ended() || redirects->can_be_redirected())
      replaced.push_back(mover);
  }
  auto order = std::make_unique<Order>();
  order->line = text;
  order->homes = about.homes;
  order->player = std::make_unique<ScriptPlayer>(*script, bench_.rig(), cast_);
  order->player->replace_what_is_on();
  order->script = std::move(script);
  order->told.push_back(incoming.told);
  order->movers = movers;
  // It stops as one that was asked to go on no longer: on its ramp.
  if (stops)
    for (Mover* const mover : movers)
      if (const auto jog = jogs_.find(mover); jog != jogs_.end()) jog->second.way = 0;
  if (stops && script_ &&
      std::any_of(movers.begin(), movers.end(), [&](Mover* each) { return script_->has(each); }))
    end_script(lines, "by " + text);
  order->player->act(lines, {});
  // What is done at once is over before the next line is looked at.
  if (!order->player->has_ended() && order->player->next_act() <= lines.now()) order->player->act(lines, {});
  if (order->player->has_ended() && !order->fault().empty()) return refuse(incoming, order->fault());
  if (!movers.empty()) supersede(replaced, text, order.get());
  // A hold of one's own is let go for it.
  if (!stops)
    for (Mover* const mover : movers) jogs_.erase(mover);
  if (!stops) claim(movers, incoming.by);
  // What goes on without an end may take a while to be driven: its sensors are read, its supply comes up.
  if (text.ends_with("until stopped"))
    for (Mover* const mover : movers) claims_[mover].since = lines.now() + 10 * claim_lasts_;
  if (order->has_ended()) return finish(*order);
  if (stops) order->movers.clear();
  orders_.push_back(std::move(order));
}

void Operation::take_jog(Lines* on, const Incoming& incoming, LineReader& reader) {
  reader.expect("jog");
  const bool is_cart = reader.comes_a_pair();
  const std::size_t place = is_cart ? reader.pair() : reader.mechanism(all_kinds);
  Mover& mover = is_cart ? *cast_.carts[place] : *cast_.mechanisms[place];
  const bool is_steered = is_cart && reader.next_is("at");
  const Word way_word = is_steered ? reader.peek() : reader.word("'on' or 'back'");
  if (way_word.text == "at" && !is_steered)
    throw LineReader::wrong(way_word, "'on' or 'back' says which way");
  const bool on_the_spot = way_word.text == "left" || way_word.text == "right";
  if (on_the_spot && !is_cart)
    throw LineReader::wrong(way_word, "'left' and 'right' are of a cart: 'on' or 'back'");
  const int way = is_steered || way_word.text == "on" || way_word.text == "left" ? 1 : -1;
  JogPace pace;
  if (is_steered) {
    reader.expect("at");
    pace.steered = steered(reader);
  } else if (reader.take("at")) {
    pace = is_cart ? JogPace{reader.amount("a speed such as 200 mm/s",
                                           [](const std::string& text) { return parse_output<1>(text); }),
                             {}}
                   : pace_of(reader, place);
  } else if (!is_cart) {
    pace = usual_pace(bench_.rig().mechanisms[place], settings_[place]);
  }
  reader.expect_end();
  if (way < 0 && !is_cart && bench_.rig().mechanisms[place].is_throttled())
    throw RangeError(mover.name() + ": turns one way");
  if (on == nullptr) return;
  Lines& lines = *on;
  std::vector<Mover*> movers{&mover};
  for (Mover* const wheel : mover.moves()) movers.push_back(wheel);
  require_free(movers, incoming.by);
  require_let_go(lines, incoming.by, mover.name());
  std::string pace_text = is_steered ? "steers " + incoming.line : on_the_spot ? "turns" : "";
  if (pace.speed) pace_text += to_text(*pace.speed);
  if (pace.duty) pace_text += fmt::format("{} %", 100.0 * pace.duty->base());
  auto jog = jogs_.find(&mover);
  if (jog == jogs_.end()) {
    const Zeroed* const zeroed = mover.zeroed();
    if (zeroed != nullptr && !zeroed->knows_zero())
      throw RangeError(
          fmt::format("{0}: nobody knows where it stands: 'home {0}' comes first; until then it is nudged",
                      mover.name()));
    const std::string in_the_way = mover.log().obstacle();
    if (!in_the_way.empty()) throw RangeError(mover.name() + ": " + in_the_way);
    Jogging jogging(mover, pace, on_the_spot);
    jogging.take_over(lines, way);
    supersede({&mover}, incoming.line, nullptr);
    jog = jogs_.emplace(&mover, Jog{jogging, pace_text}).first;
  } else if (jog->second.pace != pace_text) {
    const auto how = [](const std::string& text) {
      return text.starts_with("turns") ? 1 : text.starts_with("steers") ? 2 : 0;
    };
    if (how(pace_text) != how(jog->second.pace))
      throw RangeError(mover.name() + ": lets go first, and then turns the other way");
    jog->second.jogging.change_pace(lines, pace);
    jog->second.pace = pace_text;
  }
  jog->second.way = way;
  jog->second.lapses = lines.now() + hold_lasts_;
  claim(movers, incoming.by);
  answer(incoming.told, Answer::Kind::done);
}

void Operation::take_nudge(Lines* on, const Incoming& incoming, LineReader& reader) {
  reader.expect("nudge");
  const std::size_t place = reader.mechanism({Moved::by_steps, Moved::by_duty, Moved::swings});
  const Mechanism& mechanism = bench_.rig().mechanisms[place];
  Mover& mover = *cast_.mechanisms[place];
  OutputPosition by{output_kind(mechanism.train), Ratio(0)};
  if (reader.take("on") || reader.next_is("back")) {
    const bool back = reader.take("back");
    if (!settings_[place].nudge)
      throw RangeError(
          fmt::format("{0}: by how much is not said: 'nudge {0} by ...', or a nudge in "
                      "[mechanism.{0}.by_hand]",
                      mechanism.name));
    by = *settings_[place].nudge;
    if (back) by.base = -by.base;
  } else {
    reader.expect("by");
    by = OrderReader(reader, place).position("a way such as 0.5 mm");
  }
  reader.expect_end();
  if (mover.zeroed() == nullptr) (void)able(mover.name(), mover.places(), "be nudged");
  if (on == nullptr) return;
  Lines& lines = *on;
  require_free({&mover}, incoming.by);
  const std::string in_the_way = mover.log().obstacle();
  if (!in_the_way.empty()) throw RangeError(mover.name() + ": " + in_the_way);
  auto order = std::make_unique<Order>();
  order->line = incoming.line;
  order->movers = {&mover};
  order->told.push_back(incoming.told);
  if (Zeroed* const zeroed = mover.zeroed()) {
    std::optional<OutputSpeed> speed = settings_[place].speed;
    if (!zeroed->knows_zero() && mechanism.homing) {
      speed = mechanism.homing->slow_speed;
      const OutputPosition most{by.kind, Ratio(longest_blind_nudge) * speed->base};
      if (most.base < by.base || by.base < -most.base)
        throw RangeError(fmt::format("{0}: nobody knows where it stands: by {1} at the most until 'home {0}'",
                                     mechanism.name, to_text(most)));
    }
    order->motion = zeroed->nudge(lines, by, speed);
  } else {
    Places& places = able(mover.name(), mover.places(), "be nudged");
    order->motion = places.move(lines, MoveOrder{.by = by, .speed = settings_[place].speed});
  }
  supersede(order->movers, incoming.line, order.get());
  jogs_.erase(&mover);
  claim(order->movers, incoming.by);
  orders_.push_back(std::move(order));
}

void Operation::take_setting(Lines* on, const Incoming& incoming, LineReader& reader) {
  reader.expect("set");
  const std::size_t place = reader.mechanism(all_kinds);
  const Mechanism& mechanism = bench_.rig().mechanisms[place];
  Mover& mover = *cast_.mechanisms[place];
  ByHand set = settings_[place];
  OrderReader order(reader, place);
  const Word what = reader.word("'speed', 'acceleration' or 'nudge'");
  const auto within = [&](const auto& value, const auto& limit) {
    if (value.base <= Ratio(0)) throw RangeError("it is above 0");
    if (Ratio(0) < limit.base && limit.base < value.base)
      throw RangeError(
          fmt::format("{}: {} is over its limit of {}", mechanism.name, to_text(value), to_text(limit)));
  };
  if (what.text == "speed") {
    set.speed = reader.amount("a speed such as 20 mm/s", [&](const std::string& text) {
      const OutputSpeed value = parse_output<1>(mechanism, text);
      require_kind(mechanism, value.kind);
      within(value, mechanism.limits.speed);
      return value;
    });
  } else if (what.text == "acceleration") {
    set.acceleration = order.acceleration(
        "an acceleration such as 800 mm/s2",
        [&](const OutputAcceleration& value) { within(value, mechanism.limits.acceleration); });
  } else if (what.text == "nudge") {
    set.nudge = order.position("a way such as 0.5 mm");
    if (set.nudge->base <= Ratio(0))
      throw LineReader::wrong(what, "it is above 0; 'on' and 'back' say which way");
  } else {
    throw LineReader::wrong(
        what, fmt::format("found '{}'; it is 'speed', 'acceleration' or 'nudge' that is set", what.text));
  }
  reader.expect_end();
  if (on == nullptr) return;
  Lines& lines = *on;
  require_free({&mover}, incoming.by);
  // What is on goes on so.
  if (const auto jog = jogs_.find(&mover); jog != jogs_.end() && set.speed) {
    jog->second.jogging.change_pace(lines, {set.speed, {}});
    jog->second.pace = to_text(*set.speed);
  } else if (Redirects* const redirects = mover.redirects();
             redirects != nullptr && redirects->can_be_redirected()) {
    for (const std::unique_ptr<Order>& each : orders_) {
      const bool is_move = each->motion || each->script->statements.front().verb->move() != nullptr;
      if (!each->has(&mover) || !is_move) continue;
      const auto record =
          redirects->redirect(lines, MoveOrder{.speed = set.speed, .acceleration = set.acceleration});
      each->motion = record;  // it has taken the place of the one that the order had begun
      each->player.reset();
    }
  }
  settings_[place] = set;
  is_set_[place] = true;
  answer(incoming.told, Answer::Kind::done);
}

void Operation::take_zero(Lines* on, const Incoming& incoming, LineReader& reader) {
  reader.expect("zero");
  const std::size_t place = reader.mechanism();
  reader.expect("here");
  reader.expect_end();
  const Mechanism& mechanism = bench_.rig().mechanisms[place];
  Mover& mover = *cast_.mechanisms[place];
  if (on != nullptr) require_free({&mover}, incoming.by);
  if (mechanism.homing)
    throw RangeError(fmt::format(
        "{0}: its zero is where its {1} says: 'home {0}' finds it, and its limits hold from there",
        mechanism.name, mechanism.homing->sensor));
  Zeroed& zeroed = able(mover.name(), mover.zeroed(), "be given a zero");
  if (on == nullptr) return;
  zeroed.believe({output_kind(mechanism.train), Ratio(0)});
  answer(incoming.told, Answer::Kind::done,
         mechanism.limits.travel_from
             ? fmt::format("its travel is from {} to {} from here", to_text(*mechanism.limits.travel_from),
                           to_text(*mechanism.limits.travel_to))
             : std::string());
}

// ---- a script

void Operation::take_script(Lines* on, const Incoming& incoming, LineReader& reader) {
  reader.expect("play");
  const Word file = reader.word("the name of a script beside the rig, such as first.moves");
  const std::filesystem::path name(file.text);
  if (options_.scripts.empty()) throw RangeError("no scripts are played here");
  if (name.has_parent_path() || name.is_absolute() || name == "..")
    throw LineReader::wrong(file, "a script that lies beside the rig is played, by its name alone");
  if (script_) throw RangeError(fmt::format("{} is played: 'end script' comes first", script_->line));
  std::string text = read_text_file((options_.scripts / name).string());
  const std::size_t after = file.column - 1 + file.text.size();
  const std::string call = incoming.line.substr(std::min(after, incoming.line.size()));
  if (!split_words(1, call).words.empty()) text = patterns_of(text) + "\n" + call + "\n";
  if (on == nullptr) return;
  look_where_all_stand();
  Foreseen known = known_;
  known.is_by_hand = false;
  Foreseen begins = known;
  auto script =
      std::make_shared<const Script>(parse_orders(text, name.string(), bench_.rig(), known, {}, stretches()));
  std::vector<Mover*> movers = movers_of(script->statements, true);
  for (Mover* const mover : movers)
    if (const auto claim = claims_.find(mover); claim != claims_.end())
      throw RangeError(fmt::format("{0} has {1}: 'stop {1}' comes first", claim->second.by, mover->name()));
  auto order = std::make_unique<Order>();
  order->line = name.string();
  order->is_script = true;
  order->length = check_motions(*script, bench_.rig(), begins).length;
  order->since = now();
  order->is_endless = known.endless != nullptr;
  order->movers = std::move(movers);
  order->told.push_back(incoming.told);
  order->player = std::make_unique<ScriptPlayer>(*script, bench_.rig(), cast_);
  order->player->on_statement(
      [own = order.get()](Tick, const Statement& statement) { own->statement = statement.text; });
  order->script = script;
  known_ = std::move(known);
  known_.is_by_hand = true;
  keep(script);
  claim(order->movers, name.string());
  script_ = std::move(order);
}

/// What it moves comes to rest on its ramp.
void Operation::end_script(Lines& lines, const std::string& why) {
  const std::unique_ptr<Order> script = std::move(script_);
  for (const TaughtLimit& taught : script->player->taught()) taught_[taught.mechanism] = taught;
  for (Mover* const mover : script->movers)
    if (!mover->stands() || mover->is_driven(lines.now()))
      mover->answers_for().stop(lines, Braking::on_a_ramp);
  for (const Told& told : script->told) answer(told, Answer::Kind::superseded, why);
}

void Operation::keep_settings(const Incoming& incoming) {
  if (!options_.keep) return refuse(incoming, "there is no rig file to keep it in");
  std::vector<SetByHand> all;
  for (std::size_t i = 0; i < settings_.size(); ++i) {
    const auto taught = taught_.find(i);
    if (!is_set_[i] && taught == taught_.end()) continue;
    SetByHand set;
    set.mechanism = bench_.rig().mechanisms[i].name;
    if (is_set_[i]) set.by_hand = settings_[i];
    if (taught != taught_.end()) set.far_limit = taught->second.to;
    all.push_back(std::move(set));
  }
  if (all.empty()) return refuse(incoming, "nothing has been set or taught");
  options_.keep(all, incoming.told);
}

}  // namespace cogstride
