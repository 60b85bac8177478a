// Plays a script on the cast of a bench: one statement after the other, and side by side where it says so.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "cogstride/motion/cast.hpp"
#include "cogstride/motion/participant.hpp"
#include "cogstride/script/script.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {

class ScriptPlayer final : public Participant {
 public:
  /// @param cast  of a bench with the rig that the script was checked against. Script, rig and cast must
  /// outlive the player.
  ScriptPlayer(const Script& script, const Rig& rig, Cast cast);
  ~ScriptPlayer() override;

  /// Told of every statement as it begins.
  void on_statement(std::function<void(Tick, const Statement&)> listener) { listener_ = std::move(listener); }
  /// Asked by `ready` where no line tells: "is the supply small on?". Without it the answer is yes.
  void on_question(std::function<bool(const std::string&)> ask) { ask_ = std::move(ask); }

  /// By hand: a motion that is on is given the new order, where it can be, from the state that it is in.
  void replace_what_is_on() { replaces_ = true; }
  /// From now on no statement begins, and what is on comes to its end; or they begin again.
  void pause(bool pauses) { is_paused_ = pauses; }
  [[nodiscard]] bool is_paused() const { return is_paused_; }

  [[nodiscard]] bool has_ended() const { return ended_; }
  /// What stopped it early, with the line; empty when nothing did.
  [[nodiscard]] const std::string& fault() const { return fault_; }
  [[nodiscard]] const std::vector<TaughtLimit>& taught() const { return taught_; }
  /// Seconds spent with what could be told ahead (see ScriptLength).
  [[nodiscard]] double known_seconds_done(Tick now) const;

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  class Branch;
  friend class Branch;
  /// What goes along with a hand.
  struct Followed {
    std::unique_ptr<Doing> doing;
    About about;
    const Statement* statement;
  };
  void stop(const Statement& statement, const std::string& why);
  void leave_what_followed(const About& about);
  void follow_hands(Lines& lines);

  const Rig& rig_;
  Cast cast_;
  std::function<void(Tick, const Statement&)> listener_;
  std::function<bool(const std::string&)> ask_;
  std::unique_ptr<Branch> main_;
  std::vector<Followed> followed_{};
  std::vector<TaughtLimit> taught_;
  bool ended_ = false;
  bool replaces_ = false;
  bool is_paused_ = false;
  std::string fault_;
};

}  // namespace cogstride
