#include "cogstride/script/script_player.hpp"

#include <fmt/format.h>

namespace cogstride {

ScriptPlayer::ScriptPlayer(const Script& script, std::vector<StepperMover*> movers, ExactFrequency clock)
    : movers_(std::move(movers)), clock_(clock), blocks_{{&script.statements}} {}

Tick ScriptPlayer::next_act() const {
  if (ended_) return never;
  if (motion_) return motion_->has_ended() ? 0 : never;
  return pause_until_;
}

/// The next statement that does something, or nothing at the end.
const Statement* ScriptPlayer::next_statement() {
  while (!blocks_.empty()) {
    Block& block = blocks_.back();
    if (block.next == block.statements->size()) {
      block.next = 0;
      if (--block.passes_left <= 0 || block.statements->empty()) blocks_.pop_back();
      continue;
    }
    const Statement& statement = (*block.statements)[block.next++];
    if (statement.kind != Statement::Kind::repeat) return &statement;
    blocks_.push_back({&statement.body, 0, statement.count});
  }
  return nullptr;
}

void ScriptPlayer::stop(const std::string& why) {
  const SourcePlace& place = current_->place;
  fault_ = fmt::format("{}:{}: {}: {}", place.file, place.line, current_->text, why);
  ended_ = true;
}

void ScriptPlayer::begin(const Statement& statement, Lines& lines) {
  current_ = &statement;
  if (listener_) listener_(lines.now(), statement);
  switch (statement.kind) {
    case Statement::Kind::home:
      motion_ = movers_[statement.mechanism]->home();
      break;
    case Statement::Kind::move:
      motion_ = movers_[statement.mechanism]->move(statement.order);
      break;
    case Statement::Kind::wait:
      pause_until_ = lines.now() + (statement.pause.base() * clock_.base()).rounded();
      break;
    case Statement::Kind::repeat:
      break;
  }
}

void ScriptPlayer::act(Lines& lines, std::span<const Reading>) {
  if (ended_ || next_act() > lines.now()) return;
  if (motion_ && motion_->status != MotionStatus::done) {
    stop(motion_->fault.empty() ? "was cancelled" : motion_->fault);
    return;
  }
  motion_.reset();
  const Statement* statement = next_statement();
  if (statement == nullptr) {
    ended_ = true;
    return;
  }
  try {
    begin(*statement, lines);
  } catch (const RangeError& error) {
    stop(error.what());
  }
}

}  // namespace cogstride
