// Plays a script on the movers of a bench, one statement after the other.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "cogstride/motion/stepper_mover.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {

class ScriptPlayer final : public Participant {
 public:
  /// @param movers  of the rig that the script was checked against, in its order. All must outlive the
  /// player.
  ScriptPlayer(const Script& script, std::vector<StepperMover*> movers, ExactFrequency clock);

  /// Told of every statement as it begins.
  void on_statement(std::function<void(Tick, const Statement&)> listener) { listener_ = std::move(listener); }

  [[nodiscard]] bool has_ended() const { return ended_; }
  /// What stopped it early, with the line; empty when nothing did.
  [[nodiscard]] const std::string& fault() const { return fault_; }

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct Block {
    const std::vector<Statement>* statements;
    std::size_t next = 0;
    std::int64_t passes_left = 1;
  };

  [[nodiscard]] bool motions_have_ended() const;
  void begin(const Statement& statement, Lines& lines);
  void begin_together(const Statement& block);
  [[nodiscard]] const Statement* next_statement();
  void stop(const std::string& why);

  std::vector<StepperMover*> movers_;
  ExactFrequency clock_;
  std::function<void(Tick, const Statement&)> listener_;
  std::vector<Block> blocks_;
  const Statement* current_ = nullptr;
  std::vector<std::shared_ptr<MotionRecord>> motions_;  // that it waits for
  Tick pause_until_ = 0;
  bool ended_ = false;
  std::string fault_;
};

}  // namespace cogstride
