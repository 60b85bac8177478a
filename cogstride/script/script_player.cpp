#include "cogstride/script/script_player.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

using Kind = Statement::Kind;

constexpr int most_at_once = 100'000;  // statements one after the other that take no time

}  // namespace

/// One row of statements being played; `start together` has several, each with one statement.
class ScriptPlayer::Branch {
 public:
  Branch(ScriptPlayer& player, std::span<const Statement> statements)
      : player_(player), blocks_{{statements, 0, 1}} {}

  [[nodiscard]] bool has_ended() const { return ended_; }
  [[nodiscard]] const Statement* current() const { return current_; }
  [[nodiscard]] Tick began() const { return began_; }

  [[nodiscard]] Tick next_act() const {
    if (ended_) return never;
    if (current_ == nullptr) return 0;
    Tick soonest = is_over() ? 0 : wakes_at_;
    for (const auto& branch : branches_) soonest = std::min(soonest, branch->next_act());
    if (current_->kind == Kind::jog && jog_wants() != jogging_ && jog_can_change()) return 0;
    return soonest;
  }

  void act(Lines& lines) {
    if (ended_) return;
    for (const auto& branch : branches_) {
      branch->act(lines);
      if (player_.ended_) return;
    }
    now_ = lines.now();
    if (current_ != nullptr) {
      if (look_for_faults()) return;
      if (!is_over()) {
        if (current_->kind == Kind::jog) jog(lines);
        if (doing_) {
          doing_->act(lines);
          wakes_at_ = doing_->wakes_at();
        }
        give_up_when_late();
        return;
      }
      finish_current();
    }
    current_ = next_statement();
    if (player_.ended_) return;
    if (current_ == nullptr) {
      ended_ = true;
      return;
    }
    try {
      begin(*current_, lines);
    } catch (const RangeError& error) {
      player_.stop(*current_, error.what());
    }
  }

 private:
  struct Block {
    std::span<const Statement> statements;
    std::size_t next = 0;
    std::int64_t passes_left = 1;  // 0: without end
  };

  [[nodiscard]] Mover& mover() const { return mover_of(current_->mechanism); }
  [[nodiscard]] Mover& mover_of(std::size_t mechanism) const { return *player_.cast_.mechanisms[mechanism]; }
  /// What a mover can do. @throws RangeError when it cannot
  template <class Capability>
  [[nodiscard]] static Capability& able(Mover& mover, Capability* capability, const char* what) {
    return cogstride::able(mover.name(), capability, what);
  }
  [[nodiscard]] Zeroed& zeroed(const char* what) const { return able(mover(), mover().zeroed(), what); }
  [[nodiscard]] Tick ticks(ExactTime time) const {
    return (time.base() * player_.cast_.clock.base()).rounded();
  }

  /// The next statement that does something, or nothing at the end.
  const Statement* next_statement() {
    if (now_ != busy_at_) at_once_ = 0;
    busy_at_ = now_;
    while (!blocks_.empty()) {
      Block& block = blocks_.back();
      if (block.next == block.statements.size()) {
        block.next = 0;
        const bool was_last = block.passes_left == 1 || block.statements.empty();
        if (block.passes_left > 1) --block.passes_left;
        if (was_last) blocks_.pop_back();
        continue;
      }
      const Statement& statement = block.statements[block.next++];
      if (++at_once_ > most_at_once) {
        player_.stop(statement, fmt::format("{} statements one after the other took no time: a 'wait' among "
                                            "them is missing",
                                            most_at_once));
        return nullptr;
      }
      switch (statement.kind) {
        case Kind::repeat:
          blocks_.push_back({statement.body, 0, statement.count});
          break;
        case Kind::in_order:
        case Kind::with_limits:
        case Kind::pattern:
          blocks_.push_back({statement.inside(), 0, 1});
          break;
        default:
          return &statement;
      }
    }
    return nullptr;
  }

