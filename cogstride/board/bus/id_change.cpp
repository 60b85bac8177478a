#include "cogstride/board/bus/id_change.hpp"

#include <fmt/format.h>

#include <utility>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::uint8_t configuration = 1;
constexpr std::uint8_t waiting = 0;

Frame setting(SettingCommand command, std::uint8_t value) {
  Frame frame{setting_request_id, Frame::most_bytes, {}};
  frame.bytes[0] = static_cast<std::uint8_t>(command);
  frame.bytes[1] = value;
  return frame;
}

}  // namespace

IdChange::IdChange(int from, int to, Times times) : from_(from), to_(to), times_(times) {
  require_node_id(from);
  require_node_id(to);
  if (from == to) throw RangeError(fmt::format("it has the id {} already", to));
}

void IdChange::fail(std::string why) {
  fault_ = std::move(why);
  stage_ = Stage::leaves;
}

std::optional<Frame> IdChange::send(Tick now) {
  switch (stage_) {
    case Stage::listens:
      stage_ = Stage::sets;
      return setting(SettingCommand::switch_all, configuration);
    case Stage::sets:
    case Stage::stores:
      if (waits_until_ == never) {
        waits_until_ = now + times_.patience;
        return stage_ == Stage::sets ? setting(SettingCommand::set_id, static_cast<std::uint8_t>(to_))
                                     : setting(SettingCommand::store, 0);
      }
      if (now >= waits_until_)
        fail(
            fmt::format("what has the id {} does not answer when it is {} its id: it may know no other way "
                        "than its switches, or its maker's program",
                        from_, stage_ == Stage::sets ? "told" : "told to keep"));
      return std::nullopt;
    case Stage::ends:
      stage_ = Stage::begins;
      waits_until_ = never;
      return setting(SettingCommand::switch_all, waiting);
    case Stage::begins:
      if (waits_until_ == never) {
        waits_until_ = now + times_.beginning;
        return node_control(NodeCommand::reset, from_);
      }
      if (now >= waits_until_)
        fail(
            fmt::format("it has taken the id {}, and does not come back with it: switch it off and on", to_));
      return std::nullopt;
    case Stage::leaves:
      stage_ = Stage::failed;
      return setting(SettingCommand::switch_all, waiting);
    default:
      return std::nullopt;
  }
}

void IdChange::answered(std::uint8_t command, std::uint8_t error) {
  const bool sets = stage_ == Stage::sets;
  if (command != static_cast<std::uint8_t>(sets ? SettingCommand::set_id : SettingCommand::store)) return;
  if (error != 0)
    return fail(fmt::format("what has the id {} {} the id {} (error {})", from_,
                            sets ? "refuses" : "cannot keep", to_, error));
  waits_until_ = never;
  stage_ = sets ? Stage::stores : Stage::ends;
}

void IdChange::hear(const Frame& frame) {
  if ((stage_ == Stage::sets || stage_ == Stage::stores) && waits_until_ != never &&
      frame.id == setting_answer_id && frame.size >= 2)
    return answered(frame.bytes[0], frame.bytes[1]);
  if (stage_ != Stage::begins) return;
  const std::optional<NodeHeartbeat> beat = heartbeat_of(frame);
  if (beat && beat->id == to_ && beat->state == NodeState::boot) stage_ = Stage::done;
}

Tick IdChange::next() const {
  if (has_ended()) return never;
  if (stage_ == Stage::leaves) return 0;
  return waits_until_ == never ? 0 : waits_until_;
}

}  // namespace cogstride
