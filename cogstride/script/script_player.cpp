#include "cogstride/script/script_player.hpp"

#include "cogstride/motion/output_switch.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

constexpr int most_at_once = 100'000;  // statements one after the other that take no time

}  // namespace

/// One row of statements being played; what goes side by side has several, each with one statement.
class ScriptPlayer::Branch final : private Playing {
 public:
  Branch(ScriptPlayer& player, std::span<const Statement> statements)
      : player_(player), blocks_{{statements, 0, 1}} {}

  [[nodiscard]] bool has_ended() const { return ended_; }
  /// Seconds spent with what could be told ahead.
  [[nodiscard]] double known_seconds(Tick now) const {
    return known_done_ + (current_ == nullptr ? 0.0 : known_of_current(now));
  }

  [[nodiscard]] Tick next_act() const {
    if (ended_) return never;
    if (current_ == nullptr) return player_.is_paused_ ? never : 0;
    if (is_over()) return 0;
    return doing_->wakes_at();
  }

  void act(Lines& lines) {
    if (ended_) return;
    now_ = lines.now();
    if (current_ != nullptr && !go_on(lines)) return;
    if (player_.is_paused_) return;
    current_ = next_statement();
    if (player_.ended_) return;
    if (current_ == nullptr) {
      ended_ = true;
      return;
    }
    try {
      began_ = now_;
      player_.leave_what_followed(current_->verb->about());
      if (player_.listener_) player_.listener_(now_, *current_);
      doing_ = current_->verb->begin(
          {player_.rig_, player_.cast_, lines, *this, player_.taught_, player_.replaces_});
    } catch (const RangeError& error) {
      player_.stop(*current_, error.what());
    }
  }

 private:
  class SideBySide;

  struct Block {
    std::span<const Statement> statements;
    std::size_t next = 0;
    std::int64_t passes_left = 1;  // 0: without end
    bool is_repeat = false;
  };

  bool answers(const std::string& question) override { return !player_.ask_ || player_.ask_(question); }
  std::unique_ptr<Doing> side_by_side(std::span<const Statement> statements) override;
  void follow(std::unique_ptr<Doing> following, const About& about) override {
    player_.followed_.push_back({std::move(following), about, current_});
  }
  Playing& whole() override { return *player_.main_; }

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
      if (statement.verb->leaves_repeat()) {
        while (!blocks_.empty() && !blocks_.back().is_repeat) blocks_.pop_back();
        if (!blocks_.empty()) blocks_.pop_back();
        continue;
      }
      const std::optional<std::int64_t> passes = statement.verb->passes();
      if (!passes) return &statement;
      blocks_.push_back({statement.verb->inside(), 0, *passes, statement.verb->repeats()});
    }
    return nullptr;
  }

  /// Whether the current statement has done what it is for.
  [[nodiscard]] bool is_over() const { return !doing_ || doing_->is_over(now_); }

  /// Looks after the current statement. @return whether it is over
  bool go_on(Lines& lines) {
    const std::string why = doing_ ? doing_->failure(now_) : std::string();
    if (!why.empty()) {
      player_.stop(*current_, why);
      return false;
    }
    if (!is_over()) {
      try {
        doing_->act(lines);
      } catch (const RangeError& error) {
        player_.stop(*current_, error.what());
      }
      if (player_.ended_ || !is_over()) return false;
    }
    known_done_ += known_of_current(now_);
    side_by_side_ = nullptr;
    if (doing_)
      if (const std::span<const Statement> next = doing_->goes_on_with(now_); !next.empty())
        blocks_.push_back({next, 0, 1, false});
    doing_.reset();
    current_ = nullptr;
    return true;
  }

  [[nodiscard]] double known_of_current(Tick now) const;

  ScriptPlayer& player_;
  std::vector<Block> blocks_;
  const Statement* current_ = nullptr;
  bool ended_ = false;
  Tick began_ = 0;
  Tick now_ = 0;
  Tick busy_at_ = 0;  // when statements were begun last, and how many in that instant
  int at_once_ = 0;
  double known_done_ = 0.0;
  std::unique_ptr<Doing> doing_;              // the current statement
  const SideBySide* side_by_side_ = nullptr;  // the same, when it is that
};

