#include "cogstride/export/put_recorder.hpp"

#include <utility>

namespace cogstride {

FineTick end_of(const PutRecorder::Run& run) {
  chip::PulsePlayer<chip::PulseRun> player(run.start);
  player.load(run.run);
  while (player.left() > 0) player.advance();
  return player.time();
}

PutRecorder::Recorded PutRecorder::take() {
  return std::exchange(recorded_, {});
}

void PutRecorder::levels(Tick at, std::span<const Level> levels) {
  for (const Level& level : levels) recorded_.levels.push_back({at, level});
}

void PutRecorder::runs(FineTick start, LineId line, std::span<const chip::PulseRun> runs) {
  for (const chip::PulseRun& run : runs) {
    recorded_.runs.push_back({start, line, run});
    start = end_of(recorded_.runs.back());
  }
}

void PutRecorder::withdrawn(MechanismId, Tick) {
  disturbed_ = true;
}

void PutRecorder::cut(Tick) {
  disturbed_ = true;
}

}  // namespace cogstride
