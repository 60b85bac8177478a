#include "cogstride/script/script_player.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace cogstride {

ScriptPlayer::ScriptPlayer(const Script& script, std::vector<StepperMover*> movers, ExactFrequency clock)
    : movers_(std::move(movers)), clock_(clock), blocks_{{&script.statements}} {}

Tick ScriptPlayer::next_act() const {
  if (ended_) return never;
  if (!motions_.empty()) return motions_have_ended() ? 0 : never;
  return pause_until_;
}

/// All of them, or one otherwise than asked.
bool ScriptPlayer::motions_have_ended() const {
  const auto has_failed = [](const auto& motion) {
    return motion->has_ended() && motion->status != MotionStatus::done;
  };
  const auto has_ended = [](const auto& motion) { return motion->has_ended(); };
  return std::any_of(motions_.begin(), motions_.end(), has_failed) ||
         std::all_of(motions_.begin(), motions_.end(), has_ended);
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
      motions_ = {movers_[statement.mechanism]->home()};
      break;
    case Statement::Kind::move:
      motions_ = {movers_[statement.mechanism]->move(statement.order)};
      break;
    case Statement::Kind::wait:
      pause_until_ = lines.now() + (statement.pause.base() * clock_.base()).rounded();
      break;
    case Statement::Kind::arrive_together:
      begin_together(statement);
      break;
    case Statement::Kind::repeat:
      break;
  }
}

void ScriptPlayer::begin_together(const Statement& block) {
  const auto together = std::make_shared<ArrivingTogether>();
  for (const Statement& move : block.body)
    motions_.push_back(movers_[move.mechanism]->move(move.order, together));
}

void ScriptPlayer::act(Lines& lines, std::span<const Reading>) {
  if (ended_ || next_act() > lines.now()) return;
  for (const auto& motion : motions_) {
    if (motion->status == MotionStatus::done || !motion->has_ended()) continue;
    stop(motion->fault.empty() ? "was cancelled" : motion->fault);
    return;
  }
  motions_.clear();
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