  void begin(const Statement& statement, Lines& lines) {
    began_ = lines.now();
    now_ = began_;
    wakes_at_ = never;
    gives_up_at_ = statement.longest ? began_ + ticks(*statement.longest) : never;
    if (player_.listener_) player_.listener_(lines.now(), statement);
    switch (statement.kind) {
      case Kind::home:
        motions_ = {zeroed("be homed").home()};
        break;
      case Kind::move:
        motions_ = {able(mover(), mover().places(), "move to places").move(lines, statement.order)};
        break;
      case Kind::spin: {
        const auto motion =
            statement.by_duty
                ? able(mover(), mover().duties(), "be driven by duty").spin(lines, *statement.by_duty)
                : able(mover(), mover().speeds(), "hold a speed").spin(lines, statement.spin);
        const bool has_an_end = statement.by_duty ? statement.by_duty->lasts.has_value()
                                                  : statement.spin.lasts || statement.spin.by;
        if (has_an_end) motions_ = {motion};
        break;
      }
      case Kind::swing:
        motions_ = {able(mover(), mover().places(), "swing").move(lines, statement.order)};
        break;
      case Kind::throttle:
        motions_ = {able(mover(), mover().duties(), "be throttled").spin(lines, *statement.by_duty)};
        break;
      case Kind::drive_pair: {
        Mover& cart = *player_.cast_.carts[statement.pair];
        motions_ = {able(cart, cart.ways(), "be driven").drive(lines, statement.cart)};
        break;
      }
      case Kind::faster:
        if (statement.by_duty) {
          able(mover(), mover().duties(), "be driven by duty").change(lines, statement.by_duty->duty);
        } else {
          able(mover(), mover().speeds(), "hold a speed").change_speed(lines, statement.change);
        }
        break;
      case Kind::reverse:
        if (Duties* const duties = mover().duties()) {
          duties->reverse(lines, statement.by_duty ? statement.by_duty->in : std::nullopt);
        } else {
          able(mover(), mover().speeds(), "hold a speed").reverse_speed(lines);
        }
        break;
      case Kind::stop:
        stopping_ = stopped_by(statement);
        for (Mover* const mover : stopping_) {
          Duties* const duties = mover->duties();
          if (duties != nullptr && statement.by_duty) {
            duties->stop(lines, statement.by_duty->in);
          } else {
            mover->stop(lines, Braking::on_a_ramp);
          }
        }
        break;
      case Kind::fade_output:
        player_.cast_.outputs[statement.output]->fade(lines, statement.share, ticks(statement.pause));
        break;
      case Kind::ready:
        wakes_at_ = gives_up_at_;
        ask_for_unsensed_supplies();
        break;
      case Kind::measure:
        motions_ = {zeroed("be measured").measure()};
        break;
      case Kind::jog:
        jogging_ = 0;
        break;
      case Kind::arrive_together: {
        std::vector<std::pair<Mover*, MoveOrder>> orders;
        for (const Statement& move : statement.body)
          orders.emplace_back(&mover_of(move.mechanism), move.order);
        motions_ = player_.cast_.arrive_together(orders);
        break;
      }
      case Kind::start_together:
        for (const Statement& branch : statement.body)
          branches_.push_back(std::make_unique<Branch>(player_, std::span(&branch, 1)));
        break;
      case Kind::verb:
        doing_ = statement.verb->begin({player_.rig_, player_.cast_, lines, statement, player_.taught_});
        if (doing_) wakes_at_ = doing_->wakes_at();
        break;
      default:
        break;
    }
  }

  /// Whether the current statement has done what it is for.
  [[nodiscard]] bool is_over() const {
    const auto has_ended = [](const auto& motion) { return motion->has_ended(); };
    switch (current_->kind) {
      case Kind::home:
      case Kind::move:
      case Kind::spin:
      case Kind::swing:
      case Kind::throttle:
      case Kind::drive_pair:
      case Kind::measure:
      case Kind::arrive_together:
        return std::all_of(motions_.begin(), motions_.end(), has_ended) ||
               std::any_of(motions_.begin(), motions_.end(), has_failed);
      case Kind::stop:
        return std::all_of(stopping_.begin(), stopping_.end(),
                           [](const Mover* mover) { return mover->stands(); });
      case Kind::ready:
        return missing().empty();
      case Kind::jog:
        return player_.cast_.inputs->acts(current_->awaits.line) == current_->awaits.acts &&
               mover().has_ended();
      case Kind::start_together:
        return std::all_of(branches_.begin(), branches_.end(), [](const auto& b) { return b->has_ended(); });
      case Kind::verb:
        return !doing_ || doing_->is_over(now_);
      default:
        return true;
    }
  }

  [[nodiscard]] static bool has_failed(const std::shared_ptr<MotionRecord>& motion) {
    return motion->has_ended() && motion->status != MotionStatus::done;
  }

  bool look_for_faults() {
    for (const auto& motion : motions_) {
      if (!has_failed(motion)) continue;
      player_.stop(*current_, motion->fault.empty() ? "was cancelled" : motion->fault);
      return true;
    }
    const std::string why = doing_ ? doing_->failure(now_) : std::string();
    if (why.empty()) return false;
    player_.stop(*current_, why);
    return true;
  }

  void finish_current() {
    if (has_known_length(*current_) || current_->kind == Kind::arrive_together)
      player_.known_done_ += static_cast<double>(now_ - began_) / player_.cast_.clock.base().to_double();
    motions_.clear();
    branches_.clear();
    doing_.reset();
    current_ = nullptr;
  }

  void give_up_when_late() {
    if (now_ < gives_up_at_) return;
    const double waited = static_cast<double>(now_ - began_) / player_.cast_.clock.base().to_double();
    player_.stop(*current_, fmt::format("after {:.4g} s {}", waited, missing()));
  }