class ScriptPlayer::Branch::SideBySide final : public Doing {
 public:
  SideBySide(ScriptPlayer& player, std::span<const Statement> statements) : player_(player) {
    for (const Statement& each : statements)
      branches_.push_back(std::make_unique<Branch>(player, std::span(&each, 1)));
  }
  [[nodiscard]] bool is_over(Tick) const override {
    return std::all_of(branches_.begin(), branches_.end(),
                       [](const auto& each) { return each->has_ended(); });
  }
  [[nodiscard]] Tick wakes_at() const override {
    Tick soonest = never;
    for (const auto& branch : branches_) soonest = std::min(soonest, branch->next_act());
    return soonest;
  }
  void act(Lines& lines) override {
    for (const auto& branch : branches_) {
      branch->act(lines);
      if (player_.ended_) return;
    }
  }
  /// Of the longest.
  [[nodiscard]] double known_seconds(Tick now) const {
    double longest = 0.0;
    for (const auto& branch : branches_) longest = std::max(longest, branch->known_seconds(now));
    return longest;
  }

 private:
  ScriptPlayer& player_;
  std::vector<std::unique_ptr<Branch>> branches_;
};

std::unique_ptr<Doing> ScriptPlayer::Branch::side_by_side(std::span<const Statement> statements) {
  auto made = std::make_unique<SideBySide>(player_, statements);
  side_by_side_ = made.get();
  return made;
}

double ScriptPlayer::Branch::known_of_current(Tick now) const {
  if (side_by_side_ != nullptr) return side_by_side_->known_seconds(now);
  if (!current_->verb->has_known_length()) return 0.0;
  return static_cast<double>(now - began_) / player_.cast_.clock.base().to_double();
}

ScriptPlayer::ScriptPlayer(const Script& script, const Rig& rig, Cast cast)
    : rig_(rig), cast_(std::move(cast)), main_(std::make_unique<Branch>(*this, script.statements)) {}

ScriptPlayer::~ScriptPlayer() = default;

void ScriptPlayer::stop(const Statement& statement, const std::string& why) {
  if (ended_) return;
  fault_ = fmt::format("{}:{}: {}: {}", statement.place.file, statement.place.line, statement.text, why);
  ended_ = true;
}

double ScriptPlayer::known_seconds_done(Tick now) const {
  return main_->known_seconds(now);
}

/// What is ordered now takes the place of a hand.
void ScriptPlayer::leave_what_followed(const About& about) {
  const std::vector<std::size_t> ordered = mechanisms_of(about, rig_);
  std::erase_if(followed_, [&](const Followed& each) {
    if (about.mechanism == About::everything) return true;
    if (about.faded != About::nothing && about.faded == each.about.faded) return true;
    const std::vector<std::size_t> its = mechanisms_of(each.about, rig_);
    return std::any_of(its.begin(), its.end(), [&](std::size_t mechanism) {
      return std::find(ordered.begin(), ordered.end(), mechanism) != ordered.end();
    });
  });
}

void ScriptPlayer::follow_hands(Lines& lines) {
  std::erase_if(followed_, [&](const Followed& each) { return each.doing->is_over(lines.now()); });
  if (is_paused_) return;
  for (const Followed& each : followed_) {
    try {
      each.doing->act(lines);
    } catch (const RangeError& error) {
      stop(*each.statement, error.what());
      return;
    }
  }
}

Tick ScriptPlayer::next_act() const {
  if (ended_) return never;
  if (!main_->has_ended()) {
    Tick soonest = main_->next_act();
    if (!is_paused_)
      for (const Followed& each : followed_) soonest = std::min(soonest, each.doing->wakes_at());
    return soonest;
  }
  // What fades goes on to its end.
  Tick fades_until = never;
  for (const auto& output : cast_.outputs)
    if (output->is_fading()) fades_until = std::min(fades_until, output->next_act());
  return fades_until == never ? 0 : fades_until;
}

void ScriptPlayer::act(Lines& lines, std::span<const Reading>) {
  if (ended_) return;
  if (next_act() > lines.now()) return;
  if (!main_->has_ended()) main_->act(lines);
  if (!main_->has_ended() && !ended_) follow_hands(lines);
  const auto fades = [](const auto& output) { return output->is_fading(); };
  if (main_->has_ended() && std::none_of(cast_.outputs.begin(), cast_.outputs.end(), fades)) ended_ = true;
}

}  // namespace cogstride