  /// The one that is named, in any case; without a name everything that is on its way or driven, carts first.
  [[nodiscard]] std::vector<Mover*> stopped_by(const Statement& statement) const {
    const Cast& cast = player_.cast_;
    if (statement.pair != Statement::everything) return {cast.carts[statement.pair]};
    if (statement.mechanism != Statement::everything)
      return {&cast.mechanisms[statement.mechanism]->answers_for()};
    std::vector<Mover*> found;
    for (const auto* const all : {&cast.carts, &cast.mechanisms})
      for (Mover* const mover : *all)
        if (mover != nullptr && (!mover->has_ended() || mover->is_driven(now_))) found.push_back(mover);
    return found;
  }

  // ---- ready

  /// What keeps the bench from being ready; empty when nothing does.
  [[nodiscard]] std::string missing() const {
    const Inputs& inputs = *player_.cast_.inputs;
    for (const Supply& supply : player_.rig_.supplies) {
      if (!supply.power_good_line) continue;
      if (!inputs.acts(static_cast<LineId>(*supply.power_good_line)).value_or(false))
        return fmt::format("the supply {} is not up (line {} is low)", supply.name, *supply.power_good_line);
    }
    for (const HandControl& hand : player_.rig_.hands) {
      if (hand.kind != HandControl::Kind::stop || !hand.line) continue;
      if (inputs.acts(static_cast<LineId>(*hand.line)).value_or(true))
        return fmt::format("the emergency stop {} (line {}) is pressed", hand.name, *hand.line);
    }
    return {};
  }

  void ask_for_unsensed_supplies() {
    if (!player_.ask_) return;
    for (const Supply& supply : player_.rig_.supplies) {
      if (supply.power_good_line || player_.rig_.controller.supply == supply.name) continue;
      if (!player_.ask_(fmt::format("Is the supply {} on?", supply.name)))
        throw RangeError(fmt::format("the supply {} is not on", supply.name));
    }
  }

  // ---- jogging by two keys

  /// +1, -1, or 0: the way that the keys ask for; none while both or neither are held, and at the end.
  [[nodiscard]] int jog_wants() const {
    const Inputs& inputs = *player_.cast_.inputs;
    if (inputs.acts(current_->awaits.line) == current_->awaits.acts) return 0;
    const bool back = inputs.acts(current_->keys[0].line).value_or(false);
    const bool on = inputs.acts(current_->keys[1].line).value_or(false);
    return on == back ? 0 : on ? 1 : -1;
  }
  [[nodiscard]] bool jog_can_change() const { return jogging_ != 0 || mover().has_ended(); }

  void jog(Lines& lines) {
    if (jogging_ != 0 && mover().has_ended()) jogging_ = 0;  // it came to an end of its travel
    const int wants = jog_wants();
    if (wants == jogging_) return;
    if (jogging_ != 0) {
      mover().stop(lines, Braking::on_a_ramp);
      jogging_ = 0;
    } else if (mover().has_ended()) {
      try {
        zeroed("be jogged").jog(lines, wants, current_->spin.at, current_->on);
        jogging_ = wants;
      } catch (const RangeError& error) {
        player_.stop(*current_, error.what());
      }
    }
  }

  ScriptPlayer& player_;
  std::vector<Block> blocks_;
  const Statement* current_ = nullptr;
  bool ended_ = false;
  Tick began_ = 0;
  Tick now_ = 0;
  Tick busy_at_ = 0;  // when statements were begun last, and how many in that instant
  int at_once_ = 0;
  Tick wakes_at_ = never;
  Tick gives_up_at_ = never;
  std::vector<std::shared_ptr<MotionRecord>> motions_;  // that it waits for
  std::vector<Mover*> stopping_;                        // that a `stop` waits for
  std::vector<std::unique_ptr<Branch>> branches_;       // of a `start together`
  std::unique_ptr<Doing> doing_;                        // of a verb that is an object
  int jogging_ = 0;
};

ScriptPlayer::ScriptPlayer(const Script& script, const Rig& rig, Cast cast)
    : rig_(rig), cast_(std::move(cast)), main_(std::make_unique<Branch>(*this, script.statements)) {}

ScriptPlayer::~ScriptPlayer() = default;

void ScriptPlayer::stop(const Statement& statement, const std::string& why) {
  if (ended_) return;
  fault_ = fmt::format("{}:{}: {}: {}", statement.place.file, statement.place.line, statement.text, why);
  ended_ = true;
}

double ScriptPlayer::known_seconds_done(Tick now) const {
  const Statement* const current = main_->current();
  if (current == nullptr || !has_known_length(*current)) return known_done_;
  return known_done_ + static_cast<double>(now - main_->began()) / cast_.clock.base().to_double();
}

Tick ScriptPlayer::next_act() const {
  if (ended_) return never;
  return main_->has_ended() ? 0 : main_->next_act();
}

void ScriptPlayer::act(Lines& lines, std::span<const Reading>) {
  if (ended_) return;
  if (next_act() > lines.now()) return;
  main_->act(lines);
  if (main_->has_ended()) ended_ = true;
}

}  // namespace cogstride
